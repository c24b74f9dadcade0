"""What a gameplay programmer would write instead: (b) and (b') in Python, (c) with SciPy, (d) in C."""

from __future__ import annotations

import ctypes
import math
import subprocess
import tempfile
from pathlib import Path

import numpy as np

from benchmarks.scenes import GRAVITY, RADIUS, RATE
from nivvo.core import pool
from nivvo.core.geometry.contact import first_contact


def python_swept(bodies, p, v, ticks: int) -> int:
    """(b) One projectile in plain Python: the same swept test against every body, each tick; tell the ticks flown."""
    p, v = list(p), list(v)
    h = 1.0 / RATE
    a = tuple(GRAVITY)
    for tick in range(ticks):
        best = math.inf
        for b in bodies:
            c = b["c"]
            rel = (p[0] - c[0], p[1] - c[1], p[2] - c[2])
            what, t = first_contact(b, rel, tuple(v), a, RADIUS, h, 1e-12)
            if what and t < best:
                best = t
        if best <= h:
            return tick + 1
        for k in range(3):
            p[k] += v[k] * h + 0.5 * a[k] * h * h
            v[k] += a[k] * h
    return ticks


def python_overlap(bodies, p, v, ticks: int) -> int:
    """(b') The same with an overlap test at each tick's end, bodies unpacked once, as game scripts have it."""
    unpacked = [
        (
            int(b["kind"]),
            *(float(x) for x in b["c"][:2]),
            float(b["radius"]),
            *(float(x) for x in b["axis0"][:2]),
            *(float(x) for x in b["half"][:2]),
        )
        for b in bodies
    ]
    x, y, vx, vy = float(p[0]), float(p[1]), float(v[0]), float(v[1])
    h, g = 1.0 / RATE, float(GRAVITY[1])
    for tick in range(ticks):
        vy += g * h
        x += vx * h
        y += vy * h
        for kind, cx, cy, radius, ex, ey, hx, hy in unpacked:
            dx, dy = x - cx, y - cy
            if kind != 0:
                along, across = dx * ex + dy * ey, dy * ex - dx * ey
                dx = along - min(max(along, -hx), hx)
                dy = across - min(max(across, -hy), hy)
            if dx * dx + dy * dy <= (radius + RADIUS) ** 2:
                return tick + 1
    return ticks


def scipy_event(bodies, p, v, ticks: int) -> int:
    """(c) An adaptive solver with one terminal event: the least gap to any body, in NumPy; tell the ticks flown."""
    from scipy.integrate import solve_ivp

    centre, radius = bodies["c"][:, :2].copy(), bodies["radius"].copy()
    axis, half = bodies["axis0"][:, :2].copy(), bodies["half"][:, :2].copy()

    def touch(_, y):
        d = y[:2] - centre
        along = (d * axis).sum(axis=1)
        across = d[:, 1] * axis[:, 0] - d[:, 0] * axis[:, 1]
        ox = along - np.clip(along, -half[:, 0], half[:, 0])
        oy = across - np.clip(across, -half[:, 1], half[:, 1])
        return (np.sqrt(ox * ox + oy * oy) - radius).min() - RADIUS

    touch.terminal = True
    g = float(GRAVITY[1])
    start = [p[0], p[1], v[0], v[1]]
    # Steps no longer than a tick, or it would fly past bodies unseen.
    flight = solve_ivp(lambda t, y: [y[2], y[3], 0.0, g], (0, ticks / RATE), start, events=touch, max_step=1.0 / RATE)
    return max(1, math.ceil(flight.t[-1] * RATE - 1e-9))


