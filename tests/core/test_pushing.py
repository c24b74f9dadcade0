"""Loose bodies: closed forms of sliding, falling and pushing, and random heaps in which nothing sinks in."""

import itertools
import math
import unittest
from dataclasses import replace

import numpy as np
from scipy.optimize import nnls

from nivvo.core import pool
from nivvo.core.bodies.islands import islands
from nivvo.core.bodies.pushing import NOWHERE, Loose, Other, advance, reach_of
from nivvo.core.geometry.hulls import between
from nivvo.core.geometry.shapes import BALL, BOX, CAPSULE, ENDLESS, HALF_SPACE, PRISM, with_an_end
from nivvo.core.numbers.vec import dot
from tests.core.bodies import body
from tests.deep import DEEP

G = 9.81


def box(half, axes=None, flat=True):
    row = pool.zeros(1, pool.BODY)[0]
    row["kind"], row["half"] = BOX, [*half, ENDLESS][:3] if flat else half
    row["axis0"], row["axis1"], row["axis2"] = np.eye(3) if axes is None else axes
    return row


def floor(normal, number=100, at=NOWHERE, velocity=NOWHERE):
    row = pool.zeros(1, pool.BODY)[0]
    row["kind"], row["axis0"] = HALF_SPACE, normal
    return Other(number, row, at, velocity, reach_of(row))


def other(number, row, at, velocity=NOWHERE):
    return Other(number, row, tuple(map(float, at)), velocity, reach_of(row))


def move(loose, others, gravity, ground, seconds):
    """One tick; the pieces of it."""

    def there(far):
        return [replace(one) for one in others]

    return advance(loose, there, lambda place, far: [], gravity, ground, seconds, 5.0)


def run(loose, others, gravity=(0.0, -G, 0.0), ground=0.0, seconds=10.0, rate=60, see=lambda k: None):
    for k in range(round(seconds * rate)):
        moved = [replace(one, p=tuple(np.array(one.p) + np.array(one.v) * k / rate)) for one in others]
        move(loose, moved, gravity, ground, 1.0 / rate)
        see(k)


def gap(one, two):
    """The least gap between the shapes of two bodies."""
    return min(
        between(a.row, np.add(one.p, a.arm), b.row, np.add(two.p, b.arm))[0]
        for a, b in itertools.product(one.shapes, two.shapes)
    )


def turned(angle):
    s, c = math.sin(angle), math.cos(angle)
    return np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]])


def corners_of(row):
    """The corners of what a body rounds, from its centre, (n, 3)."""
    half, axes = with_an_end(row["half"]), np.array([row[f"axis{k}"] for k in range(3)])
    signs = np.array(list(itertools.product((-1, 1), repeat=3)))
    if row["kind"] != PRISM:
        return (signs * half) @ axes
    ring = row["corners"][: row["count"]]
    return np.array([[x, y, end] for x, y in ring for end in (-half[2], half[2])]) @ axes


def cores_apart(one, at, two, there):
    """The least distance between what two bodies round: of all mixtures of the corners of each."""
    p, q = corners_of(one) + at - there, corners_of(two)
    weight = 1e4
    rows = np.zeros((2, len(p) + len(q)))
    rows[0, : len(p)], rows[1, len(p) :] = weight, weight
    matrix = np.vstack([np.hstack([p.T, -q.T]), rows])
    found = nnls(matrix, np.array([0, 0, 0, weight, weight]), maxiter=2000)[0]
    first, second = found[: len(p)], found[len(p) :]
    return np.linalg.norm(first @ p / first.sum() - second @ q / second.sum())


