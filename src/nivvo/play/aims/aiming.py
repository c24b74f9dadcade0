"""From an ability, its shooter and the input of a moment to where a shot leaves and how."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from nivvo.core.launching.muzzle import AT_POINT, BEHIND, Leaving, through
from nivvo.core.launching.spread import cone, draw, fan, ring, scatter
from nivvo.core.launching.turning import toward
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import added, dot, length_of, unit
from nivvo.core.pool import HOLDS, ORBITS
from nivvo.plan.abilities.ability import SEEKS, Ability
from nivvo.plan.abilities.flight import INSTANT
from nivvo.plan.abilities.numbers import AT_FIRST, Moment, resolve
from nivvo.plan.scene import Scene
from nivvo.play.aims.arcs import lead, solve, task_of
from nivvo.play.aims.seeking import angle_between, bent, seek
from nivvo.play.aims.sighting import sight
from nivvo.play.aims.spawning import obstructed
from nivvo.play.aims.stance import Stance, stance_of
from nivvo.play.stage.stage import Stage
from nivvo.play.ways.motion import NOWHERE

ODD = {
    AT_POINT: "the aim point is at the muzzle: fired along the facing",
    BEHIND: "the aim point is nearer than the muzzle: fired outward",
}


class Asked(NamedTuple):
    """A shot that has been asked for: when, of which ability, by whom, which one of theirs, and when pressed.

    held : how long its button was held (counts of the clock). use : which use of the ability it belongs to.
    """

    time: int
    ability: str
    shooter: str
    number: int
    pressed: int
    held: int = 0
    use: int = 0


class Sent(NamedTuple):
    """One projectile of a shot: where it starts, and its velocity (3,), world."""

    at: np.ndarray
    velocity: np.ndarray


class Shot(NamedTuple):
    """One instant of firing, worked out.

    at, heading, velocity : (3,) world; heading is a unit vector, velocity in units/s
    clearance : gap between projectile and shooter's body at the muzzle (units)
    aim_point : what it was aimed at (3,), or None
    remains : by how many degrees limits kept it from its aim
    note : what is odd about the aim, or how it was solved, or ""
    refused : why it was not fired after all, or ""
    sent : its projectiles; the first alone unless it is spread or leaves by several muzzles
    moment : by what its numbers were settled. radius : of its projectiles (units). use : which use it belongs to
    stance, parent : of one that a contact sent: None, and the key of what met it there
    sought : the number of the body that it was aimed at, or -1
    """

    number: int
    ability: str
    shooter: str
    muzzle: str
    time: int
    pressed: int
    stance: Stance | None
    at: np.ndarray
    heading: np.ndarray
    velocity: np.ndarray
    speed: float
    clearance: float
    aim_point: np.ndarray | None
    note: str
    refused: str = ""
    remains: float = 0.0
    sent: tuple[Sent, ...] = ()
    moment: Moment = AT_FIRST
    radius: float = 0.0
    use: int = 0
    parent: int = -1
    sought: int = -1

    @property
    def several(self) -> bool:
        """Whether it sends more than one projectile, or one with a spread of its own."""
        return len(self.sent) > 1


@dataclass
class Aimed:
    """A direction being worked out: the muzzle, the heading, how fast, the point; words and reasons on the way."""

    leaving: Leaving
    velocity: np.ndarray
    point: np.ndarray | None
    notes: list[str]
    refused: str = ""
    remains: float = 0.0
    sought: int = -1


def moment_of(scene: Scene, asked: Asked) -> Moment:
    """By what the numbers of a shot are settled."""
    return Moment(asked.number, asked.held, scene.seed, f"{asked.shooter}.{asked.ability}")


def shoot(stage: Stage, asked: Asked, cursor=None, alone: bool = False) -> Shot:
    """Work out a shot. ``cursor`` (3,) in place of the player's; ``alone``: without spread."""
    ability, moment = stage.scene.abilities[asked.ability], moment_of(stage.scene, asked)
    shots = [_by_muzzle(stage, asked, moment, name, cursor, alone) for name in _muzzles(stage.scene, ability, asked)]
    if len(shots) == 1:
        if not shots[0].refused:
            stage.players[asked.shooter].last_aim[asked.ability] = shots[0].heading
        return shots[0]
    fired = [shot for shot in shots if not shot.refused] or shots[:1]
    notes = "; ".join(dict.fromkeys(note for shot in fired for note in [shot.note] if note))
    names = " and ".join(shot.muzzle for shot in fired)
    lost = [f"{shot.muzzle}: {shot.refused}" for shot in shots if shot.refused and shot not in fired]
    sent = tuple(one for shot in fired for one in shot.sent)
    if not fired[0].refused:
        stage.players[asked.shooter].last_aim[asked.ability] = fired[0].heading
    return fired[0]._replace(muzzle=names, note="; ".join([notes, *lost] if notes else lost), sent=sent)


