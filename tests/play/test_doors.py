"""Shooters who walk through openings: where they come out, how fast, which way, and where there is no room."""

import math
import unittest

import numpy as np

import nivvo

TEXT = """nivvo = 1
{world}
[shooter.keeper]
at = {at}
shape.box = {shape}
walk = {{ speed = 6, acceleration = {pace} }}
[ability.near]
firing.button = "near"
launch.speed = 500
flight.gravity_share = 0
aim.by = "cursor"
muzzle_blocked = "fire anyway"
on.walls = {{ then = "end", anchor = {{ pairs_with = "far", opens = 1.5 }} }}
on.anything.then = "ignore"
[ability.far]
like = "near"
firing.button = "far"
on.walls = {{ then = "end", anchor = {{ pairs_with = "near", opens = 1.5 }} }}
{bodies}
[case.walk]
lasts = {lasts}
input = [{{ t = 0, cursor = {first}, tap = "near" }}, {{ t = 0.02, cursor = {second}, tap = "far" }},
         {{ t = 0.1, walk = {walk} }}]
"""
WALL = "[obstacle.{}]\nat = {}\nshape = {{ box = {}, turned = {} }}\ngroup = 'walls'\n"
QUAY = "[obstacle.quay]\nat = [0, 0]\nshape.half_space = 'up'\ngroup = '{}'\n"


def walked(bodies, first, second, walk, *, world="", at=(0, 1), shape=(0.6, 2), pace=60, lasts=3):
    text = TEXT.format(bodies=bodies, first=list(first), second=list(second), walk=list(walk), world=world,
                       at=list(at), shape=list(shape), pace=pace, lasts=lasts)  # fmt: skip
    run = nivvo.fire(nivvo.parse(text))
    rows = [row for row in run.rows("bodies") if row["body"] == "keeper"]
    return run, [row for row in run.rows("events") if row["what"] == "went through"], rows


class Doors(unittest.TestCase):
    PAIR = WALL.format("right", [8, 4], [1, 8], 0) + WALL.format("left", [-8, 4], [1, 8], 0) + QUAY.format("floor")

    def test_from_wall_to_wall_he_walks_on_at_his_height_and_pace(self):
        for sign, up in ((1, 1), (-1, 1), (1, -1)):
            pair, world = self.PAIR.replace("8, 4]", f"8, {4 * up}]"), "" if up > 0 else "world.y = 'down'"
            _, through, rows = walked(pair, [8, up], [-8, up], [sign, 0], world=world, at=(0, up))
            self.assertEqual(len(through), 1)
            # From 0 at 60 units/s² up to 6 units/s, to where he touches.
            comes = 0.1 + 0.1 + (7.2 - 0.3) / 6
            self.assertLessEqual(abs(through[0]["time"] - comes), 1 / 60 + 1e-9)
            after = next(row for row in rows if row["time"] >= through[0]["time"])
            np.testing.assert_allclose([after["x"], after["y"]], [-7.2 * sign, up], atol=1e-4)
            self.assertAlmostEqual(after["vx"], 6 * sign, delta=1e-6)
            self.assertAlmostEqual(
                rows[-1]["x"], -7.2 * sign + sign * 6 * (rows[-1]["time"] - after["time"]), delta=1e-4
            )

    def test_through_a_wall_of_blocks_as_through_one(self):
        blocks = "".join(WALL.format(f"b{k}", [8, 0.4 + 0.8 * k], [1, 0.8], 0) for k in range(10))
        pair = blocks + WALL.format("left", [-8, 4], [1, 8], 0) + QUAY.format("floor")
        whole, cut = (walked(one, [8, 1.3], [-8, 1], [1, 0]) for one in (self.PAIR, pair))
        self.assertEqual([len(one[1]) for one in (whole, cut)], [1, 1])
        np.testing.assert_allclose([row["x"] for row in cut[2]], [row["x"] for row in whole[2]], atol=1e-6)

    def test_who_falls_into_one_is_thrown_out_of_the_other(self):
        bodies = WALL.format("left", [-8, 4], [1, 8], 0) + QUAY.format("walls")
        _, through, rows = walked(bodies, [0.01, 0], [-8, 4], [0, 0], at=(0, 6), pace=0.01, lasts=1.2)
        self.assertEqual(len(through), 1)
        after = next(row for row in rows if row["time"] >= through[0]["time"])
        self.assertAlmostEqual(after["vx"], math.sqrt(2 * 9.81 * 5), delta=9.81 / 60)
        self.assertAlmostEqual(after["x"], -7.2, delta=1e-4)

    def test_his_way_turns_from_inward_of_one_to_outward_of_the_other_however_walls_stand(self):
        rng, went = np.random.default_rng(4), 0
        for _ in range(16):
            turns, places = rng.uniform(0, 360, 2).tolist(), ([9.0, 0.5], [-9.0, 1.0])
            bodies = WALL.format("one", places[0], [6, 6], turns[0]) + WALL.format("two", places[1], [6, 6], turns[1])
            run, through, rows = walked(bodies, *places, [1, 0], world="world.view = 'top'", at=(0, 0),
                                        shape=(0.4, 0.4), lasts=2)  # fmt: skip
            if not through:
                continue
            went += 1
            after = next(row for row in rows if row["time"] >= through[0]["time"])
            inward, outward = (complex(row["normal_x"], row["normal_y"]) for row in run.rows("contacts"))
            turned = complex(6, 0) / -inward * outward
            np.testing.assert_allclose([after["vx"], after["vy"]], [turned.real, turned.imag], atol=1e-6)
        self.assertGreater(went, 5)

    def test_in_space_out_of_one_that_moves(self):
        for turn in (0, 35, -70):
            s, c = math.sin(math.radians(turn)), math.cos(math.radians(turn))
            bodies = WALL.format("right", [8, 0, 4], [1, 9, 8], [0, 0, 0])
            bodies += WALL.format("left", [-9, 0, 4], [1, 9, 8], [turn, 0, 0]) + "move.velocity = [-1, 0.5, 0]\n"
            bodies += "[obstacle.quay]\nshape.half_space = 'up'\ngroup = 'floor'\n"
            _, through, rows = walked(bodies, [8, 0, 1], [-9, 0, 1], [1, 0], world="world.view = 'space'",
                                      at=(0, 0, 1), shape=(0.4, 0.4, 2))  # fmt: skip
            self.assertEqual(len(through), 1)
            after = next(row for row in rows if row["time"] >= through[0]["time"])
            # 6 units/s inward of one are 6 outward of the other, as that sees it.
            np.testing.assert_allclose([after["vx"], after["vy"], after["vz"]], [6 * c - 1, 6 * s + 0.5, 0], atol=1e-6)
            self.assertAlmostEqual(after["z"], 1, delta=1e-4)

    def test_where_there_is_no_room_he_stays_and_that_is_told_once(self):
        bale = "[target.bale]\nat = [-4.4, 4]\nshape.box = [6, 9]\narrives = 0.5\n"
        run, through, rows = walked(self.PAIR + bale, [8, 1], [-8, 1], [1, 0])
        self.assertEqual(through, [])
        (told,) = (row for row in run.rows("events") if row["what"] == "turned away")
        self.assertEqual((told["body"], told["detail"]), ("keeper", "no room at far-1"))
        self.assertAlmostEqual(rows[-1]["x"], 7.2, delta=1e-6)


if __name__ == "__main__":
    unittest.main()
