"""The chapter of loads and equilibrium."""

from __future__ import annotations

from ....review.review import Review
from ..parts import Cell, Chapter, Table, titled, value
from .registry import chapter, shortened

SIX = (
    ("Fx", "force"),
    ("Fy", "force"),
    ("Fz", "force"),
    ("Mx", "moment"),
    ("My", "moment"),
    ("Mz", "moment"),
)


@chapter("loads", "Loads and equilibrium")
def loads_chapter(out: Chapter, review: Review, short: bool) -> None:
    rows: list[list[Cell | str]] = []
    for e in review.results.equilibrium:
        case = review.model.cases.get(e.case)
        kind = case.kind if case is not None else ""
        rows.append(
            [
                e.case,
                kind or "not said",
                *(value(float(v), k) for v, (_, k) in zip(e.applied, SIX)),
                f"{e.residual:.1e}",
            ]
        )
    columns = ["Case", "Kind", *(titled(n, k) for n, k in SIX), "Left over"]
    if rows:
        out.words.append(
            "Sums of applied loads about the source's origin; what is left over with the reactions, as a share of the largest."
        )
        out.tables.append(shortened(Table("", columns, rows), short, "review.json"))
    lost = [n for n in review.model.cases if n not in review.results.cases]
    if lost:
        out.words.append(f"Not computed: {', '.join(lost)}.")
