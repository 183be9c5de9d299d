"""Grid lines: how far something lies from one, and where it is in a building by their names."""

from __future__ import annotations

import numpy as np

from ..entities.grid import GridLine
from ..entities.model import Model
from .vectors import Array

ON_GRID = 0.5  # m; how far something may stand off a grid line and still be named after it


def grid_distance(points: Array, p: Array) -> float:
    """How far a place (2,) lies from a grid line's points (n, 2) in plan, m; beyond its ends by ON_GRID it is
    infinitely far."""
    best = np.inf
    for a, b in zip(points, points[1:]):
        length = float(np.linalg.norm(b - a))
        if length < 1e-9:
            continue
        u = (b - a) / length
        t = float((p - a) @ u)
        t = min(max(t, -ON_GRID), length + ON_GRID)
        best = min(best, float(np.linalg.norm(p - a - t * u)))
    return best


def families(model: Model) -> list[list[GridLine]]:
    """The grid lines of each direction of each grid, in the order of their names' directions."""
    found: dict[tuple[str, str], list[GridLine]] = {}
    for g in model.grids:
        found.setdefault((g.grid, g.family), []).append(g)
    return [found[k] for k in sorted(found)]


def crossing(model: Model, p: Array) -> str:
    """Names of the nearest grid line of each direction near a place in plan: "B/3"; "" unless there are
    two."""
    names = [near for family in families(model) if (near := _nearest(family, p))]
    return "/".join(names) if len(names) > 1 else ""


def place_on_grids(model: Model, p: Array) -> str:
    """The place (2,) of anything by the grid lines of each direction: "B/3" on two, "B-C/3" between B and C,
    "…-A/3" before the first; "" in a model without grids. Between bent lines there is no place."""
    words = [_nearest(family, p) or _between(family, p) for family in families(model)]
    return "/".join(w for w in words if w)


def _nearest(family: list[GridLine], p: Array) -> str:
    off, name = min((grid_distance(g.points, p), g.name) for g in family)
    return name if off <= ON_GRID else ""


def _between(family: list[GridLine], p: Array) -> str:
    straight = [g for g in family if len(g.points) == 2]
    if not straight:
        return ""
    d = straight[0].points[1] - straight[0].points[0]
    size = float(np.linalg.norm(d))
    if size < 1e-9:
        return ""
    normal = np.array([-d[1], d[0]]) / size
    off = sorted((float((g.points[0] - p) @ normal), g.name) for g in straight)
    before, after = [n for v, n in off if v < 0], [n for v, n in off if v >= 0]
    return f"{before[-1] if before else '…'}-{after[0] if after else '…'}"
