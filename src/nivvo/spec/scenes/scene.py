"""Models of the scene: world, tick rules, shapes, shooters with their muzzles, obstacles, targets."""

import itertools
import math
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from nivvo.spec.scenes.values import (
    Degrees,
    Name,
    NotNegative,
    Number,
    Positive,
    Seconds,
    Share,
    Table,
    TickRate,
    Vector,
    no_tables,
)

Axis = Literal["+x", "-x", "+y", "-y", "+z", "-z"]

# How many units make a metre, for the defaults of gravity and of sizes only.
METRES = {"m": 1.0, "cm": 100.0, "mm": 1000.0, "ft": 3.280839895, "px": 100.0}
GRAVITY = 9.81


MOST_CORNERS = 24
"""Of a polygon, as the core has it."""

Flat = Annotated[list[Number], Field(min_length=2, max_length=2)]


class Heights(Table):
    """Ground of given heights, solid below them."""

    values: Annotated[list[Number], Field(min_length=2)] | Annotated[list[list[Number]], Field(min_length=2)] | None = (
        Field(
            None,
            description="side view: heights at even steps from at on, along +x; in 3D rows of them, along both axes",
        )
    )
    file: str | None = Field(None, description="in place of values: a CSV file of them, or a grey PNG")
    every: Positive = Field(description="from one height to the next, units")
    deep: Positive | None = Field(None, description="how far it goes down, units; default: 1 m below the lowest")
    high: Positive | None = Field(None, description="of a PNG: how high white is; black is 0")

    @model_validator(mode="after")
    def _one_source(self) -> Self:
        if (self.values is None) == (self.file is None):
            raise ValueError("heights need values, or a file")
        if self.high is not None and self.file is None:
            raise ValueError("high goes with a file that is a PNG")
        return self


class Shape(Table):
    """One of ball, box, capsule, wall, polygon, ellipse, chain, heights, half_space.

    Sizes in units, points relative to ``at``.
    """

    ball: Positive | None = Field(None, description="radius")
    box: Annotated[list[Positive], Field(min_length=2, max_length=3)] | None = Field(None, description="full sizes")
    capsule: Annotated[list[Vector], Field(min_length=2, max_length=2)] | None = Field(
        None, description="two ends of its middle line; give radius too"
    )
    wall: Annotated[list[Vector], Field(min_length=2, max_length=2)] | None = Field(
        None, description="two ends; give thick, and in 3D tall"
    )
    polygon: Annotated[list[Flat], Field(min_length=3, max_length=MOST_CORNERS)] | None = Field(
        None,
        description="its corners in turn, convex; its centroid is its middle; "
        "in 3D on the level, and tall upward from there",
    )
    ellipse: Annotated[list[Positive], Field(min_length=2, max_length=2)] | None = Field(
        None,
        description=f"full sizes along its two axes; it is a polygon of {MOST_CORNERS} corners between an ellipse "
        "and that, 0.43 % smaller at most to 0.43 % larger; in 3D tall upward from the level",
    )
    chain: Annotated[list[Vector], Field(min_length=2, max_length=2000)] | None = Field(
        None, description="of an obstacle: points that walls join, one after another; give thick, and in 3D tall"
    )
    heights: Heights | None = Field(None, description="of an obstacle: ground of given heights")
    closed: bool = Field(False, description="of a chain: a last wall leads back to its first point")
    half_space: Literal["up", "down", "left", "right", "forward", "back"] | Vector | None = Field(
        None, description='solid behind a plane through at: which way the surface looks, as "up" for a floor'
    )
    radius: Positive | None = Field(None, description="of a capsule")
    thick: NotNegative | None = Field(None, description="thickness of a wall, or of a chain of them")
    tall: Positive | None = Field(
        None, description="in 3D the height of a wall, chain, polygon or ellipse, upward from its ends or corners"
    )
    turned: Degrees | Annotated[list[Degrees], Field(min_length=3, max_length=3)] = Field(
        0.0,
        description="of a box, polygon or ellipse: direction it is turned by; in 3D also [direction, elevation, roll]",
    )

    @model_validator(mode="after")
    def _one_kind(self) -> Self:
        given, written = [kind for kind in KINDS if getattr(self, kind) is not None], self.model_fields_set
        if len(given) != 1:
            what = " and ".join(given) or "none"
            raise ValueError(f"must be exactly one of {', '.join(KINDS)}; given: {what}")
        for key, kinds in MORE_OF.items():
            if key in written and given[0] not in kinds:
                raise ValueError(f"{key} is for a {' or '.join(kinds)}, not a {given[0]}")
        if self.capsule is not None and self.radius is None:
            raise ValueError("a capsule needs radius")
        if self.wall is not None and self.wall[0] == self.wall[1]:
            raise ValueError("the two ends of the wall are one point")
        if self.chain is not None and all(point == self.chain[0] for point in self.chain):
            raise ValueError("the points of the chain are one point")
        if self.polygon is not None:
            _convex(self.polygon)
        if isinstance(self.half_space, list) and not any(self.half_space):
            raise ValueError("the normal of the half_space has no length")
        return self


