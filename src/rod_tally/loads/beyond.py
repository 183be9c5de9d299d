"""Loads that reach beyond the slab they act on, over its edges or its openings, and ways to put what is lost."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from shapely import set_precision
from shapely.geometry import LineString, Polygon, box
from shapely.geometry.base import BaseGeometry

from ..model import AreaLoad, LoadCase, Model, SpaceLoad, Surface
from ..model.edits.load_values import load_values
from ..model.entities.surface import sound
from .fields import drawn_polygon, field_force, polygons_of, pressure_field

TRIM, ON_EDGES, AROUND = "Leave it out", "Put it on the edges", "Put it on the rest"
SMALL = 1e-6  # m2 of a load that is lost; less is rounding
TOUCH = 1e-6  # m; an edge this near to what is lost bounds it
SHORT = 1e-3  # m of an edge


@dataclass
class Beyond:
    """Area loads of a case that reach beyond their slabs: their `numbers` among its area loads, and the
    `lost` force (N). Each way is a list of loads as plain values, in place of them: `trimmed` to the slab;
    and with what is lost `on_edges` of slab and openings beside it, as line loads, or `around`, the rest of
    the load made larger. `on_edges` is empty where an edge is one that transfer took off the slab, as over
    a wall: a line there would be lost again.

    `length` (m) and `line` (N/m, the largest): of the edges and of what they take; `pressure` (N/m2): the
    largest before and after where the rest is made larger."""

    numbers: list[int] = field(default_factory=list)
    lost: float = 0.0
    trimmed: list[dict[str, Any]] = field(default_factory=list)
    on_edges: list[dict[str, Any]] = field(default_factory=list)
    around: list[dict[str, Any]] = field(default_factory=list)
    length: float = 0.0
    line: float = 0.0
    pressure: tuple[float, float] = (0.0, 0.0)


def beyond(model: Model, case: LoadCase) -> Beyond | None:
    """Return the ways of a case's loads that lie partly beyond their slab; None where there are none. A load
    that misses its slab altogether, or that lies on several, has none."""
    out = Beyond()
    held: list[bool] = []
    for number, load in enumerate(case.area_loads):
        surface = _slab_of(model, load)
        if surface is not None and load.outline is not None:
            _add(out, number, load, surface, held)
    if not all(held):
        out.on_edges = []
    return out if out.numbers else None


def _slab_of(model: Model, load: AreaLoad) -> Surface | None:
    """The one slab or wall that a load with an outline acts on."""
    if load.outline is None or load.onto == "members":
        return None
    if load.surface:
        return model.surfaces.get(load.surface)
    lying = [
        s for s in model.surfaces.values() if np.abs(s.height(load.outline)).max() <= TOUCH + s.thickness / 2
    ]
    met = [
        s
        for s in lying
        if drawn_polygon(s, s.flat).intersection(sound(Polygon(s.flat(load.outline)))).area > SMALL
    ]
    return met[0] if len(met) == 1 else None


def _add(out: Beyond, number: int, load: AreaLoad, surface: Surface, held: list[bool]) -> None:
    assert load.outline is not None
    outline = sound(Polygon(surface.flat(load.outline)))
    slab = drawn_polygon(surface, surface.flat)
    inside = outline.intersection(slab)
    gone = [p for p in polygons_of(outline.difference(slab)) if p.area > SMALL]
    if not gone or inside.area <= SMALL:
        return
    pressure = pressure_field(load, surface.plain_axes, surface.outer[0], surface.axes)
    kept = float(np.linalg.norm(field_force(inside, pressure)))
    edges = [(p, e) for p in gone if (e := _edges(slab, p))]
    if kept <= 0 or len(edges) < len(gone):
        return  # what is lost lies apart from the slab
    factor = float(np.linalg.norm(field_force(outline, pressure))) / kept
    out.numbers.append(number)
    largest = float(np.linalg.norm(np.array(load.values, float), axis=1).max())
    if largest * factor > out.pressure[1]:
        out.pressure = (largest, largest * factor)
    for piece in (q for p in polygons_of(inside) for q in without_holes(p)):
        ring = surface.lifted(np.array(piece.exterior.coords)[:-1])
        own = replace(load, outline=ring)
        out.trimmed.append(load_values(own))
        more = tuple((x * factor, y * factor, z * factor) for x, y, z in load.values)
        out.around.append(load_values(replace(own, values=more)))
    for piece, lines in edges:
        force = field_force(piece, pressure)
        length = sum(x.length for x in lines)
        q = force / length
        out.lost += float(np.linalg.norm(force))
        out.length += length
        out.line = max(out.line, float(np.linalg.norm(q)))
        even = (float(q[0]), float(q[1]), float(q[2]))
        for x in lines:
            held.append(surface.polygon.distance(x.interpolate(0.5, normalized=True)) <= TOUCH)
            line = surface.lifted(np.array(x.coords))
            out.on_edges.append(
                load_values(SpaceLoad(line, even, even, surface.id, load.source, load.by, load.name))
            )


def _edges(slab: BaseGeometry, piece: Polygon) -> list[LineString]:
    """Straight edges of the slab and its openings that bound what is lost."""
    # corners nearer than rounding to each other, or to an axis, make the library divide by zero
    near = slab.boundary.intersection(set_precision(piece, TOUCH / 1e3).buffer(TOUCH))
    out = []
    for part in getattr(near, "geoms", [near]):
        points = np.array(part.coords) if isinstance(part, LineString) else np.zeros((0, 2))
        out += [
            LineString(pair) for pair in zip(points, points[1:]) if np.linalg.norm(pair[1] - pair[0]) > SHORT
        ]
    return out


def without_holes(p: Polygon) -> list[Polygon]:
    """Parts that add up to a polygon, none with a hole: cut through the middles of its holes."""
    if not p.interiors:
        return [p]
    x = Polygon(p.interiors[0]).centroid.x
    low_x, low_y, high_x, high_y = p.bounds
    halves = (box(low_x - 1, low_y - 1, x, high_y + 1), box(x, low_y - 1, high_x + 1, high_y + 1))
    return [q for h in halves for part in polygons_of(p.intersection(h)) for q in without_holes(part)]
