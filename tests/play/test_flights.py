"""How shots fly: each way of flying through the public face, against closed forms and plain models of games' ticks."""

import itertools
import math
import unittest

import numpy as np

import nivvo
from nivvo.errors import DrillError

VIEWS = {
    "up": ("world.y = 'up'", 2),
    "down": ("world.y = 'down'", 2),
    "top": ("world.view = 'top'", 2),
    "space": ("world.view = 'space'", 3),
}


def made(flight, *, view="up", launch="launch.speed = 12", more="", case="", target="[20, 0]"):
    """A drill of one shot at 0 s; ``flight``: lines of the ability."""
    world, size = VIEWS[view]
    at = target if size == 2 else target.replace("]", ", 0]")
    lines = [f"nivvo = 1\n{world}\n{more}\n[ability.tern]\n{launch}\nflight.gravity_share = 0"]
    lines += [*flight, f"[target.wisp]\nat = {at}\nshape.ball = 0.5\n[case.tap]\n{case}\n"]
    return nivvo.parse("\n".join(lines))


def path_of(drill, case=None):
    run = nivvo.fire(drill, case)
    return run, run.flight(next(iter(run.ids.values())))


class Homing(unittest.TestCase):
    def test_it_hits_what_flees_at_every_law_view_step_and_rate(self):
        for law in ("pursuit", "lead", "proportional", "blend"):
            for view in VIEWS:
                for motion in ("exact", "semi-implicit", "verlet"):
                    with self.subTest(law=law, view=view, motion=motion):
                        turns = "" if law == "blend" else "flight.homing.turn_rate = 400"
                        move = "[1, 2]" if VIEWS[view][1] == 2 else "[1, 2, 1]"
                        drill = made(
                            [f"flight.homing.law = '{law}'", turns],
                            view=view,
                            more=f"tick.motion = '{motion}'",
                            case=f"set = {{ 'target.wisp.move.velocity' = {move} }}",
                        )
                        run = nivvo.fire(drill)
                        self.assertEqual(run.rows("projectiles")[0]["ended_by"], "contact")
                        self.assertEqual(run.rows("contacts")[0]["body"], "wisp")

    def test_the_one_that_is_named_and_no_other_whatever_it_is(self):
        bait = "[target.bait]\nat = [6, 1]\n[obstacle.bell]\nat = [12, -5]\nshape.ball = 0.5\n"
        for named in ("wisp", "bell"):
            text = "nivvo = 1\n[ability.tern]\nlaunch.speed = 12\nflight.gravity_share = 0\non.anything.then = 'pass'\n"
            text += f"flight.homing = {{ body = '{named}', turn_rate = 300 }}\n[target.wisp]\nat = [12, 6]\n{bait}"
            run = nivvo.fire(nivvo.parse(text))
            self.assertEqual({row["body"] for row in run.rows("events") if row["what"] == "locked on"}, {named})
            self.assertIn(named, {row["body"] for row in run.rows("contacts")})
        for more, says in (("body = 'wips'", "wisp"), ("body = 'wisp', choice = 'nearest'", "no choice")):
            with self.assertRaises(nivvo.DrillError) as caught:
                nivvo.parse(text.replace("body = 'bell'", more))
            self.assertIn(says, str(caught.exception))

    def test_three_frame_rates_differ_by_less_than_a_hundredth_of_the_way(self):
        for law in ("pursuit", "lead", "proportional", "blend"):
            ends = []
            for rate in (30, 60, 144):
                drill = made(
                    [f"flight.homing.law = '{law}'", "flight.homing.after = 0.217", "limits.life = 1.1"],
                    more=f"tick.rate = {rate}",
                    target="[30, 14]",
                    case="set = { 'target.wisp.move.velocity' = [2, -3] }",
                )
                ends.append(path_of(drill)[1].p[-1])
            gaps = [np.linalg.norm(a - b) for a in ends for b in ends]
            self.assertLess(max(gaps), 1e-6 * 13.2, law)

    def test_a_chase_from_behind_is_the_curve_of_pursuit(self):
        # Bouguer's pursuit (1732): the wisp at x = d flees straight up at u, the tern comes from the origin at v.
        d, v, u = 20.0, 12.0, 6.0
        k = u / v
        drill = made(
            ["flight.homing.turn_rate = 36000", "flight.homing.gain = 30", "on.targets.then = 'pass'"],
            case=f"set = {{ 'target.wisp.move.velocity' = [0, {u}], 'target.wisp.at' = [{d}, 0] }}",
            launch=f"launch.speed = {v}",
        )
        _, path = path_of(drill)
        start = path.p[0][0]
        gap = d - start
        for time in np.linspace(0.1, 1.7, 9):
            x, y = path.at(time)[0][:2]
            r = 1 - (x - start) / gap
            expected = gap / 2 * ((r ** (1 + k) - 1) / (1 + k) - (r ** (1 - k) - 1) / (1 - k))
            self.assertAlmostEqual(y, expected, delta=2e-4 * gap)

    def test_proportional_navigation_at_three_times_turns_three_times_as_fast_as_the_line_of_sight(self):
        drill = made(
            ["flight.homing.law = 'proportional'", "flight.homing.gain = 3", "flight.homing.turn_rate = 36000"],
            target="[40, 9]",
            case="set = { 'target.wisp.move.velocity' = [-3, 1] }",
        )
        _, path = path_of(drill)
        times = np.linspace(0.05, 1.5, 400)
        p, v = path.at(times)
        to = np.array([40.0, 9.0]) + times[:, None] * np.array([-3.0, 1.0]) - p[:, :2]
        course = np.unwrap(np.arctan2(v[:, 1], v[:, 0]))
        sight = np.unwrap(np.arctan2(to[:, 1], to[:, 0]))
        np.testing.assert_allclose(course - course[0], 3.0 * (sight - sight[0]), atol=1e-5)

    def test_it_never_turns_faster_than_it_may_and_keeps_its_speed(self):
        rng = np.random.default_rng(5)
        for seed in range(12):
            rate, law = rng.uniform(30, 300), ("pursuit", "lead", "proportional")[seed % 3]
            at, move = rng.uniform(-25, 25, 2).round(3).tolist(), rng.normal(0, 4, 2).round(3).tolist()
            drill = made(
                [f"flight.homing.law = '{law}'", f"flight.homing.turn_rate = {rate}", "limits.life = 3"],
                target=str(at),
                case=f"set = {{ 'target.wisp.move.velocity' = {move} }}",
            )
            _, path = path_of(drill)
            speed = np.linalg.norm(path.v, axis=1)
            np.testing.assert_allclose(speed, 12.0, rtol=1e-6)
            turned = np.unwrap(np.arctan2(path.v[:, 1], path.v[:, 0]))
            over = np.abs(np.diff(turned)) - math.radians(rate) * np.diff(path.t)
            self.assertLess(over.max(), 1e-6)

    def test_a_circle_at_its_limit_has_the_radius_that_is_told(self):
        drill = made(["flight.homing.turn_rate = 90", "limits.life = 2"], target="[0.61, 1.5]", case="set = {}")
        run, path = path_of(drill)
        self.assertAlmostEqual(run.rows("pursuits")[0]["turn_radius"], 12 / (math.pi / 2), places=9)
        centre = path.p[0] + np.array([0, 12 / (math.pi / 2), 0])
        far = np.linalg.norm(path.p - centre, axis=1)
        np.testing.assert_allclose(far[path.t <= 1.0], 12 / (math.pi / 2), rtol=1e-7)

    def test_a_games_own_step_turns_as_the_textbook_does(self):
        rate, turn = 60.0, math.radians(150)
        drill = made(
            ["flight.homing.turn_rate = 150", "limits.life = 1"],
            more="tick.motion = 'semi-implicit'",
            target="[4, 12]",
            case="set = { 'target.wisp.move.velocity' = [1, 0] }",
        )
        _, path = path_of(drill)
        p, v, t = path.p[0][:2].copy(), path.v[0][:2].copy(), 0.0
        for k in range(59):
            to = np.array([4.0 + t, 12.0]) - p
            angle = math.atan2(v[0] * to[1] - v[1] * to[0], v @ to)
            step = max(-turn / rate, min(turn / rate, angle))
            v = np.array([math.cos(step) * v[0] - math.sin(step) * v[1], math.sin(step) * v[0] + math.cos(step) * v[1]])
            p, t = p + v / rate, t + 1 / rate
            np.testing.assert_allclose(path.p[k + 1][:2], p, atol=1e-11)

    def test_it_chooses_and_loses_as_it_is_told(self):
        base = """
nivvo = 1
[ability.tern]
launch.speed = 10
flight.gravity_share = 0
limits.life = 4
on.anything.then = "ignore"
flight.homing.{key}
[target.near]
at = [6, 3]
[target.ahead]
at = [12, 0.5]
[target.far]
at = [-15, 1]
[obstacle.post]
at = [3, 1.33]
shape.box = [0.2, 0.5]
[case.tap]
"""
        for key, first in (
            ("choice = 'nearest'", "near"),
            ("choice = 'by angle'", "ahead"),
            ("in_sight = true", "ahead"),
            ("cone = 30", "ahead"),
            ("within = 0.3", None),
        ):
            run = nivvo.fire(nivvo.parse(base.format(key=key)))
            rows = run.rows("pursuits")
            self.assertEqual(rows[0]["body"] if rows else None, first, key)
        lost = nivvo.fire(nivvo.parse(base.format(key="keeps_cone = 200\nflight.homing.cone = 150")))
        self.assertIn("it came out of its cone", [row["lost_by"] for row in lost.rows("pursuits")])
        for row in lost.rows("pursuits"):
            path = lost.flight(row["projectile"])
            t = np.linspace(row["locked"], row["until"], 4001)
            at = {"near": (6, 3), "ahead": (12, 0.5), "far": (-15, 1)}[row["body"]]
            gaps = np.linalg.norm(path.at(t)[0][:, :2] - at, axis=1) - 0.5 - 0.1
            self.assertAlmostEqual(row["closest"], max(gaps.min(), 0.0), delta=1e-5)
        over = nivvo.fire(nivvo.parse(base.format(key="lasts = 0.5")))
        self.assertAlmostEqual(over.rows("pursuits")[0]["followed_for"], 0.5, delta=1e-9)

    def test_several_that_spread_out_follow_one_each(self):
        text = """
nivvo = 1
[ability.shoal]
launch.speed = 10
launch.count = 4
launch.fan = 60
flight.gravity_share = 0
flight.homing.choice = "spread out"
"""
        text += "".join(f"[target.w{k}]\nat = [{8 + k}, {2 * k}]\n" for k in range(4)) + "[case.tap]\n"
        rows = nivvo.fire(nivvo.parse(text)).rows("pursuits")
        self.assertEqual({row["body"] for row in rows[:4]}, {f"w{k}" for k in range(4)})

    def test_when_its_target_dies_it_looks_again_flies_on_or_ends(self):
        text = """
nivvo = 1
[ability.tern]
launch.speed = 10
flight.gravity_share = 0
flight.homing.when_lost = "{word}"
limits.life = 5
[ability.rivet]
launch.speed = 60
flight.gravity_share = 0
firing.button = "rivet"
on.anything.damage = 9
[target.first]
at = [12, 0]
health = 5
[target.second]
at = [30, 8]
[case.both]
input = [{{ t = 0, tap = "fire" }}, {{ t = 0.4, tap = "rivet" }}]
"""
        ends = {}
        for word in ("look again", "fly on", "end"):
            run = nivvo.fire(nivvo.parse(text.format(word=word)))
            ends[word] = next(row for row in run.rows("projectiles") if row["ability"] == "tern")
            self.assertEqual(run.rows("pursuits")[0]["lost_by"], "it is out")
        self.assertEqual(ends["look again"]["reason"], "touched second")
        self.assertEqual(ends["fly on"]["ended_by"], "life")
        self.assertEqual(ends["end"]["ended_by"], "lost its target")


