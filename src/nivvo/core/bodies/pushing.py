"""How bodies move that have a mass and are pushed: they slide, fall, lie on what is below them, stop at what is there.

They do not turn. Between two events each moves under a constant acceleration, so that its way is pieces of parabolas:
an event is the end of a slide, a new contact, or the loss of one (over an edge). Contacts are inelastic: what closes
in is taken out along the normal, shared by mass where both are loose; along the surface friction acts by Coulomb's
law. Forces of contacts that hang on one another are found by Gauss and Seidel's iteration with each force kept at
least 0 (J. J. Moreau's contact law; M. Jean, The non-smooth contact dynamics method, 1999).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from nivvo.core.bodies.islands import goes, islands
from nivvo.core.geometry.hulls import between
from nivvo.core.geometry.shapes import reach_of
from nivvo.core.numbers.frame import three
from nivvo.core.numbers.limits import limit_of
from nivvo.core.numbers.roots import first_fall
from nivvo.core.numbers.vec import along, arc, dot, sub

MOST_EVENTS, RUSHED = 64, 32
"""In one tick; the last so many come at even times at the latest, so that a tick always ends."""

ROUNDS = 400
SETTLED = 1e-13
"""Change of a force by which the iteration is over, of the largest."""

CHECKS, SHRINKS = 50, 0.99
"""After so many rounds each time it is looked whether what is left has become less: what is pinched by what does not
give way goes on for ever."""

LEAPS, SEEN = 5, 7
"""From the first such look on, after so many rounds each time, it is kept how far they are; what is known so often goes
on to where it leads: what presses between heavy and light comes there by itself in thousands."""

SHOT = 12.0
"""How many times as fast as before what is hit may be: what would have to shoot out the faster is pinched."""

GROWS, MOST_STOPS = 1.1, 16
"""By how much a force that grows without end is larger than it was at the last look; so often what jams is stopped at
each touch in turn."""

SKIN = 1e-9
"""Of the scene's size: how near counts as touching."""

SET_BACK = 8
"""Times that what has sunk into one another is set apart after a piece."""

BEND = 0.02
"""Radians by which the normal of what it slides on may turn within a piece."""

LATEST = 5e-4
"""Seconds for which what is on the very edge of something is taken to stay there."""

LIFT, CURVED = 2.0, 1e-4
"""Skins by which what lies on something is lifted to see whether another touches it only where two lie flush; and by
how much farther off that then is than a face would be."""

VEERS, SLOWS, SWERVES = 0.05, 0.3, 1e-4
"""Radians by which friction's direction may turn within a piece, and the share of its speed that what slides loses in
one in which it does; the share of what drives it that is across its way at most, where it does not."""

DROP, BEARS = 0.01, 0.5
"""Share of its reach that what begins may be above what it counts as lying on; the least rise of the normal of that."""

FLAT = 1e-9
"""What touches several sides whose normals differ by no more lies as on one; by how much one of two is the upper."""

SHORTEST = 1.0 / 64.0
"""Share of a tick: where friction's direction could be followed no longer in one piece, what slides hardly moves."""

SHARP = 200.0
"""A bend of a smaller radius than that share of a body's own is an edge: it is left, not followed."""

Vector = tuple[float, float, float]
NOWHERE: Vector = (0.0, 0.0, 0.0)


class Shape(NamedTuple):
    """One shape of a body: its row, where its middle is from the body's place (3,), its reach about that."""

    row: np.void
    arm: Vector
    reach: float


@dataclass(slots=True)
class Loose:
    """A body with a mass: the row of its first shape, place and velocity (3,) now; friction with what it lies on.

    asleep : whether it lies still, on the bodies ``on``. shifted : whether it was set apart or pushed since its last
    piece. held : on which bodies it was pressed at the end of a tick, and whether it stood on them; None: it has yet to
    begin, and goes with what it lies on.
    """

    number: int
    row: np.void
    mass: float
    friction: float
    p: Vector
    v: Vector = NOWHERE
    a: Vector = NOWHERE
    asleep: bool = False
    on: tuple[int, ...] = ()
    shifted: bool = False
    held: dict[int, bool] | None = field(default_factory=dict)
    shapes: list[Shape] = field(init=False, default_factory=list)
    reach: float = field(init=False, default=0.0)

    def __post_init__(self):
        self.join(self.row, NOWHERE)

    def join(self, row: np.void, arm: Vector) -> None:
        """Have one more shape, whose middle is at ``arm`` (3,) from its place."""
        self.shapes.append(Shape(row, arm, reach_of(row)))
        self.reach = max(self.reach, math.sqrt(dot(arm, arm)) + self.shapes[-1].reach)

    @property
    def state(self) -> tuple:
        """All that changes as it moves."""
        held = None if self.held is None else {**self.held}
        return self.p, self.v, self.a, self.asleep, self.on, self.shifted, held

    @state.setter
    def state(self, state: tuple) -> None:
        self.p, self.v, self.a, self.asleep, self.on, self.shifted, self.held = state


