"""What must fit between a case, its inputs and checks, and the scene and abilities."""

from __future__ import annotations

import re
from typing import Any, NamedTuple

from nivvo.spec.checking.links import ANYTHING, MOST_TICKS, Links, groups_of, in_hand, with_sent
from nivvo.spec.reading.track import Track
from nivvo.spec.scenes.case import CONTROLS, MEASURES, MOST_MOVES, Case, Input
from nivvo.spec.scenes.values import LONGEST, Depends, Duration
from nivvo.spec.words.nearest import listed, nearest


class Hands(NamedTuple):
    """What the inputs of a case can mean: its abilities, shooters that walk, buttons that somebody listens to."""

    abilities: list
    walks: list
    buttons: list[str]


def _can_be_out(links: Links, key: tuple, group: str) -> None:
    """Somebody of a group that is to be out can be: by health, or since a contact removes it."""
    model = links.model
    bodies = [*model.shooter.values(), *model.target.values()]
    health = any(body.health is not None for body in bodies if group in groups_of(body))
    removed = any(one.removes for ability in model.ability.values() for one in ability.on.values())
    if group in links.names.groups and not health and not removed:
        links.say(key, "nobody of it has health, so none can be out", group, hint="write target.NAME.health")


def asked_of(name: str, ability: Any) -> tuple:
    """All of an ability that is asked for here: where it is the same for all of them, a case fits as it did before.

    Of what does not change the identities, of its launch whether it stands still.
    """
    parts = (ability.firing, ability.when, ability.aim, ability.limits, ability.flight, *ability.on.values())
    fires = "firing" in ability.model_fields_set
    return name, *ability.on, *map(id, parts), fires, ability.launch.speed == 0.0


def check(links: Links, name: str, track: Track | None) -> None:
    """What in one case does not fit; ``track``: its logged inputs.

    What is looked at of an ability is told by ``asked_of``.
    """
    model, key = links.model, ("case", name)
    case = model.case[name]
    known, chosen = model.ability, in_hand(model, case)
    if case.ability is not None:
        for word in chosen:
            links.name((*key, "ability"), word, "ability", known)
    chosen = [word for word in chosen if word in known]
    _inputs(links, key, case, track, chosen)
    _moved(links, key, case, track)
    _checks(links, key, case)
    _goals(links, key, case)
    _lengths(links, key, case, chosen)


def _inputs(links: Links, key: tuple, case: Case, track: Track | None, chosen: list[str]) -> None:
    """What players do in it, by its own rows and by its track, with the abilities in hand."""
    model = links.model
    held = [model.ability[word] for word in chosen]
    walks = [shooter.walk for shooter in model.shooter.values() if shooter.walk is not None]
    heard = {getattr(one.firing, key) for one in held for key in ("button", "confirm", "cancel")} - {None}
    heard |= {one.when.again.button for one in held if one.when.again is not None} - {None}
    hands = Hands(held, walks, sorted(heard | {walk.jump_button for walk in walks if walk.jump}))
    places = [((*key, "input", k), "") for k in range(len(case.input or []))]
    rows = list(case.input or [])
    if track is not None:
        at = (*key, "track")
        for one in track.wrong:
            where = f"{links.folder / case.track}" + (f":{one.line}" if one.line else "")
            links.note(at, one.message, None, one.allowed, one.hint, where=where)
        places += [(at, f"{links.folder / case.track}:{line}") for line, _ in track.rows]
        rows += [row for _, row in track.rows]
    for row, (at, links.where) in zip(rows, places, strict=True):
        _row(links, at, row, hands)
    links.where = ""
    _acts(links, key, rows)
    if track is None or not track.wrong:
        _released(links, places, rows, case, held)
        if case.input is not None or track is not None:
            _pressed(links, key, case, rows, chosen)
            _pointed(links, key, rows, held)
        elif any(ability.aim.by == "cursor" for ability in held):
            _pointed(links, key, rows, held, ("cursor",))


def _moved(links: Links, key: tuple, case: Case, track: Track | None) -> None:
    """What the game moves in it, by its own rows and by its track."""
    rows = [((*key, "moved", k), "", row) for k, row in enumerate(case.moved)]
    for line, row in track.moved if track is not None else ():
        rows.append(((*key, "track"), f"{links.folder / case.track}:{line}", row))
    for at, links.where, row in rows:
        _within_a_day(links, (*at, "t"), row.t)
        links.name((*at, "body"), row.body, "body", links.names.bodies)
        links.vector((*at, "to"), row.to)
        for place in row.through or ():
            links.vector((*at, "through"), place)
    links.where = ""
    if (many := sum(len(row.through or [row.to]) for _, _, row in rows)) > MOST_MOVES:
        links.say((*key, "moved"), f"comes to {many:,} moves", None, f"at most {MOST_MOVES:,}")


