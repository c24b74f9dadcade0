"""Firing a case: what happens, when, and that nothing else changes it."""

import itertools
import json
import os
import tempfile
import tomllib
import unittest
from pathlib import Path

import numpy as np
import pandas as pd

import nivvo
from nivvo.core.launching import ballistics
from nivvo.core.tick import advance
from nivvo.spec.scenes.case import MEASURES
from tests.play.drills import drill

DEMO = Path(nivvo.__file__).parent / "demo"


def demo(name):
    return nivvo.load(DEMO / f"{name}.toml")


class Events(unittest.TestCase):
    def test_a_lob_flies_and_lands_as_the_closed_form_says(self):
        made = drill().with_settings({"target.wisp.at": [200, 2]})
        run = nivvo.fire(made)
        shot, end = run.rows("shots")[0], run.rows("projectiles")[0]
        t = ballistics.time_of_flight(18, 40, 9.81, 0.1 - shot["y"])
        self.assertAlmostEqual(end["flight_time"], t, delta=1e-12)
        self.assertAlmostEqual(end["range"], ballistics.range_to(18, 40, 9.81, 0.1 - shot["y"]), delta=1e-11)
        self.assertAlmostEqual(end["apex"], ballistics.apex_height(18, 40, 9.81), delta=1e-12)
        self.assertEqual(end["reason"], "touched ground")
        contact = run.rows("contacts")[0]
        self.assertAlmostEqual(contact["y"], 0.0, delta=1e-12)
        self.assertEqual((contact["normal_x"], contact["normal_y"]), (0.0, 1.0))
        up = np.sqrt((18 * np.sin(np.radians(40))) ** 2 + 2 * 9.81 * (shot["y"] - 0.1))
        self.assertAlmostEqual(contact["angle"], np.degrees(np.arctan2(up, 18 * np.cos(np.radians(40)))), delta=1e-9)

    def test_damage_adds_up_until_the_target_is_out_and_the_next_flies_on(self):
        inputs = ", ".join(f'{{ t = {k}, tap = "fire" }}' for k in (0, 1, 2, 3))
        run = nivvo.fire(drill(case=f"input = [{inputs}]"))
        self.assertEqual([row["after"] for row in run.rows("effects")], [18.0, 6.0, 0.0])
        target = run.rows("targets")[0]
        self.assertEqual((target["damage"], target["health_left"], target["contacts"]), (36.0, 0.0, 3))
        self.assertAlmostEqual(target["out_at"], run.rows("contacts")[2]["time"])
        self.assertEqual(run.rows("projectiles")[3]["reason"], "touched ground")

    def test_a_press_while_held_is_no_press_and_each_use_fires_once(self):
        rows = ['press = "fire"', 'press = "fire"', 'release = "fire"', 'press = "fire"']
        inputs = ", ".join(f"{{ t = {k / 10}, {row} }}" for k, row in enumerate(rows))
        run = nivvo.fire(drill(case=f"input = [{inputs}]"))
        self.assertEqual([row["time"] for row in run.rows("shots")], [0.0, 0.3])
        held = nivvo.fire(drill(case='input = [{ t = 0.2, hold = "fire", held = 5 }]'))
        self.assertEqual(len(held.rows("shots")), 1)

    def test_inputs_at_ticks_are_seen_at_the_next_edge(self):
        for t, seen in ((0.1, 0.1), (0.11, 7 / 60), (0.0, 0.0)):
            made = drill(tick='input = "at ticks"', case=f'input = [{{ t = {t}, tap = "fire" }}]')
            shot = nivvo.fire(made).rows("shots")[0]
            self.assertEqual((shot["time"], shot["pressed"]), (seen, t))

    def test_a_cursor_counts_from_its_time_on(self):
        made = drill(
            ability='aim.by = "cursor"\nwithout = ["launch.elevation"]',
            case='input = [{ t = 0, cursor = [9, 1] }, { t = 1, tap = "fire" }, '
            '{ t = 2, cursor = [0, 9], tap = "fire" }]',
        )
        directions = [row["direction"] for row in nivvo.fire(made).rows("shots")]
        np.testing.assert_allclose(directions, [0, 90], atol=1e-12)

    def test_uneven_frames_are_taken_in_turn_also_from_a_file(self):
        frames = [0.016, 0.02, 0.033]
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "frames.csv").write_text("seconds\n" + "\n".join(str(f) for f in frames) + "\n")
        text = 'nivvo = 1\n[tick]\nmotion = "explicit"\nframes = {}\n[ability.a]\nlaunch.speed = 9\nlimits.life = 0.2\n'
        here = nivvo.fire(nivvo.parse(text.format(frames)))
        there = nivvo.fire(nivvo.parse(text.format('"frames.csv"'), folder=folder))
        self.assertEqual(here.digest, there.digest)
        times = np.cumsum([0.0, *frames, *frames, *frames])
        np.testing.assert_allclose(here.path("a-1")["time"][:9], times[:9], atol=1e-15)

    def test_a_case_that_is_over_says_what_still_flies(self):
        run = nivvo.fire(drill(case="lasts = 0.5"))
        self.assertIn("still flying", run.rows("projectiles")[0]["reason"])

    def test_a_slip_through_a_thin_rail_is_told(self):
        run = nivvo.fire(demo("deck"), "through_the_rail")
        self.assertEqual([row["body"] for row in run.slipped()], ["rail"])
        swept = demo("deck").with_settings({"tick.contacts": "swept"})
        self.assertEqual(nivvo.fire(swept, "through_the_rail").rows("contacts")[0]["body"], "rail")