@dataclass(slots=True)
class Other:
    """A body that goes its own way: number, row, place at the tick's start and velocity over it (3,), its reach.

    yields : whether it stops where what it pushes is pinched, as who walks does, and goes on as what carries it alone,
    with ``carried`` (3,). only : for which body alone it is so, by number, as of what turns; None: for all.
    """

    number: int
    row: np.void
    p: Vector
    v: Vector
    reach: float
    yields: bool = False
    only: int | None = None
    carried: Vector = NOWHERE

    @property
    def shapes(self) -> tuple[Shape, ...]:
        """Its only shape."""
        return (Shape(self.row, NOWHERE, self.reach),)


class Pair(NamedTuple):
    """A shape of a loose body and one of another: whose, which of each, their rows, the first's arm from the other's.

    reach : how far off the one can be from the other, arms left out, where they touch.
    """

    first: Loose
    second: Loose | Other
    which: tuple[int, int]
    row: np.void
    other: np.void
    arm: Vector
    reach: float

    def gap(self, off: Vector) -> tuple[float, Vector]:
        """The gap between them where the first body is ``off`` (3,) from the second, and the normal to the first."""
        gap, n = between(self.row, along(off, self.arm, 1.0), self.other, NOWHERE)
        return float(gap), three(n)

    def off(self, late: float) -> Vector:
        """Where the first body then is from the second (3,), ``late`` s into the tick."""
        return sub(self.first.p, _place(self.second, late))


class Touch(NamedTuple):
    """A pair that touches: of two loose ones the first lies on the second, or has the lower number where neither does.

    n : from the second to the first. friction : of what lies on the other; of two side by side the less.
    """

    pair: Pair
    n: Vector
    friction: float

    @property
    def both(self) -> tuple[Loose, Loose | Other, Vector]:
        """The bodies, and the normal."""
        return self.pair.first, self.pair.second, self.n


class Piece(NamedTuple):
    """From a time on (s) a loose body is at p and goes with v and a."""

    time: float
    number: int
    p: Vector
    v: Vector
    a: Vector


def advance(
    loose: list[Loose],
    coming: Callable[[float], list[Other]],
    standing: Callable[[Vector, float], list[Other]],
    gravity: Vector,
    ground: float,
    seconds: float,
    size: float,
) -> list[Piece]:
    """Move loose bodies for some seconds; the pieces that they then move on, where those change.

    coming : all that go their own way and may come to one of them, should each of these go so far (units). standing :
    all that stand so near (units) to a place (3,). gravity : (3,), units/s². ground : what presses them onto the ground
    that is looked down on, units/s², else 0.
    """
    pull = math.sqrt(dot(gravity, gravity))
    kept, far = [(one, one.state) for one in loose], {one.number: SKIN * size for one in loose}
    asked = max((goes(math.hypot(*one.v), pull, seconds) for one in loose), default=0.0)
    while True:
        groups, pieces, strayed = islands(loose, coming(asked), pull, seconds, far), [], False
        if asked < (most := max((group.goes for group in groups), default=0.0)):
            asked = most
            continue
        for group in groups:
            places = {one.number: one.p for one in group.loose}
            world = _World(group.loose, group.others, standing, gravity, ground, size)
            pieces += (its := _together(world, seconds))
            for one in (*its, *group.loose):
                gone = math.dist(places[one.number], one.p)
                if gone > group.goes:
                    # What presses has shot it out: it may have come to more than it was taken to.
                    far[one.number], strayed = max(far[one.number], 2.0 * gone), True
        if not strayed:
            return pieces
        for one, state in kept:
            one.state = state


def _together(world: _World, end: float) -> list[Piece]:
    """``advance`` for those that may come to one another."""
    now, pieces = 0.0, []
    world.begin()
    world.watch(end)
    for turn in range(MOST_EVENTS):
        active, touches = world.active(now)
        if not active:
            break
        before = {one.number: (one.v, one.a) for one in active}
        if turn == 0:
            world.follow(touches, end)
        touches, pressed = world.settle(active, touches)
        for one in active:
            if world.lies(one):
                one.v, one.a, one.asleep = NOWHERE, NOWHERE, True
                one.on = tuple(sorted({t.pair.second.number for t in touches if t.pair.first is one}))
            else:
                one.asleep = False
        moving, span, then = [one for one in active if not one.asleep], 0.0, {}
        if moving and now < end:
            world.hold(active, touches, pressed)
            most, veers, theirs = world.veer(moving, touches, end - now)
            then = world.staged(veers, theirs, most)
            span = world.span(moving, touches, pressed, now, most)
            if MOST_EVENTS - turn <= RUSHED:
                span = max(span, (end - now) / (MOST_EVENTS - turn))
            if span != most:
                then = world.staged(veers, theirs, span)
        for one in active:
            v, a = before[one.number]
            off = sub(one.a, a)
            if dot(off, off) <= 1e-24 * dot(a, a):
                one.a = a
            if one.v != v or one.a != a or one.shifted:
                one.shifted = False
                pieces.append(Piece(now, one.number, one.p, one.v, one.a))
        if span == 0.0:
            break
        for one in moving:
            one.p, one.v = arc(one.p, one.v, one.a, span), then.get(one.number, along(one.v, one.a, span))
        now += span
        world.set_back(touches, pressed, now)
        if now >= end:
            break
    return pieces


