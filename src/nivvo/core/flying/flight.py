"""Flight of one projectile over one tick: the piece that it moves on, and where limits cut it.

A piece is a parabola (exact step) or a straight line (a game's own step): start, velocity and
acceleration, over a span of seconds. The steps, with a the acceleration and h the span:

exact          p0 + v0 t + a t²/2 from launch, whatever the tick
semi-implicit  v' = v + a h; p' = p + v' h     (symplectic Euler)
explicit       p' = p + v h; v' = v + a h      (forward Euler)
verlet         p' = p + v h + a h²/2; v' = v + a h   (velocity Verlet)

Under forces that hang on place, velocity or time (``forces``), a is theirs: in a game's own step as at the tick's
start. In exact step what acts foreseeably is followed over many ticks (``ahead``), what does not (homing, a sway, a
region of wind, drag that is very stiff) in steps within a tick by their error (``glide``); the piece is the parabola
through both of its ends. What a game does to the velocity once a tick (a factor, a turn, a cut) is done to the new v
(``kick``).
"""

from __future__ import annotations

import math

import numpy as np

from nivvo.core._jit import cold, inner
from nivvo.core.flying.forces import acceleration, drag, next_change, stiffness
from nivvo.core.flying.guidance import turned
from nivvo.core.numbers.frame import added
from nivvo.core.numbers.roots import first_fall
from nivvo.core.numbers.trig import cosine, sine
from nivvo.core.numbers.vec import along, arc, dot, put, vec
from nivvo.core.pool import BLEND, CUTS, EXACT, EXPLICIT, SEMI_IMPLICIT

_NODES = (0.04691007703066800, 0.23076534494715845, 0.5, 0.76923465505284155, 0.95308992296933200)
_WEIGHTS = (0.11846344252809454, 0.23931433524968324, 0.28444444444444444, 0.23931433524968324, 0.11846344252809454)


# Drag times step: the error of a step is some (drag x step)^5 / 120 of its length.
STIFF = 0.05
BENT = 0.2
"""The same where each step is taken by its error, and is only to be near a parabola."""

MOST_STEPS = 4096
SMOOTH = 64
TOLERANCE, OF_STIFF = 1e-8, 1e-10
"""Of the way in a tick: by how much a step may be wrong; where drag is stiff little of a way is left."""

MOST_TRIES = 100_000
_TABLE = np.array(
    [
        [0, 0, 0, 0, 0, 0, 0],
        [1 / 5, 0, 0, 0, 0, 0, 0],
        [3 / 40, 9 / 40, 0, 0, 0, 0, 0],
        [44 / 45, -56 / 15, 32 / 9, 0, 0, 0, 0],
        [19372 / 6561, -25360 / 2187, 64448 / 6561, -212 / 729, 0, 0, 0],
        [9017 / 3168, -355 / 33, 46732 / 5247, 49 / 176, -5103 / 18656, 0, 0],
        [35 / 384, 0, 500 / 1113, 125 / 192, -2187 / 6784, 11 / 84, 0],
    ]
)
_AT = (0.0, 0.2, 0.3, 0.8, 8.0 / 9.0, 1.0, 1.0)
_OFF = _TABLE[6] - [5179 / 57600, 0, 7571 / 16695, 393 / 640, -92097 / 339200, 187 / 2100, 1 / 40]
# Sums in one order on every machine.
_SQUARED = np.array([[added(row[j] * _TABLE[j, k] for j in range(7)) for k in range(7)] for row in _TABLE])
_OFF_SQUARED = np.array([added(_OFF[j] * _TABLE[j, k] for j in range(7)) for k in range(7)])


@inner
def steps_for(row, v, h):
    """Into how many steps to cut ``h`` seconds of flight under forces."""
    a = vec(row["a"])
    fastest = math.sqrt(dot(v, v)) + math.sqrt(dot(a, a)) * h
    share = BENT if row["careful"] != 0 else STIFF
    return 1 + int(min(stiffness(row, fastest) * h / share, MOST_STEPS))


@cold
def glide(row, t, p, v, h, count, company, stages):
    """Position and velocity ``h`` s after ``t`` under forces, in steps by their error; about so many are tried first.

    Stiff drag soon leaves nothing to follow, and steps are as long as their error allows. None goes over a time at
    which something begins or ends to act. stages : (7, 3), overwritten.
    """
    careful = row["careful"] != 0
    a = vec(row["a"])
    speed = math.sqrt(dot(v, v)) + company[7] + (math.sqrt(dot(a, a)) + float(row["thrust"])) * h
    allowed = (TOLERANCE if careful else OF_STIFF) * speed * h
    s, left, tries, now = h / count, h, 0, t
    while left > 0.0:
        tries += 1
        if tries > MOST_TRIES:
            return p, scaled(v, math.inf - math.inf)
        s = min(s, left)
        after = t + (h - left + s)
        if careful:
            change = next_change(row, now)
            if change < after:
                s, after = change - now, change
        q, u, error = pair(row, now, p, v, s, company, stages)
        if error <= allowed or s <= 1e-9 * h:
            p, v, left, now = q, u, left - s, after
            s = 2.0 * s if 64.0 * error <= allowed else s
        else:
            s = 0.5 * s
    return p, v


