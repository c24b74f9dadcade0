"""``nivvo check``."""

from __future__ import annotations

import sys

import click

from nivvo.cli.common import (
    cases_of,
    drill_argument,
    format_option,
    note,
    patient_option,
    print_rows,
    read_drill,
    say,
    set_option,
    telling_how_far,
)

MOST_REMEDIES = 5


@click.command("check")
@drill_argument
@click.option(
    "--case", "-c", "cases", multiple=True, metavar="NAME", help="Which case; default: all. May be given often."
)
@set_option
@click.option(
    "--remedies/--no-remedies",
    default=True,
    show_default=True,
    help="Look for a small change under which a failed check passes.",
)
@patient_option
@format_option
def command(drill, cases, settings, remedies, patient, format_) -> None:
    """Fire the cases of DRILL and judge their checks. Exit 0 if all pass, 1 if one fails.

    A failed check tells the nearest miss, when and by how much, and a small change of speed or
    elevation under which it passes, if there is one (each was fired, not guessed).

    \b
    nivvo check quay.toml
    nivvo check quay.toml --case lantern --set ability.lantern.launch.speed=13
    """
    from nivvo.judge.case import check
    from nivvo.judge.remedy import LEAST_TRIES, tries_for
    from nivvo.judge.remedy import remedies as remedies_of
    from nivvo.play.engine import fire

    read = read_drill(drill, settings)
    rows, tried, skipped = [], 0, 0
    for name in cases_of(read, cases, True):
        with telling_how_far(patient):
            run = fire(read, name, patient=patient)
        for number, outcome in enumerate(check(read, name, run)):
            helps: list[str] = []
            if remedies and not outcome.passed and tried < MOST_REMEDIES:
                tried += 1
                helps = remedies_of(read, name, number, run)
                skipped += not helps and tries_for(run) < LEAST_TRIES
            rows.append(
                {
                    "case": name,
                    "check": outcome.check,
                    "passed": outcome.passed,
                    "found": outcome.found,
                    "margin": outcome.margin,
                    "unit": outcome.unit,
                    "nearest": outcome.nearest,
                    "remedy": "; or ".join(helps),
                }
            )
    if format_ == "table":
        _tell(rows)
    else:
        print_rows(rows, format_, ["case", "check", "passed", "found", "margin", "unit", "nearest", "remedy"])
    if skipped:
        note("no change was looked for that would make a check pass, since its case takes long to fire")
    if not rows:
        note(f"{drill}: no case has a check, so nothing was judged")
        sys.exit(1)
    sys.exit(0 if all(row["passed"] for row in rows) else 1)


def _tell(rows) -> None:
    case = None
    for row in rows:
        if row["case"] != case:
            case = row["case"]
            say(case, "bold")
        mark = "pass" if row["passed"] else "FAIL"
        margin = row["margin"]
        by = (
            ""
            if margin != margin
            else f" ({abs(margin):.4g} {row['unit']}".rstrip() + f" {'to spare' if margin >= 0 else 'short'})"
        )
        say(f"  {mark}  {row['check']}", "bold red" if mark == "FAIL" else None)
        say(f"        {row['found']}{by}")
        if not row["passed"]:
            if row["nearest"]:
                say(f"        {row['nearest']}")
            for remedy in row["remedy"].split("; or ") if row["remedy"] else []:
                say(f"        {remedy}")
    failed = sum(not row["passed"] for row in rows)
    say("")
    say(f"{len(rows)} check{'s' if len(rows) != 1 else ''}: {len(rows) - failed} passed, {failed} failed")
