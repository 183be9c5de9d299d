"""Tables to a spreadsheet: the take-off, and the tables of the contract, one sheet each."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell
from openpyxl.styles import Font
from openpyxl.utils import get_column_letter

from ..analysis.results.cuts import CUT_COMPONENTS, CutForces
from ..analysis.results.stacks import stack_forces
from ..model import Model
from ..review.review import Review
from ..review.takeoff import BY, TakeoffRow, takeoff
from .tables import HEADERS, tables
from .write import OutputError, write_whole

CUT_COLUMNS = ("case", "cut", "set", "storey", "x0", "y0", "z0", "x1", "y1", "z1", "factor", *CUT_COMPONENTS)
CENTRE_COLUMNS = (
    "storey",
    "elevation",
    "mass",
    "mass_x",
    "mass_y",
    "stiff_x",
    "stiff_y",
    "radius_x",
    "radius_y",
    "gyration",
)
BETWEEN_COLUMNS = ("case", "storey", "x", "y", "z", "part", "fx", "fy", "fz", "mx", "my", "mz")
STACK_COLUMNS = ("case", "stack", "member", "elevation", "head", "foot", "more")
MOST_ROWS = 1_048_575  # what a sheet holds below its titles
COLUMNS = (
    ("Elements, source", "source", 1.0), ("Elements, model", "model", 1.0),
    ("Length, source, m", "source_length", 1.0), ("Length, model, m", "length", 1.0),
    ("Area, source, m²", "source_area", 1.0), ("Area, model, m²", "area", 1.0),
    ("Volume, source, m³", "source_volume", 1.0), ("Volume, model, m³", "volume", 1.0),
    ("Weight, source, kN", "source_weight", 1e-3), ("Weight, model, kN", "weight", 1e-3),
)  # fmt: skip


def write_takeoff(model: Model, path: Path) -> Path:
    """The take-off by class, section, material and storey, one sheet each, with sums, and what was left out and why.

    Raises OutputError when the file cannot be written; nothing half-written is left.
    """
    book = Workbook(write_only=True)
    for by in BY:
        rows = takeoff(model, by)
        body = [[r.key, *(_scaled(r, key, factor) for _, key, factor in COLUMNS)] for r in rows]
        sums: list[Any] = ["Sum"]
        for k in range(len(COLUMNS)):
            values = [row[k + 1] for row in body if row[k + 1] is not None]
            sums.append(sum(values) if values else None)
        _sheet(book, f"By {by}", [by.capitalize(), *(title for title, _, _ in COLUMNS)], [*body, sums])
    left_out = [[s.cls, s.name, s.id, s.reason] for s in model.skipped]
    _sheet(book, "Left out", ["Class", "Name", "Id", "Why"], left_out)
    return _save(book, path)


def write_workbook(review: Review, path: Path) -> Path:
    """All tables of the contract in one file, SI as there, and the forces of cuts, centres of storeys, equilibrium between
    them and axial forces down stacks where there are any. A table longer than a sheet goes on in the next."""
    book = Workbook(write_only=True)
    for name, pieces in tables(review):
        header, title = HEADERS[name].split(), name.removesuffix(".csv")
        sheet, count, number = _titled(book, title, header), 0, 1
        for piece in pieces:
            for row in zip(*(column.to_pylist() for column in piece.columns)):
                if count == MOST_ROWS:
                    number += 1
                    sheet, count = _titled(book, f"{title} {number}", header), 0
                sheet.append(row)
                count += 1
    if review.model.cuts:
        _sheet(book, "cuts", CUT_COLUMNS, _cuts(review))
    if review.centres:
        centres = [[getattr(c, name) for name in CENTRE_COLUMNS] for c in review.centres]
        _sheet(book, "centres", CENTRE_COLUMNS, centres)
    if not review.stale and review.wall_panels:
        _sheet(book, "stability of walls", STABILITY_COLUMNS, _stability(review))
    if len(review.model.storeys) > 1 and not review.results.empty and not review.stale:
        _sheet(book, "between storeys", BETWEEN_COLUMNS, _between(review))
    if any(line.kind == "stack" for line in review.lines) and not review.results.empty and not review.stale:
        _sheet(book, "stacks", STACK_COLUMNS, _stacks(review))
    return _save(book, path)


def _between(review: Review) -> Iterable[Sequence[object]]:
    """What keeps the building above each storey in equilibrium, in every computed case."""
    for case in review.results.cases:
        for cut in review.storey_cuts(case)[0]:
            at = [float(v) for v in cut.place + review.model.origin]
            for part, six in cut.parts.items():
                yield [case, cut.storey, *at, part, *(float(v) for v in six)]


STABILITY_COLUMNS = [
    "case",
    "wall",
    "storey",
    "part",
    "length",
    "n",
    "v",
    "m",
    "e",
    "pressed_elastic",
    "pressed_plastic",
    "pressure_elastic",
    "pressure_plastic",
    "tie",
    "sliding",
    "note",
]


def _stability(review: Review) -> Iterable[Sequence[object]]:
    """Every panel's cuts in every case and combination, SI, n in compression; empty where the formulas do not hold."""
    for name in (*review.results.cases, *(c.name for c in review.computed_combinations)):
        for p, values, b in review.wall_stability(name):
            parts = (
                b.eccentricity, b.elastic_length, b.plastic_length, b.elastic_pressure, b.plastic_pressure, b.tie, b.sliding,
            )  # fmt: skip
            shown = [None if p.why_not or not np.isfinite(x[0]) else float(x[0]) for x in parts]
            forces = [-float(values[0]), float(values[1]), float(values[4])]
            yield [name, p.wall, p.storey, p.part, p.length, *forces, *shown, p.why_not or p.note or None]


