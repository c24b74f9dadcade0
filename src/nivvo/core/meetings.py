"""When two projectiles meet: the first time within a tick at which two of them touch.

Each is followed from where it now is on its piece of the tick: its parabola in exact step, its straight way in a game's
own step; under other forces the parabola of its acceleration there. Two balls touch as one ball touches another that
stands, by what one sees of the other. Those that overlap at the start are not told: they have come out of one another,
or will. Pairs are found along the first axis, in order.
"""

from __future__ import annotations

import math

from nivvo.core._jit import inner, kernel
from nivvo.core.clock import UNITS
from nivvo.core.contact import TOUCH, first_contact
from nivvo.core.flight import kick, piece
from nivvo.core.forces import acceleration
from nivvo.core.pool import ALONE, EXACT, KNOWN, LIVE, MID
from nivvo.core.tick.events import NOWHERE
from nivvo.core.vec import along, arc, dot, vec

OWN, OTHERS = 1, 2
"""Bits of ``whom``: projectiles of the same owner, of other owners."""


@kernel
def first_meeting(k, late, sorts, whom, ball, skip, ways, found):
    """The first meeting after ``late`` seconds of the tick ``k.ticks[0]``; found: (rows, seconds), or -1 where none.

    sorts : (params,) a small number of each row of params. whom : (sorts, sorts) bits of whom each may meet. ball : one
    row of BODY, a ball, overwritten. skip : (n, 2) pairs of rows that have met. ways : (live, 11), overwritten.
    found : (3,) overwritten.
    """
    now = k.ticks[0]
    count, dt = int(k.counters[LIVE]), float(now["dt"])
    found[0], found[1], found[2] = -1.0, -1.0, math.inf
    for i in range(count):
        lay(k, i, now, late, ways)
    for i in range(count):
        a = k.flight[i]
        if a["end"] != 0 or ways[i, 0] > dt:
            continue
        for j in range(i + 1, count):
            b = k.flight[j]
            if b["end"] != 0 or ways[j, 0] > dt:
                continue
            one, two = k.params[int(a["param"])], k.params[int(b["param"])]
            bit = OWN if one["owner"] == two["owner"] else OTHERS
            s, t = sorts[int(a["param"])], sorts[int(b["param"])]
            if (whom[s, t] | whom[t, s]) & bit == 0:
                continue
            if ways[i, 10] + ways[j, 10] < math.fabs(ways[i, 1] - ways[j, 1]):
                continue
            met = False
            for m in range(skip.shape[0]):
                met = met or (skip[m, 0] == i and skip[m, 1] == j)
            if met:
                continue
            start = max(ways[i, 0], ways[j, 0])
            p, v, w = seen_from(ways, i, j, start)
            ball[0]["radius"] = two["radius"]
            radius = float(one["radius"])
            if math.sqrt(dot(p, p)) < radius + two["radius"] - float(k.world[0]["skin"]):
                continue
            what, after = first_contact(ball[0], p, v, w, radius, min(dt, found[2]) - start, float(k.world[0]["skin"]))
            if what == TOUCH and start + after < found[2]:
                found[0], found[1], found[2] = i, j, start + after


@inner
def lay(k, i, now, late, ways):
    """Write the piece of a projectile: from when, place, velocity, acceleration, and how far it can be from there."""
    q, at, w = k.flight[i], k.points[i], k.world[0]
    par = k.params[int(q["param"])]
    dt, step, a = float(now["dt"]), int(w["step"]), vec(par["a"])
    begins = max((q["t0"] - now["start"]) / UNITS, 0.0)
    p, v = vec(q["p"]), vec(q["v"])
    if step == EXACT and par["bends"] == 0 and q["on"] == 0:
        begins = max(begins, late)
        age = (now["start"] - q["t0"]) / UNITS + begins
        p, v = arc(vec(q["p0"]), vec(q["v0"]), a, age), along(vec(q["v0"]), a, age)
    else:
        if at["kept"] != 0 and k.counters[MID] != 0 and i < k.counters[KNOWN]:
            p, v, begins = vec(at["from_p"]), vec(at["from_v"]), max(float(at["late"]), begins)
        if q["on"] != 0:
            a = NOWHERE
        elif par["bends"] != 0:
            a = acceleration(par, 0.0, p, v, ALONE, 0.0)
        if step != EXACT and q["on"] == 0:
            h = dt - begins
            v, a = piece(step, p, v, a, h, kick(par, 0.0, p, v, a, h, ALONE))
        if late > begins:
            p, v, begins = arc(p, v, a, late - begins), along(v, a, late - begins), late
    ways[i, 0] = begins
    for c in range(3):
        ways[i, 1 + c], ways[i, 4 + c], ways[i, 7 + c] = p[c], v[c], a[c]
    rest = max(dt - begins, 0.0)
    ways[i, 10] = par["radius"] + (math.fabs(v[0]) + 0.5 * math.fabs(a[0]) * rest) * rest


@inner
def seen_from(ways, i, j, start):
    """Place, velocity and acceleration of one as the other sees it, at a time of the tick."""
    p, v, w = NOWHERE, NOWHERE, NOWHERE
    for part in range(2):
        n, sign = (i, 1.0) if part == 0 else (j, -1.0)
        s = start - ways[n, 0]
        at, u = (ways[n, 1], ways[n, 2], ways[n, 3]), (ways[n, 4], ways[n, 5], ways[n, 6])
        a = (ways[n, 7], ways[n, 8], ways[n, 9])
        p, v, w = along(p, arc(at, u, a, s), sign), along(v, along(u, a, s), sign), along(w, a, sign)
    return p, v, w
