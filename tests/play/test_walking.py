"""Shooters that walk among bodies: stopped by walls, up slopes and steps, carried, and never inside anything."""

import math
import unittest

import numpy as np

import nivvo
from nivvo.core.geometry.hulls import between
from nivvo.core.numbers.clock import UNITS
from tests.deep import DEEP

TEXT = """nivvo = 1
[world]
{world}
[tick]
rate = {rate}
motion = "{motion}"
[shooter.keeper]
at = {at}
shape = {{ {shape} }}
walk = {{ {walk} }}
[ability.flare]
launch.speed = 1
firing.button = "flare"
{bodies}
[case.walk]
lasts = {lasts}
input = [{rows}]
"""
QUAY = '[obstacle.quay]\nshape.half_space = "up"\n'
UPRIGHT = "capsule = [[0, -0.6], [0, 0.6]], radius = 0.3"


def walked(bodies, rows, *, at=(0, 0.9), shape=UPRIGHT, walk="speed = 3", world="", rate=60, motion="exact", lasts=3):
    made = nivvo.parse(TEXT.format(bodies=bodies, rows=", ".join(rows), at=list(at), shape=shape, walk=walk,
                                   world=world, rate=rate, motion=motion, lasts=lasts))  # fmt: skip
    run = nivvo.fire(made, patient=True)
    return run, run.stage.motions[run.scene.number["keeper"]]


def cells(sides, low):
    """The ground below each side, as corners of a triangle and of a box under it, about their middles."""
    for (x, y), (u, v) in sides:
        base = min(y, v)
        yield np.array([[x, low], [u, low], [u, base], [x, base]])
        yield np.array([[x, base], [u, base], [u, v] if v > y else [x, y]])


class Walls(unittest.TestCase):
    def test_one_stops_at_a_wall_and_goes_along_it_in_every_view_and_rate(self):
        for rate in (30, 60, 144):
            for motion in ("exact", "semi-implicit"):
                wall = f"{QUAY}[obstacle.wall]\nat = [4, 0]\nshape.box = [1, 6]\n"
                _, way = walked(wall, ["{ t = 0, walk = [1, 0] }"], rate=rate, motion=motion)
                for time in (0.5, 1.0):
                    np.testing.assert_allclose(way.seen(time)[0][:2], [3 * time, 0.9], atol=1e-6)
                np.testing.assert_allclose(way.seen(2.9)[0][:2], [3.2, 0.9], atol=1e-7)
                self.assertEqual(way.seen(2.9)[1].tolist(), [0, 0, 0])
        # Seen from above, at an angle to a wall that is turned: what goes along it stays.
        turned = math.radians(60)
        _, way = walked("[obstacle.fence]\nat = [2, 0]\nshape = { box = [40, 0.2], turned = 60 }",
                        ["{ t = 0, walk = [1, 0] }"], at=(0, 0), shape="ball = 0.4", world='view = "top"')  # fmt: skip
        along = np.array([math.cos(turned), math.sin(turned)])
        np.testing.assert_allclose(way.seen(2.0)[1][:2], 3 * along[0] * along, atol=1e-9)
        place = way.seen(2.0)[0][:2] - [2, 0]
        self.assertAlmostEqual(abs(place @ [-along[1], along[0]]), 0.5, delta=1e-7)

    def test_along_blocks_that_lie_flush_one_feels_no_seam(self):
        # From above, hugging a fence that is turned, and from the side over a quay with no step taken: whole and cut.
        for turn in (0.0, 30.0, -50.0):
            s, c = math.sin(math.radians(turn)), math.cos(math.radians(turn))
            for shape in (f"box = [0.6, 0.4], turned = {turn}", "box = [0.6, 0.4]", "ball = 0.3"):
                ends = []
                for wide in (24.0, 1.3, 0.4):
                    spots = [(k + 0.5) * wide - 12.0 for k in range(round(24.0 / wide))]
                    cut = f"shape = {{ box = [{wide}, 0.2], turned = {turn} }}"
                    fence = "".join(
                        f"[obstacle.b{k}]\nat = [{x * c + s}, {x * s - c}]\n{cut}\n" for k, x in enumerate(spots)
                    )
                    into = [0.8 * c + 0.4 * s, 0.8 * s - 0.4 * c]
                    rows = [f"{{ t = 0, walk = {into} }}", f"{{ t = 1.4, walk = {[-into[0], 0.5 * into[1]]} }}"]
                    _, way = walked(fence, rows, at=(0, 0), shape=shape, world='view = "top"')
                    ends.append(np.concatenate([way.seen(time)[0] for time in (1.3, 2.0, 2.9)]))
                np.testing.assert_allclose(ends[1:], [ends[0]] * 2, atol=1e-5, err_msg=f"{turn} {shape}")
        for shape in ("box = [0.6, 1.8]", "capsule = [[0, -0.6], [0, 0.6]], radius = 0.3"):
            blocks = "".join(f"[obstacle.b{k}]\nat = [{k * 0.7 - 7}, -1]\nshape.box = [0.7, 2]\n" for k in range(30))
            _, way = walked(blocks, ["{ t = 0, walk = [1, 0] }"], shape=shape, walk="speed = 3, step = 0")
            np.testing.assert_allclose(way.seen(2.5)[0][:2], [7.5, 0.9], atol=1e-5)

    def test_under_a_roof_that_he_just_fits_below_he_walks(self):
        for low in (0.0, 0.3, 1.1):
            quay = f"[obstacle.quay]\nat = [0, {low}]\nshape.half_space = 'up'\n"
            roof = f"[obstacle.roof]\nat = [4, {low + 2.3}]\nshape.box = [4, 1]\n"
            _, way = walked(quay + roof, ["{ t = 0, walk = [1, 0] }"], at=(0, low + 0.9), shape="box = [0.6, 1.8]")
            np.testing.assert_allclose(way.seen(2.9)[0][:2], [8.7, low + 0.9], atol=1e-5)

    def test_in_a_corner_one_stands_and_at_the_end_of_a_wall_one_goes_on(self):
        fences = "[obstacle.a]\nat = [3, 0]\nshape.box = [0.2, 4]\n[obstacle.b]\nat = [0, 2.1]\nshape.box = [6, 0.2]\n"
        _, way = walked(fences, ["{ t = 0, walk = [1, 1] }"], at=(0, 0), shape="ball = 0.4", world='view = "top"')
        np.testing.assert_allclose(way.seen(2.9)[0][:2], [2.5, 1.6], atol=1e-7)
        _, way = walked(fences, ["{ t = 0, walk = [1, -0.5] }"], at=(0, 0), shape="box = [0.8, 0.8]",
                        world='view = "top"')  # fmt: skip
        # It leaves the fence's end at y = -2.4, and has all its speed again.
        speed = 3 / math.hypot(1, 0.5)
        leaves = 2.4 / (0.5 * speed)
        x = 2.5 + speed * (2.9 - leaves)
        np.testing.assert_allclose(way.seen(2.9)[0][:2], [x, -0.5 * speed * 2.9], atol=1e-5)


