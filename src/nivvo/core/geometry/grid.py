"""A uniform grid over the bodies: which of them a moving ball may meet.

Two layers share one geometry: bodies that stand still, binned when they change, and bodies that move,
binned each tick by the box that they sweep. What would fill many cells (half-spaces first), and a few
moving bodies, are kept in a list apart and always asked. Queries and bodies outside the grid count as
in its border cells.
"""

from __future__ import annotations

import numpy as np

from nivvo.core._jit import cold, inner
from nivvo.core.geometry.shapes import extents
from nivvo.core.numbers.vec import vec
from nivvo.core.pool import LARGE, MOVING, STILL

MOST_CELLS_OF_A_BODY = 64
MOST_CELLS = 1 << 20

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
    side = max(float(np.median(span[small].max(axis=1))) * 2.0, 1e-9)
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
