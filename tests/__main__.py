"""Run all tests, in as many processes as there are cores; the last line counts them.

``python -m tests [-k PATTERN] [--deep] [FOLDER ...]``
"""

from __future__ import annotations

import argparse
import itertools
import multiprocessing
import os
import subprocess
import sys
import time
import unittest
import warnings
from collections.abc import Iterator
from pathlib import Path

HERE = Path(__file__).parent
SLOWEST = 10
PLAIN = ("tests.core.test_pushing.", "tests.spec.", "tests.test_house.")
"""Tests that do without the compiled engine."""


def flat(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """All tests of a suite, one by one."""
    for one in suite:
        if isinstance(one, unittest.TestSuite):
            yield from flat(one)
        else:
            yield one


def parts(tests: list[unittest.TestCase]) -> list[list[str]]:
    """Names of tests that run together: each alone, but for classes that set up something for all of theirs."""
    whole: dict[str, list[str]] = {}
    for test in tests:
        shares = type(test).setUpClass.__func__ is not unittest.TestCase.setUpClass.__func__
        whole.setdefault(unittest.util.strclass(type(test)) if shares else test.id(), []).append(test.id())
    return list(whole.values())


def plain(name: str) -> bool:
    """Whether a test does without the compiled engine."""
    return name.startswith(PLAIN)


def run(names: list[str]) -> tuple[float, int, list[tuple[str, str]], list[tuple[str, str]]]:
    """Run tests by name: seconds, how many ran, (name, trace) of failures, (name, reason) of skips."""
    warnings.simplefilter("default")
    result, started = unittest.TestResult(), time.perf_counter()
    unittest.defaultTestLoader.loadTestsFromNames(names).run(result)
    failed = [(test.id(), trace) for test, trace in result.failures + result.errors]
    failed += [(test.id(), "passed, though it was expected to fail") for test in result.unexpectedSuccesses]
    skipped = [(test.id(), reason) for test, reason in result.skipped]
    return time.perf_counter() - started, result.testsRun, failed, skipped


def main() -> int:
    """Discover, run, and print the closing line."""
    parser = argparse.ArgumentParser(prog="python -m tests")
    parser.add_argument("folders", nargs="*", help="rooms to test, as core or spec; default: all")
    parser.add_argument("-k", action="append", dest="patterns", help="only tests whose name has this in it")
    parser.add_argument("-v", action="store_true", help="name each test")
    parser.add_argument("--deep", action="store_true", help="run random properties long")
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1, help="processes; default: one a core")
    asked = parser.parse_args()
    if asked.deep:
        os.environ["NIVVO_TESTS_DEEP"] = "1"
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    loader = unittest.TestLoader()
    loader.testNamePatterns = [f"*{pattern}*" for pattern in asked.patterns or []] or None
    suite = unittest.TestSuite()
    for folder in asked.folders or [""]:
        suite.addTests(loader.discover(str(HERE / folder), top_level_dir=str(HERE.parent)))
    tests = list(flat(suite))
    lost = [test for test in tests if isinstance(test, unittest.loader._FailedTest)]
    for test in lost:
        print(test._exception)
    started, ran, failed, skipped, took = time.perf_counter(), 0, [], [], {}
    # Until the engine is in the store all would do without, and longer: but for those that fire next to nothing.
    work = sorted(parts([test for test in tests if test not in lost]), key=lambda names: not plain(names[0]))
    early = sum(plain(names[0]) for names in work)
    with multiprocessing.get_context("fork").Pool(max(asked.jobs, 1), maxtasksperchild=None) as pool:
        coming = pool.imap(run, work[:early])
        if not asked.folders and not asked.patterns and os.environ.get("NIVVO_COMPILE") != "never":
            subprocess.run([sys.executable, "-m", "nivvo", "compile"], capture_output=True)
        for names, done in zip(work, itertools.chain(coming, pool.imap(run, work[early:])), strict=True):
            seconds, count, bad, passed_over = done
            ran += count
            failed += bad
            skipped += passed_over
            took[names[0]] = seconds
            if asked.v:
                print(f"{seconds:7.2f} s  {names[0]}", flush=True)
            for name, trace in bad:
                print(f"\nFAILED {name}\n{trace}", flush=True)
    for name, reason in skipped:
        print(f"skipped {name}: {reason}")
    print("the slowest:")
    for name in sorted(took, key=took.get, reverse=True)[:SLOWEST]:
        print(f"{took[name]:7.1f} s  {name.removeprefix('tests.')}")
    print(f"tests took {time.perf_counter() - started:.0f} s in {asked.jobs} processes")
    # Parts of one test that fail are one test that fails.
    whole = {name.partition(" ")[0] for name, _ in failed}
    bad = len(whole) + len(lost)
    print(f"{ran - len(whole) - len(skipped)} passed, {bad} failed, {len(skipped)} skipped", flush=True)
    return 0 if ran and not bad else 1


if __name__ == "__main__":
    sys.exit(main())
