"""The stiffness of a mesh between its free degrees of freedom, and its solution for many right-hand sides at
once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from ...model import Model, Support
from ...model.geometry.vectors import Array
from ...progress import Progress, silent
from ..frame.elements import Condensed, condense, stiffness, to_ends
from ..frame.mesh import Mesh
from ..shells.assembly import global_stiffness, kinds
from . import mechanism
from .blocks import BlockSum
from .constraints import Constraints, constraints
from .diaphragms import Floor, floors_in_plane
from .factor import Factor, SingularError
from .node_supports import held_in_plan, node_supports, stands_fast

ROUNDING = 1e-10  # of the largest load; spread over all nodes it stays far below that of the whole
BALANCED = 1e-6  # of the largest load, which what is left over may have
RUNAWAY = 10.0  # times the structure's size; what moves farther is a mechanism
EXCITED = 1e-9  # share of a case's load that a motion without resistance may take by rounding


@dataclass(slots=True)
class System:
    """The free degrees of freedom of a mesh and the stiffness between them, in the supports' own axes.

    `full` (6N, 6N) is the stiffness with springs; `follow` (6N, 6N) carries what is free to what is tied to
    it, None where nothing is. `supports` by number of the node; `opening` are translations of nodes along
    joints of walls that follow another node and may open from it; `floors` move in their plane as one."""

    full: sparse.csr_matrix
    k: sparse.csc_matrix
    turn: sparse.csr_matrix | None
    free: NDArray[np.int64]
    held: NDArray[np.int64]
    springs: Array
    live: NDArray[np.bool_]
    supports: dict[int, Support]
    follow: sparse.csr_matrix | None
    opening: NDArray[np.int64]
    floors: list[Floor]

    def expand(self, x: Array) -> Array:
        """Movements (6N, …) of all nodes from those of the free degrees of freedom, in the supports' own
        axes."""
        out = np.zeros((self.full.shape[0], *x.shape[1:]))
        out[self.free] = x
        return out if self.follow is None else np.asarray(self.follow @ out)

    def gathered(self, f: Array) -> Array:
        """Forces (6N, …) at all nodes as they act on what is not tied: the reverse of the way movements
        go."""
        return f if self.follow is None else np.asarray(self.follow.T @ f)

    def to_global(self, u: Array) -> Array:
        return u if self.turn is None else np.asarray(self.turn @ u)


def assemble(
    model: Model, m: Mesh, floors: list[str] | None, progress: Progress = silent
) -> tuple[System, Condensed]:
    """The stiffness of a mesh in the supports' own axes, and the elements it was made of. `floors`: storeys
    with a rigid diaphragm beside the slabs that stiffen theirs; None where no floor is rigid in plan."""
    progress("Assembling", 0.1)
    condensed = condense(stiffness(m), m.released, m.spring)
    t = to_ends(m)
    k = np.matmul(np.swapaxes(t, 1, 2), np.matmul(condensed.k, t))
    n = 6 * len(m.node_ids)
    shells = [e for e, _, _ in kinds(m.plates)] if m.plates is not None else []
    total = BlockSum(len(m.node_ids), [m.ends, *shells])
    total.add(0, 0, np.arange(len(k)), k)
    live = np.zeros(len(m.node_ids), bool)
    live[m.ends.ravel()] = True
    if m.plates is not None:
        for kind, first, like, plate_k in global_stiffness(model, m.plates):
            total.add(1 + kind, first, like, plate_k)
        live[m.plates.quads.ravel()] = live[m.plates.triangles.ravel()] = True
    full = total.matrix()
    supports = node_supports(model, m.plates)
    turn = None
    springs = np.zeros(n)
    held = np.zeros(n, bool)
    turned: dict[int, Array] = {}
    for i, support in supports.items():
        own = np.array(support.stiffness)
        held[6 * i : 6 * i + 6] = np.isinf(own)
        springs[6 * i : 6 * i + 6] = np.where(np.isinf(own), 0.0, own)
        if support.axes is not None:
            turned[i] = np.array(support.axes)
    if turned:
        diagonal = [np.eye(3)] * (2 * len(m.node_ids))
        for i, axes in turned.items():
            diagonal[2 * i] = diagonal[2 * i + 1] = axes.T
        turn = sparse.block_diag(diagonal, format="csr")
        full = (turn.T @ full @ turn).tocsr()
    # the sum also drops the zeros that blocks hold, which the factors need not carry
    full = (full + sparse.diags(springs)).tocsr()
    bound, rigid = _bound(model, m, supports, live, floors)
    slaves = np.zeros(n, bool) if bound is None else bound.slaves
    follow = None
    if bound is not None:
        follow = bound.t if turn is None else (turn.T @ bound.t @ turn).tocsr()
    joints = [] if m.plates is None else [n for _, n, _ in m.plates.standing]
    opening = (6 * np.unique(np.array(joints, np.int64))[:, None] + np.arange(3)).ravel()
    free = np.flatnonzero(~held & np.repeat(live, 6) & ~slaves)
    if follow is None:
        k_free = full[free][:, free].tocsc()
    else:
        some = follow[:, free].tocsr()
        k_free = (some.T @ full @ some).tocsc()
    return System(
        full,
        k_free,
        turn,
        free,
        np.flatnonzero(held & np.repeat(live, 6)),
        springs,
        live,
        supports,
        follow,
        opening,
        rigid,
    ), condensed


def _bound(
    model: Model, m: Mesh, supports: dict[int, Support], live: NDArray[np.bool_], floors: list[str] | None
) -> tuple[Constraints | None, list[Floor]]:
    """Ties between nodes that take part, and rigid diaphragms, with these; what a live node is tied to
    becomes live with it."""
    ties = []
    waiting = list(m.plates.ties) if m.plates is not None else []
    grown = True
    while grown:
        grown, left = False, []
        for tie in waiting:
            if live[tie.slave] or live[list(tie.masters)].any():
                live[tie.slave] = live[list(tie.masters)] = True
                ties.append(tie)
                grown = True
            else:
                left.append(tie)
        waiting = left
    supported = stands_fast(supports, len(m.node_ids))
    corners = (
        [c for c in m.plates.corners if live[c.first] and live[c.second]] if m.plates is not None else []
    )
    held = held_in_plan(supports, len(m.node_ids))
    rigid = [] if floors is None else floors_in_plane(model, m.node_ids, m.plates, m.xyz, live, held, floors)
    return constraints(m.xyz, ties, supported, rigid, corners), rigid


@dataclass(slots=True)
class Solution:
    """Displacements `u` (6N, C) in the supports' own axes; `motions` without resistance as (N, 6) with
    whether local; `excited` (C, motions), which case sets which going; `more`: there are further motions, and
    nothing was computed. `factor` of the whole stiffness, where nothing had to be held to have one; to be
    closed."""

    u: Array
    motions: list[tuple[Array, bool]]
    excited: NDArray[np.bool_]
    more: bool = False
    factor: Factor | None = None


def solve(
    m: Mesh,
    system: System,
    right: Array,
    solver: str | None,
    progress: Progress = silent,
    known: Factor | None = None,
) -> Solution:
    """The movements of a system under the forces `right` (6N, C). `known`: a factorisation of its stiffness,
    which is not trusted where it gives no balance."""
    free = system.free
    k = system.k
    f = system.gathered(right)[free]
    u = np.zeros_like(right)
    if not len(free):
        return Solution(u, [], np.zeros((right.shape[1], 0), bool))
    diagonal = k.diagonal()
    empty = diagonal <= 1e-11 * max(float(diagonal.max()), 1e-300)
    weak = mechanism.local_motions(k, free, len(m.node_ids)) if _any_release(m) or empty.any() else []
    vectors = []
    if weak:
        stiff = float(np.median(diagonal[diagonal > 0])) if (diagonal > 0).any() else 1.0
        position = np.full(right.shape[0], -1)
        position[free] = np.arange(len(free))
        extra = []
        for node, vector in weak:
            at = position[6 * node : 6 * node + 6]
            good = (at >= 0) & (vector != 0)
            own = np.zeros(len(free))
            own[at[good]] = vector[good]
            vectors.append((system.expand(own), True))
            r, c = np.meshgrid(at[good], at[good], indexing="ij")
            extra.append((np.outer(vector[good], vector[good]).ravel() * stiff, r.ravel(), c.ravel()))
        data, r, c = (np.concatenate([e[i] for e in extra]) for i in range(3))
        k = (k + sparse.coo_matrix((data, (r, c)), shape=k.shape)).tocsc()
    factor: Factor | None = known if not weak else None
    x, singular = _tried(factor, k, f) if factor is not None else (np.zeros_like(f), True)
    if singular:
        try:
            factor = Factor(k, solver)
            x, singular = _tried(factor, k, f)
        except SingularError:
            singular, factor = True, None
    more = False
    if singular:
        progress("Looking for what moves", 0.5)
        null = mechanism.global_motions(k)
        more = null.shape[1] >= mechanism.MOST
        if null.shape[1] == 0 or more:
            # cannot be told apart from rounding, or too many to hold one by one: nothing is computed
            kept = mechanism.separate(null) if null.shape[1] else null
            return _nothing(system, u, vectors + [(system.expand(v), False) for v in kept.T])
        pin = mechanism.pins(null)
        null = mechanism.separate(null)
        vectors += [(system.expand(v), False) for v in null.T]
        keep = np.setdiff1d(np.arange(len(free)), pin)
        k_pinned = k[keep][:, keep].tocsc()
        if factor is not None:
            factor.close()
        x = np.zeros_like(f)
        try:
            factor = Factor(k_pinned, solver)
            x[keep] = _refined(factor, k_pinned, f[keep], factor.solve(f[keep]))
        except SingularError:  # more of it moves than doubles can tell from rounding
            return _nothing(system, u, vectors)
    else:
        assert factor is not None
    u = system.expand(x)
    runaway = [] if vectors else _runaways(m, system, u)
    vectors += [(u[:, c] / np.abs(u[:, c]).max(), False) for c in runaway]
    if vectors:  # some of its motions are held, so it is not the structure's own
        factor.close()
    excited = np.zeros((right.shape[1], len(vectors)), bool)
    for j, (v, _) in enumerate(vectors):
        # work of the load on the motion against what its parts could do, so that rounding is told from load
        work = np.abs(v @ right)
        most = np.abs(v) @ np.abs(right)
        size = np.abs(right).max(axis=0)
        if runaway:
            excited[runaway, j] = True
            continue
        excited[:, j] = (work > EXCITED * np.maximum(most, 1e-3 * size * np.abs(v).max())) & (size > 0)
    motions = [(_shape(v, system), local) for v, local in vectors]
    return Solution(u, motions, excited, more, None if vectors else factor)


def _tried(factor: Factor, k: sparse.csc_matrix, f: Array) -> tuple[Array, bool]:
    """The solution, and whether there is none as far as doubles can tell."""
    probe = mechanism.probe(k)
    try:
        x = factor.solve(np.hstack([f, probe]))
    except SingularError:
        return np.zeros_like(f), True
    singular = mechanism.suspicious(k, x[:, f.shape[1] :])
    x = x[:, : f.shape[1]]
    if not singular:
        x = _refined(factor, k, f, x)
        # what does not balance is no solution, whatever the factors say
        singular = bool(np.abs(f - k @ x).max(initial=0.0) > BALANCED * np.abs(f).max(initial=0.0))
    return x, singular


def _runaways(m: Mesh, system: System, u: Array) -> list[int]:
    """Cases in which something moves farther than the structure is large many times over: nearly without
    resistance, whatever the equations give."""
    size = float(np.ptp(m.xyz, axis=0).max(initial=0.0))
    moved = np.abs(system.to_global(u)).reshape(len(m.xyz), 6, u.shape[1])[:, :3]
    far = moved.max(axis=(0, 1), initial=0.0)
    return np.flatnonzero(far > RUNAWAY * max(size, 1e-3)).tolist()


def _nothing(system: System, u: Array, vectors: list[tuple[Array, bool]]) -> Solution:
    """Return what is said of a system that cannot be solved: no movements in any case, and the motions that
    were found."""
    shapes = [(_shape(v, system), local) for v, local in vectors]
    return Solution(u, shapes, np.ones((u.shape[1], len(shapes) or 1), bool), True)


def _refined(factor: Factor, k: sparse.csc_matrix, f: Array, x: Array) -> Array:
    """The solution x with a step of iterative refinement where equilibrium does not yet hold to rounding."""
    rest = f - k @ x
    if np.abs(rest).max(initial=0.0) <= ROUNDING * np.abs(f).max(initial=0.0):
        return x
    return x + factor.solve(rest)


def _any_release(m: Mesh) -> bool:
    return bool(m.released.any())


def _shape(v: Array, system: System) -> Array:
    shape = system.to_global(v).reshape(-1, 6)
    return shape / np.abs(shape).max()
