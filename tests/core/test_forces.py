"""Each force, and forces together, against a tight adaptive solver, the textbook's steps and closed forms."""

import math
import unittest

import numpy as np
from scipy.integrate import solve_ivp
from scipy.spatial.transform import Rotation

from nivvo.core import pool
from nivvo.core.flying.forces import GUSTS, TAPER, acting, zone_of
from nivvo.core.numbers import clock
from nivvo.core.numbers.trig import cosine, sine, sine_and_cosine, sines_and_cosines
from nivvo.core.world.arena import Arena, ticks_of
from tests.core.arenas import ball
from tests.core.bodies import random_axes
from tests.deep import DEEP

G = np.array([0.0, 0.0, -9.81])
ENDLESS = 1 << 60


def flown(acts, p, v, *, seconds=2.0, rate=60, step=pool.EXACT, target=None, guide=None, owner=None):
    """Samples (n,) of one projectile; ``target``: (place, velocity, acceleration) of a body that it follows."""
    bodies = []
    for body in (target, owner):
        if body is not None:
            one = ball(tuple(body[0]), 1e-3)
            one["v0"], one["a0"], one["role"] = body[1], body[2], pool.TARGET if body is target else pool.SHOOTER
            bodies.append(one)
    rows = np.array(bodies, dtype=pool.BODY) if bodies else pool.zeros(0, pool.BODY)
    if len(rows):
        rows["key"] = np.arange(len(rows))
    world = Arena(rows, 1, step=step)
    launch = world.new_params(acts, 1e-3, then=pool.IGNORE, owner=len(bodies) - 1 if owner is not None else -1)
    world.params[launch]["within"], world.params[launch]["cone"], world.params[launch]["keeps_cone"] = np.inf, -1, -1
    world.params[launch]["group"], world.params[launch]["every"] = -1, clock.UNITS
    world.put(launch, np.array(p), np.array(v), 1, 0, guide=guide)
    count = round(seconds * rate)
    world.run(ticks_of(np.round(np.arange(count + 1) * clock.UNITS / rate).astype(np.int64), 0))
    return world.take_samples()


def cross(a, b):
    (a0, a1, a2), (b0, b1, b2) = a.tolist(), b.tolist()
    return np.array([a1 * b2 - a2 * b1, a2 * b0 - a0 * b2, a0 * b1 - a1 * b0])


def size_of(v):
    return math.hypot(*v.tolist())


