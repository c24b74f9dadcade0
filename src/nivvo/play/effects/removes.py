"""Removes: what is touched is out, whatever its health."""

from __future__ import annotations

from nivvo.plan.abilities.effects import Removes
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Removes) -> None:
    """Put it out."""
    if contact.body >= 0:
        world.remove(contact, contact.body)
