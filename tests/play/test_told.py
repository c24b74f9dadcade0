"""What a run tells is what the engine decided: ends, answers, speeds; and no wording is part of a digest."""

import unittest
from unittest import mock

import numpy as np

import nivvo
from nivvo.core import pool
from nivvo.core.numbers.clock import UNITS
from nivvo.plan.case import scene_of
from nivvo.play.aims.aiming import Asked
from nivvo.play.outcome.happened import position
from nivvo.play.session.session import Session
from nivvo.record import vocabulary
from nivvo.show.log import SAYS, told
from nivvo.show.words import rates, summed_up
from nivvo.spec.scenes.case import HAPPEN

GATE = """
nivvo = 1
[tick]
rate = 60
motion = "{step}"
contacts = "{touch}"
[shooter.keeper]
at = [0, 1]
[shooter.rival]
at = [6, 1]
walk.speed = 4
walk.jump = 3
health = 100
[obstacle.ground]
at = [0, 0.5]
shape.half_space = "up"
[obstacle.net]
shape.wall = [[3, -5], [3.4, 9]]
group = "nets"
[ability.rivet]
shooter = "keeper"
launch.speed = 17
launch.elevation = 12
limits.life = 4
on.nets.then = "pass"
[case.tap]
input = [{{ t = 0, tap = "jump", shooter = "rival" }}, {{ t = 0.1, tap = "fire", shooter = "keeper" }}]
"""


def run_of(step="exact", touch="swept"):
    return nivvo.fire(nivvo.parse(GATE.format(step=step, touch=touch)))


CLUSTER = """
nivvo = 1
[obstacle.quay]
shape.half_space = "up"
at = [0, -0.5]
[ability.shell]
launch = { speed = 16, elevation = 65 }
when.apex = { then = "end", sends = { ability = "bomblet", gap = 0.3, speed = "kept" } }
[ability.bomblet]
firing.button = "never"
launch = { speed = 6, count = 5, fan = 60 }
[ability.ray]
firing.button = "ray"
launch.speed = 1
flight.instant = true
limits.reach = 30
aim = { by = "fixed", direction = -50 }
on.anything = { then = "bounce", restitution = 1, bounces = 3 }
[case.tap]
input = [{ t = 0, tap = "fire" }]
[case.shine]
input = [{ t = 0, tap = "ray" }]
"""


class Sentences(unittest.TestCase):
    def test_there_is_one_for_all_that_can_happen(self):
        self.assertEqual(set(SAYS), set(HAPPEN))

    def test_the_summary_tells_how_all_that_came_of_a_shot_ended(self):
        (line,) = summed_up(nivvo.fire(nivvo.parse(CLUSTER), "tap"))[:1]
        self.assertIn("6 projectiles, 0 hits; touched quay (5), it ceased to rise (1)", line)

    def test_what_has_no_travel_time_is_told_without_speeds_and_seconds(self):
        lines = told(nivvo.fire(nivvo.parse(CLUSTER), "shine"))
        self.assertTrue(any("bounced off quay, goes on" in line for line in lines))
        for line in lines:
            self.assertNotIn("m/s", line)
            self.assertNotIn("flew", line)


