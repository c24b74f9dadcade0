"""How a session's ticks are run: many at once while nobody acts, or one up to what somebody does within it.

Where what players do can hang on what is touched (a shooter can be hurt or put out, only so many may be in the air,
a further press ends what flies), a tick is run up to each act: contacts before it are answered first. Elsewhere all
acts of a tick are taken in before it is run, which comes to the same.

In exact step a tick is cut where a body's way turns, or may be about to by what a player does; a lock of the feet
that follows within the tick from something else is seen by what flies from the tick's end on. In a game's own step,
where bodies too are moved once a tick, each goes straight from where it is at the tick's start to where it is at its
end.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers import clock
from nivvo.core.world.arena import one_tick, ticks_of
from nivvo.errors import NivvoError

if TYPE_CHECKING:
    from nivvo.play.session.session import Session

BATCH = 256
SAME = 1000
"""Counts of the clock (a nanosecond and a half) within which a meeting is the one that was found before."""


class Flying:
    """The arena of a session on its way through the ticks; ``reached``: how far into the present one (clock)."""

    def __init__(self, session: Session):
        self.session, self.reached, self._part, self._owed = session, None, (0, 0), False
        self._turned: int | None = None

    def ahead(self, tick: int) -> None:
        """Run the arena up to tick number ``tick``; skip what is left once nothing is in the air.

        Comes back sooner, in the middle of a tick, after a contact from which something follows.
        """
        session = self.session
        thinks = session.thinks
        while thinks and not session.arena.live and self._free(tick):
            if session.pending:
                self.to_end()
                continue
            session.ran = session.tick = min(tick, session.quiet())
        while (session.meetings.active or thinks) and session.arena.live and self._free(tick):
            quiet = min(tick, session.quiet()) if thinks and not (session.meetings.active or session.pending) else 0
            if quiet <= session.tick + 1:
                self.to_end()
            elif not self._batch(quiet):
                return
        if thinks:
            return
        while session.tick < tick and session.arena.live:
            if self._due():
                return
            if session.pending:
                # Somebody is to arrive, or to be pushed, at the next tick's start.
                self.to_end()
            elif not self._batch(tick):
                return
        while session.pending and session.tick < tick and not self._due():
            self.to_end()
        if not self._due():
            session.tick = tick

    def _free(self, tick: int) -> bool:
        """Whether the present tick is before number ``tick``, and nothing is due in it of the flight itself."""
        if self.session.tick < tick:
            self.session.think()
            return not self._due()
        return False

    def _batch(self, tick: int) -> bool:
        """Run ticks together up to number ``tick`` or sooner; whether nothing came back within one of them."""
        session, ticks = self.session, self.session.scene.ticks
        last, first = min(tick, session.tick + BATCH), session.tick
        if self._moves():
            start = ticks.edge(first)
            turn = session.stage.next_turn(start)
            if turn is not None and (holds := ticks.holding(turn)) < last:
                if holds == first:
                    self.to_end()
                    return True
                last = holds
            session.stage.place_all(start)
        done = self._run(ticks.rows(first, last - first), keep=session.minds)
        session.ran = max(session.ran, first + done)
        held = session.arena.why == pool.HOLD
        session.tick = first + done if held or self._owed else last
        self._metered(session.tick - first)
        if held:
            self.reached = ticks.edge(session.tick)
            self._part = self.reached, ticks.edge(session.tick + 1)
            session.held()
            return False
        self.reached = None
        if self._owed or session.thinks:
            self._begin()
        return not self._owed

    def _due(self) -> bool:
        """Whether something that has come of the flight itself is due before the present tick's end, or all is over."""
        if self.session.stopped:
            return True
        time = self.session.consequences.due()
        lasting = time is not None and time < self.session.scene.ticks.edge(self.session.tick + 1)
        return lasting or self.session.reaching.due() is not None

    def to(self, time: int) -> None:
        """Run the present tick up to what somebody does at ``time`` (clock): contacts before it are answered."""
        self._within(time, time)

    def sample(self, time: int) -> None:
        """Write down where all are at a time (clock), up to which the present tick was run."""
        session, ticks = self.session, self.session.scene.ticks
        start, end = ticks.edge(session.tick), ticks.edge(session.tick + 1)
        if self.reached is not None:
            start, end = self._part if session.arena.counters[pool.MID] and self.parts else (self.reached, end)
        session.arena.sample(time, one_tick(start, end, session.tick))

    def to_end(self) -> None:
        """Run the rest of the present tick."""
        session = self.session
        self._within(session.scene.ticks.edge(session.tick + 1), pool.FOREVER)
        if session.stopped:
            return
        self.reached = None
        session.tick += 1
        self._begin()
        self._metered(1)

    def _begin(self) -> None:
        """What comes about at the start of the present tick."""
        session, now = self.session, self.session.scene.ticks.edge(self.session.tick)
        session.ran = session.tick
        session.consequences.at_edge(now)
        session.deciding.at_edge(now)

    def _within(self, time: int, until: int) -> None:
        """Run the present tick up to a time, from meeting to meeting where projectiles may meet."""
        session, meetings, skip = self.session, self.session.meetings, set()
        start, end = session.scene.ticks.edge(session.tick), session.scene.ticks.edge(session.tick + 1)
        after, last = start if self.reached is None else max(self.reached, start), end if until < 0 else time
        while True:
            found = meetings.first(after, self._origin(start), end, skip) if meetings.active else None
            meets, self._turned = found is not None and found[0] < last, None
            self._run_within(*((found[0], found[0]) if meets else (time, until)))
            if session.stopped:
                break
            if self._turned is not None:
                # One of them flies on otherwise than was reckoned with.
                after = max(after, self._turned)
                continue
            if not meets:
                break
            same = meetings.first(after, self._origin(start), end, skip)
            # Else something has happened to one of them before.
            if same is not None and same[1] == found[1] and abs(same[0] - found[0]) <= SAME:
                meetings.meet(same, self._origin(start), end)
                session.deciding.look(same[0])
                if session.stopped:
                    break
                skip.add(same[1])
                after = same[0]

    def _origin(self, start: int) -> int:
        """From when (clock) the engine counts in what it has begun of the present tick."""
        return self._part[0] if self.parts and self.session.arena.counters[pool.MID] else start

    @property
    def parts(self) -> bool:
        """Whether ticks are cut where ways turn."""
        return self._moves() and self.session.scene.cuts

    def _run_within(self, time: int, until: int) -> None:
        session, ticks = self.session, self.session.scene.ticks
        start, end = ticks.edge(session.tick), ticks.edge(session.tick + 1)
        now = start if self.reached is None else self.reached
        if not self._moves():
            self._run_part(ticks.rows(session.tick, 1), until)
        elif self.parts:
            while now < time or (until < 0 and now < end):
                # A part that was begun is gone on with; it ends where a way turns, or may be about to.
                if not session.arena.counters[pool.MID]:
                    session.stage.place_all(now)
                    steers = session.next_steer(now, end)
                    self._part = now, min(x for x in (session.stage.next_turn(now), steers, end) if x is not None)
                a, b = self._part
                if self._run_part(ticks_of(np.array([a, b]), session.tick), until if until < b else pool.FOREVER):
                    break
                now = b
        else:
            if not session.arena.counters[pool.MID]:
                session.stage.place_straight(start, end)
            self._run_part(ticks.rows(session.tick, 1), until)
        self.reached = max(now, start)

    def _run_part(self, rows: np.ndarray, until: int) -> bool:
        """Run one part of a tick; whether it came back before its end, since somebody acts first."""
        session = self.session
        if not session.arena.live and until == pool.FOREVER and not session.arena.counters[pool.MID]:
            return False
        while True:
            self._run(rows, until, session.minds)
            if session.arena.why != pool.HOLD:
                break
            self._turned = session.held()
            if self._turned is not None or session.stopped:
                return True
        session.break_off()
        return session.arena.why == pool.DUE

    def _run(self, rows: np.ndarray, until: int = pool.FOREVER, keep: bool = False) -> int:
        if self.session.faced:
            self.session.stage.face_all(int(rows["start"][0]))
        arena, done, self._owed = self.session.arena, 0, False
        if (ticks := self.session.scene.ticks).uneven:
            # What is run may be a part of a tick; of many each is as long as it says.
            whole = ticks.edge(self.session.tick + 1) - ticks.edge(self.session.tick)
            arena.world["tick"] = clock.to_seconds(whole) if len(rows) == 1 else 0.0
        while True:
            try:
                done += arena.run(rows[done:], until, keep)
            except OverflowError as error:
                raise NivvoError(f'{error}; let groups that do not matter be ignored (then = "ignore")') from None
            self._owed |= self.session.consequences.catch_up()
            if arena.why != pool.OWES or not arena.counters[pool.MID]:
                return done
            # Something hangs on what was owed, within a tick: that ends as one in which something was.
            arena.counters[pool.OWED] = int(arena.counters[pool.EVENTS]) + 1

    def _metered(self, ticks: int) -> None:
        session = self.session
        session.meter.fly(session.arena.flying, ticks, session.scene.ticks.edge(session.tick), session.last_input)

    def _moves(self) -> bool:
        return bool(self.session.stage.movers) and not self.session.still
