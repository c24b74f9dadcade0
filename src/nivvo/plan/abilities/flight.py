"""What acts on an ability's projectiles, as a row of ``core.pool.PARAMS``."""

from __future__ import annotations

import math
from typing import Any, NamedTuple, Protocol

import numpy as np

from nivvo.core import pool
from nivvo.core.flying.forces import acting
from nivvo.core.launching.spread import draw
from nivvo.core.numbers import clock
from nivvo.core.numbers.frame import Frame, sincos
from nivvo.plan.abilities.numbers import counted
from nivvo.spec.abilities import flight as written

FAR = 1000.0
"""Metres that a sight sees, how far away a far point is, and how far an instant shot reaches by itself."""

INSTANT = 1e-6
"""Seconds in which an instant shot is through its reach."""


class Flight(NamedTuple):
    """What acts in the air: a row of ``core.pool.PARAMS``, as ``core.forces.acting`` gives.

    instant : whether it has no travel time. sways, orbits : whether it needs to know its sides.
    """

    acts: np.ndarray
    instant: bool = False

    @property
    def a(self) -> np.ndarray:
        """The constant part of the acceleration (3,)."""
        return self.acts["a"][0]

    @property
    def shifts(self) -> int:
        """0, or a code: ``pool.SWAYS`` or ``pool.ORBITS``."""
        return int(self.acts["shifts"][0])

    @property
    def homes(self) -> bool:
        """Whether it steers toward a body that it finds."""
        return bool(self.acts["law"][0]) and int(self.acts["toward"][0]) == pool.TO_TARGET

    @property
    def returns(self) -> bool:
        """Whether it steers back to its shooter."""
        return bool(self.acts["law"][0]) and int(self.acts["toward"][0]) == pool.TO_OWNER


class Points(Protocol):
    """Which way a projectile points: what it follows, how fast that turns (rad/s) and about what."""

    follows: str

    def turning(self, frame: Frame) -> tuple[float, np.ndarray, bool]: ...


class Air(Protocol):
    """What a flight is planned in: the frame, the tick rate, gravity and wind (units/s²; units/s), groups by name."""

    frame: Frame
    rate: float
    exact: bool
    gravity: np.ndarray
    wind: np.ndarray
    gusts: tuple[float, float]
    zones: list[np.ndarray]
    seed: int
    groups: list[str]


def flight_of(model: written.Flight, on: Air, heading: Points) -> Flight:
    """The plan of a flight. In exact step a factor a tick is the linear drag that does as much."""
    if model.instant:
        return Flight(acting(np.zeros(3)), instant=True)
    drag, a = model.drag, on.gravity * model.gravity_share
    if model.push is not None:
        a = a + on.frame.lift(model.push)
    given: dict[str, Any] = {"linear": drag.linear, "square": drag.square, "factor": drag.per_tick}
    given["spin"] = heading.turning(on.frame)
    if on.exact and drag.per_tick < 1.0:
        given |= {"linear": drag.linear - math.log(drag.per_tick) * on.rate, "factor": 1.0}
    if (on.wind.any() or on.zones) and model.wind_share > 0.0 and (drag.linear or drag.square):
        phases = [2.0 * math.pi * draw(on.seed, "wind", k, 0) for k in range(3)]
        given |= {"wind": on.wind * model.wind_share, "gusts": (on.gusts[0], on.gusts[1], phases)}
        given["zones"] = [np.concatenate([one[:15], one[15:18] * model.wind_share, one[18:]]) for one in on.zones]
    if model.thrust is not None:
        burns = _span(model.thrust, on.rate)
        along = heading.follows if model.thrust.along == "heading" else model.thrust.along
        given["thrust"] = (model.thrust.acceleration, *burns, pool.THRUSTS[along])
    if model.top_speed is not None:
        # A game cuts it once a tick; in exact step it is braked down to it.
        kind = pool.TOPS[model.at_top]
        given["top"] = (model.top_speed, pool.BRAKES if on.exact and kind == pool.CUTS else kind)
    given["lowest"] = model.lowest_speed or 0.0
    if model.homing is not None:
        given["homing"] = _steering(model.homing, on)
    if model.sway is not None:
        given["sway"] = _swaying(model.sway, on.rate)
    if model.orbit is not None:
        given["orbit"] = _orbiting(model.orbit, on.rate)
    acts = acting(a, **given)
    if model.homing is not None and model.homing.toward == "target":
        for field, value in _seeking(model.homing, on).items():
            acts[field] = value
    return Flight(acts)


def _span(model: Any, rate: float) -> tuple[float, float]:
    """From and until when (s since the launch) something acts."""
    begins = model.after.seconds(rate)
    return begins, math.inf if model.lasts is None else begins + model.lasts.seconds(rate)


def _steering(model: written.Homing, on: Air) -> tuple:
    toward = pool.TO_OWNER if model.toward == "shooter" else pool.TO_TARGET
    gain = written.GAINS[model.law] if model.gain is None else model.gain
    turn = 180.0 if model.turn_rate is None else model.turn_rate
    side = math.inf if model.sideways is None else model.sideways
    return pool.LAWS[model.law], toward, gain, math.radians(turn), side, *_span(model, on.rate)


def _seeking(model: written.Homing, on: Air) -> dict[str, Any]:
    """How it finds and keeps whom it follows: the fields that ``core.seekers`` tells of."""
    return {
        "within": np.inf if model.within is None else model.within,
        "cone": sincos(model.cone / 2.0)[1],
        "keeps_cone": -2.0 if model.keeps_cone == 360.0 else sincos(model.keeps_cone / 2.0)[1],
        "looks": counted(model.after, on.rate),
        "every": max(counted(model.looks_every, on.rate), 1),
        "choice": pool.CHOICES[model.choice],
        "group": -1 if model.group is None else on.groups.index(model.group),
        "only": 0 if model.body is None else on.number[model.body] + 1,
        "sighted": model.in_sight,
        "loses": pool.LOSES[model.when_lost],
    }


def _swaying(model: written.Sway, rate: float) -> tuple[float, float, float, float]:
    grows = 0.5 * model.period if model.grows_over is None else model.grows_over.seconds(rate)
    return model.across, model.up, 2.0 * math.pi / model.period, grows


def _orbiting(model: written.Orbit, rate: float) -> tuple[float, float, float, int]:
    lasts = clock.LONGEST // 4 if model.lasts == "forever" else counted(model.lasts, rate)
    return model.radius, math.radians(model.turn_rate), model.grows_over.seconds(rate), lasts
