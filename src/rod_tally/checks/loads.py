"""Loads: do they arrive, once, and the right way?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..model import Finding, LoadCase
from .registry import Subject, check

GRAVITY_KINDS = ("dead", "live", "snow")


@check("load.empty", "case.untyped")
def find_plain_cases(s: Subject) -> Iterator[Finding]:
    """Cases without loads, and cases nobody gave a kind."""
    for case in s.model.cases.values():
        if case.empty:
            yield Finding("load.empty", "note", f"Load case {case.name} holds no loads.", (case.name,), None)
        if not case.kind:
            yield Finding(
                "case.untyped",
                "note",
                f"Load case {case.name} has no kind (dead, live, wind …); no combination can use it.",
                (case.name,),
                None,
                ("Give it a kind",),
            )


@check("load.lost")
def find_lost_loads(s: Subject) -> Iterator[Finding]:
    """Loads of a case that reached no computed part of the model, with the share lost."""
    for case in s.model.cases.values():
        unread = [i for i, _, _ in case.lost]
        missed = sum((np.array(f) for _, _, f in case.lost), np.zeros(3))
        arrived = np.zeros(3)
        if s.results is not None and case.name in s.results.applied:
            missed = missed + s.results.lost[case.name]
            arrived = s.results.applied[case.name]
        lost = float(np.abs(missed).max())
        whole = float(np.abs(arrived + missed).max())
        if not unread and lost <= 1e-9 * max(whole, 1.0):
            continue
        share = lost / whole if whole > 0 else 1.0
        parts = []
        if lost > 0:
            parts.append(
                f"{share:.1%} of load case {case.name} ({lost / 1000:.4g} kN) reached no part that was computed"
            )
        if unread:
            verb = "action was" if len(unread) == 1 else "actions were"
            parts.append(f"{len(unread)} {verb} not taken over ({case.lost[0][1].split(': ', 1)[-1]})")
        text = "; ".join(parts) if lost > 0 else f"In load case {case.name}, " + parts[0]
        yield Finding("load.lost", "warning", text + ".", (case.name, *unread), None, (), {"share": share})


@check("load.direction")
def find_upward_loads(s: Subject) -> Iterator[Finding]:
    """Gravity loads that act upwards in sum."""
    for case in s.model.cases.values():
        up = vertical(s, case)
        if (case.kind in GRAVITY_KINDS and up > 0) or case.self_weight[2] > 0:
            yield Finding(
                "load.direction",
                "warning",
                f"Load case {case.name} ({case.kind or 'self-weight'}) acts upwards: {up / 1000:.4g} kN in all.",
                (case.name,),
                None,
                ("Turn its sign",),
            )


def vertical(s: Subject, case: LoadCase) -> float:
    """Sum of a case's vertical force, N: from the run where there is one, else of its loads in global axes."""
    if s.results is not None and case.name in s.results.applied:
        return float(s.results.applied[case.name][2])
    total = sum(f.force[2] for f in case.node_loads)
    for load in case.member_loads:
        if load.kind == "force" and not load.local:
            total += load.qa[2] if load.a == load.b else (load.qa[2] + load.qb[2]) / 2 * (load.b - load.a)
    return total


@check("load.twice")
def find_double_weight(s: Subject) -> Iterator[Finding]:
    """Self-weight in more than one case, or more than once in one."""
    holding = [c for c in s.model.cases.values() if any(c.self_weight)]
    if len(holding) > 1:
        names = ", ".join(c.name for c in holding)
        yield Finding(
            "load.twice",
            "warning",
            f"Self-weight is in {len(holding)} load cases ({names}); used together they count it twice.",
            tuple(c.name for c in holding),
            None,
            ("Keep it in one of them",),
        )
    for case in holding:
        factor = float(np.linalg.norm(case.self_weight))
        if factor > 1.5:
            text = f"Load case {case.name} counts self-weight {factor:g} times."
            yield Finding("load.twice", "warning", text, (case.name,), None)
