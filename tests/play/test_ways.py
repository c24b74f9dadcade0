"""Ways of bodies: adrift, with speeds that come by and by, round another, beside another; by closed forms and slow
models, and shots meet them where they are."""

import itertools
import math
import os
import unittest
from unittest import mock

import numpy as np
from scipy.stats import chi2

import nivvo
from nivvo.core.geometry.shapes import distance
from nivvo.core.numbers import clock
from nivvo.errors import CallError, DrillError
from tests.deep import DEEP

TEXT = """nivvo = 1
{world}
[tick]
rate = {rate}
motion = "{motion}"
[shooter.keeper]
at = {home}
shape.ball = 0.3
{walk}
[ability.flare]
launch = {{ speed = 20, count = 12, fan = 360 }}
flight.gravity_share = 0
limits.life = 3
on.shooters.then = "ignore"
[target.wisp]
{at}
shape = {{ {shape} }}
{move}
{more}
[case.tap]
lasts = {lasts}
input = [{input}]
"""
VIEWS = (("", 2), ("world.y = 'down'", 2), ("world.view = 'top'", 2), ("world.view = 'space'", 3))


def made(size=2, **keys):
    at = f"at = {[6.0, 2.0, 1.0][:size]}"
    base = {"world": "", "rate": 60, "motion": "exact", "home": [0.0] * size, "walk": "", "at": at, "move": "",
            "more": "", "shape": "ball = 0.4", "lasts": 4, "input": ""}  # fmt: skip
    return nivvo.parse(TEXT.format(**{**base, **keys}))


def way(run, name="wisp"):
    return run.stage.motions[run.scene.number[name]]


def seen(run, times, name="wisp"):
    found = [way(run, name).seen(time) for time in times]
    return np.array([p for p, _ in found]), np.array([v for _, v in found])


