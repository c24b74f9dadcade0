"""Openings: what touches a body there goes on from where another opening is, as through a hole between the two."""

from __future__ import annotations

from nivvo.core._jit import cold, inner
from nivvo.core.contacts.events import tell
from nivvo.core.geometry.turning import distance_at
from nivvo.core.numbers.vec import along, arc, dot, sub, vec
from nivvo.core.pool import CONTACT, ENTERS, WENT_THROUGH

SAME_SIDE = 0.9
"""The least cosine between the normal where it is touched and that of the opening."""


FLUSH = 1e3
"""Skins within which a point lies in the plane of an opening."""


@cold
def entered(k, j, place, t, far):
    """The row of the opening by which a projectile goes in that touches body ``j`` at ``t``, or -1.

    far : how far its middle is from the surface. An opening may reach over bodies that lie flush.
    """
    p, n, v, u = place
    slack = FLUSH * float(k.world[0]["skin"])
    for g in range(k.openings.shape[0]):
        one = k.openings[g]
        if k.bodies[int(one["body"])]["out"] != 0 or k.bodies[int(k.openings[int(one["to"])]["body"])]["out"] != 0:
            continue
        normal = vec(one["normal"])
        off = sub(p, middle_of(k, one, t))
        high = dot(off, normal)
        if one["body"] != j and abs(high - far) > slack:
            continue
        off = along(off, normal, -high)
        closes = dot(sub(v, u), normal) < 0.0 and dot(n, normal) > SAME_SIDE
        if closes and dot(off, off) <= one["radius"] * one["radius"]:
            return g
    return -1


@inner
def middle_of(k, one, t):
    """Where an opening is."""
    b = k.bodies[int(one["body"])]
    return along(arc(vec(b["c"]), vec(b["v"]), vec(b["a"]), t), vec(one["offset"]), 1.0)


@cold
def through(k, q, j, g, now, met, place, radius):
    """Write down that a projectile goes in by an opening and out by that to which it leads.

    Returns where, its velocity, and the body there if it is inside of that, or -1. What it has along the normal and
    beside is turned about, what it has above stays, as the two bodies see it. met : seconds into the tick, and gap.
    """
    t, gap = met
    one = k.openings[g]
    two = k.openings[int(one["to"])]
    p, _, v, u = place
    b, share = k.bodies[int(two["body"])], two["radius"] / one["radius"]
    r, off = sub(v, u), sub(p, middle_of(k, one, t))
    u1, n1 = along(vec(b["v"]), vec(b["a"]), t), vec(two["normal"])
    p1 = along(middle_of(k, two, t), vec(two["above"]), dot(off, vec(one["above"])) * share)
    p1 = along(along(p1, vec(two["beside"]), -dot(off, vec(one["beside"])) * share), n1, radius)
    v1 = along(u1, vec(two["above"]), dot(r, vec(one["above"])))
    v1 = along(along(v1, vec(two["beside"]), -dot(r, vec(one["beside"]))), n1, -dot(r, vec(one["normal"])))
    tell(k, now, t, q, (CONTACT, j, ENTERS, 0.0, gap), place)
    tell(k, now, t, q, (WENT_THROUGH, int(two["body"]), 0, float(one["key"]), float(two["key"])), (p1, n1, v1, u1))
    deep, _ = distance_at(b, sub(p1, arc(vec(b["c"]), vec(b["v"]), vec(b["a"]), t)), t)
    return p1, v1, int(two["body"]) if deep - radius < -float(k.world[0]["skin"]) else -1
