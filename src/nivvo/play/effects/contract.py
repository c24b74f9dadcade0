"""What an effect is given: the moment that it follows, and what it may do."""

from __future__ import annotations

from typing import NamedTuple, Protocol

import numpy as np

from nivvo.plan.abilities.effects import Anchor, Blink, Lasting, Pull, Score, Sends


class Contact(NamedTuple):
    """A contact, or another moment of a flight, that the engine holds at.

    key : of the projectile. body : the number of what it touched, or -1. start, after, tick : clock of the tick's
    start, s since then, and its number. point : of the surface that it touches (3,), its own middle where it touches
    nothing. p, v : (3,) of the projectile's middle, as it came. u, normal : the body's velocity and outward normal
    there, nothing where there is none.
    """

    key: int
    body: int
    start: int
    after: float
    tick: int
    point: np.ndarray
    p: np.ndarray
    v: np.ndarray
    u: np.ndarray
    normal: np.ndarray

    @property
    def when(self) -> tuple[int, float, int]:
        """The clock of the tick's start, seconds since then, and the tick's number."""
        return self.start, self.after, self.tick


class World(Protocol):
    """The session, as effects see it."""

    def send(self, contact: Contact, effect: Sends, heading: np.ndarray, to: int | None) -> None:
        """Let projectiles leave from a contact along a unit vector (3,), or straight at a body, at once."""

    def level(self, way: np.ndarray) -> np.ndarray:
        """What of a way (3,) neither rises nor sinks."""

    def stands(self, velocity: np.ndarray) -> bool:
        """Whether a velocity (3,) is none but for rounding."""

    def pointing(self, contact: Contact, when: str) -> np.ndarray:
        """The unit vector (3,) along which a projectile points that does not move: as it was aimed, at an apex up."""

    def nearest(self, contact: Contact, effect: Sends) -> int | None:
        """The number of the nearest body that may be sent to, but for what is touched."""

    def owner(self, contact: Contact) -> int:
        """The number of the shooter whose projectile it is."""

    def spot(self, contact: Contact, body: int) -> np.ndarray:
        """Where the spot of a body is then (3,): its middle, unless another point is written."""

    def middle(self, contact: Contact, body: int) -> np.ndarray:
        """Where the middle of a body is then (3,)."""

    def around(self, contact: Contact, point, radius: float, all_: bool, but: set[int]) -> list[tuple[int, float]]:
        """Targets and shooters, or all there is, whose surface is then within ``radius`` of a point (3,); the gaps."""

    def seen(self, contact: Contact, point: np.ndarray, body: int) -> float:
        """The share of a body that no obstacle then hides from a point (3,)."""

    def burst(self, contact: Contact, point: np.ndarray, radius: float) -> None:
        """Write down that something burst at a point (3,)."""

    def hurt(self, contact: Contact, body: int, amount: float) -> None:
        """Take health from a target or a shooter, at once."""

    def last(self, contact: Contact, effect: Lasting) -> None:
        """Let damage to the body that is touched go on by itself."""

    def remove(self, contact: Contact, body: int) -> None:
        """Put a body out, at once."""

    def momentum(self, contact: Contact) -> np.ndarray:
        """Mass times velocity of the projectile, as the body that it touches sees it (3,)."""

    def push(self, contact: Contact, body: int, impulse: np.ndarray) -> None:
        """Give a body with a mass an impulse (3,), mass times units/s, at the next tick."""

    def blink(self, contact: Contact, point: np.ndarray, effect: Blink) -> None:
        """Bring the shooter to a point (3,) from the next tick on, clear of what is solid; or tell why not."""

    def pull(self, contact: Contact, body: int, effect: Pull) -> None:
        """Let a body come to the shooter from the next tick on."""

    def anchor(self, contact: Contact, effect: Anchor) -> None:
        """Leave a mark where a body is touched, if it fits."""

    def score(self, contact: Contact, effect: Score, points: float) -> None:
        """Give points to whoever fired."""
