"""Blinks: where a shooter arrives, in rooms, on slopes and in corners: inside nothing, or refused."""

import unittest

import numpy as np

import nivvo
from nivvo.core.shapes import ENDLESS, between, distance
from tests.core.bodies import body

TAPS = "input = [{ t = 0, tap = 'fire' }, { t = 1.5, tap = 'fire' }]"


def made(
    bodies, shape="shape.ball = 0.5", launch="launch.speed = 20", extra="", view="", rule="on.anything.blink = {}"
):
    away = [99, 99, 99] if view else [99, 99]
    return nivvo.parse(
        f"nivvo = 1\n{view}\n[shooter.keeper]\n{shape}\n[ability.hook]\n{launch}\nflight.gravity_share = 0\n{rule}\n"
        f"shape.ball = 0.05\nlimits.life = 2\n{bodies}\n[target.wisp]\nat = {away}\n[case.tap]\n{TAPS}\n"
    )


def arrived(run):
    """Where the shooter is at the end, and what was told."""
    rows = [row for row in run.rows("events") if row["what"] == "blinked"]
    last = max(row["ended"] for row in run.rows("projectiles"))
    return run.stage.motions[run.scene.number["keeper"]].seen(last + 0.1)[0], rows


def least(run, place):
    """The least gap between the shooter's body at a place and all others, by points all over its core."""
    row = run.scene.bodies[run.scene.number["keeper"]]
    half = np.where(np.isfinite(row["half"]), row["half"], 0.0)
    grid = np.stack(np.meshgrid(*[np.linspace(-h, h, 9 if h else 1) for h in half]), axis=-1).reshape(-1, 3)
    core = place + grid @ np.array([row["axis0"], row["axis1"], row["axis2"]])
    gaps = []
    for number, other in enumerate(run.scene.bodies):
        if number != run.scene.number["keeper"]:
            gaps += [distance(other, tuple((point - other["c0"]).tolist()))[0] for point in core]
    return min(gaps) - float(row["radius"])


class Blink(unittest.TestCase):
    def test_off_a_wall_it_stands_clear_of_it_and_fires_from_there(self):
        wall = "[obstacle.wall]\nat = [10, 0]\nshape.box = [1, 9]\n"
        run = nivvo.fire(made(wall))
        place, rows = arrived(run)
        self.assertAlmostEqual(place[0], 9.5 - 0.5, delta=1e-3)
        shots = run.rows("shots")
        self.assertAlmostEqual(shots[1]["x"] - shots[0]["x"], place[0], delta=1e-3)
        self.assertEqual(rows[0]["body"], "keeper")

    def test_a_further_press_brings_it_to_where_the_projectile_is(self):
        run = nivvo.fire(made("", rule="when.again.blink = { within = 0.5 }", launch="launch.speed = 4"))
        place, _ = arrived(run)
        self.assertAlmostEqual(place[0], 0.5 + 0.05 + 0.01 + 4 * 1.5, delta=1e-9)
        self.assertEqual(len(run.rows("shots")), 1)

    def test_random_rooms_slopes_and_corners(self):
        rng = np.random.default_rng(7)
        refused = went = 0
        shapes = (
            "shape.ball = 0.4",
            "shape.capsule = [[0, -0.5], [0, 0.5]]\nshape.radius = 0.3",
            "shape.box = [0.6, 1.8]",
        )
        for seed in range(45):
            boxes = "".join(
                f"[obstacle.b{k}]\nat = {rng.uniform(-1, 9, 2).round(2).tolist()}\n"
                f"shape.box = {rng.uniform(0.3, 3, 2).round(2).tolist()}\nshape.turned = {rng.uniform(0, 180):.1f}\n"
                for k in range(9)
            )
            launch = f"launch.speed = 20\nlaunch.elevation = {rng.uniform(-60, 60):.1f}\nmuzzle_blocked = 'fire anyway'"
            run = nivvo.fire(made(boxes, shapes[seed % 3], launch, rule="on.anything.blink = { within = 1.2 }"))
            place, rows = arrived(run)
            for row in rows[:1]:
                if row["detail"].startswith("to"):
                    went += 1
                    if len(rows) == 1:
                        self.assertGreaterEqual(least(run, place), -1e-5, seed)
                else:
                    refused += 1
        self.assertGreater(went, 20)

    def test_where_no_place_is_near_it_stays_and_says_so(self):
        room = "".join(
            f"[obstacle.w{k}]\nat = {at}\nshape.box = {size}\n"
            for k, (at, size) in enumerate((([10, 0.7], [8, 0.6]), ([10, -0.7], [8, 0.6]), ([14.5, 0], [1, 3])))
        )
        run = nivvo.fire(made(room, "shape.ball = 0.5", launch="launch.speed = 20"))
        place, rows = arrived(run)
        self.assertEqual(rows[0]["detail"], "no free place is near")
        np.testing.assert_array_equal(place, 0.0)

    def test_in_space_too(self):
        wall = "[obstacle.wall]\nat = [10, 0, 0]\nshape.box = [1, 9, 9]\nshape.turned = 30\n"
        run = nivvo.fire(
            made(wall, "shape.capsule = [[0, 0, -0.5], [0, 0, 0.5]]\nshape.radius = 0.3", view="world.view = 'space'")
        )
        place, rows = arrived(run)
        self.assertTrue(rows[0]["detail"].startswith("to"))
        self.assertGreaterEqual(least(run, place), -1e-5)


class Gap(unittest.TestCase):
    def test_between_two_bodies_as_a_dense_search_finds_it(self):
        rng = np.random.default_rng(3)
        for seed in range(60):
            one, other = body(int(rng.integers(0, 3)), rng), body(int(rng.integers(0, 3)), rng)
            at, there = np.zeros(3), rng.normal(0, 1.6, 3)
            gap, way = between(one, at, other, there)
            half = np.where(one["half"] == ENDLESS, 0.0, one["half"])
            grid = np.stack(np.meshgrid(*[np.linspace(-h, h, 41 if h else 1) for h in half]), axis=-1).reshape(-1, 3)
            core = grid @ np.array([one["axis0"], one["axis1"], one["axis2"]])
            dense = min(distance(other, tuple((p - there).tolist()))[0] for p in core) - float(one["radius"])
            if gap > 0:
                self.assertLessEqual(gap, dense + 1e-9, seed)
                self.assertGreater(gap, dense - 0.05, seed)
            if gap < 0:
                # Moved out as it says they touch no more.
                out, _ = between(one, at + (1e-9 - gap) * way, other, there)
                self.assertGreaterEqual(out, -1e-6, seed)