class Ground(unittest.TestCase):
    def test_up_and_down_a_slope_its_speed_on_the_level_stays(self):
        for angle in (10, 35, 49):
            rise = 3 * math.tan(math.radians(angle))
            ramp = f"{QUAY}[obstacle.ramp]\nat = [1, 0]\nshape.polygon = [[0, 0], [3, {rise}], [6, 0]]\n"
            _, way = walked(ramp, ["{ t = 0, walk = [1, 0] }"], shape="box = [0.01, 1.8]")
            for time in (0.6, 1.0, 1.25):
                x = 3 * time
                height = 0.9 + (x + 0.005 - 1) * math.tan(math.radians(angle))
                np.testing.assert_allclose(way.seen(time)[0][:2], [x, height], atol=2e-5)
            np.testing.assert_allclose(way.seen(2.6)[0][:2], [7.8, 0.9], atol=2e-5)

    def test_a_slope_that_is_too_steep_is_a_wall(self):
        ramp = f"{QUAY}[obstacle.ramp]\nat = [2, 0]\nshape.polygon = [[0, 0], [3, 6], [6, 6], [6, 0]]\n"
        _, way = walked(ramp, ["{ t = 0, walk = [1, 0] }"])
        self.assertLess(way.seen(2.9)[0][0], 2.0)
        self.assertAlmostEqual(way.seen(2.9)[0][1], 0.9, delta=1e-6)

    def test_it_takes_steps_up_to_a_height_and_comes_down_them(self):
        for shape in (UPRIGHT, "box = [0.6, 1.8]", "ball = 0.9"):
            for height, over in ((0.2, True), (0.3, True), (1.8 - 1.5, True), (0.45, False)):
                step = f"{QUAY}[obstacle.step]\nat = [3, {height / 2}]\nshape.box = [1.5, {height}]\n"
                _, way = walked(step, ["{ t = 0, walk = [1, 0] }"], shape=shape)
                with self.subTest(shape=shape, height=height):
                    if over:
                        self.assertAlmostEqual(way.seen(1.0)[0][1], 0.9 + height, delta=1e-6)
                        np.testing.assert_allclose(way.seen(2.5)[0][:2], [7.5, 0.9], atol=2e-2)
                    elif "ball" not in shape:
                        self.assertLess(way.seen(2.5)[0][0], 2.3)

    def test_down_steps_and_over_ridges_it_stays_on_the_ground_at_any_speed_and_rate_in_every_world(self):
        rng = np.random.default_rng(5)
        for turn in range(24):
            world, up, across = (("", 1, []), ('y = "down"', -1, []), ('view = "space"', 1, [9.0]))[turn % 3]
            low = float(rng.choice([rng.uniform(0.05, 0.29), 0.3, 1.8 - 1.5]))
            speed, rate, begins = rng.uniform(0.5, 5), int(rng.choice([20, 60, 144])), -rng.uniform(0.4, 1.5)
            middle = [0.0 for _ in across]
            if turn % 2:
                mole = f"at = {[-9.0, *middle, -up * low]}\nshape.box = {[18.0, *across, 2 * low]}\n"
                mole += f"{QUAY}at = {[0.0, *middle, -up * low]}\n"
            else:
                values = [0.0, 0.0, -9 * low]
                values = [values] * 3 if across else values
                mole = f"at = {[-9.0, *(-x for x in across), 0.0]}\n"
                mole += f"shape.heights = {{ values = {values}, every = 9, deep = 1 }}\n"
            walk = f"speed = {speed}" + (f", acceleration = {rng.uniform(9, 40)}" if rng.integers(2) else "")
            shape, at = f"box = {[0.4, *(0.4 for _ in across), 1.0]}", [begins, *middle, up * 0.5]
            _, way = walked(f"[obstacle.mole]\n{mole}", ["{ t = 0, walk = [1, 0] }"], shape=shape, at=at, walk=walk,
                            rate=rate, world=world)  # fmt: skip
            for time in rng.uniform(0.0, 3.0, 60):
                place = way.seen(time)[0]
                # What bears him beyond the ridge is his hind edge.
                beyond = place[0] - 0.2
                if 1e-3 < abs(beyond) < 8:
                    wanted = 0.5 - (low if turn % 2 else low * beyond) * (beyond > 0)
                    np.testing.assert_allclose(place[: len(at)][1:], [*middle, up * wanted], atol=1e-6)

    def test_the_same_ground_written_otherwise_is_the_same(self):
        rng, gone = np.random.default_rng(8), 0.0
        for _ in range(120 if DEEP else 4):
            heights, every = np.cumsum(rng.uniform(-0.5, 0.5, 9)), rng.uniform(0.5, 1.5)
            fine = np.interp(np.arange(17) / 2, np.arange(9), heights)
            sides = [[(k + i) * every, heights[k + i]] for k in range(8) for i in (0, 1)]
            cut = ", ".join(
                f"{{ at = {middle.tolist()}, shape.polygon = {(corners - middle).tolist()} }}"
                for corners in cells(np.reshape(sides, (8, 2, 2)), heights.min() - 3)
                for middle in [corners.mean(axis=0)]
            )
            written = [f"shape.heights = {{ values = {one.tolist()}, every = {step}, deep = 3 }}"
                       for one, step in ((heights, every), (fine, every / 2))]  # fmt: skip
            shape, rate = str(rng.choice(["box = [0.4, 1]", "ball = 0.4", UPRIGHT])), int(rng.choice([20, 60, 144]))
            rows = [f"{{ t = {time:.3f}, walk = [{rng.uniform(-1, 1)}, 0] }}" for time in np.arange(0.4, 3, 0.3)]
            rows += [f"{{ t = {rng.uniform(0.5, 3):.3f}, tap = 'jump' }}" for _ in range(3)]
            walk = f"speed = 3, jump = 5{', acceleration = 12' * int(rng.integers(2))}"
            ways = [walked(f"[obstacle.ground]\n{one}\n", sorted(rows), shape=shape, walk=walk, rate=rate,
                           at=(4 * every, float(heights.max()) + 1.5))[1]
                    for one in (*written, f"parts = [{cut}]")]  # fmt: skip
            places = [[way.seen(time)[0] for time in np.linspace(0, 3, 90)] for way in ways]
            np.testing.assert_allclose(places[1], places[0], atol=1e-3)
            np.testing.assert_allclose(places[2], places[0], atol=1e-3)
            gone += np.ptp(places[0], axis=0)[0]
        self.assertGreater(gone, 6)

    def test_it_falls_off_an_edge_and_jumps_onto_one(self):
        for sign, world in ((1, ""), (-1, 'y = "down"')):
            ledge = f"{QUAY}[obstacle.ledge]\nat = [-2, {sign * 1}]\nshape.box = [6, 2]\n"
            _, way = walked(
                ledge, ["{ t = 0, walk = [1, 0] }"], at=(-1, sign * 2.9), world=world, shape="box = [0.6, 1.8]"
            )
            # Its hind edge is over the ledge's at x = 1.3; then a throw.
            leaves = 2.3 / 3
            t = 0.3
            place = way.seen(leaves + t)[0]
            np.testing.assert_allclose(place[:2], [1.3 + 3 * t, sign * (2.9 - 4.905 * t * t)], atol=1e-4)
            self.assertAlmostEqual(way.seen(2.9)[0][1], sign * 0.9, delta=1e-6)
            _, way = walked(f"{QUAY}[obstacle.crate]\nat = [2, {sign * 0.6}]\nshape.box = [2, 1.2]\n",
                            ["{ t = 0.1, tap = 'jump' }", "{ t = 0.1, walk = [1, 0] }", "{ t = 0.7, walk = [0, 0] }"],
                            at=(0, sign * 0.9), walk="speed = 3, jump = 6", world=world)  # fmt: skip
            self.assertAlmostEqual(way.seen(2.9)[0][1], sign * 2.1, delta=1e-6)

    def test_who_wants_back_from_beyond_an_edge_falls_all_the_same(self):
        mole = "[obstacle.mole]\nat = [4, -1]\nshape.box = [8, 2]\n"
        for rate in (20, 60, 144):
            _, way = walked(mole, ["{ t = 0, walk = [-1, 0] }", "{ t = 0.25, walk = [1, 0] }"], at=(0.5, 0.5),
                            shape="box = [0.4, 1]", walk="speed = 3, acceleration = 12", rate=rate)  # fmt: skip
            # His hind edge comes to that of the mole at 1.1 m/s, while he slows down.
            past = 0.55 - 0.25 - (3 - math.sqrt(9 - 24 * 0.325)) / 12
            wanted = [0.125 - 3 * 0.3 + 6 * 0.3**2, 0.5 - 4.905 * past * past]
            np.testing.assert_allclose(way.seen(0.55)[0][:2], wanted, atol=1e-6)

    def test_it_is_carried_by_what_it_stands_on_and_pushed_by_what_comes(self):
        raft = "[obstacle.raft]\nat = [0, -0.25]\nshape.box = [4, 0.5]\nmove.velocity = [1.5, 0.5]\n"
        _, way = walked(raft, [])
        np.testing.assert_allclose(way.seen(2.0)[0][:2], [3, 1.9], atol=1e-6)
        door = f"{QUAY}[obstacle.door]\nat = [-3, 1]\nshape.box = [1, 2]\nmove.velocity = [2, 0]\n"
        _, way = walked(door, [])
        self.assertAlmostEqual(way.seen(2.9)[0][0], -3 + 2 * 2.9 + 0.5 + 0.3, delta=1e-2)


