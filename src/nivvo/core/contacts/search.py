"""The next contact on a piece of a path: along the grid, in order of time."""

from __future__ import annotations

import math

from nivvo.core._jit import cold, inner
from nivvo.core.contacts.events import NOWHERE, tell
from nivvo.core.geometry.contact import INSIDE, NONE, first_contact
from nivvo.core.geometry.grid import box_of_arc, gather, overlap
from nivvo.core.geometry.turning import distance_at, first_contact_turning, surface_speed
from nivvo.core.numbers.vec import along, arc, dot, sub, vec
from nivvo.core.pool import (
    BOUNCE,
    BY_NEAR,
    IGNORE,
    INSIDE_MOST,
    LODGE,
    OBSTACLE,
    SLIPPED,
    SWEPT,
    TARGET,
    VEERS,
)

WIDER = 1000.0
"""Skins by which a ball that looks far ahead is wider."""


@inner
def look(k, w, q, par, now, way, leg, far):
    """The next contact on a piece: (time, body key, body), or body -1. Ties go to the lesser body key.

    way : place, velocity, acceleration at the piece's start. leg : how many seconds after the tick's start that is,
    for how many more it lasts, the limit that cuts it there (or 0), and how many contacts were answered in this tick.
    far : look for what may be met later, of a ball that is a little wider: a graze is never overlooked.
    """
    late, span, why, hops = leg
    p, v, a = way
    rule = (float(par["radius"]), float(w["skin"]), far or w["touch"] == SWEPT)
    if far:
        rule = (rule[0] + wider(w, par), rule[1], True)
    reach, swept = rule[0] + 4.0 * rule[1], rule[2]
    if par["moments"] >> BY_NEAR & 1 != 0:
        for m in range(k.answers.shape[1]):
            reach = max(reach, rule[0] + 4.0 * rule[1] + abs(float(k.answers[int(q["param"]), m]["near"])))
    best, best_key, hit = math.inf, 0, -1
    chunks, chunk, share, c0, from_point = 1, 0, 1.0, 0.0, p
    while chunk < chunks:
        c1 = span if chunk == chunks - 1 else span * (share * (chunk + 1))
        to_point = arc(p, v, a, c1)
        low, high = box_of_arc(a, c1 - c0, from_point, to_point, reach)
        found = gather(k, w, low, high, chunk == 0, chunks == 1)
        if found < 0:
            chunks, share = -found, 1.0 / -found
            continue
        for m in range(found):
            j = int(k.scratch[m])
            b = k.bodies[j]
            if b["out"] != 0 or j == par["spares"] or left_out(k, q, j) or (far and b["moves"] != 0):
                continue
            if j == abs(int(q["on"])) - 1 or j == int(q["also"]) - 1:
                continue
            ans = k.answers[int(q["param"]), int(b["group"])]
            then, wide = ans["then"], rule
            if nears(q, ans, b):
                wide = (rule[0] + abs(float(ans["near"])), rule[1], True)
            elif then == IGNORE:
                continue
            what, t = meets(b, wide, late, way, span, why == 0)
            if what == NONE:
                continue
            own = wide[0] == rule[0]
            throws = then == BOUNCE or (then == LODGE and ans["otherwise"] == BOUNCE)
            if throws and own and not far and (what == INSIDE or not swept) and leaves(b, late, way, t):
                # It comes out by itself: it has been thrown back, or has never come in. (It may come back later.)
                continue
            if own and q["on"] < 0 and goes_by(k, q, b, rule, late, way, t):
                continue
            if what == SLIPS:
                if c0 <= t and (t < c1 or chunk == chunks - 1) and hops == 0:
                    place = (arc(p, v, a, t), NOWHERE, v, NOWHERE)
                    tell(k, now, late + t, q, (SLIPPED, j, 0, 0.0, 0.0), place)
                continue
            if t < best or (t == best and b["key"] < best_key):
                best, best_key, hit = t, int(b["key"]), j
        if swept and best <= c1:
            break
        c0, from_point, chunk = c1, to_point, chunk + 1
    return best, best_key, hit


@inner
def wider(w, par):
    """By how much a ball that looks far ahead is wider: by what it may be beside the parabola along which it looks."""
    more = WIDER * float(w["skin"])
    return more + w["aside"] if par["bends"] != 0 else more


