"""Natural modes with mass from load cases: periods and the share of the mass that moves in each direction."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import ArpackError, ArpackNoConvergence, LinearOperator, eigsh

from ..model import Model, Settings
from ..model.geometry import Array
from ..model.loads import GRAVITY
from .factor import Factor, SingularError
from .loading import end_loads, loading
from .mesh import Mesh, mesh
from .results import Results
from .run import assemble


@dataclass(slots=True)
class Mode:
    """Number from 1, period in s, and participating mass over the whole mass in x, y and z."""

    mode: int
    period: float
    mass_x: float
    mass_y: float
    mass_z: float


def nodal_mass(model: Model, m: Mesh, factors: dict[str, float]) -> Array:
    """Mass (N,) in kg lumped at nodes: the downward load of each named case over g, times its factor."""
    mass = np.zeros(len(m.node_ids))
    for name, factor in factors.items():
        case = model.cases.get(name)
        if case is None or factor == 0:
            continue
        load = loading(m, case)
        down = -load.nodal[:, 2].copy()
        local = end_loads(m, load)
        for e in range(2):
            np.add.at(down, m.ends[:, e], -np.einsum("pi,pi->p", m.axes[:, :, 2], local[:, 6 * e : 6 * e + 3]))
        mass += factor * down / GRAVITY
    return np.maximum(mass, 0.0)


def modes(
    model: Model, results: Results, settings: Settings, progress: Callable[[str, float], None] = lambda _t, _s: None
) -> list[Mode]:
    """The lowest modes of what the run computed; [] when nothing was, when something moves freely, or without mass."""
    if settings.modes.count == 0 or results.empty or results.motions or not results.member_done.all():
        return []
    progress("Modes", 0.9)
    m = mesh(model, results.member_ids, settings.run.shear_flexible)
    system, _ = assemble(model, m)
    mass = nodal_mass(model, m, settings.modes.mass)
    diagonal = np.zeros((len(mass), 6))
    diagonal[:, :3] = mass[:, None]
    flat = diagonal.ravel()[system.free]
    moving = int((flat > 0).sum())
    total = mass.sum()
    if moving == 0 or total == 0:
        return []
    k = system.k
    count = min(settings.modes.count, moving - 1, k.shape[0] - 2)
    if count < 1:
        return []
    try:
        factor = Factor(k)
        inverse = LinearOperator(k.shape, matvec=lambda x: factor.solve(np.asarray(x, float).ravel()))
        start = np.random.default_rng(1).standard_normal(k.shape[0])
        w2, shapes = eigsh(k, count, sparse.diags(flat).tocsc(), sigma=0.0, OPinv=inverse, v0=start)
        factor.close()
    except (SingularError, ArpackError, ArpackNoConvergence):
        return []
    out = []
    for n, i in enumerate(np.argsort(w2)):
        if w2[i] <= 0:
            continue
        phi = shapes[:, i]
        generalised = phi @ (flat * phi)
        share = []
        for d in range(3):
            r = np.zeros((len(mass), 6))
            r[:, d] = 1
            share.append(float((phi @ (flat * r.ravel()[system.free])) ** 2 / (generalised * total)))
        out.append(Mode(n + 1, float(2 * np.pi / np.sqrt(w2[i])), *share))
    return out
