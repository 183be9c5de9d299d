"""Slabs and walls as they come: measured bodies, wedges and steps, curved and bent walls, layers, clipped
gables."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import ifcopenshell
import ifcopenshell.geom
import ifcopenshell.util.shape
import numpy as np
import pytest
from shapely.geometry import Polygon

from rod_tally.checks import Subject, run_checks
from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import read_source
from rod_tally.model import PINNED, Model, Settings
from rod_tally.model.edits import SetThickness
from rod_tally.transfer import transfer
from rod_tally.transfer.surfaces.strips import middle_line

UPRIGHT = np.eye(3)[[2, 0, 1]]  # an element's Z and X as `element` wants them


def made(
    tmp_path: Path, build: Callable[[IfcWriter], None], unit: str = "METRE", schema: str = "IFC4"
) -> Model:
    w = IfcWriter("test", schema, unit)
    w.storey("Ground", 0.0)
    build(w)
    w.write(tmp_path / "m.ifc")
    return transfer(read_source(tmp_path / "m.ifc"), Settings().transfer)


def prism(w: IfcWriter, kind: str, name: str, outline: list[tuple[float, float]], height: float) -> Any:
    curve = w.file.create_entity("IfcPolyline", [w.point(p) for p in (*outline, outline[0])])
    profile = w.file.create_entity("IfcArbitraryClosedProfileDef", "AREA", None, curve)
    return w.element(
        kind, name, np.zeros(3), UPRIGHT, w.shape([w.extrusion(profile, height)]), None, "Ground"
    )


def brep(
    w: IfcWriter, kind: str, name: str, bottom: list[tuple[float, ...]], top: list[tuple[float, ...]]
) -> Any:
    """A body between two rings of points, as faces."""
    f = w.file

    def face(points: list[tuple[float, ...]]) -> Any:
        loop = f.create_entity("IfcPolyLoop", [w.point(p) for p in points])
        return f.create_entity("IfcFace", [f.create_entity("IfcFaceOuterBound", loop, True)])

    n = len(bottom)
    faces = [face(bottom[::-1]), face(top)]
    faces += [face([bottom[k], bottom[(k + 1) % n], top[(k + 1) % n], top[k]]) for k in range(n)]
    solid = f.create_entity("IfcFacetedBrep", f.create_entity("IfcClosedShell", faces))
    return w.element(kind, name, np.zeros(3), UPRIGHT, w.shape([solid], "Brep"), None, "Ground")


def square(z: float, size: float = 6.0) -> list[tuple[float, ...]]:
    return [(0, 0, z), (size, 0, z), (size, size, z), (0, size, z)]


@pytest.mark.parametrize("unit", ["METRE", "MILLIMETRE", "FOOT"])
def test_a_bare_slab_is_measured(tmp_path: Path, unit: str) -> None:
    """Mid-plane, thickness and outline of a body that is only faces; the misfit is said."""
    m = made(tmp_path, lambda w: brep(w, "IfcSlab", "S", square(2.8), square(3.0)) and None, unit)
    s = next(iter(m.surfaces.values()))
    assert s.thickness == pytest.approx(0.2, abs=1e-5) and s.area == pytest.approx(36.0, rel=1e-5)
    assert s.outer[:, 2] == pytest.approx([2.9] * 4, abs=1e-5)
    assert "measured on its body, misfit 0.0%" in s.guess and any("measured" in e.message for e in m.log)


def test_a_wedge_is_reported_with_its_places(tmp_path: Path) -> None:
    """A drainage slab from 0.20 to 0.26 m: the mean is in the model, the range and where are said."""
    top = [(0, 0, 3.0), (6, 0, 3.06), (6, 6, 3.06), (0, 6, 3.0)]
    m = made(tmp_path, lambda w: brep(w, "IfcSlab", "S", square(2.8), top) and None)
    s = next(iter(m.surfaces.values()))
    assert s.spread is not None and s.spread == pytest.approx((0.2, 0.26), abs=2e-3)
    assert s.thin_at is not None and s.thick_at is not None
    assert s.thin_at[0] < 0.5 < 5.5 < s.thick_at[0]
    assert s.volume == pytest.approx(36 * 0.23, rel=1e-3)
    found = [f for f in run_checks(Subject(m)) if f.code == "surface.thickness"]
    assert len(found) == 1 and "200 mm" in found[0].message and "260 mm" in found[0].message


def test_an_inclined_roof_keeps_its_plane(tmp_path: Path) -> None:
    """A 30 degree roof plate: area along the slope, normal upwards."""
    c, s_ = math.cos(math.radians(30)), math.sin(math.radians(30))
    n = np.array([-s_, 0, c]) * 0.1
    low = [np.array(p) for p in ((0, 0, 3), (6 * c, 0, 3 + 6 * s_), (6 * c, 4, 3 + 6 * s_), (0, 4, 3))]
    m = made(
        tmp_path,
        lambda w: brep(w, "IfcRoof", "R", [tuple(p - n) for p in low], [tuple(p + n) for p in low]) and None,
    )
    s = next(iter(m.surfaces.values()))
    assert s.thickness == pytest.approx(0.2) and s.area == pytest.approx(24.0)
    assert s.axes[2] == pytest.approx([-s_, 0, c], abs=1e-6)


def test_a_wall_cut_by_a_roof_is_a_gable(tmp_path: Path) -> None:
    """A wall clipped by a sloping half-space: its mid-surface is what is left, with the kernel's own
    volume."""

    def build(w: IfcWriter) -> None:
        f = w.file
        rect = f.create_entity("IfcRectangleProfileDef", "AREA", None, None, 6.0, 0.3)
        solid = w.extrusion(rect, 4.0)
        plane = f.create_entity("IfcPlane", w.axes((0, 0, 3.0), (0.3, 0, 1.0), (1, 0, -0.3)))
        half = f.create_entity("IfcHalfSpaceSolid", plane, False)
        cut = f.create_entity("IfcBooleanClippingResult", "DIFFERENCE", solid, half)
        w.element("IfcWall", "W", np.zeros(3), UPRIGHT, w.shape([cut], "Clipping"), None, "Ground")

    m = made(tmp_path, build)
    s = next(iter(m.surfaces.values()))
    f = ifcopenshell.open(str(tmp_path / "m.ifc"))
    shape = ifcopenshell.geom.create_shape(ifcopenshell.geom.settings(), f.by_guid(s.id))
    assert s.source_volume == pytest.approx(ifcopenshell.util.shape.get_volume(shape.geometry), rel=1e-4)
    assert s.thickness == pytest.approx(0.3) and s.area < 6 * 4


def arc(radius: float, sweep: float, n: int) -> list[tuple[float, float]]:
    return [(radius * math.cos(a), radius * math.sin(a)) for a in np.linspace(0, sweep, n)]


def test_a_curved_wall_is_faceted_with_its_chord_error(tmp_path: Path) -> None:
    """A quarter of a ring, 5 m mean radius: the facets follow the middle; the sagitta r (1 - cos(step / 2))
    is said."""
    n = 13
    outline = arc(5.1, math.pi / 2, n) + arc(4.9, math.pi / 2, n)[::-1]
    m = made(tmp_path, lambda w: prism(w, "IfcWall", "W", outline, 3.0) and None)
    pieces = list(m.surfaces.values())
    assert len(pieces) == n - 1 and {s.whole for s in pieces} == {pieces[0].element}
    assert pieces[0].thickness == pytest.approx(0.2, rel=2e-2)
    assert sum(s.area for s in pieces) == pytest.approx(5 * math.pi / 2 * 3, rel=5e-3)
    step = math.pi / 2 / (n - 1)
    said = f"{5 * (1 - math.cos(step / 2)) * 1000:.0f} mm off the curve"
    assert said in pieces[0].guess
    # one wall in the tally, its facets tied to each other
    from rod_tally.review.tallies.tally import tally

    row = next(r for r in tally(m) if r.cls == "wall")
    assert (row.source, row.model) == (1, 1)
    assert all(any(j.kind == "surface" for j in s.joints) for s in pieces)


def test_a_bent_wall_becomes_straight_pieces(tmp_path: Path) -> None:
    outline = [(0, 0), (5.2, 0), (5.2, 4.2), (5.0, 4.2), (5.0, 0.2), (0, 0.2)]
    m = made(tmp_path, lambda w: prism(w, "IfcWall", "W", outline, 3.0) and None)
    lengths = sorted(round(s.source_area / 3, 3) for s in m.surfaces.values())
    assert len(lengths) == 2 and lengths == pytest.approx([4.1, 5.1])
    assert all(s.thickness == pytest.approx(0.2) for s in m.surfaces.values())


@pytest.mark.parametrize(
    "outline",
    [
        [(0, 0), (4, 0), (4, 0.5), (0, 0.2)],  # widens
        [(0, 0), (3, 0), (3, 3), (0, 3)],  # a block
        [
            (0, 0),
            (4, 0),
            (4, 0.2),
            (2.2, 0.2),
            (2.2, 2),
            (2.0, 2),
            (2.0, 0.2),
            (0, 0.2),
        ],  # a T has three ends
    ],
)
def test_what_is_no_strip_has_no_middle_line(outline: list[tuple[float, float]]) -> None:
    assert middle_line(Polygon(outline)) is None


def test_layers_that_add_up_to_something_else_are_told(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        wall = w.block("IfcWall", "W", (0, 0, 0), (4, 0.2, 3), None, "Ground")
        layer = w.file.create_entity(
            "IfcMaterialLayer", w.file.create_entity("IfcMaterial", "C30/37"), 0.3, None
        )
        layers = w.file.create_entity("IfcMaterialLayerSet", [layer])
        use = w.file.create_entity("IfcMaterialLayerSetUsage", layers, "AXIS2", "POSITIVE", 0.0)
        w.root("IfcRelAssociatesMaterial", None, RelatedObjects=[wall], RelatingMaterial=use)

    m = made(tmp_path, build)
    s = next(iter(m.surfaces.values()))
    assert s.thickness == pytest.approx(0.2) and s.material == "C30/37"
    assert any("layers add up to 300 mm, its body is 200 mm" in e.message for e in m.log)


@pytest.mark.parametrize(
    ("name", "kind", "layers", "less"),
    [
        ("S", "", (("Concrete", 0.079), ("Metal deck", 0.051)), 0.0255 / 0.13),
        ("S", "", (("Metal deck", 0.07), ("Concrete", 0.06)), None),  # all of it counts as steel: no price
        ("S", "", (("Concrete", 0.129), ("Steel", 0.001)), -1.0),  # sheet, no deck
        ("S", "Composite slab 130", (("Concrete", 0.13),), 0.0),
        ("Hollowcore 1", "", (("Concrete", 0.13),), 0.0),
        ("S", "", (("Concrete", 0.0), ("Metal deck", 0.0)), 0.0),  # a list, without thicknesses
        ("Upper parking deck", "", (("Concrete", 0.13),), -1.0),
        ("S", "Desk floor", (("Concrete", 0.13),), -1.0),
        ("Timber deck", "", (("Timber C24", 0.13),), -1.0),
    ],
)
def test_decks_that_are_drawn_solid_are_told(
    tmp_path: Path, name: str, kind: str, layers: tuple[tuple[str, float], ...], less: float | None
) -> None:
    """A composite deck or hollow planks by name, type or layers; what half-filled ribs would weigh less, of the
    slab's weight. -1: nothing is told."""

    def build(w: IfcWriter) -> None:
        slabs = [
            w.block("IfcSlab", n, (x, 0, 2.87), (x + 6, 5, 3.0), None, "Ground")
            for n, x in ((name, 0), (name, 9))
        ]
        parts = [
            w.file.create_entity("IfcMaterialLayer", w.file.create_entity("IfcMaterial", n), t, None)
            for n, t in layers
        ]
        made_of = (
            w.file.create_entity("IfcMaterialLayerSet", parts)
            if any(t for _, t in layers)
            else w.file.create_entity("IfcMaterialList", [x.Material for x in parts])
        )
        w.root("IfcRelAssociatesMaterial", None, RelatedObjects=slabs, RelatingMaterial=made_of)
        if kind:
            for slab in slabs:
                slab.ObjectType = kind

    m = made(tmp_path, build)
    told = [f for f in run_checks(Subject(m)) if f.code == "surface.solid"]
    assert len(told) == (0 if less == -1.0 else 1)
    if told:
        weight = sum(m.surface_weight(x) for x in m.surfaces.values())
        assert told[0].numbers["weight"] == pytest.approx((less or 0.0) * weight) and set(told[0].ids) == set(
            m.surfaces
        )
        assert ("half filled" in told[0].message) == bool(less) and "may span one way" in told[0].message
        SetThickness(list(m.surfaces), 0.1045).apply(m)
        assert not [f for f in run_checks(Subject(m)) if f.code == "surface.solid"]


