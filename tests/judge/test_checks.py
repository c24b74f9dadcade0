"""Checks against geometry: what they find, and by how much they pass or fail."""

import unittest

import numpy as np

import nivvo
from nivvo.errors import CallError, DrillError
from nivvo.judge.checks import VERB, VERSUS
from nivvo.judge.closeness import closest
from nivvo.judge.measures import MEASURE
from nivvo.judge.remedy import remedies
from nivvo.spec.scenes.case import MEASURES, VERBS
from tests.play.drills import drill

STRAIGHT = """nivvo = 1
[world]
gravity = 0
[ability.rivet]
launch.speed = 10
limits.life = 2
[target.wisp]
at = [8, {y}]
shape.ball = 0.5
[obstacle.post]
at = [12, 1.5]
shape.box = [1, 1]
[case.tap]
check = [{check}]
"""


def outcome(check, y=0.0):
    return nivvo.check(nivvo.parse(STRAIGHT.format(check=check, y=y)))[0]


class Verbs(unittest.TestCase):
    def test_each_verb_and_measure_has_its_judge(self):
        self.assertEqual(set(VERB) | set(VERSUS), set(VERBS))
        self.assertEqual(set(MEASURE), set(MEASURES))

    def test_hits_tells_when_and_how_near_a_miss_was(self):
        good = outcome('{ hits = "wisp", before = 2 }')
        # From 0.61 to 8 - 0.5 - 0.1, at 10 a second.
        self.assertTrue(good.passed)
        self.assertAlmostEqual(good.margin, 2 - (7.4 - 0.61) / 10, delta=1e-9)
        late = outcome('{ hits = "wisp", before = 0.5 }')
        self.assertFalse(late.passed)
        self.assertAlmostEqual(late.margin, 0.5 - 0.679, delta=1e-9)
        miss = outcome('{ hits = "wisp" }', y=-3)
        self.assertFalse(miss.passed)
        self.assertAlmostEqual(miss.margin, -(3 - 0.6), delta=1e-9)
        self.assertIn("above it", miss.nearest)
        self.assertIn("its life was over", miss.nearest)
        self.assertIn("below", outcome('{ hits = "wisp" }', y=3).nearest)

    def test_what_slipped_through_between_two_ticks_is_no_miss_by_nothing(self):
        for touch, passes in (("swept", True), ("at ticks", False)):
            made = drill(
                "[target.pane]\nat = [10, 1]\nshape.box = [0.05, 4]\n",
                tick=f'contacts = "{touch}"',
                ability="flight.gravity_share = 0",
                case='check = [{ hits = "pane" }]',
            ).with_settings({"ability.flare.launch": {"speed": 100, "elevation": 0}})
            (found,) = nivvo.check(made)
            self.assertEqual(found.passed, passes)
            self.assertEqual("slipped through between two ticks" in found.found, not passes)
            self.assertEqual(np.isnan(found.margin), True)

    def test_how_often_is_told_in_words_that_fit(self):
        for check, says in (
            ('happens = "contact", times = 2', "once, first at"),
            ('happens = "contact", times = 2', "not 2 times"),
            ('happens = "contact", at_most = 0', "not at most 0 times"),
            ('happens = "burst", at_least = 2', "it never happened, not at least 2 times"),
            ('happens = "burst"', "it never happened"),
        ):
            (found,) = nivvo.check(drill(case=f"check = [{{ {check} }}]"))
            self.assertFalse(found.passed)
            self.assertIn(says, found.found)

    def test_misses_fails_on_a_touch(self):
        self.assertFalse(outcome('{ misses = "wisp" }').passed)
        self.assertFalse(outcome('{ misses = "anything" }').passed)
        good = outcome('{ misses = "wisp" }', y=3)
        self.assertTrue(good.passed)
        self.assertAlmostEqual(good.margin, 2.4, delta=1e-9)

    def test_clears_needs_to_get_past(self):
        past = outcome('{ clears = "post", margin = 0.8 }', y=5)
        self.assertTrue(past.passed)
        self.assertAlmostEqual(past.margin, 1.0 - 0.1 - 0.8, delta=1e-9)
        self.assertIn("below", past.found)
        self.assertFalse(outcome('{ clears = "post", margin = 0.95 }', y=5).passed)
        stopped = outcome('{ clears = "post" }', y=0)
        self.assertFalse(stopped.passed)
        self.assertIn("never got past", stopped.found)

    def test_lands_is_measured_from_the_point_of_touch(self):
        self.assertAlmostEqual(outcome("{ lands = [7.5, 0.3], within = 0.5 }").margin, 0.2, delta=1e-9)
        self.assertFalse(outcome("{ lands = [7.5, 0.6], within = 0.5 }").passed)
        never = outcome("{ lands = [7.5, 0], within = 0.5 }", y=9)
        self.assertIn("never landed", never.found)

    def test_measure_takes_bounds_and_tolerances(self):
        self.assertTrue(outcome('{ measure = "launch_speed", equals = 10 }').passed)
        self.assertFalse(outcome('{ measure = "launch_speed", equals = 10.1 }').passed)
        self.assertTrue(outcome('{ measure = "launch_speed", equals = 10.1, within = 0.2 }').passed)
        found = outcome('{ measure = "flight_time", at_least = 0.5, at_most = 0.6 }')
        self.assertFalse(found.passed)
        self.assertAlmostEqual(found.margin, 0.6 - 0.679, delta=1e-9)
        self.assertIn("nothing was touched", outcome('{ measure = "impact_speed", at_least = 0 }', y=9).found)

    def test_of_takes_an_ability_a_shot_or_a_projectile_of_it(self):
        text = """nivvo = 1
[ability.pot]
launch = { speed = { by = "shot", start = 10, step = 10 }, count = 2, fan = 40 }
flight.gravity_share = 0
limits.life = 2
on.targets.damage = 30
[target.wisp]
at = [6, 0]
health = 50
[case.tap]
input = [{ t = 0, tap = "fire" }, { t = 0.5, tap = "fire" }]
check = [{ CHECK }]
"""
        for check, good, words in (
            ('measure = "launch_speed", equals = 10', True, "pot-1.1, the first of 4"),
            ('measure = "launch_speed", of = "pot-2", equals = 20', True, "pot-2.1, the first of 2"),
            ('measure = "launch_speed", of = "pot-2.2", equals = 20', True, "20 m/s"),
            (
                'measure = "launch_speed", of = "pot-3", equals = 20',
                False,
                "there is no pot-3 in tap; fired: pot-1, pot-2",
            ),
            ('misses = "wisp", of = "pot-9"', False, "there is no pot-9"),
            ('misses = "wisp", of = "pot-2.1"', True, "never touched"),
            ('happens = "ended", of = "pot-1.2", times = 1', True, "once"),
            ('measure = "hits", of = "pot", equals = 0', True, "0"),
            ('measure = "accuracy", equals = 0', True, "0"),
            ('measure = "projectiles", of = "pot-1", equals = 2', True, "2"),
        ):
            (found,) = nivvo.check(nivvo.parse(text.replace("CHECK", check)))
            self.assertEqual(found.passed, good, (check, found))
            self.assertIn(words, found.found)
        run = nivvo.fire(nivvo.parse(text.replace("CHECK", 'misses = "wisp"').replace("fan = 40", "fan = 0.02")))
        # Each of four takes 30 of 50: one kill, the first two overkill 10 of it; the others fly on.
        for name, value in (("hits", 2), ("kills", 1), ("overkill", 10), ("accuracy", 0.5), ("score", 0)):
            self.assertEqual(nivvo.measure(run, name, "pot")[0], value, name)
        self.assertAlmostEqual(nivvo.measure(run, "time_to_kill", "wisp")[0], 0, delta=1e-3)
        self.assertAlmostEqual(nivvo.measure(run, "damage_a_second")[0], 50 / 2.5, delta=1e-9)
        for of in ("pot-9", "pots", "wisp"):
            with self.assertRaises(CallError):
                nivvo.measure(run, "launch_speed", of)
        with self.assertRaises(DrillError) as caught:
            nivvo.parse(text.replace("CHECK", 'measure = "apex", of = "pots-1", equals = 0'))
        self.assertIn("did you mean pot?", str(caught.exception))

    def test_nothing_fired_passes_no_check(self):
        for check in ('{ hits = "wisp" }', '{ misses = "wisp" }', '{ clears = "post" }', "{ lands = [1, 1] }"):
            text = STRAIGHT.format(check=check, y=0) + "input = [{ t = 0, cursor = [1, 1] }]\n"
            self.assertFalse(nivvo.check(nivvo.parse(text))[0].passed, check)


