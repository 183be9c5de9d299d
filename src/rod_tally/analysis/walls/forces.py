"""Forces of walls and of walls joined at their edges: resultants on level cuts at the bottom and the top of
each storey."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from ...loads import Distribution
from ...meshing import Plates
from ...model import Model, Surface
from ...model.geometry.heights import LEVEL_REACH
from ...model.geometry.vectors import Array
from ..results.results import Results
from ..results.statics import resultant
from .edges import WallEdge, edges_of
from .lengths import AT_NODE, heights, wall_directions
from .node_forces import HeldLoads, elements_of, folded, known_cases, movements, node_forces

WALL_COMPONENTS = ("n", "v_in", "v_out", "t", "m_in", "m_out")
AT_LEVEL = 1e-6  # m
CORE = "core"


@dataclass(slots=True)
class WallRow:
    """One cut: of a wall or a group (`wall` is its name, `ids` its walls), at the bottom or top of a storey's
    length.

    `place` (3,) is the middle of the cut, in the source's coordinates; moments are about it.
    """

    storey: str
    part: str
    wall: str
    ids: tuple[str, ...]
    place: Array


@dataclass(slots=True)
class WallForces:
    """`values` (C, R, 6) in WALL_COMPONENTS for cases and rows; `done` (C, R): what was computed, the rest is
    zero.

    What stands above the cut gives it to what stands below: n is positive in tension. Of a wall, v_in along
    its length (towards +x, or +y where it runs more along y), v_out across it, m_in about the direction
    across and m_out about that along, t about the vertical; directions across look towards +y, or +x. Of a
    group v_in and m_out go by x, v_out and m_in by y. `edges` are the upright edges of walls computed as
    shells at which others are joined."""

    cases: list[str]
    rows: list[WallRow]
    values: Array
    done: NDArray[np.bool_]
    edges: list[WallEdge]


@dataclass(slots=True)
class _Cut:
    """A wall's cut: its global force and moment about `place` (local coordinates), (C', 6) of cases and then
    of the modes of responses to spectra; of a wall as a `column` modes are zero, and responses have the signs
    of the column's own axes."""

    wall: Surface
    storey: str
    part: str
    place: Array
    force: Array
    done: NDArray[np.bool_]
    column: bool = False


def wall_forces(model: Model, results: Results, distribution: Distribution) -> WallForces:
    """Return the forces of all walls that the run computed, as shells or as columns, in every case.

    Responses to a spectrum are sizes without sign, combined of those of the modes; groups with a wall as a
    column are not done in them."""
    signless = np.array([case in results.modal for case in results.cases], bool)
    known = known_cases(model, results)
    moves = movements(results)
    cuts, edges = _all(model, results, moves, distribution)
    rows: list[WallRow] = []
    values: list[Array] = []
    done: list[NDArray[np.bool_]] = []
    for cut in cuts:
        along, across = wall_directions(cut.wall)
        rows.append(
            WallRow(
                cut.storey, cut.part, cut.wall.name or cut.wall.id, (cut.wall.id,), cut.place + model.origin
            )
        )
        values.append(folded(results, _components(cut.force, along, across), cut.column))
        done.append(cut.done & known)
    for name, own in _groups(model, cuts):
        place = _middle(own)
        force = np.zeros((len(moves), 6))
        for cut in own:
            force += cut.force
            force[:, 3:] += np.cross(cut.place - place, cut.force[:, :3])
        rows.append(
            WallRow(own[0].storey, own[0].part, name, tuple(c.wall.id for c in own), place + model.origin)
        )
        values.append(folded(results, _components(force, np.array([1.0, 0, 0]), np.array([0.0, 1, 0]))))
        done.append(
            np.logical_and.reduce([c.done for c in own]) & known & ~(signless & any(c.column for c in own))
        )
    shape = (len(rows), len(results.cases))
    found = np.array(values).reshape(*shape, 6).transpose(1, 0, 2)
    good = np.array(done, bool).reshape(shape).T
    return WallForces(list(results.cases), rows, np.where(good[..., None], found, 0.0), good, edges)


