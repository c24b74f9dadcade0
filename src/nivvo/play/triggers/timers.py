"""How a game's timers count: exactly, or at ticks in one of three ways, in 64 or 32 bits.

exact           a timer runs out when it runs out, also inside a tick.
re-armed        each tick: fire once ``now >= next``, then ``next = now + interval``; now is added up.
counting down   each tick: ``left -= dt``; fire once ``left <= 0``, then ``left = interval``.
accumulating    each tick: ``sum += dt``; fire while ``sum >= interval``, taking the interval off each time.

The last keeps what is left over, so it holds its rate; the others lose up to a tick a shot. Where a game's ticks are
as long as they come, a timer that runs is counted on tick by tick: when it is due is foreseen from then on.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from nivvo.core.numbers import clock
from nivvo.plan.clockwork import Ticks

EXACT, RE_ARMED, ACCUMULATING, COUNTING_DOWN = "exact", "re-armed", "accumulating", "counting down"

FIRST, CHUNK = 16, 1 << 14
NEVER = 1 << 60
"""A time (clock) that no session comes to."""


class Deadline:
    """When something is due (clock). left: what an accumulating timer then has over."""

    __slots__ = ("left", "time")

    def __init__(self, time: int, left=None):
        self.time, self.left = time, left


class Running(Deadline):
    """A timer at ticks: by ``tick`` it has come to ``value``, and is due once that is at ``goal``."""

    __slots__ = ("goal", "tick", "value")

    def __init__(self, tick: int, value, goal):
        super().__init__(0)
        self.tick, self.value, self.goal = tick, value, goal


class Latest:
    """The latest of several deadlines."""

    __slots__ = ("parts",)

    def __init__(self, parts: Iterable[Deadline | Latest]):
        self.parts = list(parts)

    @property
    def time(self) -> int:
        """When the last of them is due (clock)."""
        return max((part.time for part in self.parts), default=0)


NOTHING = {real: np.zeros(1, dtype=real) for real in (np.float32, np.float64)}
"""The game's own time when it begins."""


class Timers:
    """The timer rule of a drill on its ticks."""

    def __init__(self, ticks: Ticks, rule: str, bits: int):
        self.ticks, self.rule = ticks, rule
        self.real = np.float32 if bits == 32 else np.float64
        self.running: list[Running] = []
        self._first, self._now = 0, NOTHING[self.real]

    def after(self, time: int, duration: int) -> Deadline:
        """When a timer that is started at ``time`` (clock) has run for ``duration`` (clock)."""
        return self.next(time, duration, None)

    def next(self, time: int, duration: int, left) -> Deadline:
        """The next time of a timer that repeats; ``left`` is what the time before left over (None at first).

        A timer that no longer moves, since a frame time is nothing beside what it counts, is due NEVER.
        """
        if self.rule == EXACT or duration <= 0:
            return Deadline(time + max(duration, 0))
        start = self.ticks.holding(time)
        length = self.real(duration / clock.UNITS)
        if self.rule == RE_ARMED:
            timer = Running(start, self._time(start), self.real(self._time(start) + length))
        elif self.rule == COUNTING_DOWN:
            timer = Running(start, length, self.real(0.0))
        else:
            timer = Running(start, self.real(0.0) if left is None else left, length)
            if timer.value >= length:
                return Deadline(self.ticks.edge(start), self.real(timer.value - length))
        self._foresee(timer)
        if self.ticks.past is not None:
            self.running.append(timer)
        return timer

    def played(self, tick: int) -> None:
        """Count on what runs: the ticks before number ``tick`` have come, and it is known how long that one lasts."""
        if self.rule == EXACT or self.ticks.past is None:
            return
        # What was foreseen of the game's own time holds up to this tick.
        now = self._time(tick)
        self._first, self._now = tick, np.array([now], dtype=self.real)
        self.running = [timer for timer in self.running if timer.time > self.ticks.edge(tick)]
        for timer in self.running:
            while timer.tick < tick:
                dt = self._dts(timer.tick, 1)[0]
                timer.value = self.real(timer.value - dt if self.rule == COUNTING_DOWN else timer.value + dt)
                timer.tick += 1
            self._foresee(timer)

    def _foresee(self, timer: Running) -> None:
        """When a timer is due, as ticks go on; it takes one tick at least."""
        down, count, start, value = self.rule == COUNTING_DOWN, FIRST, timer.tick, timer.value
        while True:
            dts = self._dts(start, count)
            values = np.add.accumulate(np.append(value, -dts if down else dts), dtype=self.real)[1:]
            over = np.flatnonzero(values <= timer.goal if down else values >= timer.goal)
            if len(over):
                k = int(over[0])
                timer.time = self.ticks.edge(start + k + 1)
                timer.left = None if self.rule != ACCUMULATING else self.real(values[k] - timer.goal)
                return
            if values[-1] == value:
                timer.time = NEVER
                return
            start, value, count = start + len(values), values[-1], min(2 * count, CHUNK)

    def _dts(self, first: int, count: int) -> np.ndarray:
        """The frame times (s) of some ticks, as the game has them."""
        if self.ticks.frames is None and self.ticks.past is None:
            return np.full(count, 1.0 / self.ticks.rate).astype(self.real)
        edges = [self.ticks.edge(tick) for tick in range(first, first + count + 1)]
        return (np.diff(np.array(edges, dtype=np.int64)) / clock.UNITS).astype(self.real)

    def _time(self, tick: int):
        """The game's own time at the start of a tick."""
        return self._times(tick)[tick - self._first]

    def _times(self, tick: int) -> np.ndarray:
        """The game's own time at the start of each tick up to one: its frame times, added up."""
        missing = tick + 1 - self._first - len(self._now)
        if missing > 0:
            more = missing if self.ticks.past is not None else max(missing, CHUNK, len(self._now))
            dts = self._dts(self._first + len(self._now) - 1, more)
            now = np.add.accumulate(np.append(self._now[-1:], dts), dtype=self.real)[1:]
            self._now = np.append(self._now, now)
        return self._now
