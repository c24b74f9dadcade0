"""``nivvo keys``."""

from __future__ import annotations

from collections.abc import Iterator

import click

from nivvo.cli import completing
from nivvo.cli.common import format_option, print_rows, say, say_folded


@click.command("keys")
@click.argument("key", nargs=-1, shell_complete=completing.written)
@format_option
def command(key, format_) -> None:
    """Tell what can be written in a drill: each key below KEY, what it means and takes, its default, a line to copy.

    KEY is as ability.launch, flight.homing or world, or your own words for what you look for; without it, the tables.
    With a choice, only what goes with it.

    \b
    nivvo keys flight.homing
    nivvo keys aim.by=stick
    nivvo keys on
    nivvo keys lock on
    """
    from nivvo.spec.keys import choice_of, keys
    from nivvo.spec.words.elsewhere import elsewhere

    key = " ".join(key)
    rows = [one._asdict() for one in keys(key)]
    if format_ != "table":
        print_rows(rows, format_, ["key", "takes", "default", "means", "example"])
        return
    if not key:
        tables = [row for row in rows if row["takes"] in ("table", "tables by name") and row["key"].count(".") <= 3]
        for row in tables:
            say_folded(row["means"], 30, f"{row['key']:<28}  ")
        say("")
        say("nivvo keys TABLE tells what stands in one, as: nivvo keys ability.launch")
        return
    for row, places in _once(rows):
        say(row["key"], bold=True)
        default = f"; default {row['default']}" if row["default"] else ""
        say_folded(row["means"] or "a table", 4)
        if row["takes"] != "table":
            say_folded(f"takes {row['takes']}{default}", 4)
        if row["example"]:
            say(f"    {row['example']}")
        if places:
            say_folded(f"likewise {', '.join(places)}", 4)
    also = elsewhere(key)
    if also and not any(also in row["key"] for row in rows):
        say(f"see also: {also}")
    if choice := choice_of(key):
        say_folded(f"also {choice.removeprefix('it is ')}", 0)


def _once(rows: list[dict[str, str]]) -> Iterator[tuple[dict[str, str], list[str]]]:
    """Each row once that stands in several tables, with what stands in the others in place of a part of its key."""
    alike: dict[tuple[str, ...], list[list[str]]] = {}
    for row in rows:
        alike.setdefault(_alike(row), []).append(row["key"].split("."))
    for row in rows:
        if keys := alike.pop(_alike(row), None):
            yield row, [".".join(_differing(key, keys[0])) for key in keys[1:]]


def _alike(row: dict[str, str]) -> tuple[str, ...]:
    """What rows have in common that tell the same key in several tables."""
    return row["key"].rpartition(".")[2], row["takes"], row["default"], row["means"]


def _differing(key: list[str], other: list[str]) -> list[str]:
    """What of a key stands in place of a part of another, between how both begin and how both end; or how it begins."""
    least = min(len(key), len(other))
    first = next((k for k in range(least) if key[k] != other[k]), least)
    alike = next((k for k in range(least - first) if key[-1 - k] != other[-1 - k]), least - first)
    return key[first if first + alike < len(other) else 0 : len(key) - alike]
