"""A tick that is left and entered again: redirected, held, with births, against a slow model of the same answers."""

import os
import unittest
from unittest import mock

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers import clock
from tests.core.arenas import arena, ball, events_of, floor, ticks

G = np.array([0.0, -9.81, 0.0])
REBOUND = 0.9


def box_of_planes(rng, flat):
    """Half-spaces around the origin, turned at random: (outward normal, distance of the plane from the origin)."""
    count = 5 if flat else 8
    planes = []
    for k in range(count):
        n = rng.normal(size=3)
        if flat:
            turn = 2 * np.pi * (k + rng.uniform(-0.2, 0.2)) / count
            n = np.array([np.cos(turn), np.sin(turn), 0.0])
        planes.append((-n / np.linalg.norm(n), float(rng.uniform(2.0, 3.0))))
    # What lies on the other side is closed by mirrored planes, so that nothing leaves.
    return planes + ([] if flat else [(-n, d) for n, d in planes])


def reflected(v, n):
    """An answer: thrown back, a little slower along the normal."""
    return v - (1.0 + REBOUND) * (v @ n) * n


class Model:
    """The slow model: one projectile after another, from contact to contact, by roots of quadratics in long double."""

    def __init__(self, planes, radius, until):
        self.planes, self.radius, self.until, self.events = planes, radius, until, []

    def fly(self, name, t, p, v, answers):
        hops = 0
        while True:
            first = None
            for j, (n, d) in enumerate(self.planes):
                gap, speed, pull = n @ p + d - self.radius, n @ v, 0.5 * (n @ G)
                for root in np.roots([pull, speed, gap]) if abs(pull) > 1e-12 else [-gap / speed if speed else np.nan]:
                    if abs(np.imag(root)) < 1e-9 and np.real(root) > 1e-9 and speed + 2 * pull * np.real(root) < 0.0:
                        when = float(np.real(root))
                        if first is None or when < first[0]:
                            first = when, j
            if first is None or t + first[0] >= self.until:
                return
            s, j = first
            p, v, t = p + v * s + G * s * s / 2, v + G * s, t + s
            hops += 1
            self.events.append((t, name, j))
            what = answers(name, hops)
            if what == "end":
                return
            if what == "birth":
                # Toward the middle, where it is clear of every plane.
                self.fly(f"{name}.", t, 0.9 * p, 3.0 * self.planes[j][0], answers)
            v = reflected(v, self.planes[j][0])


def answers(name, hops):
    """What is decided outside: a child at the third contact, the end at the tenth (a child: at its fourth)."""
    if hops == (10 if name.count(".") == 0 else 4):
        return "end"
    return "birth" if hops == 3 and name.count(".") == 0 else "on"


class Redirected(unittest.TestCase):
    def engine(self, planes, shots, radius, length, compiled):
        rows = []
        for k, (n, d) in enumerate(planes):
            row = floor(key=k)
            row["axis0"], row["c0"] = n, -n * d
            row["c"] = row["c0"]
            rows.append(row)
        world = arena(rows, flat=False)
        launch = world.new_params(G, radius)
        world.answers["holds"] = 1
        world.answers["then"] = pool.END + 1
        names = {}
        for k, (p, v) in enumerate(shots):
            world.put(launch, p, v, k, 0)
            names[k] = f"{k}"
        row = ticks(1, 1.0 / length)
        hops = {}
        with mock.patch.dict(os.environ, {"NIVVO_COMPILE": "always" if compiled else "never"}):
            while True:
                world.run(row, keep=True)
                if world.why != pool.HOLD:
                    break
                i = int(world.counters[pool.HELD])
                q, at = world.flight[i], world.points[i]
                event = world.events[world.counters[pool.EVENTS] - 1]
                key, n, t = int(q["key"]), event["normal"].copy(), float(event["after"])
                p, v = at["p"].copy(), at["v"].copy()
                hops[key] = hops.get(key, 0) + 1
                # Thrown back: it is on the surface and moving out, so it need not be left out.
                q["inside"][:] = -1
                what = answers(names[key], hops[key])
                if what == "end":
                    world.finish(i, t, pool.BY_CALL, row[0])
                    continue
                if what == "birth":
                    child = 1000 + key
                    names[child] = names[key] + "."
                    born = int(t * clock.UNITS)
                    world.put(launch, 0.9 * p, n * 3.0, child, born)
                world.redirect(i, t, p, reflected(v, n), 0)
        found = events_of(world)
        return [
            (float(e["after"]), names[int(e["key"])], int(e["body"]))
            for e in found
            if e["kind"] in (pool.CONTACT, pool.OVERLAP)
        ], found

    def test_ten_contacts_in_one_tick_with_children_and_an_end_agree_with_the_model(self):
        rng = np.random.default_rng(21)
        contacts = births = 0
        for k in range(12):
            flat = k % 2 == 0
            planes, radius, length = box_of_planes(rng, flat), 0.1, 2.0
            shots = []
            for _ in range(3):
                v = rng.normal(size=3) * 9.0
                shots.append((np.zeros(3), v * [1, 1, 0] if flat else v))
            model = Model(planes, radius, length)
            for name, (p, v) in enumerate(shots):
                model.fly(f"{name}", 0.0, p.copy(), v.copy(), answers)
            found, _ = self.engine(planes, shots, radius, length, False)
            expected = sorted(model.events)
            self.assertEqual([row[1:] for row in sorted(found)], [row[1:] for row in expected], f"scene {k}")
            np.testing.assert_allclose([row[0] for row in sorted(found)], [row[0] for row in expected], atol=1e-7)
            contacts += len(found)
            births += sum("." in row[1] for row in found)
        self.assertGreater(contacts, 150)
        self.assertGreater(births, 10)

    def test_plain_and_compiled_and_any_order_of_rows_give_the_same_bytes(self):
        rng = np.random.default_rng(5)
        planes = box_of_planes(rng, True)
        shots = [(np.zeros(3), rng.normal(size=3) * [9, 9, 0]) for _ in range(4)]
        one, other = (self.engine(planes, shots, 0.1, 2.0, compiled)[1] for compiled in (True, False))
        self.assertEqual(one.tobytes(), other.tobytes())


