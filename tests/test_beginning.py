"""How one begins: the empty window, files that are dropped, the demo, the first walk; and finding anything by
its words."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from pytestqt.qtbot import QtBot

from rod_tally.desk.drop import dropped, is_project
from rod_tally.desk.pages.help_page import FOLDER, TOPICS
from rod_tally.desk.window import Window
from rod_tally.progress import TimeLeft

from .desk_help import rested


def mime(*paths: Path) -> QMimeData:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    return data


def drop(w: Window, *paths: Path) -> None:
    data = mime(*paths)  # the event does not keep it
    event = QDropEvent(
        QPointF(300, 300),
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    w.dropEvent(event)


def test_the_empty_window_says_how_to_begin(window: Window, qtbot: QtBot) -> None:
    assert window.welcome.isVisibleTo(window)
    assert set(window.welcome.buttons) == {
        "Open model…",
        "New model from parameters…",
        "New model from levels and grid…",
        "New model from a DXF plan…",
        "Open the demo",
        "A first walk, in six steps",
    }
    window.welcome.buttons["A first walk, in six steps"].click()
    help_page = window.pages.help
    assert help_page is not None and "six steps" in help_page.text.toPlainText()


def test_a_dropped_model_is_taken_in_and_the_next_one_is_its_revision(
    window: Window, qtbot: QtBot, loft_a: Path, loft_b: Path
) -> None:
    drop(window, loft_a)
    rested(qtbot, window)
    assert len(window.state.revisions) == 1 and not window.welcome.isVisibleTo(window)
    drop(window, loft_b)
    rested(qtbot, window)
    assert len(window.state.revisions) == 2


def test_what_can_be_dropped(tmp_path: Path) -> None:
    good = [tmp_path / "a.IFC", tmp_path / "b.rodtally", tmp_path / "c.xlsx", tmp_path]
    assert dropped(mime(*good, tmp_path / "d.txt", tmp_path / "e.png")) == good
    assert dropped(QMimeData()) == [] and dropped(None) == []
    assert is_project(good[1]) and not is_project(good[0])


def test_the_demo_opens_and_opens_again_as_it_was_left(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("ROD_TALLY_DATA", str(tmp_path))
    window.welcome.buttons["Open the demo"].click()
    rested(qtbot, window)
    assert [r.name for r in window.state.revisions] == ["Revision A", "Revision B"]
    project = window.session.project
    assert project is not None and project.path.parent == tmp_path / "demo"
    # all that the walk names is there
    text = (FOLDER / "first-walk.md").read_text(encoding="utf-8")
    window.state.choose(0)
    review = window.state.review
    assert review is not None
    names = {p.name for p in review.model.parts()}
    for name in ("Loft C2-C3", "Quay C2"):
        assert name in text and name in names
    actions = {a for f in review.findings for a in f.actions}
    for action in ("Extend it to column Quay C3", "Turn its sign", "Support it"):
        assert f"*{action}*" in text and any(a.startswith(action) for a in actions)
    for case in ("Snow", "Roofing", "Boat cradles"):
        assert f"*{case}*" in text and case in review.model.cases
    assert "first-walk" in TOPICS


def find(w: Window, text: str) -> str:
    said: list[str] = []
    w.session.said.connect(said.append)
    w.view_desk.find(text)
    return said[-1] if said else ""


def test_anything_is_found_by_its_words(loft: Window, qtbot: QtBot) -> None:
    review = loft.state.review
    assert review is not None
    member = next(iter(review.model.members.values()))
    assert "member found" in find(loft, member.name)
    case = next(
        n for n in loft.state.cases() if not any(n.lower() in p.name.lower() for p in review.model.parts())
    )
    assert find(loft, case.upper()).startswith(f"Case {case}") and loft.state.case == case
    finding = review.findings[0]
    find(loft, finding.code)
    assert loft.state.finding is not None and loft.state.finding.code == finding.code
    find(loft, "envelope of")
    finder = loft.pages.finder
    assert finder is not None and finder.isVisible() and finder.shown[0][0].id == "run.envelope"
    finder.close()
    assert "No part, node" in find(loft, "no such thing at all")


def test_a_command_that_cannot_be_used_says_what_it_needs(loft: Window, qtbot: QtBot) -> None:
    loft.state.pick(None)
    loft.pages.find_command("releases")
    finder = loft.pages.finder
    assert finder is not None and "it needs selected members" in finder.note.text()
    finder.close()


def test_how_long_it_still_takes_is_said_once_it_is_known() -> None:
    now = [0.0]
    left = TimeLeft(lambda: now[0])

    def at(time: float, share: float) -> str:
        now[0] = time
        return left.of(share)

    assert at(100.0, 0.0) == "" and at(102.0, 0.2) == ""  # too soon to say
    assert at(110.0, 0.25) == ", about 30 s left"
    assert at(700.0, 0.5) == ", about 10 min left"
    assert at(1299.9, 0.9999) == ""
    assert at(1300.0, 0.1) == "" and at(1310.0, 0.5) == ", about 10 s left"  # another piece of work
