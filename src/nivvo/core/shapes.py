"""Shapes of bodies: signed distance and outward normal at a point.

Ball, capsule and box are one family: a box of half extents ``half`` along three axes, rounded by
``radius`` (a ball has no extents, a capsule one, a box no radius). A wall is a box given by its two
ends and a thickness. A half-space is everything behind the plane through ``c`` with normal ``axis0``.
A new shape is one more branch of ``distance``, its code below, and a row of ``body`` in ``pool``.
"""

from __future__ import annotations

import math

import numpy as np

from nivvo.core._jit import inner
from nivvo.core.vec import dot, vec

BALL, CAPSULE, BOX, HALF_SPACE = 0, 1, 2, 3
KINDS = {"ball": BALL, "capsule": CAPSULE, "box": BOX, "half_space": HALF_SPACE}

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
    return rounded(b, d)


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
    if row["kind"] == HALF_SPACE:
        return np.full(3, np.inf)
    axes = np.stack([row["axis0"], row["axis1"], row["axis2"]])
    reach = np.abs(axes) * with_an_end(row["half"])[:, None]
    out = reach.sum(axis=0) + row["radius"]
    if row["half"][2] == ENDLESS:
        out[2] = np.inf
    return out


ROUNDS = 400
"""Projections to and fro between two bodies: each nears their closest points."""


def support(row: np.void, n) -> float:
    """How far a body record reaches from its centre along a unit vector (3,)."""
    half = with_an_end(row["half"])
    return float(sum(half[k] * abs(float(dot(row[f"axis{k}"].tolist(), n))) for k in range(3)) + row["radius"])


def between(one: np.void, at, other: np.void, there) -> tuple[float, np.ndarray]:
    """Gap between two bodies whose centres are ``at`` and ``there`` (3,), and the way (3,) from the other to the one.

    Below 0 where they overlap: how deep, of what is nearest. By projections to and fro on the boxes that are rounded
    (von Neumann, 1933), and out of the nearest side where those themselves overlap.
    """
    at, there = np.asarray(at, dtype=float), np.asarray(there, dtype=float)
    if other["kind"] == HALF_SPACE:
        n = other["axis0"]
        return float(dot(tuple(n.tolist()), tuple((at - there).tolist()))) - support(one, tuple(n.tolist())), n.copy()
    x = at
    for _ in range(ROUNDS):
        y = _within(other, there, x)
        nearer = _within(one, at, y)
        moved = float(np.abs(nearer - x).max())
        x = nearer
        if moved <= 1e-15 * (1.0 + float(np.abs(x).max())):
            break
    off = x - y
    far = math.sqrt(float(off @ off))
    rounds = float(one["radius"] + other["radius"])
    if far > 1e-12:
        return far - rounds, off / far
    best = None
    for row in (one, other):
        for k in range(3):
            n = row[f"axis{k}"]
            if row["half"][k] == ENDLESS:
                continue
            way = tuple((n if float(n @ (at - there)) >= 0.0 else -n).tolist())
            endless = any(
                each["half"][m] == ENDLESS and abs(float(each[f"axis{m}"] @ n)) > 1e-9
                for each in (one, other)
                for m in range(3)
            )
            deep = support(one, way) + support(other, way) - abs(float(n @ (at - there)))
            if not endless and (best is None or deep < best[0]):
                best = (deep, np.array(way))
    return -best[0], best[1]


def _within(row: np.void, centre, point) -> np.ndarray:
    """The point of the box that a body rounds which is nearest to another."""
    out = centre.copy()
    for k in range(3):
        axis, half = row[f"axis{k}"], float(row["half"][k])
        out = out + min(max(float(axis @ (point - centre)), -half), half) * axis
    return out


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
