"""Checks across tables: names that must exist, vectors that must fit the view, buttons somebody must press."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pydantic import BaseModel

from nivvo.errors import Problem
from nivvo.spec.ability import SOURCES
from nivvo.spec.document import Document, nearest
from nivvo.spec.problems import dotted, shown
from nivvo.spec.values import Depends, Duration

if TYPE_CHECKING:
    from nivvo.spec.drill import Model

KEEPER = "keeper"
"""Name of the shooter that a drill without one gets."""

ANYTHING = "anything"
MOST_TICKS = 5_000_000


class Links:
    """Problems found across the tables of one drill, or of one case of it."""

    def __init__(self, model: Model, document: Document):
        self.model, self.document = model, document
        self.found: list[Problem] = []

    def say(self, key: tuple, says: str, given: object = None, allowed: str = "", hint: str = "") -> None:
        """Note one problem at a key."""
        text = "" if given is None else shown(given)
        self.found.append(Problem(str(self.document.origin(key)), dotted(key), says, text, allowed, hint))

    def name(self, key: tuple, word: str, what: str, known) -> bool:
        """Note if ``word`` is none of the known names."""
        if word in known:
            return True
        self.say(
            key,
            f"there is no {what} of that name",
            word,
            ", ".join(known) or f"none: the drill has no {what}",
            nearest(word, known),
        )
        return False

    def vector(self, key: tuple, value: list | None) -> None:
        """Note if a vector has the wrong number of values for the view."""
        size = self.model.world.size
        if value is not None and len(value) != size:
            view = self.model.world.view + (" with height" if self.model.world.height else "")
            axes = "[x, y]" if size == 2 else "[x, y, height]" if self.model.world.height else "[x, y, z]"
            self.say(key, f"a {view} view has positions of {size} numbers", value, axes)


def check_links(model: Model, document: Document, case: str | None) -> list[Problem]:
    """Problems of the drill's own tables (``case`` None) or of one case within them."""
    links = Links(model, document)
    if case is not None:
        _case(links, case)
        if not model.case[case].set and not _changed(document, case):
            return links.found
    _world(links)
    for name, shooter in model.shooter.items():
        _body(links, ("shooter", name), shooter)
        _shooter(links, ("shooter", name), shooter)
    for name, obstacle in model.obstacle.items():
        _body(links, ("obstacle", name), obstacle)
    for name, target in model.target.items():
        _body(links, ("target", name), target)
    for name, ability in model.ability.items():
        _ability(links, ("ability", name), ability)
    _names(links)
    if not model.ability:
        links.say(("ability",), "the drill has no ability", allowed="a table [ability.NAME] with launch.speed")
    return links.found


def _changed(document: Document, case: str) -> bool:
    return any(key[:1] != ("case",) and str(origin).startswith("--set") for key, origin in document.origins.items())


def shooters(model: Model) -> list[str]:
    """Names of the shooters; a drill without any has one."""
    return list(model.shooter) or [KEEPER]


def groups(model: Model) -> list[str]:
    """Names of all groups, in order of their names."""
    bodies = [*model.shooter.values(), *model.obstacle.values(), *model.target.values()]
    named = {body.group for body in bodies}
    return sorted(named if model.shooter else named | {"shooters"})


def bodies(model: Model) -> list[str]:
    """Names of all bodies."""
    return [*shooters(model), *model.obstacle, *model.target]


def _world(links: Links) -> None:
    world = links.model.world
    for k, corner in enumerate(world.bounds or []):
        links.vector(("world", "bounds", k), corner)
    if world.bounds and len(world.bounds[0]) == len(world.bounds[1]):
        low, high = world.bounds
        if any(a >= b for a, b in zip(low, high, strict=True)):
            links.say(("world", "bounds"), "the first corner must lie below the second in every number", world.bounds)


def _names(links: Links) -> None:
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
            if body.group == ANYTHING:
                links.say((kind, name, "group"), f'"{ANYTHING}" is a reserved word, not a group')


