"""What must fit between an ability and the scene, the other abilities, and itself."""

from __future__ import annotations

import math

from nivvo.spec.abilities.ability import SOURCES
from nivvo.spec.checking.links import ANYTHING, Links, effects_of, groups_of
from nivvo.spec.scenes.values import Depends
from nivvo.spec.words.nearest import listed, nearest


def check(links: Links, key: tuple, ability) -> None:
    model = links.model
    names = links.names
    if ability.shooter is not None and not links.name((*key, "shooter"), ability.shooter, "shooter", names.shooters):
        return
    owners = [ability.shooter] if ability.shooter else list(names.shooters)
    for owner in owners:
        there = list(model.shooter[owner].muzzle) if owner in model.shooter else []
        for name in ability.muzzles:
            if name not in there and not links.told(("shooter", owner)):
                allowed = listed(there) or f"none: shooter.{owner} has no muzzle table"
                links.note((*key, "muzzle"), f"shooter {owner} has no such muzzle", name, allowed, nearest(name, there))
    for group in ability.on:
        if group != ANYTHING and group not in names.groups and group in model.ability:
            _met(links, (*key, "on", group), ability.on[group])
        elif group != ANYTHING and group not in names.groups and not names.lost:
            known = [*names.groups, ANYTHING]
            hint = f"{group} is a body; on takes groups" if group in names.bodies else nearest(group, known)
            links.note((*key, "on", group), "there is no group of that name", group, listed(known), hint)
    for path, effects in effects_of(ability):
        if effects.sends is not None:
            links.name((*key, *path, "sends", "ability"), effects.sends.ability, "ability", list(model.ability))
            if path[0] == "when" and effects.sends.along in ("normal", "reflected"):
                says = "needs a surface, and this is no contact"
                links.say((*key, *path, "sends", "along"), says, effects.sends.along, '"onward", "nearest"')
            if effects.sends.group is not None:
                links.name((*key, *path, "sends", "group"), effects.sends.group, "group", names.groups)
            elif effects.sends.along == "nearest" and not links.model.target:
                links.say((*key, *path, "sends", "along"), "there is no target to be sent to", hint="write sends.group")
    for group, answer in ability.on.items():
        if answer.knock is not None and (group in names.groups or group == ANYTHING):
            _knocks(links, (*key, "on", group, "knock"), ability, group)
    _moments(links, key, ability)
    launch = ability.launch
    sources = [name for name in SOURCES if getattr(launch, name) is not None]
    if not sources and launch.arc in (None, "low", "high") and not ability.flight.instant:
        links.say((*key, "launch", "speed"), "is missing", allowed="how fast, in units/s; or impulse, force, velocity")
    if launch.arc is not None and ability.aim.by not in POINTS:
        says = f'a solved arc needs a point to reach; aim.by = "{ability.aim.by}" gives none'
        links.say((*key, "launch", "arc"), says, launch.arc, 'aim.by = "cursor", "nearest", "lead" or "sight"')
    for group, answer in ability.on.items():
        if answer.whose is not None and (group in names.groups or group == ANYTHING):
            links.say((*key, "on", group, "whose"), "is for on.ABILITY: whose projectiles are met", answer.whose)
    _drag(links, key, ability)
    _flight(links, key, ability)
    _launch_and_aim(links, key, ability)
    _firing(links, key, ability)
    if ability.aim.by == "lead" and launch.elevation is not None and launch.arc is None:
        links.say(
            (*key, "launch", "elevation"), "a lead finds its own elevation", hint="leave it away, or aim by nearest"
        )
    if ability.aim.group is not None:
        links.name((*key, "aim", "group"), ability.aim.group, "group", names.groups)
    if launch.arc in ("by elevation", "by apex") and not (model.world.pull and ability.flight.gravity_share > 0.0):
        links.say(
            (*key, "launch", "arc"), "there is no gravity to bend an arc", launch.arc, '"low" or "by flight time"'
        )
    if ability.launch.elevation is not None and model.world.view == "top" and not model.world.height:
        links.say(
            (*key, "launch", "elevation"), "a flat top view has no elevation", hint="write world.height = true for lobs"
        )
    if ability.aim.elevation is not None and model.world.size == 2:
        links.say((*key, "aim", "elevation"), "in 2D aim.direction says it all; elevation is for 3D")


