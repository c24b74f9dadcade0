"""Models of a case: its settings, inputs and checks."""

from typing import Annotated, Any, Literal, NamedTuple, Self

from pydantic import Field, model_validator

from nivvo.spec.scenes.values import (
    Degrees,
    Name,
    NotNegative,
    Number,
    Positive,
    Seconds,
    Table,
    TickRate,
    Vector,
    Whose,
    no_rows,
    no_tables,
)

Axes = Annotated[list[Annotated[float, Field(ge=-1, le=1)]], Field(min_length=2, max_length=2)]
CONTROLS = ("cursor", "stick", "walk", "look", "screen")
"""What a row of input can change beside buttons."""

MOST_MOVES = 100_000
"""Places that bodies of a case are moved to."""


class Input(Table):
    """One row of a track of inputs: what changes at a time."""

    t: Seconds = Field(description='seconds from the start, or "90 ticks"')
    press: Name | None = Field(None, description="the button that goes down, until it is released")
    release: Name | None = Field(None, description="the button that goes up")
    tap: Name | None = Field(None, description="press and release at once")
    hold: Name | None = Field(None, description="press, and release once it was held so long")
    held: Seconds | None = Field(None, description="hold: for how long")
    count: Annotated[int, Field(ge=1, le=100_000)] | None = Field(None, description="tap, hold: so many times")
    every: Seconds | None = Field(None, description="of count: from one to the next")
    glide: bool = Field(False, description="controls go evenly to here since their last row, in place of a jump")
    cursor: Vector | None = Field(None, description="where the cursor is from now on")
    stick: Axes | None = Field(
        None, description="where the stick is from now on, each from -1 to 1, in the world's own axes"
    )
    walk: Axes | None = Field(None, description="which way to walk from now on, as the stick is read")
    look: Annotated[list[Degrees], Field(min_length=1, max_length=2)] | None = Field(
        None,
        description="where the eye looks from now on: [direction, elevation], degrees; in 2D [direction]; direction is "
        "from +x toward +y, with y up toward +z",
    )
    screen: Annotated[list[Number], Field(min_length=2, max_length=2)] | None = Field(
        None, description="which point of the camera's screen is pointed at from now on, pixels"
    )
    shooter: Name | None = Field(None, description="whose input it is; default: every shooter's")

    @model_validator(mode="after")
    def _something(self) -> Self:
        acts = [key for key in ("press", "release", "tap", "hold") if getattr(self, key) is not None]
        if len(acts) > 1:
            raise ValueError(f"one button act a row; given: {', '.join(acts)}")
        if not acts and all(getattr(self, key) is None for key in CONTROLS):
            raise ValueError(f"nothing happens in this row: give press, release, tap, hold, {', '.join(CONTROLS)}")
        if (self.hold is None) != (self.held is None):
            raise ValueError("hold and held go together")
        if (self.count is None) != (self.every is None):
            raise ValueError("count and every go together")
        if self.count is not None and self.tap is None and self.hold is None:
            raise ValueError("count and every are for tap and hold")
        if self.glide and all(getattr(self, key) is None for key in CONTROLS):
            raise ValueError("glide is for controls, as cursor or stick")
        return self


class Moved(Table):
    """A body that the game itself moves, as a lift that it drives: straight to a place over a tick, then it stands."""

    t: Seconds = Field(description='seconds from the start, or "90 ticks"; it goes from the next tick\'s start on')
    body: Name = Field(description="which body, by name")
    to: Vector | None = Field(None, description="where its middle is at that tick's end")
    through: list[Vector] | None = Field(
        None, min_length=1, description="in place of to: where it is at the ends of so many ticks, one after another"
    )
    jump: bool = Field(False, description="of to: it is there at once, and what lies between is not swept")

    @model_validator(mode="after")
    def _somewhere(self) -> Self:
        if (self.to is None) == (self.through is None):
            raise ValueError("write to, or through")
        if self.jump and self.to is None:
            raise ValueError("jump goes with to")
        return self


