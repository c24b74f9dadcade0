"""``nivvo new``."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

import click

from nivvo.cli.common import say
from nivvo.errors import CallError


@click.command("new")
@click.argument("file", type=click.Path())
@click.option(
    "--view",
    type=click.Choice(["side", "top", "space"]),
    default="side",
    show_default=True,
    help="How the world is seen.",
)
@click.option("--force", is_flag=True, help="Overwrite a file that is there.")
def command(file, view, force) -> None:
    """Write a small drill to FILE to start from: one ability, one target, one case, all commented.

    \b
    nivvo new my.toml && nivvo fire my.toml
    """
    from nivvo.judge.case import check
    from nivvo.play.questions.clearance import clearance
    from nivvo.show.words import cleared
    from nivvo.spec.drill import load
    from nivvo.spec.reading.files import write_text

    path = Path(file)
    if path.is_dir():
        raise CallError(f"{file} is a folder; name a file, as {path / 'my.toml'}")
    if path.exists() and not force:
        raise CallError(f"{file} is there already; --force overwrites it")
    write_text(path, files("nivvo.demo").joinpath(f"new_{view}.toml").read_text(encoding="utf-8"))
    drill = load(path)
    outcome = check(drill)[0]
    say(f"wrote {path}")
    say(cleared(clearance(drill), drill.model.world.unit))
    say(f"its check: {outcome.check}: {'passes' if outcome.passed else 'fails'}, {outcome.found}")
    say(f"next: nivvo fire {path}    or: nivvo fire {path} --figure {path.with_suffix('.png')}")
