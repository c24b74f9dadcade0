"""What stays on a body, and what goes on along it: sliding and rolling with friction, over edges and round bodies.

Along a flat side the way is a parabola: what acts, without what presses it on, less friction against the way. Where
what acts is aslant to the way friction turns with that, and it goes in steps of VEERS radians (Runge and Kutta). Where
a side bends (a corner that a ball goes round, a round body) it goes in steps of TURN radians, set back on the surface
after each, and leaves it where that bends away faster than what acts presses on.
"""

from __future__ import annotations

import math

from nivvo.core._jit import cold, inner
from nivvo.core.contacts.corners import ALONG_IT, OFF, STANDS, STILL, TURN, crease, leaving, pressed_into, set_on_both
from nivvo.core.contacts.events import NOWHERE, tell
from nivvo.core.contacts.search import AHEAD, ON_IT, in_line, left_out
from nivvo.core.flying.acting import EARLIER, age_of, constant, fine, pulled
from nivvo.core.flying.forces import next_change
from nivvo.core.geometry.grid import gather
from nivvo.core.geometry.surface import bears_for, bends_within, on_it_for, surface
from nivvo.core.geometry.turning import distance_at, rotated, surface_pull, surface_speed
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.vec import along, arc, dot, sub, vec
from nivvo.core.pool import BOUNCE, SLID, SLIDE, STUCK

VEERS = 0.05
"""Radians by which friction's direction turns at most in one step."""

SLOWS = 0.2
"""Share of its speed that is gone at most in one step in which friction turns."""

STOPS = 1e-3
"""Share of its speed at a step's start that is left at most, where it stops."""

SWERVES = 1e-6
"""Share of what drives it that is across its way at most, where friction does not turn."""


@inner
def slide(k, i, now, p, v, late, h):
    """How a projectile goes on along what holds it.

    Returns what comes, place, velocity, acceleration, for how long, and how much faster it is then than that says. What
    leaves a surface that bends away is lifted off by as much as counts as on it: what seeks contacts would find its
    tangent plane touched at once.
    """
    # Longer than a function of the core should be: it is one reckoning, of which little could stand by itself.
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    if q["also"] != 0:
        return crease(k, i, now, p, v, late, h)
    j = -1 - int(q["on"])
    b, radius, skin = k.bodies[j], float(par["radius"]), float(k.world[0]["skin"])
    if b["out"] != 0:
        return OFF, p, v, NOWHERE, h, NOWHERE
    same = constant(par)
    s = h if same else fine(k, i, now, late, v, h)
    u, n, gap = surface(b, p, radius, late)
    off = ON_IT * radius + skin
    r = sub(v, u)
    away = dot(r, n)
    w = along(r, n, -away)
    speed, pull = math.sqrt(dot(w, w)), vec(b["a"])
    acts = sub(vec(par["a"]) if same else pulled(k, i, now, late, p, along(u, w, 1.0), s), pull)
    if gap > off or away > leaving(k, now, b, speed, acts, n):
        return OFF, p, v, acts, h, NOWHERE
    bend, n, w, bows = bends_within(b, p, n, r, w, radius, late)
    speed = math.sqrt(dot(w, w))
    slows = float(k.answers[int(q["param"]), int(b["group"])]["slows"])
    drive, presses = parted(acts, n, bend * speed * speed)
    if presses <= 1e-7 * math.sqrt(dot(acts, acts)):
        return OFF, along(p, n, max(off - gap, 0.0)), v, acts, h, NOWHERE
    way, fast = w, speed
    if speed <= STANDS * skin:
        way, fast = drive, math.sqrt(dot(drive, drive))
        if fast <= slows * presses:
            return STILL, p, u, pull, h, NOWHERE
        w = (0.0, 0.0, 0.0)
    slowed = along(drive, way, -slows * presses / fast)
    v = along(u, w, 1.0)
    brakes = -dot(slowed, way) / fast
    if speed > 0.0 and brakes > 0.0:
        s = min(s, speed / brakes)
    if bend > 0.0:
        s = min(s, TURN / (bows * max(speed, 1e-3 * radius)))
    a, bends, faster = along(along(slowed, n, -bend * speed * speed), pull, 1.0), bend > 0.0, NOWHERE
    veers = slows * presses * swerve(drive, way, fast) / fast if speed > STANDS * skin else 0.0
    if veers > 0.0:
        # Friction turns with the way that it slows.
        s = min(s, VEERS / veers)
        if brakes > 0.0:
            s = min(s, SLOWS * speed / brakes)
    s = on_it_for(b, (p, v, a), radius, late, s, off, bends)
    if not same or bends or veers > 0.0:
        # Where it bends otherwise by then, what is there says nothing of the way till then.
        mean, more = in_stages(k, i, now, (p, v, a), (way, NOWHERE if bends else n), late, s)
        cut = on_it_for(b, (p, v, mean), radius, late, s, off, bends)
        if cut == s or not bends:
            a, faster = mean, more if cut == s else NOWHERE
            s = cut
    if bends:
        until = bears_for(b, (p, v, a), acts, presses, radius, late, s)
        s, faster = until, faster if until == s else NOWHERE
    return ALONG_IT, p, v, a, s, faster


