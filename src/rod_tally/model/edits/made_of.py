"""Corrections of what parts are made of: their sections and materials, of the model, of a catalogue or one's
own."""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass, replace
from typing import Any

from ..catalogue.catalogue import catalogue, catalogue_section
from ..catalogue.grade_names import standard_of
from ..catalogue.grades import grades
from ..catalogue.own import own_section
from ..catalogue.shapes import ShapeError
from ..catalogue.taper import TO, tapered
from ..entities.material import (
    ANY_DENSITY,
    ANY_STIFFNESS,
    DENSITY_RANGE,
    EXPANSION,
    Material,
    completed,
)
from ..entities.model import Model
from ..roles import Role
from .base import Edit, EditError, counted, material_in, there

OWN = "a material of one's own"
KINDS = ("", *EXPANSION)
# values of a material of one's own and what they may be, SI
KEYS = {
    "E": ANY_STIFFNESS, "G": (ANY_STIFFNESS[0] / 20, ANY_STIFFNESS[1]), "poisson": (0.0, 0.4999), "density": ANY_DENSITY,
    "strength": (1e4, 5e9), "alpha": (0.0, 1e-4),
}  # fmt: skip


@dataclass
class SetSection(Edit):
    """Give members another section: one of the model's, or one of the catalogue, which is then added."""

    words = "a section"
    sets = "members"
    roles = {"members": Role.PARTS, "section": Role.PLAIN}

    made_at = "members"

    members: list[str]
    section: str

    def __post_init__(self) -> None:
        self.text = f"Section {self.section} for {counted(self.members, 'member')}"

    def state(self, model: Model, ident: str) -> Any:
        m = model.members.get(ident)
        return m.section if m is not None else None

    @property
    def aim(self) -> Any:
        return self.section

    def change(self, model: Model) -> str:
        if self.section not in model.sections:
            if self.section not in catalogue():
                raise EditError(f"{self.section} is neither in the model nor in the catalogue")
            model.sections[self.section] = catalogue_section(self.section, how="set by hand")
        for ident in self.members:
            self.member(model, ident).section = self.section
        return f"{counted(self.members, 'member')}: section {self.section}"


@dataclass
class OwnSection(Edit):
    """Give members a section of one's own: a shape with its sizes (m), or plain values (`own_section`)."""

    words = "a section of one's own"
    sets = "members"
    roles = {"members": Role.PARTS, "name": Role.PLAIN, "shape": Role.PLAIN, "sizes": Role.PLAIN}

    made_at = "members"

    members: list[str]
    name: str
    shape: str
    sizes: dict[str, float]

    def __post_init__(self) -> None:
        self.text = f"Section {self.name} for {counted(self.members, 'member')}"

    def state(self, model: Model, ident: str) -> Any:
        m = model.members.get(ident)
        return m.section if m is not None else None

    @property
    def aim(self) -> Any:
        return self.name

    def change(self, model: Model) -> str:
        if not self.name.strip():
            raise EditError("a section needs a name")
        taken = model.sections.get(self.name)
        if taken is not None and taken.origin != "a section of one's own":
            raise EditError(f"there is a section {self.name!r} already; give it another name")
        try:
            section = own_section(self.name, self.shape, self.sizes)
        except ShapeError as error:
            raise EditError(str(error)) from None
        if not section.usable:
            raise EditError(f"section {self.name!r} has no stiffness")
        model.sections[self.name] = section
        for ident in self.members:
            self.member(model, ident).section = self.name
        values = (
            f"A {section.area * 1e4:.4g} cm², Iy {section.iy * 1e8:.4g} cm⁴, Iz {section.iz * 1e8:.4g} cm⁴"
        )
        return f"{counted(self.members, 'member')}: section {self.name} ({self.shape}; {values})"


