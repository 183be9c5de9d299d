"""Equilibrium at any node and across the storeys: which part gives which force to which, from the forces as
they are shown."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ...loads import Distribution
from ...model import Combination, Model
from ...model.geometry.vectors import Array
from ..frame.loading import Loading, into_cut, loading, totals
from ..frame.mesh import Mesh, mesh
from ..shells.assembly import kinds, stiffness_of
from ..solve.diaphragms import floors_in_plane
from ..solve.node_supports import held_in_plan, node_supports
from .results import Results

CLOSE = 1e-7  # m; stations nearer than this to a piece's end are its end
PARTS = ("loads", "columns", "braces", "walls", "others", "arms", "left")


@dataclass(slots=True)
class Given:
    """The action of a part on a node: six components about it, global, N and N m.

    `what`: member, surface, load, support, arms (rigid ties and diaphragms), or left (what nothing accounts
    for)."""

    what: str
    ident: str
    force: Array


@dataclass(slots=True)
class StoreyCut:
    """The actions that keep everything above a level plane in equilibrium, six components about `place` (3,)
    on it, global.

    `storey` is the one whose columns and walls are cut. `parts` by PARTS: the loads (and supports) above,
    what columns, braces, walls and other things below give, rigid arms, and what is left. Walls as shells are
    cut along the row of nodes above the plane."""

    storey: str
    place: Array
    parts: dict[str, Array] = field(default_factory=dict)


class Balance:
    """The equilibrium of one run; made once, asked for cases and nodes."""

    def __init__(
        self,
        model: Model,
        results: Results,
        distribution: Distribution,
        shear_flexible: bool = True,
        diaphragms: Sequence[str] = (),
    ) -> None:
        """`diaphragms`: storeys that the run made rigid in plan."""
        self.model, self.results, self.distribution = model, results, distribution
        self.mesh = m = mesh(model, results.member_ids, shear_flexible, results.plates)
        self.start, self.end = _end_stations(m, results)
        index = {n: k for k, n in enumerate(results.node_ids)}
        self.supports = np.array([index[n] for n in results.support_ids], np.int64)
        self.tied: set[int] = set()
        if m.plates is not None:
            for tie in m.plates.ties:
                self.tied |= {tie.slave, *tie.masters}
            for corner in m.plates.corners:
                self.tied |= {corner.first, corner.second}
        held = held_in_plan(node_supports(model, m.plates), len(m.node_ids))
        live = np.atleast_1d(results.node_done.any(axis=0))
        self.floors = floors_in_plane(model, m.node_ids, m.plates, m.xyz, live, held, list(diaphragms))
        for floor in self.floors:
            self.tied |= set(floor.nodes.tolist())
        self._arms: dict[tuple[int, int], Array] = {}
        self._loads: dict[str, Loading] = {}

    def at_node(self, case: str | Combination, node: str) -> list[Given]:
        """Return what members, slabs, walls, loads and supports give a node; [] where the case was not
        computed there.

        Raises ValueError for a response without sign, which is in no equilibrium.
        """
        i = self.results.node_ids.index(node)
        out: dict[tuple[str, str], Array] = {}
        for name, factor in self._factors(case).items():
            c = self.results.case_index(name)
            if not self.results.node_done[c, i]:
                return []
            for key, force in self._given(c, i).items():
                out[key] = out.get(key, np.zeros(6)) + factor * force
        left = -sum(out.values(), np.zeros(6))
        what = "arms" if i in self.tied else "left"
        return [Given(*key, force) for key, force in out.items()] + [Given(what, "", left)]

    def within(self, c: int, pieces: NDArray[np.int64], x: Array) -> tuple[Array, Array]:
        """Places (k, 3) and global forces (k, 6) inside pieces at x, on the face that looks to the end; a
        case by number."""
        m = self.mesh
        at = m.xyz[m.ends[pieces, 0]] + m.offset[pieces, 0] + m.axes[pieces, 0] * x[:, None]
        return at, self._at(self._load(c), c, pieces, x)[0]

    def from_arms(self, c: int, nodes: NDArray[np.int64]) -> Array:
        """Return what rigid arms and floors give nodes (k, 6) in a case by number: what nothing else
        accounts for."""
        out = np.zeros((len(nodes), 6))
        for k, i in enumerate(nodes.tolist()):
            if (c, i) not in self._arms:
                self._arms[c, i] = -sum(self._given(c, i).values(), np.zeros(6))
            out[k] = self._arms[c, i]
        return out

    def _factors(self, case: str | Combination) -> dict[str, float]:
        factors = {case: 1.0} if isinstance(case, str) else case.factors
        signless = [n for n in factors if self.model.cases[n].spectrum is not None]
        if signless or (isinstance(case, Combination) and case.roots):
            name = case if isinstance(case, str) else case.name
            raise ValueError(f"{name} holds a response without sign, which is in no equilibrium of its own")
        return factors

    def _load(self, c: int) -> Loading:
        name = self.results.cases[c]
        if name not in self._loads:
            self._loads[name] = loading(self.mesh, self.model.cases[name], self.distribution.case(name))
        return self._loads[name]

    def _given(self, c: int, i: int) -> dict[tuple[str, str], Array]:
        m, r = self.mesh, self.results
        out: dict[tuple[str, str], Array] = {}

        def add(what: str, ident: str, force: Array) -> None:
            out[what, ident] = out.get((what, ident), np.zeros(6)) + force

        for p, e in zip(*np.nonzero(m.ends == i)):
            f = r.force[c, self.end[p]] * -1.0 if e else r.force[c, self.start[p]]
            force, moment = m.axes[p].T @ f[:3], m.axes[p].T @ f[3:]
            add(
                "member",
                m.member_ids[m.member[p]],
                np.concatenate([force, moment + np.cross(m.offset[p, e], force)]),
            )
        if m.plates is not None:
            for nodes, of, _ in kinds(m.plates):
                hit = np.flatnonzero((nodes == i).any(axis=1))
                for k, f in zip(hit, self._element_forces(nodes[hit], of[hit], r.displacement[c])):
                    add("surface", m.plates.surfaces[int(of[k])], -f[nodes[k] == i].sum(axis=0))
        load = self._load(c).nodal[i] + self._at_ends(self._load(c), i)
        if load.any():
            add("load", "", load)
        if r.node_ids[i] in r.support_ids:
            add("support", "", r.reaction[c, r.support_ids.index(r.node_ids[i])])
        return out

    def _at_ends(self, load: Loading, i: int) -> Array:
        """Point loads that stand on the very end of a piece: stations do not hold them, so they are the
        node's."""
        m, out = self.mesh, np.zeros(6)
        for e, far in ((0, 0.0), (1, m.length[load.piece])):
            on = load.concentrated & (np.abs(load.a - far) <= CLOSE) & (m.ends[load.piece, e] == i)
            for k in np.flatnonzero(on):
                p = load.piece[k]
                force, moment = m.axes[p].T @ load.qa[k, :3], m.axes[p].T @ load.qa[k, 3:]
                out += np.concatenate([force, moment + np.cross(m.offset[p, e], force)])
        return out

    def _element_forces(self, nodes: NDArray[np.int64], of: NDArray[np.int64], u: Array) -> Array:
        """Forces (E, n, 6) that nodes give elements, global."""
        if not len(nodes):
            return np.zeros((0, nodes.shape[1], 6))
        assert self.mesh.plates is not None
        k = stiffness_of(self.model, self.mesh.plates, nodes, of)
        return np.einsum("eij,ej->ei", k, u[nodes].reshape(len(nodes), -1)).reshape(len(nodes), -1, 6)

    def storey_cuts(self, case: str | Combination) -> list[StoreyCut]:
        """One cut half-way between each two storeys, lowest first; [] without storeys or where nothing was
        computed.

        Raises ValueError as `at_node`. Parts that the case does not compute are left out of both sides.
        """
        storeys = sorted(self.model.storeys, key=lambda s: s.elevation)
        out: list[StoreyCut] = []
        factors = self._factors(case)
        for below, above in zip(storeys, storeys[1:]):
            total: StoreyCut | None = None
            for name, factor in factors.items():
                one = self._cut(
                    self.results.case_index(name), below.name, (below.elevation + above.elevation) / 2
                )
                if one is None:
                    continue
                parts = {k: factor * v for k, v in one.parts.items()}
                if total is not None:
                    parts = {k: v + total.parts[k] for k, v in parts.items()}
                total = StoreyCut(one.storey, one.place, parts)
            if total is not None:
                out.append(total)
        return out

    def _cut(self, c: int, storey: str, z: float) -> StoreyCut | None:
        m, r, load = self.mesh, self.results, self._load(c)
        above = m.xyz[:, 2] > z
        done = r.node_done[c]
        computed = r.member_done[c][m.member]
        up = above[m.ends]
        crossing = np.flatnonzero((up[:, 0] != up[:, 1]) & computed)
        points = [m.xyz[m.ends[crossing]].mean(axis=1)[:, :2]]
        shells: list[tuple[NDArray[np.int64], NDArray[np.int64]]] = []
        if m.plates is not None:
            for nodes, of, _ in kinds(m.plates):
                hit = np.flatnonzero(
                    (above[nodes].any(axis=1) & ~above[nodes].all(axis=1)) & done[nodes].all(axis=1)
                )
                shells.append((nodes[hit], of[hit]))
                points.append(m.xyz[nodes[hit]].mean(axis=1)[:, :2])
        where = np.concatenate(points)
        if not len(where) or not (above & done).any():
            return None
        place = np.append((where.min(axis=0) + where.max(axis=0)) / 2, z)
        parts = {k: np.zeros(6) for k in PARTS}
        x, start_below = self._crossed_at(crossing, z), ~up[crossing, 0]
        force, held = self._at(load, c, crossing, x)
        at = m.xyz[m.ends[crossing, 0]] + m.offset[crossing, 0] + m.axes[crossing, 0] * x[:, None]
        sign = np.where(start_below, -1.0, 1.0)
        for k, six in enumerate(_about(place, at, force * sign[:, None])):
            parts[self._class_of(int(m.member[crossing[k]]))] += six
        # the loads on what stands above the plane: whole pieces, and of those that cross it the upper part
        standing = up.all(axis=1) & computed
        standing[crossing[start_below]] = True
        applied = totals(m, load, standing, above & done)
        applied[3:] -= np.cross(place, applied[:3])
        applied += _about(place, at, np.where(start_below, -1.0, 1.0)[:, None] * held).sum(axis=0)
        high = above[self.supports] & done[self.supports]
        applied += _about(place, m.xyz[self.supports[high]], r.reaction[c, high]).sum(axis=0)
        parts["loads"] = applied
        for nodes, of in shells:
            assert m.plates is not None
            upright = np.array([m.plates.shapes[s].upright for s in m.plates.surfaces], bool)[of]
            f = -self._element_forces(nodes, of, r.displacement[c])
            upper = above[nodes]
            for name, own in (("walls", upright), ("others", ~upright)):
                chosen = upper & own[:, None]
                parts[name] += _about(place, m.xyz[nodes[chosen]], f[chosen]).sum(axis=0)
        left = -sum(parts.values(), np.zeros(6))
        tied = m.plates is not None and any(
            above[t.slave] != above[n] for t in m.plates.ties for n in t.masters if done[n]
        )
        parts["arms" if tied else "left"] = left
        return StoreyCut(storey, place, parts)

    def _crossed_at(self, pieces: NDArray[np.int64], z: float) -> Array:
        """Distance (m) from each piece's start to a level plane, within the piece."""
        m = self.mesh
        foot = m.xyz[m.ends[pieces, 0], 2] + m.offset[pieces, 0, 2]
        rise = m.axes[pieces, 0, 2]
        x = np.divide(z - foot, rise, out=np.zeros(len(pieces)), where=np.abs(rise) > 1e-9)
        return np.clip(x, 0.0, m.length[pieces])

    def _at(self, load: Loading, c: int, pieces: NDArray[np.int64], x: Array) -> tuple[Array, Array]:
        """Internal forces (k, 6) at x along pieces, and the loads (k, 6) between their starts and there, both
        global, about the place itself."""
        m = self.mesh
        order = np.argsort(pieces, kind="stable")
        own, first = np.zeros((2, len(pieces), 6))
        after = np.ones(len(pieces), bool)
        own[order] = into_cut(load, pieces[order], x[order], after, len(m.length))
        # the station at a piece's start has the loads on that very place behind it
        first[order] = into_cut(load, pieces[order], np.zeros(len(pieces)), after, len(m.length))
        f = self.results.force[c, self.start[pieces]] + first
        f[:, 4] += x * f[:, 2]  # x e_x cross F
        f[:, 5] -= x * f[:, 1]
        f -= own
        axes = m.axes[pieces]

        def turned(v: Array) -> Array:
            return np.hstack(
                [np.einsum("pji,pj->pi", axes, v[:, :3]), np.einsum("pji,pj->pi", axes, v[:, 3:])]
            )

        return turned(f), turned(own)

    def _class_of(self, k: int) -> str:
        member = self.model.members.get(self.mesh.member_ids[k])
        if member is None:
            return "walls"
        return {"column": "columns", "brace": "braces"}.get(member.cls, "others")


def _about(place: Array, at: Array, six: Array) -> Array:
    """Forces and moments (k, 6) at points (k, 3), about a place."""
    return np.hstack([six[:, :3], six[:, 3:] + np.cross(at - place, six[:, :3])])


def _end_stations(m: Mesh, r: Results) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Index of the station at the start and of the one at the end of every piece."""
    far = 2 * float(m.member_length.max(initial=1.0)) + 1.0
    key = r.station_member * far + r.station_x
    here = m.member * far
    start = np.searchsorted(key, here + m.x0 + CLOSE, "right") - 1
    end = np.searchsorted(key, here + m.x0 + m.length - CLOSE, "left")
    return start, end
