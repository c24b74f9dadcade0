"""The shots of one ability at all aims around: what a direction rose shows, and what mirrors and what does not."""

from __future__ import annotations

import copy
from dataclasses import dataclass
from os import PathLike

import numpy as np

from nivvo.core.numbers.frame import sincos
from nivvo.errors import CallError
from nivvo.plan.case import case_of
from nivvo.plan.scene import Scene
from nivvo.plan.track import Change
from nivvo.play.aims.aiming import Asked, Shot, shoot
from nivvo.play.engine import ability_in
from nivvo.play.session.session import Session
from nivvo.results import Tabled
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill

AROUND = 24
TURNED_BY = {"stick": "stick", "cursor": "cursor", "sight": "look"}
"""By which control an aim is turned; others by the shooter's facing."""

FAR = 20.0
"""Metres at which a cursor is held around the shooter."""


@dataclass(frozen=True, repr=False)
class Rose(Tabled):
    """Shots at angles around, from one place.

    turned : what was turned: "stick", "cursor", "look" or "facing". angles : (n,) degrees, as asked for.
    shots : one an angle, refused ones too.
    """

    scene: Scene
    ability: str
    turned: str
    angles: np.ndarray
    shots: list[Shot]

    def __repr__(self) -> str:
        fired = sum(not shot.refused for shot in self.shots)
        return f"<Rose of {self.ability}: {fired} of {len(self.shots)} shots, turned by {self.turned}>"

    def as_rows(self) -> list[dict]:
        """A row an angle: launch direction and elevation (degrees), speed, clearance, why it was refused.

        Of the launch, as its keys have it: before what it inherits.
        """
        frame = self.scene.frame
        return [
            {
                "angle": float(angle),
                "direction": float(frame.direction_of(shot.heading)),
                "elevation": float(frame.elevation(shot.heading)),
                "speed": float(speed),
                "clearance": shot.clearance,
                "refused": shot.refused,
            }
            for angle, speed, shot in zip(self.angles, self.speeds, self.shots, strict=True)
        ]

    @property
    def speeds(self) -> np.ndarray:
        """Launch speed at each angle (units/s), before what is inherited; nan where it was refused."""
        return np.array([np.nan if shot.refused else shot.speed for shot in self.shots])

    @property
    def clearances(self) -> np.ndarray:
        """Gap between projectile and own body at each angle (units)."""
        return np.array([shot.clearance for shot in self.shots])


@checked
def rose(
    drill: Drill | str | PathLike[str], case: str | None = None, ability: str | None = None, count: int = AROUND
) -> Rose:
    """Fire an ability at ``count`` angles around, as its shooter stands at 0 s.

    Aims by stick, cursor and sight are turned themselves (without their turn rate); for others the shooter's
    facing is, to where it can face: in side view left or right. Raises CallError for unknown names and a count below 2.
    """
    if not 2 <= count <= 3600:
        raise CallError(f"a rose has from 2 to 3600 shots, not {count}")
    case = case_of(drill, case)
    scene, ability = copy.copy(case.scene), ability_in(case, ability)
    keys = scene.abilities[ability]
    still = keys.aim._replace(turn_rate=None, curve=None, camera=None)
    scene.abilities = {**scene.abilities, ability: keys._replace(aim=still)}
    turned = TURNED_BY.get(keys.aim.by, "facing")
    angles = np.arange(count) * (360.0 / count)
    shooter = scene.shooter_of(ability)
    faces = 2 if scene.frame.view == "side" else scene.shooters[shooter].facing_count
    if turned == "facing" and faces is not None:
        angles = np.arange(faces) * (360.0 / faces)
    shots = [_at(scene, ability, shooter, turned, float(angle), k) for k, angle in enumerate(angles)]
    return Rose(scene, ability, turned, angles, shots)


def _at(scene: Scene, ability: str, shooter: str, turned: str, angle: float, number: int) -> Shot:
    stage, frame = Session(scene, []).stage, scene.frame
    player = stage.players[shooter]
    heading = frame.direction(angle)
    if turned == "stick":
        s, c = sincos(angle)
        player.do(Change(0, 0, shooter, "stick", [float(c), float(s)]))
    elif turned == "cursor":
        place = player.place(0)[0] + heading * FAR * scene.metre
        player.do(Change(0, 0, shooter, "cursor", list(frame.drop(place))))
    elif turned == "look":
        player.do(Change(0, 0, shooter, "look", [angle] if frame.size == 2 else [angle, 0.0]))
    else:
        player.turn_to(heading)
    return shoot(stage, Asked(0, ability, shooter, 0, 0), alone=True)
