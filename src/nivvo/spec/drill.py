"""A drill: read, merged, validated, cross-checked; and the same with the settings of one case."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from nivvo.errors import CallError, DrillError, Problem
from nivvo.spec import document as documents
from nivvo.spec.ability import Ability
from nivvo.spec.case import Case
from nivvo.spec.document import Document, Origin, nearest, put
from nivvo.spec.links import check_links
from nivvo.spec.problems import of_validation
from nivvo.spec.scene import Obstacle, Shooter, Target, Tick, World
from nivvo.spec.sheet import with_sheets
from nivvo.spec.values import Name, Table

ENTRIES = 10_000
NAMED = ("shooter", "obstacle", "target", "ability", "case")


class Model(Table):
    """The whole of a drill file."""

    nivvo: Literal[1] = Field(description="version of the file form; always 1")
    title: str = ""
    use: list[str] = Field(default_factory=list, description="drill files to build on; later wins, merged by name")
    world: World = Field(default_factory=World)
    tick: Tick = Field(default_factory=Tick)
    shooter: Annotated[dict[Name, Shooter], Field(max_length=ENTRIES)] = Field(default_factory=dict)
    obstacle: Annotated[dict[Name, Obstacle], Field(max_length=ENTRIES)] = Field(default_factory=dict)
    target: Annotated[dict[Name, Target], Field(max_length=ENTRIES)] = Field(default_factory=dict)
    ability: Annotated[dict[Name, Ability], Field(max_length=ENTRIES)] = Field(default_factory=dict)
    case: Annotated[dict[Name, Case], Field(max_length=ENTRIES)] = Field(default_factory=dict)


@dataclass
class Drill:
    """A valid drill. Make one with ``load``, ``parse`` or ``of``.

    Attributes
    ----------
    document : where everything was written
    model : the validated tables
    name : the file's name
    """

    document: Document
    model: Model
    _cases: dict[str, Model] = field(default_factory=dict, repr=False)
    _cache: dict[Any, Any] = field(default_factory=dict, repr=False)

    @property
    def name(self) -> str:
        """What the drill is called in messages: its file."""
        return self.document.name

    @property
    def title(self) -> str:
        """The drill's own title, or its file's name."""
        return self.model.title or Path(self.name).stem

    @cached_property
    def cases(self) -> list[str]:
        """Names of the cases in file order; a drill without any has one, "default"."""
        return list(self.model.case) or ["default"]

    def case(self, name: str) -> Case:
        """A case by name. Raises CallError with the nearest name."""
        if name not in self.model.case:
            if not self.model.case and name == "default":
                return Case()
            raise CallError(
                f"{self.name} has no case {name!r}; it has {', '.join(self.cases)}. {nearest(name, self.cases)}"
            )
        return self.model.case[name]

    def of_case(self, name: str) -> Model:
        """The drill's tables with the case's ``set`` applied."""
        return self._cases.get(name, self.model)

    def with_settings(self, settings: dict[str, Any]) -> Drill:
        """A drill with dotted keys changed; they win over what its cases set.

        Raises DrillError if the result is not valid, CallError for a key that cannot be set.
        """
        tables, origins = self.document.tables, dict(self.document.origins)
        for key, value in settings.items():
            parts = key.split(".") if isinstance(key, str) else []
            if not parts or not all(parts):
                raise CallError(f"--set {key}: not a dotted key, as ability.flare.launch.speed")
            tables = put(tables, parts, value)
            for size in range(1, len(parts) + 1):
                origins.setdefault(tuple(parts[:size]), Origin("--set", 0))
            origins[tuple(parts)] = Origin("--set", 0)
            if parts[0] != "case" and isinstance(tables.get("case"), dict):
                cases = {name: _overruled(case, key, value) for name, case in tables["case"].items()}
                tables = {**tables, "case": cases}
        return _validated(Document(self.document.name, self.document.folder, tables, origins))


def _overruled(case: Any, key: str, value: Any) -> Any:
    """A case's table in which a setting of the call wins over what the case itself sets at or around its key."""
    settings = case.get("set") if isinstance(case, dict) else None
    if not isinstance(settings, dict):
        return case
    meet = [other for other in settings if f"{other}.".startswith(f"{key}.") or f"{key}.".startswith(f"{other}.")]
    if not meet:
        return case
    kept = {other: old for other, old in settings.items() if not f"{other}.".startswith(f"{key}.")}
    return {**case, "set": {**kept, key: value}}


def value_of_text(text: str) -> Any:
    """A setting as written on a command line: TOML if it can be read so, else plain text."""
    try:
        return tomllib.loads(f"value = {text}")["value"]
    except (tomllib.TOMLDecodeError, RecursionError):
        return text


