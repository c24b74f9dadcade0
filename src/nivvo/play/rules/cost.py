"""What a session costs, and where it stops unless somebody is patient."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from nivvo.core.numbers.clock import to_seconds
from nivvo.errors import CallError

MOST_SHOTS = 4_000
MOST_FLOWN = 20_000_000
MOST_KEPT = 2_000_000
"""Shots; projectile-ticks; projectile-ticks whose positions are kept: some seconds, some hundred megabytes."""


TOLD_EVERY = 100_000
"""Projectile-ticks, or as much in shots, after which whoever watches is told."""

_watcher: ContextVar[Callable[[str], None] | None] = ContextVar("watcher", default=None)


@contextmanager
def watched(watcher: Callable[[str], None]) -> Iterator[None]:
    """Let ``watcher`` be told, in words, how far the sessions made within are."""
    token = _watcher.set(watcher)
    try:
        yield
    finally:
        _watcher.reset(token)


class Meter:
    """Counts shots and projectile-ticks (one projectile, one tick) of a session.

    patient : count, and never stop. kept : positions are kept.
    """

    def __init__(self, patient: bool, kept: bool):
        self.patient, self.most_flown = patient, MOST_KEPT if kept else MOST_FLOWN
        self.shots = self.flown = self.told = 0
        self.watcher = _watcher.get()

    def fire(self, time: int, last: int) -> None:
        """One shot at a time; the last input comes at ``last`` (clock). Raises CallError where it is one too many."""
        self.shots += 1
        if self.shots > MOST_SHOTS and not self.patient:
            raise CallError(self._says(time, last, "a lower firing.rate, a shorter hold, or ammo"))
        if self.watcher is not None:
            self._tell(self.watcher, time)

    def fly(self, count: int, ticks: int, time: int, last: int) -> None:
        """``count`` projectiles over some ticks, up to a time (clock). Raises CallError where it is too much."""
        self.flown += count * ticks
        if self.flown > self.most_flown and not self.patient:
            raise CallError(
                self._says(time, last, "a shorter limits.life, limits.in_the_air, a lower tick.rate or lasts")
            )
        if self.watcher is not None:
            self._tell(self.watcher, time)

    def _tell(self, watcher: Callable[[str], None], time: int) -> None:
        done = self.flown + self.shots * (MOST_KEPT // MOST_SHOTS)
        if done >= self.told + TOLD_EVERY:
            self.told = done
            watcher(
                f"at {to_seconds(time):.4g} s: {count_of(self.shots)} shots, {count_of(self.flown)} projectile-ticks"
            )

    def _says(self, time: int, last: int, less: str) -> str:
        share = time / last if last > time > 0 else 1.0
        what = f"{count_of(self.shots / share)} shots and {count_of(self.flown / share)} projectile-ticks"
        so_far = "by the end of its inputs " if share < 1.0 else ""
        now = f"at {to_seconds(time):.4g} s now"
        return f"this case comes to about {what} {so_far}({now}); write {less}, or be patient: --patient"


def count_of(number: float) -> str:
    """A large number for a person, as 9·10^7; small ones as they are."""
    if number < 1e5:
        return f"{round(number):,}"
    text = f"{number:.0e}"
    digits, _, power = text.partition("e")
    return f"{digits}·10^{int(power)}"
