"""Physical members, footings, and the list of what is not read."""

from __future__ import annotations

from typing import Any

import numpy as np
from shapely.geometry import MultiPoint, Polygon

from ....model.entities.log import Skipped
from ....model.geometry.vectors import Array
from ...readers import Progress
from ...source import SourceElement, SourceFooting, SourceModel
from ..context import Openings
from ..damage import UNREADABLE, first_line, for_each, ident, text
from ..geometry import solids
from ..geometry.bodies import Bodies
from ..geometry.items import BodyError, representation
from ..geometry.placement import FARTHEST, Placements
from ..geometry.profiles import Profiles
from ..materials import Materials

MEMBERS = {"IfcBeam": "beam", "IfcColumn": "column", "IfcMember": "brace"}
SURFACES = {"IfcSlab": "slab", "IfcWall": "wall", "IfcPlate": "plate", "IfcRoof": "roof", "IfcRamp": "ramp"}
OTHERS = {
    "IfcStair": "stair",
    "IfcStairFlight": "stair",
    "IfcRampFlight": "ramp",
    "IfcElementAssembly": "assembly",
    "IfcCurtainWall": "curtain_wall",
    "IfcBuildingElementProxy": "proxy",
}
FOOTING_KINDS = {
    "PAD_FOOTING": "pad",
    "STRIP_FOOTING": "strip",
    "FOOTING_BEAM": "beam",
    "PILE_CAP": "pile cap",
    "CAISSON": "caisson",
}
# what an IfcMember is called decides its class; without a word of it, it is a brace
MEMBER_KINDS = {
    "PURLIN": "beam",
    "RAFTER": "beam",
    "JOIST": "beam",
    "CHORD": "beam",
    "STRINGER": "beam",
    "PLATE": "beam",
    "POST": "column",
    "STUD": "column",
    "ARCH_SEGMENT": "beam",
}


def read_physical(
    file: Any,
    source: SourceModel,
    placements: Placements,
    profiles: Profiles,
    materials: Materials,
    storeys: dict[int, str],
    bearing: dict[int, bool],
    openings: Openings,
    progress: Progress,
) -> None:
    """Fill `source` with the physical members, footings and skipped elements of the file."""
    bodies = Bodies(placements, profiles, profiles.units["PLANEANGLEUNIT"])
    total = sum(len(file.by_type(k)) for k in MEMBERS) or 1
    done = 0
    for kind, cls in MEMBERS.items():
        for element in file.by_type(kind):
            done += 1
            if done % 50 == 0:
                progress("Reading members", done / total)
            own = cls
            if kind == "IfcMember" and file.schema != "IFC2X3":
                own = MEMBER_KINDS.get(getattr(element, "PredefinedType", None) or "", cls)
            source.counts[own] = source.counts.get(own, 0) + 1
            for one in building_parts(element) or [element]:
                try:
                    placements.sound(one)
                    found = _member(one, own, placements, bodies, profiles, materials, storeys, openings)
                    found.bearing = bearing.get(one.id(), bearing.get(element.id()))
                    if one != element:
                        found.whole, found.storey = ident(element), storeys.get(element.id(), "")
                        found.material = found.material or materials.of(element).material
                    source.elements.append(found)
                except UNREADABLE as error:
                    source.skipped.append(skip(one, own, error))
    for kind, cls in (("IfcFooting", "footing"), ("IfcPile", "pile")):
        for element in file.by_type(kind):
            source.counts[cls] = source.counts.get(cls, 0) + 1
            try:
                placements.sound(element)
                source.footings.append(_footing(element, cls, placements, profiles, storeys))
            except UNREADABLE as error:
                source.skipped.append(skip(element, cls, error))
    _others(file, source)


def building_parts(element: Any) -> list[Any]:
    """The building element parts that an element without a body of its own is made of; [] for one that has
    a body."""
    if element.get_argument(6) is not None:  # Representation of an IfcProduct
        return []
    return [
        part
        for rel in element.IsDecomposedBy or ()
        for part in rel.RelatedObjects or ()
        if part.is_a("IfcBuildingElementPart") and part.Representation is not None
    ]


def _others(file: Any, source: SourceModel) -> None:
    """List what is not transferred: wholes whose parts are read by themselves, and bodies of no known
    kind."""
    parts: dict[int, int] = {}

    def count(rel: Any) -> None:
        parts[rel.RelatingObject.id()] = len(rel.RelatedObjects or ())

    for_each(file, "IfcRelAggregates", count, source.log)
    for kind, cls in OTHERS.items():
        for element in file.by_type(kind):
            source.counts[cls] = source.counts.get(cls, 0) + 1
            reason = "elements of this kind are not transferred"
            if element.id() in parts:
                reason = "it is a whole of parts; those of them that are members, slabs or walls are read"
            source.skipped.append(skip(element, cls, ValueError(reason)))


