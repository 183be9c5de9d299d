"""Natural modes with mass from load cases: periods and the share of the mass that moves in each direction."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..loads import Distribution
from ..model import Model, Settings
from ..model.geometry import Array
from ..model.loads import GRAVITY
from .factor import Factor, SingularError
from .loading import end_loads, loading
from .mesh import Mesh, mesh
from .results import Results
from .system import System, assemble

DENSE = 300  # degrees of freedom with mass, below which all modes are found at once
BLOCKS = 80  # blocks of solves before what has been found is taken as it is
WIDEST = 200  # columns of the Krylov space before it is restarted
SETTLED = 1e-9  # share of an eigenvalue that its residual may have left


@dataclass(slots=True)
class Mode:
    """Number from 1, period in s, and participating mass over the whole mass in x, y and z. `shape` (N, 6) is its motion at
    the run's nodes, the largest translation 1; None where it was not kept."""

    mode: int
    period: float
    mass_x: float
    mass_y: float
    mass_z: float
    shape: Array | None = None


def mass_cases(model: Model, factors: dict[str, float]) -> dict[str, float]:
    """The cases that give mass, with their factors: of those asked for the ones that the model has; where it has none of
    them, those that hold self-weight."""
    known = {n: f for n, f in factors.items() if n in model.cases}
    return known or {c.name: 1.0 for c in model.cases.values() if c.self_weight[2] < 0}


def nodal_mass(model: Model, m: Mesh, factors: dict[str, float], distribution: Distribution) -> Array:
    """Mass (N,) in kg lumped at nodes: the downward load of each named case over g, times its factor."""
    mass = np.zeros(len(m.node_ids))
    for name, factor in factors.items():
        case = model.cases.get(name)
        if case is None or factor == 0:
            continue
        load = loading(m, case, distribution.case(name))
        down = -load.nodal[:, 2].copy()
        local = end_loads(m, load)
        for e in range(2):
            np.add.at(down, m.ends[:, e], -np.einsum("pi,pi->p", m.axes[:, :, 2], local[:, 6 * e : 6 * e + 3]))
        mass += factor * down / GRAVITY
    return np.maximum(mass, 0.0)


def modes(
    model: Model,
    results: Results,
    settings: Settings,
    progress: Callable[[str, float], None] = lambda _t, _s: None,
    distribution: Distribution | None = None,
) -> list[Mode]:
    """The lowest modes of what the run computed; [] when nothing was, when something moves freely, or without mass."""
    if settings.modes.count == 0 or results.empty or results.motions or not results.member_done.all():
        return []
    progress("Modes", 0.9)
    m = mesh(model, results.member_ids, settings.run.shear_flexible, results.plates)
    system, _ = assemble(model, m, settings.run.diaphragms)
    mass = nodal_mass(model, m, mass_cases(model, settings.modes.mass), distribution or Distribution(model))
    diagonal = np.zeros((len(mass), 6))
    diagonal[:, :3] = mass[:, None]
    flat = diagonal.ravel()
    flat[system.held] = 0.0
    flat[~np.repeat(system.live, 6)] = 0.0
    heavy = np.flatnonzero(flat > 0)
    total = float(mass.sum())
    count = min(settings.modes.count, len(heavy))
    if count == 0:
        return []
    found = _lowest(system, heavy, flat[heavy], count)
    if found is None:
        return []
    periods, shapes, everywhere = found
    out = []
    for n in range(count):
        phi = shapes[:, n]
        generalised = phi @ (flat[heavy] * phi)
        share = []
        for d in range(3):
            r = np.zeros((len(mass), 6))
            r[:, d] = 1
            moved = flat[heavy] * r.ravel()[heavy]
            share.append(float((phi @ moved) ** 2 / (generalised * total)))
        shape = system.to_global(everywhere[:, n]).reshape(-1, 6)
        largest_move = float(np.linalg.norm(shape[:, :3], axis=1).max())
        out.append(Mode(n + 1, float(periods[n]), share[0], share[1], share[2], shape / max(largest_move, 1e-300)))
    return out


def _lowest(system: System, heavy: NDArray[np.int64], mass: Array, count: int) -> tuple[Array, Array, Array] | None:
    """Periods (count,), shapes (h, count) at the degrees of freedom that carry mass, and the same at all of them; None when
    they cannot be found.

    The symmetric problem M^1/2 K^-1 M^1/2 y = y / omega^2 on those degrees of freedom alone: massless ones, which a
    lumped mass leaves many of, never enter it. Those tied to others do, with the movements their ties give them.
    """
    root = np.sqrt(mass)
    try:
        factor = Factor(system.k)

        def moved_by(y: Array) -> Array:
            f = np.zeros((system.full.shape[0], y.shape[1]))
            f[heavy] = root[:, None] * y
            return system.expand(factor.solve(system.gathered(f)[system.free]))

        def soften(y: Array) -> Array:
            y = np.asarray(y, float).reshape(len(heavy), -1)
            return np.asarray(root[:, None] * moved_by(y)[heavy])

        if len(heavy) <= DENSE or count >= len(heavy) - 1:
            a = soften(np.eye(len(heavy)))
            value, y = np.linalg.eigh((a + a.T) / 2)
        else:
            value, y = largest(soften, len(heavy), count)
        order = np.argsort(-value)[:count]
        everywhere = moved_by(y[:, order])
        factor.close()
    except SingularError:
        return None
    if value[order[-1]] <= 0:
        return None
    return 2 * np.pi * np.sqrt(value[order]), y[:, order] / root[:, None], everywhere


def largest(apply: Callable[[Array], Array], n: int, count: int) -> tuple[Array, Array]:
    """The `count` largest eigenvalues of a symmetric operator on (n, b) blocks, largest first, and their vectors.

    A block Krylov space with restarts (Musco and Musco 2015; restarts as Wu and Simon 2000). In blocks, because a building
    of like parts has many modes of one period, among which a method of single vectors loses its way.
    """
    width = count + 8
    basis = np.linalg.qr(np.random.default_rng(1).standard_normal((n, width)))[0]
    image = apply(basis)
    value, y = np.zeros(count), basis[:, :count]
    for _ in range(BLOCKS):
        h = basis.T @ image
        theta, s = np.linalg.eigh((h + h.T) / 2)
        s = s[:, ::-1]
        value, y = theta[::-1][:count], basis @ s[:, :count]
        rest = image @ s[:, :count] - y * value
        if (np.linalg.norm(rest, axis=0) <= SETTLED * np.abs(value)).all():
            break
        if basis.shape[1] + width > WIDEST:
            basis, image = basis @ s[:, : 2 * width], image @ s[:, : 2 * width]
            new = image[:, :width] - basis @ (basis.T @ image[:, :width])
        else:
            new = image[:, -width:] - basis @ (basis.T @ image[:, -width:])
        new -= basis @ (basis.T @ new)
        new = np.linalg.qr(new)[0]
        new -= basis @ (basis.T @ new)
        new = np.linalg.qr(new)[0]
        basis, image = np.hstack([basis, new]), np.hstack([image, apply(new)])
    return value, y
