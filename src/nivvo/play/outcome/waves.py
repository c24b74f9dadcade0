"""What becomes of waves: when the last of one has come, and when none of it is left."""

from __future__ import annotations

from typing import NamedTuple

from nivvo.core import pool
from nivvo.plan.scene import Scene

COMPLETE, CLEARED = "wave complete", "wave cleared"


class Waved(NamedTuple):
    """Something that became of a wave: a word, the wave's name, the last body's number, in words."""

    word: str
    wave: str
    body: int
    detail: str


class Waves:
    """Waves as events go by: of each those who are still to come, and those who are there."""

    def __init__(self, scene: Scene):
        self.of = {number: wave for wave in scene.waves for number in wave.bodies.tolist()}
        late = {number for number in self.of if scene.planned[number].arrives}
        self.coming = {wave.name: late & set(wave.bodies.tolist()) for wave in scene.waves}
        self.there = {wave.name: set(wave.bodies.tolist()) - late for wave in scene.waves}

    def see(self, kind: int, body: int) -> list[Waved]:
        """Take in an event; what became of a wave by it."""
        if (wave := self.of.get(body)) is None:
            return []
        coming, there, out = self.coming[wave.name], self.there[wave.name], []
        if kind in (pool.ARRIVED, pool.TURNED_AWAY) and body in coming:
            coming.discard(body)
            if kind == pool.ARRIVED:
                there.add(body)
            if not coming:
                out.append(Waved(COMPLETE, wave.name, body, f"all of {wave.name} have come"))
        elif kind == pool.OUT and body in there:
            there.discard(body)
        else:
            return []
        if not coming and not there:
            out.append(Waved(CLEARED, wave.name, body, f"none of {wave.name} is left"))
        return out

    def leave(self, body: int) -> list[Waved]:
        """A body is taken away, as a game does with who is out by its own rules; what became of a wave by it."""
        found = self.see(pool.TURNED_AWAY, body) or self.see(pool.OUT, body)
        self.of.pop(body, None)
        return found
