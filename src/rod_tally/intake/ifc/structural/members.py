"""The structural analysis domain: members, point connections, conditions, releases, eccentricities."""

from __future__ import annotations

from math import inf
from typing import Any

import numpy as np

from ....model.entities.log import LogEntry, Skipped
from ....model.geometry.vectors import Array
from ...readers import Progress
from ...source import SourceCondition, SourceConnection, SourceCurve, SourceModel, SourcePoint
from ..damage import UNREADABLE, first_line, for_each, ident, text
from ..geometry.curves import points_of
from ..geometry.placement import PlacementError, Placements
from ..geometry.profiles import Profiles
from ..materials import Materials
from ..units import Units

ONE_WAY = {"TENSION_MEMBER": "tension", "COMPRESSION_MEMBER": "compression", "CABLE": "tension"}
ROTATIONS_2X3 = ("RotationalStiffnessX", "RotationalStiffnessY", "RotationalStiffnessZ")
TRANSLATIONS = ("TranslationalStiffnessX", "TranslationalStiffnessY", "TranslationalStiffnessZ")
LINEARS_2X3 = ("LinearStiffnessX", "LinearStiffnessY", "LinearStiffnessZ")
NODE = (LINEARS_2X3, TRANSLATIONS, ROTATIONS_2X3)
EDGE = tuple(tuple(n[:-1] + "ByLength" + n[-1] for n in names) for names in NODE)


def read_analytical(
    file: Any,
    source: SourceModel,
    placements: Placements,
    profiles: Profiles,
    materials: Materials,
    units: Units,
    progress: Progress,
) -> None:
    """Fill `source` with curve members and point connections."""
    for entity in file.by_type("IfcStructuralPointConnection"):
        try:
            placements.sound(entity)
            point = _vertex(entity, placements)
            condition = None
            if entity.AppliedCondition is not None:
                axes = getattr(entity, "ConditionCoordinateSystem", None)
                m = placements.local(entity.ObjectPlacement)
                if axes is not None:
                    m = m @ placements.axis(axes)
                condition = condition_of(entity.AppliedCondition, units, 0.0, m[:3, :3].T)
            source.points.append(SourcePoint(ident(entity), text(entity.Name), point, condition))
        except UNREADABLE as error:
            source.skipped.append(Skipped("node", ident(entity), first_line(error), text(entity.Name), entity.is_a()))
    known = {p.id for p in source.points}
    curves: dict[int, SourceCurve] = {}
    entities = file.by_type("IfcStructuralCurveMember")
    for n, entity in enumerate(entities):
        if n % 50 == 0:
            progress("Reading analytical members", n / len(entities))
        try:
            placements.sound(entity)
            curve = _curve(entity, placements, profiles, materials)
            source.curves.append(curve)
            if entity.PredefinedType in ONE_WAY:
                source.one_way[curve.id] = ONE_WAY[entity.PredefinedType]
            curves[entity.id()] = curve
        except UNREADABLE as error:
            source.skipped.append(Skipped("member", ident(entity), first_line(error), text(entity.Name), entity.is_a()))

    def connect(rel: Any) -> None:
        found = curves.get(rel.RelatingStructuralMember.id()) if rel.RelatingStructuralMember else None  # else a face's
        point = rel.RelatedStructuralConnection
        if found is not None and point is not None and point.GlobalId in known:
            found.connections.append(_connection(rel, found, source, placements, units))

    for_each(file, "IfcRelConnectsStructuralMember", connect, source.log)
    source.counts["member"] = len(entities)
    source.counts["node"] = len(file.by_type("IfcStructuralPointConnection"))
    supports = sum(1 for p in file.by_type("IfcStructuralPointConnection") if p.AppliedCondition is not None)
    source.counts["support"] = source.counts.get("support", 0) + supports


def _items(entity: Any) -> list[Any]:
    if entity.Representation is None:
        return []
    return [item for rep in entity.Representation.Representations for item in rep.Items]


def _vertex(entity: Any, placements: Placements) -> Array:
    for item in _items(entity):
        geometry = item.VertexGeometry if item.is_a("IfcVertexPoint") else item
        if geometry.is_a("IfcCartesianPoint"):
            return _world(placements.point(geometry), entity, placements)
    raise PlacementError("it has no point")


def _world(points: Array, entity: Any, placements: Placements) -> Array:
    if entity.ObjectPlacement is None:
        return points
    m = placements.local(entity.ObjectPlacement)
    return points @ m[:3, :3].T + m[:3, 3]


def edge(entity: Any, placements: Placements) -> Array:
    """End points (2, 3) of a straight edge in world coordinates. Raises for none, a curved one, one of no length."""
    for item in _items(entity):
        forward = True
        if item.is_a("IfcOrientedEdge"):
            forward, item = item.Orientation, item.EdgeElement
        if item.is_a("IfcEdge"):
            if item.is_a("IfcEdgeCurve") and item.EdgeGeometry.is_a() not in ("IfcPolyline", "IfcLine"):
                along = points_of(item.EdgeGeometry, placements)
                chord = along[-1] - along[0]
                if np.linalg.norm(np.cross(along - along[0], chord)) > 1e-3 * (chord @ chord):
                    raise PlacementError("its axis is curved, and curved members are not read")
            ends = [placements.point(v.VertexGeometry) for v in (item.EdgeStart, item.EdgeEnd)]
            line = np.array(ends if forward else ends[::-1])
        elif item.is_a("IfcCurve"):
            line = points_of(item, placements)[[0, -1]]
        else:
            continue
        length = float(np.linalg.norm(line[1] - line[0]))
        if length <= 1e-6:
            raise PlacementError(f"it has no length ({length * 1000:.3g} mm)")
        return _world(line, entity, placements)
    raise PlacementError("it has no axis")


