"""A session: the one loop in which players act, shots leave, bodies move and projectiles fly.

Time goes from tick to tick. What players do within a tick is taken in first, in order of time; shots
enter the arena at their exact times; then the tick is run. Ticks in which nobody does anything are run
many at once. A case is a session that is fed by its track.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace
from heapq import heappop, heappush

import numpy as np

from nivvo.core import clock, pool
from nivvo.core.arena import ticks_of
from nivvo.errors import NivvoError
from nivvo.play.actors import Actors
from nivvo.play.aiming import Shot, shoot
from nivvo.play.arcs import moves_at
from nivvo.play.run import Run
from nivvo.play.scene import Scene
from nivvo.play.track import Change
from nivvo.spec.ability import Ability
from nivvo.spec.links import MOST_TICKS
from nivvo.spec.values import resolve

LAUNCHES = np.dtype(
    [("key", "i8"), ("shot", "i8"), ("moves_at", "i8"), ("p", "f8", 3), ("v", "f8", 3), ("param", "i8")]
)

SHOTS_BITS, PROJECTILES_BITS = 24, 10
BATCH = 256


@dataclass(frozen=True)
class Asked:
    """A shot that has been asked for: when, of which ability, by whom, which one of theirs, and when pressed."""

    time: int
    ability: str
    shooter: str
    number: int
    pressed: int


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
    still : bodies stand where they are when the first shot leaves
    """

    def __init__(self, scene: Scene, in_hand: list[str], lasts=None, *, sampled=True, touches="", still=False):
        self.scene, self.in_hand, self.lasts, self.touches, self.still = scene, in_hand, lasts, touches, still
        self.actors = Actors(scene)
        self.arena = scene.arena(sampled, [motion.moves for motion in self.actors.motions])
        self.actors.out = self.arena.bodies["gone"]
        self.movers = [k for k, motion in enumerate(self.actors.motions) if motion.moves]
        self.tick = 0
        self.shots: list[Shot] = []
        self.refused: list[Shot] = []
        self.launches: list[tuple] = []
        self.numbers: dict[tuple[str, str], int] = {}
        self.known: dict[tuple, int] = {}
        self.ranks = {name: k for k, name in enumerate(scene.abilities)}
        self.shooters = {name: k for k, name in enumerate(sorted(scene.shooters))}
        self._coming: list[tuple[int, int, Change]] = []
        self._fed = 0

    def feed(self, changes: list[Change]) -> None:
        """Take in what players are going to do."""
        for change in changes:
            self.actors.players[change.shooter].expect(change)
            heappush(self._coming, (change.time, self._fed, change))
            self._fed += 1

    def finish(self) -> None:
        """Run until nothing is to come and nothing flies any more, or until the case is over."""
        last = MOST_TICKS if self.lasts is None else self.scene.ticks.holding(self.lasts)
        self.run_to(last)
        if self.arena.live and self.lasts is None:
            raise NivvoError(
                f"a projectile was still flying after {MOST_TICKS:,} ticks; give it a life, a reach or bounds"
            )

    def run_to(self, tick: int) -> None:
        """Run the ticks before number ``tick``."""
        while self.tick < tick and (self._coming or self.arena.live):
            come = self.scene.ticks.holding(self._coming[0][0]) if self._coming else tick
            if come > self.tick:
                self._fly(min(come, tick))
            else:
                self._act(self.scene.ticks.edge(self.tick + 1))
                self._fly(self.tick + 1)
        self.tick = max(self.tick, tick) if not self.arena.live else self.tick

    def take_in(self, time: int) -> None:
        """Take in what players do up to a time (clock), without any firing: who only looks needs no more."""
        while self._coming and self._coming[0][0] <= time:
            change = heappop(self._coming)[2]
            self.actors.players[change.shooter].do(change)
        self.tick = self.scene.ticks.holding(time)

    def _act(self, until: int) -> None:
        """Take in what players do before ``until``, and fire what follows, in order (time, ability, shooter)."""
        asked: list[Asked] = []
        while self._coming and self._coming[0][0] < until:
            time = self._coming[0][0]
            while self._coming and self._coming[0][0] == time:
                change = heappop(self._coming)[2]
                if self.actors.players[change.shooter].do(change):
                    asked += self._pressed(change)
            if self.lasts is not None and time >= self.lasts:
                asked = []
            for one in sorted(asked, key=lambda one: (one.ability, one.shooter)):
                self.fire(one)
            asked = []

    def _pressed(self, change: Change) -> list[Asked]:
        """What a button that goes down fires: single firing, one press, one shot."""
        asked = []
        for name in self.in_hand:
            ability = self.scene.abilities[name]
            if ability.firing.button == change.value and ability.shooter in (None, change.shooter):
                number = self.numbers.get((name, change.shooter), 0)
                self.numbers[name, change.shooter] = number + 1
                asked.append(Asked(change.time, name, change.shooter, number, change.written))
        return asked

    def fire(self, asked: Asked, cursor=None) -> Shot:
        """Work out a shot and put it into the air; ``cursor`` (3,) in place of the player's."""
        alone = bool(self.touches)
        shot = shoot(self.actors, asked.ability, asked.shooter, asked.number, asked.time, asked.pressed, cursor, alone)
        if shot.refused:
            self.refused.append(shot)
        else:
            self.put(shot)
        return shot

    def put(self, shot: Shot) -> None:
        """Put a shot that is worked out into the air, in the tick that the session has come to."""
        scene = self.scene
        ability = scene.abilities[shot.ability]
        launch = self._launch(ability, shot.shooter, shot.number)
        key = self.ranks[shot.ability] * len(self.shooters) + self.shooters[shot.shooter]
        key = (key << SHOTS_BITS | shot.number) << PROJECTILES_BITS
        moves = moves_at(scene, shot.time)
        own = [scene.number[shot.shooter]] if ability.owner == "once clear" else []
        for k, one in enumerate(shot.sent):
            self.arena.fire(launch, one.at, one.velocity, key + k, shot.time, moves_at=moves, inside=own)
            self.launches.append((key + k, len(self.shots), moves, one.at, one.velocity, launch))
        self.shots.append(shot)

    def _launch(self, ability: Ability, shooter: str, number: int) -> int:
        """The number of what a shot sends: constants of its flight, its answer to each group. Equal ones share it."""
        scene, limits = self.scene, ability.limits
        then, damage = scene.answers(ability)
        if self.touches == "end":
            then = [one if one == pool.IGNORE else pool.END for one in then]
        elif self.touches == "ignore":
            then = [pool.IGNORE for _ in then]
        dealt = [resolve(one, number) for one in damage]
        known = (id(ability), shooter, tuple(dealt))
        if known not in self.known:
            forever = limits.life == "forever"
            linear, square, factor = scene.drag(ability)
            self.known[known] = self.arena.new_launch(
                scene.gravity * ability.flight.gravity,
                scene.radius(ability),
                linear=linear,
                square=square,
                factor=factor,
                reach=np.inf if limits.reach == "endless" else limits.reach,
                life=pool.FOREVER if forever else clock.from_seconds(limits.life.seconds(scene.ticks.rate)),
                spares=scene.number[shooter] if ability.owner == "never" else -1,
                then=then,
                damage=dealt,
            )
        return self.known[known]

    def _fly(self, tick: int) -> None:
        """Run the arena up to tick number ``tick``; skip what is left once nothing is in the air."""
        ticks = self.scene.ticks
        while self.tick < tick and self.arena.live:
            last, rows = min(tick, self.tick + BATCH), None
            if self.movers and not self.still:
                start = ticks.edge(self.tick)
                turns = [self.actors.motions[k].next_break(start) for k in self.movers]
                turn = min((time for time in turns if time is not None), default=None)
                self._place(start)
                if turn is not None and (holds := ticks.holding(turn)) < last:
                    last = holds
                    if last == self.tick:
                        rows = self._broken(self.tick)
                        last += 1
            try:
                for row in rows if rows is not None else [ticks.rows(self.tick, last - self.tick)]:
                    if rows is not None:
                        row = row()
                    self.arena.run(row)
                self.tick = last
            except OverflowError as error:
                raise NivvoError(f'{error}; let groups that do not matter be ignored (then = "ignore")') from None
        self.tick = tick

    def _place(self, time: int) -> None:
        """Set each moving body on the piece of its way that holds at ``time``.

        From where that piece begins, so that no rounding hangs on when the session looked.
        """
        for k in self.movers:
            piece, start = self.actors.motions[k].piece(time)
            self.arena.set_motion(k, *piece, start)

    def _broken(self, tick: int):
        """One tick within which a body's way turns.

        In exact step the tick is cut there. In a game's own step, where bodies too are moved once a tick,
        each goes straight from where it is at the tick's start to where it is at its end.
        """
        ticks = self.scene.ticks
        start, end = ticks.edge(tick), ticks.edge(tick + 1)
        if self.scene.step == pool.EXACT and self.scene.touch == pool.SWEPT:
            cuts, now = [start], start
            while True:
                turns = [self.actors.motions[k].next_break(now) for k in self.movers]
                now = min((time for time in turns if time is not None and time < end), default=end)
                cuts.append(now)
                if now == end:
                    break
            for a, b in itertools.pairwise(cuts):
                yield lambda a=a, b=b: self._cut(a, b, tick)
        else:
            yield lambda: self._straight(start, end, tick)

    def _cut(self, start: int, end: int, tick: int) -> np.ndarray:
        self._place(start)
        return ticks_of(np.array([start, end]), tick)

    def _straight(self, start: int, end: int, tick: int) -> np.ndarray:
        seconds = (end - start) / clock.UNITS
        for k in self.movers:
            motion = self.actors.motions[k]
            here, there = motion.at(start)[0], motion.at(end)[0]
            self.arena.set_motion(k, here, (there - here) / seconds, np.zeros(3), start)
        return self.scene.ticks.rows(tick, 1)

    def run(self, drill: str, case: str) -> Run:
        """What has happened, as a Run."""
        launches = np.array(self.launches, dtype=LAUNCHES)
        return Run(
            drill,
            case,
            self.actors,
            self.shots,
            self.refused,
            self.arena.take_events(),
            self.arena.take_samples(),
            launches,
            self.arena.params[: self.arena.launches].copy(),
        )


def bare(shot: Shot) -> Shot:
    """A shot that sends one projectile along its middle."""
    return replace(shot, sent=shot.sent[:1])
