"""Loads of a case handed on: what arrives where, what is lost, and that a run carries exactly what
arrived."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.loads import Distribution
from rod_tally.loads.arrival import Arrival
from rod_tally.model import (
    AreaLoad,
    LoadCase,
    Model,
    Settlement,
    SpaceLoad,
    Support,
    SurfaceJoint,
    TemperatureLoad,
)
from rod_tally.model.settings import RunSettings

from .floors import floor, wall
from .frames import beam, frame

DOWN = (0.0, 0.0, -1000.0)


def arrived(m: Model, **lists: list[object]) -> Arrival:
    for name, loads in lists.items():
        setattr(m.cases["live"], name, loads)
    return Distribution(m).case("live")


def on(a: Arrival, member: str) -> float:
    """Vertical force on one member, N."""
    k = a.members.index(member)
    return float(a.forces[a.member == k, 2].sum())


def test_slab_loads_its_beams_by_yield_lines() -> None:
    a = arrived(floor(), area_loads=[AreaLoad("s", (DOWN,))])
    assert [on(a, f"m{k}") for k in (4, 5, 6, 7)] == pytest.approx([-8000, -4000, -8000, -4000])
    assert a.total("applied")[2] == pytest.approx(-24000) and not a.total("lost").any()


def test_one_way_slab_loads_the_beams_across_its_span() -> None:
    m = floor()
    m.surfaces["s"].way, m.surfaces["s"].span = "one-way", (0.0, 1.0, 0.0)
    a = arrived(m, area_loads=[AreaLoad("s", (DOWN,))])
    assert sorted(a.members) == ["m4", "m6"] and on(a, "m4") == pytest.approx(-12000)
    m.surfaces["s"].span = None  # the shorter way, here the same
    assert sorted(Distribution(m).case("live").members) == ["m4", "m6"]


def test_overhang_goes_to_the_beams_beside_it() -> None:
    a = arrived(floor(overhang=0.3), area_loads=[AreaLoad("s", (DOWN,))])
    assert a.total("on_members")[2] == pytest.approx(-6.6 * 4.6 * 1000)
    assert (a.a >= 0).all() and (a.b <= 6.0 + 1e-9).all()


def test_own_weight_of_the_slab_is_in_the_reactions() -> None:
    m = floor(openings=True)
    m.cases = {"w": LoadCase("w", "self-weight", (0.0, 0.0, -1.0))}
    r = run(m, RunSettings())
    slab = (24 - 1) * 0.2 * 2500 * 9.80665
    members = sum(m.weight(x) for x in m.members.values())
    assert r.equilibrium[0].reaction[2] == pytest.approx(slab + members, rel=1e-12)
    assert r.equilibrium[0].residual < 1e-12


def test_area_past_the_edge_and_above_an_opening_is_lost() -> None:
    m = floor(openings=True)
    outline = np.array([(0, 0, 3.0), (8, 0, 3), (8, 4, 3), (0, 4, 3)])
    a = arrived(m, area_loads=[AreaLoad("", (DOWN,), outline)])
    assert a.total("applied")[2] == pytest.approx(-32000)
    assert a.total("lost")[2] == pytest.approx(-9000)  # 8 m2 past the edge, 1 m2 of opening
    assert len(a.shares[0].places) == 2 and "opening" in a.shares[0].reason


def test_linear_pressure_keeps_its_moment() -> None:
    """p = 1 + x kN/m2: force and moment about y as by hand, 6 x 4 panel."""
    m = floor()
    at = np.array([(0, 0, 3.0), (6, 0, 3), (0, 4, 3)])
    a = arrived(m, area_loads=[AreaLoad("s", ((0, 0, -1000), (0, 0, -7000), (0, 0, -1000)), at=at)])
    r = run(m, RunSettings())
    assert a.total("on_members")[2] == pytest.approx(-(24 + 4 * 18) * 1000)
    assert r.equilibrium[0].applied[4] == pytest.approx((4 * 18 + 4 * 72) * 1000)  # My = -sum x Fz


def test_projected_pressure_on_a_slope() -> None:
    m = floor()
    s = m.surfaces["s"]
    s.outer = s.outer + np.array([0, 0, 1.0]) * s.outer[:, :1] * 0.5
    area = 24 * np.sqrt(1.25)
    a = arrived(m, area_loads=[AreaLoad("s", (DOWN,), projected=True)])
    assert a.total("applied")[2] == pytest.approx(-24000)
    a = arrived(m, area_loads=[AreaLoad("s", (DOWN,))])
    assert a.total("applied")[2] == pytest.approx(-1000 * area)
    a = arrived(m, area_loads=[AreaLoad("s", (DOWN,), local=True)])
    assert np.linalg.norm(a.total("applied")) == pytest.approx(1000 * area)
    assert a.total("applied") @ s.axes[2] == pytest.approx(-1000 * area)


def test_cladding_is_passed_to_the_bars_in_its_plane() -> None:
    m = floor()
    outline = np.array([(0, 0, 0.0), (6, 0, 0), (6, 0, 3), (0, 0, 3)])
    wind = AreaLoad("", ((0.0, 600.0, 0.0),), outline, onto="members")
    a = arrived(m, area_loads=[wind])
    assert set(a.members) == {"m0", "m1", "m4"}
    assert a.total("on_members")[1] == pytest.approx(600 * 18)
    wind.span = (1.0, 0.0, 0.0)
    a = arrived(m, area_loads=[wind])
    assert set(a.members) == {"m0", "m1"}


def test_line_on_a_beam_goes_to_the_beam_and_one_in_the_slab_to_the_edges() -> None:
    m = floor()
    along = SpaceLoad(np.array([(1, 0, 3.0), (5, 0, 3)]), DOWN, DOWN)
    inside = SpaceLoad(np.array([(3, 1, 3.0), (3, 3, 3)]), DOWN, DOWN)
    a = arrived(m, space_loads=[along, inside])
    assert a.shares[0].taker == "m4" and a.shares[1].taker == "s"
    assert a.total("on_members")[2] == pytest.approx(-6000)
    r = run(m, RunSettings())
    # Mx = sum y Fz of the second about y = 2
    assert r.equilibrium[0].applied[3] == pytest.approx(-2000 * 2.0)
    assert r.equilibrium[0].applied[4] == pytest.approx(4000 * 3 + 2000 * 3)


def test_point_keeps_its_moments_wherever_it_stands() -> None:
    m = floor()
    arrived(m, space_loads=[SpaceLoad(np.array([(1.2, 3.1, 3.0)]), (0, 0, -5000.0), (0, 0, 0))])
    applied = run(m, RunSettings()).equilibrium[0].applied
    assert applied == pytest.approx([0, 0, -5000, -5000 * 3.1, 5000 * 1.2, 0], abs=1e-9)


def test_load_where_nothing_is_gets_lost_whole() -> None:
    a = arrived(floor(), space_loads=[SpaceLoad(np.array([(20, 20, 9.0)]), DOWN, (0, 0, 0))])
    assert (
        a.total("lost")[2] == -1000
        and "nothing" not in a.shares[0].reason
        and "no member" in a.shares[0].reason
    )


def test_line_on_the_joint_of_two_walls_says_which_takes_it_and_can_be_told() -> None:
    m = floor()
    wall(m, "below", (10, 0), (14, 0), 0, 3)
    wall(m, "above", (10, 0), (14, 0), 3, 6)
    load = SpaceLoad(np.array([(10, 0, 3.0), (14, 0, 3)]), DOWN, DOWN)
    a = arrived(m, space_loads=[load])
    assert (a.shares[0].taker, a.shares[0].others) == ("below", ("above",))
    assert a.total("on_surfaces")[2] == pytest.approx(-4000)
    load.to = "above"
    assert Distribution(m).case("live").shares[0].taker == "above"


def test_wall_below_an_edge_carries_it() -> None:
    m = floor()
    s = m.surfaces["s"]
    s.joints = [j for j in s.joints if j.other not in ("m4",)]
    wall(m, "w", (0, 0), (6, 0), 0, 3)
    s.joints.append(SurfaceJoint("surface", "w", np.array([(0, 0, 3.0), (6, 0, 3)])))
    a = arrived(m, area_loads=[AreaLoad("s", (DOWN,))])
    assert a.total("on_surfaces")[2] == pytest.approx(-8000)
    assert {h.surface for h in a.held} == {"w"}


def test_outline_that_crosses_itself_is_taken_at_its_largest_part() -> None:
    """A bow tie, as a slip of the modeller makes it, as a slab and as a free area: no fault, and nothing
    counted twice."""
    m = floor()
    m.surfaces["s"].outer = np.array([(0, 0, 3.0), (6, 0, 3), (6, 4, 3), (2, -1, 3)])
    outline = np.array([(0, 0, 3.0), (6, 4, 3), (6, 0, 3), (0, 3, 3)])
    a = arrived(m, area_loads=[AreaLoad("s", (DOWN,)), AreaLoad("", (DOWN,), outline)])
    for share in a.shares:
        assert share.applied == pytest.approx(share.on_members + share.on_surfaces + share.lost, abs=1e-6)


def test_slab_that_nothing_carries_is_lost_with_its_outline() -> None:
    m = floor()
    m.surfaces["s"].joints = []
    a = arrived(m, area_loads=[AreaLoad("s", (DOWN,))])
    assert a.total("lost")[2] == pytest.approx(-24000) and len(a.shares[0].places[0]) == 5


def test_slab_on_the_ground_keeps_what_is_put_on_it() -> None:
    m = floor()
    m.surfaces["s"].bedding = 2e7
    a = arrived(m, area_loads=[AreaLoad("s", (DOWN,))])
    assert a.total("on_surfaces")[2] == pytest.approx(-24000)


def test_warm_bar_between_fixed_ends() -> None:
    """N = -EA alpha T; a gradient gives M = EI alpha t and no displacement (any textbook)."""
    m = beam(5.0, "fixed", "fixed")
    m.cases["t"] = LoadCase("t", "temperature", temperatures=[TemperatureLoad("m0", 30.0, 0.0, 100.0)])
    r = run(m, RunSettings())
    assert r.force[0, :, 0] == pytest.approx(-210e9 * 5e-3 * 12e-6 * 30)
    assert np.abs(r.force[0, :, 4]) == pytest.approx(210e9 * 8e-5 * 12e-6 * 100)
    assert r.equilibrium[0].residual < 1e-9


def test_warm_bar_that_is_free_lengthens_and_bows() -> None:
    """u = alpha T l; mid-rise alpha t l^2 / 8 between simple supports, towards the warmer side."""
    from rod_tally.analysis.frame.shape import member_shapes

    m = beam(6.0, "ux uy uz rx", "uy uz")
    m.cases["t"] = LoadCase("t", "temperature", temperatures=[TemperatureLoad("m0", 20.0, 0.0, 50.0)])
    r = run(m, RunSettings())
    assert r.displacement[0, 1, 0] == pytest.approx(12e-6 * 20 * 6)
    assert np.abs(r.force[0]).max() < 1e-6
    z = member_shapes(m, r, "t").displacement[0, 6, 2]
    assert z == pytest.approx(12e-6 * 50 * 36 / 8, rel=1e-9)


def test_settlement_of_a_support() -> None:
    """A beam fixed at both ends, one sunk by d: M = 6 EI d / l^2, V = 12 EI d / l^3 (any textbook)."""
    m = beam(4.0, "fixed", "fixed")
    m.cases["d"] = LoadCase("d", "settlement", settlements=[Settlement("n1", (0, 0, -0.01, 0, 0, 0))])
    r = run(m, RunSettings())
    assert r.displacement[0, 1, 2] == pytest.approx(-0.01)
    assert abs(r.reaction[0, 0, 4]) == pytest.approx(6 * 210e9 * 8e-5 * 0.01 / 16)
    assert r.reaction[0, 0, 2] == pytest.approx(12 * 210e9 * 8e-5 * 0.01 / 64)
    assert r.equilibrium[0].residual < 1e-9


def test_settlement_under_a_spring_and_in_turned_axes() -> None:
    m = beam(4.0, "fixed", "uz=1e6")
    m.cases["d"] = LoadCase("d", "settlement", settlements=[Settlement("n1", (0, 0, -0.01, 0, 0, 0))])
    k = 3 * 210e9 * 8e-5 / 64
    assert run(m, RunSettings()).displacement[0, 1, 2] == pytest.approx(-0.01 * 1e6 / (1e6 + k))
    m = beam(4.0, "fixed", "fixed")
    turn = ((0.0, 1.0, 0.0), (-1.0, 0.0, 0.0), (0.0, 0.0, 1.0))
    m.nodes["n1"].support = Support.of("ux", axes=turn)  # holds global y
    m.cases["d"] = LoadCase("d", "settlement", settlements=[Settlement("n1", (0, 0.02, 0, 0, 0, 0))])
    assert run(m, RunSettings()).displacement[0, 1, 1] == pytest.approx(0.02)


def test_hundred_panels_arrive_whole() -> None:
    """Sums of a case over many slabs to rounding."""
    m = floor()
    for k in range(100):
        m.cases["live"].area_loads.append(AreaLoad("s", ((0.0, 0.0, -float(k)),)))
    a = Distribution(m).case("live")
    assert a.total("on_members")[2] == pytest.approx(-24 * 4950, rel=1e-12)


def collinear(gap: float = 0.0) -> Model:
    """Two beams one after the other on three columns, 6 m each, no slab; the second may start `gap` later."""
    feet = [(0, 0, 0), (6, 0, 0), (6 + gap, 0, 0), (12, 0, 0)]
    tops = [(x, y, 3.0) for x, y, _ in feet]
    m = frame(
        [*feet, *tops], [(0, 4), (1, 5), (2, 6), (3, 7), (4, 5), (6, 7)], dict.fromkeys(range(4), "fixed")
    )
    line = np.array([[1.0, 0, 3], [11, 0, 3]])
    m.cases["q"] = LoadCase("q", "live", space_loads=[SpaceLoad(line, (0, 0, -1e3), (0, 0, -3e3))])
    return m


def test_a_line_over_two_beams_without_a_slab_goes_to_both() -> None:
    """1 to 3 kN/m over 10 m: 20 kN, the first 5 m with 1 to 2 (7.5 kN), the others with 2 to 3 (12.5 kN)."""
    arrival = Distribution(collinear()).case("q")
    assert arrival.total("lost") == pytest.approx([0, 0, 0])
    assert sorted(arrival.forces[:, 2]) == pytest.approx([-12.5e3, -7.5e3])


def test_what_of_a_line_lies_over_nothing_is_named() -> None:
    """A gap of 0.5 m between the beams: 1 kN (2 to 2.1 kN/m over it) is carried by nothing."""
    arrival = Distribution(collinear(0.5)).case("q")
    assert arrival.total("lost")[2] == pytest.approx(-(2.0 + 2.1) / 2 * 0.5 * 1e3)
    assert arrival.total("applied")[2] == pytest.approx(-20e3)
