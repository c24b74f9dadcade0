"""Shooters that walk among solid bodies: on the ground that is below them, up to what stands in their way."""

from __future__ import annotations

import copy
import itertools
import math
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from nivvo.core.bodies.pushing import NOWHERE, SKIN, Other, Vector
from nivvo.core.bodies.walking import Feet, Gait, stride, tread
from nivvo.core.geometry.hulls import between
from nivvo.core.geometry.shapes import HALF_SPACE, support
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import added, dot, length_of, three
from nivvo.play.stage.layout import layout_of
from nivvo.play.stage.sweeping import MORE, steps_of
from nivvo.play.ways.motion import NOWHERE as STILL
from nivvo.play.ways.motion import Walker

if TYPE_CHECKING:
    from nivvo.play.stage.stage import Stage

EARLY = round(1e-7 * UNITS)
"""How long (clock) before a way turns he looks again: what he is about to push already goes before him then."""

FLOOR = -1
"""The number of the floor that is there where nothing else is below."""

AHEAD, AGAIN = 1.0, 8
"""Seconds by which one who goes on evenly looks ahead; ticks after which he does again who has seen something."""


MOST_PIECES = 128
"""Pieces of another's way that are looked through."""

MOST_BEGUN = 100
"""Answers to how somebody begins that are kept with a scene."""

FARTHER = 8
"""How often one who comes farther than what was looked at is let go anew, among more."""

ENDLESS = 1 << 60
"""A time (clock) that never comes."""


class Stride(NamedTuple):
    """Somebody goes on evenly until a time (clock), on that piece of his way and while that is so; None: he does not,
    and looks again then."""

    until: int
    piece: tuple | None
    known: tuple


