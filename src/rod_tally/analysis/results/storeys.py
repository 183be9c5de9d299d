"""Loads, shears, drift and mass by storey."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from ...loads import Distribution
from ...model import LoadCase, Model
from ...model.entities.loads import GRAVITY
from ...model.geometry.heights import LEVEL_REACH, nearest_level
from ...model.geometry.vectors import Array
from ..dynamics.mass import mass_cases
from ..frame.mesh import Mesh, mesh
from .bands import Bands
from .results import Results
from .signless import quadratic
from .superpose import of_movements

STRAIGHT = 0.1  # m; nodes this near to each other in plan stand above each other
GROUND = -1  # in place of the number of a foot's node, where nothing lies below
EQUAL = 1e-6  # share by which two drifts may differ and be equal


@dataclass(slots=True)
class StoreyRow:
    """One storey in one case, SI. Forces and mass are of what lies nearer to its level than to another,
    cut half-way between levels whatever the nodes; shear is the sum of the horizontal loads at and above
    it. Drift is what the top of a column or corner moves more than its foot along x and y, of the pair that
    moves most in plan. None where there is no column, wall or node at the level."""

    case: str
    storey: str
    elevation: float
    fx: float
    fy: float
    fz: float
    shear_x: float
    shear_y: float
    drift_x: float | None
    drift_y: float | None
    mass: float
    mass_x: float | None
    mass_y: float | None


def at_storeys(model: Model, xyz: Array) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """For nodes at xyz (N, 3) the nearest storey by number, of two as near the lower, and whether they are at
    its level."""
    z = np.array([s.elevation for s in model.storeys])
    at = nearest_level(z, xyz[:, 2])
    return at, np.abs(xyz[:, 2] - z[at]) <= LEVEL_REACH


def storey_rows(
    model: Model,
    results: Results,
    distribution: Distribution | None = None,
    mass: dict[str, float] | None = None,
) -> list[StoreyRow]:
    """Rows for every computed case and storey, lowest storey first; [] without storeys or results. `mass`:
    the cases that give mass, with their factors, None for self-weight."""
    if not model.storeys or results.empty:
        return []
    distribution = distribution or Distribution(model)
    m = mesh(model, results.member_ids, plates=results.plates)
    at, near = at_storeys(model, m.xyz)
    count = len(model.storeys)
    bands = Bands(model, m)
    whole, first = np.zeros(count), np.zeros((count, 2))
    given = {n: (model.cases[n], f) for n, f in mass_cases(model, mass or {}).items() if n in model.cases}
    own_weight = LoadCase("", self_weight=(0.0, 0.0, -1.0))
    for name, (case_of, factor) in (given or {"": (own_weight, 1.0)}).items():
        arrival = distribution.case(name) if name else distribution.of(own_weight)
        force, moment = bands.of(case_of, arrival)
        whole -= factor * force[:, 2] / GRAVITY
        first -= factor * moment / GRAVITY
    out: list[StoreyRow] = []
    known: dict[bytes, _Pairs] = {}  # the same in every case that computes the same nodes
    for c, case in enumerate(results.cases):
        if not results.node_done[c].any():
            continue
        modal = results.modal.get(case)
        if modal is not None:  # sizes without sign: those of the modes, combined
            modes = [_added_up(force, at, count) for force in modal.force]
            by_storey, shear = (quadratic(np.array([own[k] for own in modes]), modal.rho) for k in (0, 1))
        else:
            pieces = results.node_done[c][m.ends].all(axis=1)
            by_storey, _ = bands.of(model.cases[case], distribution.case(case), pieces, results.node_done[c])
            shear = np.cumsum(by_storey[::-1], axis=0)[::-1]
        done = results.node_done[c].tobytes()
        if done not in known:
            known[done] = _columns(model, m, at, near & results.node_done[c])
        pairs = known[done]
        moved = of_movements(results, c, partial(_drifts, pairs))
        for s, storey in enumerate(model.storeys):
            own = moved[pairs.storey == s]
            drift = _largest(own) if len(own) else None
            total = float(whole[s])
            middle = first[s] / total + model.origin[:2] if total > 0 else None
            out.append(
                StoreyRow(
                    case,
                    storey.name,
                    storey.elevation + float(model.origin[2]),
                    float(by_storey[s, 0]),
                    float(by_storey[s, 1]),
                    float(by_storey[s, 2]),
                    float(shear[s, 0]),
                    float(shear[s, 1]),
                    None if drift is None else float(drift[0]),
                    None if drift is None else float(drift[1]),
                    total,
                    None if middle is None else float(middle[0]),
                    None if middle is None else float(middle[1]),
                )
            )
    return out


def storey_drifts(model: Model, results: Results, m: Mesh) -> list[StoreyRow]:
    """Rows with drifts alone, forces and masses 0, of a run of the mesh `m`."""
    if not model.storeys or results.empty:
        return []
    at, near = at_storeys(model, m.xyz)
    known: dict[bytes, _Pairs] = {}
    out = []
    for c, case in enumerate(results.cases):
        done = results.node_done[c]
        if not done.any():
            continue
        if done.tobytes() not in known:
            known[done.tobytes()] = _columns(model, m, at, near & done)
        pairs = known[done.tobytes()]
        moved = of_movements(results, c, partial(_drifts, pairs))
        for s, storey in enumerate(model.storeys):
            own = moved[pairs.storey == s]
            x, y = (float(v) for v in _largest(own)[:2]) if len(own) else (None, None)
            elevation = storey.elevation + float(model.origin[2])
            nothing = (0.0,) * 5
            out.append(StoreyRow(case, storey.name, elevation, *nothing, x, y, 0.0, None, None))
    return out


def _added_up(force: Array, at: NDArray[np.int64], count: int) -> tuple[Array, Array]:
    """Forces (N, 3) by storey and added up from the top, (count, 3) each."""
    own = np.zeros((count, 3))
    np.add.at(own, at, force)
    return own, np.cumsum(own[::-1], axis=0)[::-1]


@dataclass(slots=True)
class _Pairs:
    """Tops and feet of columns and corners, by number of the node, and the storey whose level the tops are
    at."""

    top: NDArray[np.int64]
    foot: NDArray[np.int64]
    storey: NDArray[np.int64]


def _columns(model: Model, m: Mesh, at: NDArray[np.int64], near: NDArray[np.bool_]) -> _Pairs:
    """At each level every node of a member or a wall's corner with the one straight below it: at the level
    below, or the highest below that, such as a foot that stands lower. Without any such, every node of the
    level with the nearest of the one below."""
    from scipy.spatial import cKDTree

    own = np.zeros(len(m.xyz), bool)
    own[np.unique(m.ends)] = True
    if m.plates is not None and len(m.plates.surfaces):
        walls = [s for i in m.plates.surfaces if (s := model.surfaces[i]).upright]
        if walls:
            _, found = cKDTree(m.xyz).query(np.concatenate([w.outer for w in walls]))
            own[found] = True
    top: list[int] = []
    foot: list[int] = []
    of: list[int] = []
    order = np.argsort([s.elevation for s in model.storeys])
    for n, s in enumerate(order.tolist()):
        level = np.flatnonzero(near & own & (at == s))
        elevation = model.storeys[s].elevation
        ceiling = model.storeys[order[n - 1]].elevation + LEVEL_REACH if n else elevation - LEVEL_REACH
        below = np.flatnonzero(own & (m.xyz[:, 2] <= ceiling))
        if not len(level):
            continue
        level = _one_a_line(m.xyz, level, elevation)
        found = 0
        if len(below):
            plan = m.xyz[below][:, :2]
            near_by = cKDTree(plan).query_ball_point(m.xyz[level][:, :2], STRAIGHT)
            for node, under in zip(level.tolist(), near_by):
                if under:
                    mine = below[under]
                    off = np.linalg.norm(m.xyz[mine][:, :2] - m.xyz[node, :2], axis=1)
                    best = np.lexsort((np.round(off, 6), -np.round(m.xyz[mine, 2], 6)))[0]
                    top.append(node)
                    foot.append(int(mine[best]))
                    of.append(s)
                    found += 1
        if found:
            continue
        floor = np.flatnonzero(near & (at == order[n - 1])) if n else np.zeros(0, np.int64)
        if len(floor):
            _, nearest = cKDTree(m.xyz[floor][:, :2]).query(m.xyz[level][:, :2])
            foot += floor[nearest].tolist()
        elif n == 0:  # nothing lies below: against the ground
            foot += [GROUND] * len(level)
        else:
            continue
        top += level.tolist()
        of += [s] * len(level)
    return _Pairs(np.array(top, np.int64), np.array(foot, np.int64), np.array(of, np.int64))


def _one_a_line(xyz: Array, nodes: NDArray[np.int64], level: float) -> NDArray[np.int64]:
    """Return, of nodes above each other, the one nearest to the level, the lower of two."""
    from scipy.spatial import cKDTree

    pairs = cKDTree(xyz[nodes][:, :2]).query_pairs(STRAIGHT, output_type="ndarray")
    graph = sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(nodes),) * 2)
    line = connected_components(graph, directed=False)[1]
    z = xyz[nodes, 2]
    order = np.lexsort((z, np.round(np.abs(z - level), 6), line))
    _, first = np.unique(line[order], return_index=True)
    return np.asarray(nodes[order][np.sort(first)])


def _largest(own: Array) -> Array:
    """Return, of drifts (P, 3), the one that is largest in plan; of equal ones that which goes most with
    the mean of all, so that it is the same however the building lies."""
    size = np.linalg.norm(own[:, :2], axis=1)
    equal = np.flatnonzero(size >= size.max() * (1 - EQUAL))
    along = own[equal, :2] @ own[:, :2].mean(axis=0)
    return np.asarray(own[equal[int(np.argmax(along))]])


def _drifts(pairs: _Pairs, u: Array) -> Array:
    """How much more the tops move than the feet (P, 3)."""
    feet = np.where((pairs.foot == GROUND)[:, None], 0.0, u[pairs.foot, :3])
    return np.asarray(u[pairs.top, :3] - feet)
