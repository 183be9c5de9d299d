"""Numbers in two readings, names of two things, zipped files, blocks of drawings: read as meant, or
refused."""

from __future__ import annotations

import zipfile
from pathlib import Path

import ezdxf
import numpy as np
import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.cli import main
from rod_tally.intake import IntakeError, read_source
from rod_tally.intake.drawing import read_drawing
from rod_tally.intake.plan_parts import Plan, parts_of
from rod_tally.model import LoadCase, MemberLoad, Model, Settings
from rod_tally.model.numbers import decimal_mark, number
from rod_tally.output.ifc import write_ifc
from rod_tally.transfer import transfer

from .physical_models import add, bay, model
from .test_drawings import plan
from .test_model_tables import simple


def taken(path: Path) -> Model:
    return transfer(read_source(path), Settings().transfer)


@pytest.mark.parametrize(
    "other, expected", [("-12.5", -10000.0), ("-12,5", -10.0), ("-1,250,000", -10000.0), ("-12", None)]
)
def test_a_number_in_two_readings_is_told_by_its_column_or_refused(
    tmp_path: Path, other: str, expected: float | None
) -> None:
    """-10,000 is ten thousand beside -12.5, ten beside -12,5, and refused beside -12, with row and column."""
    loads = f"case;kind;on;fz [N/m]\nQ;member;B1;-10,000\nP;member;B1;{other}\n"
    m = taken(simple(tmp_path, loads=loads))
    if expected is None:
        assert not m.cases["Q"].member_loads
        (f,) = [f for f in run_checks(Subject(m)) if f.code == "source.unread"]
        assert (
            "-10,000 may be read as -10 or as -10000" in f.message
            and "row 2" in f.message
            and "fz" in f.message
        )
    else:
        assert m.cases["Q"].member_loads[0].qa[2] == expected


@pytest.mark.parametrize(
    "cell, mark, value",
    [("1,234.5", "", 1234.5), ("1.234,5", "", 1234.5), ("0,125", "", 0.125), ("1,23", "", 1.23)],
)
def test_numbers_that_have_one_reading(cell: str, mark: str, value: float) -> None:
    assert number(cell, mark) == value


def test_a_column_of_both_marks_tells_nothing() -> None:
    assert decimal_mark(["1,5", "2.5"]) == ""


def test_profiles_and_materials_of_one_name_stay_two(tmp_path: Path) -> None:
    """Two sections called alike, of 80 and 96 cm2, are two in the file handed back: weights by hand."""
    m = model(bay())
    a, b = list(m.sections)[:2]
    from dataclasses import replace

    for table in (m.sections,):
        for key in (a, b):
            table[key] = replace(table[key], name="R")
    m.materials["other"] = replace(m.materials["S355"], density=4000.0)
    m.members["B1"].material = "other"
    back = taken(write_ifc(m, tmp_path / "back.ifc"))
    for x in back.members.values():
        own = next(y for y in m.members.values() if y.name == x.name)
        assert back.weight(x) == pytest.approx(m.weight(own), rel=1e-9)


def test_a_workbook_that_unpacks_to_far_more_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "bomb.xlsx"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as z:
        z.writestr("xl/worksheets/sheet1.xml", b"\0" * 600_000_000)
    with pytest.raises(IntakeError, match="too much for a workbook"):
        read_source(path)


def test_a_zipped_model_is_the_model(tmp_path: Path, loft_a: Path) -> None:
    path = tmp_path / "loft.ifczip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as z:
        z.write(loft_a, "inside.ifc")
    plain, zipped = read_source(loft_a), read_source(path)
    assert zipped.file == str(path) and zipped.counts == plain.counts
    assert main(["review", str(path), "--out", str(tmp_path / "out"), "--quiet"]) == 1


@pytest.mark.parametrize("names", [[], ["a.ifc", "b.ifc"], ["../a.ifc"]])
def test_zipped_files_that_are_no_model(tmp_path: Path, names: list[str]) -> None:
    path = tmp_path / "m.ifczip"
    with zipfile.ZipFile(path, "w") as z:
        z.writestr("readme.txt", "x")
        for n in names:
            z.writestr(n, "x")
    with pytest.raises(IntakeError, match=r"m\.ifczip: holds"):
        read_source(path)


