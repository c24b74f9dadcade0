"""Models of an ability and its parts: firing, aim, launch, flight, limits, answers to contacts."""

from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from nivvo.spec.abilities.effects import OnBody, When
from nivvo.spec.abilities.flight import Flight
from nivvo.spec.scenes.scene import Axis, Shape, only
from nivvo.spec.scenes.values import (
    LONGEST,
    SETTLED,
    Degrees,
    Depends,
    Name,
    NotNegative,
    Positive,
    Seconds,
    Share,
    Table,
    Vector,
    depending,
    no_rows,
    no_tables,
)

Elevation = Annotated[float, Field(ge=-90, le=90)]


class Heat(Table):
    """What shooting warms, and how it cools: at 1 it is too hot."""

    per_shot: Annotated[float, Field(gt=0, le=1)] = Field(description="what each shot adds")
    cooling: Annotated[float, Field(ge=1e-4, le=1e6)] = Field(description="what goes each second")
    resume_at: Share = Field(0.0, description="too hot, it waits until it is down to this")


FIRING_KINDS = ("single", "auto", "burst", "charge", "ready")


class Firing(Table):
    """What turns a button into shots."""

    kind: Literal[FIRING_KINDS] = Field(
        "single",
        description="single: one press, one shot; auto: shots while held; burst: several a press; charge: hold, "
        "release fires; ready: a press shows the aim, a second fires",
    )
    button: Name = Field("fire", description="what is pressed for it; several abilities may share one")
    interval: Seconds | None = Field(None, description="auto, burst: between two shots; auto: or rate")
    rate: Annotated[float, Field(ge=1e-4, le=1_000_000)] | None = Field(
        None, description="auto: shots a second; or interval"
    )
    shots: Annotated[int, Field(ge=1, le=1000)] | None = Field(None, description="burst: how many")
    on_release: Literal["finish", "stop"] = Field("finish", description="burst: when the button goes up before its end")
    full_after: Seconds | None = Field(None, description="charge: the hold at which it is full")
    at_full: Literal["wait", "let go", "fizzle", "fall back"] = Field(
        "wait",
        description="charge, when full: wait for the release, fire by itself, end without a shot, or fall to the base",
    )
    min_hold: Seconds | None = Field(None, description="charge: the shortest hold that counts")
    under_min_hold: Literal["base", "nothing"] = Field("base", description="charge: what a shorter hold fires")
    confirm: Name | None = Field(None, description="ready: the button that fires; default: its own button again")
    cancel: Name | None = Field(None, description="a button that breaks off what was begun")
    gives_up_after: Seconds | None = Field(None, description="ready: how long it waits to be confirmed")
    cancels: list[Name] = Field(default_factory=no_rows, description="abilities that it breaks off when it begins")
    cancelled_by_damage: bool = Field(False, description="whether damage to its shooter breaks it off")
    locks_movement: bool = Field(False, description="no walking while ready, charging, winding up or recovering")
    wind_up: Seconds | None = Field(None, description="from the decision to the shot")
    recovery: Seconds | None = Field(None, description="after the last shot of a use")
    cooldown: Seconds | None = Field(None, description="from the last shot of a use to the next use")
    shared_cooldown: Name | None = Field(None, description="abilities with the same word here share their cooldown")
    remembers: Seconds | None = Field(None, description="for how long a press that comes too early is kept")
    ammo: Annotated[int, Field(ge=1, le=1_000_000)] | None = Field(None, description="shots before it must be reloaded")
    reload: Seconds | None = Field(None, description="how long a reload takes; it begins when the ammo is gone")
    heat: Heat | None = None

    @model_validator(mode="after")
    def _fits(self) -> Self:
        for key, kinds in KEYS_OF_FIRING.items():
            if key in self.model_fields_set and getattr(self, key) is not None and self.kind not in kinds:
                raise ValueError(f'{key} is for kind = "{kinds[0]}"; here kind = "{self.kind}"')
        if self.kind == "auto" and (self.interval is None) == (self.rate is None):
            raise ValueError('kind = "auto" needs either interval or rate')
        if self.interval is not None and not self.interval:
            raise ValueError("interval must be more than 0 s")
        if self.kind == "burst" and (self.shots is None or self.interval is None):
            raise ValueError('kind = "burst" needs shots and interval')
        if self.at_full != "wait" and self.full_after is None:
            raise ValueError(f'at_full = "{self.at_full}" needs full_after')
        if self.reload is not None and self.ammo is None:
            raise ValueError("reload needs ammo")
        return self


