"""Launch solutions: the velocity that carries a projectile to a point under constant acceleration.

With D from muzzle to target, a the acceleration and t the time of flight, D = v t + a M(t), so
v = (D - a M(t)) / t. On the true parabola M = t²/2; a game's own step has its own M (``Fall``), straight
between ticks. A given speed is a root of |v(t)| in t; its two roots are the low and the high arc.

All functions take one target or many: ``to`` (..., 3), ``a`` (3,) or (..., 3), numbers (...). Units, s.
Source: the quadratic in t² of ballistics; a target that moves makes it a quartic in t.
"""

from __future__ import annotations

import bisect
import itertools
import math
from collections.abc import Callable
from functools import cached_property, partial
from typing import NamedTuple

import numpy as np

from nivvo.core.numbers.frame import added, sincos, unit
from nivvo.core.pool import EXACT, EXPLICIT, SEMI_IMPLICIT, VERLET

SHIFT = {SEMI_IMPLICIT: 1.0, EXPLICIT: -1.0, VERLET: 0.0}
LOW, HIGH = "low", "high"


class Fall:
    """M(t): how far a game's own step falls from rest in ``t`` seconds, by one unit of acceleration.

    At tick ends t²/2, and half the sum of squared ticks more (semi-implicit) or less (explicit) than that;
    straight between. ``dt`` (n,): seconds of the ticks from launch on; beyond them the parabola goes on.
    """

    def __init__(self, step: int, dt):
        dt = np.asarray(dt, dtype=float)
        self.t = np.concatenate([[0.0], np.cumsum(dt)])
        self.m = 0.5 * (self.t * self.t + SHIFT[step] * np.concatenate([[0.0], np.cumsum(dt * dt)]))
        self.longest = float(dt.max())

    def of(self, t: float) -> float:
        """M at one time."""
        t0, m0 = self._lists
        k = bisect.bisect_right(t0, t) - 1
        if k + 1 >= len(t0):
            over = t - t0[-1]
            return m0[-1] + over * (t0[-1] + 0.5 * over)
        return m0[k] + (m0[k + 1] - m0[k]) / (t0[k + 1] - t0[k]) * (t - t0[k])

    @cached_property
    def _lists(self) -> tuple[list[float], list[float]]:
        return self.t.tolist(), self.m.tolist()

    def __call__(self, t) -> np.ndarray:
        """M at times (...)."""
        over = np.maximum(t - self.t[-1], 0.0)
        return np.interp(t, self.t, self.m) + over * (self.t[-1] + 0.5 * over)

    def time(self, drop) -> np.ndarray:
        """The t > 0 with M(t) = drop, of an array of those; nan where drop is not above 0."""
        # Explicit steps fall from the second tick on alone: then M(t) is 0 for a while.
        k = np.clip(np.searchsorted(self.m, drop) - 1, 0, len(self.t) - 2)
        last, fallen = self.t[-1], drop - self.m[-1]
        with np.errstate(divide="ignore", invalid="ignore"):
            within = self.t[k] + (drop - self.m[k]) * (self.t[k + 1] - self.t[k]) / (self.m[k + 1] - self.m[k])
            beyond = last + 2.0 * fallen / (last + np.sqrt(last * last + 2.0 * fallen))
            return np.where(drop > 0.0, np.where(fallen > 0.0, beyond, within), np.nan)


def true_fall(t) -> np.ndarray:
    """M(t) of the parabola itself."""
    return 0.5 * t * t


def fall_of(step: int, dt) -> Fall | None:
    """The ``Fall`` of a step code over ticks ``dt``; None for the exact step."""
    return None if step == EXACT else Fall(step, dt)


class Launch(NamedTuple):
    """Velocities (..., 3) and times of flight (...); nan where there is no solution."""

    velocity: np.ndarray
    time: np.ndarray


def _square(v) -> np.ndarray:
    return (v * v).sum(axis=-1)


def _dot(u, v) -> np.ndarray:
    return (u * v).sum(axis=-1)


