"""First contact against an independent search in 60 digits, aimed at what is hard."""

import unittest

import mpmath
import numpy as np

from nivvo.core.geometry.contact import INSIDE, NONE, TOUCH, UNDECIDED, first_contact
from nivvo.core.geometry.shapes import BALL, BOX, CAPSULE, HALF_SPACE, distance
from nivvo.core.pool import SURFACE_SHARE
from tests.core.bodies import NAMES, body, exact_distance
from tests.deep import DEEP

SKIN = SURFACE_SHARE


def three(v):
    return tuple(float(x) for x in v)


def exact_gap(row, p, v, a, radius, t):
    """Gap between the surfaces at time t, in many digits."""
    t = mpmath.mpf(t)
    d = [mpmath.mpf(p[k]) + mpmath.mpf(v[k]) * t + mpmath.mpf(a[k]) * t * t / 2 for k in range(3)]
    return exact_distance(row, d) - mpmath.mpf(radius)


def least_gap(row, p, v, a, radius, span, start=0.0):
    """The least gap on start..span and its time: many samples, then golden section in many digits."""
    times = np.linspace(start, span, 400)
    points = np.asarray(p) + np.outer(times, v) + np.outer(times * times / 2, a)
    gaps = [distance(row, three(q))[0] - radius for q in points]
    k = int(np.argmin(gaps))
    low, high = mpmath.mpf(times[max(k - 1, 0)]), mpmath.mpf(times[min(k + 1, len(times) - 1)])
    golden = (mpmath.sqrt(5) - 1) / 2
    x, y = high - golden * (high - low), low + golden * (high - low)
    at_x, at_y = exact_gap(row, p, v, a, radius, x), exact_gap(row, p, v, a, radius, y)
    for _ in range(80):
        if at_x < at_y:
            high, y, at_y = y, x, at_x
            x = high - golden * (high - low)
            at_x = exact_gap(row, p, v, a, radius, x)
        else:
            low, x, at_x = x, y, at_y
            y = low + golden * (high - low)
            at_y = exact_gap(row, p, v, a, radius, y)
    return exact_gap(row, p, v, a, radius, (low + high) / 2), (low + high) / 2


def exact_first(row, p, v, a, radius, span):
    """First time of contact in many digits, from outside, or None: bisection on the way to the least gap."""
    gap, when = least_gap(row, p, v, a, radius, span)
    if gap > 0:
        return None
    low, high = mpmath.mpf(0), when
    for _ in range(70):
        middle = (low + high) / 2
        if exact_gap(row, p, v, a, radius, middle) > 0:
            low = middle
        else:
            high = middle
    return high


