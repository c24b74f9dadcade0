"""Kinds of value that many keys share: vectors, durations, and numbers that may depend on something."""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Discriminator, Field, Tag, WithJsonSchema, model_validator

HUGE = 1e12
LONGEST = 86_400.0


class Table(BaseModel):
    """A table of a drill: unknown keys are errors, and nothing is converted in silence."""

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False, frozen=True)


Number = Annotated[float, Field(ge=-HUGE, le=HUGE)]
Positive = Annotated[float, Field(gt=0, le=HUGE)]
NotNegative = Annotated[float, Field(ge=0, le=HUGE)]
Share = Annotated[float, Field(ge=0, le=1)]
Degrees = Annotated[float, Field(ge=-360_000, le=360_000)]
Vector = Annotated[list[Number], Field(min_length=2, max_length=3)]
Name = Annotated[str, Field(pattern=r"^[A-Za-z][A-Za-z0-9_-]*$", max_length=64)]

_TICKS = re.compile(r"^(\d{1,9}) ticks?$")


class Duration(float):
    """Seconds, or ticks where ``ticks`` is set (the seconds then follow from the drill's tick rate)."""

    ticks: int | None = None

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


class Depends(Table):
    """A number that depends on something.

    by = "shot": on the shot's number within its case, counted from 0: either ``points`` (pairs of shot
    and value, straight lines between, held beyond the ends) or ``start`` with ``step`` added ``every``
    so many shots, never beyond ``cap``.
    """

    by: Literal["shot"] = Field(description='what it depends on; "shot": the number of the shot, from 0')
    points: list[Annotated[list[Number], Field(min_length=2, max_length=2)]] | None = Field(None, min_length=1)
    start: Number | None = None
    step: Number = 0.0
    every: Annotated[int, Field(ge=1)] = 1
    cap: Number | None = None

    @model_validator(mode="after")
    def _one_way(self) -> Depends:
        if (self.points is None) == (self.start is None):
            raise ValueError("needs either points or start (with step, every, cap)")
        if self.points is not None and any(a[0] >= b[0] for a, b in zip(self.points, self.points[1:], strict=False)):
            raise ValueError("points must go up in their first number")
        if self.cap is not None and self.start is not None and (self.cap - self.start) * self.step < 0.0:
            raise ValueError("cap lies on the other side of start than step goes")
        return self

    def at(self, x: float) -> float:
        """The value at ``x`` (here: at that shot)."""
        if self.points is None:
            value = self.start + self.step * (int(x) // self.every)
            if self.cap is not None:
                value = min(value, self.cap) if self.step >= 0.0 else max(value, self.cap)
            return value
        before = self.points[0]
        for after in self.points:
            if after[0] >= x:
                if after[0] == before[0] or after[0] == x:
                    return after[1]
                share = (x - before[0]) / (after[0] - before[0])
                return before[1] + share * (after[1] - before[1])
            before = after
        return before[1]

    def values(self) -> list[float]:
        """The values at its corners, to check them against what a key allows."""
        if self.points is not None:
            return [value for _, value in self.points]
        return [self.start] if self.cap is None else [self.start, self.cap]


def _kind(value: Any) -> str:
    return "table" if isinstance(value, (dict, Depends)) else "number"


def depending(number: Any, low: float = -HUGE, above: float | None = None) -> Any:
    """The type of a key that takes ``number`` or a table that depends on something, within the same limits."""

    def _within(value: Any) -> Any:
        if isinstance(value, Depends):
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


def resolve(value: float | Depends, shot: int) -> float:
    """The number that a value is for one shot (counted from 0)."""
    return value.at(shot) if isinstance(value, Depends) else float(value)
