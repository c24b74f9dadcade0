"""Figures that need no screen, whose words are only words, written whole or not at all."""

from __future__ import annotations

import contextlib
import functools
import os
import warnings
from collections.abc import Callable, Iterator
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

import numpy as np

from nivvo.errors import CallError, visible
from nivvo.spec.reading.files import path_of, write_whole

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK = "#1b2733"
PICTURES = (".png", ".svg")


@contextlib.contextmanager
def plainly() -> Iterator[None]:
    """Draw with words that are only words: a dollar begins no formula."""
    # Whatever backend somebody asks for, even one that is none: no window is opened here.
    asked = os.environ.pop("MPLBACKEND", None)
    try:
        from matplotlib import rc_context
    finally:
        if asked is not None:
            os.environ["MPLBACKEND"] = asked
    with rc_context({"text.parse_math": False, "svg.hashsalt": "nivvo"}):
        yield


def drawn(draw: Callable) -> Callable:
    """A drawing function whose words are only words."""

    @functools.wraps(draw)
    def drawing(*args: Any, **keys: Any) -> Any:
        with plainly():
            return draw(*args, **keys)

    return drawing


def new_figure(count: int, tall: float = 8.0, beside: bool = False) -> Figure:
    """A figure of ``count`` axes, above or beside one another, 1280 pixels wide and ``tall`` hundred high."""
    with plainly():
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure

        figure = Figure(figsize=(12.8, tall), dpi=100)
        FigureCanvasAgg(figure)
        figure.subplots(*((1, count) if beside else (count, 1)))
        edges = {"top": 1 - 0.78 / tall, "bottom": 0.6 / tall}
        figure.subplots_adjust(left=0.06, right=0.985, hspace=0.25, wspace=0.12, **edges)
        return figure


def mark(ax: Axes, x: Any, y: Any, **style: Any) -> None:
    """Draw a line or a marker on axes whose limits are set: they are not looked at again, which takes long."""
    from matplotlib.cbook import normalize_kwargs
    from matplotlib.lines import Line2D

    ax.add_artist(Line2D(np.atleast_1d(x), np.atleast_1d(y), **normalize_kwargs(style, Line2D)))


def check_picture(path: str | FilePath) -> FilePath:
    """The path of a picture. Raises CallError for an ending that is none."""
    path = path_of(path, "a figure")
    if path.suffix.lower() not in PICTURES:
        raise CallError(f"{path.name}: a figure is a file that ends in {' or '.join(PICTURES)}")
    return path


def save_titled(figure: Figure, path: str | FilePath, title: str) -> FilePath:
    """Write a figure with a title above it. Raises CallError for an ending that is no picture, OutputError."""
    path, tall = check_picture(path), figure.get_figheight()
    plain = {"Date": None} if path.suffix.lower() == ".svg" else {"Software": None}
    with plainly():
        figure.text(0.012, 1 - 0.12 / tall, title, color=INK, fontsize=13, fontweight="bold", va="top")
        for text in _words(figure):
            if (shown := visible(text.get_text())) != text.get_text():
                text.set_text(shown)
        with warnings.catch_warnings():
            # A letter that no font here has is drawn as a box.
            warnings.filterwarnings("ignore", "Glyph .* missing")
            quick = {"pil_kwargs": {"compress_level": 1}} if path.suffix.lower() == ".png" else {}
            return write_whole(path, lambda made: figure.savefig(made, metadata=plain, **quick))


def _words(figure: Figure) -> Iterator[Any]:
    """All words on a figure that are not numbers along an axis."""
    yield from figure.texts
    for ax in figure.axes:
        yield from ax.texts
        yield from (ax.title, ax.xaxis.label, ax.yaxis.label)
        yield from ax.get_legend().get_texts() if ax.get_legend() else ()
    for legend in figure.legends:
        yield from legend.get_texts()
