"""Details: what is known of the picked thing, in the source, in the model, in the results; and what can be
done."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ...analysis.results.results import COMPONENTS
from ...model import Finding, Member, Surface
from ...review.remedies import can_do
from ...review.tallies.load_tally import on_member
from ...review.titles import title_of
from ..forms.fit_button import FitButton
from ..overlays.model import support_words
from ..quantities import FORCE_KIND, METRIC, UnitSet
from ..session.state import LOADS, DeskState
from ..tables.surface_rows import CARRIES, surface_results
from ..theme import EDGE, GRAPHITE, MOSS, MUTED, OCHRE, PINE, RUST, SEVERITY_COLOUR, SEVERITY_MARK, TEXT
from ..view.closeup_panel import CloseUpPanel
from .member_plot import MemberPlot
from .steps_panel import Alike, to_check

# what comes while a model is opened
NEXT = (
    "The building is drawn as soon as its axes are known. Then it is joined and checked, then run; each part of the window "
    "says when its part is not there yet. Esc cancels."
)
SHORT = 150  # letters of a message where several are listed
MOST_LOADS = 8  # of a member, listed
SIDES = ("", "source", "model", "results")


class DetailsPanel(QScrollArea):
    """`asked(finding, action)` when a button of a finding is pressed."""

    asked = pyqtSignal(object, str)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.units: UnitSet = METRIC
        self.busy = ""
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.plot = MemberPlot(state)
        self.close_up = CloseUpPanel(state)
        body = QWidget()
        outer = QVBoxLayout(body)
        outer.setContentsMargins(12, 10, 12, 10)
        self.content = QWidget()
        self.layout_ = QVBoxLayout(self.content)
        self.layout_.setContentsMargins(0, 0, 0, 0)
        self.layout_.setSpacing(5)
        outer.addWidget(self.content)
        outer.addWidget(self.close_up)
        outer.addWidget(self.plot)
        outer.addStretch()
        self.setWidget(body)
        for signal in (
            state.picked_changed,
            state.revision_changed,
            state.decided,
            state.overlay_changed,
            state.step_changed,
        ):
            signal.connect(self.draw)
        self.draw()

    def tell(self, busy: str) -> None:
        """Say what is being done while nothing is open yet; "" for nothing."""
        if busy != self.busy:
            self.busy = busy
            if self.state.review is None:
                self.draw()

    def draw(self) -> None:
        while self.layout_.count():
            item = self.layout_.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        review, picked = self.state.review, self.state.picked
        self.plot.units = self.close_up.units = self.units
        if review is None and self.busy:
            self._text("Opening", bold=True, size=15)
            self._text(f"{self.busy} …")
            self._text(NEXT, MUTED)
        elif review is None:
            self._text("Nothing is open", bold=True)
            self._text("File, Open model… reads an IFC file.", MUTED)
        elif picked is None:
            self._overview()
        elif picked[0] == "member" and picked[1] in review.model.members:
            self._member(review.model.members[picked[1]])
        elif picked[0] == "surface" and picked[1] in review.model.surfaces:
            self._surface(review.model.surfaces[picked[1]])
        elif picked[1] in review.model.nodes:
            self._node(picked[1])
        # the panel is short: of a finding about two members the spot is shown, else the diagram
        if self.close_up.draw():
            self.plot.hide()
        else:
            self.plot.draw()

    def _scale(self) -> float:
        """How much larger text is than usual."""
        return QApplication.font().pointSizeF() / TEXT

    def _text(self, text: str, colour: str = "", bold: bool = False, size: int = 0) -> QLabel:
        label = QLabel(text)
        label.setWordWrap(True)
        label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        style = (f"color: {colour};" if colour else "") + ("font-weight: bold;" if bold else "")
        label.setStyleSheet(style + (f"font-size: {round(size * self._scale())}px;" if size else ""))
        self.layout_.addWidget(label)
        return label

    def _overview(self) -> None:
        revision = self.state.revision
        assert revision is not None
        review = revision.review
        self._text(revision.name, bold=True, size=15)
        model = review.model
        kind = {
            "physical": "physical model",
            "analytical": "analytical model",
            "both": "physical and analytical model",
        }
        told = f"{kind.get(model.kind, model.kind)}, {model.schema}, lengths in {model.units.get('length', '?').lower()}"
        self._text(told if model.schema else "begun here, of no file", MUTED)
        if review.why_old:
            self._text(f"{review.why_old[0].upper()}{review.why_old[1:]}.", RUST if review.has_run else OCHRE)
        if review.waiting:
            self._text(f"Still being worked out: {review.waiting}.", OCHRE)
        if revision.being_checked:
            self._text(
                "The findings are from before the last correction: the model needs re-checking, which is going on.",
                OCHRE,
            )
        if self.state.finding is not None:
            self._finding(self.state.finding)
            return
        self._text(f"{self.state.step.name}: what to check", bold=True)
        for thing in to_check(self.state.step, revision):
            self._text(f"{'✓ ' if thing.seen else ''}{thing.title}: {thing.state}", thing.colour)
            for alike in thing.alike:
                self._alike(alike)
        worst = max((e.residual for e in review.results.equilibrium), default=None)
        if self.state.step.of_results and worst is not None and not review.why_old:
            cases = _counted(len(review.results.equilibrium), "case")
            self._text(f"{cases} in balance, largest residual {worst:.1e}", MOSS)
        self._text("Pick a part in the view or a row below for its details.", MUTED)

    def _alike(self, alike: Alike) -> None:
        """Findings of one kind: how many, the first in words, what shows it and what mends it."""
        mark, colour = SEVERITY_MARK[alike.severity], SEVERITY_COLOUR[alike.severity]
        first = alike.findings[0]
        many = f"{alike.parts} × " if alike.parts > 1 else ""
        self._text(f"{mark} {many}{alike.title}", colour, bold=True)
        text = self.units.words(first.message)
        self._text(text if len(text) <= SHORT else text[: text.rfind(" ", 0, SHORT)] + " …")
        row = QWidget()
        buttons = QHBoxLayout(row)
        buttons.setContentsMargins(0, 0, 0, 0)
        show = QPushButton("Show" if len(alike.findings) == 1 else f"Show the first of {len(alike.findings)}")
        show.clicked.connect(lambda: self.state.pick_finding(first))
        buttons.addWidget(show)
        if alike.action and len(alike.findings) == 1:
            mend = FitButton(alike.action)
            mend.clicked.connect(lambda: self.asked.emit(first, alike.action))
            buttons.addWidget(mend)
        buttons.addStretch()
        self.layout_.addWidget(row)

    def _member(self, m: Member) -> None:
        review = self.state.review
        assert review is not None
        model, u = review.model, self.units
        self._several()
        self._text(f"{m.cls.capitalize()} {m.name or m.id}", bold=True, size=15)
        self._text(" · ".join(p for p in (m.storey, m.id if m.name else "", m.tag) if p), MUTED)
        rows: list[tuple[str, str, str, str]] = []
        forces = self._forces(m.id)
        section = model.sections.get(m.section)
        rows.append(
            ("section", m.source_section or "–", m.section if section and section.usable else "not known", "")
        )
        material = model.materials.get(m.material)
        e = f"E {material.E / 1e9:.4g} GPa" if material and material.E is not None else "no E"
        rows.append(("material", m.source_material or "–", m.material or "–", e))
        source_length = (
            float(np.linalg.norm(m.source_line[1] - m.source_line[0])) if m.source_line is not None else None
        )
        rows.append(
            (f"length, {u.length[1]}", u.show(source_length, "length"), u.show(model.length(m), "length"), "")
        )
        at = model.members_at()
        for title, node, release, which in (
            ("start", m.start, m.release_start, 0),
            ("end", m.end, m.release_end, 1),
        ):
            held = model.nodes[node].support
            alone = len(at[node]) == 1 and not held.any
            words = "free" if alone else f"{node}, " + ("released" if release.any else "fixed")
            if held.any:
                words += f", {support_words(held)}"
            moved = ""
            if m.source_line is not None:
                step = float(np.linalg.norm(model.line(m)[which] - m.source_line[which]))
                moved = f"moved {step * 1000:.0f} mm" if step > 5e-4 else "in place"
                offset = m.offset_end if which else m.offset_start
                if np.abs(offset).max() > 1e-6:
                    moved = f"rigid link {np.linalg.norm(offset) * 1000:.0f} mm"
            rows.append((title, moved, words, forces.get(which, "")))
        rows.append((f"weight, {u.force[1]}", "", u.show(model.weight(m), "force"), ""))
        self._grid(rows)
        if section is not None and section.usable:
            cm2, cm4 = section.area * 1e4, 1e8
            self._text(
                ("" if section.end is None else "at the start ")
                + f"A {cm2:.4g} cm², Iy {section.iy * cm4:.4g} cm⁴, Iz {section.iz * cm4:.4g} cm⁴; {section.origin}",
                MUTED,
            )
        if self.state.overlay in LOADS:
            self._loads(m)
        mine = [f for f in review.findings if m.id in f.ids]
        mine.sort(key=lambda f: (f is not self.state.finding, f.order))
        for finding in mine[:4]:
            if finding.severity != "note" or finding is self.state.finding:
                self._finding(finding)

    def _loads(self, m: Member) -> None:
        """Say what the shown case puts on a member, and where each part comes from."""
        review, case, u = self.state.review, self.state.case, self.units
        assert review is not None
        if case not in review.model.cases:
            return
        parts = on_member(review, m.id, case)
        self._text(f"Loads of {case}" + ("" if parts else ": none"), bold=True)
        rows = []
        for p in sorted(parts, key=lambda p: -float(np.abs(p.force).max()))[:MOST_LOADS]:
            k = int(np.abs(p.force).argmax())
            where = f"{p.a:.2f} m" if p.a == p.b else f"{p.a:.2f} to {p.b:.2f} m"
            rows.append(
                (p.what, p.origin, where, f"{'xyz'[k]} {u.show(float(p.force[k]), 'force', 3)} {u.force[1]}")
            )
        if rows:
            self._grid(rows, ("", "from", "where", "sum"))
        if len(parts) > MOST_LOADS:
            self._text(f"and {len(parts) - MOST_LOADS} smaller ones", MUTED)

    def _surface(self, s: Surface) -> None:
        review = self.state.review
        assert review is not None
        model, u = review.model, self.units
        self._several()
        self._text(f"{s.cls.capitalize()} {s.name or s.id}", bold=True, size=15)
        self._text(" · ".join(p for p in (s.storey, s.id if s.name else "", s.tag) if p), MUTED)
        source_thickness = s.source_thickness if s.source_thickness is not None else s.thickness
        material = model.materials.get(s.material)
        e = f"E {material.E / 1e9:.4g} GPa" if material and material.E is not None else "no E"
        rows = [
            ("thickness, mm", f"{source_thickness * 1000:.4g}", f"{s.thickness * 1000:.4g}", ""),
            ("material", s.source_material or "–", s.material or "–", e),
            ("area, m²", f"{s.source_area:.2f}", f"{s.area:.2f}", ""),
            ("volume, m³", f"{s.source_volume:.2f}", f"{s.volume:.2f}", ""),
            (f"weight, {u.force[1]}", "", u.show(model.surface_weight(s), "force"), ""),
        ]
        if s.source_outer is not None and s.source_outer.shape == s.outer.shape:
            far = float(np.linalg.norm(s.outer - s.source_outer, axis=1).max())
            rows.append(("edges", "", f"moved up to {far * 1000:.0f} mm" if far > 5e-4 else "in place", ""))
        self._grid(rows)
        self._text(CARRIES[s.way], MUTED)
        for line in surface_results(self.state, u, s.id):
            self._text(line)
        if s.guess:
            self._text(s.guess, MUTED)
        held = [support_words(h.support) for h in s.supports]
        if held:
            self._text(f"foot {', '.join(sorted(set(held)))}")
        if s.on_ground:
            own = "".join(f"; a zone on {b.modulus / 1e6:g}" for b in s.beds)
            self._text(f"bedded on {s.bedding / 1e6:g} MN/m³{own}")
        counts: dict[str, int] = {}
        for other in {j.other for j in s.joints}:
            part = model.part(other)
            if part is not None:
                counts[part.cls] = counts.get(part.cls, 0) + 1
        tied = ", ".join(_counted(n, cls) for cls, n in sorted(counts.items()))
        self._text(f"tied to {tied}" if tied else "tied to nothing", MUTED if tied else RUST)
        mine = [f for f in review.findings if s.id in f.ids]
        mine.sort(key=lambda f: (f is not self.state.finding, f.order))
        for finding in mine[:4]:
            if finding.severity != "note" or finding is self.state.finding:
                self._finding(finding)

    def _several(self) -> None:
        """Say how many are selected beside the picked one."""
        count = len(self.state.selected)
        if count > 1:
            self._text(f"{count} are selected; corrections of the Model menu go to all of them", PINE)

    def _forces(self, ident: str) -> dict[int, str]:
        """End values of the shown component, by end."""
        review = self.state.review
        assert review is not None
        r = review.shown(self.state.case)
        if ident not in r.member_ids or self.state.case not in r.cases:
            return {}
        c = r.case_index(self.state.case)
        if not r.member_done[c, r.member_ids.index(ident)]:
            return {0: "not computed"}
        stations = r.stations_of(ident)
        k = COMPONENTS.index(self.state.component)
        kind = FORCE_KIND[self.state.component]
        unit = getattr(self.units, kind)[1]
        values = r.force[c, stations[[0, -1]], k]
        return {
            n: f"{self.state.component} {self.units.show(float(v), kind, 3)} {unit}"
            for n, v in enumerate(values)
        }

    def _grid(self, rows: list[tuple[str, str, str, str]], titles: Sequence[str] = SIDES) -> None:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 4, 0, 4)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        for k, title in enumerate(titles):
            label = QLabel(title)
            label.setStyleSheet(f"color: {MUTED};")
            grid.addWidget(label, 0, k)
        for n, row in enumerate(rows, 1):
            line = QFrame()
            line.setFixedHeight(1)
            line.setStyleSheet(f"background: {EDGE};")
            grid.addWidget(line, 2 * n - 1, 0, 1, 4)
            for k, text in enumerate(row):
                label = QLabel(text)
                label.setWordWrap(k > 0)
                label.setStyleSheet(
                    f"color: {MUTED if k == 0 else RUST if text in ('free', 'not known') else GRAPHITE};"
                )
                grid.addWidget(label, 2 * n, k, Qt.AlignmentFlag.AlignTop)
        for k in (1, 2, 3):
            grid.setColumnStretch(k, 1)
        self.layout_.addWidget(holder)

    def _node(self, ident: str) -> None:
        review = self.state.review
        assert review is not None
        model, u = review.model, self.units
        node = model.nodes[ident]
        self._text(f"Node {ident}", bold=True, size=15)
        place = ", ".join(u.show(float(v), "length") for v in node.point + model.origin)
        self._text(f"at {place} {u.length[1]}; {support_words(node.support)}", GRAPHITE)
        names = [f"{model.members[i].cls} {model.members[i].name or i}" for i in model.members_at()[ident]]
        self._text("joins " + ", ".join(names[:8]) + (" …" if len(names) > 8 else ""), MUTED)
        r = review.shown(self.state.case)
        if ident in r.node_ids and self.state.case in r.cases:
            c, n = r.case_index(self.state.case), r.node_ids.index(ident)
            if r.node_done[c, n]:
                moved = [
                    f"{a} {u.show(float(v), 'small', 3)}" for a, v in zip("xyz", r.displacement[c, n, :3])
                ]
                self._text(f"{self.state.case}: moves {', '.join(moved)} {u.small[1]}")
                if ident in r.support_ids:
                    f = r.reaction[c, r.support_ids.index(ident)]
                    shown = [f"{a} {u.show(float(v), 'force')}" for a, v in zip(("Fx", "Fy", "Fz"), f[:3])]
                    shown_m = [f"{a} {u.show(float(v), 'moment')}" for a, v in zip(("Mx", "My", "Mz"), f[3:])]
                    self._text(
                        f"reaction {', '.join(shown)} {u.force[1]}; {', '.join(shown_m)} {u.moment[1]}"
                    )
        for finding in review.findings:
            if ident in finding.ids:
                self._finding(finding)
        if node.support.any:
            self._button("Free this node", lambda: self.asked.emit(None, "Free this node"))
        else:
            self._button("Fix this node", lambda: self.asked.emit(None, "Fix this node"))

    def _finding(self, finding: Finding) -> None:
        revision = self.state.revision
        assert revision is not None
        status, reason = revision.decided(finding)
        mark, colour = SEVERITY_MARK[finding.severity], SEVERITY_COLOUR[finding.severity]
        self._text(f"{mark} {title_of(finding)}", colour, bold=True)
        self._text(finding.code, MUTED, size=10)
        self._text(self.units.words(finding.message))
        for a in revision.answers_to(finding):
            who = " · ".join(p for p in (a.author, a.when[:16].replace("T", " "), a.status) if p)
            self._text(f"Answer: {a.text}" if a.text else "Answered", PINE)
            self._text(who, MUTED, size=10)
        if status != "open":
            self._text(f"{status}: {reason}" if reason else status, MOSS)
            self._button("Open it again", lambda: self.asked.emit(finding, "reopen"))
            return
        assert self.state.review is not None
        for action in finding.actions:
            if can_do(self.state.review.model, finding, action):
                self._button(action, lambda _=False, a=action: self.asked.emit(finding, a))
            else:
                self._text(f"{action}: by hand", MUTED)

    def _button(self, text: str, call: Callable[..., None]) -> None:
        button = FitButton(text)
        button.clicked.connect(call)
        self.layout_.addWidget(button)


def _counted(count: int, what: str) -> str:
    """ "1 note", "3 notes"; blocking has no plural."""
    return f"{count} {what}" + ("s" if count != 1 and what != "blocking" else "")
