"""Tables at every width, what comes in on stdin, several drills at once, and what a shell may go on with."""

import json
import os
import re
import shlex
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import nivvo
from nivvo.play.outcome.run import TABLES
from tests.cli.calls import call

DEMO = Path(nivvo.__file__).parent / "demo"
NUMBER = re.compile(r"-?\d[\d.e+-]*$")
DRILL = """nivvo = 1
[ability.flare]
launch = { speed = 18, elevation = 40 }
on.wisps = { then = "bounce", damage = 12.345678, restitution = 0.5 }
[target.the_farthest_of_all_the_wisps_on_the_quay]
at = [30, 2]
group = "wisps"
shape.ball = 3
[obstacle.quay]
shape.half_space = "up"
at = [0, -1]
[case.tap]
input = [{ t = 0, tap = "fire" }, { t = 1.23456789, tap = "fire" }]
check = [{ hits = "the_farthest_of_all_the_wisps_on_the_quay" }]
"""


class Widths(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.drill = self.folder / "wide.toml"
        self.drill.write_text(DRILL)

    def at(self, width, *args):
        with mock.patch.dict(os.environ, COLUMNS=str(width)):
            code, out, err = call(*args)
        self.assertEqual(code, 0, err)
        return out

    def test_no_line_is_wider_and_no_number_is_broken(self):
        calls = [("fire", self.drill, "--table", table) for table in TABLES]
        calls += [("touches", self.drill), ("explain", self.drill, "--means"), ("solve", DEMO / "quay.toml")]
        for args in calls:
            wide = self.at(1000, *args)
            rows = [line.split("  ") for line in wide.splitlines()]
            numbers = {cell.strip() for row in rows for cell in row if NUMBER.match(cell.strip())}
            for width in (60, 80, 160):
                out = self.at(width, *args)
                lines = out.splitlines()
                tables = [k for k, line in enumerate(lines) if set(line) == {"─"}]
                self.assertTrue(tables, args)
                for line in lines[tables[0] - 1 :]:
                    if not line.startswith("Nothing in"):
                        self.assertLessEqual(len(line), width, (args, line))
                cells = {cell.strip() for line in lines for cell in re.split(r"\s+", line)}
                self.assertLessEqual(numbers - cells, set(), (args, width))

    def test_what_keys_mean_stands_in_lines_that_fit(self):
        for key in (["on"], ["tick"], []):
            wide = self.at(1000, "keys", *key)
            for width in (60, 80, 160):
                out = self.at(width, "keys", *key)
                self.assertEqual(out.split(), wide.split())
                for line in out.splitlines():
                    # A line to copy is never broken.
                    if len(line) > width:
                        self.assertTrue(" = " in line or " as: " in line or " " not in line, line)
                        self.assertIn(line, wide.splitlines())

    def test_columns_with_nothing_in_them_are_left_out_and_named(self):
        out = self.at(400, "fire", self.drill, "--table", "shots")
        head, left = out.splitlines()[0], next(line for line in out.splitlines() if line.startswith("Nothing in"))
        for column in nivvo.fire(nivvo.load(self.drill)).table("shots").columns:
            words = column.replace("_", " ")
            self.assertNotEqual(words in head, words in left, column)

    def test_each_part_of_a_wide_table_begins_with_what_its_rows_are_about(self):
        lines = self.at(60, "fire", self.drill, "--table", "projectiles").splitlines()
        heads = [k for k, line in enumerate(lines) if set(line) == {"─"}]
        self.assertGreater(len(heads), 2)
        for k in heads:
            self.assertEqual([lines[k + 1].split()[0], lines[k + 2].split()[0]], ["flare-1", "flare-2"])


class Drills(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_a_drill_comes_in_on_stdin(self):
        (self.folder / "wide.toml").write_text(DRILL)
        for args in (
            ("check",),
            ("fire", "--table", "contacts", "--format", "csv"),
            ("explain", "tick", "--set", "tick.rate=30"),
        ):
            word, *rest = args
            told = call(word, "-", *rest, stdin=DRILL)
            named = call(word, self.folder / "wide.toml", *rest)
            self.assertEqual(told[0], named[0])
            self.assertEqual(told[1].replace("stdin", "wide.toml").split(), named[1].split())
        code, out, err = call("fire", "-", stdin="nivvo = 1\n[ability.flare]\nlaunch.sped = 3\n")
        self.assertEqual((code, out), (2, ""))
        self.assertIn("stdin:3", err)

    def test_several_tables_are_printed_or_are_one_document(self):
        (self.folder / "a.toml").write_text(DRILL)
        two = ("fire", self.folder / "a.toml", "--table", "targets", "--table", "shots", "--table", "targets")
        lines = [line.strip() for line in call(*two)[1].splitlines()]
        self.assertLess(lines.index("targets"), lines.index("shots"))
        self.assertEqual(lines.count("targets"), 1)
        self.assertEqual(list(json.loads(call(*two, "--format", "json")[1])), ["targets", "shots"])
        code, out, err = call(*two, "--format", "csv")
        self.assertEqual((code, out), (2, ""))
        self.assertIn("one table", err)

    def test_several_drills_are_judged_and_drawn_together(self):
        (self.folder / "a.toml").write_text(DRILL)
        (self.folder / "b.toml").write_text(DRILL.replace("speed = 18", "speed = 3"))
        code, out, _ = call("check", self.folder / "a.toml", self.folder / "b.toml", "--no-remedies",
                            "--figure", self.folder / "drawn")  # fmt: skip
        self.assertEqual(code, 1)
        self.assertIn("2 checks: 1 passed, 1 failed", out)
        self.assertEqual({path.name for path in (self.folder / "drawn").iterdir()}, {"a-tap.png", "b-tap.png"})
        code, out, err = call("check", self.folder / "a.toml", self.folder / "b.toml", "--figure", "one.png")
        self.assertEqual((code, out), (2, ""))
        self.assertIn("name a folder", err)
        (self.folder / "other").mkdir()
        (self.folder / "other" / "a.toml").write_text(DRILL)
        pair = (self.folder / "a.toml", self.folder / "other" / "a.toml")
        code, out, err = call("check", *pair, "--figure", self.folder / "both")
        self.assertEqual((code, out), (2, ""))
        self.assertIn("a-tap.png", err)


class Completing(unittest.TestCase):
    def words(self, *words):
        line = {"_NIVVO_COMPLETE": "bash_complete", "COMP_WORDS": shlex.join(map(str, ("nivvo", *words))),
                "COMP_CWORD": str(len(words))}  # fmt: skip
        with mock.patch.dict(os.environ, line):
            told = call()[1]
        return {line.partition(",")[2] for line in told.splitlines() if line}

    def test_a_shell_goes_on_with_what_the_drill_has(self):
        drill = nivvo.load(DEMO / "quay.toml")
        path = DEMO / "quay.toml"
        self.assertEqual(self.words("fire", path, "--case", ""), set(drill.cases))
        self.assertEqual(
            self.words("solve", path, "--ability", "l"), {name for name in drill.model.ability if name[0] == "l"}
        )
        self.assertEqual(self.words("fire", path, "--set", "world.gr"), {"world.gravity="})
        self.assertIn("ability.flare.launch", self.words("explain", path, "ability.flare.l"))
        self.assertIn("ability.launch.speed", self.words("keys", "ability.launch.s"))
        self.assertEqual(self.words("ch"), {"check"})
        self.assertEqual(self.words("fire", "nosuch.toml", "--case", ""), set())


if __name__ == "__main__":
    unittest.main()
