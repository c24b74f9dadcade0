"""The gap between two bodies, and the way out of one another; what of it hangs on their shapes alone is kept."""

from __future__ import annotations

import math
import struct
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from nivvo.core.geometry.shapes import BALL, ENDLESS, HALF_SPACE, PRISM, distance, support, with_an_end
from nivvo.core.numbers.frame import added
from nivvo.core.numbers.vec import along, dot, vec
from nivvo.core.pool import BODY

STARTS, COUNT, CORNERS = (BODY.fields[name][1] for name in ("kind", "count", "corners"))
WHOLE = struct.Struct("=i")
STOPS = BODY.fields["axis2"][1] + BODY.fields["axis2"][0].itemsize
ROUNDING = 1e-15
"""Of the coordinates of a point."""

MOST_KEPT = 1024
"""Pairs of shapes that are known; what turns is a new one each time."""


def between(one: np.void, at, other: np.void, there) -> tuple[float, np.ndarray]:
    """Gap between two bodies whose centres are ``at`` and ``there`` (3,), and the way (3,) from the other to the one.

    Below 0 where they overlap: how deep, out of the nearest side. Both are boxes that are rounded: where those are
    apart, the nearest points are a corner of one and a point of the other, or lie on an edge of each. The one is no
    half-space.
    """
    (x, y, z), (a, b, c) = at, there
    d = float(x) - float(a), float(y) - float(b), float(z) - float(c)
    if other["kind"] == HALF_SPACE:
        n, deep = _onto(_shape(one), _shape(other))
        return dot(n, d) - deep, np.array(n)
    if one["kind"] == BALL:
        gap, n = distance(other, d)
        return float(gap - one["radius"]), np.array(n)
    if other["kind"] == BALL:
        gap, n = distance(one, (-d[0], -d[1], -d[2]))
        return float(gap - other["radius"]), -np.array(n)
    pair = _pair(_shape(one), _shape(other))
    deep, way, k = pair.overlap(d)
    if deep >= 0.0:
        return float(-deep - pair.rounds), way
    sides = ((pair.second, pair.first, d, 1.0), (pair.first, pair.second, (-d[0], -d[1], -d[2]), -1.0))
    best = (math.inf, way)
    for all_ in (False, True) if k < pair.sides else (True,):
        for hull, cornered, near, sign in sides:
            x, y, z = (sign * way).tolist()
            ahead = [p[0] * x + p[1] * y + p[2] * z for p in cornered.points]
            first = min(ahead)
            # The one that is foremost toward a side: if it is as near as that side, nothing is nearer. Else those that
            # are not farther behind that than is the nearest which is known.
            farthest = first + (best[0] + deep + pair.slack if all_ else 0.0)
            for at in (k for k, off in enumerate(ahead) if off <= farthest):
                gap, n = hull.nearest(along(near, cornered.points[at], 1.0))
                if gap < best[0]:
                    best = gap, sign * np.array(n)
                if not all_:
                    break
            if best[0] <= pair.slack - deep:
                return _apart(pair, best, way)
    if not pair.flat:
        found = _of_edges(pair.first.edges, pair.second.edges, np.array(d)[:, None, None])
        if found[0] < best[0] * (1.0 - 1e-12):
            best = found
    return _apart(pair, best, way)


def _apart(pair: _Pair, best: tuple[float, np.ndarray], way: np.ndarray) -> tuple[float, np.ndarray]:
    """The gap, and the way from the nearest point of one to that of the other; where those are so near that rounding
    decides it, the way across which the two are apart."""
    return float(best[0] - pair.rounds), way if best[0] < 1e3 * pair.slack else best[1]


def _shape(row: np.void) -> bytes:
    """What a body record tells of its shape and how that is turned."""
    raw = row.tobytes()
    (count,) = WHOLE.unpack_from(raw, COUNT)
    return raw[STARTS:STOPS] + raw[CORNERS : CORNERS + 16 * count] if count else raw[STARTS:STOPS]


def _row(shape: bytes) -> np.void:
    """A body record of that shape."""
    raw = bytearray(BODY.itemsize)
    raw[STARTS:STOPS] = shape[: STOPS - STARTS]
    corners = shape[STOPS - STARTS :]
    raw[CORNERS : CORNERS + len(corners)] = corners
    return np.frombuffer(raw, dtype=BODY)[0]


