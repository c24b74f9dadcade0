"""One tick over a whole pool, and many in a row.

A tick has two phases. First every projectile looks for its next contact, with no side effect. Then
contacts are answered in the order (time, shot key, body key); a projectile whose body is already gone,
or that passes on, looks again and joins the queue anew. So the outcome never depends on the order of
rows in the pool or of tables in a file.
"""

from __future__ import annotations

import math

from nivvo.core._jit import inner, kernel
from nivvo.core.clock import UNITS
from nivvo.core.contact import NONE, first_contact
from nivvo.core.flight import (
    SMOOTH,
    box_of_arc,
    calm,
    glide,
    path_length,
    piece,
    pulled,
    stepped,
    steps_for,
    through_ends,
    time_of_length,
    time_to_leave,
    time_to_stray,
)
from nivvo.core.grid import bin_layer, cell
from nivvo.core.pool import (
    ALONG,
    BY_BOUNDS,
    BY_CONTACT,
    BY_HOPS,
    BY_INSIDE,
    BY_NUMBERS,
    BY_REACH,
    CONTACT,
    DAMAGE,
    DEPENDS_AGE,
    DIED,
    DONE,
    EMPTY,
    END,
    ENDED,
    EVENTS,
    EXACT,
    FROM_OWNER,
    FULL,
    IGNORE,
    INSIDE_MOST,
    LIVE,
    LOST,
    MOVING,
    OVERLAP,
    ROOM,
    ROOM_EACH,
    SAMPLES,
    SLIPPED,
    STALE,
    STILL,
    SWEPT,
    TICK,
    WHY,
)
from nivvo.core.shapes import distance
from nivvo.core.vec import along, arc, put, sub, vec

MOST_HOPS = 16
MOST_LOOKS = 4
MOST_CHUNKS = 4096
FARTHEST = 1e15
NOWHERE = (0.0, 0.0, 0.0)


