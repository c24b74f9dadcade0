"""Kinds of value that many keys share: vectors, durations, and numbers that may depend on something."""

import re
from functools import cache, cached_property
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, Discriminator, Field, Tag, WithJsonSchema, model_validator

HUGE = 1e12
LONGEST = 86_400.0


def no_tables() -> dict:
    """Tables that nobody has written. How a factory is called takes long to find out of ``dict`` itself."""
    return {}


def no_rows() -> list:
    """Rows that nobody has written."""
    return []


class Table(BaseModel):
    """A table of a drill: unknown keys are errors, and nothing is converted in silence."""

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False, frozen=True)

    @classmethod
    @cache
    def unwritten(cls) -> Self:
        """The table that nobody has written: one for all, since none ever changes."""
        return cls()

    @cached_property
    def dependent(self) -> list[tuple[tuple, "Depends"]]:
        """Paths and values of all its numbers that depend on something. What nobody wrote depends on nothing."""
        found, written = [], self.model_fields_set
        for name, value in self.__dict__.items():
            if name in written and isinstance(value, Table):
                found += [((name, *path), one) for path, one in value.dependent]
            elif name in written and isinstance(value, dict):
                below = [(key, one) for key, one in value.items() if isinstance(one, Table)]
                found += [((name, key, *path), one) for key, table in below for path, one in table.dependent]
        return found


Number = Annotated[float, Field(ge=-HUGE, le=HUGE)]
Positive = Annotated[float, Field(gt=0, le=HUGE)]
NotNegative = Annotated[float, Field(ge=0, le=HUGE)]
Share = Annotated[float, Field(ge=0, le=1)]
Degrees = Annotated[float, Field(ge=-360_000, le=360_000)]
Vector = Annotated[list[Number], Field(min_length=2, max_length=3)]
Name = Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z0-9_-]*$", max_length=64)]

Whose = Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z0-9_-]*(\.\d+)?$", max_length=200)]
"""A name, also of a projectile: of an ability, "flare"; of a shot, "flare-2"; of one of several, "flare-2.1"."""

_TICKS = re.compile(r"^(\d{1,9}) ticks?$")


class Duration(float):
    """Seconds, or ticks where ``ticks`` is set (the seconds then follow from the drill's tick rate)."""

    ticks: int | None = None

    def __eq__(self, other: object) -> bool:
        return float.__eq__(self, other) is True and self.ticks == getattr(other, "ticks", None)

    def __ne__(self, other: object) -> bool:
        return not self == other

    def __hash__(self) -> int:
        return float.__hash__(self)

    def __bool__(self) -> bool:
        return float.__bool__(self) if self.ticks is None else self.ticks > 0

    def seconds(self, rate: float) -> float:
        """The duration in seconds at ``rate`` ticks a second."""
        return float(self) if self.ticks is None else self.ticks / rate


def _duration(value: Any) -> Any:
    if isinstance(value, Duration):
        return value
    if isinstance(value, bool):
        raise ValueError('must be seconds, or ticks written as "90 ticks"')
    if isinstance(value, (int, float)):
        if not 0.0 <= value <= LONGEST:
            raise ValueError("must be from 0 to 86400 seconds")
        return Duration(value)
    if isinstance(value, str) and (found := _TICKS.match(value)):
        duration = Duration(0.0)
        duration.ticks = int(found[1])
        return duration
    raise ValueError('must be seconds, or ticks written as "90 ticks"')


Seconds = Annotated[
    Any,
    BeforeValidator(_duration),
    WithJsonSchema(
        {"anyOf": [{"type": "number", "minimum": 0, "maximum": LONGEST}, {"type": "string", "pattern": _TICKS.pattern}]}
    ),
]
"""A duration: seconds as a number, or ticks as "90 ticks"."""

TickRate = Annotated[float, Field(ge=1, le=100_000)]
"""Ticks a second."""


EASES = ("linear", "in", "out", "in and out")
"""How a value goes from start to end (``core.curves``)."""

SETTLED = ("held", "shot", "random", "read")
"""What a number can depend on that is settled at launch."""


