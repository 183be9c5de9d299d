"""Load cases and combinations of a model in tables; loads are read once there are members."""

from __future__ import annotations

import re

from ...model.entities.loads import CATEGORIES, KINDS
from ...model.entities.log import LogEntry
from ..sheets import Rows
from ..source import SourceCase, SourceCombination, SourceModel
from .rows import YES, each, new_name, one_of, skip
from .table import CellError, Table


def read_cases(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = set()
    for t, n, row in each(tables, "cases", source, "load_case"):
        name = t.text(row, "case")
        try:
            new_name(name, seen, t, n, "case")
            kind = one_of(t, n, row, "kind", (*KINDS, ""))
            category = t.text(row, "category").upper()
            if category and category not in CATEGORIES:
                raise CellError(f"{t.place(n, 'category')}: {category!r} is none of {', '.join(CATEGORIES)}")
            weight = t.text(row, "self_weight").lower()
            vector = (0.0, 0.0, -1.0) if weight in YES else (0.0, 0.0, 0.0)
            if weight and weight not in (*YES, "no", "false", "0"):
                found = t.vector(n, row, "self_weight")
                assert found is not None
                vector = (float(found[0]), float(found[1]), float(found[2]))
            source.cases.append(SourceCase(name, name, kind, vector, category, t.text(row, "together")))
        except CellError as error:
            skip(source, "action", name, n, t, error)


def add_untold_cases(rows: Rows, source: SourceModel) -> None:
    """Cases that loads name and no table describes: without a kind, which a check reports."""
    head = [re.sub(r"\[.*\]", "", c).strip().lower() for c in rows[0]] if rows else []
    at = head.index("case") if "case" in head else len(head)
    known = {c.name for c in source.cases}
    for row in rows[1:]:
        name = row[at].strip() if at < len(row) else ""
        if name and name not in known:
            known.add(name)
            source.cases.append(SourceCase(name, name))
    source.counts["load_case"] = len(source.cases)


def read_combinations(tables: dict[str, Table], source: SourceModel) -> None:
    known = {c.name for c in source.cases}
    found: dict[str, SourceCombination] = {}
    lost: set[str] = set()
    for t, n, row in each(tables, "combinations", source, ""):
        name = t.text(row, "combination")
        try:
            case = t.text(row, "case")
            if case not in known:
                raise CellError(f"{t.place(n, 'case')}: there is no load case {case!r}")
            factor = t.needed(n, row, "factor")
            own = found.setdefault(name, SourceCombination(name, t.text(row, "kind"), {}))
            own.factors[case] = own.factors.get(case, 0.0) + factor
        except CellError as error:
            lost.add(name)
            skip(source, "action", name, n, t, error)
    # one that lacks a case is another combination
    source.combinations += [c for name, c in found.items() if name not in lost]
    for name in sorted(lost & set(found)):
        source.log.append(
            LogEntry(
                "skipped", (name,), f"combination {name} is left out, for one of its rows cannot be read"
            )
        )
