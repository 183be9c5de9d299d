"""Tables of slabs' and walls' forces, and of cuts."""

from __future__ import annotations

import numpy as np

from ...analysis.results.cuts import CUT_COMPONENTS, CutForces
from ...analysis.shells.fields import PLATE_COMPONENTS, PlateFields
from ...analysis.shells.quantities import FACES, quantity, unit_kind
from ...model.geometry.vectors import Array
from ...review.walls.wall_joints import capacity_of
from ...review.walls.wall_stability import governed, stability_in
from ..quantities import UnitSet
from ..session.state import DeskState
from .rows import Rows

WORDS = {"n": "N", "v": "V", "vz": "V out", "m": "M", "mb": "M out", "mt": "M across"}


CARRIES = {
    "shell": "carries as a shell in a run",
    "column": "stands for one column in a run",
    "two-way": "hands its loads on by yield lines",
    "one-way": "hands its loads on one way",
}


def surface_results(state: DeskState, units: UnitSet, ident: str) -> list[str]:
    """Return what the shown case gives of one slab or wall, in lines: how far it moves, and the range of
    each moment and force."""
    review, case = state.review, state.case
    fields = review.fields if review is not None and not review.fields_waiting else None
    stale = state.revision is not None and state.revision.stale
    if review is None or fields is None or stale or ident not in fields.plates.surfaces:
        return []
    r = review.shown(case)
    if case not in r.cases:
        return []
    c, k = r.case_index(case), fields.plates.surfaces.index(ident)
    nodes = fields.plates.nodes_of(ident)
    if not r.node_done[c][nodes].all():
        return []
    moved = float(np.linalg.norm(r.displacement[c][nodes, :3], axis=1).max())
    out = [f"{case}: moves up to {units.show(moved, 'small', 3)} {units.small[1]}; {len(nodes)} nodes"]
    values = fields.forces(r, c)[fields.corners.surface == k]
    for names, kind in ((PLATE_COMPONENTS[3:6], "moment"), (PLATE_COMPONENTS[:3], "force")):
        parts = []
        for name in names:
            own = values[:, PLATE_COMPONENTS.index(name)]
            parts.append(
                f"{name} {units.show(float(own.min()), kind, 3)} to {units.show(float(own.max()), kind, 3)}"
            )
        out.append(f"{', '.join(parts)} {getattr(units, kind)[1]}/m")
    return out


def _fields(state: DeskState, out: Rows) -> PlateFields | None:
    """Return what gives the forces of slabs and walls; None where there are none or not yet, with a word in
    the rows' note."""
    review = state.review
    if review is not None and review.fields_waiting:
        out.note = "Run, Slab and wall forces works them out"
        return None
    fields = review.fields if review is not None else None
    if fields is None:
        out.note = "no slab or wall was computed as a shell"
    return fields


def surface_forces(state: DeskState, units: UnitSet) -> Rows:
    """Lowest and highest of every component of each slab and wall in the case that is shown."""
    kinds = ["force"] * 3 + ["moment"] * 3 + ["force"] * 2
    titles = []
    for name, kind in zip(PLATE_COMPONENTS, kinds):
        titles += [f"{name} low, {getattr(units, kind)[1]}/m", f"{name} high"]
    out = Rows(["Surface", "Class", "Storey", "Elements", *titles])
    review, fields = state.review, _fields(state, out)
    if review is None or fields is None:
        return out
    r = review.shown(state.case)
    if state.case not in r.cases:
        out.note = f"{state.case or 'no case'} was not computed"
        return out
    out.note = f"Case {state.case}"
    values = fields.forces(r, r.case_index(state.case))
    factors = np.array([getattr(units, kind)[0] for kind in kinds])
    count = fields.plates.elements()
    for k, ident in enumerate(fields.plates.surfaces):
        s = review.model.surfaces.get(ident)
        own = values[fields.corners.surface == k] * factors
        if s is None or not len(own):
            continue
        low, high = own.min(axis=0), own.max(axis=0)
        out.add(
            [s.name or ident, s.cls, s.storey, count[ident], *np.column_stack([low, high]).ravel().tolist()],
            ("surface", ident),
        )
    return out


