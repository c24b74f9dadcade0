"""Bodies as they run: shapes written into rows of the core, ways to move, and what a shooter has beside."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.geometry.shapes import BALL, BOX, CAPSULE, ENDLESS, HALF_SPACE, PRISM
from nivvo.core.launching.spread import draw
from nivvo.core.numbers import frame as frames
from nivvo.core.numbers.clock import from_seconds
from nivvo.core.numbers.frame import added, dot
from nivvo.plan.abilities.numbers import counted
from nivvo.spec.scenes.scene import Move as Moves
from nivvo.spec.scenes.scene import Shape, Shooter

FRICTION = 0.5
"""Of a body that has a mass, unless it is written."""

STEP = 0.3
"""Metres: how high a step a walker takes, unless it is written."""

BODY_SIZE = 0.5
"""Metres: radius of a body that no shape is written for."""


class Drift(NamedTuple):
    """Corners (3,) of the region that a body drifts in; what its draws belong to."""

    low: np.ndarray
    high: np.ndarray
    seed: int
    name: str


class Move(NamedTuple):
    """How a body moves by itself: from velocity and acceleration (3,), or through points at a speed (units/s).

    timed : when (counts) it is where (3,). circle : centre (3,), degrees a second, the frame's two level axes,
    and whether it is a body that it goes round.
    toward : the name of a body that it chases, or with ``away`` flees, or goes round; keeps : units, see the key.
    beside : the name of a body that it stays beside, at an offset (3,). speeds_up, top : units/s², units/s.
    """

    velocity: np.ndarray
    acceleration: np.ndarray
    through: tuple[np.ndarray, ...] | None
    speed: float | None
    at_end: str
    toward: str | None = None
    away: bool = False
    keeps: float | None = None
    timed: tuple[tuple[int, np.ndarray], ...] = ()
    circle: tuple[np.ndarray, float, np.ndarray, np.ndarray, bool] | None = None
    drift: Drift | None = None
    beside: str | None = None
    offset: np.ndarray | None = None
    speeds_up: float = np.inf
    top: float | None = None

    @property
    def moves(self) -> bool:
        """Whether it moves at all."""
        return (
            self.toward is not None
            or self.beside is not None
            or self.drift is not None
            or self.through is not None
            or bool(self.timed)
            or self.circle is not None
            or bool(self.velocity.any() or self.acceleration.any())
        )


class Piece(NamedTuple):
    """One of the shapes of a body: ``fill`` writes it, as it stands at a place (3,), into a record; its own group."""

    fill: Callable[[np.void, np.ndarray], None]
    group: str | None = None


class OnShooter(NamedTuple):
    """What follows when a body touches a shooter: damage, again after so many counts or once, whether it is out."""

    damage: float = 0.0
    every: int | None = None
    removes: bool = False


class Wave(NamedTuple):
    """Bodies, by number (n,), that arrive one after another.

    most : of it on the field at once, or None. waits : whether one that finds no room waits for it.
    """

    name: str
    bodies: np.ndarray
    most: int | None
    waits: bool


class Body(NamedTuple):
    """One body: its name and kind, its row as it stands at 0 s, and how it moves.

    shift : (3,) from the place that is written for it to its middle. arrives : when it comes (counts), 0: it is there.
    leaves : when it goes, None: it stays.
    mass : None where nothing pushes it; friction : of what it lies on, a share of what presses. spins_up : how fast it
    comes to how fast it turns (rad/s²), inf: at once.
    """

    name: str
    kind: str
    row: np.void
    shift: np.ndarray
    move: Move | None
    arrives: int = 0
    mass: float | None = None
    friction: float = 0.0
    on_shooter: OnShooter | None = None
    spins_up: float = math.inf
    leaves: int | None = None


class Walk(NamedTuple):
    """How a shooter moves by input: speeds in units/s, acceleration in units/s² or None for at once.

    steepest : the least rise of a normal that it stands on. step : how high a step it takes (units).
    """

    speed: float
    acceleration: float | None
    jump: float | None
    jump_button: str
    steepest: float = 0.0
    step: float = 0.0


class Muzzle(NamedTuple):
    """A spawn point: forward (None: just clear of the body), right, up; the forward and up of what it turns about."""

    forward: float | None
    right: float
    up: float
    follows: str
    top_speed: float | None
    pivot_forward: float
    pivot_up: float


class Gunner(NamedTuple):
    """What a shooter has beside its body: facing (3,), eye (forward, right, up), muzzles by name, walk.

    lives : how often it can be put out; back_after : counts.
    """

    facing: np.ndarray
    facing_follows: str
    facing_count: int | None
    eye: tuple[float, float, float]
    walk: Walk | None
    muzzle: dict[str, Muzzle]
    lives: int = 1
    back_after: int = 0


def expanded(name: str, target: Any, frame: frames.Frame, seed: int, rate: float) -> list[tuple[str, Any, int]]:
    """The targets that one stands for: name, model, when each arrives (counts). Draws belong to seed and name."""
    wave = target.wave
    if wave is None:
        return [(name, target, 0 if target.arrives is None else counted(target.arrives, rate))]
    if wave.times is None:
        first, every = counted(wave.first, rate), counted(wave.every, rate)
        times = [first + k * every for k in range(wave.count)]
    else:
        times = sorted(counted(time, rate) for time in wave.times)
    out = []
    for k, time in enumerate(times):
        at = _place(wave, target, name, seed, k)
        changed: dict[str, Any] = {"at": at, "wave": None}
        if wave.speed is not None:
            pace = wave.speed[0] + draw(seed, f"{name}.wave.speed", k) * (wave.speed[1] - wave.speed[0])
            way = _way(wave, at, name, seed, k, frame)
            far = float(np.sqrt(added(x * x for x in way)))
            changed["move"] = Moves(velocity=[pace * x / far if far > 0.0 else 0.0 for x in way])
        out.append((f"{name}-{k + 1}", target.model_copy(update=changed), time))
    return out


def _way(wave: Any, at: list[float], name: str, seed: int, k: int, frame: frames.Frame) -> list[float]:
    """Which way one of a wave goes, of any length."""
    if wave.direction is not None:
        low, high = wave.direction
        return frame.drop(frame.direction(low + draw(seed, f"{name}.wave.direction", k) * (high - low))).tolist()
    corners = wave.edges or wave.region
    goal = wave.goal or [0.5 * (a + b) for a, b in zip(*corners, strict=True)]
    return [b - a for a, b in zip(at, goal, strict=True)]


def _place(wave: Any, target: Any, name: str, seed: int, k: int) -> list[float]:
    """Where one of a wave arrives."""
    if wave.places is not None:
        return wave.places[k % len(wave.places)]
    corners = wave.region or wave.edges
    if corners is None:
        return target.at
    low, high = ([f(a, b) for a, b in zip(*corners, strict=True)] for f in (min, max))
    size = [b - a for a, b in zip(low, high, strict=True)]
    at = [a + draw(seed, f"{name}.wave.at", k, axis) * s for axis, (a, s) in enumerate(zip(low, size, strict=True))]
    if wave.edges is not None:
        # On a side that is drawn by its length, or in space its area.
        areas = [float(np.prod([s for other, s in enumerate(size) if other != axis])) for axis in range(len(size))]
        pick = draw(seed, f"{name}.wave.side", k) * 2.0 * added(areas)
        for axis, area in enumerate(areas):
            for edge in (low, high):
                if 0.0 <= pick < area or (axis == len(areas) - 1 and edge is high and pick >= 0.0):
                    at[axis] = edge[axis]
                pick -= area
                if pick < 0.0:
                    return at
    return at


def body_of(
    kind: str,
    name: str,
    model: Any,
    groups: list[str],
    frame: frames.Frame,
    metre: float,
    rate: float,
    arrives: int = 0,
    piece: Piece | None = None,
    seed: int = 0,
) -> Body:
    """The plan of a body, or of one of its pieces where it has several; its key is left open."""
    row = pool.zeros(1, pool.BODY)[0]
    at = place_of(model, frame)
    if piece is not None:
        piece.fill(row, at)
    else:
        fill_shape(row, model.shape or Shape(ball=BODY_SIZE * metre), at, frame)
    row["group"] = groups.index(model.group if piece is None or piece.group is None else piece.group)
    row["role"] = pool.ROLES[kind]
    row["health"] = row["full"] = getattr(model, "health", None) or np.inf
    row["armour"], row["soaks"] = getattr(model, "armour", 0.0), getattr(model, "soaks", 0.0)
    if getattr(model, "spot", None) is not None:
        row["spot"] = frame.lift(model.spot) - (row["c0"] - at if piece is not None else 0.0)
    if (front := getattr(model, "front", None)) is not None:
        way = front if isinstance(front, list) else [front, 0.0]
        row["front"] = frame.raised(frame.direction(way[0]), way[1]) if way[1] else frame.direction(way[0])
    if getattr(model, "turns", None):
        about = frame.pole if model.turns_about is None else np.array(model.turns_about)
        row["about"], row["turns"] = frames.unit(about), math.radians(model.turns)
        if piece is not None:
            # It goes round the place of the body, which is where its way is.
            row["arm"], row["c0"], row["c"] = row["c0"] - at, at, at
    shift = row["c0"] - at
    row["out"] = arrives > 0
    mass, friction = getattr(model, "mass", None), getattr(model, "friction", None)
    friction = FRICTION if friction is None else friction
    harm = getattr(model, "on_shooter", None)
    on_shooter = None
    if harm is not None:
        on_shooter = OnShooter(harm.damage, None if harm.every is None else counted(harm.every, rate), harm.removes)
    move = _move(model.move, frame, shift, seed, name)
    gains = getattr(model, "turns_speeds_up", None)
    spins_up = math.inf if gains is None else math.radians(gains)
    leaves = getattr(model, "leaves", None)
    leaves = None if leaves is None else counted(leaves, rate)
    return Body(name, kind, row, shift, move, arrives, mass, friction, on_shooter, spins_up, leaves)


def ring(rows: np.ndarray, pieces: list[int]) -> None:
    """Write into the records of a body's pieces that they are of one body."""
    for k, number in enumerate(pieces):
        rows[number]["first"], rows[number]["next"] = pieces[0] - number, pieces[(k + 1) % len(pieces)] - number


