"""Shooters that walk, jump, follow a way and turn; muzzles by turns, on carriers, in walls."""

import math
import unittest

import numpy as np

import nivvo
from nivvo.plan.case import case_of
from nivvo.play.engine import scratch
from nivvo.play.questions.decided import defaults
from nivvo.play.ways.motion import Motion, Walker
from nivvo.play.ways.ways import motion_of
from tests.play.drills import drill

SIDE = {"world": "", "shooter": "at = [0, 1]\nfacing = 'right'"}


def walking(view="side", walk="walk.speed = 4", inputs="", more="", ability="", world=""):
    at = {"side": "[0, 1]", "top": "[0, 0]", "space": "[0, 0, 1]"}[view]
    return nivvo.parse(f"""nivvo = 1
world.view = "{view}"
{world}
[shooter.keeper]
at = {at}
{walk}
{more}
[ability.flare]
launch.speed = 20
on.anything.then = "ignore"
limits.life = 0.5
{ability}
[case.walk]
input = [{inputs}]
""")


def place(made, seconds):
    """Where the keeper is, and how fast, once the session has come to a time."""
    session = scratch(case_of(made), round(seconds * 693e9))
    return session.stage.motions[session.scene.number["keeper"]].seen(seconds)


class Walking(unittest.TestCase):
    def test_at_once_and_with_acceleration_against_small_steps(self):
        rows = "{t=0.1, walk=[1, 0]}, {t=0.9, walk=[-0.5, 0]}, {t=1.6, walk=[0, 0]}"
        wanted = [(0.1, 4.0), (0.9, -2.0), (1.6, 0.0)]
        for walk, most in (("walk.speed = 4", np.inf), ("walk.speed = 4\nwalk.acceleration = 6", 6.0)):
            made = walking(walk=walk, inputs=rows)
            x, v, h = 0.0, 0.0, 1e-4
            for k in range(25_000):
                t = k * h
                goal = next((speed for time, speed in reversed(wanted) if t >= time), 0.0)
                step = goal - v if most == np.inf else np.clip(goal - v, -most * h, most * h)
                x, v = x + (v + step / 2) * h, v + step
                if (k + 1) % 5000 == 0:
                    at, moving = place(made, t + h)
                    self.assertAlmostEqual(at[0], x, delta=2e-3)
                    self.assertAlmostEqual(moving[0], v, delta=2e-3)
                    self.assertEqual(at[1], 1.0)

    def test_diagonal_input_is_no_faster_and_the_view_gives_its_axes(self):
        made = walking("top", inputs="{t=0, walk=[1, 1]}")
        at, v = place(made, 1.0)
        np.testing.assert_allclose(v, [4 / np.sqrt(2), 4 / np.sqrt(2), 0], atol=1e-12)
        np.testing.assert_allclose(at, v, atol=1e-12)
        at, v = place(walking("space", inputs="{t=0, walk=[0, -0.5]}"), 2.0)
        np.testing.assert_allclose(at, [0, -4, 1], atol=1e-12)

    def test_a_jump_is_a_throw_that_lands_where_it_started_and_cannot_be_had_twice(self):
        inputs = "{t=0, walk=[1, 0]}, {t=0.2, tap='jump'}, {t=0.5, tap='jump'}, {t=0.7, walk=[-1, 0]}"
        for world, up in (("", 1.0), ('world.y = "down"', -1.0)):
            made = walking(walk="walk.speed = 4\nwalk.jump = 6", inputs=inputs, world=world)
            land = 0.2 + 2 * 6 / 9.81
            for t in np.linspace(0.0, 2.0, 41):
                air = t - 0.2
                rise = 6 * air - 9.81 * air * air / 2 if 0 < air < 2 * 6 / 9.81 else 0.0
                at, _v = place(made, t)
                self.assertAlmostEqual((at[1] - 1.0) * up, rise, delta=1e-9)
                self.assertAlmostEqual(at[0], 4 * min(t, 0.7) - 4 * max(t - 0.7, 0.0), delta=1e-9)
            self.assertEqual(place(made, land + 0.1)[1][1], 0.0)

    def test_the_muzzle_goes_along_and_the_shot_inherits_its_share(self):
        inputs = "{t=0, walk=[1, 0]}, {t=0.1, tap='jump'}, {t=0.35, tap='fire'}"
        walk = "walk.speed = 4\nwalk.jump = 6\nmuzzle.hand.forward = 0.8\nmuzzle.hand.up = 0.2"
        made = walking(walk=walk, inputs=inputs, ability="inherit_velocity = 0.5\nlaunch.elevation = 30")
        row = nivvo.fire(made).rows("shots")[0]
        at, v = place(made, 0.35)
        turned = np.radians(30)
        self.assertAlmostEqual(row["x"], at[0] + 0.8 * np.cos(turned) - 0.2 * np.sin(turned), delta=1e-9)
        self.assertAlmostEqual(row["y"], at[1] + 0.8 * np.sin(turned) + 0.2 * np.cos(turned), delta=1e-9)
        self.assertAlmostEqual(row["vx"], 20 * np.cos(turned) + 0.5 * v[0], delta=1e-9)
        self.assertAlmostEqual(row["vy"], 20 * np.sin(turned) + 0.5 * v[1], delta=1e-9)

    def test_a_walking_shooter_is_struck_where_it_has_walked_to(self):
        text = """nivvo = 1
[shooter.keeper]
at = [0, 1]
shape.ball = 0.5
walk.speed = 3
walk.acceleration = 5
[shooter.rival]
at = [12, 1]
facing = "left"
[ability.bolt]
shooter = "rival"
launch.speed = 25
flight.gravity_share = 0
shape.ball = 0.1
[case.walk]
input = [{ t = 0, walk = [1, 0], shooter = "keeper" }, { t = 0.2, tap = "fire", shooter = "rival" },
         { t = 0.31, walk = [-1, 0], shooter = "keeper" }]
"""
        for step, tolerance in (("exact", 1e-9), ("semi-implicit", 2e-3)):
            made = nivvo.parse(text.replace("[shooter.keeper]", f'tick.motion = "{step}"\n[shooter.keeper]', 1))
            run = nivvo.fire(made)
            touch = run.rows("contacts")[0]
            self.assertEqual(touch["body"], "keeper")
            motion = run.stage.motions[run.scene.number["keeper"]]
            shot = run.rows("shots")[0]
            gap = (shot["x"] - 25 * (touch["time"] - 0.2)) - motion.seen(touch["time"])[0][0]
            self.assertAlmostEqual(gap, 0.6, delta=tolerance)


