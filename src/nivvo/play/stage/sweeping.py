"""What turns on a stage: in how many steps it is looked at by those about it, and how it comes to what has a mass."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from nivvo.core.bodies.pushing import Loose, Other
from nivvo.core.bodies.sweeping import pushes_at, steps_for
from nivvo.core.geometry.hulls import between
from nivvo.core.geometry.shapes import HALF_SPACE
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import length_of
from nivvo.core.numbers.vec import along

if TYPE_CHECKING:
    from nivvo.play.stage.stage import Stage


def steps_about(stage: Stage, place, reach: float, time: int, end: int) -> int:
    """In how many steps what is at a place (3,), with a reach, goes to a time: more where a body turns about it."""
    most = 0.0
    for k in stage.turning:
        far = length_of(stage.centre(k, time) - place) - reach
        if not stage.out(k) and far < stage.reach(k):
            most = max(most, abs(float(stage.rows[k]["turns"])) * stage.reach(k))
    return steps_for(most * (end - time) / UNITS, stage.scene.metre)


def steps_of(stage: Stage, one: Loose, time: int, end: int) -> int:
    """The same for a body with a mass; 0 where nothing that turns may come to it by then."""
    goes, seconds = math.hypot(*one.v), (end - time) / UNITS
    for k in stage.turning:
        middle = stage.middle(k, time)
        if stage.out(k) or math.dist(one.p, middle.tolist()) > one.reach + stage.reach(k):
            continue
        row, sweep = stage.row(k, time), abs(stage.turned_by(k, time, end)) * stage.reach(k)
        far = (goes + length_of(stage.motions[k].at(time)[1])) * seconds + sweep
        places = ((shape.row, along(one.p, shape.arm, 1.0)) for shape in one.shapes)
        if any(between(own, place, row, middle)[0] <= far for own, place in places):
            return steps_about(stage, np.array(one.p), one.reach, time, end)
    return 0


def sweeper(stage: Stage, number: int, one: Loose, time: int, end: int) -> Other | None:
    """A body that turns as it comes to another from a time to the next (clock); None where it is too far away."""
    seconds, angle, reach = (end - time) / UNITS, stage.turned_by(number, time, end), stage.reach(number)
    row, middle = stage.row(number, time), stage.middle(number, time)
    here, goes = tuple(middle.tolist()), tuple(((stage.middle(number, end) - middle) / seconds).tolist())
    if row["kind"] == HALF_SPACE or math.dist(one.p, here) > one.reach + reach + abs(angle) * reach:
        return None
    velocity = pushes_at(one, row, here, goes, angle, seconds, stage.scene.metre)
    return Other(number, row, here, velocity, reach, only=one.number)