class Others(unittest.TestCase):
    def test_thrust_under_a_top_speed_reaches_it_and_no_more(self):
        drill = made(
            ["flight.thrust.acceleration = 30\nflight.thrust.after = 0.2\nflight.top_speed = 25\nlimits.life = 3"],
            target="[500, 0]",
        )
        _, path = path_of(drill)
        speed = np.linalg.norm(path.v, axis=1)
        self.assertAlmostEqual(speed[np.searchsorted(path.t, 0.5)], 12 + 30 * 0.3, places=6)
        self.assertLessEqual(speed.max(), 25.0 * (1 + 1e-9))
        self.assertGreater(speed[-1], 25.0 * (1 - 1e-6))

    def test_thrust_along_the_heading_goes_where_it_is_told_to_point(self):
        # In side view what leaves to the left spins as in a mirror.
        ways = itertools.product(VIEWS, (150.0, -400.0), ("spin", "launch", "velocity"), (False, True))
        for view, spin, follows, left in ways:
            with self.subTest(view=view, spin=spin, follows=follows, left=left):
                side = view in ("up", "down")
                facing, sense = (
                    ("'left'" if side else 130, -1 if side else 1) if left else ("'right'" if side else 20, 1)
                )
                size = VIEWS[view][1]
                raised = ", elevation = 25" if view != "top" else ""
                turns = f", spin = {spin}" if follows == "spin" else ""
                drill = made(
                    [
                        f"heading = {{ follows = '{follows}'{turns} }}\nlimits.life = 1",
                        "flight.thrust = { acceleration = 9, along = 'heading', after = 0.1, lasts = 0.6 }",
                    ],
                    view=view,
                    launch=f"launch = {{ speed = 12{raised} }}",
                    more=f"shooter.keeper.facing = {facing}",
                    target="[900, 0]",
                )
                rows = nivvo.fire(drill).paths
                rows = rows[(rows.time >= 0.1 - 1e-9) & (rows.time <= 0.7 + 1e-9)]
                t, v = rows.time.to_numpy(), rows[["vx", "vy", "vz"][:size]].to_numpy()
                level = np.radians(rows.heading_direction.to_numpy())
                raised = np.radians(rows.heading_elevation.to_numpy()) if size == 3 else 0.0 * level
                half = math.radians(sense * spin) * np.diff(t) / 2 if follows == "spin" else 0.0 * np.diff(t)
                middle = level[:-1] + half
                along = (
                    np.stack([np.cos(middle), np.sin(middle)], axis=1)
                    * (np.cos(raised[:-1]) * np.sinc(half / np.pi))[:, None]
                )
                along = np.column_stack([along, np.sin(raised[:-1])])[:, :size]
                np.testing.assert_allclose(np.diff(v, axis=0), 9 * np.diff(t)[:, None] * along, atol=1e-8)

    def test_it_does_so_by_the_textbook_in_a_games_own_step(self):
        for motion in ("semi-implicit", "explicit", "verlet"):
            drill = made(
                ["heading = { follows = 'spin', spin = 200 }\nlimits.life = 1",
                 "flight.thrust = { acceleration = 9, along = 'heading' }"],
                more=f"tick.motion = '{motion}'", launch="launch = { speed = 12, elevation = 30 }", target="[900, 0]",
            )  # fmt: skip
            path, dt = path_of(drill)[1], 1 / 60
            p, v = path.p[0][:2], path.v[0][:2]
            for k in range(59):
                angle = math.radians(30 + 200 * k * dt)
                a = 9 * np.array([math.cos(angle), math.sin(angle)])
                after = v + a * dt
                p = p + {"semi-implicit": after, "explicit": v, "verlet": v + a * dt / 2}[motion] * dt
                v = after
                np.testing.assert_allclose(path.p[k + 1][:2], p, atol=1e-13)
                np.testing.assert_allclose(path.v[k + 1][:2], v, atol=1e-13)

    def test_what_is_faster_than_its_top_is_told_or_cut(self):
        drill = made(["flight.top_speed = 5\nlimits.life = 1"], target="[500, 0]")
        run, path = path_of(drill)
        self.assertIn("above its top speed", run.rows("shots")[0]["note"])
        self.assertAlmostEqual(np.linalg.norm(path.v[-1]), 12.0)
        cut = drill.with_settings({"ability.tern.flight.at_top": "cuts"})
        self.assertAlmostEqual(np.linalg.norm(path_of(cut)[1].v[-1]), 5.0)
        own = cut.with_settings({"tick.motion": "semi-implicit"})
        self.assertEqual(np.linalg.norm(path_of(own)[1].v[1]), 5.0)

    def test_wind_carries_what_has_drag_and_nothing_else(self):
        drill = made(["flight.drag.linear = 2\nlimits.life = 4"], more="world.wind = [3, 1]", target="[500, 0]")
        _, path = path_of(drill)
        expected = np.array([3.0, 1.0]) + (np.array([12.0, 0.0]) - [3.0, 1.0]) * math.exp(-8.0)
        np.testing.assert_allclose(path.v[-1][:2], expected, atol=1e-7)
        none = drill.with_settings({"ability.tern.flight.drag.linear": 0})
        np.testing.assert_array_equal(path_of(none)[1].v[-1][:2], [12.0, 0.0])

    def test_gusts_are_those_of_the_seed_and_within_their_share(self):
        lines = ["flight.drag.linear = 400\nlimits.life = 6"]
        more = "world.wind = [10, 0]\nworld.gusts = { share = 0.3, period = 1.5 }\n"
        drill = made(lines, more=more + "world.seed = 4", target="[500, 0]")
        _, path = path_of(drill)
        wind = path.v[path.t > 0.1][:, 0]
        self.assertTrue((wind > 6.99).all() and (wind < 13.01).all())
        self.assertGreater(np.ptp(wind), 1.0)
        self.assertEqual(nivvo.fire(drill).digest, nivvo.fire(drill).digest)
        other = drill.with_settings({"world.seed": 5})
        self.assertNotEqual(nivvo.fire(drill).digest, nivvo.fire(other).digest)

    def test_a_dart_comes_back_to_where_its_shooter_then_is(self):
        for motion in ("exact", "semi-implicit"):
            drill = made(
                ["flight.homing.toward = 'shooter'\nflight.homing.law = 'blend'\nflight.homing.after = 0.6"],
                more=f"tick.motion = '{motion}'\n[shooter.keeper]\nmove.velocity = [0, 3]",
                target="[500, 0]",
            )
            row = nivvo.fire(drill).rows("projectiles")[0]
            self.assertEqual(row["reason"], "touched keeper")
            self.assertLess(np.hypot(row["end_x"], row["end_y"] - 3 * row["ended"]), 0.7)

    def test_a_lamp_goes_round_from_the_first_on_at_no_speed_of_its_launch(self):
        orbit = "flight.orbit.radius = 2\nflight.orbit.turn_rate = 200\nlimits.reach = 7\nheading.follows = 'launch'"
        times = []
        for rate, speed in itertools.product((20, 60, 144), (1, 30)):
            more = f"tick.rate = {rate}\n[shooter.keeper]\nmove.velocity = [0.5, 0.2]"
            drill = made([orbit], target="[500, 0]", more=more)
            run, path = path_of(drill.with_settings({f"ability.{next(iter(drill.model.ability))}.launch.speed": speed}))
            times.append(path.t[-1])
            self.assertEqual(run.rows("projectiles")[0]["ended_by"], "reach")
            self.assertAlmostEqual(path.length(), 7.0, delta=2e-3)
            radius = float(np.linalg.norm(path.p[0]))
            np.testing.assert_allclose(path.v[0], [0.5, 0.2 + radius * math.radians(200), 0], atol=1e-9)
            # Its launch points ahead all the same: what keeps that heading, and what a plain parabola would show.
            np.testing.assert_allclose(run.path("tern-1")["heading_direction"], 0.0, atol=1e-12)
            dots = nivvo.plain_preview(drill).points
            self.assertGreater(dots[-1][0], dots[0][0])
        self.assertLess(max(times) - min(times), 5e-4)

    def apart(self, run, ids, moves, times):
        """Those of a shot are at equal angles about their shooter, who moves at some velocity, and equally far off."""
        frame, flown = run.scene.frame, [run.flight(one) for one in ids]
        for time in times:
            off = [path.at(time)[0] - time * frame.lift(moves) for path in flown]
            ways = np.degrees([np.arctan2(one @ frame.second, one @ frame.first) for one in off])
            apart = np.diff(np.sort(ways % 360.0), append=np.min(ways % 360.0) + 360.0)
            np.testing.assert_allclose(apart, 360.0 / len(ids), atol=1e-6)
            np.testing.assert_allclose(np.linalg.norm(off, axis=1), np.linalg.norm(off[0]), rtol=1e-9)

    def test_several_go_round_as_far_apart_as_they_are_spread(self):
        orbit = "flight.orbit.radius = 2\nflight.orbit.turn_rate = -140\nflight.orbit.lasts = 3\nlimits.life = 3.5"
        # From a muzzle, or sent: at the launch of another, in its flight, from what it touches.
        sends = "{ sends = { ability = 'ring' } }"
        roads = (
            None,
            f"when.fired = {sends}",
            f"when.age = {sends[:2]}at = 0.3, {sends[2:]}",
            f"on.anything = {sends}",
        )
        for view, count, aim, road in itertools.product(VIEWS, (2, 3, 5), (0, 70), roads):
            size = VIEWS[view][1]
            spread = f"launch = {{ speed = 12, count = {count}, fan = 360 }}\n{orbit}"
            # However steep it leaves.
            aimed = f"aim = {{ by = 'fixed', direction = {aim}{', elevation = 50' * (size == 3 and road is None)} }}"
            up, moves = "" if size == 2 else "up = 0.5\n", [0.5, 0.2, 0.1][:size]
            keeper = f"[shooter.keeper]\nmove.velocity = {moves}"
            more = f"{keeper}\n[shooter.keeper.muzzle.hand]\n{up}forward = 0.8\nfollows = 'aim'"
            if road is None:
                drill = made([aimed], view=view, launch=spread, more=more, target="[500, 0]")
            else:
                more += f"\n[ability.ring]\n{spread}\non.anything.then = 'pass'\n"
                for k, turn in enumerate(np.arange(0.0, 2.0 * np.pi, 0.3)):
                    place = [7.0 * math.cos(turn), 7.0 * math.sin(turn), 0.0][:size]
                    more += f"[obstacle.post{k}]\nat = {place}\nshape.ball = 1.2\n"
                drill = made([aimed, road], view=view, launch="launch.speed = 12", more=more, target="[500, 0]")
            run = nivvo.fire(drill)
            born = [row for row in run.rows("births") if road is None or row["parent"]]
            self.assertEqual(len(born), count, (view, road))
            times = [born[0]["time"] + late for late in (0.0, 0.11, 0.3, 1.7, 2.9)]
            with self.subTest(view=view, count=count, aim=aim, road=road):
                self.apart(run, [row["projectile"] for row in born], moves, times)

    def test_let_go_from_its_orbit_it_steers_as_if_it_were_launched_there(self):
        for number, (law, view) in enumerate(itertools.product(("pursuit", "lead", "proportional", "blend"), VIEWS)):
            with self.subTest(law=law, view=view):
                turns, lasts = "" if law == "blend" else "turn_rate = 300, ", 0.61 + 0.07 * number
                rate, speed = 360 - 720 * (number % 2), 1.5 * math.radians(360)
                homing = (
                    f"flight.homing = {{ law = '{law}', {turns}after = %s }}\nhits_owner = 'never'\nlimits.life = 9"
                )
                orbit = f"flight.orbit = {{ radius = 1.5, turn_rate = {rate}, lasts = {lasts} }}"
                move = {"target.wisp.move.velocity": [1.0, 0.5, 0.2][: VIEWS[view][1]]}
                launch = f"launch.speed = {speed!r}"
                round_ = made([orbit, homing % lasts], view=view, launch=launch, target="[6, 2]").with_settings(move)
                run, path = path_of(round_)
                frame, angle = run.scene.frame, math.radians(rate) * lasts
                ahead, right, up = frame.triad(frame.forward, frame.forward)
                side = up if frame.view == "side" else right
                p = 1.5 * (math.cos(angle) * ahead + math.sin(angle) * side)
                v = math.copysign(speed, rate) * (math.cos(angle) * side - math.sin(angle) * ahead)
                at, way = frame.drop(p).tolist(), float(frame.direction_of(v))
                aim = f"aim = {{ by = 'fixed', direction = {way!r} }}\n{launch}"
                case = f"input = [{{ t = {lasts!r}, tap = 'fire' }}]"
                more = f"[shooter.keeper]\nat = {at}\nmuzzle.hand.forward = 0"
                sent = made([homing % 0], view=view, launch=aim, more=more, case=case, target="[6, 2]")
                other, straight = path_of(sent.with_settings(move))
                (touched,), (same,) = run.rows("contacts"), other.rows("contacts")
                self.assertEqual(touched["body"], "wisp")
                self.assertAlmostEqual(touched["time"], same["time"], delta=1e-5)
                for time in np.linspace(lasts + 0.01, touched["time"] - 0.01, 5):
                    np.testing.assert_allclose(path.at(time)[0], straight.at(time)[0], atol=1e-4)

    def test_a_press_lets_it_go_from_its_orbit(self):
        flight = ["flight.orbit.radius = 2\nflight.orbit.turn_rate = 200\nlimits.life = 3\nwhen.again.then = 'let go'"]
        press = 1.2345
        case = f"input = [{{ t = 0, tap = 'fire' }}, {{ t = {press}, tap = 'fire' }}]"
        for rate in (30, 60, 144):
            run, path = path_of(made(flight, target="[500, 0]", case=case, more=f"tick.rate = {rate}"))
            self.assertEqual(len(run.rows("shots")), 1)
            p, v = path.at(press)
            self.assertAlmostEqual(np.linalg.norm(p), 2.0, delta=1e-6)
            np.testing.assert_allclose(path.p[-1], p + v * (3.0 - press), atol=1e-4)
            np.testing.assert_allclose(path.v[-1], v, atol=1e-4)
            self.assertAlmostEqual(p @ path.v[-1], 0.0, delta=1e-3)

    def test_an_instant_shot_answers_as_the_fastest_would(self):
        rng = np.random.default_rng(8)
        for _ in range(20):
            boxes = "".join(
                f"[obstacle.b{k}]\nat = {rng.uniform(-20, 20, 2).round(2).tolist()}\nshape.box = [3, 1]\n"
                f"shape.turned = {rng.uniform(0, 180):.2f}\n"
                for k in range(12)
            )
            text = (
                "nivvo = 1\n[ability.ray]\nlaunch.speed = 100000\nflight.gravity_share = 0\nflight.instant = true\n"
                f"on.obstacles = {{ then = 'bounce', restitution = 1, bounces = 3 }}\nlaunch.elevation = "
                f"{rng.uniform(-80, 80):.2f}\nlimits.reach = 400\n{boxes}[case.tap]\n"
            )
            drill = nivvo.parse(text)
            at_once = nivvo.fire(drill)
            fast = nivvo.fire(drill.with_settings({"ability.ray.flight.instant": False}))
            a, b = at_once.rows("contacts"), fast.rows("contacts")
            self.assertEqual([row["body"] for row in a], [row["body"] for row in b])
            for one, other in zip(a, b, strict=True):
                self.assertAlmostEqual(one["x"], other["x"], delta=1e-7)
                self.assertAlmostEqual(one["y"], other["y"], delta=1e-7)
            self.assertLess(at_once.rows("projectiles")[0]["flight_time"], 2e-6)

    def test_a_beacon_stays_where_it_leaves(self):
        drill = made(["limits.life = 'forever'"], launch="launch.speed = 0", case="lasts = 3")
        run, path = path_of(drill)
        np.testing.assert_array_equal(path.p, np.repeat(path.p[:1], len(path.p), axis=0))
        self.assertEqual(run.rows("projectiles")[0]["ended_by"], "flying")

    def test_what_makes_no_sense_is_told(self):
        for flight, says in (
            ("flight.homing.turn_rate = 0", "turn_rate"),
            ("flight.thrust.acceleration = -3", "acceleration"),
            ("flight.homing.group = 'gulls'", "no group"),
            ("flight.homing.cone = 0", "cone"),
            ("flight.homing.law = 'blend'\nflight.homing.turn_rate = 90", "turn_rate"),
            ("flight.homing.toward = 'shooter'\nflight.homing.group = 'targets'", "the way back"),
            ("flight.sway.period = 1", "across"),
            ("flight.sway.up = 1\nflight.sway.period = 1", "in 2D"),
            ("flight.orbit.radius = 1\nflight.orbit.turn_rate = 0", "go round"),
            ("flight.instant = true\nflight.thrust.acceleration = 3", "takes time"),
            ("flight.top_speed = 5\nflight.lowest_speed = 6", "not below"),
            ("flight.at_top = 'cuts'", "top_speed"),
        ):
            with self.assertRaises(DrillError, msg=flight) as caught:
                made([flight])
            self.assertIn(says, str(caught.exception), flight)


