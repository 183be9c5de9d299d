"""The diagram of one member, with a pointer to read values."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from ...analysis.results.results import COMPONENTS
from ..quantities import FORCE_KIND, METRIC, UnitSet
from ..session.state import DeskState
from ..theme import GRAPHITE, INK, OCHRE, PINE


class MemberPlot(QWidget):
    """One component along the picked member in the case that is shown."""

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.units: UnitSet = METRIC
        self.title = QLabel()
        self.title.setObjectName("muted")
        self.plot = pg.PlotWidget()
        self.plot.setFixedHeight(120)
        self.plot.setMenuEnabled(False)
        self.plot.setMouseEnabled(False, False)
        self.plot.hideButtons()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.title)
        layout.addWidget(self.plot)
        self._x, self._v = np.zeros(0), np.zeros(0)
        self._line = pg.InfiniteLine(angle=90, pen=pg.mkPen(GRAPHITE))
        scene = self.plot.scene()
        assert scene is not None
        scene.sigMouseMoved.connect(self._read)

    def draw(self) -> bool:
        """Draw the picked member; False (and nothing shown) when it has no results."""
        review, picked = self.state.review, self.state.picked
        r = review.shown(self.state.case) if review else None
        good = (
            r is not None
            and picked is not None
            and picked[0] == "member"
            and picked[1] in r.member_ids
            and self.state.case in r.cases
        )
        if good:
            assert r is not None and picked is not None
            good = bool(r.member_done[r.case_index(self.state.case), r.member_ids.index(picked[1])])
        self.setVisible(good)
        if not good:
            return False
        assert r is not None and picked is not None
        stations = r.stations_of(picked[1])
        component = self.state.component
        factor, unit = getattr(self.units, FORCE_KIND[component])
        self._x = r.station_x[stations]
        self._v = r.force[r.case_index(self.state.case), stations, COMPONENTS.index(component)] * factor
        self.plot.clear()
        self._note = self._draw_envelope(stations, COMPONENTS.index(component), factor)
        self.plot.addItem(
            pg.PlotCurveItem(
                self._x, self._v, pen=pg.mkPen(PINE, width=2), fillLevel=0, brush=pg.mkBrush(29, 107, 102, 40)
            )
        )
        self.plot.addItem(pg.InfiniteLine(pos=0, angle=0, pen=pg.mkPen(INK)))
        self.plot.addItem(self._line)
        self._line.hide()
        self._default = f"{component} in {unit}, {self.state.case}"
        self.title.setText(f"{self._default}: {self._v.min():.4g} to {self._v.max():.4g}{self._note}")
        return True

    def _draw_envelope(self, stations: NDArray[np.int64], component: int, factor: float) -> str:
        """The band over all combinations behind the diagram; returns what governs, "" when there is none."""
        review = self.state.review
        wanted = review is not None and self.state.overlay == "envelope" and not review.envelopes.waiting
        found = review.envelopes.members(self.state.envelope_of) if review is not None and wanted else None
        if found is None:
            return ""
        over = found[0]
        low, high = over.low[stations, component] * factor, over.high[stations, component] * factor
        curves = [
            pg.PlotCurveItem(self._x, v, pen=pg.mkPen(c, width=1)) for v, c in ((high, PINE), (low, OCHRE))
        ]
        for curve in curves:
            self.plot.addItem(curve)
        names = [
            over.combinations[int(by[stations[at], component])].name
            for by, at in ((over.low_by, int(low.argmin())), (over.high_by, int(high.argmax())))
        ]
        return f"<br>envelope {low.min():.4g} ({names[0]}) to {high.max():.4g} ({names[1]})"

    def _read(self, place: object) -> None:
        if not len(self._x):
            return
        box = self.plot.getViewBox()
        x = float(box.mapSceneToView(place).x())
        if self._x[0] <= x <= self._x[-1]:
            self._line.setPos(x)
            self._line.show()
            value = float(np.interp(x, self._x, self._v))
            self.title.setText(f"{self._default}: {value:.4g} at {x:.2f} m")
