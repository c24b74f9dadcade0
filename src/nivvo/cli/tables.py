"""Tables for a person: as wide as the terminal, columns with nothing in them left out, no number ever broken."""

from __future__ import annotations

import shutil
import sys
from functools import lru_cache
from textwrap import wrap
from typing import Any, NamedTuple

import click

from nivvo.errors import visible

BETWEEN = 2
"""Blanks between columns."""

WHOLE = 32
"""A name up to so long stays in one piece."""

LINE = 18
"""So wide is a column of words at least, unless it needs less."""

FALLBACK = (80, 24)
"""Columns and lines where there is no terminal and COLUMNS says nothing."""


class Column(NamedTuple):
    """A column as it is laid out: its name, cells, whether they are numbers, the least and the most it can use."""

    name: str
    head: str
    cells: list[str]
    number: bool
    least: int
    most: int


def print_table(rows: list[dict[str, Any]], names: list[str], title: str = "") -> None:
    """Print rows as a table; where it is too wide, as several below one another that begin with the same column."""
    from rich import box
    from rich.table import Table

    width = shutil.get_terminal_size(FALLBACK).columns
    columns = [_column(name, rows) for name in names]
    kept = [column for k, column in enumerate(columns) if not k or not rows or any(column.cells)]
    screen = console(width)
    for number, block in enumerate(_blocks(kept, width)):
        table = Table(
            box=box.SIMPLE_HEAD, show_edge=False, pad_edge=False, padding=(0, BETWEEN - 1, 0, 0), header_style="bold",
            title=(visible(title) or None) if not number else None, title_justify="left",
        )  # fmt: skip
        for column, wide in zip(block, _widths(block, width), strict=True):
            justify = "right" if column.number else "left"
            table.add_column(
                "\n".join(wrap(column.head, wide)), justify=justify, overflow="fold", width=wide, no_wrap=column.number
            )
        for cells in zip(*(column.cells for column in block), strict=True):
            table.add_row(*cells)
        if number:
            click.echo("")
        screen.print(table)
    empty = [column.head for column in columns if column not in kept]
    if empty:
        screen.print(f"Nothing in: {', '.join(empty)}", style="dim")


def _column(name: str, rows: list[dict[str, Any]]) -> Column:
    values = [row.get(name) for row in rows]
    cells, head = [cell(value) for value in values], visible(name.replace("_", " "))
    number = bool(rows) and all(isinstance(value, int | float) for value in values)
    most = max([len(one) for one in cells] + [max(map(len, head.split()))])
    if number:
        return Column(name, head, cells, True, most, max(most, len(head)))
    # Names stay in one piece, sentences are folded.
    prose = any(" " in one for one in cells)
    least = min(most, max([LINE, *map(len, head.split())]) if prose else WHOLE)
    return Column(name, head, cells, False, least, max(most, len(head)))


def _blocks(columns: list[Column], width: int) -> list[list[Column]]:
    """Columns that fit beside one another; each block after the first begins as that does."""
    first = columns[: 2 if len(columns) > 1 and columns[0].name == "case" else 1]
    blocks = [list(first)]
    for column in columns[len(first) :]:
        if _wide([*blocks[-1], column]) > width and len(blocks[-1]) > len(first):
            blocks.append(list(first))
        blocks[-1].append(column)
    return blocks


def _wide(block: list[Column]) -> int:
    return sum(column.least for column in block) + BETWEEN * (len(block) - 1)


def _widths(block: list[Column], width: int) -> list[int]:
    """The width of each column: what it needs at least, and of what is left over as much as it can use."""
    left, wide = width - _wide(block), [column.least for column in block]
    for k in sorted(range(len(block)), key=lambda k: block[k].most - block[k].least):
        more = max(min(block[k].most - wide[k], left), 0)
        wide[k], left = wide[k] + more, left - more
    for k in sorted(range(len(block)), key=lambda k: -wide[k]):
        if left < 0 and not block[k].number:
            # Too narrow for its words: they are folded.
            less = min(-left, wide[k] - 4)
            wide[k], left = wide[k] - less, left + less
    return wide


def cell(value: Any) -> str:
    """A value for a person: five significant digits, nothing for nothing."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return "" if value != value else f"{value:.5g}"
    return "" if value is None else visible(str(value))


def console(width: int | None = None) -> Any:
    """A console on stdout, so many columns wide. Words are only words."""
    return _console_on(sys.stdout, width)


@lru_cache(maxsize=2)
def _console_on(stdout: Any, width: int | None) -> Any:
    from rich.console import Console

    class Plain(Console):
        def on_broken_pipe(self) -> None:
            raise BrokenPipeError

    return Plain(file=stdout, width=width, highlight=False, markup=False, emoji=False, soft_wrap=False)
