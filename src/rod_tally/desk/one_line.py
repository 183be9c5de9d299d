"""A line of text that never makes the window wider: cut off where there is no room, whole when the pointer
rests on it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy


class OneLine(QLabel):
    def __init__(self) -> None:
        super().__init__()
        self._whole = ""
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, text: str | None) -> None:
        """The whole text; what is shown of it depends on the room."""
        self._whole = text or ""
        self._fit()

    def whole(self) -> str:
        """The text that was set, whatever is shown of it."""
        return self._whole

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        shown = self.fontMetrics().elidedText(self._whole, Qt.TextElideMode.ElideRight, self.width())
        super().setText(shown)
        self.setToolTip(self._whole if shown != self._whole else "")
        self.setAccessibleName(self._whole)
