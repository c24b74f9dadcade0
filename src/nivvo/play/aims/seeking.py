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
    aim, numbers = ability.aim, candidates(stage, ability.aim.group, stance.shooter)
    to = stage.centres(numbers, time) - stance.origin
    far, angles = np.sqrt(dot(to, to)), angle_between(stance.facing, to)
    fits = (angles <= aim.cone / 2.0) & (far <= (np.inf if aim.within is None else aim.within))
    for k in np.lexsort((numbers, far if aim.nearest_by == "distance" else angles)).tolist():
        if fits[k] and not (aim.in_sight and stage.hidden(stance.origin, to[k], time)):
            return numbers[k]
    return None


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
    numbers = candidates(stage, assist.group, stance.shooter)
    ways = stage.centres(numbers, time) - stance.muzzle_at(heading)
    angles = angle_between(heading, ways)
    near = np.sqrt(dot(ways, ways)) <= (np.inf if assist.within is None else assist.within)
    found = np.flatnonzero(near & (angles <= assist.cone / 2.0))
    if not len(found) or (angle := float(angles[found].min())) == 0.0:
        return heading, ""
    best = int(found[np.argmin(angles[found])])
    to, number = ways[best], numbers[best]
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


def angle_between(u, v):
    """Angles between vectors (..., 3) in degrees, exact near 0 and 180 too; 0 if one has no length (Kahan, 2006)."""
    one, other = np.sqrt(dot(u, u)), np.sqrt(dot(v, v))
    a, b = u * other[..., None], v * one[..., None]
    d, s = a - b, a + b
    angles = np.degrees(2.0 * np.arctan2(np.sqrt(dot(d, d)), np.sqrt(dot(s, s))))
    angles = np.where((one > 0.0) & (other > 0.0), angles, 0.0)
    return angles if angles.ndim else float(angles)
