"""What a case comes to at other tick rates: what is the same at each, what is not, and which keys hang on the rate."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from os import PathLike
from typing import Any

from nivvo.errors import CallError
from nivvo.play.engine import fire
from nivvo.play.outcome.run import Run
from nivvo.results import Tabled
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill

RATES = (20.0, 30.0, 60.0, 120.0, 240.0)
MOST_RATES = 100
COUNTED = ("shots", "projectiles", "hits", "damage", "kills", "score")
FLOWN = ("range", "apex", "flight_time")
SAME, NOTHING = 1e-4, 1e-9
"""Share by which a number may differ between two rates and still be the same; and what is as good as 0."""

RULES = ("motion", "contacts", "input", "first_move", "timer")
BY_TICK = {"per_tick": 1.0, "one_tick_force": None}
"""Keys that count by the tick, and with which value they do not."""
TICKS = re.compile(r"\d+ ticks?")


@dataclass(frozen=True, repr=False)
class RateTable(Tabled):
    """A case at several tick rates.

    rows : one a rate and ability: ``rate`` (ticks/s), ``ability``, its ``shots``, ``projectiles``, ``hits``,
    ``damage``, ``kills`` and ``score`` as in the totals of a run; ``range``, ``apex`` (units), ``flight_time`` (s) and
    ``ends`` of its first projectile, None where none has ended. differs : (ability, column, values in the order of
    the rates) of what is not the same at all. hangs_on : the keys that hang on the rate.
    """

    case: str
    unit: str
    rates: tuple[float, ...]
    rows: list[dict[str, Any]]
    differs: list[tuple[str, str, list[Any]]]
    hangs_on: list[str]

    def __repr__(self) -> str:
        what = ", ".join(dict.fromkeys(column for _, column, _ in self.differs))
        return (
            f"<RateTable of {self.case[:40]}: {len(self.rates)} rates, {f'{what} differ' if what else 'all the same'}>"
        )

    @property
    def columns(self) -> list[str]:
        """The names of its columns, also where nothing was fired."""
        return ["rate", "ability", *COUNTED, *FLOWN, "ends"]

    def as_rows(self) -> list[dict[str, Any]]:
        """A row a rate and ability."""
        return self.rows


@checked
def rate_table(
    drill: Drill | str | PathLike[str],
    case: str | None = None,
    *,
    rates: tuple[float, ...] = RATES,
    patient: bool = False,
) -> RateTable:
    """Fire a case at several tick rates, and compare what comes of each ability.

    rates : ticks/s, at most 100. patient : as of ``fire``. Raises CallError for an unknown case, rates that are none,
    too much to do without patience, and uneven frames, which are no rate; DrillError for a rate at which the drill is
    not right.
    """
    case, rates = drill.case_name(case), tuple(dict.fromkeys(rates))
    if not 0 < len(rates) <= MOST_RATES:
        raise CallError(f"rates are from 1 to {MOST_RATES} numbers of ticks a second, not {len(rates)}")
    if drill.of_case(case).tick.frames is not None:
        raise CallError(f"{case} goes by tick.frames, which is no rate: leave it away to see what tick rates do")
    runs = [at_rate(drill, case, rate, patient) for rate in rates]
    names = list(dict.fromkeys(row["ability"] for run in runs for row in run.rows("totals")))
    found = {name: [_row(run, name) for run in runs] for name in names}
    differs = [
        (name, column, values)
        for name, rows in found.items()
        for column in (*COUNTED, *FLOWN, "ends")
        if not _same(values := [row[column] for row in rows])
    ]
    rows = [{"rate": rate, "ability": name} | found[name][k] for k, rate in enumerate(rates) for name in names]
    return RateTable(case, runs[0].scene.unit, rates, rows, differs, hanging(drill, case, names))


def at_rate(drill: Drill, case: str, rate: float, patient: bool = False) -> Run:
    """A case of a drill fired at a tick rate (ticks/s). Raises as ``rate_table``."""
    return fire(drill.with_settings({"tick.rate": rate}), case, patient=patient)


def tolerance(*values: float) -> float:
    """By how much numbers may differ between tick rates and still be the same."""
    return max(SAME * max(map(abs, values)), NOTHING)


def _row(run: Run, ability: str) -> dict[str, Any]:
    """What came of an ability in a run."""
    totals = next((row for row in run.rows("totals") if row["ability"] == ability), None)
    flown = next((row for row in run.rows("projectiles") if row["ability"] == ability), None)
    row: dict[str, Any] = {column: 0 if totals is None else totals[column] for column in COUNTED}
    row |= {column: None if flown is None else flown[column] for column in FLOWN}
    return row | {"ends": None if flown is None else flown["reason"]}


def _same(values: list[Any]) -> bool:
    """Whether values are all the same, numbers but for rounding."""
    if any(isinstance(one, str) or one is None for one in values):
        return len({*values}) == 1
    return max(values) - min(values) <= tolerance(*values)


def hanging(drill: Drill, case: str, abilities: list[str]) -> list[str]:
    """The keys that let a case, in which some abilities fire, come out otherwise at another tick rate."""
    tick, tables = drill.of_case(case).tick, drill.written(case).tables
    keys = [f"tick.{key}" for key in RULES if getattr(tick, key) != type(tick).model_fields[key].default]
    for name in abilities:
        keys += _by_tick(f"ability.{name}", tables["ability"][name])
    # What the case sets stands where it sets it.
    own = {key: value for key, value in tables.get("case", {}).get(case, {}).items() if key != "set"}
    keys += _by_tick(f"case.{case}", own)
    for kind in ("shooter", "obstacle", "target"):
        keys += _by_tick(kind, tables.get(kind))
    return keys


def _by_tick(key: str, value: Any) -> Iterator[str]:
    """Keys at and below one that count by the tick."""
    if isinstance(value, dict):
        for word, below in value.items():
            own = f"{key}.{word}"
            yield from ([own] if below != BY_TICK[word] else []) if word in BY_TICK else _by_tick(own, below)
    elif isinstance(value, list):
        for k, below in enumerate(value):
            yield from _by_tick(f"{key}[{k}]", below)
    elif isinstance(value, str) and TICKS.fullmatch(value):
        yield key
