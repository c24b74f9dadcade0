"""What a call gives back can be shown: in one line, as a pandas table, and in a notebook as one."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Generic, TypeVar

if TYPE_CHECKING:
    import pandas as pd

MOST_SHOWN = 60
"""Rows that a notebook shows."""

One = TypeVar("One")


class Tabled:
    """Something that is rows of a table: ``as_rows`` says which; what it is in one line is its ``repr``."""

    def as_rows(self) -> list[dict[str, Any]]:
        """Its rows, each by name of column."""
        raise NotImplementedError

    def table(self) -> pd.DataFrame:
        """It as a pandas DataFrame."""
        import pandas as pd

        return pd.DataFrame(self.as_rows())

    def _repr_html_(self) -> str:
        return html(repr(self), self.table())


class Results(list[One], Generic[One]):
    """A list of results, each a row. ``table`` gives them as a pandas DataFrame."""

    def table(self) -> pd.DataFrame:
        """All as a pandas DataFrame."""
        import pandas as pd

        return pd.DataFrame([row_of(one) for one in self])

    def _repr_html_(self) -> str:
        return html("", self.table())


def row_of(one: Any) -> dict[str, Any]:
    """A result as a row: what it says of itself, else its fields."""
    if isinstance(one, dict):
        return one
    if isinstance(one, Tabled):
        return one.as_rows()[0]
    if hasattr(one, "_asdict"):
        return one._asdict()
    return {name: getattr(one, name) for name in one.__dataclass_fields__}


def html(line: str, table: pd.DataFrame) -> str:
    """A line and a table for a notebook."""
    from html import escape

    head = f"<p>{escape(line)}</p>" if line else ""
    return head + table.to_html(max_rows=MOST_SHOWN, index=False, border=0, na_rep="", float_format="{:.5g}".format)
