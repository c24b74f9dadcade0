"""The models of a drill turned into core records, once."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np

from nivvo.core import frame as frames
from nivvo.core import pool
from nivvo.core.arena import Arena
from nivvo.core.contact import UNDECIDED
from nivvo.core.frame import dot
from nivvo.core.muzzle import just_clear
from nivvo.core.shapes import BALL, BOX, CAPSULE, ENDLESS, HALF_SPACE, extent, with_an_end
from nivvo.play.stage.clockwork import Ticks
from nivvo.play.stage.numbers import AT_FIRST, Moment, resolve
from nivvo.spec.ability import Ability
from nivvo.spec.drill import Model
from nivvo.spec.links import ANYTHING, groups
from nivvo.spec.scene import Muzzle, Shape, Shooter, default_forward
from nivvo.spec.settings import KEEPER

BODY_SIZE = 0.5
SHOT_SIZE = 0.1
MARGIN = 0.01
"""Metres: radius of a body and of a projectile that no shape is written for; gap of the default muzzle."""

FAR_OUT = 1e30
"""Where the bounds of a 2D world lie across its plane, in which nothing moves."""


class Scene:
    """Frame, ticks and bodies of one case.

    Bodies are ordered by name, and so are groups and abilities: nothing depends on their order in a file.
    """

    def __init__(self, model: Model, folder: Path):
        self.model, self.folder = model, folder
        self.frame = frame_of(model)
        self.metre = model.world.metres
        self.ticks = Ticks(model.tick, folder)
        self.step = pool.STEPS[model.tick.step]
        self.touch = pool.TOUCHES[model.tick.touch]
        self.shooters: dict[str, Shooter] = dict(model.shooter) or {KEEPER: Shooter()}
        self.groups = groups(model)
        self.abilities: dict[str, Ability] = {name: model.ability[name] for name in sorted(model.ability)}
        kinds = {
            "shooter": self.shooters,
            "obstacle": model.obstacle,
            "target": model.target,
        }
        named = sorted((name, kind) for kind, entries in kinds.items() for name in entries)
        self.names = [name for name, _ in named]
        self.kinds = [kind for _, kind in named]
        self.number = {name: k for k, name in enumerate(self.names)}
        self.described = [kinds[kind][name] for name, kind in named]
        self.bodies = pool.zeros(len(named), pool.BODY)
        self.shifts = np.zeros((len(named), 3))
        """From the place that is written for a body to its middle."""
        for k, body in enumerate(self.described):
            self._fill(self.bodies[k], k, body)
        self.gravity = -model.world.pull * self.frame.up if self.frame.vertical else np.zeros(3)
        self.size = self._size()

    def _fill(self, row: np.void, k: int, body) -> None:
        at = self.place_of(body)
        fill_shape(row, self.shape_of(body), at, self.frame)
        self.shifts[k] = row["c0"] - at
        row["key"], row["group"] = k, self.groups.index(body.group)
        row["health"] = getattr(body, "health", None) or np.inf

    def settled(self, gap):
        """Gaps (units) as they are told: within UNDECIDED of the scene's size it touches, neither clear nor inside."""
        return np.where(np.abs(gap) <= UNDECIDED * self.size, 0.0, gap)

    def place_of(self, body) -> np.ndarray:
        """Where a body is written to be at 0 s (3,): its place, else where its way begins, else the origin."""
        through = body.move.through if body.move is not None else None
        first = body.at if body.at is not None else through[0] if through else [0.0] * self.frame.size
        return self.frame.lift(first)

    def shape_of(self, body) -> Shape:
        """The shape of a body: a ball of half a metre unless one is written."""
        return body.shape or Shape(ball=BODY_SIZE * self.metre)

    def _size(self) -> float:
        """Size of the scene (units): the farthest coordinate of a body or its edge, at least a metre."""
        sizes = np.array([extent(row) for row in self.bodies])
        sizes = np.where(np.isfinite(sizes), sizes, 0.0)
        return max(float(np.max(np.abs(self.bodies["c0"]) + sizes)), self.metre)

    def arena(self, sampled: bool = True, moves=0) -> Arena:
        """A fresh engine with these bodies; ``moves`` (n,): which of them move or may come to move."""
        bounds = None
        if self.model.world.bounds is not None:
            bounds = self.frame.lift(self.model.world.bounds)
            if self.frame.size == 2:
                bounds = np.array([[*bounds[0, :2], -FAR_OUT], [*bounds[1, :2], FAR_OUT]])
        bodies = self.bodies.copy()
        bodies["moves"] = moves
        return Arena(
            bodies,
            len(self.groups),
            step=self.step,
            touch=self.touch,
            scene=self.size,
            bounds=bounds,
            sampled=sampled,
            flat=self.frame.size == 2,
        )

    def facing(self, name: str) -> np.ndarray:
        """Unit vector that a shooter faces."""
        facing = self.shooters[name].facing
        if facing is None:
            return self.frame.forward
        if isinstance(facing, str):
            words = {"right": (1, 0, 0), "left": (-1, 0, 0)}
            y = 1.0 if self.model.world.y == "up" else -1.0
            return np.array(words.get(facing, (0, y if facing == "up" else -y, 0)), dtype=float)
        return self.frame.direction(facing)

    def radius(self, ability: Ability, moment: Moment = AT_FIRST) -> float:
        """Radius of an ability's projectile (units), as it is at a moment."""
        if ability.radius is not None:
            return resolve(ability.radius, moment, "radius")
        shape = ability.shape
        return SHOT_SIZE * self.metre if shape is None else shape.ball or shape.radius

    def length(self, ability: Ability) -> float:
        """From the middle of the ball at a projectile's tip to that at its tail (units); 0 for a ball."""
        shape = ability.shape
        return 0.0 if shape is None or shape.capsule is None else shape.capsule[1][0] - shape.capsule[0][0]

    def drag(self, ability: Ability) -> tuple[float, float, float]:
        """Linear (1/s) and square (1/unit) drag, and the factor a tick; in exact step that is linear drag too."""
        drag = ability.flight.drag
        if self.step == pool.EXACT and drag.per_tick < 1.0:
            return drag.linear - math.log(drag.per_tick) * self.ticks.rate, drag.square, 1.0
        return drag.linear, drag.square, drag.per_tick

    def muzzle(
        self, ability: Ability, shooter: str, name: str | None = None
    ) -> tuple[str, Muzzle, tuple[float, float, float]]:
        """Name, model and offset (forward, right, up) of a muzzle; by default the first that an ability may use."""
        muzzles = self.shooters[shooter].muzzle
        name = name or next(iter([*ability.muzzles, *muzzles]), "")
        muzzle = muzzles.get(name, Muzzle())
        forward = muzzle.forward
        if forward is None:
            forward = self.clear_forward(ability, shooter)
        return name or "default", muzzle, (forward, muzzle.right, muzzle.up)

    def clear_forward(self, ability: Ability, shooter: str) -> float:
        """Forward offset at which the projectile is just clear of the shooter at every aim (units)."""
        row = self.bodies[self.number[shooter]]
        half = with_an_end(row["half"])
        reach = float(np.sqrt((half * half).sum()) + row["radius"])
        return just_clear(reach, self.radius(ability), MARGIN * self.metre)

    def answers(self, ability: Ability) -> tuple[list[int], list]:
        """For each group: what follows a contact, and the damage (a number or a table that depends)."""
        then, damage = [], []
        for group in self.groups:
            answer = ability.on.get(group, ability.on.get(ANYTHING))
            then.append(pool.THEN[answer.then] if answer else pool.END)
            damage.append(answer.damage if answer else 0.0)
        return then, damage


