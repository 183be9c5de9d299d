"""The review steps, how much of each was looked at, what is open."""

from __future__ import annotations

from dataclasses import dataclass, field

from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from ...model import Finding
from ...review import CASE, STEPS, Item, Step, items_of
from ...review.remedies import ACCEPT, GO, can_do
from ...review.titles import title_of
from ..session.state import DeskState, Revision
from ..tally_mark import draw_tally
from ..theme import BAND, GRAPHITE, INK, MOSS, MUTED, PALE, PINE, SEVERITY_COLOUR, SEVERITY_MARK, SHEET

HEAD, ROW, WIDE = 43, 20, 196  # pixels with text of the usual size
LINE = 17  # height of a line of that
ORDER = {"blocking": 0, "warning": 1, "note": 2}


def verdict(step: Step, item: Item, revision: Revision, seen: bool) -> tuple[str, str]:
    """Return what stands beside an item of a step, and its colour: what was found, or that nothing was;
    without results of this model nothing was looked for."""
    found = [f for f in revision.review.findings if f.code in item.codes]
    above = [f for f in found if f.severity != "note"]
    still = [f for f in above if revision.decision(f) == "open"]
    if still:
        worst = "blocking" if any(f.severity == "blocking" for f in still) else "warning"
        return f"{len(still)} open", SEVERITY_COLOUR[worst]
    if above:
        return "decided", MOSS
    if found:
        return f"{len(found)} note{'s' if len(found) > 1 else ''}", MUTED
    if not item.codes:
        return ("seen", MOSS) if seen else ("to look at", MUTED)
    if step.of_results and revision.review.why_old:
        return "old" if revision.review.has_run else "not run", MUTED
    return "none", MOSS


@dataclass(slots=True)
class Alike:
    """Open findings of one code and severity; `action`: what mends the first of them at once, "" for
    nothing."""

    title: str
    severity: str
    findings: list[Finding]
    action: str = ""

    @property
    def parts(self) -> int:
        """How many findings there are, those that a finding gathers counted."""
        return sum(len(f.parts) or 1 for f in self.findings)


@dataclass(slots=True)
class ToCheck:
    """One thing of a step: its title, what stands beside it in a word, whether it was looked at."""

    title: str
    state: str
    colour: str
    seen: bool
    alike: list[Alike] = field(default_factory=list)


def to_check(step: Step, revision: Revision) -> list[ToCheck]:
    """The things to check in a step, in its order; load cases aside, which the step lists itself."""
    out = []
    for item in items_of(step, revision.review.model):
        if item.title.startswith(CASE):
            continue
        seen = f"{step.name}/{item.title}" in revision.looked
        state, colour = verdict(step, item, revision, seen)
        out.append(ToCheck(item.title, state, colour, seen, _alike(item, revision)))
    return out


def _alike(item: Item, revision: Revision) -> list[Alike]:
    groups: dict[tuple[str, str], Alike] = {}
    for f in revision.review.findings:
        if f.code in item.codes and revision.decision(f) == "open" and f.severity != "note":
            key = f.code, f.severity
            if key not in groups:
                groups[key] = Alike(title_of(f), f.severity, [], _action(f, revision))
            groups[key].findings.append(f)
    return sorted(groups.values(), key=lambda a: ORDER[a.severity])


def _action(finding: Finding, revision: Revision) -> str:
    """The first button of a finding that mends it."""
    model = revision.review.model
    return next((a for a in finding.actions if a not in (ACCEPT, GO) and can_do(model, finding, a)), "")


