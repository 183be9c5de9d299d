"""Section, place and material of an element of the source, as they were corrected."""

from __future__ import annotations

import uuid
from typing import Any

import ifcopenshell.guid
import numpy as np

from ....intake.ifc.geometry.placement import Placements
from ....intake.ifc.geometry.profiles import Profiles
from ....intake.ifc.materials import PROPERTIES
from ....intake.ifc.units import Units
from ....intake.source import SourceProfile
from ....model import Material, Section
from ....model.catalogue.catalogue import catalogue, catalogue_name, catalogue_section
from ....model.geometry.vectors import Array
from ....transfer.members.sections import section_of
from .text import Changes

SPACE = uuid.UUID("5d9b1e5c-6a0d-4a5e-9f0e-52a8e0a3c7b1")
SHAPES = {
    "i": (
        "IfcIShapeProfileDef",
        {
            "depth": "OverallDepth",
            "width": "OverallWidth",
            "web": "WebThickness",
            "flange": "FlangeThickness",
            "fillet": "FilletRadius",
        },
    ),
    "channel": (
        "IfcUShapeProfileDef",
        {
            "depth": "Depth",
            "width": "FlangeWidth",
            "web": "WebThickness",
            "flange": "FlangeThickness",
            "fillet": "FilletRadius",
            "slope": "FlangeSlope",
        },
    ),
    "angle": (
        "IfcLShapeProfileDef",
        {
            "depth": "Depth",
            "width": "Width",
            "thickness": "Thickness",
            "fillet": "FilletRadius",
            "edge": "EdgeRadius",
        },
    ),
    "box": (
        "IfcRectangleHollowProfileDef",
        {
            "width": "XDim",
            "depth": "YDim",
            "wall": "WallThickness",
            "r_out": "OuterFilletRadius",
            "r_in": "InnerFilletRadius",
        },
    ),
    "circle": ("IfcCircleHollowProfileDef", {"radius": "Radius", "wall": "WallThickness"}),
}
MEASURES = {
    "E": ("YoungModulus", "IfcModulusOfElasticityMeasure", "Pset_MaterialMechanical"),
    "G": ("ShearModulus", "IfcModulusOfElasticityMeasure", "Pset_MaterialMechanical"),
    "poisson": ("PoissonRatio", "IfcPositiveRatioMeasure", "Pset_MaterialMechanical"),
    "density": ("MassDensity", "IfcMassDensityMeasure", "Pset_MaterialCommon"),
    "alpha": ("ThermalExpansionCoefficient", "IfcThermalExpansionCoefficientMeasure", "Pset_MaterialThermal"),
    "strength": ("CompressiveStrength", "IfcPressureMeasure", "Pset_MaterialMechanical"),
}


class NotWritten(ValueError):
    """Raised for a correction that cannot be written into the element; the message says why."""


