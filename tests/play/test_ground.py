"""Polygons, ellipses, chains of walls, ground of given heights, and bodies of several shapes."""

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image

import nivvo
from tests.core.slow import polygonal

TEXT = """nivvo = 1
[world]
{world}
[shooter.keeper]
at = {home}
[ability.rivet]
launch.velocity = {velocity}
shape.ball = {radius}
flight.gravity_share = {share}
limits.life = 6
muzzle_blocked = "fire anyway"
hits_owner = "never"
on.anything = {{ {answer} }}
{body}
[case.tap]
"""


def fired(body, *, world="", home=(0, 0), velocity=(1, 0), radius=0.1, share=0, answer='then = "end"', folder="."):
    # Written as forward and up, or forward, right and up.
    signs = (1, -1) if "down" in world else (1, -1, 1) if "space" in world else (1, 1)
    own = [float(sign * x) for sign, x in zip(signs, velocity, strict=True)]
    text = TEXT.format(world=world, home=[float(x) for x in home], velocity=own, radius=radius,
                       share=share, answer=answer, body=body)  # fmt: skip
    return nivvo.fire(nivvo.parse(text, folder=folder))


def ring(rng, n):
    """A convex polygon: points on an ellipse, in either sense."""
    turns = np.sort(rng.uniform(0, 2 * np.pi, n))
    while np.diff([*turns, turns[0] + 2 * np.pi]).min() < 0.15:
        turns = np.sort(rng.uniform(0, 2 * np.pi, n))
    points = np.column_stack([2 * np.cos(turns), np.sin(turns) * rng.uniform(0.5, 2)])
    return (points if rng.integers(2) else points[::-1]).round(6)


class Polygons(unittest.TestCase):
    def test_shots_touch_them_where_a_search_along_the_way_does_in_every_view(self):
        rng, touched = np.random.default_rng(11), 0
        for k in range(60):
            points, turned = ring(rng, int(rng.integers(3, 9))), round(float(rng.uniform(0, 360)), 3)
            c, s = math.cos(math.radians(turned)), math.sin(math.radians(turned))
            world = ('y = "up"', 'y = "down"', 'view = "top"', 'view = "space"')[k % 4]
            there = points @ np.array([[c, s], [-s, c]]) + [6, 0.5]
            start, way = np.array([-1.0, rng.uniform(-2, 3)]), np.array([4.0, rng.uniform(-1, 1)])
            radius = round(float(rng.uniform(0.01, 0.5)), 4)
            more, high = ("", ()) if k % 4 < 3 else (", tall = 4", (-1.0,))
            turns, flat = ([turned, 0, 0], [0.0]) if high else (turned, [])
            shape = f"polygon = {points.tolist()}, turned = {turns}{more}"
            run = fired(f"[obstacle.hull]\nat = {[6, 0.5, *high]}\nshape = {{ {shape} }}", world=world,
                        velocity=[*way, *flat], home=[*start, *flat], radius=radius)  # fmt: skip
            first = run.rows("shots")[0]
            begins = np.array([first["x"], first["y"]])
            times = np.linspace(0, 3, 601)
            gaps = polygonal(begins + way * times[:, None], there) - radius
            rows = run.rows("contacts")
            if not rows:
                self.assertGreater(gaps.min(), -1e-3)
                continue
            touched += 1
            at = begins + way * rows[0]["time"]
            self.assertAlmostEqual(polygonal(at[None], there)[0], radius, delta=1e-9)
            self.assertGreater(gaps[times < rows[0]["time"] - 1e-9].min(initial=1), -1e-9)
        self.assertGreater(touched, 20)

    def test_in_space_its_ends_are_as_flat_as_it_is_tall(self):
        body = "[obstacle.hull]\nat = [0, 0, 1]\nshape = { polygon = [[0, 0], [3, 0], [0, 3]], tall = 2 }"
        for home, velocity, goal in (([1, 1, 6], [0, 0, -2], [1, 1, 3]), ([0.5, 0.5, -4], [0, 0, 3], [0.5, 0.5, 1]),
                                     ([6, 6, 2], [-1, -1, 0], [1.5, 1.5, 2])):  # fmt: skip
            row = fired(body, world='view = "space"', home=home, velocity=velocity, radius=0.25).rows("contacts")[0]
            np.testing.assert_allclose([row[axis] for axis in "xyz"], goal, atol=1e-9)

    def test_its_middle_is_its_centroid_however_it_is_written(self):
        for turn in (0, 40, 110, 250):
            s, c = math.sin(math.radians(turn)), math.cos(math.radians(turn))
            corners = [[c * x - s * y, s * x + c * y] for x, y in ((0, 0), (3, 0.5), (1, 2))]
            run = fired(f"[target.fin]\nat = [20, 4]\nshape.polygon = {corners}")
            middle = run.stage.middle(run.scene.number["fin"], 0)[:2]
            np.testing.assert_allclose(middle, np.mean(corners, axis=0) + [20, 4], atol=1e-12)

    def test_an_ellipse_is_one_within_what_is_told(self):
        for turn in np.linspace(0, 350, 15):
            s, c = math.sin(math.radians(turn)), math.cos(math.radians(turn))
            run = fired("[obstacle.hull]\nshape = { ellipse = [6, 3], turned = 20 }", home=[12 * c, 12 * s],
                        velocity=[-3 * c, -3 * s], radius=1e-4)  # fmt: skip
            row = run.rows("contacts")[0]
            a = math.radians(20)
            x, y = row["x"] * math.cos(a) + row["y"] * math.sin(a), row["y"] * math.cos(a) - row["x"] * math.sin(a)
            self.assertAlmostEqual(math.hypot(x / 3, y / 1.5), 1.0, delta=0.0044)


