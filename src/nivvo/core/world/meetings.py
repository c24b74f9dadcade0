"""When two projectiles meet: the first time within a tick at which two of them touch.

Each is followed from where it now is on its piece of the tick: its parabola in exact step, its straight way in a game's
own step; under other forces, and on a body that turns, a parabola in each of as many pieces as keep near its way. Two
that meet on these are followed to where they really touch, if they do. Two balls touch as one ball touches another that
stands, by what one sees of the other. Those that overlap at the start are not told: they have come out of one another,
or will. Pairs are found along the first axis, in order.
"""

from __future__ import annotations

import math

import numpy as np

from nivvo.core._jit import inner, kernel
from nivvo.core.contacts.events import NOWHERE
from nivvo.core.contacts.resting import ALONG_IT, carried, slide
from nivvo.core.flying.acting import flown, way_of
from nivvo.core.flying.ahead import asleep, foreseen
from nivvo.core.flying.flight import through_ends
from nivvo.core.flying.forces import stiffness
from nivvo.core.geometry.contact import TOUCH, first_contact
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.vec import along, arc, dot, sub, vec
from nivvo.core.pool import AWAKE, EXACT, KNOWN, LIVE, MID

MOST_TURNS = 40
"""So often the time at which two meet under forces is made better, mostly each time some hundred times."""

ASTRAY, MOST_PIECES = 1e-3, 1024
"""Share of its radius by which a projectile's way may be off its parabolas; into so many pieces a tick is cut."""

NO_LIMIT = (0, -1)
"""A tick that no limit cuts."""

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
    found[0], found[1], found[2] = -1.0, -1.0, math.inf
    pieces = pieces_of(k, now)
    for n in range(pieces):
        begins, stops = now["dt"] * n / pieces, now["dt"] * (n + 1) / pieces
        if stops > late or n == pieces - 1:
            meet_within(k, now, (max(begins, late), stops), (sorts, whom, ball, skip), ways, found)
        if found[0] >= 0.0:
            return


@inner
def pieces_of(k, now):
    """Into how many pieces to cut a tick for ways to be parabolas in each, as nearly as ``ASTRAY`` says."""
    most, dt = 1, float(now["dt"])
    for i in range(int(k.counters[LIVE])):
        q, rate = k.flight[i], 0.0
        par = k.params[int(q["param"])]
        speed = math.sqrt(dot(vec(q["v"]), vec(q["v"])))
        if q["on"] > 0:
            rate = abs(float(k.bodies[int(q["on"]) - 1]["turns"]))
        elif q["on"] == 0 and par["bends"] != 0 and k.world[0]["step"] == EXACT:
            rate = stiffness(par, speed)
        # A parabola through both ends is off by 2/81 of the third derivative times the third power of the time.
        off, pieces = rate * dt * rate * dt * speed * dt / 40.0, 1
        while q["end"] == 0 and off > ASTRAY * par["radius"] and pieces < MOST_PIECES:
            off, pieces = 0.125 * off, 2 * pieces
        most = max(most, pieces)
    return most


@inner
def meet_within(k, now, span, who, ways, found):
    """The first meeting from the first to the second of two times of a tick, written to ``found``."""
    (sorts, whom, ball, skip), count, stops = who, int(k.counters[LIVE]), span[1]
    for i in range(count):
        lay(k, i, now, span, ways)
    for i in range(count):
        a = k.flight[i]
        if a["end"] != 0 or ways[i, 0] > stops:
            continue
        for j in range(i + 1, count):
            b = k.flight[j]
            if b["end"] != 0 or ways[j, 0] > stops:
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
            what, after = first_contact(ball[0], p, v, w, radius, stops - start, float(k.world[0]["skin"]))
            if what == TOUCH:
                follow(k, now, (i, j), ways, (start, stops), start + after, found)


