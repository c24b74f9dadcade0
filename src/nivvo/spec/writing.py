"""Drills written back as TOML: what was played live, as a case that can be fired."""

from __future__ import annotations

from typing import Any

import tomlkit

from nivvo.spec.drill import Drill


def with_case(
    drill: Drill, like: str, name: str, rows: list[dict[str, Any]], abilities: list[str], frames: list[float] | None
) -> str:
    """The text of a drill with one more case, whose inputs are ``rows``: settings and abilities of the case ``like``.

    frames : how long its ticks were (s), if not as there. What the drill takes from other files stands in it, so that
    it can be moved.
    """
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
    inputs = tomlkit.array().multiline(True)
    for row in rows:
        table = tomlkit.inline_table()
        table.update(row)
        inputs.append(table)
    made = tomlkit.item({**case, "lasts": max((row["t"] for row in rows), default=0.0) + 10.0})
    made.append("input", inputs)
    document = tomlkit.document()
    for key, value in {**tables, "case": {**cases, name: made}}.items():
        document.append(key, value if key != "case" else tomlkit.item(value))
    return tomlkit.dumps(document)