def muzzles_of(scene: Scene, asked: Asked) -> list[str | None]:
    """The muzzles that an ability may leave by; None for its shooter's first."""
    return list(scene.abilities[asked.ability].muzzles) or [None]


def _muzzles(scene: Scene, ability: Ability, asked: Asked) -> list[str | None]:
    """The muzzles that a shot leaves by."""
    names = muzzles_of(scene, asked)
    if len(names) < 2:
        return names
    if ability.muzzle_order == "all at once":
        return names
    if ability.muzzle_order == "random":
        return [names[int(draw(scene.seed, f"{asked.shooter}.{asked.ability}.muzzle", asked.number) * len(names))]]
    return [names[asked.number % len(names)]]


def _by_muzzle(stage: Stage, asked: Asked, moment: Moment, muzzle: str | None, cursor, alone: bool) -> Shot:
    scene, time, shooter = stage.scene, asked.time, asked.shooter
    ability = scene.abilities[asked.ability]
    stance = stance_of(stage, ability, shooter, time, muzzle)
    aimed, radius = _aimed(stage, ability, asked, moment, stance, cursor), scene.radius(ability, moment)
    _limit(ability, stance, aimed)
    if cursor is None:
        _turn(stage, ability, stance, aimed, time)
    _unblock(stage, ability, stance, aimed, time)
    _free(stage, ability, stance, aimed, radius, time)
    leaving = aimed.leaving
    if ability.capsule:
        tail = np.linspace(0.0, ability.length, 9)
        clear = min(
            stage.gap_at(stage.number[shooter], one, stance.place)
            for one in leaving.at - tail[:, None] * leaving.heading
        )
    else:
        clear = stage.gap_at(stage.number[shooter], leaving.at, stance.place)
    if stance.lag > 0.0:
        aimed.notes.append(f"its carrier lags by {stance.lag:.4g} {scene.unit}")
    own = ability.inherit_velocity * stance.velocity if ability.inherit_velocity else NOWHERE
    velocities = () if alone else spread(scene, ability, moment, stance.facing, aimed.velocity)
    velocities = velocities or (aimed.velocity,)
    places = [leaving.at] * len(velocities)
    if goes_round(ability, velocities):
        # What goes round has no use for the speed of its launch: it may be 0, and is spread all the same.
        way = aimed.velocity if aimed.velocity.any() else leaving.heading
        places = places_round(stage, ability, shooter, moment, time, leaving.at, way)
    return Shot(
        number=asked.number,
        ability=asked.ability,
        shooter=shooter,
        muzzle=stance.muzzle,
        time=time,
        pressed=asked.pressed,
        stance=stance,
        at=leaving.at,
        heading=leaving.heading,
        velocity=aimed.velocity + own,
        speed=length_of(aimed.velocity),
        clearance=scene.settled(clear - radius),
        aim_point=aimed.point,
        note="; ".join(note for note in [ODD.get(leaving.odd, leaving.odd), *aimed.notes] if note),
        refused=aimed.refused,
        remains=aimed.remains,
        sent=tuple(Sent(at, velocity + own) for at, velocity in zip(places, velocities, strict=True)),
        moment=moment,
        radius=radius,
        use=asked.use,
        sought=aimed.sought,
    )


