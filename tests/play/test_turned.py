"""Scenes in which everything is turned and moves: the first contact against a slow model that shares no code."""

import unittest

import numpy as np

import nivvo
from tests.core import slow
from tests.deep import DEEP

TIMES = 20 if DEEP else 1
G, LIFE = 9.81, 2.0


def numbers(vector):
    return "[" + ", ".join(repr(float(x)) for x in vector) + "]"


class Scene:
    """Random shapes, each as TOML and as a function of points and times that gives its distance."""

    def __init__(self, rng, size):
        self.rng, self.size, self.texts, self.distances = rng, size, [], []

    def vector(self, spread):
        v = self.rng.normal(size=3) * spread
        return v if self.size == 3 else v * [1, 1, 0]

    def add(self, kind, k):
        """One body of a kind, somewhere ahead, turned at random; half of them drift and some of those speed up."""
        rng, at = self.rng, self.vector(4.0) + [9.0, 2.0, 0.0]
        drift = self.vector(1.5) * (rng.uniform() < 0.5)
        push = self.vector(1.0) * (rng.uniform() < 0.3) * bool(drift.any())
        cut = slice(0, self.size)
        lines = [f"[obstacle.{kind}_{k}]", f"at = {numbers(at[cut])}"]
        if drift.any():
            lines += [f"move.velocity = {numbers(drift[cut])}", f"move.acceleration = {numbers(push[cut])}"]
        if kind == "ball":
            radius = float(rng.uniform(0.3, 1.2))
            lines.append(f"shape.ball = {radius!r}")
            shape = lambda q: np.linalg.norm(q, axis=1) - radius  # noqa: E731
        elif kind == "capsule":
            a, b, radius = self.vector(1.0), self.vector(1.0), float(rng.uniform(0.1, 0.6))
            lines += [f"shape.capsule = [{numbers(a[cut])}, {numbers(b[cut])}]", f"shape.radius = {radius!r}"]
            shape = lambda q: slow.segment(q, a, b) - radius  # noqa: E731
        elif kind == "wall":
            a, b, thick = self.vector(1.5), self.vector(1.5), float(rng.choice([0.0, 0.02, 0.3]))
            lines += [f"shape.wall = [{numbers(a[cut])}, {numbers(b[cut])}]", f"shape.thick = {thick!r}"]
            along = (b - a) / np.linalg.norm(b - a)
            if self.size == 2:
                across = np.array([-along[1], along[0], 0.0])
                axes, half, middle = [along, across], [np.linalg.norm(b - a) / 2, thick / 2], (a + b) / 2
            else:
                # Up as near as can be to z, as a wall stands.
                tall, up = float(rng.uniform(0.5, 2.0)), np.array([0.0, 0.0, 1.0])
                across = np.cross(up, along)
                across /= np.linalg.norm(across)
                axes = [along, across, np.cross(along, across)]
                half, middle = [np.linalg.norm(b - a) / 2, thick / 2, tall / 2], (a + b) / 2 + up * tall / 2
                lines.append(f"shape.tall = {tall!r}")
            shape = lambda q: slow.boxed(q, middle, axes, np.array(half))  # noqa: E731
        elif kind == "box":
            sizes, angle = rng.uniform(0.4, 2.0, 3), float(rng.uniform(-180, 180))
            first, second = slow.turned(angle)
            axes = [first, second] if self.size == 2 else [first, second, np.array([0.0, 0.0, 1.0])]
            lines += [f"shape.box = {numbers(sizes[cut])}", f"shape.turned = {angle!r}"]
            shape = lambda q: slow.boxed(q, np.zeros(3), axes, sizes[cut] / 2)  # noqa: E731
        else:
            normal = self.vector(1.0)
            normal /= np.linalg.norm(normal)
            at = at + normal * 0.0
            lines.append(f"shape.half_space = {numbers(normal[cut])}")
            shape = lambda q: q @ normal  # noqa: E731
        self.texts.append("\n".join(lines))
        self.distances.append(
            lambda p, t, at=at, shape=shape: shape(p - at - drift * t[:, None] - 0.5 * push * (t * t)[:, None])
        )


