"""The chapter of findings, with their decisions and drawings of their places."""

from __future__ import annotations

from collections import Counter

from ....review.decisions import decision_on
from ....review.review import Review
from ...sketch import Sketches
from ..parts import Cell, Chapter, ReportFinding, Table
from .registry import chapter

PICTURES = 40  # drawings of places in one report


@chapter("findings", "Findings")
def findings_chapter(out: Chapter, review: Review, short: bool) -> None:
    codes = Counter((f.severity, f.code) for f in review.findings)
    decided = Counter(
        (f.severity, f.code) for f in review.findings if decision_on(f, review.decisions) is not None
    )
    order = ("blocking", "warning", "note")
    rows: list[list[Cell | str]] = [
        [severity, code, str(n), str(decided[severity, code])]
        for (severity, code), n in sorted(codes.items(), key=lambda x: (order.index(x[0][0]), x[0][1]))
    ]
    if not rows:
        out.words.append("There are no findings.")
        return
    out.tables.append(Table("", ["Severity", "Code", "Found", "Decided"], rows))
    sketches = Sketches(review.model)
    drawn = 0
    for number, f in enumerate(review.findings, 1):
        place = ""
        if f.at is not None:
            place = ", ".join(f"{a + float(b):.3f}" for a, b in zip(f.at, review.model.origin)) + " m"
        picture = ""
        if not short and drawn < PICTURES and f.severity != "note":
            sketch = sketches.of(f.at, f.ids)
            if sketch is not None:
                picture, drawn = sketch.svg(), drawn + 1
        out.findings.append(ReportFinding(number, f, decision_on(f, review.decisions), place, picture))
