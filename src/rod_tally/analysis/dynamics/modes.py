"""Natural modes with mass from load cases: periods and the share of the mass that moves in each direction."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from ...loads import Distribution
from ...model import Model, Settings
from ...model.geometry.vectors import Array
from ...progress import Progress, silent
from ..results.results import Results
from ..solve.factor import SingularError
from ..solve.flexibility import Flexibility, flexibility, turned
from ..solve.krylov import NOTHING, largest
from .mass import consistent, lumped, mass_cases, nodal_mass

DENSE = 300  # degrees of freedom with mass, below which all modes are found at once
LEAST_MODE = 1e-11  # of the slowest mode's period squared; a faster one is none


@dataclass(slots=True)
class Mode:
    """Number from 1, period in s, and participating mass over the mass that can move in x, y and z. `shape`
    (N, 6) is its motion at the run's nodes, the largest translation 1; None where it was not kept."""

    mode: int
    period: float
    mass_x: float
    mass_y: float
    mass_z: float
    shape: Array | None = None


def mass_matrix(
    model: Model, own: Flexibility, settings: Settings, distribution: Distribution
) -> sparse.csr_matrix:
    """(6N, 6N), kg, global, as the settings ask: lumped, or consistent with how elements move."""
    cases = mass_cases(model, settings.modes.mass)
    if settings.modes.consistent:
        return consistent(model, own.mesh, own.condensed, cases, distribution)
    return lumped(nodal_mass(model, own.mesh, cases, distribution))


def modes(
    model: Model,
    results: Results,
    settings: Settings,
    progress: Progress = silent,
    distribution: Distribution | None = None,
    flexible: Flexibility | None = None,
) -> list[Mode]:
    """The lowest modes of what the run computed; [] when nothing was, when something moves freely, or without
    mass.

    `flexible`: the run's own, where it is known.
    """
    if settings.modes.count == 0:
        return []
    progress("Modes", 0.9)
    own = flexible or flexibility(model, results, settings)
    if own is None:
        return []
    try:
        return _modes(
            own, mass_matrix(model, own, settings, distribution or Distribution(model)), settings.modes.count
        )
    finally:
        if flexible is None:
            own.close()


def slowest_mode(
    model: Model,
    own: Flexibility,
    settings: Settings,
    distribution: Distribution,
    near: dict[str, Array],
) -> list[Mode]:
    """The slowest mode alone, [] where there is none, of a structure that differs little from one whose modes
    are known: `near` gives by node their motions (6, k), to begin with."""
    if settings.modes.count == 0:
        return []
    mass = mass_matrix(model, own, settings, distribution)
    width = max((v.shape[1] for v in near.values()), default=0)
    start = np.zeros((len(own.mesh.node_ids), 6, width))
    for k, node in enumerate(own.mesh.node_ids):
        if node in near:
            start[k] = near[node]
    return _modes(own, mass, 1, turned(own.system, start.reshape(-1, width)) if width else None)


def _modes(own: Flexibility, mass: sparse.csr_matrix, count: int, start: Array | None = None) -> list[Mode]:
    system = own.system
    if system.turn is not None:
        mass = (system.turn.T @ mass @ system.turn).tocsr()
    moving = mass.diagonal()
    moving[system.held] = 0.0
    moving[~np.repeat(system.live, 6)] = 0.0
    heavy = np.flatnonzero(moving > NOTHING * moving.max(initial=0.0))
    count = min(count, len(heavy))
    if count == 0:
        return []
    found = _lowest(own, mass, heavy, count, start)
    if found is None:
        return []
    periods, everywhere = found
    sideways = np.zeros((len(moving) // 6, 6, 3))
    for d in range(3):
        sideways[:, d, d] = 1.0
    whole = turned(system, sideways.reshape(-1, 3))
    # what a support holds cannot move, so no mode could ever reach it: shares are of the mass that can
    whole[system.held] = 0.0
    whole[~np.repeat(system.live, 6)] = 0.0
    pushed = mass @ whole
    total = np.maximum(np.einsum("nd,nd->d", whole, pushed), 1e-300)
    out = []
    for n in range(len(periods)):
        phi = everywhere[:, n]
        share = (phi @ pushed) ** 2 / ((phi @ (mass @ phi)) * total)
        shape = system.to_global(phi).reshape(-1, 6)
        most = float(np.linalg.norm(shape[:, :3], axis=1).max())
        x, y, z = (float(v) for v in share)
        out.append(Mode(n + 1, float(periods[n]), x, y, z, shape / max(most, 1e-300)))
    return out


def _lowest(
    own: Flexibility,
    mass: sparse.csr_matrix,
    heavy: NDArray[np.int64],
    count: int,
    start: Array | None = None,
) -> tuple[Array, Array] | None:
    """Periods (count,) and shapes (6N, count), fewer where fewer have mass; None when they cannot be found.

    K^-1 M x = x / omega^2 on the degrees of freedom that have mass alone: the others, which a lumped mass
    leaves many of, never enter it. Those tied to others do, with the movements their ties give them."""
    columns = mass[:, heavy]
    between = columns[heavy].tocsr()
    try:
        if len(heavy) <= DENSE or count >= len(heavy) - 1:
            # M = R R^T without what has no inertia; R^T K^-1 R is symmetric
            lam, q = np.linalg.eigh(between.toarray())
            some = lam > NOTHING * lam[-1]
            root = q[:, some] * np.sqrt(lam[some])
            unit = np.zeros((mass.shape[0], len(heavy)))
            unit[heavy, np.arange(len(heavy))] = 1.0
            soft = root.T @ own.moved_by(unit)[heavy] @ root
            value, y = np.linalg.eigh((soft + soft.T) / 2)
            order = np.argsort(-value)[:count]
            value, x = value[order], root @ y[:, order]
            everywhere = own.moved_by(_at(heavy, x, mass.shape[0]))
        else:

            def soften(x: Array) -> Array:
                return own.moved_by(columns @ x)[heavy]

            value, x = largest(soften, len(heavy), count, between, None if start is None else start[heavy])
            everywhere = own.moved_by(columns @ x)
    except SingularError:
        return None
    # of more modes than the structure has (rigid floors leave few) the rest is rounding
    real = value > LEAST_MODE * max(float(value.max(initial=0.0)), 1e-300)
    if not real.any():
        return None
    return 2 * np.pi * np.sqrt(value[real]), everywhere[:, real]


def _at(heavy: NDArray[np.int64], x: Array, n: int) -> Array:
    out = np.zeros((n, x.shape[1]))
    out[heavy] = x
    return out
