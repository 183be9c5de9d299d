"""Results from elsewhere: a folder of CSV tables or a workbook, with units in the headings and a mapping beside them.

Tables `displacements`, `reactions` and `member_forces`, any of them. A heading may carry its unit, `fx [kN]`; without one it is SI.
`mapping.toml` beside them (in a workbook's folder too) may hold the tables [headings], [cases] and [ids], theirs = ours,
and [signs], quantity = -1.
"""

from __future__ import annotations

import csv
import re
import tomllib
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ..model import units
from ..model.units import Dimension, UnitError, parse_unit
from .readers import IntakeError

PLACE = ("x", "y", "z")
FORCES = ("fx", "fy", "fz", "mx", "my", "mz")
MOVES = ("ux", "uy", "uz", "rx", "ry", "rz")
MEMBER = ("n", "vy", "vz", "mt", "my", "mz")
# table: identity columns, quantities, which of the quantities are turns or moments
TABLES: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "displacements": (("case", "node", *PLACE), MOVES),
    "reactions": (("case", "node", *PLACE), FORCES),
    "member_forces": (("case", "member", "id", "distance"), MEMBER),
}


# other headings of identity columns; of values none, for a wrong guess would be a wrong number
SAME_AS = {
    "loadcase": "case", "combination": "case", "loadcombination": "case", "nodeid": "node", "joint": "node", "point": "node",
    "bar": "member", "element": "member", "memberid": "id", "globalid": "id",
}  # fmt: skip


@dataclass(slots=True)
class ForeignRow:
    """One row: table, case, id ("" for none), place (m) or None, distance along the member (m) or None, values in SI."""

    table: str
    case: str
    id: str
    at: tuple[float, float, float] | None
    distance: float | None
    values: dict[str, float]
    where: str = ""


@dataclass(slots=True)
class ForeignResults:
    rows: list[ForeignRow] = field(default_factory=list)
    unread: list[tuple[str, str]] = field(default_factory=list)  # (place in the tables, why)
    ids: dict[str, str] = field(default_factory=dict)
    columns: list[tuple[str, str]] = field(default_factory=list)  # (table, heading) of columns that were not read


def read_results(path: Path) -> ForeignResults:
    """All tables of a folder or a workbook. Raises IntakeError where there are none, or one cannot be read at all."""
    if not path.exists():
        raise IntakeError(f"{path}: there is no such file or folder")
    mapping = _mapping((path if path.is_dir() else path.parent) / "mapping.toml")
    tables = _of_folder(path) if path.is_dir() else _of_workbook(path)
    if not tables:
        raise IntakeError(f"{path}: holds no table of results; known are {', '.join(TABLES)}")
    out = ForeignResults(ids={str(k): str(v) for k, v in mapping.get("ids", {}).items()})
    for name, (where, rows) in tables.items():
        _table(name, where, rows, mapping, out)
    return out


def _mapping(path: Path) -> dict[str, Any]:
    if not path.is_file():
        return {}
    try:
        found = tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise IntakeError(f"{path}: cannot be read: {error}") from error
    for table, values in found.items():
        if table not in ("headings", "cases", "ids", "signs") or not isinstance(values, dict):
            raise IntakeError(f"{path}: unknown table [{table}]; known are headings, cases, ids, signs")
    for quantity, sign in found.get("signs", {}).items():
        if sign not in (1, -1):
            raise IntakeError(f"{path}: signs.{quantity} is {sign!r}; it must be 1 or -1")
    return found


Raw = dict[str, tuple[str, list[list[str]]]]


def _of_folder(folder: Path) -> Raw:
    out: Raw = {}
    for name in TABLES:
        path = folder / f"{name}.csv"
        if not path.is_file():
            continue
        try:
            data = path.read_bytes()
            text = data.decode("utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig")
        except UnicodeDecodeError:
            text = data.decode("latin-1")
        except OSError as error:
            raise IntakeError(f"{path}: cannot be read: {error}") from error
        head = text.split("\n", 1)[0]
        mark = ";" if head.count(";") > head.count(",") else "\t" if "\t" in head else ","
        out[name] = str(path), [row for row in csv.reader(text.splitlines(), delimiter=mark)]
    return out


def _of_workbook(path: Path) -> Raw:
    from openpyxl import load_workbook

    if path.suffix.lower() != ".xlsx":
        raise IntakeError(f"{path}: is neither a folder of CSV tables nor an .xlsx workbook")
    try:
        book = load_workbook(path, read_only=True, data_only=True)
    except Exception as error:  # the library raises many kinds for files that are no workbook
        raise IntakeError(f"{path}: cannot be read as a workbook: {error}") from error
    out: Raw = {}
    for name in TABLES:
        if name in book.sheetnames:
            rows = [["" if v is None else str(v) for v in row] for row in book[name].iter_rows(values_only=True)]
            out[name] = f"{path}, sheet {name}", rows
    book.close()
    return out


