"""Flat shell elements: quadrilaterals and triangles with membrane (drilling included) and bending without
shear locking.

Membrane: corner rotations about the normal bend the edges (Allman 1984; for quadrilaterals Ibrahimbegovic,
Taylor and Wilson 1990) and are tied to the true rotation of the plane by a penalty of G (Hughes and Brezzi
1989). Bending: quadrilaterals with shear strains taken at the middles of their edges (Bathe and Dvorkin
1985), triangles likewise (Lee and Bathe 2004) with their shear stiffness bounded for slender ones (Lyly,
Stenberg and Vihinen 1993)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...model.geometry.vectors import Array

G2 = 1 / np.sqrt(3.0)
QUAD_POINTS = np.array([(-G2, -G2), (G2, -G2), (G2, G2), (-G2, G2)])
TRIANGLE_POINTS = np.array([(1 / 6, 1 / 6), (2 / 3, 1 / 6), (1 / 6, 2 / 3)])
CORNERS = np.array([(-1.0, -1.0), (1, -1), (1, 1), (-1, 1)])
SLENDER = 0.1  # of Lyly, Stenberg and Vihinen: t^2 / (t^2 + 0.1 h^2) bounds a triangle's shear stiffness
SHEAR = 5 / 6  # of a rectangular section


@dataclass(slots=True)
class Layer:
    """Isotropic plates of elements (E,): Young's modulus (Pa), Poisson's ratio, shear modulus (Pa), thickness
    (m)."""

    e: Array
    nu: Array
    g: Array
    t: Array

    @property
    def membrane(self) -> Array:
        """(E, 3, 3) from strains xx yy xy to forces a metre."""
        f = self.e * self.t / (1 - self.nu**2)
        out = np.zeros((len(f), 3, 3))
        out[:, 0, 0] = out[:, 1, 1] = f
        out[:, 0, 1] = out[:, 1, 0] = f * self.nu
        out[:, 2, 2] = self.g * self.t
        return out

    @property
    def bending(self) -> Array:
        """(E, 3, 3) from curvatures to moments a metre."""
        return self.membrane * (self.t**2 / 12)[:, None, None]


@dataclass(slots=True)
class Frames:
    """Local axes (E, 3, 3) as rows of flat elements, and their corners in them (E, n, 2)."""

    axes: Array
    flat: Array


def frames_of(xyz: Array) -> Frames:
    """Return the axes of elements with corners (E, n, 3): z normal to the element (to both diagonals of a
    quadrilateral), x along its first edge."""
    n = xyz.shape[1]
    a, b = (
        (xyz[:, 2] - xyz[:, 0], xyz[:, 3] - xyz[:, 1])
        if n == 4
        else (xyz[:, 1] - xyz[:, 0], xyz[:, 2] - xyz[:, 0])
    )
    z = np.cross(a, b)
    z /= np.linalg.norm(z, axis=1)[:, None]
    x = xyz[:, 1] - xyz[:, 0]
    x -= np.einsum("ei,ei->e", x, z)[:, None] * z
    x /= np.linalg.norm(x, axis=1)[:, None]
    axes = np.stack([x, np.cross(z, x), z], axis=1)
    rel = xyz - xyz.mean(axis=1, keepdims=True)
    return Frames(axes, np.einsum("eij,enj->eni", axes[:, :2], rel))


def quad_shape(xi: float, eta: float) -> tuple[Array, Array]:
    """Bilinear functions (4,) and their derivatives (2, 4)."""
    n = (1 + CORNERS[:, 0] * xi) * (1 + CORNERS[:, 1] * eta) / 4
    d = np.array([CORNERS[:, 0] * (1 + CORNERS[:, 1] * eta), CORNERS[:, 1] * (1 + CORNERS[:, 0] * xi)]) / 4
    return n, d


def triangle_shape(r: float, s: float) -> tuple[Array, Array]:
    return np.array([1 - r - s, r, s]), np.array([[-1.0, 1, 0], [-1, 0, 1]])


def _edge_functions(n: int, xi: float, eta: float) -> tuple[Array, Array]:
    """Quadratic functions of the edges i, i+1 (n,), one at the edge's middle, and their derivatives (2,
    n)."""
    if n == 3:
        v, d = triangle_shape(xi, eta)
        j = [1, 2, 0]
        return 4 * v * v[j], 4 * (d * v[j] + v * d[:, j])
    f = (
        np.array(
            [
                (1 - xi * xi) * (1 - eta),
                (1 + xi) * (1 - eta * eta),
                (1 - xi * xi) * (1 + eta),
                (1 - xi) * (1 - eta * eta),
            ]
        )
        / 2
    )
    d = np.array(
        [
            [-2 * xi * (1 - eta), 1 - eta * eta, -2 * xi * (1 + eta), -(1 - eta * eta)],
            [-(1 - xi * xi), -2 * eta * (1 + xi), 1 - xi * xi, -2 * eta * (1 - xi)],
        ]
    )
    return f, d / 2


def _points(n: int) -> tuple[Array, float]:
    return (QUAD_POINTS, 1.0) if n == 4 else (TRIANGLE_POINTS, 1 / 6)


def _local(flat: Array, d: Array) -> tuple[Array, Array]:
    """Derivatives along x and y (E, 2, n) from those along the element's own coordinates, and the Jacobian
    (E,)."""
    j = np.einsum("kn,eni->eki", d, flat)
    det = j[:, 0, 0] * j[:, 1, 1] - j[:, 0, 1] * j[:, 1, 0]
    inverse = np.empty_like(j)
    inverse[:, 0, 0], inverse[:, 1, 1] = j[:, 1, 1] / det, j[:, 0, 0] / det
    inverse[:, 0, 1], inverse[:, 1, 0] = -j[:, 0, 1] / det, -j[:, 1, 0] / det
    return np.einsum("eik,kn->ein", inverse, d), det


def membrane_b(flat: Array, xi: float, eta: float) -> tuple[Array, Array, Array]:
    """Strains (E, 3, 3n) of u, v, rz at the corners, the difference between the plane's rotation and rz (E,
    3n), and the Jacobian (E,)."""
    e, n = flat.shape[:2]
    v, d = quad_shape(xi, eta) if n == 4 else triangle_shape(xi, eta)
    g, det = _local(flat, d)
    _, de = _edge_functions(n, xi, eta)
    ge, _ = _local_edge(flat, d, de)
    b, w = np.zeros((e, 3, 3 * n)), np.zeros((e, 3 * n))
    b[:, 0, 0::3], b[:, 1, 1::3] = g[:, 0], g[:, 1]
    b[:, 2, 0::3], b[:, 2, 1::3] = g[:, 1], g[:, 0]
    w[:, 0::3], w[:, 1::3] = -g[:, 1] / 2, g[:, 0] / 2
    w[:, 2::3] = -v
    for i in range(n):
        j = (i + 1) % n
        # the edge bends by (rz_j - rz_i) l / 8 along its normal, to the right of its direction
        dx, dy = flat[:, j, 0] - flat[:, i, 0], flat[:, j, 1] - flat[:, i, 1]
        nx, ny = dy / 8, -dx / 8
        for corner, sign in ((j, 1.0), (i, -1.0)):
            k = 3 * corner + 2
            b[:, 0, k] += sign * nx * ge[:, 0, i]
            b[:, 1, k] += sign * ny * ge[:, 1, i]
            b[:, 2, k] += sign * (nx * ge[:, 1, i] + ny * ge[:, 0, i])
            w[:, k] += sign * (ny * ge[:, 0, i] - nx * ge[:, 1, i]) / 2
    return b, w, det


def _local_edge(flat: Array, d: Array, de: Array) -> tuple[Array, Array]:
    j = np.einsum("kn,eni->eki", d, flat)
    det = j[:, 0, 0] * j[:, 1, 1] - j[:, 0, 1] * j[:, 1, 0]
    gx = (j[:, 1, 1, None] * de[0] - j[:, 0, 1, None] * de[1]) / det[:, None]
    gy = (-j[:, 1, 0, None] * de[0] + j[:, 0, 0, None] * de[1]) / det[:, None]
    return np.stack([gx, gy], axis=1), det


def bending_b(flat: Array, xi: float, eta: float) -> tuple[Array, Array]:
    """Curvatures (E, 3, 3n) of w, rx, ry at the corners, and the Jacobian; u = z ry, v = -z rx."""
    e, n = flat.shape[:2]
    _, d = quad_shape(xi, eta) if n == 4 else triangle_shape(xi, eta)
    g, det = _local(flat, d)
    b = np.zeros((e, 3, 3 * n))
    b[:, 0, 2::3] = g[:, 0]
    b[:, 1, 1::3] = -g[:, 1]
    b[:, 2, 2::3], b[:, 2, 1::3] = g[:, 1], -g[:, 0]
    return b, det


def shear_b(flat: Array, xi: float, eta: float) -> Array:
    """Shear strains xz, yz (E, 2, 3n) of w, rx, ry, taken at the middles of the edges and interpolated so
    that they do not lock."""
    n = flat.shape[1]

    def along(a: float, b: float, k: int) -> Array:
        """The strain w,k + rotation along the element's own direction k at a point."""
        v, d = quad_shape(a, b) if n == 4 else triangle_shape(a, b)
        t = np.einsum("n,eni->ei", d[k], flat)
        out = np.zeros((len(flat), 3 * n))
        out[:, 0::3] = d[k]
        # gamma_x = w,x + ry, gamma_y = w,y - rx
        out[:, 1::3] = -t[:, 1:2] * v
        out[:, 2::3] = t[:, 0:1] * v
        return out

    if n == 4:
        first = (1 - eta) / 2 * along(0, -1, 0) + (1 + eta) / 2 * along(0, 1, 0)
        second = (1 - xi) / 2 * along(-1, 0, 1) + (1 + xi) / 2 * along(1, 0, 1)
        _, d = quad_shape(xi, eta)
    else:
        r1, s2 = along(0.5, 0.0, 0), along(0.0, 0.5, 1)
        c = s2 - r1 - along(0.5, 0.5, 1) + along(0.5, 0.5, 0)
        first, second = r1 + c * eta, s2 - c * xi
        _, d = triangle_shape(xi, eta)
    j = np.einsum("kn,eni->eki", d, flat)
    det = (j[:, 0, 0] * j[:, 1, 1] - j[:, 0, 1] * j[:, 1, 0])[:, None]
    gx = (j[:, 1, 1, None] * first - j[:, 0, 1, None] * second) / det
    gy = (-j[:, 1, 0, None] * first + j[:, 0, 0, None] * second) / det
    return np.stack([gx, gy], axis=1)


