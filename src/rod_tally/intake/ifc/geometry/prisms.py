"""Volumes of prisms with openings cut out, where the way both run makes that exact without a geometry
kernel."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.geometry import Polygon

from ....model.entities.surface import across
from ....model.geometry.vectors import Array
from ...source import Prism

PARALLEL = 1e-6  # sine within which two directions are one
LEAST = 1e-6  # m


def rest_volume(body: Prism, openings: list[Prism]) -> float | None:
    """Volume of a prism without its voids and openings, m3; None where an opening runs another way than
    the body, so that only a geometry kernel can tell."""
    if not openings:
        return _standing(body, [], body.vector)
    way = openings[0].vector
    if any(_sine(o.vector, way) > PARALLEL for o in openings):
        return None
    if _sine(body.vector, way) <= PARALLEL:
        return _standing(body, openings, way)
    for turned in _turned(body):
        if _sine(turned.vector, way) <= PARALLEL:
            return _standing(turned, openings, way)
    return None


def _sine(a: Array, b: Array) -> float:
    size = float(np.linalg.norm(a) * np.linalg.norm(b))
    return float(np.linalg.norm(np.cross(a, b))) / size if size > 0 else 1.0


def _turned(body: Prism) -> list[Prism]:
    """A prism over a parallelogram as the two prisms over its other sides; [] for any other."""
    if len(body.outer) != 4 or body.voids:
        return []
    a, b, c, d = body.outer
    if np.linalg.norm(a + c - b - d) > LEAST:
        return []
    v = body.vector
    return [
        Prism(np.array([a, b, b + v, a + v]), [], d - a),
        Prism(np.array([a, d, d + v, a + v]), [], b - a),
    ]


def _standing(body: Prism, openings: list[Prism], way: Array) -> float | None:
    """The same where all run along `way`; None where an opening's own base slopes, so that it is no slice."""
    n = way / np.linalg.norm(way)
    plane = np.array(across(n))
    flat = [body.outer, *body.voids]
    base = Polygon(body.outer @ plane.T, [r @ plane.T for r in body.voids])
    if not base.is_valid:
        return None
    if not openings:
        return float(base.area) * abs(float(body.vector @ n))
    height = np.concatenate(flat) @ n
    if np.ptp(height) > LEAST:
        return None
    low, high = sorted((float(height[0]), float(height[0] + body.vector @ n)))
    cuts = []
    for o in openings:
        at = o.outer @ n
        if np.ptp(at) > LEAST:
            return None
        a, b = sorted((float(at[0]), float(at[0] + o.vector @ n)))
        hole = Polygon(o.outer @ plane.T, [r @ plane.T for r in o.voids])
        if not hole.is_valid:
            return None
        if min(b, high) - max(a, low) > LEAST:
            cuts.append((max(a, low), min(b, high), hole))
    places = sorted({low, high, *(x for a, b, _ in cuts for x in (a, b))})
    out = 0.0
    for x, y in zip(places, places[1:]):
        gone = [hole for a, b, hole in cuts if a <= (x + y) / 2 <= b]
        rest = base.difference(shapely.union_all(gone)) if gone else base
        out += float(rest.area) * (y - x)
    return out
