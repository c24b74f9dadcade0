"""What goes along two bodies at once: in the corner that they form, as along a gutter, or still in it.

It is pressed onto both, and each slows it by its friction. Where one presses no more it goes along the other alone.
"""

from __future__ import annotations

import math

from nivvo.core._jit import cold
from nivvo.core.contacts.events import NOWHERE, tell
from nivvo.core.contacts.search import ON_IT, in_line
from nivvo.core.flying.acting import constant, fine, pulled
from nivvo.core.geometry.surface import bends_within, on_it_for, surface
from nivvo.core.numbers.vec import along, arc, cross, dot, sub, vec
from nivvo.core.pool import LEFT

TURN = 0.02
"""Radians of a bend that are gone in one step."""

STANDS = 1e4
"""Skins a second: what is slower than that stands."""

STILL, ALONG_IT, OFF, FIRST, OTHER = range(5)
"""It stands, goes on, is in the air; of two bodies it goes along the first alone, or the other."""

FORMS = 1e-9
"""Two sides form a corner if one minus the square of the cosine between their normals is more than that."""

EDGE = 0.99
"""A side bends so much, times the radius of what goes along it, where that goes round its end."""

SOON = 2e-4
"""Seconds: what comes back from one side onto the other so soon stays in the corner."""

BEARS = 1e-7
"""Share of what acts that presses onto a body at least, where it bears."""


@cold
def crease(k, i, now, p, v, late, h):
    """How a projectile goes on in the corner of its two bodies: (what comes, place, velocity, acceleration, how long).

    What comes is FIRST, OTHER or OFF where they hold it no more.
    """
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    same, radius = constant(par), float(par["radius"])
    comes, v, a, speed, bows = pressed_into(k, i, now, p, v, late)
    if comes != ALONG_IT:
        return comes, p, v, a, h, NOWHERE
    s = h if same else fine(k, i, now, late, v, h)
    first, other = k.bodies[-1 - int(q["on"])], k.bodies[int(q["also"]) - 1]
    r, pull = sub(v, along(vec(first["v"]), vec(first["a"]), late)), sub(a, vec(first["a"]))
    brakes = -dot(r, pull)
    if speed > 0.0 and brakes > 0.0:
        s = min(s, speed * speed / brakes)
    if bows > 0.0:
        s = min(s, TURN / (bows * max(speed, 1e-3 * radius)))
    if bows > 0.0 or not same:
        half = 0.5 * s
        comes, _, middle, _, _ = pressed_into(k, i, now, arc(p, v, a, half), along(v, a, half), late + half)
        if comes == ALONG_IT:
            a = middle
    off = ON_IT * radius + float(k.world[0]["skin"])
    s = on_it_for(first, (p, v, a), radius, late, s, off, bows > 0.0)
    return ALONG_IT, p, v, a, on_it_for(other, (p, v, a), radius, late, s, off, bows > 0.0), NOWHERE


