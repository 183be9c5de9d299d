"""The mark: four strokes and a fifth across, as icon and as progress."""

from __future__ import annotations

from PyQt6.QtCore import QLineF, QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap

from .theme import INK, PALE

STEP, GAP = 4.0, 7.0


def draw_tally(painter: QPainter, box: QRectF, done: int, total: int, colour: str = INK) -> None:
    """`total` strokes in fives from the left of the box, the first `done` of them in ink, the others pale."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    x = box.left() + 1
    top, bottom = box.top(), box.bottom()
    start = x
    for n in range(total):
        painter.setPen(QPen(QColor(colour if n < done else PALE), 1.4, cap=Qt.PenCapStyle.RoundCap))
        if n % 5 == 4:
            painter.drawLine(QLineF(start - 2.5, bottom - 2.5, x - STEP + 2.5, top + 2.5))
            x += GAP - STEP
            start = x
        else:
            painter.drawLine(QLineF(x, top, x, bottom))
            x += STEP


def mark(size: int = 64, colour: str = INK) -> QIcon:
    """The application's icon."""
    pixmap = QPixmap(size, size)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(colour), size / 13, cap=Qt.PenCapStyle.RoundCap))
    for k in range(4):
        x = size * (0.23 + 0.18 * k)
        painter.drawLine(QLineF(x, size * 0.15, x, size * 0.85))
    painter.drawLine(QLineF(size * 0.08, size * 0.72, size * 0.92, size * 0.28))
    painter.end()
    return QIcon(pixmap)
