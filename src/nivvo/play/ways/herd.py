"""Bodies that chase, flee or go round another: each turns anew at each tick's start, all at once, and goes straight."""

from __future__ import annotations

import math
from bisect import bisect_right

import numpy as np

from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import dot
from nivvo.plan.bodies import Body
from nivvo.play.ways.motion import NOWHERE, Motion
from nivvo.play.ways.ways import gaining, round_at
from nivvo.record.record import NOBODY

NONE, NONE_FREE = np.zeros(0, dtype=int), np.zeros(0, dtype=bool)
NO_RULES, NO_PLACES = np.zeros((0, 4)), np.zeros((0, 3))
"""What a herd has of each, of nobody."""


class Chaser(Motion):
    """The way of one of a herd, of which it is the ``row``-th."""

    veers, foreseen = True, False

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
        rows, places, velocities = herd.pieces[k]
        i = int(np.searchsorted(rows, self.row))
        if i < len(rows) and rows[i] == self.row:
            return (places[i], velocities[i], NOWHERE), herd.times[k]
        since, place = herd.left.get(self.row, (math.inf, NOWHERE))
        if time >= since:
            return (place, NOWHERE, NOWHERE), since
        return (herd.first[self.row], NOWHERE, NOWHERE), 0

    def _pieces(self, times: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The pieces that hold at times (n,), (n, 3, 3), and when each begins (clock)."""
        herd = self.herd
        starts = np.array(herd.times)
        ks = np.maximum(np.searchsorted(starts, times, side="right") - 1, 0)
        own, pieces = herd.of_row(self.row)
        since, place = herd.left.get(self.row, (math.inf, NOWHERE))
        goes = np.searchsorted(own, ks)
        there = own[np.minimum(goes, len(own) - 1)] == ks if len(own) else np.zeros(len(ks), dtype=bool)
        gone = ~there & (times >= since)
        out, begins = np.zeros((len(times), 3, 3)), np.where(there, starts[ks], 0)
        out[:, 0] = herd.first[self.row]
        out[gone, 0], begins[gone] = place, since if gone.any() else 0
        out[there, :2] = pieces[goes[there]]
        return out, begins

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
    first, here, velocity : where each began; where it was and how it went when somebody last set out or was out (n, 3).
    times, pieces : from when on (clock) who of them is on its way: rows (m,), places and velocities (m, 3). left : when
    one who is no more was last, and where, by row.
    """

    def __init__(self):
        self.numbers, self.goals, self.free, self.rules = NONE, NONE, NONE_FREE, NO_RULES
        self.rounds: dict[int, tuple] = {}
        self.slow = False
        self.first, self.here, self.velocity = NO_PLACES, NO_PLACES, NO_PLACES
        self.times, self.pieces = [0], [(NONE, NO_PLACES, NO_PLACES)]
        self.left: dict[int, tuple[int, np.ndarray]] = {}
        self._rules = NO_RULES.T
        self._by_row: tuple | None = None

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
        self.numbers, self.goals = _with(self.numbers, number), _with(self.goals, goal)
        self.free, self.rules = _with(self.free, True), _with(self.rules, rule)
        self.slow = self.slow or move.speeds_up < math.inf
        self.first, self.here = (_with(places, body.row["c0"]) for places in (self.first, self.here))
        self.velocity = _with(self.velocity, NOWHERE)
        return Chaser(self, len(self.numbers) - 1)

    def begin(self, row: int, there: np.ndarray, time: int) -> None:
        """One arrives at a time (clock): from then on it goes round where its goal then is (3,)."""
        if row in self.rounds:
            rate, *_, first, second, _ = self.rounds[row]
            off = self.here[row] - there
            x, y = float(dot(off, first)), float(dot(off, second))
            self.rounds[row] = (rate, x, y, off - x * first - y * second, first, second, time)

    def leave(self, number: int) -> None:
        """One is moved from outside: it chases nobody any more."""
        self.free[self.numbers == number] = False

    def lose(self, goal: int) -> None:
        """A body is taken away: who was after it is after nobody, and stands."""
        self.goals = np.where(self.goals == goal, NOBODY, self.goals)

    def turn(
        self, time: int, rows: np.ndarray, there: np.ndarray, goes: np.ndarray, end: int
    ) -> tuple[np.ndarray, np.ndarray]:
        """Let those of ``rows`` (m,), all who are on their way, turn at ``time`` (clock) toward ``there`` (m, 3).

        Who goes nowhere (nan) stands. goes : (m, 3) how fast whom they are after goes. end : when they turn again
        (clock). Returns where they are and how fast they go on, (m, 3) each.
        """
        seconds, self._by_row = (end - time) / UNITS, None
        before, here, was = self.pieces[-1]
        here = here + was * ((time - self.times[-1]) / UNITS)
        if rows is not before:
            self.here[before], self.velocity[before] = here, was
            for row in np.setdiff1d(before, rows).tolist():
                self.velocity[row] = 0.0
                self.left[row] = time, self.here[row].copy()
            here, was, self._rules = self.here[rows], self.velocity[rows], self.rules[rows].T
        speed, away, keeps, speeds_up = self._rules
        way = there - here
        far = np.sqrt(dot(way, way))
        with np.errstate(invalid="ignore", divide="ignore"):
            flees = np.where(np.isnan(keeps) | (far < keeps), -speed, 0.0)
            nears = np.minimum(speed, np.maximum(far - np.where(np.isnan(keeps), 0.0, keeps), 0.0) / seconds)
            share = np.where(away != 0.0, flees, nears) / far
            velocity = np.where((far > 0.0)[:, None], way * share[:, None], 0.0)
            if self.slow:
                gains = velocity - was
                much = np.sqrt(dot(gains, gains))
                slowly = much > speeds_up * seconds
                velocity[slowly] = (was + gains * (speeds_up * seconds / much)[:, None])[slowly]
        if self.rounds:
            self._go_round(rows, there + goes * seconds, here, velocity, end, seconds)
        if self.times[-1] < time:
            self.times.append(time)
            self.pieces.append((rows, here, velocity))
        else:
            self.pieces[-1] = rows, here, velocity
        return here, velocity

    def _go_round(self, rows, there, here, velocity, end: int, seconds: float) -> None:
        """Let those who go round another be on their circle when they turn again."""
        for k, row in enumerate(rows.tolist()):
            if row in self.rounds and not math.isnan(there[k, 0]):
                rate, x, y, rest, first, second, start = self.rounds[row]
                s, c = round_at(rate, gaining(float(self.rules[row, 3]), x, y), (end - start) / UNITS)
                goal = there[k] + rest + (x * c - y * s) * first + (x * s + y * c) * second
                velocity[k] = (goal - here[k]) / seconds

    def places(self, rows: np.ndarray, time: int) -> np.ndarray:
        """Where those of ``rows`` (m,) are at a time (clock), (m, 3): as the ways of each tell."""
        k = max(bisect_right(self.times, time) - 1, 0)
        there, places, velocities = self.pieces[k]
        at = np.searchsorted(there, rows)
        goes = at < len(there)
        goes[goes] = there[at[goes]] == rows[goes]
        out, at = self.first[rows], at[goes]
        out[goes] = places[at] + velocities[at] * ((time - self.times[k]) / UNITS) + 0.0
        for i in np.flatnonzero(~goes).tolist():
            since, place = self.left.get(int(rows[i]), (math.inf, NOWHERE))
            if time >= since:
                out[i] = place
        return out

    def of_row(self, row: int) -> tuple[np.ndarray, np.ndarray]:
        """In which of the pieces one is on its way (n,), and its places and velocities in them (n, 2, 3)."""
        if self._by_row is None:
            rows = np.concatenate([piece[0] for piece in self.pieces])
            order = np.argsort(rows, kind="stable")
            ks = np.repeat(np.arange(len(self.pieces)), [len(piece[0]) for piece in self.pieces])[order]
            states = np.stack([np.concatenate([piece[k] for piece in self.pieces]) for k in (1, 2)], axis=1)[order]
            self._by_row = rows[order], ks, states
        rows, ks, states = self._by_row
        first, last = np.searchsorted(rows, [row, row + 1])
        return ks[first:last], states[first:last]

    def forget(self, time: int) -> None:
        """Drop what lies behind what holds at ``time``."""
        k, self._by_row = max(bisect_right(self.times, time) - 1, 0), None
        del self.times[:k], self.pieces[:k]


def _with(rows: np.ndarray, row) -> np.ndarray:
    """Rows and one more, in room that doubles: what they are a view of, if that is such an array."""
    room, count = rows.base, len(rows)
    if not isinstance(room, np.ndarray) or room.shape[1:] != rows.shape[1:] or len(room) <= count:
        room = np.zeros((2 * count + 8, *rows.shape[1:]), dtype=rows.dtype)
        room[:count] = rows
    room[count] = row
    return room[: count + 1]
