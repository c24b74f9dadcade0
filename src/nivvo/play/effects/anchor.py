"""Anchor: a mark is left where a surface is touched."""

from __future__ import annotations

from nivvo.plan.abilities.effects import Anchor
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Anchor) -> None:
    """Leave it, if it fits."""
    if contact.body >= 0:
        world.anchor(contact, effect)
