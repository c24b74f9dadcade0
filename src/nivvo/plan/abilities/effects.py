"""Effects and moments as they run."""

from __future__ import annotations

import math
from bisect import bisect_right
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.numbers import clock
from nivvo.plan.abilities.numbers import counted
from nivvo.spec.abilities import effects as written

if TYPE_CHECKING:
    from nivvo.plan.abilities.ability import Ground

DEEPEST = 16
"""Generations of what is sent: nothing sends itself for ever."""

CODES = {
    "again": pool.BY_PRESS,
    "age": pool.BY_AGE,
    "flown": pool.BY_FLOWN,
    "apex": pool.BY_APEX,
    "near": pool.BY_NEAR,
}
"""The moments of a flight and the codes that the engine has for them; beside them ``fired`` and ``ended``."""


class Sends(NamedTuple):
    """Projectiles of an ability leave along "normal", "reflected", "onward" or at the "nearest", ``gap`` units apart.

    when : at a "contact", or which moment of the flight it follows.
    group : the number of that of which the nearest is, None for every target. within : no farther than that (units).
    speed_share : of what it flew with, None for their own. damage : "own", "kept" or "shared".
    """

    ability: str
    when: str
    along: str
    gap: float
    speed_share: float | None
    damage: str
    generations: int
    budget: int
    group: int | None
    within: float
    each_once: bool


class Blast(NamedTuple):
    """Damage to all within a radius (units): rows of (share of it, share of the damage), straight or smooth between.

    impulse : mass times units/s, at its middle.
    """

    radius: float
    damage: float
    rows: tuple[tuple[float, float], ...]
    smooth: bool
    shaded: bool
    impulse: float
    spares: tuple[str, ...]

    def share(self, x: float) -> float:
        """What is left at a share of the radius."""
        if self.smooth:
            return (1.0 - x) * (1.0 - x) * (1.0 + 2.0 * x)
        after = bisect_right(self.rows, (x, math.inf))
        (x0, y0), (x1, y1) = self.rows[max(after - 1, 0)], self.rows[min(after, len(self.rows) - 1)]
        return y0 if x1 <= x0 else y0 + (y1 - y0) / (x1 - x0) * (x - x0)


class Score(NamedTuple):
    """Points, or by rings of (radius, points); within how many counts a streak goes on, how much more, at most."""

    points: float
    rings: tuple[tuple[float, float], ...]
    streak_within: int | None
    streak_times: float
    streak_most: float


class Removes:
    """What is touched is out."""


class Blink(NamedTuple):
    """Its shooter goes there, at most ``within`` (units) off to be clear; at once, at a speed, or in so many counts."""

    within: float
    speed: float | None
    lasts: int
    turns: bool

    @property
    def at_once(self) -> bool:
        """Whether it is there at the next tick's start."""
        return self.speed is None and not self.lasts


class Lasting(NamedTuple):
    """Damage to what was touched, so often, every so many counts; whether it adds to one that still goes on."""

    damage: float
    every: int
    times: int
    adds: bool


class Knock(NamedTuple):
    """What is touched is pushed: by a share of momentum, or an impulse (mass times units/s) inward or onward."""

    momentum: float
    impulse: float | None
    inward: bool


class Pull(NamedTuple):
    """What is touched comes to the shooter at a speed (units/s), up to a gap (units)."""

    speed: float
    gap: float


class Anchor(NamedTuple):
    """A mark is left where it is flat so far about (units), at most so many; linked with those of an ability.

    opens : how far about it (units) what touches there goes through to the other, None: nothing does.
    """

    size: float | None
    most: int
    pairs_with: str | None
    opens: float | None


Effect = Sends | Blast | Score | Removes | Blink | Lasting | Knock | Pull | Anchor
FALLOFFS = {"none": ((0.0, 1.0), (1.0, 1.0)), "linear": ((0.0, 1.0), (1.0, 0.0)), "smooth": ()}


class Moment(NamedTuple):
    """A moment of a flight: whether it flies on, what follows, and when: counts, or units.

    group : near whom, None for every target.
    """

    goes_on: bool
    effects: tuple[Effect, ...]
    at: float = 0.0
    group: int | None = None


