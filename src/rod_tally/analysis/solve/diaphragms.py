"""Floors that move in plan as one: which nodes a rigid diaphragm takes hold of, by what is joined to its
slabs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components
from shapely.geometry import MultiPoint

from ...meshing import Plates
from ...model import Model, Surface
from ...model.geometry.heights import LEVEL_REACH, nearest_level
from ...model.geometry.vectors import Array, closest_on_segment

IN_PLANE = 1.5e-3  # m; nodes this near to a line where a slab is joined to something lie on it
FLAT = 1e-5  # m; nodes of one floor differ in height by rounding alone
ONE_PLANE = 0.9962  # cosine (5 degrees) within which slabs that share nodes are one floor
LEVEL = 0.99999  # cosine to vertical of a floor that is level
UPRIGHT = 0.7  # cosine to vertical of a member that counts as a column

STOREY = "Storey"  # how the names of floors that were asked for begin
UP = (0.0, 0.0, 1.0)


@dataclass(slots=True)
class Floor:
    """A floor that moves in its plane as one: its name, its nodes by number, its slabs, the normal of its
    plane and its distance from the origin along that (m), and the members joined to its slabs of which it
    holds no node.

    The plane is that of most of its nodes, such as that of the beams' axes under a slab; a node beside it
    follows by a rigid arm."""

    name: str
    nodes: NDArray[np.int64]
    slabs: tuple[str, ...] = ()
    normal: tuple[float, float, float] = UP
    plane: float = 0.0
    not_held: tuple[str, ...] = field(default=())

    @property
    def level(self) -> bool:
        return abs(self.normal[2]) >= LEVEL


def floors_in_plane(
    model: Model,
    node_ids: Sequence[str],
    plates: Plates | None,
    xyz: Array,
    live: NDArray[np.bool_],
    held: NDArray[np.bool_],
    storeys: list[str],
) -> list[Floor]:
    """Everything that moves in its plane as one: the chosen storeys, and slabs that stiffen theirs; level
    floors that share a node are one. A floor with a node that is `held` in plan is left out."""
    found = [f for f in every_floor(model, node_ids, plates, xyz, live, storeys) if not held[f.nodes].any()]
    flat, sloping = [f for f in found if f.level], [f for f in found if not f.level]
    if len(flat) > 1:
        rows = np.concatenate([np.full(len(f.nodes), k) for k, f in enumerate(flat)])
        nodes = np.concatenate([f.nodes for f in flat])
        holds = sparse.coo_matrix((np.ones(len(rows)), (rows, nodes)), shape=(len(flat), len(xyz))).tocsr()
        count, of = connected_components(holds @ holds.T, directed=False)
        groups = [[f for f, k in zip(flat, of) if k == c] for c in range(count)]
        flat = [
            Floor(
                own[0].name,
                np.unique(np.concatenate([f.nodes for f in own])),
                tuple(s for f in own for s in f.slabs),
                plane=own[0].plane,
            )
            for own in groups
        ]
    return flat + sloping


def every_floor(
    model: Model,
    node_ids: Sequence[str],
    plates: Plates | None,
    xyz: Array,
    live: NDArray[np.bool_],
    storeys: list[str],
) -> list[Floor]:
    """Floors of the chosen storeys, then of slabs that stiffen their storey."""
    index = {n: k for k, n in enumerate(node_ids)}
    of_slabs = slab_floors(model, index, plates, xyz, live)
    return _of_storeys(model, index, plates, xyz, live, storeys) + of_slabs


def _of_storeys(
    model: Model,
    index: dict[str, int],
    plates: Plates | None,
    xyz: Array,
    live: NDArray[np.bool_],
    storeys: list[str],
) -> list[Floor]:
    """Return, of the nodes within reach of each storey's level, the ones that lie in one plane: of those
    with at least half as many nodes as the fullest, the one nearest to the level (a wall's elements have as
    full rows above and below it). Nodes of other planes would bend what stands there. What does not hang
    together there, such as two towers, is a floor each."""
    if not storeys:
        return []
    z = np.array([s.elevation for s in model.storeys])
    at = nearest_level(z, xyz[:, 2])
    links = links_of(model, index, plates)
    near = np.abs(xyz[:, 2] - z[at]) <= LEVEL_REACH
    out = []
    for k, storey in enumerate(model.storeys):
        here = near & (at == k) & live
        if here.any():
            height, count = np.unique(np.round(xyz[here, 2] / FLAT).astype(np.int64), return_counts=True)
            full = height[count >= count.max() / 2]
            nearest = full[np.abs(full * FLAT - storey.elevation).argmin()]
            here &= np.abs(xyz[:, 2] / FLAT - nearest) <= 1
        if storey.name not in storeys or here.sum() < 2:
            continue
        groups = hanging_together(links, np.flatnonzero(here), xyz)
        for n, nodes in enumerate(groups, 1):
            more = f", part {n}" if len(groups) > 1 else ""
            out.append(Floor(f"{STOREY} {storey.name}{more}", nodes, plane=float(np.median(xyz[nodes, 2]))))
    return out


def _links(model: Model, index: dict[str, int], plates: Plates | None) -> NDArray[np.int64]:
    """Pairs of nodes that a member's piece or a side of an element joins, (k, 2)."""
    pairs: list[tuple[int, int]] = []
    for m in model.members.values():
        way = [index[n] for n in (m.start, *(j.node for j in m.joints), m.end) if n in index]
        pairs += list(zip(way, way[1:]))
    found = [np.array(pairs, np.int64).reshape(-1, 2)]
    if plates is not None:
        for e in (plates.quads, plates.triangles):
            found.append(np.stack([e, np.roll(e, -1, axis=1)], axis=-1).reshape(-1, 2))
        ties = [(t.slave, m) for t in plates.ties for m in t.masters]
        found.append(np.array(ties, np.int64).reshape(-1, 2))
    return np.concatenate(found)


