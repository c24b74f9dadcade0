"""What an effect is given: the contact that it follows, and what it may do."""

from __future__ import annotations

from typing import NamedTuple, Protocol

import numpy as np


class Contact(NamedTuple):
    """A contact that the engine holds at.

    key : of the projectile. body : its number. start, after : clock of the tick's start, and s since then.
    p, v : (3,) of the projectile's middle, as it came. u, normal : the body's velocity and outward normal there.
    radius : of the projectile (units).
    """

    key: int
    body: int
    start: int
    after: float
    p: np.ndarray
    v: np.ndarray
    u: np.ndarray
    normal: np.ndarray
    radius: float


class World(Protocol):
    """The session, as effects see it."""

    def send(self, contact: Contact, ability: str, heading: np.ndarray) -> None:
        """Let projectiles of an ability leave from a contact along a unit vector (3,), at once."""