def _checks(links: Links, key: tuple, case: Case) -> None:
    """What it demands."""
    everything = links.names.bodies
    for k, check in enumerate(case.check):
        at = (*key, "check", k)
        if check.hits is not None:
            links.name((*at, "hits"), check.hits, "body", everything)
        if check.misses is not None and check.misses != ANYTHING:
            links.name((*at, "misses"), check.misses, "body", everything)
        if check.clears is not None:
            links.name((*at, "clears"), check.clears, "body", everything)
        if check.body is not None:
            links.name((*at, "body"), check.body, "body", everything)
        for verb in ("mirrors", "same_as"):
            if (other := getattr(check, verb)) is not None:
                links.name((*at, verb), other, "case", [one for one in links.document.tables["case"] if one != key[1]])
        if check.same_at is not None and links.model.tick.frames is not None:
            links.say((*at, "same_at"), "is of tick rates, and the drill goes by tick.frames", check.same_at)
        links.vector((*at, "lands"), check.lands)
        _measured(links, at, check, everything, links.model.ability)


def _goals(links: Links, key: tuple, case: Case) -> None:
    """What wins and loses it."""
    for word in ("won", "lost"):
        if (goal := getattr(case, word)) is not None and goal.out is not None:
            links.name((*key, word, "out"), goal.out, "group", links.names.groups)
            _can_be_out(links, (*key, word, "out"), goal.out)
        if goal is not None and goal.touched is not None:
            links.name((*key, word, "touched"), goal.touched, "group", links.names.groups)


def _lengths(links: Links, key: tuple, case: Case, chosen: list[str]) -> None:
    """How long it goes, and what flies in it."""
    model, rate = links.model, links.model.tick.rate
    _within_a_day(links, (*key, "lasts"), case.lasts)
    if case.lasts is not None and case.lasts.seconds(rate) * rate > MOST_TICKS:
        links.say(
            (*key, "lasts"),
            f"more than {MOST_TICKS:,} ticks",
            str(float(case.lasts)),
            "a shorter time, or a lower tick.rate",
        )
    if case.lasts is None:
        for word in with_sent(model, chosen):
            if word not in model.ability:
                continue
            life = model.ability[word].limits.life
            life = Duration(max(life.values())) if isinstance(life, Depends) and life.values() else life
            if isinstance(life, Depends):
                continue
            endless = life == "forever" and model.ability[word].limits.reach == "endless"
            if endless and (not model.world.bounds or _stays(model.ability[word])):
                says = "may fly forever: it has no life, no reach, and the world no bounds"
                says = "may stay forever: it has no life and no reach" if model.world.bounds else says
                links.say(("ability", word, "limits", "life"), says, hint="set one of them, or case.lasts")
            elif life != "forever" and life.seconds(rate) * rate > MOST_TICKS:
                links.say(
                    ("ability", word, "limits", "life"), f"lasts more than {MOST_TICKS:,} ticks", str(float(life))
                )


def _stays(ability) -> bool:
    """Whether it may stay within bounds: thrown back any number of times, at rest, standing still, or going round."""
    flight = ability.flight
    stays = any(
        answer.then in ("slide", "lodge")
        or answer.rests in ("stays", "rolls")
        or (answer.then == "bounce" and answer.bounces is None)
        for answer in ability.on.values()
    )
    return stays or ability.launch.speed == 0.0 or flight.orbit is not None or flight.homing is not None


def _row(links: Links, at: tuple, row: Input, hands: Hands) -> None:
    """What in one row of inputs does not fit."""
    model = links.model
    for word in ("t", "held", "every"):
        _within_a_day(links, (*at, word), getattr(row, word))
    links.vector((*at, "cursor"), row.cursor)
    if row.walk is not None and not hands.walks:
        links.say((*at, "walk"), "nobody walks", row.walk, "a shooter with walk.speed")
    if row.look is not None and len(row.look) != model.world.size - 1:
        words = "[direction]" if model.world.size == 2 else "[direction, elevation]"
        links.say((*at, "look"), f"in {model.world.view} view it is {words}, in degrees", row.look)
    if row.look is not None and len(row.look) == 2 and not -90.0 <= row.look[1] <= 90.0:
        links.say((*at, "look"), "its elevation is from -90 to 90 degrees", row.look)
    if row.screen is not None and not any(ability.aim.camera for ability in hands.abilities):
        links.say((*at, "screen"), "no ability in hand looks through a camera", row.screen, "aim.camera")
    if row.shooter is not None:
        links.name((*at, "shooter"), row.shooter, "shooter", links.names.shooters)
    for act in ("press", "release", "tap", "hold"):
        word = getattr(row, act)
        if word is not None and word not in hands.buttons and not links.names.lost:
            says = "no ability in hand listens to that button"
            links.note((*at, act), says, word, listed(hands.buttons), nearest(word, hands.buttons))


