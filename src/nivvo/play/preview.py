"""The path that a shot would take now, made by the same engine as the flight itself; and what a plain one shows."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from os import PathLike

import numpy as np

from nivvo.core.numbers import clock
from nivvo.core.numbers.frame import dot
from nivvo.core.pool import IGNORE
from nivvo.errors import CallError
from nivvo.plan.case import case_of
from nivvo.play.aims.aiming import Asked, Shot
from nivvo.play.engine import ability_in, scratch, shooter_in
from nivvo.play.outcome.happened import radius_of
from nivvo.play.outcome.run import Run
from nivvo.play.outcome.tables import ending_of
from nivvo.play.triggers.firing import charged
from nivvo.results import Tabled
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill

MOST_POINTS = 100_000
AT_ONCE = 16
"""Pieces of a plain flight for which it is asked together who may come near."""

BODIES = ("moving", "still")


@dataclass(frozen=True)
class Landing:
    """Where a preview ends at a body: ``point`` on its surface, outward ``normal``, ``body``, ``time`` (s)."""

    point: np.ndarray
    normal: np.ndarray
    body: str
    time: float


@dataclass(frozen=True, repr=False)
class Preview(Tabled):
    """Dots along a coming flight.

    points : (n, 2) or (n, 3), in the drill's axes. times : (n,) s after the press.
    landing : the first touch, or None if a limit ends it first. reason : how it ends, in words.
    radius : of the projectile (units); bodies : "moving" or "still".
    """

    points: np.ndarray
    times: np.ndarray
    landing: Landing | None
    reason: str
    radius: float = 0.0
    bodies: str = "moving"

    def __repr__(self) -> str:
        lasts = f", {self.times[-1] - self.times[0]:.4g} s" if len(self.times) else ""
        return f"<Preview of {len(self.points)} dots{lasts}: {self.reason}>"

    def as_rows(self) -> list[dict[str, float]]:
        """A row a dot: time (s) and position."""
        return _dots(self.times, self.points)

    def edges(self) -> tuple[np.ndarray, np.ndarray]:
        """Both sides (n, 2) of the band that the projectile sweeps along the dots, in 2D (in 3D: on the level)."""
        if len(self.points) < 2:
            return self.points, self.points
        way = np.gradient(self.points, axis=0)
        across = np.zeros_like(way)
        across[:, 0], across[:, 1] = -way[:, 1], way[:, 0]
        length = np.sqrt((across * across).sum(axis=1))[:, None]
        across = np.where(length > 0.0, across / np.where(length > 0.0, length, 1.0), 0.0) * self.radius
        return self.points + across, self.points - across


@dataclass(frozen=True, repr=False)
class PlainPreview(Tabled):
    """What a preview shows that ignores drag and the drill's own step, against the flight itself.

    points, times : as of Preview; it ends where the flight does, or at its own first touch if that is sooner.
    largest_gap, at : the greatest distance (units) between both at one time, and when (s). gap_at_landing :
    between the ends of both (units). covered : seconds of the flight that it covers, lasts: those of the flight.
    """

    points: np.ndarray
    times: np.ndarray
    largest_gap: float
    at: float
    gap_at_landing: float
    covered: float
    lasts: float

    def __repr__(self) -> str:
        return f"<PlainPreview of {len(self.points)} dots: up to {self.largest_gap:.4g} off, at {self.at:.4g} s>"

    def as_rows(self) -> list[dict[str, float]]:
        """A row a dot: time (s) and position."""
        return _dots(self.times, self.points)


def _dots(times: np.ndarray, points: np.ndarray) -> list[dict[str, float]]:
    return [
        {"time": t, **dict(zip("xyz", p, strict=False))} for t, p in zip(times.tolist(), points.tolist(), strict=True)
    ]


@checked
def preview(
    drill: Drill | str | PathLike[str],
    case: str | None = None,
    *,
    ability: str | None = None,
    shooter: str | None = None,
    cursor: Sequence[float] | None = None,
    at: float = 0.0,
    count: int | None = None,
    every: float | None = None,
    spacing: float | None = None,
    bodies: str = "moving",
    held: float = 0.0,
    bounces: int = 0,
) -> Preview:
    """Dots along the flight of a shot fired ``at`` a time (s), ended at its first touch.

    It steers, sways and drifts as the flight does, toward where those it follows will be; nothing is sent.

    Parameters
    ----------
    ability, shooter : names; None takes the first of the case
    cursor : position, as if an aim with a turn rate had turned there; None takes the case's own at that time
    count : at most so many dots
    every : seconds between dots (default: a tick)
    spacing : path length between dots, in units, in place of ``every``
    bodies : "moving" (they move on as they will) or "still" (they stand as they are at that time)
    held : seconds of charge that the shot is let go with; none is shown of a hold that fires nothing
    bounces : go on through so many bounces; the touch after them ends it

    Raises CallError for unknown names and values that make no sense.
    """
    check_dots(count, every, spacing, held, bounces, bodies)
    run = _flown(drill, case, ability, shooter, cursor, at, bodies, held, bounces)
    return of_run(run, count, every, spacing, bodies, bounces)


def check_dots(
    count: int | None, every: float | None, spacing: float | None, held: float, bounces: int, bodies: str
) -> None:
    """Raise CallError for dots, or a charge, that make no sense."""
    for word, value in (("count", count), ("every", every), ("spacing", spacing)):
        if value is not None and not 0 < value < np.inf:
            raise CallError(f"{word} must be a number above 0, not {value}")
    if every is not None and spacing is not None:
        raise CallError("give every (seconds) or spacing (units), not both")
    if not 0 <= bounces <= 1_000_000:
        raise CallError(f"bounces must be from 0 to 1000000, not {bounces}")
    if not 0.0 <= held <= 86_400.0:
        raise CallError(f"held must be from 0 to 86400 seconds, not {held}")
    if bodies not in BODIES:
        raise CallError(f'bodies must be "moving" or "still", not {bodies!r}')


@checked
def plain_preview(
    drill: Drill | str | PathLike[str],
    case: str | None = None,
    *,
    ability: str | None = None,
    shooter: str | None = None,
    cursor: Sequence[float] | None = None,
    at: float = 0.0,
) -> PlainPreview:
    """What the plain parabola of the launch shows (no drag, exact step), and how far off it is.

    Arguments as of ``preview``. Raises CallError, also if the shot would be refused.
    """
    run = _flown(drill, case, ability, shooter, cursor, at, "moving")
    if run.refused:
        raise CallError(f"there is no flight to compare with: {run.refused[0].refused}")
    shot, first = run.fired[0], next(iter(run.ids.values()))
    scene, path, launch = run.scene, run.flight(first), run.launch_of(first)
    a = scene.abilities[shot.ability].flight.a
    start, stop = float(path.t[0]), float(path.t[-1])
    times = np.unique(np.concatenate([path.t, np.linspace(start, stop, 400)]))

    def plain(t) -> np.ndarray:
        age = np.asarray(t - start)[..., None]
        return path.p[0] + launch * age + a * (0.5 * age * age)

    covered = _first_met(run, shot, times, plain(times))
    shown = np.append(times[times < covered], covered)
    gaps = np.sqrt(((plain(shown) - path.at(shown)[0]) ** 2).sum(axis=1))
    ends = plain(np.float64(covered)) - path.p[-1]
    k = int(gaps.argmax())
    return PlainPreview(
        scene.frame.drop(plain(shown)),
        shown - start,
        float(gaps[k]),
        float(shown[k]) - start,
        float(np.sqrt(dot(ends, ends))),
        float(covered - start),
        stop - start,
    )


def _first_met(run: Run, shot: Shot, times: np.ndarray, places: np.ndarray) -> float:
    """When (s) a ball that is at some places (n, 3) at some times (n,) first meets something, else the last of them."""
    stage, radius = run.stage, shot.radius
    for first in range(0, len(times) - 1, AT_ONCE):
        here, when = places[first : first + AT_ONCE + 1], (times[first : first + AT_ONCE + 1] * clock.UNITS).tolist()
        movers = stage.nearing(list(here), [radius] * len(here), math.floor(when[0]), math.ceil(when[-1]))
        for k, (p, q) in enumerate(itertools.pairwise(here)):
            near = stage.around(p, q - p, radius, "obstacle", "target", movers=movers)
            among = [number for number in near if not _let_through(run, shot, number)]
            met = stage.first_on_line(p, q - p, radius, when[k], among)
            if met is not None:
                start, stop = times[first + k : first + k + 2]
                return start + met[1] * (stop - start)
    return float(times[-1])


def _let_through(run: Run, shot, number: int) -> bool:
    return run.scene.abilities[shot.ability].answers[int(run.scene.bodies[number]["group"])].then == IGNORE


def _flown(
    drill: Drill, case, ability, shooter, cursor, at: float, bodies: str, held: float | None = None, bounces: int = 0
) -> Run:
    """A run with one shot, ended at its first touch. ``held`` None: with nothing charged, however short that is."""
    case = case_of(drill, case)
    scene, ability = case.scene, ability_in(case, ability)
    shooter = shooter_in(case, ability, shooter)
    if not 0.0 <= at <= 86_400.0:
        raise CallError(f"at must be from 0 to 86400 seconds, not {at}")
    time = clock.from_seconds(at)
    session = scratch(case, time, touches="end", still=bodies == "still", bounces=bounces)
    if cursor is not None:
        cursor = np.asarray(cursor, dtype=float)
        if cursor.shape != (scene.frame.size,) or not np.isfinite(cursor).all():
            raise CallError(f"cursor must be {scene.frame.size} finite numbers, not {cursor.tolist()}")
        cursor = scene.frame.lift(cursor)
    elif session.stage.players[shooter].cursor(time) is None and scene.abilities[ability].aim.by == "cursor":
        raise CallError(f"{ability} aims by the cursor: give cursor=, as a position of {scene.frame.size} numbers")
    counts, nothing = (0, "") if held is None else charged(scene.abilities[ability].firing, clock.from_seconds(held))
    session.fire(Asked(time, ability, shooter, 0, time, counts), cursor, nothing)
    session.fly_out()
    return session.run(case.drill, case.name)


def of_run(
    run: Run,
    count: int | None = None,
    every: float | None = None,
    spacing: float | None = None,
    bodies: str = "moving",
    bounces: int = 0,
) -> Preview:
    """Dots along the first projectile of a run, up to its touch after so many bounces; none if its shot was refused."""
    if not run.fired:
        nothing = np.zeros((0, run.scene.frame.size))
        return Preview(nothing, np.zeros(0), None, f"refused: {run.refused[0].refused}")
    key, projectile = next(iter(run.ids.items()))
    path = run.flight(projectile)
    touches = [row for row in run.rows("contacts") if row["projectile"] == projectile]
    last = next((k for k, row in enumerate(touches) if k >= bounces or row["then"] != "bounce"), None)
    touch = None if last is None else touches[last]
    start, stop = path.t[0], touch["time"] if touch else path.t[-1]
    most = min(count or MOST_POINTS, MOST_POINTS)
    step = every or 1.0 / run.scene.ticks.rate
    dots = path.length() / spacing if spacing is not None else (stop - start) / step
    if dots > MOST_POINTS and count is None:
        raise CallError(f"that comes to {dots:.3g} dots, more than {MOST_POINTS:,}: give count, or a wider spacing")
    if spacing is not None:
        times = path.by_distance(spacing, most)
    else:
        times = start + step * np.arange(min(int((stop - start) / step * (1 + 1e-12)) + 1, most))
    # What is beyond the end by rounding alone is the end.
    times = np.minimum(times[times <= stop + 1e-9 * step], stop)
    landing = None
    if touch is not None:
        axes = "xyz"[: run.scene.frame.size]
        landing = Landing(
            np.array([touch[axis] for axis in axes]),
            np.array([touch[f"normal_{axis}"] for axis in axes]),
            touch["body"],
            float(touch["time"] - start),
        )
    points = run.scene.frame.drop(path.at(times)[0])
    reason = ending_of(run, run.record.flown(key))
    return Preview(points, times - start, landing, reason, radius_of(run, key), bodies)
