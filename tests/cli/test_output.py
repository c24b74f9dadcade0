"""What comes out, and where it goes: words that obey nothing, files whole or not at all, clear exit codes."""

import csv
import io
import json
import os
import shlex
import stat
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock
from xml.etree import ElementTree

import numpy as np
import pandas

import nivvo
from nivvo import errors
from nivvo.spec.reading import files
from tests.cli.calls import call
from tests.spec.broken import GOOD

HERE = Path(__file__).parents[2]


class Files(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_an_old_file_keeps_its_mode_and_a_new_one_has_the_users(self):
        for mode in (0o600, 0o644, 0o664):
            old = self.folder / f"{mode}"
            old.write_text("x")
            old.chmod(mode)
            files.write_text(old, "new")
            self.assertEqual((old.read_text(), stat.S_IMODE(old.stat().st_mode)), ("new", mode))
        before = os.umask(0o077)
        self.addCleanup(os.umask, before)
        self.assertEqual(stat.S_IMODE(files.write_text(self.folder / "mine", "x").stat().st_mode), 0o600)

    def test_links_are_followed_and_write_protected_files_left(self):
        (self.folder / "real").write_text("x")
        (self.folder / "link").symlink_to("real")
        files.write_text(self.folder / "link", "new")
        self.assertTrue((self.folder / "link").is_symlink())
        self.assertEqual((self.folder / "real").read_text(), "new")
        (self.folder / "real").chmod(0o400)
        with self.assertRaisesRegex(nivvo.OutputError, "write-protected"):
            files.write_text(self.folder / "real", "newer")
        self.assertEqual((self.folder / "real").read_text(), "new")

    def test_what_is_no_ordinary_file_is_written_through(self):
        pipe = self.folder / "pipe"
        os.mkfifo(pipe)
        with self.assertRaisesRegex(nivvo.OutputError, "cannot be written"):
            files.write_text(pipe, "nobody reads")
        reader = os.open(pipe, os.O_RDONLY | os.O_NONBLOCK)
        files.write_text(pipe, "somebody reads")
        self.assertEqual(os.read(reader, 100), b"somebody reads")
        os.close(reader)
        self.assertTrue(stat.S_ISFIFO(pipe.stat().st_mode))
        code, _, err = call("schema", "--out", "/dev/null")
        self.assertEqual(code, 0, err)
        self.assertTrue(stat.S_ISCHR(Path("/dev/null").stat().st_mode))

    def test_a_write_that_fails_leaves_the_old_file_and_nothing_beside_it(self):
        old = self.folder / "old.csv"
        old.write_text("old")

        def fails(made):
            made.write_text("half")
            raise OSError(28, "No space left on device")

        with self.assertRaisesRegex(nivvo.OutputError, "no space left"):
            files.write_whole(old, fails)
        self.assertEqual([entry.name for entry in self.folder.iterdir()], ["old.csv"])
        self.assertEqual(old.read_text(), "old")

    def test_what_a_killed_run_left_is_cleaned_by_the_next(self):
        gone = subprocess.Popen(["true"])
        gone.wait()
        (self.folder / f".making-{gone.pid}-abc.png").write_text("half")
        (self.folder / f".making-{os.getpid()}-abc.png").write_text("at work")
        files.write_text(self.folder / "new", "x")
        left = sorted(entry.name for entry in self.folder.iterdir())
        self.assertEqual(left, [f".making-{os.getpid()}-abc.png", "new"])

    def test_saving_again_leaves_no_table_of_before(self):
        many = nivvo.parse(GOOD.replace("launch.speed", "launch.count = 3\nlaunch.fan = 9\nlaunch.speed"))
        nivvo.save(nivvo.fire(many), self.folder)
        nivvo.save(nivvo.fire(many), self.folder, "json")
        (self.folder / "notes.txt").write_text("mine")
        one = nivvo.save(nivvo.fire(nivvo.parse(GOOD)), self.folder)
        self.assertEqual({entry.name for entry in self.folder.iterdir()}, {path.name for path in one} | {"notes.txt"})
        before = [(path.stat().st_ino, path.read_bytes()) for path in one]
        nivvo.save(nivvo.fire(nivvo.parse(GOOD)), self.folder)
        self.assertEqual([(path.stat().st_ino, path.read_bytes()) for path in one], before)

    def test_the_paths_of_a_run_are_one_table(self):
        run = nivvo.fire(nivvo.parse(GOOD.replace("launch.speed", "launch.count = 3\nlaunch.fan = 9\nlaunch.speed")))
        made = pandas.read_csv(next(path for path in nivvo.save(run, self.folder) if path.name == "tap.paths.csv"))
        self.assertEqual(list(made.columns), list(run.paths.columns))
        for name, one in made.groupby("projectile"):
            there = run.path(name).to_numpy()
            self.assertTrue(np.array_equal(one.drop(columns="projectile").to_numpy(), there, equal_nan=True), name)
        self.assertEqual(len(made), len(run.paths))

    def test_a_drill_that_was_played_is_saved_whole_and_under_a_name_of_its_own(self):
        live = nivvo.Live(nivvo.parse(GOOD), compiled=False)
        live.tap("fire")
        live.step()
        for case in ("a.b", "", "tap", "1st"):
            with self.assertRaises(nivvo.CallError):
                live.save(self.folder / "d.toml", case)
        path = live.save(self.folder / "d.toml", "tap", replace=True)
        before = path.read_text()
        self.assertEqual(nivvo.load(path).cases, ["tap"])
        live.tap("fire")
        full = mock.patch.object(Path, "write_bytes", side_effect=OSError(28, "No space left on device"))
        with full, self.assertRaises(nivvo.OutputError):
            live.save(path)
        self.assertEqual(path.read_text(), before)

    def test_the_demo_keeps_what_somebody_has_changed(self):
        with mock.patch("nivvo.cli.demo.DRILLS", ("jetty",)):
            self.assertEqual(call("demo", self.folder)[0], 0)
            edited = (self.folder / "jetty.toml").read_text() + "# my edit\n"
            (self.folder / "jetty.toml").write_text(edited)
            code, _, err = call("demo", self.folder)
        self.assertEqual(code, 0)
        self.assertIn("kept", err)
        self.assertEqual((self.folder / "jetty.toml").read_text(), edited)


class Words(unittest.TestCase):
    """A title, a unit and a file's name that would do something to a terminal, a table program or a picture."""

    TITLE = "\x1b]0;PWNED\x07\x1b[31mRED\x1b[2J :smile: [bold]\u202e"

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        tables = {**nivvo.parse(GOOD).document.tables, "title": self.TITLE, "world": {"unit": "$\\frac$\x01"}}
        self.text = "title = " + json.dumps(self.TITLE) + "\n" + GOOD + '[world]\nunit = "$\\\\frac$\\u0001"\n'
        self.assertEqual(nivvo.parse(self.text).document.tables, tables)
        self.path = self.folder / "a$\\frac$.toml"
        self.path.write_text(self.text)

    def test_nothing_reaches_a_terminal_that_it_would_obey(self):
        for args in (("fire",), ("check",), ("explain",), ("solve",), ("fire", "--set", "title=\x1b[2J")):
            _, out, err = call(args[0], self.path, *args[1:])
            for text in (out, err):
                for letter in "\x1b\x07\x01\u202e":
                    self.assertNotIn(letter, text, args)
        out = call("fire", self.path)[1]
        self.assertIn(":smile: [bold]", out)
        self.assertIn("\\x1b[31mRED", out)

    def test_a_picture_is_drawn_with_them_as_words(self):
        for ending in ("png", "svg"):
            code, _, err = call("fire", self.path, "--figure", self.folder / f"a.{ending}")
            self.assertEqual(code, 0, err)
            self.assertNotIn("Warning", err)
        ElementTree.parse(self.folder / "a.svg")
        with mock.patch.dict(os.environ, {"MPLBACKEND": "nope"}):
            done = subprocess.run(
                [sys.executable, "-m", "nivvo", "fire", str(self.path), "--figure", str(self.folder / "b.png")],
                capture_output=True,
            )
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_no_cell_begins_a_formula(self):
        tables = nivvo.parse(GOOD).document.tables
        tables["world"] = {"unit": "=1+1"}
        run = nivvo.fire(nivvo.from_tables(tables))
        for path in nivvo.save(run, self.folder / "out"):
            for row in csv.reader(io.StringIO(path.read_text())):
                for cell in row:
                    self.assertFalse(cell.startswith(("=", "@")), path.name)
        from nivvo.show.files import tame

        self.assertEqual([tame(x) for x in ("=1+1", "@x", "-x", "x", -1.5)], ["'=1+1", "'@x", "'-x", "x", -1.5])

    def test_every_letter_that_hides_or_commands_is_shown(self):
        for code in (*range(32), 127, 0x9B, 0x202E, 0x2066, 0xD800):
            self.assertTrue(errors.visible(chr(code)).isascii())
        self.assertEqual(errors.visible("quay über 港 °"), "quay über 港 °")


class Codes(unittest.TestCase):
    def run_(self, *args, **options):
        env = {**os.environ, **options.pop("env", {})}
        return subprocess.run([sys.executable, "-m", "nivvo", *map(str, args)], capture_output=True, env=env, **options)

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.path = self.folder / "drill.toml"
        self.path.write_text(GOOD)

    def test_a_fault_of_our_own_is_no_failed_check(self):
        with mock.patch("nivvo.cli.check.read_drill", side_effect=KeyError("oops")):
            code, out, err = call("check", self.path)
        self.assertEqual((code, out), (70, ""))
        self.assertIn("fault of Nivvo's own", err)
        self.assertIn("NIVVO_TRACE=1", err)
        self.assertEqual(len(err.strip().splitlines()), 1)

    def test_a_reader_that_goes_away_is_no_failed_check(self):
        shell = f"{shlex.quote(sys.executable)} -m nivvo check {self.path} | true; exit ${{PIPESTATUS[0]}}"
        self.assertNotEqual(subprocess.run(["bash", "-c", shell], stderr=subprocess.DEVNULL).returncode, 1)

    def test_a_stdout_that_is_closed_or_knows_no_letters_of_ours(self):
        shell = f"{shlex.quote(sys.executable)} -m nivvo fire {self.path} >&-"
        done = subprocess.run(["bash", "-c", shell], capture_output=True, text=True)
        self.assertEqual((done.returncode, done.stderr), (2, "the output cannot be written: stdout is closed\n"))
        done = self.run_("fire", self.path, env={"PYTHONIOENCODING": "ascii"})
        self.assertEqual((done.returncode, done.stderr), (0, b""))

    def test_one_document_comes_out(self):
        charge = GOOD.replace("launch.speed", 'firing.kind = "charge"\nfiring.full_after = 1\nlaunch.speed')
        self.path.write_text(charge)
        code, out, _ = call("fire", self.path, "--hold-table", "--format", "json")
        self.assertEqual((code, type(json.loads(out))), (0, list))
        told = "fire", self.path, "--rate-table", "--rate", "30", "--rate", "90"
        code, out, _ = call(*told, "--format", "json")
        self.assertEqual((code, json.loads(out)), (0, nivvo.rate_table(nivvo.load(self.path), rates=[30, 90]).rows))
        self.assertIn(" at 30, 90 ticks/s: the same", call(*told)[1])
        for wrong in (told[:2] + told[3:], (*told, "--hold-table")):
            self.assertEqual(call(*wrong)[0], 2)
        for format_ in ("table", "json", "csv"):
            code, out, _ = call(*told, "--set", "case.tap.input=[]", "--format", format_)
            self.assertEqual((code, format_ != "table" or "nothing was fired at 30, 90 ticks/s" in out), (0, True))

    def test_files_are_there_though_nobody_reads_the_text(self):
        figure, shown = self.folder / "a.png", self.folder / "out"
        with mock.patch("nivvo.cli.fire._print", side_effect=BrokenPipeError):
            call("fire", self.path, "--figure", figure, "--save", shown)
        self.assertTrue(figure.exists() and any(shown.iterdir()))

    def test_a_picture_of_a_flight_that_ends_before_it_arrives(self):
        code, _, err = call("solve", self.path, "--flight-time", "100", "--figure", self.folder / "f.svg")
        self.assertEqual(code, 0, err)

    def test_a_case_that_is_too_much_is_refused_with_what_it_comes_to(self):
        stream = 'launch.speed = 18\nfiring = { kind = "auto", rate = 100000 }'
        self.path.write_text(
            GOOD.replace("launch.speed = 18", stream) + 'input = [{ t = 0, hold = "fire", held = 1 }]\n'
        )
        code, out, err = call("fire", self.path)
        self.assertEqual((code, out), (2, ""))
        self.assertIn("1·10^5 shots", err)
        self.assertIn("--patient", err)
        away = 'limits.life = "forever"\nflight.gravity_share = 0\nlaunch.speed'
        self.path.write_text(GOOD.replace("launch.speed", away) + "lasts = 80000\n")
        self.assertIn("projectile-ticks", call("fire", self.path)[2])

    def test_no_remedy_is_looked_for_where_to_fire_takes_long(self):
        long = GOOD.replace("launch.speed", "limits.life = 4000\nflight.gravity_share = 0\nlaunch.speed")
        self.path.write_text(long.replace("at = [32.5, 1.5]", "at = [32.5, 900]"))
        code, _, err = call("check", self.path)
        self.assertEqual(code, 1)
        self.assertIn("takes long to fire", err)
