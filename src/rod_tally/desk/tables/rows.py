"""Rows of a table, as plain values; the widgets only lay them out."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field

from ..quantities import IMPERIAL, WRITTEN, UnitSet

Pick = tuple[str, str] | None
# by the set of units what a column titled with a unit is multiplied with, and the unit then
CONVERTED = {name: dict(known) for name, known in WRITTEN.items()}
CONVERTED[IMPERIAL.name]["t"] = (1 / 0.45359237, "1000 lb")


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


def in_units(rows: Rows, units: UnitSet, kept: Collection[str] = ()) -> Rows:
    """Return rows whose columns have lengths, areas, masses and the like in the shown units; those titled in
    `kept`, which are typed into, stay. A title without a unit, such as "Centre y", goes by the one before."""
    known = CONVERTED.get(units.name)
    if known is None:
        return rows
    before: tuple[float, str] | None = None
    for k, title in enumerate(rows.columns):
        name, comma, unit = title.rpartition(", ")
        if comma and unit in known and name not in kept:
            before = known[unit]
            rows.columns[k] = f"{name}, {before[1]}"
        elif comma or not title.endswith(("y", "z")) or title in ("by", "By"):
            before = None
        if before is not None:
            for row in rows.rows:
                value = row[k]
                if isinstance(value, float | int) and not isinstance(value, bool):
                    row[k] = value * before[0]
    return rows


def shown(value: float | None, units: UnitSet, kind: str) -> float | None:
    return None if value is None else value * getattr(units, kind)[0]