class Gap(unittest.TestCase):
    def test_between_bodies_is_that_of_the_nearest_points_of_their_cores(self):
        rng, apart = np.random.default_rng(3), 0
        for _ in range(600 if DEEP else 150):
            flat = bool(rng.integers(2))
            one, two = (body(int(kind), rng, flat=flat) for kind in rng.choice([BALL, CAPSULE, BOX, PRISM], 2))
            at, there = rng.uniform(-3, 3, (2, 3))
            if flat:
                at[2] = there[2] = 0.0
            gap, way = between(one, at, two, there)
            cores = cores_apart(one, at, two, there)
            if cores > 1e-3:
                apart += 1
                self.assertAlmostEqual(gap, cores - one["radius"] - two["radius"], delta=2e-5)
                step = between(one, at + 1e-6 * way, two, there)[0]
                self.assertAlmostEqual((step - gap) / 1e-6, 1.0, delta=1e-3)
            else:
                self.assertLess(gap, 1e-9)
                self.assertGreater(between(one, at + (1e-9 - gap) * way, two, there)[0], -1e-8)
        self.assertGreater(apart, 50)

    def test_the_way_from_an_edge_is_true_however_near_and_that_from_a_flush_side_is_its_normal(self):
        square = pool.zeros(1, pool.BODY)[0]
        square["kind"], square["half"], square["count"] = PRISM, [1, 1, 1], 4
        square["corners"][:4] = [[-1, -1], [1, -1], [1, 1], [-1, 1]]
        square["axis0"], square["axis1"], square["axis2"] = np.eye(3)
        stick = box([0, 0, 0.5], flat=False)
        stick["kind"], stick["radius"] = CAPSULE, 0.25
        for row in (square, box([1, 1, 1], flat=False)):
            for x, z in ((5e-5, 2e-9), (1e-6, 1e-10), (3e-9, 4e-9), (1e-3, 1e-3)):
                off = np.array([1.0 + x, 0.1, 1.0 + z]) - [1.0, 0.1, 1.0]
                _, way = between(stick, [1.0 + x, 0.1, 1.5 + z], row, [0, 0, 0])
                np.testing.assert_allclose(way, off / np.linalg.norm(off), atol=1e-6)
            _, way = between(stick, [1.0 + 1e-9, 0.1, 1.5 + 1e-16], row, [0, 0, 0])
            self.assertEqual(way.tolist(), [1.0, 0.0, 0.0])


