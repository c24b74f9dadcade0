"""A session kept whole, and copies of it: one pass over all that it holds.

What is planned never changes and is held on to; so are the ways of bodies that stand, which are only ever replaced.
"""

from __future__ import annotations

import io
import pickle
import threading
from functools import cache
from typing import Any, NamedTuple

import numpy as np

from nivvo.core.numbers.frame import Frame
from nivvo.core.world.arena import Arena
from nivvo.play.rules.cost import Meter
from nivvo.play.session.session import Session
from nivvo.play.ways.motion import Motion

PLANS = "nivvo.plan."


_opened = threading.local()
"""Of what is being opened in a thread: the objects that it shares, by number."""


class Packed(NamedTuple):
    """A session as bytes, and the objects that it shares with the one it was made of."""

    state: bytes
    shared: list[Any]

    def opened(self) -> Session:
        """A session that goes on as the one that was packed would have."""
        _opened.shared = self.shared
        try:
            return pickle.loads(self.state)
        finally:
            del _opened.shared


class _Packer(pickle.Pickler):
    """Writes all of a session but what it shares; ``arena``: whether that is written too."""

    def __init__(self, buffer: io.BytesIO, arena: bool):
        super().__init__(buffer, pickle.HIGHEST_PROTOCOL)
        self.arena, self.shared = arena, []

    def reducer_override(self, obj: Any) -> Any:
        kind = type(obj)
        if kind is Arena:
            if self.arena:
                return NotImplemented
        elif not _may_be_shared(kind) or (kind is Motion and not _stands(obj)):
            return NotImplemented
        self.shared.append(obj)
        return _the_same, (len(self.shared) - 1,)


def packed(session: Session, arena: bool = True) -> Packed:
    """A session between two ticks, kept; without a copy of its ``arena``, for who takes a fresh one."""
    buffer = io.BytesIO()
    packer = _Packer(buffer, arena)
    packer.dump(session)
    return Packed(buffer.getvalue(), packer.shared)


def _the_same(number: int) -> Any:
    return _opened.shared[number]


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
