"""What acts on a projectile at a place of its flight, in the air or along a surface, and whom it goes by."""

from __future__ import annotations

import math

from nivvo.core._jit import cold, inner
from nivvo.core.clock import UNITS
from nivvo.core.flight import sway
from nivvo.core.forces import acceleration, next_change, stiffness
from nivvo.core.pool import ALONE, EXACT, GUIDED, ORBITS, SWAYS, TO_OWNER
from nivvo.core.vec import along, dot, sub, vec

FINE = 0.002
"""How much of what acts may change within one step along a surface, as a share of all of it."""

EARLIER = 1e-12
"""Seconds within which a time at which something changes counts as come."""

NOWHERE = (0.0, 0.0, 0.0)


@cold
def pulled(k, i, now, late, p, v, span):
    """The acceleration of a projectile ``late`` s into a tick, by what acts in the next ``span`` s.

    That is forces, and its sway. Along a surface nothing waits for ticks: a factor of a tick acts all the time, and
    who steers does it by acceleration.
    """
    par = k.params[int(k.flight[i]["param"])]
    age, company, bend = 0.0, ALONE, NOWHERE
    if GUIDED and par["careful"] != 0:
        age, company = age_of(k, i, now, late), company_of(k, i, par, now["start"])
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
    if GUIDED and par["careful"] != 0:
        age = age_of(k, i, now, late)
        h = min(h, next_change(par, age + EARLIER) - age)
    return h


@inner
def age_of(k, i, now, late):
    """Seconds since the launch of a guided projectile, ``late`` s into a tick."""
    return (now["start"] - k.guides[i]["began"]) / UNITS + late


@inner
def company_of(k, i, par, start):
    """What a projectile goes by in a tick that begins at ``start`` (clock), as ``pool.ALONE`` tells."""
    g = k.guides[i]
    j, since, born = int(g["body"]), (start - g["began"]) / UNITS, g["began"] / UNITS
    if par["toward"] == TO_OWNER or par["shifts"] == ORBITS:
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
