"""Analytical surfaces of a source, with what its connections tie to them or hold them by."""

from __future__ import annotations

import numpy as np
from shapely.geometry import Polygon

from ...intake.source import SourceEdge, SourceModel
from ...model import LineSupport, LogEntry, Model, Skipped, Support, Surface, SurfaceJoint
from ...model.entities.surface import LEVEL, Bed, normal_of
from ...model.geometry.proximity import near_boxes
from ...model.geometry.vectors import Array

PART = 0.01  # share of a surface that a zone of its ground must cover, and leave
FLAT = 1e-3  # share of its size by which an outline may leave its plane


def transfer_faces(source: SourceModel, model: Model) -> None:
    """Fill `model` with the surface members of the source, their supports and what is tied to them."""
    for face in source.faces:
        outer = face.outer - model.origin
        try:
            n = normal_of(outer)
        except ValueError as error:
            model.skipped.append(
                Skipped("surface", face.id, str(error), face.name, "IfcStructuralSurfaceMember")
            )
            continue
        off = float(np.abs((outer - outer.mean(axis=0)) @ n).max())
        if off > FLAT * float(np.ptp(outer, axis=0).max()):
            reason = f"its outline leaves its plane by {off * 1000:.0f} mm"
            model.skipped.append(Skipped("surface", face.id, reason, face.name, "IfcStructuralSurfaceMember"))
            continue
        surface = Surface(
            face.id,
            face.name,
            face.cls or ("slab" if abs(n[2]) > LEVEL else "wall"),
            "",
            outer,
            [r - model.origin for r in face.openings],
            face.thickness,
            face.material,
            source_outer=outer.copy(),
            source_thickness=face.thickness,
            source_material=face.material,
            way=face.way or "two-way",
            span=face.span,
            diaphragm=face.diaphragm,
            body_share=face.weight_share,
        )
        surface.storey = model.storey_of(float(outer[:, 2].min()))
        model.surfaces[face.id] = surface
        if face.stands:
            model.standing.append(face.id)
        if face.leans:
            model.leaning.append(face.id)
        _tie_points(surface, face.points, model)
    for edge in source.edges:
        _hold(edge, model)
    for tie in source.ties:
        if tie.surface in model.surfaces and (model.part(tie.other) is not None or tie.node in model.nodes):
            own = SurfaceJoint(tie.kind, tie.other, tie.line - model.origin, tie.distance, tie.node)
            model.surfaces[tie.surface].joints.append(own)
        else:
            reason = "what is tied is not in the model"
            model.skipped.append(
                Skipped(
                    "support", tie.surface, reason, f"tie of {tie.surface} to {tie.other or tie.node}", ""
                )
            )
    if not source.ties:
        _share_edges(model)


def _tie_points(surface: Surface, points: list[str], model: Model) -> None:
    at = model.members_at()
    for name in points:
        node = model.nodes.get(name)
        if node is None:
            continue
        height = float(surface.height(node.point[None])[0])
        place = node.point - surface.plain_axes[2] * height
        members = at[name]
        other = members[0] if members else ""
        surface.joints.append(
            SurfaceJoint("end", other, place[None], abs(height) if abs(height) > 1e-9 else 0.0, name)
        )


def _hold(edge: SourceEdge, model: Model) -> None:
    """A connection's condition as line supports of the surfaces it is tied to, or as their bedding."""
    faces = [model.surfaces[f] for f in edge.faces if f in model.surfaces]
    c = edge.condition
    if edge.line is not None and c is not None and not any(c.stiffness):
        c = None
    if c is not None and edge.line is not None and faces:
        # the first surface carries the support: two that share the edge are held once
        faces[0].supports.append(LineSupport(edge.line - model.origin, Support(c.stiffness, c.axes)))
    elif (edge.bedding > 0 or edge.outer is not None) and faces and edge.line is None:
        for s in faces:
            zone = None if edge.outer is None else s.lifted(s.flat(edge.outer - model.origin))
            covered = (
                1.0 if zone is None else Polygon(s.flat(zone)).intersection(s.polygon).area / s.polygon.area
            )
            if zone is not None and PART < covered < 1 - PART:
                s.beds.append(Bed(zone, edge.bedding))
            elif edge.bedding > 0:
                s.bedding = edge.bedding
    elif c is not None or edge.bedding > 0:
        reason = "no surface that is in the model is tied to it"
        model.skipped.append(Skipped("support", edge.id, reason, edge.name, "IfcStructuralCurveConnection"))
        model.log.append(LogEntry("skipped", (edge.id,), f"support {edge.name or edge.id}: {reason}"))
    if edge.lifts:
        model.lifting += [s.id for s in faces if s.id not in model.lifting and (s.on_ground or s.supports)]
        if edge.bearing is not None:
            model.bearing |= {s.id: edge.bearing for s in faces if s.on_ground}
    if edge.line is None:
        return
    line = edge.line - model.origin
    for a in faces:
        for b in faces:
            if a is not b and not any(
                j.other == b.id and np.allclose(j.line, line, atol=1e-6) for j in a.joints
            ):
                a.joints.append(SurfaceJoint("surface", b.id, line, 0.0))
    for ident in edge.curves:
        for s in faces:
            if ident in model.members:
                height = abs(float(s.height(line.mean(axis=0)[None])[0]))
                s.joints.append(SurfaceJoint("member", ident, line, height if height > 1e-9 else 0.0))


def _share_edges(model: Model) -> None:
    """Surfaces whose outlines share two corners, or a corner and a part of an edge, are tied there."""
    surfaces = list(model.surfaces.values())
    snap = model.snap
    low = np.array([s.outer.min(axis=0) for s in surfaces]).reshape(-1, 3)
    high = np.array([s.outer.max(axis=0) for s in surfaces]).reshape(-1, 3)
    i, j = near_boxes((low, high), (low, high), snap)
    for a, b in zip(i.tolist(), j.tolist()):
        if a >= b or any(t.other == surfaces[b].id for t in surfaces[a].joints):
            continue
        line = _shared(surfaces[a].outer, surfaces[b].outer, snap)
        if line is not None:
            surfaces[a].joints.append(SurfaceJoint("surface", surfaces[b].id, line, 0.0))
            surfaces[b].joints.append(SurfaceJoint("surface", surfaces[a].id, line, 0.0))


def _shared(one: Array, two: Array, snap: float) -> Array | None:
    """The longest piece that an edge of one outline shares with an edge of the other; None for none."""
    best: Array | None = None
    longest = max(2 * snap, 0.05)
    for p, q in zip(one, np.roll(one, -1, axis=0)):
        length = float(np.linalg.norm(q - p))
        if length < 1e-9:
            continue
        u = (q - p) / length
        t = (two - p) @ u
        off = np.linalg.norm(two - p - np.outer(t, u), axis=1)
        for k in range(len(two)):
            n = (k + 1) % len(two)
            if off[k] <= snap and off[n] <= snap:
                a, b = max(0.0, min(t[k], t[n])), min(length, max(t[k], t[n]))
                if b - a > longest:
                    longest, best = b - a, np.array([p + u * a, p + u * b])
    return best
