"""Loads on shells as forces at their nodes, by the elements' own shape functions, so that force and moment
are kept."""

from __future__ import annotations

from collections.abc import Iterator
from copy import copy

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import STRtree, polygons
from shapely import points as as_points
from shapely.geometry.base import BaseGeometry

from ...loads.arrival import HeldLoad
from ...meshing import Plates
from ...model import Surface
from ...model.geometry.vectors import Array
from .elements import CORNERS, QUAD_POINTS, TRIANGLE_POINTS, quad_shape, triangle_shape

GAUSS, WEIGHT = np.polynomial.legendre.leggauss(2)
FINE = 4  # pieces of a line load to an element's size
ALIKE = 0.02  # by which the mesh's area may differ from the surface's and still take its whole load


class LoadedSurface:
    """The elements of one surface in its own plane, to put loads on."""

    def __init__(self, surface: Surface, plates: Plates) -> None:
        k = plates.surfaces.index(surface.id)
        self.surface = surface
        self.groups = [
            e
            for e in (plates.quads[plates.quad_of == k], plates.triangles[plates.triangle_of == k])
            if len(e)
        ]
        self.points = plates.points
        self.flat = [surface.flat(plates.points[e.ravel()]).reshape(*e.shape, 2) for e in self.groups]
        self._tree: STRtree | None = None

    @property
    def tree(self) -> STRtree:
        """Outlines of all elements, the groups one after the other."""
        if self._tree is None:
            self._tree = STRtree(np.concatenate([polygons(f) for f in self.flat]))
        return self._tree

    def only(self, groups: list[NDArray[np.int64]]) -> LoadedSurface:
        """The same surface with some of its elements alone."""
        out = copy(self)
        out.groups = [e for e in groups if len(e)]
        out.flat = [self.surface.flat(self.points[e.ravel()]).reshape(*e.shape, 2) for e in out.groups]
        out._tree = None
        return out

    def nodes(self) -> NDArray[np.int64]:
        """Nodes of its elements."""
        return (
            np.unique(np.concatenate([e.ravel() for e in self.groups]))
            if self.groups
            else np.zeros(0, np.int64)
        )

    def put(self, field: Array, area: BaseGeometry | None, into: Array) -> None:
        """A pressure field over a part of the plane, None for all of it."""
        if not self.groups:
            return
        if area is None:
            self.whole(field, into)
        elif not area.is_empty:
            self.part(field, area, into)

    def whole(self, field: Array, into: Array) -> None:
        """A pressure field (3, 3) over all elements into nodal forces (n, 6)."""
        for e, f in zip(self.groups, self.flat):
            n = e.shape[1]
            points, weight = (QUAD_POINTS, 1.0) if n == 4 else (TRIANGLE_POINTS, 1 / 6)
            for a, b in points:
                v, d = quad_shape(a, b) if n == 4 else triangle_shape(a, b)
                j = np.einsum("kn,eni->eki", d, f)
                det = j[:, 0, 0] * j[:, 1, 1] - j[:, 0, 1] * j[:, 1, 0]
                at = np.einsum("n,eni->ei", v, f)
                p = (field[0] + at @ field[1:]) * (det * weight)[:, None]
                for c in range(n):
                    np.add.at(into[:, :3], e[:, c], v[c] * p)

    def part(self, field: Array, area: BaseGeometry, into: Array) -> None:
        """A pressure field over a part of the plane: each element takes what lies on it."""
        hit = np.sort(self.tree.query(area, predicate="intersects"))
        first = 0
        for e, f in zip(self.groups, self.flat):
            own = hit[(hit >= first) & (hit < first + len(e))] - first
            first += len(e)
            pieces = shapely.intersection(polygons(f[own]), area)
            own, pieces = own[(large := shapely.area(pieces) > 1e-12)], pieces[large]
            parts, of = shapely.get_parts(pieces, return_index=True)
            flat = shapely.get_type_id(parts) == shapely.GeometryType.POLYGON
            piece, a, b, c, size = fans(parts[flat])
            k = own[of[flat][piece]]
            for r, s in TRIANGLE_POINTS:
                at = a + r * (b - a) + s * (c - a)
                force = (field[0] + at @ field[1:]) * (size / 3)[:, None]
                np.add.at(into[:, :3], e[k], shares(f[k], at)[:, :, None] * force[:, None])

    def take(self, places: Array, forces: Array, into: Array) -> None:
        """Forces (k, 3) at places (k, 3), each to the element that holds its place; what is off the element
        turns it."""
        for nodes, force, moment, _ in self.shared_out(places, forces):
            np.add.at(into[:, :3], nodes, force)
            np.add.at(into[:, 3:], nodes, moment)

    def shared_out(
        self, places: Array, forces: Array
    ) -> Iterator[tuple[NDArray[np.int64], Array, Array, NDArray[np.int64]]]:
        """Nodes (m, n) of the elements that hold the places, with the force and moment (m, n, 3) that each
        node takes, and which places (m,) these are; by the elements' number of corners."""
        flat = self.surface.flat(places)
        hit = self.tree.nearest(as_points(flat))
        first = 0
        for e, corners in zip(self.groups, self.flat):
            mine = np.flatnonzero((hit >= first) & (hit < first + len(e)))
            own = hit[mine] - first
            first += len(e)
            if not len(mine):
                continue
            n = np.clip(shares(corners[own], flat[mine]), 0.0, 1.0)
            n = n / n.sum(axis=1)[:, None]
            nodes, force = e[own], forces[mine]
            arm = places[mine] - np.einsum("kn,kni->ki", n, self.points[nodes])
            yield nodes, n[:, :, None] * force[:, None], n[:, :, None] * np.cross(arm, force)[:, None], mine

    def along(self, load: HeldLoad) -> tuple[Array, Array]:
        """A line load, or a force at a point, as forces (k, 3) at places (k, 3) several to an element."""
        if len(load.line) == 1:
            return load.line, load.qa[None]
        d = load.line[1] - load.line[0]
        length = float(np.linalg.norm(d))
        n = max(1, int(np.ceil(FINE * length / self.edge)))
        t = ((np.arange(n)[:, None] + (GAUSS + 1) / 2) / n).ravel()
        w = np.tile(WEIGHT / 2 / n * length, n)
        return load.line[0] + np.outer(t, d), (load.qa + np.outer(t, load.qb - load.qa)) * w[:, None]

    @property
    def edge(self) -> float:
        """A usual length of an element's side, m."""
        return float(np.median([np.linalg.norm(f[:, 1] - f[:, 0], axis=1).mean() for f in self.flat]))


