"""Tables of how the building answers: by storey, down its stacks, at a node, in its modes."""

from __future__ import annotations

import numpy as np

from ...analysis.dynamics.mass import mass_cases
from ...analysis.results.balance import PARTS
from ...analysis.results.results import COMPONENTS
from ...analysis.results.stacks import stack_forces
from ..quantities import FORCE_KIND, UnitSet
from ..session.state import DeskState
from .rows import Pick, Rows

MOST_ROWS = 20_000  # of stations in a table; a spreadsheet of all tables has them all
SIX = ("Fx", "Fy", "Fz", "Mx", "My", "Mz")
GIVEN = {
    "loads": "loads above",
    "columns": "columns",
    "braces": "braces",
    "walls": "walls",
    "others": "other members, slabs",
    "arms": "rigid arms",
    "left": "left over",
    "member": "member",
    "surface": "slab, wall",
    "load": "load",
    "support": "support",
}

SAME_LEVEL = 0.1  # m; feet of columns this near to each other in height are at one level


def storeys(state: DeskState, units: UnitSet) -> Rows:
    """Loads, shears, drift and mass by storey in the case that is shown, the highest first."""
    f, small = units.force, units.small
    out = Rows(
        [
            "Storey",
            "Elevation, m",
            *(f"F{a}, {f[1]}" for a in "xyz"),
            f"Shear x, {f[1]}",
            "Shear y",
            f"Drift x, {small[1]}",
            "Drift y",
            "Drift / height",
            "Mass, t",
            "Centre x, m",
            "Centre y",
        ]
    )
    review = state.review
    rows = [r for r in review.storeys if r.case == state.case] if review is not None else []
    out.note = f"Case {state.case}" if rows else "of computed load cases"
    for below, r in reversed(list(zip([None, *rows], rows))):
        drift = [None if v is None else v * small[0] for v in (r.drift_x, r.drift_y)]
        ratio = None
        if below is not None and r.drift_x is not None and r.drift_y is not None:
            most = max(abs(r.drift_x), abs(r.drift_y))
            ratio = f"1/{(r.elevation - below.elevation) / most:.0f}" if most > 1e-9 else None
        out.add(
            [
                r.storey,
                r.elevation,
                *(v * f[0] for v in (r.fx, r.fy, r.fz, r.shear_x, r.shear_y)),
                *drift,
                ratio,
                r.mass / 1000,
                r.mass_x,
                r.mass_y,
            ]
        )
    return out


def modes(state: DeskState, units: UnitSet) -> Rows:
    """Periods and the mass each mode moves, with the running sums."""
    out = Rows(
        [
            "Mode",
            "Period, s",
            "Frequency, Hz",
            *(f"Mass {a}, %" for a in "xyz"),
            *(f"Sum {a}, %" for a in "xyz"),
        ]
    )
    review = state.review
    total = np.zeros(3)
    if review is not None:
        mass = ", ".join(
            f"{f:g} {n}" for n, f in mass_cases(review.model, review.settings.modes.mass).items()
        )
        out.note = f"mass from {mass}; a row shows its shape" if review.modes else "none were found"
    for m in review.modes if review is not None else ():
        own = np.array([m.mass_x, m.mass_y, m.mass_z])
        total += own
        out.add(
            [m.mode, m.period, 1 / m.period, *(own * 100).tolist(), *(total * 100).tolist()],
            ("mode", str(m.mode)),
        )
    return out


def centres(state: DeskState, units: UnitSet) -> Rows:
    """Where each storey's mass and stiffness have their centres, and whether pushing the storey turns it."""
    out = Rows(
        [
            "Storey",
            "Elevation, m",
            "Mass, t",
            "Mass x, m",
            "Mass y",
            "Stiffness x, m",
            "Stiffness y",
            "Off in x, m",
            "Off in y",
            "0.3 radius x, m",
            "0.3 radius y",
            "Gyration, m",
            "Turns",
        ]
    )
    review = state.review
    if review is None:
        return out
    out.note = (
        "turns: off by more than 0.3 of the torsional radius, or that below the mass's own (EN 1998-1 4.2.3.2)"
        if review.centres
        else "no storey has mass that is free to move"
    )
    for c in reversed(review.centres):
        off = c.eccentricity
        out.add(
            [
                c.name,
                c.elevation,
                c.mass / 1000,
                c.mass_x,
                c.mass_y,
                c.stiff_x,
                c.stiff_y,
                *off,
                0.3 * c.radius_x,
                0.3 * c.radius_y,
                c.gyration,
                "yes" if c.turns else "",
            ]
        )
    return out


