"""All bodies of a session: where they are at any time, and the only place where they are written.

What the engine reads of them (``rows``) and how they move (``motions``) change together here, or in the tick itself.
"""

from __future__ import annotations

import math
from bisect import bisect_right

import numpy as np

from nivvo.core import pool
from nivvo.core.bodies.clearing import free_near
from nivvo.core.bodies.pushing import first_touch
from nivvo.core.geometry.approach import Span, least
from nivvo.core.geometry.contact import NONE, TOUCH, UNDECIDED, first_contact
from nivvo.core.geometry.hulls import between
from nivvo.core.geometry.shapes import distance, plain, reach_of, support
from nivvo.core.geometry.turning import distance_at, rotated, surface_speed
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import three
from nivvo.core.numbers.vec import along, arc, dot, sub
from nivvo.core.world.arena import Arena
from nivvo.plan.bodies import Body, Wave, ring
from nivvo.plan.scene import Scene
from nivvo.play.stage.afoot import Afoot
from nivvo.play.stage.layout import layout_of
from nivvo.play.stage.loose import Bodies, Pushed
from nivvo.play.stage.player import Player
from nivvo.play.ways.herd import Chaser, Herd
from nivvo.play.ways.motion import NOWHERE, Motion, Walker
from nivvo.play.ways.spinning import TURNED, Spin, Spins
from nivvo.play.ways.steady import Steady
from nivvo.play.ways.ways import Beside, motion_of
from nivvo.record.path import Path
from nivvo.record.record import NOBODY

STILL = (0.0, 0.0, 0.0)
PUSHES = 32
"""How often a body is pushed out of what it is in, until it is clear or is not."""

AT_NO_TIME: tuple[int, list[tuple], tuple, set[int]] = (-1, [], (None, None), set())

FEW = 6
"""So many bodies that turn, or move, are looked at one by one: all at once takes as long as so many do."""


def _moves(motion: Motion) -> int:
    """How a body moves, as the engine has it."""
    return pool.VEERS if motion.veers or motion.turns else pool.GOES if motion.moves else pool.STAYS_PUT


def _near(row, state, body, radius: float):
    """Gap between a ball and a body, and how fast it changes, at a time (s)."""
    c, v, a, since = body

    def near(time: float) -> tuple[float, float]:
        p, u = state(time)
        t = time - since
        d = sub(p, arc(c, v, a, t))
        gap, n = distance_at(row, d, t)
        return gap - radius, dot(n, sub(sub(u, along(v, a, t)), surface_speed(row, d)))

    return near


