"""Surfaces to surfaces: edges brought to the planes they meet, and the lines along which two surfaces are
tied."""

from __future__ import annotations

import numpy as np

from ...model import LogEntry, Model, Surface
from ...model.geometry.meetings import Meeting, meet, pairs, side_by_side, tie_meeting
from ...model.geometry.panels import ALONG, Panels
from ...model.geometry.vectors import Array
from ...model.settings import TransferSettings

WHOLE = 0.7  # share of an edge that must meet the other surface for the edge to be moved onto it


def join_surfaces(model: Model, settings: TransferSettings) -> None:
    """Move edges of surfaces to the middle planes they touch, and record where surfaces are tied to each
    other.

    The planes stay; an edge goes at most half the other's thickness (over the sine of their angle) plus the
    snap distance, or is left where it is and tied by a rigid link when that is farther than
    `joins.move_surfaces`."""
    surfaces = list(model.surfaces.values())
    if len(surfaces) < 2:
        return
    snap = settings.snap_of("surfaces")
    panels = Panels(surfaces)
    level, meetings = [], []
    for i, j, parallel in pairs(panels, snap):
        if parallel:
            level.append((i, j))
        else:
            meetings += meet(panels, i, j, snap)
    _move_edges(model, panels, meetings, settings.joins.move_surfaces)
    moved = Panels(surfaces)
    for m in meetings:
        tie_meeting(moved, m)
    # two walls one above the other, parted by a slab, meet now that both reach into it
    seen = {*level, *((m.one, m.other) for m in meetings)}
    level += [(i, j) for i, j, parallel in pairs(moved, snap) if parallel and (i, j) not in seen]
    known: dict[tuple[bytes, bytes], list[Array]] = {}
    for i, j in sorted(level):
        side_by_side(moved, i, j, snap, known)


def _move_edges(model: Model, panels: Panels, meetings: list[Meeting], farthest: float) -> None:
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
                choice = (
                    float(np.abs(off).max()),
                    tuple(np.round(t.outer.mean(axis=0), 4)),
                    line,
                    t.name or t.id,
                )
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
            model.log.append(
                LogEntry("moved", (s.id,), message, far, (float(at[0]), float(at[1]), float(at[2])))
            )
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