def surface_stresses(state: DeskState, units: UnitSet) -> Rows:
    """Largest equivalent stress of each slab and wall at its faces and in its middle in the shown case, the
    most stressed first."""
    out = Rows(
        [
            "Surface",
            "Class",
            "Storey",
            "Material",
            *(f"{face}, N/mm²" for face in ("Top", "Middle", "Bottom")),
            "Largest at, m",
        ]
    )
    review, fields = state.review, _fields(state, out)
    if review is None or fields is None:
        return out
    r = review.shown(state.case)
    if state.case not in r.cases:
        out.note = f"{state.case or 'no case'} was not computed"
        return out
    c = r.case_index(state.case)
    if review.without_sign(state.case):
        out.note = f"{state.case}: responses without sign have no equivalent stress; those of a face are in Force above the view"
        return out
    forces = fields.forces(r, c)
    thickness = np.array([fields.plates.shapes[s].thickness for s in fields.plates.surfaces])[
        fields.corners.surface
    ]
    found = np.stack([quantity(forces, thickness, f"se {face}") for face in FACES], axis=1)
    done = r.node_done[c][fields.corners.node]
    rows = []
    for k, ident in enumerate(fields.plates.surfaces):
        s, own = review.model.surfaces.get(ident), np.flatnonzero((fields.corners.surface == k) & done)
        if s is None or not len(own):
            continue
        largest = own[int(found[own].max(axis=1).argmax())]
        at = fields.plates.points[fields.corners.node[largest]] + review.model.origin
        values: list[object] = [
            s.name or ident,
            s.cls,
            s.storey,
            s.material,
            *(found[own].max(axis=0) * 1e-6).tolist(),
        ]
        rows.append((-float(found[largest].max()), ident, [*values, ", ".join(f"{v:.2f}" for v in at)]))
    for _, ident, values in sorted(rows, key=lambda row: row[:2]):
        out.add(values, ("surface", ident))
    out.note = (
        f"{state.case}: equivalent stress (von Mises) of n/t ± 6m/t², in the middle with the shears 1.5 v/t; at element corners, "
        "not averaged; under a column it grows with finer elements"
    )
    return out


def surfaces_over(state: DeskState, units: UnitSet) -> Rows:
    """Lowest and highest of the shown quantity of each slab and wall over all combinations, and which gives
    them."""
    name = state.plate
    kind = unit_kind(name)
    factor, unit = (1e-6, "N/mm²") if kind == "stress" else getattr(units, kind)
    unit = unit if kind == "stress" else f"{unit}/m"
    out = Rows(["Surface", "Class", "Storey", f"{name} low, {unit}", "by", f"{name} high, {unit}", "by"])
    review, fields = state.review, _fields(state, out)
    if review is None or fields is None:
        return out
    found = review.envelopes.known_plates(name, state.plate_averaged)
    if found is None:
        out.note = "Run, Maximum over combinations works it out"
        return out
    out.note = f"{name} over {len(found.combinations)} combinations; Force above the view chooses another"
    for k, ident in enumerate(fields.plates.surfaces):
        s = review.model.surfaces.get(ident)
        own = np.flatnonzero((fields.corners.surface == k) & found.done)
        if s is None or not len(own):
            continue
        low, high = own[int(found.low[own].argmin())], own[int(found.high[own].argmax())]
        names = [
            found.combinations[int(by[at])].name for by, at in ((found.low_by, low), (found.high_by, high))
        ]
        values = float(found.low[low]) * factor, float(found.high[high]) * factor
        out.add(
            [s.name or ident, s.cls, s.storey, values[0], names[0], values[1], names[1]], ("surface", ident)
        )
    return out


