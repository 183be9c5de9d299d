"""Forces at several places as one."""

from __future__ import annotations

import numpy as np

from ...model.geometry.vectors import Array


def resultant(six: Array, arms: Array) -> Array:
    """Forces and moments (k, 6) at arms (k, 3) from a point, as six components about it."""
    return np.concatenate([six[:, :3].sum(axis=0), (six[:, 3:] + np.cross(arms, six[:, :3])).sum(axis=0)])
