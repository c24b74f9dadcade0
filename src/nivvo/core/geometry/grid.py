"""A uniform grid over the bodies: which of them a moving ball may meet.

Two layers share one geometry: bodies that stand still, binned when they change, and bodies that move,
binned each tick by the box that they sweep. What would fill many cells (half-spaces first), and a few
moving bodies, are kept in a list apart and always asked. Queries and bodies outside the grid count as
in its border cells.
"""

from __future__ import annotations

import math

import numpy as np

from nivvo.core._jit import cold, inner
from nivvo.core.geometry.shapes import extents
from nivvo.core.numbers.clock import UNITS
from nivvo.core.numbers.vec import along, arc, dot, put, vec
from nivvo.core.pool import EXACT, LARGE, MOVING, STALE, STILL, VEERS

CLEAR_TICKS = 16.0
"""So many ticks a projectile that has no parabola looks ahead at most: how fast bodies are in these is kept."""

MOST_CELLS_OF_A_BODY = 64
MOST_CELLS = 1 << 20
MOST_CHUNKS = 4096

# So few moving bodies are sooner asked each time than binned each tick.
FEW_MOVING = 4


@inner
def cell(x, origin, per_cell, last):
    """Number of the cell along one axis, the nearest where ``x`` lies outside; ``last`` lies in the last cell."""
    return int(min(max((x - origin) * per_cell, 0.0), last))


@cold
def bin_layer(k, layer):
    """Sort the bodies of one layer into cells: a counting sort, ascending inside each cell."""
    w, bodies, boxes, start, items, apart = k.world[0], k.bodies, k.boxes, k.start, k.items, k.apart
    origin, per_cell, last = vec(w["origin"]), vec(w["per_cell"]), vec(w["last"])
    nx, ny = int(w["cells"][0]), int(w["cells"][1])
    for c in range(start.shape[1]):
        start[layer, c] = 0
    first = 3 + int(apart[0])
    end = first + int(apart[1])
    if layer == STILL:
        first, end = end, apart.shape[0]
    for fill in range(2):
        for m in range(first, end):
            j = int(apart[m])
            if bodies[j]["layer"] != layer or bodies[j]["out"] != 0:
                continue
            x0, x1 = (
                cell(boxes[j, 0], origin[0], per_cell[0], last[0]),
                cell(boxes[j, 3], origin[0], per_cell[0], last[0]),
            )
            y0, y1 = (
                cell(boxes[j, 1], origin[1], per_cell[1], last[1]),
                cell(boxes[j, 4], origin[1], per_cell[1], last[1]),
            )
            z0, z1 = (
                cell(boxes[j, 2], origin[2], per_cell[2], last[2]),
                cell(boxes[j, 5], origin[2], per_cell[2], last[2]),
            )
            for z in range(z0, z1 + 1):
                for y in range(y0, y1 + 1):
                    for x in range(x0, x1 + 1):
                        c = (z * ny + y) * nx + x
                        if fill == 0:
                            start[layer, c + 1] += 1
                        else:
                            items[layer, start[layer, c]] = j
                            start[layer, c] += 1
        if fill == 0:
            for c in range(1, start.shape[1]):
                start[layer, c] += start[layer, c - 1]
    for c in range(start.shape[1] - 1, 0, -1):
        start[layer, c] = start[layer, c - 1]
    start[layer, 0] = 0


