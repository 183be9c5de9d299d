"""Loads of files as they are meant: axes, places, cases. Each sum and moment is worked out by hand."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.checks import Subject, run_checks
from rod_tally.intake import read_source
from rod_tally.loads import Distribution
from rod_tally.loads.patterns import patterns
from rod_tally.model import AreaLoad, LoadCase, MemberLoad, Model, Settings, SpaceLoad
from rod_tally.model.edits import AddCases, TurnSurfaces
from rod_tally.transfer import transfer

from .analytical_ifc import HELD, AnalyticalWriter
from .floors import floor
from .physical_models import model
from .test_floors_hold import building

Write = Callable[[AnalyticalWriter], Any]


def taken(w: AnalyticalWriter, path: Path) -> Model:
    return transfer(read_source(w.write(path)), Settings().transfer)


def beam(schema: str = "IFC4") -> AnalyticalWriter:
    """A beam of 8 m along x, both ends fixed, with one case."""
    w = AnalyticalWriter(schema)
    w.point("a", (0, 0, 0), [HELD] * 6)
    w.point("b", (8, 0, 0), [HELD] * 6)
    w.member("beam", (0, 0, 0), (8, 0, 0), w.rectangle(), w.material())
    w.connect("beam", "a")
    w.connect("beam", "b")
    w.case("Q")
    return w


def drawn(w: AnalyticalWriter, a: Sequence[float], b: Sequence[float], values: list[Any], **more: Any) -> Any:
    """A line load drawn from a to b that acts on the beam: one value, or two."""
    load = values[0]
    if len(values) > 1:
        load = w.f.create_entity("IfcStructuralLoadConfiguration", None, values, None)
    shape = w.shape(w.f.createIfcEdge(w.vertex(a), w.vertex(b)), "Edge")
    kind = "LINEAR" if len(values) > 1 else "CONST"
    return w.action(
        "IfcStructuralCurveAction", "Q", w.members["beam"], load, Representation=shape, PredefinedType=kind, **more
    )  # fmt: skip


def sums(m: Model, case: str = "Q") -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Force and moment about the origin that arrived, and the force that did not."""
    r = run(m, Settings().run)
    d = Distribution(m).case(case)
    lost = d.total("lost") + sum((np.array(f) for *_, f in m.cases[case].lost), np.zeros(3))
    applied = next(e.applied for e in r.equilibrium if e.case == case)
    return applied[:3], applied[3:], lost


def test_a_load_that_overhangs_its_member_says_what_is_gone(tmp_path: Path) -> None:
    """10 kN/m over 8 m of which 2 m lie beyond the end: 60 kN act, 20 kN are told."""
    w = beam()
    drawn(w, (2, 0, 0), (10, 0, 0), [w.linear(0, 0, -10e3, 0, 0, 0)])
    force, moment, lost = sums(m := taken(w, tmp_path / "m.ifc"))
    assert force == pytest.approx([0, 0, -60e3]) and lost == pytest.approx([0, 0, -20e3])
    assert moment == pytest.approx([0, 60e3 * 5, 0])
    (f,) = [f for f in run_checks(Subject(m)) if f.code == "load.uncarried"]
    assert f.numbers["share"] == pytest.approx(0.25)


def test_a_load_askew_to_its_member_acts_in_full(tmp_path: Path) -> None:
    """From (2, -0.1) to (4, 0.1): 2.00998 m of 10 kN/m on 2 m of the beam."""
    w = beam()
    drawn(w, (2, -0.1, 0), (4, 0.1, 0), [w.linear(0, 0, -10e3, 0, 0, 0)])
    force, moment, lost = sums(taken(w, tmp_path / "m.ifc"))
    whole = -10e3 * math.hypot(2, 0.2)
    assert force == pytest.approx([0, 0, whole]) and not lost.any()
    # about its middle it turns by q times the second moment of the edge: int y q dx is zero
    assert moment == pytest.approx([0, -whole * 3, 0], abs=1e-6)