class Comes(unittest.TestCase):
    def test_what_comes_later_sets_out_then_as_another_does_that_was_there_from_the_start(self):
        """Written with arrives, and added to a live session: from its own place on, along whatever way."""
        for (world, size), late in itertools.product(VIEWS, (0.25, 2.0)):
            at, there = [6.0, 2.0, 1.0][:size], [-1.0, 3.0, 2.0][:size]
            ways = (
                {"velocity": [1.0] * size},
                {"velocity": [0.5] * size, "acceleration": [1.0] * size, "top_speed": 2.0},
                {"through": [there, [0.0] * size], "speed": 3.0, "at_end": "back"},
                {"through": [there, [0.0] * size], "speed": 3.0, "at_end": "around", "speeds_up": 2.0},
                {"through": [there], "speed": 3.0},
                {"circle": {"centre": [1.0] * size, "turn_rate": 70.0}, "speeds_up": 4.0},
                {"timed": [[0.0, *at], [0.7, *there], [1.5, *at]]},
                {"drift": [[-5.0] * size, [5.0] * size], "speed": 2.0},
            )
            for move in ways:
                written = f"at = {at}\nmove = {{ {inline(move)} }}"
                run = nivvo.fire(made(size, world=world, at=written, lasts=4.5, input="{ t = 4, tap = 'fire' }"))
                later = nivvo.fire(
                    made(
                        size, world=world, at=f"{written}\narrives = {late}", lasts=6.5, input="{ t = 6, tap = 'fire' }"
                    )
                )
                # A circle goes straight from tick to tick: not where it turns.
                times = np.linspace(0.003, 4.0, 41)
                (p, v), (q, u) = seen(run, times), seen(later, times + late)
                np.testing.assert_allclose(q, p, atol=1e-9, err_msg=f"{move}")
                np.testing.assert_allclose(u, v, atol=1e-7, err_msg=f"{move}")
                self.assertEqual([row["time"] for row in later.rows("events") if row["what"] == "arrived"], [late])
                live = nivvo.Live(made(size, world=world), compiled=False)
                while live.time < late - 1e-9:
                    live.step()
                live.add("target", "wasp", at=tuple(at), shape={"ball": np.float64(0.4)}, move=move)
                for tick in range(0, 120, 7):
                    if "drift" not in move:
                        # Where one drifts belongs to its name.
                        np.testing.assert_allclose(
                            live.place("wasp"), run.scene.frame.drop(seen(run, [tick / 60])[0][0]), atol=1e-9
                        )
                    for _ in range(7):
                        live.step()

    def test_what_leaves_is_met_no_more(self):
        """A gate in a wall of gates, each gone for a while: shots at each time meet those that stand then."""
        gates = "".join(
            f"[obstacle.gate{k}]\nat = {[8.0 + k, 2.0]}\nshape = {{ box = [0.4, 3], turned = {20 * k} }}\n"
            f"arrives = {0.5 * k}\nleaves = {0.5 * k + 1.2}\n"
            for k in range(5)
        )  # fmt: skip
        inputs = ", ".join(f"{{ t = {0.13 * k:.2f}, tap = 'fire' }}" for k in range(30))
        run = nivvo.fire(
            made(at="at = [99, 99]", more=gates, lasts=5, input=inputs).with_settings(
                {
                    "ability.flare.launch": {"speed": 20.0, "elevation": 10.0},
                    "ability.flare.on": {"anything": {"then": "pass"}},
                }
            )
        )
        told = {
            (row["body"], row["what"]): row["time"]
            for row in run.rows("events")
            if row["what"] in ("arrived", "went away")
        }
        self.assertEqual(told["gate0", "went away"], 1.2)
        met, went = {}, 0
        for row in run.rows("contacts"):
            met.setdefault(row["projectile"], []).append(row["body"])
        for shot in run.fired:
            path = run.flight(run.id_of(shot))
            for k in range(5):
                # When it is over the gate's middle, or not far from that.
                at = path.t[0] + (8.0 + k - path.p[0][0]) / (20.0 * math.cos(math.radians(10.0)))
                if abs(at - 0.5 * k) < 0.1 or abs(at - 0.5 * k - 1.2) < 0.1:
                    continue
                there = 0.5 * k < at < 0.5 * k + 1.2
                went += not there
                self.assertEqual(f"gate{k}" in met.get(run.id_of(shot), []), there, (shot.time, k))
        self.assertGreater(went, 50)
        for keys, words in (("arrives = 1\nleaves = 1", "before it is there"), ("leaves = 0", "before it is there"),
                            ("arrives = '40 ticks'\nleaves = 0.5", "before it is there"),
                            ("leaves = 1\nshape.half_space = 'up'", "half_space")):  # fmt: skip
            shape = "" if "shape" in keys else "shape.ball = 1\n"
            with self.assertRaisesRegex(DrillError, words):
                made(more=f"[obstacle.crate]\n{shape}{keys}\n")

    def test_who_walks_stands_or_lies_goes_by_what_is_there(self):
        text = "nivvo = 1\n[ability.rivet]\nlaunch.speed = 9\n"
        text += "[shooter.keeper]\nshape.ball = 0.5\nwalk.speed = 3\nat = {}\n"
        text += "[obstacle.ground]\nshape.half_space = 'up'\n[obstacle.gate]\nat = [3, 1]\nshape.box = [0.4, 2]\n{}\n"
        text += "[case.c]\nlasts = 4\ninput = [{{ t = 0, walk = [{}, 0] }}]\n"
        times = np.array([0.4, 1.1, 1.9, 2.6, 3.7])

        def gone(home, keys, walk, name="keeper"):
            return seen(nivvo.fire(nivvo.parse(text.format(home, keys, walk))), times, name)[0].T

        for keys, goes in (("leaves = 2", 2.0), ("arrives = 0.5\nleaves = 3", 3.0), ("arrives = 2", 2.3 / 3)):
            ways = np.where(times < goes, 2.3, 2.3 + 3 * (times - goes))
            np.testing.assert_allclose(gone([0, 0.5], keys, 1)[0], np.minimum(3 * times, ways), atol=1e-4)
        # What he stands on goes, and he falls; a crate likewise.
        late = np.maximum(times - 1.0, 0.0)
        fall = np.maximum(2.5 - 0.5 * 9.81 * late * late, 0.5)
        np.testing.assert_allclose(gone([3, 2.5], "leaves = 1", 0)[1], fall, atol=1e-3)
        crate = "leaves = 1\n[obstacle.crate]\nat = [3.2, 2.5]\nshape.box = [1, 1]\nmass = 2"
        np.testing.assert_allclose(gone([-9, 0.5], crate, 0, "crate")[1], fall, atol=1e-3)

    def test_a_case_may_set_one_body_more(self):
        text = "[case.more]\nset = { 'target.gull' = { at = [4, 0], shape.ball = 0.5 } }\ncheck = [{ hits = 'gull' }]\n"
        drill = made(input="{ t = 0, tap = 'fire' }")
        base = TEXT.format(
            world="", rate=60, motion="exact", home=[0.0, 0.0], walk="", at="at = [6, 2]", move="", more="",
            shape="ball = 0.4", lasts=4, input="",
        )  # fmt: skip
        both = nivvo.parse(base + text)
        self.assertTrue(nivvo.check(both, "more")[0].passed)
        self.assertNotIn("gull", [row["target"] for row in nivvo.fire(both, "tap").rows("targets")])
        other = drill.with_settings({"obstacle.post": {"at": [3, 0], "shape": {"ball": 0.4}}})
        self.assertIn("post", {row["body"] for row in nivvo.fire(other).rows("contacts")})
        for key, value, words in (("target.gull.at", [1, 2], "there is no target gull"),
                                  ("target.gull", 3, "no target gull"),
                                  ("shooter.mate", {"at": [1, 2]}, "no shooter mate"),
                                  ("target.gull", {"shape": {"ball": 1}}, "needs at")):  # fmt: skip
            with self.assertRaisesRegex(DrillError, words):
                drill.with_settings({key: value})