@cold
def pressed_into(k, i, now, p, v, t):
    """What becomes of what is in the corner of its two bodies, ``t`` s into the tick.

    Returns what comes of it (as ``crease``), its velocity, its acceleration, how fast it goes as the first body sees
    it, and how much the sides bend on its way (rad/unit).
    """
    # Longer than a function of the core should be: it solves two equations for what presses onto the two.
    q, par = k.flight[i], k.params[int(k.flight[i]["param"])]
    first, other, radius = k.bodies[abs(int(q["on"])) - 1], k.bodies[int(q["also"]) - 1], float(par["radius"])
    stands, off = STANDS * float(k.world[0]["skin"]), ON_IT * radius + float(k.world[0]["skin"])
    u, n, gap = surface(first, p, radius, t)
    w, m, fall = surface(other, p, radius, t)
    acts = vec(par["a"]) if constant(par) else pulled(k, i, now, t, p, v, 0.0)
    size = math.sqrt(dot(acts, acts))
    r, s, d = sub(v, u), sub(v, w), dot(n, m)
    on_first = first["out"] == 0 and gap <= off
    on_first = on_first and dot(r, n) <= leaving(k, now, first, math.sqrt(dot(r, r)), sub(acts, vec(first["a"])), n)
    on_other = other["out"] == 0 and fall <= off
    on_other = on_other and dot(s, m) <= leaving(k, now, other, math.sqrt(dot(s, s)), sub(acts, vec(other["a"])), m)
    clear = 1.0 - d * d
    if not (on_first and on_other and clear > FORMS):
        return FIRST if on_first else OTHER if on_other else OFF, v, acts, 0.0, 0.0
    c = cross(n, m)
    c = along(NOWHERE, c, 1.0 / math.sqrt(clear))
    v = in_corner((u, n), (w, m), c, v)
    r, s = sub(v, u), sub(v, w)
    bend, bows = bent(first, p, n, r, radius, t)
    curve, bow = bent(other, p, m, s, radius, t)
    # What each is to push so that it stays on both: along it its normal bends away.
    push = dot(sub(vec(first["a"]), acts), n) - bend * dot(r, r)
    thrust = dot(sub(vec(other["a"]), acts), m) - curve * dot(s, s)
    presses, weighs = (push - d * thrust) / clear, (thrust - d * push) / clear
    if presses <= BEARS * size or weighs <= BEARS * size:
        alone = FIRST if push > 0.0 and weighs <= presses else OTHER if thrust > 0.0 else OFF
        return alone, v, acts, 0.0, 0.0
    drag = float(k.answers[int(q["param"]), int(first["group"])]["slows"]) * presses
    brake = float(k.answers[int(q["param"]), int(other["group"])]["slows"]) * weighs
    a = along(along(acts, n, presses), m, weighs)
    speed, fast = math.sqrt(dot(r, r)), math.sqrt(dot(s, s))
    if max(speed, fast) > stands:
        slows = (drag * dot(r, c) / speed if speed > 0.0 else 0.0) + (brake * dot(s, c) / fast if fast > 0.0 else 0.0)
        return ALONG_IT, v, along(a, c, -slows), speed, max(bows, bow)
    drive = dot(sub(a, vec(first["a"])), c)
    if abs(drive) > drag + brake:
        return ALONG_IT, v, along(a, c, -(drag + brake) * drive / abs(drive)), 0.0, max(bows, bow)
    return STILL if go_as_one(first, other) else ALONG_IT, v, along(a, c, -drive), 0.0, 0.0


@cold
def leaving(k, now, b, speed, acts, n):
    """How fast away from a body what goes along it may be, for rounding or for a way in straight pieces.

    acts : what acts on it, as the body sees that.
    """
    most = 1e-9 * speed + STANDS * float(k.world[0]["skin"])
    if b["moves"] != 0:
        # Many a way is gone in straight pieces, a tick each: what presses on makes up for a bend of it within one.
        most += max(-dot(acts, n), 0.0) * max(float(now["dt"]), float(k.world[0]["tick"]))
    return most


@cold
def bent(b, p, n, r, radius, t):
    """How much a side bends on a way along it and how much its normal turns (1/units); nothing where it ends."""
    bend, _, _, bows = bends_within(b, p, n, r, r, radius, t)
    return (bend, bows) if bend * radius < EDGE else (0.0, 0.0)


@cold
def in_corner(first, other, c, v):
    """A velocity kept along a corner: of each body its own velocity and its normal, and the way of the corner."""
    (u, n), (w, m) = first, other
    d, x, y = dot(n, m), dot(u, n), dot(w, m)
    clear = 1.0 - d * d
    return along(along(along(NOWHERE, c, dot(v, c)), n, (x - d * y) / clear), m, (y - d * x) / clear)


@cold
def go_as_one(first, other):
    """Whether two bodies move alike, so that what stands on one stands on the other."""
    apart = max(abs(first["v"][0] - other["v"][0]), abs(first["v"][1] - other["v"][1]))
    apart = max(max(apart, abs(first["v"][2] - other["v"][2])), abs(first["turns"]) + abs(other["turns"]))
    apart = max(max(apart, abs(first["a"][0] - other["a"][0])), abs(first["a"][1] - other["a"][1]))
    return first["out"] == 0 and other["out"] == 0 and max(apart, abs(first["a"][2] - other["a"][2])) == 0.0


@cold
def gone_from(k, i, now, p, v, late):
    """Which of the two bodies of a corner (index) holds what is in it no more, or -1."""
    q = k.flight[i]
    comes, _, _, _, _ = pressed_into(k, i, now, p, v, late)
    if comes <= ALONG_IT:
        return -1
    return -1 - int(q["on"]) if comes == OTHER else int(q["also"]) - 1


@cold
def narrowed(k, i, now, p, v, late, gone):
    """Let what was in a corner go along one of its two bodies alone, and not along the one that is ``gone``."""
    q = k.flight[i]
    if gone == -1 - int(q["on"]):
        q["on"] = -q["also"]
    q["also"] = 0
    tell(k, now, late, q, (LEFT, gone, 0, 0.0, 0.0), (p, NOWHERE, v, NOWHERE))


