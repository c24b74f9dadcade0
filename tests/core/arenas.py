"""Arenas for the tests of the tick: scenes, shots, and their tables in a canonical order."""

import numpy as np

from nivvo.core import pool
from nivvo.core.geometry.shapes import BALL, HALF_SPACE
from nivvo.core.numbers import clock
from nivvo.core.world.arena import Arena, ticks_of
from tests.core.bodies import body


def ticks(count, rate=60.0, first=0):
    return ticks_of(clock.edges_of_rate(rate, first, count), first, 1.0 / rate)


def ball(at, radius=0.5, velocity=(0, 0, 0), health=np.inf, key=0, group=0):
    row = pool.zeros(1, pool.BODY)[0]
    row["kind"], row["radius"], row["health"], row["key"], row["group"] = BALL, radius, health, key, group
    row["axis0"], row["axis1"], row["axis2"] = np.eye(3)
    row["c0"] = row["c"] = at
    row["v0"] = row["v"] = velocity
    return row


def floor(y=0.0, key=0):
    row = ball((0, y, 0), key=key)
    row["kind"], row["axis0"] = HALF_SPACE, (0, 1, 0)
    return row


def stack(rows):
    out = pool.zeros(len(rows), pool.BODY)
    for k, row in enumerate(rows):
        out[k] = row
    return out


def crowd(rng, count, side, flat=True, moving=0.2):
    """Random bodies of all small kinds in a square of ``side``; some of them move."""
    rows = []
    for key in range(count):
        centre = rng.uniform(0, side, 3)
        if flat:
            centre[2] = 0.0
        velocity = rng.normal(size=3) * 2 * (rng.uniform() < moving)
        if flat:
            velocity[2] = 0.0
        row = body(int(rng.choice([0, 1, 2, 9])), rng, centre, flat, velocity)
        row["key"] = key
        rows.append(row)
    return stack(rows)


def events_of(arena):
    """Events sorted by time and shot, as bytes-comparable rows."""
    taken = arena.take_events()
    return taken[np.lexsort((np.arange(len(taken)), taken["key"], taken["after"], taken["start"]))]


def arena(rows, **options):
    options.setdefault("flat", True)
    options.setdefault("scene", 10.0)
    return Arena(stack(rows) if isinstance(rows, list) else rows, 1, **options)
