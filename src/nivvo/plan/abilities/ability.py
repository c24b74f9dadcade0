"""An ability as it runs: what turns its button into shots, where it aims, how it leaves, flies and ends."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers import clock
from nivvo.core.numbers.curves import Curve
from nivvo.core.numbers.frame import AXES, Frame, sincos
from nivvo.core.world.answers import answers_to
from nivvo.core.world.meetings import OTHERS, OWN
from nivvo.plan.abilities.effects import Effect, Removes, effects_of, moments_of
from nivvo.plan.abilities.effects import Moment as Effected
from nivvo.plan.abilities.flight import FAR, Air, Flight, flight_of
from nivvo.plan.abilities.numbers import Moment, counted, curve_of, resolve
from nivvo.spec.abilities import ability as written
from nivvo.spec.checking.links import ANYTHING
from nivvo.spec.scenes.values import LONGEST, Depends, Duration, Table

SHOT_SIZE = 0.1
"""Metres: radius of a projectile that none is written for."""

LEAST_SPEED = 0.1
"""Metres a second along the normal below which it bounces no more."""

MOST_SETTLES = 3.0
"""Ticks of what presses it on, whose gain it is to have at least in a game's own step: no more is asked for."""

ROLLING = 0.02
"""Share of what presses it on that slows what rolls, unless it is written."""

SEEKS = written.SEEKS
STRAYS = {"path": pool.ALONG, "launch": pool.FROM_LAUNCH, "shooter": pool.FROM_OWNER}
CURVES = {
    "age": pool.DEPENDS_AGE,
    "flown": pool.DEPENDS_FLOWN,
    "off_middle": pool.DEPENDS_ASIDE,
    "from_front": pool.DEPENDS_FRONT,
    "speed": pool.DEPENDS_SPEED,
}
"""What damage may go by at the contact, and the codes that the engine has for it."""

AS_WRITTEN = {float, int, str, bool, type(None)}
"""What is in a plan as it is written."""

KEYS = tuple(written.Ability.model_fields)

Number = float | Curve


class Heat(NamedTuple):
    """What a shot warms, what goes each second, down to what one waits."""

    per_shot: float
    cooling: float
    resume_at: float


class Firing(NamedTuple):
    """What turns a button into shots; durations in counts of the clock, None where there is none.

    interval : of a stream. full_seconds : full_after in seconds. ammo : None without end.
    """

    kind: str
    button: str
    interval: int | None
    rate: float | None
    shots: int | None
    on_release: str
    full_after: int | None
    full_seconds: float | None
    at_full: str
    min_hold: int | None
    under_min_hold: str
    confirm: str | None
    cancel: str | None
    gives_up_after: int | None
    cancels: tuple[str, ...]
    cancelled_by_damage: bool
    locks_movement: bool
    wind_up: int | None
    recovery: int | None
    cooldown: int | None
    shared_cooldown: str | None
    remembers: int | None
    ammo: int | None
    reload: int | None
    heat: Heat | None

    @property
    def buttons(self) -> tuple[str, ...]:
        """The buttons that it hears."""
        return tuple(word for word in (self.button, self.confirm, self.cancel) if word)


class Camera(NamedTuple):
    """Place (3,), [direction, elevation] (degrees), vertical field of view (degrees), screen (pixels)."""

    at: np.ndarray
    look: tuple[float, float]
    field_of_view: float
    screen: tuple[float, float]


class Assist(NamedTuple):
    """A little help: full angle of a cone, at most so many degrees, within a distance (units), of a group."""

    cone: float
    max_turn: float
    within: float | None
    group: int | None


class Aim(NamedTuple):
    """What turns input into a direction. group : its number, None for every target. sight_range : units.

    limited : whether direction or elevation are held within limits.
    """

    by: str
    direction: float | None
    elevation: float | None
    dead_zone: float
    snap: int | None
    turn_rate: float | None
    curve: float | None
    camera: Camera | None
    sight_range: float
    line_blocked: str
    group: int | None
    within: float | None
    cone: float
    nearest_by: str
    in_sight: bool
    without_target: str
    assist: Assist | None
    direction_within: tuple[float, float] | None
    elevation_within: tuple[float, float] | None

    @property
    def turns(self) -> bool:
        """Whether it turns no faster than a rate, and from tick to tick."""
        return self.turn_rate is not None and self.by != "stick"


