"""Rows of a table, as plain values; the widgets only lay them out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from ..quantities import UnitSet

Pick = tuple[str, str] | None


@dataclass(slots=True)
class Rows:
    """Columns with their titles, rows of values (text or numbers, None for absent), and what each row points
    at."""

    columns: list[str]
    rows: list[list[object]] = field(default_factory=list)
    picks: list[Pick] = field(default_factory=list)
    tips: list[str] = field(default_factory=list)
    note: str = ""
    makers: list[tuple[str, ...]] = field(default_factory=list)
    # titles of columns whose cells are changed in place, beside those of the table
    changeable: set[str] = field(default_factory=set)

    def add(
        self, values: Sequence[object], pick: Pick = None, tip: str = "", makers: Sequence[str] = ()
    ) -> None:
        """`makers`: ids of the members and surfaces that make the row, shown alone when it is clicked."""
        # what a row does not say stays empty
        self.rows.append([*values, *[None] * (len(self.columns) - len(values))])
        self.picks.append(pick)
        self.tips.append(tip)
        self.makers.append(tuple(makers))


def shown(value: float | None, units: UnitSet, kind: str) -> float | None:
    return None if value is None else value * getattr(units, kind)[0]
