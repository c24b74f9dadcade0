"""Where each key of a TOML text stands, and a guard that keeps hostile texts from the parser.

The standard parser tells no lines. This scanner walks the text once and notes the line of each key;
it trusts nothing, since it runs before the parser, and leaves all errors of grammar to it.
"""

from __future__ import annotations

import re

MOST_NESTING = 32
MOST_PARTS = 16

_BLANK = re.compile(r"[ \t]*")
_SPACE = re.compile(r"(?:[ \t\r\n]|#[^\n]*)*")
_BARE = re.compile(r"[A-Za-z0-9_-]+")
_SCALAR = re.compile(r"[^,\]\}\n#]*")
_STRING = re.compile(
    r'"""(?:[^\\"]|\\.|"(?!""))*"{3,5}'
    r"|'''(?:[^']|'(?!''))*'{3,5}"
    r'|"(?:[^"\\\n]|\\.)*"'
    r"|'[^'\n]*'",
    re.DOTALL,
)

Path = tuple[str | int, ...]


class TooDeep(Exception):
    """The text nests deeper, or its keys have more parts, than any drill needs."""

    def __init__(self, line: int, says: str):
        super().__init__(says)
        self.line, self.says = line, says


class Scanner:
    """One walk over a text; ``lines`` maps each key's path to its line, counted from 1."""

    def __init__(self, text: str):
        self.text = text
        self.at = 0
        self.lines: dict[Path, int] = {}
        self._counted, self._line = 0, 1
        self._tables: dict[Path, int] = {}

    def scan(self) -> dict[Path, int]:
        """Walk the text; stops quietly where its grammar ends. Raises TooDeep."""
        prefix: Path = ()
        while True:
            self._skip(_SPACE)
            if self.at >= len(self.text):
                return self.lines
            if self.text.startswith("[", self.at):
                double = self.text.startswith("[[", self.at)
                self.at += 2 if double else 1
                parts = self._key()
                if parts is None:
                    return self.lines
                prefix = self._inside(parts)
                if double:
                    count = self._tables.get(prefix, 0)
                    self._tables[prefix] = count + 1
                    prefix = (*prefix, count)
                for size in range(1, len(prefix) + 1):
                    self._note(prefix[:size])
                self._skip(re.compile(r"[ \t]*\]{0,2}"))
            elif not self._pair(prefix, 0):
                return self.lines

    def _inside(self, parts: Path) -> Path:
        """The path of a table header: names of arrays of tables mean their last element."""
        path: Path = ()
        for k, part in enumerate(parts):
            path = (*path, part)
            if k < len(parts) - 1 and path in self._tables:
                path = (*path, self._tables[path] - 1)
        return path

    def _pair(self, prefix: Path, depth: int) -> bool:
        parts = self._key()
        if parts is None:
            return False
        path = (*prefix, *parts)
        for k in range(len(prefix) + 1, len(path) + 1):
            self._note(path[:k])
        self._skip(_BLANK)
        if not self.text.startswith("=", self.at):
            return False
        self.at += 1
        self._skip(_BLANK)
        return self._value(path, depth)

    def _value(self, path: Path, depth: int) -> bool:
        if depth > MOST_NESTING:
            raise TooDeep(self._now(), f"values nest deeper than {MOST_NESTING}")
        opening = self.text[self.at : self.at + 1]
        if opening == "[":
            return self._items(path, depth, "]")
        if opening == "{":
            return self._items(path, depth, "}")
        if opening in ('"', "'"):
            return self._skip(_STRING)
        return self._skip(_SCALAR)

    def _items(self, path: Path, depth: int, closing: str) -> bool:
        self.at += 1
        count = 0
        while True:
            self._skip(_SPACE)
            if self.at >= len(self.text):
                return False
            if self.text[self.at] == closing:
                self.at += 1
                return True
            before = self.at
            if closing == "]":
                self._note((*path, count))
                good = self._value((*path, count), depth + 1)
            else:
                good = self._pair(path, depth + 1)
            if not good:
                return False
            count += 1
            self._skip(_SPACE)
            if self.text.startswith(",", self.at):
                self.at += 1
            elif self.at == before:
                return False

    def _key(self) -> Path | None:
        parts: list[str] = []
        while True:
            self._skip(_BLANK)
            match = _STRING.match(self.text, self.at) or _BARE.match(self.text, self.at)
            if not match:
                return None
            found = match.group()
            self.at = match.end()
            parts.append(found[1:-1] if found[0] in "\"'" else found)
            if len(parts) > MOST_PARTS:
                raise TooDeep(self._now(), f"a key has more than {MOST_PARTS} parts")
            self._skip(_BLANK)
            if not self.text.startswith(".", self.at):
                return tuple(parts)
            self.at += 1

    def _skip(self, pattern: re.Pattern) -> bool:
        match = pattern.match(self.text, self.at)
        if match:
            self.at = match.end()
        return bool(match)

    def _note(self, path: Path) -> None:
        self.lines.setdefault(path, self._now())

    def _now(self) -> int:
        self._line += self.text.count("\n", self._counted, self.at)
        self._counted = self.at
        return self._line
