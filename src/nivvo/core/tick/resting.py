"""What stays on a body, and what goes on along it: sliding and rolling with friction, over edges and round bodies.

Along a flat side the way is a parabola: what acts, without what presses it on, less friction against the way. Where a
side bends (a corner that a ball goes round, a round body) it goes in steps of TURN radians, set back on the surface
after each, and leaves it where that bends away faster than what acts presses on.
"""

from __future__ import annotations

import math

from nivvo.core._jit import cold, inner
from nivvo.core.flying.acting import EARLIER, age_of, constant, fine, pulled
from nivvo.core.flying.forces import next_change
from nivvo.core.geometry.grid import gather
from nivvo.core.geometry.surface import bears_for, bends_within, on_it_for, surface
from nivvo.core.geometry.turning import rotated, surface_speed
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.vec import along, arc, dot, sub, vec
from nivvo.core.pool import BOUNCE, SLID, SLIDE, STUCK
from nivvo.core.tick.events import NOWHERE, tell
from nivvo.core.tick.search import AHEAD, ON_IT, left_out

TURN = 0.02
"""Radians of a bend that are gone in one step."""

STANDS = 1e4
"""Skins a second: what is slower than that stands."""

STILL, ALONG_IT, OFF = 0, 1, 2


@inner
def slide(k, i, now, p, v, late, h):
    """How a projectile goes on along its body: (what comes, place, velocity, acceleration, for how long).

    Where what acts hangs on more than the row, each step has what acts in its middle. What leaves a surface that bends
    away is lifted off by as much as counts as on it: what seeks contacts would find its tangent plane touched at once.
    """
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    j = -1 - int(q["on"])
    b, radius, skin = k.bodies[j], float(par["radius"]), float(k.world[0]["skin"])
    if b["out"] != 0:
        return OFF, p, v, (0.0, 0.0, 0.0), h
    same = constant(par)
    s = h if same else fine(k, i, now, late, v, h)
    u, n, gap = surface(b, p, radius, late)
    off = ON_IT * radius + skin
    r = sub(v, u)
    away = dot(r, n)
    w = along(r, n, -away)
    speed, pull = math.sqrt(dot(w, w)), vec(b["a"])
    acts = sub(vec(par["a"]) if same else pulled(k, i, now, late, p, along(u, w, 1.0), s), pull)
    parts = 1e-9 * speed + STANDS * skin
    if b["moves"] != 0:
        # Many a way is gone in straight pieces, a tick each: what presses on makes up for a bend of it within one.
        parts += max(-dot(acts, n), 0.0) * max(float(now["dt"]), float(k.world[0]["tick"]))
    if gap > off or away > parts:
        return OFF, p, v, acts, h
    bend, n, w, bows = bends_within(b, p, n, r, w, radius, late)
    speed = math.sqrt(dot(w, w))
    slows = float(k.answers[int(q["param"]), int(b["group"])]["slows"])
    drive, presses = parted(acts, n, bend * speed * speed)
    if presses <= 1e-7 * math.sqrt(dot(acts, acts)):
        return OFF, along(p, n, max(off - gap, 0.0)), v, acts, h
    way, fast = w, speed
    if speed <= STANDS * skin:
        way, fast = drive, math.sqrt(dot(drive, drive))
        if fast <= slows * presses:
            return STILL, p, u, pull, h
        w = (0.0, 0.0, 0.0)
    slowed = along(drive, way, -slows * presses / fast)
    v = along(u, w, 1.0)
    brakes = -dot(slowed, way) / fast
    if speed > 0.0 and brakes > 0.0:
        s = min(s, speed / brakes)
    if bend > 0.0:
        s = min(s, TURN / (bows * max(speed, 1e-3 * radius)))
    a, bends = along(along(slowed, n, -bend * speed * speed), pull, 1.0), bend > 0.0
    s = on_it_for(b, (p, v, a), radius, late, s, off, bends)
    if not same or bends:
        # Where it bends otherwise by the middle, what is there says nothing of the way till then.
        middle = halfway(k, i, now, (p, v, a), NOWHERE if bends else n, late, s)
        cut = on_it_for(b, (p, v, middle), radius, late, s, off, bends)
        if cut == s or not bends:
            a, s = middle, cut
    if bends:
        s = bears_for(b, (p, v, a), acts, presses, radius, late, s)
    return ALONG_IT, p, v, a, s


