"""Responses to a spectrum as the modes they are made of: values that follow from movements are combined, not
made of combined movements.

The combination by quadratic forms gives a size without a sign. A drift, or a force of a slab, that was worked
out from combined movements would therefore be wrong: it is worked out for each mode, and then combined."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ...model.geometry.vectors import Array

Linear = Callable[[Array], Array]


@dataclass(slots=True)
class ModalResponse:
    """The modal parts that the response of one case is combined of: movements (n, N, 6) and forces (n, N, 3)
    of each mode, and their correlation (n, n). `turning` (0 or 1, N, 6): movements by turning storeys, whose
    effects are added to the combined ones."""

    displacement: Array
    force: Array
    rho: Array
    turning: Array

    def combined(self, of: Linear) -> Array:
        """Return what `of` makes of movements (N, 6), combined."""
        return self.folded(
            np.array([of(u) for u in self.displacement]), np.array([of(u) for u in self.turning])
        )

    def shear(self, way: Array) -> float:
        """The sum of the forces along a unit vector (3,), combined, N."""
        return float(quadratic(self.force.sum(axis=1) @ way, self.rho))

    def folded(self, modes: Array, turning: Array) -> Array:
        """Values of modes (n, …), and of turning (0 or 1, …), combined."""
        out = quadratic(modes, self.rho)
        return out + np.abs(turning[0]) if len(turning) else out


def quadratic(values: Array, rho: Array) -> Array:
    """The root of the quadratic form rho in modal values (n, ...), each by itself."""
    flat = values.reshape(len(values), -1)
    total = ((rho @ flat) * flat).sum(axis=0)
    return np.asarray(np.sqrt(np.maximum(total, 0.0)).reshape(values.shape[1:]))
