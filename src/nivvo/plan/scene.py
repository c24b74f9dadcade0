"""The scene of a case: frame, ticks, bodies, abilities and how they answer to each other."""

from __future__ import annotations

import copy
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.flying.forces import zone_of
from nivvo.core.geometry.contact import UNDECIDED
from nivvo.core.geometry.shapes import extent, reach_of
from nivvo.core.launching.muzzle import just_clear
from nivvo.core.numbers import frame as frames
from nivvo.core.world.arena import Arena
from nivvo.plan.abilities.ability import Ability, ability_of
from nivvo.plan.abilities.numbers import AT_FIRST, Moment, counted, resolve
from nivvo.plan.bodies import Body, Gunner, Muzzle, Wave, body_of, expanded, fill_shape, gunner_of, ring
from nivvo.plan.clockwork import Ticks
from nivvo.plan.cues import Cue, cues_of
from nivvo.plan.pieces import pieces_of
from nivvo.spec.checking.links import groups
from nivvo.spec.drill import Model
from nivvo.spec.reading.settings import KEEPER
from nivvo.spec.scenes.scene import GRAVITY, Shooter, World, default_forward

EDGE = 0.5
"""Metres over which the wind of a region fades."""

MARGIN = 0.01
"""Metres: gap of the muzzle that nobody wrote."""

FAR_OUT = 1e30
"""Where the bounds of a 2D world lie across its plane, in which nothing moves."""

UNWRITTEN = Muzzle(None, 0.0, 0.0, "aim", None, 0.0, 0.0)


class Rules(NamedTuple):
    """How the game ticks: step and touch are codes of the core, the rest as words; seen_at_ticks: its input."""

    step: int
    touch: int
    seen_at_ticks: bool
    next_tick: bool
    timer: str
    bits: int
    step_word: str