def goes_round(ability: Ability, ways: tuple[np.ndarray, ...]) -> bool:
    """Whether several of one shot go round their shooter, each from a place of its own."""
    return ability.flight.shifts == ORBITS and len(ways) > 1


def places_round(
    stage: Stage, ability: Ability, shooter: str, moment: Moment, time: int, at: np.ndarray, way: np.ndarray
) -> list[np.ndarray]:
    """Where those of a shot begin that go round: as far about their shooter's middle as they are spread about a way.

    In side view in its plane, elsewhere about the vertical: or all of a shot would go round in one place.
    """
    frame, level = stage.scene.frame, stage.scene.frame.level(way)
    way = level if frame.view != "side" and level.any() else way
    off = at - stage.centre(stage.number[shooter], time)
    (a, b), (x, y) = ((dot(v, frame.first), dot(v, frame.second)) for v in (way, off))
    places = []
    for one in spread(stage.scene, ability, moment, stage.players[shooter].facing(time), way):
        c, d = dot(one, frame.first), dot(one, frame.second)
        size = math.hypot(a, b) * math.hypot(c, d)
        turned, aside = ((a * c + b * d) / size - 1.0, (a * d - b * c) / size) if size else (0.0, 0.0)
        places.append(at + (turned * x - aside * y) * frame.first + (aside * x + turned * y) * frame.second)
    return places


def speed_of(scene: Scene, ability: Ability, moment: Moment, time: int) -> tuple[float | None, str]:
    """The launch speed of a shot (units/s; None if the arc brings its own), and what is to be told about it."""
    keys = ability.launch
    if ability.flight.instant:
        return resolve(ability.limits.reach, moment, "reach") / INSTANT, "no travel time"
    if keys.velocity is not None:
        return float(np.sqrt(added(x * x for x in keys.velocity))), ""
    if keys.impulse is not None:
        return resolve(keys.impulse, moment, "impulse") / ability.mass, ""
    if keys.one_tick_force is not None:
        tick = scene.ticks.holding(time)
        dt = (scene.ticks.edge(tick + 1) - scene.ticks.edge(tick)) / UNITS
        speed = keys.one_tick_force * dt / ability.mass
        return speed, f"{speed:.5g} {scene.unit}/s from the force over a tick of {1e3 * dt:.4g} ms"
    return (None if keys.speed is None else resolve(keys.speed, moment, "speed")), ""