class Depends(Table):
    """A number that depends on something.

    by = "held" (seconds that the button was held), "shot" (number of the shot within its case, from 0), "age"
    (seconds since launch), "flown" (path length): one of
    ``points`` (pairs of x and value, straight lines between, held beyond the ends),
    ``start`` and ``end`` with an ``ease``, ``over`` so much x (by held: full_after),
    ``start`` with ``step`` added ``every`` so much x, first after one, never beyond ``cap``.
    by = "off_middle" (units, on the face that is touched, from the body's middle or its spot) or "from_front" (degrees
    between the body's front and the side that is touched) or "speed" (units/s, as the body sees it): of damage, the
    same ways.
    by = "random": from ``low`` to ``high``, all alike; or around ``mean`` with the standard deviation ``deviation``.
    by = "read": the number in a ``file`` (CSV or JSON), at ``row`` and ``column``.
    """

    by: Literal["held", "shot", "age", "flown", "off_middle", "from_front", "speed", "random", "read"] = Field(
        description="what it depends on: seconds of the hold, the shot's number from 0, seconds since launch, path "
        "flown, where, on which side or how fast a body is touched (of damage), chance, or a file"
    )
    points: list[Annotated[list[Number], Field(min_length=2, max_length=2)]] | None = Field(
        None, min_length=1, description="pairs of that and the value; straight between, held beyond the ends"
    )
    start: Number | None = Field(None, description="the value at 0; with end, or with step")
    end: Number | None = Field(None, description="with start: the value at over, and beyond")
    over: Positive | None = Field(None, description="of start and end: x at which the end is reached")
    ease: Literal[EASES] = Field("linear", description="of start and end")
    step: Number | None = Field(None, description="with start: added every so much, first after one")
    every: Positive | None = Field(None, description="of step: x between two steps; by shot: 1 unless written")
    cap: Number | None = Field(None, description="of step: never beyond")
    low: Number | None = Field(None, description="random: from here to high, all alike")
    high: Number | None = Field(None, description="random: with low")
    mean: Number | None = Field(None, description="random: around this, with deviation")
    deviation: NotNegative | None = Field(None, description="random: the standard deviation about mean")
    file: str | None = Field(None, description="read: a CSV or JSON file; with row and column")
    row: str | int | None = Field(None, description="read: a name in the first column, or a number")
    column: str | int | None = Field(None, description="read: a name in the first line, or a number")

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        given = {key for key in self.model_fields_set if getattr(self, key) is not None} - {"by"}
        ways = _WAYS_RANDOM if self.by == "random" else _WAYS_READ if self.by == "read" else _WAYS
        fits = [way for way in ways if way[0] <= given <= way[0] | way[1]]
        if not fits:
            words = ", or ".join(" and ".join(sorted(way[0], reverse="start" in way[0])) for way in ways)
            more = sorted(given - set().union(*(way[0] | way[1] for way in ways)))
            extra = f" ({', '.join(more)} does not go with it)" if more else ""
            raise ValueError(f'by = "{self.by}" needs {words}{extra}')
        if self.points is not None and any(a[0] >= b[0] for a, b in zip(self.points, self.points[1:], strict=False)):
            raise ValueError("points must go up in their first number")
        if self.cap is not None and (self.cap - self.start) * self.step < 0.0:
            raise ValueError("cap lies on the other side of start than step goes")
        if self.step is not None and self.every is None and self.by != "shot":
            raise ValueError(f'by = "{self.by}": a step needs every')
        if self.by == "shot" and self.every is not None and self.every != int(self.every):
            raise ValueError(f"every counts shots: a whole number, not {self.every:g}")
        if self.low is not None and self.high is not None and self.low > self.high:
            raise ValueError(f"low ({self.low:g}) is more than high ({self.high:g})")
        return self

    @property
    def dependent(self) -> list[tuple[tuple, Self]]:
        """Itself. Not kept: what is compared by all that it holds would hold itself."""
        return [((), self)]

    def values(self) -> list[float]:
        """The values at its corners, to check them against what a key allows."""
        if self.points is not None:
            return [value for _, value in self.points]
        corners = (self.start, self.end, self.cap, self.low, self.high, self.mean)
        return [value for value in corners if value is not None]


_WAYS = (({"points"}, set()), ({"start", "end"}, {"over", "ease"}), ({"start", "step"}, {"every", "cap"}))
_WAYS_RANDOM = (({"low", "high"}, set()), ({"mean", "deviation"}, {"low", "high"}))
_WAYS_READ = (({"file", "row", "column"}, set()),)


def _kind(value: Any) -> str:
    return "table" if isinstance(value, (dict, Depends)) else "number"


def depending(number: Any, low: float = -HUGE, above: float | None = None, on: tuple[str, ...] = SETTLED) -> Any:
    """The type of a key that takes ``number`` or a table that depends on something, within the same limits."""

    def _within(value: Any) -> Any:
        if isinstance(value, Depends):
            if value.by not in on:
                raise ValueError(f'is settled at launch, so it cannot go by = "{value.by}"; it takes {", ".join(on)}')
            for one in value.values():
                if one < low or (above is not None and one <= above):
                    bound = f"greater than {above:g}" if above is not None else f"at least {low:g}"
                    raise ValueError(f"every value must be {bound}; one is {one:g}")
        return value

    from pydantic import AfterValidator

    return Annotated[
        Annotated[number, Tag("number")] | Annotated[Depends, Tag("table")],
        Discriminator(_kind),
        AfterValidator(_within),
    ]