@kernel
def advance(
    world,
    flight,
    params,
    answers,
    curves,
    bodies,
    boxes,
    start,
    items,
    apart,
    scratch,
    pending,
    touches,
    events,
    samples,
    ticks,
    counters,
):
    """Advance the pool by ``ticks``, until none is left in the air; counters[TICK] tells how many were done.

    Arguments are the arrays of ``pool``. ``boxes`` (n, 6) and the grid's ``start`` and ``items`` are
    rewritten for bodies that move. ``apart``: how many bodies are kept out of the grid, how many
    move, how many of those are in the grid, then the indices of the first two kinds. counters[WHY]
    tells why it came back: DONE, EMPTY, or FULL (grow events or samples, call again with the ticks
    that are left).
    """
    w = world[0]
    step, sampled, skin = int(w["step"]), int(w["sampled"]), float(w["skin"])
    counters[WHY], counters[TICK] = DONE, 0
    for k in range(ticks.shape[0]):
        live = int(counters[LIVE])
        if events.shape[0] - counters[EVENTS] < ROOM_EACH * live + ROOM or (
            sampled != 0 and samples.shape[0] - counters[SAMPLES] < live
        ):
            counters[WHY] = FULL
            return
        now = ticks[k]
        edge, next_edge, dt = int(now["start"]), int(now["end"]), float(now["dt"])
        place_bodies(w, step, bodies, boxes, start, items, apart, now, counters)
        fresh, waiting, ended = 0, 0, 0
        while True:
            hops = 0
            if fresh < live:
                i = fresh
                fresh += 1
            elif waiting > 0:
                waiting -= 1
                first = pending[0]
                i, j, hops = int(first["row"]), int(first["body"]), int(first["hops"]) + 1
                t = float(first["t"])
                pending[0] = pending[waiting]
                sift_down(pending, waiting)
                if bodies[j]["gone"] == 0 and answer(
                    flight[i], touches[i], params, answers, curves, bodies, j, now, t, skin, events, counters
                ):
                    ended += 1
                    continue
            else:
                break
            q = flight[i]
            if q["t0"] >= next_edge:
                continue
            par = params[int(q["param"])]
            late = (q["t0"] - edge) / UNITS if q["t0"] > edge else 0.0
            h, p, v, a = dt - late, vec(q["p"]), vec(q["v"]), vec(par["a"])
            glides, pieces, gone, looks = par["drags"] != 0 and step == EXACT, 1, 0.0, 0
            if glides and w["touch"] == SWEPT:
                pieces = steps_for(a, float(par["linear"]), float(par["square"]), v, h)
            elif par["drags"] != 0 and not glides:
                a = pulled(a, float(par["linear"]), float(par["square"]), v)
            rest, s, at = h, h / pieces, touches[i]
            if pieces > SMOOTH:
                s = calm(a, float(par["linear"]), float(par["square"]), v, rest)
            while True:
                s = min(s, rest)
                if glides:
                    s = life_within(q, edge, next_edge, late, s)
                    m = 1
                    if w["touch"] != SWEPT or pieces > SMOOTH:
                        m = steps_for(a, float(par["linear"]), float(par["square"]), v, s)
                    p1, v1 = glide(a, float(par["linear"]), float(par["square"]), p, v, s, m, SMOOTH)
                    # Kept in memory: most flights have no use for it, and it would cost them registers.
                    put(at["p"], p1)
                    put(at["v"], v1)
                    u, b = v, through_ends(p, v, p1, s)
                else:
                    u, b = piece(step, p, v, a, h, float(par["factor"]))
                span, why, more = limit(w, q, par, bodies, edge, next_edge, late, s, s >= rest, p, u, b, gone)
                t, body_key, j = look(
                    w, q, par, answers, bodies, boxes, start, items, apart, scratch,
                    late, p, u, b, span, why, hops, now, events, counters,
                )  # fmt: skip
                if j >= 0 and glides and 0.0 < t < s and looks < MOST_LOOKS:
                    # The parabola is true at its ends only: let it end where it touches, and look again.
                    s, looks = t, looks + 1
                    continue
                if j >= 0 or why != 0 or s >= rest:
                    break
                p, v, late, rest, gone = vec(at["p"]), vec(at["v"]), late + s, rest - s, gone + more
                s = h / pieces
                if pieces > SMOOTH:
                    s = calm(a, float(par["linear"]), float(par["square"]), v, rest)
            if j >= 0 and hops < MOST_HOPS:
                row = pending[waiting]
                row["t"], row["key"], row["body_key"] = late + t, q["key"], body_key
                row["body"], row["row"], row["hops"] = j, i, hops
                put(at["p"], arc(p, u, b, t))
                put(at["v"], along(u, b, t))
                at["flown"] = gone + path_length(u, b, t)
                sift_up(pending, waiting)
                waiting += 1
                continue
            if j >= 0:
                span, why = t, BY_HOPS
            p1, v1 = p, u
            if why == 0 and glides:
                p1, v1 = vec(at["p"]), vec(at["v"])
            elif why == 0:
                age = (next_edge - q["t0"]) / UNITS
                v = vec(q["v"])
                p1, v1 = stepped(step, p, v, a, h, vec(q["p0"]), vec(q["v0"]), age, float(par["factor"]))
            if leave_or_go_on(q, now, late, span, why, p, u, b, gone, more, p1, v1, events, counters):
                ended += 1

        live = settle(flight, params, bodies, live, ended, now, skin, sampled, samples, counters)
        counters[LIVE] = live
        counters[TICK] = k + 1
        if live == 0:
            counters[WHY] = EMPTY
            return


@inner
def place_bodies(w, step, bodies, boxes, start, items, apart, now, counters):
    """Set each moving body where the tick starts and its box to what it sweeps; bin what has changed.

    In a game's own step a body that accelerates goes straight from where a tick starts to where it ends.
    """
    dt = float(now["dt"])
    for m in range(apart[1]):
        j = int(apart[3 + apart[0] + m])
        b = bodies[j]
        if b["gone"] != 0:
            continue
        since, c0, u, a = (now["start"] - b["t0"]) / UNITS, vec(b["c0"]), vec(b["v0"]), vec(b["a0"])
        centre = arc(c0, u, a, since)
        if a[0] != 0.0 or a[1] != 0.0 or a[2] != 0.0:
            u = along(u, a, since)
            if step != EXACT:
                q = arc(centre, u, a, dt)
                u, a = ((q[0] - centre[0]) / dt, (q[1] - centre[1]) / dt, (q[2] - centre[2]) / dt), NOWHERE
        put(b["c"], centre)
        put(b["v"], u)
        put(b["a"], a)
        low, high = box_of_arc(a, dt, centre, arc(centre, u, a, dt), 0.0)
        for k in range(3):
            wide = float(b["size"][k])
            boxes[j, k], boxes[j, k + 3] = low[k] - wide, high[k] + wide
    for layer in range(2):
        if (layer == STILL and counters[STALE] != 0) or (layer == MOVING and apart[2] > 0):
            bin_layer(layer, w, bodies, boxes, start, items)
    counters[STALE] = 0