def _aimed(stage: Stage, ability: Ability, asked: Asked, moment: Moment, stance: Stance, cursor) -> Aimed:
    """Muzzle, heading and velocity as the aim and the launch have them, before limits."""
    scene, player, aim, time = stage.scene, stage.players[stance.shooter], ability.aim, asked.time
    speed, told = speed_of(scene, ability, moment, time)
    notes, nothing, sought, point = [told] if told else [], "", None, None
    if aim.by == "cursor":
        point = player.cursor(time) if cursor is None else cursor
        nothing = "there is no cursor" if point is None else ""
    elif aim.by in SEEKS:
        sought = seek(stage, ability, stance, time)
        point = None if sought is None else stage.centre(sought, time)
        nothing = "nothing to aim at" if sought is None else ""
    elif aim.by == "sight":
        seen = sight(stage, ability, stance.shooter, time)
        point, sought = seen.point, seen.body
        nothing = "" if seen.body is not None else "the sight meets nothing"
        notes += [f"the sight begins inside {seen.inside}, and looks through it"] if seen.inside else []
        notes += [] if seen.body is None else [f"the sight is on {stage.names[seen.body]}"]
    arc = None
    if not nothing and aim.by == "lead":
        arc = lead(task_of(stage, ability, moment, time, stance, speed), sought)
        nothing, arc = (arc.refused, None) if arc.refused else ("", arc)
    elif point is not None and not nothing and ability.launch.arc is not None:
        arc = solve(task_of(stage, ability, moment, time, stance, speed), point)
    if arc is not None:
        aimed = Aimed(Leaving(arc.at, unit(arc.velocity), arc.note), arc.velocity, point, notes, arc.refused)
    elif nothing:
        aimed = _without(scene, ability, player.last_aim.get(asked.ability), stance, moment, point, nothing, notes)
    else:
        aimed = Aimed(
            _leaving(ability, stance, moment, point, player.stick(time, aim, asked.ability)),
            stance.facing,
            point,
            notes,
        )
    aimed.sought = -1 if sought is None else sought
    if arc is None and not aimed.refused:
        if aim.assist is not None:
            heading, words = bent(stage, aim.assist, stance, aimed.leaving.heading, time)
            aimed.leaving = Leaving(stance.muzzle_at(heading), heading, aimed.leaving.odd)
            aimed.notes += [words] if words else []
        if speed is None:
            aimed.refused = f'{nothing}, and arc = "{ability.launch.arc}" has no speed of its own'
        top = float(ability.flight.acts["top"][0])
        if speed is not None and speed > top and ability.flight.acts["tops"][0] == HOLDS:
            aimed.notes.append(f"launched above its top speed of {top:.5g} {scene.unit}/s, which does not brake it")
        aimed.velocity = (1.0 if speed is None else speed) * aimed.leaving.heading
        if ability.launch.velocity is not None:
            _by_components(ability, stance, aimed)
    return aimed


def _without(
    scene: Scene, ability: Ability, last, stance: Stance, moment: Moment, point, nothing: str, notes: list[str]
) -> Aimed:
    """What is done with nothing to aim at."""
    otherwise = ability.aim.without_target
    if otherwise == "refuse":
        leaving = Leaving(stance.muzzle_at(stance.facing), stance.facing, "")
        return Aimed(leaving, stance.facing, None, notes, nothing)
    if otherwise == "far":
        if ability.aim.by != "sight":
            point = stance.pivot + ability.aim.sight_range * stance.facing
        leaving = through(
            stance.frame, stance.origin, stance.offset, stance.body, stance.facing, point, stance.follows_aim
        )
        return Aimed(leaving, stance.facing, point, [*notes, f"{nothing}: fired at its far point"])
    heading, words = stance.facing, "fired along the facing"
    if otherwise == "keep" and last is not None:
        heading, words = last, "fired along the last aim"
    if ability.launch.elevation is not None:
        heading = stance.frame.raised(heading, resolve(ability.launch.elevation, moment, "elevation"))
    return Aimed(Leaving(stance.muzzle_at(heading), heading, ""), heading, None, [*notes, f"{nothing}: {words}"])


def _by_components(ability: Ability, stance: Stance, aimed: Aimed) -> None:
    """The velocity that is written as components along the aim's level forward, its right, and up."""
    frame, parts = stance.frame, ability.launch.velocity
    level = unit(frame.level(aimed.leaving.heading))
    level = level if level.any() else stance.facing
    forward, right, up = frame.triad(level, stance.facing)
    axes = (forward, up) if frame.view == "side" else (forward, right, up)
    velocity = sum(part * axis for part, axis in zip(parts, axes, strict=False))
    heading = unit(velocity)
    aimed.velocity = velocity
    aimed.leaving = Leaving(stance.muzzle_at(heading), heading, aimed.leaving.odd)


def _limit(ability: Ability, stance: Stance, aimed: Aimed) -> None:
    """Turn the shot back into what it may aim at, and note the angle that remained."""
    if aimed.refused:
        return
    limited, aimed.remains = within_limits(ability, stance, aimed.leaving.heading)
    if aimed.remains > 0.0:
        aimed.notes.append(f"held by its limits: {aimed.remains:.4g}° remain to the aim")
        speed = length_of(aimed.velocity)
        aimed.leaving, aimed.velocity = Leaving(stance.muzzle_at(limited), limited, ""), speed * limited


