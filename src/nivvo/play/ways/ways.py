"""Ways that bodies go by themselves: along points, at given times, round a point, adrift, beside another."""

from __future__ import annotations

import itertools
import math
from bisect import bisect_right

import numpy as np

from nivvo.core.launching.spread import draw
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import dot, sincos
from nivvo.plan.bodies import Body, Drift
from nivvo.plan.clockwork import Ticks
from nivvo.plan.scene import Scene
from nivvo.play.ways.motion import NOWHERE, Motion, counts


class Route(Motion):
    """Along given points at a speed: stopping, back and forth, or around.

    A way that goes on for ever is one round, repeated: where a body is after a day is found at once. speeds_up : how
    fast it comes to its speed where it sets out, and from it where it stops or turns back (units/s²), or at once. What
    goes around comes to its speed in laps of its own (``lead``, clock), before that round.
    """

    def __init__(self, points: list[np.ndarray], speed: float, at_end: str, speeds_up: float = math.inf):
        super().__init__(points[0])
        self.speed = speed
        stops = [points[0], *(q for p, q in itertools.pairwise(points) if np.any(q != p))]
        if len(stops) > 1 and at_end == "around":
            stops += [stops[0]] if np.any(stops[0] != stops[-1]) else []
        self.times, self.pieces = [], []
        self.lead = self.laid = 0
        if len(stops) > 1 and at_end == "around" and speeds_up < math.inf:
            self._come_to(stops, speed, speeds_up)
            speeds_up = math.inf
        if len(stops) > 1:
            self._lay(stops, speed, speeds_up)
        if len(stops) > 1 and at_end == "back":
            self._lay(stops[::-1], speed, speeds_up)
        self.round = self.laid - self.lead
        self.repeats = len(self.pieces) > 1 and at_end != "stop"
        if not self.repeats:
            self.times.append(self.laid)
            self.pieces.append((stops[-1], NOWHERE, NOWHERE))

    def _put(self, side: tuple[np.ndarray, np.ndarray, float], a: float, b: float, begins: float, push: float) -> None:
        """Lay a piece along a side (from where, its way, its length): from ``a`` to ``b`` of it (units), its speed at
        first, and how that changes (units/s²)."""
        here, way, length = side
        ends = math.sqrt(max(begins * begins + 2.0 * push * (b - a), 0.0)) if push else begins
        self.times.append(self.laid)
        self.pieces.append((here + way * (a / length), way * (begins / length), way * (push / length)))
        self.laid += max(counts((b - a) / (0.5 * (begins + ends))), 1)

    def _come_to(self, stops: list[np.ndarray], speed: float, speeds_up: float) -> None:
        """Go around until it has come to its speed, and on to where a lap begins."""
        ramp, gone = speed * speed / (2.0 * speeds_up), 0.0
        while gone < ramp:
            for here, goal in itertools.pairwise(stops):
                way = goal - here
                length = float(np.sqrt(dot(way, way)))
                far = min(max(ramp - gone, 0.0), length)
                if far < 1e-12 * length or length - far < 1e-12 * length:
                    far = round(far / length) * length
                if far > 0.0:
                    self._put((here, way, length), 0.0, far, math.sqrt(2.0 * speeds_up * gone), speeds_up)
                if far < length:
                    self._put((here, way, length), far, length, speed, 0.0)
                gone += length
        self.lead = self.laid

    def _lay(self, stops: list[np.ndarray], speed: float, speeds_up: float) -> None:
        """Go from stop to stop from where it is now."""
        ways = [goal - here for here, goal in itertools.pairwise(stops)]
        lengths = [float(np.sqrt(dot(way, way))) for way in ways]
        most = math.fsum(lengths)
        ramp = min(speed * speed / (2.0 * speeds_up), 0.5 * most)
        top, gone = min(speed, math.sqrt(2.0 * speeds_up * ramp)) if ramp > 0.0 else speed, 0.0
        for here, way, length in zip(stops, ways, lengths, strict=False):
            turns = [x - gone for x in (ramp, most - ramp) if ramp > 0.0]
            least = 1e-12 * most
            cuts = sorted({0.0, length, *(x for x in turns if least < x < length - least)})
            for a, b in itertools.pairwise(cuts):
                x, middle = gone + a, gone + 0.5 * (a + b)
                push = speeds_up if middle < ramp else -speeds_up if middle > most - ramp else 0.0
                begins = top if ramp == 0.0 else math.sqrt(max(min(2.0 * speeds_up * min(x, most - x), top * top), 0.0))
                self._put((here, way, length), a, b, begins, push)
            gone += length

    @property
    def moves(self) -> bool:
        """Whether it moves at all."""
        return len(self.pieces) > 1

    @property
    def fastest(self) -> float:
        """How fast (units/s) it ever goes."""
        return self.speed

    def _before(self, time: float) -> tuple[int, int]:
        """Start of the round that a time lies in, and which piece of it holds."""
        start = int((time - self.lead) // self.round) * self.round if self.repeats and time > self.lead else 0
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
        return start + self.lead + self.round if self.repeats else None

    def forget(self, time: int) -> None:
        """Nothing of a round can be dropped."""


class Later(Motion):
    """A way that one sets out on at a time (clock), from where it begins."""

    def __init__(self, way: Motion, start: int):
        super().__init__(way.at(0)[0])
        self.way, self.start = way, start

    @property
    def moves(self) -> bool:
        """Whether the way leads anywhere."""
        return self.turns or self.way.moves

    @property
    def fastest(self) -> float:
        """How fast (units/s) it ever goes, if that is known."""
        return self.way.fastest

    def piece(self, time: float) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray], int]:
        """The piece that holds at a time: place, velocity and acceleration (3,) where it begins, and when (clock)."""
        if time < self.start:
            return self.pieces[0], 0
        piece, start = self.way.piece(time - self.start)
        return piece, start + self.start

    def next_break(self, time: int) -> int | None:
        """The first time after ``time`` at which a piece begins; None if there is none."""
        if time < self.start:
            return self.start
        found = self.way.next_break(time - self.start)
        return None if found is None else found + self.start

    def forget(self, time: int) -> None:
        """Nothing of it is dropped."""


