"""Who touches whom: the answer of each ability to each group, and which rule decided it."""

from __future__ import annotations

from typing import Any

import numpy as np

from nivvo.core import pool
from nivvo.core.curves import Curve
from nivvo.plan.ability import Ability, Answer
from nivvo.plan.case import case_of
from nivvo.record.vocabulary import ANSWERS
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill
from nivvo.spec.links import ANYTHING, with_sent


@checked
def touching(drill: Drill, case: str | None = None) -> list[dict[str, Any]]:
    """A row for each ability and each group: what a touch comes to. Of a case only what is in hand, and what it sends.

    ability, group, bodies (how many are in it), then, damage (in words), effects (in words), rule : the key that
    decided, or "default". Raises CallError for an unknown case.
    """
    described = case_of(drill, case)
    model, scene = drill.of_case(described.name), described.scene
    rows = []
    names = sorted(scene.abilities) if case is None else with_sent(model, described.in_hand)
    for name in names:
        ability = scene.abilities[name]
        for number, group in enumerate(scene.groups):
            answer = ability.answers[number]
            own = next((word for word in (group, ANYTHING) if word in model.ability[name].on), None)
            rows.append(
                {
                    "ability": name,
                    "group": group,
                    "bodies": int(np.count_nonzero(scene.bodies["group"] == number)),
                    "then": ANSWERS[answer.then],
                    "damage": _damage(answer.damage),
                    "effects": ", ".join(_effects(answer)),
                    "rule": f"on.{own}" if own else "default",
                    "owner": _owner(ability, scene, number),
                }
            )
    return rows


def _damage(damage) -> str:
    if isinstance(damage, Curve):
        return f"by {damage.by}"
    return f"{damage:g}" if damage else ""


def _effects(answer: Answer) -> list[str]:
    return [type(one).__name__.lower() for one in answer.effects]


def _owner(ability: Ability, scene, number: int) -> str:
    """When its own shooter is touched, in the row of his group."""
    groups = {int(scene.bodies["group"][scene.number[name]]) for name in scene.shooters_of(ability.name)}
    if number not in groups or ability.answers[number].then == pool.IGNORE:
        return ""
    return ability.hits_owner