class Ways(unittest.TestCase):
    def test_a_way_through_points_stops_returns_or_goes_around(self):
        for at_end, expected in (
            ("stop", [(0, 0), (2, 0), (2, 1), (2, 2), (2, 2), (2, 2)]),
            ("back", [(0, 0), (2, 0), (2, 1), (2, 1), (1, 0), (1, 0)]),
            ("around", [(0, 0), (2, 0), (2, 1), None, None, None]),
        ):
            made = drill(
                text=f"""[target.drifter]
move.through = [[0, 0], [2, 0], [2, 2]]
move.speed = 2
move.at_end = "{at_end}"
"""
            )
            session = scratch(case_of(made))
            motion = session.stage.motions[session.scene.number["drifter"]]
            for t, point in zip((0.0, 1.0, 1.5, 2.5, 3.5, 4.5), expected, strict=True):
                if point is not None:
                    np.testing.assert_allclose(motion.seen(t)[0][:2], point, atol=1e-6, err_msg=f"{at_end} {t}")
            loop = 2 + 2 + np.sqrt(8)
            if at_end == "around":
                np.testing.assert_allclose(motion.seen(loop / 2 + 1.0)[0], motion.seen(1.0)[0], atol=1e-6)

    def test_a_shot_meets_a_body_whose_way_turns_inside_a_tick(self):
        text = """[target.drifter]
move.through = [[10, 3], [10, 1], [12, 1]]
move.speed = 3.1
shape.ball = 0.4
"""
        for step, tolerance in (("exact", 1e-9), ("verlet", 5e-3)):
            made = drill(
                text=text, tick=f'motion = "{step}"',
                ability="flight.gravity_share = 0\naim.by = 'fixed'\naim.direction = 0",
                shooter="at = [0, 1]", case="",
            ).with_settings({"ability.flare.launch.elevation": 0.0, "ability.flare.launch.speed": 15.0})  # fmt: skip
            run = nivvo.fire(made)
            touch = run.rows("contacts")[0]
            self.assertEqual(touch["body"], "drifter")
            at = run.stage.motions[run.scene.number["drifter"]].seen(touch["time"])[0]
            shot = run.rows("shots")[0]
            ball = np.array([shot["x"] + 15 * touch["time"], shot["y"]])
            self.assertAlmostEqual(np.linalg.norm(ball - at[:2]), 0.5, delta=tolerance)

    def test_pieces_join_without_a_jump(self):
        made = walking(walk="walk.speed = 4\nwalk.jump = 6\nwalk.acceleration = 9")
        scene = case_of(made).scene
        walker = Walker(np.array([0.0, 1.0, 0.0]), scene.shooters["keeper"].walk, scene.frame, scene.gravity)
        rng = np.random.default_rng(2)
        for t in np.sort(rng.uniform(0, 5, 30)):
            now = round(t * 693e9)
            walker.jump(now) if rng.uniform() < 0.3 else walker.steer(now, rng.uniform(-1, 1, 2))
        for before, time in zip(walker.pieces, walker.times[1:], strict=False):
            end = walker.at(time - 1)[0]
            np.testing.assert_allclose(walker.at(time)[0], end, atol=1e-9)
            self.assertLessEqual(abs(before[1][0]), 4 + 1e-9)
        self.assertGreater(len(walker.pieces), 20)
        self.assertTrue(all(isinstance(motion_of(body, scene.ticks), Motion) for body in scene.planned))