@inner
def follow(k, now, pair, ways, span, t, found):
    """Write down when two really meet that do at about ``t`` on their parabolas, and where each then is, if they do.

    They are apart when the ``span`` begins: a time at which they overlap has one at which they meet before it.
    """
    i, j = pair
    skin, found_at = float(k.world[0]["skin"]), float(found[2])
    far = float(k.params[int(k.flight[i]["param"])]["radius"]) + float(k.params[int(k.flight[j]["param"])]["radius"])
    (first, last), within = span, False
    for _ in range(MOST_TURNS):
        p, v = there(k, i, now, ways, t)
        q, u = there(k, j, now, ways, t)
        d = sub(p, q)
        size = math.sqrt(dot(d, d))
        if abs(size - far) <= skin:
            if t < found_at:
                found[0], found[1], found[2] = i, j, t
                for c in range(3):
                    found[3 + c], found[6 + c], found[9 + c], found[12 + c] = p[c], v[c], q[c], u[c]
            return
        closing = dot(d, sub(v, u)) / size if size > 0.0 else 0.0
        if size < far:
            last, within = t, True
        else:
            first = t
        t = t - (size - far) / closing if closing < 0.0 else math.inf
        if not first < t <= last or (within and t == last):
            if not within:
                return
            t = 0.5 * (first + last)


@inner
def there(k, i, now, ways, t):
    """Where a projectile is at a time of the tick, and how fast."""
    q, s = k.flight[i], t - ways[i, 0]
    if q["on"] > 0:
        p, v, begins, _ = running(k, i, now)
        if t > begins:
            p, v, _, _ = carried(k, q, p, begins, t, NO_LIMIT)
        return p, v
    if k.world[0]["step"] == EXACT and q["on"] == 0 and k.params[int(q["param"])]["bends"] != 0:
        p, v, begins, kept = running(k, i, now)
        if t > begins:
            return flown(k, i, now, begins, p, v, t - begins, kept)
    u, b = (ways[i, 4], ways[i, 5], ways[i, 6]), (ways[i, 7], ways[i, 8], ways[i, 9])
    return arc((ways[i, 1], ways[i, 2], ways[i, 3]), u, b, s), along(u, b, s)


def standing(k, i, time):
    """Where a projectile is at ``time`` (clock) in the tick ``k.ticks[0]``, and how fast, to the bit also asleep."""
    q, now = k.flight[i], k.ticks[0]
    par = k.params[int(q["param"])]
    if time <= q["t0"]:
        return vec(q["p0"]), vec(q["v0"])
    closed = par["bends"] == 0 or foreseen(par, vec(q["v"]), now["dt"])
    if k.wake[i] != AWAKE or (k.world[0]["step"] == EXACT and q["on"] == 0 and closed):
        return asleep(k, i, time)
    if k.counters[MID] == 0 and time <= now["start"]:
        return vec(q["p"]), vec(q["v"])
    late, ways = max((time - int(now["start"])) / UNITS, 0.0), np.zeros((i + 1, 11))
    lay(k, i, now, (late, float(now["dt"])), ways)
    return there(k, i, now, ways, late)


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
def lay(k, i, now, span, ways):
    """Write the way of a projectile in a ``span`` of the tick: from when, place, velocity, acceleration, and reach."""
    q = k.flight[i]
    par = k.params[int(q["param"])]
    (late, stops), step, a = span, int(k.world[0]["step"]), vec(par["a"])
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
        h = stops - begins
        if on < 0 and h > 0.0:
            comes, p, v, a, _, _ = slide(k, i, now, p, v, begins, h)
            on = on if comes == ALONG_IT else 0
        elif on > 0 and h > 0.0:
            _, v, _, _ = carried(k, q, p, begins, begins, NO_LIMIT)
            p1, v1, _, _ = carried(k, q, p, begins, stops, NO_LIMIT)
            a = through_ends(p, v, p1, v1, h)
        if on == 0 and h > 0.0:
            v, a = way_of(k, i, now, begins, p, v, h, kept)
        if late > begins:
            p, v, begins = arc(p, v, a, late - begins), along(v, a, late - begins), late
    ways[i, 0] = begins
    for c in range(3):
        ways[i, 1 + c], ways[i, 4 + c], ways[i, 7 + c] = p[c], v[c], a[c]
    rest = max(stops - begins, 0.0)
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
