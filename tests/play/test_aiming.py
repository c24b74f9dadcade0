"""Muzzles and aims: what leaves where, in every view, against the geometry itself."""

import unittest

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

import nivvo
from nivvo.core.launching.muzzle import AT_POINT, BEHIND, offset_to, through
from nivvo.core.numbers import frame as frames
from nivvo.plan.case import scene_of
from tests.core.test_frame import FRAMES
from tests.play.drills import drill

coordinates = st.floats(-20, 20)
offsets = st.tuples(st.floats(-0.2, 2), st.floats(-0.6, 0.6), st.floats(-0.6, 0.6))


class Through(unittest.TestCase):
    @given(st.sampled_from(sorted(FRAMES)), st.tuples(*[coordinates] * 3), offsets, st.booleans())
    @example("side down", (1.898733165094826e-162, 1.898733165094826e-162, 0.0), (1.0, 0.0, 0.0), True)
    @example("side down", (1e-155, 3e-156, 0.0), (0.0, 0.0, 0.0), True)
    def test_the_line_from_the_muzzle_meets_the_point(self, name, point, offset, follows_aim):
        f = FRAMES[name]
        point = np.array(point) if f.size == 3 else np.array([*point[:2], 0.0])
        offset = (offset[0], 0.0 if f.view == "side" else offset[1], offset[2] if f.vertical else 0.0)
        facing = f.forward
        body = f.triad(facing, facing)
        leaving = through(f, np.zeros(3), offset, body, facing, point, follows_aim)
        self.assertAlmostEqual(float(leaving.heading @ leaving.heading), 1.0, delta=1e-12)
        if leaving.odd:
            return
        to = point - leaving.at
        aside = to - (to @ leaving.heading) * leaving.heading
        self.assertLess(np.linalg.norm(aside), 1e-11)
        self.assertGreater(to @ leaving.heading, 0.0)
        # The muzzle sits at its offset in the frame that turns with the aim, but straight up or down.
        if follows_aim and np.linalg.norm(f.level(to)) > 2.0:
            np.testing.assert_allclose(leaving.at, offset_to(f.triad(leaving.heading, facing), offset), atol=1e-9)

    def test_a_point_at_or_nearer_than_the_muzzle_is_told(self):
        f = frames.side()
        facing = f.forward
        body = f.triad(facing, facing)
        near = through(f, np.zeros(3), (1.0, 0, 0), body, facing, np.array([0.0, 0.5, 0]), True)
        self.assertEqual(near.odd, BEHIND)
        np.testing.assert_array_equal(near.heading, [0, 1, 0])
        for follows, point in ((True, (0, 0, 0)), (False, (1, 0, 0))):
            at = through(f, np.zeros(3), (1.0, 0, 0), body, facing, np.array(point, dtype=float), follows)
            self.assertEqual(at.odd, AT_POINT)
            np.testing.assert_array_equal(at.heading, facing)


class DefaultMuzzle(unittest.TestCase):
    @settings(deadline=None, max_examples=30)
    @given(
        st.sampled_from(["ball = 0.7", "box = [0.5, 1.9]", "box = [3.0, 0.4]"]),
        st.floats(0.01, 2.0),
        st.floats(-180, 180),
    )
    def test_is_just_clear_of_the_body_at_every_aim(self, shape, radius, direction):
        made = drill(
            shooter=f"at = [0, 5]\nshape.{shape}",
            ability=f'aim.by = "fixed"\naim.direction = {direction!r}\nshape.ball = {radius!r}',
        ).with_settings({"ability.flare.launch": {"speed": 5.0}})
        shot = nivvo.fire(made).rows("shots")[0]
        self.assertGreater(shot["clearance"], 0.0)
        self.assertLess(abs((shot["direction"] - direction + 180) % 360 - 180), 1e-9)
        scene = scene_of(made, "tap")
        ability = scene.abilities["flare"]
        # The body's corner is its farthest point: the offset is that, the radius, and a hand's breadth at most.
        sizes = [float(x) for x in shape.partition("=")[2].strip(" []").split(",")]
        reach = np.hypot(*sizes) / 2 if len(sizes) == 2 else sizes[0]
        self.assertLess(scene.clear_forward(ability, "keeper"), reach + radius + 0.05)


class Views(unittest.TestCase):
    def test_the_same_throw_in_space_is_the_same_whichever_axis_is_up(self):
        ends = []
        for up, forward in (("+z", "+x"), ("+y", "+x"), ("-y", "+z"), ("+x", "-z")):
            world = f'view = "space"\nup = "{up}"\nforward = "{forward}"'
            text = f"nivvo = 1\n[world]\n{world}\n[obstacle.ground]\nshape.half_space = 'up'\n"
            text += "[shooter.keeper]\nat = [0, 0, 0]\n[ability.flare]\nlaunch.speed = 12\nlaunch.elevation = 35\n"
            axis = {"x": 0, "y": 1, "z": 2}[up[1]]
            made = nivvo.parse(text)
            lifted = [0.0, 0.0, 0.0]
            lifted[axis] = 3.0 if up[0] == "+" else -3.0
            row = nivvo.fire(made.with_settings({"shooter.keeper.at": lifted})).rows("projectiles")[0]
            ends.append((row["range"], row["apex"], row["flight_time"]))
        for end in ends:
            np.testing.assert_allclose(end, ends[0], rtol=1e-14)

    def test_inherited_velocity_is_a_share_of_the_shooters(self):
        made = drill(shooter="at = [0, 1]\nmove.velocity = [3, 0]", ability="inherit_velocity = 0.5")
        shot = nivvo.fire(made).rows("shots")[0]
        self.assertAlmostEqual(shot["vx"], 18 * np.cos(np.radians(40)) + 1.5, delta=1e-12)