def records() -> str:
    """The records of the engine as C structures, packed as NumPy packs them."""
    kinds = {
        "Flight": pool.FLIGHT, "Params": pool.PARAMS, "Answer": pool.ANSWERS, "Body": pool.BODY, "Event": pool.EVENT,
        "Pending": pool.PENDING, "Tick": pool.TICKS,
    }  # fmt: skip
    words = {"f8": "double", "i8": "int64_t", "i4": "int32_t", "i2": "int16_t"}
    lines = ["#include <stdint.h>", "#pragma pack(push, 1)"]
    for name, kind in kinds.items():
        fields = []
        for field in kind.names:
            held = kind[field]
            size = f"[{math.prod(held.shape)}]" if held.shape else ""
            fields.append(f"{words[held.base.str[1:]]} {field}{size};")
        lines.append(f"typedef struct {{ {' '.join(fields)} }} {name};")
    return "\n".join([*lines, "#pragma pack(pop)", ""])


class CLoop:
    """(d), (e) ``loop.c`` and ``forced.c``, compiled on the spot, on the arrays of an arena."""

    def __init__(self):
        self.folder = tempfile.TemporaryDirectory()
        path = Path(self.folder.name) / "loop.so"
        source = Path(__file__).with_name("forced.c")
        (Path(self.folder.name) / "records.h").write_text(records())
        flags = [
            f"-I{self.folder.name}",
            f"-I{source.parent}",
            "-O3",
            "-march=native",
            "-ffp-contract=off",
            "-shared",
            "-fPIC",
        ]
        subprocess.run(["gcc", *flags, str(source), "-o", str(path), "-lm"], check=True)
        library = ctypes.CDLL(str(path))
        self.advance = library.advance
        self.advance.restype = ctypes.c_int64
        self.advance_asleep = library.advance_asleep
        self.advance_asleep.restype = ctypes.c_int64
        self.forced = library.forced
        self.forced.restype = ctypes.c_int64

    def run(self, arena, rows, asleep: bool = False) -> tuple[int, int]:
        """Advance an arena by rows of ticks; tell the projectile-ticks done and the events written.

        asleep : each sleeps until something can be in its way, as in the engine.
        """
        world, flown, events = arena.world[0], ctypes.c_int64(0), ctypes.c_int64(0)
        keep = [np.ascontiguousarray(world[name]) for name in ("origin", "per_cell", "cells")]

        def at(array):
            return ctypes.c_void_p(array.ctypes.data)

        sleep = (at(arena.wake), at(arena.awake)) if asleep else ()
        live = (self.advance_asleep if asleep else self.advance)(
            ctypes.c_int64(arena.live), at(arena.flight), at(arena.params), at(arena.answers),
            ctypes.c_int(arena.groups),
            at(arena.bodies), at(arena.boxes), at(arena.start), at(arena.items), at(arena.apart), at(arena.scratch),
            at(arena.pending), at(arena.events), ctypes.byref(events), at(rows), ctypes.c_int64(len(rows)),
            at(keep[0]), at(keep[1]), at(keep[2]), ctypes.c_double(float(world["skin"])), ctypes.byref(flown),
            *sleep,
        )  # fmt: skip
        arena.counters[pool.LIVE], arena.counters[pool.EVENTS] = live, events.value
        return flown.value, events.value

    def run_forced(self, arena, rows, movers, targets) -> int:
        """Advance an arena in which all steer and bounce by rows of ticks; tell the events written."""
        world, events = arena.world[0], ctypes.c_int64(0)
        keep = [np.ascontiguousarray(world[name]) for name in ("origin", "per_cell", "cells")]

        def at(array):
            return ctypes.c_void_p(array.ctypes.data)

        self.forced(
            ctypes.c_int64(arena.live), at(arena.flight), at(arena.params), at(arena.answers), at(arena.bodies),
            at(arena.boxes), at(arena.start), at(arena.items), ctypes.c_int32(len(movers)), at(movers), at(targets),
            at(arena.events), ctypes.byref(events), at(rows), ctypes.c_int64(len(rows)),
            at(keep[0]), at(keep[1]), at(keep[2]), ctypes.c_double(float(world["skin"])),
        )  # fmt: skip
        arena.counters[pool.EVENTS] = events.value
        return events.value


__all__ = ["CLoop", "python_overlap", "python_swept", "scipy_event"]
