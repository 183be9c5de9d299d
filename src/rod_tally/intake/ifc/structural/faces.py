"""Analytical surface members, and the connections that hold edges and surfaces."""

from __future__ import annotations

from typing import Any

import numpy as np

from ....model.entities.log import LogEntry, Skipped
from ....model.entities.structure import LEANS, LIFTS, STANDS, edge_axes, limit_of, weight_of
from ....model.geometry.vectors import Array
from ...source import SourceEdge, SourceFace, SourceModel
from ..damage import UNREADABLE, first_line, for_each, ident, text
from ..geometry.curves import points_of
from ..geometry.placement import FARTHEST, PlacementError, Placements
from ..materials import Materials
from ..physical.elements import SURFACES
from ..units import Units
from .conditions import axes_in_words, bedding_of, condition_of, hinged
from .members import edge
from .values import direction

THICKEST = 1e3  # m
# kinds of surface members that carry less than a shell does
PARTLY = {
    "MEMBRANE_ELEMENT": "it is to carry in its plane alone, which is not taken over: it bends as well",
    "BENDING_ELEMENT": "it is to carry by bending alone, which is not taken over: it carries in its plane as well",
}


def read_faces(
    file: Any, source: SourceModel, placements: Placements, materials: Materials, units: Units
) -> None:
    """Fill `source` with surface members, curve connections and surface connections; what cannot be read is
    skipped."""
    faces: dict[int, SourceFace] = {}
    edges: dict[int, SourceEdge] = {}
    for entity in file.by_type("IfcStructuralSurfaceMember"):
        source.counts["surface"] = source.counts.get("surface", 0) + 1
        try:
            placements.sound(entity)
            outer, openings = _face(entity, placements)
            made_of = materials.of(entity)
            thickness = entity.Thickness * placements.scale if entity.Thickness else made_of.thickness
            if thickness and not 0 < thickness <= THICKEST:
                raise ValueError(f"its thickness is {entity.Thickness:g} in the file, which no surface has")
            face = SourceFace(
                ident(entity), text(entity.Name), outer, openings, thickness or 0.0, made_of.material
            )
            face.frame = plane_frame(entity, placements)
            face.cls = entity.ObjectType if entity.ObjectType in SURFACES.values() else ""
            said, face.weight_share = weight_of(text(entity.Description))
            face.leans = said.endswith(LEANS)
            said = said.removesuffix(LEANS)
            face.stands = said.endswith(STANDS)
            said = said.removesuffix(STANDS)
            face.diaphragm = said.endswith(", stiff in plane")
            said = said.removesuffix(", stiff in plane")
            if said.startswith("one-way"):
                face.way, face.span = "one-way", direction(said)
            elif said in ("two-way", "shell", "column"):
                face.way = said
            source.faces.append(face)
            faces[entity.id()] = face
            if entity.PredefinedType in PARTLY:
                message = f"surface {face.name or face.id}: {PARTLY[entity.PredefinedType]}"
                source.log.append(LogEntry("skipped", (face.id,), message))
        except UNREADABLE as error:
            source.skipped.append(_skipped("surface", entity, error))
    for kind in ("IfcStructuralCurveConnection", "IfcStructuralSurfaceConnection"):
        for entity in file.by_type(kind):
            held = entity.AppliedCondition is not None
            if held:
                source.counts["support"] = source.counts.get("support", 0) + 1
            try:
                placements.sound(entity)
                edges[entity.id()] = _edge(entity, placements, units, source.log)
                source.edges.append(edges[entity.id()])
            except UNREADABLE as error:
                source.skipped.append(_skipped("support" if held else "joint", entity, error))
    points = {p.id for p in source.points}
    curves = {c.id for c in source.curves}

    def connect(rel: Any) -> None:
        member, connection = rel.RelatingStructuralMember, rel.RelatedStructuralConnection
        if member is None or connection is None:
            return
        face, side = faces.get(member.id()), edges.get(connection.id())
        if face is not None and hinged(rel.AppliedCondition, units):
            message = f"surface {face.name or face.id}: the hinge or spring at its edge or point is not taken over, it is joined rigidly"
            source.log.append(LogEntry("skipped", (face.id,), message))
        if face is not None and connection.GlobalId in points:
            face.points.append(connection.GlobalId)
        elif face is not None and side is not None:
            side.faces.append(face.id)
        elif side is not None and member.GlobalId in curves:
            side.curves.append(member.GlobalId)

    for_each(file, "IfcRelConnectsStructuralMember", connect, source.log)