def wall_stability(state: DeskState, units: UnitSet) -> Rows:
    """Stability of each wall at the bottom and top of its storeys in the shown case, no joint pulling."""
    (ff, f), (fm, m) = units.force, units.moment
    out = Rows(
        [
            "Wall",
            "Storey",
            "Cut",
            "Length, m",
            f"N, {f}",
            f"V, {f}",
            f"M, {m}",
            "e, m",
            "Pressed, elastic, m",
            "Pressed, plastic, m",
            "Pressure, elastic, MPa",
            "Pressure, plastic, MPa",
            f"Tie, {f}",
            "Sliding",
            "Not said, and why",
        ]
    )
    review = state.review
    if review is None:
        return out
    own = review.settings.walls
    pressing = len({*review.model.standing, *review.model.leaning}) if review.settings.run.one_way else 0
    many = "1 wall" if pressing == 1 else f"{pressing} walls"
    pull = (
        f"the run lets joints pull, but for those of {many} that only press"
        if pressing
        else "the run itself lets joints pull"
    )
    out.note = f"Case {state.case}; N in compression; a tie {own.tie_edge:g} m from the edge, friction {own.friction:g} (settings, walls); {pull}"
    for p, values, b in stability_in(review, state.case):
        forces = [-values[0] * ff, values[1] * ff, values[4] * fm]
        found: list[object] = [None] * 7
        if not p.why_not:
            found = [
                _finite(b.eccentricity),
                _finite(b.elastic_length),
                _finite(b.plastic_length),
                _finite(b.elastic_pressure, 1e-6),
                _finite(b.plastic_pressure, 1e-6),
                _finite(b.tie, ff),
                _finite(b.sliding),
            ]
        words = [p.why_not, p.note]
        if not p.why_not and np.isinf(b.tie[0]):
            words.append("no tie holds it: too much pressure")
        if not p.why_not and np.isinf(b.sliding[0]):
            words.append("nothing presses its joint")
        row = [p.wall, p.storey, p.part, p.length, *forces, *found, "; ".join(w for w in words if w)]
        out.add(row, ("surface", p.ident))
    return out


def wall_stability_over(state: DeskState, units: UnitSet) -> Rows:
    """The worst of each wall's cuts over all combinations, with what governs it; no joint pulling."""
    ff, f = units.force
    out = Rows(["Wall", "Storey", "Cut", "Length, m", "Pressed, plastic, m", "in", "Pressure, plastic, MPa", "in", f"Tie, {f}", "in", "Sliding", "in", "Remarks"])  # fmt: skip
    review = state.review
    if review is None:
        return out
    found, what = governed(review)
    out.note = f"Over {what}: the shortest length, the highest pressure, the largest tie and sliding, each with what gives it"
    factors = {"plastic_length": 1.0, "plastic_pressure": 1e-6, "tie": ff, "sliding": 1.0}
    for x in found:
        p, words = x.panel, []
        cells: list[object] = [p.wall, p.storey, p.part, p.length]
        for name, factor in factors.items():
            value, by = x.worst.get(name, (np.nan, ""))
            cells += [value * factor if np.isfinite(value) else None, by]
            if name == "tie" and np.isinf(value):
                words.append(f"no tie holds it in {by}: too much pressure")
            if name == "sliding" and np.isinf(value):
                words.append(f"nothing presses its joint in {by}")
        out.add([*cells, "; ".join(words)], ("surface", p.ident))
    return out


def wall_joints(state: DeskState, units: UnitSet) -> Rows:
    """Forces along the upright edges at which walls are joined, in the shown case."""
    ff, f = units.force
    out = Rows(
        [
            "Wall",
            "Joined with",
            "Storey",
            "Length, m",
            f"V, {f}",
            f"V largest, {f}/m",
            "at height, m",
            f"N, {f}",
            f"Tension, {f}/m",
            f"Compression, {f}/m",
            f"Across, {f}",
            f"M, {units.moment[1]}",
            "Use",
        ]
    )
    review = state.review
    if review is None:
        return out
    own = review.settings
    plain = own.walls.joint_shear
    allowed = (
        f"use of {plain * ff:g} {f}/m" + (", or of the joint's own in [[joints]]" if own.joints else "")
        if plain
        else "use of the joint's own in [[joints]] (settings)"
        if own.joints
        else "no capacity is given (settings, walls.joint_shear and [[joints]])"
    )
    out.note = (
        f"Case {state.case}; what the joined walls give this one: V upwards along the joint, N in tension across it, "
        f"walls computed as shells; {allowed}"
    )
    for e, got in review.wall_joints(state.case):
        length = float(np.linalg.norm(e.line[1] - e.line[0]))
        others = [review.model.surfaces[i].name or i for i in e.others if i in review.model.surfaces]
        v, n, across, m = (float(x) for x in got.total)
        capacity = capacity_of(review.model, e, own)
        use = abs(got.shear) / capacity if capacity else None
        values = [
            v * ff,
            got.shear * ff,
            got.height,
            n * ff,
            got.tension * ff,
            got.compression * ff,
            across * ff,
        ]
        out.add(
            [e.wall, ", ".join(others), e.storey, length, *values, m * units.moment[0], use],
            ("surface", e.ident),
        )
    return out


