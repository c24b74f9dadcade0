"""The tables of a run, as data: of what each is a table, and its columns."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable
from operator import attrgetter
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers.clock import to_seconds
from nivvo.core.numbers.frame import added, length_of
from nivvo.play.outcome.cues import heard
from nivvo.play.outcome.happened import (
    body_of,
    contact_of,
    detail_of,
    ending_in_words,
    happened,
    nearest_to,
    origin_of,
    radius_of,
    time_of,
)
from nivvo.play.rules.anchors import PLACED, REPLACED
from nivvo.play.stage.player import Player
from nivvo.record.record import Flown
from nivvo.record.vocabulary import ANSWERS, BIRTHS, ENDINGS, LOSSES

if TYPE_CHECKING:
    from nivvo.play.outcome.run import Run


class Column(NamedTuple):
    """A column, or with ``vector`` one an axis, whose names begin with ``name``; ``take``: its value of (run, row)."""

    name: str
    take: Callable[[Run, Any], Any]
    vector: bool = False


class Sheet(NamedTuple):
    """A table: what it has rows of, and its columns."""

    source: Callable[[Run], Iterable[Any]]
    columns: tuple[Column, ...]


def cells_of(run: Run, name: str) -> dict[str, list]:
    """A table, column by column."""
    sheet, size = SHEETS[name], run.scene.frame.size
    rows, cells = list(sheet.source(run)), []
    for column in sheet.columns:
        values = [column.take(run, one) for one in rows]
        made = values or np.zeros((0, size))
        cells += np.array(made, dtype=float).T[:size].tolist() if column.vector else [values]
    return dict(zip(columns_of(name, size), cells, strict=True))


def rows_of(run: Run, name: str) -> list[dict[str, Any]]:
    """The rows of a table."""
    cells = cells_of(run, name)
    return [dict(zip(cells, row, strict=True)) for row in zip(*cells.values(), strict=True)]


def axes_of(size: int) -> tuple[str, ...]:
    """Names of the axes of positions."""
    return ("x", "y") if size == 2 else ("x", "y", "z")


def columns_of(table: str, size: int) -> list[str]:
    """Names of the columns of a table."""
    axes = axes_of(size)
    return [
        name
        for column in SHEETS[table].columns
        for name in ([f"{column.name}{axis}" for axis in axes] if column.vector else [column.name])
    ]


def _targets(run: Run) -> Iterable[dict[str, Any]]:
    contacts, healths = run.rows("contacts"), healths_of(run)
    out = {body_of(run, event): time_of(event) for event in run.record.events if event["kind"] == pool.OUT}
    for name, kind, body in zip(run.scene.names, run.scene.kinds, run.scene.bodies, strict=True):
        if kind == "target" and body["first"] == 0:
            damage, left = healths[name]
            touches = [row["time"] for row in contacts if row["body"] == name]
            yield {
                "target": name,
                "group": run.scene.groups[body["group"]],
                "contacts": len(touches),
                "damage": damage,
                "health": float(body["health"]),
                "health_left": left,
                "arrived": _arrived(run, name),
                "out_at": out.get(name, math.nan),
                "time_to_kill": out.get(name, math.nan) - touches[0] if touches else math.nan,
            }


def healths_of(run: Run) -> dict[str, tuple[float, float]]:
    """Of each body by name the damage that it took, and the health that it has at the end."""
    fulls, events = run.scene.bodies["full"].tolist(), run.record.events
    full = {name: fulls[number] for name, number in run.scene.number.items()}
    taken, left = dict.fromkeys(full, 0.0), dict(full)
    for k in [k for k, kind in enumerate(events["kind"].tolist()) if kind in (pool.DAMAGE, pool.BACK)]:
        event = events[k]
        name, came_back = body_of(run, event), event["kind"] == pool.BACK
        taken[name] += 0.0 if came_back else max(float(event["amount"]), 0.0)
        left[name] = full[name] if came_back else max(float(event["left"]), 0.0)
    return {name: (taken[name], left[name]) for name in full}


def _arrived(run: Run, name: str) -> float:
    """When a body was there (s); nan if it never was."""
    time = run.stage.arrived.get(run.scene.number[name])
    return math.nan if time is None else to_seconds(time)


TOTALS = (
    "ability", "shots", "projectiles", "hits", "accuracy", "damage", "overkill", "damage_a_second", "kills", "score",
)  # fmt: skip


def _totals(run: Run) -> Iterable[dict[str, Any]]:
    """What each ability came to: its shots, and what they and all that came of them did to targets."""
    of = {key: origin_of(run, shot).ability for key, shot in run.by_key.items()}
    for name in dict.fromkeys(shot.ability for shot in run.fired):
        shots = sum(shot.ability == name for shot in run.fired)
        mine = [key for key, ability in of.items() if ability == name]
        yield {"ability": name, "shots": shots, **did(run, mine)}


def did(run: Run, keys: Collection[int]) -> dict[str, Any]:
    """What the projectiles of some keys did to targets: the columns of totals from ``projectiles`` on."""
    targets = {name for name, kind in zip(run.stage.names, run.stage.kinds, strict=True) if kind == "target"}
    mine = run.record.events[np.isin(run.record.events["key"], list(keys))]
    on = [event for event in mine if body_of(run, event) in targets]
    hit = {int(event["key"]) for event in on if event["kind"] in (pool.CONTACT, pool.OVERLAP)}
    damage = [event for event in on if event["kind"] == pool.DAMAGE and event["amount"] > 0.0]
    dealt = float(added(event["amount"] for event in damage))
    over = float(added(max(-float(event["left"]), 0.0) for event in damage))
    flown = [run.record.flown(key) for key in keys]
    used = max((one.stop for one in flown), default=0.0) - min((one.start for one in flown), default=0.0)
    return {
        "projectiles": len(flown),
        "hits": len(hit),
        "accuracy": len(hit) / len(flown) if flown else math.nan,
        "damage": dealt - over,
        "overkill": over,
        "damage_a_second": (dealt - over) / used if used > 0.0 else math.nan,
        "kills": sum(int(event["kind"]) == pool.OUT for event in on),
        "score": float(added(event["amount"] for event in mine if event["kind"] == pool.SCORED)),
    }


def _bodies(run: Run) -> Iterable[tuple]:
    """Bodies over time, tick by tick, where they change; what has several shapes once, by its place.

    Each: time (s), number, place and velocity (3,), speed, facing (degrees, or nan).
    """
    stage = run.stage
    players = {player.body: player for player in stage.players.values()}
    last = run.scene.ticks.holding(run.until)
    edges = np.array([run.scene.ticks.edge(tick) for tick in range(last + 2)])
    edges = edges[: np.searchsorted(edges, run.until) + 1]
    found = [np.zeros((0, 11))]
    for order, number in enumerate(stage.arrived):
        if stage.pieces(number)[0] != number:
            continue
        there = np.zeros(len(edges), dtype=bool)
        for start, end in run.there[stage.names[number]]:
            there |= (edges >= start) & (edges < end)
        ticks = np.flatnonzero(there & (edges <= run.until))
        comes = np.diff(ticks, prepend=-2) > 1
        if number not in players and not stage.motions[number].moves:
            ticks, comes = ticks[comes], comes[comes]
        if len(ticks):
            ticks, states = _on_its_way(run, number, players.get(number), edges, ticks, comes)
            found.append(np.column_stack([ticks, np.full(len(ticks), order), np.full(len(ticks), number), states]))
    rows = np.concatenate(found)
    rows = rows[np.lexsort((rows[:, 1], rows[:, 0]))]
    times, numbers = to_seconds(edges[rows[:, 0].astype(int)]), rows[:, 2].astype(int)
    place, velocity, speed, facing = rows[:, 3:6], rows[:, 6:9], rows[:, 9], rows[:, 10]
    return zip(
        times.tolist(), numbers.tolist(), *(one.tolist() for one in (place, velocity, speed, facing)), strict=True
    )


def _on_its_way(run: Run, number: int, player: Player | None, edges, ticks, comes) -> tuple[np.ndarray, np.ndarray]:
    """At which ticks a body is elsewhere than before, or comes (n,): those, and place, velocity, speed, facing then."""
    times = edges[ticks]
    p, v = run.stage.motions[number].along(times)
    facing = np.full(len(ticks), np.nan)
    if player is not None:
        direction_of = run.scene.frame.direction_of
        facing[:] = [float(direction_of(player.facing(time))) for time in times.tolist()]
    state = np.column_stack([p - run.stage.shifts.get(number, 0.0), v, np.sqrt((v * v).sum(axis=1)), facing])
    same = (state[1:] == state[:-1]) | np.isnan(state[1:])
    changed = comes | np.concatenate([[True], ~same.all(axis=1)])
    return ticks[changed], state[changed]


def ending_of(run: Run, flown: Flown, waves: dict[int, str] | None = None) -> str:
    """How a projectile ended, in words; a body by its name, or by what it goes by in ``waves``."""

    def named(number: int) -> str:
        return (waves or {}).get(number, run.stage.names[number])

    if flown.end is None and (lay := run.record.lay(flown.key)) and lay[-1][1] == math.inf:
        return f"still on {named(lay[-1][2])} when the case ended"
    if flown.end is None and (body := run.record.along(flown.key)) is not None:
        return f"still going along {named(body)} when the case ended"
    if flown.end is None:
        return ENDINGS[pool.FLYING].sentence
    return ending_in_words(run.record.events, flown.code, flown.body, flown.key, named)


def _timed(run: Run, ability: str, speed: float) -> float:
    """A speed, or inf of what has no travel time."""
    return math.inf if run.scene.abilities[ability].flight.instant else speed


class Pursuit(NamedTuple):
    """A projectile follows a body from an event until a time (s): why it lost it; turn radius, least gap (units)."""

    event: np.void
    until: float
    why: str
    turn_radius: float
    closest: float


def _pursuits(run: Run) -> Iterable[Pursuit]:
    for k, event in enumerate(run.record.events):
        if event["kind"] != pool.LOCKED:
            continue
        key, flown = int(event["key"]), run.record.flown(int(event["key"]))
        rest = run.record.events[k + 1 :]
        lost = next((one for one in rest if one["key"] == key and one["kind"] == pool.LOST_TARGET), None)
        row, speed = run.record.param(key), length_of(event["v"])
        rate = min(float(row["rate"]), float(row["side"]) / speed if speed > 0.0 else math.inf)
        radius = speed / rate if rate > 0.0 and row["law"] != pool.BLEND else math.nan
        until, why = (flown.stop, "") if lost is None else (time_of(lost), LOSSES[int(lost["code"])])
        near = None
        if flown.path.known:
            near = nearest_to(run, body_of(run, event), flown.path, radius_of(run, key), time_of(event), until)
        # A touch is one to the rounding of its place.
        gap = math.nan if near is None else near.gap if near.gap > pool.SURFACE_SHARE * run.scene.size else 0.0
        yield Pursuit(event, until, why, radius, gap)


class Anchored(NamedTuple):
    """An anchor that was placed, by its event; until when it is there (s), why it is gone; with which it was linked."""

    event: np.void
    until: float
    gone_by: str
    linked: str


def _anchors(run: Run) -> Iterable[Anchored]:
    events = [event for event in run.record.events if event["kind"] in (pool.ANCHORED, pool.OUT)]
    for k, event in enumerate(events):
        if event["kind"] == pool.ANCHORED and event["code"] == PLACED:
            until, why = math.inf, ""
            for later in events[k + 1 :]:
                if later["kind"] == pool.OUT and later["body"] == event["body"]:
                    until, why = time_of(later), "its body is out"
                elif later["kind"] == pool.ANCHORED and later["code"] == REPLACED and later["key"] == event["key"]:
                    until, why = time_of(later), "a newer one took its place"
                else:
                    continue
                break
            pair = next((int(one["key"]) for one in events if one["kind"] == pool.ANCHORED
                         and one["code"] == PLACED and int(one["amount"]) == int(event["key"])), -1)  # fmt: skip
            pair = int(event["amount"]) if event["amount"] >= 0.0 else pair
            yield Anchored(event, until, why, run.ids.get(pair, ""))


class Effect(NamedTuple):
    """What an event did: a word, by how much, and what was before and after; nan where there is no such number."""

    event: np.void
    word: str
    amount: float
    before: float = math.nan
    after: float = math.nan


def _effects(run: Run) -> Iterable[Effect]:
    for event in run.record.events:
        kind, code, amount, left = (event[name].item() for name in ("kind", "code", "amount", "left"))
        if kind == pool.DAMAGE:
            yield Effect(event, "damage" if amount > 0.0 else "healing", abs(amount), left + amount, max(left, 0.0))
        elif kind == pool.SCORED:
            yield Effect(event, "score", amount, left - amount, left)
        elif kind == pool.OUT and code == 1:
            yield Effect(event, "removed", math.nan)
        elif kind == pool.PUSHED:
            yield Effect(event, "push", amount)
        elif kind == pool.PULLED:
            yield Effect(event, "pull", amount)
        elif kind == pool.BLINKED and code == 0:
            yield Effect(event, "blink", math.nan)
        elif kind == pool.ANCHORED and code == PLACED:
            yield Effect(event, "anchor", math.nan)
        elif kind == pool.BURST:
            yield Effect(event, "burst", amount)


def _shot_of(run: Run, one: Effect) -> str:
    """The shot of which an effect came, or "": of a body that touches a shooter."""
    shot = run.by_key.get(int(one.event["key"]))
    return "" if shot is None else run.id_of(origin_of(run, shot))


def _named(*names: str) -> tuple[Column, ...]:
    """Columns of what has them as items."""
    return tuple(Column(name, lambda _, row, name=name: row[name]) for name in names)


def _plain(**of: str) -> tuple[Column, ...]:
    """Columns that are attributes of what has them: name and attribute."""
    return tuple(Column(name, lambda _, one, take=attrgetter(word): take(one)) for name, word in of.items())


SHEETS: dict[str, Sheet] = {
    "shots": Sheet(
        lambda run: run.fired,
        (
            Column("shot", lambda run, shot: run.id_of(shot)),
            *_plain(ability="ability", shooter="shooter", muzzle="muzzle"),
            Column("time", lambda _, shot: to_seconds(shot.time)),
            Column("pressed", lambda _, shot: to_seconds(shot.pressed)),
            Column("held", lambda _, shot: to_seconds(shot.moment.held)),
            *_plain(use="use"),
            Column("", lambda _, shot: shot.at, vector=True),
            Column("direction", lambda run, shot: float(run.scene.frame.direction_of(shot.velocity))),
            Column("elevation", lambda run, shot: float(run.scene.frame.elevation(shot.velocity))),
            Column("speed", lambda run, shot: _timed(run, shot.ability, length_of(shot.velocity))),
            Column("v", lambda _, shot: shot.velocity, vector=True),
            Column("projectiles", lambda _, shot: len(shot.sent)),
            *_plain(clearance="clearance", lag="stance.lag", aim_remains="remains", note="note"),
        ),
    ),
    "projectiles": Sheet(
        lambda run: [run.record.flown(key) for key in run.by_key],
        (
            Column("projectile", lambda run, flown: run.ids[flown.key]),
            Column("ability", lambda run, flown: run.by_key[flown.key].ability),
            *_plain(launched="start", ended="stop", flight_time="flight_time"),
            Column("end_", lambda _, flown: flown.last_p, vector=True),
            Column("range", lambda run, flown: flown.range(run.scene.frame)),
            Column("apex", lambda run, flown: flown.apex(run.scene.frame)),
            *_plain(path_length="path_length"),
            Column("end_speed", lambda run, flown: _timed(run, run.by_key[flown.key].ability, flown.end_speed)),
            Column("ended_by", lambda _, flown: ENDINGS[flown.code].word),
            Column("reason", ending_of),
        ),
    ),
    "births": Sheet(
        lambda run: run.record.births,
        (
            Column("projectile", lambda run, birth: run.ids[int(birth["key"])]),
            Column("parent", lambda run, birth: run.ids.get(int(birth["parent"]), "")),
            Column("time", lambda _, birth: to_seconds(int(birth["time"]))),
            Column("", lambda _, birth: birth["p"], vector=True),
            Column("v", lambda _, birth: birth["v"], vector=True),
            Column("direction", lambda run, birth: float(run.scene.frame.direction_of(birth["v"]))),
            Column("elevation", lambda run, birth: float(run.scene.frame.elevation(birth["v"]))),
            Column("why", lambda _, birth: BIRTHS[int(birth["why"])]),
        ),
    ),
    "contacts": Sheet(
        lambda run: [contact_of(run, one) for one in run.record.events if one["kind"] in (pool.CONTACT, pool.OVERLAP)],
        (
            Column("time", lambda _, one: time_of(one.event)),
            Column("tick", lambda _, one: int(one.event["tick"])),
            Column("projectile", lambda run, one: run.ids[int(one.event["key"])]),
            Column("body", lambda run, one: body_of(run, one.event)),
            Column("group", lambda run, one: run.scene.groups[run.stage.rows["group"][one.event["body"]]]),
            Column("then", lambda _, one: ANSWERS[int(one.event["code"])]),
            Column("", lambda _, one: one.point, vector=True),
            Column("normal_", lambda _, one: one.event["normal"], vector=True),
            Column("speed", lambda run, one: _timed(run, run.by_key[int(one.event["key"])].ability, one.speed)),
            *_plain(angle="angle"),
            Column(
                "overlap",
                lambda _, one: max(-float(one.event["left"]), 0.0) if one.event["kind"] == pool.OVERLAP else 0.0,
            ),
        ),
    ),
    "meetings": Sheet(
        lambda run: [event for event in run.record.events if event["kind"] == pool.MET],
        (
            Column("time", lambda _, event: time_of(event)),
            Column("projectile", lambda run, event: run.ids[int(event["key"])]),
            Column("other", lambda run, event: run.ids[int(event["amount"])]),
            Column("then", lambda _, event: ANSWERS[int(event["code"])]),
            Column("", lambda _, event: event["p"], vector=True),
            Column("normal_", lambda _, event: event["normal"], vector=True),
        ),
    ),
    "effects": Sheet(
        _effects,
        (
            *_plain(effect="word"),
            Column("time", lambda _, one: time_of(one.event)),
            Column("projectile", lambda run, one: run.ids.get(int(one.event["key"]), "")),
            Column("shot", _shot_of),
            Column("body", lambda run, one: body_of(run, one.event)),
            *_plain(amount="amount", before="before", after="after"),
        ),
    ),
    "scores": Sheet(
        lambda run: [event for event in run.record.events if event["kind"] == pool.SCORED],
        (
            Column("time", lambda _, event: time_of(event)),
            Column("projectile", lambda run, event: run.ids[int(event["key"])]),
            Column("shooter", lambda run, event: run.by_key[int(event["key"])].shooter),
            Column("body", body_of),
            Column("points", lambda _, event: float(event["amount"])),
            Column("total", lambda _, event: float(event["left"])),
        ),
    ),
    "totals": Sheet(_totals, _named(*TOTALS)),
    "pursuits": Sheet(
        _pursuits,
        (
            Column("projectile", lambda run, one: run.ids[int(one.event["key"])]),
            Column("body", lambda run, one: body_of(run, one.event)),
            Column("locked", lambda _, one: time_of(one.event)),
            *_plain(until="until"),
            Column("followed_for", lambda _, one: one.until - time_of(one.event)),
            Column("distance", lambda _, one: float(one.event["left"])),
            *_plain(closest="closest", turn_radius="turn_radius", lost_by="why"),
        ),
    ),
    "anchors": Sheet(
        _anchors,
        (
            Column("anchor", lambda run, one: run.ids[int(one.event["key"])]),
            Column("ability", lambda run, one: run.by_key[int(one.event["key"])].ability),
            Column("shooter", lambda run, one: run.by_key[int(one.event["key"])].shooter),
            Column("body", lambda run, one: body_of(run, one.event)),
            Column("time", lambda _, one: time_of(one.event)),
            Column("", lambda _, one: one.event["p"], vector=True),
            Column("normal_", lambda _, one: one.event["normal"], vector=True),
            *_plain(linked_with="linked", until="until", gone_by="gone_by"),
        ),
    ),
    "cues": Sheet(heard, _named("cue", "time", "until", "heard", "projectile", "body", "ability")),
    "targets": Sheet(
        _targets,
        _named("target", "group", "contacts", "damage", "health", "health_left", "arrived", "out_at", "time_to_kill"),
    ),
    "bodies": Sheet(
        _bodies,
        (
            Column("time", lambda _, one: one[0]),
            Column("body", lambda run, one: run.stage.names[one[1]]),
            Column("kind", lambda run, one: run.stage.kinds[one[1]]),
            Column("", lambda _, one: one[2], vector=True),
            Column("v", lambda _, one: one[3], vector=True),
            Column("speed", lambda _, one: one[4]),
            Column("facing", lambda _, one: one[5]),
        ),
    ),
    "events": Sheet(
        happened,
        (
            *_plain(time="time", projectile="projectile", what="what", body="body"),
            Column("detail", detail_of),
        ),
    ),
    "states": Sheet(
        lambda run: run.state_changes,
        (
            Column("time", lambda _, one: to_seconds(one.time)),
            *_plain(ability="ability", shooter="shooter", state="state", why="why"),
        ),
    ),
}
"""Each table of a run."""