class Brought(unittest.TestCase):
    def test_who_is_asked_to_walk_while_he_is_brought_somewhere_walks_from_there(self):
        for high in (4.0, 0.9, -1.0):
            text = "nivvo = 1\n[shooter.keeper]\nat = [0, 0.9]\nwalk = { speed = 3, jump = 5 }\n[ability.hook]\n"
            text += "launch.speed = 200\nflight.gravity_share = 0\naim.by = 'cursor'\non.wisps.blink.lasts = 0.5\n"
            text += f"[target.wisp]\nat = [6, {high}]\ngroup = 'wisps'\n[case.c]\nlasts = 2\ninput = ["
            text += f"{{ t = 0, cursor = [6, {high}], tap = 'fire' }}, {{ t = 0.2, walk = [-1, 0] }}]"
            run = nivvo.fire(nivvo.parse(text))
            way, row = run.stage.motions[run.scene.number["keeper"]], run.rows("events")
            there = next(one["time"] for one in row if one["what"] == "blinked")
            start = (math.ceil(there * 60 - 1e-9) + 30) / 60
            (x, y), v = way.seen(start)[0][:2], way.seen(start + 0.2)[1]
            np.testing.assert_allclose(way.seen(start + 0.5)[0][:2], [x - 1.5, y], atol=1e-9)
            self.assertEqual(v[:2].tolist(), [-3.0, 0.0])

    def test_a_hook_brings_a_walker_to_where_it_stuck_in_its_time(self):
        hook = (
            "[obstacle.wall]\nat = [10, 4]\nshape.box = [1, 4]\n[ability.hook]\n"
            "launch = { speed = 40, elevation = 18 }\nflight.gravity_share = 0\non.obstacles.blink = { speed = 8 }\n"
        )
        run, way = walked(QUAY + hook, ["{ t = 0, tap = 'fire' }"], lasts=4)
        (blink,) = [row for row in run.rows("events") if row["what"] == "blinked"]
        goal = np.array([float(x) for x in blink["detail"][4:-1].split(",")])
        begins = math.ceil(blink["time"] * 60) / 60
        lasts = math.hypot(*(goal - [0, 0.9])) / 8
        for share in (0.25, 0.9):
            there = np.array([0, 0.9]) + share * (goal - [0, 0.9])
            np.testing.assert_allclose(way.seen(begins + share * lasts)[0][:2], there, atol=1e-3)
        # Then it falls: nothing holds it there.
        self.assertAlmostEqual(way.seen(3.9)[0][1], 0.9, delta=1e-6)

    def test_on_a_grid_of_heights_in_space_it_stands_on_the_ground_at_each_place(self):
        rng = np.random.default_rng(2)
        heights = rng.uniform(-0.25, 0.25, (8, 24)).round(3)
        dunes = f"[obstacle.dunes]\nat = [-2, -4, 0]\nshape.heights = {{ values = {heights.tolist()}, every = 1 }}\n"
        radius, world = 0.05, 'view = "space"'
        run, way = walked(dunes, ["{ t = 0, walk = [1, 0] }"], at=(0, 0.3, 3), shape=f"ball = {radius}", world=world,
                        lasts=6)  # fmt: skip
        keeper = run.scene.number["keeper"]
        for time in np.arange(2.0, 6.0, 0.31):
            x, y, z = way.seen(time)[0]
            i, j = int(x + 2), int(y + 4)
            u, v = x + 2 - i, y + 4 - j
            a, b, c, d = heights[j, i], heights[j, i + 1], heights[j + 1, i + 1], heights[j + 1, i]
            slopes = (b - a, c - b) if u > v else (c - d, d - a)
            at = a + slopes[0] * u + slopes[1] * v
            # Straight up it is at least as far from the ground as its ball is thick.
            self.assertGreater(z, at + radius - 1e-6)
            gaps = [between(run.scene.bodies[k], run.scene.bodies[k]["c0"], run.scene.bodies[keeper], [x, y, z])[0]
                    for k in run.scene.whole["dunes"]]  # fmt: skip
            self.assertLess(abs(min(gaps)), 1e-4)


