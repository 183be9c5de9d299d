"""Readiness for a signature in the window, and the report that is looked at before it is written."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from rod_tally.desk.window import Window

from .desk_help import STEP, act, rested


def test_readiness_in_the_window(loft: Window, qtbot: QtBot) -> None:
    loft.state.go(STEP["Close-out"])
    qtbot.wait(60)
    page = loft.tables.front()
    assert page is not None and page.name == "ready"
    rows = {str(r[1]): r for r in page.model.content.rows}
    assert rows["Run"][0] == "✓" and rows["Blocking findings"][0] == "■" and rows["Step Framing"][0] == "■"
    assert "Blocking findings" in page.model.content.note
    loft.state.show_storeys({"Roof"})
    loft.session.look("Framing/Gaps")
    assert loft.state.revision is not None
    assert "storeys Roof" in loft.state.revision.looks["Framing/Gaps"].picture
    rested(qtbot, loft)
    page = loft.tables.front()
    assert page is not None
    assert "1 of 10 looked at by" in str({str(r[1]): r for r in page.model.content.rows}["Step Framing"][2])


def test_the_report_is_looked_at_before_it_is_written(loft: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """Its pages as they will be on paper; chapters left out are not there; what was chosen is kept in the
    project."""
    act(loft, qtbot, "file.report_page")
    page = loft.pages.report
    assert page is not None and page.isVisible() and page.document.pageCount() == 0
    for name in page.chapters:
        page.chapters[name].setCurrentText("off")
    for name in ("findings", "sign"):
        page.chapters[name].setCurrentText("full")
    page.texts["firm"].setText("Loft Checkers")
    qtbot.mouseClick(page.show_button, Qt.MouseButton.LeftButton)
    rested(qtbot, loft)
    count = page.document.pageCount()
    assert count > 1 and page.number.text() == f"Page 1 of {count}" and not page.back.isEnabled()
    shown = " ".join(page.document.getAllText(k).text() for k in range(count))
    assert (
        "Loft Checkers" in shown
        and "Findings" in shown
        and "Sign-off" in shown
        and "Governing forces" not in shown
    )
    qtbot.mouseClick(page.on, Qt.MouseButton.LeftButton)
    assert page.number.text() == f"Page 2 of {count}" and not page.page.pixmap().isNull()
    assert loft.session.project is not None
    kept = loft.session.project.settings().report
    assert kept.firm == "Loft Checkers" and kept.chapters["modes"] == "off" and "sign" not in kept.chapters
    page.close()
    loft.pages.show_report(loft.dialogs.ask_report)
    assert page.chapters["modes"].currentText() == "off"
    page.close()
