"""Tracks of inputs that a game has logged: CSV rows read as the rows of a case's ``input``, and as strictly.

Beside them what the game itself moved, as the rows of its ``moved``.
"""

from __future__ import annotations

import itertools
import logging
from pathlib import Path
from typing import Any, NamedTuple

from pydantic import ValidationError

from nivvo.spec.reading.files import Unreadable, rows_of_csv
from nivvo.spec.scenes.case import CONTROLS, Input, Moved
from nivvo.spec.words.nearest import nearest
from nivvo.spec.words.renamed import renamed

log = logging.getLogger("nivvo")

SIZES = {"cursor": (2, 3), "look": (1, 2), "stick": (2,), "walk": (2,), "screen": (2,)}
"""How many numbers each control takes."""

ACTS = ("press", "release", "tap")
MOVES = ("moved", "put")
"""What a game does to a body: it goes there over a tick, or is there at once."""

KNOWN = (*ACTS, *CONTROLS, *MOVES)
TIMES = ("t", "time", "seconds")
MOST_ROWS = 500_000
MOST_WRONG = 20


class Wrong(NamedTuple):
    """What is wrong with a line of a track (0: with the file)."""

    line: int
    message: str
    allowed: str = ""
    hint: str = ""


class Track(NamedTuple):
    """The rows of a track, each with its line, what of them the game moves, and what is wrong with it."""

    rows: list[tuple[int, Input]]
    moved: list[tuple[int, Moved]]
    wrong: list[Wrong]


def read_track(path: Path) -> Track:
    """A CSV of time (s), control, value[, value ...] and perhaps shooter.

    The control is press, release, tap, or one of a case's controls; after moved or put a body and its place follow. A
    heading may stand first: time, control, value..., shooter. Rows out of order are sorted, and presses of a button
    that is down or releases of one that is up do nothing: each is a warning on the log.
    """
    rows: list[tuple[int, Input]] = []
    moved: list[tuple[int, Moved]] = []
    wrong: list[Wrong] = []
    named: int | None = None
    try:
        for k, (line, cells) in enumerate(rows_of_csv(path)):
            if cells[0].startswith("#"):
                continue
            if k == 0 and cells[0].lower() in TIMES:
                named = next((at for at, cell in enumerate(cells) if cell.lower() == "shooter"), None)
                if len(cells) < 3 or cells[1].lower() != "control":
                    wrong.append(Wrong(line, "a heading is: time, control, value and what follows it"))
                continue
            made = _row(cells, named)
            if isinstance(made, Input):
                rows.append((line, made))
            elif isinstance(made, Moved):
                moved.append((line, made))
            else:
                wrong.append(made._replace(line=line))
            if len(wrong) > MOST_WRONG or len(rows) + len(moved) > MOST_ROWS:
                if len(rows) + len(moved) > MOST_ROWS:
                    wrong.append(Wrong(line, f"more than {MOST_ROWS:,} rows"))
                break
    except Unreadable as error:
        wrong.append(Wrong(0, str(error)))
    if not rows and not moved and not wrong:
        wrong.append(Wrong(0, "has no rows", hint='a row is, say, "0.2, press, fire" or "0.0, cursor, 12, 3"'))
    _warn(path, rows)
    return Track(sorted(rows, key=lambda row: float(row[1].t)), moved, wrong)


def _row(cells: list[str], named: int | None) -> Input | Moved | Wrong:
    """One row as a row of inputs."""
    try:
        seconds = float(cells[0])
    except ValueError:
        return Wrong(0, f"not a time in seconds: {cells[0][:40]!r}")
    word = cells[1] if len(cells) > 1 else ""
    if word not in KNOWN:
        now = renamed(("case", "", "input", 0, word))
        hint = f"it is now called {now}" if now in KNOWN else nearest(word, KNOWN)
        return Wrong(0, f"there is no control {word[:40]!r}", ", ".join(KNOWN), hint)
    row: dict[str, Any] = {"t": seconds}
    if word in MOVES:
        return _move(row, [cell for cell in cells[2:] if cell], word)
    values = cells[2:named] if named is not None else cells[2:]
    if named is not None and named < len(cells):
        if cells[named]:
            row["shooter"] = cells[named]
        if any(cells[named + 1 :]):
            return Wrong(0, "more values than the heading has columns")
    while values and not values[-1]:
        values.pop()
    if named is None and len(values) - 1 in SIZES.get(word, (1,)) and not _number(values[-1]):
        row["shooter"] = values.pop()
        while values and not values[-1]:
            values.pop()
    if not values:
        return Wrong(0, f"{word} of what? A row is time, control, value")
    if word in ACTS:
        if len(values) > 1:
            return Wrong(0, f"{word} takes one button, not {', '.join(values)[:60]}")
        row[word] = values[0]
    else:
        try:
            row[word] = [float(one) for one in values]
        except ValueError:
            return Wrong(0, f"{word} takes numbers, not {', '.join(values)[:60]}")
        if len(values) not in SIZES[word]:
            return Wrong(0, f"{word} takes {' or '.join(map(str, SIZES[word]))} numbers, not {len(values)}")
    return _valid(Input, row, word)


def _move(row: dict[str, Any], cells: list[str], word: str) -> Moved | Wrong:
    """One row of what the game moves."""
    try:
        place = [float(one) for one in cells[1:]]
    except ValueError:
        place = []
    if len(place) not in (2, 3):
        return Wrong(0, f"{word} takes a body and its place", hint=f'a row is, say, "0.2, {word}, gull, 3, 4.5"')
    return _valid(Moved, {**row, "body": cells[0], "to": place, "jump": word == "put"}, word)


def _valid(model: type[Input] | type[Moved], row: dict[str, Any], word: str) -> Any:
    """A row as its model, or what is wrong with it."""
    try:
        return model.model_validate(row)
    except ValidationError as error:
        one = error.errors(include_url=False)[0]
        says = one["msg"].removeprefix("Value error, ")
        where = ".".join(str(part) for part in one["loc"][:1]) or word
        return Wrong(0, f"{where}: {says[:1].lower()}{says[1:]}")


def _number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def _warn(path: Path, rows: list[tuple[int, Input]]) -> None:
    """Say on the log what of a track was repaired."""
    late = [line for (_, a), (line, b) in itertools.pairwise(rows) if float(b.t) < float(a.t)]
    if late:
        log.warning("%s:%s: %s rows out of order were sorted by time", path, late[0], len(late))
    down: dict[tuple[str | None, str], bool] = {}
    for line, row in sorted(rows, key=lambda row: float(row[1].t)):
        if row.press or row.release:
            key, press = (row.shooter, row.press or row.release), row.press is not None
            if down.get(key, False) == press:
                state, what = ("down already", "press") if press else ("not down", "release")
                log.warning("%s:%s: %s of %s dropped: it was %s", path, line, what, key[1], state)
            down[key] = press
