"""The tick against textbook recurrences, brute force over all bodies, and its own two ways of running."""

import os
import unittest
from fractions import Fraction

import mpmath
import numpy as np

from nivvo.core import pool
from nivvo.core.geometry.shapes import distance
from nivvo.core.numbers import clock
from nivvo.core.tick import advance
from tests.core.arenas import arena, ball, crowd, events_of, floor, stack, ticks
from tests.core.bodies import NAMES, body, exact_distance

G = np.array([0.0, -9.81, 0.0])


def recurrence(step, p, v, a, h, count):
    """The textbook's own lines, one tick after the other; the exact step in fractions."""
    rows = []
    p0, v0 = p.copy(), v.copy()
    for n in range(1, count + 1):
        if step == "semi-implicit":
            v = v + a * h
            p = p + v * h
        elif step == "explicit":
            p = p + v * h
            v = v + a * h
        elif step == "verlet":
            p = p + v * h + a * (0.5 * h * h)
            v = v + a * h
        else:
            t = Fraction(n, round(1 / h))
            p = np.array(
                [
                    float(Fraction(x) + Fraction(u) * t + Fraction(b) * t * t / 2)
                    for x, u, b in zip(p0, v0, a, strict=True)
                ]
            )
            v = np.array([float(Fraction(u) + Fraction(b) * t) for u, b in zip(v0, a, strict=True)])
        rows.append((p.copy(), v.copy()))
    return rows


class Steps(unittest.TestCase):
    def fly(self, step, first_move="same", rate=60, count=40, p=(0.3, 1.7, 0.0), v=(11.0, 13.0, 0.0), a=G):
        made = arena([], step=pool.STEPS[step])
        launch = made.new_params(a, 0.1)
        moves_at = 0 if first_move == "same" else clock.UNITS // rate
        made.put(launch, p, v, 7, 0, moves_at=moves_at)
        made.run(ticks(count, rate))
        return made.take_samples()

    def test_each_step_is_its_textbook_recurrence_tick_by_tick(self):
        for up in (G, -G, np.array([0.0, 0.0, -9.81]), np.array([3.0, -2.0, 1.0])):
            for rate in (30, 60, 144):
                for step in pool.STEPS:
                    p, v = np.array([0.3, 1.7, -2.0]), np.array([11.0, 13.0, -5.0])
                    samples = self.fly(step, rate=rate, p=p, v=v, a=up)
                    for sample, (q, u) in zip(samples, recurrence(step, p, v, up, 1.0 / rate, 40), strict=True):
                        if step == "exact":
                            np.testing.assert_allclose(sample["p"], q, rtol=0, atol=1e-14 * 40)
                            np.testing.assert_allclose(sample["v"], u, rtol=0, atol=1e-14 * 40)
                        else:
                            np.testing.assert_array_equal(sample["p"], q, step)
                            np.testing.assert_array_equal(sample["v"], u, step)

    def test_a_shot_that_moves_in_the_next_tick_is_the_same_one_tick_late(self):
        for step in pool.STEPS:
            same, late = self.fly(step), self.fly(step, "next")
            np.testing.assert_array_equal(late["p"][0], [0.3, 1.7, 0.0])
            np.testing.assert_array_equal(late["p"][1:], same["p"][:-1])
            np.testing.assert_array_equal(late["v"][1:], same["v"][:-1])

    def test_the_exact_step_does_not_depend_on_the_rate(self):
        ends = {rate: self.fly("exact", rate=rate, count=2 * rate)[-1]["p"] for rate in (30, 60, 144, 1000)}
        for end in ends.values():
            np.testing.assert_array_equal(end, ends[60])

    def test_a_shot_in_the_middle_of_a_tick_has_flown_the_rest_of_it(self):
        made = arena([])
        launch = made.new_params(G, 0.1)
        born = clock.UNITS // 60 // 4
        made.put(launch, (0, 0, 0), (10, 10, 0), 1, born)
        made.run(ticks(1))
        t = 0.75 / 60
        np.testing.assert_allclose(made.take_samples()[0]["p"], [10 * t, 10 * t - 9.81 * t * t / 2, 0], rtol=1e-15)


