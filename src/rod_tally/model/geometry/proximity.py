"""Members that come near each other: bodies of members, bodies of their ends, and candidate pairs by a
spatial index."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from shapely import STRtree, box

from .vectors import Array, Bodies, clear_distance, closest_between_lines, closest_on_segment

PIECE = 1000  # boxes asked for at a time


@dataclass(slots=True)
class Rods:
    """Straight members as arrays: `lines` (n, 2, 3), `axes` (n, 3, 3) as rows, `bounds` (n, 4) as ymin ymax
    zmin zmax of the section (zeros: no body, just an axis), `rounded` (n,)."""

    lines: Array
    axes: Array
    bounds: Array
    rounded: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.lines)

    @property
    def lengths(self) -> Array:
        return np.linalg.norm(self.lines[:, 1] - self.lines[:, 0], axis=1)

    def bodies(self) -> Bodies:
        """The whole bodies, one a member."""
        return self._bodies(np.zeros(len(self)), self.lengths)

    def end_bodies(self) -> Bodies:
        """Bodies of the ends, 2 n: the last half width of each member, start then end of member 0, 1, …"""
        length = self.lengths
        size = np.maximum(self.bounds[:, 1] - self.bounds[:, 0], self.bounds[:, 3] - self.bounds[:, 2])
        reach = np.minimum(length / 2, size / 2)
        first = self._bodies(np.zeros(len(self)), reach)
        last = self._bodies(length - reach, length)

        def weave(a: NDArray, b: NDArray) -> NDArray:
            return np.stack([a, b], axis=1).reshape(2 * len(a), *a.shape[1:])

        return Bodies(
            weave(first.centre, last.centre),
            weave(first.axes, last.axes),
            weave(first.half, last.half),
            weave(first.rounded, last.rounded),
        )

    def _bodies(self, t0: Array, t1: Array) -> Bodies:
        y0, y1, z0, z1 = self.bounds.T
        centre = (
            self.lines[:, 0]
            + self.axes[:, 0] * ((t0 + t1) / 2)[:, None]
            + self.axes[:, 1] * ((y0 + y1) / 2)[:, None]
            + self.axes[:, 2] * ((z0 + z1) / 2)[:, None]
        )
        half = np.column_stack([(t1 - t0) / 2, (y1 - y0) / 2, (z1 - z0) / 2])
        return Bodies(centre, self.axes, half, self.rounded)


def near_boxes(a: tuple[Array, Array], b: tuple[Array, Array], distance: float) -> tuple[NDArray, NDArray]:
    """Index pairs (i, j) of boxes along the axes in `a` and `b` that come within `distance`; (0,) arrays for
    none."""
    (alow, ahigh), (blow, bhigh) = a, b
    if not len(alow) or not len(blow):
        return np.zeros(0, np.intp), np.zeros(0, np.intp)
    tree = STRtree(box(blow[:, 0], blow[:, 1], bhigh[:, 0], bhigh[:, 1]))
    d = distance
    found = []
    # the tree is one of plans, so all storeys answer: in pieces, as the answer to all at once may be very
    # long
    for start in range(0, len(alow), PIECE):
        low, high = alow[start : start + PIECE], ahigh[start : start + PIECE]
        i, j = tree.query(box(low[:, 0] - d, low[:, 1] - d, high[:, 0] + d, high[:, 1] + d))
        good = (low[i, 2] - d <= bhigh[j, 2]) & (high[i, 2] + d >= blow[j, 2])
        found.append((i[good] + start, j[good]))
    return np.concatenate([f[0] for f in found]), np.concatenate([f[1] for f in found])


@dataclass(slots=True)
class EndPairs:
    """Ends near other members: end index (2 m for the start, 2 m + 1 for the end of member m), member, clear
    distance, metres along that member's axis at which they meet, and how far along it the end's own body
    reaches."""

    end: NDArray
    member: NDArray
    clear: Array
    along: Array
    zone: Array

    def take(self, which: NDArray) -> EndPairs:
        return EndPairs(
            self.end[which], self.member[which], self.clear[which], self.along[which], self.zone[which]
        )


def end_pairs(rods: Rods, distance: float) -> EndPairs:
    """All pairs of an end and another member with a clear distance between their bodies of at most
    `distance`.

    Where axes cross, they meet where the lines come closest; where they are nearly parallel, or that place
    lies far beyond both bodies, at the foot of the end's own point."""
    ends, wholes = rods.end_bodies(), rods.bodies()
    e, m = near_boxes(ends.boxes(), wholes.boxes(), distance)
    other = e // 2 != m
    e, m = e[other], m[other]
    clear, _, _ = clear_distance(ends.take(e), wholes.take(m))
    near = clear <= distance
    e, m, clear = e[near], m[near], clear[near]
    own = e // 2
    p = rods.lines[own, e % 2]
    foot, _ = closest_on_segment(p, rods.lines[m, 0], rods.lines[m, 1])
    s, t, sin2 = closest_between_lines(p, rods.axes[own, 0], rods.lines[m, 0], rods.axes[m, 0])
    size = np.abs(rods.bounds).max(axis=1)
    close = (sin2 > 0.03) & (np.abs(s) <= 2 * (size[own] + size[m]) + distance)
    along = np.where(close, np.clip(t, 0, rods.lengths[m]), foot)
    zone = _reach_along(rods, own, m)
    return EndPairs(e, m, clear, along, zone)


def _reach_along(rods: Rods, own: NDArray, m: NDArray) -> Array:
    """Half the extent of each member's section along the axis of the member it meets, m."""
    half_y = (rods.bounds[own, 1] - rods.bounds[own, 0]) / 2
    half_z = (rods.bounds[own, 3] - rods.bounds[own, 2]) / 2
    x = rods.axes[m, 0]
    return half_y * np.abs(np.einsum("ni,ni->n", rods.axes[own, 1], x)) + half_z * np.abs(
        np.einsum("ni,ni->n", rods.axes[own, 2], x)
    )


def crossing_pairs(rods: Rods, distance: float) -> tuple[NDArray, NDArray, Array, Array, Array]:
    """Pairs i < j of members not parallel whose axes come closest inside both, with bodies at most `distance`
    apart.

    Returns (i, j, metres along i, metres along j, clear distance).
    """
    bodies = rods.bodies()
    i, j = near_boxes(bodies.boxes(), bodies.boxes(), distance)
    once = i < j
    i, j = i[once], j[once]
    s, t, sin2 = closest_between_lines(rods.lines[i, 0], rods.axes[i, 0], rods.lines[j, 0], rods.axes[j, 0])
    length = rods.lengths
    inside = (sin2 > 0.001) & (s > 0) & (s < length[i]) & (t > 0) & (t < length[j])
    i, j, s, t = i[inside], j[inside], s[inside], t[inside]
    clear, _, _ = clear_distance(bodies.take(i), bodies.take(j))
    near = clear <= distance
    return i[near], j[near], s[near], t[near], clear[near]
