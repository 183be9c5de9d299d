"""Shell elements: patch tests, MacNeal and Harder's set, plates of Timoshenko and Woinowsky-Krieger, the
Scordelis-Lo roof."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import Point
from shapely.geometry.polygon import orient

from rod_tally.analysis.shells.assembly import alike
from rod_tally.analysis.shells.elements import (
    G2,
    QUAD_POINTS,
    TRIANGLE_POINTS,
    Frames,
    Layer,
    areas,
    forces_at,
    frames_of,
    quad_shape,
    stiffness,
    to_global,
    triangle_shape,
)
from rod_tally.analysis.shells.loads import fans
from rod_tally.analysis.solve.blocks import BlockSum
from rod_tally.model.geometry.vectors import Array

from .verification import verified


def layer(n: int, e: float, nu: float, t: float) -> Layer:
    one = np.ones(n)
    return Layer(e * one, nu * one, e / 2 / (1 + nu) * one, t * one)


def even_load(xyz: Array) -> Array:
    """Share of an even pressure that each corner of flat elements takes (E, n), m2: the integrals of the
    shape functions."""
    f = frames_of(xyz).flat
    e, n = f.shape[:2]
    out = np.zeros((e, n))
    points, weight = (QUAD_POINTS, 1.0) if n == 4 else (TRIANGLE_POINTS, 1 / 6)
    for xi, eta in points:
        v, d = quad_shape(xi, eta) if n == 4 else triangle_shape(xi, eta)
        j = np.einsum("kn,eni->eki", d, f)
        out += (np.linalg.det(j) * weight)[:, None] * v
    return out


def grid(nx: int, ny: int, x: float, y: float, corners: int = 4) -> tuple[Array, Array]:
    """Nodes and elements of a rectangle, in quadrilaterals or in triangles."""
    gx, gy = np.meshgrid(np.linspace(0, x, nx + 1), np.linspace(0, y, ny + 1), indexing="ij")
    xyz = np.column_stack([gx.ravel(), gy.ravel(), np.zeros(gx.size)])
    at = np.arange(gx.size).reshape(nx + 1, ny + 1)
    q = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], axis=-1).reshape(-1, 4)
    return xyz, q if corners == 4 else np.concatenate([q[:, [0, 1, 2]], q[:, [0, 2, 3]]])


def solved(xyz: Array, q: Array, own: Layer, held: Array, force: Array) -> Array:
    """Displacements (N, 6) with some degrees of freedom held."""
    n = 6 * len(xyz)
    k = to_global(frames_of(xyz[q]), stiffness(frames_of(xyz[q]), own))
    dof = (q[:, :, None] * 6 + np.arange(6)).reshape(len(q), -1)
    whole = np.zeros((n, n))
    for d, part in zip(dof, k):
        whole[np.ix_(d, d)] += part
    free = np.setdiff1d(np.arange(n), held)
    u = np.zeros(n)
    u[free] = np.linalg.solve(whole[np.ix_(free, free)], force.ravel()[free])
    return u.reshape(-1, 6)


def corner_forces(frames: Frames, own: Layer, u: Array) -> Array:
    """Forces (E, n, 8) carried from integration points to corners; of triangles, in which moments are even,
    the points'."""
    n = frames.flat.shape[1]
    points = QUAD_POINTS if n == 4 else TRIANGLE_POINTS
    values = np.stack([forces_at(frames, own, u, xi, eta) for xi, eta in points], axis=1)
    carry = np.array([quad_shape(x / G2**2, y / G2**2)[0] for x, y in QUAD_POINTS]) if n == 4 else np.eye(3)
    return np.einsum("nk,ekc->enc", carry, values)


def dofs(nodes: Array, *which: int) -> Array:
    return np.concatenate([nodes * 6 + d for d in which])


# MacNeal and Harder (1985), patch test: 0.24 x 0.12, t 0.001, E 1e6, nu 0.25, inner nodes as printed
PATCH = np.array(
    [
        (0, 0, 0),
        (0.24, 0, 0),
        (0.24, 0.12, 0),
        (0, 0.12, 0),
        (0.04, 0.02, 0),
        (0.18, 0.03, 0),
        (0.16, 0.08, 0),
        (0.08, 0.08, 0),
    ]
)
PATCH_QUADS = np.array([(0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7), (4, 5, 6, 7)])


