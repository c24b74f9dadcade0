"""``nivvo compile``."""

from __future__ import annotations

import logging
import time
from concurrent.futures import ProcessPoolExecutor

import click

from nivvo.cli.common import note, say
from nivvo.errors import CallError

FLARE = """
nivvo = 1
[ability.flare]
aim.by = "cursor"
launch = { arc = "low", speed = 20 }
flight.drag.linear = 0.1
"""
STEERED = """
flight.homing.turn_rate = 90
[target.wisp]
at = [9, 0]
"""
ENGINES = {"whose flights nothing steers": FLARE, "whose flights are steered": FLARE + STEERED}
"""What the engine is compiled for: drills that need all of it."""


@click.command("compile")
def command() -> None:
    """Compile the engine now and keep it, so that no later call and no game has to.

    It is compiled once for drills whose flights nothing steers and once for the others, side by side. Without this it
    is compiled when there is first enough to do, and by the first live session. It is kept beside the package, or in
    your user cache if nothing can be written there; NIVVO_CACHE_DIR names another folder.

    \b
    RUN pip install nivvo && nivvo compile     in a container's recipe
    """
    from nivvo.core._jit import places
    from nivvo.core.tick.advance import advance, plainly

    if not (advance.stored() and plainly.stored()):
        note("compiling the engine, some ten to forty seconds")
    with ProcessPoolExecutor(len(ENGINES)) as pool:
        for name, (seconds, kept) in zip(ENGINES, pool.map(compiled, ENGINES.values()), strict=True):
            if not kept:
                tried = ", ".join(map(str, places()))
                raise CallError(
                    f"nothing is kept: none of {tried} can be written (NIVVO_CACHE_DIR names another), "
                    "or NUMBA_DISABLE_JIT is set"
                )
            say(f"the engine for drills {name}: ready after {seconds:.1f} s")


def compiled(drill: str) -> tuple[float, bool]:
    """The engine for a drill compiled, or found in the store: how long it took (s), and whether it is in the store."""
    from nivvo.core.tick.advance import advance, plainly
    from nivvo.play.live import Live
    from nivvo.spec.drill import parse

    # Of each kernel that it compiles: told as one.
    logging.getLogger("nivvo").setLevel(logging.ERROR)
    began = time.perf_counter()
    Live(parse(drill))
    return time.perf_counter() - began, any(kernel.loaded and kernel.stored() for kernel in (advance, plainly))
