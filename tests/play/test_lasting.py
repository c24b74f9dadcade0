"""Damage that goes on, damage by the place that is touched, and what follows a launch: each against a slow model."""

import math
import unittest

import numpy as np

import nivvo
from nivvo.errors import DrillError

TEXT = """nivvo = 1
{view}
tick = {{ rate = {rate} }}
[shooter.keeper]
health = 100
[ability.dart]
launch.speed = 40
flight.gravity_share = 0
shape.ball = 0.001
on.targets = {{ then = "end", {answer} }}
{more}
[target.wisp]
at = {at}
shape.box = {box}
health = {health}
{target}
[case.tap]
input = [{input}]
"""


def made(**keys):
    base = {"view": "", "rate": 60, "answer": "damage = 5", "more": "", "at": [6, 0], "box": [1, 2], "health": 1000,
            "target": "", "input": '{ t = 0, tap = "fire" }'}  # fmt: skip
    return nivvo.parse(TEXT.format(**{**base, **keys}))


def taps(*times):
    return ", ".join(f'{{ t = {t}, tap = "fire" }}' for t in times)


def slow(contacts, every, times, damage, adds):
    """When damage is done, of contacts at times: each begins its own row, or breaks off the one before."""
    out = []
    for k, start in enumerate(contacts):
        end = math.inf if adds or k + 1 == len(contacts) else contacts[k + 1]
        out += [(start + every * n, damage) for n in range(1, times + 1) if start + every * n <= end + 1e-12]
    return sorted(out)


class Lasting(unittest.TestCase):
    def test_it_is_done_at_its_times_renewed_or_added_at_any_rate(self):
        when = (0.0, 0.31, 0.74, 3.0)
        for rate in (30, 60, 144):
            for again in ("renews", "adds"):
                lasting = f'lasting = {{ damage = 2, every = 0.25, times = 5, again = "{again}" }}'
                run = nivvo.fire(made(rate=rate, answer=lasting, input=taps(*when)))
                contacts = [row["time"] for row in run.rows("contacts")]
                expected = slow(contacts, 0.25, 5, 2.0, again == "adds")
                rows = run.rows("effects")
                np.testing.assert_allclose([row["time"] for row in rows], [t for t, _ in expected], atol=1e-9)
                self.assertEqual(rows[-1]["after"], 1000 - 2.0 * len(expected))

    def test_it_goes_on_in_ticks_through_armour_until_the_body_is_out(self):
        lasting = 'lasting = { damage = 10, every = "6 ticks", times = 100 }'
        run = nivvo.fire(made(answer=lasting, health=25, target="armour = 2\nsoaks = 0.5"))
        self.assertEqual([row["amount"] for row in run.rows("effects")], [3.0] * 9)
        out = next(row for row in run.rows("events") if row["what"] == "out")
        self.assertAlmostEqual(out["time"], run.rows("contacts")[0]["time"] + 0.9, places=9)
        self.assertEqual(run.rows("totals")[0]["kills"], 1)

    def test_it_can_put_out_whom_a_later_shot_would_have_touched(self):
        lasting = "lasting = { damage = 10, every = 0.1, times = 1 }"
        run = nivvo.fire(made(answer=lasting, health=10, input=taps(0.0, 0.2)))
        self.assertEqual([row["ended_by"] for row in run.rows("projectiles")], ["contact", "life"])

    def test_live_it_is_told_step_by_step_and_ends_with_the_body(self):
        live = nivvo.Live(made(answer="lasting = { damage = 2, every = 0.25, times = 5 }"))
        live.press("fire")
        told = [event for _ in range(60) for event in live.step() if event.what == "damage"]
        self.assertEqual(len(told), 3)
        kept = live.snapshot()
        again = [[event.what for event in live.step()] for _ in range(60)]
        live.restore(kept)
        self.assertEqual(again, [[event.what for event in live.step()] for _ in range(60)])
        live.restore(kept)
        live.remove("wisp")
        self.assertFalse([event for _ in range(60) for event in live.step()])


