"""Knock: what has a mass is pushed, by a share of the projectile's momentum or by an impulse that is written."""

from __future__ import annotations

from nivvo.core.numbers.frame import unit
from nivvo.plan.abilities.effects import Knock
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Knock) -> None:
    """Push it, at the next tick."""
    if contact.body < 0:
        return
    if effect.impulse is None:
        push = effect.momentum * world.momentum(contact)
    else:
        push = effect.impulse * (-contact.normal if effect.inward else unit(contact.v - contact.u))
    world.push(contact, contact.body, push)
