"""Plans that drills share, and what a session leaves behind."""

import copy
import json
import pickle
import unittest
from pathlib import Path

import numpy as np

import nivvo
from nivvo.core.numbers.clock import from_seconds
from nivvo.plan.case import case_of
from nivvo.record.record import Record
from tests.deep import DEEP

PIER = """nivvo = 1
world.seed = 3
[ability.flare]
launch.speed = 18
launch.elevation = 40
launch.scatter = 3
on.targets = { then = "pass", damage = { by = "age", start = 10, end = 4, over = 2 } }
[ability.rivet]
firing = { kind = "auto", rate = 12, button = "stream" }
launch.speed = 30
flight.drag.square = 0.01
limits.life = 0.8
[target.wisp]
at = [12, 4]
health = 20
[target.drifter]
move = { through = [[20, 1], [24, 6]], speed = 3, at_end = "back" }
[obstacle.sill]
shape.wall = [[30, -2], [31, 9]]
[obstacle.deck]
shape.half_space = "up"
[case.both]
input = [{ t = 0.013, tap = "fire" }, { t = 0.2, hold = "stream", held = 0.5 }]
[case.lit]
set."ability.flare.launch.elevation" = 55
"""
KEYS = {
    "ability.flare.launch.speed": (8.0, 30.0),
    "ability.flare.launch.elevation": (5.0, 80.0),
    "ability.flare.radius": (0.05, 0.4),
    "ability.flare.on.targets.damage.start": (1.0, 50.0),
    "ability.rivet.firing.rate": (2.0, 40.0),
    "ability.rivet.flight.drag.square": (0.0, 0.1),
    "ability.rivet.limits.life": (0.1, 2.0),
    "target.wisp.health": (1.0, 40.0),
    "target.drifter.move.speed": (0.5, 9.0),
    "obstacle.sill.shape.thick": (0.0, 0.6),
    "world.gravity": (0.0, 30.0),
    "tick.rate": (20.0, 144.0),
    "ability.flare.on.targets.then": ["pass", "end", "ignore"],
}


class Told(unittest.TestCase):
    def test_a_default_that_is_told_and_then_written_changes_nothing(self):
        rng, seen = np.random.default_rng(4), 0
        for name in ("jetty", "deck", "quay", "wharf"):
            drill = nivvo.load(Path(nivvo.__file__).parent / "demo" / f"{name}.toml")
            record = nivvo.fire(drill).record.to_json()
            told = [row for row in nivvo.explain(drill, drill.cases[0]) if row.origin == "default"]
            for k in rng.permutation(len(told))[: None if DEEP else 60].tolist():
                try:
                    # One after another of the same drill: of each the next knows what has not changed.
                    other = drill.with_settings({told[k].key: json.loads(told[k].value)})
                except (json.JSONDecodeError, nivvo.DrillError):
                    # What nothing stands for, and what goes with something else alone.
                    continue
                self.assertEqual(nivvo.fire(other).record.to_json(), record, told[k])
                seen += 1
        self.assertGreater(seen, 80)


