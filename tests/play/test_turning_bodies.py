"""Bodies that turn: first contact against a slow sampled distance, what they do to what touches them, what sticks."""

import itertools
import math
import os
import unittest
from unittest import mock

import numpy as np

import nivvo
from nivvo.core import pool
from nivvo.core.geometry.hulls import between
from nivvo.errors import DrillError
from tests.core.slow import boxed, first_touch, segment
from tests.deep import DEEP

TEXT = """nivvo = 1
{world}
[tick]
rate = {rate}
motion = "{motion}"
[shooter.keeper]
at = {home}
shape.ball = 0.3
[ability.flare]
launch.speed = {speed}
aim = {{ by = "fixed", direction = {direction} }}
shape.ball = 0.15
limits.life = 4
on.shooters.then = "ignore"
on.bars = {{ then = "{then}"{more} }}
{flight}
[obstacle.bar]
at = {at}
shape = {{ {shape} }}
turns = {turns}
group = "bars"
{move}
[case.tap]
lasts = 5
input = [{{ t = {t}, tap = "fire" }}]
"""


def made(size=2, **keys):
    base = {"world": "", "rate": 60, "motion": "exact", "home": [0.0] * size, "speed": 15, "direction": 0, "more": "",
            "then": "end", "flight": "flight.gravity_share = 0", "at": [8.0, 0.0, 0.0][:size], "turns": 90, "t": 0.1,
            "shape": "box = [6, 0.5]", "move": ""}  # fmt: skip
    return nivvo.parse(TEXT.format(**{**base, **keys}))


def about(axis, angle):
    """The matrix that turns by an angle about a unit vector, from its exponential."""
    x, y, z = axis
    k = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.eye(3) + math.sin(angle) * k + (1 - math.cos(angle)) * (k @ k)


def gained(turns, gains, times, rate, since=0.0):
    """By how much it is turned at times (n,) that comes to ``turns`` by and by: evenly within each tick."""
    ramp, edges = abs(turns) / gains, since + np.arange(0, 6 * rate + 1) / rate
    s = edges - since
    closed = np.where(s < ramp, np.sign(turns) * 0.5 * gains * s * s, turns * (s - 0.5 * ramp))
    return np.radians(np.interp(times, edges, closed))


class Bar:
    """A random box or capsule that turns and moves, as a slow model sees it; ``gains``: by and by, at 60 Hz."""

    gains = None

    def __init__(self, seed):
        rng, self.size = np.random.default_rng(seed), 3 if seed % 4 == 3 else 2
        self.turns, self.turned = round(rng.uniform(-700, 700), 1), round(rng.uniform(0, 180), 1)
        self.at = [round(float(x), 2) for x in [rng.uniform(4, 12), *rng.uniform(-2, 2, self.size - 1)]]
        self.velocity = [round(float(x), 2) for x in rng.uniform(-2, 2, self.size)]
        self.long, self.thick = round(rng.uniform(2, 8), 2), round(rng.uniform(0.2, 1), 2)
        self.capsule = seed % 8 >= 4
        axis = rng.normal(size=3)
        self.axis = axis / np.linalg.norm(axis) if self.size == 3 else np.array([0.0, 0.0, 1.0])

    @property
    def shape(self):
        if self.capsule:
            end = (about([0, 0, 1], math.radians(self.turned)) @ [self.long / 2, 0, 0])[: self.size]
            return f"capsule = {[(-end).tolist(), end.tolist()]}, radius = {self.thick / 2}"
        turned = [self.turned, 0, 0] if self.size == 3 else self.turned
        return f"box = {[self.long, *[self.thick] * (self.size - 1)]}, turned = {turned}"

    def gap(self, times, p):
        """The distance of points (n, 3) at times (n,), 0 inside."""
        middle = np.zeros((len(times), 3))
        middle[:, : self.size] = np.array(self.at) + np.array(self.velocity) * times[:, None]
        # Turned back about its axis, then out of the turn that it began with.
        angle, d, k = -math.radians(self.turns) * times[:, None], p - middle, self.axis
        if self.gains:
            angle = -gained(self.turns, self.gains, times, 60)[:, None]
        d = d * np.cos(angle) + np.cross(k, d) * np.sin(angle) + k * (d @ k)[:, None] * (1 - np.cos(angle))
        local = d @ about([0, 0, 1], math.radians(self.turned))
        if self.capsule:
            end = np.array([self.long / 2, 0, 0])
            return segment(local, -end, end) - self.thick / 2
        half = np.array([self.long, self.thick, self.thick if self.size == 3 else 1e9]) / 2
        return boxed(local, np.zeros(3), np.eye(3), half)


