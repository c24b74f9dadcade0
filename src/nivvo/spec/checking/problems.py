"""Turning what the models find into problems that a writer can mend from the message alone."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel, ValidationError

from nivvo.errors import Problem
from nivvo.spec.reading.document import Document
from nivvo.spec.words.elsewhere import elsewhere, meant
from nivvo.spec.words.nearest import listed, nearest
from nivvo.spec.words.renamed import renamed
from nivvo.spec.words.schema import VALUE, all_keys, field_at, first_model, holds, kind_of, leaves_of, model_at

_LIMITS = {
    "greater_than": ("gt", "greater than {}"),
    "greater_than_equal": ("ge", "at least {}"),
    "less_than": ("lt", "less than {}"),
    "less_than_equal": ("le", "at most {}"),
}

CHANGED = ("world", "tick", "shooter", "obstacle", "target", "ability", "cue")
"""Tables of a drill of which a case may change keys, by ``set``."""

_TYPES = {
    "float_type": "a number",
    "int_type": "a whole number",
    "int_from_float": "a whole number",
    "string_type": 'text, in quotes, as "quay"',
    "bool_type": "true or false",
    "list_type": "a list",
    "dict_type": "a table",
    "model_type": "a table",
    "model_attributes_type": "a table",
    "finite_number": "a finite number",
}


def of_errors(errors: list[dict], document: Document, model: type[BaseModel], prefix: tuple = ()) -> list[Problem]:
    """The problems of a validation's errors, one for each key; ``prefix``: where its table stands in the drill."""
    found: dict[tuple, Problem] = {}
    if not errors:
        return []
    for one in errors:
        key = real_key((*prefix, *one["loc"]), document.tables, missing=one["type"] == "missing")
        if key in found and one["type"] != "extra_forbidden":
            old = found[key]
            if _by_set(key, _value(document.tables, key)):
                continue
            if one["type"] in _TYPES and _TYPES[one["type"]] not in old.allowed:
                allowed = f"{old.allowed}, or {_TYPES[one['type']]}" if old.allowed else _TYPES[one["type"]]
                found[key] = Problem(old.where, old.key, old.message, old.given, allowed, old.hint)
            elif one["type"] == "value_error":
                said = one["msg"].removeprefix("Value error, ").removeprefix("must be ")
                allowed = f"{old.allowed}, or {said}" if old.allowed else said
                found[key] = Problem(old.where, old.key, old.message, old.given, allowed, old.hint)
            continue
        found[key] = _problem(one, key, document, model)
    # What is missing under its new name is there under its old one.
    now = {(*key[:-1], renamed(key)) for key in found if key and renamed(key)}
    found = {key: problem for key, problem in found.items() if not (problem.message == "is missing" and key in now)}
    # Of a key that may be one thing or another, what is wrong inside of the one says it all.
    outer = {key[:size] for key in found for size in range(1, len(key))}
    whole = ("wrong type", "unknown choice")
    return [problem for key, problem in found.items() if not (problem.message in whole and key in outer)]


def in_order(problems: Iterable[Problem]) -> list[Problem]:
    """Problems sorted by file and line."""

    def place(problem: Problem) -> tuple[str, int]:
        file, _, line = problem.where.rpartition(":")
        return (file, int(line)) if file and line.isdecimal() else (problem.where, 0)

    return sorted(problems, key=place)


def dotted(key: tuple) -> str:
    """A key's path as it is written: names by dots, list places in brackets."""
    out = ""
    for part in key:
        if isinstance(part, int):
            out += f"[{part}]"
        else:
            out += f".{part}" if out else str(part)
    return out


def shown(value: Any) -> str:
    """A value as a drill would have it, shortened."""
    if isinstance(value, bool):
        text = "true" if value else "false"
    elif isinstance(value, dict):
        text = "{ " + ", ".join(f"{k} = {shown(v)}" for k, v in list(value.items())[:6]) + " }"
    elif isinstance(value, list):
        text = "[" + ", ".join(shown(v) for v in value[:8]) + (", ..." if len(value) > 8 else "") + "]"
    elif isinstance(value, float):
        text = f"{value:.0f}" if value.is_integer() and abs(value) < 1e15 else repr(value)
    elif isinstance(value, int) and value.bit_length() > 64:
        text = f"a whole number of about {value.bit_length() * 3 // 10} digits"
    elif isinstance(value, str):
        text = f'"{value[:120]}"'
    else:
        text = str(value)
    return text if len(text) <= 100 else text[:97] + "..."


