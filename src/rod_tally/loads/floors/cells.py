"""Yield lines: which part of a panel each of its carried edges takes.

A yield line bisects the angle between the two edges whose parts it separates, so that in a rectangle with
four carried edges the lines start at 45 degrees in the corners, and the edges take triangles and trapezoids
(the usual handbook rule for two-way slabs). Every point goes to the carried edge that it is nearest to,
measured square to the edge's line, among those that it lies in front of."""

from __future__ import annotations

import numpy as np

from ...model.geometry.vectors import closest_on_segment
from .clip import Corners, Half, clip, clip_all, half, halves_of, triangles
from .panel import Panel

Piece = tuple[int, Corners]


def cells(panel: Panel) -> list[Piece]:
    """Convex pieces of the panel with the index of the edge that takes each; together they are the whole
    panel.

    [] when nothing carries it. An edge may take several pieces, or none. Columns, numbered after the edges,
    take what lies nearer to them than half-way to the edges and to each other (tributary areas; common
    practice, no source)."""
    edges = _of_edges(panel)
    if not len(panel.points):
        return edges
    if not edges:
        edges = [(-1, t) for t in triangles(panel.polygon)]
    first = len(panel.start)
    out: list[Piece] = []
    regions = [_around(panel, k) for k in range(len(panel.points))]
    boxes = [_box(r) for r in regions]
    halves = [halves_of(r) for r in regions]
    for owner, piece in edges:
        rest = [piece]
        x0, y0, x1, y1 = _box(piece)
        for k, (u0, v0, u1, v1) in enumerate(boxes):
            if u1 <= x0 or u0 >= x1 or v1 <= y0 or v0 >= y1:
                continue
            following = []
            for r in rest:
                inside, outside = clip_all(r, halves[k])
                following += outside
                if inside:
                    out.append((first + k, inside))
            rest = following
        for r in rest:
            # between columns alone nothing but rounding is left
            out.append((owner if owner >= 0 else first + _nearest(panel, r), r))
    return out


def _box(points: Corners) -> tuple[float, float, float, float]:
    x, y = [p[0] for p in points], [p[1] for p in points]
    return (min(x), min(y), max(x), max(y)) if points else (0.0, 0.0, 0.0, 0.0)


def _nearest(panel: Panel, piece: Corners) -> int:
    return int(np.linalg.norm(panel.points - np.mean(piece, axis=0), axis=1).argmin())


def _around(panel: Panel, k: int) -> Corners:
    """Return what column k takes: up to half-way to each other column, and to the nearest point of each
    carried edge."""
    p = panel.points[k]
    others = np.delete(panel.points, k, axis=0)
    carried = panel.carried
    if len(carried):
        along, _ = closest_on_segment(p[None], panel.start[carried], panel.end[carried])
        others = np.concatenate([others, panel.start[carried] + along[:, None] * panel.along[carried]])
    x0, y0, x1, y1 = panel.polygon.bounds
    region: Corners = [(x0 - 1, y0 - 1), (x1 + 1, y0 - 1), (x1 + 1, y1 + 1), (x0 - 1, y1 + 1)]
    # the nearest first: most of the others then cut nothing more off
    for q in others[np.argsort(np.linalg.norm(others - p, axis=1), kind="stable")]:
        cut = half(float(q[0] - p[0]), float(q[1] - p[1]), float((q - p) @ (p + q) / 2))
        if cut is not None:
            region = clip(region, cut)[0]
            if not region:
                break
    return region


def _of_edges(panel: Panel) -> list[Piece]:
    carried = [int(k) for k in panel.carried]
    if not carried:
        return []
    outline = len(panel.polygon.exterior.coords) - 1
    convex = panel.convex and max(carried) < outline
    if convex and not panel.polygon.interiors:
        whole = [[(float(x), float(y)) for x, y in panel.start]]
    else:
        whole = triangles(panel.polygon)
    if len(carried) == 1:
        return [(carried[0], p) for p in whole]
    # in a convex outline every point lies squarely before every edge
    taken, rest = ([], whole) if convex else _share_out(panel, whole, {k: _domain(panel, k) for k in carried})
    if rest:
        more, rest = _share_out(panel, rest, {k: _front(panel, k) for k in carried})
        taken += more
    for piece in rest:  # behind every line: whole to the edge that it is nearest to
        middle = np.mean(piece, axis=0)
        _, off = closest_on_segment(middle[None], panel.start[carried], panel.end[carried])
        taken.append((carried[int(off.argmin())], piece))
    return taken


def _share_out(
    panel: Panel, pieces: list[Corners], domain: dict[int, list[Half]]
) -> tuple[list[Piece], list[Corners]]:
    """Each piece, cut where need be, to the nearest of the edges in whose domain it lies; and what lies in
    none."""
    now: list[tuple[int | None, Corners]] = [(None, p) for p in pieces]
    for k, halves in domain.items():
        following: list[tuple[int | None, Corners]] = []
        for owner, piece in now:
            inside, outside = clip_all(piece, halves)
            following += [(owner, p) for p in outside]
            if not inside:
                continue
            if owner is None:
                following.append((k, inside))
                continue
            cut = _nearer(panel, k, owner)
            if cut is None:
                following.append((owner, inside))
                continue
            own, other = clip(inside, cut)
            if own:
                following.append((k, own))
            if other:
                following.append((owner, other))
        now = following
    return [(k, p) for k, p in now if k is not None], [p for k, p in now if k is None]


def _nearer(panel: Panel, k: int, j: int) -> Half | None:
    """Where edge k is nearer than edge j: a half-plane; None for nowhere."""
    nk, nj = panel.inward[k], panel.inward[j]
    ck, cj = float(nk @ panel.start[k]), float(nj @ panel.start[j])
    if abs(nk[0] - nj[0]) + abs(nk[1] - nj[1]) > 1e-9:
        return half(float(nk[0] - nj[0]), float(nk[1] - nj[1]), ck - cj)
    if abs(ck - cj) > 1e-9:  # parallel, looking the same way: the one in front
        return (0.0, 0.0, 1.0) if ck > cj else None
    # on one line: parted half-way between them
    t = panel.along[k]
    if (panel.start[k] + panel.end[k]) @ t < (panel.start[j] + panel.end[j]) @ t:
        return float(t[0]), float(t[1]), float((panel.end[k] + panel.start[j]) @ t / 2)
    return -float(t[0]), -float(t[1]), -float((panel.start[k] + panel.end[j]) @ t / 2)


def _front(panel: Panel, k: int) -> list[Half]:
    n, p = panel.inward[k], panel.start[k]
    return [(-float(n[0]), -float(n[1]), -float(n @ p))]


def _domain(panel: Panel, k: int) -> list[Half]:
    """In front of the edge, and at its ends within the bisector with a carried neighbour, else 45 degrees
    outwards."""
    before, after = panel.neighbours
    out = _front(panel, k)
    for neighbour, vertex, t in (
        (int(before[k]), panel.start[k], panel.along[k]),
        (int(after[k]), panel.end[k], -panel.along[k]),
    ):
        n = panel.inward[k]
        line = n + panel.inward[neighbour] if neighbour in panel.carried else n - t
        cross = float(line[0] * t[1] - line[1] * t[0])
        if np.linalg.norm(line) < 1e-9 or abs(cross) < 1e-12:
            continue
        # the edge's side of the line through the vertex
        normal = np.array([line[1], -line[0]]) * (1 if cross > 0 else -1)
        cut = half(float(normal[0]), float(normal[1]), float(normal @ vertex))
        if cut is not None:
            out.append(cut)
    return out
