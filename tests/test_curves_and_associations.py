"""The less common ways of writing a profile's outline and what a member is made of."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import ifcopenshell
import numpy as np
import pytest

from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import SourceModel, read_source
from rod_tally.intake.ifc.geometry.curves import CurveError, points_of
from rod_tally.intake.ifc.geometry.placement import Placements
from rod_tally.model.catalogue.shapes import polygon_moments
from rod_tally.transfer.members.sections import section_of


class Pen:
    """Draws curves into a file of its own."""

    def __init__(self, schema: str = "IFC4") -> None:
        self.f = ifcopenshell.file(schema=schema)

    def point(self, *c: float) -> object:
        return self.f.create_entity("IfcCartesianPoint", [float(v) for v in c])

    def at(self, *c: float) -> object:
        return self.f.create_entity("IfcAxis2Placement2D", self.point(*c), None)

    def parameter(self, value: float) -> object:
        return self.f.create_entity("IfcParameterValue", float(value))

    def trimmed(
        self, basis: object, a: object, b: object, sense: bool = True, by: str = "PARAMETER"
    ) -> object:
        return self.f.create_entity("IfcTrimmedCurve", basis, [a], [b], sense, by)

    def line(self, a: tuple[float, float], b: tuple[float, float]) -> object:
        return self.f.create_entity("IfcPolyline", [self.point(*a), self.point(*b)])

    def composite(self, *parts: tuple[object, bool]) -> object:
        segments = [
            self.f.create_entity("IfcCompositeCurveSegment", "CONTINUOUS", sense, c) for c, sense in parts
        ]
        return self.f.create_entity("IfcCompositeCurve", segments, False)


def area(points: np.ndarray) -> float:
    return polygon_moments([(float(p[0]), float(p[1])) for p in points])[0]


DEGREES = np.pi / 180


@pytest.fixture
def pen() -> Pen:
    return Pen()


def test_arc_by_parameters_in_both_senses(pen: Pen) -> None:
    """A quarter circle from 0 to 90 degrees, and the three quarters the other way round."""
    circle = pen.f.create_entity("IfcCircle", pen.at(1, 2), 0.5)
    short = points_of(pen.trimmed(circle, pen.parameter(0), pen.parameter(90)), Placements(1.0), DEGREES)
    long = points_of(
        pen.trimmed(circle, pen.parameter(0), pen.parameter(90), False), Placements(1.0), DEGREES
    )
    for points in (short, long):
        assert points[0] == pytest.approx([1.5, 2, 0]) and points[-1] == pytest.approx([1, 2.5, 0])
        assert np.linalg.norm(points - [1, 2, 0], axis=1) == pytest.approx(np.full(len(points), 0.5))
    assert short[len(short) // 2][0] > 1.3 and long[len(long) // 2][0] < 0.7


def test_arc_by_points_and_ellipse(pen: Pen) -> None:
    circle = pen.f.create_entity("IfcCircle", pen.at(0, 0), 2.0)
    half = points_of(pen.trimmed(circle, pen.point(2, 0), pen.point(-2, 0), by="CARTESIAN"), Placements(1.0))
    assert half[len(half) // 2] == pytest.approx([0, 2, 0], abs=1e-9)
    ellipse = pen.f.create_entity("IfcEllipse", pen.at(0, 0), 3.0, 1.0)
    quarter = points_of(
        pen.trimmed(ellipse, pen.point(3, 0), pen.point(0, 1), by="CARTESIAN"), Placements(1.0)
    )
    assert quarter[:, 0] ** 2 / 9 + quarter[:, 1] ** 2 == pytest.approx(np.ones(len(quarter)))


def test_line_by_parameters_and_by_points(pen: Pen) -> None:
    vector = pen.f.create_entity("IfcVector", pen.f.create_entity("IfcDirection", (3.0, 4.0)), 2.0)
    line = pen.f.create_entity("IfcLine", pen.point(1, 1), vector)
    by_value = points_of(pen.trimmed(line, pen.parameter(0), pen.parameter(5)), Placements(0.001))
    assert by_value == pytest.approx(np.array([[1, 1, 0], [7, 9, 0]]) / 1000)
    by_point = points_of(pen.trimmed(line, pen.point(1, 1), pen.point(4, 5), by="CARTESIAN"), Placements(1.0))
    assert by_point == pytest.approx(np.array([[1, 1, 0], [4, 5, 0]]))


def test_composite_of_lines_and_arcs_some_against_their_sense(pen: Pen) -> None:
    """A stadium 2 x 1 with round ends, two of its parts drawn backwards: area 1 x 2 + pi / 4."""
    right = pen.f.create_entity("IfcCircle", pen.at(2, 0.5), 0.5)
    left = pen.f.create_entity("IfcCircle", pen.at(0, 0.5), 0.5)
    outline = pen.composite(
        (pen.line((0, 0), (2, 0)), True),
        (pen.trimmed(right, pen.parameter(90), pen.parameter(-90), False), False),
        (pen.line((0, 1), (2, 1)), False),
        (pen.trimmed(left, pen.parameter(90), pen.parameter(270)), True),
    )
    assert area(points_of(outline, Placements(1.0), DEGREES)) == pytest.approx(2 + np.pi / 4, rel=2e-3)


def test_three_points_in_line_are_no_arc(pen: Pen) -> None:
    points = pen.f.create_entity("IfcCartesianPointList2D", [(0.0, 0.0), (1.0, 0.0), (2.0, 0.0)])
    curve = pen.f.create_entity(
        "IfcIndexedPolyCurve", points, [pen.f.create_entity("IfcArcIndex", (1, 2, 3))], False
    )
    assert points_of(curve, Placements(1.0)) == pytest.approx(np.array([[0, 0, 0], [2, 0, 0]]))


def test_curves_that_are_not_read_say_which(pen: Pen) -> None:
    spline = pen.f.create_entity(
        "IfcBSplineCurveWithKnots",
        1,
        [pen.point(0, 0), pen.point(1, 1)],
        "UNSPECIFIED",
        False,
        False,
        (2, 2),
        (0.0, 1.0),
        "UNSPECIFIED",
    )
    with pytest.raises(CurveError, match="IfcBSplineCurveWithKnots"):
        points_of(spline, Placements(1.0))
    with pytest.raises(CurveError, match="no trim"):
        circle = pen.f.create_entity("IfcCircle", pen.at(0, 0), 1.0)
        points_of(pen.f.create_entity("IfcTrimmedCurve", circle, [], [], True, "PARAMETER"), Placements(1.0))


def written(tmp_path: Path, build: Callable[[IfcWriter], None], schema: str = "IFC4") -> SourceModel:
    w = IfcWriter("test", schema, "METRE")
    w.storey("Ground", 0.0)
    build(w)
    w.write(tmp_path / "m.ifc")
    return read_source(tmp_path / "m.ifc")


def beam(w: IfcWriter, profile: object, material: object = None) -> object:
    return w.member("IfcBeam", "b", (0, 0, 3), (5, 0, 3), profile, material, "Ground")


def outline(w: IfcWriter, *points: tuple[float, float]) -> object:
    return w.file.create_entity("IfcPolyline", [w.point(p) for p in (*points, points[0])])


def test_mirrored_and_moved_profiles(tmp_path: Path) -> None:
    """A derived profile is its parent after the operator: the centroid goes with it."""

    def build(w: IfcWriter) -> None:
        f = w.file
        parent = f.create_entity(
            "IfcArbitraryClosedProfileDef", "AREA", "parent", outline(w, (0, 0), (0.3, 0), (0, 0.3))
        )
        move = f.create_entity("IfcCartesianTransformationOperator2D", None, None, w.point((1.0, 0.0)), 2.0)
        beam(w, f.create_entity("IfcDerivedProfileDef", "AREA", "moved", parent, move, None))
        beam(w, f.create_entity("IfcMirroredProfileDef", "AREA", "mirrored", parent, None, None))

    s = written(tmp_path, build)
    moved, at = section_of(s.profiles["moved"])
    assert moved.area == pytest.approx(4 * 0.045) and at == pytest.approx((1.2, 0.2))
    mirrored, at = section_of(s.profiles["mirrored"])
    assert mirrored.area == pytest.approx(0.045) and at == pytest.approx((-0.1, 0.1))


def test_strip_along_a_centre_line(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        curve = w.file.create_entity("IfcPolyline", [w.point(p) for p in ((0, 0), (0.2, 0), (0.2, 0.1))])
        beam(w, w.file.create_entity("IfcCenterLineProfileDef", "AREA", "strip", curve, 0.004))

    section, _ = section_of(written(tmp_path, build).profiles["strip"])
    assert section.area == pytest.approx(0.3 * 0.004, rel=1e-2)


@pytest.mark.parametrize("schema", ["IFC2X3", "IFC4"])
def test_unequal_flanges_in_both_schemas(tmp_path: Path, schema: str) -> None:
    def build(w: IfcWriter) -> None:
        dims = {
            "OverallDepth": 0.4,
            "WebThickness": 0.01,
            "TopFlangeWidth": 0.12,
            "TopFlangeThickness": 0.012,
        }
        if schema == "IFC2X3":
            dims |= {"OverallWidth": 0.2, "FlangeThickness": 0.016}
        else:
            dims |= {"BottomFlangeWidth": 0.2, "BottomFlangeThickness": 0.016}
        beam(w, w.profile("AsymmetricIShape", "unequal", **dims))

    section, (_, low) = section_of(written(tmp_path, build, schema).profiles["unequal"])
    assert section.area == pytest.approx(0.2 * 0.016 + 0.12 * 0.012 + 0.372 * 0.01)
    assert low < 0  # nearer to the wide flange


def test_turned_profile_turns_the_member_not_the_section(tmp_path: Path) -> None:
    """A rectangle placed at 90 degrees: its own axes stay the section's, the member's axes turn."""

    def build(w: IfcWriter) -> None:
        place = w.file.create_entity("IfcAxis2Placement2D", w.point((0.0, 0.0)), w.direction((0.0, 1.0)))
        beam(w, w.file.create_entity("IfcRectangleProfileDef", "AREA", "turned", place, 0.2, 0.4))

    s = written(tmp_path, build)
    assert abs(s.elements[0].z_axis @ [0, 1, 0]) == pytest.approx(1.0)
    section, _ = section_of(s.profiles["turned"])
    assert section.iy == pytest.approx(0.2 * 0.4**3 / 12)


MADE_OF: dict[str, Callable[[IfcWriter, object], object]] = {
    "list": lambda w, m: w.file.create_entity("IfcMaterialList", [m]),
    "layers": lambda w, m: w.file.create_entity(
        "IfcMaterialLayerSetUsage",
        w.file.create_entity(
            "IfcMaterialLayerSet",
            [
                w.file.create_entity("IfcMaterialLayer", w.material("plaster"), 0.01, None),
                w.file.create_entity("IfcMaterialLayer", m, 0.2, None),
            ],
            None,
        ),
        "AXIS2",
        "POSITIVE",
        0.0,
    ),
    "constituents": lambda w, m: w.file.create_entity(
        "IfcMaterialConstituentSet",
        None,
        None,
        [w.file.create_entity("IfcMaterialConstituent", None, None, m, None, None)],
    ),
    "profile": lambda w, m: w.file.create_entity("IfcMaterialProfile", None, None, m, None, None, None),
}


@pytest.mark.parametrize("how", MADE_OF)
@pytest.mark.parametrize("by_type", [False, True])
def test_ways_of_saying_what_a_member_is_made_of(tmp_path: Path, how: str, by_type: bool) -> None:
    """Directly or through its type; of layers the thickest counts."""

    def build(w: IfcWriter) -> None:
        select = MADE_OF[how](w, w.material("C30/37", YoungModulus=33e9))
        member = beam(w, w.profile("Rectangle", "R", XDim=0.2, YDim=0.4))
        target = member
        if by_type:
            target = w.root("IfcBeamType", "type", PredefinedType="BEAM")
            w.root("IfcRelDefinesByType", None, RelatedObjects=[member], RelatingType=target)
        w.root("IfcRelAssociatesMaterial", None, RelatedObjects=[target], RelatingMaterial=select)

    s = written(tmp_path, build)
    assert s.elements[0].material == "C30/37" and pytest.approx(33e9) == s.materials["C30/37"].E


def test_two_materials_of_one_name_stay_two(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        profile = w.profile("Rectangle", "R", XDim=0.2, YDim=0.4)
        for stiffness in (30e9, 35e9):
            beam(w, profile, w.material("Concrete", YoungModulus=stiffness))

    s = written(tmp_path, build)
    assert {s.materials[e.material].E for e in s.elements} == {30e9, 35e9}


def several(w: IfcWriter, how: str) -> object:
    f, steel, concrete = w.file, w.material("steel"), w.material("concrete")
    if how == "layers":
        parts = [f.create_entity("IfcMaterialLayer", m, t, None) for m, t in ((steel, 0.01), (concrete, 0.2))]
        return f.create_entity("IfcMaterialLayerSet", parts, None)
    if how == "list":
        return f.create_entity("IfcMaterialList", [steel, concrete])
    if how == "constituents":
        parts = [
            f.create_entity("IfcMaterialConstituent", None, None, m, None, None) for m in (steel, concrete)
        ]
        return f.create_entity("IfcMaterialConstituentSet", None, None, parts)
    one, two = (w.profile("Rectangle", f"R{k}", XDim=0.2, YDim=k / 10) for k in (4, 8))
    sets = [f.create_entity("IfcMaterialProfile", None, None, steel, p, None, None) for p in (one, two)]
    if how == "profiles":
        return f.create_entity("IfcMaterialProfileSet", None, None, sets, None)
    ends = [f.create_entity("IfcMaterialProfileSet", None, None, [s], None) for s in sets]
    return f.create_entity("IfcMaterialProfileSetUsageTapering", ends[0], None, None, ends[1], None)


@pytest.mark.parametrize(
    ("how", "said"),
    [
        (
            "layers",
            "2 elements of several layers (steel 10 mm, concrete 200 mm): all of the thickness counts as concrete",
        ),
        ("list", "2 elements of several materials (steel, concrete): all of it counts as steel"),
        ("constituents", "2 elements of several materials (steel, concrete): all of it counts as steel"),
        ("profiles", "2 elements of several profiles (R4, R8): the first alone is taken"),
        ("tapering", "2 elements said to taper, with a body that keeps its section: the body's is taken"),
    ],
)
def test_what_is_of_several_materials_or_profiles_is_said(tmp_path: Path, how: str, said: str) -> None:
    """Once for all elements alike, with their ids; of one material in several layers nothing is said."""

    def build(w: IfcWriter) -> None:
        beams = [beam(w, w.profile("Rectangle", "R", XDim=0.2, YDim=0.4)) for _ in range(2)]
        w.root("IfcRelAssociatesMaterial", None, RelatedObjects=beams, RelatingMaterial=several(w, how))

    s = written(tmp_path, build)
    (entry,) = [e for e in s.log if e.kind == "skipped"]
    assert entry.message == said
    assert sorted(entry.ids) == sorted(e.id for e in s.elements)


def test_many_kinds_of_layers_are_one_finding(tmp_path: Path) -> None:
    """A building's walls are of many layers: said once, the commonest first."""

    def build(w: IfcWriter) -> None:
        core = w.material("concrete")
        for k in range(5):
            beams = [beam(w, w.profile("Rectangle", "R", XDim=0.2, YDim=0.4)) for _ in range(k + 1)]
            parts = [
                w.file.create_entity("IfcMaterialLayer", m, t, None)
                for m, t in ((core, 0.2), (w.material(f"m{k}"), 0.01))
            ]
            layers = w.file.create_entity("IfcMaterialLayerSet", parts, None)
            w.root("IfcRelAssociatesMaterial", None, RelatedObjects=beams, RelatingMaterial=layers)

    s = written(tmp_path, build)
    (entry,) = [e for e in s.log if e.kind == "skipped"]
    assert entry.message.startswith("5 elements of several layers (concrete 200 mm, m4 10 mm)")
    assert entry.message.endswith("; and 3 elements of 2 more kinds") and len(entry.ids) == 15
