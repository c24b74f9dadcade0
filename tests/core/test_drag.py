"""Drag in flight, and launches solved through it: against a tight solver, obvious loops, and search."""

import itertools
import os
import unittest
from unittest import mock

import numpy as np
from scipy.integrate import solve_ivp

from nivvo.core import pool
from nivvo.core.flying import flight
from nivvo.core.flying.forces import acting
from nivvo.core.launching import launch, shooting
from nivvo.core.launching.air import Air
from nivvo.core.launching.launch import HIGH, LOW
from nivvo.core.numbers import clock
from tests.core.arenas import arena, ball, events_of, ticks
from tests.deep import DEEP

G = np.array([0.0, -9.81, 0.0])
UP = np.array([0.0, 1.0, 0.0])
COUNT = 10_000 if DEEP else 3_000


def truth(v, linear, square, t, a=G, events=None):
    """A flight by a tight adaptive solver; state of 6 at times, and the path length as a seventh."""

    def slope(_, y):
        speed = np.sqrt(y[3:6] @ y[3:6])
        return [*y[3:6], *(a - (linear + square * speed) * y[3:6]), speed]

    start = [0.0, 0.0, 0.0, *v, 0.0]
    return solve_ivp(slope, (0.0, float(np.max(t))), start, "DOP853", t, rtol=1e-12, atol=1e-12, events=events)


def fine(w, time, linear, square, steps=200, a=G):
    """Many flights by plain fourth-order Runge-Kutta in many short steps: where they are at their times."""
    h, a = time / steps, np.array(a, dtype=float)[:, None]
    p, v = np.zeros_like(w.T), w.T.copy()

    def pull(u):
        x, y, z = u
        return a - (linear + square * np.sqrt(x * x + y * y + z * z)) * u

    for _ in range(steps):
        k1 = pull(v)
        k2 = pull(v + h / 2 * k1)
        k3 = pull(v + h / 2 * k2)
        k4 = pull(v + h * k3)
        p = p + h * v + h * h / 6 * (k1 + k2 + k3)
        v = v + h / 6 * (k1 + 2 * k2 + 2 * k3 + k4)
    return p.T


def in_ticks(step, w, time, linear, square, dt, factor=1.0):
    """Many flights tick by tick, as a game's own loop has them."""
    p, v, out, now = np.zeros_like(w), w.copy(), np.full_like(w, np.nan), 0.0
    for h in dt:
        a = G - (linear + square * np.linalg.norm(v, axis=1))[:, None] * v
        after = (v + a * h) * factor
        way = {"semi-implicit": after, "explicit": v, "verlet": v + a * h / 2}[step]
        here = (time >= now) & (time < now + h)
        out[here] = (p + way * (time - now)[:, None])[here]
        p, v, now = p + way * h, after, now + h
    return out


class Flight(unittest.TestCase):
    def test_linear_drag_has_its_closed_form(self):
        k, v = 0.7, np.array([12.0, 9.0, -3.0])
        p, u = Air(acting(G, linear=k)).fly(v, 2.0)
        share = (1 - np.exp(-k * 2.0)) / k
        np.testing.assert_allclose(p, v * share + G * (2.0 - share) / k, rtol=1e-7)
        np.testing.assert_allclose(u, v * np.exp(-k * 2.0) + G * share, rtol=1e-7)

    def test_in_a_games_own_step_it_is_that_loop(self):
        for step, factor in itertools.product(("semi-implicit", "explicit", "verlet"), (1.0, 0.98)):
            v = np.array([[14.0, 11.0, 2.0]])
            world = arena([], flat=False, step=pool.STEPS[step])
            rules = {"linear": 0.2, "square": 0.03, "factor": factor}
            world.put(world.new_params(acting(G, **rules), 0.1), np.zeros(3), v[0], 1, 0)
            world.run(ticks(90))
            dt = np.full(90, 1 / 60)
            edges = np.arange(1, 90) / 60
            for k in (0, 10, 88):
                expected = in_ticks(step, v, np.array([edges[k]]), 0.2, 0.03, dt, factor)[0]
                np.testing.assert_allclose(world.samples["p"][k], expected, rtol=1e-12, atol=1e-12)

    def test_life_reach_and_bounds_cut_it_where_they_should(self):
        v = np.array([16.0, 12.0, 0.0])
        world = arena([])
        long = world.new_params(acting(G, linear=0.5, square=0.02), 0.1, life=int(0.517 * 693e9))
        far = world.new_params(acting(G, linear=0.5, square=0.02), 0.1, reach=9.0)
        world.put(long, np.zeros(3), v, 1, 0)
        world.put(far, np.zeros(3), v, 2, 0)
        world.run(ticks(120))
        ends = {int(event["key"]): event for event in events_of(world) if event["kind"] == pool.ENDED}
        np.testing.assert_allclose(ends[1]["p"], truth(v, 0.5, 0.02, [0.517]).y[:3, -1], atol=1e-7)
        self.assertAlmostEqual(ends[1]["start"] / 693e9 + ends[1]["after"], 0.517, delta=1e-12)
        at = ends[2]["start"] / 693e9 + ends[2]["after"]
        self.assertAlmostEqual(truth(v, 0.5, 0.02, [at]).y[6, -1], 9.0, delta=1e-5)


