"""Sections and materials: present, read, believable?"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

import numpy as np

from ...model import Finding, Material
from ...model.catalogue.catalogue import catalogue_name, catalogue_section, near_names
from ...model.catalogue.families import UNLIKELY, read_name
from ...model.catalogue.grade_names import standard_of
from ...model.catalogue.warping import shear_centre
from ...model.entities.material import (
    ANY_DENSITY,
    ANY_STIFFNESS,
    DENSITY_RANGE,
    NO_WEIGHT,
    STIFFNESS_RANGE,
)
from ..registry import Subject, check, listed

MAP_PROFILE = "Map the profile to a known one"
NAMED = 0.03  # share by which a section may differ from the one it is named after
ASIDE = 0.03  # share of its depth by which a section's shear centre may be off its centroid
GRADED = 0.05  # and a material from its grade


def _by(s: Subject, key: str) -> dict[str, list[str]]:
    out: dict[str, list[str]] = {}
    for ident, m in s.model.members.items():
        out.setdefault(getattr(m, key), []).append(ident)
    if key == "material":
        for ident, x in s.model.surfaces.items():
            out.setdefault(x.material, []).append(ident)
    return out


def _many(ids: list[str], s: Subject) -> str:
    one = "part" if any(i in s.model.surfaces for i in ids) else "member"
    return f"1 {one}" if len(ids) == 1 else f"{len(ids)} {one}s"


@check("section.missing", "section.unknown")
def find_sections(s: Subject) -> Iterator[Finding]:
    """Members without a section, and sections no shape and no values could be read of."""
    for name, ids in sorted(_by(s, "section").items()):
        section = s.model.sections.get(name)
        if section is None:
            yield Finding(
                "section.missing",
                "blocking",
                f"{_many(ids, s)} ({', '.join(s.name(i) for i in ids[:3])}) without a section; left out of the run.",
                tuple(ids),
                s.middle(ids[0]),
                ("Give a section",),
            )
        elif not section.usable:
            near = near_names(section.name)
            meant = f"; its name is near to {', '.join(near[:3])}" if near else ""
            yield Finding(
                "section.unknown",
                "blocking",
                f"No shape could be read from profile {name!r} of {_many(ids, s)}"
                f"{f' ({section.reason})' if section.reason else ''}{meant}; left out of the run.",
                tuple(ids),
                s.middle(ids[0]),
                (MAP_PROFILE,),
            )
        elif section.reason:
            yield Finding(
                "section.unknown",
                "note",
                f"Profile {name!r} of {_many(ids, s)}: {section.reason}.",
                tuple(ids),
                s.middle(ids[0]),
                (MAP_PROFILE, "Accept, because…"),
            )


@check("section.measured")
def find_measured_sections(s: Subject) -> Iterator[Finding]:
    """Sections taken from the body because the source gives no profile, and bodies that taper while their
    section does not."""
    measured: dict[str, list[str]] = {}
    for ident, m in s.model.members.items():
        section = s.model.sections.get(m.section)
        if section is None or not section.usable:
            continue
        if m.ends is not None and section.end is None:
            (w0, d0), (w1, d1) = m.ends
            yield Finding(
                "section.measured",
                "warning",
                f"The body of the {s.name(ident)} tapers from {_size(w0, d0)} to {_size(w1, d1)} mm; {section.name} is "
                f"taken as constant ({_size(section.width, section.depth)} mm).",
                (ident,),
                s.middle(ident),
                ("Give a section", "Accept, because…"),
                {"width_start": w0, "depth_start": d0, "width_end": w1, "depth_end": d1},
            )
        elif (
            m.read_from == "measured"
            and m.source_section == m.section
            and section.name.startswith("measured")
        ):
            measured.setdefault(m.section, []).append(ident)
    for name, ids in sorted(measured.items()):
        section = s.model.sections[name]
        yield Finding(
            "section.measured",
            "note",
            f"The source gives no profile for {_many(ids, s)} ({', '.join(s.name(i) for i in ids[:3])}); the section "
            f"({_size(section.width, section.depth)} mm, A {section.area * 1e4:.4g} cm²) is measured on the body.",
            tuple(ids),
            s.middle(ids[0]),
            (MAP_PROFILE, "Accept, because…"),
        )


def _size(width: float, depth: float) -> str:
    return f"{width * 1000:.0f}x{depth * 1000:.0f}"


@check("section.shear_centre")
def find_shear_centres(s: Subject) -> Iterator[Finding]:
    """Beams whose shear centre lies beside the upright plane through their axis, in which weight acts: the
    run leaves their twist out. One note. A tee whose web stands upright is none."""
    off: dict[str, tuple[float, list[str]]] = {}
    for name, ids in sorted(_by(s, "section").items()):
        section = s.model.sections.get(name)
        bent = [i for i in ids if s.model.members[i].cls == "beam"] if section is not None else []
        centre = shear_centre(section) if section is not None and bent else None
        if section is None or centre is None or centre == (0.0, 0.0):
            continue
        for ident in bent:
            m = s.model.members[ident]
            x, y, z = m.axes(s.model.line(m))
            level = np.cross(x, (0.0, 0.0, 1.0))
            far = abs(float((centre[0] * y + centre[1] * z) @ level)) / max(
                float(np.linalg.norm(level)), 1e-9
            )
            if far > ASIDE * section.depth:
                off.setdefault(name, (far, []))[1].append(ident)
    if off:
        ids = [i for _, bent in off.values() for i in bent]
        shown = ", ".join(f"{name} {far * 1000:.0f} mm" for name, (far, _) in list(off.items())[:4])
        more = f" and {len(off) - 4} more sections" if len(off) > 4 else ""
        yield Finding(
            "section.shear_centre",
            "note",
            f"{_many(ids, s)} with the shear centre beside the axis ({shown}{more}): loads act on the centroid's axis and the "
            "run leaves out the twist they cause, load times that distance. It must be held by what they carry, or checked apart.",
            tuple(ids),
            s.middle(ids[0]),
            (MAP_PROFILE, "Accept, because…"),
            {name: far for name, (far, _) in off.items()},
        )


@check("section.differs")
def find_other_sections(s: Subject) -> Iterator[Finding]:
    """Bodies that differ from their profile or plate, by what is said of them alike; and profiles named
    after a rolled section whose area or second moments are not that section's, by more than 3 %."""
    told: dict[str, list[str]] = {}
    for part in s.model.parts():
        if part.differs and part.as_drawn:
            told.setdefault(part.differs, []).append(part.id)
    for words, ids in sorted(told.items()):
        many = f" (and {len(ids) - 1} alike)" if len(ids) > 1 else ""
        yield Finding(
            "section.differs",
            "warning",
            f"The {s.name(ids[0])}{many}: {words}.",
            tuple(ids),
            s.middle(ids[0]),
            (*((MAP_PROFILE,) if ids[0] in s.model.members else ()), "Accept, because…"),
        )
    for name, ids in sorted(_by(s, "section").items()):
        section = s.model.sections.get(name)
        known = catalogue_name(section.name) if section is not None and section.usable else None
        if section is None or known is None or known in section.origin:
            continue
        real = catalogue_section(known)
        apart = {k: getattr(section, k) / getattr(real, k) - 1 for k in ("area", "iy", "iz")}
        if max(abs(v) for v in apart.values()) > NAMED:
            shown = ", ".join(
                f"{title} {apart[k]:+.1%}" for k, title in (("area", "A"), ("iy", "Iy"), ("iz", "Iz"))
            )
            yield Finding(
                "section.differs",
                "warning",
                f"Profile {name!r} of {_many(ids, s)} is named after {known} and is not it: {shown}.",
                tuple(ids),
                s.middle(ids[0]),
                (MAP_PROFILE, "Accept, because…"),
                apart,
            )


