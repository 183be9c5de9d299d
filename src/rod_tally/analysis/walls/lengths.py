"""Division of a wall by the storeys it stands in, and its directions."""

from __future__ import annotations

import numpy as np

from ...model import Model, Surface
from ...model.geometry.heights import LEVEL_REACH
from ...model.geometry.vectors import Array

AT_NODE = 0.02  # m; nodes this near to a cut's height, or to an edge, are on it
LEAST = 0.5  # m; a storey's level this near to a wall's foot or top does not divide it


def wall_directions(s: Surface) -> tuple[Array, Array]:
    """Level unit vectors along a wall and across it, each towards +x or +y, whichever it is nearer to."""
    across = s.plain_axes[2] * [1.0, 1.0, 0.0]
    across = across / np.linalg.norm(across)
    along = np.array([-across[1], across[0], 0.0])
    return _forward(along), _forward(across)


def _forward(v: Array) -> Array:
    big = v[0] if abs(v[0]) >= abs(v[1]) else v[1]
    return v if big > 0 else -v


def heights(model: Model, s: Surface) -> list[tuple[str, float, float]]:
    """A wall's lengths from storey to storey: name of the storey it stands on, and the heights (m) of both
    ends; each name once. What lies below the lowest storey is "below" it."""
    low, high = float(s.outer[:, 2].min()), float(s.outer[:, 2].max())
    storeys = sorted(model.storeys, key=lambda x: x.elevation)
    joined = [
        float(j.line[:, 2].mean())
        for j in s.joints
        if j.kind == "surface" and np.ptp(j.line[:, 2]) < AT_NODE and not is_upright(model, j.other)
    ]
    levels = [low]
    names = [f"below {storeys[0].name}" if storeys else ""]
    for storey in storeys:
        near = min(joined, key=lambda z: abs(z - storey.elevation), default=storey.elevation)
        z = near if abs(near - storey.elevation) <= LEVEL_REACH else storey.elevation
        if z <= low + LEAST:
            names[0] = storey.name
        elif levels[-1] + LEAST < z < high - LEAST:
            levels.append(z)
            names.append(storey.name)
    levels.append(high)
    return list(zip(names, levels, levels[1:]))


def is_upright(model: Model, ident: str) -> bool:
    other = model.surfaces.get(ident)
    return other is not None and other.upright
