"""What a shell may go on with: cases, abilities, keys of the drill that stands before, and keys that can be written."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import click


def _of_drill(words: Callable) -> Callable:
    """A completion by what ``words`` tells of the drill on the line so far; nothing where it cannot be read."""

    def complete(context: click.Context, parameter: click.Parameter, incomplete: str) -> list[str]:
        from nivvo.errors import NivvoError
        from nivvo.spec.drill import load

        # Behind an option that has no value yet, what stands before is not told apart: it is in args.
        given = context.params.get("drill") or context.params.get("drills") or tuple(context.args)
        path = next(iter(given), None) if isinstance(given, tuple) else given
        if not path or path == "-":
            return []
        try:
            found: Iterable[str] = words(load(path))
        except NivvoError:
            return []
        return sorted({word for word in found if word.startswith(incomplete)})

    return complete


def _keys(drill) -> list[str]:
    from nivvo.spec.explain import effective

    keys = [row.key for row in effective(drill) if "[" not in row.key]
    return [*keys, *(".".join(key.split(".")[:k]) for key in keys for k in range(1, key.count(".") + 1))]


def _settings(drill) -> list[str]:
    from nivvo.spec.explain import effective

    return [f"{row.key}=" for row in effective(drill) if "[" not in row.key and not row.key.startswith("case.")]


def _written(context: click.Context, parameter: click.Parameter, incomplete: str) -> list[str]:
    from nivvo.spec.keys import keys

    names = [one.key.replace(".NAME", "") for one in keys()]
    return sorted({name for name in names if name.startswith(incomplete)})


cases = _of_drill(lambda drill: drill.cases)
abilities = _of_drill(lambda drill: drill.model.ability)
keys = _of_drill(_keys)
settings = _of_drill(_settings)
written = _written
