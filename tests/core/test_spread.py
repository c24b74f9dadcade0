"""Spread: fans by their angles, random ones by their distributions, all of them mirrored and repeatable."""

import unittest

import numpy as np
from scipy import stats

import nivvo
from nivvo.core.launching.spread import cone, draw, fan, scatter
from nivvo.core.numbers import frame as frames
from tests.core.test_frame import FRAMES
from tests.play.drills import drill

COUNT = 20_000


def angles(headings, heading):
    return np.degrees(np.arctan2(np.linalg.norm(np.cross(headings, heading), axis=1), headings @ heading))


class Draws(unittest.TestCase):
    def test_they_are_uniform_independent_and_belong_to_what_they_are_named_by(self):
        u = np.array([draw(7, "keeper.shoal", shot, k, 0) for shot in range(200) for k in range(100)])
        v = np.array([draw(7, "keeper.shoal", shot, k, 1) for shot in range(200) for k in range(100)])
        self.assertGreater(stats.kstest(u, "uniform").pvalue, 1e-3)
        self.assertLess(abs(np.corrcoef(u, v)[0, 1]), 0.03)
        self.assertLess(abs(np.corrcoef(u[:-1], u[1:])[0, 1]), 0.03)
        self.assertEqual(len({draw(s, n, k, 0, 0) for s in (0, 1) for n in ("a", "b") for k in range(9)}), 36)


class Shapes(unittest.TestCase):
    def setUp(self):
        rng = np.random.default_rng(3)
        self.u, self.v = rng.uniform(size=(2, COUNT))

    def test_a_fan_is_even_symmetric_and_as_wide_as_asked(self):
        for name, f in FRAMES.items():
            heading = f.direction(33.0)
            found = fan(f, heading, f.forward, 5, 24.0)
            np.testing.assert_allclose(np.linalg.norm(found, axis=1), 1.0, atol=1e-14)
            np.testing.assert_allclose(angles(found, heading), [12, 6, 0, 6, 12], atol=1e-9, err_msg=name)
            np.testing.assert_allclose(angles(found[1:], found[0]), [6, 12, 18, 24], atol=1e-9)

    def test_a_cone_in_space_is_uniform_in_solid_angle(self):
        f = FRAMES["space z"]
        heading = f.raised(f.direction(20.0), 30.0)
        found = cone(f, heading, f.forward, 40.0, self.u, self.v)
        cosine = found @ heading
        least = np.cos(np.radians(20.0))
        self.assertGreaterEqual(cosine.min(), least - 1e-12)
        self.assertGreater(stats.kstest((1 - cosine) / (1 - least), "uniform").pvalue, 1e-3)
        _, right, up = f.triad(heading, f.forward)
        around = np.arctan2(found @ up, found @ right) / (2 * np.pi) + 0.5
        self.assertGreater(stats.kstest(around, "uniform").pvalue, 1e-3)

    def test_in_2d_a_cone_is_uniform_in_angle_and_stays_in_the_plane(self):
        for name in ("side up", "side down", "top down"):
            f = FRAMES[name]
            found = cone(f, f.forward, f.forward, 30.0, self.u, self.v)
            self.assertEqual(np.abs(found[:, 2]).max(), 0.0)
            turned = np.degrees(np.arctan2(found[:, 1], found[:, 0]))
            self.assertGreater(stats.kstest((turned + 15) / 30, "uniform").pvalue, 1e-3)

    def test_scatter_is_normal_across_the_heading(self):
        f = FRAMES["space z"]
        found = scatter(f, f.forward, f.forward, 2.0, self.u, self.v)
        _, right, up = f.triad(f.forward, f.forward)
        for axis in (right, up):
            across = np.degrees(np.arcsin(found @ axis)) / 2.0
            self.assertGreater(stats.kstest(across, "norm").pvalue, 1e-3)
        f = FRAMES["side up"]
        turned = np.degrees(np.arcsin(scatter(f, f.forward, f.forward, 2.0, self.u, self.v)[:, 1])) / 2.0
        self.assertGreater(stats.kstest(turned, "norm").pvalue, 1e-3)


class Fired(unittest.TestCase):
    def velocities(self, run, ability="flare"):
        keys = [key for key, shot in run.by_key.items() if shot.ability == ability]
        return np.array([run.record.births["v"][run.record.places[key]] for key in keys])

    def test_each_projectile_has_its_own_id_path_and_end_at_one_speed(self):
        run = nivvo.fire(drill(ability="launch.count = 4\nlaunch.cone = 10"))
        self.assertEqual(list(run.projectiles["projectile"]), [f"flare-1.{k}" for k in range(1, 5)])
        self.assertEqual(list(run.shots["projectiles"]), [4])
        np.testing.assert_allclose(np.linalg.norm(self.velocities(run), axis=1), 18.0, rtol=1e-14)
        self.assertEqual(len({round(x, 6) for x in run.projectiles["range"]}), 4)
        self.assertEqual(nivvo.measure(run, "projectiles")[0], 4)

    def test_a_shot_added_elsewhere_changes_no_draw_and_mirrored_shots_mirror(self):
        alone = nivvo.fire(drill(ability="launch.scatter = 3"))
        other = '[ability.another]\nlike = "flare"\nlaunch.speed = 5\n'
        beside = nivvo.fire(drill(text=other, ability="launch.scatter = 3"))
        np.testing.assert_array_equal(self.velocities(beside), self.velocities(alone))
        left = nivvo.fire(drill(shooter='at = [0, 1]\nfacing = "left"', ability="launch.scatter = 3"))
        np.testing.assert_array_equal(self.velocities(left), self.velocities(alone) * [-1, 1, 1])
        seeded = nivvo.fire(drill(world="seed = 5", ability="launch.scatter = 3"))
        self.assertFalse((self.velocities(seeded) == self.velocities(alone)).all())

    def test_all_around_no_two_are_one_and_one_goes_straight_on(self):
        for f in FRAMES.values():
            for count in (2, 3, 4, 7, 12):
                found = fan(f, f.forward, f.forward, count, 360.0)
                cosines = np.sort(found @ found.T, axis=1)[:, ::-1]
                np.testing.assert_allclose(cosines[:, 1], np.cos(2 * np.pi / count), atol=1e-12)
                self.assertAlmostEqual((found @ f.forward).max(), 1.0, delta=1e-15)

    def test_fans_mirror_to_the_bit(self):
        f = frames.side()
        right, left = (fan(f, np.array([x, 0.0, 0.0]), np.array([x, 0.0, 0.0]), 6, 50.0) for x in (1.0, -1.0))
        np.testing.assert_array_equal(right * [-1, 1, 1], left)