@dataclass
class TaperMembers(Edit):
    """Let members taper from their section to another at their end, of the same shape: one of the model's or
    of the catalogue; to nothing ("") to keep the section at their start all along."""

    words = "another section at the end"
    roles = {"members": Role.PARTS, "end": Role.PLAIN}

    made_at = "members"

    members: list[str]
    end: str

    def __post_init__(self) -> None:
        of = counted(self.members, "member")
        self.text = f"Section {self.end} at the end of {of}" if self.end else f"No taper of {of}"

    def change(self, model: Model) -> str:
        end = model.sections.get(self.end)
        if end is None and self.end in catalogue():
            end = catalogue_section(self.end, how="set by hand")
        if self.end and end is None:
            raise EditError(f"{self.end} is neither in the model nor in the catalogue")
        for ident in self.members:
            m = self.member(model, ident)
            start = model.sections.get(m.section)
            if start is None:
                raise EditError(f"{m.name or ident} has no section to taper from")
            first = m.section.partition(TO)[0] if start.end is not None else m.section
            plain = model.sections.get(first, replace(start, name=first, end=None))
            name = f"{first}{TO}{self.end}" if end is not None else first
            try:
                model.sections[name] = tapered(plain, end, name) if end is not None else plain
            except ShapeError as error:
                raise EditError(str(error)) from None
            m.section = name
        return self.text


@dataclass
class MapProfile(Edit):
    """Take a profile that could not be read as a section of the catalogue, for all its members at once."""

    words = "a mapped profile"
    roles = {"profile": Role.SECTION, "name": Role.PLAIN}

    made_at = "properties"

    profile: str
    name: str

    def __post_init__(self) -> None:
        self.text = f"Map {self.profile} to {self.name}"

    def change(self, model: Model) -> str:
        if self.name not in catalogue():
            raise EditError(f"{self.name} is not in the catalogue")
        model.sections[self.profile] = catalogue_section(self.name, self.profile, "mapped by hand")
        return f"profile {self.profile} mapped to {self.name}"

    def ids(self, model: Model) -> tuple[str, ...]:
        return tuple(m.id for m in model.members.values() if m.section == self.profile)


@dataclass
class SetMaterial(Edit):
    """Give members and surfaces another material: one of the model's, or a grade, which is then added."""

    words = "a material"
    sets = "members"
    roles = {"members": Role.PARTS, "material": Role.PLAIN}

    made_at = "members"

    members: list[str]
    material: str

    def __post_init__(self) -> None:
        self.text = f"Material {self.material} for {counted(self.members, 'part')}"

    def state(self, model: Model, ident: str) -> Any:
        part = model.part(ident)
        return part.material if part is not None else None

    @property
    def aim(self) -> Any:
        return self.material

    def change(self, model: Model) -> str:
        material_in(model, self.material)
        _give(self, model, self.members, self.material)
        return f"{counted(self.members, 'part')}: material {self.material}"


@dataclass
class OwnMaterial(Edit):
    """Give members and surfaces a material of one's own: `values` of `KEYS` in SI (E must be there), of a
    kind of `KINDS` or none."""

    words = "a material of one's own"
    sets = "members"
    roles = {"members": Role.PARTS, "name": Role.PLAIN, "kind": Role.PLAIN, "values": Role.PLAIN}

    made_at = "members"

    members: list[str]
    name: str
    kind: str
    values: dict[str, float]

    def __post_init__(self) -> None:
        self.text = f"Material {self.name} for {counted(self.members, 'part')}"

    def state(self, model: Model, ident: str) -> Any:
        part = model.part(ident)
        return part.material if part is not None else None

    @property
    def aim(self) -> Any:
        return self.name

    def change(self, model: Model) -> str:
        if not self.name.strip():
            raise EditError("a material needs a name")
        taken = model.materials.get(self.name)
        if taken is not None and OWN not in (taken.origin or {}).values():
            raise EditError(f"there is a material {self.name!r} already; give it another name")
        for key, value in self.values.items():
            low, high = KEYS.get(key, (0.0, 0.0))
            if not low <= value <= high:
                known = (
                    f"it must lie between {low:g} and {high:g}"
                    if key in KEYS
                    else f"known are {', '.join(KEYS)}"
                )
                raise EditError(f"material {self.name!r}: {key} is {value:g}; {known}")
        if "E" not in self.values:
            raise EditError(f"material {self.name!r}: E is missing")
        origin = dict.fromkeys(self.values, OWN)
        model.materials[self.name] = Material(self.name, self.kind, **self.values, origin=origin)
        _give(self, model, self.members, self.name)
        return f"{counted(self.members, 'part')}: material {self.name} (E {self.values['E'] / 1e9:.4g} GPa)"


