"""Bounces: against closed forms, what is conserved, symmetry, and a slow model in plain Python."""

import os
import unittest
from unittest import mock

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers import clock
from nivvo.core.tick import advance
from tests.core.arenas import arena, ball, events_of, floor, ticks

G = np.array([0.0, -9.81, 0.0])
ANY = -1


def thrown(bodies, p, v, *, a=G, radius=0.1, restitution=1.0, friction=0.0, most=ANY, least=0.0, count=600, **options):
    """Events of one projectile that bounces off everything, and its world."""
    rate, dense = options.pop("rate", 60.0), options.pop("each", None)
    world = arena(bodies, sampled=False, **options)
    bounces = (restitution, friction, most, least)
    world.put(world.new_params(np.array(a), radius, then=pool.BOUNCE, bounces=bounces), p, v, 1, 0)
    for first in range(0, count, dense or count):
        world.run(ticks(dense or count, rate, first))
    return events_of(world), world


def plane(n, d, key, velocity=(0, 0, 0)):
    """Everything behind the plane through n d is solid; it looks along n."""
    row = floor(key=key)
    row["axis0"], row["c0"] = n, np.asarray(n) * d
    row["c"], row["v0"], row["v"] = row["c0"], velocity, velocity
    return row


def bounces(events):
    return events[events["kind"] == pool.BOUNCED]


class ClosedForms(unittest.TestCase):
    def test_each_height_is_restitution_squared_of_the_one_before(self):
        for restitution in (0.9, 0.6, 0.3):
            events, _ = thrown([floor()], (0, 5, 0), (0, 0, 0), restitution=restitution, least=0.05, count=2400)
            speeds = bounces(events)["v"][:, 1]
            self.assertGreater(len(speeds), 3)
            heights = speeds**2 / (2 * 9.81)
            np.testing.assert_allclose(heights[0], 4.9 * restitution**2, rtol=1e-12)
            np.testing.assert_allclose(heights[1:] / heights[:-1], restitution**2, rtol=1e-9)
            end = events[-1]
            self.assertEqual((end["kind"], end["code"]), (pool.ENDED, pool.BY_SETTLED))
            self.assertLess(speeds[-1] * restitution, 0.05)

    def test_between_plates_it_keeps_its_period_over_a_thousand_bounces(self):
        for turn in (0.0, 0.7, 2.1):
            n = np.array([np.cos(turn), np.sin(turn), 0.0])
            across = np.array([-n[1], n[0], 0.0])
            events, _ = thrown(
                [plane(n, -1.0, 0), plane(-n, -1.0, 1)], 0 * n, 7.3 * n + 0.4 * across, a=(0, 0, 0), count=17000
            )
            found = bounces(events)
            times = found["start"] / clock.UNITS + found["after"]
            self.assertGreater(len(times), 1000)
            np.testing.assert_allclose(np.diff(times[:1001]), 1.8 / 7.3, rtol=1e-9)
            np.testing.assert_allclose(times[:1001], (0.9 + 1.8 * np.arange(1001)) / 7.3, rtol=1e-9)

    def test_a_moving_body_gives_its_speed_twice(self):
        for restitution in (1.0, 0.5):
            racket = ball((5.0, 0, 0), radius=0.5, velocity=(-4.0, 0, 0))
            events, _ = thrown([racket], (0, 0, 0), (6.0, 0, 0), a=(0, 0, 0), restitution=restitution, count=60)
            out = bounces(events)[0]["v"]
            np.testing.assert_allclose(out, (-4.0 - restitution * 10.0, 0, 0), atol=1e-12)

    def test_friction_takes_its_share_and_never_more_than_there_is(self):
        down, along = 4.0, 3.0
        for friction in (0.0, 0.1, 0.3, 5.0):
            events, _ = thrown(
                [floor()], (0, 0.1, 0), (along, -down, 0), a=(0, 0, 0), restitution=0.5, friction=friction, count=2
            )
            v = bounces(events)[0]["v"]
            np.testing.assert_allclose(v, (max(along - friction * 1.5 * down, 0.0), 0.5 * down, 0), atol=1e-12)

    def test_after_so_many_the_next_contact_ends_it(self):
        events, _ = thrown([floor()], (0, 3, 0), (1, 0, 0), restitution=0.9, most=3)
        self.assertEqual(len(bounces(events)), 3)
        self.assertEqual((events[-1]["kind"], events[-1]["code"], events[-1]["body"]), (pool.ENDED, pool.BY_BOUNCES, 0))


class Settled(unittest.TestCase):
    def test_it_settles_only_on_what_it_is_pressed_onto(self):
        for turn in np.radians([0.0, 12.0, 77.0, 191.0]):
            # Gravity along an upright wall, grazed at a tenth of the least speed; the whole scene turned.
            down = np.array([np.sin(turn), -np.cos(turn), 0.0])
            n = np.array([np.cos(turn), np.sin(turn), 0.0])
            wall = plane(n, 0.0, 0)
            for least in (0.0, 0.5):
                events, world = thrown(
                    [wall], 0.2 * n, 6.0 * down - 0.05 * n, a=9.81 * down, restitution=0.5, least=least, count=240
                )
                self.assertEqual(len(bounces(events)), 1)
                self.assertEqual(world.live, 1)
            under = plane(-down, -0.2, 0)
            events, _ = thrown(
                [under], 0 * n, 0.3 * n + 0.1 * down, a=9.81 * down, restitution=0.5, least=5.0, count=60
            )
            self.assertEqual((len(bounces(events)), events[-1]["code"]), (0, pool.BY_SETTLED))


