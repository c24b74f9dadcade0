"""The picture of a run: scene, aim, flight, touches, landing, ends; the way up that the game has."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import TYPE_CHECKING

import numpy as np

from nivvo.core.shapes import HALF_SPACE
from nivvo.errors import CallError
from nivvo.play.preview import Preview
from nivvo.play.run import Run
from nivvo.show.files import write_whole
from nivvo.show.outline import flat, half_plane, outline

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK, STONE, SEA, AMBER, RUST, MOSS = "#1b2733", "#8a949c", "#0b6fa4", "#e0a008", "#b8442c", "#3c7d5a"
PICTURES = (".png", ".svg")
MOST_PATHS, MOST_LABELS = 400, 12


@dataclass(frozen=True)
class View:
    """One flat view: the world's vectors that run across and up the picture, labels, and whether y grows down."""

    across: np.ndarray
    upward: np.ndarray
    labels: tuple[str, str]
    title: str
    flipped: bool = False


def views(run: Run) -> list[View]:
    """The views that a run is drawn in: one in 2D; in 3D along the first shot from the side, and from above."""
    frame, unit = run.scene.frame, run.scene.model.world.unit
    x, y = np.array([1.0, 0.0, 0.0]), np.array([0.0, 1.0, 0.0])
    if frame.size == 2:
        down = run.scene.model.world.y == "down" or (frame.view == "top" and run.scene.model.world.y is None)
        title = "from the side" if frame.view == "side" else "from above"
        return [View(x, y, (f"x ({unit})", f"y ({unit})"), title, down)]
    heading = frame.forward
    if run.fired:
        level = frame.level(run.fired[0].velocity)
        length = float(np.sqrt(level @ level))
        heading = level / length if length > 1e-9 else heading
    bearing = float(frame.bearing(heading))
    names = "xyz"
    first, second = (names[int(np.flatnonzero(axis)[0])] for axis in (frame.first, frame.second))
    side = View(
        heading,
        frame.up,
        (f"along the first shot, direction {bearing:.4g}° ({unit})", f"height ({unit})"),
        "from the side",
    )
    # Seen from above with the second axis up the page unless that would mirror the world.
    mirrored = float(np.cross(frame.first, frame.second) @ frame.up) < 0.0
    above = View(frame.first, frame.second, (f"{first} ({unit})", f"{second} ({unit})"), "from above", mirrored)
    return [side, above]


def draw(run: Run, axes: Axes | list[Axes] | None = None, preview: Preview | None = None):
    """Draw a run; returns the axes (a list of two in 3D).

    Parameters
    ----------
    run : Run
    axes : Matplotlib axes to draw on, two in 3D; None makes a figure
    preview : dots to draw beside the flight

    Raises CallError if the number of axes does not fit.
    """
    needed = views(run)
    if axes is None:
        axes = new_figure(len(needed)).axes
    given = list(np.ravel(np.array(axes, dtype=object)))
    if len(given) != len(needed):
        raise CallError(f"this run is drawn on {len(needed)} axes, not {len(given)}")
    for ax, view in zip(given, needed, strict=True):
        _draw_view(ax, view, run, preview)
    _legend(given, run, preview)
    return given[0] if len(given) == 1 else given


