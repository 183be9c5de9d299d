"""Shapes of symbols: line segments (n, 2, 3) in pixels about their place."""

from __future__ import annotations

import numpy as np

from ...model.geometry.vectors import Array, ring_sides


def ring(radius: float, parts: int = 16) -> Array:
    """A circle in the screen's plane, as segments (parts, 2, 3)."""
    t = np.linspace(0, 2 * np.pi, parts + 1)
    p = np.column_stack([radius * np.cos(t), radius * np.sin(t), np.zeros_like(t)])
    return np.stack([p[:-1], p[1:]], axis=1)


def diamond(radius: float) -> Array:
    p = np.array([[radius, 0, 0], [0, radius, 0], [-radius, 0, 0], [0, -radius, 0]], float)
    return ring_sides(p)


def square(radius: float) -> Array:
    p = np.array([[1, 1, 0], [-1, 1, 0], [-1, -1, 0], [1, -1, 0]], float) * radius
    return ring_sides(p)


def block(size: float) -> Array:
    """A box below its place with a cross in it, in the screen's plane: what holds every direction."""
    a, b, c, d = (np.array(p, float) * size for p in ((-1, 0, 0), (1, 0, 0), (1, -1.6, 0), (-1, -1.6, 0)))
    return np.array([[a, b], [b, c], [c, d], [d, a], [a, c], [b, d]])


def wedge(size: float) -> Array:
    """A triangle below its place, in the screen's plane: what holds a point and lets it turn."""
    top, left, right = (np.array(p, float) * size for p in ((0, 0, 0), (-1, -1.6, 0), (1, -1.6, 0)))
    return np.array([[top, left], [left, right], [right, top]])


def arrow(vector: Array, size: float) -> Array:
    """An arrow of `size` px that ends at its anchor, along `vector` in the world's axes, as segments."""
    v = vector / np.linalg.norm(vector)
    side = np.cross(v, [0.0, 0, 1]) if abs(v[2]) < 0.9 else np.cross(v, [1.0, 0, 0])
    side = side / np.linalg.norm(side)
    head = min(8.0, size * 0.4)
    tip = np.zeros(3)
    return np.array(
        [[-v * size, tip], [tip, -v * head + side * head * 0.4], [tip, -v * head - side * head * 0.4]], float
    )