@check("material.differs")
def find_other_materials(s: Subject) -> Iterator[Finding]:
    """Materials named after a grade whose E, density or strength are not that grade's, by more than 5 %: one
    note each."""
    for name, ids in sorted(_by(s, "material").items()):
        material = s.model.materials.get(name)
        found = standard_of(material.name) if material is not None else None
        if material is None or found is None or not found[1]:
            continue
        grade, assumed = found[0], material.origin or {}
        parts = []
        for key, title, unit, scale in (
            ("E", "E", "GPa", 1e9),
            ("density", "density", "kg/m³", 1.0),
            ("strength", "strength", "MPa", 1e6),
        ):
            own, real = getattr(material, key), getattr(grade, key)
            if own and real and key not in assumed and abs(own / real - 1) > GRADED:
                parts.append(f"{title} {own / scale:.4g} {unit} against {real / scale:.4g}")
        if parts and material.usable:
            yield Finding(
                "material.differs",
                "note",
                f"Material {name} of {_many(ids, s)} is not as {grade.where} has it: {', '.join(parts)}.",
                tuple(ids),
                s.middle(ids[0]),
                ("Take the grade's values", "Accept, because…"),
            )


@check("material.missing", "material.stiffness", "material.density")
def find_materials(s: Subject) -> Iterator[Finding]:
    """Materials absent, without stiffness or density, or with values no material of their kind has."""
    for name, ids in sorted(_by(s, "material").items()):
        material = s.model.materials.get(name)
        if material is None:
            yield Finding(
                "material.missing",
                "blocking",
                f"{_many(ids, s)} ({', '.join(s.name(i) for i in ids[:3])}) without a material; left out of the run.",
                tuple(ids),
                s.middle(ids[0]),
                ("Give a material",),
            )
            continue
        yield from _stiffness(s, material, ids)
        yield from _density(s, material, ids)


