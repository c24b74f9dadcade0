"""What follows a contact, or another moment of a flight, at which the engine holds: effects in their order, at once.

What is sent is born at that time and goes on in the same tick; how deep it stands and of which shot it came is kept
with it, so that generations and budgets come to an end.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.geometry.hulls import between
from nivvo.core.geometry.shapes import HALF_SPACE
from nivvo.core.numbers import clock
from nivvo.core.numbers.curves import Curve
from nivvo.core.numbers.frame import added, dot, length_of, unit
from nivvo.core.tick.answer import put_out
from nivvo.plan.abilities.ability import Ability, Answer
from nivvo.plan.abilities.effects import (
    CODES,
    DEEPEST,
    Anchor,
    Blast,
    Blink,
    Effect,
    Knock,
    Lasting,
    Moment,
    Pull,
    Score,
    Sends,
)
from nivvo.play.aims.aiming import Asked, Sent, Shot, goes_round, moment_of, places_round, speed_of, spread
from nivvo.play.aims.seeking import candidates
from nivvo.play.effects.contract import Contact
from nivvo.play.effects.registry import EFFECTS
from nivvo.play.rules.anchors import PLACED, Anchors, Mark
from nivvo.play.rules.shade import seen_share
from nivvo.play.ways.motion import NOWHERE

if TYPE_CHECKING:
    from nivvo.play.rules.playing import Playing

WORDS = {code: word for word, code in CODES.items()}

NEVER = 1e7
"""Seconds, longer than any case: how long what goes slower still is under way."""

MOST_KNOWN = 4096
"""Projectiles whose descent is remembered before that of those which fly no more is forgotten."""

NEAREST_WAYS = 1e-3
"""Radians: ways that lie nearer to one another are not set apart for it, they would start too far away."""


class Goes(NamedTuple):
    """What lasts: when it does damage next (clock), of which projectile, to which body, how often still."""

    time: int
    key: int
    body: int
    ability: str
    times: int
    effect: Lasting


class Consequences:
    """What follows in a session. depth, roots : of each sent projectile, by key; spent : sent so far, by shot.

    linked : of a shot, to and from whom it was sent on, where nobody is to be twice. aimed : along what each was aimed
    that may send others while it flies. room : of how many that is known till who flies no more is forgotten.
    arrivals : where shooters are to be from the next tick on, and how they come there; pushes : what bodies are then
    given (mass times units/s); pulls : to whom they then come. scores : of each shooter: points, when it last scored
    (clock), how many times that counted. lasting : what goes on by itself, by time. ended : where the last projectile
    of each ability and shooter ended, if somebody asks.
    """

    def __init__(self, session: Playing):
        self.session = session
        self.depth: dict[int, int] = {}
        self.roots: dict[int, int] = {}
        self.spent: dict[int, int] = {}
        self.linked: dict[int, set[int]] = {}
        self.aimed: dict[int, np.ndarray] = {}
        self.room = MOST_KNOWN
        self.arrivals: dict[int, tuple[np.ndarray, Blink]] = {}
        self.pulls: dict[int, tuple[int, Pull]] = {}
        self.anchors = Anchors()
        self.ended: dict[tuple[str, str], Contact] = {}
        self.pushes: dict[int, np.ndarray] = {}
        self.scores: dict[str, tuple[float, int | None, float]] = {}
        self.lasting: list[Goes] = []
        self.longest = session.scene.ticks.longest
        abilities = session.scene.abilities.values()
        self.bursts = any(isinstance(effect, Blast) for one in abilities for effect in one.effects)

    def hurts(self, ability: Ability, answer: Answer) -> tuple[float, float]:
        """How far off what follows a contact takes health, and how much at most.

        Where nobody who is so near is out by it, it may wait for the tick's end: nothing that flies hangs on it before,
        nor what is decided of the case. Below 0: it always may; inf: never.
        """
        if isinstance(ability.radius, Curve):
            return math.inf, 0.0
        blasts = [one for one in answer.effects if isinstance(one, Blast)]
        waits = all(self._waits(one) for one in answer.effects if not isinstance(one, Blast))
        far = max((one.radius for one in blasts), default=-1.0) if waits else math.inf
        return far, added(one.damage for one in blasts)

    def _waits(self, effect: Effect) -> bool:
        if isinstance(effect, Lasting):
            return effect.every >= self.longest
        if isinstance(effect, Anchor):
            return effect.opens is None
        if isinstance(effect, Score):
            return all(goal.score is None for goal in self.session.deciding.goals)
        return isinstance(effect, Knock | Pull)

    def lengthen(self, tick: int) -> None:
        """A tick may last so long (clock) from now on: what lasts may be due within it."""
        if tick > self.longest:
            self.longest = tick
            self.session.hold_anew()

    def catch_up(self) -> bool:
        """Do what the engine owes, before it goes on. Whether there was anything.

        Contact by contact, as if it had held at each of them: who is put out after a contact is not yet out for it,
        and what is written of it stands behind it.
        """
        arena, stage = self.session.arena, self.session.stage
        counters, first = arena.counters, int(arena.counters[pool.OWED]) - 1
        counters[pool.OWED] = 0
        held, written = arena.why == pool.HOLD, int(counters[pool.EVENTS])
        if self.bursts and (held or first >= 0):
            arena.bodies["owes"] = 0.0
        end = int(counters[pool.BEGAN]) if held else written
        if not 0 <= first < end:
            return False
        rows = pool.copied(arena.events[first:written])
        told = list(zip(*(rows[name].tolist() for name in TOLD), strict=True))
        groups, behind = arena.bodies["group"].tolist(), []
        ranks, of_key = self.session.scene.abilities, self.session.of_key
        abilities = [ranks[of_key(row[KEY])[0]] if row[KIND] in TOUCHES else None for row in told]
        vectors = _vectors(rows, [0.0 if one is None else one.radius for one in abilities])
        died = [k for k, row in enumerate(told) if row[KIND] == pool.OUT]
        for k in died:
            stage.set_out(told[k][BODY], out=False)
        k, notes = 0, []
        arena.notes = notes
        while k < end - first:
            begun, k = k, _end_of_answer(told, k)
            while died and died[0] < k:
                stage.set_out(told[died.pop(0)][BODY], out=True)
            row, ability = told[begun], abilities[begun]
            if ability is not None and (effects := ability.answers[groups[row[BODY]]].effects):
                self.apply(_contact_of(vectors, begun, row), effects)
                behind += [k] * (len(notes) - len(behind))
        for k in died:
            stage.set_out(told[k][BODY], out=True)
        arena.write_notes()
        if behind:
            order = np.argsort([*range(1, 2 * (written - first), 2), *(2 * k for k in behind)], kind="stable")
            whole = arena.events[first : written + len(behind)]
            whole.view(np.uint8)[:] = pool.taken(whole, order).view(np.uint8)
            counters[pool.BEGAN] += len(behind)
        return True

    def held(self) -> None:
        """Do what follows at the moment at which the engine holds."""
        session, arena = self.session, self.session.arena
        if session.touches:
            return
        rows = pool.copied(arena.events[int(arena.counters[pool.BEGAN]) : int(arena.counters[pool.EVENTS])])
        told = rows[TOLD].tolist()
        key, whose = told[0][KEY], session.of_key(told[0][KEY])
        ability = session.scene.abilities[whose[0]]
        radius = float(arena.params["radius"][arena.flight["param"][arena.counters[pool.HELD]]])
        vectors = _vectors(rows, [radius] * len(rows))
        for k, row in enumerate(told):
            effects = self._effects(ability, row) if row[KEY] == key else ()
            keeps = row[KIND] == pool.ENDED and ability.keeps_last
            if effects or keeps:
                contact = _contact_of(vectors, k, row)
                self.apply(contact, effects)
                if keeps:
                    self.ended[whose] = contact

    def again_there(self, name: str, shooter: str, time: int) -> bool:
        """Let what follows a further press happen where the last projectile ended; whether there is such a place."""
        contact = self.ended.pop((name, shooter), None)
        if contact is None:
            return False
        effects = self.session.scene.abilities[name].moments["again"].effects
        tick = self.session.scene.ticks.holding(time)
        self.apply(contact._replace(start=time, after=0.0, tick=tick), effects)
        return True

    def fired(self, shot: Shot, ability: Ability, depth: int) -> None:
        """Do what follows a launch, for each projectile of a shot that is in the air."""
        if not ability.moments:
            return
        first = self.session.key_of(shot)
        if any(isinstance(effect, Sends) for moment in ability.moments.values() for effect in moment.effects):
            self.aimed |= {first + k: shot.heading for k in range(len(shot.sent))}
            if len(self.aimed) > self.room:
                self._forget()
        if self.session.touches or "fired" not in (moments := self.moments(ability, depth)):
            return
        arena = self.session.arena
        for k, one in enumerate(shot.sent):
            row = int(np.flatnonzero(arena.flight["key"][: arena.live] == first + k)[0])
            tick = self.session.scene.ticks.holding(shot.time)
            contact = Contact(first + k, -1, shot.time, 0.0, tick, one.at, one.at, one.velocity, NOWHERE, NOWHERE)
            self.apply_of(row, contact, moments["fired"].effects)

    def _effects(self, ability: Ability, row: tuple) -> tuple[Effect, ...]:
        """What follows one event."""
        kind = row[KIND]
        if kind in TOUCHES:
            return ability.answers[self.session.arena.bodies["group"][row[BODY]]].effects
        if not ability.moments or kind not in (pool.MOMENT, pool.ENDED):
            return ()
        moments, word = self.moments(ability, self.depth.get(row[KEY], 0)), WORDS.get(row[CODE])
        found = [moments[word].effects] if word in moments else []
        if kind == pool.ENDED and "ended" in moments:
            found.append(moments["ended"].effects)
        return tuple(effect for effects in found for effect in effects)

    def apply(self, contact: Contact, effects: tuple[Effect, ...]) -> None:
        """Apply effects in the order of their kinds."""
        if len(effects) == 1:
            EFFECTS[type(effects[0])](self, contact, effects[0])
            return
        for kind, apply in EFFECTS.items():
            for effect in effects:
                if type(effect) is kind:
                    apply(self, contact, effect)

    def apply_of(self, row: int, contact: Contact, effects: tuple[Effect, ...]) -> None:
        """Apply effects of a projectile, by its row, that is not the one at which the engine holds."""
        counters = self.session.arena.counters
        held, counters[pool.HELD] = int(counters[pool.HELD]), row
        self.apply(contact, effects)
        counters[pool.HELD] = held

    def moments(self, ability: Ability, depth: int) -> dict[str, Moment]:
        """The moments of a projectile: without those that send more generations than may follow."""
        if not depth:
            return ability.moments
        return {word: one for word, one in ability.moments.items() if not _spent(one.effects, depth)}

    def level(self, way: np.ndarray) -> np.ndarray:
        """What of a way (3,) neither rises nor sinks."""
        return self.session.scene.frame.level(way)

    def stands(self, velocity: np.ndarray) -> bool:
        """Whether a velocity (3,) is none but for rounding."""
        return length_of(velocity) <= AS_NOTHING * self.session.scene.size

    def pointing(self, contact: Contact, when: str) -> np.ndarray:
        """The unit vector (3,) along which a projectile points that does not move: as it was aimed, at an apex up."""
        return self.session.scene.frame.up if when == "apex" else self.aimed.get(contact.key, NOWHERE)

    def owner(self, contact: Contact) -> int:
        """The number of the shooter whose projectile it is."""
        return self.session.stage.number[self.session.of_key(contact.key)[1]]

    def spot(self, contact: Contact, body: int) -> np.ndarray:
        """Where the spot of a body is then (3,): its middle, unless another point is written."""
        stage, time = self.session.stage, _clock(contact)
        return stage.middle(body, time) + stage.row(body, time)["spot"]

    def middle(self, contact: Contact, body: int) -> np.ndarray:
        """Where the middle of a body is then (3,)."""
        return self.session.stage.middle(body, _clock(contact))

    def around(self, contact: Contact, point, radius: float, all_: bool, but: set[int]) -> list[tuple[int, float]]:
        """Targets and shooters, or all there is, whose surface is then within ``radius`` of a point (3,); the gaps."""
        stage, arena, time = self.session.stage, self.session.arena, _clock(contact)
        near = stage.around(point, NOWHERE, radius, *(() if all_ else ("target", "shooter")), time=time)
        found = [(k, gap) for k in near if (gap := stage.gap(k, point, time)) <= radius]
        if not but and not stage.shifts:
            return found
        spared, nearest = {arena.first_of(k) for k in but}, {}
        for k, gap in found:
            # Of several shapes that are one body the nearest counts.
            if (one := arena.first_of(k)) not in spared and gap < nearest.get(one, FARTHEST)[1]:
                nearest[one] = (k, gap)
        return list(nearest.values())

    def seen(self, contact: Contact, point: np.ndarray, body: int) -> float:
        """The share of a body that no obstacle then hides from a point (3,)."""
        return seen_share(self.session.stage, body, point, _clock(contact))

    def burst(self, contact: Contact, point: np.ndarray, radius: float) -> None:
        """Write down that something burst at a point (3,)."""
        what = (pool.BURST, contact.body, 0, radius, 0.0)
        self.session.arena.note(what, contact.key, contact.when, point, contact.normal)

    def hurt(self, contact: Contact, body: int, amount: float) -> None:
        """Take health from a target or a shooter, at once."""
        if self.session.stage.kinds[body] != "obstacle":
            self.session.arena.hurt(body, amount, contact.key, contact.when, contact.p, contact.normal)

    def last(self, contact: Contact, effect: Lasting) -> None:
        """Let damage to the body that is touched go on by itself."""
        ability, body = self.session.of_key(contact.key)[0], self.session.arena.first_of(contact.body)
        if not effect.adds:
            self.lasting = [one for one in self.lasting if (one.body, one.ability) != (body, ability)]
        one = Goes(_clock(contact) + effect.every, contact.key, body, ability, effect.times, effect)
        self.lasting = sorted([*self.lasting, one], key=lambda goes: goes[:3])

    def due(self) -> int | None:
        """When something that lasts does damage next (clock)."""
        return self.lasting[0].time if self.lasting else None

    def act(self, time: int) -> bool:
        """Let what lasts do its damage at a time (clock); whether anything did."""
        session, stage, done = self.session, self.session.stage, False
        while self.lasting and self.lasting[0].time == time:
            one = self.lasting.pop(0)
            done = True
            if stage.out(one.body):
                continue
            tick, at = session.scene.ticks.holding(time), stage.middle(one.body, time)
            session.arena.hurt(one.body, one.effect.damage, one.key, (time, 0.0, tick), at, NOWHERE)
            if one.times > 1:
                rest = one._replace(time=time + one.effect.every, times=one.times - 1)
                self.lasting = sorted([*self.lasting, rest], key=lambda goes: goes[:3])
        return done

    def forget(self, body: int) -> None:
        """Let nothing go on with a body that is taken away."""
        self.lasting = [one for one in self.lasting if one.body != body]
        self.anchors.forget(body)
        self._open()

    def remove(self, contact: Contact, body: int) -> None:
        """Put a body out, at once."""
        stage, arena = self.session.stage, self.session.arena
        if not stage.out(body):
            first = arena.first_of(body)
            put_out(arena.bodies, first)
            left = float(arena.bodies[first]["health"])
            arena.note((pool.OUT, body, 1, 0.0, left), contact.key, contact.when, contact.p, contact.normal)

    def blink(self, contact: Contact, point: np.ndarray, effect: Blink) -> None:
        """Bring the shooter to a point (3,) from the next tick on, clear of what is solid; or tell why not."""
        stage, arena, number, time = self.session.stage, self.session.arena, self.owner(contact), _clock(contact)
        goal = stage.cleared(number, point, contact.normal, effect.within, time)
        refused = stage.out(number) or goal is None
        where = point if goal is None else goal
        what = (pool.BLINKED, number, int(refused), 0.0, 0.0)
        arena.note(what, contact.key, contact.when, where, contact.normal)
        if not refused:
            self.arrivals[number] = (goal, effect)

    def pull(self, contact: Contact, body: int, effect: Pull) -> None:
        """Let a body come to the shooter from the next tick on; not what has no end, nor another shooter."""
        stage = self.session.stage
        if stage.out(body) or stage.kinds[body] == "shooter" or stage.rows[body]["kind"] == HALF_SPACE:
            return
        self.pulls[self.session.arena.first_of(body)] = (self.owner(contact), effect)
        what = (pool.PULLED, body, 0, effect.speed, 0.0)
        self.session.arena.note(what, contact.key, contact.when, contact.p, contact.normal)

    def anchor(self, contact: Contact, effect: Anchor) -> None:
        """Leave a mark where a body is touched, if it fits."""
        session, stage, time = self.session, self.session.stage, _clock(contact)
        ability, shooter = session.of_key(contact.key)
        key, body, v, normal = contact.key, contact.body, contact.v, contact.normal
        point, middle = contact.point, stage.middle(body, time)
        mark = Mark(key, ability, shooter, body, point - middle, normal, v, effect, time)
        for code, one in self.anchors.leave(stage, mark, point, time):
            pair, where = -1.0, point
            if one is not mark:
                same = one.body == body and body not in stage.turning
                where = middle + one.offset if same else stage.carried(one.body, one.offset, one.time, time)
            elif effect.pairs_with is not None and code == PLACED:
                other = self.anchors.newest(stage, effect.pairs_with, shooter)
                pair = -1.0 if other is None else float(other.key)
            session.arena.note((pool.ANCHORED, one.body, code, pair, 0.0), one.key, contact.when, where, normal)
        if effect.opens is not None:
            self._open()

    def _open(self) -> None:
        """Let the engine know where things now go through."""
        openings, over = self.anchors.openings(self.session.stage)
        if len(openings) or len(self.session.arena.openings):
            self.session.arena.open(openings, over)

    def push(self, contact: Contact, body: int, impulse: np.ndarray) -> None:
        """Give a body with a mass an impulse (3,) at the next tick."""
        loose = self.session.stage.loose.of.get(body)
        if loose is None or not (size := length_of(impulse)) or self.session.stage.out(body):
            return
        self.pushes[body] = self.pushes.get(body, NOWHERE) + impulse
        what = (pool.PUSHED, body, 0, size, size / loose.mass)
        self.session.arena.note(what, contact.key, contact.when, contact.p, contact.normal)

    def momentum(self, contact: Contact) -> np.ndarray:
        """Mass times velocity of the projectile, as the body that it touches sees it (3,)."""
        mass = self.session.scene.abilities[self.session.of_key(contact.key)[0]].mass
        return (mass or 0.0) * (contact.v - contact.u)

    @property
    def pending(self) -> bool:
        """Whether something is to come about at the next tick's start."""
        return bool(self.arrivals or self.pushes or self.pulls)

    def at_edge(self, time: int) -> None:
        """Let those who have blinked arrive, and give what pushes, at a tick's start (clock)."""
        for number, impulse in sorted(self.pushes.items()):
            self.session.stage.loose.push(number, impulse, time)
        self.pushes.clear()
        stage = self.session.stage
        for number, (goal, effect) in sorted(self.arrivals.items(), key=lambda item: item[0]):
            way = goal - stage.middle(number, time)
            if effect.turns:
                stage.players[stage.names[number]].turn(time, way)
            there = time + effect.lasts if effect.lasts else _after(time, way, effect.speed)
            stage.move(number, time, there, goal, effect.at_once)
            if effect.at_once:
                self._among_own(number, goal, time)
        self.arrivals.clear()
        for body, (owner, effect) in sorted(self.pulls.items()):
            self._pulled(body, owner, effect, time)
        self.pulls.clear()

    def _among_own(self, number: int, goal: np.ndarray, time: int) -> None:
        """Let the shooter's own that are where he comes to (3,) not touch him until clear of him, as at a launch."""
        session, stage, arena = self.session, self.session.stage, self.session.arena
        arena.place_all(time)
        flight = arena.flight[: arena.live]
        radii, off = arena.params["radius"][flight["param"]], flight["p"] - goal
        for row in np.flatnonzero(dot(off, off) <= (stage.reach(number) + radii) ** 2).tolist():
            ability, shooter = session.of_key(int(flight["key"][row]))
            own = stage.number[shooter] == number and session.scene.abilities[ability].hits_owner == "once clear"
            if own and stage.gap_at(number, flight["p"][row], goal, time) <= radii[row]:
                arena.leave_out(row, number)

    def _pulled(self, body: int, owner: int, effect: Pull, time: int) -> None:
        """Let a body come to the shooter from a tick's start on."""
        stage = self.session.stage
        pieces, there = stage.pieces(body), stage.middle(owner, time)
        way = there - stage.middle(body, time)

        def gap(share: float) -> float:
            places = [stage.middle(k, time) + share * way for k in pieces]
            rows = zip(pieces, places, strict=True)
            return min(between(stage.rows[k], here, stage.rows[owner], there)[0] for k, here in rows)

        if stage.out(body) or gap(0.0) <= effect.gap or not way.any():
            return
        if (loose := stage.loose.of.get(body)) is not None:
            stage.loose.push(body, loose.mass * (effect.speed * unit(way) - np.array(loose.v)), time)
            return
        # As far as the gap is left; straight toward the middle it closes at least as fast as along the normal.
        low, high = 0.0, 1.0
        for _ in range(60):
            share = 0.5 * (low + high)
            if gap(share) > effect.gap:
                low = share
            else:
                high = share
        way = way * min([low, *(stage.clear_share(k, way, time, (owner, *pieces)) for k in pieces)])
        if way.any():
            for k in pieces:
                stage.move(k, time, _after(time, way, effect.speed), stage.centre(k, time) + way, False)

    def score(self, contact: Contact, effect: Score, points: float) -> None:
        """Give points to whoever fired."""
        shooter, time = self.session.of_key(contact.key)[1], _clock(contact)
        total, last, streak = self.scores.get(shooter, (0.0, None, 1.0))
        goes_on = effect.streak_within is not None and last is not None and time - last <= effect.streak_within
        streak = min(streak * effect.streak_times, effect.streak_most) if goes_on else 1.0
        given = points * streak
        self.scores[shooter] = (total + given, time, streak)
        what = (pool.SCORED, contact.body, 0, given, total + given)
        self.session.arena.note(what, contact.key, contact.when, contact.p, contact.normal)

    def nearest(self, contact: Contact, effect: Sends) -> int | None:
        """The number of the nearest body that may be sent to, but for what is touched; ties go by name."""
        stage, time = self.session.stage, _clock(contact)
        but = set(self.linked.get(self._root(contact.key), ())) if effect.each_once else set()
        but |= {self.session.arena.first_of(contact.body)} if contact.body >= 0 else set()
        bodies = candidates(stage, effect.group, self.session.of_key(contact.key)[1])
        off = stage.middles(bodies, time) - contact.point
        far = np.sqrt(dot(off, off)).tolist()
        found = sorted((gap, body) for gap, body in zip(far, bodies, strict=True) if gap <= effect.within)
        return next((body for _, body in found if self.session.arena.first_of(body) not in but), None)

    def send(self, contact: Contact, effect: Sends, heading: np.ndarray, to: int | None = None) -> None:
        """Let projectiles leave from a contact along a unit vector (3,), or straight at a body, at once.

        They are its shooter's. From a contact they start clear of the surface, and are not to touch that body until
        clear of it; elsewhere what it was inside of holds for them too.
        """
        session, ability, parent = self.session, effect.ability, contact.key
        scene, keys, shooter = session.scene, session.scene.abilities[ability], session.of_key(contact.key)[1]
        depth, root = self.depth.get(parent, 0) + 1, self._root(parent)
        if depth > effect.generations and effect.generations < DEEPEST:
            return
        time = contact.start + math.ceil(contact.after * clock.UNITS)
        number = session.numbers.get((ability, shooter), 0)
        session.numbers[ability, shooter] = number + 1
        moment = moment_of(scene, Asked(time, ability, shooter, number, time))
        speed, note = speed_of(scene, keys, moment, time)
        if effect.speed_share is not None:
            speed, note = effect.speed_share * length_of(contact.v), ""
        radius = scene.radius(keys, moment)
        at = contact.point + radius * contact.normal
        heading = heading if to is None else unit(self.session.stage.middle(to, time) - at)
        velocity = (speed or 0.0) * heading
        facing = session.stage.players[shooter].facing(time)
        way = velocity if speed else heading
        velocities = spread(scene, keys, moment, facing, way) or (velocity,)
        inside = self._inside(contact, at, radius)
        if goes_round(keys, velocities):
            places, apart = places_round(session.stage, keys, shooter, moment, time, at, way), ""
        else:
            places, apart = self._apart(effect.gap, at, velocities, radius, time, keys, inside)
        own = keys.inherit_velocity * contact.v if keys.inherit_velocity else NOWHERE
        sent = tuple(Sent(one, (way if speed else NOWHERE) + own) for one, way in zip(places, velocities, strict=True))
        shot = Shot(
            number=number, ability=ability, shooter=shooter, muzzle="", time=time, pressed=time, stance=None, at=at,
            heading=heading, velocity=velocity + own, speed=speed or 0.0, clearance=math.inf, aim_point=None,
            note="; ".join(one for one in (note, apart) if one), sent=sent, moment=moment, radius=radius, parent=parent,
        )  # fmt: skip
        refused = "" if speed is not None else f"{ability} has no speed of its own"
        if effect.along == "nearest" and to is None:
            refused = "nobody is near enough to be sent to"
        if depth > effect.generations:
            refused = f"more than {DEEPEST} generations"
        spent = self.spent.get(root, 0) + len(sent)
        if spent > effect.budget:
            refused = refused or f"its shot's budget of {effect.budget} is used up"
        refused = refused or session.too_many(shot)
        if refused:
            session.refused.append(shot._replace(refused=refused))
            return
        session.meter.fire(time, session.last_input)
        dealt = None if effect.damage == "own" else self._dealt(parent, len(sent) if effect.damage == "shared" else 1)
        session.put(shot, inside=inside, depth=depth, dealt=dealt, why=effect.when)
        if len(self.depth) > self.room:
            self._forget()
        first = session.key_of(shot)
        self.depth |= {first + k: depth for k in range(len(sent))}
        self.roots |= {first + k: root for k in range(len(sent))}
        self.spent[root] = spent
        if effect.each_once:
            ends = {session.arena.first_of(body) for body in (contact.body, to) if body >= 0}
            self.linked[root] = self.linked.get(root, set()) | ends

    def _root(self, key: int) -> int:
        """The shot, by its first projectile, of which a projectile comes at last."""
        return self.roots.get(key, self.session.first_of_shot(key))

    def _forget(self) -> None:
        """Forget the descent of what flies no more, and the budgets of shots of which nothing flies."""
        flying = set(self.session.arena.flight["key"][: self.session.arena.live].tolist())
        self.depth = {key: one for key, one in self.depth.items() if key in flying}
        self.aimed = {key: one for key, one in self.aimed.items() if key in flying}
        self.room = max(MOST_KNOWN, 2 * len(self.depth), 2 * len(self.aimed))
        self.roots = {key: one for key, one in self.roots.items() if key in flying}
        roots = {self._root(key) for key in flying}
        self.spent = {key: one for key, one in self.spent.items() if key in roots}
        self.linked = {key: one for key, one in self.linked.items() if key in roots}

    def _inside(self, contact: Contact, at: np.ndarray, radius: float) -> list[int]:
        """Bodies that what is sent from a place is not to touch until clear of them: what it is on, or inside of."""
        if contact.body >= 0 and contact.normal.any():
            off = self.session.stage.gap(contact.body, at, _clock(contact)) - radius
            if off <= TOUCHING * self.session.scene.size:
                return [contact.body]
        arena = self.session.arena
        inside = arena.flight[int(arena.counters[pool.HELD])]["inside"]
        return [int(body) for body in inside if body >= 0]

    def _dealt(self, key: int, share: int) -> tuple[float, ...]:
        """What a projectile would have dealt to each group, in ``share`` parts."""
        arena = self.session.arena
        row = arena.flight[int(arena.counters[pool.HELD])]
        return tuple(float(one) / share for one in arena.answers["damage"][row["param"]])

    def _apart(self, gap, at, velocities, radius, time: int, ability: Ability, inside) -> tuple[list, str]:
        """Where several start so that neighbours are ``gap`` apart, each along its way; and what is to be told of it.

        Where something solid is in the way one starts where it would touch it, but for bodies they are ``inside`` of.
        """
        ways = [unit(one) for one in velocities]
        if len(ways) < 2:
            return [at] * len(ways), ""
        pairs = [1.0 - float(dot(a, b)) for k, a in enumerate(ways) for b in ways[:k]]
        near = math.sqrt(max(min(pairs), 0.0) * 2.0)
        if near < NEAREST_WAYS:
            return [at] * len(ways), "two of its ways are one: they start at one place"
        far = (2.0 * radius + gap) / near
        stage, places = self.session.stage, []
        for way in ways:
            among = [k for k in stage.around(at, way * far, radius, time=time)
                     if k not in inside and ability.answers[stage.rows["group"][k]].solid]  # fmt: skip
            met = stage.first_on_line(at, way * far, radius, time, among)
            places.append(at + way * far * (1.0 if met is None else met[1]))
        return places, ""


