"""Tables of a run: reactions, forces of members, their envelope."""

from __future__ import annotations

import numpy as np

from ...analysis.results.results import COMPONENTS, Results
from ...analysis.results.superpose import combined
from ...analysis.stress.section_stress import FORMULA
from ...analysis.stress.utilisation import KINDS
from ..quantities import FORCE_KIND, UnitSet
from ..session.state import DeskState
from .rows import Rows

MOST_NODES = 5000  # in a table; a spreadsheet of all tables has them all

NO_SUM = "no cases of runs were added up (Run, Runs…), or the model has changed since"

MOST_REACTIONS = 50_000  # rows; more than anybody reads


def _six(of: str, units: UnitSet) -> Rows:
    """An empty table of forces and moments at nodes."""
    f, m = units.force[1], units.moment[1]
    return Rows(
        [of, "Node", *(f"{a}, {f}" for a in ("Fx", "Fy", "Fz")), *(f"{a}, {m}" for a in ("Mx", "My", "Mz"))]
    )


def reactions(state: DeskState, units: UnitSet) -> Rows:
    out = _six("Case", units)
    review = state.review
    if review is None:
        return out
    r = review.results
    index = {n: i for i, n in enumerate(r.node_ids)}
    for e in r.equilibrium:
        for label, total in (("applied, in all", e.applied), ("reactions, in all", e.reaction)):
            out.add(
                [
                    e.case,
                    label,
                    *(float(v) * units.force[0] for v in total[:3]),
                    *(float(v) * units.moment[0] for v in total[3:]),
                ]
            )
    for c, case in enumerate(r.cases):
        for s, n in enumerate(r.support_ids):
            if r.node_done[c, index[n]]:
                v = r.reaction[c, s]
                values: list[object] = [float(x) * units.force[0] for x in v[:3]]
                values += [float(x) * units.moment[0] for x in v[3:]]
                out.add([case, n, *values], ("node", n))
    return out


def combined_reactions(state: DeskState, units: UnitSet) -> Rows:
    """Reactions of every combination: in all, then at each support; those of spectra without sign as they
    are."""
    out = _six("Combination", units)
    review = state.review
    if review is None:
        return out
    r = review.results
    index = np.array([r.node_ids.index(n) for n in r.support_ids], np.int64)
    factor = np.array([units.force[0]] * 3 + [units.moment[0]] * 3)
    named = review.computed_combinations
    for k, c in enumerate(named):
        if len(out.rows) + len(index) > MOST_REACTIONS:
            out.note = f"{len(named) - k} more combinations are in envelopes.csv, with what acts together"
            break
        one = combined(r, c)
        done = one.node_done[0, index]
        if c.roots:  # sizes without sign do not add up
            out.add([c.name, "without sign, no sum"])
        else:
            sums = one.reaction[0, done, :3].sum(axis=0) * units.force[0]
            out.add([c.name, "in all", *(float(v) for v in sums)])
        for s in np.flatnonzero(done):
            values = one.reaction[0, s] * factor
            out.add([c.name, r.support_ids[s], *(float(v) for v in values)], ("node", r.support_ids[s]))
    return out


def _computed(state: DeskState, out: Rows) -> Results | None:
    """The results that hold the shown case; None, said in the note, where it was not computed."""
    if state.review is None:
        return None
    r = state.review.shown(state.case)
    if state.case not in r.cases:
        out.note = f"{state.case or 'no case'} was not computed"
        return None
    return r


