"""Solved arcs, fired: they pass the cursor in the drill's own step, in every view, or say why not."""

import itertools
import unittest

import numpy as np

import nivvo
from tests.deep import DEEP
from tests.play.drills import drill

VIEWS = {
    "side up": ('view = "side"', [22.0, 3.0], [0.0, 1.0]),
    "side down": ('view = "side"\ny = "down"', [-22.0, -3.0], [0.0, -1.0]),
    "top with height": ('view = "top"\nheight = true', [14.0, -12.0, 2.0], [0.0, 0.0, 1.0]),
    "space z": ('view = "space"', [-14.0, 12.0, 4.0], [0.0, 0.0, 1.0]),
    "space -y": ('view = "space"\nup = "-y"', [-14.0, -3.0, 12.0], [0.0, -1.0, 0.0]),
}
TEXT = """nivvo = 1
[world]
{world}
[tick]
{tick}
[shooter.keeper]
at = {at}
{shooter}
[ability.lob]
aim.by = "cursor"
limits.life = 20
on.anything.then = "ignore"
{launch}
{more}
[case.tap]
input = [{{ t = {t}, cursor = {cursor}, tap = "fire" }}]
"""
ARCS = {
    "low": 'launch.arc = "low"\nlaunch.speed = 22',
    "high": 'launch.arc = "high"\nlaunch.speed = 22',
    "by elevation": 'launch.arc = "by elevation"\nlaunch.elevation = 62',
    "by flight time": 'launch.arc = "by flight time"\nlaunch.flight_time = 1.7',
    "by apex": 'launch.arc = "by apex"\nlaunch.apex = 9',
}


DRAG = "flight.drag.linear = 0.15\nflight.drag.square = 0.01\nflight.drag.per_tick = 0.999"


def lob(view="side up", launch=ARCS["low"], tick="", shooter="", t=0.0, cursor=None, more="", text=""):
    world, point, at = VIEWS[view]
    words = {"world": world, "tick": tick, "at": at, "shooter": shooter, "launch": launch, "t": t, "more": more}
    return nivvo.parse(TEXT.format(cursor=cursor or point, **words) + text), np.array(cursor or point)


def miss(run, point):
    """How far from a point the only shot passes when it says it is there, as a share of the way to it."""
    if run.refused:
        raise AssertionError(run.refused[0].refused)
    path, time = run.flight("lob-1"), float(run.fired[0].note.split("after ")[1].split(" s")[0])
    times = np.linspace(path.moves_at + time - 0.01, path.moves_at + time + 0.01, 4001)
    p = run.scene.frame.drop(path.at(times)[0])
    ends = p[1:] - p[:-1]
    share = np.clip(((point - p[:-1]) * ends).sum(axis=1) / np.maximum((ends * ends).sum(axis=1), 1e-30), 0, 1)
    near = np.linalg.norm(p[:-1] + share[:, None] * ends - point, axis=1)
    return np.nanmin(near) / np.linalg.norm(point - run.scene.frame.drop(path.p[0]))


