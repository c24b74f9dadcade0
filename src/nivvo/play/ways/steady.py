"""Bodies whose ways are known ahead: only who begins a new piece of his way is looked after, however many there are."""

from __future__ import annotations

import heapq
from collections.abc import Callable

import numpy as np

from nivvo.core.numbers.clock import UNITS
from nivvo.play.ways.motion import Motion


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
        of = rows[self.numbers]
        t, far = ((time - of["t0"]) / UNITS)[:, None], (self.reaches + slack)[:, None]
        places = of["c0"] + of["v0"] * t + of["a0"] * (0.5 * t * t)
        edges = np.hstack([places - far, places + far]).tolist()
        return [(k, *edge) for k, edge in zip(self.numbers.tolist(), edges, strict=True)]
