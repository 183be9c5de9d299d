"""The widget that VTK draws in, made to draw once for each time that Qt paints it."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtGui import QMouseEvent, QWheelEvent
from pyvistaqt import QtInteractor

SLOW = 0.03  # s; a picture that takes longer is drawn plainly while it is turned


class Screen(QtInteractor):
    """The library's widget draws on every movement of the mouse and again when it is painted, which halves
    the frames a second of a large model. Here only painting draws, and asking for a picture asks for
    painting.

    While the model is turned and its pictures are slow, they are drawn plainly: edges not smoothed, lines
    thin.

    `before`: called just before each picture, for what must follow the camera. `plainly`: called when
    pictures become plain, and when they are whole again. `samples`: how smooth edges are drawn."""

    def __init__(self, parent: Any, before: Callable[[], object], plainly: Callable[[bool], object]) -> None:
        self._before, self._plainly = before, plainly
        self._plain = False
        self.samples = 4
        self._turning = False
        self._took = 0.0  # seconds for the last picture
        super().__init__(parent, auto_update=False)

    def paintGL(self) -> None:
        hand = self.render_window.GetInteractor() if self.render_window is not None else None
        if hand is None:
            super().paintGL()
            return
        self._before()
        plain = self._turning and self._took > SLOW
        if plain != self._plain:
            self._plain = plain
            self._plainly(plain)
        samples = 0 if plain else self.samples
        # the library sets its own when the widget changes size
        if self.render_window.GetMultiSamples() != samples:
            self.render_window.SetMultiSamples(samples)
        hand.EnableRenderOn()
        begin = time.perf_counter()
        try:
            super().paintGL()
        finally:
            hand.EnableRenderOff()
            if not self._turning:
                self._took = time.perf_counter() - begin

    def mouseMoveEvent(self, ev: QMouseEvent) -> None:
        super().mouseMoveEvent(ev)
        if ev.buttons():
            self._turning = True
            self.update()

    def mousePressEvent(self, ev: QMouseEvent) -> None:
        super().mousePressEvent(ev)
        self.update()

    def mouseReleaseEvent(self, ev: QMouseEvent) -> None:
        super().mouseReleaseEvent(ev)
        self._turning = bool(ev.buttons())
        self.update()

    def wheelEvent(self, ev: QWheelEvent) -> None:
        super().wheelEvent(ev)
        self.update()