class Steep(unittest.TestCase):
    def test_one_slides_down_what_is_too_steep_as_on_ice_at_any_rate(self):
        pull = 9.81 * math.sin(math.radians(60))
        for rate in (30, 60, 144):
            for walk in ("speed = 3", "speed = 3, acceleration = 20"):
                for view in ("side", "space"):
                    flat = [0] * (2 if view == "space" else 1)
                    tilted = f"[obstacle.slope]\nshape.half_space = {[math.sqrt(3) / 2, *flat[1:], 0.5]}\n"
                    _, way = walked(tilted, [], at=(0.3, *flat[1:], 0.1), shape="ball = 0.25", rate=rate, walk=walk,
                                    world=f'view = "{view}"')  # fmt: skip
                    speeds = [np.linalg.norm(way.seen(time)[1]) for time in (1.0, 2.0)]
                    self.assertAlmostEqual(speeds[1] - speeds[0], pull, delta=1e-6)


class Wedged(unittest.TestCase):
    def test_between_two_steep_sides_one_stays_where_both_are_touched(self):
        for lean in (0.2, 0.5, 0.7):
            sides = (f"[obstacle.left]\nat = [-4, 0]\nshape.polygon = [[0, 0], [4, 0], [{4 - 3 * lean}, 3], [0, 3]]\n"
                     f"[obstacle.right]\nshape.polygon = [[0, 0], [4, 0], [4, 3], [{3 * lean}, 3]]\n")  # fmt: skip
            rows = ["{ t = 0.9, walk = [1, 0] }", "{ t = 1.6, walk = [-0.4, 0] }", "{ t = 2.2, walk = [0, 0] }"]
            _, way = walked(sides, rows, at=(0.02, 4), shape="ball = 0.25", lasts=4)
            # A ball in a groove, that its sides let down so far.
            height = 0.25 * math.hypot(1, lean) / lean
            np.testing.assert_allclose(way.seen(3.9)[0][:2], [0, height], atol=1e-6)
            self.assertLess(np.abs(way.seen(3.9)[1]).max(), 1e-6)

    def test_in_space_one_slides_on_along_the_groove(self):
        sides = "".join(f"[obstacle.{name}]\nshape.half_space = [{sign}, -0.3, 0.6]\n"
                        for name, sign in (("left", 1), ("right", -1)))  # fmt: skip
        _, way = walked(sides, [], at=(0.05, 0.1, 1.5), shape="ball = 0.25", world='view = "space"', lasts=4)
        # The crease goes down where both planes are 0: along y and half as steep along z.
        crease = np.array([0, 2, 1]) / math.sqrt(5)
        first, last = (way.seen(time)[0] for time in (2.0, 3.5))
        along = (last - first) / np.linalg.norm(last - first)
        np.testing.assert_allclose(along, -crease, atol=1e-6)
        pull = 9.81 / math.sqrt(5)
        speeds = [np.linalg.norm(way.seen(time)[1]) for time in (2.0, 3.5)]
        self.assertAlmostEqual(speeds[1] - speeds[0], pull * 1.5, delta=1e-4)