KEYS_OF_FIRING = {
    "interval": ("auto", "burst"),
    "rate": ("auto",),
    **dict.fromkeys(("shots", "on_release"), ("burst",)),
    **dict.fromkeys(("full_after", "at_full", "min_hold", "under_min_hold"), ("charge",)),
    **dict.fromkeys(("confirm", "gives_up_after"), ("ready",)),
}
"""Each key of firing and the kinds that it goes with."""


class Camera(Table):
    """A camera that the sight looks through, toward a point of its screen."""

    at: Vector = Field(description="its place")
    look: Annotated[list[Degrees], Field(min_length=2, max_length=2)] = Field(
        description="where its middle looks: [direction, elevation], degrees"
    )
    field_of_view: Annotated[float, Field(gt=0, lt=180)] = Field(60.0, description="vertical field of view, degrees")
    screen: Annotated[list[Positive], Field(min_length=2, max_length=2)] = Field(
        [1280.0, 720.0], description="width and height in pixels; screen points count from the upper left"
    )


class Assist(Table):
    """A little help toward a target near the line of aim."""

    cone: Annotated[float, Field(gt=0, le=180)] = Field(description="full angle around the aim, degrees")
    max_turn: Annotated[float, Field(gt=0, le=90)] = Field(description="at most so many degrees")
    within: Positive | None = Field(None, description="at most so far away, units")
    group: Name | None = Field(None, description="bodies of this group; default: every target")


class Aim(Table):
    """What turns input into a direction."""

    by: Literal["facing", "fixed", "cursor", "stick", "sight", "nearest", "lead"] = Field(
        "facing",
        description="where the direction comes from; sight: what the eye looks at, nearest: a body, "
        "lead: where it will be met",
    )
    direction: Degrees | None = Field(None, description="fixed: from +x toward +y, in degrees")
    elevation: Elevation | None = Field(None, description="fixed, in 3D: above the horizontal, in degrees")

    dead_zone: Annotated[float, Field(ge=0, lt=1)] = Field(
        0.2, description="stick: nearer to its middle counts as centred"
    )
    snap: Annotated[int, Field(ge=2, le=360)] | None = Field(None, description="stick: only so many directions")
    turn_rate: Positive | None = Field(
        None, description="at most so many degrees a second; in 3D its direction and its elevation each"
    )
    curve: Annotated[float, Field(gt=0, le=10)] | None = Field(
        None, description="stick: turns at the turn rate times its tilt (rescaled past the dead zone) to this power"
    )
    camera: Camera | None = Field(None, description="sight: through a camera, in place of the shooter's eye")
    sight_range: Positive | None = Field(
        None, description="how far the sight sees, and how far away a far point is, units; default: 1000 m"
    )
    line_blocked: Literal["fire anyway", "refuse"] = Field(
        "fire anyway", description="sight: when something hides from the muzzle what the eye sees"
    )
    group: Name | None = Field(None, description="nearest, lead: bodies of this group; default: every target")
    within: Positive | None = Field(None, description="nearest, lead: at most so far from the muzzle, units")
    cone: Annotated[float, Field(gt=0, le=360)] = Field(
        360.0, description="nearest, lead: full angle around the facing"
    )
    nearest_by: Literal["distance", "angle"] = Field("distance", description="nearest, lead: which of several")
    in_sight: bool = Field(False, description="nearest, lead: only what no obstacle hides from the muzzle")
    without_target: Literal["facing", "keep", "far", "refuse"] | None = Field(
        None,
        description="with nothing to aim at: along the facing, keep the last direction, a far point, or refuse; "
        "default: sight far, nearest and lead facing",
    )
    assist: Assist | None = Field(None, description="bends the aim toward a target near its line")
    direction_within: (
        Annotated[list[Annotated[float, Field(ge=-180, le=180)]], Field(min_length=2, max_length=2)] | None
    ) = Field(None, description="how far it can turn from the facing: [least, most], degrees")
    elevation_within: Annotated[list[Elevation], Field(min_length=2, max_length=2)] | None = Field(
        None, description="how low and how high it can aim: [least, most], degrees"
    )

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.by == "fixed" and self.direction is None:
            raise ValueError('aim by = "fixed" needs direction')
        for key, ways in KEYS_OF_AIM.items():
            if key in self.model_fields_set and getattr(self, key) is not None and self.by not in ways:
                raise ValueError(f'{key} is for aim by = "{ways[0]}"; here by = "{self.by}"')
        for key in ("direction_within", "elevation_within"):
            limits = getattr(self, key)
            if limits is not None and limits[0] > limits[1]:
                raise ValueError(f"{key}: the least ({limits[0]:g}) is more than the most ({limits[1]:g})")
        if self.curve is not None and self.turn_rate is None:
            raise ValueError("curve shapes the turn rate: give turn_rate too")
        if self.without_target == "facing" and self.by == "sight":
            raise ValueError('a sight with nothing to look at takes without_target = "far", "keep" or "refuse"')
        return self


