"""The keys that are told are those that can be written; a line to copy is one that can be read."""

import importlib.util
import re
import tomllib
import unittest
from pathlib import Path

import nivvo
from nivvo.errors import CallError, DrillError
from tests.cli.calls import call

ROOT = Path(__file__).parents[2]


class Keys(unittest.TestCase):
    def test_every_line_to_copy_is_toml_and_names_its_own_key(self):
        told = nivvo.keys()
        for one in told:
            if one.example:
                node = tomllib.loads(one.example)
                for part in one.key.split("."):
                    inside = node[0] if isinstance(node, list) else next(iter(node.values()))
                    node = node[part] if part != "NAME" else inside
                self.assertNotIsInstance(node, dict, one.key)

    def test_every_line_to_copy_may_be_written(self):
        wrong = ("unknown key", "wrong type", "unknown choice", "out of range", "wrong number of values")
        for one in nivvo.keys(""):
            try:
                nivvo.from_tables({"nivvo": 1} | tomllib.loads(one.example or "nivvo = 1"))
            except DrillError as error:
                said = [problem for problem in error.problems if problem.message in wrong]
                self.assertFalse(said, (one.example, said))

    def test_each_has_a_meaning_where_it_is_told_what_it_takes(self):
        told = nivvo.keys()
        self.assertGreater(len(told), 250)
        self.assertFalse([one.key for one in told if not one.takes])
        self.assertFalse([one.key for one in told if not one.means])

    def test_names_may_be_any_or_left_out(self):
        whole = nivvo.keys("ability.NAME.flight.homing")
        for word in ("flight.homing", "ability.tern.flight.homing", "ability.flight.homing"):
            self.assertEqual(nivvo.keys(word), whole)
        self.assertEqual({one.key.split(".")[2] for one in nivvo.keys("launch")}, {"launch"})

    def test_a_word_is_found_wherever_it_stands_the_least_deep_first(self):
        known = nivvo.keys()
        for word in ("friction", "radius", "damage", "at"):
            told = [one.key for one in nivvo.keys(word)]
            self.assertEqual(set(told), {one.key for one in known if one.key.split(".")[-1] == word})
            self.assertEqual(told, sorted(told, key=lambda key: key.count(".")))
            self.assertGreater(len(told), 1)

    def test_each_word_that_can_be_written_leads_to_where_it_is_written(self):
        made = nivvo.schema()

        def words(node):
            for key, value in node.items() if isinstance(node, dict) else enumerate(node):
                if key == "enum":
                    yield from ((word, "it is a choice: ") for word in value if isinstance(word, str))
                elif key == "properties":
                    yield from ((word, word) for word in value)
                if isinstance(value, dict | list):
                    yield from words(value)

        for word, said in set(words(made)):
            with self.subTest(word):
                try:
                    self.assertTrue(any(word in one.key.split(".") for one in nivvo.keys(word)))
                except CallError as error:
                    self.assertIn(said if said != word else "it is a choice: ", str(error))

    def test_a_misspelt_key_of_a_number_that_depends_leads_to_it(self):
        for word, meant in (
            ("deviaton", "launch.speed.deviation"),
            ("capp", "launch.speed.cap"),
            ("frictio", "friction"),
        ):
            with self.assertRaisesRegex(CallError, f"did you mean .*{meant}"):
                nivvo.keys(word)
        # What is a key of one and a choice of another is told as both.
        self.assertEqual([one.key for one in nivvo.keys("end")], ["ability.NAME.launch.speed.end"])
        self.assertIn('also a choice: ability.NAME.flight.homing.when_lost = "end"', call("keys", "end")[1])

    def test_a_shell_tells_once_what_stands_in_several_tables(self):
        told = nivvo.keys("falloff")
        lines = call("keys", "falloff")[1]
        self.assertEqual(lines.count("toward the radius"), 1)
        words = " ".join(lines.split()).partition("likewise ")[2].split(", ")
        first = told[0].key.partition("on.NAME")
        self.assertEqual([told[0].key, *(first[0] + word + first[2] for word in words)], [one.key for one in told])

    def test_with_a_choice_only_what_goes_with_it(self):
        stick = {one.key.rpartition(".")[2] for one in nivvo.keys('aim.by = "stick"')}
        self.assertTrue({"dead_zone", "snap"} <= stick)
        self.assertFalse({"camera", "cone_of_sight", "nearest_by"} & stick)
        with self.assertRaises(CallError):
            nivvo.keys("aim.by=joystick")

    def test_what_is_not_there_is_told_where_it_is_or_that_it_is_not(self):
        for word, says in (
            ("ricochet", 'then = "bounce"'),
            ("missile", "flight.homing"),
            ("explode", "blast"),
            ("teleport", "blink"),
            ("knockback", "on.GROUP.knock"),
            ("navmesh", "does not do that"),
            ("lunch", "launch"),
            ("ttl", "limits.life"),
            ("fireRate", "firing.rate"),
            ("damage over time", "on.GROUP.lasting"),
        ):
            with self.assertRaises(CallError) as caught:
                nivvo.keys(word)
            self.assertIn(says, str(caught.exception))
        with self.assertRaises(DrillError) as caught:
            nivvo.parse("nivvo = 1\n[ability.flare]\nlaunch.speed = 9\nricochet = 3\n[case.tap]\n")
        self.assertIn('then = "bounce"', str(caught.exception))

    def test_a_table_in_a_case_and_more_ways_than_a_view_has_are_told_with_the_line_that_does_it(self):
        text = "nivvo = 1\n[ability.flare]\nlaunch.speed = 9\n{}\n[case.tap]\n{}\n"
        for above, below, says in (
            ("", "[case.tap.tick]\nrate = 30", 'set = { "tick.rate" = 30 }'),
            ("", "ability.flare.launch.speed = 3", 'set = { "ability.flare.launch.speed" = 3 }'),
            ("[shooter.keeper]\nfacing_follows = 'cursor'\nfacing_count = 4", "", 'world.view = "top"'),
            ("launch.count = 3\nlaunch.ring = 360\n[world]\nview = 'space'", "", "180 spreads them all around"),
        ):
            with self.assertRaises(DrillError) as caught:
                nivvo.parse(text.format(above, below))
            self.assertIn(says, str(caught.exception))

    def test_the_places_that_are_told_are_there(self):
        from nivvo.spec.words.elsewhere import ELSEWHERE

        told = nivvo.keys()
        paths = [[part for part in one.key.split(".") if part != "NAME"] for one in told]
        tails = {".".join(path[k:]) for path in paths for k in range(len(path))}
        for place in ELSEWHERE.values():
            for word in re.findall(r"\b[a-z_]+(?:\.[A-Za-z_]+)+", place):
                parts = [part for part in word.replace("MOMENT", "again").split(".") if part not in ("GROUP", "NAME")]
                self.assertIn(".".join(parts), tails, word)

    def test_what_is_meant_by_other_words_is_there_and_told(self):
        from nivvo.judge.measures import MEASURES
        from nivvo.play.outcome.run import TABLES
        from nivvo.spec.scenes.case import HAPPEN
        from nivvo.spec.words.elsewhere import MEANT

        told = nivvo.keys()
        known = {word for one in told for word in re.findall(r'"([^"]+)"', one.takes)}
        known |= {one.key.rpartition(".")[2] for one in [*told, *nivvo.keys("launch.speed")]}
        known |= {*HAPPEN, *MEASURES, *TABLES, "anything", *nivvo.__all__, *dir(nivvo.Live)}
        self.assertLessEqual({one for meant in MEANT.values() for one in meant}, known)
        text = "nivvo = 1\n[ability.flare]\nlaunch.speed = 9\n[case.tap]\ncheck = [{ %s }]\n"
        for given, says in (
            ("happens = 'hit'", "did you mean contact?"),
            ("never = 'killed'", "did you mean out?"),
            ("measure = 'dps', at_least = 1", "did you mean damage_a_second?"),
            ("at = 1, hits = 'wisp' }]\ninput = [{ t = 0, hold = 'fire', for = 1", "did you mean held?"),
            ("measure = 'max_height', at_least = 1", "did you mean apex?"),
        ):
            with self.assertRaises(DrillError) as caught:
                nivvo.parse(text % given)
            self.assertIn(says, str(caught.exception))
        with self.assertRaisesRegex(AttributeError, "did you mean fire?"):
            nivvo.simulate(text)
        drill = nivvo.parse("nivvo = 1\nability.flare.launch.speed = 9\n")
        for thing, name, says in ((drill, "case_names", "cases?"), (nivvo.fire(drill), "hits", "contacts?")):
            with self.assertRaisesRegex(AttributeError, f"did you mean {says}"):
                getattr(thing, name)
        with self.assertRaisesRegex(CallError, "'ability'; it takes drill, case, keep"):
            nivvo.fire(drill, ability="flare")
        with self.assertRaisesRegex(AttributeError, "did you mean place?"):
            nivvo.Live(nivvo.parse(text % "never = 'out'")).position("gull")
        with self.assertRaises(DrillError) as caught:
            nivvo.parse(text % "happens = 'out', what = 'gull'")
        self.assertNotIn("did you mean", str(caught.exception))

    def test_the_number_in_a_line_to_copy_may_be_written_there(self):
        seen = 0
        told = nivvo.keys()
        for one in told:
            number = re.search(r"= (-?[0-9.]+)$", one.example)
            limits = re.findall(r"(above|from|below|to) (-?[0-9.]+(?:e[+-]?[0-9]+)?)", one.takes if number else "")
            for word, limit in limits:
                value, limit = float(number[1]), float(limit)
                good = {"above": value > limit, "from": value >= limit, "below": value < limit, "to": value <= limit}
                self.assertTrue(good[word], (one.key, one.takes, one.example))
                seen += 1
        self.assertGreater(seen, 100)

    def test_what_a_number_may_depend_on_is_told_where_it_may(self):
        told = {one.key: one for one in nivvo.keys("launch.speed")}
        for line in {one.example for one in told.values() if "file" not in one.example}:
            nivvo.parse(f"nivvo = 1\nability.flare.firing = {{ kind = 'charge', full_after = 1 }}\n{line}\n")
        self.assertTrue(all(one.means for one in told.values()))
        self.assertEqual(nivvo.keys("launch.speed.ease")[0].key, "ability.NAME.launch.speed.ease")
        with self.assertRaises(CallError):
            nivvo.keys("launch.elevate.by")

    def test_the_page_and_the_command_tell_the_same(self):
        spec = importlib.util.spec_from_file_location("reference", ROOT / "docs" / "reference.py")
        page = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(page)
        self.assertEqual((ROOT / "docs" / "keys.md").read_text(encoding="utf-8"), page.text(), "run make reference")
        code, out, _ = call("keys", "flight.homing", "--format", "json")
        self.assertEqual(code, 0)
        self.assertIn("turn_rate", out)
        code, out, err = call("keys", "ricochet")
        self.assertEqual((code, out), (2, ""))
        self.assertIn("bounce", err)