def effects_of(ability: str, model: written.Effects, when: str, on: Ground) -> tuple[Effect, ...]:
    """What follows a "contact" or a moment of the flight, in the order of ``play.effects.registry``."""
    out: list[Effect] = []
    if (one := model.sends) is not None:
        most = (1 if one.ability == ability else DEEPEST) if one.generations is None else one.generations
        share = one.speed_share if one.speed == "kept" else None
        group, within = None if one.group is None else on.groups.index(one.group), one.within or math.inf
        way, limits = one.along or ("normal" if when == "contact" else "onward"), (most, one.budget)
        out.append(Sends(one.ability, when, way, one.gap, share, one.damage, *limits, group, within, one.each_once))
    if (burst := model.blast) is not None:
        rows = FALLOFFS[burst.falloff] if burst.points is None else tuple((x, y) for x, y in burst.points)
        smooth = burst.points is None and burst.falloff == "smooth"
        out.append(Blast(burst.radius, burst.damage, rows, smooth, burst.shaded, burst.impulse, tuple(burst.spares)))
    if (score := model.score) is not None:
        rings = tuple((x, y) for x, y in score.rings or ())
        within = None if score.streak_within is None else clock.from_seconds(score.streak_within)
        out.append(Score(score.points, rings, within, score.streak_times, score.streak_most))
    if model.blink is not None:
        within = on.metre if model.blink.within is None else model.blink.within
        lasts = 0 if model.blink.lasts is None else counted(model.blink.lasts, on.rate)
        out.append(Blink(within, model.blink.speed, lasts, model.blink.turns))
    if (pull := getattr(model, "pull", None)) is not None:
        out.append(Pull(pull.speed, 0.1 * on.metre if pull.gap is None else pull.gap))
    if (anchor := getattr(model, "anchor", None)) is not None:
        out.append(Anchor(anchor.size, anchor.most, anchor.pairs_with, anchor.opens))
    if (lasting := getattr(model, "lasting", None)) is not None:
        out.append(Lasting(lasting.damage, counted(lasting.every, on.rate), lasting.times, lasting.again == "adds"))
    if (knock := getattr(model, "knock", None)) is not None:
        out.append(Knock(1.0 if knock.momentum is None else knock.momentum, knock.impulse, knock.along == "inward"))
    if model.removes:
        out.append(Removes())
    return tuple(out)


def moments_of(ability: str, model: written.When, on: Ground) -> dict[str, Moment]:
    """The moments of an ability that are written, by name."""
    out: dict[str, Moment] = {}
    for word in type(model).model_fields:
        one: Any = getattr(model, word)
        if one is None:
            continue
        effects, goes_on = effects_of(ability, one, word, on), getattr(one, "then", "end") != "end"
        if word == "age":
            out[word] = Moment(goes_on, effects, counted(one.at, on.rate))
        elif word == "flown":
            out[word] = Moment(goes_on, effects, one.at)
        elif word == "near":
            group = None if one.group is None else on.groups.index(one.group)
            out[word] = Moment(goes_on, effects, one.within, group)
        else:
            out[word] = Moment(goes_on, effects)
    return out


def fields_of(moments: dict[str, Moment], groups: int, kept: bool = False) -> dict[str, Any]:
    """What the engine is told of them: fields of ``pool.PARAMS``, and how near to each group; empty if of none.

    kept : somebody asks where each ended.
    """
    if not moments and not kept:
        return {}
    bits = {word: 1 << CODES[word] for word in moments if word in CODES}
    moments = {word: one for word, one in moments.items() if word != "fired"}
    effective = [word for word, one in moments.items() if one.effects or one.goes_on or word not in ("again", "ended")]
    if not effective and not kept:
        return {}
    near = np.zeros(groups)
    if "near" in moments:
        one = moments["near"]
        near[slice(None) if one.group is None else one.group] = -one.at if one.group is None else one.at
    ends = kept or any(one.effects for one in moments.values())
    return {
        "moments": sum(bits.values()) | 1,
        "goes_on": sum(bit for word, bit in bits.items() if moments[word].goes_on),
        "ends_hold": ends,
        "age": moments["age"].at if "age" in moments else pool.FOREVER,
        "flown": moments["flown"].at if "flown" in moments else np.inf,
        "near": near,
    }
