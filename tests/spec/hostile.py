"""Hostile drills: made by hypothesis from the schema itself, right in most keys and wrong, huge or odd in some.

    python -m tests.spec.hostile 20000      # that many, in as many processes as there are cores; prints what failed

Each must end within two seconds and a gigabyte in a message of ours or in a run.
"""

from __future__ import annotations

import math
import multiprocessing
import os
import resource
import signal
import sys
import time
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st

import nivvo
from tests.spec.broken import GOOD

SECONDS, BYTES = 2.0, 1 << 30
SCHEMA = nivvo.schema()
NAMES = st.sampled_from(
    ["flare", "wisp", "keeper", "wall", "fire", "hand", "wisps", "anything", "tap", "b", "obstacles"]
)
ODD = st.one_of(
    st.sampled_from([math.nan, math.inf, -math.inf, 0, -1, 1e-300, 1e300, 2**63, -(2**70), 1e12, 5e-324, True, None]),
    st.sampled_from(
        ["", "a.b", "\x00", "x" * 300, "$\\frac$", "\x1b[31m", "90 ticks", "999999999 ticks", "/dev/zero", "."]
    ),
    st.lists(st.integers(-5, 5), max_size=4),
    st.just({}),
    st.just({"by": "read", "file": "/dev/zero", "row": 1, "column": 1}),
    st.just({"by": "random", "mean": 1, "deviation": 1e12}),
    st.just({"by": "age", "start": 0, "step": 1, "every": 1e-13}),
)


def of_schema(node: dict[str, Any], depth: int = 0) -> st.SearchStrategy:
    """Values that a part of the schema allows, mostly small."""
    if "$ref" in node:
        return of_schema(SCHEMA["$defs"][node["$ref"].rsplit("/", 1)[1]], depth)
    for word in ("anyOf", "oneOf"):
        if word in node and "properties" not in node:
            return st.one_of([of_schema(one, depth) for one in node[word]])
    if "const" in node:
        return st.just(node["const"])
    if "enum" in node:
        return st.sampled_from(node["enum"])
    kind = node.get("type")
    if kind in ("number", "integer"):
        low = node.get("minimum", node.get("exclusiveMinimum", -100.0))
        high = node.get("maximum", node.get("exclusiveMaximum", 100.0))
        near = min(high, max(low, 0.0) + 50.0)
        whole = st.integers(math.ceil(max(low, -50)), max(math.ceil(max(low, -50)), math.floor(near)))
        if kind == "integer":
            return st.one_of(whole, st.sampled_from([math.floor(high), math.ceil(low)]))
        floats = st.floats(max(low, -50.0), near, allow_nan=False)
        return st.one_of(floats, whole, st.sampled_from([float(low), float(high)]))
    if kind == "string":
        return st.one_of(NAMES, st.just("30 ticks")) if "pattern" in node else NAMES
    if kind == "boolean":
        return st.booleans()
    if kind == "null":
        return st.none()
    if kind == "array":
        items = of_schema(node.get("items", {}), depth + 1)
        return st.lists(items, min_size=node.get("minItems", 0), max_size=min(node.get("maxItems", 3), 4))
    return of_table(node, depth)


def inside(node: dict[str, Any]) -> dict[str, Any]:
    """The schema of what a table of named tables holds."""
    held = next(iter(node.get("patternProperties", {}).values()), node.get("additionalProperties", {}))
    return held if isinstance(held, dict) else {}


def of_table(node: dict[str, Any], depth: int) -> st.SearchStrategy:
    """Tables with what is required and a few of their other keys; now and then an odd value or an unknown key."""
    keys = node.get("properties", {})
    if not keys:
        held = inside(node)
        return st.dictionaries(NAMES, of_schema(held, depth + 1) if held else ODD, max_size=2)

    @st.composite
    def table(draw):
        required = list(node.get("required", []))
        more = draw(st.lists(st.sampled_from(sorted(keys)), max_size=2 if depth < 3 else 1, unique=True))
        out = {key: draw(of_schema(keys[key], depth + 1)) for key in dict.fromkeys([*required, *more])}
        if out and draw(st.integers(0, 19)) == 0:
            out[draw(st.sampled_from(sorted(out)))] = draw(ODD)
        if draw(st.integers(0, 99)) == 0:
            out[draw(st.sampled_from(["spede", "At", "a.b", "like", "without"]))] = draw(ODD)
        return {key: value for key, value in out.items() if value is not None}

    return table()