class _World:
    """One tick of loose bodies among others."""

    def __init__(
        self, loose: list[Loose], others: list[Other], standing: Callable, gravity: Vector, ground: float, size: float
    ):
        self.loose, self.others, self.gravity, self.ground = loose, others, gravity, ground
        self.standing, self._about = standing, {}
        self.skin, self.slow = SKIN * size, SKIN * size
        self.bends: list[float] = []
        self.late = self.seconds = self.shortest = 0.0
        self.watched: set[int] = set()
        self._pairs: dict[tuple[int, int], list[Pair]] = {}
        self.supports: dict[int, list[Vector]] = {}

    def begin(self) -> None:
        """Let what begins go with what it lies on, as if it had always lain there."""
        fresh, pull = [one for one in self.loose if one.held is None], math.sqrt(dot(self.gravity, self.gravity))
        for one in fresh:
            one.held = {}
        for _ in fresh:
            moving, was = (
                [other for other in (*self.others, *self.loose) if other.v != NOWHERE],
                [one.v for one in fresh],
            )
            for one, other in ((one, other) for one in fresh for other in moving if other is not one):
                off = sub(one.p, other.p)
                for gap, n in (pair.gap(off) for pair in self.near(one, other, off, DROP * one.reach)):
                    if gap <= DROP * one.reach and -dot(self.gravity, n) > BEARS * pull:
                        one.v, one.shifted = other.v, True
            # What lies on those that now go may go in the next round.
            if was == [one.v for one in fresh]:
                break

    def watch(self, seconds: float) -> None:
        """Keep those awake that something on its own way may come to, or that lie on it."""
        self.seconds, self.shortest = seconds, SHORTEST * seconds
        for one in self.loose:
            for other in self.others:
                if other.v != NOWHERE and other.only in (None, one.number):
                    far = one.reach + other.reach + self.skin + math.hypot(*other.v) * seconds
                    if other.number in one.on or math.dist(one.p, other.p) <= far:
                        self.watched.add(one.number)
            if one.number in self.watched:
                one.asleep = False

    def active(self, late: float) -> tuple[list[Loose], list[Touch]]:
        """Those that do not lie still, or touch one that does not; and all touches of theirs that count."""
        self.late = late
        active = [one for one in self.loose if not one.asleep]
        asleep = [one for one in self.loose if one.asleep]
        touches = []
        for k, one in enumerate(active):
            found = [*self.others, *self.about(one, self.skin), *active[k + 1 :], *asleep]
            for other in found:
                met = self.touches(one, other, late)
                if not met:
                    continue
                touches += met
                if other in asleep:
                    asleep.remove(other)
                    active.append(other)
        active.sort(key=lambda one: one.number)
        return active, self.counting(sorted(touches, key=lambda touch: _key(touch.pair)))

    def counting(self, touches: list[Touch]) -> list[Touch]:
        """Without those of what lies on something with the edge of another that lies flush with that."""
        before, counted = self.supports, []
        self.supports = {number: [*ways] for number, ways in before.items()}
        for touch in touches:
            self._support(touch)
        for touch in touches:
            pair = touch.pair
            off = along(pair.off(self.late), pair.arm, 1.0)
            if out_of_touch(pair.row, off, pair.other, self.ways(pair), self.skin) is None:
                counted.append(self.as_flush(touch))
            else:
                self.supports[pair.first.number].remove(touch.n)
                self.supports[pair.second.number].remove(along(NOWHERE, touch.n, -1.0))
        self.supports = {}
        for touch in counted:
            self._support(touch)
        return counted

    def as_flush(self, touch: Touch) -> Touch:
        """A touch as its body will have it a little farther on, where what is round comes onto one of two that lie
        flush: it is there by less than the skin before it is over it, and would leap off by a slanting normal."""
        pair, n, _ = touch
        reach = min(one.shapes[k].reach for one, k in zip((pair.first, pair.second), pair.which, strict=True))
        for way in self.ways(pair):
            tilt = sub(n, way)
            if 0.0 < 0.25 * dot(tilt, tilt) * reach <= self.skin:
                gap, m = pair.gap(along(pair.off(self.late), _level(n, way), -reach))
                left = sub(m, way)
                if gap <= self.skin and dot(left, left) <= 1e-2 * dot(tilt, tilt):
                    return touch._replace(n=way)
        return touch

    def _support(self, touch: Touch) -> None:
        for number, sign in ((touch.pair.first.number, 1.0), (touch.pair.second.number, -1.0)):
            self.supports.setdefault(number, []).append(along(NOWHERE, touch.n, sign))

    def ways(self, pair: Pair) -> list[Vector]:
        """The normals of what else two that touch lie on."""
        its = self.supports.get(pair.second.number, ()) if isinstance(pair.second, Loose) else ()
        return [*self.supports.get(pair.first.number, ()), *its]

    def touches(self, one: Loose, other: Loose | Other, late: float) -> list[Touch]:
        """Where two bodies touch, shape by shape."""
        off, met = sub(one.p, _place(other, late)), []
        for pair in self.near(one, other, off, self.skin):
            gap, n = pair.gap(off)
            if gap <= self.skin:
                met.append(self.touch(pair, n))
        return met

    def touch(self, pair: Pair, n: Vector) -> Touch:
        """A pair as it touches, the upper one first."""
        one, other = pair.first, pair.second
        if not isinstance(other, Loose):
            return Touch(pair, n, one.friction)
        rises = -dot(self.gravity, n)
        level = abs(rises) <= FLAT * math.sqrt(dot(self.gravity, self.gravity))
        if one.number > other.number if level else rises < 0.0:
            i, j = pair.which
            pair, n = self.pairs(other, one)[j * len(one.shapes) + i], along(NOWHERE, n, -1.0)
        return Touch(pair, n, min(one.friction, other.friction) if level else pair.first.friction)

    def near(self, one: Loose, other: Loose | Other, off: Vector, far: float) -> list[Pair]:
        """The pairs of shapes of two bodies, ``off`` (3,) from one another, that are not farther apart than that."""
        if not _within(off, NOWHERE, one.reach + other.reach + far) or not _for(other, one):
            return []
        return [pair for pair in self.pairs(one, other) if _within(off, pair.arm, pair.reach + far)]

    def about(self, one: Loose, far: float) -> list[Other]:
        """What stands no farther than that from a body, and some that does: it is asked for as seldom as may be."""
        place, known, found = self._about.get(one.number, (one.p, -1.0, []))
        if math.dist(place, one.p) + far > known:
            known = 2.0 * (far + _goes(one, self.seconds) + math.hypot(*self.gravity) * self.seconds * self.seconds)
            found = self.standing(one.p, one.reach + known)
            self._about[one.number] = one.p, known, found
        return found

    def pairs(self, one: Loose, other: Loose | Other) -> list[Pair]:
        """All pairs of shapes of two bodies."""
        known = one.number, other.number
        if known not in self._pairs:
            self._pairs[known] = [
                Pair(one, other, (i, j), mine.row, its.row, sub(mine.arm, its.arm), mine.reach + its.reach)
                for i, mine in enumerate(one.shapes)
                for j, its in enumerate(other.shapes)
            ]
        return self._pairs[known]

    def hold(self, active: list[Loose], touches: list[Touch], forces: list[float]) -> None:
        """Keep who is pressed onto whom, and whether it stands there."""
        for one in active:
            one.held = {}
        for touch, force in zip(touches, forces, strict=True):
            if force > 0.0:
                one, other, _ = touch.both
                one.held[other.number] = stands = self._slides(touch) <= self.slow
                if isinstance(other, Loose):
                    other.held[one.number] = stands

    def follow(self, touches: list[Touch], seconds: float) -> None:
        """Let what was held by others follow where these go on otherwise than in the last tick, as far as it is held.

        Many a way is gone in straight pieces, a tick each. What presses on makes up for such a bend within the tick.
        """
        moved = {other.number for other in self.others if other.v != NOWHERE}
        count = -1
        while count != len(moved):
            count = len(moved)
            for one, other, n in (touch.both for touch in touches):
                for upper, lower, up in ((one, other, n), (other, one, along(NOWHERE, n, -1.0))):
                    if lower.number in moved and self._follows(upper, lower, up, seconds):
                        moved.add(upper.number)

    def _follows(self, one: Loose | Other, other: Loose | Other, n: Vector, seconds: float) -> bool:
        """Let one that is held by another go on with that, if it is held so much; whether it does."""
        press, ways = -dot(self.gravity, n) * seconds, sub(one.v, other.v)
        parts = dot(n, ways)
        if not isinstance(one, Loose) or other.number not in one.held or press <= 0.0 or parts > press:
            return False
        slides = _level(ways, n)
        if one.held[other.number] and math.sqrt(dot(slides, slides)) <= one.friction * (press - parts):
            one.v = other.v
        elif parts > 0.0:
            one.v = along(one.v, n, -parts)
        return True

    def settle(self, active: list[Loose], touches: list[Touch]) -> tuple[list[Touch], list[float]]:
        """Let them hit and press, those that touch one another by themselves; all touches so, and what presses there.

        So nobody feels that something is pinched elsewhere. Who yields stops for all that he pushes.
        """
        leads = {one.number: one.number for one in active}

        def lead(number: int) -> int:
            while (upper := leads.setdefault(number, number)) != number:
                number = upper
            return number

        for one, other, _ in (touch.both for touch in touches):
            if isinstance(other, Loose) or other.yields:
                leads[lead(other.number)] = lead(one.number)
        groups: dict[int, tuple[list[Loose], list[Touch]]] = {}
        for one in active:
            groups.setdefault(lead(one.number), ([], []))[0].append(one)
        for touch in touches:
            groups[lead(touch.pair.first.number)][1].append(touch)
        forces, bends = [], []
        for members, its in groups.values():
            self.hit(members, its)
            forces += self.press(members, its)
            bends += self.bends
        self.bends = bends
        return [touch for _, its in groups.values() for touch in its], forces

    def hit(self, members: list[Loose], touches: list[Touch]) -> None:
        """Take out what closes in, along each normal; what slides the faster by that is held by friction.

        So what is pinched between two does not shoot out where friction holds it. Where nothing can take out all, who
        yields stops: into what he pushes, then also along it, where he drags that into something by friction.
        """
        was, stops = [(one, one.v) for one in members], iter((False, True))
        while not self._taken_out(touches):
            if not any(self._stopped(touches, wholly) for wholly in stops):
                return
            for one, v in was:
                one.v = v

    def _stopped(self, touches: list[Touch], wholly: bool) -> bool:
        """Stop those that yield at what they push; whether there are any."""
        stopped = False
        for _, other, n in (touch.both for touch in touches):
            if isinstance(other, Loose) or not other.yields:
                continue
            way = sub(other.v, other.carried)
            off = way if wholly else along(NOWHERE, n, max(dot(n, way), 0.0))
            if math.sqrt(dot(off, off)) > self.slow:
                here, other.v = _place(other, self.late), sub(other.v, off)
                other.p, stopped = along(here, other.v, -self.late), True
        return stopped

    def _taken_out(self, touches: list[Touch]) -> bool:
        """Take out what closes in; whether nothing is left that does, and nothing had to shoot out for it."""
        before = [self._slides(touch) for touch in touches]
        blows, held, last = [0.0] * len(touches), [0.0] * len(touches), math.inf
        seen: list[list[float]] = []
        shot, by_then = SHOT * _fastest(touches), []
        for turn in range(1, ROUNDS + 1):
            most = 0.0
            for k, touch in enumerate(touches):
                one, other, n = touch.both
                closing = -dot(n, sub(one.v, other.v))
                if closing > 1e-6 * self.slow:
                    most, blows[k] = max(most, closing), blows[k] + closing
                    _change(one, other, n, closing)
                more = min(self._slides(touch) - before[k], touch.friction * blows[k] - held[k])
                if more > self.slow:
                    slides = _level(sub(one.v, other.v), n)
                    most, held[k] = max(most, more), held[k] + more
                    _change(one, other, slides, -more / math.sqrt(dot(slides, slides)))
            if most <= 1e-3 * self.slow:
                if not by_then or _fastest(touches) <= shot:
                    return True
                break
            if turn >= CHECKS and turn % LEAPS == 0:
                ahead, seen = _ahead(seen, blows)
                by_then = by_then or [(one, one.v) for touch in touches for one in touch.both[:2] if any(ahead)]
                for k, (touch, blow) in enumerate(zip(touches, ahead, strict=True)):
                    if blow > 0.0:
                        _change(*touch.both, blow)
                        blows[k] += blow
            if turn % CHECKS == 0:
                if most > SHRINKS * last:
                    break
                last = most
        for one, v in by_then:
            one.v = v
        return False

    def _slides(self, touch: Touch) -> float:
        """How fast one slides along the other."""
        one, other, n = touch.both
        slides = _level(sub(one.v, other.v), n)
        return math.sqrt(dot(slides, slides))

    def press(self, active: list[Loose], touches: list[Touch]) -> list[float]:
        """Give each its acceleration, under gravity and what presses and rubs; returns what presses at each touch.

        Where what presses rubs and so presses the more, without end, it is jammed: it stands there at once. (P.
        Painleve, Sur les lois du frottement de glissement, 1895: of a rigid body no force does that, an impulse does.)
        """
        forces, jammed = self._forces(active, touches)
        if jammed:
            for k in [*jammed] * MOST_STOPS:
                one, other, n = touches[k].both
                _change(one, other, _level(sub(one.v, other.v), n), -1.0)
            self.hit(active, touches)
            forces, jammed = self._forces(active, touches)
            if jammed:
                forces, _ = self._forces(active, touches, smooth=True)
        return forces

    def _forces(self, active: list[Loose], touches: list[Touch], smooth=False) -> tuple[list[float], list[int]]:
        """What presses at each touch, and at which that grows without end; smooth : nothing rubs."""
        forces = [0.0] * len(touches)
        rubs: list[Vector] = [NOWHERE] * len(touches)
        for one in active:
            one.a = self.gravity
            if self.ground:
                speed = math.sqrt(dot(one.v, one.v))
                one.a = along(NOWHERE, one.v, -one.friction * self.ground / speed) if speed > self.slow else NOWHERE
        ways = [sub(touch.pair.first.v, touch.pair.second.v) for touch in touches]
        self.bends = [self.bend(touch, _level(way, touch.n)) for touch, way in zip(touches, ways, strict=True)]
        closed = [-dot(touch.n, way) >= -self.slow for touch, way in zip(touches, ways, strict=True)]
        looked, last = forces, math.inf
        seen: list[list[float]] = []
        for turn in range(1, ROUNDS + 1):
            change = most = 0.0
            for k, touch in enumerate(touches):
                if not closed[k]:
                    continue
                one, other, n = touch.both
                ease = 1.0 / one.mass + (1.0 / other.mass if isinstance(other, Loose) else 0.0)
                slides = sub(one.v, other.v)
                wanted = dot(n, sub(one.a, _pull(other))) + self.bends[k] * dot(slides, slides)
                force = max(forces[k] - wanted / ease, 0.0)
                self._add(one, other, n, force - forces[k])
                change, most = max(change, abs(force - forces[k])), max(most, force)
                forces[k] = force
                if smooth:
                    continue
                rub = self._rub(touch, force, rubs[k], ease)
                off = sub(rub, rubs[k])
                size = math.sqrt(dot(off, off))
                if size > 0.0:
                    self._add(one, other, off, 1.0)
                    change, rubs[k] = max(change, size), rub
            if change <= SETTLED * most:
                return forces, []
            if turn >= CHECKS and turn % LEAPS == 0:
                ahead, seen = _ahead(seen, forces)
                for k, (touch, more) in enumerate(zip(touches, ahead, strict=True)):
                    self._add(*touch.both, max(more, -forces[k]))
                    forces[k] = max(forces[k] + more, 0.0)
            if turn % CHECKS == 0:
                grow = [k for k, force in enumerate(forces) if force > GROWS * looked[k]]
                if change > SHRINKS * last or turn == ROUNDS:
                    return forces, grow
                looked, last = [*forces], change
        return forces, []

    def veer(self, moving: list[Loose], touches: list[Touch], most: float) -> tuple[float, list[Loose], list[Touch]]:
        """Where friction turns with the way of what slides by itself: for how long (s) that is followed in one piece.

        Also of whom that is so, and what they touch.
        """
        theirs: dict[int, list[Touch]] = {one.number: [] for one in moving}
        for touch, bend in zip(touches, self.bends, strict=True):
            one, other, n = touch.both
            own = theirs.get(one.number)
            if isinstance(other, Loose):
                theirs.pop(other.number, None)
            if own is not None:
                flat = (
                    bend == 0.0 and not isinstance(other, Loose) and dot(n, (own[0] if own else touch).n) >= 1.0 - FLAT
                )
                theirs.pop(one.number) if not flat else own.append(touch)
        spans = [math.inf]
        for one in (one for one in moving if one.number in theirs):
            for other, n in ((touch.pair.second, touch.n) for touch in theirs[one.number]):
                spans.append(_straight(_level(sub(one.v, other.v), n), _level(one.a, n), self.slow, self.shortest))
            if self.ground and not theirs[one.number]:
                spans.append(_straight(one.v, one.a, self.slow, self.shortest))
        if min(spans) == math.inf:
            return most, [], []
        veers = [one for one in moving if one.number in theirs]
        return min(most, *spans), veers, [touch for own in theirs.values() for touch in own]

    def staged(self, moving: list[Loose], touches: list[Touch], span: float) -> dict[int, Vector]:
        """Give each the acceleration that takes it to where it is after a span; how fast they are then, by number.

        By Runge and Kutta's four stages.
        """
        was, bends, stages = {one.number: one.v for one in moving}, self.bends, []
        for part in (0.0, 0.5, 0.5, 1.0) if moving else ():
            for one in moving:
                one.v = along(was[one.number], stages[-1][one.number], part * span) if stages else one.v
            self._forces(moving, touches)
            stages.append({one.number: one.a for one in moving})
        self.bends, then = bends, {}
        for one in moving:
            v, (a, b, c, d) = was[one.number], (stage[one.number] for stage in stages)
            mean = along(along(NOWHERE, along(a, d, 1.0), 1.0 / 6.0), along(b, c, 1.0), 1.0 / 3.0)
            then[one.number], one.v = along(v, mean, span), v
            one.a = along(NOWHERE, along(along(a, b, 1.0), c, 1.0), 1.0 / 3.0)
        return then

    def bend(self, touch: Touch, way: Vector) -> float:
        """How sharply a surface bends away on a way along it (1/units), 0 on the flat and at an edge."""
        size = math.sqrt(dot(way, way))
        if size <= self.slow:
            return 0.0
        reach = touch.pair.first.reach
        step = 1e-5 * reach
        _, m = touch.pair.gap(along(touch.pair.off(self.late), way, step / size))
        bend = dot(sub(m, touch.n), way) / (size * step)
        return bend if 1e-9 < bend * reach < SHARP else 0.0

    def _rub(self, touch: Touch, force: float, was: Vector, ease: float) -> Vector:
        """The force of friction at a touch: against what slides, else as much as holds it, up to its most."""
        one, other, n = touch.both
        most, slides = touch.friction * force, _level(sub(one.v, other.v), n)
        speed = math.sqrt(dot(slides, slides))
        if speed > self.slow:
            return along(NOWHERE, slides, -most / speed)
        held = along(was, _level(sub(one.a, _pull(other)), n), -1.0 / ease)
        size = math.sqrt(dot(held, held))
        return held if size <= most else along(NOWHERE, held, most / size)

    def _add(self, one: Loose, other: Loose | Other, way: Vector, force: float) -> None:
        one.a = along(one.a, way, force / one.mass)
        if isinstance(other, Loose):
            other.a = along(other.a, way, -force / other.mass)

    def lies(self, one: Loose) -> bool:
        """Whether it lies still: nothing moves it, nothing comes near, and what it lies on stands."""
        if one.number in self.watched:
            return False
        size = max(math.sqrt(dot(self.gravity, self.gravity)) or self.ground, self.slow)
        return math.sqrt(dot(one.v, one.v)) <= self.slow and math.sqrt(dot(one.a, one.a)) <= 1e-9 * size

    def span(self, moving: list[Loose], touches: list[Touch], forces: list[float], late: float, most: float) -> float:
        """For how long (s) all go on as they do, at most so long."""
        span, touching = most, {_key(touch.pair) for touch in touches}
        for one in moving:
            if self.ground:
                span = min(span, _stops(one.v, one.a, self.slow))
        for one, other, n in (touch.both for touch in touches):
            v, a = _level(sub(one.v, other.v), n), _level(sub(one.a, _pull(other)), n)
            span = min(span, _stops(v, a, self.slow))
        for one in moving:
            for other in (*self.others, *self.about(one, _goes(one, span)), *self.loose):
                if other is not one:
                    span = min(span, self.meet(one, other, late, span, touching))
        for k, touch in enumerate(touches):
            one, other, n = touch.both
            if not (one in moving or other in moving):
                continue
            v, a = (_level(sub(x, y), n) for x, y in ((one.v, other.v), (one.a, _pull(other))))
            if forces[k] <= 0.0:
                # What has left, but is drawn back, comes to where it left; or a surface that bends away soon is left.
                away, back = dot(n, sub(one.v, other.v)), -dot(n, sub(one.a, _pull(other)))
                if back > 0.0 and away > self.slow:
                    span = min(span, 2.0 * away / back)
                elif back > 0.0 and self.bends[k] > 0.0:
                    span = min(span, _turns(v, a, BEND / self.bends[k]))
                continue
            if self.bends[k] == 0.0 and dot(v, v) <= self.slow * self.slow:
                self.bends[k] = self.bend(touch, a)
            if self.bends[k] > 0.0:
                span = min(span, _turns(v, a, BEND / self.bends[k]))
            else:
                span = min(span, self.leave(touch, late, span))
        return max(min(span, most), 1e-9)

    def meet(self, one: Loose, other: Loose | Other, late: float, span: float, touching: set) -> float:
        """When shapes of two that are apart first touch, within a span (s), by planes that part them; else inf."""
        v, a = sub(one.v, other.v), sub(one.a, _pull(other))
        fast = math.sqrt(dot(v, v)) + math.sqrt(dot(a, a)) * span
        off, first = sub(one.p, _place(other, late)), math.inf
        for pair in self.near(one, other, off, fast * span):
            if _key(pair) not in touching and _key(pair)[::-1] not in touching:
                there, far, ways = along(off, pair.arm, 1.0), min(span, first), self.ways(pair)
                first = min(first, first_that_counts(pair.row, there, v, a, pair.other, far, self.skin, ways))
        return first

    def leave(self, touch: Touch, late: float, span: float) -> float:
        """How long one stays on another that it is pressed onto, within a span: till an edge, or a bend."""
        one, other, n = touch.both
        v, a, off = sub(one.v, other.v), sub(one.a, _pull(other)), touch.pair.off(late)

        def stays(t: float) -> bool:
            gap, m = touch.pair.gap(arc(off, v, a, t))
            return gap <= self.skin and dot(m, n) >= 1.0 - 1e-12

        if stays(span):
            return span
        if not stays(0.0):
            return LATEST
        low, high = 0.0, span
        for _ in range(50):
            t = 0.5 * (low + high)
            if stays(t):
                low = t
            else:
                high = t
        # About an edge rounding decides where what is nearest lies: all of the skin is passed at once.
        return max(high, min(LATEST, 2.0 * self.skin / max(math.sqrt(dot(v, v)), self.slow)))

    def set_back(self, touches: list[Touch], forces: list[float], late: float) -> None:
        """Let what was pressed onto another neither sink in nor hover, nor slide on by rounding."""
        for _ in range(SET_BACK):
            most = 0.0
            for touch, force, bend in zip(touches, forces, self.bends, strict=True):
                if force <= 0.0:
                    continue
                one, other, _ = touch.both
                gap, n = touch.pair.gap(touch.pair.off(late))
                if gap < -1e-3 * self.skin or bend > 0.0 or 1e-3 * self.skin < gap <= self.skin:
                    most, share = max(most, -gap), _share(one, other)
                    one.p = along(one.p, n, -gap * share)
                    one.shifted = one.shifted or abs(gap) > self.skin
                    if isinstance(other, Loose):
                        other.p = along(other.p, n, gap * (1.0 - share))
                        other.shifted = other.shifted or abs(gap) > self.skin
                if bend > 0.0:
                    one.v = along(one.v, n, -dot(n, sub(one.v, other.v)))
                slides = _level(sub(one.v, other.v), n)
                if math.sqrt(dot(slides, slides)) <= self.slow:
                    one.v = sub(one.v, slides)
            if most <= self.skin:
                break
        if self.ground:
            for one in self.loose:
                if math.sqrt(dot(one.v, one.v)) <= self.slow:
                    one.v = NOWHERE


