"""From the parts of a panel to loads along its edges, exactly: forces kept, moments kept, linear pieces.

A part's load goes square to its edge. What that leaves out of balance about the panel's own axes (nothing in
a rectangle carried on four sides) is given to the carried edges as a plate that cannot bend would give it to
even springs under them: so that a panel's edges get exactly its load's force and moments, and beams no
torsion that a slab would not give them. Where all carried edges lie on one line nothing can balance, and only
the force is kept."""

from __future__ import annotations

from typing import Literal

import numpy as np
from shapely.affinity import translate
from shapely.geometry import Polygon

from ...model.geometry.vectors import Array
from .cells import Piece, cells
from .clip import Corners, clip_all, halves_of, moments, triangles
from .edge_rows import EdgeRows, linear_ends
from .panel import Panel, second_moments
from .strips import strip_rows

BALANCED = 1e-13  # of the load times the panel's size: rounding
ONE_LINE = (
    0.05  # of the panel's size; edges that spread less count as one line, unless balancing costs them little
)
GAUSS = np.array([-np.sqrt(0.6), 0.0, np.sqrt(0.6)])
WEIGHT = np.array([5.0, 8.0, 5.0]) / 18
Way = Literal["two-way", "one-way"]


def spread(panel: Panel, way: Way = "two-way", span: Array | None = None) -> EdgeRows:
    """Return what a pressure over the whole panel puts on its edges: no rows when no edge is carried.

    `span` (2,) is the direction in which a one-way panel carries.
    """
    if way == "one-way" and span is not None:
        rows = strip_rows(panel, np.asarray(span, float))
    else:
        rows = _on_edges(panel, cells(panel))
    return balanced(panel, rows, second_moments(panel.polygon))


_KNOWN: dict[tuple[bytes, ...], EdgeRows] = {}
MOST_KNOWN = 20_000


def known_spread(panel: Panel, way: Way = "two-way", span: Array | None = None) -> EdgeRows:
    """`spread`, worked out once for all panels of one shape wherever they lie: buildings repeat their
    bays."""
    base = panel.start[0]
    moved = np.round(np.concatenate([panel.start, panel.points]) - base, 7) + 0.0
    rings = np.array([len(r.coords) for r in panel.polygon.interiors], np.int64)
    key = (
        moved.tobytes(),
        (panel.carrier >= 0).tobytes(),
        rings.tobytes(),
        way.encode(),
        b"" if span is None else np.round(span, 9).tobytes(),
    )
    found = _KNOWN.get(key)
    if found is None:
        if len(_KNOWN) >= MOST_KNOWN:
            _KNOWN.clear()
        own = Panel(
            translate(panel.polygon, -base[0], -base[1]),
            panel.start - base,
            panel.end - base,
            panel.carrier,
            panel.points - base,
            panel.point_carrier,
        )
        found = _KNOWN[key] = spread(own, way, span)
    if not len(found.edge):
        return found
    qa, qb = found.qa.copy(), found.qb.copy()
    qa[:, 1:] += found.qa[:, :1] * base
    qb[:, 1:] += found.qb[:, :1] * base
    return EdgeRows(found.edge, found.a, found.b, qa, qb)


def spread_part(panel: Panel, area: Polygon, way: Way = "two-way", span: Array | None = None) -> EdgeRows:
    """The same for a pressure over a part of the panel only, which must lie within it."""
    if way == "one-way" and span is not None:
        rows = strip_rows(panel, np.asarray(span, float), area)
    else:
        loaded = triangles(area)
        parts = []
        for k, piece in cells(panel):
            halves = halves_of(piece)
            parts += [(k, p) for p in (clip_all(t, halves)[0] for t in loaded) if p]
        rows = _on_edges(panel, parts)
    return balanced(panel, rows, second_moments(area))


def _on_edges(panel: Panel, parts: list[Piece]) -> EdgeRows:
    by_edge: dict[int, list[Corners]] = {}
    for k, piece in parts:
        by_edge.setdefault(k, []).append(piece)
    columns = {k: pieces for k, pieces in by_edge.items() if k >= len(panel.start)}
    rows = [_square(panel, k, pieces) for k, pieces in by_edge.items() if k not in columns]
    for k, pieces in columns.items():
        force = np.array([moments(p) for p in pieces]).sum(axis=0)[None]
        rows.append(EdgeRows(np.array([k]), np.zeros(1), np.zeros(1), force, force))
    return EdgeRows.joined(rows)


