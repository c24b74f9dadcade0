"""Bodies that touch a shooter: when, what follows, and what decides a case; where bodies are over time."""

import itertools
import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import nivvo
from nivvo.core.geometry.hulls import between
from nivvo.core.numbers import clock

SCENE = """nivvo = 1
[world]
{world}
[tick]
rate = {rate}
motion = "{motion}"
[shooter.keeper]
at = {at}
{shooter}
[ability.flare]
launch.speed = 1
firing.button = "flare"
[target.gull]
{gull}
[case.tap]
{case}
"""


def scene(gull, *, world="", at=(0, 0), shooter="health = 100", case="lasts = 5", rate=60, motion="exact"):
    text = SCENE.format(world=world, at=list(at), shooter=shooter, gull=gull, case=case, rate=rate, motion=motion)
    return nivvo.parse(text)


def rows(run, what):
    return [row for row in run.rows("events") if row["what"] == what]


class Times(unittest.TestCase):
    def test_as_closed_forms_say_in_every_view_and_rate(self):
        for world, way in (("", (1, 0)), ("", (0, -1)), ('y = "down"', (0.6, 0.8)), ('view = "top"', (-0.8, 0.6)),
                           ('view = "space"', (2 / 3, -1 / 3, 2 / 3))):  # fmt: skip
            for rate in (30, 60, 144):
                place, velocity = [-6.0 * x for x in way], [2.7 * x for x in way]
                run = nivvo.fire(scene(
                    f"at = {place}\nshape.ball = 0.4\nmove.velocity = {velocity}\non_shooter.damage = 7",
                    world=world, at=[0.0] * len(way), rate=rate))  # fmt: skip
                (touch,) = rows(run, "touched a shooter")
                self.assertAlmostEqual(touch["time"], (6 - 0.9) / 2.7, delta=1e-8)
                (hurt,) = [row for row in run.rows("effects") if row["body"] == "keeper"]
                self.assertEqual(
                    (hurt["time"], hurt["amount"], hurt["before"], hurt["after"]), (touch["time"], 7, 100, 93)
                )
                self.assertEqual((hurt["projectile"], hurt["shot"]), ("", ""))

    def test_under_acceleration_and_while_both_move(self):
        run = nivvo.fire(scene("at = [9, 0]\nshape.ball = 0.5\nmove = { velocity = [1, 0], acceleration = [-2, 0] }\n"
                               "on_shooter = {}", shooter="move.velocity = [0.5, 0]"))  # fmt: skip
        # 9 + t - t^2 - 0.5 t = 1
        (touch,) = rows(run, "touched a shooter")
        self.assertAlmostEqual(touch["time"], 0.25 + math.sqrt(0.0625 + 8), delta=1e-8)

    def test_one_touch_is_one_in_a_games_own_step_too(self):
        # The shooter speeds up and is come upon within a tick, where the step goes straight.
        for motion in ("exact", "semi-implicit", "explicit", "verlet"):
            for rate in (8, 20, 60):
                for start in np.linspace(0.4, 0.9, 6):
                    walks = f"walk = [-0.9, 0.3] }}, {{ t = {start + 0.3}, walk = [0.4, -0.9]"
                    run = nivvo.fire(scene(
                        "at = [-3, 2]\nshape.ball = 0.4\nmove = { chase = 'keeper', speed = 3 }\n"
                        "on_shooter = { damage = 4, every = 0.3 }",
                        world='view = "top"', shooter="health = 100\nwalk = { speed = 3, acceleration = 20 }",
                        case=f"lasts = 2\ninput = [{{ t = {start}, {walks} }}]", rate=rate, motion=motion))  # fmt: skip
                    times = [row["time"] for row in rows(run, "touched a shooter")]
                    self.assertGreater(len(times), 2)
                    self.assertGreater(np.diff(times).min(), 0.3 - 1e-9, (motion, rate, start))

    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 10**6), st.booleans())
    def test_as_looking_at_every_moment_says(self, seed, deep):
        rng = np.random.default_rng(seed)
        size = 3 if deep else 2

        def shape():
            word = rng.integers(3)
            if word == 0:
                return f"ball = {rng.uniform(0.2, 1):.3f}"
            if word == 1:
                ends = [[round(float(x), 3) for x in rng.uniform(-1, 1, size)] for _ in range(2)]
                return f"capsule = {ends}, radius = {rng.uniform(0.1, 0.4):.3f}"
            turned = [round(float(x), 2) for x in rng.uniform(-80, 80, 3)] if deep else round(rng.uniform(0, 360), 2)
            return f"box = {[round(float(x), 3) for x in rng.uniform(0.3, 2, size)]}, turned = {turned}"

        way = rng.normal(size=size)
        place = way / np.linalg.norm(way) * 6
        aside = rng.normal(size=size) * 0.8
        velocity, bend = (aside - place) * rng.uniform(0.4, 2), rng.normal(size=size) * 0.7
        own = rng.normal(size=size) * 0.5
        numbers = [[float(x) for x in one] for one in (place, velocity, bend, own)]
        way = "at = {}\nmove = {{ velocity = {}, acceleration = {} }}".format(*numbers[:3])
        made = scene(f"{way}\non_shooter = {{}}\nshape = {{ {shape()} }}",
                     world='view = "space"' if deep else 'view = "top"', at=[0.0] * size, case="lasts = 3",
                     shooter=f"move.velocity = {numbers[3]}\nshape = {{ {shape()} }}")  # fmt: skip
        run = nivvo.fire(made)
        keeper, gull = (run.stage.number[name] for name in ("keeper", "gull"))
        bodies = run.scene.bodies

        def gap(time):
            middles = [run.stage.motions[k].seen(time)[0] for k in (keeper, gull)]
            return between(bodies[keeper], middles[0], bodies[gull], middles[1])[0]

        # By looking at it four hundred times.
        gaps = np.array([gap(t) for t in np.linspace(0.0, 3.0, 401)])
        touch = rows(run, "touched a shooter")
        if not touch:
            self.assertGreater(gaps.min(), -1e-4)
        else:
            first = touch[0]["time"]
            self.assertGreater(gaps[: int(first / 7.5e-3)].min(initial=1.0), -1e-7)
            self.assertLess(abs(gap(first)), 1e-6)

    def test_stepped_as_a_game_does_they_go_straight_within_a_tick(self):
        for motion in ("semi-implicit", "verlet"):
            run = nivvo.fire(
                scene("at = [5, 0]\nshape.ball = 0.5\nmove.velocity = [-3, 0]\non_shooter = {}", motion=motion)
            )
            (touch,) = rows(run, "touched a shooter")
            self.assertAlmostEqual(touch["time"], 4 / 3, delta=1e-8)


