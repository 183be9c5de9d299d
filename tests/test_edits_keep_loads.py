"""Corrections keep loads: the sum of every case and the place of every load stay, or the log says what does
not."""

from __future__ import annotations

import contextlib
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rod_tally.analysis import run
from rod_tally.loads import Distribution
from rod_tally.model import (
    FIXED,
    PINNED_END,
    AreaLoad,
    LoadCase,
    MemberLoad,
    Model,
    NodeLoad,
    Settings,
    SpaceLoad,
    TemperatureLoad,
)
from rod_tally.model.edits import (
    Edit,
    EditError,
    JoinCrossing,
    JoinEnd,
    KeepApart,
    MergeMembers,
    MoveNodes,
    PinBoth,
    ReverseMembers,
    ScaleCase,
    SetRelease,
    SetSupport,
    SplitMember,
)
from rod_tally.model.entities.loads import Spectrum
from rod_tally.model.member_force import member_force

from .floors import floor
from .physical_models import add, bay, model, source


def loaded_floor() -> Model:
    """A slab as a shell on beams and columns, with loads of every kind, also along the members that hold
    it."""
    m = floor()
    m.surfaces["s"].way = "shell"
    m.cases["Q"] = LoadCase(
        "Q", "live",
        node_loads=[NodeLoad("n5", (1e3, 0, -2e3), (0, 500, 0))],
        member_loads=[
            MemberLoad("m4", 0.0, 6.0, (0, 0, -9.5e3), (0, 0, -9.5e3)),
            MemberLoad("m4", 1.0, 4.0, (0, 200, -1e3), (0, 0, -4e3)),
            MemberLoad("m5", 3.0, 3.0, (0, 0, -5e3), (0, 0, -5e3)),
            MemberLoad("m6", 0.5, 2.0, (0, 300, 100), (0, 300, 100), local=True),
            MemberLoad("m0", 0.0, 3.0, (700, 0, 0), (100, 0, 0), projected=True),
        ],
        area_loads=[AreaLoad("s", ((0, 0, -2e3),))],
        space_loads=[SpaceLoad(np.array([[1.0, 0, 3], [5, 0, 3]]), (0, 0, -1e3), (0, 0, -1e3), to="m4")],
        temperatures=[TemperatureLoad("m4", 20.0, 0.0, 50.0), TemperatureLoad("m5", 10.0)],
    )  # fmt: skip
    return m


def sums(m: Model, case: str) -> tuple[np.ndarray, np.ndarray]:
    """Force of a case with what is not carried of it, and the moment about the origin of what stands on
    members and nodes."""
    c = m.cases[case]
    force = Distribution(m).case(case).total("applied") + sum(
        (np.array(f) for _, _, f in c.lost), np.zeros(3)
    )
    moment = np.zeros(3)
    for load in c.member_loads:
        if load.member not in m.members:
            continue
        line = m.line(m.members[load.member])
        u = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
        parts = [(load.a, member_force(m, load))] if load.a == load.b else []
        middle, half = (load.a + load.b) / 2, (load.b - load.a) / 2
        # Gauss: exact for linear loads times the lever
        for share in (-(3**-0.5), 3**-0.5) if load.b > load.a else ():
            t = (1 + share) / 2
            q = tuple(np.array(load.qa) * (1 - t) + np.array(load.qb) * t)
            parts.append((middle + half * share, member_force(m, replace(load, a=0.0, b=half, qa=q, qb=q))))
        for x, f in parts:
            force = force + f
            moment += np.cross(line[0] + u * x, f)
    for n in c.node_loads:
        force = force + n.force
        moment += np.cross(m.nodes[n.node].point, n.force)
    return force, moment


MEMBERS = [f"m{k}" for k in range(8)]
PICK = st.sampled_from(MEMBERS)
DISTANCE = st.floats(0.1, 5.9)
EDITS: st.SearchStrategy[Edit] = st.one_of(
    st.builds(SplitMember, PICK, DISTANCE),
    st.builds(JoinEnd, PICK, st.booleans(), PICK, st.booleans()),
    st.builds(JoinCrossing, PICK, PICK),
    st.builds(ReverseMembers, st.lists(PICK, min_size=1, max_size=3, unique=True)),
    st.builds(
        MergeMembers, st.lists(st.sampled_from([*MEMBERS, "m4+", "m5+", "m0+"]), min_size=2, max_size=2)
    ),
    st.builds(MoveNodes, st.just(["n4"]), st.lists(st.floats(-0.8, 0.8), min_size=3, max_size=3)),
    st.builds(MoveNodes, st.just(["n6"]), st.lists(st.floats(-0.8, 0.8), min_size=3, max_size=3)),
    st.builds(SetSupport, st.just(["n5"]), st.just(FIXED)),
    st.builds(PinBoth, st.lists(PICK, min_size=1, max_size=2)),
    st.builds(KeepApart, PICK, st.booleans(), st.booleans()),
)


