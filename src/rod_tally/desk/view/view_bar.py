"""The strip above the view: what is shown, of which case, with which labels, from where."""

from __future__ import annotations

from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QPushButton, QSizePolicy

from ...analysis.results.cuts import CUT_COMPONENTS
from ...analysis.results.results import COMPONENTS
from ...analysis.shells.quantities import PLATE_QUANTITIES
from ...analysis.stress.section_stress import STRESSES
from ...analysis.walls.forces import WALL_COMPONENTS
from ..overlays.registry import overlays
from ..session.state import MOVEMENTS, VALUES, DeskState
from .view import View

LABELS = ("none", "members", "nodes", "sections", "surfaces", "lines", VALUES)
ARROW = 50  # pixels of a list beside its text
LEAST = 66  # pixels to which a list gives way where there is no room
MOST_OF_CASE = 14  # letters of a case's name that are shown
DIRECTIONS = (("3d", "3D"), ("plan", "Plan"), ("south", "South"), ("east", "East"))
OPPOSITE = {"plan": "below", "south": "north", "east": "west"}  # what a second press looks from
OPPOSITE_TITLES = {"plan": "Below", "south": "North", "east": "West"}
EVERY = "all combinations"


class ViewBar(QFrame):
    """Writes the user's choices to the state, and shows the state's."""

    def __init__(self, state: DeskState, view: View) -> None:
        super().__init__()
        self.state, self.view = state, view
        self.setObjectName("strip")
        row = self.row = QHBoxLayout(self)
        row.setContentsMargins(8, 4, 8, 4)
        row.setSpacing(5)
        self.show_choice, self.case_choice = QComboBox(), QComboBox()
        self.component_choice, self.label_choice = QComboBox(), QComboBox()
        for name, item in overlays().items():
            self.show_choice.addItem(item.title, name)
        self.component_choice.addItems(list(COMPONENTS))
        self.label_choice.addItems(list(LABELS))
        for text, widget in (
            ("Show", self.show_choice),
            ("Case", self.case_choice),
            ("Force", self.component_choice),
            ("Label", self.label_choice),
        ):
            label = QLabel(text)
            label.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
            row.addWidget(label)
            if text == "Force":
                self.component_label = label
            widget.setAccessibleName(text)
            row.addWidget(widget, 1)
        self.show_choice.activated.connect(lambda i: state.show_overlay(self.show_choice.itemData(i)))
        self.case_choice.textActivated.connect(self._choose_case)
        self.component_choice.textActivated.connect(self._choose_component)
        self.label_choice.textActivated.connect(lambda text: state.set_view(label=text))
        self.buttons: dict[str, QPushButton] = {}
        for name, title in DIRECTIONS:
            button = QPushButton(title)
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, n=name: self._look(n))
            button.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
            row.addWidget(button)
            self.buttons[name] = button
        row.addStretch(1)  # what is left on a wide screen
        self._fit()

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if event is not None and event.type() in (QEvent.Type.FontChange, QEvent.Type.StyleChange):
            self._fit()

    def _fit(self) -> None:
        """Each list as wide as its longest entry, cases within a limit."""
        if not hasattr(self, "buttons"):
            return  # styled while it is made
        for box, most in (
            (self.show_choice, None),
            (self.case_choice, MOST_OF_CASE),
            (self.component_choice, None),
            (self.label_choice, None),
        ):
            metrics = box.fontMetrics()
            texts = [box.itemText(k) for k in range(box.count())]
            wide = max((metrics.horizontalAdvance(t) for t in texts), default=60)
            unit = metrics.horizontalAdvance("n")
            box.setMaximumWidth(ARROW + min(wide, wide if most is None else most * unit))
            box.setMinimumWidth(LEAST)
            self.row.setStretchFactor(box, box.maximumWidth())
            box.setToolTip(box.currentText())

    def _look(self, direction: str) -> None:
        if self.view.direction == direction:
            direction = OPPOSITE.get(direction, direction)
        self.view.look_from(direction)
        self.refresh()

    def _choose_case(self, text: str) -> None:
        if self.state.overlay == "envelope":
            self.state.set_view(envelope_of="" if text == EVERY else text)
        else:
            self.state.set_view(case=text)

    def _choose_component(self, text: str) -> None:
        if self.state.overlay == "displaced":
            self.state.set_view(movement=text)
        elif self.state.overlay == "walls":
            self.state.set_view(wall=text)
        elif self.state.overlay == "cuts":
            self.state.set_view(cut=text)
        elif self.state.overlay == "plates":
            self.state.set_view(plate=text, plate_range=None)
        elif self.state.overlay == "stress":
            self.state.set_view(stress=text, stress_range=None)
        else:
            self.state.set_view(component=text)

    def refresh(self) -> None:
        """Show the state as it is."""
        state, review = self.state, self.state.review
        self.show_choice.setCurrentIndex(self.show_choice.findData(state.overlay))
        cases, case = state.cases(), state.case
        if state.overlay == "envelope" and review is not None:
            cases, case = [EVERY, *review.envelopes.kinds], state.envelope_of or EVERY
        if [self.case_choice.itemText(i) for i in range(self.case_choice.count())] != cases:
            self.case_choice.clear()
            self.case_choice.addItems(cases)
            self._fit()
        self.case_choice.setCurrentText(case)
        wanted, now = list(COMPONENTS), state.component
        if state.overlay == "plates":
            wanted, now = list(PLATE_QUANTITIES), state.plate
        elif state.overlay == "stress":
            wanted, now = list(STRESSES), state.stress
        elif state.overlay == "cuts":
            wanted, now = list(CUT_COMPONENTS), state.cut
        elif state.overlay == "displaced":
            wanted, now = list(MOVEMENTS), state.movement
        elif state.overlay == "walls":
            wanted, now = list(WALL_COMPONENTS), state.wall
        if [self.component_choice.itemText(i) for i in range(self.component_choice.count())] != wanted:
            self.component_choice.clear()
            self.component_choice.addItems(wanted)
            self._fit()
        self.component_choice.setCurrentText(now)
        self.label_choice.setCurrentText(state.label)
        forces = state.overlay in ("forces", "envelope", "plates", "cuts", "stress", "displaced", "walls")
        self.component_label.setText("Value" if state.overlay in ("displaced", "stress") else "Force")
        self.component_choice.setEnabled(forces or state.picked is not None)
        for name, title in DIRECTIONS:
            button = self.buttons[name]
            opposite = OPPOSITE.get(name)
            button.setChecked(self.view.direction in (name, opposite))
            button.setText(OPPOSITE_TITLES[name] if self.view.direction == opposite else title)
            button.setEnabled(review is not None)
