"""The path of one projectile: known where it was recorded, exact between."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np

from nivvo.core.flying.flight import path_length
from nivvo.core.launching.air import Air
from nivvo.core.numbers.frame import Frame, added
from nivvo.core.numbers.vec import along, arc, dot
from nivvo.results import Tabled

Vector = tuple[float, float, float]
State = Callable[[float], tuple[Vector, Vector]]
STILL = (0.0, 0.0, 0.0)
PART = 1.0 / 60.0
"""Seconds in which the speed along a path is summed up where no ticks are written down."""


class Piece(NamedTuple):
    """A part of a way from ``start`` to ``stop`` (s): place and velocity at a time, and its greatest acceleration."""

    start: float
    stop: float
    state: State
    bend: float


def _parabola(p: Vector, v: Vector, a: Vector, start: float) -> State:
    def state(time: float) -> tuple[Vector, Vector]:
        return arc(p, v, a, time - start), along(v, a, time - start)

    return state


def speed_of(v) -> float:
    """Length of a velocity (3,)."""
    return math.sqrt(float(v[0]) ** 2 + float(v[1]) ** 2 + float(v[2]) ** 2)


@dataclass(frozen=True, repr=False)
class Path(Tabled):
    """Launch, each tick's end, touches and end of one projectile.

    t : (n,) s; twice where it goes on elsewhere: put out of what it lay in, or through an opening. p, v : (n, 3) world.
    air : what acts on it, or None where a game's own step moved it in straight pieces. moves_at : s, when it began to
    move. thrown : (m,) s, when it was thrown back. came : (n, 3) the velocity with which it came there, which is
    another than v where it was turned.
    held : whether it stayed on something, or went along it: then what acts is not all. sampled : whether each tick's
    end is among its places.
    """

    t: np.ndarray
    p: np.ndarray
    v: np.ndarray
    air: Air | None
    moves_at: float
    thrown: np.ndarray = field(default_factory=lambda: np.zeros(0))
    came: np.ndarray | None = None
    held: bool = False
    sampled: bool = True

    def __repr__(self) -> str:
        return f"<Path of {len(self.t)} places, from {self.t[0]:.5g} to {self.t[-1]:.5g} s>"

    def as_rows(self) -> list[dict[str, float]]:
        """A row a place: time (s), place and velocity, with all three axes."""
        columns = ("time", "x", "y", "z", "vx", "vy", "vz")
        return [dict(zip(columns, row, strict=True)) for row in np.column_stack([self.t, self.p, self.v]).tolist()]

    @property
    def known(self) -> bool:
        """Whether it is known between its places: where ticks' ends are not among them, if what acts tells it."""
        return self.sampled or not (self.air is None or self._smooth)

    @cached_property
    def _begun(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Where its parabolas begin: times (k,), places and velocities (k, 3)."""
        rows = np.concatenate([[0], np.searchsorted(self.t, self.thrown, side="right") - 1]).astype(int)
        return np.concatenate([[self.moves_at], self.thrown]), self.p[rows], self.v[rows]

    @cached_property
    def _jumps(self) -> np.ndarray:
        """The records (k,) after which it goes on elsewhere, at the same time."""
        same = np.flatnonzero(self.t[1:] == self.t[:-1])
        return same[np.any(self.p[same] != self.p[same + 1], axis=1)]

    def line(self, times: np.ndarray) -> np.ndarray:
        """Its places at times (n,) in order, to be drawn as a line (m, 3): broken by nan where it goes on elsewhere."""
        places = self.at(times)[0]
        within = [k for k in self._jumps.tolist() if times[0] < self.t[k] <= times[-1]]
        at = np.repeat(np.searchsorted(times, self.t[within]), 2)
        return np.insert(places, at, [row for k in within for row in (self.p[k], np.full(3, np.nan))] or 0.0, axis=0)

    @cached_property
    def drawn(self) -> np.ndarray:
        """All of it as a line (m, 3), also where it bends between its records."""
        even = np.linspace(self.t[0], self.t[-1], 200) if self.air is not None else self.t
        return self.line(np.union1d(self.t, even))

    @property
    def a(self) -> np.ndarray | None:
        """Its acceleration (3,), if that was constant."""
        return self.air.a if self.air is not None and self.air.thin and not self.held else None

    def at(self, times) -> tuple[np.ndarray, np.ndarray]:
        """Position and velocity, each (..., 3), at times (s); nan before launch and after the end.

        In exact step the parabola itself, or with drag the flight from the record before; in a game's own step
        the straight piece of that tick.
        """
        times = np.asarray(times, dtype=float)
        inside = (times >= self.t[0]) & (times <= self.t[-1])
        clipped = np.clip(times, self.t[0], self.t[-1])
        if self.a is not None:
            since, p0, v0 = self._begun
            k = np.maximum(np.searchsorted(since, clipped, side="right") - 1, 0)
            age = np.maximum(clipped - since[k], 0.0)[..., None]
            p = p0[k] + v0[k] * age + self.a * (0.5 * age * age)
            v = v0[k] + self.a * age
        elif self._smooth:
            p, v = self._between(clipped)
        elif self.air is not None:
            k = np.clip(np.searchsorted(self.t, clipped, side="right") - 1, 0, len(self.t) - 1)
            gone, v = self.air.fly(self.v[k], np.where(clipped > self.moves_at, clipped - self.t[k], 0.0))
            p = self.p[k] + gone
        else:
            k = np.clip(np.searchsorted(self.t, clipped, side="right") - 1, 0, max(len(self.t) - 2, 0))
            after = np.minimum(k + 1, len(self.t) - 1)
            span = self.t[after] - self.t[k]
            safe = np.where(span > 0.0, span, 1.0)[..., None]
            v = np.where(span[..., None] > 0.0, (self.p[after] - self.p[k]) / safe, self.v[k])
            p = self.p[k] + v * (clipped - self.t[k])[..., None]
        return np.where(inside[..., None], p, np.nan), np.where(inside[..., None], v, np.nan)

    @property
    def _smooth(self) -> bool:
        """Whether what acts on it is not known from its own numbers: between two records it is a cubic."""
        return self.air is not None and (self.air.careful or self.held)

    def _between(self, times) -> tuple[np.ndarray, np.ndarray]:
        """Position and velocity on the cubics through the places and velocities of the records."""
        k = np.clip(np.searchsorted(self.t, times, side="right") - 1, 0, max(len(self.t) - 2, 0))
        after = np.minimum(k + 1, len(self.t) - 1)
        h = np.maximum(self.t[after] - self.t[k], 1e-300)[..., None]
        s = np.clip((times - self.t[k])[..., None] / h, 0.0, 1.0)
        p0, v0, p1, v1 = self.p[k], self.v[k], self.p[after], self.came[after]
        rest = p1 - p0
        p = p0 + h * v0 * s + (3.0 * rest - h * (2.0 * v0 + v1)) * s**2 + (h * (v0 + v1) - 2.0 * rest) * s**3
        v = v0 + 2.0 * (3.0 * rest / h - 2.0 * v0 - v1) * s + 3.0 * (v0 + v1 - 2.0 * rest / h) * s**2
        stands = (times < self.moves_at)[..., None]
        return np.where(stands, self.p[0], p), np.where(stands, self.v[0], v)

    def apex(self, frame: Frame, until: float = np.inf) -> float:
        """Greatest height (units) above its start up to a time (s)."""
        heights, last = frame.height(self.p - self.p[0]), min(until, float(self.t[-1]))
        best = float(max(heights[self.t <= last].max(), frame.height(self.at(last)[0] - self.p[0])))
        if self.air is None:
            return best
        # Where it rises from a record and comes down to the next; what cannot be higher than that is passed over.
        rise, fall = frame.height(self.v[:-1]), frame.height(self.came[1:])
        most = heights[:-1] + (rise - fall) * np.diff(self.t)
        tops = (rise > 0.0) & (fall < 0.0) & (self.t[:-1] >= self.moves_at) & (self.t[:-1] < last)
        for k in np.flatnonzero(tops & (most > best)).tolist():
            if most[k] > best:
                best = max(best, self._crest(frame, k, last))
        return best

    def _crest(self, frame: Frame, k: int, last: float) -> float:
        """The greatest height above its start from record ``k`` to the next, up to a time (s)."""
        low, high = float(self.t[k]), min(float(self.t[k + 1]), last)
        if self.a is not None:
            low = min(low - float(frame.height(self.v[k]) / frame.height(self.a)), high)
        elif self._smooth:
            # Where the speed at which the cubic rises falls to 0: that is a parabola, above 0 and then below.
            h, rest = float(self.t[k + 1]) - low, frame.height(self.p[k + 1] - self.p[k])
            v0, v1 = frame.height(self.v[k]), frame.height(self.came[k + 1])
            slope, bend = float(v0 + v1 - 3.0 * rest / h + v0), float(3.0 * (v0 + v1 - 2.0 * rest / h))
            low = min(low + h * float(v0) / (slope + math.sqrt(max(slope * slope - bend * float(v0), 0.0))), high)
        else:
            # Where the speed at which it rises falls to 0, by its chord; an end that stays twice counts half.
            rise, fall = float(frame.height(self.v[k])), float(frame.height(self.at(high)[1]))
            near, close, side = high, 1e-10 * rise, 0
            for _ in range(52 if fall < 0.0 else 0):
                near = low + (high - low) * rise / (rise - fall)
                up = float(frame.height(self.at(near)[1]))
                if abs(up) <= close:
                    break
                if up > 0.0:
                    low, rise, fall, side = near, up, 0.5 * fall if side > 0 else fall, 1
                else:
                    high, fall, rise, side = near, up, 0.5 * rise if side < 0 else rise, -1
            low = near
        return float(frame.height(self.at(low)[0] - self.p[0]))

    def pieces(self, start: float, stop: float) -> list[Piece]:
        """The path from ``start`` to ``stop`` (s) in pieces that are smooth."""
        out: list[Piece] = []
        start, stop = max(start, float(self.t[0])), min(stop, float(self.t[-1]))
        if self.a is not None:
            p, v, a = (tuple(map(float, x)) for x in (self.p[0], self.v[0], self.a))
            if self.moves_at > start:
                out.append(Piece(start, min(self.moves_at, stop), _parabola(p, STILL, STILL, start), 0.0))
            bend, (since, p0, v0) = math.sqrt(dot(a, a)), self._begun
            for k, begun in enumerate(since.tolist()):
                over = min(stop, float(since[k + 1]) if k + 1 < len(since) else stop)
                if max(begun, start) < over or (not out and k + 1 == len(since)):
                    p, v = tuple(p0[k].tolist()), tuple(v0[k].tolist())
                    out.append(Piece(max(begun, start), max(over, begun), _parabola(p, v, a, begun), bend))
            return out
        for k in range(len(self.t) - 1):
            t0, t1 = float(self.t[k]), float(self.t[k + 1])
            if t1 <= start or t0 >= stop or t1 <= t0:
                continue
            p, v = tuple(map(float, self.p[k])), tuple(map(float, self.v[k]))
            if self.air is None:
                way = tuple(float(x) / (t1 - t0) for x in self.p[k + 1] - self.p[k])
                out.append(Piece(max(t0, start), min(t1, stop), _parabola(p, way, STILL, t0), 0.0))
            elif t1 <= self.moves_at:
                out.append(Piece(max(t0, start), min(t1, stop), _parabola(p, STILL, STILL, t0), 0.0))
            else:
                bend = (
                    self._bend(k)
                    if self._smooth
                    else self.air.most_bend(max(map(speed_of, (v, self.v[k + 1]))), t1 - t0)
                )
                out.append(Piece(max(t0, start), min(t1, stop), self._flown(k), bend))
        if not out:
            here = tuple(map(float, self.at(stop)[0]))
            out.append(Piece(start, stop, _parabola(here, STILL, STILL, start), 0.0))
        return out

    def _bend(self, k: int) -> float:
        """The greatest acceleration of the cubic from record ``k`` on: it is at one of its ends."""
        h, v0, v1 = float(self.t[k + 1] - self.t[k]), self.v[k], self.came[k + 1]
        rest = (self.p[k + 1] - self.p[k]) / h
        return max(speed_of(6.0 * rest - 4.0 * v0 - 2.0 * v1), speed_of(2.0 * v0 + 4.0 * v1 - 6.0 * rest)) / h

    def _cubic(self, k: int) -> State:
        """The state on the cubic from record ``k`` to the next."""
        t, h = float(self.t[k]), max(float(self.t[k + 1] - self.t[k]), 1e-300)
        ends = [x.tolist() for x in (self.p[k], self.v[k], self.p[k + 1], self.came[k + 1])]
        curves = [
            (p0, v0, 3.0 * (p1 - p0) - h * (2.0 * v0 + v1), h * (v0 + v1) - 2.0 * (p1 - p0))
            for p0, v0, p1, v1 in zip(*ends, strict=True)
        ]

        def state(time: float) -> tuple[Vector, Vector]:
            s = min(max((time - t) / h, 0.0), 1.0)
            p = tuple(p0 + s * (h * v0 + s * (b + s * c)) for p0, v0, b, c in curves)
            return p, tuple(v0 + s * (2.0 * b + 3.0 * s * c) / h for _, v0, b, c in curves)

        return state

    def _flown(self, k: int) -> State:
        """The state from record ``k`` on, with drag."""
        if self._smooth:
            return self._cubic(k)
        p, v, t, air = self.p[k], self.v[k], float(self.t[k]), self.air

        def state(time: float) -> tuple[Vector, Vector]:
            gone, u = air.fly(v, max(time - t, 0.0))
            return tuple(map(float, p + gone)), tuple(map(float, u))

        return state

    def length(self) -> float:
        """Length of the whole path (units)."""
        if self.a is not None:
            since, _, v0 = self._begun
            spans = np.maximum(np.append(since[1:], self.t[-1]) - since, 0.0).tolist()
            a = tuple(self.a.tolist())
            return added(path_length(tuple(v.tolist()), a, span) for v, span in zip(v0, spans, strict=True))
        if self.air is None:
            steps = np.delete(self.p[1:] - self.p[:-1], self._jumps, axis=0)
            return float(np.sqrt((steps * steps).sum(axis=1)).sum())
        # Simpson's rule on the speed, tick by tick.
        begins, left, came = self.t[:-1], self.v[:-1], self.came[1:]
        h = np.where(begins >= self.moves_at, self.t[1:] - begins, 0.0)
        if not self.sampled:
            parts = np.maximum(np.ceil(h / PART), 1.0).astype(int)
            last = np.cumsum(parts) - 1
            first, h = last - parts + 1, np.repeat(h / parts, parts)
            begins = np.repeat(begins, parts) + h * (np.arange(len(h)) - np.repeat(first, parts))
            ends = self.at(np.minimum(begins + h, self.t[-1]))[1]
            ends[last] = came
            starts = np.concatenate([left[:1], ends[:-1]])
            starts[first] = left
            left, came = starts, ends
        left, between, came = (np.sqrt((v * v).sum(axis=1)) for v in (left, self.at(begins + 0.5 * h)[1], came))
        return float((h * (left + 4.0 * between + came)).sum() / 6.0)

    def by_distance(self, spacing: float, most: int) -> np.ndarray:
        """Times (s) at which the path is 0, spacing, 2 spacing, ... long; at most ``most`` of them."""
        fine = np.unique(np.concatenate([self.t, np.linspace(self.t[0], self.t[-1], 16 * len(self.t))]))
        p, _ = self.at(fine)
        steps = p[1:] - p[:-1]
        for k in self._jumps.tolist():
            here = int(np.searchsorted(fine, self.t[k]))
            steps[here - 1] = self.p[k] - p[here - 1]
        steps = np.sqrt((steps**2).sum(axis=1))
        length = np.concatenate([[0.0], np.cumsum(steps)])
        wanted = spacing * np.arange(min(length[-1] * (1 + 1e-12) / spacing + 1.0, most) // 1.0)
        return np.interp(wanted, length, fine)
