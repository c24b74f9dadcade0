"""Every key that can be written: its meaning, what it takes, its default, and a line to copy."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator, Sequence
from functools import cache
from typing import NamedTuple

from nivvo.errors import CallError
from nivvo.results import Results
from nivvo.spec.arguments import checked
from nivvo.spec.words.elsewhere import elsewhere
from nivvo.spec.words.nearest import nearest

NAMED = ("shooter", "obstacle", "target", "ability", "cue", "case")
FILLED = {"ability": "flare", "shooter": "keeper", "obstacle": "wall", "target": "wisp", "case": "tap", "on": "walls",
          "muzzle": "hand", "cue": "splash", "breezes": "updraft"}  # fmt: skip
"""Names for lines to copy, by the table that they stand in."""


DEPENDS = "a number that depends"
"""What can be written in place of many numbers."""
FIRST_THAT_DEPENDS = "ability.NAME.launch.speed"
"""The number for which its keys are told where none is named."""
WRITTEN_SO = {
    'by = "held", start = 6, end = 16, over = 1.2, ease = "out"': ("by", "start", "end", "over", "ease"),
    'by = "held", points = [[0, 6], [1.2, 16]]': ("points",),
    'by = "held", start = 6, step = 2, every = 0.25, cap = 12': ("step", "every", "cap"),
    'by = "random", low = 9, high = 11': ("low", "high"),
    'by = "random", mean = 10, deviation = 0.5': ("mean", "deviation"),
    'by = "read", file = "balance.csv", row = "lantern", column = "speed"': ("file", "row", "column"),
}
"""How a number that depends is written, and for which of its keys that is the line to copy."""


class Key(NamedTuple):
    """A key. key : dotted, names written NAME. takes : what can be written. default : "" where there is none.

    means : in words. example : a line of a drill.
    """

    key: str
    takes: str
    default: str
    means: str
    example: str


NEAR_ENOUGH = 0.7
"""Share of letters that a word has in common with a key, at least, if it is that key misspelt; else none is told."""


@checked
def keys(key: str | None = None) -> Results[Key]:
    """The keys at and below one, as "ability.launch" or "flight.homing"; all for None.

    Names of abilities, bodies and cases may be left out or be anything. One word that is no table, as "friction", is
    told wherever it stands, the least deep first. With "aim.by=stick" only what goes with it.
    Raises CallError for what is no key, with where it may be meant.
    """
    if not key:
        return Results(_all())
    word = key.replace('"', "").replace("'", "").strip()
    asked, _, choice = word.replace(" ", "").partition("=")
    parts = [part for part in asked.split(".") if part]
    known = frozenset(part for one in _all() for part in one.key.split("."))
    found = []
    for reserved, anywhere in ((known, False), (frozenset(), False), (known, True)):
        found = found or [one for one in _all() if _within(one.key.split("."), parts, reserved, anywhere)]
    if len(parts) == 1 and len(set(map(_last, found))) == 1 and found[0].takes != "table":
        # One word that is no table's: wherever it stands, the least deep first.
        found = sorted((one for one in _all() if _last(one) == asked), key=lambda one: one.key.count("."))
    if len(parts) == 1 and not choice and all(_last(one) == asked for one in found):
        found += [one for one in of_a_number(FIRST_THAT_DEPENDS) if _last(one) == asked]
    if not found and len(parts) > 1 and not choice:
        above = [one for one in _all() if DEPENDS in one.takes and _within(one.key.split("."), parts[:-1], known, True)]
        found = [one for one in of_a_number(above[0].key) if _last(one) == parts[-1]] if above else []
    if not found:
        # Of several that end alike the least deep.
        deepest_first = sorted((*of_a_number(FIRST_THAT_DEPENDS), *_all()), key=lambda one: -one.key.count("."))
        tails = {_last(one): one.key for one in deepest_first}
        hint = (choice_of(word) or elsewhere(word.rpartition(".")[2])) if parts else ""
        hint = f"look at {hint}" if hint and not hint.startswith(("it is", "Nivvo")) else hint
        near = nearest(parts[-1], tails, NEAR_ENOUGH) if parts else ""
        tail = near.removeprefix("did you mean ").removesuffix("?")
        hint = hint or (f"did you mean {tails[tail]}?" if tail in tails else "")
        raise CallError(f"there is no key {word[:80]!r}. {hint}".strip())
    if choice:
        return Results(_going_with(found, asked, choice))
    return Results([*found, *(of_a_number(found[0].key) if len(found) == 1 and DEPENDS in found[0].takes else ())])


def _last(one: Key) -> str:
    return one.key.rpartition(".")[2]


def choice_of(word: str) -> str:
    """Which keys take a word, in words; "" if none does."""
    # What is touched is known to a damage, not to a launch.
    depends = of_a_number("ability.NAME.on.NAME.damage" if word in ("off_middle", "from_front") else FIRST_THAT_DEPENDS)
    homes = [one.key for one in (*_all(), *depends) if f'"{word}"' in one.takes]
    more = f" and {len(homes) - 3} more" if len(homes) > 3 else ""
    return f'it is a choice: {homes[0]} = "{word}"' + "".join(f", {key}" for key in homes[1:3]) + more if homes else ""


def of_a_number(key: str = "NUMBER") -> list[Key]:
    """The keys of a number that depends on something, in place of the number of a key."""
    lines = {name: f"{_filled(key)} = {{ {line} }}" for line, names in WRITTEN_SO.items() for name in names}
    return [one._replace(key=f"{key}.{_last(one)}", example=lines[_last(one)]) for one in _both()[1]]


def meaning_of(key: str) -> str:
    """What a key of a drill means, whose names stand in it, as "ability.flare.launch.speed"; "" for what is no key."""
    parts = [part.partition("[")[0].strip('"') for part in key.split(".")]
    return next((one.means for one in _by_length().get(len(parts), ()) if _is(one.key.split("."), parts)), "")


def _is(path: list[str], parts: list[str]) -> bool:
    return all(part in (own, "NAME") or own == "NAME" for own, part in zip(path, parts, strict=True))


@cache
def _by_length() -> dict[int, list[Key]]:
    lengths: dict[int, list[Key]] = {}
    for one in _all():
        lengths.setdefault(one.key.count(".") + 1, []).append(one)
    return lengths


def _going_with(found: list[Key], asked: str, choice: str) -> list[Key]:
    """Of the keys of the table around a choice those that go with one of its words."""
    own = found[0]
    table, word = own.key.rpartition(".")[0], own.key.rpartition(".")[2]
    if f'"{choice}"' not in own.takes:
        raise CallError(f"{asked} takes {own.takes}, not {choice!r}")
    rules = _rules().get((table.rpartition(".")[2], word), {})
    around = [one for one in _all() if one.key.startswith(f"{table}.")]
    return [one for one in around if choice in rules.get(one.key[len(table) + 1 :].split(".")[0], (choice,))]


def _rules() -> dict[tuple[str, str], dict[str, tuple[str, ...]]]:
    """Of a table's choice, which of its keys go with which words."""
    from nivvo.spec.abilities import ability

    answer = {key: (then,) for key, then in ability.KEYS_OF_ANSWER.items()}
    thrown = ("bounce", "lodge")
    answer |= dict.fromkeys(("restitution", "bounces", "least_speed", "rests", "rolling"), thrown)
    answer["friction"] = (*thrown, "slide")
    return {
        ("aim", "by"): ability.KEYS_OF_AIM,
        ("firing", "kind"): ability.KEYS_OF_FIRING,
        ("NAME", "then"): answer,
    }


