"""Cutting a body of triangles with a plane."""

from __future__ import annotations

import numpy as np
from shapely.geometry import LineString, Polygon
from shapely.ops import polygonize, unary_union

from ....model.geometry.vectors import Array


def slices(p: Array, x: float) -> list[Polygon]:
    """Polygons with holes cut out of triangles (n, 3, 3) by the plane at the first coordinate; (y, z) of the
    others."""
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
                ends.append(tuple(np.round((a + f * (b - a))[1:], 7)))
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
    return sorted(out, key=lambda q: -q.area)
