"""Lasting: damage to what was touched that goes on by itself."""

from __future__ import annotations

from nivvo.plan.abilities.effects import Lasting
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Lasting) -> None:
    """Let it begin."""
    if contact.body >= 0:
        world.last(contact, effect)
