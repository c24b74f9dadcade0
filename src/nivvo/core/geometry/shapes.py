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
from nivvo.core.numbers.vec import dot, vec

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


def plain(row: np.void) -> dict:
    """What ``distance`` asks of a body record, as plain numbers: not compiled it is then twice as quick."""
    told = {name: row[name].item() for name in ("kind", "radius")}
    told |= {name: tuple(row[name].tolist()) for name in ("axis0", "axis1", "axis2", "half")}
    return told | {"count": row["count"].item(), "corners": row["corners"]}


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
    radius = float(row["radius"])
    if row["kind"] == BALL:
        return radius
    a, b, c = (0.0 if size == ENDLESS else size for size in row["half"].tolist())
    x, y, z = (dot(row[axis].tolist(), n) for axis in ("axis0", "axis1", "axis2"))
    if row["kind"] == PRISM:
        along = row["corners"][: row["count"], 0] * x + row["corners"][: row["count"], 1] * y
        return float(along.max()) + c * abs(z) + radius
    return float(a * abs(x) + b * abs(y) + c * abs(z) + radius)


def reach_of(row: np.void) -> float:
    """Radius of a ball about a body record's place that holds it, however it is turned; inf if endless."""
    if row["kind"] == HALF_SPACE:
        return math.inf
    half = with_an_end(row["half"])
    if row["kind"] == PRISM:
        corners = row["corners"][: row["count"]]
        far = float((corners * corners).sum(axis=1).max() + half[2] * half[2])
    else:
        far = float((half * half).sum())
    return math.sqrt(far) + float(row["radius"]) + math.sqrt(float((row["arm"] * row["arm"]).sum()))


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