class Elements:
    """Writes into the elements of one open file. Lengths are the file's own in entities, m outside."""

    def __init__(self, changes: Changes, placements: Placements, profiles: Profiles, units: Units) -> None:
        self.changes, self.file = changes, changes.file
        self.placements, self.profiles, self.units = placements, profiles, units
        self.scale = placements.scale
        self.old = self.file.schema == "IFC2X3"
        self._made_profiles: dict[Section, tuple[Any, SourceProfile]] = {}
        self._made_materials: dict[tuple[str, str], Any] = {}
        self._made_sets: dict[tuple[int, int], Any] = {}
        self._known: list[tuple[Any, SourceProfile, Section]] | None = None

    # -- profiles --------------------------------------------------------------------------------------------

    def profile(self, section: Section) -> tuple[Any, SourceProfile]:
        """The profile of a section: one that the file has, else one of the catalogue by its sizes, else its
        outline. Raises NotWritten for a section without a shape."""
        if section not in self._made_profiles:
            self._made_profiles[section] = self._own_profile(section) or self._new_profile(section)
        return self._made_profiles[section]

    def _own_profile(self, section: Section) -> tuple[Any, SourceProfile] | None:
        if self._known is None:
            self._known = []
            for entity in self.file.by_type("IfcProfileDef"):
                own = self.profiles.found[self.profiles.key(entity)]
                if own.ends is None:
                    self._known.append((entity, own, section_of(own)[0]))
        for entity, own, known in self._known:
            if _alike(known, section) and (entity.ProfileName or "").strip() in ("", section.name):
                return entity, own
        return None

    def _new_profile(self, section: Section) -> tuple[Any, SourceProfile]:
        name = catalogue_name(section.name)
        rolled = catalogue().get(name) if name is not None else None
        if rolled is not None and name is not None and _alike(catalogue_section(name), section):
            kind, titles = SHAPES[rolled.shape]
            if set(rolled.dims) <= set(titles):
                values = {
                    titles[k]: v / (self.units["PLANEANGLEUNIT"] if k == "slope" else self.scale)
                    for k, v in rolled.dims.items()
                }
                place = self._flat_place() if self.old else None
                entity = self.changes.create(
                    kind, ProfileType="AREA", ProfileName=section.name, Position=place, **values
                )
                return entity, SourceProfile(section.name, rolled.shape, dict(rolled.dims))
        if not section.outline:
            raise NotWritten(f"section {section.name} has values and no shape")
        rings = [
            self.changes.create("IfcPolyline", [self._flat(p) for p in (*ring, ring[0])])
            for ring in (section.outline, *section.voids)
        ]
        kind = "IfcArbitraryProfileDefWithVoids" if section.voids else "IfcArbitraryClosedProfileDef"
        entity = self.changes.create(
            kind, "AREA", section.name, rings[0], *([rings[1:]] if section.voids else [])
        )
        outer, voids = list(section.outline), [list(v) for v in section.voids]
        return entity, SourceProfile(section.name, "arbitrary", outer=outer, voids=voids)

    def _flat(self, p: tuple[float, float]) -> Any:
        return self.changes.create("IfcCartesianPoint", [float(v) / self.scale for v in p])

    def _flat_place(self) -> Any:
        return self.changes.create("IfcAxis2Placement2D", self._flat((0.0, 0.0)), None)

    # -- bodies ----------------------------------------------------------------------------------------------

    def body(
        self, element: Any, line: Array, z: Array, profile: Any, source: SourceProfile, stays: bool
    ) -> None:
        """Give an element whose body is one extrusion another profile, place or length. `line` (2, 3): its
        centroid line in the world, m; `z`: direction that its local z is nearest to; `stays`: these are as
        they were. Raises NotWritten."""
        reps = [r for r in element.Representation.Representations if r.RepresentationIdentifier == "Body"]
        if len(reps) != 1:
            raise NotWritten("its body is in several representations")
        solid = self._own_solid(element, reps[0])
        if solid is not None and stays:
            before = self.profiles.found[self.profiles.key(solid.SweptArea)]
            if _lies_in(before) == _lies_in(source):
                self.changes.set(solid, SweptArea=profile)
                return
        place = self._place(element, line, z, source)
        depth = float(np.linalg.norm(line[1] - line[0])) / self.scale
        up = self.changes.create("IfcDirection", [0.0, 0.0, 1.0])
        if solid is not None:
            self.changes.set(solid, SweptArea=profile, Position=place, ExtrudedDirection=up, Depth=depth)
            return
        solid = self.changes.create("IfcExtrudedAreaSolid", profile, place, up, depth)
        self._represent(element, reps[0], "SweptSolid", solid)

    def _represent(self, element: Any, rep: Any, kind: str, item: Any) -> None:
        """Put one item in place of what is in a representation of an element, for this element alone."""
        shape = element.Representation
        if self._users(shape) == [element] and self._shapes(rep) == [shape] and not self._mapped(rep):
            self.changes.set(rep, RepresentationType=kind, Items=[item])
            return
        own = self.changes.create(
            "IfcShapeRepresentation", rep.ContextOfItems, rep.RepresentationIdentifier, kind, [item]
        )
        others = [own if r == rep else r for r in shape.Representations]
        made = self.changes.create("IfcProductDefinitionShape", shape.Name, shape.Description, others)
        self.changes.set(element, Representation=made)

    def _own_solid(self, element: Any, rep: Any) -> Any:
        """The extrusion that an element's body is, where nothing else uses it; None for one that is shared."""
        if len(rep.Items) != 1 or rep.Items[0].is_a() != "IfcExtrudedAreaSolid":
            return None
        solid, shape = rep.Items[0], element.Representation
        users = [e for e in self.file.get_inverse(solid) if not e.is_a("IfcStyledItem")]
        alone = users == [rep] and self._shapes(rep) == [shape] and not self._mapped(rep)
        return solid if alone and self._users(shape) == [element] else None

    def _users(self, shape: Any) -> list[Any]:
        """Products that a shape is the shape of."""
        return [e for e in self.file.get_inverse(shape) if e.is_a("IfcProduct")]

    def _shapes(self, rep: Any) -> list[Any]:
        """Shapes that a representation is one of."""
        return [e for e in self.file.get_inverse(rep) if e.is_a("IfcProductRepresentation")]

    def _mapped(self, rep: Any) -> bool:
        """Return whether other elements are drawn by it."""
        return any(e.is_a("IfcRepresentationMap") for e in self.file.get_inverse(rep))

    def _place(self, element: Any, line: Array, z: Array, source: SourceProfile) -> Any:
        """The position of an extrusion in its element, so that its centroid runs along the line."""
        world = self.placements.local(element.ObjectPlacement)
        x = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
        across = z - (z @ x) * x
        z = across / np.linalg.norm(across)
        y = np.cross(z, x)
        c, s = np.cos(source.turn), np.sin(source.turn)
        own_x, own_y = c * y - s * z, s * y + c * z
        at = section_of(source)[1]
        origin = line[0] - y * at[0] - z * at[1] - own_x * source.shift[0] - own_y * source.shift[1]
        turn, step = world[:3, :3].T, world[:3, 3]
        return self.changes.create(
            "IfcAxis2Placement3D",
            self.changes.create("IfcCartesianPoint", [float(v) / self.scale for v in turn @ (origin - step)]),
            self.changes.create("IfcDirection", [float(v) for v in turn @ x]),
            self.changes.create("IfcDirection", [float(v) for v in turn @ own_x]),
        )

    def axis(self, element: Any, line: Array) -> None:
        """Give an element's axis representation, if it has one, another line (2, 3), in the world, m."""
        shape = element.Representation
        reps = [r for r in shape.Representations if r.RepresentationIdentifier == "Axis"]
        if not reps:
            return
        world = self.placements.local(element.ObjectPlacement)
        points = (line - world[:3, 3]) @ world[:3, :3] / self.scale
        flat = all(p.is_a("IfcCartesianPoint") and len(p.Coordinates) == 2 for r in reps for p in _points(r))
        if flat and np.abs(points[:, 2]).max() > 1e-9:
            raise NotWritten("its axis is drawn in plan")
        curve = self.changes.create(
            "IfcPolyline",
            [
                self.changes.create("IfcCartesianPoint", [float(v) for v in (p[:2] if flat else p)])
                for p in points
            ],
        )
        for rep in reps:
            self._represent(element, rep, "Curve2D" if flat else "Curve3D", curve)

    # -- materials and what is associated --------------------------------------------------------------------

    def material(self, name: str, material: Material) -> Any:
        """A material of the file by that name, else a new one with its values."""
        key = name, material.name
        if key not in self._made_materials:
            known = [e for e in self.file.by_type("IfcMaterial") if (e.Name or "").strip() == material.name]
            self._made_materials[key] = known[0] if known else self._new_material(material)
        return self._made_materials[key]

    def _new_material(self, material: Material) -> Any:
        if self.old:
            entity = self.changes.create("IfcMaterial", material.name)
            pressure = self.units["MODULUSOFELASTICITYUNIT"]
            self.changes.create(
                "IfcMechanicalMaterialProperties",
                entity,
                None,
                None if material.E is None else material.E / pressure,
                None if material.G is None else material.G / pressure,
                material.poisson or None,
                None
                if not material.alpha
                else material.alpha / self.units["THERMALEXPANSIONCOEFFICIENTUNIT"],
            )
            if material.density is not None:
                density = material.density / self.units["MASSDENSITYUNIT"]
                self.changes.create(
                    "IfcGeneralMaterialProperties", Material=entity, MassDensity=float(density)
                )
            return entity
        entity = self.changes.create("IfcMaterial", material.name, None, material.kind or None)
        self.values(entity, material, [k for k in MEASURES if getattr(material, k) is not None])
        return entity

    def values(self, entity: Any, material: Material, keys: list[str]) -> None:
        """Give a material of the file these of its values (names of fields). Raises NotWritten."""
        for key in keys:
            value = getattr(material, key)
            if value is None:
                raise NotWritten(f"material {material.name} has no {key} any more")
            if self.old:
                self._old_value(entity, key, value)
                continue
            title, measure, group = MEASURES[key]
            if key == "strength" and material.kind == "steel":
                title = "YieldStress"
            unit = PROPERTIES[key][2]
            found = [
                p
                for own in self.file.by_type("IfcMaterialProperties")
                if own.Material == entity
                for p in own.Properties or ()
                if p.Name in PROPERTIES[key][0] and getattr(p, "NominalValue", None) is not None
            ]
            if found:
                for p in found:
                    factor = self.units.of_property(p, unit)[0]
                    kind = p.NominalValue.is_a()
                    self.changes.set(p, NominalValue=self.changes.create(kind, float(value) / factor))
                continue
            factor = self.units[unit] if unit else 1.0
            prop = self.changes.create(
                "IfcPropertySingleValue",
                title,
                None,
                self.changes.create(measure, float(value) / factor),
                None,
            )
            self.changes.create("IfcMaterialProperties", group, None, [prop], entity)

    def _old_value(self, entity: Any, key: str, value: float) -> None:
        _, names, unit = PROPERTIES[key]
        for own in self.file.by_type("IfcMaterialProperties"):
            for name in names:
                if own.Material == entity and getattr(own, name, None) is not None:
                    self.changes.set(own, **{name: float(value) / (self.units[unit] if unit else 1.0)})
                    return
        raise NotWritten(f"the file gives material {entity.Name} no {names[0]} that could be changed")

    def associate(self, element: Any, material: Any, profile: Any) -> None:
        """Say what an element is made of: a material (None: the one that it has) and a profile (None: the
        one that it is said to have, if any)."""
        rels = self._relations(element, "IfcRelAssociatesMaterial")
        has = rels[0].RelatingMaterial if rels else self._of_type(element)
        usage = has if has is not None and has.is_a("IfcMaterialProfileSetUsage") else None
        group = usage.ForProfileSet if usage is not None else has
        made_of = material
        if group is not None and group.is_a("IfcMaterialProfileSet"):
            own = group.MaterialProfiles[0]
            if len(group.MaterialProfiles) > 1 or (
                usage is not None and usage.is_a() != "IfcMaterialProfileSetUsage"
            ):
                raise NotWritten("it is said to be of several profiles")
            made_of = self._set(profile or own.Profile, material or own.Material)
            if usage is not None:
                made_of = self.changes.create(
                    "IfcMaterialProfileSetUsage", made_of, usage.CardinalPoint, usage.ReferenceExtent
                )
        elif material is None:
            return
        elif has is not None and not has.is_a("IfcMaterial"):
            raise NotWritten(f"it is said to be of an {has.is_a()}")
        if rels and len(rels[0].RelatedObjects) == 1:
            self.changes.set(rels[0], RelatingMaterial=made_of)
            return
        if rels:
            self.changes.set(rels[0], RelatedObjects=[e for e in rels[0].RelatedObjects if e != element])
        guid = ifcopenshell.guid.compress(uuid.uuid5(SPACE, f"{element.GlobalId}/made of").hex)
        self.changes.create(
            "IfcRelAssociatesMaterial",
            GlobalId=guid,
            OwnerHistory=element.OwnerHistory,
            RelatedObjects=[element],
            RelatingMaterial=made_of,
        )

    def _of_type(self, element: Any) -> Any:
        for rel in self._relations(element, "IfcRelDefinesByType"):
            for own in self._relations(rel.RelatingType, "IfcRelAssociatesMaterial"):
                return own.RelatingMaterial
        return None

    def _relations(self, entity: Any, kind: str) -> list[Any]:
        """Relations of a kind that an element is one of the related objects of."""
        found = [
            r for r in self.file.get_inverse(entity) if r.is_a(kind) and entity in (r.RelatedObjects or ())
        ]
        return sorted(found, key=lambda r: r.id())

    def _set(self, profile: Any, material: Any) -> Any:
        key = profile.id(), material.id() if material is not None else 0
        if key not in self._made_sets:
            name = profile.ProfileName
            own = self.changes.create("IfcMaterialProfile", name, None, material, profile, None, None)
            self._made_sets[key] = self.changes.create("IfcMaterialProfileSet", name, None, [own], None)
        return self._made_sets[key]


def _alike(a: Section, b: Section) -> bool:
    """Return whether two sections are one but for rounding."""
    values = ("area", "iy", "iz", "iyz", "j", "avy", "avz")
    size = max(a.area, b.area, 1e-12)
    return (
        a.usable
        and b.usable
        and all(
            abs(getattr(a, k) - getattr(b, k))
            <= 1e-6 * (size if k in ("area", "avy", "avz") else max(a.iy, a.iz))
            for k in values
        )
        and bool(np.allclose(a.bounds, b.bounds, atol=1e-6))
        and (a.end is None) == (b.end is None)
    )


def _lies_in(profile: SourceProfile) -> tuple[float, ...]:
    """Where the centroid of a profile lies in its own axes, and how they are turned, to rounding."""
    at = section_of(profile)[1]
    return tuple(round(v, 9) + 0.0 for v in (*profile.shift, profile.turn, *at))


def _points(rep: Any) -> list[Any]:
    return [p for item in rep.Items for p in getattr(item, "Points", None) or ()] if rep is not None else []
