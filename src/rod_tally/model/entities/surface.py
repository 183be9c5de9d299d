"""A flat surface: a slab's or a wall's mid-surface with its openings and thickness."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from shapely import contains_xy
from shapely.geometry import Polygon

from ..catalogue.shapes import polygon_moments
from ..geometry.vectors import Array
from .structure import Support

CACHED = 100_000  # outlines whose geometry is kept
LEVEL = 0.7  # cosine from vertical above which a normal counts as that of a slab


@dataclass(slots=True)
class SurfaceJoint:
    """A place where something is tied to a surface: `other` is a member's or surface's id, `line` (1, 3) or
    (2, 3) the place in this surface's plane, `distance` (m) how far the other's own axis or plane lies from
    there: a rigid link's length.

    `kind`: "end" (a member's end, at `node`), "member" (a member along the surface) or "surface".
    """

    kind: str
    other: str
    line: Array
    distance: float = 0.0
    node: str = ""


@dataclass(slots=True)
class LineSupport:
    """The support of an edge of a surface along `line` (2, 3): as a node's support, springs a metre of
    edge."""

    line: Array
    support: Support


@dataclass(slots=True)
class Bed:
    """A zone of a surface, `outer` (n, 3), with ground of its own: `modulus` of subgrade reaction in N/m3, 0
    for none."""

    outer: Array
    modulus: float


@dataclass(slots=True)
class Surface:
    """A slab's or wall's mid-surface. `outer` (n, 3) and `openings` lie in one plane, m; `thickness` in m.

    `guess` says what transfer had to assume. `element`: the curved element it is a facet of, "" for a whole
    one. `joints` are what is tied to it, `supports` what holds its edges, `bedding` (N/m3) what it lies on, 0
    for nothing, but for zones with `beds` of their own, of which the last that holds a place counts. `x_axis`
    turns the local x from where it lies by itself; `flipped` turns z (and y with it) to the other side.
    `way`: how it carries: as a "shell" in a run, elements of `mesh_size` (m; None as the settings say);
    handing its loads on by yield lines ("two-way") or "one-way", along `span` (None: each panel's shorter
    way); a wall also as a "column". `diaphragm`: a slab that hands its loads on holds what lies in its plane
    together in plan, as one rigid body. `spread` is (least, most) thickness where it varies, with the places
    `thin_at`, `thick_at`.

    Its weight is that of the source's body: `body_share` is the body's volume over area and thickness as
    drawn, `area_share` the drawn area over the one that transfer left. `depth` is how far the body reaches
    below and above the plane where that is not half the thickness each; `differs` says how body and plate
    differ, "" where they do not. `joined_as`: its thickness (m) when it was joined to others, 0 where that is
    not known. `type_name` is that of its type in the source, `built_up` the names and thicknesses (m) of its
    layers there."""

    id: str
    name: str
    cls: str
    storey: str
    outer: Array
    openings: list[Array]
    thickness: float
    material: str
    guess: str = ""
    log: list[str] = field(default_factory=list)
    element: str = ""
    bearing: bool | None = None
    joints: list[SurfaceJoint] = field(default_factory=list)
    supports: list[LineSupport] = field(default_factory=list)
    bedding: float = 0.0
    x_axis: Array | None = None
    flipped: bool = False
    source_outer: Array | None = None
    source_thickness: float | None = None
    source_material: str = ""
    spread: tuple[float, float] | None = None
    thin_at: tuple[float, float, float] | None = None
    thick_at: tuple[float, float, float] | None = None
    tag: str = ""
    way: str = "two-way"
    span: tuple[float, float, float] | None = None
    mesh_size: float | None = None
    diaphragm: bool = False
    beds: list[Bed] = field(default_factory=list)
    body_share: float = 1.0
    area_share: float = 1.0
    depth: tuple[float, float] | None = None
    differs: str = ""
    joined_as: float = 0.0
    type_name: str = ""
    built_up: tuple[tuple[str, float], ...] = ()

    @property
    def weight_share(self) -> float:
        """Return what its volume is multiplied by for its weight; what the body has more or less than a
        plate counts while it has that plate's thickness."""
        return self.area_share * (self.body_share if self.as_drawn else 1.0)

    @property
    def as_drawn(self) -> bool:
        """Return whether it still has the thickness that transfer took from the source."""
        return self.source_thickness is None or self.thickness == self.source_thickness

    @property
    def reach(self) -> tuple[float, float]:
        """How far its body reaches below and above its plane, along its z as it lies by itself, m."""
        return self.depth or (self.thickness / 2, self.thickness / 2)

    @property
    def whole(self) -> str:
        """Id of the source's element: its own, or that of the curved element it is a facet of."""
        return self.element or self.id

    @property
    def upright(self) -> bool:
        """Return whether it stands like a wall."""
        return _upright(np.ascontiguousarray(self.outer, float).tobytes())

    @property
    def on_ground(self) -> bool:
        """Return whether it lies on springs, so that it needs no beams."""
        return self.bedding > 0 or any(b.modulus > 0 for b in self.beds)

    def ground_at(self, flat: Array) -> Array:
        """Modulus of subgrade reaction (n,) in N/m3 at places (n, 2) of the surface's own plane."""
        out = np.full(len(flat), self.bedding)
        for bed in self.beds:
            out[contains_xy(Polygon(self.flat(bed.outer)), flat[:, 0], flat[:, 1])] = bed.modulus
        return out

    @property
    def keeps_loads(self) -> bool:
        """Return whether loads on it are its own to carry, so that none are handed to beams: a wall, a
        raft, a shell."""
        return self.upright or self.on_ground or self.way == "shell"

    @property
    def axes(self) -> Array:
        """Rows x, y, z. Unless turned, a slab's z points up and a wall's y, so that directions agree from one
        to the next."""
        own = self.plain_axes
        if self.flipped:
            own = own * np.array([[1.0], [-1.0], [-1.0]])
        if self.x_axis is not None:
            x = self.x_axis - (self.x_axis @ own[2]) * own[2]
            if np.linalg.norm(x) > 1e-6:
                x = x / np.linalg.norm(x)
                own = np.array([x, np.cross(own[2], x), own[2]])
        return own

    @property
    def plain_axes(self) -> Array:
        """The axes before anybody has turned them."""
        return _axes_of(np.ascontiguousarray(self.outer, float).tobytes())

    def flat(self, points: Array) -> Array:
        """Points (n, 3) of the plane as (n, 2) in its own x and y about the first corner."""
        return (points - self.outer[0]) @ self.plain_axes[:2].T

    def lifted(self, flat: Array) -> Array:
        """The reverse of `flat`: (n, 2) back into space."""
        return self.outer[0] + flat @ self.plain_axes[:2]

    @property
    def polygon(self) -> Polygon:
        """Outline and openings in the plane's own coordinates (those of `flat`)."""
        return _polygon_of(_bytes(self.outer, *self.openings))

    def height(self, points: Array) -> Array:
        """Signed distance (n,) of points from the plane, m."""
        return (points - self.outer[0]) @ self.plain_axes[2]

    def bottom_edges(self) -> list[Array]:
        """Level edges (2, 3) at its foot, within 0.1 m of its lowest point."""
        low = float(self.outer[:, 2].min())
        out = []
        for a, b in zip(self.outer, np.roll(self.outer, -1, axis=0)):
            length = float(np.linalg.norm(b - a))
            if max(a[2], b[2]) <= low + 0.1 and length > 0.01 and abs(b[2] - a[2]) < 0.2 * length:
                out.append(np.array([a, b]))
        return out

    def side_edges(self) -> list[Array]:
        """Upright edges (2, 3) of its outline."""
        out = []
        for a, b in zip(self.outer, np.roll(self.outer, -1, axis=0)):
            length = float(np.linalg.norm(b - a))
            if length > 0.01 and abs(b[2] - a[2]) > 0.98 * length:
                out.append(np.array([a, b]))
        return out

    @property
    def area(self) -> float:
        """Net of openings, m2."""
        rings = _bytes(self.outer, *self.openings)
        return _area_of(rings, rings[0])

    @property
    def volume(self) -> float:
        """That of its body, as far as it lies on this surface, m3."""
        return self.area * self.thickness * self.weight_share

    @property
    def source_area(self) -> float:
        """Net of openings as the source draws it, before transfer moved any edge, m2."""
        if self.source_outer is None:
            return self.area
        return _area_of(_bytes(self.source_outer, *self.openings), *_bytes(self.outer))

    @property
    def source_volume(self) -> float:
        """That of the body as drawn, m3."""
        thickness = self.source_thickness if self.source_thickness is not None else self.thickness
        return self.source_area * thickness * self.body_share

    @property
    def centroid(self) -> Array:
        """Return the centroid of the outline, openings left aside, m."""
        area, sy, sz, *_ = polygon_moments([(float(a), float(b)) for a, b in self.flat(self.outer)])
        return self.outer[0] + np.array([sy, sz]) / area @ self.plain_axes[:2]


@lru_cache(maxsize=CACHED)
def _upright(outline: bytes) -> bool:
    return abs(_newell(np.frombuffer(outline).reshape(-1, 3))[2]) <= LEVEL


@lru_cache(maxsize=CACHED)
def _axes_of(outline: bytes) -> Array:
    """Axes (3, 3) of an outline by its bytes: asked for so often that working them out again each time takes
    seconds."""
    ring = np.frombuffer(outline).reshape(-1, 3)
    # in plain floats: numpy costs several times as much on single vectors
    a, b, c = _newell(ring)
    if abs(c) > LEVEL:
        if c < 0:
            a, b, c = -a, -b, -c
        size = math.sqrt(1 - a * a)
        x = (size, -a * b / size, -a * c / size)
        own = np.array([x, (b * x[2] - c * x[1], c * x[0] - a * x[2], a * x[1] - b * x[0]), (a, b, c)])
    else:
        size = math.sqrt(1 - c * c)
        y = (-c * a / size, -c * b / size, size)
        if (a if abs(a) > 1e-9 else b) < 0:
            a, b, c = -a, -b, -c
        own = np.array([(y[1] * c - y[2] * b, y[2] * a - y[0] * c, y[0] * b - y[1] * a), y, (a, b, c)])
    own.flags.writeable = False
    return own


@lru_cache(maxsize=CACHED)
def _polygon_of(rings: tuple[bytes, ...]) -> Polygon:
    """Outline and openings, by their bytes, in the plane's own coordinates."""
    loops = [np.frombuffer(r).reshape(-1, 3) for r in rings]
    axes = _axes_of(rings[0])[:2].T
    outer, *openings = ((loop - loops[0][0]) @ axes for loop in loops)
    return Polygon(outer, openings)


@lru_cache(maxsize=CACHED)
def _area_of(rings: tuple[bytes, ...], of: bytes) -> float:
    """Net area of rings in the plane of the outline `of`, m2."""
    axes = _axes_of(of)[:2].T
    areas = []
    for r in rings:
        loop = np.frombuffer(r).reshape(-1, 3)
        flat = ((loop - loop[0]) @ axes).tolist()
        areas.append(abs(sum(x * v - u * y for (x, y), (u, v) in zip(flat, [*flat[1:], flat[0]]))) / 2)
    return areas[0] - sum(areas[1:])


def _bytes(*rings: Array) -> tuple[bytes, ...]:
    return tuple(np.ascontiguousarray(r, float).tobytes() for r in rings)


def sound(polygon: Polygon) -> Polygon:
    """The polygon itself, or of one that crosses itself its largest sound part."""
    if polygon.is_valid:
        return polygon
    mended = polygon.buffer(0)
    parts = [p for p in getattr(mended, "geoms", [mended]) if not p.is_empty]
    return max(parts, key=lambda p: p.area, default=polygon)


def normal_of(points: Array) -> Array:
    """Unit normal of a polygon (n, 3) by Newell's method. Raises ValueError for one without area."""
    return np.array(_newell(points))


def _newell(points: Array) -> tuple[float, float, float]:
    rows = points.tolist()
    x0, y0, z0 = rows[0]
    nx = ny = nz = 0.0
    for (ax, ay, az), (bx, by, bz) in zip(rows[1:], rows[2:]):
        ux, uy, uz, vx, vy, vz = ax - x0, ay - y0, az - z0, bx - x0, by - y0, bz - z0
        nx += uy * vz - uz * vy
        ny += uz * vx - ux * vz
        nz += ux * vy - uy * vx
    size = math.sqrt(nx * nx + ny * ny + nz * nz)
    if not size > 1e-12:
        raise ValueError("its outline encloses no area")
    return nx / size, ny / size, nz / size


def across(n: Array) -> tuple[Array, Array]:
    """Two unit vectors that make a right-handed frame with the unit vector n."""
    a, b, c = n.tolist()
    if abs(c) < 0.9:
        size = math.sqrt(a * a + b * b)
        x, y, z = b / size, -a / size, 0.0
    else:
        size = math.sqrt(b * b + c * c)
        x, y, z = 0.0, c / size, -b / size
    return np.array((x, y, z)), np.array((b * z - c * y, c * x - a * z, a * y - b * x))