def inline(table):
    """What stands in an inline table of TOML."""
    texts = {key: f"{{ {inline(one)} }}" if isinstance(one, dict) else repr(one) for key, one in table.items()}
    return ", ".join(f"{key} = {one}" for key, one in texts.items())


class Adrift(unittest.TestCase):
    def test_it_goes_on_at_its_speed_within_its_region_and_anywhere_in_it(self):
        for world, size in VIEWS:
            low, high = [-3.0, 1.0, 2.0][:size], [5.0, 4.0, 3.0][:size]
            move = f"move = {{ drift = [{high}, {low}], speed = 7 }}"
            run = nivvo.fire(made(size, world=world, move=move, at=f"at = {low}"))
            p, v = seen(run, np.linspace(0.01, 900, 4001))
            self.assertTrue(np.all((p[:, :size] >= np.array(low) - 1e-9) & (p[:, :size] <= np.array(high) + 1e-9)))
            np.testing.assert_allclose(np.linalg.norm(v, axis=1), 7.0, atol=1e-9)
            points = np.array([one[0] for one in way(run).pieces[1:]])[:, :size]
            share = (points - low) / (np.array(high) - low)
            for axis in range(size):
                # Quarters of each side alike, at a level of one in a million.
                counts = np.histogram(share[:, axis], bins=4, range=(0, 1))[0]
                expected = len(points) / 4
                self.assertLess(((counts - expected) ** 2 / expected).sum(), chi2.ppf(1 - 1e-6, 3))

    def test_its_points_belong_to_the_seed_and_its_name(self):
        move = "move = { drift = [[0, 0], [9, 9]], speed = 5 }"
        more = "[target.another]\nat = [1, 1]\n" + move
        one, two = (nivvo.fire(made(move=move, more=rest)) for rest in ("", more))
        other = nivvo.fire(made(move=move, world="world.seed = 5"))
        times = np.linspace(0, 30, 50)
        np.testing.assert_array_equal(seen(one, times)[0], seen(two, times)[0])
        self.assertGreater(np.abs(seen(one, times)[0] - seen(other, times)[0]).max(), 1.0)
        self.assertGreater(np.abs(seen(two, times)[0] - seen(two, times, "another")[0]).max(), 1.0)


