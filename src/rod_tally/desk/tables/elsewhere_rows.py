"""Results from elsewhere against ours, and what of them was matched by nothing."""

from __future__ import annotations

from ..quantities import UnitSet
from ..session.state import DeskState
from .change_rows import unit_of
from .rows import Pick, Rows

MOST = 20_000  # rows of a table on the screen
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