def by_time(to, a, time, *, fall: Fall | None = None) -> Launch:
    """The velocity that arrives after ``time`` seconds (> 0), on the parabola or as a game's own step falls."""
    to, a, time = (np.asarray(x, dtype=float) for x in (to, a, time))
    good = (time > 0.0) & np.isfinite(time)
    safe = np.where(good, time, 1.0)
    velocity = (to - a * (fall or true_fall)(safe)[..., None]) / safe[..., None]
    return Launch(np.where(good[..., None], velocity, np.nan), np.where(good, time, np.nan))


def by_speed(to, a, speed, arc: str = LOW, *, fall: Fall | None = None) -> Launch:
    """The low or high arc of a given speed; nan out of reach. Without acceleration there is one, the straight line."""
    to, a = np.broadcast_arrays(np.asarray(to, dtype=float), np.asarray(a, dtype=float))
    speed = np.broadcast_to(np.asarray(speed, dtype=float), to.shape[:-1])
    d2, a2 = _square(to), _square(a)
    middle = _dot(to, a) + speed * speed
    with np.errstate(divide="ignore", invalid="ignore"):
        # (|a||D|)² as a product of sums: exact reach is decided without cancelling squares.
        both = np.sqrt(a2) * np.sqrt(d2)
        root = np.sqrt((middle - both) * (middle + both))
        low = np.sqrt(2.0 * d2 / (middle + root))
        high = np.sqrt(2.0 * (middle + root) / a2)
    time = low if arc == LOW else np.where(a2 > 0.0, high, low)
    time = np.where((d2 > 0.0) & (middle > 0.0), time, np.nan)
    if fall is not None:
        time = _each(partial(_time_in_steps, arc == LOW, fall), time, to, a, speed=speed)
    return by_time(to, a, time, fall=fall)


def _each(f, near, *vectors, speed) -> np.ndarray:
    """f of vectors, a speed and a time near by, one target after another."""
    shape = np.shape(near)
    rows = [np.broadcast_to(one, (*shape, 3)).reshape(-1, 3).tolist() for one in vectors]
    rows += [np.broadcast_to(one, shape).reshape(-1).tolist() for one in (speed, near)]
    return np.array([f(*row) for row in zip(*rows, strict=True)]).reshape(shape)


def _excess(fall: Fall, speed: float, a, to, v=(0.0, 0.0, 0.0), b=(0.0, 0.0, 0.0)) -> Callable[[float], float]:
    """By how much the speed that a time needs, to meet what is at ``to`` and moves, is more than ``speed``."""

    def over(t: float) -> float:
        part, half = fall.of(t), 0.5 * t * t
        x, y, z = (d + w * t + c * half - g * part for d, w, c, g in zip(to, v, b, a, strict=True))
        return math.sqrt(x * x + y * y + z * z) / t - speed

    return over


def _time_in_steps(low: bool, fall: Fall, to, a, speed: float, near: float) -> float:
    """Time of flight at which the launch speed is ``speed`` in a game's own step; ``near`` is the exact one.

    The speed that a time needs falls from endless to a least and rises again: each arc is one side.
    """
    over = _excess(fall, speed, a, to)
    size, pull = (math.sqrt(added(x * x for x in v)) for v in (to, a))
    if size == 0.0:
        return math.nan
    h, bottom = fall.longest, math.sqrt(2.0 * size / pull) if pull > 0.0 else 1e9
    # Next to the exact time, if that is well on its side of the least.
    inner, outer = (near + 2.0 * h, near - 2.0 * h) if low else (near - 2.0 * h, near + 2.0 * h)
    beyond = inner < bottom - 2.0 * h if low else inner > bottom + 2.0 * h
    if beyond and outer > 0.0 and over(inner) <= 0.0 < over(outer):
        return _edge(over, inner, outer)
    bottom = _least(over, max(bottom - 2.0 * h, 0.1 * bottom), bottom + 2.0 * h)
    if over(bottom) > 0.0:
        return math.nan
    if low:
        return _edge(over, bottom, 1e-12)
    outer = 4.0 * bottom + 4.0 * (near if math.isfinite(near) else 0.0) + 1.0
    for _ in range(60):
        if over(outer) >= 0.0:
            break
        outer *= 2.0
    return _edge(over, bottom, outer)


