"""What is no TOML, told with what stands there and what was probably meant: the standard parser says neither."""

from __future__ import annotations

import re

from nivvo.errors import Problem

SHOWN, READ = 80, 300
"""Characters of a line that are shown, and that are looked through."""

VALUE = r"[=\[,{]\s*"
UNQUOTED = r"^[^\"#]*\"([^\"]*\"[^\"]*\")*[^\"]*$|^[^'#]*'([^']*'[^']*')*[^']*$"
UNCLOSED = r"=[^\]]*\[[^\]]*$"
MEANT = (
    ("[\u201c\u201d\u201e\u2018\u2019\u00ab\u00bb]", 'text stands in straight quotes, as "cursor"'),
    (r"^\s*(//|/\*|--|;)", "a comment begins with #"),
    (rf"{VALUE}[-+]?(\.\d|\d[\d_]*\.(?!\d))", "a number has digits on both sides of its point, as 0.5 or 3.0"),
    (r"=\s*[-+]?\d[\d_]*,\d+\s*(#|$)", "a decimal point is a point, as 1.5"),
    (rf"{VALUE}[-+]?0\d", "a number begins with no 0, as 18"),
    (rf"{VALUE}(True|TRUE|False|FALSE|yes|no)\b", "write true or false"),
    (rf"{VALUE}(None|null|nil|NULL)\b", "leave out the key of which nothing is wanted"),
    (rf"{VALUE}[-+]?\d[\d_.]*\s*(?![eE][-+]?\d)[A-Za-z°%/]", 'a number has no unit, as 40; ticks are "90 ticks"'),
    (r"^\s*[\w.\"'-]+\s*:", "a key and its value are parted by =, as launch.speed = 18"),
    (r";\s*(#|$)", "a line ends without a semicolon"),
    (r",\s*\}", "no comma stands before the closing brace"),
    (r"\}\s*\{", "a comma stands between two tables of a list"),
    (r"=[^{}]*\{[^}]*$", "a table in braces stands on one line; else give each of its keys a line, as aim.by = ..."),
    (r"^\s*\[[^\[\]=]*$", "the name of a table ends with ]"),
    (r"^\s*[\w.]+\s+[\w.]+[^=]*=", "a key is one word, or words parted by points, as on.walls.then"),
    (rf"{VALUE}[A-Za-z_][\w-]*\s*(,|\]|}}|#|$)", 'text stands in quotes, as "cursor"'),
    (UNQUOTED, "a text ends with the quote with which it begins"),
    (UNCLOSED, "a list that begins with [ ends with ]"),
)
"""Slips by what a line looks like, and what is meant by each; the first that fits is told."""

HEADER, KEY = re.compile(r"\s*\[\[?\s*([^\]]+?)\s*\]"), re.compile(r"\s*([\w.\"'-]+)\s*=")


def problem(name: str, message: str, text: str) -> Problem:
    """What the parser says of a text that is no TOML: where, with the line that stands there and a hint."""
    says, _, place = message.partition(" (at ")
    says, lines = says[:1].lower() + says[1:], [line[:READ].rstrip() for line in text.split("\n")]
    number = int(place[5:].split(",")[0]) if place.startswith("line ") else len(lines)
    if says.startswith("cannot") and (again := _written_before(lines, number)):
        return Problem(f"{name}:{number}", again[0], "is written twice", hint=f"line {again[1]} has it already")
    if says == "unclosed array" or not any(line.strip() for line in lines[number - 1 :]):
        # Something that does not end: where it begins.
        begins = (k for k in range(number, 0, -1) if re.search(f"{UNQUOTED}|{UNCLOSED}", lines[k - 1]))
        number = next(begins, number)
    # What must not go on is told by the line in which it begins.
    before = lines[number - 2] if number > 1 else ""
    asked = [before, lines[number - 1]] if before.count("{") > before.count("}") else [lines[number - 1]]
    hint = next((meant for line in asked for slip, meant in MEANT if re.search(slip, line)), "")
    return Problem(f"{name}:{number}", "", f"not valid TOML: {says}", lines[number - 1].strip()[:SHOWN], hint=hint)


def _written_before(lines: list[str], number: int) -> tuple[str, int] | None:
    """The key of a line, and the line above in which that stands, or something of it or around it."""
    header, known = "", []
    for line in lines[:number]:
        found = HEADER.match(line) or KEY.match(line)
        if found and found.re is HEADER:
            header = found[1]
        known.append((found is not None and found.re is KEY, f"{header}.{found[1]}".lstrip(".") if found else None))
        if found and found.re is HEADER:
            known[-1] = False, header
    pair, key = known.pop()
    for k, (other_pair, other) in enumerate(known, 1):
        within = pair and other_pair and other and (key.startswith(f"{other}.") or other.startswith(f"{key}."))
        if key and (other == key or within):
            return key, k
    return None