def pairs(links: Links) -> None:
    """Anchors are linked with those of an ability that leaves some."""
    model = links.model
    anchors = [name for name, one in model.ability.items() if any(a.anchor for a in one.on.values())]
    for name, ability in model.ability.items():
        for group, answer in ability.on.items():
            if answer.anchor is not None and answer.anchor.pairs_with is not None:
                at = ("ability", name, "on", group, "anchor", "pairs_with")
                links.name(at, answer.anchor.pairs_with, "ability with anchors", anchors)
            if answer.anchor is not None and answer.anchor.size is not None:
                _fits(links, ("ability", name, "on", group, "anchor", "size"), group, answer.anchor.size)
            if answer.anchor is not None and answer.anchor.opens is not None:
                _opens(links, ("ability", name, "on", group, "anchor", "opens"), name, answer.anchor.pairs_with)


def _fits(links: Links, at: tuple, group: str, size: float) -> None:
    """Somewhere a surface is flat so far about a point, be it that bodies of a group lie flush."""
    model = links.model
    bodies = [*model.obstacle.values(), *model.target.values(), *model.shooter.values()]
    bodies = [one for one in bodies if group == ANYTHING or group in groups_of(one)]
    longest = sum(_flat(one, model.world.size) for one in bodies)
    if bodies and longest < 2.0 * size:
        whom = "anything" if group == ANYTHING else f"anything in {group}"
        most = f"{longest:.4g} {model.world.unit}"
        says = f"fits nowhere on {whom}: flat there is at most {most} across, and it needs {2.0 * size:.4g}"
        links.say(at, says, size, "leave size away to place it anywhere")


def _flat(body, axes: int) -> float:
    """At most how long (units) a straight line on a body may be about which it is flat; inf: who knows."""
    if (parts := getattr(body, "parts", None)) or getattr(body, "wave", None):
        return sum(_flat(part, axes) for part in parts) if parts and not getattr(body, "wave", None) else math.inf
    shape = body.shape
    if shape is None or shape.ball is not None:
        return 0.0
    if shape.box is not None:
        return math.hypot(*shape.box)
    if shape.capsule is not None:
        return math.dist(*shape.capsule) if axes == 2 else 0.0
    if shape.wall is not None:
        return math.hypot(math.dist(*shape.wall), shape.thick or 0.0, shape.tall or 0.0)
    return math.inf


def _opens(links: Links, at: tuple, name: str, mate: str | None) -> None:
    """What opens needs another end, that is open too."""
    every = links.model.ability.items()
    marks = {who: [one.anchor for one in each.on.values() if one.anchor] for who, each in every}
    mates = {who for who, own in marks.items() if any(one.pairs_with == name for one in own)}
    mates = mates if mate is None else {mate}
    if not mates:
        links.say(at, "leads nowhere: it is linked with nothing", hint="write pairs_with, the ability of the other end")
    elif not any(one.opens is not None for who in mates for one in marks.get(who, [])):
        links.say(at, "leads nowhere: the other end is not open", hint=f"write opens for {min(mates)} too")


def _met(links: Links, key: tuple, answer) -> None:
    """What can follow where projectiles meet: they have no health, and nothing to lie on."""
    if answer.then in ("slide", "lodge"):
        links.say((*key, "then"), "is for bodies; projectiles meet in the air", answer.then, '"end", "pass", "bounce"')
    if answer.damage or answer.heals:
        links.say((*key, "damage"), "projectiles have no health", hint="write removes = true to end the other")
    for name in ("bounces", "friction", "rests", "least_speed", "pierces", "speed_kept", "damage_kept"):
        if getattr(answer, name) is not None:
            links.say((*key, name), "is for bodies, not for projectiles that meet")


