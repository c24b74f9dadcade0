"""Shots by the thousand at every shape, turned and moving, in the plane and in space: none slips through.

What is touched when is held against distances that are worked out from what the drill writes, at many moments of each
flight, and closer where a flight comes near. ``--deep`` fires 100,000 at each shape.
"""

import itertools
import math
import unittest

import numpy as np

import nivvo
from nivvo.core.flying.forces import acting
from nivvo.core.world.study import single_shots
from nivvo.plan.case import case_of
from nivvo.play.session.session import Session
from tests.core.slow import boxed, polygonal, segment, turned
from tests.deep import DEEP

SHOTS = 50_000 if DEEP else 700
EACH, MOMENTS, TICKS = 700, 120, 60


def plate(points, corners):
    """Distance of points (n, 3) from a triangle in space."""
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    normal /= np.linalg.norm(normal)
    above = (points - corners[0]) @ normal
    foot = points - above[:, None] * normal
    pairs = [(corners[k], corners[(k + 1) % 3]) for k in range(3)]
    inside = np.all([np.cross(b - a, foot - a) @ normal >= 0 for a, b in pairs], axis=0)
    return np.where(inside, np.abs(above), np.min([segment(points, a, b) for a, b in pairs], axis=0))


def upright(points, a, b, thick, low, high):
    """Distance of points (n, 3) from a straight wall between two points of the plane."""
    way = (b - a) / np.linalg.norm(b - a)
    axes = [[*way, 0.0], [-way[1], way[0], 0.0], [0.0, 0.0, 1.0]]
    half = np.array([np.linalg.norm(b - a), thick, high - low]) / 2
    return boxed(points, np.array([*(a + b) / 2, (low + high) / 2]), axes, half)


def box(rng, space):
    sizes, angles = rng.uniform(0.3, 3, 3).round(3), rng.uniform(-180, 180, 3).round(2).tolist()
    first, second = turned(angles[0])
    if not space:
        text = f"box = {sizes[:2].tolist()}, turned = {angles[0]}"
        return text, lambda d: boxed(d, 0.0, [first, second], sizes[:2] / 2), 0.0
    # Direction, then elevation, then roll about the way that it points.
    elevation, roll = np.radians(angles[1] / 2), np.radians(angles[2])
    along = first * math.cos(elevation) + np.array([0, 0, math.sin(elevation)])
    across = second * math.cos(roll) + np.cross(along, second) * math.sin(roll)
    text = f"box = {sizes.tolist()}, turned = {[angles[0], angles[1] / 2, angles[2]]}"
    return text, lambda d: boxed(d, 0.0, [along, across, np.cross(along, across)], sizes / 2), 0.0


def capsule(rng, space):
    ends, radius = rng.uniform(-2, 2, (2, 3)).round(3), round(float(rng.uniform(0.1, 0.8)), 3)
    size = 3 if space else 2
    ends[:, size:] = 0.0
    return f"capsule = {ends[:, :size].tolist()}, radius = {radius}", lambda d: segment(d, *ends) - radius, 0.0


def polygon(rng, space):
    turns = np.cumsum(rng.uniform(0.3, 1.0, int(rng.integers(3, 10))))
    turns *= 2 * np.pi * 0.8 / turns[-1]
    corners = np.column_stack([2 * np.cos(turns), np.sin(turns) * rng.uniform(0.5, 2)]).round(4)
    angle, tall = round(float(rng.uniform(0, 360)), 2), round(float(rng.uniform(0.3, 3)), 3)
    there = corners @ np.array(turned(angle))[:2, :2]
    text = f"polygon = {corners.tolist()}, turned = {[angle, 0, 0] if space else angle}"
    if not space:
        return text, lambda d: polygonal(d[:, :2], there), 0.0
    over = lambda d: np.maximum(np.maximum(-d[:, 2], d[:, 2] - tall), 0.0)  # noqa: E731
    return f"{text}, tall = {tall}", lambda d: np.hypot(polygonal(d[:, :2], there), over(d)), 0.0


def chain(rng, space):
    points, thick = rng.uniform(-3, 3, (4, 2)).round(3), round(float(rng.uniform(0.05, 0.4)), 3)
    pairs, tall = list(itertools.pairwise(points)), round(float(rng.uniform(0.3, 3)), 3)
    if not space:
        off = lambda d: np.min([segment(d[:, :2], a, b) for a, b in pairs], axis=0) - thick / 2  # noqa: E731
        return f"chain = {points.tolist()}, thick = {thick}", off, 0.0

    def gap(d):
        over = np.maximum(np.maximum(-d[:, 2], d[:, 2] - tall), 0.0)
        posts = [np.hypot(np.maximum(np.linalg.norm(d[:, :2] - p, axis=1) - thick / 2, 0), over) for p in points[1:3]]
        return np.min([upright(d, a, b, thick, 0.0, tall) for a, b in pairs] + posts, axis=0)

    ends = np.column_stack([points, np.zeros(4)]).tolist()
    # Its posts are polygons, which are told to be so much off a circle.
    return f"chain = {ends}, thick = {thick}, tall = {tall}", gap, 0.0044 * thick / 2


