"""Reading drill files into plain tables: ``use`` merged in, ``like`` resolved, each key's origin kept."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from nivvo.errors import CallError, DrillError, Problem
from nivvo.spec.reading import grammar
from nivvo.spec.reading.files import Unreadable, nearest_file, path_of, read_bytes, real_path
from nivvo.spec.reading.positions import MOST_NESTING, MOST_PARTS, Scanner, TooDeep
from nivvo.spec.words.nearest import listed, nearest

MOST_BYTES = 1_000_000
MOST_ALL_BYTES = 8_000_000
MOST_FILES = 64
LARGEST = 2**63

Key = tuple[str | int, ...]


@dataclass(frozen=True)
class Origin:
    """Where a value was written: a file and line, and through what it came ("like flare", "case tap")."""

    file: str
    line: int
    through: str = ""

    def __str__(self) -> str:
        return f"{self.file}:{self.line}" if self.line else self.file


@dataclass(frozen=True)
class Document:
    """Plain tables of a drill and the origin of each of its keys.

    layers : origins of what was set later, the last first: whoever set a key wrote all below it.
    """

    name: str
    folder: Path
    tables: dict[str, Any]
    origins: dict[Key, Origin] = field(default_factory=dict)
    layers: tuple[dict[Key, Origin], ...] = ()

    def origin(self, key: Key) -> Origin:
        """Where a key was written; the nearest table around it if it was not."""
        for layer in (*self.layers, self.origins):
            for size in range(len(key), 0, -1):
                if key[:size] in layer:
                    return layer[key[:size]]
        return Origin(self.name, 0)

    def laid_over(self, tables: dict[str, Any], layer: dict[Key, Origin]) -> Document:
        """The same with other tables and the origins of what has changed in them."""
        layers = (layer, *self.layers) if layer else self.layers
        return Document(self.name, self.folder, tables, self.origins, layers)


def read(path: str | Path) -> Document:
    """Read a drill file and the files that it uses.

    Raises DrillError for whatever is wrong with the files themselves, CallError for what is no file name.
    """
    path = path_of(path, "a drill")
    return _resolved(_Reader().read(path, str(path), ()))


def parse(text: str, name: str = "drill", folder: str | Path = ".") -> Document:
    """Read a drill from a text. Raises DrillError, CallError."""
    if not isinstance(text, str):
        raise CallError(f"a drill is a TOML text, not {type(text).__name__}; nivvo.load reads a file")
    if len(text) > MOST_BYTES:
        raise DrillError([Problem(name, "", f"is larger than {MOST_BYTES:,} characters")])
    return _resolved(_Reader().parsed(text, str(name), path_of(folder, "folder"), ()))


def of_tables(tables: dict[str, Any], name: str = "drill", folder: str | Path = ".") -> Document:
    """Take a drill from plain Python tables. Raises DrillError, CallError."""
    if not isinstance(tables, dict):
        raise CallError(f"a drill is made from a dict of tables, not {type(tables).__name__}")
    problem = not_plain(tables, name)
    if problem:
        raise DrillError([problem])
    return _resolved(_Reader().with_used(Document(str(name), path_of(folder, "folder"), tables), ()))


def _resolved(document: Document) -> Document:
    document, problems = inherit(document)
    if problems:
        raise DrillError(problems)
    return document


def not_plain(value: Any, where: str, path: Key = ()) -> Problem | None:
    """What in nested tables no drill can hold: keys that are no text, too deep a nesting, too large a number."""
    if len(path) > MOST_NESTING:
        return Problem(where, ".".join(map(str, path[:3])) + " ...", f"nests deeper than {MOST_NESTING}")
    if isinstance(value, dict):
        for key, below in value.items():
            if not isinstance(key, str):
                return Problem(where, ".".join(map(str, path)), f"a key is text, not {str(key)[:40]!r}")
            if problem := not_plain(below, where, (*path, key)):
                return problem
    elif isinstance(value, list):
        for k, below in enumerate(value):
            if problem := not_plain(below, where, (*path, k)):
                return problem
    elif isinstance(value, int) and not -LARGEST <= value < LARGEST:
        return Problem(where, ".".join(map(str, path)), "a whole number beyond 64 bits")
    return None


class _Reader:
    """Reads the files of one drill, each once, within a budget of files and bytes."""

    def __init__(self):
        self.done: dict[Path, Document] = {}
        self.bytes = 0

    def read(self, path: Path, shown: str, inside: tuple[Path, ...]) -> Document:
        try:
            real = real_path(path)
            if real in self.done:
                return self.done[real]
            data = read_bytes(path, MOST_BYTES)
            self.bytes += len(data)
            if self.bytes > MOST_ALL_BYTES:
                raise Unreadable(f"with it the drill's files are larger than {MOST_ALL_BYTES:,} bytes in all")
        except Unreadable as error:
            says = str(error)
            hint = nearest_file(path) if "no such file" in says else ""
            hint = "keep bulk data in CSV files beside it" if "larger" in says else hint
            raise DrillError([Problem(shown, "", says.replace("not a file", "not a drill file"), hint=hint)]) from None
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError as error:
            line = data.count(b"\n", 0, error.start) + 1
            says = f"is not UTF-8 text (byte 0x{data[error.start]:02x})"
            raise DrillError([Problem(f"{shown}:{line}", "", says, hint="save the file as UTF-8")]) from None
        self.done[real] = self.parsed(text, shown, path.parent, (*inside, real))
        return self.done[real]

    def parsed(self, text: str, name: str, folder: Path, inside: tuple[Path, ...]) -> Document:
        try:
            lines = Scanner(text).scan()
            tables = tomllib.loads(text)
        except TooDeep as error:
            raise DrillError([Problem(f"{name}:{error.line}", "", error.says)]) from None
        except tomllib.TOMLDecodeError as error:
            raise DrillError([grammar.problem(name, str(error), text)]) from None
        except (RecursionError, ValueError):
            says = "not valid TOML: a number or a nesting that is too large to read"
            raise DrillError([Problem(name, "", says)]) from None
        if not tables:
            raise DrillError([Problem(name, "", "the file is empty", hint="a drill begins with the line: nivvo = 1")])
        origins = {path: Origin(name, line) for path, line in lines.items()}
        document = Document(name, folder, tables, origins)
        if problem := not_plain(tables, name):
            where = str(document.origin(tuple(problem.key.split("."))))
            raise DrillError([replace(problem, where=where)])
        return self.with_used(document, inside)

    def with_used(self, document: Document, inside: tuple[Path, ...]) -> Document:
        """Merge in what a document uses; what is later wins, the document itself last."""
        used = document.tables.get("use", [])
        if isinstance(used, str):
            used = [used]
        if not isinstance(used, list) or not all(isinstance(name, str) for name in used):
            where = str(document.origin(("use",)))
            raise DrillError([Problem(where, "use", "must be a list of file names", given=repr(used)[:100])])
        tables: dict[str, Any] = {}
        origins: dict[Key, Origin] = {}
        for k, name in enumerate(used):
            other = self._used(document, name, str(document.origin(("use", k))), inside)
            tables, origins = merged(tables, other.tables), {**origins, **other.origins}
        if not used:
            return document
        own = {key: value for key, value in document.tables.items() if key != "use"}
        return replace(document, tables=merged(tables, own), origins={**origins, **document.origins})

    def _used(self, document: Document, name: str, where: str, inside: tuple[Path, ...]) -> Document:
        path = document.folder / name
        try:
            real = real_path(path)
        except Unreadable as error:
            raise DrillError([Problem(where, "use", f"{name!r}: {error}")]) from None
        if real in inside:
            chain = " -> ".join(part.name for part in (*inside, path))
            raise DrillError([Problem(where, "use", "files use each other in a circle", given=chain)])
        if real not in self.done and len(self.done) + len(inside) >= MOST_FILES:
            raise DrillError([Problem(where, "use", f"a drill uses at most {MOST_FILES} files")])
        try:
            return self.read(path, str(path), inside)
        except DrillError as error:
            if error.problems and error.problems[0].where == str(path):
                first = error.problems[0]
                hint = first.hint or f"files are looked for beside {document.name}"
                raise DrillError([Problem(where, "use", f"{path}: {first.message}", hint=hint)]) from None
            raise


def merged(below: dict[str, Any], above: dict[str, Any]) -> dict[str, Any]:
    """Tables merge by name; a shape, or a table whose ``by`` changes, is one choice and replaces the other."""
    out = dict(below)
    for key, value in above.items():
        old = out.get(key)
        one_choice = key == "shape" or (isinstance(value, dict) and "by" in value)
        if isinstance(value, dict) and isinstance(old, dict):
            replaces = one_choice and (key == "shape" or value.get("by") != old.get("by"))
            out[key] = value if replaces else merged(old, value)
        else:
            out[key] = value
    return out


def inherit(document: Document) -> tuple[Document, list[Problem]]:
    """Resolve ``like`` and ``without`` in all named tables; also what is wrong with them."""
    problems: list[Problem] = []
    tables, origins = dict(document.tables), dict(document.origins)
    below: dict[Key, list[tuple[Key, Origin]]] = {}
    for path, origin in document.origins.items():
        if len(path) > 2:
            below.setdefault(path[:2], []).append((path[2:], origin))
    for kind, entries in document.tables.items():
        if kind == "case" or not isinstance(entries, dict):
            continue
        done: dict[str, Any] = {}
        for name in entries:
            # From the farthest ancestor down, so that no chain is too long.
            for one in reversed(_ancestry(document, kind, name, entries, done, problems)):
                done[one] = _inherited(document, kind, one, entries, done, below, origins, problems)
        tables[kind] = {name: done[name] for name in entries}
    return replace(document, tables=tables, origins=origins), problems


def _ancestry(document: Document, kind: str, name: str, entries: dict, done: dict, problems: list) -> list[str]:
    """A table and those it is like, in turn, as far as they are not resolved yet."""
    chain: list[str] = []
    seen: set[str] = set()
    while name not in done:
        chain.append(name)
        seen.add(name)
        own = entries[name]
        if not isinstance(own, dict) or "like" not in own:
            break
        where, key, like = str(document.origin((kind, name, "like"))), f"{kind}.{name}.like", own["like"]
        if not isinstance(like, str) or like not in entries:
            others = sorted(set(entries) - {name})
            says = f"there is no {kind} of that name"
            problems.append(Problem(where, key, says, repr(like)[:80], listed(others), nearest(like, others)))
            break
        if like in seen:
            circle = [*chain[chain.index(like) :], like]
            shown = " -> ".join(circle if len(circle) < 12 else [*circle[:10], "...", like])
            problems.append(Problem(where, key, "these are like each other in a circle", given=shown))
            break
        name = like
    return chain


def _inherited(document, kind, name, entries, done, below, origins, problems) -> Any:
    own = entries[name]
    if not isinstance(own, dict) or not ("like" in own or "without" in own):
        return own
    parent = done.get(own["like"]) if isinstance(own.get("like"), str) else None
    if "like" in own and isinstance(parent, dict):
        like = own["like"]
        mine = below.setdefault((kind, name), [])
        written = {rest for rest, _ in mine}
        for rest, origin in below.get((kind, like), ()):
            if rest not in written:
                came = replace(origin, through=f"like {like}")
                origins[kind, name, *rest] = came
                mine.append((rest, came))
    out = merged(parent if isinstance(parent, dict) else {}, {k: v for k, v in own.items() if k not in _RESOLVED})
    without, where = own.get("without", []), str(document.origin((kind, name, "without")))
    if not isinstance(without, list) or not all(isinstance(one, str) for one in without):
        given = repr(without)[:80]
        problems.append(Problem(where, f"{kind}.{name}.without", "must be a list of dotted keys", given))
        without = []
    for dotted in without:
        if not drop(out, dotted.split(".")[:MOST_PARTS]):
            says = f"there is nothing to take away: {dotted[:80]} is not set"
            problems.append(Problem(where, f"{kind}.{name}.without", says, hint=nearest(dotted, leaves(out))))
    return out


_RESOLVED = ("like", "without")


def leaves(tables: dict[str, Any], prefix: str = "") -> list[str]:
    """All dotted keys of nested tables."""
    out: list[str] = []
    for key, value in tables.items():
        out.append(prefix + key)
        if isinstance(value, dict):
            out += leaves(value, f"{prefix}{key}.")
    return out


def drop(tables: dict[str, Any], parts: list[str]) -> bool:
    """Take a dotted key away from nested tables (copied along the way); whether it was there."""
    for part in parts[:-1]:
        if not isinstance(tables.get(part), dict):
            return False
        tables[part] = dict(tables[part])
        tables = tables[part]
    return tables.pop(parts[-1], None) is not None


def put(tables: dict[str, Any], parts: list[str], value: Any, made: dict[tuple, Any] | None = None) -> dict[str, Any]:
    """Nested tables with a dotted key set; the tables given are left as they are.

    made : what was put so far: the same value at the same key of the same table gives the same table.
    """
    made = {} if made is None else made
    key = (id(tables), id(value), *parts)
    if key not in made:
        out = dict(tables)
        below = out.get(parts[0])
        rest = parts[1:]
        out[parts[0]] = put(below if isinstance(below, dict) else {}, rest, value, made) if rest else value
        made[key] = tables, value, out
    return made[key][2]