def place_of(model: Any, frame: frames.Frame) -> np.ndarray:
    """Where a body is written to be at 0 s (3,): its place, else where its way begins, else the origin."""
    move = model.move
    first = None if move is None else move.through[0] if move.through else move.timed[0][1:] if move.timed else None
    return frame.lift(model.at if model.at is not None else first or [0.0] * frame.size)


def _move(model: Any, frame: frames.Frame, shift: np.ndarray, seed: int, name: str) -> Move | None:
    if model is None:
        return None
    zero = [0.0] * frame.size
    velocity, acceleration = frame.lift(model.velocity or zero), frame.lift(model.acceleration or zero)
    through = None if model.through is None else tuple(frame.lift(point) + shift for point in model.through)
    circle, round_, drift = None, model.circle, None
    if round_ is not None:
        centre = frame.lift(round_.centre or zero) + shift
        circle = (centre, round_.turn_rate, frame.first, frame.second, round_.body is not None)
    if model.drift is not None:
        low, high = (frame.lift([f(a, b) for a, b in zip(*model.drift, strict=True)]) + shift for f in (min, max))
        drift = Drift(low, high, seed, name)
    toward = model.chase or model.flee or (None if round_ is None else round_.body)
    timed = tuple((from_seconds(row[0]), frame.lift(row[1:]) + shift) for row in model.timed or ())
    return Move(
        velocity, acceleration, through, model.speed, model.at_end, toward, model.flee is not None, model.keeps,
        timed, circle, drift, model.beside, None if model.offset is None else frame.lift(model.offset),
        model.speeds_up or np.inf, model.top_speed,
    )  # fmt: skip


