"""The path of one projectile: known where it was recorded, exact between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Path:
    """Launch, each tick's end, touches and end of one projectile.

    t : (n,) s. p, v : (n, 3) world. a : (3,) acceleration, or None where a game's own step moved it
    in straight pieces. moves_at : s, when it began to move.
    """

    t: np.ndarray
    p: np.ndarray
    v: np.ndarray
    a: np.ndarray | None
    moves_at: float

    def at(self, times) -> tuple[np.ndarray, np.ndarray]:
        """Position and velocity, each (..., 3), at times (s); nan before launch and after the end.

        In exact step the parabola itself; in a game's own step the straight piece of that tick.
        """
        times = np.asarray(times, dtype=float)
        inside = (times >= self.t[0]) & (times <= self.t[-1])
        clipped = np.clip(times, self.t[0], self.t[-1])
        if self.a is not None:
            age = np.maximum(clipped - self.moves_at, 0.0)[..., None]
            p = self.p[0] + self.v[0] * age + self.a * (0.5 * age * age)
            v = self.v[0] + self.a * age
        else:
            k = np.clip(np.searchsorted(self.t, clipped, side="right") - 1, 0, max(len(self.t) - 2, 0))
            after = np.minimum(k + 1, len(self.t) - 1)
            span = self.t[after] - self.t[k]
            safe = np.where(span > 0.0, span, 1.0)[..., None]
            v = np.where(span[..., None] > 0.0, (self.p[after] - self.p[k]) / safe, self.v[k])
            p = self.p[k] + v * (clipped - self.t[k])[..., None]
        return np.where(inside[..., None], p, np.nan), np.where(inside[..., None], v, np.nan)

    def by_distance(self, spacing: float, most: int) -> np.ndarray:
        """Times (s) at which the path is 0, spacing, 2 spacing, ... long; at most ``most`` of them."""
        fine = np.unique(np.concatenate([self.t, np.linspace(self.t[0], self.t[-1], 16 * len(self.t))]))
        p, _ = self.at(fine)
        steps = np.sqrt(((p[1:] - p[:-1]) ** 2).sum(axis=1))
        length = np.concatenate([[0.0], np.cumsum(steps)])
        wanted = np.arange(0.0, length[-1] * (1 + 1e-12), spacing)[:most]
        return np.interp(wanted, length, fine)
