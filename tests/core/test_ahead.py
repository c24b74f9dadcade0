"""What acts foreseeably is followed ahead of the ticks: closed forms, and the same flight whatever the ticks are."""

import os
import unittest
from unittest import mock

import numpy as np

from nivvo.core import pool
from nivvo.core.flying.forces import acting
from nivvo.core.world.study import single_shots
from tests.core.arenas import arena

G = 9.81


def ends(acts, v, seconds, rate=60.0):
    """Where shots from nowhere are after some seconds, and how fast, in a world with nothing in it."""
    world = arena([], scene=50.0, sampled=False)
    return single_shots(world, acts, np.zeros((len(v), 3)), v, ticks=(rate, round(seconds * rate)))


class Forms(unittest.TestCase):
    def test_under_linear_drag_and_a_wind_it_is_where_the_exponential_says(self):
        rng = np.random.default_rng(1)
        for _ in range(20):
            k, v, wind = 10 ** rng.uniform(-3, 1), rng.normal(size=3) * 20, rng.normal(size=3) * 5
            found = ends(acting((0.0, -G, 0.0), linear=k, wind=wind), [v], 3.0)
            final = wind + np.array([0.0, -G, 0.0]) / k
            share = -np.expm1(-3.0 * k) / k
            place, fast = final * 3.0 + (v - final) * share, final + (v - final) * np.exp(-3.0 * k)
            np.testing.assert_allclose(found.p[0], place, rtol=0, atol=1e-10 * np.abs(v).sum())
            np.testing.assert_allclose(found.v[0], fast, rtol=0, atol=1e-10 * np.abs(v).sum())

    def test_under_square_drag_it_turns_back_where_the_tangent_says_and_falls_as_its_hyperbolic_one(self):
        """Straight up the speed passes through nothing, where the drag bends: no series goes over that."""
        for k, up, seconds in ((0.02, 30.0, 4.0), (0.2, 9.0, 2.0), (0.0003, 12.0, 2.0), (0.04, 1.7, 1.0)):
            found = ends(acting((0.0, -G, 0.0), square=k), [(0.0, up, 0.0)], seconds)
            most, rate = np.sqrt(G / k), np.sqrt(G * k)
            rises = np.arctan(up / most) / rate
            top = np.log1p((up / most) ** 2) / (2 * k)
            down = rate * (seconds - rises)
            self.assertAlmostEqual(found.p[0, 1], top - np.log(np.cosh(down)) / k, delta=1e-7 * 2 * top)
            self.assertAlmostEqual(found.v[0, 1], -most * np.tanh(down), delta=1e-7 * up)

    def test_a_push_that_comes_and_goes_within_a_tick_gives_what_it_lasts(self):
        """Along the launch, through linear drag: the pieces before, with and after it, one exponential each."""
        k, push, begins, stops = 0.4, 11.0, 0.3071, 0.9113
        found = ends(
            acting((0.0, 0.0, 0.0), linear=k, thrust=(push, begins, stops, pool.ON_LAUNCH)), [(6.0, 0, 0)], 2.0
        )
        x, v = 0.0, 6.0
        for span, a in ((begins, 0.0), (stops - begins, push), (2.0 - stops, 0.0)):
            share = -np.expm1(-k * span) / k
            x, v = x + a / k * span + (v - a / k) * share, a / k + (v - a / k) * np.exp(-k * span)
        np.testing.assert_allclose((found.p[0, 0], found.v[0, 0]), (x, v), rtol=1e-9)


@mock.patch.dict(os.environ, NIVVO_COMPILE="always")
class Ticks(unittest.TestCase):
    def test_they_make_no_difference(self):
        rng = np.random.default_rng(2)
        for _ in range(12):
            acts = {"linear": rng.choice([0.0, 0.3]), "square": 10 ** rng.uniform(-3, -1)}
            if rng.uniform() < 0.4:
                acts["thrust"] = (rng.uniform(5, 40), *sorted(rng.uniform(0, 2, 2)), pool.ON_VELOCITY)
            if rng.uniform() < 0.4:
                acts["wind"], acts["gusts"] = rng.normal(size=3) * 4, (0.8, 3.0, tuple(rng.uniform(0, 6, 3)))
            if rng.uniform() < 0.3:
                acts["top"] = (rng.uniform(5, 20), pool.BRAKES)
            v = rng.normal(size=(8, 3)) * 12
            one, *others = (ends(acting((0.0, -G, 0.0), **acts), v, 3.0, rate) for rate in (7.0, 60.0, 144.0))
            for other in others:
                np.testing.assert_allclose(other.p, one.p, rtol=0, atol=1e-11)
                np.testing.assert_allclose(other.v, one.v, rtol=0, atol=1e-11)


if __name__ == "__main__":
    unittest.main()
