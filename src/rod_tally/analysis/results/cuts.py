"""Forces that pass through a cut across a floor or through a wall, from the equilibrium of what lies on
either side of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from ...loads.arrival import HeldLoad
from ...meshing import Plates
from ...model import Model, Surface
from ...model.entities.cuts import Cut
from ...model.geometry.heights import LEVEL_REACH
from ...model.geometry.vectors import Array
from ..shells.assembly import stiffness_of
from ..shells.loads import GAUSS, WEIGHT, LoadedSurface
from .balance import Balance
from .cut_places import CutError
from .statics import resultant

ON_LINE = 1e-6  # m; nodes this near to a cut are on it, and go with its right
CUT_COMPONENTS = ("n", "v", "vz", "m", "mb", "mt")


@dataclass(slots=True)
class CutForces:
    """N and N m, about the cut's point, `factor` included: n across the cut (tension positive), v along it in
    the plane, vz out of the plane; m about the plane's normal, mb about the cut itself, mt about the
    direction across it. `n_members`, `v_members` and `m_members` are the parts of n, v and m that members
    carry.

    They are what the side to the left of the cut's direction, seen against the plane's normal, gives the
    other."""

    n: float
    v: float
    vz: float
    m: float
    mb: float
    mt: float
    n_members: float = 0.0
    v_members: float = 0.0
    m_members: float = 0.0


def axes_of(cut: Cut, surface: Surface | None) -> Array:
    """Rows: across the cut (to its left), along it, the plane's normal (up where no surface is cut)."""
    t = cut.line[1] - cut.line[0]
    t = t / np.linalg.norm(t)
    z = surface.plain_axes[2] if surface is not None else np.array([0.0, 0, 1])
    return np.array([np.cross(z, t), t, z])