def _within_a_day(links: Links, key: tuple, duration) -> None:
    if duration is not None and duration.ticks is not None and duration.seconds(links.model.tick.rate) > LONGEST:
        days = f"{duration.seconds(links.model.tick.rate):g} s"
        links.say(key, f"is {days}", f"{duration.ticks} ticks", f"at most {LONGEST:g} s")


MOST_ACTS = 200_000
"""Things that the players of a case may do: presses, releases, and each tick's place of a control that glides."""


def _acts(links: Links, key: tuple, rows: list[Input]) -> None:
    """What a case's rows come to is a number that can be played."""
    rate, last, acts = links.model.tick.rate, {}, 0
    for row in sorted(rows, key=lambda row: row.t.seconds(rate)):
        acts += 2 * (row.count or 1)
        for control in CONTROLS:
            if getattr(row, control) is not None:
                before = last.get((row.shooter, control))
                if row.glide and before is not None:
                    acts += int((row.t.seconds(rate) - before) * rate)
                last[row.shooter, control] = row.t.seconds(rate)
    if acts * len(links.names.shooters) > 2 * MOST_ACTS:
        says = f"comes to some {acts * len(links.names.shooters) // 2:,} acts of its players"
        links.say((*key, "input"), says, None, f"at most {MOST_ACTS:,}: a smaller count, a shorter glide")


def _pointed(links: Links, key: tuple, rows: list[Input], in_hand: list, kinds=("cursor", "stick")) -> None:
    """An ability that aims by the cursor or the stick needs one."""
    examples = {"cursor": "cursor = [10, 2]", "stick": "stick = [1, 0]"}
    for kind in kinds:
        if any(ability.aim.by == kind for ability in in_hand) and not any(getattr(row, kind) for row in rows):
            hint = f'write one, as input = [{{ t = 0, {examples[kind]}, tap = "fire" }}]'
            links.say((*key, "input"), f"an ability aims by the {kind}, and this case has no {kind}", hint=hint)


def _released(links: Links, places: list, rows: list[Input], case, in_hand: list) -> None:
    """A stream that is never let go needs an end."""
    for ability in in_hand:
        button = ability.firing.button
        downs = [k for k, row in enumerate(rows) if row.press == button]
        ups = [k for k, row in enumerate(rows) if row.release == button]
        if ability.firing.kind == "auto" and len(downs) > len(ups) and case.lasts is None:
            hint = "write hold and held, a release, or case.lasts"
            at, links.where = places[downs[-1]]
            links.say((*at, "press"), "is never released, and auto fire goes on", button, hint=hint)
            links.where = ""


def _pressed(links: Links, key: tuple, case, rows: list[Input], names: list[str]) -> None:
    """Where a case names its abilities, somebody must press their buttons."""
    if case.ability is None:
        return
    acted = {getattr(row, act) for row in rows for act in ("press", "tap", "hold")} - {None}
    for name in names:
        button = links.model.ability[name].firing.button
        if button not in acted:
            says = f"nobody presses the button of {name}"
            links.say(
                (*key, "input"), says, ", ".join(sorted(acted)) or None, f'a row as {{ t = 0, tap = "{button}" }}'
            )


def _measured(links: Links, at: tuple, check, everything: list[str], abilities: list[str]) -> None:
    if check.verb != "measure":
        if check.verb in ("happens", "never") and check.of in everything and check.of not in abilities:
            links.say((*at, "of"), "is a body, not an ability", check.of, hint=f'write body = "{check.of}"')
            return
        _whose(links, at, check, abilities)
        return
    meant = MEASURES[check.measure]
    if meant.needs_of and check.of is None:
        links.say((*at, "of"), "is missing", allowed=f"whose {check.measure}: {listed(everything)}")
    elif meant.of == "projectile":
        _whose(links, at, check, abilities)
    elif check.of is not None:
        links.name((*at, "of"), check.of, meant.of, everything)


def _whose(links: Links, at: tuple, check, abilities: list[str]) -> None:
    """A check is of an ability, or of a shot or projectile of one, as "flare-2", "flare-2.1" or "keeper-flare-2"."""
    if check.of is None:
        return
    shot = re.fullmatch(r"(.+)-[0-9]+(\.[0-9]+)?", check.of)
    shooters = [f"{name}-" for name in links.names.shooters]
    if shot is None or not any(shot[1] in (name, *(one + name for one in shooters)) for name in abilities):
        links.name((*at, "of"), check.of, "ability", abilities)