KINDS = ("ball", "box", "capsule", "wall", "polygon", "ellipse", "chain", "heights", "half_space")
WITH_AN_END = KINDS[:6]
"""Those that a shooter may have."""

MORE_OF = {"radius": ("capsule",), "thick": ("wall", "chain"), "closed": ("chain",),
           "tall": ("wall", "chain", "polygon", "ellipse"), "turned": ("box", "polygon", "ellipse")}  # fmt: skip
"""What else is written of which kinds of shape."""


def only(*kinds: str) -> dict:
    """Extra of a field's schema: the keys of a shape that is one of ``kinds``."""
    return {"only": [*kinds, *(key for key, of in MORE_OF.items() if not set(kinds).isdisjoint(of))]}


def _convex(corners: list[list[float]]) -> None:
    """Raise ValueError for a polygon that is not convex, turns about itself or has no area; says which corner."""
    n = len(corners)
    size = max(abs(x) for corner in corners for x in corner) or 1.0
    turns = []
    for k in range(n):
        (ax, ay), (bx, by), (cx, cy) = corners[k - 1], corners[k], corners[(k + 1) % n]
        if abs(ax - bx) + abs(ay - by) <= 1e-12 * size:
            raise ValueError(f"polygon: corners {k or n} and {k + 1} are one point")
        turns.append((bx - ax) * (cy - by) - (by - ay) * (cx - bx))
    least = 1e-12 * size * size
    left, right = sum(turn > least for turn in turns), sum(turn < -least for turn in turns)
    if not left and not right:
        raise ValueError("polygon: all its corners lie on one line")
    if left and right:
        sign = 1.0 if left <= right else -1.0
        odd = next(k for k, turn in enumerate(turns) if sign * turn > least)
        raise ValueError(
            f"polygon is not convex: it turns the other way at corner {odd + 1}, {corners[odd]}; make several of it"
        )
    around = sum(
        math.atan2(turns[k], (bx - ax) * (cx - bx) + (by - ay) * (cy - by))
        for k, ((ax, ay), (bx, by), (cx, cy)) in enumerate(
            (corners[k - 1], corners[k], corners[(k + 1) % n]) for k in range(n)
        )
    )
    if abs(abs(around) - 2.0 * math.pi) > 1.0:
        raise ValueError("polygon goes round more than once: give its corners in turn")


class Breeze(Table):
    """A region of the world with a wind of its own, beside the world's."""

    at: Vector = Field(description="its middle")
    shape: Shape = Field(description="a ball or a box", json_schema_extra=only("ball", "box"))
    velocity: Vector = Field(description="of the air in it, units/s")
    edge: Positive | None = Field(None, description="how far outside it fades to nothing, units; default: 0.5 m")

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.shape.ball is None and self.shape.box is None:
            raise ValueError("shape: a region is a ball or a box")
        return self


class Gusts(Table):
    """How the wind comes and goes: three waves, seeded by the world's seed."""

    share: Share = Field(description="of the wind that comes and goes: 0.3 is from 70 to 130 %")
    period: Annotated[float, Field(ge=0.05, le=10_000)] = Field(description="seconds of the slowest wave")