class AnyForce(unittest.TestCase):
    """The steps under forces, with one that hangs on place and time: a spring that is shaken."""

    def test_they_converge_with_their_order_to_the_solution(self):
        def spring(row, t, p, v, *_):
            return tuple(-4.0 * x + np.cos(3.0 * t) for x in p)

        def solution(t):
            # x'' = -4 x + cos 3t: x = A cos 2t + B sin 2t - cos 3t / 5.
            return np.array([(x + 0.2) * np.cos(2 * t) + v / 2 * np.sin(2 * t) - 0.2 * np.cos(3 * t) for x, v in START])

        START = ((1.0, 0.0), (0.0, 2.0), (-0.5, 1.5))
        p, v = (tuple(one[k] for one in START) for k in (0, 1))
        row, errors, stages = acting(np.zeros(3))[0], [], np.zeros((7, 3))
        with mock.patch.object(shooting, "acceleration", spring), mock.patch.object(flight, "acceleration", spring):
            for count in (10, 20, 40):
                q, _ = shooting.evenly(row, 0.0, p, v, 2.0, count, pool.ALONE)
                errors.append(np.abs(np.array(q) - solution(2.0)).max())
            q, _ = flight.glide(row, 0.0, p, v, 2.0, 100, pool.ALONE, stages)
            np.testing.assert_allclose(q, solution(2.0), atol=1e-8)
            # Begun later, it is the same flight.
            half = flight.glide(row, 0.0, p, v, 0.7, 60, pool.ALONE, stages)
            q, _ = flight.glide(row, 0.7, *half, 1.3, 60, pool.ALONE, stages)
            np.testing.assert_allclose(q, solution(2.0), atol=1e-8)
            errors_of_pair = []
            for count in (8, 16, 32):
                q, u = p, v
                for k in range(count):
                    q, u, _ = flight.pair(row, 2.0 * k / count, q, u, 2.0 / count, pool.ALONE, stages)
                errors_of_pair.append(np.abs(np.array(q) - solution(2.0)).max())
        for coarse, fine in itertools.pairwise(errors):
            self.assertAlmostEqual(np.log2(coarse / fine), 4.0, delta=0.25)
        for coarse, fine in itertools.pairwise(errors_of_pair):
            self.assertAlmostEqual(np.log2(coarse / fine), 5.0, delta=0.3)


class Accelerated(unittest.TestCase):
    def test_a_body_that_accelerates_is_met_as_if_it_stood_and_the_shot_the_less(self):
        rng = np.random.default_rng(5)
        met = 0
        for _ in range(200):
            v, b = rng.normal(size=3) * 9, rng.normal(size=3) * 4
            at, drift = v * rng.uniform(0.3, 1.0), rng.normal(size=3)
            times = []
            for body_a, body_v in ((b, drift), (np.zeros(3), np.zeros(3))):
                row = ball(at, 0.8, velocity=body_v)
                row["a0"] = row["a"] = body_a
                world = arena([row], flat=False)
                rest = world.new_params(G - (b - body_a), 0.1)
                world.put(rest, np.zeros(3), v - (drift - body_v), 1, 0)
                world.run(ticks(120))
                times.append([e["start"] / 693e9 + e["after"] for e in events_of(world) if e["kind"] == pool.CONTACT])
            self.assertEqual(len(times[0]), len(times[1]))
            if times[0]:
                met += 1
                self.assertAlmostEqual(times[0][0], times[1][0], delta=1e-9)
        self.assertGreater(met, 40)


