"""Lines and points of one surface that elements must keep: its outline, openings, and where members, supports
and other surfaces hold it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from shapely.geometry import LineString, MultiLineString, Point, Polygon
from shapely.geometry.base import BaseGeometry

from ..model import Model, Surface, SurfaceJoint
from ..model.entities.surface import sound
from ..model.geometry.vectors import Array
from .wires import TOUCH

# of the element size: what lies nearer to an edge than this is brought onto it by a rigid arm; no round
# share, which rounding would decide
NEAR_EDGE = 0.2507
BESIDE = 0.6  # m; a member outside the outline that transfer tied to the surface holds its edge up to here
IN_PLANE = 0.2  # sine of the angle up to which a member lies in a wall's plane, and square to its edge
SQUARE = 0.9  # cosine of the angle from a slab's normal up to which a column stands on its whole section
ROUND = 0.8862  # half the side of a square of the area of a circle of radius 1
MARGIN = 0.3  # of a column's width: its sides are brought onto an edge of the slab that is nearer
STRAIGHT = 0.02  # sine of the angle between an edge and a member that goes with it


@dataclass(slots=True)
class SurfaceLines:
    """`lines` (2, 3), the first `edges` of which are outline and openings, and `dots` (3,) in space; `nodes`
    are those of the model that may become corners of elements; `tracks`: member and the piece of line (2, 3)
    along which it holds the surface; `ends`: node and its place; `faces`: node and the piece (2, 3) of an
    edge that a member in the wall's plane meets there with its depth."""

    polygon: Polygon
    lines: list[Array] = field(default_factory=list)
    edges: int = 0
    dots: list[Array] = field(default_factory=list)
    nodes: set[str] = field(default_factory=set)
    tracks: list[tuple[str, Array]] = field(default_factory=list)
    ends: list[tuple[str, Array]] = field(default_factory=list)
    faces: list[tuple[str, Array]] = field(default_factory=list)


def lines_on(model: Model, s: Surface, size: float, whole_columns: bool = False) -> SurfaceLines:
    """Return the lines of a surface with elements of about `size` (m); with `whole_columns` columns hold
    slabs over their whole section. Raises ValueError for one whose outline holds no area."""
    polygon = _net(s)
    out = SurfaceLines(polygon)
    merge = NEAR_EDGE * size
    edges = [e for ring in (polygon.exterior, *polygon.interiors) for e in _edges(np.array(ring.coords))]
    out.lines += [s.lifted(e) for e in edges]
    out.edges = len(edges)
    inside = polygon.buffer(TOUCH)
    for joint in s.joints:
        if joint.kind == "surface" and len(joint.line) == 2:
            out.lines += [s.lifted(p) for p in _within(s.flat(joint.line), inside)]
    for support in s.supports:
        out.lines += [s.lifted(p) for p in _within(s.flat(support.line), inside)]
    for bed in s.beds:  # elements keep to the zones of the ground
        flat = s.flat(bed.outer)
        out.lines += [
            s.lifted(p)
            for pair in zip(flat, np.roll(flat, -1, axis=0))
            for p in _within(np.array(pair), inside)
        ]
    for joint in s.joints:
        if joint.kind != "member" or joint.other not in model.members or len(joint.line) != 2:
            continue
        flat = s.flat(joint.line)
        pieces = _beside(flat, edges, merge)
        if not pieces:
            pieces = _within(flat, inside)
            out.lines += [s.lifted(p) for p in pieces]
        if not pieces:
            pieces = _beside(flat, edges, BESIDE)
        out.tracks += [(joint.other, s.lifted(p)) for p in pieces]
        if joint.distance <= TOUCH:
            member = model.members[joint.other]
            out.nodes |= {member.start, member.end, *(j.node for j in member.joints)}
    held = MultiLineString([s.flat(p) for p in out.lines])
    corners = np.array([p for line in out.lines for p in s.flat(line)])
    for joint in s.joints:
        if joint.kind != "end" or joint.node not in model.nodes:
            continue
        flat = s.flat(joint.line[:1])[0]
        place = _brought(flat, held, corners, merge, polygon)
        if place is None:
            continue
        out.ends.append((joint.node, s.lifted(place[None])[0]))
        out.dots.append(out.ends[-1][1])
        face = _face(model, s, joint, place, edges, merge)
        if face is not None:
            out.faces.append((joint.node, s.lifted(face)))
            out.dots += list(out.faces[-1][1])
        for side in _footprint(model, s, joint, place, polygon) if whole_columns else ():
            out.lines.append(s.lifted(side))
            out.faces.append((joint.node, out.lines[-1]))
        if joint.distance <= TOUCH and np.linalg.norm(place - flat) <= TOUCH:
            out.nodes.add(joint.node)
    return out


