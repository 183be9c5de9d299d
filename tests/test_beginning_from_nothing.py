"""A model from levels and a grid alone, or from a plan: storeys, copies on levels of other heights, marks."""

from __future__ import annotations

from pathlib import Path

import ezdxf
import numpy as np
import pytest
from pytestqt.qtbot import QtBot

pytest.importorskip("PyQt6")
from PyQt6.QtWidgets import QFileDialog, QMessageBox  # noqa: E402

from rod_tally.desk.making.beginning import levels_of, model_of, spacings_of  # noqa: E402
from rod_tally.desk.window import Window  # noqa: E402
from rod_tally.intake.drawing import read_drawing  # noqa: E402
from rod_tally.intake.plan_marks import apply_marks, read_label  # noqa: E402
from rod_tally.intake.plan_parts import Plan, parts_of  # noqa: E402
from rod_tally.model import Model, Storey  # noqa: E402
from rod_tally.model.edits import (  # noqa: E402
    AddMembers,
    AddStoreys,
    AddSurfaces,
    EditError,
    copies_on_levels,
    from_record,
)
from rod_tally.project import Project  # noqa: E402

from . import desk_help as desk  # noqa: E402


def test_levels_and_spacings_are_read_as_they_are_written() -> None:
    assert levels_of("Ground = 0; First=4.2 m\n-3") == [("Ground", 0.0), ("First", 4.2), ("-3.000", -3.0)]
    assert spacings_of("3 x 7.2, 5") == [7.2, 7.2, 7.2, 5.0] and spacings_of("") == []
    for text in ("", "Ground = high", "A = 0, A = 3"):
        with pytest.raises(ValueError, match="level"):
            levels_of(text)
    for text in ("6, -5", "0", "six"):
        with pytest.raises(ValueError, match="spacing"):
            spacings_of(text)
    m = model_of("Roof = 7, Ground = 0", "6, 5", "4")
    assert [(s.name, s.elevation) for s in m.storeys] == [("Ground", 0.0), ("Roof", 7.0)]
    at = {g.name: g.points for g in m.grids}
    assert list(at) == ["A", "B", "C", "1", "2"]
    assert np.allclose(at["C"], [(11, -1), (11, 5)]) and np.allclose(at["2"], [(-1, 4), (12, 4)])


def storeys(*heights: float) -> Model:
    m = Model()
    m.storeys = [Storey(f"L{k}", z) for k, z in enumerate(heights)]
    return m


def test_storeys_are_added_taken_back_and_made_again() -> None:
    m = storeys(0.0, 4.0)
    edit = AddStoreys([{"name": "Half", "at": [0, 0, 2.0]}, {"name": "Top", "at": [0, 0, 9.0]}])
    edit.apply(m)
    assert [s.name for s in m.storeys] == ["L0", "Half", "L1", "Top"]
    assert m.corrections[-1]
    edit.revert(m)
    assert [s.name for s in m.storeys] == ["L0", "L1"]
    again = from_record(dict(m.corrections[-1])) if m.corrections else edit
    again.apply(m)
    assert len(m.storeys) == 4
    for name, z, why in (
        ("L1", 7.0, "already"),
        ("New", 4.04, "lies at that height"),
        ("", 1.0, "name"),
        ("x", np.nan, "height"),
    ):
        before = list(m.storeys)
        with pytest.raises(EditError, match=why):
            AddStoreys([{"name": name, "at": [0, 0, z]}]).apply(m)
        assert m.storeys == before
    AddStoreys([{"name": "New", "at": [0, 0, 4.06]}]).apply(m)


def test_a_grade_of_the_catalogue_is_added_with_the_part_that_needs_it() -> None:
    m = storeys(0.0, 3.0)
    AddMembers([{"start": [0, 0, 0], "end": [0, 0, 3], "section": "HE 200 B", "material": "S355"}]).apply(m)
    AddSurfaces(
        [{"outline": [(0, 0, 3), (4, 0, 3), (4, 4, 3), (0, 4, 3)], "thickness": 0.2, "material": "C30/37"}]
    ).apply(m)
    assert m.materials["S355"].kind == "steel" and m.materials["C30/37"].kind == "concrete"
    with pytest.raises(EditError, match="neither in the model nor a grade"):
        AddMembers(
            [{"start": [9, 0, 0], "end": [9, 0, 3], "section": "HE 200 B", "material": "stone"}]
        ).apply(m)


