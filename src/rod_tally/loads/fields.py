"""Pressures of area loads as fields over a plane, and what of it a slab takes up."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from ..model import AreaLoad, Surface
from ..model.entities.surface import sound
from ..model.geometry.vectors import Array
from .floors.panel import second_moments

ROUNDING = 1e-9  # of an area


def pressure_field(load: AreaLoad, axes: Array, origin: Array, local: Array) -> Array:
    """The load as a field over the plane with these axes about `origin`: (3 basis, 3 components), N/m2,
    global.

    Raises ValueError when its three points lie on a line.
    """
    values = np.array(load.values, float)
    if load.projected:
        # for each component the area that is seen along it
        values = values * np.abs(axes[2] if not load.local else local @ axes[2])
    if load.local:
        values = values @ local
    out = np.zeros((3, 3))
    if len(values) == 1 or load.at is None:
        out[0] = values[0]
        return out
    flat = (load.at - origin) @ axes[:2].T
    basis = np.column_stack([np.ones(3), flat])
    if abs(np.linalg.det(basis)) < 1e-9:
        raise ValueError("the three points of a linear load lie on one line")
    return np.linalg.solve(basis, values)


def field_force(area: BaseGeometry, pressure: Array) -> Array:
    """Return what a pressure field sums to over an area of its plane (3,), N."""
    total = np.zeros(3)
    for p in polygons_of(area):
        total += second_moments(p)[0] @ pressure
    return total


def polygons_of(shape: BaseGeometry) -> list[Polygon]:
    """Return the polygons among the parts of a shape."""
    parts = getattr(shape, "geoms", [shape])
    return [p for p in parts if isinstance(p, Polygon) and not p.is_empty]


def cut_back(surface: Surface) -> bool:
    """Return whether transfer took strips off the surface's edges."""
    return surface.source_outer is not None and surface.area_share > 1 + ROUNDING


def drawn_polygon(surface: Surface, flat: Callable[[Array], Array]) -> BaseGeometry:
    """Return what of a plane a surface's body takes up, as drawn and as it is in the model, openings cut."""
    whole = sound(Polygon(flat(surface.outer)))
    if surface.source_outer is not None:
        whole = whole.union(sound(Polygon(flat(surface.source_outer))))
    for ring in surface.openings:
        whole = whole.difference(sound(Polygon(flat(ring))))
    return whole
