"""Blink: the shooter goes to where that was, clear of what is solid, at the next tick."""

from __future__ import annotations

from nivvo.plan.abilities.effects import Blink
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Blink) -> None:
    """Bring it there: off the surface that was touched, or to the projectile's middle."""
    world.blink(contact, contact.point, effect)
