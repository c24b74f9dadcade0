"""Whom a homing projectile follows: at each tick's start it may lose whom it follows, and look for another.

In a row of ``pool.PARAMS``: looks, every (counts): how long after its launch it first looks, and how often after that.
within (units), cone (cosine of half of its angle about the velocity): where it looks. keeps_cone: the cosine beyond
which it loses whom it follows. choice: a code of ``pool.CHOICES``; ties go to the lesser body key. group: whom it may
follow, -1 for every target; only: one more than the number of the one that it may, 0 for any. sighted: whether an
obstacle hides. loses: what follows a loss, of ``pool.LOSES``.
"""

from __future__ import annotations

import math

from nivvo.core._jit import inner, kernel
from nivvo.core.contacts.events import NOWHERE, tell
from nivvo.core.contacts.search import first_of
from nivvo.core.geometry.contact import NONE, first_contact
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.vec import along, arc, dot, sub, vec
from nivvo.core.pool import (
    AIMED_AT,
    BY_ANGLE,
    BY_LOSS,
    ENDS_IT,
    FOREVER,
    LIVE,
    LOCKED,
    LOOKS_AGAIN,
    LOST_TARGET,
    NEAR_AIM,
    OBSTACLE,
    OUT_OF_CONE,
    OUT_OF_HEALTH,
    OUT_OF_REACH,
    OUT_OF_SIGHT,
    OUT_OF_TIME,
    SEEKS,
    SPREAD_OUT,
    TARGET,
    TO_TARGET,
)

NEVER = 1 << 62


@kernel
def seek_targets(k, first):
    """Let the projectiles from row ``first`` on lose and find whom they follow in the tick ``k.ticks[0]``.

    counters[SEEKS] : until when (clock) none of all has anything to lose or find, unless a body comes or is out.
    """
    now, due = k.ticks[0], NEVER
    if first > 0:
        due = k.counters[SEEKS]
    for i in range(first, k.counters[LIVE]):
        q, g = k.flight[i], k.guides[i]
        par = k.params[int(q["param"])]
        if par["law"] == 0 or par["toward"] != TO_TARGET or q["end"] != 0:
            continue
        if g["body"] >= 0:
            why = lost(k, q, g, par, now)
            if why != 0:
                place = (vec(q["p"]), NOWHERE, vec(q["v"]), NOWHERE)
                tell(k, now, 0.0, q, (LOST_TARGET, int(g["body"]), why, 0.0, 0.0), place)
                g["body"], g["looks"] = -1, FOREVER
                if par["loses"] == ENDS_IT:
                    q["until"], q["cause"] = now["start"], BY_LOSS
                elif par["loses"] == LOOKS_AGAIN and why != OUT_OF_TIME:
                    g["looks"] = now["start"]
        if g["looks"] == FOREVER or g["looks"] >= now["end"]:
            due = min(due, next_look(g, par, now))
            continue
        time = max(int(g["looks"]), int(now["start"]))
        if g["until"] != FOREVER and time >= g["until"]:
            g["looks"] = FOREVER
            due = min(due, next_look(g, par, now))
            continue
        late = max((time - max(int(now["start"]), int(q["t0"]))) / UNITS, 0.0)
        p = along(vec(q["p"]), vec(q["v"]), late)
        j = chosen(k, q, g, par, p, time)
        if j >= 0:
            g["body"], g["looks"] = j, FOREVER
            far = sub(middle(k.bodies[j], time), p)
            what = (LOCKED, j, 0, 0.0, math.sqrt(dot(far, far)))
            tell(k, now, (time - now["start"]) / UNITS, q, what, (p, NOWHERE, vec(q["v"]), NOWHERE))
        else:
            g["looks"] = time + par["every"]
        due = min(due, next_look(g, par, now))
    k.counters[SEEKS] = due


@inner
def next_look(g, par, now):
    """When (clock) a projectile may next lose whom it follows, or looks for somebody, with all bodies as they are."""
    due = NEVER
    if g["body"] >= 0:
        if par["within"] < math.inf or par["keeps_cone"] > -1.0 or par["sighted"] != 0:
            return int(now["end"])
        if g["until"] != FOREVER:
            due = int(g["until"])
    if g["looks"] != FOREVER:
        due = min(due, int(g["looks"]))
    return due


