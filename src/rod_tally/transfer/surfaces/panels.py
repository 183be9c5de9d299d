"""Surfaces to surfaces: edges brought to the planes they meet, and the lines along which two surfaces are tied."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely.geometry import LineString

from ...model import LogEntry, Model, Surface, SurfaceJoint
from ...model.geometry.panels import ALONG, SHORTEST, Panels, longest, meeting_pairs
from ...model.geometry.vectors import Array
from ...model.settings import TransferSettings

WIDER = 1e-4  # m; by which outlines are widened to see what touches them
ROUNDING = 1e-7  # m
WHOLE = 0.7  # share of an edge that must meet the other surface for the edge to be moved onto it


@dataclass(slots=True)
class _Meeting:
    """Where surface `one` meets surface `other`: the line of their planes within both (2, 3)."""

    one: int
    other: int
    line: Array
    reach: float


def join_surfaces(model: Model, settings: TransferSettings) -> None:
    """Move edges of surfaces to the middle planes they touch, and record where surfaces are tied to each other.

    The planes stay; an edge goes at most half the other's thickness (over the sine of their angle) plus the snap
    distance, or is left where it is and tied by a rigid link when that is farther than `joins.move_surfaces`.
    """
    surfaces = list(model.surfaces.values())
    if len(surfaces) < 2:
        return
    snap = settings.snap_of("surfaces")
    panels = Panels(surfaces)
    level, meetings = [], []
    for i, j, parallel in _pairs(panels, snap):
        if parallel:
            level.append((i, j))
        else:
            meetings += _meet(panels, i, j, snap)
    _move_edges(model, panels, meetings, settings.joins.move_surfaces)
    moved = Panels(surfaces)
    for m in meetings:
        gap = max(_off(moved, m.one, m.line), _off(moved, m.other, m.line))
        shared = _shared(moved, m, gap)
        if shared is None:
            continue
        m.line = shared
        for own, other in ((m.one, m.other), (m.other, m.one)):
            surfaces[own].joints.append(SurfaceJoint("surface", surfaces[other].id, m.line, gap))
    # two walls one above the other, parted by a slab, meet now that both reach into it
    seen = {*level, *((m.one, m.other) for m in meetings)}
    level += [(i, j) for i, j, parallel in _pairs(moved, snap) if parallel and (i, j) not in seen]
    known: dict[tuple[bytes, bytes], list[Array]] = {}
    for i, j in sorted(level):
        _side_by_side(moved, i, j, snap, known)


def _pairs(panels: Panels, snap: float) -> list[tuple[int, int, bool]]:
    """Pairs of surfaces whose bodies meet, and whether their planes are (about) parallel."""
    i, j = meeting_pairs(panels, snap)
    sine = np.linalg.norm(np.cross(panels.axes[i, 2], panels.axes[j, 2]), axis=1)
    return list(zip(i.tolist(), j.tolist(), (sine < ALONG).tolist()))


def _meet(panels: Panels, i: int, j: int, snap: float) -> list[_Meeting]:
    a, b = panels.surfaces[i], panels.surfaces[j]
    na, nb = panels.axes[i, 2], panels.axes[j, 2]
    d = np.cross(na, nb)
    sine = float(np.linalg.norm(d))
    d = d / sine
    middle = (panels.bodies.centre[i] + panels.bodies.centre[j]) / 2
    # the point of both planes nearest to the middle of the two
    at = np.linalg.solve(np.array([na, nb, d]), np.array([na @ a.outer[0], nb @ b.outer[0], d @ middle]))
    far = float(panels.bodies.half[[i, j], :2].sum()) * 2 + 1.0
    line = np.array([at - d * far, at + d * far])
    spans = []
    for own, other, k in ((a, b, i), (b, a, j)):
        reach = other.thickness / 2 / sine + snap
        wide = panels.polygons[k].buffer(reach + 1e-9, join_style="mitre")
        parts = LineString(own.flat(line)).intersection(wide)
        spans.append(
            [
                np.sort((own.lifted(np.array(p.coords)[[0, -1]]) - at) @ d)
                for p in getattr(parts, "geoms", [parts])
                if p.length > 0
            ]
        )
    out = []
    for one in spans[0]:
        for two in spans[1]:
            low, high = max(one[0], two[0]), min(one[1], two[1])
            if high - low > SHORTEST:
                # what is within reach beyond both outlines is trimmed to where at least one of them is
                reach = max(a.thickness, b.thickness) / 2 / sine + snap
                out.append(_Meeting(i, j, np.array([at + d * low, at + d * high]), reach))
    return out


def _shared(panels: Panels, m: _Meeting, gap: float) -> Array | None:
    """What of a meeting's line both outlines still hold now that their edges are where they go; None for nothing."""
    start, d = m.line[0], m.line[1] - m.line[0]
    length = float(np.linalg.norm(d))
    d = d / length
    low, high = 0.0, length
    for k in (m.one, m.other):
        own = panels.surfaces[k]
        wide = panels.polygons[k].buffer(gap + WIDER, join_style="mitre")
        piece = longest(LineString(own.flat(m.line)).intersection(wide))
        if piece is None:
            return None
        t = np.sort((own.lifted(np.array(piece.coords)[[0, -1]]) - start) @ d)
        low, high = max(low, float(t[0])), min(high, float(t[1]))
    if high - low <= max(SHORTEST, 3 * gap):
        return None  # they meet in a corner alone
    # an end that was not cut off stays where it was; what the widening added at the others is taken off again
    if low > ROUNDING:
        low += gap + WIDER
    if high < length - ROUNDING:
        high -= gap + WIDER
    return np.array([start + d * low, start + d * high])


