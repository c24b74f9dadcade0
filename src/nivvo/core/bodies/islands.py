"""Which bodies with a mass have nothing to do with one another within a tick: each group of them goes by itself.

So how one goes hangs on nothing that is far away, not to the last bit, and many cost what each of them does.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from nivvo.core.bodies.pushing import Loose, Other

SPARE = 2.0
"""How many times as far as its speed and what pulls take it a body is taken to come at most."""

NEAR = 0.02
"""Share of its reach within which what begins may lie on another."""


class Island(NamedTuple):
    """Bodies that may come to one another; the others that may come to them; how far each is taken to go (units)."""

    loose: list[Loose]
    others: list[Other]
    goes: float


def goes(speed: float, pull: float, seconds: float) -> float:
    """How far (units) a body is taken to go at most within some seconds. pull : units/s²."""
    return SPARE * (speed + pull * seconds) * seconds


def islands(
    loose: list[Loose], others: list[Other], pull: float, seconds: float, far: dict[int, float]
) -> list[Island]:
    """Groups of bodies of which none comes to one of another within some seconds.

    pull : units/s². far : how far each goes at least (units), by number. What yields to two makes one group of theirs.
    """
    nodes = [*loose, *(other for other in others if other.yields)]
    leads, speeds = list(range(len(nodes))), [math.hypot(*one.v) for one in nodes]
    least = [far.get(one.number, 0.0) for one in nodes]
    met: list[set[int]] = [set() for _ in nodes]

    def lead(k: int) -> int:
        while leads[k] != k:
            k = leads[k]
        return k

    def far_of(k: int) -> float:
        return max(goes(speeds[lead(k)], pull, seconds), least[lead(k)])

    changed = True
    while changed:
        sizes = [one.reach * (1.0 + NEAR) + far_of(k) for k, one in enumerate(nodes)]
        changed = _swept_up(others, sizes, seconds, nodes, met)
        for k, found in enumerate(met):
            fastest = max((math.hypot(*others[m].v) for m in found), default=0.0)
            if fastest > speeds[lead(k)]:
                speeds[lead(k)], changed = fastest, True
        for j, k in _near(nodes, sizes):
            first, second = sorted((lead(j), lead(k)))
            if first != second:
                leads[second], changed = first, True
                for one in (speeds, least):
                    one[first] = max(one[first], one[second])
    groups: dict[int, list[int]] = {}
    for k in range(len(nodes)):
        groups.setdefault(lead(k), []).append(k)
    return [
        Island(
            [loose[k] for k in members if k < len(loose)],
            [others[m] for m in sorted(set().union(*(met[k] for k in members)))],
            far_of(members[0]),
        )
        for members in groups.values()
        if members[0] < len(loose)
    ]


def _swept_up(
    others: list[Other], sizes: list[float], seconds: float, nodes: Sequence[Loose | Other], met: list[set[int]]
) -> bool:
    """Note which others may come to each; whether there are more than there were."""
    more = False
    for m, other in enumerate(others):
        far = other.reach + math.hypot(*other.v) * seconds
        for k, one in enumerate(nodes):
            if m not in met[k] and (one is other or math.dist(one.p, other.p) <= far + sizes[k]):
                met[k].add(m)
                more = True
    return more


def _near(nodes: Sequence[Loose | Other], sizes: list[float]) -> list[tuple[int, int]]:
    """The pairs of those that are no farther apart than their sizes, looked for along the axis on which they spread."""
    spreads = [max(way) - min(way) for way in zip(*(one.p for one in nodes), strict=True)]
    axis, found, open_ = spreads.index(max(spreads)), [], []
    for k in sorted(range(len(nodes)), key=lambda k: nodes[k].p[axis] - sizes[k]):
        low = nodes[k].p[axis] - sizes[k]
        open_ = [j for j in open_ if nodes[j].p[axis] + sizes[j] >= low]
        found += [(j, k) for j in open_ if math.dist(nodes[j].p, nodes[k].p) <= sizes[j] + sizes[k]]
        open_.append(k)
    return found
