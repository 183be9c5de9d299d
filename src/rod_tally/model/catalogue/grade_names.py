"""Grade of a standard that a material's name stands for."""

from __future__ import annotations

import re
from dataclasses import replace

from .families import read_name, words_of
from .grades import CONCRETE, Grade, grades

_CONCRETE = re.compile(r"\bC\s?(\d{2})\s?[/_-]\s?(\d{2,3})\b", re.I)
_STEEL = re.compile(r"\bS\s?-?(235|275|355|420|450|460)\s?[A-Z0-9+]*\b", re.I)
_TIMBER = re.compile(r"\b(GL\s?\d{2}\s?[HC]|[CD]\s?\d{2})\b", re.I)
_ASTM = re.compile(
    r"\bA\s?(36|53|500|572|588|913|992|1085)\b(?:\s*-?\s*(?:GR(?:ADE)?\.?)?\s*(B|C|50|65))?", re.I
)
_PSI = re.compile(r"\b(\d{1,2})[,.]?(\d{3})\s?psi\b", re.I)
# Usual values of families that no grade is given of: E (GPa), density (kg/m3). Common practice, no source.
_USUAL = {
    "clt": ("timber", 11.0, 480.0), "xlam": ("timber", 11.0, 480.0), "glulam": ("timber", 11.5, 420.0),
    "bsh": ("timber", 11.5, 420.0), "kvh": ("timber", 11.0, 420.0), "lvl": ("timber", 13.8, 510.0),
    "timber": ("timber", 11.0, 420.0), "hardwood": ("timber", 11.0, 640.0), "eiche": ("timber", 11.0, 640.0),
    "oak": ("timber", 11.0, 640.0), "masonry": ("masonry", 5.0, 1800.0), "kalksandstein": ("masonry", 7.0, 1900.0),
    "limestone": ("masonry", 10.0, 2300.0), "aluminium": ("aluminium", 70.0, 2700.0), "light": ("concrete", 20.0, 1800.0),
    "aerated": ("concrete", 1.75, 600.0),
}  # fmt: skip
GUESS = "usual for"


def standard_of(name: str, category: str = "") -> tuple[Grade, bool] | None:
    """The grade a name stands for, and whether that is sure (False: only the kind is clear); None: it says
    nothing.

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
    reading = read_name(name)
    if kind == "concrete" and reading.weight:
        return _usual(reading.weight, f"{GUESS} {reading.weight} concrete"), False
    if kind == "steel":
        return replace(known["S235"], where="EN 1993-1-1 3.2.6, any structural steel", strength=0.0), True
    if kind == "concrete":
        return replace(known["C30/37"], where="EN 1992-1-1 table 3.1, C30/37 no class given"), False
    if kind:
        own = next((w for w in reversed(words_of(name)) if w in _USUAL), kind)
        return _usual(own, f"{GUESS} {own}"), False
    return None


def _usual(own: str, where: str) -> Grade:
    """A family's usual values as a grade without strength; timber's shear modulus by EN 338, E / 16."""
    kind, e, density = _USUAL[own]
    shear = e * 1e9 / 16 if kind == "timber" else None
    return Grade(own, kind, e * 1e9, 0.0 if shear else 0.2, density, 0.0, where, shear)


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
        if family := read_name(text).family:
            return family
        if _TIMBER.search(text):
            return "timber"
    return ""