def gunner_of(model: Shooter, frame: frames.Frame, y_up: bool, rate: float, metre: float) -> Gunner:
    """The plan of a shooter beside its body."""
    walk, own = None, model.walk
    if own is not None:
        steepest, step = float(frames.sincos(own.steepest)[1]), STEP * metre if own.step is None else own.step
        walk = Walk(own.speed, own.acceleration, own.jump, own.jump_button, steepest, step)
    muzzles = {name: Muzzle(*(getattr(one, key) for key in Muzzle._fields)) for name, one in model.muzzle.items()}
    eye = (model.eye.forward, model.eye.right, model.eye.up)
    facing, back = _facing(model.facing, frame, y_up), counted(model.back_after, rate) if model.back_after else 0
    return Gunner(facing, model.facing_follows, model.facing_count, eye, walk, muzzles, model.lives, back)


def _facing(facing: Any, frame: frames.Frame, y_up: bool) -> np.ndarray:
    if facing is None:
        return frame.forward
    if isinstance(facing, str) and facing[0] in "+-":
        axis = np.zeros(3)
        axis["xyz".index(facing[1])] = 1.0 if facing[0] == "+" else -1.0
        return axis
    if isinstance(facing, str):
        up = 1.0 if y_up else -1.0
        words = {"right": (1, 0, 0), "left": (-1, 0, 0), "up": (0, up, 0), "down": (0, -up, 0)}
        return np.array(words[facing], dtype=float)
    return frame.direction(facing)


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
    elif shape.half_space is None:
        at = at + _fill_prism(row, shape, frame)
    else:
        row["kind"] = HALF_SPACE
        row["axis0"] = frames.unit(_normal(shape.half_space, frame))
    row["c0"] = row["c"] = at


