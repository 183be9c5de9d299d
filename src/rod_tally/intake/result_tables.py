"""Results from elsewhere: a folder of CSV tables or a workbook, with units in the headings and a mapping
beside them; or an IFC file with groups of results.

Tables `displacements`, `reactions`, `member_forces`, `modes`, `storeys` and `walls`, any of them. A heading
may carry its unit, `fx [kN]`;
without one it is SI. `mapping.toml` beside them (in a workbook's folder too) may hold the tables [headings],
[cases] and [ids], theirs = ours, [signs], quantity = -1, and [units], quantity = unit, over what a heading
says. A quantity may be that of one table alone: "reactions.my"."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass, field, fields
from pathlib import Path
from typing import TypeVar

from ..model import units
from ..model.numbers import decimal_mark, number
from ..model.units import Dimension, UnitError, parse_unit
from .readers import IntakeError
from .sheets import csv_rows, sheet_rows, workbook

T = TypeVar("T")
PLACE = ("x", "y", "z")
FORCES = ("fx", "fy", "fz", "mx", "my", "mz")
MOVES = ("ux", "uy", "uz", "rx", "ry", "rz")
MEMBER = ("n", "vy", "vz", "mt", "my", "mz")
STOREY = ("shear_x", "shear_y", "drift_x", "drift_y", "mass")
WALL = ("n", "v_in", "v_out", "t", "m_in", "m_out")
# table: identity columns, quantities, which of the quantities are turns or moments
TABLES: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "displacements": (("case", "node", *PLACE), MOVES),
    "reactions": (("case", "node", *PLACE), FORCES),
    "member_forces": (("case", "member", "id", "distance"), MEMBER),
    "modes": (("mode",), ("period", "mass_x", "mass_y", "mass_z")),
    "storeys": (("case", "storey", "elevation", "fx", "fy", "fz", "mass_x", "mass_y"), STOREY),
    "walls": (("case", "storey", "part", "wall", "id", "ids", *PLACE), WALL),
}
OTHER_NAMES = {"wall_forces": "walls"}  # of whole tables
MODES = "modes"  # stands for the case of a table that has none


# other headings of identity columns; of values none, for a wrong guess would be a wrong number
SAME_AS = {
    "loadcase": "case",
    "combination": "case",
    "loadcombination": "case",
    "nodeid": "node",
    "joint": "node",
    "point": "node",
    "bar": "member",
    "element": "member",
    "memberid": "id",
    "globalid": "id",
}


Raw = dict[str, tuple[str, list[list[str]]]]


@dataclass(slots=True)
class ForeignRow:
    """One row: table, case, id ("" for none), place (m) or None, distance along the member or height of the
    storey (m) or None, values in SI; of a wall its `storey` and the `part` of that."""

    table: str
    case: str
    id: str
    at: tuple[float, float, float] | None
    distance: float | None
    values: dict[str, float]
    where: str = ""
    storey: str = ""
    part: str = ""


@dataclass(slots=True)
class ForeignResults:
    rows: list[ForeignRow] = field(default_factory=list)
    unread: list[tuple[str, str]] = field(default_factory=list)  # (place in the tables, why)
    ids: dict[str, str] = field(default_factory=dict)
    # (table, heading) of columns that were not read
    columns: list[tuple[str, str]] = field(default_factory=list)
    # which run an IFC file says they come from, in words, and whether that is of the file's own model
    told: list[tuple[str, bool]] = field(default_factory=list)


@dataclass(slots=True)
class Mapping:
    """The meaning of their headings and names: headings (NOT_READ for a column to be left), cases and ids,
    theirs = ours; signs and units by our quantity."""

    headings: dict[str, str] = field(default_factory=dict)
    cases: dict[str, str] = field(default_factory=dict)
    ids: dict[str, str] = field(default_factory=dict)
    signs: dict[str, int] = field(default_factory=dict)
    units: dict[str, str] = field(default_factory=dict)

    def sign(self, table: str, quantity: str) -> int:
        """1 or -1: of a quantity in a table, else of that quantity in any."""
        return self.signs.get(f"{table}.{quantity}", self.signs.get(quantity, 1))

    def unit(self, table: str, quantity: str, heading: str) -> str:
        """The unit that is said for a quantity, else that of its heading."""
        return self.units.get(f"{table}.{quantity}", self.units.get(quantity, heading))


NOT_READ = "-"


def read_results(path: Path, mapping: Mapping | None = None) -> ForeignResults:
    """All tables of a folder, a workbook or an IFC file, by a mapping or by the one that lies beside them. Raises
    IntakeError where there are no tables, or one cannot be read at all."""
    tables = raw_tables(path)
    mapping = mapping or mapping_beside(path)
    out = ForeignResults(ids=dict(mapping.ids))
    for name, (where, rows) in tables.items():
        _table(name, where, rows, mapping, out)
    if _is_ifc(path):
        from .ifc.structural.results import told_of, unread_in  # slow to load, and seldom wanted

        out.told = told_of(path)
        out.unread += unread_in(path)
    return out


def _is_ifc(path: Path) -> bool:
    return path.is_file() and path.suffix.lower() == ".ifc"


def raw_tables(path: Path) -> Raw:
    """The tables as they stand, by name: (where, rows). Raises IntakeError."""
    if not path.exists():
        raise IntakeError(f"{path}: there is no such file or folder")
    tables = _of_folder(path) if path.is_dir() else _of_ifc(path) if _is_ifc(path) else _of_workbook(path)
    if not tables:
        raise IntakeError(f"{path}: holds no table of results; known are {', '.join(TABLES)}")
    return {
        n: (where, rows if any(c.strip() for r in rows for c in r) else [])
        for n, (where, rows) in tables.items()
    }


def mapping_beside(path: Path) -> Mapping:
    """Return what `mapping.toml` in the folder says; an empty one where there is none. Raises IntakeError."""
    own = (path if path.is_dir() else path.parent) / "mapping.toml"
    if not own.is_file():
        return Mapping()
    try:
        found = tomllib.loads(own.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise IntakeError(f"{own}: cannot be read: {error}") from error
    known = [f.name for f in fields(Mapping)]
    for table, values in found.items():
        if table not in known or not isinstance(values, dict):
            raise IntakeError(f"{own}: unknown table [{table}]; known are {', '.join(known)}")
    for quantity, sign in found.get("signs", {}).items():
        if sign not in (1, -1):
            raise IntakeError(f"{own}: signs.{quantity} is {sign!r}; it must be 1 or -1")
    words = {
        t: {str(k): str(v) for k, v in found.get(t, {}).items()}
        for t in ("headings", "cases", "ids", "units")
    }
    return Mapping(**words, signs={str(k): int(v) for k, v in found.get("signs", {}).items()})


def rows_of(path: Path) -> list[list[str]]:
    """Rows of a CSV file, or of the first sheet of a workbook. Raises IntakeError."""
    if not path.is_file():
        raise IntakeError(f"{path}: there is no such file")
    if path.suffix.lower() != ".xlsx":
        return csv_rows(path)
    book = workbook(path)
    rows = sheet_rows(book.worksheets[0])
    book.close()
    return rows


def _of_folder(folder: Path) -> Raw:
    out: Raw = {}
    try:
        files = sorted(p for p in folder.iterdir() if p.suffix.lower() == ".csv" and p.is_file())
    except OSError as error:
        raise IntakeError(f"{folder}: cannot be read: {error}") from error
    for name, path in _named([(p.stem, p) for p in files], str(folder)).items():
        out[name] = str(path), csv_rows(path)
    return out


def _named(found: list[tuple[str, T]], where: str) -> dict[str, T]:
    """Tables by their names, whatever capitals, spaces and hyphens those are written with. Raises IntakeError
    for two of one name."""
    out: dict[str, T] = {}
    for said, what in found:
        name = re.sub(r"[\s-]+", "_", said.strip().lower())
        name = OTHER_NAMES.get(name, name)
        if name in TABLES:
            if name in out:
                raise IntakeError(f"{where}: holds two tables {name}; leave one out")
            out[name] = what
    return {n: out[n] for n in TABLES if n in out}


def _of_ifc(path: Path) -> Raw:
    """Results that an IFC file brings, in SI."""
    from .ifc.structural.results import result_rows  # slow to load, and seldom wanted

    return {name: (f"{path}, {name}", rows) for name, rows in result_rows(path).items()}


def _of_workbook(path: Path) -> Raw:
    book = workbook(path, "neither a folder of CSV tables nor an IFC file nor")
    out: Raw = {}
    for name, sheet in _named([(s, s) for s in book.sheetnames], str(path)).items():
        out[name] = f"{path}, sheet {sheet}", sheet_rows(book[sheet])
    book.close()
    return out


@dataclass(slots=True)
class Column:
    """A column of a table: its heading as it stands, what of ours it is ("" for a column that is not read),
    its unit ("" for SI), and whether that is said or taken from a heading that means the same."""

    number: int
    heading: str
    title: str
    unit: str
    said: bool


def columns_of(table: str, head: list[str], mapping: Mapping) -> list[Column]:
    """Return what the columns of a table are. Of several that stand for one thing the one that says so is
    taken."""
    labels, quantities = TABLES[table]
    renamed = {k.strip().lower(): v for k, v in mapping.headings.items()}
    out: list[Column] = []
    for k, raw in enumerate(head):
        match = re.fullmatch(r"\s*(.*?)\s*(?:\[([^\]]*)\]|\(([^)]*)\))?\s*", raw)
        plain, unit = (match[1], match[2] or match[3] or "") if match else (raw.strip(), "")
        title = renamed.get(raw.strip().lower(), renamed.get(plain.lower(), plain)).strip().lower()
        said = title in labels or title in quantities
        if not said and title != NOT_READ:
            title = re.sub(r"[\s_-]", "", title)  # F x and f_x are fx
            title = SAME_AS.get(title, title)
        if title not in labels and title not in quantities:
            title = ""
        if title:
            unit = mapping.unit(table, title, unit)
        out.append(Column(k, raw.strip(), title, unit, said))
    taken = {c.title for c in out if c.said}
    for c in out:
        if c.title and not c.said:
            if c.title in taken:
                c.title = ""
            taken.add(c.title)
    return out


def _table(name: str, where: str, rows: list[list[str]], mapping: Mapping, out: ForeignResults) -> None:
    if not rows:
        out.unread.append((where, "it is empty"))
        return
    _, quantities = TABLES[name]
    columns: dict[str, int] = {}
    factors: dict[str, float] = {}
    for c in columns_of(name, rows[0], mapping):
        if not c.title:
            if c.heading and mapping.headings.get(c.heading) != NOT_READ:
                out.columns.append((where, c.heading))
            continue
        if c.title in columns:
            raise IntakeError(
                f"{where}: columns {columns[c.title] + 1} and {c.number + 1} are both {c.title}; leave one out"
            )
        columns[c.title] = c.number
        if c.unit:
            factors[c.title] = _factor(name, c.title, c.unit, f"{where}: column {c.number + 1}")
    needed = TABLES[name][0][0]
    if needed not in columns or not any(q in columns for q in quantities):
        raise IntakeError(f"{where}: needs a column {needed!r} and one of {', '.join(quantities)}")
    signs = {q: float(mapping.sign(name, q)) for q in quantities}
    cases = mapping.cases
    mark = mark_of(rows[1:])
    for line, row in enumerate(rows[1:], 2):
        if not any(c.strip() for c in row):
            continue

        def text(column: str, row: list[str] = row) -> str:
            k = columns.get(column)
            return row[k].strip() if k is not None and k < len(row) else ""

        try:
            values = {
                q: number_of(text(q), mark) * factors.get(q, 1.0) * signs[q] for q in quantities if text(q)
            }
            place = [number_of(text(a), mark) * factors.get(a, 1.0) for a in PLACE if text(a)]
            along = next((a for a in ("distance", "elevation") if text(a)), "")
            distance = number_of(text(along), mark) * factors.get(along, 1.0) if along else None
        except ValueError as error:
            out.unread.append((f"{where}, row {line}", str(error)))
            continue
        case = cases.get(text("case"), text("case")) if name != MODES else MODES
        ident = text("id") or text("node") or text("member") or text("mode") or text("wall")
        ident = ident or (text("storey") if name == "storeys" else "")
        at = (place[0], place[1], place[2]) if len(place) == 3 else None
        out.rows.append(
            ForeignRow(
                name,
                case,
                out.ids.get(ident, ident),
                at,
                distance,
                values,
                f"{where}, row {line}",
                text("storey"),
                text("part").lower(),
            )
        )


def mark_of(rows: list[list[str]]) -> str:
    """Return what stands before the decimals in a table, "" where no cell tells or none has a comma."""
    found = [cell for row in rows for cell in row if "," in cell or "." in cell]
    return decimal_mark(found) if any("," in cell for cell in found) else ""


def number_of(text: str, mark: str = "") -> float:
    """A number as people and spreadsheets write it: decimal commas, thousands apart, a true minus. `mark`:
    what stands before the decimals in its table. Raises ValueError, for one that may be read in two ways
    too."""
    value = number(re.sub(r"[\s\u00a0\u202f']", "", text), mark)
    if not abs(value) < 1e18:
        raise ValueError(f"{text!r} is not a number that a result can have")
    return value


def _factor(table: str, title: str, text: str, where: str) -> float:
    if text.strip() == "%" and units.NONE in _dimensions(table, title):
        return 0.01
    try:
        unit = parse_unit(text)
    except UnitError as error:
        raise IntakeError(f"{where}: {error}") from error
    if unit.dimension not in _dimensions(table, title):
        raise IntakeError(f"{where}: {text!r} does not measure {title}")
    return unit.factor


def _dimensions(table: str, title: str) -> tuple[Dimension, ...]:
    if title in PLACE or title in ("distance", "elevation", "ux", "uy", "uz", "drift_x", "drift_y"):
        return (units.LENGTH,)
    if table == "modes":
        return (units.TIME,) if title == "period" else (units.NONE,)
    if title == "mass":
        return (units.MASS,)
    if title == "t":
        return (units.MOMENT,)
    if title in ("rx", "ry", "rz"):
        return (units.ANGLE, units.NONE)
    return (units.MOMENT,) if title.startswith("m") else (units.FORCE,)
