"""A page to paste a table into: it says what is wrong with it, by row and column, and what it would do,
before it does."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontDatabase, QGuiApplication
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLabel, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from ...model.edits import Edit, EditError
from ...model.load_table import TableError
from ..theme import MOSS, MUTED, RUST


class PastePage(QDialog):
    """`make(text)` returns the corrections that the table asks for, or raises TableError or EditError."""

    def __init__(
        self,
        parent: QWidget,
        title: str,
        help_: str,
        example: str,
        make: Callable[[str], list[Edit]],
        take: Callable[[list[Edit]], object],
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(760, 430)
        self.make, self.take = make, take
        column = QVBoxLayout(self)
        note = QLabel(help_)
        note.setWordWrap(True)
        column.addWidget(note)
        self.text = QPlainTextEdit()
        self.text.setFont(QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont))
        self.text.setTabStopDistance(90)
        self.text.setPlaceholderText(example)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        column.addWidget(self.text, 1)
        self.message = QLabel()
        self.message.setWordWrap(True)
        self.message.setStyleSheet(f"color: {MUTED};")
        column.addWidget(self.message)
        row = QHBoxLayout()
        row.addStretch()
        self.buttons = {}
        for name, call in (
            ("From the clipboard", self._paste),
            ("Use these values", self.accept),
            ("Close", self.reject),
        ):
            button = QPushButton(name)
            button.clicked.connect(call)
            self.buttons[name] = button
            row.addWidget(button)
        column.addLayout(row)
        self.text.textChanged.connect(self._look)
        self._look()

    def _paste(self) -> None:
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        self.text.setPlainText(clipboard.text())

    def edits(self) -> list[Edit]:
        """Return what the table asks for; [] for none yet. Raises TableError or EditError."""
        return self.make(self.text.toPlainText()) if self.text.toPlainText().strip() else []

    def _look(self) -> None:
        try:
            found = self.edits()
        except (TableError, EditError) as error:
            self.message.setText(str(error))
            self.message.setStyleSheet(f"color: {RUST};")
            self.buttons["Use these values"].setEnabled(False)
            return
        self.message.setText("; ".join(e.text for e in found) or "Nothing pasted yet")
        self.message.setStyleSheet(f"color: {MOSS if found else MUTED};")
        self.buttons["Use these values"].setEnabled(bool(found))

    def accept(self) -> None:
        try:
            found = self.edits()
        except (TableError, EditError):
            return  # the message stands below the table already
        super().accept()
        self.take(found)
