"""The heights of a piece of ground: as they are written, or from a CSV file or a grey picture."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

from nivvo.spec.reading.files import Unreadable, read_bytes, rows_of_csv

MOST_PICTURE = 32_000_000
MOST_HEIGHTS = 5_000


def heights_of(model: Any, folder: Path) -> list[list[float]]:
    """Rows of heights; one row for a line of them. Raises ValueError, in words."""
    if model.values is not None:
        values: list = model.values
        rows = values if isinstance(values[0], list) else [values]
    else:
        path = folder / model.file
        try:
            rows = _of_picture(path, model.high) if path.suffix.lower() == ".png" else _of_csv(path)
        except Unreadable as error:
            raise ValueError(f"{path} {str(error).replace('this', 'it')}") from None
    wide = len(rows[0])
    for k, row in enumerate(rows):
        if len(row) != wide:
            raise ValueError(f"heights have a hole: row {k + 1} has {len(row)} of them, the first {wide}")
    if wide < 2:
        raise ValueError("heights need at least two in a row")
    if len(rows) * wide > MOST_HEIGHTS:
        raise ValueError(f"{len(rows) * wide:,} heights are more than {MOST_HEIGHTS:,}")
    return rows


def _of_csv(path: Path) -> list[list[float]]:
    rows = []
    for line, cells in rows_of_csv(path):
        try:
            row = [float(cell) for cell in cells]
        except ValueError:
            raise Unreadable(f"line {line}: {', '.join(cells)[:60]} are not all numbers") from None
        if not all(math.isfinite(x) and abs(x) <= 1e12 for x in row):
            raise Unreadable(f"line {line}: a height is not a number that can be built on")
        rows.append(row)
    if not rows:
        raise Unreadable("it has no heights")
    return rows


def _of_picture(path: Path, high: float | None) -> list[list[float]]:
    """Grey values from black (0) to white (``high``), the lowest row of the picture first."""
    import io

    import numpy as np
    from PIL import Image

    if high is None:
        raise Unreadable("it is a picture: write high, how high white is (black is 0)")
    data = read_bytes(path, MOST_PICTURE)
    try:
        with Image.open(io.BytesIO(data)) as picture:
            if picture.width * picture.height > MOST_HEIGHTS:
                raise Unreadable(f"it has {picture.width * picture.height:,} dots, more than {MOST_HEIGHTS:,}")
            deep = picture.mode.startswith(("I", "F"))
            grey = picture if deep else picture.convert("L")
            most = 65535.0 if deep else 255.0
            dots = [float(dot) for dot in np.asarray(grey).ravel()]
    except (OSError, SyntaxError, Image.DecompressionBombError) as error:
        raise Unreadable(f"it is not a PNG picture ({error})") from None
    wide = picture.width
    rows = [[high * dot / most for dot in dots[k : k + wide]] for k in range(0, len(dots), wide)]
    return rows[::-1]
