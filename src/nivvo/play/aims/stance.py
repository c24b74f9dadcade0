"""A shooter at an instant, about to fire an ability: where its body, eye, pivot and muzzle are."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from nivvo.core.launching.muzzle import offset_to
from nivvo.core.numbers.frame import Frame, dot
from nivvo.plan.abilities.ability import Ability
from nivvo.play.stage.stage import Stage


class Stance(NamedTuple):
    """Vectors are (3,), world. ``offset``: forward, right, up of the muzzle; ``body``: triad of its axes.

    base : where the offset is measured from unless it turns with the aim: the place, or a carrier.
    lag : how far a carrier is from its place on the body (units).
    """

    frame: Frame
    shooter: str
    muzzle: str
    place: np.ndarray
    velocity: np.ndarray
    pivot: np.ndarray
    base: np.ndarray
    offset: tuple[float, float, float]
    body: tuple[np.ndarray, np.ndarray, np.ndarray]
    facing: np.ndarray
    follows_aim: bool
    lag: float = 0.0

    @property
    def origin(self) -> np.ndarray:
        """The point that the muzzle's offset is measured from."""
        return self.pivot if self.follows_aim else self.base

    def muzzle_at(self, heading) -> np.ndarray:
        """Where the muzzle is when the shot heads along a unit vector."""
        if not self.follows_aim:
            return self.base + offset_to(self.body, self.offset)
        return self.pivot + offset_to(self.frame.triad(heading, self.facing), self.offset)


def stance_of(stage: Stage, ability: Ability, shooter: str, time: int, muzzle_name: str | None = None) -> Stance:
    """The stance of a shooter at ``time`` (on the clock) for an ability, by its first muzzle unless one is named."""
    scene, player = stage.scene, stage.players[shooter]
    name, muzzle, offset = scene.muzzle(ability, shooter, muzzle_name)
    facing, (place, velocity) = player.facing(time), player.place(time)
    body = scene.frame.triad(facing, facing)
    base, lag = place, 0.0
    if muzzle.follows == "carrier":
        base = player.carrier(name, time)
        away = base - place - offset_to(body, offset)
        lag, offset = float(np.sqrt(dot(away, away))), (0.0, 0.0, 0.0)
    return Stance(
        frame=scene.frame,
        shooter=shooter,
        muzzle=name,
        place=place,
        velocity=velocity,
        pivot=place + offset_to(body, (muzzle.pivot_forward, 0.0, muzzle.pivot_up)),
        base=base,
        offset=offset,
        body=body,
        facing=facing,
        follows_aim=muzzle.follows == "aim",
        lag=lag,
    )
