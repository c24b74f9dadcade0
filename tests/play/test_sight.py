"""Sights, cameras, assistance and limits: against geometry worked out beside them."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

import nivvo
from nivvo.core.numbers import frame as frames
from nivvo.play.aims.sighting import ray_of
from nivvo.spec.abilities.ability import Camera

SPACE = """nivvo = 1
world.view = "space"
[shooter.keeper]
at = [0, 0, 1]
eye.up = 0.7
muzzle.hand.forward = 0.6
muzzle.hand.right = 0.4
muzzle.hand.up = -0.3
[obstacle.crate]
at = [20, 3, 2]
shape.box = [2, 2, 2]
{more}
[ability.bolt]
aim.by = "sight"
launch.speed = 80
flight.gravity_share = 0
{ability}
[case.look]
input = [{{ t = 0, {control}, tap = "fire" }}]
"""


def look(control="look = [8.5, 1.5]", ability="", more=""):
    return nivvo.fire(nivvo.parse(SPACE.format(control=control, ability=ability, more=more)))


class Sights(unittest.TestCase):
    def test_the_shot_converges_on_what_the_eye_sees(self):
        run = look()
        shot = run.fired[0]
        eye, turn, rise = np.array([0, 0, 1.7]), np.radians(8.5), np.radians(1.5)
        ray = np.array([np.cos(rise) * np.cos(turn), np.cos(rise) * np.sin(turn), np.sin(rise)])
        # The near face of the crate is the plane x = 19.
        np.testing.assert_allclose(shot.aim_point, eye + ray * 19 / ray[0], atol=1e-9)
        to = shot.aim_point - shot.at
        np.testing.assert_allclose(shot.heading, to / np.linalg.norm(to), atol=1e-12)
        touch = run.rows("contacts")[0]
        self.assertEqual(touch["body"], "crate")
        self.assertIn("the sight is on crate", shot.note)

    def test_a_blocked_muzzle_line_is_told_or_refused_and_a_free_one_is_not(self):
        post = "[obstacle.post]\nat = [8, 0.9, 0]\nshape.capsule = [[0, 0, 0], [0, 0, 2]]\nradius = 0.1\n"
        post = post.replace("radius", "shape.radius")
        run = look(more=post)
        self.assertIn("the sight is on crate", run.fired[0].note)
        self.assertIn("blocked: post hides the aim point", run.fired[0].note)
        self.assertEqual(run.rows("contacts")[0]["body"], "post")
        refused = look(more=post, ability='aim.line_blocked = "refuse"')
        self.assertEqual(len(refused.fired), 0)
        self.assertIn("blocked: post", refused.rows("events")[0]["detail"])
        self.assertNotIn("blocked", look().fired[0].note)

    def test_with_nothing_in_sight_it_does_as_it_is_told(self):
        away = "look = [180, 30]"
        run = look(away, "aim.sight_range = 300")
        self.assertAlmostEqual(np.linalg.norm(run.fired[0].aim_point - (0, 0, 1.7)), 300, delta=1e-9)
        self.assertIn("far point", run.fired[0].note)
        self.assertIn("the sight meets nothing", look(away, 'aim.without_target = "refuse"').refused[0].refused)
        text = SPACE.format(control="look = [8.5, 1.5]", ability='aim.without_target = "keep"', more="")
        text = text.replace('tap = "fire" }]', 'tap = "fire" }, { t = 0.2, look = [180, 30], tap = "fire" }]')
        first, second = nivvo.fire(nivvo.parse(text)).fired
        np.testing.assert_allclose(first.heading, second.heading)
        self.assertIn("last aim", second.note)

    def test_who_seeks_and_finds_nothing_fires_at_a_far_point_keeps_its_aim_or_does_not_fire(self):
        text = """nivvo = 1
