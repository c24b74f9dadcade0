"""Many single shots by columns: each flies alone, from its own launch to its own end, whatever the others do.

For studies, where a shot is a row: what it was launched with goes in as columns, how it ended comes out as columns.
Nothing is sampled, no body is hurt, and batches are small enough to stay near the processor.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from nivvo.core import pool
from nivvo.core.flying.forces import acting
from nivvo.core.numbers.clock import UNITS, edges_of_rate
from nivvo.core.world.answers import plain
from nivvo.core.world.arena import Arena, ticks_of

BATCH = 2048


class Ends(NamedTuple):
    """How each shot ended.

    time : (n,) s after its launch. code : (n,) of ``pool`` (FLYING, BY_...). body : (n,) index, or -1.
    p, v : (n, 3) place and velocity there. contacts : (n,) how many bodies it met.
    """

    time: np.ndarray
    code: np.ndarray
    body: np.ndarray
    p: np.ndarray
    v: np.ndarray
    contacts: np.ndarray


def single_shots(
    world: Arena, acts, p, v, *, radius=0.1, then=pool.END, life=pool.FOREVER, ticks: tuple[float, int] = (60.0, 600)
) -> Ends:
    """Fly ``n`` shots from time 0, each alone.

    Parameters
    ----------
    world : Arena
        Bodies and bounds as they stand at 0; it is left as it is. Each body goes on as it moves then; none may turn,
        which is the doing of who steps a world tick by tick.
    acts : (1,) or (n,) rows of ``pool.PARAMS``, as ``forces.acting`` gives, or a constant acceleration (3,)
    p, v : (n, 3) place (units) and velocity (units/s)
    radius : units, one or (n,)
    then : code of ``pool.THEN``, one for all groups or one a group
    life : counts of the clock or ``pool.FOREVER``, one or (n,)
    ticks : how many there are in a second, and for how many they fly at most

    Raises ValueError where a body turns.
    """
    if world.bodies["turns"].any():
        raise ValueError("single shots fly among bodies that do not turn")
    p, v = np.atleast_2d(np.asarray(p, dtype=float)), np.atleast_2d(np.asarray(v, dtype=float))
    n = len(p)
    acts = acts if getattr(acts, "dtype", None) == pool.PARAMS else acting(acts)
    columns = {"radius": radius, "life": life}
    several = len(acts) > 1 or any(np.ndim(one) for one in columns.values())
    ends = Ends(
        np.zeros(n),
        np.zeros(n, dtype=np.int32),
        np.full(n, -1, dtype=np.int32),
        p.copy(),
        v.copy(),
        np.zeros(n, np.int64),
    )
    arena = world.fresh(False)
    arena.bodies["health"], arena.bodies["watched"] = np.inf, 0
    rows_of_ticks = ticks_of(edges_of_rate(ticks[0], 0, ticks[1]), 0, 1.0 / ticks[0])
    over = int(rows_of_ticks["end"][-1])
    for first in range(0, n, BATCH):
        rows = slice(first, min(first + BATCH, n))
        size = rows.stop - first
        taken = {name: one[rows] if np.ndim(one) else one for name, one in columns.items()}
        param = _params(arena, acts[rows] if len(acts) > 1 else acts, taken, then, size if several else 1)
        # A set of bodies begins anew at 0 for each batch.
        arena.counters[pool.LIVE], arena.counters[pool.STALE] = 0, 1
        arena.put(param, p[rows], v[rows], np.arange(size), 0)
        arena.run(rows_of_ticks)
        arena.place_all(over)
        _collect(arena, ends, first, over)
    return ends


def _params(arena: Arena, acts, columns: dict, then, size: int) -> np.ndarray | int:
    """Rows of what the shots are: one for all, or one each."""
    arena.used, arena.spare, arena.knots = 0, [], 0
    if len(arena.params) < size:
        arena.params = pool.zeros(size, pool.PARAMS)
        arena.answers = pool.zeros(size * arena.groups, pool.ANSWERS).reshape(size, arena.groups)
    arena.params[:size] = acts
    arena.may_send(acts)
    rows = arena.params[:size]
    rows["radius"], rows["life"], rows["reach"], rows["spares"], rows["owner"] = *columns.values(), np.inf, -1, -1
    plain(arena.answers[:size])
    arena.answers[:size]["then"] = then
    arena.used = size
    return np.arange(size) if size > 1 else 0


def _collect(arena: Arena, ends: Ends, first: int, over: int) -> None:
    """Write down how the shots of a batch ended, and where those are that still fly at ``over`` (clock)."""
    # Column by column: the rows are long, and few of their fields are asked for.
    events = arena.events[: arena.counters[pool.EVENTS]]
    kind, key = events["kind"].copy(), events["key"].copy()
    done = np.flatnonzero(kind == pool.ENDED)
    rows = first + key[done]
    ends.time[rows] = events["start"][done] / UNITS + events["after"][done]
    for column, name in ((ends.code, "code"), (ends.body, "body"), (ends.p, "p"), (ends.v, "v")):
        column[rows] = events[name][done]
    np.add.at(ends.contacts, first + key[(kind == pool.CONTACT) | (kind == pool.OVERLAP)], 1)
    arena.counters[pool.EVENTS] = 0
    flying = arena.flight[: arena.live]
    rows = first + flying["key"]
    ends.time[rows], ends.p[rows], ends.v[rows] = over / UNITS, flying["p"], flying["v"]
