"""Shooters who walk through openings: who comes to one leaves by the other, turned as the two surfaces are."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from nivvo.core import pool
from nivvo.core.contacts.opening import SAME_SIDE
from nivvo.core.geometry.hulls import between
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import dot, length_of
from nivvo.record.record import NOBODY

if TYPE_CHECKING:
    from nivvo.play.rules.playing import Playing

NEAR = 1e-6
"""Of the scene's size: so near he stands at what he came to."""

CLEAR = 0.05
"""Metres that he must be off the body that he came out of before it takes him in again."""


class Doors:
    """Who walks through openings. left : of each who has come out of a body, by number, which that was.

    waits : who stands at one, and has been told that there is no room for him where it leads.
    """

    def __init__(self, session: Playing):
        self.session = session
        self.left: dict[int, int] = {}
        self.waits: set[int] = set()

    def look(self, time: int, end: int) -> None:
        """Let those go through who come to an opening in the tick from ``time`` to ``end`` (clock), at its start."""
        session, stage = self.session, self.session.stage
        if not len(session.arena.openings):
            return
        for number in stage.afoot.feet:
            if not stage.out(number):
                self._look(number, time, (end - time) / UNITS)

    def _look(self, number: int, time: int, seconds: float) -> None:
        session, stage, scene = self.session, self.session.stage, self.session.scene
        motion = stage.motions[number]
        place, velocity, _ = motion.at(time)
        wanted = motion.wanted + (scene.gravity if scene.frame.vertical else 0.0)
        for one in session.arena.openings:
            body, to = int(one["body"]), session.arena.openings[one["to"]]
            if stage.out(body) or stage.out(int(to["body"])):
                continue
            middle, goes = stage.motions[body].at(time)[:2]
            normal = one["normal"]
            off = place - middle - one["offset"]
            off = off - float(dot(off, normal)) * normal
            gap, n = self._gap(number, body, middle + one["offset"] + off, time)
            if self.left.get(number) == body:
                if gap <= CLEAR * scene.metre:
                    continue
                del self.left[number]
            comes = -float(dot(velocity - goes, normal))
            at = gap <= max(comes, 0.0) * seconds + NEAR * scene.size and float(dot(n, normal)) > SAME_SIDE
            if at and (comes > 0.0 or float(dot(wanted, normal)) < 0.0) and length_of(off) <= one["radius"]:
                self._through(number, one, to, off, velocity - goes, time)
                return
        self.waits.discard(number)

    def _gap(self, number: int, body: int, foot: np.ndarray, time: int) -> tuple[float, np.ndarray]:
        """The gap to what has an opening, and its normal there: to who lies flush with it, where the foot (3,) is."""
        stage = self.session.stage
        over = [k for k in np.flatnonzero(stage.rows["opens"]).tolist() if k != body and not stage.out(k)]
        slack = NEAR * self.session.scene.size
        faces = [body, *(k for k in over if abs(stage.gap(k, foot, time)) <= slack)]
        place, row = stage.middle(number, time), stage.rows[number]
        found = (between(row, place, stage.row(k, time), stage.middle(k, time)) for k in faces)
        return min(found, key=lambda one: one[0])

    def _through(self, number: int, one: np.void, to: np.void, off: np.ndarray, seen: np.ndarray, time: int) -> None:
        """Let one go in at ``off`` (3,) from the middle of an opening, with a velocity (3,) as its body sees it; or
        tell, once, that there is no room."""
        stage = self.session.stage
        body = int(to["body"])
        middle, goes = stage.motions[body].at(time)[:2]

        def turned(way: np.ndarray, share: float = 1.0) -> np.ndarray:
            out = float(dot(way, one["above"])) * to["above"] - float(dot(way, one["beside"])) * to["beside"]
            return share * out - float(dot(way, one["normal"])) * to["normal"]

        point = middle + to["offset"] + turned(off, float(to["radius"] / one["radius"]))
        goal = stage.cleared(number, point, to["normal"], stage.reach(number), time, search=False)
        when, tell = (time, 0.0, self.session.scene.ticks.holding(time)), self.session.arena.note
        if goal is None:
            if number not in self.waits:
                here = stage.motions[number].at(time)[0]
                tell((pool.TURNED_AWAY, number, 1, float(to["key"]), 0.0), NOBODY, when, here, one["normal"])
                self.waits.add(number)
            return
        facing = turned(stage.players[stage.names[number]].facing(time))
        stage.players[stage.names[number]].turn(time, facing)
        stage.move(number, time, time, goal, True)
        stage.motions[number].turn(time, goal, goes + turned(seen), np.zeros(3))
        self.left[number] = body
        self.waits.discard(number)
        keys = float(one["key"]), float(to["key"])
        tell((pool.WENT_THROUGH, number, 1, *keys), NOBODY, when, goal, to["normal"])
