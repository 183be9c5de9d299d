"""Members on surfaces: which ends a surface ties together, where their node lies, and what is recorded of
it."""

from __future__ import annotations

import numpy as np

from ...model import Member, Model, Surface, SurfaceJoint
from ...model.geometry.panels import Panels, Touch, lying_along, passing
from ...model.geometry.proximity import Rods
from ...model.geometry.vectors import Array
from .joins import Cluster, Seat


def ties_of(touches: list[Touch], rods: Rods) -> list[tuple[int, int]]:
    """Pairs of ends that run across one surface at one place, such as the columns above and below a slab:
    nearer than half the larger of their sections."""
    from scipy.spatial import cKDTree  # a quarter of a second to load: not before it is needed

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


def place_on_surfaces(
    clusters: list[Cluster], touches: list[Touch], panels: Panels, members: list[Member]
) -> None:
    """Bring nodes into the middle planes of the surfaces their ends run across.

    A node goes into a plane along the axis of the end that runs across it, such as a column's under a slab,
    of several along the one most square to it: a column's, not that of the brace beside it. What else ends at
    the node follows, or is tied to it by a rigid link as the settings say."""
    rank = _ranks(touches, members, panels)
    by_end: dict[int, list[int]] = {}
    for k, t in enumerate(touches):
        by_end.setdefault(t.end, []).append(k)
    for cluster in clusters:
        mine = [k for e in cluster.ends for k in by_end.get(e, ())]
        if not mine or cluster.seats:
            continue
        planes: dict[int, Touch] = {}
        for k in sorted(mine, key=lambda k: rank[k]):
            planes.setdefault(touches[k].surface, touches[k])
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


