"""The close-up: the spot of a finding enlarged, with the true distance written in."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from ...model.geometry.closeup import CloseUp, close_up, nearest_part
from ...model.geometry.vectors import Array
from ..quantities import METRIC, UnitSet
from ..session.state import DeskState
from ..theme import EDGE, GRAPHITE, INK, MUTED, PAPER, PINE, RUST, SHEET, WASH

SPOTS = ("join.gap", "join.crossing", "join.duplicate", "join.inside", "surface.gap", "surface.duplicate")
ALONE = ("join.loose_end", "join.island", "support.base_free", "source.moved")  # shown with what lies nearest


class CloseUpPanel(QWidget):
    """Shown while a finding about two parts is picked, or about one that comes near to another."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.units: UnitSet = METRIC
        self.spot: CloseUp | None = None
        self.setFixedHeight(132)
        self.setToolTip("The two members as the source draws them, seen across their plane")
        self.hide()

    def draw(self) -> bool:
        """Take up the picked finding; False (and hidden) when it is about no two members."""
        self.spot = None
        finding, review = self.state.finding, self.state.review
        if finding is not None and review is not None and finding.code in SPOTS:
            ids = [i for i in finding.ids if review.model.part(i) is not None]
            if len(ids) == 2:
                self.spot = close_up(review.model, ids[0], ids[1])
        elif finding is not None and review is not None and finding.code in ALONE:
            own = next((i for i in finding.ids if i in review.model.members), "")
            other = nearest_part(review.model, own) if own else None
            if other is not None:
                self.spot = close_up(review.model, own, other)
        self.setVisible(self.spot is not None)
        self.update()
        return self.spot is not None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.spot is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0.5, 0.5, self.width() - 1, self.height() - 1)
        painter.fillRect(box, QColor(PAPER))
        painter.setClipRect(box)
        spot = self.spot
        # as large as lets the distance be seen: the gap takes a fifth of the picture, or the sections all of
        # it
        reach = max(spot.distance * 2.5, 0.35)
        scale = min(box.width(), box.height() * 1.6) / (2 * reach)

        def at(p: Array) -> QPointF:
            return QPointF(box.center().x() + float(p[0]) * scale, box.center().y() - float(p[1]) * scale)

        for outline, fill, line in ((spot.other, SHEET, GRAPHITE), (spot.own, WASH, PINE)):
            painter.setBrush(QColor(fill))
            painter.setPen(QPen(QColor(line), 1.4))
            painter.drawPolygon(QPolygonF([at(p) for p in outline]))
        painter.setPen(QPen(QColor(RUST), 1.6))
        a, b = at(spot.near_own), at(spot.near_other)
        text = f"{self.units.show(spot.distance, 'small', 3)} {self.units.small[1]}"
        if spot.distance > 1e-6:
            d = np.array([b.x() - a.x(), b.y() - a.y()])
            side = np.array([-d[1], d[0]]) / max(float(np.hypot(*d)), 1e-9) * 6
            painter.drawLine(QLineF(a, b))
            for p in (a, b):
                painter.drawLine(QLineF(p.x() - side[0], p.y() - side[1], p.x() + side[0], p.y() + side[1]))
            painter.drawText(QPointF((a.x() + b.x()) / 2 - 18, max(a.y(), b.y()) + 20), text)
        else:
            painter.drawText(QPointF(a.x() + 8, a.y() + 18), "touching")
        painter.setPen(QColor(INK))
        painter.drawText(
            box.adjusted(7, 4, -7, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, "Close-up"
        )
        painter.setPen(QColor(MUTED))
        names = f"{spot.own_name} · {spot.other_name}"
        painter.drawText(
            box.adjusted(7, 0, -7, -4), Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, names
        )
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QColor(EDGE))
        painter.drawRect(box)
