"""The sheets of wall panels on the screen: one at a time, as they are printed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QByteArray
from PyQt6.QtSvgWidgets import QSvgWidget
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QPushButton,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from ...output.panel_sheets import sheets_html
from ...output.panel_sheets.drawing import drawing
from ...review import Review
from ...review.walls.panel_sheet import PanelSheet
from ..save_name import ask_save_name
from ..theme import INK, SHEET

KINDS = {"On paper": ".pdf", "One HTML file": ".html"}


class PanelPage(QDialog):
    """Shows the sheets of one wall, a panel at a time; `save` writes them to a file."""

    def __init__(
        self, parent: QWidget, review: Review, sheets: list[PanelSheet], save: Callable[[Path], None]
    ) -> None:
        super().__init__(parent)
        self.review, self.sheets, self.save = review, sheets, save
        self.setWindowTitle("Wall panel")
        self.resize(1080, 700)
        column = QVBoxLayout(self)
        top = QHBoxLayout()
        self.which = QComboBox()
        self.which.setAccessibleName("Panel")
        self.which.addItems([s.title for s in sheets])
        top.addWidget(self.which, 1)
        print_ = QPushButton("Save…")
        close = QPushButton("Close")
        print_.clicked.connect(self.ask_save)
        close.clicked.connect(self.reject)
        top.addWidget(print_)
        top.addWidget(close)
        column.addLayout(top)
        self.drawing = QSvgWidget()
        self.drawing.setAccessibleName("Elevation of the panel")
        self.text = QTextBrowser()
        self.text.setAccessibleName("Sheet of the panel")
        self.text.setStyleSheet(f"QTextBrowser {{ background: {SHEET}; color: {INK}; }}")
        column.addWidget(self.drawing)
        column.addWidget(self.text, 1)
        self.which.currentIndexChanged.connect(self.fill)
        self.fill()

    def fill(self) -> None:
        """Show the chosen panel."""
        sheet = self.sheets[self.which.currentIndex()]
        self.drawing.load(QByteArray(drawing(self.review, sheet).encode()))
        size = self.drawing.sizeHint()
        tall = min(size.height(), 240)
        self.drawing.setFixedSize(max(1, size.width() * tall // max(size.height(), 1)), tall)
        self.text.setHtml(sheets_html(self.review, [sheet], [], drawn=False))

    def ask_save(self) -> None:
        """Ask for a name and write all panels of the wall."""
        if path := ask_save_name(self, "Save the wall's sheets", "wall.pdf", KINDS):
            self.save(path)
