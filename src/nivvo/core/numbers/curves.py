"""Numbers that depend on something: through points, eased from start to end, in steps, or drawn.

A shot settles them once (``Curve.at``, ``Curve.drawn``); what goes on with the flight is laid out as rows (``rows``)
that the tick reads off (``read_off``).
"""

from __future__ import annotations

import math
from typing import NamedTuple

from nivvo.core._jit import inner

FARTHEST = 1e15

EASES = {
    "linear": lambda u: u,
    "in": lambda u: u * u,
    "out": lambda u: u * (2.0 - u),
    "in and out": lambda u: u * u * (3.0 - 2.0 * u),
}
"""How a value goes from start to end: u is the share of the way."""


class Curve(NamedTuple):
    """A number by ``by``: "held" (s), "shot" (its number), "age" (s), "flown" (units) or "random".

    One of: points (x, value), straight between and held beyond the ends; start to end with an ease, over so much x;
    start and one step more every so much x, never beyond the cap; drawn from low to high, or around mean with the
    standard deviation deviation.
    """

    by: str
    points: tuple | None = None
    start: float | None = None
    end: float | None = None
    over: float | None = None
    ease: str = "linear"
    step: float | None = None
    every: float | None = None
    cap: float | None = None
    low: float | None = None
    high: float | None = None
    mean: float | None = None
    deviation: float | None = None

    def at(self, x: float, steps: int | None = None) -> float:
        """The value at ``x``; ``steps``: how many whole steps that is, if counted exactly elsewhere."""
        if self.step is not None:
            count = int(x // (self.every or 1.0)) if steps is None else steps
            value = self.start + self.step * count
            if self.cap is not None:
                value = min(value, self.cap) if self.step >= 0.0 else max(value, self.cap)
            return value
        if self.points is None:
            share = min(max(x / self.over, 0.0), 1.0)
            return self.end if share == 1.0 else self.start + (self.end - self.start) * EASES[self.ease](share)
        before = self.points[0]
        for after in self.points:
            if after[0] >= x:
                if after[0] == before[0] or after[0] == x:
                    return after[1]
                share = (x - before[0]) / (after[0] - before[0])
                return before[1] + share * (after[1] - before[1])
            before = after
        return before[1]

    def drawn(self, u: float, v: float) -> float:
        """The value of a random number, from two draws in [0, 1)."""
        if self.mean is None:
            return self.low + (self.high - self.low) * u
        value = self.mean + self.deviation * math.sqrt(-2.0 * math.log(1.0 - u)) * math.cos(2.0 * math.pi * v)
        value = value if self.low is None else max(value, self.low)
        return value if self.high is None else min(value, self.high)

    def rows(self) -> list[tuple[float, float]]:
        """Rows (x, value) of a number by age or path length; of steps (start, step) and (every, cap)."""
        if self.points is not None:
            return list(self.points)
        if self.step is not None:
            cap = self.cap if self.cap is not None else math.copysign(math.inf, self.step)
            return [(self.start, self.step), (self.every, cap)]
        count = 1 if self.ease == "linear" else 64
        return [(self.over * k / count, self.at(self.over * k / count)) for k in range(count + 1)]

    @property
    def values(self) -> list[float]:
        """The values at its corners."""
        if self.points is not None:
            return [value for _, value in self.points]
        corners = (self.start, self.end, self.cap, self.low, self.high, self.mean)
        return [value for value in corners if value is not None]


@inner
def read_off(curves, first, count, x):
    """The value at ``x`` of a curve: rows of x and value, straight between, held beyond its ends; or of steps."""
    if count == 0:
        start, step, every, cap = curves[first, 0], curves[first, 1], curves[first + 1, 0], curves[first + 1, 1]
        steps = float(int(min(x / every, FARTHEST)))
        if steps * every > x:
            steps -= 1.0
        elif (steps + 1.0) * every <= x:
            steps += 1.0
        return min(start + step * steps, cap) if step >= 0.0 else max(start + step * steps, cap)
    value = curves[first, 1]
    for k in range(first, first + count):
        if curves[k, 0] > x:
            share = (x - curves[k - 1, 0]) / (curves[k, 0] - curves[k - 1, 0]) if k > first else 0.0
            return value + share * (curves[k, 1] - value)
        value = curves[k, 1]
    return value