def _slab_links(model: Model, index: dict[str, int], n: int) -> NDArray[np.int64]:
    """Pairs (k, 2) of nodes and slabs that are joined, and of slabs with each other; slabs count on from
    `n`."""
    slabs = {s.id: n + k for k, s in enumerate(model.surfaces.values()) if not s.upright}
    pairs: list[tuple[int, int]] = []
    for ident, own in slabs.items():
        for j in model.surfaces[ident].joints:
            m = model.members.get(j.other)
            if j.kind == "end" and j.node in index:
                pairs.append((own, index[j.node]))
            elif j.kind == "member" and m is not None:
                pairs += [
                    (own, index[x]) for x in (m.start, *(i.node for i in m.joints), m.end) if x in index
                ]
            elif j.other in slabs:
                pairs.append((own, slabs[j.other]))
    return np.array(pairs, np.int64).reshape(-1, 2)


def links_of(model: Model, index: dict[str, int], plates: Plates | None) -> NDArray[np.int64]:
    """Return what is joined to what, pairs (k, 2): nodes by members, elements and ties, and nodes to slabs,
    which count on from the nodes of `index`."""
    found = [_links(model, index, plates), _slab_links(model, index, len(index))]
    if plates is not None:
        # the nodes of walls along the lines where slabs are joined to them
        slabs = {s.id: len(index) + k for k, s in enumerate(model.surfaces.values()) if not s.upright}
        own = [model.surfaces[i] for i in slabs]
        held = _held_by(model, own, index, plates, plates.points, np.ones(len(plates.points), bool))
        pairs = [(slabs[s.id], n) for s, nodes in zip(own, held) for n in nodes]
        found.append(np.array(pairs, np.int64).reshape(-1, 2))
    return np.concatenate(found)


def hanging_together(
    links: NDArray[np.int64], nodes: NDArray[np.int64], xyz: Array
) -> list[NDArray[np.int64]]:
    """Groups of the nodes that members, elements or slabs join within their level, by `links_of`. One that
    nothing joins, such as a column's head under no beam, belongs to the group that it stands in."""
    n = len(xyz)
    size = max(n, int(links.max(initial=-1)) + 1)
    inside = np.zeros(size, bool)
    inside[nodes] = inside[n:] = True
    pairs = links[inside[links].all(axis=1)]
    graph = sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(size, size))
    of = connected_components(graph, directed=False)[1][nodes]
    groups = [nodes[of == c] for c in np.unique(of)]
    whole = [g for g in groups if len(g) > 1]
    alone = [g for g in groups if len(g) == 1]
    if not whole:
        return [nodes]  # nothing says what hangs together: the storey as a whole, as it was asked for
    shapes = [MultiPoint(xyz[g][:, :2]).convex_hull.buffer(FLAT) for g in whole]
    for one in alone:
        for k, shape in enumerate(shapes):
            if shapely.contains_xy(shape, *xyz[one[0], :2]):
                whole[k] = np.sort(np.append(whole[k], one))
                break
    return sorted(whole, key=lambda g: tuple(np.round(xyz[g].mean(axis=0), 3)))