def random_walk(seed, hurries=False, moves=False):
    """A random walker among random bodies, all of them turned, in one of four views; one, afar, may hurry about."""
    rng = np.random.default_rng(seed)
    view, size = ("side", "down", "top", "space")[seed % 4], 3 if seed % 4 == 3 else 2

    def some(a, b):
        return round(float(rng.uniform(a, b)), 3)

    def point(far):
        return [some(-far, far) for _ in range(size)]

    sign, flat = -1 if view == "down" else 1, view == "top"
    home = [0.0] * size if flat else [0.0] * (size - 1) + [3.0 * sign]
    tall = [0] * (size - 1) + [some(0.2, 0.7)]
    shape = (f"ball = {some(0.2, 0.6)}", f"capsule = [{[-x for x in tall]}, {tall}], radius = {some(0.15, 0.4)}",
             f"box = {[some(0.3, 0.9) for _ in range(size)]}")[rng.integers(3)]  # fmt: skip
    bodies = "" if flat else QUAY
    for k in range(int(rng.integers(4, 12))):
        at = point(8)
        if not flat:
            at[-1] = sign * some(0, 2.5)
        if np.linalg.norm(np.array(at) - home) < 2.6:
            continue
        turned = [some(0, 360), some(-40, 40), some(-40, 40)] if size == 3 else some(0, 360)
        ends, more = [point(1), point(1)], ", tall = 1.2" if size == 3 else ""
        made = (
            f"ball = {some(0.2, 1.2)}",
            f"box = {[some(0.2, 3) for _ in range(size)]}, turned = {turned}",
            f"capsule = {ends}, radius = {some(0.1, 0.5)}",
            f"wall = {ends}, thick = 0.1{more}",
            f"polygon = [[0, 0], [{some(1, 3)}, 0], [{some(0.5, 1)}, {some(0.3, 2)}]], turned = {turned}{more}",
        )
        bodies += f"[obstacle.o{k}]\nat = {at}\nshape = {{ {made[rng.integers(5)]} }}\n"
        bodies += f"move = {{ through = [{point(6)}], speed = 1.5, at_end = 'back' }}\n" if moves and not k % 3 else ""
    rows, time = [], 0.0
    for _ in range(6):
        time += some(0.05, 0.5)
        rows.append(f"{{ t = {time:.3f}, walk = [{some(-1, 1)}, {some(-1, 1) if size == 3 or flat else 0}] }}")
        if not flat and rng.integers(2):
            rows.append(f"{{ t = {time + 0.03:.3f}, tap = 'jump' }}")
    walk = f"speed = {some(1, 8)}" + ("" if flat else ", jump = 5") + (", acceleration = 20" if rng.integers(2) else "")
    world = {"side": "", "down": 'y = "down"', "top": 'view = "top"', "space": 'view = "space"'}[view]
    far = f"[obstacle.gull]\nat = {[60.0] * size}\nshape.ball = 0.1\n"
    far += f"move = {{ through = [{[61.0] * size}], speed = 300, at_end = 'back' }}\n" if hurries else ""
    return walked(bodies + far, rows, at=home, shape=shape, walk=walk, world=world, rate=int(rng.choice([30, 60, 144])),
                  motion=str(rng.choice(["exact", "semi-implicit"])))  # fmt: skip


