"""Shapes of bodies: signed distance and outward normal at a point.

Ball, capsule and box are one family: a box of half extents ``half`` along three axes, rounded by
``radius`` (a ball has no extents, a capsule one, a box no radius). A wall is a box given by its two
ends and a thickness. A half-space is everything behind the plane through ``c`` with normal ``axis0``.
A prism is a convex polygon across the first two axes, as far as ``half`` along the third.
A new shape is one more branch of ``distance``, its code below, and a row of ``body`` in ``pool``.
"""

from __future__ import annotations

import math

import numpy as np

from nivvo.core._jit import cold, inner
from nivvo.core.vec import dot, vec

BALL, CAPSULE, BOX, HALF_SPACE, PRISM = range(5)
KINDS = {"ball": BALL, "capsule": CAPSULE, "box": BOX, "half_space": HALF_SPACE, "prism": PRISM}

# Half extent across the plane of a body of a 2D world, whose last axis is then that of z to the bit.
ENDLESS = math.inf


@inner
def distance(b, d):
    """Signed distance and outward normal of body record ``b`` at ``d``, a point relative to its centre.

    Returns (distance, (nx, ny, nz)); negative inside. Inside a box the normal is that of the nearest
    face; at the very middle of a ball or capsule it is the first axis.
    """
    kind = b["kind"]
    if kind == HALF_SPACE:
        n = vec(b["axis0"])
        return dot(n, d), n
    if kind == BALL:
        far = math.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
        if far > 0.0:
            return far - b["radius"], (d[0] / far, d[1] / far, d[2] / far)
        return -float(b["radius"]), vec(b["axis0"])
    if kind == PRISM:
        return prism(b, d)
    return rounded(b, d)


@cold
def prism(b, d):
    """``distance`` of a prism: from the nearest side or corner of its polygon, and from its ends."""
    e0, e1, e2 = vec(b["axis0"]), vec(b["axis1"]), vec(b["axis2"])
    x, y, z = dot(d, e0), dot(d, e1), dot(d, e2)
    n, corners = int(b["count"]), b["corners"]
    deep, near = -math.inf, math.inf
    mx, my, ox, oy = 1.0, 0.0, 1.0, 0.0
    px, py = float(corners[n - 1, 0]), float(corners[n - 1, 1])
    for k in range(n):
        qx, qy = float(corners[k, 0]), float(corners[k, 1])
        sx, sy = qx - px, qy - py
        size = math.sqrt(sx * sx + sy * sy)
        sx, sy = sx / size, sy / size
        # Its sides go round so that the outside is on the right.
        off, way = sy * (x - px) - sx * (y - py), sx * (x - px) + sy * (y - py)
        if off > deep:
            deep, mx, my = off, sy, -sx
        if off > 0.0:
            fx, fy, far = sy, -sx, off
            if way < 0.0 or way > size:
                fx, fy = (x - px, y - py) if way < 0.0 else (x - qx, y - qy)
                far = math.sqrt(fx * fx + fy * fy)
                fx, fy = fx / far, fy / far
            if far < near:
                near, ox, oy = far, fx, fy
        px, py = qx, qy
    over, oz = abs(z) - float(b["half"][2]), 1.0 if z >= 0.0 else -1.0
    if deep <= 0.0 and over <= 0.0:
        gap = max(deep, over)
        ox, oy, oz = (mx, my, 0.0) if gap == deep else (0.0, 0.0, oz)
    elif over <= 0.0:
        gap, oz = near, 0.0
    elif deep <= 0.0:
        gap, ox, oy = over, 0.0, 0.0
    else:
        gap = math.sqrt(near * near + over * over)
        ox, oy, oz = ox * (near / gap), oy * (near / gap), oz * (over / gap)
    normal = (
        ox * e0[0] + oy * e1[0] + oz * e2[0],
        ox * e0[1] + oy * e1[1] + oz * e2[1],
        ox * e0[2] + oy * e1[2] + oz * e2[2],
    )
    return gap - b["radius"], normal


@inner
def rounded(b, d):
    """``distance`` of a capsule or box."""
    e0, e1, e2 = vec(b["axis0"]), vec(b["axis1"]), vec(b["axis2"])
    h = vec(b["half"])
    x, y, z = dot(d, e0), dot(d, e1), dot(d, e2)
    ox = x - min(max(x, -h[0]), h[0])
    oy = y - min(max(y, -h[1]), h[1])
    oz = z - min(max(z, -h[2]), h[2])
    far = math.sqrt(ox * ox + oy * oy + oz * oz)
    if far > 0.0:
        ox, oy, oz, gap = ox / far, oy / far, oz / far, far
    else:
        gx, gy, gz = abs(x) - h[0], abs(y) - h[1], abs(z) - h[2]
        gap = max(gx, max(gy, gz))
        ox, oy, oz = 0.0, 0.0, 0.0
        if b["kind"] == CAPSULE:
            gap, oy = 0.0, 1.0
        elif gx == gap:
            ox = 1.0 if x >= 0.0 else -1.0
        elif gy == gap:
            oy = 1.0 if y >= 0.0 else -1.0
        else:
            oz = 1.0 if z >= 0.0 else -1.0
    n = (
        ox * e0[0] + oy * e1[0] + oz * e2[0],
        ox * e0[1] + oy * e1[1] + oz * e2[1],
        ox * e0[2] + oy * e1[2] + oz * e2[2],
    )
    return gap - b["radius"], n


