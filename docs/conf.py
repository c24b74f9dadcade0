"""How the pages are built: ``make docs``. After each drill of the guide stand what it prints and how it looks."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import nivvo

HERE = Path(__file__).parent
MADE = HERE / "_made"
NIVVO = Path(sys.executable).with_name("nivvo")
LINES = 24
"""Of what a drill prints, so many are shown."""

project, author, release = "Nivvo", "The Nivvo maintainers", nivvo.__version__
copyright = author
extensions = ["myst_parser", "sphinx.ext.autodoc", "sphinx.ext.napoleon"]
exclude_patterns = ["_build", "_made"]
html_theme = "furo"
html_title = "Nivvo"
html_theme_options = {"light_css_variables": {"code-font-size": "0.72rem"}}
myst_heading_anchors = 3
autodoc_typehints = "signature"
suppress_warnings = ["myst.xref_missing", "misc.highlighting_failure"]


def shown(page: str, number: int, drill: str) -> str:
    """What is printed and drawn for the first case of a drill, as Markdown."""
    MADE.mkdir(exist_ok=True)
    (MADE / "our_game.toml").write_text("world.gravity = 9.81\n", encoding="utf-8")
    name = f"{page}-{number}" if number > 1 else page
    (MADE / f"{name}.toml").write_text(drill, encoding="utf-8")
    command = [NIVVO, "fire", f"{name}.toml", "--figure", f"{name}.png"]
    done = subprocess.run(command, cwd=MADE, capture_output=True, text=True, check=True, env={"COLUMNS": "100"})
    lines = done.stdout.rstrip().splitlines()
    lines = lines[: LINES - 1] + [f"... {len(lines) - LINES + 1} more lines"] if len(lines) > LINES else lines
    words = "\n".join([f"$ nivvo fire {name}.toml --figure {name}.png", *lines])
    picture = f"![What {name}.toml does](../_made/{name}.png)"
    return f"\n\n```text\n{words}\n```\n\n{picture}\n"


def with_what_it_shows(app, page: str, source: list[str]) -> None:
    """Add to a page of the guide what each of its drills prints and draws."""
    if not page.startswith("guide/"):
        return
    name, numbers = page.rpartition("/")[2].lstrip("0123456789-"), iter(range(1, 100))

    def more(found: re.Match) -> str:
        return found[0] + (shown(name, next(numbers), found[1]) if "[case." in found[1] else "")

    source[0] = re.sub(r"```toml\n(.*?)```", more, source[0], flags=re.DOTALL)


def as_written(app, what: str, name: str, thing, options, lines: list[str]) -> None:
    """Leave away what the library says of itself as a whole: the first page does."""
    if what == "module":
        lines.clear()


def made_elsewhere(app, what: str, name: str, thing, options, signature, returns):
    """Show how to make what is to be made by hand; the rest comes from functions."""
    return ("", None) if what == "class" and name != "nivvo.Live" else None


def setup(app) -> None:
    """Called by the builder."""
    app.connect("source-read", with_what_it_shows)
    app.connect("autodoc-process-docstring", as_written)
    app.connect("autodoc-process-signature", made_elsewhere)
