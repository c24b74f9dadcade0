"""Broken drill files: exit code 2, a message that lets the writer mend it, no traceback, little time and memory."""

import os
import resource
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import nivvo
from tests.cli.calls import call
from tests.deep import DEEP
from tests.spec.broken import BROKEN, GOOD


class Broken(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_the_good_drill_is_good(self):
        path = self.folder / "drill.toml"
        path.write_text(GOOD)
        code, out, err = call("check", path)
        self.assertEqual((code, err), (0, ""), out)

    def test_each_is_told_so_that_it_can_be_mended(self):
        self.assertGreaterEqual(len(BROKEN), 60)
        path = self.folder / "drill.toml"
        for name, (text, words) in BROKEN.items():
            with self.subTest(name):
                path.write_text(text)
                started = time.perf_counter()
                code, out, err = call("fire", path)
                self.assertLess(time.perf_counter() - started, 3.0)
                self.assertEqual((code, out), (2, ""), err)
                self.assertTrue(err.startswith(str(path)) or str(self.folder) in err, err)
                for word in words:
                    self.assertIn(word, err)
                self.assertNotIn("Traceback", err)

    def test_what_is_told_in_place_of_what_was_written_is_right_there(self):
        rest = "\nability.flare.mass = 1\nability.flare.launch.velocity = [9, 1]\n"
        rest += "target.wisp.at = [30, 0]\ntarget.wisp.group = 'wisps'\n"
        for line in (
            "ability.flare.flight.drag = 0.1", "ability.flare.flight.homing = true",
            "ability.flare.flight.homing = 90", "ability.flare.limits = 2", "ability.flare.firing = 'single'",
            "ability.flare.aim = 'nearest'", "ability.flare.aim.by = 'closest'", "ability.flare.shape = 0.2",
            "ability.flare.on.anything = 'pass'", "ability.flare.on.wisps.pass = true", "target.gull.pos = [4, 4]",
            "ability.flare.on.wisps.score = 5", "target.wisp.shape = 2", "target.wisp.move = [1, 0]",
            "shooter.facing = '-x'", "ability.limits.life = 3",
            "ability.flare.firing.mode = 'single'", "ability.flare.on.wisps.what = 'pass'", "world.how = 'top'",
        ):  # fmt: skip
            with self.subTest(line):
                with self.assertRaises(nivvo.DrillError) as caught:
                    nivvo.parse(f"nivvo = 1\n{line}{rest}")
                (problem,) = caught.exception.problems
                told, (key, value) = problem.hint.removeprefix("did you mean ").rstrip("?"), line.split(" = ", 1)
                above = problem.key.rpartition(".")[0]
                if problem.message == "unknown choice":
                    told = f"{key} = '{told}'"
                elif "=" not in told:
                    told = f"{told if '.' in told else f'{above}.{told}'} = {value}"
                elif told.split(" = ")[0].isidentifier():
                    told = f"{above}.{told}"
                nivvo.parse(f"nivvo = 1\n{told.replace('NAME', 'keeper' if 'shooter' in told else 'flare')}{rest}")

    def test_all_problems_of_a_file_are_told_at_once_in_its_order(self):
        text = GOOD.replace("speed = 18", "sped = 18").replace('hits = "wisp"', 'hits = "wips"')
        text = text.replace("at = [32.5, 1.5]", "at = [1, 2, 3]")
        with self.assertRaises(nivvo.DrillError) as caught:
            nivvo.parse(text)
        keys = [problem.key for problem in caught.exception.problems]
        self.assertIn("ability.flare.launch.sped", keys)
        self.assertIn("case.tap.check[0].hits", keys)
        self.assertIn("target.wisp.at", keys)

    def test_files_that_are_none(self):
        (self.folder / "latin.toml").write_bytes('nivvo = 1\ntitle = "caf\xe9"\n'.encode("latin-1"))
        (self.folder / "drill.toml").write_text(GOOD)
        (self.folder / "large.toml").write_bytes(b"[" * 50_000_000)
        (self.folder / "zero.toml").write_bytes(b"\0" * 100)
        for name, words in (
            ("latin.toml", ["latin.toml:2", "UTF-8", "0xe9"]),
            (".", ["a folder"]),
            ("dril.toml", ["no such file", "did you mean", "drill.toml"]),
            ("gone/drill.toml", ["no such file"]),
            ("large.toml", ["larger than 1,000,000 bytes"]),
            ("zero.toml", ["TOML"]),
        ):
            code, out, err = call("fire", self.folder / name)
            self.assertEqual((code, out), (2, ""), name)
            for word in words:
                self.assertIn(word, err)

    @unittest.skipIf(os.name != "posix", "needs limits of processes")
    def test_hostile_files_take_little_time_and_memory(self):
        def limited():
            resource.setrlimit(resource.RLIMIT_AS, (3 << 30, 3 << 30))

        hostile = {
            "brackets.toml": b"a = " + b"[" * 990_000,
            "dotted.toml": b"a" + b".a" * 490_000 + b" = 1",
            "tables.toml": b"nivvo = 1\n" + b"".join(b"[target.t%d]\nat = [1, 1]\n" % k for k in range(30_000)),
            "quotes.toml": b'a = """' + b'\\"' * 400_000,
        }
        for name, data in hostile.items():
            path = self.folder / name
            path.write_bytes(data)
            done = subprocess.run(
                [sys.executable, "-m", "nivvo", "fire", str(path)],
                capture_output=True,
                text=True,
                timeout=20,
                preexec_fn=limited,
                env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
            )
            self.assertEqual(done.returncode, 2, name + done.stderr[-500:])
            self.assertNotIn("Traceback", done.stderr)

    def test_settings_of_the_call_are_checked_like_a_file(self):
        path = self.folder / "drill.toml"
        path.write_text(GOOD)
        for setting, words in (
            ("ability.flare.launch.sped=3", ["--set", "did you mean speed"]),
            ("ability.flare.launch.speed=fast", ["--set", "a number", '"fast"']),
            ("ability.flare.launch.speed=nan", ["nan"]),
            ("ability.flare.launch.speed", ["KEY=VALUE"]),
            ("=3", ["KEY=VALUE"]),
            ("ability..speed=3", ["not a dotted key"]),
            ("wold.gravity=3", ["did you mean world"]),
        ):
            code, out, err = call("fire", path, "--set", setting)
            self.assertEqual((code, out), (2, ""), setting)
            for word in words:
                self.assertIn(word, err)


class Hypothetical(unittest.TestCase):
    def test_drills_made_from_the_schema_end_in_a_message_or_a_run(self):
        from tests.spec.hostile import many

        count = 3000 if DEEP else 200
        total, tally, failed = many((7, count))
        self.assertEqual(failed, [])
        self.assertEqual(total, count)
        self.assertGreater(tally["fired"], count // 20)
        self.assertGreater(tally["refused"], count // 20)