def extent(row: np.void) -> np.ndarray:
    """Half sizes of the axis-aligned box around a body record about its centre, shape (3,); inf if endless."""
    return extents(np.array([row]))[0]


def extents(rows: np.ndarray) -> np.ndarray:
    """Half sizes of the axis-aligned boxes around body records about their centres, shape (n, 3); inf if endless."""
    axes = np.stack([rows["axis0"], rows["axis1"], rows["axis2"]], axis=1)
    half = with_an_end(rows["half"])
    out = (np.abs(axes) * half[:, :, None]).sum(axis=1) + rows["radius"][:, None]
    # What turns may come to reach as far as a corner, any way.
    whole = np.sqrt((half * half).sum(axis=1)) + rows["radius"] + np.sqrt((rows["arm"] * rows["arm"]).sum(axis=1))
    out = np.where((rows["turns"] != 0.0)[:, None], whole[:, None], out)
    out[rows["half"][:, 2] == ENDLESS, 2] = np.inf
    out[rows["kind"] == HALF_SPACE] = np.inf
    return out


def support(row: np.void, n) -> float:
    """How far a body record reaches from its centre along a unit vector (3,)."""
    half = with_an_end(row["half"])
    if row["kind"] == PRISM:
        x, y = (float(dot(row[f"axis{k}"].tolist(), n)) for k in range(2))
        along = row["corners"][: row["count"], 0] * x + row["corners"][: row["count"], 1] * y
        return float(along.max() + half[2] * abs(float(dot(row["axis2"].tolist(), n))) + row["radius"])
    return float(sum(half[k] * abs(float(dot(row[f"axis{k}"].tolist(), n))) for k in range(3)) + row["radius"])


def between(one: np.void, at, other: np.void, there) -> tuple[float, np.ndarray]:
    """Gap between two bodies whose centres are ``at`` and ``there`` (3,), and the way (3,) from the other to the one.

    Below 0 where they overlap: how deep, out of the nearest side. Both are boxes that are rounded: where those are
    apart, the nearest points are a corner of one and a point of the other, or lie on an edge of each. The one is no
    half-space.
    """
    d = tuple(float(a) - float(b) for a, b in zip(at, there, strict=True))
    if other["kind"] == HALF_SPACE:
        n = vec(other["axis0"])
        return float(dot(n, d) - support(one, (-n[0], -n[1], -n[2]))), np.array(n)
    rounds = float(one["radius"] + other["radius"])
    if one["kind"] == BALL:
        gap, n = distance(other, d)
        return float(gap - one["radius"]), np.array(n)
    if other["kind"] == BALL:
        gap, n = distance(one, (-d[0], -d[1], -d[2]))
        return float(gap - other["radius"]), -np.array(n)
    deep, way = _overlap(one, other, d)
    if deep >= 0.0:
        return float(-deep - rounds), way
    best, sides = (math.inf, way), (_corners(one), _corners(other))
    for row, near, sign, corners in ((other, d, 1.0, sides[0]), (one, (-d[0], -d[1], -d[2]), -1.0, sides[1])):
        for corner in corners:
            gap, n = distance(row, (near[0] + corner[0], near[1] + corner[1], near[2] + corner[2]))
            gap += float(row["radius"])
            if gap < best[0]:
                best = gap, sign * np.array(n)
    if not _flat(one, other):
        gap, way = _of_edges(_edges(one), _edges(other), np.array(d)[:, None, None])
        if gap < best[0] * (1.0 - 1e-12):
            best = gap, way
    return float(best[0] - rounds), best[1]


def _flat(one: np.void, other: np.void) -> bool:
    """Whether both are bodies of a 2D world."""
    return any(row["half"][2] == ENDLESS for row in (one, other)) or not (
        one["half"][2] or other["half"][2] or any(float(row["axis0"][2]) for row in (one, other))
    )


def _overlap(one: np.void, other: np.void, d) -> tuple[float, np.ndarray]:
    """How deep two boxes are in one another, below 0: apart; and the way out, along a side or across two edges."""
    best, flat = (math.inf, np.zeros(3)), _flat(one, other)
    sides = [n for row in (one, other) for n in _normals(row)[: None if not flat else -1]]
    ways = list(sides)
    if not flat:
        for a in _ways_of_edges(one):
            for b in _ways_of_edges(other):
                c = (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])
                far = math.sqrt(dot(c, c))
                if far > 1e-9:
                    ways.append((c[0] / far, c[1] / far, c[2] / far))
    out = np.array(ways)
    out = np.where((_along(out, d) >= 0.0)[:, None], out, -out)
    if PRISM in (one["kind"], other["kind"]):
        out = np.stack([out, -out], axis=1).reshape(-1, 3)
    each, deeps = len(out) // len(ways), _supports(one, -out) + _supports(other, out) - _along(out, d)
    for k, deep in enumerate(deeps.tolist()):
        # Across two edges only if that is truly the shorter way out.
        if deep < (best[0] if k < each * len(sides) else best[0] - 1e-9 * (1.0 + abs(best[0]))):
            best = deep, out[k]
    return best