class SameBytes(unittest.TestCase):
    def test_the_same_case_twice_and_compiled_or_not(self):
        for name in ("quay", "deck", "breakwater"):
            for case in demo(name).cases:
                digests = {nivvo.fire(demo(name), case).digest}
                old = os.environ.get("NIVVO_COMPILE")
                for mode in ("never", "always"):
                    advance.forget()
                    os.environ["NIVVO_COMPILE"] = mode
                    digests.add(nivvo.fire(demo(name), case).digest)
                advance.forget()
                os.environ.pop("NIVVO_COMPILE")
                if old is not None:
                    os.environ["NIVVO_COMPILE"] = old
                digests.add(nivvo.fire(demo(name), case, compiled=True).digest)
                self.assertEqual(len(digests), 1, f"{name} {case}")

    def test_a_thousand_others_beside_it_change_nothing(self):
        tables = tomllib.loads((DEMO / "quay.toml").read_text())
        alone = nivvo.fire(nivvo.from_tables(tables), "flare")
        crowd = json.loads(json.dumps(tables))
        for k in range(1000):
            like = {
                "like": "flare",
                "shape": {"ball": 0.05},
                "on": {"anything": {"then": "ignore"}},
                "limits": {"life": 0.1},
            }
            like["firing"] = {"button": "flare"}
            crowd["ability"][f"other{k}"] = {**like, "without": ["on.wisps"]}
        crowd["case"]["flare"]["ability"] = ["flare", *(name for name in crowd["ability"] if name.startswith("other"))]
        beside = nivvo.fire(nivvo.from_tables(crowd), "flare")
        self.assertEqual(len(beside.rows("shots")), 1001)
        for table in ("shots", "projectiles"):
            mine = [row for row in beside.rows(table) if row["ability"] == "flare"]
            self.assertEqual(mine, alone.rows(table))
        mine = [row for row in beside.rows("contacts") if row["projectile"] == "flare-1"]
        self.assertEqual(mine, alone.rows("contacts"))
        pd.testing.assert_frame_equal(beside.path("flare-1"), alone.path("flare-1"))


class Runs(unittest.TestCase):
    def test_the_state_between_ticks_is_exact(self):
        run = nivvo.fire(drill())
        shot = run.rows("shots")[0]
        for t in (0.0, 0.0123, 0.77777, 1.3):
            row = run.at(t).iloc[0]
            self.assertAlmostEqual(row["x"], shot["x"] + shot["vx"] * t, delta=1e-12)
            self.assertAlmostEqual(row["y"], shot["y"] + shot["vy"] * t - 9.81 * t * t / 2, delta=1e-12)
        self.assertEqual(len(run.at(99.0)), 0)

    def test_in_a_games_own_step_it_moves_straight_between_ticks(self):
        for step in ("semi-implicit", "explicit", "verlet"):
            run = nivvo.fire(drill(tick=f'motion = "{step}"'))
            a, b = run.path("flare-1").iloc[3], run.path("flare-1").iloc[4]
            row = run.at((a["time"] + b["time"]) / 2).iloc[0]
            self.assertAlmostEqual(row["x"], (a["x"] + b["x"]) / 2, delta=1e-12)
            self.assertAlmostEqual(row["y"], (a["y"] + b["y"]) / 2, delta=1e-12)

    def test_tables_have_the_same_columns_full_or_empty(self):
        full, empty = nivvo.fire(drill()), nivvo.fire(drill(case="input = [{ t = 0, cursor = [1, 1] }]"))
        self.assertEqual(len(empty.rows("shots")), 0)
        for table in ("shots", "projectiles", "contacts", "effects", "targets", "events"):
            self.assertEqual(list(getattr(full, table).columns), list(getattr(empty, table).columns), table)

    def test_unknown_names_are_told_with_the_nearest(self):
        run = nivvo.fire(drill())
        for call, words in (
            (lambda: run.path("flare-2"), "flare-1"),
            (lambda: run.rows("contact"), "contacts"),
            (lambda: nivvo.fire(drill(), "tip"), "tap"),
            (lambda: nivvo.preview(drill(), ability="flair"), "flare"),
            (lambda: nivvo.save(run, "x", "xml"), "csv"),
        ):
            with self.assertRaises(nivvo.CallError) as caught:
                call()
            self.assertIn(words, str(caught.exception))

    def test_saved_tables_come_back_as_they_were(self):
        run = nivvo.fire(demo("breakwater"), "over_the_blocks")
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for kind, read in (("csv", pd.read_csv), ("parquet", pd.read_parquet)):
            nivvo.save(run, folder, kind)
            for table in ("shots", "contacts"):
                back = read(folder / f"over_the_blocks.{table}.{kind}")
                pd.testing.assert_frame_equal(back, getattr(run, table), check_dtype=False, check_exact=True) if (
                    kind == "parquet"
                ) else np.testing.assert_array_equal(back["time"], getattr(run, table)["time"])
        path = nivvo.save(run, folder, "json")[0]
        data = json.loads(path.read_text())
        self.assertEqual(data["digest"], run.digest)
        self.assertEqual(len(data["paths"]["flare-1"]["time"]), len(run.path("flare-1")))
        self.assertEqual(sorted(p.name for p in folder.iterdir() if p.name.startswith(".making")), [])

    def test_a_file_that_cannot_be_written_is_told_and_not_begun(self):
        run = nivvo.fire(drill())
        with self.assertRaises(nivvo.OutputError):
            nivvo.save(run, "/proc/nowhere", "csv")

    def test_nothing_is_kept_of_paths_when_only_contacts_are_asked_for(self):
        whole, light = nivvo.fire(drill()), nivvo.fire(drill(), keep="contacts")
        self.assertEqual(len(light.record.samples), 0)
        self.assertEqual(light.rows("contacts"), whole.rows("contacts"))
        with self.assertRaises(nivvo.CallError):
            nivvo.fire(drill(), keep="path")


