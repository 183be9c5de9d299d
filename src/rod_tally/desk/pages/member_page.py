"""A member's own page: every component along it with a common pointer, the band of all combinations and what
governs, the displacement between its ends, and what the member is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from math import inf

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from ...analysis.frame.shape import between_ends
from ...analysis.results.results import COMPONENTS, Results
from ...compare import Side
from ...compare.results.along import forces_before
from ...model import Member, Release
from ...model.geometry.vectors import Array
from ...review import Review
from ...review.tallies.load_tally import on_member
from ..quantities import FORCE_KIND, UnitSet
from ..session.state import DeskState
from ..theme import GRAPHITE, INK, MUTED, OCHRE, PINE, RUST

SIDEWAYS = ("uy", "uz")
WORDS = {"uy": "displacement between its ends, local y", "uz": "displacement between its ends, local z"}
MOST_LOADS = 12


class _Curve(QWidget):
    """One quantity along the member, with its title."""

    def __init__(self, name: str, moved: Callable[[float], None]) -> None:
        super().__init__()
        self.name = name
        self.title = QLabel()
        # a long one widens nothing, and is read whole in two lines
        self.title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.title.setWordWrap(True)
        self.plot = pg.PlotWidget()
        self.plot.setMenuEnabled(False)
        self.plot.setMouseEnabled(False, False)
        self.plot.hideButtons()
        self.plot.setMinimumHeight(92)
        self.pointer = pg.InfiniteLine(angle=90, pen=pg.mkPen(GRAPHITE))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.title)
        layout.addWidget(self.plot, 1)
        self.at: Array = np.zeros(0)
        self.values: Array = np.zeros(0)
        self.text = self._note = ""
        self.before: list[tuple[Array, Array]] = []
        scene = self.plot.scene()
        assert scene is not None
        scene.sigMouseMoved.connect(lambda at: moved(float(self.plot.getViewBox().mapSceneToView(at).x())))

    def show_values(
        self,
        x: Array,
        v: Array,
        unit: str,
        note: str = "",
        band: tuple[Array, Array] | None = None,
        before: Sequence[tuple[Array, Array]] = (),
    ) -> None:
        """Values along the member; `before`: pieces of what they were in the baseline, drawn in dashes."""
        self.before = list(before)
        self.at, self.values = x, v
        self.plot.clear()
        if band is not None:
            for values, colour in zip(band, (OCHRE, PINE)):
                self.plot.addItem(pg.PlotCurveItem(x, values, pen=pg.mkPen(colour, width=1)))
        self.plot.addItem(
            pg.PlotCurveItem(
                x, v, pen=pg.mkPen(PINE, width=2), fillLevel=0, brush=pg.mkBrush(29, 107, 102, 40)
            )
        )
        for at, values in before:
            self.plot.addItem(
                pg.PlotCurveItem(at, values, pen=pg.mkPen(INK, width=1.4, style=Qt.PenStyle.DashLine))
            )
        self.plot.addItem(pg.InfiniteLine(pos=0, angle=0, pen=pg.mkPen(INK)))
        self.plot.addItem(self.pointer)
        self.pointer.hide()
        self.text = f"<b>{self.name}</b> {unit}"
        ends = f"{_number(v.min())} to {_number(v.max())}" if len(v) else "–"
        self.title.setText(f"{self.text}: {ends}{note}")
        self.title.setToolTip(self.title.text())
        self._note = note

    def read(self, x: float) -> None:
        """Show the value at a place."""
        if not len(self.at) or not self.at[0] <= x <= self.at[-1]:
            return
        self.pointer.setPos(x)
        self.pointer.show()
        value = _number(float(np.interp(x, self.at, self.values)))
        was = next(
            (f", before {_number(float(np.interp(x, a, v)))}" for a, v in self.before if a[0] <= x <= a[-1]),
            "",
        )
        self.title.setText(f"{self.text}: <font color='{PINE}'>{value}{was} at {x:.2f} m</font>{self._note}")


class MemberPage(QDialog):
    """Follows the picked member and the shown case while it is open."""

    def __init__(self, parent: QWidget, state: DeskState, units: Callable[[], UnitSet]) -> None:
        super().__init__(parent)
        self.state, self.units = state, units
        self.setWindowTitle("Member")
        self.resize(1080, 640)
        row = QHBoxLayout(self)
        left = QVBoxLayout()
        self.words = QLabel()
        self.words.setTextFormat(Qt.TextFormat.RichText)
        self.words.setWordWrap(True)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.words)
        area.setFixedWidth(300)
        left.addWidget(area, 1)
        steps = QHBoxLayout()
        for title, by in (("Previous case", -1), ("Next case", 1)):
            button = QPushButton(title)
            button.clicked.connect(lambda _=False, b=by: self._step(b))
            steps.addWidget(button)
        left.addLayout(steps)
        row.addLayout(left)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.curves = {name: _Curve(name, self._read) for name in (*COMPONENTS, *SIDEWAYS)}
        for k, curve in enumerate(self.curves.values()):
            grid.addWidget(curve, k % 4, k // 4)
        row.addLayout(grid, 1)
        for signal in (state.picked_changed, state.overlay_changed, state.revision_changed):
            signal.connect(self._changed)

    def _changed(self) -> None:
        if self.isVisible():
            self.fill()

    def _step(self, by: int) -> None:
        cases = self.state.cases()
        if self.state.case in cases:
            self.state.set_view(case=cases[(cases.index(self.state.case) + by) % len(cases)])

    def _read(self, x: float) -> None:
        for curve in self.curves.values():
            curve.read(x)

    def fill(self) -> None:
        """Show the picked member; what it showed stays where no member is picked."""
        review, picked = self.state.review, self.state.picked
        if review is None or picked is None or picked[0] != "member" or picked[1] not in review.model.members:
            return
        member, case = review.model.members[picked[1]], self.state.case
        self.setWindowTitle(f"{member.cls.capitalize()} {member.name or member.id}")
        r = review.shown(case)
        stale = self.state.revision is not None and self.state.revision.stale
        done = not stale and case in r.cases and member.id in r.member_ids
        done = done and bool(r.member_done[r.case_index(case), r.member_ids.index(member.id)])
        self.words.setText(self._words(review, member, case, done))
        if done:
            self._forces(review, r, member, case)
            self._displacement(review, member, case)
        else:
            for curve in self.curves.values():
                curve.show_values(np.zeros(0), np.zeros(0), "")

    def _forces(self, review: Review, r: Results, member: Member, case: str) -> None:
        stations = r.stations_of(member.id)
        found = None if review.envelopes.waiting else review.envelopes.members(self.state.envelope_of)
        x = r.station_x[stations]
        was = self._before(review, member, case)
        for k, name in enumerate(COMPONENTS):
            factor, unit = getattr(self.units(), FORCE_KIND[name])
            values = r.force[r.case_index(case), stations, k] * factor
            note, band = "", None
            if found is not None:
                over = found[0]
                low, high = over.low[stations, k] * factor, over.high[stations, k] * factor
                band = low, high
                at, up = int(low.argmin()), int(high.argmax())
                names = [
                    over.combinations[int(by[stations[n], k])].name
                    for by, n in ((over.low_by, at), (over.high_by, up))
                ]
                note = (
                    f" <font color='{MUTED}'>· of all {_number(low.min())} ({names[0]}) to {_number(high.max())} "
                    f"({names[1]})</font>"
                )
            before = [(at, forces[:, k] * factor) for at, forces in was]
            if before:
                low, high = (f(v.min() if f is min else v.max() for _, v in before) for f in (min, max))
                note = f" <font color='{INK}'>· before {_number(low)} to {_number(high)}</font>{note}"
            self.curves[name].show_values(x, values, unit, note, band, before)

    def _before(self, review: Review, member: Member, case: str) -> list[tuple[Array, Array]]:
        """Return what the baseline's forces were along this member; [] where nothing is compared."""
        baseline, comparison = self.state.baseline, review.comparison
        if baseline is None or comparison is None or baseline.review.stale:
            return []
        sides = [Side(x.model, x.results, x.combinations) for x in (baseline.review, review)]
        return forces_before(sides[0], sides[1], comparison, member.id, case)

    def _displacement(self, review: Review, member: Member, case: str) -> None:
        shapes = None if review.shapes_waiting(case) else review.shapes(case)
        factor, unit = self.units().small
        if shapes is None:
            for name in SIDEWAYS:
                self.curves[name].show_values(
                    np.zeros(0), np.zeros(0), "(Show: Displaced shape works it out)"
                )
            return
        line = review.model.line(member)
        own = between_ends(shapes, review.results.member_ids.index(member.id), member.axes(line))
        for k, name in enumerate(SIDEWAYS):
            self.curves[name].show_values(own[:, 0], own[:, k + 1] * factor, f"{unit}, {WORDS[name]}")

    def _words(self, review: Review, m: Member, case: str, done: bool) -> str:
        """Return what the member is, in lines."""
        model, u = review.model, self.units()
        section, material = model.sections.get(m.section), model.materials.get(m.material)
        out = [f"<b style='font-size: 15px'>{m.cls.capitalize()} {m.name or m.id}</b>"]
        out.append(
            f"<font color='{MUTED}'>{' · '.join(p for p in (m.storey, m.id if m.name else '') if p)}</font>"
        )
        out.append(
            f"length {u.show(model.length(m), 'length')} {u.length[1]}, weight {u.show(model.weight(m), 'force')} {u.force[1]}"
        )
        text = f"section {m.section or 'none'}"
        if section is not None and section.usable:
            text += f": {'at the start ' if section.end is not None else ''}A {section.area * 1e4:.4g} cm², Iy {section.iy * 1e8:.4g} cm⁴, Iz {section.iz * 1e8:.4g} cm⁴, J {section.j * 1e8:.4g} cm⁴"
        out.append(text)
        e = f", E {material.E / 1e9:.4g} GPa" if material is not None and material.E is not None else ""
        out.append(f"material {m.material or 'none'}{e}")
        for title, node, release in (("start", m.start, m.release_start), ("end", m.end, m.release_end)):
            out.append(f"{title} at {node}, {release_words(release)}")
        inner = [j.node for j in m.joints]
        if inner:
            out.append(f"joined between at {', '.join(inner[:6])}{' …' if len(inner) > 6 else ''}")
        out.append("")
        if self.state.baseline is not None and review.comparison is not None:
            out.append(
                f"<font color='{MUTED}'>dashes: {self.state.baseline.name}, where it has the case</font>"
            )
        out.append(
            f"<b>{case or 'no case'}</b>"
            + ("" if done else f" <font color='{RUST}'>was not computed, or is old</font>")
        )
        if case in model.cases:
            parts = sorted(on_member(review, m.id, case), key=lambda p: -float(np.abs(p.force).max()))
            out.append("loads:" if parts else "no load")
            for p in parts[:MOST_LOADS]:
                k = int(np.abs(p.force).argmax())
                where = f"at {p.a:.2f} m" if p.a == p.b else f"{p.a:.2f} to {p.b:.2f} m"
                out.append(
                    f"· {p.what} {where}: {'xyz'[k]} {u.show(float(p.force[k]), 'force', 3)} {u.force[1]}, {p.origin}"
                )
            if len(parts) > MOST_LOADS:
                out.append(f"and {len(parts) - MOST_LOADS} smaller ones")
        else:
            found = next((c for c in review.combinations if c.name == case), None)
            if found is not None:
                out.append(" + ".join(f"{f:g} {n}" for n, f in found.factors.items()))
        return "<br>".join(out)


def release_words(release: Release) -> str:
    """Which components an end is released in, or sprung."""
    free = [c for c, k in zip(COMPONENTS, release.stiffness) if k == 0]
    sprung = [c for c, k in zip(COMPONENTS, release.stiffness) if 0 < k < inf]
    parts = ([f"released in {', '.join(free)}"] if free else []) + (
        [f"sprung in {', '.join(sprung)}"] if sprung else []
    )
    return "; ".join(parts) or "fixed to it"


def _number(value: float) -> str:
    return "0" if abs(value) < 5e-7 else f"{value:.4g}"
