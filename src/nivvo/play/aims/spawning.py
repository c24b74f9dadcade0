"""A muzzle in which something solid stands: told, pushed out of, or refused."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np

from nivvo.core.numbers.frame import length_of
from nivvo.plan.abilities.ability import Ability
from nivvo.play.aims.stance import Stance
from nivvo.play.stage.stage import Stage
from nivvo.play.ways.motion import NOWHERE

PUSHES = 32


def obstructed(
    stage: Stage, ability: Ability, stance: Stance, at, radius: float, time: int
) -> tuple[str, np.ndarray | None]:
    """What stands in the muzzle, in words ("" for nothing), and the nearest free place (3,), None if there is none.

    A body counts if a touch of it would be answered. In the way are bodies that the projectile would start
    inside of, and obstacles between the shooter's pivot and the muzzle.
    """
    slack, way = 1e-9 * stage.scene.size, at - stance.pivot
    near = _solid(stage, ability, stance, stage.around(stance.pivot, way, radius, time=time))
    # What is farther from the pivot than the muzzle reaches is not in the way.
    far = length_of(way) + radius + slack
    near = [k for k in near if stage.gap(k, stance.pivot, time) <= far]
    if not near:
        return "", None
    inside = [k for k in near if stage.gap(k, at, time) < radius - slack]
    wall = stage.first_on_line(stance.pivot, way, 0.0, time, [k for k in near if stage.kinds[k] == "obstacle"])
    if not inside and wall is None:
        return "", None
    if inside:
        deep = max(radius - stage.gap(k, at, time) for k in inside)
        names = " and ".join(stage.names[k] for k in inside)
        words = f"starts {deep:.4g} {stage.scene.unit} inside {names}"
    else:
        words = f"{stage.names[wall[0]]} stands between the shooter and the muzzle"
    start = at
    if wall is not None:
        # Out on the shooter's side, not through.
        clear = stage.first_on_line(stance.pivot, way, radius, time, [wall[0]])
        start = stance.pivot + way * max((clear or wall)[1] - 1e-9, 0.0)
    return words, _pushed(stage, partial(_solid, stage, ability, stance), start, radius, time, slack)


def _solid(stage: Stage, ability: Ability, stance: Stance, among: list[int]) -> list[int]:
    """Those of some bodies whose touch would be answered by more than letting it pass."""
    groups, own = stage.rows["group"], stage.number[stance.shooter]
    return [k for k in among if k != own and ability.answers[groups[k]].solid]


def _pushed(stage: Stage, solid: Callable, at, radius: float, time: int, slack: float) -> np.ndarray | None:
    """The nearest place clear of all that is ``solid``, pushed out along normals in turn; None if none is near."""
    place = np.array(at, dtype=float)
    for _ in range(PUSHES):
        among = solid(stage.around(place, NOWHERE, radius, time=time))
        gap, number = min(((stage.gap(k, place, time) - radius, k) for k in among), default=(0.0, -1))
        if gap >= -slack:
            return place
        place = place + stage.normal(number, place, time) * (slack - gap)
    return None
