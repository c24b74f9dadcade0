"""Models of an ability and its parts: firing, aim, launch, flight, limits, answers to contacts."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from nivvo.spec.scene import Shape
from nivvo.spec.values import Degrees, Name, NotNegative, Positive, Seconds, Share, Table, depending

Elevation = Annotated[float, Field(ge=-90, le=90)]


class Firing(Table):
    """What turns a button into shots."""

    kind: Literal["single"] = Field("single", description="single: one press, one shot")
    button: Name = "fire"


class Aim(Table):
    """What turns input into a direction."""

    by: Literal["facing", "fixed", "cursor"] = Field("facing", description="where the direction comes from")
    direction: Degrees | None = Field(None, description="fixed: from +x toward +y, in degrees")
    elevation: Elevation | None = Field(None, description="fixed, in 3D: above the horizontal, in degrees")

    @model_validator(mode="after")
    def _fits(self) -> Aim:
        if self.by == "fixed" and self.direction is None:
            raise ValueError('aim by = "fixed" needs direction')
        if self.by != "fixed":
            for key in ("direction", "elevation"):
                if getattr(self, key) is not None:
                    raise ValueError(f'{key} is for aim by = "fixed"; here by = "{self.by}"')
        return self


class Launch(Table):
    """How fast, and how steep."""

    speed: depending(Positive, above=0.0) = Field(description="units/s")
    elevation: depending(Elevation, low=-90.0) | None = Field(
        None, description="above the horizontal, in degrees; without it, along the aim"
    )


class Flight(Table):
    """What acts in the air."""

    gravity: Annotated[float, Field(ge=-1000, le=1000)] = Field(1.0, description="share of the world's gravity")


class Limits(Table):
    """What ends a projectile that touches nothing."""

    life: Literal["forever"] | Seconds = Field(
        10.0, validate_default=True, description='seconds, "90 ticks", or "forever"'
    )
    reach: Literal["endless"] | Positive = Field("endless", description='path length in units, or "endless"')


class Answer(Table):
    """What happens at a contact with a group."""

    then: Literal["end", "pass", "ignore"] = Field(
        "end", description="end: it ends there; pass: the touch is noted and it flies on; ignore: never touched"
    )
    damage: depending(NotNegative, low=0.0) = Field(0.0, description="taken from the body's health")


class Ability(Table):
    """What one button does."""

    shooter: Name | None = Field(None, description="who has it; default: every shooter")
    muzzle: Name | None = Field(
        None, description="which muzzle of the shooter; default: its first, else one made clear"
    )
    firing: Firing = Field(default_factory=Firing)
    aim: Aim = Field(default_factory=Aim)
    launch: Launch
    shape: Shape | None = Field(None, description="a ball; default: a tenth of a metre")
    owner: Literal["once clear", "never", "always"] = Field(
        "once clear", description="when its own shooter may be touched: once clear of its body, never, always"
    )
    inherit: Share = Field(0.0, description="share of the shooter's velocity that the shot starts with")
    flight: Flight = Field(default_factory=Flight)
    limits: Limits = Field(default_factory=Limits)
    on: dict[Name, Answer] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _ball(self) -> Any:
        if self.shape is not None and self.shape.ball is None:
            raise ValueError("shape: a projectile is a ball, as shape.ball = 0.15")
        return self
