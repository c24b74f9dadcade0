"""From an ability, its shooter and the input of a moment to where a shot leaves and how."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nivvo.core.clock import to_seconds
from nivvo.core.frame import unit
from nivvo.core.muzzle import AT_POINT, BEHIND, Leaving, offset_to, through
from nivvo.core.shapes import gap
from nivvo.play.arcs import solve
from nivvo.play.scene import Scene
from nivvo.spec.ability import Ability
from nivvo.spec.values import resolve

ODD = {
    AT_POINT: "the cursor is at the muzzle: fired along the facing",
    BEHIND: "the cursor is nearer than the muzzle: fired outward",
}


@dataclass(frozen=True)
class Shot:
    """One instant of firing, worked out.

    at, heading, velocity : (3,) world; heading is a unit vector, velocity in units/s
    clearance : gap between projectile and shooter's body at the muzzle (units)
    note : what is odd about the aim, or how it was solved, or ""
    refused : why it was not fired after all, or ""
    """

    number: int
    ability: str
    shooter: str
    muzzle: str
    time: int
    pressed: int
    at: np.ndarray
    heading: np.ndarray
    velocity: np.ndarray
    speed: float
    clearance: float
    cursor: np.ndarray | None
    note: str
    refused: str = ""


def shoot(scene: Scene, ability_name: str, shooter: str, number: int, time: int, pressed: int, cursor) -> Shot:
    """Work out shot ``number`` of an ability by a shooter at ``time``, with the cursor where it is then."""
    ability = scene.abilities[ability_name]
    muzzle_name, muzzle, offset = scene.muzzle(ability, shooter)
    facing = scene.facing(shooter)
    row = scene.bodies[scene.number[shooter]]
    body = scene.frame.triad(facing, facing)
    place = row["c0"] + row["v"] * to_seconds(time)
    pivot = place + offset_to(body, (muzzle.pivot_forward, 0.0, muzzle.pivot_up))
    if ability.launch.arc is not None:
        arc = solve(
            scene, ability, number, time, (pivot, place), offset, (body, facing), muzzle.follows == "aim", cursor
        )
        velocity, leaving, refused = arc.velocity, Leaving(arc.at, unit(arc.velocity), arc.note), arc.refused
    else:
        elevation = ability.launch.elevation
        elevation = None if elevation is None else resolve(elevation, number)
        leaving = _leaving(
            scene, ability, facing, body, place, pivot, offset, muzzle.follows == "aim", elevation, cursor
        )
        velocity, refused = resolve(ability.launch.speed, number) * leaving.heading, ""
    moved = row.copy()
    moved["c"] = place
    return Shot(
        number=number,
        ability=ability_name,
        shooter=shooter,
        muzzle=muzzle_name,
        time=time,
        pressed=pressed,
        at=leaving.at,
        heading=leaving.heading,
        velocity=velocity + ability.inherit * row["v"],
        speed=float(np.sqrt(velocity @ velocity)),
        clearance=float(gap(moved, leaving.at)) - scene.radius(ability),
        cursor=cursor,
        note=ODD.get(leaving.odd, leaving.odd),
        refused=refused,
    )


def place_of(scene: Scene, shot: Shot, heading) -> np.ndarray:
    """Where the muzzle of a shot is when it heads along a unit vector (3,)."""
    _, muzzle, offset = scene.muzzle(scene.abilities[shot.ability], shot.shooter)
    facing = scene.facing(shot.shooter)
    row = scene.bodies[scene.number[shot.shooter]]
    body = scene.frame.triad(facing, facing)
    place = row["c0"] + row["v"] * to_seconds(shot.time)
    if muzzle.follows != "aim":
        return place + offset_to(body, offset)
    pivot = place + offset_to(body, (muzzle.pivot_forward, 0.0, muzzle.pivot_up))
    return pivot + offset_to(scene.frame.triad(heading, facing), offset)


def _leaving(scene, ability: Ability, facing, body, place, pivot, offset, follows_aim, elevation, cursor) -> Leaving:
    frame = scene.frame
    if ability.aim.by == "cursor":
        if elevation is None:
            origin = pivot if follows_aim else place
            return through(frame, origin, offset, body, facing, cursor, follows_aim)
        to = frame.level(cursor - pivot)
        heading = unit(to) if to.any() else facing
        odd = "" if to.any() else "the cursor is straight above or below: fired along the facing"
    elif ability.aim.by == "fixed":
        heading, odd = frame.direction(ability.aim.direction), ""
        if ability.aim.elevation is not None:
            heading = frame.raised(heading, ability.aim.elevation)
    else:
        heading, odd = facing, ""
    if elevation is not None:
        heading = frame.raised(heading, elevation)
    if follows_aim:
        return Leaving(pivot + offset_to(frame.triad(heading, facing), offset), heading, odd)
    return Leaving(place + offset_to(body, offset), heading, odd)
