"""How near a flight came to a body, when, and on which side."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.frame import dot
from nivvo.play.outcome.happened import nearest_to
from nivvo.play.outcome.run import Run
from nivvo.spec.arguments import checked
from nivvo.spec.words.nearest import known


@dataclass(frozen=True)
class Closest:
    """The nearest approach of one projectile to one body.

    gap : between the surfaces (units), negative in overlap. time : s. at_end : the flight ended there,
    still coming nearer. side : where the projectile was then, as seen along its flight, in words.
    """

    projectile: str
    gap: float
    time: float
    at_end: bool
    side: str


@checked
def closest(run: Run, body: str, of: str | None = None) -> Closest | None:
    """The nearest approach of any projectile to a body; None if nothing flew while it was there. Raises CallError.

    of : an ability, a shot or a projectile by its name.
    """
    known(body, run.scene.number, "body")
    if of is not None:
        known(of, whose(run), "ability or projectile")
    return min(each_closest(run, body, of), key=lambda one: one.gap, default=None)


def each_closest(run: Run, body: str, of: str | None = None) -> list[Closest]:
    """The nearest approach to a body of each projectile that flew while it was there. of : as of ``closest``."""
    found = [_approach(run, name, body) for name in run.names_of(of).values()]
    return [one for one in found if one is not None]


def whose(run: Run) -> list[str]:
    """What may be asked for in a run: its abilities, and each shot and projectile by its name."""
    return list(dict.fromkeys([*run.scene.abilities, *map(run.id_of, run.launched), *run.ids.values()]))


def _approach(run: Run, projectile: str, body: str) -> Closest | None:
    path = run.whole_flight(projectile)
    near, times = nearest_to(run, body, path, run.radius_of(projectile)), path.t
    if near is None:
        return None
    # Who is met as soon as he is there was not come nearer to.
    at_end = bool(near.time >= times[-1] - 1e-9 * max(times[-1] - times[0], 1e-9) and near.time > near.since)
    return Closest(projectile, near.gap, near.time, at_end, _side(run, path, near.number, near.time))


def _side(run: Run, path, number: int, t: float) -> str:
    """Where the projectile is from the body's nearest point: above or below, short or beyond, left or right."""
    frame = run.scene.frame
    normal = run.stage.normal(number, path.at(t)[0], t * UNITS)
    words = []
    if frame.vertical and abs(rise := float(dot(normal, frame.up))) > 0.35:
        words.append("above" if rise > 0 else "below")
    flat = frame.level(path.v[0])
    length = float(np.sqrt(dot(flat, flat)))
    if length > 0.0:
        ahead = float(dot(normal, flat)) / length
        if abs(ahead) > 0.35:
            words.append("beyond" if ahead > 0 else "short of")
        if frame.view != "side":
            right = frame.hand * np.cross(flat / length, frame.up)
            aside = float(dot(normal, right))
            if abs(aside) > 0.35:
                words.append("right of" if aside > 0 else "left of")
    return " and ".join(words) or "beside"
