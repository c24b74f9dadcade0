"""Numbers that depend, settled at a launch."""

from __future__ import annotations

from fractions import Fraction
from typing import NamedTuple

from nivvo.core.launching.spread import draw
from nivvo.core.numbers.clock import UNITS, from_seconds, to_seconds
from nivvo.core.numbers.curves import Curve
from nivvo.spec.scenes.values import Depends, Duration

LONGEST = 1e6
"""Seconds: what lasts longer lasts this long (eleven days)."""


class Moment(NamedTuple):
    """What numbers are settled by at a launch: the shot's number, how long it was held, whose draws it has.

    held : counts of the clock.
    """

    shot: int = 0
    held: int = 0
    seed: int = 0
    name: str = ""


AT_FIRST = Moment()
"""The first shot, after a tap."""


def counted(duration: Duration, rate: float) -> int:
    """A duration in counts of the clock, at ``rate`` ticks a second."""
    return from_seconds(min(duration.seconds(rate), LONGEST))


def curve_of(value: Depends, full: float | None) -> Curve:
    """The curve of a number that depends; ``full``: the hold (s) at which its charge is full."""
    given = {name: getattr(value, name) for name in Curve._fields}
    if value.points is not None:
        given["points"] = tuple((x, y) for x, y in value.points)
    if value.by == "held" and value.end is not None and value.over is None:
        given["over"] = full
    return Curve(**given)


def resolve(value: float | Curve, moment: Moment, key: str) -> float:
    """The number that a value is at a moment; ``key`` names its draws."""
    if not isinstance(value, Curve):
        return float(value)
    if value.by == "random":
        return value.drawn(*(draw(moment.seed, f"{moment.name}.{key}", moment.shot, which) for which in range(2)))
    if value.by == "held":
        if value.step is not None:
            # In whole numbers, and every as it is written in decimal: no step comes late by rounding.
            return value.at(0.0, int(Fraction(moment.held, UNITS) // Fraction(repr(value.every))))
        return value.at(to_seconds(moment.held))
    return value.at(moment.shot) if value.by == "shot" else value.at(0.0)