def real_key(loc: tuple, tables: Any, missing: bool) -> tuple:
    """The path of a location without the names that unions put into it."""
    key: list = []
    node = tables
    for k, part in enumerate(loc):
        last = k == len(loc) - 1
        if (isinstance(node, dict) and part in node) or (
            isinstance(node, list) and isinstance(part, int) and part < len(node)
        ):
            key.append(part)
            node = node[part]
        elif missing and last:
            key.append(part)
    return tuple(key)


def _value(tables: Any, key: tuple) -> Any:
    for part in key:
        try:
            tables = tables[part]
        except (KeyError, IndexError, TypeError):
            return None
    return tables


def _problem(one: dict, key: tuple, document: Document, model: type[BaseModel]) -> Problem:
    kind, given = one["type"], _value(document.tables, key)
    where, name = str(document.origin(key)), dotted(key)
    if kind == "extra_forbidden" and not _by_set(key, given):
        return _unknown(key, given, where, model)
    if kind == "missing":
        parent = _value(document.tables, key[:-1])
        described = _described(model, key)
        return Problem(
            where, name, "is missing", given=f"{dotted(key[:-1]) or 'the drill'} = {shown(parent)}", allowed=described
        )
    if kind in _LIMITS:
        field, text = _LIMITS[kind]
        allowed = text.format(f"{one['ctx'][field]:g}")
        return Problem(where, name, "out of range", shown(given), allowed, _means(model, key))
    if kind == "literal_error":
        allowed = one["ctx"]["expected"].replace("'", '"')
        words = [word.strip(' "') for word in allowed.replace(" or ", ",").split(",")]
        hint = nearest(given, words) or elsewhere(given)
        return Problem(where, name, "unknown choice", shown(given), allowed, hint)
    if by_set := _by_set(key, given):
        return Problem(where, name, "a case changes keys by set", shown(given), "", by_set)
    if kind in _TYPES:
        says = "must be a number that is not nan or infinite" if kind == "finite_number" else "wrong type"
        allowed, hint = _wanted(kind, model, key, given)
        return Problem(where, name, says, shown(given), allowed, hint)
    if kind in ("too_short", "too_long"):
        context = one["ctx"]
        bound = f"at least {context['min_length']}" if kind == "too_short" else f"at most {context['max_length']}"
        return Problem(where, name, "wrong number of values", shown(given), f"{bound} values")
    if kind.startswith("string_"):
        rule = "a name: a letter, then letters, digits, _ or -, at most 64 in all"
        says = "is not a name" if kind == "string_pattern_mismatch" else "wrong length"
        return Problem(where, name, says, shown(given), rule if kind == "string_pattern_mismatch" else one["msg"])
    message = one["msg"].removeprefix("Value error, ")
    word, colon, says = message.partition(": ")
    if colon and isinstance(given, dict) and word in given:
        inside = (*key, word)
        return Problem(str(document.origin(inside)), dotted(inside), says, given=shown(given[word]))
    return Problem(where, name, message, given=shown(given))


def _wanted(kind: str, model: type[BaseModel], key: tuple, given: Any) -> tuple[str, str]:
    """What is allowed where something is of the wrong type, and the line that was meant."""
    table, name = model_at(model, key), dotted(key)
    if _TYPES[kind] == "a list":
        held = holds(model, key)
        if inside := first_model(held):
            return f"a list of tables, as [{{ {next(iter(inside.model_fields))} = ... }}]", ""
        return ('a list of texts, as ["quay"]' if held is str else "a list, as [1.0, 2.0]"), ""
    if _TYPES[kind] == "a table":
        if table is None:
            inside = first_model(holds(model, key))
            step = f" of tables, as {name}.NAME.{next(iter(inside.model_fields))} = ..." if inside else ""
            return "a table" + step, ""
        return "a table" + _keys_of(table, name), _unnamed(model, key) or _short_for(table, name, given)
    depends = table is not None and "by" in table.model_fields and _TYPES[kind] == "a number"
    also = ', or one that depends, as { by = "held", start = 6, end = 16 }' if depends else ""
    return _TYPES[kind] + also, _means(model, key)


def _short_for(table: type[BaseModel], name: str, given: Any) -> str:
    """The line that is meant by one value in place of a table, or ""."""
    if chosen := _choice_meant(table, given):
        return f"did you mean {name}.{chosen}?"
    if isinstance(given, str) and given in table.model_fields:
        return f"did you mean {name}.{given} = ...?"
    if given is True and _whole_without_keys(table):
        return f"did you mean {name} = {{}}?"
    kind = float if type(given) in (int, float) else type(given)
    fields = (word for word, leaves in leaves_of(table) if kind in map(kind_of, leaves))
    word = next(fields, "") if kind in (float, list) else ""
    return f"did you mean {name}.{word} = {shown(given)}?" if word else ""