class StepWidget(QWidget):
    """One step; when it is the chosen one its items are listed, and a click on one marks it as looked at."""

    chosen = pyqtSignal(object)
    toggled = pyqtSignal(str)

    def __init__(self, step: Step, state: DeskState) -> None:
        super().__init__()
        self.step, self.state = step, state
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(step.name)
        self.setToolTip("Click to take this step; click an item to mark it as looked at")

    @property
    def active(self) -> bool:
        return self.state.step is self.step

    @property
    def scale(self) -> float:
        """How much larger text is than usual."""
        return max(self.fontMetrics().height() / LINE, 1.0)

    @property
    def row(self) -> int:
        return round(ROW * self.scale)

    @property
    def head(self) -> int:
        return round(HEAD * self.scale)

    @property
    def items(self) -> tuple[Item, ...]:
        revision = self.state.revision
        return items_of(self.step, revision.review.model if revision else None)

    def sizeHint(self) -> QSize:
        return QSize(
            round(190 * self.scale), self.head + (self.row * len(self.items) + 5 if self.active else 0)
        )

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def item_key(self, index: int) -> str:
        return f"{self.step.name}/{self.items[index].title}"

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        row = int((event.position().y() - self.head) // self.row)
        if self.active and 0 <= row < len(self.items):
            title = self.items[row].title
            if title.startswith(CASE):  # a case is looked at by showing it
                self.state.set_view(case=title.removeprefix(CASE))
            self.toggled.emit(self.item_key(row))
        else:
            self.chosen.emit(self.step)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.chosen.emit(self.step)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        width = self.width()
        if self.active:
            painter.fillRect(self.rect(), QColor(BAND))
            painter.fillRect(0, 0, 4, self.height(), QColor(PINE))
        else:
            painter.fillRect(self.rect(), QColor(SHEET))
        bold = QFont(self.font())
        bold.setBold(True)
        painter.setFont(bold)
        painter.setPen(QColor(INK))
        painter.drawText(
            QRectF(16, 6, width - 90, 18 * self.scale), Qt.AlignmentFlag.AlignVCenter, self.step.name
        )
        revision = self.state.revision
        x = width - 10.0
        for severity in ("note", "warning", "blocking"):
            count = len(revision.open_findings(self.step, severity)) if revision else 0
            if not count or severity == "note":
                continue
            text = f"{SEVERITY_MARK[severity]} {count}"
            painter.setPen(QColor(SEVERITY_COLOUR[severity]))
            w = painter.fontMetrics().horizontalAdvance(text)
            x -= w
            painter.drawText(QRectF(x, 6, w + 2, 18 * self.scale), Qt.AlignmentFlag.AlignVCenter, text)
            x -= 8
        looked = revision.looked if revision else set()
        done = sum(self.item_key(k) in looked for k in range(len(self.items)))
        draw_tally(
            painter, QRectF(17, 27 * self.scale, width, 11), done, len(self.items), INK if done else GRAPHITE
        )
        if self.active:
            self._paint_items(painter, width)
        painter.end()

    def _paint_items(self, painter: QPainter, width: int) -> None:
        revision = self.state.revision
        painter.setFont(self.font())
        for k, item in enumerate(self.items):
            y = self.head + k * self.row
            seen = revision is not None and self.item_key(k) in revision.looked
            painter.setPen(QColor(INK if seen else GRAPHITE))
            stroke = "✓" if seen else "·"
            painter.drawText(QRectF(17, y, 10, self.row), Qt.AlignmentFlag.AlignVCenter, stroke)
            text, colour = verdict(self.step, item, revision, seen) if revision is not None else ("", PALE)
            taken = painter.fontMetrics().horizontalAdvance(text)
            title = painter.fontMetrics().elidedText(
                item.title.removeprefix(CASE), Qt.TextElideMode.ElideRight, width - 48 - taken
            )
            painter.drawText(
                QRectF(28, y, width - 44 - taken, self.row), Qt.AlignmentFlag.AlignVCenter, title
            )
            painter.setPen(QColor(colour))
            painter.drawText(
                QRectF(0, y, width - 11, self.row),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                text,
            )


class StepsPanel(QScrollArea):
    """All steps, top to bottom."""

    item_toggled = pyqtSignal(str)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        body = QWidget()
        body.setStyleSheet(f"background: {SHEET};")
        layout = QVBoxLayout(body)
        layout.setContentsMargins(0, 6, 0, 6)
        layout.setSpacing(0)
        self.steps = [StepWidget(step, state) for step in STEPS]
        for widget in self.steps:
            layout.addWidget(widget)
            widget.chosen.connect(state.go)
            widget.toggled.connect(self.item_toggled)
        layout.addStretch()
        self.setWidget(body)
        self._resize()
        state.step_changed.connect(self._resize)
        for signal in (state.revision_changed, state.decided):
            signal.connect(self._repaint)

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self._resize()

    def _resize(self) -> None:
        if not hasattr(self, "steps"):
            return  # styled while it is made
        self.setFixedWidth(round(WIDE * self.steps[0].scale))
        for widget in self.steps:
            widget.updateGeometry()
            widget.update()

    def _repaint(self) -> None:
        for widget in self.steps:
            widget.updateGeometry()
            widget.update()
