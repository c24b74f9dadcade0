"""What one session left behind, as plain arrays: births, events, samples, and what each launch was.

It can be kept as JSON text, read again, or sent to another process: all that is told of a run can be worked out anew.
"""

from __future__ import annotations

import json
import math
from functools import cached_property
from typing import Any

import numpy as np

from nivvo.core import pool
from nivvo.core.launching.air import Air
from nivvo.core.numbers.clock import UNITS, to_seconds
from nivvo.core.numbers.frame import Frame, length_of
from nivvo.record.path import Path
from nivvo.record.vocabulary import TURNS

BIRTH = np.dtype(
    [
        ("key", "i8"),
        ("parent", "i8"),
        ("time", "i8"),
        ("moves_at", "i8"),
        ("p", "f8", 3),
        ("v", "f8", 3),
        ("shot", "i4"),
        ("param", "i4"),
        ("why", "i4"),
        ("pad", "i4"),
    ]
)
"""A projectile is born: key; parent, the key of that which it came of, or -1; time and moves_at (clock), place and
velocity; shot: its shot's number within the record; param: its row of params; why: a place in ``vocabulary.BIRTHS``."""

NOBODY = -1
KINDS = {"births": BIRTH, "events": pool.EVENT, "samples": pool.SAMPLE, "params": pool.PARAMS}


FEW = 16
"""Events that are sooner put in order one by one."""

GOES_ON = (pool.LEFT, pool.SLID, pool.BOUNCED, pool.SLOWED, pool.WENT_THROUGH)
"""What ends a rest."""


ROUNDING = 1e-3
"""Counts of the clock by which a time within a tick may miss one, by rounding alone."""

SAME = 1e-14
"""Share of a time by which two that are one may differ, by rounding."""


def _as_one(ticks: np.ndarray, touches: np.ndarray) -> None:
    """Write one number for the ends of ticks (s) and for what happens then: they may differ by a rounding."""
    for at in (np.searchsorted(ticks, touches) - 1, np.searchsorted(ticks, touches)):
        k = np.flatnonzero((at >= 0) & (at < len(ticks)))
        k = k[np.abs(ticks[at[k]] - touches[k]) <= SAME * (1.0 + touches[k])]
        np.maximum.at(ticks, at[k], touches[k])
        touches[k] = ticks[at[k]]


def thrown_at(events: np.ndarray) -> np.ndarray:
    """When a projectile was thrown back (s)."""
    return events["start"] / UNITS + events["after"]


def in_order(events: np.ndarray) -> np.ndarray:
    """Events by time; of one time by tick, what came of a launch within it first, and then as they happened."""
    if len(events) <= FEW:
        columns = (events[name].tolist() for name in ("start", "after", "tick"))
        keys = [_placed(*row, k) for k, row in enumerate(zip(*columns, strict=True))]
        order = sorted(range(len(keys)), key=keys.__getitem__)
        return events if order == list(range(len(keys))) else pool.taken(events, np.array(order))
    counts = events["after"] * UNITS
    nearest = np.rint(counts)
    counts = np.where(np.abs(counts - nearest) < ROUNDING, nearest, counts)
    whole = np.floor(counts)
    times = events["start"] + whole.astype(np.int64)
    order = (np.arange(len(events)), -events["start"], events["tick"], counts - whole, times)
    return pool.taken(events, np.lexsort(order))


def _placed(start: int, after: float, tick: int, k: int) -> tuple:
    """What one event is put in order by: the same as for many at once, which takes ten times as long for a few."""
    counts = after * UNITS
    if abs(counts - round(counts)) < ROUNDING:
        counts = round(counts)
    whole = math.floor(counts)
    return start + whole, counts - whole, tick, -start, k


