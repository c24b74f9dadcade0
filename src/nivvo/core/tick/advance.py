"""The loop: from tick to tick, and within a tick from contact to contact."""

from __future__ import annotations

import math

from nivvo.core._jit import cold, inner, kernel
from nivvo.core.contacts.corners import ALONG_IT, OFF, go_as_one, gone_from, narrowed
from nivvo.core.contacts.corners import STANDS as CREEPS
from nivvo.core.contacts.corners import STILL as STANDS
from nivvo.core.contacts.events import NOWHERE, finish, tell
from nivvo.core.contacts.resting import carried, flush_with, lies_for, lodged, set_on, slide, stands_for
from nivvo.core.contacts.search import WIDER, comes_near, look, past_movers
from nivvo.core.flying.acting import LEAST, beside, changes, company_of, drifted, flies_on, mean, reckoned, swept, unled
from nivvo.core.flying.ahead import ahead, asleep, corridor, foreseen, goes_over
from nivvo.core.flying.flight import (
    SMOOTH,
    calm,
    kick,
    path_length,
    piece,
    scaled,
    stepped,
    steps_for,
    through_ends,
)
from nivvo.core.flying.forces import acceleration
from nivvo.core.flying.limits import life_within, limit
from nivvo.core.geometry.grid import CLEAR_TICKS, box_of_arc, gather, place_bodies, veers_by
from nivvo.core.geometry.shapes import distance
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.curves import FARTHEST
from nivvo.core.numbers.heap import sift_down, sift_up
from nivvo.core.numbers.vec import along, arc, dot, largest, put, sub, vec
from nivvo.core.pool import (
    A_STEP,
    AGAIN,
    ALONE,
    AT_LIMIT,
    AWAKE,
    BEGAN,
    BLEND,
    BY_APEX,
    BY_HOPS,
    BY_NEAR,
    BY_NUMBERS,
    BY_OUT,
    DONE,
    DUE,
    EMPTY,
    ENDED,
    EVENTS,
    EXACT,
    EXPLICIT,
    FORESEEN,
    FRESH,
    FULL,
    HEAP,
    HELD,
    HOLD,
    HOLE,
    HOLES,
    KEEP,
    KEPT,
    KNOWN,
    LEFT,
    LIVE,
    MID,
    OWED,
    OWES,
    REDIRECTED,
    RESTED,
    ROOM,
    ROOM_EACH,
    SAMPLES,
    SEEKS,
    STOOD,
    STUCK,
    SWAYS,
    SWEPT,
    TICK,
    UNTIL,
    UP,
    VERLET,
    WHY,
)
from nivvo.core.tick import answer as answers
from nivvo.core.tick.answer import ON, OVER, answer, begin, leave, moment, put_inside, turn, waits

CLEAR_CELLS, ASK_AGAIN = 0.5, 2
"""So many cells a projectile that has no parabola looks ahead, and at most CLEAR_TICKS; after so many ticks it is asked
again where something was near."""

MOST_HOPS = 16
MOST_LOOKS = 4
ASIDE = 0.05
"""Cells that the parabola along which it is looked ahead may be beside what is foreseen."""

HORIZON = 128.0
"""Ticks that a projectile looks ahead along its parabola."""

EARLY = 1_000_000
"""Counts (some microseconds) by which it wakes too early rather than too late."""

MOST_HOLES = 0.5
"""Share of the rows that may be of what has ended, within a call, before the others close up: each copies a row."""

LIMIT_KEY = 2147483647
HOLDS = answers.HELD