class Decided(unittest.TestCase):
    def test_a_contact_says_what_was_decided_also_where_the_session_overrides_the_drill(self):
        run = run_of()
        self.assertEqual([row["then"] for row in run.rows("contacts") if row["body"] == "net"], ["pass"])
        shot = run.fired[0]
        session = Session(scene_of(nivvo.parse(GATE.format(step="exact", touch="swept")), "tap"), [], touches="end")
        session.fire(Asked(shot.time, "rivet", "keeper", 0, shot.time, 0, shot.use))
        session.finish()
        contact, *_, end = session.arena.take_events()
        self.assertEqual((int(contact["kind"]), int(contact["code"])), (pool.CONTACT, pool.END))
        self.assertEqual((int(end["kind"]), int(end["code"])), (pool.ENDED, pool.BY_CONTACT))

    def test_speed_is_relative_to_how_the_engine_moved_the_body(self):
        for step, touch in (("explicit", "swept"), ("semi-implicit", "swept"), ("verlet", "at ticks")):
            with self.subTest(step=step, touch=touch):
                run = run_of(step, touch)
                hit = next(row for row in run.rows("contacts") if row["body"] == "rival")
                number, tick = run.scene.number["rival"], hit["tick"]
                start, end = run.scene.ticks.edge(tick), run.scene.ticks.edge(tick + 1)
                motion = run.stage.motions[number]
                # In a game's own step it goes straight from the tick's start to its end.
                u = (motion.at(end)[0] - motion.at(start)[0]) / ((end - start) / UNITS)
                self.assertGreater(np.linalg.norm(u), 0.5)
                event = next(
                    e for e in run.record.events if e["kind"] in (pool.CONTACT, pool.OVERLAP) and e["body"] == number
                )
                self.assertAlmostEqual(hit["speed"], float(np.linalg.norm(event["v"] - u)), delta=1e-9)

    def test_how_it_ended_is_a_word_of_the_vocabulary(self):
        self.assertEqual(run_of().rows("projectiles")[0]["ended_by"], "contact")
        far = nivvo.parse("nivvo = 1\n[ability.a]\nlaunch.speed = 5\nflight.gravity_share = 0\nlimits.life = 0.5\n")
        self.assertEqual(nivvo.fire(far).rows("projectiles")[0]["ended_by"], "life")
        words = [ending.word for ending in vocabulary.ENDINGS.values()]
        self.assertEqual(len(set(words)), len(words))

    def test_a_place_is_told_without_rounding(self):
        for place, says in (
            ([3.972, -2.8e-17], "[3.972, 0]"),
            ([1e6, 1e-7], "[1e+06, 0]"),
            ([1e-9, 2e-9], "[1e-09, 2e-09]"),
        ):
            self.assertEqual(position(np.array(place), 2), says)

    def test_rewording_changes_no_digest(self):
        before = run_of().digest
        other = {code: ending._replace(sentence="otherwise") for code, ending in vocabulary.ENDINGS.items()}
        with mock.patch.dict(vocabulary.ENDINGS, other):
            run = run_of()
            self.assertEqual(run.rows("projectiles")[0]["reason"], "otherwise")
            self.assertEqual(run.digest, before)


class Said(unittest.TestCase):
    """What the log and a check add where a number alone would mislead."""

    TEXT = """nivvo = 1
        {world}
        tick.input = "at ticks"
        tick.timer = "{timer}"
        [ability.stream]
        firing = {{ kind = "auto", rate = {rate} }}
        launch = {{ speed = 20, {spread} }}
        limits.life = 0.2
        [ability.up]
        firing.button = "up"
        launch = {{ speed = 10, elevation = 90 }}
        [case.c]
        input = [{{ t = 0, hold = "fire", held = 2 }}]
        [case.v]
        ability = "up"
        check = [{{ measure = "range", at_least = 3 }}]
        """

    def drill(self, rate=20, timer="counting down", spread="elevation = 0", world=""):
        return nivvo.parse(self.TEXT.format(rate=rate, timer=timer, spread=spread, world=world))

    def test_why_a_rate_falls_short_and_which_the_tick_delivers(self):
        for rate, timer, says in (
            (25, "counting down", "is 2.4 ticks, and each shot waits for a whole one; 60 ticks/s deliver 30 or 20"),
            (20, "re-armed", "is 3 ticks, but the time that the timer adds up falls short"),
            (100, "re-armed", "is 0.6 ticks; one shot a tick is 60 a second"),
        ):
            self.assertIn(says, rates(nivvo.fire(self.drill(rate, timer)))[0])
        self.assertTrue(
            rates(nivvo.fire(self.drill(25, "accumulating")))[0].endswith("(accumulating timer at 60 ticks/s)")
        )

    def test_where_each_of_a_random_spread_flies(self):
        for world, size in (("", 2), ("world.view = 'space'", 3)):
            run = nivvo.fire(self.drill(spread="count = 3, cone = 20", world=world))
            for row in run.rows("births"):
                v = np.array([row[f"v{axis}"] for axis in "xyz"[:size]])
                self.assertAlmostEqual(row["direction"], np.degrees(np.arctan2(v[1], v[0])), delta=1e-9)
                self.assertAlmostEqual(row["elevation"], np.degrees(np.arcsin(v[-1] / 20)), delta=1e-9)
            ways = [f"{row['direction']:.4g}°" for row in run.rows("births")[:3]]
            self.assertTrue(all(way in told(run)[0] for way in ways), told(run)[0])

    def test_a_range_of_nothing_points_to_the_path(self):
        outcome = nivvo.check(self.drill(), "v")[0]
        self.assertFalse(outcome.passed)
        self.assertIn("on the level it ended where it began; its path_length is 10.2", outcome.found)


if __name__ == "__main__":
    unittest.main()