class Shared(unittest.TestCase):
    def test_a_number_that_is_changed_runs_as_if_it_had_been_written_so(self):
        rng, made, laid = np.random.default_rng(11), nivvo.parse(PIER), {}
        for _ in range(50):
            key = rng.choice(list(KEYS))
            one = KEYS[key]
            laid[str(key)] = one[rng.integers(3)] if isinstance(one, list) else float(rng.uniform(*one))
            made = made.with_settings({str(key): laid[str(key)]})
            case = str(rng.choice(made.cases))
            # The same settings over the same text, with nothing to share a plan with.
            self.assertEqual(
                nivvo.fire(made, case).digest, nivvo.fire(nivvo.parse(PIER).with_settings(laid), case).digest
            )

    def test_a_drill_that_is_sent_elsewhere_takes_along_nothing_of_what_was_tried_with_it(self):
        made, sizes = nivvo.parse(PIER), []
        for number in range(60):
            if number in (1, 59):
                sizes.append(len(pickle.dumps(made)))
            speed = {"ability.flare.launch.speed": 12.0 + number}
            digest = nivvo.fire(made.with_settings(speed)).digest
            for sent in (pickle.loads(pickle.dumps(made)), copy.deepcopy(made)) if number % 20 == 5 else ():
                self.assertEqual(nivvo.fire(sent.with_settings(speed)).digest, digest)
                with self.assertRaisesRegex(nivvo.DrillError, "no such muzzle"):
                    sent.with_settings({"ability.flare.muzzle": "mast"})
        self.assertLess(sizes[1], 1.01 * sizes[0])

    def test_it_makes_only_what_it_touches_anew(self):
        made = nivvo.parse(PIER)
        before, after = case_of(made).scene, case_of(made.with_settings({"ability.flare.launch.speed": 21.0})).scene
        self.assertIs(after.bodies, before.bodies)
        self.assertIs(after.ticks, before.ticks)
        self.assertIs(after.abilities["rivet"], before.abilities["rivet"])
        self.assertEqual(after.abilities["flare"].launch.speed, 21.0)
        self.assertEqual(before.abilities["flare"].launch.speed, 18.0)
        self.assertIs(after.abilities["flare"].answers, before.abilities["flare"].answers)
        for life, seconds in (("30 ticks", 0.5), ("90 ticks", 1.5), (0.5, 0.5), ("90 ticks", 1.5)):
            short = case_of(made.with_settings({"ability.flare.limits.life": life})).scene
            self.assertEqual(short.abilities["flare"].limits.life, from_seconds(seconds))
        other = case_of(made.with_settings({"target.wisp.health": 5.0})).scene
        self.assertEqual([float(x) for x in other.bodies["health"] if np.isfinite(x)], [5.0])
        self.assertEqual([float(x) for x in before.bodies["health"] if np.isfinite(x)], [20.0])


class Left(unittest.TestCase):
    def setUp(self):
        self.run_ = nivvo.fire(nivvo.parse(PIER), "both")

    def test_a_record_is_the_same_to_the_bit_after_it_was_text(self):
        record = self.run_.record
        text = record.to_json()
        json.loads(text, parse_constant=self.fail)
        again = Record.of_json(text)
        for name in ("births", "events", "samples", "params"):
            self.assertEqual(getattr(again, name).tobytes(), getattr(record, name).tobytes(), name)
        for key in record.places:
            self.assertEqual(again.path(key).p.tobytes(), record.path(key).p.tobytes())
        for wrong in ("{}", "[]", '{"exact": true, "births": 3}'):
            with self.assertRaises(ValueError):
                Record.of_json(wrong)

    def test_a_run_can_be_sent_to_another_process(self):
        sent = pickle.loads(pickle.dumps(self.run_))
        self.assertEqual(sent.digest, self.run_.digest)
        self.assertEqual(nivvo.measure(sent, "nearest", "wisp"), nivvo.measure(self.run_, "nearest", "wisp"))

    def test_every_projectile_has_a_birth_that_its_path_begins_with(self):
        births = {row["projectile"]: row for row in self.run_.rows("births")}
        self.assertEqual(set(births), set(self.run_.ids.values()))
        for name, birth in births.items():
            path = self.run_.flight(name)
            self.assertEqual((birth["time"], birth["x"], birth["y"]), (path.t[0], path.p[0][0], path.p[0][1]))
            self.assertEqual((birth["why"], birth["parent"]), ("shot", ""))

    def test_measures_are_the_numbers_of_the_tables(self):
        first = {row["ability"]: row for row in reversed(self.run_.rows("projectiles"))}
        for ability, row in first.items():
            for name in ("range", "apex", "path_length", "flight_time"):
                self.assertEqual(nivvo.measure(self.run_, name, ability)[0], row[name])
