"""One table: its rows as a model, filtered and sorted, with its own line above it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

from PyQt6.QtCore import QItemSelectionModel, QModelIndex, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from ..one_line import OneLine
from .cells import Cells, RowsModel, RowsProxy, aligned, same_cell, shown
from .editing import EDITABLE, Change, key_of, plain_title
from .rows import Pick, Rows

WIDEST = 560  # px of a column, where there is no room for more


class TablePage(QWidget):
    """One table with its filter line and its count."""

    picked = pyqtSignal(object, int)
    several = pyqtSignal(object)
    changed = pyqtSignal(object)  # list of Change
    said = pyqtSignal(str)
    shown_alone = pyqtSignal(object, str)
    menu_asked = pyqtSignal(QPoint)  # at a place of the screen, for what is picked

    def __init__(self, name: str, choices: tuple[str, ...] = ()) -> None:
        super().__init__()
        self.name = name
        self.choice = QComboBox()
        self.choice.addItems(list(choices))
        if not choices:  # one that is shown here would be a window until it has a parent
            self.choice.hide()
        self.choice.setFixedWidth(150)
        self.model = RowsModel(EDITABLE.get(name, ()))
        self.model.edited.connect(self._edited)
        self.proxy = RowsProxy()
        self.proxy.setSourceModel(self.model)
        self.table = QTableView()
        self.table.setModel(self.proxy)
        self.cells = Cells(self.table)
        self.table.setItemDelegate(self.cells)
        self.table.setAccessibleName(f"Table: {name.replace('_', ' ')}")
        self.table.setSortingEnabled(True)
        self.table.horizontalHeader().setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        triggers = QAbstractItemView.EditTrigger
        self.table.setEditTriggers(
            triggers.DoubleClicked | triggers.EditKeyPressed if name in EDITABLE else triggers.NoEditTriggers
        )
        self.table.setWordWrap(False)
        self.widths: dict[str, int] = {}  # of columns that somebody has drawn, by title
        self._sizing = True
        self.table.horizontalHeader().sectionResized.connect(self._resized)
        vertical = self.table.verticalHeader()
        assert vertical is not None
        vertical.hide()
        vertical.setDefaultSectionSize(22)
        vertical.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter")
        self.filter.setClearButtonEnabled(True)
        self.filter.setFixedWidth(210)
        self.count = OneLine()
        self.count.setObjectName("muted")
        top = QHBoxLayout()
        top.setContentsMargins(8, 3, 8, 3)
        top.setSpacing(10)
        top.addWidget(self.filter)
        if choices:
            top.addWidget(self.choice)
        top.addWidget(self.count, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(top)
        layout.addWidget(self.table)
        self.filter.textChanged.connect(self._filtered)
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentRowChanged.connect(self._current)
        selection.selectionChanged.connect(lambda *_: self._several())
        self.table.clicked.connect(self._makers)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(self._menu)
        QShortcut(
            QKeySequence.StandardKey.Copy, self.table, self.copy, context=Qt.ShortcutContext.WidgetShortcut
        )
        if name in EDITABLE:
            for keys, call in (
                (QKeySequence.StandardKey.Paste, self.paste),
                (QKeySequence("Shift+F2"), self.fill_down),
            ):
                QShortcut(keys, self.table, call, context=Qt.ShortcutContext.WidgetShortcut)
        self._telling = False

    def propose(self, choices: Callable[[str], Sequence[str]]) -> None:
        """While a cell is changed, propose what `choices` gives for its column."""
        self.cells.choices = lambda column: choices(self.model.content.columns[column])

    def _menu(self, at: QPoint) -> None:
        """The menu of the row under the pointer, which is picked, or of the rows that are selected."""
        index, viewport = self.table.indexAt(at), self.table.viewport()
        if viewport is None:
            return
        if index.isValid() and index.row() not in self._chosen_rows():
            self.table.setCurrentIndex(index)
        self.menu_asked.emit(viewport.mapToGlobal(at))

    def _change(self, row: int, column: int, text: str, where: str) -> Change:
        """`row` is of the rows as they are, not as they are sorted."""
        content = self.model.content
        return Change(
            key_of(self.name, content.rows[row], content.picks[row]), content.columns[column], text, where
        )

    def first_row(self) -> list[object] | None:
        """Return the values of the picked row; None where none is picked."""
        selection = self.table.selectionModel()
        rows = selection.selectedRows() if selection is not None else []
        return list(self.model.content.rows[self.proxy.mapToSource(rows[0]).row()]) if rows else None

    def _edited(self, row: int, column: int, text: str) -> None:
        where = f"{self.model.content.rows[row][0]}, {self.model.content.columns[column]}"
        self.changed.emit([self._change(row, column, text, where)])

    def paste(self) -> None:
        """Cells from the clipboard, from the current cell on: rows as they are shown, columns from that one
        on. A cell of a column that cannot be changed must be as it is."""
        clipboard, current = QGuiApplication.clipboard(), self.table.currentIndex()
        text = clipboard.text() if clipboard is not None else ""
        lines = [line.split("\t") for line in text.rstrip("\n").split("\n")] if text.strip() else []
        if not lines or not current.isValid():
            self.said.emit(
                "Click the cell where the copied cells begin, then paste"
                if lines
                else "The clipboard holds no cells"
            )
            return
        columns = self.model.content.columns
        if [c.strip() for c in lines[0]] == columns[current.column() : current.column() + len(lines[0])]:
            lines = lines[1:]  # the titles came along
        chosen = self._chosen_rows()
        if len(lines) == 1 and len(chosen) > 1:
            lines = lines * len(chosen)  # one row for all that are selected
            rows = chosen
        else:
            rows = list(range(current.row(), current.row() + len(lines)))
        if rows and rows[-1] >= self.proxy.rowCount():
            self.said.emit(
                f"The clipboard has {len(lines)} rows, and only {self.proxy.rowCount() - rows[0]} are left from this one on"
            )
            return
        changes = []
        for n, (at, cells) in enumerate(zip(rows, lines), 1):
            for k, cell in enumerate(cells):
                column = current.column() + k
                if column >= len(columns):
                    self.said.emit(
                        f"Row {n} has {len(cells)} cells, and only {len(columns) - current.column()} columns are left from this one on"
                    )
                    return
                index = self.proxy.mapToSource(self.proxy.index(at, column))
                now = self.model.data(index, Qt.ItemDataRole.EditRole)
                if same_cell(cell, str(now)):
                    continue
                changes.append(self._change(index.row(), column, cell, f"row {n}, column {columns[column]}"))
        if changes:
            self.changed.emit(changes)
        else:
            self.said.emit("Nothing differs from what stands there")

    def fill_down(self) -> None:
        """The current cell's text into that column of all selected rows."""
        current = self.table.currentIndex()
        if not current.isValid() or not self.model.can_be_changed(current.column()):
            self.said.emit("Click a cell of a column that can be changed, in the first of the selected rows")
            return
        source = self.proxy.mapToSource(current)
        text = str(self.model.data(source, Qt.ItemDataRole.EditRole))
        title = self.model.content.columns[current.column()]
        changes = []
        for row in self._chosen_rows():
            index = self.proxy.mapToSource(self.proxy.index(row, current.column()))
            if str(self.model.data(index, Qt.ItemDataRole.EditRole)) != text:
                name = self.model.content.rows[index.row()][0]
                changes.append(self._change(index.row(), current.column(), text, f"{name}, {title}"))
        if changes:
            self.changed.emit(changes)

    def _chosen_rows(self) -> list[int]:
        """Selected rows as they are shown, from the top."""
        selection = self.table.selectionModel()
        return sorted(i.row() for i in selection.selectedRows()) if selection is not None else []

    def fill(self, content: Rows) -> None:
        self._telling = True
        first = not self.model.content.columns
        picked = self._picked_rows()
        self.model.fill(content)
        self._pick_again(picked)
        self._telling = False
        self._count()
        if first or len(content.rows) < 400:
            self._widths()

    def _picked_rows(self) -> list[tuple[tuple[object, object], int, int]]:
        """Return what each picked row is of (a pick and a name), the number of it among all such rows, and
        how many these are."""
        if self.name == "findings":  # whose rows have no name; the state keeps the finding
            return []
        rows = [self.proxy.mapToSource(self.proxy.index(r, 0)).row() for r in self._chosen_rows()]
        keys = self._keys() if rows else []
        numbers, counts = [], Counter[tuple[object, object]]()
        for key in keys:
            numbers.append(counts[key])
            counts[key] += 1
        return [(keys[r], numbers[r], counts[keys[r]]) for r in rows]

    def _keys(self) -> list[tuple[object, object]]:
        return [(pick, row[0]) for pick, row in zip(self.model.content.picks, self.model.content.rows)]

    def _pick_again(self, was: list[tuple[tuple[object, object], int, int]]) -> None:
        """Pick the same rows of new content: results that come later fill a table anew, and a surface has
        several cuts, a member several places."""
        selection = self.table.selectionModel()
        if not was or selection is None:
            return
        places: dict[tuple[object, object], list[int]] = {}
        for k, key in enumerate(self._keys()):
            places.setdefault(key, []).append(k)
        flags = QItemSelectionModel.SelectionFlag
        for key, number, count in was:
            rows = places.get(key, [])
            index = (
                self.proxy.mapFromSource(self.model.index(rows[number], 0)) if len(rows) == count else None
            )
            if index is not None and index.isValid():
                selection.setCurrentIndex(index, flags.Select | flags.Rows)

    def _resized(self, column: int, _before: int, now: int) -> None:
        """Somebody drew a column wider or narrower: it stays so."""
        last = len(self.model.content.columns) - 1
        stretched = column == last and self.table.horizontalHeader().stretchLastSection()
        if not self._sizing and column <= last and not stretched:
            self.widths[self.model.content.columns[column]] = now

    def _widths(self) -> None:
        self._sizing = True
        header = self.table.horizontalHeader()
        assert header is not None
        header.setHighlightSections(False)
        metrics = self.table.fontMetrics()
        content = self.model.content
        header.setStretchLastSection(not self.model.is_number(len(content.columns) - 1))
        wanted, given = [], []
        for k, title in enumerate(content.columns):
            texts = [title, *(aligned(shown(row[k]), self.model.decimals(k)) for row in content.rows[:300])]
            wanted.append(max(metrics.horizontalAdvance(t) for t in texts) + 22)
            given.append(self.widths.get(title) or min(wanted[-1], WIDEST))
        # what a wide screen leaves goes to the texts that are cut
        viewport = self.table.viewport()
        room = (viewport.width() if viewport is not None else 0) - sum(given)
        for k in sorted(range(len(given)), key=lambda k: given[k] - wanted[k]):
            if content.columns[k] not in self.widths and room > 0:
                more = min(room, max(wanted[k] - given[k], 0))
                given[k], room = given[k] + more, room - more
        for k, width in enumerate(given):
            self.table.setColumnWidth(k, width)
        self._sizing = False

    def _filtered(self, text: str) -> None:
        self.proxy.setFilterRegularExpression(text.replace("\\", ""))
        self._count()

    def _count(self) -> None:
        total, here = self.model.rowCount(), self.proxy.rowCount()
        text = f"{here} of {total}" if here != total else f"{total} rows" if total != 1 else "1 row"
        titles = {plain_title(c) for c in self.model.content.columns}
        columns = [c for c in EDITABLE.get(self.name, ()) if c in titles]
        names = [*columns, *(["factors"] if self.model.content.changeable else [])]
        change = f"double-click or F2 changes {', '.join(names)}" if names and total else ""
        self.count.setText(" · ".join(p for p in (text, self.model.content.note, change) if p))

    def _current(self, now: QModelIndex) -> None:
        if self._telling or not now.isValid():
            return
        row = self.proxy.mapToSource(now).row()
        self.picked.emit(self.model.content.picks[row], row)

    def _several(self) -> None:
        """Report more than one selected row."""
        selection = self.table.selectionModel()
        if self._telling or selection is None:
            return
        rows = [self.proxy.mapToSource(i).row() for i in selection.selectedRows()]
        picks = [self.model.content.picks[r] for r in rows]
        if len(rows) > 1:
            self.several.emit([p for p in picks if p is not None])

    def _makers(self, index: QModelIndex) -> None:
        """Show what makes the clicked row."""
        row = self.proxy.mapToSource(index).row()
        makers = self.model.content.makers[row]
        if makers:
            self.shown_alone.emit(set(makers), str(self.model.content.rows[row][0]))

    def point_at(self, pick: Pick) -> None:
        """Select the row of a picked thing and bring it into view, without telling anybody."""
        current = self.proxy.mapToSource(self.table.currentIndex())
        picks = self.model.content.picks
        if current.isValid() and current.row() < len(picks) and picks[current.row()] == pick:
            return
        self._telling = True
        if pick is None or pick in picks:
            self.table.clearSelection()
        if pick is not None and pick in self.model.content.picks:
            index = self.proxy.mapFromSource(self.model.index(self.model.content.picks.index(pick), 0))
            if index.isValid():
                self.table.setCurrentIndex(index)
                self.table.scrollTo(index)
        self._telling = False

    def shown_rows(self) -> tuple[list[str], list[list[object]]]:
        """Titles and rows as they are filtered and sorted."""
        order = [self.proxy.mapToSource(self.proxy.index(k, 0)).row() for k in range(self.proxy.rowCount())]
        return self.model.content.columns, [self.model.content.rows[k] for k in order]

    def copy(self) -> None:
        """Selected rows (all when none is selected) to the clipboard, with titles, for a spreadsheet."""
        selection = self.table.selectionModel()
        assert selection is not None
        rows = sorted(i.row() for i in selection.selectedRows()) or range(self.proxy.rowCount())
        lines = ["\t".join(self.model.content.columns)]
        for row in rows:
            source = self.proxy.mapToSource(self.proxy.index(row, 0)).row()
            values = self.model.content.rows[source]
            lines.append(
                "\t".join("" if v is None else repr(v) if isinstance(v, float) else str(v) for v in values)
            )
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText("\n".join(lines))
