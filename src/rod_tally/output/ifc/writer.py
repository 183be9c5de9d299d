"""The analytical model handed back as IFC4, structural analysis domain; what intake reads of it equals the
model.

SI units, the source's own coordinates. Ids that are GlobalIds stay; others get one made from the id, and the
id as name."""

from __future__ import annotations

import re
import uuid
from dataclasses import replace
from math import inf
from typing import Any

import ifcopenshell
import ifcopenshell.guid
import numpy as np

from ...model import Combination, Joint, Material, Member, Model, Node, Release, Section
from ...model.catalogue.taper import TO
from ...model.entities.load_words import roots_words
from ...model.entities.structure import LIFTS, ONE_WAY_WORDS, limited, weighing
from ...model.geometry.vectors import Array

CENTROID = 10  # a cardinal point of IFC
SPACE = uuid.UUID("b7a4c1de-52f0-4c0e-8f3a-0c6d1f6f9a20")
PROPERTY_SETS = {"MassDensity": "Pset_MaterialCommon", "ThermalExpansionCoefficient": "Pset_MaterialThermal"}
GLOBAL_ID = re.compile(r"[0-3][0-9A-Za-z_$]{21}")


class IfcModelWriter:
    def __init__(self, model: Model) -> None:
        self.model = model
        self.f = ifcopenshell.file(schema="IFC4")
        self.points: dict[str, Any] = {}
        self.members: dict[str, Any] = {}
        self.surfaces: dict[str, Any] = {}
        self.sets: dict[tuple[str, str], Any] = {}
        self.materials: dict[str, tuple[Material, Any]] = {}
        self.profiles: dict[str, tuple[Section, Any]] = {}
        self.used: set[str] = set()
        self.context: Any = None

    # -- roots, points, units --------------------------------------------------------------------------------

    def _guid(self, key: str) -> str:
        """The id itself when it is a GlobalId that is still free, else one made from it."""
        if GLOBAL_ID.fullmatch(key) and key not in self.used:
            guid = key
        else:
            guid = ifcopenshell.guid.compress(
                uuid.uuid5(SPACE, f"{self.model.name}/{key}/{len(self.used)}").hex
            )
        self.used.add(guid)
        return guid

    def root(self, kind: str, key: str, name: str | None, **attributes: Any) -> Any:
        return self.f.create_entity(kind, GlobalId=self._guid(key), Name=name, **attributes)

    def aggregate(self, key: str, whole: Any, parts: list[Any]) -> None:
        self.root("IfcRelAggregates", f"aggregate {key}", None, RelatingObject=whole, RelatedObjects=parts)

    def declare(self, project: Any, analysis: Any) -> None:
        self.root("IfcRelDeclares", "declares", None, RelatingContext=project, RelatedDefinitions=[analysis])

    def point(self, p: Array) -> Any:
        return self.f.create_entity("IfcCartesianPoint", [float(v) for v in p])

    def vertex(self, p: Array) -> Any:
        return self.f.create_entity("IfcVertexPoint", self.point(p))

    def shape(self, item: Any, kind: str) -> Any:
        rep = self.f.create_entity("IfcTopologyRepresentation", self.context, "Reference", kind, [item])
        return self.f.create_entity("IfcProductDefinitionShape", None, None, [rep])

    def units(self) -> list[Any]:
        f = self.f

        def si(kind: str, name: str, prefix: str | None = None) -> Any:
            return f.create_entity("IfcSIUnit", None, kind, prefix, name)

        metre, newton, kilogram = (
            si("LENGTHUNIT", "METRE"),
            si("FORCEUNIT", "NEWTON"),
            si("MASSUNIT", "GRAM", "KILO"),
        )
        radian = si("PLANEANGLEUNIT", "RADIAN")
        units = [
            metre,
            newton,
            kilogram,
            radian,
            si("AREAUNIT", "SQUARE_METRE"),
            si("VOLUMEUNIT", "CUBIC_METRE"),
        ]
        units.append(si("PRESSUREUNIT", "PASCAL"))
        for kind, parts in (
            ("LINEARFORCEUNIT", ((newton, 1), (metre, -1))),
            ("TORQUEUNIT", ((newton, 1), (metre, 1))),
            ("LINEARMOMENTUNIT", ((newton, 1), (metre, 1), (metre, -1))),
            ("LINEARSTIFFNESSUNIT", ((newton, 1), (metre, -1))),
            ("ROTATIONALSTIFFNESSUNIT", ((newton, 1), (metre, 1), (radian, -1))),
            ("MODULUSOFSUBGRADEREACTIONUNIT", ((newton, 1), (metre, -3))),
            ("MODULUSOFLINEARSUBGRADEREACTIONUNIT", ((newton, 1), (metre, -2))),
            ("MODULUSOFROTATIONALSUBGRADEREACTIONUNIT", ((newton, 1), (metre, 1), (metre, -1), (radian, -1))),
            ("MASSDENSITYUNIT", ((kilogram, 1), (metre, -3))),
            ("MOMENTOFINERTIAUNIT", ((metre, 4),)),
        ):
            elements = [f.create_entity("IfcDerivedUnitElement", unit, power) for unit, power in parts]
            units.append(f.create_entity("IfcDerivedUnit", elements, kind, None))
        return units

    # -- nodes and members -----------------------------------------------------------------------------------

    def _condition(self, stiffness: tuple[float, ...]) -> Any:
        """A boundary condition, of a node or of a member's end."""
        values = []
        for i, k in enumerate(stiffness):
            if 0 < k < inf:
                kind = "IfcLinearStiffnessMeasure" if i < 3 else "IfcRotationalStiffnessMeasure"
                values.append(self.f.create_entity(kind, float(k)))
            else:
                values.append(self.f.create_entity("IfcBoolean", k == inf))
        return self.f.create_entity("IfcBoundaryNodeCondition", None, *values)

    def node(self, node: Node) -> Any:
        shape = self.shape(self.vertex(node.point + self.model.origin), "Vertex")
        entity = self.root("IfcStructuralPointConnection", node.id, node.id, Representation=shape)
        if node.id in self.model.lifting:
            entity.Description = limited(LIFTS, self.model.bearing.get(node.id))
        if node.support.any:
            entity.AppliedCondition = self._condition(node.support.stiffness)
            if node.support.axes is not None:
                x, _, z = node.support.axes
                entity.ConditionCoordinateSystem = self.f.create_entity(
                    "IfcAxis2Placement3D", self.point(np.zeros(3)), self.direction(z), self.direction(x)
                )
        return entity

    def direction(self, v: Any) -> Any:
        return self.f.create_entity("IfcDirection", [float(x) for x in v])

    def member(self, m: Member) -> Any:
        line = self.model.line(m) + self.model.origin
        edge = self.f.create_entity("IfcEdge", self.vertex(line[0]), self.vertex(line[1]))
        entity = self.root(
            "IfcStructuralCurveMember",
            m.id,
            m.name or m.id,
            ObjectType=m.cls,
            Representation=self.shape(edge, "Edge"),
            PredefinedType="PIN_JOINED_MEMBER" if m.pin_joined else "RIGID_JOINED_MEMBER",
            Description=weighing(
                limited(ONE_WAY_WORDS.get(self.model.one_way.get(m.id, "")), self.model.limits.get(m.id)),
                m.weight_share,
            ),
            Axis=self.direction(m.z_axis),
        )
        made_of = self._made_of(m)
        if made_of is not None:
            key = f"material {m.id}"
            self.root(
                "IfcRelAssociatesMaterial", key, None, RelatedObjects=[entity], RelatingMaterial=made_of
            )
        self._connect(entity, m.start, m.offset_start, line[0], m.release_start)
        self._connect(entity, m.end, m.offset_end, line[1], m.release_end)
        for joint in m.joints:
            self._joint(entity, m, joint, line)
        return entity

    def _connect(self, member: Any, node: str, offset: Array, place: Array, release: Release | None) -> None:
        apart = bool(np.abs(offset).max() > 1e-9)
        rel = self.root(
            "IfcRelConnectsWithEccentricity" if apart else "IfcRelConnectsStructuralMember",
            f"connects {len(self.used)}",
            None,
            RelatingStructuralMember=member,
            RelatedStructuralConnection=self.points[node],
        )
        if release is not None and release.any:
            rel.AppliedCondition = self._condition(release.stiffness)
        if apart:
            at = self.model.nodes[node].point + self.model.origin
            rel.ConnectionConstraint = self.f.create_entity(
                "IfcConnectionPointEccentricity", self.point(place), self.point(at), None, None, None
            )

    def _joint(self, member: Any, m: Member, joint: Joint, line: Array) -> None:
        place = line[0] + (line[1] - line[0]) * joint.distance / self.model.length(m)
        offset = place - self.model.origin - self.model.nodes[joint.node].point
        self._connect(member, joint.node, offset, place, None)

    # -- sections and materials ------------------------------------------------------------------------------

    def _made_of(self, m: Member) -> Any:
        section, material = self.model.sections.get(m.section), self.model.materials.get(m.material)
        if section is None and material is None:
            return None
        if section is None:
            return self.material(material)
        key = (m.section, m.material)
        if key not in self.sets:
            if section.end is None:
                self.sets[key] = self._set(section, material)
            else:
                start = replace(section, end=None, name=section.name.partition(TO)[0])
                both = self._set(start, material), self._set(section.end, material)
                self.sets[key] = self.f.create_entity(
                    "IfcMaterialProfileSetUsageTapering", both[0], CENTROID, None, both[1], CENTROID
                )
        return self.sets[key]

    def _set(self, section: Section, material: Material | None) -> Any:
        profile = self.f.create_entity(
            "IfcMaterialProfile",
            section.name,
            None,
            self.material(material),
            self._profile(section),
            None,
            None,
        )
        return self.f.create_entity("IfcMaterialProfileSet", section.name, None, [profile], None)

    def material(self, material: Material | None) -> Any:
        if material is None:
            return None
        name = _free(material.name, material, self.materials)
        if name not in self.materials:
            entity = self.f.create_entity("IfcMaterial", name, None, material.kind or None)
            self.materials[name] = material, entity
            strength = "YieldStress" if material.kind == "steel" else "CompressiveStrength"
            for title, kind, value in (
                ("YoungModulus", "IfcModulusOfElasticityMeasure", material.E),
                ("ShearModulus", "IfcModulusOfElasticityMeasure", material.G),
                ("PoissonRatio", "IfcPositiveRatioMeasure", material.poisson or None),
                ("MassDensity", "IfcMassDensityMeasure", material.density),
                ("ThermalExpansionCoefficient", "IfcThermalExpansionCoefficientMeasure", material.alpha),
                (strength, "IfcPressureMeasure", material.strength),
            ):
                if value is not None:
                    group = PROPERTY_SETS.get(title, "Pset_MaterialMechanical")
                    prop = self._property(title, kind, value)
                    self.f.create_entity("IfcMaterialProperties", group, None, [prop], entity)
        return self.materials[name][1]

    def _property(self, name: str, kind: str, value: float) -> Any:
        return self.f.create_entity(
            "IfcPropertySingleValue", name, None, self.f.create_entity(kind, float(value)), None
        )

    def _profile(self, s: Section) -> Any:
        """A circle as such; another shape by its outline, with the values that an outline does not give
        beside it."""
        name = _free(s.name, s, self.profiles)
        if name in self.profiles:
            return self.profiles[name][1]
        f = self.f
        if s.round:
            radius, inner = s.bounds[1], max((p[0] for v in s.voids for p in v), default=0.0)
            if inner > 0:
                entity = f.create_entity(
                    "IfcCircleHollowProfileDef", "AREA", name, None, radius, radius - inner
                )
            else:
                entity = f.create_entity("IfcCircleProfileDef", "AREA", name, None, radius)
        elif s.outline:
            curves = [
                f.create_entity("IfcPolyline", [self._flat(p) for p in (*ring, ring[0])])
                for ring in (s.outline, *s.voids)
            ]
            kind = "IfcArbitraryProfileDefWithVoids" if s.voids else "IfcArbitraryClosedProfileDef"
            entity = f.create_entity(kind, "AREA", name, curves[0], *([curves[1:]] if s.voids else []))
        else:
            entity = f.create_entity("IfcProfileDef", "AREA", name)
        self.profiles[name] = s, entity
        if s.usable:
            inertia, area = "IfcMomentOfInertiaMeasure", "IfcAreaMeasure"
            values = [
                self._property(title, kind, value)
                for title, kind, value in (
                    ("CrossSectionArea", area, s.area),
                    ("MomentOfInertiaY", inertia, s.iy),
                    ("MomentOfInertiaZ", inertia, s.iz),
                    ("MomentOfInertiaYZ", inertia, s.iyz),
                    ("TorsionalConstantX", inertia, s.j),
                    ("ShearDeformationAreaY", area, s.avy),
                    ("ShearDeformationAreaZ", area, s.avz),
                )
                if value != 0
            ]
            f.create_entity("IfcProfileProperties", "Pset_ProfileMechanical", None, values, entity)
        return entity

    def _flat(self, p: tuple[float, float]) -> Any:
        return self.f.create_entity("IfcCartesianPoint", [float(p[0]), float(p[1])])

    # -- combinations ----------------------------------------------------------------------------------------

    def combinations(self, combinations: list[Combination], cases: dict[str, Any]) -> dict[str, Any]:
        """Entities of combinations, by name; `cases` are those of the model's load cases."""
        out = {}
        for c in combinations:
            group = self.root(
                "IfcStructuralLoadGroup",
                f"combination {c.name}",
                c.name,
                Description=roots_words(c.roots),
                PredefinedType="LOAD_COMBINATION",
                ActionType="NOTDEFINED",
                ActionSource="NOTDEFINED",
                Purpose=c.kind or None,
            )
            out[c.name] = group
            for name, factor in c.factors.items():
                if name in cases:
                    self.root(
                        "IfcRelAssignsToGroupByFactor",
                        f"factor {c.name} {name}",
                        None,
                        RelatedObjects=[cases[name]],
                        RelatingGroup=group,
                        Factor=float(factor),
                    )
        return out


def _free(name: str, value: Any, taken: dict[str, tuple[Any, Any]]) -> str:
    """The name under which a value is written: its own, or one with a number where another value has that."""
    out, n = name, 2
    while out in taken and taken[out][0] != value:
        out, n = f"{name} ({n})", n + 1
    return out
