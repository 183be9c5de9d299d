"""Motions without resistance: found, located and set aside before anything is solved."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.linalg import eigh, qr

from ...model.geometry.vectors import Array
from .factor import Factor, SingularError

NULL = 1e-12  # stiffness of a motion over that of its own degrees of freedom; rounding is near 1e-16
LOCAL = 1e-11
SHIFT = 1e-10
MOST = 24  # motions looked for at once


def local_motions(k: sparse.csr_matrix, free: NDArray[np.int64], n_nodes: int) -> list[tuple[int, Array]]:
    """Nodes whose own translations or rotations meet no stiffness: (node, vector (6,)) for each direction.

    A direction with no stiffness in the diagonal block of a positive semidefinite matrix is a null vector of
    the whole."""
    blocks = np.zeros((n_nodes, 6, 6))
    position = np.full(6 * n_nodes, -1)
    position[free] = np.arange(len(free))
    coo = k.tocoo()
    r, c = free[coo.row], free[coo.col]
    same = r // 6 == c // 6
    np.add.at(blocks, (r[same] // 6, r[same] % 6, c[same] % 6), coo.data[same])
    flags = np.zeros(6 * n_nodes, bool)
    flags[free] = True
    is_free = flags.reshape(n_nodes, 6)
    out: list[tuple[int, Array]] = []
    for part in (slice(0, 3), slice(3, 6)):
        b = blocks[:, part, part]
        active = is_free[:, part]
        largest = np.abs(np.einsum("nii->ni", b)).max(axis=1)
        typical = float(np.median(largest[largest > 0])) if (largest > 0).any() else 1.0
        # held directions get stiffness, so that only free ones can come out empty
        b = b + np.einsum("ni,ij->nij", (~active) * np.maximum(largest, typical)[:, None], np.eye(3))
        w, v = np.linalg.eigh(b)
        weak = w < LOCAL * np.maximum(largest, LOCAL * typical)[:, None]
        for node, mode in np.argwhere(np.asarray(weak & np.atleast_1d(active.any(axis=1))[:, None])):
            vector = np.zeros(6)
            vector[part] = np.where(active[node], v[node, :, mode], 0.0)
            if np.abs(vector).max() > 1e-6:
                out.append((int(node), vector / np.linalg.norm(vector)))
    return out


def probe(k: sparse.csc_matrix) -> Array:
    """Right-hand sides (n, 2) that set every motion going; solved along with the loads, for `suspicious`."""
    return k.diagonal()[:, None] * np.random.default_rng(20).standard_normal((k.shape[0], 2))


def suspicious(k: sparse.csc_matrix, x: Array) -> bool:
    """Return whether the answers x to the probe show a motion that meets next to no resistance.

    One step of inverse iteration: a motion with a stiffness near rounding is then all that is left of the
    probe."""
    d = k.diagonal()
    resistance = np.einsum("ij,ij->j", x, k @ x) / np.einsum("i,ij,ij->j", d, x, x)
    return bool((resistance < NULL).any())


def global_motions(k: sparse.csc_matrix) -> Array:
    """Null vectors (n, m) of a matrix without local ones, by subspace iteration on the matrix made barely
    definite.

    Returns at most MOST vectors; (n, 0) when there are none after all, or where stiffnesses differ so much
    that doubles cannot tell."""
    try:
        return _global_motions(k)
    except (SingularError, np.linalg.LinAlgError):
        return np.zeros((k.shape[0], 0))


def _global_motions(k: sparse.csc_matrix) -> Array:
    d = k.diagonal()
    n = k.shape[0]
    m = min(n, MOST)
    shifted = (k + SHIFT * sparse.diags(d)).tocsc()
    factor = Factor(shifted)
    x = np.random.default_rng(5).standard_normal((n, m))
    root = np.sqrt(d)[:, None]
    for _ in range(12):
        x = factor.solve(d[:, None] * x)
        q, _ = np.linalg.qr(root * x)
        x = q / root
    factor.close()
    w, v = eigh(x.T @ (k @ x), x.T @ (d[:, None] * x))
    return (x @ v)[:, w < NULL * 10]


def pins(null: Array) -> NDArray[np.int64]:
    """As many degrees of freedom as null vectors, such that holding them holds every motion."""
    _, _, order = qr(null.T, mode="economic", pivoting=True)
    return np.sort(order[: null.shape[1]])


def separate(null: Array) -> Array:
    """The same null space by vectors that each move as few degrees of freedom as can be: each takes one pin
    alone."""
    p = pins(null)
    return np.asarray(np.linalg.solve(null[p].T, null.T).T, float)
