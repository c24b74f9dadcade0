"""Launch solutions flown back, in every step, to still and moving targets; what is out of reach is."""

import unittest

import numpy as np

from nivvo.core import pool
from nivvo.core.launching import launch
from nivvo.core.launching.launch import HIGH, LOW
from tests.deep import DEEP

G = np.array([0.0, -9.81, 0.0])
UP = np.array([0.0, 1.0, 0.0])
COUNT = 10_000


def flown(velocity, a, time, step, ticks):
    """Where a launch is after ``time``: the textbook's recurrence tick by tick, straight between ticks."""
    p, v = np.zeros_like(velocity), velocity.copy()
    out, start = np.full_like(velocity, np.nan), 0.0
    for h in ticks:
        u = v + a * h
        q = p + (u if step == pool.SEMI_IMPLICIT else v if step == pool.EXPLICIT else (u + v) / 2) * h
        share = (time - start) / h
        here = (share >= 0.0) & (share <= 1.0)
        out = np.where(here[:, None], p + (q - p) * share[:, None], out)
        p, v, start = q, u, start + h
    return out


class Still(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(6)
        self.to = self.rng.normal(size=(COUNT, 3)) * [30, 12, 30]
        self.far = np.linalg.norm(self.to, axis=1)

    def miss(self, found, a=G):
        t = found.time[:, None]
        return np.linalg.norm(found.velocity * t + a * t * t / 2 - self.to, axis=1) / self.far

    def test_both_arcs_of_a_speed_reach_and_keep_that_speed(self):
        for arc in (LOW, HIGH):
            speed = self.rng.uniform(5, 45, COUNT)
            found = launch.by_speed(self.to, G, speed, arc)
            reached = np.isfinite(found.time)
            self.assertTrue(0.3 < reached.mean() < 0.99)
            self.assertLess(self.miss(found)[reached].max(), 1e-9)
            np.testing.assert_allclose(np.linalg.norm(found.velocity[reached], axis=1), speed[reached], rtol=1e-12)
            # The envelope: a point is in reach just when it lies below v²/2g - g x²/2v².
            run = np.linalg.norm(self.to[:, [0, 2]], axis=1)
            below = self.to[:, 1] <= speed**2 / 19.62 - 9.81 * run**2 / (2 * speed**2)
            np.testing.assert_array_equal(reached, below)
            np.testing.assert_array_equal(reached, launch.least_speed(self.to, G) <= speed)

    def test_the_low_arc_is_the_quicker_and_without_gravity_a_straight_line(self):
        low, high = (launch.by_speed(self.to, G, 60.0, arc).time for arc in (LOW, HIGH))
        self.assertTrue((low[np.isfinite(low)] <= high[np.isfinite(low)]).all())
        found = launch.by_speed(self.to, np.zeros(3), 60.0, HIGH)
        np.testing.assert_allclose(found.time, self.far / 60.0, rtol=1e-14)

    def test_by_time_elevation_and_apex(self):
        found = launch.by_time(self.to, G, self.rng.uniform(0.1, 4, COUNT))
        self.assertLess(self.miss(found).max(), 1e-12)
        elevation = self.rng.uniform(-60, 85, COUNT)
        found = launch.by_elevation(self.to, G, UP, elevation)
        good = np.isfinite(found.time)
        self.assertLess(self.miss(found)[good].max(), 1e-9)
        rise = np.degrees(np.arcsin(found.velocity[good, 1] / np.linalg.norm(found.velocity[good], axis=1)))
        np.testing.assert_allclose(rise, elevation[good], atol=1e-9)
        line = np.degrees(np.arctan2(self.to[:, 1], np.linalg.norm(self.to[:, [0, 2]], axis=1)))
        np.testing.assert_array_equal(good, elevation > line)
        apex = self.rng.uniform(0, 30, COUNT)
        found = launch.by_apex(self.to, G, UP, apex)
        good = np.isfinite(found.time)
        self.assertLess(self.miss(found)[good].max(), 1e-9)
        np.testing.assert_allclose(found.velocity[good, 1] ** 2 / 19.62, apex[good], rtol=1e-9, atol=1e-9)
        np.testing.assert_array_equal(good, apex >= self.to[:, 1])

    def test_in_a_games_own_step_the_shot_passes_the_point_in_that_step(self):
        uneven = np.tile([0.016, 0.021, 0.033], 400)
        late = np.concatenate([[0.003], np.full(1000, 1 / 60)])
        for ticks in (np.full(500, 1 / 30), np.full(1200, 1 / 60), np.full(2400, 1 / 144), uneven, late):
            for step in (pool.SEMI_IMPLICIT, pool.EXPLICIT, pool.VERLET):
                count = 600 if DEEP else 40
                to, far, fall = self.to[:count], self.far[:count], launch.fall_of(step, ticks)
                speed = self.rng.uniform(10, 45, count)
                low = launch.by_speed(to, G, speed, LOW, fall=fall)
                push = launch.by_elevation(to, G + [3.0, 0.0, -2.0], UP, 70.0, fall=fall)
                good = np.isfinite(push.time)
                self.assertGreater(good.mean(), 0.2)
                end = flown(push.velocity[good], G + [3.0, 0.0, -2.0], push.time[good], step, ticks)
                self.assertLess((np.linalg.norm(end - to[good], axis=1) / far[good]).max(), 1e-6)
                for found in (
                    low,
                    launch.by_speed(to, G, speed, HIGH, fall=fall),
                    launch.by_time(to, G, self.rng.uniform(0.2, 3, count), fall=fall),
                    launch.by_elevation(to, G, UP, 70.0, fall=fall),
                    launch.by_apex(to, G, UP, 9.0, fall=fall),
                ):
                    good = np.isfinite(found.time)
                    self.assertGreater(good.mean(), 0.2)
                    end = flown(found.velocity[good], G, found.time[good], step, ticks)
                    self.assertLess((np.linalg.norm(end - to[good], axis=1) / far[good]).max(), 1e-6)
                good = np.isfinite(low.time)
                np.testing.assert_allclose(np.linalg.norm(low.velocity[good], axis=1), speed[good], rtol=1e-9)

    def test_out_of_reach_the_farthest_is_no_nearer_by_any_other_elevation(self):
        to, speed = self.to[:200], 8.0
        best = launch.farthest(to, G, UP, speed)
        np.testing.assert_allclose(np.linalg.norm(best, axis=1), speed, rtol=1e-12)
        for k in np.flatnonzero(np.isnan(launch.by_speed(to, G, speed).time) & (to[:, 1] < 3.0))[:40]:
            from nivvo.core.launching.ballistics import greatest_range, range_to

            rise = np.degrees(np.arcsin(best[k, 1] / speed))
            self.assertAlmostEqual(
                range_to(speed, rise, 9.81, to[k, 1]), greatest_range(speed, 9.81, to[k, 1]), delta=1e-6
            )

    def test_what_is_pushed_along_the_level_arrives_at_the_elevation_that_is_asked_for(self):
        a = G + self.rng.normal(size=(COUNT, 3)) * [4, 3, 4]
        a[: COUNT // 10] *= [1, 0, 1]
        elevation = self.rng.uniform(-60, 85, COUNT)
        line = np.degrees(np.arctan2(self.to[:, 1], np.linalg.norm(self.to[:, [0, 2]], axis=1)))
        found = launch.by_elevation(self.to, a, UP, elevation)
        good = np.isfinite(found.time)
        # Above the line of sight gravity always brings it down to the point, but where it is blown back too much.
        weak = np.linalg.norm(a[:, [0, 2]], axis=1) * np.tan(np.radians(elevation)) < -a[:, 1]
        self.assertTrue(good[weak & (elevation > line)].all())
        self.assertLess(self.miss(found, a)[good].max(), 1e-9)
        rise = np.degrees(np.arcsin(found.velocity[good, 1] / np.linalg.norm(found.velocity[good], axis=1)))
        np.testing.assert_allclose(rise, elevation[good], atol=1e-9)
        found = launch.by_arrival(self.to, a, UP, -elevation)
        good = np.isfinite(found.time)
        self.assertGreater(good.mean(), 0.3)
        self.assertLess(self.miss(found, a)[good].max(), 1e-9)
        came = found.velocity + a * found.time[:, None]
        rise = np.degrees(np.arcsin(came[good, 1] / np.linalg.norm(came[good], axis=1)))
        np.testing.assert_allclose(rise, -elevation[good], atol=1e-9)

    def test_pushed_along_the_level_none_goes_farther_toward_a_point_than_the_farthest(self):
        a = G + self.rng.normal(size=(60, 3)) * [4, 0, 4]
        to, speed = self.to[:60] * [1, 0.1, 1], 7.0
        best = launch.farthest(to, a, UP, speed)
        around = self.rng.normal(size=(20_000, 3))
        around *= speed / np.linalg.norm(around, axis=1)[:, None]
        seen = 0
        for k in np.flatnonzero(np.isnan(launch.by_speed(to, a, speed).time)):
            tall, ahead = to[k, 1], to[k] * [1, 0, 1] / np.linalg.norm(to[k, [0, 2]])

            def crossings(v, k=k, tall=tall):
                with np.errstate(invalid="ignore"):
                    root = np.sqrt(v[:, 1] ** 2 - 19.62 * tall)
                t = np.concatenate([v[:, 1] + root, v[:, 1] - root])[:, None] / 9.81
                there = (np.concatenate([v, v]) * t + a[k] * (t * t / 2)) * [1, 0, 1]
                return there[np.isfinite(t[:, 0]) & (t[:, 0] > 0.0)]

            mine, others = crossings(best[k : k + 1]), crossings(around)
            if not len(mine) or not best[k, [0, 2]].any():
                continue
            aside, beside = (np.linalg.norm(p - (p @ ahead)[:, None] * ahead, axis=1) for p in (mine, others))
            self.assertLess(aside.min(), 1e-9)
            self.assertLess((others @ ahead)[beside < 0.1].max(), mine[aside.argmin()] @ ahead + 0.2)
            seen += 1
        self.assertGreater(seen, 20)

    def test_mirrored_targets_have_mirrored_launches_to_the_bit(self):
        mirror = np.array([-1.0, 1.0, 1.0])
        here, there = launch.by_speed(self.to, G, 30.0), launch.by_speed(self.to * mirror, G, 30.0)
        np.testing.assert_array_equal(here.velocity * mirror, there.velocity)


class Lead(unittest.TestCase):
    def test_every_mover_that_can_be_met_is_met_and_first(self):
        rng = np.random.default_rng(9)
        to, v = rng.normal(size=(COUNT, 3)) * 20, rng.normal(size=(COUNT, 3)) * 8
        speed = rng.uniform(2, 30, COUNT)
        for a, b in ((np.zeros(3), np.zeros(3)), (G, np.zeros(3)), (G, rng.normal(size=(COUNT, 3)))):
            found = launch.lead(to, v, speed, a=a, acceleration=b)
            met = np.isfinite(found.time)
            t = found.time[met][:, None]
            shot = found.velocity[met] * t + np.broadcast_to(a, to.shape)[met] * t * t / 2
            there = to[met] + v[met] * t + np.broadcast_to(b, to.shape)[met] * t * t / 2
            far = np.linalg.norm(there, axis=1)
            self.assertLess((np.linalg.norm(shot - there, axis=1) / far).max(), 1e-6)
            np.testing.assert_allclose(np.linalg.norm(found.velocity[met], axis=1), speed[met], rtol=1e-6)
            # A slow search for the first time at which the mover is no farther than the shot has gone.
            times = np.concatenate([np.linspace(1e-4, 20, 4000), np.geomspace(20, 2000, 1000)])
            for k in rng.integers(0, COUNT, 300):
                w = np.broadcast_to(b, to.shape)[k] - a
                away = np.linalg.norm(to[k] + np.outer(times, v[k]) + np.outer(times**2 / 2, w), axis=1)
                near = np.flatnonzero(away - speed[k] * times < -1e-6 * away)
                if len(near):
                    self.assertTrue(met[k])
                    self.assertLessEqual(found.time[k], times[near[0]] * (1 + 1e-9))
                elif met[k] and found.time[k] < 2000:
                    gap = np.abs(away - speed[k] * times).min()
                    self.assertLess(gap, 0.2 * away.max())
