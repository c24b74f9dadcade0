"""The known name nearest to one that is not known, for messages."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from nivvo.errors import CallError
from nivvo.spec.words.elsewhere import meant

MOST_LISTED = 30
MOST_COMPARED = 2000


def nearest(word: Any, words: Iterable[str], near_enough: float = 0.55) -> str:
    """A hint that names the word nearest to ``word``, or "".

    The same word in other letters' case comes first, then what is meant by it, words of which it is a part, one that
    is a part of it, and spellings of which so great a share is the same.
    """
    import difflib
    from itertools import islice

    word, words = str(word)[:80], [str(one) for one in islice(words, MOST_COMPARED)]
    low = word.lower()
    same = next((one for one in words if one.lower() == low), None)
    near = [one for one in (same or meant(low, words),) if one]
    parts = [one for one in words if low in one.lower().split("_")]
    near = near or sorted(parts, key=lambda one: (not one.lower().startswith(low), len(one)))
    near = near or [one for part in low.split("_") for one in words if one.lower() == part]
    near = near or difflib.get_close_matches(word, words, 1, near_enough)
    if not near and len(low) >= 3:
        near = sorted((one for one in words if one.lower().startswith(low)), key=len)
    if not near:
        lowered = {one.lower(): one for one in words}
        near = [lowered[one] for one in difflib.get_close_matches(low, lowered, 1, near_enough)]
    return f"did you mean {near[0]}?" if near else ""


def lacking(thing: object, what: str, name: str, renamed: Mapping[str, str] | None = None) -> AttributeError:
    """What is raised for an attribute that an object does not have, with the nearest that it has.

    What Python itself asks for is answered at once.
    """
    now = (renamed or {}).get(name)
    there = () if name.startswith("_") else (one for one in dir(type(thing)) if not one.startswith("_"))
    hint = f"it is now {type(thing).__name__}.{now}" if now else nearest(name, there)
    return AttributeError(f"{what} has no {name}" + (f"; {hint}" if hint else ""))


def listed(words: Iterable[str]) -> str:
    """Known words with commas between; of very many the first, and how many more there are."""
    words = list(words)
    more = f", ... and {len(words) - MOST_LISTED} more" if len(words) > MOST_LISTED else ""
    return ", ".join(map(str, words[:MOST_LISTED])) + more


def known(word: Any, names: Iterable[str], what: str) -> Any:
    """``word`` itself if it is among ``names``; raises CallError that tells them and the nearest."""
    if isinstance(word, str) and word in names:
        return word
    raise CallError(f"there is no {what} {str(word)[:80]!r}; there is {listed(names)}. {nearest(word, names)}".strip())
