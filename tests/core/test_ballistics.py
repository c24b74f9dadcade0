"""Closed forms against flights stepped finely, against each other, and against their envelope."""

import unittest

import numpy as np
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from nivvo.core.launching import ballistics as b

speeds, gravities = st.floats(1, 200), st.floats(0.5, 50)
elevations, rises = st.floats(-80, 85), st.floats(-20, 20)


class ClosedForms(unittest.TestCase):
    @given(speeds, elevations, gravities, rises)
    def test_the_path_is_at_the_height_asked_for_and_coming_down(self, speed, elevation, gravity, rise):
        t = b.time_of_flight(speed, elevation, gravity, rise)
        apex = b.apex_height(speed, elevation, gravity)
        if np.isnan(t):
            # Never that high, or launched downward from below it.
            self.assertTrue(rise > apex - 1e-9 * max(1.0, abs(rise)))
            return
        up = speed * np.sin(np.radians(elevation))
        self.assertAlmostEqual(up * t - gravity * t * t / 2, rise, delta=1e-8 * max(1.0, speed * speed / gravity))
        self.assertLessEqual(up - gravity * t, 1e-7 * speed)

    def test_agrees_with_a_tight_adaptive_solver(self):
        speed, elevation, gravity, rise = 23.0, 37.0, 9.81, 2.5

        def down(_, y):
            return y[1] - rise

        down.terminal, down.direction = True, -1
        angle = np.radians(elevation)
        start = [0.0, 0.0, speed * np.cos(angle), speed * np.sin(angle)]
        flight = solve_ivp(lambda t, y: [y[2], y[3], 0, -gravity], (0, 99), start, events=down, rtol=1e-12, atol=1e-12)
        self.assertAlmostEqual(b.time_of_flight(speed, elevation, gravity, rise), flight.t[-1], delta=1e-10)
        self.assertAlmostEqual(b.range_to(speed, elevation, gravity, rise), flight.y[0, -1], delta=1e-9)

    @given(speeds, st.floats(1, 85), gravities)
    def test_energy_is_conserved_at_the_apex(self, speed, elevation, gravity):
        height, t = b.apex_height(speed, elevation, gravity), b.apex_time(speed, elevation, gravity)
        across = speed * np.cos(np.radians(elevation))
        self.assertAlmostEqual(across**2 / 2 + gravity * height, speed**2 / 2, delta=1e-9 * speed**2)
        run = across * t
        self.assertAlmostEqual(b.height_at(speed, elevation, gravity, run), height, delta=1e-9 * max(height, 1))

    @given(speeds, gravities, st.floats(0.01, 0.99))
    def test_no_elevation_rises_above_the_envelope_and_one_touches_it(self, speed, gravity, share):
        run = share * b.greatest_range(speed, gravity)
        heights = b.height_at(speed, np.linspace(-89, 89.9, 4001), gravity, run)
        top = b.envelope(speed, gravity, run)
        scale = speed * speed / gravity
        self.assertLessEqual(heights.max(), top + 1e-9 * scale)
        self.assertGreater(heights.max(), top - 1e-3 * scale)

    @given(speeds, gravities, st.floats(-10, 10))
    def test_greatest_range_is_the_best_over_elevations(self, speed, gravity, rise):
        assume(not 0.95 < 2 * gravity * rise / speed**2 < 1.05)
        best = b.greatest_range(speed, gravity, rise)
        ranges = b.range_to(speed, np.linspace(-80, 89.9, 4001), gravity, rise)
        if np.isnan(best):
            self.assertTrue(np.isnan(ranges).all())
        else:
            self.assertAlmostEqual(np.nanmax(ranges), best, delta=1e-2 * best)
            self.assertLessEqual(np.nanmax(ranges), best * (1 + 1e-12) + 1e-9)

    def test_broadcasts_and_takes_vectors(self):
        self.assertEqual(b.range_to(np.ones((4, 1)) * 10, np.array([10.0, 20, 30]), 9.81).shape, (4, 3))
        t = np.linspace(0, 1, 5)
        p = b.position([0, 0], [3, 4], [0, -2], t)
        np.testing.assert_allclose(p, np.stack([3 * t, 4 * t - t * t], axis=1))
        np.testing.assert_allclose(b.velocity([3, 4], [0, -2], t)[:, 1], 4 - 2 * t)
        self.assertEqual(b.envelope(10, 0.0, 5), np.inf)
