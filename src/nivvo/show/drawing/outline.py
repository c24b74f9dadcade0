"""Outlines of bodies on a flat view: polygons in the plane of the picture."""

from __future__ import annotations

import numpy as np

from nivvo.core.geometry.shapes import BALL, BOX, CAPSULE, PRISM, with_an_end

_ROUND = 96


def flat(points, across: np.ndarray, upward: np.ndarray) -> np.ndarray:
    """Points (..., 3) as (..., 2) on the picture whose axes are two unit vectors."""
    points = np.asarray(points, dtype=float)
    return np.stack([points @ across, points @ upward], axis=-1)


def outline(row: np.void, centre: np.ndarray, across: np.ndarray, upward: np.ndarray) -> np.ndarray:
    """The outline (n, 2) of a ball, capsule, box or prism record whose centre is at ``centre``."""
    middle = flat(centre + row["arm"], across, upward)
    if row["kind"] == BALL:
        return middle + _circle(float(row["radius"]))
    half = with_an_end(row["half"])
    axes = flat(np.stack([row["axis0"], row["axis1"], row["axis2"]]), across, upward)
    signs = np.array([[i, j, k] for i in (-1, 1) for j in (-1, 1) for k in (-1, 1)])
    if row["kind"] == PRISM:
        ring = row["corners"][: row["count"]]
        ends = np.stack([np.full(len(ring), end) for end in (-half[2], half[2])], axis=0)
        places = np.concatenate([np.column_stack([ring, end]) for end in ends])
        return hull(middle + places @ axes)
    corners = middle + (signs * half) @ axes
    if row["kind"] == CAPSULE:
        corners = (corners[:, None] + _circle(float(row["radius"]))[None]).reshape(-1, 2)
    assert row["kind"] in (CAPSULE, BOX)
    return hull(corners)


def _circle(radius: float) -> np.ndarray:
    turn = np.linspace(0.0, 2.0 * np.pi, _ROUND, endpoint=False)
    return radius * np.stack([np.cos(turn), np.sin(turn)], axis=1)


def hull(points: np.ndarray) -> np.ndarray:
    """Convex hull (k, 2) of points (n, 2), in turn (Andrew's monotone chain, 1979)."""
    order = sorted({(float(x), float(y)) for x, y in np.round(points, 12)})
    if len(order) < 3:
        return np.array(order)

    def half(sequence) -> list[tuple[float, float]]:
        chain: list[tuple[float, float]] = []
        for p in sequence:
            while len(chain) > 1 and _turn(chain[-2], chain[-1], p) <= 0.0:
                chain.pop()
            chain.append(p)
        return chain[:-1]

    return np.array(half(order) + half(reversed(order)))


def _turn(o, a, b) -> float:
    return (a[0] - o[0]) * (b[1] - o[1]) - (a[1] - o[1]) * (b[0] - o[0])


def half_plane(normal: np.ndarray, point: np.ndarray, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """The part (n, 2) of the picture low..high behind a line with outward ``normal``; empty if there is none."""
    corners = [
        np.array([low[0], low[1]]),
        np.array([high[0], low[1]]),
        np.array([high[0], high[1]]),
        np.array([low[0], high[1]]),
    ]
    depth = [float((corner - point) @ normal) for corner in corners]
    inside: list[np.ndarray] = []
    for k in range(4):
        a, b, da, db = corners[k], corners[(k + 1) % 4], depth[k], depth[(k + 1) % 4]
        if da <= 0.0:
            inside.append(a)
        if (da <= 0.0) != (db <= 0.0):
            inside.append(a + (b - a) * (da / (da - db)))
    return np.array(inside).reshape(-1, 2)