def _along(ways: np.ndarray, d) -> np.ndarray:
    """Scalar products of vectors (n, 3) with one (3,)."""
    return ways[:, 0] * float(d[0]) + ways[:, 1] * float(d[1]) + ways[:, 2] * float(d[2])


def _supports(row: np.void, ways: np.ndarray) -> np.ndarray:
    """How far the box or prism that a body rounds reaches from its centre along unit vectors (n, 3)."""
    half, prism = with_an_end(row["half"]).tolist(), row["kind"] == PRISM
    out = sum(half[k] * np.abs(_along(ways, row[f"axis{k}"])) for k in range(2 if prism else 0, 3))
    if prism:
        x, y = (_along(ways, row[f"axis{k}"])[:, None] for k in range(2))
        corners = row["corners"][: row["count"]]
        out = out + (corners[:, 0] * x + corners[:, 1] * y).max(axis=1)
    return out


def _normals(row: np.void) -> list[tuple[float, float, float]]:
    """Normals of the sides of the box or prism that a body rounds, one a pair of sides; the last along its axis2."""
    if row["kind"] != PRISM:
        return [vec(row[f"axis{k}"]) for k in range(3)]
    corners = row["corners"][: row["count"]]
    ways = np.roll(corners, -1, axis=0) - corners
    ways = ways / np.sqrt((ways * ways).sum(axis=1))[:, None]
    found = ways[:, 1:] * row["axis0"] - ways[:, :1] * row["axis1"]
    return [*map(tuple, found.tolist()), vec(row["axis2"])]


def _ways_of_edges(row: np.void) -> list[tuple[float, float, float]]:
    """Directions of the edges of the box or prism that a body rounds."""
    if row["kind"] != PRISM:
        return [vec(row[f"axis{k}"]) for k in range(3)]
    corners = row["corners"][: row["count"]]
    ways = np.roll(corners, -1, axis=0) - corners
    found = ways[:, :1] * row["axis0"] + ways[:, 1:] * row["axis1"]
    return [*map(tuple, found.tolist()), vec(row["axis2"])]


def _corners(row: np.void) -> np.ndarray:
    """Corners of the box or prism that a body rounds, from its centre, (n, 3)."""
    half, out = with_an_end(row["half"]), [np.zeros(3)]
    if row["kind"] == PRISM:
        flat = row["corners"][: row["count"]]
        out = list(flat[:, :1] * row["axis0"] + flat[:, 1:] * row["axis1"])
    for k in range(2 if row["kind"] == PRISM else 0, 3):
        if half[k]:
            out = [p + sign * half[k] * row[f"axis{k}"] for p in out for sign in (-1.0, 1.0)]
    return np.array(out)


def _edges(row: np.void) -> np.ndarray:
    """Edges of the box or prism that a body rounds: start and way, (2, 3, n)."""
    half, out = with_an_end(row["half"]), []
    if row["kind"] == PRISM:
        flat = row["corners"][: row["count"]]
        ring = flat[:, :1] * row["axis0"] + flat[:, 1:] * row["axis1"]
        for end in {-half[2], half[2]}:
            start = ring + end * row["axis2"]
            out += list(zip(start, np.roll(start, -1, axis=0) - start, strict=True))
    for k in range(2 if row["kind"] == PRISM else 0, 3):
        if half[k]:
            bare = row.copy()
            bare["half"][k] = 0.0
            way = 2.0 * half[k] * row[f"axis{k}"]
            out += [(corner - 0.5 * way, way) for corner in _corners(bare)]
    return np.moveaxis(np.array(out), 0, -1)


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


def with_an_end(half) -> np.ndarray:
    """Half extents with 0 for those that have no end."""
    return np.where(np.isfinite(half), half, 0.0)


def gap(row: np.void, points) -> np.ndarray:
    """Signed distance of a body record (as it stands at ``c``) at ``points`` (..., 3), shape (...)."""
    points = np.asarray(points, dtype=float)
    if points.ndim == 1:
        (x, y, z), (a, b, c) = points.tolist(), row["c"].tolist()
        return np.float64(distance(row, (x - a, y - b, z - c))[0])
    flat = points.reshape(-1, 3) - row["c"]
    found = [distance(row, (float(d[0]), float(d[1]), float(d[2])))[0] for d in flat]
    return np.array(found, dtype=float).reshape(points.shape[:-1])
