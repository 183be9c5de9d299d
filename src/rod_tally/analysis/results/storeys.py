"""Loads, shears, drift and mass by storey."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...loads import Distribution
from ...model import LoadCase, Model
from ...model.entities.loads import GRAVITY
from ...model.geometry.vectors import Array
from ..frame.loading import end_loads, loading
from ..frame.mesh import Mesh, mesh
from .results import Results

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


def storey_rows(model: Model, results: Results, distribution: Distribution | None = None) -> list[StoreyRow]:
    """Rows for every computed case and storey, lowest storey first; [] without storeys or results."""
    if not model.storeys or results.empty:
        return []
    distribution = distribution or Distribution(model)
    m = mesh(model, results.member_ids, plates=results.plates)
    z = np.array([s.elevation for s in model.storeys])
    at = np.abs(m.xyz[:, 2][:, None] - z).argmin(axis=1)
    near = np.abs(m.xyz[:, 2] - z[at]) <= LEVEL_REACH
    mass = np.zeros(len(m.node_ids))
    for e in range(2):
        np.add.at(mass, m.ends[:, e], m.mass * m.length / 2)
    mass += _mass_of_slabs(model, m, distribution)
    out: list[StoreyRow] = []
    for c, case in enumerate(results.cases):
        if not results.node_done[c].any():
            continue
        load = loading(m, model.cases[case], distribution.case(case))
        f = load.nodal[:, :3].copy()
        local = end_loads(m, load)
        for e in range(2):
            np.add.at(f, m.ends[:, e], np.einsum("pij,pi->pj", m.axes, local[:, 6 * e : 6 * e + 3]))
        f *= results.node_done[c][:, None]
        by_storey = np.zeros((len(z), 3))
        np.add.at(by_storey, at, f)
        shear = np.cumsum(by_storey[::-1], axis=0)[::-1]
        moved = [_mean(results.displacement[c], near & (at == s) & results.node_done[c]) for s in range(len(z))]
        for s, storey in enumerate(model.storeys):
            here, below = moved[s], moved[s - 1] if s else np.zeros(3)
            drift = None if here is None or below is None else here - below
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
    """What slabs put on nodes through their beams and columns (N,), kg: from the first case that holds self-weight."""
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


def _mean(u: Array, which: Array) -> Array | None:
    return u[which, :3].mean(axis=0) if which.any() else None
