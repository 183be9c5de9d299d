"""Surfaces in the hand-back: surface members, what is tied to them, what holds their edges and what they lie
on."""

from __future__ import annotations

from math import inf
from typing import Any

import numpy as np

from ...model import LineSupport, Support, Surface
from ...model.entities.structure import (
    IN_AXES,
    LEANS,
    LIFTS,
    STANDS,
    along_axes,
    edge_axes,
    limited,
    weighing,
)
from ...model.geometry.vectors import Array
from .writer import IfcModelWriter

STIFF = ", stiff in plane"


class Surfaces:
    """Writes surfaces through the writer of the whole model, whose points and members are there already."""

    def __init__(self, writer: IfcModelWriter) -> None:
        self.w, self.f, self.model = writer, writer.f, writer.model
        self.edges: list[Any] = []

    def write(self, s: Surface) -> Any:
        """An IfcStructuralSurfaceMember on its flat face; its class goes along as ObjectType."""
        axes = s.plain_axes
        origin = s.outer[0] + self.model.origin
        place = self.f.create_entity(
            "IfcAxis2Placement3D", self.w.point(origin), self.w.direction(axes[2]), self.w.direction(axes[0])
        )
        plane = self.f.create_entity("IfcPlane", place)
        bounds = [
            self._bound("IfcFaceOuterBound", s.outer),
            *(self._bound("IfcFaceBound", r) for r in s.openings),
        ]
        face = self.f.create_entity("IfcFaceSurface", bounds, plane, True)
        entity = self.w.root(
            "IfcStructuralSurfaceMember",
            s.id,
            s.name or s.id,
            ObjectType=s.cls,
            Representation=self.w.shape(face, "Face"),
            PredefinedType="SHELL",
            Thickness=float(s.thickness) if s.thickness > 0 else None,
        )
        if s.way == "one-way":
            span = "" if s.span is None else " along " + " ".join(repr(float(v)) for v in s.span)
            entity.Description = "one-way" + span
        else:
            joints = (STANDS if s.id in self.model.standing else "") + (
                LEANS if s.id in self.model.leaning else ""
            )
            entity.Description = s.way + (STIFF if s.diaphragm else "") + joints
        entity.Description = weighing(entity.Description, s.weight_share)
        material = self.w.material(self.model.materials.get(s.material))
        if material is not None:
            key = f"material {s.id}"
            self.w.root(
                "IfcRelAssociatesMaterial", key, None, RelatedObjects=[entity], RelatingMaterial=material
            )
        return entity

    def _bound(self, kind: str, ring: Array) -> Any:
        points = [self.w.point(p + self.model.origin) for p in ring]
        return self.f.create_entity(kind, self.f.create_entity("IfcPolyLoop", points), True)

    def tie(self) -> list[Any]:
        """Connections of all surfaces; returns the curve and surface connections made for them."""
        done: set[tuple[str, str, tuple[float, ...]]] = set()
        for s in self.model.surfaces.values():
            entity = self.w.surfaces[s.id]
            for j in s.joints:
                if j.kind == "end" and j.node in self.w.points:
                    self._connect(entity, self.w.points[j.node])
                elif j.kind == "member" and j.other in self.w.members:
                    self._along(j.line, None, [entity, self.w.members[j.other]])
                elif j.kind == "surface" and j.other in self.w.surfaces:
                    a, b = sorted((s.id, j.other))
                    key = (a, b, tuple(np.round(np.sort(j.line, axis=0).ravel(), 4)))
                    if key not in done:
                        done.add(key)
                        self._along(j.line, None, [self.w.surfaces[a], self.w.surfaces[b]])
            for held in s.supports:
                edge = self._along(held.line, held, [entity])
                if s.id in self.model.lifting:
                    edge.Description = "; ".join(filter(None, (LIFTS, edge.Description)))
            if s.bedding > 0:
                self._bed(s, entity, s.bedding, None)
            for zone in s.beds:
                self._bed(s, entity, zone.modulus, zone.outer)
        return self.edges

    def _connect(self, member: Any, connection: Any) -> None:
        self.w.root(
            "IfcRelConnectsStructuralMember",
            f"connects {len(self.w.used)}",
            None,
            RelatingStructuralMember=member,
            RelatedStructuralConnection=connection,
        )

    def _along(self, line: Array, held: LineSupport | None, members: list[Any]) -> Any:
        ends = [self.w.vertex(p + self.model.origin) for p in (line[0], line[-1])]
        edge = self.f.create_entity("IfcEdge", *ends)
        way = line[-1] - line[0]
        across, stiffness, axes = _along(way, held.support) if held is not None else (_across(way), (), None)
        entity = self.w.root(
            "IfcStructuralCurveConnection",
            f"edge {len(self.w.used)}",
            None,
            Description=axes,
            Representation=self.w.shape(edge, "Edge"),
            Axis=self.w.direction(across),
        )
        if held is not None:
            entity.AppliedCondition = self._condition(stiffness)
        self.edges.append(entity)
        for m in members:
            self._connect(m, entity)
        return entity

    def _condition(self, stiffness: tuple[float, ...]) -> Any:
        values = []
        for i, k in enumerate(stiffness):
            if 0 < k < inf:
                kind = (
                    "IfcModulusOfLinearSubgradeReactionMeasure"
                    if i < 3
                    else "IfcModulusOfRotationalSubgradeReactionMeasure"
                )
                values.append(self.f.create_entity(kind, float(k)))
            else:
                values.append(self.f.create_entity("IfcBoolean", k == inf))
        return self.f.create_entity("IfcBoundaryEdgeCondition", None, *values)

    def _bed(self, s: Surface, entity: Any, value: float, zone: Array | None) -> None:
        """The ground under a surface, or under a zone of it, which then has a face of its own."""
        free = self.f.create_entity("IfcBoolean", False)
        modulus = self.f.create_entity("IfcModulusOfSubgradeReactionMeasure", float(value))
        condition = self.f.create_entity("IfcBoundaryFaceCondition", None, free, free, modulus)
        name = f"bed {s.id}" if zone is None else f"bed {s.id} zone {len(self.w.used)}"
        connection = self.w.root("IfcStructuralSurfaceConnection", name, None, AppliedCondition=condition)
        if zone is not None:
            place = self.f.create_entity(
                "IfcAxis2Placement3D",
                self.w.point(zone[0] + self.model.origin),
                self.w.direction(s.plain_axes[2]),
                self.w.direction(s.plain_axes[0]),
            )
            plane = self.f.create_entity("IfcPlane", place)
            face = self.f.create_entity(
                "IfcFaceSurface", [self._bound("IfcFaceOuterBound", zone)], plane, True
            )
            connection.Representation = self.w.shape(face, "Face")
        if s.id in self.model.lifting:
            connection.Description = limited(LIFTS, self.model.bearing.get(s.id))
        self.edges.append(connection)
        self._connect(entity, connection)


def _across(way: Array) -> Array:
    """The z axis that a line of that direction gets."""
    return np.array([0.0, 0, 1]) if abs(way[2]) < 0.9 * float(np.linalg.norm(way)) else np.array([1.0, 0, 0])


def _along(way: Array, support: Support) -> tuple[Array, tuple[float, ...], str | None]:
    """The z axis of a line support, and its stiffness along the line, across it and along z, as the schema
    has it.

    Where it would couple there, its stiffness along its own axes, and these as the third in words."""
    own = np.eye(3) if support.axes is None else np.array(support.axes)
    for axis in (_across(way), *own):
        axes = edge_axes(way, axis)
        found = along_axes(support.stiffness, own, axes) if axes is not None else None
        if found is not None:
            return axis, found, None
    return (
        _across(way),
        support.stiffness,
        IN_AXES + ", ".join(" ".join(repr(float(v)) for v in row) for row in own),
    )