@check("material.family")
def find_families(s: Subject) -> Iterator[Finding]:
    """Names that speak of two families, of a family without a grade, or of one that does not suit what is
    made of them."""
    for name, ids in sorted(_by(s, "material").items()):
        material = s.model.materials.get(name)
        if material is None or not material.kind:
            continue
        mapped = any("mapped" in w or "by hand" in w for w in (material.origin or {}).values())
        if mapped:
            continue
        reading = read_name(material.name)
        taken = ", ".join(
            f"{title} {getattr(material, k) / scale:.4g} {unit}"
            for k, title, unit, scale in (("E", "E", "GPa", 1e9), ("density", "density", "kg/m³", 1.0))
            if getattr(material, k)
        )
        guessed = sorted(k for k, w in (material.origin or {}).items() if w.endswith("(a guess)"))
        graded_name = standard_of(material.name)
        if len(reading.families) > 1 and not (
            graded_name is not None and graded_name[1] and graded_name[0].strength
        ):
            words = (
                f"speaks of {listed(list(reading.families))}: {material.kind} was taken ({taken}), which may be the other, or both "
                "together"
            )
        elif guessed:
            words = f"gives no grade: {taken} are usual for it, a guess; what depends on {listed(guessed)} is no better than that"
        else:
            classes = Counter(s.model.part(i).cls for i in ids)  # type: ignore[union-attr]
            odd = [c for c in sorted(classes) if material.kind in UNLIKELY.get(c, ())]
            if not odd:
                continue
            words = f"is {material.kind}, which {listed(odd)}s are seldom made of ({taken})"
        yield Finding(
            "material.family",
            "warning",
            f"Material {name} of {_many(ids, s)} {words}.",
            tuple(ids),
            s.middle(ids[0]),
            ("Map it to a grade", "Accept, because…"),
        )


def _stiffness(s: Subject, m: Material, ids: list[str]) -> Iterator[Finding]:
    assumed = (m.origin or {}).get("E")
    numbers = {"E": m.E} if m.E is not None else {}
    low, high = STIFFNESS_RANGE.get(m.kind, ANY_STIFFNESS)
    if m.E is None:
        severity, text = "blocking", "has no elastic modulus; its members are left out of the run"
    elif m.E == 0:
        severity, text = "blocking", "has an elastic modulus of zero; its members are left out of the run"
    elif not ANY_STIFFNESS[0] <= m.E <= ANY_STIFFNESS[1]:
        severity, text = (
            "blocking",
            f"has E = {m.E:.4g} Pa, which no building material has; left out of the run",
        )
    elif not low <= m.E <= high:
        severity = "warning"
        text = f"has E = {m.E / 1e9:.4g} GPa; {m.kind} lies between {low / 1e9:g} and {high / 1e9:g} GPa"
    elif assumed:
        guess = assumed.endswith("(a guess)")
        severity = "warning" if guess else "note"
        text = f"brings no elastic modulus; E = {m.E / 1e9:g} GPa was taken from {assumed}"
    else:
        return
    yield Finding(
        "material.stiffness",
        severity,
        f"Material {m.name} of {_many(ids, s)} {text}.",
        tuple(ids),
        s.middle(ids[0]),
        ("Give its elastic modulus", "Accept, because…"),
        numbers,
    )


def _density(s: Subject, m: Material, ids: list[str]) -> Iterator[Finding]:
    assumed = (m.origin or {}).get("density")
    low, high = DENSITY_RANGE.get(m.kind, ANY_DENSITY)
    if assumed == NO_WEIGHT:
        return
    if m.density is None or m.density == 0:
        severity = "warning"
        text = f"has {'no' if m.density is None else 'a zero'} density; its members have no self-weight"
    elif not low <= m.density <= high:
        severity = "warning"
        kind = m.kind or "any building material"
        text = f"has a density of {m.density:.4g} kg/m3; {kind} lies between {low:g} and {high:g}"
    elif assumed:
        severity, text = "note", f"brings no density; {m.density:g} kg/m3 was taken from {assumed}"
    else:
        return
    yield Finding(
        "material.density",
        severity,
        f"Material {m.name} of {_many(ids, s)} {text}.",
        tuple(ids),
        s.middle(ids[0]),
        ("Give its density", "Accept, because…"),
    )
