"""Where a body is when: pieces of constant acceleration, known ahead or made by input as it comes."""

from __future__ import annotations

import copy
import math
from bisect import bisect_right

import numpy as np

from nivvo.core.numbers.clock import UNITS, from_seconds
from nivvo.core.numbers.frame import Frame, dot
from nivvo.plan.bodies import Walk

NOWHERE = np.zeros(3)


FOREVER = 1e6
"""Seconds after which nobody asks where a body is."""


def counts(seconds: float) -> int:
    """Seconds as counts of the clock; what would take longer than anybody looks takes that long."""
    return from_seconds(min(float(seconds), FOREVER))


class Motion:
    """Pieces of a body's way: from each time on (clock) a place, a velocity, a constant acceleration.

    veers : whether it may change at any tick. foreseen : whether it is known ahead, but for what moves it from outside.
    turns : whether the body turns about its middle. earlier : the way that it went before, until when (clock), if that
    was another. arrives : when (clock) it comes to where it was moved from outside.
    """

    veers = turns = False
    foreseen = True
    earlier: tuple[Motion, int] | None = None
    arrives = 0

    def __init__(self, place: np.ndarray, velocity=NOWHERE, acceleration=NOWHERE):
        self._rests: bool | None = None
        self.times = [0]
        self.pieces = [_piece(place, velocity, acceleration)]

    def again(self) -> Motion:
        """The same way once more, for somebody else to go along."""
        made = object.__new__(type(self))
        made.__dict__.update(self.__dict__)
        made.times, made.pieces = [*self.times], [*self.pieces]
        return made

    @property
    def moves(self) -> bool:
        """Whether it moves or may come to move."""
        return self.turns or not self._stays

    @property
    def _stays(self) -> bool:
        """Whether it is in one place all the time."""
        if len(self.times) > 1 or self.earlier is not None:
            return False
        if self._rests is None:
            self._rests = all(part is NOWHERE or not part.any() for part in self.pieces[0][1:])
        return self._rests

    @property
    def fastest(self) -> float:
        """How fast (units/s) it ever goes, and never leaps, as long as it is not moved from outside; inf: who knows."""
        return 0.0 if type(self) is Motion and self._stays else math.inf

    def rests(self, time: int) -> bool:
        """Whether, of what may come to move, it is known to stand still at a time (clock)."""
        return False

    def piece(self, time: float) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray], int]:
        """The piece that holds at a time: place, velocity and acceleration (3,) where it begins, and when (clock)."""
        if self.earlier is not None and time < self.earlier[1]:
            return self.earlier[0].piece(time)
        k = max(bisect_right(self.times, time) - 1, 0)
        return self.pieces[k], self.times[k]

    def at(self, time: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Place, velocity and acceleration (3,) at a time on the clock."""
        if not self.moves:
            return self.pieces[0]
        (c, v, a), start = self.piece(time)
        if v is NOWHERE and a is NOWHERE:
            return c, v, a
        t = (time - start) / UNITS
        return c + v * t + a * (0.5 * t * t), v + a * t, a

    def place(self, time: float) -> np.ndarray:
        """The place alone (3,), as ``at`` tells it."""
        if not self.moves:
            return self.pieces[0][0]
        (c, v, a), start = self.piece(time)
        if v is NOWHERE and a is NOWHERE:
            return c
        t = (time - start) / UNITS
        return c + v * t + a * (0.5 * t * t)

    def straight(self, start: int, end: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """A piece that leads from where it is at a time straight to where it is at another (clock)."""
        here, there = self.at(start)[0], self.at(end)[0]
        return here, (there - here) / ((end - start) / UNITS), NOWHERE

    def ahead(self, time: int, later: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """What ``at`` tells of a later time to who looks at a time (clock).

        What is moved from outside stands once it is there, until it is moved again: it is taken to go on as it goes.
        """
        if not time < self.arrives <= later:
            return self.at(later)
        c, v, a = self.at(time)
        return c + v * ((later - time) / UNITS), v, a

    def along(self, times: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Places and velocities, (n, 3) each, at times (n,) on the clock, in order; as ``at`` tells each."""
        pieces, since = self._pieces(times)
        (c, v, a), t = np.moveaxis(pieces, 1, 0), ((times - since) / UNITS)[:, None]
        return c + v * t + a * (0.5 * t * t), v + a * t

    def _pieces(self, times: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The pieces that hold at times (n,), (n, 3, 3), and when each begins (clock)."""
        found = [self.piece(time) for time in times.tolist()]
        return np.array([piece for piece, _ in found]).reshape(-1, 3, 3), np.array([start for _, start in found])

    def seen(self, seconds: float) -> tuple[np.ndarray, np.ndarray]:
        """Place and velocity at a time in seconds."""
        return self.at(seconds * UNITS)[:2]

    def next_break(self, time: int) -> int | None:
        """The first time after ``time`` at which a piece begins; None if there is none."""
        if self.earlier is not None and time < self.earlier[1]:
            found = self.earlier[0].next_break(time)
            return self.earlier[1] if found is None else min(found, self.earlier[1])
        k = bisect_right(self.times, time)
        return self.times[k] if k < len(self.times) else None

    def forget(self, time: int) -> None:
        """Drop what lies behind the piece that holds at ``time``."""
        if self.earlier is not None and self.earlier[1] <= time:
            self.earlier = None
        k = bisect_right(self.times, time) - 1
        if k > 0:
            # Of what stands there is nothing to drop; it may be another session's too.
            del self.times[:k], self.pieces[:k]
            self._rests = None

    def placed(self, now: int, then: int, goal: np.ndarray, jump: bool) -> Motion:
        """The motion of what is moved from outside: from now on to ``goal`` by ``then``, or at once; there it stays."""
        moved = Motion(self.at(now)[0])
        moved._follow(self, now)
        moved._go_to(now, then, goal, jump)
        return moved

    def _follow(self, before: Motion, now: int) -> None:
        """Have gone as another way says until now (clock)."""
        self.turns = before.turns
        if type(before) in (Motion, type(self)):
            self.times, self.pieces, self.earlier = [*before.times], [*before.pieces], before.earlier
        else:
            self.times, self.earlier = [now], (before, now)

    def _go_to(self, now: int, then: int, goal: np.ndarray, jump: bool) -> None:
        still = np.zeros(3)
        if jump:
            self.turn(now, goal, still, still)
        else:
            here = self.at(now)[0]
            self.turn(now, here, (goal - here) / ((then - now) / UNITS), still)
            self.turn(then, goal, still, still)
        self.arrives = then

    def turn(self, time: int, place, velocity, acceleration) -> None:
        """Go on otherwise from ``time`` on; what was to come after it is gone."""
        while self.times and self.times[-1] >= time:
            self.times.pop()
            self.pieces.pop()
        self._rests = None
        self.times.append(time)
        self.pieces.append(_piece(place, velocity, acceleration))


def _piece(place, velocity, acceleration) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A piece of a way (3,), of what rests with the very NOWHERE."""
    return np.asarray(place, dtype=float), _or_nowhere(velocity), _or_nowhere(acceleration)


def _or_nowhere(vector) -> np.ndarray:
    return NOWHERE if vector is NOWHERE or not np.any(vector) else np.asarray(vector, dtype=float)


class Walker(Motion):
    """A shooter that walks by input and jumps: steered at a time, it goes on so until steered anew.

    On the level it nears the speed asked for at its acceleration, or has it at once. A jump is a throw
    straight up under the world's gravity, over when it is back at the height it started from. Where there are
    obstacles it goes ``afoot`` among them instead.
    """

    foreseen = False

    @property
    def veers(self) -> bool:
        """Among bodies its way may change at any tick."""
        return self.afoot

    def __init__(self, place: np.ndarray, walk: Walk, frame: Frame, gravity: np.ndarray):
        super().__init__(place)
        self.walk, self.frame, self.gravity = walk, frame, gravity
        self.floor = float(dot(place, frame.up))
        self.wanted = NOWHERE
        # Among bodies how it goes is worked out tick by tick; here is what for: whether it stands, how fast it leaps,
        # and the velocity of what it stands on, or left last (None: it has yet to begin).
        self.afoot, self.stands, self.leaps = False, True, 0.0
        self.carried: tuple[float, float, float] | None = None

    def placed(self, now: int, then: int, goal: np.ndarray, jump: bool) -> Walker:
        """Moved from outside it stands where it is put, as high as that is, until it is steered anew."""
        moved = copy.deepcopy(self)
        moved.floor, moved.stands, moved.carried = float(dot(goal, self.frame.up)), False, None
        moved._go_to(now, then, goal, jump)
        return moved

    @property
    def moves(self) -> bool:
        """It may come to move."""
        return True

    @property
    def lift(self) -> np.ndarray:
        """How fast what carries it rises (3,)."""
        up = self.frame.up
        return NOWHERE if self.carried is None else float(dot(np.array(self.carried), up)) * up

    def rests(self, time: int) -> bool:
        """Whether it stands still at a time (clock), and is not asked to do otherwise."""
        still = self.times[-1] <= time and self.pieces[-1][1] is self.pieces[-1][2] is NOWHERE
        return still and self.stands and not (self.leaps or self.wanted.any())

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
            self._go(max(time, self.arrives), 0.0)

    def jump(self, time: int) -> bool:
        """Jump, if it stands; returns whether it does."""
        if not self.walk.jump or self.flies(time):
            return False
        self.leaps = self.walk.jump
        if not self.afoot:
            self._go(max(time, self.arrives), self.walk.jump)
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
            breaks.append((time + max(counts(lasts), 1), "pace"))
        if pull.any():
            g, over = float(np.sqrt(dot(pull, pull))), float(dot(place, up)) - self.floor
            breaks.append((time + max(counts((rise + np.sqrt(rise * rise + 2.0 * g * over)) / g), 1), "lands"))
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