class World(Table):
    """The world: how it is seen, which way is up, what a unit is, how strong gravity is."""

    view: Literal["side", "top", "space"] = Field("side", description="from the side, from above, or 3D")
    y: Literal["up", "down"] | None = Field(None, description="which way y grows; side: up, top: down unless written")
    height: bool = Field(False, description="top view: positions have a third number, the height above the ground")
    up: Axis | None = Field(None, description='space: which axis is up (default "+z")')
    forward: Axis | None = Field(None, description='space: which axis a shooter faces by default (default "+x")')
    hand: Literal["right", "left"] | None = Field(None, description='space: handedness (default "right")')
    unit: Annotated[str, Field(min_length=1, max_length=12)] = Field("m", description="label of the length unit")
    metre: Annotated[float, Field(ge=1e-6, le=1e9)] | None = Field(
        None, description="how many units make a metre; only defaults follow from it"
    )
    gravity: NotNegative | None = Field(None, description="downward, in units/s²; default 9.81 m/s² in your unit")
    wind: Vector | None = Field(None, description="how the air moves, units/s; projectiles feel it through their drag")
    gusts: Gusts | None = Field(None, description="the wind comes and goes")
    breezes: Annotated[dict[Name, Breeze], Field(max_length=4)] = Field(
        default_factory=no_tables, description="regions by name with a wind of their own, beside the world's; at most 4"
    )
    bounds: Annotated[list[Vector], Field(min_length=2, max_length=2)] | None = Field(
        None, description="two corners; a projectile that leaves them ends"
    )
    most_in_the_air: Annotated[int, Field(ge=1, le=1_000_000)] = Field(
        100_000, description="at most so many projectiles in the air at once, of all; more are refused, and told"
    )
    seed: Annotated[int, Field(ge=0, lt=2**63)] = Field(0, description="seed of every random draw")

    @model_validator(mode="after")
    def _fits_view(self) -> Self:
        if self.view == "space":
            if self.y is not None:
                raise ValueError('y is for side and top views; in space write up, as up = "+z"')
            up, forward = self.up or "+z", self.forward or default_forward(self.up or "+z")
            if up[1] == forward[1]:
                raise ValueError(f"up ({up}) and forward ({forward}) lie on one axis")
        else:
            for key in ("up", "forward", "hand"):
                if getattr(self, key) is not None:
                    instead = f', where y = "{self.y or "down"}" says which way y grows' if key == "up" else ""
                    raise ValueError(f'{key} is for view = "space"; this view is "{self.view}"{instead}')
        if self.height and self.view != "top":
            raise ValueError('height is for view = "top"')
        if self.gravity and self.view == "top" and not self.height:
            raise ValueError("a flat top view has no vertical, so no gravity; write height = true for lobs")
        if self.gusts is not None and self.wind is None:
            raise ValueError("gusts need wind, as wind = [3, 0]")
        return self

    @property
    def size(self) -> int:
        """2 or 3: how many numbers a position has."""
        return 3 if self.view == "space" or self.height else 2

    @property
    def metres(self) -> float:
        """How many units make a metre."""
        return self.metre or METRES.get(self.unit, 1.0)

    @property
    def pull(self) -> float:
        """Gravity, units/s², default filled in."""
        if self.view == "top" and not self.height:
            return 0.0
        return GRAVITY * self.metres if self.gravity is None else self.gravity


def default_forward(up: str) -> str:
    """The axis that is forward where only up is written: +x, or +z where up is x."""
    return "+z" if up[1] == "x" else "+x"


LEAST_FRAME = 1e-5
"""Seconds: no tick is shorter."""


Frame = Annotated[float, Field(ge=LEAST_FRAME, le=10)]


