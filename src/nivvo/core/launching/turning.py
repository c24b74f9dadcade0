"""What turns no faster than it can: a heading on its way to another."""

from __future__ import annotations

import math

import numpy as np

from nivvo.core.numbers.frame import Frame

OPPOSITE = 1e-9
"""So near to half a turn (degrees) both ways are as short."""


def toward(frame: Frame, heading: np.ndarray, wanted: np.ndarray, most: float, base: float | None = None) -> np.ndarray:
    """The unit vector (3,) that ``heading`` comes to which turns toward ``wanted`` by at most ``most`` degrees.

    In side view and a flat top view one angle turns; elsewhere direction and elevation do, each by so much. It goes the
    shorter way, exactly opposite over the top in side view, elsewhere toward greater angles; but never past straight
    back of ``base`` (direction in degrees), where one is given.
    """
    here, there = float(frame.direction_of(heading)), float(frame.direction_of(wanted))
    way = wrapped(there - here) if base is None else wrapped(there - base) - wrapped(here - base)
    if base is None and abs(abs(way) - 180.0) <= OPPOSITE:
        over = frame.view == "side" and float(frame.height(frame.direction(here + 90.0))) < 0.0
        way = -180.0 if over else 180.0
    if frame.view == "side" or not frame.vertical:
        return wanted if abs(way) <= most else frame.direction(here + math.copysign(most, way))
    if not frame.level(heading).any():
        # Straight up or down it has no direction: it takes that to which it goes.
        here, way = there, 0.0
    elif not frame.level(wanted).any():
        way = 0.0
    low, high = float(frame.elevation(heading)), float(frame.elevation(wanted))
    if abs(way) <= most and abs(high - low) <= most:
        return wanted
    turned = here + math.copysign(min(abs(way), most), way)
    return frame.raised(frame.direction(turned), low + math.copysign(min(abs(high - low), most), high - low))


def wrapped(degrees: float) -> float:
    """An angle in degrees, (-180, 180]."""
    return 180.0 - (180.0 - degrees) % 360.0
