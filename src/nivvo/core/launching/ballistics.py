"""Closed forms of flight under constant gravity, without drag. All broadcast.

Speed in units/s, elevation in degrees above the horizontal, gravity in units/s² downward, ``rise`` and
``run`` in units from the muzzle, times in s. Where something never happens the answer is nan.
Source: any textbook of mechanics; the envelope is the parabola of safety (Torricelli, 1644).
"""

from __future__ import annotations

import numpy as np

from nivvo.core.numbers.frame import sincos


def position(p, v, a, t) -> np.ndarray:
    """Points p + v t + a t²/2: p, v, a of shape (..., n), t of shape (...)."""
    t = np.asarray(t, dtype=float)[..., None]
    h = 0.5 * t * t
    return np.asarray(p, dtype=float) + np.asarray(v, dtype=float) * t + np.asarray(a, dtype=float) * h


def velocity(v, a, t) -> np.ndarray:
    """Velocities v + a t: v, a of shape (..., n), t of shape (...)."""
    t = np.asarray(t, dtype=float)[..., None]
    return np.asarray(v, dtype=float) + np.asarray(a, dtype=float) * t


def apex_time(speed, elevation, gravity):
    """Time until the highest point (s); 0 for a launch downward, nan without gravity."""
    up = np.maximum(np.asarray(speed, dtype=float) * sincos(elevation)[0], 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(np.asarray(gravity) > 0.0, up / gravity, np.nan)[()]


def apex_height(speed, elevation, gravity):
    """Height of the highest point above the muzzle (units)."""
    up = np.maximum(np.asarray(speed, dtype=float) * sincos(elevation)[0], 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(np.asarray(gravity) > 0.0, up * up / (2.0 * np.asarray(gravity, dtype=float)), np.nan)[()]


def time_of_flight(speed, elevation, gravity, rise=0.0):
    """Time until the path comes down to ``rise`` above the muzzle (s); nan if it is never that high.

    Without gravity, or for a fall from above: the one time at which it passes that height.
    """
    up = np.asarray(speed, dtype=float) * sincos(elevation)[0]
    gravity, rise = np.asarray(gravity, dtype=float), np.asarray(rise, dtype=float)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        root = np.sqrt(up * up - 2.0 * gravity * rise)
        falling = np.where(up >= 0.0, (up + root) / gravity, -2.0 * rise / (root - up))
        straight = rise / up
        t = np.where(gravity > 0.0, falling, straight)
    return np.where(t >= 0.0, t, np.nan)[()]


def range_to(speed, elevation, gravity, rise=0.0):
    """Horizontal distance at which the path comes down to ``rise`` above the muzzle (units), or nan."""
    return np.asarray(speed, dtype=float) * sincos(elevation)[1] * time_of_flight(speed, elevation, gravity, rise)


def height_at(speed, elevation, gravity, run):
    """Height above the muzzle at horizontal distance ``run`` (units); nan if it never gets there."""
    across = np.asarray(speed, dtype=float) * sincos(elevation)[1]
    with np.errstate(divide="ignore", invalid="ignore"):
        t = np.asarray(run, dtype=float) / across
    up = np.asarray(speed, dtype=float) * sincos(elevation)[0]
    height = up * t - 0.5 * np.asarray(gravity, dtype=float) * t * t
    return np.where(np.isfinite(t) & (t >= 0.0), height, np.nan)[()]


def envelope(speed, gravity, run):
    """Greatest height above the muzzle that any elevation reaches at distance ``run`` (units); inf without gravity."""
    speed, gravity, run = (np.asarray(x, dtype=float) for x in (speed, gravity, run))
    with np.errstate(divide="ignore", invalid="ignore"):
        height = speed * speed / (2.0 * gravity) - gravity * run * run / (2.0 * speed * speed)
    return np.where(gravity > 0.0, height, np.inf)[()]


def greatest_range(speed, gravity, rise=0.0):
    """Greatest horizontal distance at which ``rise`` is reached (units), or nan; inf without gravity."""
    speed, gravity, rise = (np.asarray(x, dtype=float) for x in (speed, gravity, rise))
    with np.errstate(divide="ignore", invalid="ignore"):
        reach = speed * np.sqrt(speed * speed - 2.0 * gravity * rise) / gravity
    return np.where(gravity > 0.0, reach, np.inf)[()]