@kernel
def advance(k):
    """Advance the pool ``k`` by its ticks, until none is left in the air; counters[TICK]: how many were done.

    ``boxes`` (n, 6) and the grid's ``start`` and ``items`` are rewritten for bodies that move. ``apart``: how many
    bodies are kept out of the grid, how many move, how many of those are in the grid, then the indices of the first
    two kinds, and of those that stand in the grid. counters[WHY] tells why it came back: DONE (also before a later
    tick in which who seeks may lose or find somebody); EMPTY; FULL (grow events or samples); DUE (the next contact
    is not before counters[UNTIL]); HOLD (something is to be decided outside); OWES (so it was: at a tick's end, or
    before a contact that hangs on it). Then call again with the ticks that are left: in the middle of the first it
    goes on where it was.
    """
    counters = k.counters
    counters[WHY], counters[TICK] = DONE, 0
    for nth in range(k.ticks.shape[0]):
        now = k.ticks[nth]
        live = int(counters[LIVE])
        if nth > 0 and counters[SEEKS] < now["end"]:
            break
        if counters[MID] == 0:
            if k.events.shape[0] - counters[EVENTS] < ROOM_EACH * live + ROOM or (
                k.world[0]["sampled"] != 0 and k.samples.shape[0] - counters[SAMPLES] < live
            ):
                counters[WHY] = FULL
                close_up(k)
                return
            place_bodies(k, now)
            counters[FRESH], counters[HEAP], counters[UP], counters[KNOWN] = 0, 0, 0, 0
        counters[WHY], counters[MID] = fly(k, now), 0
        if counters[WHY] != DONE:
            counters[MID] = 1
            return
        settle(k, now)
        counters[TICK] = nth + 1
        if counters[LIVE] == 0:
            counters[WHY] = EMPTY
            return
        if counters[OWED] != 0:
            counters[WHY] = OWES
            break
    close_up(k)


@inner
def fly(k, now):
    """Let all fly to the tick's end, contact by contact; returns DONE, DUE, HOLD or OWES."""
    counters, pending = k.counters, k.pending
    clock, keep = (int(now["start"]), int(now["end"])), counters[KEEP] != 0
    due = math.inf if counters[UNTIL] < 0 else (counters[UNTIL] - now["start"]) / UNITS
    rouse(k, now)
    fresh, waiting, up = int(counters[FRESH]), int(counters[HEAP]), int(counters[UP])
    while True:
        again = fresh >= up
        if not again:
            i = int(k.awake[fresh])
            fresh += 1
            if k.wake[i] != AWAKE:
                place(k, i, clock[0])
                k.wake[i] = AWAKE
            q = k.flight[i]
            if q["clear"] >= clock[1] and not keep and flies_on(k, i, now):
                if q["clear"] < clock[1] + (clock[1] - clock[0]):
                    q["clear"] = clear_until(k, i, k.params[int(q["param"])], now, clock[1])
                continue
        else:
            if waiting == 0 or pending[0]["t"] >= due:
                counters[FRESH], counters[HEAP] = fresh, waiting
                return DONE if due == math.inf else DUE
            waiting -= 1
            i, j, turn, t = next_of(pending, waiting)
            q, at = k.flight[i], k.points[i]
            if q["end"] != 0 or turn != at["turn"]:
                continue
            after = ON
            counters[BEGAN] = counters[EVENTS]
            if j == AT_LIMIT:
                after = at_limit(k, i, now, t)
            elif j >= 0:
                if counters[OWED] != 0 and waits(k, i, j):
                    waiting = wait(k, i, t, int(k.bodies[j]["key"]), j, waiting)
                    counters[FRESH], counters[HEAP] = fresh, waiting
                    return OWES
                at["hops"] += 1
                if k.bodies[j]["out"] == 0:
                    after = answer(k, i, j, now, t)
            if after >= HOLDS:
                if after == HOLDS + ON:
                    waiting = wait(k, i, t, LIMIT_KEY, AGAIN, waiting)
                counters[FRESH], counters[HEAP], counters[HELD] = fresh, waiting, i
                return HOLD
            if after != ON:
                continue
        waiting = seek(k, i, now, clock, again, keep, waiting)


@inner
def rouse(k, now):
    """List those that are awake before the tick's end and have not been listed in it."""
    counters, awake, up, end = k.counters, k.awake, int(k.counters[UP]), int(now["end"])
    known = int(counters[KNOWN])
    if k.world[0]["veers"] > 0:
        up = rouse_met(k, now, known, up)
    else:
        wake = k.wake[known : counters[LIVE]]
        for m in range(wake.shape[0]):
            if wake[m] < end:
                awake[up] = known + m
                up += 1
    counters[UP], counters[KNOWN] = up, counters[LIVE]