def _curve(entity: Any, placements: Placements, profiles: Profiles, materials: Materials) -> SourceCurve:
    line = edge(entity, placements)
    z = placements.direction(getattr(entity, "Axis", None))
    if z is not None and entity.ObjectPlacement is not None:
        z = placements.local(entity.ObjectPlacement)[:3, :3] @ z
    made_of = materials.of(entity)
    return SourceCurve(
        ident(entity),
        text(entity.Name),
        line,
        z,
        profiles.key(made_of.profile),
        made_of.material,
        entity.PredefinedType in ("PIN_JOINED_MEMBER", "TENSION_MEMBER", "COMPRESSION_MEMBER", "CABLE"),
        entity.ObjectType if entity.ObjectType in ("beam", "column", "brace") else "",
    )


def _connection(
    rel: Any, curve: SourceCurve, source: SourceModel, placements: Placements, units: Units
) -> SourceConnection:
    connection = SourceConnection(rel.RelatedStructuralConnection.GlobalId)
    if rel.AppliedCondition is not None:
        found = condition_of(rel.AppliedCondition, units, inf, None)
        system = getattr(rel, "ConditionCoordinateSystem", None)
        if system is not None:
            found = _in_member_axes(found, placements.axis(system)[:3, :3].T, curve, source)
        connection.condition = found
    if rel.is_a("IfcRelConnectsWithEccentricity") and rel.ConnectionConstraint is not None:
        constraint = rel.ConnectionConstraint
        on_member = getattr(constraint, "PointOnRelatingElement", None)
        on_point = getattr(constraint, "PointOnRelatedElement", None)
        offset = [getattr(constraint, f"EccentricityIn{a}", None) or 0.0 for a in "XYZ"]
        where = [_point_of(p, placements) for p in (on_member, on_point)]
        if any(offset):
            connection.eccentricity = -np.array(offset) * placements.scale
        elif where[0] is not None and where[1] is not None:
            connection.eccentricity = where[0] - where[1]
        connection.where = where[0]
    return connection


def _point_of(select: Any, placements: Placements) -> Array | None:
    if select is None:
        return None
    geometry = select.VertexGeometry if select.is_a("IfcVertexPoint") else select
    return placements.point(geometry) if geometry.is_a("IfcCartesianPoint") else None


def condition_of(entity: Any, units: Units, absent: float, axes: Array | None) -> SourceCondition:
    """The stiffness in an IfcBoundaryNodeCondition, or in an IfcBoundaryEdgeCondition a metre; `absent` (0 or infinite)
    where the file says nothing.

    IFC2X3 writes a held direction as a negative stiffness, IFC4 as true.
    """
    out = []
    along = entity.is_a("IfcBoundaryEdgeCondition")
    old, new, rotations = EDGE if along else NODE
    names = (old if hasattr(entity, old[0]) else new) + rotations
    linear, turning = (
        ("MODULUSOFLINEARSUBGRADEREACTIONUNIT", "MODULUSOFROTATIONALSUBGRADEREACTIONUNIT")
        if along
        else ("LINEARSTIFFNESSUNIT", "ROTATIONALSTIFFNESSUNIT")
    )
    for i, name in enumerate(names):
        raw = getattr(entity, name, None)
        value = getattr(raw, "wrappedValue", raw)
        if value is None:
            out.append(absent)
        elif isinstance(value, bool):
            out.append(inf if value else 0.0)
        elif value < 0:
            out.append(inf)
        else:
            out.append(float(value) * units[linear if i < 3 else turning])
    turned = None
    if axes is not None and not np.allclose(axes, np.eye(3), atol=1e-9):
        turned = tuple(tuple(float(v) for v in row) for row in axes)
    return SourceCondition(tuple(out), turned)  # type: ignore[arg-type]


def _in_member_axes(c: SourceCondition, axes: Array, curve: SourceCurve, source: SourceModel) -> SourceCondition:
    """A condition given in axes turned against the member's own, brought into them where that is a permutation."""
    if np.allclose(axes, np.eye(3), atol=1e-6):
        return c
    order = np.abs(axes).argmax(axis=0)
    permutes = np.allclose(np.abs(axes).max(axis=0), 1, atol=1e-3) and len(set(order)) == 3
    uniform = len(set(c.stiffness[:3])) == 1 and len(set(c.stiffness[3:])) == 1
    if not permutes and not uniform:
        message = "its end condition is given in axes turned against the member's own; the turn is not taken over"
        source.log.append(LogEntry("guessed", (curve.id,), message))
        return c
    index = [*order, *(3 + order)] if permutes else list(range(6))
    return SourceCondition(tuple(c.stiffness[i] for i in index))
