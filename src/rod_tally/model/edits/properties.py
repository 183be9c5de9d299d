"""Corrections of what things are: supports, releases, sections, materials, thickness."""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass, replace

import numpy as np

from ..catalogue.catalogue import catalogue, catalogue_section
from ..catalogue.grades import grades
from ..catalogue.own import own_section
from ..catalogue.shapes import ShapeError
from ..catalogue.taper import TO, tapered
from ..entities.material import graded
from ..entities.model import Model
from ..entities.structure import FREE, PINNED_END, Joint, Release, Support
from ..entities.surface import LineSupport
from .base import Edit, EditError, counted, there

FARTHEST_END = 5.0  # m; an end farther from its node than this is none


@dataclass
class SetSupport(Edit):
    """Give nodes a support (or take it away with FREE)."""

    nodes: list[str]
    support: Support

    def __post_init__(self) -> None:
        what = "Free" if self.support == FREE else "Support"
        self.text = f"{what} {len(self.nodes)} nodes" if len(self.nodes) != 1 else f"{what} node {self.nodes[0]}"

    def change(self, model: Model) -> str:
        for ident in self.nodes:
            self.node(model, ident).support = self.support
        return f"{', '.join(self.nodes[:5])}: support {self.support.words or 'none'}"

    def ids(self, model: Model) -> tuple[str, ...]:
        return ()


@dataclass
class SetMeshSize(Edit):
    """Give surfaces an element size of their own, m (None: as the settings say)."""

    surfaces: list[str]
    size: float | None

    def __post_init__(self) -> None:
        self.text = f"Element size of {counted(self.surfaces, 'surface')}"

    def change(self, model: Model) -> str:
        if self.size is not None and not 0.02 <= self.size <= 10:
            raise EditError(f"an element size of {self.size:g} m is not between 0.02 and 10 m")
        for ident in self.surfaces:
            self.surface(model, ident).mesh_size = self.size
        size = "as the settings say" if self.size is None else f"{self.size:g} m"
        return f"{counted(self.surfaces, 'surface')}: elements {size}"


@dataclass
class SetDiaphragm(Edit):
    """Have slabs that hand their loads on stiffen their storey in plan, as rigid floors, or not."""

    surfaces: list[str]
    rigid: bool = True

    def __post_init__(self) -> None:
        how = "stiffen their storey" if self.rigid else "stiffen nothing"
        self.text = f"{counted(self.surfaces, 'slab')}: {how}"

    def change(self, model: Model) -> str:
        for ident in self.surfaces:
            s = there(model.surfaces, ident)
            if s.keeps_loads:
                how = (
                    "a wall"
                    if s.upright
                    else "a raft"
                    if s.on_ground
                    else "a shell, which is as stiff in its plane as it is"
                )
                raise EditError(
                    f"{s.name or ident} is {how}; a storey as a whole can be rigid in plan (run.diaphragms)"
                )
            if self.rigid and abs(float(s.plain_axes[2][2])) < 0.9999:
                raise EditError(f"{s.name or ident} is not level, so it is no rigid floor")
        for ident in self.surfaces:
            self.surface(model, ident).diaphragm = self.rigid
        return self.text


@dataclass
class HoldFoot(Edit):
    """Hold the lowest level edges of surfaces by a line support (or take all their line supports away with FREE)."""

    surfaces: list[str]
    support: Support

    def __post_init__(self) -> None:
        what = "Free" if self.support == FREE else "Support"
        self.text = f"{what} {counted(self.surfaces, 'wall')}"

    def change(self, model: Model) -> str:
        for ident in self.surfaces:
            surface = self.surface(model, ident)
            surface.supports = []
            if self.support.any:
                edges = surface.bottom_edges()
                if not edges:
                    raise EditError(f"{surface.name or ident} has no level edge at its foot")
                surface.supports = [LineSupport(e, self.support) for e in edges]
        return f"{counted(self.surfaces, 'surface')}: foot {self.support.words or 'free'}"