@cold
def rouse_met(k, now, known, up):
    """As ``rouse``, from row ``known`` on, and those too to whom what veers may come; how many are listed then."""
    for i in range(known, k.counters[LIVE]):
        if k.wake[i] < now["end"] or (k.wake[i] != HOLE and crossed(k, i, now)):
            k.awake[up] = i
            up += 1
    return up


@inner
def crossed(k, i, now):
    """Whether what a sleeping projectile sweeps in a tick may be met by a body whose way veers."""
    q, w, dt, far = k.flight[i], k.world[0], float(now["dt"]), 0.0
    par = k.params[int(q["param"])]
    a = vec(par["a"])
    place(k, i, int(now["start"]))
    p = vec(q["p"])
    p1 = arc(p, vec(q["v"]), a, dt)
    if par["bends"] != 0:
        _, a, far = corridor(k, i, int(now["start"]), dt, math.inf)
        p1, _ = asleep(k, i, int(now["end"]))
    low, high = box_of_arc(a, dt, p, p1, float(par["radius"]) + far + WIDER * float(w["skin"]))
    return veers_by(k, w, low, high)


@inner
def place(k, i, time):
    """Set a projectile that slept where it is at ``time`` (clock)."""
    p, v = asleep(k, i, time)
    put(k.flight[i]["p"], p)
    put(k.flight[i]["v"], v)


@inner
def next_of(pending, waiting):
    """Take the first row from a heap of which ``waiting`` are to be left: projectile, body, turn, time."""
    first = pending[0]
    i, j, turn, t = int(first["row"]), int(first["body"]), int(first["turn"]), float(first["t"])
    pending[0] = pending[waiting]
    sift_down(pending, waiting)
    return i, j, turn, t


@inner
def running(k, i, clock, again, keep):
    """Where a projectile goes on from in this tick: seconds after its start, place, velocity, path till then.

    Also how many contacts of it were answered, and what its record says (0, KEPT, REDIRECTED), which is written only
    where it may be asked again.
    """
    q, at = k.flight[i], k.points[i]
    hops = int(at["hops"]) if again else 0
    if again and at["kept"] != 0:
        return (float(at["late"]), vec(at["from_p"]), vec(at["from_v"]), float(at["run"])), hops, int(at["kept"])
    late = (q["t0"] - clock[0]) / UNITS if q["t0"] > clock[0] else 0.0
    kept = 0
    if keep:
        kept = KEPT
        put(at["from_p"], vec(q["p"]))
        put(at["from_v"], vec(q["v"]))
        at["late"], at["run"], at["base"], at["hops"], at["kept"] = late, 0.0, q["flown"], hops, KEPT
    return (late, vec(q["p"]), vec(q["v"]), 0.0), hops, kept


@cold
def let_go(k, i, now, p, v, late, kept):
    """Let what has lain on a body, or gone along it, fly from there; with which velocity."""
    q, at, par = k.flight[i], k.points[i], k.params[int(k.flight[i]["param"])]
    tell(k, now, late, q, (LEFT, abs(int(q["on"])) - 1, 0, 0.0, 0.0), (p, NOWHERE, v, NOWHERE))
    q["on"] = 0
    if kept != REDIRECTED:
        v = mean(k, i, par, now, v, late)
    put(at["from_p"], p)
    put(at["from_v"], v)
    begin(q, par, int(now["start"]), late, p, v)
    return v


