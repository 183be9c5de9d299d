"""Surfaces as bodies: which members' ends touch them, which members lie along them, where two of them
meet."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon

from ..entities.surface import Surface
from .proximity import Rods, near_boxes
from .vectors import Array, Bodies, clear_distance

ALONG = 0.17  # sine of about 10 degrees: a member flatter than this to a surface lies along it
ROUNDING = 1e-7  # m; what lies less off an outline lies on it
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
            below, above = s.reach
            low[2], high[2] = low[2] - below, high[2] + above
            centre.append(s.outer[0] + (low + high) / 2 @ axes)
            half.append((high - low) / 2)
        n = len(self.surfaces)
        return Bodies(
            np.array(centre).reshape(-1, 3), self.axes, np.array(half).reshape(-1, 3), np.zeros(n, bool)
        )

    @cached_property
    def origins(self) -> Array:
        """First corners (n, 3), m."""
        return np.array([s.outer[0] for s in self.surfaces]).reshape(-1, 3)

    def off(self, k: NDArray, points: Array) -> Array:
        """How far points (n, 3), brought into the planes of surfaces k (n,), lie off their outlines, m; 0 on
        them."""
        flat = np.einsum("nij,nj->ni", self.axes[k][:, :2], points - self.origins[k])
        return np.asarray(shapely.distance(np.array(self.polygons, object)[k], shapely.points(flat)), float)


@dataclass(slots=True)
class Touch:
    """A member's end (2 m, 2 m + 1) at a surface: the place in its plane, the clear distance, whether across
    it."""

    end: int
    surface: int
    point: Array
    clear: float
    across: bool


def touching_ends(
    rods: Rods, panels: Panels, distance: float, which: NDArray[np.bool_] | None = None
) -> list[Touch]:
    """Ends whose body comes within `distance` of a surface's body; `which` (2m,): those of ends that count.

    An end that runs across the surface is brought into its plane along its own axis; one that runs along it
    counts only where it stops at the surface's edge, and is brought there straight."""
    if not len(panels) or not len(rods):
        return []
    ends, bodies = rods.end_bodies(), panels.bodies
    e, k = near_boxes(ends.boxes(), bodies.boxes(), distance)
    if which is not None:
        e, k = e[which[e]], k[which[e]]
    clear, _, _ = clear_distance(ends.take(e), bodies.take(k))
    good = clear <= distance
    e, k, clear = e[good], k[good], clear[good]
    size = np.abs(rods.bounds).max(axis=1, initial=0.0)
    m = e // 2
    p, x, n = rods.lines[m, e % 2], rods.axes[m, 0], panels.axes[k, 2]
    slope = np.einsum("ni,ni->n", x, n)
    height = np.einsum("ni,ni->n", p - panels.origins[k], n)
    crosses = np.abs(slope) > ALONG
    thickness = np.array([2 * max(s.reach) for s in panels.surfaces])[k]
    # of one that crosses and lies far from the plane the middle lies in the surface, not the end; of those
    # that run along the surface only an end that stops at an edge counts, such as a beam between two walls in
    # line
    good = np.where(crosses, np.abs(height) <= thickness / 2 + 2 * size[m] + distance, True)
    good[~crosses] = panels.off(k[~crosses], rods.lines[m[~crosses]].mean(axis=1)) > ROUNDING
    e, k, clear, m, p, x, n, slope, height, crosses = (
        v[good] for v in (e, k, clear, m, p, x, n, slope, height, crosses)
    )
    along = np.where(crosses, height / np.where(crosses, slope, 1.0), height)
    points = p - np.where(crosses[:, None], x, n) * along[:, None]
    touches = np.flatnonzero(panels.off(k, points) <= size[m] + distance)
    return [
        Touch(int(e[i]), int(k[i]), points[i], float(clear[i]), bool(crosses[i])) for i in touches.tolist()
    ]


@dataclass(slots=True)
class Pass:
    """A member that goes through a surface in one piece: its number, the surface's, and the place in its
    plane."""

    member: int
    surface: int
    point: Array