class Contacts(unittest.TestCase):
    def test_first_contact_is_where_many_samples_find_it(self):
        """From random sides, in four views; asleep and awake, compiled or not, to the byte."""
        rng, hits = np.random.default_rng(11), 0
        # Each third has all views, both shapes, and those that gain their speed.
        for seed in range(0, 60, 1 if DEEP else 3):
            bar, view = Bar(seed), ("", "world.y = 'down'", "world.view = 'top'", "world.view = 'space'")[seed % 4]
            move = f"move.velocity = {bar.velocity}\n"
            if seed >= 40:
                bar.gains = 40.0 * (seed - 39)
                move += f"turns_speeds_up = {bar.gains}\n"
            if bar.size == 3:
                move += f"turns_about = {bar.axis.tolist()}"
            drill = made(bar.size, world=view, at=bar.at, shape=bar.shape, turns=bar.turns, move=move,
                         speed=round(rng.uniform(5, 40), 1), direction=round(rng.uniform(-8, 8), 1),
                         flight="" if seed % 3 else "flight.gravity_share = 0")  # fmt: skip
            digests = set()
            for mode, sleep in (("never", "auto"), ("always", "auto"), ("always", "never")):
                with mock.patch.dict(os.environ, NIVVO_COMPILE=mode, NIVVO_SLEEP=sleep):
                    run = nivvo.fire(drill)
                    digests.add(run.digest)
            self.assertEqual(len(digests), 1, seed)
            p0, v0, a = (run.flight("flare-1").p[0], run.flight("flare-1").v[0], run.flight("flare-1").a)

            def gap(times, bar=bar, p0=p0, v0=v0, a=a):
                t = times[:, None]
                return bar.gap(times + 0.1, p0 + v0 * t + 0.5 * a * t * t) - 0.15

            expected, rows = first_touch(gap, 3.9), run.rows("contacts")
            if expected is None:
                self.assertEqual(rows, [], seed)
            else:
                hits += 1
                self.assertAlmostEqual(rows[0]["time"], 0.1 + expected, delta=1e-6, msg=seed)
        self.assertGreater(hits, 20 if DEEP else 6)

    def test_nothing_gets_by_a_bar_that_turns_fast(self):
        for seed in range(12):
            run = nivvo.fire(made(shape="box = [8, 0.02]", turns=40_000 + 977 * seed, speed=30, t=0.1 + 0.013 * seed))
            self.assertEqual(len(run.rows("contacts")), 1)
            self.assertLess(run.rows("contacts")[0]["x"], 8.0)


