"""Mass from load cases, at nodes in lumps or spread over members, slabs and walls as their movements are."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from ...loads import Distribution
from ...loads.arrival import HeldLoad
from ...model import Model
from ...model.entities.loads import GRAVITY
from ...model.geometry.vectors import Array
from ..frame.elements import Condensed, release_displacements, shape_functions, to_ends
from ..frame.loading import Loading, end_loads, loading, samples, summed
from ..frame.mesh import Mesh
from ..shells.elements import QUAD_POINTS, TRIANGLE_POINTS, quad_shape, triangle_shape
from ..shells.loads import LoadedSurface, plate_loads

AT_ONCE = 100_000  # points of integration whose matrices are held at once: 115 MB


def mass_cases(model: Model, factors: dict[str, float]) -> dict[str, float]:
    """The cases that give mass, with their factors: of those asked for the ones that the model has; where it
    has none of them, those that hold self-weight."""
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
            np.add.at(
                down, m.ends[:, e], -np.einsum("pi,pi->p", m.axes[:, :, 2], local[:, 6 * e : 6 * e + 3])
            )
        mass += factor * down / GRAVITY
    return np.maximum(mass, 0.0)


def lumped(mass: Array) -> sparse.csr_matrix:
    """(6N, 6N) with nodal masses (N,) in the three translations."""
    diagonal = np.zeros((len(mass), 6))
    diagonal[:, :3] = mass[:, None]
    return sparse.diags(diagonal.ravel()).tocsr()


def consistent(
    model: Model, m: Mesh, condensed: Condensed, factors: dict[str, float], distribution: Distribution
) -> sparse.csr_matrix:
    """(6N, 6N), global: what moves with a member, a slab or a wall by the element's own shape functions
    (Archer 1963), what stands on nodes in lumps. Releases are condensed as in the stiffness; slabs and walls
    have no inertia against turning."""
    n = 6 * len(m.node_ids)
    of_members = np.zeros((len(m.length), 12, 12))
    carried = np.zeros(len(m.length))
    at_nodes = np.zeros(len(m.node_ids))
    of_surfaces: dict[str, Array] = {}
    for name, factor in factors.items():
        case = model.cases.get(name)
        if case is None or factor == 0:
            continue
        arrival = distribution.case(name)
        load = loading(m, case, arrival)
        _spread_on_members(m, load, factor, of_members, carried)
        down = -load.nodal[:, 2] * factor / GRAVITY
        held: dict[str, list[HeldLoad]] = {}
        if m.plates is not None:
            for h in arrival.held:
                if h.surface in m.plates.surfaces:
                    held.setdefault(h.surface, []).append(h)
        for ident, own in held.items():
            assert m.plates is not None
            part = -plate_loads(m.plates, own)[0][:, 2] * factor / GRAVITY
            of_surfaces[ident] = of_surfaces.get(ident, 0.0) + part
            down = down - part
        at_nodes += down
    of_members[carried <= 0] = 0.0
    total = _on_nodes(m, condensed, of_members, n) + lumped(np.maximum(at_nodes, 0.0))
    if of_surfaces:
        parts = [_of_surface(m, ident, np.maximum(mass, 0.0)) for ident, mass in of_surfaces.items()]
        row, column, value = (np.concatenate(v) for v in zip(*(p for own in parts for p in own)))
        one_way = sparse.coo_matrix((value, (row, column)), shape=(n // 6, n // 6)).tocsr()
        total = total + sparse.kron(one_way, sparse.diags([1.0, 1, 1, 0, 0, 0]), format="csr")
    return total.tocsr()


def _spread_on_members(m: Mesh, load: Loading, factor: float, into: Array, carried: Array) -> None:
    """Adds the mass matrices (P, 12, 12) of what a case puts on pieces, and their masses (P,), kg."""
    _, piece, x, q = samples(load)
    mass = -np.einsum("ni,ni->n", m.axes[piece][:, :, 2], q[:, :3]) * factor / GRAVITY
    carried += np.bincount(piece, mass, minlength=len(carried))
    for s in range(0, len(piece), AT_ONCE):
        part = slice(s, s + AT_ONCE)
        shape, _ = shape_functions(m, piece[part], x[part])
        own = np.swapaxes(shape, 1, 2) @ (shape * mass[part, None, None])
        into += summed(piece[part], own.reshape(-1, 144), len(into)).reshape(-1, 12, 12)


def _on_nodes(m: Mesh, condensed: Condensed, own: Array, n: int) -> sparse.csr_matrix:
    """Mass of pieces carried to nodes, through releases and rigid ends."""
    if not len(own):
        return sparse.csr_matrix((n, n))
    if condensed.steps:
        none = np.zeros((len(own), 12))
        columns = []
        for dof in range(12):
            unit = none.copy()
            unit[:, dof] = 1.0
            columns.append(release_displacements(unit, none, condensed.steps))
        ends = np.stack(columns, axis=2)
        own = np.swapaxes(ends, 1, 2) @ own @ ends
    t = to_ends(m)
    own = np.swapaxes(t, 1, 2) @ own @ t
    dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)
    return _gathered(dofs, own, n)


Entries = tuple[NDArray[np.int64], NDArray[np.int64], Array]


def _of_surface(m: Mesh, ident: str, mass: Array) -> list[Entries]:
    """Mass of a slab or wall between nodes, the same each way: a density between its nodes' that gives its
    elements what the loads gave its nodes, kg."""
    assert m.plates is not None
    on = LoadedSurface(m.plates.shapes[ident], m.plates)
    unit = np.zeros((len(m.xyz), 6))
    on.whole(np.array([[0.0, 0, 1], [0, 0, 0], [0, 0, 0]]), unit)
    density = np.divide(mass, unit[:, 2], out=np.zeros_like(mass), where=unit[:, 2] > 0)
    parts: list[Entries] = []
    for nodes, flat in zip(on.groups, on.flat):
        corners = nodes.shape[1]
        points, weight = (QUAD_POINTS, 1.0) if corners == 4 else (TRIANGLE_POINTS, 1 / 6)
        own = np.zeros((len(nodes), corners, corners))
        for a, b in points:
            v, d = quad_shape(a, b) if corners == 4 else triangle_shape(a, b)
            j = np.einsum("kn,eni->eki", d, flat)
            det = j[:, 0, 0] * j[:, 1, 1] - j[:, 0, 1] * j[:, 1, 0]
            own += (density[nodes] @ v * det * weight)[:, None, None] * np.outer(v, v)
        row = np.broadcast_to(nodes[:, :, None], own.shape).ravel()
        column = np.broadcast_to(nodes[:, None, :], own.shape).ravel()
        parts.append((row, column, own.ravel()))
    moved = sum(float(value.sum()) for _, _, value in parts)
    scale = mass.sum() / moved if moved > 0 else 1.0
    return [(row, column, value * scale) for row, column, value in parts]


def _gathered(dofs: NDArray[np.int64], own: Array, n: int) -> sparse.csr_matrix:
    rows = np.broadcast_to(dofs[:, :, None], own.shape).ravel()
    cols = np.broadcast_to(dofs[:, None, :], own.shape).ravel()
    return sparse.coo_matrix((own.ravel(), (rows, cols)), shape=(n, n)).tocsr()
