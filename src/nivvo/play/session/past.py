"""What has happened so far, kept so that one can go back in it, and forth again."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple


class Past(NamedTuple):
    """The last thing that has happened, and all before it. It never changes: who holds on to it can come back to it."""

    thing: Any
    before: Past | None
    count: int

    @property
    def backward(self) -> Iterator[Past]:
        """It, and all before it, the last first."""
        one: Past | None = self
        while one is not None:
            yield one
            one = one.before


def and_then(past: Past | None, thing: Any) -> Past:
    """A past, and then one thing more."""
    return Past(thing, past, 1 if past is None else past.count + 1)


def all_of(past: Past | None) -> list[Any]:
    """All things of a past, in order."""
    return [] if past is None else [one.thing for one in past.backward][::-1]


class Ends:
    """How projectiles have ended, in words, by key; of the last so many."""

    def __init__(self, most: int):
        self.most, self.past = most, None
        self.of: dict[int, str] = {}

    def add(self, key: int, words: str) -> None:
        """One has ended."""
        self.of[key] = words
        self.past = and_then(self.past, (key, words))
        if self.past.count > self.most + self.most // 4:
            self._take(all_of(self.past)[-self.most :])

    def back(self, past: Past | None) -> None:
        """Be again as it was when that was all."""
        later = []
        for one in () if self.past is None else self.past.backward:
            if one is past:
                break
            later.append(one.thing[0])
        else:
            if past is not None:
                # It is of another way that things went.
                self._take(all_of(past))
                return
        for key in later:
            self.of.pop(key, None)
        self.past = past

    def _take(self, things: list[tuple[int, str]]) -> None:
        self.of, self.past = dict(things), None
        for thing in things:
            self.past = and_then(self.past, thing)