def _table(name: str, where: str, rows: list[list[str]], mapping: dict[str, Any], out: ForeignResults) -> None:
    rows = [r for r in rows if any(c.strip() for c in r)] and rows
    if not rows:
        out.unread.append((where, "it is empty"))
        return
    labels, quantities = TABLES[name]
    columns: dict[str, int] = {}
    factors: dict[str, float] = {}
    renamed = {str(k).strip().lower(): str(v) for k, v in mapping.get("headings", {}).items()}
    alike: list[
        tuple[int, str, str, str | None]
    ] = []  # columns whose heading stands for another one, taken where that is missing
    for k, raw in enumerate(rows[0]):
        match = re.fullmatch(r"\s*(.*?)\s*(?:\[([^\]]*)\]|\(([^)]*)\))?\s*", raw)
        title, unit = (match[1], match[2] or match[3]) if match else (raw.strip(), None)
        title = renamed.get(raw.strip().lower(), renamed.get(title.lower(), title)).strip().lower()
        if title in labels or title in quantities:
            if title in columns:
                raise IntakeError(f"{where}: columns {columns[title] + 1} and {k + 1} are both {title}; leave one out")
            columns[title] = k
            if unit:
                factors[title] = _factor(name, title, unit, f"{where}: column {k + 1}")
        elif raw.strip():
            title = re.sub(r"[\s_-]", "", title)  # F x and f_x are fx
            alike.append((k, raw.strip(), SAME_AS.get(title, title), unit))
    for k, raw, title, unit in alike:
        if title in columns or (title not in labels and title not in quantities):
            out.columns.append((where, raw))
            continue
        columns[title] = k
        if unit:
            factors[title] = _factor(name, title, unit, f"{where}: column {k + 1}")
    if "case" not in columns or not any(q in columns for q in quantities):
        raise IntakeError(f"{where}: needs a column 'case' and one of {', '.join(quantities)}")
    signs = {k: float(v) for k, v in mapping.get("signs", {}).items()}
    cases = {str(k): str(v) for k, v in mapping.get("cases", {}).items()}
    for number, row in enumerate(rows[1:], 2):
        if not any(c.strip() for c in row):
            continue

        def text(column: str, row: list[str] = row) -> str:
            k = columns.get(column)
            return row[k].strip() if k is not None and k < len(row) else ""

        try:
            values = {q: _number(text(q)) * factors.get(q, 1.0) * signs.get(q, 1.0) for q in quantities if text(q)}
            place = [_number(text(a)) * factors.get(a, 1.0) for a in PLACE if text(a)]
            distance = _number(text("distance")) * factors.get("distance", 1.0) if text("distance") else None
        except ValueError as error:
            out.unread.append((f"{where}, row {number}", str(error)))
            continue
        case = cases.get(text("case"), text("case"))
        ident = text("id") or text("node") or text("member")
        at = (place[0], place[1], place[2]) if len(place) == 3 else None
        out.rows.append(
            ForeignRow(name, case, out.ids.get(ident, ident), at, distance, values, f"{where}, row {number}")
        )


def _number(text: str) -> float:
    raw = re.sub(r"[\s\u00a0\u202f']", "", text.replace("\u2212", "-"))
    comma, dot = raw.rfind(","), raw.rfind(".")
    if comma >= 0 and dot >= 0:  # the last of the two is the decimal one, the other parts thousands
        raw = raw.replace("," if dot > comma else ".", "")
    if raw.count(",") == 1:
        raw = raw.replace(",", ".")
    value = float(raw)
    if not abs(value) < 1e18:
        raise ValueError(f"{text!r} is not a number that a result can have")
    return value


def _factor(table: str, title: str, text: str, where: str) -> float:
    try:
        unit = parse_unit(text)
    except UnitError as error:
        raise IntakeError(f"{where}: {error}") from error
    if unit.dimension not in _dimensions(table, title):
        raise IntakeError(f"{where}: {text!r} does not measure {title}")
    return unit.factor


def _dimensions(table: str, title: str) -> tuple[Dimension, ...]:
    if title in PLACE or title == "distance" or title in ("ux", "uy", "uz"):
        return (units.LENGTH,)
    if title in ("rx", "ry", "rz"):
        return (units.ANGLE, units.NONE)
    return (units.MOMENT,) if title.startswith("m") else (units.FORCE,)
