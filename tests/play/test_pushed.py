"""Bodies with a mass in drills: knocks, blasts, edges, supports that go, in every view, step and rate."""

import itertools
import math
import unittest
from unittest import mock

import numpy as np

import nivvo
from nivvo.errors import DrillError
from nivvo.play.stage.loose import Bodies

G = 9.81
TEXT = """nivvo = 1
{view}
tick = {{ rate = {rate}, motion = "{motion}" }}
[shooter.keeper]
at = {home}
shape.ball = 0.4
[ability.rivet]
launch.speed = 30
flight.gravity_share = 0
shape.ball = 0.1
mass = 4
on.anything = {{ then = "end", {answer} }}
{more}
[target.barrel]
at = {at}
shape.box = {box}
mass = 20
friction = 0.3
[case.tap]
input = [{{ t = 0, tap = "fire" }}]
"""
QUAY = """[obstacle.quay]
at = [0, {y1}]
shape.box = [16, 2]
[obstacle.water]
at = [0, 0]
shape.half_space = "up"
"""


def written(**keys):
    base = {"view": "", "rate": 60, "motion": "exact", "home": [0, 2.2], "at": [7, 2.5], "box": [0.8, 1],
            "answer": "knock.momentum = 1", "more": QUAY.format(y1=1)}  # fmt: skip
    return TEXT.format(**{**base, **keys})


def made(**keys):
    return nivvo.parse(written(**keys))


HALVES = "parts = [{ at = [-0.2, 0], shape.box = [0.4, 1] }, { at = [0.2, 0], shape.box = [0.4, 1] }]"
"""The barrel as a body of two shapes that share a side."""


def both(text):
    """A drill whose barrel is one box, and of two halves."""
    assert "shape.box = [0.8, 1]" in text
    return nivvo.parse(text), nivvo.parse(text.replace("shape.box = [0.8, 1]", HALVES))


def end_of(run, name="barrel", time=30.0):
    return run.stage.motions[run.scene.number[name]].seen(time)[0]


