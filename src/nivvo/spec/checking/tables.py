"""A drill's tables turned into models one by one: what has not changed is not validated again."""

from __future__ import annotations

import re
import threading
from collections import OrderedDict
from collections.abc import Iterable
from pathlib import Path
from typing import Any, Literal, NamedTuple

from pydantic import BaseModel, Field, ValidationError

from nivvo.errors import Problem
from nivvo.spec.checking.problems import dotted, of_errors, real_key, shown
from nivvo.spec.reading.document import Document, drop
from nivvo.spec.reading.settings import laid, of_case
from nivvo.spec.reading.sheet import Sheets
from nivvo.spec.reading.track import Track, read_track
from nivvo.spec.scenes.case import Case
from nivvo.spec.scenes.cues import Cue
from nivvo.spec.scenes.scene import Obstacle, Shooter, Target, Tick, World
from nivvo.spec.scenes.values import Table, no_rows

ENTRIES = 10_000
KEPT = 500
"""Tables that are kept beside twice those of the largest drill: of those that settings made, the last."""

NOTHING: dict[str, Any] = {}
"""The tables of a kind that a drill has none of."""

NAME = re.compile(r"[A-Za-z][A-Za-z0-9_-]{0,63}")


class Head(Table):
    """What of a drill file is no named table."""

    nivvo: Literal[1] = Field(description="version of the file form; always 1")
    title: str = Field("", description="what it is about, in place of the file's name")
    use: list[str] = Field(default_factory=no_rows, description="drill files to build on; later wins, merged by name")
    world: World = Field(default_factory=World)
    tick: Tick = Field(default_factory=Tick)


class Entry(NamedTuple):
    """A table and its model: None if it is wrong; ``usable``: what of it is right, to check names in; errors.

    read : the table with what is read from sheets filled in.
    """

    table: Any
    read: Any
    model: BaseModel | None
    usable: BaseModel | None
    errors: list[dict]
    unread: list[tuple[tuple, str]]


class Entries(NamedTuple):
    """All tables of a kind, by name: those that are right, those that can be checked against others, those that are
    wrong. entries : of each as it is."""

    raw: Any
    entries: dict[str, Entry]
    right: dict[str, Any]
    usable: dict[str, Any]
    wrong: dict[str, Entry]
    odd: list[tuple[tuple, str, str]]

    @property
    def lost(self) -> set[str]:
        """Names of tables that are wrong."""
        return {*self.wrong, *[str(key[1]) for key, _, _ in self.odd if len(key) > 1]} if self.odd else {*self.wrong}


