"""Storeys that move in plan as one: which nodes a rigid diaphragm takes hold of."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components
from shapely.geometry import Polygon

from ...model import Model, Surface
from ...model.geometry.vectors import Array

IN_PLANE = 1e-3  # m; nodes this near to the plane of a slab that stiffens its storey go with it
BESIDE = 0.6  # m; and this near to its outline in plan
AT_LEVEL = 0.75  # m; nodes this near to a storey's elevation may lie in its floor
FLAT = 1e-5  # m; nodes of one floor differ in height by rounding alone


STOREY = "Storey"  # how the names of floors that were asked for begin
Floor = tuple[str, NDArray[np.int64]]  # what it is called, its nodes


def floors_in_plane(
    model: Model, xyz: Array, live: NDArray[np.bool_], held: NDArray[np.bool_], storeys: list[str]
) -> list[NDArray[np.int64]]:
    """Nodes of everything that moves in plan as one: the chosen storeys, and slabs that stiffen theirs; what
    shares a node is one. A floor with a node that is `held` in plan is left out."""
    found = [nodes for _, nodes in every_floor(model, xyz, live, storeys) if not held[nodes].any()]
    if len(found) < 2:
        return found
    rows = np.concatenate([np.full(len(f), k) for k, f in enumerate(found)])
    nodes = np.concatenate(found)
    holds = sparse.coo_matrix((np.ones(len(rows)), (rows, nodes)), shape=(len(found), len(xyz))).tocsr()
    count, of = connected_components(holds @ holds.T, directed=False)
    return [np.unique(np.concatenate([f for f, k in zip(found, of) if k == c])) for c in range(count)]


def every_floor(model: Model, xyz: Array, live: NDArray[np.bool_], storeys: list[str]) -> list[Floor]:
    """Floors of the chosen storeys, then of slabs that stiffen their storey."""
    return _of_storeys(model, xyz, live, storeys) + _of_slabs(model, xyz, live)


def _of_storeys(model: Model, xyz: Array, live: NDArray[np.bool_], storeys: list[str]) -> list[Floor]:
    """Of the nodes within reach of each storey's level the ones that lie in one plane: of those with at least
    half as many nodes as the fullest, the one nearest to the level (a wall's elements have as full rows above
    and below it). Nodes of other planes would bend what stands there."""
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
            full = height[count >= count.max() / 2]
            nearest = full[np.abs(full * FLAT - storey.elevation).argmin()]
            here &= np.abs(xyz[:, 2] / FLAT - nearest) <= 1
        if storey.name in storeys and here.sum() > 1:
            out.append((f"{STOREY} {storey.name}", np.flatnonzero(here)))
    return out


def _of_slabs(model: Model, xyz: Array, live: NDArray[np.bool_]) -> list[Floor]:
    """Nodes in the plane of slabs that stiffen their storey: slabs of one level that touch are one floor."""
    slabs = [s for s in model.surfaces.values() if s.diaphragm and not s.keeps_loads]
    levels: dict[int, list[Surface]] = {}
    for s in slabs:
        levels.setdefault(round(float(s.outer[:, 2].mean()) / IN_PLANE), []).append(s)
    out = []
    for level, own_slabs in levels.items():
        near = np.flatnonzero(live & (np.abs(xyz[:, 2] - level * IN_PLANE) <= 1.5 * IN_PLANE))
        if len(near) < 2:
            continue
        outlines = np.array([Polygon(s.outer[:, :2]) for s in own_slabs])
        whole = shapely.union_all(shapely.buffer(outlines, BESIDE / 2, join_style="mitre"))
        for part in getattr(whole, "geoms", [whole]):
            area = part.buffer(BESIDE / 2, join_style="mitre")
            shapely.prepare(area)
            own = near[shapely.contains_xy(area, xyz[near, 0], xyz[near, 1])]
            if len(own) > 1:
                first = own_slabs[0]
                out.append((f"The floor of slab {first.name or first.id}", own.astype(np.int64)))
    return out