class Launch(NamedTuple):
    """How fast, and how steep; or an arc that is solved. clears : numbers of bodies."""

    speed: Number | None
    elevation: Number | None
    velocity: tuple[float, ...] | None
    impulse: Number | None
    one_tick_force: float | None
    arc: str | None
    flight_time: float | None
    apex: float | None
    out_of_reach: str | None
    clears: tuple[int, ...] | None
    margin: float
    count: Number
    fan: Number | None
    fan_roll: float
    ring: Number | None
    cone: Number | None
    scatter: Number | None


class Limits(NamedTuple):
    """What ends a projectile by itself. life : counts, pool.FOREVER, or a curve (s). reach : units; inf without end.

    strays : code of what reach is measured along. in_the_air : None for any number.
    """

    life: int | Curve
    reach: Number
    strays: int
    in_the_air: int | None
    shared_limit: str | None
    when_full: str


FIELDS = (
    "keeps_speed", "keeps_damage", "pierces", "facing", "depth", "first_only", "ends_too", "otherwise", "enters",
)  # fmt: skip
MORE = (1.0, 1.0, -1, -1.0, 0.0, False, False, pool.END, True)


class Answer(NamedTuple):
    """What follows a contact with a group: a code of pool.THEN, and damage (units of health, at launch or later).

    bounce : restitution, friction, how many at most (-1: any), least speed along the normal (units/s), how it rests (a
    code of pool.RESTS), what slows it along a surface, and below how many ticks' gain it rests too.
    effects : what else it does, each of a kind of its own (``play/effects``). rule : the key
    that decided, or "default". more : the fields of ANSWERS in FIELDS.
    """

    then: int
    damage: Number
    written: bool
    bounce: tuple[float, float, int, float, int, float, float] = (0.0, 0.0, -1, 0.0, 0, 0.0, 0.0)
    effects: tuple[Effect, ...] = ()
    rule: str = "default"
    more: tuple[float, ...] = MORE

    @property
    def solid(self) -> bool:
        """Whether a touch is answered by more than letting it pass."""
        return self.then not in (pool.PASS, pool.IGNORE)


WHOSE = {"any": OWN | OTHERS, "own": OWN, "others": OTHERS}


class Met(NamedTuple):
    """What follows where a projectile meets one of an ability: a code of pool.THEN, restitution, bits of whose.

    removes : whether the other one ends.
    """

    then: int
    restitution: float
    whose: int
    removes: bool
    effects: tuple[Effect, ...]


class Heading(NamedTuple):
    """Which way a projectile points. front : unit vector (3,) of its model's pointed end."""

    follows: str
    spin: float | None
    front: np.ndarray

    def pointed(self, answers: tuple[Answer, ...]) -> dict[str, Any]:
        """Fields of ``pool.PARAMS``, where something sticks by another end than that which flies ahead."""
        k = FIELDS.index("facing")
        if self.follows == "velocity" or all(one.then != pool.LODGE or one.more[k] <= -1.0 for one in answers):
            return {}
        return {"points": 1}

    def turning(self, frame: Frame) -> tuple[float, np.ndarray, bool]:
        """How fast where it points turns (rad/s), about which unit vector (3,), and whether leftward it is mirrored."""
        return math.radians(self.spin or 0.0), frame.pole, frame.view == "side"


class Again(NamedTuple):
    """What a further press means while something is in the air; by a button of its own, if it has one."""

    then: str
    of: str
    none_left: str
    also_fires: bool
    button: str | None


class Ability(NamedTuple):
    """What one button does. answers : one a group, in the order of the scene's groups; rows : the same as the engine
    has them, but for what is settled at a launch. dealt : the damage to each group; None where some of it depends.

    radius : of its projectile (units). length : from the ball at its tip to that at its tail (units), 0 for a ball.
    effects : all that may follow a contact or a moment of its projectiles. curves : every number that depends, by its
    dotted key.
    """

    name: str
    shooter: str | None
    muzzles: tuple[str, ...]
    muzzle_order: str | None
    muzzle_blocked: str
    firing: Firing
    aim: Aim
    launch: Launch
    mass: float | None
    heading: Heading
    hits_owner: str
    inherit_velocity: float
    flight: Flight
    limits: Limits
    radius: Number
    length: float
    capsule: bool
    answers: tuple[Answer, ...]
    rows: np.ndarray
    dealt: tuple[float, ...] | None
    meets: dict[str, Met]
    again: Again | None
    moments: dict[str, Effected]
    effects: tuple[Effect, ...]
    curves: dict[str, Curve]

    @property
    def keeps_last(self) -> bool:
        """Whether somebody asks where its last projectile ended."""
        return self.again is not None and self.again.none_left == "there"

    @property
    def largest(self) -> float:
        """Radius of the largest projectile that it sends (units)."""
        return max(self.radius.values) if isinstance(self.radius, Curve) else self.radius