@inner
def seek(k, i, now, clock, again, keep, waiting):
    """Let one projectile look for what comes next: it waits for it, or has flown; how many wait then."""
    # Longer than a function of the core should be: what flies on and what looks ahead share one call each of limit and
    # look. With a call of their own for looking ahead the kernel took 14.7 to 16.5 s to compile in place of 13.5.
    q, at, w = k.flight[i], k.points[i], k.world[0]
    if q["t0"] >= clock[1] and not (again and at["kept"] == REDIRECTED and w["touch"] != SWEPT):
        if again and at["kept"] == REDIRECTED:
            # It was turned at the tick's very end. (Where that alone counts, it may overlap others there.)
            put(q["p"], vec(at["from_p"]))
            put(q["v"], vec(at["from_v"]))
        at["kept"] = 0
        return waiting
    par = k.params[int(q["param"])]
    (late, p, v, gone), hops, kept = running(k, i, clock, again, keep)
    step, a, slides, faster = int(w["step"]), vec(par["a"]), False, NOWHERE
    shifts, age, whole_s = False, 0.0, float(now["dt"]) - late
    if q["also"] != 0:
        held = k.bodies[abs(int(q["on"])) - 1], k.bodies[int(q["also"]) - 1]
        if q["on"] > 0 and not go_as_one(held[0], held[1]):
            if q["past"] >> STOOD & 1 != 0:
                q["on"] = -q["on"]
            else:
                q["also"] = 0
        gone = gone_from(k, i, now, p, v, late) if q["on"] < 0 and q["also"] != 0 else -1
        if gone >= 0:
            j = flush_with(k, i, now, p, v, late, gone) if hops < MOST_HOPS else -1
            if j >= 0:
                return wait_for(k, i, (p, v), late, (hops, kept), j, waiting)
            narrowed(k, i, now, p, v, late, gone)
    if q["on"] < 0:
        was = p
        comes, p, v, a, whole_s, faster = slide(k, i, now, p, v, late, whole_s)
        slides = comes == ALONG_IT
        if comes == STANDS:
            q["on"] = -q["on"]
            q["past"] |= 1 << STOOD
            tell(k, now, late, q, (RESTED, int(q["on"]) - 1, 0, 0.0, 0.0), (p, NOWHERE, v, v))
        elif comes == OFF:
            j = flush_with(k, i, now, was, v, late, -1 - int(q["on"])) if hops < MOST_HOPS else -1
            if j >= 0:
                return wait_for(k, i, (was, v), late, (hops, kept), j, waiting)
            v, a, whole_s = let_go(k, i, now, p, v, late, kept), vec(par["a"]), float(now["dt"]) - late
    goes_round, stays = q["on"] > 0 and k.bodies[abs(int(q["on"])) - 1]["turns"] != 0.0, float(now["dt"]) - late
    if goes_round and not lodged(q):
        stays = lies_for(k, i, now, p, late, stays)
        if stays <= 0.0:
            _, v, _, _ = carried(k, q, p, late, late, clock)
            if stays == 0.0:
                # As it begins to go apart nothing tells that from touching.
                put_inside(q, int(q["on"]) - 1)
            v, a, whole_s = let_go(k, i, now, p, v, late, kept), vec(par["a"]), float(now["dt"]) - late
    if q["on"] > 0 and (goes_round or lodged(q)):
        p1, v1, why, end = carried(k, q, p, late, late + stays, clock)
        if why == 0 and late + stays < now["dt"]:
            why = A_STEP
        body_key, j, h = LIMIT_KEY, AT_LIMIT, end - late
        if par["moments"] >> BY_NEAR & 1 != 0 and q["past"] >> BY_NEAR & 1 == 0 and h > 0.0:
            # As if it went straight with what it sticks in.
            goes = scaled(sub(p1, p), 1.0 / h)
            t, near_key, near = comes_near(k, i, late, (p, goes), h)
            if near >= 0:
                p1, v1, why, end, body_key, j = along(p, goes, t), goes, BY_NEAR, late + t, near_key, near
        if why == 0:
            put(q["p"], p1)
            put(q["v"], v1)
            return waiting
        at["hops"], at["kept"], at["why"], at["flown"] = hops, kept, why, 0.0
        put(at["p"], p1)
        put(at["v"], v1)
        return wait(k, i, end, body_key, j, waiting)
    if q["on"] > 0:
        # It lies on its body and goes along, until another one meets it.
        b_on = k.bodies[int(q["on"]) - 1]
        v, a, slides = along(vec(b_on["v"]), vec(b_on["a"]), late), vec(b_on["a"]), True
        if par["careful"] != 0 and q["past"] >> STOOD & 1 != 0:
            whole_s = stands_for(k, i, now, p, late, whole_s)
            if whole_s == 0.0:
                at["hops"], at["kept"], at["why"], at["flown"] = hops, kept, A_STEP, 0.0
                put(at["p"], p)
                put(at["v"], v)
                return wait(k, i, late, LIMIT_KEY, AT_LIMIT, waiting)
    glides, sees, pieces, looks = par["bends"] != 0 and step == EXACT, False, 1, 0
    falls = step == EXACT and not glides
    company = ALONE
    if slides:
        step, glides, falls = EXACT, False, False
    elif par["careful"] != 0:
        shifts = par["shifts"] != 0 and kept != REDIRECTED
        age = (clock[0] - k.guides[i]["began"]) / UNITS + late
        if kept == REDIRECTED:
            k.guides[i]["free"] = min(int(k.guides[i]["free"]), clock[0])
            shifts = par["shifts"] == SWAYS and step == EXACT
        company = company_of(k, i, par, clock[0], age)
    h = max(float(now["dt"]) - late, 0.0)
    if glides:
        sees = foreseen(par, v, now["dt"])
        if keep and par["bends"] == FORESEEN and not again and q["t0"] < clock[0]:
            goes_over(k, i, sees, clock[0])
        if w["touch"] == SWEPT:
            pieces = steps_for(par, v, h)
    elif par["bends"] != 0 and not glides and not slides:
        a = acceleration(par, age, p, v, company if par["law"] == BLEND else unled(company), age)
    if kept == REDIRECTED and step != EXACT:
        # It goes straight on; of what acts in this tick it gets what its step had not given it yet.
        share = 1.0 if step == EXPLICIT else 0.5 if step == VERLET else 0.0
        step, a = EXPLICIT, scaled(a, share * float(now["dt"]) / h if h > 0.0 else 0.0)
        company = unled(company)
    kicked = v
    if step != EXACT:
        kicked = kick(par, age, p, v, a, h, company)
    rest, s = h, h / pieces
    if slides:
        s = min(s, whole_s)
    if pieces > SMOOTH:
        s = calm(par, v, rest)
    # Its path is summed up, or follows from where its parabola began.
    far, from_v, aged, drift = False, v, 0.0, (NOWHERE, NOWHERE, NOWHERE, NOWHERE, False)
    if falls:
        from_v, aged = vec(q["v0"]), (clock[0] - q["t0"]) / UNITS + late
    while True:
        s = min(s, rest)
        if glides and not far:
            s = life_within(q, clock, late, s)
            m = 1
            if not sees and (w["touch"] != SWEPT or pieces > SMOOTH):
                m = steps_for(par, v, s)
            if par["careful"] != 0:
                s = min(s, changes(k, i, par, age) - age)
            if sees:
                final = s >= rest
                p1, v1 = ahead(k, i, clock[1] if final else clock[0], 0.0 if final else late + s)
            else:
                p1, v1 = swept(k, i, age, (p, v), s, m, shifts, company)
            # Kept in memory: most flights have no use for it, and it would cost them registers.
            put(at["p"], p1)
            put(at["v"], v1)
            u, b = v, through_ends(p, v, p1, v1, s)
        else:
            u, b = piece(step, p, v, a, h, kicked)
            if shifts:
                drift = drifted(k, i, par, age, h, company)
                u = beside(u, p, drift, h)
        way = (p, u, b)
        span, why, more = limit(k, i, par, clock, way, (late, s, s >= rest, gone, from_v, aged, falls))
        if slides and why == 0 and s < rest:
            why = A_STEP
        if par["moments"] >> BY_APEX & 1 != 0 and q["past"] >> BY_APEX & 1 == 0:
            cut = apex_within(w, v, vec(at["v"]) if glides else along(u, b, s) if step == EXACT else kicked, s)
            if cut <= span:
                if glides and cut < s and looks < MOST_LOOKS:
                    s, looks = cut, looks + 1
                    continue
                span, why = cut if step == EXACT else s, BY_APEX
        if far:
            span, why = past_movers(k, par, float(now["dt"]), way, span), 0
        t, body_key, j = math.inf, 0, -1
        if q["clear"] < clock[1]:
            t, body_key, j = look(k, w, q, par, now, way, (late, span, why, hops), far)
        if far:
            if j >= 0:
                span = min(t, span)
            if span > h:
                k.wake[i] = clock[0] + int(span * UNITS) - EARLY
            return waiting
        if j >= 0 and glides and 0.0 < t < s and looks < MOST_LOOKS:
            # The parabola is true at its ends only: let it end where it touches, and look again.
            s, looks = t, looks + 1
            continue
        if j < 0 and why == 0 and s >= rest:
            p1, v1 = p, u
            if glides:
                p1, v1 = vec(at["p"]), vec(at["v"])
            else:
                whole = (clock[1] - q["t0"]) / UNITS
                p1, v1 = stepped(step, (p, v), a, h, (vec(q["p0"]), vec(q["v0"]), whole), kicked)
                if slides:
                    p1, v1 = set_on(k, q, arc(p, v, a, h), along(along(v, a, h), faster, 1.0), float(now["dt"]))
                if shifts:
                    p1 = along(p, u, h)
                    if drift[4]:
                        v1 = drift[3]
                if kept == REDIRECTED and not slides:
                    v1 = mean(k, i, par, now, v1, float(now["dt"]))
            if abs(p1[0]) + abs(p1[1]) + abs(p1[2]) < FARTHEST:
                put(q["p"], p1)
                put(q["v"], v1)
                if not falls:
                    q["flown"] += gone + more
                if glides and not keep and par["bends"] == FORESEEN:
                    # Who may look again in this tick goes over once it is done.
                    goes_over(k, i, sees, clock[1])
                if not may_sleep(k, q, par, falls, sees):
                    if not falls and clock[1] > abs(q["clear"]):
                        q["clear"] = clear_until(k, i, par, now, clock[1])
                    return waiting
                # All of the tick is flown: look on along the parabola, to sleep until something may come.
                far, late, hops, p, v = True, 0.0, 1, p1, v1
                s = HORIZON * float(now["dt"])
                if glides:
                    s, a, w["aside"] = corridor(k, i, clock[1], s, ASIDE / max(largest(vec(w["per_cell"])), LEAST))
                    if s < 2.0 * float(now["dt"]):
                        return waiting
                rest = s
                clock = (clock[1], clock[1] + int(s * UNITS))
                continue
            why, p, u, b, span = BY_NUMBERS, p1, v1, NOWHERE, 0.0
        if j >= 0 or why != 0:
            break
        p, v, late, rest, gone = vec(at["p"]), vec(at["v"]), late + s, rest - s, gone + more
        age += s
        if shifts:
            company = company_of(k, i, par, clock[0], age)
        s = h / pieces
        if pieces > SMOOTH:
            s = calm(par, v, rest)
    if j >= 0:
        span, why = t, 0
        if hops >= MOST_HOPS:
            why, j = BY_HOPS, AT_LIMIT
    at["hops"], at["kept"], at["why"] = hops, kept, why
    if not falls:
        from_v = u
    at["flown"] = gone + path_length(from_v, b, aged + span) if par["sums"] != 0 else 0.0
    v1 = along(u, b, span)
    if glides or slides:
        # The parabola's velocity is true at its start alone; that of the cubic through both ends is at both.
        x = span / s if s > 0.0 else 0.0
        v1 = along(v1, sub(vec(at["v"]), along(u, b, s)) if glides else faster, x * (3.0 * x - 2.0))
    put(at["p"], arc(p, u, b, span))
    put(at["v"], v1)
    return wait(k, i, late + span, body_key if j >= 0 else LIMIT_KEY, j, waiting)


