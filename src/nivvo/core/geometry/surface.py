"""The surface of a body where something goes along it: its normal, how it bends, where a side ends."""

from __future__ import annotations

import math

from nivvo.core._jit import inner
from nivvo.core.geometry.turning import distance_at
from nivvo.core.numbers.vec import along, arc, dot, sub, vec


@inner
def surface(b, p, radius, late):
    """The body's velocity, its outward normal and the gap to a ball at ``p``, ``late`` s into the tick."""
    centre, u = arc(vec(b["c"]), vec(b["v"]), vec(b["a"]), late), along(vec(b["v"]), vec(b["a"]), late)
    gap, n = distance_at(b, sub(p, centre), late)
    return u, n, gap - radius


@inner
def bends_within(b, p, n, r, w, radius, late):
    """How much a surface bends on the way of what goes along it with ``w`` (1/units): that, its normal, ``w`` along it.

    n : the normal at ``p``. r : the velocity, as the body sees it.
    """
    speed = math.sqrt(dot(w, w))
    if speed == 0.0:
        return 0.0, n, w
    step = 1e-3 * radius
    _, m, _ = surface(b, along(p, w, step / speed), radius, late)
    bend = max(dot(sub(m, n), w) / (speed * step), 0.0)
    if bend > 0.0:
        _, half, _ = surface(b, along(p, w, 0.5 * step / speed), radius, late)
        share = dot(sub(half, n), w) / (bend * speed * step)
        if share > 0.55:
            # It bends no more within so little: it has come onto a side.
            n = m
            w = along(r, n, -dot(r, n))
        if share > 0.55 or share < 0.45:
            # Or it begins to bend only there, at the end of one.
            bend = 0.0
    return bend, n, w


@inner
def on_it_for(b, way, radius, late, s, off, bends):
    """For how much of ``s`` seconds a way stays on a side: till that ends, or begins to bend; all where it bends."""
    p, v, a = way
    low, high = 0.0, s
    for half_way in range(54):
        t = high if half_way == 0 else 0.5 * (low + high)
        _, _, gap = surface(b, arc(p, v, a, t), radius, late + t)
        if abs(gap) <= off or bends:
            low = t
            if half_way == 0:
                break
        else:
            high = t
    return max(low, 1e-6 * s)
