"""Frames: which way is up, what an angle means, and how 2D lies in the 3D of the engine.

``direction`` turns from the first horizontal axis of the user toward the second (2D: from +x toward
+y); ``elevation`` rises from the horizontal toward up. Degrees outside; ``sincos`` is exact at
multiples of 90 degrees and symmetric in sign, so that mirrored worlds give mirrored shots to the bit.
"""

from __future__ import annotations

import functools
import math
import operator
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from nivvo.core.numbers.trig import COS, SIN

AXES = {"+x": (1, 0, 0), "-x": (-1, 0, 0), "+y": (0, 1, 0), "-y": (0, -1, 0), "+z": (0, 0, 1), "-z": (0, 0, -1)}


FEW = 4
"""So few angles are sooner reckoned one by one."""


def sincos(degrees):
    """Sine and cosine of angles in degrees, any shape; built from + - * only, so equal everywhere."""
    if isinstance(degrees, float | int) and math.isfinite(degrees):
        return _sincos_of_one(float(degrees))
    degrees = np.asarray(degrees, dtype=float)
    if degrees.size <= FEW and np.isfinite(degrees).all():
        found = np.array([_sincos_of_one(one) for one in degrees.ravel().tolist()]).reshape(-1, 2)
        return found[:, 0].reshape(degrees.shape), found[:, 1].reshape(degrees.shape)
    turned = np.fmod(degrees, 360.0)
    quarter = np.rint(turned / 90.0)
    r = (turned - 90.0 * quarter) * (np.pi / 180.0)
    z = r * r
    s = np.zeros_like(z)
    c = np.zeros_like(z)
    for ks, kc in zip(reversed(SIN), reversed(COS), strict=True):
        s = ks + z * s
        c = kc + z * c
    sin = r + r * z * s
    cos = 1.0 - 0.5 * z + z * z * c
    k = quarter.astype(np.int64) & 3
    return (
        np.choose(k, (sin, cos, -sin, -cos)) + 0.0,
        np.choose(k, (cos, -sin, -cos, sin)) + 0.0,
    )


@lru_cache(maxsize=4096)
def _sincos_of_one(degrees: float) -> tuple[np.float64, np.float64]:
    """The same steps for one angle, which is what a shot has."""
    turned = math.fmod(degrees, 360.0)
    quarter = round(turned / 90.0)
    r = (turned - 90.0 * quarter) * (np.pi / 180.0)
    z = r * r
    s = c = 0.0
    for k in range(len(SIN) - 1, -1, -1):
        s, c = SIN[k] + z * s, COS[k] + z * c
    sin, cos = r + r * z * s, 1.0 - 0.5 * z + z * z * c
    sin, cos = ((sin, cos), (cos, -sin), (-sin, -cos), (-cos, sin))[quarter & 3]
    return np.float64(sin + 0.0), np.float64(cos + 0.0)


def dot(u, v):
    """Scalar product of vectors (..., 3): the same sums in the same order on every machine, which no library gives."""
    u, v = np.asarray(u, dtype=float), np.asarray(v, dtype=float)
    if u.ndim == 1 and v.ndim == 1:
        (a, b, c), (x, y, z) = u.tolist(), v.tolist()
        return np.float64(a * x + b * y + c * z)
    return u[..., 0] * v[..., 0] + u[..., 1] * v[..., 1] + u[..., 2] * v[..., 2]


def added(numbers: Iterable[float]) -> float:
    """Sum of numbers, one after the other: that of Python itself rounds otherwise from its version 3.12 on."""
    return functools.reduce(operator.add, numbers, 0)


def three(vector) -> tuple[float, float, float]:
    """A vector (3,) as plain numbers."""
    return float(vector[0]), float(vector[1]), float(vector[2])


def length_of(vector) -> float:
    """Length of one vector (3,)."""
    x, y, z = vector.tolist()
    return math.sqrt(x * x + y * y + z * z)


def unit(vectors) -> np.ndarray:
    """Vectors (..., 3) scaled to length one, by the same steps whatever the signs; zero stays zero."""
    vectors = np.asarray(vectors, dtype=float)
    if vectors.ndim == 1:
        return np.array(_unit_of_one(*vectors.tolist()))
    top = np.abs(vectors).max(axis=-1, keepdims=True)
    safe = vectors / np.where(top > 0.0, top, 1.0)
    x, y, z = safe[..., 0], safe[..., 1], safe[..., 2]
    length = np.sqrt(x * x + y * y + z * z)[..., None]
    return np.where(top > 0.0, safe / np.where(length > 0.0, length, 1.0), 0.0)


