"""Slabs and walls: mid-surfaces, thickness, openings, local axes; areas and volumes against the library's
geometry."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import ifcopenshell
import ifcopenshell.geom
import ifcopenshell.util.shape
import numpy as np
import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.compare import Side, compare
from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import read_source
from rod_tally.model import Model, Settings, Surface
from rod_tally.review.tallies.tally import tally
from rod_tally.transfer import transfer

TURNED = np.array([[0, 0, 1.0], [np.cos(0.5), np.sin(0.5), 0], [-np.sin(0.5), np.cos(0.5), 0]])


def made(
    tmp_path: Path, build: Callable[[IfcWriter], None], unit: str = "METRE", schema: str = "IFC4"
) -> Model:
    """A model with one column beside whatever `build` draws."""
    w = IfcWriter("test", schema, unit)
    w.storey("Ground", 0.0)
    w.storey("First", 3.0)
    steel = w.material("S355", YoungModulus=210e9, MassDensity=7850)
    w.member(
        "IfcColumn",
        "K",
        (0, 0, 0),
        (0, 0, 3),
        w.profile("Rectangle", "R", XDim=0.3, YDim=0.3),
        steel,
        "Ground",
    )
    build(w)
    w.write(tmp_path / "m.ifc")
    return transfer(read_source(tmp_path / "m.ifc"), Settings().transfer)


def only(m: Model) -> Surface:
    assert len(m.surfaces) == 1, [s.reason for s in m.skipped]
    return next(iter(m.surfaces.values()))


@pytest.mark.parametrize("unit", ["METRE", "MILLIMETRE", "FOOT"])
def test_slab_lies_in_the_middle_of_its_thickness(tmp_path: Path, unit: str) -> None:
    def build(w: IfcWriter) -> None:
        w.block("IfcSlab", "S", (0, 0, 2.8), (6, 5, 3.0), w.material("C30/37"), "First")

    s = only(made(tmp_path, build, unit))
    assert (s.cls, s.storey, s.material) == ("slab", "First", "C30/37")
    assert s.thickness == pytest.approx(0.2) and s.area == pytest.approx(30.0)
    assert s.outer[:, 2] == pytest.approx([2.9] * 4)
    assert s.axes == pytest.approx(np.eye(3))


@pytest.mark.parametrize("unit", ["METRE", "FOOT"])
def test_wall_stands_on_its_middle_line(tmp_path: Path, unit: str) -> None:
    """Local y up, z level: reinforcement and force directions agree from wall to wall."""

    def build(w: IfcWriter) -> None:
        w.block("IfcWall", "W", (0, 1.0, 0), (4, 1.2, 3), w.material("C30/37"), "Ground")

    s = only(made(tmp_path, build, unit))
    assert (
        s.thickness == pytest.approx(0.2) and s.area == pytest.approx(12.0) and s.volume == pytest.approx(2.4)
    )
    assert s.outer[:, 1] == pytest.approx([1.1] * 4)
    assert s.axes[1] == pytest.approx([0, 0, 1], abs=1e-12)
    assert s.axes[2] == pytest.approx([0, 1, 0], abs=1e-12)


def test_wall_at_an_angle(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        f = w.file
        rect = f.create_entity("IfcRectangleProfileDef", "AREA", None, None, 5.0, 0.25)
        w.element(
            "IfcWall", "W", np.array([3.0, 4, 0]), TURNED, w.shape([w.extrusion(rect, 3.0)]), None, "Ground"
        )

    s = only(made(tmp_path, build))
    assert s.thickness == pytest.approx(0.25) and s.area == pytest.approx(15.0)
    assert s.outer.mean(axis=0) == pytest.approx([3, 4, 1.5])


def test_openings_and_notches(tmp_path: Path) -> None:
    """A window stays an opening, a door at the foot notches the outline, one beside the wall is said and left
    out."""

    def build(w: IfcWriter) -> None:
        wall = w.block("IfcWall", "W", (0, 0, 0), (6, 0.2, 3), w.material("C30/37"), "Ground")
        w.opening(wall, "window", (1, -0.1, 1), (2, 0.3, 2.2))
        w.opening(wall, "door", (4, -0.1, -0.1), (5, 0.3, 2.1))
        w.opening(wall, "elsewhere", (8, -0.1, 1), (9, 0.3, 2))

    m = made(tmp_path, build)
    s = only(m)
    assert s.area == pytest.approx(18 - 1.2 - 2.1)
    assert len(s.openings) == 1 and len(s.outer) == 8
    assert any("outside it" in e.message for e in m.log)


def test_slab_opening_by_profile_and_by_relation(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        f = w.file
        outer = f.create_entity("IfcPolyline", [w.point(p) for p in ((0, 0), (8, 0), (8, 6), (0, 6), (0, 0))])
        inner = f.create_entity("IfcPolyline", [w.point(p) for p in ((1, 1), (2, 1), (2, 3), (1, 3), (1, 1))])
        profile = f.create_entity("IfcArbitraryProfileDefWithVoids", "AREA", None, outer, [inner])
        slab = w.element(
            "IfcSlab",
            "S",
            np.array([0, 0, 2.75]),
            np.eye(3)[[2, 0, 1]],
            w.shape([w.extrusion(profile, 0.25)]),
            None,
            "First",
        )
        w.opening(slab, "stair", (4, 2, 2.5), (6, 5, 3.2))

    s = only(made(tmp_path, build))
    assert s.area == pytest.approx(48 - 2 - 6) and len(s.openings) == 2


def test_gable_drawn_as_an_elevation(tmp_path: Path) -> None:
    """A pentagon extruded by its thickness: the mid-surface keeps its shape."""

    def build(w: IfcWriter) -> None:
        outline = ((0, 0), (6, 0), (6, 3), (3, 5), (0, 3), (0, 0))
        curve = w.file.create_entity("IfcPolyline", [w.point(p) for p in outline])
        profile = w.file.create_entity("IfcArbitraryClosedProfileDef", "AREA", None, curve)
        axes = np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]])
        w.element("IfcWall", "gable", np.zeros(3), axes, w.shape([w.extrusion(profile, 0.3)]), None, "Ground")

    s = only(made(tmp_path, build))
    assert s.thickness == pytest.approx(0.3) and s.area == pytest.approx(24.0)
    assert s.outer[:, 1] == pytest.approx([-0.15] * 5)


def test_wall_of_odd_footprint_is_marked_as_guessed(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        outline = ((0, 0), (4, 0), (4, 0.5), (0, 0.2), (0, 0))
        curve = w.file.create_entity("IfcPolyline", [w.point(p) for p in outline])
        profile = w.file.create_entity("IfcArbitraryClosedProfileDef", "AREA", None, curve)
        w.element(
            "IfcWall",
            "W",
            np.zeros(3),
            np.eye(3)[[2, 0, 1]],
            w.shape([w.extrusion(profile, 3.0)]),
            None,
            "Ground",
        )

    m = made(tmp_path, build)
    assert "strips" in only(m).guess and only(m).spread == pytest.approx((0.2, 0.5), rel=0.05)
    assert any(e.kind == "guessed" and "strips" in e.message for e in m.log)


def test_what_is_no_prism_is_skipped_with_its_reason(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        sphere = w.file.create_entity("IfcSphere", w.axes((0, 0, 0)), 1.0)
        solid = w.file.create_entity("IfcCsgSolid", sphere)
        w.element(
            "IfcSlab", "dome", np.zeros(3), np.eye(3)[[2, 0, 1]], w.shape([solid], "CSG"), None, "First"
        )
        w.root("IfcRoof", "roof", ObjectPlacement=w.placement((0, 0, 6)))

    m = made(tmp_path, build)
    reasons = {s.cls: s.reason for s in m.skipped}
    assert "cannot be taken apart" in reasons["slab"] and "no body" in reasons["roof"]


def test_areas_and_volumes_agree_with_the_library(loft_a: Path) -> None:
    """Net volume of every wall and slab of the demo against the geometry kernel's own, 1e-6."""
    m = transfer(read_source(loft_a), Settings().transfer)
    f = ifcopenshell.open(str(loft_a))
    settings = ifcopenshell.geom.settings()
    for surface in m.surfaces.values():
        shape = ifcopenshell.geom.create_shape(settings, f.by_guid(surface.id))
        assert surface.source_volume == pytest.approx(
            ifcopenshell.util.shape.get_volume(shape.geometry), rel=1e-6
        )


