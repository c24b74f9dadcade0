"""What a hold is worth: for each time a button is held, every number that hangs on it, and the flight that follows."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from dataclasses import dataclass
from os import PathLike
from typing import Any

import numpy as np

from nivvo.core.numbers import clock
from nivvo.core.numbers.curves import Curve
from nivvo.errors import CallError
from nivvo.plan.abilities.ability import Ability, Firing
from nivvo.plan.abilities.numbers import Moment, resolve
from nivvo.plan.case import Case, case_of
from nivvo.plan.scene import Scene
from nivvo.play.aims.aiming import Asked
from nivvo.play.engine import scratch
from nivvo.play.triggers.firing import FIZZLED, TOO_SHORT, charged
from nivvo.results import Tabled
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill
from nivvo.spec.words.nearest import known

MOST_ROWS, MOST_JUMPS = 100_000, 200
EDGE = clock.UNITS // 1_000_000
"""How long (clock) before and after it jumps a number is asked for."""

REFINEMENTS, MOST_TICKS = 40, 80
SAME = 1e-9
"""By how much of the farthest reach two holds may differ and still reach equally far."""


@dataclass(frozen=True, repr=False)
class HoldTable(Tabled):
    """A table of holds.

    ability : its name. rows : one a hold, with ``held`` (s), each key that hangs on it (nan where a hold fires
    nothing), and ``range``, ``apex`` (units), ``flight_time`` (s) and ``ends`` of the flight to its first touch, or why
    there is none. keys : the keys that hang on it.
    full : when the charge is full (s), or None. turns_back : the hold from which on a longer one reaches less
    far (s), or None. capped : key, hold and whether the last step lands on the cap exactly. even : whether all
    holds reach equally far. stepped : whether input is seen at ticks and every tick has its row: what is let go
    between two of them counts as the later. nothing : from which hold (s) to which none is fired, and why.
    """

    scene: Scene
    ability: str
    rows: list[dict[str, Any]]
    keys: list[str]
    full: float | None
    turns_back: float | None
    capped: list[tuple[str, float, bool]]
    even: bool = False
    stepped: bool = False
    nothing: tuple[tuple[float, float, str], ...] = ()

    def __repr__(self) -> str:
        return f"<HoldTable of {self.ability}: {len(self.rows)} holds of {', '.join(self.keys)}>"

    @property
    def columns(self) -> list[str]:
        """The names of its columns."""
        return list(self.rows[0])

    def as_rows(self) -> list[dict[str, Any]]:
        """A row a hold."""
        return self.rows


@checked
def hold_table(
    drill: Drill | str | PathLike[str],
    case: str | None = None,
    ability: str | None = None,
    *,
    until: float | None = None,
    every: float | None = None,
) -> HoldTable:
    """The table of an ability's holds (default: the first of the case that charges).

    until : longest hold (s); default: a quarter more than what its numbers need. every : from one hold to the
    next (s); default: forty rows, and one at each step of a number. Where input is seen at ticks a hold lasts from
    tick to tick: rows are of such holds, pressed at the first. Raises CallError for unknown names, an ability that
    does not charge, too many rows.
    """
    case = case_of(drill, case)
    scene = case.scene
    charging = [one for one in case.in_hand if scene.abilities[one].firing.kind == "charge"]
    if ability is None and not charging:
        raise CallError(f'no ability of {case.name} charges; write firing.kind = "charge"')
    ability = known(charging[0] if ability is None else ability, scene.abilities, "ability")
    keys = scene.abilities[ability]
    if keys.firing.kind != "charge":
        raise CallError(f'{ability} does not charge: its firing.kind is "{keys.firing.kind}"')
    found = {key: value for key, value in keys.curves.items() if value.by == "held"}
    full = keys.firing.full_seconds
    last = 1.25 * max([full or 0.0, *(_needs(value) for value in found.values())]) if until is None else until
    last = last or 1.0
    step = last / 40.0 if every is None else every
    if not 0.0 < step <= last or last / step > MOST_ROWS:
        raise CallError(
            f"holds go from 0 to {last:g} s in steps above 0, at most {MOST_ROWS:,}; every = {step:g} s does not"
        )
    times = step * np.arange(round(last / step) + 1)
    if every is None:
        # Steps are shown where they are, not where a row happens to fall.
        jumps = [
            value.every * k
            for value in found.values()
            if value.step
            for k in range(1, int(min(last / value.every, MOST_JUMPS)) + 1)
        ]
        # What changes at once has a row on either side.
        jumps = [*jumps[:MOST_JUMPS], *(one for one in _edges(keys.firing) if 0.0 <= one <= last)]
        times = np.unique(np.round(np.concatenate([times, jumps]), 12))
    ticks, stepped = scene.ticks, False
    if scene.rules.seen_at_ticks:
        ends = [ticks.holding(ticks.seen(clock.from_seconds(one))) for one in times]
        stepped = every is None and ends[-1] < MOST_TICKS
        times = [clock.to_seconds(ticks.edge(k)) for k in (range(ends[-1] + 1) if stepped else sorted({*ends}))]
    rows = {float(held): _row(case, ability, float(held), found) for held in times}
    turns, even = _turn(rows, scene, lambda held: _row(case, ability, held, found))
    capped = [
        (key, value.every * np.ceil((value.cap - value.start) / value.step - 1e-9), _lands(value))
        for key, value in found.items()
        if value.cap is not None and value.step
    ]
    listed = [rows[held] for held in sorted(rows)]
    spans = [(why, list(group)) for why, group in itertools.groupby(listed, key=lambda row: row["ends"])]
    nothing = tuple((one[0]["held"], one[-1]["held"], why) for why, one in spans if why in (FIZZLED, TOO_SHORT))
    return HoldTable(scene, ability, listed, list(found), full, turns, capped, even, stepped, nothing)


def _edges(firing: Firing) -> list[float]:
    """The holds (s) on either side of those at which what is fired changes at once."""
    edges = [firing.min_hold - EDGE, firing.min_hold] if firing.min_hold else []
    if firing.full_after is not None and firing.at_full in ("fizzle", "fall back"):
        edges += [firing.full_after, firing.full_after + EDGE]
    return [clock.to_seconds(one) for one in edges]


def _turn(
    rows: dict[float, dict[str, Any]], scene: Scene, fire: Callable[[float], dict[str, Any]]
) -> tuple[float | None, bool]:
    """The hold from which on longer ones reach less far, put into the rows; and whether all reach equally far.

    Looked for around the farthest row, by golden section, until it is one; among ticks, of which there are few, each.
    """
    held = sorted(rows)
    far = np.array([rows[one]["range"] for one in held])
    best, slack = int(far.argmax()), SAME * max(far.max(), 1.0)
    if far.max() - far.min() <= slack:
        return None, True
    # Past full nothing changes; to turn back is to fall short of what a shorter hold had.
    last = int(np.flatnonzero(far >= far[best] - slack)[-1])
    if far[best] - far[-1] <= slack:
        return None, False
    low, high = held[max(last - 1, 0)], held[last + 1]
    golden = 0.5 * (np.sqrt(5.0) - 1.0)
    found, refinements = {held[last]: rows[held[last]]}, REFINEMENTS
    if scene.rules.seen_at_ticks:
        first, end = (scene.ticks.holding(clock.from_seconds(one)) for one in (low, high))
        if end - first <= MOST_TICKS:
            edges, refinements = map(scene.ticks.edge, range(first, end + 1)), 0
            found |= {one: rows[one] if one in rows else fire(one) for one in map(clock.to_seconds, edges)}
    for _ in range(refinements):
        if high - low <= 1e-9 * high:
            break
        x, y = high - golden * (high - low), low + golden * (high - low)
        for one in (x, y):
            if one not in found:
                found[one] = fire(float(one))
        low, high = (low, y) if found[x]["range"] >= found[y]["range"] else (x, high)
    turn = max(found, key=lambda one: (found[one]["range"], one))
    rows[turn] = found[turn]
    return float(turn), False


def _lands(value: Curve) -> bool:
    steps = (value.cap - value.start) / value.step
    return abs(steps - round(steps)) <= 1e-9


def _needs(value: Curve) -> float:
    """The hold (s) after which a number changes no more."""
    if value.points is not None:
        return value.points[-1][0]
    if value.step is None:
        return value.over or 0.0
    if value.cap is None or not value.step:
        return 10.0 * value.every
    return value.every * float(np.ceil((value.cap - value.start) / value.step))


def _row(case: Case, ability: str, held: float, found: dict[str, Curve]) -> dict[str, Any]:
    counts, nothing = charged(case.scene.abilities[ability].firing, clock.from_seconds(held))
    moment = Moment(held=counts)
    row: dict[str, Any] = {"held": held}
    row |= {key: math.nan if nothing else resolve(value, moment, key) for key, value in found.items()}
    session = scratch(case, touches="end")
    session.fire(Asked(0, ability, case.scene.shooter_of(ability), 0, 0, counts), nothing=nothing)
    session.fly_out()
    run = session.run(case.drill, case.name)
    if run.refused:
        return row | {"range": 0.0, "apex": 0.0, "flight_time": 0.0, "ends": run.refused[0].refused}
    flown = run.rows("projectiles")[0]
    return row | {name: flown[name] for name in ("range", "apex", "flight_time")} | {"ends": flown["reason"]}


def hold_for(ability: Ability, speed: float) -> float:
    """The shortest hold (s) that gives an ability a launch speed; nan where none does, or its speed hangs on none."""
    keys, firing = ability.launch, ability.firing
    curve, share = (keys.speed, 1.0) if keys.impulse is None else (keys.impulse, 1.0 / ability.mass)
    if not isinstance(curve, Curve) or curve.by != "held":
        return math.nan
    # It takes as long to import as all else does.
    from scipy.optimize import brentq

    full = min(_needs(curve), math.inf if firing.full_seconds is None else firing.full_seconds)

    def lacks(x: float, steps: int | None = None) -> float:
        return share * curve.at(x, steps) - speed

    def counts(held: float) -> bool:
        return charged(firing, clock.from_seconds(held)) == (clock.from_seconds(held), "")

    if curve.step is not None:
        steps = max(math.ceil((speed / share - curve.start) / curve.step - SAME), 0) if curve.step else 0
        held = steps * curve.every
        return held if abs(lacks(held, steps)) <= SAME * speed and counts(held) else math.nan
    ends = [0.0, *(x for x, _ in curve.points or () if 0.0 < x < full), full]
    for low, high in itertools.pairwise([0.0, *ends]):
        if lacks(low) * lacks(high) < 0.0:
            high = brentq(lacks, low, high, xtol=1e-13)
        elif abs(lacks(high)) > SAME * speed:
            continue
        if counts(high):
            return high
    return math.nan
