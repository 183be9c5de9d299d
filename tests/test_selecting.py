"""Parts chosen by words, by a box over the picture, and kept as groups."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, Qt
from pytestqt.qtbot import QtBot
from shapely.geometry import LineString, Polygon
from shapely.geometry import box as rectangle

from rod_tally.compare.carrying.carry import carry_over
from rod_tally.desk.view.box import lines_in, outline_in
from rod_tally.desk.window import Window
from rod_tally.model import Model, Section, Storey
from rod_tally.model.edits import EditError, KeepGroup
from rod_tally.model.words import WordsError, chosen

from .desk_help import act, fill, model_of, named, place_of, rested
from .frames import regular
from .physical_models import block, model
from .test_compare import renamed


def building() -> Model:
    """Two storeys; beams of one storey have another section."""
    m = regular(2, 2)
    m.storeys = [Storey("Level 1", 3.5), Storey("Level 2", 7.0)]
    m.sections["IPE 300"] = Section("IPE 300", "values", 5e-3, 8e-5, 6e-6, 0.0, 2e-7)
    for x in m.members.values():
        x.storey = "Level 1" if m.line(x)[:, 2].max() < 4 else "Level 2"
        if x.cls == "beam" and x.storey == "Level 2":
            x.section = "IPE 300"
    m.groups["Gable"] = list(m.members)[:3]
    return m


def test_words_choose_what_they_say() -> None:
    m = building()
    parts = m.members.values()

    def those(test: object) -> list[str]:
        return [x.id for x in parts if test(x)]  # type: ignore[operator]

    for words, test in (
        ("columns", lambda x: x.cls == "column"),
        ("Beams of level 2", lambda x: x.cls == "beam" and x.storey == "Level 2"),
        ("beams with ipe 300", lambda x: x.section == "IPE 300"),
        ("members not of Level 1", lambda x: x.storey != "Level 1"),
        ("members longer than 4 m", lambda x: m.length(x) > 4),
        ("members shorter than 4000 mm", lambda x: m.length(x) < 4),
        ("in group Gable", lambda x: x.id in m.groups["Gable"]),
        ("columns of Level 1 or beams of Level 2", lambda x: (x.cls == "column") == (x.storey == "Level 1")),
        ("not columns", lambda x: x.cls != "column"),
        ("made of steel", lambda x: True),
        ("slabs", lambda x: False),
        ("all members without section", lambda x: not x.section),
    ):
        assert chosen(m, words) == those(test), words


@pytest.mark.parametrize(
    ("words", "says"),
    [
        ("", "No words"),
        ("girders", "'girders' is no class"),
        ("beams of Level 9", "no storey 'Level 9'; there are Level 1, Level 2"),
        ("beams with", "no class"),
        ("beams longer than a bit", "no length"),
        ("beams longer than 6 kN", "no length"),
        ("members without hope", "section, material or thickness"),
        ("in group Nobody", "no group"),
    ],
)
def test_words_that_mean_nothing_are_said(words: str, says: str) -> None:
    with pytest.raises(WordsError, match=says):
        chosen(building(), words)


@settings(max_examples=150, deadline=None)
@given(st.lists(st.tuples(st.floats(-5, 15), st.floats(-5, 15)), min_size=3, max_size=6), st.booleans())
def test_boxes_agree_with_shapely(points: list[tuple[float, float]], touched: bool) -> None:
    """Against the library shapely, for lines and outlines anywhere."""
    ring = np.array(points)
    low, high = np.array([0.0, 0.0]), np.array([10.0, 7.0])
    frame = rectangle(0, 0, 10, 7)
    a, b = ring, np.roll(ring, -1, axis=0)
    expected = []
    for p, q in zip(a, b):
        line = LineString([p, q])
        expected.append(frame.intersects(line) if touched else frame.covers(line))
        # a line that just grazes the box is either, by rounding
        if touched and abs(frame.boundary.distance(line)) < 1e-9 and not frame.buffer(-1e-9).intersects(line):
            return
    assert lines_in(a, b, low, high, touched).tolist() == expected
    pane = Polygon(ring)
    if pane.is_valid and pane.area > 1e-6:
        assert outline_in(ring, low, high, touched) == (
            frame.intersects(pane) if touched else frame.covers(pane)
        )


def test_groups_are_kept_undone_and_carried_over() -> None:
    base, revised = model(block()), model(renamed(block()))
    own = ["K000", "X000"]
    edit = KeepGroup("Corner", own)
    edit.apply(base)
    assert base.groups["Corner"] == own and base.log[-1].ids != ()
    carried = carry_over(base, revised)
    assert [x.status for x in carried.lines] == ["carried"]
    assert {revised.members[i].name for i in revised.groups["Corner"]} == set(own)
    edit.revert(base)
    assert "Corner" not in base.groups
    for wrong in (KeepGroup("", own), KeepGroup("x", ["nobody"]), KeepGroup("x", [])):
        with pytest.raises(EditError):
            wrong.apply(base)


def test_selecting_in_the_window(loft: Window, qtbot: QtBot) -> None:
    """By words, by a box, nodes by Shift and a click; kept as a group, inverted, taken again."""
    w = loft
    said: list[str] = []
    w.session.said.connect(said.append)
    act(w, qtbot, "view.words")
    fill(w, qtbot, w.select_desk.form, words="columns of Quay")
    columns = {m.id for m in model_of(w).members.values() if m.cls == "column" and m.storey == "Quay"}
    assert set(w.state.chosen("member")) == columns and said[-1] == f"Selected: {len(columns)} columns"
    w.select_desk.by_words("girders")
    assert "no class" in said[-1] and set(w.state.chosen("member")) == columns
    act(w, qtbot, "view.group")
    fill(w, qtbot, w.select_desk.form, name="Feet")
    assert not w.state.revisions[0].stale
    act(w, qtbot, "view.invert")
    assert not columns & set(w.state.chosen("member")) and len(w.state.chosen("member")) == len(
        model_of(w).members
    ) - len(columns)
    act(w, qtbot, "view.take_group")
    fill(w, qtbot, w.select_desk.form)
    assert set(w.state.chosen("member")) == columns
    # a box over the whole picture holds everything that is shown, a small one at a member's middle touches
    # that
    view = w.view.plotter.interactor
    w.look("plan")
    w.view.draw()
    end = QPoint(view.width() - 2, view.height() - 2)
    shift = Qt.KeyboardModifier.ShiftModifier
    before = tuple(w.view.plotter.camera.position)
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, shift, QPoint(1, 1))
    qtbot.mouseMove(view, end)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, shift, end)
    rested(qtbot, w)
    assert set(w.state.chosen("member")) == set(model_of(w).members)
    assert tuple(w.view.plotter.camera.position) == before  # the picture was not turned by it
    w.look("3d")
    w.view.draw()
    ident = named(w, "Loft B2-B3")
    at = place_of(w, ident)
    for button, there in ((Qt.MouseButton.LeftButton, False), (Qt.MouseButton.RightButton, True)):
        qtbot.mousePress(view, button, shift, at - QPoint(6, 6))
        qtbot.mouseRelease(view, button, shift, at + QPoint(6, 6))
        assert (ident in w.state.chosen("member")) == there
    node = model_of(w).members[ident].start
    p = w.view.canvas.to_screen(model_of(w).nodes[node].point[None])[0]
    click = QPoint(round(p[0]), round(view.height() - p[1]))
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, shift, click)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, shift, click)
    assert w.state.picked is not None and w.state.picked[0] == "node"
    found = w.view.canvas.to_screen(model_of(w).nodes[w.state.picked[1]].point[None])[0]
    assert np.linalg.norm(found[:2] - p[:2]) < 9


def test_shortcuts_are_changed_and_remembered(window: Window, qtbot: QtBot) -> None:
    """Another key, one taken from another command, one that desktops take, no key, and the usual one
    again."""
    w = window
    said: list[str] = []
    w.session.said.connect(said.append)

    def key(command: str) -> str:
        return w.actions_[command].shortcut().toString()

    assert not {"Ctrl+Alt+T", "Ctrl+Alt+L", "Ctrl+Alt+D"} & {key(c) for c in w.actions_}
    w.shortcuts.change("view.plan", "ctrl+shift+h")
    assert key("view.plan") == "Ctrl+Shift+H"
    w.shortcuts.change("view.south", "Ctrl+Shift+H")
    assert key("view.south") == "Ctrl+Shift+H" and key("view.plan") == "" and "taken from Plan" in said[-1]
    for wrong in ("Ctrl+Alt+T", "gibberish"):
        w.shortcuts.change("view.plan", wrong)
        assert key("view.plan") == "" and "nothing was changed" in said[-1]
    other = Window()
    qtbot.addWidget(other)
    assert other.actions_["view.south"].shortcut().toString() == "Ctrl+Shift+H"
    for command in ("view.plan", "view.south"):
        w.shortcuts.change(command, "as it was")
    assert (key("view.plan"), key("view.south")) == (
        "Ctrl+2",
        "Ctrl+3",
    ) and w.session.memory.shortcuts() == {}
    w.shortcuts.ask()
    form = w.shortcuts.form
    assert form is not None
    form.widgets["command"].setCurrentText("View: Plan")  # type: ignore[union-attr]
    fill(w, qtbot, form, key="F7")
    assert key("view.plan") == "F7"
