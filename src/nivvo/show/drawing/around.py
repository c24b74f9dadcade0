"""Two pictures of a muzzle at all aims: the direction rose of its shots, and its clearance of the shooter's body."""

from __future__ import annotations

from os import PathLike
from pathlib import Path as FilePath
from typing import TYPE_CHECKING

import numpy as np

from nivvo.core.geometry.shapes import gap
from nivvo.errors import CallError
from nivvo.play.questions.clearance import Clearance, Muzzled, muzzled
from nivvo.play.questions.rose import Rose, rose
from nivvo.show.drawing.canvas import check_picture, drawn, new_figure, save_titled
from nivvo.show.drawing.figure import AMBER, INK, MOSS, RUST, SEA, STONE, View, fit_axes, views_of
from nivvo.show.drawing.outline import flat, outline
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill

if TYPE_CHECKING:
    from matplotlib.axes import Axes

TURNED = {"stick": "stick angles", "cursor": "cursors around", "look": "looks around", "facing": "facings"}
RING = 16
"""How many muzzles a clearance picture shows around."""


@checked(found="nivvo.play.questions.rose:Rose")
@drawn
def draw_rose(found: Rose, ax: Axes) -> Axes:
    """Draw a rose on Matplotlib axes: from above, in side view from the side; returns the axes."""
    from matplotlib.patches import Polygon

    scene, unit_ = found.scene, found.scene.unit
    view = views_of(scene, scene.frame.forward, "forward")[-1]
    shots = found.shots
    place = shots[0].stance.place
    speeds = found.speeds
    fast = float(np.nanmax(speeds)) if np.isfinite(speeds).any() else 1.0
    body = scene.bodies[scene.number[shots[0].shooter]]
    edge = outline(body, place, view.across, view.upward)
    middle = flat(place, view.across, view.upward)
    starts = np.array([flat(shot.at, view.across, view.upward) for shot in shots])
    size = max(float(np.abs(edge - middle).max()), float(np.abs(starts - middle).max()))
    long = 1.6 * size
    ax.add_patch(Polygon(edge, closed=True, facecolor="#c8dccf", edgecolor=MOSS, lw=2.2, label="shooter", zorder=3))
    fair = {"color": SEA, "label": f"shot, as long as it is fast (longest {fast:.5g} {unit_}/s)"}
    foul = {"color": RUST, "label": "starts inside its own shooter"}
    through = {"color": RUST, "label": "flies through its own shooter"}
    odd = {"color": AMBER, "label": "held by its limits"}
    seen, tips = set(), [starts]
    for shot, start, angle in zip(shots, starts, found.angles, strict=True):
        wanted = middle + flat(scene.frame.direction(angle), view.across, view.upward) * (size + long) * 1.13
        ax.text(*wanted, f"{angle:g}°", ha="center", va="center", fontsize=8, color="#5f6a73")
        if shot.refused:
            ax.plot(*start, marker="x", ms=9, mew=2, color=RUST, zorder=7, label=_once(seen, "refused"))
            continue
        style = foul if shot.clearance < 0.0 else through if _crosses(found, shot, long) else fair
        style = odd if style is fair and shot.remains > 0.0 else style
        tip = start + flat(shot.heading, view.across, view.upward) * long * shot.speed / fast
        tips.append(tip[None])
        ax.plot(
            *zip(start, tip, strict=True), color=style["color"], lw=1.8, zorder=5, label=_once(seen, style["label"])
        )
        arrow = {"arrowstyle": "-|>", "color": style["color"], "lw": 1.8, "mutation_scale": 13}
        ax.annotate("", tip, start + 0.9 * (tip - start), arrowprops=arrow, zorder=5)
        ax.plot(
            *start, marker="X" if style is foul else "P", ms=8, color=style["color"], mec="white", mew=0.7, zorder=7
        )
    labels = [middle[None] + (size + long) * 1.2 * np.array([[-1.0, -1.0], [1.0, 1.0]])]
    all_ = np.concatenate([edge, *tips, *labels])
    fit_axes(ax, view, all_.min(axis=0), all_.max(axis=0))
    least, known = float(np.nanmin(found.clearances)), speeds[np.isfinite(speeds)]
    fast = ""
    if len(known):
        low, high = float(known.min()), float(known.max())
        even = high - low <= 1e-9 * high
        fast = f"all at {high:.5g} {unit_}/s; " if even else f"speeds from {low:.5g} to {high:.5g} {unit_}/s; "
    words = f"{len(shots)} shots; {fast}least clearance {least:.4g} {unit_}"
    ax.text(0.012, 0.98, words, transform=ax.transAxes, va="top", fontsize=9.5, color=INK)
    ax.legend(loc="lower left", bbox_to_anchor=(0.0, 1.0), ncols=5, fontsize=8.5, frameon=False, labelcolor=INK)
    return ax


def _crosses(found: Rose, shot, long: float) -> bool:
    """Whether the straight way of a shot passes through its own shooter."""
    body = found.scene.bodies[found.scene.number[shot.shooter]].copy()
    body["c"] = shot.stance.place
    way = shot.at + np.linspace(0.0, 2.0 * long, 64)[:, None] * shot.heading
    return bool(gap(body, way).min() < 0.0)


def _once(seen: set[str], word: str) -> str:
    """A label for the legend the first time, none after that."""
    new = word not in seen
    seen.add(word)
    return word if new else "_"


