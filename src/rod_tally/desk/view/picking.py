"""Picking by a click, and by a box drawn over the picture: members, slabs and walls, nodes."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QRubberBand
from shapely.geometry import Point, Polygon

from .box import lines_in, outline_in

REACH = 9.0  # px; how near to a member or a node a click must be
STILL = 4  # px; a drag shorter than this is a click


class Picking(QObject):
    """Watches the mouse over the picture of a view. A click picks, with Ctrl it adds; Shift and a click pick
    a node; Shift and a drag select what lies inside of the box, with the right button what it touches, with
    Ctrl added to the selection. The right button without a drag asks for the menu of what lies there."""

    boxed = pyqtSignal()  # a box has selected something
    menu_asked = pyqtSignal(QPoint)  # at a place of the screen, for what is picked

    def __init__(self, view: Any) -> None:
        super().__init__(view)
        self.view, self.state = view, view.state
        self._press: tuple[float, float] | None = None
        self._right: tuple[float, float] | None = None
        self._box: tuple[float, float] | None = None
        self._band: QRubberBand | None = None
        self._stack: list[tuple[str, str]] = []

    def members_at(self, x: float, y: float) -> list[str]:
        """Members near a place of the picture (px from the lower left), nearest first, then from front to
        back."""
        scene = self.view.scene
        if self.view.canvas is None or scene is None or not len(scene.lines):
            return []
        a = self.view.canvas.to_screen(scene.lines[:, 0])
        b = self.view.canvas.to_screen(scene.lines[:, 1])
        d = b[:, :2] - a[:, :2]
        p = np.array([x, y])
        size = np.maximum((d * d).sum(axis=1), 1e-9)
        t = np.clip(((p - a[:, :2]) * d).sum(axis=1) / size, 0, 1)
        distance = np.linalg.norm(a[:, :2] + d * t[:, None] - p, axis=1)
        depth = a[:, 2] + (b[:, 2] - a[:, 2]) * t
        near = np.flatnonzero(distance <= REACH)
        order = near[np.lexsort((depth[near], np.round(distance[near] / 3)))]
        return [scene.ids[i] for i in order]

    def step(self, by: int = 1) -> None:
        """The next of the things that lay under the last click."""
        if not self._stack:
            return
        picked = self.state.picked
        at = self._stack.index(picked) if picked in self._stack else -1
        self.state.pick(*self._stack[(at + by) % len(self._stack)])

    def in_box(self, a: tuple[float, float], b: tuple[float, float], touched: bool) -> list[tuple[str, str]]:
        """Shown members and surfaces that lie inside of a box between two places of the widget, or are
        `touched` by it."""
        scene = self.view.scene
        if self.view.canvas is None or scene is None:
            return []
        ratio, height = self.view.devicePixelRatioF(), self.view.plotter.render_window.GetSize()[1]
        corners = np.array([(x * ratio, height - y * ratio) for x, y in (a, b)])
        box = corners.min(axis=0), corners.max(axis=0), touched
        found: list[tuple[str, str]] = []
        if len(scene.lines):
            start, end = (self.view.canvas.to_screen(scene.lines[:, k])[:, :2] for k in (0, 1))
            found = [("member", scene.ids[k]) for k in np.flatnonzero(lines_in(start, end, *box))]
        rings = ((s.id, self.view.canvas.to_screen(s.outer)[:, :2]) for s in scene.surfaces)
        return found + [("surface", ident) for ident, ring in rings if outline_in(ring, *box)]

    def node_at(self, x: float, y: float) -> str:
        """The shown node nearest to a place of the widget, "" for none near it; of several behind each other
        the front one."""
        scene = self.view.scene
        if self.view.canvas is None or scene is None:
            return ""
        ids = sorted(
            {
                n
                for i in scene.ids
                for m in (scene.model.members[i],)
                for n in (m.start, m.end, *(j.node for j in m.joints))
            }
        )
        if not ids:
            return ""
        ratio, height = self.view.devicePixelRatioF(), self.view.plotter.render_window.GetSize()[1]
        at = self.view.canvas.to_screen(np.array([scene.model.nodes[n].point for n in ids]))
        off = np.linalg.norm(at[:, :2] - (x * ratio, height - y * ratio), axis=1)
        best = int(np.lexsort((at[:, 2], np.round(off / 3)))[0])
        return ids[best] if off[best] <= REACH else ""

    def _boxed(self, event: QMouseEvent) -> bool:
        """Shift and a drag select by a box, Shift and a click picks a node; whether the event was one of
        these."""
        where = (event.position().x(), event.position().y())
        more = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if (
            event.type() == QEvent.Type.MouseButtonPress
            and event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        ):
            self._box = where
            if self._band is None:
                self._band = QRubberBand(QRubberBand.Shape.Rectangle, self.view.plotter.interactor)
            self._band.setGeometry(QRect(event.position().toPoint(), QSize()))
            self._band.show()
            return True
        if self._box is None or self._band is None:
            return False
        if event.type() == QEvent.Type.MouseMove:
            self._band.setGeometry(
                QRect(QPointF(*self._box).toPoint(), event.position().toPoint()).normalized()
            )
        elif event.type() == QEvent.Type.MouseButtonRelease:
            start, self._box = self._box, None
            self._band.hide()
            if abs(where[0] - start[0]) + abs(where[1] - start[1]) < 4:
                node = self.node_at(*where)
                if node and more:
                    self.state.toggle("node", node)
                else:
                    self.state.pick("node" if node else None, node)
                return True
            found = self.in_box(start, where, event.button() == Qt.MouseButton.RightButton)
            kept = (
                list(
                    dict.fromkeys([*([self.state.picked] if self.state.picked else []), *self.state.selected])
                )
                if more
                else []
            )
            self.state.select([*kept, *(p for p in found if p not in kept)])
            self.boxed.emit()
        return True

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if self.view.pointing.active:
            return super().eventFilter(watched, event)  # something is drawn: clicks are places
        if isinstance(event, QMouseEvent) and self._boxed(event):
            return True  # the picture is not turned meanwhile
        if isinstance(event, QMouseEvent) and event.button() == Qt.MouseButton.LeftButton:
            where = (event.position().x(), event.position().y())
            if event.type() == QEvent.Type.MouseButtonPress:
                self._press = where
            elif event.type() == QEvent.Type.MouseButtonRelease and self._press is not None:
                if abs(where[0] - self._press[0]) + abs(where[1] - self._press[1]) < 4:
                    self.click(*where, more=bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
                self._press = None
        if isinstance(event, QMouseEvent) and event.button() == Qt.MouseButton.RightButton:
            where = (event.position().x(), event.position().y())
            if event.type() == QEvent.Type.MouseButtonPress:
                self._right = where
            elif event.type() == QEvent.Type.MouseButtonRelease and self._right is not None:
                start, self._right = self._right, None
                if abs(where[0] - start[0]) + abs(where[1] - start[1]) < STILL:
                    self._menu(*where)
                    self.menu_asked.emit(event.globalPosition().toPoint())
        return super().eventFilter(watched, event)

    def _menu(self, x: float, y: float) -> None:
        """Pick what lies at a place of the widget, unless it is selected already."""
        before = [self.state.picked, *self.state.selected]
        ratio, height = self.view.devicePixelRatioF(), self.view.plotter.render_window.GetSize()[1]
        place = x * ratio, height - y * ratio
        found = [("member", i) for i in self.members_at(*place)] + [
            ("surface", i) for i in self.surfaces_at(*place)
        ]
        if found and found[0] not in before:
            self.click(x, y)

    def click(self, x: float, y: float, more: bool = False) -> None:
        """Pick what lies at a place of the widget: members first, then slabs and walls from front to back; a
        click on nothing picks nothing. With `more` it is added to the selection, or taken out of it."""
        ratio = self.view.devicePixelRatioF()
        height = self.view.plotter.render_window.GetSize()[1]
        place = x * ratio, height - y * ratio
        self._stack = [("member", i) for i in self.members_at(*place)] + [
            ("surface", i) for i in self.surfaces_at(*place)
        ]
        if self._stack and more:
            self.state.toggle(*self._stack[0])
        elif self._stack:
            self.state.pick(*self._stack[0])
        elif not more:
            self.state.pick(None)

    def surfaces_at(self, x: float, y: float) -> list[str]:
        """Surfaces under a place of the picture (px from the lower left), from front to back."""
        scene = self.view.scene
        if self.view.canvas is None or scene is None:
            return []
        found = []
        for s in scene.surfaces:
            rings = [self.view.canvas.to_screen(r) for r in (s.outer, *s.openings)]
            if (rings[0][:, :2].min(axis=0) > (x, y)).any() or (rings[0][:, :2].max(axis=0) < (x, y)).any():
                continue
            pane = Polygon(rings[0][:, :2], [r[:, :2] for r in rings[1:]])
            if pane.is_valid and pane.area > 4 and pane.contains(Point(x, y)):
                found.append((float(rings[0][:, 2].mean()), s.id))
        return [ident for _, ident in sorted(found)]

    @property
    def stacked(self) -> int:
        """How many things lay under the last click."""
        return len(self._stack)