class Ground(unittest.TestCase):
    def test_a_slope_of_it_throws_back_as_a_half_space_does_in_both_senses_of_y(self):
        for sign, world in ((1, ""), (-1, 'y = "down"')):
            heights = [0.3 * k for k in range(12)]
            ground = f"[obstacle.dunes]\nat = [-6, {-1.8 * sign}]\nshape.heights = {{ values = {heights}, every = 1 }}"
            plane = f"[obstacle.dunes]\nshape.half_space = [-0.3, {sign}]"
            answer = 'then = "bounce", restitution = 0.6, friction = 0.2, bounces = 3'
            runs = [fired(body, world=world, home=[-3, 4 * sign], velocity=[2, 0], share=1, answer=answer)
                    for body in (ground, plane)]  # fmt: skip
            for one, other in zip(*(run.rows("contacts")[:3] for run in runs), strict=True):
                for key in ("time", "x", "y", "normal_x", "normal_y", "speed"):
                    self.assertAlmostEqual(one[key], other[key], delta=1e-7, msg=key)

    def test_shots_come_down_on_it_and_none_passes(self):
        rng = np.random.default_rng(5)
        heights = rng.uniform(0, 2, 21).round(3)
        body = f"[obstacle.dunes]\nat = [-10, 0]\nshape.heights = {{ values = {heights.tolist()}, every = 1 }}"
        for _ in range(40):
            home, way = [rng.uniform(-8, 8), 3.5], [rng.uniform(-9, 9), rng.uniform(-3, 3)]
            run = fired(body, home=home, velocity=way, radius=1e-6, share=1)
            for row in run.rows("contacts"):
                at = np.interp(row["x"], np.arange(-10, 11), heights)
                self.assertAlmostEqual(row["y"], at, delta=1e-5)
            end = run.rows("projectiles")[0]
            self.assertTrue(run.rows("contacts") or abs(end["end_x"]) > 10, (home, way))

    def test_a_grid_of_it_in_space_from_a_file_or_a_picture(self):
        rng = np.random.default_rng(6)
        dots = rng.integers(0, 256, (5, 7))
        heights = dots * (3.0 / 255)
        with tempfile.TemporaryDirectory() as folder:
            Image.fromarray(dots[::-1].astype(np.uint8)).save(Path(folder) / "dunes.png")
            (Path(folder) / "dunes.csv").write_text("\n".join(",".join(repr(float(x)) for x in row) for row in heights))
            for shape in (f"values = {heights.tolist()}", 'file = "dunes.csv"', 'file = "dunes.png", high = 3'):
                body = f"[obstacle.dunes]\nat = [1, 2, 0.5]\nshape.heights = {{ {shape}, every = 1.5 }}"
                for x, y in rng.uniform([1.1, 2.1], [9.9, 7.9], (12, 2)):
                    run = fired(body, world='view = "space"', home=[x, y, 9], velocity=[0, 0, -1], radius=1e-6,
                                share=1, folder=folder)  # fmt: skip
                    row = run.rows("contacts")[0]
                    i, j = (row["x"] - 1) / 1.5, (row["y"] - 2) / 1.5
                    k, l, u, v = int(i), int(j), i % 1, j % 1  # noqa: E741
                    a, b, c, d = heights[l, k], heights[l, k + 1], heights[l + 1, k + 1], heights[l + 1, k]
                    # Each cell is two flat halves, parted from its first corner to the opposite one.
                    at = a + (b - a) * u + (c - b) * v if u > v else a + (d - a) * v + (c - d) * u
                    self.assertAlmostEqual(row["z"], 0.5 + at, delta=1e-5)

    def test_what_is_wrong_with_it_is_told(self):
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "hole.csv").write_text("1,2,3\n1,2\n")
            (Path(folder) / "word.csv").write_text("1,2\n1,reef\n")
            (Path(folder) / "no.png").write_text("no picture")
            for keys, world, says in (
                ("values = [1]", "", "at least 2"), ("values = [[1, 2], [1, 2]]", "", "one row"),
                ("values = [1, 2]", 'view = "space"', "rows of a grid"),
                ("values = [1, 2]", 'view = "top"', "flat top"),
                ('file = "hole.csv"', 'view = "space"', "hole: row 2"), ('file = "word.csv"', "", "reef"),
                ('file = "sea.csv"', "", "no such file"), ('file = "no.png", high = 2', "", "not a PNG"),
                ('file = "no.png"', "", "how high white is"), ("values = [1, 2], high = 3", "", "PNG"),
            ):  # fmt: skip
                size = 3 if "space" in world else 2
                with self.assertRaises(nivvo.DrillError, msg=keys) as caught:
                    fired(f"[obstacle.dunes]\nshape.heights = {{ {keys}, every = 1 }}", world=world, folder=folder,
                          home=[0] * size, velocity=[1] * size)  # fmt: skip
                self.assertIn(says, str(caught.exception), keys)