class Afoot:
    """Those of a stage who walk among obstacles. feet : by number. end, lasts : of the present tick (clock)."""

    def __init__(self, stage: Stage, walks: bool):
        self.stage, self.end, self.lasts = stage, 0, 0
        self.feet: dict[int, Feet] = {}
        self.floors: dict[int, Other] = {}
        self._strides: dict[int, Stride] = {}
        self._about_now: tuple = ()
        if walks:
            self.enlist()

    def enlist(self) -> None:
        """Take in all who walk, once there is something solid.

        Those below whom there is nothing at all stand at the height where they begin, until something is added there.
        """
        stage = self.stage
        if self.feet:
            self.floors = {number: floor for number, floor in self.floors.items() if self._nothing_below(number)}
        elif any(map(stage.solid, range(len(stage.kinds)))):
            for number, motion in enumerate(stage.motions):
                if isinstance(motion, Walker):
                    row, place = stage.scene.bodies[number], three(motion.at(self.end)[0])
                    self.feet[number] = Feet(number, row, stage.reach(number), place)
                    motion.afoot = True
            self.floors = {**self._at_first(0, ("floors",), self._all_floors)}

    def _at_first(self, time: int, key: tuple, make: Callable[[], Any]) -> Any:
        """What ``make`` gives; at 0, while all is as the scene has it, made once for all sessions that ask the same."""
        stage = self.stage
        if time or stage.changes or stage.turning or stage.loose.of or len(stage.herd.numbers):
            return make()
        begun, key = layout_of(stage.scene).begun, (*key, *stage.arena.who)
        made = begun.get(key)
        if made is None:
            if len(begun) > MOST_BEGUN:
                begun.clear()
            made = begun[key] = make()
        return made

    def _all_floors(self) -> dict[int, Other]:
        falls = self.stage.scene.frame.vertical and self.stage.scene.gravity.any()
        return {k: self._floor(k) for k in self.feet if falls and self._nothing_below(k)}

    def _nothing_below(self, number: int) -> bool:
        ray = -1e4 * self.stage.scene.size * self.stage.scene.frame.up
        place = self.stage.motions[number].at(self.end)[0]
        among = filter(self.stage.solid, self.stage.around(place, ray, 0.0, time=self.end))
        return self.stage.first_on_line(place, ray, 0.0, self.end, among) is None

    def _floor(self, number: int) -> Other:
        """The floor of one below whom there is nothing: at the height where he is."""
        feet, up = self.feet[number], self.stage.scene.frame.up
        row = feet.row.copy()
        row["kind"], row["axis0"] = HALF_SPACE, up
        low = np.array(feet.p) - support(feet.row, three(-up)) * up
        return Other(FLOOR, row, three(low), (0.0, 0.0, 0.0), math.inf)

    def think(self, time: int, end: int) -> None:
        """Write how they go in the tick from ``time`` to ``end`` (clock)."""
        self.end, self.lasts = end, end - time
        self._look_about(time)
        for number in self.feet:
            self.go(number, time)

    def go(self, number: int, time: int) -> None:
        """Write how one goes from a time on (clock) to the end of the present tick."""
        motion = self.stage.motions[number]
        time = max(time, motion.arrives)
        if self.stage.out(number) or time >= self.end:
            return
        on = self._strides.get(number)
        if (
            on is not None
            and motion.pieces[-1] is on.piece
            and self.end <= on.until
            and self._known(motion) == on.known
        ):
            return
        steps = self._steps(number, time) if self.stage.turning else 1
        stops = {time + (self.end - time) * k // steps for k in range(steps)} | self._turns(number, time)
        for start, end in itertools.pairwise([*sorted(stops), self.end]):
            self._go(number, start, end)

    def _steps(self, number: int, time: int) -> int:
        """In how many steps one goes to the tick's end, from a time (clock): more where what turns may come to him."""
        feet, motion = self.feet[number], self.stage.motions[number]
        place, velocity, _ = motion.at(time)
        fall, here = self.stage.scene.gravity * ((self.end - time) / UNITS), three(place)
        goes = added(math.hypot(*one) for one in (velocity, motion.wanted, motion.carried or NOWHERE, fall))
        goes += abs(motion.leaps)
        return max(steps_of(self.stage, [(feet.row, here)], here, feet.reach, goes, time, self.end), 1)

    def quiet(self, time: int, along: bool) -> int:
        """Until when (clock) nobody is to be looked after, from a time on at which all were; ``along``: who goes on
        too, not only who stands."""
        self._look_about(time)
        until = []
        for number in (number for number in self.feet if not self.stage.out(number)):
            motion, on = self.stage.motions[number], self._strides.get(number)
            goes = on is not None and motion.pieces[-1] is on.piece and motion.arrives <= time
            if not (goes and (along or motion.pieces[-1][1] is STILL) and self._known(motion) == on.known):
                return time
            until.append(on.until)
        return min(until, default=ENDLESS)

    def _look_about(self, time: int) -> None:
        """Know who is there, what was moved from outside, and whether what is solid moves on a way not known."""
        stage, others = self.stage, self.stage.turns_by(time, time)
        moving = any(stage.solid(k) and not (stage.motions[k].foreseen or stage.loose.asleep(k)) for k in others)
        self._about_now = stage.arena.who, stage.changes, moving

    def _known(self, motion: Walker) -> tuple:
        """What one goes by who goes on evenly: what is wanted of him, and what is about."""
        return motion.wanted.tobytes(), motion.leaps, *self._about_now

    def _turns(self, number: int, time: int) -> set[int]:
        """When (clock), before the tick's end, what is solid about one goes on otherwise: he sees it go straight."""
        stage, turns = self.stage, set()
        for k in stage.turns_by(time, self.end):
            if stage.solid(k) and not stage.out(k):
                turn, until = stage.motions[k].next_break(time), self.end + (k in stage.loose.of)
                if turn is not None and turn < until and self._comes(number, k, time, self.end):
                    while turn is not None and turn < until:
                        turns.add(max(turn - EARLY, time))
                        turn = stage.motions[k].next_break(turn)
        return turns

    def _go(self, number: int, time: int, end: int) -> None:
        """Write how one goes from a time to another (clock), all that turns as it stands at the first."""
        stage, feet, motion = self.stage, self.feet[number], self.stage.motions[number]
        here, laws = motion.at(time), self._laws(motion)

        def treads() -> tuple:
            far, stood = self._far(number, time, end), feet.stands
            for _ in range(FARTHER):
                self._begin(feet, motion, *here)
                feet.stands = stood
                others = self._others(number, self._about(number, time, end, far), time, end)
                pieces = tread(feet, others, *laws, 0.0, (end - time) / UNITS, stage.scene.size)
                went = max(length_of(np.array(p) - here[0]) for p in (feet.p, *(piece.p for piece in pieces)))
                if went <= far - feet.reach:
                    break
                # Who is put out of what he was in may come farther than he walks, to others.
                far = feet.reach + 2.0 * went
            return pieces, feet.p, feet.v, feet.a, feet.stands, feet.carried

        asked = ()
        if time == 0:
            asked = number, end, self.end, *self._known(motion), motion.carried, motion.stands, *map(bytes, here)
        pieces, feet.p, feet.v, feet.a, feet.stands, feet.carried = self._at_first(time, asked, treads)
        motion.leaps, motion.stands, motion.carried = 0.0, feet.stands, feet.carried
        for piece in pieces:
            when = min(time + round(piece.time * UNITS), end)
            motion.turn(when, *(np.array(one) for one in (piece.p, piece.v, piece.a)))
        on = self._strides.get(number)
        waits = on is not None and on.piece is None and on.until > time
        if end == self.end and not pieces and feet.a == NOWHERE and not waits:
            on = self._at_first(time, ("on", *asked), lambda: self._stride(number, laws, time))
            self._strides[number] = on._replace(piece=on.piece and motion.pieces[-1])

    def _laws(self, motion: Walker) -> tuple[Gait, Vector, Vector | None]:
        """How one walks, what pulls him, and which way is up, if anything pulls."""
        scene, walk = self.stage.scene, motion.walk
        vertical = scene.frame.vertical and scene.gravity.any()
        # A step as high as he takes is one that he takes, however it is rounded.
        step = walk.step and walk.step + 2.0 * SKIN * scene.size
        gait = Gait(three(motion.wanted), walk.acceleration or math.inf, walk.steepest, step)
        return gait, three(scene.gravity), three(scene.frame.up) if vertical else None

    def _begin(self, feet: Feet, motion: Walker, place, velocity, acceleration) -> None:
        """Let him be where he is, and leap if he does."""
        feet.p, feet.v, feet.a = three(place), three(velocity), three(acceleration)
        feet.carried, feet.leaps = motion.carried, motion.leaps

    def intends(self, number: int, time: int, end: int) -> tuple[np.ndarray, bool] | None:
        """By how much (3,) one would go from a time to another (clock) if all that has a mass before him gave way: so
        he pushes it. And whether he would gain speed meanwhile. None where nothing of that kind is about."""
        stage, motion = self.stage, self.stage.motions[number]
        place, velocity, acceleration = motion.at(time)
        seconds = (end - time) / UNITS
        about, laws = self._about(number, time, end), self._laws(motion)
        yields = {k for k in about if k in stage.loose.of and self._in_the_way(number, k, place, time, laws)}
        if not yields:
            return None
        feet = copy.copy(self.feet[number])
        self._begin(feet, motion, place, velocity, acceleration)
        others = self._others(number, [k for k in about if k not in yields], time, end)
        tread(feet, others, *laws, 0.0, seconds, stage.scene.size)
        way = np.array(feet.p) - place
        return way, bool(length_of(np.array(feet.v) - way / seconds) > SKIN * stage.scene.size)

    def _in_the_way(self, number: int, other: int, place, time: int, laws: tuple) -> bool:
        """Whether a body with a mass stands before one, so that he neither stands on it nor steps up there."""
        stage, (gait, _, up) = self.stage, laws
        if up is None:
            return True
        row, here = stage.row(other, time), stage.middle(other, time)
        _, n = between(stage.rows[number], place, row, here)
        top = float(dot(here - place, stage.scene.frame.up)) + support(row, up)
        low = -support(stage.rows[number], tuple(-x for x in up))
        return float(dot(n, stage.scene.frame.up)) < gait.steepest and top - low > gait.step

    def _stride(self, number: int, laws: tuple, time: int) -> Stride:
        """How one goes on who has come evenly from a time (clock) to the tick's end: so until a tick before anything
        else may be."""
        motion, stage, now = self.stage.motions[number], self.stage, self.end
        known, ahead = self._known(motion), 0
        if motion.pieces[-1][1] is STILL and not stage.turning and not any(map(stage.solid, stage.movers)):
            return Stride(ENDLESS, motion.pieces[-1], known)
        if not known[-1]:
            far = self._far(number, now, now + round(AHEAD * UNITS))
            about = self._about(number, now, now + round(AHEAD * UNITS), far, time)
            moving = {k for k in about if stage.motions[k].moves and not stage.loose.asleep(k)}
            about = [k for k in about if k not in moving or self._comes(number, k, now, now + round(AHEAD * UNITS))]
            if moving.isdisjoint(about) and stage.turning.keys().isdisjoint(about):
                others = self._others(number, about, now, now + self.lasts)
                ahead = int(stride(self.feet[number], others, *laws, AHEAD, stage.scene.size) * UNITS) - self.lasts
        if ahead < self.lasts:
            return Stride(now + AGAIN * self.lasts, None, ())
        return Stride(now + ahead, motion.pieces[-1], known)

    def _comes(self, number: int, other: int, time: int, end: int) -> bool:
        """Whether a body that moves may come to one before an end (clock), as far as both go on as they do."""
        stage, motion, walker = self.stage, self.stage.motions[other], self.stage.motions[number]
        place, velocity, _ = walker.at(time)
        left = length_of(stage.centre(other, time) - place) - stage.reach(other) - stage.reach(number)
        left -= length_of(velocity) * ((end - time) / UNITS) + walker.walk.step + MORE * stage.scene.size
        for _ in range(MOST_PIECES):
            here, v, a = motion.at(time)
            turn = motion.next_break(time)
            until = end if turn is None else min(turn, end)
            t = (until - time) / UNITS
            jump = motion.at(until)[0] - (here + v * t + a * (0.5 * t * t))
            left -= (length_of(v) + length_of(a) * t) * t + length_of(jump)
            if left <= 0.0 or until == end:
                return left <= 0.0
            time = until
        return True

    def _others(self, number: int, about: list[int], time: int, end: int) -> list[Other]:
        """Some bodies from a time to another (clock), and the floor of one who has one to himself."""
        others = [self._other(k, time, end) for k in about]
        return others + ([self.floors[number]] if number in self.floors else [])

    def _far(self, number: int, time: int, end: int) -> float:
        """How far off (units) what one may come to from a time to another (clock), or step onto, is at most."""
        motion, seconds = self.stage.motions[number], (end - time) / UNITS
        fast = self.fastest(motion, *motion.at(time)[1:], seconds)
        return self.stage.reach(number) + 2.0 * (fast * seconds + motion.walk.step) + MORE * self.stage.scene.size

    def _about(self, number: int, time: int, end: int, far: float | None = None, now: int | None = None) -> list[int]:
        """What is solid that one may come to from a time to another (clock), or step onto; so far off, if that is
        known. now : when all are looked at, if that is before."""
        stage, place = self.stage, self.stage.motions[number].place(time)
        far = self._far(number, time, end) if far is None else far
        kinds = ("obstacle", "target") if stage.loose.of else ("obstacle",)
        movers = stage.nearing([three(place)], [far], time if now is None else now, end)
        return [k for k in stage.around(place, STILL, far, *kinds, movers=movers) if stage.solid(k)]

    def fastest(self, motion: Walker, velocity, acceleration, seconds: float) -> float:
        """How fast (units/s) one gets at most within some seconds, whatever he meets."""
        pull = length_of(self.stage.scene.gravity) + length_of(acceleration) + (motion.walk.acceleration or 0.0)
        fast = length_of(velocity) + length_of(motion.wanted) + motion.leaps + pull * seconds
        return fast + length_of(np.array(motion.carried or STILL))

    def _other(self, number: int, time: int, end: int) -> Other:
        stage, motion = self.stage, self.stage.motions[number]
        here, velocity = stage.middle(number, time), (0.0, 0.0, 0.0)
        if motion.moves:
            turn = motion.next_break(time) if number in stage.loose.of else None
            if turn is not None and time < turn <= min(time + EARLY, end):
                # What he is just about to push goes before him as it does then.
                there = stage.middle(number, end)
                way = (there - stage.middle(number, turn)) / ((end - turn) / UNITS) if turn < end else motion.at(end)[1]
                here, velocity = there - way * ((end - time) / UNITS), three(way)
            else:
                velocity = three((stage.middle(number, end) - here) / ((end - time) / UNITS))
        return Other(number, stage.row(number, time), three(here), velocity, stage.reach(number))