def _square(panel: Panel, edge: int, pieces: list[Corners]) -> EdgeRows:
    """The load on pieces brought square onto their edge's line; what comes down beyond an end is put at that
    end."""
    origin, t, n = panel.start[edge], panel.along[edge], panel.inward[edge]
    length = float(panel.length[edge])
    a = np.array([p for piece in pieces for p in piece]) - origin
    b = np.array([p for piece in pieces for p in piece[1:] + piece[:1]]) - origin
    sa, sb, da, db = a @ t, b @ t, a @ n, b @ n
    near = 1e-9 * max(length, 1.0)
    stops = np.sort(np.concatenate([sa, [0.0, length]]))
    stops = np.where(np.abs(stops) < near, 0.0, np.where(np.abs(stops - length) < near, length, stops))
    stops = stops[np.concatenate([[True], np.diff(stops) > near])]
    low, high = stops[:-1], stops[1:]
    s = (low[:, None] + high[:, None]) / 2 + (high - low)[:, None] / 2 * GAUSS  # (m, 3)
    # depth of the pieces at each s as a sum over their edges, top less bottom; and x and y integrated over it
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        share = (s[..., None] - sa) / (sb - sa)
        d = da + (db - da) * share  # (m, 3, edges)
    inside = ((s[..., None] > np.minimum(sa, sb)) & (s[..., None] < np.maximum(sa, sb))) * -np.sign(sb - sa)
    d = np.where(inside != 0, d, 0.0)
    depth = (inside * d).sum(axis=-1)
    half = (inside * d * d).sum(axis=-1) / 2
    q = np.empty((*s.shape, 3))
    q[..., 0] = depth
    q[..., 1:] = (origin + s[..., None] * t) * depth[..., None] + half[..., None] * n
    size = high - low
    force = size[:, None] * np.einsum("g,mgb->mb", WEIGHT, q)
    first = size[:, None] * np.einsum("g,mg,mgb->mb", WEIGHT, s - low[:, None], q)
    return _linear(edge, low, high, force, first, length)


def _linear(edge: int, low: Array, high: Array, force: Array, first: Array, length: float) -> EdgeRows:
    """Linear rows with these forces and first moments about their starts; those beyond the ends are put at
    the ends."""
    on = (high > 0) & (low < length)
    size = (high - low)[on, None]
    qa, qb = linear_ends(force[on], first[on], size)
    a, b, qa, qb = _runs(low[on], high[on], qa, qb)
    for beyond, at in ((high <= 0, 0.0), (low >= length, length)):
        if beyond.any():
            whole = force[beyond].sum(axis=0)[None]
            a, b = np.append(a, at), np.append(b, at)
            qa, qb = np.vstack([qa, whole]), np.vstack([qb, whole])
    return EdgeRows(np.full(len(a), edge, np.int64), a, b, qa, qb)


def _runs(a: Array, b: Array, qa: Array, qb: Array) -> tuple[Array, Array, Array, Array]:
    """Rows that go on in the same straight line made one."""
    if len(a) < 2:
        return a, b, qa, qb
    size = (b - a)[:, None]
    slope = (qb - qa) / size
    scale = 1e-9 * max(float(np.abs(qa).max()), float(np.abs(qb).max()), 1e-300)
    smooth = (np.abs(qb[:-1] - qa[1:]) <= scale).all(axis=1)
    smooth &= (np.abs(slope[1:] - slope[:-1]) * np.minimum(size[1:], size[:-1]) <= scale).all(axis=1)
    begin = np.flatnonzero(np.concatenate([[True], ~smooth]))
    last = np.append(begin[1:], len(a)) - 1
    return a[begin], b[last], qa[begin], qb[last]


def balanced(panel: Panel, rows: EdgeRows, wanted: Array) -> EdgeRows:
    """The rows with what they lack of the wanted resultants (3, 3), spread over carried edges and columns.

    A column counts as a metre of edge.
    """
    if panel.empty or not len(rows.edge):
        return rows
    size = float(np.linalg.norm(np.ptp(panel.start, axis=0)))
    lacking = wanted - rows.resultants(panel)
    scale = np.maximum(np.abs(wanted).max(axis=0), 1e-300) * np.array([[1.0], [size], [size]])
    lacking = np.where((np.abs(lacking) <= BALANCED * scale).all(axis=0), 0.0, lacking)
    if not lacking.any():
        return rows
    edges = panel.carried
    a = np.concatenate([panel.start[edges], panel.points])
    b = np.concatenate([panel.end[edges], panel.points])
    weight = np.concatenate([panel.length[edges], np.ones(len(panel.points))])
    total = weight.sum()
    centre = ((a + b) / 2 * weight[:, None]).sum(axis=0) / total
    lacking = np.vstack([lacking[:1], lacking[1:] - np.outer(centre, lacking[0])])
    a, b = a - centre, b - centre
    inertia = (
        np.einsum("e,ei,ej->ij", weight, a + b, a + b) / 4
        + np.einsum("e,ei,ej->ij", weight, b - a, b - a) / 12
    )
    value, vector = np.linalg.eigh(inertia)
    turn = np.zeros((2, 3))
    for v, direction in zip(value, vector.T):
        if v <= 1e-12 * total * size**2:
            continue
        share = direction @ lacking[1:] / v
        most = abs(share[0]) * np.abs(np.vstack([a, b]) @ direction).max()
        if v > total * (ONE_LINE * size) ** 2 or most <= wanted[0, 0] / total:
            turn += np.outer(direction, share)
    even = lacking[0] / total
    n = len(edges)
    at = np.concatenate([edges, len(panel.start) + np.arange(len(panel.points))])
    stop = np.concatenate([panel.length[edges], np.zeros(len(panel.points))])
    qa, qb = even + a @ turn, even + b @ turn
    qb[n:] = qa[n:]
    return EdgeRows.joined([rows, EdgeRows(at, np.zeros(len(at)), stop, qa, qb)])
