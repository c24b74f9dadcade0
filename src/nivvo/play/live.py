"""The engine a tick at a time, inside somebody's game, server or test.

It is the very session that a case is fired in; here the players' inputs come as they are made, and nothing
is kept but what is in the air.
"""

from __future__ import annotations

import hashlib
import logging
from collections.abc import Sequence
from os import PathLike
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers import clock
from nivvo.errors import CallError
from nivvo.plan.abilities.ability import SEEKS
from nivvo.plan.case import LEAST_FRAME, case_of, one_more
from nivvo.plan.clockwork import MOST_FRAMES, Frames
from nivvo.plan.track import MOST_MOVES, PRESS, RELEASE, Change
from nivvo.play.aims.aiming import Asked, leaving
from nivvo.play.engine import shooter_in
from nivvo.play.outcome.cues import EXPIRED, EXPIRES, FULL, WORDS
from nivvo.play.outcome.happened import ending_in_words
from nivvo.play.outcome.run import PROJECTILES
from nivvo.play.preview import Preview, check_dots, of_run
from nivvo.play.session.keeping import Packed, packed, scout
from nivvo.play.session.past import Ends, Past, all_of, and_then
from nivvo.play.session.session import PROJECTILES_BITS, SHOTS_BITS, Session
from nivvo.play.triggers.firing import charged
from nivvo.record.record import in_order
from nivvo.record.vocabulary import HAPPENINGS
from nivvo.results import Tabled
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill
from nivvo.spec.words.nearest import known, lacking
from nivvo.spec.writing import Added, Removed, plain

log = logging.getLogger("nivvo")

MOST_SECONDS = 1e7
NAMED = 8
"""So much of what a game did beside input is named."""

MOST_CHANGES = 5_000
"""Bodies that came or went in a session, of which each is remembered."""

ENDED_KEPT = 65_536
FORGET_EVERY = 64
"""Ticks after which what is past is forgotten: a snapshot holds all that is not."""


RENAMED = {
    "cursor": "set_cursor",
    "stick": "set_stick",
    "move": "set_walk",
    "look": "set_look",
    "screen": "set_screen",
    "count": "in_the_air",
}
"""Methods as they were called before, and now: until 1.0."""


class Event(NamedTuple):
    """One thing that happened in a tick.

    time : s. what : "fired", "sent", "refused", "state", "cue", or a word of the table of events, as "contact",
    "damage", "ended".
    id : of the projectile, or -1. name : of the body, or of the shooter. ability : its name. point : position
    (size,), or None. amount : what it came to, as in the table of effects: damage, points, a radius, a speed. detail :
    in words.
    """

    time: float
    what: str
    id: int
    name: str
    ability: str
    point: np.ndarray | None
    amount: float
    detail: str


class Anchored(NamedTuple):
    """An anchor: its projectile's name, ability, shooter, the body that it is on, place and outward normal."""

    name: str
    ability: str
    shooter: str
    body: str
    place: np.ndarray
    normal: np.ndarray


