"""The arrays of one run of the engine, held together: bodies, params, what is in the air, what happened.

It grows arrays, keeps dtypes the very objects of ``pool``, and calls the kernel. It knows no names:
bodies and groups are numbers here, projectiles are keys.
"""

from __future__ import annotations

import os
import struct
from typing import Any, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.contacts.events import NOWHERE, tell
from nivvo.core.flying.ahead import on_stretches
from nivvo.core.flying.flight import SMOOTH, STIFF
from nivvo.core.flying.forces import acting, stiffness
from nivvo.core.geometry import grid
from nivvo.core.geometry.shapes import BALL
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import dot
from nivvo.core.pool import EVENTS, LIVE, ROOM, ROOM_EACH
from nivvo.core.tick import advance
from nivvo.core.tick.advance import LIMIT_KEY, wait
from nivvo.core.tick.answer import met_by, put_out, turn
from nivvo.core.world.answers import answers_to, may_stay
from nivvo.core.world.meetings import first_meeting, standing
from nivvo.core.world.seekers import NEVER, seek_targets

NOBODY = (-1,) * pool.INSIDE_MOST

ALL_AWAKE = np.full(16, pool.AWAKE, dtype=np.int64)
"""``wake`` of what has not flown yet, as far as there is room at first."""

FIRST_EVENTS = pool.ROOM + 64
"""Rows of events at first; what is longer takes longer to make than one shot to fly."""


NOTE = struct.Struct("=" + "".join(of.base.char.replace("l", "q") * max(of.shape, default=1)
                                   for of, _ in pool.EVENT.fields.values()))  # fmt: skip
"""How a row of ``pool.EVENT`` lies in memory: written so, one takes half of the time."""

MEETS = ("health", "full", "armour", "soaks")
"""What of a body says what it takes of a damage."""

NOTED = ("start", "after", "tick", "key", "kind", "body", "code", "amount", "left", "p", "normal")
"""What a note tells."""

KEPT = ("params", "answers", "used", "spare", "curves", "knots", "guided", "seeks", "foresees")
"""What is as it was in one that is restored, of all that is made empty."""

FEW = 32
"""Bodies that are looked through one by one sooner than all at once."""

ANSWERED = ("then", "damage", "bounces", "holds", "more")
"""What ``answers_to`` asks for."""

LITTLE = 256
"""Projectile-ticks that are not reckoned closer: however stiff, they are plain work of half a second at most."""


class Laws(NamedTuple):
    """How a world goes.

    step, touch : codes of ``pool.STEPS`` and ``pool.TOUCHES``. scene : size of the scene (units); tolerances are
    relative to it. bounds : (2, 3), corners beyond which a projectile ends, or None. sampled : whether position and
    velocity are kept at each tick's end. sleeps : whether projectiles sleep until something can come to them, which is
    the same to the bit; None: unless the environment says NIVVO_SLEEP=never. flat : whether all motion is in the plane
    z = 0 (the grid then has no third axis). up : unit vector (3,), or nothing where there is no up. tick : seconds that
    a tick lasts by the drill's rate.
    """

    step: int = pool.EXACT
    touch: int = pool.SWEPT
    scene: float = 1.0
    bounds: Any = None
    sampled: bool = True
    sleeps: bool | None = None
    flat: bool = False
    up: Any = (0.0, 0.0, 0.0)
    tick: float = 0.0


class Params(NamedTuple):
    """What the projectiles of a shot are beside what acts on them.

    reach, life : how far (units), and how long (counts of the clock) they fly. strays, owner : how ``reach`` is
    measured. spares : the number of a body that they never touch. moments : fields of PARAMS, and ``near`` (units, one
    a group). curves : (group, by, rows (n, 2), whether they are steps) of damage that depends on age or path length.
    """

    reach: float = np.inf
    life: int = pool.FOREVER
    spares: int = -1
    strays: int = pool.ALONG
    owner: int = -1
    curves: Any = ()
    moments: dict[str, Any] | None = None


