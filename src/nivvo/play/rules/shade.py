"""What a burst is hidden from: how much of a body no obstacle shades."""

from __future__ import annotations

import math

import numpy as np

from nivvo.core.geometry.shapes import support
from nivvo.core.numbers.frame import dot, sincos, three
from nivvo.play.stage.stage import Stage

SEEN = 64
"""Lines of sight across a body in 2D."""


def seen_share(stage: Stage, number: int, point, time: int) -> float:
    """The share of a body that no obstacle hides from a point (3,), as things stand at ``time``.

    By straight lines to SEEN points across it, square to the line of sight: a row of them in 2D, rings in 3D.
    """
    middle, row = stage.middle(number, time), stage.row(number, time)
    way = middle - point
    slack = 1e-6 * stage.scene.size
    among = [k for k in stage.around(point, way, stage.reach(number), "obstacle", time=time) if k != number]
    among = [k for k in among if stage.gap(k, point, time) > -slack]
    far = math.sqrt(float(dot(way, way)))
    if not among or far == 0.0:
        return 1.0
    way = way / far
    free = total = 0
    for side, size in _across(stage, way):
        ends = [min(support(row, three(sign * side)), far) for sign in (1.0, -1.0)]
        for share in size:
            total += 1
            to = middle + share * ends[share < 0.0] * side - point
            # From a little off, or it would begin on an edge of who lies flush with what was touched.
            off = slack / math.sqrt(float(dot(to, to)))
            free += not stage.stands_on(point + off * to, (1.0 - off) * to, time, among)
    return free / total


def _across(stage: Stage, way) -> list[tuple[np.ndarray, list[float]]]:
    """Directions square to a line of sight, and the shares of a body's half width at which it is looked at."""
    if stage.scene.frame.size == 2:
        side = np.array([-way[1], way[0], 0.0])
        return [(side, [(2 * k + 1) / SEEN - 1.0 for k in range(SEEN)])]
    first = np.cross(way, np.eye(3)[int(np.argmin(np.abs(way)))])
    first /= math.sqrt(float(dot(first, first)))
    second = np.cross(way, first)
    out = []
    for k in range(12):
        s, c = (float(x) for x in sincos(30.0 * k))
        # As much of the disc belongs to each ring.
        out.append((c * first + s * second, [math.sqrt((2 * ring + 1) / 8) for ring in range(4)]))
    return out
