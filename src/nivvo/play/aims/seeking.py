"""Which body an ability aims at by itself: the nearest by distance or angle, within reach, cone and sight."""

from __future__ import annotations

import numpy as np

from nivvo.core.numbers.frame import dot
from nivvo.core.pool import TARGET
from nivvo.plan.abilities.ability import Ability, Assist
from nivvo.play.aims.stance import Stance
from nivvo.play.stage.stage import Stage


def seek(stage: Stage, ability: Ability, stance: Stance, time: int) -> int | None:
    """Number of the body to aim at, or None. Ties go by name."""
    aim, best = ability.aim, None
    for number in candidates(stage, aim.group, stance.shooter):
        to = stage.centre(number, time) - stance.origin
        far = float(np.sqrt(dot(to, to)))
        angle = angle_between(stance.facing, to)
        if (aim.within is not None and far > aim.within) or angle > aim.cone / 2.0:
            continue
        if aim.in_sight and stage.hidden(stance.origin, to, time):
            continue
        key = (far if aim.nearest_by == "distance" else angle, number)
        if best is None or key < best:
            best = key
    return None if best is None else best[1]


def candidates(stage: Stage, group: int | None, shooter: str) -> list[int]:
    """Bodies that may be aimed at: targets, or those of a group; not one's own, not those that are out.

    Of several shapes that is the first, and what is of that group where the body is of another: as ``core.seekers``.
    """
    rows, there = stage.rows, stage.arena.there
    groups, first = rows["group"][there], rows["first"][there]
    asked = rows["role"][there] == TARGET if group is None else groups == group
    if first.any():
        part = first != 0
        own = part & (rows["group"][there + first] != groups) & (group is not None)
        asked = asked & (~part | own)
    return [k for k in there[asked & (rows["out"][there] == 0)].tolist() if stage.names[k] != shooter]


def bent(stage: Stage, assist: Assist, stance: Stance, heading, time: int) -> tuple[np.ndarray, str]:
    """A heading bent toward the target nearest to it by angle, by at most ``assist.max_turn``; and in words."""
    best, at = None, stance.muzzle_at(heading)
    for number in candidates(stage, assist.group, stance.shooter):
        to = stage.centre(number, time) - at
        if assist.within is not None and float(np.sqrt(dot(to, to))) > assist.within:
            continue
        angle = angle_between(heading, to)
        if angle <= assist.cone / 2.0 and (best is None or (angle, number) < best[:2]):
            best = (angle, number, to)
    if best is None or best[0] == 0.0:
        return heading, ""
    angle, number, to = best
    goal = to / np.sqrt(dot(to, to))
    share = min(assist.max_turn / angle, 1.0)
    word = f"assisted: bent {share * angle:.4g}° toward {stage.names[number]}"
    return goal if share == 1.0 else between(heading, goal, share), word


def between(start, goal, share: float) -> np.ndarray:
    """The unit vector that share of the way from one to another, along the arc between them."""
    angle = np.radians(angle_between(start, goal))
    across = goal - (dot(goal, start)) * start
    length = np.sqrt(dot(across, across))
    if length == 0.0:
        return start
    return np.cos(share * angle) * start + np.sin(share * angle) * across / length


def angle_between(u, v) -> float:
    """Angle between two vectors in degrees, exact near 0 and 180 too; 0 if one has no length (Kahan, 2006)."""
    a, b = u * np.sqrt(dot(v, v)), v * np.sqrt(dot(u, u))
    d, s = a - b, a + b
    return float(np.degrees(2.0 * np.arctan2(np.sqrt(dot(d, d)), np.sqrt(dot(s, s))))) if a.any() and b.any() else 0.0
