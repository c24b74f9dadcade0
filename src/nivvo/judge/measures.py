"""The measures: each a number of a run. What it means, its unit and what it is of stand in ``spec.case.MEASURES``."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from nivvo.core.numbers.frame import added
from nivvo.errors import CallError
from nivvo.judge.closeness import closest, whose
from nivvo.play.outcome.happened import family_of
from nivvo.play.outcome.run import Run
from nivvo.play.outcome.tables import did, healths_of
from nivvo.record.record import Flown
from nivvo.spec.arguments import checked
from nivvo.spec.scenes.case import MEASURES
from nivvo.spec.words.nearest import known, listed

Take = Callable[[Run, str | None], float]


@checked
def measure(run: Run, name: str, of: str | None = None) -> tuple[float, str]:
    """A number of a run and its unit; of the first shot where it belongs to one shot. nan if there is none.

    ``of`` is a body (damage, health, nearest, contacts, time_to_kill), or an ability, a shot or a projectile by its
    name; hits, accuracy, overkill, damage_a_second, kills and score also count all that came of those. Raises CallError
    for unknown names, and for what hangs on a way that a run with keep="contacts" does not know.
    """
    known(name, MEASURE, "measure")
    meant = MEASURES[name]
    if of is not None:
        known(of, may_be_of(run, name), "ability or projectile" if meant.of == "projectile" else meant.of)
    elif meant.needs_of:
        raise CallError(f"{name} of what? of= one of {listed(may_be_of(run, name))}")
    return MEASURE[name](run, of), meant.unit.replace("unit", run.scene.unit)


def may_be_of(run: Run, name: str) -> list[str]:
    """Of what a measure may be."""
    return list(run.scene.number) if MEASURES[name].of == "body" else whose(run)


def _flights(run: Run, of: str | None) -> Iterator[Flown]:
    """The flights of the projectiles that ``of`` names, of all for None."""
    return map(run.record.flown, run.record.places if of is None else run.names_of(of))


def _contacts(run: Run, of: str | None) -> Iterator[dict]:
    """The contacts of the projectiles that ``of`` names, of all for None."""
    mine = set(run.names_of(of).values())
    return (row for row in run.rows("contacts") if row["projectile"] in mine)


def _first_flight(take: Callable[[Run, Flown], float]) -> Take:
    def value(run: Run, of: str | None) -> float:
        flown = next(_flights(run, of), None)
        return math.nan if flown is None else take(run, flown)

    return value


def _first_way(take: Callable[[Run, Flown], float]) -> Take:
    """What hangs on all the way of the first flight."""

    def value(run: Run, flown: Flown) -> float:
        run.whole_flight(run.ids[flown.key])
        return take(run, flown)

    return _first_flight(value)


def _first_shot(column: str) -> Take:
    def value(run: Run, of: str | None) -> float:
        shots = {run.id_of(run.by_key[key]) for key in run.names_of(of)} | {of}
        rows = (row for row in run.rows("shots") if of is None or row["shot"] in shots)
        return float(next(rows, {column: math.nan})[column])

    return value


def _first_contact(column: str) -> Take:
    return lambda run, of: float(next(_contacts(run, of), {column: math.nan})[column])


def _damage(run: Run, of: str | None) -> float:
    return float(added(taken for name, (taken, _) in healths_of(run).items() if of in (None, name)))


def _health(run: Run, of: str | None) -> float:
    left = healths_of(run)[of][1]
    return left if math.isfinite(left) else math.nan


def _nearest(run: Run, of: str | None) -> float:
    near = closest(run, of)
    return math.nan if near is None else near.gap


def _total(column: str) -> Take:
    return lambda run, of: float(did(run, family_of(run, run.names_of(of)))[column])


def _time_to_kill(run: Run, of: str | None) -> float:
    return next((row["time_to_kill"] for row in run.rows("targets") if row["target"] == of), math.nan)


MEASURE: dict[str, Take] = {
    "shots": lambda run, of: float(sum(of in (None, shot.ability, run.id_of(shot)) for shot in run.fired)),
    "projectiles": lambda run, of: float(sum(1 for _ in _flights(run, of))),
    "contacts": lambda run, of: float(sum(of in (None, row["body"]) for row in run.rows("contacts"))),
    "damage": _damage,
    "health": _health,
    "time_to_kill": _time_to_kill,
    "hits": _total("hits"),
    "accuracy": _total("accuracy"),
    "overkill": _total("overkill"),
    "damage_a_second": _total("damage_a_second"),
    "kills": _total("kills"),
    "score": _total("score"),
    "launch_speed": _first_shot("speed"),
    "launch_elevation": _first_shot("elevation"),
    "launch_direction": _first_shot("direction"),
    "flight_time": _first_flight(lambda _, flown: flown.flight_time),
    "end_time": _first_flight(lambda _, flown: flown.stop),
    "range": _first_flight(lambda run, flown: flown.range(run.scene.frame)),
    "apex": _first_way(lambda run, flown: flown.apex(run.scene.frame)),
    "path_length": _first_way(lambda _, flown: flown.path_length),
    "impact_time": _first_contact("time"),
    "impact_speed": _first_contact("speed"),
    "impact_angle": _first_contact("angle"),
    "nearest": _nearest,
}
"""Each measure and the function that takes it."""