@inner
def apex_within(w, v, v1, s):
    """When, within a piece of ``s`` seconds from velocity ``v`` to ``v1``, it begins to sink; inf if it does not."""
    rise, after = dot(v, vec(w["up"])), dot(v1, vec(w["up"]))
    # What goes along a body that slowly stands there.
    if rise > 0.0 and after <= CREEPS * w["skin"]:
        return min(s * rise / (rise - after), s)
    return math.inf


@inner
def may_sleep(k, q, par, falls, sees):
    """Whether what comes of a projectile is known from its parabola, or from what is foreseen: it is inside of nothing.

    No reach ends it; and what is asked of the parabola's own path, as where it is highest, is not asked of the other.
    """
    if not (falls or sees) or k.world[0]["sleeps"] == 0 or par["reach"] < math.inf or par["flown"] < math.inf:
        return False
    if sees and (par["sums"] != 0 or (par["moments"] >> BY_APEX & 1 != 0)):
        return False
    return q["inside"][0] < 0


@cold
def clear_until(k, i, par, now, time):
    """Until when (clock) nothing is in the way of a projectile, or below 0 when to ask again.

    From ``time`` on it goes straight, but for what its pull allows, and no faster than that allows; bodies that move go
    on as they do, since whoever changes that asks all again.
    """
    w, q, dt = k.world[0], k.flight[i], float(now["dt"])
    again = -(time + ASK_AGAIN * (now["end"] - now["start"]))
    if w["sleeps"] == 0 or w["veers"] > 0 or q["inside"][0] >= 0 or q["on"] != 0:
        return again
    if par["moments"] >> BY_NEAR & 1 != 0 or par["shifts"] != 0 or par["zones"] > 0:
        return again
    p, v = vec(q["p"]), vec(q["v"])
    span, pace = CLEAR_TICKS * dt, 0.0
    if par["law"] == BLEND:
        pace = float(k.guides[i]["pace"])
    most, pull, stiff = reckoned(par, v, pace, span)
    if w["step"] != EXACT:
        # However long its ticks are to be: one may last all of that time, and drag is not to throw it back in it.
        span, pull = min(span, 1.0 / max(stiff, LEAST)), 2.0 * pull
    fastest, cells = float(w["fastest"]), vec(w["per_cell"])
    # What is within half a cell: more is looked through no quicker than tick by tick.
    span = min(span, CLEAR_CELLS / max((most + fastest) * largest(cells), LEAST))
    skin = float(par["radius"]) + WIDER * float(w["skin"])
    bend = min(0.5 * pull * span * span, 2.0 * most * span)
    low, high = box_of_arc(NOWHERE, span, p, along(p, v, span), skin + 1.001 * bend + fastest * (span + dt))
    for m in range(gather(k, w, low, high, True, False)):
        b = k.bodies[k.scratch[m]]
        if b["out"] == 0:
            far, nears = distance(b, sub(p, vec(b["c"])))[0] - skin, 1.001 * most
            if b["moves"] != 0:
                # It is known where it was when the tick began.
                far, nears = far - fastest * dt, nears + fastest
            span = min(span, max(far, 0.0) / max(nears, LEAST))
    return time + int(span * UNITS) if span > 1.5 * dt else again


