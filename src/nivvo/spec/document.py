"""Reading drill files into plain tables: ``use`` merged in, each key's origin kept."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from nivvo.errors import CallError, DrillError, Problem
from nivvo.spec.positions import Scanner, TooDeep

MOST_BYTES = 1_000_000
MOST_FILES = 64

Key = tuple[str | int, ...]


@dataclass(frozen=True)
class Origin:
    """Where a value was written: a file and line, and through what it came."""

    file: str
    line: int
    through: str = ""

    def __str__(self) -> str:
        return f"{self.file}:{self.line}" if self.line else self.file


@dataclass
class Document:
    """Plain tables of a drill and the origin of each of its keys."""

    name: str
    folder: Path
    tables: dict[str, Any]
    origins: dict[Key, Origin] = field(default_factory=dict)

    def origin(self, key: Key) -> Origin:
        """Where a key was written; the nearest table around it if it was not."""
        for size in range(len(key), 0, -1):
            if key[:size] in self.origins:
                return self.origins[key[:size]]
        return Origin(self.name, 0)


def read(path: str | Path) -> Document:
    """Read a drill file and the files that it uses.

    Raises DrillError for whatever is wrong with the files themselves.
    """
    return _read(Path(path), str(path), ())


def parse(text: str, name: str = "drill", folder: str | Path = ".") -> Document:
    """Read a drill from a text. Raises DrillError."""
    return _parsed(text, name, Path(folder), ())


def of_tables(tables: dict[str, Any], name: str = "drill", folder: str | Path = ".") -> Document:
    """Take a drill from plain Python tables. Raises DrillError."""
    return _with_used(Document(name, Path(folder), tables), ())


def _read(path: Path, shown: str, inside: tuple[Path, ...]) -> Document:
    try:
        if path.is_dir():
            raise DrillError([Problem(shown, "", "this is a folder, not a drill file")])
        if path.exists() and not path.is_file():
            raise DrillError([Problem(shown, "", "this is not an ordinary file")])
        with path.open("rb") as file:
            data = file.read(MOST_BYTES + 1)
    except FileNotFoundError:
        hint = nearest_file(path)
        raise DrillError([Problem(shown, "", "there is no such file", hint=hint)]) from None
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or "not a name that a file can have"
        raise DrillError([Problem(shown, "", f"cannot be read: {reason.lower()}")]) from None
    if len(data) > MOST_BYTES:
        raise DrillError(
            [Problem(shown, "", f"is larger than {MOST_BYTES:,} bytes", hint="keep bulk data in CSV files beside it")]
        )
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        says = f"is not UTF-8 text (byte 0x{data[error.start]:02x})"
        raise DrillError([Problem(f"{shown}:{line}", "", says, hint="save the file as UTF-8")]) from None
    return _parsed(text, shown, path.parent, (*inside, path.resolve()))


def nearest_file(path: Path) -> str:
    """A hint that names a file near to one that is not there, or ""."""
    import difflib

    try:
        names = [entry.name for entry in path.parent.iterdir() if entry.suffix == path.suffix or not path.suffix]
    except OSError:
        return ""
    near = difflib.get_close_matches(path.name, names, 1, 0.5)
    return f"did you mean {path.parent / near[0]}?" if near else ""


def _parsed(text: str, name: str, folder: Path, inside: tuple[Path, ...]) -> Document:
    try:
        lines = Scanner(text).scan()
        tables = tomllib.loads(text)
    except TooDeep as error:
        raise DrillError([Problem(f"{name}:{error.line}", "", error.says)]) from None
    except tomllib.TOMLDecodeError as error:
        says, line = _grammar(str(error), text)
        raise DrillError([Problem(f"{name}:{line}", "", f"not valid TOML: {says}")]) from None
    except (RecursionError, ValueError):
        raise DrillError([Problem(name, "", "not valid TOML: a number or a nesting beyond all measure")]) from None
    if not tables:
        raise DrillError([Problem(name, "", "the file is empty", hint="a drill begins with the line: nivvo = 1")])
    origins = {path: Origin(name, line) for path, line in lines.items()}
    return _with_used(Document(name, folder, tables, origins), inside)


def _grammar(message: str, text: str) -> tuple[str, int]:
    says, _, place = message.partition(" (at ")
    says = says[:1].lower() + says[1:]
    if place.startswith("line "):
        return says, int(place[5:].split(",")[0])
    return says, text.count("\n") + 1


def _with_used(document: Document, inside: tuple[Path, ...]) -> Document:
    """Merge in what a document uses; what is later wins, the document itself last."""
    used = document.tables.get("use", [])
    if isinstance(used, str):
        used = [used]
    if not isinstance(used, list) or not all(isinstance(name, str) for name in used):
        where = str(document.origin(("use",)))
        raise DrillError([Problem(where, "use", "must be a list of file names", given=repr(used))])
    base = Document(document.name, document.folder, {})
    for k, name in enumerate(used):
        path = document.folder / name
        where = str(document.origin(("use", k)))
        if path.resolve() in inside:
            chain = " -> ".join(part.name for part in (*inside, path))
            raise DrillError([Problem(where, "use", "files use each other in a circle", given=chain)])
        if len(inside) > MOST_FILES:
            raise DrillError([Problem(where, "use", f"more than {MOST_FILES} files deep")])
        try:
            other = _read(path, str(path), inside)
        except DrillError as error:
            if error.problems and error.problems[0].where == str(path):
                first = error.problems[0]
                hint = first.hint or f"files are looked for beside {document.name}"
                raise DrillError([Problem(where, "use", f"{path}: {first.says}", hint=hint)]) from None
            raise
        merge(base, other.tables, other.origins)
    if not used:
        return document
    merge(base, {key: value for key, value in document.tables.items() if key != "use"}, document.origins)
    return base


def merge(base: Document, tables: dict[str, Any], origins: dict[Key, Origin]) -> None:
    """Lay tables over a document: tables merge by name, everything else is replaced."""
    base.tables = _merged(base.tables, tables)
    base.origins = {**base.origins, **origins}


def _merged(below: dict[str, Any], above: dict[str, Any]) -> dict[str, Any]:
    """Tables merge by name; a shape, or a table whose ``by`` changes, is one choice and replaces the other."""
    out = dict(below)
    for key, value in above.items():
        old = out.get(key)
        one_choice = key == "shape" or (isinstance(value, dict) and "by" in value)
        if isinstance(value, dict) and isinstance(old, dict):
            replaces = one_choice and (key == "shape" or value.get("by") != old.get("by"))
            out[key] = value if replaces else _merged(old, value)
        else:
            out[key] = value
    return out


def inherit(document: Document) -> list[Problem]:
    """Resolve ``like`` and ``without`` in all named tables, in place; tell what is wrong."""
    problems: list[Problem] = []
    for kind, entries in document.tables.items():
        if kind == "case" or not isinstance(entries, dict):
            continue
        done: dict[str, Any] = {}
        for name in entries:
            _inherit_one(document, kind, name, entries, done, (), problems)
        document.tables = {**document.tables, kind: {name: done.get(name, entries[name]) for name in entries}}
    return problems


def _inherit_one(document, kind, name, entries, done, inside, problems) -> dict[str, Any] | None:
    if name in done:
        return done[name]
    own = entries[name]
    if not isinstance(own, dict) or not ("like" in own or "without" in own):
        done[name] = own
        return own
    where, key = str(document.origin((kind, name, "like"))), f"{kind}.{name}.like"
    parent: dict[str, Any] = {}
    if "like" in own:
        like = own["like"]
        if not isinstance(like, str) or like not in entries:
            others = sorted(set(entries) - {name})
            problems.append(
                Problem(
                    where, key, f"there is no {kind} of that name", repr(like), ", ".join(others), nearest(like, others)
                )
            )
            done[name] = own
            return own
        if like in (*inside, name):
            chain = " -> ".join((*inside, name, like))
            problems.append(Problem(where, key, "these are like each other in a circle", given=chain))
            done[name] = own
            return own
        found = _inherit_one(document, kind, like, entries, done, (*inside, name), problems)
        parent = found if isinstance(found, dict) else {}
        for path, origin in list(document.origins.items()):
            if path[:2] == (kind, like) and len(path) > 2:
                new = (kind, name, *path[2:])
                document.origins.setdefault(new, Origin(origin.file, origin.line, through=like))
    merged = _merged(parent, {k: v for k, v in own.items() if k not in ("like", "without")})
    without = own.get("without", [])
    if not isinstance(without, list) or not all(isinstance(one, str) for one in without):
        where = str(document.origin((kind, name, "without")))
        problems.append(Problem(where, f"{kind}.{name}.without", "must be a list of dotted keys", repr(without)))
        without = []
    for dotted in without:
        if not drop(merged, dotted.split(".")):
            where = str(document.origin((kind, name, "without")))
            says = f"there is nothing to take away: {dotted} is not set"
            problems.append(Problem(where, f"{kind}.{name}.without", says, hint=nearest(dotted, leaves(merged))))
    done[name] = merged
    return merged


def nearest(word: Any, words) -> str:
    """A hint that names the word nearest to ``word``, or ""."""
    import difflib

    near = difflib.get_close_matches(str(word), list(words), 1, 0.55)
    return f"did you mean {near[0]}?" if near else ""


def known(word: Any, names, what: str) -> Any:
    """``word`` itself if it is among ``names``; raises CallError that tells them and the nearest."""
    if word not in names:
        raise CallError(f"there is no {what} {word!r}; there is {', '.join(names)}. {nearest(word, names)}")
    return word


def leaves(tables: dict[str, Any], prefix: str = "") -> list[str]:
    """All dotted keys of nested tables."""
    out: list[str] = []
    for key, value in tables.items():
        out.append(prefix + key)
        if isinstance(value, dict):
            out += leaves(value, f"{prefix}{key}.")
    return out


def drop(tables: dict[str, Any], parts: list[str]) -> bool:
    """Take a dotted key away from nested tables (copied along the way); tell whether it was there."""
    for part in parts[:-1]:
        if not isinstance(tables.get(part), dict):
            return False
        tables[part] = dict(tables[part])
        tables = tables[part]
    return tables.pop(parts[-1], None) is not None


def put(tables: dict[str, Any], parts: list[str], value: Any) -> dict[str, Any]:
    """Nested tables with a dotted key set; the tables given are left as they are."""
    out = dict(tables)
    if len(parts) == 1:
        out[parts[0]] = value
        return out
    below = out.get(parts[0])
    out[parts[0]] = put(below if isinstance(below, dict) else {}, parts[1:], value)
    return out