def frame_of(model: Model) -> frames.Frame:
    """The core's frame for a drill's world."""
    world = model.world
    if world.view == "side":
        return frames.side(world.y or "up")
    if world.view == "top":
        return frames.top(world.y or "down", world.height)
    up = world.up or "+z"
    return frames.space(up, world.forward or default_forward(up), world.hand or "right")


def fill_shape(row: np.void, shape: Shape, at: np.ndarray, frame: frames.Frame) -> None:
    """Write a shape that stands at ``at`` (3,) into a body record."""
    lift = frame.lift
    row["axis0"], row["axis1"], row["axis2"] = np.eye(3)
    endless = ENDLESS if frame.size == 2 else 0.0
    if shape.ball is not None:
        row["kind"], row["radius"] = BALL, shape.ball
    elif shape.capsule is not None:
        ends = lift(shape.capsule)
        row["kind"], row["radius"] = CAPSULE, shape.radius
        at = at + (ends[0] + ends[1]) / 2.0
        span = ends[1] - ends[0]
        row["half"] = [np.sqrt(dot(span, span)) / 2.0, 0.0, 0.0]
        if span.any():
            row["axis0"], row["axis1"], row["axis2"] = _axes_along(span, frame)
    elif shape.wall is not None:
        ends = lift(shape.wall)
        span = ends[1] - ends[0]
        at = at + (ends[0] + ends[1]) / 2.0
        row["kind"] = BOX
        row["axis0"], row["axis1"], row["axis2"] = _axes_along(span, frame)
        row["half"] = [np.sqrt(dot(span, span)) / 2.0, (shape.thick or 0.0) / 2.0, endless]
        if frame.size == 3:
            row["half"][2] = shape.tall / 2.0
            at = at + frame.up * (shape.tall / 2.0)
    elif shape.box is not None:
        row["kind"] = BOX
        row["half"] = [*(size / 2.0 for size in shape.box), endless][:3]
        row["axis0"], row["axis1"], row["axis2"] = _axes_turned(shape.turned, frame)
    else:
        row["kind"] = HALF_SPACE
        row["axis0"] = frames.unit(_normal(shape.half_space, frame))
    row["c0"] = row["c"] = at


