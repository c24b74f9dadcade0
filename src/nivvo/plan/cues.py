"""Cues as they run."""

from __future__ import annotations

from typing import Any, NamedTuple


class Cue(NamedTuple):
    """A named moment: on what, of which ability, with which group; how long (s), how many at once, what then."""

    name: str
    on: str
    ability: str | None
    group: str | None
    lasts: float
    at_once: int | None
    when_full: str


def cues_of(tables: dict[str, Any], rate: float) -> tuple[Cue, ...]:
    """The cues of a drill, by name."""
    return tuple(
        Cue(name, one.on, one.ability, one.group, one.lasts.seconds(rate), one.at_once, one.when_full)
        for name, one in sorted(tables.items())
    )
