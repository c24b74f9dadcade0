"""The model of a cue: a sound, a flash, a shake of the screen, of which nobody here plays any."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from nivvo.spec.scenes.values import Name, Seconds, Table

CUES = (
    "fired", "refused", "full", "hit", "bounced", "sent", "burst", "scored", "blinked", "anchored", "pushed", "out",
    "expired", "ended", "back", "won", "lost",
)  # fmt: skip
"""What a cue can follow."""

WITH_A_BODY = {"hit", "bounced", "out", "blinked", "anchored", "pushed", "back"}


class Cue(Table):
    """A named moment that is heard or seen for a time; which are cut short or refused is told."""

    on: Literal[CUES] = Field(
        description="what it follows; full: a charge is; expired: its life or reach is over; out: of a body"
    )
    ability: Name | None = Field(None, description="of this ability alone")
    group: Name | None = Field(None, description="with a body of this group alone")
    lasts: Seconds = Field(description="how long it is heard or seen")
    at_once: Annotated[int, Field(ge=1, le=1000)] | None = Field(
        None, description="at most so many of it at once; default: any number"
    )
    when_full: Literal["refuse", "stop oldest"] = Field("refuse", description="one that would be one too many")

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if self.group is not None and self.on not in WITH_A_BODY:
            raise ValueError(f'on = "{self.on}" is with no body: group goes with {", ".join(sorted(WITH_A_BODY))}')
        if self.at_once is None and "when_full" in self.model_fields_set:
            raise ValueError("when_full goes with at_once")
        return self
