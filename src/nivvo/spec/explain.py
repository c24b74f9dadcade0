"""Each effective value of a drill, and where it came from."""

from __future__ import annotations

from dataclasses import dataclass
from os import PathLike
from typing import Any

from pydantic import BaseModel

from nivvo.results import Results
from nivvo.spec.abilities.ability import KEYS_OF_AIM, KEYS_OF_FIRING, Aim, Firing
from nivvo.spec.arguments import checked
from nivvo.spec.checking.model import Model
from nivvo.spec.checking.problems import dotted, shown
from nivvo.spec.drill import Drill
from nivvo.spec.reading.document import Document, Key
from nivvo.spec.reading.settings import KEEPER
from nivvo.spec.scenes.scene import Shape
from nivvo.spec.scenes.values import Depends, Duration

DEFAULT = "default"


@dataclass(frozen=True)
class Effective:
    """One value: its dotted key, the value as a drill would have it, and its origin in words."""

    key: str
    value: str
    origin: str


@checked
def effective(drill: Drill | str | PathLike[str], case: str | None = None) -> Results[Effective]:
    """Every value that holds in a drill, or in one case of it, with its origin.

    Raises CallError for an unknown case.
    """
    if case is not None:
        case = drill.case_name(case)
    model, document = drill.of_case(case), drill.written(case)
    rows: list[Effective] = []
    _walk(model, (), document, rows)
    if not model.shooter:
        rows += [Effective(f"shooter.{KEEPER}", "one shooter, since none is written", DEFAULT)]
    solved = {
        f"ability.{name}.launch.elevation"
        for name, ability in model.ability.items()
        if ability.launch.arc is not None or ability.aim.by == "lead"
    }
    rows = [row for row in rows if row.origin != DEFAULT or row.key not in solved]
    order = {name: k for k, name in enumerate(Model.model_fields)}
    skip = "case." if case is None else ""
    wanted = [row for row in rows if not row.key.startswith("case.") or skip or row.key.startswith(f"case.{case}.")]
    return Results(sorted(wanted, key=lambda row: order.get(row.key.split(".")[0], 99)))


def _walk(table: BaseModel, key: Key, document: Document, rows: list[Effective]) -> None:
    for name in type(table).model_fields if not isinstance(table, Shape) else sorted(table.model_fields_set):
        if isinstance(table, Aim) and table.by not in KEYS_OF_AIM.get(name, (table.by,)):
            continue
        if isinstance(table, Firing) and table.kind not in KEYS_OF_FIRING.get(name, (table.kind,)):
            continue
        if isinstance(table, Depends) and name not in table.model_fields_set:
            continue
        value = getattr(table, name)
        _value(value, (*key, name), document, rows)


def _value(value: Any, key: Key, document: Document, rows: list[Effective]) -> None:
    origin = _origin(key, document)
    if isinstance(value, BaseModel):
        _walk(value, key, document, rows)
    elif isinstance(value, dict) and value and isinstance(next(iter(value.values())), BaseModel):
        for name, entry in value.items():
            _value(entry, (*key, name), document, rows)
    elif isinstance(value, list) and value and isinstance(value[0], BaseModel):
        for k, entry in enumerate(value):
            text = shown({one: plain(getattr(entry, one)) for one in entry.model_fields_set})
            rows.append(Effective(dotted((*key, k)), text, _origin((*key, k), document)))
    elif value is None or value in ({}, [], ""):
        said = meaning(document.tables, key)
        if said and origin == DEFAULT:
            rows.append(Effective(dotted(key), said, DEFAULT))
    else:
        rows.append(Effective(dotted(key), shown(plain(value)), origin))


def plain(value: Any) -> Any:
    """A value as plain text, number or list."""
    if isinstance(value, Duration):
        return f"{value.ticks} ticks" if value.ticks is not None else float(value)
    if isinstance(value, BaseModel):
        return {name: plain(getattr(value, name)) for name in value.model_fields_set}
    return value


def _origin(key: Key, document: Document) -> str:
    node: Any = document.tables
    for part in key:
        if not isinstance(node, (dict, list)) or (isinstance(node, dict) and part not in node):
            return DEFAULT
        node = node[part]
    origin = document.origin(key)
    if origin.through.startswith("case"):
        return f"{origin.through}, {origin}"
    return f"{origin}, {origin.through}" if origin.through else str(origin)


def meaning(tables: dict[str, Any], key: Key) -> str:
    """What it means that a key is not written, where that is not plain from the key."""
    last, kind = key[-1], key[0]
    table = {
        ("world", "gravity"): "9.81 m/s² in the drill's unit (none in a flat top view)",
        ("world", "y"): "side view: up; top view: down",
        ("world", "bounds"): "none: a projectile may fly anywhere",
        ("ability", "shape"): "a ball of 0.1 m",
        ("ability", "muzzle"): "the shooter's first muzzle, else one just clear of its body at every aim",
        ("ability", "shooter"): "every shooter",
        ("ability", "elevation"): "along the aim",
        ("ability", "on"): 'every touch ends it (as on.anything.then = "end")',
        ("shooter", "at"): "the origin",
        ("shooter", "facing"): "the world's forward (+x)",
        ("shooter", "shape"): "a ball of 0.5 m",
        ("shooter", "health"): "cannot be put out",
        ("shooter", "forward"): "just clear of the body at every aim",
        ("obstacle", "at"): "the origin",
        ("target", "shape"): "a ball of 0.5 m",
        ("target", "health"): "cannot be put out",
        ("case", "input"): "one tap of each button at 0 s",
        ("case", "lasts"): "until nothing flies any more",
    }
    if (kind, last) == ("target", "shape") and tables["target"][key[1]].get("parts"):
        return "that of its parts"
    if (kind, last) == ("ability", "elevation") and key[-2] == "aim":
        return ""
    return table.get((kind, last), "")