def _all(
    model: Model, results: Results, moves: Array, distribution: Distribution
) -> tuple[list[_Cut], list[WallEdge]]:
    """Cuts of all walls, and the edges of those computed as shells."""
    cuts: list[_Cut] = []
    edges: list[WallEdge] = []
    plates = results.plates
    if plates is None:
        return cuts, edges
    loads = HeldLoads(results, distribution)
    for s in plates.shapes.values():
        if s.upright and s.id in plates.surfaces:
            own = edges_of(model, results, moves, plates, s, loads)
            cuts += _of_shell(model, results, moves, plates, s, loads, own)
            edges += own
    for ident in plates.columns:
        if ident in results.member_ids:
            cuts += _of_column(model, results, plates, model.surfaces[ident])
    return cuts, edges


def _components(force: Array, along: Array, across: Array) -> Array:
    """Global (C, 6) as WALL_COMPONENTS."""
    f, m = force[:, :3], force[:, 3:]
    return np.column_stack([f[:, 2], f @ along, f @ across, m[:, 2], m @ across, m @ along])


def _of_shell(
    model: Model,
    results: Results,
    moves: Array,
    plates: Plates,
    s: Surface,
    loads: HeldLoads,
    edges: list[WallEdge],
) -> list[_Cut]:
    elements = elements_of(plates, s.id)
    out = []
    for storey, low, high in heights(model, s):
        for part, z, up in (("bottom", low, True), ("top", high, False)):
            cut = _shell_cut(model, results, moves, plates, s, elements, z, up, loads)
            if cut is None:
                continue
            place, force, done = cut
            for e in edges:
                if e.storey == storey:
                    end = e.line[0 if up else 1] - model.origin
                    share = e.at_levels[0 if up else 1].copy()
                    share[:, 3:] += np.cross(end - place, share[:, :3])
                    force = force + share if up else force - share
            out.append(_Cut(s, storey, part, place, force, done))
    return out


def _shell_cut(
    model: Model,
    results: Results,
    moves: Array,
    plates: Plates,
    s: Surface,
    elements: list[NDArray[np.int64]],
    z: float,
    up: bool,
    loads: HeldLoads,
) -> tuple[Array, Array, NDArray[np.bool_]] | None:
    """Place, force (C', 6) under `moves` and what is computed, of a cut just above (`up`) or just below a
    height; None where nothing is cut.

    From the forces that the nodes on the cut give the elements on its side, less what acts on these elements
    themselves."""
    points = plates.points
    mine, others = [], []
    for nodes in elements:
        above = points[nodes][:, :, 2].mean(axis=1) > z if len(nodes) else np.zeros(0, bool)
        mine.append(nodes[above == up])
        others.append(nodes[above != up].ravel())
    own = np.unique(np.concatenate([n.ravel() for n in mine]))
    height = points[own, 2]
    on = height <= z + AT_NODE if up else height >= z - AT_NODE
    between = own[on | np.isin(own, np.concatenate(others))]
    if not len(between):
        return None
    along, _ = wall_directions(s)
    t = points[between] @ along
    place = points[between].mean(axis=0)
    place = place + along * ((t.min() + t.max()) / 2 - place @ along)

    def on_own_side(places: Array) -> NDArray[np.bool_]:
        """Return what acts at the level itself acts between the cuts."""
        off = places[:, 2] - z
        return np.asarray(off > AT_LEVEL if up else off < -AT_LEVEL)

    given = node_forces(model, moves, plates, s, mine, between, loads, on_own_side)
    total = np.array([resultant(f, points[between] - place) for f in given]).reshape(-1, 6)
    # what the nodes give the side above is what the part below gives it
    return place, -total if up else total, np.atleast_1d(results.node_done[:, between].all(axis=1))


