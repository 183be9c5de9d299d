"""Key figures over all revisions of a project, side by side."""

from __future__ import annotations

from ...review.tallies.key_figures import KeyFigure, key_figures
from ..quantities import UnitSet
from ..session.state import DeskState, Revision
from .rows import Rows


def all_revisions(state: DeskState, units: UnitSet) -> Rows:
    """One row a figure, one column a revision, and the change of the last against the one before it."""
    revisions = state.revisions
    out = Rows(
        ["Figure", "Unit", *(r.name for r in revisions), "Last change", "Last change, %", "At, in the last"]
    )
    if not revisions:
        return out
    figures = [_figures(r) for r in revisions]
    names = dict.fromkeys(n for own in figures for n in own)
    for name in names:
        kind = next(own[name].kind for own in figures if name in own)
        factor, unit = _unit(kind, units)
        values = [own[name].value * factor if name in own else None for own in figures]
        last, before = values[-1], values[-2] if len(values) > 1 else None
        change = last - before if last is not None and before is not None else None
        share = 100 * change / abs(before) if change is not None and before else None
        place = figures[-1][name].place if name in figures[-1] else ""
        out.add([name, unit, *values, change, share, place or None])
    stale = [r.name for r in revisions if r.stale or not r.review.has_run]
    out.note = f"without results of {', '.join(stale)}: run again (F5)" if stale else ""
    return out


def _figures(revision: Revision) -> dict[str, KeyFigure]:
    out = {f.name: f for f in key_figures(revision.review)}
    findings = revision.review.findings
    open_ = [f for f in findings if revision.decision(f) == "open"]
    for name, count in (
        ("findings open", len(open_)),
        ("of these blocking", sum(f.severity == "blocking" for f in open_)),
        ("findings decided on", len(findings) - len(open_)),
    ):
        out[name] = KeyFigure(name, "count", float(count))
    return out


def _unit(kind: str, units: UnitSet) -> tuple[float, str]:
    if kind == "force":
        return units.force
    if kind == "small":
        return units.small
    return {"share": (100.0, "%"), "time": (1.0, "s")}.get(kind, (1.0, ""))