def storey_cuts(state: DeskState, units: UnitSet) -> Rows:
    """Return what keeps the part of the building above each storey in equilibrium, the highest storey
    first."""
    f, m = units.force, units.moment
    titles = [f"{c}, {(f if c[0] == 'F' else m)[1]}" for c in SIX]
    out = Rows(["Between", "Level, m", "What acts on the part above", *titles, "Of Fx, %", "Of Fy, %"])
    review, case = state.review, state.case
    if review is None:
        return out
    found, out.note = review.storey_cuts(case)
    storeys_ = sorted(review.model.storeys, key=lambda s: s.elevation)
    following = {a.name: b.name for a, b in zip(storeys_, storeys_[1:])}
    origin = review.model.origin
    for cut in reversed(found):
        at = cut.place + origin
        load = cut.parts["loads"]
        for what in PARTS:
            v = cut.parts[what]
            if what not in ("loads", "left") and not v.any():
                continue
            shares: list[object] = [None, None]
            if what not in ("loads", "left"):
                size = float(np.abs(load[:3]).max())
                shares = [
                    float(-v[d] / load[d] * 100) if abs(load[d]) > 1e-4 * size else None for d in range(2)
                ]
            out.add(
                [
                    f"{cut.storey} and {following[cut.storey]}",
                    float(at[2]),
                    GIVEN[what],
                    *(v[:3] * f[0]).tolist(),
                    *(v[3:] * m[0]).tolist(),
                    *shares,
                ],
                tip=f"moments about ({at[0]:.2f}, {at[1]:.2f}, {at[2]:.2f}) m",
            )
    return out


def at_node(state: DeskState, units: UnitSet) -> Rows:
    """Return what everything that meets at the picked node gives it in the shown case."""
    f, m = units.force, units.moment
    out = Rows(["What gives it", "Name", *(f"{c}, {(f if c[0] == 'F' else m)[1]}" for c in SIX)])
    review, picked = state.review, state.picked
    if review is None:
        return out
    if picked is None or picked[0] != "node":
        out.note = "pick a node, by its row in Nodes or by Ctrl+F"
        return out
    given, out.note = review.at_node(state.case, picked[1])
    for g in given:
        part = review.model.members.get(g.ident) or review.model.surfaces.get(g.ident)
        pick: Pick = None
        if part is not None:
            pick = ("member" if g.ident in review.model.members else "surface", g.ident)
        name = (part.name or g.ident) if part is not None else ""
        out.add([GIVEN[g.what], name, *(g.force[:3] * f[0]).tolist(), *(g.force[3:] * m[0]).tolist()], pick)
    return out


def stacks(state: DeskState, units: UnitSet) -> Rows:
    """Axial force down each column stack in the shown case, from the top, and over all combinations."""
    f = units.force
    out = Rows(
        [
            "Stack",
            "Column",
            "Storey",
            "Foot, m",
            f"N head, {f[1]}",
            "N foot",
            "More than above",
            "Lowest N",
            "by",
            "Highest N",
            "by",
            "Foot before",
            "Change",
        ]
    )
    review, case = state.review, state.case
    if review is None:
        return out
    r = review.shown(case)
    if case not in r.cases:
        out.note = f"{case or 'no case'} was not computed"
        return out
    out.note = f"Case {case}; tension positive"
    found = None if review.envelopes.waiting else review.envelopes.members(state.envelope_of)
    if found is not None:
        out.note += f"; lowest and highest over {len(found[0].combinations)} {(state.envelope_of + ' combinations').strip()}"
    before, words = _feet_before(state)
    out.note += words
    index = {i: k for k, i in enumerate(r.member_ids)}
    for row in stack_forces(review.model, r, r.case_index(case), review.lines):
        member = review.model.members.get(row.member) or review.model.surfaces[row.member]
        over: list[object] = [None] * 4
        if found is not None:
            k, e = index[row.member], found[1]
            names = [c.name for c in found[0].combinations]
            over = [
                float(e.low[k, 0]) * f[0],
                names[int(e.low_by[k, 0])],
                float(e.high[k, 0]) * f[0],
                names[int(e.high_by[k, 0])],
            ]
        more = None if row.more is None else row.more * f[0]
        was = next((n for z, n in before.get(row.member, ()) if abs(z - row.elevation) <= SAME_LEVEL), None)
        out.add(
            [
                row.stack,
                member.name or row.member,
                member.storey,
                row.elevation,
                row.head * f[0],
                row.foot * f[0],
                more,
                *over,
                was * f[0] if was is not None else None,
                (row.foot - was) * f[0] if was is not None else None,
            ],
            ("member" if row.member in review.model.members else "surface", row.member),
        )
    return out


