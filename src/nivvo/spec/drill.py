"""A drill: what was written, with the settings of its cases and of the call; each effective drill validated once.

What holds is the file, then what the case sets, then what the call sets. Only that is validated: each case's own
effective drill, and where there is no case the file's. Tables that a case leaves alone are validated once for all.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

from nivvo.errors import CallError, DrillError, Problem
from nivvo.results import Tabled, row_of
from nivvo.spec.arguments import checked
from nivvo.spec.checking.links import Linked
from nivvo.spec.checking.model import Model
from nivvo.spec.checking.problems import in_order
from nivvo.spec.checking.tables import Tables
from nivvo.spec.reading import document as documents
from nivvo.spec.reading import settings as changed
from nivvo.spec.reading.document import Document, Origin
from nivvo.spec.reading.track import Track
from nivvo.spec.scenes.case import Case, Input, Moved
from nivvo.spec.words.nearest import lacking, listed, nearest

MOST_CHECKED = 10_000_000
"""Cases with settings of their own, times tables of the drill."""


@dataclass(repr=False)
class Drill(Tabled):
    """A valid drill. Make one with ``load``, ``parse`` or ``of``.

    Attributes
    ----------
    document : where everything was written
    model : the validated tables, without what cases set (if no case goes without settings: of the first)
    """

    document: Document
    model: Model
    _effective: dict[str, Linked] = field(default_factory=dict, repr=False)
    _alone: Linked | None = field(default=None, repr=False)
    _logged: dict[str, Track] = field(default_factory=dict, repr=False)
    _tables: Tables | None = field(default=None, repr=False)
    _settings: dict[str, Any] = field(default_factory=dict, repr=False)
    _cache: dict[Any, Any] = field(default_factory=dict, repr=False)

    def __getattr__(self, name: str) -> Any:
        raise lacking(self, "a drill", name)

    def __repr__(self) -> str:
        abilities, cases = len(self.model.ability), len(self.cases)
        many = f"{abilities} abilit{'y' if abilities == 1 else 'ies'}, {cases} case{'' if cases == 1 else 's'}"
        return f"<Drill {Path(self.name).name}: {many}>"

    def as_rows(self) -> list[dict[str, Any]]:
        """Each effective value with where it came from, as ``explain`` tells them."""
        from nivvo.spec.explain import effective

        return [row_of(row) for row in effective(self)]

    @property
    def name(self) -> str:
        """What the drill is called in messages, its file."""
        return self.document.name

    @property
    def title(self) -> str:
        """The drill's own title, or its file's name."""
        return self.model.title or Path(self.name).stem

    @cached_property
    def cases(self) -> list[str]:
        """Names of the cases in file order; a drill without any has one, "default"."""
        return list(self._effective) or ["default"]

    @checked
    def case_name(self, name: str | None = None) -> str:
        """A case's name, of the first for None. Raises CallError with the nearest name."""
        if name is None:
            return self.cases[0]
        if not isinstance(name, str) or name not in self.cases:
            says = f"{self.name} has no case {str(name)[:80]!r}; it has {listed(self.cases)}."
            raise CallError(f"{says} {nearest(name, self.cases)}".strip())
        return name

    @checked
    def case(self, name: str) -> Case:
        """A case by name. Raises CallError with the nearest name."""
        name = self.case_name(name)
        return self._effective[name].model.case[name] if self._effective else Case.unwritten()

    @checked
    def inputs(self, name: str) -> list[Input] | None:
        """What is pressed and moved in a case: its rows, then those of its track; None where neither is written."""
        case = self.case(name)
        if case.track is None:
            return case.input
        return [*(case.input or []), *(row for _, row in self._logged[name].rows)]

    @checked
    def moved(self, name: str) -> list[Moved]:
        """What the game itself moves in a case: its rows, then those of its track."""
        logged = self._logged[name].moved if self.case(name).track is not None else []
        return [*self.case(name).moved, *(row for _, row in logged)]

    @checked
    def of_case(self, name: str | None = None) -> Model:
        """The drill's tables with the case's ``set`` applied."""
        return self._effective[name].model if name in self._effective else self.model

    @checked
    def written(self, name: str | None = None) -> Document:
        """Where the tables were written that hold in a case."""
        return self._effective[name].document if name in self._effective else self.document

    @checked
    def with_settings(self, settings: Mapping[str, Any]) -> Drill:
        """A drill with dotted keys changed; they win over what its cases set.

        Raises DrillError if the result is not valid or a key cannot be set, CallError for what is no mapping.
        """
        if not all(isinstance(key, str) for key in settings):
            raise CallError('settings are a dict of dotted keys, as {"ability.flare.launch.speed": 20}')
        problem = documents.not_plain(dict(settings), "--set")
        if problem:
            raise DrillError([problem])
        with self._tables.lock:
            return _validated(self.document, {**self._settings, **settings}, self)


