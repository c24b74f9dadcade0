"""Launches one after another: where each flies, how far it comes, and which of them meets what is asked for.

The unknowns are the launch velocity w and the time of flight T. Three equations say that the flight meets the point
at T, a fourth says what is given (speed, elevation, time, ...); Newton's method solves them from a launch near by.
Units, s, degrees. Source: shooting methods, as in any text on two-point boundary value problems.
"""

from __future__ import annotations

import math

import numpy as np

from nivvo.core import pool
from nivvo.core._jit import cold, inner, kernel
from nivvo.core.flying.flight import glide, kick, piece, stepped, steps_for
from nivvo.core.flying.forces import EARLIER, acceleration
from nivvo.core.numbers.vec import along, arc, dot, sub, vec
from nivvo.core.pool import EXACT

FLY, TOP, LEVEL, TIME, SPEED, ELEVATION, ARRIVAL = range(7)
"""What is asked: where a flight is after a time; its highest point within it, or where it comes down to a level; else
the launch that meets a point, of which the time, the speed, the elevation or that of its arrival is given."""

ROUNDS, CROSSINGS = 40, 40
STUCK, ROUGH = 8, 1e-6
"""Rounds of Newton's method without one that is nearer, after which none is expected; how near is near enough then."""

ROUNDING = 1e-14
COARSE = 16
MOST_EVEN = 256
"""Even steps that a flight is cut into; drag that asks for more is followed by error."""

_STAGE = (0.0, 0.5, 0.5, 1.0)
_SHARE_OF_V = (1.0, 2.0, 2.0, 1.0)
_SHARE_OF_P = (1.0, 1.0, 1.0, 0.0)


def room() -> tuple[np.ndarray, np.ndarray]:
    """What a flight's stages and the equations are written to; each call has its own, for threads."""
    return np.zeros((7, 3)), np.zeros((4, 5))


@kernel
def shots(acts, rule, dt, asked, marks, launches, out, scratch):
    """What is ``asked`` of ``launches`` (n, 4), velocities with times, written to ``out`` (n, 6).

    acts : two rows of ``pool.PARAMS``: what acts, and the same in exact step, for slopes. rule : a code of
    ``pool.STEPS``, by how much fewer steps to take in exact step than the flight itself would, and when it begins (s of
    the world). dt : seconds of the ticks (own steps). asked : a code above, and the unit vector up. marks : (n, 15)
    of what is to be met, place, velocity and acceleration, the velocity that is inherited, and what is given; sine and
    cosine of what is an elevation; of LEVEL its height comes first. out : of FLY displacement and velocity; of TOP the
    height; of LEVEL the distance, -inf if it never gets so high; else the velocity, nan if none is found, the time, and
    by how much the speed that is needed changes with the time (units/s²).
    """
    kind, up = asked
    for i in range(launches.shape[0]):
        one, time = (launches[i, 0], launches[i, 1], launches[i, 2]), launches[i, 3]
        if kind == FLY:
            p, v = flown(acts[0], rule, dt, one, time, scratch[0])
        elif kind in (TOP, LEVEL):
            rise = marks[i, 0] if kind == LEVEL else math.nan
            p, v = _come_down(acts[0], rule, dt, (one, up, rise), time, scratch[0]), one
        else:
            p, when, slope = _met(acts, rule, dt, (kind, up), marks[i], (one, time), scratch)
            v = (when, slope, 0.0)
        for k in range(3):
            out[i, k] = p[k]
            out[i, 3 + k] = v[k]


@cold
def flown(row, rule, dt, w, time, stages):
    """Displacement and velocity ``time`` s after a launch; nan beyond the ticks that there are."""
    step, coarse, born = rule
    q, u, left = (0.0, 0.0, 0.0), w, time
    company, pace = pool.ALONE, math.sqrt(dot(u, u))
    if row["careful"] != 0 and pace > 0.0:
        company = (q, q, q, 0.0, 0.0, born, (u[0] / pace, u[1] / pace, u[2] / pace), pace)
    if step == EXACT:
        if left > 0.0:
            count = 1 + 2 * steps_for(row, u, left) // coarse
            if count <= MOST_EVEN and row["careful"] == 0:
                q, u = evenly(row, 0.0, q, u, left, count, company)
            else:
                q, u = glide(row, 0.0, q, u, left, count, company, stages)
            left = 0.0
    else:
        age = 0.0
        for k in range(dt.shape[0]):
            if not left > 0.0:
                break
            # The engine counts ages in whole numbers: what comes and goes at a tick's edge does so in that tick.
            b = acceleration(row, age, q, u, company, age + EARLIER)
            w1 = kick(row, age, q, u, b, dt[k], company)
            if left <= dt[k]:
                u, b = piece(step, q, u, b, dt[k], w1)
                q = along(q, u, left)
            else:
                q, u = stepped(step, (q, u), b, dt[k], (q, u, 0.0), w1)
            left -= dt[k]
            age += dt[k]
    if not left <= 0.0:
        q = u = (math.nan, math.nan, math.nan)
    return q, u