class Knock(unittest.TestCase):
    def test_off_the_quay_it_slides_falls_and_stops_where_hand_calculation_says(self):
        for rate, motion in ((60, "exact"), (30, "exact"), (144, "exact"), (60, "verlet")):
            for sign, world in ((1, ""), (-1, "world.y = 'down'")):
                places = {"home": [0, 2.2 * sign], "at": [7, 2.5 * sign], "more": QUAY.format(y1=sign)}
                run = nivvo.fire(made(rate=rate, motion=motion, view=world, **places))
                # It has the projectile's momentum from the next tick on.
                speed = 4 * 30 / 20
                edge = math.sqrt(speed**2 - 2 * 0.3 * G * (8.4 - 7))
                lands = 8.4 + edge * math.sqrt(2 * 2 / G)
                expected = [lands + edge**2 / (2 * 0.3 * G), 0.5 * sign]
                np.testing.assert_allclose(end_of(run)[:2], expected, atol=1e-6)
                pushed = next(row for row in run.rows("events") if row["what"] == "pushed")
                self.assertEqual(pushed["body"], "barrel")

    def test_in_the_air_each_push_changes_its_way(self):
        for rate, sign in itertools.product((20, 60), (1, -1)):
            world = "" if sign > 0 else "world.y = 'down'"
            text = written(
                rate=rate, view=world, at=[7, 30 * sign], home=[0, 20 * sign], answer="knock.impulse = 60", more=""
            )
            text = text.replace("launch.speed = 30", "flight.instant = true\naim.by = 'nearest'")
            times = (0.11, 0.42, 0.83)
            run = nivvo.fire(nivvo.parse(text.replace('{ t = 0, tap = "fire" }', ", ".join(
                f"{{ t = {t}, tap = 'fire' }}" for t in times))))  # fmt: skip
            p, v, now = np.array([7.0, 30.0 * sign]), np.zeros(2), 0.0
            pull = np.array([0.0, -G * sign])
            for time, way in zip(times, [run.launch_of(f"rivet-{k + 1}")[:2] for k in range(3)], strict=True):
                # From the next tick's start on.
                kick = math.ceil(time * rate) / rate
                p, v, now = p + v * (kick - now) + 0.5 * pull * (kick - now) ** 2, v + pull * (kick - now), kick
                v = v + 3.0 * way / np.linalg.norm(way)
            last = 1.3 - now
            np.testing.assert_allclose(end_of(run, time=1.3)[:2], p + v * last + 0.5 * pull * last**2, atol=1e-9)

    def test_an_impulse_goes_onward_or_into_the_surface(self):
        tilt = "shape.turned = 30\n"
        for along, way in (("onward", 0.0), ("inward", 30.0)):
            text = written(answer=f'knock = {{ impulse = 40, along = "{along}" }}', view="world.view = 'top'",
                        home=[0, 0], at=[6, 0], more="")  # fmt: skip
            run = nivvo.fire(nivvo.parse(text.replace("mass = 20", tilt + "mass = 20")))
            moved = end_of(run)[:2] - np.array([6, 0])
            far = 2.0**2 / (2 * 0.3 * G)
            s, c = math.sin(math.radians(way)), math.cos(math.radians(way))
            np.testing.assert_allclose(np.abs(moved), np.abs([far * c, far * s]), atol=1e-9)

    def test_in_space_along_each_axis_that_can_be_up(self):
        for up in range(3):
            axis = "xyz"[up]
            forward = "y" if axis == "x" else "x"
            ahead = np.eye(3)["xyz".index(forward)]
            at = 6 * ahead + 0.5 * np.eye(3)[up]
            home = 0.5 * np.eye(3)[up]
            floor = '[obstacle.floor]\nat = [0, 0, 0]\nshape.half_space = "up"\n'
            view = f"world = {{ view = 'space', up = '+{axis}', forward = '+{forward}' }}"
            drill = made(view=view, home=home.tolist(), at=at.tolist(), box=[1, 1, 1], more=floor)
            run = nivvo.fire(drill)
            np.testing.assert_allclose(end_of(run), at + ahead * 36 / (2 * 0.3 * G), atol=1e-9)

    def test_it_is_a_body_like_any_other_while_it_moves(self):
        # A second shot touches it where it then is, and pushes it on.
        text = written(more='[obstacle.floor]\nat = [0, 2]\nshape.half_space = "up"\n', at=[5, 2.5])
        text = text.replace("}]", '}, { t = 0.5, tap = "fire" }]')
        for drill in both(text):
            run = nivvo.fire(drill)
            first, second = run.rows("contacts")
            start = math.ceil(first["time"] * 60) / 60
            since = second["time"] - start
            x = 5 + 6 * since - 0.5 * 0.3 * G * since**2
            self.assertAlmostEqual(second["x"], x - 0.4, places=9)
            self.assertAlmostEqual(second["speed"], 30 - (6 - 0.3 * G * since), places=9)

    def test_over_seams_and_off_the_quay_of_one_shape_or_two_alike(self):
        tiles = "".join(
            f"[obstacle.tile{k}]\nat = [{0.35 + 0.7 * k}, 1]\nshape.box = [0.7, 2]\n" for k in range(-6, 12)
        )
        water = QUAY[QUAY.index("[obstacle.water]") :]
        ends = [end_of(nivvo.fire(drill)) for drill in both(written(more=tiles + water))]
        # Off the edge at 8.4 with what the way till there has left it; then on, on the water.
        speed = math.sqrt(6**2 - 2 * 0.3 * G * (8.4 + 0.4 - 7))
        far = 8.8 + speed * math.sqrt(2 * 2 / G) + speed**2 / (2 * 0.3 * G)
        for end, own in zip(ends, (0.0, 0.2), strict=True):
            np.testing.assert_allclose(end[:2], [far - own, 0.5], atol=1e-6 if own == 0.0 else 5e-3)

    def test_a_blast_pushes_all_that_has_a_mass_away(self):
        more = "[obstacle.crate]\nat = [9, 2]\nshape.box = [1, 1]\nmass = 5\nfriction = 0.1\n"
        answer = "blast = { radius = 6, damage = 0, impulse = 30, falloff = 'none' }"
        run = nivvo.fire(made(view="world.view = 'top'", home=[0, 0], at=[7, 0], more=more, answer=answer))
        middle = np.array([6.6, 0.0])
        for name, at, mass, friction in (("crate", [9, 2], 5, 0.1), ("barrel", [7, 0], 20, 0.3)):
            way = (np.array(at) - middle) / np.linalg.norm(np.array(at) - middle)
            expected = at + way * (30 / mass) ** 2 / (2 * friction * G)
            np.testing.assert_allclose(end_of(run, name)[:2], expected, atol=1e-9)


class Looked(unittest.TestCase):
    def test_a_preview_ends_with_its_flight_though_crates_still_glide(self):
        text = "nivvo = 1\nworld.view = 'top'\n[ability.keg]\nlaunch.speed = 20\nlimits.life = 0.5\n"
        text += "on.crates.knock.impulse = 60\n"
        for k in range(6):
            text += f"[target.c{k}]\nat = [{2 + 1.1 * k}, 0]\nshape.box = [1, 1]\nmass = 2\nfriction = 0\n"
            text += "group = 'crates'\n"
        live = nivvo.Live(nivvo.parse(text))
        live.tap("fire")
        for _ in range(20):
            live.step()
        # It is so long that they glide for many seconds of the game's time, which are not gone through.
        with mock.patch.object(Bodies, "think", autospec=True, side_effect=Bodies.think) as thought:
            live.preview("keg")
        self.assertLess(thought.call_count, 60)