@inner
def wait(k, i, t, body_key, j, waiting):
    """Let a projectile wait for a contact with body ``j``, for AT_LIMIT, or to look AGAIN; how many wait then."""
    q, at, row = k.flight[i], k.points[i], k.pending[waiting]
    at["turn"] += 1
    row["t"], row["key"], row["body_key"] = t, q["key"], body_key
    row["body"], row["row"], row["turn"] = j, i, at["turn"]
    sift_up(k.pending, waiting)
    return waiting + 1


@cold
def wait_for(k, i, state, late, so_far, j, waiting):
    """Let a projectile, at a place with a velocity, go on to body ``j`` at once; how many wait then."""
    at = k.points[i]
    (at["hops"], at["kept"]), at["why"], at["flown"] = so_far, 0, 0.0
    put(at["p"], state[0])
    put(at["v"], state[1])
    return wait(k, i, late, int(k.bodies[j]["key"]), j, waiting)


@inner
def at_limit(k, i, now, t):
    """What follows where a limit cuts a path: it ends, unless that is a moment after which it flies on."""
    q, at = k.flight[i], k.points[i]
    p, v, why = vec(at["p"]), vec(at["v"]), int(at["why"])
    if (why == A_STEP and k.bodies[abs(int(q["on"])) - 1]["turns"] == 0.0) or q["on"] < 0:
        p, v = set_on(k, q, p, v, t)
    if why == A_STEP:
        turn(q, at, k.params[int(q["param"])], (int(now["start"]), t), p, v)
        return ON
    if k.params[int(q["param"])]["moments"] != 0:
        return moment(k, i, now, t, why, -1, (p, NOWHERE, v, NOWHERE))
    tell(k, now, t, q, (ENDED, -1, why, 0.0, 0.0), (p, NOWHERE, v, NOWHERE))
    q["flown"] += at["flown"]
    finish(q, p, v, why)
    return OVER


