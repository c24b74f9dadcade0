"""Drills written back as TOML: what was played live, as a case that can be fired."""

from __future__ import annotations

from typing import Any, NamedTuple

import tomlkit

from nivvo.spec.drill import Drill

MOST_WRITTEN = 200
"""Moves of bodies that stand in the drill itself; more of them in a file beside it."""


class Played(NamedTuple):
    """What was played: rows of ``input`` and of ``moved``; how long ticks were (s), None: as in the drill.

    track : the file in which the moves stand, if not in the drill.
    """

    rows: list[dict[str, Any]]
    moved: list[dict[str, Any]]
    frames: list[float] | None
    track: str | None


def as_track(moved: list[dict[str, Any]]) -> str:
    """Moves of bodies as the text of a track."""
    rows = [f"{row['t']!r}, {'put' if row.get('jump') else 'moved'}, {row['body']}" for row in moved]
    places = [", ".join(map(repr, row["to"])) for row in moved]
    return "\n".join(["time, control, value"] + [f"{a}, {b}" for a, b in zip(rows, places, strict=True)]) + "\n"


def with_case(drill: Drill, like: str, name: str, played: Played, abilities: list[str]) -> str:
    """The text of a drill with one more case, of what was played: settings and abilities of the case ``like``.

    What the drill takes from other files stands in it, so that it can be moved.
    """
    rows, moved, frames, track = played
    tables = {key: value for key, value in drill.document.tables.items() if key != "use"}
    cases = dict(tables.get("case", {}))
    pressed = {row[act] for row in rows for act in ("press", "tap", "hold") if act in row}
    models = drill.of_case(like).ability
    used = [one for one in abilities if models[one].firing.button in pressed]
    case: dict[str, Any] = {"ability": used} if used else {}
    settings = cases[like].get("set", {}) if isinstance(cases.get(like), dict) else {}
    if frames is not None:
        settings = {key: value for key, value in settings.items() if key not in ("tick.rate", "tick.frames")}
        # Read in one go: laid out one by one they would take minutes.
        settings["tick.frames"] = tomlkit.array(f"[{', '.join(map(repr, frames))}]")
    if settings:
        case["set"] = settings
    made = tomlkit.item({**case, "lasts": max((row["t"] for row in (*rows, *moved)), default=0.0) + 10.0})
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