def new_figure(count: int) -> Figure:
    """A figure of ``count`` axes, 1280 x 800 pixels, that needs no screen."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    figure = Figure(figsize=(12.8, 8.0), dpi=100, layout="constrained")
    FigureCanvasAgg(figure)
    figure.subplots(count, 1)
    return figure


def save_figure(run: Run, path: str | FilePath, preview: Preview | None = None) -> FilePath:
    """Draw a run into a PNG or SVG file. Raises CallError for another ending, OutputError if it cannot be written."""
    path = FilePath(path)
    if path.suffix.lower() not in PICTURES:
        raise CallError(f"{path.name}: a figure is a file that ends in {' or '.join(PICTURES)}")
    figure = new_figure(len(views(run)))
    draw(run, figure.axes, preview)
    figure.suptitle(f"{FilePath(run.drill).stem} · {run.case}", x=0.01, ha="left", color=INK, fontsize=13, fontweight="bold")
    from matplotlib import rc_context

    plain = {"Date": None} if path.suffix.lower() == ".svg" else {"Software": None}
    with rc_context({"svg.hashsalt": "nivvo"}):
        return write_whole(path, lambda made: figure.savefig(made, metadata=plain))


def _draw_view(ax: Axes, view: View, run: Run, preview: Preview | None) -> None:
    low, high = _limits(view, run, preview)
    ax.set_aspect("equal", adjustable="box")
    ax.set_xlim(low[0], high[0])
    ax.set_ylim(*((high[1], low[1]) if view.flipped else (low[1], high[1])))
    ax.set_xlabel(view.labels[0], color=INK)
    ax.set_ylabel(view.labels[1], color=INK)
    ax.set_title(view.title, loc="right", fontsize=9, color=STONE)
    ax.grid(color="#e4e8eb", linewidth=0.6)
    ax.set_axisbelow(True)
    for spine in ax.spines.values():
        spine.set_color("#c3cad0")
    _bodies(ax, view, run, low, high)
    _flights(ax, view, run, float(max(high - low)))
    if preview is not None and len(preview.points):
        dots = flat(run.scene.frame.lift(preview.points), view.across, view.upward)
        ax.plot(dots[:, 0], dots[:, 1], "o", ms=5, mfc="white", mec=AMBER, mew=1.3, ls="none", zorder=5)
        if preview.landing is not None:
            point = flat(run.scene.frame.lift(preview.landing.point), view.across, view.upward)
            ax.plot(*point, marker="D", ms=11, mfc="none", mec=AMBER, mew=2.0, zorder=7)


def _limits(view: View, run: Run, preview: Preview | None) -> tuple[np.ndarray, np.ndarray]:
    """Corners of the picture: all that matters, and a margin."""
    points = [flat(shot.at, view.across, view.upward)[None] for shot in run.fired]
    points += [flat(run.flight(name).p, view.across, view.upward) for name in list(run.ids.values())[:MOST_PATHS]]
    for path in (run.flight(name) for name in list(run.ids.values())[:MOST_PATHS]):
        times = np.linspace(path.t[0], path.t[-1], 33)
        points.append(flat(path.at(times)[0], view.across, view.upward))
    shots = [shot.cursor for shot in run.fired if shot.cursor is not None]
    points += [flat(cursor, view.across, view.upward)[None] for cursor in shots]
    for row, kind in zip(run.scene.bodies, run.scene.kinds, strict=True):
        if row["kind"] != HALF_SPACE and kind != "obstacle":
            points.append(outline(row, row["c0"], view.across, view.upward))
    seen = np.concatenate(points) if points else np.zeros((1, 2))
    low, high = seen.min(axis=0), seen.max(axis=0)
    near = (high - low).max() + run.scene.metre
    for row, kind in zip(run.scene.bodies, run.scene.kinds, strict=True):
        if row["kind"] != HALF_SPACE and kind == "obstacle":
            edge = outline(row, row["c0"], view.across, view.upward)
            if (edge.min(axis=0) > low - near / 2).all() and (edge.max(axis=0) < high + near / 2).all():
                seen = np.concatenate([seen, edge])
    low, high = seen.min(axis=0), seen.max(axis=0)
    wide = high - low
    least = 0.28 * float(wide.max())
    short = np.maximum(least - wide, 0.0) / 2.0
    margin = 0.07 * float(wide.max()) + 0.3 * run.scene.metre
    return low - short - margin, high + short + margin


def _bodies(ax: Axes, view: View, run: Run, low: np.ndarray, high: np.ndarray) -> None:
    from matplotlib.patches import Polygon

    styles = {
        "obstacle": {"facecolor": "#d9dee2", "edgecolor": STONE, "hatch": "///", "linewidth": 1.2},
        "target": {"facecolor": "#fdf1d0", "edgecolor": RUST, "linewidth": 2.2, "linestyle": (0, (3, 1.5))},
        "shooter": {"facecolor": "#c8dccf", "edgecolor": MOSS, "linewidth": 2.2},
    }
    labels = 0
    for row, name, kind in zip(run.scene.bodies, run.scene.names, run.scene.kinds, strict=True):
        if row["kind"] == HALF_SPACE:
            normal = flat(row["axis0"], view.across, view.upward)
            if np.sqrt(normal @ normal) < 1e-9:
                continue
            edge = half_plane(normal, flat(row["c0"], view.across, view.upward), low, high)
            if len(edge) < 3:
                continue
            inner = edge.mean(axis=0)
        else:
            edge = outline(row, row["c0"], view.across, view.upward)
            inner = edge.mean(axis=0)
        ax.add_patch(Polygon(edge, closed=True, zorder=2 if kind == "obstacle" else 3, **styles[kind]))
        if row["v"].any() and len(run.fired):
            _drift(ax, view, run, row, edge)
        if kind == "target":
            ax.plot(*inner, marker="x", ms=5, color=RUST, zorder=4)
        if kind == "obstacle":
            labels += 1
        if kind != "obstacle" or labels <= MOST_LABELS:
            _name(ax, view, name, edge, inner, row["kind"] == HALF_SPACE)


def _name(ax: Axes, view: View, name: str, edge: np.ndarray, inner: np.ndarray, endless: bool) -> None:
    """Write a body's name: inside what has no end, above all else."""
    top = edge[:, 1].min() if view.flipped else edge[:, 1].max()
    place = (inner[0], inner[1]) if endless else (inner[0], top)
    ax.annotate(
        name,
        place,
        xytext=(0, 0 if endless else 4),
        textcoords="offset points",
        ha="center",
        va="center" if endless else "bottom",
        fontsize=9,
        color=INK,
        zorder=9,
        bbox={"boxstyle": "round,pad=0.15", "fc": "white", "ec": "none", "alpha": 0.75},
        annotation_clip=True,
    )


