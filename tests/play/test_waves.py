"""Targets that arrive later, one or in waves: when, where, how many, and that nobody meets them before."""

import unittest

import numpy as np
from scipy.stats import chisquare

import nivvo
from nivvo.errors import DrillError
from nivvo.plan.bodies import expanded
from nivvo.show.words import absent

TEXT = """nivvo = 1
{view}
[ability.rivet]
firing = {{ kind = "auto", interval = 0.1 }}
aim.by = "nearest"
launch.speed = 60
flight.gravity_share = 0
limits.life = 1
on.targets.damage = 10
[target.gull]
{target}
health = 10
shape.ball = 0.5
{more}
[case.watch]
lasts = {lasts}
input = [{{ t = {press}, press = "fire" }}]
"""


def made(target, view="", lasts=6, press=0, more=""):
    return nivvo.parse(TEXT.format(target=target, view=view, lasts=lasts, press=press, more=more))


WAVE = "wave = { count = 5, every = 0.51, first = 0.3, places = [[10, 0], [0, 10], [-10, 2]] }"


class Arrivals(unittest.TestCase):
    def test_each_comes_at_the_next_ticks_start_and_is_met_no_sooner(self):
        run = nivvo.fire(made(WAVE))
        rows = {row["target"]: row for row in run.rows("targets")}
        self.assertEqual(sorted(rows), [f"gull-{k + 1}" for k in range(5)])
        for k in range(5):
            row = rows[f"gull-{k + 1}"]
            due = 0.3 + 0.51 * k
            self.assertGreaterEqual(row["arrived"], due - 1e-12)
            self.assertLess(row["arrived"], due + 1 / 60 + 1e-12)
            self.assertTrue(row["out_at"] > row["arrived"], row)
        for contact in run.rows("contacts"):
            self.assertGreaterEqual(contact["time"], rows[contact["body"]]["arrived"])
        times, count = run.population()
        self.assertEqual((count.max(), count[-1]), (1, 0))
        self.assertEqual(len(times), 10)

    def test_one_may_come_alone_and_moves_from_then_on(self):
        run = nivvo.fire(made("at = [30, 1]\narrives = 1.0\nmove.velocity = [-2, 0]", press=5.5))
        row = run.rows("targets")[0]
        self.assertEqual(row["arrived"], 1.0)
        motion = run.stage.motions[run.scene.number["gull"]]
        np.testing.assert_allclose(motion.seen(1.0)[0][:2], [30, 1])
        np.testing.assert_allclose(motion.seen(3.0)[0][:2], [26, 1])

    def test_at_given_times_each_comes_then_and_goes_which_way_is_drawn(self):
        told = "wave = { times = [2.0, 0.5, 2.0, 0.51], places = [[9, 9]], speed = [1, 3], direction = [20, 70] }"
        for view in ("", 'world.view = "top"'):
            run = nivvo.fire(made(told, view=view, press=5))
            rows = sorted(run.rows("targets"), key=lambda row: row["target"])
            for row, due in zip(rows, (0.5, 0.51, 2.0, 2.0), strict=True):
                self.assertTrue(due - 1e-12 <= row["arrived"] < due + 1 / 60 + 1e-12, row)
                place, way = run.stage.motions[run.scene.number[row["target"]]].seen(3.0)
                self.assertTrue(
                    1 <= np.hypot(*way[:2]) <= 3 and 20 <= np.degrees(np.arctan2(way[1], way[0])) <= 70, way
                )
                np.testing.assert_allclose(place[:2], [9, 9] + way[:2] * (3.0 - row["arrived"]), atol=1e-9)

    def test_who_does_not_come_before_the_end_is_told(self):
        run = nivvo.fire(
            made(
                "at = [9, 0]\nwave = { times = [1, 7, 8] }",
                more="[target.late]\nat = [1, 9]\narrives = 30\n[obstacle.gate]\nshape.ball = 1\narrives = 40",
            )
        )
        self.assertEqual(
            absent(run),
            [
                "gate had not come when the case ended: due at 40 s",
                "gull: 2 of 3 had not come when the case ended, the next due at 7 s",
                "late had not come when the case ended: due at 30 s",
            ],
        )
        self.assertEqual(absent(nivvo.fire(made(WAVE))), [])

    def test_they_chase_and_the_defence_holds(self):
        target = (
            "wave = { count = 12, every = 0.4, edges = [[-20, -20], [20, 20]] }\nmove = { chase = 'keeper', speed = 4 }"
        )
        run = nivvo.fire(made(target, view="world.view = 'top'", lasts=10))
        rows = run.rows("targets")
        self.assertTrue(all(np.isfinite(row["out_at"]) for row in rows))
        self.assertEqual(run.rows("totals")[0]["kills"], 12)
        again = nivvo.fire(made(target, view="world.view = 'top'", lasts=10))
        self.assertEqual(run.digest, again.digest)

    def test_what_makes_no_sense_is_told(self):
        for target, says in (
            ("wave = { count = 3, every = 1 }", "needs at"),
            ("at = [1, 1]\narrives = 1\nwave = { count = 3, every = 1 }", "write no arrives"),
            ("wave = { count = 3, every = 1, region = [[0, 0], [1, 1]], edges = [[0, 0], [1, 1]] }", "one of places"),
            ("wave = { count = 3, region = [[0, 0], [1, 1]] }", "count and every, or times"),
            ("at = [1, 1]\nwave = { times = [1], every = 1 }", "write times, or count and every"),
            ("at = [1, 1]\nwave = { times = [1], direction = [0, 9] }", "direction goes with speed"),
            ("at = [1, 1]\nwave = { times = [1], speed = [1, 2], direction = [9, 0] }", "more than the most"),
            ("wave = { count = 0, every = 1, region = [[0, 0], [1, 1]] }", "count"),
            ("wave = { count = 2, every = 1, region = [[0, 0], [1, 1]], speed = [3, 1] }", "more than the most"),
            ("wave = { count = 2, every = 1, places = [[0, 0, 1]] }", "positions of 2"),
        ):
            with self.assertRaises(DrillError, msg=target) as caught:
                made(target)
            self.assertIn(says, str(caught.exception), target)
        with self.assertRaises(DrillError) as caught:
            made(WAVE).with_settings({"case.watch.check": [{"hits": "gull-9"}]})
        self.assertIn("gull-", str(caught.exception))