class SpeedsUp(unittest.TestCase):
    def test_adrift_it_stops_at_each_of_the_same_points_and_is_never_faster_nor_changes_faster(self):
        for world, size in VIEWS:
            move = f"move = {{ drift = [{[0.0] * size}, {[9.0] * size}], speed = 5"
            plain, slow = (
                nivvo.fire(made(size, world=world, move=move + more)) for more in (" }", ", speeds_up = 4 }")
            )
            times = np.linspace(0, 60, 6001)
            p, v = seen(slow, times)
            fast = np.linalg.norm(v, axis=1)
            self.assertAlmostEqual(fast.max(), 5.0, delta=1e-6)
            self.assertLess(np.abs(np.diff(v, axis=0)).max(), 4.0 * 0.0101)
            np.testing.assert_allclose(np.diff(p, axis=0), 0.005 * (v[1:] + v[:-1]), atol=2e-4)
            seen(plain, times)
            for goal in (one[0] for one in way(plain).pieces[1:9]):
                near = np.linalg.norm(p - goal, axis=1).argmin()
                self.assertLess(np.linalg.norm(p[near] - goal), 0.001)
                self.assertLess(fast[near], 0.05)

    def test_along_points_it_sets_out_and_stops_as_a_train_does(self):
        for length, speed, push in ((12.0, 3.0, 2.0), (2.0, 3.0, 2.0)):
            for world, size in VIEWS:
                at, goal = [0.0] * size, [0.6 * length, -0.8 * length, 0.0][:size]
                corner = [0.3 * length, -0.4 * length, 0.0][:size]
                move = f"through = [{corner}, {goal}], speed = {speed}, speeds_up = {push}, at_end = 'back'"
                run = nivvo.fire(made(size, world=world, move=f"move = {{ {move} }}", at=f"at = {at}"))
                top = min(speed, math.sqrt(length * push))
                whole = length / top + top / push
                times = np.linspace(0.0, 4.0 * whole, 900)
                gone = np.linalg.norm(seen(run, times)[0], axis=1)
                t = np.abs((times + whole) % (2 * whole) - whole)
                t = np.minimum(t, whole - t)
                near = np.where(t < top / push, 0.5 * push * t * t, top * t - 0.5 * top * top / push)
                far = np.abs((times + whole) % (2 * whole) - whole) > 0.5 * whole
                np.testing.assert_allclose(gone, np.where(far, length - near, near), atol=1e-8)

    def test_what_goes_around_comes_to_its_speed_in_laps_of_its_own(self):
        for speed, push in ((3.0, 2.0), (6.0, 0.4), (2.0, 50.0)):
            for world, size in VIEWS:
                corners = np.zeros((4, 3))
                corners[1:3] = [(3.0, -4.0, 0.0), (8.0, 8.0, 0.0)]
                stops = [corner[:size].tolist() for corner in corners]
                move = f"through = {stops[1:3]}, speed = {speed}, speeds_up = {push}, at_end = 'around'"
                run = nivvo.fire(made(size, world=world, move=f"move = {{ {move} }}", at=f"at = {stops[0]}"))
                sides = np.linalg.norm(np.diff(corners, axis=0), axis=1)
                at = np.concatenate([[0.0], np.cumsum(sides)])
                times, ramp = np.concatenate([np.linspace(0.0, 60.0, 900), [86_000.0]]), speed / push
                gone = np.where(times < ramp, 0.5 * push * times**2, speed * (times - 0.5 * ramp)) % at[-1]
                places = np.stack([np.interp(gone, at, corners[:, k]) for k in range(3)], axis=1)
                found, fast = seen(run, times)
                np.testing.assert_allclose(found[:900], places[:900], atol=1e-7)
                np.testing.assert_allclose(found[900], places[900], atol=1e-3)
                expected = np.minimum(push * times, speed)
                np.testing.assert_allclose(np.linalg.norm(fast, axis=1), expected, atol=1e-7)

    def test_a_steady_push_ends_at_the_top_speed(self):
        move = "move = { velocity = [-3, 1], acceleration = [2, 0.5], top_speed = 6 }"
        run = nivvo.fire(made(move=move))
        t = next(t for t in np.linspace(0, 9, 2_000_001) if math.hypot(-3 + 2 * t, 1 + 0.5 * t) > 6)
        for time in (1.0, t - 0.1, t + 1.0, 30.0):
            p, v = way(run).seen(time)
            s = min(time, t)
            v1 = np.array([-3 + 2 * s, 1 + 0.5 * s])
            p1 = np.array([6 - 3 * s + s * s, 2 + s + 0.25 * s * s]) + v1 * (time - s)
            np.testing.assert_allclose(v[:2], v1, atol=1e-4)
            np.testing.assert_allclose(p[:2], p1, atol=2e-4 * max(time, 1))
        self.assertAlmostEqual(np.linalg.norm(way(run).seen(30.0)[1]), 6.0, delta=1e-9)

    def test_who_chases_turns_by_and_by_as_a_slow_model_does(self):
        for word, sign in (("chase", 1), ("flee", -1)):
            for motion in ("exact", "explicit"):
                run = nivvo.fire(made(move=f"move = {{ {word} = 'keeper', speed = 5, speeds_up = 4 }}", motion=motion,
                                      walk="move.velocity = [1, 4]", rate=30))  # fmt: skip
                place, velocity = np.array([6.0, 2.0]), np.zeros(2)
                for k in range(100):
                    np.testing.assert_allclose(seen(run, [k / 30])[0][0][:2], place, atol=1e-9)
                    off = np.array([1.0, 4.0]) * k / 30 - place
                    wish = sign * off / np.linalg.norm(off) * (min(5, np.linalg.norm(off) * 30) if sign > 0 else 5)
                    gains = wish - velocity
                    most = 4 / 30
                    velocity = (
                        wish if np.linalg.norm(gains) <= most else velocity + gains / np.linalg.norm(gains) * most
                    )
                    place = place + velocity / 30


