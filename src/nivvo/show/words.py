"""What a run comes to in words and numbers: a summary, rates, overlaps, tables of holds."""

from __future__ import annotations

import math
from collections import Counter
from itertools import groupby, product
from operator import itemgetter

from nivvo.core.numbers.clock import UNITS, to_seconds
from nivvo.play.outcome.happened import origin_of
from nivvo.play.outcome.run import Run
from nivvo.play.outcome.tables import ending_of
from nivvo.play.questions.clearance import Clearance, of_muzzle
from nivvo.play.questions.holding import HoldTable
from nivvo.play.questions.rating import RateTable

MOST_ENDS = MOST_REASONS = 3
"""Ways in which projectiles ended, and reasons for no shot, that a summary tells one by one."""


def summed_up(run: Run) -> list[str]:
    """What each ability came to, a line each; why nothing was fired, if so."""
    lines, waves = [], {number: wave.name for wave in run.scene.waves for number in wave.bodies.tolist()}
    for row in run.rows("totals"):
        name = row["ability"]
        what = [_many(row["shots"], "shot"), _many(row["hits"], "hit")]
        if row["projectiles"] != row["shots"]:
            what.insert(1, _many(row["projectiles"], "projectile"))
        what += [f"{row['damage']:.5g} damage"] if row["damage"] else []
        what += [f"{row['overkill']:.5g} beyond"] if row["overkill"] else []
        what += [f"{row['kills']} out"] if row["kills"] else []
        what += [f"score {row['score']:g}"] if row["score"] else []
        mine = [key for key, shot in run.by_key.items() if origin_of(run, shot).ability == name]
        ends = Counter(ending_of(run, run.record.flown(key), waves) for key in mine).most_common()
        told = [f"{reason} ({count})" if len(mine) > 1 else reason for reason, count in ends[:MOST_ENDS]]
        if rest := sum(count for _, count in ends[MOST_ENDS:]):
            told.append(f"other ends ({rest})")
        words = ", ".join(told)
        lines.append(f"{name}: {', '.join(what)}; {words}")
    for cue, rows in groupby(sorted(run.rows("cues"), key=itemgetter("cue")), key=itemgetter("cue")):
        found = Counter(row["heard"] for row in rows)
        cut = [f"{found[word]} {word}" for word in ("cut short", "refused") if found[word]]
        lines.append(f"cue {cue}: {', '.join([_many(sum(found.values()), 'time'), *cut])}")
    if run.decided is not None:
        lines.append(f"{run.decided.word} at {to_seconds(run.decided.time):.4g} s: {run.decided.why}")
    astray = Counter((state.ability, state.why) for state in run.state_changes if state.astray is not None)
    reasons = Counter((shot.ability, shot.refused) for shot in run.refused)
    for found, word, lost, table in (
        (astray, "press", "came to no shot", "states"),
        (reasons, "shot", "refused", "events"),
    ):
        lines += [f"{name}: {_many(n, word)} {lost}: {why}" for (name, why), n in found.most_common(MOST_REASONS)]
        if rest := sum(n for _, n in found.most_common()[MOST_REASONS:]):
            lines.append(f"{rest} more {lost}, for other reasons: --table {table} tells each")
    return lines


def _many(count: int, word: str) -> str:
    return f"{count} {word}" + ("" if count == 1 else "es" if word.endswith("s") else "s")


def overlaps(run: Run, ability: str) -> list[str]:
    """A line for each muzzle of an ability's shots that lies inside its own shooter at some aim or facing."""
    unit, lines, keys = run.scene.unit, [], run.scene.abilities[ability]
    shooters = dict.fromkeys(shot.shooter for shot in run.fired if shot.ability == ability)
    for shooter, muzzle in product(shooters, keys.muzzles or [None]):
        found = of_muzzle(run.stage, keys, shooter, if_inside=True, muzzle=muzzle)
        if found.least >= 0.0:
            lines.append(cleared(found, unit, f"{ability} from the {found.muzzle} muzzle"))
        else:
            where = f"direction {found.direction:.4g}°"
            if run.scene.frame.size == 3:
                where += f", elevation {found.elevation:.4g}°"
            deep = f"{-found.least:.3g} {unit}"
            text = f"{ability} starts {deep} inside its own shooter at some {found.turns_with} ({where})"
            if found.clear_forward == found.clear_forward:
                key = f"shooter.{shooter}.muzzle.{found.muzzle}.forward"
                text += f"; {key} = {found.clear_forward:.4g} clears it at every {found.turns_with}"
            lines.append(text)
    return lines


def compared(found: HoldTable | RateTable) -> list[str]:
    """What a table of holds, or of tick rates, comes to."""
    return _held(found) if isinstance(found, HoldTable) else _rated(found)


def _rated(found: RateTable) -> list[str]:
    units, lines = {"range": f" {found.unit}", "apex": f" {found.unit}", "flight_time": " s"}, []
    rates = f"{', '.join(f'{rate:g}' for rate in found.rates)} ticks/s"
    for name in dict.fromkeys(row["ability"] for row in found.rows):
        told = [_spread(column, values, units) for ability, column, values in found.differs if ability == name]
        lines.append(f"{name} at {rates}: {'; '.join(told) or 'the same'}")
    lines = lines or [f"nothing was fired at {rates}"]
    return lines + ([f"hangs on the tick rate: {', '.join(found.hangs_on)}"] if found.hangs_on else [])