class Stage:
    """Everything in a scene that has a place, at any time.

    names, kinds : of the bodies, by number. number : of each by name; of those that were taken away there is none.
    motions : the way of each. movers : numbers of those that move, or may come to. players : by shooter.
    whole : the numbers of all that go by one name; shifts : of what has several shapes, from its place to the middle of
    each (3,), by number. chasing : numbers of those who chase or flee in the present tick. changes : how often a
    body came, went or was changed in its way from outside. cuts : whether ticks are cut where ways turn.
    """

    def __init__(self, scene: Scene, arena: Arena):
        self.scene, self.arena, self.cuts = scene, arena, scene.cuts
        self.names, self.kinds, self.number = list(scene.names), list(scene.kinds), dict(scene.number)
        self.whole = {name: list(numbers) for name, numbers in scene.whole.items()}
        layout = layout_of(scene)
        self.shifts, self.motions, self.arrived = {**layout.shifts}, [*layout.motions], {**layout.arrived}
        for k in layout.own:
            if k in layout.ways:
                self.motions[k] = layout.ways[k].again()
            else:
                walk = scene.shooters[scene.planned[k].name].walk
                self.motions[k] = Walker(scene.planned[k].row["c0"].copy(), walk, scene.frame, scene.gravity)
        self.herd = Herd()
        self.turning: dict[int, Spin] = {}
        self._spins: Spins | None = None
        self._added: dict[int, np.ndarray] = {}
        for k in layout.own:
            body = scene.planned[k]
            self._after(k, body, 0, self.whole[body.name])
            self._spin(k, 0, body.spins_up)
        self.movers = [k for k in layout.own if self.motions[k].moves and not scene.planned[k].arrives]
        self._set: dict[int, tuple] = {}
        self._known: Steady | None = None
        self._reaches: dict[int, float] = {}
        self._reshaped: set[int] = set()
        self._plain: dict[int, dict] = {}
        self._at: tuple[int, list[tuple], tuple, set[int]] = AT_NO_TIME
        self.changes = 0
        self.chasing: set[int] = set()
        self._there, self._rows, self._goals = (None, None, None), np.zeros(0, dtype=int), (None, None, None)
        self.coming, self.going = [*layout.come], [*layout.go]
        self.waiting: dict[str, list[int]] = {}
        for k in layout.own:
            if scene.planned[k].arrives and not isinstance(self.motions[k], Chaser | Beside):
                self.motions[k] = Motion(scene.planned[k].row["c0"].copy())
        self.on_shooter, self.waves = {**layout.on_shooter}, layout.waves
        self.loose = Bodies(self, layout.masses)
        self.afoot = Afoot(self, layout.walks)
        if layout.own:
            self.arena.move_as({k: _moves(self.motions[k]) for k in {*self.movers, *self.afoot.feet}})
        self.players = {name: Player(self, name) for name in scene.shooters}
        self._free: list[tuple[int, int]] = []

    def __getstate__(self) -> dict:
        # What can be told of the rows and ways again is not kept.
        return self.__dict__ | {"_plain": {}, "_at": AT_NO_TIME, "_known": None, "_spins": None}

    @property
    def rows(self) -> np.ndarray:
        """What the engine knows of each body."""
        return self.arena.bodies

    def out(self, number: int) -> bool:
        """Whether a body is out."""
        return self.arena.is_out(number)

    # Writing.

    def set_out(self, number: int, out: bool) -> None:
        """Let a body be out, all of its shapes, or there again."""
        self.arena.bodies["out"][self.pieces(number)] = out

    def add(self, bodies: list[Body], tick: int) -> None:
        """Put one more body on, of one piece or several, before tick number ``tick``."""
        for body in bodies:
            number = self._add(body, tick, self.whole.get(body.name))
            self.whole.setdefault(body.name, []).append(number)
            if len(bodies) > 1:
                self.shifts[number] = body.shift
        pieces = self.whole[bodies[0].name]
        self.number[bodies[0].name] = pieces[0]
        if len(pieces) > 1:
            ring(self.rows, pieces)
        self.changes += 1
        self.arena.plan()
        self.afoot.enlist()

    def _add(self, body: Body, tick: int, pieces: list[int] | None) -> int:
        # A place is taken again only once a tick has gone by: till then a projectile may remember who was there.
        if self._free and self._free[0][0] < tick:
            number = self._free.pop(0)[1]
        else:
            number = self.arena.grow_bodies()
            for listed in (self.names, self.kinds, self.motions):
                listed.append(None)
        start = self.scene.ticks.edge(tick)
        row, motion = body.row.copy(), motion_of(body, self.scene, start)
        row["key"] = number
        self.rows[number] = row
        self._reshaped.add(number)
        self._added[number] = body.shift
        self.names[number], self.kinds[number], self.motions[number] = body.name, body.kind, motion
        motion = self._after(number, body, start, pieces)
        self._spin(number, start, body.spins_up)
        self.rows[number]["moves"] = _moves(motion)
        self.loose.add(number, body)
        if body.on_shooter is not None:
            self.on_shooter[number] = body.on_shooter
        if motion.moves:
            self.movers.append(number)
            self._at = AT_NO_TIME
        return number

    def _after(self, number: int, body: Body, time: int, pieces: list[int] | None) -> Motion:
        """Let a body go by another from a time on (clock), if it does; its way. pieces : of the same body till now."""
        move = body.move
        if move is not None and move.toward is not None and pieces and pieces[0] != number:
            self.motions[number] = Beside(self.motions, pieces[0], body.shift - self._shift(pieces[0]))
        elif move is not None and move.toward is not None:
            goal = self.number[move.toward]
            self.motions[number] = self.herd.add(number, body, goal, self.middle(goal, time), time)
        elif move is not None and move.beside is not None:
            leader = self.number[move.beside]
            offset = move.offset + body.shift - self._shift(leader)
            self.motions[number] = Beside(self.motions, leader, offset)
            self.rows[number]["c0"] = self.middle(number, time)
        return self.motions[number]

    def _spin(self, number: int, start: int, spins_up: float) -> None:
        """Know of a body whether it turns, from a time on (clock), and how fast it comes to that (rad/s²)."""
        if (top := float(self.rows[number]["turns"])) != 0.0:
            vectors, self._spins = np.array([self.rows[number][name] for name in TURNED]), None
            self.turning[number] = Spin(
                start, vectors, top, spins_up, self.scene.ticks, bool(self.rows[number]["arm"].any())
            )
            self.motions[number].turns = True

    def _shift(self, number: int) -> np.ndarray:
        """From the place that is written for a body to its middle (3,)."""
        if number in self.shifts:
            return self.shifts[number]
        return self._added[number] if number in self._added else self.scene.planned[number].shift

    def remove(self, name: str, tick: int) -> None:
        """Take a body away, before tick number ``tick``."""
        del self.number[name]
        for number in self.whole.pop(name):
            self._leave(number, self.scene.ticks.edge(tick))
            self.herd.leave(number)
            self.herd.lose(number)
            for kept in (self._reaches, self._plain, self.loose.of, self.on_shooter, self.shifts, self.turning):
                kept.pop(number, None)
            self.rows[number]["out"] = 1
            self.movers = [k for k in self.movers if k != number]
            self._never(number)
            self._free.append((tick, number))
        self._at, self._spins, self.changes = AT_NO_TIME, None, self.changes + 1
        self.arena.plan()

    def _never(self, number: int) -> None:
        """Let a body that is taken away come and go no more, nor be one of a wave: another may have its number."""
        self.coming, self.going = ([one for one in kept if one[1] != number] for kept in (self.coming, self.going))
        if (wave := self.waves.get(number)) is not None:
            queue = [k for k in self.waiting.pop(wave.name, ()) if k != number]
            self.waiting |= {wave.name: queue} if queue else {}
            rest = wave._replace(bodies=wave.bodies[wave.bodies != number])
            self.waves = {k: rest if one.name == rest.name else one for k, one in self.waves.items() if k != number}

    def _leave(self, number: int, time: int) -> None:
        """Let those stand from a time on (clock) who stay beside a body that is taken away."""
        for k, motion in enumerate(self.motions):
            if isinstance(motion, Beside) and motion.leader == number and k != number:
                self.motions[k] = Motion(motion.at(time)[0])

    def move_body(self, name: str, goal: np.ndarray, tick: int, jump: bool) -> None:
        """Let a body, all of its shapes, go straight to ``goal`` (3,) over a tick, or be there at its start."""
        now, then = self.scene.ticks.edge(tick), self.scene.ticks.edge(tick + 1)
        for piece in self.whole[name]:
            self.move(piece, now, then, goal + self.shifts.get(piece, 0.0), jump)

    def move(self, number: int, now: int, then: int, goal: np.ndarray, jump: bool) -> None:
        """Let a body go straight to ``goal`` (3,) from ``now`` to ``then`` (clock), or be there at once; it stays."""
        if not self.loose.goes_along(number):
            # A snapshot holds on to the motions of bodies that stand: they are never changed, only replaced.
            self.motions[number] = self.motions[number].placed(now, then, goal, jump)
            self.loose.moved(number, goal)
        self.moves(number)

    def moves(self, number: int) -> None:
        """Know of a body that it moves from now on."""
        self._at, self.changes = AT_NO_TIME, self.changes + 1
        if self._known is not None and number in self._known.own:
            self._known = None
        self.herd.leave(number)
        self.chasing.discard(number)
        if number not in self.movers or self.rows[number]["moves"] != pool.VEERS:
            self.movers = [*(k for k in self.movers if k != number), number]
            self.rows[number]["moves"] = pool.VEERS
            self.arena.plan()

    @property
    def thinks(self) -> bool:
        """Whether bodies chase, flee, turn, are to come or go, or have a mass: something changes at a tick's start."""
        own = self.turning or len(self.herd.numbers) or self.coming or self.waiting or self.going
        return bool(own or self.loose.of or self.afoot.feet)

    def quiet(self, time: int, along: bool) -> int:
        """Until when (clock) nothing changes at a tick's start, from a time on; ``along``: ways are known meanwhile."""
        if self.turning or len(self.herd.numbers) or self.waiting or not self.loose.quiet(time):
            return time
        # Who lies or stands on something goes on otherwise once that is out.
        mortal = np.flatnonzero(self.rows["health"] < math.inf).tolist() if self.loose.of or self.afoot.feet else ()
        if mortal and (self.loose.of or any(map(self.solid, mortal))):
            return time
        return min([self.afoot.quiet(time, along), *(due for due, _ in (*self.coming[:1], *self.going[:1]))])

    def think(self, time: int, end: int) -> None:
        """Let those arrive who are due at a tick's start, those turn who chase, flee or spin up, those move that are
        pushed."""
        if self.waiting or (self.coming and self.coming[0][0] <= time):
            self._come(time)
        if self.going and self.going[0][0] <= time:
            self._go(time)
        if self.turning:
            self._all_spins().set_rates(self.rows, time)
        if len(self.herd.numbers):
            self._turn(time, end)
        if self.loose.of:
            self.loose.think(time, end)
        if self.afoot.feet:
            self.afoot.think(time, end)

    def walked(self, number: int, time: int) -> None:
        """A walker is steered at a time (clock): it goes on otherwise from then on."""
        if number in self.afoot.feet:
            if self.loose.of and time < self.afoot.end:
                self.loose.again(time, self.afoot.end)
            self.afoot.go(number, time)

    def _come(self, time: int) -> None:
        """Let those arrive who are due, as far as there is room for them."""
        due = bisect_right(self.coming, (time, len(self.names)))
        late, self.coming = [number for _, number in self.coming[:due]], self.coming[due:]
        arrived = []
        for name, queue in self.waiting.items():
            if queue and (room := self._room(self.waves[queue[0]])) > 0:
                arrived += queue[:room]
                self.waiting[name] = queue[room:]
                self._arrive(queue[:room], time)
        self.waiting = {name: queue for name, queue in self.waiting.items() if queue}
        for number in late:
            wave = self.waves.get(number)
            if wave is None or self._room(wave) > 0:
                self._arrive([number], time)
                arrived.append(number)
            elif wave.waits:
                self.waiting.setdefault(wave.name, []).append(number)
            else:
                self._tell(pool.TURNED_AWAY, number, self.rows["c0"][number], time)
        if arrived:
            self.arena.plan()

    def _go(self, time: int) -> None:
        """Let those go who are due, if they are still there: they are out."""
        while self.going and self.going[0][0] <= time:
            number = self.going.pop(0)[1]
            if not self.out(number):
                self.set_out(number, out=True)
                self._tell(pool.GONE, number, self.middle(number, time), time)
        self.arena.plan()

    def _room(self, wave: Wave) -> int:
        """How many more of a wave may be on the field."""
        return len(wave.bodies) if wave.most is None else wave.most - int(np.sum(self.rows["out"][wave.bodies] == 0))

    def _tell(self, kind: int, number: int, where: np.ndarray, time: int) -> None:
        tick = self.scene.ticks.holding(time)
        self.arena.note((kind, number, 0, 0.0, 0.0), NOBODY, (time, 0.0, tick), where, np.zeros(3))

    @property
    def to_come(self) -> set[int]:
        """Numbers of those who have not come yet, but are to."""
        return {number for _, number in self.coming} | {number for queue in self.waiting.values() for number in queue}

    def _arrive(self, numbers: list[int], time: int) -> None:
        """Let bodies come, and begin their ways."""
        for number in numbers:
            for piece in self.pieces(number):
                self._begin(piece, time)
            self._tell(pool.ARRIVED, number, self.middle(number, time), time)

    def _begin(self, number: int, time: int) -> None:
        motion, self._at = self.motions[number], AT_NO_TIME
        if not isinstance(motion, Chaser | Beside | Pushed):
            motion = motion_of(self.scene.planned[number], self.scene, time)
        motion.turns = number in self.turning
        if motion.turns and self.turning[number].gains < math.inf:
            self.turning[number], self._spins = self.turning[number]._replace(start=time), None
        if isinstance(motion, Chaser):
            self.herd.begin(motion.row, self.middle(int(self.herd.goals[motion.row]), time), time)
        self.motions[number], self.arrived[number] = motion, time
        self.rows[number]["out"] = 0
        self.rows[number]["moves"] = _moves(motion)
        if motion.moves and number not in self.movers:
            self.movers.append(number)

    def _turn(self, time: int, end: int) -> None:
        """Let those who chase or flee turn at a tick's start, all at once; ``end``: of that tick (clock)."""
        herd, out = self.herd, self.rows["out"]
        if self._there[0] is not self.arena.there or self._there[1] is not herd.numbers:
            self._there = self.arena.there, herd.numbers, np.flatnonzero(np.isin(herd.numbers, self.arena.there))
        go = self._there[2]
        go = go[herd.free[go] & (out[herd.numbers[go]] == 0)]
        changed = not np.array_equal(go, self._rows)
        if changed:
            self._rows = go
            self.chasing = set(herd.numbers[go].tolist())
        if self.chasing or changed:
            if changed or self._goals[0] is not herd.goals:
                self._goals = herd.goals, *np.unique(herd.goals[self._rows], return_inverse=True)
            _, goals, which = self._goals
            nowhere = np.full((2, 3), math.nan)
            found = [nowhere if k == NOBODY or out[k] else self.motions[k].at(time)[:2] for k in goals.tolist()]
            there, goes = np.array(found).reshape(-1, 2, 3)[which].swapaxes(0, 1)
            found = herd.turn(time, self._rows, there, goes, end)
            self.arena.set_motions(herd.numbers[self._rows], *found, time)

    def face_all(self, time: int) -> None:
        """Let the front of each shooter be where it faces at ``time``."""
        for player in self.players.values():
            self.rows["front"][player.body] = player.facing(time)

    def place_all(self, time: int) -> None:
        """Set each moving body on the piece of its way that holds at ``time``.

        From where that piece begins, so that no rounding hangs on when the session looked.
        """
        self._turn_all(time)
        steady = self._steady(time)
        for k in (*steady.turned, *(k for k in steady.rest if k not in self.chasing)):
            piece, start = self.motions[k].piece(time)
            # Most go on as they did.
            if self._set.get(k) is not piece:
                self.arena.set_motion(k, *piece, start)
                self._set[k] = piece
        steady.turned.clear()

    def _steady(self, time: int) -> Steady:
        """Whose ways are known at a time (clock), and how far; where all go straight over a tick, at its start."""
        time = self._over(time)[0]
        if self._known is None or not self._known.goes_on(self.motions, self._of_ways(), time):
            if (out := self.rows["out"][self.movers]).any():
                self.movers = [k for k, gone in zip(self.movers, out.tolist(), strict=True) if not gone]
            self._known = Steady(self.movers, self.motions, self._of_ways(), time, self.reach)
        return self._known

    def _over(self, time: int) -> tuple[int, int]:
        """From when to when (clock) all go straight that go at a time; that time where they do not."""
        if self.cuts:
            return time, time
        tick = self.scene.ticks.holding(time)
        return self.scene.ticks.edge(tick), self.scene.ticks.edge(tick + 1)

    def _of_ways(self) -> tuple:
        """What changes where somebody comes, goes, or begins to move."""
        return self.movers, len(self.movers), self.arena.who

    def _turn_all(self, time: int) -> None:
        """Set each body that turns as it is turned at ``time``."""
        if len(self.turning) <= FEW:
            for k in self.turning:
                self.turning[k].set(self.rows[k], time)
            return
        self._all_spins().set(self.rows, time)

    def _all_spins(self) -> Spins:
        if self._spins is None:
            self._spins = Spins(self.turning, self.rows)
        return self._spins

    def turned_by(self, number: int, time: int, end: int) -> float:
        """By how much a body turns from a time to another (clock), rad."""
        return self.turning[number].angle(end) - self.turning[number].angle(time)

    def carried(self, number: int, offset: np.ndarray, since: int, time: int) -> np.ndarray:
        """Where what was on a body, at an offset (3,) from its middle, ``since`` is at a time (clock)."""
        if number in self.turning:
            row = self.rows[number]
            angle = float(row["turns"]) * ((time - since) / UNITS)
            if self.turning[number].gains < math.inf:
                angle = self.turned_by(number, since, time)
            offset = np.array(rotated(three(offset), three(row["about"]), angle))
        return self.middle(number, time) + offset

    def row(self, number: int, time: int) -> np.void:
        """The record of a body as it is turned at ``time``."""
        return self.turning[number].set(self.rows[number].copy(), time) if number in self.turning else self.rows[number]

    def place_straight(self, start: int, end: int) -> None:
        """Let each moving body go straight over a tick."""
        self._turn_all(start)
        self._set.clear()
        movers = self._on_their_way()
        if len(movers) > FEW:
            numbers, *ways = self._steady(start).straight(end)
            self.arena.set_motions(numbers, *ways, start)
            movers = sorted({*self._on_their_way()}.difference(numbers.tolist()))
        for k in movers:
            self.arena.set_motion(k, *self.motions[k].straight(start, end), start)

    def way(self, number: int, time: float) -> tuple[tuple[np.ndarray, np.ndarray, np.ndarray], int, int | None]:
        """The piece of a body's way that holds at a time (clock): its beginning (3,) each, from when, and until when.

        Where a game moves it once a tick it goes straight over that, if it is known ahead how it goes.
        """
        motion, ticks = self.motions[number], self.scene.ticks
        if self.cuts or not (motion.foreseen and motion.moves):
            return *motion.piece(time), motion.next_break(time)
        tick = ticks.holding(int(time))
        start, end = ticks.edge(tick), ticks.edge(tick + 1)
        return motion.straight(start, end), start, end

    def _on_their_way(self) -> list[int]:
        """Those that move but chase or flee nobody: these go straight for a tick, and the engine knows."""
        return [k for k in self.movers if k not in self.chasing] if self.chasing else self.movers

    def stop_all(self, time: int) -> None:
        """Let each moving body stand where it is at ``time``."""
        places = {k: self.middle(k, time) for k in {*self.movers, *self.turning}}
        self._turn_all(time)
        self.rows["turns"] = self.rows["arm"] = 0.0
        # They stand otherwise than at first.
        self._reshaped |= self.turning.keys()
        self.turning.clear()
        self._spins = None
        self._set.clear()
        self._known = None
        for k, place in places.items():
            self.arena.set_motion(k, place, np.zeros(3), np.zeros(3), time)

    def next_turn(self, time: int) -> int | None:
        """When after ``time`` a way turns next, as far as is known."""
        steady = self._steady(time)
        turns = [turn for turn, _ in steady.breaks[:1]]
        turns += [self.motions[k].next_break(time) for k in steady.rest if k not in self.chasing]
        return min((turn for turn in turns if turn is not None), default=None)

    def turns_by(self, time: int, end: int) -> list[int]:
        """Who may go on otherwise after a time and before another (clock)."""
        steady = self._steady(time)
        return sorted({*steady.rest, *steady.turning(end)})

    def forget(self, time: int) -> None:
        """Drop what can no longer matter at ``time``, for sessions without end."""
        for player in self.players.values():
            player.forget(time)
        self.herd.forget(time)
        for motion in self.motions:
            motion.forget(time)

    # Asking.

    def reach(self, number: int) -> float:
        """Radius of a ball about a body's middle that holds it (units); inf of a half-space."""
        if number < len(self.scene.planned) and number not in self._reshaped:
            return self.scene.reach(number)
        if number not in self._reaches:
            self._reaches[number] = reach_of(self.rows[number])
        return self._reaches[number]

    def pieces(self, number: int) -> list[int]:
        """The numbers of all shapes of the body that one is of."""
        return self.whole[self.names[number]]

    def centre(self, number: int, time: int) -> np.ndarray:
        """Where a body is at ``time`` (on the clock): its middle; where several shapes turn, what they turn about."""
        motion = self.motions[number]
        if self.cuts or not (motion.foreseen and motion.moves):
            return motion.place(time)
        tick = self.scene.ticks.holding(int(time))
        if time == self.scene.ticks.edge(tick):
            return motion.place(time)
        (c, v, _), since, _ = self.way(number, time)
        return c + v * ((time - since) / UNITS)

    def centres(self, numbers: list[int], time: int) -> np.ndarray:
        """``centre`` of several, (n, 3)."""
        motions = [self.motions[k] for k in numbers]
        herd = [k for k, motion in enumerate(motions) if type(motion) is Chaser]
        out = [NOWHERE if type(self.motions[k]) is Chaser else self.centre(k, time) for k in numbers]
        places = np.concatenate([NOWHERE[:0], *out]).reshape(-1, 3)
        if herd:
            places[herd] = self.herd.places(np.array([motions[k].row for k in herd]), time)
        return places

    def middles(self, numbers: list[int], time: int) -> np.ndarray:
        """``middle`` of several, (n, 3)."""
        places = self.centres(numbers, time)
        for k in (k for k, number in enumerate(numbers) if number in self.turning):
            places[k] = self.middle(numbers[k], time)
        return places

    def middle(self, number: int, time: int) -> np.ndarray:
        """Where the middle of a body's shape is at ``time`` (on the clock)."""
        place, spin = self.centre(number, time), self.turning.get(number)
        return place if spin is None or not spin.swings else place + self.row(number, time)["arm"]

    def gap(self, number: int, point, time: int) -> float:
        """Signed distance (units) of a point (3,) from a body at ``time``."""
        return self.gap_at(number, point, self.middle(number, time), time)

    def gap_at(self, number: int, point, middle, time: int = 0) -> float:
        """Signed distance (units) of a point (3,) from a body as it is turned then, were its middle at ``middle``."""
        (x, y, z), (a, b, c) = point.tolist(), middle.tolist()
        return float(distance(self._shape(number, time), (x - a, y - b, z - c))[0])

    def _shape(self, number: int, time: int) -> dict:
        """A body's shape as it is turned at ``time``, to be asked for a distance."""
        if number in self.turning:
            return plain(self.row(number, time))
        if number not in self._reshaped:
            return layout_of(self.scene).shape(number)
        if number not in self._plain:
            self._plain[number] = plain(self.rows[number])
        return self._plain[number]

    def around(
        self,
        start: np.ndarray,
        to: np.ndarray,
        radius: float,
        *kinds: str,
        time: int | None = None,
        movers: list[int] | None = None,
    ) -> list[int]:
        """Numbers of the bodies, of some kinds or all, that a ball on its way ``to`` (3,) from ``start`` may meet.

        Those that are out are left away. Of those that move: these ``movers``, or all, wherever they are; or only where
        they are at a time (clock), if that is given.
        """
        far = radius + 1e-9 * self.scene.size
        a, b, c = start.tolist()
        if to is NOWHERE:
            low, high = (a - far, b - far, c - far), (a + far, b + far, c + far)
        else:
            x, y, z = (start + to).tolist()
            low = (min(a, x) - far, min(b, y) - far, min(c, z) - far)
            high = (max(a, x) + far, max(b, y) + far, max(c, z) + far)
        near, known = self.arena.near(low, high), self.kinds
        if self.movers and time is None:
            near = sorted({*near, *self.movers} if movers is None else {*near}.difference(self.movers).union(movers))
        elif self.movers:
            there = self._moving(low, high, time)
            near = sorted({*there, *(k for k in near if k not in self._at[3])})
        if not near:
            return near
        return [k for k in near if not (kinds and known[k] not in kinds) and not self.out(k)]

    def nearing(self, places: list, sizes: list[float], time: int, end: int) -> list[int]:
        """Numbers of those that move and may come as near as that (units) to one of some places, (3,) each, in a tick
        from a time to another (clock), and of some more."""
        if not (self.movers and places):
            return []
        if len(self.movers) <= FEW:
            return sorted(self.movers)
        (time, until), steady, slack = self._over(time), self._steady(time), 1e-9 * self.scene.size
        end = max(end, until)
        return sorted({*steady.nearing(np.array(places), np.array(sizes) + slack, time, end), *steady.rest})

    def _moving(self, low: tuple, high: tuple, time: int) -> list[int]:
        """Numbers of all that moves whose boxes at a time (clock) overlap one from its low to its high corner.

        The boxes are kept as long as that time is asked for.
        """
        if self._at[0] != time:
            slack, numbers, boxes, rest = 1e-6 * self.scene.size, None, None, self.movers
            many, span = len(rest) > FEW, self._over(time)
            steady = self._steady(time) if many and not self.cuts else self._known
            if many and steady is not None and steady.holds(self._of_ways(), span[0]):
                numbers, boxes, rest = steady.boxes(*span, slack)
            few = []
            for k, (x, y, z) in zip(rest, self.centres(rest, time).tolist(), strict=True):
                far = self.reach(k) + slack
                few.append((k, x - far, y - far, z - far, x + far, y + far, z + far))
            self._at = time, few, (numbers, boxes), set(self.movers)
        (x, y, z), (a, b, c) = high, low
        found = [k for k, d, e, f, g, h, i in self._at[1]
                 if d <= x and e <= y and f <= z and g >= a and h >= b and i >= c]  # fmt: skip
        numbers, boxes = self._at[2]
        if numbers is not None:
            found += numbers[(boxes <= (x, y, z, -a, -b, -c)).all(axis=1)].tolist()
        return found

    def least_gap(self, number: int, path: Path, radius: float, start: float, stop: float) -> tuple[float, float]:
        """The least gap (units) between a ball of ``radius`` on its path and a body on its way, from ``start`` to
        ``stop`` (s), to 1e-12 of the scene; and when. Who asks how near something comes asks this."""
        spans, spin = [], self.turning.get(number)
        for piece in path.pieces(start, stop):
            now = piece.start
            while True:
                (c, v, a), since, turn = self.way(number, now * UNITS)
                if spin is not None and spin.is_gaining(now * UNITS):
                    turn = min(turn or math.inf, spin.tick_of(round(now * UNITS))[1])
                end = piece.stop if turn is None else min(piece.stop, max(turn / UNITS, math.nextafter(now, math.inf)))
                body = (three(c), three(v), three(a), since / UNITS)
                bend = piece.bend + math.sqrt(float(dot(a, a)))
                if spin is not None and spin.gains < math.inf:
                    late, since = since, max(since, round(now * UNITS))
                    t = (since - late) / UNITS
                    body = (arc(three(c), three(v), three(a), t), along(three(v), three(a), t), three(a), since / UNITS)
                row = self.row(number, since)
                if row["turns"]:
                    bend += self._bend(row, piece.state, body, now, end)
                spans.append(Span(now, end, _near(row, piece.state, body, radius), bend))
                now = end
                if now >= piece.stop:
                    break
        return least(spans, UNDECIDED * self.scene.size)

    def _bend(self, row, state, body, start: float, end: float) -> float:
        """By how much more the gap to a body that turns may bend between two times (s): see ``turning``."""
        c, v, a, since = body
        rate = abs(float(row["turns"]))
        (p, u), (_, w) = state(start), state(end)
        fast = 1.5 * max(math.sqrt(dot(one, one)) for one in (u, w)) + math.sqrt(dot(v, v))
        fast += math.sqrt(dot(a, a)) * (end - since)
        d = sub(p, arc(c, v, a, start - since))
        return 2.0 * rate * fast + rate * rate * (math.sqrt(dot(d, d)) + fast * (end - start))

    def normal(self, number: int, point, time: int) -> np.ndarray:
        """Outward normal (3,) of a body at a point."""
        d = point - self.middle(number, time)
        return np.array(distance(self.row(number, time), (float(d[0]), float(d[1]), float(d[2])))[1])

    def first_on_line(self, start, to, radius: float, time: int, among) -> tuple[int, float] | None:
        """The first body (of the numbers ``among``) that a ball meets on the straight way ``to`` from ``start``.

        Returns its number and the share of the way; as things stand at ``time``. Those it starts in are passed over.
        """
        best = None
        line = tuple(float(x) for x in to)
        for number in among:
            if self.out(number):
                continue
            rel = tuple(float(x) for x in start - self.middle(number, time))
            row = self.row(number, time)
            what, share = first_contact(row, rel, line, STILL, radius, 1.0, 1e-13 * self.scene.size)
            if what == TOUCH and (best is None or share < best[1]):
                best = (number, share)
        return best

    def hidden(self, start, to, time: int) -> bool:
        """Whether an obstacle stands on the straight line from ``start`` along ``to``, as things stand at ``time``."""
        return self.stands_on(start, to, time, self.around(start, to, 0.0, "obstacle", time=time))

    def stands_on(self, start, to, time: int, among: list[int]) -> bool:
        """Whether one of the bodies ``among`` stands on a straight line, or it begins in one."""
        line = three(to)
        for number in among:
            rel = three(start - self.middle(number, time))
            if first_contact(self.row(number, time), rel, line, STILL, 0.0, 1.0, 1e-13 * self.scene.size)[0] != NONE:
                return True
        return False

    def cleared(self, number: int, point, normal, within: float, time: int, search=True) -> np.ndarray | None:
        """Where the middle of a body can be, clear of all solid bodies and nearest to standing off a point (3,).

        Off the surface along its ``normal`` (3,), or with its middle at the point where there is none; then out of what
        it would be in, farther along the normal, up, or along its way out, whichever is nearest; else the nearest free
        place of many about it, if that is to be searched for; None if that is farther than ``within`` (units) off. As
        things stand at ``time``.
        """
        row, slack = self.rows[number], 1e-6 * self.scene.size
        n = np.asarray(normal, dtype=float)
        start = point + (support(row, three(n)) + slack) * n if n.any() else np.array(point, dtype=float)
        place, reach = start, self.reach(number) + slack
        for _ in range(PUSHES):
            gap, way = self.least_between(row, place, self._about(number, place, reach, time), time)
            if gap >= 0.0:
                break
            place = place + (slack - gap) * way
        gone = math.sqrt(float(dot(place - start, place - start)))
        if gap >= 0.0 and gone == 0.0:
            return start
        free = [(gone, place)] if gap >= 0.0 and gone <= within else []
        middles = self._about(number, start, reach + within, time)
        for way in (n, self.scene.frame.up) if self.scene.frame.vertical else (n,):
            far = self._out_along(row, start, way, within, middles, time) if way.any() else None
            free += [] if far is None else [(far, start + far * way)]
        if free:
            return min(free, key=lambda one: one[0])[1]
        if not search:
            return None
        others = [(self.row(k, time), middle) for k, middle in middles.items()]
        return free_near(row, start, within, others, self.scene.frame.size == 2, slack)

    def _about(self, number: int, place, far: float, time: int) -> dict[int, np.ndarray]:
        """The middles of all others that may be so near to a place (3,) at a time, by number."""
        near = self.around(place, NOWHERE, far, time=time)
        return {k: self.middle(k, time) for k in near if k != number}

    def _out_along(self, row, start, way, most: float, middles, time: int) -> float | None:
        """How far a body must go along a way (3,) to be out of all that it is in, at most so far; None: not so."""
        slack, gone, back = 1e-6 * self.scene.size, 0.0, three(-most * way)
        for _ in range(PUSHES):
            place = start + gone * way
            inside = [k for k, middle in middles.items() if between(row, place, self.row(k, time), middle)[0] < 0.0]
            if not inside:
                return gone
            # As far as the first of them that it meets on the way back.
            far = start + most * way
            share = min(first_touch(row, three(far - middles[k]), back, STILL, self.row(k, time), 1.0, slack)
                        for k in inside)  # fmt: skip
            before, gone = gone, most * (1.0 - share) + slack
            if share <= 0.0 or gone <= before:
                return None
        return None

    def clear_share(self, number: int, way, time: int, but: tuple[int, ...] = ()) -> float:
        """The share of a straight way (3,) that a body can go before it touches something, as all stands at a time."""
        here, share, skin = self.middle(number, time), 1.0, 1e-9 * self.scene.size
        for k in self.around(here, way, self.reach(number) + skin, time=time):
            if k != number and k not in but:
                off, v = three(here - self.middle(k, time)), three(way)
                share = min(share, first_touch(self.rows[number], off, v, STILL, self.row(k, time), 1.0, skin))
        return share

    def least_between(self, row, place, middles: dict[int, np.ndarray], time: int) -> tuple[float, np.ndarray]:
        """The least gap between a body at a place and others, and the way out of the nearest."""
        found = [between(row, place, self.row(k, time), middle) for k, middle in middles.items()]
        return min(found, key=lambda one: one[0], default=(math.inf, np.zeros(3)))

    def solid(self, number: int) -> bool:
        """Whether who walks goes on a body, and up to it: an obstacle, or what has a mass."""
        return self.kinds[number] == "obstacle" or number in self.loose.of

    def of_kind(self, *kinds: str) -> list[int]:
        """Numbers of the bodies of some kinds."""
        return [number for number, kind in enumerate(self.kinds) if kind in kinds]
