"""Who touches whom, as a matrix: abilities down, groups across."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

from nivvo.show.drawing.canvas import INK, check_picture, drawn, new_figure, save_titled

if TYPE_CHECKING:
    from matplotlib.axes import Axes

LOOKS = {
    "end": ("#f3d3c8", ""),
    "pass": ("#d6e8f2", ""),
    "ignore": ("#ffffff", ""),
    "bounce": ("#fdf1d0", "//"),
    "slide": ("#e3ecd9", "--"),
    "lodge": ("#e2dcef", "xx"),
}
"""Colour and hatch of each answer; the word stands in the cell."""


@drawn
def draw_touching(rows: list[dict[str, Any]], ax: Axes) -> Axes:
    """Draw the rows of ``nivvo.touching`` on axes."""
    from matplotlib.patches import Rectangle

    abilities = list(dict.fromkeys(row["ability"] for row in rows))
    groups = list(dict.fromkeys(row["group"] for row in rows))
    for row in rows:
        x, y = groups.index(row["group"]), abilities.index(row["ability"])
        color, hatch = LOOKS[row["then"]]
        ax.add_patch(Rectangle((x, y), 1, 1, facecolor=color, edgecolor="#c3cad0", hatch=hatch, linewidth=0.8))
        plate = {"boxstyle": "round,pad=0.15", "fc": color, "ec": "none"}
        ax.text(x + 0.5, y + 0.34, row["then"], ha="center", va="center", fontsize=10, color=INK, bbox=plate)
        damage, owner = row["damage"], row["owner"] and f"owner {row['owner']}"
        damage = f"damage {damage}" if damage and not damage.startswith("heals") else damage
        more = [damage, row["effects"], owner]
        below = "; ".join(one for one in more if one)
        rule = "" if row["rule"] == f"on.{row['group']}" else row["rule"]
        ax.text(x + 0.5, y + 0.62, below, ha="center", va="center", fontsize=7.5, color=INK)
        ax.text(x + 0.5, y + 0.85, rule, ha="center", va="center", fontsize=7, color="#5f6a73", style="italic")
    counts = {row["group"]: row["bodies"] for row in rows}
    ax.set_xlim(0, len(groups))
    ax.set_ylim(len(abilities), 0)
    ax.set_xticks([k + 0.5 for k in range(len(groups))], [f"{one}\n{counts[one]}" for one in groups], fontsize=9)
    ax.set_yticks([k + 0.5 for k in range(len(abilities))], abilities, fontsize=9)
    ax.xaxis.tick_top()
    ax.tick_params(length=0, colors=INK)
    for spine in ax.spines.values():
        spine.set_visible(False)
    ax.set_xlabel("the group that is touched, how many bodies are in it; in italics the rule that decided", color=INK)
    return ax


def save_touching(rows: list[dict[str, Any]], path: str | FilePath) -> FilePath:
    """Draw the rows of ``nivvo.touching`` into a file. Raises CallError, OutputError."""
    path = check_picture(path)
    tall = min(max(0.62 * len({row["ability"] for row in rows}) + 1.9, 4.0), 16.0)
    figure = new_figure(1, tall)
    figure.subplots_adjust(left=0.1, top=1 - 1.25 / tall, bottom=0.5 / tall)
    draw_touching(rows, figure.axes[0])
    return save_titled(figure, path, "who touches whom")