class Chains(unittest.TestCase):
    def test_out_of_a_closed_one_nothing_comes_neither_at_its_corners(self):
        rng = np.random.default_rng(8)
        for thick in (0.0, 0.3):
            points = [[4, 0], [1.5, 3], [-3, 2.5], [-4, -1], [0.5, -3.5]]
            body = f"[obstacle.fence]\nshape = {{ chain = {points}, closed = true, thick = {thick} }}"
            aims = [*points, *rng.uniform(-4, 4, (15, 2)).tolist()]
            for aim in aims:
                run = fired(
                    body,
                    velocity=[20 * x for x in aim],
                    radius=0.02,
                    answer='then = "bounce", restitution = 1, bounces = 40',
                )
                self.assertGreater(len(run.rows("contacts")), 3)
                for row in run.rows("contacts"):
                    self.assertLess(math.hypot(row["x"], row["y"]), 4.5)
                    self.assertEqual(row["body"], "fence")

    def test_in_space_it_is_as_tall_as_is_written_with_its_corners_filled(self):
        body = ("[obstacle.fence]\nat = [0, 0, 1]\n"
                "shape = { chain = [[5, -4, 0], [5, 0, 0], [9, 0, 0]], thick = 0.6, tall = 2 }")  # fmt: skip
        for height, met in ((2.9, True), (3.2, False), (1.05, True), (0.7, False)):
            for aside in (-2.0, 0.0, 0.25):
                run = fired(body, world='view = "space"', home=[0, aside, height], velocity=[8, 0, 0], radius=0.05)
                self.assertEqual(bool(run.rows("contacts")), met, (height, aside))
        # Its outer corner is round: at 45 degrees it is met half its thickness from the point.
        run = fired(body, world='view = "space"', home=[2, 3, 2], velocity=[3, -3, 0], radius=0.05)
        row = run.rows("contacts")[0]
        self.assertAlmostEqual(math.hypot(row["x"] - 5, row["y"]), 0.3, delta=0.3 * 0.0044 + 1e-3)


