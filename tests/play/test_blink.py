"""Blinks: where a shooter arrives, in rooms, on slopes and in corners: inside nothing, or refused."""

import itertools
import unittest

import numpy as np

import nivvo
from nivvo.core.geometry.hulls import between
from nivvo.core.geometry.shapes import BOX, CAPSULE, ENDLESS, PRISM, distance, support
from tests.core.bodies import body
from tests.deep import DEEP

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


def random_blink(seed):
    """A blink in a random room, slope or corner, all of it turned, in one of four views.

    "arrived" (and inside nothing), "refused" (and nowhere near is it free) or "none", and the least gap that was found.
    """
    rng = np.random.default_rng(seed)
    view, size = ("side", "down", "top", "space")[seed % 4], 3 if seed % 4 == 3 else 2

    def some(a, b):
        return round(float(rng.uniform(a, b)), 3)

    def turned():
        return [some(0, 360), some(-40, 40), some(-40, 40)] if size == 3 else some(0, 360)

    bodies, count = "", int(rng.integers(9, 70))
    for k in range(count):
        at = [some(0.8, 9), *(some(-4, 4) for _ in range(size - 1))]
        ends, tall = [[some(-1, 1) for _ in range(size)] for _ in range(2)], ", tall = 1.2" if size == 3 else ""
        kind = (
            f"box = {[some(0.3, 3) for _ in range(size)]}, turned = {turned()}",
            f"ball = {some(0.2, 1.2)}",
            f"capsule = {ends}, radius = {some(0.1, 0.5)}",
            f"polygon = [[0, 0], [{some(1, 3)}, 0], [{some(0.5, 1)}, {some(0.3, 2)}]], turned = {turned()}{tall}",
        )[int(rng.choice([0, 0, 0, 1, 2, 3]))]
        bodies += f"[obstacle.b{k}]\nat = {at}\nshape = {{ {kind} }}\n"
    tip = [0.0] * (size - 1) + [some(0.3, 0.6)]
    shape = (f"shape.ball = {some(0.2, 0.6)}", f"shape = {{ capsule = [{[-x for x in tip]}, {tip}], radius = 0.3 }}",
             f"shape.box = {[some(0.4, 0.9) for _ in range(size - 1)] + [some(0.8, 1.8)]}")[seed // 4 % 3]  # fmt: skip
    aim = f"launch.speed = 20\nmuzzle_blocked = 'fire anyway'\naim.by = 'fixed'\naim.direction = {some(-60, 60)}"
    if size == 2 and view != "top":
        aim = f"launch.speed = 20\nmuzzle_blocked = 'fire anyway'\nlaunch.elevation = {some(-60, 60)}"
    world = {"side": "", "down": "world.y = 'down'", "top": "world.view = 'top'", "space": "world.view = 'space'"}[view]
    within = some(0.2, 1.2)
    away = [99] * size
    run = nivvo.fire(nivvo.parse(
        f"nivvo = 1\n{world}\n[shooter.keeper]\n{shape}\n[ability.hook]\n{aim}\nflight.gravity_share = 0\n"
        f"on.anything.blink = {{ within = {within} }}\nshape.ball = 0.05\nlimits.life = 1\n{bodies}\n[target.wisp]\n"
        f"at = {away}\n[case.tap]\ninput = [{{ t = 0, tap = 'fire' }}]\n"
    ))  # fmt: skip
    keeper, rows = run.scene.number["keeper"], [row for row in run.rows("events") if row["what"] == "blinked"]
    if not rows or len(rows) > 1:
        return "none", 0.0
    own, others = run.scene.bodies[keeper], [row for k, row in enumerate(run.scene.bodies) if k != keeper]
    if rows[0]["detail"].startswith("to"):
        place, _ = arrived(run)
        gap = min(least(run, place), min(between(own, place, other, other["c0"])[0] for other in others))
        if gap < -1e-5:
            raise AssertionError(f"{seed}: {-gap} inside")
        return "arrived", gap
    # Its place clear of the contact, as the key's words have it; and many about that.
    contact = run.rows("contacts")[0]
    rest = [0.0] * (3 - size)
    point, normal = (np.array([contact[pre + axis] for axis in "xyz"[:size]] + rest) for pre in ("", "normal_"))
    start = point + (support(own, tuple(normal.tolist())) + 1e-6) * normal
    others.sort(key=lambda other: distance(other, tuple((start - other["c0"]).tolist()))[0])
    for _ in range(260):
        way = np.append(rng.normal(size=size), np.zeros(3 - size))
        place = start + 0.999 * within * rng.uniform() ** (1 / size) * way / np.linalg.norm(way)
        if all(between(own, place, other, other["c0"])[0] > 1e-3 for other in others):
            raise AssertionError(f"{seed}: refused, but there is room at {place}")
    return "refused", 0.0


NOWHERE = np.zeros(3)


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
        kinds = [random_blink(seed)[0] for seed in range(30)]
        self.assertGreater(kinds.count("arrived"), 12)

    def test_in_a_room_of_blocks_it_arrives_as_in_one_of_walls(self):
        def room(wide):
            lines = []
            for name, low, high in (
                ("f", (-5, -1), (5, 0)),
                ("r", (4, 0), (5, 4)),
                ("l", (-5, 0), (-4, 4)),
                ("c", (-5, 4), (5, 5)),
            ):
                size = np.subtract(high, low)
                count = np.maximum(np.round(size / wide).astype(int), 1) if wide else np.array([1, 1])
                for i, j in np.ndindex(*count):
                    at = (np.array(low) + (np.array([i, j]) + 0.5) * size / count).tolist()
                    lines.append(f"[obstacle.{name}{i}_{j}]\nat = {at}\nshape.box = {(size / count).tolist()}\n")
            return "".join(lines)

        for shape, high in (
            ("shape = { capsule = [[0, -0.6], [0, 0.6]], radius = 0.3 }", 0.9),
            ("shape.box = [0.6, 1.8]", 0.9),
        ):
            for way in (-62, -45, -30, -11, -3, 0, 20, 50, 90, 128, 180, 200, 228):
                places = []
                for wide in (0, 1.0, 0.5):
                    keeper = f"{shape}\nat = [0, {high + 1e-3}]"
                    aim = f"launch.speed = 20\naim = {{ by = 'fixed', direction = {way} }}"
                    run = nivvo.fire(made(room(wide), keeper, aim, rule="on.anything.blink.within = 2"))
                    first = next(row["time"] for row in run.rows("events") if row["what"] == "blinked")
                    places.append(run.stage.motions[run.scene.number["keeper"]].seen(first + 0.1)[0])
                np.testing.assert_allclose(places[1:], [places[0]] * 2, atol=1e-4, err_msg=f"{shape} {way}")

    def test_where_no_place_is_near_it_stays_and_says_so(self):
        room = "".join(
            f"[obstacle.w{k}]\nat = {at}\nshape.box = {size}\n"
            for k, (at, size) in enumerate((([10, 0.7], [8, 0.6]), ([10, -0.7], [8, 0.6]), ([14.5, 0], [1, 3])))
        )
        run = nivvo.fire(made(room, "shape.ball = 0.5", launch="launch.speed = 20"))
        place, rows = arrived(run)
        self.assertEqual(rows[0]["detail"], "no free place is near")
        np.testing.assert_array_equal(place, 0.0)

    def test_who_is_under_way_for_years_does_not_arrive(self):
        wall = "[obstacle.wall]\nat = [10, 0]\nshape.box = [1, 9]\n"
        place, _ = arrived(nivvo.fire(made(wall, rule="on.anything.blink = { speed = 1e-9 }")))
        np.testing.assert_allclose(place, 0.0, atol=1e-5)

    def test_in_space_too(self):
        wall = "[obstacle.wall]\nat = [10, 0, 0]\nshape.box = [1, 9, 9]\nshape.turned = 30\n"
        run = nivvo.fire(
            made(wall, "shape.capsule = [[0, 0, -0.5], [0, 0, 0.5]]\nshape.radius = 0.3", view="world.view = 'space'")
        )
        place, rows = arrived(run)
        self.assertTrue(rows[0]["detail"].startswith("to"))
        self.assertGreaterEqual(least(run, place), -1e-5)

    def test_a_shot_that_flies_on_does_not_touch_who_has_come_to_it_until_clear_at_every_rate(self):
        # He comes to where it goes through the sail; it is slow, and so long within his body. A wall sends it back.
        bodies = (
            "[target.sail]\nat = {at}\nshape.box = {sail}\ngroup = 'sails'\n"
            "[obstacle.wall]\nat = {far}\nshape.box = {wall}\ngroup = 'walls'\n"
        )
        rule = (
            "on.sails = { then = 'pass', blink = {} }\non.walls = { then = 'bounce', restitution = 1 }\n"
            "on.shooters.damage = 1\nhits_owner = 'once clear'"
        )
        for view, rate in itertools.product(("side", "space"), (30, 144, 1000)):
            flat = (lambda x: [x, 0]) if view == "side" else (lambda x: [x, 0, 0])
            size = (lambda x: [x, 3]) if view == "side" else (lambda x: [x, 3, 3])
            made_of = bodies.format(at=flat(4), sail=size(0.02), far=flat(9), wall=size(1))
            head = f"world.view = '{view}'\ntick.rate = {rate}"
            drill = made(made_of, launch="launch.speed = 6", view=head if view == "space" else "", rule=rule)
            drill = drill.with_settings({"tick.rate": rate})
            run = nivvo.fire(drill)
            first = [row for row in run.rows("contacts") if row["projectile"] == "hook-1"]
            # It touches him only where it has come back from the wall.
            self.assertEqual([row["body"] for row in first], ["sail", "wall", "keeper"], (view, rate))
            drill = drill.with_settings({"ability.hook.hits_owner": "always"})
            first = [row["body"] for row in nivvo.fire(drill).rows("contacts") if row["projectile"] == "hook-1"]
            self.assertEqual(first, ["sail", "keeper"], (view, rate))

    def test_who_blinks_and_what_is_pulled_keep_their_past(self):
        text = """nivvo = 1
        world.view = "top"
        [shooter.keeper]
        [ability.hook]
        firing = { kind = "auto", rate = 2, button = "hook" }
        launch.speed = 20
        aim = { by = "fixed", direction = 90 }
        hits_owner = "never"
        on.gulls = { then = "pass", pull.speed = 3 }
        when.age = { at = 0.2, blink.within = 2 }
        [target.gull]
        at = [9, 2]
        group = "gulls"
        move = { chase = "keeper", speed = 20 }
        [case.twice]
        lasts = 2
        input = [{ t = 0.1, hold = "hook", held = 0.6 }]
        """
        run = nivvo.fire(nivvo.parse(text))
        rows = [row for row in run.rows("bodies") if row["body"] == "keeper"]
        self.assertEqual([round(row["time"], 3) for row in rows], [0.0, 0.3, 0.8])
        self.assertEqual(rows[0]["y"], 0.0)
        for row, shot in zip(rows[1:], run.rows("shots"), strict=False):
            self.assertAlmostEqual(row["y"], shot["y"] + 20 * 0.2, delta=1e-6)
        first = next(row for row in run.rows("bodies") if row["body"] == "gull")
        self.assertEqual((first["x"], first["y"]), (9.0, 2.0))


class Gap(unittest.TestCase):
    def test_between_two_bodies_as_a_dense_search_finds_it(self):
        rng = np.random.default_rng(3)
        for seed in range(60):
            one, other = body(int(rng.integers(0, 3)), rng), body(int(rng.integers(0, 3)), rng)
            at, there = np.zeros(3), rng.normal(0, 1.6, 3)
            gap, way = between(one, at, other, there)
            half = np.where(one["half"] == ENDLESS, 0.0, one["half"])
            grid = np.stack(np.meshgrid(*[np.linspace(-h, h, 21 if h else 1) for h in half]), axis=-1).reshape(-1, 3)
            core = grid @ np.array([one["axis0"], one["axis1"], one["axis2"]])
            dense = min(distance(other, tuple((p - there).tolist()))[0] for p in core) - float(one["radius"])
            if gap > 0:
                self.assertLessEqual(gap, dense + 1e-9, seed)
                self.assertGreater(gap, dense - 0.05, seed)
            if gap < 0:
                # Moved out as it says they touch no more.
                out, _ = between(one, at + (1e-9 - gap) * way, other, there)
                self.assertGreaterEqual(out, -1e-6, seed)

    def test_where_they_touch_the_way_is_as_it_is_just_before(self):
        kinds, touched = [BOX, PRISM, CAPSULE, 9], 0
        for seed in range(400 if DEEP else 120):
            rng = np.random.default_rng(seed)
            flat = seed % 3 == 0
            one, other = (body(kinds[int(rng.integers(4))], rng, flat=flat) for _ in range(2))
            way, off = rng.normal(size=3), 0.3 * rng.normal(size=3)
            way[2], off[2] = way[2] * (not flat), off[2] * (not flat)
            low, high = 0.0, 8.0 / np.linalg.norm(way)
            if between(one, off, other, NOWHERE)[0] > 0.0:
                continue
            for _ in range(70):
                middle = 0.5 * (low + high)
                inside = between(one, off + middle * way, other, NOWHERE)[0] < 0.0
                low, high = (middle, high) if inside else (low, middle)
            ways = [between(one, off + (high + more) * way, other, NOWHERE)[1] for more in (0.0, 1e-6)]
            self.assertGreater(float(ways[0] @ ways[1]), 0.99, seed)
            touched += 1
        self.assertGreater(touched, 90)