@inner
def middle(b, time):
    """Where a body is at a time (clock)."""
    return arc(vec(b["c0"]), vec(b["v0"]), vec(b["a0"]), (time - b["t0"]) / UNITS)


@inner
def lost(k, q, g, par, now):
    """Why a projectile has lost whom it follows, or 0."""
    b, start = k.bodies[int(g["body"])], int(now["start"])
    if g["until"] != FOREVER and start >= g["until"]:
        return OUT_OF_TIME
    if b["out"] != 0:
        return OUT_OF_HEALTH
    if par["within"] == math.inf and par["keeps_cone"] <= -1.0 and par["sighted"] == 0:
        return 0
    p, v = vec(q["p"]), vec(q["v"])
    to = sub(middle(b, start), p)
    far, speed = math.sqrt(dot(to, to)), math.sqrt(dot(v, v))
    if far > par["within"]:
        return OUT_OF_REACH
    if dot(to, v) < par["keeps_cone"] * far * speed:
        return OUT_OF_CONE
    if par["sighted"] != 0 and hidden(k, p, to, start):
        return OUT_OF_SIGHT
    return 0


@inner
def chosen(k, q, g, par, p, time):
    """The body that a projectile at ``p`` takes to follow at a time (clock), or -1."""
    best, least, key = -1, math.inf, 0
    v = vec(q["v"])
    speed = math.sqrt(dot(v, v))
    if speed == 0.0:
        v, speed = vec(g["way"]), 1.0
    for j in range(k.bodies.shape[0]):
        b = k.bodies[j]
        if b["out"] != 0 or j == par["owner"]:
            continue
        if not suits(k, par, j, b):
            continue
        at = middle(b, time)
        to = sub(at, p)
        far = math.sqrt(dot(to, to))
        if far > par["within"] or dot(to, v) < par["cone"] * far * speed:
            continue
        if par["sighted"] != 0 and hidden(k, p, to, time):
            continue
        score = far
        if par["choice"] == BY_ANGLE and far > 0.0:
            score = -dot(to, v) / far
        elif par["choice"] == NEAR_AIM:
            off = sub(at, vec(g["aimed"]))
            score = math.sqrt(dot(off, off))
        elif par["choice"] == AIMED_AT and j == g["first"]:
            score = -1.0
        elif par["choice"] == SPREAD_OUT:
            score = far / (1.0 + far) + followers(k, q, j)
        if score < least or (score == least and b["key"] < key):
            best, least, key = j, score, int(b["key"])
    return best


@inner
def suits(k, par, j, b):
    """Whether a body is one that may be followed: the one that is named, one of the group, or any target."""
    if par["only"] > 0:
        return j == par["only"] - 1
    if (par["group"] < 0 and b["role"] != TARGET) or (par["group"] >= 0 and b["group"] != par["group"]):
        return False
    return b["first"] == 0 or (par["group"] >= 0 and k.bodies[first_of(k.bodies, j)]["group"] != b["group"])


@inner
def followers(k, q, j):
    """How many other projectiles of the same launch rules follow a body."""
    count = 0.0
    for i in range(k.counters[LIVE]):
        one = k.flight[i]
        if one["end"] == 0 and one["param"] == q["param"] and k.guides[i]["body"] == j:
            count += 1.0
    return count


@inner
def hidden(k, p, to, time):
    """Whether an obstacle stands on the straight line from ``p`` along ``to`` at a time (clock)."""
    for j in range(k.bodies.shape[0]):
        b = k.bodies[j]
        if b["role"] == OBSTACLE and b["out"] == 0:
            what, _ = first_contact(
                b, sub(p, along(middle(b, time), vec(b["arm"]), 1.0)), to, NOWHERE, 0.0, 1.0, float(k.world[0]["skin"])
            )
            if what != NONE:
                return True
    return False