class Ends(unittest.TestCase):
    def one(self, rows=(), launch=None, p=(0, 5, 0), v=(3, 4, 0), count=600, inside=(), **options):
        made = arena(list(rows), **options)
        number = made.new_params(G, 0.1, **(launch or {}))
        made.put(number, p, v, 1, 0, inside=inside)
        made.run(ticks(count))
        return events_of(made), made

    def test_life_ends_at_its_exact_time_also_inside_a_tick_and_on_its_edge(self):
        for seconds in (0.5, 0.51, 1 / 60, 0.0):
            life = clock.from_seconds(seconds)
            events, _ = self.one(launch={"life": life})
            self.assertEqual(events[-1]["code"], pool.BY_LIFE)
            self.assertAlmostEqual(
                events[-1]["start"] / clock.UNITS + events[-1]["after"], life / clock.UNITS, delta=1e-15
            )

    def test_reach_ends_after_that_much_path(self):
        for step in ("exact", "semi-implicit"):
            events, _ = self.one(launch={"reach": 7.25}, step=pool.STEPS[step])
            self.assertEqual(events[-1]["code"], pool.BY_REACH)
            t = events[-1]["start"] / clock.UNITS + events[-1]["after"]
            if step == "exact":
                s = np.linspace(0, t, 200_001)
                p = np.outer(s, [3.0, 4.0]) + np.outer(s * s / 2, [0, -9.81])
                length = np.linalg.norm(np.diff(p, axis=0), axis=1).sum()
                self.assertAlmostEqual(length, 7.25, delta=1e-8)

    def test_bounds_end_it_where_it_leaves(self):
        bounds = np.array([[-1.0, -2.0, -1e30], [50.0, 5.5, 1e30]])
        events, _ = self.one(bounds=bounds)
        self.assertEqual(events[-1]["code"], pool.BY_BOUNDS)
        self.assertAlmostEqual(events[-1]["p"][1], 5.5, delta=1e-12)

    def test_numbers_beyond_measure_end_it(self):
        events, _ = self.one(v=(1e14, 0, 0), count=60_000)
        self.assertEqual(events[-1]["code"], pool.BY_NUMBERS)

    def test_its_own_body_is_not_touched_until_it_is_clear_and_is_touched_after(self):
        own = ball((0, 5, 0))
        events, _ = self.one([own, floor(-100, key=1)], v=(0, 8, 0), inside=(0,))
        self.assertEqual([int(e["kind"]) for e in events], [pool.CONTACT, pool.ENDED])
        self.assertEqual(events[0]["body"], 0)
        self.assertGreater(events[0]["start"] / clock.UNITS, 1.0)
        never, _ = self.one([own, floor(-100, key=1)], launch={"spares": 0}, v=(0, 8, 0))
        self.assertEqual(never[0]["body"], 1)
        always, _ = self.one([own, floor(-100, key=1)], v=(0, 8, 0))
        self.assertEqual(always[0]["kind"], pool.OVERLAP)

    def test_pass_notes_each_body_once_and_flies_on(self):
        rows = [ball((4.0 * k, 5, 0), key=k) for k in range(1, 4)]
        events, _ = self.one(rows, launch={"then": pool.PASS}, v=(60, 0.5, 0), count=60)
        self.assertEqual(list(events["body"][events["kind"] == pool.CONTACT]), [0, 1, 2])
        events, _ = self.one(rows, launch={"then": pool.IGNORE}, v=(60, 0.5, 0), count=60)
        self.assertEqual(len(events), 0)

    def test_more_overlaps_than_can_be_remembered_end_it_with_a_reason(self):
        rows = [ball((2, 5, 0), radius=1 + k / 10, key=k) for k in range(pool.INSIDE_MOST + 2)]
        events, _ = self.one(rows, launch={"then": pool.PASS}, v=(60, 0.5, 0))
        self.assertEqual(events[-1]["code"], pool.BY_INSIDE)