def stiffness(frames: Frames, layer: Layer) -> Array:
    """Element stiffness (E, 6n, 6n) in local axes, order ux uy uz rx ry rz a corner."""
    flat = frames.flat
    e, n = flat.shape[:2]
    points, weight = _points(n)
    dm, db = layer.membrane, layer.bending
    shear = _shear(frames, layer)
    # strains of all points below each other, and the forces to them: one product of each kind makes the
    # stiffness
    membrane: list[tuple[Array, Array]] = []
    plate: list[tuple[Array, Array]] = []
    for xi, eta in points:
        b, w, det = membrane_b(flat, xi, eta)
        k = (det * weight)[:, None, None]
        membrane.append((b, _times(dm, b) * k))
        if n == 4:
            membrane.append((w[:, None], w[:, None] * k * (layer.g * layer.t)[:, None, None]))
        bb, _ = bending_b(flat, xi, eta)
        plate.append((bb, _times(db, bb) * k))
        bs = shear_b(flat, xi, eta)
        plate.append((bs, bs * k * shear[:, None, None]))
    if n == 3:  # at more than one point the rotations of a triangle would be tied too firmly
        _, w, det = membrane_b(flat, 1 / 3, 1 / 3)
        membrane.append((w[:, None], w[:, None] * (det / 2 * layer.g * layer.t)[:, None, None]))
    km, kb = (
        np.swapaxes(np.concatenate([s for s, _ in parts], axis=1), 1, 2)
        @ np.concatenate([f for _, f in parts], axis=1)
        for parts in (membrane, plate)
    )
    out = np.zeros((e, 6 * n, 6 * n))
    m = (6 * np.arange(n)[:, None] + np.array([0, 1, 5])).ravel()
    p = (6 * np.arange(n)[:, None] + np.array([2, 3, 4])).ravel()
    out[:, m[:, None], m] = km
    out[:, p[:, None], p] = kb
    return out