class Slide(unittest.TestCase):
    def test_it_stops_after_its_speed_squared_over_twice_the_friction_at_any_slope_and_rate(self):
        for angle in (0.0, 0.4, -1.1):
            for rate in (30, 60, 144):
                for slope in (0.0, math.radians(12)):
                    # The whole world is turned by the angle; on the slope it slides uphill, and stays.
                    n = turned(angle)[1]
                    along = turned(angle)[0]
                    gravity = turned(angle - slope)[1] * -G
                    one = Loose(0, box([0.5, 0.3], turned(angle)), 2.0, 0.4, tuple(0.3 * n), tuple(3.0 * along))
                    run([one], [floor(n)], tuple(gravity), rate=rate, seconds=4)
                    slows = 0.4 * G * math.cos(slope) + G * math.sin(slope)
                    np.testing.assert_allclose(np.array(one.p) - 0.3 * n, 9.0 / (2 * slows) * along, atol=1e-9)
                    self.assertTrue(one.asleep)

    def test_in_space_and_on_ground_that_is_looked_down_on(self):
        n, way = np.array([0.48, 0.6, 0.64]), np.array([0.8, 0.0, -0.6])
        axes = np.array([way, np.cross(n, way), n])
        one = Loose(0, box([0.5, 0.3, 0.2], axes, flat=False), 3.0, 0.25, tuple(0.2 * n), tuple(2.0 * way))
        run([one], [floor(n)], tuple(-G * n), seconds=4)
        np.testing.assert_allclose(np.array(one.p) - 0.2 * n, 4.0 / (2 * 0.25 * G) * way, atol=1e-9)
        one = Loose(0, box([0.5, 0.3]), 3.0, 0.25, NOWHERE, (1.2, 1.6, 0.0))
        run([one], [], NOWHERE, ground=G, seconds=4)
        np.testing.assert_allclose(one.p, np.array([0.6, 0.8, 0.0]) * 4.0 / (2 * 0.25 * G), atol=1e-9)

    def test_down_a_slope_it_gains_what_gravity_leaves_it(self):
        slope = math.radians(35)
        n, along = turned(-slope)[1], turned(-slope)[0]
        one = Loose(0, box([0.5, 0.3], turned(-slope)), 2.0, 0.3, tuple(0.3 * n))
        run([one], [floor(n)], seconds=1)
        gain = G * (math.sin(slope) - 0.3 * math.cos(slope))
        np.testing.assert_allclose(np.array(one.p) - 0.3 * n, 0.5 * gain * along, atol=1e-9)
        held = Loose(0, box([0.5, 0.3], turned(-slope)), 2.0, 0.8, tuple(0.3 * n))
        run([held], [floor(n)], seconds=1)
        self.assertTrue(held.asleep)

    def test_over_an_edge_it_falls_and_slides_on_where_it_lands(self):
        table = other(101, box([2.0, 0.5]), (0.0, 1.5, 0.0))
        one = Loose(0, box([0.3, 0.3]), 2.0, 0.1, (0.0, 2.3, 0.0), (4.0, 0.0, 0.0))
        run([one], [floor([0, 1, 0]), table], seconds=8)
        speed = math.sqrt(16.0 - 2 * 0.1 * G * 2.3)
        lands = 2.3 + speed * math.sqrt(2 * 2.0 / G)
        self.assertAlmostEqual(one.p[0], lands + speed * speed / (2 * 0.1 * G), delta=1e-6)
        self.assertAlmostEqual(one.p[1], 0.3, delta=1e-9)

    def test_it_falls_from_when_it_is_past_an_edge_at_any_rate(self):
        rng = np.random.default_rng(12)
        table = other(101, box([2.0, 0.5]), (0.0, 1.5, 0.0))
        for _ in range(40):
            speed, friction, rate = rng.uniform(2, 5), rng.uniform(0, 0.2), int(rng.integers(20, 240))
            # Many a tick ends just before.
            falls = rng.integers(1, 9) / rate + rng.choice([1e-5, 1e-4, 4e-4])
            far, last = (speed - 0.5 * friction * G * falls) * falls, speed - friction * G * falls
            one = Loose(0, box([0.3, 0.3]), 2.0, friction, (2.3 - far, 2.3, 0.0), (speed, 0.0, 0.0))
            ticks = math.ceil((falls + 0.3) * rate)
            run([one], [table], rate=rate, seconds=ticks / rate)
            late = ticks / rate - falls
            np.testing.assert_allclose(one.p[:2], (2.3 + last * late, 2.3 - 0.5 * G * late * late), atol=1e-7)

    def test_what_is_round_slides_over_seams_as_on_one_floor(self):
        rng = np.random.default_rng(13)
        for _ in range(20):
            axes = turned(rng.uniform(-math.pi, math.pi))
            along, n, _ = axes
            radius, rate = rng.uniform(0.1, 0.6), int(rng.integers(20, 240))
            speed, friction, ends = rng.uniform(1, 4), rng.uniform(0.2, 0.6), [-60.0, *rng.uniform(0, 3, 8), 60.0]
            blocks = [
                other(100 + k, box([0.5 * (b - a), 20.0], axes), 0.5 * (a + b) * along - 20.0 * n)
                for k, (a, b) in enumerate(itertools.pairwise(sorted(ends)))
            ]
            ball = pool.zeros(1, pool.BODY)[0]
            ball["kind"], ball["radius"] = BALL, radius
            one = Loose(0, ball, 2.0, friction, tuple(radius * n), tuple(speed * along))
            run([one], blocks, tuple(-G * n), rate=rate, seconds=math.ceil(rate * speed / (friction * G)) / rate)
            goes = speed * speed / (2 * friction * G)
            np.testing.assert_allclose(np.array(one.p) - radius * n, goes * along, atol=1e-6)

    def test_a_ball_leaves_a_round_body_where_gravity_no_longer_bends_its_way(self):
        round_, ball = (pool.zeros(1, pool.BODY)[0] for _ in range(2))
        for row, radius in ((round_, 1.0), (ball, 0.3)):
            row["kind"], row["radius"], row["axis0"] = BALL, radius, [1, 0, 0]
        start = math.radians(10)
        one = Loose(0, ball, 1.0, 0.0, (1.3 * math.sin(start), 1.3 * math.cos(start), 0.0))
        on = []

        def see(_):
            if math.hypot(*one.p) < 1.3 + 1e-6:
                on.append(one.p[1] / math.hypot(*one.p))

        run([one], [other(1, round_, NOWHERE)], rate=500, seconds=2, see=see)
        self.assertAlmostEqual(on[-1], 2.0 / 3.0 * math.cos(start), delta=0.02)


