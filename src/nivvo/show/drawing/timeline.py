"""Two pictures of time: what players and abilities did when, and what a hold is worth."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import TYPE_CHECKING

import numpy as np

from nivvo.core.numbers.clock import UNITS, to_seconds
from nivvo.core.numbers.curves import Curve
from nivvo.core.pool import FOREVER
from nivvo.errors import CallError
from nivvo.play.outcome.run import Run
from nivvo.play.questions.holding import HoldTable
from nivvo.show.drawing.canvas import drawn, new_figure, save_titled
from nivvo.show.drawing.figure import AMBER, INK, MOSS, RUST, SEA, STONE
from nivvo.spec.arguments import checked

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from nivvo.play.session.session import State

FILLS = {
    "ready": ("#fdf1d0", "...", AMBER),
    "charging": ("#f6d98a", "", AMBER),
    "winding up": ("#d6c3e6", "///", "#7a4f9a"),
    "firing": ("#9cc9e0", "", SEA),
    "recovering": ("#cfe3d6", "\\\\\\", MOSS),
    "cooling": ("#e4e8eb", "", STONE),
    "reloading": ("#e4e8eb", "xxx", STONE),
    "overheated": ("#e9b8ab", "xxx", RUST),
}
"""How each state is drawn: fill, hatch, edge. Idle is left blank."""

MOST_LANES = 16
PLATE = {"boxstyle": "round,pad=0.15", "fc": "white", "ec": "none", "alpha": 0.9}


@checked
@drawn
def draw_timeline(run: Run, ax: Axes, live: Axes) -> Axes:
    """Draw when buttons were down, states held and shots left on ``ax``, and the live count on ``live``."""
    end = max(
        [row["ended"] for row in run.rows("projectiles")]
        + [row["time"] for row in run.rows("states")]
        + [to_seconds(edge[0]) for edge in run.edges]
        + [0.1]
    )
    lanes: list[str] = []
    many = len(run.scene.shooters) > 1
    seen: set[str] = set()

    def lane(name: str) -> int:
        if name not in lanes:
            lanes.append(name)
        return lanes.index(name)

    for shooter, button in sorted({edge[1:3] for edge in run.edges}):
        y = lane(f"{shooter}: {button} button" if many else f"{button} button")
        _held(ax, y, [edge for edge in run.edges if edge[1:3] == (shooter, button)], end)
    for shooter, ability in sorted({(one.shooter, one.ability) for one in run.state_changes}):
        y = lane(f"{shooter}: {ability}" if many else ability)
        _states(
            ax, y, [one for one in run.state_changes if (one.shooter, one.ability) == (shooter, ability)], end, seen
        )
        _shots(run, ax, y, shooter, ability, seen)
    ax.set_yticks(range(len(lanes)), lanes)
    ax.set_ylim(max(len(lanes), 1) - 0.4, -0.6)
    ax.legend(loc="lower left", bbox_to_anchor=(0.0, 1.0), ncols=10, fontsize=8.5, frameon=False, labelcolor=INK)
    _counts(run, live, end)
    for one in (ax, live):
        one.set_xlim(-0.01 * end, end * 1.02)
        one.grid(axis="x", color="#e4e8eb", lw=0.6)
        one.set_axisbelow(True)
        for spine in one.spines.values():
            spine.set_color("#c3cad0")
    return ax


def _settled(run: Run) -> list[str]:
    """For each stream that was fired, the live count that its rate and life lead to if nothing is touched."""
    out = []
    for name in dict.fromkeys(shot.ability for shot in run.fired):
        keys = run.scene.abilities[name]
        if keys.firing.kind != "auto" or isinstance(keys.limits.life, Curve) or keys.limits.life == FOREVER:
            continue
        asked = keys.firing.rate or UNITS / keys.firing.interval
        out.append(f"{name}: rate x life = {asked * to_seconds(keys.limits.life):.4g}, if nothing ends it sooner")
    return out


def _shots(run: Run, ax: Axes, y: int, shooter: str, ability: str, seen: set[str]) -> None:
    for shot in run.fired:
        if (shot.shooter, shot.ability) == (shooter, ability):
            now = to_seconds(shot.time)
            ax.plot([now, now], [y - 0.42, y + 0.42], color=SEA, lw=2.0, zorder=5, label=_once(seen, "shot"))
            if shot.moment.held:
                held = f" held {to_seconds(shot.moment.held):.3g} s"
                ax.text(now, y - 0.36, held, fontsize=8, color=SEA, va="center", zorder=6)
    for shot in run.refused:
        if (shot.shooter, shot.ability) == (shooter, ability):
            mark = {"marker": "X", "ms": 8, "color": RUST, "mec": "white", "ls": "none"}
            ax.plot(to_seconds(shot.time), y, zorder=6, label=_once(seen, "refused"), **mark)


def _held(ax: Axes, y: int, edges: list, end: float) -> None:
    """When one button was down, by its edges in order of time."""
    down = None
    for time, _, _, pressed in [*edges, (None, "", "", False)]:
        now = end if time is None else to_seconds(time)
        if pressed:
            down = now
            ax.plot(now, y, marker="v", ms=7, color=INK, zorder=5)
        elif down is not None:
            ax.barh(y, max(now - down, end * 0.002), left=down, height=0.5, color=INK, zorder=3)
            down = None


def _states(ax: Axes, y: int, changes: list[State], end: float, seen: set[str]) -> None:
    """What states one ability of one shooter was in, and where a press came to no shot."""
    for one, after in zip(changes, [*changes[1:], None], strict=True):
        start, until = to_seconds(one.time), end if after is None else to_seconds(after.time)
        if one.state in FILLS and until > start:
            fill, hatch, edge = FILLS[one.state]
            ax.barh(
                y, until - start, left=start, height=0.62, color=fill, hatch=hatch, edgecolor=edge, lw=0.8,
                label=_once(seen, one.state), zorder=2,
            )  # fmt: skip
        if one.astray is not None:
            word = _once(seen, "press without a shot")
            ax.plot(to_seconds(one.astray), y + 0.38, marker="x", ms=6, mew=1.8, color=RUST, zorder=6, label=word)


def _counts(run: Run, live: Axes, end: float) -> None:
    """How many projectiles, and targets, there were."""
    times, alive = run.in_the_air()
    live.step([0.0, *times, end], [0, *alive, alive[-1] if len(alive) else 0], where="post", color=SEA, lw=1.8)
    most = int(alive.max()) if len(alive) else 0
    words = [f"in the air: at most {most}", *_settled(run)]
    if run.stage.arrived and any(run.stage.arrived.values()):
        when, there = run.population()
        live.step([*when, end], [*there, there[-1]], where="post", color=RUST, lw=1.6, ls="--")
        words.append(f"targets there, dashed: at most {int(there.max())}")
        most = max(most, int(there.max()))
    live.set_ylim(0, most * 1.25 + 1)
    live.yaxis.get_major_locator().set_params(integer=True)
    words = "; ".join(words)
    live.text(0.008, 0.95, words, transform=live.transAxes, va="top", fontsize=9, color=INK)
    live.set_ylabel("projectiles", color=INK)
    live.set_xlabel("time (s)", color=INK)


def _once(seen: set[str], word: str) -> str:
    new = word not in seen
    seen.add(word)
    return word if new else "_"


def save_timeline(run: Run, path: str | FilePath) -> FilePath:
    """Draw the timeline of a run into a PNG or SVG file. Raises CallError, OutputError."""
    lanes = len({edge[1:3] for edge in run.edges}) + len({(s.shooter, s.ability) for s in run.state_changes})
    if lanes > MOST_LANES:
        raise CallError(f"a timeline has room for {MOST_LANES} buttons and abilities, not {lanes}")
    figure = new_figure(2, 3.2 + 0.42 * max(lanes, 3))
    figure.axes[0].get_gridspec().set_height_ratios([max(lanes, 3) * 0.42, 1.2])
    draw_timeline(run, *figure.axes)
    words = [label.get_window_extent().width for label in figure.axes[0].get_yticklabels()]
    figure.subplots_adjust(left=max(0.11, 0.02 + max(words, default=0.0) / figure.bbox.width))
    return save_titled(figure, path, f"{FilePath(run.drill).stem} · {run.case} · when")


@checked(found="nivvo.play.questions.holding:HoldTable")
@drawn
def draw_hold_table(found: HoldTable, axes: list[Axes]) -> list[Axes]:
    """Draw what a hold is worth: a panel for each number that hangs on it, then reach, apex and time of flight."""
    axes = list(np.ravel(np.array(axes, dtype=object)))
    unit, x = found.scene.unit, [row["held"] for row in found.rows]
    panels = [(key, _unit_of(key, unit)) for key in found.keys]
    panels += [("range", unit), *([("apex", unit)] if found.scene.frame.vertical else []), ("flight_time", "s")]
    if len(axes) != len(panels):
        raise CallError(f"these holds are drawn on {len(panels)} axes, not {len(axes)}")
    for k, (ax, (key, words)) in enumerate(zip(axes, panels, strict=True)):
        steps = any(key == capped[0] for capped in found.capped)
        y = [row[key] for row in found.rows]
        style = "steps-pre" if found.stepped else "steps-post" if steps else "default"
        ax.plot(x, y, color=SEA if key in found.keys else MOSS, lw=2.0, drawstyle=style)
        ax.set_ylabel(
            f"{key.removeprefix('launch.')} ({words})".replace(" ()", "").replace("_", " "), color=INK, fontsize=8.5
        )
        there = [one for one in y if one == one] or [0.0]
        low, high = min(there), max(there)
        # What is the same at every hold is a line amid its panel.
        room = high - low if high - low > 1e-6 * abs(high) else 0.5 * abs(high) or 1.0
        ax.set_ylim(low - 0.12 * room, high + 0.22 * room)
        ax.grid(color="#e4e8eb", lw=0.6)
        ax.set_xlim(0.0, x[-1])
        for spine in ax.spines.values():
            spine.set_color("#c3cad0")
        if found.full is not None:
            ax.axvline(found.full, color=AMBER, lw=1.4, ls=(0, (5, 2)), label="full" if k == 0 else "_")
        for start, end, why in found.nothing:
            ax.axvspan(start, end, color=RUST, alpha=0.08, lw=0)
            if k == 0:
                style = {"ha": "center", "va": "center", "rotation": 90, "fontsize": 8, "color": RUST}
                ax.text(0.5 * (start + end), 0.5 * sum(ax.get_ylim()), f"no shot: {why}", **style)
        if key == "range" and found.turns_back is not None:
            at = max(range(len(x)), key=lambda i: y[i])
            ax.plot(x[at], y[at], marker="D", ms=8, mfc="none", mec=RUST, mew=2)
            words = f"longer holds than {x[at]:.3g} s reach less far"
            side, off = ("left", (8, -14)) if x[at] < 0.6 * x[-1] else ("right", (-8, -34))
            style = {"textcoords": "offset points", "ha": side, "fontsize": 9, "color": RUST, "bbox": PLATE}
            ax.annotate(words, (x[at], y[at]), off, **style)
        for capped, when, lands in found.capped:
            if capped == key:
                words = f"cap at {when:.3g} s, " + (
                    "the last step lands on it" if lands else "the last step is cut at it"
                )
                ax.text(0.99, 0.06, words, transform=ax.transAxes, ha="right", fontsize=8.5, color=INK, bbox=PLATE)
        if k + 1 < len(panels):
            ax.tick_params(labelbottom=False)
    axes[-1].set_xlabel("held (s)", color=INK)
    if found.full is not None:
        axes[0].legend(loc="lower left", bbox_to_anchor=(0.0, 1.0), fontsize=8.5, frameon=False, labelcolor=INK)
    return axes


def _unit_of(key: str, unit: str) -> str:
    last = key.rsplit(".", 1)[-1]
    return {
        "speed": f"{unit}/s",
        "elevation": "°",
        "fan": "°",
        "cone": "°",
        "scatter": "°",
        "life": "s",
        "reach": unit,
        "radius": unit,
    }.get(last, "")


def save_hold_table(found: HoldTable, path: str | FilePath, drill: str) -> FilePath:
    """Draw a hold chart into a PNG or SVG file. Raises CallError, OutputError."""
    panels = len(found.keys) + (3 if found.scene.frame.vertical else 2)
    figure = new_figure(panels, 8.0)
    figure.subplots_adjust(hspace=0.14, left=0.09)
    draw_hold_table(found, list(figure.axes))
    return save_titled(figure, path, f"{FilePath(drill).stem} · {found.ability} · what a hold is worth")