def slab_floors(
    model: Model, index: dict[str, int], plates: Plates | None, xyz: Array, live: NDArray[np.bool_]
) -> list[Floor]:
    """Floors of slabs that stiffen their storey. Each holds what is joined to its slabs: ends, members
    along them, walls and other slabs along a shared edge. Slabs that are joined to each other, or to one
    node, in one plane are one floor."""
    slabs = [s for s in model.surfaces.values() if s.diaphragm and not s.keeps_loads]
    if not slabs:
        return []
    at = model.members_at()
    beams = np.array([index[n] for n, ids in at.items() if n in index and _has_beam(model, ids)], np.int64)
    number = {s.id: k for k, s in enumerate(slabs)}
    normals = np.array([s.plain_axes[2] for s in slabs])
    held = _held_by(model, slabs, index, plates, xyz, live)
    pairs: list[tuple[int, int]] = []
    for k, s in enumerate(slabs):
        for j in s.joints:
            other = number.get(j.other)
            if j.kind == "surface" and other is not None and normals[k] @ normals[other] >= ONE_PLANE:
                pairs.append((k, other))
    by_node: dict[int, int] = {}
    for k in range(len(slabs)):
        for n in held[k]:
            first = by_node.setdefault(n, k)
            if first != k and normals[k] @ normals[first] >= ONE_PLANE:
                pairs.append((first, k))
    own = np.array(pairs, np.int64).reshape(-1, 2)
    graph = sparse.coo_matrix((np.ones(len(own)), (own[:, 0], own[:, 1])), shape=(len(slabs), len(slabs)))
    count, of = connected_components(graph, directed=False)
    taken: set[int] = set()
    out = []
    groups = [np.flatnonzero(of == c) for c in range(count)]
    # level floors first: a node of two planes stays with the first that has it
    for group in sorted(groups, key=lambda g: (-round(float(np.abs(normals[g, 2]).mean()), 6), int(g[0]))):
        every = sorted({n for k in group.tolist() for n in held[k]})
        mine = [slabs[k] for k in group]
        normal = normals[group].mean(axis=0)
        normal = normal / np.linalg.norm(normal)
        if abs(normal[2]) >= LEVEL or np.ptp(normals[group] @ normal) > 1e-9:
            normal = np.array(UP)  # slabs with a slight fall against each other: as one in plan
        plane = _plane_of(xyz[every] @ normal, np.isin(every, beams)) if every else 0.0
        heights = dict(zip(every, np.abs(xyz[every] @ normal - plane).tolist()))
        nodes = _once_a_column(model, heights, index, at) - taken
        # what a floor of another plane has already it does not hold: the ridge of two slopes
        missed = _not_held(model, mine, set(heights) - taken, index)
        if len(nodes) > 1:
            taken |= nodes
            n0, n1, n2 = normal.tolist()
            out.append(
                Floor(
                    f"The floor of slab {mine[0].name or mine[0].id}",
                    np.array(sorted(nodes), np.int64),
                    tuple(s.id for s in mine),
                    (n0, n1, n2),
                    plane,
                    missed,
                )
            )
    return out


def _has_beam(model: Model, ids: list[str]) -> bool:
    return any(not _stands(model.line(model.members[i])) for i in ids)


def _stands(line: Array) -> bool:
    return abs(float(line[1, 2] - line[0, 2])) >= UPRIGHT * float(np.linalg.norm(line[1] - line[0]))