def _body(links: Links, key: tuple, body) -> None:
    links.vector((*key, "at"), body.at)
    if body.move is not None:
        links.vector((*key, "move", "velocity"), body.move.velocity)
        links.vector((*key, "move", "acceleration"), body.move.acceleration)
        for k, point in enumerate(body.move.through or []):
            links.vector((*key, "move", "through", k), point)
    shape = body.shape
    if shape is None:
        return
    size, at = links.model.world.size, (*key, "shape")
    links.vector((*at, "box"), shape.box)
    for kind in ("wall", "capsule"):
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
        links.say((*at, "turned"), "in 2D a box turns by one angle", shape.turned, "a number of degrees")
    if shape.tall is not None and size == 2:
        links.say((*at, "tall"), "a wall is tall only in 3D", shape.tall)
    if shape.wall is not None and size == 3 and shape.tall is None:
        links.say((*at, "tall"), "is missing", allowed="how tall the wall is, from its ends upward")
    if shape.half_space is not None and key[0] == "shooter":
        links.say((*at, "half_space"), "a shooter has a body with an end", allowed="ball, box or capsule")


def _shooter(links: Links, key: tuple, shooter) -> None:
    world = links.model.world
    facing = shooter.facing
    if world.view == "side" and facing not in (None, "left", "right"):
        links.say((*key, "facing"), "in side view a shooter faces left or right", facing, '"left", "right"')
    if world.view != "side" and world.size == 3 and isinstance(facing, str):
        links.say((*key, "facing"), "in 3D a facing is a direction in degrees", facing, "degrees")
    if shooter.ways is not None and world.view == "side" and shooter.ways != 2:
        links.say((*key, "ways"), "in side view a shooter faces left or right", shooter.ways, "2")
    if shooter.walk is not None and shooter.walk.jump is not None and not world.pull:
        says = (
            "without gravity a jump never comes down" if world.size == 3 or world.view == "side" else "there is no up"
        )
        links.say((*key, "walk", "jump"), says, shooter.walk.jump)
    if shooter.faces == "movement" and shooter.walk is None:
        links.say((*key, "faces"), "it does not walk, so no movement turns it", "movement", "walk.speed, or another")
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


def _ability(links: Links, key: tuple, ability) -> None:
    model = links.model
    names = shooters(model)
    if ability.shooter is not None and not links.name((*key, "shooter"), ability.shooter, "shooter", names):
        return
    owners = [ability.shooter] if ability.shooter else names
    for owner in owners:
        there = list(model.shooter[owner].muzzle) if owner in model.shooter else []
        for name in ability.muzzles:
            if name not in there:
                allowed = ", ".join(there) or f"none: shooter.{owner} has no muzzle table"
                links.say((*key, "muzzle"), f"shooter {owner} has no such muzzle", name, allowed, nearest(name, there))
    known = groups(model)
    for group in ability.on:
        if group != ANYTHING and group not in known:
            owner = next((b for b in bodies(model) if b == group), None)
            hint = f"{group} is a body; on takes groups" if owner else nearest(group, [*known, ANYTHING])
            links.say((*key, "on", group), "there is no group of that name", group, ", ".join([*known, ANYTHING]), hint)
    launch = ability.launch
    sources = [name for name in SOURCES if getattr(launch, name) is not None]
    if not sources and launch.arc in (None, "low", "high"):
        links.say((*key, "launch", "speed"), "is missing", allowed="how fast, in units/s; or impulse, force, velocity")
    if launch.arc is not None and ability.aim.by not in POINTS:
        says = f'a solved arc needs a point to reach; aim.by = "{ability.aim.by}" gives none'
        links.say((*key, "launch", "arc"), says, launch.arc, 'aim.by = "cursor", "nearest", "lead" or "sight"')
    _launch_and_aim(links, key, ability)
    _firing(links, key, ability)
    if ability.aim.by == "lead" and launch.elevation is not None and launch.arc is None:
        links.say(
            (*key, "launch", "elevation"), "a lead finds its own elevation", hint="leave it away, or aim by nearest"
        )
    if ability.aim.group is not None:
        links.name((*key, "aim", "group"), ability.aim.group, "group", groups(model))
    if launch.arc in ("by elevation", "by apex") and not (model.world.pull and ability.flight.gravity > 0.0):
        links.say((*key, "launch", "arc"), "there is no gravity to bend an arc", launch.arc, '"low" or "by time"')
    if ability.launch.elevation is not None and model.world.view == "top" and not model.world.height:
        links.say(
            (*key, "launch", "elevation"), "a flat top view has no elevation", hint="write world.height = true for lobs"
        )
    if ability.aim.elevation is not None and model.world.size == 2:
        links.say((*key, "aim", "elevation"), "in 2D aim.direction says it all; elevation is for 3D")


