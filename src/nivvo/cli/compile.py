"""``nivvo compile``."""

from __future__ import annotations

import time

import click

from nivvo.cli.common import say
from nivvo.errors import CallError

ALL = """
nivvo = 1
[ability.flare]
aim.by = "cursor"
launch = { arc = "low", speed = 20 }
flight.homing.turn_rate = 90
on.flare.then = "end"
[target.wisp]
at = [9, 0]
"""
"""A drill that needs all that is compiled."""


@click.command("compile")
def command() -> None:
    """Compile the engine now and keep it, so that no later call and no game has to.

    Without this it is compiled when there is first enough to do, and by the first live session. It is kept beside the
    package, or in your user cache if nothing can be written there; NIVVO_CACHE_DIR names another folder.

    \b
    RUN pip install nivvo && nivvo compile     in a container's recipe
    """
    from nivvo.core._jit import places
    from nivvo.core.tick.advance import advance
    from nivvo.play.live import Live
    from nivvo.spec.drill import parse

    began = time.perf_counter()
    Live(parse(ALL))
    if not (advance.loaded and advance.stored()):
        tried = ", ".join(map(str, places()))
        raise CallError(
            f"nothing is kept: none of {tried} can be written (NIVVO_CACHE_DIR names another), "
            "or NUMBA_DISABLE_JIT is set"
        )
    say(f"the engine is compiled: ready after {time.perf_counter() - began:.1f} s")
