"""How near a moving point comes to a convex body: the least signed distance over a time, and when.

The distance to a convex body is a convex function of place, so along a path whose acceleration relative to the body
is never more than B, distance + B t²/2 is convex in time. At any time the tangent, bent down by B, therefore lies
below the distance everywhere. Two such parabolas bound a span from below; the span with the least bound is cut where
they meet, until no span can hold less than what was found (branch and bound; for lines Piyavskii, 1972).
"""

from __future__ import annotations

import heapq
from collections.abc import Callable
from typing import NamedTuple

MOST_LOOKS = 4000


class Span(NamedTuple):
    """A time from ``start`` to ``stop`` (s) within which ``near`` gives distance and its slope, and B is ``bend``."""

    start: float
    stop: float
    near: Callable[[float], tuple[float, float]]
    bend: float


def least(spans: list[Span], allowed: float) -> tuple[float, float]:
    """The least distance over all spans, to within ``allowed``, and the time (s) of it; the earliest of equal ends."""
    best, when = float("inf"), 0.0
    waiting: list[tuple[float, int, float, float, float, float, float]] = []
    for k, span in enumerate(spans):
        g0, s0 = span.near(span.start)
        g1, s1 = span.near(span.stop)
        for gap, time in ((g0, span.start), (g1, span.stop)):
            if gap < best:
                best, when = gap, time
        waiting.append((_under(span, g0, s0, g1, s1)[0], k, span.start, g0, s0, span.stop, g1, s1))
    heapq.heapify(waiting)
    for _ in range(MOST_LOOKS):
        if not waiting or waiting[0][0] >= best - allowed:
            break
        _, k, t0, g0, s0, t1, g1, s1 = heapq.heappop(waiting)
        span = spans[k]
        cut = _under(span._replace(start=t0, stop=t1), g0, s0, g1, s1)[1]
        edge = 1e-3 * (t1 - t0)
        t = min(max(cut, t0 + edge), t1 - edge)
        if not t0 < t < t1:
            continue
        g, s = span.near(t)
        if g < best:
            best, when = g, t
        for part in ((t0, g0, s0, t, g, s), (t, g, s, t1, g1, s1)):
            bound = _under(span._replace(start=part[0], stop=part[3]), part[1], part[2], part[4], part[5])[0]
            if bound < best - allowed:
                heapq.heappush(waiting, (bound, k, *part))
    return float(best), float(when)


def _under(span: Span, g0: float, s0: float, g1: float, s1: float) -> tuple[float, float]:
    """A lower bound of the distance over a span from what is known at its ends, and where both parabolas meet."""
    t0, t1, b = span.start, span.stop, span.bend
    h = t1 - t0
    fall = s0 - s1 - b * h
    middle = 0.5 * (t0 + t1)
    if not fall < 0.0:
        return min(g0, g1), middle
    t = (g1 - g0 + s0 * t0 - s1 * t1 - 0.5 * b * h * (t0 + t1)) / fall
    t = min(max(t, t0), t1)
    left = g0 + (s0 - 0.5 * b * (t - t0)) * (t - t0)
    right = g1 + (s1 - 0.5 * b * (t - t1)) * (t - t1)
    return min(g0, g1, max(left, right)), t