def _of_column(model: Model, results: Results, plates: Plates, s: Surface) -> list[_Cut]:
    column = plates.columns[s.id]
    m = results.member_ids.index(s.id)
    at = np.flatnonzero(results.station_member == m)
    x = results.station_x[at] + column.z[0]
    foot = plates.points[column.nodes[0]]
    up = np.array([0.0, 0, 1])
    axes = np.array([up, np.cross(column.normal, up), column.normal])
    out = []
    for storey, low, high in heights(model, s):
        for part, z in (("bottom", low), ("top", high)):
            z = (
                float(column.z[np.abs(column.z - z).argmin()])
                if np.abs(column.z - z).min() <= LEVEL_REACH
                else z
            )
            # two stations at one height are a jump: the bottom of a length is its upper side
            k = np.flatnonzero(x <= z + 1e-6)[-1] if part == "bottom" else np.flatnonzero(x >= z - 1e-6)[0]
            f = results.force[:, at[k]]
            force = np.hstack([f[:, :3] @ axes, f[:, 3:] @ axes])
            more = sum(len(x.displacement) + len(x.turning) for x in results.modal.values())
            force = np.vstack([force, np.zeros((more, 6))])
            place = np.array([foot[0], foot[1], z])
            out.append(_Cut(s, storey, part, place, force, results.member_done[:, m], True))
    return out


def _middle(cuts: list[_Cut]) -> Array:
    """Centroid of the cuts of several walls, by their length and thickness."""
    weight = np.array([_length(c.wall) * c.wall.thickness for c in cuts])
    return np.asarray((weight[:, None] * np.array([c.place for c in cuts])).sum(axis=0) / weight.sum())


def _length(s: Surface) -> float:
    along, _ = wall_directions(s)
    return float(np.ptp(s.outer @ along))


def _groups(model: Model, cuts: list[_Cut]) -> list[tuple[str, list[_Cut]]]:
    """Walls joined at upright edges, by storey and part; one name for what stands on top of each other."""
    walls = {c.wall.id: c.wall for c in cuts}
    number_of = {ident: k for k, ident in enumerate(walls)}
    pairs = [
        (
            number_of[s.id],
            number_of[j.other],
            abs(j.line[1, 2] - j.line[0, 2]) > np.linalg.norm(j.line[1, :2] - j.line[0, :2]),
        )
        for s in walls.values()
        for j in s.joints
        if j.kind == "surface" and j.other in walls and len(j.line) == 2
    ]
    stacked = _together([(a, b) for a, b, _ in pairs], len(walls))
    beside = _together([(a, b) for a, b, upright in pairs if upright], len(walls))
    found: dict[tuple[int, int, str], list[_Cut]] = {}
    for c in cuts:
        k = number_of[c.wall.id]
        found.setdefault((int(stacked[k]), int(beside[k]), c.storey + "\n" + c.part), []).append(c)
    groups = {k: v for k, v in found.items() if len({c.wall.id for c in v}) > 1}
    middle = {k[0]: np.round(_middle(v)[:2], 1) for k, v in sorted(groups.items(), reverse=True)}
    number = {root: n for n, (root, _) in enumerate(sorted(middle.items(), key=lambda x: tuple(x[1])), 1)}
    out = []
    for key, own in groups.items():
        rivals = sorted(
            {k[1] for k in groups if k[0] == key[0] and k[2] == key[2]},
            key=lambda r: tuple(_place(groups, key, r)),
        )
        letter = chr(ord("a") + rivals.index(key[1]) % 26) if len(rivals) > 1 else ""
        out.append((f"{CORE} {number[key[0]]}{letter}", own))
    return out


def _place(
    groups: dict[tuple[int, int, str], list[_Cut]], key: tuple[int, int, str], beside: int
) -> list[float]:
    return [float(v) for v in np.round(_middle(groups[key[0], beside, key[2]]), 2)]


def _together(pairs: list[tuple[int, int]], n: int) -> NDArray[np.int64]:
    """For each of n walls the number of the group that these pairs put it in."""
    a, b = np.array(pairs, np.int64).reshape(-1, 2).T
    graph = sparse.coo_matrix((np.ones(len(a)), (a, b)), shape=(n, n))
    return np.asarray(connected_components(graph, directed=False)[1], np.int64)
