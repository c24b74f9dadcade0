"""Bodies whose ways are known ahead: only who begins a new piece of his way is looked after, however many there are."""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterator

import numpy as np

from nivvo.core.numbers.clock import UNITS, seconds_of
from nivvo.play.ways.motion import Motion

MOST_PAIRS = 100_000
"""So many distances are looked at together."""


class Steady:
    """Those of ``movers`` whose ways are known ahead, as they go at a time (clock), as long as ``who`` is the same.

    numbers, reaches, fastest : (n,), all whose ways are known, how far each reaches, and how fast it ever goes. own :
    where each stands among them, by number. pieces, since : (n, 3, 3) what each goes on, and from when (clock).
    breaks : when each goes on otherwise, and its number, a heap. turned : who has gone on otherwise since that set was
    emptied. rest : who else moves.
    """

    def __init__(self, movers: list[int], motions: list[Motion], who: tuple, time: int, reach: Callable[[int], float]):
        foreseen = [k for k in movers if motions[k].foreseen and not motions[k].veers]
        self.who, self.time, self.turned = who, time, set(foreseen)
        self.numbers, self.reaches = np.array(foreseen, dtype=int), np.array([reach(k) for k in foreseen])
        self.own = {k: n for n, k in enumerate(foreseen)}
        self.rest = [k for k in movers if k not in self.own]
        self.fastest = np.array([motions[k].fastest for k in foreseen])
        self.pieces, self.since = np.empty((len(foreseen), 3, 3)), np.empty(len(foreseen), dtype=np.int64)
        for n, k in enumerate(foreseen):
            self.pieces[n], self.since[n] = motions[k].piece(time)
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
            self.pieces[self.own[k]], self.since[self.own[k]] = motions[k].piece(time)
            if (turn := motions[k].next_break(time)) is not None:
                heapq.heappush(self.breaks, (turn, k))
        return True

    def holds(self, who: tuple, time: int) -> bool:
        """Whether all still go at a time (clock) as they do."""
        return self.time <= time and (not self.breaks or time < self.breaks[0][0]) and self.who == who

    def boxes(self, time: int, end: int, slack: float) -> tuple[np.ndarray, np.ndarray, list[int]]:
        """The box in which each stays from a time to another (clock) if it goes straight meanwhile: numbers (n,), least
        corners, and greatest ones negated, (n, 6); of those who go on as they do until then, that included. And the
        numbers of all others."""
        even, far = self._even(end), (self.reaches + slack)[:, None]
        here, there = (self._at(when)[0] for when in (time, end))
        edges = np.hstack([np.minimum(here, there) - far, -np.maximum(here, there) - far])
        return self.numbers[even], edges[even], [*self.rest, *self.numbers[~even].tolist()]

    def straight(self, end: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Who goes on as it does until a time (clock), that included: numbers (n,); where each is now, and how fast it
        goes straight from there to where it is then, (n, 3) each. As ``Motion.straight`` has it, to the bit."""
        even = self._even(end)
        here, there = (self._at(when)[0][even] for when in (self.time, end))
        return self.numbers[even], here, (there - here) / ((end - self.time) / UNITS)

    def _even(self, end: int) -> np.ndarray:
        """Which of them (n,) go on as they do until a time (clock), that included."""
        even = np.ones(len(self.own), dtype=bool)
        even[[self.own[k] for k in self.turning(end + 1)]] = False
        return even

    def nearing(self, places: np.ndarray, sizes: np.ndarray, time: int, end: int) -> set[int]:
        """Who may come as near as that to one of some places (n, 3) from this time to another (clock). sizes : (n,),
        units."""
        p, v, a = self._at(time)
        seconds, turning = (end - time) / UNITS, [self.own[k] for k in self.turning(end)]
        goes = (np.sqrt((v * v).sum(axis=1)) + np.sqrt((a * a).sum(axis=1)) * seconds) * seconds
        goes[turning] = self.fastest[turning] * seconds
        goes += self.reaches
        near, at_once = np.zeros(len(p), dtype=bool), max(MOST_PAIRS // max(len(p), 1), 1)
        for k in range(0, len(places), at_once):
            off, size = places[k : k + at_once, None] - p, sizes[k : k + at_once, None]
            near |= (np.sqrt((off * off).sum(axis=2)) <= size + goes).any(axis=0)
        return {*self.numbers[near].tolist()}

    def turning(self, end: int) -> Iterator[int]:
        """Who goes on otherwise before a time (clock): what comes later in a heap than another is not looked at."""
        at = [0]
        while at:
            k = at.pop()
            if k < len(self.breaks) and self.breaks[k][0] < end:
                yield self.breaks[k][1]
                at += (2 * k + 1, 2 * k + 2)

    def _at(self, time: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Places, velocities and accelerations (n, 3) at a time until which all go on as they do."""
        (c, v, a), t = self.pieces.swapaxes(0, 1), seconds_of(time - self.since)[:, None]
        # Who rests is where he is, also at -0.0.
        rests = ~self.pieces[:, 1:].any(axis=(1, 2))[:, None]
        return np.where(rests, c, c + v * t + a * (0.5 * t * t)), v + a * t, a
