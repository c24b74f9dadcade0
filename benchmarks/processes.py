"""Whole processes: importing, helping, a first fire on a cold machine, the first compilation, a warm fire."""

from __future__ import annotations

import os
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

BARE_CLICK = "import click\n@click.group()\ndef main(): pass\nmain(['--help'], prog_name='bare')"
REPEATS = 15


def seconds_of(*args: str, **environment: str) -> float:
    """Wall seconds of one process."""
    started = time.perf_counter()
    subprocess.run([sys.executable, *args], env={**os.environ, **environment}, check=True, capture_output=True)
    return time.perf_counter() - started


def ratio(first: tuple[str, ...], second: tuple[str, ...]) -> tuple[float, float, float]:
    """Median seconds of two commands, run in turn, and the median of their ratios."""
    a, b = [], []
    for _ in range(REPEATS):
        a.append(seconds_of(*first))
        b.append(seconds_of(*second))
    return statistics.median(a), statistics.median(b), statistics.median(x / y for x, y in zip(a, b, strict=True))


def cold_fire(folder: str) -> float:
    """A newcomer's first fire: a fresh copy of the package, without bytecode and without compiled kernels."""
    import nivvo

    source = Path(nivvo.__file__).parent
    shutil.copytree(source, Path(folder) / "nivvo", ignore=shutil.ignore_patterns("__pycache__", "__kernels__"))
    environment = {"PYTHONPATH": folder, "NIVVO_CACHE_DIR": f"{folder}/kernels", "NIVVO_COMPILE": "auto"}
    return seconds_of("-m", "nivvo", "fire", f"{folder}/nivvo/demo/quay.toml", **environment)


def compilation(folder: str) -> float:
    """Seconds of processor time to compile all there is, the whole process, with an empty store."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run(
        [sys.executable, "-m", "nivvo", "compile"],
        env={**os.environ, "NIVVO_CACHE_DIR": folder},
        check=True,
        capture_output=True,
    )
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


SECOND_FIRE = """
import time, nivvo, pathlib
drill = nivvo.load(pathlib.Path(nivvo.__file__).parent / "demo" / "quay.toml")
nivvo.fire(drill, "flare")
started = time.perf_counter(); nivvo.fire(drill, "flare"); print(time.perf_counter() - started)
"""


def second_fire(mode: str) -> float:
    """Seconds of the second fire of the quay's flare in one process."""
    done = subprocess.run(
        [sys.executable, "-c", SECOND_FIRE],
        env={**os.environ, "NIVVO_COMPILE": mode},
        check=True,
        capture_output=True,
        text=True,
    )
    return float(done.stdout)


def report() -> None:
    """Print them all."""
    a, b, r = ratio(("-c", "import nivvo"), ("-c", "import numpy"))
    print(f"import nivvo {a:.3f} s, import numpy {b:.3f} s: {r:.2f} times")
    a, b, r = ratio(("-m", "nivvo", "--help"), ("-c", BARE_CLICK))
    print(f"nivvo --help {a:.3f} s, a bare click program {b:.3f} s: {r:.2f} times")
    colds = []
    for _ in range(5):
        with tempfile.TemporaryDirectory() as folder:
            colds.append(cold_fire(folder))
    print(f"first nivvo fire of the quay, fresh copy, nothing compiled: {statistics.median(colds):.2f} s")
    made = []
    for _ in range(3):
        with tempfile.TemporaryDirectory() as folder:
            made.append(compilation(folder))
    print(f"compilation of everything, whole process: {min(made):.1f} s of processor time (bar 9)")
    for mode, words in (("always", "kernel loaded"), ("never", "uncompiled")):
        seconds = statistics.median(second_fire(mode) for _ in range(5))
        print(f"second fire in one process, {words}: {seconds * 1e3:.1f} ms")
