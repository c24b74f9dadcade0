"""Bounces in drills: what is written, what is told, and the path that is kept of them."""

import itertools
import unittest

import numpy as np

import nivvo

YARD = """nivvo = 1
{world}
[shooter.keeper]
at = {at}
[ability.pot]
launch.speed = 9
launch.elevation = 35
shape.ball = 0.1
limits.life = 6
{drag}
on.floor = {{ then = "bounce", restitution = 0.6, friction = 0.1{more} }}
on.walls = {{ then = "bounce", restitution = 0.9 }}
[obstacle.deck]
shape.half_space = "up"
group = "floor"
[obstacle.stack]
at = {stack}
shape.box = {box}
shape.turned = {turned}
group = "walls"
[target.wisp]
at = {wisp}
shape.ball = 0.4
[case.throw]
{case}
"""
VIEWS = {
    "side": {"world": "", "at": "[0, 1]", "stack": "[12, 0]", "box": "[2, 3]", "turned": "20", "wisp": "[5, 6]"},
    "space": {
        "world": 'world.view = "space"', "at": "[0, 0, 1]", "stack": "[12, 0.3, 0]", "box": "[2, 3, 3]",
        "turned": "[25, 10, 5]", "wisp": "[5, 1, 6]",
    },
}  # fmt: skip


def yard(view="side", drag="", more="", case=""):
    return nivvo.parse(YARD.format(**VIEWS[view], drag=drag, more=more, case=case))


class Paths(unittest.TestCase):
    def test_between_bounces_it_is_the_parabola_of_each(self):
        for view in VIEWS:
            run = nivvo.fire(yard(view))
            path, frame = run.flight("pot-1"), run.scene.frame
            thrown = [event for event in run.record.events if event["kind"] == 7]
            self.assertGreater(len(thrown), 3, view)
            starts = [(path.t[0], path.p[0], path.v[0])]
            starts += [(t, e["p"], e["v"]) for t, e in zip(path.thrown, thrown, strict=True)]
            g, length = run.scene.gravity, 0.0
            for (t0, p0, v0), after in itertools.pairwise([*starts, (path.t[-1], None, None)]):
                t = np.linspace(t0, after[0], 400)[1:-1]
                age = (t - t0)[:, None]
                np.testing.assert_allclose(path.at(t)[0], p0 + v0 * age + g * age**2 / 2, atol=1e-9)
                np.testing.assert_allclose(path.at(t)[1], v0 + g * age, atol=1e-9)
                fine = np.linspace(t0, after[0], 20001)
                speed = np.linalg.norm(v0 + g * (fine - t0)[:, None], axis=1)
                length += float(np.trapezoid(speed, fine))
            row = run.rows("projectiles")[0]
            self.assertAlmostEqual(row["path_length"], length, delta=1e-6)
            every = np.linspace(path.t[0], path.t[-1], 50001)
            self.assertAlmostEqual(row["apex"], frame.height(path.at(every)[0] - path.p[0]).max(), delta=1e-6)
            near = nivvo.closest(run, "wisp").gap
            gaps = np.linalg.norm(path.at(every)[0] - run.stage.middle(run.scene.number["wisp"], 0), axis=1) - 0.5
            self.assertLessEqual(near, gaps.min() + 1e-12)
            self.assertAlmostEqual(near, gaps.min(), delta=1e-5)

    def test_with_drag_the_path_goes_through_what_was_recorded(self):
        run = nivvo.fire(yard(drag="flight.drag.square = 0.02"))
        path = run.flight("pot-1")
        self.assertGreater(len(path.thrown), 2)
        for k in range(len(path.t) - 1):
            before = path.t[k] + (path.t[k + 1] - path.t[k]) * (1 - 1e-9)
            np.testing.assert_allclose(path.at(before)[0], path.p[k + 1], atol=1e-6)

    def test_the_apex_is_the_highest_place_however_long_the_ticks_and_whenever_it_begins_to_move(self):
        for view, rate, drag, speed in itertools.product(VIEWS, (3, 8), ("", "flight.drag.linear = 0.3"), (1.0, 9.0)):
            for first in ("same tick", "next tick"):
                drill = yard(view, drag=drag).with_settings(
                    {"tick.rate": rate, "tick.first_move": first, "ability.pot.launch.speed": speed}
                )
                run = nivvo.fire(drill)
                path, frame = run.flight("pot-1"), run.scene.frame
                every = np.linspace(path.t[0], path.t[-1], 40001)
                highest = frame.height(path.at(every)[0] - path.p[0]).max()
                apex = run.rows("projectiles")[0]["apex"]
                self.assertAlmostEqual(apex, highest, delta=1e-6, msg=f"{view} {rate} {drag} {speed} {first}")
                self.assertGreaterEqual(apex, highest - 1e-12)

    def test_the_reach_that_ends_it_is_what_the_path_says_after_bounces_and_slides_too(self):
        answers = (", rests = 'rolls'", ", bounces = 2, least_speed = 0", "")
        flights = ("", "flight.drag.square = 0.02", "flight.thrust = { acceleration = 2, after = 0.2 }")
        cases, turned = itertools.product(VIEWS, answers, flights, ("exact", "verlet")), 0
        for view, more, flight, motion in cases:
            drill = yard(view, drag=flight, more=more).with_settings({"tick.motion": motion})
            for reach in (6.0, 9.5):
                run = nivvo.fire(drill.with_settings({"ability.pot.limits.reach": reach}))
                row = run.rows("projectiles")[0]
                if row["ended_by"] == "reach":
                    self.assertAlmostEqual(
                        row["path_length"], reach, delta=1e-5, msg=f"{view} {more} {flight} {motion}"
                    )
            far = {"ability.pot.limits.reach": 9.7, "ability.pot.limits.reach_from": "launch"}
            run = nivvo.fire(drill.with_settings(far))
            path, row = run.flight("pot-1"), run.rows("projectiles")[0]
            self.assertEqual(row["ended_by"], "reach")
            turned += len(run.rows("contacts")) > 0
            self.assertAlmostEqual(float(np.linalg.norm(path.p[-1] - path.p[0])), 9.7, delta=1e-9)
        self.assertGreater(turned, 20)


