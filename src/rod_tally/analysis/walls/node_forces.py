"""Forces of nodes on the elements of a wall that end there: the base of forces on its cuts and along its
edges."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...loads import Distribution
from ...loads.arrival import HeldLoad
from ...meshing import Plates
from ...model import Model, Surface
from ...model.geometry.vectors import Array
from ..results.results import Results
from ..shells.assembly import stiffness_of
from ..shells.loads import LoadedSurface

Flags = NDArray[np.bool_]


@dataclass(slots=True)
class _Spots:
    """Loads at places, on the elements that hold them: their nodes (p, n), what each node takes (p, n, 6),
    the places (p, 3) and the cases (p,)."""

    nodes: NDArray[np.int64]
    takes: Array
    places: Array
    case: NDArray[np.int64]


class SurfaceLoads:
    """The loads on one surface in all cases: pressures, and loads along lines and at points, laid on its
    elements once."""

    def __init__(self, s: Surface, plates: Plates, held: list[tuple[int, HeldLoad]]) -> None:
        self.whole = LoadedSurface(s, plates)
        self.pressures = [(c, h) for c, h in held if h.pressure is not None]
        laid = [(c, *self.whole.along(h)) for c, h in held if h.pressure is None]
        self.spots: list[_Spots] = []
        if laid:
            places, forces = np.concatenate([p for _, p, _ in laid]), np.concatenate([f for _, _, f in laid])
            case = np.concatenate([np.full(len(p), c) for c, p, _ in laid])
            for nodes, force, moment, which in self.whole.shared_out(places, forces):
                takes = np.concatenate([force, moment], axis=-1)
                self.spots.append(_Spots(nodes, takes, places[which], case[which]))


class HeldLoads:
    """The loads on surfaces, by surface."""

    def __init__(self, results: Results, distribution: Distribution) -> None:
        self._of: dict[str, list[tuple[int, HeldLoad]]] = {}
        for c, case in enumerate(results.cases):
            for h in distribution.case(case).held:
                self._of.setdefault(h.surface, []).append((c, h))
        self._laid: dict[str, SurfaceLoads] = {}

    def on(self, s: Surface, plates: Plates) -> SurfaceLoads:
        """The loads of a surface of the mesh."""
        if s.id not in self._laid:
            self._laid[s.id] = SurfaceLoads(s, plates, self._of.get(s.id, []))
        return self._laid[s.id]


def movements(results: Results) -> Array:
    """Movements (C', N, 6) of all cases, and after them of the modes and the turning of each response to a
    spectrum."""
    more = [part for m in results.modal.values() for part in (m.displacement, m.turning)]
    return np.concatenate([results.displacement, *more]) if more else results.displacement


def folded(results: Results, values: Array, column: bool = False) -> Array:
    """Values (C', …) of what `movements` gives as those of the cases (C, …)."""
    out = values[: len(results.cases)].copy()
    at = len(out)
    for name, m in results.modal.items():
        n, k = len(m.displacement), len(m.turning)
        c = results.case_index(name)
        out[c] = np.abs(out[c]) if column else m.folded(values[at : at + n], values[at + n : at + n + k])
        at += n + k
    return out


def known_cases(model: Model, results: Results) -> Flags:
    """Return for every case (C,) whether forces can be given: not of a response to a spectrum whose modes
    were not kept."""
    return np.array(
        [
            c in results.modal or c not in model.cases or model.cases[c].spectrum is None
            for c in results.cases
        ],
        bool,
    )


def elements_of(plates: Plates, ident: str) -> list[NDArray[np.int64]]:
    """Nodes of a surface's elements: those of four (n, 4) and those of three (n, 3)."""
    k = plates.surfaces.index(ident)
    return [plates.quads[plates.quad_of == k], plates.triangles[plates.triangle_of == k]]


def node_forces(
    model: Model,
    moves: Array,
    plates: Plates,
    s: Surface,
    elements: list[NDArray[np.int64]],
    on: NDArray[np.int64],
    loads: HeldLoads,
    counts: Callable[[Array], Flags] | None = None,
) -> Array:
    """Forces and moments (C', n, 6) that the n nodes `on` give those `elements` of a surface that end there,
    under `moves`.

    What acts on these elements themselves is not among them; of loads along lines and at points, what acts
    where `counts` of its places (k, 3) says so."""
    points = plates.points
    number = np.full(len(points), -1)
    number[on] = np.arange(len(on))
    total = np.zeros((len(moves), len(on), 6))
    touching = [nodes[(number[nodes] >= 0).any(axis=1)] for nodes in elements]
    for hit in touching:
        if not len(hit):
            continue
        stiff = stiffness_of(model, plates, hit, np.full(len(hit), plates.surfaces.index(s.id)))
        at = number[hit]
        for c in range(len(moves)):
            u = moves[c][hit].reshape(len(hit), -1)
            f = np.einsum("eij,ej->ei", stiff, u).reshape(*hit.shape, 6)
            np.add.at(total[c], at[at >= 0], f[at >= 0])
    held = loads.on(s, plates)
    near = held.whole.only(touching)
    into, touched = np.zeros((len(points), 6)), near.nodes()
    for c, load in held.pressures:
        near.put(load.pressure, load.area, into)  # type: ignore[arg-type]
        total[c] -= into[on]
        into[touched] = 0.0  # the same room for the next: a fresh one would cost more than the load
    mine = {tuple(sorted(e)) for nodes in touching for e in nodes.tolist()}
    for spots in held.spots:
        near_by = np.flatnonzero((number[spots.nodes] >= 0).any(axis=1))
        if counts is not None:
            near_by = near_by[counts(spots.places[near_by])]
        own = np.array([tuple(sorted(e)) in mine for e in spots.nodes[near_by].tolist()], bool)
        near_by = near_by[own]
        at = number[spots.nodes[near_by]]
        case = np.broadcast_to(spots.case[near_by][:, None], at.shape)
        np.add.at(total, (case[at >= 0], at[at >= 0]), -spots.takes[near_by][at >= 0])
    return total
