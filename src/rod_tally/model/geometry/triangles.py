"""Polygons cut into triangles to be filled, whatever their outline is like."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import shapely
from shapely.geometry import Polygon

from ..entities.surface import Surface, sound
from .vectors import Array, like

CACHED = 100_000  # outlines whose triangles are kept
FINE = 1e-4  # m; to which an outline is rounded where it cannot be cut as it is


def triangles_of(pane: Polygon) -> Array:
    """Corners (n, 3, 2) of triangles that fill a polygon; (0, 3, 2) where none can be found.

    The library gives up on some outlines ("unable to find a convex corner"): these are then mended, rounded,
    or cut with their openings closed by a Delaunay mesh clipped to them."""
    for mended in (lambda p: p, sound, _rounded):
        try:
            found = shapely.constrained_delaunay_triangles(mended(pane))
        except (shapely.errors.GEOSException, ValueError):
            continue
        return _corners(list(getattr(found, "geoms", [])))
    try:
        whole = sound(pane)
        pieces = [t.intersection(whole) for t in shapely.delaunay_triangles(whole).geoms]
        return _corners([t for p in pieces for t in shapely.delaunay_triangles(p).geoms if p.area > FINE**2])
    except (shapely.errors.GEOSException, ValueError):
        return np.zeros((0, 3, 2))


def surface_triangles(surface: Surface) -> Array:
    """Corners (n, 3, 3) in space of triangles that fill a slab or wall, openings left open; kept, for a view
    draws them again and again."""
    rings = tuple(np.ascontiguousarray(r, float).tobytes() for r in (surface.outer, *surface.openings))
    return _in_space(rings, np.ascontiguousarray(surface.plain_axes[:2]).tobytes())


@lru_cache(maxsize=CACHED)
def _in_space(rings: tuple[bytes, ...], across: bytes) -> Array:
    axes = np.frombuffer(across).reshape(2, 3)
    loops = [np.frombuffer(r).reshape(-1, 3) for r in rings]
    flat = [like((loop - loops[0][0]) @ axes.T) for loop in loops]
    out = loops[0][0] + _in_plane(tuple(loop.tobytes() for loop in flat)) @ axes
    out.flags.writeable = False
    return out


@lru_cache(maxsize=CACHED)
def _in_plane(rings: tuple[bytes, ...]) -> Array:
    """By the shape alone: a building has many slabs of one shape."""
    outer, *openings = (np.frombuffer(r).reshape(-1, 2) for r in rings)
    return triangles_of(Polygon(outer, openings))


def _rounded(pane: Polygon) -> Polygon:
    return sound(shapely.set_precision(sound(pane), FINE))


def _corners(triangles: list[Polygon]) -> Array:
    good = [
        np.array(t.exterior.coords)[:3, :2] for t in triangles if isinstance(t, Polygon) and not t.is_empty
    ]
    return np.array(good).reshape(-1, 3, 2)
