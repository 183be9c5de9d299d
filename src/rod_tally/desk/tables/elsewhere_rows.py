"""Results from elsewhere against ours, what of them was matched by nothing, design results of parts before and
after, and what is above a limit."""

from __future__ import annotations

import numpy as np

from ...analysis.shells.fields import PLATE_COMPONENTS
from ...analysis.shells.quantities import unit_kind
from ...model import Member
from ...model.geometry.grids import place_on_grids
from ...review.found.limits import NODES
from ..quantities import UnitSet
from ..session.state import DeskState
from .change_rows import unit_of
from .rows import Pick, Rows

MOST = 20_000  # rows of a table on the screen
SAME = 0.005  # share by which a design result may rise and count as the same
NONE = "Nothing from elsewhere is compared: Compare, Results from elsewhere…"


def elsewhere(state: DeskState, units: UnitSet) -> Rows:
    """Every value on both sides: those beyond the tolerances first, the largest share first."""
    out = Rows(
        ["Quantity", "Case", "Part or node", "At", "Ours", "Theirs", "Difference", "% of ours", "Beyond"]
    )
    review = state.review
    if review is None or review.elsewhere is None:
        out.note = NONE
        return out
    e = review.elsewhere
    differ = {id(r) for r in e.differ}
    for r in [*e.differ, *(r for r in e.rows if id(r) not in differ)][:MOST]:
        factor, unit = unit_of(r.quantity, False, units)
        part = review.model.part(r.id)
        at = r.at if not isinstance(r.at, tuple) else ", ".join(f"{v:.2f}" for v in r.at)
        pick: Pick = ("member", r.id) if r.id in review.model.members else None
        if r.id in review.model.nodes:
            pick = ("node", r.id)
        share = 100 * r.difference / abs(r.ours) if r.ours else None
        values = [
            r.ours * factor,
            r.theirs * factor,
            r.difference * factor,
            share,
            "yes" if id(r) in differ else None,
        ]
        name = (part.name or r.id) if part is not None else r.id
        out.add([f"{r.quantity}, {unit}", r.case, name, at, *values], pick)
    suspected = "; ".join(
        f"{s.quantity}: {'the sign' if s.kind == 'sign' else f'a factor of {s.value:.6g}'} would make nearly all agree"
        for s in e.suspected
    )
    more = f", the first {MOST:,} are listed" if len(e.rows) > MOST else ""
    note = f"{len(e.differ):,} of {len(e.rows):,} values beyond the tolerances{more}, {len(e.unmatched):,} rows matched by nothing"
    out.note = note + (f"; {suspected}" if suspected else "")
    return out


def unmatched(state: DeskState, units: UnitSet) -> Rows:
    """Rows from elsewhere that no result of ours stands against, and columns that were not read."""
    out = Rows(["Case", "Part or node", "At", "Why"])
    review = state.review
    if review is None or review.elsewhere is None:
        out.note = NONE
        return out
    for u in review.elsewhere.unmatched[:MOST]:
        at = ", ".join(f"{v:.2f}" for v in u.at) if isinstance(u.at, tuple) else u.at
        out.add([u.case, u.id, at, u.reason])
    for where, heading in review.elsewhere.columns:
        out.add([None, heading, where, "a column that was not read"])
    return out


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
            "Demand",
        ]
    )
    twin: dict[str, list[str]] = {}
    for m in comparison.parts if comparison is not None else ():
        if m.revised_id is not None and m.baseline_id is not None:
            twin.setdefault(m.revised_id, []).append(m.baseline_id)
    risen = {x.revised_id for x in comparison.again if x.why == "demand"} if comparison is not None else set()
    told_demand = comparison is not None and bool(comparison.again_over)
    rows = []
    seen: set[str] = set()
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
            if b is not None and (share is None or share > worst):
                worst = share if share is not None else max(worst, 1.0)
            values += [a, b, share]
        at = review.model.line(part).mean(axis=0) if isinstance(part, Member) else part.outer.mean(axis=0)
        pick: Pick = ("member" if isinstance(part, Member) else "surface", part.id)
        head: list[object] = [
            part.name or part.id,
            part.cls,
            part.storey,
            place_on_grids(review.model, at[:2]),
        ]
        seen.add(part.id)
        rows.append(
            (
                -worst,
                part.id,
                [*head, *values, _against_demand(part.id, worst, old, risen, told_demand)],
                pick,
            )
        )
    if told_demand and now is not None:
        for ident in sorted(risen - seen):
            part_ = review.model.part(ident)
            if part_ is not None:
                out_of = [part_.name or part_.id, part_.cls, part_.storey, None, *[None] * (3 * len(names))]
                kind = "member" if isinstance(part_, Member) else "surface"
                rows.append((-1.0, ident, [*out_of, "rose; no design result now"], (kind, ident)))
    for *_, row, pick in sorted(rows, key=lambda r: r[:2]):
        out.add(row, pick)
    told = [
        f"{d.source}: {len(d.values)} parts, {len(d.unread)} rows or columns not read"
        for d in (was, now)
        if d is not None
    ]
    out.note = "; ".join(told)
    return out


def _against_demand(
    ident: str, worst: float, old: list[dict[str, float]], risen: set[str], known: bool
) -> str | None:
    """Return whether the design result of a part went the way its demand did; None where both did, or
    nothing is known."""
    if not known or not old or worst == 0.0:
        return None
    if ident in risen and worst <= 1 + SAME:
        return "rose; the design result did not"
    if ident not in risen and worst > 1 + SAME:
        return "did not rise; the design result did"
    return None


def above_limits(state: DeskState, units: UnitSet) -> Rows:
    """Every place above a limit, the largest first; of a limit of which nothing can be told the reason."""
    out = Rows(["Quantity", "Limit", "Part", "Grid", "x, m", "y, m", "z, m", "Value", "Unit", "Combination"])
    review = state.review
    if review is None:
        return out
    if not review.settings.limits:
        out.note = (
            "No limit is given: Run, Slabs and walls, Values above a limit…, or [[limits]] in the settings"
        )
        return out
    told = []
    for x in review.limited:
        q = x.limit.quantity
        factor, unit = 1.0, ""
        if q in NODES:
            factor, unit = units.small
        elif q in PLATE_COMPONENTS:
            factor, unit = getattr(units, unit_kind(q))
            unit = f"{unit}/m"
        shown = f"{x.limit.most * factor:.5g} {unit}".strip()
        told.append(f"{q} above {shown}: {x.why_not or len(x.places)}")
        for p in x.places:
            at = [None] * 3 if p.at is None else (np.array(p.at) + review.model.origin).tolist()
            part = review.model.part(p.part)
            kind = "surface" if p.part in review.model.surfaces else "member"
            pick = (
                (kind, p.part)
                if part is not None
                else ("node", p.name)
                if p.name in review.model.nodes
                else None
            )
            out.add([q, x.limit.most * factor, p.name, p.grid, *at, p.value * factor, unit, p.by], pick)
    out.note = "; ".join(told)
    return out
