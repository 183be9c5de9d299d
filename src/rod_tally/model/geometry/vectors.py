"""Vectors, local axes, and the clear distance between straight bodies."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
CLEAR = 1e-7  # m; bodies nearer than this touch, and distances of boxes are right to it
CREEPING = 300  # sweeps after which boxes are solved one by one


def local_axes(x: Array, z_near: Array) -> Array:
    """Rows x, y, z of the right-handed axes with x along `x` and z as near to `z_near` as it can be.

    Works on one vector (3,) or on many (n, 3). Where `z_near` is parallel to x, global X is used instead
    (global Y where x is along X itself). A zero x raises ValueError."""
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


def class_by_slope(x: Array) -> str:
    """An analytical member's class from its slope: column within 10 degrees of vertical, beam within 20 of
    level."""
    flat, rise = float(np.hypot(x[0], x[1])), abs(float(x[2]))
    if flat <= rise * 0.176:
        return "column"
    return "beam" if rise <= flat * 0.364 else "brace"


class Bodies:
    """Straight bodies as boxes: centre (n, 3), axes (n, 3, 3) as rows x y z, half sizes (n, 3), and which are
    round."""

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

    def reach(self, way: Array) -> Array:
        """How far each body extends from its centre along unit vectors `way` (n, 3)."""
        local = np.abs(np.einsum("nij,nj->ni", self.axes, way))
        box = (local * self.half).sum(axis=1)
        if not self.rounded.any():
            return np.asarray(box)
        tube = local[:, 0] * self.half[:, 0] + np.hypot(local[:, 1], local[:, 2]) * self.half[:, 1]
        return np.asarray(np.where(self.rounded, tube, box))

    def boxes(self) -> tuple[Array, Array]:
        """Lower and upper corners (n, 3) of the boxes along the global axes around the bodies."""
        reach = np.einsum("nij,ni->nj", np.abs(self.axes), self.half)
        return self.centre - reach, self.centre + reach


def clear_distance(a: Bodies, b: Bodies, sweeps: int = 2000) -> tuple[Array, Array, Array]:
    """Distance (n,) between body i of `a` and body i of `b`, with the nearest point on each; 0 where they
    touch.

    Alternating projections between convex sets (Cheney and Goldstein 1959), each sweep the nearest point of
    one body to the last point of the other, with momentum (Beck and Teboulle 2009) that starts again where
    the bodies draw apart (O'Donoghue and Candes 2015). A pair is settled when planes square to the line
    between its points prove the distance to CLEAR. Pairs that are all but parallel creep even so: boxes are
    then solved exactly, one by one; round bodies have been seen to end a few tenths of a millimetre off when
    both are ten metres long and a fraction of a degree apart."""
    on_a = a.nearest(b.centre)
    on_b = b.nearest(on_a)
    live = np.arange(len(on_a))
    distance = np.linalg.norm(on_a - on_b, axis=1)
    last, speed = on_a.copy(), np.ones(len(on_a))
    la, lb = a, b
    for sweep in range(sweeps):
        if sweep == CREEPING:
            boxes = ~(la.rounded | lb.rounded)
            for k in live[boxes].tolist():
                on_a[k], on_b[k] = _between_boxes(a, b, k)
                distance[k] = np.linalg.norm(on_a[k] - on_b[k])
            live, la, lb = live[~boxes], la.take(np.flatnonzero(~boxes)), lb.take(np.flatnonzero(~boxes))
        gap = on_a[live] - on_b[live]
        size = np.linalg.norm(gap, axis=1)
        way = gap / np.maximum(size, 1e-300)[:, None]
        proved = np.einsum("ni,ni->n", way, la.centre - lb.centre) - la.reach(way) - lb.reach(way)
        going = (size > CLEAR) & (size - proved > CLEAR)
        if not going.all():
            live = live[going]
            la, lb = la.take(np.flatnonzero(going)), lb.take(np.flatnonzero(going))
        if not len(live):
            break
        faster = (1 + np.sqrt(1 + 4 * speed[live] ** 2)) / 2
        ahead = on_a[live] + ((speed[live] - 1) / faster)[:, None] * (on_a[live] - last[live])
        pa = la.nearest(lb.nearest(ahead))
        pb = lb.nearest(pa)
        now = np.linalg.norm(pa - pb, axis=1)
        worse = now > distance[live]
        # a step that led apart is not taken, and the next one has no momentum
        last[live] = on_a[live]
        speed[live] = np.where(worse, 1.0, faster)
        better = live[~worse]
        on_a[better], on_b[better], distance[better] = pa[~worse], pb[~worse], now[~worse]
    return np.where(distance <= CLEAR, 0.0, distance), on_a, on_b


def _between_boxes(a: Bodies, b: Bodies, k: int) -> tuple[Array, Array]:
    """Nearest points of the boxes k: least squares in their six own coordinates, bounded (Stark and Parker
    1995)."""
    from scipy.optimize import lsq_linear

    bound = np.concatenate([a.half[k], b.half[k]]) + 1e-12
    both = np.hstack([a.axes[k].T, -b.axes[k].T])
    x = lsq_linear(both, b.centre[k] - a.centre[k], (-bound, bound), method="bvls", tol=1e-14).x
    return a.centre[k] + x[:3] @ a.axes[k], b.centre[k] + x[3:] @ b.axes[k]


def closest_on_segment(points: Array, start: Array, end: Array) -> tuple[Array, Array]:
    """Parameter in metres along each segment (n,) and distance (n,) of the nearest point to each of
    `points`."""
    d = end - start
    length = np.linalg.norm(d, axis=1)
    unit = d / length[:, None]
    t = np.clip(np.einsum("ni,ni->n", points - start, unit), 0.0, length)
    return t, np.linalg.norm(start + t[:, None] * unit - points, axis=1)


def closest_between_lines(p: Array, u: Array, q: Array, v: Array) -> tuple[Array, Array, Array]:
    """Parameters (s, t) of nearest points p + s u, q + t v of two lines with unit directions, and sin2 of
    their angle.

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
    """The largest distance (m) of a chord of the points (n, 3) from the circle through it and its
    neighbour."""
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


def like(points: Array, decimals: int = 9) -> Array:
    """Points rounded so that those of like shapes have the same bytes: to so many decimals, and without
    negative zeros."""
    return np.asarray(np.round(points, decimals) + 0.0)


def ring_sides(ring: Array) -> Array:
    """The sides (n, 2, k) of a closed ring of corners (n, k)."""
    return np.stack([ring, np.concatenate([ring[1:], ring[:1]])], axis=1)
