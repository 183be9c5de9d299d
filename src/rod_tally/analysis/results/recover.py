"""Results recovered from a solution: displacements, forces along members, reactions, equilibrium."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...model import Model
from ...model.geometry.vectors import Array
from ..frame.elements import Condensed, to_ends
from ..frame.loading import Loading, into_cut, totals
from ..frame.mesh import Mesh
from ..solve.system import System
from .results import CaseEquilibrium, FoundMotion, Results


def done_in(
    m: Mesh,
    live: NDArray[np.bool_],
    part: NDArray[np.int64],
    motions: list[tuple[Array, bool]],
    excited: NDArray[np.bool_],
    cases: int,
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """(C, M) and (C, N): which members and nodes each case is computed in. A motion that a case excites takes
    its whole part out."""
    nodes = np.broadcast_to(live, (cases, len(live))).copy()
    if excited.shape[1] > len(motions):  # nothing could be told apart
        nodes[:] = False
    for j, (shape, _) in enumerate(motions):
        moving = np.unique(part[np.abs(shape).max(axis=1) > 1e-6])
        nodes[excited[:, j]] &= ~np.isin(part, moving)
    first = m.ends[m.first, 0] if len(m.first) else np.zeros(0, np.int64)
    return nodes[:, first], nodes


def results_of(
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
    node_done: NDArray[np.bool_],
    right: Array,
    moved: Array,
    extra: Array | None = None,
    more_ends: Array | None = None,
) -> Results:
    """Results from displacements u (6N, C) in the supports' own axes. `done` (C, M) and `node_done` (C, N):
    what each case computes; `fixed` (C, P, 12) are condensed end loads, `right` (6N, C) is what the supports
    balance, `moved` (6N, C) how they move; `extra` (6N, C) what of `right` loads come to in the
    displaced shape, which is in balance but for its moment, and `more_ends` (C, P, 12) what that is at the
    ends of pieces."""
    t = to_ends(m)
    dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)
    piece, member, x, after = _stations(m, loads, stations)
    cases, n = len(names), len(m.node_ids)
    supports = sorted(i for i in system.supports if system.live[i])
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
        node_done,
        done,
        plates=m.plates,
    )
    asked = system.gathered(system.full @ u - right)
    springs = np.flatnonzero(system.springs)
    free = np.ones(len(asked), bool)
    free[system.held] = False
    asked[free] = 0.0  # what is left in free directions is rounding; it stays out, so the residual shows it
    asked[springs] -= system.springs[springs, None] * (u - moved)[springs]
    asked = system.to_global(asked)
    for c in range(cases):
        global_u = system.to_global(u[:, c])
        out.displacement[c] = global_u.reshape(-1, 6) * node_done[c][:, None]
        local = np.einsum("pij,pj->pi", t, global_u[dofs])
        end_force = np.einsum("pij,pj->pi", condensed.k, local) - fixed[c]
        if more_ends is not None:
            end_force = end_force + more_ends[c]
        cut = into_cut(loads[c], piece, x, after, len(m.length))
        start = end_force[piece, :6]
        f = np.empty((len(piece), 6))
        f[:, :3] = -start[:, :3] - cut[:, :3]
        f[:, 3:] = -start[:, 3:] - cut[:, 3:]
        f[:, 4] -= x * start[:, 2]  # x e_x cross F_start
        f[:, 5] += x * start[:, 1]
        out.force[c] = _clean(f, end_force, m, piece) * done[c][member][:, None]
        reaction = asked[:, c].reshape(-1, 6)[supports] * node_done[c][supports][:, None]
        out.reaction[c] = reaction
        applied = totals(m, loads[c], done[c][m.member], node_done[c])
        if extra is not None:
            more = system.to_global(extra[:, c]).reshape(-1, 6)
            applied[:3] += more[:, :3].sum(axis=0)
            applied[3:] += (more[:, 3:] + np.cross(m.xyz, more[:, :3])).sum(axis=0)
        missed = totals(m, loads[c], ~done[c][m.member], system.live & ~node_done[c])[:3] + loads[c].missed
        missed = missed + (loads[c].nodal[~system.live, :3]).sum(axis=0)
        out.applied[names[c]] = applied[:3]
        out.lost[names[c]] = missed
        if not node_done[c].any():
            continue
        given = np.zeros(6)
        given[:3] = reaction[:, :3].sum(axis=0)
        given[3:] = (reaction[:, 3:] + np.cross(m.xyz[supports], reaction[:, :3])).sum(axis=0)
        residual = _residual(
            applied, given, m.xyz[node_done[c]], float(np.abs(reaction[:, :3]).max(initial=0.0))
        )
        for total in (applied, given):
            total[3:] += np.cross(model.origin, total[:3])
        out.equilibrium.append(CaseEquilibrium(names[c], applied, given, residual))
    return out


def _clean(f: Array, end_force: Array, m: Mesh, piece: NDArray[np.int64]) -> Array:
    """Rounding that is nothing against the piece's own end forces becomes zero, so that a released end shows
    none."""
    size = np.abs(end_force)
    force = np.maximum(size[:, :3].max(axis=1, initial=0), size[:, 6:9].max(axis=1, initial=0))
    moment = np.maximum(size[:, 3:6].max(axis=1, initial=0), size[:, 9:].max(axis=1, initial=0))
    moment = np.maximum(moment, force * m.length)
    limit = 1e-12 * np.concatenate(
        [np.repeat(force[:, None], 3, 1), np.repeat(moment[:, None], 3, 1)], axis=1
    )
    return np.where(np.abs(f) <= limit[piece], 0.0, f)


def _residual(applied: Array, given: Array, xyz: Array, reaction: float) -> float:
    """Largest component of applied + reaction over the largest applied, forces and moments apart.

    A case without force in it (moments only) or without moment about the origin is measured against what the
    other kind makes of the building's size, else rounding would be divided by rounding. One that only imposes
    movements and temperatures is measured against its largest `reaction` (N)."""
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


def described(m: Mesh, shape: Array, local: bool) -> FoundMotion:
    size = np.abs(shape).max(axis=1)
    nodes = np.argsort(-size, kind="stable")
    nodes = nodes[size[nodes] > 0.05]
    moving = np.zeros(len(m.node_ids), bool)
    moving[nodes] = True
    members = np.unique(m.member[moving[m.ends].all(axis=1) if not local else moving[m.ends].any(axis=1)])
    return FoundMotion(
        [m.node_ids[i] for i in nodes], shape[nodes], local, [m.member_ids[i] for i in members]
    )
