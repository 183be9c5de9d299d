"""The structural analysis domain: read back as written, and computed to the same numbers in every unit."""

from __future__ import annotations

from math import inf
from pathlib import Path

import numpy as np
import pytest

from rod_tally.analysis import Results, run
from rod_tally.checks import Subject, run_checks
from rod_tally.intake import read_source
from rod_tally.model import Model, Settings
from rod_tally.model.settings import RunSettings
from rod_tally.transfer import transfer

from .analytical_ifc import FREE, HELD, AnalyticalWriter, portal


def taken(w: AnalyticalWriter, tmp_path: Path) -> Model:
    return transfer(read_source(w.write(tmp_path / "model.ifc")), Settings().transfer)


def by_name(m: Model, name: str) -> str:
    return next(x.id for x in m.members.values() if x.name == name)


@pytest.mark.parametrize("schema", ["IFC2X3", "IFC4", "IFC4X3"])
@pytest.mark.parametrize(
    ("length", "force"), [("METRE", "NEWTON"), ("MILLIMETRE", "KILONEWTON"), ("FOOT", "NEWTON")]
)
def test_portal_gives_the_same_reactions_in_every_unit(
    tmp_path: Path, schema: str, length: str, force: str
) -> None:
    m = taken(portal(schema, length, force), tmp_path)
    reference = taken(portal("IFC4", "METRE", "NEWTON"), tmp_path)
    r, ref = run(m, RunSettings()), run(reference, RunSettings())
    assert r.cases == ["Self-weight", "Floor", "Wind"]
    for a, b in zip(_sorted_reactions(r), _sorted_reactions(ref)):
        assert a == pytest.approx(b, rel=1e-6, abs=1e-3)
    assert r.reaction[1, :, 2].sum() == pytest.approx(72e3)
    assert r.reaction[2, :, 0].sum() == pytest.approx(-20e3)
    assert max(e.residual for e in r.equilibrium) <= 1e-9
    assert [f for f in run_checks(Subject(m, r)) if f.severity != "note"] == []


def _sorted_reactions(r: Results) -> list[np.ndarray]:
    x = r.xyz[[r.node_ids.index(n) for n in r.support_ids], 0]
    return [r.reaction[c][np.argsort(x)] for c in range(len(r.cases))]


def test_units_that_are_not_stated_follow_force_and_length(tmp_path: Path) -> None:
    """Millimetres and kilonewtons without derived units: taken as kN/mm, and the log says so."""
    m = taken(portal("IFC4", "MILLIMETRE", "KILONEWTON", derived=False), tmp_path)
    r = run(m, RunSettings())
    assert r.reaction[1, :, 2].sum() == pytest.approx(72e3)
    assert any("states no unit" in e.message for e in m.log)


def test_cases_have_kinds(tmp_path: Path) -> None:
    m = taken(portal(), tmp_path)
    assert {c.name: c.kind for c in m.cases.values()} == {
        "Self-weight": "dead",
        "Floor": "dead",
        "Wind": "wind",
    }


def test_supports_held_free_and_sprung(tmp_path: Path) -> None:
    w = portal("IFC4", "MILLIMETRE", "KILONEWTON")
    w.points["a"].AppliedCondition = w.condition([HELD, HELD, 4e6, FREE, 2e5, None])
    m = taken(w, tmp_path)
    node = next(n for n in m.nodes.values() if n.point[2] < 0.1 and n.point[0] < 0.1)
    assert node.support.words == "ux uy uz=4e6 ry=2e5"