SEEKS = ("nearest", "lead")
KEYS_OF_AIM = {
    "direction": ("fixed",),
    "elevation": ("fixed",),
    **dict.fromkeys(("dead_zone", "snap", "curve"), ("stick",)),
    "turn_rate": ("stick", "cursor", "facing", "sight", *SEEKS),
    **dict.fromkeys(("camera", "line_blocked"), ("sight",)),
    "sight_range": ("sight", *SEEKS),
    **dict.fromkeys(("group", "within", "cone", "nearest_by", "in_sight"), SEEKS),
    "without_target": (*SEEKS, "sight"),
    "assist": ("stick", "cursor", "sight", "facing", "fixed"),
}
"""Each key of an aim and the ways of aiming that it goes with."""


SOLVED = {
    "low": ("speed",),
    "high": ("speed",),
    "by elevation": ("elevation",),
    "by flight time": ("flight_time",),
    "by apex": ("apex",),
}
"""Each solved arc and the one key that it is solved from."""


class Launch(Table):
    """How fast, and how steep; or an arc that is solved so that it reaches the aim point."""

    speed: depending(NotNegative, low=0.0) | None = Field(None, description="units/s; 0: it stays where it leaves")
    elevation: depending(Elevation, low=-90.0) | None = Field(
        None, description="above the horizontal, in degrees; without it, along the aim"
    )
    velocity: Vector | None = Field(
        None,
        description="in place of speed and elevation, units/s: [forward, up] in side view, [forward, right] seen "
        "from above, [forward, right, up] in 3D; forward is the aim's, on the level",
    )
    impulse: depending(Positive, above=0.0) | None = Field(None, description="in place of speed: impulse / mass")
    one_tick_force: Positive | None = Field(
        None, description="in place of speed: a force that acts for one tick; what it gives hangs on the tick rate"
    )
    arc: Literal["low", "high", "by elevation", "by flight time", "by apex"] | None = Field(
        None,
        description="solve the launch so that it reaches the aim point: low or high at the speed, or by another key",
    )
    flight_time: Positive | None = Field(None, description='arc = "by flight time": seconds of flight')
    apex: Positive | None = Field(None, description='arc = "by apex": highest point above the muzzle, units')
    out_of_reach: Literal["refuse", "farthest", "best elevation"] | None = Field(
        None, description="arc low or high: what to do where the speed is not enough; default: refuse"
    )

    clears: Name | list[Name] | None = Field(
        None, description="arc low or high: bodies to pass by the margin; the other arc if this one does not"
    )
    margin: NotNegative = Field(0.0, description="clears: gap between the surfaces, units")

    count: depending(Annotated[int, Field(ge=1, le=250)], low=1.0) = Field(1, description="projectiles a shot")
    fan: depending(Annotated[float, Field(gt=0, le=360)], above=0.0) | None = Field(
        None, description="degrees over which they are spread evenly, ends included; 360: all around, one straight on"
    )
    fan_roll: Degrees = Field(0.0, description="in 3D, degrees by which the fan's plane is turned, from level to up")
    ring: depending(Annotated[float, Field(gt=0, le=360)], above=0.0) | None = Field(
        None, description="full angle of a cone around which they are spread evenly, degrees; in 2D as fan"
    )
    cone: depending(Annotated[float, Field(gt=0, le=180)], above=0.0) | None = Field(
        None, description="full angle of a cone in which each flies at random, degrees"
    )
    scatter: depending(Annotated[float, Field(gt=0, le=90)], above=0.0) | None = Field(
        None, description="standard deviation of a normal spread, degrees"
    )

    @model_validator(mode="after")
    def _one_spread(self) -> Self:
        given = [key for key in SPREADS if getattr(self, key) is not None]
        if len(given) > 1:
            raise ValueError(f"one spread of {', '.join(SPREADS)}; given: {' and '.join(given)}")
        if isinstance(self.count, int) and self.count > 1 and not given:
            raise ValueError(f"count = {self.count} needs fan, ring, cone or scatter: without, all fly as one")
        for key in ("fan", "ring"):
            if getattr(self, key) is not None and isinstance(self.count, int) and self.count < 2:
                raise ValueError(f"a {key} needs count, of at least 2")
        if self.fan_roll and self.fan is None:
            raise ValueError("fan_roll needs fan")
        return self

    @model_validator(mode="after")
    def _one_source(self) -> Self:
        given = [key for key in SOURCES if getattr(self, key) is not None]
        if len(given) > 1:
            raise ValueError(f"one of {', '.join(SOURCES)}; given: {' and '.join(given)}")
        if self.velocity is not None and (self.elevation is not None or self.arc is not None):
            raise ValueError("velocity says it all: it goes with no elevation and no arc")
        if "margin" in self.model_fields_set and self.clears is None:
            raise ValueError("margin goes with clears")
        return self

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if self.arc is None:
            for key in ("flight_time", "apex", "out_of_reach", "clears"):
                if getattr(self, key) is not None:
                    raise ValueError(f'{key} is for a solved arc, as arc = "{ARC_OF[key]}"')
            return self
        for key in ("speed", "elevation", "flight_time", "apex"):
            needed = key in SOLVED[self.arc]
            if needed and getattr(self, key) is None and key != "speed":
                raise ValueError(f'arc = "{self.arc}" needs {key}')
            if not needed and getattr(self, key) is not None:
                raise ValueError(
                    f'{key} does not go with arc = "{self.arc}", which is solved from {SOLVED[self.arc][0]}'
                )
        for key in ("out_of_reach", "clears"):
            if getattr(self, key) is not None and self.arc not in ("low", "high"):
                raise ValueError(f'{key} is for arc = "low" or "high"')
        return self


