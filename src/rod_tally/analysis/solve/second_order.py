"""Second-order effects of chosen cases: axial and membrane forces iterated to balance in the displaced
shape."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy import sparse

from ...model import Model
from ...model.geometry.vectors import Array
from ...progress import Progress, silent
from ..frame.elements import Condensed, to_ends
from ..frame.mesh import Mesh
from ..shells.fields import PlateFields
from ..stability.geometric import in_own_axes, members_matrix, shells_matrix
from .buckling_factors import lowest_factors
from .factor import Factor, SingularError
from .system import System

MOST = 30  # steps after which a case does not settle
SETTLED = 1e-9  # change of the movements, of the largest
ONE = 1 + 1e-9  # factor up to which the loads are those that buckle the structure, or beyond


def second_order(
    model: Model,
    m: Mesh,
    system: System,
    condensed: Condensed,
    stiffness: Factor,
    fixed: Array,
    right: Array,
    by_hold: Array,
    u: Array,
    cases: Sequence[int],
    progress: Progress = silent,
) -> tuple[Array, Array, Array, list[int]]:
    """Movements (6N, C) with second-order effects in these cases, what the displaced loads come to as
    further forces (6N, C), both in the supports' own axes, what that is at the ends of pieces (C, P, 12),
    and the cases that do not settle.

    (K + KG(u)) u = F, with KG by the axial forces of members and the membrane forces of shells that u
    gives, solved anew until u stays; not where a lesser load buckles the structure already, for between the
    higher ones the equations have solutions again. `stiffness`: the factors of K between what is free;
    `fixed` (C, P, 12): condensed end loads; `by_hold`: imposed movements."""
    t, own = to_ends(m), in_own_axes(m, condensed)
    unit = np.swapaxes(t, 1, 2) @ own @ t
    dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)
    shells = m.plates is not None and not m.plates.empty
    fields = PlateFields(model, m.plates) if shells and m.plates is not None else None
    u, extra, failed = u.copy(), np.zeros_like(u), []
    ends = np.zeros_like(fixed)

    def local_of(x: Array) -> Array:
        return np.asarray(np.einsum("pij,pj->pi", t, system.to_global(x)[dofs]))

    def axial(c: int, x: Array) -> Array:
        end = np.einsum("pij,pj->pi", condensed.k, local_of(x)) - fixed[c]
        return np.asarray((end[:, 6] - end[:, 0]) / 2)

    def geometric(c: int, x: Array) -> sparse.csr_matrix:
        kg = members_matrix(m, unit, axial(c, x))
        if fields is not None and m.plates is not None:
            kg = kg + shells_matrix(model, m.plates, fields, system.to_global(x).reshape(-1, 6))
        return kg if system.turn is None else (system.turn.T @ kg @ system.turn).tocsr()

    for step, c in enumerate(cases):
        progress("Second-order effects", 0.7 + 0.1 * step / max(len(cases), 1))
        x = u[:, c]
        settled = False
        for _ in range(MOST):
            kg = geometric(c, x)
            whole = (system.full + kg).tocsr()
            try:
                factor = Factor(_between(system, whole))
            except SingularError:
                break
            load = right[:, c] - whole @ by_hold[:, c]
            new = system.expand(factor.solve(system.gathered(load)[system.free])) + by_hold[:, c]
            factor.close()
            change, size = float(np.abs(new - x).max()), float(np.abs(new).max())
            x = new
            if change <= SETTLED * max(size, 1e-300):
                lowest = lowest_factors(system, stiffness, kg, 1)
                settled = not lowest or lowest[0][0] > ONE
                break
        if settled:
            u[:, c] = x
            extra[:, c] = -(kg @ x)
            ends[c] = _in_balance(np.einsum("pij,pj->pi", own, local_of(x)) * axial(c, x)[:, None], m.length)
        else:
            failed.append(c)
    return u, extra, ends, failed


def _in_balance(f: Array, length: Array) -> Array:
    """End forces (P, 12) with the shear that balances their moments: across the axis of the displaced piece,
    not of the one at rest."""
    f = f.copy()
    f[:, 7] = -(f[:, 5] + f[:, 11]) / length
    f[:, 8] = (f[:, 4] + f[:, 10]) / length
    f[:, 1], f[:, 2] = -f[:, 7], -f[:, 8]
    return f


def _between(system: System, whole: sparse.csr_matrix) -> sparse.csc_matrix:
    """The stiffness between what is free."""
    if system.follow is None:
        return whole[system.free][:, system.free].tocsc()
    some = system.follow[:, system.free].tocsr()
    return (some.T @ whole @ some).tocsc()
