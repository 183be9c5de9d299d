"""Chapter: what simple formulas let one expect, beside what came."""

from __future__ import annotations

from ....review.expected.expected import expected
from ....review.expected.row import BEAM, PERIOD, Expected
from ....review.review import Review
from ..parts import Cell, Chapter, Table, value
from .registry import chapter, shortened

TITLES = {"column": "Column", "beam": "Beam", "wind": "Wind", "wall": "Wall", "period": "Period"}


@chapter("expected", "What was to be expected")
def expected_chapter(out: Chapter, review: Review, short: bool) -> None:
    found = expected(review)
    if not found:
        return
    odd = [e for e in found if e.odd]
    out.words.append(
        f"{len(found)} values were held against simple formulas: columns against the floor areas that they carry, beams against w L²/8 and w L²/12, "
        "wind against a usual pressure, walls against the sign that a push should give them, the longest period against the building's height. "
        f"{len(odd)} are out of what is usual for them; such a formula says where to look, not what is right."
    )
    rows: list[list[Cell | str]] = [
        [
            TITLES[e.kind],
            Cell(e.of, ids=e.ids),
            e.case,
            e.formula,
            *_values(e),
            "" if e.ratio is None else f"{e.ratio:.2f}",
            e.reason,
        ]
        for e in (odd if short else found)
    ]
    if rows:
        table = Table(
            "Farthest off first",
            ["What", "Of", "Case", "Formula", "Expected", "Came", "Ratio", "Likely reason"],
            rows,
        )
        out.tables.append(shortened(table, short, "expected.csv (review --effects)"))


def _values(e: Expected) -> tuple[str, str]:
    """Return both values with their unit."""
    kind, unit = {BEAM: ("moment", "kNm"), PERIOD: ("period", "s")}.get(e.kind, ("force", "kN"))
    both = [e.words if v is None else f"{value(v, kind).text} {unit}" for v in (e.value, e.came)]
    return both[0], both[1]
