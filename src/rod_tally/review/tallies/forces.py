"""Sums of the loads that stand on nodes and members already."""

from __future__ import annotations

import numpy as np

from ...model import LoadCase, Model
from ...model.geometry.vectors import Array
from ...model.member_force import member_force


def direct_force(model: Model, case: LoadCase) -> Array:
    """Sum of what stands on nodes and members already, weight of members included, N, global."""
    total = np.zeros(3)
    for n in case.node_loads:
        total += n.force
    for load in case.member_loads:
        total += member_force(model, load)
    if any(case.self_weight):
        total += np.array(case.self_weight) * sum(model.weight(m) for m in model.members.values())
    return total
