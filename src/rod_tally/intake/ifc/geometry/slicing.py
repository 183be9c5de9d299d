"""Cutting a body of triangles with a plane."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon
from shapely.ops import polygonize, unary_union

from ....model.geometry.vectors import Array

ROUNDED = 7  # decimals (m) to which corners of a cut are rounded, so that its sides meet
TOUCHING = 1e-5  # m; solids of one body that lie this near to each other touch


def slices(p: Array, x: float, solid: NDArray[np.int64] | None = None) -> list[Polygon]:
    """Polygons with holes cut out of triangles (n, 3, 3) by the plane at the first coordinate; (y, z) of
    the others. The largest comes first. `solid` (n,): which solid of the body each triangle belongs to;
    what touches or overlaps is one polygon."""
    if solid is None or len(solid) == 0 or (solid == solid[0]).all():
        return sorted(_closed(p, x), key=lambda q: -q.area)
    found = [q for k in np.unique(solid) for q in _closed(p[solid == k], x)]
    if len(found) > 1:
        # grown and shrunk by a hair's breadth: solids that touch by rounding alone are one
        grown = unary_union([q.buffer(TOUCHING, join_style="mitre") for q in found])
        shrunk = grown.buffer(-TOUCHING, join_style="mitre").simplify(TOUCHING)
        found = [q for q in getattr(shrunk, "geoms", [shrunk]) if isinstance(q, Polygon) and not q.is_empty]
    return sorted(found, key=lambda q: -q.area)


def _closed(p: Array, x: float) -> list[Polygon]:
    """The same of one solid."""
    x += 1.234e-6  # off any vertex that lies exactly there
    side = p[:, :, 0] > x
    cut = side.any(axis=1) & ~side.all(axis=1)
    segments = []
    for tri, above in zip(p[cut], side[cut]):
        ends = []
        for i in range(3):
            a, b = tri[i], tri[(i + 1) % 3]
            if above[i] != above[(i + 1) % 3]:
                f = (x - a[0]) / (b[0] - a[0])
                ends.append(tuple(np.round((a + f * (b - a))[1:], ROUNDED)))
        if len(ends) == 2 and ends[0] != ends[1]:
            segments.append(tuple(ends))
    faces = list(polygonize(unary_union([LineString(s) for s in segments]))) if segments else []
    # polygonize gives every face of the drawing, holes too: a face is inside when an odd number of rings
    # holds it
    rings = [Polygon(q.exterior) for q in faces]
    out = []
    for q in faces:
        inner = q.representative_point()
        if sum(r.contains(inner) for r in rings) % 2 == 1:
            out.append(q.simplify(1e-6))
    return out
