"""Load cases, the loads in them, and combinations."""

from __future__ import annotations

from dataclasses import dataclass, field

GRAVITY = 9.80665  # m/s2, standard gravity (3rd CGPM, 1901)
SELF_WEIGHT = "Self-weight"

Vector = tuple[float, float, float]


@dataclass(slots=True)
class NodeLoad:
    """A force (N) and a moment (N m) on a node, in global axes."""

    node: str
    force: Vector = (0.0, 0.0, 0.0)
    moment: Vector = (0.0, 0.0, 0.0)
    source: str = ""


@dataclass(slots=True)
class MemberLoad:
    """A load along a member from distance `a` to `b` (m along its axis): values `qa` at a, `qb` at b, linear between.

    `kind` is force (N/m) or moment (N m/m). With a == b it is concentrated and `qa` is in N or N m. `local`: values in
    the member's local axes. `projected`: per metre of the member's projection normal to the load, not of its length.
    """

    member: str
    a: float
    b: float
    qa: Vector
    qb: Vector
    kind: str = "force"
    local: bool = False
    projected: bool = False
    source: str = ""


@dataclass(slots=True)
class LoadCase:
    """`kind` is dead, live, wind, … or "" when nobody said. `self_weight` multiplies each member's weight (0: none)."""

    name: str
    kind: str = ""
    self_weight: Vector = (0.0, 0.0, 0.0)
    node_loads: list[NodeLoad] = field(default_factory=list)
    member_loads: list[MemberLoad] = field(default_factory=list)
    lost: list[tuple[str, str, Vector]] = field(default_factory=list)

    @property
    def empty(self) -> bool:
        return not (any(self.self_weight) or self.node_loads or self.member_loads or self.lost)


@dataclass(slots=True)
class Combination:
    name: str
    kind: str
    factors: dict[str, float]