def _edge(f, good: float, bad: float) -> float:
    """The last number from ``good``, where f is not above 0, toward ``bad`` at which it is not: by halving."""
    for _ in range(200):
        middle = 0.5 * (good + bad)
        if f(middle) <= 0.0:
            good = middle
        else:
            bad = middle
        if abs(good - bad) <= 4e-16 * abs(good):
            break
    return good


def _least(f, low: float, high: float) -> float:
    """Where f is least between low and high, by golden section."""
    golden = 0.5 * (math.sqrt(5.0) - 1.0)
    for _ in range(80):
        a, b = high - golden * (high - low), low + golden * (high - low)
        low, high = (low, b) if f(a) <= f(b) else (a, high)
    return 0.5 * (low + high)


def by_elevation(to, a, up, elevation, *, fall: Fall | None = None) -> Launch:
    """The speed that reaches the point at a given elevation (degrees above the horizontal); nan if none does.

    ``up`` (3,) is the unit vector upward. What is pushed along the level may have two: the one that is there first.
    """
    to, a, up = (np.asarray(x, dtype=float) for x in (to, a, up))
    rise = _dot(to, up)
    flat = to - rise[..., None] * up
    run = np.sqrt(_square(flat))
    s, c = sincos(elevation)
    pull = -_dot(a, up)
    aside = a + pull[..., None] * up
    # Along the horizontal D/t is the whole velocity, so its share of the upward one fixes the time.
    with np.errstate(divide="ignore", invalid="ignore"):
        drop = (run * s / c - rise) / pull
        if np.any(aside):
            drop = _pushed(flat, rise, aside, pull, s / c)
            flat = flat - aside * drop[..., None]
            run = np.sqrt(_square(flat))
    time = np.sqrt(2.0 * np.where(drop > 0.0, drop, np.nan))
    if fall is not None:
        time = fall.time(drop)
    heading = unit(flat) * c[..., None] + up * s[..., None]
    with np.errstate(divide="ignore", invalid="ignore"):
        speed = np.where(run > 0.0, run / (c * time), np.nan)
    good = np.isfinite(speed) & (speed > 0.0)
    return Launch(np.where(good[..., None], heading * speed[..., None], np.nan), np.where(good, time, np.nan))


def _pushed(flat, rise, aside, pull, slope) -> np.ndarray:
    """The least M > 0 with rise + pull M = slope |flat - aside M|, nan if there is none: M(t) at which it arrives."""
    square = slope * slope
    a = square * _square(aside) - pull * pull
    b = -2.0 * (square * _dot(flat, aside) + rise * pull)
    c = square * _square(flat) - rise * rise
    inside = b * b - 4.0 * a * c
    root = np.sqrt(np.where(inside > -1e-12 * b * b, np.maximum(inside, 0.0), np.nan))
    q = -0.5 * (b + np.where(b >= 0.0, root, -root))
    both = np.stack(np.broadcast_arrays(q / a, c / q))
    # Squared, it holds as well where it leaves downward in place of upward.
    both = np.where((both > 0.0) & ((rise + pull * both) * slope >= 0.0), both, np.inf).min(axis=0)
    return np.where(np.isfinite(both), both, np.nan)


def by_arrival(to, a, up, elevation) -> Launch:
    """The launch that arrives at the point at a given elevation (degrees, below 0: on the way down); nan if none does.

    The flight back, from the point under the same acceleration, leaves at the opposite elevation.
    """
    back = by_elevation(-np.asarray(to, dtype=float), a, up, -np.asarray(elevation, dtype=float))
    return Launch(-(back.velocity + np.asarray(a, dtype=float) * back.time[..., None]), back.time)