def _unit_of_one(x: float, y: float, z: float) -> tuple[float, float, float]:
    """The same steps for one vector, which is what a shot has."""
    top = max(abs(x), abs(y), abs(z))
    if not top > 0.0 or math.isnan(x) or math.isnan(y) or math.isnan(z):
        return 0.0, 0.0, 0.0
    x, y, z = x / top, y / top, z / top
    length = math.sqrt(x * x + y * y + z * z)
    length = length if length > 0.0 else 1.0
    return x / length, y / length, z / length


def _cross(u, v) -> tuple[float, float, float]:
    """The vector product of two vectors of plain numbers."""
    return u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]


@dataclass(frozen=True)
class Frame:
    """The axes of a world, as vectors of three.

    view
        "side", "top" or "space".
    up, forward
        Unit vectors. In a flat top view ``up`` points at the viewer and nothing moves along it.
    first, second
        The two horizontal axes that ``direction`` turns between; in side view +x and +y themselves.
    hand
        +1 right-handed, -1 left-handed: right = hand * (forward x up).
    size
        2 or 3: how many numbers a position has outside.
    """

    view: str
    up: np.ndarray
    forward: np.ndarray
    first: np.ndarray
    second: np.ndarray
    hand: int
    size: int

    @cached_property
    def _plain(self) -> tuple[tuple[float, ...], ...]:
        """Up, forward, first and second as plain numbers, for one vector at a time."""
        return tuple(tuple(axis.tolist()) for axis in (self.up, self.forward, self.first, self.second))

    @cached_property
    def pole(self) -> np.ndarray:
        """The unit vector (3,) that directions turn about."""
        return np.array(_cross(*self._plain[2:]))

    @property
    def vertical(self) -> bool:
        """Whether there is an up to rise to: not in a flat top view."""
        return self.view != "top" or self.size == 3

    def lift(self, points) -> np.ndarray:
        """Points of the user, (..., 2) or (..., 3), as (..., 3)."""
        points = np.asarray(points, dtype=float)
        if points.shape[-1] == 3:
            return points
        return np.concatenate([points, np.zeros((*points.shape[:-1], 1))], axis=-1)

    def drop(self, vectors: np.ndarray) -> np.ndarray:
        """Vectors of three as the user's own (..., size)."""
        return vectors[..., : self.size]

    def direction(self, degrees) -> np.ndarray:
        """Unit vectors (..., 3) that point in a direction, in degrees: (...)."""
        s, c = sincos(degrees)
        if np.ndim(s) == 0:
            s, c, (_, _, u, v) = float(s), float(c), self._plain
            return np.array([c * u[0] + s * v[0] + 0.0, c * u[1] + s * v[1] + 0.0, c * u[2] + s * v[2] + 0.0])
        return c[..., None] * self.first + s[..., None] * self.second + 0.0

    def raised(self, heading, elevation) -> np.ndarray:
        """Unit vectors (..., 3) at ``elevation`` degrees above the horizontal of ``heading``, (..., 3).

        A heading straight up or down has no horizontal; the frame's forward stands in.
        """
        s, c = sincos(elevation)
        if isinstance(s, float) and isinstance(heading, np.ndarray) and heading.ndim == 1:
            s, c, (up, forward, _, _) = float(s), float(c), self._plain
            x, y, z = _unit_of_one(*self._level_of_one(heading))
            x, y, z = (x, y, z) if x != 0.0 or y != 0.0 or z != 0.0 else forward
            return np.array([c * x + s * up[0], c * y + s * up[1], c * z + s * up[2]])
        flat = unit(self.level(heading))
        flat = np.where(np.any(flat != 0.0, axis=-1, keepdims=True), flat, self.forward)
        return c[..., None] * flat + s[..., None] * self.up

    def level(self, vectors) -> np.ndarray:
        """The horizontal part of vectors (..., 3); in a flat top view all of it."""
        vectors = np.asarray(vectors, dtype=float)
        if not self.vertical:
            return vectors
        if vectors.ndim == 1:
            return np.array(self._level_of_one(vectors))
        return np.where(self.up != 0.0, 0.0, vectors) + 0.0

    def _level_of_one(self, vector) -> tuple[float, float, float]:
        """The same for one vector, as plain numbers."""
        x, y, z = vector.tolist() if isinstance(vector, np.ndarray) else map(float, vector)
        if not self.vertical:
            return x, y, z
        up = self._plain[0]
        return (0.0 if up[0] else x) + 0.0, (0.0 if up[1] else y) + 0.0, (0.0 if up[2] else z) + 0.0

    def height(self, points) -> np.ndarray:
        """How far up points (..., 3) lie."""
        return dot(np.asarray(points, dtype=float), self.up)

    def direction_of(self, vectors) -> np.ndarray:
        """Direction in degrees, (-180, 180], of vectors (..., 3)."""
        vectors = np.asarray(vectors, dtype=float)
        return np.degrees(np.arctan2(dot(vectors, self.second), dot(vectors, self.first))) + 0.0

    def elevation(self, vectors) -> np.ndarray:
        """Elevation in degrees, [-90, 90], of vectors (..., 3); 0 in a flat top view."""
        vectors = np.asarray(vectors, dtype=float)
        if not self.vertical:
            return np.zeros(vectors.shape[:-1])
        flat = self.level(vectors)
        run = np.sqrt((flat * flat).sum(axis=-1))
        return np.degrees(np.arctan2(dot(vectors, self.up), run)) + 0.0

    def triad(self, heading, facing) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Forward, right and up of something that heads along unit vectors (..., 3), each (..., 3).

        In side view up stays on the upper side whichever way it heads, so that offsets mirror;
        straight up or down, ``facing`` (..., 3) decides. Elsewhere it decides where right is then.
        """
        f = np.asarray(heading, dtype=float)
        if self.view == "side" and f.ndim == 1:
            x, y, up = float(f[0]), float(f[1]), float(self.up[1])
            across = x if x != 0.0 else float(facing[0])
            sign = float((across > 0.0) - (across < 0.0))
            return f, np.zeros(3), np.array([sign * -y * up + 0.0, sign * x * up + 0.0, 0.0])
        if self.view == "side":
            across = np.where(f[..., :1] != 0.0, f[..., :1], np.asarray(facing)[..., :1])
            quarter = np.stack([-f[..., 1], f[..., 0], np.zeros_like(f[..., 0])], axis=-1)
            return f, np.zeros_like(f), np.sign(across) * quarter * self.up[1] + 0.0
        if f.ndim == 1:
            return self._triad_of_one(f, facing)
        flat = unit(self.level(f))
        flat = np.where(np.any(flat != 0.0, axis=-1, keepdims=True), flat, unit(self.level(facing)))
        right = self.hand * np.cross(flat, self.up)
        if not self.vertical:
            return f, right + 0.0, np.zeros_like(f)
        return f, right + 0.0, self.hand * np.cross(right, f) + 0.0

    def _triad_of_one(self, f: np.ndarray, facing) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """The same for one heading, in a view that is not from the side."""
        flat = _unit_of_one(*self._level_of_one(f))
        flat = flat if any(flat) else _unit_of_one(*self._level_of_one(facing))
        x, y, z = _cross(flat, self._plain[0])
        right = (self.hand * x + 0.0, self.hand * y + 0.0, self.hand * z + 0.0)
        if not self.vertical:
            return f, np.array(right), np.zeros(3)
        x, y, z = _cross(right, f.tolist())
        return f, np.array(right), np.array([self.hand * x + 0.0, self.hand * y + 0.0, self.hand * z + 0.0])


def side(y: str = "up") -> Frame:
    """A side view: x across, y up or down."""
    up = np.array([0.0, 1.0 if y == "up" else -1.0, 0.0])
    x, down = np.array([1.0, 0.0, 0.0]), np.array([0.0, 1.0, 0.0])
    return Frame("side", up, x, x, down, 1, 2)


def top(y: str = "down", height: bool = False) -> Frame:
    """A top view: x across, y up or down the screen; ``height`` adds a third number above the ground."""
    x, second, up = np.eye(3)
    return Frame("top", up, x, x, second, 1 if y == "up" else -1, 3 if height else 2)


def space(up: str = "+z", forward: str = "+x", hand: str = "right") -> Frame:
    """A space of three axes; raises ValueError if up and forward lie on one axis."""
    u, f = np.array(AXES[up], dtype=float), np.array(AXES[forward], dtype=float)
    if abs(dot(u, f)) > 0.5:
        raise ValueError("up and forward lie on one axis")
    first, second = np.eye(3)[u == 0.0]
    return Frame("space", u, f, first, second, 1 if hand == "right" else -1, 3)