SPREADS = ("fan", "ring", "cone", "scatter")
ARC_OF = {"flight_time": "by flight time", "apex": "by apex", "out_of_reach": "low", "clears": "low"}
SOURCES = ("speed", "velocity", "impulse", "one_tick_force")
"""What can say how fast a shot leaves."""


class Heading(Table):
    """Which way a projectile points while it flies: for its picture, what is mounted on it, by which end it sticks."""

    follows: Literal["velocity", "launch", "spin"] = Field(
        "velocity", description="the velocity; the launch, kept; or spinning from it"
    )
    spin: Degrees | None = Field(
        None,
        description="degrees a second, in the sense of directions; in side view mirrored for what leaves to the left",
    )
    front: Axis = Field("+x", description="which axis of its own model is the pointed end")

    @model_validator(mode="after")
    def _spins(self) -> Self:
        if (self.follows == "spin") != (self.spin is not None):
            raise ValueError('follows = "spin" and spin go together')
        return self


class Limits(Table):
    """What ends a projectile that touches nothing."""

    life: Literal["forever"] | Seconds | Depends = Field(
        10.0, validate_default=True, description='seconds, "90 ticks", or "forever"'
    )
    reach: Literal["endless"] | Positive | Depends = Field("endless", description='length in units, or "endless"')
    reach_from: Literal["path", "launch", "shooter"] = Field(
        "path",
        description="reach is length of the path, or distance from where it was launched, or from the shooter now",
    )
    in_the_air: Annotated[int, Field(ge=1, le=100_000)] | Literal["any"] = Field(
        "any", description='at most so many in the air at once, or "any"'
    )
    shared_limit: Name | None = Field(None, description="abilities with the same word here are counted together")
    when_full: Literal["refuse", "end oldest"] = Field("refuse", description="a shot that would be one too many")

    @model_validator(mode="after")
    def _settled(self) -> Self:
        for key in ("life", "reach"):
            value = getattr(self, key)
            if isinstance(value, Depends):
                if value.by not in SETTLED:
                    raise ValueError(f"{key} is settled at launch; it takes {', '.join(SETTLED)}")
                if any(one <= 0.0 for one in value.values()):
                    raise ValueError(f"{key}: every value must be greater than 0")
                if key == "life" and any(one > LONGEST for one in [*value.values(), value.deviation or 0.0]):
                    raise ValueError(f"life: every value must be at most {LONGEST:g} seconds")
        if self.in_the_air == "any" and (self.shared_limit or "when_full" in self.model_fields_set):
            raise ValueError("shared_limit and when_full go with in_the_air")
        return self


