"""The axial force at the foot of each column stack by the floor areas that it carries."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.geometry import MultiPoint, Polygon
from shapely.geometry.base import BaseGeometry

from ...analysis.results.stacks import stack_forces
from ...model import LoadCase, Model
from ...model.geometry.heights import LEVEL_REACH
from ..review import Review
from .row import COLUMN, Expected

GRAVITY = ("self-weight", "dead", "live", "snow")
WALL_STEP = 0.5  # m; places along a wall that take floor as columns do
COVERED = 0.9  # of a floor's area, by slabs with a load, that counts as all of it
FAR = 10.0  # of the extent of a floor and its columns
BELOW = 0.3  # m under a level, where columns and walls are cut
LEAST_SHARE = 0.2  # of what the stacks carry in the mean; less at a foot says nothing
USUAL = (0.6, 1.67)  # stiff and soft beams, cantilevers and the like; common practice, no source


def columns(review: Review) -> list[Expected]:
    """Return one row for each stack and gravity case: the load of each storey over the area of its floor,
    times the area nearest to the stack there, added up from the top, against compression at its foot."""
    m, r = review.model, review.results
    areas = tributary(m)
    if not areas:
        return []
    out: list[Expected] = []
    levels = {s.name: s.elevation for s in m.storeys}
    for case in r.cases:
        if m.cases[case].kind not in GRAVITY or not _spread(m, m.cases[case], areas):
            continue
        weight = {row.storey: -row.fz for row in review.storeys if row.case == case and row.storey in areas}
        total = sum(weight.values())
        if total <= 0 or not all(w >= 0 for w in weight.values()):
            continue
        count = sum(line.kind == "stack" for line in review.lines)
        feet: dict[str, tuple[float, str, float]] = {}
        for row in stack_forces(m, r, r.case_index(case), review.lines):
            if row.stack not in feet or row.elevation < feet[row.stack][0]:
                feet[row.stack] = row.elevation, row.member, row.foot
        for line in review.lines:
            if line.kind != "stack" or line.name not in feet:
                continue
            z, member, axial = feet[line.name]
            foot = z - float(m.origin[2])
            wanted = 0.0
            for storey, (area, shares) in areas.items():
                if levels[storey] > foot + BELOW:
                    own = sum(shares.get(i, 0.0) for i in line.members)
                    wanted += weight.get(storey, 0.0) * own / area
            came = -axial
            if max(wanted, abs(came)) < LEAST_SHARE * total / count:
                continue
            out.append(
                Expected(COLUMN, line.name, (member,), case, "load a floor area times the area nearest to the column", wanted, came + 0.0, *USUAL)
            )  # fmt: skip
    return out


def _spread(model: Model, case: LoadCase, areas: dict[str, tuple[float, dict[str, float]]]) -> bool:
    """Return whether a case lies on its floors as a whole: self-weight, and slabs' loads on all of a storey
    or on none of it, and nothing else. What lies on a part of a floor goes to the columns beside that part."""
    if case.node_loads or case.member_loads or case.space_loads:
        return False
    if not case.area_loads and not any(case.self_weight):
        return False
    on: dict[str, dict[str, float]] = {}
    for load in case.area_loads:
        s = model.surfaces.get(load.surface)
        if s is None or load.outline is not None:
            return False
        level = min(model.storeys, key=lambda x: abs(x.elevation - float(s.outer[:, 2].mean()))).name
        on.setdefault(level, {})[s.id] = s.area
    return all(k in areas and sum(v.values()) >= COVERED * areas[k][0] for k, v in on.items())


def tributary(model: Model) -> dict[str, tuple[float, dict[str, float]]]:
    """Return by storey the area of its floor (m²), and of it what is nearest to each column that reaches it
    from below; walls take their share of the floor. Storeys without a floor, or with a ramp, are left out."""
    out: dict[str, tuple[float, dict[str, float]]] = {}
    for s in model.storeys:
        floor = _floor(model, s.elevation)
        if floor is None:
            continue
        places = _carriers(model, s.elevation - BELOW)
        if not any(i for _, i in places):
            continue
        shares: dict[str, float] = {}
        for ident, area in _nearest(floor, places):
            if ident:
                shares[ident] = shares.get(ident, 0.0) + area
        out[s.name] = float(floor.area), shares
    return out


def _floor(model: Model, level: float) -> BaseGeometry | None:
    """Return what level slabs cover at a level, in plan; None for none."""
    own = []
    for s in model.surfaces.values():
        z = s.outer[:, 2]
        if s.upright or s.on_ground or np.ptp(z) > LEVEL_REACH or abs(float(z.mean()) - level) > LEVEL_REACH:
            continue
        flat = Polygon(s.outer[:, :2], [o[:, :2] for o in s.openings])
        own.append(flat if flat.is_valid else flat.buffer(0))
    whole = shapely.union_all(own) if own else None
    return whole if whole is not None and whole.area > 0 else None


def _carriers(model: Model, height: float) -> list[tuple[tuple[float, float], str]]:
    """Where columns (with their id) and walls (with "") are cut at a height, in plan."""
    out: list[tuple[tuple[float, float], str]] = []
    for m in model.members.values():
        if m.cls != "column":
            continue
        a, b = model.line(m)
        low, high = sorted((float(a[2]), float(b[2])))
        if low < height < high:
            at = a + (b - a) * (height - a[2]) / (b[2] - a[2])
            out.append(((float(at[0]), float(at[1])), m.id))
    for s in model.surfaces.values():
        z = s.outer[:, 2]
        if s.upright and z.min() < height < z.max():
            level = s.outer[:, :2] - s.outer[:, :2].mean(axis=0)
            way = np.linalg.svd(level, full_matrices=False)[2][0]
            along = level @ way
            count = max(int(np.ceil(np.ptp(along) / WALL_STEP)), 1)
            middle = s.outer[:, :2].mean(axis=0)
            for t in np.linspace(along.min(), along.max(), count + 1):
                x, y = middle + way * t
                out.append(((float(x), float(y)), ""))
    return out


def _nearest(floor: BaseGeometry, places: list[tuple[tuple[float, float], str]]) -> list[tuple[str, float]]:
    """Return the area of a floor (m²) that is nearest to each place, by the id that stands there."""
    unique: dict[tuple[float, float], str] = {}
    for at, ident in places:
        key = round(at[0], 6), round(at[1], 6)
        unique[key] = unique.get(key) or ident
    from scipy.spatial import Voronoi  # slow to load

    low_x, low_y, high_x, high_y = floor.bounds
    middle = np.array([low_x + high_x, low_y + high_y]) / 2
    sites = np.array(list(unique)) - middle
    # with places far around them all cells are closed; these are nearest to nothing on the floor
    far = FAR * max(high_x - low_x, high_y - low_y, float(np.abs(sites).max()))
    around = far * np.array([(1.0, 0.0), (0.0, 1.0), (-1.0, 0.0), (0.0, -1.0)])
    cells = Voronoi(np.concatenate([sites, around]))
    out = []
    for k, ident in enumerate(unique.values()):
        corners = cells.vertices[cells.regions[cells.point_region[k]]] + middle
        out.append((ident, float(MultiPoint(corners).convex_hull.intersection(floor).area)))
    return out
