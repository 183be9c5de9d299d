"""Actions on surfaces, on places in space, temperatures and imposed movements."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ....model.entities.surface import across, normal_of
from ....model.geometry.vectors import Array
from ...source import SourceAction, SourceEdge, SourceFace, SourceSurface
from ..damage import ident, text
from ..geometry.placement import FARTHEST, Placements
from ..units import Units
from .faces import face_of, plane_frame
from .members import edge
from .values import ActionError, direction, finite, values_of

PLANAR = ("PlanarForceX", "PlanarForceY", "PlanarForceZ")
MOVED = (
    "DisplacementX",
    "DisplacementY",
    "DisplacementZ",
    "RotationalDisplacementRX",
    "RotationalDisplacementRY",
    "RotationalDisplacementRZ",
)
WARMER = (("DeltaTConstant", "DeltaT_Constant"), ("DeltaTY", "DeltaT_Y"), ("DeltaTZ", "DeltaT_Z"))
HOTTEST = 5000.0  # K


ALONG = 1e-6  # m
ON_ONE_LINE = 1e-6  # m2; twice the area of a triangle that is none


def imposed(
    action: Any, load: Any, case: str, target: str, is_point: bool, units: Units
) -> SourceAction | None:
    """A temperature or a movement; None for other loads. `target` is the id of a curve member or point
    connection."""
    out = SourceAction(ident(action), text(action.Name), case, target, "temperature", [])
    if load.is_a("IfcStructuralLoadTemperature"):
        if is_point:
            raise ActionError("a temperature on a point")
        values = []
        for names in WARMER:
            raw = next((getattr(load, n) for n in names if getattr(load, n, None) is not None), 0.0)
            # differences: no offset of the scale
            values.append(float(raw) * units["THERMODYNAMICTEMPERATUREUNIT"])
        out.stations = [(0.0, finite((*values, 0.0, 0.0, 0.0), HOTTEST))]
        return out
    if load.is_a("IfcStructuralLoadSingleDisplacement"):
        if not is_point:
            raise ActionError("an imposed movement along a member is not taken over")
        out.kind = "movement"
        out.stations = [(0.0, tuple(float(getattr(load, n, None) or 0.0) for n in MOVED))]
        return out
    return None


def on_place(
    action: Any,
    load: Any,
    case: str,
    face: SourceFace | SourceSurface | None,
    side: SourceEdge | None,
    placements: Placements,
    units: Units,
) -> list[SourceAction]:
    """An action on a surface, along its connected edge, or on its own shape in space; a line with values
    at several places is one for each piece. Raises ActionError."""
    local = action.GlobalOrLocal == "LOCAL_COORDS"
    projected = getattr(action, "ProjectedOrTrue", None) in ("PROJECTED_LENGTH", "PROJECTED_AREA")
    target = face.id if face is not None else (side.faces[0] if side is not None and side.faces else "")
    out = SourceAction(ident(action), text(action.Name), case, target, "area", [], local, projected)
    spread = load.is_a("IfcStructuralLoadConfiguration")
    values = list(load.Values) if spread else [load, *(getattr(action, "SubsequentAppliedLoads", None) or ())]
    places = varying_places(action, placements) if len(values) > 1 and not spread else None
    if all(v.is_a("IfcStructuralLoadPlanarForce") for v in values):
        if len(values) not in (1, 3):
            raise ActionError(f"a pressure given at {len(values)} points is not taken over; one or three are")
        for v in values:
            raw = tuple(float(getattr(v, n, None) or 0.0) * units["PLANARFORCEUNIT"] for n in PLANAR)
            out.stations.append((0.0, (*finite(raw), 0.0, 0.0, 0.0)))
        out.outline = own_face(action, placements)
        outline = out.outline if out.outline is not None else _outline_of(face)
        frame = face.frame if isinstance(face, SourceFace) else None
        if out.outline is not None:
            frame = plane_frame(action, placements)
            if frame is None and isinstance(face, SourceFace):
                frame = face.frame
        if outline is None:
            raise ActionError("it acts on nothing, and has no area of its own")
        said = text(action.Description)
        out.cladding = said.startswith("cladding") and face is None
        out.span = direction(said) if out.cladding else None
        if out.local and projected:
            # in its own axes a plane is seen whole from across it, and not at all from along it
            out.stations = [(x, (0.0, 0.0, *v[2:])) for x, v in out.stations]
            out.projected = False
        if out.local and frame is not None:
            # the axes of the file's own plane, whatever axes the model gives the surface
            out.stations = [
                (x, (*(np.array(v[:3]) @ frame[:3]).tolist(), 0.0, 0.0, 0.0)) for x, v in out.stations
            ]
            out.local = False
        if len(values) == 3 and not spread:
            if places is None or len(places) != 3:
                raise ActionError("nothing says where the three values of its pressure hold")
            out.places = places
        elif len(values) == 3:
            flat = np.array(
                [[float(x) * placements.scale for x in p] for p in load.Locations], float
            ).reshape(3, 2)
            if not np.abs(flat).max() <= FARTHEST:
                raise ActionError("a place of it lies beyond any building")
            if abs(np.linalg.det(np.column_stack([np.ones(3), flat]))) < ON_ONE_LINE:
                raise ActionError("the three points that its pressure is given at lie on one line")
            if frame is not None:
                out.places = frame[3] + flat @ frame[:2]
            else:
                out.places = outline[0] + flat @ np.array(across(normal_of(outline)))
        return [out]
    if local and face is not None:
        raise ActionError("a line or a point on a surface in the surface's own axes is not taken over")
    line = edge(action, placements) if _has_edge(action) else own_points(action, placements)
    if line is None and side is not None:
        line = side.line
    if line is None:
        raise ActionError(
            "nothing says where on the surface it acts" if face is not None else "it acts on nothing"
        )
    out.kind, out.outline = "space", line
    read = [values_of(v, units, len(line) == 1) for v in values]
    if len(line) == 1 or len(values) == 1:
        if len(line) == 1 and len(values) > 1:
            raise ActionError("several values at one point")
        out.stations = [(0.0, v) for v in read]
        return [out]
    size = float(np.linalg.norm(line[1] - line[0]))
    way = (line[1] - line[0]) / size
    at = [float(x) * size / (len(values) - 1) for x in range(len(values))]
    if spread and load.Locations:
        at = [float(p[0]) * placements.scale for p in load.Locations]
    elif places is not None and len(places) == len(values):
        at = [float((p - line[0]) @ way) for p in places]
    if min(at) < -ALONG or max(at) > size + ALONG:
        raise ActionError(f"it has a value at {max(at, key=abs):g} m of a line that is {size:g} m long")
    order = np.argsort(at, kind="stable").tolist()
    pieces = []
    for i, j in zip(order, order[1:]):
        if at[j] - at[i] > ALONG:
            ends = line[0] + np.outer([at[i], at[j]], way)
            pieces.append(replace(out, outline=ends, stations=[(0.0, read[i]), (0.0, read[j])]))
    if not pieces:
        raise ActionError("all its values hold at one place")
    return pieces


def varying_places(action: Any, placements: Placements) -> Array | None:
    """Where the values of a varying action of the older schema hold (n, 3), world; None where it does not
    say."""
    aspect = getattr(action, "VaryingAppliedLoadLocation", None)
    points = []
    for rep in aspect.ShapeRepresentations if aspect is not None else ():
        for item in rep.Items:
            geometry = item.VertexGeometry if item.is_a("IfcVertexPoint") else item
            if geometry.is_a("IfcCartesianPoint"):
                points.append(placements.point(geometry))
    if not points:
        return None
    found = np.array(points)
    if action.ObjectPlacement is not None:
        m = placements.local(action.ObjectPlacement)
        found = found @ m[:3, :3].T + m[:3, 3]
    return found


def _outline_of(face: SourceFace | SourceSurface | None) -> Array | None:
    """The outline (n, 3) that a pressure's points are counted from; None for nothing."""
    if isinstance(face, SourceSurface):
        return face.body.outer if face.body is not None else face.sheets[0].outer if face.sheets else None
    return None if face is None else face.outer


def _has_edge(action: Any) -> bool:
    reps = action.Representation.Representations if action.Representation is not None else ()
    return any(item.is_a("IfcEdge") for rep in reps for item in rep.Items)


def own_points(action: Any, placements: Placements) -> Array | None:
    """The action's own vertex (1, 3) or edge (2, 3); None when it has no shape of its own."""
    if action.Representation is None:
        return None
    for rep in action.Representation.Representations:
        for item in rep.Items:
            if item.is_a("IfcVertexPoint") and item.VertexGeometry.is_a("IfcCartesianPoint"):
                p = placements.point(item.VertexGeometry)
                if action.ObjectPlacement is not None:
                    m = placements.local(action.ObjectPlacement)
                    p = m[:3, :3] @ p + m[:3, 3]
                return p[None]
            if item.is_a("IfcEdge"):
                return edge(action, placements)
    return None


def own_face(action: Any, placements: Placements) -> Array | None:
    """Outline (n, 3) of the action's own face; None when it has none."""
    if action.Representation is None:
        return None
    for rep in action.Representation.Representations:
        for item in rep.Items:
            if item.is_a("IfcFace"):
                outer, openings = face_of(item, action, placements)
                if openings:
                    raise ActionError("its own area has openings")
                return outer
    return None