class Tick(Table):
    """How the game ticks."""

    rate: TickRate = Field(60.0, description="ticks a second")
    frames: (
        str
        | Annotated[list[Annotated[float, Field(ge=LEAST_FRAME, le=10)]], Field(min_length=1, max_length=100_000)]
        | None
    ) = Field(None, description="uneven frame times in seconds, in turn, or a CSV file of them; in place of rate")
    motion: Literal["exact", "semi-implicit", "explicit", "verlet"] = Field(
        "exact",
        description="exact at every rate, or as a game's tick does it: v += a dt, then p += v dt (semi-implicit); the "
        "two in the other order (explicit); p += v dt + a dt²/2, then v += a dt (verlet)",
    )
    input: Literal["exact", "at ticks"] = Field("exact", description="when an input is seen")
    first_move: Literal["same tick", "next tick"] = Field(
        "same tick", description="whether a shot moves in the tick in which it appears"
    )
    timer: Literal["exact", "re-armed", "accumulating", "counting down"] = Field(
        "exact", description="how timers of firing count; all but exact at ticks, and need input at ticks"
    )
    timer_bits: Literal[32, 64] = Field(64, description="precision in which a timer at ticks is counted")
    contacts: Literal["swept", "at ticks"] = Field("swept", description="along the path, or overlap at each tick's end")

    @model_validator(mode="after")
    def _one_clock(self) -> Self:
        if self.frames is not None and "rate" in self.model_fields_set:
            raise ValueError("write rate or frames, not both")
        if self.timer != "exact" and self.input != "at ticks":
            raise ValueError(f'timer = "{self.timer}" counts at ticks: it needs input = "at ticks"')
        if self.timer == "exact" and self.timer_bits == 32:
            raise ValueError("timer_bits is for a timer that counts at ticks")
        return self


class Circle(Table):
    """A way round a point or a body, from at on, at the distance that it then has."""

    centre: Vector | None = Field(None, description="what it goes round, on the level where there is one")
    body: Name | None = Field(None, description="in place of centre: a body that it goes round, wherever that goes")
    turn_rate: Degrees = Field(description="degrees a second, below 0 the other way round; straight within a tick")

    @model_validator(mode="after")
    def _one_middle(self) -> Self:
        if (self.centre is None) == (self.body is None):
            raise ValueError("needs centre, or body")
        return self


Timed = Annotated[list[Number], Field(min_length=3, max_length=4)]


class Move(Table):
    """How a body moves."""

    velocity: Vector | None = Field(None, description="at 0 s, units/s")
    acceleration: Vector | None = Field(None, description="constant, units/s²")
    through: Annotated[list[Vector], Field(min_length=1, max_length=1000)] | None = Field(
        None, description="points to pass in straight lines, from at on; give speed too"
    )
    timed: Annotated[list[Timed], Field(min_length=1, max_length=1000)] | None = Field(
        None,
        description="where it is when: [seconds, x, y] or [seconds, x, y, z], seconds from when it is there, straight "
        "between; it stays at the last",
    )
    circle: Circle | None = Field(None, description="round a point or a body")
    drift: Annotated[list[Vector], Field(min_length=2, max_length=2)] | None = Field(
        None, description="two corners: it goes straight from point to point of that region, drawn by the world's seed"
    )
    beside: Name | None = Field(
        None, description="a body whose way it shares, offset from it, as in a formation; give offset too"
    )
    offset: Vector | None = Field(None, description="beside: from the other's at to its own, units")
    speed: Positive | None = Field(None, description="along the points, adrift, or of chase and flee, units/s")
    speeds_up: Positive | None = Field(
        None,
        description="chase, flee: how fast its velocity changes, units/s²; through, drift: how fast it comes to its "
        "speed and slows where it stops or turns; circle: how fast it comes to its speed; default: at once",
    )
    top_speed: Positive | None = Field(
        None, description="velocity and acceleration: so fast it goes straight on, units/s"
    )
    chase: Name | None = Field(None, description="a body that it goes straight toward, tick by tick; give speed too")
    flee: Name | None = Field(None, description="a body that it goes straight away from, tick by tick; give speed too")
    keeps: NotNegative | None = Field(
        None, description="chase: no nearer than so far, middle to middle; flee: only while it is nearer than that"
    )
    at_end: Literal["stop", "back", "around"] = Field(
        "stop", description="at the last point: stop, go back the same way, or go around to the first"
    )

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        plain = self.velocity is not None or self.acceleration is not None
        set_ = plain or any(way is not None for way in (self.timed, self.circle, self.beside))
        ways = [plain, self.timed, self.circle, self.through, self.chase, self.flee, self.drift, self.beside]
        if sum(way is not None and way is not False for way in ways) != 1:
            raise ValueError(
                "needs one of velocity (or acceleration), through, timed, circle, drift, beside, chase and flee"
            )
        if self.timed is not None:
            times = [row[0] for row in self.timed]
            if times[0] < 0 or any(b <= a for a, b in itertools.pairwise(times)):
                raise ValueError("timed: seconds from 0 on, each later than the one before")
        if self.circle is not None and not self.circle.turn_rate:
            raise ValueError("circle.turn_rate of 0 goes nowhere")
        if set_ != (self.speed is None):
            raise ValueError("through, drift, chase and flee go with speed, and speed with one of them")
        if (self.beside is None) != (self.offset is None):
            raise ValueError("beside and offset go together")
        if self.speeds_up is not None and not (self.chase or self.flee or self.through or self.drift or self.circle):
            raise ValueError("speeds_up goes with through, drift, circle, chase or flee")
        if self.top_speed is not None and self.acceleration is None:
            raise ValueError("top_speed goes with acceleration")
        if self.top_speed is not None and math.hypot(*(self.velocity or [])) > self.top_speed:
            raise ValueError("velocity is faster than top_speed")
        if self.keeps is not None and not (self.chase or self.flee):
            raise ValueError("keeps goes with chase or flee")
        if self.through is None and "at_end" in self.model_fields_set:
            raise ValueError("at_end goes with through and speed")
        return self