def patch_elements(corners: int) -> Array:
    return (
        PATCH_QUADS
        if corners == 4
        else np.concatenate([PATCH_QUADS[:, [0, 1, 2]], PATCH_QUADS[:, [0, 2, 3]]])
    )


def held_patch(q: Array, field: Array) -> Array:
    """Displacements with the four outer nodes moved as a field says and the inner ones free."""
    own = layer(len(q), 1e6, 0.25, 1e-3)
    k = to_global(frames_of(PATCH[q]), stiffness(frames_of(PATCH[q]), own))
    whole = np.zeros((48, 48))
    for d, part in zip((q[:, :, None] * 6 + np.arange(6)).reshape(len(q), -1), k):
        whole[np.ix_(d, d)] += part
    outer, inner = np.arange(24), np.arange(24, 48)
    u = field.ravel().copy()
    u[inner] = np.linalg.solve(whole[np.ix_(inner, inner)], -whole[np.ix_(inner, outer)] @ u[outer])
    return u.reshape(-1, 6)


@pytest.mark.parametrize("corners", [4, 3])
def test_membrane_patch(corners: int) -> None:
    """u = 1e-3 (x + y/2), v = 1e-3 (y + x/2): stresses 1333, 1333 and 400 everywhere (MacNeal and Harder,
    table 2)."""
    x, y = PATCH[:, 0], PATCH[:, 1]
    field = np.zeros((8, 6))
    field[:, 0], field[:, 1] = 1e-3 * (x + y / 2), 1e-3 * (y + x / 2)
    q = patch_elements(corners)
    u = held_patch(q, field)
    assert u == pytest.approx(field, abs=1e-15)
    f = corner_forces(frames_of(PATCH[q]), layer(len(q), 1e6, 0.25, 1e-3), u[q])
    stress = f[..., :3] / 1e-3
    assert stress[..., 0] + stress[..., 1] == pytest.approx(2 * 1333.3333, rel=1e-6)
    shear = np.sqrt(((stress[..., 0] - stress[..., 1]) / 2) ** 2 + stress[..., 2] ** 2)
    assert shear == pytest.approx(400.0, rel=1e-6)


@pytest.mark.parametrize("corners", [4, 3])
def test_bending_patch(corners: int) -> None:
    """w = 1e-3 (x^2 + xy + y^2)/2: moments 1.111e-7, 1.111e-7 and 3.333e-8 everywhere (MacNeal and Harder,
    table 2)."""
    x, y = PATCH[:, 0], PATCH[:, 1]
    field = np.zeros((8, 6))
    field[:, 2] = 1e-3 * (x**2 + x * y + y**2) / 2
    field[:, 3], field[:, 4] = 1e-3 * (y + x / 2), -1e-3 * (x + y / 2)
    q = patch_elements(corners)
    u = held_patch(q, field)
    assert u[:, 3:5] == pytest.approx(field[:, 3:5], abs=1e-12)
    f = corner_forces(frames_of(PATCH[q]), layer(len(q), 1e6, 0.25, 1e-3), u[q])
    assert f[..., 3] + f[..., 4] == pytest.approx(-2 * 1.1111e-7, rel=1e-4)
    twist = np.sqrt(((f[..., 3] - f[..., 4]) / 2) ** 2 + f[..., 5] ** 2)
    assert twist == pytest.approx(3.3333e-8, rel=1e-4)


@pytest.mark.parametrize("corners", [4, 3])
def test_only_rigid_motions_cost_nothing(corners: int) -> None:
    """Six zero eigenvalues, no more: no motion of its own without energy."""
    xyz = np.array([[[0, 0, 0], [2, 0.1, 0], [2.2, 1.5, 0], [-0.1, 1.2, 0.0]]])[:, :corners]
    value = np.linalg.eigvalsh(stiffness(frames_of(xyz), layer(1, 1e3, 0.3, 0.1))[0])
    assert (np.abs(value) < 1e-10 * value.max()).sum() == 6 and value.min() > -1e-10 * value.max()