def skip(element: Any, cls: str, error: Exception) -> Skipped:
    """An element that is left out, with the reason that an error gives."""
    return Skipped(cls, ident(element), first_line(error), text(element.Name), element.is_a())


def _member(
    element: Any,
    cls: str,
    placements: Placements,
    bodies: Bodies,
    profiles: Profiles,
    materials: Materials,
    storeys: dict[int, str],
    openings: Openings,
) -> SourceElement:
    # attributes of an IfcElement by index, the same in all three schemas
    world = placements.rigid_local(element.get_argument(5))  # ObjectPlacement
    body = bodies.read(element, world, bool(openings.of(element.id())))
    # an extrusion's numbers were all looked at on the way
    if body.how != "extrusion" and not np.abs(body.line).max() <= FARTHEST:
        raise BodyError("a coordinate of it is not a number or lies beyond any building")
    made_of = materials.of(element)
    if body.path is not None and not np.abs(body.path).max() <= FARTHEST:
        raise BodyError("a coordinate of it is not a number or lies beyond any building")
    profile, cardinal = body.profile, made_of.cardinal if body.how == "axis" else None
    stated, told = "", body.told
    if made_of.profile is not None:
        named = profiles.along(made_of.profile, made_of.end)
        if body.how == "axis" or profiles.found[profile].shape == "unknown":
            if body.how != "axis" and profiles.found[profile].reason:
                told = f"the profile of its body cannot be read ({profiles.found[profile].reason})"
            profile = named
        elif body.how == "measured" and profiles.found[named].shape != "unknown":
            # the profile that is named, where the body has it; transfer sees whether it has
            profile = named
        elif named != profile:
            stated = named
    if made_of.end is not None and profiles.found[profile].ends is None:
        materials.simplify(element, "said to taper, with a body that keeps its section: the body's is taken")
    return SourceElement(
        ident(element),  # GlobalId
        text(element.get_argument(2)),  # Name
        cls,
        element.is_a(),
        storeys.get(element.id(), ""),
        body.line,
        body.y_axis,
        body.z_axis,
        profile,
        made_of.material,
        body.how,
        cardinal,
        text(element.get_argument(7)),  # Tag
        body.misfit,
        body.path,
        ends=body.ends,
        volume=body.volume,
        drawn=body.drawn,
        stated=stated,
        told=told,
    )


def _footing(
    element: Any, cls: str, placements: Placements, profiles: Profiles, storeys: dict[int, str]
) -> SourceFooting:
    points = _extruded_corners(element, placements, profiles)
    if points is None:
        points = solids.triangles(element).vertices
    return SourceFooting(
        ident(element),
        text(element.Name),
        points.min(axis=0),
        points.max(axis=0),
        storeys.get(element.id(), ""),
        "pile" if cls == "pile" else FOOTING_KINDS.get(getattr(element, "PredefinedType", None) or "", ""),
        _covered(points),
    )


def _covered(points: Array) -> Array | None:
    """Corners (n, 2) of the convex hull in plan; None where there is none."""
    hull = MultiPoint(points[:, :2]).convex_hull
    return np.array(hull.exterior.coords)[:-1] if isinstance(hull, Polygon) else None


def _extruded_corners(element: Any, placements: Placements, profiles: Profiles) -> Array | None:
    """Corners of a single extruded block in world coordinates; None where the body is anything else."""
    items = representation(element, "Body")
    world = placements.local(element.ObjectPlacement)
    if len(items) != 1 or not items[0].is_a("IfcExtrudedAreaSolid"):
        return None
    item = items[0]
    profile = profiles.found[profiles.key(item.SweptArea)]
    if profile.shape == "rectangle":
        y, z = profile.dims["width"] / 2, profile.dims["depth"] / 2
        flat = np.array([(-y, -z), (y, -z), (y, z), (-y, z)])
    elif profile.outer:
        flat = np.array(profile.outer)
    else:
        return None
    c, s = np.cos(profile.turn), np.sin(profile.turn)
    flat = flat @ np.array([[c, s], [-s, c]]) + np.array(profile.shift)
    m = world @ placements.axis(item.Position)
    base = np.column_stack([flat, np.zeros(len(flat))]) @ m[:3, :3].T + m[:3, 3]
    along = placements.direction(item.ExtrudedDirection)
    if along is None or not 0 < item.Depth * placements.scale <= FARTHEST:
        return None
    step = m[:3, :3] @ (along / np.linalg.norm(along)) * item.Depth * placements.scale
    return np.concatenate([base, base + step])
