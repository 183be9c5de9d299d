"""Plans as drawings: layers read as grid lines, columns, beams, slabs and walls, in any unit; what is not
read is counted."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rod_tally.analysis import run
from rod_tally.desk.making.drawing_page import opened
from rod_tally.desk.window import Window
from rod_tally.intake import IntakeError
from rod_tally.intake.drawing import Drawing, Layer, read_drawing
from rod_tally.intake.plan_parts import Plan, guess, parts_of, rectangle_of
from rod_tally.model import FIXED, LoadCase, Model, Storey
from rod_tally.model.catalogue.grades import grades
from rod_tally.model.edits import AddGrids, AddMembers, AddSurfaces, SetSupport
from rod_tally.model.entities.material import graded
from rod_tally.model.settings import RunSettings

from .desk_help import act, model_of, rested

G = 9.80665
READ = {"S-GRID": "grid lines", "S-COLS": "columns", "S-BEAM": "beams", "S-SLAB": "slabs", "S-WALL": "walls"}


def plan(path: Path, unit: int = 4, scale: float = 1000.0, angle: float = 0.0, **header: Any) -> Path:
    """Two bays of 6 m by one of 5 m: columns 300 x 500 at the grid's crossings but two, which a wall of 200
    mm (drawn as two lines) takes."""
    doc = ezdxf.new("R2010")
    doc.header["$INSUNITS"] = unit
    space = doc.modelspace()
    c, s = np.cos(angle), np.sin(angle)

    def at(x: float, y: float) -> tuple[float, float]:
        return (scale * (c * x - s * y), scale * (s * x + c * y))

    for x, name in ((0.0, "1"), (6.0, "2"), (12.0, "3")):
        space.add_line(at(x, -1.5), at(x, 6.5), dxfattribs={"layer": "S-GRID"})
        space.add_text(name, height=0.3 * scale, dxfattribs={"layer": "S-TEXT", "insert": at(x, -2.0)})
    for y, name in ((0.0, "A"), (5.0, "B")):
        space.add_line(at(-1.5, y), at(13.5, y), dxfattribs={"layer": "S-GRID"})
        space.add_text(name, height=0.3 * scale, dxfattribs={"layer": "S-TEXT", "insert": at(-2.0, y)})
    column = doc.blocks.new("COLUMN")
    half = [(-0.15, -0.25), (0.15, -0.25), (0.15, 0.25), (-0.15, 0.25)]
    column.add_lwpolyline([(scale * x, scale * y) for x, y in half], close=True, dxfattribs={"layer": "0"})
    for x, y in ((0, 0), (6, 0), (0, 5), (6, 5)):
        space.add_blockref(
            "COLUMN", at(x, y), dxfattribs={"layer": "S-COLS", "rotation": float(np.degrees(angle))}
        )
    space.add_circle(at(12, 2.5), 0.2 * scale, dxfattribs={"layer": "S-COLS"})
    for a, b in (
        ((0, 0), (6, 0)),
        ((6, 0), (12, 0)),
        ((0, 5), (6, 5)),
        ((6, 5), (12, 5)),
        ((0, 0), (0, 5)),
        ((6, 0), (6, 5)),
    ):
        space.add_line(at(*a), at(*b), dxfattribs={"layer": "S-BEAM"})
    ring = [at(0, 0), at(12, 0), at(12, 5), at(0, 5)]
    space.add_lwpolyline([*ring, ring[0]], dxfattribs={"layer": "S-SLAB"})
    for x in (11.9, 12.1):
        space.add_line(at(x, 0), at(x, 5), dxfattribs={"layer": "S-WALL"})
    space.add_arc((0, 0), 3.0 * scale, 0, 90, dxfattribs={"layer": "S-BEAM"})
    space.add_lwpolyline([(0, 0, 0.5), (scale, 0, 0)], format="xyb", dxfattribs={"layer": "S-BEAM"})
    doc.saveas(path)
    return path


def read(path: Path, **more: Any) -> Any:
    drawing = read_drawing(path)
    return parts_of(drawing, Plan(READ, 0.0, 3.5, "C30/37", "S355", "IPE 300", 0.18, **more))


@pytest.mark.parametrize(("unit", "scale"), [(4, 1000.0), (6, 1.0), (2, 1 / 0.3048), (5, 100.0)])
@pytest.mark.parametrize("angle", [0.0, 0.4])
def test_a_plan_has_its_parts_in_any_unit_and_turned(
    unit: int, scale: float, angle: float, tmp_path: Path
) -> None:
    parts = read(plan(tmp_path / "plan.dxf", unit, scale, angle))
    assert sorted(g["name"] for g in parts.grids) == ["1", "2", "3", "A", "B"]
    columns = [m for m in parts.members if m["class"] == "column"]
    assert sorted(m["section"] for m in columns) == ["circle 400"] + 4 * ["rectangle 300x500"]
    assert len(parts.members) - len(columns) == 6
    back = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    feet = sorted(np.round(back @ np.array(m["start"][:2]), 3).tolist() for m in columns)
    assert feet == [pytest.approx(p, abs=2e-3) for p in ([0, 0], [0, 5], [6, 0], [6, 5], [12, 2.5])]
    tall = next(m for m in columns if m["shape"] == "rectangle")
    # the deeper side runs along y of the plan
    assert np.abs(back @ np.array(tall["z_axis"][:2])) == pytest.approx([0, 1], abs=1e-6)
    slab = next(s for s in parts.surfaces if s["class"] == "slab")
    (wall,) = (s for s in parts.surfaces if s["class"] == "wall")
    assert len(slab["outline"]) == 4 and wall["thickness"] == pytest.approx(0.2, rel=1e-6)
    middle = np.array(wall["outline"]).mean(axis=0)
    assert back @ middle[:2] == pytest.approx([12, 2.5], abs=1e-3) and middle[2] == pytest.approx(1.75)
    assert any("two faces of a wall" in t for t in parts.told)


def test_what_is_not_read_is_counted_and_a_missing_unit_is_said(tmp_path: Path) -> None:
    d = read_drawing(plan(tmp_path / "plan.dxf"))
    assert d.unread == {"arc": 1, "polyline with arcs": 1} and not d.guessed and d.unit == "millimetres"
    d = read_drawing(plan(tmp_path / "bare.dxf", 0))
    assert d.guessed and d.unit == "millimetres"
    d = read_drawing(plan(tmp_path / "small.dxf", 0, 1.0))
    assert d.guessed and d.unit == "metres"
    d = read_drawing(tmp_path / "small.dxf", "centimetres")
    assert d.scale == 0.01 and not d.guessed
    assert {n: guess(n, x) for n, x in d.layers.items()} == READ | {"S-TEXT": "nothing"}


@pytest.mark.parametrize(
    "text", ["", "no drawing at all", "0\nSECTION\n2\nENTITIES\n0\nLINE\n8\n0\n10\nabc\n0\nENDSEC\n0\nEOF\n"]
)
def test_files_that_are_no_drawing(text: str, tmp_path: Path) -> None:
    path = tmp_path / "x.dxf"
    path.write_text(text)
    with pytest.raises(IntakeError) as error:
        read_drawing(path)
    assert str(path) in str(error.value) and len(str(error.value).splitlines()) == 1
    with pytest.raises(IntakeError, match="no such file"):
        read_drawing(tmp_path / "none.dxf")


def test_an_outline_within_a_slab_is_an_opening_and_not_a_second_slab() -> None:
    def ring(x: float, y: float, w: float) -> np.ndarray:
        return np.array([(x, y, 0), (x + w, y, 0), (x + w, y + w, 0), (x, y + w, 0)], float)

    layer = Layer(outlines=[ring(2, 2, 1.0), ring(0, 0, 6.0), ring(20, 0, 4.0), ring(21, 1, 0.5)])
    layer.lines = [np.array([(0, 0, 0), (0.4, 0, 0)], float)]
    drawing = Drawing("x", {"S": layer}, "metres", 1.0, False, {})
    parts = parts_of(drawing, Plan({"S": "slabs"}, 0.0, 3.0, "C30/37", "S355", "IPE 300", 0.2))
    assert [(len(s["openings"]), s["outline"][1][0]) for s in parts.surfaces] == [(1, 6.0), (1, 24.0)]
    assert any("2 outlines within others were taken for openings" in t for t in parts.told)
    parts = parts_of(drawing, Plan({"S": "grid lines"}, 0.0, 3.0, "C30/37", "S355", "IPE 300", 0.2))
    assert not parts.grids and any("1 lines of up to 1 m are no grid lines" in t for t in parts.told)


def test_rectangles_and_what_is_none() -> None:
    turned = np.array([(0, 0), (0.3, 0.4), (-0.1, 0.7), (-0.4, 0.3)])
    found = rectangle_of(turned)
    assert found is not None and found[2:] == (pytest.approx(0.5), pytest.approx(0.5))
    assert rectangle_of(np.array([(0, 0), (1, 0), (0, 1)])) is None
    assert rectangle_of(np.array([(0, 0), (1, 0), (1, 0.3), (0.3, 0.3), (0.3, 1), (0, 1)])) is None
    assert rectangle_of(np.array([(0, 0), (1, 1), (1, 0), (0, 1)])) is None


def test_the_parts_make_a_building_that_stands(tmp_path: Path) -> None:
    """Sum of reactions is the weight of what was drawn, by hand: columns, beams, slab and wall."""
    parts = read(plan(tmp_path / "plan.dxf"))
    m = Model(kind="analytical", storeys=[Storey("Ground", 0.0), Storey("First", 3.5)])
    for grade in ("C30/37", "S355"):
        m.materials[grade] = graded(grade, grades()[grade], "here")
    columns = [p for p in parts.members if p["class"] == "column"]
    beams = [p for p in parts.members if p["class"] == "beam"]
    for edit in (AddGrids(parts.grids), AddMembers(columns), AddMembers(beams), AddSurfaces(parts.surfaces)):
        edit.apply(m)
    assert len(m.grids) == 5 and len(m.surfaces) == 2
    feet = [x.start for x in m.members.values() if x.cls == "column"]
    SetSupport(feet, FIXED).apply(m)
    m.cases["g"] = LoadCase("g", "self-weight", self_weight=(0, 0, -1.0))
    r = run(m, RunSettings())
    density = m.materials["C30/37"].density or 0.0
    rolled = m.sections["IPE 300"].area
    volume = 3.5 * (4 * 0.15 + np.pi * 0.04) + 12 * 5 * 0.18 + 5 * 3.5 * 0.2
    steel = (m.materials["S355"].density or 0.0) * (6 * 4 + 5 * 2) * rolled
    assert r.reaction[0, :, 2].sum() == pytest.approx((volume * density + steel) * G, rel=1e-6)
    assert not r.motions and r.equilibrium[0].residual < 1e-8


def test_a_drawing_in_the_window(loft: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """Its layers are guessed by their names, changed, looked at; added as one step."""
    model = model_of(loft)
    members, surfaces = len(model.members), len(model.surfaces)
    loft.add_desk.open_drawing(plan(tmp_path / "annex.dxf"))
    page = loft.add_desk.drawing
    assert page is not None
    assert page.choices() == READ | {"S-TEXT": "nothing"}
    assert (
        "5 grid lines, 5 columns, 6 beams, 1 slab, 1 wall" in page.message.text()
        and "1 arc" in page.note.text()
    )
    page.sizes["x"].setValue(60.0)
    page.sizes["level"].setValue(page.sizes["foot"].value())
    assert not page.add.isEnabled() and "must lie above" in page.message.text()
    page.sizes["level"].setValue(page.sizes["foot"].value() + 3.2)
    page.section.setCurrentText("IPE 360")
    page.unit.setCurrentText("metres")
    page.open_drawing(page.path)
    assert "column" not in page.message.text().split(";")[0]  # they are 300 m wide now
    page.unit.setCurrentIndex(0)
    page.open_drawing(page.path)
    count = loft.session.undo.count()
    page.accept()
    rested(qtbot, loft)
    after = model_of(loft)
    assert len(after.members) == members + 11 and len(after.surfaces) == surfaces + 2
    assert loft.session.undo.count() == count + 1
    assert {m.section for i, m in after.members.items() if i.startswith("added-") and m.cls == "beam"} == {
        "IPE 360"
    }
    act(loft, qtbot, "edit.undo")
    assert len(model_of(loft).members) == members and not any(
        g.grid == "by hand" for g in model_of(loft).grids
    )
    (tmp_path / "bad.dxf").write_text("nothing")
    loft.add_desk.open_drawing(tmp_path / "bad.dxf")
    assert "is not a DXF drawing" in loft.dialogs.message.text()
    loft.dialogs.message.close()
    assert isinstance(opened(loft, model, tmp_path / "none.dxf", lambda _: None), str)