USUAL = {"steel": "S235", "concrete": "C30/37", "timber": "C24"}
SLENDER = 0.12  # m; a solid rectangle that is thinner is a timber's. Common practice, no source.


def likely_grade(model: Model, material: str) -> str:
    """The grade that a material is most likely to be: by its name, its family, the density that its source
    brings, or what is made of it; "" where nothing says."""
    own = model.materials.get(material)
    found = standard_of(own.name if own is not None else material)
    if found is not None and found[0].name in grades():
        return found[0].name
    if own is not None and own.kind:
        return USUAL.get(own.kind, "")
    if own is not None and own.density and "density" not in (own.origin or {}):
        for kind in ("steel", "timber", "concrete"):
            low, high = DENSITY_RANGE[kind]
            if low <= own.density <= high:
                return USUAL[kind]
    sections = [model.sections.get(m.section) for m in model.members.values() if m.material == material]
    known = [s for s in sections if s is not None and s.usable]
    if not known:
        return USUAL["concrete"] if any(s.material == material for s in model.surfaces.values()) else ""
    solid = all(s.shape in ("rectangle", "arbitrary", "circle") and not s.voids for s in known)
    if not solid:
        return USUAL["steel"]
    return USUAL["timber" if min(min(s.width, s.depth) for s in known) <= SLENDER else "concrete"]


@dataclass
class MapMaterial(Edit):
    """Take a material as a grade of a standard, for all that is made of it."""

    words = "a mapped material"
    roles = {"material": Role.MATERIAL, "grade": Role.PLAIN}

    made_at = "properties"

    material: str
    grade: str

    def __post_init__(self) -> None:
        self.text = f"Map {self.material} to {self.grade}"

    def change(self, model: Model) -> str:
        if self.grade not in grades():
            raise EditError(f"{self.grade} is no grade of the catalogue")
        grade = grades()[self.grade]
        was = model.materials.get(self.material)
        was = was if was is not None else Material(self.material)
        model.materials[self.material] = completed(was, grade, f"{grade.where}, mapped by hand")
        kept = [k for k in ("E", "density") if k not in (model.materials[self.material].origin or {})]
        told = f"; its own {' and '.join(kept)} kept" if kept else ""
        return f"material {self.material} mapped to {self.grade}{told}"

    def ids(self, model: Model) -> tuple[str, ...]:
        members = [m.id for m in model.members.values() if m.material == self.material]
        return tuple(members + [s.id for s in model.surfaces.values() if s.material == self.material])


@dataclass
class SetMaterialValue(Edit):
    """Give a material one value: E, G (Pa), density (kg/m3) or strength (Pa)."""

    words = "a value of a material"
    sets = "material"
    roles = {"material": Role.MATERIAL, "key": Role.PLAIN, "value": Role.PLAIN}

    made_at = "members"

    material: str
    key: str
    value: float

    def __post_init__(self) -> None:
        self.text = f"{self.key} of {self.material}"

    def state(self, model: Model, ident: str) -> Any:
        material = model.materials.get(ident)
        return getattr(material, self.key, None) if material is not None else None

    @property
    def aim(self) -> Any:
        return self.value

    def change(self, model: Model) -> str:
        if self.key not in ("E", "G", "density", "strength") or not self.value > 0:
            raise EditError(f"{self.key} = {self.value:g} is no value of a material")
        own = copy(there(model.materials, self.material))
        origin = dict(own.origin or {}) | {self.key: "set by hand"}
        model.materials[self.material] = replace(own, **{self.key: self.value}, origin=origin)  # type: ignore[arg-type]
        return f"material {self.material}: {self.key} = {self.value:g}"

    def ids(self, model: Model) -> tuple[str, ...]:
        return ()


def _give(edit: Edit, model: Model, parts: list[str], material: str) -> None:
    for ident in parts:
        if ident in model.members:
            edit.member(model, ident).material = material
        else:
            edit.surface(model, ident).material = material
