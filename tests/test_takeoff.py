"""The take-off and the spreadsheets: sums by hand, source beside model, what was left out."""

from __future__ import annotations

import csv
from pathlib import Path

import openpyxl
import pytest

from rod_tally.cli import main
from rod_tally.model import Settings
from rod_tally.model.edits import DeleteMembers, SetSection
from rod_tally.model.entities.loads import GRAVITY
from rod_tally.output.spreadsheet import write_takeoff, write_workbook
from rod_tally.output.tables import HEADERS
from rod_tally.output.write import OutputError
from rod_tally.review.tallies.takeoff import BY, takeoff
from rod_tally.review.work import read_model, review

from .physical_models import bay, model
from .test_panels import room


def row(m, by: str, key: str):  # type: ignore[no-untyped-def]
    return next(r for r in takeoff(m, by) if r.key == key)


def test_a_bay_by_hand() -> None:
    """Two columns of 4 m, 300 x 300; a beam of 5.7 m between faces, 6 m between axes, 200 x 400; 7850
    kg/m3."""
    m = model(bay())
    columns, beams = row(m, "class", "column"), row(m, "class", "beam")
    assert (columns.source, columns.model, columns.length) == (2, 2, pytest.approx(8.0))
    assert beams.source_length == pytest.approx(5.7) and beams.length == pytest.approx(6.0)
    assert beams.source_volume == pytest.approx(5.7 * 0.08) and beams.volume == pytest.approx(5.7 * 0.08)
    assert beams.weight == pytest.approx(5.7 * 0.08 * 7850 * GRAVITY)
    assert columns.area is None and set(columns.ids) == {"K1", "K2"}
    for by in BY:
        assert sum(r.weight or 0 for r in takeoff(m, by)) == pytest.approx(
            sum(m.weight(x) for x in m.members.values())
        )


def test_surfaces_by_hand() -> None:
    m = model(room())
    floor = row(m, "section", "200 mm slab")
    assert floor.source_area == pytest.approx(30.0) and floor.area == pytest.approx(5.8 * 4.8)
    assert floor.source_volume == pytest.approx(6.0) and floor.length is None


def test_corrections_change_the_model_s_side_only() -> None:
    m = model(bay())
    DeleteMembers(["B1"]).apply(m)
    SetSection(["K1"], "HE 300 B").apply(m)
    beams = row(m, "class", "beam")
    assert (beams.source, beams.model, beams.length) == (1, 0, None) and beams.source_length == pytest.approx(
        5.7
    )
    assert (row(m, "section", "HE 300 B").source, row(m, "section", "HE 300 B").model) == (0, 1)
    assert (row(m, "section", "col 300x300").source, row(m, "section", "col 300x300").model) == (2, 1)


def test_the_spreadsheet_holds_the_same(tmp_path: Path, loft_a: Path) -> None:
    m = read_model(loft_a, Settings())
    book = openpyxl.load_workbook(write_takeoff(m, tmp_path / "t.xlsx"), data_only=True)
    assert book.sheetnames == [
        "By class",
        "By section",
        "By material",
        "By storey",
        "List of parts",
        "Left out",
    ]
    sheet = {r[0]: r for r in book["By class"].iter_rows(values_only=True)}
    assert sheet["Class"][1:3] == ("Elements, source", "Elements, model")
    beams = row(m, "class", "beam")
    assert sheet["beam"][4] == pytest.approx(beams.length) and sheet["beam"][10] == pytest.approx(
        beams.weight / 1000
    )
    assert sheet["Sum"][10] == pytest.approx(sum((r.weight or 0) for r in takeoff(m, "class")) / 1000)


def test_all_tables_in_one_file(tmp_path: Path, loft_a: Path) -> None:
    done = review(read_model(loft_a, Settings()), Settings())
    book = openpyxl.load_workbook(write_workbook(done, tmp_path / "all.xlsx"), read_only=True)
    more = ["centres", "stability of walls", "joints of walls", "between storeys", "stacks"]
    assert book.sheetnames == [*(n.removesuffix(".csv") for n in HEADERS), *more]
    centres, _, _, between, stacks = (list(book[name].iter_rows(values_only=True)) for name in more)
    assert [r[0] for r in centres[1:]] == [c.name for c in done.centres]
    assert {r[5] for r in between[1:]} == {"loads", "columns", "braces", "walls", "others", "arms", "left"}
    for k in range(6, 12):  # every cut is in equilibrium
        assert abs(sum(r[k] for r in between[1:] if r[:2] == between[1][:2])) < 1e-5
    assert any(str(r[1]).startswith("Stack") and r[4] < 0 for r in stacks[1:])
    rows = list(book["members"].iter_rows(values_only=True))
    assert list(rows[0]) == HEADERS["members.csv"].split() and len(rows) == 1 + len(done.model.members)
    surfaces = list(book["surfaces"].iter_rows(values_only=True))
    assert len(surfaces) == 1 + len(done.model.surfaces)


def test_a_spreadsheet_that_cannot_be_written_says_so(tmp_path: Path) -> None:
    with pytest.raises(OutputError, match="cannot be written"):
        write_takeoff(model(bay()), tmp_path / "no" / "t.xlsx")


def test_from_the_command_line(
    tmp_path: Path, loft_a: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    assert (
        main(["export", str(loft_a), "--takeoff", str(tmp_path / "t.xlsx"), "--ifc", str(tmp_path / "b.ifc")])
        == 0
    )
    assert "195 members and 15 surfaces" in capsys.readouterr().out and (tmp_path / "t.xlsx").exists()
    assert (
        main(["export", str(loft_a)]) == 2
        and "--ifc, --physical, --tables or --takeoff" in capsys.readouterr().err
    )
    monkeypatch.setattr("rod_tally.output.spreadsheet.tables", lambda review: [])  # looked at above, and slow
    main(["review", str(loft_a), "--out", str(tmp_path / "o"), "--xlsx", str(tmp_path / "all.xlsx")])
    assert (tmp_path / "all.xlsx").exists()


def test_the_list_of_parts_as_csv(tmp_path: Path, loft_a: Path) -> None:
    """By class, section, material and storey, in SI; its sums are those of the classes."""
    m = read_model(loft_a, Settings(), lambda *_: None)
    rows = list(csv.DictReader(write_takeoff(m, tmp_path / "parts.csv").open()))
    assert list(rows[0]) == [
        "class",
        "section",
        "material",
        "storey",
        "elements",
        "length",
        "area",
        "volume",
        "mass",
    ]
    keys = [(r["class"], r["section"], r["material"], r["storey"]) for r in rows]
    assert len(set(keys)) == len(keys) > 5
    for of in takeoff(m, "class"):
        own = [r for r in rows if r["class"] == of.key]
        assert sum(int(r["elements"]) for r in own) == of.model
        assert sum(float(r["mass"] or 0) for r in own) * GRAVITY == pytest.approx(of.weight or 0, rel=1e-9)
