"""A muzzle in which something solid stands: told, pushed out of, or refused."""

from __future__ import annotations

import numpy as np

from nivvo.core.numbers.frame import length_of
from nivvo.plan.abilities.ability import Ability
from nivvo.play.aims.stance import Stance
from nivvo.play.stage.stage import Stage

PUSHES = 32
KINDS = ("obstacle", "target", "shooter")


def obstructed(
    stage: Stage, ability: Ability, stance: Stance, at, radius: float, time: int
) -> tuple[str, np.ndarray | None]:
    """What stands in the muzzle, in words ("" for nothing), and the nearest free place (3,), None if there is none.

    A body counts if a touch of it would be answered. In the way are bodies that the projectile would start
    inside of, and obstacles between the shooter's pivot and the muzzle.
    """
    slack, way = 1e-9 * stage.scene.size, at - stance.pivot
    near = _solid(stage, ability, stance, stage.around(stance.pivot, way, radius, *KINDS, time=time))
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
    among = _solid(stage, ability, stance, [k for k in stage.of_kind(*KINDS) if not stage.out(k)])
    return words, _pushed(stage, among, start, radius, time, slack)


def _solid(stage: Stage, ability: Ability, stance: Stance, among: list[int]) -> list[int]:
    """Those of some bodies whose touch would be answered by more than letting it pass."""
    groups, own = stage.rows["group"], stage.number[stance.shooter]
    return [k for k in among if k != own and ability.answers[groups[k]].solid]


def _pushed(stage: Stage, among, at, radius: float, time: int, slack: float) -> np.ndarray | None:
    """The nearest place clear of all bodies, pushed out along their normals in turn; None if there is none near."""
    place = np.array(at, dtype=float)
    for _ in range(PUSHES):
        gap, number = min(((stage.gap(k, place, time) - radius, k) for k in among), default=(0.0, -1))
        if gap >= -slack:
            return place
        place = place + stage.normal(number, place, time) * (slack - gap)
    return None
