"""A run: the parts that can be computed, all chosen cases in one factorisation, forces from equilibrium."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from ..loads import Distribution
from ..model import Model
from ..model.geometry import Array
from ..model.settings import RunSettings
from . import mechanism
from .elements import Condensed, condense, condense_loads, stiffness, to_ends
from .factor import Factor, SingularError
from .imposed import imposed_movements, thermal_ends
from .loading import Loading, end_loads, into_cut, loading, totals
from .mesh import Mesh, mesh
from .results import CaseEquilibrium, FoundMotion, Results

Progress = Callable[[str, float], None]
ROUNDING = 1e-12  # of the largest load
EXCITED = 1e-9  # share of a case's load that a motion without resistance may take by rounding


class AnalysisError(Exception):
    """A run that was asked for something that does not exist; the message names it."""


@dataclass(slots=True)
class System:
    """The free degrees of freedom of a mesh and the stiffness between them, in the supports' own axes."""

    full: sparse.csr_matrix
    k: sparse.csc_matrix
    turn: sparse.csr_matrix | None
    free: NDArray[np.int64]
    held: NDArray[np.int64]
    springs: Array
    live: NDArray[np.bool_]


def _silent(_text: str, _share: float) -> None:
    pass


def run(
    model: Model,
    settings: RunSettings,
    progress: Progress = _silent,
    solver: str | None = None,
    distribution: Distribution | None = None,
    only: set[str] | None = None,
) -> Results:
    """Linear static results of every chosen case, of every part of the model that can be computed.

    A member without usable section or material, and a part that touches no support, is left out and named in
    `left_out`. A case that sets a motion without resistance going is not computed in the part that moves. Raises
    AnalysisError for a case that is not in the model. `progress` may raise to cancel; nothing is left behind. `only`: the
    members that take part, a group or a stage of construction; None for all.
    """
    names = list(model.cases) if settings.cases is None else list(settings.cases)
    for name in names:
        if name not in model.cases:
            raise AnalysisError(f"there is no load case {name!r}; the model has {', '.join(model.cases) or 'none'}")
    progress("Cutting members into pieces", 0.0)
    members, part_of, left_out = _parts(model, only)
    m = mesh(model, members, settings.shear_flexible)
    system, condensed = assemble(model, m, progress)
    loads = []
    distribution = distribution or Distribution(model)
    fixed = np.zeros((len(names), len(m.length), 12))
    for c, name in enumerate(names):
        progress(f"Loads of {name}", 0.2 + 0.2 * c / max(len(names), 1))
        case = model.cases[name]
        loads.append(loading(m, case, distribution.case(name)))
        fixed[c] = end_loads(m, loads[c]) + thermal_ends(model, m, case)
    condensed_loads = condense_loads(fixed, condensed.steps)
    right = _right_hand_side(m, loads, condensed_loads, system)
    progress("Factorising", 0.4)
    moved = imposed_movements(model, m, [model.cases[n] for n in names])
    right = right + moved * system.springs[:, None]
    held = np.zeros(len(right), bool)
    held[system.held] = True
    moved[~held] = 0.0
    u, motions, excited, more = solve(m, system, right - system.full @ moved, solver, progress)
    u += moved
    progress("Forces along members", 0.8)
    part = np.array([part_of[i] for i in members], np.int64)
    done = _done(m, part, motions, excited, len(names))
    results = _results(model, m, system, names, u, condensed, condensed_loads, loads, settings.stations, done)
    results.left_out = left_out
    results.more_motions = more
    results.motions = [_described(m, shape, local) for shape, local in motions]
    results.loose = {m.member_ids[m.member[p]]: dofs for p, dofs in condensed.loose.items()}
    progress("Done", 1.0)
    return results


