"""Launch solutions where closed forms end: drag, inherited velocity, targets that move or accelerate.

They are solved (``shooting``) from the solution without drag, or from one that was found before. Where that fails, or
ends on the other arc, the speed that is needed is searched over the time of flight: it falls from endless to a least
and rises again, and each arc is one side.

One target or many at once. Units, s, degrees. Source: the arcs as in ``launch``.
"""

from __future__ import annotations

import math
from functools import cached_property
from typing import NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.flying.forces import acting, stiffness
from nivvo.core.launching import launch
from nivvo.core.launching.launch import LOW, Launch
from nivvo.core.launching.shooting import (
    ARRIVAL,
    COARSE,
    CROSSINGS,
    ELEVATION,
    FLY,
    LEVEL,
    ROUNDING,
    SPEED,
    TIME,
    TOP,
    room,
    shots,
)
from nivvo.core.numbers.frame import dot, sincos, unit
from nivvo.core.pool import EXACT

LONGEST = 60.0
FARTHER, ANGLES = 6, 17
"""Rounds of the search for the farthest shot, and elevations at which it looks before."""

EDGE = 1.03
NO_MARKS = np.zeros((0, 15))
NO_UP = (0.0, 0.0, 0.0)


def compile_shots() -> None:
    """Compile the kernel of shots, or load it, before it is needed."""
    given = (EXACT, 1, 0.0), np.zeros(0), (FLY, (0.0, 0.0, 0.0)), NO_MARKS, np.zeros((1, 4)), np.zeros((1, 6))
    shots.compiled(pool.zeros(2, pool.PARAMS), *given, room())


class Task(NamedTuple):
    """What is to be met: places, what the shots inherit, the targets' velocities and accelerations, each (n, 3)."""

    to: np.ndarray
    own: np.ndarray
    velocity: np.ndarray
    acceleration: np.ndarray

    def rows(self, chosen) -> Task:
        """Some of them."""
        return Task(*(x[chosen] for x in self))

    @property
    def plain(self) -> bool:
        """Whether nothing moves and nothing is inherited."""
        return not (self.own.any() or self.velocity.any() or self.acceleration.any())

    def there(self, time) -> np.ndarray:
        """Where they are at times (n,)."""
        t = time[:, None]
        return self.to + self.velocity * t + self.acceleration * (0.5 * t * t)


def _length(v) -> np.ndarray:
    return np.sqrt((v * v).sum(axis=-1))


def _crossing(f, low, high) -> np.ndarray:
    """Where a function that rises from ``low`` to ``high`` (...) is zero; the end beyond which it is, if any.

    False position, where an end that stays twice counts half (the Illinois rule), with a halving every third time;
    where the function is nan it counts as below zero.
    """
    low, high = (np.array(x, dtype=float) for x in np.broadcast_arrays(low, high))
    f_low, f_high = f(low), f(high)
    best, off = np.where(f_low >= 0.0, low, high), np.where(f_low >= 0.0, 0.0, np.where(f_high <= 0.0, 0.0, np.inf))
    side, near = np.zeros(low.shape), ROUNDING * np.fmax(np.abs(f_low), np.abs(f_high))
    with np.errstate(all="ignore"):
        for nth in range(CROSSINGS):
            if (off == 0.0).all():
                break
            x = (low * f_high - high * f_low) / (f_high - f_low)
            x = np.where((x > low) & (x < high) & (nth % 3 != 2), x, 0.5 * (low + high))
            y = f(x)
            nearer = np.abs(y) < off
            best, off = np.where(nearer, x, best), np.where(nearer, np.abs(y), off)
            off = np.where((off <= near) | (high - low <= 1e-15 * np.abs(high)), 0.0, off)
            over = y > 0.0
            f_low = np.where(over, np.where(side > 0.0, 0.5 * f_low, f_low), y)
            f_high = np.where(over, y, np.where(side < 0.0, 0.5 * f_high, f_high))
            low, high, side = np.where(over, low, x), np.where(over, x, high), np.where(over, 1.0, -1.0)
    return best


