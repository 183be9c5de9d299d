"""Values beside a grade or a section in a list: stiffness and density, or size."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QSize, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QComboBox, QStyledItemDelegate, QStyleOptionViewItem

from ...model.catalogue.catalogue import catalogue
from ...model.catalogue.grades import grades
from ..theme import MUTED

GAP = 18  # px between a name and what stands beside it


def beside(name: str) -> str:
    """Return the values of a grade or the size of a catalogue's section in words; "" for neither.

    >>> beside("S355"), beside("IPE 300"), beside("none of these")
    ('E 210 GPa, 7850 kg/m³', '150 x 300 mm', '')
    """
    grade = grades().get(name)
    if grade is not None:
        return f"E {grade.E / 1e9:.4g} GPa, {grade.density:g} kg/m³"
    rolled = catalogue().get(name)
    if rolled is None:
        return ""
    d = rolled.dims
    if "diameter" in d:
        return f"{d['diameter'] * 1000:g} mm"
    sides = [f"{d[k] * 1000:g}" for k in ("width", "depth") if k in d]
    return f"{' x '.join(sides)} mm" if sides else ""


class Beside(QStyledItemDelegate):
    """Paints it in the list, to the right of the name."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        size = super().sizeHint(option, index)
        text = beside(str(index.data() or ""))
        more = option.fontMetrics.horizontalAdvance(text) + GAP if text else 0
        return QSize(size.width() + more, size.height())

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        super().paint(painter, option, index)
        text = beside(str(index.data() or ""))
        if text and painter is not None:
            painter.save()
            painter.setPen(QColor(MUTED))
            painter.drawText(
                option.rect.adjusted(0, 0, -6, 0),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                text,
            )
            painter.restore()


def show_beside(box: QComboBox) -> None:
    """Have a list show it, as it is opened and as it narrows, wide enough for both."""
    if not any(beside(box.itemText(k)) for k in range(min(box.count(), 400))):
        return
    finder = box.completer()
    metrics = box.fontMetrics()
    texts = [box.itemText(k) for k in range(box.count())]
    widest = max(metrics.horizontalAdvance(t) + metrics.horizontalAdvance(beside(t)) for t in texts)
    box.setItemDelegate(Beside(box))
    popup = finder.popup() if finder is not None else None
    if popup is not None:
        popup.setItemDelegate(Beside(popup))
    for view in (box.view(), popup):
        if view is not None:
            view.setMinimumWidth(widest + 3 * GAP)