class Kept(unittest.TestCase):
    def boxed(self, rng, flat):
        """Turned planes around the middle, and some balls inside."""
        rows, count = [], 7
        for key in range(count):
            n = rng.normal(size=3)
            if flat:
                angle = 2 * np.pi * (key + rng.uniform(0, 0.5)) / count
                n = np.array([np.cos(angle), np.sin(angle), 0.0])
            rows.append(plane(n / np.linalg.norm(n), -rng.uniform(2.0, 4.0), key))
        if not flat:
            rows += [plane(s * np.eye(3)[k], -4.5, count + 2 * k + (s > 0)) for k in range(3) for s in (-1.0, 1.0)]
        place = rng.uniform(-1.2, 1.2, 3) * [1, 1, 0 if flat else 1]
        rows.append(ball(place + np.sign(place) * 0.6, radius=0.35, key=len(rows)))
        return rows

    def test_no_energy_comes_from_nothing_and_it_never_leaves_the_box(self):
        rng, total = np.random.default_rng(6), 0
        for k in range(24):
            flat, pull = k % 2 == 0, G if k % 3 else np.zeros(3)
            rows = self.boxed(rng, flat)
            v = rng.normal(size=3) * [1, 1, 0 if flat else 1] * 6.0
            events, world = thrown(
                rows, (0, 0, 0), v, a=pull, flat=flat, count=1800, rate=float(rng.choice([30, 60, 144]))
            )
            found = bounces(events)
            total += len(found)
            energy = 0.5 * (found["v"] ** 2).sum(axis=1) - found["p"] @ pull
            start = 0.5 * v @ v
            self.assertLess(np.abs(energy / start - 1.0).max(), 1e-12 * len(found) + 1e-10, k)
            for row in world.bodies[: len(rows) - 1]:
                gap = (found["p"] - row["c0"]) @ row["axis0"] - 0.1
                self.assertGreater(gap.min(), -1e-9)
        self.assertGreater(total, 1500)

    def test_plain_compiled_asleep_awake_and_tick_by_tick_give_the_same_bytes(self):
        rng = np.random.default_rng(7)
        for flat in (True, False):
            rows, v = self.boxed(rng, flat), rng.normal(size=3) * [1, 1, 0 if flat else 1] * 6.0
            results = []
            for mode, sleeps, each in (("never", True, None), ("always", True, 1), ("always", False, 7)):
                advance.forget()
                with mock.patch.dict(os.environ, NIVVO_COMPILE=mode):
                    results.append(
                        thrown(rows, (0, 0, 0), v, flat=flat, count=140, sleeps=sleeps, each=each)[0].tobytes()
                    )
            advance.forget()
            self.assertEqual(len(set(results)), 1)

    def test_between_closing_doors_it_is_never_let_through(self):
        for speed in (0.0, 3.0, 40.0):
            doors = [plane((1, 0, 0), -2.0, 0, (1.0, 0, 0)), plane((-1, 0, 0), -2.0, 1, (-1.0, 0, 0))]
            events, _ = thrown(doors, (0, 0, 0), (speed, 0.3, 0), a=(0, 0, 0), count=200)
            times = events["start"] / clock.UNITS + events["after"]
            for row, n in zip(doors, (1.0, -1.0), strict=True):
                wall = row["c0"][0] + row["v0"][0] * times
                self.assertGreater((n * (events["p"][:, 0] - wall) - 0.1).min(), -1e-9)
            if speed:
                self.assertEqual(events[-1]["code"], pool.BY_HOPS)
                self.assertLess(times[-1], 1.9)

    def test_in_a_games_own_step_it_stays_above_and_loses_what_its_step_loses(self):
        for step in (pool.SEMI_IMPLICIT, pool.EXPLICIT, pool.VERLET):
            for touch in (pool.SWEPT, pool.AT_TICKS):
                events, _ = thrown(
                    [floor()],
                    (0, 3, 0),
                    (1, 0, 0),
                    restitution=0.7,
                    least=0.6,
                    count=900,
                    step=step,
                    touch=touch,
                    rate=144.0,
                )
                found = bounces(events)
                self.assertGreater(len(found), 3)
                ratios = found["v"][1:4, 1] / found["v"][:3, 1]
                np.testing.assert_allclose(ratios, 0.7, atol=0.05)
                self.assertGreater(found["p"][:, 1].min(), 0.1 - 1e-9)
                self.assertEqual(events[-1]["code"], pool.BY_SETTLED)


if __name__ == "__main__":
    unittest.main()
