"""Walls as one column each: nodes at mid-length, level by level, with rigid arms to what the wall is joined
to.

Walls joined at an upright edge meet there level by level: the arms of both end in one place.
"""

from __future__ import annotations

from copy import copy

import numpy as np

from ..model import Model, Support, Surface, SurfaceJoint
from ..model.geometry.vectors import Array
from .mesh_data import Corner, HeldEdge, Plates, Tie, WallColumn
from .wires import TOUCH

LEAST = 0.5  # m; a storey nearer than this to another level of a wall gets no node of its own
SAME_LEVEL = 0.05  # m; joints nearer than this in height are at one level
MEETING = 0.4  # of the shortest wall's length between two meetings of walls at their edges
MOST_MEETINGS = 12  # between two levels
ROUNDING = 1e-6  # of a step; two steps and a hair are two
REACH = 0.1  # m; what is joined between two levels hangs on neither


def column_walls(model: Model, only: set[str] | None) -> list[Surface]:
    """Walls that a run computes as columns."""
    out = []
    for s in model.surfaces.values():
        material = model.materials.get(s.material)
        usable = material is not None and material.usable and s.thickness > 0
        if s.way == "column" and s.upright and usable and (only is None or s.id in only):
            out.append(s)
    return out


def add_columns(model: Model, out: Plates, walls: list[Surface], index: dict[str, int]) -> None:
    """Put the columns into the mesh with the ties that stand for their arms, and hold their feet."""
    points: list[Array] = []
    first = len(out.points)

    def node(p: Array) -> int:
        for k, q in enumerate(points):
            if np.linalg.norm(p - q) <= TOUCH:
                return first + k
        points.append(p)
        return first + len(points) - 1

    levels = _levels(walls, [x.elevation for x in model.storeys])
    out_of = {s.id for s in walls}
    for s in walls:
        out.shapes[s.id] = copy(s)
        level = np.cross([0.0, 0, 1], s.plain_axes[2])
        level = level / np.linalg.norm(level)
        along = (s.outer - s.outer[0]) @ level
        foot = s.outer[0] + level * (along.min() + along.max()) / 2
        z = levels[s.id]
        nodes = [node(np.array([foot[0], foot[1], h])) for h in z]
        out.columns[s.id] = WallColumn(
            s.id,
            np.array(nodes, np.int64),
            np.array(z),
            float(np.ptp(along)),
            s.thickness,
            level,
            s.plain_axes[2],
            _is_flanged(s, level, out_of),
        )
    out.points = np.vstack([out.points, *points]) if points else out.points
    tied: set[int] = set()
    rank = {ident: k for k, ident in enumerate(_in_order(walls))}
    for s in sorted(walls, key=lambda s: rank[s.id]):
        _tie(model, out, s, out.columns[s.id], index, tied, rank)
        _hold(out, s, out.columns[s.id])


def _in_order(walls: list[Surface]) -> list[str]:
    """Walls by what they are: the first at a node that several hold turns it, so that must not depend on the
    order of the file or on which way the building lies. The longest first, then the largest, the nearest to
    the middle of all, and by place."""
    middle = np.mean([s.outer.mean(axis=0) for s in walls], axis=0)

    def key(s: Surface) -> tuple[float, ...]:
        at = s.outer.mean(axis=0)
        far = float(np.linalg.norm((at - middle)[:2]))
        return (
            -round(_length(s), 3),
            -round(s.area, 3),
            round(far, 3),
            *(float(v) for v in np.round(at[[2, 1, 0]], 4)),
        )

    return [s.id for s in sorted(walls, key=lambda s: (*key(s), s.id))]


def _levels(walls: list[Surface], storeys: list[float]) -> dict[str, list[float]]:
    """Heights of each wall's nodes: its foot and top, what is joined to it, and the same of the walls at its
    edges.

    Walls at each other's edges meet more often than once a storey: between two meetings each bends by itself,
    which makes a box too soft in torsion by about (h / L)^2 G / 2 E."""
    own = {s.id: {float(s.outer[:, 2].min()), float(s.outer[:, 2].max()), *_joined_at(s)} for s in walls}
    for s in walls:  # and the storeys that it passes without a floor, where its forces are asked for
        low, high = min(own[s.id]), max(own[s.id])
        own[s.id] |= {
            z
            for z in storeys
            if low + LEAST < z < high - LEAST and min(abs(z - h) for h in own[s.id]) > LEAST
        }
    ends = {s.id: (float(s.outer[:, 2].min()), float(s.outer[:, 2].max())) for s in walls}
    groups: dict[str, set[str]] = {s.id: {s.id} for s in walls}
    for s in walls:
        for j in s.joints:
            if _is_edge(j) and j.other in own:
                both = groups[s.id] | groups[j.other]
                for ident in both:
                    groups[ident] = both
    length = {s.id: _length(s) for s in walls}
    for group in {id(g): g for g in groups.values() if len(g) > 1}.values():
        levels = sorted(set().union(*(own[i] for i in group)))
        step = MEETING * min(length[i] for i in group)
        more = set(levels)
        for a, b in zip(levels, levels[1:]):
            n = min(int(np.ceil((b - a) / step - ROUNDING)), MOST_MEETINGS)
            more |= {a + (b - a) * k / n for k in range(1, n)}
        for i in group:
            own[i] |= {h for h in more if ends[i][0] < h < ends[i][1]}
    out = {}
    for ident, heights in own.items():
        z: list[float] = []
        for h in sorted(heights):
            if not z or h - z[-1] > SAME_LEVEL:
                z.append(h)
        out[ident] = z
    return out


