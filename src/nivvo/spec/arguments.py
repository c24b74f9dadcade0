"""What a call is given: wrong kinds of values are told in one way, wherever they are given.

Arguments that mean the same have the same name all over the public face, so each kind stands here once.
"""

from __future__ import annotations

import functools
import importlib
import inspect
import math
import numbers
import os
from collections.abc import Callable, Iterable, Mapping
from typing import Any

import numpy as np

from nivvo.errors import CallError
from nivvo.spec.reading.files import path_of
from nivvo.spec.words.nearest import nearest


def _of(home: str) -> Callable[[str, Any], Any]:
    """What is an object of a class of ours, written as "module:Class"."""

    @functools.cache
    def kind() -> type:
        module, _, name = home.partition(":")
        return getattr(importlib.import_module(module), name)

    def check(word: str, value: Any) -> Any:
        if not isinstance(value, kind()):
            raise CallError(f"{word} is a {kind().__name__}, not {_shown(value)}")
        return value

    return check


def _drill(word: str, value: Any) -> Any:
    """A drill, or one that is read from a path."""
    from nivvo.spec.drill import Drill, load

    if isinstance(value, Drill):
        return value
    if isinstance(value, str) and "\n" in value:
        raise CallError(f"{word} is a Drill or a path of one, not its text: make one with nivvo.parse(text)")
    if not isinstance(value, (str, os.PathLike)):
        raise CallError(f"{word} is a Drill or a path of one, not {_shown(value)}")
    return load(value)


def _text(word: str, value: Any) -> str:
    if not isinstance(value, str):
        raise CallError(f"{word} is a text, not {_shown(value)}")
    return value


def _number(word: str, value: Any) -> float:
    try:
        number = (
            float(value) if isinstance(value, numbers.Real) and not isinstance(value, (bool, np.bool_)) else math.nan
        )
    except OverflowError:
        number = math.inf
    if not math.isfinite(number):
        raise CallError(f"{word} is a finite number, not {_shown(value)}")
    return number


def _numbers(word: str, value: Any) -> tuple[float, ...]:
    if isinstance(value, str) or not isinstance(value, Iterable):
        raise CallError(f"{word} are finite numbers, as [30, 60], not {_shown(value)}")
    return tuple(_number(f"each of {word}", one) for one in value)


def _count(word: str, value: Any) -> int:
    if isinstance(value, (bool, np.bool_)) or not isinstance(value, numbers.Integral):
        raise CallError(f"{word} is a whole number, not {_shown(value)}")
    return int(value)


def _truth(word: str, value: Any) -> bool:
    if not isinstance(value, (bool, np.bool_)):
        raise CallError(f"{word} is True or False, not {_shown(value)}")
    return bool(value)


def _point(word: str, value: Any) -> np.ndarray:
    try:
        point = np.asarray(value, dtype=float)
    except (TypeError, ValueError, OverflowError):
        raise CallError(f"{word} is a position, as [12, 3], not {_shown(value)}") from None
    if point.ndim != 1 or not np.isfinite(point).all():
        raise CallError(f"{word} is a position of finite numbers, as [12, 3], not {_shown(value)}")
    return point


def _settings(word: str, value: Any) -> Mapping:
    if not isinstance(value, Mapping):
        raise CallError(f"{word} are a dict of dotted keys, not {_shown(value)}")
    return value


def _axes(word: str, value: Any) -> Any:
    for one in np.ravel(np.array(value, dtype=object)):
        _one_axes(word, one)
    return value


def _one_axes(word: str, value: Any) -> Any:
    if not hasattr(value, "add_patch"):
        raise CallError(f"{word} is Matplotlib axes, not {_shown(value)}")
    return value


def _shown(value: Any) -> str:
    if isinstance(value, int) and value.bit_length() > 64:
        return "a whole number beyond 64 bits"
    text = repr(value) if isinstance(value, (str, int, float, bool, type(None), list, tuple)) else ""
    return text[:60] if len(text) > 0 else type(value).__name__


KINDS: dict[str, Callable[[str, Any], Any]] = {
    "drill": _drill,
    "run": _of("nivvo.play.outcome.run:Run"),
    "snapshot": _of("nivvo.play.live:Snapshot"),
    "preview": _of("nivvo.play.preview:Preview"),
    **dict.fromkeys(("case", "ability", "shooter", "body", "name", "of", "button", "kind", "projectile", "key"), _text),
    **dict.fromkeys(("format", "keep", "bodies", "table"), _text),
    **dict.fromkeys(
        (
            "at",
            "held",
            "spacing",
            "every",
            "until",
            "speed",
            "elevation",
            "time",
            "flight_time",
            "apex",
            "arrival",
            "dt",
            "x",
            "y",
        ),
        _number,
    ),
    "rates": _numbers,
    "count": _count,
    "id_": _count,
    "bounces": _count,
    **dict.fromkeys(("patient", "compiled", "jump", "replace"), _truth),
    "cursor": _point,
    "to": lambda word, value: value if isinstance(value, str) else _point(word, value),
    **dict.fromkeys(("path", "folder"), lambda word, value: path_of(value, word)),
    "settings": _settings,
    "axes": _axes,
    **dict.fromkeys(("ax", "live"), _one_axes),
}
"""Each name of an argument and what it may be; None stands for what a call leaves open."""


def checked(function: Callable | None = None, **more: str) -> Callable:
    """A public function whose arguments are what their names say; else it raises CallError.

    ``more``: names whose kind is a class of ours, as "module:Class".
    """
    if function is None:
        return lambda function: checked(function, **more)
    signature = inspect.signature(function)
    kinds = {**KINDS, **{name: _of(home) for name, home in more.items()}}
    parameters = list(signature.parameters.values())
    named = [one for one in parameters if one.kind not in (one.VAR_POSITIONAL, one.VAR_KEYWORD)]
    checks = {one.name: (kinds[one.name], one.default is None) for one in named if one.name in kinds}
    order = [one.name for one in named]
    in_turn = [(k, name, *checks[name]) for k, name in enumerate(order) if name in checks]
    many = next((k for k, one in enumerate(parameters) if one.kind is one.VAR_POSITIONAL), None)
    in_place = [one for one in named if one.kind is not one.KEYWORD_ONLY]
    least, most = sum(one.default is one.empty for one in named), len(in_place) if many is None else 1 << 30
    places = {one.name: k if one in in_place else 1 << 30 for k, one in enumerate(named)}

    def fits(count: int, keys: dict[str, Any]) -> bool:
        """Whether so many arguments in place, and these by name, are surely a call of it."""
        return least <= count <= most and all(places.get(key, -1) >= count for key in keys)

    @functools.wraps(function)
    def call(*args: Any, **keys: Any) -> Any:
        count = len(args)
        if not (fits(count, keys) if keys else least <= count <= most):
            try:
                signature.bind(*args, **keys)
            except TypeError as error:
                wrong = next((key for key in keys if key not in order), None)
                hint = f". {nearest(wrong, order)}" if wrong else ""
                takes = ", ".join(name for name in order if name != "self")
                raise CallError(f"{call.__name__}: {error}; it takes {takes or 'nothing'}{hint}".rstrip(". ")) from None
        values = list(args)
        given = count if many is None else min(count, many)
        for k, name, check, or_none in in_turn:
            if k >= given:
                break
            if not (or_none and values[k] is None):
                values[k] = check(name, values[k])
        for name, value in keys.items():
            if name in checks and not (value is None and checks[name][1]):
                keys[name] = checks[name][0](name, value)
        return function(*values, **keys)

    return call