class Answer(OnBody):
    """What happens at a contact with a group."""

    then: Literal["end", "pass", "ignore", "bounce", "slide", "lodge"] = Field(
        "end",
        description="end: it ends there; pass: the touch is noted and it flies on; ignore: never touched; "
        "bounce: it is thrown back; slide: it goes on along the surface; lodge: it stays there, on what moves too",
    )
    restitution: Share | None = Field(None, description="bounce: share of the speed along the normal that is kept")
    friction: Annotated[float, Field(ge=0, le=100)] | None = Field(
        None,
        description="bounce: what it loses along the surface, per change along the normal; slide: the share of what "
        "presses it on that slows it; default: 0",
    )
    rests: Literal["ends", "stays", "rolls"] | None = Field(
        None,
        description="bounce: when it bounces no more it ends, stays there, or rolls on along the surface",
    )
    rolling: Annotated[float, Field(ge=0, le=100)] | None = Field(
        None, description='rests = "rolls": the share of what presses it on that slows it; default: 0.02'
    )
    bounces: Annotated[int, Field(ge=1, le=1_000_000)] | None = Field(
        None, description="bounce: at most so many; the contact after the last ends it; default: any number"
    )
    least_speed: NotNegative | None = Field(
        None,
        description="bounce: thrown back slower than this along the normal of what it is pressed onto, it bounces no "
        "more and rests, units/s; default: 0.1 m/s; in a game's own step more where a tick gives more back: what it "
        "gains in one, times restitution / (1 - restitution) or 3, the less of both",
    )
    pierces: Annotated[int, Field(ge=1, le=1_000_000)] | None = Field(
        None, description="pass: through at most so many bodies; the next ends it; default: any number"
    )
    speed_kept: Annotated[float, Field(gt=0, le=1)] | None = Field(
        None, description="pass: share of its speed that is left behind the body; default: 1"
    )
    damage_kept: Share | None = Field(
        None, description="pass: share of its damage that is left behind the body; default: 1"
    )
    within: Annotated[float, Field(gt=0, le=90)] | None = Field(
        None,
        description="lodge: only if its pointed end comes so near to straight into the surface, degrees; what that is "
        "heading.follows says; default: however it comes",
    )
    first_touch: bool = Field(False, description="lodge: only if it has touched nothing else before")
    body_out: Literal["falls", "ends"] | None = Field(
        None, description="lodge: when the body that it sticks in is out, it falls off, or ends too; default: falls"
    )
    depth: NotNegative | None = Field(None, description="lodge: how deep it goes in, units; default: 0")
    otherwise: Literal["end", "pass", "bounce"] | None = Field(
        None, description="lodge: what happens where it cannot; bounce needs restitution; default: end"
    )
    whose: Literal["any", "own", "others"] | None = Field(
        None, description="on an ability: projectiles of anybody, of the same shooter, or of others; default: any"
    )
    damage: depending(NotNegative, low=0.0, on=(*SETTLED, "age", "flown", "off_middle", "from_front", "speed")) = Field(
        0.0, description="taken from the body's health"
    )
    heals: NotNegative | None = Field(
        None, description="in place of damage: given to its health, up to what it began with"
    )

    @model_validator(mode="after")
    def _bounces(self) -> Self:
        thrown, written = "bounce" in (self.then, self.otherwise), self.model_fields_set
        if thrown and self.restitution is None:
            where = "then" if self.then == "bounce" else "otherwise"
            raise ValueError(f'{where} = "bounce" needs restitution, from 0 to 1')
        for key in ("restitution", "friction", "bounces", "least_speed", "rests"):
            also = key == "friction" and self.then == "slide"
            if not thrown and not also and getattr(self, key) is not None:
                raise ValueError(f'{key} is for then = "bounce"; here then = "{self.then}"')
        for key, then in KEYS_OF_ANSWER.items():
            if key in written and getattr(self, key) is not None and self.then != then:
                raise ValueError(f'{key} is for then = "{then}"; here then = "{self.then}"')
        if self.heals is not None and "damage" in written:
            raise ValueError("write damage or heals, not both")
        if self.rolling is not None and self.rests != "rolls":
            raise ValueError('rolling goes with rests = "rolls"')
        for key in OnBody.model_fields if self.then == "ignore" else ():
            if getattr(self, key):
                raise ValueError(f'then = "ignore" is never touched, so nothing follows, as {key}')
        return self


