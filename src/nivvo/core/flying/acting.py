"""What acts on a projectile at a place of its flight, in the air or along a surface, and whom it goes by."""

from __future__ import annotations

import math

from nivvo.core._jit import cold, inner
from nivvo.core.flying.ahead import ahead, foreseen
from nivvo.core.flying.flight import (
    SMOOTH,
    glide,
    kick,
    orbit,
    piece,
    scaled,
    stepped,
    steps_for,
    sway,
    through_ends,
)
from nivvo.core.flying.forces import EARLIER, NOWHERE, acceleration, next_change, stiffness
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.curves import FARTHEST
from nivvo.core.numbers.vec import along, dot, put, sub, vec
from nivvo.core.pool import ALONE, ALONG, BLEND, EXACT, HOLDS, ORBITS, REDIRECTED, SWAYS, SWEPT, TO_OWNER

FINE = 0.002
"""How much of what acts may change within one step along a surface, as a share of all of it."""


@cold
def pulled(k, i, now, late, p, v, span):
    """The acceleration of a projectile ``late`` s into a tick, by what acts in the next ``span`` s.

    That is forces, and its sway. Along a surface nothing waits for ticks: a factor of a tick acts all the time, and
    who steers does it by acceleration.
    """
    par = k.params[int(k.flight[i]["param"])]
    age, company, bend = 0.0, ALONE, NOWHERE
    if par["careful"] != 0:
        age = age_of(k, i, now, late)
        company = company_of(k, i, par, now["start"], age)
        if par["shifts"] == SWAYS:
            off, change, bend = sway(par, vec(k.guides[i]["across"]), vec(k.guides[i]["above"]), age)
            p, v = sub(p, off), sub(v, change)
    a = acceleration(par, age, p, v, company, age + EARLIER + 0.5 * span)
    if k.world[0]["step"] != EXACT and par["factor"] != 1.0:
        a = along(a, v, math.log(par["factor"]) / now["dt"])
    return along(a, bend, 1.0)


@inner
def constant(par):
    """Whether what acts on a projectile is the same at all places and times."""
    return par["bends"] == 0 and par["factor"] == 1.0


@inner
def fine(k, i, now, late, v, h):
    """For how long, within ``h`` seconds, one step along a surface follows what acts."""
    par = k.params[int(k.flight[i]["param"])]
    most = stiffness(par, math.sqrt(dot(v, v)))
    if k.world[0]["step"] != EXACT:
        most -= math.log(par["factor"]) / now["dt"]
    if most > 0.0:
        h = min(h, FINE / most)
    if par["careful"] != 0:
        age = age_of(k, i, now, late)
        h = min(h, next_change(par, age + EARLIER) - age)
    return h


@inner
def age_of(k, i, now, late):
    """Seconds since the launch of a guided projectile, ``late`` s into a tick."""
    return (now["start"] - k.guides[i]["began"]) / UNITS + late


@inner
def company_of(k, i, par, start, age):
    """What a projectile goes by from an age on, in a tick that begins at ``start`` (clock), as ``pool.ALONE`` tells.

    It is its owner for as long as it goes round that, then whom it follows.
    """
    g = k.guides[i]
    j, since, born = int(g["body"]), (start - g["began"]) / UNITS, g["began"] / UNITS
    if par["toward"] == TO_OWNER or orbits(k, i, par, age):
        j = int(par["owner"])
    if j < 0:
        return NOWHERE, NOWHERE, NOWHERE, since, 0.0, born, vec(g["way"]), float(g["pace"])
    b = k.bodies[j]
    if b["out"] != 0:
        return vec(b["c"]), NOWHERE, NOWHERE, since, 0.0, born, vec(g["way"]), float(g["pace"])
    on = 1.0 if par["law"] != 0 else 0.0
    return vec(b["c"]), vec(b["v"]), vec(b["a"]), since, on, born, vec(g["way"]), float(g["pace"])


@inner
def unled(company):
    """The same company, of nobody whom it follows: a game turns the velocity once a tick, by itself."""
    c, u, b, since, _, born, way, pace = company
    return c, u, b, since, 0.0, born, way, pace


