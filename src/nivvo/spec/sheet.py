"""Numbers that stand in a team's own balance sheet: read from CSV or JSON in place of ``by = "read"``."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import Any

from nivvo.errors import Problem
from nivvo.spec.document import Document, nearest
from nivvo.spec.problems import dotted

MOST_BYTES = 10_000_000


def with_sheets(document: Document) -> tuple[dict[str, Any], list[Problem]]:
    """The document's tables with each number that is to be read filled in, and what could not be read."""
    problems: list[Problem] = []
    sheets: dict[Path, Any] = {}

    def walk(table: Any, path: tuple) -> Any:
        if not isinstance(table, dict):
            return table
        if table.get("by") == "read" and {"file", "row", "column"} <= set(table) and len(table) == 4:
            try:
                return _number(document.folder / str(table["file"]), table["row"], table["column"], sheets)
            except ValueError as error:
                problems.append(Problem(str(document.origin(path)), dotted(path), str(error)))
                return 1.0
        return {key: walk(value, (*path, key)) for key, value in table.items()}

    return {**document.tables, "ability": walk(document.tables.get("ability", {}), ("ability",))}, problems


def _number(path: Path, row: Any, column: Any, sheets: dict[Path, Any]) -> float:
    """One number of a sheet. Raises ValueError with what is wrong, in words."""
    if path not in sheets:
        sheets[path] = _read(path)
    rows = sheets[path]
    if isinstance(rows, list):
        if not isinstance(row, int) or not 0 <= row < len(rows):
            raise ValueError(f"{path.name} is a list of {len(rows)} rows, counted from 0; there is no row {row!r}")
        found = rows[row]
    else:
        if str(row) not in rows:
            raise ValueError(f"{path.name} has no row {row!r}. {nearest(str(row), rows)}".rstrip())
        found = rows[str(row)]
    if not isinstance(found, dict) or str(column) not in found:
        known = list(found) if isinstance(found, dict) else []
        raise ValueError(
            f"{path.name}, row {row}: there is no column {column!r}. {nearest(str(column), known)}".rstrip()
        )
    value = found[str(column)]
    try:
        number = float(value)
    except (TypeError, ValueError):
        number = float("nan")
    if isinstance(value, bool) or number != number or abs(number) == float("inf"):
        raise ValueError(f"{path.name}, row {row}, column {column}: not a number: {str(value)[:40]!r}")
    return number


def _read(path: Path) -> Any:
    """The rows of a CSV file by their first column, or what a JSON file holds. Raises ValueError."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ValueError(f"{path.name} is larger than {MOST_BYTES:,} bytes")
        if path.suffix.lower() == ".json":
            found = json.loads(path.read_text(encoding="utf-8-sig"))
            if not isinstance(found, (dict, list)):
                raise ValueError(f"{path.name} holds no table")
            return found
        with path.open(newline="", encoding="utf-8-sig") as file:
            rows = [row for row in csv.reader(file) if any(cell.strip() for cell in row)]
    except (OSError, UnicodeDecodeError, csv.Error, RecursionError) as error:
        raise ValueError(f"{path} cannot be read: {getattr(error, 'strerror', None) or 'not a text'}".lower()) from None
    except json.JSONDecodeError as error:
        raise ValueError(f"{path.name}, line {error.lineno}: not JSON: {error.msg.lower()}") from None
    if len(rows) < 2:
        raise ValueError(f"{path.name} has no rows under its heading")
    heading = [cell.strip() for cell in rows[0]]
    return {row[0].strip(): dict(zip(heading, (cell.strip() for cell in row), strict=False)) for row in rows[1:]}