@checked
@drawn
def draw_clearance(
    drill: Drill | str | PathLike[str], axes: Axes | list[Axes], case: str | None = None, ability: str | None = None
) -> Clearance:
    """Draw an ability's muzzle at its aims or facings against its shooter's body, on axes: one in 2D, two in 3D.

    Returns what was drawn. Raises CallError for unknown names and for another number of axes.
    """
    return _draw_clearance(muzzled(drill, case, ability), axes).clearance


@drawn
def _draw_clearance(found: Muzzled, axes) -> Muzzled:
    axes = list(np.ravel(np.array(axes, dtype=object)))
    if len(axes) != (needed := 1 if found.scene.frame.size == 2 else 2):
        raise CallError(f"a clearance is drawn on {needed} axes here, not {len(axes)}")
    scene = found.scene
    for ax, view in zip(axes, views_of(scene, found.stance.facing, "along the facing"), strict=True):
        _draw_around(found, ax, view)
    unit_, clear = scene.unit, found.clearance
    words = f"least gap {clear.least:.4g} {unit_} at direction {clear.direction:.4g}°"
    if scene.frame.size == 3:
        words += f", elevation {clear.elevation:.4g}°"
    if np.isfinite(clear.clear_forward):
        words += (
            f"; forward = {clear.clear_forward:.4g} {unit_} is the least that clears (now {found.stance.offset[0]:.4g})"
        )
    axes[0].text(0.012, 0.98, words, transform=axes[0].transAxes, va="top", fontsize=9.5, color=INK)
    axes[0].legend(loc="lower left", bbox_to_anchor=(0.0, 1.0), ncols=5, fontsize=8.5, frameon=False, labelcolor=INK)
    return found


def _draw_around(found: Muzzled, ax: Axes, view: View) -> None:
    from matplotlib.patches import Circle, Polygon

    scene, clear, stance = found.scene, found.clearance, found.stance
    body = scene.bodies[scene.number[stance.shooter]]
    edge = outline(body, stance.place, view.across, view.upward)
    ax.add_patch(Polygon(edge, closed=True, facecolor="#c8dccf", edgecolor=MOSS, lw=2.2, label="shooter", zorder=3))
    out = np.cross(view.across, view.upward)
    tips = found.tips
    # Only what lies in the plane of the picture can be judged in it.
    near = np.abs((clear.headings) @ out) < 1e-6
    chosen = np.flatnonzero(near)
    chosen = chosen[:: max(len(chosen) // RING, 1)]
    worst = int(np.argmin(clear.gaps))
    chosen = np.unique(np.append(chosen, worst if near[worst] else chosen[:0])).astype(int)
    seen: set[str] = set()
    points = flat(tips, view.across, view.upward)
    ax.plot(*points[near].T, ".", ms=2.5, color=INK, zorder=4, label=_once(seen, f"muzzle, at each {clear.turns_with}"))
    if not near.any():
        ax.plot(*points.T, ".", ms=2.5, color=STONE, zorder=4)
        words = "no aim lies in this plane: where the muzzle is, off it"
        ax.text(0.012, 0.96, words, transform=ax.transAxes, va="top", fontsize=9.5, color=INK)
    for k in chosen:
        inside = clear.gaps[k] < 0.0
        ring = {"facecolor": "#e9b8ab" if inside else "none", "edgecolor": RUST if inside else SEA}
        word = "projectile, overlapping" if inside else "projectile, clear"
        ball = Circle(points[k], found.radius, lw=1.6, hatch="xxx" if inside else None, zorder=5, **ring)
        ball.set_label(_once(seen, word))
        ax.add_patch(ball)
        if found.length:
            tail = points[k] - flat(clear.headings[k], view.across, view.upward) * found.length
            ax.plot(
                *zip(points[k], tail, strict=True), color=ring["edgecolor"], lw=2.4, zorder=5, solid_capstyle="round"
            )
    pivot = flat(stance.origin, view.across, view.upward)
    ax.plot(*pivot, marker="+", ms=11, mew=2, color=INK, ls="none", zorder=6, label=_once(seen, "pivot"))
    if near[worst]:
        ax.plot(*points[worst], marker="D", ms=11, mfc="none", mec=AMBER, mew=2, ls="none", zorder=7, label="least gap")
    both = np.concatenate([edge, points - found.radius, points + found.radius])
    low, high = both.min(axis=0), both.max(axis=0)
    margin = 0.15 * float((high - low).max())
    fit_axes(ax, view, low - margin, high + margin)


def save_rose(drill: Drill, path: str | FilePath, case: str | None = None, ability: str | None = None) -> FilePath:
    """Draw the rose of an ability into a PNG or SVG file. Raises CallError, OutputError."""
    check_picture(path)
    found = rose(drill, case, ability)
    figure = new_figure(1)
    draw_rose(found, figure.axes[0])
    what = f"{found.ability} at {len(found.shots)} {TURNED[found.turned]}"
    return save_titled(figure, path, f"{FilePath(drill.name).stem} · {drill.case_name(case)} · {what}")


def save_clearance(drill: Drill, path: str | FilePath, case: str | None = None, ability: str | None = None) -> FilePath:
    """Draw the clearance of an ability's muzzle into a PNG or SVG file. Raises CallError, OutputError."""
    check_picture(path)
    figure = new_figure(drill.model.world.size - 1)
    found = _draw_clearance(muzzled(drill, case, ability), list(figure.axes))
    title = f"{FilePath(drill.name).stem} · {drill.case_name(case)} · clearance of {found.ability}"
    return save_titled(figure, path, f"{title} from the {found.stance.muzzle} muzzle")