@cold
def pair(row, t, p, v, h, company, stages):
    """One step of ``h`` seconds of the fifth order, and how far the fourth is from it (Dormand and Prince, 1980).

    Velocity and place are followed by the same table: what a stage's place needs of earlier ones is squared (_SQUARED).
    """
    q, u = p, v
    for stage in range(7):
        q, u = along(p, v, _AT[stage] * h), v
        for k in range(stage):
            b = (stages[k, 0], stages[k, 1], stages[k, 2])
            q, u = along(q, b, _SQUARED[stage, k] * h * h), along(u, b, _TABLE[stage, k] * h)
        put(stages[stage], acceleration(row, t + _AT[stage] * h, q, u, company, t + 0.5 * h))
    d, e = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    for k in range(7):
        b = (stages[k, 0], stages[k, 1], stages[k, 2])
        d, e = along(d, b, _OFF_SQUARED[k] * h * h), along(e, b, _OFF[k] * h)
    return q, u, max(math.sqrt(dot(d, d)), math.sqrt(dot(e, e)) * h)


@inner
def calm(row, v, rest):
    """For how long, within ``rest`` seconds, flight under stiff drag is near enough a parabola."""
    k, speed = drag(row, v, vec(row["a"])), math.sqrt(dot(v, v))
    pull = math.sqrt(dot(k, k))
    jerk = stiffness(row, speed) * pull
    s = rest
    for _ in range(64):
        if jerk * s * s <= STIFF * STIFF * (speed + pull * s):
            break
        s = 0.5 * s
    return s


BRIEF = 1e-6
"""Seconds within which places are too close together to say how a velocity changes."""


@inner
def through_ends(p, v, q, w, h):
    """Acceleration of the parabola from ``p`` with ``v`` to ``q``, where the velocity is ``w``, ``h`` s later."""
    if h <= 0.0:
        return (0.0, 0.0, 0.0)
    if h < BRIEF:
        return (w[0] - v[0]) / h, (w[1] - v[1]) / h, (w[2] - v[2]) / h
    g = 2.0 / (h * h)
    return (q[0] - p[0] - v[0] * h) * g, (q[1] - p[1] - v[1] * h) * g, (q[2] - p[2] - v[2] * h) * g


@inner
def scaled(v, factor):
    """v times a number."""
    return v[0] * factor, v[1] * factor, v[2] * factor


@inner
def sway(row, across, above, t):
    """How far a projectile is from its mean way at ``t`` (3,), how fast that changes (3,), and how fast that does.

    Sideways a sine, upward a cosine, both grown from nothing over ``grows`` seconds (a quintic).
    """
    rate, share, gain, more = float(row["sway_rate"]), 1.0, 0.0, 0.0
    if t < row["grows"]:
        x = t / float(row["grows"])
        share = x * x * x * (10.0 + x * (6.0 * x - 15.0))
        gain = 30.0 * x * x * (1.0 - x) * (1.0 - x) / float(row["grows"])
        more = 60.0 * x * (1.0 - x) * (1.0 - 2.0 * x) / (float(row["grows"]) * float(row["grows"]))
    s, c = sine(rate * t), cosine(rate * t)
    side, up = float(row["sway"][0]), float(row["sway"][1])
    off = along(scaled(across, side * share * s), above, up * share * c)
    change = along(scaled(across, side * (gain * s + share * rate * c)), above, up * (gain * c - share * rate * s))
    more -= share * rate * rate
    bend = scaled(across, side * (more * s + 2.0 * gain * rate * c))
    return off, change, along(bend, above, up * (more * c - 2.0 * gain * rate * s))


@inner
def orbit(row, g, t, company):
    """Place and velocity of what goes round its owner: from where it left to its radius over ``grows`` seconds."""
    rate, radius, gain = float(row["orbit_rate"]), float(row["orbit"]), 0.0
    if t < row["grows"]:
        x = t / float(row["grows"])
        away = radius - float(g["radius"])
        gain = away * 30.0 * x * x * (1.0 - x) * (1.0 - x) / float(row["grows"])
        radius = float(g["radius"]) + away * (x * x * x * (10.0 + x * (6.0 * x - 15.0)))
    s, c, since = sine(rate * t), cosine(rate * t), t - company[3]
    out = along(scaled(vec(g["across"]), c), vec(g["above"]), s)
    on = along(scaled(vec(g["across"]), -s), vec(g["above"]), c)
    p = along(along(arc(company[0], company[1], company[2], since), out, radius), vec(g["lift"]), 1.0)
    return p, along(along(along(company[1], company[2], since), out, gain), on, radius * rate)