def by_apex(to, a, up, apex, *, fall: Fall | None = None) -> Launch:
    """The arc whose highest point lies ``apex`` units above the muzzle, reached on the way down; nan if too low."""
    to, a, up, apex = (np.asarray(x, dtype=float) for x in (to, a, up, apex))
    rise, pull = _dot(to, up), -_dot(a, up)
    with np.errstate(divide="ignore", invalid="ignore"):
        time = np.sqrt(2.0 * apex / pull) + np.sqrt(2.0 * (apex - rise) / pull)
    good = (apex >= 0.0) & (apex >= rise) & (pull > 0.0)
    return by_time(to, a, np.where(good, time, np.nan), fall=fall)


def least_speed(to, a) -> np.ndarray:
    """The least speed that reaches the point at all (units/s): s² = |a||D| - a.D."""
    to, a = np.broadcast_arrays(np.asarray(to, dtype=float), np.asarray(a, dtype=float))
    return np.sqrt(np.maximum(np.sqrt(_square(a)) * np.sqrt(_square(to)) - _dot(a, to), 0.0))


def farthest(to, a, up, speed) -> np.ndarray:
    """The launch velocity (..., 3) that comes nearest to a point out of reach, measured at its own level.

    The elevation of greatest range to that height; straight up at a point higher than any arc. Pushed along the level,
    too: there the place farthest toward the point, where the least speed to a place comes to the speed.
    """
    to, a, up = (np.asarray(x, dtype=float) for x in (to, a, up))
    speed = np.asarray(speed, dtype=float)
    rise, pull = _dot(to, up), -_dot(a, up)
    if np.any(a + pull[..., None] * up):
        ahead = unit(to - rise[..., None] * up)
        along, strong = _dot(a, ahead), np.sqrt(_square(a))
        rest, across = speed * speed - pull * rise, strong * strong - along * along
        with np.errstate(divide="ignore", invalid="ignore"):
            run = (rest * along + strong * np.sqrt(rest * rest - rise * rise * across)) / across
        edge = unit(ahead * run[..., None] + up * rise[..., None]) - a / strong[..., None]
        return np.where(np.isfinite(run)[..., None], unit(edge), up) * speed[..., None]
    level = np.sqrt(np.maximum(speed * speed - 2.0 * pull * rise, 0.0))
    flat = unit(to - rise[..., None] * up)
    long = np.sqrt(speed * speed + level * level)
    return flat * (speed * level / long)[..., None] + up * (speed * speed / long)[..., None]


def lead(to, velocity, speed, *, a=(0.0, 0.0, 0.0), acceleration=(0.0, 0.0, 0.0), fall: Fall | None = None) -> Launch:
    """The earliest intercept of a mover at a given launch speed; nan if there is none.

    to : where it is from the muzzle. velocity, acceleration : of the mover. a : of the projectile.
    The root in t of |D + V t + (A - a) t²/2| = s t: a quadratic where nothing accelerates, else a quartic.
    """
    shape = np.broadcast_shapes(*(np.shape(x) for x in (to, velocity, a, acceleration)))
    to, velocity, a, acceleration = (
        np.broadcast_to(np.asarray(x, float), shape) for x in (to, velocity, a, acceleration)
    )
    speed = np.broadcast_to(np.asarray(speed, dtype=float), shape[:-1])
    w = acceleration - a
    c = [0.25 * _square(w), _dot(velocity, w), _square(velocity) + _dot(to, w) - speed * speed]
    c += [2.0 * _dot(to, velocity), _square(to)]
    curved = c[0] > 0.0
    time = np.array(_first_of_quadratic(c[2], c[3], c[4]))
    if np.any(curved):
        flat = np.stack([np.broadcast_to(x, shape[:-1])[curved] for x in c], axis=-1)
        time[curved] = _first_of_quartic(flat)
    time = np.where(_square(to) > 0.0, time, np.nan)

    def there(t) -> np.ndarray:
        return to + velocity * t[..., None] + acceleration * (0.5 * t * t)[..., None]

    if fall is not None:
        time = _each(partial(_meeting_in_steps, fall), time, to, velocity, acceleration, a, speed=speed)
    safe = np.where(np.isfinite(time), time, 1.0)
    return by_time(there(safe), a, time, fall=fall)


