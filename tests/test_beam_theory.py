"""Single members against closed forms.

Sources: Roark's Formulas for Stress and Strain, 7th edition, table 8.1 (beams); Timoshenko, Strength of
Materials, part I (shear deflection of beams). Tolerance 1e-9 throughout: the element is exact for these
loads."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.frame.shape import between_ends, member_shapes
from rod_tally.analysis.solve.factor import pypardiso
from rod_tally.model import LoadCase, Member, MemberLoad, NodeLoad, Release, Support
from rod_tally.model.entities.loads import GRAVITY
from rod_tally.model.settings import RunSettings

from .frames import FLEXIBLE, PLAIN, TILTED, E, G, beam, frame, line_load
from .verification import verified

TOL = 1e-9
L, Q, P = 6.0, 10e3, 25e3
EI = E * PLAIN.iy
SOLVERS = ["scipy"] + (["pardiso"] if pypardiso is not None else [])
PINNED, ROLLER, FIXED = "ux uy uz rx", "uy uz", "fixed"


def forces(model: object, member: str = "m0", case: int = 0) -> tuple[np.ndarray, np.ndarray]:
    r = run(model, RunSettings())  # type: ignore[arg-type]
    at = r.stations_of(member)
    return r.station_x[at], r.force[case, at]


def close(a: float, b: float, scale: float) -> bool:
    return abs(a - b) <= TOL * scale


@pytest.mark.parametrize("solver", SOLVERS)
def test_simply_supported_beam_under_uniform_load(solver: str) -> None:
    """M = q L^2 / 8 at midspan with tension below (my negative), V = q L / 2, w = 5 q L^4 / 384 EI."""
    m = beam(L, PINNED, ROLLER)
    line_load(m, "m0", (0, 0, -Q))
    r = run(m, RunSettings(), solver=solver)
    at = r.stations_of("m0")
    f = r.force[0, at]
    middle = len(at) // 2
    assert close(f[middle, 4], -Q * L**2 / 8, Q * L**2)
    assert close(f[0, 2], -Q * L / 2, Q * L) and close(f[-1, 2], Q * L / 2, Q * L)
    assert f[0, 4] == 0.0 and f[-1, 4] == 0.0
    shape = member_shapes(m, r, "q", 13)
    assert shape.displacement[0, 6, 2] == pytest.approx(-5 * Q * L**4 / (384 * EI), rel=1e-6)


def test_clamped_beam_under_uniform_load() -> None:
    """q L^2 / 12 at the ends, q L^2 / 24 at midspan."""
    m = beam(L, FIXED, FIXED)
    line_load(m, "m0", (0, 0, -Q))
    _, f = forces(m)
    assert close(f[0, 4], Q * L**2 / 12, Q * L**2)
    assert close(f[len(f) // 2, 4], -Q * L**2 / 24, Q * L**2)


def test_propped_cantilever() -> None:
    """q L^2 / 8 at the clamp, 3 q L / 8 at the prop."""
    m = beam(L, FIXED, ROLLER)
    line_load(m, "m0", (0, 0, -Q))
    x, f = forces(m)
    assert close(f[0, 4], Q * L**2 / 8, Q * L**2)
    assert close(f[-1, 2], 3 * Q * L / 8, Q * L)
    assert np.allclose(f[:, 4], Q * L**2 / 8 - 5 * Q * L / 8 * x + Q * x**2 / 2, atol=TOL * Q * L**2)


@pytest.mark.parametrize("a", [1.0, 2.5, 5.9])
def test_concentrated_load_within_the_length_of_a_clamped_beam(a: float) -> None:
    """Ends P a b^2 / L^2 and P a^2 b / L^2; both sides of the load are stations."""
    b = L - a
    m = beam(L, FIXED, FIXED)
    line_load(m, "m0", (0, 0, -P), a=a, b=a)
    x, f = forces(m)
    assert close(f[0, 4], P * a * b**2 / L**2, P * L)
    assert close(f[-1, 4], P * a**2 * b / L**2, P * L)
    at = np.flatnonzero(np.abs(x - a) < 1e-9)
    assert len(at) >= 2
    assert close(f[at[-1], 2] - f[at[0], 2], P, P)
    assert f[:, 4].min() == pytest.approx(-2 * P * a**2 * b**2 / L**3, rel=1e-9)


def test_linearly_varying_load_on_a_clamped_beam() -> None:
    """From 0 at the start to q at the end: q L^2 / 30 and q L^2 / 20."""
    m = beam(L, FIXED, FIXED)
    line_load(m, "m0", (0, 0, 0), (0, 0, -Q))
    _, f = forces(m)
    assert close(f[0, 4], Q * L**2 / 30, Q * L**2)
    assert close(f[-1, 4], Q * L**2 / 20, Q * L**2)


def test_partial_uniform_load_on_a_simple_beam() -> None:
    """Over [a, b] only: reactions by the lever rule, moment under the load a parabola."""
    a, b = 1.0, 3.0
    m = beam(L, PINNED, ROLLER)
    line_load(m, "m0", (0, 0, -Q), a=a, b=b)
    x, f = forces(m)
    left = Q * (b - a) * (L - (a + b) / 2) / L
    expected = -(left * x - Q * np.clip(x - a, 0, None) ** 2 / 2 + Q * np.clip(x - b, 0, None) ** 2 / 2)
    assert np.allclose(f[:, 4], expected, atol=TOL * Q * L**2)


def test_end_moment_within_the_length() -> None:
    """A moment M0 at a of a simple beam: reactions M0 / L, jump M0 in the diagram."""
    a, m0 = 2.0, 30e3
    m = beam(L, PINNED, ROLLER)
    line_load(m, "m0", (0, m0, 0), a=a, b=a, kind="moment")
    x, f = forces(m)
    at = np.flatnonzero(np.abs(x - a) < 1e-9)
    assert close(abs(f[0, 2]), m0 / L, m0)
    assert close(f[at[-1], 4] - f[at[0], 4], -m0, m0)


def test_distributed_moment_is_carried_exactly() -> None:
    """A uniform moment m per metre on a cantilever: M = -m (L - x) on the cut's far side, no shear."""
    m = beam(L, FIXED, "")
    line_load(m, "m0", (0, 5e3, 0), kind="moment")
    x, f = forces(m)
    assert np.allclose(f[:, 4], 5e3 * (L - x), atol=1e-6)
    assert np.allclose(f[:, 2], 0, atol=1e-6)


