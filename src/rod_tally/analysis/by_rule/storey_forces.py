"""Storey forces onto nodes: at the centre of mass with an eccentricity, and notional loads as a share of the
vertical."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from ...loads import Distribution
from ...loads.floors.panel import second_moments
from ...loads.lateral import LateralError
from ...model import Model, Surface
from ...model.entities.loads import GRAVITY
from ...model.geometry.directions import turn
from ...model.geometry.heights import LEVEL_REACH, nearest_level
from ...model.geometry.vectors import Array
from ...progress import Progress, silent
from ..dynamics.mass import nodal_mass
from ..frame.loading import end_loads, loading
from ..frame.mesh import Mesh, mesh
from ..results.cut_places import level_slabs
from ..solve.diaphragms import hanging_together, links_of

SLICES = 24  # of a wall
ALONG = 1e-9  # share of a force below which it has no part along an axis
WAYS = ((" +x", 0, 1), (" -x", 0, -1), (" +y", 1, 1), (" -y", 1, -1))


@dataclass(slots=True)
class Level:
    """A storey with the nodes at its level and the slabs there that carry as shells on a floor that is not
    rigid: mass (kg) of each and of all, its centre and the extent of these in plan (m), height above the base
    (m). `parts`: the floors it has where they do not hang together, such as those of two towers."""

    name: str
    elevation: float
    height: float
    nodes: list[str]
    node_mass: Array
    places: Array
    mass: float
    centre: Array
    extent: Array
    slabs: list[Surface] = field(default_factory=list)
    slab_mass: Array = field(default_factory=lambda: np.zeros(0))
    parts: list[Level] = field(default_factory=list)


def levels(
    model: Model,
    mass_of: dict[str, float],
    distribution: Distribution | None = None,
    rigid: Sequence[str] = (),
) -> list[Level]:
    """Storeys from the lowest up with the mass of these cases times their factors; the lowest one is the
    base.

    All mass within half-way to the next storey belongs to a storey. `rigid`: storeys that a run moves in plan
    as one; there the nodes share everything, elsewhere slabs that carry as shells hold their own mass. Raises
    LateralError without storeys or mass."""
    from scipy.spatial import cKDTree

    if len(model.storeys) < 2:
        raise LateralError(
            "storey forces need two storeys at least, and the model has " + str(len(model.storeys))
        )
    at_levels = np.array([s.elevation for s in model.storeys])
    flexible = {
        s.id: storey.name
        for storey in model.storeys
        if storey.name not in rigid
        for s in level_slabs(model, storey.elevation, at_levels)
        if s.way == "shell" and not s.on_ground
    }
    handed, distribution = _handed_on(model, distribution, set(flexible))
    m = mesh(handed, [i for i, x in handed.members.items() if handed.usable(x)])
    mass = nodal_mass(handed, m, mass_of, distribution)
    places, lumps = _on_walls(handed, distribution, mass_of, set(flexible))
    lumps = np.maximum(lumps, 0.0) / GRAVITY
    own_mass = _on_shells(handed, distribution, mass_of, set(flexible))
    if mass.sum() + lumps.sum() + sum(own_mass.values()) <= 0:
        raise LateralError(f"there is no mass in {', '.join(mass_of) or 'no case'}")
    ordered = sorted(model.storeys, key=lambda s: s.elevation)
    z = np.array([s.elevation for s in ordered])
    at, lump_at = nearest_level(z, m.xyz[:, 2]), nearest_level(z, places[:, 2])
    near = np.abs(m.xyz[:, 2] - z[at]) <= LEVEL_REACH
    used = np.zeros(len(m.node_ids), bool)
    used[m.ends.ravel()] = True
    index = {n: k for k, n in enumerate(m.node_ids)}
    links = links_of(model, index, m.plates)
    out = []
    for k, storey in enumerate(ordered):
        here = np.flatnonzero((at == k) & near & used & ~_held(model, m))
        mine = lump_at == k
        slabs = [model.surfaces[i] for i, name in flexible.items() if name == storey.name]
        if storey.name in rigid and not len(here):
            slabs = [s for s in level_slabs(model, float(z[k]), z) if s.way == "shell" and not s.on_ground]
        slab_mass = np.array([own_mass.get(s.id, 0.0) for s in slabs])
        own = float(mass[at == k].sum() + lumps[mine].sum() + slab_mass.sum())
        weights = mass[here].copy()
        centres = np.array([_centre(s) for s in slabs]).reshape(-1, 2)
        if mine.any() and len(slabs):  # walls go with the slab that is nearest
            _, to = cKDTree(centres).query(places[mine, :2])
            np.add.at(slab_mass, to, lumps[mine])
        elif mine.any() and len(here):
            _, to = cKDTree(m.xyz[here]).query(places[mine])
            np.add.at(weights, to, lumps[mine])
        if weights.sum() + slab_mass.sum() <= 0:
            weights, slab_mass = np.ones(len(here)), np.array([s.area for s in slabs])
        where = np.concatenate([m.xyz[here, :2], centres])
        all_mass = np.concatenate([weights, slab_mass])
        centre = all_mass @ where / all_mass.sum() if len(where) else np.zeros(2)
        corners = np.concatenate([m.xyz[here, :2], *(s.outer[:, :2] for s in slabs)])
        extent = np.ptp(corners, axis=0) if len(corners) else np.zeros(2)
        level = Level(
            storey.name,
            float(z[k]),
            float(z[k] - z[0]),
            [m.node_ids[i] for i in here],
            weights,
            m.xyz[here],
            own,
            centre,
            extent,
            slabs,
            slab_mass,
        )
        level.parts = _floors(m, index, links, here, level)
        out.append(level)
    return out


def _floors(
    m: Mesh, index: dict[str, int], links: NDArray[np.int64], here: NDArray[np.int64], level: Level
) -> list[Level]:
    """The floors of a level that do not hang together, each with its own mass, centre and extent; [] for
    one."""
    if len(here) < 2:
        return []
    groups = hanging_together(links, here, m.xyz)
    if len(groups) < 2:
        return []
    where = {int(n): k for k, n in enumerate(here)}
    tied = {s.id: {index[j.node] for j in s.joints if j.node in index} for s in level.slabs}
    out = []
    for group in groups:
        own = np.array([where[int(n)] for n in group])
        mine = [k for k, s in enumerate(level.slabs) if tied[s.id] & set(group.tolist())]
        slabs, slab_mass = [level.slabs[k] for k in mine], level.slab_mass[mine]
        places = np.concatenate([level.places[own, :2], np.array([_centre(s) for s in slabs]).reshape(-1, 2)])
        mass = np.concatenate([level.node_mass[own], slab_mass])
        if mass.sum() <= 0:
            continue
        corners = np.concatenate([level.places[own, :2], *(s.outer[:, :2] for s in slabs)])
        out.append(
            replace(
                level,
                nodes=[level.nodes[k] for k in own],
                node_mass=level.node_mass[own],
                places=level.places[own],
                mass=float(mass.sum()),
                centre=mass @ places / mass.sum(),
                extent=np.ptp(corners, axis=0),
                slabs=slabs,
                slab_mass=slab_mass,
                parts=[],
            )
        )
    return out if len(out) > 1 else []


def _across(floor: Level, fx: float, fy: float, own: Array) -> Array:
    """How far a force is taken off its place for a full extent of the floor, (2,) m: its part along x of the
    axes `own` (columns) is moved along y by the extent there, and the other way round."""
    corners = np.concatenate([floor.places[:, :2], *(s.outer[:, :2] for s in floor.slabs)]) @ own
    wide = np.ptp(corners, axis=0)
    parts = np.abs(np.array([fx, fy]) @ own)
    acts = parts > ALONG * parts.max()
    return np.asarray(own @ (wide * [acts[1], acts[0]]))


def _centre(s: Surface) -> Array:
    """Centre of a surface's area in plan (2,)."""
    middle = Polygon(s.outer[:, :2], [o[:, :2] for o in s.openings]).centroid
    return np.array([middle.x, middle.y])


