"""Models of what acts on a projectile in the air."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from nivvo.spec.scenes.values import HUGE, Name, NotNegative, Positive, Seconds, Share, Table, Vector

Turning = Annotated[float, Field(gt=0, le=36_000)]
Turns = Annotated[float, Field(ge=-36_000, le=36_000)]
Sideways = Annotated[float, Field(ge=-HUGE, le=HUGE)]


class Drag(Table):
    """What slows a projectile against the air: acceleration -(linear + square * speed) * velocity."""

    linear: NotNegative = Field(0.0, description="1/s")
    square: NotNegative = Field(0.0, description="1/unit")
    per_tick: Annotated[float, Field(gt=0, le=1)] = Field(
        1.0, description="factor of the velocity each tick; in exact step the linear drag that does as much"
    )


class Thrust(Table):
    """What drives a projectile on."""

    acceleration: Positive = Field(description="units/s²")
    along: Literal["velocity", "launch", "heading"] = Field(
        "velocity", description="the velocity, the direction of the launch, or where it points: its heading"
    )
    after: Seconds = Field(0.0, validate_default=True, description="how long after the launch it begins")
    lasts: Seconds | None = Field(None, description="for how long; default: as long as it flies")


LAWS = ("pursuit", "lead", "proportional", "blend")
GAINS = {"pursuit": 10.0, "lead": 10.0, "proportional": 4.0, "blend": 4.0}


class Homing(Table):
    """How a projectile steers toward a body."""

    law: Literal[LAWS] = Field(
        "pursuit",
        description="pursuit: it points at it; lead: at where it will meet it; proportional: it turns gain times as "
        "fast as the line of sight; blend: its velocity is drawn toward it, at the launch's speed",
    )
    toward: Literal["target", "shooter"] = Field(
        "target", description="a body that it finds, or back to its own shooter, wherever he is then"
    )
    turn_rate: Turning | None = Field(None, description="at most so many degrees a second; default: 180; not for blend")
    sideways: Positive | None = Field(None, description="at most so much acceleration sideways, units/s²")
    gain: Annotated[float, Field(gt=0, le=1000)] | None = Field(
        None,
        description="pursuit, lead: share of the angle left that goes each second, default 10; blend: the same of the "
        "velocity, default 4; proportional: turns for each turn of the line of sight, default 4",
    )
    after: Seconds = Field(0.0, validate_default=True, description="how long after the launch it begins")
    lasts: Seconds | None = Field(None, description="for how long; default: as long as it flies")
    group: Name | None = Field(None, description="bodies of this group; default: every target")
    body: Name | None = Field(None, description="in place of group and choice: this body and no other")
    choice: Literal["nearest", "by angle", "near the aim", "aimed at", "spread out"] = Field(
        "nearest",
        description="which of several: the nearest; nearest to its way by angle; nearest to the aim point; the one "
        "that the shot was aimed at, else the nearest; or the one that fewest of the ability follow",
    )
    within: Positive | None = Field(None, description="at most so far away, to find it and to keep it, units")
    cone: Annotated[float, Field(gt=0, le=360)] = Field(
        360.0, description="full angle about its way in which it finds one, degrees"
    )
    keeps_cone: Annotated[float, Field(gt=0, le=360)] = Field(
        360.0, description="full angle about its way outside which it loses it, degrees"
    )
    in_sight: bool = Field(False, description="only what no obstacle hides, to find it and to keep it")
    looks_every: Seconds = Field(
        0.1, validate_default=True, description="while it has none, how often it looks for one"
    )
    when_lost: Literal["look again", "fly on", "end"] = Field(
        "look again", description="when it loses it, or it is out: look for another, fly on as it is, or end"
    )

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.law == "blend" and self.turn_rate is not None:
            raise ValueError('turn_rate does not go with law = "blend"; gain says how fast it turns')
        if self.toward == "shooter":
            given = [key for key in SEEKING if key in self.model_fields_set]
            if given:
                raise ValueError(f'{given[0]} is for toward = "target"; the way back needs no search')
        if self.body is not None and {"group", "choice"} & self.model_fields_set:
            raise ValueError("body says whom it follows: write no group and no choice")
        if self.keeps_cone < self.cone and "keeps_cone" in self.model_fields_set:
            raise ValueError(
                f"keeps_cone ({self.keeps_cone:g}) is less than cone: it would lose what it has just found"
            )
        return self


SEEKING = ("group", "body", "choice", "within", "cone", "keeps_cone", "in_sight", "looks_every", "when_lost")


class Sway(Table):
    """Weaving or spiralling about the way that it would fly, which stays as it is."""

    across: Sideways = Field(
        0.0, description="how far to the sides, units; in side view up and down; below 0: mirrored"
    )
    up: Sideways = Field(0.0, description="in 3D, how far up and down, a quarter period apart: with across, a spiral")
    period: Annotated[float, Field(ge=0.01, le=1000)] = Field(description="seconds from side to side and back")
    grows_over: Seconds | None = Field(None, description="from nothing to that; default: half a period")

    @model_validator(mode="after")
    def _some(self) -> Self:
        if self.across == 0.0 and self.up == 0.0:
            raise ValueError("needs across, or in 3D up: how far it sways")
        if self.grows_over is not None and not self.grows_over:
            raise ValueError("grows_over must be more than 0 s: what sways at once would leave another way than aimed")
        return self


class Orbit(Table):
    """Going round the shooter until it is let go; then it flies on as it goes."""

    radius: Positive = Field(description="units; several of one shot begin as far round as its launch spreads them")
    turn_rate: Turns = Field(
        description="degrees a second, from forward toward up in side view, toward the right elsewhere; or below 0"
    )
    lasts: Literal["forever"] | Seconds = Field("forever", description='seconds until it is let go, or "forever"')
    grows_over: Seconds = Field(
        0.3, validate_default=True, description="seconds over which it goes from the muzzle to the radius"
    )

    @model_validator(mode="after")
    def _turns(self) -> Self:
        if self.turn_rate == 0.0:
            raise ValueError("turn_rate = 0 does not go round; from -36000 to 36000 degrees a second")
        if not self.grows_over:
            raise ValueError("grows_over must be more than 0 s: it would jump from the muzzle to the radius")
        return self


class Flight(Table):
    """What acts in the air."""

    gravity_share: Annotated[float, Field(ge=-1000, le=1000)] = Field(1.0, description="share of the world's gravity")
    wind_share: Share = Field(1.0, description="share of the world's wind that it feels, through its drag")
    push: Vector | None = Field(None, description="a constant acceleration beside gravity, units/s²")
    drag: Drag = Field(default_factory=Drag.unwritten)
    thrust: Thrust | None = None
    top_speed: Positive | None = Field(None, description="what acts makes it no faster, units/s; it fades from 98 % on")
    at_top: Literal["holds", "cuts"] = Field(
        "holds", description="faster than its top speed, as by its launch: it stays so, or is cut down to it"
    )
    lowest_speed: Positive | None = Field(None, description="what acts makes it no slower, units/s")
    homing: Homing | None = None
    sway: Sway | None = None
    orbit: Orbit | None = None
    instant: bool = Field(False, description="no travel time: to the first thing on its line within its reach")

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.at_top == "cuts" and self.top_speed is None:
            raise ValueError('at_top = "cuts" needs top_speed')
        if self.top_speed is not None and self.lowest_speed is not None and self.lowest_speed >= self.top_speed:
            raise ValueError(f"lowest_speed ({self.lowest_speed:g}) is not below top_speed ({self.top_speed:g})")
        if self.orbit is not None and self.sway is not None:
            raise ValueError("sway and orbit do not go together")
        if self.instant:
            given = [key for key in TAKE_TIME if getattr(self, key) is not None]
            if given:
                raise ValueError(f"{given[0]} takes time to act, and instant = true leaves none")
        return self


TAKE_TIME = ("push", "thrust", "homing", "sway", "orbit", "top_speed", "lowest_speed")
