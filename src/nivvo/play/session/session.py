"""A session: the one loop in which players act, shots leave, bodies move and projectiles fly.

Time goes from tick to tick. What players do within a tick is taken in by its time, shots enter the arena at their
exact times, and the tick is run: up to each act where acts can hang on contacts, else once (``flying``). Ticks in
which nobody does anything are run many at once. A case is a session that is fed by its track.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from heapq import heappop, heappush
from typing import Any, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.launching import air
from nivvo.core.numbers import clock
from nivvo.core.numbers.curves import Curve
from nivvo.core.world.answers import alone
from nivvo.plan.abilities.ability import CURVES, Ability, life_at
from nivvo.plan.abilities.effects import Lasting, fields_of
from nivvo.plan.abilities.numbers import Moment, resolve
from nivvo.plan.scene import Scene
from nivvo.plan.track import PRESS, RELEASE, Change, Moved
from nivvo.play.aims.aiming import Asked, Shot, shoot
from nivvo.play.aims.arcs import moves_at
from nivvo.play.aims.turning import Turning
from nivvo.play.outcome.cues import Sounding
from nivvo.play.outcome.run import Run
from nivvo.play.outcome.waves import Waved, Waves
from nivvo.play.rules.consequences import Consequences
from nivvo.play.rules.cost import Meter
from nivvo.play.rules.deciding import Deciding
from nivvo.play.rules.doors import Doors
from nivvo.play.rules.meeting import Meetings
from nivvo.play.rules.reaching import Reaching
from nivvo.play.session.flying import BATCH, Flying
from nivvo.play.session.guiding import guide_of
from nivvo.play.stage.layout import layout_of
from nivvo.play.stage.stage import Stage
from nivvo.play.triggers.firing import KINDS, LOCKED, Fire, Trigger
from nivvo.play.triggers.timers import Timers
from nivvo.record.record import BIRTH, Record
from nivvo.record.vocabulary import BIRTHS

SHOTS_BITS, PROJECTILES_BITS = 24, 10
ENDLESS = 1 << 60
MOST_NAMED = 65_536
"""Shots of several projectiles that are remembered, so that each of theirs has its own name."""

MOST_KNOWN = 4096
"""Launches that are told apart before those of which nothing flies are forgotten (only a session without end)."""


class State(NamedTuple):
    """From ``time`` (clock) on an ability of a shooter is in a state; why, in words; ``astray`` as of ``Change``."""

    time: int
    ability: str
    shooter: str
    state: str
    why: str
    astray: int | None = None


class Session:
    """A scene on its way through time.

    Parameters
    ----------
    scene : Scene
    in_hand : names of the abilities whose buttons are heard
    lasts : when it is over (clock), or None: when nothing flies any more
    sampled : keep position and velocity of each projectile at each tick's end
    touches : overrides the answers of the abilities: "end" makes the first touch of anything the end, "ignore"
        lets everything through; either way a shot is not spread. "" leaves all as it is.
    bounces : touches "end" lets it bounce so often before
    still : bodies stand where they are when the first shot leaves
    patient : go on however much there is to do
    goals : what decides the case
    """

    def __init__(
        self,
        scene: Scene,
        in_hand: list[str],
        lasts=None,
        *,
        sampled=True,
        touches="",
        still=False,
        patient=False,
        bounces=0,
        goals=(),
    ):
        self.meter, self.last_input = Meter(patient, sampled), 0
        self.scene, self.in_hand, self.lasts, self.still = scene, in_hand, lasts, still
        self.touches, self.bounces = touches, bounces
        self.arena = scene.arena(sampled)
        for ability in scene.abilities.values():
            self.arena.may_send(ability.flight.acts)
            pointed = ability.heading.pointed(ability.answers)
            if pointed or fields_of(ability.moments, len(scene.groups), ability.keeps_last):
                self.arena.guide()
        self.stage = Stage(scene, self.arena)
        self.deciding = Deciding(self, tuple(goals))
        self.runs, self.stopped = False, False
        # The tick that is next, and up to which something was looked at: who waits for ever waits for nothing.
        self.tick = self.ran = 0
        # The tick that was last thought about.
        self._thought = -1
        self.shots: list[Shot] = []
        self.refused: list[Shot] = []
        # What became of waves as bodies were taken away.
        self.waved: list[tuple[int, Waved]] = []
        self.births: list[tuple] = []
        self.numbers: dict[tuple[str, str], int] = {}
        self.known: dict[tuple, int] = {}
        self.consequences, self.doors = Consequences(self), Doors(self)
        self.sounding = Sounding(scene.cues)
        self.many: dict[int, None] = {}
        self.ranks = {name: k for k, name in enumerate(scene.abilities)}
        self.shooters = {name: k for k, name in enumerate(sorted(scene.shooters))}
        self._whose: dict[int, tuple[str, str]] = {}
        self.states: list[State] = []
        self.edges: list[tuple[int, str, str, bool]] = []
        self._coming: list[tuple[int, int, Change]] = []
        self._fed = 0
        # What players do in a tick, or after it, and a game sees at the next: it is not known yet when that begins.
        self.unseen: list[Change] = []
        # What the game is going to move, the first last; what it has moved in the coming tick.
        self._moved: list[Moved] = []
        self._moving: list[Moved] = []
        self._struck = 0
        shared: dict = {}
        self.timers = Timers(scene.ticks, scene.rules.timer, scene.rules.bits)
        self.triggers: dict[tuple[str, str], Trigger] = {}
        for name in in_hand:
            firing = scene.abilities[name].firing
            for shooter in scene.shooters_of(name):
                self.triggers[name, shooter] = KINDS[firing.kind](firing, self.timers, shared)
        self.faced = any(
            one.by == "from_front" for ability in scene.abilities.values() for one in ability.curves.values()
        )
        self.breakable = any(trigger.rules.cancelled_by_damage for trigger in self.triggers.values())
        self.counted = self._groups_of_alive()
        self.meetings = Meetings(self)
        self.reaching = Reaching(self, {goal.touched for goal in goals if goal.touched is not None})
        self.minds = self._minds()
        self.flying = Flying(self)
        self.turning = Turning(self.stage)
        for _, shooter in [pair for pair, one in self.triggers.items() if one.rules.cancelled_by_damage]:
            self.stage.rows[self.stage.number[shooter]]["watched"] = 1

    @cached_property
    def waves(self) -> Waves:
        """What becomes of waves, for who sees each event as it comes."""
        return Waves(self.scene)

    def _minds(self) -> bool:
        """Whether what players do can hang on what is touched before it within a tick."""
        return (
            bool(self.counted)
            or self.meetings.active
            or self.deciding.active
            or self.reaching.active
            or layout_of(self.scene).mortal
            or any(self.scene.abilities[name].again for name in self.in_hand)
            or any(isinstance(effect, Lasting) for one in self.scene.abilities.values() for effect in one.effects)
        )

    def __getstate__(self) -> dict:
        """All that it is, with how long its ticks were: those are the scene's."""
        ticks = self.scene.ticks
        return self.__dict__ | {"_played": (list(ticks.past) if ticks.past else None, ticks.first)}

    def __setstate__(self, state: dict) -> None:
        """Be again what it was, and let its ticks be as long as they were."""
        ticks = state["scene"].ticks
        ticks.past, ticks.first = state.pop("_played")
        self.__dict__.update(state)

    def alone(self, bounces: int = 0) -> None:
        """Become one in which nobody acts from now on and nothing is in the air: for what is only looked at.

        What players have done for the coming tick's start is still to be taken in.
        """
        self.triggers, self.touches, self.bounces, self.in_hand = {}, "end", bounces, []
        self.breakable, self.meter = False, Meter(True, True)
        self._coming = sorted(one for one in self._coming if one[0] <= self.time)
        self._moved.clear()
        self.consequences.lasting.clear()
        self.reaching.coming.clear()
        for kept in (self.shots, self.refused, self.births, self.states, self.edges):
            kept.clear()
        self.known.clear()
        self.arena = self.stage.arena = self.arena.fresh(True)
        self.meetings = Meetings(self)

    @property
    def time(self) -> int:
        """When the coming tick begins (clock)."""
        return self.scene.ticks.edge(self.tick)

    @property
    def behind(self) -> bool:
        """Whether something was done for the coming tick's start that nobody has taken in yet."""
        return bool(self._coming) and self._coming[0][0] <= self.time

    def take(self, until: int) -> None:
        """Take in what players do up to a time (clock), as all stands, without any firing."""
        while self._coming and self._coming[0][0] <= until:
            change = heappop(self._coming)[2]
            self.turning.follow(change.time, change.shooter)
            self.stage.players[change.shooter].do(change)

    def feed(self, changes: list[Change], moved: tuple[Moved, ...] = (), seen: bool = True) -> None:
        """Take in what players are going to do, and what the game is to move; ``seen``: it is known when it is seen."""
        if moved:
            self._moved = [*moved[::-1], *self._moved]
            self.last_input = max(self.last_input, moved[-1].time)
        for change in changes:
            self.stage.players[change.shooter].expect(change)
            if not seen:
                self.unseen.append(change)
                continue
            heappush(self._coming, (change.time, self._fed, change))
            self._fed += 1
            self.last_input = max(self.last_input, change.time)

    def see(self) -> None:
        """Take in what is done in the coming tick, and is seen at its end: how long it lasts is known now."""
        end = self.scene.ticks.edge(self.tick + 1)
        done = sorted((one for one in self.unseen if one.written < end), key=lambda one: one.written)
        self.unseen = [one for one in self.unseen if one.written >= end]
        self.feed([one._replace(time=self.scene.ticks.seen(one.written)) for one in done])

    def finish(self, until: Callable[[], Any] | None = None) -> None:
        """Run until nothing is to come and nothing flies any more, or until the case is over, or something is so.

        Raises CallError where that is too much to do without patience.
        """
        self.runs = True
        if (latest := self.deciding.latest) is not None:
            self.lasts = latest if self.lasts is None else min(self.lasts, latest)
        self.run_to(ENDLESS if self.lasts is None else self.scene.ticks.holding(self.lasts), until)
        if self.lasts is not None and self.time < self.lasts and not (self.stopped or (until and until())):
            # It ends within the present tick: what flies is to be known in the middle of this tick.
            self.minds = True
            self._step(self.lasts)
            self.flying.to(self.lasts + 1)
            self.stopped = True

    def fly_out(self) -> None:
        """Run until nothing flies any more, whatever else still goes on: for what is only looked at."""
        self.finish(lambda: not self.arena.live)

    @property
    def pending(self) -> bool:
        """Whether something is to come about at a tick's start."""
        return self.consequences.pending or bool(self.deciding.backs)

    def run_to(self, tick: int, until: Callable[[], Any] | None = None) -> None:
        """Run the ticks before number ``tick``, or until something is so that is asked before each step."""
        while self.tick < tick and not self.stopped and not (until and until()):
            self.think()
            due = self._due()
            if due is None and not self.arena.live:
                now = self.time
                if not (self.pending or self._restless(now)):
                    break
                self.flying.to_end()
                continue
            come = tick if due is None else self.scene.ticks.holding(due)
            if come > self.tick:
                self.flying.ahead(min(come, tick))
            elif self.minds:
                self.step()
            else:
                # What is due in this tick is done; it is run with those that follow.
                self._act(self.scene.ticks.edge(self.tick + 1), due)
        if not self.arena.live and not self.stopped:
            self.tick = max(self.tick, tick)

    @property
    def thinks(self) -> bool:
        """Whether something is to be worked out at each tick's start."""
        return not self.still and (self.stage.thinks or self.reaching.active or self.turning.active)

    def quiet(self) -> int:
        """The number of the tick at whose start something is to be worked out next, after the present one."""
        tick, ticks = self.tick, self.scene.ticks
        if self.reaching.active or self.turning.active or len(self.arena.openings):
            return tick + 1
        until = self.stage.quiet(ticks.edge(tick), self.flying.parts)
        return max(tick + 1, ticks.holding(min(until, ticks.edge(tick + BATCH))))

    def think(self) -> None:
        """Let bodies arrive, turn and be moved at the present tick's start, and see whom they touch in it.

        Once, and not before something is done in it: a game may still move a body, and say how long it lasts.
        """
        if self._thought == self.tick:
            return
        self._thought = self.tick
        self._move(self.tick)
        if self.thinks:
            start, end = self.time, self.scene.ticks.edge(self.tick + 1)
            self.doors.look(start, end)
            if self.stage.thinks:
                self.stage.think(start, end)
            if self.reaching.active:
                self.reaching.plan(start, end)
            self.turning.follow(start)

    def move(self, body: str, goal: np.ndarray, jump: bool) -> None:
        """Let a body go to a place (3,) over the coming tick, however long that turns out to be."""
        self._moving.append(Moved(self.time, body, goal, jump))
        self.stage.move_body(body, goal, self.tick, jump)

    def remove(self, body: str) -> None:
        """Take a body away, from the coming tick on."""
        time = self.time
        for number in self.stage.whole[body]:
            self.consequences.forget(number)
            self.reaching.forget(number)
            self.waved += [(time, one) for one in self.waves.leave(number)]
        self.stage.remove(body, self.tick)

    def _move(self, tick: int) -> None:
        """Let those bodies go which the game moves, up to a tick's start."""
        moved, self._moving = self._moving if self.scene.ticks.uneven else [], []
        while self._moved and self._moved[-1].time <= self.scene.ticks.edge(tick):
            moved.append(self._moved.pop())
        for one in moved if not self.still else ():
            if one.body in self.stage.number:
                self.stage.move_body(one.body, one.goal, self.scene.ticks.holding(one.time), one.jump)

    def _restless(self, now: int) -> bool:
        """Whether to go on at a time (clock) with nothing in the air, for bodies that still go about."""
        if self.stage.thinks and self.lasts is not None and self.runs:
            return now < self.lasts
        return self.stage.loose.restless(now) or self.reaching.restless(now)

    def stop(self, time: int) -> None:
        """Let a case that is run to its end be over with the present tick: it is decided."""
        if self.runs:
            self.lasts, self.stopped = time, True

    def step(self) -> None:
        """Run one tick, whether anything flies or not."""
        tick = self.tick + 1
        end = self.scene.ticks.edge(tick)
        if not self.minds:
            self.think()
            while self.tick < tick:
                self._act(end)
                self.flying.ahead(tick)
            return
        self._step(end)
        if not self.stopped:
            self.flying.to_end()

    def _step(self, end: int) -> None:
        """Run the present tick up to the last that is done before ``end`` (clock): what was done hangs on contacts."""
        self.think()
        while (time := self._due()) is not None and time < end and not self.stopped:
            self.flying.to(time)
            if not self.stopped and (now := self._due()) is not None and now <= time:
                self._act(now + 1, now)

    def take_in(self, time: int) -> None:
        """Take in what players do up to a time (clock), without any firing: who only looks needs no more."""
        ticks = self.scene.ticks
        last = ticks.holding(time)
        for tick in range(self.tick, last + 1) if self.stage.thinks or self.turning.active else (last,):
            if tick > self._thought:
                self._move(tick)
            if self.stage.thinks and tick > self._thought:
                self.stage.think(ticks.edge(tick), ticks.edge(tick + 1))
                self._thought = tick
            self.turning.follow(ticks.edge(tick))
            until = time if tick == last else ticks.edge(tick + 1) - 1
            self.take(until)
        self.tick = last
        if self.still:
            self.stage.stop_all(time)

    def next_steer(self, now: int, end: int) -> int | None:
        """When after ``now`` and before ``end`` (clock) something may steer a walking shooter next."""
        walks = {name for name, player in self.stage.players.items() if player.shooter.walk is not None}
        if not walks:
            return None
        locks = [(one, shooter) for (_, shooter), one in self.triggers.items() if one.rules.locks_movement]
        times = [due for one, shooter in locks if shooter in walks and (due := one.due()) is not None]
        nodes = [0]
        while nodes:
            # Of a heap only what is early enough is looked at.
            k = nodes.pop()
            if k < len(self._coming) and self._coming[k][0] < end:
                nodes += [2 * k + 1, 2 * k + 2]
                change = self._coming[k][2]
                if change.shooter in walks and self._steers(change, locks):
                    times.append(change.time)
        return min((time for time in times if now < time < end), default=None)

    def _steers(self, change: Change, locks: list) -> bool:
        """Whether what a player does may steer its shooter: by walking, a jump, or an ability that locks its feet."""
        walk = self.scene.shooters[change.shooter].walk
        if change.what == "walk" or change.value == walk.jump_button:
            return True
        rules = [one.rules for one, shooter in locks if shooter == change.shooter]
        return any(change.value in (one.button, one.confirm, one.cancel) for one in rules)

    def _due(self) -> int | None:
        """When something will next happen beside flight: a player acts, or a trigger does something by itself."""
        first = self._coming[0][0] if self._coming else None
        if self._moved and (first is None or self._moved[-1].time < first):
            first = self._moved[-1].time
        for one in (*self.triggers.values(), self.consequences, self.reaching):
            time = one.due()
            if time is not None and (first is None or time < first):
                first = time
        return first

    def _act(self, until: int, due: int | None = None) -> None:
        """Let players and triggers act before ``until``, in order of time; at one time players first.

        due : when something happens next, if that is known.
        """
        time = self._due() if due is None else due
        while time is not None and time < until:
            if self.lasts is not None and time >= self.lasts:
                self._coming.clear()
                self._moved.clear()
                self.consequences.lasting.clear()
                for trigger in self.triggers.values():
                    trigger.queue.clear()
                return
            while self._coming and self._coming[0][0] == time:
                self._hear(heappop(self._coming)[2])
            for trigger in self.triggers.values():
                trigger.go(time)
            self._drain()
            if self.consequences.act(time):
                self.deciding.look(time)
            if self.reaching.active:
                if self.reaching.act(time):
                    self.break_off()
                    self.deciding.look(time)
                self.reaching.plan(time, self.scene.ticks.edge(self.tick + 1))
            time = self._due()

    def _hear(self, change: Change) -> None:
        """Take in one thing that a player does."""
        if change.what not in (PRESS, RELEASE):
            self.turning.follow(change.time, change.shooter)
        edge = self.stage.players[change.shooter].do(change)
        if edge is not None:
            self.edges.append((change.time, change.shooter, change.value, edge == PRESS))
        if self.lost(change.shooter):
            return
        mine = [(name, trigger) for (name, shooter), trigger in self.triggers.items() if shooter == change.shooter]
        if edge is None:
            for _, trigger in mine if change.what == PRESS else ():
                if trigger.rules.button == change.value:
                    trigger.repeat(change.time)
            return
        for name, trigger in mine:
            again = self.scene.abilities[name].again
            apart = again is not None and again.button not in (None, trigger.rules.button)
            if edge == PRESS and apart and change.value == again.button:
                self._further(name, change.shooter, change.time, trigger)
            if edge == PRESS and change.value in (trigger.rules.button, trigger.rules.confirm):
                trigger.written = change.written
            if trigger.rules.button == change.value:
                if edge == PRESS and (apart or not self._further(name, change.shooter, change.time, trigger)):
                    trigger.press(change.time)
                elif edge == RELEASE:
                    trigger.release(change.time)
            elif edge == PRESS and change.value == trigger.rules.confirm:
                trigger.confirm(change.time)
            if edge == PRESS and change.value == trigger.rules.cancel:
                trigger.cancel(change.time, "its button")

    def lost(self, shooter: str) -> bool:
        """Whether a shooter is out."""
        return self.stage.out(self.stage.number[shooter])

    def _drain(self) -> None:
        """Fire and note what the triggers have decided, in order (ability, shooter)."""
        for (name, shooter), trigger in self.triggers.items():
            begun, now = False, 0
            while trigger.out:
                out = trigger.out.pop(0)
                now = out.time
                if isinstance(out, Fire):
                    if self.lost(shooter):
                        trigger.drop()
                        self.states.append(State(now, name, shooter, trigger.state, "its shooter is out"))
                        break
                    number = self.numbers.get((name, shooter), 0)
                    self.numbers[name, shooter] = number + 1
                    self.fire(Asked(out.time, name, shooter, number, out.pressed, out.held, out.use))
                    begun = True
                else:
                    self.states.append(State(out.time, name, shooter, out.state, out.why, out.astray))
                    begun = begun or out.state in LOCKED
                    if trigger.rules.locks_movement:
                        self.stage.players[shooter].lock(out.time, out.state in LOCKED)
            for other in trigger.rules.cancels if begun else ():
                if (other, shooter) in self.triggers:
                    self.triggers[other, shooter].cancel(now, name)
        for trigger in self.triggers.values():
            if trigger.out:
                self._drain()
                break

    def _further(self, name: str, shooter: str, time: int, trigger: Trigger) -> bool:
        """Whether a press acts on what is in the air, in place of the trigger; does so if it does."""
        ability = self.scene.abilities[name]
        again = ability.again
        if again is None:
            return False

        def told(why: str, astray: int | None = None) -> None:
            self.states.append(State(time, name, shooter, trigger.state, f"again: {why}", astray))

        rows = self._alive(time, {self._rank(name, shooter)})
        deep, keys = self.consequences.depth, self.arena.flight["key"]
        rows = [k for k in rows if "again" in self.consequences.moments(ability, deep.get(int(keys[k]), 0))]
        if not len(rows):
            there = again.none_left == "there"
            if there and self.consequences.again_there(name, shooter, time):
                told("where the last one ended")
                return not again.also_fires
            idle = bool(trigger.use) and again.none_left == "nothing"
            if trigger.use and not there:
                told(f"none is left, {'nothing' if again.button else again.none_left}", astray=time if idle else None)
            return idle
        chosen = {"newest": rows[-1:], "oldest": rows[:1], "all": rows}[again.of]
        for row in chosen:
            self.arena.end(int(row), time, pool.BY_PRESS)
            if again.then == "let go":
                self.arena.guides[int(row)]["free"] = time
        told(f"{again.then} {len(chosen)} in the air")
        return not again.also_fires

    def _rank(self, name: str, shooter: str) -> int:
        return self.ranks[name] * len(self.shooters) + self.shooters[shooter]

    def _groups_of_alive(self) -> dict[str, list[str]]:
        """With which abilities each ability is counted, where so many may be in the air."""
        limits = {name: ability.limits for name, ability in self.scene.abilities.items()}
        if all(one.in_the_air is None for one in limits.values()):
            return {}
        return {
            name: [
                other
                for other in limits
                if other == name or (one.shared_limit and limits[other].shared_limit == one.shared_limit)
            ]
            for name, one in limits.items()
            if one.in_the_air is not None
        }

    def _alive(self, time: int, ranks: set[int]) -> np.ndarray:
        """Rows of the arena that are in the air at ``time``, of some abilities and shooters, oldest first."""
        flight = self.arena.flight[: self.arena.live]
        mine = np.isin(flight["key"] >> (SHOTS_BITS + PROJECTILES_BITS), list(ranks))
        still = (flight["until"] < 0) | (flight["until"] > time)
        rows = np.flatnonzero(mine & still & (flight["end"] == 0))
        return rows[np.lexsort((flight["key"][rows], flight["born"][rows]))]

    def too_many(self, shot: Shot) -> str:
        """Make room for a shot among those of which only so many may be in the air; why there is none, if so."""
        if self.arena.flying + len(shot.sent) > self.scene.most:
            return f"only {self.scene.most} may be in the air at once, of all"
        if shot.ability not in self.counted:
            return ""
        limits = self.scene.abilities[shot.ability].limits
        names = self.counted[shot.ability]
        rows = self._alive(shot.time, {self._rank(name, shot.shooter) for name in names})
        over = len(rows) + len(shot.sent) - limits.in_the_air
        if over <= 0:
            return ""
        if limits.when_full == "refuse" or len(shot.sent) > limits.in_the_air:
            return f"only {limits.in_the_air} may be in the air, and {len(rows)} are"
        for row in rows[:over]:
            self.arena.end(int(row), shot.time, pool.BY_FULL)
        return ""

    def fire(self, asked: Asked, cursor=None, nothing: str = "") -> Shot:
        """Work out a shot and put it into the air. ``cursor`` (3,) in place of the player's; ``nothing``: why it is
        not fired after all."""
        shot = shoot(self.stage, asked, cursor, bool(self.touches))
        if not shot.refused and (nothing := nothing or self.too_many(shot)):
            shot = shot._replace(refused=nothing)
        if shot.refused:
            self.refused.append(shot)
        else:
            self.put(shot)
            self.meter.fire(shot.time, self.last_input)
        return shot

    def put(self, shot: Shot, inside: list[int] | None = None, depth: int = 0, dealt=None, why: str = "shot") -> None:
        """Put a shot that is worked out into the air, in the tick that the session has come to.

        inside : bodies that it is not to touch until clear of them; default: its shooter's, if the ability says so and
        it does not begin clear of it.
        depth : its generation. dealt : damage to each group, in place of its own. why : of BIRTHS.
        """
        scene = self.scene
        ability = scene.abilities[shot.ability]
        launch = self._launch(ability, shot.shooter, shot.moment, depth, dealt)
        moves = moves_at(scene, shot.time)
        key = self.key_of(shot)
        if shot.several:
            self.many[key] = None
            if len(self.many) > MOST_NAMED:
                del self.many[next(iter(self.many))]
        own = scene.number[shot.shooter]
        asks, left = inside is None and ability.hits_owner == "once clear", inside or []
        for k, one in enumerate(shot.sent):
            if asks:
                left = [own] if moves != shot.time or self._begins_at(own, shot, one.at) else []
            guide, velocity = None, one.velocity
            if self.arena.guided:
                guide, velocity = guide_of(self.stage, ability, shot, one)
            self.arena.put(launch, one.at, velocity, key + k, shot.time, moves_at=moves, inside=left, guide=guide)
            here = (shot.time, moves, one.at, velocity, len(self.shots), launch, BIRTHS.index(why), 0)
            self.births.append((key + k, shot.parent, *here))
        self.shots.append(shot)
        self.consequences.fired(shot, ability, depth)

    def _begins_at(self, number: int, shot: Shot, at: np.ndarray) -> bool:
        """Whether a projectile of a shot that leaves at ``at`` (3,) is then in a body, or touches it."""
        return self.scene.settled(self.stage.gap(number, at, shot.time) - shot.radius) <= 0.0

    def _launch(self, ability: Ability, shooter: str, moment: Moment, depth: int = 0, dealt=None) -> int:
        """The number of what a shot sends: constants of its flight, its answer to each group. Equal ones share it."""
        limits, radius = ability.limits, self.scene.radius(ability, moment)
        life = life_at(limits, moment)
        reach = resolve(limits.reach, moment, "reach")
        dealt = ability.dealt if dealt is None else dealt
        if dealt is None:
            dealt = tuple(self._dealt(one.damage, moment, group) for group, one in enumerate(ability.answers))
        moments = self.consequences.moments(ability, depth)
        known = (ability.name, shooter, dealt, life, reach, radius, *moments)
        if known not in self.known:
            if len(self.known) >= MOST_KNOWN:
                free = self.arena.forget_params()
                self.known = {key: row for key, row in self.known.items() if row not in free}
            kept = ability.keeps_last
            fields = {} if self.touches == "ignore" else fields_of(moments, len(self.scene.groups), kept)
            if self.touches and fields:
                fields["ends_hold"] = False
            fields |= ability.heading.pointed(ability.answers)
            settled = {"life": life, "reach": reach, "radius": radius, "moments": fields}
            self.known[known] = self._new_params(ability, shooter, dealt, **settled)
            self.meetings.known(self.known[known], self.ranks[ability.name])
        return self.known[known]

    def _dealt(self, damage: float | Curve, moment: Moment, group: int) -> float:
        """The damage that is settled at launch; 0 where it goes on to depend."""
        if isinstance(damage, Curve) and damage.by not in CURVES:
            return resolve(damage, moment, f"{self.scene.groups[group]}.damage")
        return 0.0 if isinstance(damage, Curve) else damage

    def _new_params(self, ability: Ability, shooter: str, dealt: tuple[float, ...], **settled) -> int:
        """A launch that there was not: its number."""
        own, rows = self.scene.number[shooter], pool.copied(ability.rows)
        rows["damage"] = dealt
        if self.touches:
            alone(rows, self.touches, self.bounces)
        else:
            self._hold(ability, rows)
        return self.arena.new_params(
            ability.flight.acts,
            answers=rows,
            spares=own if ability.hits_owner == "never" else -1,
            strays=ability.limits.strays,
            owner=own,
            curves=[
                (group, CURVES[one.damage.by], one.damage.rows(), one.damage.step is not None)
                for group, one in enumerate(ability.answers)
                if isinstance(one.damage, Curve) and one.damage.by in CURVES
            ],
            **settled,
        )

    def hold_anew(self) -> None:
        """See anew what is done at once and what waits."""
        for (name, *_), row in self.known.items():
            self._hold(self.scene.abilities[name], self.arena.answers[row])

    def _hold(self, ability: Ability, rows: np.ndarray) -> None:
        """Write whom what follows may hurt, by rows of ANSWERS, one a group."""
        for group, answer in enumerate(ability.answers):
            if answer.effects:
                rows["hurts"][group], rows["most"][group] = self.consequences.hurts(ability, answer)

    def compile(self) -> None:
        """Compile the engine, or load it, before there is anything to do."""
        self.arena.compile()
        self.meetings.compile()
        if any(one.launch.arc or one.aim.by == "lead" for one in self.scene.abilities.values()):
            air.compile_shots()

    def held(self) -> int | None:
        """Do what follows at the moment at which the engine holds; when that is (clock), if it matters who meets."""
        when = None
        if self.meetings.active:
            event = self.arena.events[int(self.arena.counters[pool.BEGAN])]
            when = int(event["start"]) + int(event["after"] * clock.UNITS)
        self.break_off()
        self.consequences.held()
        self.deciding.look()
        return when

    def of_key(self, key: int) -> tuple[str, str]:
        """The ability and the shooter that a projectile is of."""
        rank = key >> (SHOTS_BITS + PROJECTILES_BITS)
        if rank not in self._whose:
            ability, shooter = divmod(rank, len(self.shooters))
            self._whose[rank] = list(self.ranks)[ability], list(self.shooters)[shooter]
        return self._whose[rank]

    def key_of(self, shot: Shot) -> int:
        """The key of a shot's first projectile."""
        return (self._rank(shot.ability, shot.shooter) << SHOTS_BITS | shot.number) << PROJECTILES_BITS

    @staticmethod
    def first_of_shot(key: int) -> int:
        """The key of the first projectile of the shot that a projectile is of."""
        return key >> PROJECTILES_BITS << PROJECTILES_BITS

    def break_off(self) -> None:
        """Let damage to a shooter break off what its abilities have begun, when it is dealt."""
        if not self.breakable:
            return
        events = self.arena.events[self._struck : self.arena.counters[pool.EVENTS]]
        self._struck = int(self.arena.counters[pool.EVENTS])
        for event in events[events["kind"] == pool.DAMAGE]:
            struck, time = self.stage.names[event["body"]], int(event["start"]) + round(event["after"] * clock.UNITS)
            for (_, shooter), trigger in self.triggers.items():
                if shooter == struck and trigger.rules.cancelled_by_damage:
                    trigger.cancel(time, "damage")
        self._drain()

    def _until(self) -> int:
        """Up to when (clock) it has been run."""
        return max(self.scene.ticks.edge(self.ran), self.last_input) if self.lasts is None else self.lasts

    def run(self, drill: str, case: str) -> Run:
        """What has happened, as a Run."""
        sampled = bool(self.arena.world["sampled"][0])
        if self.arena.live:
            if self.stopped and self.lasts > self.time:
                self.flying.sample(self.lasts)
            elif not sampled:
                self.flying.sample(self.time)
        events = self.arena.take_events()
        if self.stopped:
            # What a tick tells ahead of its end may lie after that of the case.
            events = events[events["start"] + events["after"] * clock.UNITS <= self.lasts + 1]
        record = Record(
            np.array(self.births, dtype=BIRTH),
            events,
            self.arena.take_samples(),
            pool.copied(self.arena.params[: self.arena.used]),
            self.scene.exact,
            sampled,
        )
        self.deciding.pass_time(self._until())
        told = {
            "decided": self.deciding.decided,
            "until": self._until(),
            "shots": self.shots,
            "refused": self.refused,
            "states": self.states,
            "edges": self.edges,
        }
        return Run(drill, case, self.stage, record, **told)
