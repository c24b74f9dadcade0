"""Pieces of flight: path length, limits and steps against quadrature and brute force."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from nivvo.core.flying.flight import path_length, time_of_length, time_to_leave
from nivvo.core.geometry.grid import box_of_arc
from nivvo.core.numbers import clock
from nivvo.core.numbers.vec import arc

vectors = st.tuples(*[st.floats(-50, 50)] * 3)


def speed_at(v, a, t):
    return float(np.linalg.norm(np.add(v, np.multiply(a, t))))


class PathLength(unittest.TestCase):
    @given(vectors, vectors, st.floats(1e-3, 3))
    def test_is_the_integral_of_speed(self, v, a, t):
        turn = -np.dot(v, a) / max(np.dot(a, a), 1e-30)
        corner = [turn] if 0 < turn < t else None
        expected, _ = quad(lambda s: speed_at(v, a, s), 0, t, points=corner, epsabs=1e-12, epsrel=1e-12, limit=200)
        self.assertAlmostEqual(path_length(v, a, t), expected, delta=1e-9 * max(1.0, expected))

    def test_is_exact_to_rounding_on_a_long_bent_path(self):
        v, a = (3.0, 20.0, 0.0), (0.0, -9.81, 0.0)
        expected, _ = quad(lambda s: speed_at(v, a, s), 0, 4, epsabs=1e-12, epsrel=1e-13)
        self.assertAlmostEqual(path_length(v, a, 4.0), expected, delta=1e-12 * expected)

    @given(vectors, vectors, st.floats(0.05, 1.0), st.floats(0.01, 2))
    def test_the_time_of_a_length_gives_that_length_back(self, v, a, share, span):
        total = path_length(v, a, span)
        t = time_of_length(v, a, share * total, span)
        self.assertTrue(0.0 <= t <= span)
        self.assertAlmostEqual(path_length(v, a, t), share * total, delta=1e-10 * max(1.0, total))


class Limits(unittest.TestCase):
    @given(vectors, vectors, st.floats(0.1, 3))
    def test_leaves_a_box_when_dense_sampling_says(self, v, a, span):
        low, high = (-4.0, -5.0, -6.0), (5.0, 4.0, 7.0)
        found = time_to_leave((0.0, 0.0, 0.0), v, a, low, high, span)
        times = np.linspace(0, span, 4001)
        p = np.outer(times, v) + np.outer(times * times / 2, a)
        out = np.any((p < low) | (p > high), axis=1)
        if found < 0.0:
            self.assertFalse(out.any())
        else:
            q = np.multiply(v, found) + np.multiply(a, found * found / 2)
            edge = min(np.abs(q - low).min(), np.abs(q - high).min())
            self.assertLess(edge, 1e-9 * (1 + span * span * 50))
            self.assertFalse(out[times < found * (1 - 1e-12)].any())

    @given(vectors, vectors, st.floats(0, 1), st.floats(1.01, 3))
    def test_the_box_of_an_arc_holds_it_tightly(self, v, a, t0, t1):
        start = (1.0, 2.0, 3.0)
        low, high = box_of_arc(a, t1 - t0, arc(start, v, a, t0), arc(start, v, a, t1), 0.0)
        times = np.linspace(t0, t1, 3001)
        p = np.array(start) + np.outer(times, v) + np.outer(times * times / 2, a)
        scale = 1e-9 * (1 + np.abs(p).max())
        self.assertTrue((p >= np.array(low) - scale).all() and (p <= np.array(high) + scale).all())
        stray = np.abs(a) * (t1 - t0) ** 2 / 8 + scale
        self.assertTrue((p.min(axis=0) <= low + stray).all() and (p.max(axis=0) >= high - stray).all())


class Clock(unittest.TestCase):
    def test_common_rates_are_whole_numbers_of_units(self):
        for rate in (24, 25, 30, 48, 50, 60, 72, 75, 90, 100, 120, 128, 144, 165, 240, 360, 1000):
            self.assertEqual(clock.UNITS % rate, 0)
            edges = clock.edges_of_rate(rate, 0, 1000 * rate)
            self.assertEqual(int(edges[-1]), 1000 * clock.UNITS)
        self.assertEqual(clock.from_seconds(1e-9), 693)

    @given(st.floats(0.001, 80_000), st.floats(1, 1000))
    def test_other_rates_never_drift(self, seconds, rate):
        tick = int(seconds * rate)
        edge = int(clock.edges_of_rate(rate, tick, 0)[0])
        self.assertLess(abs(edge - tick / rate * clock.UNITS), 1 + 1e-15 * edge)

    def test_decimals_mean_what_they_say(self):
        self.assertEqual(clock.from_seconds(0.1) * 10, clock.UNITS)
        self.assertEqual(clock.from_seconds(0.3), 3 * clock.from_seconds(0.1))
        with self.assertRaises(OverflowError):
            clock.from_seconds(1e9)
