"""A model from tables: nodes, members, sections, materials, surfaces, supports, cases, loads and
combinations.

A workbook (.xlsx) with a sheet for each, or CSV files in one folder, of which `nodes.csv` or `members.csv` is
named. Units stand in the headings, `x [mm]`; without one a column is SI. The tables `nodes` and `members`
that a review writes are of this form."""

from __future__ import annotations

import re
from pathlib import Path

from ...model.entities.log import LogEntry
from ..readers import IntakeError, Progress, silent
from ..sheets import Rows, csv_rows, sheet_rows, workbook
from ..source import SourceModel
from .columns import LOADS, TABLES
from .framing import read_levels, read_materials, read_members, read_nodes, read_sections
from .loading import add_untold_cases, read_cases, read_combinations
from .slabs import read_edges, read_surfaces, read_ties
from .table import Table

SUFFIXES = (".xlsx", ".csv")


def read(path: Path, progress: Progress = silent) -> SourceModel:
    """The tables of a workbook, or those beside a CSV file. A row that cannot be read is left out with its
    reason. Raises IntakeError where there is no table of nodes, or a table cannot be read at all."""
    progress("Reading tables", 0.0)
    found = _workbook_tables(path) if path.suffix.lower() == ".xlsx" else _csv_tables(path)
    others = found.pop("", ("", []))[1]
    if "nodes" not in found and "slabs_and_walls" not in found:
        raise IntakeError(
            f"{path}: holds no table of nodes or slabs_and_walls; a model needs nodes and members, or surfaces"
        )
    units = {"tables": "as their headings say, SI where they do not"}
    source = SourceModel(str(path), "tables", "analytical", units)
    if others:
        names = ", ".join(row[0] for row in others[:10])
        message = f"not read: {names}, none of the tables of a model ({', '.join((*TABLES, LOADS))})"
        source.log.append(LogEntry("skipped", (names,), message))
    tables = {n: Table(n, where, rows) for n, (where, rows) in found.items() if n != LOADS}
    read_levels(tables, source)
    read_nodes(tables, source)
    read_sections(tables, source)
    read_materials(tables, source)
    read_members(tables, source)
    read_surfaces(tables, source)
    read_edges(tables, source)
    read_ties(tables, source)
    read_cases(tables, source)
    if LOADS in found:
        where, rows = found[LOADS]
        source.load_table = "\n".join("\t".join(re.sub(r"\s+", " ", c) for c in row) for row in rows)
        source.counts["action"] = sum(any(c.strip() for c in row) for row in rows[1:])
        add_untold_cases(rows, source)
    read_combinations(tables, source)  # of cases that loads alone name too
    if not source.curves and not source.faces:
        why = f"; the first that cannot be read: {source.skipped[0].reason}" if source.skipped else ""
        raise IntakeError(f"{path}: none of its rows gives a member or a surface{why}")
    return source


def files_of(path: Path) -> list[Path]:
    """The files that a model is read from: of a CSV file those beside it too that are tables of a model."""
    if path.suffix.lower() != ".csv":
        return [path]
    return [
        path,
        *(p for p in sorted(path.parent.glob("*.csv")) if _name(p.stem) in (*TABLES, LOADS) and p != path),
    ]


def _name(said: str) -> str:
    return re.sub(r"[\s-]+", "_", said.strip().lower())


def _csv_tables(path: Path) -> dict[str, tuple[str, Rows]]:
    """Tables by name, and under "" the names of what is none of them."""
    if _name(path.stem) not in (*TABLES, LOADS):
        raise IntakeError(f"{path}: is none of the tables of a model; they are {', '.join((*TABLES, LOADS))}")
    out = {_name(p.stem): (str(p), csv_rows(p)) for p in files_of(path)}
    known = (*TABLES, LOADS)
    others = [[p.name] for p in sorted(path.parent.glob("*.csv")) if _name(p.stem) not in known]
    return out | ({"": (str(path), others)} if others else {})


def _workbook_tables(path: Path) -> dict[str, tuple[str, Rows]]:
    """Tables by name, and under "" the names of what is none of them."""
    book = workbook(path)
    out: dict[str, tuple[str, Rows]] = {}
    for sheet in book.sheetnames:
        name = _name(sheet)
        if name in out:
            raise IntakeError(f"{path}: holds two sheets {name}; leave one out")
        rows = sheet_rows(book[sheet])
        if name in (*TABLES, LOADS):
            out[name] = f"{path}, sheet {sheet}", rows
        elif any(c.strip() for row in rows for c in row):
            out.setdefault("", (str(path), []))[1].append([f"sheet {sheet}"])
    book.close()
    return out
