"""Members that act in tension or in compression only, and supports that only push: who is slack, found for each case."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import nnls

from ...model import Model
from ...model.geometry.vectors import Array
from ..frame.elements import Condensed, to_ends
from ..frame.mesh import Mesh
from .system import System

NOTHING = 1e-9  # share of the largest force; less is rounding
STIFFER = 1e-10  # of each part's own
UZ = 2


@dataclass(slots=True)
class OneWay:
    """One-way parts of a run: pieces of members with the sign of the force they bear (1: tension), and supported nodes.

    `ids` name them, members first; `stretch` (P, 12), of all members at once for no two share a piece, are end loads that shorten a slack tension member (lengthen one in compression) by a metre, and `move`
    (6N, p) movements that lift a support by one: what a unit of slack imposes.
    """

    ids: list[str]
    members: list[slice]
    signs: Array
    nodes: list[int]
    stretch: Array
    move: Array
    lengths: Array

    def columns(self, m: Mesh, system: System, slackened: Array) -> Array:
        """Right hand sides (6N, p) of a unit of slack of each, in the supports' own axes; `slackened` is `stretch` condensed."""
        n = 6 * len(m.node_ids)
        out = np.zeros((n, len(self.ids)))
        f = np.einsum("pji,pj->pi", to_ends(m), slackened)
        dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)
        for k, pieces in enumerate(self.members):
            out[:, k] = np.bincount(dofs[pieces].ravel(), f[pieces].ravel(), minlength=n)
        return np.asarray(system.turn.T @ out) if system.turn is not None else out

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
    stretch = np.zeros((len(m.length), 12))
    for pieces, sign in zip(members, signs):
        # a tension member is slack when its ends come nearer to each other: as if it were shorter by as much
        axial = -sign * m.ea[pieces] / m.length[pieces].sum()
        stretch[pieces, 0], stretch[pieces, 6] = -axial, axial
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


class Settling:
    """Right hand sides, movements (6N, C + p) and end loads (C, P, 12) of the cases of a run; after the cases the columns hold a
    unit of slack of each one-way part."""

    def __init__(
        self,
        m: Mesh,
        system: System,
        condensed: Condensed,
        parts: OneWay,
        slackened: Array,
        right: Array,
        moved: Array,
        u: Array,
        fixed: Array,
    ) -> None:
        self.m, self.system, self.condensed, self.parts, self.slackened = m, system, condensed, parts, slackened
        self.right, self.moved, self.u, self.fixed = right, moved, u, fixed
        self._ends = to_ends(m)
        self._dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)

    def _borne(self, c: int) -> Array:
        """What one-way parts bear in a column."""
        system, cases = self.system, len(self.fixed)
        local = np.einsum("pij,pj->pi", self._ends, system.to_global(self.u[:, c])[self._dofs])
        ends = np.einsum("pij,pj->pi", self.condensed.k, local)
        if c < cases:
            ends -= self.fixed[c]
        elif c - cases < len(self.parts.members):
            pieces = self.parts.members[c - cases]
            ends[pieces] -= self.slackened[pieces]
        asked = system.gathered(system.full @ self.u[:, c] - self.right[:, c])
        springs = np.flatnonzero(system.springs)
        asked[springs] = -system.springs[springs] * (self.u[:, c] - self.moved[:, c])[springs]
        return self.parts.forces(ends, asked)

    def settle(self, names: list[str], moving: bool) -> tuple[dict[str, dict[str, float]], list[str]]:
        """Let the parts of each case be as slack as they have to be; what is left are the columns of the cases. Returns by case
        how slack its parts are (m), and the cases that nothing holds then; all of them where slack sets a motion without
        resistance going (`moving`)."""
        parts, cases = self.parts, len(names)
        borne = np.column_stack([self._borne(c) for c in range(cases + len(parts.ids))])
        found: dict[str, dict[str, float]] = {}
        failed: list[str] = []
        for c, name in enumerate(names):
            z = None if moving else slack(borne[:, cases:], borne[:, c])
            if z is None:
                failed.append(name)
                continue
            for columns in (self.right, self.moved, self.u):
                columns[:, c] += columns[:, cases:] @ z
            for pieces, by in zip(parts.members, z):
                self.fixed[c, pieces] += by * self.slackened[pieces]
            if z.any():
                found[name] = {i: float(v) for i, v in zip(parts.ids, z) if v > 0}
        self.right, self.moved, self.u = self.right[:, :cases], self.moved[:, :cases], self.u[:, :cases]
        return found, failed