def _ranks(touches: list[Touch], members: list[Member], panels: Panels) -> list[int]:
    """The place of each in their order: by place, not by the order or the names of the file: surfaces, then
    what runs most squarely across one. Where planes are not square to each other the last counts most."""
    if not touches:
        return []
    mine = [members[t.end // 2] for t in touches]
    on = np.array([t.surface for t in touches])
    lines = np.concatenate([m.source_line for m in mine if m.source_line is not None]).reshape(-1, 2, 3)
    way = lines[:, 1] - lines[:, 0]
    square = np.abs(np.einsum("ni,ni->n", way, panels.axes[on, 2])) / np.linalg.norm(way, axis=1)
    place = np.round(lines.mean(axis=1), 4)
    name = np.unique([m.id for m in mine], return_inverse=True)[1]
    centre = np.round(panels.bodies.centre[on], 4)
    across = np.array([not t.across for t in touches])
    # the last key counts first
    order = np.lexsort((name, *place.T, -np.round(square, 6), *centre[:, ::-1].T, across))
    rank = np.empty(len(touches), np.int64)
    rank[order] = np.arange(len(touches))
    out: list[int] = rank.tolist()
    return out


def pass_surfaces(
    clusters: list[Cluster], rods: Rods, panels: Panels, members: list[Member], snap: float
) -> list[tuple[int, int, int]]:
    """Give columns in one piece over several storeys a node at every surface that they pass, unless one is
    there within the surface's thickness. Returns (number of the cluster, member, surface)."""
    columns = np.array([k for k, m in enumerate(members) if m.cls == "column"], np.intp)
    lines = rods.lines.copy()
    inside: dict[int, list[int]] = {}
    for c, cluster in enumerate(clusters):
        for e in cluster.ends:
            lines[e // 2, e % 2] = cluster.point
        for seat in cluster.seats:
            inside.setdefault(seat.member, []).append(c)
    out = []
    for p in passing(rods, panels, snap, columns):
        surface = panels.surfaces[p.surface]
        near = [
            c
            for c in inside.get(p.member, ())
            if abs(float(surface.height(clusters[c].point[None])[0])) <= surface.thickness / 2 + snap
        ]
        if near:
            c = min(near, key=lambda c: abs(float(surface.height(clusters[c].point[None])[0])))
        else:
            a, b = lines[p.member]
            n = surface.plain_axes[2]
            share = float((surface.outer[0] - a) @ n) / float((b - a) @ n)
            c = len(clusters)
            seat = Seat(p.member, share * float(rods.lengths[p.member]))
            clusters.append(Cluster([], [seat], a + (b - a) * share))
            inside.setdefault(p.member, []).append(c)
        out.append((c, p.member, p.surface))
    return out


def record_joints(
    model: Model,
    clusters: list[Cluster],
    ids: list[str],
    touches: list[Touch],
    panels: Panels,
    rods: Rods,
    members: list[Member],
    snap: float,
    passed: list[tuple[int, int, int]],
) -> None:
    """Write down at every surface which ends and members are tied to it, and how far off its plane they
    lie."""
    node_of = {e: ids[c] for c, cluster in enumerate(clusters) for e in cluster.ends}
    rank = _ranks(touches, members, panels)
    places, heights = _feet(
        [panels.surfaces[t.surface] for t in touches], [node_of[t.end] for t in touches], model
    )
    seen: set[tuple[int, str]] = set()
    for k in sorted(range(len(touches)), key=lambda k: (touches[k].surface, rank[k])):
        t = touches[k]
        node = node_of[t.end]
        if (t.surface, node) in seen:
            continue
        seen.add((t.surface, node))
        joint = SurfaceJoint("end", members[t.end // 2].id, places[k], _clean(abs(heights[k])), node)
        panels.surfaces[t.surface].joints.append(joint)
    for c, m, s in passed:
        if (s, ids[c]) in seen:
            continue
        seen.add((s, ids[c]))
        own = panels.surfaces[s]
        at, heights = _feet([own], [ids[c]], model)
        own.joints.append(SurfaceJoint("end", members[m].id, at[0], _clean(abs(heights[0])), ids[c]))
    for m, s, place, height in lying_along(rods, panels, snap):
        panels.surfaces[s].joints.append(SurfaceJoint("member", members[m].id, place, _clean(abs(height))))


def _feet(surfaces: list[Surface], nodes: list[str], model: Model) -> tuple[Array, list[float]]:
    """Where nodes stand on surfaces, (n, 1, 3), and how high above them."""
    if not nodes:
        return np.zeros((0, 1, 3)), []
    normal = np.concatenate([s.plain_axes[2] for s in surfaces]).reshape(-1, 3)
    point = np.concatenate([model.nodes[n].point for n in nodes]).reshape(-1, 3)
    corner = np.concatenate([s.outer[0] for s in surfaces]).reshape(-1, 3)
    height = np.einsum("ni,ni->n", point - corner, normal)
    return (point - normal * height[:, None])[:, None], height.tolist()


def _clean(v: float) -> float:
    return 0.0 if v < 1e-9 else v


def nodes_on_surfaces(model: Model) -> set[str]:
    """Nodes that are tied to a surface."""
    out: set[str] = set()
    for s in model.surfaces.values():
        out.update(j.node for j in s.joints if j.node)
    return out


def measure_joints(model: Model) -> None:
    """How far members' axes and nodes lie from the surfaces they are tied to, as they stand after all
    moves."""
    ends = [
        (s, j) for s in model.surfaces.values() for j in s.joints if j.kind == "end" and j.node in model.nodes
    ]
    heights = _feet([s for s, _ in ends], [j.node for _, j in ends], model)[1]
    for (_, joint), height in zip(ends, heights):
        joint.distance = abs(height)
    along = [
        (s, j)
        for s in model.surfaces.values()
        for j in s.joints
        if j.kind == "member" and j.other in model.members
    ]
    if along:
        lines = model.lines_of([model.members[j.other] for _, j in along])
        normal = np.concatenate([s.plain_axes[2] for s, _ in along]).reshape(-1, 1, 3)
        corner = np.concatenate([s.outer[0] for s, _ in along]).reshape(-1, 1, 3)
        for (_, joint), far in zip(
            along, np.abs(((lines - corner) * normal).sum(axis=2)).max(axis=1).tolist()
        ):
            joint.distance = far