def _plane_of(off: Array, beams: NDArray[np.bool_]) -> float:
    """Where most of the nodes lie along a floor's normal, m; of those where beams end where there are any:
    an arm to a beam would let the floor bend with it."""
    values = off[beams] if beams.any() else off
    low, count = np.unique(np.round(values / IN_PLANE).astype(np.int64), return_counts=True)
    # rounding may part one plane in two
    most = [int(count[np.abs(low - x) <= 1].sum()) for x in low]
    best = low[int(np.argmax(most))]
    return float(np.median(values[np.abs(np.round(values / IN_PLANE) - best) <= 1]))


def _held_by(
    model: Model,
    slabs: list[Surface],
    index: dict[str, int],
    plates: Plates | None,
    xyz: Array,
    live: NDArray[np.bool_],
) -> list[set[int]]:
    """For each slab the nodes that are joined to it."""
    out: list[set[int]] = []
    along: dict[str, list[int]] = {}  # nodes of a member
    lines: list[Array] = []
    on: list[tuple[int, int, int]] = []  # slab, node, line
    for k, s in enumerate(slabs):
        found: list[int] = []
        for j in s.joints:
            if j.kind == "end":
                if j.node in index:
                    found.append(index[j.node])
            elif j.kind == "member" and j.other in model.members:
                nodes = along.get(j.other)
                if nodes is None:
                    m = model.members[j.other]
                    names = (m.start, *(x.node for x in m.joints), m.end)
                    nodes = along[j.other] = [index[n] for n in names if n in index]
                on += [(k, n, len(lines)) for n in nodes]
                lines.append(j.line)
            elif j.kind == "surface" and plates is not None:
                near = j.distance + IN_PLANE
                if j.other in plates.columns:
                    column = plates.columns[j.other]
                    away = np.abs(column.z - float(j.line[:, 2].mean()))
                    if away.min() <= near + s.thickness / 2:
                        found.append(int(column.nodes[int(away.argmin())]))
                elif j.other in plates.surfaces and len(j.line) == 2:
                    there = plates.nodes_of(j.other)
                    ends = np.broadcast_to(j.line[:, None], (2, len(there), 3))
                    _, off = closest_on_segment(xyz[there], *ends)
                    found += there[off <= near].tolist()
        out.append({n for n in found if live[n]})
    if on:
        of, node, line = np.array(on, np.int64).T
        good = live[node] & _along(xyz[node], np.array(lines)[line], IN_PLANE)
        for k, n in zip(of[good].tolist(), node[good].tolist()):
            out[k].add(n)
    return out


def _along(points: Array, lines: Array, beyond: float) -> NDArray[np.bool_]:
    """Which of the points (n, 3) lie beside their line (n, 2, 3), not before its start or behind its end."""
    d = lines[:, 1] - lines[:, 0]
    size = np.linalg.norm(d, axis=1)
    t = np.einsum("ni,ni->n", points - lines[:, 0], d) / np.maximum(size, beyond)
    return np.asarray((size > beyond) & (t >= -beyond) & (t <= size + beyond))


def _once_a_column(
    model: Model, heights: dict[int, float], index: dict[str, int], at: dict[str, list[str]]
) -> set[int]:
    """The nodes without those on a column that has another one nearer to the floor's plane: two held on
    one column would keep it from turning there."""
    far = {n for n, h in heights.items() if h > IN_PLANE}
    if not far:
        return set(heights)
    name = {k: n for n, k in index.items() if k in heights}
    out = set(heights)
    for n in far:
        for ident in at.get(name.get(n, ""), ()):
            m = model.members[ident]
            if not _stands(model.line(m)):
                continue
            others = [index[x] for x in (m.start, *(j.node for j in m.joints), m.end) if x in index]
            if any(o != n and heights.get(o, np.inf) < heights[n] - FLAT for o in others):
                out.discard(n)
    return out


def _not_held(model: Model, slabs: list[Surface], nodes: set[int], index: dict[str, int]) -> tuple[str, ...]:
    """Members that lie along slabs, and the ends at them, none of whose nodes the floor reaches."""
    out: dict[str, None] = {}
    for s in slabs:
        for j in s.joints:
            m = model.members.get(j.other)
            if m is None:
                continue
            own = [index[n] for n in (m.start, *(x.node for x in m.joints), m.end) if n in index]
            if own and not nodes.intersection(own):
                out[m.id] = None
    return tuple(out)
