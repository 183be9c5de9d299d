"""The window under a real display: open, pick, run, cancel, compare, undo, save, reopen, with real clicks and
keys."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import numpy as np
import pytest

from rod_tally.model import Release, Support

pytest.importorskip("PyQt6")
from PyQt6.QtCore import QPoint, Qt, QTimer  # noqa: E402
from PyQt6.QtWidgets import QInputDialog, QMessageBox, QPushButton  # noqa: E402
from pytestqt.qtbot import QtBot  # noqa: E402

from rod_tally.desk.app import application, grab  # noqa: E402
from rod_tally.desk.commands.registry import COMMANDS, MENUS  # noqa: E402
from rod_tally.desk.overlays.registry import overlays  # noqa: E402
from rod_tally.desk.session.revisions import data_folder  # noqa: E402
from rod_tally.desk.session.state import Revision  # noqa: E402
from rod_tally.desk.view import view as view_module  # noqa: E402
from rod_tally.desk.window import Window  # noqa: E402
from rod_tally.model import LoadCase, NodeLoad, Settings  # noqa: E402
from rod_tally.model.edits import PinBoth  # noqa: E402
from rod_tally.project import Project  # noqa: E402
from rod_tally.review import STEPS, Review  # noqa: E402

from .desk_help import STEP, act, model_of, named, place_of, rested  # noqa: E402
from .frames import regular  # noqa: E402

pytestmark = [
    pytest.mark.desk,
    pytest.mark.skipif(not os.environ.get("DISPLAY"), reason="needs a display; ./run test starts one"),
]


def test_empty_window_says_what_to_do(window: Window, qtbot: QtBot) -> None:
    qtbot.wait(60)
    assert "Ctrl+O" in window.view.legend.text()
    assert window.state.review is None
    assert not window.actions_["run.run"].isEnabled()


def test_opening_a_model_shows_its_findings(loft: Window) -> None:
    revision = loft.state.revision
    assert revision is not None and revision.name == "Revision A"
    assert "4 open: not ready for design" in loft.header.verdict.text()
    page = loft.tables.pages["findings"]
    assert [row[-1] for row in page.model.content.rows][:2] == ["join.duplicate", "join.gap"]
    assert loft.session.project is not None and loft.session.project.path.exists()


def test_a_step_brings_its_overlay_and_table(loft: Window, qtbot: QtBot) -> None:
    widget = loft.steps.steps[[s.name for s in STEPS].index("Supports")]
    qtbot.mouseClick(widget, Qt.MouseButton.LeftButton, pos=QPoint(40, 12))
    qtbot.wait(60)
    assert loft.state.step.name == "Supports" and loft.state.overlay == "supports"
    assert loft.tables.currentWidget() is loft.tables.pages["nodes"]
    assert "fixed (19)" in loft.view.legend.text()


def test_an_item_is_marked_as_looked_at_and_kept(loft: Window, qtbot: QtBot) -> None:
    loft.state.go(STEP["Framing"])
    widget = loft.steps.steps[1]
    qtbot.waitUntil(lambda: widget.height() > 100)
    qtbot.mouseClick(widget, Qt.MouseButton.LeftButton, pos=QPoint(60, 43 + 10))
    revision = loft.state.revision
    assert revision is not None and revision.looked == {"Framing/Ends moved"}
    assert loft.session.project is not None
    assert loft.session.project.looked(revision.id) == {"Framing/Ends moved"}
    loft.actions_["edit.undo"].trigger()
    assert revision.looked == set()


def test_a_click_in_the_view_picks_and_selects_the_row(loft: Window, qtbot: QtBot) -> None:
    loft.look("south")
    loft.tables.show_table("members")
    qtbot.wait(150)
    member = named(loft, "Loft hoist")  # seen end on from the south; step to it if others lie over it
    loft.look("east")
    qtbot.wait(150)
    qtbot.mouseClick(loft.view.plotter.interactor, Qt.MouseButton.LeftButton, pos=place_of(loft, member))
    qtbot.wait(80)
    assert loft.state.picked is not None
    for _ in range(loft.view.picking.stacked):
        if loft.state.picked == ("member", member):
            break
        loft.actions_["view.next"].setEnabled(True)
        loft.actions_["view.next"].trigger()
    assert loft.state.picked == ("member", member)
    qtbot.wait(80)
    page = loft.tables.pages["members"]
    row = page.proxy.mapToSource(page.table.currentIndex()).row()
    assert page.model.content.picks[row] == ("member", member)


def test_a_row_picks_in_the_view_and_the_slip_says_what_is_known(loft: Window, qtbot: QtBot) -> None:
    page = loft.tables.pages["findings"]
    loft.tables.show_table("findings")
    qtbot.wait(60)
    row = next(k for k, r in enumerate(page.model.content.rows) if r[-1] == "join.gap")
    index = page.proxy.mapFromSource(page.model.index(row, 3))
    qtbot.mouseClick(
        page.table.viewport(), Qt.MouseButton.LeftButton, pos=page.table.visualRect(index).center()
    )
    assert loft.state.picked == ("member", named(loft, "Loft C2-C3"))
    qtbot.wait(80)
    texts = [b.text() for b in loft.details.content.findChildren(QPushButton) if b.isVisible()]
    assert any(t.startswith("Extend it to column Quay C3") for t in texts)


def test_a_correction_marks_results_as_old_and_is_undone(loft: Window, qtbot: QtBot) -> None:
    finding = next(f for f in loft.state.review.findings if f.code == "join.gap")  # type: ignore[union-attr]
    loft.state.pick_finding(finding)
    qtbot.wait(60)
    button = next(
        b for b in loft.details.content.findChildren(QPushButton) if b.text().startswith("Extend it")
    )
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    rested(qtbot, loft)
    revision = loft.state.revision
    assert revision is not None and revision.stale
    assert "old" in loft.header.verdict.text()
    assert not any(f.code == "join.gap" for f in revision.review.findings)
    qtbot.keyClick(loft, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    rested(qtbot, loft)
    assert not revision.stale
    assert any(f.code == "join.gap" for f in revision.review.findings)
    qtbot.keyClick(loft, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    rested(qtbot, loft)
    assert revision.stale


def test_running_again_keeps_the_earlier_run(loft: Window, qtbot: QtBot) -> None:
    revision, project = loft.state.revision, loft.session.project
    assert revision is not None and project is not None
    first = project.results(project.runs(revision.id)[0].id)
    loft.state.pick("member", named(loft, "Loft A1-B1 bis"))
    qtbot.wait(60)
    loft.actions_["model.delete"].trigger()
    rested(qtbot, loft)
    qtbot.keyClick(loft, Qt.Key.Key_F5)
    rested(qtbot, loft)
    assert [r.name for r in project.runs(revision.id)] == ["Run 1", "Run 2"]
    assert not revision.stale and revision.run_name == "Run 2"
    assert len(revision.review.results.member_ids) == len(first.member_ids) - 1
    assert np.array_equal(project.results(project.runs(revision.id)[0].id).force, first.force)


def test_a_finding_is_accepted_with_a_reason(loft: Window, qtbot: QtBot) -> None:
    finding = next(f for f in loft.state.review.findings if f.code == "join.loose_end")  # type: ignore[union-attr]
    loft.state.pick_finding(finding)
    loft._refresh()
    loft.actions_["model.accept"].trigger()
    dialog = loft.findChild(QInputDialog)
    assert dialog is not None
    dialog.setTextValue("the hoist hangs free on purpose")
    dialog.accept()
    qtbot.wait(60)
    revision = loft.state.revision
    assert revision is not None and loft.session.project is not None
    assert revision.decision(finding) == "accepted"
    assert loft.session.project.decisions(revision.id)[finding.key][1] == "the hoist hangs free on purpose"
    loft.actions_["edit.undo"].trigger()
    assert revision.decision(finding) == "open"


def test_a_profile_is_mapped_once_and_remembered(loft: Window, qtbot: QtBot, loft_a: Path) -> None:
    finding = next(f for f in loft.state.review.findings if f.code == "section.unknown")  # type: ignore[union-attr]
    loft.state.pick_finding(finding)
    qtbot.wait(80)
    button = next(
        b for b in loft.details.content.findChildren(QPushButton) if b.text().startswith("Map the profile")
    )
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    form = loft.corrections.form
    assert form is not None
    form.widgets["name"].setCurrentText("IPE 240")  # type: ignore[union-attr]
    form.accept()
    rested(qtbot, loft)
    review = loft.state.review
    assert review is not None and not any(f.code == "section.unknown" for f in review.findings)
    assert "IPE 240" in review.model.sections["TQ 220/9 cold"].origin
    loft.actions_["edit.undo"].trigger()
    rested(qtbot, loft)
    assert any(f.code == "section.unknown" for f in loft.state.review.findings)  # type: ignore[union-attr]
    loft.session.open(loft_a)
    rested(qtbot, loft)
    assert not any(f.code == "section.unknown" for f in loft.state.review.findings)  # type: ignore[union-attr]


def test_a_revision_is_compared_with_the_one_before(loft: Window, qtbot: QtBot, loft_b: Path) -> None:
    loft.session.take_in(loft_b)
    rested(qtbot, loft)
    assert [r.name for r in loft.state.revisions] == ["Revision A", "Revision B"]
    comparison = loft.state.comparison
    assert comparison is not None and comparison.count("moved") == 2
    loft.state.go(STEP["Revision"])
    qtbot.wait(100)
    assert "moved (2)" in loft.view.legend.text()
    rows = loft.tables.pages["changes"].model.content.rows
    assert sum(r[0] == "added" for r in rows) == 2
    loft.show_parity()
    qtbot.wait(60)
    assert "members in both" in loft.tables.parity.words.whole()
    spot = loft.tables.parity.points.points()[0]
    loft.tables.parity._clicked(None, [spot])
    assert loft.state.picked == ("member", spot.data())


def test_corrections_and_acceptances_come_along_to_the_next_revision(
    loft: Window, qtbot: QtBot, loft_b: Path
) -> None:
    """Made for A, they are in B at once, in its run too; one undo takes them back, and the finding says what
    was carried."""
    first = loft.state.review
    assert first is not None
    beam = next(m.id for m in first.model.members.values() if m.name == "Loft B1-B2")
    loft.session.correct(PinBoth([beam]))
    rested(qtbot, loft)
    accepted = next(f for f in first.findings if f.code == "material.density")
    loft.session.decide(accepted, "accepted", "as ordered")
    loft.session.take_in(loft_b)
    rested(qtbot, loft)
    second, revision = loft.state.review, loft.state.revision
    assert second is not None and second is not first and revision is not None and not revision.stale
    assert [m.release_start.any for m in second.model.members.values() if m.name == "Loft B1-B2"] == [True]
    assert any(f.code == "match.carried" and f.severity == "note" for f in second.findings)
    same = [f for f in second.findings if f.code == "material.density" and f.message == accepted.message]
    assert all(revision.decided(f) == ("accepted", "as ordered (decided on Revision A)") for f in same)
    loft.tables.show_table("carried")
    page = loft.tables.front()
    assert page is not None and [r[:2] for r in page.model.content.rows] == [["pinned ends", "as it was"]]
    project = loft.session.project
    assert project is not None
    kept = project.carried(revision.id)
    assert kept is not None and [c.what for c in kept.lines] == ["pinned ends"]
    leave_out_and_back(loft, qtbot, second, revision)
    loft.session.undo.undo()
    rested(qtbot, loft)
    assert [m.release_start.any for m in second.model.members.values() if m.name == "Loft B1-B2"] == [False]
    assert not any(f.code == "match.carried" for f in second.findings)
    assert project.carried(revision.id) is None


def leave_out_and_back(loft: Window, qtbot: QtBot, second: Review, revision: Revision) -> None:
    """By the page: the line's place is shown, it is unticked and left out, undo brings it back; later
    corrections settle it."""
    project = loft.session.project
    assert project is not None
    act(loft, qtbot, "compare.carried")
    page = loft.pages.carried
    assert page is not None and page.isVisible() and not page.apply.isEnabled()
    page.table.setCurrentCell(0, 1)
    beam = named(loft, "Loft B1-B2")
    assert loft.state.picked == ("member", beam)
    qtbot.mouseClick(page.none, Qt.MouseButton.LeftButton)
    assert "not done yet" in page.note.text() and second.model.members[beam].release_start.any
    qtbot.mouseClick(page.apply, Qt.MouseButton.LeftButton)
    rested(qtbot, loft)
    assert not second.model.members[beam].release_start.any and revision.review is loft.state.review
    assert any(
        f.code == "match.carried" and "1 not, by choice (pinned ends)" in f.message for f in second.findings
    )
    kept = project.carried(revision.id)
    assert kept is not None and [c.status for c in kept.lines] == ["left"]
    loft.session.undo.undo()
    rested(qtbot, loft)
    assert second.model.members[beam].release_start.any and page.left() == set()
    loft.session.correct(PinBoth([named(loft, "Loft B2-B3")]))
    rested(qtbot, loft)
    assert "take them back first" in page.note.text() and not page.none.isEnabled()
    loft.session.undo.undo()
    rested(qtbot, loft)
    page.close()


def test_the_report_holds_the_decisions_made_in_the_window(
    loft: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    finding = loft.state.review.findings[0]  # type: ignore[union-attr]
    loft.session.decide(finding, "accepted", "agreed with the modeller")
    for name in ("r.html", "r.pdf", "r.bcf"):
        loft.session.exports.report(tmp_path / name)
        rested(qtbot, loft)
        assert (tmp_path / name).stat().st_size > 10_000
    assert "agreed with the modeller" in (tmp_path / "r.html").read_text(encoding="utf-8")
    loft.session.exports.contract_files(tmp_path / "out")
    rested(qtbot, loft)
    import json

    made = json.loads((tmp_path / "out" / "review.json").read_text(encoding="utf-8"))["decisions"]
    assert made[0]["reason"] == "agreed with the modeller" and made[0]["by"] and made[0]["when"]


def test_save_as_and_reopen(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    finding = demo.state.review.findings[0]  # type: ignore[union-attr]
    demo.session.decide(finding, "accepted", "so it is")
    target = tmp_path / "kept.rodtally"
    demo.session.save_as(target)
    assert demo.header.title.text() == "kept"
    demo.session.open(target)
    rested(qtbot, demo)
    revision = demo.state.revision
    assert revision is not None and len(demo.state.revisions) == 2
    assert revision.decisions[finding.key] == ("accepted", "so it is")
    assert demo.session.memory.recent()[0] == str(target)


def test_storeys_isolate(demo: Window, qtbot: QtBot) -> None:
    rows = dict(demo.stack.rows())
    qtbot.mouseClick(demo.stack, Qt.MouseButton.LeftButton, pos=rows["Rigging"].center().toPoint())
    qtbot.wait(60)
    assert demo.state.storeys == {"Rigging"}
    assert demo.state.shown_members() == {
        m.id for m in model_of(demo).members.values() if m.storey == "Rigging"
    }
    assert " of 194 members" in demo.counts.text()
    demo.actions_["view.all"].trigger()
    assert len(demo.state.shown_members()) == 194


def test_every_overlay_draws_with_a_legend(demo: Window, qtbot: QtBot) -> None:
    """One after the other in one window: opening it takes longer than all of them."""
    for revision in (0, 1):
        demo.state.choose(revision)
        demo.state.set_view(label="members")
        for name in overlays():
            demo.state.show_overlay(name)
            qtbot.wait(40)
            assert demo.view.legend.text() and "not drawn" not in demo.view.legend.text(), (revision, name)
            assert demo.state.overlay == name


def test_overlays_have_something_to_draw_for_every_kind_of_model(
    window: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    """Releases, springs, node loads, local and projected loads, moments."""
    from .frames import line_load

    m = regular(1, 1)
    m.members["m4"].release_start = Release.of("my mz")
    m.nodes["n0"].support = Support.of("ux=1e6 uy=1e6 uz=1e6 rx")
    line_load(m, "m4", (0, 0, -1e3), local=True)
    line_load(m, "m5", (0, 0, -1e3), projected=True, a=1.0, b=2.0)
    m.cases["p"] = LoadCase("p", "", node_loads=[NodeLoad("n4", (1e3, 0, 0), (0, 2e3, 0))])
    path = tmp_path / "m.rodtally"
    project = Project.create(path)
    project.add_revision("A", m)
    project.close()
    window.session.open(path)
    rested(qtbot, window)
    for name in overlays():
        for case in window.state.review.results.cases:  # type: ignore[union-attr]
            window.state.set_view(case=case)
            window.state.show_overlay(name)
            qtbot.wait(30)
            assert window.view.legend.text()


def test_bad_files_say_so_and_change_nothing(loft: Window, qtbot: QtBot, tmp_path: Path) -> None:
    bad = tmp_path / "bad.ifc"
    bad.write_text("nothing of the kind")
    loft.session.take_in(bad)
    rested(qtbot, loft)
    assert "not an IFC file" in loft.dialogs.message.text()
    assert isinstance(loft.dialogs.message, QMessageBox)
    loft.dialogs.message.close()
    assert [r.name for r in loft.state.revisions] == ["Revision A"]


def big(tmp_path: Path) -> Path:
    """About 3,000 members with ten cases, in a project."""
    m = regular(11, 7)
    top = list(m.nodes)[-1]
    for k in range(10):
        m.cases[f"c{k}"] = LoadCase(f"c{k}", "live", node_loads=[NodeLoad(top, (1e3 * (k + 1), 0, 0))])
    path = tmp_path / "big.rodtally"
    project = Project.create(path)
    project.add_revision("A", m)
    project.close()
    return path


def test_a_large_run_neither_blocks_the_window_nor_resists_cancel(
    window: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    """2,900 members and ten cases: the window's own clock goes on ticking; Cancel by a real click changes
    nothing."""
    window.session.open(big(tmp_path))
    ticks: list[int] = []
    clock = QTimer()
    clock.setInterval(20)
    clock.timeout.connect(lambda: ticks.append(1))
    clock.start()
    rested(qtbot, window)
    assert len(model_of(window).members) > 2800
    assert len(ticks) > 10
    project, revision = window.session.project, window.state.revision
    assert project is not None and revision is not None
    before, results = len(project.runs(revision.id)), revision.review.results
    window.session.runs.again()
    qtbot.waitUntil(lambda: window.cancel.isVisible())
    qtbot.mouseClick(window.cancel, Qt.MouseButton.LeftButton)
    rested(qtbot, window)
    assert "cancelled" in window.statusBar().currentMessage()  # type: ignore[union-attr]
    assert len(project.runs(revision.id)) == before
    assert revision.review.results is results
    clock.stop()


def test_find_by_name_steps_through_what_it_finds(demo: Window, qtbot: QtBot) -> None:
    demo.header.search.setText("Rigging C2-C3")
    qtbot.keyClick(demo.header.search, Qt.Key.Key_Return)
    assert demo.state.picked == ("member", named(demo, "Rigging C2-C3"))
    demo.header.search.setText("brace")
    qtbot.keyClick(demo.header.search, Qt.Key.Key_Return)
    first = demo.state.picked
    qtbot.keyClick(demo.header.search, Qt.Key.Key_Return)
    assert demo.state.picked != first
    demo.header.search.setText("no such thing")
    qtbot.keyClick(demo.header.search, Qt.Key.Key_Return)
    assert "No part, node, load case" in demo.statusBar().currentMessage()  # type: ignore[union-attr]


def test_tables_filter_sort_and_copy(demo: Window, qtbot: QtBot) -> None:
    demo.tables.show_table("members")
    qtbot.wait(60)
    page = demo.tables.pages["members"]
    page.filter.setText("brace")
    assert page.proxy.rowCount() == 6
    assert "6 of 194" in page.count.whole()
    page.table.sortByColumn(5, Qt.SortOrder.DescendingOrder)
    lengths = [page.proxy.index(r, 5).data(Qt.ItemDataRole.UserRole) for r in range(6)]
    assert lengths == sorted(lengths, reverse=True)
    page.table.clearSelection()
    page.copy()
    from PyQt6.QtGui import QGuiApplication

    text = QGuiApplication.clipboard().text()  # type: ignore[union-attr]
    assert len(text.splitlines()) == 7 and text.startswith("Member\tClass")


def test_units_change_what_is_shown_not_what_is_kept(demo: Window, qtbot: QtBot) -> None:
    before = demo.state.review.results.force.copy()  # type: ignore[union-attr]
    demo.state.go(STEP["Response"])
    for name in ("kip · ft", "N · m", "kN · m"):
        demo.actions_["help.units"].trigger()
        qtbot.wait(40)
        assert demo.header.units.text() == name
    assert np.array_equal(demo.state.review.results.force, before)  # type: ignore[union-attr]


def test_commands_are_whole() -> None:
    """Ids and shortcuts are unique, every menu has its commands, every command its words."""
    ids = [c.id for c in COMMANDS]
    shortcuts = [c.shortcut for c in COMMANDS if c.shortcut]
    assert len(set(ids)) == len(ids) and len(set(shortcuts)) == len(shortcuts)
    assert {c.menu for c in COMMANDS} == set(MENUS)
    assert all(c.title and "." in c.id for c in COMMANDS)


DIALOGS = {
    "file.take_in",
    "file.revision",
    "file.save_as",
    "file.export",
    "file.hand_back",
    "file.hand_back_results",
    "file.corrected",
    "run.effects",  # a run for each guess: it has tests of its own, on a model of three members
    "file.model_tables",
    "file.make",
    "view.theme",
    "file.picture",
    "file.settings",
    "file.answers",
    "compare.elsewhere",
    "compare.design",
    "file.pictures",
    "file.takeoff",
    "file.workbook",
    "file.report",
    "file.table",
    "run.print_cuts",
    "run.panel_sheets",
    "file.specification",
    "file.rules",
    "model.hold",
    "model.hold_edges",
    "model.bed",
    "model.bed_zone",
    "model.limit",
    "model.drawing",
    "file.levels",
    "file.plan",
    "model.storeys",
    "view.classes",
    "model.mirror",
    "model.offset",
    "model.add_slab",
    "model.add_wall",
    "model.open",
    "model.close",
    "model.release",
    "model.section",
    "model.taper",
    "model.own_material",
    "model.material",
    "model.thickness",
    "model.map_material",
    "model.turn",
    "model.split",
    "model.move",
    "file.settings_write",
    "file.quit",
    "model.accept",
    "model.map",
    "help.about",
}


def test_every_command_can_be_used_when_it_says_so(demo: Window, qtbot: QtBot, demo_file: Path) -> None:
    made = data_folder() / "demo" / "Tern Quay sail loft.rodtally"  # as if the demo had been opened before
    made.parent.mkdir(parents=True)
    shutil.copy(demo_file, made)
    demo.state.pick("member", named(demo, "Loft B2-B3"))
    for command in COMMANDS:
        if command.id in DIALOGS:
            continue
        if command.when(demo):
            demo.do(command)
            rested(qtbot, demo)
        if demo.state.picked is None:
            demo.state.pick("member", named(demo, "Loft B2-C2"))
    demo.dialogs.about()
    demo.dialogs.message.close()


def test_export_writes_the_files_of_the_contract(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    demo.session.exports.contract_files(tmp_path / "out")
    rested(qtbot, demo)
    assert (tmp_path / "out" / "review.json").exists()


def test_handing_back_writes_an_ifc_file_but_not_over_the_source(
    loft: Window, qtbot: QtBot, tmp_path: Path, loft_a: Path
) -> None:
    before = loft_a.read_bytes()
    loft.session.exports.ifc(loft_a)
    assert "choose another name" in loft.dialogs.message.text()
    loft.dialogs.message.close()
    loft.session.exports.ifc(tmp_path / "back.ifc")
    rested(qtbot, loft)
    assert (tmp_path / "back.ifc").exists() and loft_a.read_bytes() == before


def test_settings_are_read_with_their_errors(window: Window, tmp_path: Path) -> None:
    path = tmp_path / "s.toml"
    path.write_text("[transfer]\nsnap = 0.07\n")
    window.session.read_settings(path)
    assert window.session.settings.transfer.snap == 0.07
    path.write_text("[transfer]\nsnip = 0.07\n")
    window.session.read_settings(path)
    assert "transfer.snip" in window.dialogs.message.text()
    window.dialogs.message.close()
    assert window.session.settings.transfer.snap == 0.07
    assert Settings().transfer.snap == 0.025


def test_without_opengl_everything_else_works(
    qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, loft_a: Path
) -> None:
    monkeypatch.setattr(view_module, "opengl_works", lambda: False)
    app = application()
    w = Window()
    w.show()
    w.session.open(loft_a)
    rested(qtbot, w)
    assert w.view.plotter is None
    assert w.state.review is not None and len(w.state.review.findings) > 5
    w.state.go(STEP["Framing"])
    w.state.pick_finding(w.state.review.findings[0])
    assert w.view.picking.members_at(10, 10) == []
    assert not w.picture().isNull()
    w.close()
    w.deleteLater()
    app.processEvents()


@pytest.mark.drawn
def test_a_picture_of_the_window_shows_the_model(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    qtbot.wait(200)
    assert grab(demo, tmp_path / "shot.png")
    image = demo.picture().toImage()
    colours = {image.pixel(x, y) for x in range(0, image.width(), 3) for y in range(0, image.height(), 3)}
    assert len(colours) > 5
