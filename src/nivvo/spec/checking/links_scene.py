"""What must fit in the scene: the world, bodies and their places, names and groups."""

from __future__ import annotations

import itertools
import math

from nivvo.spec.checking.links import ANYTHING, Links
from nivvo.spec.reading.heights import heights_of
from nivvo.spec.scenes.scene import WITH_AN_END

SEEN_FROM_ABOVE = 'write world.view = "top"'


def world(links: Links) -> None:
    world = links.model.world
    for k, corner in enumerate(world.bounds or []):
        links.vector(("world", "bounds", k), corner)
    links.vector(("world", "wind"), world.wind)
    for name, one in world.breezes.items():
        at = ("world", "breezes", name)
        links.vector((*at, "at"), one.at)
        links.vector((*at, "velocity"), one.velocity)
        _shape(links, (*at, "shape"), one.shape)
    if world.bounds and len(world.bounds[0]) == len(world.bounds[1]):
        low, high = world.bounds
        if any(a >= b for a, b in zip(low, high, strict=True)):
            links.say(("world", "bounds"), "the first corner must lie below the second in every number", world.bounds)


def names(links: Links) -> None:
    """No two bodies share a name, and no group is called like a reserved word."""
    seen: dict[str, str] = {}
    for kind in ("shooter", "obstacle", "target"):
        for name, body in getattr(links.model, kind).items():
            if name in seen:
                links.say(
                    (kind, name),
                    f"the name is taken: there is a {seen[name]} {name}",
                    hint="name each body differently",
                )
            seen.setdefault(name, kind)
            places = [(("group",), body.group)]
            places += [(("parts", k, "group"), part.group) for k, part in enumerate(getattr(body, "parts", None) or [])]
            for place, group in places:
                if group == ANYTHING:
                    links.say((kind, name, *place), f'"{ANYTHING}" is a reserved word, not a group')


def cue(links: Links, key: tuple, cue) -> None:
    """What a cue names must be there."""
    if cue.ability is not None:
        links.name((*key, "ability"), cue.ability, "ability", list(links.model.ability))
    if cue.group is not None:
        links.name((*key, "group"), cue.group, "group", links.names.groups)


MOST_TURNS = 32
"""Turns of a way within one tick."""

MOST_LAPS = 1000
"""Laps in which what goes around comes to its speed."""


def _route(links: Links, key: tuple, body) -> None:
    """A way that is gone again and again takes its time."""
    move = body.move
    points = [*([body.at] if body.at is not None else []), *(move.through or [])]
    if move.at_end == "stop" or len({len(point) for point in points}) != 1:
        return
    stops = [points[0], *(q for p, q in itertools.pairwise(points) if p != q)]
    if move.at_end == "around" and stops[0] != stops[-1]:
        stops.append(stops[0])
    seconds = sum(math.dist(p, q) for p, q in itertools.pairwise(stops)) / move.speed
    if move.at_end == "around" and len(stops) > 1 and move.speeds_up is not None:
        laps = move.speed * move.speed / (2.0 * move.speeds_up * seconds * move.speed) if seconds > 0.0 else math.inf
        if laps > MOST_LAPS:
            says = f"comes to its speed in {laps:.3g} laps"
            links.say(
                (*key, "move", "speeds_up"), says, move.speeds_up, f"so much that it takes at most {MOST_LAPS} laps"
            )
    if len(stops) > 1 and (len(stops) - 1) > MOST_TURNS * max(seconds * links.model.tick.rate, 1e-300):
        says = f"turns {(len(stops) - 1) / max(seconds, 1e-300):.3g} times a second"
        most = f"at most {MOST_TURNS} turns a tick: a slower move.speed, or points farther apart"
        links.say((*key, "move", "through"), says, move.through, most)