@inner
def evenly(row, t, p, v, h, count, company):
    """Position and velocity ``h`` s after ``t`` under gentle drag, in so many equal steps."""
    s = h / count
    for k in range(count):
        p, v = runge_kutta(row, t + k * s, p, v, s, company)
    return p, v


@inner
def runge_kutta(row, t, p, v, s, company):
    """One step of ``s`` seconds from ``t`` under forces (Runge and Kutta, fourth order)."""
    k = (0.0, 0.0, 0.0)
    dv, dp, u = k, k, v
    for stage in range(4):
        q, u = along(p, u, _STAGE[stage] * s), along(v, k, _STAGE[stage] * s)
        k = acceleration(row, t + _STAGE[stage] * s, q, u, company, t + 0.5 * s)
        dv = along(dv, k, _SHARE_OF_V[stage])
        dp = along(dp, k, _SHARE_OF_P[stage])
    return along(along(p, v, s), dp, s * s / 6.0), along(v, dv, s / 6.0)


@inner
def _lack(row, rule, dt, way, time, stages):
    """By how much a flight has ceased to rise (no level given), or lacks of a level, which it comes down to."""
    w, up, rise = way
    p, v = flown(row, rule, dt, w, time, stages)
    return -dot(v, up) if rise != rise else rise - dot(p, up)


@cold
def _crossed(row, rule, dt, way, low, high, stages):
    """The time from ``low`` to ``high`` at which what lacks comes to 0; the end beyond which it does, if any.

    False position, where an end that stays twice counts half (the Illinois rule), with a halving every third time;
    where a flight is nan it counts as below zero.
    """
    at_low, at_high = _lack(row, rule, dt, way, low, stages), _lack(row, rule, dt, way, high, stages)
    if at_low >= 0.0 or at_high <= 0.0:
        return low if at_low >= 0.0 else high
    near = ROUNDING * (abs(at_low) if abs(at_low) > abs(at_high) else abs(at_high))
    best, off, side = high, math.inf, 0
    for nth in range(CROSSINGS):
        x = (low * at_high - high * at_low) / (at_high - at_low) if at_high != at_low else low
        if not low < x < high or nth % 3 == 2:
            x = 0.5 * (low + high)
        y = _lack(row, rule, dt, way, x, stages)
        if abs(y) < off:
            best, off = x, abs(y)
        if off <= near or high - low <= 1e-15 * abs(high):
            break
        if y > 0.0:
            low_counts = 0.5 if side > 0 else 1.0
            high, at_high, at_low, side = x, y, low_counts * at_low, 1
        else:
            high_counts = 0.5 if side < 0 else 1.0
            low, at_low, at_high, side = x, y, high_counts * at_high, -1
    return best


@cold
def _come_down(row, rule, dt, way, time, stages):
    """Of one flight within ``time`` s how high it gets, or how far it has come where it is down at a level.

    Returned first of three numbers, as the others of ``shots``.
    """
    w, up, rise = way
    top = _crossed(row, rule, dt, (w, up, math.nan), 0.0, time, stages)
    p, _ = flown(row, rule, dt, w, top, stages)
    found = dot(p, up)
    if rise == rise:
        if found >= rise:
            p, _ = flown(row, rule, dt, w, _crossed(row, rule, dt, way, top, time, stages), stages)
            flat = along(p, up, -dot(p, up))
            found = math.sqrt(dot(flat, flat))
        else:
            found = -math.inf
    return found, 0.0, 0.0


@cold
def _slopes(row, rule, dt, shot, equations, stages, of):
    """d displacement (``of`` 0) or d velocity (1) / d launch velocity, to ``equations``, by differences of flights."""
    w, time = shot
    step, rule = 1e-4 * max(math.sqrt(dot(w, w)), 1e-3), (EXACT, COARSE, rule[2])
    p, v = flown(row, rule, dt, w, time, stages)
    base = v if of == 1 else p
    for j in range(3):
        moved = (w[0] + (step if j == 0 else 0.0), w[1] + (step if j == 1 else 0.0), w[2] + (step if j == 2 else 0.0))
        p, v = flown(row, rule, dt, moved, time, stages)
        there = v if of == 1 else p
        for i in range(3):
            equations[i, j] = (there[i] - base[i]) / step


@cold
def _solved(m, n):
    """Solve n equations, rows of ``m`` with the right sides in column n; the solution is left there. nan if singular.

    Gauss's method with pivots, spelt out: libraries add up in another order on another processor.
    """
    for k in range(n):
        best = k
        for i in range(k + 1, n):
            if abs(m[i, k]) > abs(m[best, k]):
                best = i
        for j in range(n + 1):
            m[k, j], m[best, j] = m[best, j], m[k, j]
        for i in range(k + 1, n):
            share = m[i, k] / m[k, k] if m[k, k] != 0.0 else math.nan
            for j in range(k, n + 1):
                m[i, j] -= share * m[k, j]
    for k in range(n - 1, -1, -1):
        rest = m[k, n]
        for i in range(k + 1, n):
            rest -= m[k, i] * m[i, n]
        m[k, n] = rest / m[k, k] if m[k, k] != 0.0 else math.nan