class FirstContact(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(5)

    def aimed(self, kind, offset, bend=True, speed=10.0):
        """A ball whose path passes a body of a kind at ``offset`` from touching, and the flight's data."""
        row = body(kind, self.rng)
        radius = float(self.rng.uniform(0.0, 0.4))
        direction = self.rng.normal(size=3)
        direction /= np.linalg.norm(direction)
        while True:
            d = self.rng.normal(size=3) * 3
            far, n = distance(row, three(d))
            if far > 0.1:
                break
        # The point at which the ball's middle is to be, and a velocity along the surface there.
        touch = d - np.array(n) * (far - radius - offset)
        v = np.cross(n, direction)
        v *= speed / np.linalg.norm(v)
        a = self.rng.normal(size=3) * (4.0 if bend else 0.0)
        # Bend away from the body, so that the pass is the nearest point of the whole path.
        a -= np.array(n) * min(float(a @ n), 0.0) * 1.5
        when = float(self.rng.uniform(0.05, 0.15))
        p = touch - v * when + a * when * when / 2
        return row, three(p), three(v - a * when), three(a), radius, 2 * when

    def check(self, name, row, p, v, a, radius, span, scene):
        what, t = first_contact(row, p, v, a, radius, span, SKIN * scene)
        with mpmath.workdps(60):
            gap, _ = least_gap(row, p, v, a, radius, span)
            if abs(gap) <= UNDECIDED * scene:
                if what == TOUCH:
                    self.assertLess(abs(exact_gap(row, p, v, a, radius, t)), 1e-9 * scene, name)
                return
            self.assertEqual(what == TOUCH, gap < 0, f"{name}: closest gap {mpmath.nstr(gap, 5)}")
            if what == TOUCH:
                self.assertLess(abs(exact_gap(row, p, v, a, radius, t)), 1e-9 * scene, name)
                if gap < -1e-10 * max(radius, 0.1):
                    expected = exact_first(row, p, v, a, radius, span)
                    self.assertLess(abs(t - expected), 1e-9 * span * max(1.0, float(mpmath.sqrt(1e-6 / -gap))), name)

    def test_grazes_are_decided_outside_the_stated_band(self):
        for kind, name in NAMES.items():
            for size in (0.0, 1e-13, 3e-12, 1e-10, 1e-8, 1e-5, 1e-2):
                for sign in (-1, 1):
                    for _ in range(4 if DEEP else 1):
                        row, p, v, a, radius, span = self.aimed(kind, sign * size)
                        if distance(row, p)[0] - radius > 1e-3:
                            self.check(f"{name} {sign * size:g}", row, p, v, a, radius, span, scene=8.0)

    def test_random_flights_touch_where_sixty_digits_say(self):
        for kind, name in NAMES.items():
            for bend in (0.0, 1.0, 30.0):
                for _ in range(8 if DEEP else 2):
                    row = body(kind, self.rng)
                    p = self.rng.normal(size=3) * 3
                    radius = float(self.rng.uniform(0, 0.3))
                    if distance(row, three(p))[0] - radius < 1e-3:
                        continue
                    speed = 10.0 ** self.rng.uniform(0, 2)
                    v = (self.rng.normal(size=3) * 0.3 - p) * speed / 3
                    a = self.rng.normal(size=3) * bend
                    self.check(name, row, three(p), three(v), three(a), radius, 6.0 / speed, scene=8.0)

    def test_nothing_passes_a_thin_wall_at_any_speed(self):
        for speed in 10.0 ** np.arange(0, 6):
            for thick in (0.0, 1e-9, 0.01):
                for radius in (0.0, 0.05):
                    row = body(BOX, self.rng)
                    row["half"] = [thick / 2, 50.0, 50.0]
                    n = row["axis0"].copy()
                    v = -(n + 0.2 * row["axis1"]) * speed
                    p = n * 0.7 - v * self.rng.uniform(0, 0.5) / speed
                    a = 9.81 * row["axis1"]
                    what, t = first_contact(row, three(p), three(v), three(a), radius, 1000.0 / 60, SKIN)
                    self.assertEqual(what, TOUCH, f"speed {speed:g}, thickness {thick:g}, radius {radius:g}")
                    at = p + v * t + a * t * t / 2
                    self.assertLess(abs(distance(row, three(at))[0] - radius), 1e-9)

    def test_starting_on_the_surface(self):
        for kind, name in NAMES.items():
            for _ in range(20):
                row = body(kind, self.rng)
                d = self.rng.normal(size=3) * 4
                far, n = distance(row, three(d))
                if far < 0.2:
                    continue
                n, radius = np.array(n), 0.1
                p = three(d - n * (far - radius))
                along = np.cross(n, self.rng.normal(size=3))
                out, into = three(n + along), three(along - n)
                still = (0.0, 0.0, 0.0)
                self.assertEqual(first_contact(row, p, into, still, radius, 1.0, SKIN * 8), (TOUCH, 0.0), name)
                self.assertEqual(first_contact(row, p, out, still, radius, 1.0, SKIN * 8)[0], NONE, name)
                # Thrown up off a plane it comes back after 2 u / g, the second root, never the first.
                if kind == HALF_SPACE:
                    what, t = first_contact(row, p, out, three(-9.81 * n), radius, 1.0, SKIN * 8)
                    self.assertEqual(what, TOUCH)
                    self.assertAlmostEqual(t, 2 / 9.81, delta=1e-12)

    def test_starting_in_overlap_is_told(self):
        for kind, name in NAMES.items():
            row = body(kind, self.rng)
            d = self.rng.normal(size=3)
            far, n = distance(row, three(d))
            p = three(d - np.array(n) * (far - 0.05))
            self.assertEqual(first_contact(row, p, (1.0, 0.0, 0.0), (0.0, 0.0, 0.0), 0.1, 1.0, SKIN)[0], INSIDE, name)

    def test_mirrored_flights_touch_at_mirrored_times(self):
        for kind in (BALL, BOX, CAPSULE):
            for _ in range(40):
                row, p, v, a, radius, span = self.aimed(kind, -0.05)
                mirror = np.array([-1.0, 1.0, 1.0])
                other = row.copy()
                for k in range(3):
                    other[f"axis{k}"] = row[f"axis{k}"] * mirror
                here = first_contact(row, p, v, a, radius, span, SKIN)
                there = first_contact(
                    other, three(p * mirror), three(v * mirror), three(a * mirror), radius, span, SKIN
                )
                self.assertEqual(here, there)