def _others(links: Links, key: tuple, body) -> None:
    """Whom a body goes by: there is such a one, and it does not go by this one."""
    move, others = body.move, [name for name in links.names.bodies if name != key[1]]
    by = {("chase",): move.chase, ("flee",): move.flee, ("beside",): move.beside}
    by["circle", "body"] = None if move.circle is None else move.circle.body
    for word, goal in by.items():
        if goal is not None:
            links.name((*key, "move", *word), goal, "other body", others)
    links.vector((*key, "move", "offset"), move.offset)
    if move.beside is not None and body.at is not None:
        links.say((*key, "at"), "it is where the body beside it is, and offset", body.at, "no at")
    if move.beside is not None and getattr(body, "wave", None) is not None:
        links.say((*key, "move", "beside"), "a wave would be all at one place", move.beside, "a target of its own")
    for k, point in enumerate(move.drift or []):
        links.vector((*key, "move", "drift", k), point)
    if move.drift is not None and move.drift[0] == move.drift[1]:
        links.say((*key, "move", "drift"), "is a point: it goes nowhere", move.drift)
    bodies = {**links.model.shooter, **links.model.obstacle, **links.model.target}
    seen, name = [key[1]], move.beside
    while name in bodies and name not in seen:
        seen.append(name)
        name = bodies[name].move.beside if bodies[name].move is not None else None
    if name == key[1]:
        links.say((*key, "move", "beside"), "goes in a ring: nobody leads", move.beside)


def body(links: Links, key: tuple, body) -> None:
    links.vector((*key, "at"), body.at)
    links.vector((*key, "spot"), getattr(body, "spot", None))
    if (about := getattr(body, "turns_about", None)) is not None:
        links.vector((*key, "turns_about"), about)
        if links.model.world.size == 2:
            links.say((*key, "turns_about"), "in 2D it turns in the plane", about)
    if isinstance(front := getattr(body, "front", None), list) and links.model.world.size == 2:
        links.say((*key, "front"), "in 2D a front is one angle", front, "a number of degrees")
    if body.move is not None:
        links.vector((*key, "move", "velocity"), body.move.velocity)
        links.vector((*key, "move", "acceleration"), body.move.acceleration)
        for k, point in enumerate(body.move.through or []):
            links.vector((*key, "move", "through", k), point)
        for k, row in enumerate(body.move.timed or []):
            if len(row) != 1 + links.model.world.size:
                axes = "x, y" if links.model.world.size == 2 else "x, y, z"
                links.say((*key, "move", "timed", k), "wrong number of values", row, f"[seconds, {axes}]")
        if body.move.timed and body.move.timed[0][0] == 0 and body.at not in (None, body.move.timed[0][1:]):
            says = "is at another place at 0 s than its at"
            links.say((*key, "move", "timed", 0), says, body.move.timed[0], f"{body.at}, or no at")
        _others(links, key, body)
        if body.move.circle is not None and body.move.circle.centre is not None:
            links.vector((*key, "move", "circle", "centre"), body.move.circle.centre)
            if body.move.circle.centre == (body.at or [0.0] * links.model.world.size):
                links.say((*key, "move", "circle", "centre"), "is where the body is: it goes nowhere", body.at)
        _route(links, key, body)
    comes, goes = getattr(body, "arrives", None), getattr(body, "leaves", None)
    if goes is not None and goes.seconds(rate := links.model.tick.rate) <= (comes.seconds(rate) if comes else 0.0):
        given = float(goes) if goes.ticks is None else f"{goes.ticks} ticks"
        links.say((*key, "leaves"), "goes before it is there", given, "a later time than arrives, or than 0")
    if getattr(body, "wave", None) is not None:
        for word in ("places", "region", "edges"):
            for k, point in enumerate(getattr(body.wave, word) or []):
                links.vector((*key, "wave", word, k), point)
        links.vector((*key, "wave", "goal"), body.wave.goal)
    if key[0] == "shooter":
        _shooter(links, key, body)
    for k, part in enumerate(getattr(body, "parts", None) or []):
        links.vector((*key, "parts", k, "at"), part.at)
        _shape(links, (*key, "parts", k, "shape"), part.shape)
        _alone(links, (*key, "parts", k, "shape"), part.shape)
    if body.shape is not None:
        _shape(links, (*key, "shape"), body.shape)
        _alone(links, (*key, "shape"), body.shape)
        if body.shape.half_space is not None and key[0] == "shooter":
            at = (*key, "shape", "half_space")
            links.say(at, "a shooter has a body with an end", allowed=", ".join(WITH_AN_END))


def _alone(links: Links, at: tuple, shape) -> None:
    """What only an obstacle can be."""
    for word in ("chain", "heights"):
        if at[0] != "obstacle" and getattr(shape, word) is not None:
            links.say((*at, word), f"{word} is for an obstacle, not for a {at[0]}")


