"""What a live tick costs, everything included, a shot by a solved arc in it, and how many arcs a second are solved."""

from __future__ import annotations

import gc
import time
from pathlib import Path

import numpy as np

import nivvo
from benchmarks.scenes import GRAVITY, obstacles, shots
from nivvo.core import pool
from nivvo.core.flying.forces import acting
from nivvo.core.launching.air import Air
from nivvo.core.numbers import clock
from nivvo.core.world.arena import Arena
from nivvo.core.world.study import single_shots

SIDE, BODIES, TICKS = 100.0, 200, 600


def session(count: int, drag: float) -> nivvo.Live:
    """A session of 200 obstacles and ``count`` projectiles that nothing ends."""
    rng = np.random.default_rng(1)
    text = 'nivvo = 1\nworld.view = "top"\n[ability.rivet]\nlaunch.speed = 20\n'
    for k, (x, y) in enumerate(rng.uniform(0, SIDE, (BODIES, 2))):
        text += f"[obstacle.pile{k}]\nat = [{x}, {y}]\nshape.ball = {rng.uniform(0.3, 1.5)}\n"
    live = nivvo.Live(nivvo.parse(text))
    arena = live._session.arena
    launch = arena.new_params(acting(np.zeros(3), linear=drag, square=0.5 * drag), 0.1, then=pool.PASS)
    turn = rng.uniform(0, 2 * np.pi, count)
    v = 3.0 * np.stack([np.cos(turn), np.sin(turn), 0 * turn], axis=1)
    p = np.concatenate([rng.uniform(0, SIDE, (count, 2)), np.zeros((count, 1))], axis=1)
    if count:
        arena.put(launch, p, v, np.arange(count), 0)
    return live


def studies() -> None:
    """Single shots by columns among 200 obstacles, columns in and columns out."""
    bodies, side = obstacles(BODIES)
    world = Arena(bodies, 1, scene=side, flat=True, sampled=False)
    p, v = shots(100_000, side)
    for words, acts, bar in (
        ("constant acceleration", GRAVITY, "400,000"),
        ("drag", acting(GRAVITY, linear=0.05, square=0.02), "50,000"),
    ):
        spent = []
        for _ in range(5):
            started = time.perf_counter()
            single_shots(world, acts, p, v, life=2 * clock.UNITS, ticks=(60.0, 130))
            spent.append(time.perf_counter() - started)
        print(f"  single shots by columns, {words}: {len(p) / min(spent):,.0f} a second (bar {bar})")


def arcs() -> None:
    """A shot in a live tick, and a preview of it, by an arc that is solved anew for each cursor."""
    for words, far, keys in (
        ("no drag", 20.0, ""),
        ("drag", 20.0, "flight.drag.linear = 0.3"),
        ("drag, out of reach, as far as it goes", 300.0, "flight.drag.linear = 0.3"),
    ):
        for motion in ("exact", "semi-implicit"):
            launch = 'launch = { arc = "low", speed = 22, out_of_reach = "farthest" }'
            text = f'nivvo = 1\ntick.motion = "{motion}"\n[ability.lob]\naim.by = "cursor"\n{launch}\n{keys}\n'
            live, spent = nivvo.Live(nivvo.parse(f"{text}[case.c]\ninput = [{{ t = 0, cursor = [20, 1] }}]\n")), []
            for k in range(40):
                live.set_cursor(far + 0.1 * k, 1.0)
                started = time.perf_counter()
                live.preview("lob")
                seen = time.perf_counter()
                live.tap("fire")
                live.step()
                spent.append((1e3 * (time.perf_counter() - seen), 1e3 * (seen - started)))
            shot, preview = np.median(spent, axis=0)
            print(f"  an arc, {words}, {motion}: shot {shot:.2f} ms, preview {preview:.2f} ms")


def shot() -> None:
    """What one shot adds to a live tick, beyond one in which nobody fires."""
    live, spent = session(0, 0.0), {True: [], False: []}
    for tick in range(TICKS):
        fires = tick % 2 == 0
        started = time.perf_counter()
        if fires:
            live.tap("fire")
        live.step()
        spent[fires].append(1e3 * (time.perf_counter() - started))
        for one in live.ids.tolist():
            live.end(one)
    fired, empty = (float(np.median(spent[fires])) for fires in (True, False))
    print(f"  one shot in a live tick: {fired - empty:.3f} ms beyond one without (bar 0.15)")


def variants() -> None:
    """The quay's flare fired with one number changed, and one measure taken: against reading the drill anew for it."""
    quay = Path(nivvo.__file__).parent / "demo" / "quay.toml"
    drill, text = nivvo.load(quay), quay.read_text()

    def seconds(made, speed: float) -> float:
        started = time.perf_counter()
        changed = made().with_settings({"ability.flare.launch.speed": speed})
        nivvo.measure(nivvo.fire(changed, "flare"), "range")
        return time.perf_counter() - started

    once = [seconds(lambda: drill, 15.0 + 0.01 * k) for k in range(300)][50:]
    anew = [seconds(lambda: nivvo.parse(text), 15.0 + 0.1 * k) for k in range(30)]
    least, typical = 1e3 * min(once), 1e3 * np.median(once)
    print(
        f"  one number changed, fired and measured: at best {least:.3f} ms, typical {typical:.3f} (bar 0.3), "
        f"{least / (1e3 * min(anew)):.3f} of the same with the drill read anew"
    )


def report() -> None:
    """Typical and worst tick at an equal number in the air, garbage collection told apart."""
    print(f"\nlive step among {BODIES} obstacles, everything included; milliseconds over {TICKS} ticks")
    for words, drag in (("constant acceleration", 0.0), ("drag in exact step", 0.05)):
        for count, bar in ((0, 0.01), (1_000, 0.25 if drag else 0.1), (10_000, 2.0 if drag else 0.6)):
            live = session(count, drag)
            first = time.perf_counter()
            live.step()
            first = 1e3 * (time.perf_counter() - first)
            gc.collect()
            gc.disable()
            spent = []
            for _ in range(TICKS):
                started = time.perf_counter()
                live.step()
                spent.append(1e3 * (time.perf_counter() - started))
            gc.enable()
            typical, late = float(np.median(spent)), float(np.percentile(spent, 99))
            worst = max(spent)
            print(
                f"  {words}, {live.in_the_air:6,} in the air: typical {typical:.4f} (bar {bar}), "
                f"99 % below {late:.4f}, "
                f"worst {worst:.4f} = {worst / typical:.2f} x typical, the very first {first:.4f}"
            )
    studies()
    shot()
    variants()
    arcs()
    rng = np.random.default_rng(1)
    turn, far, rise = rng.uniform(0, 2 * np.pi, 5_000), rng.uniform(2, 25, 5_000), rng.uniform(-8, 8, 5_000)
    to = np.stack([far * np.cos(turn), far * np.sin(turn), rise], axis=1)
    for words, air in (
        ("linear drag", Air(acting([0, 0, -9.81], linear=0.3))),
        ("square drag", Air(acting([0, 0, -9.81], square=0.02))),
        (
            "both, in a game's own step",
            Air(acting([0, 0, -9.81], linear=0.2, square=0.01), step=pool.SEMI_IMPLICIT, dt=np.full(3600, 1 / 60)),
        ),
    ):
        air.by_speed(to[:10], 22.0)
        started = time.perf_counter()
        found = air.by_speed(to, 22.0)
        rate = len(to) / (time.perf_counter() - started)
        reached = np.isfinite(found.time).mean()
        print(f"  launches solved through {words}: {rate:,.0f} a second, {100 * reached:.0f} % in reach (bar 5,000)")