def _knocks(links: Links, key: tuple, ability, group: str) -> None:
    """A knock needs a momentum to give, and somebody with a mass to take it."""
    model = links.model
    bodies = [*model.obstacle.values(), *model.target.values()]
    if not any(body.mass is not None for body in bodies if group == ANYTHING or group in groups_of(body)):
        whom = "nobody" if group == ANYTHING else f"nobody in {group}"
        links.say(key, f"{whom} has a mass, so nothing is pushed", hint="write target.NAME.mass or obstacle.NAME.mass")
    if ability.on[group].knock.impulse is None and ability.mass is None:
        links.say(key, "by momentum needs the mass of the projectile", hint="write ability mass, or knock.impulse")


def _moments(links: Links, key: tuple, ability) -> None:
    """Moments of a flight that can come."""
    model, when = links.model, ability.when
    if when.near is not None and when.near.group is not None:
        links.name((*key, "when", "near", "group"), when.near.group, "group", links.names.groups)
    elif when.near is not None and not model.target:
        links.say((*key, "when", "near"), "there is no target to be near to", hint="write when.near.group")
    if when.apex is not None and model.world.view == "top" and not model.world.height:
        links.say((*key, "when", "apex"), "a flat top view has no up, so no apex")
    if when.again is not None and when.again.then == "let go" and ability.flight.orbit is None:
        links.say((*key, "when", "again", "then"), "there is no orbit to be let go from", "let go", '"end", "go on"')
    if when.again is not None and when.again.button is not None:
        fires = when.again.also_fires or (when.again.none_left == "fire" and "none_left" in when.again.model_fields_set)
        if fires and when.again.button != ability.firing.button:
            links.say((*key, "when", "again", "button"), "a button of its own never fires", when.again.button)
    there = when.again if when.again is not None and when.again.none_left == "there" else None
    if there is not None and (there.sends is not None or not (there.blink or there.blast)):
        says = "needs a blink or a blast that happens there, and nothing that is sent"
        links.say((*key, "when", "again", "none_left"), says, "there", '"fire", "nothing"')
    life = ability.limits.life
    if when.age is not None and isinstance(life, float):
        at, most = when.age.at.seconds(model.tick.rate), life.seconds(model.tick.rate)
        if at >= most:
            allowed = f"less than limits.life, {most:g} s"
            links.say((*key, "when", "age", "at"), "is not before its life is over", at, allowed)


def _flight(links: Links, key: tuple, ability) -> None:
    """What acts in the air must fit the view and the scene."""
    model, flight, size = links.model, ability.flight, links.model.world.size
    links.vector((*key, "flight", "push"), flight.push)
    homing, sway, launch = flight.homing, flight.sway, ability.launch
    if homing is not None and homing.group is not None:
        links.name((*key, "flight", "homing", "group"), homing.group, "group", links.names.groups)
    elif homing is not None and homing.body is not None:
        links.name((*key, "flight", "homing", "body"), homing.body, "body", links.names.bodies)
    elif homing is not None and homing.toward == "target" and not model.target:
        links.say((*key, "flight", "homing"), "there is no target to follow", hint="write homing.group, or a target")
    if sway is not None and sway.up and size == 2:
        links.say((*key, "flight", "sway", "up"), "in 2D it sways across only", sway.up)
    if sway is not None and not sway.across and size == 2:
        links.say((*key, "flight", "sway", "across"), "is missing: how far it sways", allowed="units")
    if flight.instant and launch.arc is not None:
        links.say((*key, "launch", "arc"), "an instant shot flies straight; there is no arc to solve", launch.arc)
    for group, one in ability.on.items() if flight.instant else ():
        if getattr(one.damage, "by", "") == "speed":
            links.say((*key, "on", group, "damage", "by"), "an instant shot has no speed to go by", "speed", '"flown"')
    if flight.instant and ability.aim.by == "lead":
        links.say((*key, "aim", "by"), "an instant shot needs no lead", "lead", 'aim.by = "nearest"')
    if flight.orbit is not None and launch.arc is not None:
        links.say((*key, "launch", "arc"), "what goes round its shooter has no arc to solve", launch.arc)
    if launch.speed == 0.0 and launch.arc is not None:
        links.say((*key, "launch", "speed"), "an arc cannot be solved from a speed of 0", launch.speed)
    if flight.homing is not None and flight.homing.law != "blend" and launch.speed == 0.0 and flight.thrust is None:
        says = "stands still, and homing turns what flies: it has nothing to turn"
        links.say((*key, "launch", "speed"), says, launch.speed, 'a speed, flight.thrust, or homing.law = "blend"')