def _fill_prism(row: np.void, shape: Shape, frame: frames.Frame) -> np.ndarray:
    """Write a polygon or an ellipse into a body record; from its place to its middle (3,)."""
    if shape.polygon is not None:
        corners = np.array(shape.polygon, dtype=float)
        ahead, behind = np.roll(corners, -1, axis=0) - corners, corners - np.roll(corners, 1, axis=0)
        turns = behind[:, 0] * ahead[:, 1] - behind[:, 1] * ahead[:, 0]
        # What lies on a side is no corner; in turn so that the outside is on the right.
        corners = corners[np.abs(turns) > 1e-12 * np.abs(corners).max() ** 2]
        corners = corners if turns.sum() > 0.0 else corners[::-1]
    else:
        s, c = frames.sincos(np.arange(pool.MOST_CORNERS) * (360.0 / pool.MOST_CORNERS))
        half = 0.5 * (1.0 + 1.0 / math.cos(math.pi / pool.MOST_CORNERS))
        corners = 0.5 * half * np.column_stack([c * shape.ellipse[0], s * shape.ellipse[1]])
    middle, tall = _centroid(corners), 0.0 if frame.size == 2 else shape.tall
    row["kind"], row["count"] = PRISM, len(corners)
    row["corners"][: len(corners)] = corners - middle
    row["half"] = [*np.abs(corners - middle).max(axis=0), ENDLESS if frame.size == 2 else 0.5 * tall]
    axes = _axes_turned(shape.turned, frame)
    if frame.size == 2:
        row["axis0"], row["axis1"], row["axis2"] = axes
        return middle[0] * axes[0] + middle[1] * axes[1]
    # On the level along the world's two axes there, and up.
    for k, way in enumerate((frame.first, frame.second, frame.up)):
        row[f"axis{k}"] = way[0] * axes[0] + way[1] * axes[1] + way[2] * axes[2]
    return middle[0] * row["axis0"] + middle[1] * row["axis1"] + 0.5 * tall * row["axis2"]


def _centroid(corners: np.ndarray) -> np.ndarray:
    """The centroid of a polygon (2,), by triangles about the mean of its corners (n, 2)."""
    mean = corners.mean(axis=0)
    p, q = corners - mean, np.roll(corners, -1, axis=0) - mean
    twice = p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]
    return mean + ((p + q) * twice[:, None]).sum(axis=0) / (3.0 * twice.sum())


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
