"""Saving runs: each file is whole or not there at all."""

from __future__ import annotations

import json
import math
import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from nivvo.errors import CallError, OutputError
from nivvo.play.run import TABLES, Run

FORMATS = ("csv", "json", "parquet")


def write_whole(path: str | Path, write: Callable[[Path], None]) -> Path:
    """Let ``write`` fill a temporary file beside ``path`` and move it there only when it is whole.

    Raises OutputError with the reason.
    """
    path = Path(path)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=".making-", suffix=path.suffix)
        os.close(handle)
        made = Path(name)
        try:
            write(made)
            made.chmod(0o644)
            made.replace(path)
        finally:
            made.unlink(missing_ok=True)
    except OSError as error:
        raise OutputError(f"{path} cannot be written: {(error.strerror or str(error)).lower()}") from None
    return path


def write_text(path: str | Path, text: str) -> Path:
    """Write a text file, whole or not at all. Raises OutputError."""
    return write_whole(path, lambda made: made.write_text(text, encoding="utf-8"))


def save(run: Run, folder: str | Path, format: str = "csv") -> list[Path]:
    """Save a run: a file a table and a path a projectile (csv, parquet), or one file (json).

    Raises CallError for an unknown format or a missing extra, OutputError if a file cannot be written.
    """
    folder = Path(folder)
    if format not in FORMATS:
        raise CallError(f"unknown format {format!r}; a run is saved as {', '.join(FORMATS)}")
    if format == "json":
        return [write_text(folder / f"{run.case}.json", json.dumps(as_tables(run), indent=1, allow_nan=False) + "\n")]
    if format == "parquet":
        try:
            import pyarrow  # noqa: F401
        except ImportError:
            raise CallError("Parquet files need the extra: pip install 'nivvo[parquet]'") from None
    frames = {f"{run.case}.{table}": run.table(table) for table in TABLES}
    frames |= {f"{run.case}.path.{name}": run.path(name) for name in run.ids.values()}
    done = []
    for name, frame in frames.items():
        path = folder / f"{name}.{format}"
        if format == "csv":
            done.append(
                write_whole(path, lambda made, frame=frame: frame.to_csv(made, index=False, lineterminator="\n"))
            )
        else:
            done.append(write_whole(path, lambda made, frame=frame: frame.to_parquet(made, index=False)))
    return done


def as_tables(run: Run) -> dict[str, Any]:
    """A run as plain tables, fit for JSON: not-a-number and endless become null."""
    tables: dict[str, Any] = {"drill": run.drill, "case": run.case, "unit": run.scene.model.world.unit}
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
