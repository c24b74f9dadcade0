"""Firing a case of a drill: a session that is fed by the case's track."""

from __future__ import annotations

from os import PathLike

from nivvo.errors import CallError
from nivvo.plan.case import Case, case_of
from nivvo.play.aims.aiming import Shot
from nivvo.play.outcome.run import Run
from nivvo.play.session.session import Session
from nivvo.spec.arguments import checked
from nivvo.spec.drill import Drill
from nivvo.spec.words.nearest import known


@checked
def fire(
    drill: Drill | str | PathLike[str],
    case: str | None = None,
    *,
    keep: str = "paths",
    patient: bool = False,
    compiled: bool = False,
) -> Run:
    """Fire one case of a drill.

    Parameters
    ----------
    drill : Drill
    case : its name; None takes the first
    keep : "paths" (position and velocity at each tick) or "contacts" (less memory; of a way that forces bend between
        events, or a game's own step, neither apex nor length is known then: nan)
    patient : go on however much there is to do
    compiled : compile (or load) the engine now, for many runs to come; else it is when there is enough to do

    Raises CallError for an unknown case or keep and for too much to do without patience, DrillError if something
    that the drill names cannot be read.
    """
    if keep not in ("paths", "contacts"):
        raise CallError(f'keep is "paths" or "contacts", not {keep!r}')
    case = case_of(drill, case)
    session = _begun(case, sampled=keep == "paths", patient=patient)
    if compiled:
        session.compile()
    session.finish()
    return session.run(case.drill, case.name)


def first_shot(case: Case, ability: str) -> Shot | None:
    """The first shot of an ability that a case fires, or None. Raises CallError where that is too much to do."""
    session = _begun(case, sampled=False)

    def found() -> Shot | None:
        return next((shot for shot in session.shots if shot.ability == ability and shot.parent < 0), None)

    session.finish(found)
    return found()


def _begun(case: Case, **options) -> Session:
    """A session that its case's track is fed to, before its first tick."""
    session = Session(case.scene, case.in_hand, case.lasts, goals=case.goals, **options)
    session.feed(case.changes, case.moved)
    return session


def scratch(case: Case, time: int = 0, **options) -> Session:
    """A session in which nobody fires, as players and bodies are at ``time`` (clock); ``options`` as of Session.

    What is asked about a case is asked of one of these.
    """
    session = Session(case.scene, [], **options)
    session.feed(case.changes, case.moved)
    session.take_in(time)
    return session


def ability_in(case: Case, name: str | None) -> str:
    """An ability of a case by name, the first in hand for None. Raises CallError with the nearest name."""
    return known(case.in_hand[0] if name is None else name, case.scene.abilities, "ability")


def shooter_in(case: Case, ability: str, name: str | None) -> str:
    """Who fires an ability, by name; None: who has it. Raises CallError with the nearest name."""
    return known(case.scene.shooter_of(ability) if name is None else name, case.scene.shooters, "shooter")