def _drift(ax: Axes, view: View, run: Run, row: np.void, edge: np.ndarray) -> None:
    """Where a moving body is when the case ends: its outline again, dotted, and an arrow to it."""
    from matplotlib.patches import Polygon

    last = max((row["ended"] for row in run.rows("projectiles")), default=0.0)
    go = flat(row["v"] * last, view.across, view.upward)
    ax.add_patch(Polygon(edge + go, closed=True, fill=False, edgecolor=RUST, linewidth=1.0, linestyle=":", zorder=3))
    middle = edge.mean(axis=0)
    ax.annotate("", middle + go, middle, arrowprops={"arrowstyle": "->", "color": RUST, "lw": 1.0}, zorder=3)


def _flights(ax: Axes, view: View, run: Run, size: float) -> None:
    ids = list(run.ids.items())[:MOST_PATHS]
    few = len(ids) <= 6
    for key, name in ids:
        shot, path = run.by_key[key], run.flight(name)
        times = path.t
        if path.a is not None:
            times = np.union1d(times, np.linspace(path.t[0], path.t[-1], 200))
        line = flat(path.at(times)[0], view.across, view.upward)
        ax.plot(line[:, 0], line[:, 1], color=SEA, linewidth=2.0 if few else 0.9, zorder=6, solid_capstyle="round")
        muzzle = flat(shot.at, view.across, view.upward)
        ax.plot(*muzzle, marker="P", ms=8 if few else 4, color=INK, mec="white", mew=0.8, zorder=8)
        if few:
            aim = flat(shot.heading, view.across, view.upward) * size * 0.12
            tip = muzzle + aim
            if shot.cursor is not None:
                tip = flat(shot.cursor, view.across, view.upward)
                ax.plot(*tip, marker="+", ms=13, mew=2, color=INK, zorder=8)
            ax.plot([muzzle[0], tip[0]], [muzzle[1], tip[1]], color=INK, linewidth=1.0, linestyle=(0, (6, 2, 1, 2)), zorder=5)
    _touches(ax, view, run, size, few)
    _ends(ax, view, run, ids, few)


