"""The inputs of a case as a track in time: button edges, and where the cursor is when."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass, field

import numpy as np

from nivvo.core import clock
from nivvo.core.frame import Frame, unit
from nivvo.core.stick import angle_of, turned
from nivvo.play.scene import Scene
from nivvo.spec.ability import Aim
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
    stick_times: list[float] = field(default_factory=list)
    sticks: list[list[float]] = field(default_factory=list)

    def stick(self, time: int, aim: Aim, frame: Frame, facing) -> np.ndarray | None:
        """Unit heading (3,) of the stick at ``time``; None before any input, when the facing holds."""
        now = clock.to_seconds(time)
        if not self.stick_times or self.stick_times[0] > now:
            return None
        start = float(frame.bearing(facing))
        plain = aim.snap is None and aim.turn_rate is None
        angle = turned(start, self.stick_times, self.sticks, now, aim.dead_zone, aim.snap, aim.turn_rate)
        pushed = [s for t, s in zip(self.stick_times, self.sticks, strict=True) if t <= now]
        last = next((s for s in reversed(pushed) if angle_of(s, aim.dead_zone, None) is not None), None)
        if last is None:
            return None
        # Where nothing snaps or lags, straight from the stick: mirrored sticks give mirrored headings to the bit.
        return unit(last[0] * frame.first + last[1] * frame.second) if plain else frame.direction(angle)

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
            if row.stick is not None:
                track.stick_times.append(clock.to_seconds(seen))
                track.sticks.append(row.stick)
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
