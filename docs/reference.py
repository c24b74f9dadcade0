"""Write docs/keys.md, the reference of all keys, from the models: ``make reference``."""

from __future__ import annotations

from pathlib import Path

from nivvo.spec.keys import keys, of_a_number
from nivvo.spec.scenes.case import MEASURES

TITLES = {"": "At the top of the file", "NUMBER": "A number that depends, in place of NUMBER"}
HERE = Path(__file__).parent / "keys.md"


def text() -> str:
    """The page."""
    lines = [
        "# Keys of a drill",
        "",
        "Made by `make reference` from the models themselves. `nivvo keys KEY` tells the same on the command line.",
        "NAME stands for any name: of an ability, a body, a group, a case.",
    ]
    tables: dict[str, list] = {}
    for one in (*keys(), *of_a_number()):
        tables.setdefault(one.key.rpartition(".")[0], []).append(one)
    same = {table: tuple((one.key.rpartition(".")[2], *one[1:4]) for one in rows) for table, rows in tables.items()}
    known: dict[tuple, str] = {}
    for table in sorted(tables, key=lambda table: not table.startswith("obstacle")):
        known.setdefault(same[table], table)
    for table, rows in tables.items():
        lines += ["", f"## {TITLES.get(table, table)}", ""]
        if (first := known[same[table]]) != table:
            lines.append(f"As [{first}](#{first.lower().replace('.', '')}).")
            continue
        lines += ["| key | takes | default | meaning | a line |", "|---|---|---|---|---|"]
        for one in rows:
            line = one.example and f"`{one.example}`"
            cells = (f"`{one.key.rpartition('.')[2]}`", one.takes, one.default, one.means, line)
            lines.append("| " + " | ".join(cell.replace("|", "\\|").replace("\n", " ") for cell in cells) + " |")
    lines += ["", "## Measures", "", "| measure | what it is | unit | of |", "|---|---|---|---|"]
    whose = {"projectile": "an ability, a shot or a projectile", "body": "a body"}
    for name, one in MEASURES.items():
        default = "the first" if one.of == "projectile" and not one.counts else "all"
        of = whose[one.of] + ("" if one.needs_of else f"; default: {default}")
        lines.append(f"| `{name}` | {one.means} | {one.unit} | {of} |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    HERE.write_text(text(), encoding="utf-8")
