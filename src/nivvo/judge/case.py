"""Firing a case and judging it."""

from __future__ import annotations

from collections.abc import Callable
from os import PathLike

from nivvo.judge.checks import Check, Outcome, judge
from nivvo.play.engine import fire
from nivvo.play.outcome.run import Run
from nivvo.play.questions.rating import at_rate
from nivvo.results import Results
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill


@checked
def check(
    drill: Drill | str | PathLike[str], case: str | None = None, run: Run | None = None, *, compiled: bool = False
) -> Results[Outcome]:
    """The outcome of each check of a case (default: the first), fired now unless its ``run`` is given.

    compiled : as of ``fire``. Raises CallError for an unknown case.
    """
    name = drill.case_name(case)
    return judge(run or fire(drill, name, compiled=compiled), drill.case(name).check, others_of(drill, name))


def others_of(drill: Drill, name: str) -> Callable[[Check], list[Run]]:
    """What fires the runs that a check of a case compares with: other cases, or it at other tick rates."""

    def others(check: Check) -> list[Run]:
        if check.same_at is not None:
            return [at_rate(drill, name, rate) for rate in check.same_at]
        return [fire(drill, check.mirrors or check.same_as)]

    return others