KEYS_OF_ANSWER = {
    **dict.fromkeys(("pierces", "speed_kept", "damage_kept"), "pass"),
    **dict.fromkeys(("within", "first_touch", "body_out", "depth", "otherwise"), "lodge"),
}
"""Keys of an answer and what it must be for them."""


class Ability(Table):
    """What one button does."""

    shooter: Name | None = Field(None, description="who has it; default: every shooter")
    muzzle: Name | Annotated[list[Name], Field(min_length=1, max_length=64)] | None = Field(
        None, description="which muzzle of the shooter, or several; default: its first, else one made clear"
    )
    muzzle_order: Literal["in turn", "all at once", "random"] | None = Field(
        None, description='several muzzles: which a shot leaves by; default: "in turn"'
    )
    muzzle_blocked: Literal["fire anyway", "push out", "refuse"] = Field(
        "fire anyway", description="where something solid stands in the muzzle: fire anyway, push out of it, or refuse"
    )
    firing: Firing = Field(default_factory=Firing.unwritten)
    aim: Aim = Field(default_factory=Aim.unwritten)
    launch: Launch = Field(default_factory=Launch.unwritten)
    shape: Shape | None = Field(
        None,
        description="a ball, default a tenth of a metre; or a capsule from tail to tip, as [[-0.6, 0], [0, 0]] along "
        "its forward axis, which is swept as the ball at its tip",
        json_schema_extra=only("ball", "capsule"),
    )
    mass: Positive | None = Field(None, description="for launch by impulse or force, and knocks by momentum")
    heading: Heading = Field(default_factory=Heading.unwritten)
    hits_owner: Literal["once clear", "never", "always"] = Field(
        "once clear",
        description="when its own shooter may be touched: once clear of its body, which it may be from the start; "
        "never; always",
    )
    inherit_velocity: Share = Field(0.0, description="share of the shooter's velocity that the shot starts with")
    flight: Flight = Field(default_factory=Flight.unwritten)
    limits: Limits = Field(default_factory=Limits.unwritten)
    radius: depending(Positive, above=0.0) | None = Field(
        None, description="of the projectile, in place of a ball for shape; may depend on what is settled at launch"
    )
    on: dict[Name, Answer] = Field(
        default_factory=no_tables,
        description="what a touch comes to, by group of bodies, or by ability: then projectiles meet in the air",
    )
    when: When = Field(default_factory=When.unwritten)

    @model_validator(mode="after")
    def _ball(self) -> Any:
        shape = self.shape
        if shape is not None and self.radius is not None:
            raise ValueError("write shape or radius, not both")
        if shape is not None and shape.ball is None:
            if shape.capsule is None:
                raise ValueError("shape: a projectile is a ball, as shape.ball = 0.15, or a capsule")
            tail, tip = shape.capsule
            if any(tail[1:]) or any(tip[1:]) or tail[0] >= tip[0]:
                raise ValueError("shape.capsule of a projectile goes from tail to tip, as [[-0.6, 0], [0, 0]]")
        if (self.launch.impulse or self.launch.one_tick_force) and self.mass is None:
            raise ValueError("launch by impulse or force needs mass")
        if self.muzzle_order is not None and not isinstance(self.muzzle, list):
            raise ValueError('muzzle_order needs several muzzles, as muzzle = ["port", "starboard"]')
        return self

    @property
    def muzzles(self) -> list[str]:
        """Names of the muzzles it may leave by; none written: the shooter's first."""
        return self.muzzle if isinstance(self.muzzle, list) else [self.muzzle] if self.muzzle else []
