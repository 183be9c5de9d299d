"""Correcting and looking in the window: selection, forms, rules with their preview, lines, surfaces,
take-off."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import numpy as np
import openpyxl
import pytest

from rod_tally.model import FIXED, PINNED
from rod_tally.model.edits import RestOn, SetSupport, SetThickness

pytest.importorskip("PyQt6")
from PyQt6.QtCore import QItemSelectionModel, QPoint, Qt  # noqa: E402
from PyQt6.QtWidgets import QPushButton  # noqa: E402
from pytestqt.qtbot import QtBot  # noqa: E402

from rod_tally.desk.forms.form import Form  # noqa: E402
from rod_tally.desk.window import Window  # noqa: E402

from .desk_help import STEP, act, fill, model_of, named, place_of, rested  # noqa: E402

pytestmark = [
    pytest.mark.desk,
    pytest.mark.skipif(not os.environ.get("DISPLAY"), reason="needs a display; ./run test starts one"),
]


def surface(w: Window, name: str) -> str:
    return next(s.id for s in model_of(w).surfaces.values() if s.name == name)


def test_a_click_on_a_slab_picks_it_and_the_slip_knows_it(tower: Window, qtbot: QtBot) -> None:
    """Members lie in front: a place inside the slab, off all members, picks the slab; the rest is stepped
    through."""
    tower.look("plan")
    qtbot.wait(80)
    place = np.array([[3.0, 3.5, 6.275]])
    x, y, _ = tower.view.canvas.to_screen(place)[0]
    height = tower.view.plotter.render_window.GetSize()[1]
    qtbot.mouseClick(
        tower.view.plotter.interactor, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(height - y))
    )
    qtbot.wait(80)
    assert tower.state.picked == ("surface", surface(tower, "S1"))
    assert tower.view.picking.stacked == 3  # both slabs and the raft
    tower.view.picking.step(1)
    assert tower.state.picked == ("surface", surface(tower, "S0"))
    from PyQt6.QtWidgets import QLabel

    text = " ".join(label.text() for label in tower.details.content.findChildren(QLabel))
    assert "Slab S0" in text and "tied to" in text and "thickness, mm" in text


def test_several_are_selected_and_corrected_at_once(loft: Window, qtbot: QtBot) -> None:
    """Ctrl and a click adds a member; the section goes to both, in one step of the undo."""
    one, two = named(loft, "Quay A1"), named(loft, "Quay E1")
    loft.state.pick("member", one)
    qtbot.wait(80)
    qtbot.mouseClick(
        loft.view.plotter.interactor,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.ControlModifier,
        place_of(loft, two),
    )
    assert loft.state.chosen("member") == [two, one] or set(loft.state.chosen("member")) == {one, two}
    act(loft, qtbot, "model.section")
    fill(loft, qtbot, loft.corrections.form, section="HE 300 B")
    m = model_of(loft)
    assert m.members[one].section == m.members[two].section == "HE 300 B"
    assert loft.state.revision is not None and loft.state.revision.stale
    act(loft, qtbot, "edit.undo")
    assert model_of(loft).members[one].section == "HE 200 B" and not loft.state.revision.stale


def test_rows_are_selected_together(loft: Window, qtbot: QtBot) -> None:
    loft.tables.show_table("members")
    qtbot.wait(60)
    page = loft.tables.pages["members"]
    selection = page.table.selectionModel()
    for row in (0, 3, 4):
        flags = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
        selection.select(page.proxy.index(row, 0), flags)
    assert len(loft.state.chosen("member")) == 3
    act(loft, qtbot, "model.reverse")
    assert sum(e.kind == "corrected" for e in model_of(loft).log) == 1


def test_what_cannot_be_done_is_said_and_leaves_no_step(loft: Window, qtbot: QtBot) -> None:
    loft.state.select([("member", named(loft, "Quay A1")), ("member", named(loft, "Loft A1-A2"))])
    act(loft, qtbot, "model.merge")
    assert "differ in section" in loft.dialogs.message.text() or "do not lie" in loft.dialogs.message.text()
    loft.dialogs.message.close()
    assert not loft.session.undo.canUndo()


def test_joining_and_refusing_by_hand(loft: Window, qtbot: QtBot) -> None:
    """The gap of the demo is closed by a rigid link; a moved end is put back on its line."""
    beam, column = named(loft, "Loft C2-C3"), named(loft, "Quay C3")
    loft.state.select([("member", beam), ("member", column)])
    act(loft, qtbot, "model.tie")
    m = model_of(loft)
    assert np.abs(m.members[beam].offset_end).max() > 0.05
    assert m.members[beam].end in (m.members[column].start, m.members[column].end)
    loft.state.pick("member", named(loft, "Loft A1-A2"))
    act(loft, qtbot, "model.keep_start")
    other = m.members[named(loft, "Loft A1-A2")]
    assert other.source_line is not None
    assert m.line(other)[0] == pytest.approx(other.source_line[0])


def test_lines_and_frames_are_isolated(loft: Window, qtbot: QtBot) -> None:
    loft.state.pick("member", named(loft, "Loft A1"))
    act(loft, qtbot, "view.isolate_line")
    assert {model_of(loft).members[i].name for i in loft.state.shown_members()} == {
        "Quay A1",
        "Loft A1",
        "Rigging A1",
    }
    act(loft, qtbot, "view.isolate_frame")
    names = {model_of(loft).members[i].name for i in loft.state.shown_members()}
    assert "Loft A1-A2" in names and "Quay B1" not in names
    act(loft, qtbot, "view.all")
    act(loft, qtbot, "edit.alike_section")
    assert len(loft.state.chosen("member")) == 60


def test_a_cell_of_the_tally_shows_what_makes_it(loft: Window, qtbot: QtBot, tmp_path: Path) -> None:
    loft.tables.show_table("tally")
    page = loft.tables.pages["tally"]
    page.choice.setCurrentText("by storey")
    page.choice.textActivated.emit("by storey")
    qtbot.wait(60)
    row = next(k for k, r in enumerate(page.model.content.rows) if r[0] == "Roof")
    index = page.proxy.mapFromSource(page.model.index(row, 1))
    qtbot.mouseClick(
        page.table.viewport(), Qt.MouseButton.LeftButton, pos=page.table.visualRect(index).center()
    )
    assert {model_of(loft).members[i].storey for i in loft.state.shown_members()} == {"Roof"}
    assert "shown alone" in loft.statusBar().currentMessage()  # type: ignore[union-attr]
    loft.session.exports.takeoff(tmp_path / "t.xlsx")
    rested(qtbot, loft)
    assert "By storey" in openpyxl.load_workbook(tmp_path / "t.xlsx").sheetnames


def test_rules_are_previewed_kept_and_used(loft: Window, qtbot: QtBot) -> None:
    act(loft, qtbot, "file.rules")
    rules = loft.pages.rules
    assert rules is not None
    button = next(b for b in rules.findChildren(QPushButton) if b.text() == "Preview")
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    rested(qtbot, loft)
    moved = int(rules.table.item(2, 3).text())  # type: ignore[union-attr]
    assert moved > 50
    for key in ("joins.move_ends", "joins.move_members", "joins.move_surfaces"):
        rules.fields[key].setValue(20.0)  # type: ignore[union-attr]
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    rested(qtbot, loft)
    assert int(rules.table.item(2, 4).text()) >= moved  # type: ignore[union-attr]
    # nothing changed yet
    assert np.abs(model_of(loft).members[named(loft, "Loft A1-A2")].offset_start).max() == 0
    rules.lists["classes"].item(0).setCheckState(Qt.CheckState.Checked)  # type: ignore[union-attr]
    rules.keep()
    assert loft.session.settings.transfer.joins.move_ends == pytest.approx(0.02)
    assert loft.session.settings.transfer.choose.classes == [rules.lists["classes"].item(0).text()]  # type: ignore[union-attr]
    rules.lists["classes"].item(0).setCheckState(Qt.CheckState.Unchecked)  # type: ignore[union-attr]
    rules.take_again()
    rested(qtbot, loft)
    assert [r.name for r in loft.state.revisions] == ["Revision A", "Revision B"]
    assert np.abs(model_of(loft).members[named(loft, "Loft A1-A2")].offset_start).max() > 0.05
    rules.close()


def test_corrections_are_offered_again_for_the_same_source(
    window: Window, qtbot: QtBot, loft_a: Path, tmp_path: Path
) -> None:
    source = tmp_path / "mine.ifc"
    shutil.copy(loft_a, source)
    window.session.open(source)
    rested(qtbot, window)
    finding = next(f for f in window.state.review.findings if f.code == "join.gap")  # type: ignore[union-attr]
    window.session.act(finding, finding.actions[0])
    rested(qtbot, window)
    window.session.open(source)
    rested(qtbot, window)
    assert any(f.code == "join.gap" for f in window.state.review.findings)  # type: ignore[union-attr]
    assert "One correction was made to this source before" in window.dialogs.message.text()
    button = next(b for b in window.dialogs.message.buttons() if "Make again" in b.text())
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    rested(qtbot, window)
    assert not any(f.code == "join.gap" for f in window.state.review.findings)  # type: ignore[union-attr]
    assert source.read_bytes() == loft_a.read_bytes()
    act(window, qtbot, "edit.undo")
    assert any(f.code == "join.gap" for f in window.state.review.findings)  # type: ignore[union-attr]


def test_wall_feet_and_materials_by_hand(tower: Window, qtbot: QtBot) -> None:
    wall = surface(tower, "W0-west")
    tower.state.pick("surface", wall)
    act(tower, qtbot, "model.support")
    assert model_of(tower).surfaces[wall].supports[0].support == FIXED
    act(tower, qtbot, "model.thickness")
    fill(tower, qtbot, tower.corrections.form, thickness=300.0)
    assert model_of(tower).surfaces[wall].thickness == pytest.approx(0.3)
    act(tower, qtbot, "model.map_material")
    fill(tower, qtbot, tower.corrections.form, grade="C40/50")
    assert model_of(tower).materials["C30/37"].E == 35e9
    assert tower.session.settings.transfer.materials == {"C30/37": "C40/50"}
    tower.state.go(STEP["Supports"])
    qtbot.wait(100)
    assert "edge fixed (1)" in tower.view.legend.text() and "bedded on 20" in tower.view.legend.text()


def test_joins_follow_what_parts_are_made_of(tower: Window, qtbot: QtBot) -> None:
    """A thicker wall is joined as if the source had it so: said, kept, and one step of the undo."""
    wall, before = surface(tower, "W0-west"), model_of(tower).snapshot()
    said: list[str] = []
    tower.session.said.connect(said.append)
    tower.session.correct(SetThickness([wall], 0.5))
    rested(qtbot, tower)
    m = model_of(tower)
    assert m.surfaces[wall].thickness == 0.5 == m.surfaces[wall].joined_as
    assert any(text.startswith("Thickness of a surface") for text in said)
    assert [c["edit"] for c in m.corrections] == ["SetThickness"]
    assert not any(f.code == "join.undecided" for f in tower.state.review.findings)  # type: ignore[union-attr]
    act(tower, qtbot, "edit.undo")
    assert model_of(tower).surfaces == before.surfaces and model_of(tower).log == before.log
    act(tower, qtbot, "edit.redo")
    assert model_of(tower).surfaces[wall].joined_as == 0.5


def test_what_many_corrections_would_do_is_shown_before(tower: Window, qtbot: QtBot) -> None:
    """Nothing is changed until the question is answered; what cannot be done is named in it."""
    two = list(model_of(tower).members)[:2]
    edits = [SetSupport([model_of(tower).members[two[0]].start], PINNED), RestOn(*two)]
    tower.session.asked_sure.emit("Rest the upper on the lower", edits)
    box = tower.dialogs.message
    assert "one place" in box.text() and "1 cannot be" in box.text()
    assert not model_of(tower).corrections
    button = next(b for b in box.buttons() if b.text().startswith("Do it"))
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    rested(qtbot, tower)
    assert [c["edit"] for c in model_of(tower).corrections] == ["SetSupport"]


def test_a_source_that_is_gone_leaves_joins_as_they_are_and_says_so(
    tower: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    wall = surface(tower, "W0-west")
    monkeypatch.setattr(model_of(tower), "source_file", "/nowhere/tower.ifc")
    said: list[str] = []
    tower.session.said.connect(said.append)
    tower.session.correct(SetThickness([wall], 0.5))
    rested(qtbot, tower)
    assert model_of(tower).surfaces[wall].thickness == 0.5
    assert any("Joins were not decided again: /nowhere/tower.ifc" in text for text in said)
    assert any(f.code == "join.undecided" and f.ids == (wall,) for f in tower.state.review.findings)  # type: ignore[union-attr]


def test_walls_and_columns_together_are_held(tower: Window, qtbot: QtBot) -> None:
    """One step: each of both gets its support, and one undo takes both away."""
    wall = surface(tower, "W0-west")
    m = model_of(tower)
    column = next(x for x in m.members.values() if x.cls == "column" and m.nodes[x.start].point[2] < 1.0)
    assert not m.nodes[column.start].support.any and not m.surfaces[wall].supports
    tower.state.select([("surface", wall), ("member", column.id)])
    act(tower, qtbot, "model.support")
    m = model_of(tower)
    assert m.surfaces[wall].supports[0].support == FIXED and m.nodes[column.start].support == FIXED
    act(tower, qtbot, "edit.undo")
    m = model_of(tower)
    assert not m.nodes[column.start].support.any and not m.surfaces[wall].supports


@pytest.mark.parametrize("label", ["surfaces", "lines", "nodes"])
def test_one_kind_of_label_at_a_time(tower: Window, qtbot: QtBot, label: str) -> None:
    tower.state.set_view(label=label)
    qtbot.wait(80)
    assert tower.state.label == label


def test_supports_and_releases_direction_by_direction(loft: Window, qtbot: QtBot) -> None:
    w = loft
    m = model_of(w)
    column = next(x for x in m.members.values() if x.cls == "column" and m.nodes[x.start].support.any)
    w.state.pick("node", column.start)
    act(w, qtbot, "model.hold")
    springs = {
        "ux": "held",
        "uy": "spring",
        "uy spring": 2500.0,
        "uz": "held",
        "rx": "free",
        "ry": "free",
        "rz": "free",
    }
    fill(w, qtbot, w.hold_desk.form, ready="as chosen below", turn=30.0, **springs)
    support = model_of(w).nodes[column.start].support
    assert support.words == "ux uy=2.5e6 uz" and support.axes is not None
    assert support.axes[0] == pytest.approx((np.cos(np.pi / 6), 0.5, 0.0))
    act(w, qtbot, "model.hold")  # what is there now is shown
    form = w.hold_desk.form
    assert (
        form is not None and form.values()["uy"] == "spring" and form.values()["turn"] == pytest.approx(30.0)
    )
    fill(w, qtbot, form, ready="pinned")
    assert model_of(w).nodes[column.start].support == PINNED
    beam = next(x.id for x in m.members.values() if x.cls == "beam")
    w.state.pick("member", beam)
    act(w, qtbot, "model.release")
    tied = {
        "n": "held",
        "vy": "held",
        "vz": "held",
        "mt": "held",
        "my": "spring",
        "my spring": 4000.0,
        "mz": "free",
    }
    fill(w, qtbot, w.hold_desk.form, which="end", ready="as chosen below", **tied)
    assert model_of(w).members[beam].release_end.words == "my=4e6 mz"
    floor = next(s for s in m.surfaces.values() if not s.upright)
    w.state.pick("surface", floor.id)
    act(w, qtbot, "model.hold_edges")
    form = w.hold_desk.form
    assert form is not None
    edge = next(t for t in (form.widgets["edge"].itemText(k) for k in range(20)) if t.startswith("2:"))
    fill(w, qtbot, form, edge=edge, ready="roller")
    held = model_of(w).surfaces[floor.id].supports
    assert len(held) == 1 and held[0].support.words == "uz"
    assert f"{np.linalg.norm(held[0].line[1] - held[0].line[0]):.2f} m" in edge
    act(w, qtbot, "model.bed")
    fill(w, qtbot, w.hold_desk.form, bed=35.0)
    assert model_of(w).surfaces[floor.id].bedding == pytest.approx(35e6)
    w.state.pick("member", beam)
    act(w, qtbot, "model.bed")
    fill(w, qtbot, w.hold_desk.form, bed=15.0, width=0.5)
    assert len(model_of(w).members[beam].joints) >= 8
    for _ in range(6):
        act(w, qtbot, "edit.undo")
    assert not model_of(w).surfaces[floor.id].supports and not model_of(w).members[beam].release_end.any


def test_a_form_that_is_refused_keeps_what_was_entered(loft: Window, qtbot: QtBot) -> None:
    """It says why, in its own window, and takes another answer."""
    ident = named(loft, "Loft A1-B1 bis")
    loft.state.pick("member", ident)
    qtbot.wait(60)
    loft.actions_["model.section"].trigger()
    form = loft.corrections.form
    assert form is not None
    fill(loft, qtbot, form, section="TQ 999")
    assert form.isVisible() and form.widgets["section"].currentText() == "TQ 999"  # type: ignore[union-attr]
    assert "TQ 999" in form.fault.text() and form.fault.isVisible()
    assert not hasattr(loft.dialogs, "message"), "no box beside the form"
    fill(loft, qtbot, form, section="IPE 240")
    assert not [f for f in loft.findChildren(Form) if f.isVisible()]
    assert model_of(loft).members[ident].section == "IPE 240"
