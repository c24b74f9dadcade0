"""What a stick points at: dead zone, snapping and a limited turn rate, the same at every tick rate.

The stick holds still between its rows, so the turned angle is worked out in closed form from row to
row: no overshoot, no spin after release, no dependence on ticks. Angles in degrees.
"""

from __future__ import annotations

import math

import numpy as np

from nivvo.core.launching.turning import wrapped


def angle_of(stick, dead_zone: float, snap: int | None) -> float | None:
    """Direction of a stick (x, y) in degrees, snapped to one of ``snap`` ways; None inside the dead zone.

    Between two ways it goes to the nearer, halfway to the one of even number.
    """
    x, y = float(stick[0]), float(stick[1])
    if x * x + y * y <= dead_zone * dead_zone:
        return None
    angle = math.degrees(math.atan2(y, x))
    if snap is None:
        return angle
    way = 360.0 / snap
    return float(np.rint(angle / way)) * way


def tilt(stick, dead_zone: float) -> float:
    """How far a stick (x, y) is tilted, from 0 at the edge of a round dead zone to 1 at the rim."""
    far = min(math.hypot(float(stick[0]), float(stick[1])), 1.0)
    return max(far - dead_zone, 0.0) / (1.0 - dead_zone)


def turned(
    start: float,
    times,
    sticks,
    now: float,
    dead_zone: float,
    snap: int | None,
    turn_rate: float | None,
    curve: float | None = None,
) -> float:
    """Direction in degrees at ``now`` (s), after rows of a stick at ``times`` (s), from ``start`` before any.

    A centred stick keeps the last direction. With ``turn_rate`` (degrees/s) it turns the shorter way
    toward where the stick points (exactly opposite: toward greater angles); with ``curve`` at that rate
    times the stick's tilt to that power.
    """
    angle = start
    for k, (time, stick) in enumerate(zip(times, sticks, strict=True)):
        if time > now:
            break
        wanted = angle_of(stick, dead_zone, snap)
        if wanted is None:
            continue
        if turn_rate is None:
            angle = wanted
            continue
        until = min(now, times[k + 1]) if k + 1 < len(times) else now
        way = wrapped(wanted - angle)
        can = turn_rate * (until - time) * (1.0 if curve is None else tilt(stick, dead_zone) ** curve)
        angle = wanted if abs(way) <= can else angle + math.copysign(can, way)
    return angle
