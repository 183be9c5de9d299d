"""Loads along the edges of a panel, as linear rows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...model.geometry.vectors import Array
from .panel import Panel


@dataclass(slots=True)
class EdgeRows:
    """Loads along edges: `edge` (n,), from `a` to `b` (m from the edge's start), linear from `qa` to `qb` (n,
    3): for a pressure of 1, x and y of the plane (N/m2), in N/m. Where a == b the row is concentrated, `qa`
    in N."""

    edge: NDArray[np.int64]
    a: Array
    b: Array
    qa: Array
    qb: Array

    @classmethod
    def none(cls) -> EdgeRows:
        return cls(np.zeros(0, np.int64), np.zeros(0), np.zeros(0), np.zeros((0, 3)), np.zeros((0, 3)))

    @classmethod
    def joined(cls, parts: list[EdgeRows]) -> EdgeRows:
        parts = [p for p in parts if len(p.edge)]
        if not parts:
            return cls.none()
        return cls(
            np.concatenate([p.edge for p in parts]),
            np.concatenate([p.a for p in parts]),
            np.concatenate([p.b for p in parts]),
            np.concatenate([p.qa for p in parts]),
            np.concatenate([p.qb for p in parts]),
        )

    def resultants(self, panel: Panel) -> Array:
        """(3, 3): force, and first moments about the plane's y and x axes (int p x, int p y), for each basis
        pressure."""
        size = self.b - self.a
        point = size == 0
        whole = np.where(point[:, None], self.qa, (self.qa + self.qb) / 2 * size[:, None])
        first = np.where(point[:, None], 0.0, (self.qa + 2 * self.qb) / 6 * (size**2)[:, None])  # about a
        start, along = panel.places
        at = start[self.edge] + along[self.edge] * self.a[:, None]
        out = np.zeros((3, 3))
        out[0] = whole.sum(axis=0)
        out[1:] = at.T @ whole + along[self.edge].T @ first
        return out


def linear_ends(force: Array, first: Array, size: Array | float) -> tuple[Array, Array]:
    """The values at both ends of a linear load of that length with this sum and first moment about its
    start."""
    return 4 * force / size - 6 * first / size**2, 6 * first / size**2 - 2 * force / size
