"""Slabs and walls in a run, from outline to reactions and moments, against plate and beam theory."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import Results, run
from rod_tally.analysis.shells.fields import PlateFields
from rod_tally.model import (
    FIXED,
    AreaLoad,
    LineSupport,
    LoadCase,
    Member,
    Model,
    Node,
    NodeLoad,
    Section,
    SpaceLoad,
    Support,
    SurfaceJoint,
)
from rod_tally.model.entities.model import Storey
from rod_tally.model.geometry.vectors import Array
from rod_tally.model.settings import MeshSettings, RunSettings

from .plates import NU, E, plate_model, pressure, rectangle, shell


def computed(m: Model, size: float = 0.5, **kw: object) -> Results:
    r = run(m, RunSettings(**kw), meshing=MeshSettings(size))  # type: ignore[arg-type]
    assert all(e.residual < 1e-9 for e in r.equilibrium)
    return r


def at(m: Model, r: Results, place: tuple[float, float, float]) -> Array:
    """Forces a metre at a place of the only surface."""
    assert r.plates is not None
    fields = PlateFields(m, r.plates)
    values = fields.at_corners(r.displacement[0])
    near = np.linalg.norm(r.plates.points[fields.corners.node] - place, axis=1)
    return np.asarray(values[int(near.argmin())])


def rigidity(t: float) -> float:
    return E * t**3 / 12 / (1 - NU**2)


# Timoshenko and Woinowsky-Krieger, Theory of Plates and Shells (1959), tables 8 and 35: deflection over q a^4
# / D in the middle, and moments over q a^2 at the middles of the clamped edges, for sides b / a.
@pytest.mark.parametrize(
    ("b", "edges", "deflection", "long", "short"),
    [
        (1.0, "pinned", 0.00406, 0.0, 0.0),
        (1.5, "pinned", 0.00772, 0.0, 0.0),
        (1.0, "fixed", 0.00126, 0.0513, 0.0513),
        (1.5, "fixed", 0.00220, 0.0757, 0.0570),
    ],
)
def test_plates_on_line_supports(b: float, edges: str, deflection: float, long: float, short: float) -> None:
    """Deflection within 1 %, clamping moments within 2 % of the tables at 24 elements a side."""
    a, t, q = 6.0, 0.06, 1000.0
    m = plate_model()
    shell(m, "s", rectangle(a, a * b), t, edges=edges)
    pressure(m, "s", q)
    r = computed(m, 0.25)
    found = r.largest_displacement(0)
    assert found is not None
    assert found[1] * rigidity(t) / q / a**4 == pytest.approx(deflection, rel=0.01)
    # what hogs has tension on top: positive with z up
    assert at(m, r, (0, a * b / 2, 0))[3] / q / a**2 == pytest.approx(long, rel=0.02, abs=4e-4)
    assert at(m, r, (a / 2, 0, 0))[4] / q / a**2 == pytest.approx(short, rel=0.02, abs=4e-4)


def test_clamping_moments_converge_faster_than_linearly() -> None:
    """The recovered moment at a clamped edge closes in on 0.0513 q a^2 (Timoshenko, table 35) at a rate above
    1.5."""
    errors = []
    for size in (0.5, 0.25):
        m = plate_model()
        shell(m, "s", rectangle(6, 6), 0.06, edges="fixed")
        pressure(m, "s", 1000.0)
        errors.append(abs(at(m, computed(m, size), (0, 3, 0))[3] / 36e3 - 0.0513))
    assert np.log2(errors[0] / errors[1]) > 1.5


def test_reactions_of_a_held_outline_carry_all_of_the_load() -> None:
    m = plate_model()
    shell(
        m, "s", rectangle(6, 4), 0.2, openings=[[(1, 1, 0), (2, 1, 0), (2, 2, 0), (1, 2, 0)]], edges="pinned"
    )
    pressure(m, "s", 5000.0)
    r = computed(m)
    assert r.reaction[0][:, 2].sum() == pytest.approx(23 * 5000.0)
    assert r.equilibrium[0].applied[3:5] == pytest.approx([-5000 * (48 - 1.5), 5000 * (72 - 1.5)])


def test_loads_on_a_part_in_a_line_and_at_a_point_keep_force_and_moment() -> None:
    m = plate_model()
    s = shell(m, "s", rectangle(6, 4), 0.2, edges="pinned")
    c = m.cases.setdefault("q", LoadCase("q", "live"))
    part = np.array([(0.63, 0.41, 0), (2.17, 0.41, 0), (2.17, 1.13, 0), (0.63, 1.13, 0)])
    c.area_loads.append(AreaLoad(s.id, ((0, 0, -1000.0),), outline=part))
    c.space_loads.append(SpaceLoad(np.array([(0.3, 0.7, 0), (5.1, 3.3, 0)]), (0, 0, -100.0), (0, 0, -300.0)))
    c.space_loads.append(SpaceLoad(np.array([(4.37, 1.21, 0)]), (0, 0, -5000.0), (0, 0, 0)))
    r = computed(m)
    n = 1.54 * 0.72 * 1000.0
    line = float(np.hypot(4.8, 2.6))
    force = n + 200 * line + 5000
    # the line's force lies at 1/2 + 1/6 * (300 - 100) / (300 + 100) of its length
    share = 0.5 + (300 - 100) / (300 + 100) / 6
    x = n * 1.40 + 200 * line * (0.3 + 4.8 * share) + 5000 * 4.37
    y = n * 0.77 + 200 * line * (0.7 + 2.6 * share) + 5000 * 1.21
    assert r.equilibrium[0].applied == pytest.approx([0, 0, -force, -y, x, 0], rel=1e-9, abs=1e-6)


def test_a_wall_under_a_sideways_load_bends_and_shears_like_a_cantilever() -> None:
    """F h^3 / 3 E I + F h / k G A with k = 5/6 (beam theory with shear), a wall 2 m long and 8 m high, within
    2 %."""
    m = plate_model()
    s = shell(m, "w", [(0, 0, 0), (2, 0, 0), (2, 0, 8), (0, 0, 8)], 0.2, cls="wall")
    s.supports = [LineSupport(np.array([(0, 0, 0), (2, 0, 0)], float), FIXED)]
    m.cases["q"] = LoadCase("q", "wind")
    m.cases["q"].space_loads.append(
        SpaceLoad(np.array([(0, 0, 8), (2, 0, 8)], float), (50e3, 0, 0), (50e3, 0, 0))
    )
    r = computed(m, 0.25)
    force, i, g = 100e3, 0.2 * 8 / 12, E / 2 / (1 + NU)
    wanted = force * 8**3 / 3 / E / i + force * 8 / (5 / 6 * g * 0.4)
    top = np.abs(r.xyz[:, 2] - 8) < 1e-6
    assert r.displacement[0][top, 0].mean() == pytest.approx(wanted, rel=0.02)


def strip_on_beam(eccentric: float) -> tuple[Model, Results]:
    """A slab strip 1 m wide and 8 m long on a beam of the same concrete, simply supported at the beam's
    ends."""
    m = plate_model()
    m.sections["b"] = Section("b", "values", 0.12, 0.3 * 0.4**3 / 12, 0.4 * 0.3**3 / 12, 0.0, 2e-3, 0.0, 0.0)
    z = -eccentric
    for n, x, words in (("a", 0.0, "ux uy uz rx"), ("b", 8.0, "uy uz")):
        m.nodes[n] = Node(n, np.array([x, 0.5, z]), Support.of(words))
    m.members["m"] = Member("m", "m", "beam", "a", "b", "b", "plate", np.array([0.0, 0, 1]))
    s = shell(m, "s", rectangle(8, 1), 0.1)
    line = np.array([(0, 0.5, 0), (8, 0.5, 0)], float)
    s.joints = [SurfaceJoint("member", "m", line, eccentric)]
    for n, x in (("a", 0.0), ("b", 8.0)):
        s.joints.append(SurfaceJoint("end", "m", np.array([(x, 0.5, 0)]), eccentric, n))
    pressure(m, "s", 10e3)
    return m, computed(m, 0.25)


@pytest.mark.parametrize("eccentric", [0.0, 0.25])
def test_a_beam_under_a_slab_works_together_with_it(eccentric: float) -> None:
    """5 q L^4 / 384 E I with the second moment of beam and slab about their common centroid (any handbook),
    within 2 %."""
    m, r = strip_on_beam(eccentric)
    ab, aslab, ib, islab = 0.12, 0.1, 0.3 * 0.4**3 / 12, 0.1**3 / 12
    centre = aslab * eccentric / (ab + aslab)
    i = ib + islab + ab * centre**2 + aslab * (eccentric - centre) ** 2
    middle = int(np.linalg.norm(r.xyz - [4, 0.5, 0], axis=1).argmin())
    assert -r.displacement[0, middle, 2] == pytest.approx(5 * 10e3 * 8**4 / 384 / E / i, rel=0.02)
    # of the moment q L^2 / 8 the beam's axial force takes its share
    k = r.stations_of("m")
    n = r.force[0, k[np.abs(r.station_x[k] - 4).argmin()], 0]
    strain = 10e3 * 64 / 8 / E / i * centre
    assert n == pytest.approx(E * ab * strain, rel=0.05, abs=1.0)


def test_a_raft_sinks_by_pressure_over_modulus() -> None:
    m = plate_model()
    s = shell(m, "s", rectangle(5, 4), 0.5)
    s.bedding = 2e7
    pressure(m, "s", 40e3)
    r = computed(m)
    live = r.node_done[0]
    assert r.displacement[0][live, 2] == pytest.approx(-2e-3)
    assert r.reaction[0][:, 2].sum() == pytest.approx(800e3)


def test_surfaces_with_a_gap_between_them_are_tied_by_rigid_arms() -> None:
    """A wall that stops 50 mm under the slab it carries: all of the load goes down through it."""
    m = plate_model()
    s = shell(m, "s", rectangle(4, 2, 3.0), 0.2)
    w = shell(m, "w", [(0, 1, 0), (4, 1, 0), (4, 1, 2.95), (0, 1, 2.95)], 0.2, cls="wall")
    w.supports = [LineSupport(np.array([(0, 1, 0), (4, 1, 0)], float), FIXED)]
    line = np.array([(0, 1, 3), (4, 1, 3)], float)
    s.joints = [SurfaceJoint("surface", "w", line, 0.05)]
    w.joints = [SurfaceJoint("surface", "s", line, 0.05)]
    pressure(m, "s", 10e3)
    r = computed(m)
    assert not r.left_out and r.reaction[0][:, 2].sum() == pytest.approx(80e3)


def test_a_rigid_diaphragm_shares_a_force_by_stiffness_and_turns_about_the_centre_of_stiffness() -> None:
    """Two columns of 1 : 3 joined by nothing but the floor: the force at the centre of stiffness is shared 1
    : 3."""
    m = plate_model()
    for name, i in (("one", 1e-4), ("three", 3e-4)):
        m.sections[name] = Section(name, "values", 0.1, i, i, 0.0, 1e-9, 0.0, 0.0)
    m.storeys = [Storey("Ground", 0.0), Storey("First", 3.0)]
    for k, (y, section) in enumerate(((0.0, "one"), (8.0, "three"), (6.0, "one"))):
        m.nodes[f"f{k}"] = Node(f"f{k}", np.array([0, y, 0.0]), FIXED)
        m.nodes[f"t{k}"] = Node(f"t{k}", np.array([0, y, 3.0]))
        if k < 2:
            m.members[f"m{k}"] = Member(
                f"m{k}", "", "column", f"f{k}", f"t{k}", section, "plate", np.array([1.0, 0, 0])
            )
    # the force acts at a node of its own, held by a link without stiffness sideways
    m.sections["pin"] = Section("pin", "values", 0.1, 1e-12, 1e-12, 0.0, 1e-12, 0.0, 0.0)
    m.members["m2"] = Member("m2", "", "column", "f2", "t2", "pin", "plate", np.array([1.0, 0, 0]))
    m.cases["q"] = LoadCase("q", "wind", node_loads=[NodeLoad("t2", (4e3, 0, 0))])
    r = computed(m, diaphragms=["First"])
    shear = [-r.reaction[0, r.support_ids.index(f"f{k}"), 0] for k in range(2)]
    assert shear == pytest.approx([1e3, 3e3], rel=1e-3)


def test_a_diaphragm_on_shells_keeps_equilibrium() -> None:
    """A wall under a slab has nodes above and below the floor; they stay free of it."""
    m = plate_model()
    m.storeys = [Storey("Ground", 0.0), Storey("First", 3.1)]
    s = shell(m, "s", rectangle(4, 2, 3.0), 0.2)
    w = shell(m, "w", [(0, 1, 0), (4, 1, 0), (4, 1, 3), (0, 1, 3)], 0.2, cls="wall")
    w.supports = [LineSupport(np.array([(0, 1, 0), (4, 1, 0)], float), FIXED)]
    line = np.array([(0, 1, 3), (4, 1, 3)], float)
    s.joints = [SurfaceJoint("surface", "w", line)]
    w.joints = [SurfaceJoint("surface", "s", line)]
    pressure(m, "s", 10e3).area_loads.append(AreaLoad("s", ((1e3, 500.0, 0.0),)))
    r = computed(m, diaphragms=["First"])
    floor = np.abs(r.xyz[:, 2] - 3) < 1e-9
    turn = r.displacement[0][floor, 5]
    assert np.ptp(turn) < 1e-12 * max(np.abs(turn).max(), 1e-6)


@pytest.mark.parametrize("b", [1.0, 1.5, 2.0])
def test_edges_take_the_share_of_a_two_way_slab_that_yield_lines_give_them(b: float) -> None:
    """Long edges of a slab held down on all sides take 1 - a / 2 b of the load by lines at 45 degrees (any
    handbook on concrete slabs); by plate theory they take about as much: within 6 % of the load."""
    m = plate_model()
    shell(m, "s", rectangle(4, 4 * b), 0.12, edges="ux uy uz rx ry")
    pressure(m, "s", 1e3)
    r = computed(m, 0.25)
    place = np.array([r.xyz[r.node_ids.index(n)] for n in r.support_ids])
    up = r.reaction[0][:, 2]
    corner = (np.minimum(place[:, 0], 4 - place[:, 0]) < 1e-6) & (
        np.minimum(place[:, 1], 4 * b - place[:, 1]) < 1e-6
    )
    long = np.minimum(place[:, 0], 4 - place[:, 0]) < 1e-6
    share = (up[long & ~corner].sum() + up[corner].sum() / 2) / up.sum()
    assert share == pytest.approx(1 - 1 / (2 * b), abs=0.06)


def test_what_hangs_on_nothing_is_left_out_and_named() -> None:
    m = plate_model()
    shell(m, "s", rectangle(4, 4), edges="pinned")
    shell(m, "loose", rectangle(4, 4, 9.0))
    pressure(m, "s", 1e3)
    pressure(m, "loose", 1e3)
    r = computed(m)
    assert r.left_out == {"loose": "it is joined to no support"}
    assert r.lost["q"] == pytest.approx([0, 0, -16e3])


def test_a_plate_on_rollers_is_told_how_it_slides() -> None:
    """Motions without resistance are found for shells as for members, before anything is solved."""
    m = plate_model()
    shell(m, "s", rectangle(4, 4), edges="uz")
    m.cases["q"] = LoadCase("q", "wind")
    m.cases["q"].space_loads.append(SpaceLoad(np.array([(2, 2, 0.0)]), (1e3, 0, 0), (0, 0, 0)))
    r = computed(m)
    assert len(r.motions) == 3 and not r.node_done.any()