class Facing(unittest.TestCase):
    def test_an_axis_that_is_written_is_that_axis_and_the_one_that_is_told_may_be_written(self):
        for view, world, axes in (
            ("side", "world.y = 'down'", "x"),
            ("top", "world.y = 'down'", "xy"),
            ("top", "world.y = 'up'", "xy"),
            ("space", "", "xy"),
            ("space", "world.up = '+y'\nworld.hand = 'left'\nworld.forward = '-z'", "xz"),
        ):
            flat = "flight.gravity_share = 0" if view != "top" else ""
            for facing in [None, *(sign + axis for axis in axes for sign in "+-")]:
                more = f"facing = '{facing}'" if facing else ""
                made = walking(view, more=more, ability=flat, world=world, inputs="{ t = 0, tap = 'fire' }")
                run = nivvo.fire(made)
                told = dict(defaults(made, run)).get("shooter.keeper.facing", facing)
                way = np.array([float(told[0] + "1") if axis == told[1] else 0.0 for axis in "xyz"])
                np.testing.assert_allclose(run.fired[0].velocity, 20.0 * way, atol=1e-12, err_msg=f"{view} {facing}")
                nivvo.fire(walking(view, more=f"facing = '{told}'", ability=flat, world=world))
        with self.assertRaisesRegex(nivvo.DrillError, "level axis"):
            walking("space", more="facing = '-z'")
        with self.assertRaisesRegex(nivvo.DrillError, "left or right"):
            walking("side", more="facing = '+y'")

    def facing(self, made, seconds):
        session = scratch(case_of(made), round(seconds * 693e9))
        return session.stage.players["keeper"].facing(round(seconds * 693e9))

    def test_by_movement_it_keeps_what_it_had_when_nobody_moves_it(self):
        inputs = "{t=0.5, walk=[-1, 0]}, {t=1, walk=[0, 0]}, {t=1.5, walk=[0, 1]}"
        made = walking(inputs=inputs, more="facing_follows = 'movement'\nfacing = 'right'")
        for t, x in ((0.0, 1.0), (0.4, 1.0), (0.5, -1.0), (1.2, -1.0), (1.6, -1.0)):
            np.testing.assert_array_equal(self.facing(made, t), [x, 0, 0])

    def test_four_and_eight_ways_and_ties(self):
        for ways in (2, 4, 8):
            for angle in np.arange(0.0, 360.0, 7.5):
                axes = [float(np.cos(np.radians(angle))), float(np.sin(np.radians(angle)))]
                axes = [round(x, 6) for x in axes]
                inputs = f"{{t=0, walk={axes}}}"
                made = walking(
                    "top", inputs=inputs, more=f"facing_follows = 'movement'\nfacing_count = {ways}\nfacing = 0"
                )
                found = self.facing(made, 0.1)
                off = np.degrees(np.arccos(np.clip(found[:2] @ axes / np.hypot(*axes), -1, 1)))
                if ways > 2:
                    self.assertLessEqual(off, 180.0 / ways + 1e-3)
                turned = np.degrees(np.arctan2(found[1], found[0])) / (360.0 / ways)
                self.assertAlmostEqual(turned, round(turned), delta=1e-9)

    def test_by_the_side_of_the_cursor_as_it_walks_past_it(self):
        inputs = "{t=0, cursor=[2, 5], walk=[1, 0]}, {t=0.9, tap='fire'}"
        made = walking(
            inputs=inputs, more="facing_follows = 'cursor'\nmuzzle.hand.forward = 0.7\nmuzzle.hand.follows = 'body'"
        )
        np.testing.assert_array_equal(self.facing(made, 0.1), [1, 0, 0])
        self.assertAlmostEqual(nivvo.fire(made).rows("shots")[0]["x"], 4 * 0.9 - 0.7, delta=1e-9)