def _on_shells(
    model: Model, distribution: Distribution, factors: dict[str, float], own: set[str]
) -> dict[str, float]:
    """Mass (kg) that slabs hold themselves in these cases times their factors."""
    out: dict[str, float] = {}
    for name, factor in factors.items():
        for h in distribution.case(name).held if name in model.cases else ():
            if h.surface in own:
                out[h.surface] = out.get(h.surface, 0.0) - factor * float(h.force[2]) / GRAVITY
    return {i: max(v, 0.0) for i, v in out.items()}


def _handed_on(
    model: Model, distribution: Distribution | None, flexible: Collection[str] = ()
) -> tuple[Model, Distribution]:
    """The model with slabs that carry as shells handing their loads to beams and columns instead, all but the
    `flexible` ones: forces of whole storeys go to the model's nodes, as if each of these floors were one
    stiff plate."""
    shells = [
        s
        for s in model.surfaces.values()
        if s.way == "shell" and not (s.upright or s.on_ground) and s.id not in flexible
    ]
    if not shells:
        return model, distribution or Distribution(model)
    other = replace(model, surfaces={**model.surfaces, **{s.id: replace(s, way="two-way") for s in shells}})
    return other, Distribution(other)


def _on_walls(
    model: Model, distribution: Distribution, factors: dict[str, float], without: Collection[str] = ()
) -> tuple[Array, Array]:
    """Places (k, 3) and vertical loads (k,), downwards, of what walls (and slabs that hand nothing on) hold
    in these cases times their factors; what acts on the whole of a wall in SLICES over its height, so that
    each storey gets its part."""
    places, loads = [], []
    for name, factor in factors.items():
        for h in distribution.case(name).held if name in model.cases else ():
            s = model.surfaces[h.surface]
            if s.on_ground or s.id in without:
                continue
            place, down = h.line.mean(axis=0), -factor * float(h.force[2])
            if s.upright and h.pressure is not None and h.area is None:
                low, high = float(s.outer[:, 2].min()), float(s.outer[:, 2].max())
                for k in range(SLICES):
                    places.append(np.array([place[0], place[1], low + (high - low) * (k + 0.5) / SLICES]))
                    loads.append(down / SLICES)
            else:
                places.append(place)
                loads.append(down)
    return np.array(places).reshape(-1, 3), np.array(loads)


