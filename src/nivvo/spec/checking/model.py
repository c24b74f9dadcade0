"""The model of a whole drill file."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from nivvo.spec.abilities.ability import Ability
from nivvo.spec.checking.tables import ENTRIES
from nivvo.spec.scenes.case import Case
from nivvo.spec.scenes.cues import Cue
from nivvo.spec.scenes.scene import Obstacle, Shooter, Target, Tick, World
from nivvo.spec.scenes.values import Name, Table


class Model(Table):
    """The whole of a drill file."""

    nivvo: Literal[1] = Field(description="version of the file form; always 1")
    title: str = Field("", description="what it is about, in place of the file's name")
    use: list[str] = Field(default_factory=list, description="drill files to build on; later wins, merged by name")
    world: World = Field(default_factory=World)
    tick: Tick = Field(default_factory=Tick)
    shooter: Annotated[dict[Name, Shooter], Field(max_length=ENTRIES)] = Field(default_factory=dict)
    obstacle: Annotated[dict[Name, Obstacle], Field(max_length=ENTRIES)] = Field(default_factory=dict)
    target: Annotated[dict[Name, Target], Field(max_length=ENTRIES)] = Field(default_factory=dict)
    ability: Annotated[dict[Name, Ability], Field(max_length=ENTRIES)] = Field(default_factory=dict)
    cue: Annotated[dict[Name, Cue], Field(max_length=ENTRIES)] = Field(default_factory=dict)
    case: Annotated[dict[Name, Case], Field(max_length=ENTRIES)] = Field(default_factory=dict)
