"""The picture of launch solutions: their arcs, other elevations at the same speed, and the envelope of its reach."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import TYPE_CHECKING

import numpy as np

from nivvo.core.launching import ballistics
from nivvo.core.launching.air import Air
from nivvo.core.numbers.frame import dot, length_of, sincos
from nivvo.play.aims.arcs import air_of
from nivvo.play.questions.solving import Solution
from nivvo.show.drawing.canvas import check_picture, drawn, new_figure, save_titled
from nivvo.show.drawing.figure import (
    AMBER,
    INK,
    MOSS,
    RUST,
    SEA,
    STONE,
    draw_bodies,
    frame_axes,
    views,
)
from nivvo.show.drawing.labels import Labels
from nivvo.show.drawing.outline import flat

if TYPE_CHECKING:
    from matplotlib.axes import Axes

STYLES = {
    "low": (SEA, "-"),
    "high": (RUST, (0, (8, 2))),
    "least speed": (AMBER, (0, (4, 2, 1, 2))),
    "by elevation": (MOSS, (0, (2, 1.5))),
    "by flight time": (INK, (0, (1, 1))),
    "by apex": ("#7a4f9a", (0, (5, 1, 1, 1, 1, 1))),
    "by arrival": ("#3f3f3f", (0, (2, 2))),
}


@drawn
def draw_fan(found: list[Solution], ax: Axes) -> Axes:
    """Draw solutions on Matplotlib axes, seen from the side (in a flat top view from above); returns the axes."""
    run = found[0].run
    view = views(run)[0]
    frame, unit = run.scene.frame, run.scene.unit
    shot = run.fired[0]
    ability = run.scene.abilities[shot.ability]
    gravity = -float(dot(ability.flight.a, frame.up))
    speed = next((one.speed for one in found if one.how in ("low", "high")), found[0].speed)
    lines = [_line(one, view) for one in found]
    muzzle = flat(shot.at, view.across, view.upward)
    fan, edge = [], None
    if frame.vertical and gravity > 0.0:
        ahead = np.sign(lines[0][-1, 0] - muzzle[0]) or 1.0
        side = np.array([ahead, -1.0 if view.flipped else 1.0])
        air, own = air_of(run.scene, ability, shot.time), ability.inherit_velocity * shot.stance.velocity
        arcs, over = _others(air, speed, gravity, own, (ahead * view.across, frame.up))
        fan, edge = [muzzle + side * arc for arc in arcs], muzzle + side * over
    seen = np.concatenate([*lines, *([edge[[0, -1]]] if edge is not None else [])])
    low, high = frame_axes(ax, view, run, seen)
    labels = Labels(ax)
    for line in fan:
        ax.plot(line[:, 0], line[:, 1], color="#b9c2c9", lw=0.8, zorder=1.5)
    if edge is not None:
        ax.plot(
            edge[:, 0],
            edge[:, 1],
            color=STONE,
            lw=1.4,
            ls=(0, (1, 1.5)),
            label=f"reach at {speed:.4g} {unit}/s",
            zorder=2,
        )
        ax.plot([], [], color="#b9c2c9", lw=0.8, label="other elevations, every 10°")
    for one, line in zip(found, lines, strict=True):
        color, dash = STYLES[one.how]
        words = f"{one.how}: {one.speed:.4g} {unit}/s at {one.elevation:.3g}°, {one.flight_time:.3g} s"
        if one.stopped_by:
            words += f", stopped by {one.stopped_by}"
        ax.plot(line[:, 0], line[:, 1], color=color, ls=dash, lw=2.2, label=words, zorder=6)
    for line in lines:
        labels.avoid(line)
    draw_bodies(ax, view, run, low, high, labels)
    ax.plot(*muzzle, marker="P", ms=9, color=INK, mec="white", ls="none", zorder=8)
    ax.plot(*lines[0][-1], marker="+", ms=15, mew=2.4, color=INK, ls="none", label="point to reach", zorder=9)
    ax.legend(loc="lower left", bbox_to_anchor=(0.0, 1.0), ncols=3, fontsize=8.5, frameon=False, labelcolor=INK)
    return ax


def _others(air: Air, speed: float, gravity: float, own: np.ndarray, axes) -> tuple[list[np.ndarray], np.ndarray]:
    """Arcs (n, 2) of run and rise at elevations ten degrees apart, and the line that none of any elevation crosses.

    own : what a shot inherits (3,). axes : which way a run goes, and up.
    """
    aside, up = axes
    if air.thin and not own.any() and not np.any(air.a - dot(air.a, up) * up):
        run = np.linspace(0.0, float(ballistics.greatest_range(speed, gravity)) * 1.02, 200)
        arcs = [np.stack([run, ballistics.height_at(speed, e, gravity, run)], axis=1) for e in range(10, 90, 10)]
        return arcs, np.stack([run, ballistics.envelope(speed, gravity, run)], axis=1)
    exact, low = Air(air.acts), -0.05 * speed * speed / gravity
    times = np.linspace(0.0, 2.2 * (speed + length_of(own)) / gravity, 160)

    def arc(elevation: float) -> np.ndarray:
        s, c = sincos(elevation)
        p = exact.fly(speed * (c * aside + s * up) + own, times)[0]
        return np.stack([p @ aside, p @ up], axis=1)

    # What it inherits, or a wind, carries ahead what leaves backward too. All that left at once is a line at each time.
    fronts = np.stack([arc(e) for e in np.linspace(0.0, 180.0, 181)], axis=1)
    farthest = float(fronts[fronts[:, :, 1] >= low][:, 0].max())
    run = np.linspace(0.0, farthest * 0.999, 200)
    edge = np.stack([run, np.max([_top(one, run) for one in fronts], axis=0)], axis=1)
    arcs = [arc(e) for e in range(10, 90, 10)]
    return [path[path[:, 1] >= low] for path in arcs], edge


def _top(line: np.ndarray, run: np.ndarray) -> np.ndarray:
    """How high at most a line (n, 2), that may turn back, is at each of some runs; -inf where it never comes."""
    (x, y), (dx, dy) = line[:-1].T, np.diff(line, axis=0).T
    with np.errstate(all="ignore"):
        share = (run[:, None] - x) / dx
        return np.where((share >= 0.0) & (share <= 1.0), y + share * dy, -np.inf).max(axis=1)


def _line(one: Solution, view) -> np.ndarray:
    """The flight of a solution up to its point, whatever stands in the way."""
    # Where its life ends before it arrives, the line ends there too.
    times = np.linspace(one.path.t[0], min(one.path.moves_at + one.flight_time, one.path.t[-1]), 240)
    return flat(one.path.line(times), view.across, view.upward)


def save_fan(found: list[Solution], path: str | FilePath) -> FilePath:
    """Draw solutions into a PNG or SVG file. Raises CallError for another ending, OutputError."""
    check_picture(path)
    figure = new_figure(1, 7.2)
    figure.subplots_adjust(top=0.85)
    draw_fan(found, figure.axes[0])
    run = found[0].run
    title = f"{FilePath(run.drill).stem} · {run.case} · launches of {run.fired[0].ability}"
    return save_titled(figure, path, title)