def test_a_load_beside_its_member_turns_it(tmp_path: Path) -> None:
    """Upright load 0.2 m beside the axis, growing from 4 to 8 kN/m: torsion of its sum times the distance."""
    w = beam()
    drawn(w, (0, 0.2, 0), (8, 0.2, 0), [w.linear(0, 0, -4e3, 0, 0, 0), w.linear(0, 0, -8e3, 0, 0, 0)])
    force, moment, lost = sums(taken(w, tmp_path / "m.ifc"))
    assert force == pytest.approx([0, 0, -48e3]) and not lost.any()
    assert moment == pytest.approx([-48e3 * 0.2, 4e3 * 32 + 0.5 * 4e3 * 8 * 16 / 3, 0])


def test_a_load_askew_and_growing_keeps_its_moment(tmp_path: Path) -> None:
    """The moment of a load and a distance that both change along it, by Simpson's rule, exact for a cubic."""
    w = beam()
    a, b, qa, qb = np.array([1, 0.0, 0.1]), np.array([7, 0.25, 0.0]), -3e3, -9e3
    drawn(w, a, b, [w.linear(0, 2e3, qa, 0, 0, 0), w.linear(0, 2e3, qb, 0, 0, 0)])
    force, moment, _ = sums(taken(w, tmp_path / "m.ifc"))
    size = float(np.linalg.norm(b - a))
    expected = np.zeros(3)
    for t, weight in ((0, 1 / 6), (0.5, 4 / 6), (1, 1 / 6)):
        expected += weight * size * np.cross(a + (b - a) * t, [0, 2e3, qa + (qb - qa) * t])
    assert force == pytest.approx([0, 2e3 * size, (qa + qb) / 2 * size]) and moment == pytest.approx(
        expected, rel=1e-9
    )


def test_a_load_drawn_the_other_way_round_keeps_its_ends(tmp_path: Path) -> None:
    found = []
    for ends, values in (((2, 6), (-2e3, -6e3)), ((6, 2), (-6e3, -2e3))):
        w = beam()
        drawn(w, (ends[0], 0, 0), (ends[1], 0, 0), [w.linear(0, 0, v, 0, 0, 0) for v in values])
        found.append(sums(taken(w, tmp_path / "m.ifc")))
    assert found[0][1] == pytest.approx(found[1][1]) and found[0][0] == pytest.approx([0, 0, -16e3])
    assert found[0][1] == pytest.approx([0, 2e3 * 4 * 4 + 0.5 * 4e3 * 4 * (2 + 8 / 3), 0])


@pytest.mark.parametrize("aside, acts", [(0.29, True), (0.31, False), (10.0, False)])
def test_a_load_drawn_away_from_its_member_is_lost(tmp_path: Path, aside: float, acts: bool) -> None:
    """Beyond the search distance (0.3 m) nothing says that it is meant for the member."""
    w = beam()
    drawn(w, (0, aside, 0), (8, aside, 0), [w.linear(0, 0, -1e3, 0, 0, 0)])
    w.on_member("Q", "beam", (4, aside, 0), 0, 0, -5e3, 0, 0, 0)
    force, moment, lost = sums(m := taken(w, tmp_path / "m.ifc"))
    assert force[2] == pytest.approx(-13e3 if acts else 0.0) and lost[2] == pytest.approx(
        0.0 if acts else -13e3
    )
    assert moment[0] == pytest.approx(-13e3 * aside if acts else 0.0)
    assert bool([f for f in run_checks(Subject(m)) if f.code == "load.uncarried"]) != acts


