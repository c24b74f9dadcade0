"""How near a flight came to a body, when, and on which side."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from nivvo.core.clock import UNITS
from nivvo.core.frame import dot
from nivvo.play.run import Run

_GOLDEN = (math.sqrt(5.0) - 1.0) / 2.0


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


def closest(run: Run, body: str, ability: str | None = None) -> Closest | None:
    """The nearest approach of any projectile (of an ability) to a body; None if nothing flew."""
    found = [
        _approach(run, row["projectile"], body)
        for row in run.rows("projectiles")
        if ability is None or row["ability"] == ability
    ]
    return min(found, key=lambda one: one.gap, default=None)


def each_closest(run: Run, body: str, ability: str | None = None) -> list[Closest]:
    """The nearest approach of each projectile (of an ability) to a body."""
    rows = run.rows("projectiles")
    return [_approach(run, row["projectile"], body) for row in rows if ability is None or row["ability"] == ability]


def _approach(run: Run, projectile: str, body: str) -> Closest:
    path = run.flight(projectile)
    number = run.scene.number[body]
    radius = run.radius_of(run.key_of(projectile))

    def gap(t: float) -> float:
        return run.actors.gap(number, path.at(t)[0], t * UNITS) - radius

    times = path.t
    gaps = np.array([gap(t) for t in times])
    best_t, best = float(times[gaps.argmin()]), float(gaps.min())
    # Along a nearly straight piece the distance to a convex body has one valley: look into the deepest.
    for k in np.argsort(gaps, kind="stable")[:3]:
        low, high = float(times[max(k - 1, 0)]), float(times[min(k + 1, len(times) - 1)])
        t = _valley(gap, low, high)
        if gap(t) < best:
            best_t, best = t, gap(t)
    at_end = best_t >= times[-1] - 1e-9 * max(times[-1] - times[0], 1e-9)
    return Closest(projectile, best, best_t, at_end, _side(run, path, number, best_t))


def _valley(f, low: float, high: float) -> float:
    """Where f is least between low and high, by golden section."""
    a, b = high - _GOLDEN * (high - low), low + _GOLDEN * (high - low)
    fa, fb = f(a), f(b)
    for _ in range(60):
        if high - low <= 1e-12 * max(abs(high), 1.0):
            break
        if fa <= fb:
            high, b, fb = b, a, fa
            a = high - _GOLDEN * (high - low)
            fa = f(a)
        else:
            low, a, fa = a, b, fb
            b = low + _GOLDEN * (high - low)
            fb = f(b)
    return (low + high) / 2.0


def _side(run: Run, path, number: int, t: float) -> str:
    """Where the projectile is from the body's nearest point: above or below, short or beyond, left or right."""
    frame = run.scene.frame
    normal = run.actors.normal(number, path.at(t)[0], t * UNITS)
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
