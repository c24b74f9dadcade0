"""What turns on a stage: in how many steps it is looked at by those about it, and how it comes to what has a mass."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from nivvo.core.bodies.pushing import Loose, Other
from nivvo.core.bodies.sweeping import pushes_at, steps_for
from nivvo.core.geometry.hulls import between
from nivvo.core.geometry.shapes import HALF_SPACE
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import length_of

if TYPE_CHECKING:
    from nivvo.play.stage.stage import Stage

MORE = 1e-6
"""Of the scene's size, by which more is looked at."""


def steps_of(stage: Stage, shapes, place, reach: float, goes: float, time: int, end: int) -> int:
    """In how many steps what is at a place (3,), with a reach, goes to a time: more where what turns may come to it.

    0 where nothing that turns may by then. shapes : its rows and their places (3,). goes : units/s, how fast at most.
    """
    seconds, most, comes = (end - time) / UNITS, 0.0, False
    for k in stage.nearing([place], [reach], time, end) if stage.turning else ():
        if k not in stage.turning:
            continue
        middle, far = stage.middle(k, time), stage.reach(k)
        if stage.out(k) or math.dist(place, middle.tolist()) > reach + far:
            continue
        most, row = max(most, abs(float(stage.rows[k]["turns"])) * far), stage.row(k, time)
        sweep = abs(stage.turned_by(k, time, end)) * far + (goes + length_of(stage.motions[k].at(time)[1])) * seconds
        comes = comes or any(between(own, there, row, middle)[0] <= sweep for own, there in shapes)
    return steps_for(most * seconds, stage.scene.metre) if comes else 0


def sweeper(stage: Stage, number: int, one: Loose, time: int, end: int) -> Other | None:
    """A body that turns as it comes to another from a time to the next (clock); None where it is too far away."""
    seconds, angle, reach = (end - time) / UNITS, stage.turned_by(number, time, end), stage.reach(number)
    row, middle = stage.row(number, time), stage.middle(number, time)
    here, goes = tuple(middle.tolist()), tuple(((stage.middle(number, end) - middle) / seconds).tolist())
    if row["kind"] == HALF_SPACE or math.dist(one.p, here) > one.reach + reach + abs(angle) * reach:
        return None
    velocity = pushes_at(one, row, here, goes, angle, seconds, stage.scene.metre)
    return Other(number, row, here, velocity, reach, only=one.number)
