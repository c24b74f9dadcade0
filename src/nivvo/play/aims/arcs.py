"""Solved arcs: the launch of an ability that reaches its aim point, in the drill's own tick rules."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from nivvo.core.launching import launch
from nivvo.core.launching.air import Air
from nivvo.core.launching.launch import Launch
from nivvo.core.launching.muzzle import through
from nivvo.core.numbers.clock import to_seconds
from nivvo.core.numbers.frame import dot, length_of, unit
from nivvo.plan.abilities.ability import Ability
from nivvo.plan.abilities.numbers import Moment, resolve
from nivvo.plan.scene import Scene
from nivvo.play.aims.stance import Stance
from nivvo.play.stage.stage import Stage
from nivvo.play.ways.motion import NOWHERE
from nivvo.record.path import Path

LONGEST = 60.0
TURNS, WANDERS, ASTRAY = 60, 8, 1e-3
"""How often a muzzle is turned till it stands still; after how many turns it will not, if it is so far off (rad)."""
SEARCHED = 1e-7
"""How near (radians) the elevation of the farthest shot is known."""


class Arc(NamedTuple):
    """A solved launch: muzzle (3,), velocity (3,) beside what it inherits, time of flight (s; nan if it falls
    short), words, why refused."""

    at: np.ndarray
    velocity: np.ndarray
    time: float
    note: str
    refused: str


class Task(NamedTuple):
    """What a shot is to be solved for: the ability's shot of a ``moment`` at ``time``, from a stance, at ``speed``.

    own : the velocity (3,) that it inherits. speed : units/s, or None where the arc has its own.
    """

    stage: Stage
    ability: Ability
    moment: Moment
    time: int
    stance: Stance
    speed: float | None
    air: Air
    own: np.ndarray


def task_of(stage: Stage, ability: Ability, moment: Moment, time: int, stance: Stance, speed: float | None) -> Task:
    """The task of one shot."""
    own = ability.inherit_velocity * stance.velocity
    return Task(stage, ability, moment, time, stance, speed, air_of(stage.scene, ability, time), own)


def air_of(scene: Scene, ability: Ability, time: int) -> Air:
    """What acts on a shot fired at ``time`` (on the clock), in the drill's own step."""
    if scene.exact:
        return Air(ability.flight.acts)
    first = scene.ticks.holding(time)
    rows = scene.ticks.rows(first, max(int(LONGEST * scene.ticks.rate), 2))
    dt = rows["dt"].copy()
    if scene.rules.next_tick:
        dt = dt[1:]
    elif rows["start"][0] < time:
        dt[0] -= to_seconds(time - int(rows["start"][0]))
    return Air(ability.flight.acts, step=scene.rules.step, dt=dt)


def moves_at(scene: Scene, time: int) -> int:
    """When a shot fired at ``time`` begins to move (clock)."""
    if scene.rules.next_tick:
        return scene.ticks.edge(scene.ticks.holding(time) + 1)
    return time


def launched(
    how: str,
    value: float | None,
    to,
    air: Air,
    own,
    up,
    velocity=NOWHERE,
    bend=NOWHERE,
    near: Launch | None = None,
) -> Launch:
    """The launch to ``to`` (3,) by one way of solving: low, high, by elevation, by flight time, by apex, by arrival.

    Its velocity holds what is inherited. velocity, bend : of a point that moves and accelerates. near : what was found
    for a muzzle next to it. Closed forms where they hold, else by search.
    """
    plain = air.thin and not (np.any(own) or np.any(velocity) or np.any(bend))
    fall, moving = air.fall if air.a.any() else None, {"own": own, "velocity": velocity, "acceleration": bend}
    if how in (launch.LOW, launch.HIGH):
        if plain:
            return launch.by_speed(to, air.a, value, how, fall=fall)
        return air.by_speed(to, value, how, near=near, **moving)
    if how == "by flight time":
        return launch.by_time(to, air.a, value, fall=fall) if plain else air.by_time(to, value, **moving)
    if how == "by apex":
        return launch.by_apex(to, air.a, up, value, fall=fall) if plain else air.by_apex(to, up, value, **moving)
    if how == "by arrival":
        return launch.by_arrival(to, air.a, up, value) if plain and fall is None else air.by_arrival(to, up, value)
    if plain:
        return launch.by_elevation(to, air.a, up, value, fall=fall)
    return air.by_elevation(to, up, value, **moving)


def wanted(task: Task, how: str) -> float | None:
    """What a way of solving is given by an ability's keys."""
    keys = task.ability.launch
    if how == "by elevation":
        return None if keys.elevation is None else resolve(keys.elevation, task.moment, "elevation")
    return {"by flight time": keys.flight_time, "by apex": keys.apex}.get(how, task.speed)


