"""A box drawn over the picture: which lines and outlines lie inside of it, or are touched by it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...model.geometry.vectors import Array


def lines_in(a: Array, b: Array, low: Array, high: Array, touched: bool) -> NDArray[np.bool_]:
    """Return which lines from a to b (n, 2) lie inside of the box from `low` to `high` (2,), or are
    `touched` by it."""
    inside = np.asarray(((a >= low) & (a <= high)).all(axis=1) & ((b >= low) & (b <= high)).all(axis=1))
    if not touched:
        return inside
    d = b - a
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        t0, t1 = (low - a) / d, (high - a) / d
    flat = np.abs(d) < 1e-12
    within = (a >= low) & (a <= high)
    enter = np.where(flat, np.where(within, -np.inf, np.inf), np.minimum(t0, t1)).max(axis=1)
    leave = np.where(flat, np.where(within, np.inf, -np.inf), np.maximum(t0, t1)).min(axis=1)
    return np.asarray((enter <= leave) & (leave >= 0) & (enter <= 1))


def outline_in(ring: Array, low: Array, high: Array, touched: bool) -> bool:
    """Return whether an outline (n, 2) lies inside of the box; `touched`: whether its edges do, or it holds
    the box."""
    edges = lines_in(ring, np.roll(ring, -1, axis=0), low, high, touched)
    return bool(edges.any() or _holds(ring, (low + high) / 2)) if touched else bool(edges.all())


def _holds(ring: Array, p: Array) -> bool:
    """Return whether a point lies in an outline: an odd number of its edges is crossed to the right."""
    a, b = ring, np.roll(ring, -1, axis=0)
    over = (a[:, 1] > p[1]) != (b[:, 1] > p[1])
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        x = a[:, 0] + (p[1] - a[:, 1]) * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1])
    return bool((over & (x > p[0])).sum() % 2)