class Previews(unittest.TestCase):
    def test_they_begin_when_it_is_fired_also_where_somebody_is_steered_earlier_in_that_tick(self):
        steps = ("exact", "semi-implicit", "explicit", "verlet")
        for step, first, ticks in itertools.product(steps, ("same", "next"), ("rate = 23", "frames = [0.032, 0.019]")):
            made = nivvo.parse(
                f"nivvo = 1\ntick.motion = '{step}'\ntick.first_move = '{first} tick'\ntick.{ticks}\n"
                "[shooter.keeper]\nwalk.speed = 2\n[ability.flare]\nlaunch.speed = 10\nlaunch.elevation = 40\n"
                "limits.life = 0.5\n[case.c]\ninput = [{ t = 0.1, walk = [1, 0] }, { t = 0.107, tap = 'fire' }]\n"
            )
            run, dots = nivvo.fire(made), nivvo.preview(made, at=0.107)
            path = run.flight("flare-1")
            self.assertEqual(path.t[0], 0.107)
            p, _ = path.at(dots.times + 0.107)
            np.testing.assert_allclose(dots.points, p[:, :2], rtol=0, atol=1e-9, err_msg=(step, first, ticks))

    def test_by_count_and_by_spacing(self):
        made = drill()
        self.assertEqual(len(nivvo.preview(made, count=7, every=0.05).points), 7)
        dots = nivvo.preview(made, spacing=0.5)
        gaps = np.linalg.norm(np.diff(dots.points, axis=0), axis=1)
        np.testing.assert_allclose(gaps, 0.5, atol=2e-3)

    def test_it_ends_at_the_first_touch_even_of_what_the_shot_passes(self):
        made = drill(
            text='[obstacle.post]\nat = [10, 7]\nshape.ball = 1\ngroup = "posts"\n', ability='on.posts.then = "pass"'
        )
        self.assertEqual(nivvo.preview(made).landing.body, "post")
        self.assertEqual(len(nivvo.fire(made).rows("contacts")), 2)

    def test_senseless_wishes_are_told(self):
        for wish in ({"count": 0}, {"every": -1}, {"spacing": float("nan")}, {"every": 1, "spacing": 1}, {"at": -1}):
            with self.assertRaises(nivvo.CallError):
                nivvo.preview(drill(), **wish)
        with self.assertRaises(nivvo.CallError):
            nivvo.preview(drill(), cursor=[1, 2, 3])


class Measures(unittest.TestCase):
    def test_every_measure_has_a_value_and_a_unit_that_agree_with_the_tables(self):
        run = nivvo.fire(demo("quay"), "flare")
        for name in MEASURES:
            of = "wisp" if MEASURES[name].needs_of or name == "damage" else None
            value, unit = nivvo.measure(run, name, of)
            # The wisp is not put out.
            self.assertEqual(np.isfinite(value), name != "time_to_kill", name)
            self.assertIsInstance(unit, str)
        self.assertEqual(nivvo.measure(run, "impact_speed")[0], run.contacts["speed"][0])
        self.assertEqual(nivvo.measure(run, "health", "wisp")[0], 25.0)
