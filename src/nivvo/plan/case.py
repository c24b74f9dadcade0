"""The plan of a case: its scene, which abilities are in hand, what its players do and for how long.

Drills that were made of one another by settings share the plans of all that is the same in them.
"""

from __future__ import annotations

from typing import Any, NamedTuple

from nivvo.core.numbers import clock
from nivvo.plan.bodies import Body, body_of
from nivvo.plan.pieces import pieces_of
from nivvo.plan.scene import Scene
from nivvo.plan.track import Change, Moved, changes, moves
from nivvo.spec.checking.links import body_of as checked_body
from nivvo.spec.checking.links import in_hand
from nivvo.spec.drill import Drill
from nivvo.spec.scenes.case import Case as Written
from nivvo.spec.scenes.scene import LEAST_FRAME
from nivvo.spec.words.nearest import known

MOST_KEPT = 1000
"""Plans of scenes and abilities that are kept for drills still to come."""

__all__ = ["LEAST_FRAME", "Case", "case_of", "one_more", "scene_of"]


class Goal(NamedTuple):
    """What decides a case, "won" or "lost": a score, the number of a group that is out, a time (clock), or the number
    of a group of which one touches a shooter."""

    word: str
    score: float | None
    group: int | None
    time: int | None
    touched: int | None = None


class Case(NamedTuple):
    """A case as it runs. lasts : when it is over (clock), None: once nothing flies. goals : what decides it.

    changes : what its players do. moved : what the game moves.
    """

    drill: str
    name: str
    scene: Scene
    in_hand: list[str]
    changes: list[Change]
    lasts: int | None
    goals: tuple[Goal, ...] = ()
    moved: tuple[Moved, ...] = ()


def case_of(drill: Drill, name: str | None = None) -> Case:
    """The plan of a case, made once a drill. Raises CallError for an unknown case."""
    name = drill.case_name(name)
    if name in drill._cache:
        return drill._cache[name]
    with drill._tables.lock:
        model, scene = drill.of_case(name), scene_of(drill, name)
        written = model.case.get(name) or Written.unwritten()
        hand = sorted(in_hand(model, written))
        lasts = None if written.lasts is None else clock.from_seconds(written.lasts.seconds(scene.rate))
        buttons = sorted({scene.abilities[one].firing.button for one in hand})
        kept, key = drill._tables.planned, ("changes", id(written), id(scene.made), *buttons)
        if key not in kept:
            # What it goes by is held on to, so that their identities stay theirs.
            done = changes(drill.inputs(name), scene, buttons), moves(drill.moved(name), scene)
            kept[key] = written, scene, *done
        done = kept[key]
        drill._cache[name] = Case(drill.name, name, scene, hand, done[2], lasts, _goals(written, scene), done[3])
    return drill._cache[name]


def _goals(written: Any, scene: Scene) -> tuple[Goal, ...]:
    """What decides a case; at one time it is lost before it is won."""
    out = []
    for word in ("lost", "won"):
        if (one := getattr(written, word)) is not None:
            group = None if one.out is None else scene.groups.index(one.out)
            time = None if one.time is None else clock.from_seconds(one.time.seconds(scene.rate))
            touched = None if one.touched is None else scene.groups.index(one.touched)
            out.append(Goal(word, one.score, group, time, touched))
    return tuple(out)


def one_more(drill: Drill, case: Case, kind: str, name: str, keys: dict[str, Any], there: list[str]) -> list[Body]:
    """The plan of one more body of a case, from the keys of its table: its pieces. there : names of those there are.

    Raises CallError for whatever is wrong.
    """
    scene = case.scene
    body = checked_body(kind, name, keys, drill.of_case(case.name), there)
    known(body.group, scene.groups, "group")
    for part in body.parts or []:
        if part.group is not None:
            known(part.group, scene.groups, "group")
    made = pieces_of(body, scene.frame, scene.metre, drill.document.folder)
    return [
        body_of(kind, name, body, scene.groups, scene.frame, scene.metre, scene.rate, piece=piece, seed=scene.seed)
        for piece in made or [None]
    ]


def scene_of(drill: Drill, name: str) -> Scene:
    """A scene of a case, of its own but for what never changes."""
    model, kept = drill.of_case(name), drill._tables.planned
    if len(kept) > MOST_KEPT:
        kept.clear()
    parts = (model.world, model.tick, model.shooter, model.obstacle, model.target)
    key = tuple(map(id, parts))
    if key not in kept:
        # The parts are held on to, so that their identities stay theirs.
        kept[key] = (parts, Scene(model, drill.document.folder))
    return kept[key][1].with_abilities(model, kept)