def test_a_damaged_zip_is_named(tmp_path: Path) -> None:
    (tmp_path / "m.ifczip").write_bytes(b"PK\x03\x04 and no more")
    with pytest.raises(IntakeError, match="not a zipped IFC file"):
        read_source(tmp_path / "m.ifczip")


def of_layers(path: Path, **layers: str) -> Plan:
    return Plan(layers, 0.0, 3.0, "C30/37", "S355", "IPE 300", 0.2)


def test_blocks_in_rows_and_columns_missing_and_foreign(tmp_path: Path) -> None:
    """A column set out 4 by 3; a reference to a block that is not there, and to another drawing."""
    doc = ezdxf.new("R2010")
    doc.header["$INSUNITS"] = 6
    block = doc.blocks.new("COLUMN")
    block.add_lwpolyline([(-0.2, -0.2), (0.2, -0.2), (0.2, 0.2), (-0.2, 0.2)], close=True)
    space = doc.modelspace()
    array = {"layer": "COLS", "column_count": 4, "row_count": 3, "column_spacing": 6.0, "row_spacing": 5.0}
    space.add_blockref("COLUMN", (0, 0), dxfattribs=array)
    space.add_blockref("GONE", (0, 0), dxfattribs={"layer": "COLS"})
    doc.add_xref_def("other.dxf", "OTHER")
    space.add_blockref("OTHER", (0, 0), dxfattribs={"layer": "COLS"})
    doc.saveas(tmp_path / "p.dxf")
    drawing = read_drawing(tmp_path / "p.dxf")
    parts = parts_of(drawing, of_layers(tmp_path, COLS="columns"))
    places = {(round(m["start"][0]), round(m["start"][1])) for m in parts.members}
    assert places == {(6 * i, 5 * j) for i in range(4) for j in range(3)}
    assert drawing.unread.get("references to other drawings") == 1
    assert sum(v for k, v in drawing.unread.items() if "missing" in k or "damaged" in k) >= 1


def test_an_island_in_an_opening_is_a_slab_and_a_filled_column_one() -> None:
    from rod_tally.intake.drawing import Drawing, Layer

    def ring(a: float, b: float) -> np.ndarray:
        return np.array([(a, a, 0), (b, a, 0), (b, b, 0), (a, b, 0)], float)

    layers = {
        "S": Layer(outlines=[ring(0, 20), ring(5, 15), ring(8, 12)]),
        "C": Layer(outlines=[ring(0, 0.4), ring(0.0, 0.4)]),
    }
    parts = parts_of(
        Drawing("d", layers, "metres", 1.0, False, {}), of_layers(Path(), S="slabs", C="columns")
    )
    assert [len(s["openings"]) for s in parts.surfaces] == [1, 0] and len(parts.members) == 1
    assert any("same columns" in t for t in parts.told)


def test_rounding_is_no_upward_load() -> None:
    """A live case that pushes sideways by 100 kN and up by a trace of rounding; of a millionth it is told."""
    m = model(bay())
    for up, told in ((8e-11, False), (1.0, True)):
        m.cases["Q"] = LoadCase(
            "Q", "live", member_loads=[MemberLoad("B1", 1.0, 1.0, (1e5, 0, up), (1e5, 0, up))]
        )
        assert bool([f for f in run_checks(Subject(m)) if f.code == "load.direction"]) == told


@pytest.mark.parametrize("inside", [True, False])
def test_a_column_at_the_end_of_a_wall_is_not_in_it(inside: bool) -> None:
    from .test_panels import plate

    s = bay()
    plate(s, "wall", "W", (1.0, -0.15, 0), (5.0, 0.15, 3))
    add(s, "column", "K", (3.0 if inside else 0.85, 0, 0), (3.0 if inside else 0.85, 0, 3), z=(1, 0, 0))
    found = [f for f in run_checks(Subject(model(s))) if f.code == "join.inside" and "K" in f.ids]
    assert bool(found) == inside


def test_the_plan_of_other_tests_is_read_as_before(tmp_path: Path) -> None:
    parts = parts_of(read_drawing(plan(tmp_path / "p.dxf")), of_layers(tmp_path, **{"S-COLS": "columns"}))
    assert len(parts.members) == 5
