"""Patterns, notional loads and storey forces: closed forms, sums and places as by hand."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.by_rule.storey_forces import (
    LateralError,
    at_level,
    levels,
    notional_cases,
    storey_cases,
)
from rod_tally.analysis.results.storeys import storey_rows
from rod_tally.loads import Distribution
from rod_tally.loads.lateral import (
    GROUND_TYPE_1,
    DesignSpectrum,
    base_shear_asce,
    base_shear_en,
    period_asce,
    period_en,
    share_asce,
    share_en,
)
from rod_tally.loads.patterns import bands, choices, patterns
from rod_tally.model import PINNED, AreaLoad, LineSupport, LoadCase, Model, SurfaceJoint
from rod_tally.model.edits import AddCases
from rod_tally.model.entities.model import Storey
from rod_tally.model.settings import MeshSettings, RunSettings

from .floors import floor, turned, wall
from .frames import frame
from .plates import plate_model, rectangle, shell


def tower(storeys: int = 3, h: float = 3.0) -> Model:
    """One bay of 6 by 4 with beams at every storey."""
    points = [(x, y, k * h) for k in range(storeys + 1) for x, y in ((0, 0), (6, 0), (6, 4), (0, 4))]
    members = []
    for k in range(storeys):
        members += [(4 * k + i, 4 * k + 4 + i) for i in range(4)]
        members += [(4 * k + 4 + i, 4 * k + 4 + (i + 1) % 4) for i in range(4)]
    m = frame(points, members, dict.fromkeys(range(4), "fixed"))
    m.storeys = [Storey(f"L{k}", k * h) for k in range(storeys + 1)]
    m.cases["G"] = LoadCase("G", "self-weight", (0.0, 0.0, -1.0))
    return m


def test_alternate_and_adjacent_spans() -> None:
    """EN 1992-1-1 5.1.3(1)P: alternate spans, and any two adjacent spans, with every other one beyond."""
    assert choices(1) == {}
    assert choices(2) == {"odd": [0], "even": [1]}
    assert choices(4) == {"odd": [0, 2], "even": [1, 3], "1+2": [0, 1, 3], "2+3": [1, 2], "3+4": [0, 2, 3]}


@pytest.mark.parametrize("degrees", [0.0, 33.0])
def test_patterns_of_a_floor_cover_the_spans_they_name(degrees: float) -> None:
    """Three spans of 6 m: odd loads two thirds; every pattern excludes the others and the whole. Of a
    building that is turned the spans are its own, not as many as it has columns."""
    m = floor(18.0, 4.0)
    for k, x in enumerate((6.0, 12.0)):
        m.nodes[f"p{k}"] = type(m.nodes["n0"])(f"p{k}", np.array([x, 0.0, 0.0]))
        m.members[f"c{k}"] = type(m.members["m0"])(
            f"c{k}", f"c{k}", "column", f"p{k}", "n4", "plain", "steel", np.array([1.0, 0, 0])
        )
    assert bands(m, 0) == [(-np.inf, 6.0), (6.0, 12.0), (12.0, np.inf)]
    turned(m, degrees)
    case = m.cases["live"]
    case.area_loads = [AreaLoad("s", ((0.0, 0.0, -2000.0),))]
    made = {c["name"]: c for c in patterns(m, case)}
    assert set(made) == {"live x odd", "live x even", "live x 1+2", "live x 2+3"}
    AddCases(list(made.values())).apply(m)
    d = Distribution(m)
    assert d.case("live x odd").total("on_members")[2] == pytest.approx(-2000 * 4 * 12, rel=1e-9)
    assert d.case("live x 1+2").total("on_members")[2] == pytest.approx(-2000 * 4 * 12, rel=1e-9)
    assert {m.cases[n].together for n in made} == {"live"} and m.cases["live x odd"].category == "B"


def test_pattern_leaves_openings_open() -> None:
    m = floor(12.0, 4.0, openings=True)
    m.nodes["p"] = type(m.nodes["n0"])("p", np.array([6.0, 0.0, 0.0]))
    m.members["c"] = type(m.members["m0"])(
        "c", "c", "column", "p", "n4", "plain", "steel", np.array([1.0, 0, 0])
    )
    m.cases["live"].area_loads = [AreaLoad("s", ((0.0, 0.0, -1000.0),))]
    AddCases(patterns(m, m.cases["live"])).apply(m)
    assert Distribution(m).case("live x odd").total("applied")[2] == pytest.approx(-23000)
    assert not Distribution(m).case("live x odd").total("lost").any()


def test_case_without_slab_loads_has_no_patterns() -> None:
    m = floor()
    assert patterns(m, m.cases["live"]) == []


def test_notional_loads_are_their_share_in_each_direction() -> None:
    m = tower()
    weight = sum(m.weight(x) for x in m.members.values())
    made = notional_cases(m, 1 / 200, {"G": 1.0})
    assert [c["name"] for c in made] == ["Notional +x", "Notional -x", "Notional +y", "Notional -y"]
    AddCases(made).apply(m)
    total = {c: run(m, RunSettings()).applied[c] for c in ("Notional +x", "Notional -y")}
    at_foot = 4 * 5e-3 * 7850 * 9.80665 * 1.5  # the lower half of the lowest columns stands on the supports
    assert total["Notional +x"] == pytest.approx([(weight - at_foot) / 200, 0, 0])
    assert total["Notional -y"] == pytest.approx([0, -(weight - at_foot) / 200, 0])
    with pytest.raises(LateralError, match="not plausible"):
        notional_cases(m, 0.5, {"G": 1.0})


def test_storey_force_acts_off_the_centre_of_mass_both_ways() -> None:
    """Fy at 5 % of 6 m: Mz about the centre +-0.3 Fy, and the storey table agrees with what was applied."""
    m = tower()
    found = levels(m, {"G": 1.0})
    assert [x.name for x in found] == ["L0", "L1", "L2", "L3"] and not found[0].nodes
    assert found[1].centre == pytest.approx([3, 2]) and found[1].extent == pytest.approx([6, 4])
    made = storey_cases(
        "Ey", "seismic", found, {"L2": [0.0, 10e3, 0.0], "L3": [0.0, 20e3, 0.0]}, 0.05, "test"
    )
    assert [c["name"] for c in made] == ["Ey +e", "Ey -e"]
    AddCases(made).apply(m)
    r = run(m, RunSettings())
    for name, off in (("Ey +e", 0.3), ("Ey -e", -0.3)):
        applied = next(e for e in r.equilibrium if e.case == name).applied
        assert applied[:3] == pytest.approx([0, 30e3, 0], abs=1e-6)
        assert applied[5] == pytest.approx(30e3 * (3 + off))
        rows = {row.storey: row for row in storey_rows(m, r) if row.case == name}
        assert rows["L2"].fy == pytest.approx(10e3) and rows["L1"].shear_y == pytest.approx(30e3)


def test_forces_on_a_level_keep_force_and_moment() -> None:
    level = levels(tower(), {"G": 1.0})[2]
    loads = at_level(level, 5e3, -2e3, 7e3, (0.4, -0.2))
    place = dict(zip(level.nodes, level.places))
    f = np.array([x["force"] for x in loads])
    p = np.array([place[x["node"]] for x in loads])[:, :2] - level.centre
    assert f.sum(axis=0) == pytest.approx([5e3, -2e3, 0])
    assert (p[:, 0] * f[:, 1] - p[:, 1] * f[:, 0]).sum() == pytest.approx(7e3 + 0.4 * -2e3 + 0.2 * 5e3)


def test_levels_need_storeys_and_mass() -> None:
    m = tower()
    with pytest.raises(LateralError, match="no mass"):
        levels(m, {"nothing": 1.0})
    m.storeys = m.storeys[:1]
    with pytest.raises(LateralError, match="two storeys"):
        levels(m, {"G": 1.0})


def test_design_spectrum_is_whole_at_its_corners() -> None:
    """EN 1998-1 3.13 to 3.16, ground B: 2/3 ag S at T = 0, ag S 2.5/q on the plateau, continuous at TB, TC,
    TD."""
    s = DesignSpectrum(2.0, *GROUND_TYPE_1["B"], q=3.0)
    assert s.at(0.0) == pytest.approx(2.0 * 1.2 * 2 / 3) and s.at(0.3) == pytest.approx(2.0 * 1.2 * 2.5 / 3)
    for t in (s.tb, s.tc, s.td):
        assert s.at(t - 1e-9) == pytest.approx(s.at(t + 1e-9), rel=1e-6)
    assert s.at(9.0) == pytest.approx(0.2 * 2.0)


def test_base_shear_by_en_1998() -> None:
    """4.5 by hand: five storeys of 15 m, T1 = 0.05 15^0.75 = 0.381 s on the plateau, lambda 0.85."""
    t = period_en(15.0, "other")
    assert t == pytest.approx(0.3811, abs=1e-4)
    s = DesignSpectrum(2.5, *GROUND_TYPE_1["C"], q=3.9)
    assert base_shear_en(s, t, 1.5e6, 5) == pytest.approx(2.5 * 1.15 * 2.5 / 3.9 * 1.5e6 * 0.85)
    assert base_shear_en(s, t, 1.5e6, 2) == pytest.approx(2.5 * 1.15 * 2.5 / 3.9 * 1.5e6)
    assert share_en(np.array([2.0, 2.0, 2.0]), np.array([3.0, 6.0, 9.0])) == pytest.approx(
        [1 / 6, 2 / 6, 3 / 6]
    )


def test_base_shear_by_asce_7() -> None:
    """12.8-2, 12.8-3, 12.8-5 by hand, and k of 12.8.3: linear between 0.5 and 2.5 s."""
    assert period_asce(30.0, "steel moment frames") == pytest.approx(0.0724 * 30**0.8)
    assert base_shear_asce(1.0, 0.6, 8.0, 1.0, 0.5, 1e6) == pytest.approx(0.125e6)
    assert base_shear_asce(1.0, 0.6, 8.0, 1.0, 1.2, 1e6) == pytest.approx(0.6 / (1.2 * 8) * 1e6)
    assert base_shear_asce(1.0, 0.6, 8.0, 1.0, 6.0, 1e6) == pytest.approx(0.044e6)
    mass, height = np.ones(2), np.array([3.0, 6.0])
    assert share_asce(mass, height, 0.3) == pytest.approx([1 / 3, 2 / 3])
    assert share_asce(mass, height, 1.5) == pytest.approx(np.array([3**1.5, 6**1.5]) / (3**1.5 + 6**1.5))
    assert share_asce(mass, height, 3.0) == pytest.approx([0.2, 0.8])
    with pytest.raises(ValueError, match="exceed zero"):
        base_shear_asce(0.0, 0.6, 8.0, 1.0, 0.5, 1e6)


def test_storey_masses_are_the_same_whether_slabs_carry_as_shells_or_hand_on() -> None:
    m = floor()
    m.storeys = [Storey("Ground", 0.0), Storey("First", 3.0)]
    m.cases["w"] = LoadCase("w", "self-weight", self_weight=(0.0, 0.0, -1.0))
    wall(m, "wall", (0, 0), (6, 0), 0.0, 3.0)
    handed = levels(m, {"w": 1.0})
    m.surfaces["s"].way = m.surfaces["wall"].way = "shell"
    shells = levels(m, {"w": 1.0})
    assert [x.mass for x in shells] == pytest.approx([x.mass for x in handed])
    total = sum(m.weight(x) for x in m.members.values()) + sum(
        m.surface_weight(s) for s in m.surfaces.values()
    )
    assert sum(x.mass for x in shells) == pytest.approx(total / 9.80665)


def house_of_walls() -> Model:
    """Two storeys of two walls and a slab each, no member anywhere."""
    m = plate_model()

    def join(a: str, b: str, y: float, z: float) -> None:
        line = np.array([(0, y, z), (4, y, z)], float)
        m.surfaces[a].joints.append(SurfaceJoint("surface", b, line))
        m.surfaces[b].joints.append(SurfaceJoint("surface", a, line))

    for k, z in enumerate((0.0, 3.0)):
        shell(m, f"s{k}", rectangle(4, 6, z + 3), 0.2)
        for side, y in (("a", 0.0), ("b", 6.0)):
            shell(m, f"{side}{k}", [(0, y, z), (4, y, z), (4, y, z + 3), (0, y, z + 3)], 0.2, cls="wall")
            join(f"{side}{k}", f"s{k}", y, z + 3)
    for side, y in (("a", 0.0), ("b", 6.0)):
        join(f"{side}0", f"{side}1", y, 3.0)
        join("s0", f"{side}1", y, 3.0)
        m.surfaces[f"{side}0"].supports = [LineSupport(np.array([(0, y, 0), (4, y, 0)], float), PINNED)]
    m.storeys = [Storey("L0", 0.0), Storey("L1", 3.0), Storey("L2", 6.0)]
    m.cases["G"] = LoadCase("G", "self-weight", self_weight=(0.0, 0.0, -1.0))
    return m


def test_storey_forces_of_a_building_of_walls_and_slabs_go_to_its_slabs() -> None:
    """Forces and their moments about the centre of mass with an eccentricity of 5 % of the slab, as applied
    in a run."""
    m = house_of_walls()
    found = levels(m, {"G": 1.0})
    assert [len(x.slabs) for x in found] == [0, 1, 1] and found[2].extent == pytest.approx([4, 6])
    assert sum(x.mass for x in found) == pytest.approx((2 * 24 + 4 * 12) * 0.2 * 2500)
    assert found[1].centre == pytest.approx([2, 3])
    AddCases(
        storey_cases("E", "seismic", found, {"L1": [0.0, 10e3, 0.0], "L2": [5e3, 20e3, 0.0]}, 0.05, "t")
    ).apply(m)
    r = run(m, RunSettings(), meshing=MeshSettings(1.0))
    for name, sign in (("E +e", 1), ("E -e", -1)):
        applied = next(e for e in r.equilibrium if e.case == name).applied
        assert applied[:3] == pytest.approx([5e3, 30e3, 0], abs=1e-6)
        assert applied[5] == pytest.approx(30e3 * (2 + sign * 0.2) - 5e3 * (3 + sign * 0.3))
        rows = {row.storey: row for row in storey_rows(m, r) if row.case == name}
        assert rows["L2"].fy == pytest.approx(20e3) and rows["L1"].shear_y == pytest.approx(30e3)


def test_notional_loads_of_a_building_of_walls_and_slabs() -> None:
    m = house_of_walls()
    AddCases(notional_cases(m, 1 / 200, {"G": 1.0})).apply(m)
    weight = sum(m.surface_weight(s) for s in m.surfaces.values())
    applied = run(m, RunSettings(), meshing=MeshSettings(1.0)).applied
    assert applied["Notional -y"] == pytest.approx([0, -weight / 200, 0], abs=1e-6)


@pytest.mark.parametrize("beams", [0, 1, 2])
def test_edge_beams_do_not_draw_the_storey_force_to_themselves(beams: int) -> None:
    """Light beams along two edges change the storey's drift little and take their own mass's share alone: the
    floor bends as it did. Force and moment about the centre of mass stay exact."""
    from rod_tally.model import Member, Node, Section

    drifts = {}
    for n in {0, beams}:
        m = house_of_walls()
        m.sections["b"] = Section("b", "plain", area=0.01, iy=1e-5, iz=1e-5, j=1e-5)
        for k in range(n):
            x = 4.0 * k
            for end, y in (("a", 0.0), ("b", 6.0)):
                m.nodes[f"{end}{k}"] = Node(f"{end}{k}", np.array([x, y, 6.0]))
            m.members[f"b{k}"] = Member(
                f"b{k}", f"b{k}", "beam", f"a{k}", f"b{k}", "b", "plate", np.array([0, 0, 1.0])
            )
            m.surfaces["s1"].joints.append(
                SurfaceJoint("member", f"b{k}", np.array([(x, 0, 6.0), (x, 6, 6.0)]))
            )
        found = levels(m, {"G": 1.0})
        AddCases(storey_cases("E", "seismic", found, {"L2": [20e3, 5e3, 3e3]}, 0.0, "t")).apply(m)
        r = run(m, RunSettings(), meshing=MeshSettings(0.5))
        assert not r.left_out
        e = r.equilibrium[r.case_index("E")]
        c = found[2].centre
        assert e.applied[:2] == pytest.approx([20e3, 5e3])
        assert e.applied[5] == pytest.approx(3e3 + c[0] * 5e3 - c[1] * 20e3, rel=1e-9)
        on_nodes = sum(np.abs(x.force).sum() for x in m.cases["E"].node_loads)
        assert on_nodes < 0.03 * 25e3 * max(n, 1) and (n or on_nodes == 0)
        drifts[n] = float(np.abs(r.displacement[r.case_index("E"), np.isclose(r.xyz[:, 2], 6.0), 0]).max())
    assert drifts[beams] == pytest.approx(drifts[0], rel=0.05)
