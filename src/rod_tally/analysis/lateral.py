"""Storey forces onto nodes: at the centre of mass with an eccentricity, and notional loads as a share of the vertical."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..loads import Distribution
from ..loads.lateral import LateralError
from ..model import Model
from ..model.geometry import Array
from ..model.loads import GRAVITY
from .loading import end_loads, loading
from .mass import nodal_mass
from .mesh import Mesh, mesh
from .storeys import LEVEL_REACH


@dataclass(slots=True)
class Level:
    """A storey with the nodes at its level: mass (kg), its centre and its nodes' extent in plan (m), height above the
    base (m)."""

    name: str
    elevation: float
    height: float
    nodes: list[str]
    node_mass: Array
    places: Array
    mass: float
    centre: Array
    extent: Array


def levels(model: Model, mass_of: dict[str, float], distribution: Distribution | None = None) -> list[Level]:
    """Storeys from the lowest up with the mass of these cases times their factors; the lowest one is the base.

    All mass within half-way to the next storey belongs to a storey. Raises LateralError without storeys or mass.
    """
    if len(model.storeys) < 2:
        raise LateralError("storey forces need two storeys at least, and the model has " + str(len(model.storeys)))
    handed, distribution = _handed_on(model, distribution)
    m = mesh(handed, [i for i, x in handed.members.items() if handed.usable(x)])
    mass = nodal_mass(handed, m, mass_of, distribution)
    for name, factor in mass_of.items():
        if name in handed.cases:
            mass += np.maximum(factor * _down_on_walls(handed, m, distribution, name), 0.0) / GRAVITY
    if mass.sum() <= 0:
        raise LateralError(f"there is no mass in {', '.join(mass_of) or 'no case'}")
    ordered = sorted(model.storeys, key=lambda s: s.elevation)
    z = np.array([s.elevation for s in ordered])
    at = np.abs(m.xyz[:, 2][:, None] - z).argmin(axis=1)
    near = np.abs(m.xyz[:, 2] - z[at]) <= LEVEL_REACH
    used = np.zeros(len(m.node_ids), bool)
    used[m.ends.ravel()] = True
    out = []
    for k, storey in enumerate(ordered):
        here = (at == k) & near & used & ~_held(model, m)
        own = float(mass[at == k].sum())
        weights = mass[here] if mass[here].sum() > 0 else np.ones(int(here.sum()))
        places = m.xyz[here]
        whole = weights.sum()
        centre = (weights[:, None] * places).sum(axis=0) / whole if whole > 0 else np.zeros(3)
        extent = np.ptp(places[:, :2], axis=0) if len(places) else np.zeros(2)
        ids = [m.node_ids[i] for i in np.flatnonzero(here)]
        out.append(Level(storey.name, float(z[k]), float(z[k] - z[0]), ids, weights, places, own, centre[:2], extent))
    return out


def _handed_on(model: Model, distribution: Distribution | None) -> tuple[Model, Distribution]:
    """The model with slabs that carry as shells handing their loads to beams and columns instead: forces of whole storeys go to
    the model's nodes, as if each floor were one stiff plate."""
    shells = [s for s in model.surfaces.values() if s.way == "shell" and not (s.upright or s.on_ground)]
    if not shells:
        return model, distribution or Distribution(model)
    other = replace(model, surfaces={**model.surfaces, **{s.id: replace(s, way="two-way") for s in shells}})
    return other, Distribution(other)


def _down_on_walls(model: Model, m: Mesh, distribution: Distribution, case: str) -> Array:
    """Vertical load (N,) of a case that walls hold, downwards, at the node nearest to each place."""
    out = np.zeros(len(m.node_ids))
    used = np.unique(m.ends)
    held = [h for h in distribution.case(case).held if not model.surfaces[h.surface].on_ground]
    if len(used) and held:
        _, near = cKDTree(m.xyz[used]).query(np.array([h.line.mean(axis=0) for h in held]))
        np.add.at(out, used[near], [-float(h.force[2]) for h in held])
    return out


def _held(model: Model, m: Mesh) -> NDArray[np.bool_]:
    return np.array([model.nodes[n].support.any for n in m.node_ids])