@inner
def nears(q, ans, b):
    """Whether a projectile is yet to come near a body that an answer is for."""
    whom = ans["near"] > 0.0 or (ans["near"] < 0.0 and b["role"] == TARGET)
    return whom and q["past"] >> BY_NEAR & 1 == 0


@cold
def comes_near(k, i, late, way, span):
    """When within ``span`` seconds somebody comes near to what stays where it is, and who: (time, body key, body).

    way : its place and velocity. Body -1: nobody does; what it sticks in, and what it is inside of, is left away.
    """
    q, w, far = k.flight[i], k.world[0], 0.0
    par, (p, v) = k.params[int(q["param"])], way
    for m in range(k.answers.shape[1]):
        far = max(far, abs(float(k.answers[int(q["param"]), m]["near"])))
    low, high = box_of_arc(NOWHERE, span, p, along(p, v, span), float(par["radius"]) + far + 4.0 * float(w["skin"]))
    best, best_key, hit = math.inf, 0, -1
    for m in range(gather(k, w, low, high, True, False)):
        j = int(k.scratch[m])
        b = k.bodies[j]
        ans = k.answers[int(q["param"]), int(b["group"])]
        if b["out"] != 0 or j == par["spares"] or j == int(q["on"]) - 1 or left_out(k, q, j) or not nears(q, ans, b):
            continue
        rule = (float(par["radius"]) + abs(float(ans["near"])), float(w["skin"]), True)
        what, t = meets(b, rule, late, (p, v, NOWHERE), span, True)
        if what != NONE and (t < best or (t == best and b["key"] < best_key)):
            best, best_key, hit = t, int(b["key"]), j
    return best, best_key, hit


@cold
def past_movers(k, par, dt, way, span):
    """For how long within ``span`` a parabola from the tick's end stays out of the boxes of all that moves.

    dt : seconds of the tick, at whose start the bodies' ways are given. A box that may be met is looked at for half as
    long, and again: it may be told too soon, never too late.
    """
    p, v, a = way
    far = float(par["radius"]) + wider(k.world[0], par)
    if par["moments"] >> BY_NEAR & 1 != 0:
        return 0.0
    for m in range(k.apart[1]):
        b = k.bodies[int(k.apart[3 + k.apart[0] + m])]
        if b["out"] != 0 or b["moves"] == VEERS:
            continue
        pull = vec(b["a"])
        rel, relv, rela = (
            sub(p, arc(vec(b["c"]), vec(b["v"]), pull, dt)),
            sub(v, along(vec(b["v"]), pull, dt)),
            sub(a, pull),
        )
        size, met = vec(b["size"]), True
        while met:
            low, high = box_of_arc(rela, span, rel, arc(rel, relv, rela, span), far)
            met = low[0] <= size[0] and high[0] >= -size[0] and low[1] <= size[1] and high[1] >= -size[1]
            met = met and low[2] <= size[2] and high[2] >= -size[2]
            if met:
                span = 0.5 * span
                if span <= dt:
                    return 0.0
    return span


FLUSH = 1e-4
"""Share of its speed that what goes along a body has into the next, at most, where the two lie flush."""

AHEAD = 1e-2
"""Share of a projectile's radius by which it is looked ahead whether a surface goes on."""

ON_IT = 1e-7
"""Share of a projectile's radius within which it is on a surface."""

ALONGSIDE, PRESSED = 1e-9, 1e-7
"""Shares of its speed, and of what acts, that are rounding where what goes along one body goes alongside another."""

SLIPS = 3
"""It is passed between two ticks, where only the end of a tick counts."""


@inner
def meets(b, rule, late, way, span, whole):
    """Whether a piece meets a body and when: what ``first_contact`` says, or SLIPS.

    rule : radius, how near is on the surface, whether contacts are swept. whole : whether the piece reaches the
    tick's end; a touch at ticks is an overlap there.
    """
    radius, skin, swept = rule
    p, v, a = way
    rel, relv, rela = sub(p, vec(b["c"])), v, a
    if b["moves"] != 0:
        pull = vec(b["a"])
        u = along(vec(b["v"]), pull, late)
        rel, relv, rela = sub(p, arc(vec(b["c"]), vec(b["v"]), pull, late)), sub(v, u), sub(a, pull)
    if b["turns"] != 0.0:
        what, t = first_contact_turning(b, rel, relv, rela, radius, span, skin, late)
    else:
        what, t = first_contact(b, rel, relv, rela, radius, span, skin)
    if swept:
        return what, t
    if whole:
        gap, _ = distance_at(b, arc(rel, relv, rela, span), late + span)
        if gap <= radius:
            return 1, span
    return (NONE if what == NONE else SLIPS), t