ONTO = """nivvo = 1
world.y = "{y}"
tick.rate = {rate}
[shooter.keeper]
at = [0, {high}]
shape = {{ capsule = [[0, 0.35], [0, -0.35]], radius = 0.3 }}
walk = {{ speed = 5.46, jump = 4.069 }}
[ability.flare]
launch.speed = 1
[obstacle.deck]
shape.half_space = "up"
[obstacle.keg]
at = [-2.58, {low}]
shape.ball = 0.369
mass = 3
friction = 0.4
[case.walk]
lasts = 1.5
input = [{{ t = 0.05, walk = [-0.818, 0] }}, {{ t = 0.07, tap = "jump" }}, {{ t = 0.561, walk = [-0.518, 0] }},
    {{ t = 0.581, tap = "jump" }}, {{ t = 0.725, walk = [0.678, 0] }}, {{ t = 0.833, walk = [0.955, 0] }}]
"""


class Kegs(unittest.TestCase):
    def test_who_leaps_over_one_that_is_thrown_up_is_no_lid_on_it(self):
        for rate in (20, 60, 100):
            run, way = walked(
                "[obstacle.ledge]\nat = [-2.01, -1]\nshape.box = [4, 2]\n"
                "[obstacle.lift]\nat = [1.5, -1.55]\nshape.box = [3, 1]\n"
                "move = { through = [[1.5, -1.55], [1.5, -1.3]], speed = 5 }\n"
                "[obstacle.keg]\nat = [1.5, -0.55]\nshape.box = [3, 1]\nmass = 5\n",
                ["{ t = 0, walk = [1, 0] }", "{ t = 0, tap = 'jump' }"],
                at=(-0.21, 0.5), shape="box = [0.4, 1]", walk="speed = 3, jump = 6", rate=rate)  # fmt: skip
            keg = run.stage.motions[run.scene.number["keg"]]
            # Thrown up at 0.05 s it goes after him, and never comes to him.
            for time in (0.08, 0.2, 0.3):
                flown = time - 0.05
                self.assertAlmostEqual(keg.seen(time)[0][1], -0.3 + 5 * flown - 4.905 * flown * flown, delta=1e-6)
                self.assertAlmostEqual(way.seen(time)[0][1], 0.5 + 6 * time - 4.905 * time * time, delta=1e-6)

    def test_who_comes_down_on_one_and_walks_on_it_does_not_press_it_into_the_ground(self):
        worst, stood = 0.0, 0
        for y, up in (("up", 1), ("down", -1)):
            for rate in (30, 60, 144):
                run = nivvo.fire(nivvo.parse(ONTO.format(y=y, rate=rate, high=0.7 * up, low=0.467 * up)))
                keg, keeper = (run.scene.number[name] for name in ("keg", "keeper"))
                for now in (np.arange(0.3, 1.5, 0.0023) * UNITS).astype(int).tolist():
                    here, there = (run.stage.middle(k, now) for k in (keeper, keg))
                    gap, n = between(run.scene.bodies[keeper], here, run.scene.bodies[keg], there)
                    worst = min(worst, gap, up * there[1] - 0.369)
                    stood += gap < 1e-3 and up * n[1] > 0.7
        self.assertGreater(stood, 200)
        self.assertGreater(worst, -2e-3)