class Follows(unittest.TestCase):
    def test_again_while_they_touch_and_anew_after_they_were_apart(self):
        # There and back: in touch from 1.5 s on for 1 s, then once more.
        run = nivvo.fire(scene("shape.ball = 0.5\nmove = { through = [[4, 0], [-4, 0]], speed = 2, at_end = 'back' }\n"
                               "at = [4, 0]\non_shooter = { damage = 2, every = 0.25 }", case="lasts = 8"))  # fmt: skip
        times = [row["time"] for row in rows(run, "touched a shooter")]
        there = [1.5 + 0.25 * k for k in range(5)]
        # The last falls on the very moment at which they part.
        np.testing.assert_allclose(times[:4], there[:4], atol=1e-8)
        back = [time for time in times if time > 4]
        np.testing.assert_allclose(back[:4], [5.5, 5.75, 6.0, 6.25], atol=1e-8)
        self.assertIn(len(times), (8, 9, 10))

    def test_who_reaches_him_can_be_out_by_it_and_he_by_them(self):
        run = nivvo.fire(scene("at = [4, 0]\nmove = { chase = 'keeper', speed = 3 }\non_shooter = { damage = 60, "
                               "removes = true }\nwave = { count = 3, every = 0.5 }",
                               case="lasts = 6\nlost.out = 'shooters'"))  # fmt: skip
        outs = [(row["body"], row["detail"]) for row in rows(run, "out")]
        self.assertEqual(outs, [("gull-1", "gull-1 is removed"), ("keeper", "keeper has no health left"),
                                ("gull-2", "gull-2 is removed")])  # fmt: skip
        self.assertEqual(run.decided.word, "lost")
        self.assertAlmostEqual(run.decided.time / nivvo.core.numbers.clock.UNITS, rows(run, "out")[1]["time"], places=8)

    def test_it_breaks_off_what_damage_breaks_off(self):
        made = scene("at = [4, 0]\nmove.velocity = [-4, 0]\non_shooter.damage = 1",
                     case="lasts = 3\ninput = [{ t = 0, press = 'flare' }]").with_settings({
                         "ability.flare.firing": {"kind": "charge", "full_after": 2, "button": "flare",
                                                  "cancelled_by_damage": True},
                         "ability.flare.launch.speed": {"by": "held", "start": 1, "end": 9, "over": 2}})  # fmt: skip
        run = nivvo.fire(made)
        self.assertEqual(run.rows("shots"), [])
        (cut,) = [row for row in run.rows("states") if "damage" in row["why"]]
        self.assertAlmostEqual(cut["time"], rows(run, "touched a shooter")[0]["time"], delta=1e-9)

    def test_a_touch_can_decide_without_doing_anything_else(self):
        run = nivvo.fire(scene("at = [4, 0]\ngroup = 'gulls'\nmove.velocity = [-2, 0]", case="lost.touched = 'gulls'"))
        self.assertEqual((run.decided.word, run.decided.why), ("lost", "gull touches keeper"))
        with self.assertRaises(nivvo.DrillError) as caught:
            scene("at = [4, 0]\ngroup = 'gulls'", case="lost.touched = 'gull'")
        self.assertIn("did you mean gulls", str(caught.exception))

    def test_what_has_several_shapes_or_no_end_does_it_once(self):
        fall = "health = 50\nmove.velocity = [0, -2]\nshape = { capsule = [[-0.4, 0], [0.4, 0.2]], radius = 0.3 }"
        for keys, time in (
            ("shape.half_space = 'up'", (5 - 0.3) / 2),
            ("shape = { chain = [[-3, 0], [0, 0], [3, 0]], thick = 0.2 }", (5 - 0.4) / 2),
            ("parts = [{ shape.box = [2, 1] }, { at = [1, 0], shape.box = [2, 1] }]", (5 - 0.8) / 2),
        ):
            reef = f"at = [90, 0]\n[obstacle.reef]\n{keys}\non_shooter.damage = 10"
            run = nivvo.fire(scene(reef, at=[0, 5], shooter=fall, case="lasts = 4"))
            told = [
                (row["what"], row["body"])
                for row in run.rows("events")
                if row["what"] in ("touched a shooter", "damage")
            ]
            self.assertEqual(told, [("touched a shooter", "reef"), ("damage", "keeper")], keys)
            self.assertAlmostEqual(rows(run, "damage")[0]["time"], time, delta=1e-8)
            self.assertEqual([row["body"] for row in run.rows("bodies") if row["time"] == 0].count("reef"), 1)

    def test_what_is_looked_at_meanwhile_has_nobody_touch_him(self):
        live = nivvo.Live(scene("at = [-0.9, 0]\nshape.ball = 0.5\non_shooter = { damage = 1, every = 0.04 }", case=""))
        told = []
        for _ in range(20):
            self.assertGreater(len(live.preview("flare").points), 10)
            told += [event.what for event in live.step()]
        self.assertEqual(told.count("damage"), 9)

    def test_who_is_taken_away_just_before_he_touches_does_not(self):
        # At each tick before and after the touch; then one comes in his place, and touches anew.
        for tick in range(10, 34):
            live = nivvo.Live(
                scene("at = [-3, 0]\nshape.ball = 0.5\nmove.velocity = [4, 0]\non_shooter.damage = 1", case="")
            )
            told = [event.what for _ in range(tick) for event in live.step()]
            live.remove("gull")
            told += [event.what for _ in range(40) for event in live.step()]
            self.assertEqual(told.count("damage"), int(tick / 60 > 2.0 / 4.0))
            live.add("target", "gull", at=[-0.8, 0], shape={"ball": 0.5}, on_shooter={"damage": 1})
            told = [event.what for _ in range(5) for event in live.step()]
            self.assertEqual(told.count("damage"), 1)

    def test_live_tells_the_same(self):
        made = scene("at = [4, 0]\nmove = { chase = 'keeper', speed = 3 }\non_shooter = { damage = 20, every = 0.3 }\n"
                     "wave = { count = 2, every = 0.5, most = 1, when_full = 'turn away' }",
                     case="lasts = 3")  # fmt: skip
        run, live, told = nivvo.fire(made), nivvo.Live(made, compiled=False), []
        while live.time < 3:
            told += live.step()
        for what in ("touched a shooter", "damage", "out", "turned away", "wave complete", "wave cleared"):
            fired = [row["time"] for row in rows(run, what) if row["time"] < 3]
            np.testing.assert_allclose([one.time for one in told if one.what == what], fired, err_msg=what)

    def test_what_makes_no_sense_is_told(self):
        for keys, says in (("every = 1", "every goes with damage"), ("damage = -1", "damage"),
                           ("damage = 1, every = 1, removes = true", "that stays")):  # fmt: skip
            with self.assertRaises(nivvo.DrillError) as caught:
                scene(f"at = [4, 0]\non_shooter = {{ {keys} }}")
            self.assertIn(says, str(caught.exception))