def fans(shapes: NDArray[np.object_]) -> tuple[NDArray[np.int64], Array, Array, Array, Array]:
    """Triangles that add up to polygons: which polygon each is of (n,), its corners a, b, c (n, 2), and its area
    (n,), negative for what takes off: of holes, and of what a fan covers beyond its ring."""
    rings, of = shapely.get_rings(shapes, return_index=True)
    points, ring = shapely.get_coordinates(rings, return_index=True)
    first = np.searchsorted(ring, np.arange(len(rings)))
    count = np.bincount(ring, minlength=len(rings))
    place = np.arange(len(points)) - first[ring]
    second = np.flatnonzero((place > 0) & (place < count[ring] - 2))  # the last point is the first again
    ring = ring[second]
    a, b, c = points[first[ring]], points[second], points[second + 1]
    size = ((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2
    outer = np.append(True, of[1:] != of[:-1])[: len(of)]
    turn = np.sign(np.bincount(ring, size, len(rings))) * np.where(outer, 1.0, -1.0)
    return of[ring], a, b, c, size * turn[ring]


def shares(corners: Array, at: Array) -> Array:
    """Shape functions (k, n) of elements (k, n, 2) at a place (k, 2) in the plane of each; Newton's method
    for quadrilaterals."""
    if corners.shape[1] == 3:
        m = np.stack([corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]], axis=-1)
        r, s = np.linalg.solve(m, (at - corners[:, 0])[..., None])[..., 0].T
        return np.stack([1 - r - s, r, s], axis=1)
    xi = np.zeros((len(at), 2))
    for _ in range(12):
        v, d = _bilinear(xi)
        rest = np.einsum("kn,kni->ki", v, corners) - at
        j = np.einsum("kdn,kni->kid", d, corners)
        step = np.linalg.solve(j, rest[..., None])[..., 0]
        xi = np.clip(xi - step, -1.5, 1.5)
        if np.abs(step).max(initial=0.0) < 1e-12:
            break
    return _bilinear(xi)[0]


def _bilinear(xi: Array) -> tuple[Array, Array]:
    """Shape functions (k, 4) and derivatives (k, 2, 4) of quadrilaterals at places (k, 2) of their own."""
    a, b = 1 + xi[:, :1] * CORNERS[:, 0], 1 + xi[:, 1:] * CORNERS[:, 1]
    return a * b / 4, np.stack([CORNERS[:, 0] * b, CORNERS[:, 1] * a], axis=1) / 4


def plate_loads(plates: Plates, held: list[HeldLoad]) -> tuple[Array, Array]:
    """Nodal forces (n, 6) of what surfaces hold, and the force (3,) on shells that the mesh does not have."""
    into = np.zeros((len(plates.points), 6))
    missed = np.zeros(3)
    known: dict[str, LoadedSurface] = {}
    points: dict[str, list[tuple[Array, Array]]] = {}
    for load in held:
        if load.surface in plates.columns:
            continue  # a column takes it along its axis
        if load.surface not in plates.surfaces:
            if load.surface in plates.failed:
                missed += load.force
            continue
        if load.surface not in known:
            known[load.surface] = LoadedSurface(plates.shapes[load.surface], plates)
        on = known[load.surface]
        if load.pressure is None:
            if len(load.line) == 1 or np.linalg.norm(load.line[1] - load.line[0]) > 1e-9:
                points.setdefault(load.surface, []).append(on.along(load))
            continue
        own = np.zeros_like(into)
        if load.area is None:
            on.whole(load.pressure, own)
        else:
            on.part(load.pressure, load.area, own)
        got, wanted = own[:, :3].sum(axis=0), load.force
        k = int(np.abs(wanted).argmax())
        # outlines are smoothed by millimetres for the mesh; the load stays that of the outline
        if got[k] and abs(wanted[k] / got[k] - 1) < ALIKE:
            own *= wanted[k] / got[k]
        into += own
    for ident, parts in points.items():
        known[ident].take(np.concatenate([p for p, _ in parts]), np.concatenate([f for _, f in parts]), into)
    return into, missed