class Walk(Table):
    """How a shooter moves by input: along the axes of ``walk`` rows, and up by its jump button.

    It stands on the obstacles below it, stops at those in its way and goes with those that move; where there is none at
    all below it, at the height where it begins.
    """

    speed: Positive = Field(description="at full input, units/s")
    acceleration: Positive | None = Field(None, description="toward the speed asked for, units/s²; default: at once")
    jump: Positive | None = Field(
        None, description="upward speed of a jump, beside what he stands on, units/s; it falls by the world's gravity"
    )
    jump_button: Name = Field("jump", description="the button that jumps")
    step: NotNegative | None = Field(
        None, description="how high a step it takes up and down as it walks, units; default: 0.3 m"
    )
    steepest: Annotated[float, Field(gt=0, lt=90)] = Field(
        50.0, description="degrees of the steepest slope that it stands on; what is steeper stops it as a wall"
    )


class Eye(Table):
    """Where a shooter sees from, in its own frame, from its place."""

    forward: Number = Field(0.0, description="ahead")
    right: Number = Field(0.0, description="not in side view")
    up: Number = Field(0.0, description="not in a flat top view")


class Muzzle(Table):
    """A spawn point in the shooter's own frame; it mirrors and turns by itself."""

    forward: Number | None = Field(None, description="ahead; default: just clear of the body")
    right: Number = Field(0.0, description="to the right (not in side view)")
    up: Number = Field(0.0, description="upward (not in a flat top view)")
    follows: Literal["body", "aim", "carrier"] = Field(
        "aim", description="what the offset turns with; carrier: something that flies after its place on the body"
    )
    top_speed: Positive | None = Field(None, description="of a carrier, units/s")
    pivot_forward: Number = Field(0.0, description="the point it turns about, from the shooter's place: ahead")
    pivot_up: Number = Field(0.0, description="and upward")

    @model_validator(mode="after")
    def _carried(self) -> Self:
        if (self.follows == "carrier") != (self.top_speed is not None):
            raise ValueError('follows = "carrier" and top_speed go together')
        return self


