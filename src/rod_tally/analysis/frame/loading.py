"""Loads of a case as arrays on pieces: consistent end loads, totals, and what they put into a cut."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from ...loads import Arrival
from ...loads.arrival import HeldLoad
from ...meshing import Plates
from ...model import LoadCase, Model
from ...model.entities.loads import GRAVITY
from ...model.geometry.vectors import Array
from ...model.member_force import member_force, projection
from ..shells.loads import plate_loads
from .column_loads import column_rows
from .elements import shape_functions
from .mesh import Mesh
from .tapers import STEPS

GAUSS, WEIGHT = np.polynomial.legendre.leggauss(4)


@dataclass(slots=True)
class Loading:
    """Loads on pieces in member axes. Distributed rows run from a to b (m from the piece's start), linear
    from qa to qb (n, 6) as three forces and three moments a metre; where a == b the row is concentrated and
    qa is in N, N m. `nodal` (N, 6) global. `missed` (3,) is force of areas and places that found no computed
    member or node."""

    piece: NDArray[np.int64]
    a: Array
    b: Array
    qa: Array
    qb: Array
    nodal: Array
    missed: Array

    @property
    def concentrated(self) -> NDArray[np.bool_]:
        return self.a == self.b


def loading(mesh: Mesh, case: LoadCase, arrival: Arrival | None = None, of_shells: bool = True) -> Loading:
    """All loads of a case on the pieces of the mesh, self-weight included, and what arrived of areas and
    loads in space; without `of_shells` those of elements are left out of `nodal` and `missed`, which take
    most of the time."""
    node_index, member_index = mesh.node_index, mesh.member_index
    nodal = np.zeros((len(mesh.node_ids), 6))
    missed = np.zeros(3)
    if of_shells and mesh.plates is not None and arrival is not None and arrival.held:
        nodal, missed = plate_loads(mesh.plates, arrival.held)
    for load in case.node_loads:
        nodal[node_index[load.node]] += (*load.force, *load.moment)
    rows: list[tuple[int, float, float, Array, Array]] = []
    if mesh.plates is not None and mesh.plates.columns and arrival is not None:
        rows += _on_columns(mesh, mesh.plates, arrival.held)
    first_axes = mesh.axes[mesh.first] if len(mesh.first) else np.zeros((0, 3, 3))
    found = [_rows_of(mesh, first_axes, arrival, missed)] if arrival is not None else []
    for node, force in zip(arrival.nodes, arrival.node_force) if arrival is not None else ():
        nodal[node_index[node], :3] += force
    for item in case.member_loads:
        k = member_index.get(item.member)
        qa, qb = np.array(item.qa), np.array(item.qb)
        if k is None:
            continue  # `left_out_force` counts it
        axes = first_axes[k]
        if item.projected:
            share = projection(np.array([1.0, 0, 0]) if item.local else axes[0])
            qa, qb = qa * share, qb * share
        if not item.local:
            qa, qb = axes @ qa, axes @ qb
        pad = (qa, np.zeros(3)) if item.kind == "force" else (np.zeros(3), qa)
        pad_b = (qb, np.zeros(3)) if item.kind == "force" else (np.zeros(3), qb)
        rows.append((k, item.a, item.b, np.concatenate(pad), np.concatenate(pad_b)))
    found.append(_stacked(rows))
    member, start, stop, first, last = (np.concatenate([f[i] for f in found]) for i in range(5))
    parts = [_on_pieces(mesh, member.astype(np.int64), start, stop, first, last)]
    if any(case.self_weight):
        parts.append(_own_weight(mesh, np.array(case.self_weight)))
    piece, start, stop, first, last = (np.concatenate([p[i] for p in parts]) for i in range(5))
    return Loading(piece.astype(np.int64), start, stop, first, last, nodal, missed)


def _on_columns(
    mesh: Mesh, plates: Plates, held: list[HeldLoad]
) -> list[tuple[int, float, float, Array, Array]]:
    """Loads on walls that stand for columns, in the axes of their columns."""
    out = []
    for load in held:
        k = mesh.member_index.get(load.surface) if load.surface in plates.columns else None
        if k is None:
            continue
        column = plates.columns[load.surface]
        axes = mesh.axes[mesh.first[k]]
        for a, b, qa, qb in column_rows(
            column, plates.points[column.nodes[0]], plates.shapes.get(load.surface), load
        ):
            turned = [np.concatenate([axes @ q[:3], axes @ q[3:]]) for q in (qa, qb)]
            out.append((k, a, b, turned[0], turned[1]))
    return out


def left_out_force(
    model: Model, mesh: Mesh, case: LoadCase, arrival: Arrival, only: set[str] | None
) -> Array:
    """Force (3,) of what a case puts on members that are not in the mesh, own weight included, and on slabs
    and walls that would be computed but are not in the chosen part `only`; N."""
    out = np.zeros(3)
    index = mesh.member_index
    for load in case.member_loads:
        if load.member not in index:
            out += member_force(model, load)
    if any(case.self_weight):
        out += np.array(case.self_weight) * sum(
            model.weight(m) for i, m in model.members.items() if i not in index
        )
    if only is not None:
        for held in arrival.held:
            surface = model.surfaces[held.surface]
            if held.surface not in only and surface.way in ("shell", "column"):
                out += held.force
    return out


def _stacked(rows: list[tuple[int, float, float, Array, Array]]) -> Rows:
    if not rows:
        return np.zeros(0, np.int64), np.zeros(0), np.zeros(0), np.zeros((0, 6)), np.zeros((0, 6))
    k, a, b, qa, qb = zip(*rows)
    return np.array(k, np.int64), np.array(a, float), np.array(b, float), np.array(qa), np.array(qb)


Rows = tuple[NDArray[np.int64], Array, Array, Array, Array]


def _rows_of(mesh: Mesh, first_axes: Array, arrival: Arrival, missed: Array) -> Rows:
    """Return what arrived on members, in member axes; what is on members that are not computed is added to
    `missed`."""
    index = mesh.member_index
    number = np.array([index.get(m, -1) for m in arrival.members], np.int64)
    member = number[arrival.member] if len(arrival.member) else np.zeros(0, np.int64)
    there = member >= 0
    missed += arrival.forces[~there].sum(axis=0)
    member = member[there]
    axes = first_axes[member]
    qa, qb = np.zeros((len(member), 6)), np.zeros((len(member), 6))
    qa[:, :3] = np.einsum("nij,nj->ni", axes, arrival.qa[there])
    qb[:, :3] = np.einsum("nij,nj->ni", axes, arrival.qb[there])
    return member, arrival.a[there], arrival.b[there], qa, qb


def _own_weight(mesh: Mesh, direction: Array) -> Rows:
    mass = mesh.mass.copy()
    if mesh.tapers is not None:
        mass[mesh.tapers.piece] = 0.0
    heavy = np.flatnonzero(mass > 0)
    a, b, mass = np.zeros(len(heavy)), mesh.length[heavy], mass[heavy]
    if mesh.tapers is not None:  # step by step
        t, steps = mesh.tapers, mesh.tapers.steps
        start = steps.length * np.tile(np.arange(STEPS), len(t.piece))
        heavy = np.concatenate([heavy, np.repeat(t.piece, STEPS)])
        a, b = np.concatenate([a, start]), np.concatenate([b, start + steps.length])
        mass = np.concatenate([mass, steps.mass])
    q = np.zeros((len(heavy), 6))
    q[:, :3] = np.einsum("pij,j->pi", mesh.axes[heavy], direction) * (mass * GRAVITY)[:, None]
    return heavy, a, b, q, q


def _on_pieces(mesh: Mesh, member: NDArray[np.int64], a: Array, b: Array, qa: Array, qb: Array) -> Rows:
    """Cut loads at the joints of their members."""
    # a point at an end that was measured in another way may lie a rounding beyond the member
    end = mesh.member_length[member]
    beyond = (a == b) & (a > end) & (a < end + 1e-6)
    a, b = np.where(beyond, end, a), np.where(beyond, end, b)
    count = np.bincount(mesh.member, minlength=len(mesh.member_ids))[member]
    load = np.repeat(np.arange(len(member)), count)
    step = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
    piece = mesh.first[member[load]] + step
    x0, x1 = mesh.x0[piece], mesh.x0[piece] + mesh.length[piece]
    last = step == count[load] - 1
    point = a[load] == b[load]
    low, high = np.maximum(a[load], x0), np.minimum(b[load], x1)
    # a concentrated load on a joint belongs to the piece that starts there
    keep = np.where(point, (a[load] >= x0) & ((a[load] < x1) | last), high > low)
    load, piece, low, high, x0 = load[keep], piece[keep], low[keep], high[keep], x0[keep]
    low = np.where(point[keep], a[load], low)
    high = np.where(point[keep], low, high)
    span = np.where(b[load] > a[load], b[load] - a[load], 1.0)

    def at(x: Array) -> Array:
        return qa[load] + (qb[load] - qa[load]) * ((x - a[load]) / span)[:, None]

    end = mesh.length[piece]
    lo = np.clip(low - x0, 0, end)
    hi = np.where(point[keep], lo, np.clip(high - x0, 0, end))
    return piece, lo, hi, at(low), np.where(point[keep][:, None], at(low), at(high))


def samples(load: Loading) -> tuple[NDArray[np.int64], NDArray[np.int64], Array, Array]:
    """Loads as weighted points that integrate them exactly against cubics: (row, piece, x, six values)."""
    point = np.flatnonzero(load.concentrated)
    spread = np.flatnonzero(~load.concentrated)
    a, b = load.a[spread, None], load.b[spread, None]
    x = (a + b) / 2 + (b - a) / 2 * GAUSS
    w = (b - a) / 2 * WEIGHT
    share = (x - a) / (b - a)
    q = load.qa[spread, None] * (1 - share)[..., None] + load.qb[spread, None] * share[..., None]
    q = q * w[..., None]
    row = np.concatenate([point, np.repeat(spread, len(GAUSS))])
    return (
        row,
        load.piece[row],
        np.concatenate([load.a[point], x.ravel()]),
        np.concatenate([load.qa[point], q.reshape(-1, 6)]),
    )


def end_loads(mesh: Mesh, load: Loading) -> Array:
    """Consistent end loads (P, 12) in member axes."""
    out = np.zeros((len(mesh.length), 12))
    _, piece, x, q = samples(load)
    for s in range(0, len(piece), 200_000):  # bounded memory: the shape functions take 72 numbers a sample
        part = slice(s, s + 200_000)
        force, moment = shape_functions(mesh, piece[part], x[part])
        f = np.einsum("ni,nij->nj", q[part, :3], force) + np.einsum("ni,nij->nj", q[part, 3:], moment)
        out += summed(piece[part], f, len(out))
    return out


def summed(row: NDArray[np.int64], values: Array, n: int) -> Array:
    """Sums (n, k) of the values (m, k) that belong to each row; a product with a sparse matrix, several times
    as quick as adding at indices."""
    m = len(row)
    pick = sparse.csc_matrix((np.ones(m), row, np.arange(m + 1)), shape=(n, m))
    return np.asarray(pick @ values)


def totals(mesh: Mesh, load: Loading, pieces: NDArray[np.bool_], nodes: NDArray[np.bool_]) -> Array:
    """Sum of the loads on the chosen pieces and nodes, six components about the origin, global."""
    _, piece, x, q = samples(load)
    keep = pieces[piece]
    piece, x, q = piece[keep], x[keep], q[keep]
    axes = mesh.axes[piece]
    force = np.einsum("nij,ni->nj", axes, q[:, :3])
    moment = np.einsum("nij,ni->nj", axes, q[:, 3:])
    at = mesh.xyz[mesh.ends[piece, 0]] + mesh.offset[piece, 0] + axes[:, 0] * x[:, None]
    total = np.zeros(6)
    total[:3] = force.sum(axis=0) + load.nodal[nodes, :3].sum(axis=0)
    total[3:] = (moment + np.cross(at, force)).sum(axis=0)
    total[3:] += (load.nodal[nodes, 3:] + np.cross(mesh.xyz[nodes], load.nodal[nodes, :3])).sum(axis=0)
    return total


def into_cut(
    load: Loading, piece: NDArray[np.int64], x: Array, after: NDArray[np.bool_], pieces: int
) -> Array:
    """Return what the loads between a piece's start and a cut at x put into it: (n, 6) as sum q, and
    moments about the cut.

    `after`: whether a concentrated load at x itself counts. Cuts must be sorted by piece.
    """
    out = np.zeros((len(x), 6))
    if not len(load.piece):
        return out
    count = np.bincount(piece, minlength=pieces)
    begin = np.cumsum(count) - count
    many = count[load.piece]
    row = np.repeat(np.arange(len(load.piece)), many)
    step = np.arange(many.sum()) - np.repeat(np.cumsum(many) - many, many)
    cut = begin[load.piece[row]] + step
    a, b = load.a[row], load.b[row]
    point = a == b
    xc = x[cut]
    reach = np.clip(xc, a, b) - a
    span = np.where(point, 1.0, b - a)
    slope = (load.qb[row] - load.qa[row]) / span[:, None]
    qa = load.qa[row]
    total = qa * reach[:, None] + slope * (reach**2 / 2)[:, None]
    # first moment about the cut: int (s - x) q(s) ds, with s = a + r
    first = qa * (reach**2 / 2)[:, None] + slope * (reach**3 / 3)[:, None] + (a - xc)[:, None] * total
    passed = (a < xc - 1e-12) | (after[cut] & (a <= xc + 1e-12))
    total = np.where(point[:, None], qa * passed[:, None], total)
    first = np.where(point[:, None], (a - xc)[:, None] * total, first)
    moment = total[:, 3:].copy()
    moment[:, 1] -= first[:, 2]  # (s - x) e_x x q = (s - x) (0, -qz, qy)
    moment[:, 2] += first[:, 1]
    np.add.at(out, cut, np.concatenate([total[:, :3], moment], axis=1))
    return out