def _unnamed(model: type[BaseModel], key: tuple) -> str:
    """The line that was meant where what has a name in a drill was written without, or ""."""
    table = first_model(holds(model, key[:1]))
    there = table is not None and len(key) > 1 and key[1] in table.model_fields
    return f"did you mean {key[0]}.NAME.{dotted(key[1:])}?" if there else ""


def _whole_without_keys(table: type[BaseModel]) -> bool:
    try:
        return table.model_validate({}) is not None
    except ValidationError:
        return False


def _chosen(table: type[BaseModel], word: str, among: Callable = lambda word, words: word if word in words else None):
    """The first key of a table of which a word is a choice, and that choice, or None."""
    for name, leaves in leaves_of(table):
        words = [one for one in leaves if isinstance(one, str)]
        if found := among(word, words):
            return f'{name} = "{found}"'
    return None


def _choice_meant(table: type[BaseModel] | None, given: Any) -> str | None:
    """The first key of a table of which a text is a choice, or another word for one, and that choice; or None."""
    return (_chosen(table, given) or _chosen(table, given, meant)) if table and isinstance(given, str) else None


def _means(model: type[BaseModel], key: tuple) -> str:
    """A key and its meaning, for who took it for something else."""
    field = field_at(model, key)
    return f"{key[-1]}: {field.description}" if field is not None and field.description else ""


def _by_set(key: tuple, given: Any) -> str:
    """The line that changes in a case what a table of the drill in it would, or ""."""
    if len(key) != 3 or key[0] != "case" or key[2] not in CHANGED or not isinstance(given, dict):
        return ""
    path = [str(key[2])]
    while isinstance(given, dict) and given:
        word, given = next(iter(given.items()))
        path.append(str(word))
    return f'write set = {{ "{".".join(path)}" = {shown(given)} }}'


def _unknown(key: tuple, given: Any, where: str, model: type[BaseModel]) -> Problem:
    """A key that its table does not have: the nearest that it has, or the table where it belongs."""
    table, word = model_at(model, key[:-1]), str(key[-1])
    allowed = list(table.model_fields) if table else []
    if now := renamed(key):
        return Problem(where, dotted(key), f"is now called {now}", shown(given), ", ".join(allowed))
    hint = _unnamed(model, key) or _instead(word, str(key[0]), table, allowed, model)
    if not hint and (said := _choice_meant(table, given)):
        # What is written for it is a choice of another key.
        hint = f"did you mean {said}?"
    return Problem(where, dotted(key), "unknown key", shown(given), ", ".join(allowed), hint)


def _instead(word: str, root: str, table: type[BaseModel] | None, allowed: list[str], model: type[BaseModel]) -> str:
    """What is to be written in place of an unknown key of a table below ``root``, or where it belongs."""
    if said := (table and _chosen(table, word)) or meant(word, allowed):
        return f"did you mean {said}?"
    homes = [path for path, field in all_keys(model) if field == word]
    homes.sort(key=lambda path: (path == VALUE, path.count(".")))
    around = [home for home in homes if home.split(".")[0] == root]
    if around:
        return f"{word} belongs in {' or '.join(around[:3])}"
    if there := elsewhere(word):
        return there
    if homes:
        close = {field: path for path, field in all_keys(model) if path.split(".")[0] == root and word in field}
        near = min(close, key=len, default="")
        return f"did you mean {near} (in {close[near]})?" if near else f"{word} belongs in {' or '.join(homes[:3])}"
    if hint := nearest(word, allowed):
        return hint
    if table and (said := _chosen(table, word, meant)):
        return f"did you mean {said}?"
    near = nearest(word, {field for _, field in all_keys(model)}, 0.8)
    home = next((path for path, field in all_keys(model) if near == f"did you mean {field}?"), "")
    return f"{near[:-1]} (in {home})?" if near else ""


def _keys_of(table: type[BaseModel], name: str) -> str:
    """What stands in a table, in words: the first key that it cannot do without, else those there are."""
    needed = next((word for word, field in table.model_fields.items() if field.is_required()), "")
    return f", as {name}.{needed} = ..." if needed else f" with {listed(table.model_fields)}"


def _described(model: type[BaseModel], key: tuple) -> str:
    field = field_at(model, key)
    if field is None:
        return ""
    words = ", ".join(map(shown, get_args(field.annotation))) if get_origin(field.annotation) is Literal else ""
    return ": ".join(filter(None, (words, field.description)))