class Law:
    """The forces written once more, plainly, for the solver."""

    def __init__(self, rng, words, p, v):
        self.words, way = words, v / np.linalg.norm(v)
        self.linear, self.square = rng.uniform(0.05, 1.0), rng.uniform(0.005, 0.05)
        self.wind, self.share, self.rate = rng.normal(0, 6, 3), rng.uniform(0.2, 0.9), rng.uniform(1, 6)
        self.phases = rng.uniform(0, 6, 3)
        self.push, self.burns = rng.uniform(5, 40), np.sort(rng.uniform(0.05, 1.8, 2))
        self.way, self.along = way, int(rng.integers(3))
        self.spin = rng.normal(0, 6), random_axes(rng)[0], self.along == pool.ON_SPIN and self.phases[0] < 3.0
        self.top, self.lowest = rng.uniform(0.8, 1.5) * np.linalg.norm(v), rng.uniform(0.2, 0.9) * np.linalg.norm(v)
        self.law = int(rng.integers(1, 5))
        self.gain = rng.uniform(2, 12) if self.law != pool.PROPORTIONAL else rng.uniform(2, 5)
        self.turn, self.side = rng.uniform(0.5, 5), rng.choice([math.inf, rng.uniform(5, 80)])
        self.seeks = np.sort(rng.uniform(0.0, 1.9, 2)) if rng.uniform() < 0.5 else np.array([0.0, math.inf])
        # Where a target becomes too fast to be met, lead jumps from where it would be met to the target itself.
        slow = 0.3 if self.law == pool.LEAD else 1.0
        self.target = rng.normal(0, 25, 3), slow * rng.normal(0, 5, 3), slow * rng.normal(0, 2, 3)
        self.pace = np.linalg.norm(v)
        self.zones = []
        for _ in range(int(rng.integers(1, 5))):
            axes, half = random_axes(rng), np.abs(rng.normal(0, 4, 3)) * rng.integers(0, 2)
            sizes = float(rng.uniform(0.5, 4)), float(rng.uniform(0.3, 3))
            self.zones.append(
                (p + v * rng.uniform(0, 1.5) + rng.normal(0, 2, 3), axes, half, rng.normal(0, 9, 3), *sizes)
            )
        self.breaks = []
        if "thrust" in words:
            self.breaks += list(self.burns)
        if "homing" in words:
            self.breaks += [x for x in self.seeks if 0 < x < 2.0]

    def row(self):
        given = {}
        if "drag" in self.words:
            given |= {"linear": self.linear, "square": self.square}
        if "wind" in self.words:
            given |= {"wind": self.wind, "gusts": (self.share, self.rate, self.phases)}
        if "zones" in self.words:
            given["zones"] = [
                zone_of(at, axes, half, round_, u, edge) for at, axes, half, u, round_, edge in self.zones
            ]
        if "thrust" in self.words:
            given |= {"thrust": (self.push, *self.burns, self.along), "spin": self.spin}
        if "speeds" in self.words:
            given |= {"top": (self.top, pool.HOLDS), "lowest": self.lowest}
        if "homing" in self.words:
            given["homing"] = (self.law, pool.TO_TARGET, self.gain, self.turn, self.side, *self.seeks)
        return acting(G, **given)

    def __call__(self, t, y, middle):
        p, v = y[:3], y[3:]
        a, air, speed = G.copy(), np.zeros(3), size_of(v)
        if "wind" in self.words:
            air = self.wind * (
                1
                + self.share
                * sum(math.sin(f * self.rate * t + phase) for f, phase in zip(GUSTS, self.phases, strict=True))
                / 3
            )
        for at, axes, half, u, round_, edge in self.zones if "zones" in self.words else ():
            local = axes @ (p - at)
            x = (size_of(local - np.minimum(np.maximum(local, -half), half)) - round_) / edge
            air = air + u * (1.0 - (0.0 if x <= 0 else 1.0 if x >= 1 else x**3 * (10 - 15 * x + 6 * x * x)))
        if "drag" in self.words:
            a -= (self.linear + self.square * size_of(v - air)) * (v - air)
        if "thrust" in self.words and self.burns[0] <= middle < self.burns[1]:
            sense = -1.0 if self.spin[2] and self.way[0] < 0.0 else 1.0
            turned = Rotation.from_rotvec(sense * self.spin[0] * t * self.spin[1]).apply(self.way)
            a += self.push * (v / speed, self.way, turned)[self.along]
        if "homing" in self.words and self.seeks[0] <= middle < self.seeks[1]:
            a += self.homes(t, p, v, speed)
        if "speeds" in self.words:
            on = np.dot(a, v) / speed
            if on > 0:
                a -= v / speed * on * (1 - min(max((self.top - speed) / (TAPER * self.top), 0), 1))
            else:
                a -= v / speed * on * (1 - min(max((speed - self.lowest) / (TAPER * self.lowest), 0), 1))
        return np.concatenate([v, a])

    def homes(self, t, p, v, speed):
        c, u, b = self.target
        to, rel = c + u * t + 0.5 * b * t * t - p, u + b * t
        far = size_of(to)
        if self.law == pool.BLEND:
            a, most = self.gain * (to / far * self.pace - v), self.side
        else:
            most, sight = min(self.turn * speed, self.side), cross(to, rel - v) / far**2
            a = {pool.PURSUIT: 1.0, pool.LEAD: 0.0, pool.PROPORTIONAL: self.gain}[self.law] * cross(sight, v)
            if self.law != pool.PROPORTIONAL:
                aim = to
                if self.law == pool.LEAD:
                    roots = np.roots([rel @ rel - speed**2, 2 * to @ rel, far**2])
                    times = [x.real for x in roots if abs(x.imag) < 1e-12 and x.real > 0]
                    aim = to + rel * min(times, default=0.0)
                angle = math.atan2(size_of(cross(v, aim)), v @ aim)
                n = aim - v * (aim @ v) / speed**2
                size = size_of(n)
                if size > 0:
                    a = a + n / size * min(self.gain * speed * 2 * math.tan(angle / 2), 10 * most)
        size = size_of(a)
        return a * min(1.0, most / size) if size > 0 else a

    def solved(self, p, v, seconds):
        y, t = np.concatenate([p, v]), 0.0
        for end in [*sorted(x for x in self.breaks if 0 < x < seconds), seconds]:
            found = solve_ivp(
                self, (t, end), y, "DOP853", rtol=1e-12, atol=1e-12, args=(0.5 * (t + end),), max_step=0.02
            )
            y, t = found.y[:, -1], end
        return y[:3]


