"""What the tables show, as plain rows; the widgets only lay them out."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ...analysis.results.results import COMPONENTS
from ...compare.results import ENVELOPE
from ...model.catalogue.catalogue import catalogue_name, catalogue_section, near_names
from ...model.catalogue.grade_names import standard_of
from ...review import Review
from ...review.takeoff import takeoff
from ..quantities import FORCE_KIND, UnitSet
from ..session.state import DeskState
from ..theme import SEVERITY_MARK
from .load_rows import PAGES, cases, combinations, load_page, loads, member_sums
from .response_rows import at_ends, at_node, at_stations, centres, modes, stacks, storey_cuts, storeys
from .rows import Pick, Rows
from .surface_rows import cuts, surface_forces, surfaces_over


def findings(state: DeskState, units: UnitSet) -> Rows:
    out = Rows(["", "Finding", "Where", "In words", "Decision"])
    revision = state.revision
    if revision is None:
        return out
    model = revision.review.model
    for f in revision.review.findings:
        where = ""
        pick: Pick = None
        for ident in f.ids:
            if ident in model.members:
                member = model.members[ident]
                where = ", ".join(p for p in (member.storey, member.name) if p)
                pick = ("member", ident)
                break
            if ident in model.surfaces:
                surface = model.surfaces[ident]
                where = ", ".join(p for p in (surface.storey, surface.name) if p)
                pick = ("surface", ident)
                break
            if ident in model.nodes:
                where, pick = ident, ("node", ident)
                break
        status, reason = revision.decided(f)
        shown = status + (f": {reason}" if reason else "")
        out.add([SEVERITY_MARK[f.severity], f.code, where, f.message, shown], pick, "; ".join(f.actions))
    return out


def tally(state: DeskState, units: UnitSet) -> Rows:
    """The tally: classes counted and measured, then each case's load applied against its reactions."""
    f = units.force[1]
    out = Rows(
        ["What", "Source", "Model", "Difference", "Length, source", "Length, model", "Area, m²", f"Weight, {f}", "Why"]
    )
    review = state.review
    if review is None:
        return out
    if state.tally_by in PAGES:
        return load_page(review, state.tally_by, state.case, units, state.origin)
    if state.tally_by != "overview":
        return take_off(review, state.tally_by, units)
    made_of: dict[str, list[str]] = {}
    for part in review.model.parts():
        made_of.setdefault(part.cls, []).append(part.id)
    for row in review.tally:
        why = ""
        if row.skipped:
            first = row.skipped[0].reason
            why = f"{len(row.skipped)} skipped: {first}"
        elif not row.agrees and row.source == 0:
            why = "made by transfer"
        elif not row.agrees:
            why = "see the findings and the log"
        if row.cls == "load_case" and row.model > row.source:
            why = "self-weight is added"
        out.add(
            [
                row.cls.replace("_", " "),
                row.source or None,
                row.model or None,
                (row.model - row.source) if row.source and not row.agrees else None,
                _num(row.source_length, units, "length"),
                _num(row.length, units, "length"),
                row.area,
                _num(row.weight, units, "force"),
                why,
            ],
            makers=made_of.get(row.cls, ()),
        )
    results = review.results
    for e in results.equilibrium:
        lost = results.lost.get(e.case, np.zeros(3))
        vertical = float(e.applied[2] + lost[2])
        out.add(
            [
                f"load of {e.case}, vertical",
                _num(vertical, units, "force"),
                _num(float(e.applied[2]), units, "force"),
                _num(float(-lost[2]), units, "force") if abs(lost[2]) > 1e-6 else None,
                None,
                None,
                None,
                _num(float(-e.reaction[2]), units, "force"),
                f"last: reactions; residual {e.residual:.1e}",
            ]
        )
    return out


def take_off(review: Review, by: str, units: UnitSet) -> Rows:
    """The take-off by class, section, material or storey: source, model, difference."""
    length, force = units.length[1], units.force[1]
    out = Rows([by.capitalize(), "Source", "Model", "Difference"])
    for what, unit in (("Length", length), ("Area", "m²"), ("Volume", "m³"), ("Weight", force)):
        out.columns += [f"{what}, source, {unit}", f"{what}, model", "difference"]
    out.note = "A row shows what makes it; View, Show everything brings the rest back"
    for row in takeoff(review.model, by):
        values: list[object] = [row.key, row.source, row.model, row.model - row.source or None]
        for what, kind in (("length", "length"), ("area", ""), ("volume", ""), ("weight", "force")):
            factor = getattr(units, kind)[0] if kind else 1.0
            source, model = getattr(row, f"source_{what}"), getattr(row, what)
            change = (model or 0.0) - (source or 0.0)
            shown = change * factor if abs(change) > 1e-6 * max(abs(source or 0.0), 1e-3) else None
            values += [_times(source, factor), _times(model, factor), shown]
        out.add(values, makers=row.ids)
    return out


