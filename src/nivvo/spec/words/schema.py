"""What the models say of the keys of a drill: which table holds which, and what may stand in each."""

from __future__ import annotations

from functools import cache
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel

VALUE = "ability.NAME.launch.speed"
"""One of the numbers that may depend on something."""


def kind_of(leaf: Any) -> Any:
    return get_origin(leaf) or leaf


@cache
def leaves_of(table: type[BaseModel]) -> list[tuple[str, list]]:
    return [(name, _leaves(field.annotation)) for name, field in table.model_fields.items()]


def _leaves(annotation: Any) -> list:
    """The types that a value may have, and the words that it may be; not what stands in lists and tables."""
    if get_origin(annotation) is Literal:
        return list(get_args(annotation))
    if isinstance(annotation, type) or get_origin(annotation) in (list, dict, tuple):
        return [annotation]
    return [leaf for option in get_args(annotation) for leaf in _leaves(option)]


def field_at(model: type[BaseModel], key: tuple) -> Any:
    """The field of the value at a path, or None."""
    table = model_at(model, key[:-1])
    return table.model_fields.get(str(key[-1])) if table else None


def holds(model: type[BaseModel], key: tuple) -> Any:
    """What the list or the table by names at a path holds."""
    field = field_at(model, key)
    return held_by(field.annotation) if field else None


def model_at(model: type[BaseModel], key: tuple) -> type[BaseModel] | None:
    """The model of the table at a path; names and list places step into what tables hold."""
    current: Any = model
    for part in key:
        if (table := first_model(current)) is not None:
            field = table.model_fields.get(str(part))
            current = field.annotation if field else None
        else:
            current = held_by(current)
    return first_model(current)


def held_by(annotation: Any) -> Any:
    """What a dict or list annotation holds."""
    for option in (annotation, *get_args(annotation)):
        if get_origin(option) in (dict, list):
            return get_args(option)[-1]
        inner = get_args(option)
        if inner and get_origin(inner[0]) in (dict, list):
            return get_args(inner[0])[-1]
    return None


def first_model(annotation: Any) -> type[BaseModel] | None:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    if get_origin(annotation) in (dict, list):
        return None
    for option in get_args(annotation):
        if found := first_model(option):
            return found
    return None


@cache
def all_keys(model: type[BaseModel]) -> tuple[tuple[str, str], ...]:
    """(path of the table, key) for every key of every table, named tables shown as NAME.

    The keys of a number that depends stand there once.
    """
    found: list[tuple[str, str]] = []

    def walk(table: type[BaseModel], path: str, depth: int) -> None:
        for name, field in table.model_fields.items():
            found.append((path or "the top of the file", name))
            if depth > 5:
                continue
            below = first_model(field.annotation)
            step = f"{path}.{name}" if path else name
            if below is not None and "by" in below.model_fields and "points" in below.model_fields and step != VALUE:
                continue
            if below is not None:
                walk(below, step, depth + 1)
            elif (inner := held_by(field.annotation)) is not None and (inside := first_model(inner)) is not None:
                walk(inside, f"{step}.NAME", depth + 1)

    walk(model, "", 0)
    return tuple(found)
