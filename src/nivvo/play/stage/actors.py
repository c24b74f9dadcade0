"""The bodies of a scene in motion, and the shooters with what their players do."""

from __future__ import annotations

import math

import numpy as np

from nivvo.core.approach import Span, least
from nivvo.core.clock import UNITS
from nivvo.core.contact import NONE, TOUCH, UNDECIDED, first_contact
from nivvo.core.shapes import distance
from nivvo.core.vec import along, arc, dot, sub
from nivvo.play.stage.motion import Motion, Walker, motion_of
from nivvo.play.stage.player import Player
from nivvo.play.stage.scene import Scene
from nivvo.record.path import Path

STILL = (0.0, 0.0, 0.0)


def three(vector) -> tuple[float, float, float]:
    """A vector as plain numbers."""
    return float(vector[0]), float(vector[1]), float(vector[2])


def _near(row, state, body, radius: float):
    """Gap between a ball and a body, and how fast it changes, at a time (s)."""
    c, v, a, since = body

    def near(time: float) -> tuple[float, float]:
        p, u = state(time)
        t = time - since
        gap, n = distance(row, sub(p, arc(c, v, a, t)))
        return gap - radius, dot(n, sub(u, along(v, a, t)))

    return near


class Actors:
    """Everything in a scene that has a place, at any time.

    ``out`` (n,): which bodies are out already.
    """

    def __init__(self, scene: Scene):
        self.scene = scene
        self.motions: list[Motion] = []
        for row, body, shift in zip(scene.bodies, scene.described, scene.shifts, strict=True):
            walk = getattr(body, "walk", None)
            if walk is not None:
                self.motions.append(Walker(row["c0"].copy(), walk, scene.frame, scene.gravity))
            else:
                self.motions.append(motion_of(body.move, row["c0"].copy(), scene.frame, shift))
        self.players = {name: Player(scene, name, self.motions[scene.number[name]]) for name in scene.shooters}
        self.out = np.zeros(len(self.motions), dtype=np.int32)

    def middle(self, number: int, time: int) -> np.ndarray:
        """Where the middle of a body is at ``time`` (on the clock)."""
        return self.motions[number].at(time)[0]

    def gap(self, number: int, point, time: int) -> float:
        """Signed distance (units) of a point (3,) from a body at ``time``."""
        d = point - self.middle(number, time)
        return float(distance(self.scene.bodies[number], (float(d[0]), float(d[1]), float(d[2])))[0])

    def least_gap(self, number: int, path: Path, radius: float, start: float, stop: float) -> tuple[float, float]:
        """The least gap (units) between a ball of ``radius`` on its path and a body on its way, from ``start`` to
        ``stop`` (s), to 1e-12 of the scene; and when. Who asks how near something comes asks this."""
        row, spans = self.scene.bodies[number], []
        for piece in path.pieces(start, stop):
            now = piece.start
            while True:
                (c, v, a), since = self.motions[number].piece(now * UNITS)
                turn = self.motions[number].next_break(now * UNITS)
                end = piece.stop if turn is None else min(piece.stop, max(turn / UNITS, math.nextafter(now, math.inf)))
                body = (three(c), three(v), three(a), since / UNITS)
                bend = piece.bend + math.sqrt(float(dot(a, a)))
                spans.append(Span(now, end, _near(row, piece.state, body, radius), bend))
                now = end
                if now >= piece.stop:
                    break
        return least(spans, UNDECIDED * self.scene.size)

    def normal(self, number: int, point, time: int) -> np.ndarray:
        """Outward normal (3,) of a body at a point."""
        d = point - self.middle(number, time)
        return np.array(distance(self.scene.bodies[number], (float(d[0]), float(d[1]), float(d[2])))[1])

    def first_on_line(self, start, to, radius: float, time: int, among) -> tuple[int, float] | None:
        """The first body (of the numbers ``among``) that a ball meets on the straight way ``to`` from ``start``.

        Tells its number and the share of the way; as things stand at ``time``. Those it starts in are passed over.
        """
        best = None
        line = tuple(float(x) for x in to)
        for number in among:
            if self.out[number]:
                continue
            rel = tuple(float(x) for x in start - self.middle(number, time))
            row = self.scene.bodies[number]
            what, share = first_contact(row, rel, line, STILL, radius, 1.0, 1e-13 * self.scene.size)
            if what == TOUCH and (best is None or share < best[1]):
                best = (number, share)
        return best

    def hidden(self, start, to, time: int) -> bool:
        """Whether an obstacle stands on the straight line from ``start`` along ``to``, as things stand at ``time``."""
        line = tuple(float(x) for x in to)
        for number in self.of_kind("obstacle"):
            rel = tuple(float(x) for x in start - self.middle(number, time))
            row = self.scene.bodies[number]
            if (
                not self.out[number]
                and first_contact(row, rel, line, STILL, 0.0, 1.0, 1e-13 * self.scene.size)[0] != NONE
            ):
                return True
        return False

    def of_kind(self, *kinds: str) -> list[int]:
        """Numbers of the bodies of some kinds."""
        return [number for number, kind in enumerate(self.scene.kinds) if kind in kinds]