class FirstContact(unittest.TestCase):
    def test_of_every_shape_turned_at_random_in_2d_and_3d(self):
        rng = np.random.default_rng(11)
        hits = 0
        for size in (2, 3):
            up = np.array([0.0, 1.0, 0.0]) if size == 2 else np.array([0.0, 0.0, 1.0])
            for kind in ("wall", "box", "capsule", "ball", "half_space"):
                for k in range(30 * TIMES):
                    scene = Scene(rng, size)
                    scene.add(kind, k)
                    start = scene.vector(1.0)
                    v = scene.vector(2.0) + np.array([10.0, 2.0, 0.0]) + 3.0 * up
                    radius = float(rng.uniform(0.05, 0.3))
                    self.one(scene, kind, size, up, start, v, radius)
                    hits += self.hit
        self.assertGreater(hits, 60 * TIMES)

    def one(self, scene, kind, size, up, start, v, radius):
        cut = slice(0, size)
        view = "side" if size == 2 else "space"
        heading = v / np.linalg.norm(v)
        flat = heading - (heading @ up) * up
        direction = np.degrees(np.arctan2(flat[1], flat[0])) if size == 3 else (0.0 if flat[0] >= 0 else 180.0)
        elevation = np.degrees(np.arctan2(heading @ up, np.linalg.norm(flat)))
        aim = f'aim.by = "fixed"\naim.direction = {float(direction)!r}' if size == 3 else ""
        facing = "" if size == 3 else f'facing = "{"right" if flat[0] >= 0 else "left"}"'
        text = f"""nivvo = 1
[world]
view = "{view}"
[shooter.keeper]
at = {numbers(start[cut])}
shape.ball = 1e-3
muzzle.m.forward = 0
muzzle.m.follows = "body"
{facing}
[ability.a]
hits_owner = "never"
muzzle = "m"
{aim}
launch.speed = {float(np.linalg.norm(v))!r}
launch.elevation = {float(elevation)!r}
shape.ball = {radius!r}
limits.life = {LIFE}
""" + "\n".join(scene.texts)
        run = nivvo.fire(nivvo.parse(text))
        shot = run.rows("shots")[0]
        p0 = np.array([*(shot[axis] for axis in "xyz"[:size]), 0.0])[:3]
        v0 = np.array([*(shot[f"v{axis}"] for axis in "xyz"[:size]), 0.0])[:3]
        np.testing.assert_allclose(v0, v, atol=1e-9)

        def gap(t):
            p = p0 + v0 * t[:, None] - 0.5 * G * up * (t * t)[:, None]
            return scene.distances[0](p, t) - radius

        expected = slow.first_touch(gap, LIFE)
        touches = run.rows("contacts")
        self.hit = bool(touches)
        if expected is None:
            if touches:
                # Only a graze between two samples may differ.
                self.assertLess(abs(gap(np.array([touches[0]["time"]]))[0]), 1e-9, f"{kind} in {size}D\n{text}")
            return
        self.assertTrue(touches, f"{kind} in {size}D is passed at {expected}\n{text}")
        self.assertAlmostEqual(touches[0]["time"], expected, delta=1e-6, msg=f"{kind} in {size}D\n{text}")

    def test_whole_numbered_tilted_walls_are_touched_where_they_stand(self):
        for x, y, dx, dy in ((50, 0, -8, 8), (20, 5, 3, 7), (12, 1, -5, 4), (30, 2, 1, 9), (9, -3, 2, 1)):
            wall = f"[obstacle.ramp]\nshape.wall = [[{x}, {y}], [{x + dx}, {y + dy}]]\nshape.thick = 0.2\n"
            made = nivvo.parse(f"nivvo = 1\n[ability.a]\nlaunch.speed = 18\nlaunch.elevation = 40\n{wall}")
            run = nivvo.fire(made)
            for touch in run.rows("contacts"):
                if touch["body"] == "ramp":
                    where = np.array([[*run.flight(touch["projectile"]).at(touch["time"])[0]]])
                    ends = np.array([x, y, 0.0]), np.array([x + dx, y + dy, 0.0])
                    self.assertLess(slow.segment(where, *ends)[0], 0.1 + 0.1 * 2**0.5 + 1e-9)