def _times(value: float | None, factor: float) -> float | None:
    return None if value is None else value * factor


def surfaces(state: DeskState, units: UnitSet) -> Rows:
    out = Rows(
        ["Surface", "Class", "Storey", "Thickness, mm", "Material", "Area, source, m²", "Area, m²", "Volume, m³",
         f"Weight, {units.force[1]}", "Openings", "Tied", "Held"]
    )  # fmt: skip
    review = state.review
    for s in review.model.surfaces.values() if review else ():
        held = ["foot " + ", ".join(sorted({h.support.words for h in s.supports}))] if s.supports else []
        held += [f"bed {s.bedding / 1e6:g} MN/m³"] if s.bedding else []
        weight = review.model.surface_weight(s) * units.force[0] if review else None
        out.add(
            [s.name or s.id, s.cls, s.storey, s.thickness * 1000, s.material, s.source_area, s.area, s.volume, weight,
             len(s.openings) or None, len({j.other for j in s.joints}) or None, ", ".join(held)],
            ("surface", s.id), s.guess or s.id,
        )  # fmt: skip
    return out


def sections(state: DeskState, units: UnitSet) -> Rows:
    """Sections with their values beside the catalogue's, where they are named after one of it."""
    out = Rows(
        ["Section", "Members", "Shape", "A, cm²", "Iy, cm⁴", "Iz, cm⁴", "J, cm⁴", "Catalogue", "A there", "Iy there",
         "Iz there", "A off, %", "From"]
    )  # fmt: skip
    review = state.review
    if review is None:
        return out
    made_of: dict[str, list[str]] = {}
    for m in review.model.members.values():
        made_of.setdefault(m.section, []).append(m.id)
    for key, s in review.model.sections.items():
        known = catalogue_name(s.name) or next(iter(near_names(s.name)), None)
        real = catalogue_section(known) if known else None
        there: list[object] = [None] * 4
        if real is not None:
            off = (s.area / real.area - 1) * 100 if s.usable else None
            there = [real.area * 1e4, real.iy * 1e8, real.iz * 1e8, off]
        values: list[object] = [s.area * 1e4, s.iy * 1e8, s.iz * 1e8, s.j * 1e8] if s.usable else [None] * 4
        out.add(
            [key, len(made_of.get(key, ())), s.shape, *values, known, *there, s.origin], makers=made_of.get(key, ())
        )
    return out


def materials(state: DeskState, units: UnitSet) -> Rows:
    """Materials with what they are computed with beside what the standard has for the grade they are named after."""
    out = Rows(["Material", "Parts", "Kind", "Grade"])
    for title, unit in (("E", "GPa"), ("G", "GPa"), ("density", "kg/m³"), ("strength", "MPa")):
        out.columns += [f"{title}, {unit}", "standard", "from"]
    out.columns.insert(4, "Differs in")
    review = state.review
    if review is None:
        return out
    made_of: dict[str, list[str]] = {}
    for part in review.model.parts():
        made_of.setdefault(part.material, []).append(part.id)
    for key, m in review.model.materials.items():
        found = standard_of(m.name)
        grade = found[0] if found is not None else None
        values: list[object] = [
            key,
            len(made_of.get(key, ())),
            m.kind,
            grade.name if found and found[1] and grade else "",
        ]
        apart = []
        for name, scale in (("E", 1e9), ("G", 1e9), ("density", 1.0), ("strength", 1e6)):
            own = m.shear_modulus if name == "G" else getattr(m, name)
            there = None
            if grade is not None:
                there = (
                    (grade.G or grade.E / (2 * (1 + grade.poisson))) if name == "G" else getattr(grade, name) or None
                )
            how = (m.origin or {}).get(name, "source" if getattr(m, name) is not None else "computed" if own else "")
            values += [own / scale if own else own, there / scale if there else None, how]
            if own and there and abs(own / there - 1) > 0.01:
                apart.append(f"{name} {own / there - 1:+.0%}")
        values.insert(4, ", ".join(apart))
        out.add(values, makers=made_of.get(key, ()))
    return out


