"""How somebody walks among bodies: stops at walls, goes along them, up and down slopes and steps, jumps and falls.

Between two events he moves under a constant acceleration, so that his way is pieces of parabolas: an event is that
he comes to something, leaves something, has the speed that he wants, or that the ground bends. He keeps the speed
that he wants on the level, whatever the slope. What is steeper than he walks on is a wall. He never turns.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from nivvo.core.bodies.pushing import (
    NOWHERE,
    SKIN,
    Other,
    Piece,
    Vector,
    first_that_counts,
    first_touch,
    out_of_touch,
)
from nivvo.core.geometry.hulls import between
from nivvo.core.geometry.shapes import support, with_an_end
from nivvo.core.numbers.vec import along, arc, dot, sub

MOST_EVENTS, RUSHED = 128, 64
"""In one tick; the last so many come at even times at the latest, so that a tick always ends."""

BEND = 0.03
"""Radians by which what he walks along may turn within a piece."""

STRAIGHT = math.cos(BEND)

NUDGE, ROUND = 1e-5, 1e-3
"""Of his own size: how far he is set onto a step; so far if he is round, or he would touch it from its side."""

LEVEL = 0.02
"""Rise of a normal below which a side is upright."""

LEANS = 0.2
"""Of a normal along the level, above which what comes down at him pushes him aside, and does not press him down."""

ROUNDS = 400
"""In a narrow groove what goes into one side is taken out so often."""


def out_of(vector: Vector, sides: list[tuple[Vector, Vector]], slow: float) -> Vector:
    """A vector without what closes on sides, each its normal (3,) and its velocity; that of one of them, if wedged."""
    for _ in range(ROUNDS):
        worst = 0.0
        for n, velocity in sides:
            closing = dot(n, sub(vector, velocity))
            if closing < 0.0:
                worst = min(worst, closing)
                vector = along(vector, n, -closing)
        if worst >= -slow:
            return vector
    return sides[0][1]


class Gait(NamedTuple):
    """How he walks: the level velocity that he wants (3,), how fast he comes to it (units/s², inf: at once).

    steepest : the least rise of a normal that he stands on. step : how high a step he takes (units).
    """

    wanted: Vector
    acceleration: float
    steepest: float
    step: float


@dataclass(slots=True)
class Feet:
    """Who walks: his row, how far it reaches (units), place, velocity and acceleration (3,) now, and whether he stands
    on something.

    carried : the velocity of what he stands on, or stood on last; None: he has yet to begin. leaps : how fast he is to
    leap off it now, units/s.
    """

    number: int
    row: np.void
    reach: float
    p: Vector
    v: Vector = NOWHERE
    a: Vector = NOWHERE
    stands: bool = True
    carried: Vector | None = NOWHERE
    leaps: float = 0.0


class Touch(NamedTuple):
    """He touches another; n : from it to him. ground : whether he stands on it."""

    other: Other
    n: Vector
    ground: bool


def tread(
    feet: Feet, others: list[Other], gait: Gait, gravity: Vector, up: Vector | None, start: float, end: float,
    size: float,
) -> list[Piece]:  # fmt: skip
    """Let somebody walk from ``start`` to ``end`` (s); the pieces that he then moves on, where those change.

    others : what he stops at, with velocities over that time. gravity : (3,), units/s². up : (3,), None where the
    world has none. size : of the scene, units.
    """
    walk, now, pieces = _Walk(feet, others, gait, gravity, up, start, size), start, []
    for turn in range(MOST_EVENTS):
        before, here = (feet.v, feet.a), feet.p
        touches, lasts = walk.steer(now)
        off = sub(feet.a, before[1])
        if dot(off, off) <= 1e-24 * dot(feet.a, feet.a):
            feet.a = before[1]
        if (feet.v, feet.a) != before or feet.p != here or (now == start and walk.shifted):
            pieces.append(Piece(now, feet.number, feet.p, feet.v, feet.a))
        if now >= end:
            return pieces
        span = walk.span(touches, now, min(lasts, end - now))
        if MOST_EVENTS - turn <= RUSHED:
            span = max(span, (end - now) / (MOST_EVENTS - turn))
        feet.p, feet.v = arc(feet.p, feet.v, feet.a, span), along(feet.v, feet.a, span)
        now += span
        walk.kept = span if span >= lasts or lasts == math.inf else 0.0
        moved = walk.set_back(touches, now)
        if moved:
            pieces.append(Piece(now, feet.number, feet.p, feet.v, feet.a))
        if now >= end:
            return pieces
    return pieces


def stride(
    feet: Feet, others: list[Other], gait: Gait, gravity: Vector, up: Vector | None, most: float, size: float
) -> float:
    """For how long (s), at most so long, one who walks evenly goes on so; 0 where he might step up at any place.

    As of ``tread``; the others stand still.
    """
    if feet.v == feet.a == NOWHERE:
        return most
    walk, before = _Walk(feet, others, gait, gravity, up, 0.0, size), (feet.p, feet.v, feet.a, feet.stands)
    touches, _ = walk.steer(0.0)
    after = feet.p, feet.v, feet.a, feet.stands
    feet.p, feet.v, feet.a, feet.stands = before
    if after != before:
        return 0.0
    if up is not None:
        flat = [touch.ground and dot(touch.n, up) >= gait.steepest for touch in touches]
        walls = all(not touch.ground for touch, one in zip(touches, flat, strict=True) if not one)
        if not touches or not (all(flat) or (walls and gait.step == 0.0)):
            return 0.0
    return walk.span(touches, 0.0, most)


class _Walk:
    """One tick of somebody who walks.

    kept : for how long (s) he has gone as he wants, till now, touching those who are ``touched`` (their numbers): what
    he wants along what bends or goes by has changed by and by since, and he with it.
    """

    def __init__(self, feet: Feet, others: list[Other], gait: Gait, gravity: Vector, up, start: float, size: float):
        self.feet, self.gait, self.gravity, self.up, self.start = feet, gait, gravity, up, start
        self.skin = self.slow = SKIN * size
        self.others, self.shifted = others, False
        self.kept, self.touched = 0.0, None
        # So far a straight piece leaves what bends away, before it is brought back.
        self.loose = self.skin + 0.5 * BEND * BEND * feet.reach

    def steer(self, now: float) -> tuple[list[Touch], float]:
        """Give him his velocity and acceleration; what he touches, and for how long (s) he speeds up so."""
        feet = self.feet
        touches = self.touches(now)
        if feet.leaps:
            self.leap(touches)
        if self.up is not None and feet.stands and not any(touch.ground for touch in touches):
            touches = self.down(now, touches)
        if self.up is not None and feet.stands and self.climb(touches, now):
            touches = self.touches(now)
        ground = [t for t in touches if t.ground and (feet.stands or dot(t.n, sub(feet.v, t.other.v)) <= self.slow)]
        feet.stands = bool(ground) or self.up is None
        if ground:
            under = self.bears(ground)
            if feet.carried is None:
                # He has stood there before, and gone with it.
                feet.v = along(feet.v, self.level(under), 1.0)
            feet.carried = under
        elif feet.carried is None:
            feet.carried = NOWHERE
        target = along(self.gait.wanted, self.level(feet.carried), 1.0)
        if not feet.stands:
            target = out_of(target, self.slides(touches), self.slow)
        stops = [t for t in touches if t not in ground and not self.leaves(t, target)]
        walls = [wall for t in stops if (wall := self.wall(t)) is not None]
        level = self.level(feet.v) if self.gait.acceleration < math.inf else target
        level, push, lasts = self.kept_off(level, walls), NOWHERE, math.inf
        gap = sub(self.kept_off(target, walls), level)
        far = math.sqrt(dot(gap, gap))
        kept, self.touched = self.touched, [touch.other.number for touch in touches]
        if far <= self.slow or (kept == self.touched and far <= self.gait.acceleration * self.kept):
            level = along(level, gap, 1.0)
        elif self.gait.acceleration < math.inf:
            push, lasts = along(NOWHERE, gap, self.gait.acceleration / far), far / self.gait.acceleration
        if self.up is None:
            feet.v, feet.a = level, push
        elif ground:
            self.stand(ground, touches, level, push)
        else:
            self.fall(touches, level, push)
        return touches, lasts

    def bears(self, ground: list[Touch]) -> Vector:
        """The velocity of what he stands on: of several the flattest."""
        return max(ground, key=lambda touch: dot(touch.n, self.up)).other.v

    def leap(self, touches: list[Touch]) -> None:
        """Leave the ground upward, from what moves with the velocity of that."""
        feet, ground = self.feet, [touch for touch in touches if touch.ground]
        if ground or feet.carried is None:
            feet.carried = self.bears(ground) if ground else NOWHERE
        off = feet.leaps + dot(sub(feet.carried, feet.v), self.up)
        feet.v, feet.stands, feet.leaps = along(feet.v, self.up, off), False, 0.0

    def leaves(self, touch: Touch, target: Vector) -> bool:
        """Whether who flies goes away from what he touches, as he does and as he wants to on the level."""
        feet = self.feet
        if feet.stands:
            return False
        ways = feet.v, along(target, self.up, dot(feet.v, self.up))
        return all(dot(touch.n, sub(way, touch.other.v)) > self.slow for way in ways)

    def slides(self, touches: list[Touch]) -> list[tuple[Vector, Vector]]:
        """What is too steep to stand on, and how he slides down there on the level: no step of his brakes that."""
        feet, own = self.feet, self.level(self.feet.v)
        steep = (t for t in touches if dot(t.n, self.up) > LEVEL and dot(t.n, sub(feet.v, t.other.v)) <= self.slow)
        return [(n, own) for t in steep if (n := self.side(t)) is not None]

    def stand(self, ground: list[Touch], touches: list[Touch], level: Vector, push: Vector) -> None:
        """Walk along the ground: of several planes along that which leads up the most."""
        rises = [dot(t.n, sub(t.other.v, level)) / dot(t.n, self.up) for t in ground]
        rise = max(rises)
        n = ground[rises.index(rise)].n
        self.feet.v = along(level, self.up, rise)
        self.feet.a = along(push, self.up, -dot(n, push) / dot(n, self.up))
        for touch in touches:
            closing = dot(touch.n, sub(self.feet.v, touch.other.v))
            into = closing < -self.slow or (closing <= self.slow and dot(touch.n, self.feet.a) < -self.slow)
            if dot(touch.n, self.up) < -LEVEL and into:
                # The ceiling is in the way.
                sides = [(one.n, one.other.v) for one in (*ground, *touches)]
                self.feet.v, self.feet.a = out_of(self.feet.v, sides, self.slow), NOWHERE

    def fall(self, touches: list[Touch], level: Vector, push: Vector) -> None:
        """Fly, along what he touches: nothing holds him there."""
        v = along(level, self.up, dot(self.feet.v, self.up))
        a = along(push, self.gravity, 1.0)
        v = out_of(v, [(t.n, t.other.v) for t in touches], 1e-3 * self.slow)
        stops = [(t.n, NOWHERE) for t in touches if dot(t.n, sub(v, t.other.v)) <= self.slow]
        a = out_of(a, stops, 1e-3 * self.slow)
        self.feet.v, self.feet.a = v, a

    def touches(self, now: float) -> list[Touch]:
        """What he touches, in a way that counts."""
        met, p = [], self.feet.p
        for other in self.near(0.0, now):
            gap, n = self.gap(other, p, now)
            if gap <= self.skin:
                met.append((other, n))
        ways = [n for _, n in met]
        for other, n in [*met] if len(met) > 1 else ():
            # Of two that are each at the other's edge, as on a ridge, one counts.
            if out_of_touch(self.feet.row, sub(p, self.place(other, now)), other.row, ways, self.skin) is not None:
                met.remove((other, n))
                ways.remove(n)
        return [Touch(other, n, self.is_ground(n, now)) for other, n in met]

    def near(self, far: float, now: float) -> list[Other]:
        """Those that are at most so far (units) away."""
        feet, out = self.feet, []
        for other in self.others:
            off = sub(feet.p, self.place(other, now))
            most = feet.reach + other.reach + self.skin + far
            if dot(off, off) <= most * most:
                out.append(other)
        return out

    def place(self, other: Other, now: float) -> Vector:
        return along(other.p, other.v, now - self.start)

    def gap(self, other: Other, p: Vector, now: float) -> tuple[float, Vector]:
        gap, n = between(self.feet.row, p, other.row, self.place(other, now))
        return gap, (float(n[0]), float(n[1]), float(n[2]))

    def is_ground(self, n: Vector, now: float) -> bool:
        """Whether he stands on something with that normal: flat enough, or an edge that he steps up, not too high."""
        if self.up is None:
            return False
        rise = dot(n, self.up)
        if rise >= self.gait.steepest:
            return True
        edge = rise > LEVEL and dot(n, self.gait.wanted) < 0.0 and self.height(n) <= self.gait.step
        return edge and self.room(now)

    def height(self, n: Vector) -> float:
        """How high above his feet he is touched from there (units)."""
        row, half, low = self.feet.row, with_an_end(self.feet.row["half"]), 0.0
        for k in range(3):
            axis = row[f"axis{k}"].tolist()
            lean = dot(axis, n)
            if abs(lean) > 1e-9:
                low -= math.copysign(float(half[k]), lean) * dot(axis, self.up)
        low -= float(row["radius"]) * dot(n, self.up)
        return low + support(row, (-self.up[0], -self.up[1], -self.up[2]))

    def level(self, vector: Vector) -> Vector:
        return vector if self.up is None else along(vector, self.up, -dot(vector, self.up))

    def side(self, touch: Touch) -> Vector | None:
        """The level normal (3,) of what stops him; None of what is as flat as a floor or a ceiling."""
        n = self.level(touch.n)
        size = math.sqrt(dot(n, n))
        return None if size <= LEVEL else along(NOWHERE, n, 1.0 / size)

    def wall(self, touch: Touch) -> tuple[Vector, Vector] | None:
        """The level normal (3,) of what stops him, and how it drives him on the level: where he stands, what leans over
        him and comes down does, too; None of what is as flat as a floor or a ceiling."""
        side, velocity = self.side(touch), touch.other.v
        if side is None:
            return None
        if self.up is not None and self.feet.stands and (level := dot(touch.n, side)) >= LEANS:
            closing = dot(touch.n, velocity) - dot(touch.n, self.up) * dot(self.feet.carried, self.up)
            velocity = along(NOWHERE, side, closing / level)
        return side, velocity

    def kept_off(self, level: Vector, walls: list[tuple[Vector, Vector]]) -> Vector:
        """A level velocity without what goes into walls; in a corner that of the wall."""
        return self.level(out_of(level, walls, self.slow))

    def down(self, now: float, touches: list[Touch]) -> list[Touch]:
        """Set him onto ground that is no lower than a step; what he then touches."""
        feet, least = self.feet, math.inf
        way = (-self.up[0], -self.up[1], -self.up[2])
        for other in self.near(self.gait.step, now):
            off = sub(feet.p, self.place(other, now))
            gap, n = self.gap(other, feet.p, now)
            if gap <= self.skin and abs(dot(n, self.up)) <= LEVEL:
                # He is just past its edge, and comes down beside that.
                off = along(off, n, 2.0 * self.skin)
            least = min(least, first_touch(feet.row, off, way, NOWHERE, other.row, self.gait.step, 0.5 * self.skin))
        if least < math.inf:
            feet.p, self.shifted = along(feet.p, way, least), True
            return self.touches(now)
        return touches

    def free(self, height: float, ahead: float, now: float) -> bool:
        """Whether there is nothing where he would be so much higher, and so far ahead."""
        wanted = self.gait.wanted
        way = along(NOWHERE, wanted, ahead / math.sqrt(dot(wanted, wanted)))
        p = along(along(self.feet.p, self.up, height), way, 1.0)
        return all(self.gap(other, p, now)[0] >= 0.0 for other in self.near(height + ahead, now))

    def room(self, now: float) -> bool:
        """Whether all of him would have room on a step ahead."""
        wanted = self.gait.wanted
        size = math.sqrt(dot(wanted, wanted))
        return self.free(self.gait.step, support(self.feet.row, along(NOWHERE, wanted, 1.0 / size)), now)

    def climb(self, touches: list[Touch], now: float) -> bool:
        """Set him onto a step that he walks into; whether there is one, and room above it."""
        wanted, step = self.gait.wanted, self.gait.step
        size = math.sqrt(dot(wanted, wanted))
        if step <= 0.0 or size <= self.slow:
            return False
        comes = [t for t in touches if not t.ground and dot(t.n, sub(self.feet.v, t.other.v)) <= self.slow]
        stops = [n for t in comes if (n := self.side(t)) is not None]
        if not any(dot(n, wanted) < -0.1 * size for n in stops):
            return False
        ahead = (ROUND if self.feet.row["radius"] > 0.0 else NUDGE) * self.feet.reach
        if not self.free(step, ahead, now) or not self.room(now):
            return False
        low, high = 0.0, step
        for _ in range(48):
            middle = 0.5 * (low + high)
            low, high = (low, middle) if self.free(middle, ahead, now) else (middle, high)
        self.feet.p, self.shifted = along(along(self.feet.p, self.up, high), wanted, ahead / size), True
        return True

    def span(self, touches: list[Touch], now: float, most: float) -> float:
        """For how long (s) he goes on so, at most so long."""
        feet, span = self.feet, most
        touching, ways = {touch.other.number for touch in touches}, [touch.n for touch in touches]
        fast = math.sqrt(dot(feet.v, feet.v)) + math.sqrt(dot(feet.a, feet.a)) * span
        for other in self.others:
            if other.number in touching:
                continue
            off, v = sub(feet.p, self.place(other, now)), sub(feet.v, other.v)
            far = feet.reach + other.reach + self.skin + (fast + math.sqrt(dot(other.v, other.v))) * span
            if dot(off, off) <= far * far:
                span = min(span, first_that_counts(feet.row, off, v, feet.a, other.row, span, self.skin, ways))
        for touch in touches:
            span = min(span, self.stays(touch, now, span))
        return max(min(span, most), 1e-7)

    def stays(self, touch: Touch, now: float, span: float) -> float:
        """For how long within a span he touches one as he does; inf of what he leaves anyway."""
        feet, other = self.feet, touch.other
        v = sub(feet.v, other.v)
        if dot(touch.n, v) > self.slow or (dot(touch.n, v) > -self.slow and dot(touch.n, feet.a) > self.slow):
            return math.inf
        if dot(v, v) <= self.slow**2 and dot(feet.a, feet.a) <= self.slow**2:
            return math.inf
        off = sub(feet.p, self.place(other, now))

        def same(t: float) -> bool:
            gap, n = between(feet.row, arc(off, v, feet.a, t), other.row, NOWHERE)
            return bool(gap <= self.loose and dot(touch.n, n.tolist()) >= STRAIGHT)

        if same(span):
            return span
        low, high = 0.0, span
        for _ in range(40):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if same(middle) else (low, middle)
        # About an edge what is nearest turns within the skin: all of that is passed at once.
        fast = math.sqrt(dot(v, v)) + math.sqrt(dot(feet.a, feet.a)) * high
        return min(high + 2.0 * self.skin / fast, span) if fast > self.slow else high

    def set_back(self, touches: list[Touch], now: float) -> bool:
        """Let him neither sink in nor hover; whether he was moved by that."""
        feet, here = self.feet, self.feet.p
        for _ in range(4):
            most = 0.0
            for touch in touches:
                gap, n = self.gap(touch.other, feet.p, now)
                near = touch.ground and feet.stands and gap <= 2.0 * self.loose
                if gap < 0.0 or (near and gap > self.skin):
                    most = max(most, abs(gap))
                    way = self.up if touch.ground and dot(n, self.up) > LEVEL else n
                    feet.p = along(feet.p, way, (0.5 * self.skin - gap) / dot(n, way))
            if most <= 1e-3 * self.skin:
                break
        for _ in range(16):
            found = [self.gap(other, feet.p, now) for other in self.near(0.0, now)]
            deep, n = min(found, key=lambda one: one[0], default=(0.0, NOWHERE))
            if deep >= -0.1 * self.skin:
                break
            feet.p = along(feet.p, n, 0.5 * self.skin - deep)
        return feet.p != here