def test_projected_loads_of_two_components_add_up(tmp_path: Path) -> None:
    """A rafter of 45 degrees: each component a metre of projection is 0.7071 a metre of length, by itself
    or together, along the member too."""
    found = {}
    for name, values in (
        ("x", (3e3, 0, 0)),
        ("z", (0, 0, -3e3)),
        ("both", (3e3, 0, -3e3)),
        ("along", (3e3, 0, 3e3)),
    ):
        w = AnalyticalWriter()
        w.point("a", (0, 0, 0), [HELD] * 6)
        w.point("b", (6, 0, 6), [HELD] * 6)
        w.member("beam", (0, 0, 0), (6, 0, 6), w.rectangle(), w.material())
        w.connect("beam", "a")
        w.connect("beam", "b")
        w.case("Q")
        w.uniform("Q", "beam", *values, 0, 0, 0, ProjectedOrTrue="PROJECTED_LENGTH")
        found[name] = sums(taken(w, tmp_path / "m.ifc"))[0]
    assert found["x"] == pytest.approx([18e3, 0, 0]) and found["z"] == pytest.approx([0, 0, -18e3])
    assert found["both"] == pytest.approx(found["x"] + found["z"])
    assert found["along"] == pytest.approx([18e3, 0, 18e3])


def plate(
    w: AnalyticalWriter,
    z: Sequence[float],
    x: Sequence[float],
    corners: Sequence[Sequence[float]],
    name: str = "s",
) -> Any:
    """A surface member of 6 x 4 m whose plane has these axes and lies at its first corner."""
    f = w.f
    place = f.createIfcAxis2Placement3D(
        w.cartesian(corners[0]),
        f.createIfcDirection([float(v) for v in z]),
        f.createIfcDirection([float(v) for v in x]),
    )
    bound = f.createIfcFaceOuterBound(f.createIfcPolyLoop([w.cartesian(p) for p in corners]), True)
    face = f.createIfcFaceSurface([bound], f.createIfcPlane(place), True)
    entity = w.root(
        "IfcStructuralSurfaceMember",
        name,
        Representation=w.shape(face, "Face"),
        PredefinedType="SHELL",
        Thickness=0.2,
    )
    w.root(
        "IfcRelAssociatesMaterial",
        RelatedObjects=[entity],
        RelatingMaterial=w.material("C30/37", 33e9, 13e9, 2500.0),
    )
    return entity


FLOOR = [(0, 0, 3), (6, 0, 3), (6, 4, 3), (0, 4, 3)]
WALL = [(0, 0, 0), (6, 0, 0), (6, 0, 4), (0, 0, 4)]


@pytest.mark.parametrize(
    "corners, z, x, expected",
    [
        (FLOOR, (0, 0, 1), (1, 0, 0), (0, 0, 120e3)),
        (FLOOR, (0, 0, -1), (1, 0, 0), (0, 0, -120e3)),
        (FLOOR, (0, 0, -1), (0, 1, 0), (0, 0, -120e3)),
        (WALL, (0, -1, 0), (1, 0, 0), (0, -120e3, 0)),
        (WALL, (0, 1, 0), (0, 0, 1), (0, 120e3, 0)),
    ],
)
def test_a_pressure_in_a_surface_s_own_axes_takes_those_of_the_file(
    tmp_path: Path, corners: Any, z: Any, x: Any, expected: Any
) -> None:
    w = AnalyticalWriter()
    s = plate(w, z, x, corners)
    w.case("Q")
    load = w.f.create_entity("IfcStructuralLoadPlanarForce", None, 0.0, 0.0, 5e3)
    w.action(
        "IfcStructuralSurfaceAction", "Q", s, load,
        GlobalOrLocal="LOCAL_COORDS", ProjectedOrTrue="TRUE_LENGTH", PredefinedType="CONST",
    )  # fmt: skip
    m = taken(w, tmp_path / "m.ifc")
    assert Distribution(m).case("Q").total("applied") == pytest.approx(expected)
    # turned by hand, its axes are others; the load is not
    TurnSurfaces([next(iter(m.surfaces))], [0.0, 1.0, 1.0], True).apply(m)
    assert Distribution(m).case("Q").total("applied") == pytest.approx(expected)