class Measured(NamedTuple):
    """A number that a case can measure: what it means, its unit, whose it is, whether it must be said whose.

    counts : of projectiles, it is of all of them, not of the first.
    """

    means: str
    unit: str = ""
    of: str = "projectile"
    needs_of: bool = False
    counts: bool = False


MEASURES = {
    "shots": Measured("how many shots were fired", counts=True),
    "projectiles": Measured("how many projectiles flew", counts=True),
    "contacts": Measured("how many touches there were", of="body"),
    "damage": Measured("how much damage was dealt", of="body"),
    "health": Measured("what health is left", of="body", needs_of=True),
    "time_to_kill": Measured("from its first touch until it is out", "s", of="body", needs_of=True),
    "hits": Measured("how many projectiles touched a target, with what came of them", counts=True),
    "accuracy": Measured("hits as a share of all those projectiles", counts=True),
    "overkill": Measured("damage beyond what health was left, with what came of them", counts=True),
    "damage_a_second": Measured(
        "damage of targets a second, from the first launch to the last end, with what came of them", counts=True
    ),
    "kills": Measured("how many targets they put out, with what came of them", counts=True),
    "score": Measured("points they scored, with what came of them", counts=True),
    "launch_speed": Measured("speed at launch", "unit/s"),
    "launch_elevation": Measured("elevation at launch", "deg"),
    "launch_direction": Measured("direction at launch", "deg"),
    "flight_time": Measured("from launch to end", "s"),
    "end_time": Measured("when it ended", "s"),
    "range": Measured("horizontal distance from launch to end", "unit"),
    "apex": Measured("greatest height above launch", "unit"),
    "path_length": Measured("length of the path", "unit"),
    "impact_time": Measured("when the first touch was", "s"),
    "impact_speed": Measured("speed at the first touch", "unit/s"),
    "impact_angle": Measured("angle between path and surface at the first touch (90 is head on)", "deg"),
    "nearest": Measured("least gap between the surfaces of projectile and body", "unit", of="body", needs_of=True),
}
"""What a case can measure."""


HAPPEN = (
    "fired", "refused", "sent", "contact", "overlap", "damage", "out", "ended", "slipped through", "bounced", "moment",
    "came to rest", "goes along", "left", "scored", "burst", "met", "slowed", "blinked", "locked on", "lost",
    "pushed", "pulled", "anchored", "came back", "touched a shooter", "arrived", "turned away", "went away",
    "went through", "wave complete", "wave cleared", "case won", "case lost",
)  # fmt: skip
"""What can happen: the words of the table of events."""