def out_of_touch(one: np.void, off: Vector, other: np.void, ways: list[Vector], skin: float) -> Vector | None:
    """Where one body does not touch another that it touches ``off`` from it: a little along or against a way; or None.

    So it is where edges meet: over the seam of two that lie flush, or where something just fits in. A face goes on, and
    is then as far off as the way has along its normal.
    """
    here, n = between(one, off, other, NOWHERE)
    for way in dict.fromkeys(ways):
        for lift in (LIFT * skin, -LIFT * skin):
            there = along(off, way, lift)
            gap = between(one, there, other, NOWHERE)[0]
            if gap > skin and gap - here > lift * dot(way, three(n)) + CURVED * skin:
                return there
    return None


def first_that_counts(
    one: np.void, off: Vector, v: Vector, a: Vector, other: np.void, span: float, skin: float, ways: list[Vector]
) -> float:
    """As ``first_touch``, but for what is ``out_of_touch`` beside it: then when it touches there."""
    t = first_touch(one, off, v, a, other, span, 0.5 * skin)
    if t == math.inf or not ways:
        return t
    there = out_of_touch(one, arc(off, v, a, t), other, ways, skin)
    return t if there is None else t + first_touch(one, there, along(v, a, t), a, other, span - t, 0.5 * skin)


def first_touch(one: np.void, off: Vector, v: Vector, a: Vector, other: np.void, span: float, skin: float) -> float:
    """When one body, ``off`` from another and on a parabola from there, first touches it within a span; else inf."""
    t = 0.0
    for _ in range(128):
        gap, n = between(one, arc(off, v, a, t), other, NOWHERE)
        if gap <= skin:
            return t
        n = three(n)
        s = first_fall(gap, dot(n, along(v, a, t)), 0.5 * dot(n, a))
        if s < 0.0 or t + s > span:
            return math.inf
        if t + s == t:
            return t
        t += s
    return t


