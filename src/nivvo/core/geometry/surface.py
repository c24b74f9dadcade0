"""The surface of a body where something goes along it: its normal, how it bends, where a side ends."""

from __future__ import annotations

import math

from nivvo.core._jit import cold
from nivvo.core.geometry.turning import distance_at
from nivvo.core.numbers.vec import along, arc, dot, sub, vec

BENT = 1e-5
"""Share of a ball's radius by which a step round what bends may come off it: more is another bend."""

NEARLY = 1e-5
"""Share of a step that is gone at least, where a surface bends away."""


@cold
def surface(b, p, radius, late):
    """The body's velocity, its outward normal and the gap to a ball at ``p``, ``late`` s into the tick."""
    centre, u = arc(vec(b["c"]), vec(b["v"]), vec(b["a"]), late), along(vec(b["v"]), vec(b["a"]), late)
    gap, n = distance_at(b, sub(p, centre), late)
    return u, n, gap - radius


@cold
def bends_within(b, p, n, r, w, radius, late):
    """How much a surface bends on the way of what goes along it with ``w`` (1/units): that, its normal, ``w`` along it.

    Last how much its normal turns on that way (rad/unit), which is more where it goes aslant over an edge. n : the
    normal at ``p``. r : the velocity, as the body sees it.
    """
    speed, turns = math.sqrt(dot(w, w)), 0.0
    if speed == 0.0:
        return 0.0, n, w, turns
    step = 1e-3 * radius
    _, m, _ = surface(b, along(p, w, step / speed), radius, late)
    turned = sub(m, n)
    bend = max(dot(turned, w) / (speed * step), 0.0)
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
        else:
            turns = math.sqrt(dot(turned, turned)) / step
    return bend, n, w, turns


@cold
def on_it_for(b, way, radius, late, s, off, bends):
    """For how much of ``s`` seconds a way stays on a side, or on what bends: till that ends, or bends otherwise."""
    p, v, a = way
    low, high = 0.0, s
    if bends:
        off = max(off, BENT * radius)
    for half_way in range(54):
        t = high if half_way == 0 else 0.5 * (low + high)
        _, _, gap = surface(b, arc(p, v, a, t), radius, late + t)
        if abs(gap) <= off:
            low = t
            if half_way == 0:
                break
        else:
            high = t
    return max(low, 1e-6 * s)


@cold
def bears_for(b, way, acts, presses, radius, late, s):
    """For how much of ``s`` seconds what acts presses a ball on its way onto a surface that bends away from it."""
    p, v, a = way
    p, v = arc(p, v, a, s), along(v, a, s)
    u, n, _ = surface(b, p, radius, late + s)
    r = sub(v, u)
    w = along(r, n, -dot(r, n))
    bend, n, w, _ = bends_within(b, p, n, r, w, radius, late + s)
    then = -dot(sub(acts, vec(b["a"])), n) - bend * dot(w, w)
    return s if then >= 0.0 or bend == 0.0 else s * max(presses / (presses - then), NEARLY)
