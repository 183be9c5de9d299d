"""Rigid ties, links and diaphragms as exact constraints: degrees of freedom that follow others."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from ...meshing.mesh_data import Corner, Tie
from ...model.geometry.vectors import Array
from .diaphragms import IN_PLANE, Floor

NO_ARM = 1e-9  # m
DEEPEST = 30  # ties that may hang on ties


@dataclass(slots=True)
class Constraints:
    """Every degree of freedom from those that are left: `t` (6N, 6N) with empty columns for the ones in
    `slaves`."""

    t: sparse.csr_matrix
    slaves: NDArray[np.bool_]


def constraints(
    xyz: Array,
    ties: Iterable[Tie],
    supported: NDArray[np.bool_],
    floors: Sequence[Floor],
    corners: Sequence[Corner] = (),
) -> Constraints | None:
    """None where there are none. `supported` (N,) nodes stay what others follow: a tie to one is turned
    round, and left out where both ends stand on supports. `floors`: rigid diaphragms, whose nodes move
    in their plane as one. `corners`: where the arms of two nodes meet; none where both stand on supports."""
    kept = _ordered(list(ties), supported)
    n = 6 * len(xyz)
    rows: list[NDArray[np.int64]] = []
    cols: list[NDArray[np.int64]] = []
    values: list[Array] = []
    slaves = np.zeros(n, bool)
    for tie in kept:
        place = sum(w * xyz[m] for m, w in zip(tie.masters, tie.weights))
        r = xyz[tie.slave] - place
        # u = sum w (u_k + theta_k x r)
        block = np.eye(6)
        block[0, 4], block[0, 5] = r[2], -r[1]
        block[1, 3], block[1, 5] = -r[2], r[0]
        block[2, 3], block[2, 4] = r[1], -r[0]
        own = np.arange(6 * tie.slave, 6 * tie.slave + 6)
        slaves[own] = True
        if tie.hinge is not None:
            block[3:, 3:], turns = _hinged(np.array(tie.hinge))
            turning = int(np.argmax(np.abs(tie.hinge)))
            slaves[own[3 + turning]] = False
            with_it = np.flatnonzero(np.arange(3) != turning)
            rows.append(own[3 + with_it])
            cols.append(np.full(2, own[3 + turning]))
            values.append(turns[with_it])
        for m, w in zip(tie.masters, tie.weights):
            i, j = np.nonzero(block)
            rows.append(own[i])
            cols.append(6 * m + j)
            values.append(w * block[i, j])
    for floor in floors:
        # none of them is held in plan; of one that stands in two planes the first has it
        free = floor.nodes[~slaves[6 * floor.nodes]]
        if len(free) < 2:
            continue
        middle, normal = xyz[free].mean(axis=0), np.array(floor.normal)
        beside = np.abs(xyz[free] @ normal - floor.plane)
        on = free[beside <= beside.min() + IN_PLANE]
        master = int(on[np.linalg.norm(xyz[on] - middle, axis=1).argmin()])
        others = free[free != master]
        slaves[np.concatenate([6 * others, 6 * others + 1, 6 * others + 5])] = True
        for down, on, to, v in _as_one(xyz[others] - xyz[master], normal):
            rows.append(6 * others + down)
            cols.append(6 * others + to if on == "own" else np.full(len(others), 6 * master + to))
            values.append(v)
    corners = [c for c in corners if not (supported[c.first] and supported[c.second])]
    if not slaves.any() and not corners:
        return None
    rows.append(np.flatnonzero(~slaves))
    cols.append(np.flatnonzero(~slaves))
    values.append(np.ones(int((~slaves).sum())))
    step = sparse.csr_matrix(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(cols))), shape=(n, n)
    )
    t = step
    for _ in range(DEEPEST):
        if not t[:, slaves].data.any():
            break
        t = (t @ step).tocsr()
    if corners:
        t, more = _met(xyz, corners, t, np.repeat(supported, 6))
        slaves |= more
    return Constraints(t, slaves)


def _as_one(arm: Array, n: Array) -> list[tuple[int, str, int, Array]]:
    """How nodes at `arm` (k, 3) from a floor's master follow it in the plane of normal `n`: of each row the
    one of their degrees of freedom that follows, whose it follows ("own" or "master"), which one, and by how
    much (k,).

    In the plane u = u_master + theta x arm and the turn about n is the master's; what is across the plane
    is their own. One that lies beside the plane follows by a rigid arm of its own across it. ux, uy and rz
    are what follows: n points up more than sideways."""
    one = np.ones(len(arm))
    a, b, c = n / n[2]
    dx, dy, dz = arm.T
    # turn of the floor about n: w = n . theta_master; its part of the movement is w n x arm
    turn = np.stack([n[1] * dz - n[2] * dy, n[2] * dx - n[0] * dz, n[0] * dy - n[1] * dx])
    # u_s - theta_s x own - u_m - w n x arm must be along n: its x and y follow its z
    beside = arm @ n
    own = beside[:, None] * n if np.abs(beside).max(initial=0.0) > NO_ARM else None
    out = []
    for row, slope in ((0, a), (1, b)):
        out.append((row, "master", row, one))
        lever = turn[row] - slope * turn[2]
        out += [(row, "master", 3 + k, lever * n[k]) for k in range(3) if n[k]]
        if slope:
            out += [(row, "own", 2, slope * one), (row, "master", 2, -slope * one)]
        if own is not None:
            # theta x own, its part along z by the slope
            bx, by, bz = own.T
            of_turn = {0: (0 * one, bz, -by), 1: (-bz, 0 * one, bx), 2: (by, -bx, 0 * one)}
            out += [(row, "own", 3 + k, of_turn[row][k] - slope * of_turn[2][k]) for k in range(3)]
    # n . theta_s = n . theta_m
    out.append((5, "master", 5, c * one))
    for k, share in ((3, a), (4, b)):
        if share:
            out += [(5, "master", k, share * one), (5, "own", k, -share * one)]
    return out


def _hinged(axis: Array) -> tuple[Array, Array]:
    """How turns (3,) follow where one may turn about `axis` (3,): from those of what is followed (3, 3), and
    from its own turn about the global axis nearest to `axis` (3,). The two components across the axis are
    equal on both sides."""
    k = int(np.argmax(np.abs(axis)))
    others = [i for i in range(3) if i != k]
    _, _, v = np.linalg.svd(axis[None])
    across = v[1:]
    solved = np.linalg.inv(across[:, others])
    block, own = np.zeros((3, 3)), np.zeros(3)
    block[others] = solved @ across
    own[others] = -solved @ across[:, k]
    return block, own


def _met(
    xyz: Array, corners: Sequence[Corner], t: sparse.csr_matrix, held: NDArray[np.bool_]
) -> tuple[sparse.csr_matrix, NDArray[np.bool_]]:
    """`t` with every corner's place moving as both its nodes take it, and the degrees of freedom that follow
    for it.

    Three equations a corner among what is left free; those that hang together are solved by elimination with
    the largest pivot, displacements before turns. Rings of walls give equations for turns alone, and some
    that say nothing new."""
    n = t.shape[0]
    rows, cols, values = [], [], []
    for k, corner in enumerate(corners):
        for node, sign in ((corner.first, 1.0), (corner.second, -1.0)):
            r = np.array(corner.place) - xyz[node]
            block = (
                np.array([[1, 0, 0, 0, r[2], -r[1]], [0, 1, 0, -r[2], 0, r[0]], [0, 0, 1, r[1], -r[0], 0]])
                * sign
            )
            i, j = np.nonzero(block)
            rows += (3 * k + i).tolist()
            cols += (6 * node + j).tolist()
            values += block[i, j].tolist()
    c = (sparse.csr_matrix((values, (rows, cols)), shape=(3 * len(corners), n)) @ t).tocsr()
    graph = (abs(c) @ abs(c).T).tocsr()
    count, of = connected_components(graph, directed=False)
    more = np.zeros(n, bool)
    step = sparse.identity(n, format="lil")
    for part in range(count):
        own = c[np.flatnonzero(of == part)]
        used = np.unique(own.indices)
        a = own[:, used].toarray()
        turns = used % 6 > 2
        for pivot, row in _eliminated(a, turns, held[used]):
            more[used[pivot]] = True
            step[used[pivot], used[pivot]] = 0.0
            for other in np.flatnonzero(np.abs(row) > 1e-12):
                if other != pivot:
                    step[used[pivot], used[other]] = -row[other]
    return (t @ step.tocsr()).tocsr(), more


def _eliminated(a: Array, turns: NDArray[np.bool_], held: NDArray[np.bool_]) -> list[tuple[int, Array]]:
    """Pivot column and its row, cleared of all other pivots, of the equations a (m, k) x = 0; held columns
    are no pivots."""
    a = a.copy()
    size = max(1.0, float(np.abs(a).max(initial=0.0)))
    open_rows = np.ones(len(a), bool)
    found: list[tuple[int, int]] = []
    for columns in (np.flatnonzero(~turns & ~held), np.flatnonzero(turns & ~held)):
        while open_rows.any() and len(columns):
            part = np.abs(a[np.ix_(open_rows, columns)])
            i, j = np.unravel_index(int(part.argmax()), part.shape)
            if part[i, j] < 1e-9 * size:
                break
            row, col = int(np.flatnonzero(open_rows)[i]), int(columns[j])
            a[row] /= a[row, col]
            others = np.arange(len(a)) != row
            a[others] -= np.outer(a[others, col], a[row])
            open_rows[row] = False
            found.append((col, row))
            columns = columns[columns != col]
    return [(col, a[row]) for col, row in found]


def left_out(ties: Iterable[Tie], supported: NDArray[np.bool_]) -> list[Tie]:
    """Ties that `constraints` cannot keep: both their nodes stand on supports, or both follow something else
    already."""
    ties = list(ties)
    kept = {frozenset((t.slave, *t.masters)) for t in _ordered(ties, supported)}
    return [t for t in ties if frozenset((t.slave, *t.masters)) not in kept]


def _ordered(ties: list[Tie], supported: NDArray[np.bool_]) -> list[Tie]:
    """Ties turned so that no node follows two others, none that is supported follows, and none follows
    itself."""
    follows: dict[int, tuple[int, ...]] = {}
    kept: list[Tie] = []
    for tie in ties:
        options = [tie]
        if len(tie.masters) == 1:
            options.append(Tie(tie.masters[0], (tie.slave,), (1.0,)))
        for option in options:
            if (
                option.slave in follows
                or supported[option.slave]
                or _leads_to(option.masters, option.slave, follows)
            ):
                continue
            follows[option.slave] = option.masters
            kept.append(option)
            break
    return kept


def _leads_to(start: tuple[int, ...], goal: int, follows: dict[int, tuple[int, ...]]) -> bool:
    todo, seen = list(start), set()
    while todo:
        n = todo.pop()
        if n == goal:
            return True
        if n not in seen:
            seen.add(n)
            todo += follows.get(n, ())
    return False