class Muzzles(unittest.TestCase):
    TWO = """at = [0, 1]
muzzle.port.forward = 0.9
muzzle.port.up = 0.3
muzzle.starboard.forward = 0.9
muzzle.starboard.up = -0.3
"""

    def shots(self, order, count=40, more=""):
        rows = ", ".join(f"{{t={k / 10}, tap='fire'}}" for k in range(count))
        ability = f'muzzle = ["port", "starboard"]\nmuzzle_order = "{order}"\nlimits.life = 0.05\n{more}'
        return nivvo.fire(drill(shooter=self.TWO, ability=ability, case=f"input = [{rows}]"))

    def test_in_turn_all_at_once_and_at_random(self):
        names = [row["muzzle"] for row in self.shots("in turn", 5).rows("shots")]
        self.assertEqual(names, ["port", "starboard", "port", "starboard", "port"])
        run = self.shots("all at once", 2)
        self.assertEqual([row["projectiles"] for row in run.rows("shots")], [2, 2])
        self.assertEqual(list(run.ids.values()), ["flare-1.1", "flare-1.2", "flare-2.1", "flare-2.2"])
        starts = [run.flight(name).p[0] for name in ("flare-1.1", "flare-1.2")]
        self.assertAlmostEqual(np.linalg.norm(starts[0] - starts[1]), 0.6, delta=1e-9)
        names = [row["muzzle"] for row in self.shots("random").rows("shots")]
        self.assertEqual(set(names), {"port", "starboard"})
        self.assertEqual(names, [row["muzzle"] for row in self.shots("random").rows("shots")])
        self.assertEqual(names[:7], [row["muzzle"] for row in self.shots("random", 7).rows("shots")])

    def test_a_carrier_follows_at_its_top_speed_and_its_lag_is_told(self):
        walk = "walk.speed = 5\nmuzzle.buoy.forward = 1\nmuzzle.buoy.follows = 'carrier'\nmuzzle.buoy.top_speed = 3"
        for t in (0.3, 1.0, 1.7):
            made = walking(walk=walk, inputs=f"{{t=0, walk=[1, 0]}}, {{t=1, walk=[0, 0]}}, {{t={t}, tap='fire'}}")
            row = nivvo.fire(made).rows("shots")[0]
            # The body pulls away by 2 a second, then the carrier makes it up by 3 a second.
            lag = 2 * min(t, 1.0) - 3 * max(t - 1.0, 0.0)
            self.assertAlmostEqual(row["lag"], max(lag, 0.0), delta=0.06)
            self.assertAlmostEqual(row["x"], 1 + 5 * min(t, 1.0) - row["lag"], delta=1e-9)
            self.assertEqual("carrier lags" in row["note"], lag > 0.0)

    def test_a_wall_in_the_muzzle_is_told_pushed_out_of_or_refused(self):
        wall = "[obstacle.pile]\nat = [1.05, 1]\nshape.box = [0.5, 4]\n"
        thin = "[obstacle.pane]\nat = [0.8, 1]\nshape.box = [0.01, 4]\n"
        for text, word in ((wall, "inside pile"), (thin, "pane stands between")):
            for how in ("fire anyway", "push out", "refuse"):
                keys, shooter = (
                    f'muzzle_blocked = "{how}"\nflight.gravity_share = 0',
                    "at = [0, 1]\nmuzzle.hand.forward = 1.0",
                )
                made = drill(text=text, ability=keys, shooter=shooter)
                made = made.with_settings({"ability.flare.launch.elevation": 0.0})
                run = nivvo.fire(made)
                if how == "refuse":
                    self.assertEqual(run.rows("shots"), [])
                    self.assertIn(word, run.rows("events")[0]["detail"])
                    continue
                row = run.rows("shots")[0]
                self.assertIn(word, row["note"])
                if how == "push out":
                    self.assertLessEqual(row["x"], 0.71)
                    self.assertEqual(row["y"], 1.0)
                    self.assertIn("pushed out by", row["note"])
                    self.assertEqual(run.rows("contacts")[0]["overlap"], 0.0)
                else:
                    self.assertAlmostEqual(row["x"], 1.0)

    def test_what_is_in_the_way_of_a_muzzle_is_so_by_many_samples(self):
        rng, found = np.random.default_rng(8), {True: 0, False: 0}
        for _ in range(150):
            ahead, aims, turned = rng.uniform(0.6, 2.0), rng.uniform(-180, 180), rng.uniform(-180, 180)
            way = ahead * np.array([math.cos(math.radians(aims)), math.sin(math.radians(aims))])
            at, half = way * rng.uniform(0.2, 1.4) + rng.normal(0, 0.2, 2), rng.uniform(0.02, 0.4, 2)
            kind = str(rng.choice(["obstacle", "target"]))
            run = nivvo.fire(
                nivvo.parse(
                    f"nivvo = 1\n[shooter.keeper]\nmuzzle.hand = {{ forward = {ahead}, follows = 'aim' }}\n"
                    f"[ability.flare]\nlaunch.speed = 9\nshape.ball = 0.1\nlimits.life = 0.1\n"
                    f"aim = {{ by = 'fixed', direction = {aims} }}\n[{kind}.pile]\nat = {at.tolist()}\n"
                    f"shape = {{ box = {(2 * half).tolist()}, turned = {turned} }}\n"
                )
            )
            off = np.linspace(0.0, 1.0, 4001)[:, None] * way - at
            c, s = math.cos(math.radians(turned)), math.sin(math.radians(turned))
            beyond = np.abs(off @ np.array([[c, -s], [s, c]])) - half
            gaps = np.linalg.norm(np.maximum(beyond, 0.0), axis=1) + np.minimum(beyond.max(axis=1), 0.0)
            if gaps[0] < 0.0 or abs(gaps[-1] - 0.1) < 1e-9 or (abs(gaps.min()) < 1e-3 and gaps[-1] > 0.1):
                continue
            blocked = gaps[-1] < 0.1 or (kind == "obstacle" and gaps.min() < 0.0)
            found[blocked] += 1
            self.assertEqual("obstructed" in run.rows("shots")[0]["note"], blocked, (at, half, turned, aims, ahead))
        self.assertGreater(min(found.values()), 20)

    def test_a_free_muzzle_is_left_alone(self):
        made = drill(ability='muzzle_blocked = "refuse"', text="[obstacle.post]\nat = [3, 1]\nshape.ball = 0.4\n")
        self.assertEqual(nivvo.fire(made).rows("shots")[0]["note"], "")
