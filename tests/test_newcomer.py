"""A newcomer's path by clicks and keys alone: find and mend the demo's four faults, run, compare, report; and
controls that can be named and reached without a mouse."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QTabBar,
    QWidget,
)
from pytestqt.qtbot import QtBot

from rod_tally.checks.framing.overlaps import REST
from rod_tally.desk.commands.registry import MENUS
from rod_tally.desk.pages.steps_panel import StepWidget
from rod_tally.desk.window import Window
from rod_tally.review.readiness import readiness

from .desk_help import act, rested
from .small_house import write_house

MOST = 24  # clicks, keys and drops for the whole path
MANAGER = "openbox"  # frames, titles and focus as on a desk
UNDER_MANAGER = "ROD_TALLY_UNDER_MANAGER"
MOST_FOR_THE_HOUSE = 16  # to a model that runs whole


class Hand:
    """Uses the window as a person does, and counts."""

    def __init__(self, w: Window, qtbot: QtBot) -> None:
        self.w, self.qtbot, self.actions = w, qtbot, 0

    def drop(self, path: Path) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        self.w.dropEvent(
            QDropEvent(
                QPointF(400, 300),
                Qt.DropAction.CopyAction,
                data,
                Qt.MouseButton.LeftButton,
                Qt.KeyboardModifier.NoModifier,
            )
        )
        self._done()

    def key(
        self,
        key: Qt.Key,
        modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        on: QWidget | None = None,
    ) -> None:
        if on is None:
            self.w.activateWindow()
            self.qtbot.waitUntil(self.w.isActiveWindow, timeout=5000)  # shortcuts go to the active window
        self.qtbot.keyClick(on or self.w, key, modifier)
        self._done()

    def row(self, code: str) -> None:
        """Click the first row of the findings that has this code."""
        page = self.w.tables.pages["findings"]
        codes = [r[-1] for r in page.model.content.rows]
        index = page.proxy.mapFromSource(page.model.index(codes.index(code), 1))
        page.table.scrollTo(index)
        QApplication.processEvents()
        at = page.table.visualRect(index).center()
        viewport = page.table.viewport()
        assert viewport is not None
        self.qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=at)
        self._done()

    def button(self, text: str) -> None:
        """Click the button of what is picked that begins so."""
        found = [
            b
            for b in self.w.details.findChildren(QPushButton)
            if b.text().startswith(text) and b.isVisibleTo(self.w)
        ]
        assert found, [b.text() for b in self.w.details.findChildren(QPushButton)]
        self.qtbot.mouseClick(found[0], Qt.MouseButton.LeftButton, pos=QPoint(10, found[0].height() // 2))
        self._done()

    def look_at_all(self, step: StepWidget) -> int:
        """Take a step, and mark each of its items that is not marked yet; returns how many clicks it took."""
        before = self.actions
        self.qtbot.mouseClick(step, Qt.MouseButton.LeftButton, pos=QPoint(30, 8))
        self._done()
        revision = self.w.state.revision
        assert revision is not None
        for k in range(len(step.items)):
            if step.item_key(k) not in revision.looked:
                at = QPoint(30, step.head + k * step.row + step.row // 2)
                self.qtbot.mouseClick(step, Qt.MouseButton.LeftButton, pos=at)
                self._done()
        return self.actions - before

    def _done(self) -> None:
        self.actions += 1
        rested(self.qtbot, self.w)


def blocking(w: Window) -> set[str]:
    revision = w.state.revision
    assert revision is not None
    return {f.code for f in revision.open_findings(severity="blocking")}


def test_from_an_empty_window_to_a_report(
    window: Window, qtbot: QtBot, tmp_path: Path, loft_a: Path, loft_b: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    hand = Hand(window, qtbot)
    hand.drop(loft_a)
    assert blocking(window) == {"join.duplicate", "join.gap", "section.unknown", "support.base_free"}
    hand.row("join.gap")
    hand.button("Extend it")
    hand.row("join.duplicate")
    hand.button("Delete beam Loft A1-B1 bis")
    hand.row("support.base_free")
    hand.button("Support it")
    hand.row("section.unknown")
    hand.button("Map the profile")
    form = window.corrections.form
    assert form is not None
    hand.key(Qt.Key.Key_Return, on=form)  # what is proposed first
    assert blocking(window) == set()
    hand.key(Qt.Key.Key_F5)
    revision = window.state.revision
    assert revision is not None and revision.review.has_run and not revision.stale
    hand.drop(loft_b)
    hand.key(Qt.Key.Key_7, Qt.KeyboardModifier.AltModifier)  # the step Revision
    assert window.state.comparison is not None and window.state.step.name == "Revision"
    carried = window.state.revisions[-1].review.carried
    assert carried is not None and len(carried.lines) == 4  # the four corrections, or why not
    out = tmp_path / "report.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(out), ""))
    window.actions_["file.report"].trigger()
    hand._done()
    text = out.read_text(encoding="utf-8")
    assert "Loft C2-C3" in text and "Revision" in text
    assert hand.actions <= MOST


@pytest.mark.skipif(
    shutil.which(MANAGER) is not None and UNDER_MANAGER not in os.environ,
    reason="walked under a window manager, by the test below",
)
def test_a_house_from_its_file_to_a_report_that_can_be_signed(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A file of an architect's that nobody prepared: mended by the buttons of its findings, run, every step
    looked at, reported. What is counted beside the items looked at is what the model asked for."""
    hand = Hand(window, qtbot)
    hand.drop(write_house(tmp_path / "house.ifc"))
    assert blocking(window) == {"join.gap", "material.stiffness"}
    hand.row("material.stiffness")
    hand.button("Give its elastic modulus")
    form = window.corrections.form
    assert form is not None
    form.widgets["grade"].setCurrentText("C24")  # typed into the list, which narrows
    hand.key(Qt.Key.Key_Return, on=form)
    for _side in ("Süd", "Nord"):
        hand.row("join.crossing")
        hand.button(REST)
        message = window.dialogs.message
        qtbot.mouseClick(
            next(b for b in message.buttons() if b.text().startswith("Do it")), Qt.MouseButton.LeftButton
        )
        hand._done()
    hand.row("join.gap")
    hand.button("Tie it")
    hand.row("surface.gap")
    hand.button("Tie it")
    assert blocking(window) == set()
    hand.key(Qt.Key.Key_F5)
    revision = window.state.revision
    assert revision is not None and not revision.stale and not revision.review.results.left_out
    mending = hand.actions
    assert mending <= MOST_FOR_THE_HOUSE
    looked = sum(hand.look_at_all(step) for step in window.steps.steps)
    out = tmp_path / "report.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(out), ""))
    window.actions_["file.report"].trigger()
    hand._done()
    missing = [r for r in readiness(revision.review, revision.looks.values(), None) if not r.good]
    assert [r.what for r in missing] in ([], ["Load cases"]), [(r.what, r.words) for r in missing]
    assert "Sign-off" in out.read_text(encoding="utf-8")
    assert hand.actions == mending + looked + 1
    if UNDER_MANAGER in os.environ:
        frame, screen = window.frameGeometry(), window.screen()
        assert frame.height() > window.height() and frame.width() >= window.width()
        assert screen is not None and screen.availableGeometry().contains(frame)