def at_level(
    level: Level, fx: float, fy: float, mz: float = 0.0, off: tuple[float, float] = (0.0, 0.0)
) -> list[dict[str, Any]]:
    """Node loads with exactly this force and moment at a level, `off` (m) from its centre of mass.

    Shared by nodal mass; what turns goes square to the arms from the centre, as on a rigid floor. Raises LateralError
    where the level has no nodes.
    """
    if not level.nodes:
        raise LateralError(f"storey {level.name} has no node at its level that could take a force")
    w = level.node_mass / level.node_mass.sum()
    arm = level.places[:, :2] - (w[:, None] * level.places[:, :2]).sum(axis=0)
    polar = float((w * (arm**2).sum(axis=1)).sum())
    moment = mz + off[0] * fy - off[1] * fx
    if polar > 1e-9:
        turn = moment / polar
    elif abs(moment) > 1e-9 * max(abs(fx), abs(fy), 1.0):
        raise LateralError(f"storey {level.name} has one place only and cannot take a moment")
    else:
        turn = 0.0
    force = w[:, None] * (np.array([fx, fy]) + turn * np.column_stack([-arm[:, 1], arm[:, 0]]))
    return [
        {"on": "node", "node": n, "force": [float(f[0]), float(f[1]), 0.0]}
        for n, f in zip(level.nodes, force)
        if f.any()
    ]


def storey_cases(
    name: str, kind: str, levels_: list[Level], forces: dict[str, list[float]], eccentricity: float, by: str
) -> list[dict[str, Any]]:
    """Cases for `AddCases` from Fx, Fy, Mz by storey: one, or with an eccentricity (share of the extent across the force)
    two, off to either side."""
    out = []
    names = {level.name: level for level in levels_}
    for sign, tag in ((1, " +e"), (-1, " -e")) if eccentricity else ((0, ""),):
        loads: list[dict[str, Any]] = []
        for storey, (fx, fy, mz) in forces.items():
            level = names.get(storey)
            if level is None:
                raise LateralError(f"there is no storey {storey!r}")
            if fx or fy or mz:
                # across the force: a force along x is moved along y, and the other way round
                off = sign * eccentricity * np.array([level.extent[0] * (fy != 0), level.extent[1] * (fx != 0)])
                loads += at_level(level, fx, fy, mz, (float(off[0]), float(off[1])))
        out.append({"name": name + tag, "kind": kind, "together": "", "loads": loads, "by": by})
    return out


def notional_cases(
    model: Model,
    share: float,
    factors: dict[str, float],
    distribution: Distribution | None = None,
    name: str = "Notional",
    progress: Callable[[str, float], None] = lambda _t, _s: None,
) -> list[dict[str, Any]]:
    """Four cases for `AddCases`: at every node a horizontal force of `share` of its vertical load from these cases, along
    +x, -x, +y, -y (EN 1993-1-1 5.3.2 as equivalent horizontal forces; the share is the reviewer's)."""
    if not 0 < share <= 0.2:
        raise LateralError(f"a share of {share:g} is not plausible; 1/200 is usual")
    model, distribution = _handed_on(model, distribution)
    m = mesh(model, [i for i, x in model.members.items() if model.usable(x)])
    down = np.zeros(len(m.node_ids))
    for k, (case, factor) in enumerate(factors.items()):
        progress(f"Vertical loads of {case}", k / max(len(factors), 1))
        load = loading(m, model.cases[case], distribution.case(case))
        vertical = load.nodal[:, 2].copy()
        local = end_loads(m, load)
        for e in range(2):
            np.add.at(vertical, m.ends[:, e], np.einsum("pi,pi->p", m.axes[:, :, 2], local[:, 6 * e : 6 * e + 3]))
        down -= factor * vertical
        down += factor * _down_on_walls(model, m, distribution, case)
    taken = (down > 0) & ~_held(model, m)
    if not taken.any():
        raise LateralError(f"there is no vertical load in {', '.join(factors) or 'no case'}")
    out = []
    for tag, axis, sign in ((" +x", 0, 1), (" -x", 0, -1), (" +y", 1, 1), (" -y", 1, -1)):
        loads = []
        for i in np.flatnonzero(taken).tolist():
            force = [0.0, 0.0, 0.0]
            force[axis] = sign * share * float(down[i])
            loads.append({"on": "node", "node": m.node_ids[i], "force": force})
        out.append({"name": name + tag, "kind": "notional", "loads": loads, "by": f"{share:g} of the vertical load"})
    return out