def _key(pair: Pair) -> tuple[tuple[int, int], tuple[int, int]]:
    """Which shape of which body touches which of which."""
    return (pair.first.number, pair.which[0]), (pair.second.number, pair.which[1])


def _within(off: Vector, arm: Vector, far: float) -> bool:
    off = along(off, arm, 1.0)
    return dot(off, off) <= far * far


def _place(other: Loose | Other, late: float) -> Vector:
    """Where a body is, ``late`` s into the tick: loose ones are kept up to date."""
    return other.p if isinstance(other, Loose) else along(other.p, other.v, late)


def _goes(one: Loose, span: float) -> float:
    """How far one gets within a span (s) at most, as it goes."""
    return (math.hypot(*one.v) + math.hypot(*one.a) * span) * span


def _for(other: Loose | Other, one: Loose) -> bool:
    """Whether a body is there for another."""
    return isinstance(other, Loose) or other.only in (None, one.number)


def _ahead(seen: list[list[float]], now: list[float]) -> tuple[list[float], list[list[float]]]:
    """How far what was ``seen`` at even times, and is now, has still to go; and what is to be kept for the next time.

    0 till it is seen often enough, and where it comes no nearer: what jams grows without end.
    """
    nowhere, seen = [0.0] * len(now), [*seen, [*now]]
    if len(seen) < SEEN:
        return nowhere, seen
    if (there := limit_of(seen)) is None:
        return nowhere, seen[1:]
    return [a - b for a, b in zip(there, now, strict=True)], []


