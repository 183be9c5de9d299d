"""Content of a file, in SI and global coordinates, before anybody has guessed anything."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..model.entities.grid import GridLine
from ..model.entities.loads import Spectrum
from ..model.entities.log import LogEntry, Skipped
from ..model.entities.model import Storey
from ..model.geometry.vectors import Array

Vector = tuple[float, float, float]
Point2 = tuple[float, float]


@dataclass(slots=True)
class SourceProfile:
    """A profile: a `shape` with `dims` (m), or points; or values only. `turn` (rad) and `shift` (m) place it.
    `whole`: the values are all there and hold, and the points are its outline about the centroid. `ends`: of
    one that changes along a member the keys of those at its start and its end; it has nothing else then but
    its name."""

    name: str
    shape: str = "unknown"
    dims: dict[str, float] = field(default_factory=dict)
    outer: list[Point2] = field(default_factory=list)
    voids: list[list[Point2]] = field(default_factory=list)
    values: dict[str, float] = field(default_factory=dict)
    turn: float = 0.0
    shift: Point2 = (0.0, 0.0)
    reason: str = ""
    whole: bool = False
    ends: tuple[str, str] | None = None


@dataclass(slots=True)
class SourceMaterial:
    """A material with what the file says of it; None where it says nothing. Pa, kg/m3, thermal expansion
    `alpha` in 1/K; `grade` is the strength grade it names beside its own name."""

    name: str
    category: str = ""
    E: float | None = None
    G: float | None = None
    poisson: float | None = None
    density: float | None = None
    strength: float | None = None
    alpha: float | None = None
    grade: str = ""


@dataclass(slots=True)
class SourceElement:
    """A physical member: the line (2, 3) its profile's origin runs along, and the profile's axes at its
    start.

    `how` says where line and profile were read: extrusion, clipped, disk, axis, curve or measured (from a
    bare mesh). `path` (n, 3): the points of a curved one, whose `line` is the chord from first to last.
    `ends`: (width, depth) in m at both ends of one that tapers. `volume` (m3) is that of the body as
    built, None where it is the profile's along the line. `drawn` and `stated` are profiles beside the one
    that is taken: measured on the body, and named by the material; "" for none. `told` is what else there
    is to say of the body; `whole`: id of the element that it is a building element part of."""

    id: str
    name: str
    cls: str
    ifc_class: str
    storey: str
    line: Array
    y_axis: Array
    z_axis: Array
    profile: str
    material: str
    how: str
    cardinal: int | None = None
    tag: str = ""
    misfit: float = 0.0
    path: Array | None = None
    bearing: bool | None = None
    ends: tuple[Point2, Point2] | None = None
    volume: float | None = None
    drawn: str = ""
    stated: str = ""
    told: str = ""
    whole: str = ""


@dataclass(slots=True)
class SourceFooting:
    """Something that carries what stands on it: its box, lower and upper corner, m; `kind` pad, strip,
    raft, pile, pile cap, beam or "" where the file does not say; `plan` (n, 2) the corners of what it
    covers in plan, None for all of the box."""

    id: str
    name: str
    lower: Array
    upper: Array
    storey: str = ""
    kind: str = ""
    plan: Array | None = None

    @property
    def outline(self) -> Array:
        """Corners (n, 2) of what it covers in plan, m."""
        if self.plan is not None:
            return self.plan
        (x0, y0), (x1, y1) = self.lower[:2], self.upper[:2]
        return np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])


@dataclass(slots=True)
class Prism:
    """An outline (n, 3) with voids, m, moved along a vector (3,)."""

    outer: Array
    voids: list[Array]
    vector: Array

    @property
    def volume(self) -> float:
        """Return the volume of the outline without its voids, m3."""
        q = np.roll(self.outer, -1, axis=0)
        area = np.cross(self.outer - self.outer[0], q - self.outer[0]).sum(axis=0) / 2
        return abs(float(area @ self.vector))


@dataclass(slots=True)
class Sheet:
    """A mid-surface measured on a bare body: outline (n, 3) and openings in one plane, thickness in m.

    `misfit`: 1 - volume / (area x thickness). `spread` is (least, most) thickness where the two faces are
    not parallel or stepped, with the places. `depth` is how far the body reaches below and above the plane
    where that is not half the thickness each, such as at ribs; `told` says what the thickness stands for."""

    outer: Array
    openings: list[Array]
    thickness: float
    misfit: float = 0.0
    spread: tuple[float, float] | None = None
    thin_at: Vector | None = None
    thick_at: Vector | None = None
    depth: tuple[float, float] | None = None
    told: str = ""


@dataclass(slots=True)
class SourceSurface:
    """A slab, wall, plate, roof or ramp: its body and openings as prisms in world coordinates, or as measured
    sheets.

    `layers` (m): thickness of its material layers in all, None without; `kind`: what the file calls it
    (BASESLAB …); `how`: extrusion or measured. `volume` (m3) is that of the body with its openings cut,
    None where it is not known; `told`: what the body is made of, where that is more than one solid;
    `whole`: id of the element that it is a building element part of. `type_name`: of the element's type;
    `built_up`: names and thicknesses (m) of its material layers."""

    id: str
    name: str
    cls: str
    ifc_class: str
    storey: str
    body: Prism | None
    openings: list[Prism]
    material: str
    sheets: list[Sheet] = field(default_factory=list)
    layers: float | None = None
    kind: str = ""
    how: str = "extrusion"
    bearing: bool | None = None
    tag: str = ""
    volume: float | None = None
    told: str = ""
    whole: str = ""
    type_name: str = ""
    built_up: tuple[tuple[str, float], ...] = ()


@dataclass(slots=True)
class SourceCondition:
    """A boundary or a connection condition: its stiffness in six directions (N/m, N m/rad, a metre
    of an edge; 0 free, infinite held), and its axes or None."""

    stiffness: tuple[float, ...]
    axes: tuple[Vector, ...] | None = None


@dataclass(slots=True)
class SourcePoint:
    id: str
    name: str
    point: Array
    condition: SourceCondition | None = None


@dataclass(slots=True)
class SourceConnection:
    """A curve member's tie to a point connection. `condition` None: fixed. `eccentricity` point to member,
    global."""

    point: str
    condition: SourceCondition | None = None
    eccentricity: Array = field(default_factory=lambda: np.zeros(3))
    where: Array | None = None


@dataclass(slots=True)
class SourceCurve:
    """An analytical member: its edge (2, 3), the direction that fixes its local z, what it is tied to.
    `weight_share`: its weight over that of its section along its length."""

    id: str
    name: str
    line: Array
    z_axis: Array | None
    profile: str
    material: str
    pin_joined: bool = False
    cls: str = ""
    connections: list[SourceConnection] = field(default_factory=list)
    tag: str = ""
    weight_share: float = 1.0


@dataclass(slots=True)
class SourceFace:
    """An analytical surface member: outline (n, 3), openings, thickness in m, and the points it is tied
    to."""

    id: str
    name: str
    outer: Array
    openings: list[Array]
    thickness: float
    material: str
    points: list[str] = field(default_factory=list)
    cls: str = ""
    way: str = ""
    span: Vector | None = None
    diaphragm: bool = False
    frame: Array | None = None  # of its plane as the file has it: axes as rows, then the origin (4, 3)
    stands: bool = False  # a wall, on what is below it
    leans: bool = False  # a wall whose upright joints only press
    weight_share: float = 1.0


@dataclass(slots=True)
class SourceEdge:
    """A curve connection (line (2, 3), springs a metre) or, with `line` None, a surface connection
    (`bedding`, N/m3); `faces` are ids of the surface members it is tied to, `curves` of curve members;
    `lifts`: it holds against pressing only, and `bearing` (N/m2) at most."""

    id: str
    name: str
    line: Array | None
    condition: SourceCondition | None = None
    bedding: float = 0.0
    outer: Array | None = None
    faces: list[str] = field(default_factory=list)
    curves: list[str] = field(default_factory=list)
    lifts: bool = False
    bearing: float | None = None


@dataclass(slots=True)
class SourceTie:
    """Something tied to a surface member, as `SurfaceJoint` has it, in global coordinates."""

    surface: str
    kind: str
    other: str
    line: Array
    distance: float = 0.0
    node: str = ""


@dataclass(slots=True)
class SourceCase:
    name: str
    id: str
    kind: str = ""
    self_weight: Vector = (0.0, 0.0, 0.0)
    category: str = ""
    together: str = ""
    spectrum: Spectrum | None = None


@dataclass(slots=True)
class SourceAction:
    """An action of the structural domain. `stations` holds (distance, six values) in SI; one station:
    concentrated when `kind` is point, uniform when it is curve. `target` is the id of a curve member or point
    connection.

    Further kinds: "area" (pressures on a surface member, or on `outline` (n, 3)), "space" (along `outline`
    (2, 3) or at it (1, 3), on the surface `target` or on what lies there), "temperature" (uniform, and
    differences over y and z, K), "movement" (m, rad). `places` (3, 3) are where three pressures hold that
    vary between. `offset` (n, 3): how far a load on a member lies beside its axis at its stations, m,
    global."""

    id: str
    name: str
    case: str
    target: str
    kind: str
    stations: list[tuple[float, tuple[float, ...]]]
    local: bool = False
    projected: bool = False
    at: Array | None = None
    outline: Array | None = None
    places: Array | None = None
    cladding: bool = False
    span: Vector | None = None
    offset: Array | None = None


@dataclass(slots=True)
class SourceCombination:
    name: str
    kind: str
    factors: dict[str, float]
    roots: list[str] = field(default_factory=list)


@dataclass(slots=True)
class SourceModel:
    """Everything read of one file. `counts` is by class, what the file holds whether it was read or not.

    `groups`: ids by group; `north` (rad): from y to true north, against the clock; `links`: analytical id to
    the physical element it stands for; `one_way`: ids of members that act in tension or compression only,
    `limits` what they bear (N), `bearing` what points (N) bear; `lifting`: points that hold against pressing
    only; `load_table`: loads as text, in SI where headings give no unit, as `load_table` of the model reads
    them, "" for none."""

    file: str
    schema: str
    kind: str
    units: dict[str, str]
    storeys: list[Storey] = field(default_factory=list)
    profiles: dict[str, SourceProfile] = field(default_factory=dict)
    materials: dict[str, SourceMaterial] = field(default_factory=dict)
    elements: list[SourceElement] = field(default_factory=list)
    footings: list[SourceFooting] = field(default_factory=list)
    surfaces: list[SourceSurface] = field(default_factory=list)
    points: list[SourcePoint] = field(default_factory=list)
    curves: list[SourceCurve] = field(default_factory=list)
    cases: list[SourceCase] = field(default_factory=list)
    actions: list[SourceAction] = field(default_factory=list)
    combinations: list[SourceCombination] = field(default_factory=list)
    skipped: list[Skipped] = field(default_factory=list)
    log: list[LogEntry] = field(default_factory=list)
    counts: dict[str, int] = field(default_factory=dict)
    faces: list[SourceFace] = field(default_factory=list)
    edges: list[SourceEdge] = field(default_factory=list)
    grids: list[GridLine] = field(default_factory=list)
    groups: dict[str, list[str]] = field(default_factory=dict)
    north: float = 0.0
    links: dict[str, str] = field(default_factory=dict)
    one_way: dict[str, str] = field(default_factory=dict)
    limits: dict[str, float] = field(default_factory=dict)
    bearing: dict[str, float] = field(default_factory=dict)
    lifting: list[str] = field(default_factory=list)
    load_table: str = ""
    ties: list[SourceTie] = field(default_factory=list)