def _held(model: Model, m: Mesh) -> NDArray[np.bool_]:
    return np.array([model.nodes[n].support.any for n in m.node_ids], bool)


def at_level(
    level: Level, fx: float, fy: float, mz: float = 0.0, off: tuple[float, float] = (0.0, 0.0)
) -> list[dict[str, Any]]:
    """Loads with exactly this force and moment at a level, `off` (m) from its centre of mass: on its nodes,
    and as pressure on its slabs that carry as shells.

    Shared by mass where mass is; what turns goes square to the arms from the centre, as on a rigid floor.
    Raises LateralError where the level has neither."""
    if level.slabs:
        return _by_mass(level, fx, fy, mz, off)
    if not level.nodes:
        raise LateralError(
            f"storey {level.name} has no node and no slab that carries as a shell at its level to take a force"
        )
    w = level.node_mass / level.node_mass.sum()
    arm = level.places[:, :2] - (w[:, None] * level.places[:, :2]).sum(axis=0)
    polar = float((w * (arm**2).sum(axis=1)).sum())
    moment = mz + off[0] * fy - off[1] * fx
    if polar > 1e-9:
        turn = moment / polar
    elif abs(moment) > 1e-9 * max(abs(fx), abs(fy), 1.0):
        raise LateralError(f"storey {level.name} has one place only and cannot take a moment")
    else:
        turn = 0.0
    force = w[:, None] * (np.array([fx, fy]) + turn * np.column_stack([-arm[:, 1], arm[:, 0]]))
    return [
        {"on": "node", "node": n, "force": [float(f[0]), float(f[1]), 0.0]}
        for n, f in zip(level.nodes, force)
        if f.any()
    ]


def _by_mass(level: Level, fx: float, fy: float, mz: float, off: tuple[float, float]) -> list[dict[str, Any]]:
    """Forces of nodes and level pressures of slabs, each its mass times one acceleration of the floor, linear
    in plan."""
    flats = [Polygon(s.outer[:, :2], [o[:, :2] for o in s.openings]) for s in level.slabs]
    moments = [second_moments(flat) * (mass / flat.area) for flat, mass in zip(flats, level.slab_mass)]
    i = np.asarray(sum(moments))
    w, p = level.node_mass, level.places[:, :2]
    mass = float(i[0, 0] + w.sum())
    middle = (i[0, 1:] + w @ p) / mass
    polar = float(i[1, 1] + i[2, 2] + (w * (p**2).sum(axis=1)).sum()) - mass * float(middle @ middle)
    arm = level.centre + off - middle
    turn = (mz + arm[0] * fy - arm[1] * fx) / polar

    def pushed(at: Array) -> Array:
        """Acceleration (n, 2) at places (n, 2)."""
        r = at - middle
        return np.array([fx, fy]) / mass + turn * np.column_stack([-r[:, 1], r[:, 0]])

    force = w[:, None] * pushed(p)
    out: list[dict[str, Any]] = [
        {"on": "node", "node": n, "force": [float(f[0]), float(f[1]), 0.0]}
        for n, f in zip(level.nodes, force)
        if f.any()
    ]
    for s, own in zip(level.slabs, level.slab_mass):
        if own <= 0:
            continue
        at = np.array([s.outer[0], s.outer[0] + s.plain_axes[0], s.outer[0] + s.plain_axes[1]])
        values = np.column_stack([pushed(at[:, :2]) * own / s.area, np.zeros(3)])
        out.append({"on": "area", "surface": s.id, "values": values.tolist(), "at": at.tolist()})
    return out


