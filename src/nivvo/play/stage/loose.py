"""Bodies that have a mass: what is pushed moves, tick by tick, and lies still again."""

from __future__ import annotations

import itertools
import math
from functools import cache
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from nivvo.core.bodies import pushing
from nivvo.core.bodies.islands import NEAR
from nivvo.core.bodies.pushing import Loose, Other, Vector
from nivvo.core.geometry.hulls import between
from nivvo.core.numbers.clock import UNITS, from_seconds
from nivvo.core.numbers.frame import dot, length_of, three
from nivvo.core.numbers.vec import along
from nivvo.plan.bodies import Body
from nivvo.play.stage.sweeping import MORE, steps_of, sweeper
from nivvo.play.ways.motion import Motion, Walker
from nivvo.play.ways.ways import Beside

if TYPE_CHECKING:
    from nivvo.play.stage.stage import Stage

RESTLESS = 30.0
"""Seconds for which a run goes on after the last push for the sake of what still moves."""

AHEAD = 4.0
"""Skins that who pushes leaves to what he pushes while he gains speed."""

IN_VAIN = 100.0
"""Skins by which what is pushed in vain may have gone, and is not tried anew."""

STOOD = 1e-3
"""Of the reach of what somebody stands on, how near he is then."""


class Stuck(NamedTuple):
    """How all lay when one who walks was stopped by what he pushes: what all want, who was there, and places (n, 3)."""

    known: tuple
    places: np.ndarray


class Pushed(Motion):
    """The way of a body that has a mass: pieces, written tick by tick."""

    veers, foreseen = True, False

    @property
    def settled(self) -> float:
        """When (clock) it lies still for good, or moves on for good, as far as is known."""
        return self.times[-1]

    def placed(self, now: int, then: int, goal: np.ndarray, jump: bool) -> Pushed:
        """Moved from outside it is there at rest, and goes on from the next tick on."""
        moved = Pushed(self.at(now)[0])
        moved._follow(self, now)
        moved._go_to(now, then, goal, jump)
        return moved