@dataclass
class SetBedding(Edit):
    """Lay surfaces on springs, N/m3 (0: none)."""

    surfaces: list[str]
    modulus: float

    def __post_init__(self) -> None:
        self.text = f"Bed {counted(self.surfaces, 'slab')}"

    def change(self, model: Model) -> str:
        for ident in self.surfaces:
            self.surface(model, ident).bedding = self.modulus
        return f"{counted(self.surfaces, 'surface')} bedded on {self.modulus / 1e6:g} MN/m3"


@dataclass
class SetRelease(Edit):
    """Release or fix one end of members."""

    keeps_lines = True

    members: list[str]
    at_end: bool
    release: Release

    def __post_init__(self) -> None:
        what = "Release" if self.release.any else "Fix"
        self.text = f"{what} the {'end' if self.at_end else 'start'} of {len(self.members)} members"

    def change(self, model: Model) -> str:
        for ident in self.members:
            member = self.member(model, ident)
            if self.at_end:
                member.release_end = self.release
            else:
                member.release_start = self.release
        return f"{len(self.members)} members: {'end' if self.at_end else 'start'} {'released in ' + self.release.words if self.release.any else 'fixed'}"


@dataclass
class SetOffset(Edit):
    """Put one end of members beside its node: `by` (m, global) leads from the node to the end, by a rigid link; zero brings it back."""

    keeps_lines = True

    members: list[str]
    at_end: bool
    by: list[float]

    def __post_init__(self) -> None:
        self.text = f"Offset the {'end' if self.at_end else 'start'} of {counted(self.members, 'member')}"

    def change(self, model: Model) -> str:
        by = np.array(self.by, float)
        if by.shape != (3,) or not np.isfinite(by).all() or np.linalg.norm(by) > FARTHEST_END:
            raise EditError(f"an offset has three lengths, together up to {FARTHEST_END:g} m")
        for ident in self.members:
            m = self.member(model, ident)
            before = model.length(m)
            if self.at_end:
                m.offset_end = by.copy()
            else:
                m.offset_start = by.copy()
            length = model.length(m)
            if length < 0.01:
                raise EditError(f"{m.name or m.id} would have no length")
            m.joints = [Joint(j.distance * length / before, j.node) for j in m.joints]
        where = "end" if self.at_end else "start"
        return f"{counted(self.members, 'member')}: {where} {'at its node' if not by.any() else f'{np.linalg.norm(by) * 1000:.0f} mm beside its node'}"


@dataclass
class PinBoth(Edit):
    """Release members in bending at both ends, or fix both (`pinned` False)."""

    members: list[str]
    pinned: bool = True

    def __post_init__(self) -> None:
        self.text = f"{'Pin' if self.pinned else 'Fix'} both ends of {counted(self.members, 'member')}"

    def change(self, model: Model) -> str:
        release = PINNED_END if self.pinned else Release()
        for ident in self.members:
            member = self.member(model, ident)
            member.release_start = member.release_end = release
        return (
            f"{counted(self.members, 'member')}: both ends {'released in ' + release.words if release.any else 'fixed'}"
        )


@dataclass
class SetSection(Edit):
    """Give members another section: one of the model's, or one of the catalogue, which is then added."""

    members: list[str]
    section: str

    def __post_init__(self) -> None:
        self.text = f"Section {self.section} for {counted(self.members, 'member')}"

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

    members: list[str]
    name: str
    shape: str
    sizes: dict[str, float]

    def __post_init__(self) -> None:
        self.text = f"Section {self.name} for {counted(self.members, 'member')}"

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
        values = f"A {section.area * 1e4:.4g} cm², Iy {section.iy * 1e8:.4g} cm⁴, Iz {section.iz * 1e8:.4g} cm⁴"
        return f"{counted(self.members, 'member')}: section {self.name} ({self.shape}; {values})"


