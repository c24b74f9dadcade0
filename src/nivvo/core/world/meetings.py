"""When two projectiles meet: the first time within a tick at which two of them touch.

Each is followed from where it now is on its piece of the tick: its parabola in exact step, its straight way in a game's
own step; under other forces the parabola through where it then is and will be, and when two meet on these they are
followed to where they do. Two balls touch as one ball touches another that stands, by what one sees of the other. Those
that overlap at the start are not told: they have come out of one another, or will. Pairs are found along the first
axis, in order.
"""

from __future__ import annotations

import math

from nivvo.core._jit import inner, kernel
from nivvo.core.contacts.events import NOWHERE
from nivvo.core.contacts.resting import ALONG_IT, slide
from nivvo.core.flying.acting import flown, way_of
from nivvo.core.flying.ahead import asleep
from nivvo.core.geometry.contact import TOUCH, first_contact
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.vec import along, arc, dot, sub, vec
from nivvo.core.pool import AWAKE, EXACT, KNOWN, LIVE, MID

MOST_TURNS = 6
"""So often the time at which two meet under forces is made better: each time some hundred times."""

OWN, OTHERS = 1, 2
"""Bits of ``whom``: projectiles of the same owner, of other owners."""


@kernel
def first_meeting(k, late, sorts, whom, ball, skip, ways, found):
    """The first meeting after ``late`` seconds of the tick ``k.ticks[0]``; found: (rows, seconds), or -1 where none.

    sorts : (params,) a small number of each row of params. whom : (sorts, sorts) bits of whom each may meet. ball : one
    row of BODY, a ball, overwritten. skip : (n, 2) pairs of rows that have met. ways : (live, 11), overwritten.
    found : (15,) overwritten: after the first three where each is and how fast.
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
    if found[0] >= 0.0:
        follow(k, now, ways, found)


@inner
def follow(k, now, ways, found):
    """Where two that meet then are: followed there, and the time made better by how far they are apart."""
    i, j, skin = int(found[0]), int(found[1]), float(k.world[0]["skin"])
    far = float(k.params[int(k.flight[i]["param"])]["radius"]) + float(k.params[int(k.flight[j]["param"])]["radius"])
    first, last, t = max(ways[i, 0], ways[j, 0]), float(now["dt"]), float(found[2])
    for turn in range(MOST_TURNS):
        p, v = there(k, i, now, ways, t)
        q, u = there(k, j, now, ways, t)
        d = sub(p, q)
        size = math.sqrt(dot(d, d))
        closing = dot(d, sub(v, u)) / size if size > 0.0 else 0.0
        if abs(size - far) <= skin or closing >= 0.0 or turn == MOST_TURNS - 1:
            break
        t = min(max(t - (size - far) / closing, first), last)
    found[2] = t
    for c in range(3):
        found[3 + c], found[6 + c], found[9 + c], found[12 + c] = p[c], v[c], q[c], u[c]


@inner
def there(k, i, now, ways, t):
    """Where a projectile is at a time of the tick, and how fast."""
    q, s = k.flight[i], t - ways[i, 0]
    if k.world[0]["step"] == EXACT and q["on"] == 0 and k.params[int(q["param"])]["bends"] != 0:
        p, v, begins, kept = running(k, i, now)
        if t > begins:
            return flown(k, i, now, begins, p, v, t - begins, kept)
    u, b = (ways[i, 4], ways[i, 5], ways[i, 6]), (ways[i, 7], ways[i, 8], ways[i, 9])
    return arc((ways[i, 1], ways[i, 2], ways[i, 3]), u, b, s), along(u, b, s)


@inner
def running(k, i, now):
    """From where a projectile goes on in the tick: place, velocity, when, and what its record says."""
    q, at = k.flight[i], k.points[i]
    begins = max((q["t0"] - now["start"]) / UNITS, 0.0)
    if at["kept"] != 0 and k.counters[MID] != 0 and i < k.counters[KNOWN]:
        return vec(at["from_p"]), vec(at["from_v"]), max(float(at["late"]), begins), int(at["kept"])
    p, v = vec(q["p"]), vec(q["v"])
    if k.wake[i] != AWAKE:
        p, v = asleep(k, i, int(now["start"]))
    return p, v, begins, 0


@inner
def lay(k, i, now, late, ways):
    """Write the piece of a projectile: from when, place, velocity, acceleration, and how far it can be from there."""
    q = k.flight[i]
    par = k.params[int(q["param"])]
    dt, step, a = float(now["dt"]), int(k.world[0]["step"]), vec(par["a"])
    if step == EXACT and par["bends"] == 0 and q["on"] == 0:
        begins = max(max((q["t0"] - now["start"]) / UNITS, 0.0), late)
        age = (now["start"] - q["t0"]) / UNITS + begins
        p, v = arc(vec(q["p0"]), vec(q["v0"]), a, age), along(vec(q["v0"]), a, age)
    else:
        p, v, begins, kept = running(k, i, now)
        on = int(q["on"])
        if on == 0 and step == EXACT and late > begins:
            p, v = flown(k, i, now, begins, p, v, late - begins, kept)
            begins = late
        h = dt - begins
        if on < 0 and h > 0.0:
            comes, p, v, a, _, _ = slide(k, i, now, p, v, begins, h)
            on = on if comes == ALONG_IT else 0
        elif on > 0:
            b = k.bodies[on - 1]
            v, a = along(vec(b["v"]), vec(b["a"]), begins), vec(b["a"])
        if on == 0 and h > 0.0:
            v, a = way_of(k, i, now, begins, p, v, h, kept)
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
