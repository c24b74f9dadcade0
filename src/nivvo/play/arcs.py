"""Solved arcs: the launch of an ability that reaches its aim point, in the drill's own tick rules."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from nivvo.core import launch
from nivvo.core.clock import to_seconds
from nivvo.core.frame import unit
from nivvo.core.muzzle import offset_to
from nivvo.play.scene import Scene
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


def solve(
    scene: Scene, ability: Ability, number: int, time: int, origins, offset, axes, follows_aim: bool, point
) -> Arc:
    """The arc of an ability's shot ``number`` to ``point`` (3,).

    origins : (pivot, place) of the shooter; axes : (triad of its body, facing). A muzzle that turns with
    the aim moves as the arc is solved: solved again until it stands still.
    """
    (pivot, place), (body, facing) = origins, axes
    frame, fall = scene.frame, fall_of(scene, time)
    at = place + offset_to(body, offset)
    heading = unit(point - pivot)
    heading = heading if heading.any() else facing
    found: launch.Launch | None = None
    for _ in range(TURNS):
        if follows_aim:
            at = pivot + offset_to(frame.triad(heading, facing), offset)
        found = solution(scene, ability, number, point - at, fall)
        turned = unit(
            found.velocity if np.isfinite(found.time) else fallback(scene, ability, number, point - at).velocity
        )
        if not follows_aim or np.abs(turned - heading).max() <= 1e-15:
            break
        heading = turned
    if np.isfinite(found.time):
        return Arc(
            at, found.velocity, float(found.time), f"solved: reaches the cursor after {float(found.time):.4g} s", ""
        )
    return _out_of_reach(scene, ability, number, at, point)


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
        why = f'no arc = "{keys.arc}" reaches the cursor from the muzzle'
        return Arc(at, unit(to), np.nan, "", why)
    speed, needed = resolve(keys.speed, number), float(launch.least_speed(to, a))
    found = fallback(scene, ability, number, to)
    why = (
        f"the cursor is out of reach: at {speed:.5g} {unit_}/s it falls {_short(scene, to, a, speed):.4g} {unit_} short"
    )
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
