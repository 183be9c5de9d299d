"""The structural analysis domain: members, point connections, conditions, releases, eccentricities."""

from __future__ import annotations

from math import inf
from typing import Any

import numpy as np

from ....model.entities.log import LogEntry, Skipped
from ....model.entities.structure import LIFTS, ONE_WAY_WORDS, limit_of, weight_of
from ....model.geometry.vectors import Array
from ...readers import Progress
from ...source import SourceConnection, SourceCurve, SourceModel, SourcePoint
from ..damage import UNREADABLE, first_line, for_each, ident, text
from ..geometry.curves import points_of
from ..geometry.placement import PlacementError, Placements
from ..geometry.profiles import Profiles
from ..materials import Materials
from ..units import Units
from .conditions import condition_of, in_member_axes, left_of

SAID = {words: way for way, words in ONE_WAY_WORDS.items()}
ONE_WAY = {"TENSION_MEMBER": "tension", "COMPRESSION_MEMBER": "compression", "CABLE": "tension"}


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
            point = vertex(entity, placements)
            condition = None
            if entity.AppliedCondition is not None:
                axes = getattr(entity, "ConditionCoordinateSystem", None)
                m = placements.local(entity.ObjectPlacement)
                if axes is not None:
                    m = m @ placements.axis(axes)
                condition = condition_of(entity.AppliedCondition, units, 0.0, m[:3, :3].T)
            source.points.append(SourcePoint(ident(entity), text(entity.Name), point, condition))
            said, bearing = limit_of(text(getattr(entity, "Description", None)))
            if said == LIFTS:
                source.lifting.append(ident(entity))
                if bearing is not None:
                    source.bearing[ident(entity)] = bearing
        except UNREADABLE as error:
            source.skipped.append(
                Skipped("node", ident(entity), first_line(error), text(entity.Name), entity.is_a())
            )
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
            said, curve.weight_share = weight_of(text(entity.Description))
            said, limit = limit_of(said)
            way = ONE_WAY.get(entity.PredefinedType) or SAID.get(said)
            if way is not None:
                source.one_way[curve.id] = way
                if limit is not None:
                    source.limits[curve.id] = limit
            curves[entity.id()] = curve
        except UNREADABLE as error:
            source.skipped.append(
                Skipped("member", ident(entity), first_line(error), text(entity.Name), entity.is_a())
            )

    def connect(rel: Any) -> None:
        # else a face's
        found = curves.get(rel.RelatingStructuralMember.id()) if rel.RelatingStructuralMember else None
        point = rel.RelatedStructuralConnection
        if found is not None and point is not None and point.GlobalId in known:
            found.connections.append(_connection(rel, found, source, placements, units))
            for what in left_of(rel):
                message = f"member {found.name or found.id}: {what} at its end is not taken over"
                source.log.append(LogEntry("skipped", (found.id,), message))

    for_each(file, "IfcRelConnectsStructuralMember", connect, source.log)
    source.counts["member"] = len(entities)
    source.counts["node"] = len(file.by_type("IfcStructuralPointConnection"))
    supports = sum(1 for p in file.by_type("IfcStructuralPointConnection") if p.AppliedCondition is not None)
    source.counts["support"] = source.counts.get("support", 0) + supports


def _items(entity: Any) -> list[Any]:
    if entity.Representation is None:
        return []
    return [item for rep in entity.Representation.Representations for item in rep.Items]


def vertex(entity: Any, placements: Placements) -> Array:
    """The place of a point in world coordinates. Raises PlacementError for an entity without one."""
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
    """End points (2, 3) of a straight edge in world coordinates, of the first representation that has one.
    Raises for none, a curved one, several in one representation, one of no length."""
    representations = entity.Representation.Representations if entity.Representation is not None else ()
    lines: list[Array] = []
    for representation in representations:
        lines = [line for item in representation.Items if (line := _straight(item, placements)) is not None]
        if lines:
            break
    if not lines:
        raise PlacementError("it has no axis")
    found = lines[0]
    if not all(np.allclose(found, x, atol=1e-6) or np.allclose(found[::-1], x, atol=1e-6) for x in lines[1:]):
        raise PlacementError("its axis is of several pieces, of which none is read")
    length = float(np.linalg.norm(found[1] - found[0]))
    if length <= 1e-6:
        raise PlacementError(f"it has no length ({length * 1000:.3g} mm)")
    return _world(found, entity, placements)


def _straight(item: Any, placements: Placements) -> Array | None:
    """Ends of an edge or of a curve, None for another item. Raises for what is not straight."""
    forward = True
    if item.is_a("IfcOrientedEdge"):
        forward, item = item.Orientation, item.EdgeElement
    curve = item.EdgeGeometry if item.is_a("IfcEdgeCurve") else item if item.is_a("IfcCurve") else None
    if curve is not None and not curve.is_a("IfcLine"):
        along = points_of(curve, placements)
        chord = along[-1] - along[0]
        if np.linalg.norm(np.cross(along - along[0], chord), axis=1).max() > 1e-3 * (chord @ chord):
            raise PlacementError("its axis is curved or kinked, and such members are not read")
        if not item.is_a("IfcEdge"):
            return along[[0, -1]]
    if not item.is_a("IfcEdge"):
        return None
    ends = [placements.point(v.VertexGeometry) for v in (item.EdgeStart, item.EdgeEnd)]
    return np.array(ends if forward else ends[::-1])


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
        profiles.along(made_of.profile, made_of.end),
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
            found = in_member_axes(found, placements.axis(system)[:3, :3].T, curve, source)
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
