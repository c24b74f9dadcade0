"""Launches by other means than a speed; solved arcs with drag and inherited velocity; headings; cheaper previews."""

import unittest

import numpy as np

import nivvo
from tests.play.drills import drill
from tests.play.test_arcs import ARCS, lob, miss


class Sources(unittest.TestCase):
    def test_components_mirror_with_the_facing_and_tell_speed_and_elevation(self):
        for facing, sign in (("right", 1), ("left", -1)):
            made = drill(shooter=f'at = [0, 1]\nfacing = "{facing}"').with_settings({})
            text = made.document.tables
            text["ability"]["flare"]["launch"] = {"velocity": [9.0, 12.0]}
            row = nivvo.fire(nivvo.from_tables(text)).rows("shots")[0]
            self.assertEqual((row["vx"], row["vy"]), (9.0 * sign, 12.0))
            self.assertAlmostEqual(row["speed"], 15.0, delta=1e-12)
            self.assertAlmostEqual(row["elevation"], np.degrees(np.arctan2(12, 9)), delta=1e-9)

    def test_in_3d_they_are_forward_right_and_up_of_the_aim(self):
        text = """nivvo = 1
world.view = "space"
world.hand = "{hand}"
[ability.lob]
aim.by = "fixed"
aim.direction = 90
launch.velocity = [6, 2, 3]
limits.life = 0.1
"""
        for hand, right in (("right", 2.0), ("left", -2.0)):
            row = nivvo.fire(nivvo.parse(text.format(hand=hand))).rows("shots")[0]
            np.testing.assert_allclose([row["vx"], row["vy"], row["vz"]], [right, 6.0, 3.0], atol=1e-12)

    def test_impulse_over_mass_and_a_force_over_one_tick(self):
        made = drill(ability="mass = 0.4").document.tables
        del made["ability"]["flare"]["launch"]["speed"]
        made["ability"]["flare"]["launch"]["impulse"] = 6.0
        self.assertAlmostEqual(nivvo.fire(nivvo.from_tables(made)).rows("shots")[0]["speed"], 15.0, delta=1e-12)
        del made["ability"]["flare"]["launch"]["impulse"]
        made["ability"]["flare"]["launch"]["one_tick_force"] = 360.0
        for rate in (30.0, 60.0, 144.0):
            made["tick"] = {"rate": rate}
            row = nivvo.fire(nivvo.from_tables(made)).rows("shots")[0]
            self.assertAlmostEqual(row["speed"], 360.0 / rate / 0.4, delta=1e-9)
            self.assertIn("force over a tick", row["note"])


