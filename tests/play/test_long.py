"""What takes long, comes late, or goes on for ever: right all the same, and soon."""

import math
import time
import unittest
from pathlib import Path

import numpy as np

import nivvo
from nivvo.core.numbers import clock
from nivvo.plan.clockwork import Ticks
from nivvo.play.rules.cost import watched
from nivvo.play.triggers.timers import NEVER, Timers
from nivvo.play.ways.ways import Route
from nivvo.spec.scenes.scene import Tick
from tests.play.drills import drill

FAR = """nivvo = 1
[world]
gravity = 0
[shooter.k]
shape.ball = 1e-3
muzzle.m.forward = 0
[ability.s]
hits_owner = "never"
muzzle = "m"
launch.speed = {speed}
limits.life = {life}
shape.ball = 0.1
{more}
[target.w]
at = [{at}, 0]
shape.ball = 1
"""


def far(speed=100, life=10, at=100, more="", text=""):
    return nivvo.fire(nivvo.parse(FAR.format(speed=speed, life=life, at=at, more=more) + text))


class Steps(unittest.TestCase):
    def test_damage_goes_on_in_steps_however_many_there_are(self):
        flown = 100 - 1.1
        for every in (0.5, 0.05, 0.001, 1e-6):
            run = far(more=f'on.anything.damage = {{ by = "flown", start = 0, step = 1, every = {every!r} }}')
            self.assertEqual(run.rows("effects")[0]["amount"], math.floor(round(flown / every, 6)), every)
        run = far(more='on.anything.damage = { by = "age", start = 900, step = -1, every = 0.0001, cap = 3 }')
        self.assertEqual(run.rows("effects")[0]["amount"], 3.0)

    def test_a_step_lies_on_its_own_side_of_every_boundary(self):
        for k in (1, 3, 7, 1000, 4321):
            # The gap is flown in 2^-10 of a metre a step: exact in binary.
            for more, steps in ((0.0, k), (-(2.0**-20), k - 1), (2.0**-20, k)):
                rule = 'on.anything.damage = { by = "flown", start = 0, step = 1, every = 0.0009765625 }'
                run = far(speed=64, at=1.1 + k / 1024 + more, more=rule)
                flown = run.rows("projectiles")[0]["path_length"]
                self.assertEqual(run.rows("effects")[0]["amount"] if run.rows("effects") else 0.0,
                                 math.floor(flown * 1024), (k, more, steps))  # fmt: skip

    def test_a_hold_counts_steps_of_any_size(self):
        text = """nivvo = 1
[ability.a]
firing.kind = "charge"
launch.speed = {{ by = "held", start = 2, step = 1, every = {every}, cap = 60 }}
[case.c]
input = [{{ t = 0, hold = "fire", held = {held} }}]
"""
        for every, held, speed in ((1e-13, 0.5, 60), (0.1, 0.3, 5), (0.1, 0.3 - 1e-9, 4), (0.7, 0.69, 2), (1e9, 3, 2)):
            run = nivvo.fire(nivvo.parse(text.format(every=every, held=repr(held))))
            self.assertAlmostEqual(run.rows("shots")[0]["speed"], speed, delta=1e-12, msg=(every, held))


