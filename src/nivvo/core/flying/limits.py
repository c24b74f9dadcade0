"""Where what limits a projectile cuts a piece of its path: its life, its reach, the bounds of the world."""

from __future__ import annotations

import math

from nivvo.core._jit import inner
from nivvo.core.flying.acting import NOWHERE
from nivvo.core.flying.flight import path_length, time_of_length, time_to_leave, time_to_stray
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.vec import along, arc, sub, vec
from nivvo.core.pool import ALONG, BY_BOUNDS, BY_FLOWN, BY_REACH, FROM_LAUNCH, FROM_OWNER


@inner
def life_within(q, clock, late, s):
    """The time until its life is over, if that is within ``s`` seconds; else s."""
    if q["until"] >= 0 and q["until"] <= clock[1]:
        return min(max((q["until"] - clock[0]) / UNITS - late, 0.0), s)
    return s


@inner
def limit(k, i, par, clock, way, leg):
    """For how long a piece lasts before a limit cuts it, which one (0: none), its path length if that is kept.

    clock : start and end of the tick. way : place, velocity, acceleration. leg : how many seconds after the tick's
    start the piece begins, how many it lasts, whether it reaches the tick's end, and the path length till then: summed
    up, or where it falls along one parabola, from that one's velocity on over so many seconds.
    """
    late, h, final, gone, from_v, aged, falls = leg
    p, v, a = way
    q, w = k.flight[i], k.world[0]
    span, why, more = h, 0, 0.0
    reach, beyond = float(par["reach"]), BY_REACH
    if par["flown"] < reach and q["past"] >> BY_FLOWN & 1 == 0:
        reach, beyond = float(par["flown"]), BY_FLOWN
    if q["until"] >= 0 and q["until"] <= clock[1]:
        cut = max((q["until"] - clock[0]) / UNITS - late, 0.0)
        if final or cut <= h:
            span, why = min(cut, h), int(q["cause"])
    if par["strays"] != ALONG:
        c, u, b = NOWHERE, NOWHERE, NOWHERE
        if par["strays"] == FROM_LAUNCH:
            c = vec(k.guides[i]["left"])
        elif par["strays"] == FROM_OWNER:
            body = k.bodies[int(par["owner"])]
            b = vec(body["a"])
            c, u = arc(vec(body["c"]), vec(body["v"]), b, late), along(vec(body["v"]), b, late)
        out = time_to_stray(sub(p, c), sub(v, u), sub(a, b), float(par["reach"]), span)
        if out >= 0.0:
            span, why = out, BY_REACH
    if par["sums"] != 0 and (not falls or reach < math.inf):
        if not falls:
            from_v = v
        more = path_length(from_v, a, aged + span)
        if (par["strays"] == ALONG or beyond == BY_FLOWN) and q["flown"] + gone + more >= reach:
            span = max(time_of_length(from_v, a, max(reach - q["flown"] - gone, 0.0), aged + span) - aged, 0.0)
            why = beyond
    if w["bounded"] != 0:
        out = time_to_leave(p, v, a, vec(w["low"]), vec(w["high"]), span)
        if out >= 0.0:
            span, why = out, BY_BOUNDS
    return span, why, more