def test_an_opening_beside_its_slab_is_a_finding(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        slab = w.block("IfcSlab", "S", (0, 0, 2.8), (6, 5, 3.0), None, "Ground")
        w.opening(slab, "elsewhere", (8, 1, 2.7), (9, 2, 3.1))

    found = [f for f in run_checks(Subject(made(tmp_path, build))) if f.code == "surface.opening"]
    assert len(found) == 1 and "outside" in found[0].message


def test_walls_alone_can_be_reviewed(tmp_path: Path) -> None:
    """A model without a single beam or column is taken in, its feet held on the lowest level."""
    m = made(tmp_path, lambda w: w.block("IfcWall", "W", (0, 0, 0), (4, 0.2, 3), None, "Ground") and None)
    s = next(iter(m.surfaces.values()))
    assert not m.members and len(s.supports) == 1 and s.supports[0].support == PINNED
    assert not any(f.code.startswith("support") for f in run_checks(Subject(m)))


def test_a_curved_beam_becomes_chords(tmp_path: Path) -> None:
    """A tube on an arc of 8 m: ends of the chords lie on the arc, the error is r (1 - cos(step / 2))."""

    def build(w: IfcWriter) -> None:
        f = w.file
        circle = f.create_entity("IfcCircle", w.axes((0, 0, 3)), 8.0)
        trims = [[f.create_entity("IfcParameterValue", v)] for v in (0.0, math.pi / 3)]
        curve = f.create_entity("IfcTrimmedCurve", circle, *trims, True, "PARAMETER")
        disk = f.create_entity("IfcSweptDiskSolid", curve, 0.1, 0.09, None, None)
        w.element(
            "IfcBeam", "ring", np.zeros(3), UPRIGHT, w.shape([disk], "AdvancedSweptSolid"), None, "Ground"
        )

    m = made(tmp_path, build)
    chords = list(m.members.values())
    assert len(chords) == 8 and len({c.whole for c in chords}) == 1
    points = np.array([n.point for n in m.nodes.values()])
    assert np.linalg.norm(points[:, :2], axis=1) == pytest.approx([8.0] * 9) and len(points) == 9
    step = math.pi / 3 / 8
    assert any(f"at most {8 * (1 - math.cos(step / 2)) * 1000:.1f} mm off" in e.message for e in m.log)


def test_a_revolved_beam_follows_its_axis(tmp_path: Path) -> None:
    """A quarter turn of a rectangle about an axis 5 m off: the arc of the profile's origin."""

    def build(w: IfcWriter) -> None:
        f = w.file
        rect = f.create_entity("IfcRectangleProfileDef", "AREA", "R", None, 0.2, 0.4)
        about = f.create_entity("IfcAxis1Placement", w.point((5.0, 0, 0)), w.direction((0, 1, 0)))
        solid = f.create_entity("IfcRevolvedAreaSolid", rect, w.axes((0, 0, 0)), about, math.pi / 2)
        w.element("IfcBeam", "arch", np.zeros(3), UPRIGHT, w.shape([solid], "SweptSolid"), None, "Ground")

    m = made(tmp_path, build)
    points = np.array([n.point for n in m.nodes.values()])
    assert len(points) == 13
    from_axis = np.linalg.norm(points[:, [0, 2]] - np.array([5.0, 0.0]), axis=1)
    assert from_axis == pytest.approx([5.0] * 13)
    assert sum(m.length(c) for c in m.members.values()) == pytest.approx(5 * math.pi / 2, rel=1e-3)
