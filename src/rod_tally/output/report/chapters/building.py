"""Chapters on how the building answers: modes, storeys, displacements."""

from __future__ import annotations

from ....review.review import Review
from ..parts import Cell, Chapter, Table, titled, value
from .registry import chapter, shortened


@chapter("modes", "Modes")
def modes_chapter(out: Chapter, review: Review, short: bool) -> None:
    rows: list[list[Cell | str]] = [
        [str(k.mode), value(k.period, "period"), *(value(v, "share") for v in (k.mass_x, k.mass_y, k.mass_z))]
        for k in review.modes
    ]
    if rows:
        columns = ["Mode", titled("Period", "period"), *(titled(f"Mass {a}", "share") for a in "xyz")]
        out.tables.append(shortened(Table("", columns, rows), short, "review.json"))


@chapter("storeys", "Storeys")
def storeys_chapter(out: Chapter, review: Review, short: bool) -> None:
    kinds = (
        ("shear_x", "force"),
        ("shear_y", "force"),
        ("drift_x", "small"),
        ("drift_y", "small"),
        ("fz", "force"),
        ("mass", "mass"),
    )
    rows: list[list[Cell | str]] = [
        [s.case, s.storey, value(s.elevation, "length"), *(value(getattr(s, n), k) for n, k in kinds)]
        for s in review.storeys
    ]
    if rows:
        names = ("Shear x", "Shear y", "Drift x", "Drift y", "Vertical load", "Mass")
        columns = [
            "Case",
            "Storey",
            titled("Level", "length"),
            *(titled(n, k) for n, (_, k) in zip(names, kinds)),
        ]
        out.tables.append(shortened(Table("", columns, rows), short, "storeys.csv"))


@chapter("displacements", "Displacements")
def displacements_chapter(out: Chapter, review: Review, short: bool) -> None:
    r = review.results
    rows: list[list[Cell | str]] = []
    for c, case in enumerate(r.cases):
        if not r.node_done[c].any():
            continue
        cells: list[Cell | str] = [case]
        for d in range(3):
            u = r.displacement[c, :, d]
            k = int(abs(u).argmax())
            cells += [value(float(u[k]), "small"), r.node_ids[k]]
        rows.append(cells)
    if rows:
        columns = ["Case"]
        for axis in "xyz":
            columns += [titled(f"Largest u{axis}", "small"), "at node"]
        out.tables.append(shortened(Table("", columns, rows), short, "displacements.csv"))