class Arena:
    """One world with its bodies and projectiles.

    Parameters
    ----------
    bodies : structured array of ``pool.BODY``
        As they stand at time 0 (``c0``, ``t0``); centres and grid are derived.
    groups : int
        Number of groups that ``answers`` has a column for.
    laws : by name, what ``Laws`` has
    """

    def __init__(self, bodies, groups, **laws: Any):
        one = Laws(**laws)
        self.world = pool.zeros(1, pool.WORLD)
        self.world["tick"], self.world["up"] = one.tick, one.up
        self.world["step"], self.world["touch"] = one.step, one.touch
        self.world["sampled"], self.world["sleeps"] = one.sampled, _sleeps() if one.sleeps is None else one.sleeps
        self.world["skin"] = pool.SURFACE_SHARE * one.scene
        if one.bounds is not None:
            self.world["bounded"], self.world["low"], self.world["high"] = 1, one.bounds[0], one.bounds[1]
        self.flat = one.flat
        self.groups = groups
        self.openings = pool.zeros(0, pool.OPENING)
        self._empty(one.sampled)
        self.set_bodies(bodies)

    def fresh(self, sampled: bool = True) -> Arena:
        """An engine like this one, which has not run, with nothing in the air."""
        made = Arena.__new__(Arena)
        made.__dict__.update(self.__dict__)
        made.world, made.bodies = pool.copied(self.world), pool.copied(self.bodies)
        for name in ("boxes", "start", "items", "scratch"):
            setattr(made, name, getattr(self, name).copy())
        made.world["sampled"] = sampled
        made._empty(sampled)
        made.guided = self.guided
        made.counters[pool.STALE] = 1
        return made

    def __getstate__(self) -> dict:
        """All that it is between two ticks; what has been written as events and samples aside."""
        rows = ("flight", "guides", "stretches")
        state = self.__dict__ | {name: getattr(self, name)[: self.live].copy() for name in rows}
        for name in ("pending", "points", "_events", "_bytes", "_seen", "samples"):
            del state[name]
        return state

    def __setstate__(self, state: dict) -> None:
        """Be again what it was, with room for what is to come."""
        self.__dict__.update(state)
        self._empty(bool(self.world["sampled"][0]))
        self.__dict__.update({name: state[name] for name in KEPT})
        count = int(state["counters"][pool.LIVE])
        self.counters[pool.LIVE], self.counters[pool.STALE] = count, 1
        self._hold(count)
        self.flight[:count], self.wake[:count] = state["flight"], state["wake"][:count]
        if self.guided:
            self.guides[:count] = state["guides"]
        if self.foresees:
            self.stretches[:count] = state["stretches"]

    def _hold(self, count: int) -> None:
        """Have room for so many in the air."""
        if count > len(self.flight):
            self.flight = pool.grown(self.flight, count)
            self.pending = pool.grown(self.pending, 2 * count)
            self.points = pool.grown(self.points, count)
            self.wake, self.awake = np.resize(self.wake, len(self.flight)), np.resize(self.awake, len(self.flight))
        if self.guided and len(self.guides) < len(self.flight):
            self.guides = pool.grown(self.guides, len(self.flight))
        if self.foresees and len(self.stretches) < len(self.flight):
            self.stretches = pool.grown(self.stretches, len(self.flight))

    def _empty(self, sampled: bool) -> None:
        """Make room for what flies and what happens."""
        self.flight = pool.zeros(16, pool.FLIGHT)
        self.params = pool.zeros(4, pool.PARAMS)
        self.answers = pool.zeros(4 * self.groups, pool.ANSWERS).reshape(4, self.groups)
        self.used = 0
        self.spare: list[int] = []
        self.curves = np.zeros((4, 2))
        self.knots = 0
        self.pending = pool.zeros(16, pool.PENDING)
        self.points = pool.zeros(16, pool.POINT)
        self.guides, self.guided, self.seeks = pool.zeros(0, pool.GUIDE), len(self.openings) > 0, False
        self.stretches, self.foresees = pool.zeros(0, pool.STRETCH), False
        self.wake = ALL_AWAKE.copy()
        self.awake = np.zeros(16, dtype=np.int32)
        self.events = pool.zeros(FIRST_EVENTS, pool.EVENT)
        self.samples = pool.zeros(256 if sampled else 1, pool.SAMPLE)
        self.counters, self._known, self._planned = np.zeros(pool.COUNTERS, dtype=np.int64), (0, b""), 0
        self.counters[pool.UNTIL] = pool.FOREVER
        self.notes: list[tuple] | None = None
        self._seen: tuple[np.ndarray | None, dict[str, np.ndarray]] = (None, {})
        self.stages = np.zeros((pool.DEGREE, 4))

    def set_bodies(self, bodies: np.ndarray) -> None:
        """Take these bodies in place of those there were."""
        self.bodies = pool.zeros(max(len(bodies), 1), pool.BODY)
        if len(bodies):
            self.bodies[:] = bodies
            still = ~np.any((self.bodies["v0"] != 0.0) | (self.bodies["a0"] != 0.0), axis=1)
            self.bodies["moves"] = np.where(still, self.bodies["moves"], 1)
            for now, then in (("c", "c0"), ("v", "v0"), ("a", "a0")):
                self.bodies[now] = self.bodies[then]
        else:
            self.bodies["out"] = 1
        self.plan()

    def grow_bodies(self) -> int:
        """Make room for one more body, which is out until it is written; its number."""
        number = len(self.bodies)
        bodies = pool.zeros(number + 1, pool.BODY)
        bodies[:number] = self.bodies
        bodies[number]["out"] = 1
        self.bodies = bodies
        return number

    def near(self, low: tuple[float, float, float], high: tuple[float, float, float]) -> list[int]:
        """The numbers of the bodies whose boxes, as they were laid, overlap one from its low to its high corner."""
        (x, y, z), (a, b, c) = high, (-low[0], -low[1], -low[2])
        if isinstance(self._edges, np.ndarray):
            return self.there[(self._edges <= (x, y, z, a, b, c)).all(axis=1)].tolist()
        return [k for k, d, e, f, g, h, i in self._edges
                if d <= x and e <= y and f <= z and g <= a and h <= b and i <= c]  # fmt: skip

    @property
    def who(self) -> tuple[int, bytes]:
        """Who is there and not out, to be compared: it changes where somebody comes or is out."""
        return self._planned, self.bodies["out"][self.there].tobytes()

    def plan(self) -> None:
        """Lay the grid anew, after bodies have come, or have come to move; ``there``: the numbers of those it is for.

        Nothing meets the box of one that is out. Who comes is planned for then: many yet to come cost nothing.
        """
        there = self.there = np.flatnonzero(self.bodies["out"] == 0)
        rows = self.bodies if len(there) == len(self.bodies) else self.bodies[there]
        if rows["turns"].any():
            self.guide()
        origin, per_cell, cells, boxes = grid.plan(rows, self.flat)
        self.world["origin"], self.world["per_cell"], self.world["cells"] = origin, per_cell, cells
        self.world["last"] = cells - 0.5
        edges = np.concatenate([boxes[:, :3], -boxes[:, 3:]], axis=1)
        self._edges = edges
        if len(there) <= FEW:
            self._edges = [(k, *edge) for k, edge in zip(there.tolist(), edges.tolist(), strict=True)]
        self.boxes = np.ascontiguousarray(boxes)
        if rows is not self.bodies:
            self.bodies["size"][there], self.bodies["layer"][there] = rows["size"], rows["layer"]
            self.boxes = np.repeat([[np.inf] * 3 + [-np.inf] * 3], len(self.bodies), axis=0)
            self.boxes[there] = boxes
        self.start = np.zeros((2, int(np.prod(cells)) + 2), dtype=np.int32)
        self.items = np.zeros((2, grid.MOST_CELLS_OF_A_BODY * max(len(there), 1)), dtype=np.int32)
        layer, moves = rows["layer"], rows["moves"]
        lists = [there[layer == pool.LARGE], there[moves != 0], there[layer == pool.STILL]]
        counts = [len(lists[0]), len(lists[1]), np.count_nonzero(layer == pool.MOVING)]
        self.apart = np.concatenate([counts, *lists]).astype(np.int32)
        self.scratch = np.zeros(len(self.bodies) + 1, dtype=np.int32)
        self.world["veers"] = np.count_nonzero(moves == pool.VEERS)
        self._planned += 1
        self.counters[pool.STALE] = 1
        self._rouse()

    def move_as(self, ways: dict[int, int]) -> None:
        """Let bodies move as they do (``pool.GOES`` and so on, by number) before anything runs."""
        rows = self.bodies["moves"]
        before = rows != 0
        rows[list(ways)] = list(ways.values())
        if np.array_equal(before, rows != 0):
            self.world["veers"] = np.count_nonzero(rows[self.there] == pool.VEERS)
        else:
            self.plan()

    def _rouse(self) -> None:
        """Wake all that sleeps: it has looked along other ways of bodies than there are now."""
        self.wake[(self.wake != pool.AWAKE) & (self.wake != pool.HOLE)] = 0
        self.flight["clear"] = 0

    def leave_out(self, row: int, body: int) -> None:
        """Let a projectile not touch a body until clear of it, as far as there is room to know of one more."""
        inside = self.flight[row]["inside"]
        if body not in inside and (free := np.flatnonzero(inside < 0)).size:
            inside[free[0]] = body
            self.wake[row] = min(int(self.wake[row]), 0)

    def place_all(self, time: int) -> None:
        """Let what sleeps be where it is at ``time`` (clock), between two ticks: for whoever looks."""
        wake = self.wake[: self.live]
        rows = np.flatnonzero((wake != pool.AWAKE) & (wake != pool.HOLE))
        if len(rows) == 0:
            return
        bends = self.params["bends"][self.flight["param"][rows]] != 0
        if not bends.all():
            falls = rows[~bends]
            q = self.flight[falls]
            a, t = self.params["a"][q["param"]], ((time - q["t0"]) / UNITS)[:, None]
            self.flight["p"][falls] = q["p0"] + q["v0"] * t + a * (0.5 * t * t)
            self.flight["v"][falls] = q["v0"] + a * t
        if bends.any():
            rows = rows[bends]
            self.flight["p"][rows], self.flight["v"][rows] = on_stretches(self.stretches[rows], time)

    def set_motion(self, number: int, place, velocity, acceleration, time: int) -> None:
        """Let a body that moves be at ``place`` (3,) at ``time`` (clock) and go on from there."""
        row = self.bodies[number]
        if row["t0"] == time and all(
            row[name].tobytes() == one.tobytes()
            for name, one in (("c0", place), ("v0", velocity), ("a0", acceleration))
        ):
            return
        row["c0"], row["v0"], row["a0"], row["t0"] = place, velocity, acceleration, time
        if row["moves"] != pool.VEERS:
            self._rouse()

    def set_motions(self, numbers, places, velocities, time: int) -> None:
        """The same for many bodies, which go on straight: places, velocities (n, 3)."""
        self.bodies["c0"][numbers], self.bodies["v0"][numbers] = places, velocities
        self.bodies["a0"][numbers], self.bodies["t0"][numbers] = 0.0, time
        if (self.bodies["moves"][numbers] != pool.VEERS).any():
            self._rouse()

    @property
    def events(self) -> np.ndarray:
        """Rows (n,) of ``pool.EVENT`` in which is written what happens."""
        return self._events

    @events.setter
    def events(self, rows: np.ndarray) -> None:
        self._events, self._bytes = rows, None

    @property
    def live(self) -> int:
        """How many rows of projectiles there are: those in the air, and in the middle of a tick what has ended."""
        return int(self.counters[pool.LIVE])

    @property
    def flying(self) -> int:
        """How many projectiles are in the air; what has ended in the present tick still counts in the middle of it."""
        return int(self.counters[pool.LIVE] - self.counters[pool.HOLES])

    def compile(self) -> None:
        """Compile the kernel, or load it, before it is needed."""
        advance.compiled(self._pool(pool.zeros(1, pool.TICKS)))
        if self.seeks:
            seek_targets.compiled(self._pool(pool.zeros(1, pool.TICKS)), 0)

    def may_send(self, acts: np.ndarray) -> None:
        """Be ready for projectiles on which something acts, rows as ``forces.acting`` gives."""
        if not self.foresees and self.world["step"][0] == pool.EXACT and pool.FORESEEN in acts["bends"].tolist():
            self.foresees = True
            self._hold(0)
        if any(acts["careful"].tolist()) or any(acts["winds"].tolist()):
            self.guide()
            self.seeks = self.seeks or bool(((acts["law"] != 0) & (acts["toward"] == pool.TO_TARGET)).any())

    def open(self, openings: np.ndarray, over: list[int]) -> None:
        """Have these openings, rows of ``pool.OPENING``, in place of those there were; ``over``: bodies they lie on."""
        self.openings = openings
        self.bodies["opens"] = 0
        self.bodies["opens"][over] = 1
        if len(openings):
            self.guide()

    def guide(self) -> None:
        """Keep rows of what flights go by beside themselves from now on."""
        self.guided = True
        self._hold(0)

    def forget_params(self) -> set[int]:
        """Let rows of params be used again of which nothing is in the air; returns which."""
        used = set(self.flight["param"][: self.live].tolist())
        free = set(range(self.used)) - used
        self.spare = sorted(free, reverse=True)
        if not self.live:
            self.knots = 0
        return free

    def new_params(self, acts, radius, answers: np.ndarray | None = None, **what: Any) -> int:
        """Register what the projectiles of a shot are; returns its number.

        acts : what acts on them, as ``forces.acting`` gives; of a (3,) constant acceleration alone. radius : units.
        answers : (groups,), as ``answers_to`` gives; None: what of ``what`` that asks for. what : by name, what
        ``Params`` has.
        """
        if answers is None:
            answers = answers_to(self.groups, **{name: what.pop(name) for name in ANSWERED if name in what})
        one, n = Params(**what), self._number_of_params()
        acts = acts if getattr(acts, "dtype", None) == pool.PARAMS else acting(acts)
        pool.write(self.params, n, acts)
        self.may_send(acts)
        row = self.params[n]
        pool.write(self.answers, n, answers)
        row["radius"], row["reach"], row["life"], row["spares"] = radius, one.reach, one.life, one.spares
        row["strays"], row["owner"] = one.strays, one.owner
        if one.strays == pool.FROM_LAUNCH or may_stay(answers):
            # Where it left from is kept beside it: its parabola begins anew at each turn.
            self.guide()
        for field, value in (one.moments or {}).items():
            if field == "near":
                self.answers[n]["near"] = value
            else:
                row[field] = value
            self.guide()
        row["sums"] = (
            one.reach < np.inf or row["flown"] < np.inf or any(by == pool.DEPENDS_FLOWN for _, by, _, _ in one.curves)
        )
        self._read_off(self.answers[n], one.curves)
        self.used = max(self.used, n + 1)
        return n

    def _number_of_params(self) -> int:
        """The number of a row that nobody uses."""
        n = self.spare.pop() if self.spare else self.used
        if n == len(self.params):
            self.params = pool.grown(self.params, n + 1)
            answers = pool.zeros(len(self.params) * self.groups, pool.ANSWERS).reshape(-1, self.groups)
            answers[:n] = self.answers[:n]
            self.answers = answers
        return n

    def _read_off(self, own: np.ndarray, curves: Any) -> None:
        """Let damage to some groups be read off curves."""
        for group, by, points, steps in curves:
            own[group]["by"], own[group]["first"], own[group]["count"] = by, self.knots, 0 if steps else len(points)
            if self.knots + len(points) > len(self.curves):
                self.curves = np.concatenate([self.curves, np.zeros((len(self.curves) + len(points), 2))])
            self.curves[self.knots : self.knots + len(points)] = points
            self.knots += len(points)

    def put(self, param, p, v, key, born, *, moves_at=None, inside=(), guide=None) -> None:
        """Put one projectile, or n at once, into the air.

        p, v : (3,), or (n, 3) where key is (n,), and param too may be. born, moves_at : int or (n,); on the clock.
        inside : indices of bodies that it is not to touch until clear of them. guide : what is to be written of GUIDE
        beside what follows from the launch, where something acts that goes by it.
        """
        if self.counters[pool.MID]:
            self._make_room(1 if isinstance(key, int) else len(p))
        first = self.live
        t0 = born if moves_at is None else moves_at
        if isinstance(key, int):
            self._hold(first + 1)
            life, age = int(self.params["life"][param]), int(self.params["age"][param])
            aged = age >= 0 and (life < 0 or age < life)
            lasts, cause = (age, pool.BY_AGE) if aged else (life, pool.BY_LIFE)
            until, left = pool.FOREVER if lasts < 0 else born + lasts, (*inside, *NOBODY[len(inside) :])
            row = (p, v, p, v, t0, born, until, 0, key, 0.0, 1.0, param, 0, cause, 0, 0, 0, 0, 0, 0, left)
            self.flight[first] = row
            self.wake[first] = pool.AWAKE
            self.counters[pool.LIVE] = first + 1
            if self.foresees:
                self.stretches[first]["end"] = 0
            if self.guided:
                self._guide(first, guide or {})
            return
        count = len(p)
        self._hold(first + count)
        q = self.flight[first : first + count]
        q["p"] = q["p0"] = p
        q["v"] = q["v0"] = v
        q["key"], q["born"], q["param"], q["t0"] = key, born, param, t0
        q["flown"], q["end"], q["inside"], q["cause"], q["bounces"], q["past"] = 0.0, 0, -1, pool.BY_LIFE, 0, 0
        q["clear"] = 0
        q["share"], q["on"], q["also"], q["pierced"], q["touched"] = 1.0, 0, 0, 0, 0
        life = self.params["life"][param]
        q["until"] = np.where(life < 0, pool.FOREVER, q["born"] + life)
        for k, body in enumerate(inside):
            q["inside"][:, k] = body
        self.wake[first : first + count] = pool.AWAKE
        self.counters[pool.LIVE] = first + count
        if self.foresees:
            self.stretches["end"][first : first + count] = 0
        if self.guided:
            for row in range(first, first + count):
                self._guide(row, guide or {})

    def _guide(self, row: int, written: dict) -> None:
        """Write what a projectile goes by from its launch on."""
        q = self.flight[row]
        par, g, began, v = self.params[q["param"]], self.guides[row], int(q["t0"]), q["v"]
        pace = float(np.sqrt(dot(v, v)))
        g["left"] = q["p"]
        g["way"], g["pace"], g["began"] = v / pace if pace > 0.0 else 0.0, pace, began
        g["body"], g["first"], g["aimed"] = -1, -1, q["p"]
        g["looks"] = int(q["born"] + par["looks"]) if par["law"] and par["toward"] == pool.TO_TARGET else pool.FOREVER
        stops = float(par["seeks"][1])
        g["until"] = began + int(stops * UNITS) if stops < np.inf else pool.FOREVER
        g["free"] = began + int(par["frees"])
        for name, value in written.items():
            g[name] = value
        self.counters[pool.SEEKS] = 0

    def run(self, ticks: np.ndarray, until: int = pool.FOREVER, keep: bool = False) -> int:
        """Advance by ``ticks`` (rows of ``pool.TICKS``) or until nothing is in the air; return how many were done.

        It comes back sooner, within a tick (``why``): DUE before the first contact at ``until`` (clock) or later,
        HOLD for what is to be decided outside, or OWES at a tick's end after which something is, or within it before
        what hangs on it. Called again with the ticks that are left it goes on from there.
        ``keep``: projectiles may have to look again within a tick. Raises OverflowError if one tick had more events
        than there was room for.
        """
        done = 0
        self.counters[pool.UNTIL], self.counters[pool.KEEP] = until, keep
        while done < len(ticks):
            rest = ticks[done:]
            if self.seeks:
                self._look(rest)
            else:
                self.counters[pool.SEEKS] = NEVER
            advance(self._pool(rest), work=0 if advance.loaded else self._work(rest))
            done += int(self.counters[pool.TICK])
            if self.counters[pool.LOST]:
                tick = int(ticks["tick"][max(done - 1, 0)])
                raise OverflowError(f"tick {tick} had more contacts than there is room for")
            if self.counters[pool.WHY] == pool.FULL:
                self._make_room()
            elif self.counters[pool.WHY] != pool.DONE:
                break
        return done

    def _look(self, ticks: np.ndarray) -> None:
        """Let those that seek look about at the start of the first of some ticks, or those that have come in it."""
        begun, who = bool(self.counters[pool.MID]), self.who
        if not begun:
            if who == self._known and int(ticks["end"][0]) <= int(self.counters[pool.SEEKS]):
                return
            self._make_room()
            self._known = who
        first = int(self.counters[pool.KNOWN]) if begun else 0
        if first < self.live:
            seek_targets(self._pool(ticks), first, work=(self.live - first) // 16)
        if who != self._known:
            # Somebody has come, or was put out by what followed a contact: all look about when the next tick begins.
            self.counters[pool.SEEKS] = 0

    @property
    def why(self) -> int:
        """Why the engine came back: ``pool.DONE``, EMPTY, DUE, HOLD or OWES."""
        return int(self.counters[pool.WHY])

    def end(self, row: int, time: int, cause: int) -> None:
        """Let a projectile end at a time (clock) within the present tick, wherever it has flown to in it already."""
        q = self.flight[row]
        q["until"], q["cause"] = time, cause
        slept = self.wake[row] != pool.AWAKE
        if slept:
            self.wake[row] = 0
        if self.counters[pool.MID] and row < self.counters[pool.KNOWN]:
            fresh, up = int(self.counters[pool.FRESH]), int(self.counters[pool.UP])
            if row in self.awake[:fresh]:
                self.look_again(row)
            elif slept and row not in self.awake[fresh:up]:
                self.awake[up] = row
                self.counters[pool.UP] = up + 1

    def look_again(self, row: int) -> None:
        """Let a projectile look anew from its running point: something has changed for it in the present tick."""
        q, at = self.flight[row], self.points[row]
        if at["kept"] and not q["end"]:
            q["p"], q["v"], q["flown"] = at["from_p"], at["from_v"], at["base"]
            self._wait(row, float(at["late"]))

    def redirect(self, row: int, time: float, p, v, start: int) -> None:
        """Let a projectile go on from ``p`` (3,) with ``v`` (3,), ``time`` s into the tick from ``start`` (clock).

        For what is decided while the engine holds; in exact step its parabola begins anew there.
        """
        q, at = self.flight[row], self.points[row]
        p, v = (tuple(map(float, one)) for one in (p, v))
        turn(q, at, self.params[q["param"]], (start, time), p, v)
        self._wait(row, time)

    def finish(self, row: int, time: float, cause: int, now: np.void) -> None:
        """End a projectile where it is held, ``time`` seconds into the tick ``now``."""
        q, at = self.flight[row], self.points[row]
        p, v = (tuple(map(float, at[name])) for name in ("p", "v"))
        place = (p, NOWHERE, v, NOWHERE)
        tell(self._pool(pool.zeros(1, pool.TICKS)), now, time, q, (pool.ENDED, -1, cause, 0.0, 0.0), place)
        q["flown"] += at["flown"]
        q["p"], q["v"], q["end"] = p, v, cause

    def hurt(self, body: int, amount: float, key: int, when: tuple[int, float, int], p, normal) -> None:
        """Take health from a body for what a projectile did, beside its contact: the rows of that, and of its death."""
        columns = self._columns()
        first = body + columns["first"].item(body)
        if columns["out"].item(first):
            return
        if amount <= 0.0 or columns["armour"].item(first) or columns["soaks"].item(first):
            amount = met_by({name: columns[name].item(first) for name in MEETS}, amount)
            if amount == 0.0:
                return
        left = columns["health"][first] = columns["health"].item(first) - amount
        self.note((pool.DAMAGE, body, 0, amount, left), key, when, p, normal)
        if left <= 0.0:
            put_out(self.bodies, first)
            self.note((pool.OUT, body, 0, amount, left), key, when, p, normal)

    def is_out(self, body: int) -> bool:
        """Whether a body is out."""
        seen, columns = self._seen
        return (columns if seen is self.bodies else self._columns())["out"].item(body) != 0

    def first_of(self, body: int) -> int:
        """The first piece of the body that one is of: it has the health of all."""
        return body + self._columns()["first"].item(body)

    def _columns(self) -> dict[str, np.ndarray]:
        """What is asked of one body after another, column by column: a row's fields take several times as long."""
        if self._seen[0] is not self.bodies:
            self._seen = self.bodies, {name: self.bodies[name] for name in ("first", "out", *MEETS)}
        return self._seen[1]

    def note(self, what: tuple[int, int, int, float, float], key: int, when: tuple[int, float, int], p, normal) -> None:
        """Write one event that was decided outside: kind, body, code, amount, left; tick's start, s after it, tick.

        While notes are gathered it stands among them.
        """
        if self.notes is not None:
            self.notes.append((*when, key, *what, p, normal))
            return
        at = self.counters.item(EVENTS)
        if at + ROOM_EACH * self.counters.item(LIVE) + ROOM > len(self._events):
            self._make_room()
        start, after, tick = when
        placed = (*normal.tolist(), *p.tolist(), *NOWHERE, *NOWHERE)
        if self._bytes is None:
            self._bytes = memoryview(self._events.view(np.uint8))
        NOTE.pack_into(self._bytes, at * NOTE.size, start, after, key, tick, *what, *placed)
        self.counters[EVENTS] = at + 1

    def write_notes(self) -> None:
        """Write all that was gathered, as if each had been written by itself, which takes three times as long."""
        notes, self.notes = self.notes, None
        if notes:
            self._make_room(notes=len(notes))
            at = int(self.counters[EVENTS])
            rows = self._events[at : at + len(notes)]
            for name, column in zip(NOTED, zip(*notes, strict=True), strict=True):
                rows[name] = column
            rows["v"] = rows["u"] = 0.0
            self.counters[EVENTS] = at + len(notes)

    def set_out(self, row: int, time: float, cause: int, p, v, now: np.void) -> None:
        """End a projectile at ``p`` (3,) with ``v`` (3,), ``time`` seconds into the tick ``now``."""
        q = self.flight[row]
        place = (tuple(map(float, p)), NOWHERE, tuple(map(float, v)), NOWHERE)
        tell(self._pool(pool.zeros(1, pool.TICKS)), now, time, q, (pool.ENDED, -1, cause, 0.0, 0.0), place)
        q["p"], q["v"], q["end"] = p, v, cause
        self.points[row]["turn"] += 1

    def deflect(self, row: int, time: float, p, v, now: np.void) -> None:
        """Let a projectile go on from ``p`` with ``v``, ``time`` s into the tick, wherever it has flown to in it."""
        q, at = self.flight[row], self.points[row]
        if at["kept"]:
            q["flown"] = at["base"]
        at["flown"] = 0.0
        self.redirect(row, time, p, v, int(now["start"]))

    def first_meeting(self, late: float, sorts, whom, skip, now: np.ndarray):
        """The first two rows that meet after ``late`` seconds of a tick (one row), when, and where each then is.

        As ``meetings.first_meeting`` tells; None if none do. Each: place (3,) and velocity (3,).
        """
        asked = self._meeting(late, sorts, whom, skip, now)
        first_meeting(*asked, work=self.live * self.live // 200)
        found = asked[-1]
        if found[0] < 0.0:
            return None
        states = [(found[3:6], found[6:9]), (found[9:12], found[12:15])]
        return int(found[0]), int(found[1]), float(found[2]), states

    def _meeting(self, late: float, sorts, whom, skip, now: np.ndarray) -> tuple:
        """What ``meetings.first_meeting`` is asked with; the last is what it fills."""
        ways, found, ball = np.zeros((self.live, 11)), np.zeros(15), pool.zeros(1, pool.BODY)
        ball["kind"] = BALL
        for k in range(3):
            ball[f"axis{k}"][0, k] = 1.0
        pairs = np.array(sorted(skip), dtype=np.int64).reshape(-1, 2)
        return self._pool(now), late, sorts, whom, ball, pairs, ways, found

    def compile_meetings(self, sorts, whom) -> None:
        """Compile what finds who meets, or load it, before it is needed."""
        first_meeting.compiled(*self._meeting(0.0, sorts, whom, (), pool.zeros(1, pool.TICKS)))

    def _wait(self, row: int, time: float) -> None:
        """Let a projectile look again at a time of the present tick."""
        waiting = int(self.counters[pool.HEAP])
        if waiting >= len(self.pending):
            self.pending = pool.grown(self.pending, waiting + 1)
        all_ = self._pool(pool.zeros(1, pool.TICKS))
        self.counters[pool.HEAP] = wait(all_, row, time, LIMIT_KEY, pool.AGAIN, waiting)

    def _work(self, ticks: np.ndarray) -> int:
        """How many projectile-ticks of plain work these are, about: one is several where stiff drag bends its way."""
        work = self.live * len(ticks)
        if self.world["step"][0] != pool.EXACT or work < LITTLE:
            return work
        rows = self.params[sorted(set(self.flight["param"][: self.live].tolist()))]
        speed = np.sqrt((self.flight["v"][: self.live] ** 2).sum(axis=1).max())
        bend = max(stiffness(row, speed) for row in rows) * float(ticks["dt"][0])
        return int(work * (1.0 + min(bend / STIFF, float(SMOOTH)))) if bend > 0.0 else work

    def _pool(self, ticks: np.ndarray) -> pool.Pool:
        return pool.Pool(
            self.world,
            self.flight,
            self.params,
            self.answers,
            self.curves,
            self.bodies,
            self.boxes,
            self.start,
            self.items,
            self.apart,
            self.scratch,
            self.pending,
            self.points,
            self.events,
            self.samples,
            ticks,
            self.counters,
            self.wake,
            self.awake,
            self.guides,
            self.stretches,
            self.stages,
            self.openings,
        )

    def _make_room(self, more: int = 0, notes: int = 0) -> None:
        """Make room for what a tick may write of all in the air, and so many more, and for so many notes."""
        live = self.live + more
        need = int(self.counters[pool.EVENTS]) + notes + pool.ROOM_EACH * live + pool.ROOM
        if need > len(self.events):
            self.events = pool.grown(self.events, need)
        need = int(self.counters[pool.SAMPLES]) + live
        if need > len(self.samples):
            self.samples = pool.grown(self.samples, need)

    def take_events(self) -> np.ndarray:
        """A copy of the events since the last call, in the order in which they were written."""
        taken = pool.copied(self.events[: self.counters[pool.EVENTS]])
        self.counters[pool.EVENTS] = 0
        return taken

    def sample(self, time: int, now: np.ndarray) -> None:
        """Write down where all are at ``time`` (clock), within the tick ``now`` (one row) or at its start."""
        count = int(self.counters[pool.SAMPLES])
        there = np.flatnonzero((self.flight["end"][: self.live] == 0) & (self.flight["born"][: self.live] <= time))
        self.samples = pool.grown(self.samples, count + len(there))
        engine = self._pool(now)
        for row, i in zip(self.samples[count:], there.tolist(), strict=False):
            row["t"], row["key"] = time, self.flight[i]["key"]
            row["p"], row["v"] = standing(engine, i, time)
        self.counters[pool.SAMPLES] = count + len(there)

    def take_samples(self) -> np.ndarray:
        """A copy of the samples since the last call."""
        taken = pool.copied(self.samples[: self.counters[pool.SAMPLES]])
        self.counters[pool.SAMPLES] = 0
        return taken


def _sleeps() -> bool:
    return os.environ.get("NIVVO_SLEEP", "auto") != "never"


def one_tick(start: int, end: int, number: int, dt=None) -> np.ndarray:
    """One row of ``pool.TICKS``."""
    row = pool.zeros(1, pool.TICKS)
    row[0] = (start, end, (end - start) / UNITS if dt is None else dt, number)
    return row


def ticks_of(edges: np.ndarray, first: int, dt=None) -> np.ndarray:
    """Rows of ``pool.TICKS`` for ``edges`` (n + 1,) on the clock, from tick number ``first``.

    dt : float or None
        Seconds of each tick; None takes them from the edges.
    """
    rows = pool.zeros(len(edges) - 1, pool.TICKS)
    rows["start"], rows["end"] = edges[:-1], edges[1:]
    rows["dt"] = (edges[1:] - edges[:-1]) / UNITS if dt is None else dt
    rows["tick"] = np.arange(first, first + len(rows))
    return rows