class Scene:
    """Frame, ticks, bodies and abilities of one case.

    Bodies are ordered by name, and so are groups and abilities: nothing depends on their order in a file.
    Lengths in ``unit``; ``metre`` of them are a metre. ``down``: whether y grows downward on the screen. ``weight``:
    what presses onto ground that is looked down on (units/s²). ``made``: what those who play it have made of its bodies
    once, for all their sessions.
    """

    def __init__(self, model: Model, folder: Path):
        world = model.world
        self.frame, self.metre, self.unit, self.seed = frame_of(world), world.metres, world.unit, world.seed
        self.down = world.y == "down" or (world.view == "top" and world.y is None)
        self.ticks = Ticks(model.tick, folder)
        self.rules = _rules(model.tick)
        self.gravity = -world.pull * self.frame.up if self.frame.vertical else np.zeros(3)
        self.weight = GRAVITY * self.metre
        self.most = world.most_in_the_air
        self.wind = self.frame.lift(world.wind or [0.0] * self.frame.size)
        self.zones = [_zone(one, self.frame, self.metre) for _, one in sorted(world.breezes.items())]
        self.gusts = (0.0, 0.0) if world.gusts is None else (world.gusts.share, 2.0 * np.pi / world.gusts.period)
        self.groups = groups(model)
        shooters: dict[str, Shooter] = dict(model.shooter) or {KEEPER: Shooter()}
        waves = [
            one
            for name, target in model.target.items()
            for one in expanded(name, target, self.frame, self.seed, model.tick.rate)
        ]
        late = {name: arrives for name, _, arrives in waves}
        late |= {name: counted(one.arrives, model.tick.rate) for name, one in model.obstacle.items() if one.arrives}
        targets = {name: target for name, target, _ in waves}
        kinds = {"shooter": shooters, "obstacle": model.obstacle, "target": targets}
        named = sorted((name, kind) for kind, entries in kinds.items() for name in entries)
        made = {
            name: pieces_of(one, self.frame, self.metre, folder) for name, one in (model.obstacle | targets).items()
        }
        pieces = [(name, kind, piece) for name, kind in named for piece in made.get(name) or [None]]
        self.planned: list[Body] = [
            body_of(
                kind, name, kinds[kind][name], self.groups, self.frame, self.metre, self.rate, late.get(name, 0), piece,
                self.seed,
            )
            for name, kind, piece in pieces
        ]  # fmt: skip
        self.names = [name for name, _, _ in pieces]
        self.kinds = [kind for _, kind, _ in pieces]
        self.first_target = next(iter(targets), None)
        self.whole: dict[str, list[int]] = {}
        for k, name in enumerate(self.names):
            self.whole.setdefault(name, []).append(k)
        self.number = {name: numbers[0] for name, numbers in self.whole.items()}
        self.waves = [
            Wave(name, np.array([self.number[f"{name}-{k + 1}"] for k in range(target.wave.size)]), target.wave.most,
                 target.wave.when_full != "turn away")
            for name, target in model.target.items() if target.wave is not None
        ]  # fmt: skip
        self.shooters: dict[str, Gunner] = {
            name: gunner_of(shooter, self.frame, world.y == "up", model.tick.rate, self.metre)
            for name, shooter in shooters.items()
        }
        for body in self.planned:
            if body.move is not None and body.move.beside is not None:
                body.row["c0"] = self._beside(body.name) + body.shift
        self.bodies = pool.zeros(len(pieces), pool.BODY)
        for k, body in enumerate(self.planned):
            self.bodies[k] = body.row
        self.bodies["key"] = np.arange(len(pieces))
        for numbers in self.whole.values():
            if len(numbers) > 1:
                ring(self.bodies, numbers)
        self.size = self._size()
        self.abilities: dict[str, Ability] = {}
        self.cues: tuple[Cue, ...] = ()
        self._offsets: dict[tuple, tuple] = {}
        self._reaches: dict[int, float] = {}
        self.made: dict[type, Any] = {}
        self._arena = self._laid(world.bounds)

    def _beside(self, name: str) -> np.ndarray:
        """The place of a body at 0 s (3,), which may be beside another."""
        body = self.planned[self.number[name]]
        if body.move is None or body.move.beside is None:
            return body.row["c0"] - body.shift
        return self._beside(body.move.beside) + body.move.offset

    def with_abilities(self, model: Model, known: dict) -> Scene:
        """This scene with the abilities of a drill; ``known`` are plans of models that others had too."""
        scene = self._again()
        scene._offsets = {}
        scene.abilities = {}
        scene.cues = cues_of(model.cue, model.tick.rate)
        for name in sorted(model.ability):
            one = model.ability[name]
            kept = known.get((id(one), name, id(self._arena)))
            if kept is None:
                like = known.get((name, id(self._arena)))
                kept = self._arena, one, ability_of(name, one, self, like and like[1:])
                known[id(one), name, id(self._arena)] = known[name, id(self._arena)] = kept
            scene.abilities[name] = kept[2]
        return scene

    def with_own_time(self) -> Scene:
        """This scene with ticks that a game may make as long as it likes."""
        scene = self._again()
        scene.ticks = copy.copy(self.ticks)
        return scene

    def _again(self) -> Scene:
        scene = Scene.__new__(Scene)
        scene.__dict__.update(self.__dict__)
        return scene

    @property
    def rate(self) -> float:
        """Ticks a second."""
        return self.ticks.rate

    @property
    def exact(self) -> bool:
        """Whether motion is stepped exactly."""
        return self.rules.step == pool.EXACT

    @property
    def cuts(self) -> bool:
        """Whether ticks are cut where bodies' ways turn; else each goes straight over a tick."""
        return self.exact and self.rules.touch == pool.SWEPT

    @property
    def first_shooter(self) -> str:
        """The shooter by whom an ability is fired that nobody has to himself, unless another is named."""
        return min(self.shooters)

    def shooter_of(self, ability: str) -> str:
        """Who fires an ability, unless somebody else is named."""
        return self.abilities[ability].shooter or self.first_shooter

    def shooters_of(self, ability: str) -> list[str]:
        """All who can fire an ability, by name."""
        owner = self.abilities[ability].shooter
        return [owner] if owner else sorted(self.shooters)

    def settled(self, gap):
        """Gaps (units) as they are told: within UNDECIDED of the scene's size it touches, neither clear nor inside."""
        if isinstance(gap, float):
            return 0.0 if abs(gap) <= UNDECIDED * self.size else gap
        return np.where(np.abs(gap) <= UNDECIDED * self.size, 0.0, gap)

    def _size(self) -> float:
        """Size of the scene (units): the farthest coordinate of a body or its edge, at least a metre."""
        sizes = np.array([extent(row) for row in self.bodies])
        sizes = np.where(np.isfinite(sizes), sizes, 0.0)
        return max(float(np.max(np.abs(self.bodies["c0"]) + sizes)), self.metre)

    def _laid(self, bounds: list | None) -> Arena:
        """The engine with these bodies as they stand at 0 s, to be copied for each session."""
        if bounds is not None:
            bounds = self.frame.lift(bounds)
            if self.frame.size == 2:
                bounds = np.array([[*bounds[0, :2], -FAR_OUT], [*bounds[1, :2], FAR_OUT]])
        bodies = self.bodies.copy()
        walks = {name for name, one in self.shooters.items() if one.walk is not None}
        bodies["moves"] = [body.name in walks or (body.move is not None and body.move.moves) for body in self.planned]
        return Arena(
            bodies,
            len(self.groups),
            step=self.rules.step,
            touch=self.rules.touch,
            scene=self.size,
            bounds=bounds,
            flat=self.frame.size == 2,
            up=self.frame.up if self.frame.vertical else np.zeros(3),
            tick=1.0 / self.rate,
        )

    def arena(self, sampled: bool = True) -> Arena:
        """A fresh engine with these bodies."""
        return self._arena.fresh(sampled)

    def radius(self, ability: Ability, moment: Moment = AT_FIRST) -> float:
        """Radius of an ability's projectile (units), as it is at a moment."""
        return resolve(ability.radius, moment, "radius")

    def muzzle(
        self, ability: Ability, shooter: str, name: str | None = None
    ) -> tuple[str, Muzzle, tuple[float, float, float]]:
        """Name, plan and offset (forward, right, up) of a muzzle; by default the first that an ability may use."""
        known = self._offsets.get((ability.name, shooter, name))
        if known is None:
            muzzles = self.shooters[shooter].muzzle
            first = name or next(iter([*ability.muzzles, *muzzles]), "")
            muzzle = muzzles.get(first, UNWRITTEN)
            forward = self.clear_forward(ability, shooter) if muzzle.forward is None else muzzle.forward
            known = first or "default", muzzle, (forward, muzzle.right, muzzle.up)
            self._offsets[ability.name, shooter, name] = known
        return known

    def clear_forward(self, ability: Ability, shooter: str) -> float:
        """Forward offset at which the projectile is just clear of the shooter at every aim (units)."""
        return just_clear(self.reach(self.number[shooter]), self.radius(ability), MARGIN * self.metre)

    def reach(self, number: int) -> float:
        """Radius of a ball about the middle of a body, as it is at 0 s, that holds it (units); inf of a half-space."""
        if number not in self._reaches:
            self._reaches[number] = reach_of(self.bodies[number])
        return self._reaches[number]


def _zone(model, frame: frames.Frame, metre: float) -> np.ndarray:
    """A region with a wind of its own, as the core has it."""
    row = pool.zeros(1, pool.BODY)[0]
    fill_shape(row, model.shape, frame.lift(model.at), frame)
    axes = np.array([row["axis0"], row["axis1"], row["axis2"]])
    edge = EDGE * metre if model.edge is None else model.edge
    return zone_of(row["c0"], axes, row["half"], float(row["radius"]), frame.lift(model.velocity), edge)


def _rules(model) -> Rules:
    return Rules(
        step=pool.STEPS[model.motion],
        touch=pool.TOUCHES[model.contacts],
        seen_at_ticks=model.input == "at ticks",
        next_tick=model.first_move == "next tick",
        timer=model.timer,
        bits=model.timer_bits,
        step_word=model.motion,
    )


def frame_of(world: World) -> frames.Frame:
    """The core's frame for a drill's world."""
    if world.view == "side":
        return frames.side(world.y or "up")
    if world.view == "top":
        return frames.top(world.y or "down", world.height)
    up = world.up or "+z"
    return frames.space(up, world.forward or default_forward(up), world.hand or "right")