def _off(panels: Panels, k: int, line: Array) -> float:
    """How far the middle of a line lies off a surface's outline, m; 0 on it."""
    own = panels.surfaces[k]
    off = float(panels.polygons[k].distance(LineString(own.flat(line)).centroid))
    return 0.0 if off < 1e-6 else off


def _move_edges(model: Model, panels: Panels, meetings: list[_Meeting], farthest: float) -> None:
    """Edges onto the lines they meet; of two lines that one edge could go to, the nearer."""
    wanted: dict[tuple[int, int], tuple[float, tuple[float, ...], Array, str]] = {}
    for m in meetings:
        for own, other in ((m.one, m.other), (m.other, m.one)):
            s, t = panels.surfaces[own], panels.surfaces[other]
            ring, line = s.flat(s.outer), s.flat(m.line)
            u = line[1] - line[0]
            u = u / np.linalg.norm(u)
            normal = np.array([-u[1], u[0]])
            for k in range(len(ring)):
                a, b = ring[k], ring[(k + 1) % len(ring)]
                length = float(np.linalg.norm(b - a))
                off = (np.array([a, b]) - line[0]) @ normal
                along = np.sort((np.array([a, b]) - line[0]) @ u)
                overlap = min(along[1], float((line[1] - line[0]) @ u)) - max(along[0], 0.0)
                level = length > 1e-9 and abs(off[1] - off[0]) <= ALONG * length
                if not level or np.abs(off).max() > m.reach + 1e-9 or np.abs(off).max() < 1e-7:
                    continue
                # an edge that lies in the other's body goes to its middle, from either side
                if overlap < WHOLE * length:
                    continue
                key = (own, k)
                choice = (float(np.abs(off).max()), tuple(np.round(t.outer.mean(axis=0), 4)), line, t.name or t.id)
                if key not in wanted or choice[:2] < wanted[key][:2]:
                    wanted[key] = choice
    for own in sorted({key[0] for key in wanted}):
        s = panels.surfaces[own]
        edges = {k: v for (o, k), v in wanted.items() if o == own and v[0] <= farthest}
        if not edges:
            continue
        new = _moved(s, {k: v[2] for k, v in edges.items()})
        far = float(np.linalg.norm(new - s.outer, axis=1).max())
        names = ", ".join(sorted({v[3] for v in edges.values()})[:4])
        if far > 1e-4:
            message = f"{s.cls} {s.name or s.id}: edges brought to the middle of {names}, by up to {far * 1000:.0f} mm"
            at = s.outer.mean(axis=0)
            model.log.append(LogEntry("moved", (s.id,), message, far, (float(at[0]), float(at[1]), float(at[2]))))
        s.outer = new


def _moved(s: Surface, edges: dict[int, Array]) -> Array:
    """The outline with edges moved onto lines (2, 2): each corner goes to where its two sides now cross."""
    ring = s.flat(s.outer)
    n = len(ring)
    sides = []
    for k in range(n):
        line = edges.get(k)
        a, b = (line[0], line[1]) if line is not None else (ring[k], ring[(k + 1) % n])
        sides.append((a, (b - a) / max(float(np.linalg.norm(b - a)), 1e-12)))
    out = ring.copy()
    for k in range(n):
        if k not in edges and (k - 1) % n not in edges:
            continue
        (p, u), (q, v) = sides[k - 1], sides[k]
        cross = float(u[0] * v[1] - u[1] * v[0])
        if abs(cross) > ALONG:
            w = q - p
            out[k] = p + u * float(w[0] * v[1] - w[1] * v[0]) / cross
        else:
            base, way = (q, v) if k in edges else (p, u)
            out[k] = base + way * float((ring[k] - base) @ way)
    return s.lifted(out)


def _side_by_side(panels: Panels, i: int, j: int, snap: float, known: dict[tuple[bytes, bytes], list[Array]]) -> None:
    """Two surfaces in (about) one plane that share an edge: tied along it; the planes' distance is the link. `known`: the
    shared edges of like pairs, of which a building has many, in the first one's plane."""
    a, b = panels.surfaces[i], panels.surfaces[j]
    height = float(np.abs(a.height(b.outer)).max())
    if height > (a.thickness + b.thickness) / 2 + snap:
        return
    ring, other = a.flat(a.outer), a.flat(b.outer)
    key = ((np.round(ring, 9) + 0.0).tobytes(), (np.round(other, 9) + 0.0).tobytes())
    if key not in known:
        known[key] = _shared_edges(ring, other, snap)
    for shared in known[key]:
        ends = a.lifted(shared)
        a.joints.append(SurfaceJoint("surface", b.id, ends, height))
        b.joints.append(SurfaceJoint("surface", a.id, ends - np.outer(b.height(ends), b.plain_axes[2]), height))


def _shared_edges(ring: Array, other: Array, snap: float) -> list[Array]:
    """Pieces (2, 2) of a ring's sides that run along another ring, such as the two beside a door of the wall above."""
    near = LineString([*other, other[0]]).buffer(snap + ROUNDING, cap_style="flat", join_style="mitre")
    out: list[Array] = []
    for p, q in zip(ring, np.roll(ring, -1, axis=0)):
        length = float(np.linalg.norm(q - p))
        if length < SHORTEST:
            continue
        within = LineString([p, q]).intersection(near)
        for piece in getattr(within, "geoms", [within]):
            if piece.length <= max(SHORTEST, 2.5 * snap):
                continue
            # an end that the other ring leaves at a corner reaches the snap distance beyond it
            low, high = sorted(float(np.linalg.norm(c - p)) for c in np.array(piece.coords)[[0, -1]])
            low += (snap + ROUNDING) * (low > 2 * ROUNDING)
            high -= (snap + ROUNDING) * (high < length - 2 * ROUNDING)
            out.append(np.array([p + (q - p) * (low / length), p + (q - p) * (high / length)]))
    return out
