"""Nothing that the window says is cut off, in any step, in both revisions, in every set of units."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QLabel, QPushButton
from pytestqt.qtbot import QtBot

from rod_tally.desk.forms.fit_button import FitButton
from rod_tally.desk.one_line import OneLine
from rod_tally.desk.quantities import UNIT_SETS
from rod_tally.desk.theme import TEXT
from rod_tally.desk.window import Window
from rod_tally.review import STEPS

FRAME = {QPushButton: 8, QComboBox: 42, QLabel: 0}  # pixels that a widget needs beside its text
GIVING_WAY = (FitButton, OneLine)  # these end in dots, and their tip has all of it


def cut_off(w: Window) -> list[tuple[str, int, int]]:
    out = []
    for kind, frame in FRAME.items():
        for x in w.findChildren(kind):
            if not x.isVisible() or isinstance(x, GIVING_WAY):
                continue
            text = x.currentText() if isinstance(x, QComboBox) else x.text()
            if isinstance(x, QLabel) and (x.wordWrap() or "<" in text):
                continue
            wide = max(x.fontMetrics().horizontalAdvance(line) for line in text.split("\n")) if text else 0
            if wide + frame > x.width() + 1:
                out.append((text, wide + frame, x.width()))
    return out


def test_no_text_is_cut_off(demo: Window, qtbot: QtBot) -> None:
    for revision in range(len(demo.state.revisions)):
        demo.state.choose(revision)
        for step in STEPS:
            demo.state.go(step)
            qtbot.wait(30)
            assert cut_off(demo) == [], (revision, step.name)
    for _ in UNIT_SETS:
        demo.next_units()
        qtbot.wait(30)
        assert cut_off(demo) == []


def test_text_of_another_size_reaches_every_widget(loft: Window, qtbot: QtBot) -> None:
    """Widgets with a style sheet take their font from it."""
    before = loft.header.more.fontMetrics().height(), loft.steps.width()
    loft.layout_desk.set_text(TEXT + 4)
    try:
        qtbot.wait(30)
        assert loft.header.more.fontMetrics().height() > before[0] and loft.steps.width() > before[1]
        screen = loft.screen()
        assert screen is not None and loft.width() <= screen.availableGeometry().width()
    finally:
        loft.layout_desk.set_text(TEXT)
    qtbot.wait(30)
    assert (loft.header.more.fontMetrics().height(), loft.steps.width()) == before