class Rounds(unittest.TestCase):
    def test_at_each_tick_it_is_on_the_circle_round_the_other_wherever_that_goes(self):
        for (world, size), rate, gains in itertools.product(VIEWS, (-90, 200), (None, 6.0)):
            walk = f"move = {{ velocity = {[1.0, 0.5, 0.25][:size]} }}"
            move = f"move.circle = {{ body = 'keeper', turn_rate = {rate} }}"
            move += f"\nmove.speeds_up = {gains}" if gains else ""
            run = nivvo.fire(made(size, world=world, move=move, walk=walk))
            times = np.arange(0, 240) / 60
            off = seen(run, times)[0] - seen(run, times, "keeper")[0]
            frame = run.scene.frame
            x, y, rest = off @ frame.first, off @ frame.second, off @ np.cross(frame.first, frame.second)
            np.testing.assert_allclose(np.hypot(x, y), math.hypot(x[0], y[0]), atol=1e-7)
            np.testing.assert_allclose(rest, rest[0], atol=1e-9)
            angle = np.unwrap(np.arctan2(y, x))
            # From standing it comes to its speed by and by, and is then behind by half of that time.
            takes = math.radians(abs(rate)) * math.hypot(x[0], y[0]) / gains if gains else 0.0
            early = np.minimum(times, takes)
            gone = early * early / (2 * takes) if gains else 0.0
            np.testing.assert_allclose(angle, angle[0] + math.radians(rate) * (gone + times - early), atol=1e-7)

    def test_round_a_point_it_goes_as_round_a_body_that_stands_there(self):
        for (world, size), gains in itertools.product(VIEWS, ("", "\nmove.speeds_up = 3")):
            centre, found = [2.0, 1.0, 0.5][:size], []
            for way in (f"centre = {centre}", "body = 'post'"):
                move = f"move.circle = {{ {way}, turn_rate = 130 }}{gains}"
                more = f"[obstacle.post]\nat = {centre}\nshape.ball = 0.1\n"
                run = nivvo.fire(made(size, world=world, move=move, more=more))
                found.append(seen(run, np.arange(0, 240) / 60)[0])
            np.testing.assert_allclose(*found, atol=1e-9)

    def test_who_comes_late_goes_round_from_where_it_comes(self):
        more = "[target.gull]\nwave = { count = 3, every = 0.5, places = [[5, 0], [0, 4], [-3, 0]] }\n"
        more += "move.circle = { body = 'keeper', turn_rate = 90 }\n"
        run = nivvo.fire(made(more=more))
        for k, far in enumerate((5, 4, 3)):
            p, _ = seen(run, np.arange(30 * k + 1, 200) / 60, f"gull-{k + 1}")
            np.testing.assert_allclose(np.linalg.norm(p, axis=1), far, atol=1e-7)