def within_limits(ability: Ability, stance: Stance, heading: np.ndarray) -> tuple[np.ndarray, float]:
    """A heading (3,) turned back to where an ability may aim, and by how much (degrees)."""
    aim, frame, limited = ability.aim, stance.frame, heading
    if aim.direction_within is None and aim.elevation_within is None:
        return heading, 0.0
    if aim.direction_within is not None:
        base = float(frame.direction_of(stance.facing))
        off = (float(frame.direction_of(heading)) - base + 180.0) % 360.0 - 180.0
        kept = min(max(off, aim.direction_within[0]), aim.direction_within[1])
        if kept != off:
            limited = frame.direction(base + kept)
            limited = frame.raised(limited, float(frame.elevation(heading))) if frame.vertical else limited
    if aim.elevation_within is not None:
        level = frame.level(heading)
        if frame.view == "side" and float(dot(level, stance.facing)) < 0.0:
            level = stance.facing
        angle = float(frame.elevation(limited))
        kept = min(max(angle, aim.elevation_within[0]), aim.elevation_within[1])
        if kept != angle or level is stance.facing:
            limited = frame.raised(stance.facing if level is stance.facing else limited, kept)
    return limited, angle_between(limited, heading)


def leaving(stage: Stage, asked: Asked) -> tuple[np.ndarray, np.ndarray]:
    """Where a shot would leave from (3,), and along which unit vector (3,), by the first muzzle of its ability."""
    shot = _by_muzzle(stage, asked, moment_of(stage.scene, asked), muzzles_of(stage.scene, asked)[0], None, True)
    return shot.at, shot.heading


def _turn(stage: Stage, ability: Ability, stance: Stance, aimed: Aimed, time: int) -> None:
    """Let the shot leave as far as its aim has turned by now, and note the angle that remained."""
    if not ability.aim.turns or aimed.refused:
        return
    wanted, speed = aimed.leaving.heading, length_of(aimed.velocity)
    heading = _turned(stage, ability, stance, wanted, time)
    if heading is not wanted:
        remains = angle_between(heading, wanted)
        aimed.remains += remains
        aimed.notes.append(f"it still turns: {remains:.4g}° remain to the aim")
        aimed.leaving, aimed.velocity = Leaving(stance.muzzle_at(heading), heading, ""), speed * heading


def _turned(stage: Stage, ability: Ability, stance: Stance, wanted: np.ndarray, time: int) -> np.ndarray:
    """Where an aim points by a time (clock) that turns toward ``wanted`` (3,): a launch's own elevation needs none."""
    frame, aim, raised = stage.scene.frame, ability.aim, ability.launch.elevation is not None
    if raised and frame.view == "side":
        return wanted
    since, heading, faced = stage.players[stance.shooter].pointed(ability.name, stance.muzzle)
    if frame.view == "side" and float(dot(faced, stance.facing)) < 0.0:
        # With its shooter it is mirrored.
        heading = heading - 2.0 * dot(heading, frame.first) * frame.first
    base = None if aim.direction_within is None else float(frame.direction_of(stance.facing))
    most = aim.turn_rate * max(time - since, 0) / UNITS
    if not raised:
        return toward(frame, heading, wanted, most, base)
    level = unit(frame.level(wanted))
    if not level.any():
        return wanted
    turned = toward(frame, unit(frame.level(heading)), level, most, base)
    return wanted if turned is level else frame.raised(turned, float(frame.elevation(wanted)))


def follow(stage: Stage, asked: Asked, muzzle: str | None) -> None:
    """Keep where an aim points at a time, on its way to where it would fire then; with nothing to aim at it stays."""
    ability, moment = stage.scene.abilities[asked.ability], moment_of(stage.scene, asked)
    stance, player = stance_of(stage, ability, asked.shooter, asked.time, muzzle), stage.players[asked.shooter]
    since, heading, _ = player.pointed(asked.ability, stance.muzzle)
    if asked.time < since:
        return
    aimed = _aimed(stage, ability, asked, moment, stance, None)
    _limit(ability, stance, aimed)
    if not aimed.refused:
        heading = _turned(stage, ability, stance, aimed.leaving.heading, asked.time)
    player.pointing[asked.ability, stance.muzzle] = asked.time, heading, stance.facing


