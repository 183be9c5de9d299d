"""Help: the documentation that ships with the application, opened at what belongs to the step; and all
shortcuts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QUrl
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QListWidget, QTextBrowser, QVBoxLayout, QWidget

import rod_tally

FOLDER = Path(rod_tally.__file__).parent / "help"
TOPICS = {
    "first-walk": "A first walk, in six steps",
    "taking-in": "How a source becomes a model",
    "loads": "Loads and combinations",
    "results": "Runs and results",
    "slabs-and-walls": "Slabs and walls",
    "revisions": "Revisions, results from elsewhere, the report",
    "making": "Models from parameters",
    "tables": "Models as tables",
    "terms": "Terms",
    "pipeline": "Reviews without a window",
}
SHORTCUTS = "All commands and shortcuts"
OF_STEP = {
    "Source": "taking-in",
    "Framing": "taking-in",
    "Supports": "taking-in",
    "Loads": "loads",
    "Run": "results",
    "Response": "results",
    "Revision": "revisions",
    "Close-out": "revisions",
}
Row = tuple[str, str, str, str]


class HelpPage(QDialog):
    """Topics on the left, the chosen one beside them; a word that is looked for is stepped through with
    Enter."""

    def __init__(self, parent: QWidget, commands: Callable[[], Sequence[Row]]) -> None:
        super().__init__(parent)
        self.commands = commands
        self.setWindowTitle("Help")
        self.resize(900, 640)
        self.topics = QListWidget()
        self.topics.setAccessibleName("Topics")
        self.topics.addItems([*TOPICS.values(), SHORTCUTS])
        self.topics.setFixedWidth(290)
        self.topics.currentRowChanged.connect(self._show)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find a word, Enter for the next place")
        self.search.returnPressed.connect(self._find)
        self.text = QTextBrowser()
        self.text.setAccessibleName("The chosen topic")
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(self._follow)
        row = QHBoxLayout(self)
        row.addWidget(self.topics)
        column = QVBoxLayout()
        column.addWidget(self.search)
        column.addWidget(self.text, 1)
        row.addLayout(column, 1)

    def open_at(self, topic: str) -> None:
        """Show a topic by its file's name, or SHORTCUTS."""
        keys = [*TOPICS, SHORTCUTS]
        self.topics.setCurrentRow(keys.index(topic) if topic in keys else 0)
        self.show()
        self.raise_()

    def _show(self, row: int) -> None:
        keys = list(TOPICS)
        if 0 <= row < len(keys):
            path = FOLDER / f"{keys[row]}.md"
            try:
                self.text.setMarkdown(path.read_text(encoding="utf-8"))
            except OSError as error:
                self.text.setPlainText(f"{path}: cannot be read: {error.strerror}")
            return
        lines = [
            "# Commands",
            "",
            "| menu | command | shortcut | what it does |",
            "| --- | --- | --- | --- |",
        ]
        lines += ["| " + " | ".join(cell.replace("|", "/") for cell in own) + " |" for own in self.commands()]
        self.text.setMarkdown("\n".join(lines))

    def _find(self) -> None:
        """The next place of the word, in this topic, then in the others."""
        word = self.search.text().strip()
        if not word or self.text.find(word):
            return
        first = self.topics.currentRow()
        for step in range(1, self.topics.count() + 1):
            self.topics.setCurrentRow((first + step) % self.topics.count())
            if self.text.find(word):
                return

    def _follow(self, url: QUrl) -> None:
        topic = Path(url.path()).stem
        if topic in TOPICS:
            self.open_at(topic)