STIFFEST = 250.0
"""Drag (1/s) times tick beyond which a shot stands still within a small part of a tick."""


def _drag(links: Links, key: tuple, ability) -> None:
    """Drag in exact step is followed as long as it leaves something to follow."""
    model, drag = links.model, ability.flight.drag
    if model.tick.motion != "exact" or (drag.linear == drag.square == 0.0 and drag.per_tick == 1.0):
        return
    if model.tick.frames is None or isinstance(model.tick.frames, str):
        rate = model.tick.rate
    else:
        rate = 1.0 / max(model.tick.frames)
    most = STIFFEST * rate
    pull = model.world.pull * abs(ability.flight.gravity_share)
    linear = drag.linear - math.log(drag.per_tick) * rate
    if linear > most:
        word = "linear" if drag.linear > most else "per_tick"
        least = f"at least {math.exp(-STIFFEST):.3g}" if word == "per_tick" else f"at most {most:g} /s"
        says = f"stops a shot within a small part of a tick of {1.0 / rate:.4g} s"
        links.say((*key, "flight", "drag", word), says, getattr(drag, word), f"{least} in exact step")
    elif drag.square * pull > 0.25 * most * most:
        says = f"leaves a falling shot {math.sqrt(pull / drag.square):.3g} {model.world.unit}/s"
        allowed = f"at most {0.25 * most * most / pull:.4g} /{model.world.unit} in exact step"
        links.say((*key, "flight", "drag", "square"), says, drag.square, allowed)


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
    if firing.min_hold is not None and firing.full_after is not None:
        least, full = (getattr(firing, one).seconds(model.tick.rate) for one in ("min_hold", "full_after"))
        if least > full:
            links.say((*key, "firing", "min_hold"), "is longer than full_after", least, f"at most {full:g} s")
    if firing.cancelled_by_damage and not any(shooter.health for shooter in model.shooter.values()):
        hint = "give the shooter health, as shooter.keeper.health = 100"
        links.say((*key, "firing", "cancelled_by_damage"), "no shooter has health, so none takes damage", hint=hint)
    for path, value in ability.dependent:
        if value.by == "held" and firing.kind != "charge":
            says = f'hangs on how long the button was held, and kind = "{firing.kind}" does not charge'
            links.say((*key, *path), says, hint='write firing.kind = "charge"')
        if value.end is not None and value.over is None and not (value.by == "held" and firing.full_after):
            also = ", or firing.full_after" if value.by == "held" else ""
            links.say((*key, *path), f"start and end need over{also}")


def _launch_and_aim(links: Links, key: tuple, ability) -> None:
    """What in a launch and an aim must fit the view and the scene."""
    model, launch, aim = links.model, ability.launch, ability.aim
    view, size = model.world.view, model.world.size
    links.vector((*key, "launch", "velocity"), launch.velocity)
    if launch.velocity is not None and not any(launch.velocity):
        links.say((*key, "launch", "velocity"), "has no length: the shot would not leave", launch.velocity)
    if launch.ring == 360.0 and size == 3:
        allowed = "below 360; 180 spreads them all around, across the heading"
        links.say((*key, "launch", "ring"), "is one direction for all: straight back", launch.ring, allowed)
    for name in [launch.clears] if isinstance(launch.clears, str) else launch.clears or []:
        links.name((*key, "launch", "clears"), name, "body", links.names.bodies)
    if aim.assist is not None and aim.assist.group is not None:
        links.name((*key, "aim", "assist", "group"), aim.assist.group, "group", links.names.groups)
    if aim.elevation_within is not None and view == "top" and not model.world.height:
        links.say((*key, "aim", "elevation_within"), "a flat top view has no elevation", aim.elevation_within)
    if aim.direction_within is not None and view == "side":
        hint = "write elevation_within; a shooter in side view does not aim behind itself with it"
        links.say((*key, "aim", "direction_within"), "in side view an aim turns in elevation only", hint=hint)
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
