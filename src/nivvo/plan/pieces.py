"""What one body is made of: one shape, or several that are laid side by side and go by one name."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from nivvo.core.geometry.shapes import PRISM
from nivvo.core.numbers import frame as frames
from nivvo.core.numbers.frame import dot
from nivvo.plan.bodies import Piece, fill_shape
from nivvo.spec.reading.heights import heights_of
from nivvo.spec.scenes.scene import Shape

Fill = Callable[[np.void, np.ndarray], None]
"""Writes a shape that stands at a place (3,) into a body record."""

DEEP = 1.0
"""Metres below its lowest point that ground goes down, unless it is written."""


def pieces_of(model: Any, frame: frames.Frame, metre: float, folder: Path) -> list[Piece] | None:
    """The pieces of an obstacle or a target; None where it is one shape."""
    if model.parts is not None:
        fills = [(part, fill) for part in model.parts for fill in _moved(part, frame, metre, folder)]
        return [Piece(fill, part.group) for part, fill in fills]
    shape = model.shape
    if shape is None or (shape.chain is None and shape.heights is None):
        return None
    return [Piece(fill) for fill in _of_shape(shape, frame, metre, folder)]


def _of_shape(shape: Shape, frame: frames.Frame, metre: float, folder: Path) -> list[Fill]:
    if shape.chain is not None:
        return [_fill(one, frame, at) for one, at in _links(shape, frame)]
    if shape.heights is not None:
        return _ground(shape.heights, frame, metre, folder)
    return [_fill(shape, frame, np.zeros(3))]


def _moved(part: Any, frame: frames.Frame, metre: float, folder: Path) -> list[Fill]:
    off = frame.lift(part.at) if part.at is not None else np.zeros(3)

    def moved(fill: Fill) -> Fill:
        return lambda row, at: fill(row, at + off)

    return [moved(fill) for fill in _of_shape(part.shape, frame, metre, folder)]


def _fill(shape: Shape, frame: frames.Frame, off: np.ndarray) -> Fill:
    return lambda row, at: fill_shape(row, shape, at + off, frame)


def _links(shape: Shape, frame: frames.Frame) -> list[tuple[Shape, np.ndarray]]:
    """The links of a chain of walls, and what fills its corners."""
    ends, thick, here = list(shape.chain), shape.thick or 0.0, np.zeros(3)
    if shape.closed:
        ends.append(ends[0])
    pairs = [pair for pair in itertools.pairwise(ends) if pair[0] != pair[1]]
    if frame.size == 2 and thick:
        return [(Shape(capsule=[a, b], radius=0.5 * thick), here) for a, b in pairs]
    tall = {} if frame.size == 2 else {"tall": shape.tall}
    out = [(Shape(wall=[a, b], thick=thick, **tall), here) for a, b in pairs]
    if thick:
        corners = ends[1:] if shape.closed else ends[1:-1]
        out += [(Shape(ellipse=[thick, thick], **tall), frame.lift(corner)) for corner in corners]
    return out


def _ground(model: Any, frame: frames.Frame, metre: float, folder: Path) -> list[Fill]:
    """Ground of given heights: columns side by side; in 3D a column under each cell, and its two halves above it."""
    rows = heights_of(model, folder)
    deep = DEEP * metre if model.deep is None else model.deep
    if frame.size == 2:
        up = float(frame.up[1])
        base = min(rows[0]) - deep
        columns = []
        for k, (a, b) in enumerate(itertools.pairwise(rows[0])):
            x, y = k * model.every, (k + 1) * model.every
            corners = [[x, up * base], [y, up * base], [y, up * b], [x, up * a]]
            columns.append(_fill(Shape(polygon=corners), frame, np.zeros(3)))
        return columns
    first, second, grid = frame.first * model.every, frame.second * model.every, np.array(rows)
    places = (
        np.arange(grid.shape[1])[None, :, None] * first
        + np.arange(grid.shape[0])[:, None, None] * second
        + grid[:, :, None] * frame.up
    )
    base = float(grid.min()) - deep
    square = [[0.0, 0.0], [model.every, 0.0], [model.every, model.every], [0.0, model.every]]
    cells = []
    for j in range(grid.shape[0] - 1):
        for i in range(grid.shape[1] - 1):
            a, b, c, d = places[j, i], places[j, i + 1], places[j + 1, i + 1], places[j + 1, i]
            least = float(grid[j : j + 2, i : i + 2].min())
            foot = i * first + j * second + base * frame.up
            cells.append(_fill(Shape(polygon=square, tall=least - base), frame, foot))
            cells += [_plate(np.array(one), frame.up) for one in ((a, b, c), (a, c, d))]
    return cells


def _plate(corners: np.ndarray, up: np.ndarray) -> Fill:
    """A triangle in space, (3, 3) from a place on, of no thickness."""
    along = corners[1] - corners[0]
    axis0 = along / math.sqrt(float(dot(along, along)))
    normal = np.cross(along, corners[2] - corners[0])
    normal = normal / math.sqrt(float(dot(normal, normal)))
    normal = normal if float(dot(normal, up)) > 0.0 else -normal
    axis1 = np.cross(normal, axis0)
    flat = np.column_stack([dot(corners - corners[0], axis) for axis in (axis0, axis1)])
    if flat[2, 1] < 0.0:
        flat = flat[::-1]
    low, high = flat.min(axis=0), flat.max(axis=0)
    middle = 0.5 * (low + high)
    off = corners[0] + middle[0] * axis0 + middle[1] * axis1

    def fill(row: np.void, at: np.ndarray) -> None:
        row["kind"], row["count"] = PRISM, 3
        row["axis0"], row["axis1"], row["axis2"] = axis0, axis1, normal
        row["corners"][:3] = flat - middle
        row["half"] = [*(0.5 * (high - low)), 0.0]
        row["c0"] = row["c"] = at + off

    return fill
