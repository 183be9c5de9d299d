"""A slab cut into panels by the beams and walls below it, each edge with what carries it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from itertools import accumulate

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import STRtree, is_ccw
from shapely.geometry import LineString, Point, Polygon

from ...model import Model, Surface
from ...model.entities.surface import sound
from ...model.geometry.directions import main_angles
from ...model.geometry.vectors import Array, like, ring_sides
from .edge_rows import EdgeRows
from .panel import FREE_EDGE, Panel, ring_edges
from .spread import Way, known_spread

GRID = 1e-6  # m; lines nearer than this are one
REACH = 0.3  # m; a beam that stops this near to the next line is taken on to it, so that panels close
SMALL = 1e-4  # m2; what is left between nearly equal lines


@dataclass(slots=True)
class Carrier:
    """A carrier of a panel's load: `kind` member, wall or column, its id, and its line in the plane (2, 2) or
    (1, 2).

    `length` is the member's own, which differs from its line's where the member is inclined to the plane.
    """

    kind: str
    id: str
    line: Array
    length: float = 0.0


@dataclass(eq=False)
class Floor:
    """A plane cut into panels: `carriers` by number; `origin` (3,) and `axes` (3, 3) of the plane; its whole
    outline. `like`: another of the same shape, carriers in the same order, whose panels it shares."""

    id: str
    origin: Array
    axes: Array
    outline: Polygon
    carriers: list[Carrier]
    panels: list[Panel]
    way: Way = "two-way"
    span: Array | None = None
    _unit: dict[int, EdgeRows] = field(default_factory=dict)
    like: Floor | None = None

    def flat(self, points: Array) -> Array:
        return np.asarray((points - self.origin) @ self.axes[:2].T)

    def lifted(self, flat: Array) -> Array:
        return np.asarray(self.origin + flat @ self.axes[:2])

    def span_of(self, panel: Panel) -> Array:
        """The direction (2,) in which a one-way panel carries: the floor's own, else the panel's shorter
        way."""
        if self.span is not None:
            return self.span
        box = np.array(panel.polygon.minimum_rotated_rectangle.exterior.coords)
        sides = np.diff(box[:3], axis=0)
        shorter = sides[np.linalg.norm(sides, axis=1).argmin()]
        return np.asarray(shorter / np.linalg.norm(shorter))

    def unit(self, k: int) -> EdgeRows:
        """Return what pressures of 1, x and y over the whole of panel k put on its edges, worked out once."""
        if k not in self._unit:
            panel = self.panels[k]
            self._unit[k] = known_spread(
                panel, self.way, self.span_of(panel) if self.way == "one-way" else None
            )
        return self._unit[k]

    @cached_property
    def tree(self) -> STRtree:
        return STRtree([p.polygon for p in self.panels])


def columns_below(model: Model) -> set[str]:
    """Nodes that a column comes up to from below."""
    out = set()
    for m in model.members.values():
        if m.cls == "column":
            a, b = model.nodes[m.start].point[2], model.nodes[m.end].point[2]
            out |= {m.start if a > b else m.end, *(j.node for j in m.joints)}
    return out


Known = dict[tuple[object, ...], Floor]
NEAR = 8  # decimals of a metre to which like slabs agree


def floor_of(
    model: Model,
    surface: Surface,
    held: set[str],
    known: Known | None = None,
    lines: Mapping[str, Array] | None = None,
) -> Floor:
    """The panels of a slab, from what is joined to it. `held` are the nodes that columns come up to. `known`:
    slabs cut before; a building has many of one shape, which share their panels. `lines`: axes (2, 3) of
    members, where they are known."""
    axes = _along_outline(surface)
    joined = _joined(model, surface, held, lines)
    # all points at once, and again apart: most of a slab's time would go into single ones
    loops = [surface.outer, *surface.openings, *(points for _, _, points in joined)]
    ends = list(accumulate(len(p) for p in loops))
    apart = [slice(i, j) for i, j in zip([0, *ends], ends)]
    flat = (np.concatenate(loops) - surface.outer[0]) @ axes[:2].T
    parts = [flat[k] for k in apart]
    count = 1 + len(surface.openings)
    carriers = [
        Carrier(kind, ident, line, math.dist(*points) if len(points) == 2 else 0.0)
        for (kind, ident, points), line in zip(joined, parts[count:])
    ]
    way: Way = "one-way" if surface.way == "one-way" else "two-way"
    span = None
    if surface.span is not None:
        way_of = np.array(surface.span) @ axes[:2].T
        span = way_of / np.linalg.norm(way_of) if np.linalg.norm(way_of) > 1e-9 else None
    if known is None:
        outline = sound(Polygon(parts[0], parts[1:count]))
        return cut(surface.id, surface.outer[0], axes, outline, carriers, way, span)
    near = like(flat, NEAR)
    keys = [near[k].tobytes() for k in apart]
    marks = [(c.kind, k, round(c.length, NEAR)) for c, k in zip(carriers, keys[count:])]
    # by place, not by the order of the file
    order = sorted(range(len(carriers)), key=lambda k: marks[k])
    carriers = [carriers[k] for k in order]
    key = (*keys[:count], *(marks[k] for k in order), way, None if span is None else places(span))
    first = known.get(key)
    if first is None:
        outline = sound(Polygon(parts[0], parts[1:count]))
        first = known[key] = cut(surface.id, surface.outer[0], axes, outline, carriers, way, span)
        return first
    return Floor(
        surface.id,
        surface.outer[0],
        axes,
        first.outline,
        carriers,
        first.panels,
        way,
        span,
        first._unit,
        first,
    )


def _joined(
    model: Model, surface: Surface, held: set[str], lines: Mapping[str, Array] | None
) -> list[tuple[str, str, Array]]:
    """Return what is joined to a slab and can carry it, each once: kind, id, and its points (2, 3) or (1,
    3) in space."""
    out: list[tuple[str, str, Array]] = []
    seen = set()
    for joint in surface.joints:
        if joint.kind == "member" and joint.other in model.members and joint.other not in seen:
            seen.add(joint.other)
            line = model.line(model.members[joint.other]) if lines is None else lines[joint.other]
            out.append(("member", joint.other, line))
        elif joint.kind == "surface" and len(joint.line) == 2:
            wall = model.surfaces.get(joint.other)
            if wall is not None and wall.upright and stands_below(wall.outer, joint.line):
                out.append(("wall", wall.id, joint.line))
        elif joint.kind == "end" and joint.node in held and joint.node not in seen:
            seen.add(joint.node)
            out.append(("column", joint.node, joint.line[:1]))
    return out


def _along_outline(surface: Surface) -> Array:
    """Axes (3, 3) of the slab's plane along most of its outline: its beams mostly run along them, and lines
    along the axes stay straight where places are rounded to the grid."""
    plain = surface.plain_axes
    ring = surface.flat(surface.outer)
    along = whole = 0.0
    corners = ring.tolist()  # a few corners: in plain floats
    for (x0, y0), (x1, y1) in zip(corners, [*corners[1:], corners[0]]):
        length = math.hypot(x1 - x0, y1 - y0)
        whole += length
        if min(abs(x1 - x0), abs(y1 - y0)) < GRID / 10:
            along += length
    if 2 * along >= whole:
        return plain
    angle = main_angles(ring_sides(ring))[0]
    angle = (angle + np.pi / 4) % (np.pi / 2) - np.pi / 4
    c, s = np.cos(angle), np.sin(angle)
    return np.array([c * plain[0] + s * plain[1], c * plain[1] - s * plain[0], plain[2]])


def places(points: Array) -> bytes:
    """Points as a key that like ones have in common."""
    return like(points, NEAR).tobytes()


def stands_below(part: Array, at: Array) -> bool:
    """Return whether something stands below a place rather than above it."""
    middle = float(at[:, 2].mean())
    return bool(middle - part[:, 2].min() > part[:, 2].max() - middle)


def cut(
    ident: str,
    origin: Array,
    axes: Array,
    outline: Polygon,
    carriers: list[Carrier],
    way: Way = "two-way",
    span: Array | None = None,
) -> Floor:
    """Cut a plane's outline along its carriers; carriers that nearly reach the next line are taken on to
    it."""
    numbers = [
        k
        for k, c in enumerate(carriers)
        if c.kind != "column" and np.linalg.norm(c.line[1] - c.line[0]) > GRID
    ]
    segments = _reaching([carriers[k].line for k in numbers], outline)
    work = [LineString(r.coords) for r in (outline.exterior, *outline.interiors)] + [
        LineString(s) for s in segments
    ]
    faces = [
        f for f in shapely.polygonize([shapely.unary_union(work, grid_size=GRID)]).geoms if f.area > SMALL
    ]
    inside = shapely.contains(outline, shapely.point_on_surface(np.array(faces))) if faces else []
    faces = [f for f, good in zip(faces, inside) if good]
    panels = _labelled(faces, np.array(segments).reshape(-1, 2, 2), np.array(numbers, np.int64))
    floor = Floor(ident, origin, axes, outline, carriers, panels, way, span)
    _columns(floor)
    return floor


def _reaching(lines: list[Array], outline: Polygon) -> list[Array]:
    """The lines, those of their ends that meet no other line taken on by REACH."""
    if not lines:
        return []
    shapes = np.array([LineString(s) for s in lines])
    tree = STRtree(
        [*shapes, LineString(outline.exterior.coords), *(LineString(r.coords) for r in outline.interiors)]
    )
    ends = np.array(lines).reshape(-1, 2)
    own, other = tree.query(shapely.points(ends), predicate="dwithin", distance=10 * GRID)
    meets = np.zeros(len(ends), bool)
    meets[own[other != own // 2]] = True
    out = []
    for k, line in enumerate(lines):
        d = (line[1] - line[0]) / float(np.linalg.norm(line[1] - line[0])) * REACH
        out.append(np.array([line[0] - d * (not meets[2 * k]), line[1] + d * (not meets[2 * k + 1])]))
    return out


def _labelled(faces: list[Polygon], segments: Array, numbers: NDArray[np.int64]) -> list[Panel]:
    """Faces with every edge's carrier: of the segments that an edge lies on the one whose middle is nearest
    to its own."""
    if not faces:
        return []
    edges = [ring_edges(f) for f in faces]
    start, end = np.concatenate([e[0] for e in edges]), np.concatenate([e[1] for e in edges])
    carrier = np.full(len(start), FREE_EDGE, np.int64)
    if len(segments):
        middle = (start + end) / 2
        tree = STRtree(shapely.linestrings(segments))
        e, s = tree.query(shapely.points(middle), predicate="dwithin", distance=20 * GRID)
        a, d = segments[s, 0], segments[s, 1] - segments[s, 0]
        u = d / np.linalg.norm(d, axis=1)[:, None]
        off = np.zeros(len(e))
        for p in (start, end):
            rel = p[e] - a
            off = np.maximum(off, np.abs(rel[:, 0] * u[:, 1] - rel[:, 1] * u[:, 0]))
        good = off <= 20 * GRID
        e, s = e[good], s[good]
        far = np.linalg.norm(segments[s].mean(axis=1) - middle[e], axis=1) / np.linalg.norm(
            segments[s, 1] - segments[s, 0], axis=1
        )
        order = np.lexsort((numbers[s], np.round(far, 6), e))
        first = np.unique(e[order], return_index=True)[1]
        carrier[e[order][first]] = numbers[s[order][first]]
    out = []
    at = 0
    for face, (a, _) in zip(faces, edges):
        out.append(_plain(face, carrier[at : at + len(a)]))
        at += len(a)
    return out


def _plain(face: Polygon, carrier: NDArray[np.int64]) -> Panel:
    """A panel without the corners at which an edge only goes on, straight and with the same carrier."""
    rings, kept = [], []
    at = 0
    for k, ring in enumerate((face.exterior, *face.interiors)):
        points = np.array(ring.coords)[:-1]
        if is_ccw(ring) == (k > 0):
            points = np.roll(points[::-1], 1, axis=0)  # as ring_edges starts it
        mine = carrier[at : at + len(points)]
        at += len(points)
        before = points - np.roll(points, 1, axis=0)
        after = np.roll(points, -1, axis=0) - points
        size = np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1)
        bend = np.abs(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]) / np.maximum(size, 1e-300)
        keep = (bend > 1e-9) | (mine != np.roll(mine, 1))
        if keep.sum() < 3:
            keep[:] = True
        points, mine = points[keep], mine[keep]
        # always the same start, so that equal panels look equal
        turn = int(np.lexsort((points[:, 1], points[:, 0]))[0])
        rings.append(np.roll(points, -turn, axis=0))
        kept.append(np.roll(mine, -turn))
    order = [0, *sorted(range(1, len(rings)), key=lambda k: tuple(rings[k][0]))]
    rings, kept = [rings[k] for k in order], [kept[k] for k in order]
    polygon = Polygon(rings[0], rings[1:])
    return Panel(polygon, *ring_edges(polygon), np.concatenate(kept))


def _columns(floor: Floor) -> None:
    """Give each column that stands away from carried edges to the panel it stands in."""
    numbers = [k for k, c in enumerate(floor.carriers) if c.kind == "column"]
    if not numbers or not floor.panels:
        return
    for k in sorted(numbers, key=lambda k: tuple(np.round(floor.carriers[k].line[0], 6))):
        point = floor.carriers[k].line[0]
        near = floor.tree.query(Point(point), predicate="dwithin", distance=REACH)
        best: int | None = None
        for i in near.tolist():
            panel = floor.panels[i]
            edges = panel.carried
            if len(edges) and _off(panel, edges, point) < REACH:
                best = None
                break
            if best is None or panel.polygon.distance(Point(point)) < floor.panels[best].polygon.distance(
                Point(point)
            ):
                best = i
        if best is not None:
            panel = floor.panels[best]
            panel.points = np.vstack([panel.points, point])
            panel.point_carrier = np.append(panel.point_carrier, k)


def _off(panel: Panel, edges: NDArray[np.int64], point: Array) -> float:
    rel = point - panel.start[edges]
    t = np.clip(np.einsum("ei,ei->e", rel, panel.along[edges]), 0, panel.length[edges])
    return float(np.linalg.norm(rel - t[:, None] * panel.along[edges], axis=1).min())
