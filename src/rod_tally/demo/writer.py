"""A small writer of physical IFC models with ifcopenshell; coordinates in metres whatever the file's unit."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import ifcopenshell
import ifcopenshell.guid
import numpy as np

from ..model.geometry.vectors import Array, default_z, local_axes

SPACE = uuid.UUID("6f1f5a2e-7f0c-4f5e-9b43-3f9f5c1d7a11")
UNITS = {"METRE": 1.0, "MILLIMETRE": 0.001, "CENTIMETRE": 0.01, "FOOT": 0.3048, "INCH": 0.0254}
Vec = Sequence[float]


class IfcWriter:
    """Writes storeys, members, footings, walls and slabs. `stamp` seeds the GlobalIds, so that files come out
    the same each time; another stamp gives another identity to everything."""

    def __init__(self, name: str, schema: str = "IFC4", unit: str = "MILLIMETRE", stamp: str = "") -> None:
        self.scale = UNITS[unit]
        self._stamp, self._count = stamp or name, 0
        self.file = f = ifcopenshell.file(schema=schema)
        f.header.file_name.time_stamp = "2026-01-01T00:00:00"
        self._owner = self._owner_history() if schema == "IFC2X3" else None
        self.context = f.create_entity(
            "IfcGeometricRepresentationContext", None, "Model", 3, 1e-6, self.axes((0, 0, 0)), None
        )
        assignment = f.create_entity("IfcUnitAssignment", self._units(unit))
        self.project = self.root(
            "IfcProject", name, RepresentationContexts=[self.context], UnitsInContext=assignment
        )
        self.site = self.root("IfcSite", "Quayside", ObjectPlacement=self.placement((0, 0, 0)))
        self.building = self.root("IfcBuilding", name, ObjectPlacement=self.placement((0, 0, 0)))
        self.aggregate(self.project, [self.site])
        self.aggregate(self.site, [self.building])
        self.storeys: dict[str, tuple[Any, Any, float]] = {}
        self._contained: dict[str, list[Any]] = {}
        self._made_of: dict[int, tuple[Any, list[Any]]] = {}
        self._profiles: dict[str, Any] = {}

    def _owner_history(self) -> Any:
        f = self.file
        person = f.create_entity("IfcPerson", None, "Drawing office")
        org = f.create_entity("IfcOrganization", None, "Demo")
        both = f.create_entity("IfcPersonAndOrganization", person, org)
        app = f.create_entity("IfcApplication", org, "1", "Rod Tally demo", "rod-tally-demo")
        return f.create_entity("IfcOwnerHistory", both, app, None, "ADDED", None, None, None, 0)

    def _units(self, unit: str) -> list[Any]:
        f = self.file

        def si(kind: str, name: str, prefix: str | None = None) -> Any:
            return f.create_entity("IfcSIUnit", None, kind, prefix, name)

        metre = si("LENGTHUNIT", "METRE", unit[:-5] or None) if unit.endswith("METRE") else None
        if metre is None:
            factor = f.create_entity(
                "IfcMeasureWithUnit",
                f.create_entity("IfcRatioMeasure", self.scale),
                si("LENGTHUNIT", "METRE"),
            )
            dimensions = f.create_entity("IfcDimensionalExponents", 1, 0, 0, 0, 0, 0, 0)
            metre = f.create_entity("IfcConversionBasedUnit", dimensions, "LENGTHUNIT", unit, factor)
        kilogram, cubic = si("MASSUNIT", "GRAM", "KILO"), si("VOLUMEUNIT", "CUBIC_METRE")
        density = f.create_entity(
            "IfcDerivedUnit",
            [
                f.create_entity("IfcDerivedUnitElement", kilogram, 1),
                f.create_entity("IfcDerivedUnitElement", cubic, -1),
            ],
            "MASSDENSITYUNIT",
        )
        return [metre, si("PRESSUREUNIT", "PASCAL"), si("PLANEANGLEUNIT", "RADIAN"), kilogram, density]

    def guid(self) -> str:
        self._count += 1
        return ifcopenshell.guid.compress(uuid.uuid5(SPACE, f"{self._stamp}/{self._count}").hex)

    def root(self, kind: str, name: str | None, **attributes: Any) -> Any:
        return self.file.create_entity(
            kind, GlobalId=self.guid(), OwnerHistory=self._owner, Name=name, **attributes
        )

    def aggregate(self, whole: Any, parts: list[Any]) -> None:
        self.root("IfcRelAggregates", None, RelatingObject=whole, RelatedObjects=parts)

    def point(self, p: Vec) -> Any:
        return self.file.create_entity("IfcCartesianPoint", [float(v) / self.scale for v in p])

    def direction(self, d: Vec) -> Any:
        return self.file.create_entity("IfcDirection", [float(v) for v in d])

    def axes(self, origin: Vec, z: Vec | None = None, x: Vec | None = None) -> Any:
        return self.file.create_entity(
            "IfcAxis2Placement3D",
            self.point(origin),
            None if z is None else self.direction(z),
            None if x is None else self.direction(x),
        )

    def placement(self, origin: Vec, z: Vec | None = None, x: Vec | None = None, to: Any = None) -> Any:
        return self.file.create_entity("IfcLocalPlacement", to, self.axes(origin, z, x))

    def storey(self, name: str, elevation: float) -> None:
        place = self.placement((0, 0, elevation), to=self.building.ObjectPlacement)
        entity = self.root("IfcBuildingStorey", name, ObjectPlacement=place, Elevation=elevation / self.scale)
        self.aggregate(self.building, [entity])
        self.storeys[name] = (entity, place, elevation)

    def material(self, name: str, **values: float) -> Any:
        """A material; values are YoungModulus, ShearModulus, PoissonRatio, MassDensity in SI."""
        f = self.file
        entity = f.create_entity("IfcMaterial", name)
        if values and f.schema == "IFC2X3":
            mechanical = {k: v for k, v in values.items() if k != "MassDensity"}
            if mechanical:
                f.create_entity("IfcMechanicalMaterialProperties", Material=entity, **mechanical)
            if "MassDensity" in values:
                f.create_entity(
                    "IfcGeneralMaterialProperties", Material=entity, MassDensity=values["MassDensity"]
                )
        elif values:
            measures = {
                "YoungModulus": "IfcModulusOfElasticityMeasure",
                "ShearModulus": "IfcModulusOfElasticityMeasure",
                "PoissonRatio": "IfcPositiveRatioMeasure",
                "MassDensity": "IfcMassDensityMeasure",
            }
            sets = {
                "Pset_MaterialMechanical": [k for k in values if k != "MassDensity"],
                "Pset_MaterialCommon": [],
            }
            sets["Pset_MaterialCommon"] = [k for k in values if k == "MassDensity"]
            for set_name, keys in sets.items():
                if keys:
                    props = [
                        f.create_entity(
                            "IfcPropertySingleValue",
                            k,
                            None,
                            f.create_entity(measures[k], float(values[k])),
                            None,
                        )
                        for k in keys
                    ]
                    f.create_entity("IfcMaterialProperties", set_name, None, props, entity)
        return entity

    def profile(self, kind: str, name: str, **dims: float) -> Any:
        """A parameterised profile, once a name: kind is the entity without Ifc and ProfileDef; lengths in
        m."""
        if name not in self._profiles:
            values = {k: v / self.scale for k, v in dims.items()}
            self._profiles[name] = self.file.create_entity(
                f"Ifc{kind}ProfileDef", ProfileType="AREA", ProfileName=name, **values
            )
        return self._profiles[name]

    def i_profile(self, name: str, h: float, b: float, tw: float, tf: float, r: float) -> Any:
        return self.profile(
            "IShape",
            name,
            OverallWidth=b,
            OverallDepth=h,
            WebThickness=tw,
            FlangeThickness=tf,
            FilletRadius=r,
        )

    def extrusion(self, profile: Any, depth: float, position: Any = None, direction: Vec = (0, 0, 1)) -> Any:
        return self.file.create_entity(
            "IfcExtrudedAreaSolid",
            profile,
            position or self.axes((0, 0, 0)),
            self.direction(direction),
            depth / self.scale,
        )

    def shape(self, items: list[Any], kind: str = "SweptSolid", identifier: str = "Body") -> Any:
        rep = self.file.create_entity("IfcShapeRepresentation", self.context, identifier, kind, items)
        return self.file.create_entity("IfcProductDefinitionShape", None, None, [rep])

    def member(
        self,
        kind: str,
        name: str,
        start: Vec,
        end: Vec,
        profile: Any,
        material: Any = None,
        storey: str | None = None,
        up: Vec | None = None,
    ) -> Any:
        """An IfcBeam, IfcColumn or IfcMember from start to end (world, m), its profile's Y along `up`."""
        a, b = np.array(start, float), np.array(end, float)
        axes = local_axes(b - a, np.array(up if up is not None else default_z(b - a), float))
        solid = self.extrusion(profile, float(np.linalg.norm(b - a)))
        return self.element(kind, name, a, axes, self.shape([solid]), material, storey)

    def element(
        self,
        kind: str,
        name: str,
        origin: Array,
        axes: Array,
        shape: Any,
        material: Any = None,
        storey: str | None = None,
    ) -> Any:
        """A product placed at `origin` with its Z along axes[0] and its X along axes[1], in a storey if one
        is named."""
        to, base = None, 0.0
        if storey is not None:
            _, to, base = self.storeys[storey]
        place = self.placement((origin[0], origin[1], origin[2] - base), axes[0], axes[1], to)
        entity = self.root(kind, name, ObjectPlacement=place, Representation=shape)
        if storey is not None:
            self._contained.setdefault(storey, []).append(entity)
        if material is not None:
            self._made_of.setdefault(material.id(), (material, []))[1].append(entity)
        return entity

    def block(
        self, kind: str, name: str, lower: Vec, upper: Vec, material: Any = None, storey: str | None = None
    ) -> Any:
        """A box-shaped product between two corners."""
        size = np.array(upper, float) - np.array(lower, float)
        place = self.file.create_entity("IfcAxis2Placement2D", self.point((0.0, 0.0)), None)
        rect = self.file.create_entity(
            "IfcRectangleProfileDef", "AREA", None, place, size[0] / self.scale, size[1] / self.scale
        )
        origin = (np.array(lower, float) + np.array(upper, float)) / 2
        origin[2] = lower[2]
        shape = self.shape([self.extrusion(rect, float(size[2]))])
        return self.element(kind, name, origin, np.eye(3)[[2, 0, 1]], shape, material, storey)

    def grid(self, name: str, u: dict[str, tuple[Vec, Vec]], v: dict[str, tuple[Vec, Vec]]) -> Any:
        """A grid of straight axes in plan, by tag: start and end in m."""
        f = self.file

        def axis(tag: str, ends: tuple[Vec, Vec]) -> Any:
            curve = f.create_entity("IfcPolyline", [self.point(p) for p in ends])
            return f.create_entity("IfcGridAxis", tag, curve, True)

        axes = [[axis(tag, ends) for tag, ends in lines.items()] for lines in (u, v)]
        place = self.placement((0, 0, 0), to=self.building.ObjectPlacement)
        return self.root("IfcGrid", name, ObjectPlacement=place, UAxes=axes[0], VAxes=axes[1])

    def opening(self, host: Any, name: str, lower: Vec, upper: Vec) -> None:
        """A box-shaped opening in a wall or slab."""
        void = self.block("IfcOpeningElement", name, lower, upper)
        self.root("IfcRelVoidsElement", None, RelatingBuildingElement=host, RelatedOpeningElement=void)

    def write(self, path: Path) -> None:
        """Close the relations and write the file."""
        for storey, items in self._contained.items():
            self.root(
                "IfcRelContainedInSpatialStructure",
                None,
                RelatedElements=items,
                RelatingStructure=self.storeys[storey][0],
            )
        for material, items in self._made_of.values():
            self.root("IfcRelAssociatesMaterial", None, RelatedObjects=items, RelatingMaterial=material)
        self._contained, self._made_of = {}, {}
        self.file.write(str(path))
