"""Loads on walls that stand for columns, as rows along the column's axis: forces, and moments of what acts
beside it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
from shapely.geometry import Polygon

from ...loads.arrival import HeldLoad
from ...loads.floors.panel import second_moments
from ...meshing.mesh_data import WallColumn
from ...model import Surface
from ...model.geometry.vectors import Array

LEVEL = 1e-3  # m; a line that rises by less acts at one height
PIECES = 8  # pieces of a line that rises beside the axis, in each of which its moment is taken as linear
GAUSS, WEIGHT = np.polynomial.legendre.leggauss(3)

# from a to b (m above the foot), from qa to qb (6,), global; concentrated where a == b
Row = tuple[float, float, Array, Array]


def column_rows(column: WallColumn, foot: Array, shape: Surface | None, load: HeldLoad) -> Iterator[Row]:
    """Yield what a load puts on the axis above `foot` (3,): force and moment about the axis, a metre or in
    one sum.

    `shape`: the wall; None where it is not known, so that a pressure acts in one sum at its centroid.
    """
    if load.pressure is not None and shape is not None:
        yield from _of_pressure(column, foot, shape, load.pressure, load.area)
    elif len(load.line) == 1:
        yield from _at_point(column, foot, load.line[0], load.force)
    else:
        yield from _of_line(column, foot, load)


def _six(foot: Array, place: Array, force: Array) -> Array:
    """Force and its moment about the axis, at the place's own height."""
    arm = (place - foot) * (1.0, 1.0, 0.0)
    return np.concatenate([force, np.cross(arm, force)])


def _at_point(column: WallColumn, foot: Array, place: Array, force: Array) -> Iterator[Row]:
    z = float(np.clip(place[2], column.z[0], column.z[-1]))
    six = _six(foot, place, force)
    six[3:] += np.cross((0.0, 0.0, place[2] - z), force)  # beyond an end: with its lever
    yield z - float(column.z[0]), z - float(column.z[0]), six, six


def _of_line(column: WallColumn, foot: Array, load: HeldLoad) -> Iterator[Row]:
    d = load.line[1] - load.line[0]
    length = float(np.linalg.norm(d))
    if length < 1e-9:
        return
    low, high = float(load.line[:, 2].min()), float(load.line[:, 2].max())
    inside = low >= column.z[0] - 1e-9 and high <= column.z[-1] + 1e-9
    if abs(d[2]) <= LEVEL or not inside:
        total = np.zeros(6)
        z = float(np.clip((low + high) / 2, column.z[0], column.z[-1]))
        for g, w in zip(GAUSS, WEIGHT):
            t = (g + 1) / 2
            place, force = load.line[0] + d * t, (load.qa + (load.qb - load.qa) * t) * (w / 2 * length)
            total += _six(foot, place, force)
            total[3:] += np.cross((0.0, 0.0, place[2] - z), force)
        at = z - float(column.z[0])
        yield at, at, total, total
        return
    steps = np.linspace(0.0, 1.0, PIECES + 1)
    per_height = length / abs(float(d[2]))

    def at_share(t: float) -> tuple[float, Array]:
        place = load.line[0] + d * t
        return float(place[2] - column.z[0]), _six(
            foot, place, load.qa + (load.qb - load.qa) * t
        ) * per_height

    for s, t in zip(steps, steps[1:]):
        (a, qa), (b, qb) = sorted((at_share(s), at_share(t)), key=lambda v: v[0])
        yield max(a, 0.0), b, qa, qb


def _of_pressure(
    column: WallColumn,
    foot: Array,
    shape: Surface,
    pressure: Array,
    area: shapely.geometry.base.BaseGeometry | None,
) -> Iterator[Row]:
    """Between two levels linear, with the force and first moment in height of what lies there; its moment
    about the axis even."""
    pane = shape.polygon if area is None else shape.polygon.intersection(area)
    origin, axes = shape.outer[0], shape.plain_axes
    # height and place along the wall in the plane's own coordinates: 1, u, v
    height = np.array([origin[2], axes[0, 2], axes[1, 2]])
    along = np.array([(origin - foot) @ column.level, axes[0] @ column.level, axes[1] @ column.level])
    off = float((origin - foot) @ column.normal)
    low, high = (float(v) for v in (shape.outer[:, 2].min(), shape.outer[:, 2].max()))
    stops = np.array([min(low, column.z[0]) - 1.0, *column.z[1:-1], max(high, column.z[-1]) + 1.0])
    for k, (z0, z1) in enumerate(zip(stops, stops[1:])):
        strip = pane.intersection(_strip(height, z0, z1, pane))
        a, b = float(column.z[k]), float(column.z[k + 1])
        force, first, beside = np.zeros(3), np.zeros(3), np.zeros(3)
        for part in getattr(strip, "geoms", [strip]):
            if isinstance(part, Polygon) and part.area > 1e-12:
                m = second_moments(part)
                force += m[0] @ pressure
                first += height @ m @ pressure - a * (m[0] @ pressure)
                beside += along @ m @ pressure
        if not (force.any() or beside.any()):
            continue
        moment = np.cross(column.level, beside) + np.cross(column.normal * off, force)
        h = b - a
        last = 6 * first / h**2 - 2 * force / h
        even = moment / h
        yield (
            a - float(column.z[0]),
            b - float(column.z[0]),
            np.concatenate([2 * force / h - last, even]),
            np.concatenate([last, even]),
        )


def _strip(height: Array, z0: float, z1: float, pane: shapely.geometry.base.BaseGeometry) -> Polygon:
    """The part of the plane between two heights, wide enough for the pane, in the plane's own coordinates."""
    u = height[1:] / np.linalg.norm(height[1:])
    size = float(np.linalg.norm(height[1:]))
    side = np.array([-u[1], u[0]])
    box = np.array(pane.bounds).reshape(2, 2) if not pane.is_empty else np.zeros((2, 2))
    wide = float(np.abs(box).max()) * 2 + 10.0
    p, q = ((z - height[0]) / size for z in (z0, z1))
    return Polygon([p * u - wide * side, q * u - wide * side, q * u + wide * side, p * u + wide * side])