class Arcs(unittest.TestCase):
    def test_what_a_moving_shooter_gives_along_is_reckoned_in(self):
        for view, drift in (("side up", "[3, 1]"), ("space z", "[2, -3, 1]"), ("top with height", "[-2, 3, 0.5]")):
            for arc in ("low", "high", "by flight time", "by elevation"):
                for drag in ("", "flight.drag.square = 0.01"):
                    moves, more = f"move.velocity = {drift}", f"inherit_velocity = 0.7\n{drag}"
                    made, point = lob(view, ARCS[arc].replace("22", "26"), shooter=moves, more=more)
                    run = nivvo.fire(made)
                    self.assertLess(miss(run, point), 1e-6)
                    if "speed" in ARCS[arc]:
                        own = 0.7 * run.fired[0].stance.velocity
                        self.assertAlmostEqual(np.linalg.norm(run.fired[0].velocity - own), 26.0, delta=1e-6)

    def test_the_arc_that_clears_the_wall_is_taken(self):
        wall = "[obstacle.wall]\nat = [11, 0]\nshape.box = [1, {tall}]\n"
        for tall, margin, expected in ((4, 0.2, "low"), (7, 0.2, "high"), (60, 0.2, None), (4, 4.0, "high")):
            keys = f'launch.clears = "wall"\nlaunch.margin = {margin}'
            made, _ = lob(launch=f"{ARCS['low']}\n{keys}", text=wall.format(tall=tall))
            run = nivvo.fire(made)
            if expected is None:
                self.assertIn("no arc clears", run.refused[0].refused)
                continue
            self.assertIn(f"the {expected} arc, which clears wall", run.fired[0].note)
            gap = nivvo.closest(run, "wall").gap
            self.assertGreaterEqual(gap, margin - 1e-6)
            said = float(run.fired[0].note.split("by ")[1].split(" m")[0])
            self.assertAlmostEqual(said, gap, delta=0.02)
        # One that is yet to come hides nothing.
        made, _ = lob(launch=f"{ARCS['low']}\nlaunch.clears = 'wall'", text=wall.format(tall=60) + "arrives = 60\n")
        self.assertIn("the low arc, what it is to clear is not there", nivvo.fire(made).fired[0].note)

    def test_out_of_reach_with_drag_is_refused_with_the_least_speed_that_reaches(self):
        drag = "flight.drag.square = 0.02"
        made, _ = lob(launch='launch.arc = "low"\nlaunch.speed = 12', more=drag)
        words = nivvo.fire(made).refused[0].refused
        self.assertIn("out of reach", words)
        least = float(words.split("least speed is ")[1].split(" ")[0])
        for factor, reaches in ((0.99, False), (1.01, True)):
            made, _ = lob(launch=f'launch.arc = "low"\nlaunch.speed = {least * factor}', more=drag)
            self.assertEqual(len(nivvo.fire(made).fired), int(reaches))
        far, _ = lob(launch='launch.arc = "low"\nlaunch.speed = 12\nlaunch.out_of_reach = "farthest"', more=drag)
        run = nivvo.fire(far)
        self.assertIn("as far as it goes", run.fired[0].note)

    def test_under_thrust_the_low_arc_may_be_the_only_one(self):
        thrust = "flight.thrust = { acceleration = 20, along = 'velocity' }"
        made, point = lob(launch='launch = { arc = "low", speed = 10 }', more=thrust)
        self.assertLess(miss(nivvo.fire(made), point), 1e-6)
        refused = nivvo.fire(made.with_settings({"ability.lob.launch.arc": "high"})).refused[0].refused
        self.assertIn("no high arc reaches the aim point at 10 m/s; the least speed is ", refused)

    def test_every_arc_meets_what_moves_and_accelerates(self):
        base = """nivvo = 1
{tick}
[shooter.keeper]
at = [0, 1]
move.velocity = [2, 0]
[target.wisp]
at = [16, 3]
shape.ball = 0.001
move.velocity = [-2, 0.5]
move.acceleration = [0.3, -0.4]
[ability.lob]
aim.by = "lead"
inherit_velocity = 0.5
shape.ball = 0.001
limits.life = 20
{launch}
{drag}
"""
        for arc in ARCS:
            for drag in ("", "flight.drag.square = 0.01"):
                for tick in ("", 'tick.motion = "semi-implicit"'):
                    made = nivvo.parse(base.format(tick=tick, launch=ARCS[arc].replace("22", "26"), drag=drag))
                    run = nivvo.fire(made)
                    self.assertEqual([shot.refused for shot in run.refused], [], (arc, drag, tick))
                    # In a game's own step both go straight inside a tick, so that bodies as small may pass by.
                    near = nivvo.closest(run, "wisp").gap
                    self.assertLess(near, 1e-6 if not tick else 3e-3, (arc, drag, tick))

    def test_lead_through_drag_meets_what_accelerates(self):
        made = nivvo.parse("""nivvo = 1
[shooter.keeper]
at = [0, 1]
[target.wisp]
at = [20, 4]
shape.ball = 0.01
move.velocity = [-3, 1]
move.acceleration = [0.5, -0.8]
[ability.dart]
aim.by = "lead"
shape.ball = 0.01
launch.speed = 30
flight.drag.square = 0.01
""")
        run = nivvo.fire(made)
        self.assertEqual(run.rows("contacts")[0]["body"], "wisp")
        row = run.rows("contacts")[0]
        self.assertGreater(row["angle"], 60.0)


