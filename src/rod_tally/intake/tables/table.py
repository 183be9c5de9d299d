"""One table of a model: columns by name with their units, and cells by row with faults in words."""

from __future__ import annotations

import math
import re

import numpy as np

from ...model.geometry.vectors import Array
from ...model.numbers import decimal_mark, number
from ...model.units import UnitError, parse_unit
from ..readers import IntakeError
from ..sheets import Rows
from .columns import NEEDED, TABLES

LARGEST = 1e18


class CellError(ValueError):
    """A cell that cannot be read; the message gives row and column."""


class Table:
    """Rows of a table of that name. Raises IntakeError for a heading that is not known, is there twice or has
    a wrong unit."""

    def __init__(self, name: str, where: str, rows: Rows) -> None:
        self.name, self.where = name, where
        self.columns: dict[str, tuple[int, float]] = {}
        self._marks: dict[str, str] = {}
        known = TABLES[name]
        head = rows[0] if rows else []
        for k, raw in enumerate(head):
            if not raw.strip():
                continue
            match = re.fullmatch(r"\s*(.*?)\s*(?:\[([^\]]*)\])?\s*", raw)
            title = re.sub(r"[\s-]+", "_", match[1].lower()) if match else raw
            if title not in known:
                raise IntakeError(
                    f"{where}: column {k + 1}, {raw.strip()!r}, is not known; known are {', '.join(known)}"
                )
            if title in self.columns:
                raise IntakeError(f"{where}: column {title!r} is there twice; leave one out")
            self.columns[title] = k, self._factor(title, match[2] if match and match[2] else "")
        for title in NEEDED[name]:
            if title not in self.columns:
                raise IntakeError(f"{where}: there is no column {title!r}, which is needed")
        self.rows = [(n, row) for n, row in enumerate(rows[1:], 2) if any(c.strip() for c in row)]

    def _factor(self, title: str, unit: str) -> float:
        dimension = TABLES[self.name][title]
        if not unit:
            return 1.0
        try:
            found = parse_unit(unit)
        except UnitError as error:
            raise IntakeError(f"{self.where}: column {title!r}: {error}") from None
        if dimension is None or found.dimension != dimension:
            raise IntakeError(f"{self.where}: column {title!r}: [{unit}] does not measure what stands there")
        return found.factor

    def text(self, row: list[str], column: str) -> str:
        """A cell, "" where the row or the table does not have it. Whole numbers of a workbook have no
        point."""
        at = self.columns.get(column)
        value = row[at[0]].strip() if at is not None and at[0] < len(row) else ""
        return value[:-2] if re.fullmatch(r"\d+\.0", value) and TABLES[self.name][column] is None else value

    def number(self, n: int, row: list[str], column: str) -> float | None:
        """A number in SI, None for an empty cell. Raises CellError."""
        raw = self.text(row, column)
        if not raw:
            return None
        return self._value(n, column, raw) * self.columns[column][1]

    def needed(self, n: int, row: list[str], column: str) -> float:
        """As `number`; an empty cell raises CellError too."""
        value = self.number(n, row, column)
        if value is None:
            raise CellError(f"{self.place(n, column)}: a number is needed")
        return value

    def points(self, n: int, row: list[str], column: str, size: int = 3) -> list[Array]:
        """Rings of points "x y z; x y z | x y z; …", each (k, size), in SI. Raises CellError."""
        out = []
        for ring in self.text(row, column).split("|"):
            if not ring.strip():
                continue
            points = [[self._value(n, column, v) for v in p.split()] for p in ring.split(";") if p.strip()]
            if any(len(p) != size for p in points):
                raise CellError(
                    f"{self.place(n, column)}: a point has {size} numbers, separated by spaces; points by ;"
                )
            out.append(np.array(points, float) * self.columns[column][1])
        return out

    def vector(self, n: int, row: list[str], column: str, size: int = 3) -> Array | None:
        """Numbers separated by spaces, in SI; None for an empty cell. Raises CellError."""
        raw = self.text(row, column)
        if not raw:
            return None
        values = [self._value(n, column, v) for v in raw.split()]
        if len(values) != size:
            raise CellError(f"{self.place(n, column)}: {size} numbers are needed, separated by spaces")
        return np.array(values) * self.columns[column][1]

    def _value(self, n: int, column: str, raw: str) -> float:
        try:
            value = number(raw, self._mark(column) if "," in raw else "")
        except ValueError as error:
            words = str(error) if "may be read" in str(error) else f"{raw!r} is not a number"
            raise CellError(f"{self.place(n, column)}: {words}") from None
        if not math.isfinite(value) or abs(value) > LARGEST:
            raise CellError(f"{self.place(n, column)}: {raw} is beyond any building")
        return value

    def _mark(self, column: str) -> str:
        """Return what stands before the decimals of a column, or of the whole table where the column does
        not tell."""
        if column not in self._marks:
            own = (v for _, row in self.rows for v in self.text(row, column).replace(";", " ").split())
            every = (v for _, row in self.rows for cell in row for v in cell.replace(";", " ").split())
            self._marks[column] = decimal_mark(own) or decimal_mark(every)
        return self._marks[column]

    def place(self, n: int, column: str) -> str:
        return f"table {self.name}, row {n}, column {column!r}"