def displacements(state: DeskState, units: UnitSet) -> Rows:
    """Movements of the model's nodes in the case that is shown, the largest first."""
    s = units.small[1]
    out = Rows(
        [
            "Node",
            "Storey",
            *(f"{a}, {s}" for a in ("ux", "uy", "uz", "size")),
            *(f"{a}, mrad" for a in ("rx", "ry", "rz")),
        ]
    )
    review, r = state.review, _computed(state, out)
    if review is None or r is None:
        return out
    c = r.case_index(state.case)
    named = np.array([n in review.model.nodes for n in r.node_ids], bool) & r.node_done[c]
    u = r.displacement[c]
    size = np.linalg.norm(u[:, :3], axis=1)
    at = np.flatnonzero(named)
    at = at[np.argsort(-size[at], kind="stable")]
    shown = at[:MOST_NODES]
    cut = (
        f"; the {MOST_NODES:,} largest of {len(at):,}, all are in the spreadsheet"
        if len(at) > len(shown)
        else ""
    )
    inner = size[r.node_done[c]].max(initial=0.0)
    more = (
        f"; largest anywhere {inner * units.small[0]:.4g} {s}"
        if len(at) and inner > size[at[0]] * 1.0001
        else ""
    )
    out.note = f"Case {state.case}, nodes of the model{more}{cut}"
    for n in shown.tolist():
        ident = r.node_ids[n]
        z = float(review.model.nodes[ident].point[2])
        moved = [*(float(v) * units.small[0] for v in u[n, :3]), float(size[n]) * units.small[0]]
        out.add(
            [ident, review.model.storey_of(z), *moved, *(float(v) * 1e3 for v in u[n, 3:])], ("node", ident)
        )
    return out


def forces(state: DeskState, units: UnitSet) -> Rows:
    """Lowest and highest of each component of each member in the case that is shown."""
    out = Rows(["Member", "Storey", "Section"])
    for k in COMPONENTS:
        unit = getattr(units, FORCE_KIND[k])[1]
        out.columns += [f"{k} low, {unit}", f"{k} high"]
    review = state.review
    if review is None:
        return out
    r = review.shown(state.case)
    if state.case not in r.cases:
        return out
    out.note = f"{'Case' if r is review.results else 'Combination'} {state.case}"
    low, high = r.extremes(r.case_index(state.case))
    done = r.member_done[r.case_index(state.case)]
    factor = np.array([getattr(units, FORCE_KIND[k])[0] for k in COMPONENTS])
    for n, ident in enumerate(r.member_ids):
        if not done[n]:
            continue
        m, wall = review.model.members.get(ident), review.model.surfaces.get(ident)
        pairs = np.column_stack([low[n] * factor, high[n] * factor]).ravel().tolist()
        if m is not None:
            out.add([m.name or ident, m.storey, m.section, *pairs], ("member", ident))
        elif wall is not None:
            out.add([wall.name or ident, wall.storey, "wall as a column", *pairs], ("surface", ident))
    return out


def stresses(state: DeskState, units: UnitSet) -> Rows:
    """Normal, shear and equivalent stress of each member's section in the shown case, the most stressed
    first."""
    titles = [f"{name}, N/mm²" for name in ("Highest normal", "Lowest normal", "Shear", "Equivalent")]
    places = [part for title in titles for part in (title, "at, m")]
    out = Rows(["Member", "Class", "Storey", "Section", *places, "Strength, N/mm²", "% of it"])
    review, r = state.review, _computed(state, out)
    if review is None or r is None:
        return out
    found, unknown = review.member_stresses(state.case)
    begin = np.searchsorted(r.station_member, np.arange(len(r.member_ids) + 1))
    rows = []
    for k, ident in enumerate(r.member_ids):
        m, own = review.model.members.get(ident), slice(begin[k], begin[k + 1])
        if m is None or ident in unknown or begin[k] == begin[k + 1]:
            continue
        x = r.station_x[own]
        values: list[object] = [m.name or ident, m.cls, m.storey, m.section]
        for name in ("highest", "lowest", "shear", "equivalent"):
            stress = found[name][own]
            at = int(stress.argmin() if name == "lowest" else stress.argmax())
            values += [float(stress[at]) * 1e-6, float(x[at])]
        largest = float(found["equivalent"][own].max())
        material = review.model.materials.get(m.material)
        strength = material.strength if material is not None and material.kind in KINDS else None
        values += [strength * 1e-6 if strength else None, 100 * largest / strength if strength else None]
        rows.append((-largest, ident, values))
    for _, ident, values in sorted(rows, key=lambda row: row[:2]):
        out.add(values, ("member", ident))
    left = len([i for i in unknown if i in review.model.members])
    out.note = f"{state.case}: {FORMULA}; no buckling" + (
        f"; {left} members without outline, or not computed, left out" if left else ""
    )
    return out