class Mirrors(unittest.TestCase):
    def test_mirrored_worlds_have_mirrored_flights_to_the_bit(self):
        text = """nivvo = 1
tick.motion = "{step}"
[shooter.keeper]
at = [{x0}, 1]
facing = "{facing}"
walk.speed = 3
walk.acceleration = 7
walk.jump = 4
muzzle.hand.forward = 0.8
muzzle.hand.up = 0.2
[obstacle.post]
at = [{x1}, 4]
shape.box = [0.6, 8]
[ability.lob]
launch.speed = 17
launch.elevation = 33
launch.count = 5
launch.scatter = 4
inherit_velocity = 0.6
flight.drag.linear = 0.1
flight.drag.square = 0.01
limits.life = 3
[case.run]
input = [{{ t = 0, walk = [{way}, 0] }}, {{ t = 0.31, tap = "jump" }}, {{ t = 0.5, tap = "fire" }}]
"""
        mirror = np.array([-1.0, 1.0, 1.0])
        for step in ("exact", "semi-implicit", "verlet"):
            right = nivvo.fire(nivvo.parse(text.format(step=step, x0=-1.5, x1=9.25, facing="right", way=0.7)))
            left = nivvo.fire(nivvo.parse(text.format(step=step, x0=1.5, x1=-9.25, facing="left", way=-0.7)))
            self.assertEqual(list(right.ids.values()), list(left.ids.values()))
            for name in right.ids.values():
                here, there = right.flight(name), left.flight(name)
                np.testing.assert_array_equal(here.t, there.t)
                np.testing.assert_array_equal(here.p * mirror, there.p)
                np.testing.assert_array_equal(here.v * mirror, there.v)
            self.assertTrue(any(row["body"] == "post" for row in right.rows("contacts")))

    def test_turned_spaces_have_turned_flights(self):
        text = """nivvo = 1
world.view = "space"
[shooter.keeper]
at = [0, 0, 1]
facing = {turn}
move.velocity = {drift}
muzzle.hand.forward = 0.7
muzzle.hand.right = 0.3
[ability.lob]
aim.by = "cursor"
launch.speed = 20
launch.arc = "low"
inherit_velocity = 0.5
flight.drag.square = 0.01
[case.throw]
input = [{{ t = 0, cursor = {point}, tap = "fire" }}]
"""
        base = None
        for turn in (0, 90, 37):
            s, c = np.sin(np.radians(turn)), np.cos(np.radians(turn))
            axes = np.array([[c, s, 0], [-s, c, 0], [0, 0, 1.0]])
            point, drift = (np.array([14.0, 3.0, 0.5]) @ axes).tolist(), (np.array([1.0, -2.0, 0.0]) @ axes).tolist()
            shot = nivvo.fire(nivvo.parse(text.format(turn=turn, point=point, drift=drift))).fired[0]
            found = np.concatenate([axes @ shot.at, axes @ shot.velocity])
            base = found if base is None else base
            np.testing.assert_allclose(found, base, rtol=0, atol=1e-9)


