"""Roots of the quadratics that motion under constant acceleration leads to."""

from __future__ import annotations

import math

from nivvo.core._jit import inner


@inner
def first_fall(gap, speed, half_pull):
    """First s > 0 at which gap + speed s + half_pull s² falls to 0, for gap >= 0; -1 if it never does."""
    square = speed * speed - 4.0 * half_pull * gap
    if square < 0.0:
        return -1.0
    if speed < 0.0:
        return 2.0 * gap / (math.sqrt(square) - speed)
    if half_pull < 0.0:
        return (speed + math.sqrt(square)) / (-2.0 * half_pull)
    return -1.0