def _times(d: Array, b: Array) -> Array:
    """Isotropic stiffness (E, 3, 3) times strains (E, 3, k), row by row."""
    out = np.empty_like(b)
    along, across, shear = d[:, 0, 0, None], d[:, 0, 1, None], d[:, 2, 2, None]
    out[:, 0] = along * b[:, 0] + across * b[:, 1]
    out[:, 1] = across * b[:, 0] + along * b[:, 1]
    out[:, 2] = shear * b[:, 2]
    return out


def to_global(frames: Frames, k: Array) -> Array:
    """A symmetric stiffness (E, 6n, 6n) in global axes."""
    e, n = frames.flat.shape[:2]
    # displacements and rotations of every corner turn alike, so each three columns, and then each three rows,
    # by themselves
    right = (k.reshape(e, 12 * n * n, 3) @ frames.axes).reshape(e, 6 * n, 6 * n)
    flipped = np.ascontiguousarray(np.swapaxes(right, 1, 2)).reshape(e, 12 * n * n, 3)
    return np.asarray((flipped @ frames.axes).reshape(e, 6 * n, 6 * n))


def force_matrix(frames: Frames, layer: Layer, xi: float, eta: float) -> Array:
    """Matrices (E, 8, 6n) from global corner displacements to forces a metre nx ny nxy mx my mxy vx vy, in
    element axes, at a place of the elements' own coordinates. mx is positive when the face on the side of +z
    is in tension."""
    e, n = frames.flat.shape[:2]
    local = np.zeros((e, 8, n, 6))
    b, _, _ = membrane_b(frames.flat, xi, eta)
    bb, _ = bending_b(frames.flat, xi, eta)
    local[:, 0:3, :, [0, 1, 5]] = (layer.membrane @ b).reshape(e, 3, n, 3)
    local[:, 3:6, :, 2:5] = (layer.bending @ bb).reshape(e, 3, n, 3)
    local[:, 6:8, :, 2:5] = (_shear(frames, layer)[:, None, None] * shear_b(frames.flat, xi, eta)).reshape(
        e, 2, n, 3
    )
    # displacements and rotations of a corner turn alike
    return np.asarray(local.reshape(e, 8 * n * 2, 3) @ frames.axes).reshape(e, 8, 6 * n)


