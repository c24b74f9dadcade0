"""Which body an ability aims at by itself: the nearest by distance or angle, within reach, cone and sight."""

from __future__ import annotations

import numpy as np

from nivvo.core.clock import to_seconds
from nivvo.core.contact import NONE, first_contact
from nivvo.play.scene import Scene
from nivvo.play.stance import Stance
from nivvo.spec.ability import Ability


def seek(scene: Scene, ability: Ability, stance: Stance, time: int, out) -> int | None:
    """Index of the body to aim at, or None. ``out`` (n,): which bodies are out already. Ties go by name."""
    aim, best = ability.aim, None
    for number, (name, kind) in enumerate(zip(scene.names, scene.kinds, strict=True)):
        row = scene.bodies[number]
        wanted = kind == "target" if aim.group is None else scene.groups[row["group"]] == aim.group
        if not wanted or out[number] or name == stance.shooter:
            continue
        to = middle_of(scene, number, time) - stance.origin
        far = float(np.sqrt(to @ to))
        angle = angle_between(stance.facing, to)
        if (aim.within is not None and far > aim.within) or angle > aim.cone / 2.0:
            continue
        if aim.in_sight and hidden(scene, stance.origin, to, time, out):
            continue
        key = (far if aim.prefers == "distance" else angle, number)
        if best is None or key < best:
            best = key
    return None if best is None else best[1]


def middle_of(scene: Scene, number: int, time: int) -> np.ndarray:
    """Where the middle of a body is at ``time`` (on the clock)."""
    row = scene.bodies[number]
    return row["c0"] + row["v0"] * to_seconds(time)


def angle_between(u, v) -> float:
    """Angle between two vectors in degrees, exact near 0 and 180 too; 0 if one has no length (Kahan, 2006)."""
    a, b = u * np.sqrt(v @ v), v * np.sqrt(u @ u)
    d, s = a - b, a + b
    return float(np.degrees(2.0 * np.arctan2(np.sqrt(d @ d), np.sqrt(s @ s)))) if a.any() and b.any() else 0.0


def hidden(scene: Scene, start, to, time: int, out) -> bool:
    """Whether an obstacle stands on the straight line from ``start`` along ``to``, as things stand at ``time``."""
    still = (0.0, 0.0, 0.0)
    line = tuple(float(x) for x in to)
    for number, kind in enumerate(scene.kinds):
        if kind != "obstacle" or out[number]:
            continue
        row = scene.bodies[number]
        rel = tuple(float(x) for x in start - row["c0"] - row["v0"] * to_seconds(time))
        if first_contact(row, rel, line, still, 0.0, 1.0, 1e-13 * scene.size)[0] != NONE:
            return True
    return False