def _skipped(cls: str, entity: Any, error: Exception) -> Skipped:
    return Skipped(cls, ident(entity), first_line(error), text(entity.Name), entity.is_a())


def _face(entity: Any, placements: Placements) -> tuple[Array, list[Array]]:
    """Outline and openings of a surface member's face, world coordinates."""
    if entity.Representation is None:
        raise PlacementError("it has no face")
    for rep in entity.Representation.Representations:
        for item in rep.Items:
            if item.is_a("IfcFace"):
                return face_of(item, entity, placements)
    raise PlacementError("it has no face")


def plane_frame(entity: Any, placements: Placements) -> Array | None:
    """Axes (rows) and origin (4, 3), world, of the plane that an item's face lies in; None where the file
    names none."""
    for rep in entity.Representation.Representations if entity.Representation is not None else ():
        for item in rep.Items:
            plane = getattr(item, "FaceSurface", None)
            if plane is None or not plane.is_a("IfcPlane"):
                continue
            m = placements.axis(plane.Position)
            if entity.ObjectPlacement is not None:
                m = placements.local(entity.ObjectPlacement) @ m
            return np.concatenate([m[:3, :3].T, m[:3, 3][None]])
    return None


def face_of(face: Any, entity: Any, placements: Placements) -> tuple[Array, list[Array]]:
    surface = getattr(face, "FaceSurface", None)
    if surface is not None and not surface.is_a("IfcPlane"):
        raise PlacementError(f"its surface is an {surface.is_a()}; flat ones are read")
    m = placements.local(entity.ObjectPlacement) if entity.ObjectPlacement is not None else np.eye(4)
    outer: Array | None = None
    openings: list[Array] = []
    for bound in face.Bounds:
        ring = _loop(bound.Bound, placements) @ m[:3, :3].T + m[:3, 3]
        if len(ring) < 3:
            raise PlacementError("its outline has fewer than three points")
        if not np.abs(ring).max() <= FARTHEST:
            raise PlacementError("a coordinate of it is not a number or lies beyond any building")
        if bound.is_a("IfcFaceOuterBound") or (outer is None and len(face.Bounds) == 1):
            outer = ring
        else:
            openings.append(ring)
    if outer is None:
        raise PlacementError("its face has no outer bound")
    return outer, openings


def _loop(loop: Any, placements: Placements) -> Array:
    if loop.is_a("IfcPolyLoop"):
        return np.array([placements.point(p) for p in loop.Polygon])
    if not loop.is_a("IfcEdgeLoop"):
        raise PlacementError(f"an outline of kind {loop.is_a()} is not read")
    parts = []
    for oriented in loop.EdgeList:
        side = oriented.EdgeElement
        if side.is_a("IfcEdgeCurve") and side.EdgeGeometry.is_a() not in ("IfcLine",):
            points = points_of(side.EdgeGeometry, placements)
        else:
            points = np.array([placements.point(v.VertexGeometry) for v in (side.EdgeStart, side.EdgeEnd)])
        parts.append((points if oriented.Orientation else points[::-1])[:-1])
    return np.concatenate(parts)


def _edge(entity: Any, placements: Placements, units: Units, log: list[LogEntry]) -> SourceEdge:
    said = text(entity.Description)
    out = SourceEdge(ident(entity), text(entity.Name), None, lifts=said.startswith(LIFTS))
    out.bearing = limit_of(said)[1] if out.lifts else None
    condition = entity.AppliedCondition
    if entity.is_a("IfcStructuralCurveConnection"):
        out.line = edge(entity, placements)
        if condition is not None:
            axis = placements.direction(getattr(entity, "Axis", None))
            if axis is not None and entity.ObjectPlacement is not None:
                axis = placements.local(entity.ObjectPlacement)[:3, :3] @ axis
            axes = axes_in_words(text(entity.Description).removeprefix(f"{LIFTS}; "))
            if axes is None and axis is not None:
                axes = edge_axes(out.line[1] - out.line[0], axis)
            out.condition = condition_of(condition, units, 0.0, axes)
        return out
    if condition is not None:
        if entity.Representation is not None:
            try:
                out.outer, _ = _face(entity, placements)
            except UNREADABLE:
                out.outer = None  # for all of what is tied to it
        out.bedding, left = bedding_of(condition, units)
        if left:
            name = out.name or out.id
            log.append(LogEntry("skipped", (out.id,), f"surface on {name}: {left}"))
    return out
