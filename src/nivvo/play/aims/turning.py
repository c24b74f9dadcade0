"""Aims that turn no faster than their rate: followed from tick to tick, and from one input to the next.

A stick's is told from its rows alone (``core.launching.stick``).
"""

from __future__ import annotations

from nivvo.play.aims.aiming import Asked, follow, muzzles_of
from nivvo.play.stage.stage import Stage


class Turning:
    """All aims of a stage that turn so, whether somebody fires them or only looks."""

    def __init__(self, stage: Stage):
        scene = stage.scene
        self.stage, self.all = stage, [
            Asked(0, name, shooter, 0, 0)
            for name, ability in scene.abilities.items() if ability.aim.turns for shooter in scene.shooters_of(name)
        ]  # fmt: skip

    @property
    def active(self) -> bool:
        """Whether there is any."""
        return bool(self.all)

    def follow(self, time: int, shooter: str | None = None) -> None:
        """See how far they have turned up to a time (clock): of all shooters, or of one about to do something else."""
        for one in self.all:
            if shooter in (None, one.shooter) and not self.stage.out(self.stage.number[one.shooter]):
                for muzzle in muzzles_of(self.stage.scene, one):
                    follow(self.stage, one._replace(time=time, pressed=time), muzzle)
