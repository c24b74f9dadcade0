"""Random drills of nearly everything, seen otherwise: twice as large, turned by a quarter, in a mirror, by other axes,
as a plane in space.

What happens is the same, with places and velocities turned or scaled with it. Twice as large to the last bit.
"""

import tomllib
import unittest

import numpy as np
import tomlkit

import nivvo
from nivvo.core.geometry.hulls import between
from nivvo.core.numbers.clock import UNITS
from nivvo.plan.scene import frame_of
from nivvo.spec.scenes.scene import World
from tests.deep import DEEP
from tests.play.test_anything import Drawn

TIMES = 20 if DEEP else 1
PLACES = {"at", "velocity", "acceleration", "through", "places", "drift", "capsule", "centre", "cursor"}
LENGTHS = {"box", "ball", "radius", "speed", "speeds_up", "jump", "step", "across", "reach", "opens", "impulse"}


def written(tables, change, path=()):
    """Tables with each value that is not one changed: ``change`` of its keys from the outermost on, and it."""
    if isinstance(tables, dict):
        return {key: written(value, change, (*path, key)) for key, value in tables.items()}
    if isinstance(tables, list) and tables and isinstance(tables[0], dict):
        return [written(one, change, (*path, "#")) for one in tables]
    return change(path, tables)


def each(of, value):
    """A change of each vector in a list of them, or lists of lists."""
    return [each(of, one) for one in value] if isinstance(value[0], list) else of(value)


def is_vector(path, value):
    return path[-1] in PLACES and isinstance(value, list)


def larger(tables):
    """Twice as large, in a unit that is half as long."""

    def change(path, value):
        if path[-1] == "square":
            return value / 2
        # How far off a blink or a touch is; of what lodges it is an angle.
        far = path[-1] == "within" and {"blink", "near"} & set(path)
        if not far and path[-1] not in (LENGTHS if "age" in path else PLACES | LENGTHS):
            return value
        return (2.0 * np.array(value)).tolist()

    made = written(tables, change)
    made["world"]["metre"] = 2.0
    return made


def turned(tables):
    """Turned by a quarter about up."""

    def change(path, value):
        if path[-1] == "turned":
            return [value[0] + 90, *value[1:]] if isinstance(value, list) else value + 90
        if path[-1] == "walk" and isinstance(value, list):
            return [-value[1], value[0]]
        return each(lambda v: [-v[1], v[0], *v[2:]], value) if is_vector(path, value) else value

    made = written(tables, change)
    made["shooter"]["keeper"]["facing"] = 90
    return made


def in_space(tables, side):
    """What is seen from the side or from above as the plane of a world in space, boxes deep across it."""

    def lift(v):
        return [v[0], 0.0, v[1]] if side else [v[0], v[1], 0.0]

    def change(path, value):
        return each(lift, value) if is_vector(path, value) else value

    made = written(tables, change)
    made["world"] = {"view": "space"} | ({} if side else {"gravity": 0, "hand": "left"})
    for body in [*made.get("obstacle", {}).values(), *made.get("target", {}).values()]:
        if "box" in (shape := body.get("shape", {})):
            angle = (shape["turned"] + 90) % 180 - 90
            shape["box"] = [shape["box"][0], 60.0, shape["box"][1]] if side else [*shape["box"], 60.0]
            shape["turned"] = [0, angle, 0] if side else [angle, 0, 0]
        if side and "turns" in body:
            body["turns_about"] = [0, -1, 0]
    return made


def mirrored(tables):
    """What is seen from the side as in a mirror: its shooter faces left."""

    def change(path, value):
        if path[-1] in ("turned", "turns") or path[-2:] == ("circle", "turn_rate"):
            return -value
        if path[-1] == "walk" and isinstance(value, list):
            return [-value[0], value[1]]
        return each(lambda v: [-v[0], v[1]], value) if is_vector(path, value) else value

    made = written(tables, change)
    made["shooter"]["keeper"]["facing"] = "left"
    return made


AXES = (
    ("+y", "+x", "left", "right"), ("-z", "+x", "left", "right"), ("+x", "+y", "right", "right"),
    ("-y", "+x", "right", "right"), ("-x", "+y", "right", "left"),
)  # fmt: skip
"""Up, forward and hand of a world in space, and the hand of that with z up and x forward which it is."""


def by_other_axes(tables, up, forward, hand, base):
    """A world in space, and the same by other axes; and what a place of the first is in the second."""
    world = {"up": up, "forward": forward, "hand": hand}
    frame = frame_of(World(view="space", **world))
    ways = np.array([frame.first, frame.second, frame.up])

    def change(path, value):
        if path[-1] == "box":
            return np.abs(value @ ways).tolist()
        return each(lambda v: (np.array(v) @ ways).tolist(), value) if is_vector(path, value) else value

    tables["world"]["hand"] = base
    made = written(tables, change)
    made["world"] |= world
    return tables, made, lambda p: p @ ways


