"""Where a body is when: pieces of constant acceleration, known ahead or made by input as it comes."""

from __future__ import annotations

import copy
import itertools
from bisect import bisect_right

import numpy as np

from nivvo.core.clock import UNITS, from_seconds
from nivvo.core.frame import Frame, dot, sincos
from nivvo.plan.bodies import Body, Walk
from nivvo.plan.clockwork import Ticks

NOWHERE = np.zeros(3)


FOREVER = 1e6
"""Seconds after which nobody asks where a body is."""


def _counts(seconds: float) -> int:
    """Seconds as counts of the clock; what would take longer than anybody looks takes that long."""
    return from_seconds(min(float(seconds), FOREVER))


class Motion:
    """Pieces of a body's way: from each time on (clock) a place, a velocity, a constant acceleration.

    veers : whether it may change at any tick.
    """

    veers = False

    def __init__(self, place: np.ndarray, velocity=NOWHERE, acceleration=NOWHERE):
        self._rests: bool | None = None
        self.times = [0]
        self.pieces = [(np.asarray(place, dtype=float), np.asarray(velocity, float), np.asarray(acceleration, float))]

    @property
    def moves(self) -> bool:
        """Whether it moves or may come to move."""
        if len(self.times) > 1:
            return True
        if self._rests is None:
            self._rests = not any(part.any() for part in self.pieces[0][1:])
        return not self._rests

    def piece(self, time: float) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray], int]:
        """The piece that holds at a time: place, velocity and acceleration (3,) where it begins, and when (clock)."""
        k = max(bisect_right(self.times, time) - 1, 0)
        return self.pieces[k], self.times[k]

    def at(self, time: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Place, velocity and acceleration (3,) at a time on the clock."""
        if not self.moves:
            return self.pieces[0]
        (c, v, a), start = self.piece(time)
        t = (time - start) / UNITS
        return c + v * t + a * (0.5 * t * t), v + a * t, a

    def seen(self, seconds: float) -> tuple[np.ndarray, np.ndarray]:
        """Place and velocity at a time in seconds."""
        return self.at(seconds * UNITS)[:2]

    def next_break(self, time: int) -> int | None:
        """The first time after ``time`` at which a piece begins; None if there is none."""
        k = bisect_right(self.times, time)
        return self.times[k] if k < len(self.times) else None

    def forget(self, time: int) -> None:
        """Drop what lies behind the piece that holds at ``time``."""
        k = max(bisect_right(self.times, time) - 1, 0)
        del self.times[:k], self.pieces[:k]
        self._rests = None

    def placed(self, now: int, then: int, goal: np.ndarray, jump: bool) -> Motion:
        """The motion of what is moved from outside: from now on to ``goal`` by ``then``, or at once; there it stays."""
        moved = Motion(self.at(now)[0])
        moved._go_to(now, then, goal, jump)
        return moved

    def _go_to(self, now: int, then: int, goal: np.ndarray, jump: bool) -> None:
        still = np.zeros(3)
        if jump:
            self.turn(now, goal, still, still)
        else:
            here = self.at(now)[0]
            self.turn(now, here, (goal - here) / ((then - now) / UNITS), still)
            self.turn(then, goal, still, still)

    def turn(self, time: int, place, velocity, acceleration) -> None:
        """Go on otherwise from ``time`` on; what was to come after it is gone."""
        while self.times and self.times[-1] >= time:
            self.times.pop()
            self.pieces.pop()
        self._rests = None
        self.times.append(time)
        self.pieces.append((place, velocity, acceleration))


class Route(Motion):
    """Along given points at a constant speed: stopping, back and forth, or around.

    A way that goes on for ever is one round, repeated: where a body is after a day is found at once.
    """

    def __init__(self, points: list[np.ndarray], speed: float, at_end: str):
        super().__init__(points[0])
        stops = [points[0], *(q for p, q in itertools.pairwise(points) if np.any(q != p))]
        if len(stops) > 1 and at_end == "back":
            stops += stops[-2::-1]
        elif len(stops) > 1 and at_end == "around":
            stops += [stops[0]] if np.any(stops[0] != stops[-1]) else []
        self.times, self.pieces = [], []
        self.round = 0
        for here, goal in itertools.pairwise(stops):
            way = goal - here
            length = float(np.sqrt(dot(way, way)))
            if length > 0.0:
                self.times.append(self.round)
                self.pieces.append((here, way * (speed / length), NOWHERE))
                self.round += max(_counts(length / speed), 1)
        self.repeats = len(self.pieces) > 1 and at_end != "stop"
        if not self.repeats:
            self.times.append(self.round)
            self.pieces.append((stops[-1], NOWHERE, NOWHERE))

    @property
    def moves(self) -> bool:
        """Whether it moves at all."""
        return len(self.pieces) > 1

    def _before(self, time: float) -> tuple[int, int]:
        """Start of the round that a time lies in, and which piece of it holds."""
        start = int(time // self.round) * self.round if self.repeats and time > 0 else 0
        return start, max(bisect_right(self.times, time - start) - 1, 0)

    def piece(self, time: float) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray], int]:
        """The piece that holds at a time: place, velocity and acceleration (3,) where it begins, and when (clock)."""
        start, k = self._before(time)
        return self.pieces[k], start + self.times[k]

    def next_break(self, time: int) -> int | None:
        """The first time after ``time`` at which a piece begins; None if there is none."""
        start, k = self._before(time)
        if k + 1 < len(self.times):
            return start + self.times[k + 1]
        return start + self.round if self.repeats else None

    def forget(self, time: int) -> None:
        """Nothing of a round can be dropped."""


class Circling(Motion):
    """Round a point: at each tick's edge where the circle has it, straight between."""

    veers = True

    def __init__(self, place: np.ndarray, circle: tuple, ticks: Ticks):
        super().__init__(place)
        centre, self.rate, self.first, self.second = circle
        off = place - centre
        self.x, self.y = float(dot(off, self.first)), float(dot(off, self.second))
        self.rest = place - self.x * self.first - self.y * self.second
        self.ticks = ticks

    @property
    def moves(self) -> bool:
        """It goes round for ever."""
        return True

    def _on_it(self, time: int) -> np.ndarray:
        s, c = (float(one) for one in sincos(self.rate * (time / UNITS) % 360.0))
        return self.rest + (self.x * c - self.y * s) * self.first + (self.x * s + self.y * c) * self.second

    def piece(self, time: float) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray], int]:
        """The piece that holds at a time: place, velocity and acceleration (3,) where it begins, and when (clock)."""
        tick = self.ticks.holding(int(time))
        start, end = self.ticks.edge(tick), self.ticks.edge(tick + 1)
        here = self._on_it(start)
        return (here, (self._on_it(end) - here) / ((end - start) / UNITS), NOWHERE), start

    def next_break(self, time: int) -> int | None:
        """The first time after ``time`` at which a piece begins."""
        return self.ticks.edge(self.ticks.holding(int(time)) + 1)

    def forget(self, time: int) -> None:
        """Nothing of a circle can be dropped."""


