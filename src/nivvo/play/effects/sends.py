"""Sends: projectiles of an ability leave from there, along the normal, thrown back, onward, or at the nearest body."""

from __future__ import annotations

from nivvo.core.numbers.frame import dot, unit
from nivvo.plan.abilities.effects import Sends
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Sends) -> None:
    """Send what is planned. Where the way has no length, it goes along the normal."""
    way = contact.v - contact.u
    if effect.along == "reflected":
        way = way - (2.0 * dot(way, contact.normal)) * contact.normal
    heading = contact.normal if effect.along == "normal" or not way.any() else unit(way)
    to = world.nearest(contact, effect) if effect.along == "nearest" else None
    world.send(contact, effect, heading, to)