class Most(unittest.TestCase):
    def test_no_more_than_that_are_there_and_who_waits_comes_when_one_leaves(self):
        run = nivvo.fire(made("at = [9, 0]\nwave = { count = 9, every = 0.05, most = 2 }", press=1, lasts=12))
        _, counts = run.population()
        self.assertEqual(counts.max(), 2)
        rows = run.rows("targets")
        self.assertTrue(all(np.isfinite(row["arrived"]) for row in rows))
        leaves = sorted(row["out_at"] for row in rows)
        for nth, row in enumerate(sorted(rows, key=lambda row: row["arrived"])[2:]):
            # At the start of the tick after the one in which a place became free.
            self.assertAlmostEqual(row["arrived"], np.ceil(leaves[nth] * 60 - 1e-9) / 60, delta=1e-9)
        said = {row["what"]: row["time"] for row in run.rows("events") if row["what"].startswith("wave")}
        self.assertAlmostEqual(said["wave complete"], max(row["arrived"] for row in rows), delta=1e-9)
        self.assertAlmostEqual(said["wave cleared"], leaves[-1], delta=1e-9)

    def test_or_is_turned_away(self):
        words = 'wave = { count = 9, every = 0.5, most = 3, when_full = "turn away" }'
        run = nivvo.fire(made("at = [9, 0]\n" + words, press=20, lasts=8))
        rows = run.rows("targets")
        self.assertEqual(sum(np.isfinite(row["arrived"]) for row in rows), 3)
        away = [row["time"] for row in run.rows("events") if row["what"] == "turned away"]
        np.testing.assert_allclose(away, [0.5 * k for k in range(3, 9)], atol=1e-9)
        self.assertEqual(run.population()[1].max(), 3)
        with self.assertRaises(DrillError) as caught:
            made('at = [9, 0]\nwave = { count = 9, every = 0.5, when_full = "wait" }')
        self.assertIn("when_full goes with most", str(caught.exception))


class Draws(unittest.TestCase):
    def test_all_sides_and_all_places_on_them_are_alike(self):
        # Sides of 30 and 10: places per length alike, tested at a level of one in ten thousand.
        drill = made("wave = { count = 500, every = 0.01, edges = [[0, 0], [30, 10]], speed = [1, 2] }")
        model, frame = (
            drill.of_case("watch").target["gull"],
            nivvo.fire(drill.with_settings({"case.watch.lasts": 0.1})).scene.frame,
        )
        along = []
        for seed in range(40):
            for _, one, _ in expanded("gull", model, frame, seed, 60.0):
                x, y = one.at
                on = [abs(y) < 1e-12, abs(x - 30) < 1e-12, abs(y - 10) < 1e-12, abs(x) < 1e-12]
                self.assertGreaterEqual(sum(on), 1)
                along.append((x, 30 + y, 40 + x, 70 + y)[on.index(True)])
                pace = np.hypot(*one.move.velocity)
                self.assertTrue(1 <= pace <= 2)
        counts, _ = np.histogram(along, 16, (0, 80))
        self.assertGreater(chisquare(counts).pvalue, 1e-4)