def timed(place: np.ndarray, points: tuple[tuple[int, np.ndarray], ...]) -> Motion:
    """The way of a body that is at given points at given times (clock): straight between, then it stays."""
    motion, here, start = Motion(place), place, 0
    for when, goal in points:
        if when > start:
            motion.turn(start, here, (goal - here) / ((when - start) / UNITS), NOWHERE)
        here, start = goal, when
    motion.turn(start, here, NOWHERE, NOWHERE)
    return motion


class Walker(Motion):
    """A shooter that walks by input and jumps: steered at a time, it goes on so until steered anew.

    On the level it nears the speed asked for at its acceleration, or has it at once. A jump is a throw
    straight up under the world's gravity, over when it is back at the height it started from. Where there are
    obstacles it goes ``afoot`` among them instead.
    """

    @property
    def veers(self) -> bool:
        """Among bodies its way may change at any tick."""
        return self.afoot

    def __init__(self, place: np.ndarray, walk: Walk, frame: Frame, gravity: np.ndarray):
        super().__init__(place)
        self.walk, self.frame, self.gravity = walk, frame, gravity
        self.floor = float(dot(place, frame.up))
        self.wanted = NOWHERE
        # Among bodies how it goes is worked out tick by tick; here is what for: whether it stands, how fast it leaps.
        # Until when (clock) something else brings it where it goes.
        self.afoot, self.stands, self.leaps, self.carried = False, True, 0.0, 0

    def placed(self, now: int, then: int, goal: np.ndarray, jump: bool) -> Walker:
        """Moved from outside it stands where it is put, as high as that is, until it is steered anew."""
        moved = copy.deepcopy(self)
        moved.floor, moved.stands, moved.carried = float(dot(goal, self.frame.up)), False, then
        moved._go_to(now, then, goal, jump)
        return moved

    @property
    def moves(self) -> bool:
        """It may come to move."""
        return True

    def flies(self, time: int) -> bool:
        """Whether it is in the air."""
        if self.afoot:
            return not self.stands
        c, v, _ = self.at(time)
        return bool(float(dot(c, self.frame.up)) > self.floor + 1e-9 or float(dot(v, self.frame.up)) > 0.0)

    def steer(self, time: int, axes) -> None:
        """Walk along ``axes`` (x, y), of length at most 1, times its speed."""
        way = axes[0] * self.frame.first + axes[1] * self.frame.second
        way = self.frame.level(way)
        length = float(np.sqrt(dot(way, way)))
        self.wanted = way * (self.walk.speed / max(length, 1.0))
        if not self.afoot:
            self._go(time, 0.0)

    def jump(self, time: int) -> bool:
        """Jump, if it stands; returns whether it does."""
        if not self.walk.jump or self.flies(time):
            return False
        self.leaps = self.walk.jump
        if not self.afoot:
            self._go(time, self.walk.jump)
        return True

    def _go(self, time: int, jump: float) -> None:
        place, velocity, _ = self.at(time)
        up, flies = self.frame.up, self.flies(time)
        rise = jump or (float(dot(velocity, up)) if flies else 0.0)
        level = self.frame.level(velocity)
        pull = self.gravity if jump or flies else NOWHERE
        if not flies and self.frame.vertical:
            place = place + (self.floor - float(dot(place, up))) * up
        gap = self.wanted - level
        far = float(np.sqrt(dot(gap, gap)))
        push, lasts = NOWHERE, 0.0
        if self.walk.acceleration is None or far == 0.0:
            level = self.wanted
        else:
            push, lasts = gap * (self.walk.acceleration / far), far / self.walk.acceleration
        self.turn(time, place, level + rise * up, push + pull)
        breaks = []
        if lasts > 0.0:
            breaks.append((time + max(_counts(lasts), 1), "pace"))
        if pull.any():
            g, over = float(np.sqrt(dot(pull, pull))), float(dot(place, up)) - self.floor
            breaks.append((time + max(_counts((rise + np.sqrt(rise * rise + 2.0 * g * over)) / g), 1), "lands"))
        for when, what in sorted(breaks):
            place, velocity, acceleration = self.at(when)
            if what == "pace":
                velocity = self.wanted + float(dot(velocity, up)) * up if self.frame.vertical else self.wanted
                acceleration = acceleration - push
            else:
                place = place + (self.floor - float(dot(place, up))) * up
                velocity = velocity - float(dot(velocity, up)) * up
                acceleration = acceleration - pull
            self.turn(when, place, velocity, acceleration)


def motion_of(body: Body, ticks: Ticks) -> Motion:
    """The motion of a body that goes its own way; who chases or flees stands until a herd takes it in."""
    place, move = body.row["c0"].copy(), body.move
    if move is None or move.toward is not None:
        return Motion(place)
    if move.timed:
        return timed(place, move.timed)
    if move.circle is not None:
        return Circling(place, move.circle, ticks)
    if move.through is not None:
        return Route([place, *move.through], move.speed, move.at_end)
    return Motion(place, move.velocity, move.acceleration)
