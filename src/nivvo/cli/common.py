"""Options and printing that several commands share."""

from __future__ import annotations

import csv
import io
import json
import os
import shutil
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from textwrap import wrap
from typing import Any

import click

from nivvo.cli import completing
from nivvo.cli.tables import FALLBACK, print_table
from nivvo.errors import CallError, visible
from nivvo.spec.drill import Drill, load, parse
from nivvo.spec.reading.document import MOST_BYTES
from nivvo.spec.reading.settings import value_of_text

drill_argument = click.argument("drill", type=click.Path(allow_dash=True), metavar="DRILL")
format_option = click.option(
    "--format",
    "format_",
    type=click.Choice(["table", "json", "csv"]),
    default="table",
    show_default=True,
    help="How data is printed.",
)


def set_option(function: Callable) -> Callable:
    """``--set KEY=VALUE``, as often as wanted."""
    return click.option(
        "--set",
        "settings",
        multiple=True,
        metavar="KEY=VALUE",
        shell_complete=completing.settings,
        help="Change one dotted key for this call, as ability.flare.launch.speed=20. May be given often.",
    )(function)


patient_option = click.option(
    "--patient", is_flag=True, help="Go on however much there is to do (else a very large case is refused)."
)


def read_drill(path: str, settings: tuple[str, ...]) -> Drill:
    """The drill at a path, or on stdin for "-", with the settings of a command line. Raises DrillError, CallError."""
    changes: dict[str, Any] = {}
    for setting in settings:
        key, equals, value = setting.partition("=")
        if not equals or not key.strip():
            raise CallError(f"--set {setting}: must be KEY=VALUE, as --set ability.flare.launch.speed=20")
        try:
            changes[key.strip()] = value_of_text(value.strip())
        except ValueError as error:
            raise CallError(f"--set {key.strip()[:80]}: {error}") from None
    if path != "-":
        return load(path, changes)
    read = parse(_typed(sys.stdin), "stdin")
    return read.with_settings(changes) if changes else read


@lru_cache(maxsize=1)
def _typed(stdin: Any) -> str:
    """The drill that comes in on stdin."""
    if stdin is None:
        raise CallError("-: nothing comes in on stdin")
    data = stdin.buffer.read(MOST_BYTES + 1)
    if len(data) > MOST_BYTES:
        raise CallError(f"-: the drill on stdin is larger than {MOST_BYTES:,} bytes")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        raise CallError(f"-: the drill on stdin is not UTF-8 text (line {line})") from None


def of_cases(path: str, names: list[str]) -> list[str]:
    """Where the picture of each case goes: the file itself of one, in a folder of that name one a case."""
    if len(names) == 1 and Path(path).suffix:
        return [path]
    if Path(path).suffix in (".png", ".svg"):
        raise CallError(f"{path} is one picture and there are {len(names)} cases: name a folder, or one --case")
    if twice := sorted({name for name in names if names.count(name) > 1}):
        raise CallError(f"two cases would be drawn into {twice[0]}.png: draw drills of one name by themselves")
    return [str(Path(path) / f"{name}.png") for name in names]


def print_rows(rows: list[dict[str, Any]], format_: str, columns: list[str] | None = None, title: str = "") -> None:
    """Print rows to stdout as a table, JSON or CSV."""
    from nivvo.show.files import tame

    columns = columns or (list(rows[0]) if rows else [])
    if format_ == "json":
        from nivvo.show.files import plain_row

        click.echo(json.dumps([plain_row(row) for row in rows], indent=1, allow_nan=False))
    elif format_ == "csv":
        text = io.StringIO()
        writer = csv.DictWriter(text, columns, lineterminator="\n", extrasaction="ignore")
        writer.writeheader()
        writer.writerows({key: tame(value) for key, value in row.items()} for row in rows)
        click.echo(text.getvalue(), nl=False)
    else:
        print_table(rows, columns, title)


@contextmanager
def telling_how_far(patient: bool) -> Iterator[None]:
    """Tell on a terminal how far a long case is, for somebody patient; not where nobody sits before it."""
    if not patient or not sys.stderr.isatty():
        yield
        return
    from rich.console import Console

    from nivvo.play.rules.cost import watched

    with Console(stderr=True, emoji=False).status("firing") as status, watched(status.update):
        yield


def say(text: str, bold: bool = False, colour: str | None = None) -> None:
    """One line on stdout for a person; bold, in a colour, where that can be shown and nobody has asked for none."""
    words = visible(text)
    if bold and os.environ.get("TERM") not in ("dumb", "unknown"):
        words = click.style(words, bold=True, fg=None if os.environ.get("NO_COLOR") else colour)
    click.echo(words)


def say_folded(text: str, indent: int, start: str = "") -> None:
    """Words on stdout for a person, in lines no wider than the screen, ``indent`` further in; the first after start."""
    width, blank = max(shutil.get_terminal_size(FALLBACK).columns, indent + 30), indent * " "
    keys = {"initial_indent": start or blank, "subsequent_indent": blank, "break_on_hyphens": False}
    for line in wrap(visible(text), width, **keys):
        say(line)


def note(text: str) -> None:
    """One line on stderr."""
    click.echo(visible(text), err=True)


def cases_of(drill: Drill, asked: tuple[str, ...], everything: bool) -> list[str]:
    """The cases that a call means. Raises CallError for an unknown one."""
    for name in asked:
        drill.case(name)
    return list(asked) or (drill.cases if everything else drill.cases[:1])
