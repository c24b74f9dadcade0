"""``nivvo schema``."""

from __future__ import annotations

import json

import click

from nivvo.cli.common import note


@click.command("schema")
@click.option("--out", metavar="FILE", help="Write it to a file instead of stdout.")
def command(out) -> None:
    """Print the JSON Schema of drill files, so that an editor completes and checks them.

    \b
    nivvo schema --out drill.schema.json
    and as the first line of a drill, for editors that read it:
    #:schema ./drill.schema.json
    """
    from nivvo.spec.reading.files import write_text
    from nivvo.spec.schema import schema

    text = json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"
    if out:
        note(f"wrote {write_text(out, text)}")
    else:
        click.echo(text, nl=False)