class Ground(Air, Protocol):
    """What an ability is planned on, beside its flight: the metre (units), bodies by name."""

    metre: float
    number: dict[str, int]


def ability_of(name: str, model: written.Ability, on: Ground, like: tuple[written.Ability, Ability] | None) -> Ability:
    """The plan of an ability. like : another written on the same, and its plan, which serves for what is alike."""
    frame, rate = on.frame, on.rate
    full = None if model.firing.full_after is None else model.firing.full_after.seconds(rate)
    if like is not None and model.firing is not like[0].firing:
        like = None

    def plain(value: Any) -> Any:
        if type(value) in AS_WRITTEN:
            return value
        if isinstance(value, Depends):
            return curve_of(value, full)
        if isinstance(value, Duration):
            return counted(value, rate)
        return tuple(value) if isinstance(value, list) else value

    def filled(kind: type, table: Any, **given: Any) -> Any:
        return kind(**given, **{key: plain(getattr(table, key)) for key in kind._fields if key not in given})

    def group(word: str | None) -> int | None:
        return None if word is None else on.groups.index(word)

    alike, made = (set(), {}) if like is None else (_alike(model, like[0]), like[1]._asdict())

    def make(field: str, of: tuple[str, ...], how: Callable[[], Any]) -> None:
        if not alike.issuperset(of):
            made[field] = how()

    def aim() -> Aim:
        one = model.aim
        camera = None if one.camera is None else filled(Camera, one.camera, at=frame.lift(one.camera.at))
        assist = None if one.assist is None else filled(Assist, one.assist, group=group(one.assist.group))
        far = one.sight_range or FAR * on.metre
        lacks = one.without_target or ("far" if one.by == "sight" else "facing")
        given = {"group": group(one.group), "sight_range": far, "without_target": lacks}
        return filled(Aim, one, camera=camera, assist=assist, **given)

    def launch() -> Launch:
        clears = [model.launch.clears] if isinstance(model.launch.clears, str) else model.launch.clears
        bodies = None if clears is None else tuple(k for body in clears for k in on.whole[body])
        return filled(Launch, model.launch, clears=bodies)

    def heading() -> Heading:
        return Heading(model.heading.follows, model.heading.spin, np.array(AXES[model.heading.front], dtype=float))

    def effects() -> tuple[Effect, ...]:
        return tuple(effect for one in (*made["answers"], *made["moments"].values()) for effect in one.effects)

    made["name"], made["shooter"], made["mass"] = name, model.shooter, model.mass
    for key in ("muzzle_order", "muzzle_blocked", "hits_owner", "inherit_velocity"):
        made[key] = getattr(model, key)
    make("muzzles", ("muzzle",), lambda: tuple(model.muzzles))
    make("firing", ("firing",), lambda: _firing(model.firing, rate, full, filled))
    make("aim", ("aim",), aim)
    make("launch", ("launch",), launch)
    make("heading", ("heading",), heading)
    make("flight", ("flight", "heading"), lambda: flight_of(model.flight, on, made["heading"]))
    make("limits", ("limits", "flight"), lambda: _limits(model, plain, on.metre))
    make("radius", ("radius", "shape"), lambda: _radius(model, on, plain))
    make("length", ("shape",), lambda: _length(model.shape))
    make("capsule", ("shape",), lambda: model.shape is not None and model.shape.capsule is not None)
    make("answers", ("on",), lambda: tuple(_answer(name, model, word, plain, on) for word in on.groups))
    make("rows", ("on",), lambda: _rows(made["answers"]))
    make("dealt", ("on",), lambda: _dealt(made["answers"]))
    make("meets", ("on",), lambda: _meets(name, model, on))
    make("again", ("when",), lambda: None if model.when.again is None else filled(Again, model.when.again))
    make("moments", ("when",), lambda: moments_of(name, model.when, on))
    make("effects", ("on", "when"), effects)
    made["curves"] = {".".join(map(str, path)): plain(value) for path, value in model.dependent}
    return Ability(**made)


def _alike(one: written.Ability, other: written.Ability) -> set[str]:
    """The keys that are alike in both; of a table only where it is the very same one."""
    a, b = one.__dict__, other.__dict__
    return {key for key in KEYS if a[key] is b[key] or not (isinstance(a[key], Table) or a[key] != b[key])}


