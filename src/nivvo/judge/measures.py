"""The measures: each a number of a run. What it means, its unit and what it is of stand in ``spec.case.MEASURES``."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from nivvo.core import pool
from nivvo.errors import CallError
from nivvo.judge.closeness import closest
from nivvo.play.run import Run
from nivvo.play.tables import body_of
from nivvo.record.record import Flown
from nivvo.spec.arguments import checked
from nivvo.spec.case import MEASURES
from nivvo.spec.nearest import known, listed

Take = Callable[[Run, str | None], float]


@checked
def measure(run: Run, name: str, of: str | None = None) -> tuple[float, str]:
    """A number of a run and its unit; of the first shot where it belongs to one shot. nan if there is none.

    ``of`` is a body (damage, health, nearest, contacts) or an ability. Raises CallError for unknown names.
    """
    known(name, MEASURE, "measure")
    meant = MEASURES[name]
    names = run.scene.number if meant.of == "body" else run.scene.abilities
    if of is not None:
        known(of, names, meant.of)
    elif meant.needs_of:
        raise CallError(f"{name} of what? of= one of {listed(names)}")
    return MEASURE[name](run, of), meant.unit.replace("unit", run.scene.unit)


def _flights(run: Run, of: str | None) -> Iterator[Flown]:
    """The flights of the projectiles of an ability, of all for None."""
    return (run.record.flown(key) for key, shot in run.by_key.items() if of in (None, shot.ability))


def _contacts(run: Run, of: str | None) -> Iterator[dict]:
    """The contacts of the projectiles of an ability, of all for None."""
    mine = {run.ids[key] for key, shot in run.by_key.items() if of in (None, shot.ability)}
    return (row for row in run.rows("contacts") if row["projectile"] in mine)


def _first_flight(take: Callable[[Run, Flown], float]) -> Take:
    def value(run: Run, of: str | None) -> float:
        flown = next(_flights(run, of), None)
        return math.nan if flown is None else take(run, flown)

    return value


def _first_shot(column: str) -> Take:
    def value(run: Run, of: str | None) -> float:
        rows = (row for row in run.rows("shots") if of in (None, row["ability"]))
        return float(next(rows, {column: math.nan})[column])

    return value


def _first_contact(column: str) -> Take:
    return lambda run, of: float(next(_contacts(run, of), {column: math.nan})[column])


def _damage(run: Run, of: str | None) -> float:
    dealt = run.record.events[run.record.events["kind"] == pool.DAMAGE]
    return float(sum(float(event["amount"]) for event in dealt if of in (None, body_of(run, event))))


def _health(run: Run, of: str | None) -> float:
    started = float(run.scene.bodies[run.scene.number[of]]["health"])
    return max(started - _damage(run, of), 0.0) if math.isfinite(started) else math.nan


def _nearest(run: Run, of: str | None) -> float:
    near = closest(run, of)
    return math.nan if near is None else near.gap


MEASURE: dict[str, Take] = {
    "shots": lambda run, of: float(sum(of in (None, shot.ability) for shot in run.fired)),
    "projectiles": lambda run, of: float(sum(1 for _ in _flights(run, of))),
    "contacts": lambda run, of: float(sum(of in (None, row["body"]) for row in run.rows("contacts"))),
    "damage": _damage,
    "health": _health,
    "launch_speed": _first_shot("speed"),
    "launch_elevation": _first_shot("elevation"),
    "launch_direction": _first_shot("direction"),
    "flight_time": _first_flight(lambda _, flown: flown.flight_time),
    "end_time": _first_flight(lambda _, flown: flown.stop),
    "range": _first_flight(lambda run, flown: flown.range(run.scene.frame)),
    "apex": _first_flight(lambda run, flown: flown.apex(run.scene.frame)),
    "path_length": _first_flight(lambda _, flown: flown.path_length),
    "impact_time": _first_contact("time"),
    "impact_speed": _first_contact("speed"),
    "impact_angle": _first_contact("angle"),
    "nearest": _nearest,
}
"""Each measure and the function that takes it."""
