"""Forces in slabs and walls, recovered at nodes from the middles of elements.

Patch recovery after Zienkiewicz and Zhu (1992): around each node a quadratic surface is fitted to the values
at the middles of the elements around it, where they are most exact (Barlow 1976), within one face between
lines that may carry a jump (walls, beams, supports)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from ...meshing import Plates
from ...model import Model
from ...model.geometry.vectors import Array
from ..results.results import Results
from ..results.signless import Linear
from ..results.superpose import of_movements
from .assembly import chunks
from .elements import Frames, force_matrix

PLATE_COMPONENTS = ("nx", "ny", "nxy", "mx", "my", "mxy", "vx", "vy")
SOUND = 1e-7  # least over largest eigenvalue of a fit that still says something
MIDDLE = {4: (0.0, 0.0), 3: (1 / 3, 1 / 3)}  # of an element, in its own coordinates
TERMS = (6, 3, 1)  # quadratic, linear, mean


@dataclass(slots=True)
class Corners:
    """Places (K,) with values of their own: node, face and surface of each; `element` (E, n) rows point to
    them."""

    node: NDArray[np.int64]
    face: NDArray[np.int64]
    surface: NDArray[np.int64]
    quads: NDArray[np.int64]
    triangles: NDArray[np.int64]


class PlateFields:
    """Matrices that turn movements of the nodes into forces; worked out once for a mesh."""

    def __init__(self, model: Model, plates: Plates) -> None:
        self.model, self.plates = model, plates
        self.corners = _corners(plates)
        self._matrices = [
            (nodes, _turned(force_matrix(frames, layer, *MIDDLE[nodes.shape[1]]), *_turn(plates, of, frames)))
            for nodes, of, _, frames, layer in chunks(model, plates)
        ]
        self._recover = _recovery(plates, self.corners)

    def samples(self, u: Array) -> Array:
        """Forces (E, 8) in the surfaces' axes in the middles of all elements, for movements u (n, 6) of the
        mesh's nodes."""
        out = [np.einsum("ecj,ej->ec", m, u[nodes].reshape(len(nodes), -1)) for nodes, m in self._matrices]
        return np.concatenate(out) if out else np.zeros((0, 8))

    def at_corners(self, u: Array) -> Array:
        """Recovered forces (K, 8) a metre at `corners`, face by face, in PLATE_COMPONENTS."""
        return np.asarray(self._recover @ self.samples(u))

    def forces(self, results: Results, case: int, of: Linear | None = None) -> Array:
        """`at_corners` in a case or a combination of a run, or what `of` (linear) makes of it."""
        if of is None:
            return of_movements(results, case, self.at_corners)
        return of_movements(results, case, lambda u: of(self.at_corners(u)))

    def averaged_forces(
        self, results: Results, case: int, of: Linear | None = None
    ) -> tuple[NDArray[np.int64], NDArray[np.int64], Array]:
        """`averaged` in a case or a combination of a run, or what `of` (linear) makes of the values (A,
        8)."""
        index, inverse, count = self._groups()

        def mean(forces: Array) -> Array:
            values = np.zeros((len(count), forces.shape[1]))
            np.add.at(values, inverse, forces)
            values /= count[:, None]
            return values if of is None else of(values)

        return self.corners.surface[index], self.corners.node[index], self.forces(results, case, mean)

    def averaged(self, values: Array) -> tuple[NDArray[np.int64], NDArray[np.int64], Array]:
        """Values of corners averaged within each surface: surface (A,), node (A,) and values (A, 8), by
        surface and node."""
        index, inverse, count = self._groups()
        out = np.zeros((len(count), values.shape[1]))
        np.add.at(out, inverse, values)
        return self.corners.surface[index], self.corners.node[index], out / count[:, None]

    def averaged_surfaces(self) -> NDArray[np.int64]:
        """The surface (A,) of each row of `averaged`."""
        return self.corners.surface[self._groups()[0]]

    def spread(self, averaged: Array) -> Array:
        """Averages (A, …) back at the corners (K, …)."""
        _, inverse, _ = self._groups()
        return averaged[inverse]

    def _groups(self) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
        key = self.corners.surface * (len(self.plates.points) + 1) + self.corners.node
        _, index, inverse, count = np.unique(key, return_index=True, return_inverse=True, return_counts=True)
        return index, inverse.ravel(), count


