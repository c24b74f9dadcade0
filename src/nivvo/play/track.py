"""The inputs of a case as changes in time, as the game sees them."""

from __future__ import annotations

import csv
import itertools
import logging
import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from nivvo.core import clock
from nivvo.errors import DrillError, Problem
from nivvo.play.scene import Scene
from nivvo.spec.case import CONTROLS, Case, Input

log = logging.getLogger("nivvo")

PRESS, RELEASE = "press", "release"


@dataclass(frozen=True)
class Change:
    """One thing that a player does.

    time, written : on the clock: when the game sees it, and when it was done. what : "press", "release" or a
    control; value : the button, or where the control is from then on.
    """

    time: int
    written: int
    shooter: str
    what: str
    value: Any


def changes(case: Case, scene: Scene, in_hand: list[str]) -> list[Change]:
    """All that the players of a case do, in order of time. Without inputs each button in hand is tapped at 0 s.

    Raises DrillError if the case's track cannot be read or repaired.
    """
    rows = case.input
    logged = read_track(scene.folder / case.track, scene) if case.track else []
    if rows is None and not logged:
        buttons = sorted({scene.abilities[name].firing.button for name in in_hand})
        rows = [Input(t=0.0, tap=button) for button in buttons]
    at_ticks = scene.model.tick.input == "at ticks"
    out: list[Change] = []

    def count(duration) -> int:
        if duration.ticks is not None:
            return scene.ticks.edge(duration.ticks)
        return clock.from_seconds(duration)

    def add(when: int, name: str, what: str, value) -> None:
        out.append(Change(scene.ticks.seen(when) if at_ticks else when, when, name, what, value))

    last: dict[tuple[str, str], tuple[int, Any]] = {}
    for row in sorted(rows or [], key=lambda row: count(row.t)):
        time = count(row.t)
        every = 0 if row.every is None else count(row.every)
        button = row.press or row.tap or row.hold
        for name in [row.shooter] if row.shooter else sorted(scene.shooters):
            for control in CONTROLS:
                value = getattr(row, control)
                if value is None:
                    continue
                before = last.get((name, control))
                if row.glide and before is not None:
                    for when, part in _glide(scene, before, (time, value)):
                        add(when, name, control, part)
                add(time, name, control, value)
                last[name, control] = (time, value)
            for k in range(row.count or 1):
                start = time + k * every
                if button:
                    add(start, name, PRESS, button)
                if row.release or row.tap or row.hold:
                    add(start + count(row.lasts) if row.hold else start, name, RELEASE, row.release or button)
    for change in logged:
        add(change.time, change.shooter, change.what, change.value)
    return sorted(out, key=lambda one: (one.time, one.written))


def _glide(scene: Scene, before: tuple[int, Any], after: tuple[int, Any]) -> list[tuple[int, list[float]]]:
    """Where a control is at each tick's start between two rows: evenly from the one to the other."""
    (t0, p), (t1, q) = before, after
    out = []
    for tick in range(scene.ticks.holding(t0) + 1, scene.ticks.holding(t1) + 1):
        when = scene.ticks.edge(tick)
        if t0 < when < t1:
            share = (when - t0) / (t1 - t0)
            out.append((when, [a + share * (b - a) for a, b in zip(p, q, strict=True)]))
    return out


def read_track(path: Path, scene: Scene) -> list[Change]:
    """A track logged by a game: a CSV of time (s), control, value[, value ...] and perhaps shooter.

    The control is press, release, tap, or one of the case's controls. A first line of words is a heading. Rows out
    of order are sorted, presses of a button that is down and releases of one that is up are dropped: each with a
    warning on the log. Raises DrillError for what cannot be repaired.
    """

    def wrong(says: str, line: int = 0, allowed: str = "") -> DrillError:
        return DrillError([Problem(f"{path}:{line}" if line else str(path), "case.track", says, allowed=allowed)])

    known, found = (PRESS, RELEASE, "tap", *CONTROLS), []
    sizes = {"cursor": scene.frame.size, "look": scene.frame.size - 1, "stick": 2, "move": 2, "screen": 2}
    try:
        with path.open(newline="", encoding="utf-8-sig") as file:
            for line, row in enumerate(csv.reader(file), 1):
                row = [cell.strip() for cell in row]
                if not row or not any(row) or row[0].startswith("#"):
                    continue
                try:
                    seconds = float(row[0])
                except ValueError:
                    if line == 1:
                        continue
                    raise wrong(f"not a time in seconds: {row[0][:40]!r}", line) from None
                if not 0.0 <= seconds <= 86_400.0:
                    raise wrong(f"a time is from 0 to 86400 s, not {row[0][:40]}", line)
                if len(row) < 3 or row[1] not in known:
                    word = row[1] if len(row) > 1 else ""
                    raise wrong(f"there is no control {word[:40]!r}", line, ", ".join(known))
                time, shooter = clock.from_seconds(seconds), None
                if row[-1] in scene.shooters and len(row) > 3:
                    shooter = row.pop()
                value: Any = row[2]
                if row[1] in sizes:
                    try:
                        value = [float(cell) for cell in row[2:]]
                    except ValueError:
                        raise wrong(f"{row[1]} takes numbers, not {', '.join(row[2:])[:60]}", line) from None
                    if len(value) != sizes[row[1]] or not all(math.isfinite(one) for one in value):
                        raise wrong(f"{row[1]} takes {sizes[row[1]]} numbers in this view", line)
                for name in [shooter] if shooter else sorted(scene.shooters):
                    acts = (PRESS, RELEASE) if row[1] == "tap" else (row[1],)
                    found += [(time, line, Change(time, time, name, act, value)) for act in acts]
    except (OSError, UnicodeDecodeError, csv.Error) as error:
        reason = getattr(error, "strerror", None) or "not a CSV text"
        raise wrong(f"cannot be read: {reason.lower()}") from None
    return _repaired(path, found)


def _repaired(path: Path, found: list[tuple[int, int, Change]]) -> list[Change]:
    """Changes of a log in order of time, without presses and releases that cannot be; each repair is a warning."""
    late = [line for (a, _, _), (b, line, _) in itertools.pairwise(found) if b < a]
    if late:
        log.warning("%s:%s: %s rows out of order were sorted by time", path, late[0], len(late))
    down: dict[tuple[str, Any], bool] = {}
    out = []
    for _, line, change in sorted(found, key=lambda one: one[0]):
        if change.what in (PRESS, RELEASE):
            key, press = (change.shooter, change.value), change.what == PRESS
            if down.get(key, False) == press:
                state = "down already" if press else "not down"
                log.warning("%s:%s: %s of %s dropped: it was %s", path, line, change.what, change.value, state)
                continue
            down[key] = press
        out.append(change)
    return out
