"""What would make a failed check pass: small changes of one number, each fired to be sure."""

from __future__ import annotations

from nivvo.errors import NivvoError
from nivvo.judge.checks import judge, number
from nivvo.play.engine import fire
from nivvo.spec.drill import Drill

SPEED_STEPS = (0.01, 0.02, 0.05, 0.1, 0.2, 0.35, 0.5)
ELEVATION_STEPS = (0.5, 1.0, 2.0, 4.0, 8.0, 15.0, 25.0)


def remedies(drill: Drill, case: str, check: int) -> list[str]:
    """Changes of launch speed or elevation under which check number ``check`` passes, the smallest of each.

    Each was fired, not guessed; none if nothing near helps.
    """
    described, model = drill.case(case), drill.of_case(case)
    wanted = described.check[check]
    chosen = [described.ability] if isinstance(described.ability, str) else described.ability
    abilities = [wanted.of] if wanted.of in model.ability else sorted(chosen or model.ability)
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
    settings = drill.case(case).set
    for value in steps:
        changed = {f"case.{case}.set": {**settings, key: value}}
        try:
            other = drill.with_settings(changed)
            run = fire(other, case)
            outcome = judge(run, [other.case(case).check[check]])[0]
        except NivvoError:
            continue
        if outcome.passed:
            return [f"{key} = {number(value, unit)} (now {number(now, unit)}) would pass"]
    return []