class Push(unittest.TestCase):
    def test_two_that_meet_go_on_as_one_and_keep_their_momentum(self):
        rng = np.random.default_rng(5)
        for _ in range(20):
            way = turned(rng.uniform(0, 7))
            masses, speed = rng.uniform(0.5, 5, 2), rng.uniform(1, 5)
            first = Loose(0, box([0.5, 0.5], way), masses[0], 0.0, NOWHERE, tuple(speed * way[0]))
            second = Loose(1, box([0.4, 0.5], way), masses[1], 0.0, tuple(2.0 * way[0]))
            run([first, second], [], NOWHERE, seconds=2)
            both = speed * masses[0] / masses.sum() * way[0]
            np.testing.assert_allclose(first.v, both, atol=1e-9)
            np.testing.assert_allclose(second.v, both, atol=1e-9)

    def test_of_two_the_friction_of_the_upper_holds_whatever_their_numbers(self):
        for numbers, angle in itertools.product(((0, 1), (1, 0)), (0.0, 0.7, math.pi)):
            along, n, _ = axes = turned(angle)
            for rough, gives in ((0.9, 0.0), (0.0, 1.0)):
                # On what its own friction holds; and on what goes with it, without friction below.
                lower = Loose(numbers[0], box([4.0, 0.5], axes), 3.0, rough, tuple(0.5 * n))
                upper = Loose(numbers[1], box([0.2, 0.2], axes), 2.0, 0.2, tuple(1.2 * n), tuple(1.5 * along))
                run(sorted([lower, upper], key=lambda one: one.number), [floor(n)], tuple(-G * n), seconds=2)
                slows = 0.2 * G * (1.0 + gives * 2.0 / 3.0)
                ways = np.subtract(upper.p, lower.p) - 0.7 * n
                np.testing.assert_allclose(ways, 1.5 * 1.5 / (2.0 * slows) * along, atol=1e-9)
                np.testing.assert_allclose(upper.v, gives * 1.5 * 2.0 / 5.0 * along, atol=1e-9)

    def test_what_moves_into_it_pushes_it_and_carries_what_lies_on_it(self):
        wall = other(101, box([0.2, 2.0]), (-3.0, 2.0, 0.0), (1.5, 0.0, 0.0))
        one = Loose(0, box([0.5, 0.5]), 2.0, 0.4, (0.0, 0.5, 0.0))
        run([one], [floor([0, 1, 0]), wall], seconds=4)
        self.assertAlmostEqual(one.p[0], -3.0 + 1.5 * 4 + 0.7, delta=1e-6)
        lift = other(101, box([2.0, 0.2]), (0.0, 0.0, 0.0), (0.7, 0.0, 0.0))
        one = Loose(0, box([0.5, 0.5]), 2.0, 0.6, (0.0, 0.7, 0.0))
        run([one], [lift], seconds=3)
        # It slips until it is as fast, then goes along.
        self.assertAlmostEqual(one.p[0], 0.7 * 3 - 0.7**2 / (2 * 0.6 * G), delta=1e-6)

    def test_what_leaves_the_ground_and_comes_back_within_a_tick_does_not_sink(self):
        for up, rate in itertools.product((1e-6, 1e-3, 0.05, 0.2), (20, 60, 144)):
            one = Loose(0, box([0.5, 0.5]), 3.0, 0.4, (0.0, 0.5, 0.0), (1.0, up, 0.0))
            heights = []
            run(
                [one],
                [floor([0, 1, 0])],
                seconds=0.5,
                rate=rate,
                see=lambda k, one=one, to=heights: to.append(one.p[1]),
            )
            self.assertGreater(min(heights), 0.5 - 1e-7, (up, rate))
            # It slides from where it comes down on, as far as its speed bears it.
            far = 2.0 * up / G + 1.0 / (2.0 * 0.4 * G)
            self.assertAlmostEqual(one.p[0], far, delta=1.0 * up, msg=(up, rate))

    def test_a_stack_of_three_stands_for_a_minute_at_each_rate(self):
        for rate in (30, 60, 144):
            stack = [Loose(k, box([0.5, 0.5]), 1.0 + k, 0.5, (0.1 * k, 0.5 + k, 0.0)) for k in range(3)]
            run(stack, [floor([0, 1, 0])], seconds=60, rate=rate)
            for k, one in enumerate(stack):
                self.assertTrue(one.asleep)
                np.testing.assert_allclose(one.p, (0.1 * k, 0.5 + k, 0.0), atol=1e-12)

    def test_a_stack_that_falls_comes_to_stand(self):
        stack = [Loose(k, box([0.5, 0.5]), 1.0 + k, 0.5, (0.1 * k, 1.5 + 1.3 * k, 0.0)) for k in range(3)]
        run(stack, [floor([0, 1, 0])], seconds=3)
        for k, one in enumerate(stack):
            np.testing.assert_allclose(one.p, (0.1 * k, 0.5 + k, 0.0), atol=1e-8)

    def test_what_is_heavy_stands_on_what_is_light_and_comes_down_on_it(self):
        rng = np.random.default_rng(21)
        for k in range(60 if DEEP else 16):
            way, up, _ = axes = turned(rng.uniform(0, 7))
            masses, drop = 10.0 ** rng.uniform(-1, 3, 2 + k % 4), (0.0, 0.3)[k // 4 % 2]
            places = [tuple((0.1 * j % 0.2) * way + (0.5 + j * (1.0 + drop)) * up) for j in range(len(masses))]
            stack = [Loose(j, box([0.5, 0.5], axes), mass, 0.5, places[j]) for j, mass in enumerate(masses)]
            run(stack, [floor(up)], tuple(-G * up), seconds=2.5)
            for j, one in enumerate(stack):
                with self.subTest(k=k, j=j, masses=masses):
                    self.assertTrue(one.asleep)
                    np.testing.assert_allclose(one.p, np.array(places[j]) - j * drop * up, atol=1e-8)

    def test_a_row_of_heavy_and_light_that_is_hit_goes_on_as_one(self):
        rng = np.random.default_rng(22)
        for k in range(60 if DEEP else 20):
            way, _, _ = axes = turned(rng.uniform(0, 7))
            masses, speed = 10.0 ** rng.uniform(-1, 3, 2 + k % 4), rng.uniform(1, 5)
            row = [Loose(j, box([0.5, 0.5], axes), mass, 0.0, tuple(j * way)) for j, mass in enumerate(masses)]
            row[0].p, row[0].v = tuple(-0.5 * way), tuple(speed * way)
            run(row, [], NOWHERE, seconds=1)
            for one in row:
                np.testing.assert_allclose(one.v, speed * masses[0] / masses.sum() * way, atol=1e-7)

    def test_cut_in_pieces_they_do_what_they_do_whole(self):
        # Bodies of two boxes that share a side, on ground of many that lie flush: no seam is felt.
        for seed in range(40 if DEEP else 3):
            rng = np.random.default_rng(seed)
            axes, tilt = turned(float(rng.uniform(-1, 1))), turned(float(rng.uniform(-0.3, 0.3)))
            heaps = []
            for cut in (False, True):
                wide = rng.uniform(0.3, 2.0) if cut else 24.0
                places = [(k + 0.5) * wide - 12.0 for k in range(math.ceil(24.0 / wide))]
                ground = [
                    other(100 + k, box([0.5 * wide, 1], tilt), at * tilt[0] - tilt[1]) for k, at in enumerate(places)
                ]
                ground.append(other(200, box([0.3, 9], turned(0.2)), (4, 0, 0)))
                draws, heap = np.random.default_rng(seed), []
                for number in range(3):
                    half, share = draws.uniform(0.3, 0.8, 2), draws.uniform(0.2, 0.8)
                    at, velocity = (
                        np.array([draws.uniform(-1, 1), 2.0 + 2.2 * number, 0.0]),
                        (draws.uniform(-4, 4), 0, 0),
                    )
                    own = (1 - share) * half[0] * axes[0] if cut else np.zeros(3)
                    first = box(half * [share if cut else 1, 1], axes)
                    one = Loose(number, first, 1.0 + number, 0.3, tuple((at - own).tolist()), velocity)
                    if cut:
                        one.join(box(half * [1 - share, 1], axes), tuple((half[0] * axes[0]).tolist()))
                    heap.append((one, own))
                heaps.append(heap)
                run([one for one, _ in heap], ground, seconds=2)
            for (one, own), (two, off) in zip(*heaps, strict=True):
                # The loss of a contact may be seen up to LATEST late; a seam that is felt costs units.
                np.testing.assert_allclose(one.p + own, two.p + off, atol=2e-2, err_msg=str(seed))

    def test_in_a_trough_it_comes_to_lie_still(self):
        for degrees in (10, 20, 30):
            turn = math.radians(degrees)
            sides = [floor([way * math.sin(turn), math.cos(turn), 0], 100 + way) for way in (-1, 1)]
            ball = pool.zeros(1, pool.BODY)[0]
            ball["kind"], ball["radius"], ball["axis0"] = BALL, 0.5, [1, 0, 0]
            one = Loose(0, ball, 2.0, 0.1, (0.7, 3.0, 0.0))
            pieces = []
            for _ in range(600):
                pieces += move([one], sides, (0.0, -G, 0.0), 0.0, 1.0 / 60)
            self.assertTrue(one.asleep, degrees)
            self.assertLess(len(pieces), 300)
            np.testing.assert_allclose(one.p, (0.0, 0.5 / math.cos(turn), 0.0), atol=2e-2)

    def test_a_step_is_felt_however_low(self):
        for step in (0.0, 1e-6, 1e-3, 0.3):
            one = Loose(0, box([0.5, 0.5]), 2.0, 0.1, (-3.0, 0.5, 0.0), (4.0, 0.0, 0.0))
            quays = [other(101, box([5, 1]), (-5, -1, 0)), other(102, box([5, 1]), (5, -1 + step, 0))]
            run([one], quays, seconds=6)
            self.assertAlmostEqual(one.p[0], -3 + 4**2 / (2 * 0.1 * G) if step == 0.0 else -0.5, delta=1e-6)

    def test_what_stands_on_two_feet_slides_past_an_edge_till_the_last_has_left_it(self):
        # Feet 2 apart; the quay ends at 3: it falls once the hind foot, 0.2 wide, is past it.
        one = Loose(0, box([0.1, 0.5]), 2.0, 0.2, (-1.0, 0.5, 0.0), (7.0, 0.0, 0.0))
        one.join(box([0.1, 0.5]), (2.0, 0.0, 0.0))
        one.join(box([1.1, 0.1]), (1.0, 0.6, 0.0))
        fell = []
        run([one], [other(101, box([5.0, 1.0]), (-2.0, -1.0, 0.0))], see=lambda _: fell.append((*one.p, *one.v)))
        late = next(row for row in fell if row[1] < 0.5 - 1e-6)
        speed = math.sqrt(7.0**2 - 2 * 0.2 * G * 4.1)
        self.assertAlmostEqual(late[3], speed, delta=1e-3)
        since = -late[4] / G
        self.assertAlmostEqual(late[0] - speed * since, 3.1, delta=5e-3)

    def test_what_is_pinched_between_two_shoots_out_only_where_friction_does_not_hold_it(self):
        for degrees in (12, 25, 50):
            half, row = math.radians(degrees) / 2, pool.zeros(1, pool.BODY)[0]
            row["kind"], row["radius"] = BALL, 0.5
            for mu in (0.0, 0.5 * math.tan(half), 2.0 * math.tan(half)):
                for spin in (0.0, 1.1):
                    # Two walls that open toward +x and close in on the ball, from above and below; all turned by spin.
                    walls = []
                    for k, side in enumerate((1.0, -1.0)):
                        n = np.array([math.sin(half), side * math.cos(half), 0.0]) @ turned(spin)
                        walls.append(floor(n, 100 + k, tuple(-0.5 * n), tuple(1.5 * side * turned(spin)[1])))
                    loose = [Loose(0, row, 2.0, mu, NOWHERE)]
                    run(loose, walls, gravity=NOWHERE, seconds=0.02, rate=100)
                    out = float(np.array(loose[0].v) @ turned(spin)[0])
                    if mu > math.tan(half):
                        self.assertLess(abs(out), 0.3 * 1.5 / math.tan(half), (degrees, mu))
                    elif mu == 0.0:
                        self.assertAlmostEqual(out, 1.5 / math.tan(half), delta=1e-6 * out)
                    else:
                        self.assertTrue(0.5 < out <= 1.5 / math.tan(half) + 1e-9, (degrees, mu, out))

    def test_what_is_pinched_elsewhere_changes_nothing(self):
        for aside in np.linspace(0.0, 0.29, 6):
            ball = pool.zeros(1, pool.BODY)[0]
            ball["kind"], ball["radius"] = BALL, 0.3
            pinched = Loose(0, ball, 2.0, 0.4, (0.0, 0.3, 0.0))
            slides = Loose(1, box([0.2, 0.2]), 2.0, 0.1, (5.0, 0.2, 0.0), (2.0, 0.0, 0.0))
            piston = other(102, box([0.25, 0.5]), (aside, 1.2, 0.0), (0.0, -1.0, 0.0))
            run([pinched, slides], [floor([0, 1, 0]), piston], seconds=0.5)
            self.assertAlmostEqual(slides.p[0], 5.0 + 2.0 * 0.5 - 0.5 * 0.1 * G * 0.25, delta=1e-8)

    def test_what_is_pressed_between_bodies_that_move_jams_and_is_not_shot_away(self):
        # In some of these what presses rubs and so presses the more: without end, were it not to stand.
        for seed in range(150) if DEEP else (41, 91, 143):
            rng = np.random.default_rng(seed)

            def shape(rng=rng):
                row = pool.zeros(1, pool.BODY)[0]
                row["axis0"], row["axis1"], row["axis2"] = turned(rng.uniform(0, math.pi))
                row["kind"] = (BALL, BOX, CAPSULE)[int(rng.integers(3))]
                if row["kind"] == BOX:
                    row["half"] = [*rng.uniform(0.25, 0.6, 2), ENDLESS]
                else:
                    row["radius"] = rng.uniform(0.25, 0.6)
                if row["kind"] == CAPSULE:
                    row["half"] = [rng.uniform(0.2, 0.6), 0, 0]
                return row

            cells = rng.permutation(16)[:9].tolist()
            spots = [
                1.7 * np.array([k % 4, k // 4, 0]) - [2.5, 2.5, 0] + [*rng.uniform(-0.2, 0.2, 2), 0] for k in cells
            ]
            loose = [
                Loose(k, shape(), rng.uniform(1, 5), rng.uniform(0.2, 0.8), tuple(spots[k].tolist())) for k in range(4)
            ]
            others = [
                other(k, shape(), spots[k], (*(rng.uniform(-2, 2, 2) * (k % 2)).tolist(), 0.0)) for k in range(4, 9)
            ]
            fast = []
            see = lambda _, loose=loose, fast=fast: fast.extend(math.hypot(*one.v) for one in loose)  # noqa: E731
            run(loose, [*others, floor((0.0, 1.0, 0.0), at=(0.0, -3.5, 0.0))], seconds=2, rate=30, see=see)
            self.assertLess(max(fast), 30, seed)

    def test_random_heaps_sink_into_nothing_and_gain_no_energy(self):
        for seed in range(40 if DEEP else 10):
            rng = np.random.default_rng(seed)
            flat = bool(rng.integers(2))
            up = 1 if flat else 2
            gravity = tuple(-G * np.eye(3)[up])
            walls = [floor(np.eye(3)[up])] + [
                floor(side * np.eye(3)[axis], 101 + 2 * axis + (side > 0), tuple(-3.0 * side * np.eye(3)[axis]))
                for axis in range(3)
                if axis != up and not (flat and axis == 2)
                for side in (-1.0, 1.0)
            ]
            loose = []
            for number in range(int(rng.integers(1, 4))):
                row = body(int(rng.choice([BALL, CAPSULE, BOX])), rng, flat=flat)
                for _ in range(50):
                    at, velocity = rng.uniform(-2, 2, 3), rng.uniform(-5, 5, 3)
                    at[up] += 3.5
                    if flat:
                        at[2] = velocity[2] = 0.0
                    start = tuple(map(float, at)), tuple(map(float, velocity))
                    one = Loose(number, row, float(rng.uniform(0.5, 5)), float(rng.choice([0, 0.3])), *start)
                    for _ in range(int(rng.integers(3))):
                        arm = rng.uniform(-1, 1, 3) * ([1, 1, 0] if flat else 1)
                        one.join(body(int(rng.choice([BALL, CAPSULE, BOX])), rng, flat=flat), tuple(map(float, arm)))
                    if all(gap(one, two) > 0.01 for two in [*walls, *loose]):
                        loose.append(one)
                        break
            energy = [math.inf]

            def see(_, loose=loose, walls=walls, energy=energy, gravity=gravity, seed=seed):
                now = sum(one.mass * (0.5 * dot(one.v, one.v) - dot(gravity, one.p)) for one in loose)
                self.assertLess(now, energy[0] + 2e-4 * abs(now), seed)
                energy[0] = now
                for k, one in enumerate(loose):
                    for two in [*walls, *loose[:k]]:
                        self.assertGreater(gap(one, two), -2e-3, (seed, two.number))

            run(loose, walls, gravity, seconds=2, see=see)


class Apart(unittest.TestCase):
    def yard(self, rng, count, first, middle, wide):
        """Bodies at random about a place on the ground, some in one another; and one that goes its own way."""
        loose = []
        for number in range(first, first + count):
            row = body(int(rng.choice([BALL, CAPSULE, BOX])), rng, flat=True)
            at = [middle + rng.uniform(-wide, wide), rng.uniform(0.5, 2.0), 0.0]
            loose.append(Loose(number, row, rng.uniform(0.5, 5), rng.uniform(0, 0.5), tuple(at)))
            loose[-1].v = (*rng.uniform(-6, 6, 2).tolist(), 0.0)
        pushes = other(first + 50, box([0.4, 0.4]), (middle - wide - 1.0, 0.6, 0.0), (rng.uniform(0, 3), 0.0, 0.0))
        return loose, pushes

    def test_what_is_far_away_changes_nothing_to_the_last_bit(self):
        for seed in range(60 if DEEP else 4):
            told = []
            for both in (True, False):
                rng = np.random.default_rng(seed)
                yards = [self.yard(rng, int(rng.integers(1, 4)), 100 * k, 30.0 * k, 1.5) for k in range(2)]
                others, seen = [floor([0, 1, 0], 999), *(pushes for _, pushes in yards)], []
                for group in [yards[0][0] + yards[1][0]] if both else [loose for loose, _ in yards]:
                    see = lambda k, group=group, seen=seen: seen.extend((k, one.number, one.p, one.v) for one in group)  # noqa: E731
                    run(group, others, seconds=0.7, rate=30, see=see)
                told.append(sorted(seen))
            self.assertEqual(*told, seed)

    def test_each_group_by_itself_goes_as_all_at_once_do(self):
        ball, parted = pool.zeros(1, pool.BODY)[0], 0
        ball["radius"] = 1.0
        for seed in range(300 if DEEP else 40):
            ends = []
            for joins in (False, True):
                rng = np.random.default_rng(seed)
                loose, pushes = self.yard(rng, 12, 0, 0.0, 9.0)
                # How two come apart that begin in one another hangs on how a tick is parted.
                others = [floor([0, 1, 0], 999), pushes]
                loose = [a for k, a in enumerate(loose) if all(gap(a, b) > 0.01 for b in (*loose[:k], *others))]
                # What yields makes one group of all to whom it may come.
                others += [Other(998, ball, (0.0, -900.0, 0.0), NOWHERE, 1000.0, yields=True)] if joins else []
                parted += not joins and len(islands(loose, others, G, 0.05, {})) > 1
                move(loose, others, (0.0, -G, 0.0), 0.0, 0.05)
                ends.append(np.array([(one.p, one.v) for one in loose]))
            np.testing.assert_allclose(*ends, atol=1e-6, err_msg=str(seed))
        self.assertGreater(parted, 30)


if __name__ == "__main__":
    unittest.main()
