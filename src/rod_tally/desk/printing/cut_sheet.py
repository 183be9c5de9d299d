"""Cuts on paper: for each regular set the plan with its diagrams of shear and moment, and a table; A4, one
set after the other."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QMarginsF, QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QColor,
    QFont,
    QPageLayout,
    QPageSize,
    QPainter,
    QPainterPath,
    QPdfWriter,
    QPen,
    QPolygonF,
)

from ...analysis.results.cuts import CUT_COMPONENTS, CutForces
from ...model import Model
from ...model.entities.cuts import Cut
from ...model.geometry.vectors import Array
from ...output.write import OutputError, write_whole
from ...review import Review
from ..quantities import UnitSet
from ..tables.surface_rows import WORDS
from ..theme import PRINTED

# on paper whatever the screen shows
EDGE, GRAPHITE, INK, MUTED, PINE, RUST = (
    PRINTED[k] for k in ("edge", "graphite", "ink", "muted", "pine", "rust")
)

MM = 10.0  # painter's units to a millimetre
WIDE, TALL, MARGIN = 297 * MM, 210 * MM, 14 * MM
PLOT = 92 * MM  # height of the plans
ROW = 5.2 * MM
PANELS = (("v", "Shear along the cuts"), ("m", "Moment about the plane's normal"))


Sets = dict[str, list[tuple[Cut, CutForces]]]


def print_cuts(review: Review, cases: list[str], units: UnitSet, path: Path) -> int:
    """Write the sheets of all cuts in cases and combinations as one PDF; returns how many pages. Raises
    OutputError where the file cannot be written, ValueError where no cut has forces in any of them."""
    by_case: dict[str, Sets] = {}
    for case in cases:
        forces = review.cut_forces(case)
        for cut in review.cuts:
            found = forces.get(cut.name)
            if isinstance(found, CutForces):
                by_case.setdefault(case, {}).setdefault(cut.family, []).append((cut, found))
    if not by_case:
        raise ValueError(f"no cut has forces in {', '.join(c for c in cases[:3] if c) or 'no case'}")
    pages = [0]

    def write(target: Path) -> None:
        device = QPdfWriter(str(target))
        device.setTitle(f"Cuts, {', '.join(list(by_case)[:3])}")
        device.setPageLayout(
            QPageLayout(
                QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Landscape, QMarginsF(0, 0, 0, 0)
            )
        )
        device.setResolution(round(25.4 * MM))
        painter = QPainter()
        if not painter.begin(device):
            raise OutputError(f"{path}: cannot be written to")
        try:
            sheets = _Sheets(painter, device, review.model, units)
            for case, sets in by_case.items():
                pages[0] = sheets.draw(case, sets)
        finally:
            painter.end()

    try:
        write_whole(path, write)
    except OSError as error:
        raise OutputError(f"{path}: cannot be written to: {error.strerror or error}") from error
    return pages[0]


class _Sheets:
    """Draws the pages one after the other."""

    def __init__(self, painter: QPainter, device: QPdfWriter, model: Model, units: UnitSet) -> None:
        self.p, self.device, self.model, self.case, self.units = painter, device, model, "", units
        self.page = 0
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    def draw(self, case: str, sets: Sets) -> int:
        """Draw the sheets of one case after those there are; returns how many there are then."""
        self.case = case
        for family, cuts in sets.items():
            y = self._head(family or "Single cuts", cuts)
            if len(cuts) > 1 and family:
                for k, (component, title) in enumerate(PANELS):
                    width = (WIDE - 3 * MARGIN) / 2
                    self._plan(QRectF(MARGIN + k * (width + MARGIN), y, width, PLOT), cuts, component, title)
                y += PLOT + 6 * MM
            self._table(y, family or "Single cuts", cuts)
        return self.page

    def _head(self, family: str, cuts: list[tuple[Cut, CutForces]]) -> float:
        if self.page:
            self.device.newPage()
        self.page += 1
        self._text(MARGIN, MARGIN, f"{family}: forces through {len(cuts)} cuts", 4.6, INK, True)
        factor = {c.factor for c, _ in cuts}
        times = "" if factor == {1.0} else ", factors of the cuts included"
        below = f"{self.model.name}   ·   {self.case}{times}   ·   {self.units.name}"
        self._text(MARGIN, MARGIN + 7 * MM, below, 3.0, MUTED)
        self._text(WIDE - MARGIN - 24 * MM, MARGIN, f"sheet {self.page}", 3.0, MUTED)
        return MARGIN + 14 * MM

    def _text(self, x: float, y: float, text: str, size: float, colour: str, bold: bool = False) -> None:
        self._font(size, bold)
        self.p.setPen(QColor(colour))
        self.p.drawText(QPointF(x, y + size * MM * 0.8), text)

    def _font(self, size: float, bold: bool = False) -> None:
        font = QFont("Lato")
        font.setPixelSize(round(size * MM))
        font.setBold(bold)
        self.p.setFont(font)

    def _plan(self, box: QRectF, cuts: list[tuple[Cut, CutForces]], component: str, title: str) -> None:
        """Slabs, cuts, and the component's values drawn along each cut from its middle."""
        kind = "force" if component[0] in "nv" else "moment"
        unit = getattr(self.units, kind)[1]
        self._text(box.x(), box.y(), f"{title}, {WORDS[component]} in {unit}", 3.2, GRAPHITE, True)
        slabs = [self.model.surfaces[s] for s in cuts[0][0].surfaces if s in self.model.surfaces]
        axes = slabs[0].plain_axes if slabs else np.eye(3)
        # a floor is drawn as a plan, anything else in its own plane
        frame = np.eye(3)[:2] if abs(axes[2, 2]) > 0.9 else axes[:2]
        rings = [[ring @ frame.T for ring in (s.outer, *s.openings)] for s in slabs]
        lines = np.array([c.line @ frame.T for c, _ in cuts])
        values = np.array([getattr(f, component) for _, f in cuts])
        every = np.concatenate([*(r for rr in rings for r in rr), lines.reshape(-1, 2)])
        low, high = every.min(axis=0), every.max(axis=0)
        area = box.adjusted(2 * MM, 8 * MM, -2 * MM, -2 * MM)
        scale = (
            min(area.width() / max(high[0] - low[0], 1e-6), area.height() / max(high[1] - low[1], 1e-6))
            * 0.86
        )
        middle = (low + high) / 2

        def at(p: Array) -> QPointF:
            return QPointF(
                area.center().x() + float(p[0] - middle[0]) * scale,
                area.center().y() - float(p[1] - middle[1]) * scale,
            )

        for own in rings:
            path = QPainterPath()
            for ring in own:
                path.addPolygon(QPolygonF([at(q) for q in ring]))
                path.closeSubpath()
            self.p.setPen(QPen(QColor(EDGE), 0.3 * MM))
            self.p.setBrush(QColor(PRINTED["sheet"]))
            self.p.drawPath(path)
        self.p.setBrush(Qt.BrushStyle.NoBrush)
        self.p.setPen(QPen(QColor(GRAPHITE), 0.15 * MM))
        for line in lines:
            self.p.drawLine(at(line[0]), at(line[1]))
        most = float(np.abs(values).max())
        length = float(np.linalg.norm(lines[0, 1] - lines[0, 0]))
        way = (lines[:, 1] - lines[:, 0]) / np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)[:, None]
        foot = lines.mean(axis=1)
        head = foot + way * (values / most * 0.42 * length if most > 0 else 0 * values)[:, None]
        fill = QColor(PINE)
        fill.setAlphaF(0.18)
        self.p.setPen(Qt.PenStyle.NoPen)
        self.p.setBrush(fill)
        for k in range(len(foot) - 1):
            self.p.drawPolygon(QPolygonF([at(q) for q in (foot[k], foot[k + 1], head[k + 1], head[k])]))
        self.p.setBrush(Qt.BrushStyle.NoBrush)
        self.p.setPen(QPen(QColor(INK), 0.2 * MM))
        self.p.drawPolyline(QPolygonF([at(q) for q in foot]))
        self.p.setPen(QPen(QColor(PINE), 0.45 * MM))
        self.p.drawPolyline(QPolygonF([at(q) for q in head]))
        for f, h in zip(foot, head):
            self.p.drawLine(at(f), at(h))
        # as many values as have room beside each other
        step = max(
            1,
            round(
                len(foot)
                * 11
                * MM
                / max(abs(at(foot[-1]).x() - at(foot[0]).x()), abs(at(foot[-1]).y() - at(foot[0]).y()), 1)
            ),
        )
        labelled = {*range(0, len(foot), step), int(np.abs(values).argmax())}
        for k in labelled:
            place = at(head[k])
            self._text(
                place.x() + 0.8 * MM,
                place.y() - 3.0 * MM,
                self.units.show(float(values[k]), kind, 3),
                2.4,
                RUST,
            )

    def _table(self, y: float, family: str, cuts: list[tuple[Cut, CutForces]]) -> None:
        """Every cut with its place and all six components, on as many pages as it takes."""
        kinds = ["force" if c[0] in "nv" else "moment" for c in CUT_COMPONENTS]
        titles = ["Cut", "from x, y, z (m)", "to x, y, z (m)", "Factor"]
        titles += [f"{WORDS[c]}, {getattr(self.units, k)[1]}" for c, k in zip(CUT_COMPONENTS, kinds)]
        at = MARGIN + np.array([0, 34, 78, 122, 138, 160, 182, 204, 226, 248]) * MM
        y = self._titles(y, at, titles)
        for cut, f in cuts:
            if y > TALL - MARGIN - ROW:
                y = self._titles(self._head(family, cuts), at, titles)
            ends = [", ".join(f"{v:.2f}" for v in p) for p in cut.line + self.model.origin]
            cells = [cut.name, *ends, f"{cut.factor:g}"]
            cells += [self.units.show(getattr(f, c), k, 4) for c, k in zip(CUT_COMPONENTS, kinds)]
            for x, text in zip(at, cells):
                self._text(float(x), y, text, 2.6, INK)
            y += ROW

    def _titles(self, y: float, at: Array, titles: list[str]) -> float:
        for x, text in zip(at, titles):
            self._text(float(x), y, text, 2.4, MUTED)
        self.p.setPen(QPen(QColor(EDGE), 0.3 * MM))
        self.p.drawLine(QPointF(MARGIN, y + 4 * MM), QPointF(WIDE - MARGIN, y + 4 * MM))
        return y + 5 * MM
