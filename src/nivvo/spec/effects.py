"""Models of what follows a contact or another moment of a flight, and of those moments."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from nivvo.spec.values import Name, NotNegative, Positive, Seconds, Table


class Sends(Table):
    """Projectiles of an ability leave from there: as many and as spread as its launch says, with age and path anew."""

    ability: Name = Field(description="whose projectiles; its own as well")
    along: Literal["normal", "reflected", "onward"] | None = Field(
        None,
        description="along the surface's normal, thrown back, or onward; default: of a contact normal, else onward",
    )
    gap: NotNegative = Field(
        0.0, description="between neighbours at their birth, units: they start so far along their ways that none touch"
    )
    speed: Literal["own", "kept"] = Field("own", description="that of their launch, or what it flew with")
    speed_share: Annotated[float, Field(gt=0, le=100)] = Field(1.0, description="kept: times that")
    damage: Literal["own", "kept", "shared"] = Field(
        "own", description="as their ability says; as what it would have dealt; or that, shared among them"
    )
    generations: Annotated[int, Field(ge=1, le=16)] | None = Field(
        None, description="how many may follow on one another; default: of its own ability 1 (none splits again); 16"
    )
    budget: Annotated[int, Field(ge=1, le=100_000)] = Field(
        1000, description="at most so many that come of one shot, through all generations"
    )

    @model_validator(mode="after")
    def _fits(self) -> Sends:
        if self.speed == "own" and "speed_share" in self.model_fields_set:
            raise ValueError('speed_share is for speed = "kept"')
        return self


class Effects(Table):
    """What may follow a contact, and any other moment."""

    sends: Sends | None = None


class Moment(Effects):
    """A moment in the air."""

    then: Literal["end", "go on"] = Field("end", description="whether it ends there and then, or flies on")


class Again(Moment):
    """What a further press means while a projectile of the ability is in the air."""

    of: Literal["newest", "oldest", "all"] = Field("newest", description="which of several")
    none_left: Literal["fire", "nothing"] = Field("fire", description="what the press means when none is left")
    also_fires: bool = Field(False, description="whether the press is a shot as well")


class AtAge(Moment):
    """So long after its launch."""

    at: Seconds = Field(description="seconds since its launch")


class AtFlown(Moment):
    """After so much path."""

    at: Positive = Field(description="length of its path, units")


class AtApex(Moment):
    """Where it ceases to rise."""


class Near(Moment):
    """So near to a body of a group, surface to surface."""

    within: Positive = Field(description="gap between the surfaces, units")
    group: Name | None = Field(None, description="bodies of this group; default: those of every target")


class Ended(Effects):
    """Wherever and however it ends."""


class When(Table):
    """What happens at other moments than a contact."""

    again: Again | None = None
    age: AtAge | None = None
    flown: AtFlown | None = None
    apex: AtApex | None = None
    near: Near | None = None
    ended: Ended | None = None
