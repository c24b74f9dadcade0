"""A shooter at an instant, about to fire an ability: where its body, pivot and muzzle are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nivvo.core.clock import to_seconds
from nivvo.core.frame import Frame
from nivvo.core.muzzle import offset_to
from nivvo.play.scene import Scene
from nivvo.spec.ability import Ability


@dataclass(frozen=True)
class Stance:
    """Vectors are (3,), world. ``offset``: forward, right, up of the muzzle; ``body``: triad of its axes."""

    frame: Frame
    shooter: str
    muzzle: str
    place: np.ndarray
    velocity: np.ndarray
    pivot: np.ndarray
    offset: tuple[float, float, float]
    body: tuple[np.ndarray, np.ndarray, np.ndarray]
    facing: np.ndarray
    follows_aim: bool

    @property
    def origin(self) -> np.ndarray:
        """The point that the muzzle's offset is measured from."""
        return self.pivot if self.follows_aim else self.place

    def muzzle_at(self, heading) -> np.ndarray:
        """Where the muzzle is when the shot heads along a unit vector."""
        if not self.follows_aim:
            return self.place + offset_to(self.body, self.offset)
        return self.pivot + offset_to(self.frame.triad(heading, self.facing), self.offset)


def stance_of(scene: Scene, ability: Ability, shooter: str, time: int) -> Stance:
    """The stance of a shooter at ``time`` (on the clock) for an ability."""
    name, muzzle, offset = scene.muzzle(ability, shooter)
    facing, row = scene.facing(shooter), scene.bodies[scene.number[shooter]]
    body = scene.frame.triad(facing, facing)
    place = row["c0"] + row["v0"] * to_seconds(time)
    return Stance(
        frame=scene.frame,
        shooter=shooter,
        muzzle=name,
        place=place,
        velocity=row["v0"].copy(),
        pivot=place + offset_to(body, (muzzle.pivot_forward, 0.0, muzzle.pivot_up)),
        offset=offset,
        body=body,
        facing=facing,
        follows_aim=muzzle.follows == "aim",
    )
