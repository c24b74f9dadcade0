"""How a body turns about its middle, while it comes to its speed and after."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from nivvo.core.geometry.turning import swung
from nivvo.core.numbers.clock import UNITS, seconds_of
from nivvo.core.numbers.frame import three
from nivvo.core.numbers.trig import sine_and_cosine, sines_and_cosines
from nivvo.core.numbers.vec import along, cross, dot
from nivvo.plan.clockwork import Ticks

TURNED = ("axis0", "axis1", "axis2", "front", "spot", "arm")
"""Vectors of a record that turn with its body."""


class Spin(NamedTuple):
    """How a body turns; while it comes to its speed, evenly within each tick.

    start : from when on (clock). vectors : what of its row turns along, as it is then. top : how fast (rad/s); gains :
    how fast it comes to that (rad/s²), inf: at once. swings : whether its middle goes round another point.
    """

    start: int
    vectors: np.ndarray
    top: float
    gains: float
    ticks: Ticks
    swings: bool

    def is_gaining(self, time: float) -> bool:
        """Whether it has yet to come to its speed at a time (clock)."""
        return self.gains < math.inf and time < self.start + abs(self.top) / self.gains * UNITS

    def angle(self, time: int) -> float:
        """By how much it is turned at a time (clock), rad."""
        if self.gains == math.inf:
            return self.top * ((time - self.start) / UNITS)
        low, high = self.tick_of(time)
        share = (time - low) / (high - low)
        return (1.0 - share) * self._gained(low) + share * self._gained(high)

    def rate(self, time: int) -> float:
        """How fast it turns from a time (clock) to its tick's end (rad/s)."""
        low, high = self.tick_of(time)
        return (self._gained(high) - self._gained(low)) / ((high - low) / UNITS)

    def tick_of(self, time: int) -> tuple[int, int]:
        """From when to when (clock) the tick of a time lasts, as far as it turns in it."""
        tick = self.ticks.holding(max(time, self.start))
        return max(self.ticks.edge(tick), self.start), self.ticks.edge(tick + 1)

    def set(self, row: np.void, time: int) -> np.void:
        """The row of its body, turned as it is at a time (clock)."""
        about, (s, c) = three(row["about"]), sine_and_cosine(self.angle(time))
        for name, vector in zip(TURNED, self.vectors.tolist(), strict=True):
            row[name] = swung(vector, about, s, c)
        if self.gains < math.inf:
            row["turns"] = self.rate(time)
        return row

    def _gained(self, time: int) -> float:
        """By how much it is turned at a tick's edge (clock), rad."""
        seconds, ramp = (time - self.start) / UNITS, abs(self.top) / self.gains
        if seconds < ramp:
            return math.copysign(0.5 * self.gains * seconds * seconds, self.top)
        return self.top * (seconds - 0.5 * ramp)


class Spins:
    """Bodies that turn, all of them turned at once. numbers, starts, tops : (n,); gaining : the places among them, and
    the spins, of those who come to their speed by and by."""

    def __init__(self, spins: dict[int, Spin], rows: np.ndarray):
        self.numbers = np.array([*spins], dtype=int)
        self.starts, self.tops = (np.array([getattr(spin, key) for spin in spins.values()]) for key in ("start", "top"))
        self.gaining = [(k, spin) for k, spin in enumerate(spins.values()) if spin.gains < math.inf]
        self.about = rows["about"][self.numbers].T
        self.vectors = np.array([spin.vectors for spin in spins.values()]).transpose(2, 1, 0)

    def set(self, rows: np.ndarray, time: int) -> None:
        """Their rows, each turned as it is at a time (clock), as ``Spin.set`` does."""
        angles = self.tops * seconds_of(time - self.starts)
        for k, spin in self.gaining:
            angles[k] = spin.angle(time)
        s, c = sines_and_cosines(angles)
        d, axis = self.vectors, self.about[:, None]
        turned = along(along((d[0] * c, d[1] * c, d[2] * c), cross(axis, d), s), axis, dot(axis, d) * (1.0 - c))
        for name, places in zip(TURNED, np.array(turned).transpose(1, 2, 0), strict=True):
            rows[name][self.numbers] = places
        self.set_rates(rows, time)

    def set_rates(self, rows: np.ndarray, time: int) -> None:
        """How fast those turn from a time on (clock) who have yet to come to their speed."""
        for k, spin in self.gaining:
            rows["turns"][self.numbers[k]] = spin.rate(time)
