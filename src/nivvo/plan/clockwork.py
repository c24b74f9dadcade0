"""The ticks of a drill: even by rate, or uneven by frame times."""

from __future__ import annotations

import itertools
import math
from bisect import bisect_right
from pathlib import Path

import numpy as np

from nivvo.core.numbers import clock
from nivvo.core.world.arena import one_tick, ticks_of
from nivvo.errors import DrillError, Problem
from nivvo.spec.reading.files import Unreadable, rows_of_csv
from nivvo.spec.scenes.scene import LEAST_FRAME, Tick

KEPT = 4096

MOST_ROWS = 64
"""Sets of rows of even ticks that are kept: sessions of one scene ask for the same again."""

MOST_FRAMES = 20_000
"""Ticks of a session of which it is known how long each was."""


class Ticks:
    """Edges of ticks on the clock, as far as they are asked for."""

    def __init__(self, rules: Tick, folder: Path):
        self.rate = rules.rate
        self.past: list[int] | None = None
        self.first = 0
        self.frames: np.ndarray | None = None
        self._even: dict[tuple[int, int], np.ndarray] = {}
        tick = clock.tick_of(float(rules.rate))
        self.whole = int(tick) if rules.frames is None and tick.denominator == 1 else 0
        if rules.frames is not None:
            seconds = rules.frames if isinstance(rules.frames, list) else _frames_of_csv(folder / rules.frames)
            self.frames = np.array([clock.from_seconds(one) for one in seconds], dtype=np.int64)
            self.rate = len(self.frames) * clock.UNITS / float(self.frames.sum())
            self._edges = np.concatenate([[0], np.cumsum(self.frames)])
            self.round = int(self._edges[-1])

    def play(self, tick: int, seconds: float | None) -> None:
        """Let tick number ``tick``, the next to come, last so many seconds; None: as the rules have it.

        From then on ticks that have not come are as long as the rate says. Old edges are forgotten.
        """
        if seconds is None and self.past is None:
            return
        if self.past is None:
            self.past, self.first = [self.edge(tick)], tick
        length = clock.UNITS / self.rate if seconds is None else clock.from_seconds(seconds)
        del self.past[tick - self.first + 1 :]
        self.past.append(self.past[-1] + round(length))
        if len(self.past) > KEPT:
            gone = len(self.past) - KEPT // 2
            del self.past[:gone]
            self.first += gone

    def lasts_as_ruled(self, seconds: float) -> bool:
        """Whether a tick of so many seconds is as the rules have each, but for rounding."""
        return self.frames is None and abs(clock.from_seconds(seconds) - clock.UNITS / self.rate) <= 1.0

    @property
    def longest(self) -> int:
        """At least how long (counts) each tick lasts, as the rules have it."""
        return math.ceil(clock.UNITS / self.rate) + 1 if self.frames is None else int(self.frames.max())

    @property
    def uneven(self) -> bool:
        """Whether ticks may be of several lengths."""
        return self.frames is not None or self.past is not None

    def edge(self, tick: int) -> int:
        """When a tick starts, on the clock."""
        if self.past is not None:
            known = min(max(tick - self.first, 0), len(self.past) - 1)
            return self.past[known] + round((tick - self.first - known) * clock.UNITS / self.rate)
        if self.whole:
            return tick * self.whole
        if self.frames is None:
            return clock.edge_of_rate(self.rate, tick)
        rounds, rest = divmod(tick, len(self.frames))
        return rounds * self.round + int(self._edges[rest])

    def holding(self, time: int) -> int:
        """The tick within which a time lies; an edge belongs to the tick that it starts."""
        if self.whole and self.past is None:
            return max(time // self.whole, 0)
        if self.past is not None:
            known = max(bisect_right(self.past, time) - 1, 0)
            tick = self.first + known
            if known < len(self.past) - 1:
                return tick
            tick += max(int((time - self.edge(tick)) * self.rate / clock.UNITS) - 1, 0)
            while self.edge(tick + 1) <= time:
                tick += 1
            return tick
        if self.frames is None:
            tick = max(int(time / clock.UNITS * self.rate) - 2, 0)
            while self.edge(tick + 1) <= time:
                tick += 1
            return tick
        rounds, rest = divmod(time, self.round)
        return rounds * len(self.frames) + int(np.searchsorted(self._edges, rest, side="right")) - 1

    def seen(self, time: int) -> int:
        """When a game that looks at its input once a tick sees what happened at ``time``: the next edge."""
        tick = self.holding(time)
        return time if self.edge(tick) == time else self.edge(tick + 1)

    def rows(self, first: int, count: int) -> np.ndarray:
        """Rows of ``core.pool.TICKS`` for ``count`` ticks from number ``first``, to be read only."""
        if count == 1:
            dt = 1.0 / self.rate if not self.uneven else None
            return one_tick(self.edge(first), self.edge(first + 1), first, dt)
        if not self.uneven:
            rows = self._even.get((first, count))
            if rows is None:
                if len(self._even) >= MOST_ROWS:
                    self._even.clear()
                edges = clock.edges_of_rate(self.rate, first, count)
                rows = self._even[first, count] = ticks_of(edges, first, 1.0 / self.rate)
            return rows
        return ticks_of(self._from(np.arange(first, first + count + 1, dtype=np.int64)), first)

    def _from(self, ticks: np.ndarray) -> np.ndarray:
        """``edge`` of ticks (n,), uneven ones."""
        if self.past is None:
            rounds, rest = np.divmod(ticks, len(self.frames))
            return rounds * self.round + self._edges[rest]
        known = np.clip(ticks - self.first, 0, len(self.past) - 1)
        later = np.rint(((ticks - self.first - known) * clock.UNITS).astype(float) / self.rate)
        return np.array(self.past, dtype=np.int64)[known] + later.astype(np.int64)


class Frames:
    """How long the ticks of a session were, once a game says so: counts, since a tick that began at a time (clock)."""

    def __init__(self, ticks: Ticks):
        self.ticks, self.uneven = ticks, False
        self.lengths: list[int] | None = None
        self.tick = self.start = 0

    def play(self, tick: int, seconds: float | None) -> None:
        """The coming tick lasts so many seconds; None: as the drill's rules have it."""
        ticks = self.ticks
        if seconds is not None and self.lengths is None:
            self.lengths = self._lengths(self.tick, tick)
        self.uneven |= seconds is not None and not ticks.lasts_as_ruled(seconds)
        ticks.play(tick, seconds)
        if self.lengths is not None and len(self.lengths) <= MOST_FRAMES:
            self.lengths.append(ticks.edge(tick + 1) - ticks.edge(tick))

    def back(self, tick: int) -> None:
        """It is that tick's start again."""
        if tick < self.tick:
            self.forget(tick)
        elif self.lengths is not None:
            del self.lengths[tick - self.tick :]
            self.lengths += self._lengths(self.tick + len(self.lengths), tick)

    def _lengths(self, first: int, last: int) -> list[int]:
        """How long ticks were, up to as many as are kept."""
        edges = [self.ticks.edge(k) for k in range(first, min(last, first + MOST_FRAMES) + 1)]
        return [after - edge for edge, after in itertools.pairwise(edges)]

    def forget(self, tick: int) -> None:
        """Of the ticks before one only how long they took together is kept."""
        self.tick, self.start = tick, self.ticks.edge(tick)
        self.lengths = None if self.lengths is None else []

    def told(self) -> list[float] | None:
        """All in seconds; None if they are as the drill's rules have them, none if there are too many."""
        if not self.uneven or self.lengths is None:
            return None
        if len(self.lengths) > MOST_FRAMES:
            return []
        parts = -(-self.start // (10 * clock.UNITS))
        before = [self.start * (k + 1) // parts - self.start * k // parts for k in range(parts)]
        return [clock.to_seconds(one) for one in (*before, *self.lengths)]


def _frames_of_csv(path: Path) -> list[float]:
    """Frame times in seconds from the first column of a CSV file; a first line of words is a heading."""

    def wrong(says: str, line: int = 0) -> DrillError:
        return DrillError([Problem(f"{path}:{line}" if line else str(path), "tick.frames", says)])

    seconds: list[float] = []
    try:
        for k, (line, row) in enumerate(rows_of_csv(path)):
            try:
                value = float(row[0])
            except ValueError:
                if k == 0:
                    continue
                raise wrong(f"not a number of seconds: {row[0][:40]!r}", line) from None
            if not LEAST_FRAME <= value <= 10.0:
                raise wrong(f"a frame lasts from {LEAST_FRAME:g} to 10 s, not {row[0][:40]}", line)
            seconds.append(value)
            if len(seconds) > 1_000_000:
                raise wrong("more than 1,000,000 frames", line)
    except Unreadable as error:
        says = str(error)
        raise wrong(says if says.startswith("cannot") else f"cannot be read: {says}") from None
    if not seconds:
        raise wrong("has no frame times")
    return seconds