class _Hull:
    """The box or prism that a body rounds. points : its corners, from its centre. edges : start and way, (2, 3, n)."""

    def __init__(self, row: np.void):
        half, axes = with_an_end(row["half"]), [row[f"axis{k}"] for k in range(3)]
        self.prism = row["kind"] == PRISM
        # Across these axes it ends at half of a length; across the first two of a prism at its polygon.
        self.straight = range(2 if self.prism else 0, 3)
        corners, self.normals, ways, starts, runs = np.zeros((1, 3)), np.array(axes), axes, [], []
        if self.prism:
            self.ring = row["corners"][: row["count"]]
            sides = np.roll(self.ring, -1, axis=0) - self.ring
            lengths = np.sqrt((sides * sides).sum(axis=1))[:, None]
            sides = sides / lengths
            self.sides = np.hstack([self.ring, sides, lengths]).tolist()
            out = sides[:, 1:] * axes[0] - sides[:, :1] * axes[1]
            along_it = sides[:, :1] * axes[0] + sides[:, 1:] * axes[1]
            corners = self.ring[:, :1] * axes[0] + self.ring[:, 1:] * axes[1]
            starts, runs = [corners], [along_it * lengths]
            self.normals, ways = np.vstack([out, axes[2:]]), [*along_it, axes[2]]
        for k in (k for k in self.straight if half[k]):
            low, high = corners - half[k] * axes[k], corners + half[k] * axes[k]
            starts = [at for start in starts for at in (start - half[k] * axes[k], start + half[k] * axes[k])] + [low]
            runs = [run for run in runs for _ in range(2)] + [np.broadcast_to(2.0 * half[k] * axes[k], low.shape)]
            corners = np.vstack([low, high])
        self.half, self.axes, self.points = half.tolist(), [vec(axis) for axis in axes], corners.tolist()
        self.ways = [vec(way) for way in ways]
        self.edges = np.stack([np.vstack(starts).T, np.vstack(runs).T]) if starts else np.zeros((2, 3, 0))

    def supports(self, ways: np.ndarray) -> np.ndarray:
        """How far it reaches from its centre along unit vectors (n, 3)."""
        out = sum(self.half[k] * np.abs(_along(ways, self.axes[k])) for k in self.straight)
        if self.prism:
            x, y = (_along(ways, axis)[:, None] for axis in self.axes[:2])
            out = out + (self.ring[:, 0] * x + self.ring[:, 1] * y).max(axis=1)
        return out

    def nearest(self, point) -> tuple[float, tuple[float, float, float]]:
        """How far a point (3,) outside of it is from it, and the unit vector (3,) from it there."""
        a, b, c = self.axes
        (x, y, z), (h0, h1, h2) = (dot(point, a), dot(point, b), dot(point, c)), self.half
        none = ROUNDING * (abs(x) + abs(y) + abs(z))
        z -= min(max(z, -h2), h2)
        if self.prism:
            least, inside, x0, y0 = math.inf, True, x, y
            for px, py, s, t, size in self.sides:
                fx, fy = x0 - px, y0 - py
                inside = inside and t * fx <= s * fy
                gone = min(max(s * fx + t * fy, 0.0), size)
                fx, fy = fx - gone * s, fy - gone * t
                if fx * fx + fy * fy < least:
                    least, x, y = fx * fx + fy * fy, fx, fy
            if inside:
                x = y = 0.0
        else:
            x, y = x - min(max(x, -h0), h0), y - min(max(y, -h1), h1)
        far = math.sqrt(x * x + y * y + z * z)
        if far > 1e4 * none:
            # What is flush with a side is not before another one by rounding, which turns the way where they are near.
            x, y, z = x if abs(x) > none else 0.0, y if abs(y) > none else 0.0, z if abs(z) > none else 0.0
        x, y, z = (x / far, y / far, z / far) if far > 0.0 else (x, y, z)
        return far, (
            x * a[0] + y * b[0] + z * c[0],
            x * a[1] + y * b[1] + z * c[1],
            x * a[2] + y * b[2] + z * c[2],
        )


@lru_cache(maxsize=MOST_KEPT)
def _points(shape: bytes) -> tuple[tuple[float, float, float], ...]:
    return ((0.0, 0.0, 0.0),) if _row(shape)["kind"] == BALL else tuple(map(tuple, _Hull(_row(shape)).points))


def points_of(row: np.void) -> tuple[tuple[float, float, float], ...]:
    """The corners of what a body record rounds, from its centre; of a ball its middle."""
    return _points(_shape(row))


