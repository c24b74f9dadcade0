"""``make bench``: Nivvo beside what one would write instead, as ratios in one run."""

from __future__ import annotations

import copy
import os
import sys
import time

import numpy as np

from benchmarks import bystanders, crowd, live, processes
from benchmarks.rivals import CLoop, python_overlap, python_swept, scipy_event
from benchmarks.scenes import GRAVITY, RADIUS, filled, obstacles, shots, ticks
from nivvo.core import pool
from nivvo.core.flying.forces import acting
from nivvo.core.geometry.shapes import gap
from nivvo.core.world.arena import Arena

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
    return seconds, flown, events


def once_c(loop, bodies, side, count, rows, asleep=False) -> tuple[float, int, np.ndarray]:
    """The same with the C loop, each projectile in each tick or ``asleep`` until something can be in its way."""
    arena = filled(bodies, side, count)
    arena.counters[pool.LIVE], live = 0, arena.live
    arena.run(rows[:1])
    arena.counters[pool.LIVE] = live
    started = time.perf_counter()
    flown, _ = loop.run(arena, rows, asleep)
    seconds = time.perf_counter() - started
    events = arena.take_events()
    return seconds, flown, events


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
        f"{'obstacles':>10} {'(a) nivvo':>10} {'(d) C':>8} {'a/d':>6} {'(e) C asleep':>13} {'a/e':>6} "
        f"{'(b) swept':>12} {'b/a':>8} {'(b2) overlap':>13} {'b2/a':>7} {'(c) scipy':>12} {'c/a':>8}"
    )
    for number in (10, 200, 2_000):
        bodies, side = obstacles(number)
        once_nivvo(bodies, side, 100, rows)
        mine = once_nivvo(bodies, side, count, rows)[2]
        same = [compare_events(mine, once_c(loop, bodies, side, count, rows, asleep)[2]) for asleep in (False, True)]

        def cost_a(bodies=bodies, side=side) -> float:
            seconds, flown, _ = once_nivvo(bodies, side, count, rows)
            return seconds / flown * 1e9

        def cost_c(asleep, bodies=bodies, side=side) -> float:
            seconds, flown, _ = once_c(loop, bodies, side, count, rows, asleep)
            return seconds / flown * 1e9

        a, d, ratio = pairs(cost_a, lambda: cost_c(False))
        _, e, asleep = pairs(cost_a, lambda: cost_c(True))
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
            f"{number:>10,} {a:>10.1f} {d:>8.1f} {ratio:>6.2f} {e:>13.1f} {asleep:>6.2f} "
            f"{b:>12,.0f} {b / a:>8,.0f} {b2:>13,.0f} {b2 / a:>7,.0f} {c:>12,.0f} {c / a:>8,.0f}   "
            f"events as in C: {same[0]}; asleep: {same[1]}"
        )


def compare_events(a: np.ndarray, d: np.ndarray) -> str:
    """Whether two lists of events tell the same, in one order, at the same times."""
    if len(a) != len(d):
        return f"NO ({len(a)} against {len(d)})"
    same = (a["key"] == d["key"]).all() and (a["kind"] == d["kind"]).all() and (a["body"] == d["body"]).all()
    apart = float(np.abs(a["after"] - d["after"]).max()) if len(a) else 0.0
    return f"yes, times within {apart:.1e} s" if same else "NO"


def forced(loop) -> None:
    """10,000 that are slowed, steer and bounce among 200 still and 50 moving bodies, beside the C loop of that work."""
    count, warm, rows = 10_000, ticks(2), ticks(30, 2)
    movers = np.arange(200, 250, dtype=np.int32)

    def made():
        bodies, side = obstacles(250)
        rng = np.random.default_rng(5)
        bodies["v0"][200:, :2], bodies["role"] = rng.normal(0, 3, (50, 2)), pool.TARGET
        arena = Arena(bodies, 1, step=pool.SEMI_IMPLICIT, scene=side, flat=True, sampled=False)
        acts = acting(GRAVITY, linear=0.1, square=0.005, homing=(pool.PURSUIT, 0, 8.0, 3.0, np.inf, 0.0, np.inf))
        launch = arena.new_params(acts, RADIUS, then=pool.BOUNCE, bounces=[(0.6, 0.2, -1, 0.0)])
        row = arena.params[launch]
        row["within"], row["cone"], row["keeps_cone"], row["group"], row["every"] = np.inf, -1, -1, -1, 1 << 40
        p, v = shots(count, side)
        # None starts inside of a body: the C loop would take that for a contact of its own.
        free = [k for k in range(count) if all(gap(b, p[k]) > RADIUS + 0.3 for b in arena.bodies)]
        arena.put(np.full(len(free), launch), p[free], v[free], np.arange(len(free)), np.zeros(len(free), dtype=int))
        arena.run(warm)
        arena.take_events()
        arena.events = pool.zeros(40 * count, pool.EVENT)
        return arena

    first = made()

    def cost(run) -> tuple[float, dict[int, np.ndarray]]:
        arena = copy.deepcopy(first)
        arena.events = pool.zeros(40 * count, pool.EVENT)
        arena.counters[pool.STALE] = 1
        run(arena, rows[:1])
        started = time.perf_counter()
        run(arena, rows[1:])
        seconds = time.perf_counter() - started
        there = {int(q["key"]): q["p"].copy() for q in arena.flight[: arena.live]}
        return seconds / arena.live / (len(rows) - 1) * 1e9, there

    def by_c(arena, some):
        loop.run_forced(arena, some, movers, np.ascontiguousarray(arena.guides["body"][: arena.live]))

    mine, theirs = cost(lambda arena, some: arena.run(some)), cost(by_c)
    off = [float(np.abs(mine[1][key] - theirs[1][key]).max()) for key in mine[1]]
    apart = float(np.quantile(off, 0.99))
    a, d, ratio = pairs(lambda: cost(lambda arena, some: arena.run(some))[0], lambda: cost(by_c)[0], 7)
    print(
        f"steered, slowed and bounced, {len(mine[1]):,} among 200 still and 50 moving: {a:.0f} / {d:.0f} ns a "
        f"projectile-tick = {ratio:.2f}; 99 % end within {apart:.1e} units of C's"
    )


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
    os.environ.setdefault("NIVVO_COMPILE", "always")
    loop = CLoop()
    print("compiling or loading the kernel:", f"{timed(lambda: once_nivvo(*obstacles(10), 10, ticks(2))):.1f} s")
    against_others(loop)
    forced(loop)
    growth()
    live.report()
    crowd.report()
    bystanders.report()
    processes.report()
    return 0


if __name__ == "__main__":
    sys.exit(main())
