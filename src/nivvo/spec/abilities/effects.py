"""Models of what follows a contact or another moment of a flight, and of those moments."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from nivvo.spec.scenes.values import Name, NotNegative, Number, Positive, Seconds, Share, Table, no_rows


class Sends(Table):
    """Projectiles of an ability leave from there: as many and as spread as its launch says, with age and path anew."""

    ability: Name = Field(description="whose projectiles; its own as well")
    along: Literal["normal", "reflected", "onward", "nearest"] | None = Field(
        None,
        description="along the surface's normal, thrown back, onward, or straight at the nearest body but what is "
        "touched, middle to middle; default: of a contact normal, else onward, at an apex level; what does not move: "
        "as it was aimed, at an apex up",
    )
    group: Name | None = Field(None, description="nearest: of this group; default: every target")
    within: Positive | None = Field(
        None, description="nearest: at most so far away, units, else nothing is sent; default: any distance"
    )
    each_once: bool = Field(
        False, description="nearest: nobody that something of the same shot was sent to or from before"
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
        1000, description="at most so many projectiles that come of one shot, through all generations"
    )

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.speed == "own" and "speed_share" in self.model_fields_set:
            raise ValueError('speed_share is for speed = "kept"')
        for key in ("group", "within", "each_once"):
            if self.along != "nearest" and key in self.model_fields_set:
                raise ValueError(f'{key} is for along = "nearest"')
        return self


class Blast(Table):
    """Damage to targets and shooters within a radius, each once; the gap is to the surface."""

    radius: Positive = Field(description="units, from the point of contact, or the projectile's middle")
    damage: NotNegative = Field(description="at its middle")
    falloff: Literal["none", "linear", "smooth"] = Field(
        "linear", description="toward the radius: as much everywhere, straight to nothing, or smoothly to nothing"
    )
    points: list[Annotated[list[Share], Field(min_length=2, max_length=2)]] | None = Field(
        None,
        min_length=1,
        description="in place of falloff: [share of the radius, share of the damage]",
    )
    shaded: bool = Field(
        False, description="whether obstacles shade: by the share of a body that they hide from its middle"
    )
    impulse: NotNegative = Field(
        0.0, description="pushes what has a mass away, at its middle so much (mass times units/s), less as the damage"
    )
    spares: list[Literal["owner", "struck"]] = Field(default_factory=no_rows, description="who takes none")

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.points is not None and "falloff" in self.model_fields_set:
            raise ValueError("write falloff or points, not both")
        if self.points is not None and any(a[0] >= b[0] for a, b in zip(self.points, self.points[1:], strict=False)):
            raise ValueError("points must go up in their first number")
        return self


class Score(Table):
    """Points for whoever fired."""

    points: Number = Field(0.0, description="for each contact; beyond the rings, if there are any")
    rings: list[Annotated[list[Number], Field(min_length=2, max_length=2)]] | None = Field(
        None, min_length=1, description="[radius in units, points]: by how far off its middle the face is touched"
    )
    streak_within: Positive | None = Field(
        None, description="a score so soon after the last (s) goes on with its streak"
    )
    streak_times: Annotated[float, Field(ge=1, le=100)] = Field(
        2.0, description="each score of a streak counts so many times the one before"
    )
    streak_most: Annotated[float, Field(ge=1, le=1_000_000)] = Field(10.0, description="at most so many times")

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.rings is None and not self.points:
            raise ValueError("needs points or rings")
        if self.rings is not None and any(a[0] >= b[0] for a, b in zip(self.rings, self.rings[1:], strict=False)):
            raise ValueError("rings must go up in their radius")
        return self


class Blink(Table):
    """Its shooter goes there, at the next tick, clear of all that is solid."""

    within: Positive | None = Field(
        None, description="at most so far from there to be clear, units, else it does not go; default: 1 m"
    )
    speed: Positive | None = Field(
        None, description="it goes there straight, so fast, whatever stands between, units/s; default: at once"
    )
    lasts: Seconds | None = Field(None, description="in place of speed: it takes so long, however far it is")
    turns: bool = Field(False, description="whether it then faces the way it went, if nothing else turns it")

    @model_validator(mode="after")
    def _one_pace(self) -> Self:
        if self.speed is not None and self.lasts is not None:
            raise ValueError("write speed or lasts, not both")
        return self


class Lasting(Table):
    """Damage to what was touched that goes on by itself."""

    damage: Positive = Field(description="each time")
    every: Seconds = Field(description="from the contact to the first, and from each to the next")
    times: Annotated[int, Field(ge=1, le=10_000)] = Field(description="how often")
    again: Literal["renews", "adds"] = Field(
        "renews", description="touched again by the same ability while it goes on: it begins anew, or both go on"
    )

    @model_validator(mode="after")
    def _goes_on(self) -> Self:
        if not self.every:
            raise ValueError("every must be more than 0 s; damage at once is on.GROUP.damage")
        return self


class Knock(Table):
    """What is touched and has a mass is pushed, at the next tick."""

    momentum: Share | None = Field(
        None, description="share of the projectile's momentum that it is given; default: 1; the ability needs mass"
    )
    impulse: Positive | None = Field(None, description="in place of momentum: mass times units/s")
    along: Literal["onward", "inward"] | None = Field(
        None, description="impulse: as the projectile flew, or straight into the surface; default: onward"
    )

    @model_validator(mode="after")
    def _one_push(self) -> Self:
        if self.momentum is not None and self.impulse is not None:
            raise ValueError("write momentum or impulse, not both")
        if self.along is not None and self.impulse is None:
            raise ValueError("along goes with impulse; momentum goes onward")
        return self


class Pull(Table):
    """What is touched comes straight to the shooter, from the next tick on, as far as nothing stands between."""

    speed: Positive = Field(description="units/s; what has a mass is given it, and goes on as it may")
    gap: NotNegative | None = Field(None, description="to the shooter's surface, where it stops, units; default: 0.1 m")


class Anchor(Table):
    """A mark is left where the surface is touched; on what moves it goes along."""

    size: Positive | None = Field(
        None, description="only where the surface is flat and free so far about the point, units; default: anywhere"
    )
    most: Annotated[int, Field(ge=1, le=1000)] = Field(
        1, description="at most so many of the ability; a newer one takes the place of the oldest"
    )
    pairs_with: Name | None = Field(None, description="an ability: its newest anchor and this one are linked")
    opens: Positive | None = Field(
        None,
        description="what touches so near to it, units, or walks in there, leaves by the newest it is linked with, "
        "turned as if there were a hole between; not what leaves such marks itself, and not on a body that turns; "
        "default: nothing",
    )


class Effects(Table):
    """What may follow a contact, and any other moment."""

    sends: Sends | None = None
    blast: Blast | None = None
    score: Score | None = None
    blink: Blink | None = None
    removes: bool = Field(False, description="what is touched is out at once, whatever its health")


class OnBody(Effects):
    """What may follow a contact alone: it is done to what is touched."""

    lasting: Lasting | None = None
    knock: Knock | None = None
    pull: Pull | None = None
    anchor: Anchor | None = None


class Moment(Effects):
    """A moment in the air."""

    then: Literal["end", "go on"] = Field("end", description="whether it ends there and then, or flies on")


class Fired(Effects):
    """At its launch."""


class Again(Moment):
    """What a further press means while a projectile of the ability is in the air."""

    then: Literal["end", "go on", "let go"] = Field(
        "end", description="whether it ends there and then, flies on, or is let go from its orbit"
    )
    of: Literal["newest", "oldest", "all"] = Field("newest", description="which of several")
    none_left: Literal["fire", "nothing", "there"] = Field(
        "fire",
        description="what the press means when none is left: a shot, nothing, or what follows happens where the last "
        "one ended, once",
    )
    also_fires: bool = Field(False, description="whether the press is a shot as well")
    button: Name | None = Field(
        None, description="a button of its own, which never fires; default: that of firing, which fires if none is left"
    )


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

    fired: Fired | None = None
    again: Again | None = None
    age: AtAge | None = None
    flown: AtFlown | None = None
    apex: AtApex | None = None
    near: Near | None = None
    ended: Ended | None = None
