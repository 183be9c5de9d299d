"""Torsion constant and shear centre of any outline, by its warping function.

Saint-Venant's torsion: the warping w(y, z) of a section that twists at rate 1 about its centroid satisfies
Laplace's equation, with dw/dn = z n_y - y n_z on its edges; J = Ip - int |grad w|^2 dA. The shear centre is
the pole about which the warping is orthogonal to y and z (Trefftz 1935). Both as in W. D. Pilkey, Analysis
and Design of Elastic Beams (2002), chapters 5 and 6. Solved with triangles of second order."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from ..entities.section import Points, Section
from ..geometry.vectors import Array

FLAT = 1e-3  # of the wall: how far a finely drawn outline may be drawn plainer
AT_MOST = (
    400  # pieces that the edges are cut into, so that a finely drawn outline costs no more than a plain one
)
# points (in area coordinates) and weights that are exact to the fourth order (Dunavant 1985)
A, B = 0.445948490915965, 0.091576213509771
AT = np.array([[A, A], [1 - 2 * A, A], [A, 1 - 2 * A], [B, B], [1 - 2 * B, B], [B, 1 - 2 * B]])
WEIGHT = np.array([0.223381589678011] * 3 + [0.109951743655322] * 3)


class Warping(NamedTuple):
    """Torsion constant (m4) and shear centre (y, z) from the centroid (m)."""

    j: float
    y: float
    z: float


def shear_centre(section: Section) -> tuple[float, float] | None:
    """The shear centre (y, z) of a section from its centroid, in m; None for one that is known by its values
    alone."""
    if not section.usable or not section.outline:
        return None
    if section.round or section.shape == "box" or section.shape == "rectangle":
        return 0.0, 0.0
    found = warping(section.outline, section.voids)
    if found is None:
        return None
    near = 1e-3 * max(section.depth, section.width)
    return (0.0 if abs(found.y) < near else found.y, 0.0 if abs(found.z) < near else found.z)


@lru_cache(maxsize=4096)
def warping(outline: Points, voids: tuple[Points, ...] = ()) -> Warping | None:
    """Return the warping of an outline (y, z) about any origin, m; None for an outline that crosses itself
    or its voids or falls apart."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.linalg import splu

    drawn = shapely.Polygon(outline, voids)
    polygon = drawn if drawn.is_valid else drawn.buffer(0)  # spikes and doubled points go
    if not isinstance(polygon, shapely.Polygon) or not abs(polygon.area - drawn.area) <= 1e-3 * drawn.area:
        return None
    points, triangles = _triangles(polygon)
    centre = np.array(polygon.centroid.coords[0])
    p = points[triangles] - centre  # (n, 6, 2): corners, then the middles of the sides
    # (n, 2, 2): the sides from the first corner; straight, so one Jacobian a triangle
    to = p[:, 1:3] - p[:, :1]
    twice = to[:, 0, 0] * to[:, 1, 1] - to[:, 0, 1] * to[:, 1, 0]
    inverse = np.linalg.inv(to)
    values, slopes = _functions()
    grad = np.einsum("nab,qkb->nqka", inverse, slopes)  # by y and z
    at = np.einsum("qk,nka->nqa", values, p)
    weight = twice[:, None] / 2 * WEIGHT
    k = np.einsum("nq,nqia,nqja->nij", weight, grad, grad)
    load = np.einsum("nq,nqk->nk", weight, grad[..., 0] * at[..., 1, None] - grad[..., 1] * at[..., 0, None])
    count = len(points)
    rows, columns = np.repeat(triangles, 6, axis=1).ravel(), np.tile(triangles, (1, 6)).ravel()
    matrix = coo_matrix((k.ravel(), (rows, columns)), shape=(count, count)).tocsc()
    force = np.bincount(triangles.ravel(), load.ravel(), minlength=count)
    w = np.zeros(count)
    w[1:] = splu(matrix[1:, 1:]).solve(force[1:])
    here = np.einsum("qk,nk->nq", values, w[triangles])
    y, z = at[..., 0], at[..., 1]
    iz, iy, iyz = (float((weight * v).sum()) for v in (y * y, z * z, y * z))
    wy, wz = float((weight * here * y).sum()), float((weight * here * z).sum())
    # the warping about the shear centre, w + ys z - zs y, is orthogonal to y and to z
    ys, zs = np.linalg.solve([[-iyz, iz], [-iy, iyz]], [wy, wz])
    return Warping(iy + iz - float(w @ force), float(ys), float(zs))


def _triangles(polygon: shapely.Polygon) -> tuple[Array, NDArray[np.int64]]:
    """Points (m, 2) and triangles (n, 6) of second order of a polygon, each wall at least two of them
    thick."""
    thick = 2 * polygon.area / polygon.length
    if shapely.get_num_coordinates(polygon) > AT_MOST:
        plain = polygon.simplify(FLAT * thick)
        polygon = plain if isinstance(plain, shapely.Polygon) and plain.is_valid else polygon
    around = polygon.length
    fine = shapely.segmentize(polygon, max(thick, around / AT_MOST))
    flat = shapely.get_coordinates(shapely.get_parts(shapely.constrained_delaunay_triangles(fine)))
    corners, index = np.unique(
        np.round(flat.reshape(-1, 4, 2)[:, :3].reshape(-1, 2), 12), axis=0, return_inverse=True
    )
    t = index.reshape(-1, 3).astype(np.int64)
    u, v = corners[t[:, 1]] - corners[t[:, 0]], corners[t[:, 2]] - corners[t[:, 0]]
    twice = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    t = t[np.abs(twice) > 1e-14 * polygon.area]
    t = np.where((twice[np.abs(twice) > 1e-14 * polygon.area] < 0)[:, None], t[:, [0, 2, 1]], t)
    corners, t = _halved(corners, t)  # four of each: constrained triangles have no point inside
    points, middle = _middles(corners, t)
    return points, np.hstack([t, middle])


def _middles(points: Array, t: NDArray[np.int64]) -> tuple[Array, NDArray[np.int64]]:
    """The points with the middles of all sides added, and the number of the middle of each triangle's sides
    01, 12, 20."""
    sides = np.sort(t[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    unique, number = np.unique(sides, axis=0, return_inverse=True)
    return np.vstack([points, points[unique].mean(axis=1)]), len(points) + number.reshape(-1, 3).astype(
        np.int64
    )


def _halved(points: Array, t: NDArray[np.int64]) -> tuple[Array, NDArray[np.int64]]:
    more, m = _middles(points, t)
    a, b, c = t.T
    ab, bc, ca = m.T
    return more, np.vstack(
        [np.column_stack(s) for s in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))]
    )


def _functions() -> tuple[Array, Array]:
    """Values (q, 6) and slopes (q, 6, 2) of the six functions at the points of integration."""
    r, s = AT.T
    t = 1 - r - s
    none = np.zeros_like(r)
    values = [t * (2 * t - 1), r * (2 * r - 1), s * (2 * s - 1), 4 * t * r, 4 * r * s, 4 * s * t]
    by_r = [1 - 4 * t, 4 * r - 1, none, 4 * (t - r), 4 * s, -4 * s]
    by_s = [1 - 4 * t, none, 4 * s - 1, -4 * r, 4 * r, 4 * (t - s)]
    return np.stack(values, axis=1), np.stack([np.stack(by_r, axis=1), np.stack(by_s, axis=1)], axis=2)