def passing(rods: Rods, panels: Panels, distance: float, which: NDArray[np.intp]) -> list[Pass]:
    """Which of the members `which` go on beyond both faces of a surface that they touch on their way."""
    if not len(panels) or not len(which):
        return []
    bodies, walls = rods.bodies().take(which), panels.bodies
    m, k = near_boxes(bodies.boxes(), walls.boxes(), distance)
    m = which[m]
    normal = panels.axes[k, 2]
    height = np.einsum("nki,ni->nk", rods.lines[m] - panels.origins[k][:, None], normal)
    reach = np.array([max(s.reach) for s in panels.surfaces])[k] + distance
    through = (height[:, 0] * height[:, 1] < 0) & (np.abs(height).min(axis=1) > reach)
    through &= np.abs(np.einsum("ni,ni->n", rods.axes[m, 0], normal)) > ALONG
    m, k, height = m[through], k[through], height[through]
    share = height[:, 0] / (height[:, 0] - height[:, 1])
    points = rods.lines[m, 0] + (rods.lines[m, 1] - rods.lines[m, 0]) * share[:, None]
    # of a section that stands beside its axis, and of one at an edge, the body counts, not the axis
    size = np.abs(rods.bounds).max(axis=1, initial=0.0)
    near = panels.off(k, points) <= size[m] + distance
    return [Pass(int(a), int(b), p) for a, b, p in zip(m[near], k[near], points[near])]


def lying_along(
    rods: Rods,
    panels: Panels,
    distance: float,
    wanted: Callable[[NDArray[np.intp], NDArray[np.intp]], NDArray[np.bool_]] | None = None,
) -> list[tuple[int, int, Array, float]]:
    """Members that lie along a surface with bodies within `distance`: (member, surface, place (2, 3), height
    of axis); `wanted` says which pairs of both count."""
    if not len(panels) or not len(rods):
        return []
    bodies, walls = rods.bodies(), panels.bodies
    m, k = near_boxes(bodies.boxes(), walls.boxes(), distance)
    if wanted is not None:
        mine = wanted(m, k)
        m, k = m[mine], k[mine]
    slope = np.abs(np.einsum("ni,ni->n", rods.axes[m, 0], panels.axes[k, 2]))
    flat = slope < ALONG
    m, k = m[flat], k[flat]
    clear, _, _ = clear_distance(bodies.take(m), walls.take(k))
    good = clear <= distance
    size = np.abs(rods.bounds).max(axis=1, initial=0.0)
    m, k = m[good], k[good]
    reach = size[m] + distance
    # what ends at an edge comes within reach of it for a little way; what runs along it for longer
    least = np.maximum(np.maximum(SHORTEST, 0.02 * rods.lengths[m]), 1.5 * reach)
    rel = rods.lines[m] - panels.origins[k][:, None]
    flat_lines = np.einsum("nij,npj->npi", panels.axes[k][:, :2], rel)
    # cheaper than an outline, and never shorter: within the box about it
    box = shapely.bounds(np.array(panels.polygons, object)).reshape(-1, 2, 2)[k]
    box = box + np.array([-1.0, 1.0])[:, None] * reach[:, None, None]
    good = _within(flat_lines, box) > least * (1 - ROUNDING)
    m, k, reach, least, rel, flat_lines = (v[good] for v in (m, k, reach, least, rel, flat_lines))
    # members of one section along one surface ask for the same widened outline
    pair, which = np.unique(np.column_stack([k, np.round(reach, 9)]), axis=0, return_inverse=True)
    wide = shapely.buffer(np.array(panels.polygons, object)[pair[:, 0].astype(int)], pair[:, 1], quad_segs=16)
    within = shapely.intersection(shapely.linestrings(flat_lines), wide[which.ravel()])
    height = np.einsum("ni,ni->n", rel.mean(axis=1), panels.axes[k, 2])
    out = []
    for n in np.flatnonzero(shapely.length(within) > 0).tolist():
        piece = longest(within[n])
        if piece is not None and piece.length > least[n]:
            s = int(k[n])
            place = panels.surfaces[s].lifted(np.array(piece.coords)[[0, -1]])
            out.append((int(m[n]), s, place, float(height[n])))
    return out


def _within(lines: Array, box: Array) -> Array:
    """Lengths (n,) of straight lines (n, 2, 2) inside boxes (n, 2, 2) of lower and upper corners."""
    d = lines[:, 1] - lines[:, 0]
    still = np.abs(d) <= ROUNDING
    safe = np.where(still, 1.0, d)
    s, t = ((box[:, i] - lines[:, 0]) / safe for i in (0, 1))
    outside = still & ((lines[:, 0] < box[:, 0]) | (lines[:, 0] > box[:, 1]))
    low = np.where(still, 0.0, np.minimum(s, t)).max(axis=1).clip(0.0, 1.0)
    high = np.where(still, 1.0, np.maximum(s, t)).min(axis=1).clip(0.0, 1.0)
    share = np.where(outside.any(axis=1), 0.0, np.maximum(high - low, 0.0))
    return np.asarray(share * np.linalg.norm(d, axis=1))


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