class Fired(unittest.TestCase):
    def test_every_arc_passes_the_cursor_in_every_view_step_and_moment_with_drag_and_without(self):
        ticks = ["", *(f'motion = "{step}"\nrate = 30' for step in ("semi-implicit", "explicit", "verlet"))]
        ticks.append('motion = "semi-implicit"\nfirst_move = "next tick"\nframes = [0.016, 0.034, 0.02]')
        moments = ((0.0, ""), (0.0123, ""), (0.0, DRAG))
        for view, arc, tick, (t, drag) in itertools.product(VIEWS, ARCS, ticks, moments):
            with self.subTest(view=view, arc=arc, tick=tick, t=t, drag=drag):
                turns = "" if t or drag else "muzzle.hand.forward = 0.9\nmuzzle.hand.follows = 'body'"
                made, point = lob(view, ARCS[arc].replace("22", "26" if drag else "22"), tick, turns, t, more=drag)
                self.assertLess(miss(nivvo.fire(made), point), 1e-6)

    def test_what_thrusts_from_one_edge_of_a_tick_to_another_is_solved_as_it_flies(self):
        more = "flight.thrust = { acceleration = 30, along = 'launch', after = 0.2, lasts = 0.3 }"
        for motion, rate in itertools.product(("semi-implicit", "explicit", "verlet"), (10, 30, 60, 120)):
            tick = f'motion = "{motion}"\nrate = {rate}'
            made, point = lob("space z", ARCS["by flight time"], tick=tick, more=more)
            self.assertLess(miss(nivvo.fire(made), point), 1e-6, tick)

    def test_near_the_muzzle_a_shot_leaves_as_one_that_is_aimed_straight_or_meets_what_it_is_aimed_at(self):
        rng, met = np.random.default_rng(17), 0
        text = (
            "nivvo = 1\n{}\n[shooter.k]\nat = {}\nshape.ball = 0.2\nmuzzle.h = {{ forward = 0.8, up = 0.1 }}\n"
            "[ability.a]\n{}\nlaunch.speed = 20\non.anything.then = 'pass'\nlimits.life = 0.5\n"
            "[target.w]\nat = {}\nshape.ball = 0.05\n{}\n[case.c]\ninput = [{{ t = 0, cursor = {}, tap = 'fire' }}]\n"
        )
        for k in range(60):
            view, _, up = list(VIEWS.values())[k % 5]
            far, way = rng.uniform(0.1, 1.2), rng.normal(size=len(up))
            place = (far * way / np.linalg.norm(way)).tolist()
            drift = f"move.velocity = {rng.normal(size=len(up)).tolist()}" if k % 3 == 2 else ""
            aims = ("aim.by = 'cursor'", "aim.by = 'cursor'\nlaunch.arc = 'low'", "aim.by = 'lead'")
            straight, arc = (
                nivvo.fire(nivvo.parse(text.format(f"world = {{ {view} }}".replace("\n", ", "), [0.0] * len(up), aim,
                                                   place, drift, place)))
                for aim in (aims[0], aims[1 + bool(drift)])
            )  # fmt: skip
            (one,), (other,) = arc.rows("shots"), straight.rows("shots")
            with self.subTest(k=k, far=far, note=one["note"]):
                at, heading = arc.fired[0].at, arc.fired[0].heading
                self.assertAlmostEqual(float(at @ heading), 0.8, delta=1e-9)
                if "outward" in one["note"]:
                    self.assertEqual(one["note"], other["note"])
                    np.testing.assert_allclose(at, straight.fired[0].at, atol=1e-12)
                    np.testing.assert_allclose(heading, straight.fired[0].heading, atol=1e-12)
                else:
                    self.assertLess(nivvo.measure(arc, "nearest", "w")[0], -0.05)
                    met += 1
        self.assertGreater(met, 10)

    def test_out_of_reach_is_refused_or_fired_as_far_as_it_goes_and_told(self):
        weak = 'launch.arc = "low"\nlaunch.speed = 9'
        refused = nivvo.fire(lob(launch=weak)[0])
        self.assertEqual(refused.rows("shots"), [])
        event = refused.rows("events")[0]
        self.assertEqual(event["what"], "refused")
        self.assertIn("short; the least speed is", event["detail"])
        ranges = {}
        for how in ("farthest", "best elevation"):
            run = nivvo.fire(lob(launch=f'{weak}\nlaunch.out_of_reach = "{how}"')[0])
            shot = run.rows("shots")[0]
            self.assertIn("out of reach", shot["note"])
            self.assertAlmostEqual(shot["speed"], 9.0, delta=1e-12)
            ranges[how] = shot["elevation"]
        self.assertAlmostEqual(ranges["best elevation"], 45.0, delta=1e-9)
        self.assertGreater(ranges["farthest"], 45.0)
        # At exactly the least speed that was told, it is in reach.
        least = float(event["detail"].split("least speed is ")[1].split()[0])
        told = 'launch.arc = "low"\nlaunch.speed = {}'
        self.assertEqual(len(nivvo.fire(lob(launch=told.format(least * 1.0001))[0]).rows("shots")), 1)
        self.assertEqual(len(nivvo.fire(lob(launch=told.format(least * 0.99))[0]).rows("shots")), 0)

    def test_an_unreachable_apex_and_a_cursor_at_the_muzzle_are_refused(self):
        run = nivvo.fire(lob(launch='launch.arc = "by apex"\nlaunch.apex = 0.5')[0])
        self.assertIn("higher than the apex", run.rows("events")[0]["detail"])
        at = lob(shooter="muzzle.hand.forward = 1\nmuzzle.hand.follows = 'body'", cursor=[1.0, 1.0])[0]
        self.assertEqual(nivvo.fire(at).rows("events")[0]["what"], "refused")

    def test_a_preview_of_a_refused_shot_has_no_dots_and_says_why(self):
        dots = nivvo.preview(lob(launch='launch.arc = "low"\nlaunch.speed = 9')[0])
        self.assertEqual(len(dots.points), 0)
        self.assertIn("out of reach", dots.reason)