def forces_at(frames: Frames, layer: Layer, u: Array, xi: float, eta: float) -> Array:
    """Forces a metre (E, 8), as `force_matrix` gives them, from global corner displacements u (E, n, 6)."""
    return np.asarray(np.einsum("ecj,ej->ec", force_matrix(frames, layer, xi, eta), u.reshape(len(u), -1)))


def _shear(frames: Frames, layer: Layer) -> Array:
    """Shear stiffness (E,), bounded for slender triangles."""
    shear = SHEAR * layer.g * layer.t
    if frames.flat.shape[1] == 3:
        edges = np.linalg.norm(np.roll(frames.flat, -1, axis=1) - frames.flat, axis=2).max(axis=1)
        shear = shear * layer.t**2 / (layer.t**2 + SLENDER * edges**2)
    return np.asarray(shear)


def areas(xyz: Array) -> Array:
    """Areas (E,) of flat elements with corners (E, n, 3)."""
    a, b = (
        (xyz[:, 2] - xyz[:, 0], xyz[:, -1] - xyz[:, 1])
        if xyz.shape[1] == 4
        else (xyz[:, 1] - xyz[:, 0], xyz[:, 2] - xyz[:, 0])
    )
    return np.asarray(np.linalg.norm(np.cross(a, b), axis=1) / 2)