def framed(m: Model) -> tuple[list[str], list[str]]:
    column = {"section": "HE 200 B", "material": "S355"}
    AddMembers(
        [
            {"start": [0, 0, 0], "end": [0, 0, 4], **column},
            {"start": [4, 0, 0], "end": [4, 0, 4], **column},
            {"start": [0, 0, 4], "end": [4, 0, 4], **column},
            {"start": [0, 0, 1], "end": [4, 0, 3], **column},
        ]
    ).apply(m)
    wall = {"outline": [(6, 0, 0), (9, 0, 0), (9, 0, 4), (6, 0, 4)], "thickness": 0.2, "material": "C30/37"}
    AddSurfaces([wall]).apply(m)
    return list(m.members), list(m.surfaces)


def test_copies_reach_from_level_to_level_whatever_the_height_of_the_storey() -> None:
    """From a storey of 4 m to storeys of 3 and of 5 m: ends at levels are at levels, what lies at a quarter of
    the height lies there again, and the copies are joined."""
    m = storeys(0.0, 4.0, 7.0, 12.0)
    members, surfaces = framed(m)
    lines, panels = copies_on_levels(m, members, surfaces, ["L1", "L2"])
    heights = [[round(p[2], 9) for p in (x["start"], x["end"])] for x in lines]
    assert heights == [[4, 7], [4, 7], [7, 7], [4.75, 6.25], [7, 12], [7, 12], [12, 12], [8.25, 10.75]]
    assert [sorted({round(p[2], 9) for p in x["outline"]}) for x in panels] == [[4, 7], [7, 12]]
    AddMembers(lines).apply(m)
    AddSurfaces(panels).apply(m)
    own = [x for x in m.members.values() if (x.name or "").endswith("L1")]
    assert len(own) == 4 and all(x.storey == "L1" for x in own if x.cls == "column")
    at = m.members_at()
    assert all(
        len(at[own[0].end]) >= 3 for own in [[x for x in m.members.values() if x.name == f"{members[0]} L1"]]
    )
    for name, why in (("L0", "stand on"), ("L3", "no level lies so far above"), ("L9", "no storey")):
        with pytest.raises(EditError, match=why):
            copies_on_levels(m, members, surfaces, [name])


def test_what_reaches_below_or_above_the_levels_keeps_its_distance() -> None:
    m = storeys(0.0, 4.0, 10.0)
    part = {"section": "HE 200 B", "material": "S355"}
    AddMembers(
        [
            {"start": [0, 0, -0.5], "end": [0, 0, 4.0], **part},
            {"start": [2, 0, 3.4], "end": [6, 0, 3.4], **part},
        ]
    ).apply(m)
    lines, _ = copies_on_levels(m, list(m.members), [], ["L1"])
    assert lines[0]["start"][2] == pytest.approx(3.5) and lines[0]["end"][2] == pytest.approx(10.0)
    assert lines[1]["start"][2] == pytest.approx(4.0 + 6.0 * 3.4 / 4.0)


@pytest.mark.parametrize(
    ("text", "mark", "size", "profile"),
    [
        ("C1", "C1", None, ""),
        ("B12 250x500", "B12", (250.0, 500.0), ""),
        ("B-7a (300 X 600)", "B-7a", (300.0, 600.0), ""),
        ("250×500", "", (250.0, 500.0), ""),
        ("IPE300", "", None, "IPE 300"),
        ("B3 IPE 300", "B3", None, "IPE 300"),
        ("HE 200 B", "", None, "HE 200 B"),
        ("RHS 200x100x8", "", None, "RHS 200x100x8"),
        ("B12 250x500mm C30/37", "B12", (250.0, 500.0), ""),
        ("IPE300 S355", "", None, "IPE 300"),
        ("B2.1 300x500", "B2.1", (300.0, 500.0), ""),
        ("250/500 mm", "", (250.0, 500.0), ""),
    ],
)
def test_texts_of_a_plan_are_marks_sizes_and_profiles(
    text: str, mark: str, size: tuple[float, float] | None, profile: str
) -> None:
    found = read_label(text, np.zeros(2))
    assert found is not None and (found.mark, found.size, found.profile) == (mark, size, profile)


@pytest.mark.parametrize(
    ("text", "mark"),
    [
        ("UB 305x165x41", ""),
        ("L 100x10", ""),
        ("2L100x100x10", ""),
        ("ø12/150", ""),
        ("B4 150 x 300 x 12", "B4"),
        ("B5 250x500.5", "B5"),
    ],
)
def test_numbers_that_are_no_rectangle_are_told_and_not_taken(text: str, mark: str) -> None:
    """A profile that the catalogue lacks, an angle, bars in concrete: never a rectangle of concrete."""
    found = read_label(text, np.zeros(2))
    assert found is not None and (found.mark, found.size, found.unread) == (mark, None, text)