@cold
def _met(acts, rule, dt, asked, mark, near, scratch):
    """Newton's method on (w, T) from ``near``: velocity, time, and slope as of ``_slope``; nan if it goes nowhere."""
    to, velocity, bend = (mark[0], mark[1], mark[2]), (mark[3], mark[4], mark[5]), (mark[6], mark[7], mark[8])
    own, (w, time), (stages, m), a = (mark[9], mark[10], mark[11]), near, scratch, vec(acts[0]["a"])
    none = (math.nan, math.nan, math.nan), math.nan, math.nan
    if not dot(w, w) + time * time < math.inf:
        return none
    size = math.sqrt(dot(to, to)) + math.sqrt(dot(a, a)) * time * time + 1e-300
    best, kept, stuck = math.inf, near, 0
    for _ in range(ROUNDS):
        p, v = flown(acts[0], rule, dt, w, time, stages)
        miss, r = sub(p, arc(to, velocity, bend, time)), sub(w, own)
        rest, by_w, by_time, counts = _given(acts, rule, dt, asked, mark, (w, time, v, r), scratch)
        error = math.sqrt(dot(miss, miss)) / size + abs(rest) / max(counts, 1e-12)
        if not error < math.inf:
            return none
        pace = sub(v, along(velocity, bend, time))
        _slopes(acts[1], rule, dt, (w, time), m, stages, 0)
        # A step stops to help once rounding is all that is left.
        if error <= 1e-11 or (error <= 1e-9 and error >= 0.5 * best):
            return w, time, _slope(m, pace, r)
        stuck += 1
        if error < best:
            best, kept, stuck = error, (w, time), 0
        if stuck > STUCK:
            break
        for i in range(3):
            m[i, 3], m[i, 4], m[3, i] = pace[i], miss[i], by_w[i]
        m[3, 3], m[3, 4] = by_time, rest
        _solved(m, 4)
        move = (m[0, 4], m[1, 4], m[2, 4])
        shrink = min(1.0, 0.5 * time / max(abs(m[3, 4]), 1e-300))
        shrink = min(shrink, 0.5 * max(math.sqrt(dot(w, w)), 1e-9) / max(math.sqrt(dot(move, move)), 1e-300))
        w, time = along(w, move, -shrink), time - shrink * m[3, 4]
    if best > ROUGH:
        return none
    # Through the edge of a wind a flight comes in steps of that size: the nearest that was found serves.
    w, time = kept
    _, v = flown(acts[0], rule, dt, w, time, stages)
    _slopes(acts[1], rule, dt, kept, m, stages, 0)
    return w, time, _slope(m, sub(v, along(velocity, bend, time)), sub(w, own))


@inner
def _given(acts, rule, dt, asked, mark, now, scratch):
    """What is given: how far off it is, its slopes by the velocity and the time, and its size, to measure that by."""
    (kind, up), (w, time, v, r), (stages, m) = asked, now, scratch
    value, sine, cosine, none = mark[12], mark[13], mark[14], (0.0, 0.0, 0.0)
    fast = math.sqrt(dot(r, r))
    if kind == TIME:
        return time - value, none, 1.0, abs(value)
    if kind == SPEED:
        return fast - value, along(none, r, 1.0 / fast if fast > 0.0 else 0.0), 0.0, abs(value)
    way, by_time = r if kind == ELEVATION else v, 0.0
    rise = dot(way, up)
    flat = along(way, up, -rise)
    level = math.sqrt(dot(flat, flat))
    by_w = along(along(none, up, cosine), flat, -sine / level if level > 0.0 else 0.0)
    if kind == ARRIVAL:
        _, later = flown(acts[0], rule, dt, w, time * (1.0 + 1e-6), stages)
        by_time = dot(by_w, sub(later, v)) / (1e-6 * time)
        _slopes(acts[1], rule, dt, (w, time), m, stages, 1)
        by_w = along(along(along(none, vec(m[0]), by_w[0]), vec(m[1]), by_w[1]), vec(m[2]), by_w[2])
    return rise * cosine - level * sine, by_w, by_time, fast


@inner
def _slope(m, pace, r):
    """By how much the speed that is needed changes with the time of flight (units/s²), along solutions.

    m : the slopes of the displacement. pace : by how much a later flight is farther. r : the velocity, of its own.
    """
    for i in range(3):
        m[i, 3] = -pace[i]
    _solved(m, 3)
    return (r[0] * m[0, 3] + r[1] * m[1, 3] + r[2] * m[2, 3]) / math.sqrt(dot(r, r))