@cold
def halfway(k, i, now, way, n, late, s):
    """The acceleration in the middle of ``s`` seconds along a side with normal ``n``, or what bends (no normal)."""
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    b, radius, (p, v, a), t = k.bodies[-1 - int(q["on"])], float(par["radius"]), way, late + 0.5 * s
    p, v, bend = arc(p, v, a, 0.5 * s), along(v, a, 0.5 * s), 0.0
    u, m, _ = surface(b, p, radius, t)
    r = sub(v, u)
    if n == NOWHERE:
        bend, n, _, _ = bends_within(b, p, m, r, along(r, m, -dot(r, m)), radius, t)
    w = along(r, n, -dot(r, n))
    fast, pull = math.sqrt(dot(w, w)), vec(b["a"])
    acts = vec(par["a"]) if constant(par) else pulled(k, i, now, t, p, along(u, w, 1.0), 0.0)
    drive, presses = parted(sub(acts, pull), n, bend * fast * fast)
    slows = float(k.answers[int(q["param"]), int(b["group"])]["slows"])
    slowed = along(drive, w, -slows * max(presses, 0.0) / fast) if fast > 0.0 else drive
    return along(along(slowed, n, -bend * fast * fast), pull, 1.0)


@cold
def stands_for(k, i, now, p, late, h):
    """For how long, within ``h`` seconds, what friction holds stays for sure; 0 if it goes along its body again."""
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    j = int(q["on"]) - 1
    b = k.bodies[j]
    u, n, _ = surface(b, p, float(par["radius"]), late)
    drive, presses = parted(sub(pulled(k, i, now, late, p, u, 0.0), vec(b["a"])), n, 0.0)
    slows = float(k.answers[int(q["param"]), int(b["group"])]["slows"])
    if math.sqrt(dot(drive, drive)) > slows * presses * (1.0 + 1e-9):
        q["on"] = -q["on"]
        tell(k, now, late, q, (SLID, j, 0, 0.0, 0.0), (p, n, u, u))
        return 0.0
    age = age_of(k, i, now, late)
    return min(h, next_change(par, age + EARLIER) - age)


@inner
def parted(acts, n, bends):
    """What acts, parted at a surface: along it, and how much presses onto it beside what keeps to its bend."""
    push = dot(acts, n)
    return along(acts, n, -push), -push - bends


@cold
def flush_with(k, i, now, p, v, late):
    """The body onto which a projectile goes that comes to the end of the one it goes along, or -1: it lies flush."""
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    acts = pulled(k, i, now, late, p, v, 0.0)
    radius, found = float(par["radius"]), -1
    off, step = ON_IT * radius + float(k.world[0]["skin"]), AHEAD * radius
    far = radius + off + step
    low, high = (p[0] - far, p[1] - far, p[2] - far), (p[0] + far, p[1] + far, p[2] + far)
    for m in range(gather(k, k.world[0], low, high, True, False)):
        j = int(k.scratch[m])
        b = k.bodies[j]
        if b["out"] != 0 or j == -1 - int(q["on"]) or j == par["spares"] or b["turns"] != 0.0 or left_out(k, q, j):
            continue
        then = k.answers[int(q["param"]), int(b["group"])]["then"]
        if then != BOUNCE and then != SLIDE:
            continue
        u, n, gap = surface(b, p, radius, late)
        r = sub(v, u)
        r = along(r, n, -dot(r, n))
        speed = math.sqrt(dot(r, r))
        # It bears it also a little further on: an edge that lies behind does not.
        ahead = along(p, r, step / speed) if speed > 0.0 else p
        _, n, then_gap = surface(b, ahead, radius, late)
        bears = abs(gap) <= off and abs(then_gap) <= off and dot(acts, n) < 0.0
        if bears and (found < 0 or b["key"] < k.bodies[found]["key"]):
            found = j
    return found


@inner
def set_back(b, p, v, radius, t):
    """A place and velocity, ``t`` s into the tick, set back on a body's surface."""
    u, n, gap = surface(b, p, radius, t)
    r = sub(v, u)
    return along(p, n, -gap), along(u, along(r, n, -dot(r, n)), 1.0), n, u


@inner
def lodged(q):
    """Whether it sticks in its body: what lies on one may be met by another, what sticks is left alone."""
    return q["past"] >> STUCK & 1 != 0


@inner
def carried(k, q, p, late, end, clock):
    """Where what stays on its body is at a time of the tick, how fast, why it ends there (0: it does not), and when."""
    b, why = k.bodies[int(q["on"]) - 1], 0
    if 0 <= q["until"] <= clock[1]:
        end, why = max((q["until"] - clock[0]) / UNITS, late), int(q["cause"])
    c, u, a = vec(b["c"]), vec(b["v"]), vec(b["a"])
    off = sub(p, arc(c, u, a, late))
    if b["turns"] != 0.0:
        off = rotated(off, vec(b["about"]), b["turns"] * (end - late))
    return along(arc(c, u, a, end), off, 1.0), along(along(u, a, end), surface_speed(b, off), 1.0), why, end
