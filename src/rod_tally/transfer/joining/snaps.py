"""Nodes brought to storeys' levels and grid lines, and ends tied by a rigid link where moving them would go
too far."""

from __future__ import annotations

import numpy as np

from ...model import LogEntry, Member, Model
from ...model.geometry.vectors import Array
from ...model.settings import JoinSettings
from .joins import Cluster


def snap_to_building(model: Model, clusters: list[Cluster], joins: JoinSettings) -> None:
    """Bring nodes within `joins.levels` of a storey's level to it, and within `joins.grids` of grid lines
    onto them.

    Every node is looked at once from where the joins put it, so none goes farther than the tolerance in
    either step."""
    if not clusters or not (joins.levels > 0 or joins.grids > 0):
        return
    points = np.array([c.point for c in clusters])
    moved = points.copy()
    if joins.levels > 0 and model.storeys:
        levels = np.array([s.elevation for s in model.storeys])
        off = levels - points[:, 2:3]
        nearest = np.abs(off).argmin(axis=1)
        step = off[np.arange(len(points)), nearest]
        moved[:, 2] += np.where(np.abs(step) <= joins.levels, step, 0.0)
    if joins.grids > 0 and model.grids:
        lines = [(g.points[k], g.points[k + 1]) for g in model.grids for k in range(len(g.points) - 1)]
        for n, p in enumerate(points[:, :2]):
            moved[n, :2] = _to_grid(p, lines, joins.grids)
    far = np.linalg.norm(moved - points, axis=1)
    for n in np.flatnonzero(far > 1e-9).tolist():
        clusters[n].point = moved[n]
    count = int((far > 1e-4).sum())
    if count:
        message = f"{count} nodes brought to levels and grid lines, by up to {far.max() * 1000:.0f} mm"
        model.log.append(LogEntry("moved", (), message, float(far.max())))


def _to_grid(p: Array, lines: list[tuple[Array, Array]], distance: float) -> Array:
    """A point in plan onto the nearest line within `distance`, or onto the crossing of two that it is near
    to."""
    near = []
    for a, b in lines:
        u = (b - a) / max(float(np.linalg.norm(b - a)), 1e-12)
        t = float((p - a) @ u)
        off = p - a - t * u
        if (
            -distance <= t <= float(np.linalg.norm(b - a)) + distance
            and float(np.linalg.norm(off)) <= distance
        ):
            near.append((float(np.linalg.norm(off)), a, u))
    if not near:
        return p
    near.sort(key=lambda x: x[0])
    _, a, u = near[0]
    for _, b, v in near[1:]:
        cross = float(u[0] * v[1] - u[1] * v[0])
        if abs(cross) > 0.17:
            w = b - a
            at = a + u * float(w[0] * v[1] - w[1] * v[0]) / cross
            if np.linalg.norm(at - p) <= distance:
                return at
    return a + u * float((p - a) @ u)


def tie_far_ends(
    model: Model,
    clusters: list[Cluster],
    ids: list[str],
    members: list[Member],
    on_surface: set[str],
    joins: JoinSettings,
) -> None:
    """Give an end that would move too far across its own line a rigid link to its node instead."""
    source = np.concatenate([m.source_line for m in members if m.source_line is not None]).reshape(-1, 2, 3)
    way = source[:, 1] - source[:, 0]
    way = way / np.linalg.norm(way, axis=1)[:, None]
    at = source.copy()
    for c, cluster in enumerate(clusters):
        for e in cluster.ends:
            at[e // 2, e % 2] = model.nodes[ids[c]].point
    step = at - source
    off = source + way[:, None] * np.einsum("nki,ni->nk", step, way)[:, :, None] - at
    far = np.linalg.norm(off, axis=2)
    for c, cluster in enumerate(clusters):
        moved = [e for e in cluster.ends if far[e // 2, e % 2] >= 1e-6]
        if not moved:
            continue
        node = model.nodes[ids[c]]
        limit = (
            joins.move_members
            if cluster.seats
            else joins.move_surfaces
            if node.id in on_surface
            else joins.move_ends
        )
        for e in moved:
            m, distance = members[e // 2], float(far[e // 2, e % 2])
            bound = min(
                limit, {"column": joins.move_columns, "brace": joins.move_braces}.get(m.cls, joins.move_beams)
            )
            if distance <= bound:
                continue
            if e % 2:
                m.offset_end = off[e // 2, 1].copy()
            else:
                m.offset_start = off[e // 2, 0].copy()
            message = (
                f"{'end' if e % 2 else 'start'} of {m.cls} {m.name or m.id} tied to node {node.id} by a rigid link of "
                f"{distance * 1000:.0f} mm; it keeps its line"
            )
            p = source[e // 2, e % 2].tolist()
            model.log.append(LogEntry("joined", (m.id,), message, distance, (p[0], p[1], p[2])))