class Forces(unittest.TestCase):
    def test_alone_by_twos_and_by_threes_as_a_tight_solver_says(self):
        words = ("drag", "wind", "thrust", "speeds", "homing", "zones")
        sets = [{a} for a in words] + [{a, b} for a in words for b in words if a < b]
        sets += [{"drag", "wind", "homing"}, {"thrust", "speeds", "homing"}, {"drag", "thrust", "homing"}]
        sets += [{"zones"}, {"zones"}, {"zones", "wind", "speeds"}]
        for seed, chosen in enumerate(sets * (4 if DEEP else 1)):
            with self.subTest(forces=sorted(chosen), seed=seed):
                rng = np.random.default_rng(seed)
                p, v = rng.normal(0, 3, 3), rng.normal(0, 12, 3)
                law = Law(rng, chosen | ({"drag"} if chosen & {"wind", "zones"} else set()), p, v)
                path = flown(law.row(), p, v, target=law.target if "homing" in chosen else None)
                length = np.linalg.norm(np.diff(path["p"], axis=0), axis=1).sum()
                off = np.linalg.norm(path["p"][-1] - law.solved(p, v, 2.0))
                self.assertLess(off, 1e-6 * length)

    def test_sine_and_cosine_are_those_of_the_library(self):
        x = np.concatenate([np.linspace(-40, 40, 4001), np.random.default_rng(1).normal(0, 1e5, 2000)])
        many = np.transpose(sines_and_cosines(x[:4001]))
        self.assertEqual([tuple(one) for one in many.tolist()], [sine_and_cosine(one) for one in x[:4001].tolist()])
        np.testing.assert_allclose([sine(one) for one in x], np.sin(x), atol=3e-11 if x.max() > 1e5 else 1e-15)
        np.testing.assert_allclose([cosine(one) for one in x[:4001]], np.cos(x[:4001]), atol=2e-15)

    def test_a_sway_leaves_the_mean_way_as_it_would_be(self):
        right, up, v = np.array([0.0, 1, 0]), np.array([0.0, 0, 1]), np.array([14.0, 0, 9])
        guide = {"across": right, "above": up}
        drag = {"linear": 0.4}
        for acts, step in ((drag, pool.EXACT), (drag, pool.VERLET), ({}, pool.EXACT)):
            mean = flown(acting(G, **acts), [0.0, 0, 0], v, step=step)
            path = flown(acting(G, **acts, sway=(0.7, 0.3, 9.0, 0.4)), [0.0, 0, 0], v, step=step, guide=guide)
            t = path["t"] / clock.UNITS
            x = np.minimum(t / 0.4, 1)
            grown = (x**3 * (10 - 15 * x + 6 * x**2))[:, None]
            off = grown * (0.7 * np.sin(9 * t)[:, None] * right + 0.3 * np.cos(9 * t)[:, None] * up)
            np.testing.assert_allclose(path["p"], mean["p"] + off, atol=1e-8)

    def test_an_orbit_goes_round_a_moving_owner_and_leaves_along_its_tangent(self):
        owner = (np.array([1.0, 2, 0]), np.array([2.0, -1, 0]), np.zeros(3))
        guide = {"across": np.array([1.0, 0, 0]), "above": np.array([0.0, 1, 0]), "radius": 0.5, "lift": (0, 0, 0.3)}
        for rate in (30, 60, 144):
            acts = acting(np.zeros(3), orbit=(3.0, 2.5, 0.5, clock.from_seconds(1.21)))
            path = flown(acts, [1.5, 2, 0.3], [0.0, 1, 0], rate=rate, owner=owner, guide=guide)
            t = path["t"] / clock.UNITS
            centre = owner[0] + owner[1] * t[:, None] + [0, 0, 0.3]
            late = (t > 0.5) & (t <= 1.21)
            round_it = 3.0 * np.stack([np.cos(2.5 * t), np.sin(2.5 * t), 0 * t], axis=1)
            np.testing.assert_allclose(path["p"][late], (centre + round_it)[late], atol=1e-9)
            s = 2.5 * 1.21
            free = owner[0] + owner[1] * 1.21 + [3 * math.cos(s), 3 * math.sin(s), 0.3]
            leaves = owner[1] + 7.5 * np.array([-math.sin(s), math.cos(s), 0])
            np.testing.assert_allclose(path["p"][-1], free + leaves * (t[-1] - 1.21), atol=1e-8)
