"""``nivvo fire``."""

from __future__ import annotations

import json

import click

from nivvo.cli import completing
from nivvo.cli.common import (
    cases_of,
    drill_argument,
    format_option,
    note,
    of_cases,
    patient_option,
    print_rows,
    read_drill,
    say,
    set_option,
    telling_how_far,
)
from nivvo.errors import CallError

MOST_LINES = 30
"""Lines of what happened that are shown unless all are asked for."""


@click.command("fire")
@drill_argument
@click.option(
    "--case", "-c", "cases", multiple=True, metavar="NAME", shell_complete=completing.cases,
    help="Which case; default: the first. May be given often.",
)  # fmt: skip
@click.option("--all", "everything", is_flag=True, help="Every case of the drill.")
@set_option
@click.option(
    "--figure",
    metavar="FILE.png|svg",
    help="Draw the run, with the preview of its first shot, into a file; several cases into a folder.",
)
@click.option("--film", metavar="FILE.png|svg", help="Draw the scene at six instants of the run into a file.")
@click.option("--at", "times", multiple=True, type=float, metavar="SECONDS", help="--film: an instant; often.")
@click.option("--rose", metavar="FILE.png|svg", help="Draw the first ability's shots at all aims around into a file.")
@click.option("--clearance", metavar="FILE.png|svg", help="Draw its muzzle at all aims, against its shooter's body.")
@click.option("--timeline", metavar="FILE.png|svg", help="Draw buttons, states, shots and the live count over time.")
@click.option("--hold-chart", metavar="FILE.png|svg", help="Draw what each time of holding a charge is worth.")
@click.option("--hold-table", is_flag=True, help="Print that as a table; as JSON or CSV, that alone.")
@click.option(
    "--rate-table", is_flag=True, help="Print what it comes to at other tick rates; as JSON or CSV, that alone."
)
@click.option("--rate", "rates", multiple=True, type=float, metavar="TICKS", help="--rate-table: a tick rate; often.")
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
    type=click.Choice(
        [
            "shots",
            "projectiles",
            "births",
            "contacts",
            "meetings",
            "effects",
            "scores",
            "totals",
            "pursuits",
            "anchors",
            "cues",
            "targets",
            "bodies",
            "events",
            "states",
        ]
    ),
    multiple=True,
    help="Print this table alone. May be repeated.",
)
@click.option("--log", is_flag=True, help=f"All that happened, line by line; without it at most {MOST_LINES} lines.")
@patient_option
@format_option
def command(
    drill, cases, everything, settings, figure, film, times, rose, clearance, timeline, hold_chart, hold_table,
    rate_table, rates, folder, save_format, table, log, patient, format_,
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
    pictures, films = (of_cases(one, names) if one else [] for one in (figure, film))
    table = tuple(dict.fromkeys(table))
    if len(table) > 1 and format_ == "csv":
        raise CallError("--format csv prints one table: give --table once, or --save FOLDER for all of them")
    if times and not film:
        raise CallError("--at says when --film looks: give --film too")
    if rates and not rate_table:
        raise CallError("--rate says at which rates --rate-table fires: give --rate-table too")
    if hold_table and rate_table:
        raise CallError("--hold-table and --rate-table each print a table: give one of them")
    if (rose or clearance or timeline or hold_chart or hold_table or rate_table) and len(names) > 1:
        raise CallError("--rose, --clearance, --timeline, the holds and the rates are of one case: name it with --case")
    with telling_how_far(patient):
        runs = [fire(read, name, patient=patient) for name in names]
    found = rated = None
    if hold_chart or hold_table:
        from nivvo.play.questions.holding import hold_table as table_of_holds

        found = table_of_holds(read, names[0])
    if rate_table:
        from nivvo.play.questions.rating import RATES
        from nivvo.play.questions.rating import rate_table as table_of_rates

        rated = table_of_rates(read, names[0], rates=rates or RATES, patient=patient)
    # Files first: a reader of the text that goes away takes nothing else along.
    for number, run in enumerate(runs):
        if folder:
            from nivvo.show.files import save

            note(f"saved {len(save(run, folder, save_format))} files to {folder}")
        if figure:
            from nivvo.show.drawing.figure import save_figure
            from nivvo.show.drawing.sight import preview_of

            note(f"drew {save_figure(run, pictures[number], preview_of(run))}")
        if film:
            from nivvo.show.drawing.film import save_film

            note(f"drew {save_film(run, films[number], list(times) or None)}")
    if timeline:
        from nivvo.show.drawing.timeline import save_timeline

        note(f"drew {save_timeline(runs[0], timeline)}")
    if hold_chart:
        from nivvo.show.drawing.timeline import save_hold_table

        note(f"drew {save_hold_table(found, hold_chart, read.name)}")
    if rose or clearance:
        from nivvo.show.drawing.around import save_clearance, save_rose

        for wanted, save_picture in ((rose, save_rose), (clearance, save_clearance)):
            if wanted:
                note(f"drew {save_picture(read, wanted, names[0])}")
    _print(read, runs, found if hold_table else rated, table, format_, log)


def _print(drill, runs, found, table, format_, log) -> None:
    """One thing on stdout: the words, a table of the runs, or one of holds or rates (after the words, if any)."""
    if found is not None and format_ != "table":
        print_rows(found.rows, format_, found.columns)
    elif format_ == "json" and not table:
        from nivvo.show.files import as_tables

        out = [as_tables(run) for run in runs]
        click.echo(json.dumps(out[0] if len(out) == 1 else out, indent=1, allow_nan=False))
    elif format_ == "json" and len(table) > 1:
        from nivvo.show.files import plain_row

        out = {name: [plain_row(row) for row in _rows(runs, name)] for name in table}
        click.echo(json.dumps(out, indent=1, allow_nan=False))
    elif table or format_ == "csv":
        from nivvo.play.outcome.run import columns_of

        for number, name in enumerate(table or ("projectiles",)):
            columns = columns_of(name, runs[0].scene.frame.size)
            if number:
                say("")
            title = name if len(table) > 1 else ""
            print_rows(_rows(runs, name), format_, (["case"] if len(runs) > 1 else []) + columns, title)
    else:
        for run in runs:
            _tell(drill, run, log)
    if found is not None and format_ == "table":
        from nivvo.show.words import compared

        print_rows(found.rows, format_, found.columns)
        for line in compared(found):
            say(line)


def _rows(runs, table: str) -> list[dict]:
    """The rows of a table of some runs, with the case where there are several."""
    return [{"case": run.case, **row} if len(runs) > 1 else row for run in runs for row in run.rows(table)]


def _tell(drill, run, log: bool) -> None:
    from nivvo.play.questions.decided import defaults, to_no_effect
    from nivvo.play.questions.rating import hanging
    from nivvo.show.log import told
    from nivvo.show.words import absent, overlaps, rates, summed_up

    case = drill.case(run.case)
    say(f"{drill.title} · {run.case}" + (f" ({case.title})" if case.title else ""), bold=True)
    for line in summed_up(run):
        say(line)
    lines = told(run)
    for line in lines if log or len(lines) <= MOST_LINES else lines[: MOST_LINES - 1]:
        say(line)
    if len(lines) > MOST_LINES and not log:
        say(f"           {len(lines) - MOST_LINES + 1} more lines: --log shows them all")
    for name in dict.fromkeys(shot.ability for shot in run.fired):
        for line in overlaps(run, name):
            say(line)
    for line in [*rates(run), *absent(run), *to_no_effect(drill, run)]:
        say(line)
    if keys := hanging(drill, run.case, list(dict.fromkeys(shot.ability for shot in run.launched))):
        say(f"hangs on the tick rate: {', '.join(keys)} (--rate-table tells how far)")
    decided = defaults(drill, run)
    if decided:
        say("")
        say("Defaults that decided this (write the key to change it):")
        width = max(len(key) for key, _ in decided)
        for key, value in decided:
            say(f"  {key:<{width}}  {value}")
    say("")