world.view = "top"
[shooter.keeper]
at = [0, 0]
facing = 30
muzzle.hand.forward = 0.8
muzzle.hand.right = 0.5
[target.wisp]
at = [9, 0]
move.velocity = {moves}
[ability.bolt]
aim = {{ by = "{by}", without_target = "{otherwise}", sight_range = 50, within = 12 }}
launch.speed = 20
limits.life = 0.1
[case.two]
input = [{{ t = 0, tap = "fire" }}, {{ t = 1, tap = "fire" }}]
"""
        for by in ("nearest", "lead"):
            for otherwise in ("far", "keep", "facing", "refuse"):
                run = nivvo.fire(nivvo.parse(text.format(by=by, otherwise=otherwise, moves="[9, 0]")))
                self.assertEqual(len(run.fired), 1 if otherwise == "refuse" else 2)
                if otherwise == "refuse":
                    self.assertIn("nothing to aim at", run.refused[0].refused)
                    continue
                first, second = run.fired
                facing = np.array([np.cos(np.pi / 6), np.sin(np.pi / 6), 0])
                away = 50 * facing - second.at
                goal = {"far": away / np.linalg.norm(away), "keep": first.heading, "facing": facing}[otherwise]
                np.testing.assert_allclose(second.heading, goal, atol=1e-9, err_msg=f"{by} {otherwise}")

    def test_in_2d_the_eye_looks_along_a_direction(self):
        made = nivvo.parse("""nivvo = 1
world.view = "top"
[shooter.keeper]
at = [0, 0]
[target.wisp]
at = [0, -900]
[ability.bolt]
aim.by = "sight"
launch.speed = 700
[case.look]
input = [{ t = 0, look = [-90], tap = "fire" }]
check = [{ hits = "wisp" }]
""")
        self.assertTrue(nivvo.check(made)[0].passed)

    def test_a_sight_that_begins_inside_a_body_looks_through_it_and_says_so(self):
        shed = "[obstacle.shed]\nat = [0, 0, 1.7]\nshape.box = [4, 4, 4]\n"
        run = look(more=shed, ability="on.anything.then = 'pass'")
        self.assertIn("begins inside shed", run.fired[0].note)
        self.assertIn("the sight is on crate", run.fired[0].note)

    @given(st.floats(-170, 170), st.floats(-80, 80), st.floats(20, 120), st.floats(0, 1), st.floats(0, 1))
    def test_a_point_on_the_screen_is_where_the_camera_projects_it(self, turn, rise, fov, x, y):
        frame = frames.space()
        camera = Camera(at=[1.0, 2.0, 3.0], look=[turn, rise], field_of_view=fov, screen=[1600.0, 900.0])
        ray = ray_of(frame, camera, [x * 1600, y * 900])
        forward, right, up = frame.triad(frame.raised(frame.direction(turn), rise), frame.forward)
        depth, focal = ray @ forward, 450 / np.tan(np.radians(fov / 2))
        self.assertAlmostEqual(800 + focal * (ray @ right) / depth, x * 1600, delta=1e-6)
        self.assertAlmostEqual(450 - focal * (ray @ up) / depth, y * 900, delta=1e-6)
        np.testing.assert_allclose(ray_of(frame, camera, None), forward, atol=1e-12)

    def test_through_a_camera_behind_the_shooter(self):
        camera = "aim.camera.at = [-4, -1, 3]\naim.camera.look = [0, 0]\naim.camera.screen = [1000, 500]"
        focal = 250 / np.tan(np.radians(30))
        goal = np.array([19.0, 3.2, 2.3])
        away = goal - (-4, -1, 3)
        x, y = 500 - focal * away[1] / away[0], 250 - focal * away[2] / away[0]
        run = look(f"screen = [{x}, {y}]", camera)
        np.testing.assert_allclose(run.fired[0].aim_point, goal, atol=1e-9)


class Limits(unittest.TestCase):
    def top(self, stick, keys, facing=0):
        made = nivvo.parse(f"""nivvo = 1
