"""Bodies whose ways are known ahead: only who begins a new piece of his way is looked after, however many there are."""

from __future__ import annotations

import heapq
from collections.abc import Callable

import numpy as np

from nivvo.core.numbers.clock import UNITS
from nivvo.play.ways.motion import Motion

MOST_PAIRS = 100_000
"""So many distances are looked at together."""


class Steady:
    """Those of ``movers`` whose ways are known ahead, as they go at a time (clock), as long as ``who`` is the same.

    breaks : when each goes on otherwise, and its number, the first in front. turned : who has yet to be written as he
    goes now. rest : who else moves. numbers, reaches : of all whose ways are known.
    """

    def __init__(self, movers: list[int], motions: list[Motion], who: tuple, time: int, reach: Callable[[int], float]):
        foreseen = [k for k in movers if motions[k].foreseen and not motions[k].veers]
        self.who, self.time, self.turned = who, time, set(foreseen)
        self.rest = [k for k in movers if k not in self.turned]
        self.numbers, self.reaches = np.array(foreseen, dtype=int), np.array([reach(k) for k in foreseen])
        self.breaks = [(turn, k) for k in foreseen if (turn := motions[k].next_break(time)) is not None]
        heapq.heapify(self.breaks)

    def goes_on(self, motions: list[Motion], who: tuple, time: int) -> bool:
        """Come to a later time; whether that can be."""
        if time < self.time or self.who != who:
            return False
        self.time = time
        while self.breaks and self.breaks[0][0] <= time:
            _, k = heapq.heappop(self.breaks)
            self.turned.add(k)
            if (turn := motions[k].next_break(time)) is not None:
                heapq.heappush(self.breaks, (turn, k))
        return True

    def holds(self, who: tuple, time: int) -> bool:
        """Whether all are written as they go at a time (clock)."""
        goes = self.time <= time and (not self.breaks or time < self.breaks[0][0])
        return goes and not self.turned and self.who == who

    def boxes(self, rows: np.ndarray, time: int, slack: float) -> list[tuple]:
        """The box that each lies in at a time at which all are written: number, least and greatest corner (units)."""
        (places, _, _), far = self._at(rows, time), (self.reaches + slack)[:, None]
        edges = np.hstack([places - far, places + far]).tolist()
        return [(k, *edge) for k, edge in zip(self.numbers.tolist(), edges, strict=True)]

    def nearing(self, rows: np.ndarray, places: np.ndarray, sizes: np.ndarray, time: int, end: int) -> set[int]:
        """Who may come as near as that to one of some places (n, 3) from this time to another (clock), and whoever goes
        on otherwise meanwhile. sizes : (n,), units."""
        found = {*self.turned, *(k for turn, k in self.breaks if turn < end)}
        p, v, a = self._at(rows, time)
        seconds = (end - time) / UNITS
        goes = (np.sqrt((v * v).sum(axis=1)) + np.sqrt((a * a).sum(axis=1)) * seconds) * seconds + self.reaches
        near, at_once = np.zeros(len(p), dtype=bool), max(MOST_PAIRS // max(len(p), 1), 1)
        for k in range(0, len(places), at_once):
            off, size = places[k : k + at_once, None] - p, sizes[k : k + at_once, None]
            near |= (np.sqrt((off * off).sum(axis=2)) <= size + goes).any(axis=0)
        return found.union(self.numbers[near].tolist())

    def _at(self, rows: np.ndarray, time: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Places, velocities and accelerations (n, 3) at a time, of those who are written as they go."""
        t = ((time - rows["t0"][self.numbers]) / UNITS)[:, None]
        c, v, a = (rows[name][self.numbers] for name in ("c0", "v0", "a0"))
        return c + v * t + a * (0.5 * t * t), v + a * t, a
