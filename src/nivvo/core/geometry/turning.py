"""Bodies that turn about their centre: where their surface is within a tick, how fast, and first contact with a ball.

The axes of a record are those at the tick's start; a point is turned back by as much as the body has turned since.

First contact goes from supporting plane to supporting plane as that of a body which does not turn (``contact``). Here
the plane turns with the body, which stays behind it: the ball's distance from it is a smooth function of time whose
second derivative is bounded by the ball's acceleration, its speed and its distance from the centre. A parabola with
that bend never reaches the plane later than the ball does, so no contact is missed.
"""

from __future__ import annotations

import math

from nivvo.core._jit import cold, inner
from nivvo.core.geometry.contact import INSIDE, NONE, TOUCH
from nivvo.core.geometry.shapes import distance
from nivvo.core.numbers.roots import first_fall
from nivvo.core.numbers.trig import sine_and_cosine
from nivvo.core.numbers.vec import along, arc, cross, dot, sub, vec

MOST_PLANES = 4096
"""A step is at least so much as a ball that just does not touch needs; beyond so many it counts as touching."""

LEVEL = 1e-12
"""Share of the greatest speed that is rounding, where what goes along a surface is said to close in on it."""


@cold
def rotated(d, axis, angle):
    """A vector turned about a unit vector by an angle (rad)."""
    s, c = sine_and_cosine(angle)
    return swung(d, axis, s, c)


@inner
def swung(d, axis, s, c):
    """A vector turned about a unit vector by the angle of a sine and cosine."""
    return along(along((d[0] * c, d[1] * c, d[2] * c), cross(axis, d), s), axis, dot(axis, d) * (1.0 - c))


@cold
def distance_at(b, d, t):
    """``distance`` of a body that may turn, ``t`` s after its axes were those of its record."""
    if b["turns"] == 0.0:
        return distance(b, d)
    axis, angle = vec(b["about"]), b["turns"] * t
    gap, n = distance(b, sub(rotated(d, axis, -angle), vec(b["arm"])))
    return gap, rotated(n, axis, angle)


@cold
def surface_speed(b, d):
    """How fast a point of a body moves that turns, ``d`` from its centre, beside the centre's own velocity."""
    if b["turns"] == 0.0:
        return 0.0, 0.0, 0.0
    u = cross(vec(b["about"]), d)
    return u[0] * b["turns"], u[1] * b["turns"], u[2] * b["turns"]


@inner
def surface_pull(b, d, r):
    """How what goes along a body that turns, at ``r``, is accelerated ``d`` from its centre, beside the centre."""
    if b["turns"] == 0.0:
        return 0.0, 0.0, 0.0
    axis, rate = vec(b["about"]), float(b["turns"])
    aside = cross(axis, r)
    inward = along(d, axis, -dot(axis, d))
    return along((2.0 * rate * aside[0], 2.0 * rate * aside[1], 2.0 * rate * aside[2]), inward, -rate * rate)


@cold
def first_contact_turning(b, p, v, a, radius, span, skin, late):
    """``first_contact`` with a body that turns, whose axes were those of its record ``late`` s before."""
    rate = abs(float(b["turns"]))
    pull = math.sqrt(dot(a, a))
    fast = math.sqrt(dot(v, v)) + pull * span
    far = math.sqrt(dot(p, p)) + fast * span
    bend = pull + 2.0 * rate * fast + rate * rate * far
    t, lies = 0.0, False
    for planes in range(MOST_PLANES):
        d = arc(p, v, a, t)
        gap, n = distance_at(b, d, late + t)
        gap -= radius
        if planes == 0 and gap < -skin:
            return INSIDE, 0.0
        w = surface_speed(b, d)
        speed = dot(n, along(v, a, t)) - dot(n, w)
        apart = 0.0
        if lies or (planes == 0 and gap <= skin and abs(speed) <= LEVEL * fast):
            # It has gone along it: for so long it goes apart from the side that it was on, if it does at first.
            r = along(sub(along(v, a, t), w), n, -speed)
            apart, lies = 0.375 * (dot(n, a) - dot(n, surface_pull(b, d, r))) / (rate * bend), True
        if gap <= skin and apart <= 0.0 and (planes > 0 or speed < 0.0):
            return TOUCH, t
        s = first_fall(gap if gap > skin else 0.0, speed, -0.5 * bend)
        if lies and apart > 0.0 and speed >= -LEVEL * fast:
            s = max(s, apart)
        if s < 0.0 or t + s > span:
            return NONE, 0.0
        if t + s == t:
            return TOUCH, t
        t += s
    return TOUCH, t
