"""Cues: named moments with a length, of which only so many sound at once; which were cut, and which refused."""

from __future__ import annotations

from collections.abc import Iterable
from operator import itemgetter
from typing import TYPE_CHECKING, Any

from nivvo.core import pool
from nivvo.plan.cues import Cue
from nivvo.record.vocabulary import ENDINGS

if TYPE_CHECKING:
    from nivvo.play.outcome.run import Run

FULL, EXPIRED = "full", "expired"
"""Moments beside those of ``WORDS``: a charge that is full; the end of what lived or flew as long as it may."""

EXPIRES = (pool.BY_LIFE, pool.BY_REACH)

WHOLE, CUT, REFUSED = "whole", "cut short", "refused"
WORDS = {
    "fired": "fired", "refused": "refused", "contact": "hit", "overlap": "hit", "bounced": "bounced", "out": "out",
    "ended": "ended", "blinked": "blinked", "scored": "scored", "sent": "sent", "burst": "burst",
    "anchored": "anchored", "pushed": "pushed", "came back": "back", "case won": "won", "case lost": "lost",
}  # fmt: skip
"""What asks for which cue, by the word of an event."""


def asks(cue: Cue, word: str, ability: str, group: str) -> bool:
    """Whether something that happens asks for a cue."""
    return cue.on == word and cue.ability in (None, ability) and cue.group in (None, group)


class Sounding:
    """The cues that sound; ``rows`` are those that were asked for, in order of time."""

    def __init__(self, cues: tuple[Cue, ...]):
        self.cues = cues
        self.rows: list[dict[str, Any]] = []
        self._now: dict[str, list[dict[str, Any]]] = {cue.name: [] for cue in cues}

    def hear(self, time: float, word: str, ability: str, group: str, projectile: str, body: str) -> list[dict]:
        """Let something happen at a time (s); returns rows of the cues that it asks for, and of those it cuts."""
        out = []
        for cue in self.cues:
            if asks(cue, word, ability, group):
                row = {"cue": cue.name, "time": time, "until": time + cue.lasts, "heard": WHOLE,
                       "projectile": projectile, "body": body, "ability": ability}  # fmt: skip
                sounding = self._now[cue.name]
                sounding[:] = [one for one in sounding if one["until"] > time]
                if cue.at_once is not None and len(sounding) >= cue.at_once:
                    if cue.when_full == "refuse":
                        row |= {"until": time, "heard": REFUSED}
                    else:
                        sounding[0].update(until=time, heard=CUT)
                        out.append(sounding.pop(0))
                if row["heard"] is WHOLE:
                    sounding.append(row)
                out.append(row)
        self.rows += [row for row in out if row["heard"] is not CUT]
        return out


def heard(run: Run) -> Iterable[dict[str, Any]]:
    """The cues of a run: each that was asked for, and whether it was heard whole."""
    sounding = Sounding(run.scene.cues)
    if not run.scene.cues:
        return []
    groups = {name: run.scene.groups[row["group"]] for name, row in zip(run.stage.names, run.stage.rows, strict=True)}
    abilities = {run.id_of(shot): shot.ability for shot in [*run.launched, *run.refused]}
    by_expiring = {ENDINGS[code].word for code in EXPIRES}
    expired = {row["projectile"] for row in run.rows("projectiles") if row["ended_by"] in by_expiring}
    told = [(row["time"], WORDS.get(row["what"], ""), row) for row in run.rows("events")]
    told += [(row["time"], FULL, row) for row in run.rows("states") if row["why"] == FULL]
    for time, word, row in sorted(told, key=itemgetter(0)):
        name, body = row.get("projectile", ""), row.get("body", "")
        ability = row.get("ability") or abilities.get(name.partition(".")[0], "")
        for one in (word, EXPIRED) if word == "ended" and name in expired else (word,):
            sounding.hear(time, one, ability, groups.get(body, ""), name, body)
    return sounding.rows
