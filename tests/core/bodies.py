"""Random bodies for the tests of the core, and slow, obvious distances to them in many digits."""

import mpmath
import numpy as np

from nivvo.core import pool
from nivvo.core.shapes import BALL, BOX, CAPSULE, ENDLESS, HALF_SPACE

NAMES = {BALL: "ball", CAPSULE: "capsule", BOX: "box", HALF_SPACE: "half-space", 9: "wall"}


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
    if flat and kind in (BOX, 9):
        row["half"][2] = ENDLESS
    row["c0"] = row["c"] = centre
    row["v0"], row["health"] = velocity, np.inf
    row["v"] = velocity
    return row


def exact_distance(row, d):
    """Signed distance of a body at a point relative to its centre, in mpmath's digits."""
    axes = [[mpmath.mpf(float(x)) for x in row[f"axis{k}"]] for k in range(3)]
    if row["kind"] == HALF_SPACE:
        return mpmath.fdot(axes[0], d)
    local = [mpmath.fdot(axis, d) for axis in axes]
    half = [mpmath.mpf(float(h)) for h in row["half"]]
    over = [abs(x) - h for x, h in zip(local, half, strict=True)]
    outside = mpmath.sqrt(sum(max(o, mpmath.mpf(0)) ** 2 for o in over))
    inside = min(max(over), mpmath.mpf(0))
    return outside + inside - mpmath.mpf(float(row["radius"]))