def _corners(plates: Plates) -> Corners:
    n = len(plates.points) + 1
    keys = [
        f[:, None] * n + e
        for f, e in ((plates.quad_face, plates.quads), (plates.triangle_face, plates.triangles))
    ]
    whole, inverse = np.unique(np.concatenate([k.ravel() for k in keys]), return_inverse=True)
    inverse = inverse.ravel()
    split = keys[0].size
    quads, triangles = inverse[:split].reshape(-1, 4), inverse[split:].reshape(-1, 3)
    surface = np.zeros(len(whole), np.int64)
    surface[quads] = plates.quad_of[:, None]
    surface[triangles] = plates.triangle_of[:, None]
    return Corners(whole % n, whole // n, surface, quads, triangles)


def _turn(plates: Plates, of: NDArray[np.int64], frames: Frames) -> tuple[Array, Array]:
    """From element to surface axes in the plane (E, 2, 2), and whether z turns over (E,)."""
    axes = np.array([plates.shapes[s].axes for s in plates.surfaces])[of]
    q = np.einsum("eik,ejk->eij", axes[:, :2], frames.axes[:, :2])
    return q, np.sign(np.einsum("ek,ek->e", axes[:, 2], frames.axes[:, 2]))


def _turned(f: Array, q: Array, sign: Array) -> Array:
    """Force matrices (E, 8, k) in element axes as those in surface axes."""
    out = np.empty_like(f)
    (c, s), (d, e) = (q[:, 0, 0, None], q[:, 0, 1, None]), (q[:, 1, 0, None], q[:, 1, 1, None])
    for k in (0, 3):
        x, y, xy = f[:, k], f[:, k + 1], f[:, k + 2]
        out[:, k] = c * c * x + 2 * c * s * xy + s * s * y
        out[:, k + 1] = d * d * x + 2 * d * e * xy + e * e * y
        out[:, k + 2] = c * d * x + (c * e + s * d) * xy + s * e * y
    out[:, 3:6] *= sign[:, None, None]
    out[:, 6] = (c * f[:, 6] + s * f[:, 7]) * sign[:, None]
    out[:, 7] = (d * f[:, 6] + e * f[:, 7]) * sign[:, None]
    return out


def _recovery(plates: Plates, corners: Corners) -> sparse.csr_matrix:
    """The matrix (K, E) from values in the middles of elements to values at corners."""
    nq, nt, k = len(plates.quads), len(plates.triangles), len(corners.node)
    rows = np.concatenate([corners.quads.ravel(), corners.triangles.ravel()])
    cols = np.concatenate([np.repeat(np.arange(nq), 4), nq + np.repeat(np.arange(nt), 3)])
    touch = sparse.csr_matrix((np.ones(len(rows)), (rows, cols)), shape=(k, nq + nt))
    beside = (touch.T @ touch).tocsr()
    # two rings of elements around a corner; three on the border of a face, to see as far inwards
    two = (touch @ beside).tocsr()
    border = sparse.diags(_on_border(corners).astype(float))
    patch = (two + border @ two @ beside).tocsr()
    places = plates.centres()
    patch.sort_indices()
    count = np.diff(patch.indptr)
    data = np.zeros(len(patch.indices))
    at = plates.points[corners.node]
    axes = _plane_axes(plates, corners)
    for m in np.unique(count):
        which = np.flatnonzero(count == m)
        for s in range(0, len(which), 4096):
            own = which[s : s + 4096]
            slots = patch.indptr[own][:, None] + np.arange(m)
            rel = places[patch.indices[slots]] - at[own][:, None]
            flat = np.einsum("kij,kmj->kmi", axes[own], rel)
            data[slots] = _fits(flat)
    return sparse.csr_matrix((data, patch.indices, patch.indptr), shape=patch.shape)


def _plane_axes(plates: Plates, corners: Corners) -> Array:
    own = np.array([plates.shapes[s].plain_axes[:2] for s in plates.surfaces])
    return own[corners.surface]


def _on_border(corners: Corners) -> NDArray[np.bool_]:
    """Corners on a side that only one element of the face has."""
    sides = np.concatenate(
        [
            np.stack([e, np.roll(e, -1, axis=1)], axis=-1).reshape(-1, 2)
            for e in (corners.quads, corners.triangles)
        ]
    )
    key, count = np.unique(np.sort(sides, axis=1), axis=0, return_counts=True)
    out = np.zeros(len(corners.node), bool)
    out[key[count == 1].ravel()] = True
    return out


def _fits(flat: Array) -> Array:
    """Weights (k, m) that evaluate at the origin the best polynomial through values at places (k, m, 2)."""
    size = np.abs(flat).max(axis=(1, 2))
    x, y = np.moveaxis(flat / np.where(size > 0, size, 1.0)[:, None, None], 2, 0)
    basis = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], axis=-1)
    out = np.zeros(flat.shape[:2])
    left = np.ones(len(flat), bool)
    for terms in TERMS:
        if not left.any():
            break
        if terms > flat.shape[1]:
            continue
        a = basis[left][:, :, :terms]
        normal = np.swapaxes(a, 1, 2) @ a
        w = np.linalg.eigvalsh(normal)
        good = w[:, 0] > SOUND * w[:, -1]
        done = np.flatnonzero(left)[good]
        first = np.zeros((len(done), terms, 1))
        first[:, 0] = 1.0
        out[done] = (a[good] @ np.linalg.solve(normal[good], first))[..., 0]
        left[done] = False
    return out
