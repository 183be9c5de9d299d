"""Load cases, the loads in them, and combinations."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..geometry.vectors import Array

GRAVITY = 9.80665  # m/s2, standard gravity (3rd CGPM, 1901)
SELF_WEIGHT = "Self-weight"

SHORTEST = 1e-6  # m; a line shorter than this is a point

Vector = tuple[float, float, float]

# what a case can be; "" when nobody said
KINDS = (
    "self-weight",
    "dead",
    "live",
    "snow",
    "wind",
    "seismic",
    "temperature",
    "settlement",
    "notional",
    "prestress",
    "accidental",
)
# categories of imposed load, EN 1990 table A1.1 and EN 1991-1-1 table 6.1
CATEGORIES = {
    "A": "domestic, residential",
    "B": "offices",
    "C": "congregation",
    "D": "shopping",
    "E": "storage",
    "F": "traffic, vehicles up to 30 kN",
    "G": "traffic, vehicles of 30 to 160 kN",
    "H": "roofs",
}


@dataclass(slots=True)
class NodeLoad:
    """A force (N) and a moment (N m) on a node, in global axes. `by`: where it comes from, in a word or
    two."""

    node: str
    force: Vector = (0.0, 0.0, 0.0)
    moment: Vector = (0.0, 0.0, 0.0)
    source: str = ""
    by: str = "source"


@dataclass(slots=True)
class MemberLoad:
    """A load along a member from distance `a` to `b` (m along its axis): values `qa` at a, `qb` at b, linear
    between.

    `kind` is force (N/m) or moment (N m/m). With a == b it is concentrated and `qa` is in N or N m. `local`:
    values in the member's local axes. `projected`: per metre of the member's projection normal to the load,
    not of its length."""

    member: str
    a: float
    b: float
    qa: Vector
    qb: Vector
    kind: str = "force"
    local: bool = False
    projected: bool = False
    source: str = ""
    by: str = "source"


@dataclass(slots=True)
class AreaLoad:
    """A pressure (N/m2) on a surface, or free in space with `surface` "": then it acts on what lies in its
    outline's plane.

    `values` is one vector, or three that hold at the points `at` (3, 3), linear between. `outline` (n, 3) is
    the part it acts on, None for the whole surface. `onto` "members": cladding, passed to the members in the
    outline's plane; with a `span` one-way in that direction. `local`: values in the surface's axes.
    `projected`: per m2 of the projection normal to the load."""

    surface: str
    values: tuple[Vector, ...]
    outline: Array | None = None
    at: Array | None = None
    local: bool = False
    projected: bool = False
    onto: str = "surfaces"
    span: Vector | None = None
    source: str = ""
    by: str = "source"
    name: str = ""


@dataclass(slots=True)
class SpaceLoad:
    """A load placed in space: along `line` (2, 3) from `qa` to `qb` (N/m), or at a point (1, 3) with `qa` a
    force (N).

    `to` is the id of the member or surface that takes it; "" lets it find one.
    """

    line: Array
    qa: Vector
    qb: Vector
    to: str = ""
    source: str = ""
    by: str = "source"
    name: str = ""


def extent_fault(load: AreaLoad | SpaceLoad) -> str:
    """Why a load has no extent to act on, in words; "" when it has."""
    if isinstance(load, SpaceLoad):
        short = len(load.line) == 2 and np.linalg.norm(load.line[1] - load.line[0]) < SHORTEST
        return "its two points are one" if short else ""
    for points, words in (
        (load.outline, "its outline encloses no area"),
        (load.at, "its three points lie on one line"),
    ):
        if (
            points is not None
            and np.linalg.norm(np.cross(points[1:-1] - points[0], points[2:] - points[0]).sum(axis=0))
            < SHORTEST**2
        ):
            return words
    if len(load.values) not in (1, 3) or (len(load.values) == 3) != (load.at is not None):
        return "a pressure has one value, or three with the points where they hold"
    return ""


@dataclass(slots=True)
class TemperatureLoad:
    """A member warmer by `uniform` (K), and by `grad_y`, `grad_z` (K/m) more in the direction of its local y
    and z."""

    member: str
    uniform: float = 0.0
    grad_y: float = 0.0
    grad_z: float = 0.0
    source: str = ""
    by: str = "source"


@dataclass(slots=True)
class Settlement:
    """A movement (m, rad) imposed where a support holds a node, global axes, in the order ux uy uz rx ry
    rz."""

    node: str
    movement: tuple[float, ...] = (0.0,) * 6
    source: str = ""
    by: str = "source"


@dataclass(slots=True)
class Spectrum:
    """A response spectrum that a case stands for: `curve` of (period s, acceleration m/s2), linear between
    and level beyond, along x, y or z; modes are combined by `rule`, CQC with `damping` or SRSS.
    `eccentricity`: the share of each storey's width by which its force is taken off its place, to either side
    (accidental torsion)."""

    direction: str
    curve: list[tuple[float, float]]
    damping: float = 0.05
    rule: str = "CQC"
    eccentricity: float = 0.0
    angle: float = 0.0  # rad, by which the axes of `direction` are turned about Z

    @property
    def way(self) -> tuple[float, float, float]:
        """The direction as a unit vector."""
        if self.direction == "z":
            return (0.0, 0.0, 1.0)
        at = self.angle + (math.pi / 2 if self.direction == "y" else 0.0)
        way = math.cos(at), math.sin(at)
        # along an axis it is that axis to the last digit
        return (round(way[0], 15), round(way[1], 15), 0.0)

    @property
    def along(self) -> str:
        """The direction in words."""
        turned = f" of axes turned by {math.degrees(self.angle):.4g}°"
        return self.direction + (turned if self.angle and self.direction != "z" else "")


@dataclass(slots=True)
class CaseRule:
    """The rule that a case was made by and can be made again by: the kind of the rule with its `inputs`, and
    the name `made` that the rule gave this case. `beside`: the names of all cases that it gave; one of those
    that is not there any more was deleted."""

    kind: str
    inputs: dict[str, Any]
    made: str
    beside: tuple[str, ...] = ()


@dataclass(slots=True)
class LoadCase:
    """`kind` is one of KINDS or "" when nobody said; `category` that of an imposed load. `self_weight`
    multiplies each part's weight (0: none). `lost`: loads of the source that could not be taken over, as (id,
    reason, force)."""

    name: str
    kind: str = ""
    self_weight: Vector = (0.0, 0.0, 0.0)
    node_loads: list[NodeLoad] = field(default_factory=list)
    member_loads: list[MemberLoad] = field(default_factory=list)
    lost: list[tuple[str, str, Vector]] = field(default_factory=list)
    category: str = ""
    area_loads: list[AreaLoad] = field(default_factory=list)
    space_loads: list[SpaceLoad] = field(default_factory=list)
    temperatures: list[TemperatureLoad] = field(default_factory=list)
    settlements: list[Settlement] = field(default_factory=list)
    by: str = "source"
    spectrum: Spectrum | None = None
    together: str = (
        ""  # cases of one name here never act at once (patterns of one imposed load, directions of wind)
    )
    by_rule: CaseRule | None = None  # None: made by hand, or changed by hand since

    @property
    def is_combination(self) -> bool:
        """Return whether it holds the loads of a combination, for a run that cannot add cases up."""
        return self.by.startswith("combination ")

    @property
    def untyped(self) -> bool:
        """Return whether it needs a kind and has none."""
        return not self.kind and not self.is_combination

    @property
    def is_pattern(self) -> bool:
        """Return whether it is an arrangement of another case's loads on some of the spans."""
        return self.by.startswith("pattern of")

    @property
    def empty(self) -> bool:
        return not (any(self.self_weight) or self.lost or self.count or self.spectrum is not None)

    @property
    def count(self) -> int:
        """How many loads it holds, self-weight left aside."""
        lists = (
            self.node_loads,
            self.member_loads,
            self.area_loads,
            self.space_loads,
            self.temperatures,
            self.settlements,
        )
        return sum(len(part) for part in lists)


@dataclass(slots=True)
class Combination:
    """`kind` names the limit state or design situation; `rule` the expression it was made by, "" for the
    source's own. Of the cases in `roots` the square root of the sum of squares enters, both ways, instead of
    their sum."""

    name: str
    kind: str
    factors: dict[str, float]
    rule: str = ""
    roots: list[str] = field(default_factory=list)