class SharedTargets(unittest.TestCase):
    def test_two_shots_in_one_tick_are_answered_in_the_order_of_their_times(self):
        # Both reach the target in the same tick; it dies of the first, and the other flies on.
        for order in ((0, 1), (1, 0)):
            target = ball((10, 0, 0), health=5.0)
            made = arena([target, floor(-50, key=1)])
            launch = made.new_params((0, 0, 0), 0.1, damage=5.0)
            near, far = (9.2, 0, 0), (9.1, 0, 0)
            for key in order:
                made.put(launch, near if key == 0 else far, (30, 0, 0), key, 0)
            made.run(ticks(1))
            events = events_of(made)
            self.assertEqual([int(k) for k in events["kind"]], [pool.CONTACT, pool.DAMAGE, pool.OUT, pool.ENDED])
            self.assertEqual(set(events["key"]), {0})
            self.assertEqual(made.live, 1)
            self.assertAlmostEqual(float(made.flight[0]["p"][0]), 9.1 + 0.5, delta=1e-12)

    def test_equal_times_go_by_shot_key_whatever_the_order_in_the_pool(self):
        for order in ((3, 8), (8, 3)):
            made = arena([ball((10, 0, 0), health=5.0)])
            launch = made.new_params((0, 0, 0), 0.1, damage=5.0)
            for key in order:
                made.put(launch, (9.2, 0, 0), (30, 0, 0), key, 0)
            made.run(ticks(1))
            self.assertEqual(set(events_of(made)["key"]), {3})

    def test_a_shot_that_finds_its_body_gone_touches_what_is_behind(self):
        made = arena([ball((10, 0, 0), health=1.0), ball((10.3, 0, 0), key=1)])
        launch = made.new_params((0, 0, 0), 0.1, damage=1.0)
        made.put(launch, (9.2, 0, 0), (60, 0, 0), 0, 0)
        made.put(launch, (9.1, 0, 0), (60, 0, 0), 1, 0)
        made.run(ticks(1))
        touches = [(int(e["key"]), int(e["body"])) for e in events_of(made) if e["kind"] == pool.CONTACT]
        self.assertEqual(touches, [(0, 0), (1, 1)])


class Moving(unittest.TestCase):
    def test_a_ball_meets_a_moving_ball_when_the_quadratic_says(self):
        rng = np.random.default_rng(2)
        met = 0
        for _ in range(60):
            centre, u = rng.uniform(-3, 3, 3) + [8, 0, 0], rng.normal(size=3) * 3
            v = centre * 1.5 + u + rng.normal(size=3) * 0.6
            made = arena([ball(centre, 0.7, u)], flat=False)
            made.put(made.new_params((0, 0, 0), 0.2), (0, 0, 0), v, 1, 0)
            made.run(ticks(90))
            events = events_of(made)
            w = v - u
            b, c = w @ -centre, centre @ centre - 0.81
            root = b * b - (w @ w) * c
            t = (-b - np.sqrt(root)) / (w @ w) if root > 0 else np.inf
            if 0 < t < 1.5:
                met += 1
                self.assertAlmostEqual(events[0]["start"] / clock.UNITS + events[0]["after"], t, delta=1e-12)
            else:
                self.assertEqual(len(events), 0)
        self.assertGreater(met, 10)

    def test_every_shape_is_touched_on_its_surface_while_it_moves(self):
        rng = np.random.default_rng(12)
        for kind, name in NAMES.items():
            met = 0
            for _ in range(12):
                u = rng.normal(size=3) * 4
                row = body(kind, rng, rng.normal(size=3) + [6, 0, 0], velocity=u)
                v = row["c0"] / 0.5 + u - G * 0.25 + rng.normal(size=3) * 0.4
                if distance(row, tuple(float(x) for x in -row["c0"]))[0] < 0.2:
                    continue
                made = arena([row], flat=False, scene=10.0)
                made.put(made.new_params(G, 0.1, life=clock.UNITS), (0, 0, 0), v, 1, 0)
                made.run(ticks(60))
                first = events_of(made)[0]
                if first["kind"] != pool.CONTACT:
                    continue
                met += 1
                with mpmath.workdps(50):
                    t = mpmath.mpf(int(first["start"])) / clock.UNITS + mpmath.mpf(float(first["after"]))
                    d = [
                        mpmath.mpf(float(first["p"][k])) - mpmath.mpf(float(row["c0"][k])) - mpmath.mpf(float(u[k])) * t
                        for k in range(3)
                    ]
                    self.assertLess(abs(exact_distance(row, d) - mpmath.mpf(0.1)), 1e-9, name)
            self.assertGreater(met, 2, name)