RULES = {"linear": (0.3, 0.0), "square": (0.0, 0.02), "both": (0.15, 0.01)}


def targets(rng, count=COUNT):
    turn, far, rise = rng.uniform(0, 2 * np.pi, count), rng.uniform(2, 25, count), rng.uniform(-8, 8, count)
    return np.stack([far * np.cos(turn), rise, far * np.sin(turn)], axis=1)


@mock.patch.dict(os.environ, {"NIVVO_COMPILE": "always"})
class Solved(unittest.TestCase):
    def missed(self, found, to, linear, square):
        good = np.isfinite(found.time)
        end = fine(found.velocity[good], found.time[good], linear, square)
        return np.linalg.norm(end - to[good], axis=1) / np.linalg.norm(to[good], axis=1)

    def test_both_arcs_pass_the_point_at_the_speed(self):
        to = targets(np.random.default_rng(1))
        for name, (linear, square) in RULES.items():
            air = Air(acting(G, linear=linear, square=square))
            low, high = air.by_speed(to, 22.0, LOW), air.by_speed(to, 22.0, HIGH)
            for found in (low, high):
                self.assertGreater(np.isfinite(found.time).mean(), 0.5, name)
                self.assertLess(self.missed(found, to, linear, square).max(), 1e-6, name)
                good = np.isfinite(found.time)
                np.testing.assert_allclose(np.linalg.norm(found.velocity[good], axis=1), 22.0, rtol=1e-8)
            both = np.isfinite(low.time) & np.isfinite(high.time)
            self.assertTrue((low.time[both] <= high.time[both] * (1 + 1e-6)).all())

    def test_what_is_out_of_reach_is_so_by_search_and_nothing_else(self):
        rng = np.random.default_rng(2)
        for linear, square in RULES.values():
            to = targets(rng, 400)
            found = Air(acting(G, linear=linear, square=square)).by_speed(to, 16.0)
            angle = np.radians(np.linspace(-60, 89.9, 500))
            w = 16.0 * np.stack([np.cos(angle), np.sin(angle), 0 * angle], axis=1)
            track = np.array([fine(w, np.full(500, t), linear, square, 30)[:, :2] for t in np.linspace(0.02, 5, 220)])
            run = np.hypot(to[:, 0], to[:, 2])
            heights = [np.interp(run, path[:, 0], path[:, 1], right=-np.inf) for path in track.swapaxes(0, 1)]
            for point, time, height in zip(to, found.time, np.max(heights, axis=0), strict=True):
                over = height - point[1]
                if abs(over) > 0.03:
                    self.assertEqual(np.isfinite(time), over > 0.0, (linear, square, point, over))

    def test_what_wind_and_thrust_carry_farther_is_in_reach(self):
        rng, beyond = np.random.default_rng(5), 0
        for acts in (
            acting(G, linear=0.8, wind=(30.0, 0.0, 0.0)),
            acting(G, square=0.02, thrust=(15.0, 0, clock.from_seconds(1.5), pool.THRUSTS["velocity"])),
        ):
            air, speed, angle = Air(acts), 14.0, np.radians(np.linspace(-60, 89.9, 300))
            w = speed * np.stack([np.cos(angle), np.sin(angle), 0 * angle], axis=1)
            track = np.array([air.fly(w, np.full(300, t))[0] for t in np.linspace(0.02, 8, 200)]).swapaxes(0, 1)
            for to in np.stack([rng.uniform(5, 60, 40), rng.uniform(-4, 6, 40), np.zeros(40)], axis=1):
                over = max(np.interp(to[0], p[:, 0], p[:, 1], right=-np.inf) for p in track) - to[1]
                if abs(over) < 0.2:
                    continue
                found = air.by_speed(to, speed)
                self.assertEqual(bool(np.isfinite(found.time)), over > 0.0, (to, over))
                beyond += over > 0.0 and launch.least_speed(to, G) > speed
                for arc in (LOW, HIGH):
                    found = air.by_speed(to, speed, arc)
                    if np.isfinite(found.time):
                        np.testing.assert_allclose(air.fly(found.velocity, found.time)[0], to, atol=1e-6)
                        self.assertAlmostEqual(np.linalg.norm(found.velocity), speed, delta=1e-3)
        self.assertGreater(beyond, 10)

    def test_by_time_elevation_and_apex(self):
        rng = np.random.default_rng(4)
        to = targets(rng)
        for linear, square in RULES.values():
            air = Air(acting(G, linear=linear, square=square))
            found = air.by_time(to, rng.uniform(0.3, 2.5, COUNT))
            self.assertGreater(np.isfinite(found.time).mean(), 0.99)
            self.assertLess(self.missed(found, to, linear, square).max(), 1e-6)
            found = air.by_elevation(to, UP, 65.0)
            good = np.isfinite(found.time)
            self.assertGreater(good.mean(), 0.9)
            self.assertLess(self.missed(found, to, linear, square).max(), 1e-6)
            rise = np.degrees(np.arcsin(found.velocity[good, 1] / np.linalg.norm(found.velocity[good], axis=1)))
            np.testing.assert_allclose(rise, 65.0, atol=1e-7)
        air, some = Air(acting(G, linear=0.15, square=0.01)), to[:300]
        found = air.by_apex(some, UP, 9.0)
        good = np.isfinite(found.time)
        self.assertGreater(good.mean(), 0.9)
        self.assertLess(self.missed(found, some, 0.15, 0.01).max(), 1e-6)
        for w, time in zip(found.velocity[good][:40], found.time[good][:40], strict=True):
            heights = truth(w, 0.15, 0.01, np.linspace(0, time, 4000)).y[1]
            self.assertAlmostEqual(heights.max(), 9.0, delta=1e-4)

    def test_in_a_games_own_step_the_shot_passes_the_point_in_that_step(self):
        to = targets(np.random.default_rng(6), 1500)
        dt = np.tile([0.016, 0.017, 0.02], 240)
        for step in ("semi-implicit", "explicit", "verlet"):
            air = Air(acting(G, linear=0.2, square=0.01, factor=0.998), step=pool.STEPS[step], dt=dt)
            for found in (air.by_speed(to, 24.0, LOW), air.by_speed(to, 24.0, HIGH), air.by_time(to, 1.3)):
                good = np.isfinite(found.time) & (found.time < 12.0)
                self.assertGreater(good.mean(), 0.4)
                end = in_ticks(step, found.velocity[good], found.time[good], 0.2, 0.01, dt, 0.998)
                off = np.linalg.norm(end - to[good], axis=1) / np.linalg.norm(to[good], axis=1)
                self.assertLess(off.max(), 1e-6, step)

    def test_a_mover_is_met_with_what_the_shot_inherits(self):
        rng = np.random.default_rng(8)
        to, velocity, bend = targets(rng), rng.normal(size=(COUNT, 3)) * 3, rng.normal(size=(COUNT, 3))
        own = rng.normal(size=(COUNT, 3)) * 2
        for linear, square in ((0.0, 0.0), (0.2, 0.01)):
            found = Air(acting(G, linear=linear, square=square)).by_speed(
                to, 30.0, own=own, velocity=velocity, acceleration=bend
            )
            good = np.isfinite(found.time)
            self.assertGreater(good.mean(), 0.9)
            t = found.time[good][:, None]
            there = to[good] + velocity[good] * t + bend[good] * t * t / 2
            end = fine(found.velocity[good], found.time[good], linear, square)
            far = np.linalg.norm(there, axis=1)
            self.assertLess((np.linalg.norm(end - there, axis=1) / far).max(), 1e-6)
            np.testing.assert_allclose(np.linalg.norm(found.velocity[good] - own[good], axis=1), 30.0, rtol=1e-7)

    def test_the_farthest_shot_and_the_least_speed_are_no_worse_than_any_other(self):
        air, speed = Air(acting(G, linear=0.3, square=0.01)), 15.0
        for rise in (-3.0, 0.0, 2.0):
            best = air.farthest(np.array([99.0, rise, 0.0]), UP, speed)
            reach = air.level_reach(best[None], UP, rise)[0]
            angle = np.radians(np.linspace(1, 89, 400))
            fan = speed * np.stack([np.cos(angle), np.sin(angle), 0 * angle], axis=1)
            self.assertGreaterEqual(reach, air.level_reach(fan, UP, rise).max() - 1e-6)
            point = np.array([reach, rise, 0.0])
            self.assertAlmostEqual(float(air.least_speed(point)), speed, delta=1e-4 * speed)
            self.assertTrue(np.isfinite(air.by_speed(0.999 * point, speed).time))
            self.assertFalse(np.isfinite(air.by_speed(1.001 * point * (1, np.sign(rise), 1), speed).time))

    def test_without_drag_it_is_the_closed_form(self):
        to = targets(np.random.default_rng(10), 500)
        thin = Air(G)
        for arc in (LOW, HIGH):
            here, there = thin.by_speed(to, 20.0, arc), launch.by_speed(to, G, 20.0, arc)
            np.testing.assert_array_equal(np.isfinite(here.time), np.isfinite(there.time))
            good = np.isfinite(here.time)
            np.testing.assert_allclose(here.time[good], there.time[good], rtol=1e-6)


