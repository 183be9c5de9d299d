"""Long lists of forms: narrowed by typing, families together, no taller than a screen."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox
from pytestqt.qtbot import QtBot

from rod_tally.desk.forms.form import LISTED, Field, Form
from rod_tally.desk.making.made_of import by_family
from rod_tally.desk.window import Window


def test_the_family_of_what_is_there_comes_first_and_families_stay_together() -> None:
    names = ["IPE 80", "IPE 100", "HE 100 A", "UPN 80", "HE 120 A", "IPE 120"]
    assert by_family(names, "HE 200 B")[:2] == ["HE 100 A", "HE 120 A"]
    assert by_family(names, "") == ["IPE 80", "IPE 100", "IPE 120", "HE 100 A", "HE 120 A", "UPN 80"]
    assert sorted(by_family(names, "own thing")) == sorted(names)


def test_letters_anywhere_in_a_name_narrow_a_list(window: Window, qtbot: QtBot) -> None:
    names = [f"IPE {k}" for k in range(80, 600, 20)] + [f"HE {k} B" for k in range(100, 400, 20)]
    given: list[dict[str, object]] = []
    form = Form(
        window, "Section", "one", [Field("section", "section", "IPE 80", names, free=True)], given.append
    )
    qtbot.addWidget(form)
    box = form.widgets["section"]
    assert isinstance(box, QComboBox) and box.maxVisibleItems() == LISTED
    finder = box.completer()
    assert finder is not None
    finder.setCompletionPrefix("0 b")
    assert finder.completionCount() == sum("0 B" in n for n in names)
    form.show()
    box.setFocus()
    line = box.lineEdit()
    assert line is not None
    line.selectAll()
    qtbot.keyClicks(line, "HE 120 B")
    qtbot.keyClick(line, Qt.Key.Key_Escape)
    form.accept()
    assert given == [{"section": "HE 120 B"}]