def _face(
    model: Model, s: Surface, joint: SurfaceJoint, place: Array, edges: list[Array], merge: float
) -> Array | None:
    """The piece (2, 2) of a wall's edge that the end of a member in its plane covers: of a lintel beside it,
    of a column under it; None for any other end.

    A node of a shell alone hardly resists turning in the shell's plane, the less the finer the mesh: a lintel
    would be hinged."""
    member = model.members.get(joint.other)
    section = model.sections.get(member.section) if member is not None else None
    if not s.upright or member is None or section is None or not section.usable:
        return None
    axes = member.axes(model.line(member))
    if abs(float(axes[0] @ s.plain_axes[2])) > IN_PLANE:
        return None
    y0, y1, z0, z1 = section.bounds
    for edge in edges:
        d = edge[1] - edge[0]
        size = float(np.linalg.norm(d))
        u = d / size
        t = float((place - edge[0]) @ u)
        off = float(np.linalg.norm(place - edge[0] - u * t))
        along = u @ s.plain_axes[:2]  # the edge in space
        if abs(float(axes[0] @ along)) > IN_PLANE or off > TOUCH or not -TOUCH <= t <= size + TOUCH:
            continue
        reach = [t + float(y * (axes[1] @ along) + z * (axes[2] @ along)) for y in (y0, y1) for z in (z0, z1)]
        low, high = min(reach), max(reach)
        low, high = (0.0 if low < merge else low), (size if high > size - merge else high)
        if high - low > 2 * TOUCH:
            return np.array([edge[0] + u * low, edge[0] + u * high])
    return None


def _footprint(model: Model, s: Surface, joint: SurfaceJoint, place: Array, polygon: Polygon) -> list[Array]:
    """Sides (2, 2) of what the section of a column at `place` covers of a slab: of its box (of a round one
    the square of its area), as far as the slab goes. None for what does not stand square to a slab."""
    member = model.members.get(joint.other)
    section = model.sections.get(member.section) if member is not None else None
    if s.upright or member is None or section is None or not section.usable:
        return []
    axes = member.axes(model.line(member))
    if abs(float(axes[0] @ s.plain_axes[2])) < SQUARE:
        return []
    across = axes[1:] @ s.plain_axes[:2].T  # y and z in the slab's plane
    y0, y1, z0, z1 = (v * (ROUND if section.round else 1.0) for v in section.bounds)
    box = Polygon(
        [place + y * across[0] + z * across[1] for y, z in ((y0, z0), (y1, z0), (y1, z1), (y0, z1))]
    )
    near = MARGIN * min(y1 - y0, z1 - z0)
    if polygon.exterior.distance(box.exterior) < near:  # no slivers along an edge nearby
        box = Polygon([_onto(np.array(p), polygon, near) for p in box.exterior.coords[:-1]])
    inside = box.intersection(polygon)
    if not isinstance(inside, Polygon) or inside.area < 0.1 * box.area:
        return []
    ring = np.array(inside.exterior.coords)
    return [np.array([a, b]) for a, b in zip(ring, ring[1:]) if np.linalg.norm(b - a) > 2 * TOUCH]