MOST_SENT = 1000
"""Projectiles that one shot may send."""

POINTS = ("cursor", "nearest", "sight", "lead")
"""Ways of aiming that give a point to reach."""


MOST_SHOTS = 100_000
"""Shots that one second of a stream may have."""


def _firing(links: Links, key: tuple, ability) -> None:
    """What in a firing must fit the other abilities and the numbers that hang on it."""
    model, firing = links.model, ability.firing
    for name in firing.cancels:
        links.name((*key, "firing", "cancels"), name, "ability", list(model.ability))
    rate = firing.rate
    if firing.interval is not None:
        rate = 1.0 / max(firing.interval.seconds(model.tick.rate), 1e-12)
    if rate is not None and rate > MOST_SHOTS:
        where = "rate" if firing.rate is not None else "interval"
        says = f"is {rate:.4g} shots a second: more than {MOST_SHOTS:,}"
        links.say((*key, "firing", where), says, getattr(firing, where), f"at most {MOST_SHOTS:,} shots a second")
    if firing.least_hold is not None and firing.full_after is not None:
        least, full = (getattr(firing, one).seconds(model.tick.rate) for one in ("least_hold", "full_after"))
        if least > full:
            links.say((*key, "firing", "least_hold"), "is longer than full_after", least, f"at most {full:g} s")
    if firing.cancelled_by_damage and not any(shooter.health for shooter in model.shooter.values()):
        hint = "give the shooter health, as shooter.keeper.health = 100"
        links.say((*key, "firing", "cancelled_by_damage"), "no shooter has health, so none takes damage", hint=hint)
    for path, value in depends_of(ability):
        if value.by == "held" and firing.kind != "charge":
            says = f'hangs on how long the button was held, and kind = "{firing.kind}" does not charge'
            links.say((*key, *path), says, hint='write firing.kind = "charge"')
        if value.end is not None and value.over is None and not (value.by == "held" and firing.full_after):
            also = ", or firing.full_after" if value.by == "held" else ""
            links.say((*key, *path), f"start and end need over{also}")


def depends_of(table, path: tuple = ()):
    """Paths and values of all numbers of a table that depend on something."""
    if isinstance(table, Depends):
        yield path, table
    elif isinstance(table, BaseModel):
        for name in type(table).model_fields:
            yield from depends_of(getattr(table, name), (*path, name))
    elif isinstance(table, dict):
        for name, value in table.items():
            yield from depends_of(value, (*path, name))


