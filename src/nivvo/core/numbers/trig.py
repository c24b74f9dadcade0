"""Sine and cosine from + - * only, for the tick: equal on every machine, compiled or not."""

from __future__ import annotations

import math

import numpy as np

from nivvo.core._jit import cold, inner
from nivvo.core.numbers.vec import along, dot, sub

# Minimax coefficients on [-pi/4, pi/4] (the C mathematics library's k_sin and k_cos, Sun 1993).
SIN = (
    -1.66666666666666324348e-01,
    8.33333333332248946124e-03,
    -1.98412698298579493134e-04,
    2.75573137070700676789e-06,
    -2.50507602534068634195e-08,
    1.58969099521155010221e-10,
)
COS = (
    4.16666666666666019037e-02,
    -1.38888888888741095749e-03,
    2.48015872894767294178e-05,
    -2.75573143513906633035e-07,
    2.08757232129817482790e-09,
    -1.13596475577881948265e-11,
)
QUARTER = 0.5 * math.pi
QUARTER_REST = 6.123233995736766e-17


@inner
def sine(x):
    """Sine of ``x`` (rad), for |x| up to some 1e9."""
    turns = math.floor(x / QUARTER + 0.5)
    r = (x - turns * QUARTER) - turns * QUARTER_REST
    z = r * r
    quarter = int(turns) & 3
    total = 0.0
    for k in range(6):
        total = total * z + (SIN[5 - k] if quarter & 1 == 0 else COS[5 - k])
    value = r + r * z * total if quarter & 1 == 0 else 1.0 - 0.5 * z + z * z * total
    return value if quarter < 2 else -value


@inner
def sine_and_cosine(x):
    """Both of ``x`` (rad), for |x| up to some 1e9: for less than the two alone."""
    turns = math.floor(x / QUARTER + 0.5)
    r = (x - turns * QUARTER) - turns * QUARTER_REST
    z = r * r
    odd, even = 0.0, 0.0
    for k in range(6):
        odd, even = odd * z + SIN[5 - k], even * z + COS[5 - k]
    s, c, quarter = r + r * z * odd, 1.0 - 0.5 * z + z * z * even, int(turns) & 3
    if quarter & 1 != 0:
        s, c = c, -s
    return (s, c) if quarter < 2 else (-s, -c)


def sines_and_cosines(x: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """``sine_and_cosine`` of many angles (n,), to the last bit."""
    turns = np.floor(x / QUARTER + 0.5)
    r = (x - turns * QUARTER) - turns * QUARTER_REST
    z, odd, even, quarter = r * r, 0.0, 0.0, turns.astype(np.int64) & 3
    for k in range(6):
        odd, even = odd * z + SIN[5 - k], even * z + COS[5 - k]
    s, c = r + r * z * odd, 1.0 - 0.5 * z + z * z * even
    s, c = np.where(quarter & 1, c, s), np.where(quarter & 1, -s, c)
    return np.where(quarter < 2, s, -s), np.where(quarter < 2, c, -c)


@cold
def angle_between(a, b):
    """The angle (rad, from 0 to pi) between two unit vectors, by halving: half of it has a known sine, or cosine.

    By its own cosine an angle near to 0 or pi is known to half of the digits only.
    """
    apart, across = sub(a, b), along(a, b, 1.0)
    s, c = 0.5 * math.sqrt(dot(apart, apart)), 0.5 * math.sqrt(dot(across, across))
    low, high, least = 0.0, 0.5 * QUARTER, min(s, c)
    for _ in range(60):
        x = 0.5 * (low + high)
        if sine(x) < least:
            low = x
        else:
            high = x
    return low + high if s <= c else math.pi - (low + high)


@inner
def cosine(x):
    """Cosine of ``x`` (rad)."""
    return sine(x + QUARTER)