class Headings(unittest.TestCase):
    def path(self, heading):
        run = nivvo.fire(drill(ability=heading))
        return run.path("flare-1")

    def test_follows_keeps_or_spins_with_its_error(self):
        path = self.path("")
        np.testing.assert_allclose(path["heading_error"], 0.0, atol=1e-9)
        np.testing.assert_allclose(path["heading_direction"], np.degrees(np.arctan2(path["vy"], path["vx"])), atol=1e-9)
        path = self.path('heading.follows = "launch"')
        np.testing.assert_allclose(path["heading_direction"], 40.0, atol=1e-9)
        fall = 40.0 - np.degrees(np.arctan2(path["vy"], path["vx"]))
        np.testing.assert_allclose(path["heading_error"], fall, atol=1e-6)
        path = self.path('heading.follows = "spin"\nheading.spin = 720')
        turned = (path["heading_direction"] - 40.0 - 720.0 * path["time"] + 180.0) % 360.0 - 180.0
        np.testing.assert_allclose(turned, 0.0, atol=1e-6)

    def test_a_model_whose_front_is_another_axis_is_turned_the_less(self):
        for front, off in (("+x", 0.0), ("+y", -90.0), ("-x", 180.0), ("-y", 90.0)):
            path = self.path(f'heading.front = "{front}"')
            turned = (path["model_turn"] - path["heading_direction"] - off + 180.0) % 360.0 - 180.0
            np.testing.assert_allclose(turned, 0.0, atol=1e-9)

    def test_a_capsule_is_swept_as_its_tip_and_its_tail_counts_for_clearance(self):
        keys = "shape.capsule = [[-0.8, 0], [0, 0]]\nshape.radius = 0.05"
        shooter = "at = [0, 1]\nshape.ball = 0.5\nmuzzle.hand.forward = 0.7"
        run = nivvo.fire(drill(ability=keys, shooter=shooter))
        ball = nivvo.fire(drill(ability="shape.ball = 0.05", shooter=shooter))
        self.assertEqual(run.rows("contacts"), ball.rows("contacts"))
        self.assertAlmostEqual(ball.rows("shots")[0]["clearance"], 0.15, delta=1e-12)
        # The tail reaches 0.1 beyond the middle of the body, and the middle lies deepest.
        self.assertAlmostEqual(run.rows("shots")[0]["clearance"], -0.55, delta=1e-9)


class Cheaper(unittest.TestCase):
    def test_the_plain_parabola_is_the_flight_where_nothing_else_acts(self):
        found = nivvo.plain_preview(drill())
        self.assertLess(found.largest_gap, 1e-9)
        self.assertAlmostEqual(found.covered, found.lasts, delta=1e-3)

    def test_with_drag_its_gap_is_that_to_the_closed_form(self):
        k = 0.3
        found = nivvo.plain_preview(drill(ability=f"flight.drag.linear = {k}"))
        t = np.linspace(0.0, found.covered, 3000)
        v = 18 * np.array([np.cos(np.radians(40)), np.sin(np.radians(40))])
        g = np.array([0.0, -9.81])
        share = ((1 - np.exp(-k * t)) / k)[:, None]
        gap = v * t[:, None] + g * t[:, None] ** 2 / 2 - v * share - g * (t[:, None] - share) / k
        self.assertAlmostEqual(found.largest_gap, np.linalg.norm(gap, axis=1).max(), delta=1e-3 * found.largest_gap)
        self.assertGreater(found.gap_at_landing, 1.0)

    def test_a_semi_implicit_game_falls_short_of_it_by_its_known_error(self):
        found = nivvo.plain_preview(drill(tick='motion = "semi-implicit"\nrate = 30'))
        # Symplectic Euler is g h t / 2 below the parabola.
        self.assertAlmostEqual(found.largest_gap, 9.81 / 30 * found.at / 2, delta=1e-6 + 9.81 / 30 / 30)

    def test_it_ends_where_it_would_strike_first(self):
        wall = "[obstacle.beam]\nat = [15, 8.2]\nshape.box = [4, 0.5]\n"
        made = drill(text=wall, ability="flight.drag.linear = 0.5")
        found = nivvo.plain_preview(made)
        self.assertLess(found.covered, found.lasts)
        self.assertAlmostEqual(found.points[-1][1], 7.85, delta=0.05)

    def test_bodies_can_be_told_to_stand(self):
        made = drill(text="[target.gull]\nat = [24, 8]\nmove.velocity = [0, -4]\nshape.ball = 1\n")
        moving, still = nivvo.preview(made), nivvo.preview(made, bodies="still")
        self.assertEqual((moving.bodies, still.bodies), ("moving", "still"))
        self.assertNotEqual(len(moving.points), len(still.points))
        left, right = moving.edges()
        np.testing.assert_allclose(np.linalg.norm(left - right, axis=1), 2 * moving.radius, rtol=1e-9)
        with self.assertRaisesRegex(nivvo.CallError, '"moving" or "still"'):
            nivvo.preview(made, bodies="frozen")
