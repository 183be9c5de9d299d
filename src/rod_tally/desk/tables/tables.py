"""The tables below the view: sorted, filtered, copied; a row and the view point at each other."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QSortFilterProxyModel, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QGuiApplication, QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QMenu,
    QTableView,
    QTabWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ...review.tallies.takeoff import BY
from ..pages.before_after import ParityPlot
from ..quantities import METRIC, UnitSet
from ..session.state import DeskState
from ..theme import MUTED, OCHRE, RUST
from .load_rows import PAGES
from .registry import ASPECTS, STEP_TABLES, TABLES
from .review_rows import log_rows
from .rows import Pick, Rows

MARK_COLOUR = {"■": RUST, "▲": OCHRE, "●": MUTED}


class RowsModel(QAbstractTableModel):
    """Rows as Qt wants them; numbers sort as numbers."""

    def __init__(self) -> None:
        super().__init__()
        self.content = Rows([])

    def fill(self, content: Rows) -> None:
        self.beginResetModel()
        self.content = content
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008  (Qt's own signature)
        return 0 if parent.isValid() else len(self.content.rows)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.content.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self.content.columns[section]
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if self.is_number(section) else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        return None

    def is_number(self, column: int) -> bool:
        """Whether the first value that a column holds is a number."""
        first = next((row[column] for row in self.content.rows[:300] if row[column] is not None), None)
        return isinstance(first, (int, float))

    def data(self, index: QModelIndex, role: int = 0) -> object:
        value = self.content.rows[index.row()][index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return shown(value)
        if role == Qt.ItemDataRole.UserRole:
            return value
        if role == Qt.ItemDataRole.TextAlignmentRole and isinstance(value, (int, float)):
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole and value in MARK_COLOUR:
            return QColor(MARK_COLOUR[str(value)])
        if role == Qt.ItemDataRole.ToolTipRole:
            return self.content.tips[index.row()] or None
        return None


def shown(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, float):
        if abs(value) < 5e-4:
            return "0"
        return f"{value:.3f}" if abs(value) < 1000 else f"{value:.1f}"
    return str(value)


class RowsProxy(QSortFilterProxyModel):
    """Filter on any column, sort by value with absent ones last."""

    def filterAcceptsRow(self, row: int, parent: QModelIndex) -> bool:
        text = self.filterRegularExpression().pattern().lower()
        if not text:
            return True
        source = self.sourceModel()
        assert isinstance(source, RowsModel)
        return any(text in shown(v).lower() for v in source.content.rows[row])

    def lessThan(self, left: QModelIndex, right: QModelIndex) -> bool:
        a, b = left.data(Qt.ItemDataRole.UserRole), right.data(Qt.ItemDataRole.UserRole)
        if isinstance(a, (int, float)) and isinstance(b, (int, float)):
            return bool(a < b)
        if a is None or b is None:
            return a is not None
        return str(a) < str(b)


class TablePage(QWidget):
    """One table with its filter line and its count."""

    picked = pyqtSignal(object, int)
    several = pyqtSignal(object)
    shown_alone = pyqtSignal(object, str)

    def __init__(self, name: str, choices: tuple[str, ...] = ()) -> None:
        super().__init__()
        self.name = name
        self.choice = QComboBox()
        self.choice.addItems(list(choices))
        self.choice.setVisible(bool(choices))
        self.choice.setFixedWidth(150)
        self.model = RowsModel()
        self.proxy = RowsProxy()
        self.proxy.setSourceModel(self.model)
        self.table = QTableView()
        self.table.setModel(self.proxy)
        self.table.setSortingEnabled(True)
        self.table.horizontalHeader().setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setWordWrap(False)
        vertical = self.table.verticalHeader()
        assert vertical is not None
        vertical.hide()
        vertical.setDefaultSectionSize(22)
        vertical.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter")
        self.filter.setClearButtonEnabled(True)
        self.filter.setFixedWidth(210)
        self.count = QLabel()
        self.count.setObjectName("muted")
        top = QHBoxLayout()
        top.setContentsMargins(8, 3, 8, 3)
        top.setSpacing(10)
        top.addWidget(self.filter)
        if choices:
            top.addWidget(self.choice)
        top.addWidget(self.count)
        top.addStretch()
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
        QShortcut(QKeySequence.StandardKey.Copy, self.table, self.copy, context=Qt.ShortcutContext.WidgetShortcut)
        self._telling = False

    def fill(self, content: Rows) -> None:
        self._telling = True
        first = not self.model.content.columns
        self.model.fill(content)
        self._telling = False
        self._count()
        if first or len(content.rows) < 400:
            self._widths()

    def _widths(self) -> None:
        header = self.table.horizontalHeader()
        assert header is not None
        header.setHighlightSections(False)
        metrics = self.table.fontMetrics()
        content = self.model.content
        header.setStretchLastSection(not self.model.is_number(len(content.columns) - 1))
        for k, title in enumerate(content.columns):
            texts = [title, *(shown(row[k]) for row in content.rows[:300])]
            widest = max(metrics.horizontalAdvance(t) for t in texts)
            self.table.setColumnWidth(k, min(widest + 22, 560))

    def _filtered(self, text: str) -> None:
        self.proxy.setFilterRegularExpression(text.replace("\\", ""))
        self._count()

    def _count(self) -> None:
        total, here = self.model.rowCount(), self.proxy.rowCount()
        text = f"{here} of {total}" if here != total else f"{total} rows" if total != 1 else "1 row"
        self.count.setText(" · ".join(p for p in (text, self.model.content.note) if p))

    def _current(self, now: QModelIndex) -> None:
        if self._telling or not now.isValid():
            return
        row = self.proxy.mapToSource(now).row()
        self.picked.emit(self.model.content.picks[row], row)

    def _several(self) -> None:
        """Tell of more than one selected row."""
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
            lines.append("\t".join("" if v is None else repr(v) if isinstance(v, float) else str(v) for v in values))
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText("\n".join(lines))


class Tables(QTabWidget):
    """All tables; the one in front is filled, the others when they come to the front. `said`: a line for the status bar."""

    said = pyqtSignal(str)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.units: UnitSet = METRIC
        self.setDocumentMode(True)
        by = ("overview", *(f"by {k}" for k in BY), *PAGES)
        choices = {"tally": by} | {name: tuple(own) for name, own in ASPECTS.items()}
        self.pages = {name: TablePage(name, choices.get(name, ())) for name in (*TABLES, "log")}
        self.pages["tally"].choice.textActivated.connect(self._tally_by)
        for name in ASPECTS:
            self.pages[name].choice.textActivated.connect(lambda _text, n=name: self.renew({n}))
        for name, page in self.pages.items():
            self.addTab(page, TABLES[name][0] if name in TABLES else "Transfer log")
            page.picked.connect(lambda pick, row, n=name: self._picked(n, pick, row))
            page.several.connect(state.select)
            page.shown_alone.connect(self._alone)
        self.parity = ParityPlot(state)
        self.addTab(self.parity, "Before, after")
        self._old: set[str] = set(self.pages)
        self.all_shown = False
        self.more = QToolButton()
        self.more.setText("More tables")
        self.more.setAccessibleName("More tables")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setMenu(QMenu(self.more))
        self.more.menu().aboutToShow.connect(self._fill_more)
        self.setCornerWidget(self.more)
        self._of_step()
        self.currentChanged.connect(self._front)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self._front)
        state.revision_changed.connect(self.renew)
        state.decided.connect(lambda: self.renew({"findings", "cases", "ready"}))
        state.overlay_changed.connect(
            lambda: self.renew(
                {"forces", "envelope", "storeys", "surface_forces", "cuts", "reactions", "displacements"}
                | ({"loads"} if self.pages["loads"].choice.currentIndex() else set())
                | ({"tally"} if state.tally_by in PAGES else set())
            )
        )
        state.picked_changed.connect(self._follow)
        state.picked_changed.connect(self._point)
        state.step_changed.connect(self._step)
        self.renew()

    def renew(self, names: set[str] | None = None) -> None:
        """These tables (all when none are named) no longer hold."""
        self._old |= names or set(self.pages)
        revision = self.state.revision
        count = len([f for f in revision.open_findings() if f.severity != "note"]) if revision else 0
        self.setTabText(0, f"Findings {count}" if count else "Findings")
        self._later.start()

    def _front(self) -> None:
        page = self.currentWidget()
        if isinstance(page, TablePage) and page.name in self._old:
            self._old.discard(page.name)
            page.fill(self._rows(page))
            self._point()

    def _rows(self, page: TablePage) -> Rows:
        if page.name == "log":
            return log_rows(self.state.review)
        aspects = ASPECTS.get(page.name)
        make = aspects[page.choice.currentText()] if aspects else TABLES[page.name][1]
        return make(self.state, self.units)

    def _follow(self) -> None:
        """The forces at a node are those of the picked one; a member picked from among them leaves them as they are."""
        picked = self.state.picked
        if picked is not None and picked[0] == "node" and self.pages["reactions"].choice.currentIndex() == 1:
            self.renew({"reactions"})
        front = self.currentWidget()
        # a row of the table itself that is picked must not empty the table
        if front is not self.pages["forces"] and self.pages["forces"].choice.currentIndex() > 1:
            self.renew({"forces"})

    def _picked(self, name: str, pick: Pick, row: int) -> None:
        review = self.state.review
        if name == "findings" and review is not None:
            self.state.pick_finding(review.findings[row])
        elif pick is not None and pick[0] == "case":
            self.state.set_view(case=pick[1])
        elif pick is not None and pick[0] == "mode":
            self.state.set_view(mode=int(pick[1]), overlay="modes")
        elif pick is not None and pick[0] == "origin":
            self.state.set_view(origin="" if self.state.origin == pick[1] else pick[1])
        elif pick is not None:
            self.state.pick(*pick)

    def _tally_by(self, text: str) -> None:
        self.state.tally_by = text.removeprefix("by ")
        self.renew({"tally"})

    def _alone(self, ids: set[str], name: str) -> None:
        self.state.isolate(ids)
        self.said.emit(f"{name}: {len(ids)} parts shown alone; Ctrl+Shift+I shows everything again")

    def _point(self) -> None:
        page = self.currentWidget()
        if not isinstance(page, TablePage) or page.name in self._old:
            return
        review = self.state.review
        if page.name == "findings" and self.state.finding is not None and review is not None:
            return
        if len(self.state.selected) > 1:
            return  # the rows are selected as they are
        page.point_at(self.state.picked)

    def _step(self) -> None:
        self._of_step()
        self.show_table(self.state.step.table)

    def _named(self) -> dict[str, QWidget]:
        return {**self.pages, "parity": self.parity}

    def _of_step(self) -> None:
        """Show the tabs of the step, or all of them; what is in front stays in front."""
        wanted = {"findings", *STEP_TABLES.get(self.state.step.name, ())}
        for name, page in self._named().items():
            self.setTabVisible(self.indexOf(page), self.all_shown or name in wanted)

    def show_all_tables(self) -> None:
        """All tabs at once, or those of the step again."""
        self.all_shown = not self.all_shown
        front = self.currentWidget()
        self._of_step()
        if front is not None and self.isTabVisible(self.indexOf(front)):
            self.setCurrentWidget(front)
        else:
            self.show_table(self.state.step.table)

    def _fill_more(self) -> None:
        menu = self.more.menu()
        assert menu is not None
        menu.clear()
        for page in self._named().values():
            if not self.isTabVisible(self.indexOf(page)):
                action = menu.addAction(self.tabText(self.indexOf(page)))
                assert action is not None
                action.triggered.connect(lambda _=False, p=page: self.bring(p))
        menu.addSeparator()
        every = menu.addAction("Those of this step alone" if self.all_shown else "All of them at once")
        assert every is not None
        every.triggered.connect(self.show_all_tables)

    def bring(self, page: QWidget) -> None:
        """Bring a table or the plot to the front, also one that belongs to another step."""
        self.setTabVisible(self.indexOf(page), True)
        self.setCurrentWidget(page)

    def front(self) -> TablePage | None:
        """The table in front, filled; None for the parity plot."""
        page = self.currentWidget()
        self._front()
        return page if isinstance(page, TablePage) else None

    def show_table(self, name: str, aspect: int = 0) -> None:
        """Bring a table to the front; where it has aspects, turned to that one."""
        choice = self.pages[name].choice if name in ASPECTS else None
        if choice is not None and choice.currentIndex() != aspect:
            choice.setCurrentIndex(aspect)
            self.renew({name})
        self.bring(self.pages[name])
