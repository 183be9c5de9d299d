"""The lines that elements must keep: outlines, openings, joints, beams and supports of all surfaces, cut
where they meet.

Vertices are shared by whatever meets there, so that surfaces that share a line also share the nodes on it.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from ..model.geometry.vectors import Array

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

# m; places nearer than this are one: far above what transfer leaves by rounding, far below an element; no
# round length, which rounding would put on either side
TOUCH = 5.03e-3
ROUNDS = 6


@dataclass(slots=True)
class Wires:
    """`points` (V, 3), the first `named` of which are places of the model's nodes; `segments` by surface,
    pairs of vertices that meet other segments at their ends only."""

    points: Array
    named: int
    segments: dict[str, NDArray[np.int64]] = field(default_factory=dict)

    def all_segments(self) -> NDArray[np.int64]:
        """Every segment once, (S, 2), the lower vertex first."""
        parts = [s for s in self.segments.values() if len(s)]
        return np.unique(np.concatenate(parts), axis=0) if parts else np.zeros((0, 2), np.int64)


def wires_of(
    nodes: Array,
    lines: dict[str, list[Array]],
    dots: dict[str, list[Array]],
    edges: dict[str, int] | None = None,
) -> Wires:
    """Cut the lines (2, 3) of each surface at every vertex they pass and wherever two of one surface cross.

    `nodes` (N, 3) are places that keep their position and number; `dots` (3,) become vertices of their own.
    The first `edges` lines of a surface are its outline and openings: what touches their corners is brought
    to them."""
    ends = [p for one in lines.values() for line in one for p in line]
    corner = [
        k < (edges or {}).get(i, 0) for i, one in lines.items() for k in range(len(one)) for _ in range(2)
    ]
    corner += [False for one in dots.values() for _ in one]
    ends += [p for one in dots.values() for p in one]
    points, index = _gathered(
        np.asarray(nodes, float).reshape(-1, 3), np.array(ends).reshape(-1, 3), np.array(corner, bool)
    )
    segments, at = {}, 0
    for ident, one in lines.items():
        own = index[at : at + 2 * len(one)].reshape(-1, 2)
        at += 2 * len(one)
        segments[ident] = _once(own)
    wires = Wires(points, len(nodes), segments)
    for _ in range(ROUNDS):
        _split_at_vertices(wires)
        if not _add_crossings(wires):
            break
    return wires


def _gathered(fixed: Array, more: Array, corner: NDArray[np.bool_]) -> tuple[Array, NDArray[np.int64]]:
    """All points with those that touch made one, and the number of each of `more`; the fixed ones come first,
    all kept, and corners of outlines (n,) before what touches them."""
    from scipy.spatial import cKDTree

    if not len(more):
        return fixed, np.zeros(0, np.int64)
    index = np.full(len(more), -1, np.int64)
    if len(fixed):
        far, near = cKDTree(fixed).query(more)
        index = np.where(far <= TOUCH, near, -1)
    left = np.flatnonzero(index < 0)
    if not len(left):
        return fixed, index
    # of those that touch each other the middle: the same whichever comes first, and whichever way the
    # building lies
    pairs = cKDTree(more[left]).query_pairs(TOUCH, output_type="ndarray")
    graph = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(left), len(left)))
    count, group = connected_components(graph, directed=False)
    weight = np.where(corner[left], 1.0, 0.0)
    weight[np.bincount(group, weight)[group] == 0] = 1.0
    new = np.zeros((count, 3))
    np.add.at(new, group, more[left] * weight[:, None])
    new /= np.bincount(group, weight)[:, None]
    order = np.lexsort(np.round(new, 4).T)
    rank = np.empty(count, np.int64)
    rank[order] = np.arange(count)
    index[left] = len(fixed) + rank[group]
    return np.vstack([fixed, new[order]]), index


def _once(segments: NDArray[np.int64]) -> NDArray[np.int64]:
    segments = np.sort(segments[segments[:, 0] != segments[:, 1]], axis=1)
    return np.unique(segments, axis=0) if len(segments) else segments.reshape(-1, 2)


def _split_at_vertices(wires: Wires) -> None:
    from scipy.spatial import cKDTree

    every = wires.all_segments()
    if not len(every):
        return
    used = np.unique(every)
    # all vertices count, also dots that no line ends at
    candidates = np.union1d(used, np.arange(wires.named, len(wires.points)))
    tree = cKDTree(wires.points[candidates])
    chain: dict[tuple[int, int], list[int]] = {}
    a, b = wires.points[every[:, 0]], wires.points[every[:, 1]]
    length = np.linalg.norm(b - a, axis=1)
    for (i, j), p, q, size, near in zip(
        every.tolist(), a, b, length, tree.query_ball_point((a + b) / 2, length / 2 + TOUCH)
    ):
        if len(near) <= 2:
            continue
        hits = candidates[near]
        u = (q - p) / size
        rel = wires.points[hits] - p
        t = rel @ u
        off = np.linalg.norm(rel - t[:, None] * u, axis=1)
        inside = (off <= TOUCH) & (t > TOUCH) & (t < size - TOUCH) & (hits != i) & (hits != j)
        if inside.any():
            order = np.argsort(t[inside])
            chain[i, j] = [i, *hits[inside][order].tolist(), j]
    for ident, own in wires.segments.items():
        wires.segments[ident] = _once(np.array(list(_walk(own, chain)), np.int64).reshape(-1, 2))


def _walk(own: NDArray[np.int64], chain: dict[tuple[int, int], list[int]]) -> Iterable[tuple[int, int]]:
    for i, j in own.tolist():
        path = chain.get((i, j))
        if path is None:
            yield i, j
        else:
            yield from zip(path, path[1:])


def _add_crossings(wires: Wires) -> bool:
    """New vertices where two segments of one surface cross between their ends; whether there were any."""
    found = []
    for own in wires.segments.values():
        if len(own) < 2:
            continue
        p = wires.points[own[:, 0]]
        d = wires.points[own[:, 1]] - p
        i, j = np.triu_indices(len(own), 1)
        low, high = np.minimum(p, p + d) - TOUCH, np.maximum(p, p + d) + TOUCH
        near = (low[i] <= high[j]).all(axis=1) & (low[j] <= high[i]).all(axis=1)
        near &= ~((own[i][:, :, None] == own[j][:, None, :]).any(axis=(1, 2)))
        i, j = i[near], j[near]
        if not len(i):
            continue
        # the nearest places of two lines in space
        u, v, w = d[i], d[j], p[i] - p[j]
        uu, uv, vv = (np.einsum("nk,nk->n", *x) for x in ((u, u), (u, v), (v, v)))
        uw, vw = np.einsum("nk,nk->n", u, w), np.einsum("nk,nk->n", v, w)
        det = uu * vv - uv * uv
        good = det > 1e-12 * uu * vv
        safe = np.where(good, det, 1.0)
        s, t = (uv * vw - vv * uw) / safe, (uu * vw - uv * uw) / safe
        one, two = p[i] + s[:, None] * u, p[j] + t[:, None] * v
        gu, gv = TOUCH / np.sqrt(uu), TOUCH / np.sqrt(vv)
        good &= (s > gu) & (s < 1 - gu) & (t > gv) & (t < 1 - gv)
        good &= np.linalg.norm(one - two, axis=1) <= 2 * TOUCH
        found.append((one[good] + two[good]) / 2)
    new = np.concatenate(found) if found else np.zeros((0, 3))
    if not len(new):
        return False
    before = len(wires.points)
    wires.points, _ = _gathered(wires.points, new, np.zeros(len(new), bool))
    return len(wires.points) > before


def on_line(tree: cKDTree, points: Array, line: Array) -> NDArray[np.int64]:
    """Indices of points that lie on a line (2, 3)."""
    d = line[1] - line[0]
    size = float(np.linalg.norm(d))
    near = np.array(tree.query_ball_point((line[0] + line[1]) / 2, size / 2 + 2 * TOUCH), np.int64)
    if not len(near) or size < 1e-9:
        return near[:0]
    t = (points[near] - line[0]) @ d / size
    off = np.linalg.norm(points[near] - line[0] - np.outer(t, d / size), axis=1)
    return near[(off <= 2 * TOUCH) & (t >= -2 * TOUCH) & (t <= size + 2 * TOUCH)]
