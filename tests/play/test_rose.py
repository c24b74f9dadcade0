"""Roses: shots at all aims around mirror, turn and tell where they start inside or are held."""

import unittest

import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

import nivvo

TOP = """nivvo = 1
world.view = "top"
[shooter.keeper]
at = [3, -2]
shape.ball = 0.5
muzzle.hand.forward = 0.8
muzzle.hand.right = {right}
[ability.bolt]
aim.by = "{by}"
launch.speed = 9
shape.ball = 0.1
{keys}
[case.tap]
input = [{{ t = 0, {control}, tap = "fire" }}]
"""


def top(by="stick", right=0.0, keys=""):
    control = {"stick": "stick = [1, 0]", "cursor": "cursor = [9, 9]"}.get(by, "")
    text = TOP.format(by=by, right=right, keys=keys, control=control).replace(", , ", ", ")
    return nivvo.parse(text)


class Roses(unittest.TestCase):
    def test_it_tells_the_launch_before_what_it_inherits(self):
        stands = nivvo.rose(top(keys="inherit_velocity = 1"))
        tables = top(keys="inherit_velocity = 1").document.tables
        tables["shooter"]["keeper"]["move"] = {"velocity": [3.0, 1.0]}
        moves = nivvo.rose(nivvo.from_tables(tables))
        for one, other in zip(stands.as_rows(), moves.as_rows(), strict=True):
            self.assertAlmostEqual((one["direction"] - other["direction"] + 180) % 360, 180.0, delta=1e-9)
            self.assertAlmostEqual(one["speed"], other["speed"], delta=1e-9)

    def test_what_is_turned_turns_all_alike(self):
        for by in ("stick", "cursor", "facing"):
            found = nivvo.rose(top(by, right=0.2), count=36)
            self.assertEqual(found.turned, by)
            np.testing.assert_allclose(found.speeds, 9.0, rtol=1e-12)
            np.testing.assert_allclose(found.clearances, found.clearances[0], atol=1e-9)
            for angle, shot in zip(found.angles, found.shots, strict=True):
                s, c = np.sin(np.radians(angle)), np.cos(np.radians(angle))
                if by != "cursor":
                    # y grows down the screen: right of +x is +y.
                    expected = np.array([3, -2]) + 0.8 * np.array([c, s]) + 0.2 * np.array([-s, c])
                    np.testing.assert_allclose(shot.at[:2], expected, atol=1e-9)
                    np.testing.assert_allclose(shot.heading[:2], [c, s], atol=1e-9)

    def test_limits_and_overlaps_show(self):
        found = nivvo.rose(top(keys="aim.direction_within = [-60, 60]"), count=24)
        held = [shot.remains for shot in found.shots]
        for angle, left in zip(found.angles, held, strict=True):
            off = (angle + 180) % 360 - 180
            self.assertAlmostEqual(left, max(abs(off) - 60, 0.0), delta=1e-6)
        inside = nivvo.rose(top().with_settings({"shooter.keeper.muzzle.hand.forward": 0.4}))
        self.assertLess(inside.clearances.max(), 0.0)

    def test_the_pictures_hold_what_they_should(self):
        figure = Figure(figsize=(8, 5))
        FigureCanvasAgg(figure)
        ax = nivvo.draw_rose(nivvo.rose(top(keys="aim.direction_within = [-60, 60]")), figure.subplots())
        words = [text.get_text() for text in ax.get_legend().get_texts()]
        self.assertIn("held by its limits", words)
        self.assertTrue(ax.yaxis_inverted())
        figure = Figure(figsize=(8, 5))
        inside = top().with_settings({"shooter.keeper.muzzle.hand.forward": 0.55})
        found = nivvo.draw_clearance(inside, figure.subplots())
        self.assertAlmostEqual(found.least, 0.55 - 0.6, delta=1e-9)
        words = [text.get_text() for text in figure.axes[0].get_legend().get_texts()]
        self.assertIn("projectile, overlapping", words)
        with self.assertRaisesRegex(nivvo.CallError, "on 1 axes"):
            nivvo.draw_clearance(inside, Figure().subplots(2))
        with self.assertRaisesRegex(nivvo.CallError, "from 2 to 3600"):
            nivvo.rose(inside, count=1)
