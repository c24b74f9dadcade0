"""Launch solutions where closed forms end: drag, inherited velocity, targets that move or accelerate.

The unknowns are the launch velocity w and the time of flight T. Three equations say that the flight
meets the point at T, a fourth says what is given (speed, elevation or time); Newton's method solves
them from the solution without drag. Where it fails, or ends on the other arc, the speed that is needed
is searched over T: it falls from endless to a least and rises again, and each arc is one side.

One target or many at once. Units, s, degrees. Source: shooting methods, as in any text on two-point
boundary value problems; the arcs as in ``launch``.
"""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from nivvo.core import pool
from nivvo.core._jit import kernel
from nivvo.core.flying.flight import glide, kick, piece, stepped, steps_for
from nivvo.core.flying.forces import acceleration, acting, stiffness
from nivvo.core.launching import launch
from nivvo.core.launching.launch import LOW, Launch
from nivvo.core.numbers.frame import dot, sincos, unit
from nivvo.core.numbers.vec import along
from nivvo.core.numbers.vec import dot as dot_of
from nivvo.core.pool import EXACT

LONGEST = 60.0
ROUNDS = 40
CROSSINGS = 40
FARTHER = 6
ROUNDING = 1e-14
COARSE = 16
MOST_EVEN = 256
"""Even steps that a flight is cut into; drag that asks for more is followed by error."""

EDGE = 1.03
STAGES = np.zeros((7, 3))


@kernel
def flights(acts, rule, dt, w, time, p, v, stages):
    """Displacement ``p`` and velocity ``v`` (n, 3) after ``time`` (n,) from launches with ``w`` (n, 3).

    acts : a row of ``pool.PARAMS`` with what acts. rule : a code of ``pool.STEPS``, by how much fewer steps to take in
    exact step than the flight itself would, and when it begins (s of the world). dt : seconds of the ticks (own steps).
    stages : (7, 3), overwritten.
    """
    row, (step, coarse, born) = acts[0], rule
    for i in range(time.shape[0]):
        q, u, left = (0.0, 0.0, 0.0), (w[i, 0], w[i, 1], w[i, 2]), time[i]
        company, pace = pool.ALONE, math.sqrt(dot_of(u, u))
        if row["careful"] != 0 and pace > 0.0:
            company = (q, q, q, 0.0, 0.0, born, (u[0] / pace, u[1] / pace, u[2] / pace), pace)
        if step == EXACT:
            if left > 0.0:
                count = 1 + 2 * steps_for(row, u, left) // coarse
                q, u = glide(row, 0.0, q, u, left, (count, MOST_EVEN), company, stages)
                left = 0.0
        else:
            age = 0.0
            for k in range(dt.shape[0]):
                if not left > 0.0:
                    break
                b = acceleration(row, age, q, u, company, age)
                w1 = kick(row, age, q, u, b, dt[k], company)
                if left <= dt[k]:
                    u, b = piece(step, q, u, b, dt[k], w1)
                    q = along(q, u, left)
                else:
                    q, u = stepped(step, (q, u), b, dt[k], (q, u, 0.0), w1)
                left -= dt[k]
                age += dt[k]
        bad = not left <= 0.0
        for k in range(3):
            p[i, k] = math.nan if bad else q[k]
            v[i, k] = math.nan if bad else u[k]


plain_flights = flights.fixing("plain", GUIDED=False)
"""The same for flights on which nothing acts but gravity and drag."""


def _kernel_for(acts: np.ndarray):
    return flights if acts["careful"][0] or acts["winds"][0] else plain_flights


def compile_flights(acts: np.ndarray | None = None) -> None:
    """Compile the kernel of flights for what acts, or load it, before it is needed."""
    acts = pool.zeros(1, pool.PARAMS) if acts is None else acts
    rows, times = np.zeros((1, 3)), np.zeros(1)
    _kernel_for(acts).compiled(
        pool.zeros(1, pool.PARAMS), (EXACT, 1, 0.0), np.zeros(0), rows, times, rows.copy(), rows.copy(), STAGES.copy()
    )


