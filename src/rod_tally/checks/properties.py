"""Sections and materials: present, read, believable?"""

from __future__ import annotations

from collections.abc import Iterator

from ..model import Finding, Material
from ..model.material import ANY_DENSITY, ANY_STIFFNESS, DENSITY_RANGE, STIFFNESS_RANGE
from .registry import Subject, check


def _by(s: Subject, key: str) -> dict[str, list[str]]:
    out: dict[str, list[str]] = {}
    for ident, m in s.model.members.items():
        out.setdefault(getattr(m, key), []).append(ident)
    return out


def _many(ids: list[str]) -> str:
    return "1 member" if len(ids) == 1 else f"{len(ids)} members"


@check("section.missing", "section.unknown")
def find_sections(s: Subject) -> Iterator[Finding]:
    """Members without a section, and sections no shape and no values could be read of."""
    for name, ids in sorted(_by(s, "section").items()):
        section = s.model.sections.get(name)
        if section is None:
            yield Finding(
                "section.missing",
                "blocking",
                f"{_many(ids)} ({', '.join(s.name(i) for i in ids[:3])}) without a section; left out of the run.",
                tuple(ids),
                s.middle(ids[0]),
                ("Give a section",),
            )
        elif not section.usable:
            yield Finding(
                "section.unknown",
                "blocking",
                f"No shape could be read from profile {name!r} of {_many(ids)}"
                f"{f' ({section.reason})' if section.reason else ''}; left out of the run.",
                tuple(ids),
                s.middle(ids[0]),
                ("Map the profile to a known one",),
            )
        elif section.reason:
            yield Finding(
                "section.unknown",
                "note",
                f"Profile {name!r} of {_many(ids)}: {section.reason}.",
                tuple(ids),
                s.middle(ids[0]),
                ("Map the profile to a known one", "Accept, because…"),
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
                f"{_many(ids)} ({', '.join(s.name(i) for i in ids[:3])}) without a material; left out of the run.",
                tuple(ids),
                s.middle(ids[0]),
                ("Give a material",),
            )
            continue
        yield from _stiffness(s, material, ids)
        yield from _density(s, material, ids)


def _stiffness(s: Subject, m: Material, ids: list[str]) -> Iterator[Finding]:
    assumed = (m.origin or {}).get("E")
    numbers = {"E": m.E} if m.E is not None else {}
    low, high = STIFFNESS_RANGE.get(m.kind, ANY_STIFFNESS)
    if m.E is None:
        severity, text = "blocking", "has no elastic modulus; its members are left out of the run"
    elif m.E == 0:
        severity, text = "blocking", "has an elastic modulus of zero; its members are left out of the run"
    elif not ANY_STIFFNESS[0] <= m.E <= ANY_STIFFNESS[1]:
        severity, text = "blocking", f"has E = {m.E:.4g} Pa, which no building material has; left out of the run"
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
        f"Material {m.name} of {_many(ids)} {text}.",
        tuple(ids),
        s.middle(ids[0]),
        ("Give its elastic modulus", "Accept, because…"),
        numbers,
    )


def _density(s: Subject, m: Material, ids: list[str]) -> Iterator[Finding]:
    assumed = (m.origin or {}).get("density")
    low, high = DENSITY_RANGE.get(m.kind, ANY_DENSITY)
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
        f"Material {m.name} of {_many(ids)} {text}.",
        tuple(ids),
        s.middle(ids[0]),
        ("Give its density", "Accept, because…"),
    )