class Flown:
    """The numbers of one projectile's flight. Times in s, lengths in units."""

    def __init__(self, record: Record, birth: np.void, end: np.void | None):
        self.record, self.birth, self.end = record, birth, end
        self.key = int(birth["key"])
        self.start = to_seconds(int(birth["time"]))
        own = record.samples_of(self.key)
        last = to_seconds(int(own["t"][-1])) if len(own) else self.start
        over = last if end is None else float(end["start"] / UNITS + end["after"])
        at = end if end is not None and (over >= last or not len(own)) else own[-1] if len(own) else birth
        self.stop, self.last_p, self.last_v = max(over, last), at["p"], at["v"]
        self._apex: float | None = None

    @property
    def code(self) -> int:
        """Why it ended: a code of ``vocabulary.ENDINGS``."""
        return pool.FLYING if self.end is None else int(self.end["code"])

    @property
    def body(self) -> int:
        """The number of the body that ended it, or -1."""
        return NOBODY if self.end is None else int(self.end["body"])

    @property
    def flight_time(self) -> float:
        """From launch to end."""
        return self.stop - self.start

    @cached_property
    def path(self) -> Path:
        """The way that it took."""
        return self.record.path(self.key)

    @cached_property
    def path_length(self) -> float:
        """Length of its way; nan where that is not known."""
        return self.path.length() if self.path.known else math.nan

    @property
    def end_speed(self) -> float:
        """Its speed at the end."""
        return length_of(self.last_v)

    def range(self, frame: Frame) -> float:
        """From where it was launched to its end, on the level."""
        return length_of(frame.level(self.last_p - self.birth["p"]))

    def apex(self, frame: Frame) -> float:
        """Greatest height above launch: of the curve itself in exact step, else of what was recorded; nan where its
        way is not known."""
        if self._apex is None:
            self._apex = 0.0 if not frame.vertical else self.path.apex(frame) if self.path.known else math.nan
        return self._apex