class Crossing:
    """All that crosses a cut, found once: elements on both sides with the nodes between them, members, and
    the nodes on its left of a floor that moves in plan as one."""

    def __init__(self, model: Model, plates: Plates, cut: Cut, balance: Balance | None = None) -> None:
        """Without `balance` elements alone are cut. Raises CutError for a cut that crosses nothing."""
        self.cut = cut
        shapes = [plates.shapes[s] for s in cut.surfaces if s in plates.surfaces]
        own = next((model.surfaces[s] for s in cut.surfaces if s in model.surfaces), None)
        self.axes = axes_of(cut, shapes[0] if shapes else own)
        self.point = cut.line.mean(axis=0) if cut.about is None else cut.about
        self.length = float(np.linalg.norm(cut.line[1] - cut.line[0]))
        self.between = np.zeros(0, np.int64)
        self.parts: list[list[tuple[NDArray[np.int64], Array]]] = []
        self.strips: list[list[LoadedSurface]] = []
        self.loaded: dict[str, LoadedSurface] = {}
        if shapes:
            self._elements(model, plates)
        self.pieces, self.x, self.sign = np.zeros(0, np.int64), np.zeros(0), np.zeros(0)
        self.left = np.zeros(0, np.int64)
        if balance is not None and abs(self.axes[2, 2]) > 0.5:
            self._members(model, balance)
            self._rigid(balance)
        if not len(self.between) and not len(self.pieces) and not len(self.left):
            what = "element" if shapes else "shell, member or rigid floor that the run computes"
            raise CutError(f"cut {cut.name} crosses no {what}")

    def _elements(self, model: Model, plates: Plates) -> None:
        chosen = np.array([s in set(self.cut.surfaces) for s in plates.surfaces], bool)
        # both sides: their elements, with stiffness where they touch the other side's nodes
        sides: list[list[tuple[NDArray[np.int64], NDArray[np.int64]]]] = [[], []]
        nodes: list[list[NDArray[np.int64]]] = [[], []]
        for elements, of in ((plates.quads, plates.quad_of), (plates.triangles, plates.triangle_of)):
            rel = plates.points[elements].mean(axis=1) - self.cut.line[0]
            along, across = rel @ self.axes[1], rel @ self.axes[0]
            mine = chosen[of] & (along >= -1e-6) & (along <= self.length + 1e-6)
            for k, side in enumerate((across > 0, across <= 0)):
                sides[k].append((elements[mine & side], of[mine & side]))
                nodes[k].append(elements[mine & side].ravel())
        self.between = np.intersect1d(np.concatenate(nodes[0]), np.concatenate(nodes[1]))
        self.arms = plates.points[self.between] - self.point
        self.is_left = (plates.points[self.between] - self.cut.line[0]) @ self.axes[0] > ON_LINE
        for side in sides:
            own = []
            for elements, of in side:
                touching = np.isin(elements, self.between).any(axis=1)
                if touching.any():
                    e = elements[touching]
                    own.append((e, stiffness_of(model, plates, e, of[touching])))
            self.parts.append(own)

        self._strips(plates, chosen, sides)

    def _strips(
        self,
        plates: Plates,
        chosen: NDArray[np.bool_],
        sides: list[list[tuple[NDArray[np.int64], NDArray[np.int64]]]],
    ) -> None:
        """By surface: elements of both sides at the nodes between them, and those that the cut itself passes
        through."""
        for k in np.flatnonzero(chosen).tolist():
            loaded = LoadedSurface(plates.shapes[plates.surfaces[k]], plates)
            self.loaded[plates.surfaces[k]] = loaded
            found: list[LoadedSurface] = []
            for through in (False, True):
                for side in sides:
                    own = []
                    for elements, of in side:
                        e = elements[of == k]
                        across = (plates.points[e] - self.cut.line[0]) @ self.axes[0]
                        if through:
                            hit = (across > 1e-6).any(axis=1) & (across < -1e-6).any(axis=1)
                        else:
                            hit = np.isin(e, self.between).any(axis=1)
                        own.append(e[hit])
                    found.append(loaded.only(own))
            self.strips.append(found)

    def _own_loads(self, balance: Balance, c: int) -> Array:
        """Return what the pressures on the elements beside the cut change: the row of nodes between the
        sides is not the cut itself."""
        out = np.zeros(6)
        if not self.strips:
            return out
        by_surface: dict[str, list[HeldLoad]] = {}
        for load in balance.distribution.case(balance.results.cases[c]).held:
            if load.pressure is not None:
                by_surface.setdefault(load.surface, []).append(load)
        into = np.zeros((len(balance.mesh.xyz), 6))
        arms = balance.mesh.xyz - self.point
        for at_left, at_right, through_left, through_right in self.strips:
            surface = at_left.surface
            ends = np.array([self.cut.line[0], self.cut.line[1]])
            aside = self.axes[0] * 10 * (self.length + 1.0)
            box = [Polygon(surface.flat(np.vstack([ends, ends[::-1] + s * aside]))) for s in (1, -1)]
            for load in by_surface.get(surface.id, ()):
                assert load.pressure is not None
                for part, nodes, sign in (
                    (at_left, self.between[~self.is_left], 1.0),
                    (at_right, self.between[self.is_left], -1.0),
                ):
                    part.put(load.pressure, load.area, into)
                    out += sign * resultant(into[nodes], arms[nodes])
                    into[part.nodes()] = 0.0
                for part, area, sign in ((through_left, box[1], -1.0), (through_right, box[0], 1.0)):
                    part.put(load.pressure, area if load.area is None else area.intersection(load.area), into)
                    own = part.nodes()
                    out += sign * resultant(into[own], arms[own])
                    into[own] = 0.0
        return out

    def _placed_loads(self, balance: Balance, c: int) -> Array:
        """The same for lines and points of load on the elements: what the nodes that go with the right take
        of them, less what lies on the right of the cut itself."""
        out = np.zeros(6)
        if not self.loaded:
            return out
        xyz = balance.mesh.xyz
        left = np.zeros(len(xyz), bool)
        left[self.between] = self.is_left
        shared = np.zeros(len(xyz), bool)
        shared[self.between] = True
        for load in balance.distribution.case(balance.results.cases[c]).held:
            loaded = self.loaded.get(load.surface)
            if load.pressure is not None or loaded is None or not loaded.groups:
                continue
            places, forces = loaded.along(load)
            beside = (places - self.cut.line[0]) @ self.axes[1]
            within = (beside >= -1e-6) & (beside <= self.length + 1e-6)
            if not within.any():
                continue
            for nodes, force, moment, _ in loaded.shared_out(places[within], forces[within]):
                # a node of one side's elements alone goes with them
                own = (xyz[nodes].mean(axis=1) - self.cut.line[0]) @ self.axes[0] > 0
                right = ~np.where(shared[nodes], left[nodes], own[:, None])
                six = np.concatenate([force[right], moment[right]], axis=1)
                out += resultant(six, xyz[nodes[right]] - self.point)
            out -= self._on_right(load)
        return out

    def _on_right(self, load: HeldLoad) -> Array:
        """Force and moment about the cut's point of what of a line or point load lies to its right, beside
        its length."""
        rel = load.line - self.cut.line[0]
        across, along = rel @ self.axes[0], rel @ self.axes[1]
        if len(load.line) == 1:
            inside = across[0] <= 0 and -1e-6 <= along[0] <= self.length + 1e-6
            six = np.concatenate([load.qa, np.zeros(3)])[None] * inside
            return resultant(six, load.line - self.point)
        stops = {0.0, 1.0}
        for values, limit in ((across, 0.0), (along, 0.0), (along, self.length)):
            if (values[0] - limit) * (values[1] - limit) < 0:
                stops.add(float((limit - values[0]) / (values[1] - values[0])))
        out = np.zeros(6)
        d = load.line[1] - load.line[0]
        for a, b in zip(sorted(stops), sorted(stops)[1:]):
            middle = (a + b) / 2
            beside = along[0] + (along[1] - along[0]) * middle
            if across[0] + (across[1] - across[0]) * middle > 0 or not -1e-6 <= beside <= self.length + 1e-6:
                continue
            for g, w in zip(GAUSS, WEIGHT):
                t = a + (b - a) * (g + 1) / 2
                force = (load.qa + (load.qb - load.qa) * t) * (w / 2 * (b - a) * float(np.linalg.norm(d)))
                arm = (load.line[0] + d * t - self.point)[None]
                out += resultant(np.concatenate([force, np.zeros(3)])[None], arm)
        return out

    def _members(self, model: Model, balance: Balance) -> None:
        """Pieces of what lies in the floor and crosses: all but columns and braces."""
        m = balance.mesh
        level = np.array([_lies_in_floor(model, i) for i in m.member_ids], bool)
        ends = m.xyz[m.ends] + m.offset - self.cut.line[0]
        across = ends @ self.axes[0]
        up = across > ON_LINE
        crossing = np.flatnonzero((up[:, 0] != up[:, 1]) & level[m.member])
        d0, d1 = across[crossing].T
        share = np.clip(d0 / (d0 - d1), 0.0, 1.0)
        at = ends[crossing, 0] + (ends[crossing, 1] - ends[crossing, 0]) * share[:, None]
        along, high = at @ self.axes[1], at @ self.axes[2]
        good = (along >= -1e-6) & (along <= self.length + 1e-6) & (np.abs(high) <= LEVEL_REACH)
        self.pieces, self.x = crossing[good], share[good] * m.length[crossing[good]]
        # the force on the face that looks to the end is what the end gives the start
        self.sign = np.where(up[self.pieces, 0], -1.0, 1.0)

    def _rigid(self, balance: Balance) -> None:
        """Nodes on the left of a rigid floor that the whole of the cut passes."""
        xyz = balance.mesh.xyz
        for floor in balance.floors:
            rel = xyz[floor.nodes] - self.cut.line[0]
            across, along = rel @ self.axes[0], rel @ self.axes[1]
            if (
                float(np.abs(rel @ self.axes[2]).min()) > LEVEL_REACH
                or (across > ON_LINE).all()
                or (across <= ON_LINE).all()
            ):
                continue
            if along.min() < -LEVEL_REACH or along.max() > self.length + LEVEL_REACH:
                raise CutError(
                    f"cut {self.cut.name} passes a part only of a floor that is rigid in plan; what crosses that part is not known"
                )
            self.left = np.append(self.left, floor.nodes[across > ON_LINE])

    def of_elements(self, u: Array) -> Array:
        """Return what the left side's elements give the other's: six global components about the cut's
        point, without factor."""
        if not len(self.between):
            return np.zeros(6)
        total = np.zeros((2, 6))
        place = {int(n): k for k, n in enumerate(self.between)}
        for k, part in enumerate(self.parts):
            at = np.zeros((len(self.between), 6))
            for e, stiff in part:
                f = np.einsum("eij,ej->ei", stiff, u[e].reshape(len(e), -1)).reshape(len(e), -1, 6)
                inside = np.isin(e, self.between)
                np.add.at(at, [place[int(n)] for n in e[inside]], f[inside])
            # a node between the sides goes with the side of the cut that it lies on, and so does what hangs
            # on it
            other = ~self.is_left if k == 0 else self.is_left
            total[k] = resultant(at[other], self.arms[other])
        return total[1] - total[0]

    def of_case(self, balance: Balance, c: int) -> tuple[Array, Array]:
        """Return, of a computed case, what elements and rigid floors give, and what members give, as
        `of_elements`."""
        given = self.of_elements(balance.results.displacement[c]) + self._own_loads(balance, c)
        given = given + self._placed_loads(balance, c)
        members = np.zeros(6)
        if len(self.pieces):
            at, force = balance.within(c, self.pieces, self.x)
            members = resultant(force * self.sign[:, None], at - self.point)
        if len(self.left):
            # what the floor gives the nodes on its left comes through the cut
            arms = balance.from_arms(c, self.left)
            arms[:, 2:5] = 0.0
            given = given - resultant(arms, balance.mesh.xyz[self.left] - self.point)
        return given, members

    def of_parts(self, given: Array, members: Array) -> CutForces:
        """Both parts (6,) along and about the cut's own axes, times its factor."""
        turned = [
            np.concatenate([self.axes @ v[:3], self.axes @ v[3:]]) * self.cut.factor
            for v in (given + members, members)
        ]
        all_, own = turned
        return CutForces(
            float(all_[0]), float(all_[1]), float(all_[2]), float(all_[5]), float(all_[4]), float(all_[3]),
            float(own[0]), float(own[1]), float(own[5]),
        )  # fmt: skip


def _lies_in_floor(model: Model, ident: str) -> bool:
    member = model.members.get(ident)
    return member is not None and member.cls not in ("column", "brace")