class Due(unittest.TestCase):
    def scene(self, turned=False):
        world = arena([ball((5, 0, 0), key=0, health=1.0)], flat=False)
        launch = world.new_params(np.zeros(3), 0.1, damage=1.0)
        order = (0, 1) if not turned else (1, 0)
        for k in order:
            world.put(launch, ((0, 0, 0), (0, 0.2, 0))[k], ((20, 0, 0), (10, 0, 0))[k], k, 0)
        return world

    def test_it_comes_back_before_the_first_contact_that_is_not_before_the_act(self):
        for act in (0.05, 0.2, 0.22, 0.3, 0.9):
            world, row = self.scene(), ticks(1, 1.0)
            world.run(row, until=round(act * clock.UNITS), keep=True)
            self.assertEqual(world.why, pool.DUE)
            seen = [float(e["after"]) for e in world.events[: world.counters[pool.EVENTS]] if e["kind"] == pool.CONTACT]
            self.assertEqual(seen, [t for t in (4.4 / 20,) if t < act and abs(t - act) > 1e-9] if act != 0.22 else [])
            world.run(row, keep=True)
            self.assertIn(world.why, (pool.DONE, pool.EMPTY))

    def test_leaving_it_anywhere_changes_no_byte(self):
        whole = self.scene()
        whole.run(ticks(1, 1.0))
        expected = events_of(whole).tobytes()
        for turned in (False, True):
            for acts in ((0.1,), (0.22,), (0.1, 0.3, 0.5), tuple(np.linspace(0.01, 0.99, 30))):
                world, row = self.scene(turned), ticks(1, 1.0)
                for act in acts:
                    world.run(row, until=round(float(act) * clock.UNITS), keep=True)
                world.run(row, keep=True)
                self.assertEqual(events_of(world).tobytes(), expected, acts)

    def test_an_act_ends_what_has_flown_on_already_where_it_is_then(self):
        for free in (True, False):
            world = arena([] if free else [ball((30, 0, 0))], flat=False)
            world.put(world.new_params(G, 0.1), np.zeros(3), (10.0, 5.0, 0.0), 1, 0)
            row = ticks(1, 1.0)
            world.run(row, until=clock.UNITS // 4, keep=True)
            world.end(0, clock.UNITS // 2, pool.BY_PRESS)
            world.run(row, keep=True)
            end = next(e for e in events_of(world) if e["kind"] == pool.ENDED)
            self.assertEqual((float(end["after"]), int(end["code"])), (0.5, pool.BY_PRESS))
            np.testing.assert_allclose(end["p"], [5.0, 2.5 - 9.81 / 8, 0.0], atol=1e-12)

    def test_a_shot_born_in_the_middle_of_a_tick_touches_in_it(self):
        world = arena([ball((5, 0, 0))], flat=False)
        launch = world.new_params(np.zeros(3), 0.1)
        row = ticks(1, 1.0)
        world.run(row, until=clock.UNITS // 4, keep=True)
        world.put(launch, np.zeros(3), (10.0, 0, 0), 3, clock.UNITS // 4)
        world.run(row, keep=True)
        touch = next(e for e in events_of(world) if e["kind"] == pool.CONTACT)
        self.assertAlmostEqual(float(touch["after"]), 0.25 + 0.44, delta=1e-12)