BREEZE = """nivvo = 1
[world]
{view}
breezes.draught = {{ at = {at}, shape = {{ {shape} }}, velocity = {wind}, edge = 1.0 }}
[tick]
motion = "{motion}"
[shooter.keeper]
at = {home}
facing = {facing}
[ability.lob]
launch = {{ speed = 22, arc = "high" }}
aim.by = "cursor"
flight.drag.linear = 0.5
shape.ball = 0.05
[obstacle.quay]
at = {floor}
shape.half_space = "up"
[case.tap]
input = [{{ t = 0, cursor = {goal} }}, {{ t = 0, tap = "fire" }}]
"""


class Breezes(unittest.TestCase):
    def test_solved_arcs_and_previews_go_through_them_in_every_view_and_step_and_mirrored(self):
        ends = {}
        for sign, y in ((1, 1), (-1, 1), (1, -1), (-1, -1)):
            for motion in ("exact", "semi-implicit", "verlet"):
                made = nivvo.parse(BREEZE.format(
                    view=f'y = "{"up" if y > 0 else "down"}"', at=[10 * sign, 4 * y], motion=motion,
                    shape=f"box = [4, 12], turned = {20 * sign * y}", wind=[2 * sign, 12 * y],
                    facing='"right"' if sign > 0 else '"left"',
                    home=[0, 2 * y], floor=[0, 0.9 * y], goal=[17 * sign, 0.95 * y]))  # fmt: skip
                run = nivvo.fire(made)
                last = run.rows("contacts")[-1]
                self.assertAlmostEqual(last["x"], 17 * sign, delta=1e-5)
                ends.setdefault(motion, []).append((run.rows("projectiles")[0]["flight_time"], last["speed"]))
                landing = nivvo.preview(made, cursor=[17 * sign, 0.95 * y]).landing
                self.assertAlmostEqual(landing.time, last["time"], places=9)
        for found in ends.values():
            np.testing.assert_allclose(found, [found[0]] * 4, rtol=1e-9)

    def test_in_space_a_ball_of_it(self):
        made = nivvo.parse(BREEZE.format(view='view = "space"', at=[9, 1, 6], shape="ball = 4", wind=[0, 7, 5],
                                         motion="exact", facing="0", home=[0, 0, 2], floor=[0, 0, 0.9],
                                         goal=[16, 3, 0.95]))  # fmt: skip
        last = nivvo.fire(made).rows("contacts")[-1]
        np.testing.assert_allclose([last["x"], last["y"]], [16, 3], atol=1e-5)

    def test_what_makes_no_sense_is_told(self):
        for shape, says in (("capsule = [[0, 0], [1, 0]], radius = 1", "ball or a box"), ("ball = -1", "ball")):
            with self.assertRaises(nivvo.DrillError) as caught:
                nivvo.parse(BREEZE.format(view="", at=[9, 1], shape=shape, wind=[0, 7], motion="exact", facing="0",
                                          home=[0, 2], floor=[0, 0], goal=[16, 3]))  # fmt: skip
            self.assertIn(says, str(caught.exception))