class Record:
    """Births, events (in order of time, then key), samples (by key, then time) and launches of one session.

    exact : whether motion was stepped exactly, so that a path is known between its points. sampled : whether samples
    are of each tick's end; else they are of the record's end alone.
    """

    def __init__(self, births, events, samples, params, exact: bool, sampled: bool = True):
        self.births, self.params, self.exact, self.sampled = births, params, exact, sampled
        self.events = in_order(events)
        self.samples = samples
        if len(births) != 1:
            self.samples = pool.taken(samples, np.lexsort((samples["t"], samples["key"])))
        self._paths: dict[int, Path] = {}
        self._flown: dict[int, Flown] = {}

    @cached_property
    def places(self) -> dict[int, int]:
        """Where each projectile stands among the births."""
        return {key: k for k, key in enumerate(self.births["key"].tolist())}

    @cached_property
    def _turns(self) -> dict[int, list[int]]:
        """Each projectile's events that are points of its path."""
        found: dict[int, list[int]] = {}
        for k, (kind, key) in enumerate(zip(self.events["kind"].tolist(), self.events["key"].tolist(), strict=True)):
            if kind in TURNS:
                found.setdefault(key, []).append(k)
        return found

    @cached_property
    def _ends(self) -> dict[int, int]:
        """Where each projectile's end stands among the events."""
        rows = zip(self.events["kind"].tolist(), self.events["key"].tolist(), strict=True)
        return {key: k for k, (kind, key) in enumerate(rows) if kind == pool.ENDED}

    def samples_of(self, key: int) -> np.ndarray:
        """The samples of a projectile, in order of time."""
        if len(self.births) == 1:
            return self.samples
        first, last = np.searchsorted(self.samples["key"], [key, key + 1])
        return self.samples[first:last]

    def param(self, key: int) -> np.void:
        """What a projectile's launch was."""
        return self.params[self.births["param"][self.places[key]]]

    def flown(self, key: int) -> Flown:
        """The numbers of a projectile's flight."""
        if key not in self._flown:
            end = self._ends.get(key)
            at = None if end is None else self.events[end]
            self._flown[key] = Flown(self, self.births[self.places[key]], at)
        return self._flown[key]

    def lay(self, key: int) -> list[tuple[float, float, int]]:
        """From when to when (s; inf: still) a projectile lay or stuck somewhere, and on which body (its number)."""
        lay: list[tuple[float, float, int]] = []
        for event in self.events[self._turns.get(key, [])]:
            if event["kind"] == pool.RESTED:
                lay.append((float(thrown_at(event)), math.inf, int(event["body"])))
            elif event["kind"] in GOES_ON and lay:
                lay[-1] = lay[-1][0], min(lay[-1][1], float(thrown_at(event))), lay[-1][2]
        return lay

    def along(self, key: int) -> int | None:
        """The body (its number) along which a projectile goes when its record ends, if any."""
        body = None
        for event in self.events[self._turns.get(key, [])]:
            if event["kind"] == pool.SLID:
                body = int(event["body"])
            elif event["kind"] in (pool.RESTED, pool.WENT_THROUGH) or int(event["body"]) == body:
                body = None
        return body

    def path(self, key: int) -> Path:
        """The path of a projectile."""
        if key not in self._paths:
            self._paths[key] = self._make_path(key)
        return self._paths[key]

    def _make_path(self, key: int) -> Path:
        birth, own = self.births[self.places[key]], self.samples_of(key)
        touches = self.events[self._turns.get(key, [])]
        born, moves_at = int(birth["time"]), int(birth["moves_at"])
        t = [np.array([to_seconds(born)]), to_seconds(own["t"]), touches["start"] / UNITS + touches["after"]]
        p, v = [birth["p"][None], own["p"], touches["p"]], [birth["v"][None], own["v"], touches["v"]]
        if moves_at > born:
            t[0], p[0], v[0] = np.append(t[0], to_seconds(moves_at)), np.repeat(p[0], 2, 0), np.repeat(v[0], 2, 0)
        _as_one(t[1], t[2])
        t[2][np.abs(t[2] - t[0][0]) <= SAME * (1.0 + t[0][0])] = t[0][0]
        times = np.concatenate(t)
        # Of several at one time the last: how it goes on from there.
        _, last = np.unique(times[::-1], return_index=True)
        _, came = np.unique(times, return_index=True)
        first = len(times) - 1 - last
        # A contact tells how it came there, also at a tick's end, which is written down after it.
        met, at = np.unique(t[2], return_index=True)
        tells = np.isin(touches["kind"][at], (pool.CONTACT, pool.OVERLAP))
        came[np.searchsorted(times[first], met[tells])] = len(times) - len(touches) + at[tells]
        jumps = np.flatnonzero(touches["kind"] == pool.WENT_THROUGH)
        thrown = (touches["kind"] == pool.MET) & (touches["code"] == pool.BOUNCE)
        thrown |= np.isin(touches["kind"], (pool.BOUNCED, pool.SLOWED, pool.WENT_THROUGH))
        row = self.params[birth["param"]][None].copy()
        air = Air(row) if self.exact else None
        p, v = np.concatenate(p), np.concatenate(v)
        times, places, after, before = times[first], p[first], v[first], v[came]
        # Where it goes on elsewhere, both: before that is written where it went in, or how deep it lay in what put it
        # out.
        deep = at[touches["kind"][at] == pool.OVERLAP]
        deep = deep[np.any(p[first][np.searchsorted(times, t[2][deep])] != touches["p"][deep], axis=1)]
        inward = np.concatenate([jumps - 1, deep])
        if len(inward):
            at = np.searchsorted(times, t[2][inward])
            inward = touches[inward]
            times, places = np.insert(times, at, times[at]), np.insert(places, at, inward["p"], axis=0)
            after, before = (np.insert(one, at, inward["v"], axis=0) for one in (after, before))
        return Path(
            times,
            places,
            after,
            air,
            to_seconds(moves_at),
            t[2][thrown],
            before,
            bool(np.isin(touches["kind"], (pool.RESTED, pool.SLID)).any()),
            self.sampled,
        )

    def to_json(self) -> str:
        """All of it as JSON text: an object of arrays, a list a field; numbers that have no end are words."""
        arrays = {
            name: {field: _plain(getattr(self, name)[field]) for field in kind.names if field != "pad"}
            for name, kind in KINDS.items()
        }
        return json.dumps({"exact": bool(self.exact), "sampled": bool(self.sampled), **arrays}, allow_nan=False)

    @classmethod
    def of_json(cls, text: str) -> Record:
        """The record that ``to_json`` wrote, to the bit. Raises ValueError for what is none."""
        read = json.loads(text)
        try:
            arrays = []
            for name, kind in KINDS.items():
                rows = pool.zeros(len(read[name][kind.names[0]]), kind)
                for field in kind.names:
                    if field != "pad":
                        rows[field] = np.array(read[name][field], dtype=kind[field].base).reshape(rows[field].shape)
                arrays.append(rows)
            return cls(*arrays, exact=read["exact"], sampled=read["sampled"])
        except (KeyError, TypeError) as error:
            raise ValueError(f"no record: {error}") from None


def _plain(values: np.ndarray) -> Any:
    if values.dtype.kind != "f" or np.isfinite(values).all():
        return values.tolist()
    return [x if math.isfinite(x) else str(x) for x in values.ravel().tolist()]
