"""Results of a run: displacements, reactions, forces along members, equilibrium. Plain arrays with their
labels."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ...meshing import Plates
from ...model import Combination
from ...model.geometry.vectors import Array
from .signless import ModalResponse

COMPONENTS = ("n", "vy", "vz", "mt", "my", "mz")


@dataclass(slots=True)
class CaseEquilibrium:
    """Six components about the source's origin; `residual` is the largest of applied + reaction over the
    largest applied, forces and moments each against their own kind."""

    case: str
    applied: Array
    reaction: Array
    residual: float


@dataclass(slots=True)
class FoundMotion:
    """A motion without resistance: nodes that move with their displacement (k, 6), and whether only one node
    spins."""

    nodes: list[str]
    shape: Array
    local: bool
    members: list[str]


@dataclass(slots=True)
class Results:
    """Results of one run.

    `displacement` (C, N, 6), `reaction` (C, S, 6) for `support_ids`, `force` (C, K, 6) in COMPONENTS at K
    stations, whose member and distance are `station_member` and `station_x`. Forces act on the side of a
    cut that faces the member's end, in local axes: n positive in tension, my and mz as right-handed vectors
    on that face (my positive with tension on the side of +z, mz with tension on the side of -y). `plates`:
    the mesh of shells, whose nodes follow the model's own among the N; None without shells. `slack`: by
    case the one-way parts that bear nothing in it, and how slack they are (m); `yielded`: those that bear
    the most they can, and how far they gave way (m); `lifted`: by case the area of each surface that is off
    the ground, m2; `unsettled` cases that nothing holds once those do. Where there is either, cases are not
    to be added up; nor where `second_order` names cases computed with second-order effects. `modal`: what
    responses to a spectrum are combined of, by case. `sum_of`: the run and the combination that this is one
    of. `node_done` (C, N) and `member_done` (C, M): what was computed; the rest holds zeros and is not to
    be shown."""

    cases: list[str]
    node_ids: list[str]
    member_ids: list[str]
    xyz: Array
    displacement: Array
    support_ids: list[str]
    reaction: Array
    station_member: NDArray[np.int64]
    station_x: Array
    force: Array
    node_done: NDArray[np.bool_]
    member_done: NDArray[np.bool_]
    equilibrium: list[CaseEquilibrium] = field(default_factory=list)
    motions: list[FoundMotion] = field(default_factory=list)
    left_out: dict[str, str] = field(default_factory=dict)
    lost: dict[str, Array] = field(default_factory=dict)
    applied: dict[str, Array] = field(default_factory=dict)
    more_motions: bool = False
    loose: dict[str, list[int]] = field(default_factory=dict)
    plates: Plates | None = None
    slack: dict[str, dict[str, float]] = field(default_factory=dict)
    yielded: dict[str, dict[str, float]] = field(default_factory=dict)
    lifted: dict[str, dict[str, float]] = field(default_factory=dict)
    unsettled: list[str] = field(default_factory=list)
    second_order: list[str] = field(default_factory=list)
    modal: dict[str, ModalResponse] = field(default_factory=dict)
    sum_of: tuple[Results, Combination] | None = None

    @classmethod
    def none(cls) -> Results:
        """Return what there is before the first run: nothing."""
        no = np.zeros((0, 0), bool)
        return cls(
            [], [], [], np.zeros((0, 3)), np.zeros((0, 0, 6)), [], np.zeros((0, 0, 6)), np.zeros(0, np.int64), np.zeros(0),
            np.zeros((0, 0, 6)), no, no,
        )  # fmt: skip

    @property
    def empty(self) -> bool:
        return not bool(self.node_done.any())

    def case_index(self, case: str) -> int:
        return self.cases.index(case)

    def stations_of(self, member: str) -> NDArray[np.int64]:
        """Indices of a member's stations, in order along it."""
        return np.flatnonzero(self.station_member == self.member_ids.index(member))

    def extremes(self, case: int) -> tuple[Array, Array]:
        """Lowest and highest of each component of each member in one case: two arrays (M, 6)."""
        if not len(self.member_ids):
            return np.zeros((0, 6)), np.zeros((0, 6))
        # stations lie sorted by member, so each member's are one run
        begin = np.searchsorted(self.station_member, np.arange(len(self.member_ids)))
        f = self.force[case]
        return np.minimum.reduceat(f, begin), np.maximum.reduceat(f, begin)

    def envelope(self) -> tuple[Array, Array]:
        """Lowest and highest of each component of each member over all computed cases: two arrays (M, 6).

        Zeros for a member that no case computes.
        """
        m = len(self.member_ids)
        low, high = np.full((m, 6), np.inf), np.full((m, 6), -np.inf)
        for c in range(len(self.cases)):
            done = self.member_done[c][:, None]
            least, most = self.extremes(c)
            low = np.where(done, np.minimum(low, least), low)
            high = np.where(done, np.maximum(high, most), high)
        return np.where(np.isfinite(low), low, 0.0), np.where(np.isfinite(high), high, 0.0)

    def surface_at(self, node: str) -> str | None:
        """The slab or wall of which a node of the mesh is a corner; None for a node of the model."""
        if self.plates is None:
            return None
        n = self.node_ids.index(node)
        if n < self.plates.named:
            return None
        for e, of in (
            (self.plates.quads, self.plates.quad_of),
            (self.plates.triangles, self.plates.triangle_of),
        ):
            hit = np.flatnonzero((e == n).any(axis=1))
            if len(hit):
                return self.plates.surfaces[int(of[hit[0]])]
        return None

    def largest_displacement(self, case: int) -> tuple[str, float] | None:
        """Node and size (m) of the largest displacement of a case; None when nothing was computed."""
        done = self.node_done[case]
        if not done.any():
            return None
        size = np.linalg.norm(self.displacement[case, :, :3], axis=1) * done
        n = int(size.argmax())
        return self.node_ids[n], float(size[n])
