"""The flight ahead of what acts foreseeably, in exact step: stretch after stretch, each a polynomial of time.

What acts is foreseeable if it hangs on nothing but the row, the velocity and the time: drag, a wind that blows
everywhere, thrust, top and lowest speeds. Such a flight is followed in stretches that are as long as their error
allows, that know of no tick and of no body, and that go over no time at which something begins or ends to act. So where
a projectile is follows from where its flight began and from the time, whenever and by whomever it is asked.

Under drag alone a stretch is the Taylor series of the flight, whose terms follow from one another. Else, and where the
way turns back through no speed at all, it is one step of the fifth order (``flight.pair``) and within it the one
polynomial that has place, velocity and acceleration of both ends (Hermite).
"""

from __future__ import annotations

import math

import numpy as np

from nivvo.core._jit import cold, inner
from nivvo.core.flying.flight import SMOOTH, pair, steps_for, through_ends
from nivvo.core.flying.forces import EARLIER, NOWHERE, next_change, series, stiffness, unbent
from nivvo.core.geometry.grid import box_of_arc
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.vec import along, arc, dot, put, vec
from nivvo.core.pool import ALONE, DEGREE, FORESEEN

ALLOWED, ALLOWED_ALONE = 1e-8, 1e-9
"""Of the way in a step of the fifth order: by how much the fourth may differ, which is wrong by some 100 times more.

Under drag alone a step is for where the way turns back through no speed at all: there the drag itself has a bend."""

LEFT_OUT = 1e-8
"""Of a speed: how great the last terms of a series may be that is broken off after them; it is truer a thousandfold."""

FIRST = 0.06
"""How much what acts may change within the first step that is tried, as a share of all of it."""

LONGEST, SHORTEST = 8.0, 1e-4
"""Seconds that a stretch lasts at most, and to which what comes to bends is followed ahead."""

SHORTER = 0.8
"""By how much a stretch is shortened until it is true."""

BRIEF = 0.25
"""How long a series must serve, as a share of what a step would, or a step is taken."""

MOST_OF_SERIES = 2.0
"""How much what acts may change within a series at most, as a share of all of it."""

MOST_TRIES = 200


@inner
def foreseen(par, v, dt):
    """Whether a flight is followed ahead: where drag is so stiff that a tick of ``dt`` s is many steps, it is not.

    Nor is it where a top or lowest speed is so low that it would be followed too closely.
    """
    if par["bends"] != FORESEEN or steps_for(par, v, dt) > SMOOTH:
        return False
    return par["careful"] == 0 or unbent(par, math.sqrt(dot(v, v))) >= SHORTEST


@cold
def ahead(k, i, start, late):
    """Place and velocity of a projectile ``late`` seconds after ``start`` (clock), which its flight has reached.

    The stretch in which that is stays written: who asks next mostly asks for the same.
    """
    q, one = k.flight[i], k.stretches[i]
    if not follows(q, one) or (start - one["t0"]) / UNITS + late < 0.0:
        one["of"], one["end"] = q["t0"], q["t0"]
        put(one["of_p"], vec(q["p0"]))
        put(one["of_v"], vec(q["v0"]))
        foresee(k, i, vec(q["p0"]), vec(q["v0"]))
    while True:
        over = (start - one["end"]) / UNITS + late > 0.0
        p, v = on_stretch(one, (one["end"] - one["t0"]) / UNITS if over else (start - one["t0"]) / UNITS + late)
        if not over:
            return p, v
        foresee(k, i, p, v)


@inner
def follows(q, one):
    """Whether a stretch is of the flight whose beginning a projectile's row tells."""
    if one["of"] != q["t0"] or one["end"] == 0:
        return False
    same = True
    for c in range(3):
        same = same and one["of_p"][c] == q["p0"][c] and one["of_v"][c] == q["v0"][c]
    return same


