"""The picture of a run: scene, aim, flight, touches, landing, ends; the way up that the game has."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

import numpy as np

from nivvo.core.geometry.shapes import BALL, BOX, HALF_SPACE, support
from nivvo.core.numbers.clock import UNITS, to_seconds
from nivvo.core.numbers.frame import length_of
from nivvo.core.pool import (
    ANCHORED,
    BLINKED,
    BODY,
    BURST,
    CONTACT,
    LOCKED,
    LOST_TARGET,
    OVERLAP,
    SCORED,
    SLIPPED,
    WENT_THROUGH,
    zeros,
)
from nivvo.errors import CallError
from nivvo.plan.abilities.effects import Score
from nivvo.plan.scene import Scene
from nivvo.play.aims.aiming import Shot
from nivvo.play.aims.seeking import angle_between
from nivvo.play.outcome.happened import radius_of, sender_of, time_of
from nivvo.play.outcome.run import Run
from nivvo.play.preview import Preview
from nivvo.show.drawing.canvas import check_picture, drawn, mark, new_figure, save_titled
from nivvo.show.drawing.labels import Labels
from nivvo.show.drawing.outline import flat, half_plane, outline
from nivvo.spec.arguments import checked

if TYPE_CHECKING:
    from matplotlib.axes import Axes

INK, STONE, SEA, AMBER, RUST, MOSS = "#1b2733", "#8a949c", "#0b6fa4", "#e0a008", "#b8442c", "#3c7d5a"
MOST_PATHS, MOST_LABELS, FEW, FEW_TOUCHES = 400, 12, 6, 3
STACKED, SIDE_BY_SIDE = (1180, 295), (565, 660)
"""Pixels of each of two views that stand above one another, or beside."""

SMALL = 24.0
"""Pixels: what is smaller has a thin outline without dashes."""

LEAST_OFF = 0.3
"""Metres off the plane of a view from which on a body is drawn faint, and told how far off."""

FARTHER = 6.0
"""Times what else there is, from which on an aim point lies too far off to be in the picture."""

SENT = (0, (1, 1))


@dataclass(frozen=True)
class View:
    """One flat view: the world's vectors that run across and up the picture, labels, and whether y grows down.

    through : a point (3,) of the plane that is looked at, where bodies may be off it; None where none is. hand : 1 of a
    right-handed world, -1 of a left-handed one.
    """

    across: np.ndarray
    upward: np.ndarray
    labels: tuple[str, str]
    title: str
    flipped: bool = False
    through: np.ndarray | None = None
    hand: int = 1

    def off(self, row) -> float:
        """How far (units) a body is off the plane that is looked at: above 0 behind it, below 0 before it."""
        if self.through is None or row["kind"] == HALF_SPACE:
            return 0.0
        n = self.hand * np.cross(self.upward, self.across)
        far = float(n @ (row["c0"] + row["arm"] - self.through))
        toward = tuple((n if far < 0.0 else -n).tolist())
        return float(np.sign(far)) * max(abs(far) - support(row, toward), 0.0)


def views(run: Run) -> list[View]:
    """The views that a run is drawn in: one in 2D; in 3D along the first shot from the side, and from above."""
    heading = run.scene.frame.forward
    if run.fired:
        level = run.scene.frame.level(run.fired[0].velocity)
        length = float(np.sqrt(level @ level))
        heading = level / length if length > 1e-9 else heading
    through = run.fired[0].at if run.fired else None
    return views_of(run.scene, heading, "along the first shot", through)


def views_of(scene: Scene, heading: np.ndarray, what: str, through: np.ndarray | None = None) -> list[View]:
    """The views of a scene: one in 2D; in 3D from the side along a level ``heading`` (3,), and from above."""
    frame, unit = scene.frame, scene.unit
    x, y = np.array([1.0, 0.0, 0.0]), np.array([0.0, 1.0, 0.0])
    if frame.size == 2:
        down = scene.down
        title = "from the side" if frame.view == "side" else "from above"
        return [View(x, y, (f"x ({unit})", f"y ({unit})"), title, down)]
    bearing = float(frame.direction_of(heading))
    names = "xyz"
    first, second = (names[int(np.flatnonzero(axis)[0])] for axis in (frame.first, frame.second))
    side = View(
        heading,
        frame.up,
        (f"{what}, direction {bearing:.4g}° ({unit})", f"height ({unit})"),
        "from the side",
        through=through,
        hand=frame.hand,
    )
    # Seen from above with the second axis up the page unless that would mirror the world.
    mirrored = frame.hand * float(np.cross(frame.first, frame.second) @ frame.up) < 0.0
    above = View(frame.first, frame.second, (f"{first} ({unit})", f"{second} ({unit})"), "from above", mirrored)
    return [side, above]


@checked
@drawn
def draw(run: Run, axes: Axes | list[Axes] | None = None, preview: Preview | None = None) -> Axes | list[Axes]:
    """Draw a run; returns the axes (a list of two in 3D).

    Parameters
    ----------
    run : Run
    axes : Matplotlib axes to draw on, two in 3D; None makes a figure
    preview : dots to draw beside the flight

    Raises CallError if the number of axes does not fit.
    """
    needed = views(run)
    limits = [limits_of(view, run) for view in needed]
    if axes is None:
        axes = new_figure(len(needed), beside=_beside(limits)).axes
    given = list(np.ravel(np.array(axes, dtype=object)))
    if len(given) != len(needed):
        raise CallError(f"this run is drawn on {len(needed)} axes, not {len(given)}")
    _draw(run, given, needed, limits, preview)
    return given[0] if len(given) == 1 else given


def _draw(run: Run, axes: list[Axes], needed: list[View], limits: list, preview: Preview | None) -> None:
    for ax, view, corners in zip(axes, needed, limits, strict=True):
        _draw_view(ax, view, run, corners, preview, worded=ax is axes[0])
    aims = any(_aim_in(axes[0], needed[0], shot) is not None for shot in run.fired)
    _legend(axes, run, preview, aims)


def _beside(limits: list[tuple[np.ndarray, np.ndarray]]) -> bool:
    """Whether views with these corners are larger if they are drawn beside one another."""
    if len(limits) == 1:
        return False
    sizes = [high - low for low, high in limits]
    above, beside = (min(float(np.min(room / size)) for size in sizes) for room in (STACKED, SIDE_BY_SIDE))
    return beside > above


def save_figure(run: Run, path: str | FilePath, preview: Preview | None = None) -> FilePath:
    """Draw a run into a PNG or SVG file. Raises CallError for another ending, OutputError if it cannot be written."""
    path = check_picture(path)
    needed = views(run)
    limits = [limits_of(view, run) for view in needed]
    tall, beside = 8.0, _beside(limits)
    if len(needed) == 1 or beside:
        high = max(float((high[1] - low[1]) / (high[0] - low[0])) for low, high in limits)
        tall = min(max((5.65 if beside else 11.8) * high + 1.4, 4.5), 8.0)
    figure = new_figure(len(needed), tall, beside)
    _draw(run, figure.axes, needed, limits, preview)
    return save_titled(figure, path, f"{FilePath(run.drill).stem} · {run.case}")


def _draw_view(ax: Axes, view: View, run: Run, limits, preview: Preview | None, worded: bool) -> None:
    low, high = fit_axes(ax, view, *limits)
    labels = Labels(ax)
    labels.fixed(_view_name(ax, view))
    _breezes(ax, view, run)
    outlines = _bodies(ax, view, run, low, high)
    _flights(ax, view, run, float(max(high - low)), labels)
    if preview is not None and len(preview.points):
        dots = flat(run.scene.frame.lift(preview.points), view.across, view.upward)
        mark(ax, dots[:, 0], dots[:, 1], marker="o", ms=6, mfc="white", mec=AMBER, mew=1.5, ls="none", zorder=7)
        if preview.landing is not None:
            point = flat(run.scene.frame.lift(preview.landing.point), view.across, view.upward)
            mark(ax, *point, marker="D", ms=13, mfc="none", mec=AMBER, mew=2.0, zorder=9)
    _names(outlines, labels)
    _ends(view, run, labels, ax, worded)


def _breezes(ax: Axes, view: View, run: Run) -> None:
    """Regions with a wind of their own: their outline, which way it blows and how fast."""
    from matplotlib.patches import Polygon

    for zone in run.scene.zones:
        row = zeros(1, BODY)[0]
        row["kind"], row["half"], row["radius"] = BOX if zone[12:15].any() else BALL, zone[12:15], zone[18]
        row["axis0"], row["axis1"], row["axis2"] = zone[3:12].reshape(3, 3)
        edge = outline(row, zone[:3], view.across, view.upward)
        ax.add_artist(Polygon(edge, closed=True, facecolor=SEA, alpha=0.07, edgecolor="none", zorder=1))
        ax.add_artist(Polygon(edge, closed=True, fill=False, edgecolor=SEA, lw=0.9, ls=(0, (1, 3)), zorder=1))
        way, middle = flat(zone[15:18], view.across, view.upward), flat(zone[:3], view.across, view.upward)
        size = float(np.sqrt(way @ way))
        if size > 0.0:
            half = 0.3 * float((edge.max(axis=0) - edge.min(axis=0)).min()) * way / size
            arrow = {"arrowstyle": "-|>", "color": SEA, "lw": 1.4, "alpha": 0.6}
            ax.annotate("", middle + half, middle - half, arrowprops=arrow, zorder=2)
            text = f"{length_of(zone[15:18]):.3g} {run.scene.unit}/s"
            style = {"fontsize": 8, "color": SEA, "ha": "center", "va": "top", "zorder": 4}
            ax.annotate(text, middle - half, (0, -4), textcoords="offset points", **style)


def frame_axes(ax: Axes, view: View, run: Run, more: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Set limits, aspect, labels and grid of axes for a view of a run (and ``more`` points); returns the limits."""
    return fit_axes(ax, view, *limits_of(view, run, more))