def alike(tables, side):
    """Without what goes by another plane in space: fans and rings, sways, ways about up, spin, friction on a floor.

    Nor blinks, which look for a place in all directions.
    """
    rivet, chip = (tables["ability"][name] for name in ("rivet", "chip"))
    for launch in (rivet["launch"], chip["launch"]):
        for key in ("ring", "scatter", *(("fan", "count") if side else ())):
            launch.pop(key, None)
        if "fan" not in launch:
            launch.pop("count", None)
    if side:
        rivet.pop("heading", None), rivet["aim"].pop("turn_rate", None)
        if {"orbit", "sway"} & set(rivet["flight"]):
            rivet.pop("flight")
    for body in [*tables.get("obstacle", {}).values(), *tables.get("target", {}).values()]:
        if "drift" in body.get("move", {}) or (side and "circle" in body.get("move", {})):
            body.pop("move")
        if not side:
            body.pop("mass", None), body.pop("friction", None)
    for answer in rivet["on"].values():
        for key in ("blink", *(() if side else ("knock",))):
            answer.pop(key, None)
    return tables


def solid(run):
    """What a walker may not be in."""
    return [k for k, kind in enumerate(run.stage.kinds) if kind == "obstacle" and not run.stage.out(k)]


def gap_to(run, number, now):
    """How far the shooter is from a body at a time (clock)."""
    stage, keeper = run.stage, run.stage.number["keeper"]
    places = stage.middle(keeper, now), stage.middle(number, now)
    return between(stage.rows[keeper], places[0], stage.row(number, now), places[1])[0]


def pressed(run):
    """Whether something that moves comes up to the shooter."""
    moving = [k for k in solid(run) if run.stage.motions[k].moves]
    return any(gap_to(run, k, int(time * UNITS)) < 0.05 for k in moving for time in np.arange(0.0, 2.5, 0.02))