def _length(v) -> np.ndarray:
    return np.sqrt((v * v).sum(axis=-1))


def _solved(matrices, vectors) -> np.ndarray:
    """x of A x = b for many (..., n, n) and (..., n), by elimination; nan where A has no inverse.

    Gauss's method with pivots, spelt out: libraries add up in another order on another processor.
    """
    a = np.array(matrices, dtype=float)
    shape, n = a.shape[:-2], a.shape[-1]
    a = np.concatenate([a.reshape(-1, n, n), np.array(vectors, dtype=float).reshape(-1, n, 1)], axis=2)
    rows = np.arange(len(a))
    with np.errstate(all="ignore"):
        for k in range(n):
            best = k + np.abs(a[:, k:, k]).argmax(axis=1)
            a[rows, best], a[:, k] = a[:, k].copy(), a[rows, best].copy()
            for i in range(k + 1, n):
                a[:, i] -= (a[:, i, k] / a[:, k, k])[:, None] * a[:, k]
        x = np.zeros((len(a), n))
        for k in range(n - 1, -1, -1):
            rest = a[:, k, n].copy()
            for i in range(k + 1, n):
                rest -= a[:, k, i] * x[:, i]
            x[:, k] = rest / a[:, k, k]
    return x.reshape(*shape, n)


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
    def _coarse(self) -> Air:
        return self.exact(COARSE)

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
        rows = np.array(w, order="C").reshape(-1, 3)
        p, v = np.empty_like(rows), np.empty_like(rows)
        dt = np.zeros(0) if self.dt is None else self.dt
        times = np.array(time, order="C").reshape(-1)
        rule = int(self.step), int(self.coarse), float(self.born)
        _kernel_for(self.acts)(self.acts, rule, dt, rows, times, p, v, STAGES, work=len(rows) * 20)
        return p.reshape(*shape, 3), v.reshape(*shape, 3)

    def by_time(self, to, time, *, own=0.0, velocity=0.0, acceleration=0.0) -> Launch:
        """The velocity that meets the mover after ``time`` seconds."""
        return self._meet(to, own, velocity, acceleration, "time", time, self._guess(to, time, velocity, acceleration))

    def by_speed(self, to, speed, arc=LOW, *, own=0.0, velocity=0.0, acceleration=0.0) -> Launch:
        """The low or high arc at a given launch speed; nan out of reach.

        own : velocity (3,) that the shot inherits beside its speed. velocity, acceleration : of the target.
        """
        to, own, velocity, acceleration = self._vectors(to, own, velocity, acceleration)
        speed = np.broadcast_to(np.asarray(speed, dtype=float), to.shape[:-1])
        if self.dt is not None:
            rows = (
                to.reshape(-1, 3),
                speed.reshape(-1),
                arc,
                *(x.reshape(-1, 3) for x in (own, velocity, acceleration)),
            )
            found = self._by_speed_in_ticks(*rows)
            return Launch(found.velocity.reshape(to.shape), found.time.reshape(speed.shape))
        if np.any(velocity) or np.any(acceleration) or np.any(own):
            near = launch.lead(to, velocity - own, speed, a=self.a, acceleration=acceleration)
            time = near.time if arc == LOW else np.full(to.shape[:-1], np.nan)
        else:
            time = launch.by_speed(to, self.a, speed, arc).time
        found = self._meet(
            to, own, velocity, acceleration, "speed", speed, self._guess(to, time, velocity, acceleration)
        )
        falling = self._slope(found, to, own, velocity, acceleration) <= 0.0
        good = np.isfinite(found.time) & (falling == (arc == LOW))
        if not good.all():
            rest = (x[~good] for x in (to, own, velocity, acceleration, speed))
            found.velocity[~good], found.time[~good] = self._search(*rest, arc)
        return found

    def _by_speed_in_ticks(self, to, speed, arc, own, velocity, acceleration) -> Launch:
        """``by_speed`` in a game's own step: next to the exact one; searched for at the edge of reach."""
        moving, exact = {"own": own, "velocity": velocity, "acceleration": acceleration}, self.exact()
        near = exact.by_speed(to, speed, arc, **moving)
        found = self._meet(to, own, velocity, acceleration, "speed", speed, near)
        rest = ~np.isfinite(found.time)
        if rest.any():
            rest[rest] = np.isfinite(
                exact.by_speed(to[rest], EDGE * speed[rest], arc, **{k: x[rest] for k, x in moving.items()}).time
            )
        if rest.any():
            task = (x[rest] for x in (to, own, velocity, acceleration, speed))
            found.velocity[rest], found.time[rest] = self._search(*task, arc)
        return found

    def by_elevation(self, to, up, elevation, *, own=0.0, velocity=0.0, acceleration=0.0) -> Launch:
        """The launch at a given elevation (degrees above the horizontal, before what it inherits); nan if none does."""
        to, own, velocity, acceleration = self._vectors(to, own, velocity, acceleration)
        elevation = np.broadcast_to(np.asarray(elevation, dtype=float), to.shape[:-1])
        time = launch.by_elevation(to, self.a, up, elevation).time
        return self._meet(
            to, own, velocity, acceleration, "elevation", elevation, self._guess(to, time, velocity, acceleration), up
        )

    def by_arrival(self, to, up, elevation) -> Launch:
        """The launch that arrives at a given elevation (degrees, below 0: on the way down); nan if none does.

        In a game's own step a flight turns tick by tick: it takes as long as the exact one.
        """
        if self.dt is not None:
            return self.by_time(to, self.exact().by_arrival(to, up, elevation).time)
        to, zero, _, _ = self._vectors(to, 0.0, 0.0, 0.0)
        elevation = np.broadcast_to(np.asarray(elevation, dtype=float), to.shape[:-1])
        return self._meet(to, zero, zero, zero, "arrival", elevation, launch.by_arrival(to, self.a, up, elevation), up)

    def by_apex(self, to, up, apex, *, own=0.0, velocity=0.0, acceleration=0.0) -> Launch:
        """The arc whose highest point lies ``apex`` units above the muzzle, met on the way down; nan if too low."""
        to, own, velocity, acceleration = self._vectors(to, own, velocity, acceleration)
        apex = np.broadcast_to(np.asarray(apex, dtype=float), to.shape[:-1])
        free = Air(self._unfactored())
        thin = launch.by_apex(to, self.a, up, apex)
        low, high = 0.3 * thin.time, 3.0 * thin.time + 0.0

        def above(time) -> np.ndarray:
            found = free.by_time(to, time, own=own, velocity=velocity, acceleration=acceleration)
            return free._top_within(found.velocity, found.time, up) - apex

        # The later it is to arrive, the higher it must go.
        time = _crossing(above, low, high)
        with np.errstate(invalid="ignore"):
            good = np.abs(above(time)) <= 1e-6 * np.maximum(apex, 1e-9)
        return self.by_time(to, np.where(good, time, np.nan), own=own, velocity=velocity, acceleration=acceleration)

    def _top_within(self, w, time, up) -> np.ndarray:
        """Height of the highest point of a flight of ``time`` seconds: where it stops to rise."""
        top = _crossing(lambda t: -dot(self.fly(w, t)[1], up), np.zeros_like(time), time)
        return dot(self.fly(w, top)[0], up)

    def top(self, w, up) -> float:
        """Height of the highest point of one flight with launch velocity ``w`` (3,), units."""
        pull = float(_length(self.a))
        longest = min(2.0 * float(_length(np.asarray(w))) / pull + 1.0, LONGEST) if pull > 0.0 else LONGEST
        return float(self._top_within(np.asarray(w, dtype=float), np.float64(longest), np.asarray(up)))

    def least_speed(self, to, *, own=0.0, velocity=0.0, acceleration=0.0) -> np.ndarray:
        """The least launch speed that meets the mover at all (units/s), to 1e-6 of it."""
        task = self._vectors(to, own, velocity, acceleration)
        found, _ = self._least(tuple(x.reshape(-1, 3) for x in task))
        return found.reshape(task[0].shape[:-1])

    def farthest(self, to, up, speed) -> np.ndarray:
        """The launch velocity that comes farthest toward ``to`` (3,) at its level; straight up if none is so high."""
        to, up = np.asarray(to, dtype=float), np.asarray(up, dtype=float)
        rise = float(dot(to, up))
        flat = unit(to - rise * up)
        low, high, count = np.radians(-30.0), np.radians(90.0), 61
        # Each round looks between the neighbours of the best: a sixteenth of what the one before left.
        for _ in range(FARTHER):
            angles = np.linspace(low, high, count)
            w = speed * (np.cos(angles)[:, None] * flat + np.sin(angles)[:, None] * up)
            far = self.level_reach(w, up, rise)
            best = int(np.argmax(far))
            if not far[best] > -np.inf:
                return speed * up
            low, high, count = angles[max(best - 1, 0)], angles[min(best + 1, count - 1)], 33
        return w[best]

    def level_reach(self, w, up, rise: float) -> np.ndarray:
        """Horizontal distance at which flights come down to ``rise``; -inf where they never get so high."""
        pull = float(_length(self.a))
        most = min(2.0 * float(_length(w).max()) / pull + np.sqrt(2.0 * abs(rise) / pull) + 1.0, LONGEST)
        most = np.full(w.shape[:-1], most)
        top = _crossing(lambda t: -dot(self.fly(w, t)[1], up), np.zeros_like(most), most)
        enough = dot(self.fly(w, top)[0], up) >= rise
        p = self.fly(w, _crossing(lambda t: rise - dot(self.fly(w, t)[0], up), top, most))[0]
        return np.where(enough, _length(p - (dot(p, up))[..., None] * up), -np.inf)

    def _vectors(self, *values) -> tuple[np.ndarray, ...]:
        values = [np.asarray(value, dtype=float) for value in values]
        values = [value if value.ndim else np.full(3, float(value)) for value in values]
        shape = np.broadcast_shapes(*(value.shape for value in values))
        return tuple(np.broadcast_to(value, shape).copy() for value in values)

    def _there(self, to, velocity, acceleration, time) -> np.ndarray:
        t = time[..., None]
        return to + velocity * t + acceleration * (0.5 * t * t)

    def _guess(self, to, time, velocity=0.0, acceleration=0.0) -> Launch:
        to, velocity, acceleration = self._vectors(to, velocity, acceleration)
        time = np.broadcast_to(np.asarray(time, dtype=float), to.shape[:-1])
        return launch.by_time(self._there(to, velocity, acceleration, time), self.a, time)

    def _slopes(self, w, time, of: int = 0) -> np.ndarray:
        """d displacement / d launch velocity, (..., 3, 3), by differences of coarse flights; ``of`` 1: d velocity."""
        step = 1e-4 * np.maximum(_length(w), 1e-3)
        shifts = np.concatenate([np.zeros((1, 3)), np.eye(3)])
        moved = w[..., None, :] + step[..., None, None] * shifts
        q = self._coarse.fly(moved, np.broadcast_to(time[..., None], moved.shape[:-1]))[of]
        return np.swapaxes((q[..., 1:, :] - q[..., :1, :]) / step[..., None, None], -1, -2)

    def _meet(self, to, own, velocity, acceleration, given: str, value, near: Launch, up=None) -> Launch:
        """Newton's method on (w, T) from ``near``; nan where it does not converge."""
        to, own, velocity, acceleration = self._vectors(to, own, velocity, acceleration)
        shape = to.shape[:-1]
        to, own, velocity, acceleration = (x.reshape(-1, 3) for x in (to, own, velocity, acceleration))
        value = np.broadcast_to(np.asarray(value, dtype=float), shape).reshape(-1)
        w = np.broadcast_to(near.velocity, (*shape, 3)).reshape(-1, 3).copy()
        time = np.broadcast_to(near.time, shape).reshape(-1).copy()
        size = _length(to) + _length(self.a) * np.where(np.isfinite(time), time, 0.0) ** 2 + 1e-300
        active = np.flatnonzero(np.isfinite(time) & np.isfinite(w).all(axis=-1))
        done = np.zeros(len(to), dtype=bool)
        best = np.full(len(to), np.inf)
        s, c = sincos(value) if given in ("elevation", "arrival") else (None, None)
        for _ in range(ROUNDS):
            if not len(active):
                break
            k = active
            p, v = self.fly(w[k], time[k])
            miss = p - self._there(to[k], velocity[k], acceleration[k], time[k])
            r = w[k] - own[k]
            if given == "time":
                rest, by_w, by_time = time[k] - value[k], np.zeros_like(r), np.ones(len(k))
            elif given == "speed":
                rest, by_w, by_time = (_length(r) - value[k]), unit(r), np.zeros(len(k))
            else:
                way = r if given == "elevation" else v
                rise = dot(way, up)
                flat = way - rise[..., None] * up
                rest = rise * c[k] - _length(flat) * s[k]
                by_w, by_time = c[k][:, None] * up - s[k][:, None] * unit(flat), np.zeros(len(k))
                if given == "arrival":
                    later = self.fly(w[k], time[k] * (1.0 + 1e-6))[1]
                    by_time = (by_w * (later - v)).sum(axis=-1) / (1e-6 * time[k])
                    by_w = (self._slopes(w[k], time[k], 1) * by_w[:, :, None]).sum(axis=1)
            error = _length(miss) / size[k] + np.abs(rest) / np.maximum(
                np.abs(value[k]) if up is None else _length(r), 1e-12
            )
            # A step stops to help once rounding is all that is left.
            good = (error <= 1e-11) | ((error <= 1e-9) & (error >= 0.5 * best[k]))
            done[k[good]] = True
            lost = ~np.isfinite(error)
            best[k] = np.minimum(best[k], error)
            keep = ~good & ~lost
            if not keep.any():
                break
            k, v, miss, rest, by_w, by_time = (x[keep] for x in (k, v, miss, rest, by_w, by_time))
            matrix = np.zeros((len(k), 4, 4))
            matrix[:, :3, :3] = self._slopes(w[k], time[k])
            matrix[:, :3, 3] = v - velocity[k] - acceleration[k] * time[k][:, None]
            matrix[:, 3, :3], matrix[:, 3, 3] = by_w, by_time
            full = np.concatenate([miss, rest[:, None]], axis=1)
            move = _solved(matrix, full)
            shrink = np.minimum(1.0, 0.5 * time[k] / np.maximum(np.abs(move[:, 3]), 1e-300))
            fast = np.maximum(_length(w[k]), 1e-9)
            shrink = np.minimum(shrink, 0.5 * fast / np.maximum(_length(move[:, :3]), 1e-300))
            w[k] -= shrink[:, None] * move[:, :3]
            time[k] -= shrink * move[:, 3]
            active = k
        w[~done], time[~done] = np.nan, np.nan
        return Launch(w.reshape(*shape, 3), time.reshape(shape))

    def _slope(self, found: Launch, to, own, velocity, acceleration) -> np.ndarray:
        """By how much the speed that is needed changes with the time of flight (units/s²), along solutions."""
        with np.errstate(all="ignore"):
            safe = np.where(np.isfinite(found.time), found.time, 1.0)
            w = np.where(np.isfinite(found.velocity), found.velocity, 1.0)
            _, v = self.fly(w, safe)
            pace = v - velocity - acceleration * safe[..., None]
            turn = -_solved(self._slopes(w, safe), pace)
            return ((w - own) * turn).sum(axis=-1) / _length(w - own)

    def _at(self, task, time, near=None) -> tuple[np.ndarray, Launch]:
        """The launch speed that is needed to meet at ``time`` (inf if none is found), and that launch."""
        to, own, velocity, acceleration = task
        guess = self._guess(to, time, velocity, acceleration)
        if near is not None:
            # What drag costs changes slowly: carry it over from the solution before.
            before = self._guess(to, near.time, velocity, acceleration)
            carried = guess.velocity + near.velocity - before.velocity
            guess = Launch(np.where(np.isfinite(carried), carried, guess.velocity), guess.time)
        found = self._meet(to, own, velocity, acceleration, "time", time, guess)
        speed = _length(found.velocity - own)
        return np.where(np.isfinite(speed), speed, np.inf), found

    def _least(self, task) -> tuple[np.ndarray, Launch]:
        """The least speed that is needed over all times of flight, and its launch: where its slope is 0."""
        size, pull = _length(task[0]), float(_length(self.a))
        time = np.minimum(np.sqrt(2.0 * size / pull) if pull > 0.0 else size, 0.5 * LONGEST)
        found = self._at(task, time)[1]
        slope = self._slope(found, *task)
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
            part = tuple(x[rows] for x in task)
            one = self._at(part, now, Launch(found.velocity[rows], found.time[rows]))[1]
            slope = self._slope(one, *part)
            slope = np.where(np.isfinite(one.time), slope, np.where(now > 1.0, 1.0, -1.0))
            falling = slope < 0.0
            low[rows], high[rows] = np.where(falling, now, lo), np.where(falling, hi, now)
            at_low[rows], at_high[rows] = np.where(falling, slope, f), np.where(falling, g, slope)
            good = np.isfinite(one.time)
            found.velocity[rows[good]], found.time[rows[good]] = one.velocity[good], one.time[good]
            still = (np.abs(slope) * now > 1e-7 * _length(one.velocity - part[1])) & (now < 0.99 * LONGEST)
            rows = rows[still & (high[rows] - low[rows] > 1e-6 * high[rows])]
            if not len(rows):
                break
        return _length(found.velocity - task[1]), found

    def _search(self, to, own, velocity, acceleration, speed, arc) -> tuple[np.ndarray, np.ndarray]:
        """An arc by search over the time of flight, before (low) or after (high) that of the least speed."""
        task = (to, own, velocity, acceleration)
        velocities, times = np.full_like(to, np.nan), np.full(to.shape[:-1], np.nan)
        rows = np.arange(len(to))
        if not (np.any(own) or np.any(velocity) or np.any(acceleration)):
            # Drag only bends a flight down: what is out of reach without it stays so.
            rows = rows[launch.least_speed(to, self.a) <= speed]
        if not len(rows):
            return velocities, times
        part = tuple(x[rows] for x in task)
        least, found = self.exact(COARSE // 2)._least(part)
        close = np.abs(least - speed[rows]) <= (EDGE - 1.0) * speed[rows]
        if close.any():
            fine, at = self._least(tuple(x[close] for x in part))
            least[close], found.velocity[close], found.time[close] = fine, at.velocity, at.time
        if not np.any(least <= speed[rows]):
            return velocities, times
        good = least <= speed[rows]
        rows, found = rows[good], Launch(found.velocity[good], found.time[good])
        task, wanted = tuple(x[rows] for x in task), speed[rows]
        enough = found.time
        bad = 0.02 * enough if arc == LOW else enough
        if arc != LOW:
            for _ in range(8):
                bad = np.where(self._at(task, bad)[0] <= wanted, np.minimum(2.0 * bad, 0.999 * LONGEST), bad)
        for _ in range(48):
            middle = 0.5 * (enough + bad)
            needed, at = self._at(task, middle, found)
            below = needed <= wanted
            enough, bad = np.where(below, middle, enough), np.where(below, bad, middle)
            if np.all(np.abs(enough - bad) <= 1e-6 * enough):
                break
        near = self._at(task, enough, found)[1]
        last = self._meet(*task, "speed", wanted, near)
        good = np.isfinite(last.time) & (np.abs(last.time - enough) <= 1e-2 * enough)
        velocities[rows] = np.where(good[:, None], last.velocity, near.velocity)
        times[rows] = np.where(good, last.time, near.time)
        return velocities, times
