"""Solved arcs: the launch of an ability that reaches its aim point, in the drill's own tick rules."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from nivvo.core import launch
from nivvo.core.clock import to_seconds
from nivvo.core.frame import unit
from nivvo.play.scene import Scene
from nivvo.play.stance import Stance
from nivvo.spec.ability import Ability
from nivvo.spec.values import resolve

LONGEST = 60.0
TURNS = 60


class Arc(NamedTuple):
    """A solved launch: muzzle (3,), velocity (3,), time of flight (s, nan if it falls short), words, why refused."""

    at: np.ndarray
    velocity: np.ndarray
    time: float
    note: str
    refused: str


def fall_of(scene: Scene, time: int) -> launch.Fall | None:
    """How a shot fired at ``time`` (on the clock) falls in the drill's own step; None in exact step."""
    first = scene.ticks.holding(time)
    rows = scene.ticks.rows(first, max(int(LONGEST * scene.ticks.rate), 2))
    dt = rows["dt"].copy()
    if scene.model.tick.first_move == "next tick":
        dt = dt[1:]
    elif rows["start"][0] < time:
        dt[0] -= to_seconds(time - int(rows["start"][0]))
    return launch.fall_of(scene.step, dt)


def solve(scene: Scene, ability: Ability, number: int, time: int, stance: Stance, point) -> Arc:
    """The arc of an ability's shot ``number`` to ``point`` (3,).

    A muzzle that turns with the aim moves as the arc is solved: solved again until it stands still.
    """
    fall = fall_of(scene, time)

    def found(at) -> launch.Launch:
        wanted = solution(scene, ability, number, point - at, fall)
        return wanted if np.isfinite(wanted.time) else fallback(scene, ability, number, point - at)

    at, arc = settled(stance, point, found)
    if np.isfinite(arc.time):
        return Arc(
            at, arc.velocity, float(arc.time), f"solved: reaches the aim point after {float(arc.time):.4g} s", ""
        )
    return _out_of_reach(scene, ability, number, at, point)


def settled(stance: Stance, point, found: Callable[[np.ndarray], launch.Launch]) -> tuple[np.ndarray, launch.Launch]:
    """The muzzle and the launch that ``found`` gives for it, once the one no longer moves the other."""
    heading = unit(point - stance.pivot)
    heading = heading if heading.any() else stance.facing
    for _ in range(TURNS):
        at = stance.muzzle_at(heading)
        arc = found(at)
        turned = unit(arc.velocity) if np.isfinite(arc.velocity).all() else heading
        if not stance.follows_aim or np.abs(turned - heading).max() <= 1e-15:
            break
        heading = turned
    return at, arc


def lead(scene: Scene, ability: Ability, number: int, time: int, stance: Stance, target: int) -> Arc:
    """The shot that meets a moving body's middle, gravity, inherited velocity and late first move reckoned in."""
    row, fall = scene.bodies[target], fall_of(scene, time)
    a = scene.gravity * ability.flight.gravity
    moves_at = time
    if scene.model.tick.first_move == "next tick":
        moves_at = scene.ticks.edge(scene.ticks.holding(time) + 1)
    middle = row["c0"] + row["v0"] * to_seconds(moves_at)
    relative = row["v0"] - ability.inherit * stance.velocity
    speed = resolve(ability.launch.speed, number)

    def found(at) -> launch.Launch:
        return launch.lead(middle - at, relative, speed, a=a, fall=fall if a.any() else None)

    at, arc = settled(stance, middle, found)
    name = scene.names[target]
    if not np.isfinite(arc.time):
        unit_ = scene.model.world.unit
        return Arc(at, unit(middle - at), np.nan, "", f"no shot of {speed:.5g} {unit_}/s meets {name}")
    return Arc(at, arc.velocity, float(arc.time), f"led: meets {name} after {float(arc.time):.4g} s", "")


def solution(scene: Scene, ability: Ability, number: int, to, fall) -> launch.Launch:
    """The launch that an ability's keys ask for, from the muzzle to ``to`` (3,) away."""
    keys, up = ability.launch, scene.frame.up
    a = scene.gravity * ability.flight.gravity
    if keys.arc in (launch.LOW, launch.HIGH):
        return launch.by_speed(to, a, resolve(keys.speed, number), keys.arc, fall=fall if a.any() else None)
    if keys.arc == "by time":
        return launch.by_time(to, a, keys.time, fall=fall)
    if keys.arc == "by apex":
        return launch.by_apex(to, a, up, keys.apex, fall=fall)
    return launch.by_elevation(to, a, up, resolve(keys.elevation, number), fall=fall)


def fallback(scene: Scene, ability: Ability, number: int, to) -> launch.Launch:
    """What is fired at a point out of reach: as far as it goes at its level, or at the best elevation on the level."""
    keys, up = ability.launch, scene.frame.up
    a = scene.gravity * ability.flight.gravity
    if keys.speed is None or not a.any():
        return launch.Launch(to, np.nan)
    level = to - (to @ up) * up if keys.out_of_reach == "best elevation" else to
    return launch.Launch(launch.farthest(level, a, up, resolve(keys.speed, number)), np.nan)


def _out_of_reach(scene: Scene, ability: Ability, number: int, at, point) -> Arc:
    keys, unit_, to = ability.launch, scene.model.world.unit, point - at
    a = scene.gravity * ability.flight.gravity
    if keys.arc not in (launch.LOW, launch.HIGH):
        return Arc(at, unit(to), np.nan, "", f'no arc = "{keys.arc}" reaches the aim point from the muzzle')
    speed, needed = resolve(keys.speed, number), float(launch.least_speed(to, a))
    found = fallback(scene, ability, number, to)
    short = f"{_short(scene, to, a, speed):.4g} {unit_}"
    why = f"the aim point is out of reach: at {speed:.5g} {unit_}/s it falls {short} short"
    why += f"; the least speed is {needed:.5g} {unit_}/s"
    if keys.out_of_reach in (None, "refuse"):
        return Arc(at, found.velocity, np.nan, "", why)
    words = "as far as it goes" if keys.out_of_reach == "farthest" else "at the elevation of greatest range"
    return Arc(at, found.velocity, np.nan, f"{why}; fired {words}", "")


def _short(scene: Scene, to, a, speed: float) -> float:
    """How far short of a point the farthest arc comes: along its level, or in height where none gets so high."""
    up, pull = scene.frame.up, float(np.sqrt(a @ a))
    rise = float(to @ up)
    square = speed * speed - 2.0 * pull * rise
    if square < 0.0:
        return rise - speed * speed / (2.0 * pull)
    flat = to - rise * up
    return float(np.sqrt(flat @ flat)) - speed * float(np.sqrt(square)) / pull
