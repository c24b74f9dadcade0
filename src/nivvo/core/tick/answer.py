"""What follows a contact, as far as it is decided inside the tick."""

from __future__ import annotations

from nivvo.core._jit import inner
from nivvo.core.clock import UNITS
from nivvo.core.curves import read_off
from nivvo.core.pool import (
    BY_CONTACT,
    BY_INSIDE,
    CONTACT,
    DAMAGE,
    DEPENDS_AGE,
    END,
    ENDED,
    INSIDE_MOST,
    OUT,
    OVERLAP,
)
from nivvo.core.shapes import distance
from nivvo.core.tick.events import finish, tell
from nivvo.core.vec import along, arc, sub, vec

ON, OVER = 0, 1
HELD = 2


@inner
def answer(k, i, j, now, t):
    """What follows a contact of projectile ``i`` with body ``j`` at ``t`` seconds into the tick.

    Returns whether it is OVER with the projectile or it flies ON, plus HELD if the tick is to stop after it. What is
    passed is left out from here on; where there is no more room for that, it ends.
    """
    q, at, b = k.flight[i], k.points[i], k.bodies[j]
    ans = k.answers[int(q["param"]), int(b["group"])]
    place, gap = met(k, q, at, b, t)
    kind = OVERLAP if gap < -float(k.world[0]["skin"]) else CONTACT
    then, why = int(ans["then"]), BY_CONTACT
    if then != END and not put_inside(q, j):
        then, why = END, BY_INSIDE
    tell(k, now, t, q, (kind, j, then, 0.0, gap), place)
    held = HELD if ans["holds"] != 0 else 0
    damage = dealt(k, q, at, ans, now, t)
    if damage != 0.0:
        b["health"] -= damage
        tell(k, now, t, q, (DAMAGE, j, 0, damage, float(b["health"])), place)
        if b["health"] <= 0.0:
            b["out"] = 1
            tell(k, now, t, q, (OUT, j, 0, damage, float(b["health"])), place)
        if b["watched"] != 0:
            held = HELD
    if then != END:
        return ON + held
    tell(k, now, t, q, (ENDED, j, why, 0.0, gap), place)
    q["flown"] += at["flown"]
    finish(q, place[0], place[2], why)
    return OVER + held


@inner
def met(k, q, at, b, t):
    """Where a projectile meets a body: ((place, outward normal, velocity, the body's), gap between the surfaces)."""
    p, u, a = vec(at["p"]), vec(b["v"]), vec(b["a"])
    gap, n = distance(b, sub(p, arc(vec(b["c"]), u, a, t)))
    return (p, n, vec(at["v"]), along(u, a, t)), gap - k.params[int(q["param"])]["radius"]


@inner
def put_inside(q, j):
    """Add a body to those that a projectile is inside of; whether there is room."""
    inside = q["inside"]
    for c in range(INSIDE_MOST):
        if inside[c] < 0:
            inside[c] = j
            return True
    return False


@inner
def dealt(k, q, at, ans, now, t):
    """The damage of an answer."""
    if ans["by"] == 0:
        return float(ans["damage"])
    x = (now["start"] - q["born"]) / UNITS + t if ans["by"] == DEPENDS_AGE else q["flown"] + at["flown"]
    return read_off(k.curves, int(ans["first"]), int(ans["count"]), x)
