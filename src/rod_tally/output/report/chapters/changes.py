"""Chapters of comparison: with the reviewed revision, and with results from elsewhere."""

from __future__ import annotations

from collections import Counter

from ....analysis.stress.utilisation import FORMULA
from ....compare.causes import ORDERS, Causes
from ....compare.results.again import LookAgain
from ....review.review import Review
from ..parts import Cell, Chapter, Table, titled, value
from .registry import chapter, shortened

FORCE_QUANTITIES = {
    "n",
    "vy",
    "vz",
    "mt",
    "fx",
    "fy",
    "fz",
    "mx",
    "my",
    "mz",
    "nx",
    "ny",
    "nxy",
    "mxy",
    "vx",
    "shear_x",
    "shear_y",
}
SMALLEST_MOVE = 1e-4  # m, rad or s; less is no change to look at


def _plain(v: object) -> str:
    if isinstance(v, (list, tuple)):
        return "(" + ", ".join(_plain(x) for x in v) + ")" if len(v) < 8 else f"{len(v)} values"
    return f"{v:.5g}" if isinstance(v, float) else "none" if v is None else str(v)


@chapter("changes", "Changes since the reviewed revision")
def changes_chapter(out: Chapter, review: Review, short: bool) -> None:
    c = review.comparison
    if c is None:
        return
    count = Counter(m.status for m in c.parts)
    out.words.append("Members and surfaces: " + ", ".join(f"{n} {s}" for s, n in count.most_common()) + ".")
    rows: list[list[Cell | str]] = []
    for m in c.parts:
        if m.status == "same":
            continue
        ident = m.revised_id or m.baseline_id or ""
        part = review.model.part(ident)
        what = "; ".join(f"{x.what}: {_plain(x.was)} → {_plain(x.is_)}" for x in m.changes)
        name = part.name or ident if part is not None else ident
        rows.append(
            [m.status, m.cls, Cell(name, None, (ident,)), value(m.shift, "small") if m.shift else "", what]
        )
    if rows:
        columns = ["Status", "Class", "Part", titled("Shift", "small"), "What differs, was → is"]
        out.tables.append(shortened(Table("Members and surfaces", columns, rows), short, "review.json"))
    loads: list[list[Cell | str]] = [
        [x.status, x.case, str(x.on), x.what or "", f"{_plain(x.was)} → {_plain(x.is_)}"] for x in c.loads
    ]
    if loads:
        out.tables.append(
            shortened(
                Table("Loads", ["Status", "Case", "On", "What", "Was → is"], loads), short, "review.json"
            )
        )
    limits = review.settings.compare
    if c.again:
        out.tables.append(shortened(_again(review, c.again), short, "the window"))
        out.words.append(f"Demand is taken over {c.again_over}. Section used: {FORMULA}.")
    elif c.again_over:
        out.words.append(f"No part has more demand than was accepted, over {c.again_over}.")
    if review.causes:
        out.words.append(ORDERS)
    for found in review.causes:
        out.tables.append(_why(review, found))
    grown = []
    for x in c.results:
        relative, least = limits.of(x.quantity, None if x.quantity in FORCE_QUANTITIES else SMALLEST_MOVE)
        share = abs(x.change) / max(abs(x.baseline), abs(x.revised), 1e-300)
        if abs(x.change) > least and share > relative:
            grown.append((share, x))
    grown.sort(key=lambda g: (-g[0], -abs(g[1].change)))
    again: list[list[Cell | str]] = [
        [
            x.quantity,
            x.case,
            Cell(x.revised_id or "all supports", None, (x.revised_id,) if x.revised_id else ()),
            Cell(f"{x.baseline:.5g}", x.baseline),
            Cell(f"{x.revised:.5g}", x.revised),
            f"{share:.0%}",
        ]
        for share, x in grown
    ]
    if again:
        columns = ["Quantity", "Case", "Part", "Was, SI", "Is, SI", "Of the larger"]
        title = f"{len(again)} results that changed by more than {limits.relative:.0%}{' or a tolerance of their own' if limits.tolerance else ''}, most first"
        out.tables.append(shortened(Table(title, columns, again), short, "review.json"))


def _again(review: Review, found: list[LookAgain]) -> Table:
    """Who must be looked at again, one row a part."""
    rows: list[list[Cell | str]] = []
    for x in found:
        part = review.model.part(x.revised_id)
        name = part.name or x.revised_id if part is not None else x.revised_id
        demand: list[Cell | str] = [""] * 4
        if x.why == "demand":
            demand = [
                "" if x.ratio is None else f"{x.ratio:.3g}",
                x.quantity,
                Cell(f"{x.was:.5g}", x.was),
                Cell(f"{x.is_:.5g}", x.is_),
            ]
        used = ["" if u is None else f"{u:.0%}" for u in (x.used_before, x.used_after)]
        rows.append([Cell(name, None, (x.revised_id,)), x.cls, x.why, *demand, x.by, *used])
    columns = [
        "Part",
        "Class",
        "Why",
        "New over accepted",
        "Of",
        "Accepted, SI",
        "New, SI",
        "By",
        "Section used before",
        "now",
    ]
    return Table(
        f"Parts to look at again: {len(found)}, the largest ratio of new to accepted demand first",
        columns,
        rows,
    )


def _why(review: Review, found: Causes) -> Table:
    """The causes of one change that were asked for."""
    r = found.of
    part = review.model.part(r.revised_id or "")
    name = (part.name or part.id) if part is not None else r.revised_id or "all supports"
    rows: list[list[Cell | str]] = [
        [", ".join(c.names), *(Cell(f"{v:.5g}", v) for v in (c.first, c.second, c.mean))]
        for c in found.causes
    ]
    rows.append(["in all", *[Cell(f"{r.change:.5g}", r.change)] * 3])
    title = f"Why {r.quantity} of {name} changed in {r.case}, SI: from {r.baseline:.5g} to {r.revised:.5g}"
    return Table(title, ["Cause", "First order", "Second order", "On average"], rows)


@chapter("elsewhere", "Results from elsewhere")
def elsewhere_chapter(out: Chapter, review: Review, short: bool) -> None:
    e = review.elsewhere
    if e is None:
        return
    out.words.append(f"{len(e.rows)} values compared, {len(e.unmatched)} rows matched nothing.")
    out.words += [
        f"{s.quantity}: a {s.kind} of {s.value:.6g} would make nearly all agree; it was not applied."
        for s in e.suspected
    ]
    worst = sorted(e.rows, key=lambda r: -abs(r.difference) / max(abs(r.ours), abs(r.theirs), 1e-30))
    rows: list[list[Cell | str]] = [
        [r.quantity, r.case, r.id, f"{r.ours:.5g}", f"{r.theirs:.5g}", f"{r.difference:.5g}"]
        for r in worst[: 30 if short else 200]
    ]
    if rows:
        out.tables.append(
            Table("Largest differences, SI", ["Quantity", "Case", "At", "Ours", "Theirs", "Difference"], rows)
        )
