"""Chapter: which guesses, defaults and findings the result depends on, and by how much."""

from __future__ import annotations

from ....review.effects.effect import FIRST, bands
from ....review.review import Review
from ..parts import Cell, Chapter, Table, titled, value
from .registry import chapter, shortened

KINDS = {
    "displacement": "small",
    "drift_x": "small",
    "drift_y": "small",
    "period": "period",
    "use": "share",
    "reaction": "force",
    "n": "force",
    "vy": "force",
    "vz": "force",
    "mt": "moment",
    "my": "moment",
    "mz": "moment",
}
NAMES = {
    "displacement": "Largest displacement",
    "drift_x": "Drift along x",
    "drift_y": "Drift along y",
    "period": "Longest period",
    "use": "Use of the section",
    "reaction": "Largest reaction",
}


@chapter("effects", "What the result depends on")
def effects_chapter(out: Chapter, review: Review, short: bool) -> None:
    found = sorted(review.effects, key=lambda e: e.rank)
    computed = [e for e in found if not e.fault]
    single = [e for e in computed if not e.both]
    if not found:
        return
    out.words.append(
        f"{len(single)} guesses, defaults and findings were each taken the other way, and the whole model was run with each. "
        "Sizes are the largest of the model, over all cases and combinations; parts are those with a force that changes by more than "
        "the tolerances of the comparison. What changes most of the use of sections and of reactions comes first."
    )
    rows: list[list[Cell | str]] = []
    for e in single:
        cells: list[Cell | str] = [Cell(e.title, ids=e.ids), *e.values, str(len(e.parts))]
        for q in FIRST:
            before, after = e.before[q].value, e.after[q].value
            same = abs(after - before) <= 1e-9 * max(before, after)
            cells.append(
                "" if same else Cell(f"{value(before, KINDS[q]).text} to {value(after, KINDS[q]).text}")
            )
        rows.append(cells)
    heads = [titled(NAMES[q], KINDS[q]) for q in FIRST]
    table = Table("Each by itself", ["What", "As it is", "Otherwise", "Parts", *heads], rows)
    out.tables.append(shortened(table, short, "effects.csv"))
    spans: list[list[Cell | str]] = []
    for q, size, low, lowest, high, highest in bands(computed):
        kind = KINDS[q]
        spans.append(
            [
                titled(NAMES.get(q, q), kind),
                value(size, kind),
                value(low, kind),
                "as it is" if lowest is None else f"{lowest.title}: {lowest.values[1]}",
                value(high, kind),
                "as it is" if highest is None else f"{highest.title}: {highest.values[1]}",
            ]
        )
    if spans and not short:
        out.tables.append(
            Table(
                "Between which values",
                ["Largest", "As it is", "Lowest", "with", "Highest", "with"],
                spans,
                f"Of each by itself, and of {len(computed) - len(single)} pairs of those that do most, computed together.",
            )
        )
    out.words += [f"No run with {e.title.lower()}: {e.is_}: {e.fault}." for e in found if e.fault]