@given(st.lists(EDITS, min_size=1, max_size=4))
@settings(max_examples=50, deadline=None, suppress_health_check=list(HealthCheck))
def test_random_corrections_keep_every_load_or_say_so(edits: list[Edit]) -> None:
    m = loaded_floor()
    for x in m.members.values():
        x.source_line = m.line(x) + np.array([[0.1, 0, 0], [0, 0.05, 0]])
    for edit in edits:
        force, moment = sums(m, "Q")
        warm = sorted((t.uniform, t.grad_z) for t in m.cases["Q"].temperatures)
        with contextlib.suppress(EditError):
            edit.apply(m)
            said = m.log[-1].message
            now = sums(m, "Q")
            if "sum of case Q" not in said:
                assert now[0] == pytest.approx(force, abs=1e-4), said
            if "case Q" not in said and not isinstance(edit, MoveNodes):
                # moved nodes take their own loads along; loads on members stay
                assert now[1] == pytest.approx(moment, abs=100.0), said  # 100 kN by 1 mm
            if not isinstance(edit, (SplitMember, MergeMembers)):
                assert sorted((t.uniform, t.grad_z) for t in m.cases["Q"].temperatures) == warm


def test_split_the_second_half_stays_tied_to_its_slab() -> None:
    """Split where it is continuous, a beam under a slab bends as before."""

    def moment(m: Model) -> float:
        r = run(m, Settings().run, meshing=Settings().mesh)
        of = [k for k, i in enumerate(r.member_ids) if i.startswith("m4")]
        return float(np.abs(r.force[r.case_index("Q")][np.isin(r.station_member, of)][:, 4]).max())

    before, m = moment(loaded_floor()), loaded_floor()
    SplitMember("m4", 2.0).apply(m)
    assert {j.other for j in m.surfaces["s"].joints} >= {"m4", "m4+"}
    # the mesh gets a node at the cut, so that forces differ by the elements' own error
    assert moment(m) == pytest.approx(before, rel=0.03)


def test_moving_a_node_that_shortens_a_member_keeps_the_sum() -> None:
    """A uniform load of 57 kN on 6 m; the end comes 1 m nearer: 47.5 kN stay where they were, 9.5 kN are
    reported."""
    m = loaded_floor()
    MoveNodes(["n5"], [-1.0, 0, 0]).apply(m)
    line = [load for load in m.cases["Q"].member_loads if load.member == "m4"][0]
    assert (line.a, line.b) == (0.0, 5.0) and line.qa[2] == -9.5e3
    assert m.cases["Q"].lost[0][2][2] == pytest.approx(-9.5e3)
    assert "9.5 kN of case Q now lie beyond their member" in m.log[-1].message


def test_joining_an_end_leaves_a_point_load_in_its_place() -> None:
    m = model(bay(0.3))
    m.cases["Q"] = LoadCase(
        "Q", "live", member_loads=[MemberLoad("B1", 2.0, 2.0, (0, 0, -1e3), (0, 0, -1e3))]
    )
    line = m.line(m.members["B1"])
    before = line[0] + (line[1] - line[0]) / np.linalg.norm(line[1] - line[0]) * 2.0
    KeepApart("B1", False).apply(m)
    JoinEnd("B1", True, "K2").apply(m)
    load, line = m.cases["Q"].member_loads[0], m.line(m.members["B1"])
    after = line[0] + (line[1] - line[0]) / np.linalg.norm(line[1] - line[0]) * load.a
    assert after[0] == pytest.approx(before[0], abs=5e-3)


@pytest.mark.parametrize(
    "fault, said",
    [("release", "release between"), ("temperature", "different temperatures"), ("turn", "turned")],
)
def test_merging_what_differs_is_refused(fault: str, said: str) -> None:
    m = loaded_floor()
    SplitMember("m4", 2.0).apply(m)
    if fault == "release":
        SetRelease(["m4"], True, PINNED_END).apply(m)
    elif fault == "temperature":
        m.cases["Q"].temperatures = [t for t in m.cases["Q"].temperatures if t.member != "m4+"]
    else:
        m.members["m4+"].z_axis = np.array([0.0, 1, 0])
    with pytest.raises(EditError, match=said):
        MergeMembers(["m4", "m4+"]).apply(m)


def test_a_crossing_takes_the_node_that_lies_there() -> None:
    """Two beams cross where a post stands: joined, the post carries them both."""
    s = source()
    add(s, "beam", "X", (0, 0, 3), (6, 0, 3))
    add(s, "beam", "Y", (3, -3, 3), (3, 3, 3))
    add(s, "column", "P", (3, 0, 0), (3, 0, 2.8), z=(1, 0, 0))
    m = model(s)
    for ident in ("X", "Y"):  # as a file without joints has them
        m.members[ident].joints = []
    post = m.members["P"].end
    m.nodes[post].point = np.array([3.0, 0.004, 3.0])
    JoinCrossing("X", "Y").apply(m)
    assert [j.node for j in m.members["X"].joints] == [post] == [j.node for j in m.members["Y"].joints]


def test_scaling_a_case_scales_its_spectrum() -> None:
    m = loaded_floor()
    m.cases["E"] = LoadCase("E", "seismic", spectrum=Spectrum("x", [(0.0, 1.0), (1.0, 2.5)]))
    ScaleCase("E", 2.0).apply(m)
    scaled: Any = m.cases["E"].spectrum
    assert scaled.curve == [(0.0, 2.0), (1.0, 5.0)]


def test_a_fault_of_an_edit_is_not_told_as_a_missing_part() -> None:
    class Faulty(ReverseMembers):
        def change(self, model: Model) -> str:
            raise KeyError("something else")

    m = loaded_floor()
    with pytest.raises(KeyError):
        Faulty(["m4"]).apply(m)
    del Edit.kinds["Faulty"]
    assert not m.corrections