def crammed(seed):
    """One who walks to and fro in a room among crates that he pushes, shoots about and draws to him; in three views."""
    rng, view = np.random.default_rng(seed), ("side", "top", "space")[seed % 3]
    size, sides = 3 if view == "space" else 2, 1 if view == "side" else 2
    bodies = "" if view == "top" else QUAY
    for k, axis in enumerate((0, 0, 1, 1)[: 2 * sides]):
        at, box = np.zeros(size), np.full(size, 9.0)
        at[axis], box[axis] = 4.0 * (-1) ** k, 0.6
        bodies += f"[obstacle.wall{k}]\nat = {at.tolist()}\nshape.box = {box.tolist()}\n"
    there = []
    for k in range(60):
        at, wide = rng.uniform(-2.9, 2.9, sides), round(float(rng.uniform(0.4, 1.1)), 4)
        reach = wide * (0.5 if view == "side" else 0.71)
        taken = [(np.zeros(sides), 0.45), *there]
        if len(there) == 5 or any(np.linalg.norm(at - place) < reach + far + 0.02 for place, far in taken):
            continue
        there.append((at, reach))
        turned = rng.uniform(0, 90)
        shape = (
            f"box = {[wide] * size}"
            + {"side": "", "top": f", turned = {turned}", "space": f", turned = [{turned}, 0, 0]"}[view]
        )
        place = [*at.tolist(), *([] if view == "top" else [wide / 2])]
        kind = ("obstacle", "target")[(seed + k) % 2]
        bodies += f"[{kind}.crate{k}]\ngroup = 'crates'\nat = {place}\nshape = {{ {shape} }}\n"
        bodies += f"mass = {rng.uniform(1, 9)}\nfriction = {rng.uniform(0.1, 0.9)}\n"
    effects = (f"knock.impulse = {rng.uniform(2, 30)}", f"pull.speed = {rng.uniform(2, 9)}",
               f"blast = {{ radius = 2.5, damage = 1, impulse = {rng.uniform(2, 30)} }}")  # fmt: skip
    bodies += f"""
        [ability.rivet]
        launch.speed = {rng.uniform(8, 40)}
        aim.by = "cursor"
        firing = {{ kind = "auto", rate = 5, button = "rivet" }}
        limits.life = 1
        mass = 0.5
        on.crates = {{ {", ".join(one for one in effects if rng.integers(2))} }}
        """
    rows, time = [f"{{ t = {k / 5}, cursor = {rng.uniform(-4, 4, size).tolist()} }}" for k in range(15)], 0.0
    rows += ['{ t = 0.1, press = "rivet" }'] if seed % 2 else []
    while time < 2.8:
        way = rng.uniform(0, 2 * np.pi)
        rows.append(f"{{ t = {time:.3f}, walk = [{np.cos(way)}, {np.sin(way) if sides == 2 else 0.0}] }}")
        time += rng.uniform(0.15, 0.8)
    walk = f"speed = {rng.uniform(2, 6)}" + (f", acceleration = {rng.uniform(10, 60)}" if rng.integers(2) else "")
    shape = "ball = 0.4" if view == "top" else f"box = {[0.6] * sides + [1.2]}"
    home = [0.0] * sides + ([] if view == "top" else [0.6])
    return walked(
        bodies, rows, at=home, shape=shape, walk=walk, world=f'view = "{view}"', rate=(20, 60, 97)[seed // 3 % 3]
    )


class Pushes(unittest.TestCase):
    def test_who_walks_into_what_has_a_mass_goes_on_with_it_as_before_at_every_rate(self):
        crate = f"{QUAY}[obstacle.tub]\nat = [2, 0.5]\nshape.box = [1, 1]\nmass = 3\nfriction = 0.3\n"
        for rate in (20, 30, 60, 144):
            run, way = walked(crate, ["{ t = 0, walk = [1, 0] }"], walk="speed = 3, acceleration = 20, step = 0.1",
                              rate=rate)  # fmt: skip
            # Up to 3 units/s in 0.15 s; he comes to it at 0.475 s, with half of his width and of its.
            for time in (0.4, 0.5, 1.0):
                self.assertAlmostEqual(way.seen(time)[0][0], 3 * time - 0.225, delta=1e-6, msg=(rate, time))
            tub = run.stage.motions[run.scene.number["tub"]]
            self.assertAlmostEqual(tub.seen(1.0)[0][0], 3 - 0.225 + 0.3 + 0.5, delta=1e-6)

    def test_he_goes_as_if_nothing_stood_there_also_who_gains_speed_and_who_begins_at_it(self):
        for rate, friction, acceleration in ((20, 0.1, 40), (60, 0.9, 12), (144, 0.9, 25)):
            gait, rows = f"speed = 4, acceleration = {acceleration}", ["{ t = 0.1, walk = [1, 0] }"]
            _, alone = walked(QUAY, rows, walk=gait, rate=rate)
            for x in (0.8, 0.83, 1.4):
                crate = f"[obstacle.tub]\nat = [{x}, 0.5]\nshape.box = [1, 1]\nmass = 9\nfriction = {friction}\n"
                run, way = walked(QUAY + crate, rows, walk=gait, rate=rate)
                tub = run.stage.motions[run.scene.number["tub"]]
                for time in (0.3, 0.5, 1.0, 1.6):
                    place, told = way.seen(time)[0][0], (rate, friction, x, time)
                    self.assertAlmostEqual(place, alone.seen(time)[0][0], delta=1e-6, msg=told)
                    self.assertGreater(tub.seen(time)[0][0] - place, 0.8 - 1e-6, told)
                self.assertAlmostEqual(tub.seen(1.6)[0][0] - way.seen(1.6)[0][0], 0.8, delta=1e-6)

    def test_what_a_game_moves_is_there_also_where_somebody_sets_out_meanwhile(self):
        crate = "[obstacle.tub]\nat = [3, 0.5]\nshape.box = [1, 1]\nmass = 3\n"
        keys = {"at": [0, 0.9], "shape": UPRIGHT, "walk": "speed = 3", "world": "", "rate": 20, "motion": "exact"}
        text = TEXT.format(bodies=QUAY + crate, rows="", lasts=3, **keys)
        for late in (0.0, 0.02):
            live = nivvo.Live(nivvo.parse(text), compiled=False)
            live.step()
            live.move_body("tub", [5, 0.5])
            live.set_walk(1, 0, at=live.time + late)
            for _ in range(4):
                live.step()
                np.testing.assert_allclose(live.place("tub"), [5, 0.5], atol=1e-6)

    def test_nothing_is_pushed_into_anything(self):
        gone = 0.0
        for seed in range(240 if DEEP else 4):
            run, _ = crammed(seed)
            stage, keeper = run.stage, run.stage.number["keeper"]
            crates = [k for k, name in enumerate(stage.names) if name.startswith("crate")]
            for tick in range(0, int(2.9 * run.scene.rate), 2):
                now = run.scene.ticks.edge(tick)
                places = {k: stage.middle(k, now) for k in stage.number.values()}
                for one, other in (
                    (a, b) for a in (*crates, keeper) for b in places if b != keeper and (b < a or b not in crates)
                ):
                    gap = between(stage.rows[one], places[one], stage.rows[other], places[other])[0]
                    self.assertGreater(gap, -1e-6, (seed, tick, stage.names[one], stage.names[other]))
            gone += sum(np.linalg.norm(places[k] - run.scene.bodies[k]["c0"]) > 0.1 for k in crates)
        self.assertGreater(gone, 7)


class Anywhere(unittest.TestCase):
    def test_random_walks_are_inside_nothing_and_the_same_whether_or_not_something_moves_afar(self):
        for seed in range(240 if DEEP else 8):
            run, way = random_walk(seed)
            # Who goes on evenly looks ahead; where a body is so fast that it may come he is looked after at each tick.
            other = random_walk(seed, True)[1]
            bodies, keeper = run.scene.bodies, run.scene.number["keeper"]
            others = [k for k, kind in enumerate(run.scene.kinds) if kind == "obstacle"]
            if any(between(bodies[keeper], way.at(0)[0], bodies[k], bodies[k]["c0"])[0] < 0 for k in others):
                continue
            for tick in range(0, int(3 * run.scene.rate), 5):
                place = way.at(run.scene.ticks.edge(tick))[0]
                np.testing.assert_allclose(other.at(run.scene.ticks.edge(tick))[0], place, atol=1e-6)
                for k in others:
                    gap = between(bodies[keeper], place, bodies[k], bodies[k]["c0"])[0]
                    self.assertGreater(gap, -1e-6, (seed, tick, run.scene.names[k]))

    def test_among_bodies_that_move_random_walks_are_the_same_too(self):
        for seed in range(120 if DEEP else 5):
            (run, way), (_, other) = random_walk(seed, False, True), random_walk(seed, True, True)
            times = [run.scene.ticks.edge(tick) for tick in range(int(3 * run.scene.rate))]
            places, others = ([one.at(time)[0] for time in times] for one in (way, other))
            np.testing.assert_allclose(places, others, atol=1e-6, err_msg=seed)


if __name__ == "__main__":
    unittest.main()