def test_turning_axes_turns_no_pressure_given_in_them() -> None:
    m = floor()
    m.cases["Q"] = LoadCase("Q", area_loads=[AreaLoad("s", ((100.0, 0.0, -5e3),), local=True)])
    before = Distribution(m).case("Q").total("applied")
    edit = TurnSurfaces(["s"], [0.3, 1.0, 0.0], True)
    edit.apply(m)
    assert Distribution(m).case("Q").total("applied") == pytest.approx(before)
    edit.revert(m)
    assert m.cases["Q"].area_loads[0].values == ((100.0, 0.0, -5e3),)


def test_three_values_hold_where_the_plane_of_the_file_has_them(tmp_path: Path) -> None:
    """2, 2 and 5 kN/m2 at (0, 0), (4, 0) and (0, 6) of a plane whose x runs along the world's y: 2 + x /
    2, sum 24 * 3.5."""
    w = AnalyticalWriter()
    s = plate(w, (0, 0, -1), (0, 1, 0), FLOOR)
    w.case("Q")
    values = [w.f.create_entity("IfcStructuralLoadPlanarForce", None, 0.0, 0.0, -v) for v in (2e3, 2e3, 5e3)]
    load = w.f.create_entity(
        "IfcStructuralLoadConfiguration", None, values, [[0.0, 0.0], [4.0, 0.0], [0.0, 6.0]]
    )
    w.action(
        "IfcStructuralSurfaceAction", "Q", s, load, ProjectedOrTrue="TRUE_LENGTH", PredefinedType="BILINEAR"
    )
    m = taken(w, tmp_path / "m.ifc")
    assert Distribution(m).case("Q").total("applied") == pytest.approx([0, 0, -24 * 3.5e3])


@pytest.mark.parametrize("told", [True, False])
def test_the_older_schema_s_varying_pressure(tmp_path: Path, told: bool) -> None:
    """Three values with the points they hold at; without points it is not taken over, and named."""
    w = AnalyticalWriter("IFC2X3")
    s = plate(w, (0, 0, 1), (1, 0, 0), FLOOR)
    w.case("Q")
    values = [w.f.create_entity("IfcStructuralLoadPlanarForce", None, 0.0, 0.0, -v) for v in (2e3, 5e3, 2e3)]
    places = [w.vertex(p) for p in ((0, 0, 3), (6, 0, 3), (0, 4, 3))] if told else []
    rep = w.f.createIfcTopologyRepresentation(
        w.context, "Reference", "Vertex", places or [w.vertex((0, 0, 3))]
    )
    aspect = w.f.create_entity(
        "IfcShapeAspect", [rep], None, None, False, w.f.createIfcProductDefinitionShape(None, None, [rep])
    )
    w.action(
        "IfcStructuralPlanarActionVarying", "Q", s, values[0], ProjectedOrTrue="TRUE_LENGTH",
        SubsequentAppliedLoads=values[1:], VaryingAppliedLoadLocation=aspect,
    )  # fmt: skip
    m = taken(w, tmp_path / "m.ifc")
    total = Distribution(m).case("Q").total("applied")
    assert total == pytest.approx([0, 0, -24 * 3.5e3] if told else [0, 0, 0])
    assert bool(m.cases["Q"].lost) != told


def test_values_at_places_of_a_line_on_a_slab(tmp_path: Path) -> None:
    """5 kN/m from 1 to 3 m of an edge of 4 m: 10 kN."""
    w = AnalyticalWriter()
    s = plate(w, (0, 0, 1), (1, 0, 0), FLOOR)
    w.case("Q")
    values = [w.linear(0, 0, -5e3, 0, 0, 0)] * 2
    load = w.f.create_entity("IfcStructuralLoadConfiguration", None, values, [[1.0], [3.0]])
    shape = w.shape(w.f.createIfcEdge(w.vertex((1, 2, 3)), w.vertex((5, 2, 3))), "Edge")
    w.action("IfcStructuralCurveAction", "Q", s, load, Representation=shape, PredefinedType="LINEAR")
    m = taken(w, tmp_path / "m.ifc")
    (p,) = m.cases["Q"].space_loads
    assert p.line == pytest.approx(np.array([(2, 2, 3), (4, 2, 3)])) and p.qa == p.qb == (0.0, 0.0, -5e3)