def _normal(word, frame: frames.Frame) -> np.ndarray:
    if not isinstance(word, str):
        return frame.lift(word)
    right = frame.forward if frame.size == 2 else frame.hand * np.cross(frame.forward, frame.up)
    up = frame.up
    table = {"up": up, "down": -up, "right": right, "left": -right, "forward": frame.forward, "back": -frame.forward}
    return table[word] + 0.0


def _axes_along(span: np.ndarray, frame: frames.Frame) -> np.ndarray:
    """Three axes, the first along ``span``, the last as near to up (3D) as can be; in 2D out of the plane, exactly."""
    first = frames.unit(span)
    if frame.size == 2:
        return np.array([first, [-first[1], first[0], 0.0], [0.0, 0.0, 1.0]])
    last = frame.up
    if abs(dot(first, last)) > 0.999999:
        last = frame.forward
    second = frames.unit(np.cross(last, first))
    return np.array([first, second, np.cross(first, second)])


def _axes_turned(turned, frame: frames.Frame) -> np.ndarray:
    """Axes of a box turned by a direction, or by [direction, elevation, roll] in degrees."""
    if frame.size == 2:
        first = frame.direction(turned)
        return np.array([first, [-first[1], first[0], 0.0], [0.0, 0.0, 1.0]])
    bearing, elevation, roll = turned if isinstance(turned, list) else (turned, 0.0, 0.0)
    if not (bearing or elevation or roll):
        return np.eye(3)
    flat = frame.direction(bearing)
    first = frame.raised(flat, elevation)
    side = np.cross(frame.up, flat)
    top = np.cross(first, side)
    s, c = (float(x) for x in frames.sincos(roll))
    turned_axes = np.array([first, c * side + s * top, c * top - s * side])
    base = np.array([frame.first, np.cross(frame.up, frame.first), frame.up])
    order = [int(np.flatnonzero(axis)[0]) for axis in base]
    axes = np.empty((3, 3))
    axes[order] = turned_axes
    return axes