class Circling(Motion):
    """Round a point: at each tick's edge where the circle has it, on a parabola between that sets out along it.

    start : when it sets out (clock). speeds_up : how fast it comes to its speed (units/s²), or at once.
    """

    veers = True

    def __init__(self, place: np.ndarray, circle: tuple, ticks: Ticks, start: int, speeds_up: float):
        super().__init__(place)
        self.start = start
        centre, self.rate, self.first, self.second, _ = circle
        off = place - centre
        self.x, self.y = float(dot(off, self.first)), float(dot(off, self.second))
        self.rest = place - self.x * self.first - self.y * self.second
        self.ticks, self.gains = ticks, gaining(speeds_up, self.x, self.y)
        # When it is at its full speed.
        self.full = start + round(abs(self.rate) / self.gains * UNITS)

    @property
    def moves(self) -> bool:
        """It goes round for ever."""
        return True

    def _on_it(self, time: int) -> tuple[np.ndarray, np.ndarray]:
        """Where it is, and how fast it goes from there on."""
        late, rate = max(time - self.start, 0) / UNITS, self.rate
        s, c = round_at(rate, self.gains, late)
        x, y = self.x * c - self.y * s, self.x * s + self.y * c
        if time < self.full:
            rate = math.copysign(self.gains * late, rate) if late > 0.0 else 0.0
        return self.rest + x * self.first + y * self.second, math.radians(rate) * (x * self.second - y * self.first)

    def _span(self, time: float) -> tuple[int, int]:
        """From when to when a piece holds: a tick, or what of it lies before or after its speed changes."""
        tick = self.ticks.holding(int(time))
        start, end = self.ticks.edge(tick), self.ticks.edge(tick + 1)
        for change in (self.start, self.full):
            start, end = (max(start, change), end) if change <= time else (start, min(end, change))
        return start, end

    def piece(self, time: float) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray], int]:
        """The piece that holds at a time: place, velocity and acceleration (3,) where it begins, and when (clock)."""
        start, end = self._span(time)
        (here, v), (there, _), s = self._on_it(start), self._on_it(end), (end - start) / UNITS
        return (here, v, (there - here - v * s) * (2.0 / (s * s))), start

    def next_break(self, time: int) -> int | None:
        """The first time after ``time`` at which a piece begins."""
        return self._span(time)[1]

    def forget(self, time: int) -> None:
        """Nothing of a circle can be dropped."""


def gaining(speeds_up: float, x: float, y: float) -> float:
    """How fast one who begins at (x, y) from what it goes round comes to its turn (degrees/s²), by units/s²."""
    return math.degrees(speeds_up / math.hypot(x, y)) if x or y else math.inf


def round_at(rate: float, gains: float, seconds: float) -> tuple[float, float]:
    """Sine and cosine of how far one has gone round a point.

    rate : degrees a second. gains : how fast it comes to that from standing (degrees/s²); inf: at once.
    """
    early = min(max(seconds, 0.0), abs(rate) / gains)
    gone = math.copysign(0.5 * gains * early * early, rate) if early > 0.0 else 0.0
    s, c = sincos((gone + rate * (seconds - early)) % 360.0)
    return float(s), float(c)


