"""One small family of exceptions.

NivvoError
    Everything that Nivvo raises on purpose; its text is written for the one who has to act.
DrillError
    Something is wrong with a drill: one or many problems, each with file, line and key.
CallError
    A call or an option is wrong.
OutputError
    A result could not be written.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

# Control characters, and those that turn or hide the direction of writing.
_HIDDEN = re.compile("[\x00-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028\u2029\u202a-\u202e\u2066-\u2069\ud800-\udfff]")


def visible(text: str) -> str:
    """A text without anything that a terminal, a picture or a page would obey: such characters are shown as codes."""
    return _HIDDEN.sub(lambda found: found[0].encode("unicode_escape").decode("ascii"), text)


@dataclass(frozen=True)
class Problem:
    """One thing that is wrong with a drill.

    where : file and line, as "quay.toml:12", or "" if it came from no file.
    key : dotted key, as "ability.flare.launch.speed".
    message : what is wrong, one clause.
    given : what was written, as text, or "".
    allowed : what may be written, or "".
    hint : the nearest known name or what to do, or "".
    """

    where: str
    key: str
    message: str
    given: str = ""
    allowed: str = ""
    hint: str = ""

    def __str__(self) -> str:
        head = ": ".join(part for part in (self.where, self.key, self.message) if part)
        lines = [head]
        if self.given:
            lines.append(f"given:   {self.given}")
        if self.allowed:
            lines.append(f"allowed: {self.allowed}")
        if self.hint:
            lines.append(self.hint)
        return "\n    ".join(visible(line) for line in lines)


class NivvoError(Exception):
    """Everything that Nivvo raises on purpose."""


@dataclass
class DrillError(NivvoError):
    """A drill cannot be used; ``problems`` has all that was found, in file order."""

    problems: list[Problem] = field(default_factory=list)

    def __str__(self) -> str:
        most = 40
        text = "\n".join(str(problem) for problem in self.problems[:most])
        if len(self.problems) > most:
            text += f"\n... and {len(self.problems) - most} more problems"
        return text

    def __reduce__(self):
        return DrillError, (self.problems,)


class CallError(NivvoError):
    """A call or an option is wrong."""


class OutputError(NivvoError):
    """A result could not be written."""
