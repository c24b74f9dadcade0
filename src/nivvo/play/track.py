"""The inputs of a case as a track in time: button edges, and where the cursor is when."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass, field

import numpy as np

from nivvo.core import clock
from nivvo.play.scene import Scene
from nivvo.spec.case import Case, Input


@dataclass(frozen=True)
class Edge:
    """A button going down or up, as the game sees it. ``time``, ``written``: on the clock."""

    time: int
    written: int
    button: str
    down: bool


@dataclass
class Track:
    """What one shooter's player does."""

    edges: list[Edge] = field(default_factory=list)
    cursor_times: list[int] = field(default_factory=list)
    cursors: list[np.ndarray] = field(default_factory=list)

    def cursor(self, time: int) -> np.ndarray | None:
        """Where the cursor is at ``time``; before its first row, where that row puts it; None without any."""
        if not self.cursors:
            return None
        return self.cursors[max(bisect_right(self.cursor_times, time) - 1, 0)]


def tracks(case: Case, scene: Scene, in_hand: list[str]) -> dict[str, Track]:
    """Each shooter's track. A case without inputs taps each button of the abilities in hand once, at 0 s."""
    rows = case.input
    if rows is None:
        buttons = sorted({scene.abilities[name].firing.button for name in in_hand})
        rows = [Input(t=0.0, tap=button) for button in buttons]
    at_ticks = scene.model.tick.input == "at ticks"
    out = {name: Track() for name in scene.shooters}

    def count(duration) -> int:
        if duration.ticks is not None:
            return scene.ticks.edge(duration.ticks)
        return clock.from_seconds(duration)

    for row in sorted(rows, key=lambda row: count(row.t)):
        time = count(row.t)
        seen = scene.ticks.seen(time) if at_ticks else time
        for name in [row.shooter] if row.shooter else out:
            track = out[name]
            if row.cursor is not None:
                track.cursor_times.append(seen)
                track.cursors.append(scene.frame.lift(row.cursor))
            button = row.press or row.tap or row.hold
            if button:
                track.edges.append(Edge(seen, time, button, True))
            if row.release or row.tap or row.hold:
                end = time + count(row.lasts) if row.hold else time
                up = scene.ticks.seen(end) if at_ticks else end
                track.edges.append(Edge(up, end, row.release or button, False))
    for track in out.values():
        track.edges.sort(key=lambda edge: (edge.time, edge.written))
    return out


def presses(track: Track, button: str) -> list[Edge]:
    """Presses of a button: edges down while it is up. A press while it is held is none."""
    held, out = False, []
    for edge in track.edges:
        if edge.button != button:
            continue
        if edge.down and not held:
            out.append(edge)
        held = edge.down
    return out
