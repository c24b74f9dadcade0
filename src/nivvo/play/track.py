"""The inputs of a case as changes in time, as the game sees them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from nivvo.core import clock
from nivvo.play.scene import Scene
from nivvo.spec.case import CONTROLS, Case, Input

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
    """All that the players of a case do, in order of time. Without inputs each button in hand is tapped at 0 s."""
    rows = case.input
    if rows is None:
        buttons = sorted({scene.abilities[name].firing.button for name in in_hand})
        rows = [Input(t=0.0, tap=button) for button in buttons]
    at_ticks = scene.model.tick.input == "at ticks"
    out: list[Change] = []

    def count(duration) -> int:
        if duration.ticks is not None:
            return scene.ticks.edge(duration.ticks)
        return clock.from_seconds(duration)

    for row in sorted(rows, key=lambda row: count(row.t)):
        time = count(row.t)
        end = time + count(row.lasts) if row.hold else time
        acts = [(time, control, getattr(row, control)) for control in CONTROLS if getattr(row, control) is not None]
        button = row.press or row.tap or row.hold
        if button:
            acts.append((time, PRESS, button))
        if row.release or row.tap or row.hold:
            acts.append((end, RELEASE, row.release or button))
        for name in [row.shooter] if row.shooter else sorted(scene.shooters):
            for when, what, value in acts:
                out.append(Change(scene.ticks.seen(when) if at_ticks else when, when, name, what, value))
    return sorted(out, key=lambda one: (one.time, one.written))
