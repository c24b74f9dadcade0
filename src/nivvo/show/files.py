"""Saving runs: each file is whole or not there at all."""

from __future__ import annotations

import contextlib
import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

from nivvo.errors import CallError, visible
from nivvo.play.run import TABLES, Run
from nivvo.spec.arguments import checked
from nivvo.spec.files import path_of, write_text, write_whole

FORMATS = ("csv", "json", "parquet")


@checked
def save(run: Run, folder: str | Path, format: str = "csv") -> list[Path]:
    """Save a run: a file a table and a path a projectile (csv, parquet), or one file (json).

    Raises CallError for an unknown format or a missing extra, OutputError if a file cannot be written.
    """
    folder = path_of(folder, "folder")
    if format not in FORMATS:
        raise CallError(f"unknown format {format!r}; a run is saved as {', '.join(FORMATS)}")
    if format == "json":
        text = json.dumps(as_tables(run), indent=1, allow_nan=False) + "\n"
        return _alone(run, folder, [write_text(folder / f"{run.case}.json", text)])
    if format == "parquet":
        try:
            import pyarrow  # noqa: F401
        except ImportError:
            raise CallError("Parquet files need the extra: pip install 'nivvo[parquet]'") from None
    frames = {f"{run.case}.{table}": run.table(table) for table in TABLES}
    frames |= {f"{run.case}.path.{name}": run.path(name) for name in run.ids.values()}
    done = []
    for name, frame in frames.items():
        write = _csv_of(frame) if format == "csv" else _parquet_of(frame)
        done.append(write_whole(folder / f"{name}.{format}", write))
    return _alone(run, folder, done)


def _alone(run: Run, folder: Path, done: list[Path]) -> list[Path]:
    """Take away what an earlier save of the same case has left beside these files."""
    known = [f"{run.case}.{table}" for table in TABLES]
    for old in folder.glob(f"{run.case}.*"):
        ours = old.stem in known or old.stem.startswith(f"{run.case}.path.") or old.name == f"{run.case}.json"
        if ours and old.suffix.lstrip(".") in FORMATS and old not in done:
            with contextlib.suppress(OSError):
                old.unlink()
    return done


def tame(value: Any) -> Any:
    """A cell of a CSV file that no table program takes for a formula."""
    if not isinstance(value, str):
        return value
    value = visible(value)
    return f"'{value}" if value.startswith(("=", "+", "-", "@")) else value


def _csv_of(frame) -> Callable[[Path], None]:
    words = [name for name in frame.columns if frame[name].dtype.kind not in "fiub"]
    tamed = frame.assign(**{name: frame[name].map(tame) for name in words})
    return lambda made: tamed.to_csv(made, index=False, lineterminator="\n")


def _parquet_of(frame) -> Callable[[Path], None]:
    return lambda made: frame.to_parquet(made, index=False)


def as_tables(run: Run) -> dict[str, Any]:
    """A run as plain tables, fit for JSON: not-a-number and endless become null."""
    tables: dict[str, Any] = {"drill": run.drill, "case": run.case, "unit": run.scene.unit}
    tables["digest"] = run.digest
    for table in TABLES:
        tables[table] = [plain_row(row) for row in run.rows(table)]
    tables["paths"] = {}
    for name in run.ids.values():
        path, size = run.flight(name), run.scene.frame.size
        tables["paths"][name] = {
            "time": path.t.tolist(),
            "position": path.p[:, :size].tolist(),
            "velocity": path.v[:, :size].tolist(),
        }
    return tables


def plain_row(row: dict[str, Any]) -> dict[str, Any]:
    """A row whose numbers are all finite or None."""
    return {key: None if isinstance(value, float) and not math.isfinite(value) else value for key, value in row.items()}
