"""Score: points for whoever fired, by rings of what is touched, more for each of a streak."""

from __future__ import annotations

from nivvo.core.numbers.frame import dot, length_of
from nivvo.plan.abilities.effects import Score
from nivvo.play.effects.contract import Contact, World


def apply(world: World, contact: Contact, effect: Score) -> None:
    """Count it. Rings are measured on the face that is touched, from the body's spot."""
    points = effect.points
    if effect.rings and contact.body >= 0:
        off = contact.point - world.spot(contact, contact.body)
        aside = length_of(off - dot(off, contact.normal) * contact.normal)
        points = next((value for radius, value in effect.rings if aside <= radius * (1.0 + 1e-12)), points)
    world.score(contact, effect, points)
