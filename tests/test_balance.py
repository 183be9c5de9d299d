"""Equilibrium at nodes and between storeys from forces as they are shown, and axial force down stacks."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import Results, run
from rod_tally.analysis.results.balance import Balance
from rod_tally.analysis.results.stacks import stack_forces
from rod_tally.loads import Distribution
from rod_tally.model import (
    PINNED,
    AreaLoad,
    Combination,
    Joint,
    LineSupport,
    LoadCase,
    MemberLoad,
    Model,
    NodeLoad,
    Settings,
    SpaceLoad,
    Storey,
    SurfaceJoint,
)
from rod_tally.model.geometry.lines import lines_of
from rod_tally.model.settings import MeshSettings

from .floors import floor
from .frames import frame, regular
from .plates import plate_model, shell
from .test_wall_columns import wall


def balance(m: Model, size: float = 0.5) -> tuple[Balance, Results]:
    r = run(m, Settings().run, meshing=MeshSettings(size))
    return Balance(m, r, Distribution(m)), r


def loaded() -> Model:
    """A frame of two storeys with self-weight, a push at a node, wind along columns and a point on a beam."""
    m = regular(1, 2)
    m.storeys = [Storey("L0", 0.0), Storey("L1", 3.5), Storey("L2", 7.0)]
    m.cases["g"] = LoadCase("g", "dead", self_weight=(0, 0, -1.0))
    m.cases["w"] = LoadCase("w", "wind", node_loads=[NodeLoad("n8", (2e3, 500, 0), (0, 0, 700))])
    columns = [i for i, x in m.members.items() if x.cls == "column"]
    beam = next(i for i, x in m.members.items() if x.cls == "beam")
    m.cases["w"].member_loads = [MemberLoad(i, 0.5, 3.0, (0, 1e3, 0), (0, 4e3, 0)) for i in columns]
    m.cases["w"].member_loads.append(MemberLoad(beam, 2.0, 2.0, (0, 0, -9e3), (0, 0, -9e3)))
    # on the very ends of a column and of a beam
    m.cases["e"] = LoadCase("e", "live")
    for at in (0.0, 3.5):
        m.cases["e"].member_loads.append(MemberLoad(columns[0], at, at, (0, 700, -2e3), (0, 700, -2e3)))
    m.cases["e"].member_loads.append(MemberLoad(beam, 6.0, 6.0, (0, 0, -3e3), (0, 0, -3e3)))
    return m


def floor_on_shells(way: str = "shell") -> Model:
    """Columns, beams and a slab as a shell, with two storeys' levels."""
    m = floor()
    m.surfaces["s"].way = way
    m.storeys = [Storey("L0", 0.0), Storey("L1", 3.0)]
    m.cases["live"].area_loads = [AreaLoad("s", ((0, 0, -3e3),))]
    m.cases["push"] = LoadCase("push", "wind", node_loads=[NodeLoad("n4", (5e3, 1e3, 0))])
    return m


