"""Checks of what happens, of what mirrors, and of what is the same."""

import unittest

import nivvo
from nivvo.errors import DrillError

TEXT = """nivvo = 1
[ability.pot]
launch.speed = 9
launch.elevation = {elevation}
on.walls = {{ then = "bounce", restitution = 0.5 }}
on.targets.damage = 10
{more}
[target.wisp]
at = [40, -0.5]
health = 30
[obstacle.deck]
at = [0, -1]
shape.half_space = "up"
group = "walls"
[case.right]
check = [{check}]
[case.left]
set = {{ "shooter.keeper.facing" = "left" }}
"""


def outcome(check, elevation=30, more=""):
    return nivvo.check(nivvo.parse(TEXT.format(check="{ " + check + " }", elevation=elevation, more=more)), "right")[0]


class Happens(unittest.TestCase):
    def test_how_often_when_with_whom(self):
        for check, passes in (
            ('happens = "bounced"', True),
            ('happens = "bounced", body = "deck", at_least = 2', True),
            ('happens = "bounced", times = 1', False),
            ('happens = "bounced", before = 0.2', False),
            ('happens = "damage"', False),
            ('happens = "bounced", of = "pot", at_most = 1000', True),
            ('never = "damage"', True),
            ('never = "bounced"', False),
            ('never = "bounced", before = 0.2', True),
            ('never = "bounced", body = "wisp"', True),
        ):
            found = outcome(check)
            self.assertEqual(found.passed, passes, f"{check}: {found.found}")

    def test_never_shows_nothing_where_nothing_was_fired(self):
        drill = nivvo.parse(TEXT.format(check='{ never = "damage" }', elevation=30, more=""))
        self.assertFalse(nivvo.check(drill.with_settings({"case.right.input": []}), "right")[0].passed)

    def test_what_is_no_event_or_name_is_told(self):
        for check, says in (
            ('happens = "bounces"', "bounced"),
            ('happens = "bounced", body = "wips"', "did you mean wisp"),
            ('never = "damage", of = "pots"', "did you mean pot"),
            ('mirrors = "lefft"', "did you mean left"),
            ('mirrors = "right"', "no case"),
            ('happens = "bounced", times = 1, at_least = 1', "exactly"),
            ('never = "damage", times = 2', "does not go with never"),
        ):
            with self.assertRaises(DrillError, msg=check) as caught:
                outcome(check)
            self.assertIn(says, str(caught.exception), check)


class Versus(unittest.TestCase):
    def test_a_mirrored_case_flies_mirrored_until_something_differs(self):
        self.assertTrue(outcome('mirrors = "left"').passed)
        self.assertTrue(outcome('mirrors = "left", until = "end"').passed)
        wall = '[obstacle.post]\nat = [-4, 1]\nshape.box = [0.5, 9]\ngroup = "walls"\n'
        self.assertTrue(outcome('mirrors = "left"', more=wall).passed)
        bad = outcome('mirrors = "left", until = "end"', more=wall)
        self.assertFalse(bad.passed)
        self.assertLess(bad.margin, 0)
        windy = outcome('mirrors = "left"', more="flight.drag.linear = 1\n[world]\nwind = [2, 0]")
        self.assertFalse(windy.passed)

    def test_numbers_are_the_same_or_not(self):
        self.assertTrue(outcome('same_as = "left", numbers = ["apex", "range", "flight_time"]').passed)
        self.assertFalse(outcome('same_as = "left", numbers = ["launch_direction"]').passed)
        self.assertTrue(outcome('same_as = "left", numbers = ["launch_direction"], within = 180').passed)

    def test_numbers_are_the_same_at_other_tick_rates_or_not(self):
        self.assertTrue(outcome("same_at = [20, 33, 240]").passed)
        # At 30 ticks a second it keeps 0.9 of its speed 30 times a second.
        bad = outcome('same_at = [60, 30], numbers = ["path_length"]', more="flight.drag.per_tick = 0.9")
        self.assertFalse(bad.passed)
        self.assertIn("at 30 ticks/s", bad.found)
        self.assertTrue(outcome('same_at = [30], numbers = ["launch_speed"]', more="flight.drag.per_tick = 0.9").passed)
        for rates, says in (("[]", "at least 1"), ("[0.5]", "at least 1"), ("30", "list")):
            with self.assertRaises(DrillError) as caught:
                outcome(f"same_at = {rates}")
            self.assertIn(says, str(caught.exception))
        with self.assertRaisesRegex(DrillError, "goes by tick.frames"):
            outcome("same_at = [30]", more="[tick]\nframes = [0.02, 0.01]")
