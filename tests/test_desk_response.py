"""How the building answers, in the window: equilibrium, stacks, centres, members' pages, stations, work in
the background."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path

import pytest

pytest.importorskip("PyQt6")
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt  # noqa: E402
from PyQt6.QtGui import QMouseEvent  # noqa: E402
from PyQt6.QtWidgets import QApplication  # noqa: E402
from pytestqt.qtbot import QtBot  # noqa: E402

from rod_tally.desk.pages.steps_panel import verdict  # noqa: E402
from rod_tally.desk.session.background import Work  # noqa: E402
from rod_tally.desk.session.session import Session  # noqa: E402
from rod_tally.desk.session.state import SUMMED  # noqa: E402
from rod_tally.desk.tables.registry import ASPECTS, TABLES  # noqa: E402
from rod_tally.desk.tables.rows import Rows  # noqa: E402
from rod_tally.desk.window import Window  # noqa: E402

from .desk_help import STEP, act, fill, legend, model_of, rested  # noqa: E402

pytestmark = [
    pytest.mark.desk,
    pytest.mark.skipif(not os.environ.get("DISPLAY"), reason="needs a display; ./run test starts one"),
]


def test_equilibrium_between_storeys_at_nodes_and_down_stacks(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    w.state.set_view(case="Wind y")
    act(w, qtbot, "run.storey_cuts")
    w.tables._front()
    page = w.tables.pages["storeys"]
    assert page.choice.currentText() == "between storeys"
    found = page.model.content.rows
    loads = [r for r in found if r[2] == "loads above"]
    assert len(loads) == 3 and "walls" in {r[2] for r in found}
    for top in loads:
        own = [r for r in found if r[0] == top[0]]
        for k in range(3, 9):
            assert abs(sum(float(r[k]) for r in own)) < 1e-6  # type: ignore[arg-type]
    model = model_of(w)
    node = next(m.end for m in model.members.values() if m.cls == "column" and m.storey == "Quay")
    w.state.pick("node", node)
    act(w, qtbot, "run.node")
    w.tables._front()
    page = w.tables.pages["reactions"]
    assert {r[0] for r in page.model.content.rows} >= {"member"} and node in page.count.whole()
    other = next(m.start for m in model.members.values() if m.cls == "column" and m.storey == "Quay")
    w.state.pick("node", other)
    rested(qtbot, w)
    w.tables._front()
    assert "support" in {r[0] for r in page.model.content.rows} and other in page.count.whole()
    act(w, qtbot, "run.stacks")
    w.tables._front()
    stacks = w.tables.pages["forces"].model.content.rows
    assert stacks[0][0] == "Stack A/1" and len(stacks) > 30
    # what the columns carried in the revision before stands beside it
    page = w.tables.pages["forces"]
    columns = page.model.content.columns
    foot, before, change = (columns.index(c) for c in ("N foot", "Foot before", "Change"))
    both = [r for r in stacks if r[before] is not None]
    assert len(both) > 25 and "before: Revision A, case Wind y" in page.count.whole()
    assert all(abs(float(r[foot]) - float(r[before]) - float(r[change])) < 1e-9 for r in both)  # type: ignore[arg-type]
    w.state.choose(0)
    w.tables._front()
    level = columns.index("Foot, m")
    own = [(r[1], float(r[level]), float(r[foot])) for r in page.model.content.rows]  # type: ignore[arg-type]
    assert len({r[1] for r in both}) > 20
    for r in both:  # the thicker floor lifts the feet of the columns above it by half of what it is thicker
        same = [f for name, z, f in own if name == r[1] and abs(z - float(r[level])) < 0.02]  # type: ignore[arg-type]
        assert same == [pytest.approx(float(r[before]))]  # type: ignore[arg-type]
    w.state.choose(1)
    w.tables._front()
    act(w, qtbot, "run.centres")
    assert "centre of stiffness" in legend(w, qtbot)
    w.tables._front()
    assert [r[0] for r in w.tables.pages["storeys"].model.content.rows] == [
        "Roof",
        "Rigging",
        "Loft",
    ]


def test_mass_may_be_spread_as_elements_move(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    act(w, qtbot, "loads.mass")
    fill(w, qtbot, w.load_desk.form, spread="spread as they move (consistent)", count=4)
    assert w.session.settings.modes.consistent and w.session.settings.modes.count == 4
    project = w.session.project
    assert project is not None and project.settings().modes == w.session.settings.modes
    assert w.state.revision is not None and w.state.revision.stale  # other modes than those shown
    before = [m.period for m in w.state.review.modes] if w.state.review else []
    act(w, qtbot, "run.run")
    after = [m.period for m in w.state.review.modes] if w.state.review else []
    assert len(after) == 4 and after != before[:4]
    assert after[0] == pytest.approx(before[0], rel=0.05)


def test_no_table_shows_old_results(demo: Window, qtbot: QtBot) -> None:
    """After a correction every table of results says why it is empty, and an undo brings them back."""
    w = demo
    w.state.choose(1)
    w.state.set_view(case="Self-weight")
    units = w.tables.units

    def of_results() -> dict[str, Rows]:
        names = (
            "reactions",
            "displacements",
            "forces",
            "envelope",
            "surface_forces",
            "storeys",
            "modes",
            "cuts",
        )
        found = {n: TABLES[n][1](w.state, units) for n in names}
        for n in names:
            found |= {f"{n}, {k}": t(w.state, units) for k, t in ASPECTS.get(n, {}).items() if k != SUMMED}
        return found

    before = of_results()
    assert sum(bool(t.rows) for t in before.values()) >= 10
    review = w.state.review
    assert review is not None
    beam = next(m for m in review.model.members.values() if m.cls == "beam")
    w.state.pick("member", beam.id)
    act(w, qtbot, "model.delete")
    assert w.state.revision is not None and w.state.revision.stale
    for name, table in of_results().items():
        assert not table.rows and "run it again" in table.note, name
        assert table.columns == before[name].columns, name
    old = [
        verdict(STEP["Response"], i, w.state.revision, False)[0] for i in STEP["Response"].items if i.codes
    ]
    assert set(old) == {"old"}, "nothing was looked for"
    act(w, qtbot, "edit.undo")
    now = [
        verdict(STEP["Response"], i, w.state.revision, False)[0] for i in STEP["Response"].items if i.codes
    ]
    assert "none" in now and "old" not in now
    assert {n: len(t.rows) for n, t in of_results().items()} == {n: len(t.rows) for n, t in before.items()}


def test_what_takes_time_is_worked_out_in_the_background(
    demo: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Displaced shapes, forces of slabs and envelopes: said while they are made, drawn when they are
    there."""
    import sys

    from rod_tally.review import envelopes

    review = sys.modules["rod_tally.review.review"]

    start = Session.work_out

    def slowly(self: Session, title: str, call: Work, done: Callable[[object], None]) -> None:
        start(self, title, lambda p: (time.sleep(0.4), call(p))[1], done)

    monkeypatch.setattr(Session, "work_out", slowly)
    monkeypatch.setattr(review, "MANY_MEMBERS", 0)
    monkeypatch.setattr(review, "MANY_ELEMENTS", 0)
    monkeypatch.setattr(envelopes, "LARGE", -1.0)
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    assert w.state.review is not None
    w.state.review._cache.clear()  # the comparison had forces of slabs worked out
    for overlay, waiting, drawn in (
        ("displaced", "is being worked out", "times"),
        ("plates", "are being worked out", "not averaged"),
        ("envelope", "is being worked out", "over 46 combinations"),
    ):
        w.state.show_overlay(overlay)
        w.view.draw()
        assert waiting in w.view.legend.text()
        qtbot.waitUntil(lambda text=drawn: text in w.view.legend.text(), timeout=20000)
    w.state.set_view(case="Wind y", overlay="displaced")
    qtbot.waitUntil(lambda: "Wind y:" in w.view.legend.text(), timeout=20000)


