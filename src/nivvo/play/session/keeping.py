"""A session kept whole, and copies of it: one pass over all that it holds.

What is planned never changes and is held on to; so are the ways of bodies that stand, which are only ever replaced.
"""

from __future__ import annotations

import io
import pickle
from functools import cache
from typing import Any, NamedTuple

import numpy as np

from nivvo.core.numbers.frame import Frame
from nivvo.core.world.arena import Arena
from nivvo.play.rules.cost import Meter
from nivvo.play.session.session import Session
from nivvo.play.ways.motion import Motion

PLANS = "nivvo.plan."


class Packed(NamedTuple):
    """A session as bytes, and the objects that it shares with the one it was made of."""

    state: bytes
    shared: dict[int, Any]

    def opened(self) -> Session:
        """A session that goes on as the one that was packed would have."""

        shared = self.shared

        class Unpickler(pickle.Unpickler):
            def persistent_load(self, pid):
                return shared[pid]

        return Unpickler(io.BytesIO(self.state)).load()


def packed(session: Session, arena: bool = True) -> Packed:
    """A session between two ticks, kept; without a copy of its ``arena``, for who takes a fresh one."""
    shared: dict[int, Any] = {}

    class Pickler(pickle.Pickler):
        def persistent_id(self, obj):
            if type(obj) is Arena:
                if arena:
                    return None
            elif not _may_be_shared(type(obj)) or (type(obj) is Motion and not _stands(obj)):
                return None
            shared[id(obj)] = obj
            return id(obj)

    buffer = io.BytesIO()
    Pickler(buffer, pickle.HIGHEST_PROTOCOL).dump(session)
    return Packed(buffer.getvalue(), shared)


@cache
def _may_be_shared(kind: type) -> bool:
    return kind is Motion or issubclass(kind, (Frame, Meter, np.dtype)) or kind.__module__.startswith(PLANS)


def _stands(motion: Motion) -> bool:
    return len(motion.times) == 1 and not motion.pieces[0][1].any()


def scout(session: Session, bounces: int, still: bool) -> Session:
    """A session as this one stands at the coming tick's start, once all that was done for that is taken in, in which
    nobody acts and nothing is in the air: for what is only looked at.

    still : bodies stand where they are.
    """
    made = packed(session, arena=False).opened()
    made.alone(bounces)
    made.still = still
    made.think()
    made.take(made.time)
    if still:
        made.stage.stop_all(made.time)
    return made
