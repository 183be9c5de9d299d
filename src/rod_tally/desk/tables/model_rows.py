"""Tables of the model: nodes, members, surfaces, sections, materials, lines."""

from __future__ import annotations

from ...model.catalogue.catalogue import catalogue_name, catalogue_section, near_names
from ...model.catalogue.grade_names import standard_of
from ...model.catalogue.warping import shear_centre
from ..quantities import UnitSet
from ..session.state import DeskState
from .rows import Rows


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
        [
            "Member",
            "Class",
            "Storey",
            "Section",
            "Material",
            f"Length, {units.length[1]}",
            f"Weight, {units.force[1]}",
            "Start",
            "End",
            "Release, start",
            "Release, end",
        ]
    )
    review = state.review
    if review is None:
        return out
    model = review.model
    for m in model.members.values():
        out.add(
            [
                m.name or m.id,
                m.cls,
                m.storey,
                m.section,
                m.material,
                model.length(m) * units.length[0],
                model.weight(m) * units.force[0],
                m.start,
                m.end,
                m.release_start.words,
                m.release_end.words,
            ],
            ("member", m.id),
            m.id,
        )
    return out


def surfaces(state: DeskState, units: UnitSet) -> Rows:
    out = Rows(
        [
            "Surface",
            "Class",
            "Storey",
            "Thickness, mm",
            "Material",
            "Area, source, m²",
            "Area, m²",
            "Volume, m³",
            f"Weight, {units.force[1]}",
            "Openings",
            "Tied",
            "Held",
        ]
    )
    review = state.review
    for s in review.model.surfaces.values() if review else ():
        held = ["foot " + ", ".join(sorted({h.support.words for h in s.supports}))] if s.supports else []
        zones = f", {len(s.beds)} zones" if s.beds else ""
        held += [f"bed {s.bedding / 1e6:g} MN/m³{zones}"] if s.on_ground else []
        weight = review.model.surface_weight(s) * units.force[0] if review else None
        out.add(
            [
                s.name or s.id,
                s.cls,
                s.storey,
                s.thickness * 1000,
                s.material,
                s.source_area,
                s.area,
                s.volume,
                weight,
                len(s.openings) or None,
                len({j.other for j in s.joints}) or None,
                ", ".join(held),
            ],
            ("surface", s.id),
            s.guess or s.id,
        )
    return out


def sections(state: DeskState, units: UnitSet) -> Rows:
    """Sections with their values beside the catalogue's, where they are named after one of it."""
    out = Rows(
        [
            "Section",
            "Members",
            "Shape",
            "A, cm²",
            "Iy, cm⁴",
            "Iz, cm⁴",
            "J, cm⁴",
            "Shear centre y, mm",
            "z, mm",
            "Catalogue",
            "A there",
            "Iy there",
            "Iz there",
            "Area difference, %",
            "From",
        ]
    )
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
        centre = shear_centre(s)
        aside: list[object] = [None, None] if centre is None else [v * 1e3 for v in centre]
        ids = made_of.get(key, ())
        out.add([key, len(ids), s.shape, *values, *aside, known, *there, s.origin], makers=ids)
    return out


def materials(state: DeskState, units: UnitSet) -> Rows:
    """Materials with what they are computed with beside what the standard has for the grade they are named
    after."""
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
                    (grade.G or grade.E / (2 * (1 + grade.poisson)))
                    if name == "G"
                    else getattr(grade, name) or None
                )
            how = (m.origin or {}).get(
                name, "source" if getattr(m, name) is not None else "computed" if own else ""
            )
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
