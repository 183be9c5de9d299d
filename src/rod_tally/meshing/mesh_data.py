"""Products of meshing: shell elements, ties between nodes, held edges, walls that stand for one column
each."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ..model import Support, Surface
from ..model.geometry.vectors import Array


@dataclass(slots=True, frozen=True)
class Tie:
    """Node `slave` moves as a rigid arm from the place between `masters` that their `weights` (sum 1) give;
    but for turning about `hinge`, where there is one."""

    slave: int
    masters: tuple[int, ...]
    weights: tuple[float, ...]
    hinge: tuple[float, float, float] | None = None


@dataclass(slots=True, frozen=True)
class Corner:
    """Rigid arms from nodes `first` and `second` meet at `place` (m), which moves as both take it, and may
    turn against each."""

    first: int
    second: int
    place: tuple[float, float, float]


@dataclass(slots=True)
class HeldEdge:
    """Nodes (k,) of a surface that a line support holds, and the length of edge (k,) that each stands for,
    m."""

    surface: str
    support: Support
    nodes: NDArray[np.int64]
    length: Array


@dataclass(slots=True)
class WallColumn:
    """A wall as a column: `nodes` (k,) of the mesh from its foot up, at heights `z` (k,); `length` along
    `level` (3,) and `thickness`, m. `flanged`: other walls stand at both its edges, so that shear is spread
    evenly over its length."""

    surface: str
    nodes: NDArray[np.int64]
    z: Array
    length: float
    thickness: float
    level: Array
    normal: Array
    flanged: bool = False

    def at(self, z: float) -> int:
        """The node of the level nearest to a height."""
        return int(self.nodes[int(np.abs(self.z - z).argmin())])


@dataclass(slots=True)
class Plates:
    """Shell elements over nodes (n, 3), of which the first `named` are the model's own, in their order.

    `quads` (Q, 4) and `triangles` (T, 3) run against the clock about their surface's normal; `quad_of`,
    `triangle_of` index `surfaces`; `quad_face`, `triangle_face` number the faces between lines that elements
    keep. `tracks`: of each member along a surface, distance from its start and node, in order. `failed`:
    surfaces that are computed as shells and are not in the mesh, and why; `shapes` the surfaces themselves;
    `columns` are walls that stand for one column each, and `corners` where the arms of two of them meet.
    `standing`: walls whose joints only press with the nodes along those, each of which follows another one,
    and the way (3,) in which it is pressed."""

    surfaces: list[str]
    points: Array
    named: int
    quads: NDArray[np.int64] = field(default_factory=lambda: np.zeros((0, 4), np.int64))
    triangles: NDArray[np.int64] = field(default_factory=lambda: np.zeros((0, 3), np.int64))
    quad_of: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    triangle_of: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    quad_face: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    triangle_face: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    tracks: dict[str, list[tuple[float, int]]] = field(default_factory=dict)
    ties: list[Tie] = field(default_factory=list)
    held: list[HeldEdge] = field(default_factory=list)
    failed: dict[str, str] = field(default_factory=dict)
    shapes: dict[str, Surface] = field(default_factory=dict)
    columns: dict[str, WallColumn] = field(default_factory=dict)
    corners: list[Corner] = field(default_factory=list)
    standing: list[tuple[str, int, tuple[float, float, float]]] = field(default_factory=list)

    def __post_init__(self) -> None:
        # an empty array comes back from a file without its second axis
        self.quads, self.triangles = self.quads.reshape(-1, 4), self.triangles.reshape(-1, 3)

    def keeping(self, surfaces: set[str], failed: dict[str, str]) -> Plates:
        """The same nodes with the elements of these surfaces alone; the others are named in `failed` with a
        reason."""
        kept = [s for s in self.surfaces if s in surfaces]
        number = np.array([kept.index(s) if s in surfaces else -1 for s in self.surfaces], np.int64)
        q, t = number[self.quad_of] >= 0, number[self.triangle_of] >= 0
        return replace(
            self,
            surfaces=kept,
            quads=self.quads[q],
            triangles=self.triangles[t],
            quad_of=number[self.quad_of[q]],
            triangle_of=number[self.triangle_of[t]],
            quad_face=self.quad_face[q],
            triangle_face=self.triangle_face[t],
            held=[h for h in self.held if h.surface in surfaces or h.surface in self.columns],
            standing=[x for x in self.standing if x[0] in surfaces],
            failed={**self.failed, **failed},
        )

    @property
    def empty(self) -> bool:
        return not len(self.quads) and not len(self.triangles)

    @property
    def count(self) -> int:
        """Number of elements."""
        return len(self.quads) + len(self.triangles)

    def elements(self) -> dict[str, int]:
        """Number of elements by surface."""
        return dict(zip(self.surfaces, np.bincount(self.of(), minlength=len(self.surfaces)).tolist()))

    def of(self) -> NDArray[np.int64]:
        """Surface index (E,) of all elements, quadrilaterals first."""
        return np.concatenate([self.quad_of, self.triangle_of])

    def nodes_of(self, surface: str) -> NDArray[np.int64]:
        """Nodes of one surface's elements, sorted."""
        k = self.surfaces.index(surface)
        return np.unique(
            np.concatenate(
                [self.quads[self.quad_of == k].ravel(), self.triangles[self.triangle_of == k].ravel()]
            )
        )

    def centres(self) -> Array:
        """Middles (E, 3) of all elements, quadrilaterals first."""
        return np.vstack([self.points[self.quads].mean(axis=1), self.points[self.triangles].mean(axis=1)])
