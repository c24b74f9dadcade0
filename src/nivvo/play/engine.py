"""Firing a case of a drill: a session that is fed by the case's track."""

from __future__ import annotations

from nivvo.core import clock
from nivvo.errors import CallError
from nivvo.play.run import Run
from nivvo.play.session import Session
from nivvo.play.stage.scene import Scene
from nivvo.play.stage.track import changes
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill


def scene_of(drill: Drill, case: str) -> Scene:
    """The scene of a case, made once a drill. Raises CallError for an unknown case."""
    case = drill.case_name(case)
    if case not in drill._cache:
        drill._cache[case] = Scene(drill.of_case(case), drill.document.folder)
    return drill._cache[case]


@checked
def fire(drill: Drill, case: str | None = None, *, keep: str = "paths", patient: bool = False) -> Run:
    """Fire one case of a drill.

    Parameters
    ----------
    drill : Drill
    case : its name; None takes the first
    keep : "paths" (position and velocity at each tick) or "contacts" (less memory, no path between events)
    patient : go on however much there is to do

    Raises CallError for an unknown case or keep and for too much to do without patience, DrillError if something
    that the drill names cannot be read.
    """
    if not isinstance(drill, Drill):
        raise CallError(f"fire takes a drill, as nivvo.load(path) gives, not {type(drill).__name__}")
    if keep not in ("paths", "contacts"):
        raise CallError(f'keep is "paths" or "contacts", not {keep!r}')
    name = drill.case_name(case)
    described = drill.case(name)
    scene = scene_of(drill, name)
    lasts = None if described.lasts is None else clock.from_seconds(described.lasts.seconds(scene.ticks.rate))
    session = session_of(drill, name, lasts, sampled=keep == "paths", patient=patient)
    session.finish()
    return session.run(drill.name, name)


def session_of(drill: Drill, case: str, lasts: int | None = None, **options) -> Session:
    """A session of a case at its start, fed with all that its players do; ``options`` as of Session."""
    scene, in_hand = scene_of(drill, case), in_hand_of(drill, case)
    session = Session(scene, in_hand, lasts, **options)
    session.feed(changes(drill.inputs(case), scene, in_hand))
    return session


def in_hand_of(drill: Drill, case: str) -> list[str]:
    """Names of the abilities that are in hand in a case, in order. Raises CallError for an unknown case."""
    chosen = drill.case(case).ability
    return sorted([chosen] if isinstance(chosen, str) else chosen or drill.of_case(case).ability)