@inner
def swerve(drive, way, fast):
    """How much of what drives a projectile along a surface is across its way, unless that is next to nothing."""
    across = along(drive, way, -dot(drive, way) / (fast * fast))
    most = dot(across, across)
    return math.sqrt(most) if most > SWERVES * SWERVES * dot(drive, drive) else 0.0


@cold
def in_stages(k, i, now, way, side, late, s):
    """The acceleration that takes it to where it is after ``s`` seconds along a side, and what its velocity lacks then.

    side : along which way it goes at first, and the normal (of what bends none). By Runge and Kutta's four stages.
    """
    p, v, a = way
    half = 0.5 * s
    b = held_up(k, i, now, (arc(p, v, a, half), along(v, a, half)), side, late + half, 0.0)
    c = held_up(k, i, now, (arc(p, v, a, half), along(v, b, half)), side, late + half, 0.0)
    d = held_up(k, i, now, (arc(p, v, c, s), along(v, c, s)), side, late + s, -s)
    return along(NOWHERE, along(along(a, b, 1.0), c, 1.0), 1.0 / 3.0), along(NOWHERE, sub(d, a), s / 6.0)


@cold
def held_up(k, i, now, state, side, t, span):
    """The acceleration of what goes along a side at a place with a velocity, ``t`` s into the tick (``in_stages``)."""
    way, n = side
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    b, (p, v), bend = k.bodies[-1 - int(q["on"])], state, 0.0
    u, m, _ = surface(b, p, float(par["radius"]), t)
    r = sub(v, u)
    if n == NOWHERE:
        bend, n, _, _ = bends_within(b, p, m, r, along(r, m, -dot(r, m)), float(par["radius"]), t)
    w = along(r, n, -dot(r, n))
    speed, pull = math.sqrt(dot(w, w)), vec(b["a"])
    acts = vec(par["a"]) if constant(par) else pulled(k, i, now, t, p, along(u, w, 1.0), span)
    drive, presses = parted(sub(acts, pull), n, bend * speed * speed)
    fast = speed
    slows = float(k.answers[int(q["param"]), int(b["group"])]["slows"])
    if fast * fast <= STOPS * STOPS * dot(way, way):
        # It stops there: what slows it is what slowed it till then.
        w, fast = way, math.sqrt(dot(way, way))
    slowed = along(drive, w, -slows * max(presses, 0.0) / fast) if fast > 0.0 else drive
    return along(along(slowed, n, -bend * speed * speed), pull, 1.0)


