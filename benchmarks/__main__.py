"""``make bench``: Nivvo beside what one would write instead, as ratios in one run."""

from __future__ import annotations

import os
import sys
import time

import numpy as np

os.environ.setdefault("NIVVO_COMPILE", "always")

from benchmarks import live, processes
from benchmarks.rivals import CLoop, python_overlap, python_swept, scipy_event
from benchmarks.scenes import filled, obstacles, shots, ticks
from nivvo.core import pool

FLIGHT_TICKS = 120
REPEATS = 15


def once_nivvo(bodies, side, count, rows, then=pool.END) -> tuple[float, int, bytes]:
    """Seconds, projectile-ticks and events of one run of the kernel, everything prepared before."""
    arena = filled(bodies, side, count, then)
    arena.run(ticks(0))
    # Bin the still bodies before the clock starts, for both.
    arena.counters[pool.LIVE], live = 0, arena.live
    arena.run(rows[:1])
    arena.counters[pool.LIVE] = live
    flown = np.zeros(1, dtype=np.int64)
    started = time.perf_counter()
    arena.run(rows)
    seconds = time.perf_counter() - started
    events = arena.take_events()
    flown = projectile_ticks(events, count, len(rows))
    return seconds, flown, events[np.lexsort((events["kind"], events["key"], events["start"]))]


def once_c(loop, bodies, side, count, rows, then=pool.END) -> tuple[float, int, np.ndarray]:
    """The same with the C loop."""
    arena = filled(bodies, side, count, then)
    arena.counters[pool.LIVE], live = 0, arena.live
    arena.run(rows[:1])
    arena.counters[pool.LIVE] = live
    started = time.perf_counter()
    flown, _ = loop.run(arena, rows)
    seconds = time.perf_counter() - started
    events = arena.take_events()
    return seconds, flown, events[np.lexsort((events["kind"], events["key"], events["start"]))]


def projectile_ticks(events, count: int, most: int) -> int:
    """How many projectile-ticks were flown, from when each ended."""
    ended = events[events["kind"] == pool.ENDED]["tick"]
    return int((ended + 1).sum()) + (count - len(ended)) * most


def pairs(first, second, repeats: int = REPEATS) -> tuple[float, float, float]:
    """Least cost of two, called in turn, and its ratio: what other work on the machine adds is left out."""
    a, b = [], []
    for _ in range(repeats):
        a.append(first())
        b.append(second())
    return min(a), min(b), min(a) / min(b)


def timed(function) -> float:
    """Seconds of one call."""
    started = time.perf_counter()
    function()
    return time.perf_counter() - started


def against_others(loop) -> None:
    """(a) against (b), (b'), (c) and (d) at 10, 200 and 2,000 obstacles."""
    count, rows = 10_000, ticks(FLIGHT_TICKS)
    print(f"{count:,} shots of at most {FLIGHT_TICKS} ticks each, ended at the first touch; ns a projectile-tick")
    print(
        f"{'obstacles':>10} {'(a) nivvo':>10} {'(d) C':>8} {'a/d':>6} {'(b) swept':>12} {'b/a':>8} "
        f"{'(b2) overlap':>13} {'b2/a':>7} {'(c) scipy':>12} {'c/a':>8}"
    )
    for number in (10, 200, 2_000):
        bodies, side = obstacles(number)
        once_nivvo(bodies, side, 100, rows)
        same = compare_events(once_nivvo(bodies, side, count, rows)[2], once_c(loop, bodies, side, count, rows)[2])

        def cost_a(bodies=bodies, side=side) -> float:
            seconds, flown, _ = once_nivvo(bodies, side, count, rows)
            return seconds / flown * 1e9

        def cost_d(bodies=bodies, side=side) -> float:
            seconds, flown, _ = once_c(loop, bodies, side, count, rows)
            return seconds / flown * 1e9

        a, d, ratio = pairs(cost_a, cost_d)
        p, v = shots(count, side)
        made = filled(bodies, side, 1).bodies
        others = []
        for rival, few in ((python_swept, 2 if number > 500 else 8), (python_overlap, 40), (scipy_event, 5)):
            flown = 0
            started = time.perf_counter()
            for k in range(few):
                flown += rival(made, p[k], v[k], 20 if rival is python_swept and number > 500 else FLIGHT_TICKS)
            others.append((time.perf_counter() - started) / flown * 1e9)
        b, b2, c = others
        print(
            f"{number:>10,} {a:>10.0f} {d:>8.0f} {ratio:>6.2f} {b:>12,.0f} {b / a:>8,.0f} {b2:>13,.0f} {b2 / a:>7,.0f} "
            f"{c:>12,.0f} {c / a:>8,.0f}   events as in C: {same}"
        )


def compare_events(a: np.ndarray, d: np.ndarray) -> str:
    """Whether two lists of events tell the same touches at the same times."""
    if len(a) != len(d):
        return f"NO ({len(a)} against {len(d)})"
    same = (a["key"] == d["key"]).all() and (a["kind"] == d["kind"]).all() and (a["body"] == d["body"]).all()
    apart = float(np.abs(a["after"] - d["after"]).max()) if len(a) else 0.0
    return f"yes, times within {apart:.1e} s" if same else "NO"


def growth() -> None:
    """Cost with more obstacles of one density, and with more projectiles; shots pass on, so all stay in the air."""
    rows = ticks(10)

    def cost(number: int, count: int):
        bodies, side = obstacles(number)

        def run() -> float:
            repeats = max(1, 20_000 // count)
            total = 0.0
            for _ in range(repeats):
                total += once_nivvo(bodies, side, count, rows, pool.PASS)[0]
            return total / repeats / (count * len(rows)) * 1e9

        return run

    for what, first, second in (
        ("2,000 against 200 obstacles, 10,000 projectiles", (2_000, 10_000), (200, 10_000)),
        ("100,000 against 1,000 projectiles, 200 obstacles", (200, 100_000), (200, 1_000)),
    ):
        a, b, ratio = pairs(cost(*first), cost(*second))
        print(f"growth, {what}: {a:.0f} / {b:.0f} ns = {ratio:.2f}")


def main() -> int:
    """Run all, print the ratios."""
    loop = CLoop()
    print("compiling or loading the kernel:", f"{timed(lambda: once_nivvo(*obstacles(10), 10, ticks(2))):.1f} s")
    against_others(loop)
    growth()
    live.report()
    processes.report()
    return 0


if __name__ == "__main__":
    sys.exit(main())
