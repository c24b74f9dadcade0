"""Time as an integer count of a unit so fine that the usual tick rates are whole numbers of it.

One unit is 1/693,000,000,000 s: 693 of them are a nanosecond, and the ticks of 24, 25, 30, 48, 50, 60,
72, 75, 90, 100, 120, 128, 144, 165, 240, 360 and 1000 Hz are whole numbers of it. An int64 holds 154 days.
"""

from __future__ import annotations

from fractions import Fraction
from functools import cache, lru_cache

import numpy as np

UNITS = 693_000_000_000
LONGEST = 9_000_000_000_000_000_000

EXACT = 1 << 53
"""Counts below which a float holds each."""


@lru_cache(maxsize=4096)
def from_seconds(seconds: float) -> int:
    """The count nearest to ``seconds`` (s), as written in decimal: 0.1 is a tenth, not its binary neighbour.

    Raises OverflowError beyond 150 days.
    """
    count = round(Fraction(repr(float(seconds))) * UNITS)
    if abs(count) > LONGEST:
        raise OverflowError(f"{seconds} s is longer than 150 days")
    return count


def to_seconds(count):
    """Seconds (s) of a count or an array of counts."""
    return count / UNITS


def seconds_of(counts: np.ndarray) -> np.ndarray:
    """Seconds (s) of counts (n,): of each what ``to_seconds`` gives of it by itself, to the bit."""
    # So far an array's division is that of whole numbers.
    if (np.abs(counts) < EXACT).all():
        return counts / UNITS
    return np.array([one / UNITS for one in counts.tolist()])


@cache
def tick_of(rate: float) -> Fraction:
    """Exact length of a tick, in counts."""
    return Fraction(UNITS) / Fraction(repr(rate))


def edge_of_rate(rate: float, tick: int) -> int:
    """When a tick starts at ``rate`` ticks a second: the count nearest to n / rate, so that no error adds up."""
    unit = tick_of(float(rate))
    return tick * unit.numerator if unit.denominator == 1 else round(unit * tick)


def edges_of_rate(rate: float, first: int, count: int) -> np.ndarray:
    """Edges of ``count`` ticks from tick number ``first`` at ``rate`` ticks a second, as counts, shape (count + 1,)."""
    unit = tick_of(float(rate))
    if unit.denominator == 1:
        return np.arange(first, first + count + 1, dtype=np.int64) * int(unit)
    return np.array([edge_of_rate(rate, n) for n in range(first, first + count + 1)], dtype=np.int64)
