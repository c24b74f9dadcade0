"""The path that a shot would take now, made by the same engine as the flight itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nivvo.core import clock
from nivvo.errors import CallError
from nivvo.play.engine import Planned, Runner, in_hand_of, scene_of
from nivvo.play.run import Run
from nivvo.play.track import tracks
from nivvo.spec.document import known
from nivvo.spec.drill import Drill

MOST_POINTS = 100_000


@dataclass(frozen=True)
class Landing:
    """Where a preview ends at a body: ``point`` on its surface, outward ``normal``, ``body``, ``time`` (s)."""

    point: np.ndarray
    normal: np.ndarray
    body: str
    time: float


@dataclass(frozen=True)
class Preview:
    """Dots along a coming flight.

    points : (n, 2) or (n, 3), in the drill's axes. times : (n,) s after the press.
    landing : the first touch, or None if a limit ends it first. reason : how it ends, in words.
    """

    points: np.ndarray
    times: np.ndarray
    landing: Landing | None
    reason: str


def preview(
    drill: Drill,
    case: str | None = None,
    *,
    ability: str | None = None,
    shooter: str | None = None,
    cursor=None,
    at: float = 0.0,
    count: int | None = None,
    every: float | None = None,
    spacing: float | None = None,
) -> Preview:
    """Dots along the flight of a shot fired ``at`` a time (s), ended at its first touch.

    Parameters
    ----------
    ability, shooter : names; None takes the first of the case
    cursor : position; None takes the case's own at that time
    count : at most so many dots
    every : seconds between dots (default: a tick)
    spacing : path length between dots, in units, in place of ``every``

    Raises CallError for unknown names and values that make no sense.
    """
    name = case or drill.cases[0]
    described, scene = drill.case(name), scene_of(drill, name)
    in_hand = in_hand_of(drill, name)
    ability = known(ability or in_hand[0], scene.abilities, "ability")
    owner = scene.abilities[ability].shooter or sorted(scene.shooters)[0]
    shooter = known(shooter or owner, scene.shooters, "shooter")
    if every is not None and spacing is not None:
        raise CallError("give every (seconds) or spacing (units), not both")
    for word, value in (("count", count), ("every", every), ("spacing", spacing)):
        if value is not None and not 0 < value < np.inf:
            raise CallError(f"{word} must be a number above 0, not {value}")
    if not 0.0 <= at <= 86_400.0:
        raise CallError(f"at must be from 0 to 86400 seconds, not {at}")
    time = clock.from_seconds(at)
    track = tracks(described, scene, in_hand)[shooter]
    if cursor is not None:
        cursor = np.asarray(cursor, dtype=float)
        if cursor.shape != (scene.frame.size,) or not np.isfinite(cursor).all():
            raise CallError(f"cursor must be {scene.frame.size} finite numbers, not {cursor.tolist()}")
        cursor = scene.frame.lift(cursor)
    elif track.cursor(time) is None and scene.abilities[ability].aim.by == "cursor":
        raise CallError(f"{ability} aims by the cursor: give cursor=, as a position of {scene.frame.size} numbers")
    runner = Runner(scene, scene.arena(), touches="end")
    runner.tick = scene.ticks.holding(time)
    runner.fire(Planned(time, ability, shooter, 0, time), track, cursor)
    runner.finish()
    if runner.refused:
        nothing = np.zeros((0, scene.frame.size))
        return Preview(nothing, np.zeros(0), None, f"refused: {runner.refused[0].refused}")
    return of_run(runner.run(drill.name, name), count, every, spacing)


def of_run(run: Run, count: int | None = None, every: float | None = None, spacing: float | None = None) -> Preview:
    """Dots along the first projectile of a run, up to its first touch."""
    projectile = run.rows("projectiles")[0]
    path = run.flight(projectile["projectile"])
    touch = next((row for row in run.rows("contacts") if row["projectile"] == projectile["projectile"]), None)
    start, stop = path.t[0], touch["time"] if touch else path.t[-1]
    most = min(count or MOST_POINTS, MOST_POINTS)
    if spacing is not None:
        times = path.by_distance(spacing, most)
    else:
        step = every or 1.0 / run.scene.ticks.rate
        times = start + step * np.arange(min(int((stop - start) / step * (1 + 1e-12)) + 1, most))
    times = times[times <= stop]
    landing = None
    if touch is not None:
        axes = "xyz"[: run.scene.frame.size]
        landing = Landing(
            np.array([touch[axis] for axis in axes]),
            np.array([touch[f"normal_{axis}"] for axis in axes]),
            touch["body"],
            touch["time"] - start,
        )
    return Preview(run.scene.frame.drop(path.at(times)[0]), times - start, landing, projectile["reason"])