class Air:
    """What acts on a projectile, stepped as the drill's ticks do.

    Parameters
    ----------
    acts : a row of ``pool.PARAMS``, as ``forces.acting`` gives; or a constant acceleration (3,), units/s²
    step, dt : code of ``pool.STEPS`` and the seconds of the ticks from launch on; dt None: exact
    born : when it is launched (s of the world), for what comes and goes
    """

    def __init__(self, acts, *, step=EXACT, dt=None, coarse=1, born=0.0):
        self.acts = acts if getattr(acts, "dtype", None) == pool.PARAMS else acting(acts)
        self.step, self.dt = step, None if step == EXACT else np.asarray(dt, dtype=float)
        self.coarse, self.born = coarse, born

    def leaving(self, at) -> Air:
        """The same as it is about a place (3,): flights are solved from there."""
        if not self.acts["zones"][0]:
            return self
        acts = self.acts.copy()
        acts["zone"][0, :, :3] -= at
        return Air(acts, step=self.step, dt=self.dt, coarse=self.coarse, born=self.born)

    @property
    def a(self) -> np.ndarray:
        """The constant part of the acceleration (3,)."""
        return self.acts["a"][0]

    @property
    def thin(self) -> bool:
        """Whether nothing acts but a constant acceleration."""
        return not self.acts["bends"][0] and float(self.acts["factor"][0]) == 1.0

    @property
    def careful(self) -> bool:
        """Whether more acts than drag, which may hang on what is not known here."""
        return bool(self.acts["careful"][0])

    @cached_property
    def fall(self):
        """How it falls in the drill's own step (``launch.Fall``), or None in exact step."""
        return launch.fall_of(self.step, self.dt)

    def exact(self, coarse: int = 1) -> Air:
        """The same in exact step, perhaps in longer steps: near enough for slopes and for a search.

        A factor a tick becomes the linear drag that does as much.
        """
        acts, factor = self.acts.copy(), float(self.acts["factor"][0])
        if factor < 1.0:
            acts["linear"] += -math.log(factor) / float(self.dt.mean())
            acts["factor"], acts["bends"] = 1.0, 1
        return Air(acts, coarse=coarse, born=self.born)

    @cached_property
    def _both(self) -> np.ndarray:
        """What acts, and the same in exact step."""
        # By their bytes: to join them field by field takes longer than to fly.
        return np.ndarray(2, pool.PARAMS, bytearray(self.acts.tobytes() + self.exact().acts.tobytes()))

    def _unfactored(self) -> np.ndarray:
        """What acts, without a factor a tick."""
        acts = self.acts.copy()
        acts["factor"] = 1.0
        return acts

    def most_bend(self, speed: float, seconds: float) -> float:
        """The greatest acceleration (units/s²) of a flight that is nowhere faster than ``speed`` at its ends."""
        pull = float(_length(self.a))
        fast = speed + pull * seconds
        return pull + stiffness(self.acts[0], fast) * fast

    def fly(self, w, time) -> tuple[np.ndarray, np.ndarray]:
        """Displacement and velocity (..., 3) ``time`` (...) after launches with ``w`` (..., 3)."""
        w, time = np.asarray(w, dtype=float), np.asarray(time, dtype=float)
        shape = time.shape
        if w.shape[:-1] != shape:
            shape = np.broadcast_shapes(w.shape[:-1], shape)
            w, time = np.broadcast_to(w, (*shape, 3)), np.broadcast_to(time, shape)
        if self.thin and self.dt is None:
            t = time[..., None]
            return w * t + self.a * (0.5 * t * t), w + self.a * t
        out = self._asked(FLY, NO_UP, w.reshape(-1, 3), time.reshape(-1))
        return out[:, :3].reshape(*shape, 3), out[:, 3:].reshape(*shape, 3)

    def _asked(self, kind: int, up, w, time, marks=NO_MARKS) -> np.ndarray:
        """What ``shots`` answers of launches with ``w`` (n, 3) and times (n,)."""
        launches, out = np.empty((len(time), 4)), np.empty((len(time), 6))
        launches[:, :3], launches[:, 3] = w, time
        dt = np.zeros(0) if self.dt is None else self.dt
        rule, asked = (int(self.step), int(self.coarse), float(self.born)), (kind, tuple(map(float, up)))
        work = len(time) * (6 if kind == FLY else 400)
        shots(self._both, rule, dt, asked, marks, launches, out, room(), work=work)
        return out

    def by_time(self, to, time, *, own=0.0, velocity=0.0, acceleration=0.0) -> Launch:
        """The velocity that meets the mover after ``time`` seconds."""
        shape, task, time = self._task(time, to, own, velocity, acceleration)
        return _shaped(self._meet(TIME, task, time, self._guess(task, time))[0], shape)

    def by_speed(self, to, speed, arc=LOW, *, own=0.0, velocity=0.0, acceleration=0.0, near=None) -> Launch:
        """The low or high arc at a given launch speed; nan out of reach.

        own : velocity (3,) that the shot inherits beside its speed. velocity, acceleration : of the target. near : a
        launch that is not far from it, as of the moment before.
        """
        shape, task, speed = self._task(speed, to, own, velocity, acceleration)
        if near is not None:
            near = Launch(np.reshape(near.velocity, (-1, 3)), np.reshape(near.time, -1))
            found, slope = self._meet(SPEED, task, speed, near)
            if np.all(np.isfinite(found.time) & ((slope <= 0.0) == (arc == LOW))):
                return _shaped(found, shape)
        found = self._by_speed(task, speed, arc) if self.dt is None else self._by_speed_in_ticks(task, speed, arc)
        return _shaped(found, shape)

    def _by_speed(self, task: Task, speed, arc) -> Launch:
        """``by_speed`` in exact step: next to the solution without drag, else by search."""
        if task.plain:
            time = launch.by_speed(task.to, self.a, speed, arc).time
        else:
            moving = {"a": self.a, "acceleration": task.acceleration}
            time = launch.lead(task.to, task.velocity - task.own, speed, **moving).time
            time = time if arc == LOW else np.full_like(time, np.nan)
        found, slope = self._meet(SPEED, task, speed, self._guess(task, time))
        rest = ~(np.isfinite(found.time) & ((slope <= 0.0) == (arc == LOW)))
        if rest.any():
            found.velocity[rest], found.time[rest] = self._search(task.rows(rest), speed[rest], arc)
        return found

    def _by_speed_in_ticks(self, task: Task, speed, arc) -> Launch:
        """``by_speed`` in a game's own step: next to the exact one; searched for at the edge of reach."""
        exact = self.exact()
        found, _ = self._meet(SPEED, task, speed, exact._by_speed(task, speed, arc))
        rest = ~np.isfinite(found.time)
        if rest.any():
            rest[rest] = np.isfinite(exact._by_speed(task.rows(rest), EDGE * speed[rest], arc).time)
        if rest.any():
            found.velocity[rest], found.time[rest] = self._search(task.rows(rest), speed[rest], arc)
        return found

    def by_elevation(self, to, up, elevation, *, own=0.0, velocity=0.0, acceleration=0.0) -> Launch:
        """The launch at a given elevation (degrees above the horizontal, before what it inherits); nan if none does."""
        shape, task, elevation = self._task(elevation, to, own, velocity, acceleration)
        time = launch.by_elevation(task.to, self.a, up, elevation).time
        return _shaped(self._meet(ELEVATION, task, elevation, self._guess(task, time), up)[0], shape)

    def by_arrival(self, to, up, elevation) -> Launch:
        """The launch that arrives at a given elevation (degrees, below 0: on the way down); nan if none does.

        In a game's own step a flight turns tick by tick: it takes as long as the exact one.
        """
        if self.dt is not None:
            return self.by_time(to, self.exact().by_arrival(to, up, elevation).time)
        shape, task, elevation = self._task(elevation, to)
        near = launch.by_arrival(task.to, self.a, up, elevation)
        return _shaped(self._meet(ARRIVAL, task, elevation, near, up)[0], shape)

    def by_apex(self, to, up, apex, *, own=0.0, velocity=0.0, acceleration=0.0) -> Launch:
        """The arc whose highest point lies ``apex`` units above the muzzle, met on the way down; nan if too low."""
        shape, task, apex = self._task(apex, to, own, velocity, acceleration)
        free = Air(self._unfactored())
        thin = launch.by_apex(task.to, self.a, up, apex)

        def met(air: Air, time) -> Launch:
            return air._meet(TIME, task, time, air._guess(task, time))[0]

        def above(time) -> np.ndarray:
            found = met(free, time)
            return free._asked(TOP, up, found.velocity, found.time)[:, 0] - apex

        # The later it is to arrive, the higher it must go.
        time = _crossing(above, 0.3 * thin.time, 3.0 * thin.time)
        with np.errstate(invalid="ignore"):
            good = np.abs(above(time)) <= 1e-6 * np.maximum(apex, 1e-9)
        return _shaped(met(self, np.where(good, time, np.nan)), shape)

    def top(self, w, up) -> float:
        """Height of the highest point of one flight with launch velocity ``w`` (3,), units."""
        pull, w = abs(float(dot(self.a, up))), np.asarray(w, dtype=float)
        longest = min(2.0 * float(_length(w)) / pull + 1.0, LONGEST) if pull > 0.0 else LONGEST
        return float(self._asked(TOP, up, w[None], np.array([longest]))[0, 0])

    def least_speed(self, to, *, own=0.0, velocity=0.0, acceleration=0.0) -> np.ndarray:
        """The least launch speed that meets the mover at all (units/s), to 1e-6 of it."""
        shape, task, _ = self._task(0.0, to, own, velocity, acceleration)
        return self._least(task)[0].reshape(shape)

    def farthest(self, to, up, speed) -> np.ndarray:
        """The launch velocity that comes farthest toward ``to`` (3,) at its level; straight up if none is so high."""
        to, up = np.asarray(to, dtype=float), np.asarray(up, dtype=float)
        rise = float(dot(to, up))
        flat = unit(to - rise * up)
        angles, rough = np.radians(np.linspace(-30.0, 90.0, ANGLES)), self.exact(COARSE // 2)

        def reach(air: Air, angles) -> tuple[np.ndarray, np.ndarray]:
            w = speed * (np.cos(angles)[:, None] * flat + np.sin(angles)[:, None] * up)
            return w, air.level_reach(w, up, rise)

        w, far = reach(rough, angles)
        best = int(np.argmax(far))
        if not far[best] > -np.inf:
            return speed * up
        middle, wide = angles[best], angles[1] - angles[0]
        # Each round looks beside the best, next to the top of the parabola through what it finds.
        for _ in range(FARTHER):
            three = np.minimum(middle + wide * np.array([-1.0, 0.0, 1.0]), 0.5 * np.pi)
            w, far = reach(self, three)
            at = far.tolist()
            bend = at[0] - 2.0 * at[1] + at[2] if min(at) > -math.inf else 0.0
            off = 0.5 * (at[0] - at[2]) / bend if bend < 0.0 else math.nan
            if abs(off) <= 1.0:
                middle, wide = middle + off * wide, wide / 8.0
            else:
                middle = three[int(np.argmax(far))]
                wide = wide if math.isfinite(off) and middle != three[1] else 0.5 * wide
        return w[int(np.argmax(far))]

    def level_reach(self, w, up, rise: float) -> np.ndarray:
        """Horizontal distances (n,) at which flights (n, 3) come down to ``rise``; -inf if they never get so high."""
        pull = max(abs(float(dot(self.a, up))), 1e-300)
        most = min(2.0 * float(_length(w).max()) / pull + np.sqrt(2.0 * abs(rise) / pull) + 1.0, LONGEST)
        marks = np.full((len(w), NO_MARKS.shape[1]), rise)
        return self._asked(LEVEL, up, w, np.full(len(w), most), marks)[:, 0]

    def _task(self, value, *vectors) -> tuple[tuple, Task, np.ndarray]:
        """What is asked for as rows: the shape that it was given in, what is to be met, and the value (n,)."""
        vectors = [np.asarray(one, dtype=float) for one in (*vectors, 0.0, 0.0, 0.0)[:4]]
        vectors = [one if one.ndim else np.full(3, float(one)) for one in vectors]
        shape = np.broadcast_shapes(*(one.shape for one in vectors))
        task = Task(*(np.broadcast_to(one, shape).reshape(-1, 3) for one in vectors))
        value = np.broadcast_to(np.asarray(value, dtype=float), shape[:-1]).reshape(-1)
        return shape[:-1], task, value

    def _guess(self, task: Task, time) -> Launch:
        return launch.by_time(task.there(time), self.a, time)

    def _meet(self, kind: int, task: Task, value, near: Launch, up=NO_UP) -> tuple[Launch, np.ndarray]:
        """The launches that meet what is asked for, next to others; by how much the speed changes with the time."""
        marks = np.empty((len(value), NO_MARKS.shape[1]))
        marks[:, :3], marks[:, 3:6], marks[:, 6:9], marks[:, 9:12] = task.to, task.velocity, task.acceleration, task.own
        marks[:, 12] = value
        if kind in (ELEVATION, ARRIVAL):
            marks[:, 13], marks[:, 14] = sincos(value)
        out = self._asked(kind, up, near.velocity, near.time, marks)
        return Launch(out[:, :3], out[:, 3]), out[:, 4]

    def _at(self, task: Task, time, near: Launch | None = None) -> tuple[Launch, np.ndarray]:
        """The launch that meets at ``time``, nan if none is found; its slope, as ``_meet`` has it."""
        guess = self._guess(task, time)
        if near is not None:
            # What drag costs changes slowly: carry it over from the solution before.
            carried = guess.velocity + near.velocity - self._guess(task, near.time).velocity
            guess = Launch(np.where(np.isfinite(carried), carried, guess.velocity), guess.time)
        return self._meet(TIME, task, time, guess)

    def _least(self, task: Task) -> tuple[np.ndarray, Launch]:
        """The least speed that is needed over all times of flight, and its launch: where its slope is 0."""
        size, pull = _length(task.to), float(_length(self.a))
        time = np.minimum(np.sqrt(2.0 * size / pull) if pull > 0.0 else size, 0.5 * LONGEST)
        found, slope = self._at(task, time)
        low, high = np.where(slope < 0.0, time, 0.0), np.where(slope < 0.0, np.inf, time)
        at_low, at_high = np.where(slope < 0.0, slope, -np.inf), np.where(slope < 0.0, np.inf, slope)
        rows = np.arange(len(size))
        for turn in range(40):
            lo, hi, f, g = low[rows], high[rows], at_low[rows], at_high[rows]
            with np.errstate(all="ignore"):
                chord = lo - f * (hi - lo) / (g - f)
            inside = np.isfinite(chord) & (chord > lo) & (chord < hi) & (turn % 3 != 2)
            halved = np.where(np.isfinite(hi), 0.5 * (lo + hi), 2.0 * lo)
            now = np.minimum(np.where(inside, chord, halved), 0.999 * LONGEST)
            part = task.rows(rows)
            one, slope = self._at(part, now, Launch(found.velocity[rows], found.time[rows]))
            slope = np.where(np.isfinite(one.time), slope, np.where(now > 1.0, 1.0, -1.0))
            falling = slope < 0.0
            low[rows], high[rows] = np.where(falling, now, lo), np.where(falling, hi, now)
            at_low[rows], at_high[rows] = np.where(falling, slope, f), np.where(falling, g, slope)
            good = np.isfinite(one.time)
            found.velocity[rows[good]], found.time[rows[good]] = one.velocity[good], one.time[good]
            still = (np.abs(slope) * now > 1e-7 * _length(one.velocity - part.own)) & (now < 0.99 * LONGEST)
            rows = rows[still & (high[rows] - low[rows] > 1e-6 * high[rows])]
            if not len(rows):
                break
        return _length(found.velocity - task.own), found

    def _search(self, task: Task, speed, arc) -> Launch:
        """An arc by search over the time of flight, before (low) or after (high) that of the least speed."""
        velocities, times = np.full_like(task.to, np.nan), np.full(speed.shape, np.nan)
        rows = np.arange(len(speed))
        if task.plain and not (self.careful or self.acts["winds"][0]):
            # Drag in still air only bends a flight down: what is out of reach without it stays so.
            rows = rows[launch.least_speed(task.to, self.a) <= speed]
        if not len(rows):
            return Launch(velocities, times)
        part = task.rows(rows)
        least, found = self.exact(COARSE // 2)._least(part)
        close = np.abs(least - speed[rows]) <= (EDGE - 1.0) * speed[rows]
        if close.any():
            fine, at = self._least(part.rows(close))
            least[close], found.velocity[close], found.time[close] = fine, at.velocity, at.time
        good = least <= speed[rows]
        if not good.any():
            return Launch(velocities, times)
        rows, found = rows[good], Launch(found.velocity[good], found.time[good])
        task, wanted = task.rows(rows), speed[rows]
        enough = found.time
        bad = 0.02 * enough if arc == LOW else enough
        if arc != LOW:
            for _ in range(8):
                needed = self._needed(task, self._at(task, bad)[0])
                bad = np.where(needed <= wanted, np.minimum(2.0 * bad, 0.999 * LONGEST), bad)
        for _ in range(48):
            middle = 0.5 * (enough + bad)
            below = self._needed(task, self._at(task, middle, found)[0]) <= wanted
            enough, bad = np.where(below, middle, enough), np.where(below, bad, middle)
            if np.all(np.abs(enough - bad) <= 1e-6 * enough):
                break
        near = self._at(task, enough, found)[0]
        last = self._meet(SPEED, task, wanted, near)[0]
        good = np.isfinite(last.time) & (np.abs(last.time - enough) <= 1e-2 * enough)
        # Where all times up to the longest, or down to none, need less, there is no such arc.
        near.time[np.abs(self._needed(task, near) - wanted) > 1e-4 * wanted] = np.nan
        velocities[rows] = np.where(good[:, None], last.velocity, near.velocity)
        times[rows] = np.where(good, last.time, near.time)
        velocities[np.isnan(times)] = np.nan
        return Launch(velocities, times)

    def _needed(self, task: Task, found: Launch) -> np.ndarray:
        """The launch speeds of what was found; inf where nothing was."""
        speed = _length(found.velocity - task.own)
        return np.where(np.isfinite(speed), speed, np.inf)


def _shaped(found: Launch, shape: tuple) -> Launch:
    return Launch(found.velocity.reshape(*shape, 3), found.time.reshape(shape))
