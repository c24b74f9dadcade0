"""What a projectile goes by from its launch on: its sides, the point and the body that it was aimed at, its centre."""

from __future__ import annotations

from typing import Any

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers.frame import dot, unit
from nivvo.plan.abilities.ability import FAR, Ability
from nivvo.play.aims.aiming import Sent, Shot
from nivvo.play.aims.seeking import candidates
from nivvo.play.stage.stage import Stage


def guide_of(stage: Stage, ability: Ability, shot: Shot, sent: Sent) -> tuple[dict[str, Any], np.ndarray]:
    """Fields of ``pool.GUIDE`` for one projectile of a shot, and the velocity (3,) that it begins with."""
    frame, flight, guide, velocity = stage.scene.frame, ability.flight, {}, sent.velocity
    facing = stage.players[shot.shooter].facing(shot.time)
    heading = unit(sent.velocity) if sent.velocity.any() else shot.heading
    guide["way"] = heading
    if flight.shifts == pool.SWAYS:
        _, right, up = frame.triad(heading, facing)
        guide["across"], guide["above"] = (up if frame.view == "side" else right), up
    elif flight.shifts == pool.ORBITS:
        guide |= _round(stage, shot, sent, facing)
        # It goes round from the first on, at no speed of its own.
        guide["pace"] = float(np.sqrt(dot(velocity, velocity)))
        turn = float(flight.acts["orbit_rate"][0]) * guide["radius"]
        velocity = stage.motions[stage.number[shot.shooter]].at(shot.time)[1] + guide["above"] * turn
    if flight.homes:
        point = shot.aim_point
        guide["aimed"] = sent.at + FAR * stage.scene.metre * heading if point is None else point
        guide["first"] = shot.sought if shot.sought >= 0 else _nearest(stage, flight, shot, guide["aimed"])
    return guide, velocity


def _round(stage: Stage, shot: Shot, sent: Sent, facing) -> dict[str, Any]:
    """Between which sides an orbit goes: from where it leaves toward up in side view, toward the right elsewhere."""
    frame = stage.scene.frame
    off = sent.at - stage.centre(stage.number[shot.shooter], shot.time)
    lift = np.zeros(3) if frame.view == "side" else off - frame.level(off)
    out = off - lift
    across = unit(out) if out.any() else unit(frame.level(facing))
    _, right, up = frame.triad(unit(frame.level(facing)), facing)
    ahead = unit(frame.level(facing))
    side = up if frame.view == "side" else right
    above = unit(dot(across, ahead) * side - dot(across, side) * ahead)
    return {"across": across, "above": above, "lift": lift, "radius": float(np.sqrt(dot(out, out)))}


def _nearest(stage: Stage, flight, shot: Shot, point) -> int:
    """The body nearest to the aim point among those that it may follow, or -1."""
    group = int(flight.acts["group"][0])
    found = candidates(stage, None if group < 0 else group, shot.shooter)
    gaps = [float(dot(off, off)) for k in found for off in [stage.centre(k, shot.time) - point]]
    return found[int(np.argmin(gaps))] if found else -1
