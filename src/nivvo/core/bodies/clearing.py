"""The nearest place to another at which a body is in nothing that stands about."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from nivvo.core.geometry.hulls import between
from nivvo.core.geometry.shapes import PRISM, distance, reach_of
from nivvo.core.numbers.frame import length_of, sincos, three
from nivvo.core.numbers.vec import sub

PUSHES = 8
"""How often a body is pushed out of what it is in, from each place that is tried so."""

GOLDEN = math.pi * (3.0 - math.sqrt(5.0))


def free_near(
    row: np.void, start: np.ndarray, within: float, others: list[tuple], flat: bool, slack: float
) -> np.ndarray | None:
    """The nearest free place of a grid of directions and distances about one, else one that pushing out finds.

    row : of the body. start : (3,). within : how far off at most (units). others : records and middles of what is
    there. flat : whether all are of a 2D world. slack : by how much it is clear of what it is pushed out of (units).
    """
    far = within + reach_of(row)
    others = [one for one in others if distance(one[0], sub(three(start), three(one[1])))[0] < far]
    for way in _ways(48 if flat else 160, 24, flat):
        place = start + within * way
        if _is_free(row, place, others):
            return place
    # Where a gap is narrower than the grid, what is pushed out of all that it is in comes to lie in it.
    for way in _ways(16 if flat else 26, 3, flat):
        place = start + within * way
        for _ in range(PUSHES):
            gap, out = _deepest(row, place, others)
            if gap >= 0.0 or length_of(place - start) > 1.5 * within:
                break
            place = place + (slack - gap) * out
        if gap >= 0.0 and length_of(place - start) <= within:
            return place
    return None


def _ways(count: int, rings: int, flat: bool) -> Iterator[np.ndarray]:
    """So many ways (3,) all round, of each length up to 1, the shortest first."""
    for share in range(1, rings + 1):
        for k in range(count):
            if flat:
                s, c = (float(x) for x in sincos(360.0 * k / count))
                way = np.array([c, s, 0.0])
            else:
                z = 1.0 - (2.0 * k + 1.0) / count
                s, c = (float(x) for x in sincos(math.degrees(GOLDEN * k)))
                way = np.array([math.sqrt(1.0 - z * z) * c, math.sqrt(1.0 - z * z) * s, z])
            yield way * (share / rings)


def _is_free(row: np.void, place: np.ndarray, others: list[tuple]) -> bool:
    """Whether a body at a place overlaps none of others; who is in the way comes to the front."""
    half = [x for x in row["half"].tolist() if math.isfinite(x)]
    inner = float(row["radius"]) + (min(half) if row["kind"] != PRISM else 0.0)
    reach, here = reach_of(row), three(place)
    for k, (other, middle) in enumerate(others):
        far, _ = distance(other, sub(here, three(middle)))
        if far < reach and (far < inner or between(row, place, other, middle)[0] < 0.0):
            others.insert(0, others.pop(k))
            return False
    return True


def _deepest(row: np.void, place: np.ndarray, others: list[tuple]) -> tuple[float, np.ndarray]:
    """The gap between a body at a place and that of others which it is deepest in, and the way out of it."""
    reach, here, best = reach_of(row), three(place), (math.inf, np.zeros(3))
    for other, middle in others:
        if distance(other, sub(here, three(middle)))[0] < reach:
            best = min(best, between(row, place, other, middle), key=lambda one: one[0])
    return best
