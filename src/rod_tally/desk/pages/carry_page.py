"""Page of what is carried over from the reviewed revision: line by line, with its place in the view, and what
is left out by choice."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...compare.carrying.carry import Carried
from ..session.session import Session
from ..session.state import DeskState
from ..tables.change_rows import WHERE
from ..theme import MUTED, RUST

HEADINGS = [
    "What was made",
    "Where it goes",
    "Target moved by, mm",
    "What could not be placed, or how it was",
]


class CarryPage(QDialog):
    """A tick for each line; the chosen line is picked and shown in the view. Nothing changes before the
    button is pressed."""

    def __init__(
        self, parent: QWidget, session: Session, state: DeskState, show_in_view: Callable[[], None]
    ) -> None:
        super().__init__(parent)
        self.session, self.state, self.show_in_view = session, state, show_in_view
        self.setWindowTitle("What is carried over")
        self.resize(860, 290)
        column = QVBoxLayout(self)
        self.head = QLabel()
        self.head.setWordWrap(True)
        column.addWidget(self.head)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Show lines with these words")
        self.search.textChanged.connect(self._narrow)
        column.addWidget(self.search)
        self.table = QTableWidget(0, len(HEADINGS))
        self.table.setAccessibleName("What is carried over")
        self.table.setHorizontalHeaderLabels(HEADINGS)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setWordWrap(True)
        header = self.table.horizontalHeader()
        assert header is not None
        for k, wide in enumerate((200, 130, 150)):
            self.table.setColumnWidth(k, wide)
        header.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        self.table.currentCellChanged.connect(lambda *_: self._preview())
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        column.addLayout(row)
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.note.setStyleSheet(f"color: {MUTED};")
        row.addWidget(self.note, 1)
        self.all = QPushButton("Tick all shown")
        self.all.clicked.connect(lambda: self._tick(True))
        self.none = QPushButton("Untick all shown")
        self.none.clicked.connect(lambda: self._tick(False))
        self.apply = QPushButton("Carry over what is ticked")
        self.apply.clicked.connect(self.carry)
        for button in (self.all, self.none, self.apply):
            row.addWidget(button)
        self.table.itemChanged.connect(lambda _: self._tell())
        state.revision_changed.connect(self._renew)

    def open_below(self, parent: QWidget) -> None:
        """Show the page over the window's tables, so that the view stays in sight."""
        self.fill()
        if not self.isVisible():
            corner = parent.mapToGlobal(parent.rect().bottomLeft())
            self.move(corner.x() + 200, max(corner.y() - self.height() - 8, 0))
        self.show()
        self.raise_()

    def lines(self) -> list[Carried]:
        review = self.state.review
        return [] if review is None or review.carried is None else review.carried.lines

    def fill(self) -> None:
        """The lines as they are now; ticked are those that are carried over."""
        lines = self.lines()
        baseline = self.state.baseline
        before = "the revision before" if baseline is None else baseline.name
        self.head.setText(
            f"What was made for {before} here, by hand or by rule, and where it goes. What its source brought is not in this list: "
            "the new source speaks for itself. Choose a line to see its place."
        )
        self.table.blockSignals(True)
        self.table.setRowCount(len(lines))
        for k, line in enumerate(lines):
            first = QTableWidgetItem(line.what)
            on = line.status not in ("left", "asked")
            first.setFlags(first.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            first.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
            far = f"{line.distance * 1000:.0f}" if line.distance > 1e-3 else ""
            cells = [
                first,
                *(QTableWidgetItem(t) for t in (WHERE.get(line.status, line.status), far, line.words)),
            ]
            for at, cell in enumerate(cells):
                if at == 1 and line.status in ("gone", "partly", "asked"):
                    cell.setForeground(QColor(RUST))
                cell.setToolTip(line.words)
                self.table.setItem(k, at, cell)
        self.table.resizeRowsToContents()
        self.table.blockSignals(False)
        self._narrow()
        self._tell()

    def left(self) -> set[int]:
        """Numbers of the lines that are not ticked."""
        return {k for k in range(self.table.rowCount()) if not self._on(k)}

    def carry(self) -> None:
        self.session.carry_only(self.left())

    def _on(self, k: int) -> bool:
        item = self.table.item(k, 0)
        return item is not None and item.checkState() == Qt.CheckState.Checked

    def _tick(self, on: bool) -> None:
        self.table.blockSignals(True)
        for k in range(self.table.rowCount()):
            item = self.table.item(k, 0)
            if item is not None and not self.table.isRowHidden(k):
                item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
        self.table.blockSignals(False)
        self._tell()

    def _narrow(self) -> None:
        words = self.search.text().lower().split()
        for k in range(self.table.rowCount()):
            cells = [self.table.item(k, c) for c in range(self.table.columnCount())]
            text = " ".join(c.text() for c in cells if c is not None).lower()
            self.table.setRowHidden(k, not all(w in text for w in words))

    def _tell(self) -> None:
        """How many are ticked, and why the choice cannot be changed where it cannot."""
        settled = self.session.why_carrying_is_settled()
        lines, left = self.lines(), self.left()
        now = {k for k, line in enumerate(lines) if line.status in ("left", "asked")}
        for button in (self.all, self.none):
            button.setEnabled(not settled)
        self.apply.setEnabled(not settled and left != now and self.session.jobs.free)
        count = f"{len(lines) - len(left)} of {len(lines)} ticked"
        self.note.setText(settled or (count if left == now else f"{count}; not done yet"))

    def _preview(self) -> None:
        """Pick what the line is about, and go there."""
        lines, at = self.lines(), self.table.currentRow()
        review = self.state.review
        if not 0 <= at < len(lines) or review is None:
            return
        model = review.model
        picks = [
            (kind, i)
            for i in lines[at].targets
            for kind, there in (("member", model.members), ("surface", model.surfaces), ("node", model.nodes))
            if i in there
        ]
        if picks:
            self.state.pick(*picks[0])
            self.state.select(picks)
            self.show_in_view()
        else:
            self.session.said.emit(f"{lines[at].what}: no place in this revision")

    def _renew(self) -> None:
        if self.isVisible():
            self.fill()