class Late(unittest.TestCase):
    def test_an_input_is_taken_in_whenever_it_comes(self):
        tap = '[tick]\nrate = 100000\n[case.c]\ninput = [{ t = 51, tap = "fire" }]\n'
        run = far(at=3, text=tap)
        self.assertEqual(run.rows("shots")[0]["time"], 51.0)
        self.assertEqual(run.rows("contacts")[0]["body"], "w")

    def test_a_carrier_is_where_it_should_be_after_a_day(self):
        text = """nivvo = 1
[shooter.k]
muzzle.m = {{ forward = 1, follows = "carrier", top_speed = 1 }}
{move}
[ability.a]
launch.speed = 9
limits.life = 0.1
[case.c]
input = [{{ t = 80000, tap = "fire" }}]
"""
        started = time.perf_counter()
        run = nivvo.fire(nivvo.parse(text.format(move="")))
        self.assertEqual((run.rows("shots")[0]["x"], run.rows("shots")[0]["lag"]), (1.0, 0.0))
        self.assertLess(time.perf_counter() - started, 2.0)

    def test_a_route_is_the_same_by_rounds_as_leg_by_leg(self):
        rng = np.random.default_rng(4)
        for at_end in ("back", "around", "stop"):
            points = [np.array([*rng.integers(-5, 6, 2), 0.0], dtype=float) for _ in range(5)]
            route, speed = Route(points, 3.0, at_end), 3.0
            stops = [p for k, p in enumerate(points) if k == 0 or np.any(p != points[k - 1])]
            way, now, k = [], 0, 0
            order = list(range(len(stops)))
            while now < 60 * clock.UNITS:
                following = k + 1
                if following == len(order):
                    if at_end == "stop":
                        break
                    order = order[::-1] if at_end == "back" else order
                    k, following = (0, 1) if at_end == "back" else (k, 0)
                p, q = stops[order[k]], stops[order[following]]
                length = math.dist(p, q)
                if length:
                    count = max(clock.from_seconds(length / speed), 1)
                    way.append((now, p, (q - p) * (speed / length)))
                    now += count
                k = following
            for when in rng.integers(0, min(now, 60 * clock.UNITS), 200):
                start, p, v = max((one for one in way if one[0] <= when), key=lambda one: one[0])
                expected = p + v * ((when - start) / clock.UNITS)
                np.testing.assert_allclose(route.at(int(when))[0], expected, atol=1e-9)
            for start, _, _ in way[1:]:
                self.assertEqual(route.next_break(start - 1), start)

    def test_a_timer_that_no_longer_moves_is_never_over(self):
        hour = 3600 * clock.UNITS
        for rule in ("counting down", "accumulating", "re-armed"):
            started = time.perf_counter()
            rules = {"rate": 10000.0, "input": "at ticks", "timer": rule}
            ticks = Ticks(Tick(**rules, timer_bits=32), Path())
            stuck = Timers(ticks, rule, 32).after(0, hour).time
            # In 32 bits a ten-thousandth of a second is nothing beside an hour, nor beside half of one.
            self.assertEqual(stuck, NEVER, rule)
            self.assertAlmostEqual(Timers(ticks, rule, 64).after(0, hour).time / hour, 1.0, delta=1e-6)
            self.assertLess(time.perf_counter() - started, 15.0)
        text = """nivvo = 1
[tick]
rate = 10000
input = "at ticks"
timer = "counting down"
timer_bits = 32
[ability.a]
launch.speed = 9
firing = { kind = "ready", gives_up_after = 3600 }
[case.c]
lasts = 1
"""
        self.assertEqual(nivvo.fire(nivvo.parse(text)).rows("states")[-1]["state"], "ready")


class Nested(unittest.TestCase):
    def test_bodies_within_bodies_are_passed_one_by_one_and_what_is_too_many_says_so(self):
        for count, ends in ((7, "its life was over"), (8, "its life was over"), (9, "inside more than 8 bodies")):
            shells = "".join(f"[obstacle.s{k}]\nat = [40, 0]\nshape.ball = {30 - 2 * k}\n" for k in range(count))
            run = far(speed=20, life=5, at=500, more='on.anything.then = "pass"', text=shells)
            self.assertEqual(len(run.rows("contacts")), count)
            self.assertIn(ends, run.rows("projectiles")[0]["reason"], count)


class Reach(unittest.TestCase):
    def test_an_arc_out_of_reach_with_drag_in_ticks_is_told_in_every_step(self):
        for step in ("semi-implicit", "explicit", "verlet"):
            for what in ("refuse", "farthest", "best elevation"):
                made = drill(
                    tick=f'motion = "{step}"',
                    ability='aim.by = "cursor"\nlaunch.arc = "high"\nwithout = ["launch.elevation"]\n'
                    f'flight.drag.linear = 0.3\nlaunch.out_of_reach = "{what}"',
                    case='input = [{ t = 0, cursor = [300, 1], tap = "fire" }]\ncheck = [{ hits = "wisp" }]',
                )
                run = nivvo.fire(made)
                words = (run.refused or run.fired)[0]
                self.assertIn("out of reach", words.refused or words.note)
                self.assertEqual(bool(run.refused), what == "refuse")
                self.assertFalse(nivvo.check(made)[0].passed)
                self.assertEqual([one.how for one in nivvo.solve(made) if one.how in ("low", "high")], [])


class Work(unittest.TestCase):
    def test_patience_goes_on_where_the_meter_stops(self):
        made = nivvo.parse(
            FAR.format(speed=1, life=30000, at=1e6, more="") + "[tick]\nrate = 100\n[case.c]\nlasts = 25000\n"
        )
        with self.assertRaisesRegex(nivvo.CallError, r"projectile-ticks.*--patient"):
            nivvo.fire(made)
        said = []
        with watched(said.append):
            run = nivvo.fire(made, patient=True, keep="contacts")
        self.assertIn("still flying", run.rows("projectiles")[0]["reason"])
        # Who watches is told how far it is, again and again, and nobody is once it is over.
        times = [float(one.split()[1]) for one in said]
        self.assertGreater(len(times), 10)
        self.assertEqual(times, sorted(times))
        self.assertGreater(times[-1], 20000)
        nivvo.fire(made, patient=True, keep="contacts")
        self.assertEqual(len(said), len(times))
