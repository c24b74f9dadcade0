"""``nivvo explain``."""

from __future__ import annotations

from pathlib import Path

import click

from nivvo.cli import completing
from nivvo.cli.common import drill_argument, format_option, print_rows, read_drill, set_option
from nivvo.errors import CallError


@click.command("explain")
@drill_argument
@click.argument("key", required=False, shell_complete=completing.keys)
@click.option("--case", "-c", metavar="NAME", shell_complete=completing.cases, help="With the settings of this case.")
@click.option("--means", is_flag=True, help="With a column of what each key means.")
@set_option
@format_option
def command(drill, key, case, means, settings, format_) -> None:
    """Tell each effective value of DRILL and where it came from: file and line, inherited, case, or default.

    KEY limits it to one key or all below it, as ability.flare or world.gravity.
    """
    from nivvo.spec.explain import effective
    from nivvo.spec.keys import meaning_of
    from nivvo.spec.reading.settings import in_full
    from nivvo.spec.words.nearest import nearest

    rows = [
        {"key": row.key, "value": row.value, "origin": row.origin}
        for row in effective(read_drill(drill, settings), case)
    ]
    if key:
        kept = [row for row in rows if row["key"] == key or row["key"].startswith((f"{key}.", f"{key}["))]
        if not kept:
            names = {row["key"] for row in rows} | {row["key"].rpartition(".")[0] for row in rows}
            full = in_full(key.split("."), names)
            hint = f"did you mean {full}?" if full else nearest(key, names)
            raise CallError(f"{drill} has no value at {key}. {hint}".strip())
        rows = kept
    for row in rows if means else ():
        row["means"] = meaning_of(row["key"])
    if format_ == "table":
        # The path has been written by who calls; its name is enough.
        for row in rows:
            row["origin"] = row["origin"].replace(f"{drill}:", f"{Path(drill).name}:")
    print_rows(rows, format_, ["key", "value", "origin", *(["means"] if means else [])])