def test_one_action_on_two_members_is_on_both(tmp_path: Path) -> None:
    w = beam()
    w.point("c", (0, 5, 0), [HELD] * 6)
    w.point("d", (8, 5, 0), [HELD] * 6)
    w.member("other", (0, 5, 0), (8, 5, 0), w.rectangle(), w.material())
    w.connect("other", "c")
    w.connect("other", "d")
    action = w.uniform("Q", "beam", 0, 0, -2e3, 0, 0, 0)
    w.root(
        "IfcRelConnectsStructuralActivity",
        RelatingElement=w.members["other"],
        RelatedStructuralActivity=action,
    )
    assert sums(taken(w, tmp_path / "m.ifc"))[0][2] == pytest.approx(-2 * 16e3)


def test_an_action_in_two_cases_is_in_both(tmp_path: Path) -> None:
    w = beam()
    w.case("R")
    action = w.uniform("Q", "beam", 0, 0, -2e3, 0, 0, 0)
    w.cases["R"][1].append(action)
    m = taken(w, tmp_path / "m.ifc")
    assert sums(m, "Q")[0][2] == sums(m, "R")[0][2] == pytest.approx(-16e3)


def test_the_coefficient_of_a_case_counts_for_its_self_weight(tmp_path: Path) -> None:
    w = beam()
    w.case("G", "DEAD_LOAD_G", "PERMANENT_G", SelfWeightCoefficients=(0.0, 0.0, -1.0), Coefficient=1.5)
    m = taken(w, tmp_path / "m.ifc")
    assert m.cases["G"].self_weight == (0.0, 0.0, -1.5)


def test_a_folder_of_cases_is_no_case(tmp_path: Path) -> None:
    w = beam()
    w.case("R", "WIND_W")
    w.uniform("Q", "beam", 0, 0, -2e3, 0, 0, 0)
    w.uniform("R", "beam", 0, 1e3, 0, 0, 0, 0)
    folder = w.root(
        "IfcStructuralLoadGroup",
        "all",
        PredefinedType="LOAD_GROUP",
        ActionType="NOTDEFINED",
        ActionSource="NOTDEFINED",
    )
    w.root("IfcRelAssignsToGroup", RelatedObjects=[w.cases["Q"][0], w.cases["R"][0]], RelatingGroup=folder)
    m = taken(w, tmp_path / "m.ifc")
    assert {"Q", "R"} <= set(m.cases) and "all" not in m.cases
    assert sums(m, "Q")[0] == pytest.approx([0, 0, -16e3]) and sums(m, "R")[0] == pytest.approx([0, 8e3, 0])


def test_global_loads_of_a_turned_analysis_model_turn_with_it(tmp_path: Path) -> None:
    """A shared placement turned by 90 degrees about Z: what it calls x is the world's y; its weight too."""
    w = beam()
    f = w.f
    axis = f.createIfcAxis2Placement3D(
        w.cartesian((0, 0, 0)), f.createIfcDirection((0.0, 0.0, 1.0)), f.createIfcDirection((0.0, 1.0, 0.0))
    )
    w.model.SharedPlacement = f.createIfcLocalPlacement(None, axis)
    for entity in (*w.points.values(), *w.members.values()):
        entity.ObjectPlacement = w.model.SharedPlacement
    w.uniform("Q", "beam", 3e3, 0, -1e3, 0, 0, 0)
    w.case("G", "DEAD_LOAD_G", "PERMANENT_G", SelfWeightCoefficients=(0.5, 0.0, -1.0))
    m = taken(w, tmp_path / "m.ifc")
    assert sums(m)[0] == pytest.approx([0, 24e3, -8e3], abs=1e-6)
    assert m.cases["G"].self_weight == pytest.approx((0.0, 0.5, -1.0))