@inner
def life_within(q, edge, next_edge, late, s):
    """The time until its life is over, if that is within ``s`` seconds; else s."""
    if q["until"] >= 0 and q["until"] <= next_edge:
        return min(max((q["until"] - edge) / UNITS - late, 0.0), s)
    return s


@inner
def limit(w, q, par, bodies, edge, next_edge, late, h, final, p, v, a, gone):
    """For how long the piece lasts before a limit cuts it, which one (0: none), and its path length if kept.

    ``final``: whether the piece reaches the tick's end. ``gone``: path length since the tick's start.
    """
    span, why, more = h, 0, 0.0
    if q["until"] >= 0 and q["until"] <= next_edge:
        cut = max((q["until"] - edge) / UNITS - late, 0.0)
        if final or cut <= h:
            span, why = min(cut, h), int(q["cause"])
    if par["strays"] != ALONG:
        c, u, b = vec(q["p0"]), NOWHERE, NOWHERE
        if par["strays"] == FROM_OWNER:
            body = bodies[int(par["owner"])]
            b = vec(body["a"])
            c, u = arc(vec(body["c"]), vec(body["v"]), b, late), along(vec(body["v"]), b, late)
        out = time_to_stray(sub(p, c), sub(v, u), sub(a, b), float(par["reach"]), span)
        if out >= 0.0:
            span, why = out, BY_REACH
    if w["length"] != 0 or par["reach"] < math.inf:
        more = path_length(v, a, span)
        if par["strays"] == ALONG and q["flown"] + gone + more >= par["reach"]:
            span = time_of_length(v, a, max(par["reach"] - q["flown"] - gone, 0.0), span)
            why = BY_REACH
    if w["bounded"] != 0:
        out = time_to_leave(p, v, a, vec(w["low"]), vec(w["high"]), span)
        if out >= 0.0:
            span, why = out, BY_BOUNDS
    return span, why, more


@inner
def look(
    w,
    q,
    par,
    answers,
    bodies,
    boxes,
    start,
    items,
    apart,
    scratch,
    late,
    p,
    v,
    a,
    span,
    why,
    hops,
    now,
    events,
    counters,
):
    """The next contact on a piece: (time, body key, body), or body -1. Ties go to the lesser body key."""
    radius, skin = float(par["radius"]), float(w["skin"])
    swept = w["touch"] == SWEPT
    best, best_key, hit = math.inf, 0, -1
    chunks, chunk, share, c0, from_point = 1, 0, 1.0, 0.0, p
    while chunk < chunks:
        c1 = span if chunk == chunks - 1 else span * (share * (chunk + 1))
        to_point = arc(p, v, a, c1)
        low, high = box_of_arc(a, c1 - c0, from_point, to_point, radius + 4.0 * skin)
        found = gather(w, low, high, boxes, start, items, apart, scratch, chunk == 0, chunks == 1)
        if found < 0:
            chunks, share = -found, 1.0 / -found
            continue
        for m in range(found):
            j = int(scratch[m])
            b = bodies[j]
            if b["gone"] != 0 or j == par["spares"] or left_out(q, j):
                continue
            if answers[int(q["param"]), int(b["group"])]["then"] == IGNORE:
                continue
            rel, relv, rela = sub(p, vec(b["c"])), v, a
            if b["moves"] != 0:
                pull = vec(b["a"])
                u = along(vec(b["v"]), pull, late)
                rel, relv, rela = sub(p, arc(vec(b["c"]), vec(b["v"]), pull, late)), sub(v, u), sub(a, pull)
            what, t = first_contact(b, rel, relv, rela, radius, span, skin)
            if swept:
                if what == NONE:
                    continue
            else:
                overlap = False
                if why == 0:
                    gap, _ = distance(b, arc(rel, relv, rela, span))
                    overlap = gap <= radius
                if not overlap:
                    if what != NONE and c0 <= t and (t < c1 or chunk == chunks - 1) and hops == 0:
                        tell(events, counters, now, late + t, SLIPPED, q, j, 0, 0.0, 0.0, arc(p, v, a, t), NOWHERE, v)
                    continue
                t = span
            if t < best or (t == best and b["key"] < best_key):
                best, best_key, hit = t, int(b["key"]), j
        if swept and best <= c1:
            break
        c0, from_point, chunk = c1, to_point, chunk + 1
    return best, best_key, hit