class Symmetries(unittest.TestCase):
    def same(self, seed, one, other, there, near):
        """Two drills come to the same, ``there`` what a place of the first is in the second."""
        runs = [nivvo.fire(nivvo.parse(tomlkit.dumps(tables))) for tables in (one, other)]
        events = [run.record.events for run in runs]
        self.assertEqual(*(len(rows) for rows in events), seed)
        if near and pressed(runs[0]):
            # Along a corner that goes by he walks in straight pieces, and where those end hangs on rounding.
            near = 2e-3
        for a, b in zip(*events, strict=True):
            when = (a["start"] / UNITS + a["after"], b["start"] / UNITS + b["after"])
            self.assertEqual(*([row[name] for name in ("kind", "key", "body", "code")] for row in (a, b)), (seed, when))
            self.assertAlmostEqual(*when, delta=near, msg=seed)
            for name in ("p", "v"):
                np.testing.assert_allclose(b[name], there(a[name]), rtol=0, atol=1e2 * near, err_msg=seed)

    def test_twice_as_large_to_the_last_bit(self):
        for seed in range(7 * TIMES):
            tables = tomllib.loads(Drawn(seed).drill())
            self.same(seed, tables, larger(tables), lambda p: 2.0 * p, 0.0)

    def test_turned_by_a_quarter(self):
        for seed in [*[k for k in range(60 * TIMES) if k % 4 > 1][: 6 * TIMES], 3095]:
            # Where one drifts is drawn along x and y.
            if "drift" not in (text := Drawn(seed).drill()):
                tables = tomllib.loads(text)
                self.same(seed, tables, turned(tables), lambda p: np.array([-p[1], p[0], p[2]]), 1e-9)

    def test_in_a_mirror(self):
        for seed in [k for k in range(40 * TIMES) if k % 4 < 2][:: 1 if TIMES > 1 else 3]:
            # Where one drifts is drawn along the axes.
            if "drift" not in (text := Drawn(seed).drill()):
                tables = tomllib.loads(text)
                self.same(seed, tables, mirrored(tables), lambda p: p * (-1.0, 1.0, 1.0), 1e-9)

    def test_by_other_axes(self):
        for seed in range(3, 20 * TIMES, 4):
            # Where one drifts is drawn along the axes.
            if "drift" not in (text := Drawn(seed).drill()):
                one, other, there = by_other_axes(tomllib.loads(text), *AXES[seed // 4 % len(AXES)])
                self.same(seed, one, other, there, 1e-9)

    def test_a_plane_in_space(self):
        for seed in range(0, 24 * TIMES, 4):
            for number, side in ((seed, True), (seed + 2, False)):
                tables = alike(tomllib.loads(Drawn(number).drill()), side)
                there = (lambda p: np.array([p[0], 0.0, p[1]])) if side else (lambda p: p)
                self.same(number, tables, in_space(tables, side), there, 1e-6)


def yard(seed):
    """A drill of somebody who walks and jumps on a quay among crates, and what goes to and fro, round and about."""
    rng = np.random.default_rng(seed)
    view, size = ("y = 'up'", "y = 'down'", "view = 'space'")[seed % 3], 3 if seed % 3 == 2 else 2

    def some(low, high):
        return round(float(rng.uniform(low, high)), 3)

    def place(x, y):
        return [x, some(-3, 3), y] if size == 3 else [x, y if seed % 3 == 0 else -y]

    own = ("ball = 0.4", f"box = {[0.6, 1.2] if size == 2 else [0.6, 0.6, 1.2]}")[seed // 3 % 2]
    home = [0.0, 0.0, 0.7] if size == 3 else place(0.0, 0.7)
    text = (
        f"nivvo = 1\nworld.{view}\ntick.rate = {(20, 60, 144)[seed // 6 % 3]}\n[shooter.keeper]\nat = {home}\n"
        f"shape = {{ {own} }}\nwalk = {{ speed = {some(1, 6)}, jump = {some(3, 7)}, acceleration = 20, step = 0.4 }}\n"
        "[ability.flare]\nlaunch.speed = 5\n[obstacle.quay]\nshape.half_space = 'up'\n"
    )
    for k in range(int(rng.integers(3, 7))):
        turned = [some(0, 180), some(-30, 30), some(-30, 30)] if size == 3 else some(0, 90)
        ends = [some(0.1, 0.7) for _ in range(size)]
        shapes = (f"ball = {some(0.3, 0.9)}", f"box = {[some(0.4, 3) for _ in range(size)]}, turned = {turned}",
                  f"capsule = [{ends}, {[-x for x in ends]}], radius = {some(0.1, 0.4)}")  # fmt: skip
        ways = (
            f"move = {{ through = [{place(some(-6, 6), some(0, 3))}], speed = {some(0.5, 4)}, at_end = 'back' }}",
            f"move = {{ circle = {{ centre = {place(some(-2, 2), some(0, 2))}, turn_rate = {some(-90, 90)} }} }}",
            f"turns = {some(-150, 150)}", "mass = 3\nfriction = 0.4", "",
        )  # fmt: skip
        x = some(1.6, 6) * rng.choice([-1, 1])
        text += f"[obstacle.b{k}]\nat = {place(float(x), some(0, 3))}\nshape = {{ {shapes[rng.integers(3)]} }}\n"
        text += ways[rng.integers(5)] + "\n"
    rows, time = [], 0.05
    while time < 2.5:
        rows += [f"{{ t = {time:.3f}, walk = {[some(-0.7, 0.7), some(-0.7, 0.7) if size == 3 else 0.0]} }}"]
        rows += [f"{{ t = {time + 0.02:.3f}, tap = 'jump' }}"] if rng.integers(2) else []
        time += some(0.1, 0.6)
    return tomllib.loads(f"{text}[case.c]\nlasts = 3\ninput = [{', '.join(rows)}]")


class Yards(unittest.TestCase):
    def test_all_go_the_same_ways_twice_as_large_to_the_last_bit(self):
        moved = 0
        for seed in range(4 * TIMES):
            tables = yard(seed)
            one, other = (nivvo.fire(nivvo.parse(tomlkit.dumps(made))) for made in (tables, larger(tables)))
            for tick in range(0, int(2.9 * one.scene.rate), 2):
                now = one.scene.ticks.edge(tick)
                for name, number in one.stage.number.items():
                    here, there = (run.stage.middle(number, now) for run in (one, other))
                    self.assertEqual((2.0 * here).tolist(), there.tolist(), (seed, tick, name))
            moved += one.stage.motions[one.stage.number["keeper"]].at(now)[0][0] != 0.0
        self.assertGreater(moved, 3)


class Pressed(unittest.TestCase):
    def test_whatever_goes_by_a_walker_is_not_inside_of_it(self):
        """Also within ticks: those who walk into what moves, and are pushed by it."""
        for seed in [36, 38, 70, 94, *range(100, 100 + 5 * TIMES)]:
            drawn = Drawn(seed)
            if "blink" in drawn.drill():
                continue
            run = nivvo.fire(nivvo.parse(drawn.drill()))
            for time in np.arange(0.003, 2.5, 0.011):
                for k in solid(run):
                    self.assertGreater(gap_to(run, k, int(time * UNITS)), -1e-3, (seed, time, run.stage.names[k]))


if __name__ == "__main__":
    unittest.main()