class ByPlace(unittest.TestCase):
    def test_off_the_middle_or_a_spot_on_a_turned_face(self):
        damage = 'damage = { by = "off_middle", points = [[0, 100], [0.5, 40], [1, 10]] }'
        for tilt in (0, 35, -60, 140):
            for spot in ((0.0, 0.0), (0.3, 0.2)):
                for off in (0.0, 0.2, 0.6, 1.4):
                    s, c = math.sin(math.radians(tilt)), math.cos(math.radians(tilt))
                    # The face that looks back at the shooter, and a point so far along it from the spot.
                    n, along = (
                        (np.array([-c, -s]), np.array([-s, c])) if c > 0 else (np.array([c, s]), np.array([s, -c]))
                    )
                    foot = 0.1 * n + (np.array(spot) @ along + off) * along
                    target = f"spot = {list(spot)}\nshape.turned = {tilt}"
                    at = [float(6 - foot[0]), float(-foot[1])]
                    run = nivvo.fire(made(at=at, box=[0.2, 6], answer=damage, target=target))
                    expected = np.interp(off, [0, 0.5, 1], [100, 40, 10])
                    self.assertAlmostEqual(run.rows("effects")[0]["amount"], expected, delta=0.5, msg=(tilt, spot, off))

    def test_by_the_side_that_is_touched_front_back_and_along_its_way(self):
        steps = 'damage = { by = "from_front", points = [[0, 10], [90, 20], [180, 60]] }'
        for front, expected in ((180, 10), (0, 60), (90, 20), (-90, 20), (135, 15), (45, 40)):
            run = nivvo.fire(made(answer=steps, target=f"front = {front}"))
            self.assertAlmostEqual(run.rows("effects")[0]["amount"], expected, delta=1e-6)
        for velocity, expected in (([-3, 0], 10), ([3, 0], 60), ([0, 0.001], 20)):
            run = nivvo.fire(made(answer=steps, target=f"move.velocity = {velocity}"))
            self.assertAlmostEqual(run.rows("effects")[0]["amount"], expected, delta=1e-6)

    def test_by_the_speed_at_which_it_comes_as_the_body_sees_it(self):
        steps = 'damage = { by = "speed", start = 0, end = 80, over = 80 }'
        for view, zero in (("", []), ('world.view = "top"', []), ('world.view = "space"', [0])):
            for velocity in (0.0, -4.5, 3.0):
                at, box = [6, 0, *zero], [1, 2, *[2 for _ in zero]]
                way = [velocity, 0.5 * velocity, *zero]
                run = nivvo.fire(made(view=view, at=at, box=box, answer=steps, target=f"move.velocity = {way}"))
                row, speed = run.rows("effects")[0], run.rows("projectiles")[0]["end_speed"]
                self.assertAlmostEqual(row["amount"], math.hypot(speed - velocity, 0.5 * velocity), delta=1e-9)

    def test_in_space_by_direction_and_elevation(self):
        steps = 'damage = { by = "from_front", points = [[0, 0], [180, 180]] }'
        for front, angle in (([180, 0], 0), ([0, 0], 180), ([0, 90], 90), ([180, 60], 60), ([120, 0], 60)):
            run = nivvo.fire(made(view='world.view = "space"', at=[6, 0, 0], box=[1, 2, 2], answer=steps,
                                  target=f"front = {front}"))  # fmt: skip
            found = run.rows("effects")
            self.assertAlmostEqual(found[0]["amount"] if found else 0.0, angle, delta=1e-11)

    def test_a_shooter_is_struck_from_where_it_faces_by_then(self):
        more = """[shooter.rival]
at = [6, 0]
facing = "right"
facing_follows = "movement"
walk.speed = 0.001
health = 100
group = "rivals"
"""
        steps = 'on.rivals = { then = "end", damage = { by = "from_front", points = [[0, 10], [180, 60]] } }'
        other = "[ability.none]\nshooter = 'rival'\nlaunch.speed = 1\nfiring.button = 'no'"
        drill = made(more=steps + "\n" + more + other,
                     at=[20, 0], input='{ t = 0, tap = "fire", shooter = "keeper" }, '
                     '{ t = 0.5, walk = [-1, 0], shooter = "rival" }, '
                     '{ t = 1, tap = "fire", shooter = "keeper" }')  # fmt: skip
        run = nivvo.fire(drill.with_settings({"ability.dart.shooter": "keeper"}))
        self.assertEqual([round(row["amount"], 6) for row in run.rows("effects")], [60, 10])


class Fired(unittest.TestCase):
    def test_what_follows_a_launch_leaves_with_each_projectile_and_not_again(self):
        more = """launch.count = 3
launch.fan = 40
when.fired = { sends = { ability = "spark", speed = "kept", speed_share = 0.5 }, blast = { radius = 1, damage = 7 } }
[ability.spark]
launch.speed = 1
flight.gravity_share = 0
limits.life = 0.2
when.fired.sends.ability = "spark"
"""
        run = nivvo.fire(made(more=more, at=[60, 0], health=10))
        births = run.rows("births")
        darts = [row for row in births if row["projectile"].startswith("dart")]
        sparks = [row for row in births if row["parent"].startswith("dart")]
        again = [row for row in births if row["parent"].startswith("spark")]
        self.assertEqual((len(darts), len(sparks), len(again)), (3, 3, 0))
        for dart, spark in zip(darts, sparks, strict=True):
            np.testing.assert_allclose([spark["x"], spark["y"]], [dart["x"], dart["y"]])
            np.testing.assert_allclose([spark["vx"], spark["vy"]], [dart["vx"] / 2, dart["vy"] / 2])
        # The muzzle flash burns its own shooter, unless that is spared.
        self.assertEqual([row["amount"] > 0 for row in run.rows("effects") if row["body"] == "keeper"], [True] * 3)


class Told(unittest.TestCase):
    def test_what_makes_no_sense(self):
        for answer, says in (
            ("lasting = { damage = 2, every = 0, times = 3 }", "more than 0 s"),
            ("lasting = { damage = 2, every = 0.1, times = 0 }", "times"),
            ("lasting = { damage = -2, every = 0.1, times = 2 }", "damage"),
            ("damage = { by = 'off_middel', points = [[0, 1]] }", "off_middle"),
            ("damage = { by = 'from_front', start = 3 }", "needs"),
        ):
            with self.assertRaises(DrillError, msg=answer) as caught:
                made(answer=answer)
            self.assertIn(says, str(caught.exception), answer)
        with self.assertRaises(DrillError) as caught:
            made(target="spot = [1, 2, 3]")
        self.assertIn("spot", str(caught.exception))
        with self.assertRaises(DrillError) as caught:
            made(more="launch.elevation = { by = 'off_middle', points = [[0, 1]] }")
        self.assertIn("settled at launch", str(caught.exception))


if __name__ == "__main__":
    unittest.main()