@inner
def settle(k, now):
    """At a tick's end: forget bodies that are clear, keep samples; rows of what has ended are holes, closed when many.

    So most of what sleeps is not touched at all, not even to be moved up by a row.
    """
    flight, counters = k.flight, k.counters
    for m in range(counters[UP]):
        i = k.awake[m]
        q = flight[i]
        if q["end"] != 0:
            if k.wake[i] != HOLE:
                k.wake[i] = HOLE
                counters[HOLES] += 1
        elif q["on"] != 0 and k.bodies[abs(int(q["on"])) - 1]["out"] != 0:
            lets_fall(k, q, now)
        elif q["inside"][0] >= 0:
            leave(k, q, vec(q["p"]), float(now["dt"]))
    if k.world[0]["sampled"] != 0:
        keep_samples(k, now)
    if counters[HOLES] >= MOST_HOLES * counters[LIVE]:
        close_up(k)


@cold
def keep_samples(k, now):
    """Write down where all are at a tick's end."""
    counters = k.counters
    for i in range(counters[LIVE]):
        q = k.flight[i]
        if q["end"] == 0 and q["born"] <= now["end"]:
            if k.wake[i] != AWAKE:
                place(k, i, int(now["end"]))
            s = k.samples[counters[SAMPLES]]
            counters[SAMPLES] += 1
            s["t"], s["key"] = now["end"], q["key"]
            put(s["p"], vec(q["p"]))
            put(s["v"], vec(q["v"]))


