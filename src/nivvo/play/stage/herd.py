"""Bodies that chase, flee or go round another: each turns anew at each tick's start, all at once, and goes straight."""

from __future__ import annotations

import math
from bisect import bisect_right

import numpy as np

from nivvo.core.clock import UNITS
from nivvo.core.frame import dot, sincos
from nivvo.plan.bodies import Body
from nivvo.play.stage.motion import NOWHERE, Motion
from nivvo.record.record import NOBODY


class Chaser(Motion):
    """The way of one of a herd, of which it is the ``row``-th."""

    veers = True

    def __init__(self, herd: Herd, row: int):
        self.herd, self.row = herd, row

    @property
    def moves(self) -> bool:
        """It may come to move."""
        return True

    def piece(self, time: float) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray], int]:
        """The piece that holds at a time: place, velocity and acceleration (3,) where it begins, and when (clock)."""
        herd = self.herd
        k = max(bisect_right(herd.times, time) - 1, 0)
        if self.row >= len(herd.places[k]):
            k = next(k for k, places in enumerate(herd.places) if self.row < len(places))
        return (herd.places[k][self.row], herd.velocities[k][self.row], NOWHERE), herd.times[k]

    def next_break(self, time: int) -> int | None:
        """The first time after ``time`` at which a piece begins; None if there is none."""
        k = bisect_right(self.herd.times, time)
        return self.herd.times[k] if k < len(self.herd.times) else None

    def forget(self, time: int) -> None:
        """The herd does."""


class Herd:
    """All that chase, flee, or go round another.

    numbers, goals : of the bodies, and of whom each is after, or NOBODY (n,). free : those whom nobody has moved from
    outside (n,). rules : speed, whether away, how near, units/s² (n, 4). slow : whether any comes to its speed by and
    by. rounds : rows of those who go round, with degrees a second, how far off they began along two axes and beside
    (3,), those axes (3,), and when (clock).
    times, places, velocities : from when on (clock) each is where and goes how, (n, 3) each.
    """

    def __init__(self):
        self.numbers, self.goals = np.zeros(0, dtype=int), np.zeros(0, dtype=int)
        self.free = np.zeros(0, dtype=bool)
        self.rules = np.zeros((0, 4))
        self.rounds: dict[int, tuple] = {}
        self.slow = False
        self.times, self.places, self.velocities = [0], [np.zeros((0, 3))], [np.zeros((0, 3))]

    def add(self, number: int, body: Body, goal: int, there: np.ndarray, start: int) -> Chaser:
        """Take in a body at a time (clock), whose goal is at ``there`` (3,) then; its way."""
        move = body.move
        if move.circle is not None:
            _, rate, first, second, _ = move.circle
            off = body.row["c0"] - there
            x, y = float(dot(off, first)), float(dot(off, second))
            self.rounds[len(self.numbers)] = (rate, x, y, off - x * first - y * second, first, second, start)
        speed = math.nan if move.speed is None else move.speed
        rule = [speed, move.away, math.nan if move.keeps is None else move.keeps, move.speeds_up]
        self.numbers, self.goals = np.append(self.numbers, number), np.append(self.goals, goal)
        self.free = np.append(self.free, True)
        self.rules, self.slow = np.vstack([self.rules, [rule]]), self.slow or move.speeds_up < math.inf
        self.places[-1] = np.vstack([self.places[-1], [body.row["c0"]]])
        self.velocities[-1] = np.vstack([self.velocities[-1], [np.zeros(3)]])
        return Chaser(self, len(self.numbers) - 1)

    def begin(self, row: int, there: np.ndarray, time: int) -> None:
        """One arrives at a time (clock): from then on it goes round where its goal then is (3,)."""
        if row in self.rounds:
            rate, *_, first, second, _ = self.rounds[row]
            off = self.places[-1][row] - there
            x, y = float(dot(off, first)), float(dot(off, second))
            self.rounds[row] = (rate, x, y, off - x * first - y * second, first, second, time)

    def leave(self, number: int) -> None:
        """One is moved from outside: it chases nobody any more."""
        self.free[self.numbers == number] = False

    def lose(self, goal: int) -> None:
        """A body is taken away: who was after it is after nobody, and stands."""
        self.goals = np.where(self.goals == goal, NOBODY, self.goals)

    def turn(
        self, time: int, there: np.ndarray, goes: np.ndarray, go: np.ndarray, end: int
    ) -> tuple[np.ndarray, np.ndarray]:
        """Let those who ``go`` (n,) turn at ``time`` (clock) toward ``there`` (n, 3); who goes nowhere (nan) stands.

        goes : (n, 3) how fast whom they are after goes. end : when they turn again (clock). Returns where all are and
        how fast they go on, (n, 3) each.
        """
        speed, away, keeps, speeds_up = self.rules.T
        seconds = (end - time) / UNITS
        here = self.places[-1] + self.velocities[-1] * ((time - self.times[-1]) / UNITS)
        way = there - here
        far = np.sqrt(dot(way, way))
        with np.errstate(invalid="ignore", divide="ignore"):
            flees = np.where(np.isnan(keeps) | (far < keeps), -speed, 0.0)
            nears = np.minimum(speed, np.maximum(far - np.where(np.isnan(keeps), 0.0, keeps), 0.0) / seconds)
            share = np.where(away != 0.0, flees, nears) / far
            velocity = np.where((go & (far > 0.0))[:, None], way * share[:, None], 0.0)
            if self.slow:
                gains = velocity - self.velocities[-1]
                much = np.sqrt(dot(gains, gains))
                slowly = go & (much > speeds_up * seconds)
                velocity[slowly] = (self.velocities[-1] + gains * (speeds_up * seconds / much)[:, None])[slowly]
        for row, (rate, x, y, rest, first, second, start) in self.rounds.items():
            if go[row] and not math.isnan(there[row, 0]):
                s, c = (float(one) for one in sincos(rate * ((end - start) / UNITS) % 360.0))
                goal = there[row] + goes[row] * seconds + rest + (x * c - y * s) * first + (x * s + y * c) * second
                velocity[row] = (goal - here[row]) / seconds
        if self.times[-1] < time:
            self.times.append(time)
            self.places.append(here)
            self.velocities.append(velocity)
        else:
            self.places[-1], self.velocities[-1] = here, velocity
        return here, velocity

    def forget(self, time: int) -> None:
        """Drop what lies behind what holds at ``time``."""
        k = max(bisect_right(self.times, time) - 1, 0)
        del self.times[:k], self.places[:k], self.velocities[:k]
