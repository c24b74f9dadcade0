"""The inputs of a case as changes in time, as the game sees them."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from nivvo.core.numbers import clock
from nivvo.plan.scene import Scene
from nivvo.spec.scenes import case as written
from nivvo.spec.scenes.case import CONTROLS, MOST_MOVES, Input
from nivvo.spec.scenes.values import Duration

__all__ = ["MOST_MOVES", "PRESS", "RELEASE", "Change", "Moved", "changes", "moves"]

PRESS, RELEASE = "press", "release"


class Change(NamedTuple):
    """One thing that a player does.

    time, written : on the clock: when the game sees it, and when it was done. what : "press", "release" or a
    control; value : the button, or where the control is from then on.
    """

    time: int
    written: int
    shooter: str
    what: str
    value: Any


class Moved(NamedTuple):
    """One body that the game moves. time : the start (clock) of the tick over which it goes. goal : (3,), world."""

    time: int
    body: str
    goal: np.ndarray
    jump: bool


def moves(rows: list[written.Moved], scene: Scene) -> tuple[Moved, ...]:
    """All that the game moves, in order of time; at one time in the order in which it is written."""
    out, ticks = [], scene.ticks
    for row in rows:
        start = ticks.seen(_count(scene, row.t))
        for k, place in enumerate(row.through or [row.to]):
            time = ticks.edge(ticks.holding(start) + k)
            out.append(Moved(time, row.body, scene.frame.lift(place), row.jump))
    return tuple(sorted(out, key=lambda one: one.time))


def _count(scene: Scene, duration: Duration) -> int:
    """When (clock) it is a time from the start; of so many ticks their edge."""
    return clock.from_seconds(duration) if duration.ticks is None else scene.ticks.edge(duration.ticks)


def changes(rows: list[Input] | None, scene: Scene, buttons: list[str]) -> list[Change]:
    """All that players do by rows of inputs, in order of time; None: each of some buttons is tapped at 0 s."""
    if rows is None:
        rows = [Input(t=0.0, tap=button) for button in buttons]
    at_ticks = scene.rules.seen_at_ticks
    out: list[Change] = []

    def add(when: int, name: str, what: str, value) -> None:
        out.append(Change(scene.ticks.seen(when) if at_ticks else when, when, name, what, value))

    last: dict[tuple[str, str], tuple[int, Any]] = {}
    for row in sorted(rows, key=lambda row: _count(scene, row.t)):
        time = _count(scene, row.t)
        every = 0 if row.every is None else _count(scene, row.every)
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
                    add(start + _count(scene, row.held) if row.hold else start, name, RELEASE, row.release or button)
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
