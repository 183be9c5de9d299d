"""Members that act in tension or in compression only, and supports that only push: who is slack, found for
each case."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import linalg

from ...meshing import Plates
from ...model import Model
from ...model.geometry.vectors import Array
from ..frame.elements import Condensed, condense_loads, to_ends
from ..frame.mesh import Mesh
from ..shells.assembly import ground_stiffness, node_areas
from .system import System

NOTHING = 1e-9  # share of the largest force; less is rounding
STIFFER = 1e-10  # of each part's own
UZ = 2
MANY = 40  # parts, from which they go slack all at once
STEPS = 60
AT_ONCE = 32  # units of slack that are solved for together


@dataclass(slots=True)
class OneWay:
    """One-way parts of a run: pieces of members with the sign of the force they bear (1: tension), then nodes
    of the mesh that are held upwards: supports, those of edges and of the ground under surfaces; then nodes
    along joints of walls that only press. `ways` (k, 3) is how each of those nodes is pressed.

    `ids` name them, nodes of a surface by the surface's; `area` (p,) is what each node on the ground stands
    for, m2; `limits` (p,) what each bears at most, N, infinity without one. `stretch` (P, 12), of all members
    at once for no two share a piece, are end loads that shorten a slack tension member (lengthen one in
    compression) by a metre."""

    ids: list[str]
    members: list[slice]
    signs: Array
    nodes: NDArray[np.int64]
    ways: Array
    area: Array
    limits: Array
    stretch: Array
    lengths: Array

    def imposed(self, m: Mesh, system: System, slackened: Array, z: Array) -> tuple[Array, Array]:
        """Right hand sides (6N, C) in the supports' own axes, and movements (6N, C) of what holds, for parts
        as slack as `z` (p, C); `slackened` is `stretch` condensed."""
        n = 6 * len(m.node_ids)
        right, moved = np.zeros((n, z.shape[1])), np.zeros((n, z.shape[1]))
        f = np.einsum("pji,pj->pi", to_ends(m), slackened)
        dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)
        for pieces, by in zip(self.members, z):
            right += np.outer(np.bincount(dofs[pieces].ravel(), f[pieces].ravel(), minlength=n), by)
        for i in range(3):  # a node in the corner of two joints is there twice
            np.add.at(moved, 6 * self.nodes + i, self.ways[:, i, None] * z[len(self.members) :])
        return (np.asarray(system.turn.T @ right) if system.turn is not None else right), moved

    def share(self, pieces: slice) -> Array:
        length = self.lengths[pieces]
        return np.asarray(length / length.sum())


def one_way_parts(model: Model, m: Mesh, plates: Plates | None) -> OneWay | None:
    """Those of a mesh; None where there is none."""
    last = np.append(m.first[1:], len(m.member))
    ids, members, signs = [], [], []
    for ident, way in model.one_way.items():
        k = m.member_index.get(ident)
        if k is not None:
            ids.append(ident)
            members.append(slice(int(m.first[k]), int(last[k])))
            signs.append(1.0 if way == "tension" else -1.0)
    held: dict[int, tuple[str, float]] = {}
    for ident in model.lifting:
        i = m.node_index.get(ident)
        if i is not None and ident in model.nodes and model.nodes[ident].support.stiffness[UZ] > 0:
            held[i] = ident, 0.0
    if plates is not None:
        held = _of_surfaces(set(model.lifting), plates) | held
    pressed = list(
        {(n, way): ident for ident, n, way in (plates.standing if plates is not None else ())}.items()
    )
    if not ids and not held and not pressed:
        return None
    stretch = np.zeros((len(m.length), 12))
    for pieces, sign in zip(members, signs):
        # a tension member is slack when its ends come nearer to each other: as if it were shorter by as much
        axial = -sign * m.ea[pieces] / m.length[pieces].sum()
        stretch[pieces, 0], stretch[pieces, 6] = -axial, axial
    area = np.array([0.0] * len(ids) + [a for _, a in held.values()] + [0.0] * len(pressed))
    limits = [model.limits.get(i, np.inf) for i in ids]
    limits += [model.bearing.get(i, np.inf) * (a or 1.0) for i, a in held.values()] + [np.inf] * len(pressed)
    ids += [i for i, _ in held.values()] + [ident for _, ident in pressed]
    nodes = np.array([*held, *(n for (n, _), _ in pressed)], np.int64)
    ways = np.array([(0.0, 0.0, 1.0)] * len(held) + [way for (_, way), _ in pressed]).reshape(-1, 3)
    return OneWay(ids, members, np.array(signs), nodes, ways, area, np.array(limits), stretch, m.length)


def _of_surfaces(lifting: set[str], plates: Plates) -> dict[int, tuple[str, float]]:
    """Nodes of surfaces whose ground or held edges only push, with the surface and the area on the ground."""
    out: dict[int, tuple[str, float]] = {}
    for edge in plates.held:
        if edge.surface in lifting and edge.support.stiffness[UZ] > 0:
            out |= {int(n): (edge.surface, 0.0) for n in edge.nodes}
    for ident, s in plates.shapes.items():
        if ident in lifting and ident in plates.surfaces and s.on_ground:
            area, stiffness = node_areas(plates, {ident}), ground_stiffness(plates, ident)
            out |= {int(n): (ident, float(area[n])) for n in np.flatnonzero(stiffness)}
    return out


def slack(a: Array, force: Array) -> Array | None:
    """How slack (p,) each part is, m, so that none bears what it may not: force + a z >= 0, z >= 0, and one
    of the two is 0.

    `a` (p, p): what each part bears for a unit of slack of each, symmetric and not negative (Maxwell and
    Betti); `force` (p,) what they bear with nobody slack. None where nothing keeps the structure in place any
    more.

    It is the smallest of z a z / 2 + force z. Parts go slack, or come back, one after the other, the worst
    first; where that does not end, the set is that of the same problem made a little stiffer, by least
    squares with z >= 0."""
    from scipy.optimize import nnls

    size = np.sqrt(np.maximum(np.diag(a), 1e-300))
    scaled, q = a / np.outer(size, size), force / size
    tolerance = NOTHING * float(np.abs(q).max(initial=0.0))
    if q.min(initial=0.0) >= -tolerance:
        return np.zeros(len(force))
    if len(q) > MANY:
        z = _all_at_once(scaled, q, tolerance)
        if z is not None:
            return np.asarray(z / size)
    on = np.zeros(len(q), bool)
    for _ in range(20 * len(q) + 20 if len(q) <= 4 * MANY else 0):
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
    try:
        lower = np.linalg.cholesky(scaled + STIFFER * np.eye(len(q)))
        factor, right = lower.T, -np.linalg.solve(lower, q)
    except np.linalg.LinAlgError:  # of very many parts rounding alone makes some of it negative
        values, shape = np.linalg.eigh(scaled)
        root = np.sqrt(np.maximum(values, 0.0) + STIFFER)
        factor, right = root[:, None] * shape.T, -(shape.T @ q) / root
    z, _ = nnls(factor, right, maxiter=100 * len(q) + 1000)
    z = _with(scaled, q, z > 1e-6 * z.max(initial=0.0))
    rest = q + scaled @ z
    if z.min() < -1e-6 * np.abs(z).max() or rest.min() < -1e-6 * float(np.abs(q).max()):
        return None
    return np.asarray(np.maximum(z, 0.0) / size)


def _all_at_once(a: Array, q: Array, tolerance: float) -> Array | None:
    """Every part that bears what it may not goes slack at once, and every one that closes comes back: a few
    steps where many parts lie beside each other, such as the ground under a raft. None where that does not
    end."""
    on = q < -tolerance
    for _ in range(STEPS):
        z = _with(a, q, on)
        rest = q + a @ z
        wrong = (on & (z < 0)) | (~on & (rest < -tolerance))
        if not wrong.any():
            return z if np.abs(rest[on]).max(initial=0.0) <= 1e3 * tolerance else None
        on ^= wrong
    return None


def _with(a: Array, q: Array, on: NDArray[np.bool_]) -> Array:
    """How slack these parts are when they bear nothing and the others are not."""
    z = np.zeros(len(q))
    if on.any():
        own = a[np.ix_(on, on)]
        if len(own) > MANY:
            try:
                z[on] = linalg.cho_solve(linalg.cho_factor(own), -q[on])
                return z
            except linalg.LinAlgError:
                pass
        z[on] = np.linalg.lstsq(own, -q[on], rcond=1e-12)[0]
    return z


@dataclass(slots=True)
class Settled:
    """The final state of one-way parts: by case how slack they are, m, how far those gave way that bear what
    they can at most, m, and the area off the ground of each surface, m2; the cases that nothing holds then;
    end loads (C, P, 12), right hand sides and movements (6N, C) of the cases with their slack."""

    slack: dict[str, dict[str, float]]
    yielded: dict[str, dict[str, float]]
    lifted: dict[str, dict[str, float]]
    failed: list[str]
    fixed: Array
    right: Array
    moved: Array
    u: Array


class Settling:
    """Lets the parts of each case be as slack as they have to be.

    `further` gives movements (6N, C) from right hand sides and movements of what holds, with whether these
    set a motion without resistance going. What a unit of slack does is asked only of parts that come to bear
    what they may not."""

    def __init__(
        self,
        m: Mesh,
        system: System,
        condensed: Condensed,
        parts: OneWay,
        further: Callable[[Array, Array], tuple[Array, bool]],
    ) -> None:
        self.m, self.system, self.condensed, self.parts, self.further = m, system, condensed, parts, further
        self.slackened = condense_loads(parts.stretch, condensed.steps)
        self._ends = to_ends(m)
        self._dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)

    def _borne(self, right: Array, moved: Array, u: Array, fixed: Array) -> Array:
        """(p, C): what each part bears, positive where it may; `fixed` (C, P, 12). Of a member the mean along
        it: that is what its length goes with."""
        system, parts = self.system, self.parts
        out = np.zeros((len(parts.ids), u.shape[1]))
        local = system.to_global(u)
        for k, (pieces, sign) in enumerate(zip(parts.members, parts.signs)):
            own = np.einsum("pij,pjc->pic", self._ends[pieces], local[self._dofs[pieces]])
            n = np.einsum("pij,pjc->pic", self.condensed.k[pieces], own) - fixed[:, pieces].transpose(1, 2, 0)
            out[k] = sign * (parts.share(pieces) @ (n[:, 6] - n[:, 0]) / 2)
        if len(parts.nodes):
            own_force = system.full @ u - right
            asked = system.gathered(own_force)
            at = 6 * parts.nodes + UZ
            stiff = system.springs[at][:, None]
            out[len(parts.members) :] = np.where(stiff != 0, -stiff * (u - moved)[at], asked[at])
            pressed = np.isin(6 * parts.nodes, system.opening)
            along = sum(parts.ways[:, i, None] * own_force[6 * parts.nodes + i] for i in range(3))
            out[len(parts.members) :][pressed] = along[pressed]
        return out

    def _unit(self, chosen: NDArray[np.int64]) -> tuple[Array, bool]:
        """(p, k): what all parts bear for a unit of slack of each of the chosen."""
        out, moving = [], False
        for some in np.array_split(chosen, -(-len(chosen) // AT_ONCE)):
            z = np.zeros((len(self.parts.ids), len(some)))
            z[some, np.arange(len(some))] = 1.0
            right, moved = self.parts.imposed(self.m, self.system, self.slackened, z)
            right = right + moved * self.system.springs[:, None]
            u, loose = self.further(right, moved)
            moving |= loose
            fixed = np.zeros((len(some), len(self.m.length), 12))
            for c, k in enumerate(some.tolist()):
                if k < len(self.parts.members):
                    fixed[c, self.parts.members[k]] = self.slackened[self.parts.members[k]]
            out.append(self._borne(right, moved, u, fixed))
        return np.hstack(out), moving

    def settle(self, names: list[str], right: Array, moved: Array, u: Array, fixed: Array) -> Settled:
        """Settle cases with these right hand sides, movements and end loads; `fixed` is changed."""
        parts, p = self.parts, len(self.parts.ids)
        bare = self._borne(right, moved, u, fixed)
        tolerance = NOTHING * np.abs(bare).max(axis=0, initial=0.0)
        asked = np.zeros(0, np.int64)  # parts of which is known what a unit of slack does: columns of a
        a = np.zeros((p, 0))
        known: dict[
            tuple[int, float], None
        ] = {}  # a part with 1 for its slack, -1 for how far it gives way at its limit
        z = np.zeros((p, len(names)))
        failed: list[str] = []
        moving = False
        while True:
            open_ = [c for c, n in enumerate(names) if n not in failed]
            borne, tell = (bare + a @ z[asked])[:, open_], 1.001 * tolerance[open_]
            low, high = (borne < -tell).any(axis=1), (borne > parts.limits[:, None] + tell).any(axis=1)
            over = [(k, 1.0) for k in np.flatnonzero(low).tolist()] + [
                (k, -1.0) for k in np.flatnonzero(high).tolist()
            ]
            new = [entry for entry in over if entry not in known]
            if not new:
                break
            fresh = np.setdiff1d(np.array([k for k, _ in new], np.int64), asked)
            if len(fresh):
                unit, loose = self._unit(fresh)
                moving |= loose
                asked, a = np.append(asked, fresh), np.hstack([a, unit])
            known |= dict.fromkeys(new)
            of, sign = np.array([k for k, _ in known], np.int64), np.array([s for _, s in known])
            column = np.zeros(p, np.int64)
            column[asked] = np.arange(len(asked))
            both = np.outer(sign, sign) * a[np.ix_(of, column[of])]
            limit = np.where(sign < 0, parts.limits[of], 0.0)
            for c in open_:
                found = None if moving else slack(both, limit + sign * bare[of, c])
                if found is None:
                    failed.append(names[c])
                else:
                    z[:, c] = np.bincount(of, sign * found, minlength=p)
        z[:, [names.index(n) for n in failed]] = 0.0
        if z.any():
            more, by = parts.imposed(self.m, self.system, self.slackened, z)
            more = more + by * self.system.springs[:, None]
            u = u + self.further(more, by)[0]
            right, moved = right + more, moved + by
            for pieces, own in zip(parts.members, z):
                fixed[:, pieces] += own[:, None, None] * self.slackened[pieces]
        out = Settled({}, {}, {}, failed, fixed, right, moved, u)
        for c, name in enumerate(names):
            for into, sign_ in ((out.slack, 1.0), (out.yielded, -1.0)):
                for k in np.flatnonzero(sign_ * z[:, c] > 0).tolist():
                    own_, ident = into.setdefault(name, {}), parts.ids[k]
                    own_[ident] = max(own_.get(ident, 0.0), float(sign_ * z[k, c]))
            for k in np.flatnonzero((z[:, c] > 0) & (parts.area > 0)).tolist():
                areas = out.lifted.setdefault(name, {})
                areas[parts.ids[k]] = areas.get(parts.ids[k], 0.0) + float(parts.area[k])
        return out