def _parts(model: Model, only: set[str] | None) -> tuple[list[str], dict[str, int], dict[str, str]]:
    """Members that can be computed, the connected part each is in, and why others are left out."""
    left_out = {}
    usable = {}
    for ident, member in model.members.items():
        if only is not None and ident not in only:
            left_out[ident] = "it is not in the chosen part"
        elif model.usable(member):
            usable[ident] = member
        else:
            left_out[ident] = "its section or material is not known"
    reduced = Model(nodes=model.nodes, members=usable)
    part_of: dict[str, int] = {}
    for p, group in enumerate(reduced.components()):
        held = any(
            model.nodes[n].support.any
            for i in group
            for n in (usable[i].start, usable[i].end, *(j.node for j in usable[i].joints))
        )
        for ident in group:
            if held:
                part_of[ident] = p
            else:
                left_out[ident] = "it is joined to no support"
    return [i for i in usable if i in part_of], part_of, left_out


def assemble(model: Model, m: Mesh, progress: Progress = _silent) -> tuple[System, Condensed]:
    """The stiffness of a mesh in the supports' own axes, and the elements it was made of."""
    progress("Assembling", 0.1)
    condensed = condense(stiffness(m), m.released, m.spring)
    t = to_ends(m)
    k = np.matmul(np.swapaxes(t, 1, 2), np.matmul(condensed.k, t))
    dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12).astype(np.int32)
    n = 6 * len(m.node_ids)
    rows = np.broadcast_to(dofs[:, :, None], k.shape).ravel()
    cols = np.broadcast_to(dofs[:, None, :], k.shape).ravel()
    full = sparse.coo_matrix((k.ravel(), (rows, cols)), shape=(n, n)).tocsr()
    turn = None
    springs = np.zeros(n)
    held = np.zeros(n, bool)
    turned: dict[int, Array] = {}
    for i, ident in enumerate(m.node_ids):
        support = model.nodes[ident].support
        if not support.any:
            continue
        for d, letter in enumerate(support.letters):
            held[6 * i + d] = letter == "X"
            if letter == "S":
                springs[6 * i + d] = support.springs[d]
        if support.axes is not None:
            turned[i] = np.array(support.axes)
    if turned:
        diagonal = [np.eye(3)] * (2 * len(m.node_ids))
        for i, axes in turned.items():
            diagonal[2 * i] = diagonal[2 * i + 1] = axes.T
        turn = sparse.block_diag(diagonal, format="csr")
        full = (turn.T @ full @ turn).tocsr()
    full = (full + sparse.diags(springs)).tocsr()
    live = np.zeros(len(m.node_ids), bool)
    live[m.ends.ravel()] = True
    free = np.flatnonzero(~held & np.repeat(live, 6))
    return System(
        full, full[free][:, free].tocsc(), turn, free, np.flatnonzero(held & np.repeat(live, 6)), springs, live
    ), condensed


def _right_hand_side(m: Mesh, loads: list[Loading], fixed: Array, system: System) -> Array:
    """(n, C) in the supports' own axes."""
    t = to_ends(m)
    n = 6 * len(m.node_ids)
    out = np.zeros((n, len(loads)))
    dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)
    for c, load in enumerate(loads):
        f = np.einsum("pji,pj->pi", t, fixed[c])
        out[:, c] = np.bincount(dofs.ravel(), f.ravel(), minlength=n) if len(dofs) else 0.0
        out[:, c] += (load.nodal * system.live[:, None]).ravel()
    return system.turn.T @ out if system.turn is not None else out