class Parts(unittest.TestCase):
    BODY = """[obstacle.crane]
at = [8, 0]
move.velocity = [0, 1]
parts = [{ shape.box = [0.6, 4] }, { at = [-1, 2], shape.box = [2, 0.5] }, { at = [-2, 1.5], shape.ball = 0.5 }]
"""

    def test_they_go_by_one_name_and_move_together(self):
        for height, dx in ((0.0, 8 - 0.3), (2.2, 6.5 - 0.5)):
            run = fired(self.BODY, home=[0, height], velocity=[50, 0], radius=0.01)
            row = run.rows("contacts")[0]
            self.assertEqual(row["body"], "crane")
            self.assertLess(abs(row["x"] - dx), 0.8)
        touches = nivvo.touching(nivvo.parse(TEXT.format(world="", home=[0, 0], velocity=[1, 0], radius=0.1, share=0,
                                                         answer='then = "end"', body=self.BODY)))  # fmt: skip
        self.assertEqual([row["bodies"] for row in touches if row["group"] == "obstacles"], [1])

    def test_live_moves_and_removes_all_of_it_and_can_add_another(self):
        still = self.BODY.replace("move.velocity = [0, 1]\n", "")
        made = nivvo.parse(TEXT.format(world="", home=[0, 0], velocity=[60, 0], radius=0.05, share=0,
                                       answer='then = "end"', body=still))  # fmt: skip
        live = nivvo.Live(made, compiled=False)

        def met():
            live.tap("fire")
            told = []
            for _ in range(30):
                told += [event.name for event in live.step() if event.what == "contact"]
            return told

        self.assertEqual(live.place("crane").tolist(), [8, 0])
        self.assertEqual(met(), ["crane"])
        live.move_body("crane", [8, 9], jump=True)
        live.step()
        self.assertEqual((live.place("crane").tolist(), met()), ([8, 9], []))
        live.move_body("crane", [8, -2], jump=True)
        live.step()
        # Now the arm of it is in the way.
        self.assertEqual(met(), ["crane"])
        live.remove("crane")
        self.assertEqual(met(), [])
        live.add("obstacle", "reef", at=[9, -3], shape={"chain": [[0, 0], [1, 3], [0, 6]], "thick": 0.2})
        self.assertEqual(met(), ["reef"])

    def test_what_makes_no_sense_is_told(self):
        for body, says in (
            ("[obstacle.crane]\nat = [1, 1]", "needs shape, or parts"),
            ("[obstacle.crane]\nshape.ball = 1\nparts = [{ shape.ball = 1 }]", "needs shape, or parts"),
            ("[obstacle.crane]\nshape.chain = [[1, 1], [1, 1]]", "one point"),
            ("[target.gull]\nat = [1, 1]\nmove.circle = { centre = [1, 1], turn_rate = 9 }", "goes nowhere"),
            ("[target.gull]\nat = [1, 1]\nmove.timed = [[0, 2, 2]]", "than its at"),
            ("[obstacle.crane]\nmass = 2\nshape.heights = { values = [0, 1], every = 1 }", "heights are ground"),
            ("[target.gull]\nat = [1, 1]\nshape.chain = [[0, 0], [1, 1]]", "is for an obstacle"),
            ("[obstacle.crane]\nshape = { polygon = [[0, 0], [1, 0], [1, 1]], tall = 2 }", "only in 3D"),
            ("[obstacle.crane]\nshape = { ball = 1, closed = true }", "closed is for a chain"),
            ("[obstacle.crane]\nshape.polygon = [[0, 0], [4, 0], [1, 1], [0, 4]]", "not convex"),
            ("[obstacle.crane]\nshape.polygon = [[0, 2], [1.2, -1.6], [-1.9, 0.6], [1.9, 0.6], [-1.2, -1.6]]",
             "more than once"),
        ):  # fmt: skip
            with self.assertRaises(nivvo.DrillError, msg=body) as caught:
                fired(body)
            self.assertIn(says, str(caught.exception), body)


if __name__ == "__main__":
    unittest.main()
