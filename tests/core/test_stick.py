"""The stick: against stepping it in tiny ticks, and at every tick rate alike."""

import unittest

import numpy as np
from hypothesis import example, given
from hypothesis import strategies as st

from nivvo.core.launching.stick import angle_of, tilt, turned

sticks = st.lists(
    st.tuples(st.floats(0.01, 1.0), st.tuples(st.floats(-1, 1), st.floats(-1, 1))), min_size=1, max_size=6
)


def stepped(start, times, rows, now, dead_zone, snap, rate, ticks=20_000):
    """The same by many small steps, as a game does it."""
    angle, h = start, now / ticks
    for k in range(ticks):
        t = (k + 0.5) * h
        held = [row for time, row in zip(times, rows, strict=True) if time <= t]
        wanted = angle_of(held[-1], dead_zone, snap) if held else None
        if wanted is not None:
            way = (wanted - angle + 180.0) % 360.0 - 180.0
            # Exactly opposite: toward greater angles.
            way = 180.0 if way == -180.0 else way
            angle = wanted if abs(way) <= rate * h else angle + np.sign(way) * rate * h
    return angle


class Stick(unittest.TestCase):
    def test_the_dead_zone_is_round_and_snapping_goes_to_the_nearest_way(self):
        for angle in np.arange(0, 360, 1.0):
            x, y = np.cos(np.radians(angle)), np.sin(np.radians(angle))
            self.assertIsNone(angle_of((0.199 * x, 0.199 * y), 0.2, None))
            self.assertIsNotNone(angle_of((0.201 * x, 0.201 * y), 0.2, None))
            for ways in (2, 4, 8, 16):
                snapped = angle_of((x, y), 0.2, ways)
                self.assertAlmostEqual(snapped % (360 / ways), 0.0, delta=1e-12)
                self.assertLessEqual(abs((snapped - angle + 180) % 360 - 180), 180 / ways + 1e-9)

    @example([(1.0, (-1.0, 0.0)), (0.015625, (0.0, 1.0))], 0.0, 30.0, None)
    @given(sticks, st.floats(-180, 180), st.floats(30, 720), st.sampled_from([None, 4, 8]))
    def test_the_turn_agrees_with_many_small_steps(self, rows, start, rate, snap):
        times = list(np.cumsum([gap for gap, _ in rows]))
        values, now = [value for _, value in rows], times[-1] + 0.3
        found = turned(start, times, values, now, 0.3, snap, rate)
        expected = stepped(start, times, values, now, 0.3, snap, rate, 4000)
        apart = abs((found - expected + 180) % 360 - 180)
        # A step off at each row, and either way where it points exactly behind.
        step = rate * now / 4000 * (len(rows) + 1) + 1e-6
        goal = float(np.degrees(np.arctan2(values[-1][1], values[-1][0])))
        about = (start, goal)
        mirrored = min(abs((found + expected - 2 * middle + 180) % 360 - 180) for middle in about)
        self.assertTrue(apart < step or mirrored < step or apart > 1, (found, expected))

    @given(sticks, st.floats(-180, 180), st.floats(30, 720))
    def test_it_never_turns_faster_never_overshoots_and_stands_still_after_release(self, rows, start, rate):
        times = [*np.cumsum([gap for gap, _ in rows]), 0.0]
        times[-1] = times[-2] + 0.2
        values = [*[value for _, value in rows], (0.0, 0.0)]
        ask = np.linspace(0, times[-1] + 0.5, 400)
        angles = np.array([turned(start, times, values, t, 0.3, None, rate) for t in ask])
        steps = np.abs((np.diff(angles) + 180) % 360 - 180)
        self.assertLessEqual(steps.max(), rate * (ask[1] - ask[0]) + 1e-9)
        after = angles[ask >= times[-1]]
        np.testing.assert_allclose(after, after[0], atol=1e-12)

    def test_a_stick_held_long_enough_points_exactly_there(self):
        self.assertEqual(turned(10.0, [0.0], [(0.0, 1.0)], 5.0, 0.2, None, 90.0), 90.0)
        self.assertEqual(turned(10.0, [0.0], [(0.0, 1.0)], 0.5, 0.2, None, 90.0), 55.0)

    def test_a_curve_turns_by_the_tilt_to_its_power(self):
        for dead, curve in ((0.0, 1.0), (0.25, 2.0), (0.4, 0.5)):
            for far in (0.3, 0.55, 0.8, 1.0):
                share = max(far - dead, 0.0) / (1.0 - dead)
                self.assertAlmostEqual(tilt((0.0, far), dead), share, delta=1e-12)
                found = turned(0.0, [0.0], [(0.0, far)], 0.5, dead, None, 90.0, curve)
                self.assertAlmostEqual(found, 45.0 * share**curve, delta=1e-12)