class Stiff(unittest.TestCase):
    """Drag that stops a shot within a small part of a tick: followed by error, plain and compiled alike."""

    RULES = ((3000.0, 0.0), (12000.0, 0.0), (5000.0, 20.0), (0.0, 1e6), (200.0, 0.0), (100.0, 10.0), (60.0, 0.0))

    def flown(self, v, linear, square, compiled):
        world = arena([], flat=False)
        world.put(world.new_params(acting(G, linear=linear, square=square), 0.1, reach=1e9), np.zeros(3), v, 1, 0)
        with mock.patch.dict(os.environ, {"NIVVO_COMPILE": "always" if compiled else "never"}):
            world.run(ticks(40))
        return world.flight[:1].copy()

    def test_it_is_the_solution_of_its_equation_also_where_it_is_stiff(self):
        rng = np.random.default_rng(12)
        for linear, square in self.RULES:
            v = rng.normal(size=3) * 15

            def slope(_, y, linear=linear, square=square):
                speed = np.sqrt(y[3:6] @ y[3:6])
                return [*y[3:6], *(G - (linear + square * speed) * y[3:6]), speed]

            way = solve_ivp(slope, (0.0, 40 / 60), [0, 0, 0, *v, 0], "LSODA", rtol=1e-12, atol=1e-14).y[:, -1]
            end = self.flown(v, linear, square, False)[0]
            self.assertLess(np.linalg.norm(end["p"] - way[:3]), 1e-6 * way[6], (linear, square))
            self.assertLess(abs(end["flown"] - way[6]), 1e-6 * way[6], (linear, square))

    def test_it_touches_on_its_true_path(self):
        for linear in (400.0, 3000.0):
            v = np.array([18.0, 0.0, 0.0])
            reach = 18.0 / linear
            body = ball((0.6 * reach + 0.6, 0, 0), radius=0.5)
            world = arena([body], flat=False)
            world.put(world.new_params(acting(np.zeros(3), linear=linear), 0.1), np.zeros(3), v, 1, 0)
            world.run(ticks(3))
            touch = next(event for event in events_of(world) if event["kind"] == pool.CONTACT)
            # x = v/c (1 - exp(-c t)) is 0.6 of the reach at t = -ln(0.4)/c.
            self.assertAlmostEqual(touch["after"], -np.log(0.4) / linear, delta=1e-6 / linear)
            self.assertAlmostEqual(touch["p"][0], 0.6 * reach, delta=1e-9)

    def test_beyond_what_can_be_followed_it_is_refused_with_the_limit(self):
        import nivvo

        text = "nivvo = 1\n[ability.a]\nlaunch.speed = 9\nflight.drag.{}\n"
        for key, word in (("linear = 1e6", "15000"), ("per_tick = 1e-300", "at least"), ("square = 1e12", "at most")):
            with self.assertRaisesRegex(nivvo.DrillError, word):
                nivvo.parse(text.format(key))
        nivvo.fire(nivvo.parse(text.format("linear = 14000") + "limits.life = 0.2\n"))
