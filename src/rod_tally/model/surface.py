"""A flat surface: a slab's or a wall's mid-surface with its openings and thickness."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from .geometry import Array
from .shapes import polygon_moments

LEVEL = 0.7  # cosine from vertical above which a normal counts as that of a slab


@dataclass(slots=True)
class Surface:
    """`outer` (n, 3) and `openings` lie in one plane, m; `thickness` in m. `guess` says what transfer had to assume."""

    id: str
    name: str
    cls: str
    storey: str
    outer: Array
    openings: list[Array]
    thickness: float
    material: str
    guess: str = ""
    log: list[str] = field(default_factory=list)

    @property
    def axes(self) -> Array:
        """Rows x, y, z: a slab's z points up, a wall's y points up, so that directions agree from one to the next."""
        n = normal_of(self.outer)
        if abs(n[2]) > LEVEL:
            n = n if n[2] > 0 else -n
            x = np.array([1.0, 0, 0]) - n[0] * n
            x = x / np.linalg.norm(x)
            return np.array([x, np.cross(n, x), n])
        up = np.array([0, 0, 1.0]) - n[2] * n
        y = up / np.linalg.norm(up)
        first = n[0] if abs(n[0]) > 1e-9 else n[1]
        z = n if first > 0 else -n
        return np.array([np.cross(y, z), y, z])

    def flat(self, points: Array) -> Array:
        """Points (n, 3) of the plane as (n, 2) in its own x and y about the first corner."""
        return (points - self.outer[0]) @ self.axes[:2].T

    @property
    def area(self) -> float:
        """Net of openings, m2."""
        rings = [self.flat(r) for r in (self.outer, *self.openings)]
        areas = [polygon_moments([(float(a), float(b)) for a, b in ring])[0] for ring in rings]
        return areas[0] - sum(areas[1:])

    @property
    def volume(self) -> float:
        return self.area * self.thickness

    @property
    def centroid(self) -> Array:
        """Of the outline, openings left aside, m."""
        area, sy, sz, *_ = polygon_moments([(float(a), float(b)) for a, b in self.flat(self.outer)])
        return self.outer[0] + np.array([sy, sz]) / area @ self.axes[:2]


def normal_of(points: Array) -> Array:
    """Unit normal of a polygon (n, 3) by Newell's method. Raises ValueError for one without area."""
    q = np.roll(points, -1, axis=0)
    n = np.cross(points - points[0], q - points[0]).sum(axis=0)
    size = float(np.linalg.norm(n))
    if not size > 1e-12:
        raise ValueError("its outline encloses no area")
    return n / size
