"""Members that act in tension or in compression only, and supports that only push: who is slack, found for each case."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import nnls

from ...model import Model
from ...model.geometry.vectors import Array
from ..frame.mesh import Mesh

NOTHING = 1e-9  # share of the largest force; less is rounding
STIFFER = 1e-10  # of each part's own
UZ = 2


@dataclass(slots=True)
class OneWay:
    """One-way parts of a run: pieces of members with the sign of the force they bear (1: tension), and supported nodes.

    `ids` name them, members first; `stretch` (p, P, 12) are end loads that shorten a slack tension member (lengthen one in compression) by a metre, and `move`
    (6N, p) movements that lift a support by one: what a unit of slack imposes.
    """

    ids: list[str]
    members: list[slice]
    signs: Array
    nodes: list[int]
    stretch: Array
    move: Array
    lengths: Array

    def forces(self, ends: Array, reaction: Array) -> Array:
        """(p,): what each part bears, positive where it may. `ends` (P, 12) are end forces in member axes, `reaction` (6N,) what
        supports give in their own axes. Of a member the mean along it: that is what its length goes with."""
        own = []
        for pieces, sign in zip(self.members, self.signs):
            n = (ends[pieces, 6] - ends[pieces, 0]) / 2
            own.append(sign * float(n @ self._share(pieces)))
        return np.array(own + [float(reaction[6 * i + UZ]) for i in self.nodes])

    def _share(self, pieces: slice) -> Array:
        length = self.lengths[pieces]
        return np.asarray(length / length.sum())


def one_way_parts(model: Model, m: Mesh) -> OneWay | None:
    """Those of a mesh; None where there is none."""
    last = np.append(m.first[1:], len(m.member))
    ids, members, signs = [], [], []
    for ident, way in model.one_way.items():
        k = m.member_index.get(ident)
        if k is not None:
            ids.append(ident)
            members.append(slice(int(m.first[k]), int(last[k])))
            signs.append(1.0 if way == "tension" else -1.0)
    nodes = []
    for ident in model.lifting:
        i = m.node_index.get(ident)
        if i is not None and model.nodes[ident].support.stiffness[UZ] > 0:
            ids.append(ident)
            nodes.append(i)
    if not ids:
        return None
    stretch = np.zeros((len(ids), len(m.length), 12))
    for k, (pieces, sign) in enumerate(zip(members, signs)):
        # a tension member is slack when its ends come nearer to each other: as if it were shorter by as much
        axial = -sign * m.ea[pieces] / m.length[pieces].sum()
        stretch[k, pieces, 0], stretch[k, pieces, 6] = -axial, axial
    move = np.zeros((6 * len(m.node_ids), len(ids)))
    for k, i in enumerate(nodes, len(members)):
        move[6 * i + UZ, k] = 1.0
    return OneWay(ids, members, np.array(signs), nodes, stretch, move, m.length)


def slack(a: Array, force: Array) -> Array | None:
    """How slack (p,) each part is, m, so that none bears what it may not: force + a z >= 0, z >= 0, and one of the two is 0.

    `a` (p, p): what each part bears for a unit of slack of each, symmetric and not negative (Maxwell and Betti); `force` (p,)
    what they bear with nobody slack. None where nothing keeps the structure in place any more.

    It is the smallest of z a z / 2 + force z. Parts go slack, or come back, one after the other, the worst first; where that does
    not end, the set is that of the same problem made a little stiffer, by least squares with z >= 0.
    """
    size = np.sqrt(np.maximum(np.diag(a), 1e-300))
    scaled, q = a / np.outer(size, size), force / size
    tolerance = NOTHING * float(np.abs(q).max(initial=0.0))
    if q.min(initial=0.0) >= -tolerance:
        return np.zeros(len(force))
    on = np.zeros(len(q), bool)
    for _ in range(20 * len(q) + 20):
        z = _with(scaled, q, on)
        rest = q + scaled @ z
        if z.min() < 0:
            on[int(z.argmin())] = False
        elif rest[~on].min(initial=0.0) < -tolerance:
            on[int(np.where(on, 0.0, rest).argmin())] = True
        elif np.abs(rest[on]).max(initial=0.0) <= 1e3 * tolerance:
            return np.asarray(z / size)
        else:
            break  # no force of the slack ones can be made nothing
    lower = np.linalg.cholesky(scaled + STIFFER * np.eye(len(q)))
    z, _ = nnls(lower.T, -np.linalg.solve(lower, q), maxiter=100 * len(q) + 1000)
    z = _with(scaled, q, z > 1e-6 * z.max(initial=0.0))
    rest = q + scaled @ z
    if z.min() < -1e-6 * np.abs(z).max() or rest.min() < -1e-6 * float(np.abs(q).max()):
        return None
    return np.asarray(np.maximum(z, 0.0) / size)


def _with(a: Array, q: Array, on: NDArray[np.bool_]) -> Array:
    """How slack these parts are when they bear nothing and the others are not."""
    z = np.zeros(len(q))
    if on.any():
        z[on] = np.linalg.lstsq(a[np.ix_(on, on)], -q[on], rcond=1e-12)[0]
    return z
