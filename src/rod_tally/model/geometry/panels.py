"""Surfaces as bodies: which members' ends touch them, which members lie along them, where two of them meet."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import LineString, Point, Polygon

from ..entities.surface import Surface
from .proximity import Rods, near_boxes
from .vectors import Array, Bodies, clear_distance

ALONG = 0.17  # sine of about 10 degrees: a member flatter than this to a surface lies along it
SHORTEST = 0.05  # m; shorter places where two things run along each other are none


class Panels:
    """Surfaces with what is asked of them often."""

    def __init__(self, surfaces: list[Surface]) -> None:
        self.surfaces = surfaces

    def __len__(self) -> int:
        return len(self.surfaces)

    @cached_property
    def axes(self) -> Array:
        return np.array([s.plain_axes for s in self.surfaces]).reshape(-1, 3, 3)

    @cached_property
    def polygons(self) -> list[Polygon]:
        """Outlines with openings, each in its plane's own coordinates."""
        return [p if p.is_valid else p.buffer(0) for p in (s.polygon for s in self.surfaces)]

    @cached_property
    def bodies(self) -> Bodies:
        """The boxes around them, as thick as they are."""
        centre, half = [], []
        for s, axes in zip(self.surfaces, self.axes):
            flat = (s.outer - s.outer[0]) @ axes.T
            low, high = flat.min(axis=0), flat.max(axis=0)
            centre.append(s.outer[0] + (low + high) / 2 @ axes)
            half.append([*(high - low)[:2] / 2, s.thickness / 2])
        n = len(self.surfaces)
        return Bodies(np.array(centre).reshape(-1, 3), self.axes, np.array(half).reshape(-1, 3), np.zeros(n, bool))

    def near(self, k: int, point: Array, reach: float) -> bool:
        """Whether a point, brought into the plane of surface k, lies on it or within `reach` of its outline."""
        flat = self.surfaces[k].flat(point[None])[0]
        return bool(self.polygons[k].distance(Point(flat)) <= reach)


@dataclass(slots=True)
class Touch:
    """A member's end (2 m, 2 m + 1) at a surface: the place in its plane, the clear distance, whether across it."""

    end: int
    surface: int
    point: Array
    clear: float
    across: bool


def touching_ends(rods: Rods, panels: Panels, distance: float) -> list[Touch]:
    """Ends whose body comes within `distance` of a surface's body.

    An end that runs across the surface is brought into its plane along its own axis; one that runs along it counts only
    where it stops at the surface's edge, and is brought there straight.
    """
    if not len(panels) or not len(rods):
        return []
    ends, bodies = rods.end_bodies(), panels.bodies
    e, k = near_boxes(ends.boxes(), bodies.boxes(), distance)
    clear, _, _ = clear_distance(ends.take(e), bodies.take(k))
    good = clear <= distance
    e, k, clear = e[good], k[good], clear[good]
    size = np.abs(rods.bounds).max(axis=1, initial=0.0)
    out = []
    for end, s, gap in zip(e.tolist(), k.tolist(), clear.tolist()):
        m = end // 2
        p, x, n = rods.lines[m, end % 2], rods.axes[m, 0], panels.axes[s, 2]
        slope = float(x @ n)
        height = float((p - panels.surfaces[s].outer[0]) @ n)
        if abs(slope) > ALONG:
            reach = panels.surfaces[s].thickness / 2 + 2 * float(size[m]) + distance
            if abs(height) > reach:
                continue  # its middle lies in the surface, not its end
            point, crosses = p - x * height / slope, True
        else:
            # along the surface: only an end that stops at an edge, such as a beam between two walls in line
            other = rods.lines[m].mean(axis=0)
            if panels.near(s, other, 0.0):
                continue
            point, crosses = p - n * height, False
        if panels.near(s, point, float(size[m]) + distance):
            out.append(Touch(end, s, point, gap, crosses))
    return out


def lying_along(rods: Rods, panels: Panels, distance: float) -> list[tuple[int, int, Array, float]]:
    """Members that lie along a surface with bodies within `distance`: (member, surface, place (2, 3), height of axis)."""
    if not len(panels) or not len(rods):
        return []
    bodies, walls = rods.bodies(), panels.bodies
    m, k = near_boxes(bodies.boxes(), walls.boxes(), distance)
    slope = np.abs(np.einsum("ni,ni->n", rods.axes[m, 0], panels.axes[k, 2]))
    flat = slope < ALONG
    m, k = m[flat], k[flat]
    clear, _, _ = clear_distance(bodies.take(m), walls.take(k))
    good = clear <= distance
    size = np.abs(rods.bounds).max(axis=1, initial=0.0)
    out = []
    for i, s in zip(m[good].tolist(), k[good].tolist()):
        surface = panels.surfaces[s]
        height = float(surface.height(rods.lines[i].mean(axis=0)[None])[0])
        line = LineString(surface.flat(rods.lines[i]))
        reach = float(size[i]) + distance
        piece = longest(line.intersection(panels.polygons[s].buffer(reach)))
        # what ends at an edge comes within reach of it for a little way; what runs along it for longer
        if piece is not None and piece.length > max(SHORTEST, 0.02 * line.length, 1.5 * reach):
            out.append((i, s, surface.lifted(np.array(piece.coords)[[0, -1]]), height))
    return out


def longest(shape: object) -> LineString | None:
    """The longest straight piece of an intersection; None where it has none."""
    parts = getattr(shape, "geoms", [shape])
    lines = [p for p in parts if isinstance(p, LineString) and p.length > 0]
    return max(lines, key=lambda p: p.length) if lines else None


def meeting_pairs(panels: Panels, distance: float) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Pairs i < j of surfaces whose bodies come within `distance` of each other."""
    bodies = panels.bodies
    i, j = near_boxes(bodies.boxes(), bodies.boxes(), distance)
    once = i < j
    i, j = i[once], j[once]
    clear, _, _ = clear_distance(bodies.take(i), bodies.take(j))
    near = clear <= distance
    return i[near], j[near]