def load(path: str | Path) -> Drill:
    """Read a drill file. Raises DrillError with all that is wrong with it."""
    return _validated(_inherited(documents.read(path)))


def parse(text: str, name: str = "drill", folder: str | Path = ".") -> Drill:
    """Read a drill from a TOML text. Raises DrillError."""
    return _validated(_inherited(documents.parse(text, name, folder)))


def of(tables: dict[str, Any], name: str = "drill", folder: str | Path = ".") -> Drill:
    """Make a drill from plain Python tables, as a TOML file would hold them. Raises DrillError."""
    return _validated(_inherited(documents.of_tables(tables, name, folder)))


def _inherited(document: Document) -> Document:
    problems = documents.inherit(document)
    if problems:
        raise DrillError(problems)
    return document


def _validated(document: Document) -> Drill:
    if "nivvo" not in document.tables:
        hint = "" if "nivvo" in {k.lower() for k in document.tables} else "a drill begins with the line: nivvo = 1"
        first = Problem(f"{document.name}:1", "nivvo", "is missing", allowed="nivvo = 1", hint=hint)
        rest = [] if not document.tables else _problems({**document.tables, "nivvo": 1}, document)
        raise DrillError([first, *rest])
    model, problems = _model(document)
    if model is None:
        raise DrillError(problems + _beside(document, problems))
    drill = Drill(document, model)
    for name, case in model.case.items():
        if not case.set:
            problems += check_links(model, document, name)
            continue
        changed, found = _with_case(document, name, case)
        problems += found
        if changed is not None:
            drill._cases[name] = changed
    problems += check_links(model, document, None)
    if problems:
        raise DrillError(list(dict.fromkeys(problems)))
    return drill


def _beside(document: Document, problems: list[Problem]) -> list[Problem]:
    """What is wrong across the tables that are valid, where others are not; nothing about those others."""
    tables, lost = dict(document.tables), set()
    for problem in problems:
        kind, _, rest = problem.key.partition(".")
        name = rest.partition(".")[0].partition("[")[0]
        if (kind, name) in lost:
            continue
        if isinstance(tables.get(kind), dict) and name in tables[kind] and kind in NAMED:
            tables[kind] = {other: body for other, body in tables[kind].items() if other != name}
            lost.add((kind, name))
        else:
            tables.pop(kind, None)
            if kind in NAMED:
                return []
    tables["nivvo"] = 1
    try:
        _validated(Document(document.name, document.folder, tables, document.origins))
    except DrillError as error:
        known = {problem.key for problem in problems}
        shaky = "world" not in tables and "world" in document.tables
        return [
            problem
            for problem in error.problems
            if problem.key not in known
            and not shaky
            and problem.given.strip('"') not in {name for _, name in lost}
            and not ("no ability" in problem.says and lost)
        ]
    return []


def _problems(tables: dict[str, Any], document: Document) -> list[Problem]:
    return _model(Document(document.name, document.folder, tables, document.origins))[1]


def _model(document: Document) -> tuple[Model | None, list[Problem]]:
    tables, problems = with_sheets(document)
    try:
        return (None, problems) if problems else (Model.model_validate(tables), [])
    except ValidationError as error:
        return None, of_validation(error, document, Model)


def _with_case(document: Document, name: str, case: Case) -> tuple[Model | None, list[Problem]]:
    """The tables with one case's ``set`` applied, and what is wrong with that."""
    tables, origins = document.tables, dict(document.origins)
    problems: list[Problem] = []
    for key, value in case.set.items():
        parts, at = key.split("."), ("case", name, "set", key)
        for size in range(1, len(parts) + 1):
            origins.setdefault(tuple(parts[:size]), document.origin(at))
        origins[tuple(parts)] = document.origin(at)
        if parts[0] in ("case", "nivvo", "use") or not all(parts):
            says = "a case sets keys of the scene, the tick rules and the abilities"
            problems.append(Problem(str(document.origin(at)), f'case.{name}.set."{key}"', says))
            continue
        if len(parts) > 1 and parts[0] in ("shooter", "obstacle", "target", "ability"):
            there = tables.get(parts[0], {})
            if isinstance(there, dict) and parts[1] not in there and not (parts[0] == "shooter" and not there):
                says, hint = f"there is no {parts[0]} {parts[1]}", nearest(parts[1], there)
                problems.append(
                    Problem(str(document.origin(at)), f'case.{name}.set."{key}"', says, "", ", ".join(there), hint)
                )
                continue
        tables = put(tables, parts, value)
    if problems:
        return None, problems
    others = {other: {k: v for k, v in body.items() if k != "set"} for other, body in tables.get("case", {}).items()}
    changed = Document(document.name, document.folder, {**tables, "case": others}, origins)
    model, problems = _model(changed)
    if model is not None:
        problems = check_links(model, changed, name)
    return model, problems
