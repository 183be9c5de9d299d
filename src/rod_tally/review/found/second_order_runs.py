"""Combinations that could not be computed with second-order effects."""

from __future__ import annotations

from collections.abc import Sequence

from ...checks.loading.arrival import unused
from ...checks.registry import listed
from ...model import Combination, Finding
from ...words import and_more
from ..review import Review

NAMED = 4


def second_order_runs(done: Review, left: Sequence[str]) -> list[Finding]:
    """Return what of the combinations could not be computed with second-order effects, and cases that none
    of them holds."""
    held = {n for c in done.stated for n, v in c.factors.items() if v}
    own = [c.name for c in done.model.cases.values() if not c.is_combination and not c.empty]
    out = list(unused([n for n in own if held and n not in held], len(done.stated)))
    past = [n for n in done.results.unsettled if n in done.model.cases and done.model.cases[n].is_combination]
    if past:
        text = (
            f"{listed(past[:NAMED])}{and_more(past, NAMED)} find no balance in the displaced "
            "shape: their loads are beyond those that buckle the structure. They have no results."
        )
        out.append(Finding("run.second_order", "blocking", text, tuple(past), None, ("Accept, because…",)))
    linear = [c.name for c in done.stated if c.name not in (*done.results.second_order, *past)]
    if linear:
        text = (
            f"Without second-order effects: {listed(linear[:NAMED])}{' …' if len(linear) > NAMED else ''}, for something in the run moves "
            "freely or was left out."
        )
        out.append(Finding("run.linear", "warning", text, (), None, ("Accept, because…",)))
    if left:
        text = (
            f"{len(left)} combinations hold responses without a sign, or are named as a case is, and are not computed with second-order effects: "
            f"{listed(list(left[:NAMED]))}{' …' if len(left) > NAMED else ''}."
        )
        out.append(Finding("run.linear", "warning", text, (), None, ("Accept, because…",)))
    return out


def buckling_findings(done: Review, sums: Sequence[Combination]) -> list[Finding]:
    """Return what of the asked buckling factors is not there, or was computed otherwise than the building
    acts."""
    parts = []
    found = {x.combination for x in done.buckling}
    never = [c.name for c in sums if c.name not in found]
    if never:
        more = " …" if len(never) > NAMED else ""
        parts.append(
            f"{len(never)} of {len(sums)} have no factor ({listed(never[:NAMED])}{more}): nothing in them buckles, they hold responses "
            "without a sign, or the run has parts that move freely"
        )
    model = done.model
    bound = len(model.one_way) + len(model.lifting) + len(model.standing) + len(model.leaning)
    if bound:
        many = "parts that act" if bound > 1 else "part that acts"
        parts.append(f"{bound} {many} one way counts both ways in them")
    if not parts:
        return []
    text = f"Buckling factors: {'; '.join(parts)}."
    return [Finding("run.buckling", "warning", text, (), None, ("Accept, because…",))]
