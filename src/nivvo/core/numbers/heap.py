"""What waits to be answered, in its order: a binary heap of rows of ``pool.PENDING``."""

from __future__ import annotations

from nivvo.core._jit import inner


@inner
def before(x, y):
    """Whether pending row ``x`` is answered before ``y``: by time, then shot key, then body key."""
    if x["t"] != y["t"]:
        return x["t"] < y["t"]
    if x["key"] != y["key"]:
        return x["key"] < y["key"]
    return x["body_key"] < y["body_key"]


@inner
def swap(pending, i, j):
    """Exchange two pending rows."""
    x, y = pending[i], pending[j]
    x["t"], y["t"] = float(y["t"]), float(x["t"])
    x["key"], y["key"] = int(y["key"]), int(x["key"])
    x["body_key"], y["body_key"] = int(y["body_key"]), int(x["body_key"])
    x["body"], y["body"] = int(y["body"]), int(x["body"])
    x["row"], y["row"] = int(y["row"]), int(x["row"])
    x["turn"], y["turn"] = int(y["turn"]), int(x["turn"])


@inner
def sift_up(pending, i):
    """Let the last row of a binary heap rise to its place."""
    while i > 0 and before(pending[i], pending[(i - 1) // 2]):
        swap(pending, i, (i - 1) // 2)
        i = (i - 1) // 2


@inner
def sift_down(pending, count):
    """Let the first row of a binary heap of ``count`` sink to its place."""
    i = 0
    while 2 * i + 1 < count:
        child = 2 * i + 1
        if child + 1 < count and before(pending[child + 1], pending[child]):
            child += 1
        if not before(pending[child], pending[i]):
            return
        swap(pending, i, child)
        i = child
