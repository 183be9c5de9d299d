"""Tables to a spreadsheet: the take-off, and the tables of the contract, one sheet each."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import xlsxwriter
from xlsxwriter.exceptions import XlsxWriterException
from xlsxwriter.utility import xl_range

from ..analysis.results.cuts import CUT_COMPONENTS, CutForces
from ..analysis.results.stacks import stack_forces
from ..model import Model
from ..review.review import Review
from ..review.tallies.takeoff import BY, TakeoffRow, parts_list, takeoff
from ..review.walls.wall_stability import stability_in
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
PARTS_KEYS = ("cls", "section", "material", "storey", "count", "length", "area", "volume", "mass")
PARTS_COLUMNS = ("class", "section", "material", "storey", "elements", "length", "area", "volume", "mass")
AGAIN_KEYS = (
    "revised_id",
    "baseline_id",
    "cls",
    "why",
    "ratio",
    "quantity",
    "was",
    "is_",
    "by",
    "used_before",
    "used_after",
)
AGAIN_COLUMNS = (*AGAIN_KEYS[:2], "class", *AGAIN_KEYS[3:6], "accepted", "new", *AGAIN_KEYS[8:])
MOST_ROWS = 1_048_575  # what a sheet holds below its titles
COLUMNS = (
    ("Elements, source", "source", 1.0),
    ("Elements, model", "model", 1.0),
    ("Length, source, m", "source_length", 1.0),
    ("Length, model, m", "length", 1.0),
    ("Area, source, m²", "source_area", 1.0),
    ("Area, model, m²", "area", 1.0),
    ("Volume, source, m³", "source_volume", 1.0),
    ("Volume, model, m³", "volume", 1.0),
    ("Weight, source, kN", "source_weight", 1e-3),
    ("Weight, model, kN", "weight", 1e-3),
)


def write_takeoff(model: Model, path: Path) -> Path:
    """The take-off by class, section, material and storey, one sheet each, with sums, all four at once as a
    list of parts, and what was left out and why. A name that ends with .csv gets the list of parts alone, in
    SI.

    Raises OutputError when the file cannot be written; nothing half-written is left.
    """
    parts = [[getattr(r, k) for k in PARTS_KEYS] for r in parts_list(model)]
    if path.suffix.lower() == ".csv":
        return write_rows(PARTS_COLUMNS, parts, "", path)

    def fill(book: Book) -> None:
        for by in BY:
            rows = takeoff(model, by)
            body = [[r.key, *(_scaled(r, key, factor) for _, key, factor in COLUMNS)] for r in rows]
            sums = [_sum([row[k + 1] for row in body]) for k in range(len(COLUMNS))]
            book.sheet(f"By {by}", [by.capitalize(), *(title for title, _, _ in COLUMNS)], body, sums)
        sums = [None, None, None, *(_sum([row[k] for row in parts]) for k in range(4, len(PARTS_KEYS)))]
        book.sheet(
            "List of parts",
            [
                "Class",
                "Section",
                "Material",
                "Storey",
                "Elements",
                "Length, m",
                "Area, m²",
                "Volume, m³",
                "Mass, kg",
            ],
            parts,
            sums,
        )
        left_out = [[s.cls, s.name, s.id, s.reason] for s in model.skipped]
        book.sheet("Left out", ["Class", "Name", "Id", "Why"], left_out)

    return _save(path, fill)


def _sum(values: list[Any]) -> float | None:
    known = [v for v in values if v is not None]
    return sum(known) if known else None


def write_workbook(review: Review, path: Path) -> Path:
    """All tables of the contract in one file, SI as there, and the forces of cuts, centres of storeys,
    equilibrium between them and axial forces down stacks where there are any. A table longer than a sheet
    goes on in the next."""
    return _save(path, lambda book: _fill(book, review))


def _fill(book: Book, review: Review) -> None:
    for name, pieces in tables(review):
        rows = (row for piece in pieces for row in zip(*(column.to_pylist() for column in piece.columns)))
        book.sheet(name.removesuffix(".csv"), HEADERS[name].split(), rows)
    if review.model.cuts:
        book.sheet("cuts", CUT_COLUMNS, _cuts(review))
    if review.centres:
        centres = [[c.name, *(getattr(c, k) for k in CENTRE_COLUMNS[1:])] for c in review.centres]
        book.sheet("centres", CENTRE_COLUMNS, centres)
    if not review.stale and review.wall_panels:
        book.sheet("stability of walls", STABILITY_COLUMNS, _stability(review))
    if not review.stale and review.wall_forces.edges:
        book.sheet("joints of walls", JOINT_COLUMNS, _joints(review))
    if review.comparison is not None and review.comparison.again_over:
        again = ([getattr(x, name) for name in AGAIN_KEYS] for x in review.comparison.again)
        book.sheet("to look at again", AGAIN_COLUMNS, again)
    if review.settings.limits:
        book.sheet("above limits", LIMIT_COLUMNS, _above_limits(review))
    if len(review.model.storeys) > 1 and not review.results.empty and not review.stale:
        book.sheet("between storeys", BETWEEN_COLUMNS, _between(review))
    if any(line.kind == "stack" for line in review.lines) and not review.results.empty and not review.stale:
        book.sheet("stacks", STACK_COLUMNS, _stacks(review))


def _between(review: Review) -> Iterable[Sequence[object]]:
    """Yield what keeps the building above each storey in equilibrium, in every computed case."""
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
    """Every panel's cuts in every case and combination, SI, n in compression; empty where the formulas do not
    hold."""
    for name in (*review.results.cases, *(c.name for c in review.computed_combinations)):
        for p, values, b in stability_in(review, name):
            parts = (
                b.eccentricity,
                b.elastic_length,
                b.plastic_length,
                b.elastic_pressure,
                b.plastic_pressure,
                b.tie,
                b.sliding,
            )
            shown = [None if p.why_not or not np.isfinite(x[0]) else float(x[0]) for x in parts]
            forces = [-float(values[0]), float(values[1]), float(values[4])]
            yield [name, p.wall, p.storey, p.part, p.length, *forces, *shown, p.why_not or p.note or None]


LIMIT_COLUMNS = ["quantity", "limit", "part", "id", "grid", "x", "y", "z", "value", "combination"]


def _above_limits(review: Review) -> Iterable[Sequence[object]]:
    """Every place above a limit, the largest first; a limit of which nothing can be told has its reason."""
    for x in review.limited:
        if x.why_not:
            yield [x.limit.quantity, x.limit.most, x.why_not, *[None] * 7]
        for p in x.places:
            at = [None] * 3 if p.at is None else (np.array(p.at) + review.model.origin).tolist()
            yield [
                x.limit.quantity,
                x.limit.most,
                p.name,
                p.part or None,
                p.grid or None,
                *at,
                p.value,
                p.by or None,
            ]


JOINT_COLUMNS = [
    "case",
    "wall",
    "id",
    "joined",
    "storey",
    "x",
    "y",
    "z_low",
    "z_high",
    "v",
    "n",
    "out",
    "m",
    "v_most",
    "v_most_z",
    "n_most",
    "n_least",
]


def _joints(review: Review) -> Iterable[Sequence[object]]:
    """Every joint of walls in every case and combination, SI; the last four a metre, and the height of the
    largest shear."""
    for name in (*review.results.cases, *(c.name for c in review.computed_combinations)):
        for e, f in review.wall_joints(name):
            (x, y, low), high = (float(v) for v in e.line[0]), float(e.line[1, 2])
            most = [f.shear, f.height, f.tension, -f.compression]
            yield [
                name,
                e.wall,
                e.ident,
                " ".join(e.others),
                e.storey,
                x,
                y,
                low,
                high,
                *map(float, f.total),
                *most,
            ]


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
    return _save(path, lambda book: book.sheet(title, columns, rows))


def _scaled(row: TakeoffRow, key: str, factor: float) -> float | int | None:
    value = getattr(row, key)
    return value if value is None or factor == 1.0 else value * factor


class Book:
    """A spreadsheet that is written as its rows come, so that no table is in memory."""

    def __init__(self, path: Path) -> None:
        # a name of the model that looks like a formula or an address stays what it is: text
        plain = {"strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
        self._book = xlsxwriter.Workbook(str(path), {"constant_memory": True, **plain})
        self._bold = self._book.add_format({"bold": True})
        self._names: set[str] = set()

    def sheet(
        self,
        title: str,
        columns: Sequence[str],
        rows: Iterable[Sequence[object]],
        sums: Sequence[float | None] = (),
    ) -> None:
        """A sheet with titles that stay in sight and a filter; more of them for a table longer than one
        holds. `sums` stand below the columns after the first, live: of what a filter leaves."""
        sheet, count, number = self._titled(title, columns), 0, 1
        for row in rows:
            if count == MOST_ROWS:
                self._filtered(sheet, count, len(columns))
                number += 1
                sheet, count = self._titled(f"{title} {number}", columns), 0
            count += 1
            for k, value in enumerate(row):
                # by its type: what the sheet would find out for each of many cells
                if isinstance(value, str):
                    if value:
                        sheet.write_string(count, k, value)
                elif value is not None:
                    sheet.write(count, k, value)
        self._filtered(sheet, count, len(columns))
        if sums:
            sheet.write(count + 1, 0, "Sum", self._bold)
            for k, total in enumerate(sums, 1):
                if total is not None:
                    cells = xl_range(1, k, count, k)
                    sheet.write_formula(count + 1, k, f"=SUBTOTAL(9,{cells})", self._bold, total)

    def close(self) -> None:
        self._book.close()

    def _titled(self, title: str, columns: Sequence[str]) -> Any:
        plain = "".join(c for c in title if c not in "[]:*?/\\").strip("'")[:31] or "Table"
        name, n = plain, 2
        while name.lower() in self._names:
            name, n = f"{plain[:27]} ({n})", n + 1
        self._names.add(name.lower())
        sheet = self._book.add_worksheet(name)
        sheet.freeze_panes(1, 0)
        for k, text in enumerate(columns):
            sheet.set_column(k, k, max(12, len(text) + 2))
        for k, text in enumerate(columns):
            sheet.write(0, k, text, self._bold)
        return sheet

    @staticmethod
    def _filtered(sheet: Any, count: int, columns: int) -> None:
        if count and columns:
            sheet.autofilter(0, 0, count, columns - 1)


def save_sheets(path: Path, sheets: dict[str, tuple[list[str], list[list[object]]]]) -> Path:
    """A workbook of sheets by title, each with its headings and rows. Raises OutputError."""

    def fill(book: Book) -> None:
        for title, (columns, rows) in sheets.items():
            book.sheet(title, columns, rows)

    return _save(path, fill)


def _save(path: Path, fill: Callable[[Book], None]) -> Path:
    def write(target: Path) -> None:
        book = Book(target)
        fill(book)
        book.close()

    try:
        write_whole(path, write)
    except (OSError, XlsxWriterException) as error:
        words = getattr(error, "strerror", None) or error
        raise OutputError(f"{path}: cannot be written to: {words}") from error
    return path
