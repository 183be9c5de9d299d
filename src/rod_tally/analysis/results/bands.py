"""Loads by storey, cut half-way between the levels whatever the nodes."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from ...loads import Arrival
from ...loads.arrival import HeldLoad
from ...model import LoadCase, Model, Surface
from ...model.entities.surface import sound
from ...model.geometry.heights import ON_CUT, half_way
from ...model.geometry.vectors import Array
from ...model.member_force import GAUSS
from ..frame.loading import loading
from ..frame.mesh import Mesh

LEVEL_SLOPE = 1e-6  # rise of a surface a metre, below which it is level


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