def lines(state: DeskState, units: UnitSet) -> Rows:
    """Column stacks, beam lines, walls and frames."""
    out = Rows(["Line", "Kind", "Parts", "From", "To", f"Length, {units.length[1]}"])
    out.note = "A row shows its parts alone"
    titles = {"stack": "column stack", "beams": "beam line", "wall": "wall", "frame": "frame"}
    review = state.review
    for line in review.lines if review else ():
        assert review is not None
        parts = [p for p in map(review.model.part, line.members) if p is not None]
        own = [review.model.members[i] for i in line.members if i in review.model.members]
        length = sum(review.model.length(m) for m in own) * units.length[0] if own else None
        first, last = parts[0], parts[-1]
        out.add(
            [line.name, titles[line.kind], len(parts), first.name or first.id, last.name or last.id, length],
            makers=line.members,
        )
    return out


def _num(value: float | None, units: UnitSet, kind: str) -> float | None:
    return None if value is None else value * getattr(units, kind)[0]


def nodes(state: DeskState, units: UnitSet) -> Rows:
    out = Rows(["Node", *(f"{a}, {units.length[1]}" for a in "xyz"), "Support", "Members"])
    review = state.review
    if review is None:
        return out
    model = review.model
    for n, members in model.members_at().items():
        node = model.nodes[n]
        place = [float(v) * units.length[0] for v in node.point + model.origin]
        out.add([n, *place, node.support.words, len(members)], ("node", n))
    return out


def members(state: DeskState, units: UnitSet) -> Rows:
    out = Rows(
        ["Member", "Class", "Storey", "Section", "Material", f"Length, {units.length[1]}",
         f"Weight, {units.force[1]}", "Start", "End", "Release, start", "Release, end"]
    )  # fmt: skip
    review = state.review
    if review is None:
        return out
    model = review.model
    for m in model.members.values():
        out.add(
            [
                m.name or m.id, m.cls, m.storey, m.section, m.material, model.length(m) * units.length[0],
                model.weight(m) * units.force[0], m.start, m.end,
                m.release_start.words,
                m.release_end.words,
            ],
            ("member", m.id),
            m.id,
        )  # fmt: skip
    return out


def reactions(state: DeskState, units: UnitSet) -> Rows:
    f, m = units.force[1], units.moment[1]
    out = Rows(["Case", "Node", *(f"{a}, {f}" for a in ("Fx", "Fy", "Fz")), *(f"{a}, {m}" for a in ("Mx", "My", "Mz"))])
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


def envelope(state: DeskState, units: UnitSet) -> Rows:
    """Lowest and highest of the shown component of each member over all combinations, where, and by which."""
    kind = FORCE_KIND[state.component]
    factor, unit = getattr(units, kind)
    out = Rows(["Member", "Class", "Storey", "Section", f"{state.component} low, {unit}", "at, m", "by",
                f"{state.component} high, {unit}", "at, m", "by"])  # fmt: skip
    review = state.review
    if review is not None and review.envelopes.waiting:
        out.note = "Run, Envelope of forces works it out"
        return out
    found = review.envelopes.members() if review is not None else None
    if review is None or found is None:
        out.note = "no combination was computed"
        return out
    over, of = found
    out.note = f"{state.component} over {len(over.combinations)} combinations; Force above the view chooses another"
    k = COMPONENTS.index(state.component)
    done = np.atleast_1d(review.results.member_done.any(axis=0))
    for n, ident in enumerate(review.results.member_ids):
        m = review.model.members.get(ident)
        if m is None or not done[n]:
            continue
        low, high = float(of.low[n, k]) * factor, float(of.high[n, k]) * factor
        names = [over.combinations[int(by[n, k])].name for by in (of.low_by, of.high_by)]
        out.add(
            [m.name or ident, m.cls, m.storey, m.section, low, float(of.low_x[n, k]), names[0], high,
             float(of.high_x[n, k]), names[1]],
            ("member", ident),
        )  # fmt: skip
    return out


