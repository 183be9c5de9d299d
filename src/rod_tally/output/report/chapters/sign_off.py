"""The last chapter: readiness, what was looked at, and the place to sign."""

from __future__ import annotations

from collections import Counter

from ....review.decisions import decision_on
from ....review.readiness import readiness
from ....review.review import Review
from ..parts import Cell, Chapter, Table
from .registry import chapter, stamps


@chapter("sign", "Sign-off")
def sign_chapter(out: Chapter, review: Review, short: bool) -> None:
    count = Counter(f.severity for f in review.findings)
    undecided = sum(decision_on(f, review.decisions) is None for f in review.findings)
    out.words.append(
        f"{count['blocking']} blocking findings, {count['warning']} warnings, {count['note']} notes; {undecided} of them not decided."
    )
    if stamps(review):
        out.words.append(f"Not ready for design: {'; '.join(stamps(review))}.")
    rows: list[list[Cell | str]] = [
        [r.what, "no" if not r.good else "in part" if r.open else "yes", r.words]
        for r in readiness(review, review.looks, named=False)
    ]
    out.tables.append(Table("What a signature needs", ["What", "There", "Remarks"], rows))
    if review.looks and not short:
        looked: list[list[Cell | str]] = [
            [x.item.replace("/", ": "), x.by, x.when[:16].replace("T", " "), x.picture] for x in review.looks
        ]
        out.tables.append(Table("Looked at", ["What", "By", "When (UTC)", "What the picture showed"], looked))
    out.sign = True