def solve(task: Task, point) -> Arc:
    """The arc of a shot to ``point`` (3,).

    A muzzle that turns with the aim moves as the arc is solved: solved again until it stands still.
    """
    keys = task.ability.launch
    arc = _by(task, point, keys.arc)
    if not np.isfinite(arc.time) or keys.clears is None:
        return arc
    other = _by(task, point, launch.HIGH if keys.arc == launch.LOW else launch.LOW)
    unit_ = task.stage.scene.unit
    short = []
    for one, word in ((arc, keys.arc), (other, launch.HIGH if keys.arc == launch.LOW else launch.LOW)):
        if not np.isfinite(one.time):
            continue
        gap, name = least_gap(task, one, keys.clears)
        if gap >= keys.margin:
            clears = f"which clears {name} by {gap:.4g} {unit_}" if name else "what it is to clear is not there"
            return one._replace(note=f"{one.note}; the {word} arc, {clears}")
        short.append(f"the {word} arc passes {name} at {gap:.4g} {unit_}")
    return arc._replace(note="", refused=f"no arc clears by {keys.margin:g} {unit_}: {', '.join(short)}")


def least_gap(task: Task, arc: Arc, among: tuple[int, ...]) -> tuple[float, str]:
    """The least gap (units) between the free flight of an arc and those of some bodies that are there, as they move on,
    and which; inf, "" if none is."""
    scene, stage = task.stage.scene, task.stage
    path = path_of(task, arc)
    radius, best = scene.radius(task.ability, task.moment), (np.inf, "")
    for number in (number for number in among if not stage.out(number)):
        gap, _ = stage.least_gap(number, path, radius, float(path.t[0]), float(path.t[-1]))
        if gap < best[0]:
            best = (gap, task.stage.names[number])
    return best


def path_of(task: Task, arc: Arc) -> Path:
    """The free flight of an arc, to its aim point."""
    air, start = task.air.leaving(arc.at), to_seconds(moves_at(task.stage.scene, task.time))
    times = np.array([0.0, arc.time])
    if air.dt is not None:
        ends = np.cumsum(air.dt)
        times = np.concatenate([[0.0], ends[ends < arc.time], [arc.time]])
    elif not air.thin:
        times = np.linspace(0.0, arc.time, 2 + int(arc.time * task.stage.scene.ticks.rate))
    p, v = air.fly(arc.velocity + task.own, times)
    exact = air if air.dt is None else None
    return Path(start + times, p + arc.at, v, exact, start, came=v)


def _by(task: Task, point, how: str) -> Arc:
    up, value = task.stage.scene.frame.up, wanted(task, how)

    near: Launch | None = None

    def found(at) -> Launch:
        nonlocal near
        there = task._replace(air=task.air.leaving(at))
        made = launched(how, value, point - at, there.air, task.own, up, near=near)
        if np.isfinite(made.time):
            near = made
            return Launch(made.velocity - task.own, made.time)
        return fallback(there, point - at)

    at, arc, odd = settled(task.stance, point, found)
    if odd:
        return _outward(task, at, arc.velocity, odd)
    if np.isfinite(arc.time):
        says = f"solved: reaches the aim point after {float(arc.time):.4g} s"
        return Arc(at, arc.velocity, float(arc.time), says, "")
    return _out_of_reach(task._replace(air=task.air.leaving(at)), at, point, arc.velocity)


def settled(stance: Stance, point, found: Callable[[np.ndarray], Launch]) -> tuple[np.ndarray, Launch, str]:
    """The muzzle and the launch that ``found`` gives for it, once the one no longer moves the other.

    And what is odd: of a point that is nearer than the muzzle the launch has but a direction, outward.
    """
    heading = unit(point - stance.pivot)
    heading = heading if heading.any() else stance.facing
    before: tuple[np.ndarray, np.ndarray] | None = None
    for turn in range(TURNS):
        at = stance.muzzle_at(heading)
        arc = found(at)
        turned = unit(arc.velocity) if np.isfinite(arc.velocity).all() else heading
        rest = turned - heading
        if not stance.follows_aim or np.abs(rest).max() <= (1e-15 if np.isfinite(arc.time) else SEARCHED):
            break
        if turn == WANDERS and dot(rest, rest) > ASTRAY * ASTRAY:
            return _beside(stance, point, found)
        after = turned
        if before is not None and dot(rest, rest) < 0.25 * dot(before[1], before[1]):
            # What is left shrinks evenly: go at once where it comes to (the secant rule).
            change = rest - before[1]
            after = unit(turned - dot(rest, change) / dot(change, change) * (turned - before[0]))
        before, heading = (turned, rest), after
    return at, arc, ""


def _beside(stance: Stance, point, found: Callable[[np.ndarray], Launch]) -> tuple[np.ndarray, Launch, str]:
    """The same of a point so near that turning the muzzle moves it by more than it is away.

    The straight way to a point is known: what is fired goes as the straight way to another, which is looked for.
    """
    aim = point
    for _ in range(TURNS):
        at, heading, odd = through(
            stance.frame, stance.origin, stance.offset, stance.body, stance.facing, aim, follows_aim=True
        )
        if odd:
            return at, Launch(heading, np.float64(np.nan)), odd
        arc = found(at)
        if not np.isfinite(arc.velocity).all():
            break
        turned = unit(arc.velocity)
        if np.abs(turned - heading).max() <= 1e-15:
            break
        aim = at + length_of(point - at) * turned
    return at, arc, ""


