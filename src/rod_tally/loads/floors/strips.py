"""One-way panels: strips along the span, each carried by the two edges it runs between, as a beam on two
supports."""

from __future__ import annotations

import numpy as np
from shapely.geometry import Polygon

from ...model.geometry.vectors import Array
from .edge_rows import EdgeRows, linear_ends
from .panel import FREE_EDGE, Panel, ring_edges


def strip_rows(panel: Panel, span: Array, area: Polygon | None = None) -> EdgeRows:
    """Loads along the edges from pressures of 1, x and y over the panel, or over an area within it.

    A strip with one carried end hangs on that end alone (a cantilever; its moment is not the edge's to
    carry); one that runs between two free ends is carried by nothing and left out."""
    u = span / np.linalg.norm(span)
    v = np.array([-u[1], u[0]])
    across_a, across_b = panel.start @ v, panel.end @ v
    along_a, along_b = panel.start @ u, panel.end @ u
    stops = [across_a]
    rings: list[tuple[Array, Array, Array, Array]] = []
    if area is not None:
        a, b = ring_edges(area)
        rings = [(a @ v, b @ v, a @ u, b @ u)]
        stops.append(rings[0][0])
        stops.append(_crossings(rings[0], (across_a, across_b, along_a, along_b)))
    cuts = np.unique(np.concatenate(stops))
    near = 1e-9 * max(float(np.ptp(cuts)), 1.0)
    cuts = cuts[np.concatenate([[True], np.diff(cuts) > near])]
    gauss, weight = np.polynomial.legendre.leggauss(4)
    parts: list[EdgeRows] = []
    for low, high in zip(cuts[:-1], cuts[1:]):
        w = (low + high) / 2 + (high - low) / 2 * gauss
        dw = (high - low) / 2 * weight
        middle = (low + high) / 2
        order = _spanning(across_a, across_b, along_a, along_b, middle)
        loaded = None if area is None else _spanning(*rings[0], middle)
        for first, second in zip(order[::2], order[1::2]):
            s0, s1 = (_at(across_a, across_b, along_a, along_b, k, w) for k in (first, second))
            held = [panel.carrier[k] != FREE_EDGE for k in (first, second)]
            if not any(held):
                continue
            reaction = _strip(u, v, w, s0, s1, s0, s1) if loaded is None else 0.0
            for i, j in zip(loaded[::2], loaded[1::2]) if loaded is not None else ():
                p0, p1 = (_at(*rings[0], k, w) for k in (i, j))
                p0, p1 = np.clip(p0, s0, s1), np.clip(p1, s0, s1)
                reaction = reaction + _strip(u, v, w, s0, s1, p0, p1)
            if isinstance(reaction, float):
                continue
            if not all(held):
                reaction = reaction.sum(axis=0) * np.array(held, float)[:, None, None]
            for k, r in zip((first, second), reaction):
                if panel.carrier[k] != FREE_EDGE:
                    parts.append(_on_edge(panel, k, v, low, high, w, dw, r))
    return EdgeRows.joined(parts)


def _spanning(across_a: Array, across_b: Array, along_a: Array, along_b: Array, w: float) -> list[int]:
    """Edges that pass w, in their order along the span."""
    low, high = np.minimum(across_a, across_b), np.maximum(across_a, across_b)
    hit = np.flatnonzero((low < w) & (high > w))
    share = (w - across_a[hit]) / (across_b[hit] - across_a[hit])
    at = along_a[hit] + share * (along_b[hit] - along_a[hit])
    return [int(k) for k in hit[np.argsort(at, kind="stable")]]


def _at(across_a: Array, across_b: Array, along_a: Array, along_b: Array, k: int, w: Array) -> Array:
    share = (w - across_a[k]) / (across_b[k] - across_a[k])
    return along_a[k] + share * (along_b[k] - along_a[k])


def _strip(u: Array, v: Array, w: Array, s0: Array, s1: Array, p0: Array, p1: Array) -> Array:
    """Reactions (2 ends, points, basis) of strips from s0 to s1, loaded from p0 to p1, per metre across."""
    size = np.maximum(s1 - s0, 1e-12)
    g, weight = np.polynomial.legendre.leggauss(3)
    s = (p0 + p1)[:, None] / 2 + (p1 - p0)[:, None] / 2 * g
    ds = (p1 - p0)[:, None] / 2 * weight
    at = s[..., None] * u + w[:, None, None] * v
    pressure = np.concatenate([np.ones((*s.shape, 1)), at], axis=-1) * ds[..., None]
    far = ((s - s0[:, None]) / size[:, None])[..., None]
    return np.stack([(pressure * (1 - far)).sum(axis=1), (pressure * far).sum(axis=1)])


def _on_edge(
    panel: Panel, k: int, v: Array, low: float, high: float, w: Array, dw: Array, r: Array
) -> EdgeRows:
    """Reactions r (points, basis) per metre across, as a linear row on edge k with their force and first
    moment."""
    start, t = panel.start[k], panel.along[k]
    rate = float(t @ v)
    ends = sorted(((low - start @ v) / rate, (high - start @ v) / rate))
    length = float(panel.length[k])
    a, b = max(ends[0], 0.0), min(ends[1], length)
    x = (w - start @ v) / rate
    force = (dw[:, None] * r).sum(axis=0)
    first = ((x - a)[:, None] * dw[:, None] * r).sum(axis=0)
    qa, qb = linear_ends(force, first, b - a)
    return EdgeRows(np.array([k]), np.array([a]), np.array([b]), qa[None], qb[None])


def _crossings(one: tuple[Array, Array, Array, Array], two: tuple[Array, Array, Array, Array]) -> Array:
    """Where edges of one outline cross those of another, across the span."""
    a0, a1, s0, s1 = (c[:, None] for c in one)
    b0, b1, r0, r1 = (c[None] for c in two)
    da, ds, db, dr = a1 - a0, s1 - s0, b1 - b0, r1 - r0
    det = da * dr - ds * db
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        t = ((b0 - a0) * dr - (r0 - s0) * db) / det
        q = ((b0 - a0) * ds - (r0 - s0) * da) / det
    good = (np.abs(det) > 1e-12) & (t >= 0) & (t <= 1) & (q >= 0) & (q <= 1)
    return np.asarray((a0 + np.where(good, t, 0.0) * da)[good])