class Drifting(Motion):
    """Straight from point to point of a region at a speed, for ever; the points belong to a seed and a name.

    speeds_up : how fast it comes to its speed from a point and slows toward the next (units/s²), or at once.
    """

    def __init__(self, place: np.ndarray, drift: Drift, speed: float, start: int, speeds_up: float = math.inf):
        super().__init__(place)
        self.drift, self.speed, self.speeds_up, self.drawn = drift, speed, speeds_up, 0
        self.times, self.pieces = [], []
        self.ends, self.goal = start, np.asarray(place, dtype=float)
        self._go_on(start)

    @property
    def moves(self) -> bool:
        """It goes on for ever."""
        return True

    @property
    def fastest(self) -> float:
        """How fast (units/s) it ever goes."""
        return self.speed

    def _go_on(self, time: float) -> None:
        """Know its way till after a time."""
        low, size = self.drift.low, self.drift.high - self.drift.low
        while self.ends <= time:
            here, seed, name = self.goal, self.drift.seed, f"{self.drift.name}.drift"
            self.goal = low + size * np.array([draw(seed, name, self.drawn, axis) for axis in range(3)])
            self.drawn += 1
            leg = Route([here, self.goal], self.speed, "stop", self.speeds_up)
            self.times += [self.ends + time for time in leg.times[:-1]]
            self.pieces += leg.pieces[:-1]
            self.ends += leg.round

    def piece(self, time: float) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray], int]:
        """The piece that holds at a time: place, velocity and acceleration (3,) where it begins, and when (clock)."""
        self._go_on(time)
        return super().piece(time)

    def next_break(self, time: int) -> int | None:
        """The first time after ``time`` at which a piece begins."""
        self._go_on(time)
        return super().next_break(time) or self.ends


class Beside(Motion):
    """At the same place beside another all the time. ways : of all bodies, by number."""

    veers = True

    def __init__(self, ways: list[Motion], leader: int, offset: np.ndarray):
        self.ways, self.leader, self.offset = ways, leader, offset

    @property
    def moves(self) -> bool:
        """It may come to move, as the other may."""
        return True

    @property
    def foreseen(self) -> bool:
        """Whether it is known ahead, as the other's is."""
        return self.ways[self.leader].foreseen

    def piece(self, time: float) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray], int]:
        """The piece that holds at a time: place, velocity and acceleration (3,) where it begins, and when (clock)."""
        (c, v, a), start = self.ways[self.leader].piece(time)
        return (c + self.offset, v, a), start

    def next_break(self, time: int) -> int | None:
        """The first time after ``time`` at which a piece begins; None if there is none."""
        return self.ways[self.leader].next_break(time)

    def forget(self, time: int) -> None:
        """The other does."""


def timed(place: np.ndarray, points: tuple[tuple[int, np.ndarray], ...]) -> Motion:
    """The way of a body that is at given points at given times (clock): straight between, then it stays."""
    motion, here, start = Motion(place), place, 0
    for when, goal in points:
        if when > start:
            motion.turn(start, here, (goal - here) / ((when - start) / UNITS), NOWHERE)
        here, start = goal, when
    motion.turn(start, here, NOWHERE, NOWHERE)
    return motion


def topped(motion: Motion, top: float) -> Motion:
    """The way of a body that speeds up steadily until it is so fast (units/s), and then goes straight on."""
    (c, v, a), start = motion.pieces[-1], motion.times[-1]
    speeds, slope, bend = float(dot(v, v)) - top * top, 2.0 * float(dot(v, a)), float(dot(a, a))
    # The later root: before it, it may have slowed down.
    root = slope * slope - 4.0 * bend * speeds
    if bend > 0.0 and root >= 0.0:
        t = (-slope + math.sqrt(root)) / (2.0 * bend)
        motion.turn(start + counts(t), c + v * t + a * (0.5 * t * t), v + a * t, NOWHERE)
    return motion


def motion_of(body: Body, scene: Scene, start: int = 0) -> Motion:
    """The motion of a body from a time on (clock); who goes by another stands till that one is known."""
    place, move = body.row["c0"].copy(), body.move
    if move is None or move.toward is not None or move.beside is not None:
        return Motion(place)
    if move.drift is not None:
        return Drifting(place, move.drift, move.speed, start, move.speeds_up)
    if move.circle is not None:
        return Circling(place, move.circle, scene.ticks, start, move.speeds_up)
    if move.timed or move.through is not None:
        way = timed(place, move.timed) if move.timed else None
        way = way or Route([place, *move.through], move.speed, move.at_end, move.speeds_up)
        return Later(way, start) if start else way
    motion = Motion(place)
    motion.turn(start, place, move.velocity, move.acceleration)
    return motion if move.top is None else topped(motion, move.top)