class Told(unittest.TestCase):
    def test_rows_say_what_was_decided_and_how_it_ended(self):
        run = nivvo.fire(yard())
        rows = run.rows("contacts")
        self.assertEqual({row["then"] for row in rows}, {"bounce"})
        self.assertEqual(len([row for row in run.rows("events") if row["what"] == "bounced"]), len(rows) - 1)
        end = run.rows("projectiles")[0]
        self.assertEqual((end["ended_by"], end["reason"]), ("settled", "bounced no more off deck"))
        few = nivvo.fire(yard(more=", bounces = 2"))
        self.assertEqual(few.rows("projectiles")[0]["ended_by"], "last bounce")

    def test_a_check_may_ask_where_it_lands_at_last(self):
        run = nivvo.fire(yard())
        at = [run.rows("contacts")[-1][axis] for axis in "xy"]
        outcome = nivvo.check(yard(case=f"check = [{{ lands = {at}, within = 0.001 }}]"))[0]
        self.assertTrue(outcome.passed, outcome.found)
        self.assertFalse(nivvo.check(yard(case="check = [{ lands = [0, 0] }]"))[0].passed)

    def test_a_preview_ends_at_its_first_touch(self):
        made = yard()
        first = nivvo.fire(made).rows("contacts")[0]
        seen = nivvo.preview(made)
        self.assertEqual((seen.landing.body, seen.landing.time), (first["body"], first["time"]))

    def test_between_closing_doors_each_hop_is_faster_and_the_end_names_them(self):
        door = "[obstacle.{}]\nat = [{}, 0]\nshape.box = [1, 8]\nmove.velocity = [{}, 0]\n"
        made = nivvo.parse(
            "nivvo = 1\n[shooter.keeper]\nat = [0, 9]\nmuzzle.hand = { forward = 3, up = -9 }\n[ability.pot]\n"
            "launch.speed = 8\nflight.gravity_share = 0\non.anything = { then = 'bounce', restitution = 1 }\n"
            + door.format("east", 6, -1) + door.format("west", 0.5, 1) + "[case.tap]\nlasts = 6\n"
        )  # fmt: skip
        run = nivvo.fire(made)
        speeds = [row["speed"] for row in run.rows("contacts")]
        # Off a door that comes at 1 m/s it gains 2; it closes at 1 more than it flies with.
        np.testing.assert_allclose(speeds, 9.0 + 2.0 * np.arange(len(speeds)), rtol=1e-9)
        self.assertGreater(len(speeds), 30)
        end = run.rows("projectiles")[0]
        self.assertEqual(end["ended_by"], "too many contacts")
        self.assertRegex(end["reason"], "of (east and west|west and east)$")
        live, told = nivvo.Live(made, compiled=False), []
        live.tap("fire")
        while not any(event.what == "ended" for event in told):
            told += live.step()
        self.assertEqual(told[-1].detail, end["reason"])

    def test_frame_rates_make_no_difference_in_exact_step(self):
        ends = [
            nivvo.fire(yard().with_settings({"tick.rate": rate})).rows("projectiles")[0] for rate in (30.0, 60.0, 144.0)
        ]
        for one in ends[1:]:
            self.assertAlmostEqual(one["end_x"], ends[0]["end_x"], delta=1e-9)
            self.assertAlmostEqual(one["ended"], ends[0]["ended"], delta=1e-9)


class Seen(unittest.TestCase):
    def test_a_preview_goes_through_as_many_bounces_as_are_asked_for(self):
        made = nivvo.parse(
            "nivvo = 1\n[ability.pot]\nlaunch.speed = 9\nlaunch.elevation = 35\n"
            "on.anything = { then = 'bounce', restitution = 0.7 }\nlimits.life = 6\n"
            "[obstacle.deck]\nat = [0, -1]\nshape.half_space = 'up'\n[case.tap]\n"
        )
        run = nivvo.fire(made)
        path, touches = run.flight("pot-1"), run.rows("contacts")
        for bounces in (0, 1, 3):
            seen = nivvo.preview(made, bounces=bounces, every=0.02)
            self.assertAlmostEqual(seen.landing.time, touches[bounces]["time"], places=12)
            np.testing.assert_allclose(seen.points, path.at(seen.times)[0][:, :2], atol=1e-12)
        live = nivvo.Live(made)
        np.testing.assert_allclose(live.preview("pot", bounces=3, every=0.02).points, seen.points, atol=1e-9)