@inner
def leaves(b, late, way, t):
    """Whether a projectile that overlaps a body at a time moves out of it."""
    p, v, a = way
    u, pull = vec(b["v"]), vec(b["a"])
    d = sub(arc(p, v, a, t), arc(vec(b["c"]), u, pull, late + t))
    _, n = distance_at(b, d, late + t)
    return dot(n, sub(sub(along(v, a, t), along(u, pull, late + t)), surface_speed(b, d))) >= 0.0


@cold
def goes_by(k, q, b, rule, late, way, t):
    """Whether what goes along a body at a time only comes past another that lies flush with it.

    So it is where an edge of that lies behind, or its own bears it still; once that ends, the other does.
    """
    (p, v, a), now, radius, own = way, late + t, rule[0], k.bodies[-1 - int(q["on"])]
    u, pull, off = vec(b["v"]), vec(b["a"]), ON_IT * radius + rule[1]
    place, r = arc(p, v, a, t), sub(along(v, a, t), along(u, pull, now))
    d = sub(place, arc(vec(b["c"]), u, pull, now))
    gap, n = distance_at(b, d, now)
    speed, c = math.sqrt(dot(r, r)), arc(vec(own["c"]), vec(own["v"]), vec(own["a"]), now)
    if speed == 0.0 or dot(r, n) < -FLUSH * speed or gap < radius - off:
        return False
    _, m = distance_at(own, sub(place, c), now)
    if q["also"] != 0 and not in_line(n, m, r, speed):
        own = k.bodies[int(q["also"]) - 1]
        c = arc(vec(own["c"]), vec(own["v"]), vec(own["a"]), now)
        _, m = distance_at(own, sub(place, c), now)
    if not in_line(n, m, r, speed):
        # It goes along the corner that they form, unless something takes it into the other.
        acts = sub(a, pull)
        return dot(r, n) >= -ALONGSIDE * speed and dot(acts, n) >= -PRESSED * math.sqrt(dot(acts, acts))
    step = AHEAD * radius / speed
    ahead, _ = distance_at(b, along(d, r, step), now)
    bears, _ = distance_at(own, sub(along(place, r, step), c), now)
    return ahead > radius + off or abs(bears - radius) <= off


@inner
def in_line(n, m, r, speed):
    """Whether two sides with normals ``n`` and ``m`` follow on one another on a way with velocity ``r``.

    Else they form a corner, along which it goes.
    """
    aside = along(n, r, -dot(n, r) / (speed * speed)) if speed > 0.0 else n
    aside = along(aside, m, -dot(aside, m))
    return dot(aside, aside) < FLUSH * FLUSH


@cold
def matters(k, p, far, most):
    """Whether it matters at once that those who may be so near to a point in the present tick lose so much health.

    It does to who may be out by it, with all that is to come to them, and to who is watched; to others it is to come.
    """
    far += WIDER * float(k.world[0]["skin"])
    low, high = (p[0] - far, p[1] - far, p[2] - far), (p[0] + far, p[1] + far, p[2] + far)
    for m in range(gather(k, k.world[0], low, high, True, False)):
        j = int(k.scratch[m])
        if k.bodies[j]["role"] == OBSTACLE or k.bodies[j]["out"] != 0 or not overlap(k.boxes, j, low, high):
            continue
        first = k.bodies[first_of(k.bodies, j)]
        first["owes"] += most
        if k.bodies[j]["watched"] != 0 or first["watched"] != 0 or first["health"] <= first["owes"]:
            return True
    return False


@inner
def left_out(k, q, j):
    """Whether body ``j`` is among those that the projectile is inside of, or a piece of one."""
    inside = q["inside"]
    for c in range(INSIDE_MOST):
        if inside[c] < 0:
            return False
        if inside[c] == j or first_of(k.bodies, int(inside[c])) == first_of(k.bodies, j):
            return True
    return False


@inner
def first_of(bodies, j):
    """The first piece of the body that one is of."""
    return j + int(bodies[j]["first"])
