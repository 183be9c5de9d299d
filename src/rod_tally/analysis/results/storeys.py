"""Loads, shears, drift and mass by storey."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from ...loads import Arrival, Distribution
from ...loads.arrival import HeldLoad
from ...model import LoadCase, Model, Surface
from ...model.entities.loads import GRAVITY
from ...model.entities.surface import sound
from ...model.geometry.heights import ON_CUT, half_way, nearest_level
from ...model.geometry.vectors import Array
from ...model.member_force import GAUSS
from ..dynamics.mass import mass_cases
from ..frame.loading import loading
from ..frame.mesh import Mesh, mesh
from .results import Results
from .signless import quadratic
from .superpose import of_movements

LEVEL_SLOPE = 1e-6  # rise of a surface a metre, below which it is level
STRAIGHT = 0.1  # m; nodes this near to each other in plan stand above each other
GROUND = -1  # in place of the number of a foot's node, where nothing lies below
EQUAL = 1e-6  # share by which two drifts may differ and be equal
LEVEL_REACH = 0.75  # m; nodes this near to a storey's elevation are at its level


@dataclass(slots=True)
class StoreyRow:
    """One storey in one case, SI. Forces and mass are of what lies nearer to its level than to another,
    cut half-way between levels whatever the nodes; shear is the sum of the horizontal loads at and above
    it. Drift is what the top of a column or corner moves more than its foot along x and y, of the pair that
    moves most in plan. None where there is no column, wall or node at the level."""

    case: str
    storey: str
    elevation: float
    fx: float
    fy: float
    fz: float
    shear_x: float
    shear_y: float
    drift_x: float | None
    drift_y: float | None
    mass: float
    mass_x: float | None
    mass_y: float | None


def at_storeys(model: Model, xyz: Array) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    """For nodes at xyz (N, 3) the nearest storey by number, of two as near the lower, and whether they are at
    its level."""
    z = np.array([s.elevation for s in model.storeys])
    at = nearest_level(z, xyz[:, 2])
    return at, np.abs(xyz[:, 2] - z[at]) <= LEVEL_REACH


def storey_rows(
    model: Model,
    results: Results,
    distribution: Distribution | None = None,
    mass: dict[str, float] | None = None,
) -> list[StoreyRow]:
    """Rows for every computed case and storey, lowest storey first; [] without storeys or results. `mass`:
    the cases that give mass, with their factors, None for self-weight."""
    if not model.storeys or results.empty:
        return []
    distribution = distribution or Distribution(model)
    m = mesh(model, results.member_ids, plates=results.plates)
    at, near = at_storeys(model, m.xyz)
    count = len(model.storeys)
    bands = Bands(model, m)
    whole, first = np.zeros(count), np.zeros((count, 2))
    given = {n: (model.cases[n], f) for n, f in mass_cases(model, mass or {}).items() if n in model.cases}
    own_weight = LoadCase("", self_weight=(0.0, 0.0, -1.0))
    for name, (case_of, factor) in (given or {"": (own_weight, 1.0)}).items():
        arrival = distribution.case(name) if name else distribution.of(own_weight)
        force, moment = bands.of(case_of, arrival)
        whole -= factor * force[:, 2] / GRAVITY
        first -= factor * moment / GRAVITY
    out: list[StoreyRow] = []
    for c, case in enumerate(results.cases):
        if not results.node_done[c].any():
            continue
        modal = results.modal.get(case)
        if modal is not None:  # sizes without sign: those of the modes, combined
            modes = [_added_up(force, at, count) for force in modal.force]
            by_storey, shear = (quadratic(np.array([own[k] for own in modes]), modal.rho) for k in (0, 1))
        else:
            pieces = results.node_done[c][m.ends].all(axis=1)
            by_storey, _ = bands.of(model.cases[case], distribution.case(case), pieces, results.node_done[c])
            shear = np.cumsum(by_storey[::-1], axis=0)[::-1]
        pairs = _columns(model, m, at, near & results.node_done[c])
        drifts = of_movements(results, c, partial(_drifts, pairs))
        for s, storey in enumerate(model.storeys):
            own = drifts[pairs.storey == s]
            drift = _largest(own) if len(own) else None
            total = float(whole[s])
            middle = first[s] / total + model.origin[:2] if total > 0 else None
            out.append(
                StoreyRow(
                    case,
                    storey.name,
                    storey.elevation + float(model.origin[2]),
                    float(by_storey[s, 0]),
                    float(by_storey[s, 1]),
                    float(by_storey[s, 2]),
                    float(shear[s, 0]),
                    float(shear[s, 1]),
                    None if drift is None else float(drift[0]),
                    None if drift is None else float(drift[1]),
                    total,
                    None if middle is None else float(middle[0]),
                    None if middle is None else float(middle[1]),
                )
            )
    return out


def _added_up(force: Array, at: NDArray[np.int64], count: int) -> tuple[Array, Array]:
    """Forces (N, 3) by storey and added up from the top, (count, 3) each."""
    own = np.zeros((count, 3))
    np.add.at(own, at, force)
    return own, np.cumsum(own[::-1], axis=0)[::-1]


@dataclass(slots=True)
class _Pairs:
    """Tops and feet of columns and corners, by number of the node, and the storey whose level the tops are
    at."""

    top: NDArray[np.int64]
    foot: NDArray[np.int64]
    storey: NDArray[np.int64]


def _columns(model: Model, m: Mesh, at: NDArray[np.int64], near: NDArray[np.bool_]) -> _Pairs:
    """At each level every node of a member or a wall's corner with the one straight below it: at the level
    below, or the highest below that, such as a foot that stands lower. Without any such, every node of the
    level with the nearest of the one below."""
    from scipy.spatial import cKDTree

    own = np.zeros(len(m.xyz), bool)
    own[np.unique(m.ends)] = True
    if m.plates is not None and len(m.plates.surfaces):
        walls = [s for i in m.plates.surfaces if (s := model.surfaces[i]).upright]
        if walls:
            _, found = cKDTree(m.xyz).query(np.concatenate([w.outer for w in walls]))
            own[found] = True
    top: list[int] = []
    foot: list[int] = []
    of: list[int] = []
    order = np.argsort([s.elevation for s in model.storeys])
    for n, s in enumerate(order.tolist()):
        level = np.flatnonzero(near & own & (at == s))
        elevation = model.storeys[s].elevation
        ceiling = model.storeys[order[n - 1]].elevation + LEVEL_REACH if n else elevation - LEVEL_REACH
        below = np.flatnonzero(own & (m.xyz[:, 2] <= ceiling))
        if not len(level):
            continue
        level = _one_a_line(m.xyz, level, elevation)
        found = 0
        if len(below):
            plan = m.xyz[below][:, :2]
            near_by = cKDTree(plan).query_ball_point(m.xyz[level][:, :2], STRAIGHT)
            for node, under in zip(level.tolist(), near_by):
                if under:
                    mine = below[under]
                    off = np.linalg.norm(m.xyz[mine][:, :2] - m.xyz[node, :2], axis=1)
                    best = np.lexsort((np.round(off, 6), -np.round(m.xyz[mine, 2], 6)))[0]
                    top.append(node)
                    foot.append(int(mine[best]))
                    of.append(s)
                    found += 1
        if found:
            continue
        floor = np.flatnonzero(near & (at == order[n - 1])) if n else np.zeros(0, np.int64)
        if len(floor):
            _, nearest = cKDTree(m.xyz[floor][:, :2]).query(m.xyz[level][:, :2])
            foot += floor[nearest].tolist()
        elif n == 0:  # nothing lies below: against the ground
            foot += [GROUND] * len(level)
        else:
            continue
        top += level.tolist()
        of += [s] * len(level)
    return _Pairs(np.array(top, np.int64), np.array(foot, np.int64), np.array(of, np.int64))


def _one_a_line(xyz: Array, nodes: NDArray[np.int64], level: float) -> NDArray[np.int64]:
    """Of nodes above each other the one nearest to the level, the lower of two."""
    from scipy.spatial import cKDTree

    pairs = cKDTree(xyz[nodes][:, :2]).query_pairs(STRAIGHT, output_type="ndarray")
    graph = sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(nodes),) * 2)
    line = connected_components(graph, directed=False)[1]
    z = xyz[nodes, 2]
    order = np.lexsort((z, np.round(np.abs(z - level), 6), line))
    _, first = np.unique(line[order], return_index=True)
    return np.asarray(nodes[order][np.sort(first)])


def _largest(own: Array) -> Array:
    """Of drifts (P, 3) the one that is largest in plan; of equal ones that which goes most with the mean
    of all, so that it is the same however the building lies."""
    size = np.linalg.norm(own[:, :2], axis=1)
    equal = np.flatnonzero(size >= size.max() * (1 - EQUAL))
    along = own[equal, :2] @ own[:, :2].mean(axis=0)
    return np.asarray(own[equal[int(np.argmax(along))]])


def _drifts(pairs: _Pairs, u: Array) -> Array:
    """How much more the tops move than the feet (P, 3)."""
    feet = np.where((pairs.foot == GROUND)[:, None], 0.0, u[pairs.foot, :3])
    return np.asarray(u[pairs.top, :3] - feet)


class Bands:
    """A building cut half-way between its levels: what lies in each band of loads along members, on nodes,
    slabs and walls, exactly, whatever the mesh."""

    def __init__(self, model: Model, m: Mesh) -> None:
        self.model, self.mesh = model, m
        z = np.array([s.elevation for s in model.storeys])
        self.order = np.argsort(z, kind="stable")
        self.cuts = half_way(z[self.order])
        self.known: dict[str, tuple[Array, Array]] = {}
        taking = set(m.plates.surfaces) | set(m.plates.columns) if m.plates is not None else set()
        self.surfaces = {i for i in model.surfaces if i in taking}

    def of(
        self,
        case: LoadCase,
        arrival: Arrival,
        pieces: NDArray[np.bool_] | None = None,
        nodes: NDArray[np.bool_] | None = None,
    ) -> tuple[Array, Array]:
        """Forces (S, 3) of a case in each storey's band, N, and their upright parts' first moments in plan
        (S, 2), N m; `pieces` and `nodes`: those that count."""
        m = self.mesh
        force, moment = np.zeros((len(self.order), 3)), np.zeros((len(self.order), 2))
        load = loading(m, case, replace(arrival, held=[]))
        on = nodes if nodes is not None else np.ones(len(m.xyz), bool)
        loaded = np.flatnonzero(on & load.nodal[:, :3].any(axis=1))
        self._points(m.xyz[loaded], load.nodal[loaded, :3], force, moment)
        keep = np.ones(len(load.piece), bool) if pieces is None else pieces[load.piece]
        piece, a, b, qa, qb = load.piece[keep], load.a[keep], load.b[keep], load.qa[keep], load.qb[keep]
        start = m.xyz[m.ends[piece, 0]] + m.offset[piece, 0]
        x = m.axes[piece, 0]
        qa, qb = (np.einsum("nij,ni->nj", m.axes[piece], q[:, :3]) for q in (qa, qb))
        spot = a == b
        self._points((start + x * a[:, None])[spot], qa[spot], force, moment)
        lines = np.stack([start + x * a[:, None], start + x * b[:, None]], axis=1)[~spot]
        self._lines(lines, qa[~spot], qb[~spot], force, moment)
        for held in arrival.held:
            if held.surface in self.surfaces:
                self._held(held, force, moment)
        return force, moment

    def _band(self, z: Array) -> NDArray[np.int64]:
        """The band of each height; what lies on a cut, but for rounding, belongs to the one below."""
        return np.asarray(self.order[np.searchsorted(self.cuts, z - ON_CUT)])

    def _points(self, at: Array, f: Array, force: Array, moment: Array) -> None:
        band = self._band(at[:, 2])
        np.add.at(force, band, f)
        np.add.at(moment, band, at[:, :2] * f[:, 2:3])

    def _lines(self, lines: Array, qa: Array, qb: Array, force: Array, moment: Array) -> None:
        """Linear loads along lines (n, 2, 3), cut where the lines pass from band to band."""
        size = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
        low, high = lines[..., 2].min(axis=1), lines[..., 2].max(axis=1)
        first, last = (np.searchsorted(self.cuts, z - ON_CUT) for z in (low, high))
        for n in range(int((last - first).max(initial=-1)) + 1):
            mine = np.flatnonzero(first + n <= last)
            k = (first + n)[mine]
            rise = lines[mine, 1, 2] - lines[mine, 0, 2]
            level = np.abs(rise) <= ON_CUT
            safe = np.where(level, 1.0, rise)
            edges = np.concatenate([[-np.inf], self.cuts, [np.inf]])
            s, t = ((edges[k + j] - lines[mine, 0, 2]) / safe for j in (0, 1))
            s, t = np.minimum(s, t), np.maximum(s, t)
            s = np.where(level, 0.0, np.clip(s, 0.0, 1.0))
            t = np.where(level, 1.0, np.clip(t, 0.0, 1.0))
            for share in GAUSS:
                y = s + (t - s) * share
                q = qa[mine] + (qb[mine] - qa[mine]) * y[:, None]
                f = q * ((t - s) / 2 * size[mine])[:, None]
                at = lines[mine, 0] + (lines[mine, 1] - lines[mine, 0]) * y[:, None]
                band = self.order[k]
                np.add.at(force, band, f)
                np.add.at(moment, band, at[:, :2] * f[:, 2:3])

    def _held(self, held: HeldLoad, force: Array, moment: Array) -> None:
        if len(held.line) == 2 and held.pressure is None:
            self._lines(held.line[None], held.qa[None], held.qb[None], force, moment)
            return
        if held.pressure is None or held.pressure[1:].any():
            self._points(held.line[:1], np.asarray(held.force)[None], force, moment)
            return
        share, centre = self._shares(held)
        f = share[:, None] * np.asarray(held.force)
        force += f
        moment += centre * f[:, 2:3]

    def _shares(self, held: HeldLoad) -> tuple[Array, Array]:
        """Shares (S,) of a surface's area, or of the part of it that is loaded, in each band, and their
        centres in plan."""
        key = f"{held.surface}/{held.area.wkb_hex if held.area is not None else ''}"
        if key in self.known:
            return self.known[key]
        s = self.model.surfaces[held.surface]
        area = sound(s.polygon) if held.area is None else held.area
        share, centre = np.zeros(len(self.order)), np.zeros((len(self.order), 2))
        slope = s.plain_axes[:2, 2]  # height by the plane's own coordinates
        bounds = np.array(area.bounds)
        z = s.outer[0, 2] + np.array([slope @ bounds[[i, j]] for i in (0, 2) for j in (1, 3)])
        steep = float(np.linalg.norm(slope))
        if (
            np.ptp(z) <= ON_CUT
            or steep < LEVEL_SLOPE
            or self._band(z.min()[None]) == self._band(z.max()[None])
        ):
            k = int(self._band(np.array([float(z.mean())]))[0])
            share[k], centre[k] = 1.0, self._plan(s, area)
        else:
            way = slope / steep
            across = np.array([-way[1], way[0]])
            far = float(np.abs(bounds).max()) * 2 + 10.0
            edges = np.concatenate([[-np.inf], self.cuts, [np.inf]])
            for n, k in enumerate(self.order.tolist()):
                u0, u1 = (np.clip((edges[n + j] - s.outer[0, 2]) / steep, -far, far) for j in (0, 1))
                if u1 <= u0:
                    continue
                band = Polygon(
                    [u * way + v * across for u, v in ((u0, -far), (u1, -far), (u1, far), (u0, far))]
                )
                part = area.intersection(band)
                if part.area > 0:
                    share[k], centre[k] = part.area / area.area, self._plan(s, part)
        self.known[key] = share, centre
        return share, centre

    @staticmethod
    def _plan(s: Surface, area: BaseGeometry) -> Array:
        return np.asarray(s.lifted(np.array(area.centroid.coords))[0, :2])
