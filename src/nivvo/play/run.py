"""The record of a fired case: what was fired, touched and how each projectile ended."""

from __future__ import annotations

import hashlib
import math
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from nivvo.core import pool
from nivvo.core.air import Air
from nivvo.core.clock import UNITS, to_seconds
from nivvo.core.frame import dot
from nivvo.errors import CallError
from nivvo.plan.ability import Ability
from nivvo.play.heading import pointing
from nivvo.record.path import Path
from nivvo.record.vocabulary import ANSWERS, ENDINGS, HAPPENINGS, SENTENCES, TURNS
from nivvo.spec.arguments import checked
from nivvo.spec.nearest import nearest

if TYPE_CHECKING:
    import pandas as pd

    from nivvo.play.aims.aiming import Shot
    from nivvo.play.stage.stage import Stage

PROJECTILES = 1023
"""The bits of a key that number the projectiles of one shot."""

TABLES = ("shots", "projectiles", "contacts", "effects", "targets", "events", "states")


class Run:
    """What happened in one case. Tables are built when asked for.

    Lengths are in the drill's unit, times in s from the case's start, angles in degrees. Positions
    and vectors come out in the drill's own axes.

    Attributes
    ----------
    drill, case : names of the drill and the case
    shots, projectiles, contacts, effects, targets, events : pandas tables
    """

    def __init__(
        self,
        drill: str,
        case: str,
        stage: Stage,
        shots: list[Shot],
        refused: list[Shot],
        events,
        samples,
        launches,
        params,
        states=(),
        edges=(),
    ):
        self.drill, self.case = drill, case
        self.stage, self.scene = stage, stage.scene
        self.params, self.state_changes, self.edges = params, states, edges
        self.fired = shots
        self.refused = refused
        order = np.lexsort((np.arange(len(events)), events["key"], events["after"], events["start"]))
        self.raw = events[order]
        self.samples = samples[np.lexsort((samples["t"], samples["key"]))]
        self.launches = launches
        self._rows: dict[str, list[dict[str, Any]]] = {}
        self._paths: dict[str, Path] = {}

    def __repr__(self) -> str:
        return f"<Run of {self.drill} {self.case}: {len(self.fired)} shots, {len(self.rows('contacts'))} contacts>"

    @cached_property
    def ids(self) -> dict[int, str]:
        """Readable id of each projectile, by its key: ability and shot, as "flare-1"."""
        return {
            key: f"{self.id_of(shot)}.{(key & PROJECTILES) + 1}" if shot.several else self.id_of(shot)
            for key, shot in self.by_key.items()
        }

    def id_of(self, shot: Shot) -> str:
        """Readable id of a shot: ability and number, as "flare-1"; with several shooters theirs before it."""
        own = f"{shot.ability}-{shot.number + 1}"
        return own if len(self.scene.shooters) == 1 else f"{shot.shooter}-{own}"

    @cached_property
    def by_key(self) -> dict[int, Shot]:
        """The shot of each projectile key."""
        return {int(row["key"]): self.fired[row["shot"]] for row in self.launches}

    @checked
    def rows(self, table: str) -> list[dict[str, Any]]:
        """A table as a list of rows, without pandas. Raises CallError for an unknown table."""
        if table not in TABLES:
            raise CallError(f"a run has no table {table!r}; it has {', '.join(TABLES)}. {nearest(table, TABLES)}")
        if table not in self._rows:
            self._rows[table] = getattr(self, f"_make_{table}")()
        return self._rows[table]

    @checked
    def table(self, name: str) -> pd.DataFrame:
        """A table as a pandas DataFrame. Raises CallError for an unknown table."""
        import pandas as pd

        rows = self.rows(name)
        return pd.DataFrame(rows, columns=list(rows[0]) if rows else columns_of(name, self.scene.frame.size))

    @property
    def shots(self) -> pd.DataFrame:
        """One row a shot: when, from where, which way, how fast."""
        return self.table("shots")

    @property
    def projectiles(self) -> pd.DataFrame:
        """One row a projectile: launch, flight, and how it ended."""
        return self.table("projectiles")

    @property
    def contacts(self) -> pd.DataFrame:
        """One row a touch: when, where, the outward normal, speed and angle."""
        return self.table("contacts")

    @property
    def effects(self) -> pd.DataFrame:
        """One row a thing that followed from a touch."""
        return self.table("effects")

    @property
    def targets(self) -> pd.DataFrame:
        """One row a target: health, damage, touches."""
        return self.table("targets")

    @property
    def states(self) -> pd.DataFrame:
        """What state each ability of each shooter was in from when on, and why."""
        return self.table("states")

    def alive(self) -> tuple[np.ndarray, np.ndarray]:
        """How many projectiles are in the air: times (n,) s at which that changes, and the count from each on."""
        rows = self.rows("projectiles")
        times = np.array([row["launched"] for row in rows] + [row["ended"] for row in rows])
        change = np.repeat([1, -1], len(rows))
        order = np.lexsort((change, times))
        return times[order], np.cumsum(change[order])

    @property
    def events(self) -> pd.DataFrame:
        """Everything that happened, in order of time."""
        return self.table("events")

    @checked
    def key_of(self, projectile: str) -> int:
        """Key of a projectile by its id. Raises CallError with the nearest id."""
        if projectile in self._keys:
            return self._keys[projectile]
        raise CallError(f"there is no projectile {projectile!r} in this run. {nearest(projectile, self._keys)}")

    @cached_property
    def _keys(self) -> dict[str, int]:
        return {name: key for key, name in self.ids.items()}

    @cached_property
    def _places(self) -> dict[int, int]:
        """Where each projectile stands among the launches."""
        return {int(key): k for k, key in enumerate(self.launches["key"])}

    @cached_property
    def _turns(self) -> dict[int, list[int]]:
        """Each projectile's events that are points of its path."""
        found: dict[int, list[int]] = {}
        for k in np.flatnonzero(np.isin(self.raw["kind"], TURNS)):
            found.setdefault(int(self.raw["key"][k]), []).append(int(k))
        return found

    def _samples_of(self, key: int) -> np.ndarray:
        """The samples of a projectile: they are sorted by key."""
        first, last = np.searchsorted(self.samples["key"], [key, key + 1])
        return self.samples[first:last]

    @checked
    def flight(self, projectile: str) -> Path:
        """The path of a projectile as an object that answers for any time. Raises CallError."""
        if projectile not in self._paths:
            self._paths[projectile] = self._make_path(self.key_of(projectile))
        return self._paths[projectile]

    @checked
    def path(self, projectile: str) -> pd.DataFrame:
        """The recorded path of a projectile: time, position, velocity, and which way it points. Raises CallError.

        heading_direction, heading_elevation : degrees. heading_error : degrees between heading and velocity.
        model_turn : in 2D by how many degrees its model is turned, whose front may be another axis than +x.
        """
        import pandas as pd

        path, axes = self.flight(projectile), axes_of(self.scene.frame.size)
        data = {"time": path.t}
        for k, axis in enumerate(axes):
            data[axis] = path.p[:, k]
        for k, axis in enumerate(axes):
            data[f"v{axis}"] = path.v[:, k]
        data |= pointing(self.scene.frame, self.ability_of(self.key_of(projectile)).heading, path)
        return pd.DataFrame(data)

    @checked
    def at(self, time: float) -> pd.DataFrame:
        """Where each projectile in the air is at ``time`` (s), and how fast: exact also between ticks."""
        import pandas as pd

        axes, rows = axes_of(self.scene.frame.size), []
        for name in self.ids.values():
            p, v = self.flight(name).at(time)
            if np.isfinite(p).all():
                rows.append({"projectile": name, **_spread("", axes, p), **_spread("v", axes, v)})
        columns = ["projectile", *axes, *(f"v{axis}" for axis in axes)]
        return pd.DataFrame(rows, columns=columns)

    @cached_property
    def digest(self) -> str:
        """A hash of everything that happened; equal when the run is."""
        made = hashlib.sha256()
        for table in TABLES:
            for row in self.rows(table):
                for key, value in row.items():
                    if key in SENTENCES:
                        continue
                    text = float(value).hex() if isinstance(value, float) else str(value)
                    made.update(f"{table}.{key}={text}\n".encode())
        names = self.ids
        for key in sorted(names, key=names.get):
            own = self._samples_of(key)
            made.update(names[key].encode() + own["t"].tobytes() + own["p"].tobytes() + own["v"].tobytes())
        return made.hexdigest()

    def _make_path(self, key: int) -> Path:
        shot = self.by_key[key]
        launch, own = self.launches[self._places[key]], self._samples_of(key)
        touches = self.raw[self._turns.get(key, [])]
        t = [np.array([to_seconds(shot.time)]), to_seconds(own["t"]), touches["start"] / UNITS + touches["after"]]
        p, v = [launch["p"][None], own["p"], touches["p"]], [launch["v"][None], own["v"], touches["v"]]
        moves_at = int(launch["moves_at"])
        if moves_at > shot.time:
            t[0], p[0], v[0] = np.append(t[0], to_seconds(moves_at)), np.repeat(p[0], 2, 0), np.repeat(v[0], 2, 0)
        times = np.concatenate(t)
        _, first = np.unique(times, return_index=True)
        row = self.params[launch["param"]]
        exact = self.scene.exact
        air = Air(row["a"].copy(), float(row["linear"]), float(row["square"])) if exact else None
        return Path(times[first], np.concatenate(p)[first], np.concatenate(v)[first], air, to_seconds(moves_at))

    def _body(self, event: np.void) -> str:
        return self.stage.names[event["body"]] if event["body"] >= 0 else ""

    def _time(self, event: np.void) -> float:
        return float(event["start"] / UNITS + event["after"])

    def radius_of(self, key: int) -> float:
        """Radius of a projectile (units)."""
        return float(self.params[self.launches[self._places[key]]["param"]]["radius"])

    def ability_of(self, key: int) -> Ability:
        """The ability that sent a projectile."""
        return self.scene.abilities[self.by_key[key].ability]

    def _make_shots(self) -> list[dict[str, Any]]:
        frame, axes = self.scene.frame, axes_of(self.scene.frame.size)
        return [
            {
                "shot": self.id_of(shot),
                "ability": shot.ability,
                "shooter": shot.shooter,
                "muzzle": shot.muzzle,
                "time": to_seconds(shot.time),
                "pressed": to_seconds(shot.pressed),
                "held": to_seconds(shot.moment.held),
                "use": shot.use,
                **_spread("", axes, shot.at),
                "direction": float(frame.bearing(shot.velocity)),
                "elevation": float(frame.elevation(shot.velocity)),
                "speed": float(np.sqrt(dot(shot.velocity, shot.velocity))),
                **_spread("v", axes, shot.velocity),
                "projectiles": len(shot.sent),
                "clearance": shot.clearance,
                "lag": shot.stance.lag,
                "aim_remains": shot.remains,
                "note": shot.note,
            }
            for shot in self.fired
        ]

    def _make_projectiles(self) -> list[dict[str, Any]]:
        frame, axes = self.scene.frame, axes_of(self.scene.frame.size)
        ends = {int(event["key"]): event for event in self.raw if event["kind"] == pool.ENDED}
        rows = []
        for key, shot in self.by_key.items():
            path, end = self.flight(self.ids[key]), ends.get(key)
            start, stop = to_seconds(shot.time), float(path.t[-1])
            ending = ENDINGS[pool.FLYING if end is None else int(end["code"])]
            p, v = path.p[-1], path.v[-1]
            run = frame.level(p - path.p[0])
            rows.append(
                {
                    "projectile": self.ids[key],
                    "ability": shot.ability,
                    "launched": start,
                    "ended": stop,
                    "flight_time": stop - start,
                    **_spread("end_", axes, p),
                    "range": float(np.sqrt(dot(run, run))),
                    "apex": self._apex(path),
                    "path_length": path.length(),
                    "end_speed": float(np.sqrt(dot(v, v))),
                    "ended_by": ending.word,
                    "reason": ending.sentence.format(body=self._body(end) if end is not None else ""),
                }
            )
        return rows

    def _apex(self, path: Path) -> float:
        """Greatest height above launch: of the curve itself in exact step, else of what was recorded."""
        return path.apex(self.scene.frame) if self.scene.frame.vertical else 0.0

    def _make_contacts(self) -> list[dict[str, Any]]:
        axes, rows = axes_of(self.scene.frame.size), []
        for event in self.raw:
            if event["kind"] not in (pool.CONTACT, pool.OVERLAP):
                continue
            group = int(self.stage.rows["group"][event["body"]])
            radius = self.radius_of(int(event["key"]))
            point = event["p"] - event["normal"] * (radius + event["left"])
            relative = event["v"] - event["u"]
            speed = float(np.sqrt(dot(relative, relative)))
            into = -float(dot(relative, event["normal"])) / speed if speed > 0.0 else 0.0
            rows.append(
                {
                    "time": self._time(event),
                    "tick": int(event["tick"]),
                    "projectile": self.ids[int(event["key"])],
                    "body": self._body(event),
                    "group": self.scene.groups[group],
                    "then": ANSWERS[int(event["code"])],
                    **_spread("", axes, point),
                    **_spread("normal_", axes, event["normal"]),
                    "speed": speed,
                    "angle": math.degrees(math.asin(max(-1.0, min(1.0, into)))),
                    "overlap": max(-float(event["left"]), 0.0) if event["kind"] == pool.OVERLAP else 0.0,
                }
            )
        return rows

    def _make_effects(self) -> list[dict[str, Any]]:
        return [
            {
                "time": self._time(event),
                "projectile": self.ids[int(event["key"])],
                "effect": "damage",
                "body": self._body(event),
                "amount": float(event["amount"]),
                "health_left": max(float(event["left"]), 0.0),
            }
            for event in self.raw
            if event["kind"] == pool.DAMAGE
        ]

    def _make_targets(self) -> list[dict[str, Any]]:
        contacts, effects = self.rows("contacts"), self.rows("effects")
        out = {self._body(event): self._time(event) for event in self.raw if event["kind"] == pool.DIED}
        rows = []
        for name, kind in zip(self.scene.names, self.scene.kinds, strict=True):
            if kind != "target":
                continue
            body = self.scene.bodies[self.scene.number[name]]
            damage = sum(row["amount"] for row in effects if row["body"] == name)
            rows.append(
                {
                    "target": name,
                    "group": self.scene.groups[body["group"]],
                    "touched": sum(row["body"] == name for row in contacts),
                    "damage": float(damage),
                    "health": float(body["health"]),
                    "health_left": max(float(body["health"]) - damage, 0.0),
                    "out_at": out.get(name, math.nan),
                }
            )
        return rows

    def _make_states(self) -> list[dict[str, Any]]:
        return [
            {
                "time": to_seconds(one.time),
                "ability": one.ability,
                "shooter": one.shooter,
                "state": one.state,
                "why": one.why,
            }
            for one in self.state_changes
        ]

    def _make_events(self) -> list[dict[str, Any]]:
        rows: list[tuple[tuple, dict[str, Any]]] = []

        def say(order: tuple, time: float, projectile: str, what: str, body: str, detail: str) -> None:
            row = {"time": time, "projectile": projectile, "what": what, "body": body, "detail": detail}
            rows.append((order, row))

        for shot in self.fired:
            time = to_seconds(shot.time)
            say((time, 0, self.id_of(shot)), time, self.id_of(shot), "fired", shot.shooter, shot.note)
        for shot in self.refused:
            time = to_seconds(shot.time)
            say((time, 0, self.id_of(shot)), time, self.id_of(shot), "refused", shot.shooter, shot.refused)
        for k, event in enumerate(self.raw):
            time, name, body = self._time(event), self.ids[int(event["key"])], self._body(event)
            kind = int(event["kind"])
            say((time, 1, k), time, name, HAPPENINGS[kind].word, body, detail_of(event, body))
        return [row for _, row in sorted(rows, key=lambda pair: pair[0][:2] + ((pair[0][2] if pair[0][1] else 0),))]

    def slipped(self) -> list[dict[str, Any]]:
        """Bodies that were passed through between two ticks, where a swept test would have touched."""
        return [row for row in self.rows("events") if row["what"] == "slipped through"]


