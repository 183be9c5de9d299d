"""Loads, shears, drift and mass by storey."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ...loads import Distribution
from ...model import LoadCase, Model
from ...model.entities.loads import GRAVITY
from ...model.geometry.vectors import Array
from ..frame.loading import end_loads, loading
from ..frame.mesh import Mesh, mesh
from .results import Results
from .signless import quadratic
from .superpose import of_movements

LEVEL_REACH = 0.75  # m; nodes this near to a storey's elevation are at its level


@dataclass(slots=True)
class StoreyRow:
    """One storey in one case, SI. Shear is the sum of the horizontal loads at and above it; drift is its mean
    displacement less that of the storey below. None where there is no node at the level."""

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
    """For nodes at xyz (N, 3) the nearest storey by number, and whether they are at its level."""
    z = np.array([s.elevation for s in model.storeys])
    at = np.abs(xyz[:, 2][:, None] - z).argmin(axis=1)
    return at, np.abs(xyz[:, 2] - z[at]) <= LEVEL_REACH


def storey_rows(model: Model, results: Results, distribution: Distribution | None = None) -> list[StoreyRow]:
    """Rows for every computed case and storey, lowest storey first; [] without storeys or results."""
    if not model.storeys or results.empty:
        return []
    distribution = distribution or Distribution(model)
    m = mesh(model, results.member_ids, plates=results.plates)
    at, near = at_storeys(model, m.xyz)
    count = len(model.storeys)
    mass = np.zeros(len(m.node_ids))
    for e in range(2):
        np.add.at(mass, m.ends[:, e], m.mass * m.length / 2)
    mass += _mass_of_slabs(model, m, distribution)
    out: list[StoreyRow] = []
    for c, case in enumerate(results.cases):
        if not results.node_done[c].any():
            continue
        modal = results.modal.get(case)
        load = loading(m, model.cases[case], distribution.case(case))
        f = load.nodal[:, :3].copy()
        local = end_loads(m, load)
        for e in range(2):
            np.add.at(f, m.ends[:, e], np.einsum("pij,pi->pj", m.axes, local[:, 6 * e : 6 * e + 3]))
        f *= results.node_done[c][:, None]
        by_storey, shear = _added_up(f, at, count)
        if modal is not None:  # sizes without sign: those of the modes, combined
            modes = [_added_up(force, at, count) for force in modal.force]
            by_storey, shear = (quadratic(np.array([own[k] for own in modes]), modal.rho) for k in (0, 1))
        levels = [near & (at == s) & results.node_done[c] for s in range(count)]
        drifts = of_movements(results, c, partial(_drifts, levels))
        for s, storey in enumerate(model.storeys):
            known = levels[s].any() and (s == 0 or levels[s - 1].any())
            drift = drifts[s] if known else None
            own = mass * (at == s)
            total = float(own.sum())
            middle = (own[:, None] * (m.xyz + model.origin)).sum(axis=0) / total if total > 0 else None
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


def _mass_of_slabs(model: Model, m: Mesh, distribution: Distribution) -> Array:
    """What slabs put on nodes through their beams and columns (N,), kg: from the first case that holds
    self-weight."""
    case = next((c for c in model.cases.values() if c.self_weight[2] < 0), None)
    if case is None or not model.surfaces:
        return np.zeros(len(m.node_ids))
    only = LoadCase(case.name, self_weight=(0.0, 0.0, -1.0))
    plain = tuple(case.self_weight) == only.self_weight and not case.area_loads and not case.space_loads
    load = loading(m, LoadCase(case.name), distribution.case(case.name) if plain else distribution.of(only))
    f = -load.nodal[:, 2]
    local = end_loads(m, load)
    for e in range(2):
        np.add.at(f, m.ends[:, e], -np.einsum("pi,pi->p", m.axes[:, :, 2], local[:, 6 * e : 6 * e + 3]))
    return np.asarray(f / GRAVITY)


def _added_up(force: Array, at: NDArray[np.int64], count: int) -> tuple[Array, Array]:
    """Forces (N, 3) by storey and added up from the top, (count, 3) each."""
    own = np.zeros((count, 3))
    np.add.at(own, at, force)
    return own, np.cumsum(own[::-1], axis=0)[::-1]


def _drifts(levels: list[NDArray[np.bool_]], u: Array) -> Array:
    """Mean movement of each level's nodes less that of the level below (S, 3); zero where there is none."""
    mean = [u[own, :3].mean(axis=0) if own.any() else np.zeros(3) for own in levels]
    return np.array([here - below for here, below in zip(mean, [np.zeros(3), *mean])])