@pytest.mark.parametrize("make", [loaded, floor_on_shells, lambda: floor_on_shells("two-way")])
def test_every_node_is_in_equilibrium(make: object) -> None:
    """What members, elements, loads and supports give each node sums to nothing: 1e-9 of the largest of
    them."""
    m = make()  # type: ignore[operator]
    b, r = balance(m)
    for case in r.cases:
        for n in r.node_ids[:: max(1, len(r.node_ids) // 40)]:
            given = b.at_node(case, n)
            most = max(np.abs(g.force).max() for g in given)
            assert np.abs(given[-1].force).max() <= 1e-9 * max(most, 1e3), (case, n)
            assert given[-1].what in ("left", "arms")


def test_a_node_names_what_meets_there() -> None:
    m = loaded()
    b, r = balance(m)
    given = {(g.what, g.ident): g.force for g in b.at_node("w", "n8")}
    assert ("load", "") in given and given["load", ""][[0, 1, 5]] == pytest.approx([2e3, 500, 700], abs=6e3)
    assert {i for w, i in given if w == "member"} == {
        i for i, x in m.members.items() if "n8" in (x.start, x.end)
    }
    foot = {g.what: g.force for g in b.at_node("g", "n0")}
    assert foot["support"] == pytest.approx(r.reaction[r.case_index("g"), r.support_ids.index("n0")])


def test_storeys_are_cut_exactly_through_columns_under_load() -> None:
    """Half-way up, columns carry what stands above: loads on their upper halves and no more; shears are sums
    from the top."""
    m = loaded()
    b, _ = balance(m)
    low, high = b.storey_cuts("w")
    assert (low.storey, high.storey) == ("L0", "L1")
    # of each 3.5 m column the trapezoid from 0.5 to 3.0 m has its part above 1.75 m over the cut
    part = (1e3 + 3e3 * 0.5 + 4e3) / 2 * 1.25
    assert high.parts["loads"][:3] == pytest.approx([2e3, 500 + 4 * part, 0], abs=1e-6)
    whole = 2.5 * 2.5e3
    assert low.parts["loads"][:3] == pytest.approx([2e3, 500 + 4 * (part + whole), -9e3], abs=1e-6)
    for cut in (low, high):
        assert cut.parts["columns"] == pytest.approx(-cut.parts["loads"], abs=1e-6)
        assert np.abs(cut.parts["left"]).max() < 1e-6
    # moments are about the plane's middle: of the push 5.25 m above it, and of the point load at 2 m of its
    # beam
    assert low.place == pytest.approx([3.0, 3.0, 1.75])
    assert low.parts["loads"][4] == pytest.approx(2e3 * 5.25 + (2.0 - 3.0) * 9e3)


def test_a_combination_is_cut_as_the_sum_of_its_cases() -> None:
    m = loaded()
    b, _ = balance(m)
    both = Combination("uls", "strength", {"g": 1.35, "w": -1.5})
    one, two, sum_ = b.storey_cuts("g")[0], b.storey_cuts("w")[0], b.storey_cuts(both)[0]
    for k in ("loads", "columns"):
        assert sum_.parts[k] == pytest.approx(1.35 * one.parts[k] - 1.5 * two.parts[k])
    with pytest.raises(ValueError, match="without sign"):
        b.storey_cuts(Combination("s", "seismic", {"g": 1.0}, roots=["g"]))


def test_walls_columns_and_slabs_share_what_is_above() -> None:
    """A wall as a shell beside columns: what each carries sums to the loads, forces and moments."""
    m = floor_on_shells()
    w = shell(m, "w", [(0, 0, 0), (0, 4, 0), (0, 4, 3), (0, 0, 3)], 0.2, cls="wall", edges="")
    w.material = "C30/37"
    w.supports = [LineSupport(np.array([(0, 0, 0), (0, 4, 0)], float), PINNED)]
    line = np.array([(0, 0, 3), (0, 4, 3)], float)
    w.joints.append(SurfaceJoint("surface", "s", line))
    m.surfaces["s"].joints.append(SurfaceJoint("surface", "w", line))
    m.cases["push"].node_loads[0].force = (0, 1e3, 0)
    b, _ = balance(m)
    (cut,) = b.storey_cuts("push")
    assert cut.parts["loads"][:3] == pytest.approx([0, 1e3, 0], abs=1e-6)
    assert np.abs(cut.parts["left"]).max() < 1e-5
    # the wall stands along y and takes nearly all of that direction
    assert -cut.parts["walls"][1] > 0.95 * 1e3
    assert sum(cut.parts.values())[:3] == pytest.approx([0, 0, 0], abs=1e-6)


def test_walls_that_stand_for_columns_count_as_walls() -> None:
    m = plate_model()
    wall(m, "w", (0, 0), (4, 0), 0.0, 3.0)
    wall(m, "v", (0, 0), (4, 0), 3.0, 6.0)
    line = np.array([(0, 0, 3), (4, 0, 3)], float)
    m.surfaces["w"].joints.append(SurfaceJoint("surface", "v", line))
    m.surfaces["v"].joints.append(SurfaceJoint("surface", "w", line))
    m.storeys = [Storey("L0", 0.0), Storey("L1", 3.0), Storey("L2", 6.0)]
    top = np.array([(0, 0, 6), (4, 0, 6)], float)
    m.cases["q"] = LoadCase("q", "live", space_loads=[SpaceLoad(top, (0, 0, -10e3), (0, 0, -10e3))])
    m.cases["g"] = LoadCase("g", "dead", self_weight=(0, 0, -1.0))
    b, r = balance(m)
    for cut in b.storey_cuts("q"):
        assert cut.parts["walls"][2] == pytest.approx(40e3) and np.abs(cut.parts["left"]).max() < 1e-6
    rows = stack_forces(m, r, r.case_index("g"), lines_of(m))
    assert [x.member for x in rows] == ["v", "w"]
    weight = 4 * 3 * 0.2 * 2500 * 9.80665
    assert [-x.foot for x in rows] == pytest.approx([weight, 2 * weight], rel=1e-6)


def test_axial_force_down_a_column_through_three_storeys() -> None:
    """One member from head to foot with beams joined at two levels: a row for each storey, growing by what
    comes in."""
    points = [(0, 0, 9), (0, 0, 0), (4, 0, 3), (4, 0, 6.2), (4, 0, 9), (0, 0, 3), (0, 0, 6.2)]
    m = frame(
        points, [(0, 1), (5, 2), (6, 3), (0, 4)], {1: "fixed", 2: "fixed", 3: "fixed", 4: "fixed"},
        dict.fromkeys((1, 2, 3), ("my mz", "my mz")), density=0.0,
    )  # fmt: skip
    m.members["m0"].joints = [Joint(2.8, "n6"), Joint(6.0, "n5")]
    m.storeys = [Storey(f"L{k}", 3.0 * k) for k in range(4)]
    loads = [NodeLoad(n, (0, 0, -q)) for n, q in (("n0", 1e3), ("n6", 2e3), ("n5", 4e3))]
    m.cases["q"] = LoadCase("q", "live", node_loads=loads)
    m.members["m0"].cls = "column"
    r = run(m, Settings().run)
    rows = stack_forces(m, r, 0, lines_of(m))
    assert [x.elevation for x in rows] == pytest.approx([6.2, 3.0, 0.0])
    assert [-x.head for x in rows] == pytest.approx([1e3, 3e3, 7e3], rel=1e-3)
    assert [x.more and -x.more for x in rows] == [
        None,
        pytest.approx(2e3, rel=1e-3),
        pytest.approx(4e3, rel=1e-3),
    ]


def test_loads_on_the_very_ends_of_members_are_in_no_cut_twice() -> None:
    m = loaded()
    b, _ = balance(m)
    for cut in b.storey_cuts("e"):
        assert np.abs(cut.parts["left"]).max() < 1e-6
    assert b.storey_cuts("e")[0].parts["loads"][2] == pytest.approx(-2e3 - 3e3)


def test_what_a_rigid_floor_passes_on_is_told_as_such() -> None:
    m = loaded()
    settings = Settings()
    settings.run.diaphragms = ["L1"]
    r = run(m, settings.run)
    b = Balance(m, r, Distribution(m), diaphragms=["L1"])
    given = b.at_node("w", "n4")
    assert given[-1].what == "arms" and np.abs(given[-1].force[[0, 1]]).max() > 1.0
    assert np.abs(given[-1].force[2:5]).max() < 1e-6