def test_tally_and_note_carry_their_weight(loft_a: Path) -> None:
    settings = Settings().transfer
    settings.slabs = "two-way"
    m = transfer(read_source(loft_a), settings)
    rows = {r.cls: r for r in tally(m)}
    assert rows["wall"].agrees and rows["slab"].agrees
    assert rows["wall"].weight == pytest.approx(rows["wall"].volume * 2500 * 9.80665)  # type: ignore[operator]
    found = [f for f in run_checks(Subject(m)) if f.code == "source.surfaces"]
    assert (
        len(found) == 1 and found[0].severity == "note" and "3 slabs hand their loads on" in found[0].message
    )


def walls(
    tmp_path: Path, stamp: str, *, y: float = 1.0, t: float = 0.2, z: float = 2.8, more: bool = False
) -> Model:
    tmp = tmp_path / stamp
    tmp.mkdir()

    def build(w: IfcWriter) -> None:
        w._stamp = stamp
        c = w.material("C30/37")
        w.block("IfcWall", "W", (0, y, 0), (4, y + t, 3), c, "Ground")
        w.block("IfcSlab", "S", (0, 0, z), (6, 5, z + 0.2), c, "First")
        if more:
            w.block("IfcWall", "W2", (0, 4, 0), (4, 4.2, 3), c, "Ground")

    return made(tmp, build)


def status(base: Model, revised: Model) -> dict[str, tuple[str, float]]:
    rows = compare(Side(base), Side(revised)).surfaces
    return {f"{m.cls} {m.status}": (m.status, round(m.shift, 4)) for m in rows if m.cls in ("wall", "slab")}


def test_surfaces_are_compared_like_members(tmp_path: Path) -> None:
    """Within its footprint a wall has moved, beyond it is another one; a slab counts by its level."""
    base = walls(tmp_path, "a")
    assert status(base, walls(tmp_path, "b")) == {"wall same": ("same", 0.0), "slab same": ("same", 0.0)}
    assert status(base, walls(tmp_path, "c", y=1.05))["wall moved"] == ("moved", 0.05)
    assert set(status(base, walls(tmp_path, "d", y=1.5))) == {"wall added", "wall removed", "slab same"}
    assert status(base, walls(tmp_path, "e", t=0.25))["wall resized"][0] == "resized"
    assert status(base, walls(tmp_path, "f", z=2.85))["slab moved"] == ("moved", 0.05)
    assert "slab added" in status(base, walls(tmp_path, "g", z=3.4))
    assert "wall added" in status(base, walls(tmp_path, "h", more=True))
