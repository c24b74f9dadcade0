"""Random bodies for the tests of the core, and slow, obvious distances to them in many digits."""

from functools import lru_cache

import mpmath
import numpy as np

from nivvo.core import pool
from nivvo.core.geometry.shapes import BALL, BOX, CAPSULE, ENDLESS, HALF_SPACE, PRISM

NAMES = {BALL: "ball", CAPSULE: "capsule", BOX: "box", HALF_SPACE: "half-space", PRISM: "prism", 9: "wall"}


def random_axes(rng, flat=False):
    """A random rotation; about z only if flat."""
    if flat:
        c, s = np.cos(turn := rng.uniform(0, 2 * np.pi)), np.sin(turn)
        return np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]])
    q, r = np.linalg.qr(rng.normal(size=(3, 3)))
    return q * np.sign(np.diag(r))


def body(kind, rng, centre=(0, 0, 0), flat=False, velocity=(0, 0, 0)):
    """One body record of a kind, of size about 1; kind 9 is a thin wall."""
    row = pool.zeros(1, pool.BODY)[0]
    row["kind"] = BOX if kind == 9 else kind
    row["axis0"], row["axis1"], row["axis2"] = random_axes(rng, flat)
    if kind == BALL:
        row["radius"] = rng.uniform(0.2, 1.0)
    elif kind == CAPSULE:
        row["radius"], row["half"] = rng.uniform(0.1, 0.5), [rng.uniform(0.2, 1.0), 0, 0]
    elif kind == BOX:
        row["half"] = rng.uniform(0.2, 1.0, 3)
    elif kind == 9:
        row["half"] = [rng.uniform(0.5, 2.0), rng.choice([0.0, 1e-6, 0.01]), rng.uniform(0.5, 2.0)]
    elif kind == PRISM:
        # Some points on a circle that is pressed flat: each is a corner of what they span.
        turns = np.sort(rng.choice(24, size=rng.integers(3, 13), replace=False)) * (np.pi / 12) + rng.uniform(0, 1)
        corners = np.column_stack([np.cos(turns), rng.uniform(0.2, 1.0) * np.sin(turns)]) * rng.uniform(0.4, 1.2)
        corners -= 0.5 * (corners.min(axis=0) + corners.max(axis=0))
        row["corners"][: len(corners)], row["count"] = corners, len(corners)
        row["half"] = [*corners.max(axis=0), rng.uniform(0.2, 1.0)]
    if flat and kind in (BOX, PRISM, 9):
        row["half"][2] = ENDLESS
    row["c0"] = row["c"] = centre
    row["v0"], row["health"] = velocity, np.inf
    row["v"] = velocity
    return row


def exact_distance(row, d):
    """Signed distance of a body at a point relative to its centre, in mpmath's digits."""
    kind, axes, half, radius, sides = _digits(row.tobytes(), mpmath.mp.dps)
    if kind == HALF_SPACE:
        return mpmath.fdot(axes[0], d)
    local = [mpmath.fdot(axis, d) for axis in axes]
    if kind == PRISM:
        return exact_prism(sides, local, half[2])
    over = [abs(x) - h for x, h in zip(local, half, strict=True)]
    outside = mpmath.sqrt(sum(o * o for o in over if o > 0))
    return outside + min(max(over), mpmath.mpf(0)) - radius


@lru_cache(64)
def _digits(row, _):
    """What a body's record says, in mpmath's digits: kind, axes, half, radius, and of a prism its sides."""
    row = np.frombuffer(row, dtype=pool.BODY)[0]
    axes = [[mpmath.mpf(float(x)) for x in row[f"axis{k}"]] for k in range(3)]
    half = [mpmath.mpf(float(h)) for h in row["half"]]
    corners = [[mpmath.mpf(float(c)) for c in corner] for corner in row["corners"][: row["count"]]]
    sides = []
    for k, (px, py) in enumerate(corners):
        sx, sy = corners[(k + 1) % len(corners)][0] - px, corners[(k + 1) % len(corners)][1] - py
        sides.append((px, py, sx, sy, mpmath.sqrt(sx * sx + sy * sy)))
    return int(row["kind"]), axes, half, mpmath.mpf(float(row["radius"])), sides


def exact_prism(corners, local, half):
    """Signed distance of a prism at a point in its own axes: by all its sides, and by all points of its edges."""
    x, y, z = local
    sides, far = [], []
    for px, py, sx, sy, size in corners:
        fx, fy = x - px, y - py
        sides.append((sy * fx - sx * fy) / size)
        share = min(max((sx * fx + sy * fy) / (size * size), mpmath.mpf(0)), mpmath.mpf(1))
        fx, fy = fx - share * sx, fy - share * sy
        far.append(mpmath.sqrt(fx * fx + fy * fy))
    across, over = max(sides), abs(z) - half
    if across > 0:
        across = min(far)
    if across <= 0 and over <= 0:
        return max(across, over)
    return mpmath.sqrt(max(across, mpmath.mpf(0)) ** 2 + max(over, mpmath.mpf(0)) ** 2)