class Live(Tabled):
    """A drill's scene and abilities, live.

    Parameters
    ----------
    drill : Drill
    case : whose settings and abilities hold; its inputs and moves are not played
    compiled : compile (or load) the engine now, so that no tick has to; else it is when there is enough to do

    Raises CallError for an unknown case. Times are seconds from the start; positions are in the drill's axes.
    """

    @checked
    def __init__(self, drill: Drill | str | PathLike[str], case: str | None = None, *, compiled: bool = True):
        self.drill, self._case = drill, case_of(drill, case)
        self.case, self.in_hand = self._case.name, self._case.in_hand
        self.scene = self._case.scene.with_own_time()
        self._session = Session(self.scene, self.in_hand, sampled=False, patient=True, goals=self._case.goals)
        self._names = {self._session._rank(a, s): (a, s) for a in self.scene.abilities for s in self.scene.shooters}
        heard = {word for one in self._session.triggers.values() for word in one.rules.buttons}
        heard |= {one.button for name in self.in_hand if (one := self.scene.abilities[name].again) and one.button}
        heard |= {one.walk.jump_button for one in self.scene.shooters.values() if one.walk is not None}
        self._heard = sorted(heard)
        self._ends = Ends(ENDED_KEPT)
        self._cleared = 0
        self._played: Past | None = None
        self._moved: Past | None = None
        self._changed: Past | None = None
        # What else a game did that is no input, the first of it; how long ticks were, if it says so.
        self._beside: dict[str, None] = {}
        self._frames = Frames(self.scene.ticks)
        self._mark = object()
        if compiled:
            self._session.compile()

    def __repr__(self) -> str:
        drill = Path(self.drill.name).name
        return f"<Live {drill} {self.case}: tick {self.tick}, {self.time:.5g} s, {len(self.ids)} in the air>"

    def as_rows(self) -> list[dict[str, Any]]:
        """A row a projectile in the air: its id, name, position and velocity."""
        axes = "xyz"[: self.scene.frame.size]
        rows = zip(self.ids.tolist(), self.positions.tolist(), self.velocities.tolist(), strict=True)
        return [
            {"id": id_, "name": self.name_of(id_), **dict(zip(axes, p, strict=True)),
             **{f"v{axis}": x for axis, x in zip(axes, v, strict=True)}}
            for id_, p, v in rows
        ]  # fmt: skip

    # What players do.

    @checked
    def press(self, button: str, shooter: str | None = None, at: float | None = None) -> None:
        """A button goes down, now (at the start of the coming tick) or at a time within it."""
        self._do(PRESS, self._button(button), shooter, at)

    @checked
    def release(self, button: str, shooter: str | None = None, at: float | None = None) -> None:
        """A button goes up."""
        self._do(RELEASE, self._button(button), shooter, at)

    @checked
    def tap(self, button: str, shooter: str | None = None, at: float | None = None) -> None:
        """A button goes down and up at once."""
        button = self._button(button)
        self._do(PRESS, button, shooter, at)
        self._do(RELEASE, button, shooter, at)

    @checked
    def set_cursor(self, *point: float, shooter: str | None = None, at: float | None = None) -> None:
        """The cursor is at a position."""
        self._do("cursor", self._numbers("cursor", point, self.scene.frame.size), shooter, at)

    @checked
    def set_stick(self, x: float, y: float, shooter: str | None = None, at: float | None = None) -> None:
        """The stick is at x, y, each from -1 to 1."""
        self._do("stick", self._numbers("stick", (x, y), 2, 1.0), shooter, at)

    @checked
    def set_walk(self, x: float, y: float = 0.0, shooter: str | None = None, at: float | None = None) -> None:
        """The walking input is x, y, each from -1 to 1."""
        self._do("walk", self._numbers("walk", (x, y), 2, 1.0), shooter, at)

    @checked
    def set_look(self, *angles: float, shooter: str | None = None, at: float | None = None) -> None:
        """The eye looks along direction (and in 3D elevation), degrees."""
        self._do("look", self._numbers("look", angles, self.scene.frame.size - 1), shooter, at)

    @checked
    def set_screen(self, x: float, y: float, shooter: str | None = None, at: float | None = None) -> None:
        """A point of the camera's screen is pointed at, pixels."""
        self._do("screen", self._numbers("screen", (x, y), 2), shooter, at)

    def __getattr__(self, name: str) -> Any:
        raise lacking(self, "a live session", name, RENAMED)

    def _button(self, button: str) -> str:
        return known(button, self._heard, "button")

    def _numbers(self, what: str, values, size: int, most: float = 1e12) -> list[float]:
        try:
            values = np.asarray(values[0] if len(values) == 1 and np.ndim(values[0]) == 1 else values, dtype=float)
        except (TypeError, ValueError, OverflowError):
            raise CallError(f"{what} takes {size} numbers, not {str(values)[:60]}") from None
        if values.shape != (size,) or not np.isfinite(values).all() or np.abs(values).max() > most:
            bound = "" if most > 1.0 else " from -1 to 1"
            raise CallError(f"{what} takes {size} finite numbers{bound}, not {values.tolist()}")
        return values.tolist()

    def _do(self, what: str, value, shooter: str | None, at: float | None) -> None:
        ticks, tick = self.scene.ticks, self._session.tick
        if at is not None and not 0.0 <= at <= MOST_SECONDS:
            raise CallError(f"at is a time in seconds from the start, not {at}")
        time = ticks.edge(tick) if at is None else clock.from_seconds(at)
        if time < ticks.edge(tick):
            raise CallError(f"at = {at} s is over: the coming tick begins at {self.time:.9g} s")
        names = sorted(self.scene.shooters)
        if shooter is not None:
            names = [known(shooter, self.scene.shooters, "shooter")]
        seen = time == ticks.edge(tick) or not self.scene.rules.seen_at_ticks
        self._session.feed([Change(time, time, name, what, value) for name in names], seen=seen)
        row = {"t": clock.to_seconds(time), what: value, **({"shooter": shooter} if shooter else {})}
        self._played = and_then(self._played, row)

    def _did(self, what: str) -> None:
        if len(self._beside) < NAMED:
            self._beside[what] = None

    # Time.

    @property
    def time(self) -> float:
        """When the coming tick begins (s)."""
        return clock.to_seconds(self._session.time)

    @property
    def tick(self) -> int:
        """The number of the coming tick."""
        return self._session.tick

    @checked
    def step(self, dt: float | None = None) -> list[Event]:
        """Run one tick, of ``dt`` seconds or as long as the drill's rules have it; returns what happened.

        Events are in order of time; at one time what was fired comes before what was touched, and touches in the
        order in which they were answered.
        """
        session = self._session
        if dt is not None and not LEAST_FRAME <= dt <= 10.0:
            raise CallError(f"a tick lasts from {LEAST_FRAME:g} to 10 s, not {dt}")
        self._frames.play(session.tick, dt)
        if dt is not None:
            session.consequences.lengthen(clock.from_seconds(dt))
        session.timers.played(session.tick)
        if session.unseen:
            session.see()
        session.step()
        told = self._events() if session.shots or session.refused or session.states or session.waved else []
        count = int(session.arena.counters[pool.EVENTS])
        if count:
            told += self._flown(session.arena.events[:count])
            session.arena.counters[pool.EVENTS] = 0
            session._struck = 0
        told.sort(key=lambda one: one[0].time)
        events = [event for event, _ in told]
        if self.scene.cues:
            events = [one for event, moment in told for one in (event, *self._heard_of(event, moment))]
        for kept in (session.shots, session.refused, session.states, session.births, session.edges, session.waved):
            kept.clear()
        if session.tick % FORGET_EVERY == 0:
            self._forget()
        return events

    def _events(self) -> list[tuple[Event, str]]:
        """What was fired and refused and what states changed, and which moment of a cue each is beside."""
        session, drop = self._session, self.scene.frame.drop
        out = []
        for shot in session.shots:
            word, time = "fired" if shot.parent < 0 else "sent", clock.to_seconds(shot.time)
            key, at = session.key_of(shot), drop(shot.at)
            out.append((Event(time, word, key, shot.shooter, shot.ability, at, 0.0, shot.note), ""))
        for shot in session.refused:
            time = clock.to_seconds(shot.time)
            out.append((Event(time, "refused", -1, shot.shooter, shot.ability, None, 0.0, shot.refused), ""))
        for one in session.states:
            words, time = f"{one.state}: {one.why}" if one.why else one.state, clock.to_seconds(one.time)
            event = Event(time, "state", -1, one.shooter, one.ability, None, 0.0, words)
            out.append((event, FULL if one.why == FULL else ""))
        for time, one in session.waved:
            out.append((Event(clock.to_seconds(time), one.word, -1, one.wave, "", None, 0.0, one.detail), ""))
        return out

    def _flown(self, raw: np.ndarray) -> list[tuple[Event, str]]:
        """What the engine wrote, and which moment of a cue each is beside."""
        out, size, names = [], self.scene.frame.size, self._session.stage.names
        for start, after, key, _, kind, body, code, amount, _, _, p, _, _ in in_order(raw).tolist():
            name, detail, moment = names[body] if body >= 0 else "", "", ""
            if kind == pool.ENDED:
                detail = ending_in_words(raw, code, body, key, names.__getitem__)
                moment = EXPIRED if code in EXPIRES else ""
                self._ends.add(key, detail)
            ability = self._names[key >> (SHOTS_BITS + PROJECTILES_BITS)][0] if key >= 0 else ""
            word, time = HAPPENINGS[kind].word, start / clock.UNITS + after
            if kind == pool.REACHED:
                detail, amount = names[int(amount)], 0.0
            out.append((Event(time, word, key, name, ability, np.array(p[:size]), amount, detail), moment))
            waved = self._session.waves.see(kind, body)
            out += [(Event(time, one.word, -1, one.wave, "", np.array(p[:size]), 0.0, one.detail), "") for one in waved]
        return out

    def _heard_of(self, event: Event, moment: str) -> list[Event]:
        """The cues that an event asks for, by its word and by the moment that it is, and those that are cut by them."""
        stage, sounding = self._session.stage, self._session.sounding
        number = stage.number.get(event.name)
        group = "" if number is None else self.scene.groups[stage.rows["group"][number]]
        words = [word for word in (WORDS.get(event.what, ""), moment) if word]
        rows = [row for one in words for row in sounding.hear(event.time, one, event.ability, group, "", event.name)]
        sounding.rows.clear()
        return [
            Event(event.time, "cue", event.id, event.name, event.ability, event.point, row["until"] - event.time,
                  f"{row['cue']}: {row['heard']}")
            for row in rows
        ]  # fmt: skip

    def _forget(self) -> None:
        self._session.stage.forget(self._session.time)

    # What is in the air.

    @property
    def in_the_air(self) -> int:
        """How many projectiles are in the air."""
        return self._session.arena.flying

    @property
    def ids(self) -> np.ndarray:
        """Ids (n,) of the projectiles in the air. A view to read, not to write: good until the next step."""
        return _to_read(self._session.arena.flight["key"][: self.in_the_air])

    @property
    def positions(self) -> np.ndarray:
        """Positions (n, 2) or (n, 3) at the coming tick's start. A view to read: good until the next step."""
        return _to_read(self._flight()["p"][:, : self.scene.frame.size])

    @property
    def velocities(self) -> np.ndarray:
        """Velocities (n, 2) or (n, 3). A view to read: good until the next step."""
        return _to_read(self._flight()["v"][:, : self.scene.frame.size])

    def _flight(self) -> np.ndarray:
        """The rows of what is in the air, filled in where it is now."""
        self._session.arena.place_all(self._session.time)
        return self._session.arena.flight[: self.in_the_air]

    @checked
    def name_of(self, id_: int) -> str:
        """The readable name of a projectile, as in the tables of a run. Raises CallError for what is no id."""
        rank, number = int(id_) >> (SHOTS_BITS + PROJECTILES_BITS), int(id_) >> PROJECTILES_BITS
        if rank not in self._names:
            raise CallError(f"{id_} is no id of a projectile")
        ability, shooter = self._names[rank]
        number = (number & ((1 << SHOTS_BITS) - 1)) + 1
        name = f"{ability}-{number}" if len(self.scene.shooters) == 1 else f"{shooter}-{ability}-{number}"
        part = int(id_) & PROJECTILES
        return f"{name}.{part + 1}" if part or int(id_) in self._session.many else name

    @checked
    def state_of(self, id_: int) -> str:
        """How a projectile is: "in the air", or how it ended. Raises CallError for an id that never was."""
        if np.any(self.ids == id_):
            return "in the air"
        if id_ in self._ends.of:
            return self._ends.of[id_]
        raise CallError(f"{self.name_of(id_)} is not in the air, and of the last {ENDED_KEPT:,} that ended it is none")

    @checked
    def end(self, id_: int) -> None:
        """End a projectile at the coming tick's start. Raises CallError if it is not in the air."""
        rows = np.flatnonzero(self.ids == id_)
        if not len(rows):
            raise CallError(f"{self.name_of(id_)} is not in the air: {self._ends.of.get(id_, 'it never was')}")
        self._did(f"the end of {self.name_of(id_)}")
        self._session.arena.end(int(rows[0]), self._session.time, pool.BY_CALL)

    @checked
    def state(self, ability: str, shooter: str | None = None) -> str:
        """The state of an ability's firing, as "idle" or "charging"."""
        name = known(ability, self.in_hand, "ability")
        return self._session.triggers[name, shooter_in(self._case, name, shooter)].state

    @property
    def decided(self) -> tuple[float, str, str] | None:
        """How the case came out: when (s), "won" or "lost", and why; None while it has not."""
        one = self._session.deciding.decided
        return None if one is None else (clock.to_seconds(one.time), one.word, one.why)

    @property
    def anchors(self) -> list[Anchored]:
        """The anchors there are at the coming tick's start, by ability and shooter, from the oldest to the newest."""
        stage, drop = self._session.stage, self.scene.frame.drop
        now, found = self._session.time, self._session.consequences.anchors
        return [
            Anchored(self.name_of(one.key), one.ability, one.shooter, stage.names[one.body],
                     drop(stage.carried(one.body, one.offset, one.time, now)),
                     drop(stage.carried(one.body, one.normal, one.time, now) - stage.middle(one.body, now)))
            for one in found.all(stage)
        ]  # fmt: skip

    # Bodies.

    @checked
    def place(self, name: str) -> np.ndarray:
        """Where the middle of a body is at the coming tick's start; where its ``at`` is, of several shapes."""
        number, stage = self._number(name), self._session.stage
        now = self._session.time
        return self.scene.frame.drop(stage.centre(number, now) - stage.shifts.get(number, 0.0))

    @checked
    def velocity(self, name: str) -> np.ndarray:
        """How fast a body goes (units/s) where ``place`` has it; who turns at a tick's start, as it has come."""
        now = self._session.time
        return self.scene.frame.drop(self._session.stage.motions[self._number(name)].at(now)[1])

    @checked
    def facing(self, shooter: str) -> float:
        """The direction that a shooter faces at the coming tick's start (degrees)."""
        session = self._as_done()
        player = session.stage.players[known(shooter, self.scene.shooters, "shooter")]
        return float(self.scene.frame.direction_of(player.facing(session.time)))

    def _as_done(self, sees: bool = False) -> Session:
        """The session as what was done for the coming tick's start leaves it, and, for who ``sees`` others, as those
        go from there on: a copy, where that is another."""
        if not (self._session.behind or (sees and self._session.thinks)):
            return self._session
        return scout(self._session, 0, not sees)

    @checked
    def muzzle(self, ability: str, shooter: str | None = None) -> tuple[np.ndarray, np.ndarray]:
        """Where a shot fired at the coming tick's start leaves from, and the unit vector along which: for a barrel.

        Of several muzzles the first. Where it goes by others who turn at a tick's start it costs as much as a preview.
        Raises CallError for unknown names.
        """
        name = known(ability, self.in_hand, "ability")
        session = self._as_done(self.scene.abilities[name].aim.by in (*SEEKS, "sight"))
        shooter = shooter_in(self._case, name, shooter)
        asked = Asked(session.time, name, shooter, session.numbers.get((name, shooter), 0), session.time)
        at, heading = leaving(session.stage, asked)
        return self.scene.frame.drop(at), self.scene.frame.drop(heading)

    @checked
    def health(self, name: str) -> float:
        """Health that a body has left (inf without any); 0 or less: it is out."""
        return float(self._session.arena.bodies[self._number(name)]["health"])

    @checked
    def move_body(self, name: str, to: Sequence[float], *, jump: bool = False) -> None:
        """Move a body's middle to a position: straight, over the coming tick, so that nothing slips through.

        ``jump``: it is there at once, and what lies between is not swept.
        """
        self._number(name)
        goal = self.scene.frame.lift(self._numbers("to", (to,), self.scene.frame.size))
        self._session.move(name, goal, jump)
        if self._moved is not None and self._moved.count >= MOST_MOVES:
            self._did(f"more than {MOST_MOVES:,} moves of bodies")
        else:
            row = {"t": self.time, "body": name, "to": self.scene.frame.drop(goal).tolist()}
            self._moved = and_then(self._moved, row | ({"jump": True} if jump else {}))

    @checked
    def add(self, kind: str, name: str, **keys: Any) -> None:
        """Add an obstacle or target, with the keys of its table, as ``add("target", "wisp", at=[3, 4])``.

        Raises CallError for keys that are wrong, a name that is taken, or a group nobody has.
        """
        known(kind, ("obstacle", "target"), "kind")
        stage = self._session.stage
        if isinstance(name, str) and name in stage.number:
            raise CallError(f"there is a {stage.kinds[stage.number[name]]} {name} already")
        there, keys = list(stage.number), plain(keys)
        stage.add(one_more(self.drill, self._case, kind, name, keys, there), self._session.tick)
        self._change(Added(self.time, kind, name, keys))

    @checked
    def remove(self, name: str) -> None:
        """Take an obstacle or target away, from the coming tick on: of a wave it counts as out, and comes no more."""
        if (kind := self._session.stage.kinds[self._number(name)]) == "shooter":
            raise CallError(f"{name} is a shooter: those stay")
        self._change(Removed(self.time, kind, name))
        self._session.remove(name)

    def _change(self, one: Added | Removed) -> None:
        """Remember that a body came or went."""
        if self._changed is not None and self._changed.count >= MOST_CHANGES:
            self._did(f"more than {MOST_CHANGES:,} bodies that came or went")
        else:
            self._changed = and_then(self._changed, one)

    def _number(self, name: str) -> int:
        return self._session.stage.number[known(name, self._session.stage.number, "body")]

    # Looking ahead and back.

    @checked
    def preview(
        self,
        ability: str,
        shooter: str | None = None,
        *,
        held: float | None = None,
        count: int | None = None,
        every: float | None = None,
        spacing: float | None = None,
        bodies: str = "moving",
        bounces: int = 0,
    ) -> Preview:
        """Dots along the flight of a shot fired at the coming tick's start, with all that was done for it.

        held : seconds of charge; None: what is charged by then, while its button is down. The rest as of
        ``nivvo.preview``; among many who chase, bodies that are taken to stand cost a fraction. Raises CallError for
        unknown names.
        """
        name = known(ability, self.in_hand, "ability")
        shooter = shooter_in(self._case, name, shooter)
        check_dots(count, every, spacing, held or 0.0, bounces, bodies)
        alone = scout(self._session, bounces, bodies == "still")
        now = alone.time
        number = self._session.numbers.get((name, shooter), 0)
        trigger = self._session.triggers.get((name, shooter))
        so_far = 0 if trigger is None else trigger.held(now)
        hold = so_far if held is None else clock.from_seconds(held)
        counts, nothing = charged(self.scene.abilities[name].firing, hold)
        alone.fire(Asked(now, name, shooter, number, now, counts), nothing=nothing)
        alone.fly_out()
        return of_run(alone.run(self.drill.name, self.case), count, every, spacing, bodies, bounces)

    @checked
    def snapshot(self) -> Snapshot:
        """All that is, to come back to with ``restore``: for rollback, and to go to and fro in what was played."""
        so_far = self._cleared, self._played, self._moved, self._changed, self._ends.past, dict(self._beside)
        return Snapshot(self._mark, *so_far, packed(self._session))

    @checked
    def restore(self, snapshot: Snapshot) -> None:
        """Be again as at a snapshot of this very session: what follows has identical bytes.

        Raises CallError for a snapshot of another session.
        """
        if snapshot.session is not self._mark:
            raise CallError("this snapshot is of another session; each goes back to its own")
        self._session = snapshot.state.opened()
        # What ended, was played or done since then has not happened; what had been forgotten stays so.
        self._ends.back(snapshot.ends)
        same = snapshot.cleared == self._cleared
        kept = (snapshot.played, snapshot.moved, snapshot.changed) if same else (None, None, None)
        self._played, self._moved, self._changed = kept
        self._beside = dict(snapshot.beside)
        self._frames.back(self._session.tick)

    @property
    def digest(self) -> str:
        """A hash of the tick, all that is in the air and all bodies: equal when two sessions are, tick by tick."""
        made = hashlib.sha256(str(self.tick).encode())
        for rows in (self._flight(), self._session.arena.bodies):
            made.update(rows.tobytes())
        return made.hexdigest()

    @checked
    def save(self, path: str | Path, case: str = "played", *, replace: bool = False) -> Path:
        """Save the drill with what was played since the start (or ``clear_inputs``) as a case of its own.

        Input, what bodies were moved, added and taken away, and how long ticks were, if a game said so (20,000 of
        them). Of more than a few moves a CSV is written beside it, its track. That projectiles were ended, and what of
        the rest a case cannot have, as a body that came twice, is not in it, and a warning is logged.

        replace : may take the place of a case that the drill has. Raises CallError for a name that no case can have
        or another has, OutputError if the file cannot be written.
        """
        from nivvo.spec.checking.tables import NAME
        from nivvo.spec.reading.files import write_text
        from nivvo.spec.writing import MOST_WRITTEN, Played, as_track, bodies_of, with_case

        if not NAME.fullmatch(case):
            rule = "a letter, then letters, digits, _ or -, at most 64 in all"
            raise CallError(f"case = {case[:80]!r} is not a name: {rule}")
        if case in self.drill.cases and not replace:
            raise CallError(f"the drill has a case {case!r}; give another name, or replace=True")
        frames, played, moved = self._frames.told(), all_of(self._played), all_of(self._moved)
        bodies, lost = bodies_of(self.drill.of_case(self.case), all_of(self._changed))
        moved = [row for row in moved if row["body"] not in lost]
        track = f"{Path(path).stem}.{case}.csv" if len(moved) > MOST_WRITTEN else None
        if track is not None and not Path(path).is_dir():
            # A folder is refused below, before anything is written.
            write_text(Path(path).parent / track, as_track(moved))
        made = Played(played, moved, bodies, frames or None, track, self.time)
        done = write_text(path, with_case(self.drill, self.case, case, made, self.in_hand))
        uneven = [f"more than {MOST_FRAMES:,} ticks of other lengths"] if frames == [] else []
        beside = [*lost.values(), *uneven, *self._beside]
        if beside:
            log.warning("nivvo: %s: %s is played without %s", path, case, ", ".join(beside))
        return done

    @checked
    def clear_inputs(self) -> None:
        """Forget what was played, for sessions without end."""
        self._cleared += 1
        if self._moved is not None or self._changed is not None:
            self._did("what the game did to bodies before its inputs were cleared")
        self._played = self._moved = self._changed = None
        self._frames.forget(self._session.tick)


class Snapshot(NamedTuple):
    """What a live session was. Good for that session only."""

    session: object
    cleared: int
    played: Past | None
    moved: Past | None
    changed: Past | None
    ends: Past | None
    beside: dict[str, None]
    state: Packed


def _to_read(view: np.ndarray) -> np.ndarray:
    """A view that cannot be written through."""
    view.flags.writeable = False
    return view