@inner
def orbits(k, i, par, age):
    """Whether a projectile goes round its owner at an age."""
    return par["shifts"] == ORBITS and age < (k.guides[i]["free"] - k.guides[i]["began"]) / UNITS - EARLIER


@inner
def changes(k, i, par, age):
    """At which age what acts on a projectile changes next."""
    change = next_change(par, age + EARLIER)
    if orbits(k, i, par, age):
        change = min(change, (k.guides[i]["free"] - k.guides[i]["began"]) / UNITS)
    return change


@inner
def drifted(k, i, par, age, s, company):
    """How far a projectile is beside its mean way and how fast that changes, at an age and ``s`` seconds later.

    Or, round its owner, where it then is and how fast; and whether it is that.
    """
    g = k.guides[i]
    if orbits(k, i, par, age):
        p1, v1 = orbit(par, g, age + s, company)
        return NOWHERE, NOWHERE, p1, v1, True
    off, change, later, changed = NOWHERE, NOWHERE, NOWHERE, NOWHERE
    for end in range(2 if par["shifts"] == SWAYS else 0):
        off, change = later, changed
        later, changed, _ = sway(par, vec(g["across"]), vec(g["above"]), age + s * end)
    return off, change, later, changed, False


@cold
def mean(k, i, par, now, v, late):
    """The velocity of a projectile's mean way, which is what it has in a game's own step, from all of its velocity."""
    if k.world[0]["step"] == EXACT or par["shifts"] != SWAYS:
        return v
    g = k.guides[i]
    return sub(v, sway(par, vec(g["across"]), vec(g["above"]), age_of(k, i, now, late))[1])


@cold
def flown(k, i, now, late, p, v, h, kept):
    """Where what flies under forces in exact step is ``h`` s after a point in a tick, and how fast."""
    par = k.params[int(k.flight[i]["param"])]
    if foreseen(par, v, now["dt"]):
        return ahead(k, i, int(now["start"]), late + h)
    age, company, shifts = 0.0, ALONE, False
    if par["careful"] != 0:
        age = age_of(k, i, now, late)
        company = company_of(k, i, par, now["start"], age)
        shifts = par["shifts"] != 0 and (kept != REDIRECTED or par["shifts"] == SWAYS)
    return swept(k, i, age, (p, v), h, steps_for(par, v, h), shifts, company)


@inner
def swept(k, i, age, state, s, count, shifts, company):
    """Place and velocity ``s`` s after an age, in some ``count`` steps: of its mean way, and beside that as it is."""
    par = k.params[int(k.flight[i]["param"])]
    (p, v), drift = state, (NOWHERE, NOWHERE, NOWHERE, NOWHERE, False)
    if shifts:
        drift = drifted(k, i, par, age, s, company)
        p, v = sub(p, drift[0]), sub(v, drift[1])
    if not drift[4]:
        p, v = glide(par, age, p, v, s, count, company, k.stages)
    if shifts:
        p, v = (drift[2], drift[3]) if drift[4] else (along(p, drift[2], 1.0), along(v, drift[3], 1.0))
    return p, v


@inner
def beside(u, p, drift, h):
    """The velocity of the straight way of ``h`` s from ``p``: ``u``, that of the mean way, and the drift from that."""
    return scaled(sub(drift[2], p), 1.0 / h) if drift[4] else along(u, sub(drift[2], drift[0]), 1.0 / h)


@inner
def stride(par, age, p, v, h, company):
    """What accelerates a projectile in a tick of ``h`` seconds of a game's own step, and the velocity it has then."""
    a = vec(par["a"])
    if par["bends"] != 0:
        a = acceleration(par, age, p, v, company if par["law"] == BLEND else unled(company), age)
    return a, kick(par, age, p, v, a, h, company)