def detail_of(event: np.void, body: str) -> str:
    """What an event of the engine comes to, in words."""
    kind = int(event["kind"])
    if kind == pool.OVERLAP:
        return f"{max(-event['left'], 0.0):.4g} deep"
    if kind == pool.DAMAGE:
        return f"{event['amount']:g}"
    if kind == pool.DIED:
        return f"{body} has no health left"
    if kind == pool.ENDED:
        return ENDINGS[int(event["code"])].sentence.format(body=body)
    return "a swept test would have touched" if kind == pool.SLIPPED else ""


def axes_of(size: int) -> tuple[str, ...]:
    """Names of the axes of positions."""
    return ("x", "y") if size == 2 else ("x", "y", "z")


def _spread(prefix: str, axes: tuple[str, ...], vector) -> dict[str, float]:
    return {f"{prefix}{axis}": float(vector[k]) for k, axis in enumerate(axes)}


def columns_of(table: str, size: int) -> list[str]:
    """Columns of a table that has no rows."""
    axes = axes_of(size)
    vector = [f"v{axis}" for axis in axes]
    return {
        "shots": [
            "shot",
            "ability",
            "shooter",
            "muzzle",
            "time",
            "pressed",
            "held",
            "use",
            *axes,
            "direction",
            "elevation",
            "speed",
            *vector,
            "projectiles",
            "clearance",
            "lag",
            "aim_remains",
            "note",
        ],
        "projectiles": [
            "projectile",
            "ability",
            "launched",
            "ended",
            "flight_time",
            *(f"end_{a}" for a in axes),
            "range",
            "apex",
            "path_length",
            "end_speed",
            "ended_by",
            "reason",
        ],
        "contacts": [
            "time",
            "tick",
            "projectile",
            "body",
            "group",
            "then",
            *axes,
            *(f"normal_{a}" for a in axes),
            "speed",
            "angle",
            "overlap",
        ],
        "effects": ["time", "projectile", "effect", "body", "amount", "health_left"],
        "targets": ["target", "group", "touched", "damage", "health", "health_left", "out_at"],
        "events": ["time", "projectile", "what", "body", "detail"],
        "states": ["time", "ability", "shooter", "state", "why"],
    }[table]


__all__ = ["TABLES", "Run", "axes_of", "columns_of"]