def _is_flanged(s: Surface, level: Array, walls: set[str]) -> bool:
    """Return whether other walls stand at both edges."""
    along = s.outer @ level
    at = [float(j.line.mean(axis=0) @ level) for j in s.joints if _is_edge(j) and j.other in walls]
    reach = s.thickness + TOUCH
    return any(t < along.min() + reach for t in at) and any(t > along.max() - reach for t in at)


def _length(s: Surface) -> float:
    level = np.cross([0.0, 0, 1], s.plain_axes[2])
    return float(np.ptp(s.outer @ (level / np.linalg.norm(level))))


def _is_edge(j: SurfaceJoint) -> bool:
    """Return whether a surface is joined along an upright line."""
    if j.kind != "surface" or len(j.line) < 2:
        return False
    d = np.abs(j.line[1] - j.line[0])
    return bool(d[2] > max(np.hypot(d[0], d[1]), SAME_LEVEL))


def _joined_at(s: Surface) -> set[float]:
    """Heights at which something level is joined to a wall, and its members' ends."""
    low, high = float(s.outer[:, 2].min()), float(s.outer[:, 2].max())
    out = set()
    for j in s.joints:
        if np.ptp(j.line[:, 2]) <= SAME_LEVEL:
            out.add(float(np.clip(j.line[:, 2].mean(), low, high)))
    return out


def _tie(
    model: Model,
    out: Plates,
    s: Surface,
    column: WallColumn,
    index: dict[str, int],
    tied: set[int],
    rank: dict[str, int],
) -> None:
    """Ties of a column to what its wall is joined to. `tied`: nodes that follow a wall already, which may
    follow no other: walls that meet there would turn as one, and a section of several walls could not warp.
    They meet there instead. `rank`: the walls' order."""

    def follow(n: int, point: Array) -> None:
        own = column.at(float(point[2]))
        if n in tied:
            out.corners.append(Corner(n, own, (float(point[0]), float(point[1]), float(point[2]))))
        else:
            tied.add(n)
            out.ties.append(Tie(n, (own,), (1.0,)))

    # by place: of two levels that one node lies near, the same one whatever the order of the file
    for j in sorted(
        s.joints, key=lambda j: (j.kind, *np.round(j.line.mean(axis=0)[[2, 1, 0]], 4).tolist(), j.other)
    ):
        if j.kind == "end" and j.node in index:
            follow(index[j.node], model.nodes[j.node].point)
        elif j.kind == "surface" and j.other in out.columns:
            other = out.columns[j.other]
            # one above the other: end to end; side by side, their arms meet in the edge at each level
            if np.ptp(j.line[:, 2]) <= SAME_LEVEL and rank[s.id] < rank[j.other]:
                a, b = column.at(float(j.line[0, 2])), other.at(float(j.line[0, 2]))
                tie = Tie(a, (b,), (1.0,))
                if a != b and tie not in out.ties:  # once, also where a door parts the joint
                    out.ties.append(tie)
            elif _is_edge(j) and rank[s.id] < rank[j.other]:
                _meet(out, column, other, j.line)
        elif j.kind == "surface" and j.other in out.surfaces:
            nodes = out.nodes_of(j.other)
            d = j.line[1] - j.line[0]
            size = float(np.linalg.norm(d))
            t = (out.points[nodes] - j.line[0]) @ d / size
            off = np.linalg.norm(out.points[nodes] - j.line[0] - np.outer(t, d / size), axis=1)
            on = nodes[(off <= j.distance + 2 * TOUCH) & (t > -2 * TOUCH) & (t < size + 2 * TOUCH)]
            for n in on.tolist():
                z = float(out.points[n, 2])
                if np.abs(column.z - z).min() <= REACH:
                    follow(n, out.points[n])


def _meet(out: Plates, a: WallColumn, b: WallColumn, edge: Array) -> None:
    low, high = float(edge[:, 2].min()) - REACH, float(edge[:, 2].max()) + REACH
    for n, z in zip(a.nodes.tolist(), a.z.tolist()):
        k = int(np.abs(b.z - z).argmin())
        if low <= z <= high and abs(float(b.z[k]) - z) <= SAME_LEVEL:
            corner = Corner(n, int(b.nodes[k]), (float(edge[:, 0].mean()), float(edge[:, 1].mean()), z))
            if corner not in out.corners:
                out.corners.append(corner)


def _hold(out: Plates, s: Surface, column: WallColumn) -> None:
    """Line supports under a wall as a support of the column's foot, in the wall's own directions."""
    for edge in s.supports:
        length = float(np.linalg.norm(edge.line[1] - edge.line[0]))
        line = edge.support.stiffness
        a, b = (0, 1) if abs(column.level[0]) >= abs(column.level[1]) else (1, 0)
        # along the wall, across it, up; then about the same three: a line held up is held from tipping in its
        # plane
        k = [line[a] * length, line[b] * length, line[2] * length]
        k += [line[3 + a] * length, line[2] * length**3 / 12, line[b] * length**3 / 12]
        across = np.cross([0.0, 0, 1], column.level)
        axes = tuple((float(v[0]), float(v[1]), float(v[2])) for v in (column.level, across, (0.0, 0.0, 1.0)))
        support = Support(tuple(float(v) for v in k), axes)
        node = column.at(float(edge.line[0, 2]))
        out.held.append(HeldEdge(s.id, support, np.array([node]), np.ones(1)))
