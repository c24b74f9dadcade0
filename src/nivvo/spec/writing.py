"""Drills written back as TOML: what was played live, as a case that can be fired."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
import tomlkit

from nivvo.spec.drill import Drill, Model

MOST_WRITTEN = 200
"""Moves of bodies that stand in the drill itself; more of them in a file beside it."""


LEFT_ALONE = 600.0
"""Seconds after the last thing that was done in which a play is still of interest."""


class Added(NamedTuple):
    """A body that came: when (s), with the keys of its table."""

    time: float
    kind: str
    name: str
    keys: dict[str, Any]


class Removed(NamedTuple):
    """A body that was taken away: when (s)."""

    time: float
    kind: str
    name: str


class Played(NamedTuple):
    """What was played: rows of ``input`` and of ``moved``; how long ticks were (s), None: as in the drill.

    bodies : settings by which bodies come and go. track : the file in which the moves stand, if not in the drill.
    until : how long it was played (s).
    """

    rows: list[dict[str, Any]]
    moved: list[dict[str, Any]]
    bodies: dict[str, Any]
    frames: list[float] | None
    track: str | None
    until: float


def as_track(moved: list[dict[str, Any]]) -> str:
    """Moves of bodies as the text of a track."""
    rows = [f"{row['t']!r}, {'put' if row.get('jump') else 'moved'}, {row['body']}" for row in moved]
    places = [", ".join(map(repr, row["to"])) for row in moved]
    return "\n".join(["time, control, value"] + [f"{a}, {b}" for a, b in zip(rows, places, strict=True)]) + "\n"


def bodies_of(model: Model, changes: list[Added | Removed]) -> tuple[dict[str, Any], dict[str, str]]:
    """Settings by which bodies come and go in a case as they did, and by name what of that no case can have, in words.

    A body comes once, and goes after it has come; of a wave nobody is taken away by a setting.
    """
    settings: dict[str, Any] = {}
    lost: dict[str, str] = {}
    there = {name: one for kind in (model.obstacle, model.target) for name, one in kind.items()}
    for one in changes:
        key, name, time = f"{one.kind}.{one.name}", one.name, one.time
        if isinstance(one, Added):
            if name in there:
                lost[name] = f"{name}, which was added again"
            else:
                there[name] = None
                settings[key] = one.keys | ({"arrives": time} if time else {})
        elif key in settings and time <= settings[key].get("arrives", 0.0):
            lost[name] = f"{name}, which was gone at once"
            del settings[key]
        elif key in settings:
            settings[key]["leaves"] = time
        elif name not in there or time <= (there[name].arrives or 0.0) or there[name].leaves is not None:
            lost[name] = f"taking away {name}"
        else:
            settings[f"{key}.leaves"] = time
    return settings, lost


def plain(value: Any) -> Any:
    """A value as a TOML file holds it: arrays and tuples as lists, NumPy's numbers as plain ones."""
    if isinstance(value, dict):
        return {key: plain(one) for key, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain(one) for one in value]
    return value.tolist() if isinstance(value, np.ndarray | np.generic) else value


def with_case(drill: Drill, like: str, name: str, played: Played, abilities: list[str]) -> str:
    """The text of a drill with one more case, of what was played: settings and abilities of the case ``like``.

    What the drill takes from other files stands in it, so that it can be moved.
    """
    rows, moved, bodies, frames, track, until = played
    tables = {key: value for key, value in drill.document.tables.items() if key != "use"}
    cases = dict(tables.get("case", {}))
    pressed = {row[act] for row in rows for act in ("press", "tap", "hold") if act in row}
    models = drill.of_case(like).ability
    used = [one for one in abilities if models[one].firing.button in pressed]
    case: dict[str, Any] = {"ability": used} if used else {}
    theirs = drill.written(like).tables.get("case", {}).get(like, {})
    # What the drill was changed by since it was read wins over that.
    called = {key: plain(value) for key, value in drill._settings.items() if key.split(".")[0] != "case"}
    settings = {**theirs.get("set", {}), **called}
    if frames is not None:
        settings = {key: value for key, value in settings.items() if key not in ("tick.rate", "tick.frames")}
        # Read in one go: laid out one by one they would take minutes.
        settings["tick.frames"] = tomlkit.array(f"[{', '.join(map(repr, frames))}]")
    settings |= bodies
    if settings:
        case["set"] = settings
    last = max((row["t"] for row in (*rows, *moved)), default=0.0)
    # As long as it was played; of one that was left alone since, some time.
    made = tomlkit.item({**case, "lasts": max(min(until, last + LEFT_ALONE), last + 10.0)})
    made.append("input", _rows(rows))
    if track is not None:
        made.append("track", track)
    elif moved:
        made.append("moved", _rows(moved))
    document = tomlkit.document()
    for key, value in {**tables, "case": {**cases, name: made}}.items():
        document.append(key, value if key != "case" else tomlkit.item(value))
    return tomlkit.dumps(document)


def _rows(rows: list[dict[str, Any]]) -> Any:
    """Rows as an array of inline tables, one a line."""
    made = tomlkit.array().multiline(True)
    for row in rows:
        table = tomlkit.inline_table()
        table.update(row)
        made.append(table)
    return made