def _outward(task: Task, at, heading, odd: str) -> Arc:
    """What is fired at a point that is nearer than the muzzle."""
    if task.speed is None:
        return Arc(at, heading, np.nan, "", "the aim point is nearer than the muzzle: no arc leads there")
    return Arc(at, task.speed * heading, np.nan, odd, "")


def lead(task: Task, target: int) -> Arc:
    """The shot that meets a moving body's middle, as that moves and accelerates now.

    Gravity, drag, inherited velocity and a late first move are reckoned in.
    """
    scene, air = task.stage.scene, task.air
    middle, velocity, acceleration = task.stage.motions[target].ahead(task.time, moves_at(scene, task.time))

    how = task.ability.launch.arc

    def found(at) -> Launch:
        if air.thin and how is None:
            fall = air.fall if air.a.any() else None
            moving = {"acceleration": acceleration, "a": air.a, "fall": fall}
            return launch.lead(middle - at, velocity - task.own, task.speed, **moving)
        way = how or launch.LOW
        value, up = wanted(task, way), scene.frame.up
        arc = launched(way, value, middle - at, air.leaving(at), task.own, up, velocity, acceleration)
        return Launch(arc.velocity - task.own, arc.time)

    at, arc, odd = settled(task.stance, middle, found)
    if odd:
        return _outward(task, at, arc.velocity, odd)
    name = task.stage.names[target]
    if not np.isfinite(arc.time):
        what = f'arc = "{how}"' if task.speed is None else f"shot of {task.speed:.5g} {scene.unit}/s"
        return Arc(at, unit(middle - at), np.nan, "", f"no {what} meets {name}")
    return Arc(at, arc.velocity, float(arc.time), f"led: meets {name} after {float(arc.time):.4g} s", "")


def fallback(task: Task, to) -> Launch:
    """What is fired at a point out of reach: as far as it goes at its level, or at the best elevation on the level."""
    keys, up, air = task.ability.launch, task.stage.scene.frame.up, task.air
    if task.speed is None or not air.a.any() or keys.out_of_reach in (None, "refuse"):
        return Launch(np.asarray(to, dtype=float), np.float64(np.nan))
    level = to - (dot(to, up)) * up if keys.out_of_reach == "best elevation" else to
    return Launch(_farthest(air, level, up, task.speed), np.float64(np.nan))


def _farthest(air: Air, to, up, speed: float) -> np.ndarray:
    return launch.farthest(to, air.a, up, speed) if air.thin else air.farthest(to, up, speed)


def _out_of_reach(task: Task, at, point, velocity) -> Arc:
    """Why no arc reaches a point, and what is fired in its place: with a ``velocity`` (3,), if that is wanted."""
    scene, air, keys = task.stage.scene, task.air, task.ability.launch
    unit_, to, speed = scene.unit, point - at, task.speed
    if float(np.abs(to).max()) <= 1e-12 * scene.size:
        return Arc(at, task.stance.facing, np.nan, "", "the aim point is at the muzzle: no arc leads there")
    rise = float(dot(to, scene.frame.up))
    if keys.arc == "by apex" and rise > keys.apex:
        low = f"the aim point lies {rise:.4g} {unit_} above the muzzle, higher than the apex of {keys.apex:g} {unit_}"
        return Arc(at, unit(to), np.nan, "", low)
    if keys.arc not in (launch.LOW, launch.HIGH):
        return Arc(at, unit(to), np.nan, "", f'no arc = "{keys.arc}" reaches the aim point from the muzzle')
    if not air.a.any():
        return Arc(at, unit(to), np.nan, "", "the aim point is out of reach")
    plain = air.thin and not task.own.any()
    needed = float(launch.least_speed(to, air.a) if plain else air.least_speed(to, own=task.own))
    best = velocity if keys.out_of_reach == "farthest" else _farthest(air, to, scene.frame.up, speed)
    if needed <= speed:
        # The other arc does: under thrust a steep shot may never come down to it.
        why = f"no {keys.arc} arc reaches the aim point at {speed:.5g} {unit_}/s"
    else:
        short = f"{_short(scene, to, air, best):.4g} {unit_}"
        why = f"the aim point is out of reach: at {speed:.5g} {unit_}/s it falls {short} short"
    why += f"; the least speed is {needed:.5g} {unit_}/s"
    if keys.out_of_reach in (None, "refuse"):
        return Arc(at, velocity, np.nan, "", why)
    words = "as far as it goes" if keys.out_of_reach == "farthest" else "at the elevation of greatest range"
    return Arc(at, velocity, np.nan, f"{why}; fired {words}", "")


def _short(scene: Scene, to, air: Air, best: np.ndarray) -> float:
    """How far short of a point the farthest arc (3,) comes: along its level, or in height where none gets so high."""
    up, rise = scene.frame.up, float(dot(to, scene.frame.up))
    flat = to - rise * up
    far = float(np.sqrt(dot(flat, flat)))
    level = air.level_reach(best[None], up, rise)[0]
    if np.isfinite(level):
        return far - float(level)
    return rise - float(air.top(best, up))