def _spread(column: str, values: list, units: dict[str, str]) -> str:
    """From where to where a number goes, or which words there are."""
    if any(isinstance(one, str) or one is None for one in values):
        return f"{column.replace('_', ' ')}: {' or '.join(dict.fromkeys(str(one or 'not') for one in values))}"
    return f"{column.replace('_', ' ')} from {min(values):.5g} to {max(values):.5g}{units.get(column, '')}"


def _held(found: HoldTable) -> list[str]:
    lines = [] if found.full is None else [f"{found.ability} is full after {found.full:g} s"]
    for low, high, why in found.nothing:
        which = f"from {low:.4g} s on" if high == found.rows[-1]["held"] else f"up to {high:.4g} s"
        lines.append(f"holds {which} fire nothing: {why}")
    if found.scene.rules.seen_at_ticks:
        lines.append("input is seen at ticks: what is let go between two of them counts as held until the later")
    for key, when, lands in found.capped:
        lines.append(
            f"{key} reaches its cap after {when:.4g} s; the last step {'lands on' if lands else 'is cut at'} it"
        )
    if found.even:
        lines.append("reach is the same at every hold")
    elif found.turns_back is None:
        lines.append("reach does not turn back: the longest hold reaches farthest")
    else:
        lines.append(f"reach turns back: holds longer than {found.turns_back:.4g} s reach less far")
    return lines


def rates(run: Run) -> list[str]:
    """For each stream and shooter the rate that was asked for, and what the ticks delivered."""
    lines = []
    for name, shooter in dict.fromkeys((shot.ability, shot.shooter) for shot in run.fired):
        keys = run.scene.abilities[name].firing
        if keys.kind != "auto":
            continue
        asked = keys.rate or UNITS / keys.interval
        mine = [shot for shot in run.fired if (shot.ability, shot.shooter) == (name, shooter)]
        longest = max((([s for s in mine if s.use == use]) for use in {s.use for s in mine}), key=len)
        if len(longest) > 1:
            span = to_seconds(longest[-1].time - longest[0].time)
            given = (len(longest) - 1) / span if span else float("inf")
            rules = run.scene.rules
            how = (
                "exact timer" if rules.timer == "exact" else f"{rules.timer} timer at {run.scene.ticks.rate:g} ticks/s"
            )
            late = span - (len(longest) - 1) / asked
            # By no more than a tick it is the first and the last that lie unevenly.
            short = rules.timer != "exact" and late * run.scene.ticks.rate > 1.0 + 1e-6
            why = _falls_short(asked, run.scene.ticks.rate) if short else ""
            whose = ((shot.ability, shot.shooter, shot.use) for shot in run.refused)
            lost = sum(one == (name, shooter, longest[0].use) for one in whose)
            why = f": {lost} more were refused" if lost else why
            lines.append(f"{name}: asked {asked:.5g} shots/s, delivered {given:.5g} ({how}){why}")
    peak = run.in_the_air()[1]
    if len(peak) and peak.max() > 1:
        lines.append(f"at most {int(peak.max())} in the air at once")
    return lines


def absent(run: Run) -> list[str]:
    """Of those who were still to come when the case ended how many, and when the next was due."""
    scene, waves = run.scene, {number: wave for wave in run.scene.waves for number in wave.bodies.tolist()}
    away = {row["body"] for row in run.rows("events") if row["what"] == "turned away"}
    due: dict[str, list[float]] = {}
    for body, number in scene.number.items():
        if not run.there[body] and body not in away:
            name = waves[number].name if number in waves else body
            due.setdefault(name, []).append(to_seconds(scene.planned[number].arrives))
    many = {wave.name: len(wave.bodies) for wave in scene.waves}
    return [
        f"{name} had not come when the case ended: due at {min(times):.4g} s" if name not in many else
        f"{name}: {len(times)} of {many[name]} had not come when the case ended, the next due at {min(times):.4g} s"
        for name, times in due.items()
    ]  # fmt: skip


def _falls_short(asked: float, rate: float) -> str:
    """Why ticks deliver another rate than was asked for, and which they can."""
    ticks = rate / asked
    says = f": {1.0 / asked:.4g} s is {ticks:.4g} ticks"
    if abs(ticks - round(ticks)) <= 1e-9 * ticks:
        return f"{says}, but the time that the timer adds up falls short of that now and then"
    if ticks < 1.0:
        return f"{says}; one shot a tick is {rate:g} a second"
    can = " or ".join(f"{rate / k:.5g}" for k in (math.floor(ticks), math.ceil(ticks)))
    return f"{says}, and each shot waits for a whole one; {rate:g} ticks/s deliver {can} evenly"


def cleared(found: Clearance, unit: str, what: str = "the shot") -> str:
    """A muzzle's clearance in one line."""
    if found.least < 0.0:
        return f"clearance: {what} starts {-found.least:.3g} {unit} inside its own shooter at some {found.turns_with}"
    return f"clearance: {what} starts {found.least:.3g} {unit} clear of its shooter at every {found.turns_with}"
