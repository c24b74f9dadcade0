"""The effective drill: file, then case, then call; and the files that it reads, as strict as itself."""

import functools
import json
import os
import random
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import nivvo
from nivvo.spec.reading.document import Document, Origin, leaves
from nivvo.spec.words.nearest import nearest
from tests.cli.calls import call
from tests.deep import DEEP
from tests.spec.broken import GOOD


def told(text, *words, settings=None, folder=None):
    """The problems of a drill, each word in one of them."""
    try:
        if settings is None:
            nivvo.parse(text, folder=folder or ".")
        else:
            nivvo.parse(text, folder=folder or ".").with_settings(settings)
    except nivvo.DrillError as error:
        missing = [word for word in words if word not in str(error)]
        assert not missing, f"{missing} not in: {error}"
        return error.problems
    raise AssertionError("nothing was wrong")


class Rules(unittest.TestCase):
    def test_what_a_case_sets_is_held_to_the_rules_between_keys(self):
        for key, value, word in (
            ("shooter.keeper.facing", "up", "left or right"),
            ("ability.flare.launch.arc", "low", "elevation does not go with"),
            ("shooter.keeper.facing_follows", "movement", "does not walk"),
            ("ability.flare.aim.by", "cursor", "no cursor"),
            ("target.wisp.at", [1, 2, 3], "2 numbers"),
            ("world.view", "space", "3 numbers"),
            ("ability.flare.on.wips.damage", 3, "did you mean wisps"),
        ):
            text = GOOD + f'set = {{ "{key}" = {json.dumps(value)} }}\n'
            with self.subTest(key):
                told(
                    text,
                    word,
                    "" if key in ("world.view", "ability.flare.aim.by", "ability.flare.launch.arc") else "drill:15",
                )
                told(GOOD, word, settings={key: value})

    def test_a_call_mends_a_file_that_is_wrong(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path = folder / "drill.toml"
        path.write_text(GOOD.replace("speed = 18", "speed = -18"))
        self.assertEqual(call("fire", path)[0], 2)
        code, out, err = call("fire", path, "--set", "ability.flare.launch.speed=18")
        self.assertEqual((code, err), (0, ""))
        self.assertIn("18 m/s", out)
        path.write_text(GOOD.replace('hits = "wisp"', 'hits = "wips"'))
        self.assertEqual(call("check", path, "--set", 'case.tap.check=[{hits = "wisp"}]')[0], 0)

    def test_a_case_mends_what_only_it_is_fired_with(self):
        text = GOOD.replace("launch.speed = 18\n", "") + 'set = { "ability.flare.launch.speed" = 18 }\n'
        self.assertEqual(nivvo.fire(nivvo.parse(text)).rows("shots")[0]["speed"], 18.0)
        told(text + "[case.bare]\n", "launch.speed", "is missing")

    @given(st.permutations(range(3)), st.integers(0, 2))
    @settings(max_examples=20, deadline=None)
    def test_who_comes_later_wins(self, order, which):
        values = [10.0 + k for k in order]
        text = GOOD.replace("speed = 18", f"speed = {values[0]}")
        if which > 0:
            text += f'set = {{ "ability.flare.launch.speed" = {values[1]} }}\n'
        made = nivvo.parse(text)
        if which > 1:
            made = made.with_settings({"ability.flare.launch.speed": values[2]})
        self.assertEqual(made.of_case("tap").ability["flare"].launch.speed, values[which])

    def test_a_name_that_is_not_there_is_no_new_one(self):
        told(GOOD, "there is no ability flair", "did you mean flare", settings={"ability.flair.launch.speed": 3})
        told(GOOD, "there is no shooter keper", "keeper", settings={"shooter.keper.at": [0, 0]})
        for key, value in (("use", ["x.toml"]), ("use", [1]), ("nivvo", 1), ("ability.flare.like", "b")):
            told(GOOD, "cannot be set", settings={key: value})
        told(GOOD, "did you mean ability.flare.launch.speed", settings={"flare.speed": 3})

    def test_one_setting_is_one_value_on_one_line(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "d.toml").write_text(GOOD)
        for setting in ("ability.flare.launch.speed=18\nfoo=3", "ability.flare.launch.speed=" + "9" * 5000):
            code, out, err = call("fire", folder / "d.toml", "--set", setting)
            self.assertEqual((code, out), (2, ""))
            self.assertNotIn("Traceback", err)
        self.assertEqual(call("fire", folder / "d.toml", "--set", "a." * 3000 + "b=1")[0], 2)

    def test_what_is_wrong_in_a_value_is_blamed_on_who_gave_it(self):
        problems = told(GOOD + 'set = { "target.wisp.at" = [2, 1e300] }\n', "target.wisp.at[1]")
        self.assertEqual(problems[0].where, "drill:15")
        problems = told(GOOD, "target.wisp.at[1]", settings={"target.wisp.at": [2, 1e300]})
        self.assertEqual(problems[0].where, "--set")

    def test_names_are_told_together_with_keys_and_nothing_that_only_follows(self):
        text = GOOD.replace("speed = 18", "sped = 18").replace('hits = "wisp"', 'hits = "wips"')
        keys = {problem.key for problem in told(text)}
        self.assertEqual(keys, {"ability.flare.launch.sped", "case.tap.check[0].hits"})
        keys = {problem.key for problem in told(GOOD.replace("at = [32.5, 1.5]", 'at = "here"'))}
        self.assertEqual(keys, {"target.wisp.at"})

    def test_the_nearest_name_is_found_by_any_road(self):
        self.assertEqual(nearest("At", ["shape", "at", "health"]), "did you mean at?")
        self.assertEqual(nearest("path", ["apex", "path_length"]), "did you mean path_length?")
        self.assertEqual(nearest("jump_speed", ["speed", "acceleration", "jump"]), "did you mean jump?")
        told(GOOD.replace("at = [32.5, 1.5]", "At = [32.5, 1.5]"), "did you mean at?")
        told(GOOD.replace('hits = "wisp"', 'measure = "path", at_least = 1'), "did you mean path_length?")

    def test_origins_are_those_of_who_wrote_last(self):
        below = Document("d", Path(), {}, {("a",): Origin("d", 1), ("a", "b"): Origin("d", 2)})
        over = below.laid_over({}, {("a", "b"): Origin("--set", 0)})
        self.assertEqual(str(over.origin(("a", "b", 0))), "--set")
        self.assertEqual(str(over.origin(("a", "c"))), "d:1")


class Warm(unittest.TestCase):
    """What a drill keeps for those that are made of it changes nothing of what is told of them."""

    def test_one_setting_after_another_is_as_each_on_a_drill_just_read(self):
        draws, wrong = random.Random(11), 0
        for name in ("breakwater", "deck", "jetty", "mole", "quay", "wharf"):
            path = Path(nivvo.__file__).parent / f"demo/{name}.toml"
            warm = nivvo.load(path)
            tables = warm.document.tables
            keys = [key for key in leaves(tables) if key.split(".")[0] in ("ability", "shooter", "target", "world")]
            values = {key: functools.reduce(lambda table, part: table[part], key.split("."), tables) for key in keys}
            keys = [key for key in keys if not isinstance(values[key], dict)]
            # Buttons, by which cases and abilities hang together, and others.
            buttons = [key for key in keys if key.endswith("button")]
            for key in buttons + draws.sample(keys, 60 if DEEP else 6):
                setting, case = {key: self._another(draws, values[key])}, draws.choice(warm.cases)
                with self.subTest(name, case=case, **setting):
                    fresh = self._told(nivvo.load, (path, setting), case)
                    self.assertEqual(self._told(warm.with_settings, (setting,), case), fresh)
                    wrong += isinstance(fresh, str)
        self.assertGreater(wrong, 10)

    @staticmethod
    def _told(make, of, case):
        """All that is wrong with a drill; else its effective values, and what happens in a case."""
        try:
            drill = make(*of)
        except nivvo.DrillError as error:
            return str(error)
        return drill.as_rows(), nivvo.fire(drill, case, keep="contacts", patient=True).digest

    @staticmethod
    def _another(draws, value):
        """A value in place of one, which may be right or wrong."""
        if isinstance(value, bool):
            return not value
        if isinstance(value, (int, float)):
            return draws.choice([0.5 * value, 0.9 * value, 1.1 * value, 2 * value, 0, -value, 1e13])
        return draws.choice(["wisps", "end", 2, [1, 2], [1, 2, 3], value])


class Hostile(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def refused(self, text, *words):
        told(text, *words, folder=self.folder)

    def test_keys_and_numbers_that_no_drill_can_mean(self):
        self.refused('"a.b" = 1\n' + GOOD, "a.b", "unknown key")
        self.refused(GOOD.replace("speed = 18", "speed = 0x" + "f" * 5000), "64 bits")
        self.refused(GOOD + "[tick]\nframes = [1e-13]\n", "frames[0]", "1e-05")
        self.refused(GOOD + "[world]\nmetre = 5e-324\n", "world.metre")
        life = 'speed = 18\nlimits.life = { by = "random", mean = 2, deviation = 1e12 }'
        self.refused(GOOD.replace("speed = 18", life), "life", "86400")
        late = 'input = [{ t = "999999999 ticks", tap = "fire" }]\n[tick]\nrate = 1.0153686870565666\n'
        self.refused(GOOD + late, "input[0].t", "at most 86400 s")
        with self.assertRaises(nivvo.DrillError):
            nivvo.from_tables({3: 4})
        endless = {"nivvo": 1}
        endless["ability"] = endless
        with self.assertRaises(nivvo.DrillError):
            nivvo.from_tables(endless)

    def test_files_that_are_none(self):
        (self.folder / "loop.toml").symlink_to("loop.toml")
        os.mkfifo(self.folder / "pipe")
        for name in ("a\\u0000b", "loop.toml", "pipe", "/dev/zero", "."):
            self.refused(f'use = ["{name}"]\n' + GOOD, "use")
            self.refused(GOOD + f'track = "{name}"\n', "track")
            read = f'speed = {{ by = "read", file = "{name}", row = 1, column = 1 }}'
            self.refused(GOOD.replace("speed = 18", read))
            with self.assertRaises(nivvo.DrillError):
                nivvo.fire(nivvo.parse(GOOD + f'[tick]\nframes = "{name}"\n', folder=self.folder))

    def test_each_file_is_read_once_and_only_so_many(self):
        for k in range(25):
            (self.folder / f"l{k}.toml").write_text(f'nivvo = 1\nuse = ["l{k + 1}.toml", "l{k + 1}.toml"]\n')
        (self.folder / "l25.toml").write_text(GOOD)
        started = time.perf_counter()
        nivvo.load(self.folder / "l0.toml")
        self.assertLess(time.perf_counter() - started, 2.0)
        for k in range(80):
            (self.folder / f"m{k}.toml").write_text("nivvo = 1\n")
        self.refused(f"use = {[f'm{k}.toml' for k in range(80)]}\n" + GOOD, "at most 64 files")

    def test_reading_takes_time_in_proportion_to_size(self):
        def seconds(text):
            started = time.process_time()
            try:
                nivvo.parse(text)
            except nivvo.DrillError as error:
                str(error)
            return time.process_time() - started

        def likes(n):
            return GOOD + "".join(f'[target.o{k}]\nlike = "wisp"\n' for k in range(n))

        def chain(n):
            links = "".join(f'[target.o{k}]\nlike = "o{k + 1}"\n' for k in range(n))
            return GOOD + links + f"[target.o{n}]\nat = [1, 1]\n"

        def cases(n):
            body, case = "[target.o{0}]\nat = [{0}, 50]\n", "[case.c{0}]\nset.'world.gravity' = 1.{0}\n"
            return GOOD + "".join((body + case).format(k) for k in range(n))

        def wrong(n):
            bodies = "".join(f"[target.o{k}]\nat = [1, 1]\n" for k in range(n))
            return GOOD + bodies + "[case.w]\ncheck = [" + ", ".join(['{ hits = "zzzz" }'] * n) + "]\n"

        for name, made in (("likes", likes), ("chain", chain), ("cases", cases), ("wrong", wrong)):
            with self.subTest(name):
                # The less of two: what else a machine does, as clearing memory, costs now and then.
                small, large = (min(seconds(made(n)) for _ in range(2)) for n in (250, 1000))
                self.assertLess(large, 8.0 * small + 0.4, f"{small:.3f} s, then {large:.3f} s for four times as much")

    def test_what_goes_on_for_ever_is_refused_or_over_at_once(self):
        def case(rows):
            return GOOD + f"input = [{rows}]\n"

        self.refused(case(", ".join(['{ t = 0, tap = "fire", count = 100000, every = 0.0 }'] * 100)), "200,000")
        glide = '{ t = 0, cursor = [0, 1] }, { t = 86400, cursor = [1, 1], glide = true }, { t = 0, tap = "fire" }'
        self.refused(case(glide), "glide")
        saw = "[obstacle.saw]\nat = [5, 5]\nshape.ball = 1\nmove.through = [[5, 5.0001]]\nmove.speed = 1000\n"
        self.refused(GOOD + saw + 'move.at_end = "back"\n', "turns", "32 turns a tick")
        (self.folder / "press.csv").write_text("0,press,fire\n")
        stream = 'speed = 18\nfiring = { kind = "auto", rate = 5 }'
        self.refused(GOOD.replace("speed = 18", stream) + 'track = "press.csv"\n', "never released", "press.csv:1")


class Sheets(unittest.TestCase):
    def test_no_row_column_or_key_is_there_twice(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for name, text, words in (
            ("a.csv", "name,v\nx,1\nx,2\n", "row 'x' already"),
            ("b.csv", "name,v,v\nx,1,2\n", "two columns"),
            ("c.json", '{"x": {"v": 1, "v": 2}}', "there twice"),
            ("d.csv", 'name,v\nx,"1\n', "quote is never closed"),
            ("e.json", '{"x": {"v": 1' + "0" * 5000 + "}}", "too large"),
            ("f.csv", "name,v\nx,1,2\n", "3 values"),
        ):
            (folder / name).write_text(text)
            read = f'speed = {{ by = "read", file = "{name}", row = "x", column = "v" }}'
            with self.subTest(name):
                told(GOOD.replace("speed = 18", read), words, folder=folder)

    def test_a_whole_number_may_be_read_too(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "n.csv").write_text("name,n\na,3\n")
        read = 'launch.fan = 10\nlaunch.count = { by = "read", file = "n.csv", row = "a", column = "n" }\nlaunch.speed'
        run = nivvo.fire(nivvo.parse(GOOD.replace("launch.speed", read), folder=folder))
        self.assertEqual(run.rows("shots")[0]["projectiles"], 3)


class Tracks(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def made(self, text):
        (self.folder / "log.csv").write_text(text)
        return GOOD + 'track = "log.csv"\n'

    def test_a_track_is_as_strict_as_inputs(self):
        for text, words in (
            ("", "no rows"),
            ("time,control,value\n", "no rows"),
            ("hello world\n", "not a time"),
            ("0,tap,fyre\n", "no ability in hand listens"),
            ("0,tap,fire,keper\n", "there is no shooter"),
            ("0,tap,fire,3\n", "takes one button"),
            ("0,tap,fire,keeper,more\n", "one button"),
            ('0,tap,"fire\n0.5,tap,fire\n', "quote is never closed"),
            ("0,cursor,1e300,1\n", "cursor"),
            ("0,cursor,1,2,3\n", "2 numbers"),
            ("0,stick,2,0\n", "stick"),
            ("0,look,1,2\n", "[direction]"),
            ("0,walk,1,0\n", "nobody walks"),
            ("0,move,1,0\n", "now called walk"),
            ("0,screen,1,0\n", "camera"),
            ("nan,tap,fire\n", "t: "),
            ("0,moved,wisp\n", "a body and its place"),
            ("0,moved,3,4\n", "a body and its place"),
            ("0,moved,wisp,3,4,5\n", "2 numbers"),
            ("0,put,wisq,3,4\n", "no body of that name"),
            ("0,moved,wisp,3,inf\n", "to: "),
            ("time,value,control\n0,tap,fire\n", "a heading is"),
        ):
            with self.subTest(text):
                told(self.made(text), words, "log.csv", folder=self.folder)

    def test_what_the_game_moves_is_as_strict(self):
        for row, words in (
            ('t = 0, body = "wisp"', "to, or through"),
            ('t = 0, body = "wisp", to = [1, 2], through = [[1, 2]]', "to, or through"),
            ('t = 0, body = "wisp", through = [[1, 2]], jump = true', "jump goes with to"),
            ('t = 0, body = "wisp", through = [[1, 2], [3, 4, 5]]', "2 numbers"),
            ('t = 0, body = "wisp", through = []', "through"),
            ('t = 0, body = "wisk", to = [1, 2]', "did you mean wisp"),
            ('t = -1, body = "wisp", to = [1, 2]', "t"),
            ('body = "wisp", to = [1, 2]', "t"),
            ('t = 0, body = "wisp", too = [1, 2]', "to"),
        ):
            with self.subTest(row):
                told(GOOD + f"moved = [{{ {row} }}]\n", words, "moved")

    def test_rows_of_a_track_do_what_the_same_inputs_do(self):
        text = "time,control,value,shooter\n0.1,tap,fire,keeper\n0.3,press,fire,\n0.4,release,fire\n"
        rows = '{ t = 0.1, tap = "fire" }, { t = 0.3, press = "fire" }, { t = 0.4, release = "fire" }'
        logged = nivvo.fire(nivvo.parse(self.made(text), folder=self.folder))
        self.assertEqual(logged.digest, nivvo.fire(nivvo.parse(GOOD + f"input = [{rows}]\n")).digest)

    def test_moves_of_a_track_are_those_of_the_case(self):
        heading = "time,control,value\n0,tap,fire\n"
        log = "".join(f"{(20 + k) / 60!r}, moved, wisp, {9 - 0.1 * k!r}, 1.5\n" for k in range(30))
        logged = self.made(heading + log + "0.9, put, wisp, 12, 5\n")
        through = f"through = {[[9 - 0.1 * k, 1.5] for k in range(30)]}"
        # From the next tick's start on: 20 of 60 a second are a third of a second.
        for start in ('"20 ticks"', "0.3333"):
            moved = (
                f'{{ t = {start}, body = "wisp", {through} }}, {{ t = 0.9, body = "wisp", to = [12, 5], jump = true }}'
            )
            runs = [
                nivvo.fire(nivvo.parse(text, folder=self.folder)) for text in (logged, GOOD + f"moved = [{moved}]\n")
            ]
            gaps = [nivvo.measure(run, "nearest", "wisp")[0] for run in runs]
            self.assertEqual(*gaps)
            path, wisp = runs[0].flight("flare-1"), runs[0].stage.number["wisp"]
            times = np.linspace(0.0, path.t[-1], 20_000)
            # Slowly: where it stands, on its way, then standing at the end of it, then where it was put.
            ends = np.array([9 - 0.1 * k for k in range(30)])
            edges = np.array([20, *range(21, 51)]) / 60
            x = np.interp(times, edges, [32.5, *ends], left=32.5)
            here = np.where((times < 0.9)[:, None], np.stack([x, np.full(len(x), 1.5)], axis=1), [12.0, 5.0])
            far = np.hypot(*(path.line(times)[:, :2] - here).T)
            radius = float(runs[0].scene.bodies[wisp]["radius"]) + 0.1
            self.assertAlmostEqual(gaps[0], far.min() - radius, delta=1e-3)