@inner
def leave_or_go_on(q, now, late, span, why, p, v, a, gone, more, p1, v1, events, counters):
    """End a projectile at its limit, or set it to ``p1``, ``v1`` where the tick ends; tell if it ended."""
    if why == 0:
        if abs(p1[0]) + abs(p1[1]) + abs(p1[2]) < FARTHEST:
            put(q["p"], p1)
            put(q["v"], v1)
            q["flown"] += gone + more
            return False
        why, p, u = BY_NUMBERS, p1, v1
    else:
        p, u = arc(p, v, a, span), along(v, a, span)
    tell(events, counters, now, late + span, ENDED, q, -1, why, 0.0, 0.0, p, NOWHERE, u)
    q["flown"] += gone + path_length(v, a, span)
    finish(q, p, u, why)
    return True


@inner
def gather(w, low, high, boxes, start, items, apart, scratch, with_apart, may_split):
    """Write to ``scratch`` the bodies in the cells of the box low..high whose own box meets it; tell how many.

    A body that lies in several of these cells is taken once; those apart from the grid are all taken.
    If the box covers many cells and ``may_split``, nothing is written, and the answer is minus the
    number of pieces of about two cells into which the path should be cut, to look along it in order.
    """
    origin, per_cell, last = vec(w["origin"]), vec(w["per_cell"]), vec(w["last"])
    x0, x1 = cell(low[0], origin[0], per_cell[0], last[0]), cell(high[0], origin[0], per_cell[0], last[0])
    y0, y1 = cell(low[1], origin[1], per_cell[1], last[1]), cell(high[1], origin[1], per_cell[1], last[1])
    z0, z1 = 0, 0
    if last[2] > 1.0:
        z0, z1 = cell(low[2], origin[2], per_cell[2], last[2]), cell(high[2], origin[2], per_cell[2], last[2])
    nx, ny = int(w["cells"][0]), int(w["cells"][1])
    if may_split and max(x1 - x0, max(y1 - y0, z1 - z0)) > 3:
        most = 0.0
        for k in range(3):
            most = max(most, (high[k] - low[k]) * per_cell[k])
        return -max(2, min(int(min(most, 1e9) * 0.5) + 1, MOST_CHUNKS))
    found = 0
    if with_apart:
        found = int(apart[0])
        for m in range(found):
            scratch[m] = apart[3 + m]
    layers = 2 if apart[2] > 0 else 1
    for z in range(z0, z1 + 1):
        for y in range(y0, y1 + 1):
            row = (z * ny + y) * nx
            for layer in range(layers):
                for m in range(start[layer, row + x0], start[layer, row + x1 + 1]):
                    j = items[layer, m]
                    if boxes[j, 0] > high[0] or boxes[j, 3] < low[0] or boxes[j, 1] > high[1] or boxes[j, 4] < low[1]:
                        continue
                    if boxes[j, 2] > high[2] or boxes[j, 5] < low[2]:
                        continue
                    known = False
                    for seen in range(found - 1, -1, -1):
                        if scratch[seen] == j:
                            known = True
                            break
                    if not known:
                        scratch[found] = j
                        found += 1
    return found


@inner
def left_out(q, j):
    """Whether body ``j`` is among those that the projectile is inside of."""
    inside = q["inside"]
    for k in range(INSIDE_MOST):
        if inside[k] < 0:
            return False
        if inside[k] == j:
            return True
    return False


@inner
def before(x, y):
    """Whether pending row ``x`` is answered before ``y``: by time, then shot key, then body key."""
    if x["t"] != y["t"]:
        return x["t"] < y["t"]
    if x["key"] != y["key"]:
        return x["key"] < y["key"]
    return x["body_key"] < y["body_key"]


@inner
def swap(pending, i, j):
    """Exchange two pending rows."""
    x, y = pending[i], pending[j]
    x["t"], y["t"] = float(y["t"]), float(x["t"])
    x["key"], y["key"] = int(y["key"]), int(x["key"])
    x["body_key"], y["body_key"] = int(y["body_key"]), int(x["body_key"])
    x["body"], y["body"] = int(y["body"]), int(x["body"])
    x["row"], y["row"] = int(y["row"]), int(x["row"])
    x["hops"], y["hops"] = int(y["hops"]), int(x["hops"])