def _fastest(touches: list[Touch]) -> float:
    """The speed of the fastest of those that touch."""
    return max((math.sqrt(dot(one.v, one.v)) for touch in touches for one in touch.both[:2]), default=0.0)


def _pull(other: Loose | Other) -> Vector:
    return other.a if isinstance(other, Loose) else NOWHERE


def _share(one: Loose, other: Loose | Other) -> float:
    """The share of a closing speed that the first takes."""
    return other.mass / (one.mass + other.mass) if isinstance(other, Loose) else 1.0


def _change(one: Loose, other: Loose | Other, way: Vector, much: float) -> None:
    """Change the velocity of one to another by so much of a way, shared by their masses."""
    share = _share(one, other)
    one.v = along(one.v, way, much * share)
    if isinstance(other, Loose):
        other.v = along(other.v, way, much * (share - 1.0))


def _level(vector: Vector, n: Vector) -> Vector:
    """The part of a vector along a surface."""
    return along(vector, n, -dot(vector, n))


def _turns(v: Vector, a: Vector, far: float) -> float:
    """When so long a way is gone, about."""
    speed, pull = math.sqrt(dot(v, v)), math.sqrt(dot(a, a))
    return 2.0 * far / (speed + math.sqrt(speed * speed + 2.0 * pull * far)) if speed or pull else math.inf


def _straight(v: Vector, a: Vector, slow: float, least: float) -> float:
    """For how long (s) friction's direction is followed in one piece; inf: it does not turn, or hardly moves."""
    speed, size = math.sqrt(dot(v, v)), math.sqrt(dot(a, a))
    across = along(a, v, -dot(a, v) / (speed * speed)) if speed > slow else NOWHERE
    turns = math.sqrt(dot(across, across))
    if turns <= SWERVES * size:
        return math.inf
    against = -dot(a, v)
    span = min(VEERS * speed / turns, SLOWS * speed * speed / against if against > 0.0 else math.inf)
    return span if span >= least else math.inf


def _stops(v: Vector, a: Vector, slow: float) -> float:
    """When what slides stands; inf if it does not slow down."""
    against = -dot(v, a)
    return dot(v, v) / against if against > 0.0 and dot(v, v) > slow * slow else math.inf
