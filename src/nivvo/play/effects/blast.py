"""Blast: damage to all within a radius of the point of contact, less toward its edge and behind what hides them."""

from __future__ import annotations

from nivvo.plan.effects import Blast
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Blast) -> None:
    """Deal it, body by body in the order of their names."""
    middle = contact.p - contact.radius * contact.normal
    world.burst(contact, middle, effect.radius)
    spared = {contact.body} if "struck" in effect.spares else set()
    spared |= {world.owner(contact)} if "owner" in effect.spares else set()
    for body, gap in world.around(contact, middle, effect.radius):
        if body not in spared:
            share = effect.share(max(gap, 0.0) / effect.radius)
            if effect.shaded and share > 0.0:
                share *= world.seen(contact, middle, body)
            world.hurt(contact, body, effect.damage * share)
