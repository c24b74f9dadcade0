"""Who touches whom: the answer of each ability to each group, and which rule decided it."""

from __future__ import annotations

from os import PathLike
from typing import Any

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers.curves import Curve
from nivvo.plan.abilities.ability import Ability, Answer
from nivvo.plan.abilities.effects import Sends
from nivvo.plan.case import case_of
from nivvo.record.vocabulary import ANSWERS
from nivvo.results import Results
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill


@checked
def touching(drill: Drill | str | PathLike[str], case: str | None = None) -> Results[dict[str, Any]]:
    """A row for each ability and each group: what a touch comes to. Of a case only what is in hand, and what it sends.

    ability, group, bodies (how many are in it), then, damage (in words), effects (in words), rule : the key that
    decided, or "default". Raises CallError for an unknown case.
    """
    described = case_of(drill, case)
    scene, rows = described.scene, []
    names = sorted(scene.abilities) if case is None else _with_sent(scene.abilities, described.in_hand)
    for name in names:
        ability = scene.abilities[name]
        for number, group in enumerate(scene.groups):
            answer = ability.answers[number]
            rows.append(
                {
                    "ability": name,
                    "group": group,
                    "bodies": len({scene.names[k] for k in np.flatnonzero(scene.bodies["group"] == number).tolist()}),
                    "then": ANSWERS[answer.then],
                    "damage": _damage(answer.damage),
                    "effects": ", ".join(_effects(answer)),
                    "rule": answer.rule,
                    "owner": _owner(ability, scene, number),
                }
            )
    return Results(rows)


def _with_sent(abilities: dict[str, Ability], names: list[str]) -> list[str]:
    """Some abilities, and those whose projectiles theirs send, and so on."""
    found, waiting = dict.fromkeys(names), list(names)
    while waiting:
        ability = abilities[waiting.pop()]
        sources = (*ability.answers, *ability.moments.values(), *ability.meets.values())
        for effect in [effect for source in sources for effect in source.effects if isinstance(effect, Sends)]:
            if effect.ability not in found:
                found[effect.ability] = None
                waiting.append(effect.ability)
    return list(found)


def _damage(damage) -> str:
    if isinstance(damage, Curve):
        return f"by {damage.by}"
    return f"heals {-damage:g}" if damage < 0.0 else f"{damage:g}" if damage else ""


def _effects(answer: Answer) -> list[str]:
    return [type(one).__name__.lower() for one in answer.effects]


def _owner(ability: Ability, scene, number: int) -> str:
    """When its own shooter is touched, in the row of his group."""
    groups = {int(scene.bodies["group"][scene.number[name]]) for name in scene.shooters_of(ability.name)}
    if number not in groups or ability.answers[number].then == pool.IGNORE:
        return ""
    return ability.hits_owner
