"""What acts on a projectile in the air: each force is its fields in a row of ``pool.PARAMS`` and its function here.

The tick, and whoever solves a launch through the forces, ask ``acceleration`` of the same row. ``t`` is s since the
launch, ``p`` and ``v`` place and velocity, ``company`` what a flight goes by beside itself (``pool.ALONE``), ``middle``
the middle of the step for whose sake it is asked: what acts then, acts in all of it. A force takes of them what it
needs. A new force adds its fields to the row, its function, its term in ``acceleration`` and in
``stiffness``, when it begins and ends to ``next_change``, and its part of ``acting``.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core._jit import cold, inner
from nivvo.core.flying.guidance import steering
from nivvo.core.geometry.turning import rotated
from nivvo.core.numbers.trig import sine
from nivvo.core.numbers.vec import along, dot, put, sub, vec
from nivvo.core.pool import BLEND, BRAKES, DEGREE, FORESEEN, ON_LAUNCH, ON_SPIN

NOWHERE = (0.0, 0.0, 0.0)

TAPER = 0.02
"""Share of a top or lowest speed over which what would break it fades."""

EARLIER = 1e-12
"""Seconds within which a time at which something changes counts as come."""

CLOSELY = 0.25
"""Share of that within which it is followed how it fades."""

AT_TOP = 1e-12
"""Share of a top speed by which one that is greater is as good as that."""

CUT = 100.0
"""1/s: how fast a speed above a top that is cut comes down, in exact step."""

GUSTS = (1.0, 1.618033988749895, 2.414213562373095)
"""How fast the waves of gusting wind are, of its rate: none is a multiple of another."""


class Acts(NamedTuple):
    """What acts on a projectile beside a constant acceleration.

    linear (1/s), square (1/unit) : drag, against the air, which moves with wind (3,), units/s, in gusts : its share
    that comes and goes, how fast (rad/s), three phases (rad). zones : regions with a wind of their own, as ``zone_of``
    gives. factor : what velocity is multiplied by each tick of a game's own step. thrust : units/s², from and until
    when (s), a code of ``pool.THRUSTS``. spin : of where it points (rad/s), about a unit vector (3,), and whether it is
    mirrored for what leaves along -x. top : units/s, a code of ``pool.TOPS``. lowest : units/s. homing : (law, toward,
    gain, rate in rad/s, sideways in units/s², from, until). sway : across and up (units), rate (rad/s), over how many s
    it grows. orbit : radius (units), rate (rad/s), over how many s it is reached, counts until it is let go.
    """

    linear: float = 0.0
    square: float = 0.0
    factor: float = 1.0
    wind: tuple = (0.0, 0.0, 0.0)
    gusts: tuple = (0.0, 0.0, (0.0, 0.0, 0.0))
    zones: tuple = ()
    thrust: tuple = (0.0, 0.0, math.inf, pool.ON_VELOCITY)
    spin: tuple = (0.0, (0.0, 0.0, 1.0), False)
    top: tuple = (math.inf, pool.HOLDS)
    lowest: float = 0.0
    homing: tuple | None = None
    sway: tuple = (0.0, 0.0, 0.0, 0.0)
    orbit: tuple = (0.0, 0.0, 0.0, 0)


def acting(a, **what: Any) -> np.ndarray:
    """A row of ``pool.PARAMS`` in which all that acts is set: ``a``, (3,) units/s², and by name what ``Acts`` has."""
    one = Acts(**what)
    row = pool.zeros(1, pool.PARAMS)
    row["a"], row["linear"], row["square"], row["factor"] = a, one.linear, one.square, one.factor
    row["wind"] = one.wind
    row["gust"], row["gust_rate"], row["phases"] = one.gusts
    row["thrust"], row["burns"][0, 0], row["burns"][0, 1], row["thrusts"] = one.thrust
    row["spin"], row["spins_about"], row["mirrors"] = one.spin
    row["top"], row["tops"] = one.top
    row["lowest"] = one.lowest
    row["seeks"], row["flown"], row["age"] = (0.0, math.inf), math.inf, pool.FOREVER
    if one.homing is not None:
        row["law"], row["toward"], row["gain"], row["rate"], row["side"], row["seeks"][0, 0], row["seeks"][0, 1] = (
            one.homing
        )
    row["sway"][0, 0], row["sway"][0, 1], row["sway_rate"], row["grows"] = one.sway
    row["orbit"], row["orbit_rate"] = one.orbit[:2]
    row["zones"] = len(one.zones)
    for k, zone in enumerate(one.zones):
        row["zone"][0, k] = zone
    row["winds"] = np.any(row["wind"] != 0.0) or len(one.zones) > 0
    moved = one.orbit[0] != 0.0
    if moved:
        row["grows"], row["frees"] = one.orbit[2:]
    row["driven"] = one.thrust[0] != 0.0 or math.isfinite(one.top[0]) or one.lowest > 0.0 or one.homing is not None
    row["shifts"] = 2 if moved else int(any(one.sway[:2]))
    guided = bool(row["driven"][0] or row["shifts"][0])
    row["careful"] = guided or (bool(row["winds"][0]) and (one.gusts[0] != 0.0 or len(one.zones) > 0))
    row["guided"] = guided
    if one.linear != 0.0 or one.square != 0.0 or bool(row["careful"][0]):
        # Whom it follows or goes round may turn, and a step may go over a region without seeing it.
        row["bends"] = pool.BENDS if one.homing is not None or moved or any(one.sway[:2]) or one.zones else FORESEEN
    return row


@inner
def acceleration(row, t, p, v, company, middle):
    """The acceleration of a projectile, units/s²."""
    w = v
    if row["winds"] != 0:
        w = sub(v, wind(row, t + company[5], p))
    a = drag(row, w, vec(row["a"]))
    if row["driven"] != 0:
        a = thrust(row, t, v, company[6], a) if row["burns"][0] <= middle < row["burns"][1] else a
        if company[4] != 0.0 and row["seeks"][0] <= middle < row["seeks"][1]:
            b = steering(row, t, p, v, company)
            a = (a[0] + b[0], a[1] + b[1], a[2] + b[2])
        a = within_speeds(row, v, a)
    return a


@inner
def stiffness(row, speed):
    """How much the acceleration changes with velocity, at most, up to a ``speed`` (1/s)."""
    most = float(row["linear"]) + 2.0 * float(row["square"]) * speed
    if row["careful"] != 0:
        if row["law"] == BLEND:
            most += float(row["gain"])
        elif row["law"] != 0:
            most += min(float(row["rate"]), 60.0)
        if row["thrusts"] == ON_SPIN:
            most += abs(float(row["spin"]))
        if row["shifts"] != 0:
            most += max(float(row["sway_rate"]), abs(float(row["orbit_rate"])))
    return most


@inner
def next_change(row, t):
    """When after ``t`` something begins or ends to act; inf if nothing does."""
    first = math.inf
    for k in range(2):
        for time in (float(row["burns"][k]), float(row["seeks"][k])):
            if t < time < first:
                first = time
    return first


@inner
def unbent(row, speed):
    """For how many seconds, about, what acts comes to no bend, or is to be followed closely.

    It bends where a top or lowest speed begins to hold, and where it holds at all.
    """
    least, top, lowest, a = math.inf, float(row["top"]), float(row["lowest"]), vec(row["a"])
    if top < math.inf or lowest > 0.0:
        pull = math.sqrt(dot(a, a)) + abs(float(row["thrust"])) + stiffness(row, speed) * speed
        if row["tops"] == BRAKES and speed > top * (1.0 + AT_TOP):
            pull, least = pull + CUT * (speed - top), CLOSELY / CUT
        for edge in (top * (1.0 - TAPER), top, lowest, lowest * (1.0 + TAPER)):
            if 0.0 < edge < math.inf and pull > 0.0:
                least = min(least, max(abs(speed - edge), CLOSELY * TAPER * edge) / pull)
    return least


@inner
def drag(row, v, a):
    """An acceleration with drag in it: a - (linear + square |v|) v, with v against the air."""
    return along(a, v, -(float(row["linear"]) + float(row["square"]) * math.sqrt(dot(v, v))))


@cold
def series(row, v, stages):
    """Write the Taylor series of a velocity under drag alone to ``stages``, term n of it to row n (DEGREE rows).

    From dw/dt = a - (linear + square |w|) w, w against the air, each term follows from those before: of the product of
    two series term n is the sum over i of the one's term i and the other's n - i, and |w| is the root of w w.
    """
    a, linear, square = vec(row["a"]), float(row["linear"]), float(row["square"])
    w = v
    if row["winds"] != 0:
        w = sub(v, vec(row["wind"]))
    put(stages[0], w)
    speed = math.sqrt(dot(w, w))
    stages[0, 3] = speed
    for n in range(DEGREE - 1):
        w, slows, squared = (stages[n, 0], stages[n, 1], stages[n, 2]), NOWHERE, 0.0
        if square != 0.0 and speed > 0.0:
            for i in range(n):
                j = n - i
                u, size = (stages[j, 0], stages[j, 1], stages[j, 2]), stages[i, 3]
                slows = along(slows, u, size)
                squared += u[0] * stages[i, 0] + u[1] * stages[i, 1] + u[2] * stages[i, 2]
                squared -= stages[j, 3] * size if i > 0 else 0.0
            if n > 0:
                squared += w[0] * stages[0, 0] + w[1] * stages[0, 1] + w[2] * stages[0, 2]
                stages[n, 3] = squared / (2.0 * speed)
            slows = along(slows, vec(stages[0]), stages[n, 3])
        x, y, z = along(along(a if n == 0 else NOWHERE, w, -linear), slows, -square)
        put(stages[n + 1], (x / (n + 1.0), y / (n + 1.0), z / (n + 1.0)))


def zone_of(at, axes, half, radius: float, velocity, edge: float) -> np.ndarray:
    """A region with a wind of its own, as numbers of a row: a box about ``at`` (3,), rounded by a radius (units).

    axes (3, 3), half (3,) : of the box, inf where it has no end. velocity (3,) : of the air in it, beside the world's,
    units/s; it fades to nothing over ``edge`` (units) outside.
    """
    return np.concatenate([at, np.ravel(axes), half, velocity, [radius, edge]])


@inner
def wind(row, time, p):
    """The wind (units/s) at a time of the world (s) and a place: as strong as it is, by its gusts, and by regions."""
    w = gusting(row, time)
    for k in range(row["zones"]):
        z = row["zone"][k]
        d = (p[0] - z[0], p[1] - z[1], p[2] - z[2])
        out = 0.0
        for axis in range(3):
            n = (z[3 + 3 * axis], z[4 + 3 * axis], z[5 + 3 * axis])
            beyond = max(abs(dot(n, d)) - z[12 + axis], 0.0)
            out += beyond * beyond
        x = max(math.sqrt(out) - z[18], 0.0) / z[19]
        if x < 1.0:
            share = 1.0 - x * x * x * (10.0 + x * (6.0 * x - 15.0))
            w = along(w, (z[15], z[16], z[17]), share)
    return w


@inner
def gusting(row, time):
    """The wind of the world at a time (s): as strong as it is, more and less by its gusts."""
    strength = 1.0
    if row["gust"] != 0.0:
        waves = 0.0
        for k in range(3):
            waves += sine(GUSTS[k] * float(row["gust_rate"]) * time + float(row["phases"][k]))
        strength += float(row["gust"]) * waves / 3.0
    w = vec(row["wind"])
    return w[0] * strength, w[1] * strength, w[2] * strength


@inner
def thrust(row, t, v, way, a):
    """An acceleration with thrust in it: along the velocity, the way of the launch, or that spinning on from it."""
    push = float(row["thrust"])
    if push == 0.0:
        return a
    if row["thrusts"] == ON_SPIN:
        return along(a, spun(row, way, t), push)
    speed = math.sqrt(dot(v, v))
    if row["thrusts"] == ON_LAUNCH or speed == 0.0:
        return along(a, way, push)
    return along(a, v, push / speed)


@inner
def spun(row, way, t):
    """Where what spins on from the way of its launch points ``t`` s later."""
    turned = row["spin"] * t
    if row["mirrors"] != 0 and way[0] < 0.0:
        turned = -turned
    return rotated(way, vec(row["spins_about"]), turned)


@inner
def within_speeds(row, v, a):
    """An acceleration of which less and less is left along the velocity that would break the top or lowest speed."""
    top, lowest = float(row["top"]), float(row["lowest"])
    if top == math.inf and lowest == 0.0:
        return a
    speed = math.sqrt(dot(v, v))
    if speed == 0.0:
        return a
    gain = dot(a, v) / speed
    if gain > 0.0 and speed > top * (1.0 - TAPER):
        share = max(top - speed, 0.0) / (TAPER * top)
        a = along(a, v, -gain * (1.0 - share) / speed)
    elif gain < 0.0 and speed < lowest * (1.0 + TAPER):
        share = max(speed - lowest, 0.0) / (TAPER * lowest)
        a = along(a, v, -gain * (1.0 - share) / speed)
    if row["tops"] == BRAKES and speed > top:
        a = along(a, v, -CUT * (speed - top) / speed)
    return a
