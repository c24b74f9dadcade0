"""``nivvo check``."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from nivvo.cli import completing
from nivvo.cli.common import (
    cases_of,
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

MOST_REMEDIES = 5
COLUMNS = ["case", "check", "passed", "found", "margin", "unit", "nearest", "remedy"]


@click.command("check")
@click.argument("drills", type=click.Path(allow_dash=True), metavar="DRILL...", nargs=-1, required=True)
@click.option(
    "--case", "-c", "cases", multiple=True, metavar="NAME", shell_complete=completing.cases,
    help="Which case; default: all. May be given often.",
)  # fmt: skip
@set_option
@click.option(
    "--remedies/--no-remedies",
    default=True,
    show_default=True,
    help="Look for a small change under which a failed check passes.",
)
@click.option("--figure", metavar="FOLDER", help="Draw each case into a folder; of one case, into a .png or .svg file.")
@patient_option
@format_option
def command(drills, cases, settings, remedies, patient, figure, format_) -> None:
    """Fire the cases of each DRILL (- for stdin) and judge their checks. Exit 0 if all pass, 1 if one fails.

    A failed check tells the nearest miss, when and by how much, and a small change of speed or
    elevation under which it passes, if there is one (each was fired, not guessed).

    \b
    nivvo check quay.toml
    nivvo check quay.toml mole.toml --figure pictures
    nivvo check quay.toml --case lantern --set ability.lantern.launch.speed=13
    """
    from nivvo.judge.case import check
    from nivvo.judge.remedy import LEAST_TRIES, tries_for
    from nivvo.judge.remedy import remedies as remedies_of
    from nivvo.play.engine import fire

    read = [read_drill(drill, settings) for drill in drills]
    asked = [(drill, name) for drill in read for name in cases_of(drill, cases, True)]
    names = [name if len(read) == 1 else f"{Path(drill.name).stem}-{name}" for drill, name in asked]
    pictures = of_cases(figure, names) if figure else []
    rows, tried, skipped = [], 0, 0
    for number, (drill, name) in enumerate(asked):
        with telling_how_far(patient):
            run = fire(drill, name, patient=patient)
        for place, outcome in enumerate(check(drill, name, run)):
            helps: list[str] = []
            if remedies and not outcome.passed and tried < MOST_REMEDIES:
                tried += 1
                helps = remedies_of(drill, name, place, run)
                skipped += not helps and tries_for(run) < LEAST_TRIES
            row = {"drill": drill.name} if len(read) > 1 else {}
            rows.append(row | {"case": name, **_row(outcome, helps)})
        if pictures:
            from nivvo.show.drawing.figure import save_figure
            from nivvo.show.drawing.sight import preview_of

            note(f"drew {save_figure(run, pictures[number], preview_of(run))}")
    if format_ == "table":
        _tell(rows)
    else:
        print_rows(rows, format_, [*(["drill"] if len(read) > 1 else []), *COLUMNS])
    if skipped:
        note("no change was looked for that would make a check pass, since its case takes long to fire")
    if not rows:
        note(f"{', '.join(drills)}: no case has a check, so nothing was judged")
        sys.exit(1)
    sys.exit(0 if all(row["passed"] for row in rows) else 1)


def _row(outcome, helps: list[str]) -> dict:
    """What a check came to, as a row."""
    return {
        "check": outcome.check, "passed": outcome.passed, "found": outcome.found, "margin": outcome.margin,
        "unit": outcome.unit, "nearest": outcome.nearest, "remedy": "; or ".join(helps),
    }  # fmt: skip


def _tell(rows) -> None:
    told = None
    for row in rows:
        if (row.get("drill"), row["case"]) != told:
            told = row.get("drill"), row["case"]
            say(" · ".join(one for one in told if one), bold=True)
        mark = "pass" if row["passed"] else "FAIL"
        margin = row["margin"]
        by = (
            ""
            if margin != margin or row["unit"] == "times"
            else f" ({abs(margin):.4g} {row['unit']}".rstrip() + f" {'to spare' if margin >= 0 else 'short'})"
        )
        say(f"  {mark}  {row['check']}", bold=mark == "FAIL", colour="red")
        say(f"        {row['found']}{by}")
        if not row["passed"]:
            if row["nearest"]:
                say(f"        {row['nearest']}")
            for remedy in row["remedy"].split("; or ") if row["remedy"] else []:
                say(f"        {remedy}")
    failed = sum(not row["passed"] for row in rows)
    say("")
    say(f"{len(rows)} check{'s' if len(rows) != 1 else ''}: {len(rows) - failed} passed, {failed} failed")
