"""Drawing by pointer: places are clicked in the picture, each brought to what lies there."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from ...model.geometry.vectors import Array
from ..theme import INK, PAPER, RUST
from .snapping import Place, nearest, on_axis, places

REACH = 12.0  # px
STILL = 4.0  # px; a drag shorter than this is a click


class Marks(QWidget):
    """Over the picture: what was clicked, a line from there to the pointer, and the place that a click would
    take."""

    def __init__(self, over: QWidget) -> None:
        super().__init__(over)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.points: list[QPointF] = []
        self.pointer: QPointF | None = None
        self.here: QPointF | None = None
        self.what = ""
        self.resize(over.size())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(RUST), 2.0))
        end = self.here or self.pointer
        for a, b in zip(self.points, [*self.points[1:], *([end] if end is not None else [])]):
            painter.drawLine(a, b)
        painter.setBrush(QColor(RUST))
        for p in self.points:
            painter.drawEllipse(p, 3.5, 3.5)
        if self.here is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(self.here, 8.0, 8.0)
            width = painter.fontMetrics().horizontalAdvance(self.what) + 10
            x = (
                self.here.x() + 14
                if self.here.x() + 14 + width < self.width()
                else self.here.x() - 14 - width
            )
            y = max(self.here.y() - 26, 2.0)
            painter.fillRect(int(x), int(y), width, 20, QColor(PAPER))
            painter.setPen(QColor(INK))
            painter.drawText(int(x) + 5, int(y) + 15, self.what)
        painter.end()


class Pointing(QObject):
    """The mouse in one view. Dragging turns the picture as ever; a click takes the ringed place."""

    said = pyqtSignal(str)

    def __init__(self, view: Any) -> None:
        super().__init__(view)
        self.view = view
        self.active = False
        self.points: list[Place] = []
        self._places: list[Place] = []
        self._marks: Marks | None = None
        self._press: tuple[float, float] | None = None
        self._count = 0
        self._again = False
        self._done: Callable[[list[Array]], object] = lambda _points: None
        self._text = ""
        view.drawn.connect(self._place_marks)

    def start(
        self, count: int, text: str, done: Callable[[list[Array]], object], again: bool = False
    ) -> bool:
        """Take `count` places, or with 0 any number until the first one or Enter closes them, and call `done`
        with them (m, the model's axes); `again`: and go on with the next. False where there is no picture."""
        scene = self.view.scene
        if self.view.canvas is None or scene is None:
            return False
        self.stop()
        self.active, self.points, self._count, self._again = True, [], count, again
        self._done, self._text = done, text
        model, state = scene.model, self.view.state
        shown = [s for s in model.storeys if not state.storeys or s.name in state.storeys]
        self._places = places(model, scene.ids, scene.surfaces, [(s.name, s.elevation) for s in shown])
        self._marks = Marks(self.view.plotter.interactor)
        self._marks.show()
        self.view.plotter.interactor.setFocus()
        self.said.emit(f"{text} Backspace takes the last one back, Esc ends it.")
        return True

    def stop(self) -> None:
        """End it; what is not finished is dropped."""
        if self._marks is not None:
            self._marks.deleteLater()
            self._marks = None
        self.active, self.points, self._press = False, [], None

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if not self.active or event is None:
            return super().eventFilter(watched, event)
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and self._key(event.key()):
            return True
        if event.type() in (QEvent.Type.Resize, QEvent.Type.Wheel):
            QTimer.singleShot(0, self._place_marks)  # once the picture has changed
        if isinstance(event, QMouseEvent):
            where = (event.position().x(), event.position().y())
            if event.type() == QEvent.Type.MouseMove:
                self.hover(*where)
            elif event.button() == Qt.MouseButton.LeftButton and event.type() == QEvent.Type.MouseButtonPress:
                self._press = where
            elif (
                event.button() == Qt.MouseButton.LeftButton and event.type() == QEvent.Type.MouseButtonRelease
            ):
                start, self._press = self._press, None
                if start is not None and abs(where[0] - start[0]) + abs(where[1] - start[1]) < STILL:
                    self.click(*where)
        return super().eventFilter(watched, event)

    def _key(self, key: int) -> bool:
        if key == Qt.Key.Key_Backspace:
            self.points = self.points[:-1]
            self._place_marks()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._finish()
        elif key == Qt.Key.Key_Escape:
            self.stop()
        else:
            return False
        return True

    def at(self, x: float, y: float) -> Place | None:
        """Return what a click at a place of the widget would take: a node, a corner, a middle or a
        crossing, else a place along a member."""
        scene = self.view.scene
        if scene is None:
            return None
        ratio, height = self.view.devicePixelRatioF(), self.view.plotter.render_window.GetSize()[1]
        pixel = x * ratio, height - y * ratio
        if self._places:
            screen = self.view.canvas.to_screen(np.array([p.at for p in self._places]))
            found = nearest(self._places, screen, pixel, REACH * ratio)
            if found is not None:
                return found
        for ident in self.view.picking.members_at(*pixel)[:1]:
            m = scene.model.members[ident]
            line = scene.model.line(m)
            return on_axis(line, self.view.canvas.to_screen(line)[:, :2], pixel, f"{m.cls} {m.name or m.id}")
        return None

    def hover(self, x: float, y: float) -> None:
        """Ring what a click there would take."""
        if self._marks is None:
            return
        found = self.at(x, y)
        self._marks.pointer = QPointF(x, y)
        self._marks.here = self._widget_place(found) if found is not None else None
        self._marks.what = found.what if found is not None else ""
        self._place_marks()

    def click(self, x: float, y: float) -> None:
        """Take what lies there; the first place again closes an outline."""
        found = self.at(x, y)
        if found is None:
            self.said.emit(
                "Nothing lies there: click a node, a corner, a middle, a crossing of grid lines, or a member"
            )
            return
        if self._count == 0 and len(self.points) > 2 and found.at == self.points[0].at:
            self._finish()
            return
        if self.points and found.at == self.points[-1].at:
            return
        self.points.append(found)
        self._place_marks()
        if self._count and len(self.points) == self._count:
            self._finish()
        else:
            self.said.emit(f"{found.what}. {self._text}")

    def _finish(self) -> None:
        if len(self.points) < (self._count or 3):
            self.said.emit(f"{len(self.points)} places so far; it needs {self._count or 3}")
            return
        points = [np.array(p.at) for p in self.points]
        done, again = self._done, (self._count, self._text, self._done, True) if self._again else None
        self.stop()
        done(points)
        if again is not None:
            self.start(*again)

    def _widget_place(self, place: Place) -> QPointF:
        ratio, height = self.view.devicePixelRatioF(), self.view.plotter.render_window.GetSize()[1]
        x, y, _ = self.view.canvas.to_screen(np.array([place.at]))[0]
        return QPointF(float(x) / ratio, (height - float(y)) / ratio)

    def _place_marks(self) -> None:
        """The marks where their places are seen now."""
        if self._marks is None:
            return
        self._marks.resize(self.view.plotter.interactor.size())
        self._marks.points = [self._widget_place(p) for p in self.points]
        self._marks.update()