def _launch_and_aim(links: Links, key: tuple, ability) -> None:
    """What in a launch and an aim must fit the view and the scene."""
    model, launch, aim = links.model, ability.launch, ability.aim
    view, size = model.world.view, model.world.size
    links.vector((*key, "launch", "velocity"), launch.velocity)
    if launch.velocity is not None and not any(launch.velocity):
        links.say((*key, "launch", "velocity"), "has no length: the shot would not leave", launch.velocity)
    for name in [launch.clears] if isinstance(launch.clears, str) else launch.clears or []:
        links.name((*key, "launch", "clears"), name, "body", bodies(model))
    if aim.assist is not None and aim.assist.group is not None:
        links.name((*key, "aim", "assist", "group"), aim.assist.group, "group", groups(model))
    if aim.elevation_within is not None and view == "top" and not model.world.height:
        links.say((*key, "aim", "elevation_within"), "a flat top view has no elevation", aim.elevation_within)
    if aim.bearing_within is not None and view == "side":
        hint = "write elevation_within; a shooter in side view does not aim behind itself with it"
        links.say((*key, "aim", "bearing_within"), "in side view an aim turns in elevation only", hint=hint)
    if aim.camera is not None:
        if size == 2:
            links.say((*key, "aim", "camera"), "a camera looks into space; in 2D the sight is the eye's, by look")
        else:
            links.vector((*key, "aim", "camera", "at"), aim.camera.at)
            if not -90.0 <= aim.camera.look[1] <= 90.0:
                links.say((*key, "aim", "camera", "look"), "its elevation is from -90 to 90 degrees", aim.camera.look)
    count = max(launch.count.values()) if isinstance(launch.count, Depends) else launch.count
    sent = count * (len(ability.muzzles) if ability.muzzle_order == "all at once" else 1)
    if sent > MOST_SENT:
        says = f"with {len(ability.muzzles)} muzzles at once a shot sends {sent:g} projectiles"
        links.say((*key, "launch", "count"), says, launch.count, f"at most {MOST_SENT} a shot")
    front = "xyz".index(ability.heading.front[1])
    if front >= size:
        links.say((*key, "heading", "front"), "this view has no third axis", ability.heading.front, "+x, -x, +y, -y")
    if aim.by == "lead" and launch.velocity is not None:
        links.say((*key, "launch", "velocity"), "a lead finds its own direction", hint="give launch.speed")


def _case(links: Links, name: str) -> None:
    model, key = links.model, ("case", name)
    case = model.case[name]
    chosen = [case.ability] if isinstance(case.ability, str) else case.ability
    known = list(model.ability)
    for word in chosen or []:
        links.name((*key, "ability"), word, "ability", known)
    in_hand = [model.ability[word] for word in chosen or known if word in model.ability]
    walks = [shooter.walk for shooter in model.shooter.values() if shooter.walk is not None]
    heard = {getattr(one.firing, key) for one in in_hand for key in ("button", "confirm", "cancel")} - {None}
    buttons = sorted(heard | {walk.button for walk in walks if walk.jump})
    _released(links, key, case, in_hand)
    if case.input is not None and not case.track:
        _pressed(links, key, case, [word for word in chosen or known if word in model.ability])
    for k, row in enumerate(case.input or []):
        at = (*key, "input", k)
        links.vector((*at, "cursor"), row.cursor)
        if row.move is not None and not walks:
            links.say((*at, "move"), "nobody walks", row.move, "a shooter with walk.speed")
        if row.look is not None and len(row.look) != model.world.size - 1:
            words = "[direction]" if model.world.size == 2 else "[direction, elevation]"
            links.say((*at, "look"), f"in {model.world.view} view it is {words}, in degrees", row.look)
        if row.look is not None and len(row.look) == 2 and not -90.0 <= row.look[1] <= 90.0:
            links.say((*at, "look"), "its elevation is from -90 to 90 degrees", row.look)
        if row.screen is not None and not any(ability.aim.camera for ability in in_hand):
            links.say((*at, "screen"), "no ability in hand looks through a camera", row.screen, "aim.camera")
        if row.shooter is not None:
            links.name((*at, "shooter"), row.shooter, "shooter", shooters(model))
        for act in ("press", "release", "tap", "hold"):
            word = getattr(row, act)
            if word is not None and word not in buttons:
                says = "no ability in hand listens to that button"
                links.say((*at, act), says, word, ", ".join(buttons), nearest(word, buttons))
    aims = any(ability.aim.by == "cursor" for ability in in_hand) and not case.track
    if aims and not any(row.cursor for row in case.input or []):
        hint = 'write one, as input = [{ t = 0, cursor = [10, 2], tap = "fire" }]'
        links.say((*key, "input"), "an ability aims by the cursor, and this case has no cursor", hint=hint)
    sticks = any(ability.aim.by == "stick" for ability in in_hand)
    if sticks and not case.track and case.input is not None and not any(row.stick for row in case.input):
        hint = 'write one, as input = [{ t = 0, stick = [1, 0], tap = "fire" }]'
        links.say((*key, "input"), "an ability aims by the stick, and this case has no stick", hint=hint)
    everything = bodies(model)
    for k, check in enumerate(case.check):
        at = (*key, "check", k)
        if check.hits is not None:
            links.name((*at, "hits"), check.hits, "body", everything)
        if check.misses is not None and check.misses != ANYTHING:
            links.name((*at, "misses"), check.misses, "body", everything)
        if check.clears is not None:
            links.name((*at, "clears"), check.clears, "body", everything)
        links.vector((*at, "lands"), check.lands)
        _measured(links, at, check, everything, known)
    rate = model.tick.rate
    if case.lasts is not None and case.lasts.seconds(rate) * rate > MOST_TICKS:
        links.say(
            (*key, "lasts"),
            f"more than {MOST_TICKS:,} ticks",
            str(float(case.lasts)),
            "a shorter time, or a lower tick.rate",
        )
    if case.lasts is None:
        for word in chosen or known:
            if word not in model.ability:
                continue
            life = model.ability[word].limits.life
            life = Duration(max(life.values())) if isinstance(life, Depends) and life.values() else life
            if isinstance(life, Depends):
                continue
            if life == "forever" and not model.world.bounds and model.ability[word].limits.reach == "endless":
                says = "may fly forever: it has no life, no reach, and the world no bounds"
                links.say(("ability", word, "limits", "life"), says, hint="set one of them, or case.lasts")
            elif life != "forever" and life.seconds(rate) * rate > MOST_TICKS:
                links.say(
                    ("ability", word, "limits", "life"), f"lasts more than {MOST_TICKS:,} ticks", str(float(life))
                )


