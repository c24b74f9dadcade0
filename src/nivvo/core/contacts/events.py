"""Writing down what happens."""

from __future__ import annotations

from nivvo.core._jit import inner
from nivvo.core.numbers.vec import put
from nivvo.core.pool import EVENTS, LOST

NOWHERE = (0.0, 0.0, 0.0)


@inner
def tell(k, now, after, q, what, place):
    """Write one event, ``after`` seconds into the tick.

    what : kind, body, code, amount, and what is left (of a health, or as a gap). place : position, normal, velocity,
    and the velocity of the body.
    """
    counters = k.counters
    if counters[EVENTS] >= k.events.shape[0]:
        counters[LOST] += 1
        return
    e = k.events[counters[EVENTS]]
    counters[EVENTS] += 1
    e["start"], e["after"], e["tick"] = now["start"], after, now["tick"]
    e["key"], e["kind"], e["body"], e["code"] = q["key"], what[0], what[1], what[2]
    e["amount"], e["left"] = what[3], what[4]
    put(e["p"], place[0])
    put(e["normal"], place[1])
    put(e["v"], place[2])
    put(e["u"], place[3])


@inner
def finish(q, p, v, why):
    """Leave a projectile where it ended."""
    put(q["p"], p)
    put(q["v"], v)
    q["end"] = why
