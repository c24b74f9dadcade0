"""Pull: what is touched comes to the shooter."""

from __future__ import annotations

from nivvo.plan.abilities.effects import Pull
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Pull) -> None:
    """Let it come, from the next tick on."""
    if contact.body >= 0:
        world.pull(contact, contact.body, effect)