@dataclass
class TaperMembers(Edit):
    """Let members taper from their section to another at their end, of the same shape: one of the model's or of the catalogue; to
    nothing ("") to keep the section at their start all along."""

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
                model.sections.setdefault(name, tapered(plain, end, name) if end is not None else plain)
            except ShapeError as error:
                raise EditError(str(error)) from None
            m.section = name
        return self.text


@dataclass
class SetMaterial(Edit):
    """Give members and surfaces another material: one of the model's, or a grade, which is then added."""

    members: list[str]
    material: str

    def __post_init__(self) -> None:
        self.text = f"Material {self.material} for {counted(self.members, 'part')}"

    def change(self, model: Model) -> str:
        if self.material not in model.materials:
            if self.material not in grades():
                raise EditError(f"{self.material} is neither in the model nor a grade of the catalogue")
            grade = grades()[self.material]
            model.materials[self.material] = graded(self.material, grade, f"{grade.where}, set by hand")
        for ident in self.members:
            if ident in model.members:
                self.member(model, ident).material = self.material
            else:
                self.surface(model, ident).material = self.material
        return f"{counted(self.members, 'part')}: material {self.material}"


@dataclass
class SetThickness(Edit):
    """Give surfaces another thickness, m."""

    surfaces: list[str]
    thickness: float

    def __post_init__(self) -> None:
        self.text = f"Thickness of {counted(self.surfaces, 'surface')}"

    def change(self, model: Model) -> str:
        if not 1e-3 <= self.thickness <= 10:
            raise EditError(f"a thickness of {self.thickness:g} m is none of a slab or wall")
        for ident in self.surfaces:
            self.surface(model, ident).thickness = self.thickness
        return f"{counted(self.surfaces, 'surface')}: {self.thickness * 1000:.0f} mm thick"


@dataclass
class MapProfile(Edit):
    """Take a profile that could not be read as a section of the catalogue, for all its members at once."""

    profile: str
    name: str

    def __post_init__(self) -> None:
        self.text = f"Map {self.profile} to {self.name}"

    def change(self, model: Model) -> str:
        there(catalogue(), self.name)
        model.sections[self.profile] = catalogue_section(self.name, self.profile, "mapped by hand")
        return f"profile {self.profile} mapped to {self.name}"

    def ids(self, model: Model) -> tuple[str, ...]:
        return tuple(m.id for m in model.members.values() if m.section == self.profile)


@dataclass
class MapMaterial(Edit):
    """Take a material as a grade of a standard, for all that is made of it."""

    material: str
    grade: str

    def __post_init__(self) -> None:
        self.text = f"Map {self.material} to {self.grade}"

    def change(self, model: Model) -> str:
        grade = there(grades(), self.grade)
        was = model.materials.get(self.material)
        name = was.name if was is not None else self.material
        model.materials[self.material] = graded(name, grade, f"{grade.where}, mapped by hand")
        return f"material {self.material} mapped to {self.grade}"

    def ids(self, model: Model) -> tuple[str, ...]:
        members = [m.id for m in model.members.values() if m.material == self.material]
        return tuple(members + [s.id for s in model.surfaces.values() if s.material == self.material])


@dataclass
class SetMaterialValue(Edit):
    """Give a material one value: E, G (Pa), density (kg/m3) or strength (Pa)."""

    material: str
    key: str
    value: float

    def __post_init__(self) -> None:
        self.text = f"{self.key} of {self.material}"

    def change(self, model: Model) -> str:
        if self.key not in ("E", "G", "density", "strength") or not self.value > 0:
            raise EditError(f"{self.key} = {self.value:g} is no value of a material")
        own = copy(there(model.materials, self.material))
        origin = dict(own.origin or {}) | {self.key: "set by hand"}
        model.materials[self.material] = replace(own, **{self.key: self.value}, origin=origin)  # type: ignore[arg-type]
        return f"material {self.material}: {self.key} = {self.value:g}"

    def ids(self, model: Model) -> tuple[str, ...]:
        return ()