class Shooter(Table):
    """Who fires."""

    at: Vector | None = Field(None, description="place of its middle; default: the origin")
    facing: Literal["left", "right", "up", "down", "+x", "-x", "+y", "-y", "+z", "-z"] | Degrees | None = Field(
        None,
        description='side: "left" or "right"; seen from above "up" or "down" too; a level axis, or degrees from +x '
        "toward +y, with y up toward +z",
    )
    shape: Shape | None = Field(
        None, description="default: a ball of half a metre", json_schema_extra=only(*WITH_AN_END)
    )
    facing_follows: Literal["fixed", "movement", "cursor", "stick", "look"] = Field(
        "fixed", description="what turns it; before any input, and where it points nowhere, it keeps its facing"
    )
    facing_count: Literal[2, 4, 8] | None = Field(
        None, description="how many ways it can face; default: side 2, else any; halfway between two: the even one"
    )
    group: Name = Field("shooters", description="what abilities name it by, as on.shooters; several bodies share one")
    health: Positive | None = Field(None, description="without it, it cannot be put out")
    lives: Annotated[int, Field(ge=1, le=1000)] = Field(
        1, description="how often it can be put out: before the last it comes back to its place, with all its health"
    )
    back_after: Seconds | None = Field(None, description="of lives: how long it is out; default: to the next tick")
    armour: NotNegative = Field(0.0, description="taken from each damage, after soaks")
    soaks: Share = Field(0.0, description="share of each damage that it does not feel")
    move: Move | None = None
    walk: Walk | None = Field(None, description="movement by input, in place of move")
    eye: Eye = Field(default_factory=Eye.unwritten, description="where the sight begins")
    muzzle: dict[Name, Muzzle] = Field(default_factory=no_tables)

    @model_validator(mode="after")
    def _one_mover(self) -> Self:
        if self.move is not None and self.walk is not None:
            raise ValueError("move and walk do not go together")
        if self.lives > 1 and self.health is None:
            raise ValueError("lives need health: without it, it cannot be put out")
        if self.back_after is not None and self.lives == 1:
            raise ValueError("back_after goes with lives")
        if self.facing_count is not None and self.facing_follows == "fixed":
            raise ValueError('facing_count needs facing_follows, as facing_follows = "movement"')
        return self


class OnShooter(Table):
    """What follows when a body touches a shooter."""

    damage: NotNegative = Field(0.0, description="taken from the shooter's health")
    every: Seconds | None = Field(None, description="again after so long while they touch; default: once a touch")
    removes: bool = Field(False, description="the body is out by it")

    @model_validator(mode="after")
    def _sense(self) -> Self:
        if self.every is not None and (self.removes or not self.damage):
            raise ValueError("every goes with damage, of a body that stays")
        return self


class Part(Table):
    """One of several shapes that are one body."""

    at: Vector | None = Field(None, description="its place from that of the body; default: there")
    shape: Shape
    group: Name | None = Field(
        None, description="how it is answered where it is touched, as a head; default: the group of the body"
    )


# What obstacles and targets have alike.
Mass = Annotated[
    Positive | None,
    Field(description="with it, it is pushed, falls, lies on what is below; without, it stays where it is"),
]
Friction = Annotated[
    Annotated[float, Field(ge=0, le=100)] | None,
    Field(
        description="of a body with a mass: the share of what presses it on that slows it; of what lies on another its "
        "own, of two side by side the lesser; default: 0.5"
    ),
]
Turns = Annotated[
    Degrees | None,
    Field(description="degrees a second that it turns about its middle, from x toward y; in space about up"),
]
TurnsAbout = Annotated[Vector | None, Field(description="in space: in place of up, the axis that it turns about")]
TurnsSpeedsUp = Annotated[
    Positive | None,
    Field(description="degrees/s²: how fast it comes to turns, from when it is there; default: at once"),
]
Arrives = Annotated[Seconds | None, Field(description="when it comes, at the next tick's start; default: it is there")]
Leaves = Annotated[Seconds | None, Field(description="when it goes, at the next tick's start, and is out from then on")]