@cold
def goes_over(k, i, sees, time):
    """Let a projectile's flight begin where its stretch does: what lies before ``time`` (clock) is not asked for again.

    sees : whether it is followed ahead; if not, and once it is, that begins where it is now, at that time.
    """
    q = k.flight[i]
    if not sees:
        q["t0"] = time
        put(q["p0"], vec(q["p"]))
        put(q["v0"], vec(q["v"]))
        return
    one = k.stretches[i]
    if one["t0"] <= time and follows(q, one):
        q["t0"] = one["of"] = one["t0"]
        for c in range(3):
            q["p0"][c] = one["of_p"][c] = one["c"][0, c]
            q["v0"][c] = one["of_v"][c] = one["c"][1, c]


@inner
def asleep(k, i, time):
    """Where a projectile that sleeps is at ``time`` (clock), and how fast."""
    q = k.flight[i]
    par = k.params[int(q["param"])]
    if par["bends"] != 0:
        return ahead(k, i, time, 0.0)
    age, a, v0 = (time - q["t0"]) / UNITS, vec(par["a"]), vec(q["v0"])
    return arc(vec(q["p0"]), v0, a, age), along(v0, a, age)


@inner
def on_stretch(one, x):
    """Place and velocity ``x`` seconds after a stretch began (Horner's rule for both)."""
    c = one["c"]
    p, v = NOWHERE, NOWHERE
    for n in range(DEGREE, -1, -1):
        v = (v[0] * x + p[0], v[1] * x + p[1], v[2] * x + p[2])
        p = (p[0] * x + c[n, 0], p[1] * x + c[n, 1], p[2] * x + c[n, 2])
    return p, v


def on_stretches(rows: np.ndarray, time: int) -> tuple[np.ndarray, np.ndarray]:
    """Places and velocities (n, 3) at a time (clock), each on its stretch: as ``on_stretch``, to the bit."""
    x, c = ((time - rows["t0"]) / UNITS)[:, None], rows["c"]
    p = v = np.zeros((len(rows), 3))
    for n in range(DEGREE, -1, -1):
        v, p = v * x + p, p * x + c[:, n]
    return p, v


@cold
def corridor(k, i, time, most, aside):
    """A parabola near to a flight from a ``time`` (clock) on, at which its row tells where it is.

    Returns for how long that is, its acceleration, and by how much it may be off. most : seconds that it is asked for.
    aside : units that it may be off at most: it is told for a shorter time else, and for none that may cross a bound.
    """
    q, one, w = k.flight[i], k.stretches[i], k.world[0]
    x, c, p, v = (time - one["t0"]) / UNITS, one["c"], vec(q["p"]), vec(q["v"])
    s, off, a = min(most, (one["end"] - time) / UNITS), 0.0, NOWHERE
    for _ in range(MOST_TRIES):
        # A parabola through both ends, with the velocity of the first, is off by 2/81 s³ times the third derivative.
        jerk = 0.0
        for n in range(DEGREE, 2, -1):
            size = abs(c[n, 0]) + abs(c[n, 1]) + abs(c[n, 2])
            jerk = jerk * (x + s) + n * (n - 1.0) * (n - 2.0) * size
        off = jerk * s * s * s * (2.0 / 81.0)
        p1, _ = on_stretch(one, x + s)
        a = through_ends(p, v, p1, v, s)
        low, high = box_of_arc(a, s, p, p1, off)
        inside = aside == math.inf or w["bounded"] == 0
        if not inside:
            inside = True
            for m in range(3):
                inside = inside and low[m] >= w["low"][m] and high[m] <= w["high"][m]
        if off <= aside and inside:
            break
        s = SHORTER * s
    return s, a, off


