"""All that simple formulas let one expect, with the likely reason where something else came."""

from __future__ import annotations

from ..review import Review
from ..titles import title_of
from .columns import columns
from .others import beams, periods, walls, winds
from .row import REASONS, Expected

HEADER = "kind of ids case formula expected came ratio odd reason"


def expected(review: Review) -> list[Expected]:
    """Return the rows of a review that has run, what is farthest off first; [] of one that has not. They are
    worked out once for a run."""
    if review.stale or review.results.empty:
        return []
    return review.once("expected", lambda: _expected(review))


def _expected(review: Review) -> list[Expected]:
    rows = [*columns(review), *beams(review), *winds(review), *walls(review), *periods(review)]
    for row in rows:
        if row.odd:
            row.reason = reason(review, row)
    return sorted(rows, key=lambda e: (-e.off, e.kind, e.of, e.case))


def reason(review: Review, row: Expected) -> str:
    """Return the finding that is the likeliest reason: of the kinds that can be, one about the same parts
    first; "" for none."""
    for near in (True, False):
        for code in REASONS[row.kind]:
            for f in review.findings:
                if f.code == code and (not near or set(f.ids) & set(row.ids)):
                    return f"{title_of(f)} ({f.code})"
    return ""


def rows_of(found: list[Expected]) -> list[tuple[object, ...]]:
    """Return rows of HEADER."""
    return [
        (
            e.kind,
            e.of,
            " ".join(e.ids),
            e.case,
            e.formula if not e.words else f"{e.formula}: {e.words}",
            e.value,
            e.came,
            e.ratio,
            e.odd,
            e.reason,
        )
        for e in found
    ]