FARTHEST = (-1, math.inf)
AS_NOTHING = 1e-9
"""Share of the scene's size a second: what is slower does not move."""

TOUCHING = 1e-6
"""Share of the scene's size within which what is sent from a surface is on it."""

TOUCHES = {pool.CONTACT, pool.OVERLAP}
HURTS = {pool.DAMAGE, pool.OUT}
BECOMES = {pool.ENDED, pool.BOUNCED, pool.SLOWED, pool.SLID, pool.RESTED}
TOLD = ["start", "after", "key", "tick", "kind", "body", "code"]
"""What events tell beside vectors."""

KEY, KIND, BODY, CODE = (TOLD.index(name) for name in ("key", "kind", "body", "code"))


def _end_of_answer(told: list[tuple], k: int) -> int:
    """Where the events of an answer end that begin at ``k``: a contact, its damage, and what becomes of it."""
    key, k, row = told[k][KEY], k + 1, told[k]
    if row[KIND] not in TOUCHES:
        return k
    while k < len(told) and (row := told[k])[KEY] == key and row[KIND] in HURTS:
        k += 1
    return k + 1 if k < len(told) and row[KEY] == key and row[KIND] in BECOMES else k


def _vectors(rows: np.ndarray, radii: list[float]) -> tuple[np.ndarray, ...]:
    """What rows of ``pool.EVENT`` of projectiles with these radii tell as vectors, as in a Contact, (n, 3) each.

    Of a contact the gap between the two, below 0 where it began inside, is what is ``left``.
    """
    p, normal = rows["p"], rows["normal"]
    gaps = np.where((rows["kind"] == pool.CONTACT) | (rows["kind"] == pool.OVERLAP), rows["left"], 0.0)
    return p - (np.array(radii) + gaps)[:, None] * normal, p, rows["v"], rows["u"], normal


def _contact_of(vectors: tuple[np.ndarray, ...], k: int, row: tuple) -> Contact:
    """What one of some rows tells, its vectors and all of it as a tuple."""
    start, after, key, tick, _, body = row[:6]
    point, p, v, u, normal = vectors
    return Contact(key, body, start, after, tick, point[k], p[k], v[k], u[k], normal[k])


def _after(time: int, way: np.ndarray, speed: float | None) -> int:
    """When (clock) a way is gone that begins at a time; at once without a speed."""
    if speed is None:
        return time
    return time + max(clock.from_seconds(min(length_of(way) / speed, NEVER)), 1)


def _clock(contact: Contact) -> int:
    return contact.start + math.ceil(contact.after * clock.UNITS)


def _spent(effects: tuple[Effect, ...], depth: int) -> bool:
    sends = [one for one in effects if isinstance(one, Sends)]
    return bool(sends) and all(one.generations <= depth and one.generations < DEEPEST for one in sends)