def _meeting_in_steps(fall: Fall, to, v, b, a, speed: float, near: float) -> float:
    """The time of meeting as a game's own step falls, next to the exact one; that one where none is near."""
    over, wide = _excess(fall, speed, a, to, v, b), 2.0 * fall.longest
    low, high = max(near - wide, 1e-3 * near), near + wide
    return _edge(over, high, low) if math.isfinite(near) and over(low) > 0.0 >= over(high) else near


def _first_of_quadratic(a, b, c) -> np.ndarray:
    """Least positive root of a t² + b t + c, with c >= 0; nan without one."""
    with np.errstate(divide="ignore", invalid="ignore"):
        root = np.sqrt(b * b - 4.0 * a * c)
        q = -0.5 * (b + np.where(b >= 0.0, root, -root))
        roots = np.stack([np.where(a != 0.0, q / a, np.nan), np.where(q != 0.0, c / q, np.nan)])
    roots = np.where(roots > 0.0, roots, np.inf)
    first = roots.min(axis=0)
    return np.where(np.isfinite(first), first, np.nan)


def _first_of_quartic(c: np.ndarray) -> np.ndarray:
    """Least positive real root of each quartic (n, 5), highest power first and the last above 0; nan without one.

    In a time unit in which the ends are of one size, between the places where it turns, which lie between those
    where its slope does: the same steps on every machine, which no library for eigenvalues takes.
    """
    unit_of_time = np.sqrt(np.sqrt(c[:, 4] / c[:, 0]))
    t = unit_of_time[:, None]
    monic = c[:, 1:4] * np.concatenate([t * t * t, t * t, t], axis=1) / c[:, 4:]
    return unit_of_time * np.array([_first_turned(*map(float, row)) for row in monic])


TOUCHING = 1e-14
"""How near a turn of a quartic counts as on 0, as a share of the sum of its terms' sizes."""


def _first_turned(a: float, b: float, c: float) -> float:
    """Least positive root of t⁴ + a t³ + b t² + c t + 1; nan without one."""
    end = 1.0 + max(abs(a), abs(b), abs(c), 1.0)
    bends, square = [0.0], 9.0 * a * a - 24.0 * b
    if square > 0.0:
        root = math.sqrt(square)
        bends += [x for x in ((-3.0 * a - root) / 12.0, (-3.0 * a + root) / 12.0) if 0.0 < x < end]
    slope, bend = (4.0, 3.0 * a, 2.0 * b, c), (12.0, 6.0 * a, 2.0 * b)
    turns = [0.0]
    for low, high in itertools.pairwise([*bends, end]):
        if (_value(slope, low) < 0.0) != (_value(slope, high) < 0.0):
            turns.append(_between(slope, bend, low, high))
    quartic = (1.0, a, b, c, 1.0)
    for low, high in itertools.pairwise([*turns, end]):
        value = _value(quartic, high)
        if value <= 0.0:
            return _between(quartic, slope, low, high)
        if value <= TOUCHING * _value(tuple(map(abs, quartic)), high):
            return high
    return math.nan


def _value(polynomial: tuple, t: float) -> float:
    value = 0.0
    for part in polynomial:
        value = value * t + part
    return value


def _between(polynomial: tuple, slope: tuple, low: float, high: float) -> float:
    """Where a polynomial that only rises or falls from ``low`` to ``high`` is 0: Newton's method, kept in a bracket."""
    falls = _value(polynomial, low) > 0.0
    t = 0.5 * (low + high)
    for _ in range(200):
        value = _value(polynomial, t)
        if value == 0.0:
            return t
        low, high = (t, high) if (value > 0.0) == falls else (low, t)
        steep = _value(slope, t)
        new = t - value / steep if steep != 0.0 else low
        if not low < new < high:
            new = 0.5 * (low + high)
            if not low < new < high:
                return t
        if abs(new - t) <= 2e-16 * t:
            return new
        t = new
    return t