def _within(path: list[str], parts: list[str], reserved: frozenset[str], anywhere: bool) -> bool:
    """Whether a key lies at or below what was asked for, whose names may be any but ``reserved`` words, or left out.

    anywhere : what was asked for may begin in the middle of a path.
    """
    if not parts:
        return False
    for start in range(len(path)):
        if path[start] != parts[0] and not (path[start] == "NAME" and start == 0):
            continue
        k, good = start, True
        for part in parts:
            while k < len(path) and path[k] == "NAME" and part != path[k] and k + 1 < len(path) and path[k + 1] == part:
                k += 1
            if k >= len(path) or not (path[k] == part or (path[k] == "NAME" and part not in reserved)):
                good = False
                break
            k += 1
        if good and (anywhere or start == 0 or (start == 2 and path[0] in NAMED and path[1] == "NAME")):
            return True
    return False


def _all() -> tuple[Key, ...]:
    return _both()[0]


@cache
def _both() -> tuple[tuple[Key, ...], tuple[Key, ...]]:
    """All keys, and those of a number that depends."""
    from nivvo.spec.schema import schema

    made = schema()
    return tuple(_walked(made, made, "")), tuple(_walked(made, made["$defs"]["Depends"], "NUMBER"))


def _walked(made: dict, table: dict, path: str, only: Sequence[str] | None = None, listed: str = "") -> Iterator[Key]:
    """The keys of a table at a path, and below; ``listed``: the key of the list of tables that it stands in."""
    for name, entry in table.get("properties", {}).items():
        if only is not None and name not in only:
            continue
        key = f"{path}.{name}" if path else name
        below, named = _table_of(made, entry)
        takes = _takes(made, entry)
        default = entry.get("default")
        shown = "" if default is None or isinstance(default, dict) else json.dumps(default, ensure_ascii=False)
        shown = f"{default:g}" if isinstance(default, float) else shown
        means = entry.get("description", "") or (below or {}).get("description", "").split("\n")[0]
        if below is None or named or takes not in ("table",):
            yield Key(key, takes, shown, means, _example(key, entry, listed))
        else:
            yield Key(key, takes, shown, means, "")
        if below is not None and path.count(".") < 7 and "Depends" not in str(entry.get("$ref", "")):
            inside = key if "list of tables" in takes else listed
            yield from _walked(made, below, f"{key}.NAME" if named else key, entry.get("only"), inside)


