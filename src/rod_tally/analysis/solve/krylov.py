"""The largest eigenvalues of an operator, in blocks."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy import sparse

from ...model.geometry.vectors import Array

BLOCKS = 80  # blocks of solves before what has been found is taken as it is
WIDEST = 200  # columns of the Krylov space before it is restarted
SETTLED = 1e-6  # share of an eigenvalue that its residual may have left; the error of the value is its square
BESIDE = 2  # vectors at random beside those that are near
STEPS = 3  # blocks at least where a start was given
NOTHING = 1e-12  # share of the largest mass, or of a column's length, that counts as none


def largest(
    apply: Callable[[Array], Array],
    n: int,
    count: int,
    mass: sparse.spmatrix | None = None,
    start: Array | None = None,
) -> tuple[Array, Array]:
    """The `count` largest eigenvalues of an operator on (n, b) blocks that is symmetric in the product of
    `mass` (None: the plain one), largest first, and their vectors, of length 1 in it.

    A block Krylov space with restarts (Musco and Musco 2015; restarts as Wu and Simon 2000). In blocks,
    because a building of like parts has many modes of one period, among which a method of single vectors
    loses its way. `start` (n, k): vectors near to those wanted, to begin with; a few at random go with them,
    so that what has none of them in it is found as well."""
    m = sparse.identity(n, format="csr") if mass is None else mass
    width = count + 8 if start is None else start.shape[1] + BESIDE
    room = max(WIDEST, 2 * width) + width
    # columns side by side in memory, and only what is new multiplied: with a million unknowns copies and
    # products of what is known already would cost more than the solves
    basis, image = np.empty((n, room), order="F"), np.empty((n, room), order="F")
    h = np.zeros((room, room))
    dice = np.random.default_rng(1)
    begin = dice.standard_normal((n, width if start is None else BESIDE))
    first = _orthonormal(begin if start is None else np.hstack([start, begin]), m)
    known, k = 0, first.shape[1]
    basis[:, :k] = first
    image[:, :k] = apply(first)
    value, y = np.zeros(count), first[:, :count]
    for step in range(BLOCKS):
        h[:k, known:k] = basis[:, :k].T @ (m @ image[:, known:k])
        h[known:k, :k] = h[:k, known:k].T
        theta, s = np.linalg.eigh((h[:k, :k] + h[:k, :k].T) / 2)
        theta, s = theta[::-1], s[:, ::-1]
        value, y = theta[:count], basis[:, :k] @ s[:, :count]
        rest = image[:, :k] @ s[:, :count] - y * value
        left = np.sqrt(np.maximum(np.einsum("ij,ij->j", rest, m @ rest), 0.0))
        # what begins near is settled before what is beside it can show
        if (left <= SETTLED * np.abs(value)).all() and (start is None or step >= STEPS):
            break
        if k + width > WIDEST:
            kept = min(2 * width, k)
            basis[:, :kept], image[:, :kept] = basis[:, :k] @ s[:, :kept], image[:, :k] @ s[:, :kept]
            h[:kept, :kept] = np.diag(theta[:kept])
            new, k = image[:, : min(width, kept)], kept
        else:
            new = image[:, known:k]
        for _ in range(2):
            new = new - basis[:, :k] @ (basis[:, :k].T @ (m @ new))
            new = _orthonormal(new, m)
        if not new.shape[1]:
            break
        known, k = k, k + new.shape[1]
        basis[:, known:k] = new
        image[:, known:k] = apply(new)
    return value, y


def _orthonormal(v: Array, mass: sparse.spmatrix) -> Array:
    """The columns' space with products of 1 and 0 in `mass`; columns that hold nothing new are left out."""
    v = v / np.maximum(np.linalg.norm(v, axis=0), 1e-300)
    for _ in range(2):
        g = v.T @ (mass @ v)
        lam, q = np.linalg.eigh((g + g.T) / 2)
        some = lam > NOTHING * max(float(lam[-1]), 1e-300)
        v = (v @ q[:, some]) / np.sqrt(lam[some])
    return np.asarray(v)
