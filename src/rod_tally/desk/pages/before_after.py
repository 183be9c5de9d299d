"""Before against after: baseline across, revision up, a band of tolerance; a point picks its member."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ...analysis.results.results import COMPONENTS
from ...compare.results import ResultChange
from ...model.geometry.vectors import Array
from ..one_line import OneLine
from ..quantities import FORCE_KIND, METRIC, UnitSet
from ..session.state import DeskState
from ..theme import INK, MOSS, MUTED, OCHRE, PAPER, PINE

NAMED = 8  # points
APART = (0.24, 0.04)  # shares of the plot that names are apart, across and up

pg.setConfigOptions(antialias=True, background=PAPER, foreground=INK)


class ParityPlot(QWidget):
    """Largest force of each matched member, both revisions."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.units: UnitSet = METRIC
        self.named = False  # names of outliers need the room of a window
        self.choice = QComboBox()
        self.choice.addItems(list(COMPONENTS))
        self.choice.setCurrentText("my")
        self.words = OneLine()
        self.words.setObjectName("muted")
        top = QHBoxLayout()
        top.setContentsMargins(8, 3, 8, 3)
        top.addWidget(QLabel("Force"))
        top.addWidget(self.choice)
        top.addWidget(self.words, 1)
        self.larger = QPushButton("Larger")
        self.larger.setToolTip("The plot in a square window of its own; a click on a point shows its part")
        self.larger.clicked.connect(self._larger)
        top.addWidget(self.larger)
        self.window_: ParityWindow | None = None
        self.plot = pg.PlotWidget()
        self.plot.showGrid(x=True, y=True, alpha=0.12)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(top)
        layout.addWidget(self.plot)
        self.points = pg.ScatterPlotItem(size=7, pxMode=True)
        self.points.sigClicked.connect(self._clicked)
        self.choice.currentTextChanged.connect(self.draw)
        state.revision_changed.connect(self.draw)
        state.picked_changed.connect(self.draw)
        self._old = True

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._old:
            self.draw()

    def draw(self) -> None:
        """Draw it where it can be seen, or once it can be."""
        self._old = not self.isVisible()
        if self._old:
            return
        self.plot.clear()
        comparison, review = self.state.comparison, self.state.review
        if comparison is None or review is None:
            self.words.setText("compared with nothing yet")
            return
        name = self.choice.currentText()
        rows = [r for r in comparison.results if r.quantity == name and r.case == "envelope"]
        factor, unit = getattr(self.units, FORCE_KIND[name])
        was = np.array([abs(r.baseline) for r in rows]) * factor
        now = np.array([abs(r.revised) for r in rows]) * factor
        if not len(rows):
            self.words.setText("no member was computed in both revisions")
            return
        relative, least = review.settings.compare.of(name)
        most = float(max(was.max(), now.max())) or 1.0
        band = np.linspace(0, most, 50)
        wide = np.maximum(relative * band, least * factor)
        low = pg.PlotCurveItem(band, band - wide, pen=pg.mkPen(MUTED, style=Qt.PenStyle.DotLine))
        high = pg.PlotCurveItem(band, band + wide, pen=pg.mkPen(MUTED, style=Qt.PenStyle.DotLine))
        self.plot.addItem(pg.FillBetweenItem(low, high, brush=pg.mkBrush(29, 107, 102, 22)))
        for item in (low, high, pg.PlotCurveItem([0, most], [0, most], pen=pg.mkPen(INK))):
            self.plot.addItem(item)
        out = np.abs(now - was) > np.maximum(relative * was, least * factor)
        picked = self.state.picked[1] if self.state.picked else None
        spots = [
            {
                "pos": (was[k], now[k]),
                "data": r.revised_id,
                "symbol": "t1" if out[k] and now[k] > was[k] else "t" if out[k] else "o",
                "brush": pg.mkBrush(
                    PINE
                    if r.revised_id == picked
                    else OCHRE
                    if out[k] and now[k] > was[k]
                    else MOSS
                    if out[k]
                    else PAPER
                ),
                "pen": pg.mkPen(INK),
                "size": 13 if r.revised_id == picked else 8 if out[k] else 6,
            }
            for k, r in enumerate(rows)
        ]
        self.points.setData(spots)
        self.plot.addItem(self.points)
        if self.named:
            self._name_outliers(rows, was, now, out)
        self.plot.setLabel("bottom", f"baseline, largest |{name}| in {unit}")
        self.plot.setLabel("left", f"revision, {unit}")
        self.words.setText(
            f"{len(rows)} members in both; {int((out & (now > was)).sum())} stronger demand (△), "
            f"{int((out & (now < was)).sum())} weaker (▽), the rest within {relative:.0%} "
            f"or {least * factor:g} {unit}"
        )

    def _name_outliers(self, rows: list[ResultChange], was: Array, now: Array, out: Array) -> None:
        """The names of those that are farthest from the line, each where no other name stands."""
        review = self.state.review
        if review is None:
            return
        most = float(max(was.max(), now.max())) or 1.0
        named: list[tuple[float, float]] = []
        for k in np.argsort(-np.abs(now - was), kind="stable").tolist():
            if not out[k] or len(named) == NAMED:
                break
            if any(abs(was[k] - x) < APART[0] * most and abs(now[k] - y) < APART[1] * most for x, y in named):
                continue
            named.append((float(was[k]), float(now[k])))
            part = review.model.part(rows[k].revised_id or "")
            label = pg.TextItem(
                (part.name or part.id) if part is not None else "",
                color=INK,
                anchor=(1.1 if was[k] > 0.75 * most else -0.1, 0.5),
            )
            label.setPos(was[k], now[k])
            self.plot.addItem(label)

    def _larger(self) -> None:
        """The plot in a window of its own, square; the tables have theirs again when it is closed."""
        if self.window_ is None:
            self.window_ = ParityWindow(self)
        self.window_.show()
        self.window_.raise_()

    def _clicked(self, _item: object, points: list[pg.SpotItem]) -> None:
        if len(points):
            self.state.pick("member", str(points[0].data()))


class ParityWindow(QDialog):
    """The plot of its own, as large as it is drawn; it follows the window's state like the one among the
    tables."""

    def __init__(self, plot: ParityPlot) -> None:
        super().__init__(plot.window())
        self.setWindowTitle("Before and after")
        self.resize(660, 720)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.own = ParityPlot(plot.state)
        self.own.larger.hide()
        self.own.named = True
        self.own.plot.setAspectLocked(True)  # the line of equal values lies at 45 degrees
        self.own.units = plot.units
        self.own.choice.setCurrentText(plot.choice.currentText())
        self.own.draw()
        column.addWidget(self.own)