def heights(rng, space):
    every = round(float(rng.uniform(0.4, 1.5)), 3)
    values = rng.uniform(-1, 1.5, (3, 3) if space else 6).round(3)
    base = values.min() - 1.0
    if not space:
        tops = np.column_stack([np.arange(6) * every, values])
        cells = [np.array([[a[0], base], [b[0], base], b, a]) for a, b in itertools.pairwise(tops)]
        gap = lambda d: np.min([polygonal(d[:, :2], cell) for cell in cells], axis=0)  # noqa: E731
    else:
        place = lambda j, i: np.array([i * every, j * every, values[j, i]])  # noqa: E731
        cells = [[place(j, i), place(j, i + 1), place(j + 1, i + 1), place(j + 1, i)]
                 for j in range(2) for i in range(2)]  # fmt: skip

        def gap(d):
            gaps = []
            for a, b, c, e in cells:
                low = min(x[2] for x in (a, b, c, e))
                middle = np.array([*(a + c)[:2] / 2, (base + low) / 2])
                gaps.append(boxed(d, middle, np.eye(3), np.array([every / 2, every / 2, (low - base) / 2])))
                gaps += [plate(d, np.array(corners)) for corners in ((a, b, c), (a, c, e))]
            return np.min(gaps, axis=0)

    return f"heights = {{ values = {values.tolist()}, every = {every} }}", gap, 0.0


class Slips(unittest.TestCase):
    def rounds(self, make, seed):
        rng, hits = np.random.default_rng(seed), 0
        for k in range(0, SHOTS * 2, EACH):
            with self.subTest(k):
                hits += self.fly(rng, make, space=k // EACH % 2 == 1)
        self.assertGreater(hits, SHOTS / 5)

    def fly(self, rng, make, space):
        """Shots at one body: each first touch is where its distance is 0, and never less before; how many touched."""
        text, shape, soft = make(rng, space)
        size = 3 if space else 2
        at, velocity, g = (np.zeros(3) for _ in range(3))
        at[:size], velocity[:size] = rng.uniform(-1, 1, size).round(3), rng.uniform(-4, 4, size).round(3)
        g[size - 1] = -9.81 * rng.integers(2)
        drill = nivvo.parse(
            f'nivvo = 1\n[world]\nview = "{"space" if space else "side"}"\n[shooter.k]\nat = {[500.0] * size}\n'
            f"[ability.a]\nlaunch.speed = 1\n[obstacle.o]\nat = {at[:size].tolist()}\nshape = {{ {text} }}\n"
            f"move.velocity = {velocity[:size].tolist()}\n[case.c]\nlasts = 3\n"
        )
        case = case_of(drill, None)
        session = Session(case.scene, case.in_hand, case.lasts, sampled=False)
        session.flying.to_end()
        p = rng.normal(size=(EACH, 3))
        goal, speed = rng.uniform(-2.5, 2.5, (EACH, 3)), rng.choice([7.0, 15.0, 60.0, 200.0], EACH)
        p[:, size:], goal[:, size:] = 0.0, 0.0
        p *= (rng.uniform(5, 9, EACH) / np.linalg.norm(p, axis=1))[:, None]
        time = (np.linalg.norm(goal - p, axis=1) / speed)[:, None]
        v = (goal - p) / time + velocity - 0.5 * g * time
        p, radius = p + at, np.where(rng.random(EACH) < 0.2, 1e-6, rng.uniform(0.01, 0.4, EACH))
        found = single_shots(session.arena, acting(g), p, v, radius=radius, ticks=(60.0, TICKS))

        def gap(k, t):
            return shape(p[k] + (v[k] - velocity) * t[:, None] + 0.5 * g * (t * t)[:, None] - at) - radius[k]

        k = np.flatnonzero(gap(np.arange(EACH), np.zeros(EACH)) > 0.0)
        touched = found.body[k] >= 0
        end = np.where(touched, found.time[k], TICKS / 60.0)
        self.assertLess(np.abs(gap(k[touched], end[touched])).max(initial=0.0), 1e-9 + soft)
        step = end / MOMENTS
        gaps = np.array([gap(k, step * (m + 0.5)) for m in range(MOMENTS)])
        low, high = ((np.argmin(gaps, axis=0) + move) * step for move in (-0.5, 1.5))
        low, high = np.maximum(low, 0.0), np.minimum(high, end * (1 - 1e-12))
        for _ in range(40):
            a, b = low + (high - low) / 3, high - (high - low) / 3
            nearer = gap(k, a) < gap(k, b)
            low, high = np.where(nearer, low, a), np.where(nearer, b, high)
        self.assertGreater(min(gaps.min(), gap(k, (low + high) / 2).min()), -1e-8 - soft)
        return int(touched.sum())

    def test_no_box(self):
        self.rounds(box, 1)

    def test_no_capsule(self):
        self.rounds(capsule, 2)

    def test_no_polygon(self):
        self.rounds(polygon, 3)

    def test_no_chain_of_walls(self):
        self.rounds(chain, 4)

    def test_no_ground(self):
        self.rounds(heights, 5)


if __name__ == "__main__":
    unittest.main()
