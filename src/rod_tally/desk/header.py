"""The window's header: the project's name, its revisions, what is looked for, units, run, and how ready the
review is."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QPushButton

from .quantities import UNIT_SETS
from .session.state import DeskState, Revision
from .tally_mark import mark
from .theme import MOSS, OCHRE, RUST


class Header(QFrame):
    """Shows the state; what is pressed goes out as a signal."""

    more_asked = pyqtSignal()
    run_asked = pyqtSignal()
    units_asked = pyqtSignal()
    findings_asked = pyqtSignal()
    sought = pyqtSignal(str)

    def __init__(self, state: DeskState, can_run: Callable[[], bool]) -> None:
        super().__init__()
        self.state, self.can_run = state, can_run
        self.setObjectName("head")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 12, 6)
        icon = QLabel()
        icon.setPixmap(mark().pixmap(QSize(22, 22)))
        row.addWidget(icon)
        self.title = QLabel("Rod Tally")
        self.title.setObjectName("title")
        row.addWidget(self.title)
        row.addSpacing(8)
        self.revision_row = QHBoxLayout()
        self.revision_row.setSpacing(6)
        row.addLayout(self.revision_row)
        self.more = QPushButton("+ Open model…")
        self.more.clicked.connect(lambda: self.more_asked.emit())
        row.addWidget(self.more)
        row.addStretch()
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find anything")
        self.search.setFixedWidth(150)
        self.search.returnPressed.connect(lambda: self.sought.emit(self.search.text()))
        row.addWidget(self.search)
        self.units = QPushButton(UNIT_SETS[0].name)
        self.units.clicked.connect(lambda: self.units_asked.emit())
        row.addWidget(self.units)
        self.run_button = QPushButton("Run  F5")
        self.run_button.clicked.connect(lambda: self.run_asked.emit())
        row.addWidget(self.run_button)
        self.verdict = QPushButton()
        self.verdict.clicked.connect(lambda: self.findings_asked.emit())
        row.addWidget(self.verdict)
        state.revisions_changed.connect(self._revision_buttons)

    def refresh(self, name: str) -> None:
        """Show the project's name, what is old, and whether anything stands against the design."""
        self.refresh_run()
        self.more.setText("+ Add revision…" if self.state.revisions else "+ Open model…")
        revision = self.state.revision
        if revision is None:
            self.verdict.hide()
            return
        self.title.setText(name)
        text, colour = readiness(revision)
        self.verdict.setText(text)
        self.verdict.setStyleSheet(f"color: {colour}; font-weight: bold;")
        self.verdict.show()
        for k, button in enumerate(self._buttons()):
            button.setChecked(k == self.state.current)
            if k < len(self.state.revisions):
                of = self.state.revisions[k]
                old = "" if not of.stale else " (old results)" if of.review.has_run else " (not run)"
                button.setText(of.name + old)

    def refresh_run(self) -> None:
        self.run_button.setEnabled(self.can_run())

    def _buttons(self) -> list[QPushButton]:
        items = [self.revision_row.itemAt(k) for k in range(self.revision_row.count())]
        return [w for i in items if i is not None and isinstance(w := i.widget(), QPushButton)]

    def _revision_buttons(self) -> None:
        for button in self._buttons():
            self.revision_row.removeWidget(button)
            button.deleteLater()
        for k, revision in enumerate(self.state.revisions):
            button = QPushButton(revision.name)
            button.setCheckable(True)
            button.setToolTip(revision.review.model.source_file)
            button.clicked.connect(lambda _=False, n=k: self.state.choose(n))
            self.revision_row.addWidget(button)


def readiness(revision: Revision) -> tuple[str, str]:
    """The worst of what is open or old in a few words, and its colour; a mark of its own for each colour."""
    review = revision.review
    blocking = len(revision.open_findings(severity="blocking"))
    warnings = len(revision.open_findings(severity="warning"))
    if blocking:
        old = "" if not revision.stale else ", results are old" if review.has_run else ", not run yet"
        return f"■ {blocking} open: not ready for design{old}", RUST
    if revision.being_checked:
        return "▲ needs re-checking", OCHRE
    if not review.has_run:
        return "▲ not run yet", OCHRE
    if revision.stale:
        return "▲ results are old: run again", OCHRE
    if review.waiting:
        return "▲ modes are not there yet", OCHRE
    if warnings:
        return f"▲ {warnings} open", OCHRE
    return "✓ nothing open", MOSS