def storey_cases(
    name: str,
    kind: str,
    levels_: list[Level],
    forces: dict[str, list[float]],
    eccentricity: float,
    by: str,
    angle: float = 0.0,
) -> list[dict[str, Any]]:
    """Cases for `AddCases` from Fx, Fy, Mz by storey: one, or with an eccentricity (share of the extent
    across the force, along axes turned by `angle`, rad) two, off to either side."""
    out = []
    own = turn(angle)[:2, :2]
    names = {level.name: level for level in levels_}
    for sign, tag in ((1, " +e"), (-1, " -e")) if eccentricity else ((0, ""),):
        loads: list[dict[str, Any]] = []
        for storey, (fx, fy, mz) in forces.items():
            level = names.get(storey)
            if level is None:
                raise LateralError(f"there is no storey {storey!r}")
            if not (fx or fy or mz):
                continue
            floors = level.parts or [level]
            whole = sum(f.mass for f in floors)
            for floor in floors:  # each floor its share by mass, about its own centre, over its own width
                share = floor.mass / whole if len(floors) > 1 else 1.0
                off = sign * eccentricity * _across(floor, fx, fy, own)
                loads += at_level(floor, fx * share, fy * share, mz * share, (float(off[0]), float(off[1])))
        out.append({"name": name + tag, "kind": kind, "together": "", "loads": loads, "by": by})
    return out


def notional_cases(
    model: Model,
    share: float,
    factors: dict[str, float],
    distribution: Distribution | None = None,
    name: str = "Notional",
    progress: Progress = silent,
    angle: float = 0.0,
) -> list[dict[str, Any]]:
    """Four cases for `AddCases`: at every node a horizontal force of `share` of its vertical load from these
    cases, along +x, -x, +y, -y of axes turned by `angle` (rad) about Z (EN 1993-1-1 5.3.2 as equivalent
    horizontal forces; the share is the reviewer's)."""
    from scipy.spatial import cKDTree

    if not 0 < share <= 0.2:
        raise LateralError(f"a share of {share:g} is not plausible; 1/200 is usual")
    if not any(model.usable(x) for x in model.members.values()):
        return _notional_on_surfaces(model, share, factors, distribution or Distribution(model), name, angle)
    model, distribution = _handed_on(model, distribution)
    m = mesh(model, [i for i, x in model.members.items() if model.usable(x)])
    down = np.zeros(len(m.node_ids))
    for k, (case, factor) in enumerate(factors.items()):
        progress(f"Vertical loads of {case}", k / max(len(factors), 1))
        load = loading(m, model.cases[case], distribution.case(case))
        vertical = load.nodal[:, 2].copy()
        local = end_loads(m, load)
        for e in range(2):
            np.add.at(
                vertical, m.ends[:, e], np.einsum("pi,pi->p", m.axes[:, :, 2], local[:, 6 * e : 6 * e + 3])
            )
        down -= factor * vertical
    places, lumps = _on_walls(model, distribution, factors)
    if len(lumps):
        _, to = cKDTree(m.xyz[np.unique(m.ends)]).query(places)
        np.add.at(down, np.unique(m.ends)[to], lumps)
    taken = (down > 0) & ~_held(model, m)
    if not taken.any():
        raise LateralError(f"there is no vertical load in {', '.join(factors) or 'no case'}")
    out = []
    for tag, axis, sign in WAYS:
        loads = []
        for i in np.flatnonzero(taken).tolist():
            force = (turn(angle)[:, axis] * (sign * share * float(down[i]))).tolist()
            loads.append({"on": "node", "node": m.node_ids[i], "force": force})
        out.append(
            {"name": name + tag, "kind": "notional", "loads": loads, "by": f"{share:g} of the vertical load"}
        )
    return out


def _notional_on_surfaces(
    model: Model, share: float, factors: dict[str, float], distribution: Distribution, name: str, angle: float
) -> list[dict[str, Any]]:
    """Put on every slab and wall of a building without members a level pressure that makes its share of
    what it holds itself."""
    down: dict[str, float] = {}
    for case, factor in factors.items():
        for h in distribution.case(case).held:
            if not model.surfaces[h.surface].on_ground:
                down[h.surface] = down.get(h.surface, 0.0) - factor * float(h.force[2])
    down = {ident: v for ident, v in down.items() if v > 0}
    if not down:
        raise LateralError(f"there is no vertical load in {', '.join(factors) or 'no case'}")
    out = []
    for tag, axis, sign in WAYS:
        loads = []
        for ident, v in down.items():
            pressure = (turn(angle)[:, axis] * (sign * share * v / model.surfaces[ident].area)).tolist()
            loads.append({"on": "area", "surface": ident, "values": [pressure]})
        out.append(
            {"name": name + tag, "kind": "notional", "loads": loads, "by": f"{share:g} of the vertical load"}
        )
    return out