class Check(Table):
    """One thing that a case demands of its run; its verb is its key."""

    hits: Name | None = Field(None, description="a target or obstacle that must be touched")
    misses: Name | None = Field(None, description="a body, or anything, that must not be touched")
    lands: Vector | None = Field(None, description="a point near which the projectile must end")
    clears: Name | None = Field(None, description="a body that must be passed by a margin")
    measure: Literal[tuple(MEASURES)] | None = Field(None, description="a number of the run")
    happens: Literal[HAPPEN] | None = Field(None, description="what must happen")
    never: Literal[HAPPEN] | None = Field(None, description="what must not happen")
    mirrors: Name | None = Field(None, description="a case whose first shot must fly as this one, mirrored")
    same_as: Name | None = Field(None, description="a case whose numbers must be those of this one")
    same_at: Annotated[list[TickRate], Field(min_length=1, max_length=100)] | None = Field(
        None, description="tick rates at which its numbers must be those of this one, ticks/s"
    )
    before: Seconds | None = Field(None, description="hits, happens, never: at the latest")
    after: Seconds | None = Field(None, description="hits, happens, never: at the earliest")
    times: Annotated[int, Field(ge=1)] | None = Field(
        None, description="hits: at least so many touches; happens: exactly so often; default: at least once"
    )
    body: Name | None = Field(None, description="happens, never: with which body")
    until: Literal["first contact", "end"] | None = Field(
        None, description='mirrors: compared up to there; default: "first contact"'
    )
    numbers: list[Literal[tuple(MEASURES)]] | None = Field(
        None, min_length=1, description="same_as, same_at: which measures; default: all that belong to no one body"
    )
    within: Positive | None = Field(
        None, description="lands: radius; measure equals, same_as, same_at: tolerance; mirrors: distance, units"
    )
    margin: NotNegative | None = Field(None, description="clears: least gap between the surfaces")
    of: Whose | None = Field(
        None, description='an ability, or a shot or projectile by its name, as "flare-2"; of some measures: a body'
    )
    equals: Number | None = Field(None, description="of measure: what it must be, to within")
    at_least: Number | None = Field(None, description="of measure, happens: no less than that")
    at_most: Number | None = Field(None, description="of measure, happens: no more than that")

    @model_validator(mode="after")
    def _one_verb(self) -> Any:
        given = [verb for verb in VERBS if getattr(self, verb) is not None]
        if len(given) != 1:
            what = " and ".join(given) or "none"
            raise ValueError(f"must have exactly one verb of {', '.join(VERBS)}; given: {what}")
        verb = given[0]
        for key in self.model_fields_set - {verb}:
            if key not in VERBS[verb]:
                raise ValueError(f"{key} does not go with {verb}; it takes {', '.join(VERBS[verb]) or 'nothing more'}")
        if verb == "measure" and self.equals is None and self.at_least is None and self.at_most is None:
            raise ValueError("measure needs equals, at_least or at_most")
        if self.at_least is not None and self.at_most is not None and self.at_least > self.at_most:
            raise ValueError(f"at_least ({self.at_least:g}) is more than at_most ({self.at_most:g})")
        if self.times is not None and (self.at_least is not None or self.at_most is not None):
            raise ValueError("times says exactly how often: it goes with no at_least and no at_most")
        return self

    @property
    def verb(self) -> str:
        """Which of the verbs it has."""
        return next(verb for verb in VERBS if getattr(self, verb) is not None)


class Goal(Table):
    """What decides a case; any one of them does."""

    score: Positive | None = Field(None, description="points of all shooters together")
    out: Name | None = Field(None, description="a group: all of it are out, and none is still to arrive or come back")
    time: Seconds | None = Field(None, description="so long has it gone")
    touched: Name | None = Field(None, description="a group: one of it touches a shooter")

    @model_validator(mode="after")
    def _something(self) -> Self:
        if self.score is None and self.out is None and self.time is None and self.touched is None:
            raise ValueError("needs score, out, touched or time")
        return self


VERBS = {
    "hits": ("before", "after", "times", "of"),
    "misses": ("of",),
    "lands": ("within", "of"),
    "clears": ("margin", "of"),
    "measure": ("of", "equals", "at_least", "at_most", "within"),
    "happens": ("of", "body", "after", "before", "times", "at_least", "at_most"),
    "never": ("of", "body", "after", "before"),
    "mirrors": ("until", "within"),
    "same_as": ("numbers", "of", "within"),
    "same_at": ("numbers", "of", "within"),
}
"""Each verb and the keys that go with it."""


class Case(Table):
    """One situation: what is set, pressed and demanded."""

    title: str = Field("", description="what it is about, beside its name")
    ability: Name | list[Name] | None = Field(
        None, description="which abilities are in hand; default: all but those without firing that a contact sends"
    )
    set: dict[str, Any] = Field(
        default_factory=no_tables, description="dotted keys of the drill, changed for this case"
    )
    input: list[Input] | None = Field(None, description="default: one tap of each button at 0 s")
    track: str | None = Field(None, description="a CSV file of inputs (time, control, value[, value]), beside input")
    moved: list[Moved] = Field(default_factory=no_rows, description="bodies that the game itself moves")
    check: list[Check] = Field(default_factory=no_rows)
    lasts: Seconds | None = Field(None, description="when to stop; default: when nothing flies any more")
    won: Goal | None = Field(None, description="what wins it; it stops there")
    lost: Goal | None = Field(None, description="what loses it; it stops there")