class Beside(unittest.TestCase):
    LEADERS = (
        "chase = 'keeper', speed = 3",
        "circle = { body = 'keeper', turn_rate = 120 }",
        "velocity = [1, 2]",
        "drift = [[0, 0], [9, 9]], speed = 5",
        "through = [[9, 1], [3, 3]], speed = 4, at_end = 'back'",
    )

    def test_it_keeps_its_place_beside_the_other_at_every_time(self):
        for leader in self.LEADERS:
            more = "[target.second]\nmove = { beside = 'wisp', offset = [-1, 0.5] }\n"
            more += "[target.third]\nmove = { beside = 'second', offset = [-1, 0.5] }\n"
            run = nivvo.fire(made(move=f"move = {{ {leader} }}", more=more, walk="move.velocity = [0.5, 1]"))
            times = np.linspace(0.003, 3.9, 97)
            for name, offset in (("second", [-1, 0.5, 0]), ("third", [-2, 1, 0])):
                np.testing.assert_allclose(seen(run, times, name)[0] - seen(run, times)[0], [offset] * 97, atol=1e-9)

    def test_when_the_other_is_taken_away_it_stands(self):
        drill = made(
            move="move.velocity = [1, 0]", more="[target.second]\nmove = { beside = 'wisp', offset = [0, 2] }\n"
        )
        live = nivvo.Live(drill, compiled=False)
        for _ in range(30):
            live.step()
        live.remove("wisp")
        live.add("target", "late", at=[0, 9], move={"velocity": [5, 0]})
        for _ in range(30):
            live.step()
        np.testing.assert_allclose(live.place("second"), [6.5, 4.0], atol=1e-9)
        np.testing.assert_allclose(live.place("late"), [2.5, 9.0], atol=1e-9)
        live.add("target", "last", move={"beside": "late", "offset": [0, 1]})
        live.step()
        np.testing.assert_allclose(live.place("last") - live.place("late"), [0, 1], atol=1e-9)
        for move in ({"chase": "wisp", "speed": 3}, {"beside": "wisp", "offset": [1, 1]}):
            with self.assertRaises(CallError) as caught:
                live.add("target", "none", at=[1, 1], move=move)
            self.assertIn("no other body of that name", str(caught.exception))


class Met(unittest.TestCase):
    def test_shots_meet_them_where_they_are_asleep_or_not_compiled_or_not(self):
        """Turned shapes that go all ways, in four views, in exact step and a game's own."""
        rng, hits = np.random.default_rng(4), 0
        moves = (*Beside.LEADERS, "velocity = [-2, 1], acceleration = [3, 1], top_speed = 4",
                 "through = [[9, 1], [3, 3]], speed = 4, speeds_up = 6, at_end = 'back'",
                 "flee = 'keeper', speed = 3, speeds_up = 5")  # fmt: skip
        for k, move in enumerate(moves):
            world, size = VIEWS[k % 3]
            shape = f"box = {rng.uniform(0.5, 2.5, 2).round(2).tolist()}, turned = {rng.uniform(0, 180):.1f}"
            more = "[target.second]\nmove = { beside = 'wisp', offset = [-1, 2] }\n"
            more += f"shape = {{ polygon = [[0, 0], [2, 0], [1, 1.5]], turned = {rng.uniform(0, 360):.1f} }}\n"
            drill = made(size, world=world, move=f"move = {{ {move} }}", more=more, shape=shape,
                         walk="move.velocity = [0.4, 0.2]", motion=("exact", "verlet")[k % 2],
                         input=", ".join(f"{{ t = {0.3 * n + 0.1:.1f}, tap = 'fire' }}" for n in range(6)))  # fmt: skip
            digests = set()
            for mode, sleep in (("never", "auto"), ("always", "auto"), ("always", "never")):
                with mock.patch.dict(os.environ, NIVVO_COMPILE=mode, NIVVO_SLEEP=sleep):
                    run = nivvo.fire(drill)
                    digests.add(run.digest)
            self.assertEqual(len(digests), 1, move)
            for row in run.rows("contacts"):
                hits += 1
                number = run.scene.number[row["body"]]
                # In a game's own step it goes straight over a tick, for all who ask.
                middle = run.stage.centre(number, round(row["time"] * clock.UNITS))
                point = np.array([row["x"], row["y"], 0.0]) - middle
                self.assertAlmostEqual(distance(run.scene.bodies[number], tuple(point.tolist()))[0], 0.0, delta=1e-6)
                near = nivvo.closest(run, row["body"], row["projectile"])
                self.assertAlmostEqual(near.gap, -(row["overlap"] or 0.0), delta=1e-9, msg=f"{move}: {near}")
        self.assertGreater(hits, 60)


