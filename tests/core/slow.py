"""A slow, obvious model of a ball that flies among shapes: tiny steps, then halving. It shares no code with the engine.

Shapes are made anew from what a drill writes (ends, sizes, angles), not from the engine's records.
"""

import numpy as np

SAMPLES = 20_000


def turned(degrees):
    """First and second axis of something turned by an angle in the plane, each (3,)."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return np.array([c, s, 0.0]), np.array([-s, c, 0.0])


def segment(points, a, b):
    """Distance of points (n, 3) from the straight line between two."""
    ab = b - a
    share = np.clip(((points - a) @ ab) / max(ab @ ab, 1e-300), 0.0, 1.0)
    return np.linalg.norm(points - a - share[:, None] * ab, axis=1)


def boxed(points, middle, axes, half):
    """Distance of points (n, 3) from a solid box, 0 inside; axes (k, 3) and half (k,) of those that have an end."""
    local = (points - middle) @ np.array(axes).T
    return np.linalg.norm(np.maximum(np.abs(local) - half, 0.0), axis=1)


def polygonal(points, corners):
    """Distance of points (n, 2) from a convex polygon, by its sides; 0 inside."""
    sides = np.roll(corners, -1, axis=0) - corners
    off = [points - a for a in corners]
    inner = np.array([s[0] * d[:, 1] - s[1] * d[:, 0] for s, d in zip(sides, off, strict=True)])
    near = [np.linalg.norm(d - np.clip(d @ s / (s @ s), 0, 1)[:, None] * s, axis=1)
            for s, d in zip(sides, off, strict=True)]  # fmt: skip
    return np.where((inner >= 0).all(axis=0) | (inner <= 0).all(axis=0), 0.0, np.min(near, axis=0))


def first_touch(gap, until):
    """First time at which ``gap`` (of times (n,)) falls to 0, or None: samples, then sixty halvings; also grazes."""
    times = np.linspace(0.0, until, SAMPLES)
    gaps = gap(times)
    inside = np.flatnonzero(gaps <= 0.0)
    if not len(inside):
        return None
    k = int(inside[0])
    if k == 0:
        return 0.0
    low, high = times[k - 1], times[k]
    for _ in range(60):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if gap(np.array([middle]))[0] > 0.0 else (low, middle)
    return high
