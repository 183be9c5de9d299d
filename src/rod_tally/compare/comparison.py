"""The whole comparison of two revisions: levels, members, cases, results."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy.spatial import cKDTree

from ..analysis.results.results import COMPONENTS, Results
from ..model import Finding, Model
from .match import MemberMatch, Transform, match_members
from .stacks import continued_stacks
from .surfaces import match_surfaces

LEVEL = 0.01  # m; levels closer than this are the same one
NODE_REACH = 0.3  # m; a support of the revision this near to one of the baseline is compared with it
REACTIONS = ("fx", "fy", "fz", "mx", "my", "mz")


@dataclass(slots=True)
class LevelMatch:
    elevation: float
    name: str
    status: str


@dataclass(slots=True)
class CaseMatch:
    name: str
    status: str


@dataclass(slots=True)
class ResultChange:
    """One quantity on both sides, SI; `change` is revised - baseline. Ids are of members or nodes, None for a total."""

    quantity: str
    case: str
    baseline_id: str | None
    revised_id: str | None
    baseline: float
    revised: float

    @property
    def change(self) -> float:
        return self.revised - self.baseline


@dataclass(slots=True)
class Comparison:
    transform: Transform | None = None
    levels: list[LevelMatch] = field(default_factory=list)
    members: list[MemberMatch] = field(default_factory=list)
    cases: list[CaseMatch] = field(default_factory=list)
    results: list[ResultChange] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)

    def count(self, status: str) -> int:
        return sum(m.status == status for m in self.members)


def compare(base: Model, revised: Model, base_run: Results | None, revised_run: Results | None) -> Comparison:
    """Hold a revision against its baseline; neither is changed. Without runs the results stay empty."""
    members, transform, ambiguous = match_members(base, revised)
    surfaces = match_surfaces(base, revised, transform)
    out = Comparison(transform, _levels(base, revised, transform), [*members, *surfaces], _cases(base, revised))
    if base_run is not None and revised_run is not None:
        out.results = [
            *_member_changes(members, base_run, revised_run),
            *_reaction_changes(base_run, revised_run, transform),
            *_displacement_changes(base_run, revised_run),
        ]
    if transform is not None:
        x, y, z = transform.shift
        text = f"turned by {np.degrees(transform.angle):.4g} degrees and " if abs(transform.angle) > 1e-9 else ""
        out.findings.append(
            Finding(
                "match.transform",
                "note",
                f"The whole revision is {text}shifted by ({x:.3f}, {y:.3f}, {z:.3f}) m; members are compared without it.",
            )
        )
    out.findings += continued_stacks(revised, members)
    for ident, rivals in ambiguous:
        out.findings.append(
            Finding(
                "match.ambiguous",
                "warning",
                f"Member {ident} of the revision could be any of {', '.join(rivals)} of the baseline; the first was taken.",
                (ident, *rivals),
                None,
                ("Choose by hand",),
            )
        )
    return out


def _levels(base: Model, revised: Model, transform: Transform | None) -> list[LevelMatch]:
    raised = transform.shift[2] if transform else 0.0
    old = [(s.elevation + float(base.origin[2]), s.name) for s in base.storeys]
    new = [(s.elevation + float(revised.origin[2]) - raised, s.name) for s in revised.storeys]
    out = []
    for z, name in new:
        known = any(abs(z - other) <= LEVEL for other, _ in old)
        out.append(LevelMatch(z + raised, name, "same" if known else "added"))
    for z, name in old:
        if not any(abs(z - other) <= LEVEL for other, _ in new):
            out.append(LevelMatch(z, name, "removed"))
    return sorted(out, key=lambda level: level.elevation)


def _cases(base: Model, revised: Model) -> list[CaseMatch]:
    out = [CaseMatch(n, "same" if n in base.cases else "added") for n in revised.cases]
    return out + [CaseMatch(n, "removed") for n in base.cases if n not in revised.cases]


def largest(results: Results) -> dict[str, list[float]]:
    """Per member the value of largest size of each component over all cases, with its sign."""
    low, high = results.envelope()
    value = np.where(-low > high, low, high)
    computed = np.atleast_1d(results.member_done.any(axis=0))
    return {m: value[k].tolist() for k, m in enumerate(results.member_ids) if computed[k]}


def _member_changes(members: list[MemberMatch], base: Results, revised: Results) -> list[ResultChange]:
    old, new = largest(base), largest(revised)
    out = []
    for m in members:
        if m.baseline_id in old and m.revised_id in new:
            for k, quantity in enumerate(COMPONENTS):
                a, b = old[m.baseline_id][k], new[m.revised_id][k]
                out.append(ResultChange(quantity, "envelope", m.baseline_id, m.revised_id, a, b))
    return out


def _reaction_changes(base: Results, revised: Results, transform: Transform | None) -> list[ResultChange]:
    out: list[ResultChange] = []
    shared = [c for c in revised.cases if c in base.cases]
    for case in shared:
        a, b = base.reaction[base.case_index(case)], revised.reaction[revised.case_index(case)]
        for k, q in enumerate(REACTIONS[:3]):
            out.append(ResultChange(f"total {q}", case, None, None, float(a[:, k].sum()), float(b[:, k].sum())))
    (sb, ib), (sr, ir) = (_supports_of_the_model(r) for r in (base, revised))
    if not len(ib) or not len(ir):
        return out
    places = revised.xyz[ir] if transform is None else transform.undo(revised.xyz[ir])
    distance, near = cKDTree(base.xyz[ib]).query(places, distance_upper_bound=NODE_REACH)
    for k, d in enumerate(distance):
        if not np.isfinite(d):
            continue
        old, new = base.support_ids[sb[near[k]]], revised.support_ids[sr[k]]
        for case in shared:
            cb, cr = base.case_index(case), revised.case_index(case)
            if not (base.node_done[cb, ib[near[k]]] and revised.node_done[cr, ir[k]]):
                continue
            before, after = base.reaction[cb, sb[near[k]]], revised.reaction[cr, sr[k]]
            for name, x, y in zip(REACTIONS, before, after):
                out.append(ResultChange(f"reaction {name}", case, old, new, float(x), float(y)))
    return out


def _supports_of_the_model(r: Results) -> tuple[list[int], list[int]]:
    """Which supports, and their nodes, are the model's own: corners of elements on a held edge differ from mesh to mesh, and
    are compared in total only."""
    index = {n: i for i, n in enumerate(r.node_ids)}
    last = len(r.node_ids) if r.plates is None else r.plates.named
    rows = [(s, index[n]) for s, n in enumerate(r.support_ids) if index[n] < last]
    return [s for s, _ in rows], [n for _, n in rows]


def _displacement_changes(base: Results, revised: Results) -> list[ResultChange]:
    out = []
    for case in revised.cases:
        if case not in base.cases:
            continue
        a = base.largest_displacement(base.case_index(case))
        b = revised.largest_displacement(revised.case_index(case))
        if a and b:
            out.append(ResultChange("largest displacement", case, a[0], b[0], a[1], b[1]))
    return out
