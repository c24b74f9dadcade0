"""The record of a fired case: what was fired, touched and how each projectile ended."""

from __future__ import annotations

import hashlib
from functools import cached_property
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

import numpy as np

from nivvo.core.numbers import clock
from nivvo.errors import CallError
from nivvo.play.outcome.happened import STAYS, radius_of, sender_of, spans_of
from nivvo.play.outcome.heading import pointing
from nivvo.play.outcome.tables import SHEETS, axes_of, columns_of, rows_of
from nivvo.record.path import Path
from nivvo.record.vocabulary import SENTENCES
from nivvo.results import html
from nivvo.spec.arguments import checked
from nivvo.spec.words.nearest import lacking, nearest

if TYPE_CHECKING:
    import pandas as pd

    from nivvo.play.aims.aiming import Shot
    from nivvo.play.stage.stage import Stage
    from nivvo.record.record import Record

PROJECTILES = 1023
"""The bits of a key that number the projectiles of one shot."""

TABLES = tuple(SHEETS)
DIGESTED = ("shots", "projectiles", "contacts", "effects", "targets", "events", "states")
"""What a digest is of: where a shot begins, its births do."""


class Run:
    """What happened in one case. Tables are built when asked for.

    Lengths are in the drill's unit, times in s from the case's start, angles in degrees. Positions
    and vectors come out in the drill's own axes.

    Attributes
    ----------
    drill, case : names of the drill and the case
    shots, projectiles, paths, births, contacts, meetings, effects, scores, totals, pursuits, anchors, cues, targets,
        bodies, events, states : pandas tables
    until : up to when it was run (clock)
    decided : how the case came out, or None: (time on the clock, "won" or "lost", why)
    record : the plain arrays that all else follows from
    """

    def __init__(
        self,
        drill: str,
        case: str,
        stage: Stage,
        record: Record,
        *,
        shots: list[Shot],
        refused: list[Shot],
        states=(),
        edges=(),
        decided=None,
        until=0,
    ):
        self.drill, self.case = drill, case
        self.stage, self.scene, self.record = stage, stage.scene, record
        self.state_changes, self.edges, self.decided, self.until = states, edges, decided, until
        self.launched, self.refused = shots, refused
        self.fired = [shot for shot in shots if shot.parent < 0]
        self._rows: dict[str, list[dict[str, Any]]] = {}

    def __repr__(self) -> str:
        drill, counts = FilePath(self.drill).name, {"shot": len(self.fired), "contact": len(self.rows("contacts"))}
        said = ", ".join(f"{count} {word}{'' if count == 1 else 's'}" for word, count in counts.items())
        return f"<Run of {drill} {self.case}: {said}>"

    def __getattr__(self, name: str) -> Any:
        raise lacking(self, "a run", name)

    def _repr_html_(self) -> str:
        return html(repr(self), self.table())

    @cached_property
    def ids(self) -> dict[int, str]:
        """Readable id of each projectile, by its key: ability and shot, as "flare-1"."""
        return {
            key: f"{self.id_of(shot)}.{(key & PROJECTILES) + 1}" if shot.several else self.id_of(shot)
            for key, shot in self.by_key.items()
        }

    @checked
    def names_of(self, of: str | None = None) -> dict[int, str]:
        """Ids of the projectiles of an ability, of a shot, or of the one that is called so, by key; of None: of all."""
        return {
            key: name
            for key, name in self.ids.items()
            if of in (None, name) or of in ((shot := self.by_key[key]).ability, self.id_of(shot))
        }

    def id_of(self, shot: Shot) -> str:
        """Readable id of a shot: ability and number, as "flare-1"; with several shooters theirs before it."""
        own = f"{shot.ability}-{shot.number + 1}"
        return own if len(self.scene.shooters) == 1 else f"{shot.shooter}-{own}"

    @cached_property
    def by_key(self) -> dict[int, Shot]:
        """The shot of each projectile key."""
        return {int(row["key"]): self.launched[row["shot"]] for row in self.record.births}

    @checked
    def launch_of(self, projectile: str) -> np.ndarray:
        """The velocity (3,), units/s, of a projectile's launch: what goes round its shooter begins with another.

        Raises CallError.
        """
        key = self.key_of(projectile)
        shot, born = self.by_key[key], self.record.places[key]
        first = int(np.searchsorted(self.record.births["shot"], self.record.births["shot"][born]))
        return shot.sent[born - first].velocity

    @checked
    def rows(self, table: str) -> list[dict[str, Any]]:
        """A table as a list of rows, without pandas. Raises CallError for an unknown table."""
        if table not in TABLES:
            raise CallError(f"a run has no table {table!r}; it has {', '.join(TABLES)}. {nearest(table, TABLES)}")
        if table not in self._rows:
            self._rows[table] = rows_of(self, table)
        return self._rows[table]

    @checked
    def table(self, name: str = "projectiles") -> pd.DataFrame:
        """A table as a pandas DataFrame. Raises CallError for an unknown table."""
        import pandas as pd

        rows = self.rows(name)
        return pd.DataFrame(rows, columns=columns_of(name, self.scene.frame.size))

    @property
    def shots(self) -> pd.DataFrame:
        """One row a shot: when, from where, which way, how fast."""
        return self.table("shots")

    @property
    def projectiles(self) -> pd.DataFrame:
        """One row a projectile: launch, flight, and how it ended."""
        return self.table("projectiles")

    @property
    def births(self) -> pd.DataFrame:
        """One row a projectile: when, where and how fast it began, of which other one, and why."""
        return self.table("births")

    @property
    def contacts(self) -> pd.DataFrame:
        """One row a touch: when, where, the outward normal, speed and angle."""
        return self.table("contacts")

    @property
    def meetings(self) -> pd.DataFrame:
        """One row a projectile that met another in the air: when, where, whom, and what followed for it."""
        return self.table("meetings")

    @property
    def anchors(self) -> pd.DataFrame:
        """One row an anchor: where it was left, on what, with which it is linked, until when."""
        return self.table("anchors")

    @property
    def cues(self) -> pd.DataFrame:
        """One row a cue that was asked for: when, until when, and whether it was heard whole."""
        return self.table("cues")

    @property
    def effects(self) -> pd.DataFrame:
        """One row a thing that followed from a touch."""
        return self.table("effects")

    @property
    def scores(self) -> pd.DataFrame:
        """One row a score: who, by what, how many points, and the total of that shooter."""
        return self.table("scores")

    @property
    def totals(self) -> pd.DataFrame:
        """One row an ability that was fired: shots, and what they and all that came of them did to targets.

        hits, accuracy : projectiles that touched a target, and their share. damage : without overkill, which is what
        went beyond the health that was left. damage_a_second : from the first launch to the last end.
        """
        return self.table("totals")

    @property
    def pursuits(self) -> pd.DataFrame:
        """One row a body that a projectile followed: from when, how far away, until when, why it lost it.

        distance : between their middles when it locked on. closest : the least gap between the surfaces till then.
        turn_radius : the smallest circle that it can fly at the speed with which it locked on (units).
        """
        return self.table("pursuits")

    @property
    def targets(self) -> pd.DataFrame:
        """One row a target: health, damage, touches."""
        return self.table("targets")

    @property
    def bodies(self) -> pd.DataFrame:
        """Shooters and bodies over time: place, velocity and facing at each tick's start at which one of them changes.

        facing : degrees, of a shooter. No rows while a body is out; what stands has one.
        """
        return self.table("bodies")

    @property
    def states(self) -> pd.DataFrame:
        """What state each ability of each shooter was in from when on, and why."""
        return self.table("states")

    def in_the_air(self) -> tuple[np.ndarray, np.ndarray]:
        """How many projectiles are in the air: times (n,) s at which that changes, and the count from each on."""
        rows = self.rows("projectiles")
        times = np.array([row["launched"] for row in rows] + [row["ended"] for row in rows])
        change = np.repeat([1, -1], len(rows))
        order = np.lexsort((change, times))
        return times[order], np.cumsum(change[order])

    @cached_property
    def there(self) -> dict[str, list[tuple[int, int]]]:
        """From when to when (clock) each body was there, by name: it may come, be out or go, and come back."""
        return spans_of(self)

    def population(self) -> tuple[np.ndarray, np.ndarray]:
        """How many targets are on the field: times (n,) s at which that changes, and the count from each on."""
        spans = np.array([span for row in self.rows("targets") for span in self.there[row["target"]]], dtype=np.int64)
        times, change = spans.reshape(-1, 2).T.ravel(), np.repeat([1, -1], len(spans))
        seen = times < STAYS
        order = np.lexsort((change[seen], times[seen]))
        return times[seen][order] / clock.UNITS, np.cumsum(change[seen][order])

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

    @checked
    def flight(self, projectile: str) -> Path:
        """The path of a projectile as an object that answers for any time. Raises CallError."""
        return self.record.path(self.key_of(projectile))

    @checked
    def whole_flight(self, projectile: str) -> Path:
        """The path of a projectile that is known at any time. Raises CallError, too where only contacts were kept."""
        path = self.flight(projectile)
        if not path.known:
            raise CallError(f'how {projectile} flew between its contacts is not known: fire with keep = "paths"')
        return path

    @checked
    def path(self, projectile: str) -> pd.DataFrame:
        """The recorded path of a projectile: time, position, velocity, and which way it points. Raises CallError.

        heading_direction, heading_elevation : degrees. heading_error : degrees between heading and velocity.
        model_turn : in 2D by how many degrees its model is turned, whose front may be another axis than +x.
        """
        import pandas as pd

        return pd.DataFrame(self.path_columns(projectile))

    @checked
    def path_columns(self, projectile: str) -> dict[str, np.ndarray]:
        """The columns of ``path``, without pandas. Raises CallError."""
        path, axes = self.flight(projectile), axes_of(self.scene.frame.size)
        data = {"time": path.t}
        for k, axis in enumerate(axes):
            data[axis] = path.p[:, k]
        for k, axis in enumerate(axes):
            data[f"v{axis}"] = path.v[:, k]
        key, launch = self.key_of(projectile), self.launch_of(projectile)
        heading = sender_of(self, key).heading
        # What stays where it leaves points as it was aimed, for what it sticks in too.
        launch = launch if launch.any() else self.by_key[key].heading
        lay = self.record.lay(self.key_of(projectile)) if heading.follows == "spin" else []
        return data | pointing(self.scene.frame, heading, path, launch, lay)

    @property
    def paths(self) -> pd.DataFrame:
        """All recorded paths in one table: ``projectile``, and the columns of ``path``."""
        import pandas as pd

        return pd.DataFrame(self.paths_columns())

    def paths_columns(self) -> dict[str, np.ndarray]:
        """The columns of ``paths``, without pandas."""
        axes = axes_of(self.scene.frame.size)
        names = ("projectile", "time", *axes, *(f"v{axis}" for axis in axes))
        made = [
            {"projectile": np.full(len(one["time"]), name, dtype=object), **one}
            for name, one in ((name, self.path_columns(name)) for name in self.ids.values())
        ]
        return {
            name: np.concatenate([[], *(one[name] for one in made)]) for name in (made or [dict.fromkeys(names)])[0]
        }

    @checked
    def at(self, time: float) -> pd.DataFrame:
        """Where each projectile in the air is at ``time`` (s), and how fast: exact also between ticks.

        Raises CallError where only contacts were kept, and they do not tell it.
        """
        import pandas as pd

        axes, rows = axes_of(self.scene.frame.size), []
        for name in self.ids.values():
            if self.flight(name).t[0] <= time <= self.flight(name).t[-1]:
                p, v = self.whole_flight(name).at(time)
                rows.append([name, *p[: len(axes)].tolist(), *v[: len(axes)].tolist()])
        columns = ["projectile", *axes, *(f"v{axis}" for axis in axes)]
        return pd.DataFrame(rows, columns=columns)

    @cached_property
    def digest(self) -> str:
        """A hash of everything that happened; equal when the run is."""
        made = hashlib.sha256()
        for table in DIGESTED:
            for row in self.rows(table):
                for key, value in row.items():
                    if key in SENTENCES:
                        continue
                    text = float(value).hex() if isinstance(value, float) else str(value)
                    made.update(f"{table}.{key}={text}\n".encode())
        names = self.ids
        for key in sorted(names, key=names.get):
            own = self.record.samples_of(key)
            made.update(names[key].encode() + own["t"].tobytes() + own["p"].tobytes() + own["v"].tobytes())
        return made.hexdigest()

    @checked
    def radius_of(self, projectile: str) -> float:
        """Radius of a projectile (units), by its id. Raises CallError."""
        return radius_of(self, self.key_of(projectile))

    @checked
    def ability_of(self, projectile: str) -> str:
        """The name of the ability that sent a projectile, by its id. Raises CallError."""
        return sender_of(self, self.key_of(projectile)).name

    def slipped(self) -> list[dict[str, Any]]:
        """Bodies that were passed through between two ticks, where a swept test would have touched."""
        return [row for row in self.rows("events") if row["what"] == "slipped through"]


__all__ = ["TABLES", "Run", "axes_of", "columns_of"]