class Many(unittest.TestCase):
    def test_nobody_is_overlooked_among_many(self):
        rng = np.random.default_rng(7)
        places = [[float(x) for x in rng.uniform(-9, 9, 2)] for _ in range(40)]
        places = [place for place in places if math.hypot(*place) > 2]
        text = "".join(
            f"[target.tern_{k}]\nat = {place}\nshape.ball = {0.1 + 0.01 * k:.2f}\non_shooter.damage = 1\n"
            f"move = {{ chase = 'keeper', speed = {1 + 0.1 * k:.2f} }}\n"
            for k, place in enumerate(places)
        )
        made = scene(f"at = [50, 50]\n{text}", world='view = "top"', case="lasts = 9")
        found = {row["body"]: row["time"] for row in rows(nivvo.fire(made), "touched a shooter")}
        self.assertEqual(len(found), len(places))
        for k, place in enumerate(places):
            # Straight toward him who stands: the way over the speed.
            way = math.hypot(*place) - 0.5 - (0.1 + round(0.01 * k, 2))
            self.assertAlmostEqual(found[f"tern_{k}"], way / (1 + round(0.1 * k, 2)), delta=1e-7)


class OverTime(unittest.TestCase):
    def test_bodies_are_where_closed_forms_say_tick_by_tick(self):
        run = nivvo.fire(scene("at = [4, 1]\nmove = { velocity = [1, 2], acceleration = [0, -3] }",
                               shooter="walk.speed = 2\nfacing_follows = 'movement'",
                               case="lasts = 2\n"
                                    "input = [{ t = 0.5, walk = [-1, 0] }, { t = 1, walk = [0, 0] }]"))  # fmt: skip
        table = run.bodies
        gull = table[table["body"] == "gull"]
        t = gull["time"].to_numpy()
        np.testing.assert_allclose(np.diff(t), 1 / 60, atol=1e-9)
        np.testing.assert_allclose(gull["x"], 4 + t, atol=1e-9)
        np.testing.assert_allclose(gull["y"], 1 + 2 * t - 1.5 * t * t, atol=1e-9)
        np.testing.assert_allclose(gull["speed"], np.hypot(1, 2 - 3 * t), atol=1e-9)
        keeper = table[table["body"] == "keeper"]
        # Only while it changes: at first, and as it walks.
        self.assertTrue(((keeper["time"] == 0) | (keeper["time"] >= 0.5 - 1e-9)).all())
        np.testing.assert_allclose(keeper["x"], -2 * np.clip(keeper["time"] - 0.5, 0, 0.5), atol=1e-9)
        self.assertEqual(keeper["facing"].tolist()[0], 0)
        self.assertEqual(keeper["facing"].tolist()[-1], 180)

    def test_round_a_point_and_at_given_times_in_every_view_and_step(self):
        for world, size in (("", 2), ('y = "down"', 2), ('view = "top"', 2), ('view = "space"', 3)):
            for motion in ("exact", "verlet"):
                high, circle = [1.5] * (size - 2), "move.circle = {{ centre = {}, turn_rate = -120 }}"
                way = f"at = {[7, 3, *high]}\n" + circle.format([5, 3, *high])
                run = nivvo.fire(scene(way, world=world, at=[0] * size, motion=motion, case="lasts = 2"))
                gull = run.bodies[run.bodies["body"] == "gull"]
                turns = np.radians(-120 * gull["time"])
                np.testing.assert_allclose(gull["x"], 5 + 2 * np.cos(turns), atol=1e-9)
                np.testing.assert_allclose(gull["y"], 3 + 2 * np.sin(turns), atol=1e-9)
                way = (
                    f"at = {[0, 0, *high]}\nmove.timed = {[[0.5, 1, 2, *high], [1.1, 4, 2, *high], [1.2, 4, 6, *high]]}"
                )
                run = nivvo.fire(scene(way, world=world, at=[9] * size, motion=motion, case="lasts = 2"))
                gull = run.bodies[run.bodies["body"] == "gull"]
                for axis, values in (("x", [0, 1, 4, 4]), ("y", [0, 2, 2, 6])):
                    there = np.interp(gull["time"], [0, 0.5, 1.1, 1.2], values)
                    np.testing.assert_allclose(gull[axis], there, atol=1e-7)
        for way, says in (("circle = { centre = [0, 0], turn_rate = 0 }", "goes nowhere"),
                          ("timed = [[1, 0, 0], [0.5, 1, 1]]", "later than"),
                          ("timed = [[0, 1, 1, 1]]", "[seconds, x, y]"),
                          ("circle = { centre = [0, 0], turn_rate = 9 }, chase = 'keeper'", "one of")):  # fmt: skip
            with self.assertRaises(nivvo.DrillError, msg=way) as caught:
                scene(f"at = [2, 0]\nmove = {{ {way} }}")
            self.assertIn(says, str(caught.exception), way)

    def test_a_shot_meets_what_goes_round_where_it_is(self):
        rate, tap = math.radians(428), "lasts = 3\ninput = [{ t = 0, tap = 'flare' }]"
        for gains, ticks in itertools.product((None, 8, 60), (20, 60, 240)):
            way = "at = [9, 0]\nmove = { circle = { centre = [7, 0], turn_rate = 428 }"
            made = scene(way + (f", speeds_up = {gains} }}" if gains else " }"), case=tap)
            settings = {"ability.flare.launch.speed": 9, "world.gravity": 0, "tick.rate": ticks}
            run = nivvo.fire(made.with_settings(settings))
            seen = run.stage.motions[run.scene.number["gull"]].seen
            stepped = nivvo.fire(made.with_settings(settings | {"tick.motion": "semi-implicit"}))
            for row in stepped.rows("contacts"):
                # There it goes straight over a tick, for all who look.
                middle = stepped.stage.centre(run.scene.number["gull"], round(row["time"] * clock.UNITS))
                self.assertAlmostEqual(math.hypot(row["x"] - middle[0], row["y"] - middle[1]), 0.5, delta=1e-9)
            for row in run.rows("contacts"):
                middle = seen(row["time"])[0]
                self.assertAlmostEqual(math.hypot(row["x"] - middle[0], row["y"] - middle[1]), 0.5, delta=1e-9)
            self.assertTrue(gains or run.rows("contacts"))
            # Two units from what it goes round; between ticks it is on a parabola that sets out along the circle.
            for time in np.linspace(0.0, 2.9, 99):
                (x, y, _), early = seen(time)[0], min(time, rate * 2 / gains) if gains else 0.0
                turn = (0.25 * gains * early * early if gains else 0.0) + rate * (time - early)
                off = math.hypot(x - 7 - 2 * math.cos(turn), y - 2 * math.sin(turn))
                self.assertLess(off, 2 * (rate / ticks) ** 3 / 25 + 1e-9)

    def test_where_nothing_says_how_long_it_is_till_the_last_flight_is_over(self):
        run = nivvo.fire(scene("at = [4, 1]\nmove.velocity = [0.5, 0]", case="input = [{ t = 0, tap = 'flare' }]"))
        ended = run.rows("projectiles")[0]["ended"]
        times = [row["time"] for row in run.rows("bodies") if row["body"] == "gull"]
        np.testing.assert_allclose(times, np.arange(len(times)) / 60, atol=1e-9)
        self.assertLess(abs(times[-1] - ended), 1 / 60 + 1e-9)

    def test_who_is_out_has_no_rows(self):
        run = nivvo.fire(scene("at = [4, 0]\nmove = { chase = 'keeper', speed = 3 }\n"
                               "on_shooter = { damage = 1, removes = true }", case="lasts = 4"))  # fmt: skip
        out = rows(run, "out")[0]["time"]
        self.assertLess(max(row["time"] for row in run.rows("bodies") if row["body"] == "gull"), out)


if __name__ == "__main__":
    unittest.main()