world.view = "top"
[shooter.keeper]
facing = {facing}
[ability.bolt]
aim.by = "stick"
launch.speed = 100
limits.life = 0.1
{keys}
[case.turn]
input = [{{ t = 0, stick = [{stick[0]}, {stick[1]}], tap = "fire" }}]
""")
        return nivvo.fire(made).rows("shots")[0]

    def test_a_launcher_that_cannot_look_behind_tells_what_remains(self):
        for facing in (0, 30, 170, -135):
            for off in (-170, -60, -45, 0, 30, 90, 135):
                turn = np.radians(facing + off)
                row = self.top([np.cos(turn), np.sin(turn)], "aim.direction_within = [-45, 90]", facing)
                kept = min(max(off, -45), 90)
                left = (row["direction"] - facing - kept + 180) % 360 - 180
                self.assertAlmostEqual(left, 0.0, delta=1e-6)
                self.assertAlmostEqual(row["aim_remains"], abs(off - kept), delta=1e-6)
                self.assertAlmostEqual(row["speed"], 100, delta=1e-9)

    def test_elevation_limits_hold_in_side_view_and_for_solved_arcs(self):
        base = """nivvo = 1
{y}
[shooter.keeper]
at = [0, 0]
[ability.lob]
aim.by = "cursor"
aim.elevation_within = [-10, 50]
{launch}
[case.throw]
input = [{{ t = 0, cursor = {cursor}, tap = "fire" }}]
"""
        for up, y in ((1, ""), (-1, 'world.y = "down"')):
            for cursor, kept in (([3, 9], 50), ([9, -9], -10), ([9, 2], None)):
                at = [cursor[0], cursor[1] * up]
                row = nivvo.fire(nivvo.parse(base.format(y=y, launch="launch.speed = 20", cursor=at))).rows("shots")[0]
                straight = np.degrees(np.arctan2(cursor[1], cursor[0]))
                self.assertAlmostEqual(
                    row["elevation"], straight if kept is None else kept, delta=1.0 if kept is None else 1e-9
                )
                self.assertEqual(row["aim_remains"] > 0, kept is not None)
            arc = 'launch.arc = "high"\nlaunch.speed = 20'
            row = nivvo.fire(nivvo.parse(base.format(y=y, launch=arc, cursor=[9, up]))).rows("shots")[0]
            self.assertAlmostEqual(row["elevation"], 50, delta=1e-9)
            self.assertIn("held by its limits", row["note"])

    def test_assistance_bends_no_more_than_it_may_and_only_within_its_cone(self):
        wisp = "[target.wisp]\nat = [{}, {}]\n"
        for off, cone, bend, expected in ((4, 20, 9, 4), (8, 20, 3, 3), (12, 20, 9, 0), (-6, 20, 2, -2)):
            turn = np.radians(off)
            keys = f"aim.assist.cone = {cone}\naim.assist.max_turn = {bend}"
            text = keys + "\n" + wisp.format(1000 * np.cos(turn), 1000 * np.sin(turn))
            made = f'nivvo = 1\nworld.view = "top"\n[ability.bolt]\naim.by = "stick"\nlaunch.speed = 900\n{text}'
            made += '[case.aim]\ninput = [{ t = 0, stick = [1, 0], tap = "fire" }]\n'
            row = nivvo.fire(nivvo.parse(made)).rows("shots")[0]
            self.assertAlmostEqual(row["direction"], expected, delta=0.35 if abs(expected) == 4 else 1e-9)
            self.assertEqual("assisted" in row["note"], expected != 0)

    def test_over_all_stick_angles_the_speed_is_one(self):
        rows = ", ".join(
            f"{{t={k / 60}, stick=[{np.cos(a):.9f}, {np.sin(a):.9f}], tap='fire'}}"
            for k, a in enumerate(np.linspace(0, 2 * np.pi, 3600, endpoint=False))
        )
        made = nivvo.parse(
            'nivvo = 1\nworld.view = "top"\n[ability.bolt]\naim.by = "stick"\nlaunch.speed = 700\n'
            f"limits.life = 0.01\n[case.rose]\ninput = [{rows}]\n"
        )
        speeds = [row["speed"] for row in nivvo.fire(made, keep="contacts").rows("shots")]
        self.assertEqual(len(speeds), 3600)
        np.testing.assert_allclose(speeds, 700, rtol=1e-12)