@pytest.mark.drawn
def test_a_drag_draws_once_for_each_movement(demo: Window, qtbot: QtBot) -> None:
    w = demo
    rested(qtbot, w)
    count = [0]
    w.view.plotter.render_window.AddObserver("StartEvent", lambda *_: count.__setitem__(0, count[0] + 1))
    widget = w.view.plotter.interactor
    middle = widget.rect().center()
    qtbot.mousePress(widget, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.wait(30)
    before, seen_from = count[0], w.view.plotter.camera.position
    for k in range(1, 6):
        place = QPointF(middle + QPoint(4 * k, 2 * k))
        event = QMouseEvent(
            QEvent.Type.MouseMove,
            place,
            widget.mapToGlobal(place),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        QApplication.sendEvent(widget, event)
        QApplication.processEvents()
    assert 1 <= count[0] - before <= 5 and w.view.plotter.camera.position != seen_from
    qtbot.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=middle)
    # a slow model is drawn plainly as long as it is turned, and as it was afterwards
    rested(qtbot, w)
    widths = [a.prop.line_width for a in w.view.canvas._actors if hasattr(a, "prop")]
    qtbot.mousePress(widget, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.wait(60)
    w.view.plotter._took = 1.0
    event = QMouseEvent(
        QEvent.Type.MouseMove,
        QPointF(middle + QPoint(9, 9)),
        widget.mapToGlobal(QPointF(middle)),
        Qt.MouseButton.NoButton,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    QApplication.sendEvent(widget, event)
    QApplication.processEvents()
    assert {a.prop.line_width for a in w.view.canvas._actors if hasattr(a, "prop")} == {1.0}
    assert w.view.plotter.render_window.GetMultiSamples() == 0
    qtbot.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=middle + QPoint(9, 9))
    qtbot.wait(60)
    assert [a.prop.line_width for a in w.view.canvas._actors if hasattr(a, "prop")] == widths


def test_page_of_a_member_follows_what_is_picked(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    w.state.set_view(case="Self-weight")
    beams = [m.id for m in model_of(w).members.values() if m.cls == "beam" and m.storey == "Rigging"]
    w.state.pick("member", beams[0])
    act(w, qtbot, "run.member")
    page = w.response_desk.page
    assert (
        page is not None
        and page.isVisible()
        and "IPE" in page.words.text()
        and "own weight" in page.words.text()
    )
    first = page.curves["my"].title.text()
    assert "of all" in first and "6.10/" in first
    assert page.curves["uz"].values.min() < 0 and page.curves["uz"].values[[0, -1]] == pytest.approx(
        [0, 0], abs=1e-9
    )
    page._read(1.0)
    assert all("at 1.00 m" in c.title.text() for c in page.curves.values())
    w.state.pick("member", beams[5])
    assert page.curves["my"].title.text() != first
    case = w.state.case
    page._step(1)
    assert w.state.case != case and w.state.case in page.words.text()
    w.state.set_view(case="nothing")
    assert "was not computed" in page.words.text() and not len(page.curves["n"].values)


def test_stations_values_scale_and_writing_a_table(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    import openpyxl

    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    w.state.set_view(case="Self-weight")
    beams = [m.id for m in model_of(w).members.values() if m.cls == "beam" and m.storey == "Rigging"][:2]
    w.state.select([("member", b) for b in beams])
    w.tables.show_table("forces", 2)
    page = w.tables.front()
    assert page is not None and len(page.model.content.rows) == 6 and "selected" in page.model.content.note
    w.tables.show_table("forces", 3)
    page = w.tables.front()
    assert page is not None and len(page.model.content.rows) >= 2 * 11
    page.filter.setText("1.")
    columns, rows_ = page.shown_rows()
    assert 0 < len(rows_) <= len(page.model.content.rows)
    w.session.exports.table(columns, rows_, "forces", tmp_path / "t.xlsx")
    rested(qtbot, w)
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx").active
    assert sheet.max_row == len(rows_) + 1 and sheet.cell(1, 1).value == "Member"
    w.session.exports.table(columns, rows_, "forces", tmp_path / "t.csv")
    rested(qtbot, w)
    assert len((tmp_path / "t.csv").read_text(encoding="utf-8").splitlines()) == len(rows_) + 1
    with qtbot.waitSignal(w.session.failed) as told:
        w.session.exports.table(columns, rows_, "forces", tmp_path / "no" / "t.csv")
    assert "cannot be written" in told.args[1]
    w.state.set_view(label="values")
    rested(qtbot, w)
    assert w.view_bar.label_choice.currentText() == "values"
    w.state.show_overlay("displaced")
    act(w, qtbot, "run.own_scale")
    fill(w, qtbot, w.response_desk.form, times=250)
    assert "250 times" in legend(w, qtbot)
    act(w, qtbot, "run.scale")
    assert "250 times" not in legend(w, qtbot)


def test_what_is_cancelled_is_not_started_again_by_itself(
    demo: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    from rod_tally.desk.session.jobs import Cancelled
    from rod_tally.review import envelopes

    calls = [0]

    def stopped(_self: object, _kind: str = "", _progress: object = None) -> None:
        calls[0] += 1
        raise Cancelled

    monkeypatch.setattr(envelopes, "LARGE", -1.0)
    monkeypatch.setattr(envelopes.Envelopes, "members", stopped)
    w = demo
    w.state.choose(1)
    w.state.show_overlay("envelope")
    qtbot.waitUntil(lambda: calls[0] == 1, timeout=10000)
    rested(qtbot, w)
    qtbot.wait(300)
    assert calls[0] == 1 and "is being worked out" in w.view.legend.text()
    w.state.show_overlay("joints")
    w.state.show_overlay("envelope")
    qtbot.waitUntil(lambda: calls[0] == 2, timeout=10000)
    rested(qtbot, w)


def test_old_results_have_no_equilibrium_until_the_next_run(
    loft: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A member is deleted: what would mix the new model with the old forces says so instead, and so do the
    written tables."""
    import openpyxl

    w = loft
    # the tables of the contract take long to write and are looked at elsewhere
    monkeypatch.setattr("rod_tally.output.spreadsheet.tables", lambda review: [])
    w.state.go(STEP["Response"])
    column = next(m for m in model_of(w).members.values() if m.cls == "column" and m.storey == "Rigging")
    w.state.pick("member", column.id)
    act(w, qtbot, "model.delete")
    w.state.pick("node", column.start)
    for name, aspect in (("storeys", 1), ("reactions", 1), ("forces", 1)):
        w.tables.show_table(name, aspect)
        page = w.tables.front()
        assert page is not None and not page.model.content.rows and "run it again" in page.model.content.note
    w.session.exports.workbook(tmp_path / "all.xlsx")
    rested(qtbot, w)
    assert "between storeys" not in openpyxl.load_workbook(tmp_path / "all.xlsx", read_only=True).sheetnames
    act(w, qtbot, "run.run")
    w.tables.show_table("storeys", 1)
    page = w.tables.front()
    assert page is not None and page.model.content.rows