class _Pair(NamedTuple):
    """Two bodies. ways : unit vectors across which they can be apart, the first ``sides`` out of their sides, each with
    how far the two reach toward one another along it, and against it.

    slack : what rounding may come to (units). flat : both are of a 2D world. turns : a way and its opposite are not
    the same.
    """

    first: _Hull
    second: _Hull
    ways: list[list[float]]
    sides: int
    slack: float
    rounds: float
    flat: bool
    turns: bool

    def overlap(self, d) -> tuple[float, np.ndarray, int]:
        """How deep they are in one another, below 0: apart; the way out, along a side or across two edges; which."""
        best, found, (x, y, z) = math.inf, (0, False), d
        for k, (a, b, c, ahead, behind) in enumerate(self.ways):
            off = a * x + b * y + c * z
            one, other = (ahead - off, False), (behind + off, True)
            for deep, back in (one, other) if off >= 0.0 else (other, one):
                # Across two edges only if that is truly the shorter way out.
                if deep < (best if k < self.sides else best - 1e4 * self.slack):
                    best, found = deep, (k, back)
                if not self.turns:
                    break
        way = np.array(self.ways[found[0]][:3])
        return best, -way if found[1] else way, found[0]


@lru_cache(maxsize=MOST_KEPT)
def _onto(one: bytes, plane: bytes) -> tuple[tuple[float, float, float], float]:
    """The normal (3,) of a half-space, and how far a body reaches from its centre against it."""
    n = vec(_row(plane)["axis0"])
    return n, float(support(_row(one), (-n[0], -n[1], -n[2])))


@lru_cache(maxsize=MOST_KEPT)
def _pair(one: bytes, other: bytes) -> _Pair:
    """Two bodies by their shapes."""
    rows = _row(one), _row(other)
    first, second = _Hull(rows[0]), _Hull(rows[1])
    flat = any(row["half"][2] == ENDLESS for row in rows) or not (
        rows[0]["half"][2] or rows[1]["half"][2] or any(float(row["axis0"][2]) for row in rows)
    )
    ways = [n for hull in (first, second) for n in hull.normals[: None if not flat else -1]]
    sides = len(ways)
    for a in () if flat else first.ways:
        for b in second.ways:
            c = (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])
            far = math.sqrt(dot(c, c))
            if far > 1e-9:
                ways.append(np.array((c[0] / far, c[1] / far, c[2] / far)))
    out = np.array(ways)
    reach = [first.supports(-out) + second.supports(out), first.supports(out) + second.supports(-out)]
    ways = np.hstack([out, np.transpose(reach)]).tolist()
    rounds = float(rows[0]["radius"] + rows[1]["radius"])
    slack = 1e-14 * added(abs(x) for hull in (first, second) for p in hull.points for x in p)
    return _Pair(first, second, ways, sides, slack, rounds, flat, first.prism or second.prism)


def _along(ways: np.ndarray, d) -> np.ndarray:
    """Scalar products of vectors (n, 3) with one (3,)."""
    return ways[:, 0] * float(d[0]) + ways[:, 1] * float(d[1]) + ways[:, 2] * float(d[2])


def _of_edges(first: np.ndarray, second: np.ndarray, d: np.ndarray) -> tuple[float, np.ndarray]:
    """The least distance between two sets of edges, ``d`` apart, within both, and the way from second to first."""
    p, u, q, v = first[0][:, :, None], first[1][:, :, None], second[0][:, None, :], second[1][:, None, :]
    r = p - q + d
    a, b, c = (u * u).sum(axis=0), (u * v).sum(axis=0), (v * v).sum(axis=0)
    e, f = (u * r).sum(axis=0), (v * r).sum(axis=0)
    under = a * c - b * b
    apart = under > 1e-12 * a * c
    under = np.where(apart, under, 1.0)
    s, t = (b * f - c * e) / under, (a * f - b * e) / under
    gap = r + s * u - t * v
    within = apart & (s >= 0) & (s <= 1) & (t >= 0) & (t <= 1)
    far = np.where(within, np.sqrt((gap * gap).sum(axis=0)), np.inf)
    k = np.unravel_index(int(np.argmin(far)), far.shape)
    least = float(far[k])
    return least, gap[:, k[0], k[1]] / least if 0.0 < least < math.inf else np.zeros(3)
