"""Moments of beams, pressures of wind, walls under a push and the longest period, by simple formulas."""

from __future__ import annotations

import numpy as np

from ...analysis.walls.forces import CORE
from ...model import Model
from ...model.geometry.vectors import Array
from ..review import Review
from .columns import GRAVITY
from .row import BEAM, PERIOD, WALL, WIND, Expected

LEVEL = 0.05  # rise over length of a beam that is level
EVEN = 0.02  # share by which shear may leave a straight line and the load be even
SMALL = 0.02  # of the largest of the case; less says nothing
PRESSURE = 1000.0  # Pa; of both faces together, on low buildings in the open. Common practice, no source.
SIDEWAYS = ("wind", "seismic", "notional")
APART = 0.15  # of the building's extent that a wall is from the middle before its sign is told
# C_t of EN 1998-1 4.3.3.2.2(3): T = C_t H^(3/4), H in m
PERIODS = {"steel": 0.085, "concrete": 0.075, "other": 0.05}


def beams(review: Review) -> list[Expected]:
    """Return one row for each level beam with an even load between its ends, in the gravity case that loads
    it most: w L²/8 between hinges, w L²/12 between fixed ends, 9 w L²/128 or w L²/8 with one of each, against
    the largest moment. Beams that others frame into have no even load, and no row."""
    m, r = review.model, review.results
    index = {i: k for k, i in enumerate(r.member_ids)}
    begin = np.searchsorted(r.station_member, np.arange(len(r.member_ids) + 1))
    best: dict[str, Expected] = {}
    gravity = [c for c, n in enumerate(r.cases) if m.cases[n].kind in GRAVITY]
    for ident, member in m.members.items():
        k = index.get(ident)
        if k is None or member.cls != "beam" or member.joints:
            continue
        line = m.line(member)
        length = float(np.linalg.norm(line[1] - line[0]))
        z = np.asarray(member.z_axis, float)
        upright = abs(z[2]) > 0.999 * np.linalg.norm(z)
        if abs(line[1, 2] - line[0, 2]) > LEVEL * length or not upright:
            continue
        own = slice(int(begin[k]), int(begin[k + 1]))
        x = r.station_x[own]
        for c in gravity:
            if not r.member_done[c, k]:
                continue
            shear, moment = r.force[c, own, 2], r.force[c, own, 4]
            weight = abs(float(shear[-1] - shear[0]))
            straight = shear[0] + (shear[-1] - shear[0]) * x / x[-1]
            if weight <= 0 or np.abs(shear - straight).max() > EVEN * weight:
                continue
            free = member.release_start.stiffness[4] == 0, member.release_end.stiffness[4] == 0
            formula, share = ("w L²/12", 1 / 12) if not any(free) else ("w L²/8", 1 / 8)
            row = Expected(
                BEAM,
                member.name or ident,
                (ident,),
                r.cases[c],
                formula,
                weight * length * share,
                float(np.abs(moment).max()),
                0.75 if all(free) else 0.5,
                1.25 if all(free) else 2.0,
            )
            if ident not in best or (row.value or 0) > (best[ident].value or 0):
                best[ident] = row
    most = max((e.value or 0.0 for e in best.values()), default=0.0)
    return [e for e in best.values() if (e.value or 0.0) > SMALL * most]


def winds(review: Review) -> list[Expected]:
    """Return one row for each wind case: 1 kN/m² on the face of the building across the wind, against what the
    case holds along it."""
    m, r = review.model, review.results
    points = _points(m)
    out = []
    for name in r.cases:
        force = r.applied.get(name)
        if m.cases[name].kind != "wind" or force is None or not len(points):
            continue
        level = np.asarray(force[:2], float)
        size = float(np.linalg.norm(level))
        if size <= 0:
            continue
        way = level / size
        across = points[:, :2] @ np.array([-way[1], way[0]])
        area = float(np.ptp(across) * np.ptp(points[:, 2]))
        if area > 0:
            formula = f"1 kN/m² on {np.ptp(across):.3g} by {np.ptp(points[:, 2]):.3g} m"
            out.append(Expected(WIND, name, (), name, formula, PRESSURE * area, size, 0.3, 2.5))
    return out


def walls(review: Review) -> list[Expected]:
    """Return one row for each wall or core at the base in each horizontal case: those the push comes to first
    should be in tension, those behind the middle in compression."""
    m, r = review.model, review.results
    w = review.wall_forces
    if not w.rows:
        return []
    base = min(float(row.place[2]) for row in w.rows)
    foot = [k for k, row in enumerate(w.rows) if row.part == "bottom" and row.place[2] < base + 0.5]
    in_core = {i for k in foot if w.rows[k].wall.startswith(CORE) for i in w.rows[k].ids}
    own = [k for k in foot if w.rows[k].wall.startswith(CORE) or not set(w.rows[k].ids) & in_core]
    if len(own) < 2:
        return []
    places = np.array([w.rows[k].place[:2] for k in own])
    out = []
    for name in r.cases:
        force, found = r.applied.get(name), review.wall_values(name)
        if m.cases[name].kind not in SIDEWAYS or force is None or found is None or review.without_sign(name):
            continue
        size = float(np.linalg.norm(force[:2]))
        values, done = found
        n = values[own, 0]
        if size <= 0 or not done[own].all():
            continue
        along = places @ (np.asarray(force[:2], float) / size)
        extent = float(np.ptp(along))
        middle = (along.max() + along.min()) / 2
        for k, a, axial in zip(own, along, n.tolist()):
            row = w.rows[k]
            if abs(a - middle) < APART * extent or abs(axial) < SMALL * float(np.abs(n).max()):
                continue
            tension = a < middle
            words = "tension: the push comes to it first" if tension else "compression: behind the middle"
            out.append(
                Expected(WALL, row.wall, row.ids, name, "overturning", None, axial, words=words, agrees=(axial > 0) == tension)
            )  # fmt: skip
    return out


def periods(review: Review) -> list[Expected]:
    """Return the longest period against C_t H^(3/4)."""
    m = review.model
    points = _points(m)
    if not review.modes or not len(points):
        return []
    mode = max(review.modes, key=lambda x: x.period)
    if max(mode.mass_x, mode.mass_y) < 0.1:
        return []  # it is a part that swings, not the building
    kind = "other"
    if not any(s.upright for s in m.surfaces.values()):
        volume: dict[str, float] = {}
        for x in m.members.values():
            material = m.materials.get(x.material)
            if x.cls == "column" and material is not None:
                volume[material.kind] = volume.get(material.kind, 0.0) + m.volume(x)
        kind = max(volume, key=lambda k: volume[k], default="other")
        kind = kind if kind in PERIODS and not any(x.cls == "brace" for x in m.members.values()) else "other"
    height = float(np.ptp(points[:, 2]))
    formula = f"{PERIODS[kind]:g} H^(3/4), H {height:.3g} m (EN 1998-1 4.3.3.2.2)"
    return [
        Expected(
            PERIOD, f"mode {mode.mode}", (), "", formula, PERIODS[kind] * height**0.75, mode.period, 0.4, 2.5
        )
    ]


def _points(model: Model) -> Array:
    lines = model.lines().reshape(-1, 3)
    return np.concatenate([lines, *(s.outer for s in model.surfaces.values())])