class Follows(unittest.TestCase):
    def test_what_is_thrown_back_is_so_by_the_surface_that_moves(self):
        for world in ("", "world.y = 'down'", "world.view = 'top'"):
            bar = {"shape": "box = [6, 0.5], turned = 90", "turns": -45, "at": [8, -2]}
            run = nivvo.fire(made(world=world, then="bounce", more=", restitution = 1", **bar))
            contact, bounced = (next(one for one in run.record.events if one["kind"] == kind)
                                for kind in (pool.CONTACT, pool.BOUNCED))  # fmt: skip
            r, n = contact["p"] - contact["normal"] * 0.15 - [8, -2, 0], contact["normal"]
            u, v = math.radians(-45) * np.array([-r[1], r[0], 0]), np.array([15.0, 0, 0])
            np.testing.assert_allclose(contact["u"], u, atol=1e-9)
            np.testing.assert_allclose(bounced["v"], v - 2 * ((v - u) @ n) * n, atol=1e-9)

    def test_what_sticks_goes_round_and_so_does_an_anchor(self):
        for rate in (30, 144):
            for motion in ("exact", "semi-implicit"):
                bar = {"shape": "box = [6, 0.5], turned = 80", "turns": 100, "move": "move.velocity = [0.5, 0.25]"}
                run = nivvo.fire(made(then="lodge", more=", within = 90", rate=rate, motion=motion, **bar))
                path, t0 = run.flight("flare-1"), run.rows("contacts")[0]["time"]
                place = next(one for one in run.record.events if one["kind"] == pool.CONTACT)["p"]
                off = place - [8 + 0.5 * t0, 0.25 * t0, 0]
                for time in np.arange(math.ceil(t0 * rate) + 1, 4 * rate, rate // 3) / rate:
                    turned = about([0, 0, 1], math.radians(100) * (time - t0)) @ off
                    np.testing.assert_allclose(path.at(time)[0], turned + [8 + 0.5 * time, 0.25 * time, 0], atol=1e-6)
        live, places = (
            nivvo.Live(made(more=", anchor = {}", turns=100, shape="box = [6, 0.5], turned = 80"), compiled=False),
            [],
        )
        live.step()
        live.tap("fire")
        for _ in range(120):
            live.step()
            places += [one.place for one in live.anchors]
        far = np.linalg.norm(np.array(places) - [8, 0], axis=1)
        np.testing.assert_allclose(far, far[0], atol=1e-9)
        a, b = places[0] - [8, 0], places[60] - [8, 0]
        self.assertAlmostEqual(math.degrees(math.atan2(a[0] * b[1] - a[1] * b[0], a @ b)), 100.0, delta=1e-6)

    def test_what_lies_on_it_falls_off_once_nothing_presses_it_on(self):
        views = {
            "world.y = 'up'": ([-6, 3], [0, 0], [16, 0.5], 1, ""),
            "world.y = 'down'": ([-6, -3], [0, 0], [16, 0.5], -1, ""),
            "world.view = 'space'": ([-6, 2, 3], [0, 2, 0], [16, 9, 0.5], 1, "turns_about = [0, -1, 0]"),
        }
        for (view, (home, at, box, sign, about)), turns, rate, motion in itertools.product(
            views.items(), (40, -35), (7, 60, 240), ("exact", "semi-implicit")
        ):
            rests = "stays" if rate == 60 else "rolls"
            keys = {"world": view, "home": home, "at": at, "shape": f"box = {box}", "move": about, "flight": ""}
            keys |= {"rate": rate, "motion": motion, "turns": sign * turns, "speed": 6, "t": 0, "then": "bounce"}
            run = nivvo.fire(made(more=f", restitution = 0, friction = 0.2, rests = '{rests}'", **keys))
            told = {row["what"]: row["time"] for row in run.rows("events")[:4]}
            self.assertEqual(list(told), ["fired", "contact", "came to rest", "left"])
            # Its middle is 0.4 m off the axis: gravity presses it on by g cos, and to go round takes that much.
            w = math.radians(turns)
            falls = math.acos(w * w * 0.4 / 9.81) / abs(w)
            self.assertAlmostEqual(told["left"], falls, places=7)
            x, z = run.flight("flare-1").at(told["came to rest"])[0][[0, -1 if len(at) == 3 else 1]]
            turn = w * (falls - told["came to rest"])
            c, s, z = math.cos(turn), math.sin(turn), sign * z
            x, z = x * c - z * s, x * s + z * c
            if motion == "exact":
                late, up = 0.15, -1 if len(at) == 3 else 1
                p = run.flight("flare-1").at(falls + late)[0]
                self.assertAlmostEqual(p[0], x - w * z * late, places=6)
                self.assertAlmostEqual(p[up] * sign, z + w * x * late - 0.5 * 9.81 * late * late, places=6)

    def test_how_near_it_came_is_what_samples_say(self):
        run = nivvo.fire(made(at=[8, 4], turns=130, then="end"))
        found, _ = nivvo.measure(run, "nearest", of="bar")
        times = np.linspace(0.1, 4.09, 40_001)
        p, angle = run.flight("flare-1").at(times)[0] - [8, 4, 0], math.radians(130) * times
        x, y = p[:, 0] * np.cos(angle) + p[:, 1] * np.sin(angle), p[:, 1] * np.cos(angle) - p[:, 0] * np.sin(angle)
        gaps = np.hypot(np.maximum(np.abs(x) - 3, 0), np.maximum(np.abs(y) - 0.25, 0)) - 0.15
        self.assertAlmostEqual(found, np.nanmin(gaps), delta=1e-5)

    def test_what_turns_by_and_by_is_where_its_law_has_it_from_when_it_comes(self):
        for turns, gains, rate, since in ((120, 40, 60, 0.0), (-200, 150, 20, 0.0), (90, 30, 30, 0.5)):
            keys = {"move": f"turns_speeds_up = {gains}", "at": [8, 2], "then": "lodge", "more": ", within = 90"}
            text = made(turns=turns, rate=rate, shape="box = [6, 0.5], turned = 80", **keys).document.tables
            if since:
                text["target"] = {"bar": {**text.pop("obstacle")["bar"], "health": 9.0, "arrives": since}}
            run = nivvo.fire(nivvo.from_tables(text))
            number, times = run.scene.number["bar"], np.arange(since, 4.0, 0.11)
            for time, angle in zip(times, gained(turns, gains, times, rate, since), strict=True):
                axis = run.stage.row(number, round(time * 693e9))["axis0"]
                angle += math.radians(80)
                np.testing.assert_allclose(axis, [math.cos(angle), math.sin(angle), 0.0], atol=1e-9)
            self.assertEqual(len(run.rows("contacts")), 1)
            for contact in run.rows("contacts"):
                path, t0 = run.flight("flare-1"), contact["time"]
                edges = np.arange(math.ceil(t0 * rate) + 1, 4 * rate) / rate
                off = path.at(edges)[0] - [8, 2, 0]
                seen = np.unwrap(np.arctan2(off[:, 1], off[:, 0]))
                found = gained(turns, gains, edges, rate, since)
                np.testing.assert_allclose(seen - seen[0], found - found[0], atol=1e-6)
        moves = ("", "turns_speeds_up = 1e9")
        first = [nivvo.fire(made(at=[8, 1], turns=90, move=move)).rows("contacts")[0]["time"] for move in moves]
        self.assertAlmostEqual(*first, delta=1e-5)
        run = nivvo.fire(made(at=[8, 4], turns=130, move="turns_speeds_up = 60"))
        found, _ = nivvo.measure(run, "nearest", of="bar")
        times = np.linspace(0.1, 4.09, 40_001)
        p, angle = run.flight("flare-1").at(times)[0] - [8, 4, 0], gained(130, 60, times, 60)
        x, y = p[:, 0] * np.cos(angle) + p[:, 1] * np.sin(angle), p[:, 1] * np.cos(angle) - p[:, 0] * np.sin(angle)
        gaps = np.hypot(np.maximum(np.abs(x) - 3, 0), np.maximum(np.abs(y) - 0.25, 0)) - 0.15
        self.assertAlmostEqual(found, max(np.nanmin(gaps), 0.0), delta=1e-5)

    def test_what_has_no_friction_goes_out_along_a_bar_as_a_bead_does(self):
        """In the turning frame x'' = w² x, and it begins with x' = w h, as far from the bar's middle line as h."""
        for rate, turns, y, bar in ((20, 60, "up", "target"), (60, -120, "up", "obstacle"), (60, 90, "down", "target"),
                                    (144, -60, "down", "obstacle")):  # fmt: skip
            w, side, high = math.radians(abs(turns)), math.copysign(1.0, turns), 0.4
            text = (
                f"nivvo = 1\nworld = {{ gravity = 0, y = '{y}' }}\ntick.rate = {rate}\n[shooter.keeper]\nat = [19, 9]\n"
            )
            text += (
                f"[ability.flare]\nlaunch.speed = 1\n[{bar}.bar]\nat = [0, 0]\nshape.box = [8, 0.3]\nturns = {turns}\n"
            )
            text += f"[obstacle.tub]\nat = [1, {0.8 * side}]\nshape.ball = 0.25\nmass = 3\nfriction = 0\n"
            live, seen = nivvo.Live(nivvo.parse(text), compiled=False), 0
            met = (math.atan2(0.8, 1.0) - math.asin(high / math.hypot(1.0, 0.8))) / w
            out = math.sqrt(1.0 + 0.8**2 - high**2)
            while live.time < 1.6:
                live.step()
                late, angle = live.time - met, w * live.time
                x = out * math.cosh(w * late) + high * math.sinh(w * late)
                if late > 0.0 and x < 3.8:
                    seen += 1
                    s, c = math.sin(angle), math.cos(angle)
                    place = [x * c - high * s, side * (x * s + high * c)]
                    np.testing.assert_allclose(live.place("tub"), place, rtol=0, atol=0.006 * x, err_msg=(rate, turns))
            self.assertGreater(seen, 8)

    def test_what_has_a_mass_is_swept_along_and_not_passed_through(self):
        rng, crates = np.random.default_rng(31), ("ball = 0.25", "box = {}, turned = {}", "polygon = {}")
        corners = "[[0, 0], [0.6, 0], [0.2, 0.4]]"
        for number in range(60 if DEEP else 4):
            world = ("view = 'top'", "view = 'space'", "gravity = 0")[number % 3]
            space, crate = number % 3 == 1, crates[number // 3 % (2 if number % 3 == 1 else 3)]
            start, x = rng.uniform(0, 360), round(rng.uniform(1.2, 2.4), 3)
            crate = crate.format(*([[0.5, 0.3, 0.5], [20, 0, 0]] if space else [[0.5, 0.3], 20]))
            crate = crate.replace("polygon = [0.5, 0.3]", f"polygon = {corners}")
            place, middle, home = ([x, 0, 0.25], [0, 0, 0.25], [19] * 3) if space else ([x, 0], [0, 0], [19, 19])
            bar = f"box = [6, 0.3, 0.4], turned = [{start}, 0, 0]" if space else f"box = [6, 0.3], turned = {start}"
            rate, turns = int(rng.choice([20, 60, 97])), rng.uniform(30, 150) * rng.choice([-1, 1])
            text = f"nivvo = 1\nworld.{world}\ntick.rate = {rate}\n[shooter.keeper]\nat = {home}\n"
            text += "[ability.flare]\nlaunch.speed = 1\n"
            text += "[obstacle.quay]\nshape.half_space = 'up'\n" if space else ""
            text += f"[obstacle.bar]\nat = {middle}\nturns = {turns}\nshape = {{ {bar} }}\n"
            text += f"[obstacle.tub]\nat = {place}\nshape = {{ {crate} }}\nmass = 3\nfriction = {rng.uniform(0, 0.8)}\n"
            live, gaps = nivvo.Live(nivvo.parse(text), compiled=False), []
            stage = live._session.stage
            for _ in range(round(3 * rate)):
                now = live.scene.ticks.edge(live.tick)
                rows = ((stage.row(k, now), stage.middle(k, now)) for k in (stage.number[n] for n in ("tub", "bar")))
                gaps.append(between(*next(rows), *next(rows))[0])
                live.step()
            if gaps[0] > 0.0:
                self.assertGreater(min(gaps), -0.012, (number, turns, rate))
                self.assertGreater(np.linalg.norm(live.place("tub") - place), 0.2, number)

    def test_who_stands_is_pushed_by_what_turns(self):
        for turns, deepest in ((40, 0.011), (120, 0.011), (300, 0.03)):
            text = (
                "nivvo = 1\nworld.view = 'top'\n[shooter.keeper]\nat = [2.5, 0.9]\nshape.ball = 0.3\nwalk.speed = 3\n"
            )
            text += "[ability.flare]\nlaunch.speed = 1\n[obstacle.bar]\nat = [0, 0]\nshape.box = [8, 0.2]\n"
            live = nivvo.Live(nivvo.parse(f"{text}turns = {turns}\n"), compiled=False)
            for tick in range(1, 61):
                live.step()
                place, angle = live.place("keeper"), math.radians(turns) * tick / 60
                aside = abs(-place[0] * math.sin(angle) + place[1] * math.cos(angle)) - 0.1 - 0.3
                # It is seen as it stands when a step begins: in a tick as many as it takes for so little.
                ahead = abs(place[0] * math.cos(angle) + place[1] * math.sin(angle)) < 4.0
                self.assertGreater(aside if ahead else 0.0, -deepest, (turns, tick))
            self.assertGreater(np.linalg.norm(live.place("keeper") - [2.5, 0.9]), 0.3)


class Still(unittest.TestCase):
    def test_who_looks_among_bodies_that_stand_sees_them_as_they_are_turned_by_then(self):
        rng, refused = np.random.default_rng(23), 0
        for number in range(40):
            rate, time, first = rng.uniform(-300, 300), rng.uniform(0, 4), rng.uniform(-180, 180)
            text = f"""
            nivvo = 1
            world = {{ gravity = 0, view = "{("side", "top")[number % 2]}", y = "{("up", "down")[number // 2 % 2]}" }}
            [obstacle.bar]
            at = {rng.uniform(0.3, 1.6, 2).tolist()}
            shape = {{ box = [0.2, 3], turned = %r }}
            turns = %r
            [ability.rivet]
            launch.speed = 5
            shape.ball = 0.1
            limits.life = 1
            muzzle_blocked = "refuse"
            """
            turns = nivvo.preview(nivvo.parse(text % (first, rate)), at=time, bodies="still")
            there = (first + rate * time + 180.0) % 360.0 - 180.0
            stands = nivvo.preview(nivvo.parse(text.replace("turns = %r", "") % there), at=time, bodies="still")
            with self.subTest(number):
                self.assertEqual(turns.reason.split(";")[0][:40], stands.reason.split(";")[0][:40])
                np.testing.assert_allclose(turns.points, stands.points, atol=1e-9)
            refused += not len(turns.points)
        self.assertTrue(3 < refused < 35, refused)


class Reached(unittest.TestCase):
    def test_a_bar_reaches_who_stands_when_its_side_comes_to_him(self):
        """Where a ball at an angle from the bar is as far from its middle line as both are thick."""
        for world, far, angle, rate in (
            ("", 2.0, 30.0, 60),
            ("world.y = 'down'", 1.5, 75.0, 30),
            ("world.view = 'top'", 2.5, 50.0, 144),
            ("world.view = 'space'", 2.2, 40.0, 60),
        ):
            size = 3 if "space" in world else 2
            place = [far * math.cos(math.radians(angle)), far * math.sin(math.radians(angle)), 0.0][:size]
            shapes = ("shape = { box = [6, 0.5, 0.5] }", "parts = [{ at = [1.5, 0, 0], shape.box = [3, 0.5, 0.5] }]")
            if size == 2:
                shapes = ("shape = { box = [6, 0.5] }", "parts = [{ at = [1.5, 0], shape.box = [3, 0.5] }]")
            when = (angle - math.degrees(math.asin((0.25 + 0.3) / far))) / 80
            for shape in shapes:
                run = nivvo.fire(nivvo.parse(
                    f"nivvo = 1\n{world}\n[tick]\nrate = {rate}\n[shooter.keeper]\nat = {place}\nshape.ball = 0.3\n"
                    f"health = 9\n[obstacle.bar]\nat = {[0.0] * size}\n{shape}\nturns = 80\non_shooter.damage = 2\n"
                    "[ability.flare]\nlaunch.speed = 1\n[case.tap]\nlasts = 1\ninput = []\n"
                ))  # fmt: skip
                (hurt,) = [row for row in run.rows("effects") if row["effect"] == "damage"]
                self.assertAlmostEqual(hurt["time"], when, delta=1e-7, msg=(world, shape))


class Told(unittest.TestCase):
    def test_what_makes_no_sense_is_told(self):
        for keys, says in (
            ({"move": "mass = 3"}, "does not turn"),
            ({"move": "turns_about = [0, 0]"}, "is an axis"),
            ({"move": "turns_about = [0, 1]"}, "in 2D"),
            ({"turns": 0, "move": "turns_speeds_up = 9"}, "goes with turns"),
            ({"move": "turns_speeds_up = 0"}, "greater than 0"),
        ):
            with self.assertRaises(DrillError, msg=keys) as caught:
                made(**keys)
            self.assertIn(says, str(caught.exception), keys)


if __name__ == "__main__":
    unittest.main()
