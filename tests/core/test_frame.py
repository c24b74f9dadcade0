"""Frames against high-precision sines, and against what handedness means."""

import unittest

import mpmath
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from nivvo.core.numbers import frame

FRAMES = {
    "side up": frame.side("up"),
    "side down": frame.side("down"),
    "top up": frame.top("up"),
    "top down": frame.top("down"),
    "top down with height": frame.top("down", height=True),
    "space z": frame.space("+z", "+x", "right"),
    "space y": frame.space("+y", "+z", "right"),
    "space left": frame.space("+z", "+x", "left"),
    "space -y": frame.space("-y", "+x", "right"),
}
angles = st.floats(-1e4, 1e4, allow_nan=False)


class Sincos(unittest.TestCase):
    @given(angles)
    def test_agrees_with_fifty_digits(self, degrees):
        with mpmath.workdps(50):
            turned = mpmath.mpf(degrees) * mpmath.pi / 180
            s, c = frame.sincos(degrees)
            self.assertLess(abs(mpmath.sin(turned) - float(s)), 3e-16)
            self.assertLess(abs(mpmath.cos(turned) - float(c)), 3e-16)

    @given(angles)
    def test_mirrors_to_the_bit(self, degrees):
        s, c = frame.sincos(degrees)
        self.assertEqual(frame.sincos(-degrees), (-s, c))

    def test_is_exact_at_multiples_of_ninety(self):
        quarters = np.arange(-8, 9)
        s, c = frame.sincos(90.0 * quarters)
        np.testing.assert_array_equal(s, np.tile([0, 1, 0, -1], 5)[: len(quarters)])
        np.testing.assert_array_equal(c, np.tile([1, 0, -1, 0], 5)[: len(quarters)])


class OneAndMany(unittest.TestCase):
    """What is worked out for one, without arrays, is to the bit what it is among many."""

    @given(angles, angles)
    def test_sines_units_and_triads(self, degrees, elevation):
        for count in (1, 2, 50):
            for one, many in zip(frame.sincos(degrees), frame.sincos(np.resize([degrees, 1.0], count)), strict=True):
                self.assertEqual(float(one).hex(), float(many[0]).hex())
        for f in FRAMES.values():
            heading = f.raised(f.direction(degrees), elevation) * 3.7
            np.testing.assert_array_equal(frame.unit(heading), frame.unit(np.array([heading, f.forward]))[0])
            both = np.array([heading, f.forward])
            for one, many in zip(f.triad(heading, f.forward), f.triad(both, f.forward), strict=True):
                np.testing.assert_array_equal(one, many[0])


class Angles(unittest.TestCase):
    @given(st.floats(-179, 179), st.floats(-89, 89), st.sampled_from(sorted(FRAMES)))
    def test_direction_and_elevation_come_back(self, degrees, elevation, name):
        f = FRAMES[name]
        if f.view == "side" or not f.vertical:
            heading = f.direction(degrees)
            self.assertAlmostEqual(float(f.direction_of(heading)), degrees, delta=1e-9)
        else:
            heading = f.raised(f.direction(degrees), elevation)
            self.assertAlmostEqual(float(f.direction_of(heading)), degrees, delta=1e-9)
            self.assertAlmostEqual(float(f.elevation(heading)), elevation, delta=1e-9)
        self.assertAlmostEqual(float(heading @ heading), 1.0, delta=1e-14)

    def test_speed_is_the_same_over_3600_angles(self):
        for name, f in FRAMES.items():
            lengths = np.linalg.norm(f.direction(np.arange(3600) / 10.0), axis=1)
            self.assertLess(np.abs(lengths - 1.0).max(), 1e-12, name)

    def test_ninety_degrees_is_plus_y_in_every_flat_view(self):
        for name in ("side up", "side down", "top up", "top down"):
            np.testing.assert_array_equal(FRAMES[name].direction(90.0), [0, 1, 0])

    def test_elevation_rises_toward_up_whichever_way_y_grows(self):
        for name, sign in (("side up", 1), ("side down", -1)):
            heading = FRAMES[name].raised(np.array([1.0, 0, 0]), 30.0)
            self.assertAlmostEqual(heading[1], sign * 0.5, delta=1e-15)


class Triads(unittest.TestCase):
    @given(st.floats(-179, 179), st.floats(-80, 80), st.sampled_from(["space z", "space y", "space left", "space -y"]))
    def test_is_orthonormal_and_has_the_stated_hand(self, degrees, elevation, name):
        f = FRAMES[name]
        forward, right, up = f.triad(f.raised(f.direction(degrees), elevation), f.forward)
        axes = np.array([forward, right, up])
        np.testing.assert_allclose(axes @ axes.T, np.eye(3), atol=1e-14)
        self.assertGreater(up @ f.up, 0.0)
        np.testing.assert_allclose(np.cross(forward, up), f.hand * right, atol=1e-14)

    def test_right_is_right_on_the_screen_from_above(self):
        # Facing +x: on a screen whose y grows down, right is down the screen, +y; with y up it is -y.
        for name, expected in (("top down", 1), ("top up", -1)):
            f = FRAMES[name]
            _, right, _ = f.triad(np.array([1.0, 0, 0]), f.forward)
            np.testing.assert_array_equal(right, [0, expected, 0])

    @given(st.floats(-89, 89))
    def test_offsets_mirror_with_the_heading_in_side_view(self, elevation):
        f = FRAMES["side up"]
        for vector in zip(
            f.triad(f.raised(np.array([1.0, 0, 0]), elevation), f.forward),
            f.triad(f.raised(np.array([-1.0, 0, 0]), elevation), f.forward),
            strict=True,
        ):
            np.testing.assert_array_equal(vector[0] * [-1, 1, 1], vector[1])

    @given(st.lists(st.floats(-1e6, 1e6), min_size=3, max_size=3))
    def test_unit_vectors_have_length_one_and_mirror(self, vector):
        u = frame.unit(vector)
        if any(vector):
            self.assertAlmostEqual(float(u @ u), 1.0, delta=1e-14)
        np.testing.assert_array_equal(frame.unit(-np.array(vector)), -u)
