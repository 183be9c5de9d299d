"""The widget that VTK draws in, made to draw once for each time that Qt paints it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtGui import QMouseEvent, QWheelEvent
from pyvistaqt import QtInteractor


class Screen(QtInteractor):
    """The library's widget draws on every movement of the mouse and again when it is painted, which halves the frames a second
    of a large model. Here only painting draws, and asking for a picture asks for painting.

    `before`: called just before each picture, for what must follow the camera. `samples`: how smooth edges are drawn.
    """

    def __init__(self, parent: Any, before: Callable[[], object]) -> None:
        self._before = before
        self.samples = 4
        super().__init__(parent, auto_update=False)

    def paintGL(self) -> None:
        hand = self.render_window.GetInteractor() if self.render_window is not None else None
        if hand is None:
            super().paintGL()
            return
        self._before()
        if (
            self.render_window.GetMultiSamples() != self.samples
        ):  # the library sets its own when the widget changes size
            self.render_window.SetMultiSamples(self.samples)
        hand.EnableRenderOn()
        try:
            super().paintGL()
        finally:
            hand.EnableRenderOff()

    def mouseMoveEvent(self, ev: QMouseEvent) -> None:
        super().mouseMoveEvent(ev)
        if ev.buttons():
            self.update()

    def mousePressEvent(self, ev: QMouseEvent) -> None:
        super().mousePressEvent(ev)
        self.update()

    def mouseReleaseEvent(self, ev: QMouseEvent) -> None:
        super().mouseReleaseEvent(ev)
        self.update()

    def wheelEvent(self, ev: QWheelEvent) -> None:
        super().wheelEvent(ev)
        self.update()
