"""``nivvo touches``."""

from __future__ import annotations

import click

from nivvo.cli import completing
from nivvo.cli.common import drill_argument, format_option, note, print_rows, read_drill, set_option


@click.command("touches")
@drill_argument
@click.option(
    "--case",
    "-c",
    metavar="NAME",
    shell_complete=completing.cases,
    help="What is in hand in this case; default: every ability.",
)
@set_option
@click.option("--figure", metavar="FILE.png|svg", help="Draw it as a matrix into a file.")
@format_option
def command(drill, case, settings, figure, format_) -> None:
    """Tell who touches whom in DRILL: each ability's answer to each group, what follows, and which rule decided.

    \b
    nivvo touches quay.toml
    nivvo touches quay.toml --figure touches.png
    """
    from nivvo.play.questions.touching import touching

    rows = touching(read_drill(drill, settings), case)
    if figure:
        from nivvo.show.drawing.matrix import save_touching

        note(f"drew {save_touching(rows, figure)}")
    print_rows(rows, format_, list(rows[0]))
