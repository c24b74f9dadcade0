"""What turns among bodies with a mass: it pushes each with the speed of its surface where that comes to it.

Over a short step a turning surface is taken as it stands at the step's start, and as fast as that point of it, or of
what it pushes, which goes the most into the other.
"""

from __future__ import annotations

import itertools
import math

import numpy as np

from nivvo.core.bodies.pushing import Loose, Vector
from nivvo.core.geometry.hulls import between, points_of
from nivvo.core.geometry.shapes import distance, plain
from nivvo.core.geometry.turning import rotated
from nivvo.core.numbers.vec import along, dot, sub

SWEEP, MOST_STEPS = 0.01, 16
"""Metres that what turns may sweep in a step of what it pushes, and steps in a tick at most."""

BETWEEN = 12
"""Parts of an edge at whose ends it is looked where it is touched."""


def steps_for(sweep: float, metre: float) -> int:
    """Into how many steps a tick is parted in which something sweeps so far (units)."""
    return max(1, min(MOST_STEPS, math.ceil(sweep / (SWEEP * metre))))


def pushes_at(
    one: Loose, row: np.void, here: Vector, goes: Vector, angle: float, seconds: float, metre: float
) -> Vector:
    """The velocity (3,) at which a body that turns comes to another over a step.

    row : as it stands at its start. here, goes : its middle then, and the velocity of that. angle : by which it turns
    (rad) in ``seconds``.
    """
    about = row["about"].tolist()

    def moves(point: Vector) -> Vector:
        """How fast a point goes with what turns, straight over the step."""
        arm = sub(point, here)
        return along(goes, sub(rotated(arm, about, angle), arm), 1.0 / seconds)

    best, velocity, sweeps = -math.inf, goes, plain(row)
    for shape in one.shapes:
        place = along(one.p, shape.arm, 1.0)
        gap, normal = between(shape.row, place, row, here)
        n, slack = tuple(normal.tolist()), max(gap, 0.0) + SWEEP * metre
        its, own = _foremost(shape.row, place, (-n[0], -n[1], -n[2]), slack), _foremost(row, here, n, slack)
        swept = plain(shape.row)
        far = [(distance(sweeps, sub(p, here))[0], p) for p in its]
        far += [(distance(swept, sub(p, place))[0], p) for p in own]
        near = max(slack, min(far)[0])
        for point in (p for off, p in far if off <= near):
            into = dot(n, way := moves(point))
            if into > best:
                best, velocity = into, way
    return velocity


def _foremost(row: np.void, place: Vector, n: Vector, slack: float) -> list[Vector]:
    """The points of a body that lie the farthest along a unit vector (3,): corners, and some between each two."""
    corners = [along(place, p, 1.0) for p in points_of(row)]
    most = max(dot(p, n) for p in corners) - slack
    foremost = [along(p, n, float(row["radius"])) for p in corners if dot(p, n) >= most]
    pairs = itertools.combinations(foremost, 2)
    return foremost + [along(a, sub(b, a), k / BETWEEN) for a, b in pairs for k in range(1, BETWEEN)]
