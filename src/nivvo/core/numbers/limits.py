"""Where a row of numbers leads that comes nearer and nearer to something."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

from nivvo.core.numbers.frame import added

ALIKE, ROUNDING = 1e-9, 1e-15
"""Steps that differ by less than such a share count as alike; and what of a sum is rounding."""


def limit_of(seen: Sequence[Sequence[float]]) -> list[float] | None:
    """The limit of what was seen at even times, rows of as many numbers; None where it does not come nearer each time.

    The mixture of what was seen in which the steps cancel out: exact if each is a fixed linear map of the one before,
    in as many directions as there are steps but one. Source: S. Cabay and L. Jackson, A polynomial extrapolation
    method for finding limits and antilimits of vector sequences (1976).
    """
    steps = [[b - a for a, b in zip(one, two, strict=True)] for one, two in itertools.pairwise(seen)]
    sizes = [math.sqrt(added(a * a for a in step)) for step in steps]
    if any(later >= size > 0.0 for size, later in itertools.pairwise(sizes)):
        return None
    sides: list[list[float]] = []
    shares: list[list[float]] = []
    own: list[float] = []
    for step, size in zip(steps, sizes, strict=True):
        rest, own = [*step], []
        for side in sides:
            part = added(a * b for a, b in zip(side, rest, strict=True))
            rest, own = [a - part * b for a, b in zip(rest, side, strict=True)], [*own, part]
        left = math.sqrt(added(a * a for a in rest))
        if left <= ALIKE * size or step is steps[-1]:
            break
        sides, shares = [*sides, [a / left for a in rest]], [*shares, [*own, left]]
    mixed = [1.0]
    for k in range(len(sides) - 1, -1, -1):
        known = added(one * shares[k + 1 + m][k] for m, one in enumerate(mixed[:-1]))
        mixed = [-(own[k] + known) / shares[k][k], *mixed]
    # The product of what each share lacks of 1: below 0 where one of them grows.
    whole = added(mixed)
    if not whole > ROUNDING * added(map(abs, mixed)):
        return None
    return [added(part * one[k] for part, one in zip(mixed, seen, strict=False)) / whole for k in range(len(seen[0]))]
