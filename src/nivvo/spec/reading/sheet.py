"""Numbers that stand in a team's own balance sheet: read from CSV or JSON in place of ``by = "read"``."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

from nivvo.spec.reading.files import Unreadable, read_text, rows_of_csv
from nivvo.spec.words.nearest import nearest

MOST_BYTES = 10_000_000
KEYS = {"by", "file", "row", "column"}


class Sheets:
    """Balance sheets, each read once."""

    def __init__(self):
        self._read: dict[Path, Any] = {}

    def filled(self, table: Any, folder: Path, known: tuple[Any, Any]) -> tuple[Any, list[tuple[tuple, str]]]:
        """A table with each number that is to be read filled in; (path, in words) of what could not be read.

        known : another table, and what it was filled in to: what of it is in this one too is not looked through again.
        """
        wrong: list[tuple[tuple, str]] = []

        def walk(value: Any, path: tuple, before: Any, read: Any) -> Any:
            if value is before:
                return read
            there = before if isinstance(before, dict) else {}
            if value.get("by") == "read" and set(value) == KEYS:
                try:
                    return self._number(folder / str(value["file"]), value["row"], value["column"])
                except ValueError as error:
                    wrong.append((path, str(error)))
                    return 1.0
            below = {
                key: read[key]
                if one is there.get(key)
                else walk(one, (*path, key), there.get(key), read[key] if key in there else None)
                for key, one in value.items()
                if isinstance(one, dict)
            }
            # What nothing is read for stays the very table that it was.
            return value if all(one is value[key] for key, one in below.items()) else {**value, **below}

        return (walk(table, (), *known) if isinstance(table, dict) else table), wrong

    def _number(self, path: Path, row: Any, column: Any) -> float:
        """One number of a sheet; a whole one as such. Raises ValueError with what is wrong, in words."""
        if path not in self._read:
            try:
                self._read[path] = _sheet(path)
            except Unreadable as error:
                says = str(error)
                raise ValueError(f"{path} cannot be read: {says.removeprefix('cannot be read: ')}") from None
        rows = self._read[path]
        if isinstance(rows, list):
            if not isinstance(row, int) or not 0 <= row < len(rows):
                raise ValueError(f"{path.name} is a list of {len(rows)} rows, counted from 0; there is no row {row!r}")
            found = rows[row]
        else:
            if str(row) not in rows:
                raise ValueError(f"{path.name} has no row {str(row)[:80]!r}. {nearest(str(row), rows)}".rstrip())
            found = rows[str(row)]
        where = f"{path.name}, row {str(row)[:80]}"
        if not isinstance(found, dict) or str(column) not in found:
            known = list(found) if isinstance(found, dict) else []
            raise ValueError(f"{where}: there is no column {str(column)[:80]!r}. {nearest(column, known)}".rstrip())
        value = found[str(column)]
        try:
            number = float(value)
        except (TypeError, ValueError, OverflowError):
            number = math.nan
        if isinstance(value, (bool, bytes)) or not math.isfinite(number):
            large = isinstance(value, int) or (isinstance(value, float) and math.isinf(value))
            says = "a number that is too large" if large else f"not a number: {str(value)[:40]!r}"
            raise ValueError(f"{where}, column {str(column)[:80]}: {says}")
        return int(number) if number.is_integer() and abs(number) < 2**53 else number


def _sheet(path: Path) -> Any:
    """The rows of a CSV file by their first column, or what a JSON file holds. Raises ValueError."""
    if path.suffix.lower() == ".json":
        try:
            found = json.loads(
                read_text(path, MOST_BYTES),
                object_pairs_hook=lambda pairs: _once(path, pairs),
                parse_int=lambda digits: int(digits) if len(digits) < 400 else math.inf,
            )
        except json.JSONDecodeError as error:
            raise ValueError(f"{path.name}, line {error.lineno}: not JSON: {error.msg.lower()}") from None
        except RecursionError:
            raise ValueError(f"{path.name} nests too deep") from None
        if not isinstance(found, (dict, list)):
            raise ValueError(f"{path.name} holds no table")
        return found
    rows = list(rows_of_csv(path))
    if len(rows) < 2:
        raise ValueError(f"{path.name} has no rows under its heading")
    heading = rows[0][1]
    twice = next((word for word in heading if word and heading.count(word) > 1), None)
    if twice is not None:
        raise ValueError(f"{path.name}, line {rows[0][0]}: two columns are called {twice!r}")
    out: dict[str, dict[str, str]] = {}
    for line, cells in rows[1:]:
        if cells[0] in out:
            raise ValueError(f"{path.name}, line {line}: there is a row {cells[0]!r} already")
        if any(cells[len(heading) :]):
            raise ValueError(f"{path.name}, line {line}: {len(cells)} values under {len(heading)} columns")
        out[cells[0]] = dict(zip(heading, cells, strict=False))
    return out


def _once(path: Path, pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """A JSON table. Raises ValueError where a key is there twice."""
    out: dict[str, Any] = {}
    for key, value in pairs:
        if key in out:
            raise ValueError(f"{path.name}: the key {key[:80]!r} is there twice")
        out[key] = value
    return out
