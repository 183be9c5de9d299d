"""The report before it is written: what stands on its title page, how much of each chapter, and its pages as
they will be."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from copy import deepcopy
from pathlib import Path
from typing import cast

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ...model import Settings
from ...model.settings import CHAPTERS, Chapter, Detail
from ..session.session import Session
from ..session.state import DeskState
from ..theme import MUTED

HOW = ("full", "short", "off")
TITLES = {
    "source": "Sources and settings",
    "taken": "What was taken in",
    "findings": "Findings",
    "corrections": "Corrections",
    "loads": "Loads and equilibrium",
    "modes": "Modes",
    "storeys": "Storeys",
    "displacements": "Displacements",
    "forces": "Governing forces",
    "walls": "Walls",
    "cuts": "Floors and cuts",
    "expected": "What was to be expected",
    "effects": "What the result depends on",
    "changes": "Changes, who must be looked at again",
    "elsewhere": "Results from elsewhere",
    "views": "Kept views",
    "sign": "Sign-off",
}
WIDE = 520  # px, of a page


class ReportPage(QDialog):
    """Title page and chapters on the left, a page of the report on the right. What is chosen is kept in the
    project."""

    def __init__(
        self, parent: QWidget, session: Session, state: DeskState, write: Callable[[], None]
    ) -> None:
        super().__init__(parent)
        self.session, self.state, self.write_call = session, state, write
        self.setWindowTitle("Report")
        self.resize(960, 720)
        self._folder = tempfile.TemporaryDirectory(prefix="rod-tally-report-")
        self.document = QPdfDocument(self)
        self.at = 0
        row = QHBoxLayout(self)
        left, right = QVBoxLayout(), QVBoxLayout()
        row.addLayout(left)
        row.addLayout(right, 1)
        form = QFormLayout()
        self.texts = {name: QLineEdit() for name in ("project", "firm", "reviewer")}
        for name, widget in self.texts.items():
            widget.setAccessibleName(name.capitalize())
            form.addRow(name.capitalize(), widget)
        self.chapters: dict[Chapter, QComboBox] = {}
        for name in CHAPTERS:
            box = QComboBox()
            box.addItems(HOW)
            box.setAccessibleName(TITLES[name])
            self.chapters[name] = box
            form.addRow(TITLES[name], box)
        left.addLayout(form)
        left.addStretch()
        self.show_button = QPushButton("Show it")
        self.show_button.clicked.connect(self.preview)
        self.write_button = QPushButton("Write it…")
        self.write_button.clicked.connect(self.write)
        left.addWidget(self.show_button)
        left.addWidget(self.write_button)
        self.page = QLabel("Show it makes the pages as they will be on paper.")
        self.page.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
        self.page.setStyleSheet(f"color: {MUTED};")
        self.page.setWordWrap(True)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.page)
        right.addWidget(area, 1)
        steps = QHBoxLayout()
        self.back, self.on = QPushButton("Page before"), QPushButton("Next page")
        self.back.clicked.connect(lambda: self.turn(-1))
        self.on.clicked.connect(lambda: self.turn(1))
        self.number = QLabel()
        self.number.setAlignment(Qt.AlignmentFlag.AlignCenter)
        steps.addWidget(self.back)
        steps.addWidget(self.number, 1)
        steps.addWidget(self.on)
        right.addLayout(steps)
        self._show_page()

    def fill(self) -> None:
        """Fill in what the project's settings say."""
        own = self.session.settings.report
        for name, widget in self.texts.items():
            widget.setText(str(getattr(own, name)))
        for name, box in self.chapters.items():
            box.setCurrentText(own.chapters.get(name, "full"))

    def settings(self) -> Settings:
        """The session's settings with what the page says."""
        out = deepcopy(self.session.settings)
        for name, widget in self.texts.items():
            setattr(out.report, name, widget.text().strip())
        chosen = {name: cast(Detail, box.currentText()) for name, box in self.chapters.items()}
        out.report.chapters = {name: how for name, how in chosen.items() if how != "full"}
        return out

    def keep(self) -> None:
        settings = self.settings()
        if settings != self.session.settings:
            self.session.keep_settings(settings)

    def write(self) -> None:
        self.keep()
        self.write_call()

    def preview(self) -> None:
        """Make the report on paper beside everything, and show its first page."""
        if not self.session.jobs.free:
            self.session.said.emit("Something else is running; Esc stops it")
            return
        self.keep()
        self.document.close()
        path = Path(self._folder.name) / "report.pdf"
        self.number.setText("Being made…")
        self.session.exports.report(path, shown=self._made)

    def _made(self, path: Path) -> None:
        self.document.load(str(path))
        self.at = 0
        self._show_page()

    def turn(self, by: int) -> None:
        """The page before, or the next."""
        self.at = min(max(self.at + by, 0), max(self.document.pageCount() - 1, 0))
        self._show_page()

    def _show_page(self) -> None:
        count = self.document.pageCount()
        self.back.setEnabled(self.at > 0)
        self.on.setEnabled(self.at < count - 1)
        self.number.setText(f"Page {self.at + 1} of {count}" if count else "")
        if count:
            size = self.document.pagePointSize(self.at)
            on_screen = QSize(WIDE, round(WIDE * size.height() / max(size.width(), 1.0)))
            paper = QPixmap(on_screen)
            paper.fill(Qt.GlobalColor.white)
            painter = QPainter(paper)
            painter.drawImage(0, 0, self.document.render(self.at, on_screen))
            painter.end()
            self.page.setPixmap(paper)

    def end(self) -> None:
        """Let go of the file that was shown."""
        self.document.close()
        self._folder.cleanup()
