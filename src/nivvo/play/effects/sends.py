"""Sends: projectiles of an ability leave from there, along the normal, thrown back, onward, or at the nearest body."""

from __future__ import annotations

from nivvo.core.numbers.frame import dot, unit
from nivvo.plan.abilities.effects import Sends
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Sends) -> None:
    """Send what is planned. Where the way has no length, it goes along the normal, or as the projectile points.

    At an apex nothing rises or sinks, however long the steps are in which a game flies.
    """
    way = world.level(contact.v) if effect.when == "apex" else contact.v - contact.u
    if effect.along == "reflected":
        way = way - (2.0 * dot(way, contact.normal)) * contact.normal
    if effect.along == "normal" or world.stands(way):
        heading = contact.normal if contact.normal.any() else world.pointing(contact, effect.when)
    else:
        heading = unit(way)
    to = world.nearest(contact, effect) if effect.along == "nearest" else None
    world.send(contact, effect, heading, to)