@pytest.mark.parametrize("noise", [0.0, 1e-7, -1e-7, 1e-6])
def test_an_eccentricity_holds_whatever_the_last_digit_of_an_edge(tmp_path: Path, noise: float) -> None:
    """A thrust of 100 kN on a beam 0.5 m above its supports: its moment is carried, wherever rounding puts
    the edge."""
    w = AnalyticalWriter()
    w.point("a", (0, 0, 0), [HELD] * 6)
    w.point("b", (8, 0, 0), [HELD] * 6)
    w.member("beam", (noise, 0, noise), (8, 0, 0), w.rectangle(), w.material())
    for end in "ab":
        w.connect("beam", end, offset=(0, 0, 0.5))
    w.case("Q")
    w.uniform("Q", "beam", 12.5e3, 0, 0, 0, 0, 0)
    m = taken(w, tmp_path / "m.ifc")
    (b,) = m.members.values()
    assert m.line(b)[:, 2] == pytest.approx([0.5, 0.5], abs=2e-6)
    assert sums(m)[1] == pytest.approx([0, 50e3, 0], abs=1.0)


@pytest.mark.parametrize("x, lost", [((1, 5), 0.0), ((4, 9), 3.0), ((9, 11), 2.0)])
def test_on_a_shell_what_lies_past_its_edge_is_lost(x: tuple[float, float], lost: float) -> None:
    m = floor()
    m.surfaces["s"].way = "shell"
    y = float(m.surfaces["s"].outer[:, 1].mean())
    m.cases["Q"] = LoadCase(
        "Q",
        space_loads=[SpaceLoad(np.array([(x[0], y, 3.0), (x[1], y, 3.0)]), (0, 0, -1e3), (0, 0, -1e3), "s")],
    )
    d = Distribution(m).case("Q")
    assert float(m.surfaces["s"].outer[:, 0].max()) == 6.0
    assert d.total("lost")[2] == pytest.approx(-1e3 * lost)
    assert d.total("on_surfaces")[2] == pytest.approx(-1e3 * (x[1] - x[0] - lost))


def test_on_a_shell_what_lies_above_an_opening_is_lost() -> None:
    m = floor()
    s = m.surfaces["s"]
    s.way = "shell"
    z = float(s.outer[0, 2])
    s.openings = [np.array([(2, 1, z), (3, 1, z), (3, 4, z), (2, 4, z)])]
    line = np.array([(1, 2.5, z), (5, 2.5, z)])
    loads = [
        SpaceLoad(line, (0, 0, -1e3), (0, 0, -3e3), "s"),
        SpaceLoad(np.array([(2.5, 2.5, z)]), (0, 0, -7e3), (0, 0, 0), "s"),
    ]
    m.cases["Q"] = LoadCase("Q", space_loads=loads)
    d = Distribution(m).case("Q")
    # from 2 to 3 m of x the first grows from 1.5 to 2 kN/m
    assert d.total("lost")[2] == pytest.approx(-1750.0 - 7e3) and d.total("on_surfaces")[2] == pytest.approx(
        -6250.0
    )


def test_opposite_losses_do_not_cancel() -> None:
    m = floor()
    beyond = np.array([(20.0, 2.5, 3.0), (22.0, 2.5, 3.0)])
    loads = [SpaceLoad(beyond, (0, 0, s * 1e3), (0, 0, s * 1e3)) for s in (1, -1)]
    m.cases["Q"] = LoadCase("Q", "live", space_loads=loads)
    (f,) = [f for f in run_checks(Subject(m)) if f.code == "load.uncarried" and "Q" in f.ids]
    assert f.numbers["share"] == pytest.approx(1.0)


