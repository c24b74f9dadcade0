"""The same shots among 10, 200 and 2,000 obstacles of one density."""

import numpy as np

from nivvo.core import pool
from nivvo.core.geometry.shapes import BALL, BOX, CAPSULE, ENDLESS
from nivvo.core.numbers import clock
from nivvo.core.world.arena import Arena, ticks_of

RATE = 60
DENSITY = 0.02
SPEED = 18.0
GRAVITY = np.array([0.0, -9.81, 0.0])
RADIUS = 0.1


def obstacles(count: int, seed: int = 0) -> tuple[np.ndarray, float]:
    """Balls, capsules and turned boxes about a metre wide, and the side of their square."""
    rng = np.random.default_rng(seed)
    side = (count / DENSITY) ** 0.5
    rows = pool.zeros(count, pool.BODY)
    turn = rng.uniform(0, 2 * np.pi, count)
    rows["axis0"] = np.c_[np.cos(turn), np.sin(turn), 0 * turn]
    rows["axis1"] = np.c_[-np.sin(turn), np.cos(turn), 0 * turn]
    rows["axis2"] = [0, 0, 1]
    rows["kind"] = rng.integers(0, 3, count)
    rows["radius"] = np.choose(rows["kind"], [0.5, 0.3, 0.0])
    rows["half"] = np.array([[0, 0, 0], [0.6, 0, 0], [0.6, 0.4, ENDLESS]])[rows["kind"]]
    assert (BALL, CAPSULE, BOX) == (0, 1, 2)
    rows["c0"][:, :2] = rng.uniform(0, side, (count, 2))
    rows["key"], rows["health"] = np.arange(count), np.inf
    return rows, side


def shots(count: int, side: float, seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """Positions and velocities (count, 3): anywhere, any direction, one speed."""
    rng = np.random.default_rng(seed)
    turn = rng.uniform(0, 2 * np.pi, count)
    p = np.c_[rng.uniform(0, side, (count, 2)), np.zeros(count)]
    return p, SPEED * np.c_[np.cos(turn), np.sin(turn), np.zeros(count)]


def filled(bodies: np.ndarray, side: float, count: int, then: int = pool.END, life: float = 2.0) -> Arena:
    """An arena with these bodies and ``count`` shots in the air."""
    arena = Arena(bodies, 1, scene=side, flat=True, sampled=False)
    launch = arena.new_params(GRAVITY, RADIUS, then=then, life=clock.from_seconds(life))
    arena.put(launch, *shots(count, side), np.arange(count), 0)
    arena.events = pool.zeros(6 * count + 20_000, pool.EVENT)
    return arena


def ticks(count: int, first: int = 0) -> np.ndarray:
    """Rows of ticks at RATE."""
    return ticks_of(clock.edges_of_rate(RATE, first, count), first, 1.0 / RATE)
