"""The lowest factors of a geometric stiffness at which a structure loses its own."""

from __future__ import annotations

import numpy as np
from scipy import sparse

from ...model.geometry.vectors import Array
from .factor import Factor
from .krylov import largest
from .system import System

DENSE = 400  # free degrees of freedom up to which all factors are found at once
NEVER = 1e-9  # inverse factors below this share of the largest are of loads that never buckle anything


def lowest_factors(
    system: System, factor: Factor, kg: sparse.csr_matrix, count: int
) -> list[tuple[float, Array]]:
    """The lowest positive factors f of K x = -f KG x, at most `count`, with their shapes (6N,), all in the
    supports' own axes. `factor`: of the stiffness between what is free; `kg` (6N, 6N)."""
    n = len(system.free)

    def soften(x: Array) -> Array:
        return factor.solve(-system.gathered(kg @ system.expand(x))[system.free])

    if n <= DENSE:
        value, x = np.linalg.eig(soften(np.eye(n)))
        order = np.argsort(-value.real)[:count]
        value, x = value.real[order], x.real[:, order]
    else:
        value, x = largest(soften, n, min(count, n), system.k)
    most = float(value.max(initial=0.0))
    return [
        (float(1.0 / v), system.expand(column)) for v, column in zip(value, x.T) if v > max(NEVER * most, 0.0)
    ]