def _unblock(stage: Stage, ability: Ability, stance: Stance, aimed: Aimed, time: int) -> None:
    """Whether something hides from the muzzle what the sight is on: told, or refused."""
    if ability.aim.by != "sight" or aimed.point is None or aimed.refused:
        return
    scene, at = stage.scene, aimed.leaving.at
    way = aimed.point - at
    among = [k for k in stage.around(at, way, 0.0, time=time) if stage.names[k] != stance.shooter]
    found = stage.first_on_line(at, way, 0.0, time, among)
    # What the point lies on is met there and hides nothing.
    if found is None or found[1] >= 1.0 - 1e-9 or abs(stage.gap(found[0], aimed.point, time)) <= 1e-9 * scene.size:
        return
    far = length_of(way) * found[1]
    words = f"blocked: {stage.names[found[0]]} hides the aim point, {far:.4g} {scene.unit} from the muzzle"
    if ability.aim.line_blocked == "refuse":
        aimed.refused = words
    else:
        aimed.notes.append(words)


def _free(stage: Stage, ability: Ability, stance: Stance, aimed: Aimed, radius: float, time: int) -> None:
    """Whether something solid stands in the muzzle: told, pushed out of, or refused."""
    if aimed.refused:
        return
    words, free = obstructed(stage, ability, stance, aimed.leaving.at, radius, time)
    if not words:
        return
    if ability.muzzle_blocked == "fire anyway":
        aimed.notes.append(f"obstructed: {words}")
    elif ability.muzzle_blocked == "refuse" or free is None:
        aimed.refused = f"obstructed: {words}" + (
            "" if ability.muzzle_blocked == "refuse" else ", and no free place is near"
        )
    else:
        away = free - aimed.leaving.at
        far = f"{length_of(away):.4g} {stage.scene.unit}"
        aimed.notes.append(f"obstructed: {words}; pushed out by {far}")
        aimed.leaving = aimed.leaving._replace(at=free)


def spread(scene: Scene, ability: Ability, moment: Moment, facing, velocity) -> tuple[np.ndarray, ...]:
    """Velocities of the projectiles of a shot that is spread; none for one that is not."""
    keys, frame = ability.launch, scene.frame
    if keys.fan is keys.ring is keys.cone is keys.scatter is None:
        return ()
    heading, speed = unit(velocity), length_of(velocity)
    count = max(round(resolve(keys.count, moment, "count")), 1)

    def draws() -> list[list[float]]:
        return [[draw(moment.seed, moment.name, moment.shot, k, which) for k in range(count)] for which in range(2)]

    if keys.fan is not None:
        headings = fan(frame, heading, facing, count, resolve(keys.fan, moment, "fan"), keys.fan_roll)
    elif keys.ring is not None:
        headings = ring(frame, heading, facing, count, resolve(keys.ring, moment, "ring"))
    elif keys.cone is not None:
        headings = cone(frame, heading, facing, resolve(keys.cone, moment, "cone"), *draws())
    else:
        headings = scatter(frame, heading, facing, resolve(keys.scatter, moment, "scatter"), *draws())
    return tuple(speed * one for one in headings)


def _leaving(ability: Ability, stance: Stance, moment: Moment, point, stick) -> Leaving:
    """Muzzle and heading of a shot that is not solved: along the aim, or raised to an elevation."""
    frame, facing, odd = stance.frame, stance.facing, ""
    elevation = ability.launch.elevation
    if point is not None:
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
        heading = frame.raised(heading, resolve(elevation, moment, "elevation"))
    return Leaving(stance.muzzle_at(heading), heading, odd)
