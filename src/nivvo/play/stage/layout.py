"""What of a stage is the same for all sessions of a scene, made once for all of them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from nivvo.core.geometry.shapes import plain
from nivvo.play.ways.motion import Motion
from nivvo.play.ways.ways import motion_of

if TYPE_CHECKING:
    from nivvo.plan.scene import Scene


class Layout:
    """How bodies stand at 0 s.

    motions : the ways of those that stand, which a session replaces and never changes; None for the others, whose
    numbers are ``own``. ways : of these, but for who walks: each session goes along ways of its own like them. shifts,
    arrived, on_shooter, waves : as a Stage has them at first; come, go : its ``coming`` and ``going``. masses : numbers
    of those with a mass. walks : whether a shooter walks. mortal : whether a shooter can be hurt. begun : what was
    found of how those who walk begin, by what was asked (``Afoot``).
    """

    def __init__(self, scene: Scene):
        bodies = list(enumerate(scene.planned))
        walks = {name for name, gunner in scene.shooters.items() if gunner.walk is not None}
        self.own = [
            k for k, body in bodies
            if body.name in walks or body.move is not None or body.mass is not None or body.row["turns"] != 0.0
        ]  # fmt: skip
        self.motions: list = [Motion(body.row["c0"].copy()) for _, body in bodies]
        self.ways = {}
        for k in self.own:
            self.motions[k] = None
            if bodies[k][1].name not in walks:
                self.ways[k] = motion_of(bodies[k][1], scene)
        self.shifts = {k: bodies[k][1].shift for ks in scene.whole.values() if len(ks) > 1 for k in ks}
        self.arrived = {k: 0 for k, body in bodies if not body.arrives}
        firsts = {numbers[0] for numbers in scene.whole.values()}
        self.come = sorted((body.arrives, k) for k, body in bodies if body.arrives and k in firsts)
        self.go = sorted((body.leaves, k) for k, body in bodies if body.leaves is not None and k in firsts)
        self.on_shooter = {k: body.on_shooter for k, body in bodies if body.on_shooter is not None}
        self.waves = {k: wave for wave in scene.waves for k in wave.bodies.tolist()}
        self.masses = [k for k, body in bodies if body.mass is not None]
        self.walks, self.begun = bool(walks), {}
        self._rows, self._shapes = scene.bodies, {}
        healths = scene.bodies["health"][[scene.number[name] for name in scene.shooters]]
        self.mortal = bool(np.isfinite(healths).any())

    def shape(self, number: int) -> dict:
        """A body's shape as it stands, to be asked for a distance."""
        if number not in self._shapes:
            self._shapes[number] = plain(self._rows[number])
        return self._shapes[number]


def layout_of(scene: Scene) -> Layout:
    """The layout of a scene, made once."""
    if Layout not in scene.made:
        scene.made[Layout] = Layout(scene)
    return scene.made[Layout]