class Tables:
    """Models of the tables of a drill and of all that is set over it.

    ``model``: that of a whole drill. ``most``: so much is kept of each sort. ``linked`` keeps what was found across
    tables that are still the same, ``planned`` what was made of them (``plan.case``). lock : who asks or adds holds it,
    since threads may share a drill.
    """

    def __init__(self, model: type[BaseModel]):
        from nivvo.spec.abilities.ability import Ability

        self.model = model
        self.kinds: dict[str, type[BaseModel]] = {
            "shooter": Shooter,
            "obstacle": Obstacle,
            "target": Target,
            "ability": Ability,
            "cue": Cue,
            "case": Case,
        }
        self.sheets, self.lock = Sheets(), threading.RLock()
        self.linked: dict[Any, Any] = {}
        self.planned: dict[Any, Any] = {}
        self._tracks: dict[Path, Track] = {}
        self._of_cases: dict[str, tuple[Document, tuple[Document, list[Problem]]]] = {}
        self._rest: tuple[dict, tuple] | None = None
        self.most = KEPT
        self._entries: OrderedDict[tuple, Entry] = OrderedDict()
        self._before: dict[tuple[str, str], Entry] = {}
        self._kinds: OrderedDict[tuple, Entries] = OrderedDict()

    def __getstate__(self) -> dict:
        # What is known by which object a table is means nothing for its copies: they are others.
        return {"model": self.model, "sheets": self.sheets, "_tracks": self._tracks}

    def __setstate__(self, state: dict) -> None:
        self.__init__(state["model"])
        self.__dict__.update(state)

    def entries(self, kind: str, document: Document, only: Iterable[str] | None = None) -> Entries:
        """All tables of a kind, or only some."""
        raw = document.tables.get(kind, NOTHING)
        known = self._kinds.get((kind, id(raw))) if only is None else None
        if known is not None and known.raw is raw:
            self._kinds.move_to_end((kind, id(raw)))
            return known
        if not isinstance(raw, dict):
            return Entries(raw, {}, {}, {}, {}, [((kind,), "wrong type", f"tables with names, as [{kind}.NAME]")])
        out = Entries(raw, {}, {}, {}, {}, [])
        if len(raw) > ENTRIES:
            out.odd.append(((kind,), "wrong number of values", f"at most {ENTRIES} values"))
            return out
        self.most = max(self.most, KEPT + 2 * len(raw))
        for name in raw if only is None else only:
            if not NAME.fullmatch(name):
                rule = "a name: a letter, then letters, digits, _ or -, at most 64 in all"
                out.odd.append(((kind, name), "is not a name", rule))
                continue
            entry = out.entries[name] = self.entry(kind, name, raw[name], document.folder)
            if entry.model is None:
                out.wrong[name] = entry
            else:
                out.right[name] = entry.model
            if entry.usable is not None:
                out.usable[name] = entry.usable
        if only is None:
            self._keep(self._kinds, (kind, id(raw)), out)
        return out

    def of_case(self, document: Document, name: str) -> tuple[Document, list[Problem]]:
        """A document with what a case sets over it, and what of that cannot be."""
        known = self._of_cases.get(name)
        if known is None or known[0] is not document:
            known = self._of_cases[name] = document, laid(document, of_case(document, name), False)
        return known[1]

    def track(self, path: Path) -> Track:
        """A track, read once."""
        if path not in self._tracks:
            self._tracks[path] = read_track(path)
        return self._tracks[path]

    def _keep(self, kept: OrderedDict, key: tuple, value: Any) -> None:
        kept[key] = value
        if len(kept) > self.most:
            kept.popitem(last=False)

    def entry(self, kind: str, name: str, table: Any, folder: Path, before: Entry | None = None) -> Entry:
        """A table and its model; what of it is as it was in ``before``, or last, is not looked at again."""
        key = (kind, id(table))
        known = self._entries.get(key)
        if known is not None and known.table is table:
            self._entries.move_to_end(key)
            return known
        before, read, unread = before or self._before.get((kind, name)), table, []
        if kind == "ability":
            read, unread = self.sheets.filled(table, folder, before[:2] if before is not None else (None, None))
        made, errors = _model(self.kinds[kind], read if before is None else _known(read, before.read, before.model))
        if made is None and before is not None:
            # As if nothing of it had been known: what is wrong is told by what was written.
            made, errors = _model(self.kinds[kind], read)
        usable = made
        if made is None and isinstance(read, dict):
            rest = _without(read, errors)
            usable = None if rest is None else _model(self.kinds[kind], rest)[0]
        entry = Entry(table, read, None if unread else made, usable, errors, unread)
        if entry.model is not None:
            self._before[kind, name] = entry
        self._keep(self._entries, key, entry)
        return entry

    def rest(self, document: Document) -> tuple[BaseModel | None, list[dict]]:
        """The model of all that is no named table, and what is wrong with it."""
        rest = {key: value for key, value in document.tables.items() if key not in self.kinds}
        if self._rest is None or not _same(self._rest[0], rest):
            self._rest = rest, _model(Head, rest)
        return self._rest[1]

    def problems_of(self, kind: str, entries: Entries, document: Document) -> list[Problem]:
        """What is wrong with the tables of a kind."""
        out: list[Problem] = []
        for key, says, allowed in entries.odd:
            table = document.tables[key[0]]
            given = shown(table[key[1]]) if len(key) > 1 else shown(table) if not isinstance(table, dict) else ""
            out.append(Problem(str(document.origin(key)), dotted(key)[:200], says, given, allowed))
        for name, entry in entries.wrong.items():
            out += of_errors(entry.errors, document, self.model, (kind, name))
            for path, says in entry.unread:
                key = (kind, name, *path)
                out.append(Problem(str(document.origin(key)), dotted(key), says))
        return out


def _same(a: dict, b: dict) -> bool:
    """Whether two dicts hold the very same objects."""
    return len(a) == len(b) and all(key in b and b[key] is value for key, value in a.items())


def _model(model: type[BaseModel], table: Any) -> tuple[BaseModel | None, list[dict]]:
    try:
        return model.model_validate(table), []
    except ValidationError as error:
        return None, error.errors(include_url=False)


def _known(table: Any, before: Any, model: Any) -> Any:
    """A table with the models of those tables in it that are the very ones they were before, which hold as they are."""
    if not isinstance(table, dict) or not isinstance(before, dict):
        return table
    out = {}
    for key, value in table.items():
        own = model.get(key) if isinstance(model, dict) else getattr(model, key, None)
        known = isinstance(value, dict) and key in before
        if known and isinstance(own, BaseModel) and before[key] is value:
            out[key] = own
        else:
            out[key] = _known(value, before[key], own) if known and isinstance(own, dict) else value
    return out


def _without(table: dict[str, Any], errors: list[dict]) -> dict[str, Any] | None:
    """A table without the keys that are wrong; None if not much would be left to look at."""
    out = dict(table)
    for one in errors:
        key = real_key(one["loc"], table, missing=False)
        whole = next((k for k, part in enumerate(key) if isinstance(part, int)), len(key))
        if one["type"] == "missing" and whole < 1:
            return None
        if not key[:whole]:
            return None
        drop(out, [str(part) for part in key[:whole]])
    return out
