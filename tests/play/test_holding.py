"""Hold tables, logged tracks, balance sheets, glides and timelines."""

import itertools
import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np

import nivvo
from nivvo.plan.case import case_of
from nivvo.play.engine import scratch
from nivvo.show.drawing.canvas import new_figure
from tests.deep import DEEP
from tests.play.drills import drill

CHARGE = """firing = { kind = "charge", full_after = 1.0 }
flight.drag.linear = 0
"""


def charge(more="", speed='{ by = "held", start = 5, end = 15 }'):
    made = drill(ability=CHARGE + more).document.tables
    made["ability"]["flare"]["launch"]["speed"] = {"by": "held", "start": 5.0, "end": 15.0}
    return nivvo.from_tables(made)


class Holds(unittest.TestCase):
    def test_each_row_is_what_that_hold_fires(self):
        made = charge()
        found = nivvo.hold_table(made, every=0.25, until=1.5)
        self.assertEqual((found.keys, found.full, found.turns_back), (["launch.speed"], 1.0, None))
        for row in found.rows:
            input_ = [{"t": 0.0, "hold": "fire", "held": row["held"]}]
            fired = nivvo.fire(nivvo.from_tables({**made.document.tables, "case": {"tap": {"input": input_}}}))
            shot, flown = fired.rows("shots")[0], fired.rows("projectiles")[0]
            self.assertAlmostEqual(shot["speed"], 5 + 10 * min(row["held"], 1.0), delta=1e-12)
            self.assertAlmostEqual(row["launch.speed"], shot["speed"], delta=1e-12)
            for key in ("range", "apex", "flight_time"):
                self.assertAlmostEqual(row[key], flown[key], delta=1e-9)

    def test_a_hold_that_fires_nothing_is_worth_nothing(self):
        for full, short in itertools.product(("wait", "let go", "fizzle", "fall back"), ("base", "nothing")):
            rules = f"at_full = '{full}', min_hold = 0.2, under_min_hold = '{short}'"
            text = (
                f"nivvo = 1\n[ability.lob]\nfiring = {{ kind = 'charge', full_after = 0.6, {rules} }}\n"
                "launch.speed = { by = 'held', start = 5, end = 15, over = 0.6 }\nlaunch.elevation = 40\n"
                "limits.life = 0.5\n[case.c]\ninput = [{ t = 0, hold = 'fire', held = %r }]\n"
            )
            found = nivvo.hold_table(nivvo.parse(text % 0.3))
            wanted = [0.0, 0.2] * (short == "nothing") + [0.6, 0.75] * (full == "fizzle")
            np.testing.assert_allclose([end for one in found.nothing for end in one[:2]], wanted, atol=2e-6)
            for row in found.rows[1:]:
                made = nivvo.parse(text % row["held"])
                run, dots = nivvo.fire(made), nivvo.preview(made, held=row["held"]).points
                self.assertEqual((not run.fired, not len(dots)), (math.isnan(row["launch.speed"]),) * 2, (rules, row))
                for shot, flown in zip(run.rows("shots"), run.rows("projectiles"), strict=True):
                    self.assertAlmostEqual(shot["speed"], row["launch.speed"], delta=1e-9, msg=f"{rules} {row}")
                    self.assertAlmostEqual(flown["range"], row["range"], delta=1e-9)

    def test_the_hold_that_a_solution_asks_for_reaches_the_point(self):
        rng, seen = np.random.default_rng(2), 0
        for n in range(60 if DEEP else 18):
            low, high = np.sort(rng.uniform(6, 22, 2)).round(2).tolist()
            speed = (
                f"start = {low}, end = {high}, over = 0.9, ease = '{('linear', 'in', 'out', 'in and out')[n % 4]}'",
                f"points = [[0.1, {low}], [0.4, {high}], [0.8, {low}]]",
                f"start = {low}, step = 0.7, every = 0.1, cap = {high}",
            )[n % 3]
            rules = ("", ", min_hold = 0.3", ", min_hold = 0.2, at_full = 'fizzle'", ", at_full = 'let go'")[n // 3 % 4]
            text = (
                f"nivvo = 1\n[ability.lob]\nfiring = {{ kind = 'charge', full_after = 0.7{rules} }}\n"
                f"launch = {{ elevation = 40, speed = {{ by = 'held', {speed} }} }}\nlimits.life = 9\n"
                f"[target.wisp]\nat = [{rng.uniform(8, 40)}, 1]\n"
                "[case.c]\ninput = [{ t = 0, hold = 'fire', held = %r }]\n"
            )
            for one in nivvo.solve(nivvo.parse(text % 0.4)):
                if one.how == "by elevation" and one.held == one.held:
                    run = nivvo.fire(nivvo.parse(text % one.held))
                    self.assertAlmostEqual(run.rows("shots")[0]["speed"], one.speed, delta=1e-6, msg=text)
                    self.assertEqual([row["body"] for row in run.rows("contacts")], ["wisp"], text)
                    seen += 1
                elif one.how == "by elevation" and "step" not in speed:
                    # None has that speed that counts: as the table of holds has it, to its steps.
                    rows = nivvo.hold_table(nivvo.parse(text % 0.4), until=1.0, every=0.01).rows
                    speeds = [row["launch.speed"] for row in rows if row["held"] >= 0.3 or "min_hold" not in rules]
                    crossed = [a < one.speed < b or b < one.speed < a for a, b in itertools.pairwise(speeds)]
                    self.assertFalse(any(crossed), text)
        self.assertGreater(seen, 5)

    def test_it_says_where_reach_turns_back_and_how_a_cap_is_met(self):
        tables = charge().document.tables
        keys = tables["ability"]["flare"]
        keys["launch"] = {"speed": 15.0, "elevation": {"by": "held", "points": [[0.0, 20.0], [1.0, 80.0]]}}
        keys["on"] = {"wisps": {"damage": {"by": "held", "start": 2.0, "step": 7.0, "every": 0.2, "cap": 30.0}}}
        found = nivvo.hold_table(nivvo.from_tables(tables), every=0.01, until=1.2)
        # From 1 m up the farthest throw leaves at a little less than 45 degrees.
        self.assertAlmostEqual(found.turns_back, (43.6 - 20) / 60, delta=0.02)
        self.assertEqual(found.capped, [("on.wisps.damage", 0.8, True)])
        values = {round(row["held"], 2): row["on.wisps.damage"] for row in found.rows}
        self.assertEqual([values[t] for t in (0.19, 0.2, 0.39, 0.79, 0.8, 1.2)], [2, 9, 9, 23, 30, 30])
        shown = nivvo.hold_table(nivvo.from_tables(tables)).rows
        jumps = [b["held"] for a, b in itertools.pairwise(shown) if a["on.wisps.damage"] != b["on.wisps.damage"]]
        np.testing.assert_allclose(jumps, [0.2, 0.4, 0.6, 0.8], atol=1e-12)

    def test_where_input_is_seen_at_ticks_rows_are_what_is_seen(self):
        for tick in ("rate = 20", "frames = [0.03, 0.05, 0.04]"):
            lean = "launch.elevation = { by = 'held', points = [[0, 20], [0.6, 80]] }"
            text = (f"nivvo = 1\ntick.input = 'at ticks'\ntick.{tick}\n[ability.lob]\nlaunch.speed = 15\n{lean}\n"
                    "firing = { kind = 'charge', full_after = 0.6 }\n[obstacle.quay]\nshape.half_space = 'up'\n"
                    "at = [0, -1]\n[case.c]\ninput = [{ t = 0, hold = 'fire', held = 0.1 }]\n")  # fmt: skip
            found = nivvo.hold_table(nivvo.parse(text))
            holds, reach = ([row[name] for row in found.rows] for name in ("held", "range"))
            self.assertTrue(found.stepped)
            self.assertEqual(found.turns_back, holds[int(np.argmax(reach))])
            for held in np.arange(0.004, 0.6, 0.013):
                run = nivvo.fire(nivvo.parse(text.replace("held = 0.1 }]", f"held = {held} }}]")))
                row = found.rows[int(np.searchsorted(holds, held - 1e-9))]
                self.assertAlmostEqual(run.rows("projectiles")[0]["range"], row["range"], delta=1e-9)
                self.assertAlmostEqual(run.rows("shots")[0]["held"], row["held"], delta=1e-9)

    def test_wrong_calls_are_told(self):
        with self.assertRaisesRegex(nivvo.CallError, "charges"):
            nivvo.hold_table(drill())
        with self.assertRaisesRegex(nivvo.CallError, "steps"):
            nivvo.hold_table(charge(), every=1e-9)

    def test_the_pictures(self):
        found = nivvo.hold_table(charge(), every=0.1, until=1.2)
        figure = new_figure(4)
        axes = nivvo.draw_hold_table(found, figure.axes)
        self.assertIn("speed (m/s)", [ax.get_ylabel() for ax in axes])
        made = drill(
            ability='firing = { kind = "auto", rate = 20 }\nlimits.life = 1',
            case='input = [{ t = 0.2, hold = "fire", held = 1.5 }]',
        )
        run = nivvo.fire(made)
        figure = new_figure(2)
        ax = nivvo.draw_timeline(run, *figure.axes)
        self.assertEqual([text.get_text() for text in ax.get_yticklabels()], ["fire button", "flare"])
        self.assertIn("rate x life = 20", figure.axes[1].texts[0].get_text())

    def test_a_press_that_came_to_no_shot_is_marked_and_no_other(self):
        charged = '"charge", full_after = 0.3, min_hold = 0.1, under_min_hold = "nothing", at_full = '
        for firing, presses, marks in (
            ('"single", cooldown = 0.5', 't = 0, tap = "fire" }, { t = 0.2, tap = "fire"', 1),
            ('"single", ammo = 1', 't = 0, tap = "fire" }, { t = 0.2, tap = "fire"', 1),
            (charged + '"fizzle"', 't = 0, hold = "fire", held = 0.5', 1),
            (charged + '"let go"', 't = 0, hold = "fire", held = 0.5', 0),
            (charged + '"wait"', 't = 0, hold = "fire", held = 0.05', 1),
            ('"ready", gives_up_after = 0.1', 't = 0, tap = "fire"', 1),
        ):
            made = drill(ability=f"firing = {{ kind = {firing} }}", case=f"input = [{{ {presses} }}]")
            run, figure = nivvo.fire(made), new_figure(2)
            ax = nivvo.draw_timeline(run, *figure.axes)
            crosses = [line for line in ax.lines if line.get_marker() == "x"]
            self.assertEqual(len(crosses), marks, firing)


class Tracks(unittest.TestCase):
    def played(self, text):
        with tempfile.TemporaryDirectory() as folder:
            Path(folder, "log.csv").write_text(text)
            made = drill(ability="limits.life = 0.1").document.tables
            made["case"]["tap"] = {"track": "log.csv"}
            return nivvo.fire(nivvo.from_tables(made, folder=folder)).rows("shots")

    def test_a_log_is_read_and_repaired_with_a_warning_that_says_what(self):
        text = "time,control,value\n0.5,tap,fire\n0.1,press,fire\n0.2,press,fire\n0.3,release,fire\n0.35,release,fire\n"
        with self.assertLogs("nivvo", "WARNING") as told:
            times = [row["time"] for row in self.played(text)]
        self.assertEqual(times, [0.1, 0.5])
        words = " ".join(told.output)
        for word in (
            "1 rows out of order",
            ":4: press of fire dropped: it was down already",
            ":6: release of fire dropped",
        ):
            self.assertIn(word, words)

    def test_what_cannot_be_repaired_is_refused(self):
        for text, words in (
            ("0.1,press\n", "no control|control"),
            ("0.1,jump,3\n", "control"),
            ("x\nsoon,press,fire\n", "not a time"),
            ("-1,press,fire\n", "0 to 86400"),
            ("0,cursor,1,here\n", "takes numbers"),
            ("0,cursor,1\n", "2 or 3 numbers"),
        ):
            with self.assertRaisesRegex(nivvo.DrillError, words):
                self.played(text)

    def test_a_control_glides_evenly_from_row_to_row(self):
        rows = "input = [{ t = 0, cursor = [10, 1] }, { t = 1, cursor = [10, 11], glide = true }]"
        made = drill(ability='aim.by = "cursor"', case=rows)
        player = scratch(case_of(made), 2 * 693_000_000_000).stage.players["keeper"]
        for k in (0, 13, 30, 59, 60):
            at = round(k / 60 * 693e9)
            np.testing.assert_allclose(player.cursor(at)[:2], [10, 1 + k / 6], atol=1e-9)


class Sheets(unittest.TestCase):
    def speed(self, name, text, row, column):
        with tempfile.TemporaryDirectory() as folder:
            Path(folder, name).write_text(text)
            made = drill().document.tables
            made["ability"]["flare"]["launch"]["speed"] = {"by": "read", "file": name, "row": row, "column": column}
            return nivvo.fire(nivvo.from_tables(made, folder=folder)).rows("shots")[0]["speed"]

    def test_numbers_of_a_balance_sheet(self):
        sheet = "name,speed,damage\nflare,17.5,3\nlob,12,4\n"
        self.assertAlmostEqual(self.speed("b.csv", sheet, "flare", "speed"), 17.5, delta=1e-12)
        self.assertAlmostEqual(
            self.speed("b.json", json.dumps({"flare": {"speed": 14}}), "flare", "speed"), 14, delta=1e-12
        )
        self.assertAlmostEqual(self.speed("c.json", json.dumps([{"v": 9.0}]), 0, "v"), 9.0, delta=1e-12)
        for name, text, row, column, words in (
            ("b.csv", sheet, "flair", "speed", "did you mean flare"),
            ("b.csv", sheet, "flare", "sped", "did you mean speed"),
            ("b.csv", sheet.replace("17.5", "fast"), "flare", "speed", "not a number"),
            ("b.csv", "name\n", "flare", "speed", "no rows"),
            ("b.json", "{", "flare", "speed", "not JSON"),
            ("b.json", "[1]", 3, "speed", "no row 3"),
        ):
            with self.assertRaisesRegex(nivvo.DrillError, words):
                self.speed(name, text, row, column)
