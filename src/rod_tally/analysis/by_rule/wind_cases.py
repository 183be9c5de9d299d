"""Cases of wind on a building: as forces at its storeys, or as pressures on the planes of its faces."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...loads.lateral import LateralError
from ...loads.wind import Box, WindAsce, WindEn, by_bands, storey_bands
from ...model import Model
from ...model.geometry.directions import lies_at, turn
from ...model.geometry.vectors import Array
from .storey_forces import WAYS, Level, storey_cases

MOST_BANDS = 12  # of a face, between which pressures are taken as even


def wind_cases(
    model: Model,
    levels: list[Level],
    wind: WindEn | WindAsce,
    ground: float,
    name: str,
    faces: bool,
    angle: float | None = None,
) -> list[dict[str, Any]]:
    """Four cases for `AddCases`, along +x, -x, +y and -y, which never act together. `ground`: level of
    the ground, m; the lowest of `levels` is the base.

    As forces they act at the middle of each storey's extent across the wind, from half-way to the storey
    below to half-way to the one above. As pressures on `faces` they act, in bands of even pressure, on
    the members that lie in the plane of the face. Roofs and sides are left out. x and y are those of axes
    turned by `angle` (rad) about Z; None: the building's own. Raises LateralError where there is nothing
    above the ground."""
    angle = lies_at(model) if angle is None else angle
    own = turn(angle)  # its columns are the building's axes
    lies = f", along axes turned by {np.degrees(angle):.4g} degrees" if angle else ""
    low, high = _box(model, ground, faces, own)
    carried = [x for x in levels if x.elevation > ground + 0.5 and (x.nodes or x.slabs)]
    if not carried and not faces:
        raise LateralError(
            "no storey above the ground has nodes, or slabs that carry as shells, at its level"
        )
    size = high - low
    out = []
    for tag, axis, sign in WAYS:
        box = Box(float(high[2] - ground), float(size[1 - axis]), float(size[axis]))
        acting = wind.faces(box)
        by = f"{acting.words}; {box.breadth:.2f} m broad, {box.depth:.2f} m deep{lies}"
        if faces:
            loads = _pressures(
                acting.windward, acting.leeward, box, low, high, axis, sign, ground, acting.least
            )
            for load in loads:
                load["values"] = [(own @ v).tolist() for v in load["values"]]
                load["outline"] = (np.array(load["outline"]) @ own.T).tolist()
            out.append({"name": name + tag, "kind": "wind", "together": name, "loads": loads, "by": by})
            continue
        edges = storey_bands(np.array([x.elevation for x in carried]) - ground, box.height)
        forces = by_bands(acting.net, edges) * box.breadth * sign
        middle = (low + high)[:2] / 2
        given: dict[str, list[float]] = {}
        for level, f in zip(carried, forces.tolist()):
            arm = middle - level.centre @ own[:2, :2]
            # the force acts at the middle of the breadth, not of the mass
            moment = -arm[1] * f if axis == 0 else arm[0] * f
            along = own[:, axis] * f
            given[level.name] = [float(along[0]), float(along[1]), float(moment)]
        (case,) = storey_cases(name + tag, "wind", carried, given, 0.0, by)
        out.append(case | {"together": name})
    return out


def _box(model: Model, ground: float, faces: bool, own: Array) -> tuple[Array, Array]:
    """Corners (3,), in the building's axes (columns of `own`), of what stands above the ground. In plan that
    of columns and walls, and of slabs where the wind does not act on the planes of `faces`: a brace or a beam
    that reaches out of the building is no face. Of all parts where there are none."""
    lines = [line @ own for line in model.lines()]
    every = np.concatenate([*lines, *(s.outer @ own for s in model.surfaces.values())])
    upright = [line for line, m in zip(lines, model.members.values()) if m.cls == "column"]
    upright += [s.outer @ own for s in model.surfaces.values() if s.upright or not faces]
    corners = []
    for points in (np.concatenate(upright or [every]), every):
        above = points[points[:, 2] > ground + 0.01]
        if not len(above):
            raise LateralError(f"nothing of the model stands above the ground at {ground:g} m")
        corners.append((above.min(axis=0), above.max(axis=0)))
    low, high = corners[0]
    high[2] = corners[1][1][2]
    return low, high


def _pressures(
    windward: Any,
    leeward: float,
    box: Box,
    low: Array,
    high: Array,
    axis: int,
    sign: int,
    ground: float,
    least: float,
) -> list[dict[str, Any]]:
    edges = np.linspace(0.0, box.height, max(2, min(MOST_BANDS, round(box.height / 3.0)) + 1))
    across = 1 - axis
    loads: list[dict[str, Any]] = []
    for k, (a, b) in enumerate(zip(edges, edges[1:])):
        front = float(by_bands(windward, edges[k : k + 2])[0] / (b - a))
        for plane, value in (
            (low[axis] if sign > 0 else high[axis], max(front, least - leeward)),
            (high[axis] if sign > 0 else low[axis], leeward),
        ):
            corner = np.zeros((4, 3))
            corner[:, axis] = plane
            corner[:, across] = [low[across], high[across], high[across], low[across]]
            corner[:, 2] = np.array([a, a, b, b]) + ground
            pressure = [0.0, 0.0, 0.0]
            pressure[axis] = sign * value
            loads.append(
                {
                    "on": "area",
                    "surface": "",
                    "values": [pressure],
                    "outline": corner.tolist(),
                    "onto": "members",
                }
            )
    return loads
