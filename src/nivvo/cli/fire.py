"""``nivvo fire``."""

from __future__ import annotations

import json

import click

from nivvo.cli.common import cases_of, console, drill_argument, format_option, print_rows, read_drill, set_option
from nivvo.errors import CallError


@click.command("fire")
@drill_argument
@click.option(
    "--case", "-c", "cases", multiple=True, metavar="NAME", help="Which case; default: the first. May be given often."
)
@click.option("--all", "everything", is_flag=True, help="Every case of the drill.")
@set_option
@click.option("--figure", metavar="FILE.png|svg", help="Draw the run, with the preview of its first shot, into a file.")
@click.option("--rose", metavar="FILE.png|svg", help="Draw the first ability's shots at all aims around into a file.")
@click.option("--clearance", metavar="FILE.png|svg", help="Draw its muzzle at all aims, against its shooter's body.")
@click.option("--timeline", metavar="FILE.png|svg", help="Draw buttons, states, shots and the live count over time.")
@click.option("--hold-chart", metavar="FILE.png|svg", help="Draw what each time of holding a charge is worth.")
@click.option("--holds", is_flag=True, help="Print that as a table.")
@click.option("--save", "folder", metavar="FOLDER", help="Save all tables and paths into a folder.")
@click.option(
    "--save-format",
    type=click.Choice(["csv", "json", "parquet"]),
    default="csv",
    show_default=True,
    help="How they are saved.",
)
@click.option(
    "--table",
    type=click.Choice(["shots", "projectiles", "contacts", "effects", "targets", "events", "states"]),
    help="Print this table alone.",
)
@format_option
def command(
    drill, cases, everything, settings, figure, rose, clearance, timeline, hold_chart, holds, folder, save_format,
    table, format_,
) -> None:  # fmt: skip
    """Fire a case of DRILL and tell what happened, in words and numbers.

    Ends with the defaults that had a part in it: what nobody wrote, and what was used instead.

    \b
    nivvo fire quay.toml
    nivvo fire quay.toml --case lantern --figure lantern.png
    nivvo fire quay.toml --set ability.flare.launch.elevation=55
    nivvo fire quay.toml --table contacts --format csv
    """
    from nivvo.play.engine import fire

    read = read_drill(drill, settings)
    names = cases_of(read, cases, everything)
    if figure and len(names) > 1:
        raise CallError("--figure draws one case: name it with --case")
    if (rose or clearance or timeline or hold_chart or holds) and len(names) > 1:
        raise CallError("--rose, --clearance, --timeline and the holds are of one case: name it with --case")
    runs = [fire(read, name) for name in names]
    if format_ == "json" and not table:
        from nivvo.show.files import as_tables

        out = [as_tables(run) for run in runs]
        click.echo(json.dumps(out[0] if len(out) == 1 else out, indent=1, allow_nan=False))
    elif table or format_ == "csv":
        rows = [
            {"case": run.case, **row} if len(runs) > 1 else row
            for run in runs
            for row in run.rows(table or "projectiles")
        ]
        from nivvo.play.run import columns_of

        columns = columns_of(table or "projectiles", runs[0].scene.frame.size)
        print_rows(rows, format_, (["case"] if len(runs) > 1 else []) + columns)
    else:
        for run in runs:
            _tell(read, run)
    for run in runs:
        if folder:
            from nivvo.show.files import save

            done = save(run, folder, save_format)
            click.echo(f"saved {len(done)} files to {folder}", err=True)
        if figure:
            from nivvo.show.figure import save_figure
            from nivvo.show.sight import preview_of

            click.echo(f"drew {save_figure(run, figure, preview_of(run))}", err=True)
    if timeline:
        from nivvo.show.timeline import save_timeline

        click.echo(f"drew {save_timeline(runs[0], timeline)}", err=True)
    if hold_chart or holds:
        from nivvo.play.holding import holds as holds_of
        from nivvo.show.timeline import save_holds
        from nivvo.show.words import held

        found = holds_of(read, names[0])
        if holds:
            print_rows(found.rows, format_, list(found.rows[0]))
            for line in held(found) if format_ == "table" else []:
                click.echo(line)
        if hold_chart:
            click.echo(f"drew {save_holds(found, hold_chart, read.name)}", err=True)
    if rose or clearance:
        from nivvo.show.around import save_clearance, save_rose

        for wanted, save_picture in ((rose, save_rose), (clearance, save_clearance)):
            if wanted:
                click.echo(f"drew {save_picture(read, wanted, names[0])}", err=True)


def _tell(drill, run) -> None:
    from nivvo.play.decided import defaults
    from nivvo.show.words import overlaps, rates, told

    out = console()
    case = drill.case(run.case)
    out.print(f"{drill.title} · {run.case}" + (f" ({case.title})" if case.title else ""), style="bold", soft_wrap=True)
    for line in told(run):
        out.print(line, soft_wrap=True)
    for name in dict.fromkeys(shot.ability for shot in run.fired):
        for line in overlaps(run, name):
            out.print(line, soft_wrap=True)
    for line in rates(run):
        out.print(line, soft_wrap=True)
    decided = defaults(drill, run)
    if decided:
        out.print("\nDefaults that decided this (write the key to change it):", soft_wrap=True)
        width = max(len(key) for key, _ in decided)
        for key, value in decided:
            out.print(f"  {key:<{width}}  {value}", soft_wrap=True)
    out.print()
