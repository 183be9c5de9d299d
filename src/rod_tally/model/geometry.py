"""Vectors, local axes, and the clear distance between straight bodies."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def local_axes(x: Array, z_near: Array) -> Array:
    """Rows x, y, z of the right-handed axes with x along `x` and z as near to `z_near` as it can be.

    Works on one vector (3,) or on many (n, 3). Where `z_near` is parallel to x, global X is used instead (global Y
    where x is along X itself). A zero x raises ValueError.
    """
    x = np.atleast_2d(np.asarray(x, float))
    z = np.broadcast_to(np.asarray(z_near, float), x.shape).copy()
    length = np.linalg.norm(x, axis=1, keepdims=True)
    if (length == 0).any():
        raise ValueError("a member of no length has no local axes")
    x = x / length
    norm = np.linalg.norm(z, axis=1, keepdims=True)
    z = np.where(norm > 0, z / np.where(norm > 0, norm, 1), 0.0)
    y = np.cross(z, x)
    for axis in ([1.0, 0, 0], [0, 1.0, 0]):
        bad = np.linalg.norm(y, axis=1) < 1e-6
        if bad.any():
            y[bad] = np.cross(np.array(axis), x[bad])
    y /= np.linalg.norm(y, axis=1, keepdims=True)
    axes = np.stack([x, y, np.cross(x, y)], axis=1)
    return axes[0] if axes.shape[0] == 1 and np.ndim(z_near) == 1 else axes


def default_z(x: Array) -> Array:
    """The local z a member gets when the source says nothing: up; global X for a vertical member."""
    x = np.asarray(x, float)
    vertical = np.hypot(x[0], x[1]) < 1e-3 * abs(x[2])
    return np.array([1.0, 0, 0]) if vertical else np.array([0, 0, 1.0])


class Bodies:
    """Straight bodies as boxes: centre (n, 3), axes (n, 3, 3) as rows x y z, half sizes (n, 3), and which are round."""

    def __init__(self, centre: Array, axes: Array, half: Array, rounded: NDArray[np.bool_]) -> None:
        self.centre, self.axes, self.half, self.rounded = centre, axes, half, rounded

    def take(self, index: NDArray[np.intp]) -> Bodies:
        return Bodies(self.centre[index], self.axes[index], self.half[index], self.rounded[index])

    def nearest(self, points: Array) -> Array:
        """The point of each body nearest to each of `points` (n, 3)."""
        local = np.einsum("nij,nj->ni", self.axes, points - self.centre)
        inside = np.clip(local, -self.half, self.half)
        if self.rounded.any():
            radius = self.half[:, 1]
            reach = np.hypot(local[:, 1], local[:, 2])
            shrink = np.where(reach > radius, radius / np.where(reach > 0, reach, 1), 1.0)
            disk = np.column_stack([inside[:, 0], local[:, 1] * shrink, local[:, 2] * shrink])
            inside = np.where(self.rounded[:, None], disk, inside)
        return self.centre + np.einsum("nij,ni->nj", self.axes, inside)

    def boxes(self) -> tuple[Array, Array]:
        """Lower and upper corners (n, 3) of the boxes along the global axes around the bodies."""
        reach = np.einsum("nij,ni->nj", np.abs(self.axes), self.half)
        return self.centre - reach, self.centre + reach


def clear_distance(a: Bodies, b: Bodies, sweeps: int = 200) -> tuple[Array, Array, Array]:
    """Distance (n,) between body i of `a` and body i of `b`, with the nearest point on each; 0 where they touch.

    Alternating projections between convex sets (Cheney and Goldstein 1959): each sweep takes the nearest point of one
    body to the last point of the other. Pairs that have settled drop out.
    """
    on_a = a.nearest(b.centre)
    on_b = b.nearest(on_a)
    live = np.arange(len(on_a))
    last = np.linalg.norm(on_a - on_b, axis=1)
    for _ in range(sweeps):
        if not len(live):
            break
        la, lb = a.take(live), b.take(live)
        pa = la.nearest(on_b[live])
        pb = lb.nearest(pa)
        on_a[live], on_b[live] = pa, pb
        now = np.linalg.norm(pa - pb, axis=1)
        moving = (last[live] - now > 1e-9) & (now > 1e-9)
        last[live] = now
        live = live[moving]
    return np.where(last <= 1e-9, 0.0, last), on_a, on_b


def closest_on_segment(points: Array, start: Array, end: Array) -> tuple[Array, Array]:
    """Parameter in metres along each segment (n,) and distance (n,) of the nearest point to each of `points`."""
    d = end - start
    length = np.linalg.norm(d, axis=1)
    unit = d / length[:, None]
    t = np.clip(np.einsum("ni,ni->n", points - start, unit), 0.0, length)
    return t, np.linalg.norm(start + t[:, None] * unit - points, axis=1)


def closest_between_lines(p: Array, u: Array, q: Array, v: Array) -> tuple[Array, Array, Array]:
    """Parameters (s, t) of nearest points p + s u, q + t v of two lines with unit directions, and sin2 of their angle.

    For parallel lines s is 0 and t the projection of p.
    """
    w = p - q
    b = np.einsum("ni,ni->n", u, v)
    d, e = np.einsum("ni,ni->n", u, w), np.einsum("ni,ni->n", v, w)
    sin2 = np.maximum(1 - b * b, 0.0)
    safe = np.where(sin2 > 1e-6, sin2, 1.0)
    s = np.where(sin2 > 1e-6, (b * e - d) / safe, 0.0)
    return s, e + s * b, sin2


def sagitta(path: Array) -> float:
    """The largest distance (m) of a chord of the points (n, 3) from the circle through it and its neighbour."""
    worst = 0.0
    for a, b, c in zip(path, path[1:], path[2:]):
        u, v = b - a, c - a
        area2 = float(np.linalg.norm(np.cross(u, v)))
        lu, lw = float(np.linalg.norm(u)), float(np.linalg.norm(c - b))
        if area2 <= 1e-12 * max(lu, lw) ** 2:
            continue
        radius = lu * lw * float(np.linalg.norm(v)) / (2 * area2)
        half = min(max(lu, lw) / 2, radius)
        worst = max(worst, radius - math.sqrt(radius * radius - half * half))
    return worst
