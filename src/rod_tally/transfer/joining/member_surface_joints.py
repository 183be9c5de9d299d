"""Members on surfaces: which ends a surface ties together, where their node lies, and what is recorded of it."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from ...model import Member, Model, SurfaceJoint
from ...model.geometry.panels import Panels, Touch, lying_along
from ...model.geometry.proximity import Rods
from .joins import Cluster


def ties_of(touches: list[Touch], rods: Rods) -> list[tuple[int, int]]:
    """Pairs of ends that run across one surface at one place, such as the columns above and below a slab: nearer than
    half the larger of their sections."""
    by_surface: dict[int, list[Touch]] = {}
    for t in touches:
        if t.across:
            by_surface.setdefault(t.surface, []).append(t)
    size = np.abs(rods.bounds).max(axis=1, initial=0.0)
    out = []
    for items in by_surface.values():
        items.sort(key=lambda t: tuple(np.round(t.point, 6)))
        points = np.array([t.point for t in items])
        reach = float(size[[t.end // 2 for t in items]].max())
        near = cKDTree(points).query_pairs(reach, output_type="ndarray")
        for a, b in sorted((int(i), int(j)) for i, j in near):
            zone = max(float(size[items[a].end // 2]), float(size[items[b].end // 2]))
            if items[a].end // 2 != items[b].end // 2 and np.linalg.norm(points[b] - points[a]) <= zone:
                out.append((items[a].end, items[b].end))
    return out


def place_on_surfaces(clusters: list[Cluster], touches: list[Touch], panels: Panels, members: list[Member]) -> None:
    """Bring nodes into the middle planes of the surfaces their ends run across.

    A node goes into a plane along the axis of the end that runs across it, such as a column's under a slab, of several along the
    one most square to it: a column's, not that of the brace beside it. What else ends at the node follows, or is tied to it by a
    rigid link as the settings say.
    """
    by_end: dict[int, list[Touch]] = {}
    for t in touches:
        by_end.setdefault(t.end, []).append(t)
    for cluster in clusters:
        mine = [t for e in cluster.ends for t in by_end.get(e, ())]
        if not mine or cluster.seats:
            continue
        planes: dict[int, Touch] = {}
        for t in sorted(mine, key=lambda t: _rank(t, members, panels)):
            planes.setdefault(t.surface, t)
        for s, t in planes.items():
            surface = panels.surfaces[s]
            n = surface.plain_axes[2]
            height = float((cluster.point - surface.outer[0]) @ n)
            x = members[t.end // 2].source_line
            assert x is not None
            way = x[1] - x[0]
            if t.across and abs(float(way @ n)) > 0.17 * float(np.linalg.norm(way)):
                cluster.point = cluster.point - way * (height / float(way @ n))
            else:
                cluster.point = cluster.point - n * height


def _rank(t: Touch, members: list[Member], panels: Panels) -> tuple[object, ...]:
    """By place, not by the order or the names of the file: surfaces, then what runs most squarely across one. Where planes are not
    square to each other the last counts most."""
    line = members[t.end // 2].source_line
    assert line is not None
    way = line[1] - line[0]
    square = abs(float(way @ panels.axes[t.surface, 2])) / float(np.linalg.norm(way))
    centre = np.round(panels.bodies.centre[t.surface], 4)
    return (
        not t.across,
        *centre,
        -round(square, 6),
        *np.round(line.mean(axis=0)[[2, 1, 0]], 4),
        members[t.end // 2].id,
    )


def record_joints(
    model: Model, clusters: list[Cluster], ids: list[str], touches: list[Touch], panels: Panels, rods: Rods,
    members: list[Member], snap: float,
) -> None:  # fmt: skip
    """Write down at every surface which ends and members are tied to it, and how far off its plane they lie."""
    node_of = {e: ids[c] for c, cluster in enumerate(clusters) for e in cluster.ends}
    seen: set[tuple[int, str]] = set()
    for t in sorted(touches, key=lambda t: (t.surface, *_rank(t, members, panels), t.end)):
        node = node_of[t.end]
        if (t.surface, node) in seen:
            continue
        seen.add((t.surface, node))
        surface = panels.surfaces[t.surface]
        point = model.nodes[node].point
        height = float(surface.height(point[None])[0])
        place = point - surface.plain_axes[2] * height
        joint = SurfaceJoint("end", members[t.end // 2].id, place[None], _clean(abs(height)), node)
        surface.joints.append(joint)
    for m, s, place, height in lying_along(rods, panels, snap):
        panels.surfaces[s].joints.append(SurfaceJoint("member", members[m].id, place, _clean(abs(height))))


def _clean(v: float) -> float:
    return 0.0 if v < 1e-9 else v


def nodes_on_surfaces(model: Model) -> set[str]:
    """Nodes that are tied to a surface."""
    out: set[str] = set()
    for s in model.surfaces.values():
        out.update(j.node for j in s.joints if j.node)
    return out


def measure_joints(model: Model) -> None:
    """How far members' axes and nodes lie from the surfaces they are tied to, as they stand after all moves."""
    for surface in model.surfaces.values():
        for j in surface.joints:
            if j.kind == "end" and j.node in model.nodes:
                j.distance = float(np.abs(surface.height(model.nodes[j.node].point[None]))[0])
            elif j.kind == "member" and j.other in model.members:
                j.distance = float(np.abs(surface.height(model.line(model.members[j.other]))).max())
