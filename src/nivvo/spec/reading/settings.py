"""Keys changed for one case or one call: what may be set, and laying it over a drill's tables."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

from nivvo.errors import Problem
from nivvo.spec.reading.document import LARGEST, Document, Origin, leaves, put
from nivvo.spec.reading.positions import MOST_PARTS
from nivvo.spec.words.nearest import listed, nearest

NAMED = ("shooter", "obstacle", "target", "ability", "cue", "case")
ADDED = ("obstacle", "target")
"""Of what a whole table that is set may be one more."""

KEEPER = "keeper"
"""Name of the shooter that a drill without one gets."""

NEVER = ("nivvo", "use")
RESOLVED = ("like", "without")

INSTEAD = {("tick", "frames"): "rate", ("tick", "rate"): "frames"}
"""Keys of which one that is set takes the place of the other that was written before."""

NOBODY = Origin("", 0)


class Setting(NamedTuple):
    """One dotted key and what it is changed to; origin : who did it. shown : the key as messages have it."""

    key: str
    value: Any
    origin: Origin
    shown: str


def of_case(document: Document, name: str) -> list[Setting]:
    """What a case sets."""
    case = document.tables["case"][name]
    settings = case.get("set") if isinstance(case, dict) else None
    out = []
    for key, value in settings.items() if isinstance(settings, dict) else ():
        at = document.origin(("case", name, "set", key))
        origin = Origin(at.file, at.line, f"case {name}")
        out.append(Setting(str(key), value, origin, f'case.{name}.set."{key}"'))
    return out


def of_call(settings: Mapping[str, Any]) -> list[Setting]:
    """What a call sets."""
    return [Setting(str(key), value, Origin("--set", 0), f"--set {key}") for key, value in settings.items()]


def laid(
    document: Document, settings: list[Setting], of_call: bool, made: dict[tuple, Any] | None = None
) -> tuple[Document, list[Problem]]:
    """A document with settings over it, in turn, and what of them cannot be; ``made``: as ``put`` has it."""
    if not settings:
        return document, []
    tables, layer, problems = document.tables, {}, []
    for one in settings:
        parts = one.key.split(".")
        problem = _forbidden(tables, one, parts, of_call)
        if problem is not None:
            problems.append(problem)
            continue
        missing = next((k for k in range(1, len(parts)) if not _there(tables, parts[:k])), len(parts))
        tables = put(tables, parts, one.value, made)
        if other := INSTEAD.get(tuple(parts)):
            by = layer.get((parts[0], other), NOBODY)
            if (by.file, by.through) != (one.origin.file, one.origin.through):
                tables = {**tables, parts[0]: {key: value for key, value in tables[parts[0]].items() if key != other}}
                layer.pop((parts[0], other), None)
        for key in [key for key in layer if key[: len(parts)] == tuple(parts)]:
            del layer[key]
        # Tables that came with it are whoever's who set it.
        for size in range(missing, len(parts) + 1):
            layer[tuple(parts[:size])] = one.origin
    return document.laid_over(tables, layer), problems


def _there(tables: Any, parts: list[str]) -> bool:
    for part in parts:
        if not isinstance(tables, dict) or part not in tables:
            return False
        tables = tables[part]
    return True


def _forbidden(tables: dict[str, Any], one: Setting, parts: list[str], of_call: bool) -> Problem | None:
    """Why a key cannot be set, if so."""

    def wrong(says: str, allowed: str = "", hint: str = "") -> Problem:
        return Problem(str(one.origin), one.shown if not of_call else one.key[:60], says, "", allowed, hint)

    if not all(parts) or len(parts) > MOST_PARTS:
        return wrong("not a dotted key, as ability.flare.launch.speed")
    if isinstance(one.value, int) and not -LARGEST <= one.value < LARGEST:
        return wrong("a whole number beyond 64 bits")
    head, name = parts[0], parts[1] if len(parts) > 1 else None
    if head in NEVER or (head == "case" and not of_call):
        says = f"{head} cannot be set" if head in NEVER else "a case sets no other case"
        hint = "" if of_call else "a case sets keys of the scene, the tick rules and the abilities"
        return wrong(says, hint=hint)
    if len(parts) == 3 and head in NAMED and parts[2] in RESOLVED:
        return wrong(f"{parts[2]} is resolved in the file and cannot be set")
    there = tables.get(head, {})
    if head in NAMED and name is not None and isinstance(there, dict) and name not in there:
        names = list(there) or ([KEEPER] if head == "shooter" else [])
        if name not in names and not (head in ADDED and len(parts) == 2 and isinstance(one.value, dict)):
            more = f'for one more, set its table: "{head}.{name[:64]}" = {{ ... }}' if head in ADDED else ""
            return wrong(f"there is no {head} {name[:64]}", listed(names), nearest(name, names) or more)
    if head not in _tops(tables) and (full := in_full(parts, leaves(tables))):
        return wrong("unknown key", hint=f"did you mean {full}?")
    return None


def _tops(tables: dict[str, Any]) -> set[str]:
    return {*tables, *NAMED, "world", "tick", "title"}


def in_full(parts: list[str], keys: Iterable[str]) -> str:
    """The shortest of ``keys`` that has these parts in this order, the last at its end; or ""."""
    found = []
    for key in keys:
        rest = iter(there := key.split("."))
        if there[-1] == parts[-1] and all(part in rest for part in parts):
            found.append(key)
    return min(found, key=len, default="")


def value_of_text(text: str) -> Any:
    """A setting as written on a command line: TOML if it can be read so, else plain text.

    Raises ValueError for more than one value.
    """
    try:
        read = tomllib.loads(f"value = {text}")
    except (tomllib.TOMLDecodeError, RecursionError):
        if "\n" in text:
            raise ValueError("one value, on one line") from None
        return text
    except ValueError:
        raise ValueError("a number that is too large to read") from None
    if set(read) != {"value"}:
        raise ValueError("one value, on one line")
    return read["value"]