class Told(unittest.TestCase):
    def test_what_makes_no_sense_is_told(self):
        for move, says in (
            ("drift = [[0, 0], [3, 3]]", "go with speed"),
            ("drift = [[1, 1], [1, 1]], speed = 2", "goes nowhere"),
            ("drift = [[1, 1, 1], [1, 1]], speed = 2", "drift"),
            ("beside = 'keeper'", "offset"),
            ("beside = 'wisp', offset = [1, 1]", "no other body"),
            ("beside = 'second', offset = [1, 1]", "in a ring"),
            ("beside = 'keeper', offset = [1, 1]", "no at"),
            ("circle = { turn_rate = 3 }", "needs centre, or body"),
            ("circle = { body = 'keper', turn_rate = 3 }", "did you mean keeper"),
            ("velocity = [9, 0], acceleration = [1, 0], top_speed = 3", "faster than top_speed"),
            ("velocity = [1, 0], top_speed = 3", "goes with acceleration"),
            ("velocity = [1, 0], speeds_up = 3", "through, drift, circle, chase or flee"),
            ("through = [[1, 1]], speed = 3, speeds_up = 1e-9, at_end = 'around'", "at most 1000 laps"),
        ):
            more = "[target.second]\nmove = { beside = 'wisp', offset = [0, 2] }\n" if "second" in move else ""
            with self.assertRaises(DrillError, msg=move) as caught:
                made(move=f"move = {{ {move} }}", more=more)
            self.assertIn(says, str(caught.exception), move)


class Near(unittest.TestCase):
    def drill(self, rng, motion):
        text = f"nivvo = 1\nworld.view = 'space'\ntick.motion = '{motion}'\n[ability.flare]\nlaunch.speed = 9\n"
        for k in range(60):
            at, *points = rng.uniform(-20, 20, (4, 3)).round(2).tolist()
            way = f"through = {points}, at_end = '{('back', 'around', 'stop')[k % 3]}'"
            way = way if k % 4 else f"drift = {np.sort(points[:2], axis=0).tolist()}"
            way += f", speed = {rng.uniform(1, 9)}" + (f", speeds_up = {rng.uniform(2, 30)}" if k % 2 else "")
            text += f"[target.wisp{k}]\nat = {at}\nshape.ball = 0.3\nmove = {{ {way} }}\n"
        return nivvo.parse(text)

    def test_whoever_comes_near_is_among_those_who_may(self):
        """A second ahead too, round corners and back; and most of those who do not come are not."""
        rng, told, among_all = np.random.default_rng(11), 0, 0
        for motion in ("exact", "semi-implicit") * (12 if DEEP else 2):
            live = nivvo.Live(self.drill(rng, motion))
            for _ in range(rng.integers(1, 200)):
                live.step()
            stage, now = live._session.stage, live._session.time
            for ahead in np.sort(rng.uniform(0.01, 1.0, 12)):
                end, size = now + round(ahead * clock.UNITS), rng.uniform(0.01, 4)
                place, times = stage.centre(int(rng.choice(stage.movers)), end), np.linspace(now, end, 12).astype(int)
                far = {k: min(math.dist(stage.centre(k, t), place) for t in times.tolist()) for k in stage.movers}
                may = stage.nearing([tuple(place)], [size], now, end)
                self.assertLessEqual({k for k, gap in far.items() if gap - 0.3 <= size}, {*may})
                told, among_all = told + len(may), among_all + len(far)
        self.assertLess(told, 0.5 * among_all)


if __name__ == "__main__":
    unittest.main()