def _firing(model: written.Firing, rate: float, full: float | None, filled: Callable[..., Any]) -> Firing:
    interval = None if model.interval is None else counted(model.interval, rate)
    if model.rate is not None:
        interval = clock.from_seconds(1.0 / model.rate)
    heat = None if model.heat is None else filled(Heat, model.heat)
    return filled(Firing, model, interval=interval, full_seconds=full, heat=heat)


def _dealt(answers: tuple[Answer, ...]) -> tuple[float, ...] | None:
    depends = any(isinstance(one.damage, Curve) for one in answers)
    return None if depends else tuple(one.damage for one in answers)


def _rows(answers: tuple[Answer, ...]) -> np.ndarray:
    return answers_to(
        len(answers),
        then=[one.then for one in answers],
        bounces=[one.bounce for one in answers],
        holds=[bool(one.effects) for one in answers],
        more=dict(zip(FIELDS, np.transpose([one.more for one in answers]), strict=True)),
    )


def _meets(name: str, model: written.Ability, on: Ground) -> dict[str, Met]:
    out = {}
    for word, one in model.on.items():
        if word not in on.groups and word != ANYTHING:
            follows = effects_of(name, one, "contact", on)
            effects = tuple(effect for effect in follows if not isinstance(effect, Removes))
            whose = WHOSE[one.whose or "any"]
            out[word] = Met(pool.THEN[one.then], one.restitution or 0.0, whose, one.removes, effects)
    return out


def _limits(ability: written.Ability, plain, metre: float) -> Limits:
    model = ability.limits
    endless = FAR * metre if ability.flight.instant else np.inf
    return Limits(
        life=pool.FOREVER if model.life == "forever" else plain(model.life),
        reach=endless if model.reach == "endless" else plain(model.reach),
        strays=STRAYS[model.reach_from],
        in_the_air=None if model.in_the_air == "any" else model.in_the_air,
        shared_limit=model.shared_limit,
        when_full=model.when_full,
    )


def life_at(limits: Limits, moment: Moment) -> int:
    """The life of a projectile that is launched at a moment (counts, or pool.FOREVER)."""
    if not isinstance(limits.life, Curve):
        return limits.life
    return clock.from_seconds(min(max(resolve(limits.life, moment, "life"), 0.0), LONGEST))


def _radius(model: written.Ability, on: Ground, plain) -> Number:
    if model.radius is not None:
        return plain(model.radius)
    return SHOT_SIZE * on.metre if model.shape is None else model.shape.ball or model.shape.radius


def _length(shape) -> float:
    return 0.0 if shape is None or shape.capsule is None else shape.capsule[1][0] - shape.capsule[0][0]


def _answer(name: str, model: written.Ability, group: str, plain, on: Ground) -> Answer:
    """The one answer to a group: its own, else that to anything, else the end."""
    answer = model.on.get(group, model.on.get(ANYTHING))
    if answer is None:
        return Answer(pool.END, 0.0, False)
    least = LEAST_SPEED * on.metre if answer.least_speed is None else answer.least_speed
    slows = ROLLING if answer.rolling is None else answer.rolling
    if answer.then == "slide":
        slows = answer.friction or 0.0
    rests, back = pool.RESTS[answer.rests or "ends"], answer.restitution or 0.0
    # A game's own step gives each bounce up to a tick's gain anew: that never gets slower than this share of it.
    settles = 0.0 if on.exact or answer.least_speed is not None else min(back / max(1.0 - back, 1e-9), MOST_SETTLES)
    bounce = (back, answer.friction or 0.0, answer.bounces or -1, least, rests, slows, settles)
    more = (
        1.0 if answer.speed_kept is None else answer.speed_kept,
        1.0 if answer.damage_kept is None else answer.damage_kept,
        answer.pierces or -1,
        -1.0 if answer.within is None else float(sincos(answer.within)[1]),
        answer.depth or 0.0,
        answer.first_touch,
        answer.body_out == "ends",
        pool.THEN[answer.otherwise or "end"],
        answer.anchor is None or answer.anchor.opens is None,
    )
    damage = plain(answer.damage) if answer.heals is None else -answer.heals
    rule = f"on.{group if group in model.on else ANYTHING}"
    effects = effects_of(name, answer, "contact", on)
    return Answer(pool.THEN[answer.then], damage, True, bounce, effects, rule, more)
