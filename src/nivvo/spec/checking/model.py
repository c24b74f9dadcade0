"""The model of a whole drill file."""

from typing import Annotated

from pydantic import Field

from nivvo.spec.abilities.ability import Ability
from nivvo.spec.checking.tables import ENTRIES, Head
from nivvo.spec.scenes.case import Case
from nivvo.spec.scenes.cues import Cue
from nivvo.spec.scenes.scene import Obstacle, Shooter, Target
from nivvo.spec.scenes.values import Name, no_tables


class Model(Head, defer_build=True):
    """The whole of a drill file: described here, made of the models of its tables, and never validated at once."""

    shooter: Annotated[dict[Name, Shooter], Field(max_length=ENTRIES)] = Field(default_factory=no_tables)
    obstacle: Annotated[dict[Name, Obstacle], Field(max_length=ENTRIES)] = Field(default_factory=no_tables)
    target: Annotated[dict[Name, Target], Field(max_length=ENTRIES)] = Field(default_factory=no_tables)
    ability: Annotated[dict[Name, Ability], Field(max_length=ENTRIES)] = Field(default_factory=no_tables)
    cue: Annotated[dict[Name, Cue], Field(max_length=ENTRIES)] = Field(default_factory=no_tables)
    case: Annotated[dict[Name, Case], Field(max_length=ENTRIES)] = Field(default_factory=no_tables)
