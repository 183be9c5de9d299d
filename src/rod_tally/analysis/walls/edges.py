"""Forces along the upright edges at which walls are joined: what a joint between two panels has to carry.

They come from the forces that the nodes along the edge give the wall's elements, between the levels of its
storey. The nodes at the levels themselves have forces of the level cut and of the edge's last half element in
one; the edge's part is taken as that half length times the force a metre at the nearest node of the edge, and
the cut has the rest."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...meshing import Plates
from ...model import Model, Surface, SurfaceJoint
from ...model.geometry.vectors import Array
from ..results.results import Results
from .lengths import AT_NODE, heights, wall_directions
from .node_forces import HeldLoads, elements_of, folded, known_cases, node_forces

EDGE_COMPONENTS = ("v", "n", "out", "m")
SHORTEST = 0.1  # m; a shorter stretch of a joint within a storey has no row


@dataclass(slots=True)
class WallEdge:
    """One wall's edge within one storey: `others` are the walls joined there, `line` (2, 3) its lower and
    upper end in the source's coordinates.

    What the others give this wall, in EDGE_COMPONENTS: v along the edge (upwards), n in the wall's plane
    square to the edge (away from the wall's middle: positive in tension), out across the wall, m about the
    edge. `total` (C, 4) over the edge in every case, `a_metre` (C, k, 4) at the k nodes at `heights`; `done`
    (C,) where they were computed. Responses to a spectrum are sizes without sign."""

    storey: str
    wall: str
    ident: str
    others: tuple[str, ...]
    line: Array
    heights: Array
    total: Array
    a_metre: Array
    done: NDArray[np.bool_]
    at_levels: Array


@dataclass(slots=True)
class EdgeForces:
    """Forces of one edge in one case or combination: the totals (N, N m); the largest shear a metre with its
    sign, at `height` (m, source coordinates); the largest tension and compression a metre across the joint, 0
    for none (N/m)."""

    total: Array
    shear: float
    height: float
    tension: float
    compression: float


def edges_of(
    model: Model, results: Results, moves: Array, plates: Plates, s: Surface, loads: HeldLoads
) -> list[WallEdge]:
    """Edges of a wall that was computed as shells with the walls joined to it, storey by storey. `moves` are
    `movements`."""
    out = []
    for joints in _upright_joints(s, plates):
        for storey in heights(model, s):
            found = _edge(model, results, moves, plates, s, joints, storey, loads)
            if found is not None:
                out.append(found)
    return out


def _upright_joints(s: Surface, plates: Plates) -> list[list[SurfaceJoint]]:
    """A wall's joints with other walls at upright lines, those on one line together."""
    found: list[list[SurfaceJoint]] = []
    for j in s.joints:
        if (
            j.kind != "surface"
            or len(j.line) != 2
            or j.other not in plates.surfaces
            or not plates.shapes[j.other].upright
        ):
            continue
        along = j.line[1] - j.line[0]
        if abs(along[2]) <= np.linalg.norm(along[:2]):
            continue
        for own in found:
            if _off(j.line.mean(axis=0)[None], own[0].line).max() < AT_NODE:
                own.append(j)
                break
        else:
            found.append([j])
    return found


def _off(points: Array, line: Array) -> Array:
    """Distances (k,) of points from the endless line through two points."""
    along = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
    rest = points - line[0]
    return np.asarray(np.linalg.norm(rest - np.outer(rest @ along, along), axis=1))


def _edge(
    model: Model,
    results: Results,
    moves: Array,
    plates: Plates,
    s: Surface,
    joints: list[SurfaceJoint],
    storey: tuple[str, float, float],
    loads: HeldLoads,
) -> WallEdge | None:
    """The edge in one storey; None where no other wall is joined there."""
    name, low, high = storey
    near = [j for j in joints if min(high, j.line[:, 2].max()) - max(low, j.line[:, 2].min()) > SHORTEST]
    if not near:
        return None
    first = max(low, min(float(j.line[:, 2].min()) for j in near))
    last = min(high, max(float(j.line[:, 2].max()) for j in near))
    a, b = near[0].line if near[0].line[0, 2] < near[0].line[1, 2] else near[0].line[::-1]
    up = (b - a) / np.linalg.norm(b - a)
    ends = np.array([a + up * ((z - a[2]) / up[2]) for z in (first, last)])
    elements = elements_of(plates, s.id)
    own = np.unique(np.concatenate([e.ravel() for e in elements]))
    points = plates.points[own]
    between = (points[:, 2] > low + AT_NODE) & (points[:, 2] < high - AT_NODE)
    joined = np.zeros(len(own), bool)
    for j in near:
        joined |= (points[:, 2] > j.line[:, 2].min() - AT_NODE) & (
            points[:, 2] < j.line[:, 2].max() + AT_NODE
        )
    on = own[between & joined & (_off(points, ends) < AT_NODE)]
    on = on[np.argsort(plates.points[on, 2])]
    others = tuple(sorted({j.other for j in near}))
    where = ends + model.origin
    cases = len(results.cases)
    if not len(on):  # no node of the mesh lies between the levels
        nothing = (
            np.zeros((cases, 4)),
            np.zeros((cases, 0, 4)),
            np.zeros(cases, bool),
            np.zeros((2, len(moves), 6)),
        )
        return WallEdge(name, s.name or s.id, s.id, others, where, np.zeros(0), *nothing)
    z = plates.points[on, 2]
    given, summed = _reaches(z, first, last, low, high)
    six = node_forces(model, moves, plates, s, elements, on, loads) / given[:, None]
    at_levels = np.stack([six[:, 0] * (summed - given)[0], six[:, -1] * (summed - given)[-1]])
    across = s.plain_axes[2]
    aside = np.cross(up, across)
    away = ends.mean(axis=0) - s.outer.mean(axis=0)
    aside = (
        aside
        if aside @ away > 0 or (abs(aside @ away) < AT_NODE and aside @ wall_directions(s)[0] > 0)
        else -aside
    )
    _, outwards = wall_directions(s)
    out = across if across @ outwards > 0 else -across
    f, m = six[..., :3], six[..., 3:]
    a_metre = np.stack([f @ up, f @ aside, f @ out, m @ up], axis=-1)
    total = (a_metre * summed[:, None]).sum(axis=1)
    done = np.atleast_1d(results.node_done[:, on].all(axis=1)) & known_cases(model, results)
    return WallEdge(
        name,
        s.name or s.id,
        s.id,
        others,
        where,
        z + model.origin[2],
        folded(results, total),
        folded(results, a_metre),
        done,
        at_levels,
    )


def _reaches(z: Array, first: float, last: float, low: float, high: float) -> tuple[Array, Array]:
    """Return, for nodes at heights z (k,), the length (m) that gives each its force, and that over which
    its force a metre is summed.

    They differ beside a level, whose own node has the force of half an element.
    """
    begin = first if first - low < AT_NODE else min(z[0], first)
    end = last if high - last < AT_NODE else max(z[-1], last)
    edges = np.concatenate([[begin], (z[:-1] + z[1:]) / 2, [end]])
    summed = np.diff(edges)
    given = summed.copy()
    if first - low < AT_NODE:
        given[0] -= (z[0] - begin) / 2
    if high - last < AT_NODE:
        given[-1] -= (end - z[-1]) / 2
    return given, summed


def edge_forces(edge: WallEdge, factors: Array, signless: NDArray[np.bool_]) -> EdgeForces | None:
    """An edge's forces in a sum of cases with these `factors` (C,); None where one was not computed.

    `signless` (C,) says which cases are sizes: they are added to what the others give, whichever way that
    acts."""
    used = factors != 0
    if not edge.done[used].all() or not len(edge.heights):
        return None
    plain, sizes = np.where(signless, 0.0, factors), np.where(signless, np.abs(factors), 0.0)

    def both(values: Array) -> tuple[Array, Array]:
        return np.tensordot(plain, values, axes=1), np.tensordot(sizes, np.abs(values), axes=1)

    signed, more = both(edge.total)
    a_metre, spread = both(edge.a_metre)
    way = np.where(a_metre < 0, -1.0, 1.0)
    shear = (a_metre + way * spread)[:, 0]
    k = int(np.abs(shear).argmax())
    return EdgeForces(
        signed + np.where(signed < 0, -1.0, 1.0) * more,
        float(shear[k]),
        float(edge.heights[k]),
        max(0.0, float((a_metre + spread)[:, 1].max())),
        max(0.0, float(-(a_metre - spread)[:, 1].min())),
    )


def largest_shears(edge: WallEdge, factors: Array, signless: NDArray[np.bool_]) -> Array:
    """The largest size of shear a metre (K,) of an edge in K sums of cases with `factors` (K, C); NaN where
    one was not computed."""
    shear = edge.a_metre[:, :, 0]
    signed = np.abs(np.where(signless, 0.0, factors) @ shear)
    sizes = np.where(signless, np.abs(factors), 0.0) @ np.abs(shear)
    most = (signed + sizes).max(axis=1, initial=0.0)
    lacking = ((factors != 0) & ~edge.done).any(axis=1) | (not len(edge.heights))
    return np.where(lacking, np.nan, most)
