"""Level that a height belongs to."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .vectors import Array

LEVEL_REACH = 0.75  # m; nodes this near to a storey's elevation are at its level
ON_CUT = 1e-6  # m; what lies this near to the height half-way between two levels lies on it


def half_way(levels: Array) -> Array:
    """Heights (n - 1,) half-way between levels (n,) in rising order."""
    return np.asarray((levels[1:] + levels[:-1]) / 2)


def nearest_level(levels: Array, z: Array) -> NDArray[np.int64]:
    """For heights z (k,) the number of the nearest of levels (n,), in any order; of two as near, but for
    rounding, the lower."""
    order = np.argsort(levels, kind="stable")
    return np.asarray(order[np.searchsorted(half_way(levels[order]), z - ON_CUT)])