class Touch(unittest.TestCase):
    def shot_at_wall(self, touch, speed, thick=0.02):
        rng = np.random.default_rng(1)
        wall = body(2, rng, (10, 0, 0))
        wall["axis0"], wall["axis1"], wall["axis2"] = np.eye(3)
        wall["half"] = [thick / 2, 3, 1e30]
        made = arena([wall], touch=pool.TOUCHES[touch])
        made.put(made.new_params((0, 0, 0), 0.05, life=clock.UNITS), (0.513, 0, 0), (speed, 0, 0), 1, 0)
        made.run(ticks(120))
        return events_of(made)

    def test_nothing_passes_a_thin_wall_when_swept(self):
        for speed in (1.0, 60.0, 1e3, 1e4, 1e5):
            events = self.shot_at_wall("swept", speed * 15, thick=0.0)
            self.assertEqual(events[0]["kind"], pool.CONTACT, speed)
            self.assertAlmostEqual(events[0]["p"][0], 9.95, delta=1e-9)

    def test_at_ticks_a_fast_shot_passes_and_the_run_says_so_once(self):
        events = self.shot_at_wall("at ticks", 600.0)
        self.assertEqual([int(k) for k in events["kind"]], [pool.SLIPPED, pool.ENDED])
        self.assertEqual(events[-1]["code"], pool.BY_LIFE)

    def test_at_ticks_a_slow_shot_is_found_in_overlap_at_a_ticks_end(self):
        events = self.shot_at_wall("at ticks", 30.0, thick=1.0)
        self.assertEqual(events[0]["kind"], pool.OVERLAP)
        self.assertEqual(events[0]["after"], 1 / 60)
        # The first tick, counted from 0, at whose end 0.513 + 0.5 (n + 1) + 0.05 > 9.5.
        self.assertEqual(int(events[0]["tick"]), 17)