class Obstacle(Table):
    """A body that stops or lets pass, and has no health."""

    at: Vector | None = Field(None, description="place of its middle; default: the origin")
    shape: Shape | None = None
    parts: Annotated[list[Part], Field(min_length=1, max_length=1000)] | None = Field(
        None, description="in place of shape: several that are one body"
    )
    group: Name = Field("obstacles", description="what abilities name it by, as on.obstacles; several bodies share one")
    mass: Mass = None
    friction: Friction = None
    move: Move | None = None
    turns: Turns = None
    turns_about: TurnsAbout = None
    turns_speeds_up: TurnsSpeedsUp = None
    arrives: Arrives = None
    leaves: Leaves = None
    on_shooter: OnShooter | None = Field(None, description="what follows when it touches a shooter; default: nothing")

    @model_validator(mode="after")
    def _loose(self) -> Self:
        _pushed(self)
        if (self.shape is None) == (self.parts is None):
            raise ValueError("needs shape, or parts")
        return self


def _pushed(body: "Obstacle | Target") -> None:
    """What goes with a mass."""
    shape = body.shape
    if body.mass is not None and shape is not None and shape.heights:
        raise ValueError("heights are ground, which has no mass")
    if body.mass is not None and body.move is not None:
        raise ValueError("write mass or move: what has a way of its own is not pushed")
    shapes = [body.shape, *(part.shape for part in body.parts or [])]
    endless = any(one is not None and one.half_space is not None for one in shapes)
    if body.mass is not None and endless:
        raise ValueError("a half_space has no end, so no mass")
    if body.turns is not None and (body.mass is not None or endless):
        raise ValueError("turns: a half_space, and what has a mass, does not turn")
    if body.turns_about is not None and (body.turns is None or not any(body.turns_about)):
        raise ValueError("turns_about is an axis, and goes with turns")
    if body.turns_speeds_up is not None and not body.turns:
        raise ValueError("turns_speeds_up goes with turns")
    if body.friction is not None and body.mass is None:
        raise ValueError("friction goes with mass")
    if endless and (body.arrives is not None or body.leaves is not None):
        raise ValueError("a half_space is there from the start on, and stays")


class Wave(Table):
    """Many of one kind, that arrive one after another: the target then stands for NAME-1, NAME-2 and so on."""

    count: Annotated[int, Field(ge=1, le=10_000)] | None = Field(None, description="how many; give every too")
    every: Seconds | None = Field(None, description="from one arrival to the next; each comes at the next tick's start")
    first: Seconds = Field(0.0, validate_default=True, description="of every: when the first arrives")
    times: Annotated[list[Seconds], Field(min_length=1, max_length=10_000)] | None = Field(
        None, description="in place of count and every: when each arrives, several at once where one stands twice"
    )
    places: Annotated[list[Vector], Field(min_length=1, max_length=500)] | None = Field(
        None, description="where they arrive, in turn; default: at"
    )
    region: Annotated[list[Vector], Field(min_length=2, max_length=2)] | None = Field(
        None, description="two corners: anywhere between, drawn by the seed"
    )
    edges: Annotated[list[Vector], Field(min_length=2, max_length=2)] | None = Field(
        None, description="two corners: anywhere on the sides of that box, all alike, drawn by the seed"
    )
    speed: Annotated[list[NotNegative], Field(min_length=2, max_length=2)] | None = Field(
        None, description="[least, most], units/s: each goes straight to goal as fast as is drawn; in place of move"
    )
    goal: Vector | None = Field(None, description="of speed: a point; default: the middle of region or edges")
    direction: Annotated[list[Degrees], Field(min_length=2, max_length=2)] | None = Field(
        None, description="of speed, in place of goal: [least, most], degrees from +x toward +y, drawn by the seed"
    )
    most: Annotated[int, Field(ge=1, le=10_000)] | None = Field(
        None, description="at most so many of it on the field at once; default: any number"
    )
    when_full: Literal["wait", "turn away"] | None = Field(
        None, description="of most: one that is due waits for room, or never comes; default: wait"
    )

    @model_validator(mode="after")
    def _one_place(self) -> Self:
        given = [key for key in ("places", "region", "edges") if getattr(self, key) is not None]
        if len(given) > 1:
            raise ValueError(f"one of places, region, edges; given: {' and '.join(given)}")
        if self.times is None and (self.count is None or self.every is None):
            raise ValueError("needs count and every, or times")
        if self.times is not None and {"count", "every", "first"} & self.model_fields_set:
            raise ValueError("write times, or count and every")
        if self.when_full is not None and self.most is None:
            raise ValueError("when_full goes with most")
        for key in ("goal", "direction"):
            if getattr(self, key) is not None and self.speed is None:
                raise ValueError(f"{key} goes with speed")
        if self.goal is not None and self.direction is not None:
            raise ValueError("write goal or direction, not both")
        if self.direction is not None and self.direction[0] > self.direction[1]:
            raise ValueError(f"direction: the least ({self.direction[0]:g}) is more than the most")
        if self.speed is not None and not (self.goal or self.direction or self.region or self.edges):
            raise ValueError("speed needs goal, a point to go to, or direction")
        if self.speed is not None and self.speed[0] > self.speed[1]:
            raise ValueError(f"speed: the least ({self.speed[0]:g}) is more than the most ({self.speed[1]:g})")
        if self.speed is not None and not self.speed[1]:
            raise ValueError("speed of 0 never arrives anywhere; leave it away to let them stand")
        return self

    @property
    def size(self) -> int:
        """How many arrive."""
        return len(self.times) if self.count is None else self.count


