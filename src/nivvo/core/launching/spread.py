"""Spread: the headings of several projectiles of one shot, fanned or drawn at random.

Random numbers are hashed from what they belong to (seed, names, shot, projectile), never drawn from a
running source: a shot added elsewhere changes nothing. Offsets turn from the heading toward the right
and up of its own frame, so mirrored shots have mirrored spreads.
"""

from __future__ import annotations

import math

import numpy as np

from nivvo.core.numbers.frame import Frame, sincos

_MASK = (1 << 64) - 1


def draw(seed: int, name: str, *numbers: int) -> float:
    """A number in [0, 1) that belongs to a seed, a name and whole numbers (FNV-1a, then SplitMix64's finish)."""
    state = 0xCBF29CE484222325
    for byte in f"{seed}/{name}/{'/'.join(map(str, numbers))}".encode():
        state = ((state ^ byte) * 0x100000001B3) & _MASK
    for shift, factor in ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB)):
        state = ((state ^ (state >> shift)) * factor) & _MASK
    return ((state ^ (state >> 31)) >> 11) / (1 << 53)


def fan(frame: Frame, heading, facing, count: int, degrees: float, roll: float = 0.0) -> np.ndarray:
    """``count`` unit headings (count, 3) evenly over ``degrees``, ends included: up in side view, else to the right.

    All around, where the ends are one, evenly from the heading on. roll : in 3D, degrees by which its plane is turned
    from level toward up.
    """
    steps = np.linspace(-0.5, 0.5, count) if count > 1 else np.zeros(1)
    # The same to the bit on both sides of the middle.
    steps = 0.5 * (steps - steps[::-1]) if degrees < 360.0 else np.arange((2 - count) // 2, count // 2 + 1) / count
    return _turned(frame, heading, facing, steps * degrees, roll if frame.view != "side" else 90.0)


def ring(frame: Frame, heading, facing, count: int, degrees: float) -> np.ndarray:
    """``count`` unit headings (count, 3) evenly around a cone of full angle ``degrees``; in 2D a fan."""
    if frame.size == 2:
        return fan(frame, heading, facing, count, degrees)
    around = 360.0 * np.arange(count) / count
    return _turned(frame, heading, facing, np.full(count, 0.5 * degrees), around)


def cone(frame: Frame, heading, facing, degrees: float, u, v) -> np.ndarray:
    """Unit headings (n, 3) in a cone of full angle ``degrees``: uniform in solid angle, in 2D uniform in angle.

    u, v : (n,) numbers in [0, 1).
    """
    u, v = np.asarray(u, dtype=float), np.asarray(v, dtype=float)
    if frame.size == 2:
        return _turned(frame, heading, facing, (u - 0.5) * degrees, 90.0 if frame.view == "side" else 0.0)
    least = sincos(0.5 * degrees)[1]
    c = 1.0 - u * (1.0 - least)
    return _tilted(frame, heading, facing, np.sqrt(np.maximum(1.0 - c * c, 0.0)), c, 360.0 * v)


def scatter(frame: Frame, heading, facing, degrees: float, u, v) -> np.ndarray:
    """Unit headings (n, 3) spread normally, ``degrees`` the standard deviation along each axis across the heading."""
    u, v = np.asarray(u, dtype=float), np.asarray(v, dtype=float)
    far = np.array([math.sqrt(-2.0 * math.log(1.0 - x)) for x in u.ravel()]).reshape(u.shape) * degrees
    if frame.size == 2:
        return _turned(frame, heading, facing, far * sincos(360.0 * v)[1], 90.0 if frame.view == "side" else 0.0)
    return _turned(frame, heading, facing, far, 360.0 * v)


def _turned(frame: Frame, heading, facing, degrees, around) -> np.ndarray:
    s, c = sincos(degrees)
    return _tilted(frame, heading, facing, s, c, np.broadcast_to(np.asarray(around, dtype=float), np.shape(degrees)))


def _tilted(frame: Frame, heading, facing, s, c, around) -> np.ndarray:
    """Headings at an angle (sine, cosine) from ``heading``, toward right turned ``around`` degrees toward up."""
    forward, right, up = frame.triad(heading, facing)
    sin, cos = sincos(around)
    return c[..., None] * forward + s[..., None] * (cos[..., None] * right + sin[..., None] * up)