def solve(
    m: Mesh, system: System, right: Array, solver: str | None, progress: Progress = _silent
) -> tuple[Array, list[tuple[Array, bool]], Array, bool]:
    """Displacements (n, C), motions without resistance as (N, 6) with whether local, and which case excites which."""
    free = system.free
    k = system.k
    f = right[free]
    u = np.zeros_like(right)
    if not len(free):
        return u, [], np.zeros((right.shape[1], 0), bool), False
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
            full_vector = np.zeros(right.shape[0])
            full_vector[6 * node : 6 * node + 6] = vector
            vectors.append((full_vector, True))
            at = position[6 * node : 6 * node + 6]
            good = (at >= 0) & (vector != 0)
            r, c = np.meshgrid(at[good], at[good], indexing="ij")
            extra.append((np.outer(vector[good], vector[good]).ravel() * stiff, r.ravel(), c.ravel()))
        data, r, c = (np.concatenate([e[i] for e in extra]) for i in range(3))
        k = (k + sparse.coo_matrix((data, (r, c)), shape=k.shape)).tocsc()
    try:
        factor = Factor(k, solver)
        probe = mechanism.probe(k)
        x = factor.solve(np.hstack([f, probe]))
        singular = mechanism.suspicious(k, x[:, f.shape[1] :])
        x = x[:, : f.shape[1]]
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
            vectors += [(_expand(v, free, len(right)), False) for v in kept.T]
            shapes = [(_shape(v, system), local) for v, local in vectors]
            return u, shapes, np.ones((right.shape[1], len(shapes) or 1), bool), True
        pin = mechanism.pins(null)
        null = mechanism.separate(null)
        vectors += [(_expand(v, free, len(right)), False) for v in null.T]
        keep = np.setdiff1d(np.arange(len(free)), pin)
        k_pinned = k[keep][:, keep].tocsc()
        if factor is not None:
            factor.close()
        factor = Factor(k_pinned, solver)
        x = np.zeros_like(f)
        x[keep] = _refined(factor, k_pinned, f[keep], factor.solve(f[keep]))
    else:
        assert factor is not None
        x = _refined(factor, k, f, x)
    factor.close()
    u[free] = x
    excited = np.zeros((right.shape[1], len(vectors)), bool)
    for j, (v, _) in enumerate(vectors):
        # work of the load on the motion against what its parts could do, so that rounding is told from load
        work = np.abs(v @ right)
        most = np.abs(v) @ np.abs(right)
        size = np.abs(right).max(axis=0)
        excited[:, j] = (work > EXCITED * np.maximum(most, 1e-3 * size * np.abs(v).max())) & (size > 0)
    return u, [(_shape(v, system), local) for v, local in vectors], excited, more


def _refined(factor: Factor, k: sparse.csc_matrix, f: Array, x: Array) -> Array:
    """The solution x with a step of iterative refinement where equilibrium does not yet hold to rounding."""
    rest = f - k @ x
    if np.abs(rest).max(initial=0.0) <= ROUNDING * np.abs(f).max(initial=0.0):
        return x
    return x + factor.solve(rest)


def _any_release(m: Mesh) -> bool:
    return bool(m.released.any())


def _expand(v: Array, free: NDArray[np.int64], n: int) -> Array:
    out = np.zeros(n)
    out[free] = v
    return out


def _shape(v: Array, system: System) -> Array:
    v = system.turn @ v if system.turn is not None else v
    shape = v.reshape(-1, 6)
    return shape / np.abs(shape).max()


def _done(
    m: Mesh, part: NDArray[np.int64], motions: list[tuple[Array, bool]], excited: Array, cases: int
) -> NDArray[np.bool_]:
    """(C, M): which members each case is computed in. A motion that a case excites takes its whole part out."""
    done = np.ones((cases, len(m.member_ids)), bool)
    if excited.shape[1] > len(motions):  # nothing could be told apart
        done[:] = False
        return done
    part_of_node = np.full(len(m.node_ids), -1)
    part_of_node[m.ends] = part[m.member][:, None]
    for j, (shape, _) in enumerate(motions):
        moving = np.unique(part_of_node[np.abs(shape).max(axis=1) > 1e-6])
        for c in np.flatnonzero(excited[:, j]):
            done[c, np.isin(part, moving)] = False
    return done


