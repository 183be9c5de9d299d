"""Page shown before anything is open: how to begin."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout, QWidget

RECENT = 5  # files that are offered again


class Welcome(QFrame):
    """Lies over the view while nothing is open. `ways` are the titles of what can be done and what does it;
    `recent` gives files that were open before, `again` opens one of them."""

    def __init__(
        self,
        over: QWidget,
        ways: Sequence[tuple[str, Callable[[], object]]],
        recent: Callable[[], list[str]],
        again: Callable[[Path], object],
    ) -> None:
        super().__init__(over)
        self.over, self.recent, self.again = over, recent, again
        self.setObjectName("welcome")
        column = QVBoxLayout(self)
        column.setContentsMargins(40, 36, 40, 20)
        column.setSpacing(8)
        title = QLabel("Take in a model")
        title.setObjectName("title")
        column.addWidget(title)
        text = QLabel(
            "Drop an IFC file, a workbook of a model or a project anywhere on this window. Files are only read."
        )
        text.setWordWrap(True)
        column.addWidget(text)
        column.addSpacing(8)
        self.buttons: dict[str, QPushButton] = {}
        for name, call in ways:
            button = self.buttons[name] = QPushButton(name)
            button.setFixedWidth(280)
            button.clicked.connect(lambda _=False, c=call: c())
            column.addWidget(button)
        column.addSpacing(10)
        self.before = QVBoxLayout()
        self.before.setSpacing(2)
        column.addLayout(self.before)
        column.addStretch()
        over.installEventFilter(self)

    def refresh(self, empty: bool) -> None:
        """Show it where nothing is open, with the files that were open before."""
        if empty and not self.isVisibleTo(self.over):
            self._offer()
            self.setGeometry(self.over.rect())
            self.raise_()
        self.setVisible(empty)

    def _offer(self) -> None:
        while self.before.count():
            item = self.before.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        paths = [Path(p) for p in self.recent()][:RECENT]
        if paths:
            label = QLabel("Open again")
            label.setObjectName("muted")
            self.before.addWidget(label)
        for path in paths:
            button = QPushButton(path.name)
            button.setObjectName("link")
            button.setToolTip(str(path))
            button.setFlat(True)
            button.setCursor(Qt.CursorShape.PointingHandCursor)
            button.clicked.connect(lambda _=False, p=path: self.again(p))
            self.before.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if watched is self.over and event is not None and event.type() == QEvent.Type.Resize:
            self.setGeometry(self.over.rect())
        return super().eventFilter(watched, event)