def test_the_reader_is_told_what_was_not_taken_from_texts() -> None:
    part = {"class": "beam", "start": [0, 0, 3], "end": [6, 0, 3], "name": "", "section": "IPE 200"}
    told = apply_marks([part], [(np.array([3.0, 0.2]), "B1 UB 305x165x41 S275")], "C30/37")
    assert (part["name"], part["section"]) == ("B1", "IPE 200")
    assert any("not read as sizes: B1 UB 305x165x41" in x for x in told)
    assert any("not taken over: S275" in x for x in told)
    column = {"class": "column", "start": [0, 0, 0], "end": [0, 0, 3], "name": "", "section": "drawn"}
    texts = [(np.array([0.2, 0.2]), "C1 HE 200 B")]
    assert "C1 is written HE 200 B: the drawn shape was taken" in apply_marks([column], texts, "C30/37")
    many = [{**column, "start": [9.0 * k, 0, 0], "end": [9.0 * k, 0, 3]} for k in range(7)]
    texts = [(np.array([9.0 * k, 0.2]), f"C{k} HE 200 B") for k in range(7)]
    assert "2 more columns are drawn otherwise" in apply_marks(many, texts, "C30/37")[-1]


@pytest.mark.parametrize("text", ["A", "1", "OPENING", "see detail", "+4.200", "S355", "C30/37"])
def test_other_texts_say_nothing_of_a_part(text: str) -> None:
    assert read_label(text, np.zeros(2)) is None


def marked_plan(path: Path) -> Path:
    doc = ezdxf.new("R2010")
    doc.header["$INSUNITS"] = 6
    space = doc.modelspace()
    for x, mark in ((0.0, "C1 300x300"), (6.0, "C2 500x500"), (12.0, "C1")):
        half = [(x - 0.15, -0.15), (x + 0.15, -0.15), (x + 0.15, 0.15), (x - 0.15, 0.15)]
        space.add_lwpolyline(half, close=True, dxfattribs={"layer": "COLS"})
        space.add_text(mark, height=0.2, dxfattribs={"layer": "TEXT", "insert": (x + 0.3, 0.3)})
    for a, b, text in (
        ((0, 0), (6, 0), "B1 250x500"),
        ((6, 0), (12, 0), "B1"),
        ((0, 5), (6, 5), "B2 IPE300"),
        ((6, 5), (12, 5), "B9"),
    ):
        space.add_line(a, b, dxfattribs={"layer": "BEAMS"})
        space.add_text(
            text, height=0.2, dxfattribs={"layer": "TEXT", "insert": ((a[0] + b[0]) / 2, a[1] - 0.4)}
        )
    space.add_text("B77 100x100", height=0.2, dxfattribs={"layer": "TEXT", "insert": (3, 2.5)})
    doc.saveas(path)
    return path


def test_marks_name_parts_and_sizes_make_their_sections(tmp_path: Path) -> None:
    """The size beside the mark, else that of the same mark elsewhere, else the section chosen, which is told;
    a drawn size that is written otherwise is told; a text far from every part is nobody's."""
    drawing = read_drawing(marked_plan(tmp_path / "p.dxf"), "")
    plan = Plan({"COLS": "columns", "BEAMS": "beams"}, 0.0, 3.0, "C30/37", "S355", "IPE 400", 0.2)
    parts = parts_of(drawing, plan)
    columns = [m for m in parts.members if m["class"] == "column"]
    assert sorted(c["name"] for c in columns) == ["C1", "C1", "C2"]
    assert {c["section"] for c in columns} == {"rectangle 300x300"}
    beams = {(m["start"][0], m["start"][1]): m for m in parts.members if m["class"] == "beam"}
    first, second, third, bare = (beams[k] for k in ((0, 0), (6, 0), (0, 5), (6, 5)))
    assert first["name"] == second["name"] == "B1"
    assert first["section"] == second["section"] == "rectangle 250x500" and first["material"] == "C30/37"
    assert first["sizes"] == {"width": 0.25, "depth": 0.5}
    assert (third["section"], third["material"]) == ("IPE 300", "S355")
    assert (bare["name"], bare["section"]) == ("B9", "IPE 400")
    told = " | ".join(parts.told)
    assert "7 parts are named by their marks, 3 beams have the sizes" in told
    assert "no size is written for B9:" in told
    assert "C2 is drawn 300x300 and written 500x500: the drawn size was taken" in told


