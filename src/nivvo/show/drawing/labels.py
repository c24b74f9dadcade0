"""Putting words beside things so that they cover neither each other nor what is drawn."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from matplotlib.axes import Axes

# Offsets in points, and which way the text hangs from them.
SIDES = (
    (0, 7, "center", "bottom"),
    (0, -7, "center", "top"),
    (10, 0, "left", "center"),
    (-10, 0, "right", "center"),
    (10, 12, "left", "bottom"),
    (-10, 12, "right", "bottom"),
    (10, -12, "left", "top"),
    (-10, -12, "right", "top"),
)


class Labels:
    """Labels of one picture. First ``avoid`` what is drawn, then ``place`` words one by one."""

    def __init__(self, ax: Axes):
        self.ax = ax
        self._points = [np.zeros((0, 2))]
        self.boxes: list[tuple[float, float, float, float]] = []
        self.renderer = ax.figure.canvas.get_renderer()

    def avoid(self, points) -> None:
        """Keep words off these points (n, 2), in data units."""
        self._points.append(self.ax.transData.transform(np.atleast_2d(points)))

    @property
    def points(self) -> np.ndarray:
        """Where no words are to be (n, 2), pixels."""
        if len(self._points) > 1:
            self._points = [np.concatenate(self._points)]
        return self._points[0]

    def fixed(self, text: Any) -> None:
        """Keep other words off a text that stands where it stands."""
        box = text.get_window_extent(self.renderer)
        self.boxes.append((box.x0 - 3, box.y0 - 3, box.x1 + 3, box.y1 + 3))

    def place(self, text: str, edge, **style: Any) -> None:
        """Write ``text`` beside the outline ``edge`` (n, 2) where the least is covered, a leader to it if far."""
        shape = self.ax.transData.transform(np.atleast_2d(edge))
        low, high = shape.min(axis=0), shape.max(axis=0)
        middle = (low + high) / 2.0
        scale = self.ax.figure.dpi / 72.0
        frame = self.ax.get_window_extent(self.renderer)
        best: tuple[float, Any] | None = None
        note = self.ax.annotate(text, (0, 0), xycoords="figure pixels", annotation_clip=False, **style)
        size = note.get_window_extent(self.renderer)
        wide, tall = size.width + 6, size.height + 6
        for far in (1.0, 2.2, 4.0, 7.0):
            for rank, (dx, dy, ha, va) in enumerate(SIDES):
                x = {"center": middle[0], "left": high[0], "right": low[0]}[ha] + dx * far * scale
                y = {"center": middle[1], "bottom": high[1], "top": low[1]}[va] + dy * far * scale
                left = x - {"center": wide / 2, "left": 0, "right": wide}[ha]
                base = y - {"center": tall / 2, "bottom": 0, "top": tall}[va]
                box = (left, base, left + wide, base + tall)
                cost = self._cost(box, frame) + 0.02 * rank + 0.3 * far
                if best is None or cost < best[0]:
                    best = (cost, (box, far))
            if best[0] < 1.0:
                break
        box, far = best[1]
        self.boxes.append(box)
        note.set_position(((box[0] + box[2]) / 2, (box[1] + box[3]) / 2))
        note.xy = note.get_position()
        note.set_ha("center")
        note.set_va("center")
        if far > 2.0:
            ends = self.ax.transData.inverted().transform([middle, note.get_position()])
            self.ax.plot(ends[:, 0], ends[:, 1], color=style.get("color", "black"), lw=0.6, zorder=4)
        inverse = self.ax.transData.inverted().transform(note.get_position())
        note.xycoords = "data"
        note.xy = tuple(inverse)
        note.set_position((0, 0))
        note.anncoords = "offset points"

    def _cost(self, box, frame) -> float:
        x0, y0, x1, y1 = box
        p = self.points
        covered = int(((p[:, 0] > x0) & (p[:, 0] < x1) & (p[:, 1] > y0) & (p[:, 1] < y1)).sum()) if len(p) else 0
        crossed = sum(x0 < b[2] and b[0] < x1 and y0 < b[3] and b[1] < y1 for b in self.boxes)
        outside = x0 < frame.x0 or x1 > frame.x1 or y0 < frame.y0 or y1 > frame.y1
        return min(covered, 12) * 0.8 + 20.0 * crossed + 40.0 * outside
