"""Who fires: what a shooter's player has done so far, and what follows for its place, facing and muzzles."""

from __future__ import annotations

from bisect import bisect_right
from typing import TYPE_CHECKING

import numpy as np

from nivvo.core.launching.muzzle import offset_to
from nivvo.core.launching.stick import angle_of, turned
from nivvo.core.numbers import clock
from nivvo.core.numbers.frame import dot, unit
from nivvo.plan.abilities.ability import Aim
from nivvo.plan.track import PRESS, RELEASE, Change
from nivvo.play.ways.motion import Motion, Walker

if TYPE_CHECKING:
    from nivvo.play.stage.stage import Stage

KEPT = 256
FOREVER = 1 << 62


class Player:
    """One shooter on its way through a session."""

    def __init__(self, stage: Stage, name: str):
        self.stage, self.scene, self.name = stage, stage.scene, name
        self.shooter, self.body = stage.scene.shooters[name], stage.number[name]
        self.held: dict[str, bool] = {}
        self.locked = False
        self.rows: dict[str, tuple[list[int], list]] = {}
        self._facings: tuple[list[int], list[np.ndarray]] = ([0], [self.shooter.facing])
        self.first: dict[str, object] = {}
        self.turned: dict[str, float] = {}
        self._carriers: dict[str, tuple[int, np.ndarray]] = {}
        self.last_aim: dict[str, np.ndarray] = {}
        # Of an aim that turns, by ability and muzzle: when it was seen last, where it pointed, its shooter's facing.
        self.pointing: dict[tuple[str, str], tuple[int, np.ndarray, np.ndarray]] = {}

    @property
    def motion(self) -> Motion:
        """How it moves."""
        return self.stage.motions[self.body]

    def expect(self, change: Change) -> None:
        """What points at the screen is there before it is first moved: where that first row puts it."""
        if change.what in ("cursor", "screen"):
            value = self.scene.frame.lift(change.value) if change.what == "cursor" else change.value
            self.first.setdefault(change.what, value)

    def do(self, change: Change) -> str | None:
        """Take in what the player does; returns whether a button really goes down or up: no press while it is held."""
        if change.what in (PRESS, RELEASE):
            down, held = change.what == PRESS, self.held.get(change.value, False)
            self.held[change.value] = down
            walk = self.shooter.walk
            if down and not held and walk is not None and change.value == walk.jump_button and not self.locked:
                self.motion.jump(change.time)
                self.stage.walked(self.body, change.time)
            return change.what if down != held else None
        times, values = self.rows.setdefault(change.what, ([], []))
        value = self.scene.frame.lift(change.value) if change.what == "cursor" else change.value
        times.append(change.time)
        values.append(value)
        if change.what == "walk" and isinstance(self.motion, Walker) and not self.locked:
            self.motion.steer(change.time, change.value)
            self.stage.walked(self.body, change.time)
        if change.what == {"movement": "walk"}.get(self.shooter.facing_follows, self.shooter.facing_follows):
            self.facing(change.time)
        return None

    def lock(self, time: int, locked: bool) -> None:
        """Hold its feet, or let them go on as its input says by now."""
        if locked != self.locked and isinstance(self.motion, Walker):
            self.motion.steer(time, [0.0, 0.0] if locked else self._last("walk", time) or [0.0, 0.0])
            self.stage.walked(self.body, time)
        self.locked = locked

    def forget(self, time: int) -> None:
        """Drop input that can no longer matter, for sessions without end."""
        for control, (times, values) in self.rows.items():
            k = bisect_right(times, time) - 1
            if k < KEPT:
                continue
            if control == "stick":
                now = clock.to_seconds(times[k])
                for name, ability in self.scene.abilities.items():
                    if ability.aim.by == "stick" and ability.aim.turn_rate is not None:
                        self.turned[name] = self._turned(name, ability.aim, now, k + 1)
            del times[:k], values[:k]
        times, values = self._facings
        if len(times) > KEPT:
            del times[:-2], values[:-2]

    def _turned(self, name: str, aim: Aim, now: float, count: int) -> float:
        """Angle (degrees) of the stick's direction under its turn rate, after its first ``count`` rows."""
        times, sticks = self.rows["stick"]
        start = self.turned.get(name, float(self.scene.frame.direction_of(self._facings[1][0])))
        seconds = [clock.to_seconds(one) for one in times[:count]]
        return turned(start, seconds, sticks[:count], now, aim.dead_zone, aim.snap, aim.turn_rate, aim.curve)

    def _last(self, control: str, time: int):
        """What a control was last set to; before its first row, where that row puts it; None without any."""
        times, values = self.rows.get(control, ((), ()))
        return values[max(bisect_right(times, time) - 1, 0)] if values else self.first.get(control)

    def place(self, time: int) -> tuple[np.ndarray, np.ndarray]:
        """Place of its middle and velocity (3,)."""
        return self.motion.at(time)[:2]

    def facing(self, time: int) -> np.ndarray:
        """Unit vector (3,) that it faces; what points nowhere leaves it as it was."""
        frame, by = self.scene.frame, self.shooter.facing_follows
        times, values = self._facings
        k = max(bisect_right(times, time) - 1, 0)
        if by == "fixed" or k < len(times) - 1:
            return values[k]
        way = None
        if by == "cursor":
            cursor = self.cursor(time)
            way = None if cursor is None else cursor - self.place(time)[0]
        elif by == "look":
            look = self._last("look", time)
            way = None if look is None else frame.direction(look[0])
        else:
            axes = self._last("walk" if by == "movement" else "stick", time)
            way = None if axes is None else axes[0] * frame.first + axes[1] * frame.second
        turned_to = None if way is None else self._way(way)
        if turned_to is not None and np.any(turned_to != values[-1]):
            times.append(time)
            values.append(turned_to)
        return values[-1]

    def turn(self, time: int, way) -> None:
        """Let it face along a way (3,) from a time on, if nothing else turns it."""
        turned_to = self._way(way) if self.shooter.facing_follows == "fixed" else None
        if turned_to is not None:
            self._facings[0].append(time)
            self._facings[1].append(turned_to)

    def turn_to(self, facing: np.ndarray) -> None:
        """Let it face along a unit vector (3,) from the start."""
        self._facings = ([0], [facing])

    def _way(self, vector) -> np.ndarray | None:
        """One of the ways that it can face, nearest to a vector; None if that has no part on the level."""
        frame, flat = self.scene.frame, self.scene.frame.level(vector)
        if frame.view == "side":
            return None if flat[0] == 0.0 else np.array([np.copysign(1.0, flat[0]), 0.0, 0.0])
        if not flat.any():
            return None
        if self.shooter.facing_count is None:
            return unit(flat)
        way = 360.0 / self.shooter.facing_count
        nearest = np.rint(float(frame.direction_of(flat)) / way)
        if self.shooter.facing_count == 2 and float(dot(flat, frame.first)) == 0.0:
            return None
        return frame.direction(nearest * way)

    def cursor(self, time: int) -> np.ndarray | None:
        """Where the cursor is (3,)."""
        return self._last("cursor", time)

    def screen(self, time: int) -> list[float] | None:
        """Which point of the camera's screen is pointed at (pixels)."""
        return self._last("screen", time)

    def look(self, time: int) -> np.ndarray:
        """Unit vector (3,) along which the eye looks; its facing before any input."""
        look, frame = self._last("look", time), self.scene.frame
        if look is None:
            return self.facing(time)
        heading = frame.direction(look[0])
        return frame.raised(heading, look[1]) if len(look) == 2 else heading

    def stick(self, time: int, aim: Aim, name: str = "") -> np.ndarray | None:
        """Unit heading (3,) of the stick; None before any input, when the facing holds."""
        times, sticks = self.rows.get("stick", ((), ()))
        frame, count = self.scene.frame, bisect_right(times, time)
        last = next((s for s in reversed(sticks[:count]) if angle_of(s, aim.dead_zone, None) is not None), None)
        if last is None:
            return None
        if aim.snap is None and aim.turn_rate is None:
            # Straight from the stick: mirrored sticks give mirrored headings to the bit.
            return unit(last[0] * frame.first + last[1] * frame.second)
        return frame.direction(self._turned(name, aim, clock.to_seconds(time), count))

    def _still_until(self, time: int) -> int:
        """Until when (clock) it neither moves nor turns, as known by now."""
        _, velocity, acceleration = self.motion.at(time)
        if velocity.any() or acceleration.any() or self.shooter.facing_follows in ("cursor",):
            return time
        after = bisect_right(self._facings[0], time)
        turns = self._facings[0][after] if after < len(self._facings[0]) else FOREVER
        return min(self.motion.next_break(time) or FOREVER, turns)

    def pointed(self, ability: str, muzzle: str) -> tuple[int, np.ndarray, np.ndarray]:
        """When (clock) the aim of a muzzle was last seen to turn, where it pointed, and the facing: at first along it.

        Both unit vectors (3,).
        """
        faced = self._facings[1][0]
        return self.pointing.get((ability, muzzle), (0, faced, faced))

    def carrier(self, name: str, time: int) -> np.ndarray:
        """Where a muzzle's carrier is (3,): each tick it nears its place on the body by at most its top speed."""
        ticks, muzzle = self.scene.ticks, self.shooter.muzzle[name]
        offset = (muzzle.forward or 0.0, muzzle.right, muzzle.up)

        def wanted(when: int) -> np.ndarray:
            facing = self.facing(when)
            return self.place(when)[0] + offset_to(self.scene.frame.triad(facing, facing), offset)

        def nearer(place: np.ndarray, when: int, seconds: float) -> np.ndarray:
            gap = wanted(when) - place
            far, can = float(np.sqrt(dot(gap, gap))), muzzle.top_speed * seconds
            return place + gap if far <= can else place + gap * (can / far)

        tick, place = self._carriers.get(name) or (0, wanted(0))
        last = ticks.holding(time)
        while tick < last:
            if np.array_equal(place, wanted(ticks.edge(tick))):
                # Where it should be, it stays for as long as the shooter neither walks nor turns.
                still = min(self._still_until(ticks.edge(tick)), time)
                tick = max(min(ticks.holding(still), last), tick)
            if tick < last:
                seconds = (ticks.edge(tick + 1) - ticks.edge(tick)) / clock.UNITS
                place = nearer(place, ticks.edge(tick + 1), seconds)
                tick += 1
        self._carriers[name] = (last, place)
        return nearer(place, time, (time - ticks.edge(last)) / clock.UNITS)