def _onto(place: Array, polygon: Polygon, near: float) -> Array:
    """A place, on the polygon's nearest edge where that is near."""
    edge = polygon.exterior
    point = Point(place)
    return np.array(edge.interpolate(edge.project(point)).coords[0]) if edge.distance(point) < near else place


def _net(s: Surface) -> Polygon:
    """The outline less its openings, also of those that reach over its edge; the largest part of what is
    left."""
    whole = sound(Polygon(s.flat(s.outer)))
    for ring in s.openings:
        whole = whole.difference(sound(Polygon(s.flat(ring))))
    whole = whole.simplify(TOUCH)
    parts = [p for p in getattr(whole, "geoms", [whole]) if isinstance(p, Polygon) and p.area > TOUCH]
    if not parts:
        raise ValueError("its outline holds no area")
    return max(parts, key=lambda p: p.area)


def _edges(ring: Array) -> list[Array]:
    return [np.array([a, b]) for a, b in zip(ring, ring[1:]) if np.linalg.norm(b - a) > TOUCH]


def _within(flat: Array, area: BaseGeometry) -> list[Array]:
    """Pieces (2, 2) of a line within an area."""
    got = LineString(flat).intersection(area)
    parts = getattr(got, "geoms", [got])
    return [np.array(p.coords)[[0, -1]] for p in parts if isinstance(p, LineString) and p.length > 2 * TOUCH]


def _beside(flat: Array, edges: list[Array], reach: float) -> list[Array]:
    """Return what of the edges a line runs along within `reach`, and not on the edge itself: pieces (2, 2)
    of edges."""
    d = flat[1] - flat[0]
    size = float(np.linalg.norm(d))
    if size < TOUCH:
        return []
    u = d / size
    out = []
    for e in edges:
        w = e[1] - e[0]
        long = float(np.linalg.norm(w))
        if abs(float(u[0] * w[1] - u[1] * w[0])) > STRAIGHT * long:
            continue
        rel = e - flat[0]
        off = np.abs(rel[:, 0] * u[1] - rel[:, 1] * u[0])
        if off.max() > reach:
            continue
        t = rel @ u
        low, high = max(0.0, float(t.min())), min(size, float(t.max()))
        if high - low <= max(4 * TOUCH, 2 * float(off.max())):
            continue
        a, b = ((low - t[0]) / (t[1] - t[0]), (high - t[0]) / (t[1] - t[0]))
        out.append(np.array([e[0] + w * a, e[0] + w * b]))
    return out


def _brought(p: Array, lines: BaseGeometry, corners: Array, merge: float, polygon: Polygon) -> Array | None:
    """A place on the surface, brought to a line or a corner that is near; None where the surface is not."""
    point = Point(p)
    on_line = lines.distance(point)
    if on_line > merge and polygon.distance(point) > 0:
        if polygon.distance(point) > BESIDE:
            return None
        merge = BESIDE
    if on_line <= TOUCH or on_line > merge:
        return p
    # a corner first, so that no short piece of an edge is left over
    if np.linalg.norm(corners - p, axis=1).min() <= merge:
        return _nearest(corners, p, polygon)
    near = [g for g in lines.geoms if g.distance(point) <= on_line + TOUCH]
    return _nearest(np.array([g.interpolate(g.project(point)).coords[0] for g in near]), p, polygon)


def _nearest(places: Array, p: Array, polygon: Polygon) -> Array:
    """Return the nearest of places (n, 2) to p; of equally near ones the one farther in: rounding must not
    choose."""
    far = np.round(np.linalg.norm(places - p, axis=1) / TOUCH)
    inwards = np.round(np.linalg.norm(places - np.array(polygon.centroid.coords[0]), axis=1), 6)
    return np.asarray(places[int(np.lexsort((inwards, far))[0])])