def test_shear_flexible_cantilever() -> None:
    """Tip P L^3 / 3 EI + P L / G A_v, as long as the section says so; the setting takes shear out."""
    m = beam(L, FIXED, "", section=FLEXIBLE)
    m.cases["p"] = LoadCase("p", "live", node_loads=[NodeLoad("n1", (0, 0, -P))])
    r = run(m, RunSettings())
    bending, shear = P * L**3 / (3 * E * FLEXIBLE.iy), P * L / (G * FLEXIBLE.avz)
    assert -r.displacement[0, 1, 2] == pytest.approx(bending + shear, rel=TOL)
    assert member_shapes(m, r, "p").displacement[0, -1, 2] == pytest.approx(-(bending + shear), rel=1e-9)
    stiff = run(m, RunSettings(shear_flexible=False))
    assert -stiff.displacement[0, 1, 2] == pytest.approx(bending, rel=TOL)


def test_shear_flexible_simple_beam_between_its_ends() -> None:
    """Midspan 5 q L^4 / 384 EI + q L^2 / 8 G A_v."""
    m = beam(L, PINNED, ROLLER, section=FLEXIBLE)
    line_load(m, "m0", (0, 0, -Q))
    r = run(m, RunSettings())
    w = -member_shapes(m, r, "q", 33).displacement[0, 16, 2]
    assert w == pytest.approx(
        5 * Q * L**4 / (384 * E * FLEXIBLE.iy) + Q * L**2 / (8 * G * FLEXIBLE.avz), rel=1e-6
    )


def test_axial_bar_under_its_own_weight() -> None:
    """Hanging bar: N = w (L - x) from the support down, elongation w L^2 / 2 EA."""
    m = frame([(0, 0, 5), (0, 0, 0)], [(0, 1)], {0: FIXED})
    m.cases["w"] = LoadCase("w", "dead", (0, 0, -1))
    r = run(m, RunSettings())
    w = 7850 * PLAIN.area * GRAVITY
    x = r.station_x
    assert np.allclose(r.force[0, :, 0], w * (5 - x), rtol=TOL, atol=1e-6)
    assert r.displacement[0, 1, 2] == pytest.approx(-w * 25 / (2 * E * PLAIN.area), rel=TOL)