@cold
def lets_go(k, i, now, t, p, v):
    """Let what was thrown back by another body leave what it went along, if it goes away from that."""
    q, radius, skin = k.flight[i], float(k.params[int(k.flight[i]["param"])]["radius"]), float(k.world[0]["skin"])
    on, also = -1 - int(q["on"]), int(q["also"]) - 1
    q["on"], q["also"] = 0, 0
    for j in (also, on):
        if j < 0:
            continue
        u, n, _ = surface(k.bodies[j], p, radius, t)
        r = sub(v, u)
        if dot(r, n) > 1e-9 * math.sqrt(dot(r, r)) + STANDS * skin:
            tell(k, now, t, q, (LEFT, j, 0, 0.0, 0.0), (p, NOWHERE, v, NOWHERE))
        else:
            q["on"], q["also"] = -1 - j, 0 if q["on"] == 0 else -q["on"]


@cold
def comes_onto(k, i, j, now, t, place, tired):
    """What goes along a body, or in a corner, and meets another: the two it goes along from here, and how fast.

    place : of what is met, with the velocity after it. tired : it has gone to and fro enough. Returns indices of
    bodies: that of the first, that of the other (-1: it goes along one alone; below that: it stays where it is, held
    by three), and the velocity.
    """
    q = k.flight[i]
    p, m, v, w = place
    v = along(v, m, -dot(sub(v, w), m))
    first, other = -1 - int(q["on"]), int(q["also"]) - 1
    with_first, slow = formed(k, i, first, now, t, (p, m, v, w), j, tired)
    if other < 0:
        if with_first == ALONG_IT:
            return first, j, slow
        return (first, -1, v) if with_first == FIRST else (j, -1, v)
    with_other, fast = formed(k, i, other, now, t, (p, m, v, w), j, tired)
    if with_first == ALONG_IT and with_other == ALONG_IT:
        return j, -2, w
    if with_first == ALONG_IT:
        return first, j, slow
    if with_other == ALONG_IT:
        return other, j, fast
    return (first, other, v) if with_first == FIRST or with_other == FIRST else (j, -1, v)


@cold
def in_place_of(k, q, j, t, place):
    """The two bodies of a corner of which one ends where ``j`` goes on, flush with it (index of first, of other)."""
    first, other, r = -1 - int(q["on"]), int(q["also"]) - 1, sub(place[2], place[3])
    _, n, _ = surface(k.bodies[first], place[0], float(k.params[int(q["param"])]["radius"]), t)
    speed = math.sqrt(dot(r, r))
    return (j, other) if in_line(place[1], n, r, speed) else (first, j)


@cold
def formed(k, i, on, now, t, place, j, tired):
    """What goes along body ``on`` and met body ``j``: whether both hold it (ALONG_IT) or one (FIRST: it goes on beside
    the other; OTHER), and its velocity if both do."""
    par, b = k.params[int(k.flight[i]["param"])], k.bodies[on]
    p, m, v, w = place
    u, n, _ = surface(b, p, float(par["radius"]), t)
    r, d = sub(v, u), dot(n, m)
    into, clear = dot(r, n), 1.0 - d * d
    near = 1e-9 * math.sqrt(dot(r, r)) + STANDS * float(k.world[0]["skin"])
    if clear <= FORMS:
        return OTHER, v
    acts = vec(par["a"]) if constant(par) else pulled(k, i, now, t, p, v, 0.0)
    push, thrust = dot(sub(vec(b["a"]), acts), n), dot(sub(vec(k.bodies[j]["a"]), acts), m)
    if into > near and not tired and 2.0 * into >= SOON * (push - d * thrust):
        return OTHER, v
    c = cross(n, m)
    kept = in_corner((u, n), (w, m), along(NOWHERE, c, 1.0 / math.sqrt(clear)), v)
    if into < -near:
        return ALONG_IT, kept
    least = BEARS * math.sqrt(dot(acts, acts))
    if push - d * thrust <= least * clear:
        return OTHER, v
    return FIRST if thrust - d * push <= least * clear else ALONG_IT, kept


@cold
def set_on_both(first, other, p, v, radius, t):
    """A place and velocity, ``t`` s into the tick, set back into the corner of two bodies."""
    u, n, gap = surface(first, p, radius, t)
    w, m, fall = surface(other, p, radius, t)
    d = dot(n, m)
    clear = 1.0 - d * d
    if clear <= FORMS:
        return along(p, n, -gap), v
    c = cross(n, m)
    p = along(along(p, n, (d * fall - gap) / clear), m, (d * gap - fall) / clear)
    return p, in_corner((u, n), (w, m), along(NOWHERE, c, 1.0 / math.sqrt(clear)), v)