def _released(links: Links, key: tuple, case, in_hand: list) -> None:
    """A stream that is never let go needs an end."""
    rows = case.input or []
    for ability in in_hand:
        button = ability.firing.button
        downs = [k for k, row in enumerate(rows) if row.press == button]
        ups = [k for k, row in enumerate(rows) if row.release == button]
        if ability.firing.kind == "auto" and len(downs) > len(ups) and case.lasts is None:
            hint = "write hold and lasts, a release, or case.lasts"
            links.say(
                (*key, "input", downs[-1], "press"), "is never released, and auto fire goes on", button, hint=hint
            )


def _pressed(links: Links, key: tuple, case, names: list[str]) -> None:
    """Where a case names its abilities, somebody must press their buttons."""
    if case.ability is None:
        return
    acted = {getattr(row, act) for row in case.input for act in ("press", "tap", "hold")} - {None}
    for name in names:
        button = links.model.ability[name].firing.button
        if button not in acted:
            says = f"nobody presses the button of {name}"
            links.say(
                (*key, "input"), says, ", ".join(sorted(acted)) or None, f'a row as {{ t = 0, tap = "{button}" }}'
            )


def _measured(links: Links, at: tuple, check, everything: list[str], abilities: list[str]) -> None:
    if check.verb != "measure":
        if check.of is not None:
            links.name((*at, "of"), check.of, "ability", abilities)
        return
    bodies_only = ("damage", "health", "nearest", "contacts")
    if check.measure in ("health", "nearest") and check.of is None:
        links.say((*at, "of"), "is missing", allowed=f"whose {check.measure}: {', '.join(everything)}")
    elif check.of is not None:
        known = everything if check.measure in bodies_only else abilities
        links.name((*at, "of"), check.of, "body" if check.measure in bodies_only else "ability", known)
