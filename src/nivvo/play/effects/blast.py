"""Blast: damage to all within a radius, less toward its edge and behind what hides them; and a push away."""

from __future__ import annotations

from nivvo.core.numbers.frame import unit
from nivvo.plan.abilities.effects import Blast
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Blast) -> None:
    """Deal it, body by body in the order of their names."""
    middle, spares = contact.point, effect.spares
    world.burst(contact, middle, effect.radius)
    spared = {contact.body} if "struck" in spares and contact.body >= 0 else set()
    if "owner" in spares:
        spared.add(world.owner(contact))
    for body, gap in world.around(contact, middle, effect.radius, bool(effect.impulse), spared):
        share = effect.share(max(gap, 0.0) / effect.radius)
        if effect.shaded and share > 0.0:
            share *= world.seen(contact, middle, body)
        world.hurt(contact, body, effect.damage * share)
        if effect.impulse:
            world.push(contact, body, effect.impulse * share * unit(world.middle(contact, body) - middle))
