"""Utilisation, required reinforcement or the like of parts, as tables from elsewhere give them, before and
after."""

from __future__ import annotations

from ...model import Member
from ...model.geometry.grids import place_on_grids
from ..quantities import UnitSet
from ..session.state import DeskState
from .rows import Pick, Rows


def design(state: DeskState, units: UnitSet) -> Rows:
    """Every part that either table names, the largest share of new over old first; what one of the two does
    not give is empty."""
    revision, review, comparison = state.revision, state.review, state.comparison
    baseline = state.baseline
    now = revision.design if revision is not None else None
    was = baseline.design if baseline is not None else None
    if review is None or (now is None and was is None):
        out = Rows(["Part", "Class"])
        out.note = "No design results are here: Compare, Design results of this revision…, in either revision"
        return out
    names = list(dict.fromkeys([*(was.names if was else ()), *(now.names if now else ())]))
    out = Rows(
        [
            "Part",
            "Class",
            "Storey",
            "Grid",
            *(t for n in names for t in (f"{n} before", f"{n} now", "now over before")),
        ]
    )
    twin: dict[str, list[str]] = {}
    for m in comparison.parts if comparison is not None else ():
        if m.revised_id is not None and m.baseline_id is not None:
            twin.setdefault(m.revised_id, []).append(m.baseline_id)
    rows = []
    for part in review.model.parts():
        old = [was.values[i] for i in twin.get(part.id, ()) if i in was.values] if was else []
        new = now.values.get(part.id, {}) if now else {}
        if not old and not new:
            continue
        values: list[object] = []
        worst = 0.0
        for n in names:
            a = max((o[n] for o in old if n in o), default=None)
            b = new.get(n)
            share = b / a if a and b is not None else None
            worst = max(worst, share or 0.0)
            values += [a, b, share]
        at = review.model.line(part).mean(axis=0) if isinstance(part, Member) else part.outer.mean(axis=0)
        pick: Pick = ("member" if isinstance(part, Member) else "surface", part.id)
        head: list[object] = [
            part.name or part.id,
            part.cls,
            part.storey,
            place_on_grids(review.model, at[:2]),
        ]
        rows.append((-worst, part.id, [*head, *values], pick))
    for *_, row, pick in sorted(rows, key=lambda r: r[:2]):
        out.add(row, pick)
    told = [
        f"{d.source}: {len(d.values)} parts, {len(d.unread)} rows or columns not read"
        for d in (was, now)
        if d is not None
    ]
    out.note = "; ".join(told)
    return out
