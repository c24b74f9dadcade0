"""What happened in a run, in order of time, and what each of it comes to in words."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable
from operator import itemgetter
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers.clock import UNITS, to_seconds
from nivvo.core.numbers.frame import dot, length_of
from nivvo.play.outcome.waves import Waved, Waves
from nivvo.play.rules.anchors import DOES_NOT_FIT, PLACED
from nivvo.record.record import SAME
from nivvo.record.vocabulary import ANSWERS, ENDINGS, HAPPENINGS, LOSSES

if TYPE_CHECKING:
    from nivvo.plan.abilities.ability import Ability
    from nivvo.play.aims.aiming import Shot
    from nivvo.play.outcome.run import Run
    from nivvo.record.path import Path


STAYS = 1 << 62
"""A time (clock) that no run comes to."""


class Happened(NamedTuple):
    """Something that happened: when (s), to which projectile, a word, with which body, and what it was.

    of : an event of the record; the shot that was fired, refused or sent; what became of a wave; how a case came out.
    """

    time: float
    projectile: str
    what: str
    body: str
    of: Any


class Contact(NamedTuple):
    """A touch, with what follows from its event: the point on the surface, closing speed, angle in degrees."""

    event: np.void
    point: np.ndarray
    speed: float
    angle: float


LAST_TOUCHES = 6
"""Of so many at most it is told of whom they were, where there were too many in one tick."""


def happened(run: Run) -> list[Happened]:
    """All that happened, in order of time."""
    found: list[tuple[tuple, Happened]] = []
    for word, shots in (("fired", run.fired), ("refused", run.refused)):
        for shot in shots:
            time = to_seconds(shot.time)
            found.append(((time, 0, 0), Happened(time, run.id_of(shot), word, shot.shooter, shot)))
    behind: dict[tuple[int, float], int] = {}
    births = run.record.births
    born = dict(zip(births["key"].tolist(), to_seconds(births["time"]).tolist(), strict=True))
    for k, event in enumerate(run.record.events):
        key, time, word = int(event["key"]), time_of(event), HAPPENINGS[int(event["kind"])].word
        if abs(time - (launch := born.get(key, math.inf))) <= SAME * (1.0 + time):
            # At its launch: not a rounding before it.
            time = launch
        behind[key, time] = k
        found.append(((time, 1, k), Happened(time, run.ids.get(key, ""), word, body_of(run, event), event)))
    for shot in run.launched:
        if shot.parent >= 0:
            # After what its cause did in that instant, before what it does itself.
            time = to_seconds(shot.time)
            order = (time, 1, behind.get((shot.parent, time), -1) + 0.5)
            found.append((order, Happened(time, run.id_of(shot), "sent", "", shot)))
    for time, one in _waved(run):
        found.append(((time, 2, 1), Happened(time, "", one.word, run.stage.names[one.body], one)))
    if run.decided is not None:
        time = to_seconds(run.decided.time)
        found.append(((time, 3, 0), Happened(time, "", f"case {run.decided.word}", "", run.decided)))
    return [one for _, one in sorted(found, key=itemgetter(0))]


def _waved(run: Run) -> Iterable[tuple[float, Waved]]:
    """What became of waves, and when (s)."""
    waves = Waves(run.scene)
    for event in run.record.events if waves.of else ():
        for one in waves.see(int(event["kind"]), int(event["body"])):
            yield time_of(event), one


def detail_of(run: Run, one: Happened, unit: str = "") -> str:
    """What it comes to, in words; its lengths and speeds with a ``unit`` of length behind them, if one is given."""
    if isinstance(one.of, np.void):
        words = _DETAILS.get(int(one.of["kind"]))
        long, fast = (f" {unit}", f" {unit}/s") if unit else ("", "")
        return words(run, one, long, fast) if words else ""
    if one.what == "sent":
        return f"by {run.ids[one.of.parent]}"
    if one.what == "refused":
        return one.of.refused
    if one.what == "fired":
        return one.of.note
    return one.of.detail if isinstance(one.of, Waved) else one.of.why


def _deep(run: Run, one: Happened, long: str, fast: str) -> str:
    return f"{max(-one.of['left'], 0.0):.4g}{long} deep"


def _out(run: Run, one: Happened, long: str, fast: str) -> str:
    return f"{one.body} is removed" if one.of["code"] else f"{one.body} has no health left"


def ending_in_words(events: np.ndarray, code: int, body: int, key: int, named: Callable[[int], str]) -> str:
    """How a projectile ended, by the code and the body of its last event, which is among ``events``."""
    words = ENDINGS[code].sentence.format(body=named(body) if body >= 0 else "")
    if code == pool.BY_HOPS:
        # Between whom it is: those that it touched last.
        touched = events["body"][(events["key"] == key) & (events["kind"] == pool.CONTACT)][-LAST_TOUCHES:]
        words += f", of {' and '.join(dict.fromkeys(map(named, touched.tolist())))}"
    return words


def _ending(run: Run, one: Happened, long: str, fast: str) -> str:
    code, body, key = (int(one.of[word]) for word in ("code", "body", "key"))
    return ending_in_words(run.record.events, code, body, key, run.stage.names.__getitem__)


def _met(run: Run, one: Happened, long: str, fast: str) -> str:
    return f"{run.ids.get(int(one.of['amount']), '')}, {ANSWERS[int(one.of['code'])]}"


def _blinked(run: Run, one: Happened, long: str, fast: str) -> str:
    if one.of["code"]:
        return "no free place is near"
    return f"to {position(one.of['p'], run.scene.frame.size)}{long}"


def _anchored(run: Run, one: Happened, long: str, fast: str) -> str:
    event = one.of
    if event["code"] != PLACED:
        return "it does not fit there" if event["code"] == DOES_NOT_FIT else "a newer one took its place"
    return f"linked with {run.ids.get(int(event['amount']), '')}" if event["amount"] >= 0.0 else ""


def _through(run: Run, one: Happened, long: str, fast: str) -> str:
    event = one.of
    ids = run.ids.get(int(event["amount"]), ""), run.ids.get(int(event["left"]), "")
    return f"in at {ids[0]}, out at {ids[1]}" + ("" if event["code"] else f", at {length_of(event['v']):.5g}{fast}")


def _turned_away(run: Run, one: Happened, long: str, fast: str) -> str:
    return f"no room at {run.ids.get(int(one.of['amount']), '')}" if one.of["code"] else "no room is left"


def _back(run: Run, one: Happened, long: str, fast: str) -> str:
    return f"{one.of['left']:g} {'life' if one.of['left'] == 1 else 'lives'} left"


def _bounced(run: Run, one: Happened, long: str, fast: str) -> str:
    if sender_of(run, int(one.of["key"])).flight.instant:
        return "goes on"
    return f"goes on at {length_of(one.of['v']):.5g}{fast}"


_DETAILS: dict[int, Callable[[Run, Happened, str, str], str]] = {
    pool.OVERLAP: _deep,
    pool.DAMAGE: lambda run, one, long, fast: f"{one.of['amount']:g}",
    pool.OUT: _out,
    pool.ENDED: _ending,
    pool.MOMENT: _ending,
    pool.MET: _met,
    pool.BURST: lambda run, one, long, fast: f"radius {one.of['amount']:g}{long}",
    pool.SCORED: lambda run, one, long, fast: f"{one.of['amount']:g} points, {one.of['left']:g} in all",
    pool.LOCKED: lambda run, one, long, fast: f"{one.of['left']:.5g}{long} away",
    pool.LOST_TARGET: lambda run, one, long, fast: LOSSES[int(one.of["code"])],
    pool.BLINKED: _blinked,
    pool.PUSHED: lambda run, one, long, fast: f"{one.of['left']:.5g}{fast} faster",
    pool.PULLED: lambda run, one, long, fast: f"{one.of['amount']:.5g}{fast}",
    pool.ANCHORED: _anchored,
    pool.WENT_THROUGH: _through,
    pool.REACHED: lambda run, one, long, fast: run.stage.names[int(one.of["amount"])],
    pool.TURNED_AWAY: _turned_away,
    pool.BACK: _back,
    pool.SLID: lambda run, one, long, fast: f"at {length_of(one.of['v']):.5g}{fast}",
    pool.SLOWED: lambda run, one, long, fast: f"{length_of(one.of['v']):.5g}{fast}",
    pool.BOUNCED: _bounced,
    pool.SLIPPED: lambda run, one, long, fast: "a swept test would have touched",
}
"""What an event of the engine comes to, by its kind: of the run, what happened, units of length and of speed."""


def contact_of(run: Run, event: np.void) -> Contact:
    """A touch by its event."""
    point = event["p"] - event["normal"] * (radius_of(run, int(event["key"])) + event["left"])
    relative = event["v"] - event["u"]
    speed = length_of(relative)
    into = -float(dot(relative, event["normal"])) / speed if speed > 0.0 else 0.0
    return Contact(event, point, speed, math.degrees(math.asin(max(-1.0, min(1.0, into)))))


def position(vector, size: int) -> str:
    """A position in words, as [x, y]; what is nothing but rounding is 0."""
    small = 1e-12 * max(1.0, *(abs(x) for x in vector[:size]))
    return "[" + ", ".join(f"{0.0 if abs(x) <= small else x:.4g}" for x in vector[:size]) + "]"


def time_of(event: np.void) -> float:
    """When an event was (s)."""
    return float(event["start"] / UNITS + event["after"])


def spans_of(run: Run) -> dict[str, list[tuple[int, int]]]:
    """From when to when (clock) each body was there, by name: it may come, be out or go, and come back."""
    since = {name: run.stage.arrived.get(numbers[0]) for name, numbers in run.scene.whole.items()}
    spans: dict[str, list[tuple[int, int]]] = {name: [] for name in since}
    events = run.record.events
    for event in events[np.isin(events["kind"], (pool.OUT, pool.GONE, pool.BACK))]:
        name, time = body_of(run, event), int(event["start"]) + math.ceil(float(event["after"]) * UNITS)
        if event["kind"] == pool.BACK:
            since[name] = time
        elif since.get(name) is not None:
            spans[name].append((since[name], time))
            since[name] = None
    for name, start in since.items():
        if start is not None:
            spans[name].append((start, STAYS))
    return spans


class Near(NamedTuple):
    """A nearest approach: gap between the surfaces (units), when (s), to which shape (its number), there since (s)."""

    gap: float
    time: float
    number: int
    since: float


def nearest_to(
    run: Run, body: str, path: Path, radius: float, start: float = -math.inf, stop: float = math.inf
) -> Near | None:
    """The nearest approach of a flight to a body between two times (s), while that was there; None if it never was."""
    start, stop = max(start, float(path.t[0])), min(stop, float(path.t[-1]))
    both = [(max(come / UNITS, start), min(gone / UNITS, stop)) for come, gone in run.there[body]]
    return min(
        (
            Near(*run.stage.least_gap(number, path, radius, first, last), number, first)
            for first, last in both
            if first <= last
            for number in run.scene.whole[body]
        ),
        default=None,
    )


def body_of(run: Run, event: np.void) -> str:
    """The name of the body of an event, or ""."""
    return run.stage.names[event["body"]] if event["body"] >= 0 else ""


def sender_of(run: Run, key: int) -> Ability:
    """The ability that sent the projectile of a key."""
    return run.scene.abilities[run.by_key[key].ability]


def radius_of(run: Run, key: int) -> float:
    """Radius of the projectile of a key (units)."""
    return float(run.record.param(key)["radius"])


def origin_of(run: Run, shot: Shot) -> Shot:
    """The shot that was fired of which a shot came: by a split, by what was sent, or itself."""
    while shot.parent >= 0:
        shot = run.by_key[shot.parent]
    return shot


def family_of(run: Run, keys: Collection[int]) -> list[int]:
    """Projectiles of some keys, and all that came of them: by splits, by what they sent."""

    def came(key: int) -> bool:
        while key >= 0 and key not in keys:
            key = run.by_key[key].parent
        return key >= 0

    return list(filter(came, run.by_key))