@cold
def close_up(k):
    """Take the holes away: who still flies moves up, in order."""
    if k.counters[HOLES] == 0:
        return
    kept = 0
    for i in range(k.counters[LIVE]):
        if k.wake[i] == HOLE:
            continue
        if kept != i:
            k.flight[kept] = k.flight[i]
            k.wake[kept] = k.wake[i]
            if k.guides.shape[0] > 0:
                k.guides[kept] = k.guides[i]
            if k.stretches.shape[0] > 0:
                k.stretches[kept] = k.stretches[i]
        kept += 1
    k.counters[LIVE], k.counters[HOLES] = kept, 0


@cold
def lets_fall(k, q, now):
    """Let a projectile go whose body is out: from the tick's end on it flies, or ends with it."""
    j, p, v = abs(int(q["on"])) - 1, vec(q["p"]), vec(q["v"])
    q["on"], q["also"] = 0, 0
    begin(q, k.params[int(q["param"])], int(now["end"]), 0.0, p, v)
    if lodged(q) and k.answers[int(q["param"]), int(k.bodies[j]["group"])]["ends_too"] != 0:
        q["until"], q["cause"] = now["end"], BY_OUT
    else:
        tell(k, now, float(now["dt"]), q, (LEFT, j, 0, 0.0, 0.0), (p, NOWHERE, v, NOWHERE))
    q["past"] &= ~(1 << STUCK)
