"""The cells of a table: rows as Qt needs them, filtered, sorted, shown with their decimal points under each
other, changed."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QSortFilterProxyModel, Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QCompleter, QLineEdit, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from ..theme import MUTED, OCHRE, RUST
from .editing import plain_title
from .rows import Rows

FIGURE_SPACE, PUNCTUATION_SPACE = "\u2007", "\u2008"  # as wide as a digit, as a point
DECIMALS = 3  # of numbers below a thousand; larger ones have one
CHANGE = "Double-click or F2 changes it; Ctrl+V pastes cells; Shift+F2 fills it into the selected rows"
MARK_COLOUR = {"■": RUST, "▲": OCHRE, "●": MUTED}


class RowsModel(QAbstractTableModel):
    """Rows as Qt needs them; numbers sort as numbers. `edited`: row, column and new text of a cell that
    somebody changed; the cell itself changes when the table is filled anew."""

    edited = pyqtSignal(int, int, str)

    def __init__(self, columns: Collection[str] = ()) -> None:
        super().__init__()
        self.content = Rows([])
        self.editable = columns
        self._decimals: dict[int, int] = {}

    def can_be_changed(self, column: int) -> bool:
        title = self.content.columns[column]
        return plain_title(title) in self.editable or title in self.content.changeable

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        plain = super().flags(index)
        return (
            plain | Qt.ItemFlag.ItemIsEditable
            if index.isValid() and self.can_be_changed(index.column())
            else plain
        )

    def setData(self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.EditRole or str(value) == self.data(index, Qt.ItemDataRole.EditRole):
            return False
        self.edited.emit(index.row(), index.column(), str(value))
        return False

    def fill(self, content: Rows) -> None:
        self.beginResetModel()
        self.content = content
        self._decimals.clear()
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
        """Return whether the first value that a column holds is a number."""
        first = next((row[column] for row in self.content.rows[:300] if row[column] is not None), None)
        return isinstance(first, (int, float))

    def decimals(self, column: int) -> int:
        """The most decimals that a number of the column is shown with."""
        if column not in self._decimals:
            most = 0
            for row in self.content.rows:
                value = row[column]
                if isinstance(value, float):
                    most = max(most, _decimals(shown(value)))
                    if most == DECIMALS:
                        break
            self._decimals[column] = most
        return self._decimals[column]

    def data(self, index: QModelIndex, role: int = 0) -> object:
        value = self.content.rows[index.row()][index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return shown(value)
        if role == Qt.ItemDataRole.EditRole:
            return "" if value is None else f"{value:.12g}" if isinstance(value, float) else str(value)
        if role == Qt.ItemDataRole.UserRole:
            return value
        if role == Qt.ItemDataRole.TextAlignmentRole and isinstance(value, (int, float)):
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole and value in MARK_COLOUR:
            return QColor(MARK_COLOUR[str(value)])
        if role == Qt.ItemDataRole.ToolTipRole:
            tip = self.content.tips[index.row()]
            return tip or (CHANGE if self.can_be_changed(index.column()) else None)
        return None


def shown(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, float):
        if abs(value) < 5e-4:
            return "0"
        return f"{value:.{DECIMALS}f}" if abs(value) < 1000 else f"{value:.1f}"
    return str(value)


def _decimals(text: str) -> int:
    return len(text.partition(".")[2])


def aligned(text: str, decimals: int) -> str:
    """A number's text, filled on the right to `decimals` with blanks as wide as a digit (and as the point
    where it has none).

    >>> aligned("12.5", 3) == "12.5" + 2 * FIGURE_SPACE
    True
    """
    if not decimals:
        return text
    point = "" if "." in text else PUNCTUATION_SPACE
    return text + point + FIGURE_SPACE * (decimals - _decimals(text))


def same_cell(a: str, b: str) -> bool:
    """Return whether two texts of a cell stand for one value."""
    if a.strip() == b.strip():
        return True
    try:
        x, y = (float(v.replace(",", ".")) for v in (a, b))
    except ValueError:
        return False
    return abs(x - y) <= 1e-9 * max(abs(x), abs(y))


class Cells(QStyledItemDelegate):
    """Shows numbers with their decimal points under each other, and edits a cell in a line that proposes what
    may stand there."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.choices: Callable[[int], Sequence[str]] = lambda column: ()

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        super().initStyleOption(option, index)
        proxy = index.model()
        if option is None or not isinstance(proxy, RowsProxy):
            return
        model = proxy.sourceModel()
        if isinstance(model, RowsModel) and isinstance(index.data(Qt.ItemDataRole.UserRole), (int, float)):
            option.text = aligned(option.text or "", model.decimals(index.column()))

    def createEditor(
        self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> QWidget:
        line = QLineEdit(parent)
        completer = QCompleter(list(self.choices(index.column())), line)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        line.setCompleter(completer)
        return line


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