def test_patterns_hold_line_loads_and_free_areas() -> None:
    """Over all spans once, odd and even patterns hold the whole case."""
    m = model(building())
    z = float(m.surfaces["F1"].outer[0, 2])
    ring = np.array([(0.5, 0.5, z), (5.5, 0.5, z), (5.5, 8.0, z), (0.5, 8.0, z)])
    case = LoadCase("Q", "live")
    case.area_loads = [AreaLoad("F1", ((0, 0, -2e3),)), AreaLoad("", ((0, 0, -1e3),), ring)]
    case.member_loads = [
        MemberLoad(i, 0.0, m.length(x), (0, 0, -3e3), (0, 0, -4e3))
        for i, x in m.members.items()
        if x.cls == "beam"
    ]
    case.space_loads = [SpaceLoad(np.array([(1, 2, z), (5, 7, z)]), (0, 0, -1e3), (0, 0, -2e3), "F1")]
    m.cases["Q"] = case
    made = patterns(m, case)
    AddCases(made).apply(m)
    r = run(m, Settings().run)
    lost = {n: r.lost[n][2] for n in r.cases}
    whole = r.applied["Q"][2] + lost["Q"]
    names = [f"Q y {n}" for n in ("odd", "even")]
    assert sum(r.applied[n][2] + lost[n] for n in names) == pytest.approx(whole, rel=1e-9)
    assert all(r.applied[n][2] < 0.3 * whole for n in names)


@pytest.mark.parametrize("flush", [True, False])
def test_a_pressure_on_a_slab_over_its_walls_acts_on_all_of_it(flush: bool) -> None:
    """A slab to the outer faces of its walls, 6 x 5 m, or between their middles: 4 kN/m2 times what is
    drawn, free or on it, though the model's plane ends at the walls' middle planes."""
    from .physical_models import source
    from .test_panels import plate

    s = source([0.0, 3.0])
    o = 0.0 if flush else 0.1
    plate(s, "wall", "west", (0.0, 0.0, 0), (0.2, 5.0, 3))
    plate(s, "wall", "east", (5.8, 0.0, 0), (6.0, 5.0, 3))
    plate(s, "wall", "south", (0.2, 0.0, 0), (5.8, 0.2, 3))
    plate(s, "wall", "north", (0.2, 4.8, 0), (5.8, 5.0, 3))
    plate(s, "slab", "floor", (o, o, 3.0), (6 - o, 5 - o, 3.2))
    m = model(s)
    area = (6 - 2 * o) * (5 - 2 * o)
    z = float(m.surfaces["floor"].outer[0, 2])
    ring = np.array([(o, o, z), (6 - o, o, z), (6 - o, 5 - o, z), (o, 5 - o, z)])
    free = AreaLoad("", ((0, 0, -4e3),), ring)
    for load in (AreaLoad("floor", ((0, 0, -4e3),)), AreaLoad("floor", ((0, 0, -4e3),), ring), free):
        m.cases["Q"] = LoadCase("Q", "live", area_loads=[load])
        d = Distribution(m).case("Q")
        carried = d.total("on_members") + d.total("on_surfaces")
        assert d.total("lost") == pytest.approx([0, 0, 0], abs=1e-3)
        assert carried[2] == pytest.approx(-4e3 * area, rel=1e-6)


def test_points_at_one_place_are_told(tmp_path: Path) -> None:
    w = beam()
    w.point("twin", (8, 0, 0.001), [HELD] * 3 + [False] * 3)
    w.member("next", (8, 0, 0.001), (12, 0, 0), w.rectangle(), w.material())
    w.connect("next", "twin")
    m = taken(w, tmp_path / "m.ifc")
    told = [f for f in run_checks(Subject(m)) if f.code == "join.duplicate"]
    assert (
        len(told) == 1 and "b, twin" in told[0].message and told[0].numbers["distance"] == pytest.approx(1e-3)
    )
