"""Anchors: marks that are left where surfaces are touched, and which of them are linked."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers.frame import Frame, dot, length_of, sincos
from nivvo.plan.abilities.effects import Anchor
from nivvo.play.stage.stage import Stage
from nivvo.play.ways.motion import NOWHERE

PLACED, DOES_NOT_FIT, REPLACED = 0, 1, 2

LEVEL = math.sqrt(0.5)
"""A surface whose normal rises more than this is a floor or a ceiling: up along it means little."""


class Mark(NamedTuple):
    """An anchor: of which projectile, ability and shooter; on which body, where from its middle (3,), normal (3,).

    way : as what left it flew (3,). effect : as it is written. time : when (clock).
    """

    key: int
    ability: str
    shooter: str
    body: int
    offset: np.ndarray
    normal: np.ndarray
    way: np.ndarray
    effect: Anchor
    time: int


def above(frame: Frame, normal: np.ndarray, way: np.ndarray) -> np.ndarray:
    """What is above on a surface (3,): up along it; on a floor or ceiling onward, as what left the mark flew (3,)."""
    up = frame.up if frame.vertical and abs(float(dot(normal, frame.up))) < LEVEL else way
    for axis in (up if frame.vertical else np.array([0.0, 0.0, 1.0]), frame.forward, frame.first):
        flat = axis - float(dot(axis, normal)) * normal
        if length_of(flat) > 1e-6 * length_of(axis):
            break
    return flat / length_of(flat)


def flat_about(stage: Stage, number: int, point, normal, size: float, time: int) -> list[int]:
    """On which bodies a surface is flat so far about a point (3,) on one, and free; none where it is not.

    Beside that body, or all its shapes, those of its group that lie flush with it and stand as it does.
    """
    slack, n = 1e-6 * stage.scene.size, np.asarray(normal, dtype=float)
    flat = stage.scene.frame.size == 2
    first = np.array([-n[1], n[0], 0.0]) if flat else np.cross(n, np.eye(3)[int(np.argmin(np.abs(n)))])
    first /= math.sqrt(float(dot(first, first)))
    second = np.cross(n, first)
    near = stage.around(point, NOWHERE, size + slack, time=time)
    rows, found = stage.rows, {number}
    mine = [k for k in near if k != number and (rows[k]["group"] == rows[number]["group"])
            and (k in stage.pieces(number) or not (rows[k]["moves"] or rows[number]["moves"]))]  # fmt: skip
    for share in (0.25, 0.5, 0.75, 1.0):
        for k in range(2 if flat else 16):
            s, c = (float(x) for x in sincos(180.0 * k if flat else 22.5 * k))
            at = point + share * size * (c * first + s * second)
            bears = [one for one in (number, *mine) if abs(stage.gap(one, at, time)) <= slack]
            if not bears or any(stage.gap(other, at + slack * n, time) < 0.0 for other in near):
                return []
            found.add(bears[0])
    # Between those that bear it there is no gap.
    joined, rest = {number: stage.middle(number, time)}, {k: stage.middle(k, time) for k in found - {number}}
    while met := {
        k for k, place in rest.items() if stage.least_between(stage.row(k, time), place, joined, time)[0] <= slack
    }:
        joined |= {k: rest.pop(k) for k in met}
    return [] if rest else sorted(found)


class Anchors:
    """The anchors of a session, of each ability and shooter from the oldest to the newest."""

    def __init__(self):
        self.of: dict[tuple[str, str], list[Mark]] = {}

    def leave(self, stage: Stage, mark: Mark, point: np.ndarray, time: int) -> list[tuple[int, Mark]]:
        """Leave one at a point (3,), at a time (clock); returns what came of it: codes, and of which mark."""
        effect = mark.effect
        if effect.size is not None and not flat_about(stage, mark.body, point, mark.normal, effect.size, time):
            return [(DOES_NOT_FIT, mark)]
        mine = self.of.setdefault((mark.ability, mark.shooter), [])
        if any(map(stage.out, {one.body for one in mine})):
            mine[:] = [one for one in mine if not stage.out(one.body)]
        mine.append(mark)
        gone = mine[: -effect.most]
        del mine[: len(gone)]
        return [*[(REPLACED, one) for one in gone], (PLACED, mark)]

    def newest(self, stage: Stage, ability: str | None, shooter: str) -> Mark | None:
        """The newest anchor of an ability, on a body that is not out."""
        mine = [] if ability is None else self.of.get((ability, shooter), [])
        return next((one for one in reversed(mine) if not stage.out(one.body)), None)

    def openings(self, stage: Stage) -> tuple[np.ndarray, list[int]]:
        """Rows of ``pool.OPENING``: the newest of two abilities, linked and open; and the bodies that they lie on."""
        marks: list[tuple[Mark, int]] = []
        taken: set[int] = set()
        for _, mine in sorted(self.of.items()):
            for one in reversed(mine):
                other = self.newest(stage, one.effect.pairs_with, one.shooter)
                if other is None or {one.body, other.body} & stage.turning.keys():
                    continue
                both = one.effect.opens is not None and other.effect.opens is not None
                if both and other.key != one.key and not taken & {one.key, other.key}:
                    taken |= {one.key, other.key}
                    marks += [(one, len(marks) + 1), (other, len(marks))]
        rows, over = pool.zeros(len(marks), pool.OPENING), set()
        for row, (one, to) in zip(rows, marks, strict=True):
            row["offset"], row["normal"] = one.offset, one.normal
            row["above"] = above(stage.scene.frame, one.normal, one.way)
            row["beside"] = np.cross(row["above"], one.normal)
            row["radius"], row["key"], row["body"], row["to"] = one.effect.opens, one.key, one.body, to
            point = stage.middle(one.body, one.time) + one.offset
            over |= {one.body, *flat_about(stage, one.body, point, one.normal, one.effect.opens, one.time)}
        return rows, sorted(over)

    def all(self, stage: Stage) -> list[Mark]:
        """All there are."""
        return [one for _, mine in sorted(self.of.items()) for one in mine if not stage.out(one.body)]

    def forget(self, body: int) -> None:
        """A body is taken away, and its anchors with it."""
        self.of = {key: [one for one in mine if one.body != body] for key, mine in self.of.items()}