@st.composite
def drills(draw):
    """A whole drill: a good one with tables of each kind laid over it."""
    import tomllib

    tables = tomllib.loads(GOOD)
    for kind in draw(st.lists(st.sampled_from(["world", "tick", "tick"]), max_size=1)):
        tables[kind] = draw(of_schema(SCHEMA["properties"][kind]))
    for kind in draw(st.lists(st.sampled_from(["shooter", "obstacle", "target", "ability", "case"]), max_size=2)):
        node = inside(SCHEMA["properties"][kind])
        name = draw(st.sampled_from([*tables.get(kind, {}), "b"]))
        made = draw(of_schema(node))
        old = tables.setdefault(kind, {}).get(name, {})
        if isinstance(made, dict) and isinstance(old, dict) and draw(st.integers(0, 4)):
            made = {**old, **made}
        if isinstance(tables[kind], dict):
            tables[kind][name] = made
    if draw(st.integers(0, 49)) == 0:
        tables[draw(st.sampled_from(["world", "abilty", "nivvo", "title", "use"]))] = draw(ODD)
    return tables


class TooLong(Exception):
    """It took longer than it may."""


def outcome(tables: dict[str, Any]) -> str:
    """What becomes of a drill: "refused" or "fired". Raises what is no message of ours, TooLong, MemoryError."""

    def late(*_):
        raise TooLong(f"more than {SECONDS} s")

    before = signal.signal(signal.SIGALRM, late)
    signal.setitimer(signal.ITIMER_REAL, SECONDS)
    rss = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    try:
        run = nivvo.fire(nivvo.from_tables(tables))
        for table in ("shots", "projectiles", "contacts", "effects", "targets", "events"):
            run.rows(table)
        return "fired"
    except nivvo.NivvoError as error:
        if not str(error).strip():
            raise AssertionError("a message without words") from error
        return "refused"
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
        more = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - rss
        if more * 1024 > BYTES:
            raise MemoryError(f"{more >> 10} MB")


def many(job: tuple[int, int]) -> tuple[int, dict[str, int], list[str]]:
    """Try so many drills from a seed: how many, what became of them, and what failed, each kind of failure once."""
    start, count = job
    tally: dict[str, int] = {}
    failed: dict[str, str] = {}

    @seed(start)
    @settings(max_examples=count, database=None, deadline=None, phases=[Phase.generate],
              suppress_health_check=list(HealthCheck))  # fmt: skip
    @given(drills())
    def one(tables):
        try:
            what = outcome(tables)
        except Exception as error:
            where = error.__traceback__
            while where.tb_next:
                where = where.tb_next
            what = f"{type(error).__name__} at {Path(where.tb_frame.f_code.co_filename).name}:{where.tb_lineno}"
            failed.setdefault(what, f"{what}: {str(error)[:200]}\n    {tables!r}")
        tally[what] = tally.get(what, 0) + 1

    # Loaded, or compiled, before anything is timed.
    nivvo.Live(nivvo.parse(GOOD))
    one()
    return sum(tally.values()), tally, list(failed.values())


def main() -> int:
    """Try as many drills as asked for."""
    count, cores = int(sys.argv[1]), os.cpu_count() or 1
    jobs = [(1000 + k, 250) for k in range(max(count // 250, 1))]
    total, tally, failed, started = 0, {}, {}, time.perf_counter()
    with multiprocessing.get_context("fork").Pool(cores) as pool:
        for done, part, bad in pool.imap_unordered(many, jobs):
            total += done
            for what, number in part.items():
                tally[what] = tally.get(what, 0) + number
            for text in bad:
                failed.setdefault(text.partition(":")[0] + text.partition(":")[2][:20], text)
    for text in failed.values():
        print(text)
    print(f"{total} drills in {time.perf_counter() - started:.0f} s: {tally}")
    return int(bool(failed))


if __name__ == "__main__":
    sys.exit(main())
