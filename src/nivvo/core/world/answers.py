"""What projectiles answer to a contact with each group, as rows of ``pool.ANSWERS``."""

from __future__ import annotations

from typing import Any

import numpy as np

from nivvo.core import pool

BOUNCE = ("restitution", "friction", "bounces", "least", "rests", "slows", "settles")


def plain(rows: np.ndarray) -> None:
    """Let answers take nothing from what goes through bodies, and let it go through openings."""
    rows["keeps_speed"], rows["keeps_damage"], rows["pierces"], rows["enters"] = 1.0, 1.0, -1, 1


def answers_to(
    groups: int, *, then: Any = 0, damage: Any = 0.0, bounces: Any = None, holds: Any = 0, more: Any = None
) -> np.ndarray:
    """Rows (groups,) of ``pool.ANSWERS``.

    then, damage, holds : one for all groups or one a group. bounces : (n,) or (groups, n), of the fields of BOUNCE.
    more : other fields, by name.
    """
    rows = pool.zeros(groups, pool.ANSWERS)
    rows["then"], rows["damage"], rows["holds"], rows["hurts"] = then, damage, holds, np.inf
    plain(rows)
    for field, values in (more or {}).items():
        rows[field] = values
    if bounces is not None:
        for field, values in zip(BOUNCE, np.transpose(bounces), strict=False):
            rows[field] = values
    return rows


def alone(rows: np.ndarray, touches: str, bounces: int) -> None:
    """Let only the flight be answered for: at the first touch it is over ("end"), but for so many bounces before, or
    nothing is touched at all ("ignore").

    What it would be thrown back by still is no touch where it comes out of that by itself.
    """
    rows["holds"] = 0
    if touches == "ignore":
        rows["then"] = pool.IGNORE
        return
    throws = (rows["then"] == pool.LODGE) & (rows["otherwise"] == pool.BOUNCE)
    kept = (rows["then"] == pool.IGNORE) | (rows["then"] == pool.BOUNCE)
    rows["then"][~kept] = pool.END
    rows["then"][throws] = pool.BOUNCE
    most = rows["bounces"]
    rows["bounces"] = np.where(throws, 0, np.where(most < 0, bounces, np.minimum(most, bounces)))


def may_stay(rows: np.ndarray) -> bool:
    """Whether some of what answers so may come to lie, or to go on along a surface."""
    return any(rows["rests"].tolist()) or max(rows["then"].tolist(), default=0) >= pool.SLIDE