@pytest.mark.parametrize("schema", ["IFC2X3", "IFC4"])
def test_end_releases_are_read_in_member_axes(tmp_path: Path, schema: str) -> None:
    """A beam released about its own y at both ends is a simple beam: q l^2 / 8."""
    w = portal(schema)
    for rel in list(w.f.by_type("IfcRelConnectsStructuralMember")):
        if rel.RelatingStructuralMember.Name == "beam":
            rel.AppliedCondition = w.condition([HELD, HELD, HELD, HELD, FREE, HELD])
    m = taken(w, tmp_path)
    beam = by_name(m, "beam")
    assert m.members[beam].release_start.words == "my"
    r = run(m, RunSettings())
    f = r.force[1, r.stations_of(beam)]
    assert f[0, 4] == 0 and f[-1, 4] == 0
    assert f[len(f) // 2, 4] == pytest.approx(-12e3 * 36 / 8)


def test_sprung_end_in_file_units(tmp_path: Path) -> None:
    w = portal("IFC4", "MILLIMETRE", "KILONEWTON")
    rel = next(
        r for r in w.f.by_type("IfcRelConnectsStructuralMember") if r.RelatingStructuralMember.Name == "beam"
    )
    rel.AppliedCondition = w.condition([HELD, HELD, HELD, HELD, 5e6, None])
    m = taken(w, tmp_path)
    release = m.members[by_name(m, "beam")].release_start
    assert release.stiffness[:4] == (inf,) * 4 and release.stiffness[5] == inf
    assert release.stiffness[4] == pytest.approx(5e6)


def test_pin_joined_members_carry_axial_force_only(tmp_path: Path) -> None:
    w = portal()
    w.member("tie", (0, 0, 0), (6, 0, 4), w.rectangle(0.05, 0.05), w.material(), kind="PIN_JOINED_MEMBER")
    w.connect("tie", "a")
    w.connect("tie", "c")
    m = taken(w, tmp_path)
    r = run(m, RunSettings())
    f = r.force[2, r.stations_of(by_name(m, "tie"))]
    assert abs(f[:, 0]).min() > 1e3
    assert np.abs(f[:, 3:]).max() <= 1e-6 * np.abs(f[:, 0]).max()
    assert not any(x.code == "release.unstable" for x in run_checks(Subject(m, r)))


def test_eccentric_connection_is_a_rigid_arm(tmp_path: Path) -> None:
    """A cantilever whose member starts 0.3 m above its support, pulled sideways along itself: moment N e at
    the foot."""
    w = AnalyticalWriter()
    steel, section = w.material(), w.rectangle()
    w.point("foot", (0, 0, 0), [HELD] * 6)
    w.point("tip", (5, 0, 0.3))
    w.member("arm", (0, 0, 0.3), (5, 0, 0.3), section, steel)
    w.connect("arm", "foot", offset=(0, 0, 0.3))
    w.connect("arm", "tip")
    w.case("Pull")
    w.at_point("Pull", "tip", 10e3, 0, 0, 0, 0, 0)
    m = taken(w, tmp_path)
    assert m.members[by_name(m, "arm")].offset_start == pytest.approx([0, 0, 0.3])
    r = run(m, RunSettings())
    c = r.case_index("Pull")
    assert r.reaction[c, 0, 0] == pytest.approx(-10e3)
    assert abs(r.reaction[c, 0, 4]) == pytest.approx(3e3)


def test_both_ends_at_one_point_leave_the_farther_end_free(tmp_path: Path) -> None:
    """A wrong reference: the member keeps its length, and the end that is not connected is reported."""
    w = simple_beam()
    w.member("second", (6, 0, 0), (6, 0, 3), w.rectangle(), w.material())
    w.connect("second", "b")
    w.point("same", (6, 0, 0))
    w.connect("second", "same")
    m = taken(w, tmp_path)
    found = [f for f in run_checks(Subject(m, None)) if f.code == "source.unread"]
    assert np.linalg.norm(np.diff(m.line(m.members[by_name(m, "second")]), axis=0)) == pytest.approx(3)
    assert [f.severity for f in found] == ["warning"] and "its end" in found[0].message
    assert found[0].ids == (by_name(m, "second"),)


@pytest.mark.parametrize(("far", "severity"), [(0.015, "note"), (4.0, "warning")])
def test_a_point_off_the_member_it_is_connected_to_is_reported(
    tmp_path: Path, far: float, severity: str
) -> None:
    """The rigid link that is laid from the point to the member's end shows in the findings, whatever its
    length."""
    w = simple_beam()
    w.member("second", (6, 0, far), (6, 3, far), w.rectangle(), w.material())
    w.connect("second", "b")
    m = taken(w, tmp_path)
    found = [f for f in run_checks(Subject(m, None)) if f.code == "source.moved"]
    assert [(f.severity, f.ids) for f in found] == [(severity, (by_name(m, "second"),))]
    assert found[0].numbers["distance"] == pytest.approx(far)


def simple_beam(schema: str = "IFC4", length: str = "METRE", force: str = "NEWTON") -> AnalyticalWriter:
    w = AnalyticalWriter(schema, length, force)
    w.point("a", (0, 0, 0), [HELD, HELD, HELD, HELD, FREE, FREE])
    w.point("b", (6, 0, 0), [FREE, HELD, HELD, FREE, FREE, FREE])
    w.member("beam", (0, 0, 0), (6, 0, 0), w.rectangle(), w.material())
    w.connect("beam", "a")
    w.connect("beam", "b")
    w.case("Q")
    return w


def moment_at(m: Model, x: float, case: str = "Q") -> float:
    r = run(m, RunSettings(stations=13))
    at = r.stations_of(next(iter(m.members)))
    return float(np.interp(x, r.station_x[at], r.force[r.case_index(case), at, 4]))


@pytest.mark.parametrize(
    ("length", "force"), [("METRE", "NEWTON"), ("MILLIMETRE", "KILONEWTON"), ("FOOT", "NEWTON")]
)
def test_load_shapes_along_a_member(tmp_path: Path, length: str, force: str) -> None:
    """Linear, stepped, concentrated by place, and concentrated by its own vertex: simple-beam moments (Roark
    table 8.1)."""
    w = simple_beam("IFC4", length, force)
    w.varying("Q", "beam", [w.linear(0, 0, 0), w.linear(0, 0, -9e3)], [0, 6], "LINEAR")
    # q L^2 / 16 at midspan
    assert moment_at(taken(w, tmp_path), 3) == pytest.approx(-9e3 * 36 / 16, rel=1e-9)
    w = simple_beam("IFC4", length, force)
    w.varying("Q", "beam", [w.single(0, 0, -8e3), w.single(0, 0, -8e3)], [2, 4], "DISCRETE")
    assert moment_at(taken(w, tmp_path), 3) == pytest.approx(-16e3, rel=1e-9)  # P a
    w = simple_beam("IFC4", length, force)
    w.on_member("Q", "beam", (3, 0, 0), 0, 0, -8e3)
    assert moment_at(taken(w, tmp_path), 3) == pytest.approx(-12e3, rel=1e-9)  # P L / 4
    w = simple_beam("IFC4", length, force)
    w.uniform("Q", "beam", 0, 0, -5e3, GlobalOrLocal="LOCAL_COORDS")
    assert moment_at(taken(w, tmp_path), 3) == pytest.approx(-5e3 * 36 / 8, rel=1e-9)


def test_two_values_of_the_old_schema_vary_linearly(tmp_path: Path) -> None:
    w = simple_beam("IFC2X3")
    entity = w.action(
        "IfcStructuralLinearActionVarying",
        "Q",
        w.members["beam"],
        w.linear(0, 0, 0),
        ProjectedOrTrue="TRUE_LENGTH",
    )
    entity.SubsequentAppliedLoads = [w.linear(0, 0, -9e3)]
    assert moment_at(taken(w, tmp_path), 3) == pytest.approx(-9e3 * 36 / 16, rel=1e-9)


def test_self_weight_coefficients_take_the_place_of_the_added_case(tmp_path: Path) -> None:
    w = portal()
    w.case("Own", "DEAD_LOAD_G", "PERMANENT_G", SelfWeightCoefficients=(0.0, 0.0, -1.0))
    m = taken(w, tmp_path)
    assert list(m.cases) == ["Floor", "Wind", "Own"]
    r = run(m, RunSettings())
    volume = 0.2 * 0.4 * (4 + 6 + 4)
    assert r.applied["Own"][2] == pytest.approx(-volume * 7850 * 9.80665)


def test_combinations_and_nested_groups(tmp_path: Path) -> None:
    w = portal()
    combination = w.root(
        "IfcStructuralLoadGroup",
        "ULS",
        PredefinedType="LOAD_COMBINATION",
        ActionType="NOTDEFINED",
        ActionSource="NOTDEFINED",
        Purpose="strength",
    )
    for name, factor in (("Floor", 1.35), ("Wind", 1.5)):
        w.root(
            "IfcRelAssignsToGroupByFactor",
            RelatedObjects=[w.cases[name][0]],
            RelatingGroup=combination,
            Factor=factor,
        )
    inner = w.root(
        "IfcStructuralLoadGroup",
        "inner",
        PredefinedType="LOAD_GROUP",
        ActionType="NOTDEFINED",
        ActionSource="NOTDEFINED",
        Coefficient=2.0,
    )
    load = w.action("IfcStructuralPointAction", "Wind", w.points["c"], w.single(1e3, 0, 0))
    w.cases["Wind"][1].remove(load)
    w.root("IfcRelAssignsToGroup", RelatedObjects=[load], RelatingGroup=inner)
    w.root("IfcRelAssignsToGroup", RelatedObjects=[inner], RelatingGroup=w.cases["Wind"][0])
    m = taken(w, tmp_path)
    assert m.combinations[0].factors == {"Floor": 1.35, "Wind": 1.5}
    assert run(m, RunSettings()).applied["Wind"][0] == pytest.approx(22e3)  # 20 kN and twice 1 kN


def test_combinations_of_combinations_are_spelt_out_and_half_read_ones_left_out(tmp_path: Path) -> None:
    """A combination inside another counts with both factors; a coefficient of 0 is 0; what holds more than
    cases is named."""
    w = portal()

    def combination(name: str, parts: dict[object, float], **more: object) -> object:
        group = w.root(
            "IfcStructuralLoadGroup",
            name,
            PredefinedType="LOAD_COMBINATION",
            ActionType="NOTDEFINED",
            ActionSource="NOTDEFINED",
            **more,
        )
        for part, factor in parts.items():
            w.root("IfcRelAssignsToGroupByFactor", RelatedObjects=[part], RelatingGroup=group, Factor=factor)
        return group

    floor, wind = w.cases["Floor"][0], w.cases["Wind"][0]
    base = combination("base", {floor: 1.35}, Coefficient=2.0)
    combination("outer", {base: 0.5, wind: 1.5, floor: 0.1})
    combination("nothing", {floor: 1.0}, Coefficient=0.0)
    inner = w.root(
        "IfcStructuralLoadGroup",
        "inner",
        PredefinedType="LOAD_GROUP",
        ActionType="NOTDEFINED",
        ActionSource="NOTDEFINED",
    )
    w.root("IfcRelAssignsToGroup", RelatedObjects=[inner], RelatingGroup=wind)
    half = combination("half", {floor: 1.0, inner: 1.5})
    loop = combination("loop", {floor: 1.0})
    w.root("IfcRelAssignsToGroupByFactor", RelatedObjects=[loop], RelatingGroup=loop, Factor=1.0)
    m = taken(w, tmp_path)
    found = {c.name: c.factors for c in m.combinations}
    assert found["base"] == pytest.approx({"Floor": 2.7})
    assert found["outer"] == pytest.approx({"Floor": 0.5 * 2.7 + 0.1, "Wind": 1.5})
    assert found["nothing"] == {"Floor": 0.0}
    assert "half" not in found and "loop" not in found
    named = {x.id: x.reason for x in m.skipped if x.cls == "combination"}
    assert named.keys() == {half.GlobalId, loop.GlobalId} and "inner" in named[half.GlobalId]  # type: ignore[attr-defined]


def test_actions_that_cannot_be_taken_over_are_lost_in_words(tmp_path: Path) -> None:
    w = portal()
    moved = w.f.create_entity("IfcStructuralLoadSingleDisplacement", None, 0.01, 0.0, 0.0)
    w.action("IfcStructuralCurveAction", "Floor", w.members["beam"], moved, PredefinedType="CONST")
    m = taken(w, tmp_path)
    r = run(m, RunSettings())
    found = [f for f in run_checks(Subject(m, r)) if f.code == "load.uncarried"]
    assert len(found) == 1 and "imposed movement along a member" in found[0].message


@pytest.mark.parametrize(
    ("shape", "mean", "moment"), [("SINUS", 2 / np.pi, 1 / np.pi**2), ("PARABOLA", 2 / 3, 5 / 48)]
)
def test_half_waves_and_parabolas_keep_their_sum_and_nearly_their_moment(
    tmp_path: Path, shape: str, mean: float, moment: float
) -> None:
    """Sums q l 2/pi and q l 2/3 exactly; first moments of one half about mid-span q l^2 (1/2pi - 1/pi^2) and
    q l^2 (1/6 - 5/48) within 1 %, from the mid-span moments q l^2/pi^2 and 5 q l^2/48 of any handbook."""
    w = portal()
    w.case("Q")
    w.uniform("Q", "beam", 0, 0, -1e3, 0, 0, 0, PredefinedType=shape)
    m = taken(w, tmp_path)
    loads = m.cases["Q"].member_loads
    span = m.length(m.members[loads[0].member])
    force = [(x.qa[2] + x.qb[2]) / 2 * (x.b - x.a) for x in loads]
    assert sum(force) == pytest.approx(-1e3 * span * mean, rel=1e-12)
    half = sum(f * (span / 2 - (x.a + x.b) / 2) for f, x in zip(force, loads) if x.b <= span / 2 + 1e-9)
    assert half == pytest.approx(-1e3 * span**2 * (mean / 4 - moment), rel=0.01)


def test_point_inside_a_member_supports_it_there(tmp_path: Path) -> None:
    """A prop at midspan that no end is tied to: a two-span beam, support moment q l^2 / 8 with l half the
    length (less what shear takes: 1.4 % here)."""
    w = simple_beam()
    w.point("prop", (3, 0, 0), [FREE, FREE, HELD, FREE, FREE, FREE])
    w.connect("beam", "prop")
    w.uniform("Q", "beam", 0, 0, -10e3)
    m = taken(w, tmp_path)
    assert [j.distance for j in next(iter(m.members.values())).joints] == [pytest.approx(3.0)]
    assert not [e for e in m.log if "more than two connections" in e.message]
    assert moment_at(m, 3) == pytest.approx(10e3 * 9 / 8, rel=2e-2)


@pytest.mark.parametrize(("gap", "joined"), [(0.01, True), (0.024, True), (0.04, False), (0.2, False)])
def test_gaps_close_up_to_the_snap_distance(tmp_path: Path, gap: float, joined: bool) -> None:
    """Ends with points of their own, `gap` apart: closed and logged, or found."""
    w = AnalyticalWriter()
    steel, section = w.material(), w.rectangle()
    w.point("a", (0, 0, 0), [HELD] * 6)
    w.point("b", (0, 0, 4))
    w.point("b2", (gap, 0, 4))
    w.point("c", (gap + 2.5, 0, 4))
    w.member("column", (0, 0, 0), (0, 0, 4), section, steel)
    w.member("beam", (gap, 0, 4), (gap + 2.5, 0, 4), section, steel)
    for member, point in (("column", "a"), ("column", "b"), ("beam", "b2"), ("beam", "c")):
        w.connect(member, point)
    m = taken(w, tmp_path)
    codes = {f.code for f in run_checks(Subject(m, run(m, RunSettings())))}
    assert (len(m.nodes) == 3) is joined
    assert ("join.gap" in codes) is not joined
    assert ("join.island" in codes) is not joined
    assert any(e.kind == "moved" for e in m.log) is joined


def test_both_kinds_in_one_file_take_the_analytical_members(tmp_path: Path) -> None:
    w = portal()
    f = w.f
    storey = w.root("IfcBuildingStorey", "Ground", Elevation=0.0)
    solid = f.createIfcExtrudedAreaSolid(
        w.rectangle(),
        f.createIfcAxis2Placement3D(w.cartesian((0, 0, 0))),
        f.createIfcDirection((0.0, 0.0, 1.0)),
        4.0,
    )
    rep = f.createIfcShapeRepresentation(w.context, "Body", "SweptSolid", [solid])
    place = f.createIfcLocalPlacement(None, f.createIfcAxis2Placement3D(w.cartesian((0, 0, 0))))
    column = w.root(
        "IfcColumn",
        "K",
        ObjectPlacement=place,
        Representation=f.createIfcProductDefinitionShape(None, None, [rep]),
    )
    w.root("IfcRelContainedInSpatialStructure", RelatedElements=[column], RelatingStructure=storey)
    m = taken(w, tmp_path)
    assert m.kind == "both" and len(m.members) == 3
    assert any("also holds analytical members" in s.reason for s in m.skipped)


def test_each_lost_action_is_told_once(tmp_path: Path) -> None:
    """A point load far beyond its member's end, and an action in no case at all that cannot be taken over."""
    w = portal()
    w.on_member("Floor", "beam", (9, 0, 4), 0, 0, -5e3)
    moved = w.f.create_entity("IfcStructuralLoadSingleDisplacement", None, 0.01, 0.0, 0.0)
    stray = w.action("IfcStructuralCurveAction", "Wind", w.members["beam"], moved, PredefinedType="CONST")
    w.cases["Wind"][1].remove(stray)
    m = taken(w, tmp_path)
    assert [len(m.cases[c].lost) for c in ("Floor", "Unassigned")] == [1, 1]
    found = {
        f.ids[0]: f.message
        for f in run_checks(Subject(m, run(m, RunSettings())))
        if f.code == "load.uncarried"
    }
    assert set(found) == {"Floor", "Unassigned"}
    assert "1 action was not taken over" in found["Floor"]