def changes(state: DeskState, units: UnitSet) -> Rows:
    """Every member that is not the same, then members whose forces changed beyond the tolerance."""
    out = Rows(
        [
            "Change",
            "Class",
            "Before",
            "After",
            "Shift, mm",
            "Section before",
            "Section after",
            "What",
            "Was",
            "Is",
            "By",
        ]
    )
    review, comparison = state.review, state.comparison
    if review is None or comparison is None:
        out.note = "This revision is compared with nothing yet: take in a revision (Ctrl+Shift+O)"
        return out
    base = state.baseline.review.model if state.baseline else None

    def name(ident: str | None, revised: bool) -> str:
        model = review.model if revised else base
        if ident is None:
            return ""
        m = (model.members.get(ident) or model.surfaces.get(ident)) if model else None
        return (m.name or ident) if m else ident

    for level in comparison.levels:
        if level.status != "same":
            out.add([f"level {level.status}", "storey", None, f"{level.name} ({level.elevation:.3f} m)"] + [None] * 7)
    for m in comparison.parts:
        if m.status != "same":
            pick: Pick = ("member", m.revised_id) if m.revised_id in review.model.members else None
            if m.revised_id in review.model.surfaces:
                pick = ("surface", m.revised_id or "")
            values: list[object] = [m.status, m.cls, name(m.baseline_id, False), name(m.revised_id, True)]
            values += [m.shift * 1000 if m.shift else None, m.baseline_section, m.revised_section]
            out.add([*values, None, None, None, None], pick)
            for x in m.changes:
                if x.what != "section":
                    was, now = (_shown(v) for v in (x.was, x.is_))
                    out.add([*values[:4], None, None, None, x.what, was, now, None], pick)
    for held in comparison.supports:
        if held.status != "same":
            at = ", ".join(f"{v:.2f}" for v in held.at)
            out.add([f"support {held.status}", "support", None, at] + [None] * 4 + [held.was, held.is_, None])
    for case in comparison.cases:
        if case.status != "same":
            names: list[object] = [case.baseline_name, case.revised_name]
            out.add([f"case {case.status}", "load case", *names] + [None] * 4 + [case.was, case.is_, None])
    for load in comparison.loads:
        out.add([f"load {load.status}", load.case, None, load.on] + [None] * 3 + [load.what, load.was, load.is_, None])
    for combination in comparison.combinations:
        if combination.status != "same":
            names = [combination.baseline_name, combination.name]
            row = [f"combination {combination.status}", "combination", *names] + [None] * 4
            out.add([*row, combination.was, combination.is_, None])
    limits = review.settings.compare
    for r in comparison.results:
        if abs(r.change) <= max(limits.absolute_force, limits.relative * abs(r.baseline)) or not r.revised_id:
            continue
        if r.quantity not in FORCE_KIND or r.case != ENVELOPE or r.revised_id not in review.model.members:
            continue
        factor = getattr(units, FORCE_KIND[r.quantity])[0]
        worse = "force up" if abs(r.revised) > abs(r.baseline) else "force down"
        values = [worse, "", name(r.baseline_id, False), name(r.revised_id, True), None, None, None, r.quantity]
        out.add([*values, r.baseline * factor, r.revised * factor, r.change * factor], ("member", r.revised_id))
    return out


def _shown(value: object) -> str:
    """A value of a change as a cell has it."""
    if isinstance(value, list):
        return " ".join(f"{v:.3f}" if isinstance(v, float) else _shown(v) for v in value)
    return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)


TABLES: dict[str, tuple[str, Callable[[DeskState, UnitSet], Rows]]] = {
    "findings": ("Findings", findings),
    "tally": ("Tally", tally),
    "nodes": ("Nodes", nodes),
    "members": ("Members", members),
    "surfaces": ("Surfaces", surfaces),
    "sections": ("Sections", sections),
    "materials": ("Materials", materials),
    "lines": ("Lines", lines),
    "cases": ("Cases", cases),
    "loads": ("Loads", loads),
    "combinations": ("Combinations", combinations),
    "reactions": ("Reactions", reactions),
    "forces": ("Forces", forces),
    "envelope": ("Envelope", envelope),
    "surface_forces": ("Slabs, walls", surface_forces),
    "cuts": ("Cuts", cuts),
    "storeys": ("Storeys", storeys),
    "modes": ("Modes", modes),
    "changes": ("Changes", changes),
}


# what a table can be turned to, the first one shown until another is chosen
ASPECTS: dict[str, dict[str, Callable[[DeskState, UnitSet], Rows]]] = {
    "reactions": {"at supports": reactions, "at the picked node": at_node},
    "forces": {
        "of members": forces,
        "down the stacks": stacks,
        "ends and middle": at_ends,
        "all stations": at_stations,
    },
    "loads": {"as put on": loads, "summed on members": member_sums},
    "surface_forces": {"in the shown case": surface_forces, "over combinations": surfaces_over},
    "storeys": {"loads, drift, mass": storeys, "between storeys": storey_cuts, "centres": centres},
}


def log_rows(review: Review | None) -> Rows:
    """The transfer log."""
    out = Rows(["Kind", "What happened", "By, mm"])
    for entry in review.model.log if review else ():
        first = entry.ids[0] if entry.ids else ""
        pick: Pick = None
        if review and first in review.model.members:
            pick = ("member", first)
        elif review and first in review.model.surfaces:
            pick = ("surface", first)
        out.add([entry.kind, entry.message, entry.distance * 1000 if entry.distance else None], pick)
    return out