@checked
def load(path: str | Path, settings: Mapping[str, Any] | None = None) -> Drill:
    """Read a drill file; ``settings`` are dotted keys that win over it. Raises DrillError with all that is wrong."""
    return _validated(documents.read(path), dict(settings or {}))


@checked
def parse(text: str, name: str = "drill", folder: str | Path = ".") -> Drill:
    """Read a drill from a TOML text. Raises DrillError."""
    return _validated(documents.parse(text, name, folder), {})


@checked
def of(tables: dict[str, Any], name: str = "drill", folder: str | Path = ".") -> Drill:
    """Make a drill from plain Python tables, as a TOML file would hold them. Raises DrillError."""
    return _validated(documents.of_tables(tables, name, folder), {})


def _validated(document: Document, settings: dict[str, Any], known: Drill | None = None) -> Drill:
    """Each effective drill, validated; ``known``: a drill of the same document, whose answers still hold."""
    tables = Tables(Model) if known is None else known._tables
    wanted = changed.of_call(settings)
    for_cases = [one for one in wanted if one.key.split(".")[0] == "case"]
    for_all = [one for one in wanted if one not in for_cases]
    problems: list[Problem] = []
    if "nivvo" not in document.tables:
        hint = "" if "nivvo" in {key.lower() for key in document.tables} else "a drill begins with the line: nivvo = 1"
        problems.append(Problem(f"{document.name}:1", "nivvo", "is missing", allowed="nivvo = 1", hint=hint))
        document = document.laid_over({**document.tables, "nivvo": 1}, {})
    base, found = changed.laid(document, for_cases, True)
    problems += found
    made: dict[tuple, Any] = {}
    called, found = changed.laid(base, for_all, True, made)
    problems += found
    cases = base.tables.get("case", {})
    cases = cases if isinstance(cases, dict) else {}
    setting = [name for name, case in cases.items() if isinstance(case, dict) and case.get("set")]
    entries = sum(len(one) for one in document.tables.values() if isinstance(one, dict)) if setting else 0
    if len(setting) * entries > MOST_CHECKED:
        says = f"{len(setting):,} cases set something over {entries:,} tables: more than {MOST_CHECKED:,} in all"
        raise DrillError([Problem(str(document.origin(("case",))), "case", says, hint="make several drills of it")])
    chosen = set(setting)
    plain = [name for name in cases if name not in chosen]
    effective: dict[str, Linked] = {}
    logged: dict[str, Track] = {}

    def linked(before: Linked | None, own: Document, cases: list[str] | None) -> Linked:
        """One of them, by what was known ``before`` as far as it goes; what is wrong with it is noted."""
        made = before and before.with_abilities(own)
        if made is None:
            made = Linked(tables, own, cases)
            problems.extend(made.problems() if cases or cases is None else ())
        logged.update(made.tracks)
        return made

    # The file by itself: what its cases without settings, or none at all, run on; a key that cases mend is theirs.
    alone = linked(known and known._alone, called, plain if cases else None)
    effective |= dict.fromkeys(plain, alone)
    for name in setting:
        own, found = tables.of_case(base, name)
        problems += found
        own, _ = changed.laid(own, for_all, True, made)
        effective[name] = linked(known and known._effective.get(name), own, [name])
    if problems:
        raise DrillError(in_order(dict.fromkeys(problems)))
    effective = {name: effective[name] for name in cases}
    model = alone.model or next(iter(effective.values())).model
    return Drill(document, model, effective, alone, logged, tables, settings)


__all__ = ["Drill", "Model", "Origin", "load", "of", "parse"]