def _results(
    model: Model,
    m: Mesh,
    system: System,
    names: list[str],
    u: Array,
    condensed: Condensed,
    fixed: Array,
    loads: list[Loading],
    stations: int,
    done: NDArray[np.bool_],
) -> Results:
    t = to_ends(m)
    dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)
    piece, member, x, after = _stations(m, loads, stations)
    cases, n = len(names), len(m.node_ids)
    supports = [i for i, ident in enumerate(m.node_ids) if model.nodes[ident].support.any and system.live[i]]
    out = Results(
        names,
        m.node_ids,
        m.member_ids,
        m.xyz + model.origin,
        np.zeros((cases, n, 6)),
        [m.node_ids[i] for i in supports],
        np.zeros((cases, len(supports), 6)),
        member,
        m.x0[piece] + x,
        np.zeros((cases, len(piece), 6)),
        np.zeros((cases, n), bool),
        done,
    )
    turn = system.turn
    for c in range(cases):
        node_done = np.zeros(n, bool)
        node_done[m.ends[done[c][m.member]]] = True
        out.node_done[c] = node_done
        uc = u[:, c]
        global_u = turn @ uc if turn is not None else uc
        out.displacement[c] = global_u.reshape(-1, 6) * node_done[:, None]
        local = np.einsum("pij,pj->pi", t, global_u[dofs])
        end_force = np.einsum("pij,pj->pi", condensed.k, local) - fixed[c]
        cut = into_cut(loads[c], piece, x, after, len(m.length))
        start = end_force[piece, :6]
        f = np.empty((len(piece), 6))
        f[:, :3] = -start[:, :3] - cut[:, :3]
        f[:, 3:] = -start[:, 3:] - cut[:, 3:]
        f[:, 4] -= x * start[:, 2]  # x e_x cross F_start
        f[:, 5] += x * start[:, 1]
        out.force[c] = _clean(f, end_force, m, piece) * done[c][member][:, None]
        # reactions from what the pieces and nodal loads ask of each supported node
        from_pieces = np.bincount(dofs.ravel(), np.einsum("pji,pj->pi", t, end_force).ravel(), minlength=6 * n)
        asked = from_pieces.reshape(-1, 6).astype(float) - loads[c].nodal * system.live[:, None]
        reaction = _held_only(asked, model, m, supports) * node_done[supports][:, None]
        out.reaction[c] = reaction
        applied = totals(m, loads[c], done[c][m.member], node_done)
        missed = totals(m, loads[c], ~done[c][m.member], system.live & ~node_done)[:3] + loads[c].missed
        missed = missed + (loads[c].nodal[~system.live, :3]).sum(axis=0)
        out.applied[names[c]] = applied[:3]
        out.lost[names[c]] = missed
        if not done[c].any():
            continue
        given = np.zeros(6)
        given[:3] = reaction[:, :3].sum(axis=0)
        given[3:] = (reaction[:, 3:] + np.cross(m.xyz[supports], reaction[:, :3])).sum(axis=0)
        residual = _residual(applied, given, m.xyz[node_done], float(np.abs(reaction[:, :3]).max(initial=0.0)))
        for total in (applied, given):
            total[3:] += np.cross(model.origin, total[:3])
        out.equilibrium.append(CaseEquilibrium(names[c], applied, given, residual))
    return out


def _clean(f: Array, end_force: Array, m: Mesh, piece: NDArray[np.int64]) -> Array:
    """Rounding that is nothing against the piece's own end forces becomes zero, so that a released end shows none."""
    size = np.abs(end_force)
    force = np.maximum(size[:, :3].max(axis=1, initial=0), size[:, 6:9].max(axis=1, initial=0))
    moment = np.maximum(size[:, 3:6].max(axis=1, initial=0), size[:, 9:].max(axis=1, initial=0))
    moment = np.maximum(moment, force * m.length)
    limit = 1e-12 * np.concatenate([np.repeat(force[:, None], 3, 1), np.repeat(moment[:, None], 3, 1)], axis=1)
    return np.where(np.abs(f) <= limit[piece], 0.0, f)


