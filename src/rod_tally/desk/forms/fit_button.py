"""A button that gives way: where its text is longer than the room, it ends in three dots and the tip has
all of it."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QPushButton, QSizePolicy, QStyle, QStyleOptionButton, QStylePainter, QWidget

LEAST = 44  # pixels


class FitButton(QPushButton):
    """As wide as its text where there is room. Its text itself stays whole."""

    def __init__(self, text: str, parent: QWidget | None = None) -> None:
        super().__init__(text, parent)
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)

    def minimumSizeHint(self) -> QSize:
        return QSize(LEAST, super().minimumSizeHint().height())

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        painter, option = QStylePainter(self), QStyleOptionButton()
        self.initStyleOption(option)
        metrics = self.fontMetrics()
        margin = self.sizeHint().width() - metrics.horizontalAdvance(self.text())
        if self.width() < self.sizeHint().width():
            option.text = metrics.elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width() - margin)
        self.setToolTip(self.text() if option.text != self.text() else "")
        painter.drawControl(QStyle.ControlElement.CE_PushButton, option)
