"""``nivvo demo``."""

from __future__ import annotations

import os
import sys
from concurrent.futures import ProcessPoolExecutor
from functools import cache
from importlib.resources import as_file, files
from multiprocessing import current_process, get_start_method
from pathlib import Path
from typing import Any

import click

from nivvo.cli.common import note, say
from nivvo.cli.tables import print_table

DRILLS = ("quay", "deck", "breakwater", "jetty", "wharf", "watch", "mole", "dunes", "skerry")
CROWDED = ("watch", "skerry")

Task = tuple[str, str, str, str, bool]
"""A drill's file and name, a case, the folder, whether it is drawn."""

Done = tuple[dict[str, Any], bool]
"""A row about a case, and whether its checks passed."""


@click.command("demo")
@click.argument("folder", type=click.Path(), default="nivvo-demo")
@click.option("--every", is_flag=True, help="Draw every case; otherwise the first of each drill.")
def command(folder, every) -> None:
    """Fire the demo drills and write their files, figures and tables to FOLDER (default: nivvo-demo).

    The quay, the jetty, the wharf, the mole and the dunes are seen from the side, the deck and the watch from above,
    the breakwater and the skerry are in space. The drill files are copied there too, to change and fire again; one that
    has been changed is kept, and fired as it is.
    """
    from nivvo.spec.drill import load

    out, tasks = Path(folder), []
    for name in DRILLS:
        with as_file(files("nivvo.demo").joinpath(f"{name}.toml")) as source:
            copy = _copied(source, out / f"{name}.toml")
        cases = load(copy).cases
        tasks += [(str(copy), name, case, str(out), every or k == 0) for k, case in enumerate(cases)]
    done = _fired(tasks)
    rows, good = [row for row, _ in done], all(passed for _, passed in done)
    print_table(rows, list(rows[0]))
    rest = "" if every else "; --every draws all cases"
    say(f"Drills, figures (DRILL.CASE.png{rest}) and tables are in {out.resolve()}")
    say(f"Next: nivvo fire {out / 'quay.toml'} --set ability.flare.launch.speed=16")
    sys.exit(0 if good else 1)


def _fired(tasks: list[Task]) -> list[Done]:
    """Each case fired, saved and drawn, in as many processes as there are cores.

    A process that may have no children does it all itself.
    """
    cores = min(os.cpu_count() or 1, len(tasks))
    if cores < 2 or current_process().daemon:
        return [_one(*task) for task in tasks]
    # What has a crowd takes longest and loads the compiler: each is begun first, in a process of its own.
    longest = sorted(tasks, key=lambda task: task[1] not in CROWDED)
    if get_start_method() == "fork":
        _ready()
    with ProcessPoolExecutor(cores) as pool:
        done = dict(zip(longest, pool.map(_one, *zip(*longest, strict=True)), strict=True))
    return [done[task] for task in tasks]


def _ready() -> None:
    """What each process needs, loaded once before they part."""
    import matplotlib.backends.backend_agg
    import matplotlib.figure  # noqa: F401

    import nivvo.judge.case
    import nivvo.show.drawing.figure
    import nivvo.show.files  # noqa: F401


def _one(path: str, name: str, case: str, folder: str, drawn: bool) -> Done:
    """One case of a demo drill fired, saved and drawn if asked: its row, and whether its checks passed."""
    from nivvo.judge.case import check
    from nivvo.play.engine import fire
    from nivvo.show.files import save

    drill, out = _drill(path), Path(folder)
    run = fire(drill, case)
    outcomes = check(drill, case, run)
    passed = sum(outcome.passed for outcome in outcomes)
    save(run, out / name)
    if drawn:
        from nivvo.show.drawing.figure import save_figure
        from nivvo.show.drawing.sight import preview_of

        save_figure(run, out / f"{name}.{case}.png", preview_of(run))
    last = (run.rows("projectiles") or [{"projectile": "none", "reason": "nothing was fired", "ended": 0.0}])[-1]
    row = {
        "drill": name,
        "case": case,
        "shots": len(run.fired),
        "last one": f"{last['projectile']}: {last['reason']}",
        "at (s)": last["ended"],
        "checks": f"{passed} of {len(outcomes)} pass",
    }
    return row, passed == len(outcomes)


@cache
def _drill(path: str) -> Any:
    from nivvo.spec.drill import load

    return load(path)


def _copied(source: Path, copy: Path) -> Path:
    """The copy of a demo drill: written, unless somebody has changed it."""
    from nivvo.spec.reading.files import Unreadable, read_text, write_text

    text = source.read_text(encoding="utf-8")
    try:
        if read_text(copy) != text:
            note(f"kept {copy}, which has been changed; delete it to have it anew")
        return copy
    except Unreadable:
        return write_text(copy, text)
