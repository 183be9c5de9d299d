"""Materials: what the source says, and what a standard says where the source is silent and the name is clear."""

from __future__ import annotations

import re
from dataclasses import replace

from ..intake.source import SourceMaterial
from ..model import LogEntry, Material
from ..model.grades import CONCRETE, Grade, grades
from ..model.material import ANY_STIFFNESS, graded

_CONCRETE = re.compile(r"\bC\s?(\d{2})\s?[/_-]\s?(\d{2,3})\b", re.I)
_STEEL = re.compile(r"\bS\s?-?(235|275|355|420|450|460)\s?[A-Z0-9+]*\b", re.I)
_TIMBER = re.compile(r"\b(GL\s?\d{2}\s?[HC]|[CD]\s?\d{2})\b", re.I)
_ASTM = re.compile(r"\bA\s?(36|53|500|572|588|913|992|1085)\b(?:\s*-?\s*(?:GR(?:ADE)?\.?)?\s*(B|C|50|65))?", re.I)
_PSI = re.compile(r"\b(\d{1,2})[,.]?(\d{3})\s?psi\b", re.I)
_WORDS = (
    ("steel", re.compile(r"steel|stahl|acier|acero|acciaio|staal", re.I)),
    ("concrete", re.compile(r"concrete|beton|hormig|calcestruzzo|béton", re.I)),
    ("timber", re.compile(r"timber|wood|holz|bois|glulam|hout", re.I)),
    ("aluminium", re.compile(r"alumin", re.I)),
    ("masonry", re.compile(r"masonry|brick|mauer|blockwork", re.I)),
)


def standard_of(name: str, category: str = "") -> tuple[Grade, bool] | None:
    """The grade a name stands for, and whether that is sure (False: only the kind is clear); None: it says nothing.

    >>> standard_of("Concrete C30_37")[0].name, standard_of("A572-50")[0].name, standard_of("GL 24 h")[0].name
    ('C30/37', 'A572 Gr.50', 'GL24h')
    """
    known = grades()
    if name in known:
        return known[name], True
    kind = kind_of(name, category)
    for grade in (_concrete(name), _steel(name), _timber(name) if kind in ("", "timber") else None):
        if grade is not None and grade in known:
            return known[grade], True
    if kind == "steel":
        return replace(known["S235"], where="EN 1993-1-1 3.2.6, any structural steel", strength=0.0), True
    if kind == "concrete":
        return replace(known["C30/37"], where="EN 1992-1-1 table 3.1, C30/37 for want of a class"), False
    return None


def _concrete(name: str) -> str | None:
    if found := _CONCRETE.search(name):
        return f"C{found[1]}/{CONCRETE.get(int(found[1]), 0)}"
    if found := _PSI.search(name):
        return f"{int(found[1] + found[2])} psi"
    return None


def _steel(name: str) -> str | None:
    if found := _STEEL.search(name):
        return f"S{found[1]}"
    if found := _ASTM.search(name):
        plain, grade = f"A{found[1]}", (found[2] or "").upper()
        usual = {"53": "B", "500": "C", "572": "50", "913": "65"}.get(found[1])
        return f"{plain} Gr.{grade or usual}" if usual else plain
    return None


def _timber(name: str) -> str | None:
    if found := _TIMBER.search(name):
        grade = found[1].replace(" ", "").upper()
        return "GL" + grade[2:4] + grade[4:].lower() if grade.startswith("GL") else grade
    return None


def kind_of(name: str, category: str = "") -> str:
    """steel, concrete, timber, aluminium, masonry, or "" when neither name nor category says."""
    for text in (name, category):
        if _CONCRETE.search(text):
            return "concrete"
        if _STEEL.search(text) or _ASTM.search(text):
            return "steel"
        if _PSI.search(text):
            return "concrete"
        for kind, word in _WORDS:
            if word.search(text):
                return kind
    return ""


def material_of(source: SourceMaterial, log: list[LogEntry], mapped: str | None = None) -> Material:
    """The model's material. A value the source does not have at all is assumed from its name and logged; one that it
    has, even a zero, is never replaced: the checks speak of it. A material `mapped` to a grade takes all its values
    from there, which is the reviewer's own word."""
    if mapped is not None:
        grade = grades()[mapped]
        log.append(LogEntry("guessed", (source.name,), f"material {source.name}: mapped to {mapped} by the settings"))
        return graded(source.name, grade, f"{grade.where}, mapped")
    found = standard_of(source.name, source.category)
    known = found[0] if found is not None else None
    sure = found is None or found[1]
    kind = known.kind if known else kind_of(source.name, source.category)
    material = Material(
        source.name, kind, source.E, source.G, source.poisson, source.density, source.strength, origin={}
    )
    assert material.origin is not None
    if known is not None:
        for key in ("E", "density", "poisson"):
            if getattr(source, key) is None and not (key == "poisson" and (source.G or known.poisson == 0)):
                setattr(material, key, getattr(known, key))
                material.origin[key] = known.where + ("" if sure else " (a guess)")
        if source.strength is None and known.strength > 0 and sure:
            material.strength = known.strength
            material.origin["strength"] = known.where
        if known.kind == "timber" and source.G is None:
            # with the source's own E, not the grade's
            material.G = known.G if source.E is None else (material.E or 0.0) / 16
            material.origin["G"] = known.where if source.E is None else "EN 338, E / 16"
        if material.origin:
            shown = ", ".join(
                f"{k} = {getattr(material, k) / 1e9:g} GPa" if k in "EG" else
                f"{k} = {getattr(material, k) / 1e6:g} MPa" if k == "strength" else f"{k} = {getattr(material, k):g}"
                for k in material.origin
            )  # fmt: skip
            log.append(LogEntry("guessed", (source.name,), f"material {source.name}: {shown} by {known.where}"))
    if material.E is not None and not ANY_STIFFNESS[0] <= material.E <= ANY_STIFFNESS[1]:
        material.G = None  # a shear modulus beside a wrong E would hide it
    return material
