"""Chapters on where the model comes from: sources and settings, what was taken in, corrections."""

from __future__ import annotations

import hashlib
from collections import Counter
from pathlib import Path

from .... import __version__
from ....intake.tables.read import files_of
from ....model import Settings
from ....model.source_file import source_of
from ....review.review import Review
from ..parts import Cell, Chapter, Table, titled, value
from .registry import chapter, shortened, some


def fingerprint(path: Path) -> str:
    """SHA-256 of a file, "" where it is not there any more."""
    try:
        with path.open("rb") as f:
            return hashlib.file_digest(f, "sha256").hexdigest()
    except OSError:
        return ""


@chapter("source", "Sources and settings")
def source_chapter(out: Chapter, review: Review, short: bool) -> None:
    m = review.model
    files = files_of(source_of(m))
    prints: list[list[Cell | str]] = [
        [
            f"SHA-256 of {p.name}" if len(files) > 1 else "SHA-256",
            fingerprint(p) or "the file is not there any more",
        ]
        for p in files
    ]
    rows: list[list[Cell | str]] = [
        ["File", Path(m.source_file).name],
        *prints,
        ["Schema", m.schema],
        ["Kind", m.kind],
        ["Units", ", ".join(f"{k}: {v}".lower() for k, v in m.units.items())],
        ["Rod Tally", __version__],
    ]
    own, plain = review.settings.to_dict(), Settings().to_dict()
    for table, values in own.items():
        for key, v in values.items() if isinstance(values, dict) else ():
            if v != plain.get(table, {}).get(key) and table != "report":
                rows.append([f"Setting {table}.{key}", str(v)])
    out.tables.append(Table("", ["What", "Value"], rows))
    if not short and m.storeys:
        storeys: list[list[Cell | str]] = [
            [s.name, value(s.elevation + float(m.origin[2]), "length")] for s in m.storeys
        ]
        out.tables.append(Table("Storeys of the source", ["Storey", titled("Level", "length")], storeys))


@chapter("taken", "What was taken in")
def taken_chapter(out: Chapter, review: Review, short: bool) -> None:
    rows: list[list[Cell | str]] = []
    for row in review.tally:
        reasons = Counter(s.reason for s in row.skipped)
        why = "; ".join(f"{n} {reason}" for reason, n in reasons.most_common(5))
        rows.append(
            [
                row.cls,
                str(row.source),
                str(row.model),
                str(len(row.skipped)),
                why,
                value(row.length, "length"),
                value(row.weight, "force"),
                value(row.area, "area"),
            ]
        )
    columns = [
        "Class",
        "In the source",
        "In the model",
        "Skipped",
        "Why",
        titled("Length", "length"),
        titled("Weight", "force"),
        titled("Area", "area"),
    ]
    out.tables.append(Table("", columns, rows))
    moved = Counter(e.kind for e in review.model.log)
    if not short and moved:
        out.words.append(
            "The transfer notes " + ", ".join(f"{n} × {kind}" for kind, n in moved.most_common()) + "."
        )


@chapter("corrections", "Corrections")
def corrections_chapter(out: Chapter, review: Review, short: bool) -> None:
    rows: list[list[Cell | str]] = [
        [str(k), e.message, Cell(some(e.ids), None, e.ids)]
        for k, e in enumerate((e for e in review.model.log if e.kind == "corrected"), 1)
    ]
    if rows:
        out.tables.append(
            shortened(Table("", ["No.", "What was changed", "Parts"], rows), short, "review.json")
        )
