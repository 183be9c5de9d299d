"""What intake reads of a file equals what was written into it, in every unit and schema."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import IntakeError, SourceModel, read_source
from rod_tally.model import Finding, Settings
from rod_tally.transfer import transfer
from rod_tally.transfer.members.sections import section_of

UNITS = ("METRE", "MILLIMETRE", "FOOT")
SCHEMAS = ("IFC2X3", "IFC4", "IFC4X3")


def written(
    tmp_path: Path, build: Callable[[IfcWriter], None], schema: str = "IFC4", unit: str = "METRE"
) -> SourceModel:
    w = IfcWriter("test", schema, unit)
    w.storey("Ground", 0.0)
    w.storey("First", 3.5)
    build(w)
    path = tmp_path / f"{schema}-{unit}.ifc"
    w.write(path)
    return read_source(path)


@pytest.mark.parametrize("schema", SCHEMAS)
@pytest.mark.parametrize("unit", UNITS)
def test_members_come_back_as_written(tmp_path: Path, schema: str, unit: str) -> None:
    """Line, axes, profile, material, storey and name, in metres to 1e-9."""
    lines = {
        "K1": ((1, 2, 0), (1, 2, 3.5)),
        "B1": ((1, 2, 3.4), (7, 2, 3.4)),
        "D1": ((1, 2, 0), (7, 5, 3.5)),
    }

    def build(w: IfcWriter) -> None:
        steel = w.material("S355", YoungModulus=210e9, ShearModulus=81e9, MassDensity=7850.0)
        i = w.i_profile("IPE 300", 0.3, 0.15, 0.0071, 0.0107, 0.015)
        tube = w.profile("CircleHollow", "CHS", Radius=0.057, WallThickness=0.005)
        w.member("IfcColumn", "K1", *lines["K1"], i, steel, "Ground", (0, 1, 0))
        w.member("IfcBeam", "B1", *lines["B1"], i, steel, "First")
        w.member("IfcMember", "D1", *lines["D1"], tube, steel, "Ground")

    s = written(tmp_path, build, schema, unit)
    assert (s.kind, s.skipped) == ("physical", [])
    assert s.schema.startswith(schema) and s.units["length"] == unit
    assert [(x.name, pytest.approx(x.elevation)) for x in s.storeys] == [("Ground", 0.0), ("First", 3.5)]
    found = {e.name: e for e in s.elements}
    assert {n: (e.cls, e.storey, e.material) for n, e in found.items()} == {
        "K1": ("column", "Ground", "S355"),
        "B1": ("beam", "First", "S355"),
        "D1": ("brace", "Ground", "S355"),
    }
    for name, line in lines.items():
        assert np.abs(found[name].line - np.array(line)).max() < 1e-9
    assert found["K1"].z_axis == pytest.approx([0, 1, 0], abs=1e-9)
    assert found["B1"].z_axis == pytest.approx([0, 0, 1], abs=1e-9)
    dims = s.profiles["IPE 300"].dims
    assert dims == pytest.approx(
        {"depth": 0.3, "width": 0.15, "web": 0.0071, "flange": 0.0107, "fillet": 0.015}
    )
    steel = s.materials["S355"]
    assert (steel.E, steel.G, steel.density) == pytest.approx((210e9, 81e9, 7850.0))
    assert s.counts == {"column": 1, "beam": 1, "brace": 1}


PROFILES: dict[str, tuple[str, dict[str, float], float]] = {
    # kind: dimensions in m and the area they enclose (plain geometry)
    "rectangle": ("Rectangle", {"XDim": 0.2, "YDim": 0.4}, 0.08),
    "circle": ("Circle", {"Radius": 0.1}, np.pi * 0.01),
    "tube": ("CircleHollow", {"Radius": 0.1, "WallThickness": 0.01}, np.pi * (0.01 - 0.0081)),
    "box": ("RectangleHollow", {"XDim": 0.1, "YDim": 0.2, "WallThickness": 0.01}, 0.1 * 0.2 - 0.08 * 0.18),
    "channel": ("UShape", {"Depth": 0.2, "FlangeWidth": 0.08, "WebThickness": 0.01, "FlangeThickness": 0.012},
                2 * 0.08 * 0.012 + 0.176 * 0.01),
    "angle": ("LShape", {"Depth": 0.1, "Width": 0.08, "Thickness": 0.01}, 0.1 * 0.01 + 0.07 * 0.01),
    "tee": ("TShape", {"Depth": 0.15, "FlangeWidth": 0.2, "WebThickness": 0.01, "FlangeThickness": 0.012},
            0.2 * 0.012 + 0.138 * 0.01),
    "lipped": ("CShape", {"Depth": 0.2, "Width": 0.08, "WallThickness": 0.003, "Girth": 0.02},
               0.2 * 0.003 + 2 * 0.077 * 0.003 + 2 * 0.017 * 0.003),
    "zed": ("ZShape", {"Depth": 0.2, "FlangeWidth": 0.08, "WebThickness": 0.01, "FlangeThickness": 0.01},
            0.2 * 0.01 + 2 * 0.07 * 0.01),
    "trapezium": ("Trapezium", {"BottomXDim": 0.3, "TopXDim": 0.2, "YDim": 0.4, "TopXOffset": 0.05}, 0.1),
    "ellipse": ("Ellipse", {"SemiAxis1": 0.2, "SemiAxis2": 0.1}, np.pi * 0.02),
}  # fmt: skip


@pytest.mark.parametrize("name", PROFILES)
@pytest.mark.parametrize("unit", UNITS)
def test_profiles_enclose_their_area(tmp_path: Path, name: str, unit: str) -> None:
    kind, dims, area = PROFILES[name]

    def build(w: IfcWriter) -> None:
        w.member("IfcBeam", "b", (0, 0, 3), (5, 0, 3), w.profile(kind, name, **dims), None, "First")

    s = written(tmp_path, build, "IFC4", unit)
    section, _ = section_of(s.profiles[name])
    assert section.area == pytest.approx(area, rel=2e-3)


def test_arbitrary_profile_with_a_void_and_an_arc(tmp_path: Path) -> None:
    """A half round end on a rectangle with a square hole: area by plain geometry, arcs as chords to 0.5 %."""

    def build(w: IfcWriter) -> None:
        f = w.file
        points = f.create_entity(
            "IfcCartesianPointList2D", [(0.0, 0.0), (0.4, 0.0), (0.5, 0.1), (0.4, 0.2), (0.0, 0.2)]
        )
        segments = [
            f.create_entity("IfcLineIndex", (1, 2)), f.create_entity("IfcArcIndex", (2, 3, 4)),
            f.create_entity("IfcLineIndex", (4, 5)), f.create_entity("IfcLineIndex", (5, 1)),
        ]  # fmt: skip
        outer = f.create_entity("IfcIndexedPolyCurve", points, segments, False)
        corners = [(0.1, 0.05), (0.2, 0.05), (0.2, 0.15), (0.1, 0.15), (0.1, 0.05)]
        inner = f.create_entity("IfcPolyline", [w.point(c) for c in corners])
        profile = f.create_entity("IfcArbitraryProfileDefWithVoids", "AREA", "odd", outer, [inner])
        w.member("IfcBeam", "b", (0, 0, 3), (5, 0, 3), profile, None, "First")

    s = written(tmp_path, build)
    section, centroid = section_of(s.profiles["odd"])
    assert section.area == pytest.approx(0.08 + np.pi * 0.01 / 2 - 0.01, rel=5e-3)
    model = transfer(s, Settings().transfer)
    line = model.line(next(iter(model.members.values())))
    # the centre line runs through the centroid, not through the profile's origin
    assert line[0] == pytest.approx([0, centroid[0], 3 + centroid[1]], abs=1e-9)


def test_mapped_body_shared_by_many(tmp_path: Path) -> None:
    """A body mapped from a type, turned and moved by its operator."""

    def build(w: IfcWriter) -> None:
        f = w.file
        solid = w.extrusion(w.i_profile("IPE", 0.3, 0.15, 0.007, 0.011, 0.0), 4.0)
        rep = f.create_entity("IfcShapeRepresentation", w.context, "Body", "SweptSolid", [solid])
        source = f.create_entity("IfcRepresentationMap", w.axes((0, 0, 0)), rep)
        target = f.create_entity(
            "IfcCartesianTransformationOperator3D", w.direction((0, 1, 0)), w.direction((-1, 0, 0)), w.point((0.5, 0, 0)), 1.0,
            w.direction((0, 0, 1)),
        )  # fmt: skip
        mapped = f.create_entity("IfcMappedItem", source, target)
        w.element(
            "IfcColumn",
            "k",
            np.array([2.0, 3, 0]),
            np.eye(3)[[2, 0, 1]],
            w.shape([mapped], "MappedRepresentation"),
            None,
            "Ground",
        )

    e = written(tmp_path, build).elements[0]
    assert e.line == pytest.approx(np.array([[2.5, 3, 0], [2.5, 3, 4.0]]))
    assert e.z_axis == pytest.approx([-1, 0, 0], abs=1e-12)


def test_clipped_body_ends_where_it_is_cut(tmp_path: Path) -> None:
    """A beam of 6 m cut off by a half space at 4.5 m."""

    def build(w: IfcWriter) -> None:
        f = w.file
        solid = w.extrusion(w.profile("Rectangle", "R", XDim=0.2, YDim=0.4), 6.0)
        plane = f.create_entity("IfcPlane", w.axes((0, 0, 4.5), (0, 0, 1), (1, 0, 0)))
        half = f.create_entity("IfcHalfSpaceSolid", plane, False)
        cut = f.create_entity("IfcBooleanClippingResult", "DIFFERENCE", solid, half)
        w.element(
            "IfcBeam",
            "b",
            np.array([0.0, 0, 3]),
            np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, 1]]),
            w.shape([cut], "Clipping"),
            None,
            "First",
        )

    e = written(tmp_path, build).elements[0]
    assert e.how == "clipped"
    assert e.line == pytest.approx(np.array([[0, 0, 3], [4.5, 0, 3]]), abs=1e-6)


def faceted(w: IfcWriter, corners: np.ndarray) -> object:
    """A closed box between two rings of four corners (2, 4, 3)."""
    f = w.file
    p = [w.point(c) for c in corners.reshape(-1, 3)]
    quads = [(3, 2, 1, 0), (4, 5, 6, 7), *((k, (k + 1) % 4, 4 + (k + 1) % 4, 4 + k) for k in range(4))]
    faces = []
    for quad in quads:
        loop = f.create_entity("IfcPolyLoop", [p[i] for i in quad])
        faces.append(f.create_entity("IfcFace", [f.create_entity("IfcFaceOuterBound", loop, True)]))
    return f.create_entity("IfcFacetedBrep", f.create_entity("IfcClosedShell", faces))


@pytest.mark.parametrize("unit", UNITS)
def test_bare_solid_is_measured(tmp_path: Path, unit: str) -> None:
    """A tessellated 0.2 x 0.3 beam on a slope: axis, length and section found from its faces, marked as
    measured."""
    a, b = np.array([1.0, 1, 3]), np.array([5.0, 4, 3])
    x = (b - a) / np.linalg.norm(b - a)
    y, z = np.array([-x[1], x[0], 0]), np.array([0, 0, 1.0])
    ring = [0.1 * y * sy + 0.15 * z * sz for sy, sz in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
    corners = np.array([[a + r for r in ring], [b + r for r in ring]])

    def build(w: IfcWriter) -> None:
        w.element(
            "IfcBeam",
            "b",
            np.zeros(3),
            np.eye(3)[[2, 0, 1]],
            w.shape([faceted(w, corners)], "Brep"),
            w.material("S355"),
        )

    s = written(tmp_path, build, "IFC4", unit)
    e = s.elements[0]
    ends = e.line if np.linalg.norm(e.line[0] - a) < 0.1 else e.line[::-1]
    assert e.how == "measured"
    assert ends == pytest.approx(np.array([a, b]), abs=1e-4)
    section, _ = section_of(s.profiles[e.profile])
    assert section.area == pytest.approx(0.06, rel=1e-3)
    assert section.iy == pytest.approx(0.2 * 0.3**3 / 12, rel=1e-2)
    assert e.misfit < 1e-3


def test_elevation_extruded_by_its_width_runs_the_long_way(tmp_path: Path) -> None:
    """A beam drawn as its elevation, 6 m x 0.4 m, extruded by 0.3 m, is a member of 6 m."""

    def build(w: IfcWriter) -> None:
        outline = [(0, 0), (6, 0), (6, 0.4), (0, 0.4), (0, 0)]
        curve = w.file.create_entity("IfcPolyline", [w.point(p) for p in outline])
        profile = w.file.create_entity("IfcArbitraryClosedProfileDef", "AREA", "elevation", curve)
        # profile x along the beam, profile y up, extruded sideways
        axes = np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]])
        w.element(
            "IfcBeam",
            "b",
            np.array([0.0, 0, 3]),
            axes,
            w.shape([w.extrusion(profile, 0.3)]),
            w.material("C30/37"),
            "First",
        )

    s = written(tmp_path, build)
    assert s.elements[0].how == "measured"
    assert np.linalg.norm(s.elements[0].line[1] - s.elements[0].line[0]) == pytest.approx(6.0, abs=1e-6)


def test_axis_alone_with_a_profile_set_and_cardinal_point(tmp_path: Path) -> None:
    """No body: the axis lies on the top of the profile (cardinal point 8), so the centre line is half a depth
    lower."""

    def build(w: IfcWriter) -> None:
        f = w.file
        axis = f.create_entity("IfcPolyline", [w.point((0, 0, 3)), w.point((6, 0, 3))])
        beam = w.element(
            "IfcBeam", "b", np.zeros(3), np.eye(3)[[2, 0, 1]], w.shape([axis], "Curve3D", "Axis")
        )
        layer = f.create_entity(
            "IfcMaterialProfile",
            "p",
            None,
            w.material("S355"),
            w.profile("Rectangle", "R", XDim=0.2, YDim=0.4),
            None,
            None,
        )
        usage = f.create_entity(
            "IfcMaterialProfileSetUsage",
            f.create_entity("IfcMaterialProfileSet", None, None, [layer], None),
            8,
            None,
        )
        w.root("IfcRelAssociatesMaterial", None, RelatedObjects=[beam], RelatingMaterial=usage)

    s = written(tmp_path, build)
    assert (s.elements[0].how, s.elements[0].cardinal, s.elements[0].profile) == ("axis", 8, "R")
    model = transfer(s, Settings().transfer)
    assert model.line(next(iter(model.members.values()))) == pytest.approx(
        np.array([[0, 0, 2.8], [6, 0, 2.8]])
    )


def test_swept_disk_is_a_round_bar(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        line = w.file.create_entity("IfcPolyline", [w.point((0, 0, 0)), w.point((3, 0, 4))])
        disk = w.file.create_entity("IfcSweptDiskSolid", line, 0.02, 0.015, None, None)
        w.element(
            "IfcMember", "rod", np.zeros(3), np.eye(3)[[2, 0, 1]], w.shape([disk], "AdvancedSweptSolid")
        )

    s = written(tmp_path, build)
    section, _ = section_of(s.profiles[s.elements[0].profile])
    assert section.area == pytest.approx(np.pi * (0.02**2 - 0.015**2))
    assert s.elements[0].line == pytest.approx(np.array([[0, 0, 0], [3, 0, 4]]))


def test_values_beside_a_profile_without_shape(tmp_path: Path) -> None:
    """Pset_ProfileMechanical in mm2 and mm4 becomes a section by values."""

    def build(w: IfcWriter) -> None:
        f = w.file
        profile = f.create_entity("IfcProfileDef", "AREA", "special")
        props = [
            f.create_entity("IfcPropertySingleValue", n, None, f.create_entity(kind, v), None)
            for n, kind, v in (
                ("CrossSectionArea", "IfcAreaMeasure", 5000.0),
                ("MomentOfInertiaY", "IfcMomentOfInertiaMeasure", 8e7),
                ("MomentOfInertiaZ", "IfcMomentOfInertiaMeasure", 6e6),
                ("TorsionalConstantX", "IfcMomentOfInertiaMeasure", 2e5),
            )
        ]
        f.create_entity("IfcProfileProperties", "Pset_ProfileMechanical", None, props, profile)
        axis = f.create_entity("IfcPolyline", [w.point((0, 0, 3)), w.point((6, 0, 3))])
        beam = w.element(
            "IfcBeam", "b", np.zeros(3), np.eye(3)[[2, 0, 1]], w.shape([axis], "Curve3D", "Axis")
        )
        layer = f.create_entity("IfcMaterialProfile", "p", None, w.material("S355"), profile, None, None)
        w.root(
            "IfcRelAssociatesMaterial",
            None,
            RelatedObjects=[beam],
            RelatingMaterial=f.create_entity("IfcMaterialProfileSet", None, None, [layer], None),
        )

    s = written(tmp_path, build, "IFC4", "MILLIMETRE")
    section, _ = section_of(s.profiles["special"])
    assert (section.area, section.iy, section.iz, section.j) == pytest.approx((5e-3, 8e-5, 6e-6, 2e-7))


def test_far_from_the_origin_is_shifted_and_remembered(tmp_path: Path) -> None:
    """Map coordinates: the model is near its own origin, and the shift takes it back to the millimetre."""
    far = np.array([512_345.678, 5_403_210.123, 412.0])

    def build(w: IfcWriter) -> None:
        profile = w.profile("Rectangle", "R", XDim=0.3, YDim=0.3)
        w.member("IfcColumn", "k", far, far + [0, 0, 3], profile, w.material("C30/37"), "Ground")

    model = transfer(written(tmp_path, build, "IFC4", "MILLIMETRE"), Settings().transfer)
    line = model.line(next(iter(model.members.values())))
    assert np.abs(line).max() < 1000
    assert line[0] + model.origin == pytest.approx(far, abs=1e-6)
    assert any(entry.kind == "shifted" for entry in model.log)


def spoiled(path: Path, change: Callable[[str], str]) -> Path:
    path.write_text(change(path.read_text()))
    return path


@pytest.fixture
def simple(tmp_path: Path) -> Path:
    w = IfcWriter("simple", "IFC4", "METRE")
    w.storey("Ground", 0.0)
    profile, steel = w.profile("Rectangle", "R", XDim=0.3, YDim=0.3), w.material("S355")
    w.member("IfcColumn", "good", (0, 0, 0), (0, 0, 3), profile, steel, "Ground")
    w.member("IfcColumn", "bad", (7.125, 0, 0), (7.125, 0, 3.0625), profile, steel, "Ground")
    w.write(tmp_path / "simple.ifc")
    return tmp_path / "simple.ifc"


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        (lambda t: t.replace("7.125", "1.E300"), "beyond any building"),
        (lambda t: t.replace("3.0625", "0."), "no length"),
        (lambda t: t.replace("3.0625", "1.E200"), "not that of a member"),
    ],
)
def test_bad_numbers_leave_one_member_out_with_its_reason(
    simple: Path, change: Callable[[str], str], reason: str
) -> None:
    s = read_source(spoiled(simple, change))
    assert [e.name for e in s.elements] == ["good"]
    assert reason in s.skipped[0].reason
    assert s.counts["column"] == 2


def test_circular_placement_is_said(simple: Path) -> None:
    import ifcopenshell

    f = ifcopenshell.open(str(simple))
    bad = next(c for c in f.by_type("IfcColumn") if c.Name == "bad")
    bad.ObjectPlacement.PlacementRelTo = bad.ObjectPlacement
    f.write(str(simple))
    s = read_source(simple)
    assert "refers back to itself" in s.skipped[0].reason


def test_surfaces_are_counted_and_read(loft_a: Path) -> None:
    s = read_source(loft_a)
    assert (s.counts["wall"], s.counts["slab"], s.counts["footing"]) == (12, 3, 19)
    assert s.skipped == [] and len(s.surfaces) == 15


REFUSED = {
    "empty.ifc": (b"", "is empty"),
    "text.ifc": (b"hello\nworld\n", "not an IFC file"),
    "zip.ifc": (b"PK\x03\x04 something", "zip archive"),
    "step.ifc": (b"ISO-10303-21;\nHEADER;\nFILE_SCHEMA(('AP214'));\nENDSEC;\nEND-ISO-10303-21;\n", "AP214"),
    "noschema.ifc": (b"ISO-10303-21;\nHEADER;\nENDSEC;\nEND-ISO-10303-21;\n", "no IFC schema"),
    "odd.xyz": (b"anything", "no reader"),
}


@pytest.mark.parametrize("name", REFUSED)
def test_what_is_no_model_is_refused_in_one_line(tmp_path: Path, name: str) -> None:
    content, words = REFUSED[name]
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises(IntakeError, match=words) as error:
        read_source(path)
    assert str(path) in str(error.value) and "\n" not in str(error.value)


def test_cut_off_file_is_refused(simple: Path) -> None:
    with pytest.raises(IntakeError, match="cut off"):
        read_source(spoiled(simple, lambda t: t[: len(t) // 2]))


def test_file_without_units_is_refused(simple: Path) -> None:
    import ifcopenshell

    f = ifcopenshell.open(str(simple))
    f.by_type("IfcProject")[0].UnitsInContext = None
    f.remove(f.by_type("IfcUnitAssignment")[0])
    f.write(str(simple))
    with pytest.raises(IntakeError, match="no unit of length"):
        read_source(simple)


def test_file_without_structure_is_refused(tmp_path: Path) -> None:
    w = IfcWriter("bare")
    w.storey("Ground", 0)
    w.write(tmp_path / "bare.ifc")
    with pytest.raises(IntakeError, match="nothing to review"):
        read_source(tmp_path / "bare.ifc")


def test_directory_and_missing_file_are_refused(tmp_path: Path) -> None:
    with pytest.raises(IntakeError, match="is a directory"):
        read_source(tmp_path)
    with pytest.raises(IntakeError, match="no such file"):
        read_source(tmp_path / "nowhere.ifc")


def tapered(depth_start: float, depth_end: float) -> np.ndarray:
    """Corners (2, 4, 3) of a wedge 6 m long, 0.18 wide, its top level."""
    return np.array(
        [
            [(x, -0.09, 3 - d), (x, 0.09, 3 - d), (x, 0.09, 3), (x, -0.09, 3)]
            for x, d in ((0, depth_start), (6, depth_end))
        ]
    )


def findings_of(s: SourceModel, code: str) -> list[Finding]:
    return [f for f in run_checks(Subject(transfer(s, Settings().transfer))) if f.code == code]


def test_a_body_that_tapers_is_told_with_both_sizes(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        shape = w.shape([faceted(w, tapered(0.45, 0.25))], "Brep")
        w.element("IfcBeam", "b", np.zeros(3), np.eye(3)[[2, 0, 1]], shape, w.material("S355"))

    (f,) = findings_of(written(tmp_path, build), "section.measured")
    assert f.severity == "warning"
    assert f.numbers == pytest.approx(
        {"width_start": 0.18, "depth_start": 0.45, "width_end": 0.18, "depth_end": 0.25}, abs=1e-3
    )
    assert "180x450" in f.message and "180x250" in f.message


def test_a_section_measured_on_a_body_is_a_note_once_a_section(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        for y in (0.0, 5.0):
            shape = w.shape([faceted(w, tapered(0.4, 0.4) + (0, y, 0))], "Brep")
            w.element("IfcBeam", f"b{y:g}", np.zeros(3), np.eye(3)[[2, 0, 1]], shape, w.material("S355"))

    (f,) = findings_of(written(tmp_path, build), "section.measured")
    assert f.severity == "note" and len(f.ids) == 2 and "180x400" in f.message