def envelope(state: DeskState, units: UnitSet) -> Rows:
    """Lowest and highest of the shown component of each member over all combinations, where, and by which."""
    kind = FORCE_KIND[state.component]
    factor, unit = getattr(units, kind)
    out = Rows(
        [
            "Member",
            "Class",
            "Storey",
            "Section",
            f"{state.component} low, {unit}",
            "at, m",
            "by",
            f"{state.component} high, {unit}",
            "at, m",
            "by",
        ]
    )
    review = state.review
    if review is not None and review.envelopes.waiting:
        out.note = "Run, Envelope of forces works it out"
        return out
    found = review.envelopes.members(state.envelope_of) if review is not None else None
    if review is None or found is None:
        out.note = "no combination of this kind was computed"
        return out
    over, of = found
    out.note = (
        f"{state.component} over {len(over.combinations)} {state.envelope_of + ' combinations' if state.envelope_of else 'combinations of every kind'}; "
        "Force and Case above the view choose others"
    )
    k = COMPONENTS.index(state.component)
    done = np.atleast_1d(review.results.member_done.any(axis=0))
    for n, ident in enumerate(review.results.member_ids):
        m = review.model.members.get(ident)
        if m is None or not done[n]:
            continue
        low, high = float(of.low[n, k]) * factor, float(of.high[n, k]) * factor
        names = [over.combinations[int(by[n, k])].name for by in (of.low_by, of.high_by)]
        out.add(
            [
                m.name or ident,
                m.cls,
                m.storey,
                m.section,
                low,
                float(of.low_x[n, k]),
                names[0],
                high,
                float(of.high_x[n, k]),
                names[1],
            ],
            ("member", ident),
        )
    return out


def summed_forces(state: DeskState, units: UnitSet) -> Rows:
    """Forces of members over the cases of kept runs that were added up."""
    factors = [getattr(units, FORCE_KIND[c]) for c in COMPONENTS]
    out = Rows(
        [
            "Member",
            "Storey",
            "At, m",
            *(f"{c}, {unit}" for c, (_, unit) in zip(COMPONENTS, factors)),
            "Not in",
        ]
    )
    revision = state.revision
    if revision is None or revision.run_sum is None:
        out.note = NO_SUM
        return out
    found, model = revision.run_sum, revision.review.model
    out.note = found.words
    scale = np.array([factor for factor, _ in factors])
    chosen = set(state.chosen("member")) or set(found.members)
    for ident, (x, force) in found.members.items():
        part = model.part(ident)
        if part is None or ident not in chosen:
            continue
        absent = ", ".join(found.absent.get(ident, ())) or None
        kind = "member" if ident in model.members else "surface"
        for at, values in zip(x.tolist(), (force * scale).tolist()):
            out.add([part.name or ident, part.storey, at * units.length[0], *values, absent], (kind, ident))
    return out


def summed_reactions(state: DeskState, units: UnitSet) -> Rows:
    """Reactions over the cases of kept runs that were added up, and their sum."""
    out = Rows(
        ["Node", *(f"F{k}, {units.force[1]}" for k in "xyz"), *(f"M{k}, {units.moment[1]}" for k in "xyz")]
    )
    revision = state.revision
    if revision is None or revision.run_sum is None:
        out.note = NO_SUM
        return out
    found = revision.run_sum
    out.note = found.words
    scale = np.array([units.force[0]] * 3 + [units.moment[0]] * 3)
    forces = sum((v[:3] for v in found.supports.values()), np.zeros(3)) * units.force[0]
    out.add(["in all", *forces.tolist()])
    for node, values in found.supports.items():
        out.add([node, *(values * scale).tolist()], ("node", node))
    return out
