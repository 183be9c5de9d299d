"""A panel: a polygon in its own plane whose edges are carried by beams and walls, or free."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from shapely import is_ccw
from shapely.geometry import Polygon

from ...model.catalogue.shapes import polygon_moments
from ...model.geometry.vectors import Array

FREE_EDGE = -1


@dataclass
class Panel:
    """`polygon` in plane coordinates (m), openings as holes. `start`, `end` (n, 2): its edges, the panel on
    their left. `carrier` (n,): what carries each edge, as the caller numbers it; FREE_EDGE for none. `points`
    (m, 2) are columns that carry it away from its carried edges, `point_carrier` (m,) their numbers."""

    polygon: Polygon
    start: Array
    end: Array
    carrier: NDArray[np.int64]
    points: Array = field(default_factory=lambda: np.zeros((0, 2)))
    point_carrier: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))

    @classmethod
    def of(cls, polygon: Polygon, carrier: list[int] | None = None) -> Panel:
        """The panel of a polygon; without `carrier` every edge carries, numbered in order: outline, then
        openings."""
        starts, ends = ring_edges(polygon)
        count = len(starts)
        return cls(
            polygon, starts, ends, np.arange(count) if carrier is None else np.array(carrier, np.int64)
        )

    @cached_property
    def length(self) -> Array:
        return np.linalg.norm(self.end - self.start, axis=1)

    @cached_property
    def along(self) -> Array:
        """Unit vectors along the edges (n, 2)."""
        return (self.end - self.start) / self.length[:, None]

    @cached_property
    def inward(self) -> Array:
        """Unit normals of the edges into the panel (n, 2)."""
        return np.column_stack([-self.along[:, 1], self.along[:, 0]])

    @cached_property
    def carried(self) -> NDArray[np.int64]:
        """Indices of the edges that something carries."""
        return np.flatnonzero(self.carrier != FREE_EDGE)

    @property
    def empty(self) -> bool:
        """Return whether nothing carries it."""
        return not len(self.carried) and not len(self.points)

    @cached_property
    def places(self) -> tuple[Array, Array]:
        """Where rows of edges, then of points, start, and the unit vectors they run along."""
        return (
            np.concatenate([self.start, self.points]),
            np.concatenate([self.along, np.tile([1.0, 0.0], (len(self.points), 1))]),
        )

    @cached_property
    def neighbours(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Index of the edge before and after each one, along its ring."""
        before, after = [], []
        first = 0
        for ring in (self.polygon.exterior, *self.polygon.interiors):
            n = len(ring.coords) - 1
            k = np.arange(n)
            before.append(first + (k - 1) % n)
            after.append(first + (k + 1) % n)
            first += n
        return np.concatenate(before), np.concatenate(after)

    @cached_property
    def convex(self) -> bool:
        """Return whether the outline is convex."""
        n = len(self.polygon.exterior.coords) - 1
        a = self.along[:n]
        b = np.roll(a, -1, axis=0)
        return bool((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0] >= -1e-9).all())


def ring_edges(polygon: Polygon) -> tuple[Array, Array]:
    """Starts and ends (n, 2) of a polygon's edges, outline first, the inside on their left."""
    starts, ends = [], []
    for k, ring in enumerate((polygon.exterior, *polygon.interiors)):
        points = np.array(ring.coords)
        if is_ccw(ring) == (k > 0):
            points = points[::-1]
        starts.append(points[:-1])
        ends.append(points[1:])
    return np.concatenate(starts), np.concatenate(ends)


def second_moments(polygon: Polygon) -> Array:
    """The integrals of [1, x, y] times [1, x, y] over a polygon, openings left out: (3, 3), m2 to m4.

    About the polygon's first corner, for the sake of rounding, and moved from there.
    """
    base = np.array(polygon.exterior.coords[0])
    local = np.zeros((3, 3))
    for k, ring in enumerate((polygon.exterior, *polygon.interiors)):
        area, sx, sy, yy, xx, xy = polygon_moments(np.array(ring.coords)[:-1] - base)
        local += (-1.0 if k else 1.0) * np.array([[area, sx, sy], [sx, xx, xy], [sy, xy, yy]])
    shift = np.array([[1, 0, 0], [base[0], 1, 0], [base[1], 0, 1]])
    return shift @ local @ shift.T
