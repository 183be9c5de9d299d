"""Measuring bare bodies of slabs and walls: the plane they lie in, their thickness, outline and openings by
slicing."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.ops import unary_union

from ....model.catalogue.shapes import polygon_moments
from ....model.entities.surface import across
from ....model.geometry.vectors import Array
from ...source import Prism, Sheet
from .slicing import slices
from .solids import STATIONS, SolidError, Triangles, section_at, volume_of

FACING = (
    0.97  # cosine within which a face counts as one of the two broad ones: both may slope against each other
)
VARIES = 0.02  # share by which the thickness may differ before it counts as varying
SMALLEST = 1e-3  # m2; pieces of a slice smaller than this are left out
LOOSE = 0.2  # misfit above which a body is no sheet
EXACT = 0.02  # misfit above which the thickness of the broad faces gives way to that of the volume
FLAT = 0.6  # depth of a body over the root of its area above which it is no plate


def measure_sheets(body: Triangles) -> list[Sheet]:
    """The sheets of a body: one a piece of its middle plane, openings cut out.

    The broad faces are those whose normals share the direction with most area; thickness is the distance
    of their area-weighted means, or that which gives the body's volume where the two differ. Raises
    SolidError when the body is no sheet: no such faces, or a misfit above LOOSE."""
    middle = body.vertices.mean(axis=0)
    p, solid = (body.vertices - middle)[body.faces], body.solid
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(cross, axis=1) / 2
    good = area > 1e-10
    if not good.any():
        raise SolidError("its body has no surface")
    p, area, normal, solid = p[good], area[good], cross[good] / (2 * area[good, None]), solid[good]
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
    volume = volume_of(p)
    at = (top + bottom) / 2
    pieces = [q for q in slices(p @ frame.T, at, solid) if q.area > SMALLEST]
    if not pieces:
        raise SolidError("its body cannot be sliced along its middle: it is not closed")
    whole = sum(q.area for q in pieces)
    misfit = 1 - volume / (whole * thickness)
    if abs(misfit) > LOOSE or thickness > 0.6 * math.sqrt(whole):
        raise SolidError(f"its body is no flat sheet (misfit {abs(misfit):.0%})")
    reach = (p @ n - at).min(), (p @ n - at).max()
    depth_of = (float(-reach[0]), float(reach[1])) if reach[1] - reach[0] > (1 + EXACT) * thickness else None
    if abs(misfit) > EXACT:
        thickness = volume / whole
    spread, thin_at, thick_at = _spread(p, area, high, low, n, thickness)

    def ring(coords: Any) -> Array:
        flat = np.array(coords)[:-1]
        return middle + n * at + flat @ frame[1:]

    out = []
    for q in pieces:
        sheet = Sheet(
            ring(q.exterior.coords), [ring(r.coords) for r in q.interiors], thickness, misfit, spread
        )
        sheet.depth = depth_of
        if spread is not None:
            sheet.thin_at, sheet.thick_at = (tuple(float(x) for x in middle + w) for w in (thin_at, thick_at))  # type: ignore[assignment]
        out.append(sheet)
    return out


def equivalent_plate(body: Triangles) -> Sheet:
    """A ribbed, stepped or hollow body as one plate of its outline, in the plane of its centroid, of the
    thickness that gives its volume; `told` compares the second moments of both. Raises SolidError for a
    body that is not flat."""
    middle = body.vertices.mean(axis=0)
    p = (body.vertices - middle)[body.faces]
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(cross, axis=1) / 2
    good = area > 1e-10
    if not good.any():
        raise SolidError("its body has no surface")
    n = _broad(cross[good] / (2 * area[good, None]), area[good])
    u, v = across(n)
    frame = np.array([n, u, v])
    own = p @ frame.T
    cover = unary_union([t for t in map(Polygon, own[:, :, 1:]) if t.area > 1e-10]).buffer(0)
    largest = max(getattr(cover, "geoms", [cover]), key=lambda q: q.area)
    low, high = float(own[..., 0].min()), float(own[..., 0].max())
    if cover.area - largest.area > EXACT * cover.area or high - low > FLAT * math.sqrt(largest.area):
        raise SolidError(
            f"its body ({high - low:.2f} m deep over {cover.area:.3g} m2) is no plate and cannot be taken apart into flat pieces"
        )
    largest = largest.simplify(1e-4)
    thickness = body.volume / largest.area
    # height of the centroid: of every tetrahedron to the middle, by its signed volume
    signed = np.einsum("ni,ni->n", own[:, 0], np.cross(own[:, 1], own[:, 2]))
    at = float((signed * own[..., 0].sum(axis=1) / 4).sum() / signed.sum())
    box = np.array(largest.minimum_rotated_rectangle.exterior.coords)
    sides = np.diff(box[:3], axis=0)
    along = sides[int(np.linalg.norm(sides[1]) > np.linalg.norm(sides[0]))]
    along = along / np.linalg.norm(along)
    moments = [_second_moment(own, body.solid, way) for way in (along, np.array([-along[1], along[0]]))]
    plate = thickness**3 / 12
    told = (
        f"its body is no flat sheet: a plate of {thickness * 1000:.0f} mm of the same weight stands for it, with a second "
        f"moment of {plate:.3g} m4 a metre; the body has {moments[0]:.3g} along and {moments[1]:.3g} across"
    )

    def ring(coords: Any) -> Array:
        return middle + n * at + np.array(coords)[:-1] @ frame[1:]

    return Sheet(
        ring(largest.exterior.coords),
        [ring(r.coords) for r in largest.interiors],
        thickness,
        depth=(at - low, high - at),
        told=told,
    )


def _second_moment(own: Array, solid: NDArray[np.int64], way: Array) -> float:
    """Return the second moment of a metre of a flat body (n, 3, 3) in its plane's axes, for bending along
    `way`: that of the slice across it of middle area, m4/m."""
    turned = np.stack([own[..., 1:] @ way, own[..., 1:] @ np.array([-way[1], way[0]]), own[..., 0]], axis=-1)
    low, high = float(turned[..., 0].min()), float(turned[..., 0].max())
    profile, _, _ = section_at(turned, low, high, solid)
    if not profile.outer:
        width = float(np.ptp(turned[..., 1]))
        return profile.values["iy"] / width
    rings = [profile.outer, *profile.voids]
    inertia = [polygon_moments(r)[3] for r in rings]
    return (inertia[0] - sum(inertia[1:])) / float(np.ptp(np.array(profile.outer)[:, 0]))


def footprint(body: Triangles) -> tuple[Prism, float]:
    """A standing body as the prism of its level slice of middle area, and the misfit of that."""
    middle = body.vertices.mean(axis=0)
    p = (body.vertices - middle)[body.faces]
    low, high = float(p[:, :, 2].min()), float(p[:, :, 2].max())
    found = []
    for share in STATIONS:
        pieces = slices(p[:, :, [2, 0, 1]], low + share * (high - low), body.solid)
        if pieces:
            found.append((sum(q.area for q in pieces), pieces[0]))
    if not found:
        raise SolidError("its body cannot be sliced: it is not closed")
    found.sort(key=lambda f: f[0])
    _, largest = found[(len(found) - 1) // 2]
    misfit = 1 - body.volume / (largest.area * (high - low))

    def ring(coords: Any) -> Array:
        flat = np.array(Polygon(coords).simplify(1e-4).exterior.coords)[:-1]
        return np.column_stack([flat, np.full(len(flat), low)]) + middle

    voids = [ring(r.coords) for r in largest.interiors]
    return Prism(ring(largest.exterior.coords), voids, np.array([0.0, 0.0, high - low])), misfit


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