def _options(entry: dict) -> list[dict]:
    out = []
    for one in entry.get("anyOf", entry.get("oneOf", [entry])):
        out += _options(one) if one is not entry and ("anyOf" in one or "oneOf" in one) else [one]
    return [one for one in out if one.get("type") != "null"]


def _table_of(made: dict, entry: dict) -> tuple[dict | None, bool]:
    """The table that a key holds, if it holds one, and whether it holds several by name or in a list."""
    for one in _options(entry):
        if "$ref" in one and not one["$ref"].endswith("/Depends"):
            return made["$defs"][one["$ref"].rpartition("/")[2]], False
        for held in [*one.get("patternProperties", {}).values(), one.get("additionalProperties"), one.get("items")]:
            if isinstance(held, dict) and "$ref" in held:
                return made["$defs"][held["$ref"].rpartition("/")[2]], True
    return None, False


def _takes(made: dict, entry: dict) -> str:
    """What can be written, in words."""
    words = []
    for one in _options(entry):
        kind = one.get("type")
        if "$ref" in one:
            words.append(DEPENDS if one["$ref"].endswith("/Depends") else "table")
        elif "enum" in one or "const" in one:
            words += [json.dumps(word, ensure_ascii=False) for word in one.get("enum", [one.get("const")])]
        elif kind in ("number", "integer"):
            words.append(_number(one, "number" if kind == "number" else "whole number"))
        elif kind == "array":
            held = one.get("items", {})
            words.append("list of tables" if "$ref" in held else f"[{_takes(made, held)}, ...]")
        elif kind == "string":
            words.append('"90 ticks"' if "tick" in one.get("pattern", "") else "a name" if "pattern" in one else "text")
        elif kind == "boolean":
            words.append("true, false")
        elif kind == "object":
            words.append("tables by name" if "patternProperties" in one else "table")
    return ", ".join(dict.fromkeys(words)) or "anything"


def _number(one: dict, word: str) -> str:
    low, high = one.get("minimum"), one.get("maximum")
    above, below = one.get("exclusiveMinimum"), one.get("exclusiveMaximum")
    parts = []
    if above is not None:
        parts.append(f"above {above:g}")
    elif low is not None and abs(low) < 1e11:
        parts.append(f"from {low:g}")
    if below is not None:
        parts.append(f"below {below:g}")
    elif high is not None and high < 1e11:
        parts.append(f"to {high:g}")
    return " ".join([word, *parts])


def _example(key: str, entry: dict, listed: str) -> str:
    """A line of a drill with the key in it, in a list of tables if it is ``listed``."""
    for one in _options(entry):
        kind = one.get("type")
        if "enum" in one or "const" in one:
            words = one.get("enum", [one.get("const")])
            value = json.dumps(words[-1 if entry.get("default") == words[0] else 0], ensure_ascii=False)
        elif kind in ("number", "integer"):
            low = one.get("exclusiveMinimum", one.get("minimum", 0))
            most = one.get("maximum", one.get("exclusiveMaximum", 9))
            value = f"{math.floor(max(low if abs(low) < 1e11 else 0, 0)) + 1}" if most > 1 else "0.5"
        elif kind == "boolean":
            value = "false" if entry.get("default") is True else "true"
        elif kind == "string" and "tick" not in one.get("pattern", ""):
            value = '"name"'
        elif kind == "array" and "$ref" not in one.get("items", {}):
            first = (_options(one.get("items", {})) or [{}])[0]
            inner, count = first.get("type"), one.get("minItems", 1)
            word = json.dumps(first.get("enum", ["name"])[0])
            value = f"[{', '.join(['1' if inner in ('number', 'integer') else word] * count)}]"
            if inner == "array":
                value = "[[0, 1], [1, 0]]" if count < 3 else "[[0, 0], [2, 0], [1, 1]]"
                if one["items"].get("minItems", 2) > 2:
                    value = "[[0, 2, 1], [1, 3, 1]]"
        else:
            continue
        if listed:
            return f"{_filled(listed)} = [{{ {_filled(key[len(listed) + len('.NAME.') :])} = {value} }}]"
        return f"{_filled(key)} = {value}"
    return ""


def _filled(key: str) -> str:
    """A key with names in place of NAME."""
    parts = key.split(".")
    return ".".join(FILLED.get(parts[k - 1], "name") if part == "NAME" else part for k, part in enumerate(parts))