@pytest.mark.desk
@pytest.mark.skipif(shutil.which(MANAGER) is None, reason=f"{MANAGER} is not installed")
def test_the_house_is_walked_under_a_window_manager() -> None:
    """On a screen of its own, with a manager that frames the window and gives it the focus."""
    from .conftest import display

    number, server = display("1366x900x24")
    env = {**os.environ, "DISPLAY": number, UNDER_MANAGER: "1"}
    env = {k: v for k, v in env.items() if not k.startswith("PYTEST_")}
    manager = subprocess.Popen([MANAGER, "--sm-disable"], env=env, stderr=subprocess.DEVNULL)
    try:
        walk = f"{__file__}::test_a_house_from_its_file_to_a_report_that_can_be_signed"
        call = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", walk]
        done = subprocess.run(
            call, env=env, cwd=Path(__file__).parent.parent, capture_output=True, text=True, timeout=300
        )
        assert "1 passed" in done.stdout, done.stdout[-4000:] + done.stderr[-1000:]
    finally:
        for process in (manager, server):
            process.terminate()
            process.wait()


# -- names and keys ------------------------------------------------------------------------------------------


def unnamed(top: QWidget) -> list[str]:
    """Controls that one can reach and a screen reader has no words for."""
    labelled = {b for label in top.findChildren(QLabel) if (b := label.buddy()) is not None}
    out = []
    for kind in (QAbstractButton, QComboBox, QLineEdit, QAbstractSpinBox, QAbstractItemView, QPlainTextEdit):
        for c in top.findChildren(kind):
            if c.focusPolicy() == Qt.FocusPolicy.NoFocus or not c.isVisibleTo(top):
                continue
            if isinstance(c.parent(), (QComboBox, QAbstractSpinBox)) or isinstance(c, QTabBar):
                continue  # a part of a control that has a name
            words = c.accessibleName() or (c.text() if isinstance(c, QAbstractButton) else "")
            words = words or (c.placeholderText() if isinstance(c, (QLineEdit, QPlainTextEdit)) else "")
            if not words and c not in labelled:
                out.append(f"{type(c).__name__} {c.objectName()} in {type(c.parent()).__name__}")
    return out


def test_every_control_of_the_window_has_a_name(loft: Window) -> None:
    assert unnamed(loft) == []


PAGES = (
    "file.rules",
    "file.report_page",
    "run.choose",
    "loads.combine",
    "help.step",
    "help.find",
    "file.make",
    "run.settings",
    "model.add_slab",
    "loads.mass",
    "view.theme",
    "model.draw",
)


@pytest.mark.parametrize("command", PAGES)
def test_every_control_of_the_pages_has_a_name(loft: Window, qtbot: QtBot, command: str) -> None:
    before = {d for d in QApplication.topLevelWidgets() if d.isVisible()}
    act(loft, qtbot, command)
    new = [
        d
        for d in QApplication.topLevelWidgets()
        if d.isVisible() and d not in before and isinstance(d, QDialog)
    ]
    assert new, "nothing opened"
    for d in new:
        assert unnamed(d) == []
        d.close()


def test_menus_open_by_their_letters(window: Window) -> None:
    assert len({m[0] for m in MENUS}) == len(MENUS)


def test_tab_reaches_the_main_parts(loft: Window, qtbot: QtBot) -> None:
    """From the search field on, Tab comes by the buttons, lists and tables, and round again."""
    loft.header.search.setFocus()
    seen: set[str] = set()
    for _ in range(60):
        qtbot.keyClick(QApplication.focusWidget() or loft, Qt.Key.Key_Tab)
        now = QApplication.focusWidget()
        if now is None:
            break
        seen.add(
            now.accessibleName() or (now.text() if isinstance(now, QAbstractButton) else type(now).__name__)
        )
        if now is loft.header.search:
            break
    assert len(seen) >= 8, seen