def plan(bodies: np.ndarray, flat: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Choose the grid for bodies that are there, and set the size and the layer of each.

    A cell is about twice a typical body and holds about one. Returns (origin, cells per unit, number of cells along
    each axis, boxes at rest (n, 6)).
    """
    n = len(bodies)
    sizes = extents(bodies)
    if flat:
        # All is in one plane: what is across it is never asked for.
        sizes[:, 2] = 0.0
    boxes = np.concatenate([bodies["c"] - sizes, bodies["c"] + sizes], axis=1).reshape(n, 6)
    bodies["size"] = sizes
    span = 2.0 * sizes[:, :2] if flat else 2.0 * sizes
    axes = span.shape[1]
    small = np.isfinite(span).all(axis=1)
    one = np.ones(3, dtype=np.int32)
    if not small.any():
        bodies["layer"] = LARGE
        return np.zeros(3), np.zeros(3), one, boxes
    low = (bodies["c"][small, :axes] - span[small] / 2.0).min(axis=0)
    high = (bodies["c"][small, :axes] + span[small] / 2.0).max(axis=0)
    # Twice the median.
    widths = sorted(span[small].max(axis=1).tolist())
    side = max(widths[(len(widths) - 1) // 2] + widths[len(widths) // 2], 1e-9)
    wide = np.maximum(high - low, 1e-9)
    side = max(side, float((np.prod(wide / side) / (2.0 * n)) ** (1.0 / axes)) * side)
    cells = np.maximum(np.ceil(np.minimum(wide / side, 4096.0)), 1.0)
    while np.prod(cells) > min(MOST_CELLS, 16 * n + 64):
        cells = np.maximum(np.ceil(cells / 2.0), 1.0)
    origin, per_cell, counts = np.zeros(3), np.zeros(3), one.copy()
    origin[:axes], per_cell[:axes], counts[:axes] = low, cells / wide, cells
    covered = np.prod(np.floor(np.where(small[:, None], span, 0.0) * per_cell[:axes]) + 2.0, axis=1)
    fits = small & (covered <= MOST_CELLS_OF_A_BODY)
    moving = bodies["moves"] != 0
    if np.count_nonzero(moving & fits) <= FEW_MOVING:
        fits = fits & ~moving
    bodies["layer"] = np.where(fits, np.where(moving, MOVING, STILL), LARGE)
    return origin, per_cell, counts, boxes


@inner
def box_of_arc(a, t, q0, q1, more):
    """Lower and upper corner of a box around a parabola of ``t`` seconds from q0 to q1, widened by ``more``.

    A parabola strays from its chord by at most a t²/8 along each axis.
    """
    eighth = 0.125 * t * t
    x, y, z = abs(a[0]) * eighth + more, abs(a[1]) * eighth + more, abs(a[2]) * eighth + more
    return (
        (min(q0[0], q1[0]) - x, min(q0[1], q1[1]) - y, min(q0[2], q1[2]) - z),
        (max(q0[0], q1[0]) + x, max(q0[1], q1[1]) + y, max(q0[2], q1[2]) + z),
    )


@inner
def gather(k, w, low, high, with_apart, may_split):
    """Write to ``scratch`` the bodies in the cells of the box low..high whose own box meets it; return how many.

    A body that lies in several of these cells is taken once; those apart from the grid are all taken.
    If the box covers many cells and ``may_split``, nothing is written, and the answer is minus the
    number of pieces of about two cells into which the path should be cut, to look along it in order.
    """
    boxes, apart, scratch = k.boxes, k.apart, k.scratch
    origin, per_cell, last = vec(w["origin"]), vec(w["per_cell"]), vec(w["last"])
    x0, x1 = cell(low[0], origin[0], per_cell[0], last[0]), cell(high[0], origin[0], per_cell[0], last[0])
    y0, y1 = cell(low[1], origin[1], per_cell[1], last[1]), cell(high[1], origin[1], per_cell[1], last[1])
    z0, z1 = 0, 0
    if last[2] > 1.0:
        z0, z1 = cell(low[2], origin[2], per_cell[2], last[2]), cell(high[2], origin[2], per_cell[2], last[2])
    nx, ny = int(w["cells"][0]), int(w["cells"][1])
    if may_split and max(x1 - x0, max(y1 - y0, z1 - z0)) > 3:
        most = 0.0
        for c in range(3):
            most = max(most, (high[c] - low[c]) * per_cell[c])
        return -max(2, min(int(min(most, 1e9) * 0.5) + 1, MOST_CHUNKS))
    found = 0
    if with_apart:
        found = int(apart[0])
        for m in range(found):
            scratch[m] = apart[3 + m]
    layers = 2 if apart[2] > 0 else 1
    for z in range(z0, z1 + 1):
        for y in range(y0, y1 + 1):
            row = (z * ny + y) * nx
            for layer in range(layers):
                for m in range(k.start[layer, row + x0], k.start[layer, row + x1 + 1]):
                    j = k.items[layer, m]
                    if not overlap(boxes, j, low, high):
                        continue
                    known = False
                    for seen in range(found - 1, -1, -1):
                        if scratch[seen] == j:
                            known = True
                            break
                    if not known:
                        scratch[found] = j
                        found += 1
    return found


@inner
def overlap(boxes, j, low, high):
    """Whether the box of body ``j`` meets the box low..high."""
    if boxes[j, 0] > high[0] or boxes[j, 3] < low[0] or boxes[j, 1] > high[1] or boxes[j, 4] < low[1]:
        return False
    return boxes[j, 2] <= high[2] and boxes[j, 5] >= low[2]


@cold
def veers_by(k, w, low, high):
    """Whether the box of a body whose way veers meets another, as both are in the present tick."""
    boxes, apart = k.boxes, k.apart
    for m in range(apart[0]):
        j = int(apart[3 + m])
        if k.bodies[j]["moves"] == VEERS and k.bodies[j]["out"] == 0 and overlap(boxes, j, low, high):
            return True
    if apart[2] == 0:
        return False
    origin, per_cell, last = vec(w["origin"]), vec(w["per_cell"]), vec(w["last"])
    x0, x1 = cell(low[0], origin[0], per_cell[0], last[0]), cell(high[0], origin[0], per_cell[0], last[0])
    y0, y1 = cell(low[1], origin[1], per_cell[1], last[1]), cell(high[1], origin[1], per_cell[1], last[1])
    z0, z1 = cell(low[2], origin[2], per_cell[2], last[2]), cell(high[2], origin[2], per_cell[2], last[2])
    nx, ny = int(w["cells"][0]), int(w["cells"][1])
    for z in range(z0, z1 + 1):
        for y in range(y0, y1 + 1):
            row = (z * ny + y) * nx
            for m in range(k.start[MOVING, row + x0], k.start[MOVING, row + x1 + 1]):
                j = k.items[MOVING, m]
                if k.bodies[j]["moves"] == VEERS and overlap(boxes, j, low, high):
                    return True
    return False


@cold
def place_bodies(k, now):
    """Set each moving body where the tick starts and its box to what it sweeps; bin what has changed.

    In a game's own step a body that accelerates goes straight from where a tick starts to where it ends.
    """
    w, apart, counters = k.world[0], k.apart, k.counters
    dt, fastest = float(now["dt"]), 0.0
    for m in range(apart[1]):
        j = int(apart[3 + apart[0] + m])
        b = k.bodies[j]
        if b["out"] != 0:
            continue
        since, c0, u, a = (now["start"] - b["t0"]) / UNITS, vec(b["c0"]), vec(b["v0"]), vec(b["a0"])
        centre = arc(c0, u, a, since)
        speed = math.sqrt(dot(u, u)) + math.sqrt(dot(a, a)) * (abs(since) + (CLEAR_TICKS + 1.0) * dt)
        fastest = max(fastest, speed)
        if a[0] != 0.0 or a[1] != 0.0 or a[2] != 0.0:
            u = along(u, a, since)
            if w["step"] != EXACT:
                q = arc(centre, u, a, dt)
                u, a = ((q[0] - centre[0]) / dt, (q[1] - centre[1]) / dt, (q[2] - centre[2]) / dt), (0.0, 0.0, 0.0)
        put(b["c"], centre)
        put(b["v"], u)
        put(b["a"], a)
        low, high = box_of_arc(a, dt, centre, arc(centre, u, a, dt), 0.0)
        for c in range(3):
            wide = float(b["size"][c])
            k.boxes[j, c], k.boxes[j, c + 3] = low[c] - wide, high[c] + wide
    w["fastest"] = fastest
    for layer in range(2):
        if (layer == STILL and counters[STALE] != 0) or (layer == MOVING and apart[2] > 0):
            bin_layer(k, layer)
    counters[STALE] = 0