def _shape(links: Links, at: tuple, shape) -> None:
    """A shape must fit the view."""
    size = links.model.world.size
    links.vector((*at, "box"), shape.box)
    for kind in ("wall", "capsule", "chain"):
        for k, end in enumerate(getattr(shape, kind) or []):
            links.vector((*at, kind, k), end)
    if isinstance(shape.half_space, list):
        links.vector((*at, "half_space"), shape.half_space)
    elif shape.half_space in ("up", "down") and links.model.world.view == "top" and size == 2:
        links.say(
            (*at, "half_space"), "a flat top view has no up", shape.half_space, '"left", "right", or a normal as [0, 1]'
        )
    elif shape.half_space in ("forward", "back") and size == 2:
        links.say(
            (*at, "half_space"), "forward and back are for space", shape.half_space, '"up", "down", "left", "right"'
        )
    if isinstance(shape.turned, list) and size == 2:
        links.say((*at, "turned"), "in 2D a shape turns by one angle", shape.turned, "a number of degrees")
    kind = next((word for word in ("wall", "chain", "polygon", "ellipse") if getattr(shape, word) is not None), "wall")
    if shape.tall is not None and size == 2:
        links.say((*at, "tall"), f"a {kind} is tall only in 3D", shape.tall)
    if getattr(shape, kind) is not None and size == 3 and shape.tall is None:
        links.say((*at, "tall"), "is missing", allowed=f"how tall the {kind} is, upward")
    if shape.heights is not None:
        _heights(links, (*at, "heights"), shape.heights)


def _heights(links: Links, at: tuple, model) -> None:
    """Heights must be there, without holes, and fit the view."""
    world = links.model.world
    if world.view == "top" and world.size == 2:
        links.say(at, "a flat top view has no heights", allowed='view = "side" or "space"; or height = true')
        return
    try:
        rows = heights_of(model, links.document.folder)
    except ValueError as error:
        links.say((*at, "values" if model.values is not None else "file"), str(error))
        return
    if (len(rows) == 1) != (world.size == 2):
        says = (
            "side view has one row of heights" if world.size == 2 else "in 3D heights are rows of a grid, two at least"
        )
        links.say((*at, "values" if model.values is not None else "file"), says)


def _shooter(links: Links, key: tuple, shooter) -> None:
    world = links.model.world
    facing = shooter.facing
    if world.view == "side" and facing not in (None, "left", "right", "+x", "-x"):
        links.say(
            (*key, "facing"), "in side view a shooter faces left or right", facing, '"left", "right"', SEEN_FROM_ABOVE
        )
    elif isinstance(facing, str) and world.view != "side":
        up = (world.up or "+z")[1] if world.view == "space" else "z"
        level = [sign + axis for axis in "xyz" if axis != up for sign in "+-"]
        words = [] if world.size == 3 else ["left", "right", "up", "down"]
        if facing not in (*words, *level):
            says = "in 3D a facing is a level axis, or a direction in degrees" if world.size == 3 else "it is not level"
            links.say((*key, "facing"), says, facing, f"{', '.join([*words, *level])}, or degrees")
    if shooter.facing_count is not None and world.view == "side" and shooter.facing_count != 2:
        links.say(
            (*key, "facing_count"),
            "in side view a shooter faces left or right",
            shooter.facing_count,
            "2",
            SEEN_FROM_ABOVE,
        )
    if shooter.walk is not None and shooter.walk.jump is not None and not world.pull:
        says = (
            "without gravity a jump never comes down" if world.size == 3 or world.view == "side" else "there is no up"
        )
        links.say((*key, "walk", "jump"), says, shooter.walk.jump)
    if shooter.facing_follows == "movement" and shooter.walk is None:
        links.say(
            (*key, "facing_follows"), "it does not walk, so no movement turns it", "movement", "walk.speed, or another"
        )
    if shooter.eye.right and world.view == "side":
        links.say((*key, "eye", "right"), "in side view there is no right, only forward and up", shooter.eye.right)
    if shooter.eye.up and world.view == "top" and not world.height:
        links.say((*key, "eye", "up"), "a flat top view has no up, only forward and right", shooter.eye.up)
    for name, muzzle in shooter.muzzle.items():
        if world.view == "side" and muzzle.right:
            links.say(
                (*key, "muzzle", name, "right"), "in side view there is no right, only forward and up", muzzle.right
            )
        if world.view == "top" and not world.height and (muzzle.up or muzzle.pivot_up):
            word = "up" if muzzle.up else "pivot_up"
            links.say(
                (*key, "muzzle", name, word), "a flat top view has no up, only forward and right", getattr(muzzle, word)
            )
