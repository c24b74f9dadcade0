"""Firing a case: shots are put into the arena at their times, and the arena is run from shot to shot."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from nivvo.core import clock, pool
from nivvo.core.arena import Arena
from nivvo.errors import CallError, NivvoError
from nivvo.play.aiming import Pointing, Shot, shoot
from nivvo.play.run import Run
from nivvo.play.scene import Scene
from nivvo.play.track import Track, presses, tracks
from nivvo.spec.ability import Ability
from nivvo.spec.drill import Drill
from nivvo.spec.links import MOST_TICKS
from nivvo.spec.values import resolve

LAUNCHES = np.dtype([("key", "i8"), ("shot", "i8"), ("moves_at", "i8"), ("v", "f8", 3), ("a", "f8", 3)])

SHOTS_BITS, PROJECTILES_BITS = 24, 8


@dataclass(frozen=True)
class Planned:
    """A shot that is going to happen, before it is worked out."""

    time: int
    ability: str
    shooter: str
    number: int
    pressed: int


def scene_of(drill: Drill, case: str) -> Scene:
    """The scene of a case, made once a drill. Raises CallError for an unknown case."""
    drill.case(case)
    if case not in drill._cache:
        drill._cache[case] = Scene(drill.of_case(case), drill.document.folder)
    return drill._cache[case]


def fire(drill: Drill, case: str | None = None, *, keep: str = "paths") -> Run:
    """Fire one case of a drill.

    Parameters
    ----------
    drill : Drill
    case : its name; None takes the first
    keep : "paths" (position and velocity at each tick) or "contacts" (less memory, no path between events)

    Raises CallError for an unknown case or keep, DrillError if something that the drill names cannot be read.
    """
    if not isinstance(drill, Drill):
        raise CallError(f"fire takes a drill, as nivvo.load(path) gives, not {type(drill).__name__}")
    if keep not in ("paths", "contacts"):
        raise CallError(f'keep is "paths" or "contacts", not {keep!r}')
    name = case or drill.cases[0]
    described = drill.case(name)
    scene = scene_of(drill, name)
    in_hand = in_hand_of(drill, name)
    lasts = None if described.lasts is None else clock.from_seconds(described.lasts.seconds(scene.ticks.rate))
    runner = Runner(scene, scene.arena(sampled=keep == "paths"), lasts)
    by_shooter = tracks(described, scene, in_hand)
    for planned in plan(scene, by_shooter, in_hand):
        if lasts is not None and planned.time >= lasts:
            break
        runner.fire(planned, by_shooter[planned.shooter])
    runner.finish()
    return runner.run(drill.name, name)


def plan(scene: Scene, by_shooter, in_hand: list[str]) -> list[Planned]:
    """All shots of a case in the order (time, ability, shooter). Single firing: one press, one shot."""
    planned = []
    for ability_name in in_hand:
        ability = scene.abilities[ability_name]
        for shooter in [ability.shooter] if ability.shooter else sorted(scene.shooters):
            for number, edge in enumerate(presses(by_shooter[shooter], ability.firing.button)):
                planned.append(Planned(edge.time, ability_name, shooter, number, edge.written))
    return sorted(planned, key=lambda one: (one.time, one.ability, one.shooter))


def in_hand_of(drill: Drill, case: str) -> list[str]:
    """Names of the abilities that are in hand in a case, in order. Raises CallError for an unknown case."""
    chosen = drill.case(case).ability
    return sorted([chosen] if isinstance(chosen, str) else chosen or drill.of_case(case).ability)


class Runner:
    """An arena on its way through a case.

    ``touches`` overrides the answers of the abilities: "end" makes the first touch of anything the end,
    "ignore" lets everything through; either way a shot is not spread. "" leaves all as it is.
    """

    def __init__(self, scene: Scene, arena: Arena, lasts: int | None = None, touches: str = ""):
        self.scene, self.arena, self.lasts, self.touches = scene, arena, lasts, touches
        self.tick = 0
        self.shots: list[Shot] = []
        self.refused: list[Shot] = []
        self.launches: list[tuple] = []
        self.known: dict[tuple, int] = {}
        self.ranks = {name: k for k, name in enumerate(scene.abilities)}
        self.shooters = {name: k for k, name in enumerate(sorted(scene.shooters))}

    def fire(self, planned: Planned, track: Track, cursor=None) -> None:
        """Advance to the tick that holds a shot, and put it into the air; ``cursor`` (3,) in place of the track's."""
        self._advance_to(self.scene.ticks.holding(planned.time))
        scene, time = self.scene, planned.time
        ability = scene.abilities[planned.ability]
        pointing = Pointing(
            cursor=track.cursor(time) if cursor is None else cursor,
            stick=track.stick(time, ability.aim, scene.frame, scene.facing(planned.shooter)),
        )
        out = self.arena.bodies["gone"]
        shot = shoot(scene, planned.ability, planned.shooter, planned.number, time, planned.pressed, pointing, out)
        if self.touches:
            shot = replace(shot, spread=())
        if shot.refused:
            self.refused.append(shot)
        else:
            self.put(shot)

    def put(self, shot: Shot) -> None:
        """Put a shot that is worked out into the air, in the tick that the arena has come to."""
        scene = self.scene
        ability = scene.abilities[shot.ability]
        launch = self._launch(ability, shot.shooter, shot.number)
        key = self.ranks[shot.ability] * len(self.shooters) + self.shooters[shot.shooter]
        key = (key << SHOTS_BITS | shot.number) << PROJECTILES_BITS
        moves_at = shot.time
        if scene.model.tick.first_move == "next tick":
            moves_at = scene.ticks.edge(scene.ticks.holding(shot.time) + 1)
        own = [scene.number[shot.shooter]] if ability.owner == "once clear" else []
        for k, velocity in enumerate(shot.spread or (shot.velocity,)):
            self.arena.fire(launch, shot.at, velocity, key + k, shot.time, moves_at=moves_at, inside=own)
            self.launches.append((key + k, len(self.shots), moves_at, velocity, self.arena.params[launch]["a"].copy()))
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
            self.known[known] = self.arena.new_launch(
                scene.gravity * ability.flight.gravity,
                scene.radius(ability),
                reach=np.inf if limits.reach == "endless" else limits.reach,
                life=pool.FOREVER if forever else clock.from_seconds(limits.life.seconds(scene.ticks.rate)),
                spares=scene.number[shooter] if ability.owner == "never" else -1,
                then=then,
                damage=dealt,
            )
        return self.known[known]

    def finish(self) -> None:
        """Run until nothing flies any more, or until the case is over."""
        last = MOST_TICKS if self.lasts is None else self.scene.ticks.holding(self.lasts)
        self._advance_to(last)
        if self.arena.live and self.lasts is None:
            raise NivvoError(
                f"a projectile was still flying after {MOST_TICKS:,} ticks; give it a life, a reach or bounds"
            )

    def _advance_to(self, tick: int) -> None:
        while self.tick < tick and self.arena.live:
            try:
                self.tick += self.arena.run(self.scene.ticks.rows(self.tick, min(256, tick - self.tick)))
            except OverflowError as error:
                raise NivvoError(f'{error}; let groups that do not matter be ignored (then = "ignore")') from None
        self.tick = max(self.tick, tick) if not self.arena.live else self.tick

    def run(self, drill: str, case: str) -> Run:
        """What has happened, as a Run."""
        launches = np.array(self.launches, dtype=LAUNCHES)
        return Run(
            drill,
            case,
            self.scene,
            self.shots,
            self.refused,
            self.arena.take_events(),
            self.arena.take_samples(),
            launches,
        )
