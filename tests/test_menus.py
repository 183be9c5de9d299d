"""Menus: what can be used now, the rest by what it needs; the menu of what is picked."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from rod_tally.desk.commands.command import NEEDS
from rod_tally.desk.commands.registry import COMMANDS, MENUS
from rod_tally.desk.menus import FIRST, GROUPS, LAST
from rod_tally.desk.window import Window


def titles(menu: QMenu) -> list[str]:
    """Of all that is seen in a menu and in those inside of it."""
    out = []
    for action in menu.actions():
        if not action.isVisible() or action.isSeparator():
            continue
        inner = action.menu()
        out += [action.text(), *(titles(inner) if isinstance(inner, QMenu) else [])]
    return out


def shown(w: Window, name: str) -> QMenu:
    bar = w.menuBar()
    assert bar is not None
    menu = next(a.menu() for a in bar.actions() if a.text() == f"&{name}")
    assert isinstance(menu, QMenu)
    menu.aboutToShow.emit()
    return menu


def test_groups_name_commands_of_one_menu_each() -> None:
    known = {c.id: c.menu for c in COMMANDS}
    every = [i for ids in GROUPS.values() for i in ids]
    assert len(set(every)) == len(every) and {*every, *FIRST, *LAST} <= set(known)
    for title, ids in GROUPS.items():
        assert len({known[i] for i in ids}) == 1, title


@pytest.mark.parametrize("pick", [False, True])
def test_every_command_is_in_its_menu_usable_or_with_what_it_needs(loft: Window, pick: bool) -> None:
    model = loft.state.review.model  # type: ignore[union-attr]
    beam = next(i for i, m in model.members.items() if m.cls == "beam")
    loft.state.pick("member" if pick else None, beam if pick else "")
    for name in MENUS:
        seen = titles(shown(loft, name))
        for c in COMMANDS:
            if c.menu == name:
                assert seen.count(c.title) == 1, (c.id, seen)
    seen = titles(shown(loft, "Model"))
    assert ("With selected members: 15 more" in seen) != pick
    assert any(s.startswith("With selected slabs or walls") for s in seen)
    shown(loft, "Model")  # again: nothing is there twice
    assert titles(shown(loft, "Model")).count("Releases…") == 1


def test_without_a_model_what_needs_one_says_so(window: Window) -> None:
    seen = titles(shown(window, "Model"))
    assert any(s.startswith("With a model: ") for s in seen)
    assert window.actions_["file.take_in"].isVisible() and not window.actions_["model.delete"].isVisible()


def test_a_hidden_commands_shortcut_works_as_soon_as_it_can_be_used(loft: Window, qtbot: QtBot) -> None:
    assert not loft.actions_["view.isolate"].isVisible()
    model = loft.state.review.model  # type: ignore[union-attr]
    loft.state.pick("member", next(iter(model.members)))
    assert loft.actions_["view.isolate"].isVisible() and loft.actions_["view.isolate"].isEnabled()


def test_the_menu_of_what_is_picked(loft: Window) -> None:
    assert loft.menus.of_picked() is None
    review = loft.state.review
    assert review is not None
    beams = [m for m in review.model.members.values() if m.cls == "beam"]
    loft.state.pick("member", beams[0].id)
    menu = loft.menus.of_picked()
    assert menu is not None
    seen = titles(menu)
    assert seen[0] == f"beam {beams[0].name}" and seen[1:3] == ["Take me there", "Member diagrams"]
    assert "Releases…" in seen and "Line supports on edges…" not in seen and seen[-1] == "Delete selection"
    slab = next(s.id for s in review.model.surfaces.values() if not s.upright)
    loft.state.select([("member", beams[0].id), ("member", beams[1].id), ("surface", slab)])
    menu = loft.menus.of_picked()
    assert menu is not None
    seen = titles(menu)
    assert (
        seen[0] == "2 beams, 1 slab" and "Line supports on edges…" in seen and "Member diagrams" not in seen
    )


def test_the_right_button_picks_and_asks(loft: Window, qtbot: QtBot) -> None:
    page = loft.tables.pages["members"]
    loft.tables.show_table("members")
    QApplication.processEvents()
    at = page.table.visualRect(page.proxy.index(2, 0)).center()
    asked: list[QPoint] = []
    loft.tables.menu_asked.connect(asked.append)
    page.table.customContextMenuRequested.emit(at)
    assert loft.state.picked == (
        "member",
        page.model.content.picks[page.proxy.mapToSource(page.proxy.index(2, 0)).row()][1],
    )
    assert len(asked) == 1 and loft.menus.opened is not None
    loft.menus.opened.close()
    # several rows that are selected stay so
    page.table.selectAll()
    count = len(loft.state.selected)
    page.table.customContextMenuRequested.emit(at)
    assert len(loft.state.selected) == count > 1
    assert loft.menus.opened is not None
    loft.menus.opened.close()


def test_in_the_view_too(loft: Window, qtbot: QtBot) -> None:
    picking, view = loft.view.picking, loft.view
    qtbot.waitUntil(lambda: view.scene is not None, timeout=5000)
    line = view.canvas.to_screen(view.scene.lines[0].mean(axis=0)[None])[0]
    ratio, height = view.devicePixelRatioF(), view.plotter.render_window.GetSize()[1]
    place = QPoint(int(line[0] / ratio), int((height - line[1]) / ratio))
    asked: list[QPoint] = []
    picking.menu_asked.connect(asked.append)
    qtbot.mouseClick(view.plotter.interactor, Qt.MouseButton.RightButton, pos=place)
    assert asked and loft.state.picked is not None
    assert loft.menus.opened is not None
    loft.menus.opened.close()


def test_what_is_needed_is_said_in_words() -> None:
    assert all(words for words in NEEDS.values()) and len(set(NEEDS.values())) == len(NEEDS)
