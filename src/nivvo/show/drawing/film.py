"""A film strip: the scene at chosen instants, side by side, all in one scale."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as FilePath
from typing import TYPE_CHECKING

import numpy as np

from nivvo.core.geometry.shapes import HALF_SPACE
from nivvo.core.numbers.clock import from_seconds
from nivvo.errors import CallError
from nivvo.play.outcome.run import Run
from nivvo.show.drawing.canvas import INK, check_picture, drawn, new_figure, save_titled
from nivvo.show.drawing.figure import MOSS, RUST, SEA, STONE, View, limits_of, views
from nivvo.show.drawing.outline import flat, half_plane, outline
from nivvo.spec.arguments import checked

if TYPE_CHECKING:
    from matplotlib.axes import Axes

FRAMES = 6
MOST = 24
STYLES = {"obstacle": ("#d9dee2", STONE), "target": ("#fdf1d0", RUST), "shooter": ("#c8dccf", MOSS)}


def instants(run: Run, times=None, count: int = FRAMES) -> np.ndarray:
    """The instants (s) of a strip: those given, else ``count`` evenly from the first launch to the last end.

    Raises CallError for none, too many, or times that are no numbers.
    """
    if times is not None:
        try:
            out = np.asarray(times, dtype=float).reshape(-1)
        except (TypeError, ValueError, OverflowError):
            raise CallError("the instants of a strip are seconds, as [0.2, 0.5]") from None
        if not len(out) or len(out) > MOST or not np.isfinite(out).all():
            raise CallError(f"a strip has 1 to {MOST} instants, in seconds")
        return out
    rows = run.rows("projectiles")
    if not rows:
        return np.zeros(1)
    return np.linspace(min(row["launched"] for row in rows), max(row["ended"] for row in rows), count)


@checked
@drawn
def draw_film(run: Run, axes: list[Axes], times: Sequence[float] | None = None) -> list[Axes]:
    """Draw a run at instants (s), one on each of as many axes: bodies, projectiles, and the way they have come."""
    view, axes = views(run)[0], list(np.ravel(np.array(axes, dtype=object)))
    shown = instants(run, times, len(axes))
    if len(shown) != len(axes):
        raise CallError(f"{len(shown)} instants are drawn on {len(shown)} axes, not {len(axes)}")
    low, high = limits_of(view, run)
    for ax, time in zip(axes, shown, strict=True):
        _frame(ax, view, run, float(time), low, high)
    return axes


def _frame(ax: Axes, view: View, run: Run, time: float, low: np.ndarray, high: np.ndarray) -> None:
    from matplotlib.patches import Polygon

    ax.set_aspect("equal", adjustable="box")
    ax.set_xlim(low[0], high[0])
    ax.set_ylim(*((high[1], low[1]) if view.flipped else (low[1], high[1])))
    now = from_seconds(max(time, 0.0))
    for number, (row, name, kind) in enumerate(zip(run.scene.bodies, run.scene.names, run.scene.kinds, strict=True)):
        if not any(start <= now < end for start, end in run.there[name]):
            continue
        fill, edge = STYLES[kind]
        if row["kind"] == HALF_SPACE:
            normal = flat(row["axis0"], view.across, view.upward)
            if np.sqrt(normal @ normal) < 1e-9:
                continue
            shape = half_plane(normal, flat(row["c0"], view.across, view.upward), low, high)
        else:
            place = run.stage.motions[number].seen(max(time, 0.0))[0]
            row = run.stage.row(number, now)
            shape = outline(row, place, view.across, view.upward)
        if len(shape) > 2:
            ax.add_patch(Polygon(shape, closed=True, facecolor=fill, edgecolor=edge, linewidth=1.2, zorder=2))
    for key, name in run.ids.items():
        path = run.whole_flight(name)
        if path.t[0] > time:
            continue
        seen = np.linspace(path.t[0], min(time, path.t[-1]), 80)
        line = flat(path.line(seen), view.across, view.upward)
        ax.plot(line[:, 0], line[:, 1], color=SEA, lw=1.0, alpha=0.7, zorder=5)
        if time <= path.t[-1]:
            ax.plot(*line[-1], marker="o", ms=4, color=SEA, mec=INK, mew=0.6, zorder=6)
        elif run.record.flown(key).body >= 0:
            ax.plot(*line[-1], marker="x", ms=6, color=RUST, mew=1.6, zorder=6)
    ax.set_title(f"{time:.3g} s", fontsize=9, color=INK, loc="left", pad=3)
    ax.tick_params(labelsize=7, length=2)
    for spine in ax.spines.values():
        spine.set_color("#c3cad0")


def save_film(run: Run, path: str | FilePath, times=None) -> FilePath:
    """Draw a strip into a PNG or SVG file. Raises CallError, OutputError."""
    path = check_picture(path)
    shown = instants(run, times)
    view = views(run)[0]
    low, high = limits_of(view, run)
    across = min(3, len(shown))
    rows = -(-len(shown) // across)
    wide, tall = high - low
    height = min(max(rows * (12.0 / across) * tall / wide + 0.5 * rows + 0.7, 3.5), 14.0)
    figure = new_figure(1, height)
    figure.clear()
    axes = figure.subplots(rows, across, squeeze=False).ravel()
    figure.subplots_adjust(left=0.04, right=0.985, top=1 - 0.75 / height, bottom=0.6 / height, hspace=0.3, wspace=0.12)
    for ax in axes[len(shown) :]:
        ax.set_visible(False)
    draw_film(run, list(axes[: len(shown)]), shown)
    grows = "down" if view.flipped else "up"
    words = (
        f"{view.title}, {view.labels[0]} across, {view.labels[1]} {grows}; a dot flies, a cross has touched something"
    )
    figure.text(0.04, 0.12 / height, words, fontsize=8, color="#5f6a73")
    return save_titled(figure, path, f"{FilePath(run.drill).stem} · {run.case}")