def _touches(ax: Axes, view: View, run: Run, size: float, few: bool) -> None:
    for row in run.rows("contacts")[:MOST_PATHS]:
        axes = "xyz"[: run.scene.frame.size]
        lift = run.scene.frame.lift
        point = flat(lift([row[axis] for axis in axes]), view.across, view.upward)
        normal = flat(lift([row[f"normal_{axis}"] for axis in axes]), view.across, view.upward) * size * 0.06
        ax.plot(*point, marker="o", ms=7 if few else 4, color=RUST, mec="white", mew=0.8, zorder=10)
        if few:
            ax.annotate("", point + normal, point, arrowprops={"arrowstyle": "-|>", "color": RUST, "lw": 1.6}, zorder=10)


def _ends(ax: Axes, view: View, run: Run, ids, few: bool) -> None:
    """How each flight ended, in words beside its end; equal places share one label."""
    if not few:
        return
    rows = {row["projectile"]: row for row in run.rows("projectiles")}
    placed: list[np.ndarray] = []
    for _, name in ids:
        end = flat(run.flight(name).p[-1], view.across, view.upward)
        ax.plot(*end, marker="s", ms=6, mfc="white", mec=SEA, mew=1.6, zorder=9)
        near = sum(float(np.abs(ax.transData.transform(end) - other).max()) < 60 for other in placed)
        placed.append(ax.transData.transform(end))
        left = (end[0] - ax.get_xlim()[0]) / (ax.get_xlim()[1] - ax.get_xlim()[0]) > 0.5
        ax.annotate(
            f"{name}: {rows[name]['reason']} at {rows[name]['ended']:.3g} s",
            end,
            xytext=(-12 if left else 12, -20 - 15 * near),
            textcoords="offset points",
            ha="right" if left else "left",
            va="top",
            fontsize=9,
            color=SEA,
            zorder=11,
            bbox={"boxstyle": "round,pad=0.2", "fc": "white", "ec": SEA, "lw": 0.6, "alpha": 0.9},
        )


def _legend(axes: list[Axes], run: Run, preview: Preview | None) -> None:
    """One legend, outside the picture, of what is in it."""
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    kinds = set(run.scene.kinds)
    entries = []
    if "shooter" in kinds:
        entries.append(Patch(facecolor="#c8dccf", edgecolor=MOSS, linewidth=2, label="shooter"))
    entries.append(Line2D([], [], marker="P", color=INK, ls="none", ms=8, label="muzzle"))
    entries.append(Line2D([], [], color=INK, lw=1, ls=(0, (6, 2, 1, 2)), label="aim"))
    if any(shot.cursor is not None for shot in run.fired):
        entries.append(Line2D([], [], marker="+", color=INK, ls="none", ms=11, mew=2, label="cursor"))
    entries.append(Line2D([], [], color=SEA, lw=2, label="flight"))
    if preview is not None:
        entries.append(Line2D([], [], marker="o", mfc="white", mec=AMBER, ls="none", label="preview"))
        if preview.landing is not None:
            entries.append(Line2D([], [], marker="D", mfc="none", mec=AMBER, mew=2, ls="none", ms=9, label="landing mark"))
    if run.rows("contacts"):
        entries.append(Line2D([], [], marker="o", color=RUST, ls="none", label="touch, normal"))
    entries.append(Line2D([], [], marker="s", mfc="white", mec=SEA, mew=1.6, ls="none", label="end"))
    if "obstacle" in kinds:
        entries.append(Patch(facecolor="#d9dee2", edgecolor=STONE, hatch="///", label="obstacle"))
    if "target" in kinds:
        entries.append(Patch(facecolor="#fdf1d0", edgecolor=RUST, linewidth=2, linestyle="--", label="target"))
    axes[0].legend(
        handles=entries, loc="lower left", bbox_to_anchor=(0.0, 1.0), ncols=len(entries), fontsize=8.5, frameon=False,
        borderaxespad=0.2, handletextpad=0.5, columnspacing=1.2, labelcolor=INK,
    )  # fmt: skip