@inner
def sift_up(pending, i):
    """Let the last row of a binary heap rise to its place."""
    while i > 0 and before(pending[i], pending[(i - 1) // 2]):
        swap(pending, i, (i - 1) // 2)
        i = (i - 1) // 2


@inner
def sift_down(pending, count):
    """Let the first row of a binary heap of ``count`` sink to its place."""
    i = 0
    while 2 * i + 1 < count:
        child = 2 * i + 1
        if child + 1 < count and before(pending[child + 1], pending[child]):
            child += 1
        if not before(pending[child], pending[i]):
            return
        swap(pending, i, child)
        i = child


@inner
def tell(events, counters, now, after, kind, q, j, why, amount, left, p, normal, v):
    """Write one event; ``left`` is what is left of a health, or how far apart the surfaces are."""
    if counters[EVENTS] >= events.shape[0]:
        counters[LOST] += 1
        return
    e = events[counters[EVENTS]]
    counters[EVENTS] += 1
    e["start"], e["after"], e["tick"] = now["start"], after, now["tick"]
    e["key"], e["kind"], e["body"], e["why"] = q["key"], kind, j, why
    e["amount"], e["left"] = amount, left
    put(e["p"], p)
    put(e["normal"], normal)
    put(e["v"], v)


@inner
def answer(q, at, params, answers, curves, bodies, j, now, t, skin, events, counters):
    """What follows a contact of a projectile with body ``j`` at ``t`` seconds into the tick; tell if it ended."""
    par = params[int(q["param"])]
    b = bodies[j]
    ans = answers[int(q["param"]), int(b["group"])]
    p, v = vec(at["p"]), vec(at["v"])
    gap, n = distance(b, sub(p, arc(vec(b["c"]), vec(b["v"]), vec(b["a"]), t)))
    gap -= par["radius"]
    kind = OVERLAP if gap < -skin else CONTACT
    ends = ans["then"] == END
    tell(events, counters, now, t, kind, q, j, 0, 0.0, gap, p, n, v)
    damage = float(ans["damage"])
    if ans["by"] != 0:
        x = (now["start"] - q["born"]) / UNITS + t if ans["by"] == DEPENDS_AGE else q["flown"] + at["flown"]
        damage = read_off(curves, int(ans["first"]), int(ans["count"]), x)
    if damage != 0.0:
        b["health"] -= damage
        tell(events, counters, now, t, DAMAGE, q, j, 0, damage, b["health"], p, n, v)
        if b["health"] <= 0.0:
            b["gone"] = 1
            tell(events, counters, now, t, DIED, q, j, 0, damage, b["health"], p, n, v)
    if not ends:
        why = BY_INSIDE
        inside = q["inside"]
        for k in range(INSIDE_MOST):
            if inside[k] < 0:
                inside[k] = j
                return False
    else:
        why = BY_CONTACT
    tell(events, counters, now, t, ENDED, q, j, why, 0.0, gap, p, n, v)
    q["flown"] += at["flown"]
    finish(q, p, v, why)
    return True


@inner
def read_off(curves, first, count, x):
    """The value at ``x`` of a curve: rows of x and value, straight between, held beyond its ends; or of steps."""
    if count == 0:
        start, step, every, cap = curves[first, 0], curves[first, 1], curves[first + 1, 0], curves[first + 1, 1]
        steps = float(int(min(x / every, FARTHEST)))
        if steps * every > x:
            steps -= 1.0
        elif (steps + 1.0) * every <= x:
            steps += 1.0
        return min(start + step * steps, cap) if step >= 0.0 else max(start + step * steps, cap)
    value = curves[first, 1]
    for k in range(first, first + count):
        if curves[k, 0] > x:
            share = (x - curves[k - 1, 0]) / (curves[k, 0] - curves[k - 1, 0]) if k > first else 0.0
            return value + share * (curves[k, 1] - value)
        value = curves[k, 1]
    return value


@inner
def finish(q, p, v, why):
    """Leave a projectile where it ended."""
    put(q["p"], p)
    put(q["v"], v)
    q["end"] = why


@inner
def settle(flight, params, bodies, live, ended, now, skin, sampled, samples, counters):
    """At a tick's end: forget bodies that are clear, keep samples, close the gaps; tell how many live."""
    kept = 0
    for i in range(live):
        q = flight[i]
        if q["end"] != 0:
            continue
        inside, held = q["inside"], 0
        for k in range(INSIDE_MOST):
            j = int(inside[k])
            if j < 0:
                break
            b = bodies[j]
            centre = arc(vec(b["c"]), vec(b["v"]), vec(b["a"]), float(now["dt"]))
            gap, _ = distance(b, sub(vec(q["p"]), centre))
            inside[k] = -1
            if gap - params[int(q["param"])]["radius"] <= skin and b["gone"] == 0:
                inside[held] = j
                held += 1
        if sampled != 0:
            s = samples[counters[SAMPLES]]
            counters[SAMPLES] += 1
            s["t"], s["key"] = now["end"], q["key"]
            put(s["p"], vec(q["p"]))
            put(s["v"], vec(q["v"]))
        if kept != i:
            flight[kept] = flight[i]
        kept += 1
    return kept
