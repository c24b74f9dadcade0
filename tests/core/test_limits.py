"""Where rows of numbers lead: of linear maps the limit is known."""

import unittest

import numpy as np

from nivvo.core.numbers.limits import limit_of


def seen(matrix, limit, start, count):
    rows = [start]
    for _ in range(count - 1):
        rows.append(limit + matrix @ (rows[-1] - limit))
    return rows


class Limits(unittest.TestCase):
    def test_of_a_linear_map_it_is_found_long_before_it_is_come_to(self):
        rng = np.random.default_rng(4)
        for size in (1, 2, 3, 5, 20):
            for _ in range(30):
                # So many shares as there are steps but one, all near 1: it would take thousands.
                axes = np.linalg.qr(rng.normal(size=(size, size)))[0]
                shares = rng.choice([0.999, 0.99, 0.9, 0.5, 0.0], size)
                limit, start = rng.normal(size=size), rng.normal(size=size) * 10
                found = limit_of([row.tolist() for row in seen(axes @ np.diag(shares) @ axes.T, limit, start, 7)])
                np.testing.assert_allclose(found, limit, atol=1e-4)

    def test_what_comes_no_nearer_has_none(self):
        grows = [np.array([k, 0.3**k]) for k in range(7)]
        for rows in (grows, *(seen(np.diag([share, 0.3]), np.zeros(2), np.ones(2), 7) for share in (1.02, -1.05))):
            self.assertIsNone(limit_of([row.tolist() for row in rows]))

    def test_what_stands_already_is_there(self):
        rows = seen(np.diag([0.0, 0.5]), np.array([3.0, -2.0]), np.array([3.0, 1.0]), 7)
        np.testing.assert_allclose(limit_of([row.tolist() for row in rows]), [3.0, -2.0], atol=1e-12)


if __name__ == "__main__":
    unittest.main()