def _feet_before(state: DeskState) -> tuple[dict[str, list[tuple[float, float]]], str]:
    """Return what the revision's columns are in the baseline, by the revision's ids: heights (m, as the
    revision has them) and axial forces (N) at the feet of each storey's length, in the case that is the
    shown one's counterpart; and what to say of it."""
    baseline, comparison = state.baseline, state.comparison
    if baseline is None or comparison is None:
        return {}, ""
    case = next((c.baseline_name for c in comparison.cases if c.revised_name == state.case), None)
    if case is None or baseline.review.stale or case not in baseline.review.shown(case).cases:
        return {}, f"; {baseline.name} has no such case that was computed"
    results = baseline.review.shown(case)
    raised = float(comparison.transform.shift[2]) if comparison.transform is not None else 0.0
    feet: dict[str, list[tuple[float, float]]] = {}
    for row in stack_forces(baseline.review.model, results, results.case_index(case), baseline.review.lines):
        feet.setdefault(row.member, []).append((row.elevation + raised, row.foot))
    pairs: dict[str, list[str]] = {}
    for m in comparison.parts:
        if m.baseline_id is not None and m.revised_id is not None:
            pairs.setdefault(m.revised_id, []).append(m.baseline_id)
    found = {new: feet[old[0]] for new, old in pairs.items() if len(old) == 1 and old[0] in feet}
    return found, f"; before: {baseline.name}, case {case}"


def at_ends(state: DeskState, units: UnitSet) -> Rows:
    """Forces of the selected members, or of those shown, at their ends and in their middle in the shown
    case."""
    return _stations(state, units, False)


def at_stations(state: DeskState, units: UnitSet) -> Rows:
    """The same at all stations of the run."""
    return _stations(state, units, True)


def _stations(state: DeskState, units: UnitSet, every: bool) -> Rows:
    factors = [getattr(units, FORCE_KIND[c]) for c in COMPONENTS]
    out = Rows(
        [
            "Member",
            "Storey",
            "Section",
            "At, m",
            *(f"{c}, {unit}" for c, (_, unit) in zip(COMPONENTS, factors)),
        ]
    )
    review, case = state.review, state.case
    if review is None:
        return out
    r = review.shown(case)
    if case not in r.cases:
        out.note = f"{case or 'no case'} was not computed"
        return out
    chosen = set(state.chosen("member")) or state.shown_members()
    c = r.case_index(case)
    wanted = [k for k, i in enumerate(r.member_ids) if i in chosen and r.member_done[c, k]]
    begin = np.searchsorted(r.station_member, wanted)
    stop = np.searchsorted(r.station_member, wanted, "right")
    scale = np.array([factor for factor, _ in factors])
    rows = 0
    for k, a, b in zip(wanted, begin.tolist(), stop.tolist()):
        if rows > MOST_ROWS:
            break
        member = review.model.members.get(r.member_ids[k])
        if member is None or a == b:
            continue
        middle = a + int(np.abs(r.station_x[a:b] - r.station_x[b - 1] / 2).argmin())
        for s in range(a, b) if every else (a, middle, b - 1):
            values = (r.force[c, s] * scale).tolist()
            out.add(
                [member.name or member.id, member.storey, member.section, float(r.station_x[s]), *values],
                ("member", member.id),
            )
            rows += 1
    what = "the selected members" if state.chosen("member") else "the members shown"
    out.note = f"Case {case}: {what}" + (f"; the first {rows} rows, select fewer" if rows > MOST_ROWS else "")
    return out