@cold
def in_step(k, i, now, late, p, v, kept):
    """The velocity of the straight way of a projectile in the rest of a tick of a game's own step."""
    par, step = k.params[int(k.flight[i]["param"])], int(k.world[0]["step"])
    age, company, h = 0.0, ALONE, float(now["dt"]) - late
    if kept == REDIRECTED or h <= 0.0:
        return v
    if par["careful"] != 0:
        age = age_of(k, i, now, late)
        company = company_of(k, i, par, now["start"], age)
    a, kicked = stride(par, age, p, v, h, company)
    u, _ = piece(step, p, v, a, h, kicked)
    if par["shifts"] != 0:
        u = beside(u, p, drifted(k, i, par, age, h, company), h)
    return u


@inner
def way_of(k, i, now, late, p, v, h, kept):
    """Velocity and acceleration of the piece on which what is in the air flies ``h`` s on from a point in a tick."""
    if k.world[0]["step"] != EXACT:
        return in_step(k, i, now, late, p, v, kept), NOWHERE
    p1, v1 = flown(k, i, now, late, p, v, h, kept)
    return v, through_ends(p, v, p1, v1, h)


@cold
def flies_on(k, i, now):
    """Let a projectile that nothing is in the way of fly a whole tick, as ``seek`` would; whether it did.

    It does not where a limit may cut its path, or where numbers end.
    """
    q, w, start = k.flight[i], k.world[0], int(now["start"])
    par, p, v, h, step = k.params[int(q["param"])], vec(q["p"]), vec(q["v"]), float(now["dt"]), int(w["step"])
    if q["t0"] > start or 0 <= q["until"] <= now["end"] or w["bounded"] != 0:
        return False
    if par["sums"] != 0 or par["strays"] != ALONG or par["moments"] != 0:
        return False
    age, company, pieces = 0.0, ALONE, 1
    if par["careful"] != 0:
        age = age_of(k, i, now, 0.0)
        company = company_of(k, i, par, start, age)
    if step == EXACT:
        if foreseen(par, v, h):
            return False
        in_pieces = w["touch"] == SWEPT
        if in_pieces:
            pieces = steps_for(par, v, h)
            if pieces > SMOOTH:
                return False
        rest, p1, v1 = h, p, v
        while rest > 0.0:
            s = min(h / pieces, rest)
            m = 1 if in_pieces else steps_for(par, v1, s)
            if par["careful"] != 0:
                s = min(s, next_change(par, age + EARLIER) - age)
            p1, v1 = glide(par, age, p1, v1, s, m, company, k.stages)
            rest, age = rest - s, age + s
    else:
        a, kicked = stride(par, age, p, v, h, company)
        p1, v1 = stepped(step, (p, v), a, h, (NOWHERE, NOWHERE, 0.0), kicked)
    if not abs(p1[0]) + abs(p1[1]) + abs(p1[2]) < FARTHEST:
        return False
    put(q["p"], p1)
    put(q["v"], v1)
    return True


LEAST = 1e-300
"""Instead of no speed at all, to reckon with."""


@inner
def reckoned(par, v, pace, span):
    """Of a projectile within ``span`` seconds, at most: its speed, its pull, and the share of its speed that it loses.

    That is in a second, to the air or to where it is blended. pace : the speed at which it is blended.
    """
    a, wind = vec(par["a"]), vec(par["wind"])
    push, side, stiff = math.sqrt(dot(a, a)) + abs(float(par["thrust"])), 0.0, float(par["linear"])
    most = math.sqrt(dot(v, v)) + 2.0 * math.sqrt(dot(wind, wind)) * (1.0 + abs(float(par["gust"])))
    if par["law"] == BLEND:
        most = max(most, pace) + push * span
        side, stiff = 2.0 * float(par["gain"]) * most, stiff + float(par["gain"])
    else:
        most += push * span
    if par["law"] != 0 and par["law"] != BLEND:
        side = min(float(par["rate"]) * max(most, LEAST), float(par["side"]))
    if par["factor"] != 1.0 or (most > par["top"] and par["tops"] != HOLDS):
        # What is cut or braked is held back at once.
        side = math.inf
    stiff += float(par["square"]) * most
    return most, push + side + stiff * most, stiff
