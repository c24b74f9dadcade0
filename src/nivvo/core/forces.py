"""What acts on a projectile in the air: each force is its fields in a row of ``pool.PARAMS`` and its function here.

The tick, and whoever solves a launch through the forces, ask ``acceleration`` of the same row. ``t`` is s since the
launch, ``p`` and ``v`` place and velocity; a force takes of them what it needs. A new force adds its fields to the
row, its function, its term in ``acceleration`` and in ``stiffness``, and its part of ``acting``.
"""

from __future__ import annotations

import math

import numpy as np

from nivvo.core import pool
from nivvo.core._jit import inner
from nivvo.core.vec import along, dot, vec


def acting(a, *, linear: float = 0.0, square: float = 0.0, factor: float = 1.0) -> np.ndarray:
    """A row of ``pool.PARAMS`` in which all that acts is set.

    a : constant acceleration (3,), units/s². linear (1/s), square (1/unit) : drag. factor : what velocity is
    multiplied by each tick of a game's own step.
    """
    row = pool.zeros(1, pool.PARAMS)
    row["a"], row["linear"], row["square"], row["factor"] = a, linear, square, factor
    row["bends"] = linear != 0.0 or square != 0.0
    return row


@inner
def acceleration(row, t, p, v):
    """The acceleration of a projectile, units/s²."""
    return drag(row, v, vec(row["a"]))


@inner
def stiffness(row, speed):
    """How much the acceleration changes with velocity, at most, up to a ``speed`` (1/s)."""
    return float(row["linear"]) + 2.0 * float(row["square"]) * speed


@inner
def drag(row, v, a):
    """An acceleration with drag in it: a - (linear + square |v|) v."""
    return along(a, v, -(float(row["linear"]) + float(row["square"]) * math.sqrt(dot(v, v))))