@pytest.mark.parametrize(
    ("way", "exact", "low"),
    [(0, 3e-5, 0.99), (1, 0.1081, 0.90), (2, 0.4321, 0.97)],
    ids=["along", "in plane", "out of plane"],
)
def test_straight_cantilever_of_six_elements(way: int, exact: float, low: float) -> None:
    """MacNeal and Harder (1985), 6 x 0.2 x 0.1, E 1e7, nu 0.3, six rectangles, unit end load: table 3."""
    xyz, q = grid(6, 1, 6.0, 0.2)
    force = np.zeros((len(xyz), 6))
    tip, root = np.flatnonzero(xyz[:, 0] > 5.99), np.flatnonzero(xyz[:, 0] < 1e-9)
    force[tip, way] = 0.5
    u = solved(xyz, q, layer(len(q), 1e7, 0.3, 0.1), dofs(root, *range(6)), force)
    got = u[tip, way].mean()
    assert low <= got / exact <= 1.01
    name = ("pulled", "in its plane", "out of its plane")[way]
    verified(
        f"cantilever of six elements, {name}, tip",
        "MacNeal and Harder (1985), table 3",
        got,
        exact,
        1.01 - low,
    )


def plate(n: int, t: float, clamped: bool, corners: int) -> tuple[float, float]:
    """Deflection over q a^4 / D and moment over q a^2 in the middle of a square plate of side 1 under q =
    1."""
    xyz, q = grid(n, n, 1.0, 1.0, corners)
    own = layer(len(q), 10.92, 0.3, t)
    force = np.zeros((len(xyz), 6))
    np.add.at(force[:, 2], q.ravel(), even_load(xyz[q]).ravel())
    edge = np.flatnonzero((xyz[:, :2] < 1e-9).any(axis=1) | (xyz[:, :2] > 1 - 1e-9).any(axis=1))
    every = np.arange(len(xyz))
    held = [dofs(edge, 2), dofs(every, 0, 1, 5)] + ([dofs(edge, 3, 4)] if clamped else [])
    u = solved(xyz, q, own, np.unique(np.concatenate(held)), force)
    middle = int(np.linalg.norm(xyz[:, :2] - 0.5, axis=1).argmin())
    f = corner_forces(frames_of(xyz[q]), own, u[q])
    moment = f[..., 3][q == middle].mean() if corners == 4 else f[..., 3:5].mean(axis=-1)[q == middle].mean()
    return float(u[middle, 2] * 10.92 * t**3 / 12 / (1 - 0.09)), float(moment)


@pytest.mark.parametrize("corners", [4, 3])
@pytest.mark.parametrize(("clamped", "w", "m"), [(False, 0.00406, 0.0479), (True, 0.00126, 0.0231)])
def test_square_plates(corners: int, clamped: bool, w: float, m: float) -> None:
    """Timoshenko and Woinowsky-Krieger, Theory of Plates and Shells, tables 8 and 35: within 1 % and 4 % at
    16 x 16."""
    deflection, moment = plate(16, 0.01, clamped, corners)
    how = f"{'clamped' if clamped else 'simply supported'} square plate of {'quadrilaterals' if corners == 4 else 'triangles'}"
    source = f"Timoshenko and Woinowsky-Krieger, table {35 if clamped else 8}"
    verified(f"{how}, w D / q a^4 in the middle", source, deflection, w, 0.01)
    verified(f"{how}, m / q a^2 in the middle", source, moment, m, 0.04)


@pytest.mark.parametrize("corners", [4, 3])
def test_plates_do_not_lock_when_they_are_thin(corners: int) -> None:
    thick, thin = plate(8, 0.01, True, corners)[0], plate(8, 1e-4, True, corners)[0]
    assert thin == pytest.approx(thick, rel=0.01)


def test_deflection_converges_with_the_square_of_the_size() -> None:
    """Rate between 8 and 16 against the thin plate's series value 0.00126532 q a^4/D (from memory); at least
    1.7."""
    exact = 0.00126532
    error = [abs(plate(n, 1e-3, True, 4)[0] - exact) for n in (4, 8, 16)]
    assert np.log2(error[1] / error[2]) > 1.6 and error[2] < 0.01 * exact