class Closest(unittest.TestCase):
    def test_only_while_it_is_there(self):
        """What comes, what goes, what is out by another shot: against the gaps at many times at which it was there."""
        rng = np.random.default_rng(3)
        for _ in range(12):
            comes, stays = round(rng.uniform(0, 1.2), 3), round(rng.uniform(0.05, 1.0), 3)
            text = STRAIGHT.format(check='{ clears = "wisp", margin = 0.1 }', y=0.3)
            text = text.replace("shape.ball = 0.5", f"shape.ball = 0.5\narrives = {comes}\nleaves = {comes + stays}", 1)
            run = nivvo.fire(nivvo.parse(text + "set = { 'ability.rivet.on.anything.then' = 'pass' }\n"))
            seen = {row["what"]: row["time"] for row in run.rows("events") if row["body"] == "wisp"}
            times = np.linspace(seen.get("arrived", 0.0), min(seen["went away"], 2.0), 20_001)
            gaps = np.hypot(*(run.flight("rivet-1").line(times)[:, :2] - [8, 0.3]).T) - 0.6
            self.assertAlmostEqual(nivvo.measure(run, "nearest", "wisp")[0], gaps.min(), delta=1e-3)
        text = STRAIGHT.format(check='{ hits = "wisp" }, { misses = "wisp", of = "rivet-2" }', y=0.0)
        text = (
            text.replace("shape.ball = 0.5", "shape.ball = 0.5\nhealth = 1", 1) + "input = [{ t = 0, tap = 'fire' }, "
        )
        text += "{ t = 1, tap = 'fire' }]\nset = { 'ability.rivet.on.wisps' = { damage = 5, then = 'pass' } }\n"
        drill = nivvo.parse(text.replace("health = 1", "health = 1\ngroup = 'wisps'"))
        run, (hit, missed) = nivvo.fire(drill), nivvo.check(drill)
        self.assertTrue(hit.passed)
        self.assertEqual((missed.passed, missed.found.split(",")[0]), (False, "nothing flew while it was there"))
        self.assertIsNone(closest(run, "wisp", "rivet-2"))
        self.assertAlmostEqual(nivvo.measure(run, "nearest", "wisp")[0], 0.0)


class Remedies(unittest.TestCase):
    def test_what_it_says_would_pass_does_pass(self):
        made = drill(case='check = [{ hits = "wisp" }]').with_settings({"target.wisp.at": [27, 2]})
        self.assertFalse(nivvo.check(made)[0].passed)
        found = remedies(made, "tap", 0, nivvo.fire(made, "tap"))
        self.assertEqual(len(found), 2, found)
        for remedy in found:
            key, _, rest = remedy.partition(" = ")
            changed = made.with_settings({key: float(rest.split()[0])})
            self.assertTrue(nivvo.check(changed)[0].passed, remedy)

    def test_it_is_silent_where_nothing_near_helps(self):
        made = drill(case='check = [{ hits = "wisp" }]').with_settings({"target.wisp.at": [27, 2000]})
        self.assertEqual(remedies(made, "tap", 0, nivvo.fire(made, "tap")), [])
