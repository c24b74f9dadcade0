"""The commands as a user calls them: what comes on stdout, on stderr, and as the exit code."""

import contextlib
import csv
import importlib
import io
import json
import os
import pkgutil
import re
import runpy
import shlex
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import nivvo
import nivvo.core
from nivvo.cli import COMMANDS
from nivvo.cli.compile import ALL
from nivvo.cli.demo import DRILLS
from nivvo.core._jit import Kernel
from tests.cli.calls import call

ROOT = Path(__file__).parents[2]
DEMO = Path(nivvo.__file__).parent / "demo"


class Commands(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_help_teaches_each_command_with_an_example(self):
        code, out, err = call("--help")
        self.assertEqual((code, err), (0, ""))
        for name in COMMANDS:
            self.assertIn(name, out)
            code, text, err = call(name, "--help")
            self.assertEqual((code, err), (0, ""))
            self.assertGreater(len(text.splitlines()), 6, name)

    def test_new_writes_a_drill_whose_check_passes_in_every_view(self):
        for view in ("side", "top", "space"):
            path = self.folder / f"{view}.toml"
            code, out, err = call("new", path, "--view", view)
            self.assertEqual((code, err), (0, ""))
            self.assertIn("passes", out)
            self.assertEqual(call("check", path)[0], 0, view)
            self.assertEqual(call("new", path)[0], 2)
            self.assertEqual(call("new", path, "--force")[0], 0)
        self.assertEqual(call("new", self.folder)[0], 2)

    def test_fire_tells_what_happened_and_the_defaults_that_decided_it(self):
        call("new", self.folder / "my.toml")
        code, out, err = call("fire", self.folder / "my.toml")
        self.assertEqual((code, err), (0, ""))
        for words in (
            "flare-1 fired by keeper",
            "touched wisp",
            "18 m/s",
            "elevation 40°",
            "world.gravity",
            "9.81 m/s²",
        ):
            self.assertIn(words, out)
        self.assertNotIn("launch.speed ", out)

    def test_a_control_that_nothing_goes_by_is_told(self):
        for control, by, other in (
            ("cursor", "cursor", "[3, 4]"),
            ("stick", "stick", "[1, 0]"),
            ("look", "sight", "[9]"),
        ):
            for aims, faces, told in (("facing", "fixed", True), (by, "fixed", False), ("facing", control, False)):
                path = self.folder / "drill.toml"
                path.write_text(
                    f"nivvo = 1\nability.flare = {{ launch.speed = 9, aim.by = '{aims}' }}\n"
                    f"shooter.keeper.facing_follows = '{faces}'\n"
                    f"case.tap.input = [{{ t = 0, {control} = {other}, tap = 'fire' }}]\n"
                )
                code, out, err = call("fire", path)
                self.assertEqual((code, err), (0, ""))
                self.assertEqual(f"the {control} is moved, but nothing goes by it" in out, told, out)

    def test_a_wind_that_nothing_feels_is_told(self):
        for drag, share, told in ((0.0, 1.0, True), (0.2, 1.0, False), (0.2, 0.0, True)):
            path = self.folder / "drill.toml"
            path.write_text(
                f"nivvo = 1\nworld.wind = [3, 0]\nability.flare = {{ launch.speed = 9, limits.life = 1, "
                f"flight.drag.linear = {drag}, flight.wind_share = {share} }}\n"
            )
            self.assertEqual("the wind moves nothing" in call("fire", path)[1], told)

    def test_a_misspelt_file_is_answered_with_the_one_that_is_there(self):
        call("new", self.folder / "pier.toml")
        for wrong in ("peir.toml", "pier.tml", "pier"):
            code, _, err = call("fire", self.folder / wrong)
            self.assertEqual(code, 2)
            self.assertIn("pier.toml?", err)

    def test_data_comes_as_json_and_csv_and_nothing_else_on_stdout(self):
        quay = DEMO / "quay.toml"
        data = json.loads(call("fire", quay, "--format", "json")[1])
        self.assertEqual(data["contacts"][0]["body"], "wisp")
        every = json.loads(call("fire", quay, "--all", "--format", "json")[1])
        self.assertEqual([run["case"] for run in every], nivvo.load(quay).cases)
        rows = list(csv.DictReader(io.StringIO(call("fire", quay, "--table", "contacts", "--format", "csv")[1])))
        self.assertEqual(float(rows[0]["time"]), data["contacts"][0]["time"])
        checks = json.loads(call("check", quay, "--format", "json")[1])
        self.assertTrue(all(check["passed"] for check in checks))
        values = list(csv.DictReader(io.StringIO(call("explain", quay, "--format", "csv")[1])))
        self.assertIn("world.gravity", [row["key"] for row in values])

    def test_a_case_in_the_place_of_another_drill_is_told(self):
        code, _, err = call("fire", "a.toml", "tap")
        self.assertEqual(code, 2)
        self.assertIn("unexpected extra argument (tap); a case is named by --case", err)

    def test_check_exits_1_when_one_fails_and_names_what_would_help(self):
        code, out, _ = call("check", DEMO / "quay.toml", "--set", "ability.flare.launch.speed=15")
        self.assertEqual(code, 1)
        self.assertIn("FAIL", out)
        self.assertIn("would pass", out)
        self.assertEqual(call("check", DEMO / "quay.toml")[0], 0)
        (self.folder / "bare.toml").write_text("nivvo = 1\n[ability.a]\nlaunch.speed = 5\n")
        code, out, err = call("check", self.folder / "bare.toml")
        self.assertEqual(code, 1)
        self.assertIn("nothing was judged", err)

    def test_figures_and_tables_are_written_where_asked(self):
        for name in ("a.png", "a.svg"):
            code, _, err = call("fire", DEMO / "quay.toml", "--figure", self.folder / name)
            self.assertEqual(code, 0)
            self.assertIn(name, err)
            self.assertGreater((self.folder / name).stat().st_size, 5_000)
        self.assertEqual(call("fire", DEMO / "quay.toml", "--figure", self.folder / "a.bmp")[0], 2)
        self.assertEqual(call("fire", DEMO / "quay.toml", "--all", "--figure", self.folder / "a.png")[0], 2)
        call("fire", DEMO / "quay.toml", "--save", self.folder / "out")
        self.assertIn("flare.contacts.csv", [path.name for path in (self.folder / "out").iterdir()])

    def test_the_same_run_gives_the_same_picture_file(self):
        files = []
        for name in ("a.svg", "b.svg", "a.png", "b.png"):
            call("fire", DEMO / "deck.toml", "--figure", self.folder / name)
            files.append((self.folder / name).read_bytes())
        self.assertEqual(files[0], files[1])
        self.assertEqual(files[2], files[3])

    def test_explain_tells_one_key_and_hints_at_the_nearest(self):
        code, out, _ = call("explain", DEMO / "quay.toml", "ability.lantern.launch")
        self.assertEqual(code, 0)
        self.assertIn("14.1", out)
        self.assertNotIn("world", out)
        code, _, err = call("explain", DEMO / "quay.toml", "ability.lanten")
        self.assertEqual(code, 2)
        self.assertIn("ability.lantern", err)
        code, _, err = call("explain", DEMO / "quay.toml", "lantern.speed")
        self.assertIn("did you mean ability.lantern.launch.speed?", err)
        self.assertIn("like flare", call("explain", DEMO / "quay.toml", "ability.lantern.limits.life")[1])

    def test_schema_is_json_on_stdout_or_in_a_file(self):
        self.assertEqual(json.loads(call("schema")[1]), nivvo.schema())
        code, out, _ = call("schema", "--out", self.folder / "s.json")
        self.assertEqual((code, out), (0, ""))
        self.assertEqual(json.loads((self.folder / "s.json").read_text()), nivvo.schema())

    def test_demo_writes_drills_figures_and_tables(self):
        # Three of the drills; that the checks of all pass is seen without pictures.
        with mock.patch("nivvo.cli.demo.DRILLS", ("quay", "deck", "breakwater")):
            code, out, err = call("demo", self.folder / "demo")
        err = "".join(line for line in err.splitlines() if "compiling" not in line)
        self.assertEqual((code, err), (0, ""))
        names = {path.name for path in (self.folder / "demo").iterdir()}
        for name in ("quay.toml", "quay.flare.png", "deck.at_the_wisp.png", "breakwater.over_the_blocks.png", "quay"):
            self.assertIn(name, names)
        self.assertNotIn("deck.through_the_rail.png", names)
        self.assertIn(str((self.folder / "demo").resolve()), out)
        with mock.patch("nivvo.cli.demo.DRILLS", ("deck",)):
            self.assertEqual(call("demo", self.folder / "demo", "--every")[0], 0)
        self.assertEqual(len(list((self.folder / "demo").glob("deck.*.png"))), 4)
        (self.folder / "file").write_text("")
        self.assertEqual(call("demo", self.folder / "file")[0], 2)
        code, out, _ = call("check", *(DEMO / f"{name}.toml" for name in DRILLS), "--no-remedies")
        self.assertEqual(code, 0, out)

    def test_wrong_calls_are_told(self):
        quay = DEMO / "quay.toml"
        for args, words in (
            (("frie", quay), "Did you mean fire?"),
            (("fire",), "Missing argument"),
            (("fire", quay, "--cse", "x"), "--case"),
            (("fire", quay, "--case", "flaer"), "did you mean flare"),
            (("fire", quay, "--format", "xml"), "json"),
            (("fire", quay, "--figure", "/proc/x/y.png"), "cannot be written"),
        ):
            code, _, err = call(*args)
            self.assertEqual(code, 2, args)
            self.assertIn(words, err)


class Processes(unittest.TestCase):
    def nivvo(self, *args, **options):
        return subprocess.run(
            [sys.executable, "-m", "nivvo", *map(str, args)], capture_output=True, text=True, **options
        )

    def test_as_a_module_it_is_the_same_command(self):
        done = self.nivvo("fire", DEMO / "quay.toml")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("touched wisp", done.stdout)

    def test_the_engine_is_compiled_ahead_and_kept(self):
        done = self.nivvo("compile")
        self.assertEqual((done.returncode, done.stdout.count("ready after")), (0, 1))
        # All there is: nothing is compiled in the middle of a game.
        names = [one.name for one in pkgutil.walk_packages(nivvo.core.__path__, "nivvo.core.") if "_" not in one.name]
        found = {one for name in names for one in vars(importlib.import_module(name)).values() if type(one) is Kernel}
        self.assertEqual([one.__name__ for one in found if not one.stored()], [])
        nivvo.Live(nivvo.parse(ALL))
        self.assertEqual([one.__name__ for one in found if not one.loaded], [])
        self.assertGreater(len(found), 3)
        with tempfile.TemporaryDirectory() as folder:
            done = self.nivvo("compile", env={**os.environ, "NUMBA_DISABLE_JIT": "1", "NIVVO_CACHE_DIR": folder})
            self.assertEqual((done.returncode, list(Path(folder).iterdir())), (2, []))
        self.assertIn(f"nothing is kept: none of {folder} can be written", done.stderr)

    def test_a_reader_that_goes_away_is_no_error(self):
        command = f"{shlex.quote(sys.executable)} -m nivvo schema | head -1"
        done = subprocess.run(command, shell=True, capture_output=True, text=True)
        self.assertEqual(done.stderr, "")

    @unittest.skipUnless(Path("/dev/full").exists(), "needs /dev/full")
    def test_a_full_disk_is_told(self):
        with Path("/dev/full").open("w") as full:
            done = subprocess.run(
                [sys.executable, "-m", "nivvo", "schema"], stdout=full, stderr=subprocess.PIPE, text=True
            )
        self.assertEqual(done.returncode, 2)
        self.assertIn("no space left", done.stderr)
        self.assertNotIn("Traceback", done.stderr)

    def test_importing_nivvo_and_asking_for_help_load_nothing_heavy(self):
        heavy = ("numpy", "pandas", "matplotlib", "numba", "pydantic", "scipy", "rich", "click", "pyarrow")
        code = f"import sys, nivvo; print([name for name in {heavy} if name in sys.modules])"
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "[]")
        done = subprocess.run(
            [sys.executable, "-X", "importtime", "-m", "nivvo", "--help"], capture_output=True, text=True, check=True
        )
        for name in heavy:
            if name != "click":
                self.assertNotRegex(done.stderr, rf"\| +{name}\n")


