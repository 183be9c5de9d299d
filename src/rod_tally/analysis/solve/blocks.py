"""A sparse stiffness summed from elements node by node: blocks of six by six in place of single numbers."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from ...model.geometry.vectors import Array


class BlockSum:
    """Sums stiffnesses of elements between nodes with six degrees of freedom each."""

    def __init__(self, nodes: int, elements: Sequence[NDArray[np.int64]]) -> None:
        """`elements`: for each kind their nodes (E, n); all that will be added."""
        self.nodes = nodes
        keys = [(e[:, :, None] * nodes + e[:, None, :]).reshape(len(e), e.shape[1] ** 2) for e in elements]
        all_keys = np.concatenate([k.ravel() for k in keys]) if keys else np.zeros(0, np.int64)
        self._pairs, place = np.unique(all_keys, return_inverse=True)
        ends = np.cumsum([k.size for k in keys])
        self._place = [p.reshape(k.shape) for p, k in zip(np.split(place.ravel(), ends[:-1]), keys)]
        self._values = np.zeros((len(self._pairs), 36))

    def add(self, kind: int, first: int, like: NDArray[np.int64], k: Array) -> None:
        """Elements `first` on of a kind, whose stiffness is k[like], k (U, 6n, 6n) of those that differ."""
        n = k.shape[1] // 6
        blocks = k.reshape(-1, n, 6, n, 6).transpose(0, 1, 3, 2, 4).reshape(-1, 36)
        place = self._place[kind][first : first + len(like)].ravel()
        hit, row = np.unique(place, return_inverse=True)
        column = (like[:, None] * n * n + np.arange(n * n)).ravel()
        gather = sparse.csr_matrix((np.ones(len(row)), (row.ravel(), column)), shape=(len(hit), len(blocks)))
        self._values[hit] += gather @ blocks

    def matrix(self) -> sparse.csr_matrix:
        """(6N, 6N) of what was added."""
        row, column = np.divmod(self._pairs, self.nodes)
        start = np.zeros(self.nodes + 1, np.int64)
        np.cumsum(np.bincount(row, minlength=self.nodes), out=start[1:])
        n = 6 * self.nodes
        return sparse.bsr_matrix((self._values.reshape(-1, 6, 6), column, start), shape=(n, n)).tocsr()