def test_scordelis_lo_roof() -> None:
    """MacNeal and Harder (1985): R 25, L 50, 40 degrees, t 0.25, E 4.32e8, nu 0, 90 a unit area: 0.3024 at
    the free edge."""
    n = 8
    xyz, q = grid(n, n, 1.0, 1.0)
    angle, along = np.radians(40) * xyz[:, 0], 25.0 * xyz[:, 1]
    xyz = np.column_stack([25 * np.sin(angle), along, 25 * np.cos(angle)])
    force = np.zeros((len(xyz), 6))
    np.add.at(force[:, 2], q.ravel(), -90 * even_load(xyz[q]).ravel())
    end = np.flatnonzero(xyz[:, 1] < 1e-9)  # rigid diaphragm
    middle = np.flatnonzero(xyz[:, 1] > 25 - 1e-9)
    crown = np.flatnonzero(xyz[:, 0] < 1e-9)
    held = np.unique(np.concatenate([dofs(end, 0, 2), dofs(middle, 1, 3, 5), dofs(crown, 0, 4, 5)]))
    u = solved(xyz, q, layer(len(q), 4.32e8, 0.0, 0.25), held, force)
    edge = int(
        np.linalg.norm(xyz - [25 * np.sin(np.radians(40)), 25, 25 * np.cos(np.radians(40))], axis=1).argmin()
    )
    verified("Scordelis-Lo roof, free edge", "MacNeal and Harder (1985)", -u[edge, 2], 0.3024, 0.03)


def test_areas_of_distorted_elements() -> None:
    xyz, q = grid(3, 2, 4.0, 3.0)
    xyz[4, :2] += 0.3
    assert areas(xyz[q]).sum() == pytest.approx(12.0) and even_load(xyz[q]).sum(axis=1) == pytest.approx(
        areas(xyz[q])
    )


def test_blocks_sum_as_single_numbers_do() -> None:
    """Elements of two and of four nodes, some alike, against one sum of all their numbers (SciPy)."""
    rng = np.random.default_rng(2)
    two, four = rng.permutation(30).reshape(-1, 2)[:9], rng.permutation(30)[:28].reshape(-1, 4)
    like = np.array([0, 1, 0, 2, 1, 0, 0])
    k2, k4 = rng.standard_normal((9, 12, 12)), rng.standard_normal((3, 24, 24))
    total = BlockSum(30, [two, four])
    total.add(0, 0, np.arange(9), k2)
    total.add(1, 0, like[:3], k4)
    total.add(1, 3, like[3:], k4)
    dense = np.zeros((180, 180))
    for e, k in [*zip(two, k2), *zip(four, k4[like])]:
        dofs = (6 * e[:, None] + np.arange(6)).ravel()
        dense[np.ix_(dofs, dofs)] += k
    assert total.matrix().toarray() == pytest.approx(dense)


def test_only_elements_of_one_shape_and_layer_are_alike() -> None:
    """Equal to rounding far from the origin, not when a corner is a tenth of a micrometre off or the layer
    another."""
    square = np.array([0.0, 0, 1, 0, 1, 1, 0, 1])
    rows = np.array([square, square + 3e-14, square + [1e-7, 0, 0, 0, 0, 0, 0, 0], square])
    first, like = alike(rows, np.array([0, 0, 0, 1]))
    assert len(first) == 3 and like[0] == like[1] and len({*like.tolist()}) == 3


@given(
    st.lists(
        st.tuples(*[st.floats(-3, 3)] * 2, st.floats(0.3, 2.0), st.floats(0.0, 0.9)), min_size=1, max_size=4
    ),
    st.booleans(),
)
def test_fans_add_up_to_polygons_with_their_holes(
    rings: list[tuple[float, float, float, float]], backwards: bool
) -> None:
    """Area and first moments of each polygon, whichever way its rings run, are those of its triangles."""
    shapes = [Point(x, y).buffer(r, 3).difference(Point(x + 0.1, y).buffer(r * h, 2)) for x, y, r, h in rings]
    parts = shapely.get_parts(np.array(shapes, object))
    if backwards:
        parts = np.array([orient(p, -1.0) for p in parts], object)
    of, a, b, c, size = fans(parts)
    area = np.bincount(of, size, len(parts))
    assert area == pytest.approx(shapely.area(parts))
    middle = (a + b + c) / 3 * size[:, None]
    for k in (0, 1):
        wanted = shapely.get_coordinates(shapely.centroid(parts))[:, k] * shapely.area(parts)
        assert np.bincount(of, middle[:, k], len(parts)) == pytest.approx(wanted, abs=1e-9)