@cold
def stands_for(k, i, now, p, late, h):
    """For how long, within ``h`` seconds, what friction holds stays for sure; 0 if it goes along its body again."""
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    j = int(q["on"]) - 1
    b = k.bodies[j]
    u, n, _ = surface(b, p, float(par["radius"]), late)
    drive, presses = parted(sub(pulled(k, i, now, late, p, u, 0.0), vec(b["a"])), n, 0.0)
    slows = float(k.answers[int(q["param"]), int(b["group"])]["slows"])
    if q["also"] != 0:
        goes = pressed_into(k, i, now, p, u, late)[0] != STILL
    else:
        goes = math.sqrt(dot(drive, drive)) > slows * presses * (1.0 + 1e-9)
    if goes:
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
def flush_with(k, i, now, p, v, late, gone):
    """The body onto which a projectile goes that comes to the end of ``gone``, or -1: it lies flush with that."""
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    acts = pulled(k, i, now, late, p, v, 0.0)
    radius, found = float(par["radius"]), -1
    off, step = ON_IT * radius + float(k.world[0]["skin"]), AHEAD * radius
    far, (_, m_gone, _) = radius + off + step, surface(k.bodies[gone], p, radius, late)
    low, high = (p[0] - far, p[1] - far, p[2] - far), (p[0] + far, p[1] + far, p[2] + far)
    for m in range(gather(k, k.world[0], low, high, True, False)):
        j = int(k.scratch[m])
        b = k.bodies[j]
        if (
            b["out"] != 0
            or j == -1 - int(q["on"])
            or j == int(q["also"]) - 1
            or j == par["spares"]
            or b["turns"] != 0.0
            or left_out(k, q, j)
        ):
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
        if q["also"] != 0 and speed > 0.0:
            bears = bears and in_line(n, m_gone, r, speed)
        if bears and (found < 0 or b["key"] < k.bodies[found]["key"]):
            found = j
    return found


@inner
def set_on(k, q, p, v, t):
    """A place and velocity, ``t`` s into the tick, set back on what a projectile goes along."""
    b, radius = k.bodies[abs(int(q["on"])) - 1], float(k.params[int(q["param"])]["radius"])
    if q["also"] != 0:
        return set_on_both(b, k.bodies[int(q["also"]) - 1], p, v, radius, t)
    u, n, gap = surface(b, p, radius, t)
    r = sub(v, u)
    return along(p, n, -gap), along(u, along(r, n, -dot(r, n)), 1.0)


FALLS, SWING = 1e-9, 0.25
"""Share of what acts by which it has to be pressed on to stay; radians in steps of which a turn is looked through."""


@inner
def lodged(q):
    """Whether it sticks in its body: what lies on one may be met by another, what sticks is left alone."""
    return q["past"] >> STUCK & 1 != 0


@inner
def carried(k, q, p, late, end, clock):
    """Where what stays on its body is at a time of the tick, how fast, why it ends there (0: it does not), and when."""
    b, why = k.bodies[int(q["on"]) - 1], 0
    over = max((q["until"] - clock[0]) / UNITS, late)
    if 0 <= q["until"] <= clock[1] and over <= end:
        end, why = over, int(q["cause"])
    c, u, a = vec(b["c"]), vec(b["v"]), vec(b["a"])
    off = sub(p, arc(c, u, a, late))
    if b["turns"] != 0.0:
        off = rotated(off, vec(b["about"]), b["turns"] * (end - late))
    return along(arc(c, u, a, end), off, 1.0), along(along(u, a, end), surface_speed(b, off), 1.0), why, end


@cold
def lies_for(k, i, now, p, late, h):
    """For how long, within ``h`` s, what lies on a body that turns is pressed onto it.

    0: it just ceases to be, and falls off; below 0: it was not when it came there.
    """
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    b = k.bodies[int(q["on"]) - 1]
    axis, turns = vec(b["about"]), float(b["turns"])
    off = sub(p, arc(vec(b["c"]), vec(b["v"]), vec(b["a"]), late))
    u = along(along(vec(b["v"]), vec(b["a"]), late), surface_speed(b, off), 1.0)
    acts = sub(vec(par["a"]) if constant(par) else pulled(k, i, now, late, p, u, 0.0), vec(b["a"]))
    _, n = distance_at(b, off, late)
    # What keeps it going round turns along with the surface; what else acts does not.
    round_, least = dot(surface_pull(b, off, NOWHERE), n), FALLS * math.sqrt(dot(acts, acts))
    presses = round_ - dot(acts, n)
    if presses <= 2.0 * least:
        return 0.0 if presses > -2.0 * least else -1.0
    parts = 1 + int(abs(turns) * h / SWING)
    for m in range(parts):
        first, last = h * m / parts, h * (m + 1) / parts
        if round_ - dot(acts, rotated(n, axis, turns * last)) > least:
            continue
        for _ in range(60):
            half = 0.5 * (first + last)
            if round_ - dot(acts, rotated(n, axis, turns * half)) > least:
                first = half
            else:
                last = half
        return last
    return h
