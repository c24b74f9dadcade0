"""Homing: how a projectile steers toward something that moves.

Laws that keep the speed turn the velocity, at most at a rate (rad/s) and with a sideways acceleration (units/s²):

pursuit         it points at its target, and turns with the line of sight; what angle is left goes at ``gain`` (1/s)
lead            it points at where it would meet its target if both went on as they do
proportional    it turns ``gain`` times as fast as the line of sight does (proportional navigation)

``blend`` draws the velocity toward the target, at the speed of the launch, at ``gain`` (1/s), and keeps no speed.
Source: P. Zarchan, Tactical and Strategic Missile Guidance; the blending as games write it.
"""

from __future__ import annotations

import math

from nivvo.core._jit import inner
from nivvo.core.numbers.trig import sine_and_cosine
from nivvo.core.numbers.vec import along, arc, cross, dot, sub
from nivvo.core.pool import BLEND, LEAD, PROPORTIONAL

NOWHERE = (0.0, 0.0, 0.0)


@inner
def seen(t, p, v, company):
    """Where the target is from a projectile, and the target's velocity."""
    c, u, b, since = company[0], company[1], company[2], company[3]
    s = t - since
    return sub(arc(c, u, b, s), p), along(u, b, s)


@inner
def wanted(row, to, v, u):
    """The way that a projectile should point: at its target, or to where it would meet it."""
    if row["law"] != LEAD:
        return to
    square, half, rest = dot(u, u) - dot(v, v), dot(to, u), dot(to, to)
    time = -1.0
    if square == 0.0:
        if half < 0.0:
            time = -rest / (2.0 * half)
    else:
        under = half * half - square * rest
        if under >= 0.0:
            root = math.sqrt(under)
            first, second = (-half - root) / square, (-half + root) / square
            low, high = min(first, second), max(first, second)
            time = low if low > 0.0 else high
    return along(to, u, time) if time > 0.0 else to


@inner
def across(way, v):
    """The unit vector across ``v`` toward ``way``, sine and cosine of the angle between; of no length if unknown."""
    speed, far = math.sqrt(dot(v, v)), math.sqrt(dot(way, way))
    if speed == 0.0 or far == 0.0:
        return NOWHERE, 0.0, 1.0
    c = dot(way, v) / (speed * far)
    side = along(way, v, -dot(way, v) / (speed * speed))
    long = math.sqrt(dot(side, side))
    if long <= 1e-14 * far:
        if c > 0.0:
            return NOWHERE, 0.0, 1.0
        # Straight behind: to the left in the plane, or away from the third axis.
        side = (-v[1], v[0], 0.0) if v[0] != 0.0 or v[1] != 0.0 else (1.0, 0.0, 0.0)
        long, far = math.sqrt(dot(side, side)), math.inf
    return (side[0] / long, side[1] / long, side[2] / long), long / far, c


@inner
def steering(row, t, p, v, company):
    """The acceleration of a projectile that steers toward ``company``, units/s²."""
    to, u = seen(t, p, v, company)
    speed, far = math.sqrt(dot(v, v)), dot(to, to)
    if far == 0.0:
        return NOWHERE
    gain, most = float(row["gain"]), float(row["side"])
    if row["law"] == BLEND:
        pace = company[7] / math.sqrt(far)
        a = ((to[0] * pace - v[0]) * gain, (to[1] * pace - v[1]) * gain, (to[2] * pace - v[2]) * gain)
    else:
        most = min(most, float(row["rate"]) * speed)
        a = NOWHERE
        if row["law"] != LEAD:
            turn = cross(to, sub(u, v))
            a = cross(turn, v)
            share = (gain if row["law"] == PROPORTIONAL else 1.0) / far
            a = (a[0] * share, a[1] * share, a[2] * share)
        if row["law"] != PROPORTIONAL:
            n, s, c = across(wanted(row, to, v, u), v)
            rest = most if 1.0 + c <= 1e-12 else gain * speed * 2.0 * s / (1.0 + c)
            a = along(a, n, min(rest, 10.0 * most))
    size = math.sqrt(dot(a, a))
    if size > most:
        share = most / size
        return a[0] * share, a[1] * share, a[2] * share
    return a


@inner
def of_turn(row, most):
    """Sine and cosine of the angle that is turned in a tick: most often that of the tick before, kept in the row."""
    if row["turn"][0] != most:
        s, c = sine_and_cosine(most)
        row["turn"][0], row["turn"][1], row["turn"][2] = most, s, c
    return float(row["turn"][1]), float(row["turn"][2])


@inner
def turned(row, t, p, v, h, company):
    """A velocity that a game turns once a tick of ``h`` seconds: straight at it if that is within its rate."""
    to, u = seen(t, p, v, company)
    speed = math.sqrt(dot(v, v))
    if speed == 0.0 or dot(to, to) == 0.0:
        return v
    most = min(float(row["rate"]), float(row["side"]) / speed) * h
    if row["law"] == PROPORTIONAL:
        rate = cross(cross(to, sub(u, v)), v)
        size = math.sqrt(dot(rate, rate))
        if size == 0.0:
            return v
        n = (rate[0] / size, rate[1] / size, rate[2] / size)
        most = min(most, float(row["gain"]) * size / (dot(to, to) * speed) * h)
    else:
        way = wanted(row, to, v, u)
        far = math.sqrt(dot(way, way))
        if far == 0.0:
            return v
        # What can point straight at it does so in most ticks: that is seen without the sine and cosine.
        on, x = dot(way, v), most * most
        off = on / (speed * far)
        s, c = 0.0, 1.0
        straight = most >= math.pi or off >= 1.0 - x * (0.5 - x / 24.0)
        if not straight:
            s, c = of_turn(row, most)
            straight = off >= c
        if straight:
            share = speed / far
            return way[0] * share, way[1] * share, way[2] * share
        side = along(way, v, -on / (speed * speed))
        wide = math.sqrt(dot(side, side))
        if wide <= 1e-14 * far:
            side, _, _ = across(way, v)
            wide = 1.0
        return along((v[0] * c, v[1] * c, v[2] * c), side, speed * s / wide)
    s, c = sine_and_cosine(most)
    return along((v[0] * c, v[1] * c, v[2] * c), n, speed * s)
