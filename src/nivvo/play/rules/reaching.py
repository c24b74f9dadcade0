"""Bodies that touch a shooter, and what that does to him.

When they first touch within a tick is found from both ways, exactly where bodies move exactly; whether they have come
apart is seen at a tick's start.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from nivvo.core import pool
from nivvo.core.bodies.pushing import first_touch
from nivvo.core.geometry.hulls import between
from nivvo.core.numbers.clock import UNITS, from_seconds
from nivvo.core.numbers.frame import length_of
from nivvo.core.numbers.vec import dot, sub
from nivvo.plan.bodies import OnShooter
from nivvo.record.record import NOBODY

if TYPE_CHECKING:
    from nivvo.play.rules.playing import Playing

NEAR, APART = 1e-9, 1e-6
"""Of the scene's size: how near counts as touching, and how far off as no more: where a game steps straight ahead, the
time of a touch is found only nearly."""

NEVER = 1 << 62

MOST_LOOKS = 256
"""Looks at a body that turns, within a tick: what is so near for so long counts as touching."""

FEW = 8
"""Bodies that are sooner asked one by one."""

RESTLESS = 30.0
"""Seconds for which a run goes on after the last input for the sake of whom may still touch a shooter."""


class Reaching:
    """Who touches whom.

    asked : numbers of groups that a case is decided by. touching : by body and shooter, when it does something again
    (clock). coming : what is next.
    """

    def __init__(self, session: Playing, asked: set[int]):
        self.session, stage = session, session.stage
        if asked:
            # Of a group that somebody asks for it matters, even where nothing follows.
            mine = np.isin(stage.rows["group"], sorted(asked)) & (stage.rows["role"] != pool.SHOOTER)
            for number in np.flatnonzero(mine).tolist():
                stage.on_shooter.setdefault(number, OnShooter())
        self.touching: dict[tuple[int, int], int] = {}
        self.coming: list[tuple[int, int, int]] = []
        self.skin, self.apart = NEAR * session.scene.size, APART * session.scene.size

    @property
    def active(self) -> bool:
        """Whether there is anybody who may touch a shooter so that something follows."""
        return bool(self.session.stage.on_shooter) and not self.session.touches and not self.session.still

    def restless(self, time: int) -> bool:
        """Whether a run goes on at a time (clock) with nothing in the air, since a shooter may be touched."""
        session = self.session
        if not self.active:
            return False
        if session.lasts is not None:
            return time < session.lasts
        stage = session.stage
        moves = any(not stage.out(k) and stage.motions[k].moves for k in (*stage.on_shooter, *self._shooters()))
        return (moves or not stage.to_come.isdisjoint(stage.on_shooter)) and time - session.last_input < from_seconds(
            RESTLESS
        )

    def _shooters(self) -> list[int]:
        return [player.body for player in self.session.stage.players.values()]

    def plan(self, now: int, end: int) -> None:
        """See who touches whom from now on, up to a tick's end (clock)."""
        stage, self.coming = self.session.stage, []
        shooters = [k for k in self._shooters() if not stage.out(k)]
        wholes: dict[int, list[int]] = {}
        for number in self._near(shooters, now, end):
            wholes.setdefault(stage.pieces(number)[0], []).append(number)
        for whole, pieces in wholes.items():
            for shooter in shooters:
                again = self.touching.get((whole, shooter))
                gap, number = 0.0, pieces[0]
                if again is not None:
                    gap, number = min((self._gap(k, shooter, now), k) for k in pieces)
                if gap > self.apart:
                    del self.touching[whole, shooter]
                    again = None
                if again is None:
                    time, number = min((self._first(k, shooter, now, end), k) for k in pieces)
                else:
                    time = max(again, now)
                if time < end:
                    self.coming.append((time, number, shooter))
        self.touching = {
            pair: when for pair, when in self.touching.items() if not stage.out(pair[0]) and pair[1] in shooters
        }
        self.coming.sort()

    def _near(self, shooters: list[int], now: int, end: int) -> list[int]:
        """Those that may touch a shooter before the tick's end: of them who chase, who are near enough."""
        stage, rows = self.session.stage, self.session.stage.rows
        mine = np.fromiter(stage.on_shooter, dtype=int)
        mine = mine[rows["out"][mine] == 0]
        chase = mine[[k in stage.chasing for k in mine.tolist()]] if len(mine) else mine
        if len(chase) < FEW or not shooters:
            return mine.tolist()
        near = np.zeros(len(chase), dtype=bool)
        here = rows["c0"][chase] + rows["v0"][chase] * ((now - rows["t0"][chase]) / UNITS)[:, None]
        speed = np.sqrt((rows["v0"][chase] ** 2).sum(axis=1))
        reach = np.array([stage.reach(k) for k in chase.tolist()])
        for shooter in shooters:
            p, v, a = stage.motions[shooter].at(now)
            seconds = (end - now) / UNITS
            fast = speed + math.sqrt(dot(v, v)) + math.sqrt(dot(a, a)) * seconds
            far = np.sqrt(((here - p) ** 2).sum(axis=1))
            near |= far <= reach + stage.reach(shooter) + fast * seconds + self.skin
        kept = {number for number, _ in self.touching}
        passed = set(chase[~near].tolist()) - kept
        return [k for k in mine.tolist() if k not in passed]

    def forget(self, body: int) -> None:
        """A body is taken away: it touches nobody any more."""
        self.coming = [one for one in self.coming if one[1] != body]
        self.touching = {pair: when for pair, when in self.touching.items() if pair[0] != body}

    def due(self) -> int | None:
        """When somebody next touches a shooter (clock), as far as is known."""
        return self.coming[0][0] if self.coming else None

    def act(self, time: int) -> bool:
        """Do what follows at a time (clock); whether anything did."""
        stage, arena, done = self.session.stage, self.session.arena, False
        tick = self.session.scene.ticks.holding(time)
        while self.coming and self.coming[0][0] <= time:
            _, number, shooter = self.coming.pop(0)
            if stage.out(number) or stage.out(shooter) or self._gap(number, shooter, time) > self.apart:
                continue
            rule, done = stage.on_shooter[number], True
            here, there = stage.middle(shooter, time), stage.middle(number, time)
            _, normal = between(stage.rows[shooter], here, stage.row(number, time), there)
            at = (NOBODY, (time, 0.0, tick), here, normal)
            arena.note((pool.REACHED, number, 0, float(shooter), 0.0), *at)
            if rule.damage:
                arena.hurt(shooter, rule.damage, *at)
            pieces = stage.pieces(number)
            if rule.removes:
                arena.bodies["out"][pieces] = 1
                arena.note((pool.OUT, number, 1, 0.0, float(arena.bodies[number]["health"])), *at)
            self.touching[pieces[0], shooter] = NEVER if rule.every is None else time + rule.every
        return done

    def _gap(self, number: int, shooter: int, time: int) -> float:
        stage = self.session.stage
        here, there = stage.middle(shooter, time), stage.middle(number, time)
        return between(stage.rows[shooter], here, stage.row(number, time), there)[0]

    def _first_turning(self, number: int, shooter: int, now: int, end: int) -> float:
        """The same with a body that turns: as far on each time as nothing can make up the gap."""
        stage, rate = self.session.stage, abs(float(self.session.stage.rows[number]["turns"]))
        ways, time = (stage.motions[shooter], stage.motions[number]), now
        for _ in range(MOST_LOOKS):
            if (gap := self._gap(number, shooter, time)) <= 0.5 * self.skin:
                return time
            (p, v, a), (q, u, b) = (way.at(time) for way in ways)
            rest = (end - time) / UNITS
            fast = length_of(v - u) + length_of(a - b) * rest
            fast += rate * (length_of(p - q) + stage.reach(shooter) + fast * rest)
            time += max(int(gap / fast * UNITS), 1) if fast > 0.0 else end
            if time >= end:
                return math.inf
        return time

    def _first(self, number: int, shooter: int, now: int, end: int) -> float:
        """When two first touch from now on (clock); inf if they do not before the end."""
        stage = self.session.stage
        if number in stage.turning:
            return self._first_turning(number, shooter, now, end)
        one, other = stage.rows[shooter], stage.row(number, now)
        far = stage.reach(number) + stage.reach(shooter) + self.skin
        for start, stop, off, v, a in self._ways(number, shooter, now, end):
            seconds = (stop - start) / UNITS
            fast = (math.sqrt(dot(v, v)) + math.sqrt(dot(a, a)) * seconds) * seconds
            if math.sqrt(dot(off, off)) - fast > far:
                continue
            found = first_touch(one, off, v, a, other, seconds, 0.5 * self.skin)
            if found < math.inf:
                return min(start + math.ceil(found * UNITS), stop)
        return math.inf

    def _ways(self, number: int, shooter: int, now: int, end: int):
        """How a shooter moves as a body sees it, in pieces of parabolas: from when to when, from where, how."""
        motions, cuts = self.session.stage.motions, self.session.scene.cuts
        both, start = (motions[shooter], motions[number]), now
        while start < end:
            turns = [turn for motion in both if (turn := motion.next_break(start)) is not None] if cuts else []
            stop = min([end, *turns])
            (p, v, a), (q, u, b) = (motion.at(start) if cuts else motion.straight(start, end) for motion in both)
            yield start, stop, *(sub(tuple(x.tolist()), tuple(y.tolist())) for x, y in ((p, q), (v, u), (a, b)))
            start = stop
