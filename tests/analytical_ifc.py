"""A small writer of the structural analysis domain for tests; values in SI whatever the file's units."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import ifcopenshell
import ifcopenshell.guid

LENGTH = {"METRE": 1.0, "MILLIMETRE": 1e-3, "FOOT": 0.3048}
FORCE = {"NEWTON": 1.0, "KILONEWTON": 1e3}
HELD, FREE = True, False


class AnalyticalWriter:
    """Members, points, conditions, cases and actions, in the units of the file."""

    def __init__(
        self, schema: str = "IFC4", length: str = "METRE", force: str = "NEWTON", derived: bool = True
    ) -> None:
        self.f = f = ifcopenshell.file(schema=schema)
        self.old = schema == "IFC2X3"
        self.length, self.force = LENGTH[length], FORCE[force]
        owner = None
        if self.old:
            person = f.createIfcPersonAndOrganization(f.createIfcPerson(), f.createIfcOrganization(None, "o"))
            app = f.createIfcApplication(person.TheOrganization, "1", "t", "t")
            owner = f.createIfcOwnerHistory(person, app, None, "ADDED", None, None, None, 0)
        self.owner = owner
        origin = f.createIfcAxis2Placement3D(f.createIfcCartesianPoint((0.0, 0.0, 0.0)), None, None)
        self.context = f.createIfcGeometricRepresentationContext(None, "Model", 3, 1e-6, origin, None)
        self.project = self.root("IfcProject", "analysis")
        self.project.RepresentationContexts = [self.context]
        self.project.UnitsInContext = f.createIfcUnitAssignment(self._units(length, force, derived))
        self.model = self.root("IfcStructuralAnalysisModel", "model", PredefinedType="LOADING_3D")
        self.points: dict[str, Any] = {}
        self.members: dict[str, Any] = {}
        self.cases: dict[str, Any] = {}

    def _units(self, length: str, force: str, derived: bool) -> list[Any]:
        f = self.f

        def si(kind: str, name: str, prefix: str | None = None) -> Any:
            return f.createIfcSIUnit(None, kind, prefix, name)

        if length == "FOOT":
            ratio = f.create_entity(
                "IfcMeasureWithUnit", f.create_entity("IfcRatioMeasure", 0.3048), si("LENGTHUNIT", "METRE")
            )
            metre = f.createIfcConversionBasedUnit(
                f.createIfcDimensionalExponents(1, 0, 0, 0, 0, 0, 0), "LENGTHUNIT", "FOOT", ratio
            )
        else:
            metre = si("LENGTHUNIT", "METRE", "MILLI" if length == "MILLIMETRE" else None)
        newton = si("FORCEUNIT", "NEWTON", "KILO" if force == "KILONEWTON" else None)
        units = [metre, newton, si("PRESSUREUNIT", "PASCAL")]
        if derived:
            for kind, force_power, length_power in (
                ("LINEARFORCEUNIT", 1, -1),
                ("TORQUEUNIT", 1, 1),
                ("LINEARSTIFFNESSUNIT", 1, -1),
                ("ROTATIONALSTIFFNESSUNIT", 1, 1),
            ):
                parts = [
                    f.createIfcDerivedUnitElement(newton, force_power),
                    f.createIfcDerivedUnitElement(metre, length_power),
                ]
                units.append(f.createIfcDerivedUnit(parts, kind, None))
        return units

    def root(self, kind: str, name: str | None = None, **attributes: Any) -> Any:
        return self.f.create_entity(
            kind, GlobalId=ifcopenshell.guid.new(), OwnerHistory=self.owner, Name=name, **attributes
        )

    def cartesian(self, p: Sequence[float]) -> Any:
        return self.f.createIfcCartesianPoint([float(v) / self.length for v in p])

    def vertex(self, p: Sequence[float]) -> Any:
        return self.f.createIfcVertexPoint(self.cartesian(p))

    def shape(self, item: Any, kind: str) -> Any:
        rep = self.f.createIfcTopologyRepresentation(self.context, "Reference", kind, [item])
        return self.f.createIfcProductDefinitionShape(None, None, [rep])

    def condition(self, values: Sequence[bool | float | None]) -> Any:
        """True held, False free, a number a spring in SI, None not stated; order ux uy uz rx ry rz."""
        f = self.f
        out = []
        for i, v in enumerate(values):
            scale = self.force / self.length if i < 3 else self.force * self.length
            if v is None:
                out.append(None)
            elif self.old:
                out.append(-1.0 if v is True else 0.0 if v is False else v / scale)
            elif isinstance(v, bool):
                out.append(f.create_entity("IfcBoolean", v))
            else:
                kind = "IfcLinearStiffnessMeasure" if i < 3 else "IfcRotationalStiffnessMeasure"
                out.append(f.create_entity(kind, v / scale))
        return f.create_entity("IfcBoundaryNodeCondition", None, *out)

    def point(
        self, name: str, p: Sequence[float], support: Sequence[bool | float | None] | None = None
    ) -> Any:
        entity = self.root(
            "IfcStructuralPointConnection", name, Representation=self.shape(self.vertex(p), "Vertex")
        )
        if support is not None:
            entity.AppliedCondition = self.condition(support)
        self.points[name] = entity
        return entity

    def member(
        self,
        name: str,
        a: Sequence[float],
        b: Sequence[float],
        section: Any = None,
        material: Any = None,
        axis: Sequence[float] | None = None,
        kind: str = "RIGID_JOINED_MEMBER",
    ) -> Any:
        f = self.f
        entity = self.root(
            "IfcStructuralCurveMember",
            name,
            Representation=self.shape(f.createIfcEdge(self.vertex(a), self.vertex(b)), "Edge"),
            PredefinedType=kind,
        )
        if not self.old:
            entity.Axis = f.createIfcDirection([float(v) for v in axis or self._up(a, b)])
        if material is not None and not self.old:
            profiles = f.createIfcMaterialProfileSet(
                None, None, [f.createIfcMaterialProfile("p", None, material, section)]
            )
            self.root("IfcRelAssociatesMaterial", RelatedObjects=[entity], RelatingMaterial=profiles)
        elif material is not None:
            self.root("IfcRelAssociatesMaterial", RelatedObjects=[entity], RelatingMaterial=material)
            props = f.create_entity(
                "IfcStructuralProfileProperties", ProfileName="p", ProfileDefinition=section
            )
            self.root(
                "IfcRelAssociatesProfileProperties", RelatedObjects=[entity], RelatingProfileProperties=props
            )
        self.members[name] = entity
        return entity

    @staticmethod
    def _up(a: Sequence[float], b: Sequence[float]) -> tuple[float, float, float]:
        return (1.0, 0.0, 0.0) if abs(a[0] - b[0]) + abs(a[1] - b[1]) < 1e-9 else (0.0, 0.0, 1.0)

    def connect(
        self,
        member: str,
        point: str,
        release: Sequence[bool | float | None] | None = None,
        offset: Sequence[float] | None = None,
    ) -> Any:
        kind = "IfcRelConnectsWithEccentricity" if offset is not None else "IfcRelConnectsStructuralMember"
        rel = self.root(
            kind,
            RelatingStructuralMember=self.members[member],
            RelatedStructuralConnection=self.points[point],
        )
        if release is not None:
            rel.AppliedCondition = self.condition(release)
        if offset is not None:
            on_point = self.points[point].Representation.Representations[0].Items[0].VertexGeometry
            place = [v * self.length + o for v, o in zip(on_point.Coordinates, offset)]
            rel.ConnectionConstraint = self.f.createIfcConnectionPointEccentricity(
                self.cartesian(place), on_point, None, None, None
            )
        return rel

    def case(
        self, name: str, source: str = "LIVE_LOAD_Q", kind: str = "VARIABLE_Q", **attributes: Any
    ) -> Any:
        entity_kind = "IfcStructuralLoadGroup" if self.old else "IfcStructuralLoadCase"
        entity = self.root(
            entity_kind, name, PredefinedType="LOAD_CASE", ActionType=kind, ActionSource=source, **attributes
        )
        self.cases[name] = (entity, [])
        return entity

    def action(self, kind: str, case: str, target: Any, load: Any, **attributes: Any) -> Any:
        attributes.setdefault("GlobalOrLocal", "GLOBAL_COORDS")
        entity = self.root(kind, "action", AppliedLoad=load, **attributes)
        if self.old:
            entity.DestabilizingLoad = False
        self.root(
            "IfcRelConnectsStructuralActivity", RelatingElement=target, RelatedStructuralActivity=entity
        )
        self.cases[case][1].append(entity)
        return entity

    def linear(self, *values: float) -> Any:
        """IfcStructuralLoadLinearForce of six SI values (N/m, N m/m)."""
        scaled = [v / (self.force / self.length if i < 3 else self.force) for i, v in enumerate(values)]
        return self.f.create_entity("IfcStructuralLoadLinearForce", None, *scaled)

    def single(self, *values: float) -> Any:
        """IfcStructuralLoadSingleForce of six SI values (N, N m)."""
        scaled = [v / (self.force if i < 3 else self.force * self.length) for i, v in enumerate(values)]
        return self.f.create_entity("IfcStructuralLoadSingleForce", None, *scaled)

    def uniform(self, case: str, member: str, *values: float, **attributes: Any) -> Any:
        kind = "IfcStructuralLinearAction"
        attributes.setdefault("ProjectedOrTrue", "TRUE_LENGTH")
        if not self.old:
            attributes.setdefault("PredefinedType", "CONST")
        return self.action(kind, case, self.members[member], self.linear(*values), **attributes)

    def varying(self, case: str, member: str, loads: list[Any], places: list[float], kind: str) -> Any:
        """A curve action of several values at places (m) along the member (IFC4)."""
        configuration = self.f.create_entity(
            "IfcStructuralLoadConfiguration", None, loads, [[p / self.length] for p in places]
        )
        return self.action(
            "IfcStructuralCurveAction", case, self.members[member], configuration, PredefinedType=kind
        )

    def at_point(self, case: str, point: str, *values: float) -> Any:
        return self.action("IfcStructuralPointAction", case, self.points[point], self.single(*values))

    def on_member(self, case: str, member: str, place: Sequence[float], *values: float) -> Any:
        shape = self.shape(self.vertex(place), "Vertex")
        return self.action(
            "IfcStructuralPointAction", case, self.members[member], self.single(*values), Representation=shape
        )

    def material(self, name: str = "S355", E: float = 210e9, G: float = 81e9, density: float = 7850.0) -> Any:
        f = self.f
        entity = f.createIfcMaterial(name)
        if self.old:
            f.create_entity(
                "IfcMechanicalMaterialProperties", Material=entity, YoungModulus=E, ShearModulus=G
            )
            f.create_entity("IfcGeneralMaterialProperties", Material=entity, MassDensity=density)
        else:
            for key, kind, value in (
                ("YoungModulus", "IfcModulusOfElasticityMeasure", E),
                ("ShearModulus", "IfcModulusOfElasticityMeasure", G),
                ("MassDensity", "IfcMassDensityMeasure", density),
            ):
                prop = f.create_entity(
                    "IfcPropertySingleValue", key, None, f.create_entity(kind, value), None
                )
                f.create_entity("IfcMaterialProperties", "Pset", None, [prop], entity)
        return entity

    def rectangle(self, width: float = 0.2, depth: float = 0.4) -> Any:
        f = self.f
        at = f.createIfcAxis2Placement2D(f.createIfcCartesianPoint((0.0, 0.0)), None)
        return f.createIfcRectangleProfileDef(
            "AREA", f"R {width}x{depth}", at, width / self.length, depth / self.length
        )

    def write(self, path: Path) -> Path:
        everything = [*self.points.values(), *self.members.values()]
        self.root("IfcRelAssignsToGroup", RelatedObjects=everything, RelatingGroup=self.model)
        for entity, actions in self.cases.values():
            if actions:
                self.root("IfcRelAssignsToGroup", RelatedObjects=actions, RelatingGroup=entity)
        self.f.write(str(path))
        return path


def portal(schema: str = "IFC4", length: str = "METRE", force: str = "NEWTON", **kw: Any) -> AnalyticalWriter:
    """A portal: two fixed columns 4 m high, a beam of 6 m, with a dead and a wind case."""
    w = AnalyticalWriter(schema, length, force, **kw)
    steel, section = w.material(), w.rectangle()
    for name, p, held in (
        ("a", (0, 0, 0), True),
        ("b", (0, 0, 4), False),
        ("c", (6, 0, 4), False),
        ("d", (6, 0, 0), True),
    ):
        w.point(name, p, [HELD] * 6 if held else None)
    for name, (a, p), (b, q) in (
        ("left", ("a", (0, 0, 0)), ("b", (0, 0, 4))),
        ("beam", ("b", (0, 0, 4)), ("c", (6, 0, 4))),
        ("right", ("d", (6, 0, 0)), ("c", (6, 0, 4))),
    ):
        w.member(name, p, q, section, steel)
        w.connect(name, a)
        w.connect(name, b)
    w.case("Floor", "DEAD_LOAD_G", "PERMANENT_G")
    w.uniform("Floor", "beam", 0, 0, -12e3, 0, 0, 0)
    w.case("Wind", "WIND_W")
    w.at_point("Wind", "b", 20e3, 0, 0, 0, 0, 0)
    return w
