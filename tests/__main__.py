"""Run all tests; the last line counts them. ``python -m tests [-k PATTERN] [FOLDER ...]``."""

from __future__ import annotations

import argparse
import sys
import time
import unittest
from pathlib import Path

HERE = Path(__file__).parent


def main() -> int:
    """Discover, run, and print the closing line."""
    parser = argparse.ArgumentParser(prog="python -m tests")
    parser.add_argument("folders", nargs="*", help="rooms to test, as core or spec; default: all")
    parser.add_argument("-k", action="append", dest="patterns", help="only tests whose name has this in it")
    parser.add_argument("-v", action="store_true", help="name each test")
    asked = parser.parse_args()
    loader = unittest.TestLoader()
    loader.testNamePatterns = [f"*{pattern}*" for pattern in asked.patterns or []] or None
    suite = unittest.TestSuite()
    for folder in asked.folders or [""]:
        suite.addTests(loader.discover(str(HERE / folder), top_level_dir=str(HERE.parent)))
    started = time.perf_counter()
    result = unittest.TextTestRunner(verbosity=2 if asked.v else 1, warnings="default").run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    print(f"tests took {time.perf_counter() - started:.0f} s")
    print(f"{passed} passed, {failed} failed, {len(result.skipped)} skipped", flush=True)
    return 0 if result.wasSuccessful() and passed else 1


if __name__ == "__main__":
    sys.exit(main())
