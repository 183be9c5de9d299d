"""Runs: which cases and which part, under what name; and the runs that are kept, to be looked at again."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ...model import Model
from ..forms.form import Field, Form
from ..session.session import Session
from ..session.state import SUMMED, DeskState
from ..theme import MUTED

WHOLE, SELECTED, SHOWN = "the whole model", "what is selected", "what is shown"
EACH = "every group, one run each"
MOST_SUMMED = 8  # kept runs, the newest, whose cases may be added up


class RunsPage(QDialog):
    """Starts a run of chosen cases and parts; shows an earlier one."""

    def __init__(self, parent: QWidget, session: Session, state: DeskState) -> None:
        super().__init__(parent)
        self.session, self.state = session, state
        self.setWindowTitle("Runs")
        self.resize(640, 400)
        row = QHBoxLayout(self)
        left, right = QVBoxLayout(), QVBoxLayout()
        row.addLayout(left, 1)
        row.addLayout(right, 1)
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the run")
        self.part = QComboBox()
        self.part.setAccessibleName("Part that takes part")
        form = QFormLayout()
        form.addRow("Name", self.name)
        form.addRow("Part", self.part)
        left.addLayout(form)
        left.addWidget(QLabel("Cases"))
        self.cases = QListWidget()
        self.cases.setAccessibleName("Cases of the run")
        left.addWidget(self.cases, 1)
        run = QPushButton("Run")
        run.clicked.connect(self.run)
        left.addWidget(run)
        right.addWidget(QLabel("Kept runs, the newest first"))
        self.kept = QListWidget()
        self.kept.setAccessibleName("Kept runs")
        right.addWidget(self.kept, 1)
        note = QLabel("No run is ever replaced by a later one.")
        note.setStyleSheet(f"color: {MUTED};")
        right.addWidget(note)
        show = QPushButton("Show this run")
        show.clicked.connect(self.show_chosen)
        self.kept.itemDoubleClicked.connect(lambda _: self.show_chosen())
        right.addWidget(show)
        self.anew = QPushButton("Make this run again")
        self.anew.setToolTip(
            "The same cases, part and switches, with the model as it is now; beside the kept one"
        )
        self.anew.clicked.connect(self.make_again)
        right.addWidget(self.anew)
        self.against = QPushButton("Compare with this run")
        self.against.clicked.connect(self.compare_chosen)
        right.addWidget(self.against)
        self.sum = QPushButton("Add up cases of runs…")
        self.sum.clicked.connect(self.ask_sum)
        right.addWidget(self.sum)
        self.before = QPushButton("Compare with the revision before")
        self.before.clicked.connect(lambda: self.session.comparing.with_the_one_before())
        right.addWidget(self.before)
        state.revision_changed.connect(self.fill)

    def fill(self) -> None:
        review = self.state.review
        if review is None:
            return
        ticked = {self.cases.item(k).text() for k in range(self.cases.count()) if self._on(k)}
        known = {self.cases.item(k).text() for k in range(self.cases.count())}
        self.cases.clear()
        for name in review.model.cases:
            item = QListWidgetItem(name)
            on = name in ticked or name not in known
            item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
            self.cases.addItem(item)
        part = self.part.currentText()
        self.part.clear()
        groups = sorted(review.model.groups)
        self.part.addItems(
            [WHOLE, SELECTED, SHOWN, *[EACH] * (len(groups) > 1), *(f"group {g}" for g in groups)]
        )
        self.part.setCurrentText(part or WHOLE)
        runs = self.session.runs.kept()
        revision = self.state.revision
        self.before.setEnabled(revision is not None and revision.against is not None)
        self.name.setPlaceholderText(f"Run {len(runs) + 1}")
        self.kept.clear()
        revision = self.state.revision
        for ident, name, created, old in runs:
            shown = " · shown" if revision is not None and revision.run_name == name else ""
            when, asked = created[:16].replace("T", " "), self.session.runs.asked(ident)
            item = QListWidgetItem(
                f"{name} · {when}{' · of the model as it was' if old else ''}{shown} · {asked}".rstrip(" ·")
            )
            item.setData(Qt.ItemDataRole.UserRole, ident)
            self.kept.addItem(item)

    def _on(self, k: int) -> bool:
        item = self.cases.item(k)
        return item is not None and item.checkState() == Qt.CheckState.Checked

    def chosen_part(self) -> set[str] | None:
        """Members and surfaces that take part; None for all."""
        review, part = self.state.review, self.part.currentText()
        if review is None or part == WHOLE:
            return None
        if part == SELECTED:
            return set(self.state.chosen("member")) | set(self.state.chosen("surface"))
        if part == SHOWN:
            return self.state.shown_members() | set(self.state.shown_surfaces())
        return self._of_group(part.removeprefix("group "))

    def _of_group(self, name: str) -> set[str]:
        model = self.state.review.model if self.state.review is not None else Model()
        return set(model.groups.get(name, ())) & (model.members.keys() | model.surfaces.keys())

    def run(self) -> None:
        items = [self.cases.item(k) for k in range(self.cases.count())]
        cases = [i.text() for k, i in enumerate(items) if i is not None and self._on(k)]
        if not cases:
            self.session.said.emit("Tick one case at least")
            return
        if self.part.currentText() == EACH and self.state.review is not None:
            groups = {g: self._of_group(g) for g in sorted(self.state.review.model.groups)}
            filled = {f"Group {g}": own for g, own in groups.items() if own}
            if not filled:
                self.session.said.emit("No group holds a member or a surface any more")
                return
            self.session.runs.each(filled, None if len(cases) == len(items) else cases)
            return
        only = self.chosen_part()
        if only is not None and not only:
            self.session.said.emit("There is no member or surface in that part")
            return
        part = self.part.currentText()
        group = part.removeprefix("group ") if part.startswith("group ") else ""
        self.session.runs.again(
            self.name.text(), None if len(cases) == len(items) else cases, only, group=group
        )
        self.name.clear()

    def make_again(self) -> None:
        """Make the chosen run again, with the model as it is now."""
        item = self.kept.currentItem()
        if item is None:
            self.session.said.emit("Choose a kept run first")
            return
        self.session.runs.make_again(int(item.data(Qt.ItemDataRole.UserRole)))

    def compare_chosen(self) -> None:
        """Compare what is shown with the chosen run, with the model as it was then."""
        item = self.kept.currentItem()
        if item is None:
            self.session.said.emit("Choose a kept run first")
            return
        self.session.comparing.with_run(int(item.data(Qt.ItemDataRole.UserRole)))

    def ask_sum(self) -> None:
        """Which case of which kept run, times what: results of stages, one on top of the other."""
        review = self.state.review
        runs = [(ident, name) for ident, name, _, old in self.session.runs.kept() if not old][:MOST_SUMMED]
        if review is None or not runs:
            self.session.said.emit("No kept run is of the model as it is")
            return
        names = list(review.model.cases)
        fields = []
        for ident, name in runs:
            fields += [
                Field(f"factor {ident}", name, 0.0, low=-1e3, high=1e3),
                Field(f"case {ident}", "case", names[0] if names else "", names, beside=True),
            ]

        def made(values: dict[str, Any]) -> None:
            chosen = [(i, n, str(values[f"case {i}"]), float(values[f"factor {i}"])) for i, n in runs]
            chosen = [c for c in chosen if c[3]]
            if chosen:
                self.session.runs.add_up(chosen, lambda: self.session.asked_table.emit("forces", SUMMED))
            else:
                self.session.said.emit("Give one run a factor at least")

        text = "Factors of cases; 0 leaves a run out. What a run leaves out adds nothing: a part that was not there bore nothing."
        self.form = Form(self, "Add up cases of runs", text, fields, made)
        self.form.open()

    def show_chosen(self) -> None:
        item = self.kept.currentItem()
        if item is not None:
            self.session.runs.show(int(item.data(Qt.ItemDataRole.UserRole)))