@pytest.mark.desk
def test_a_building_is_drawn_from_levels_and_a_grid_alone(
    window: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    window.beginning.make(model_of("Ground = 0, First = 4, Roof = 7", "6, 6", "5"), tmp_path / "new.rodtally")
    desk.rested(qtbot, window)
    m = desk.model_of(window)
    assert not m.members and len(m.storeys) == 3 and m.name == "new"
    assert window.view.scene is not None and len(window.view.scene.points) == 30
    for ends in (((0, 0, 0), (0, 0, 4)), ((6, 0, 0), (6, 0, 4)), ((0, 0, 4), (6, 0, 4))):
        part = {"start": list(ends[0]), "end": list(ends[1]), "section": "HE 200 B", "material": "S355"}
        assert window.session.correct(AddMembers([part])) is not False
        desk.rested(qtbot, window)
    m = desk.model_of(window)
    window.state.select([("member", i) for i in m.members])
    desk.act(window, qtbot, "model.copy")
    desk.fill(window, qtbot, window.add_desk.form, levels="First")
    tops = sorted(
        round(float(desk.model_of(window).line(x)[:, 2].max()), 6)
        for x in desk.model_of(window).members.values()
    )
    assert tops == [4, 4, 4, 7, 7, 7]
    desk.act(window, qtbot, "model.storeys")
    desk.fill(window, qtbot, window.add_desk.form, levels="Mast = 10")
    assert [s.name for s in desk.model_of(window).storeys] == ["Ground", "First", "Roof", "Mast"]


@pytest.mark.desk
def test_a_model_is_made_of_a_plan_with_nothing_open(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    window.beginning.make(Model(), tmp_path / "plan.rodtally", marked_plan(tmp_path / "p.dxf"))
    desk.rested(qtbot, window)
    qtbot.waitUntil(lambda: window.add_desk.drawing is not None, timeout=10000)
    page = window.add_desk.drawing
    assert page is not None
    page.accept()
    desk.rested(qtbot, window)
    m = desk.model_of(window)
    assert len(m.members) == 7 and [s.elevation for s in m.storeys] == [0.0, 3.0]
    assert set(m.materials) == {"C30/37", "S355"}


@pytest.mark.desk
def test_a_new_model_does_not_take_the_place_of_the_project_that_is_open(
    window: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    said: list[str] = []
    window.session.failed.connect(lambda _title, text: said.append(text))
    window.beginning.make(model_of("Ground = 0", "6", "5"), tmp_path / "new.rodtally")
    desk.rested(qtbot, window)
    window.beginning.make(model_of("Ground = 0", "6", "5"), tmp_path / "new.rodtally")
    assert "is the project that is open" in said[-1]
    window.beginning.make(model_of("Ground = 0", "6", "5"), tmp_path / "no" / "folder" / "x.rodtally")
    assert "cannot be written" in said[-1]


@pytest.mark.desk
def test_what_stands_there_is_lost_to_nothing(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A name with a point in it keeps all of it; a project that the dialog did not ask about, or that another
    window has open, stays as it is."""
    said: list[str] = []
    window.session.failed.connect(lambda _title, text: said.append(text))
    made: list[Path] = []
    model = model_of("Ground = 0", "6", "5")
    for name in ("house v1", "house v1.2"):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, n=name: (str(tmp_path / n), ""))
        with monkeypatch.context() as m:
            m.setattr(window.beginning, "make", lambda _model, path, _plan: made.append(path))
            window.beginning._ask_where(model)
    assert [p.name for p in made] == ["house v1.rodtally", "house v1.2.rodtally"]
    there = Project.create(tmp_path / "house v1.2.rodtally")
    asked: list[str] = []
    monkeypatch.setattr(
        QMessageBox,
        "question",
        lambda _parent, _title, text: (asked.append(text), QMessageBox.StandardButton.No)[1],
    )
    window.beginning._ask_where(model)
    assert asked == ["house v1.2.rodtally is already there. Replace it?"]
    window.beginning.make(model, tmp_path / "house v1.2.rodtally")
    assert "cannot be written" in said[-1] and (tmp_path / "house v1.2.rodtally").exists()
    there.close()
    assert not Project.open(tmp_path / "house v1.2.rodtally").revisions()
