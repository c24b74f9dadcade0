"""Anchors: marks that are left where surfaces are touched, and which of them are linked."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from nivvo.plan.effects import Anchor
from nivvo.play.stage.stage import Stage

PLACED, DOES_NOT_FIT, REPLACED = 0, 1, 2


class Mark(NamedTuple):
    """An anchor: of which projectile, ability and shooter; on which body, where from its middle (3,), normal (3,)."""

    key: int
    ability: str
    shooter: str
    body: int
    offset: np.ndarray
    normal: np.ndarray


class Anchors:
    """The anchors of a session, of each ability and shooter from the oldest to the newest."""

    def __init__(self):
        self.of: dict[tuple[str, str], list[Mark]] = {}

    def leave(self, stage: Stage, mark: Mark, point: np.ndarray, effect: Anchor, time: int) -> list[tuple[int, Mark]]:
        """Leave one at a point (3,), at a time (clock); returns what came of it: codes, and of which mark."""
        if effect.size is not None and not stage.is_flat(mark.body, point, mark.normal, effect.size, time):
            return [(DOES_NOT_FIT, mark)]
        mine = self.of.setdefault((mark.ability, mark.shooter), [])
        mine[:] = [one for one in mine if not stage.out(one.body)]
        gone = mine[: max(len(mine) + 1 - effect.most, 0)]
        mine[:] = [*mine[len(gone) :], mark]
        return [*((REPLACED, one) for one in gone), (PLACED, mark)]

    def newest(self, stage: Stage, ability: str | None, shooter: str) -> Mark | None:
        """The newest anchor of an ability, on a body that is not out."""
        mine = [] if ability is None else self.of.get((ability, shooter), [])
        return next((one for one in reversed(mine) if not stage.out(one.body)), None)

    def all(self, stage: Stage) -> list[Mark]:
        """All there are."""
        return [one for _, mine in sorted(self.of.items()) for one in mine if not stage.out(one.body)]

    def forget(self, body: int) -> None:
        """A body is taken away, and its anchors with it."""
        self.of = {key: [one for one in mine if one.body != body] for key, mine in self.of.items()}
