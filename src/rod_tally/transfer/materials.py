"""Materials: what the source says, and what a standard says where the source is silent and the name is clear."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ..intake.source import SourceMaterial
from ..model import LogEntry, Material
from ..model.material import ANY_STIFFNESS


@dataclass(frozen=True, slots=True)
class Standard:
    """Values of one grade, SI, and where they stand."""

    kind: str
    E: float
    poisson: float
    density: float
    where: str
    sure: bool = True


# EN 1992-1-1 table 3.1: class to E_cm in GPa. Density of reinforced concrete 2500 kg/m3: EN 1991-1-1 table A.1, 25 kN/m3.
ECM = {
    12: 27, 16: 29, 20: 30, 25: 31, 30: 33, 35: 34, 40: 35, 45: 36, 50: 37, 55: 38, 60: 39, 70: 41, 80: 42, 90: 44,
}  # fmt: skip
# EN 338:2016 table 1, softwoods and glued EN 14080 table 5: E_0,mean in GPa, mean density in kg/m3. From memory.
TIMBER = {
    "C14": (7.0, 350), "C16": (8.0, 370), "C18": (9.0, 380), "C20": (9.5, 400), "C22": (10.0, 410),
    "C24": (11.0, 420), "C27": (11.5, 430), "C30": (12.0, 460), "D30": (11.0, 640), "D40": (13.0, 660),
    "GL24H": (11.5, 420), "GL28H": (12.6, 460), "GL32H": (14.2, 490), "GL24C": (11.0, 400),
}  # fmt: skip

_CONCRETE = re.compile(r"\bC\s?(\d{2})\s?[/_-]\s?(\d{2,3})\b", re.I)
_STEEL = re.compile(r"\bS\s?-?(235|275|355|420|450|460|500|550|690)\s?[A-Z0-9+]*\b", re.I)
_TIMBER = re.compile(r"\b(C14|C16|C18|C20|C22|C24|C27|C30|D30|D40|GL\s?24\s?[HC]|GL\s?28\s?H|GL\s?32\s?H)\b", re.I)
_WORDS = (
    ("steel", re.compile(r"steel|stahl|acier|acero|acciaio|staal", re.I)),
    ("concrete", re.compile(r"concrete|beton|hormig|calcestruzzo|béton", re.I)),
    ("timber", re.compile(r"timber|wood|holz|bois|glulam|hout", re.I)),
    ("aluminium", re.compile(r"alumin", re.I)),
    ("masonry", re.compile(r"masonry|brick|mauer|blockwork", re.I)),
)


def standard_of(name: str, category: str = "") -> Standard | None:
    """The standard values a name stands for, None when it says nothing. `sure` is False when only the kind is clear."""
    if found := _CONCRETE.search(name):
        ecm = ECM.get(int(found[1]))
        if ecm:
            return Standard("concrete", ecm * 1e9, 0.2, 2500.0, f"EN 1992-1-1 table 3.1, C{found[1]}/{found[2]}")
    if found := _STEEL.search(name):
        return Standard("steel", 210e9, 0.3, 7850.0, f"EN 1993-1-1 3.2.6, S{found[1]}")
    kind = kind_of(name, category)
    if kind in ("", "timber") and (found := _TIMBER.search(name)):
        grade = found[1].replace(" ", "").upper()
        e, density = TIMBER[grade]
        return Standard("timber", e * 1e9, 0.0, float(density), f"EN 338 / EN 14080, {grade}")
    if kind == "steel":
        return Standard("steel", 210e9, 0.3, 7850.0, "EN 1993-1-1 3.2.6, any structural steel")
    if kind == "concrete":
        return Standard("concrete", 33e9, 0.2, 2500.0, "EN 1992-1-1 table 3.1, C30/37 for want of a class", False)
    return None


def kind_of(name: str, category: str = "") -> str:
    """steel, concrete, timber, aluminium, masonry, or "" when neither name nor category says."""
    for text in (name, category):
        if _CONCRETE.search(text):
            return "concrete"
        if _STEEL.search(text):
            return "steel"
        for kind, word in _WORDS:
            if word.search(text):
                return kind
    return ""


def material_of(source: SourceMaterial, log: list[LogEntry]) -> Material:
    """The model's material. A value the source does not have at all is assumed from its name and logged; one that it
    has, even a zero, is never replaced: the checks speak of it."""
    standard = standard_of(source.name, source.category)
    kind = standard.kind if standard else kind_of(source.name, source.category)
    material = Material(
        source.name, kind, source.E, source.G, source.poisson, source.density, source.strength, origin={}
    )
    assert material.origin is not None
    if standard is not None:
        for key in ("E", "density", "poisson"):
            if getattr(source, key) is None and not (key == "poisson" and (source.G or standard.poisson == 0)):
                setattr(material, key, getattr(standard, key))
                material.origin[key] = standard.where + ("" if standard.sure else " (a guess)")
        if standard.kind == "timber" and source.G is None:
            material.G = (material.E or 0.0) / 16  # EN 338: G_mean = E_0,mean / 16
            material.origin["G"] = "EN 338, E / 16"
        if material.origin:
            shown = ", ".join(
                f"{k} = {getattr(material, k) / 1e9:g} GPa" if k in "EG" else f"{k} = {getattr(material, k):g}"
                for k in material.origin
            )
            log.append(LogEntry("guessed", (source.name,), f"material {source.name}: {shown} by {standard.where}"))
    if material.E is not None and not ANY_STIFFNESS[0] <= material.E <= ANY_STIFFNESS[1]:
        material.G = None  # a shear modulus beside a wrong E would hide it
    return material