def _stacks(review: Review) -> Iterable[Sequence[object]]:
    """Axial force down every stack in every computed case."""
    for c, case in enumerate(review.results.cases):
        for row in stack_forces(review.model, review.results, c, review.lines):
            yield [case, *(getattr(row, name) for name in STACK_COLUMNS[1:])]


def _cuts(review: Review) -> Iterable[Sequence[object]]:
    """Forces of every cut in every case and combination that was computed."""
    names = [*review.results.cases, *(c.name for c in review.computed_combinations)]
    for case in names:
        forces = review.cut_forces(case)
        for cut in review.cuts:
            found = forces.get(cut.name)
            if isinstance(found, CutForces):
                ends = [float(v) for v in (cut.line + review.model.origin).ravel()]
                values = [getattr(found, c) for c in CUT_COMPONENTS]
                yield [case, cut.name, cut.family, cut.storey, *ends, cut.factor, *values]


def write_rows(columns: Sequence[str], rows: Iterable[Sequence[object]], title: str, path: Path) -> Path:
    """One table as it is shown, as CSV where the name ends so, else as a spreadsheet. Raises OutputError."""
    if path.suffix.lower() == ".csv":

        def fill(target: Path) -> None:
            with target.open("w", encoding="utf-8", newline="") as f:
                out = csv.writer(f)
                out.writerow(columns)
                out.writerows([["" if v is None else v for v in row] for row in rows])

        try:
            write_whole(path, fill)
        except OSError as error:
            raise OutputError(f"{path}: cannot be written to: {error.strerror or error}") from error
        return path
    book = Workbook(write_only=True)
    _sheet(book, title, columns, rows)
    return _save(book, path)


def _scaled(row: TakeoffRow, key: str, factor: float) -> float | int | None:
    value = getattr(row, key)
    return value if value is None or factor == 1.0 else value * factor


def _titled(book: Workbook, title: str, columns: Sequence[str]) -> Any:
    sheet = book.create_sheet("".join(c for c in title if c not in "[]:*?/\\")[:31] or "Table")
    sheet.freeze_panes = "A2"
    for k, text in enumerate(columns, 1):
        sheet.column_dimensions[get_column_letter(k)].width = max(12, len(text) + 2)
    cells = []
    for text in columns:
        cell = WriteOnlyCell(sheet, text)
        cell.font = Font(bold=True)
        cells.append(cell)
    sheet.append(cells)
    return sheet


def _sheet(book: Workbook, title: str, columns: Sequence[str], rows: Iterable[Sequence[object]]) -> None:
    sheet = _titled(book, title, columns)
    for row in rows:
        sheet.append([float(v) if isinstance(v, float) else v for v in row])


def _save(book: Workbook, path: Path) -> Path:
    try:
        write_whole(path, lambda p: book.save(p))
    except OSError as error:
        raise OutputError(f"{path}: cannot be written to: {error.strerror or error}") from error
    return path
