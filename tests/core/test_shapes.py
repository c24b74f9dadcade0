"""Signed distances against many digits and against what a distance must be."""

import unittest

import mpmath
import numpy as np

from nivvo.core.geometry.shapes import BALL, BOX, CAPSULE, HALF_SPACE, distance, extent, gap
from tests.core.bodies import NAMES, body, exact_distance


def tuples(points):
    return [tuple(float(x) for x in p) for p in points]


class Distance(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(11)

    def each(self, count=60):
        for kind, name in NAMES.items():
            for _ in range(count):
                yield name, body(kind, self.rng, flat=bool(self.rng.integers(2)))

    def test_agrees_with_many_digits_inside_and_outside(self):
        for name, row in self.each():
            for d in tuples(self.rng.normal(size=(5, 3)) * self.rng.choice([0.2, 1.0, 5.0])):
                found, _ = distance(row, d)
                expected = exact_distance(row, [mpmath.mpf(x) for x in d])
                self.assertAlmostEqual(found, float(expected), delta=2e-15 * (1 + np.abs(d).max()), msg=name)

    def test_the_normal_is_the_gradient(self):
        h = 1e-6
        for name, row in self.each(20):
            for d in tuples(self.rng.normal(size=(3, 3)) * 2.0):
                far, n = distance(row, d)
                if far < 0.05:
                    continue
                slope = [
                    (distance(row, tuple(np.add(d, e * h)))[0] - distance(row, tuple(np.subtract(d, e * h)))[0])
                    / (2 * h)
                    for e in np.eye(3)
                ]
                np.testing.assert_allclose(n, slope, atol=1e-4, err_msg=name)
                self.assertAlmostEqual(float(np.dot(n, n)), 1.0, delta=1e-14)

    def test_no_point_is_nearer_than_the_distance_says(self):
        # The distance changes by no more than the step: it is a true distance, not a scaled one.
        for name, row in self.each(20):
            p, q = self.rng.normal(size=(2, 3)) * 2
            apart = float(np.linalg.norm(p - q))
            change = abs(distance(row, tuple(p))[0] - distance(row, tuple(q))[0])
            self.assertLessEqual(change, apart * (1 + 1e-12) + 1e-14, name)

    def test_the_middle_of_each_shape_has_a_normal(self):
        for name, row in self.each(3):
            far, n = distance(row, (0.0, 0.0, 0.0))
            self.assertLessEqual(far, 0.0, name)
            self.assertAlmostEqual(float(np.dot(n, n)), 1.0, delta=1e-12, msg=name)

    def test_the_extent_is_the_box_that_just_holds_the_body(self):
        for kind in (BALL, CAPSULE, BOX):
            row = body(kind, self.rng)
            size = extent(row)
            cloud = self.rng.uniform(-3, 3, (20_000, 3))
            self.assertTrue((np.abs(cloud[gap(row, cloud) <= 0.0]) <= size + 1e-12).all())
            # Each side of the box touches: somewhere on it the distance is nothing.
            for axis in range(3):
                side = self.rng.uniform(-size, size, (4000, 3))
                side[:, axis] = size[axis]
                found = gap(row, side)
                self.assertGreaterEqual(found.min(), -1e-12)
                self.assertLess(found.min(), 0.15)
        self.assertTrue(np.isinf(extent(body(HALF_SPACE, self.rng))).all())
