"""How a game's timers count: exactly, or at ticks in one of three ways, in 64 or 32 bits.

exact           a timer runs out when it runs out, also inside a tick.
re-armed        each tick: fire once ``now >= next``, then ``next = now + interval``; now is added up.
counting down   each tick: ``left -= dt``; fire once ``left <= 0``, then ``left = interval``.
accumulating    each tick: ``sum += dt``; fire while ``sum >= interval``, taking the interval off each time.

The last keeps what is left over, so it holds its rate; the others lose up to a tick a shot.
"""

from __future__ import annotations

import numpy as np

from nivvo.core import clock
from nivvo.play.clockwork import Ticks

EXACT, RE_ARMED, ACCUMULATING, COUNTING_DOWN = "exact", "re-armed", "accumulating", "counting down"


class Timers:
    """The timer rule of a drill on its ticks."""

    def __init__(self, ticks: Ticks, rule: str, bits: int):
        self.ticks, self.rule = ticks, rule
        self.real = np.float32 if bits == 32 else np.float64
        self._now = [self.real(0.0)]

    def _dt(self, tick: int):
        if self.ticks.frames is None:
            return self.real(1.0 / self.ticks.rate)
        return self.real((self.ticks.edge(tick + 1) - self.ticks.edge(tick)) / clock.UNITS)

    def _time(self, tick: int):
        """The game's own time at the start of a tick: its frame times, added up."""
        while len(self._now) <= tick:
            self._now.append(self.real(self._now[-1] + self._dt(len(self._now) - 1)))
        return self._now[tick]

    def after(self, time: int, duration: int) -> int:
        """When a timer that is started at ``time`` (clock) has run for ``duration`` (clock)."""
        return self.next(time, duration, None)[0]

    def next(self, time: int, duration: int, left) -> tuple[int, object]:
        """The next time of a timer that repeats; ``left`` is what the time before left over (None at first)."""
        if self.rule == EXACT or duration <= 0:
            return time + max(duration, 0), None
        start = tick = self.ticks.holding(time)
        length = self.real(duration / clock.UNITS)
        if self.rule == RE_ARMED:
            goal = self.real(self._time(start) + length)
            while tick == start or self._time(tick) < goal:
                tick += 1
            return self.ticks.edge(tick), None
        if self.rule == COUNTING_DOWN:
            rest = length
            while tick == start or rest > 0:
                rest = self.real(rest - self._dt(tick))
                tick += 1
            return self.ticks.edge(tick), None
        total = self.real(0.0) if left is None else left
        while total < length:
            total = self.real(total + self._dt(tick))
            tick += 1
        return self.ticks.edge(tick), self.real(total - length)
