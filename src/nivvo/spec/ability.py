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

    by: Literal["facing", "fixed", "cursor", "stick", "nearest", "lead"] = Field(
        "facing", description="where the direction comes from; nearest: a body, lead: where it will be met"
    )
    direction: Degrees | None = Field(None, description="fixed: from +x toward +y, in degrees")
    elevation: Elevation | None = Field(None, description="fixed, in 3D: above the horizontal, in degrees")

    dead_zone: Annotated[float, Field(ge=0, lt=1)] = Field(
        0.2, description="stick: nearer to its middle counts as centred"
    )
    snap: Annotated[int, Field(ge=2, le=360)] | None = Field(None, description="stick: only so many directions")
    turn_rate: Positive | None = Field(None, description="stick: at most so many degrees a second")
    group: Name | None = Field(None, description="nearest, lead: bodies of this group; default: every target")
    within: Positive | None = Field(None, description="nearest, lead: at most so far from the muzzle, units")
    cone: Annotated[float, Field(gt=0, le=360)] = Field(
        360.0, description="nearest, lead: full angle around the facing"
    )
    prefers: Literal["distance", "angle"] = Field("distance", description="nearest, lead: which of several")
    in_sight: bool = Field(False, description="nearest, lead: only what no obstacle hides from the muzzle")
    otherwise: Literal["facing", "refuse"] = Field("facing", description="nearest, lead: with nothing to aim at")

    @model_validator(mode="after")
    def _fits(self) -> Aim:
        if self.by == "fixed" and self.direction is None:
            raise ValueError('aim by = "fixed" needs direction')
        for key, ways in KEYS_OF_AIM.items():
            if key in self.model_fields_set and getattr(self, key) is not None and self.by not in ways:
                raise ValueError(f'{key} is for aim by = "{ways[0]}"; here by = "{self.by}"')
        return self


SEEKS = ("nearest", "lead")
KEYS_OF_AIM = {
    "direction": ("fixed",),
    "elevation": ("fixed",),
    **dict.fromkeys(("dead_zone", "snap", "turn_rate"), ("stick",)),
    **dict.fromkeys(("group", "within", "cone", "prefers", "in_sight", "otherwise"), SEEKS),
}
"""Each key of an aim and the ways of aiming that it goes with."""


SOLVED = {
    "low": ("speed",),
    "high": ("speed",),
    "by elevation": ("elevation",),
    "by time": ("time",),
    "by apex": ("apex",),
}
"""Each solved arc and the one key that it is solved from."""


class Launch(Table):
    """How fast, and how steep; or an arc that is solved so that it reaches the aim point."""

    speed: depending(Positive, above=0.0) | None = Field(None, description="units/s")
    elevation: depending(Elevation, low=-90.0) | None = Field(
        None, description="above the horizontal, in degrees; without it, along the aim"
    )
    arc: Literal["low", "high", "by elevation", "by time", "by apex"] | None = Field(
        None,
        description="solve the launch so that it reaches the aim point: low or high at the speed, or by another key",
    )
    time: Positive | None = Field(None, description='arc = "by time": seconds of flight')
    apex: Positive | None = Field(None, description='arc = "by apex": highest point above the muzzle, units')
    out_of_reach: Literal["refuse", "farthest", "best elevation"] | None = Field(
        None, description="arc low or high: what to do where the speed is not enough; default: refuse"
    )

    count: Annotated[int, Field(ge=1, le=250)] = Field(1, description="projectiles a shot")
    fan: Annotated[float, Field(gt=0, le=360)] | None = Field(
        None, description="degrees over which they are spread evenly, ends included"
    )
    cone: Annotated[float, Field(gt=0, le=180)] | None = Field(
        None, description="full angle of a cone in which each flies at random, degrees"
    )
    scatter: Annotated[float, Field(gt=0, le=90)] | None = Field(
        None, description="standard deviation of a normal spread, degrees"
    )

    @model_validator(mode="after")
    def _one_spread(self) -> Launch:
        given = [key for key in ("fan", "cone", "scatter") if getattr(self, key) is not None]
        if len(given) > 1:
            raise ValueError(f"one spread of fan, cone, scatter; given: {' and '.join(given)}")
        if self.count > 1 and not given:
            raise ValueError(f"count = {self.count} needs fan, cone or scatter: without, all fly as one")
        if self.fan is not None and self.count < 2:
            raise ValueError("a fan needs count, of at least 2")
        return self

    @model_validator(mode="after")
    def _one_way(self) -> Launch:
        if self.arc is None:
            for key in ("time", "apex", "out_of_reach"):
                if getattr(self, key) is not None:
                    raise ValueError(f'{key} is for a solved arc, as arc = "{ARC_OF[key]}"')
            return self
        for key in ("speed", "elevation", "time", "apex"):
            needed = key in SOLVED[self.arc]
            if needed and getattr(self, key) is None and key != "speed":
                raise ValueError(f'arc = "{self.arc}" needs {key}')
            if not needed and getattr(self, key) is not None:
                raise ValueError(
                    f'{key} does not go with arc = "{self.arc}", which is solved from {SOLVED[self.arc][0]}'
                )
        if self.out_of_reach is not None and self.arc not in ("low", "high"):
            raise ValueError('out_of_reach is for arc = "low" or "high"')
        return self


ARC_OF = {"time": "by time", "apex": "by apex", "out_of_reach": "low"}


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
