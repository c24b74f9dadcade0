"""The log of a run: what happened, line by line, in words and numbers."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable
from functools import cached_property
from typing import Any

from nivvo.core import pool
from nivvo.play.outcome.happened import Happened, contact_of, detail_of, happened, position, sender_of
from nivvo.play.outcome.run import Run
from nivvo.play.rules.anchors import PLACED, REPLACED
from nivvo.record.vocabulary import ANSWERS, STILL_FLYING

MOST_WAYS = 8
"""Projectiles of a shot whose ways are told one by one."""


def told(run: Run) -> list[str]:
    """What happened, in order of time, one line each."""
    log = Log(run)
    lines = [f"{one.time:8.4f} s  {log.line(one)}" for one in happened(run)]
    lines += [
        f"{row['ended']:8.4f} s  {row['projectile']} was {row['reason']}"
        for row in run.rows("projectiles")
        if row["ended_by"] == STILL_FLYING
    ]
    return lines or ["nothing was fired"]


class Log:
    """A run in sentences."""

    def __init__(self, run: Run):
        self.run, self.unit, self.axes = run, run.scene.unit, "xyz"[: run.scene.frame.size]

    def line(self, one: Happened) -> str:
        """What happened, in a sentence."""
        says = SAYS[one.what]
        detail = detail_of(self.run, one, self.unit)
        return says.format(**one._asdict(), detail=detail) if isinstance(says, str) else says(self, one, detail)

    @cached_property
    def shots(self) -> dict[str, dict[str, Any]]:
        """The row of each shot."""
        return {row["shot"]: row for row in self.run.rows("shots")}

    @cached_property
    def flown(self) -> dict[str, dict[str, Any]]:
        """The row of each projectile."""
        return {row["projectile"]: row for row in self.run.rows("projectiles")}

    @cached_property
    def births(self) -> dict[str, dict[str, Any]]:
        """The row of the first birth of each shot."""
        return {shot_of(row): row for row in reversed(self.run.rows("births"))}

    @cached_property
    def many(self) -> Counter[str]:
        """How many projectiles each shot has."""
        return Counter(shot_of(row) for row in self.run.rows("births"))

    @cached_property
    def ways(self) -> dict[str, list[str]]:
        """Of each shot of an ability that spreads at random the ways of its projectiles, in words."""
        run, launch = self.run, {name: one.launch for name, one in self.run.scene.abilities.items()}
        random = {run.id_of(shot) for shot in run.fired
                  if launch[shot.ability].scatter is not None or launch[shot.ability].cone is not None}  # fmt: skip
        out: dict[str, list[str]] = {}
        for row in run.rows("births") if random else ():
            if (shot := shot_of(row)) in random:
                level = f"{row['direction']:.4g}°"
                both = f"{level} and {row['elevation']:.4g}° up"
                out.setdefault(shot, []).append(both if run.scene.frame.size == 3 else level)
        return out

    def place(self, row: dict[str, Any]) -> str:
        """Where a row is, as [x, y] m."""
        return f"{position([row[axis] for axis in self.axes], len(self.axes))} {self.unit}"

    def fired(self, one: Happened, detail: str) -> str:
        """A shot."""
        row, unit = self.shots[one.projectile], self.unit
        angles = f"elevation {row['elevation']:.4g}°, " if self.run.scene.frame.vertical else ""
        speed = f"{row['speed']:.5g} {unit}/s, " if row["speed"] < math.inf else ""
        text = (
            f"{row['shot']} fired by {row['shooter']} from the {row['muzzle']} muzzle at {self.place(row)}, "
            f"{speed}{angles}direction {row['direction']:.4g}°"
        )
        if row["held"] > 0.0:
            text += f", held {row['held']:.4g} s"
        elif self.run.scene.abilities[row["ability"]].firing.kind == "charge":
            text += ", with nothing charged"
        if row["projectiles"] > 1:
            text += f", {row['projectiles']} projectiles"
        if row["clearance"] < 0.0:
            text += f"; it starts {-row['clearance']:.3g} {unit} deep inside its shooter"
        if detail:
            text += f"; {detail}"
        if ways := self.ways.get(one.projectile):
            more = f" and {len(ways) - MOST_WAYS} more" if len(ways) > MOST_WAYS else ""
            text += f", spread to {', '.join(ways[:MOST_WAYS])}{more}"
        return text

    def sent(self, one: Happened, detail: str) -> str:
        """What a projectile sent."""
        row, many = self.births[one.projectile], self.many[one.projectile]
        text = f"{one.projectile} sent {detail} from {self.place(row)}"
        if not self.run.scene.abilities[one.of.ability].flight.instant:
            text += f", {math.sqrt(sum(row[f'v{axis}'] ** 2 for axis in self.axes)):.5g} {self.unit}/s"
        return text + (f", {many} projectiles" if many > 1 else "")

    def contact(self, one: Happened, detail: str) -> str:
        """A touch."""
        run, touch, then = self.run, contact_of(self.run, one.of), ANSWERS[int(one.of["code"])]
        text = f"{one.projectile} touched {one.body} at {position(touch.point, len(self.axes))} {self.unit}, "
        if not sender_of(run, int(one.of["key"])).flight.instant:
            text += "closing at " if one.of["u"].any() else ""
            text += f"{touch.speed:.5g} {self.unit}/s, "
        text += f"{touch.angle:.3g}° to the surface"
        if one.of["kind"] == pool.OVERLAP and one.of["left"] < 0.0:
            text += f", {-one.of['left']:.3g} {self.unit} deep inside"
        return text + {"enters": ", and went in", "pass": ", and flew on"}.get(then, "")

    def met(self, one: Happened, detail: str) -> str:
        """Two projectiles that met."""
        then = {"pass": ", and flew on", "bounce": ", and bounced"}.get(ANSWERS[int(one.of["code"])], "")
        return f"{one.projectile} met {self.run.ids.get(int(one.of['amount']), '')}{then}"

    def damage(self, one: Happened, detail: str) -> str:
        """Health that was taken or given."""
        amount, left = float(one.of["amount"]), max(float(one.of["left"]), 0.0)
        text = f"{one.body} " + (f"took {amount:.5g} damage" if amount > 0.0 else f"got {-amount:g} health")
        return text + (f", {left:g} health left" if left < math.inf else "")

    def anchored(self, one: Happened, detail: str) -> str:
        """An anchor that is placed, replaced, or does not fit."""
        if one.of["code"] == PLACED:
            return f"{one.projectile} is anchored on {one.body}" + (f", {detail}" if detail else "")
        what = "is anchored no more" if one.of["code"] == REPLACED else f"is not anchored on {one.body}"
        return f"{one.projectile} {what}: {detail}"

    def ended(self, one: Happened, detail: str) -> str:
        """The end of a projectile, and how it flew."""
        row, unit = self.flown[one.projectile], self.unit
        text = f"{one.projectile} ended: {detail}; "
        if not sender_of(self.run, int(one.of["key"])).flight.instant:
            text += f"flew {row['flight_time']:.4g} s, "
        text += f"{row['path_length']:.5g} {unit} of path, range {row['range']:.5g} {unit}"
        if self.run.scene.frame.vertical:
            start = "its start" if self.births[one.projectile.partition(".")[0]]["parent"] else "the muzzle"
            text += f", apex {row['apex']:.4g} {unit} above {start}"
        return text


def shot_of(row: dict[str, Any]) -> str:
    """The shot of a row of births."""
    return row["projectile"].partition(".")[0]


def _if(code: Callable[[Happened], bool], so: str, else_: str) -> Callable[[Log, Happened, str], str]:
    """One sentence or another."""
    return lambda log, one, detail: (so if code(one) else else_).format(**one._asdict(), detail=detail)


SAYS: dict[str, str | Callable[[Log, Happened, str], str]] = {
    "fired": Log.fired,
    "refused": "{projectile} was not fired: {detail}",
    "sent": Log.sent,
    "contact": Log.contact,
    "overlap": Log.contact,
    "damage": Log.damage,
    "out": _if(lambda one: one.of["code"] != 0, "{body} is out: removed", "{body} is out: no health left"),
    "ended": Log.ended,
    "slipped through": "{projectile} slipped through {body} between two ticks: a swept test would have touched it",
    "bounced": "{projectile} bounced off {body}, {detail}",
    "moment": "{projectile}: {detail}, and flies on",
    "came to rest": "{projectile} came to rest on {body}",
    "goes along": "{projectile} goes along {body} {detail}",
    "left": "{projectile} left {body}",
    "scored": "{projectile} scored {detail}",
    "burst": "{projectile} burst, {detail}",
    "blinked": _if(lambda one: one.of["code"] != 0, "{body} does not blink: {detail}", "{body} blinks {detail}"),
    "pushed": "{projectile} pushes {body}, {detail}",
    "pulled": "{projectile} pulls {body} at {detail}",
    "anchored": Log.anchored,
    "came back": "{body} came back, {detail}",
    "touched a shooter": "{body} touched {detail}",
    "arrived": "{body} arrived",
    "went away": "{body} went away",
    "turned away": _if(
        lambda one: one.of["code"] != 0, "{body} does not go through: {detail}", "{body} does not come: {detail}"
    ),
    "slowed": "{projectile} goes on at {detail}",
    "went through": _if(
        lambda one: one.projectile != "",
        "{projectile} came out of {body}: {detail}",
        "{body} went through: {detail}",
    ),
    "met": Log.met,
    "locked on": "{projectile} locked on {body}, {detail}",
    "lost": "{projectile} lost {body}: {detail}",
    "wave complete": "{detail}",
    "wave cleared": "{detail}",
    "case won": "the case is won: {detail}",
    "case lost": "the case is lost: {detail}",
}
"""What is said of each word of the table of events: a sentence to fill in, or what makes one."""
