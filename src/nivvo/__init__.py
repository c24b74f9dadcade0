"""Nivvo: a test bench for player-fired projectile abilities.

load, parse          a drill from a file, or a TOML text; from_tables: from plain tables
fire                 a case in time: a Run, with its tables, paths and digest
Live                 the same engine a tick at a time, inside a game, server or test
check                what a case demands, and what was found
preview              dots along a coming flight, with its landing
plain_preview        what a plain parabola would show instead, and how far off it is
solve                the launches that reach a point
clearance            whether a shot starts clear of its own shooter, at every aim
hold_table           what each time of holding a charge is worth; draw_hold_table and draw_timeline draw time
rate_table           what a case comes to at other tick rates, and what hangs on the rate
rose                 the shots of an ability at all aims around
draw                 a run on Matplotlib axes; draw_rose and draw_clearance for those
save                 a run as CSV, JSON or Parquet

>>> import nivvo
>>> drill = nivvo.parse('''
... nivvo = 1
... [ability.flare]
... launch.speed = 18
... launch.elevation = 40
... [target.wisp]
... at = [32.5, 1.5]
... [case.tap]
... check = [{ hits = "wisp" }]
... ''')
>>> [outcome.passed for outcome in nivvo.check(drill, "tap")]
[True]
"""

from __future__ import annotations

import importlib
from types import FunctionType
from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

_HOMES = {
    "load": "nivvo.spec.drill",
    "parse": "nivvo.spec.drill",
    "Drill": "nivvo.spec.drill",
    "schema": "nivvo.spec.schema",
    "keys": "nivvo.spec.keys",
    "fire": "nivvo.play.engine",
    "Run": "nivvo.play.outcome.run",
    "Live": "nivvo.play.live",
    "Solution": "nivvo.play.questions.solving",
    "preview": "nivvo.play.preview",
    "Preview": "nivvo.play.preview",
    "plain_preview": "nivvo.play.preview",
    "PlainPreview": "nivvo.play.preview",
    "check": "nivvo.judge.case",
    "Outcome": "nivvo.judge.checks",
    "measure": "nivvo.judge.measures",
    "touching": "nivvo.play.questions.touching",
    "hold_table": "nivvo.play.questions.holding",
    "rate_table": "nivvo.play.questions.rating",
    "RateTable": "nivvo.play.questions.rating",
    "draw_timeline": "nivvo.show.drawing.timeline",
    "draw_film": "nivvo.show.drawing.film",
    "draw_hold_table": "nivvo.show.drawing.timeline",
    "rose": "nivvo.play.questions.rose",
    "Rose": "nivvo.play.questions.rose",
    "draw_rose": "nivvo.show.drawing.around",
    "draw_clearance": "nivvo.show.drawing.around",
    "closest": "nivvo.judge.closeness",
    "draw": "nivvo.show.drawing.figure",
    "save": "nivvo.show.files",
    "NivvoError": "nivvo.errors",
    "DrillError": "nivvo.errors",
    "CallError": "nivvo.errors",
    "OutputError": "nivvo.errors",
    "Problem": "nivvo.errors",
}
_OTHER_NAMES = {
    "clearance": ("nivvo.play.questions.clearance", "clearance"),
    "solve": ("nivvo.play.questions.solving", "solutions"),
    "from_tables": ("nivvo.spec.drill", "of"),
    "explain": ("nivvo.spec.explain", "effective"),
}

_RENAMED = {
    "cheaper": "plain_preview",
    "holds": "hold_table",
    "draw_holds": "draw_hold_table",
    "drill": "from_tables",
}
"""Names that this library had before, and what they are now: until 1.0."""

__all__ = ["__version__", *sorted({*_HOMES, *_OTHER_NAMES})]

if TYPE_CHECKING:
    from nivvo.errors import CallError, DrillError, NivvoError, OutputError, Problem
    from nivvo.judge.case import check
    from nivvo.judge.checks import Outcome
    from nivvo.judge.closeness import closest
    from nivvo.judge.measures import measure
    from nivvo.play.engine import fire
    from nivvo.play.live import Live
    from nivvo.play.outcome.run import Run
    from nivvo.play.preview import PlainPreview, Preview, plain_preview, preview
    from nivvo.play.questions.clearance import clearance
    from nivvo.play.questions.holding import hold_table
    from nivvo.play.questions.rating import RateTable, rate_table
    from nivvo.play.questions.rose import Rose, rose
    from nivvo.play.questions.solving import Solution
    from nivvo.play.questions.solving import solutions as solve
    from nivvo.play.questions.touching import touching
    from nivvo.show.drawing.around import draw_clearance, draw_rose
    from nivvo.show.drawing.figure import draw
    from nivvo.show.drawing.film import draw_film
    from nivvo.show.drawing.timeline import draw_hold_table, draw_timeline
    from nivvo.show.files import save
    from nivvo.spec.drill import Drill, load, parse
    from nivvo.spec.drill import of as from_tables
    from nivvo.spec.explain import effective as explain
    from nivvo.spec.keys import keys
    from nivvo.spec.schema import schema


def __getattr__(name: str) -> Any:
    home, real = _OTHER_NAMES.get(name, (_HOMES.get(name), name))
    if home is None:
        from nivvo.spec.words.nearest import nearest

        # What Python itself asks for is answered at once.
        asked = "" if name.startswith("_") else nearest(name, __all__)
        hint = f"it is now nivvo.{_RENAMED[name]}" if name in _RENAMED else asked
        raise AttributeError(f"module 'nivvo' has no attribute {name!r}" + (f"; {hint}" if hint else ""))
    value = getattr(importlib.import_module(home), real)
    if isinstance(value, FunctionType):
        # As who calls it knows it: in help, and in what it complains of.
        value.__module__, value.__name__, value.__qualname__ = "nivvo", name, name
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return __all__