class Target(Table):
    """A body to hit."""

    spot: Vector | None = Field(
        None, description="the point that rings and damage by off_middle go by, from its middle; default: its middle"
    )
    front: Degrees | Annotated[list[Degrees], Field(min_length=2, max_length=2)] | None = Field(
        None,
        description="its front, for damage by from_front: a direction, in 3D also [direction, elevation]; default: "
        "along its way",
    )

    at: Vector | None = Field(
        None, description="place of its middle; default: the first point of move.through or move.timed"
    )
    shape: Shape | None = Field(
        None, description="default: a ball of half a metre", json_schema_extra=only(*WITH_AN_END, "half_space")
    )
    parts: Annotated[list[Part], Field(min_length=1, max_length=1000)] | None = Field(
        None,
        description="in place of shape: several that are one body with one health; the first is aimed at and followed, "
        "and each whose group is another than the body's, by those who seek that group",
    )
    group: Name = Field("targets", description="what abilities name it by, as on.targets; several bodies share one")
    health: Positive | None = Field(None, description="without it, it only counts damage")
    mass: Mass = None
    friction: Friction = None
    armour: NotNegative = Field(0.0, description="taken from each damage, after soaks")
    soaks: Share = Field(0.0, description="share of each damage that it does not feel")
    move: Move | None = None
    turns: Turns = None
    turns_about: TurnsAbout = None
    turns_speeds_up: TurnsSpeedsUp = None
    arrives: Arrives = None
    leaves: Leaves = None
    wave: Wave | None = None
    on_shooter: OnShooter | None = Field(None, description="what follows when it touches a shooter; default: nothing")

    @model_validator(mode="after")
    def _somewhere(self) -> Self:
        _pushed(self)
        if self.shape is not None and self.parts is not None:
            raise ValueError("write shape, or parts")
        if self.wave is not None and self.arrives is not None:
            raise ValueError("a wave says by every or times when they arrive: write no arrives")
        if self.wave is not None and self.leaves is not None:
            raise ValueError("of a wave each goes once it is out: write no leaves")
        fixed = self.wave is not None and self.move is not None and (self.move.through or self.move.timed)
        circles = self.wave is not None and self.move is not None and self.move.circle is not None
        if fixed or (circles and self.move.circle.centre):
            raise ValueError("those of a wave go by velocity, drift, another body, not by a way of their own")
        if self.wave is not None and self.wave.speed is not None and self.move is not None:
            raise ValueError("write move, or wave.speed")
        placed = self.wave is not None and (self.wave.places or self.wave.region or self.wave.edges)
        if placed:
            return self
        if self.at is None and (self.move is None or not (self.move.through or self.move.timed or self.move.beside)):
            raise ValueError("needs at, the place of its middle")
        return self
