"""The storey stack: a small elevation beside the view; drag over storeys to isolate them."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetrics, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from ..session.state import DeskState
from ..theme import EDGE, INK, MUTED, PINE, SEVERITY_COLOUR, SEVERITY_MARK, SHEET, WASH

WIDTHS = (76, 132)  # pixels; the least and the most


class StoreyStack(QWidget):
    """Storeys from the top down, each as high as it is in the building (within reason), with its count of
    findings."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.setFixedWidth(WIDTHS[0])
        self.setToolTip("Drag over storeys to show only these; click in the free space to show all")
        self._drag: int | None = None
        for signal in (state.revision_changed, state.shown_changed, state.decided):
            signal.connect(self.update)
        state.revision_changed.connect(self._widen)

    def _widen(self) -> None:
        """As wide as the longest name asks for, within limits."""
        small = QFont(self.font())
        small.setPointSizeF(self.font().pointSizeF() * 0.9)
        metrics = QFontMetrics(small)
        wide = max((metrics.horizontalAdvance(name) for name, _ in self.rows()), default=0) + 30
        self.setFixedWidth(min(max(wide, WIDTHS[0]), WIDTHS[1]))

    def rows(self) -> list[tuple[str, QRectF]]:
        """Storey names with their boxes, from the top down."""
        review = self.state.review
        if review is None or not review.model.storeys:
            return []
        used = {m.storey for m in review.model.members.values()}
        storeys = [s for s in review.model.storeys if s.name in used] or review.model.storeys
        heights = [b.elevation - a.elevation for a, b in zip(storeys, storeys[1:])]
        typical = sorted(heights)[len(heights) // 2] if heights else 3.0
        heights.append(typical)
        weights = [min(max(h, 0.6 * typical), 1.6 * typical) for h in heights]
        room = self.height() - 12.0 - 3.0 * len(storeys)
        unit = min(room / sum(weights), 130.0 / max(weights))
        y = 6.0
        out = []
        for storey, weight in zip(reversed(storeys), reversed(weights)):
            out.append((storey.name, QRectF(7, y, self.width() - 15, weight * unit)))
            y += weight * unit + 3
        return out

    def _counts(self) -> dict[str, dict[str, int]]:
        revision = self.state.revision
        counts: dict[str, dict[str, int]] = {}
        if revision is None:
            return counts
        members = revision.review.model.members
        for f in revision.open_findings():
            if f.severity == "note":
                continue
            first = next((i for i in f.ids if i in members), None)
            if first is not None:
                row = counts.setdefault(members[first].storey, {})
                row[f.severity] = row.get(f.severity, 0) + 1
        return counts

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(SHEET).lighter(102))
        counts = self._counts()
        small = QFont(self.font())
        small.setPointSizeF(self.font().pointSizeF() * 0.9)
        painter.setFont(small)
        for name, box in self.rows():
            on = name in self.state.storeys
            painter.setPen(QPen(QColor(PINE if on else EDGE), 1.4 if on else 1))
            painter.setBrush(QColor(WASH if on else SHEET))
            painter.drawRect(box)
            painter.setPen(QColor(INK))
            fitted = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(box.width()) - 8)
            painter.drawText(box.adjusted(5, 3, -2, 0), Qt.AlignmentFlag.AlignTop, fitted)
            x = box.left() + 5
            found = counts.get(name, {})
            if not found and box.height() > 34:
                painter.setPen(QColor(MUTED))
                painter.drawText(box.adjusted(5, 0, 0, -3), Qt.AlignmentFlag.AlignBottom, "–")
            for severity in ("blocking", "warning"):
                if severity in found and box.height() > 34:
                    text = f"{SEVERITY_MARK[severity]} {found[severity]}"
                    painter.setPen(QColor(SEVERITY_COLOUR[severity]))
                    painter.drawText(
                        QRectF(x, box.bottom() - 19, 40, 16), Qt.AlignmentFlag.AlignVCenter, text
                    )
                    x += painter.fontMetrics().horizontalAdvance(text) + 5
        painter.setPen(QColor(EDGE))
        painter.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
        painter.end()

    def _row_at(self, y: float) -> int | None:
        for k, (_, box) in enumerate(self.rows()):
            if box.top() - 2 <= y <= box.bottom() + 1:
                return k
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._drag = self._row_at(event.position().y())
        if self._drag is None:
            self.state.show_storeys(set())
            return
        name = self.rows()[self._drag][0]
        self.state.show_storeys(set() if self.state.storeys == {name} else {name})

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag is None:
            return
        row = self._row_at(event.position().y())
        if row is not None and row != self._drag:
            low, high = sorted((row, self._drag))
            self.state.show_storeys({name for name, _ in self.rows()[low : high + 1]})

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None
