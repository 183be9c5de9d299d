"""The window as somebody left it: sizes, text and column widths come back; the tables grow and go into a
window of their own."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from rod_tally.desk.layout import SIZES
from rod_tally.desk.theme import TEXT, THEMES, VARIABLE
from rod_tally.desk.window import Window

from .desk_help import STEP, act, fill, rested


def test_tables_grow_and_shrink(loft: Window, qtbot: QtBot) -> None:
    shares = []
    for _ in range(3):
        act(loft, qtbot, "view.tables_height")
        upper, lower = loft.down.sizes()
        shares.append(lower / (upper + lower))
    assert shares[0] < shares[1] and shares[2] < shares[0] and shares[1] > 0.6


def test_each_step_keeps_the_height_of_its_tables_and_their_edge_gives_all_of_it(
    loft: Window, qtbot: QtBot
) -> None:
    def share() -> float:
        return loft.down.sizes()[1] / sum(loft.down.sizes())

    loft.state.go(STEP["Loads"])
    loft.layout_desk._give(0.33)
    loft.state.go(STEP["Framing"])
    loft.layout_desk._give(0.55)
    loft.state.go(STEP["Loads"])
    assert share() == pytest.approx(0.33, abs=0.03)
    handle = loft.down.handle(1)
    assert handle is not None
    qtbot.mouseDClick(handle, Qt.MouseButton.LeftButton)
    assert share() > 0.6
    qtbot.mouseDClick(handle, Qt.MouseButton.LeftButton)
    assert share() == pytest.approx(0.33, abs=0.03)
    loft.state.go(STEP["Framing"])
    assert share() == pytest.approx(0.55, abs=0.03)


def test_tables_in_a_window_of_their_own_and_back(loft: Window, qtbot: QtBot) -> None:
    act(loft, qtbot, "view.tables_apart")
    apart = loft.layout_desk.apart
    assert apart is not None and apart.isVisible() and loft.tables.window() is apart
    loft.tables.show_table("members")
    page = loft.tables.front()
    assert page is not None and page.proxy.rowCount() > 100
    page.table.selectRow(3)
    rested(qtbot, loft)
    assert loft.state.picked is not None and loft.state.picked[0] == "member"
    apart.close()
    rested(qtbot, loft)
    assert loft.layout_desk.apart is None and loft.tables.window() is loft and loft.tables.isVisible()
    act(loft, qtbot, "view.tables_apart")
    act(loft, qtbot, "view.tables_apart")
    assert loft.tables.window() is loft


def test_larger_text_within_limits(loft: Window, qtbot: QtBot) -> None:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    for _ in range(12):
        act(loft, qtbot, "view.larger")
    assert app.font().pointSize() == SIZES[1] and loft.view.text == SIZES[1] / TEXT
    for _ in range(12):
        act(loft, qtbot, "view.smaller")
    assert app.font().pointSize() == SIZES[0]
    act(loft, qtbot, "view.usual")
    assert app.font().pointSize() == TEXT


def test_a_window_opens_as_the_last_one_was_left(loft: Window, qtbot: QtBot) -> None:
    loft.tables.show_table("members")
    page = loft.tables.front()
    assert page is not None
    page.table.setColumnWidth(3, 233)
    act(loft, qtbot, "view.tables_height")
    act(loft, qtbot, "view.larger")
    sizes = loft.down.sizes()
    loft.layout_desk.keep()
    again = Window()
    qtbot.addWidget(again)
    again.show()
    try:
        assert again.layout_desk.text == TEXT + 1
        assert again.tables.pages["members"].widths == {"Section": 233}
        share = again.down.sizes()[1] / sum(again.down.sizes())
        assert abs(share - sizes[1] / sum(sizes)) < 0.05
        again.session.memory.keep_layout("{broken")
        again.layout_desk.restore()
        again.session.memory.keep_layout(
            '{"down": 3, "at": ["a", 2, 3, 4], "text": "x", "widths": {"members": {"Section": "wide"}}}'
        )
        again.layout_desk.restore()
        assert again.tables.pages["members"].widths == {}
    finally:
        again.layout_desk.set_text(TEXT)
        again.close()


def luminance(colour: str) -> float:
    """Relative luminance, WCAG 2.1."""
    parts = [int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)]
    r, g, b = (v / 12.92 if v <= 0.03928 else ((v + 0.055) / 1.055) ** 2.4 for v in parts)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


@pytest.mark.parametrize(("theme", "least"), [("paper", 4.5), ("dark", 4.5), ("high contrast", 7.0)])
def test_text_can_be_read_in_every_theme(theme: str, least: float) -> None:
    """Contrast of ink and of the four colours of meaning on paper: 4.5 is the least for text, 7 that of
    enhanced contrast (WCAG 2.1, 1.4.3 and 1.4.6)."""
    paper, _, band, _, ink, graphite, muted, _, pine, rust, ochre, moss, wash = THEMES[theme]
    for colour in (ink, graphite, pine, rust, ochre, moss):
        light, dark = sorted((luminance(paper), luminance(colour)), reverse=True)
        assert (light + 0.05) / (dark + 0.05) >= least, colour
    for ground in (band, wash):
        light, dark = sorted((luminance(ground), luminance(ink)), reverse=True)
        assert (light + 0.05) / (dark + 0.05) >= least
    light, dark = sorted((luminance(paper), luminance(muted)), reverse=True)
    assert (light + 0.05) / (dark + 0.05) >= 3.0  # what is said beside the point


def test_the_theme_is_chosen_for_the_next_start(loft: Window, qtbot: QtBot) -> None:
    act(loft, qtbot, "view.theme")
    fill(loft, qtbot, loft.layout_desk.form, theme="dark")
    code = "from rod_tally.desk.theme import THEME, PAPER; print(THEME, PAPER)"
    for variable, wanted in (
        ("", "dark #23211e"),
        ("high contrast", "high contrast #ffffff"),
        ("no such", "paper #faf8f1"),
    ):
        own = os.environ | ({VARIABLE: variable} if variable else {})
        done = subprocess.run(
            [sys.executable, "-c", code], env=own, capture_output=True, text=True, check=True
        )
        assert done.stdout.strip() == wanted
