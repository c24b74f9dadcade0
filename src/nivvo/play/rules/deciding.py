"""Who comes back, and when a case is won or lost."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import added
from nivvo.plan.case import Goal

if TYPE_CHECKING:
    from nivvo.play.rules.playing import Playing


class Decided(NamedTuple):
    """How a case came out: when (clock), "won" or "lost", and why, in words."""

    time: int
    word: str
    why: str


class Deciding:
    """Lives and goals of a session. lives : left, by shooter's number; backs : who comes back, and when (clock)."""

    def __init__(self, session: Playing, goals: tuple[Goal, ...]):
        self.session, self.goals, self.decided = session, goals, None
        scene, rows = session.scene, session.stage.rows
        self.lives = {scene.number[name]: one.lives for name, one in scene.shooters.items() if one.lives > 1}
        self.backs: list[tuple[int, int]] = []
        self.active = bool(self.lives or goals)
        if self.active:
            groups = {one.group for one in goals}
            watched = {*self.lives} | {k for k, group in enumerate(rows["group"].tolist()) if group in groups}
            rows["watched"][sorted(watched)] = 1

    @property
    def latest(self) -> int | None:
        """When (clock) a case is decided by its time, at the latest."""
        return min((one.time for one in self.goals if one.time is not None), default=None)

    def look(self, time: int | None = None) -> None:
        """See whether somebody is to come back or the case is decided, after something has happened."""
        if not self.active:
            return
        session = self.session
        if time is None:
            time = self._last()
        self.pass_time(time)
        for number, left in self.lives.items():
            if left > 1 and session.stage.out(number) and number not in [one for _, one in self.backs]:
                self.lives[number] = left - 1
                back = session.scene.shooters[session.stage.names[number]].back_after
                self.backs.append((time + back, number))
        for goal in self.goals:
            if self.decided is None and (why := self._reached(goal)):
                self.decided = Decided(time, goal.word, why)
        if self.decided is not None and self.decided.time == time:
            session.stop(time)

    def pass_time(self, time: int) -> None:
        """Decide by time a case that nothing else has decided up to a time (clock)."""
        for goal in self.goals:
            if self.decided is None and goal.time is not None and goal.time == self.latest and goal.time <= time:
                self.decided = Decided(goal.time, goal.word, f"{goal.time / UNITS:g} s have gone")

    def _last(self) -> int:
        """The time (clock) of what was written last."""
        event = self.session.arena.events[int(self.session.arena.counters[pool.EVENTS]) - 1]
        return int(event["start"]) + math.ceil(float(event["after"]) * UNITS)

    def _reached(self, goal: Goal) -> str:
        """Why a goal is reached, or ""."""
        session = self.session
        total = added(points for points, _, _ in session.consequences.scores.values())
        if goal.score is not None and total >= goal.score:
            return f"a score of {total:g}"
        if goal.touched is not None:
            by = [pair for pair in session.reaching.touching if session.stage.rows["group"][pair[0]] == goal.touched]
            if by:
                return "{} touches {}".format(*(session.stage.names[k] for k in min(by)))
        if goal.group is not None:
            stage = session.stage
            mine = np.flatnonzero((stage.rows["group"] == goal.group) & (stage.rows["role"] != pool.OBSTACLE)).tolist()
            coming = stage.to_come | {k for _, k in self.backs}
            if mine and all(stage.out(k) and k not in coming for k in mine):
                return f"all of {session.scene.groups[goal.group]} are out"
        return ""

    def at_edge(self, time: int) -> None:
        """Let those come back who are due at a tick's start (clock), and decide by time."""
        self.pass_time(time)
        session, stage = self.session, self.session.stage
        for when, number in sorted(self.backs):
            if when <= time:
                self.backs.remove((when, number))
                row = stage.rows[number]
                row["health"], row["out"] = row["full"], 0
                place = session.scene.planned[number].row["c0"].copy()
                stage.move(number, time, time, place, True)
                session.arena.plan()
                tick = session.scene.ticks.holding(time)
                nobody = pool.FOREVER
                what = (pool.BACK, number, 0, 0.0, float(self.lives[number]))
                session.arena.note(what, nobody, (time, 0.0, tick), place, np.zeros(3))
