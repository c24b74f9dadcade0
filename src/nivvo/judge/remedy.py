"""What would make a failed check pass: small changes of one number, each fired to be sure."""

from __future__ import annotations

import math

from nivvo.errors import NivvoError
from nivvo.judge.case import others_of
from nivvo.judge.checks import judge, number
from nivvo.play.engine import fire
from nivvo.play.outcome.run import Run
from nivvo.spec.checking.links import in_hand
from nivvo.spec.drill import Drill

SPEED_STEPS = (0.01, 0.02, 0.05, 0.1, 0.2, 0.35, 0.5)
ELEVATION_STEPS = (0.5, 1.0, 2.0, 4.0, 8.0, 15.0, 25.0)
REFINEMENTS = 8


MOST_WORK = 600_000
"""Projectile-ticks (a shot counts as SHOT of them) that the search for remedies of one check may take."""

SHOT = 200
LEAST_TRIES = len(SPEED_STEPS) + len(ELEVATION_STEPS)


def tries_for(run: Run) -> int:
    """How often a run may be fired again to look for remedies, by what it cost."""
    flown = sum((row["ended"] - row["launched"]) * run.scene.ticks.rate for row in run.rows("projectiles"))
    return int(MOST_WORK / max(flown + SHOT * len(run.fired), 1.0))


def remedies(drill: Drill, case: str, check: int, run: Run) -> list[str]:
    """Changes of speed or elevation under which check number ``check`` of a ``run`` passes, the smallest of each.

    Each was fired, not guessed; none if nothing near helps, or if to fire again so often would take long.
    """
    if tries_for(run) < LEAST_TRIES:
        return []
    described, model = drill.case(case), drill.of_case(case)
    wanted = described.check[check]
    abilities = [wanted.of] if wanted.of in model.ability else sorted(in_hand(model, described))
    if len(abilities) != 1:
        return []
    launch, found = model.ability[abilities[0]].launch, []
    unit = model.world.unit
    path = f"ability.{abilities[0]}.launch"
    if isinstance(launch.speed, float):
        steps = [launch.speed * (1.0 + sign * step) for step in SPEED_STEPS for sign in (1, -1)]
        found += _first_that_helps(drill, case, check, f"{path}.speed", launch.speed, steps, f"{unit}/s")
    if isinstance(launch.elevation, float):
        steps = [launch.elevation + sign * step for step in ELEVATION_STEPS for sign in (1, -1)]
        steps = [step for step in steps if -90.0 <= step <= 90.0]
        found += _first_that_helps(drill, case, check, f"{path}.elevation", launch.elevation, steps, "deg")
    return found


def _first_that_helps(drill: Drill, case: str, check: int, key: str, now: float, steps, unit: str) -> list[str]:
    """The first of ``steps`` that passes; else one between the best of them and its neighbours, if any does."""
    margins: dict[float, float] = {now: _margin(drill, case, check, key, now)[1]}
    for value in steps:
        passed, margins[value] = _margin(drill, case, check, key, value)
        if passed:
            return [_said(key, value, now, unit)]
    known = sorted(value for value, margin in margins.items() if margin > -math.inf)
    if len(known) < 3:
        return []
    k = max(range(len(known)), key=lambda i: margins[known[i]])
    low, high = known[max(k - 1, 0)], known[min(k + 1, len(known) - 1)]
    for _ in range(REFINEMENTS):
        a, b = low + (high - low) / 3.0, high - (high - low) / 3.0
        (good_a, margin_a), (good_b, margin_b) = (_margin(drill, case, check, key, value) for value in (a, b))
        if good_a or good_b:
            return [_said(key, a if good_a else b, now, unit)]
        low, high = (low, b) if margin_a >= margin_b else (a, high)
    return []


def _said(key: str, value: float, now: float, unit: str) -> str:
    return f"{key} = {number(value, unit)} (now {number(now, unit)}) would pass"


def _margin(drill: Drill, case: str, check: int, key: str, value: float) -> tuple[bool, float]:
    """Whether the check passes with a key at ``value`` as it would be told, and its margin."""
    value = float(number(value))
    try:
        other = drill.with_settings({key: value})
        outcome = judge(fire(other, case), [other.case(case).check[check]], others_of(other, case))[0]
    except NivvoError:
        return False, -math.inf
    return outcome.passed, outcome.margin if math.isfinite(outcome.margin) else -math.inf