class Readme(unittest.TestCase):
    """What the README says is what happens."""

    text = (ROOT / "README.md").read_text(encoding="utf-8")
    pages = tuple(sorted((ROOT / "docs" / "guide").glob("*.md")))

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (self.folder / "our_game.toml").write_text("world.gravity = 9.81\n")

    def blocks(self, language, text=None):
        return re.findall(rf"```{language}\n(.*?)```", self.text if text is None else text, re.DOTALL)

    def test_its_first_lines_are_the_two_commands(self):
        lines = [line.split("#")[0].strip() for line in self.text.splitlines() if line.strip()][1:3]
        self.assertEqual(lines, ["make demo", "make test"])

    def test_its_python_runs_and_prints_what_it_shows(self):
        done = subprocess.run(
            [sys.executable, "-c", self.blocks("python")[0]], capture_output=True, text=True, cwd=self.folder
        )
        self.assertEqual(done.stdout, self.blocks("text")[0], done.stderr)

    def test_every_block_of_the_guide_does_what_it_says(self):
        self.assertEqual(len(self.pages), 10)
        drills = 0
        for page in self.pages:
            text = page.read_text(encoding="utf-8")
            for block in self.blocks("toml", text):
                drills += 1
                (self.folder / "page.toml").write_text(block)
                code, out, err = call("check", self.folder / "page.toml")
                self.assertEqual(code, 0, f"{page.name}: {out}{err}")
            for block in self.blocks("python", text):
                done = subprocess.run([sys.executable, "-c", block], capture_output=True, text=True, cwd=self.folder)
                self.assertEqual(done.returncode, 0, done.stderr)
                self.assertIn("s contact wisp", done.stdout)
        self.assertGreater(drills, 8)

    def test_its_console_shows_what_is_printed(self):
        call("new", "my.toml", folder=self.folder)
        shown = next(block for block in self.blocks("console") if "FAIL" in block)
        first, _, expected = shown.partition("\n")
        self.assertIn("--set", first)
        settings = ("--set", "target.wisp.at=[27, 2]", "--set", "ability.flare.launch.speed=18")
        code, out, _ = call("check", "my.toml", *settings, folder=self.folder)
        self.assertEqual(code, 1)
        self.assertEqual(out.strip(), expected.strip())

    def test_links_and_pictures_are_there(self):
        for page in (ROOT / "README.md", *self.pages):
            for link in re.findall(r"\]\(([^)#]+)\)", page.read_text(encoding="utf-8")):
                self.assertTrue((page.parent / link).exists(), f"{page.name}: {link}")
        pictures = {path.name for path in (ROOT / "docs/screenshots").glob("*.png")}
        self.assertLess(len(pictures), 20)
        for name in pictures:
            self.assertIn(name, self.text)

    def test_the_examples_run(self):
        examples = sorted((ROOT / "examples").glob("*.py"))
        self.assertGreater(len(examples), 1)
        for path in examples:
            out = io.StringIO()
            with self.subTest(example=path.name), contextlib.chdir(self.folder), contextlib.redirect_stdout(out):
                runpy.run_path(str(path), run_name="__main__")
            self.assertTrue(out.getvalue().strip(), path.name)