@cold
def foresee(k, i, p, v):
    """Write the next stretch of a flight, from where the one before ends: how long it lasts, and its polynomial."""
    one, par = k.stretches[i], k.params[int(k.flight[i]["param"])]
    start, age, company, most = int(one["end"]), 0.0, ALONE, LONGEST
    one["t0"] = start
    put(one["c"][0], p)
    put(one["c"][1], v)
    speed = math.sqrt(dot(v, v))
    stiff = stiffness(par, speed)
    step = min(FIRST / stiff if stiff > 0.0 else most, most)
    if par["careful"] != 0:
        g = k.guides[i]
        age = (start - g["began"]) / UNITS
        company = (NOWHERE, NOWHERE, NOWHERE, age, 0.0, g["began"] / UNITS, vec(g["way"]), float(g["pace"]))
        step = min(step, min(next_change(par, age + EARLIER) - age, unbent(par, speed)))
    counts = 0
    if par["careful"] == 0:
        counts = serves(par, v, min(most, MOST_OF_SERIES / stiff) if stiff > 0.0 else most, k.stages)
    if counts <= BRIEF * step * UNITS:
        stepped = one_step(par, age, v, step, company, k.stages, one["c"])
        one["end"] = start + stepped
        if stepped >= counts:
            return
        series(par, v, k.stages)
    one["end"] = start + counts
    for n in range(DEGREE - 1):
        for c in range(3):
            one["c"][n + 2, c] = k.stages[n + 1, c] / (n + 2.0)


@inner
def serves(par, v, h, stages):
    """Write the series of a velocity; for how many counts, within ``h`` seconds, it may be broken off where it is."""
    series(par, v, stages)
    a, speed, last = vec(par["a"]), float(stages[0, 3]), DEGREE - 1
    pull, sizes = math.sqrt(dot(a, a)), (length(stages, last - 1), length(stages, last))
    for _ in range(MOST_TRIES):
        grown, allowed = 1.0, LEFT_OUT * (speed + pull * h)
        for _ in range(last - 1):
            grown *= h
        if (sizes[0] + sizes[1] * h) * grown <= allowed:
            if par["square"] == 0.0:
                return int(h * UNITS)
            # The speed has a series too, which goes on below 0 where the way turns back through no speed at all.
            w, s = NOWHERE, 0.0
            for n in range(last - 1, -1, -1):
                w, s = (w[0] * h + stages[n, 0], w[1] * h + stages[n, 1], w[2] * h + stages[n, 2]), s * h + stages[n, 3]
            if speed > 0.0 and abs(math.sqrt(dot(w, w)) - s) <= allowed:
                return int(h * UNITS)
        h = SHORTER * h
    return 0


@inner
def length(rows, n):
    """Length of the vector that the first three of a row are."""
    v = (rows[n, 0], rows[n, 1], rows[n, 2])
    return math.sqrt(dot(v, v))


@inner
def one_step(par, age, v, h, company, stages, c):
    """Write the polynomial of one step of at most ``h`` seconds; returns how many counts it is."""
    a = vec(par["a"])
    speed, pull = math.sqrt(dot(v, v)) + company[7], math.sqrt(dot(a, a)) + abs(float(par["thrust"]))
    q, u, counts, allowed = v, v, 1, ALLOWED if par["careful"] != 0 else ALLOWED_ALONE
    for _ in range(MOST_TRIES):
        counts = max(int(h * UNITS + 0.5), 1)
        h = counts / UNITS
        q, u, error = pair(par, age, NOWHERE, v, h, company, stages)
        # What is no number is not mended by a shorter step.
        if counts == 1 or not error > allowed * (speed + pull * h) * h:
            break
        h = 0.5 * h
    for m in range(3):
        first, end = stages[0, m], stages[6, m]
        d = (q[m] - v[m] * h - 0.5 * first * h * h) / (h * h * h)
        e, f = (u[m] - v[m] - first * h) / (h * h), (end - first) / h
        c[2, m] = 0.5 * first
        c[3, m] = 10.0 * d - 4.0 * e + 0.5 * f
        c[4, m] = (7.0 * e - 15.0 * d - f) / h
        c[5, m] = (6.0 * d - 3.0 * e + 0.5 * f) / (h * h)
        for n in range(6, DEGREE + 1):
            c[n, m] = 0.0
    return counts
