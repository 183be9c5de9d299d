"""Cells that are changed, pasted from a spreadsheet and filled down: one step of the undo, faults by row and
column."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QItemSelectionModel, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QLineEdit, QStyleOptionViewItem
from pytestqt.qtbot import QtBot

from rod_tally.desk.tables.cells import FIGURE_SPACE, PUNCTUATION_SPACE, same_cell
from rod_tally.desk.tables.editing import EDITABLE, Change, edits_of, number
from rod_tally.desk.tables.rows import Rows
from rod_tally.desk.tables.table_page import TablePage
from rod_tally.desk.window import Window
from rod_tally.model import Combination, LoadCase, Model
from rod_tally.model.edits import AddCases, EditError, SetCombinations
from rod_tally.model.units import LENGTH

from .desk_help import act, model_of, rested
from .frames import regular
from .plates import shell


def example() -> Model:
    m = regular()
    m.cases["G"] = LoadCase("G", "dead")
    m.cases["Q"] = LoadCase("Q", "live", category="B")
    m.combinations = [
        Combination("1", "ultimate", {"G": 1.35, "Q": 1.5}, "rule"),
        Combination("2", "service", {"G": 1.0}),
    ]
    shell(m, "slab", [(0, 0, 3.5), (6, 0, 3.5), (6, 5, 3.5), (0, 5, 3.5)], 0.2)
    return m


def applied(m: Model, table: str, *changes: tuple[str, str, str]) -> None:
    for edit in edits_of(table, m, [Change(*c, where="here") for c in changes]):
        edit.apply(m)


def test_each_column_makes_its_correction() -> None:
    m = example()
    a, b = list(m.members)[:2]
    applied(
        m,
        "members",
        (a, "Section", "HEB 200"),
        (b, "Section", "HE 200 B"),
        (a, "Material", "S235"),
        (a, "Release, end", "pinned"),
    )
    assert m.members[a].section == m.members[b].section == "HE 200 B"
    assert m.members[a].material == "S235" and m.members[a].release_end.words == "my mz"
    node = next(iter(m.nodes))
    applied(m, "nodes", (node, "Support", "ux uy uz=2e7"))
    assert m.nodes[node].support.words == "ux uy uz=2e7"
    applied(m, "surfaces", ("slab", "Thickness, mm", "250"), ("slab", "Material", "C30/37"))
    assert m.surfaces["slab"].thickness == pytest.approx(0.25)
    applied(m, "surfaces", ("slab", "Thickness, mm", "8 in"))
    assert m.surfaces["slab"].thickness == pytest.approx(0.2032)
    applied(m, "materials", ("S235", "E, GPa", "205"), ("S235", "density, kg/m³", "7,9 t/m3"))
    assert pytest.approx(205e9) == m.materials["S235"].E and m.materials["S235"].density == pytest.approx(
        7900
    )
    applied(m, "cases", ("Q", "Case", "Office"), ("Q", "Kind", "snow"), ("G", "Never together", "a"))
    assert (
        m.cases["Office"].kind == "snow" and m.cases["Office"].category == "" and m.cases["G"].together == "a"
    )
    applied(m, "combinations", ("1", "Factors", "1,2 G - 1.6 Office"), ("2", "Factors", "G + 0.3 Office"))
    assert [c.factors for c in m.combinations] == [{"G": 1.2, "Office": -1.6}, {"G": 1.0, "Office": 0.3}]
    assert m.combinations[0].rule == "" and m.combinations[0].kind == "ultimate"
    # cells of the grid
    applied(m, "combinations", ("1", "Office", "1,05"), ("2", "Office", ""), ("2", "G", "1.1"))
    assert [c.factors for c in m.combinations] == [{"G": 1.2, "Office": 1.05}, {"G": 1.1}]


@pytest.mark.parametrize(
    ("table", "key", "column", "text", "words"),
    [
        ("members", "", "Section", "IPE 305", "near to it"),
        ("members", "", "Material", "S234", "nor a grade"),
        ("members", "", "Release, end", "sideways", "none of"),
        ("members", "", "Length, m", "7", "cannot be changed"),
        ("nodes", "", "Support", "up", "none of"),
        ("surfaces", "slab", "Thickness, mm", "thick", "not a number"),
        ("surfaces", "slab", "Thickness, mm", "0", "none of a slab"),
        ("surfaces", "slab", "Thickness, mm", "20 kN", "does not measure"),
        ("materials", "S355", "E, GPa", "-3", "exceed zero"),
        ("cases", "Q", "Kind", "rain", "none of"),
        ("cases", "Q", "Case", " ", "needs a name"),
        ("combinations", "1", "Factors", "1.35 G + 1.5 W", "no load case 'W'"),
        ("combinations", "9", "Factors", "1.35 G", "rule set"),
        ("combinations", "9", "Q", "1.35", "rule set"),
        ("combinations", "1", "Q", "much", "no factor"),
        ("combinations", "1", "Q", "1e9", "no factor of a load"),
    ],
)
def test_what_cannot_stand_in_a_cell(table: str, key: str, column: str, text: str, words: str) -> None:
    m = example()
    own = key or next(iter(m.members if table == "members" else m.nodes))
    with pytest.raises(EditError, match=words) as error:
        edits_of(table, m, [Change(own, column, text, "row 3, column Section")])
    assert str(error.value).startswith("row 3, column Section: ")


def test_numbers_with_units_and_cells_that_are_the_same() -> None:
    assert number("1,5 m", "mm", LENGTH) == pytest.approx(1.5) == number("1500", "mm", LENGTH)
    assert number("12 ft", "mm", LENGTH) == pytest.approx(3.6576)
    assert (
        same_cell(" a", "a ")
        and same_cell("3.50", "3,5")
        and not same_cell("3.5", "3.6")
        and not same_cell("", "0")
    )


def page_of(w: Window, name: str) -> TablePage:
    w.tables.show_table(name)
    page = w.tables.front()
    assert page is not None and page.name == name
    return page


def cell(page: TablePage, row: int, title: str) -> object:
    return page.model.content.rows[row][page.model.content.columns.index(title)]


def go_to(page: TablePage, row: int, title: str, last: int | None = None) -> None:
    """Make a cell the current one, its row selected, and those down to `last`."""
    column = page.model.content.columns.index(title)
    page.table.setCurrentIndex(page.proxy.index(row, column))
    selection = page.table.selectionModel()
    assert selection is not None
    flags = QItemSelectionModel.SelectionFlag
    for k in range(row + 1, (last or row) + 1):
        selection.select(page.proxy.index(k, 0), flags.Select | flags.Rows)


def put(text: str) -> None:
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    clipboard.setText(text)


def test_a_cell_is_changed_by_double_click_and_taken_back(loft: Window, qtbot: QtBot) -> None:
    page = page_of(loft, "members")
    assert set(EDITABLE["members"]) == {
        t
        for t in page.model.content.columns
        if page.model.can_be_changed(page.model.content.columns.index(t))
    }
    before = cell(page, 0, "Section")
    go_to(page, 0, "Section")
    page.table.edit(page.table.currentIndex())
    line = page.table.findChild(QLineEdit)
    assert line is not None and line.text() == before
    line.setText("HE 300 B")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    qtbot.wait(50)  # the editor hands its text over once the key is dealt with
    rested(qtbot, loft)
    page = page_of(loft, "members")
    assert cell(page, 0, "Section") == "HE 300 B"
    act(loft, qtbot, "edit.undo")
    assert cell(page_of(loft, "members"), 0, "Section") == before


def test_cells_are_pasted_as_one_step(loft: Window, qtbot: QtBot) -> None:
    """Copied with their titles, changed in a spreadsheet, pasted where they were."""
    page = page_of(loft, "members")
    titles = page.model.content.columns
    rows = [[str(cell(page, k, t) or "") for t in titles[3:5]] for k in range(3)]
    sections = [r[0] for r in rows]
    rows[0][0], rows[2][0] = "HE 200 B", "IPE 300"
    count = loft.session.undo.count()
    go_to(page, 0, "Section")
    put("\n".join("\t".join(r) for r in [titles[3:5], *rows]) + "\n")
    page.paste()
    rested(qtbot, loft)
    page = page_of(loft, "members")
    assert [cell(page, k, "Section") for k in range(3)] == ["HE 200 B", sections[1], "IPE 300"]
    assert loft.session.undo.count() == count + 1
    act(loft, qtbot, "edit.undo")
    assert [cell(page_of(loft, "members"), k, "Section") for k in range(3)] == sections


def test_what_is_wrong_with_pasted_cells_is_said_and_nothing_changes(loft: Window, qtbot: QtBot) -> None:
    page = page_of(loft, "members")
    before = [list(r) for r in page.model.content.rows]
    go_to(page, 0, "Section")
    put("HE 200 B\nNo such 7\n")
    page.paste()
    assert "row 2, column Section" in loft.dialogs.message.text()
    loft.dialogs.message.close()
    go_to(page, 0, "Class")
    put("wall\n")
    page.paste()
    assert "cannot be changed" in loft.dialogs.message.text()
    loft.dialogs.message.close()
    said: list[str] = []
    page.said.connect(said.append)
    go_to(page, page.proxy.rowCount() - 1, "Section")
    put("a\nb\nc\n")
    page.paste()
    put("")
    page.paste()
    assert "only 1 are left" in said[0] and "holds no cells" in said[1]
    assert [list(r) for r in page_of(loft, "members").model.content.rows] == before


def test_fill_down_and_one_cell_for_many_rows(loft: Window, qtbot: QtBot) -> None:
    page = page_of(loft, "members")
    first = cell(page, 0, "Section")
    go_to(page, 0, "Section", 4)
    page.fill_down()
    rested(qtbot, loft)
    page = page_of(loft, "members")
    assert {cell(page, k, "Section") for k in range(5)} == {first}
    go_to(page, 0, "Material", 4)
    put("S235\n")
    page.paste()
    rested(qtbot, loft)
    page = page_of(loft, "members")
    assert {cell(page, k, "Material") for k in range(5)} == {"S235"}
    model = model_of(loft)
    assert sum(m.material == "S235" for m in model.members.values()) >= 5


def test_a_sorted_table_changes_the_row_that_is_seen(loft: Window, qtbot: QtBot) -> None:
    page = page_of(loft, "members")
    page.table.sortByColumn(0, Qt.SortOrder.DescendingOrder)
    shown = page.proxy.index(0, 0).data()
    go_to(page, 0, "Section")
    put("HE 260 B")
    page.paste()
    rested(qtbot, loft)
    model = model_of(loft)
    assert [m.name for m in model.members.values() if m.section == "HE 260 B"] == [shown]


def test_factors_in_a_grid_of_cases(loft: Window, qtbot: QtBot) -> None:
    """A column for each case; an empty cell takes a case in, and out again."""
    review = loft.state.review
    assert review is not None
    names = [next(iter(review.model.cases)), "Q"]
    loft.session.correct(AddCases([{"name": "Q", "kind": "live", "loads": []}]))
    rested(qtbot, loft)
    loft.session.correct(SetCombinations([{"name": "C1", "kind": "strength", "factors": {names[0]: 1.35}}]))
    rested(qtbot, loft)
    page = page_of(loft, "combinations")
    page.choice.setCurrentText("by cases")
    page.choice.textActivated.emit("by cases")
    rested(qtbot, loft)
    columns = page.model.content.columns
    assert columns[:2] == ["Combination", "Kind"] and set(names) <= set(columns)
    assert cell(page, 0, names[0]) == "1.35" and not cell(page, 0, names[1])
    assert page.model.can_be_changed(columns.index(names[1])) and not page.model.can_be_changed(0)
    go_to(page, 0, names[1])
    put("1.5")
    page.paste()
    rested(qtbot, loft)
    assert loft.state.review is not None
    assert loft.state.review.model.combinations[0].factors == {names[0]: 1.35, names[1]: 1.5}


def test_numbers_of_a_column_stand_with_their_points_under_each_other(qtbot: QtBot) -> None:
    page = TablePage("reactions")
    qtbot.addWidget(page)
    values = [1234.5, 12.25, 0.0, 999.9996, None, -0.125]
    page.fill(Rows(["Node", "Fz, kN", "count"], rows=[[str(k), v, k] for k, v in enumerate(values)]))
    metrics = page.table.fontMetrics()
    behind = set()
    for row, value in enumerate(values):
        option = QStyleOptionViewItem()
        page.cells.initStyleOption(option, page.proxy.index(row, 1))
        text = option.text or ""
        if value is None:
            assert text == ""
            continue
        whole = text.strip(FIGURE_SPACE + PUNCTUATION_SPACE).split(".")[0]
        behind.add(metrics.horizontalAdvance(text[len(whole) :]))
    assert max(behind) - min(behind) <= 1  # a pixel
    plain = QStyleOptionViewItem()
    page.cells.initStyleOption(plain, page.proxy.index(3, 2))
    assert plain.text == "3"