def _held_only(asked: Array, model: Model, m: Mesh, supports: list[int]) -> Array:
    """Reactions (S, 6): what is asked of a supported node, in its held and sprung directions only.

    What is left in free directions is rounding; it stays out, so the residual shows it.
    """
    out = asked[supports].copy()
    for row, i in enumerate(supports):
        support = model.nodes[m.node_ids[i]].support
        mask = np.array([letter != "F" for letter in support.letters])
        if support.axes is not None:
            axes = np.array(support.axes)
            local = np.concatenate([axes @ out[row, :3], axes @ out[row, 3:]]) * mask
            out[row] = np.concatenate([axes.T @ local[:3], axes.T @ local[3:]])
        else:
            out[row] *= mask
    return out


def _residual(applied: Array, given: Array, xyz: Array, reaction: float) -> float:
    """Largest component of applied + reaction over the largest applied, forces and moments apart.

    A case without force in it (moments only) or without moment about the origin is measured against what the other
    kind makes of the building's size, else rounding would be divided by rounding. One that only imposes movements and
    temperatures is measured against its largest `reaction` (N).
    """
    force, moment = np.abs(applied[:3]).max(), np.abs(applied[3:]).max()
    size = max(float(np.abs(xyz).max(initial=0.0)), 1.0)
    force = max(force, moment / size * 1e-3)
    moment = max(moment, force * size * 1e-3)
    both = np.abs(applied + given)
    parts = [both[:3].max() / force if force > 0 else 0.0, both[3:].max() / moment if moment > 0 else 0.0]
    if force == 0 and moment == 0:
        return float(max(both[:3].max(), both[3:].max() / size) / reaction) if reaction > 1e-6 else 0.0
    return float(max(parts))


def _stations(
    m: Mesh, loads: list[Loading], count: int
) -> tuple[NDArray[np.int64], NDArray[np.int64], Array, NDArray[np.bool_]]:
    """Piece, member, distance from the piece's start, and side of every station, sorted along each member.

    Equal spacing along each member, both sides of every joint and of every concentrated load.
    """
    grid = np.linspace(0, 1, count)
    p = len(m.length)
    share0 = m.x0 / m.member_length[m.member] if p else np.zeros(0)
    share1 = (m.x0 + m.length) / m.member_length[m.member] if p else np.zeros(0)
    inside = (grid > share0[:, None] + 1e-9) & (grid < share1[:, None] - 1e-9)
    piece_i, grid_i = np.nonzero(inside)
    pieces = [piece_i, np.arange(p), np.arange(p)]
    xs = [grid[grid_i] * m.member_length[m.member[piece_i]] - m.x0[piece_i], np.zeros(p), m.length]
    after = [np.zeros(len(piece_i), bool), np.ones(p, bool), np.zeros(p, bool)]
    points: set[tuple[int, float]] = set()
    for load in loads:
        for k in np.flatnonzero(load.concentrated):
            on, a = int(load.piece[k]), round(float(load.a[k]), 9)
            if 1e-9 < a < m.length[on] - 1e-9:
                points.add((on, a))
    if points:
        at = np.array([q[0] for q in sorted(points)])
        where = np.array([q[1] for q in sorted(points)])
        pieces += [at, at]
        xs += [where, where]
        after += [np.zeros(len(at), bool), np.ones(len(at), bool)]
    piece = np.concatenate(pieces).astype(np.int64)
    x = np.concatenate(xs)
    side = np.concatenate(after)
    order = np.lexsort((side, x, piece))
    # the start station carries side True but comes first in its piece all the same
    return piece[order], m.member[piece[order]], x[order], side[order]


def _described(m: Mesh, shape: Array, local: bool) -> FoundMotion:
    size = np.abs(shape).max(axis=1)
    nodes = np.argsort(-size, kind="stable")
    nodes = nodes[size[nodes] > 0.05]
    moving = np.zeros(len(m.node_ids), bool)
    moving[nodes] = True
    members = np.unique(m.member[moving[m.ends].all(axis=1) if not local else moving[m.ends].any(axis=1)])
    return FoundMotion([m.node_ids[i] for i in nodes], shape[nodes], local, [m.member_ids[i] for i in members])
