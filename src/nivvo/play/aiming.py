"""From an ability, its shooter and the input of a moment to where a shot leaves and how."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nivvo.core.frame import unit
from nivvo.core.muzzle import AT_POINT, BEHIND, Leaving, through
from nivvo.core.shapes import gap
from nivvo.core.spread import cone, draw, fan, scatter
from nivvo.play.arcs import Arc, lead, solve
from nivvo.play.scene import Scene
from nivvo.play.seeking import middle_of, seek
from nivvo.play.stance import Stance, stance_of
from nivvo.spec.ability import SEEKS, Ability
from nivvo.spec.values import resolve

ODD = {
    AT_POINT: "the aim point is at the muzzle: fired along the facing",
    BEHIND: "the aim point is nearer than the muzzle: fired outward",
}


@dataclass(frozen=True)
class Pointing:
    """What the player points with at a moment: ``cursor`` (3,) or None, ``stick`` a unit heading (3,) or None."""

    cursor: np.ndarray | None = None
    stick: np.ndarray | None = None


@dataclass(frozen=True)
class Shot:
    """One instant of firing, worked out.

    at, heading, velocity : (3,) world; heading is a unit vector, velocity in units/s
    clearance : gap between projectile and shooter's body at the muzzle (units)
    cursor : the aim point, or None
    note : what is odd about the aim, or how it was solved, or ""
    refused : why it was not fired after all, or ""
    spread : velocities (3,) of its projectiles; none written: one projectile with ``velocity``
    """

    number: int
    ability: str
    shooter: str
    muzzle: str
    time: int
    pressed: int
    stance: Stance
    at: np.ndarray
    heading: np.ndarray
    velocity: np.ndarray
    speed: float
    clearance: float
    cursor: np.ndarray | None
    note: str
    refused: str = ""
    spread: tuple[np.ndarray, ...] = ()


def shoot(
    scene: Scene, ability_name: str, shooter: str, number: int, time: int, pressed: int, pointing: Pointing, out
) -> Shot:
    """Work out shot ``number`` of an ability by a shooter at ``time``. ``out`` (n,): which bodies are out already."""
    ability = scene.abilities[ability_name]
    stance = stance_of(scene, ability, shooter, time)
    point, sought, nothing = pointing.cursor, None, ""
    if ability.aim.by in SEEKS:
        sought = seek(scene, ability, stance, time, out)
        point = None if sought is None else middle_of(scene, sought, time)
        nothing = "nothing to aim at" if sought is None else ""
    arc = None
    if not nothing and ability.aim.by == "lead":
        arc = lead(scene, ability, number, time, stance, sought)
        nothing = arc.refused
    elif not nothing and ability.launch.arc is not None:
        arc = solve(scene, ability, number, time, stance, point)
    if nothing and ability.aim.otherwise == "refuse":
        arc = Arc(stance.muzzle_at(stance.facing), stance.facing, np.nan, "", nothing)
    elif nothing:
        arc, point = None, None
    if arc is not None:
        velocity, leaving, refused = arc.velocity, Leaving(arc.at, unit(arc.velocity), arc.note), arc.refused
    else:
        leaving = _leaving(ability, stance, number, point, pointing.stick)
        speed = resolve(ability.launch.speed, number) if ability.launch.speed is not None else 1.0
        velocity, refused = speed * leaving.heading, ""
        if nothing:
            leaving = leaving._replace(odd=f"{nothing}: fired along the facing")
        if ability.launch.speed is None:
            refused = f'{nothing}, and arc = "{ability.launch.arc}" has no speed of its own'
    body = scene.bodies[scene.number[shooter]].copy()
    body["c"] = stance.place
    return Shot(
        number=number,
        ability=ability_name,
        shooter=shooter,
        muzzle=stance.muzzle,
        time=time,
        pressed=pressed,
        stance=stance,
        at=leaving.at,
        heading=leaving.heading,
        velocity=velocity + ability.inherit * stance.velocity,
        speed=float(np.sqrt(velocity @ velocity)),
        clearance=float(gap(body, leaving.at)) - scene.radius(ability),
        cursor=point,
        note=ODD.get(leaving.odd, leaving.odd),
        refused=refused,
        spread=_spread(scene, ability_name, shooter, number, stance, velocity),
    )


def _spread(scene: Scene, name: str, shooter: str, number: int, stance: Stance, velocity) -> tuple[np.ndarray, ...]:
    """Velocities of the projectiles of a shot that is spread; none for one that is not."""
    keys, frame = scene.abilities[name].launch, scene.frame
    heading, speed = unit(velocity), float(np.sqrt(velocity @ velocity))
    if keys.fan is None and keys.cone is None and keys.scatter is None:
        return ()
    draws = [
        [draw(scene.model.world.seed, f"{shooter}.{name}", number, k, which) for k in range(keys.count)]
        for which in range(2)
    ]
    if keys.fan is not None:
        headings = fan(frame, heading, stance.facing, keys.count, keys.fan)
    elif keys.cone is not None:
        headings = cone(frame, heading, stance.facing, keys.cone, *draws)
    else:
        headings = scatter(frame, heading, stance.facing, keys.scatter, *draws)
    own = scene.abilities[name].inherit * stance.velocity
    return tuple(speed * one + own for one in headings)


def _leaving(ability: Ability, stance: Stance, number: int, point, stick) -> Leaving:
    """Muzzle and heading of a shot that is not solved: along the aim, or raised to an elevation."""
    frame, facing, odd = stance.frame, stance.facing, ""
    elevation = ability.launch.elevation
    if point is not None and ability.aim.by in ("cursor", "nearest"):
        if elevation is None:
            return through(frame, stance.origin, stance.offset, stance.body, facing, point, stance.follows_aim)
        to = frame.level(point - stance.pivot)
        heading = unit(to) if to.any() else facing
        odd = "" if to.any() else "the aim point is straight above or below: fired along the facing"
    elif ability.aim.by == "fixed":
        heading = frame.direction(ability.aim.direction)
        if ability.aim.elevation is not None:
            heading = frame.raised(heading, ability.aim.elevation)
    elif ability.aim.by == "stick" and stick is not None:
        heading = stick
    else:
        heading = facing
    if elevation is not None:
        heading = frame.raised(heading, resolve(elevation, number))
    return Leaving(stance.muzzle_at(heading), heading, odd)