class Solve(unittest.TestCase):
    def test_what_it_says_of_a_shot_that_inherits_is_what_is_to_be_written(self):
        for view, moves in (("side", "[3, 1]"), ("space", "[2, -1, 1]")):
            to = [9, 1] if view == "side" else [7, 4, 2]
            text = (f"nivvo = 1\nworld.view = '{view}'\n[shooter.keeper]\nmove.velocity = {moves}\n[ability.lob]\n"
                    "launch.speed = 15\naim.by = 'cursor'\ninherit_velocity = 0.8\nlimits.life = 9\n[case.c]\n"
                    f"input = [{{ t = 0.2, cursor = {to}, tap = 'fire' }}]\n")  # fmt: skip
            made = nivvo.parse(text)
            found = nivvo.solve(made, to=to, at=0.2, elevation=60.0, apex=5.0, flight_time=1.2, arrival=-70.0)
            self.assertAlmostEqual({one.how: one for one in found}["by elevation"].elevation, 60.0, delta=1e-9)
            self.assertEqual(len(found), 7)
            for one in found:
                aim = {"by": "fixed", "direction": one.direction}
                aim |= {} if view == "side" else {"elevation": one.elevation}
                run = nivvo.fire(made.with_settings({"ability.lob.aim": aim, "ability.lob.launch.speed": one.speed}))
                place = run.flight("lob-1").at(0.2 + one.flight_time)[0]
                np.testing.assert_allclose(run.scene.frame.drop(place), to, atol=1e-6, err_msg=(view, one.how))

    def test_each_solution_passes_the_point_and_is_what_it_says(self):
        steps = (("", 0.0), ('motion = "explicit"', 0.0), ("", -2.5), ('motion = "explicit"', 3.5))
        for k, view in enumerate(VIEWS):
            for tick, push in steps if DEEP else (steps[k % 2], steps[3 - k % 2]):
                made, point = lob(view, tick=tick)
                made = made.with_settings({"ability.lob.flight.push": [push, 0.0, -0.5 * push][: len(point)]})
                found = nivvo.solve(made, to=point, elevation=60.0, flight_time=2.0, apex=8.0, arrival=-65.0)
                self.assertEqual(
                    [one.how for one in found],
                    ["low", "high", "least speed", "by elevation", "by flight time", "by apex", "by arrival"],
                )
                for one in found:
                    self.assertLess(one.miss, 1e-6 * np.linalg.norm(point), (view, one.how))
                by = {one.how: one for one in found}
                self.assertAlmostEqual(by["low"].speed, 22.0, delta=1e-9)
                self.assertAlmostEqual(by["by elevation"].elevation, 60.0, delta=1e-9)
                self.assertAlmostEqual(by["by flight time"].flight_time, 2.0, delta=1e-12)
                self.assertAlmostEqual(by["by apex"].apex, 8.0, delta=0.12 if tick else 1e-9)
                self.assertAlmostEqual(by["by arrival"].arrival_elevation, -65.0, delta=0.4 if tick else 1e-9)
                thick = made.with_settings({"ability.lob.flight.drag.square": 0.02})
                steep = -60.0 if push else -80.0
                late = {one.how: one for one in nivvo.solve(thick, to=point, arrival=steep)}["by arrival"]
                self.assertAlmostEqual(late.arrival_elevation, steep, delta=0.5 if tick else 1e-7)
                self.assertLess(late.miss, 1e-6 * np.linalg.norm(point))
                self.assertLess(by["low"].flight_time, by["high"].flight_time)
                self.assertLess(by["least speed"].speed, min(one.speed for one in found if one.how != "least speed"))
                for elevation in np.array([-2.0, -0.5, 0.5, 2.0]) + by["least speed"].elevation:
                    near = next(o for o in nivvo.solve(made, to=point, elevation=elevation) if o.how == "by elevation")
                    self.assertGreaterEqual(near.speed, by["least speed"].speed * (1 - 1e-12))

    def test_through_the_edges_of_a_wind_it_is_found_at_every_elevation(self):
        made = nivvo.parse(
            "nivvo = 1\n[world]\nview = 'space'\nwind = [6, -2, 0]\n[world.breezes.up]\nat = [10, 0, 3]\n"
            "shape = { box = [6, 8, 8], turned = [20, 10, 0] }\nvelocity = [0, 2, 5]\n[shooter.keeper]\nat = [0,0,1]\n"
            "[ability.lob]\nlaunch = { arc = 'low', speed = 22 }\nflight.drag = { linear = 0.3, square = 0.01 }\n"
            "flight.thrust = { acceleration = 4, along = 'launch', lasts = 0.5 }\naim.by = 'cursor'\n[case.c]\n"
            "input = [{ t = 0, cursor = [24, 5, 4], tap = 'fire' }]\n"
        )
        for elevation in (42.0, 43.0, 44.0, 45.3) if DEEP else (42.0, 45.3):
            by = {one.how: one for one in nivvo.solve(made, elevation=elevation)}
            self.assertLess(by["by elevation"].miss, 1e-5 * 25)
            self.assertLess(by["by elevation"].speed / by["least speed"].speed, 1.02)
            self.assertGreater(by["by elevation"].speed / by["least speed"].speed, 1 - 1e-6)

    def test_it_tells_what_stands_in_the_way(self):
        made = drill(text="[obstacle.wall]\nshape.wall = [[16, 0], [16, 7]]\n").with_settings(
            {"ability.flare.launch.speed": 20}
        )
        by = {one.how: one for one in nivvo.solve(made)}
        self.assertEqual(by["low"].stopped_by, "wall")
        self.assertEqual(by["high"].stopped_by, "")
        self.assertGreater(by["high"].least_gap, 1.0)
        self.assertEqual(by["high"].near, "wall")

    def test_it_tells_where_the_aim_does_not_go(self):
        for view, at, limits in (
            ("side", [15, 1], "elevation_within = [0, 45]"),
            ("space", [12, -7, 1], "elevation_within = [-5, 80], direction_within = [-20, 60]"),
        ):
            made = nivvo.parse(
                f"nivvo = 1\nworld.view = '{view}'\n[ability.lob]\naim = {{ by = 'cursor', {limits} }}\n"
                "launch = { arc = 'high', speed = 16 }\nlimits.life = 9\n"
                f"[case.c]\ninput = [{{ t = 0, cursor = {at}, tap = 'fire' }}]\n"
            )
            by = {one.how: one for one in nivvo.solve(made)}
            remains = nivvo.fire(made).rows("shots")[0]["aim_remains"]
            self.assertIn(f"limits of its aim, {remains:.4g}° short", by["high"].stopped_by, view)
            self.assertEqual(by["low"].stopped_by == "", view == "side")

    def test_it_tells_what_ends_the_shot_before_it_gets_there(self):
        far = next(
            one for one in nivvo.solve(drill(ability="limits.life = 2"), to=[200, 2]) if one.how == "least speed"
        )
        self.assertEqual(far.stopped_by, "its life was over")

    def test_without_gravity_the_low_arc_is_the_straight_line(self):
        made = drill(world="gravity = 0")
        found = nivvo.solve(made)
        self.assertEqual([one.how for one in found], ["low"])

    def test_to_a_body_is_to_its_middle_when_it_is_fired(self):
        made = drill("[target.raft]\nat = [20, 1]\nmove.velocity = [-1, 0.5]\n")
        for name, place in (("wisp", [31.5, 2.4]), ("raft", [18.5, 1.75])):
            for one, other in zip(nivvo.solve(made, to=name, at=1.5), nivvo.solve(made, to=place, at=1.5), strict=True):
                self.assertEqual(one.as_rows(), other.as_rows())

    def test_it_aims_when_the_case_fires_and_what_it_says_passes_the_check(self):
        text = """nivvo = 1
world.y = "{y}"
tick = {{ rate = 30, motion = "{motion}" }}
[shooter.keeper]
at = [0, {at}]
walk = {{ speed = 2, jump = 5 }}
[ability.flare]
firing = {{ kind = "charge", full_after = 1 }}
launch = {{ speed = {{ by = "held", points = [[0, 6], [1, 26]] }}, elevation = 35 }}
[target.gull]
at = [12, {there}]
move.velocity = [-1, 0]
[case.tap]
input = [{{ t = 0, walk = [1, 0] }}, {{ t = 0.1, tap = "jump" }}, {{ t = 0.1, hold = "fire", held = 0.4 }}]
check = [{{ hits = "gull" }}]
"""
        for y, sign in (("up", 1), ("down", -1)):
            for motion in ("exact", "semi-implicit", "verlet"):
                made = nivvo.parse(text.format(y=y, motion=motion, at=sign, there=2 * sign))
                shot = nivvo.fire(made).fired[0]
                solved = {one.how: one for one in nivvo.solve(made)}
                self.assertEqual([one.run.fired[0].time for one in solved.values()], [shot.time] * len(solved))
                self.assertAlmostEqual(solved["low"].speed, 14.0)
                there = {one.how: one for one in nivvo.solve(made, at=0.5, speed=14.0)}
                self.assertEqual(solved["low"].as_rows(), there["low"].as_rows())
                aimed = made.with_settings({"ability.flare.launch.speed": solved["by elevation"].speed})
                # The gull goes on: one aims at where it is when fired.
                aimed = aimed.with_settings(
                    {"target.gull.move.velocity": [-1e-9, 0], "target.gull.at": [11.5, 2 * sign]}
                )
                self.assertTrue(nivvo.check(aimed)[0].passed, (y, motion))

    def test_where_the_shot_comes_after_too_much_to_do_its_time_is_asked_for(self):
        rain = 'firing = { kind = "auto", rate = 60, button = "rain" }\nlaunch = { speed = 5, count = 100, fan = 40 }'
        text = "nivvo = 1\n[ability.flare]\nlaunch = { speed = 20, elevation = 40 }\n[target.gull]\nat = [20, 0]\n"
        text += f"[ability.rain]\n{rain}\nlimits.life = 80000\n[case.c]\nlasts = 80000\n"
        text += 'input = [{ t = 0, hold = "rain", held = 70000 }, { t = 75000, tap = "fire" }]\n'
        made = nivvo.parse(text)
        with self.assertRaisesRegex(nivvo.CallError, "before it fires flare; say when that is"):
            nivvo.solve(made, ability="flare")
        self.assertTrue(nivvo.solve(made, ability="flare", at=75000.0))

    def test_senseless_wishes_are_told(self):
        for wish in (
            {"to": "raft"},
            {"at": -1.0},
            {"to": [1, 2, 3]},
            {"to": [np.nan, 2]},
            {"ability": "flair"},
            {"speed": -1},
            {"time": 0.0},
            {"apex": -2.0},
            {"elevation": 91.0},
        ):
            with self.assertRaises(nivvo.CallError):
                nivvo.solve(drill(), **wish)