class Supports(unittest.TestCase):
    def test_what_lies_on_something_falls_when_that_is_shot_away(self):
        more = """[obstacle.floor]
at = [0, 0]
shape.half_space = "up"
[target.stool]
at = [7, 2]
shape.box = [1, 1]
health = 5
"""
        answer = "damage = 10"
        run = nivvo.fire(made(answer=answer, more=more, at=[7, 3], home=[0, 2]))
        self.assertAlmostEqual(end_of(run)[1], 0.5, delta=1e-9)
        self.assertAlmostEqual(end_of(run, time=0.1)[1], 3.0, delta=1e-12)

    def test_live_it_is_pushed_put_elsewhere_taken_away_and_brought_back(self):
        floor = '[obstacle.floor]\nat = [0, 2]\nshape.half_space = "up"\n'
        for drill in both(written(more=floor, at=[5, 2.5])):
            live = nivvo.Live(drill)
            live.press("fire")
            kept = None
            for k in range(160):
                if k == 20:
                    kept = live.snapshot()
                live.step()
            first = live.place("barrel"), live.digest
            self.assertAlmostEqual(first[0][0], 5 + 36 / (2 * 0.3 * G), delta=1e-9)
            live.restore(kept)
            for _ in range(140):
                live.step()
            self.assertEqual(live.digest, first[1])
            live.move_body("barrel", [5, 4], jump=True)
            for _ in range(60):
                live.step()
            np.testing.assert_allclose(live.place("barrel"), [5, 2.5], atol=1e-9)
            live.add("target", "keg", at=[5, 6], shape={"box": [0.5, 0.5]}, mass=3)
            for _ in range(90):
                live.step()
            np.testing.assert_allclose(live.place("keg"), [5, 3.25], atol=1e-8)
            live.remove("barrel")
            for _ in range(60):
                live.step()
            np.testing.assert_allclose(live.place("keg"), [5, 2.25], atol=1e-8)

    def test_on_a_raft_that_goes_round_a_stack_stands_and_a_puck_slides_without_a_new_contact(self):
        # A way that bends is gone in straight pieces, one a tick.
        for view, rate, turn in itertools.product(("side", "space"), (20, 60), (40, -50)):
            flat = (lambda x, y: [x, y]) if view == "side" else (lambda x, y: [x, 0, y])
            box = (lambda x, y: [x, y]) if view == "side" else (lambda x, y: [x, x, y])
            centre = flat(0, -3) if view == "side" else [0.5, 1, -1]
            text = f"""nivvo = 1
                world.view = "{view}"
                tick.rate = {rate}
                [ability.puck]
                launch = {{ speed = 2, elevation = -20 }}
                shape.ball = 0.1
                hits_owner = "never"
                on.anything = {{ then = "slide", friction = 0.01 }}
                on.targets.then = "ignore"
                limits.life = 3
                [target.lower]
                at = {flat(-9, -0.2)}
                shape.box = {box(0.6, 0.6)}
                mass = 3
                friction = 0.4
                [target.upper]
                at = {flat(-9.05, 0.35)}
                shape.box = {box(0.5, 0.5)}
                mass = 1
                friction = 0.4
                [obstacle.raft]
                at = {flat(0, -1)}
                shape.box = {box(60, 1)}
                move.circle = {{ centre = {centre}, turn_rate = {turn} }}
                [case.c]
                lasts = 6
                """
            run = nivvo.fire(nivvo.parse(text))
            self.assertEqual([row["body"] for row in run.rows("contacts")].count("raft"), 1, (view, rate, turn))
            at = {}
            for row in run.rows("bodies"):
                at.setdefault(row["body"], {})[row["time"]] = np.array([row[k] for k in "xyz"[: run.scene.frame.size]])
            for name in ("lower", "upper"):
                off = np.array([at[name][t] - at["raft"][t] for t in at["raft"] if t > 2.0])
                self.assertGreater(len(off), 50)
                np.testing.assert_allclose(off, np.broadcast_to(off[0], off.shape), atol=1e-7, err_msg=f"{view} {name}")

    def test_what_makes_no_sense_is_told(self):
        for keys, says in (
            ({"answer": "knock = { momentum = 0.5, impulse = 3 }"}, "not both"),
            ({"answer": "knock = { along = 'inward' }"}, "goes with impulse"),
            ({"answer": "knock = { momentum = 2 }"}, "momentum"),
        ):
            with self.assertRaises(DrillError) as caught:
                made(**keys)
            self.assertIn(says, str(caught.exception))
        for old, new, says in (
            ("mass = 20\n", "", "friction goes with mass"),
            ("mass = 20\nfriction = 0.3\n", "", "has a mass"),
            ("mass = 4\n", "", "mass of the projectile"),
            ("mass = 20\n", "mass = 20\nmove.velocity = [1, 0]\n", "mass or move"),
            ("mass = 20\n", "mass = -1\n", "mass"),
        ):
            with self.assertRaises(DrillError) as caught:
                nivvo.parse(written().replace(old, new))
            self.assertIn(says, str(caught.exception), new)


if __name__ == "__main__":
    unittest.main()
