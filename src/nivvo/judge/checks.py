"""The checks: each tells what it found, whether that passes, and by how much."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from nivvo.core.numbers.frame import dot
from nivvo.core.numbers.frame import unit as unit_of
from nivvo.judge.closeness import Closest, closest, each_closest, whose
from nivvo.judge.measures import may_be_of, measure
from nivvo.play.outcome.run import Run
from nivvo.play.questions.rating import tolerance
from nivvo.record.vocabulary import BY_WORD
from nivvo.results import Results
from nivvo.spec.scenes.case import MEASURES, Check

LANDS_WITHIN = 0.5
"""Metres: radius of ``lands`` where none is written."""

EQUAL = 1e-6
"""How near counts as equal where no ``within`` is written: relative, absolute below 1."""


@dataclass(frozen=True, repr=False)
class Outcome:
    """What one check found.

    check : the check as it was written. passed : whether it holds. found : what happened, in words
    and numbers. margin : by how much it passed (positive) or failed (negative), in ``unit``; nan
    where there is no such number. nearest : the nearest miss, in words, or "".
    """

    check: str
    passed: bool
    found: str
    margin: float
    unit: str
    nearest: str = ""

    def __repr__(self) -> str:
        return f"<{'passed' if self.passed else 'FAILED'}: {self.check}: {self.found}>"


def judge(run: Run, checks: list[Check], others: Callable[[Check], list[Run]]) -> Results[Outcome]:
    """The outcome of each check on a run. others : gives the runs that a check compares with."""
    return Results(_judged(run, check, others) for check in checks)


def _judged(run: Run, check: Check, others: Callable[[Check], list[Run]]) -> Outcome:
    runs = [run, *(others(check) if check.verb in VERSUS else [])]
    named = check.of is not None and (check.verb != "measure" or MEASURES[check.measure].of == "projectile")
    for one in runs if named else []:
        if check.of not in whose(one):
            fired = ", ".join(map(one.id_of, one.fired[-3:])) or "nothing"
            return Outcome(written(check), False, f"there is no {check.of} in {one.case}; fired: {fired}", math.nan, "")
    return (VERSUS if check.verb in VERSUS else VERB)[check.verb](run, check, *runs[1:])


def written(check: Check) -> str:
    """A check in one line, as it stands in a file."""
    parts = []
    for key in (check.verb, *sorted(check.model_fields_set - {check.verb})):
        value = getattr(check, key)
        if isinstance(value, str):
            parts.append(f'{key} = "{value}"')
        elif isinstance(value, list):
            parts.append(f"{key} = [{', '.join(x if isinstance(x, str) else f'{x:g}' for x in value)}]")
        elif getattr(value, "ticks", None) is not None:
            parts.append(f'{key} = "{value.ticks} ticks"')
        else:
            parts.append(f"{key} = {value:g}")
    return ", ".join(parts)


def number(value: float, unit: str = "") -> str:
    """A number for a person: five significant digits and its unit; "none" for nan."""
    if math.isnan(value):
        return "none"
    text = f"{value:.5g}"
    return f"{text} {unit}" if unit else text


def _touches(run: Run, body: str, of: str | None) -> list[dict]:
    mine = set(run.names_of(of).values())
    return [row for row in run.rows("contacts") if row["projectile"] in mine and body in (row["body"], "anything")]


def _unseen(run: Run, of: str | None) -> str:
    """Why nothing came near to a body."""
    return "nothing flew while it was there" if run.names_of(of) else "nothing was fired"


def _miss(run: Run, near: Closest) -> str:
    unit = run.scene.unit
    row = next(row for row in run.rows("projectiles") if row["projectile"] == near.projectile)
    gap = max(near.gap, 0.0)
    text = f"{near.projectile} came within {number(gap, unit)} of it at {number(near.time, 's')}, {near.side} it"
    return f"{text}; it ended at {number(row['ended'], 's')}: {row['reason']}"


def _hits(run: Run, check: Check) -> Outcome:
    unit, text = run.scene.unit, written(check)
    rate = run.scene.ticks.rate
    touches = _touches(run, check.hits, check.of)
    low = check.after.seconds(rate) if check.after is not None else -math.inf
    high = check.before.seconds(rate) if check.before is not None else math.inf
    good = [row for row in touches if low <= row["time"] <= high]
    wanted = check.times or 1
    if len(good) >= wanted:
        first = good[0]
        if first["speed"] == math.inf:
            when, how = round(first["time"], 5), "without travel time"
        else:
            when, how = first["time"], f"closing at {number(first['speed'], f'{unit}/s')}"
        found = f"{first['projectile']} touched it at {number(when, 's')}, {how}"
        if wanted > 1:
            found = f"{len(good)} touches, the first: {found}"
        slack = min(high - good[wanted - 1]["time"], first["time"] - low)
        return Outcome(text, True, found, slack if math.isfinite(slack) else math.nan, "s")
    if touches and not good:
        late = touches[0]["time"] > high
        off = touches[0]["time"] - high if late else low - touches[-1]["time"]
        found = f"touched at {number(touches[0]['time'], 's')}, {number(off, 's')} too {'late' if late else 'early'}"
        return Outcome(text, False, found, -off, "s")
    if touches:
        found = f"touched {_often(len(good))}, not {_often(wanted)}"
        return Outcome(text, False, found, float(len(good) - wanted), "times")
    mine = set(run.names_of(check.of).values())
    through = [row for row in run.slipped() if row["body"] == check.hits and row["projectile"] in mine]
    if through:
        found = (
            f"slipped through between two ticks at {number(through[0]['time'], 's')}: a swept test would have touched"
        )
        return Outcome(text, False, found, math.nan, unit)
    near = closest(run, check.hits, check.of)
    gap = math.nan if near is None else -max(near.gap, 0.0)
    miss = _unseen(run, check.of) if near is None else _miss(run, near)
    return Outcome(text, False, "never touched", gap, unit, miss)


def _misses(run: Run, check: Check) -> Outcome:
    unit, text = run.scene.unit, written(check)
    touches = _touches(run, check.misses, check.of)
    if touches:
        first = touches[0]
        found = f"{first['projectile']} touched {first['body']} at {number(first['time'], 's')}"
        depth = math.nan
        return Outcome(text, False, found, depth, unit)
    if not run.rows("projectiles"):
        return Outcome(text, False, "nothing was fired, so nothing was shown", math.nan, unit)
    if check.misses == "anything":
        return Outcome(text, True, "nothing was touched", math.nan, unit)
    near = closest(run, check.misses, check.of)
    if near is None:
        return Outcome(text, False, f"{_unseen(run, check.of)}, so nothing was shown", math.nan, unit)
    return Outcome(text, True, "never touched", near.gap, unit, _miss(run, near))


def _lands(run: Run, check: Check) -> Outcome:
    frame, unit, text = run.scene.frame, run.scene.unit, written(check)
    within = check.within or LANDS_WITHIN * run.scene.metre
    wanted = frame.lift(check.lands)
    worst: tuple[float, str] | None = None
    mine = set(run.names_of(check.of).values())
    for row in run.rows("projectiles"):
        if row["projectile"] not in mine:
            continue
        touches = [one for one in run.rows("contacts") if one["projectile"] == row["projectile"]]
        if not BY_WORD[row["ended_by"]].lands:
            found = f"{row['projectile']} never landed: {row['reason']} at {number(row['ended'], 's')}"
            return Outcome(text, False, found, math.nan, unit)
        point = frame.lift([touches[-1][axis] for axis in "xyz"[: frame.size]])
        off = point - wanted
        far = float(np.sqrt(dot(off, off)))
        where = ", ".join(f"{x:.5g}" for x in frame.drop(point))
        words = f"{row['projectile']} landed at [{where}] {unit} on {touches[-1]['body']}"
        words += f", {number(far, unit)} from the point"
        if worst is None or far > worst[0]:
            worst = (far, words)
    if worst is None:
        return Outcome(text, False, "nothing was fired", math.nan, unit)
    return Outcome(text, worst[0] <= within, worst[1], within - worst[0], unit)


def _clears(run: Run, check: Check) -> Outcome:
    unit, text = run.scene.unit, written(check)
    margin = check.margin or 0.0
    touches = _touches(run, check.clears, check.of)
    if touches:
        first = touches[0]
        found = f"{first['projectile']} touched it at {number(first['time'], 's')}"
        return Outcome(text, False, found, -margin, unit)
    each = each_closest(run, check.clears, check.of)
    if not each:
        return Outcome(text, False, _unseen(run, check.of), math.nan, unit)
    stopped = next((one for one in each if one.at_end), None)
    if stopped is not None:
        return Outcome(text, False, "never got past it", math.nan, unit, _miss(run, stopped))
    near = min(each, key=lambda one: one.gap)
    found = f"{near.projectile} passed {near.side} it, {number(near.gap, unit)} clear at {number(near.time, 's')}"
    return Outcome(text, near.gap >= margin, found, near.gap - margin, unit)


def _measure(run: Run, check: Check) -> Outcome:
    value, unit = measure(run, check.measure, check.of)
    text, which = written(check), _which(run, check) + _came_back(run, check, value)
    if math.isnan(value):
        return Outcome(text, False, f"there is no {check.measure}: {_nothing(run, check.measure)}", math.nan, unit)
    margins = []
    if check.equals is not None:
        tolerance = check.within if check.within is not None else EQUAL * max(1.0, abs(check.equals))
        off = abs(value - check.equals)
        if check.within is None and off <= tolerance:
            return Outcome(text, True, f"{check.measure} is {number(value, unit)}{which}", math.nan, unit)
        margins.append(tolerance - off)
    if check.at_least is not None:
        margins.append(value - check.at_least)
    if check.at_most is not None:
        margins.append(check.at_most - value)
    margin = min(margins)
    return Outcome(text, margin >= 0.0, f"{check.measure} is {number(value, unit)}{which}", margin, unit)


def _came_back(run: Run, check: Check, value: float) -> str:
    """What says more than a range of nothing, of what flew all the same."""
    flown = measure(run, "path_length", check.of)[0] if check.measure == "range" else math.nan
    if not value <= 1e-6 * flown:
        return ""
    return f": on the level it ended where it began; its path_length is {number(flown, run.scene.unit)}"


def _which(run: Run, check: Check) -> str:
    """Of which projectile a number is, where there are several and it is of the first."""
    names, meant = list(run.names_of(check.of).values()), MEASURES[check.measure]
    if len(names) < 2 or meant.of != "projectile" or meant.counts:
        return ""
    first = names[0]
    if check.measure.startswith("impact"):
        first = next(row["projectile"] for row in run.rows("contacts") if row["projectile"] in names)
    return f" ({first}, the first of {len(names)})"


def _found(run: Run, check: Check, what: str) -> list[dict]:
    """The events of a kind that a check asks for."""
    rate = run.scene.ticks.rate
    low = check.after.seconds(rate) if check.after is not None else -math.inf
    high = check.before.seconds(rate) if check.before is not None else math.inf
    mine = {*run.names_of(check.of).values(), check.of}
    mine |= {run.id_of(shot) for shot in [*run.launched, *run.refused] if check.of in (None, shot.ability)}
    return [
        row
        for row in run.rows("events")
        if row["what"] == what
        and low <= row["time"] <= high
        and check.body in (None, row["body"])
        and (check.of is None or row["projectile"] in mine)
    ]


def _often(times: float) -> str:
    return "once" if times == 1 else f"{times:g} times"


def _happens(run: Run, check: Check) -> Outcome:
    rows, text = _found(run, check, check.happens), written(check)
    least, most = check.at_least, check.at_most
    if check.times is not None:
        least = most = check.times
    elif least is None and most is None:
        least = 1
    found = "it never happened"
    if rows:
        found = f"{_often(len(rows))}, first at {number(rows[0]['time'], 's')} "
        found += f"({rows[0]['projectile'] or rows[0]['detail']})"
    slack = [len(rows) - least] if least is not None else []
    slack += [most - len(rows)] if most is not None else []
    margin = float(min(slack))
    if margin < 0.0 and (rows or least > 1):
        bound = "" if least == most else "at least " if slack[0] < 0 and least is not None else "at most "
        found += f", not {bound}{_often(least if least is not None and len(rows) < least else most)}"
    return Outcome(text, margin >= 0.0, found, math.nan if margin >= 0.0 else margin, "times")


def _never(run: Run, check: Check) -> Outcome:
    rows, text = _found(run, check, check.never), written(check)
    if not run.rows("shots") and check.never not in ("fired", "refused"):
        return Outcome(text, False, "nothing was fired, so nothing was shown", math.nan, "")
    if rows:
        first = rows[0]
        with_ = f" with {first['body']}" if first["body"] else ""
        return Outcome(text, False, f"at {number(first['time'], 's')}: {first['projectile']}{with_}", math.nan, "")
    return Outcome(text, True, "it never happened", math.nan, "")


def _mirrors(run: Run, check: Check, other: Run) -> Outcome:
    """The first shots of both, each from its launch on, mirrored in the upright plane between their directions."""
    frame, unit, text = run.scene.frame, run.scene.unit, written(check)
    if not run.fired or not other.fired:
        return Outcome(text, False, f"nothing was fired in {(run if not run.fired else other).case}", math.nan, unit)
    one, two = run.flight(next(iter(run.ids.values()))), other.flight(next(iter(other.ids.values())))
    stop = min(one.t[-1] - one.t[0], two.t[-1] - two.t[0])
    if (check.until or "first contact") == "first contact":
        starts = ((run, one), (other, two))
        touches = [row["time"] - path.t[0] for each, path in starts for row in each.rows("contacts")[:1]]
        stop = min([stop, *touches])
    heading, headed = frame.level(run.fired[0].heading), frame.level(other.fired[0].heading)
    n = unit_of(heading - headed)
    times = np.linspace(0.0, stop, 400)
    a, b = one.at(one.t[0] + times)[0] - one.p[0], two.at(two.t[0] + times)[0] - two.p[0]
    off = a - (b - 2.0 * dot(b, n)[:, None] * n)
    far = np.sqrt(dot(off, off))
    within = check.within or 1e-6 * run.scene.size
    k = int(np.argmax(far))
    found = (
        f"both fly {number(stop, 's')} mirrored, at most {number(float(far[k]), unit)} apart at {number(times[k], 's')}"
    )
    if not n.any():
        found += "; both are aimed alike, so that nothing is mirrored"
    return Outcome(text, bool(far[k] <= within and n.any()), found, within - float(far[k]), unit)


def _same(run: Run, check: Check, *others: Run) -> Outcome:
    text, worst, said = written(check), math.inf, ""
    fit = [
        name for name in MEASURES if check.of is None or all(check.of in may_be_of(one, name) for one in (run, *others))
    ]
    asked = fit if check.numbers is None else [name for name in check.numbers if name in fit]
    for other, name in itertools.product(others, asked):
        if check.of is None and MEASURES[name].needs_of:
            continue
        (a, unit), (b, _) = measure(run, name, check.of), measure(other, name, check.of)
        if math.isnan(a) and math.isnan(b):
            continue
        equal = EQUAL * max(1.0, abs(b)) if check.same_at is None else tolerance(a, b)
        within = equal if check.within is None else check.within
        margin = within - abs(a - b) if not math.isnan(a - b) else -math.inf
        if margin < worst:
            where = f"in {other.case}" if check.same_at is None else f"at {other.scene.ticks.rate:g} ticks/s"
            worst, said = margin, f"{name} is {number(a, unit)} here and {number(b, unit)} {where}"
    if not said:
        return Outcome(text, False, "there is no such number in any", math.nan, "")
    if worst >= 0.0 and check.same_at is not None:
        said = f"the same at {', '.join(f'{rate:g}' for rate in check.same_at)} ticks/s"
    margin = math.nan if check.within is None and worst >= 0.0 else worst
    return Outcome(text, worst >= 0.0, said, margin if math.isfinite(margin) else math.nan, "")


def _nothing(run: Run, name: str) -> str:
    if not run.rows("shots"):
        return "nothing was fired"
    return "nothing was touched" if name.startswith("impact") else "it does not happen here"


VERB: dict[str, Callable[[Run, Check], Outcome]] = {
    "hits": _hits,
    "misses": _misses,
    "lands": _lands,
    "clears": _clears,
    "measure": _measure,
    "happens": _happens,
    "never": _never,
}
"""Each verb and the function that judges it."""

VERSUS: dict[str, Callable[..., Outcome]] = {"mirrors": _mirrors, "same_as": _same, "same_at": _same}
"""Those that compare with other runs: of the case whose name stands at the verb, or at the tick rates there."""