class Grid(unittest.TestCase):
    def brute(self, bodies, p, v, radius, a, span):
        """First touch among all bodies by tiny time steps and bisection; no grid, no planes."""
        times = np.linspace(0, span, 500)
        best = np.inf
        for row in bodies:

            def gap(t, row=row):
                d = p + v * t + a * t * t / 2 - row["c0"] - row["v0"] * t
                return distance(row, tuple(float(x) for x in d))[0] - radius

            # Out of a ball about all of it there is no need to look.
            s = times[:, None]
            d = p + v * s + a * s * s / 2 - row["c0"] - row["v0"] * s
            far = np.linalg.norm(d, axis=1) > np.linalg.norm(row["half"][np.isfinite(row["half"])]) + row["radius"] + 1
            gaps = np.array([1.0 if out else gap(t) for t, out in zip(times, far, strict=True)])
            hit = np.flatnonzero(gaps <= 0)
            if len(hit) and hit[0] > 0 and times[hit[0] - 1] < best:
                low, high = times[hit[0] - 1], times[hit[0]]
                for _ in range(60):
                    middle = (low + high) / 2
                    low, high = (middle, high) if gap(middle) > 0 else (low, middle)
                best = min(best, high)
        return best

    def test_finds_what_a_search_over_all_bodies_finds(self):
        rng = np.random.default_rng(3)
        found = 0
        for flat in (True, False):
            bodies = crowd(rng, 40, 14.0, flat)
            for _ in range(16):
                p, v = rng.uniform(0, 14, 3), rng.normal(size=3) * 12
                if flat:
                    p[2] = v[2] = 0.0
                made = arena(bodies, flat=flat)
                gaps = [distance(row, tuple(float(x) for x in p - row["c0"]))[0] for row in bodies]
                if min(gaps) < 0.15:
                    continue
                made.put(made.new_params(G, 0.1, life=clock.UNITS // 2), p, v, 1, 0)
                made.run(ticks(60))
                first = events_of(made)[0]
                expected = self.brute(bodies, p, v, 0.1, G, 0.5)
                if first["kind"] == pool.CONTACT:
                    found += 1
                    self.assertAlmostEqual(first["start"] / clock.UNITS + first["after"], expected, delta=1e-6)
                else:
                    self.assertEqual(expected, np.inf)
        self.assertGreater(found, 5)

    def test_one_tick_of_any_length_finds_the_same_as_many(self):
        rng = np.random.default_rng(8)
        bodies = crowd(rng, 60, 20.0, moving=0.0)
        for _ in range(20):
            p, v = np.append(rng.uniform(0, 20, 2), 0), np.append(rng.normal(size=2) * 40, 0)
            times = []
            for rate, count in ((60, 60), (1, 1)):
                made = arena(bodies)
                made.put(made.new_params(G, 0.1), p, v, 1, 0)
                made.run(ticks(count, rate))
                events = events_of(made)
                times.append(events[0]["start"] / clock.UNITS + events[0]["after"] if len(events) else None)
            if times[0] is None:
                self.assertIsNone(times[1])
            else:
                self.assertAlmostEqual(times[0], times[1], delta=1e-9)


class SameBytes(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(4)
        self.bodies = crowd(self.rng, 50, 20.0)
        self.bodies["health"][::3] = 12.0
        count = 120
        self.p = np.concatenate([self.rng.uniform(0, 20, (count, 2)), np.zeros((count, 1))], axis=1)
        self.v = np.concatenate([self.rng.normal(size=(count, 2)) * 15, np.zeros((count, 1))], axis=1)
        self.then = self.rng.integers(0, 2, count)

    def fire(self, order, step="exact", touch="swept", bodies=None, ticks_each=40):
        made = arena(self.bodies if bodies is None else bodies, step=pool.STEPS[step], touch=pool.TOUCHES[touch])
        launches = [made.new_params(G, 0.1, then=then, damage=5.0, life=clock.UNITS, reach=30.0) for then in (0, 1)]
        for k in order:
            made.put(launches[self.then[k]], self.p[k], self.v[k], int(k), int(k) * 1_000_000)
        for first in range(0, 40, ticks_each):
            made.run(ticks(ticks_each, first=first))
        samples = made.take_samples()
        return events_of(made).tobytes(), samples[np.lexsort((samples["t"], samples["key"]))].tobytes()

    def test_the_order_in_the_pool_changes_nothing(self):
        base = self.fire(range(120))
        self.assertEqual(self.fire(self.rng.permutation(120)), base)
        self.assertEqual(self.fire(range(120), ticks_each=1), base)

    def test_a_shot_flies_the_same_alone_and_beside_a_thousand(self):
        self.bodies["health"] = np.inf
        made = []
        for others in (0, 1000):
            one = arena(self.bodies)
            launch = one.new_params(G, 0.1, life=clock.UNITS)
            p, v = self.rng.uniform(0, 20, (others, 3)) * [1, 1, 0], self.rng.normal(size=(others, 3)) * [9, 9, 0]
            if others:
                one.put(launch, p, v, np.arange(1000, 1000 + others), 0)
            one.put(launch, self.p[:5], self.v[:5], np.arange(5), 0)
            one.run(ticks(60))
            events, samples = events_of(one), one.take_samples()
            made.append((events[events["key"] < 5].tobytes(), samples[samples["key"] < 5].tobytes()))
        self.assertEqual(*made)

    def test_compiled_and_plain_give_the_same_bytes(self):
        for step in pool.STEPS:
            for touch in pool.TOUCHES:
                with self.subTest(step=step, touch=touch):
                    results = []
                    for mode in ("never", "always"):
                        advance.forget()
                        old = os.environ.get("NIVVO_COMPILE")
                        os.environ["NIVVO_COMPILE"] = mode
                        try:
                            results.append(self.fire(range(60), step, touch))
                        finally:
                            os.environ.pop("NIVVO_COMPILE")
                            if old is not None:
                                os.environ["NIVVO_COMPILE"] = old
                    self.assertEqual(*results)
        advance.forget()

    def test_full_tables_of_events_and_samples_grow_without_a_loss(self):
        made = arena(stack([ball((500, 0, 0))]))
        made.samples = pool.zeros(3, pool.SAMPLE)
        made.events = pool.zeros(4, pool.EVENT)
        made.put(made.new_params((0, 0, 0), 0.1, life=clock.UNITS), np.zeros((50, 3)), (1, 0, 0), np.arange(50), 0)
        made.run(ticks(100))
        self.assertEqual(len(made.take_samples()), 50 * 59)
        self.assertEqual(len(made.take_events()), 50)