def _finite(value: Array, factor: float = 1.0) -> float | None:
    return float(value[0]) * factor if np.isfinite(value[0]) else None


MOST_COMBINATIONS = 300  # over which the lowest and the highest of cuts are found without being asked twice


def cuts_over(state: DeskState, units: UnitSet) -> Rows:
    """Return the lowest and the highest of each component of every cut over all cases and combinations with
    signs, its factor included, with what gives them."""
    out = Rows(["Cut", "Set", "Storey", "Of", "Unit", "Lowest", "by", "Highest", "by"])
    review = state.review
    if review is None or not review.cuts:
        out.note = "Run, Cuts across a floor… or Cut through a wall… makes some"
        return out
    names = [*review.results.cases, *(c.name for c in review.computed_combinations)]
    if len(names) > MOST_COMBINATIONS:
        out.note = f"over the first {MOST_COMBINATIONS} of {len(names)} cases and combinations; cuts.csv and envelopes.csv have all"
        names = names[:MOST_COMBINATIONS]
    every = {n: review.cut_forces(n) for n in names}
    for c in review.cuts:
        found = [(n, f) for n in names if isinstance(f := every[n].get(c.name), CutForces)]
        for k in CUT_COMPONENTS if found else ():
            factor, unit = getattr(units, "force" if k[0] in "nv" else "moment")
            values = [getattr(f, k) * factor for _, f in found]
            low, high = (
                min(range(len(values)), key=values.__getitem__),
                max(range(len(values)), key=values.__getitem__),
            )
            ends = [values[low], found[low][0], values[high], found[high][0]]
            out.add([c.name, c.family, c.storey, WORDS[k], unit, *ends], ("surface", c.surfaces[0]))
    out.note = out.note or f"over {len(names)} cases and combinations"
    return out


def cuts(state: DeskState, units: UnitSet) -> Rows:
    """Forces of every cut in the case that is shown, its factor included."""
    f, m = units.force[1], units.moment[1]
    out = Rows(
        [
            "Cut",
            "Set",
            "Storey",
            "Length, m",
            "Factor",
            *(f"{WORDS[c]}, {f if c[0] in 'nv' else m}" for c in CUT_COMPONENTS),
            "Why there is none",
        ]
    )
    review = state.review
    if review is None or not review.cuts:
        out.note = "Run, Cuts across a floor… or Cut through a wall… makes some"
        return out
    out.note = f"Case {state.case}; N tension positive, V along the cut, M about the plane's normal"
    forces = review.cut_forces(state.case)
    for c in review.cuts:
        found = forces.get(c.name, "it was not computed")
        length = float(np.linalg.norm(c.line[1] - c.line[0]))
        values: list[object] = [None] * len(CUT_COMPONENTS)
        if isinstance(found, CutForces):
            kinds = ("force" if k[0] in "nv" else "moment" for k in CUT_COMPONENTS)
            values = [getattr(found, k) * getattr(units, kind)[0] for k, kind in zip(CUT_COMPONENTS, kinds)]
        why = "" if isinstance(found, CutForces) else found
        out.add([c.name, c.family, c.storey, length, c.factor, *values, why], ("surface", c.surfaces[0]))
    return out
