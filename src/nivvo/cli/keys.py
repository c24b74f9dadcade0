"""``nivvo keys``."""

from __future__ import annotations

import click

from nivvo.cli import completing
from nivvo.cli.common import format_option, print_rows, say, say_folded


@click.command("keys")
@click.argument("key", required=False, shell_complete=completing.written)
@format_option
def command(key, format_) -> None:
    """Tell what can be written in a drill: each key below KEY, what it means and takes, its default, a line to copy.

    KEY is as ability.launch, flight.homing or world; without it, the tables. With a choice, only what goes with it.

    \b
    nivvo keys flight.homing
    nivvo keys aim.by=stick
    nivvo keys on
    """
    from nivvo.spec.keys import keys
    from nivvo.spec.words.elsewhere import elsewhere

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
    for row in rows:
        say(row["key"], bold=True)
        default = f"; default {row['default']}" if row["default"] else ""
        say_folded(row["means"] or "a table", 4)
        if row["takes"] != "table":
            say_folded(f"takes {row['takes']}{default}", 4)
        if row["example"]:
            say(f"    {row['example']}")
    also = elsewhere(key)
    if also and not any(also in row["key"] for row in rows):
        say(f"see also: {also}")
