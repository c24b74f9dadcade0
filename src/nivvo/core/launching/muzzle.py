"""Where a shot leaves from, and the direction in which it must leave to pass through a point.

An offset is (forward, right, up) in a frame of axes: the body's, or one that turns with the aim about
a pivot. In the second case the muzzle moves as the aim turns, so the aim through a point is solved:
with D from pivot to point and an offset o across the aim, D = s d + o q(d), where q turns by a right
angle. q is linear, so d = (s D - o q(D)) / |D|² with s = sqrt(|D|² - o²).
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from nivvo.core.numbers.frame import Frame, dot, unit

SMALLEST = 1e-290
"""Below that a square has no digits left: what is so near is at the pivot."""

CLOSE, AT_POINT, BEHIND = "", "at muzzle", "behind muzzle"


class Leaving(NamedTuple):
    """A muzzle and a direction: ``at`` (3,), ``heading`` unit (3,), and what is odd about it, if anything."""

    at: np.ndarray
    heading: np.ndarray
    odd: str


def offset_to(triad, offset) -> np.ndarray:
    """An offset (forward, right, up) along a triad of axes, as a vector (3,)."""
    forward, right, up = triad
    if forward.ndim == 1:
        (a, b, c), f, r, u = offset, forward.tolist(), right.tolist(), up.tolist()
        return np.array(
            (a * f[0] + b * r[0] + c * u[0], a * f[1] + b * r[1] + c * u[1], a * f[2] + b * r[2] + c * u[2])
        )
    return offset[0] * forward + offset[1] * right + offset[2] * up


def _plane_aim(x: float, y: float, across: float) -> tuple[float, float] | None:
    """Unit (dx, dy) with (x, y) = s d + across * (-dy, dx), or None if the point is nearer than ``across``."""
    square = x * x + y * y
    rest = square - across * across
    if rest <= 0.0 or square < SMALLEST:
        return None
    s = math.sqrt(rest)
    return (s * x + across * y) / square, (s * y - across * x) / square


def through(frame: Frame, pivot, offset, body, facing, point, follows_aim: bool) -> Leaving:
    """The muzzle and the direction from it to ``point``.

    Parameters
    ----------
    pivot, point, facing : (3,) arrays, world
    offset : (forward, right, up), units
    body : triad of the body's own axes
    follows_aim : whether the offset turns with the aim about the pivot

    A point at the muzzle leaves the direction at ``facing``; a point nearer than the muzzle is fired
    at outward. Both are told in ``odd``.
    """
    pivot, point = np.asarray(pivot, dtype=float), np.asarray(point, dtype=float)
    if not follows_aim:
        at = pivot + offset_to(body, offset)
        gone = unit(point - at)
        return Leaving(at, gone, CLOSE) if gone.any() else Leaving(at, np.asarray(facing, dtype=float), AT_POINT)
    to = point - pivot
    heading = _turned_through(frame, to, offset, facing)
    odd = CLOSE
    if heading is None:
        heading, odd = unit(to), BEHIND
        if not heading.any():
            heading, odd = np.asarray(facing, dtype=float), AT_POINT
    at = pivot + offset_to(frame.triad(heading, facing), offset)
    gone = point - at
    if odd == CLOSE and dot(gone, heading) <= 0.0:
        odd = BEHIND
    if odd == CLOSE:
        heading = unit(gone)
    return Leaving(at, heading, odd)


def _turned_through(frame: Frame, to: np.ndarray, offset, facing) -> np.ndarray | None:
    if frame.view == "side":
        across = to[0] if to[0] != 0.0 else facing[0]
        side = math.copysign(1.0, across) * frame.up[1]
        found = _plane_aim(to[0], to[1], side * offset[2])
        return None if found is None else np.array([found[0], found[1], 0.0])
    e = np.array([dot(to, frame.first), dot(to, frame.second)])
    turn = float(dot(np.cross(frame.first, frame.second), frame.up)) * frame.hand
    flat = _plane_aim(e[0], e[1], -turn * offset[1])
    if flat is None:
        if offset[1] != 0.0 or not frame.vertical:
            return None
        level = unit(frame.level(facing))
    else:
        level = flat[0] * frame.first + flat[1] * frame.second
    if not frame.vertical:
        return level
    run = math.sqrt(max(e[0] * e[0] + e[1] * e[1] - offset[1] * offset[1], 0.0))
    rise = _plane_aim(run, float(dot(to, frame.up)), offset[2])
    return None if rise is None else rise[0] * level + rise[1] * frame.up


def just_clear(reach: float, radius: float, margin: float) -> float:
    """Forward offset at which a ball of ``radius`` clears, at every aim, a body that reaches ``reach``."""
    return reach + radius + margin
