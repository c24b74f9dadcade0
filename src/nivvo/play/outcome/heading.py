"""Which way a projectile points while it flies: apart from its velocity, if the drill says so."""

from __future__ import annotations

import numpy as np

from nivvo.core.numbers.frame import Frame, unit
from nivvo.plan.abilities.ability import Heading
from nivvo.record.path import Path

Spans = list[tuple[float, float, int]]
"""From when to when (s) something lay or stuck, and on which body."""


def headings(frame: Frame, heading: Heading, path: Path, launch: np.ndarray, lay: Spans) -> np.ndarray:
    """Unit vectors (n, 3) along which a projectile points at each record of its path, after a ``launch`` (3,).

    lay : while it lay or stuck it does not spin on.
    """
    if heading.follows == "velocity":
        return unit(path.v)
    first = unit(launch)
    if heading.follows == "launch":
        return np.repeat(first[None], len(path.t), axis=0)
    time = path.t.copy()
    for start, end, _ in lay:
        time[(time > start) & (time < end)] = start
    age = np.maximum(time - path.moves_at, 0.0)
    spin, _, mirrors = heading.turning(frame)
    spin = -spin if mirrors and first[0] < 0.0 else spin
    turned = frame.direction(float(frame.direction_of(first)) + np.degrees(spin) * age)
    return turned if frame.size == 2 else frame.raised(turned, float(frame.elevation(first)))


def pointing(frame: Frame, heading: Heading, path: Path, launch: np.ndarray, lay: Spans) -> dict[str, np.ndarray]:
    """Columns of a path: direction and elevation of the heading, its error against the velocity, the model's turn."""
    points, moving = headings(frame, heading, path, launch, lay), unit(path.v)
    d, s = points - moving, points + moving
    error = np.degrees(2.0 * np.arctan2(np.sqrt((d * d).sum(axis=1)), np.sqrt((s * s).sum(axis=1))))
    columns = {"heading_direction": frame.direction_of(points)}
    if frame.size == 3:
        columns["heading_elevation"] = frame.elevation(points)
    columns["heading_error"] = error
    if frame.size == 2:
        front = heading.front
        turn = frame.direction_of(points) - float(np.degrees(np.arctan2(front[1], front[0])))
        columns["model_turn"] = (turn + 180.0) % 360.0 - 180.0
    return columns
