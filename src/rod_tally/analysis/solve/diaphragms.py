"""Storeys that move in plan as one: which nodes a rigid diaphragm takes hold of."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...model import Model
from ...model.geometry.vectors import Array

AT_LEVEL = 0.75  # m; nodes this near to a storey's elevation may lie in its floor
FLAT = 1e-5  # m; nodes of one floor differ in height by rounding alone


def diaphragm_nodes(
    model: Model, xyz: Array, live: NDArray[np.bool_], supported: NDArray[np.bool_], storeys: list[str]
) -> list[NDArray[np.int64]]:
    """Nodes of the floor at each of these storeys: of those within reach of its level the ones that lie in one plane, the
    fullest there is. Nodes above or below it would bend what stands there.

    A floor with supports in its plane is held by them and gets no diaphragm.
    """
    if not storeys:
        return []
    z = np.array([s.elevation for s in model.storeys])
    at = np.abs(xyz[:, 2][:, None] - z).argmin(axis=1)
    near = np.abs(xyz[:, 2] - z[at]) <= AT_LEVEL
    out = []
    for k, storey in enumerate(model.storeys):
        here = near & (at == k) & live
        if here.any():
            height, count = np.unique(np.round(xyz[here, 2] / FLAT).astype(np.int64), return_counts=True)
            here &= np.abs(xyz[:, 2] / FLAT - height[int(count.argmax())]) <= 1
        if storey.name in storeys and here.sum() > 1 and not (here & supported).any():
            out.append(np.flatnonzero(here))
    return out
