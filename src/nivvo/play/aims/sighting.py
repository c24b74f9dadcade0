"""What a shooter's eye, or a camera, looks at: the first body on a ray."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from nivvo.core.launching.muzzle import offset_to
from nivvo.core.numbers.frame import Frame, unit
from nivvo.plan.abilities.ability import Ability, Camera
from nivvo.play.stage.stage import Stage


class Sight(NamedTuple):
    """point : where the ray meets a body, or its far end. body : its number, or None. inside : in what it begins."""

    eye: np.ndarray
    ray: np.ndarray
    point: np.ndarray
    body: int | None
    inside: str


def sight(stage: Stage, ability: Ability, shooter: str, time: int) -> Sight:
    """Look along the sight of an ability: all bodies but the shooter's own count."""
    scene, player = stage.scene, stage.players[shooter]
    camera = ability.aim.camera
    if camera is not None:
        eye, ray = camera.at, ray_of(scene.frame, camera, player.screen(time))
    else:
        facing = player.facing(time)
        eye = player.place(time)[0] + offset_to(scene.frame.triad(facing, facing), player.shooter.eye)
        ray = player.look(time)
    far = ability.aim.sight_range
    among = [k for k in stage.around(eye, ray * far, 0.0, time=time) if stage.names[k] != shooter]
    inside = next((stage.names[k] for k in among if stage.gap(k, eye, time) < 0.0), "")
    found = stage.first_on_line(eye, ray * far, 0.0, time, among)
    share = 1.0 if found is None else found[1]
    return Sight(eye, ray, eye + ray * (far * share), None if found is None else found[0], inside)


def ray_of(frame: Frame, camera: Camera, screen) -> np.ndarray:
    """Unit vector (3,) from a camera through a point of its screen (pixels from the upper left); None: its middle.

    A pinhole: with f the height over 2 tan(field of view / 2), the ray is forward + right x/f + up y/f.
    """
    heading = frame.raised(frame.direction(camera.look[0]), camera.look[1])
    forward, right, up = frame.triad(heading, frame.forward)
    wide, tall = camera.screen
    x, y = (wide / 2.0, tall / 2.0) if screen is None else screen
    focal = 0.5 * tall / np.tan(np.radians(0.5 * camera.field_of_view))
    return unit(forward + right * ((x - 0.5 * wide) / focal) + up * ((0.5 * tall - y) / focal))
