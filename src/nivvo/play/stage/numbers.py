"""Numbers that depend, settled at a launch."""

from __future__ import annotations

from fractions import Fraction
from typing import NamedTuple

from nivvo.core.clock import UNITS, to_seconds
from nivvo.core.spread import draw
from nivvo.spec.values import Depends


class Moment(NamedTuple):
    """What numbers are settled by at a launch: the shot's number, how long it was held, whose draws it has.

    held : counts of the clock. full : the hold at which a charge is full (s), or None.
    """

    shot: int = 0
    held: int = 0
    full: float | None = None
    seed: int = 0
    name: str = ""


AT_FIRST = Moment()
"""The first shot, after a tap."""


def resolve(value: float | Depends, moment: Moment, key: str) -> float:
    """The number that a value is at a moment; ``key`` names its draws."""
    if not isinstance(value, Depends):
        return float(value)
    if value.by == "random":
        return value.drawn(*(draw(moment.seed, f"{moment.name}.{key}", moment.shot, which) for which in range(2)))
    if value.by == "held":
        if value.step is not None:
            # In whole numbers, and every as it is written in decimal: no step comes late by rounding.
            return value.at(0.0, int(Fraction(moment.held, UNITS) // Fraction(repr(value.every))))
        if value.end is not None and value.over is None and moment.full is None:
            return float(value.start)
        if value.end is not None and value.over is None:
            value = value.model_copy(update={"over": moment.full})
        return value.at(to_seconds(moment.held))
    return value.at(moment.shot) if value.by == "shot" else value.at(0.0)