class Bodies:
    """Those of a stage that have a mass, by the number of each of their shapes; ``pushed``: when one was last (clock).

    What is of several shapes goes as its first does, and the others beside that.
    """

    def __init__(self, stage: Stage, masses: list[int]):
        self.stage, self.pushed = stage, 0
        self.of: dict[int, Loose] = {}
        self._who = (0, b"")
        self._stuck: dict[int, Stuck | None] = {}
        for number in masses:
            self.add(number, stage.scene.planned[number])

    def add(self, number: int, body: Body) -> None:
        """Take in a body, if it has a mass."""
        if body.mass is None:
            return
        row, first = self.stage.rows[number].copy(), self.stage.whole.get(body.name, [number])[0]
        if first == number:
            self.of[number] = Loose(number, row, body.mass, body.friction, three(row["c0"]), held=None)
            self.stage.motions[number] = Pushed(row["c0"].copy())
            return
        arm = row["c0"] - self.stage.rows[first]["c0"]
        self.of[number] = self.of[first]
        self.of[number].join(row, three(arm))
        self.stage.motions[number] = Beside(self.stage.motions, first, arm)

    @property
    def all(self) -> list[Loose]:
        """All of them, each once."""
        return [one for number, one in self.of.items() if one.number == number]

    def asleep(self, number: int) -> bool:
        """Whether a body has a mass and lies still."""
        return number in self.of and self.of[number].asleep

    def goes_along(self, number: int) -> bool:
        """Whether a shape goes beside the first of its body."""
        return number in self.of and self.of[number].number != number

    def push(self, number: int, impulse: np.ndarray, time: int) -> None:
        """Give a body an impulse (3,), mass times units/s, at a time (clock); nothing to what has no mass."""
        one = self.of.get(number)
        if one is not None:
            one.v, one.asleep, one.held = three(np.array(one.v) + impulse / one.mass), False, {}
            # Also where nothing else changes, as in the air, its way goes on otherwise.
            one.shifted = True
            self.pushed = time

    def moved(self, number: int, place: np.ndarray) -> None:
        """A body was put elsewhere from outside; what has a mass goes on from there, at rest."""
        one = self.of.get(number)
        if one is not None:
            one.p, one.v, one.asleep, one.held = three(place), pushing.NOWHERE, False, {}

    def restless(self, time: int) -> bool:
        """Whether a run should go on at a time (clock) for what still moves."""
        moves = any((one.v, one.a) != (pushing.NOWHERE,) * 2 and not self.stage.out(one.number) for one in self.all)
        return moves and time - self.pushed < from_seconds(RESTLESS)

    def think(self, time: int, end: int) -> None:
        """Write how they move in the tick from ``time`` to ``end`` (clock)."""
        stage = self.stage
        there = [one for one in self.all if self._free(one.number, time) and not stage.out(one.number)]
        self._rouse(there, time, end)
        steps = 1
        for one in there if stage.turning else ():
            shapes = [(shape.row, along(one.p, shape.arm, 1.0)) for shape in one.shapes]
            swept = steps_of(stage, shapes, one.p, one.reach, math.hypot(*one.v), time, end)
            one.asleep, steps = one.asleep and not swept, max(steps, swept)
        if all(one.asleep for one in there):
            return
        stops = [time + (end - time) * k // steps for k in range(steps + 1)]
        for start, stop in itertools.pairwise(stops):
            self._advance(there, start, stop)

    def again(self, time: int, end: int) -> None:
        """Write anew how they move from a time within a tick (clock) to its end: who walks goes on otherwise."""
        for one in (one for one in self.all if self._free(one.number, time)):
            motion = self.stage.motions[one.number]
            place, velocity, acceleration = motion.at(time)
            one.p, one.v, one.a = three(place), three(velocity), three(acceleration)
            if motion.next_break(time) is not None:
                # What was to come to it in this tick does not.
                motion.turn(time, place, velocity, acceleration)
                one.asleep = False
        self.think(time, end)

    def _advance(self, there: list[Loose], time: int, end: int) -> None:
        """Write how some move from a time to another (clock), all that turns as it stands at the first."""
        stage, scene = self.stage, self.stage.scene
        moving, others, wanted = {*stage.movers, *stage.afoot.feet, *stage.turning}, [], []
        ground = 0.0 if scene.frame.vertical else scene.weight
        places = [one.p for one in there]

        @cache
        def swept(number: int, at: int) -> Other | None:
            return sweeper(stage, number, there[at], time, end)

        def coming(far: float) -> list[Other]:
            near = stage.nearing(places, [one.reach * (1.0 + NEAR) + far for one in there], time, end)
            about = [k for k in sorted({*near, *stage.afoot.feet}) if not (self._free(k, time) or stage.out(k))]
            about = [k for k in about if not self._stood_on(k, there, time)]
            others[:] = [self._other(k, there, time, end) for k in about if k not in stage.turning]
            turning = ((k, at) for k in about if k in stage.turning for at in range(len(there)))
            others.extend(other for pair in turning if (other := swept(*pair)) is not None)
            wanted[:] = [one.v for one in others]
            return others

        def standing(place: Vector, far: float) -> list[Other]:
            x, y, z = place
            near = stage.arena.near((x - far, y - far, z - far), (x + far, y + far, z + far))
            stand = (k for k in near if not (k in moving or k in self.of or stage.out(k)))
            return [self._other(k, there, time, end) for k in stand]

        pull, seconds = three(scene.gravity), (end - time) / UNITS
        for piece in pushing.advance(there, coming, standing, pull, ground, seconds, scene.size):
            self._turn(piece, min(time + round(piece.time * UNITS), end))
        for one, v in zip(others, wanted, strict=True):
            if one.v != v:
                self._stuck[one.number] = self._lie(one.number, there, end)

    def _lie(self, number: int, there: list[Loose], time: int) -> Stuck | None:
        """How all lies at a time (clock), for one who pushes in vain; None if anything moves."""
        stage, wanted, slow = self.stage, [], pushing.SKIN * self.stage.scene.size
        if any(math.hypot(*one.v) > slow for one in there):
            return None
        for k in stage.movers:
            motion = stage.motions[k]
            if isinstance(motion, Walker) and not stage.out(k):
                wanted.append((k, motion.wanted.tobytes()))
                if motion.leaps or length_of(motion.at(time)[1]) > slow:
                    return None
            elif not (self._free(k, time) or stage.out(k) or motion.rests(time)):
                return None
        known = tuple(wanted), stage.arena.who, stage.changes, tuple(one.number for one in there)
        return Stuck(known, np.array([stage.motions[number].at(time)[0], *(one.p for one in there)]))

    def _in_vain(self, number: int, there: list[Loose], time: int) -> bool:
        """Whether one would push at a time (clock) as when he was stopped, and all lies as it did then."""
        stuck = self._stuck.get(number)
        now = stuck and self._lie(number, there, time)
        slack = IN_VAIN * pushing.SKIN * self.stage.scene.size
        return bool(now and now.known == stuck.known and np.abs(now.places - stuck.places).max() <= slack)

    def _turn(self, piece: pushing.Piece, when: int) -> None:
        """Let a body's way go on as a piece says."""
        number, motion = piece.number, self.stage.motions[piece.number]
        place, velocity, acceleration = (np.array(one) for one in (piece.p, piece.v, piece.a))
        if not motion.moves and not velocity.any() and not acceleration.any():
            return
        motion.turn(when, place, velocity, acceleration)
        for shape in self.stage.pieces(number):
            self.stage.moves(shape)

    def _rouse(self, there: list[Loose], time: int, end: int) -> None:
        """Wake all where a body has come or is out, else those to whom one that moves may come by the tick's end."""
        stage, slack = self.stage, MORE * self.stage.scene.size
        who = stage.arena.who
        changed, self._who = who != self._who, who
        lying = [one for one in there if one.asleep]
        if changed:
            for one in lying:
                one.asleep = False
        elif lying:
            near = stage.nearing([one.p for one in lying], [one.reach + slack for one in lying], time, end)
            for k in (k for k in near if self._goes_by_itself(k, time)):
                place, far = stage.middle(k, time), stage.reach(k) + self._goes(k, time, end) + slack
                for one in lying:
                    one.asleep = one.asleep and k not in one.on and math.dist(one.p, place) > one.reach + far

    def _goes(self, number: int, time: int, end: int) -> float:
        """How far (units) one who goes his own way goes at most from a time to another (clock)."""
        motion, seconds = self.stage.motions[number], (end - time) / UNITS
        if isinstance(motion, Walker):
            return self.stage.afoot.fastest(motion, *motion.at(time)[1:], seconds) * seconds + motion.walk.step
        return length_of(self.stage.middle(number, end) - self.stage.middle(number, time))

    def _goes_by_itself(self, number: int, time: int) -> bool:
        """Whether one of the movers moves at a time (clock) and has no mass, or is moved from outside."""
        stage = self.stage
        return not (self._free(number, time) or stage.out(number) or stage.motions[number].rests(time))

    def _free(self, number: int, time: int) -> bool:
        """Whether a body has a mass and goes by itself: what is moved from outside in a tick does from its end on."""
        one = self.of.get(number)
        return one is not None and self.stage.motions[one.number].arrives <= time

    def quiet(self, time: int) -> bool:
        """Whether all lie still at a time (clock), and nothing comes."""
        lie = all(one.asleep or self.stage.out(one.number) for one in self.all)
        return not self.of or (lie and not any(self._goes_by_itself(k, time) for k in self.stage.movers))

    def _stood_on(self, number: int, there: list[Loose], time: int) -> bool:
        """Whether somebody who walks stands on one of them at a time (clock): that pushes nothing."""
        stage, motion = self.stage, self.stage.motions[number]
        if not isinstance(motion, Walker) or not motion.stands or not stage.scene.frame.vertical:
            return False
        row, place, up = stage.rows[number], stage.middle(number, time), stage.scene.frame.up
        for one in there:
            for shape in one.shapes:
                off = np.array(one.p) + shape.arm
                if length_of(place - off) < stage.reach(number) + shape.reach * (1.0 + STOOD):
                    gap, n = between(row, place, shape.row, off)
                    if gap <= STOOD * shape.reach and float(dot(n, up)) >= motion.walk.steepest:
                        return True
        return False

    def _other(self, number: int, there: list[Loose], time: int, end: int) -> Other:
        """A body that goes its own way, over a tick; who walks does so up and down as what carries him alone: he does
        not press down what he comes to stand on."""
        stage, motion = self.stage, self.stage.motions[number]
        here = stage.middle(number, time)
        velocity = pushing.NOWHERE
        walks = number in stage.afoot.feet and not self._in_vain(number, there, time)
        intends = stage.afoot.intends(number, time, end) if walks else None
        if intends is not None:
            seconds, carried = (end - time) / UNITS, np.array(motion.carried or pushing.NOWHERE)
            way = stage.scene.frame.level(intends[0]) - stage.scene.frame.level(carried) * seconds
            size = length_of(way)
            if intends[1] and size > 0.0:
                # Just so far that he who gains speed comes up to it at the tick's end, and not before.
                way = way * (1.0 + AHEAD * pushing.SKIN * stage.scene.size / size)
            velocity = three(way / seconds + carried)
        elif motion.moves:
            way = (stage.middle(number, end) - here) / ((end - time) / UNITS)
            if isinstance(motion, Walker) and float(dot(way - motion.lift, stage.scene.frame.up)) < 0.0:
                way = stage.scene.frame.level(way) + motion.lift
            velocity = three(way)
        other = Other(number, stage.row(number, time), three(here), velocity, stage.reach(number), intends is not None)
        other.carried = (motion.carried if other.yields else None) or pushing.NOWHERE
        return other
