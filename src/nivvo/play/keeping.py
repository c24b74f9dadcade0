"""A session kept whole, and copies of it: one pass over all that it holds.

What is planned never changes and is held on to; so are the ways of bodies that stand, which are only ever replaced.
"""

from __future__ import annotations

import io
import pickle
from typing import Any, NamedTuple

from nivvo.core.frame import Frame
from nivvo.play.cost import Meter
from nivvo.play.session import Session
from nivvo.play.stage.motion import Motion

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


def packed(session: Session) -> Packed:
    """A session between two ticks, kept."""
    shared: dict[int, Any] = {}

    class Pickler(pickle.Pickler):
        def persistent_id(self, obj):
            if isinstance(obj, (Frame, Meter)) or type(obj).__module__.startswith(PLANS) or _stands(obj):
                shared[id(obj)] = obj
                return id(obj)
            return None

    buffer = io.BytesIO()
    Pickler(buffer, pickle.HIGHEST_PROTOCOL).dump(session)
    return Packed(buffer.getvalue(), shared)


def _stands(obj: Any) -> bool:
    return type(obj) is Motion and len(obj.times) == 1 and not obj.pieces[0][1].any()


def copied(session: Session) -> Session:
    """A session that goes on by itself as this one would."""
    return packed(session).opened()