def test_torsion_of_a_shaft() -> None:
    """Twist T L / G J."""
    m = beam(L, FIXED, "")
    m.cases["t"] = LoadCase("t", "live", node_loads=[NodeLoad("n1", moment=(2e3, 0, 0))])
    r = run(m, RunSettings())
    assert r.displacement[0, 1, 3] == pytest.approx(2e3 * L / (G * PLAIN.j), rel=TOL)
    assert np.allclose(r.force[0, :, 3], 2e3, rtol=TOL)


def test_both_ends_pinned_by_releases_give_a_simple_beam() -> None:
    m = beam(L, FIXED, FIXED, releases={0: ("my mz", "my mz")})
    line_load(m, "m0", (0, 0, -Q))
    _, f = forces(m)
    assert f[0, 4] == 0.0 and f[-1, 4] == 0.0
    assert close(f[len(f) // 2, 4], -Q * L**2 / 8, Q * L**2)


@pytest.mark.parametrize("k", [1e2, 1e5, 1e8, 1e13])
def test_rotational_spring_at_an_end(k: float) -> None:
    """Both ends sprung: M = q L^2 / 12 / (1 + 2 EI / k L), between the pinned and the clamped beam."""
    m = beam(L, FIXED, FIXED)
    sprung = Release.of(f"my={k}")
    m.members["m0"].release_start = m.members["m0"].release_end = sprung
    line_load(m, "m0", (0, 0, -Q))
    _, f = forces(m)
    expected = Q * L**2 / 12 / (1 + 2 * EI / (k * L))
    assert f[0, 4] == pytest.approx(expected, rel=1e-8)
    assert f[-1, 4] == pytest.approx(expected, rel=1e-8)


def test_spring_support_settles_by_its_reaction() -> None:
    """A simple beam on a spring: it goes down by R / k."""
    m = beam(L, PINNED, "uy uz=5e6")
    line_load(m, "m0", (0, 0, -Q))
    r = run(m, RunSettings())
    assert r.displacement[0, 1, 2] == pytest.approx(-Q * L / 2 / 5e6, rel=TOL)
    assert r.reaction[0, 1, 2] == pytest.approx(Q * L / 2, rel=TOL)


def test_turned_support_rolls_along_its_own_plane() -> None:
    """A bar along x on a roller turned by 45 degrees about y: pulled down, it slides along the plane."""
    c = np.sqrt(0.5)
    m = beam(L, "fixed", "", releases={0: ("my mz", "")})
    m.nodes["n1"].support = Support.of("uy uz rx rz", axes=((c, 0, -c), (0, 1, 0), (c, 0, c)))
    m.cases["p"] = LoadCase("p", "live", node_loads=[NodeLoad("n1", (0, 0, -P))])
    r = run(m, RunSettings())
    u, reaction = r.displacement[0, 1, :3], r.reaction[0, 1, :3]
    assert u[0] == pytest.approx(-u[2], rel=1e-9)  # along (1, 0, -1)
    assert reaction[0] == pytest.approx(reaction[2], rel=1e-9)  # along (1, 0, 1)
    assert max(e.residual for e in r.equilibrium) < 1e-9


def test_rigid_end_offsets_shorten_a_clamped_beam() -> None:
    """Rigid pieces of 0.5 m at both ends: the moment at the node is that of the clear span plus V times the
    piece."""
    clear = L - 1.0
    m = beam(L, FIXED, FIXED)
    m.members["m0"].offset_start = np.array([0.5, 0, 0])
    m.members["m0"].offset_end = np.array([-0.5, 0, 0])
    line_load(m, "m0", (0, 0, -Q), b=clear)
    r = run(m, RunSettings())
    assert r.force[0, 0, 4] == pytest.approx(Q * clear**2 / 12, rel=TOL)
    assert -r.reaction[0, 0, 4] == pytest.approx(Q * clear**2 / 12 + Q * clear / 2 * 0.5, rel=TOL)


def test_eccentric_axial_force_bends() -> None:
    """A bar 0.2 m above its nodes pulled by N: constant moment N e along it."""
    m = beam(L, FIXED, "")
    m.members["m0"].offset_start = m.members["m0"].offset_end = np.array([0, 0, 0.2])
    m.cases["n"] = LoadCase("n", "live", node_loads=[NodeLoad("n1", (P, 0, 0))])
    r = run(m, RunSettings())
    assert np.allclose(r.force[0, :, 0], P, rtol=TOL)
    assert np.allclose(np.abs(r.force[0, :, 4]), P * 0.2, rtol=TOL)


def test_local_projected_and_global_loads_on_a_slope() -> None:
    """On a 45 degree slope: true length, projected length, and a pressure across the member."""

    def total(**kw: object) -> np.ndarray:
        m = frame([(0, 0, 0), (4, 0, 4)], [(0, 1)], {0: FIXED})
        line_load(m, "m0", (0, 0, -Q), **kw)
        return run(m, RunSettings()).applied["q"]

    length = 4 * np.sqrt(2)
    assert total() == pytest.approx([0, 0, -Q * length])
    assert total(projected=True) == pytest.approx([0, 0, -Q * 4])
    assert total(local=True) == pytest.approx([Q * 4, 0, -Q * 4])


def test_unsymmetric_bending() -> None:
    """A cantilever with a product of inertia: w = P L^3 Iz / 3 E (Iy Iz - Iyz^2), v = w Iyz / Iz (Roark,
    unsymmetric)."""
    m = beam(L, FIXED, "", section=TILTED)
    m.cases["p"] = LoadCase("p", "live", node_loads=[NodeLoad("n1", (0, 0, -P))])
    r = run(m, RunSettings())
    s = TILTED
    d = s.iy * s.iz - s.iyz**2
    axes = m.members["m0"].axes(m.line(m.members["m0"]))
    u = axes @ r.displacement[0, 1, :3]
    load = axes @ np.array([0, 0, -P])
    w = load[2] * L**3 / (3 * E) * s.iz / d
    v = -load[2] * L**3 / (3 * E) * s.iyz / d
    assert u[2] == pytest.approx(w, rel=1e-9)
    assert u[1] == pytest.approx(v, rel=1e-9)
    assert r.force[0, 0, 4] == pytest.approx(P * L, rel=1e-9)
    assert abs(r.force[0, 0, 5]) < 1e-6


def test_joints_inside_a_member_change_nothing() -> None:
    """Splitting for analysis: a member with joints nobody uses gives the same forces at the same places."""
    from rod_tally.model import Joint, Node

    m = beam(L, FIXED, ROLLER, section=FLEXIBLE)
    line_load(m, "m0", (0, 0, -Q), (0, 2e3, -2 * Q), a=0.7, b=5.1)
    line_load(m, "m0", (0, 0, -P), a=2.0, b=2.0)
    x0, f0 = forces(m)
    for k, d in enumerate((1.3, 2.0, 4.4)):
        m.nodes[f"j{k}"] = Node(f"j{k}", np.array([d, 0, 0.0]))
        m.members["m0"].joints.append(Joint(d, f"j{k}"))
    x1, f1 = forces(m)
    for x, f in zip(x0, f0):
        near = np.flatnonzero(np.abs(x1 - x) < 1e-9)
        assert len(near) and np.abs(f1[near] - f).min(axis=0).max() < 1e-6 * P * L
    assert isinstance(m.members["m0"], Member) and len(m.members) == 1


def test_continuous_beam_of_three_equal_spans() -> None:
    """Support moments q L^2 / 10 (three-moment equation, Timoshenko)."""
    points = [(0, 0, 0), (L, 0, 0), (2 * L, 0, 0), (3 * L, 0, 0)]
    m = frame(points, [(0, 1), (1, 2), (2, 3)], {0: PINNED, 1: ROLLER, 2: ROLLER, 3: ROLLER})
    for k in range(3):
        line_load(m, f"m{k}", (0, 0, -Q))
    r = run(m, RunSettings())
    for member in ("m0", "m1"):
        got = r.force[0, r.stations_of(member)[-1], 4] / (Q * L**2)
        verified(
            "three equal spans, support moment / q L^2", "three-moment equation, Timoshenko", got, 0.1, TOL
        )


def test_fixed_portal_frame_under_uniform_load() -> None:
    """Kleinlogel, Rigid Frame Formulas, frame with fixed feet: k = I2 h / I1 l, N1 = k + 2, corner q l^2 / 6
    N1, foot half.

    Axial deformation is left out of the book, so the tolerance is 1 %.
    """
    h, span = 4.0, 6.0
    m = frame([(0, 0, 0), (0, 0, h), (span, 0, h), (span, 0, 0)], [(0, 1), (1, 2), (3, 2)], {0: FIXED, 3: FIXED},
              z=None)  # fmt: skip
    for i in ("m0", "m2"):
        m.members[i].z_axis = np.array([1.0, 0, 0])
    line_load(m, "m1", (0, 0, -Q))
    r = run(m, RunSettings())
    k = h / span
    corner = Q * span**2 / (6 * (k + 2))
    at = r.stations_of("m0")
    assert abs(r.force[0, at[-1], 4]) == pytest.approx(corner, rel=1e-2)
    assert abs(r.force[0, at[0], 4]) == pytest.approx(corner / 2, rel=1e-2)


def test_a_load_past_no_member_is_not_lost_silently() -> None:
    """A load on a member left out of the run shows as lost in the results."""
    m = frame([(0, 0, 0), (L, 0, 0), (0, 5, 0), (L, 5, 0)], [(0, 1), (2, 3)], {0: FIXED})
    line_load(m, "m1", (0, 0, -Q))
    r = run(m, RunSettings())
    assert r.lost["q"] == pytest.approx([0, 0, -Q * L])
    assert r.left_out == {"m1": "it is joined to no support"}


def test_member_load_values_are_finite_for_a_tiny_piece() -> None:
    m = beam(L, FIXED, FIXED)
    m.cases["q"] = LoadCase(
        "q", "live", member_loads=[MemberLoad("m0", 3.0, 3.0 + 1e-7, (0, 0, -Q), (0, 0, -Q))]
    )
    r = run(m, RunSettings())
    assert np.isfinite(r.force).all()
    assert r.applied["q"][2] == pytest.approx(-Q * 1e-7, rel=1e-6)


def test_shape_of_a_beam_with_sprung_and_released_ends() -> None:
    """Sprung at one end, pinned at the other: the drawn shape starts with the spring's turn and ends at zero.

    M0 = (q L^2 / 8) / (1 + 3 EI / k L) at the sprung end; its own rotation is M0 / k.
    """
    k = 4e6
    m = beam(L, FIXED, FIXED)
    m.members["m0"].release_start = Release.of(f"my={k}")
    m.members["m0"].release_end = Release.of("my")
    line_load(m, "m0", (0, 0, -Q))
    r = run(m, RunSettings())
    m0 = Q * L**2 / 8 / (1 + 3 * EI / (k * L))
    assert r.force[0, 0, 4] == pytest.approx(m0, rel=1e-9)
    u = member_shapes(m, r, "q", 201).displacement[0, :, 2]
    step = L / 200
    slope = (-3 * u[0] + 4 * u[1] - u[2]) / (2 * step)
    assert -slope == pytest.approx(m0 / k, rel=1e-3)
    assert u[0] == 0 and abs(u[-1]) < 1e-12 and u.min() < -1e-3


def test_shape_of_an_unsymmetric_section_agrees_with_its_pieces() -> None:
    """One member's shape at midspan is the displacement of a node put there."""
    whole = beam(L, FIXED, "", section=TILTED)
    split = frame([(0, 0, 0), (L / 2, 0, 0), (L, 0, 0)], [(0, 1), (1, 2)], {0: FIXED}, section=TILTED)
    line_load(whole, "m0", (0, 300, -Q))
    line_load(split, "m0", (0, 300, -Q))
    line_load(split, "m1", (0, 300, -Q))
    shape = member_shapes(whole, run(whole, RunSettings()), "q", 17).displacement[0, 8]
    node = run(split, RunSettings()).displacement[0, 1, :3]
    assert shape == pytest.approx(node, rel=1e-6, abs=1e-9)


def test_displacement_between_the_ends_is_that_of_a_simple_beam_whatever_its_ends_do() -> None:
    """5 q L^4 / 384 E I between ends that stand on unlike springs and so move (any handbook); zero at both
    ends."""
    m = beam(6.0, "ux uy uz=2e6 rx", "ux uy uz=5e5")
    line_load(m, "m0", (0, 0, -4e3))
    settings = RunSettings()
    settings.shear_flexible = False
    r = run(m, settings)
    own = between_ends(member_shapes(m, r, "q", 13, False), 0, m.members["m0"].axes(m.line(m.members["m0"])))
    assert own[[0, -1], 2] == pytest.approx([0, 0], abs=1e-12) and own[6, 0] == pytest.approx(3.0)
    assert own[6, 2] == pytest.approx(-5 * 4e3 * 6**4 / (384 * E * PLAIN.iy), rel=1e-9)