def fit_axes(ax: Axes, view: View, low: np.ndarray, high: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Set limits (at least low..high), aspect, labels and grid of axes for a view; returns the limits."""
    low, high = _filled(ax, low, high)
    ax.set_aspect("equal", adjustable="box")
    ax.set_xlim(low[0], high[0])
    ax.set_ylim(*((high[1], low[1]) if view.flipped else (low[1], high[1])))
    ax.set_xlabel(view.labels[0], color=INK)
    ax.set_ylabel(view.labels[1], color=INK)
    ax.grid(color="#e4e8eb", linewidth=0.6)
    ax.set_axisbelow(True)
    for spine in ax.spines.values():
        spine.set_color("#c3cad0")
    ax.apply_aspect()
    return low, high


def _view_name(ax: Axes, view: View):
    return ax.text(0.992, 0.975, view.title, transform=ax.transAxes, ha="right", va="top", fontsize=9, color="#5f6a73")


def draw_bodies(ax: Axes, view: View, run: Run, low: np.ndarray, high: np.ndarray, labels: Labels) -> None:
    """Draw all bodies of a run's scene and their names."""
    _names(_bodies(ax, view, run, low, high), labels)


def limits_of(view: View, run: Run, more: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Corners of the picture: all that matters, and a margin."""
    points = [flat(shot.at, view.across, view.upward)[None] for shot in run.fired]
    points += [
        flat(run.whole_flight(name).drawn, view.across, view.upward) for name in list(run.ids.values())[:MOST_PATHS]
    ]
    for number, (row, kind) in enumerate(zip(run.scene.bodies, run.scene.kinds, strict=True)):
        if row["kind"] != HALF_SPACE and kind != "obstacle":
            points.append(outline(row, row["c0"], view.across, view.upward))
        if number in run.stage.loose.of:
            there = run.stage.motions[number].seen(until(run, number, 0.0))[0]
            points.append(outline(row, there, view.across, view.upward))
    points += [] if more is None else [more]
    seen = np.concatenate(points) if points else np.zeros((1, 2))
    low, high = np.nanmin(seen, axis=0), np.nanmax(seen, axis=0)
    near = (high - low).max() + run.scene.metre
    aims = [flat(shot.aim_point, view.across, view.upward) for shot in run.fired if shot.aim_point is not None]
    # Of a sight that meets nothing the far point is left out: all else would be a speck.
    aims = [aim for aim in aims if (aim > low - FARTHER * near).all() and (aim < high + FARTHER * near).all()]
    seen = np.stack([low, high, *aims])
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


def _while(run: Run, number: int) -> str:
    """From when and until when a body is there, if it comes or goes by itself, in words after its name."""
    body = run.scene.planned[number]
    comes = f"from {to_seconds(body.arrives):.4g}" if body.arrives and number not in run.stage.waves else ""
    goes = "" if body.leaves is None else f"until {to_seconds(body.leaves):.4g}"
    return f", {' '.join(filter(None, (comes, goes)))} s" if comes or goes else ""


def _filled(ax: Axes, low: np.ndarray, high: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Limits widened so that the picture fills its axes."""
    room = ax.get_window_extent()
    wide = high - low
    wanted = np.maximum(wide, wide[::-1] * np.array([room.width / room.height, room.height / room.width]))
    more = (wanted - wide) / 2.0
    return low - more, high + more


def _bodies(ax: Axes, view: View, run: Run, low: np.ndarray, high: np.ndarray) -> list[tuple[str, np.ndarray, bool]]:
    """Draw all bodies; returns (name, outline, endless) of those that are to be named."""
    from matplotlib.patches import Circle, Polygon

    styles = {
        "obstacle": {"facecolor": "#d9dee2", "edgecolor": STONE, "hatch": "///", "linewidth": 1.2},
        "target": {"facecolor": "#fdf1d0", "edgecolor": RUST, "linewidth": 2.2, "linestyle": (0, (3, 1.5))},
        "shooter": {"facecolor": "#c8dccf", "edgecolor": MOSS, "linewidth": 2.2},
    }
    last = max((row["ended"] for row in run.rows("projectiles")), default=0.0)
    named: list[tuple[str, np.ndarray, bool]] = []
    obstacles, ways, middles = 0, _Ways(), []
    for number, (row, name, kind) in enumerate(zip(run.scene.bodies, run.scene.names, run.scene.kinds, strict=True)):
        endless = row["kind"] == HALF_SPACE
        if endless:
            normal = flat(row["axis0"], view.across, view.upward)
            if np.sqrt(normal @ normal) < 1e-9:
                continue
            edge = half_plane(normal, flat(row["c0"], view.across, view.upward), low, high)
            if len(edge) < 3:
                continue
        else:
            edge = outline(row, row["c0"], view.across, view.upward)
        off = view.off(row)
        faint = {} if abs(off) < LEAST_OFF * run.scene.metre else {"alpha": 0.3}
        if (np.ptp(ax.transData.transform(edge), axis=0) < SMALL).all():
            faint |= {"linewidth": 1.2, "linestyle": "-"}
        ax.add_artist(Polygon(edge, closed=True, zorder=2 if kind == "obstacle" else 3, **(styles[kind] | faint)))
        if run.stage.motions[number].moves and len(run.fired):
            gone = min([last, *(end / UNITS for _, end in run.there[name][-1:])])
            _drift(ways, view, run, number, edge, RUST if kind != "shooter" else MOSS, gone)
        if kind == "target":
            middles.append(edge.mean(axis=0))
        if number in run.stage.turning:
            centre, reach = flat(row["c0"], view.across, view.upward), run.stage.reach(number)
            ax.add_artist(Circle(centre, reach, fill=False, edgecolor=STONE, lw=1.0, ls=":", zorder=2))
            _as_touched(ways, view, run, number, STONE if kind == "obstacle" else RUST)
        wave = run.stage.waves.get(number)
        if wave is not None and len(wave.bodies) > 1:
            if number != wave.bodies[0]:
                continue
            name, off = f"{wave.name}, {len(wave.bodies)} of them", 0.0
        whole = run.scene.whole.get(name, [number])
        if number != whole[len(whole) // 2]:
            # Of several shapes that are one body one bears its name.
            continue
        obstacles += kind == "obstacle"
        seen = (edge.max(axis=0) > low).all() and (edge.min(axis=0) < high).all()
        if kind == "obstacle" and not endless and ((edge.max(axis=0) - edge.min(axis=0)) > 0.5 * (high - low)).any():
            # What fills much of the picture is named inside, like what has no end.
            edge, endless = np.clip(edge, low, high), True
        if seen and (kind != "obstacle" or obstacles <= MOST_LABELS):
            where = f", {abs(off):.3g} {run.scene.unit} {'behind' if off > 0.0 else 'before'}" if faint and off else ""
            named.append((name + where + _while(run, number), edge, endless))
    mark(ax, *np.reshape(middles, (-1, 2)).T, marker="x", ms=5, color=RUST, ls="none", zorder=4)
    ways.draw(ax)
    return named


def _names(outlines: list[tuple[str, np.ndarray, bool]], labels: Labels) -> None:
    """Write each body's name beside it; inside what has no end."""
    for _, edge, endless in outlines:
        if not endless:
            labels.avoid(np.concatenate([edge, edge.mean(axis=0)[None], (edge + edge.mean(axis=0)) / 2.0]))
    for name, edge, endless in outlines:
        place = edge.mean(axis=0)[None] if endless else edge
        plate = {"boxstyle": "round,pad=0.15", "fc": "white", "ec": "none", "alpha": 0.85}
        labels.place(name, place, fontsize=9, color=INK, zorder=10.5, bbox=plate)


WAY = "way of a body"


class _Ways:
    """Ways of moving bodies, drawn together, since there may be hundreds: a list of lines (n, 2) by their style."""

    HEAD = 5.0
    """Length of an arrow's head, points."""

    def __init__(self):
        self.lines: dict[tuple[str, float, Any], list[np.ndarray]] = {}
        self.arrows: list[tuple[str, np.ndarray, np.ndarray]] = []

    def add(self, color: str, wide: float, dashes: Any, line: np.ndarray) -> None:
        """A line (n, 2)."""
        self.lines.setdefault((color, wide, dashes), []).append(line)

    def draw(self, ax: Axes) -> None:
        """Draw them all, and the heads of arrows, on axes whose limits are set."""
        from matplotlib.collections import LineCollection

        for color, before, tip in self.arrows:
            ends = ax.transData.transform([before, tip])
            way = ends[0] - ends[1]
            way *= self.HEAD * ax.figure.dpi / 72.0 / max(float(np.sqrt(way @ way)), 1e-9)
            aside = 0.5 * np.array([-way[1], way[0]])
            head = ax.transData.inverted().transform([ends[1] + way + aside, ends[1], ends[1] + way - aside])
            self.add(color, 1.0, "-", head)
        for (color, wide, dashes), lines in self.lines.items():
            look = {"colors": color, "linewidths": wide, "linestyles": dashes, "label": WAY if dashes == ":" else ""}
            ax.add_collection(LineCollection(lines, zorder=3, **look), False)


def _drift(ways: _Ways, view: View, run: Run, number: int, edge: np.ndarray, color: str, last: float) -> None:
    """The way of a moving body until it is out or the case ends (s): its outline there, dotted, and a line to it.

    Who walks through openings goes on where he comes out, till the case is over.
    """
    begins = run.stage.arrived.get(number)
    if begins is None:
        return
    motion, begins = run.stage.motions[number], min(to_seconds(begins), last)
    last = until(run, number, last)
    events = run.record.events
    doors = events[(events["kind"] == WENT_THROUGH) & (events["code"] == 1) & (events["body"] == number)]["start"]
    last = max(last, to_seconds(run.until)) if len(doors) else last
    start = motion.seen(begins)[0]
    closed, middle = np.vstack([edge, edge[:1]]), edge.mean(axis=0)
    for since, till in itertools.pairwise([begins * UNITS, *doors.tolist(), last * UNITS + 1]):
        way = flat(motion.along(np.linspace(since, till - 1, 120))[0] - start, view.across, view.upward)
        if np.ptp(way, axis=0).any():
            ways.add(color, 1.0, ":", way + middle)
    if np.ptp(way, axis=0).any() or len(doors):
        ways.add(color, 1.0, ":", closed + way[-1])
    for shot in [shot for shot in run.fired if shot.shooter == run.scene.names[number]][:FEW]:
        there = flat(shot.stance.place - start, view.across, view.upward)
        ways.add(color, 1.4, "--", closed + there)
    if np.abs(way[-1] - way[-12]).max() > 0.0:
        ways.arrows.append((color, middle + way[-12], middle + way[-1]))


def _as_touched(ways: _Ways, view: View, run: Run, number: int, color: str) -> None:
    """The outline of a body that turns as it stood when it was touched, the first few times."""
    events = run.record.events
    touches = events[(events["body"] == number) & np.isin(events["kind"], (CONTACT, OVERLAP))][:FEW_TOUCHES]
    for time in map(time_of, touches):
        row, place = run.stage.row(number, time * UNITS), run.stage.motions[number].seen(time)[0]
        edge = outline(row, place, view.across, view.upward)
        ways.add(color, 1.0, "--", np.vstack([edge, edge[:1]]))


def until(run: Run, number: int, last: float) -> float:
    """Until when (s) a body's way is to be drawn: what was pushed, till it lies still; who walks, till all of that."""
    stage = run.stage
    pushed = stage.loose.of.get(number)
    moved = stage.loose.all if number in stage.afoot.feet else [] if pushed is None else [pushed]
    return max([last, *(to_seconds(int(stage.motions[one.number].settled)) for one in moved)])


def _aim_in(ax: Axes, view: View, shot: Shot) -> np.ndarray | None:
    """Where a shot's aim point is in the picture (2,), if it is in it."""
    if shot.aim_point is None:
        return None
    aim = flat(shot.aim_point, view.across, view.upward)
    (left, right), (low, high) = sorted(ax.get_xlim()), sorted(ax.get_ylim())
    return aim if left <= aim[0] <= right and low <= aim[1] <= high else None


def _flights(ax: Axes, view: View, run: Run, size: float, labels: Labels) -> None:
    from matplotlib.collections import LineCollection

    ids = list(run.ids.items())[:MOST_PATHS]
    few = len(ids) <= FEW
    ways: dict[tuple[bool, bool], list[np.ndarray]] = {}
    muzzles = []
    for key, name in ids:
        shot, path = run.by_key[key], run.whole_flight(name)
        line = flat(path.drawn, view.across, view.upward)
        labels.avoid(line)
        ways.setdefault((shot.parent >= 0, few or run.record.flown(key).body >= 0), []).append(line)
        if shot.parent >= 0:
            continue
        muzzle = flat(path.p[0], view.across, view.upward)
        muzzles.append(muzzle)
        if few:
            launch = run.launch_of(name)
            ahead = launch / max(float(np.sqrt(launch @ launch)), 1e-300)
            tip = muzzle + flat(ahead, view.across, view.upward) * size * 0.12
            if (aim := _aim_in(ax, view, shot)) is not None:
                tip = aim
                mark(ax, *tip, marker="+", ms=13, mew=2, color=INK, zorder=8)
            labels.avoid(muzzle + np.linspace(0.0, 1.0, 60)[:, None] * (tip - muzzle))
            mark(
                ax,
                [muzzle[0], tip[0]],
                [muzzle[1], tip[1]],
                color=INK,
                linewidth=1.0,
                linestyle=(0, (6, 2, 1, 2)),
                zorder=5,
            )
    # What was sent has neither muzzle nor aim: thinner, and dotted. Of many those that touched nothing are faint.
    for (sent, seen), lines in ways.items():
        wide = (1.6 if sent else 2.2) if few else 0.9 if seen else 0.6
        style = {"linewidths": wide, "alpha": 1.0 if seen else 0.3, "linestyles": [SENT] if sent else "-"}
        ax.add_collection(LineCollection(lines, colors=SEA, zorder=6, capstyle="round", **style), False)
    points = np.reshape(muzzles, (-1, 2)).T
    mark(ax, *points, ls="none", marker="P", ms=8 if few else 4, color=INK, mec="white", mew=0.8, zorder=8)
    _touches(ax, view, run, size, few, labels)
    _marks(ax, view, run, few, labels)
    _splits(ax, view, run, labels, few)
    _heights(ax, view, run, few)
    _bursts(ax, view, run, labels)
    _rings(ax, view, run)
    _anchors(ax, view, run, labels)
    _blinks(ax, view, run)


def _touches(ax: Axes, view: View, run: Run, size: float, few: bool, labels: Labels) -> None:
    points = []
    for row in run.rows("contacts")[:MOST_PATHS]:
        axes = "xyz"[: run.scene.frame.size]
        lift = run.scene.frame.lift
        point = flat(lift([row[axis] for axis in axes]), view.across, view.upward)
        normal = flat(lift([row[f"normal_{axis}"] for axis in axes]), view.across, view.upward) * size * 0.05
        points.append(point)
        labels.avoid(point + np.linspace(0.0, 1.0, 12)[:, None] * normal)
        if few:
            ax.annotate(
                "", point + normal, point, arrowprops={"arrowstyle": "-|>", "color": RUST, "lw": 1.6}, zorder=10
            )
    at = np.reshape(points, (-1, 2)).T
    mark(ax, *at, ls="none", marker="o", ms=7 if few else 4, color=RUST, mec="white", mew=0.8, zorder=10)


MANY_ENTRIES = 12
"""Of a legend: more would be wider than the picture."""

MARKS = {
    SLIPPED: ("slipped through", {"marker": "^", "ms": 10, "mfc": "white", "mec": INK, "mew": 1.6}),
    LOCKED: ("locked on", {"marker": "v", "ms": 10, "mfc": MOSS, "mec": "white", "mew": 1.0}),
    LOST_TARGET: ("lost it", {"marker": "X", "ms": 10, "mfc": "white", "mec": MOSS, "mew": 1.6}),
}
"""What is marked on a flight: in words, and how it looks."""


def _marks(ax: Axes, view: View, run: Run, few: bool, labels: Labels) -> None:
    """What happened on a flight without a touch; from where one locked on, a line to what it follows."""
    for kind, (_, style) in MARKS.items():
        events = run.record.events[run.record.events["kind"] == kind][:MOST_PATHS]
        points = flat(events["p"], view.across, view.upward)
        size = {} if few else {"ms": 0.5 * style["ms"], "mew": 0.5 * style["mew"]}
        mark(ax, *points.T, ls="none", zorder=10, **style | size)
        labels.avoid(points)
        for event, point in zip(events, points, strict=True):
            if kind == LOCKED and few:
                place = run.stage.motions[event["body"]].seen(time_of(event))[0]
                ends = np.array([point, flat(place, view.across, view.upward)])
                mark(ax, *ends.T, color=MOSS, lw=0.9, ls=(0, (1, 2)), zorder=5)


def _heights(ax: Axes, view: View, run: Run, few: bool) -> None:
    """How high each bounce goes above where it bounced, at its top."""
    if not few or not run.scene.frame.vertical or view.title == "from above":
        return
    for name in run.ids.values():
        path = run.flight(name)
        ends = [*path.thrown.tolist(), float(path.t[-1])]
        for start, stop in itertools.pairwise(ends):
            times = np.linspace(start, stop, 200)
            places = path.at(times)[0]
            heights = run.scene.frame.height(places)
            top = int(np.argmax(heights))
            rise = float(heights[top] - heights[0])
            if 0 < top < len(times) - 1 and rise > 0.02 * run.scene.size:
                point = flat(places[top], view.across, view.upward)
                style = {"fontsize": 8, "color": SEA, "ha": "center", "va": "bottom", "zorder": 9}
                ax.annotate(f"{rise:.3g} {run.scene.unit}", point, (0, 4), textcoords="offset points", **style)


def _splits(ax: Axes, view: View, run: Run, labels: Labels, worded: bool) -> None:
    """From where several were sent to where each starts; how far apart their ways are, and they at their birth."""
    for shot in [shot for shot in run.launched if shot.parent >= 0 and len(shot.sent) > 1][:MOST_LABELS]:
        middle = flat(run.record.flown(shot.parent).path.at(to_seconds(shot.time))[0], view.across, view.upward)
        if not np.isfinite(middle).all():
            middle = flat(run.record.flown(shot.parent).last_p, view.across, view.upward)
        for one in shot.sent:
            ends = np.array([middle, flat(one.at, view.across, view.upward)])
            mark(ax, *ends.T, color=SEA, lw=0.9, zorder=6)
        if worded:
            pairs = list(itertools.combinations(shot.sent, 2))
            angle = min(angle_between(a.velocity, b.velocity) for a, b in pairs)
            gap = min(length_of(a.at - b.at) for a, b in pairs) - 2.0 * shot.radius
            born = f"born {gap:.3g} {run.scene.unit} apart" if gap > 1e-6 * run.scene.size else "born side by side"
            text = f"{len(shot.sent)}, {angle:.3g}° apart, {born}"
            plate = {"boxstyle": "round,pad=0.15", "fc": "white", "ec": "none", "alpha": 0.85}
            labels.place(text, middle, fontsize=8.5, color=SEA, zorder=11, bbox=plate)


def _bursts(ax: Axes, view: View, run: Run, labels: Labels) -> None:
    """How far each blast reaches."""
    from matplotlib.patches import Circle

    for event in run.record.events[run.record.events["kind"] == BURST][:MOST_LABELS]:
        point, radius = flat(event["p"], view.across, view.upward), float(event["amount"])
        ax.add_artist(Circle(point, radius, facecolor=RUST, alpha=0.10, edgecolor="none", zorder=2.5))
        ax.add_artist(Circle(point, radius, fill=False, edgecolor=RUST, lw=1.3, linestyle=(0, (5, 3)), zorder=4))
        mark(ax, *point, marker=(8, 1, 0), ms=13, mfc="white", mec=RUST, mew=1.5, ls="none", zorder=11)
        labels.avoid(point[None])


def _rings(ax: Axes, view: View, run: Run) -> None:
    """The rings of what was scored by, on the face that was touched, and what each is worth."""
    for event in run.record.events[run.record.events["kind"] == SCORED][:MOST_LABELS]:
        ability, body = sender_of(run, int(event["key"])), int(event["body"])
        if body < 0:
            continue
        effects = ability.answers[int(run.stage.rows["group"][body])].effects
        rings = next((one.rings for one in effects if isinstance(one, Score)), ())
        n, time = event["normal"], time_of(event) * UNITS
        middle = run.stage.middle(body, time) + run.stage.row(body, time)["spot"]
        point = event["p"] - radius_of(run, int(event["key"])) * n
        face = middle + float(n @ (point - middle)) * n
        flat_scene = run.scene.frame.size == 2
        first = np.cross(n, np.eye(3)[2 if flat_scene else np.argmin(np.abs(n))])
        first = first / max(float(np.sqrt(first @ first)), 1e-300)
        second = np.zeros(3) if flat_scene else np.cross(n, first)
        turn = np.linspace(0.0, 2.0 * np.pi, 73)[:, None]
        out = flat(face + n * 0.02 * run.scene.size, view.across, view.upward) - flat(face, view.across, view.upward)
        for radius, points in rings:
            line = flat(face + radius * (np.cos(turn) * first + np.sin(turn) * second), view.across, view.upward)
            if flat_scene:
                for end in (line[0], line[36]):
                    mark(ax, *np.array([end - 0.25 * out, end + 0.5 * out]).T, color=INK, lw=1.4, zorder=9)
                ax.annotate(
                    f"{points:g}", line[0] + 0.9 * out, fontsize=8, color=INK, ha="center", va="center", zorder=9
                )
            else:
                mark(ax, line[:, 0], line[:, 1], color=INK, lw=0.9, zorder=9)


def _anchors(ax: Axes, view: View, run: Run, labels: Labels) -> None:
    """Where anchors were left, which way they look, and a line between those that are linked."""
    axes, lift, places = "xyz"[: run.scene.frame.size], run.scene.frame.lift, {}
    for row in run.rows("anchors")[:MOST_LABELS]:
        point = flat(lift([row[axis] for axis in axes]), view.across, view.upward)
        normal = flat(lift([row[f"normal_{axis}"] for axis in axes]), view.across, view.upward)
        places[row["anchor"]] = point
        there = {"mfc": AMBER, "mec": INK} if row["gone_by"] == "" else {"mfc": "white", "mec": STONE}
        mark(ax, *point, marker="p", ms=12, mew=1.4, ls="none", zorder=12, **there)
        labels.avoid(point[None] + np.linspace(0.0, 0.3 * run.scene.metre, 4)[:, None] * normal)
        if row["linked_with"] in places:
            mark(ax, *np.array([places[row["linked_with"]], point]).T, color=AMBER, lw=1.4, ls=(0, (2, 2)), zorder=4)


def _blinks(ax: Axes, view: View, run: Run) -> None:
    """From where to where a shooter blinked, with its outline there."""
    from matplotlib.patches import Polygon

    for event in run.record.events[(run.record.events["kind"] == BLINKED) & (run.record.events["code"] == 0)]:
        row, here = run.scene.bodies[event["body"]], run.stage.motions[event["body"]].seen(time_of(event))[0]
        ends = flat(np.array([here, event["p"]]), view.across, view.upward)
        arrow = {"arrowstyle": "-|>", "color": MOSS, "lw": 1.6, "linestyle": (0, (4, 3)), "shrinkA": 0, "shrinkB": 0}
        ax.annotate("", ends[1], ends[0], arrowprops=arrow, zorder=9)
        edge = outline(row, event["p"], view.across, view.upward)
        ax.add_artist(
            Polygon(edge, closed=True, facecolor="#c8dccf", edgecolor=MOSS, alpha=0.6, lw=2.0, ls="--", zorder=3)
        )


def _ends(view: View, run: Run, labels: Labels, ax: Axes, worded: bool) -> None:
    """Where each flight ended, and in words how."""
    rows = run.rows("projectiles")
    for row in rows[:FEW] if len(rows) <= FEW else []:
        name = row["projectile"]
        end = flat(run.flight(name).p[-1], view.across, view.upward)
        mark(ax, *end, marker="s", ms=6, mfc="white", mec=SEA, mew=1.6, zorder=9)
        if not worded or run.by_key[run.key_of(name)].parent >= 0:
            continue
        plate = {"boxstyle": "round,pad=0.2", "fc": "white", "ec": SEA, "lw": 0.6, "alpha": 0.9}
        text = f"{name}: {row['reason']} at {round(row['ended'], 6):.3g} s"
        labels.place(text, end, fontsize=9, color=SEA, zorder=11, bbox=plate)


def _legend(axes: list[Axes], run: Run, preview: Preview | None, aims: bool) -> None:
    """One legend, outside the picture, of what is in it."""
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    kinds, few = set(run.scene.kinds), len(run.ids) <= FEW
    entries = []
    if "shooter" in kinds:
        entries.append(Patch(facecolor="#c8dccf", edgecolor=MOSS, linewidth=2, label="shooter"))
    entries.append(Line2D([], [], marker="P", color=INK, ls="none", ms=8, label="muzzle"))
    if few:
        entries.append(Line2D([], [], color=INK, lw=1, ls=(0, (6, 2, 1, 2)), label="aim"))
    if few and aims:
        entries.append(Line2D([], [], marker="+", color=INK, ls="none", ms=11, mew=2, label="aim point"))
    entries.append(Line2D([], [], color=SEA, lw=2, label="flight"))
    if len(run.launched) > len(run.fired):
        entries.append(Line2D([], [], color=SEA, lw=1.6, ls=SENT, label="sent by another"))
    if preview is not None:
        entries.append(Line2D([], [], marker="o", mfc="white", mec=AMBER, ls="none", label="preview"))
        if preview.landing is not None:
            entries.append(
                Line2D([], [], marker="D", mfc="none", mec=AMBER, mew=2, ls="none", ms=9, label="landing mark")
            )
    if run.rows("contacts"):
        entries.append(Line2D([], [], marker="o", color=RUST, ls="none", label="contact, normal" if few else "contact"))
    happened = set(run.record.events["kind"].tolist())
    marks = [MARKS[kind] for kind in MARKS if kind in happened]
    entries += [Line2D([], [], ls="none", label=word, **style) for word, style in marks]
    if ANCHORED in happened:
        entries.append(Line2D([], [], marker="p", mfc=AMBER, mec=INK, ls="none", ms=10, label="anchor"))
    if BLINKED in happened:
        entries.append(Line2D([], [], color=MOSS, lw=1.6, ls=(0, (4, 3)), label="blink"))
    if BURST in happened:
        burst = {"marker": (8, 1, 0), "ms": 12, "mfc": "white", "mec": RUST, "mew": 1.5}
        entries.append(Line2D([], [], ls="none", label="burst, its reach", **burst))
    if few:
        entries.append(Line2D([], [], marker="s", mfc="white", mec=SEA, mew=1.6, ls="none", label="end"))
    if "obstacle" in kinds:
        entries.append(Patch(facecolor="#d9dee2", edgecolor=STONE, hatch="///", label="obstacle"))
    if any(drawn.get_label() == WAY for ax in axes for drawn in ax.collections):
        entries.append(Line2D([], [], color=RUST, lw=1.0, ls=":", label=WAY))
    if "target" in kinds:
        entries.append(Patch(facecolor="#fdf1d0", edgecolor=RUST, linewidth=2, linestyle="--", label="target"))
    # In one row: more than a dozen are nearer to one another.
    many = len(entries) > MANY_ENTRIES
    close = {"fontsize": min(8.0, 112.0 / len(entries)), "handlelength": 1.5, "columnspacing": 0.9} if many else {}
    axes[0].legend(
        handles=entries, loc="lower left", bbox_to_anchor=(0.0, 1.0), ncols=len(entries), frameon=False,
        borderaxespad=0.2, handletextpad=0.5, labelcolor=INK, **{"fontsize": 8.5, "columnspacing": 1.2} | close,
    )  # fmt: skip