@inner
def kick(row, t, p, v, a, h, company):
    """The velocity that a game gives a projectile in a tick of ``h`` seconds: accelerated, by its factor, turned, cut.

    company : whom it follows, if a turn is due.
    """
    w = scaled(along(v, a, h), float(row["factor"]))
    if row["driven"] != 0:
        if company[4] != 0.0 and row["law"] != BLEND and row["seeks"][0] <= t < row["seeks"][1]:
            w = turned(row, t, p, w, h, company)
        if row["tops"] == CUTS:
            speed, top = math.sqrt(dot(w, w)), float(row["top"])
            if speed > top:
                w = scaled(w, top / speed)
    return w


@inner
def piece(step, p, v, a, h, w):
    """Velocity and acceleration of the piece on which one tick of ``h`` seconds moves a projectile; ``w``: its kick."""
    if step == EXACT:
        return v, a
    if step == SEMI_IMPLICIT:
        return w, (0.0, 0.0, 0.0)
    if step == EXPLICIT or h <= 0.0:
        return v, (0.0, 0.0, 0.0)
    q = arc(p, v, a, h)
    return ((q[0] - p[0]) / h, (q[1] - p[1]) / h, (q[2] - p[2]) / h), (0.0, 0.0, 0.0)


@inner
def stepped(step, at, a, h, parabola, w):
    """Position and velocity after a whole tick.

    at : position and velocity at its start. parabola : where it began, its velocity there, how long ago at the tick's
    end. w : the kick of a game's own step.
    """
    (p, v), (p0, v0, age) = at, parabola
    if step == EXACT:
        return arc(p0, v0, a, age), along(v0, a, age)
    if step == SEMI_IMPLICIT:
        return along(p, w, h), w
    if step == EXPLICIT:
        return along(p, v, h), w
    return arc(p, v, a, h), w


@inner
def path_length(v, a, t):
    """Length of the path over ``t`` seconds from velocity ``v`` under constant ``a``.

    Where speed changes little, five-point Gauss-Legendre; else the closed form, with u the speed
    along a and w across it: [u s + w² ln(u + s)] / 2|a|, s = sqrt(u² + w²).
    """
    pull = math.sqrt(dot(a, a))
    speed = math.sqrt(dot(v, v))
    if pull * t <= 0.2 * speed:
        total = 0.0
        for k in range(5):
            u = along(v, a, _NODES[k] * t)
            total += _WEIGHTS[k] * math.sqrt(dot(u, u))
        return total * t
    u0 = dot(v, a) / pull
    u1 = u0 + pull * t
    across = dot(v, v) - u0 * u0
    if across <= 1e-14 * dot(v, v):
        return (u1 * abs(u1) - u0 * abs(u0)) / (2.0 * pull)
    s0, s1 = math.sqrt(u0 * u0 + across), math.sqrt(u1 * u1 + across)
    e0 = u0 + s0 if u0 >= 0.0 else across / (s0 - u0)
    e1 = u1 + s1 if u1 >= 0.0 else across / (s1 - u1)
    return (u1 * s1 - u0 * s0 + across * math.log(e1 / e0)) / (2.0 * pull)


@inner
def time_of_length(v, a, length, span):
    """Time within ``span`` after which the path is ``length`` long; Newton's method, kept in a bracket."""
    low, high = 0.0, span
    t = 0.5 * span
    for _ in range(60):
        over = path_length(v, a, t) - length
        if over > 0.0:
            high = t
        else:
            low = t
        u = along(v, a, t)
        speed = math.sqrt(dot(u, u))
        step = over / speed if speed > 0.0 else 0.0
        new = t - step
        if not low <= new <= high or speed == 0.0:
            new = 0.5 * (low + high)
        if abs(new - t) <= 1e-15 * span:
            return new
        t = new
    return t


@inner
def crossing(p, v, a, low, high, span):
    """First time within ``span`` at which a coordinate leaves low..high, or -1."""
    first = -1.0
    if p < low or p > high:
        return 0.0
    for side in range(2):
        gap = high - p if side == 0 else p - low
        speed = -v if side == 0 else v
        pull = -a if side == 0 else a
        t = first_fall(gap, speed, 0.5 * pull)
        if 0.0 <= t <= span and (first < 0.0 or t < first):
            first = t
    return first


@inner
def time_to_leave(p, v, a, low, high, span):
    """First time within ``span`` at which a parabola leaves the box low..high, or -1."""
    first = -1.0
    for k in range(3):
        t = crossing(p[k], v[k], a[k], low[k], high[k], span)
        if t >= 0.0 and (first < 0.0 or t < first):
            first = t
    return first


@inner
def time_to_stray(p, v, a, far, span):
    """First time within ``span`` at which a parabola about the origin is ``far`` from it, or -1.

    Looked for between a few times on the way, then halved.
    """
    low, high = 0.0, -1.0
    for k in range(1, 9):
        t = span * (k / 8.0)
        q = arc(p, v, a, t)
        if high < 0.0:
            if dot(q, q) >= far * far:
                high = t
            else:
                low = t
    if high < 0.0:
        return -1.0
    for _ in range(60):
        t = 0.5 * (low + high)
        q = arc(p, v, a, t)
        if dot(q, q) >= far * far:
            high = t
        else:
            low = t
    return high
