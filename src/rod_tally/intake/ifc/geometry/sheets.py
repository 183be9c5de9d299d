"""Measuring bare bodies of slabs and walls: the plane they lie in, their thickness, outline and openings by
slicing."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from ....model.entities.surface import across
from ....model.geometry.vectors import Array
from ...source import Prism, Sheet
from .slicing import slices
from .solids import SolidError

FACING = (
    0.97  # cosine within which a face counts as one of the two broad ones: both may slope against each other
)
VARIES = 0.02  # share by which the thickness may differ before it counts as varying
SMALLEST = 1e-3  # m2; pieces of a slice smaller than this are left out
LOOSE = 0.2  # misfit above which a body is no sheet


def measure_sheets(vertices: Array, faces: NDArray[np.int64]) -> list[Sheet]:
    """The sheets of a body given by triangles: one a piece of its middle plane, openings cut out.

    The broad faces are those whose normals share the direction with most area; thickness is the distance of
    their area-weighted means. Raises SolidError when the body is no sheet: no such faces, or a misfit above
    LOOSE."""
    p = vertices[faces]
    middle = vertices.mean(axis=0)
    p = p - middle
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(cross, axis=1) / 2
    good = area > 1e-10
    if not good.any():
        raise SolidError("its body has no surface")
    p, area, normal = p[good], area[good], cross[good] / (2 * area[good, None])
    n = _broad(normal, area)
    side = normal @ n
    high, low = side > FACING, side < -FACING
    if not high.any() or not low.any():
        raise SolidError("its body has no two broad faces")
    depth = (p @ n).mean(axis=1)
    top = float(np.average(depth[high], weights=area[high]))
    bottom = float(np.average(depth[low], weights=area[low]))
    thickness = top - bottom
    if thickness <= 1e-6:
        raise SolidError("its broad faces have no distance")
    u, v = across(n)
    frame = np.array([n, u, v])
    volume = abs(float(np.einsum("ni,ni->n", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum())) / 6
    at = (top + bottom) / 2
    pieces = [q for q in slices(p @ frame.T, at) if q.area > SMALLEST]
    if not pieces:
        raise SolidError("its body cannot be sliced along its middle: it is not closed")
    whole = sum(q.area for q in pieces)
    misfit = 1 - volume / (whole * thickness)
    if abs(misfit) > LOOSE or thickness > 0.6 * math.sqrt(whole):
        raise SolidError(f"its body is no flat sheet (misfit {abs(misfit):.0%})")
    spread, thin_at, thick_at = _spread(p, area, high, low, n, thickness)

    def ring(coords: Any) -> Array:
        flat = np.array(coords)[:-1]
        return middle + n * at + flat @ frame[1:]

    out = []
    for q in pieces:
        sheet = Sheet(
            ring(q.exterior.coords), [ring(r.coords) for r in q.interiors], thickness, misfit, spread
        )
        if spread is not None:
            sheet.thin_at, sheet.thick_at = (tuple(float(x) for x in middle + w) for w in (thin_at, thick_at))  # type: ignore[assignment]
        out.append(sheet)
    return out


def footprint(vertices: Array, faces: NDArray[np.int64]) -> tuple[Prism, float]:
    """A standing body as the prism of its largest level slice at mid-height, and the misfit of that."""
    middle = vertices.mean(axis=0)
    p = (vertices - middle)[faces]
    low, high = float(p[:, :, 2].min()), float(p[:, :, 2].max())
    pieces = slices(p[:, :, [2, 0, 1]], (low + high) / 2)
    if not pieces:
        raise SolidError("its body cannot be sliced: it is not closed")
    largest = max(pieces, key=lambda q: q.area)
    volume = abs(float(np.einsum("ni,ni->n", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum())) / 6
    misfit = 1 - volume / (largest.area * (high - low))
    flat = np.array(Polygon(largest.exterior).simplify(1e-4).exterior.coords)[:-1]
    base = np.column_stack([flat, np.full(len(flat), low)]) + middle
    return Prism(base, [], np.array([0.0, 0.0, high - low])), misfit


def _broad(normal: Array, area: Array) -> Array:
    """The direction (up, or towards +x) that most of the area faces, either way."""
    best, most = normal[0], -1.0
    for k in np.argsort(-area)[:60]:
        facing = np.abs(normal @ normal[k]) > FACING
        total = float(area[facing].sum())
        if total > most * (1 + 1e-9):
            signs = np.sign(normal[facing] @ normal[k])
            mean = (normal[facing] * (signs * area[facing])[:, None]).sum(axis=0)
            best, most = mean / np.linalg.norm(mean), total
    lead = int(np.flatnonzero(np.abs(best[[2, 0, 1]]) > 1e-6)[0])
    return best if best[[2, 0, 1]][lead] > 0 else -best


def _spread(
    p: Array, area: Array, high: NDArray[np.bool_], low: NDArray[np.bool_], n: Array, thickness: float
) -> tuple[tuple[float, float] | None, Array, Array]:
    """Least and most thickness between the broad faces with their places (from the body's middle); None:
    constant.

    Measured from the corners of one face to the plane of the triangle of the other that lies opposite.
    """
    u, v = across(n)
    best: list[tuple[float, Array]] = []
    for one, other in ((high, low), (low, high)):
        tri = p[other]
        flat = np.stack([tri @ u, tri @ v], axis=-1)
        corners = p[one]
        # a little inside each triangle, so that a corner on an edge is not left out by rounding
        centre = corners.mean(axis=1, keepdims=True)
        for q in (corners + 0.01 * (centre - corners)).reshape(-1, 3):
            a, b, c = flat[:, 0], flat[:, 1], flat[:, 2]
            w = np.array([q @ u, q @ v])
            d = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (b[:, 1] - a[:, 1])
            d = np.where(np.abs(d) > 1e-12, d, np.inf)
            s = ((w[0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (c[:, 0] - a[:, 0]) * (w[1] - a[:, 1])) / d
            t = ((b[:, 0] - a[:, 0]) * (w[1] - a[:, 1]) - (w[0] - a[:, 0]) * (b[:, 1] - a[:, 1])) / d
            hit = np.flatnonzero((s > -1e-6) & (t > -1e-6) & (s + t < 1 + 1e-6) & np.isfinite(d))
            if len(hit):
                k = hit[0]
                opposite = tri[k, 0] + s[k] * (tri[k, 1] - tri[k, 0]) + t[k] * (tri[k, 2] - tri[k, 0])
                best.append((abs(float((q - opposite) @ n)), (q + opposite) / 2))
    if not best:
        return None, p[0, 0], p[0, 0]
    thin, thick = min(best, key=lambda x: x[0]), max(best, key=lambda x: x[0])
    if thick[0] - thin[0] <= max(VARIES * thickness, 0.002):
        return None, thin[1], thick[1]
    return (thin[0], thick[0]), thin[1], thick[1]
