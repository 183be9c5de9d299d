"""Making combinations: the rule set, the way of combining directions and why, the count before they are
made."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ...loads.combinations.combine import SCHEMES, Combined
from ...loads.combinations.orientation import orientation
from ...loads.combinations.rules import SHIPPED, RulesError, RuleSet, read_rules
from ...model.edits import SetCombinations
from ...output.write import write_text, write_whole
from ...review.combining import made_combinations
from ..save_name import ask_save_name
from ..session.session import Session
from ..session.state import DeskState
from ..theme import RUST

PROPOSED = "as the frames ask for"


class CombinePage(QDialog):
    """Works out what would be made at every change; Make puts it into the model with undo."""

    def __init__(self, parent: QWidget, session: Session, state: DeskState) -> None:
        super().__init__(parent)
        self.session, self.state = session, state
        self.setWindowTitle("Combinations")
        self.resize(560, 300)
        self.found: Combined | None = None
        self.rules: RuleSet | None = None
        column = QVBoxLayout(self)
        form = QFormLayout()
        self.sets, self.scheme = QComboBox(), QComboBox()
        self.sets.addItems(list(SHIPPED))
        self.sets.setAccessibleName("Rule set")
        self.scheme.addItems([PROPOSED, *SCHEMES])
        self.scheme.setAccessibleName("Seismic directions")
        form.addRow("Rule set", self.sets)
        form.addRow("Seismic directions", self.scheme)
        column.addLayout(form)
        self.message = QLabel()
        self.message.setWordWrap(True)
        self.message.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self.message, 1)
        row = QHBoxLayout()
        self.make = QPushButton("Make")
        for button, call in (
            (QPushButton("Rule file…"), self.ask_file),
            (QPushButton("Write this set…"), self.ask_write),
            (self.make, self.accept),
            (QPushButton("Close"), self.reject),
        ):
            button.clicked.connect(call)
            row.addWidget(button)
        row.insertStretch(2)
        column.addLayout(row)
        self.sets.currentTextChanged.connect(lambda _: self.work_out())
        self.scheme.currentTextChanged.connect(lambda _: self.work_out())

    def fill(self) -> None:
        standard = self.session.settings.combinations.standard
        if self.sets.findText(standard) < 0:
            self.sets.addItem(standard)
        self.sets.setCurrentText(standard)
        self.work_out()

    def work_out(self) -> None:
        review = self.state.review
        if review is None:
            return
        self.found = None
        try:
            self.rules = read_rules(self.sets.currentText())
            chosen = self.scheme.currentText()
            scheme = "" if chosen == PROPOSED else chosen
            self.found = made_combinations(
                review.model, self.session.settings, scheme, self.rules, review.distribution
            )
        except RulesError as error:
            self.message.setText(str(error))
            self.message.setStyleSheet(f"color: {RUST};")
            self.make.setEnabled(False)
            return
        o = orientation(review.model)
        kinds: dict[str, int] = {}
        for c in self.found.combinations:
            kinds[c.kind] = kinds.get(c.kind, 0) + 1
        lines = [
            f"<b>{len(self.found.combinations)} combinations</b>: "
            + ", ".join(f"{n} {k}" for k, n in kinds.items())
        ]
        if self.found.reduced:
            lines.append(f"The set gives {self.found.count:,}; {self.found.reduced}.")
        if not self.found.combinations:
            lines = [
                "<b>No combinations</b>: no case has a kind that this set uses, or there would be too many"
            ]
        if any(c.kind == "seismic" for c in review.model.cases.values()):
            lines.append(f"Proposed for seismic directions: {SCHEMES[o.scheme]}, because {o.why}.")
        if self.found.untyped:
            lines.append("Without a kind, so in none of them: " + ", ".join(self.found.untyped))
        if self.found.unused:
            lines.append("Used by no expression of this set: " + ", ".join(self.found.unused))
        if review.model.combinations:
            lines.append(f"They replace the {len(review.model.combinations)} that the model has.")
        self.message.setText("<br>".join(lines))
        self.message.setStyleSheet("")
        self.make.setEnabled(bool(self.found.combinations))

    def accept(self) -> None:
        if self.found is None or not self.found.combinations:
            return
        values = [
            {"name": c.name, "kind": c.kind, "factors": c.factors, "rule": c.rule, "roots": c.roots}
            for c in self.found.combinations
        ]
        standard = self.sets.currentText()
        if standard != self.session.settings.combinations.standard:
            self.session.change_settings(lambda s: setattr(s.combinations, "standard", standard))
        super().accept()
        self.session.correct(SetCombinations(values, self.rules.name if self.rules else ""))

    def ask_file(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Rule file", "", "Rules (*.rules *.txt);;All files (*)")
        if path:
            self.use(path)

    def use(self, path: str) -> None:
        """Take a rule file as the set."""
        if self.sets.findText(path) < 0:
            self.sets.addItem(path)
        self.sets.setCurrentText(path)

    def ask_write(self) -> None:
        if path := ask_save_name(self, "Write this set", "own.rules", {"Rules": ".rules"}):
            self.write(path)

    def write(self, path: Path) -> None:
        """Keep the set as a file, to be changed and used again."""
        if self.rules is None:
            return
        try:
            text = self.rules.text
            write_whole(path, lambda p: write_text(p, text))
        except OSError as error:
            self.message.setText(f"{path}: cannot be written: {error}")
            return
        self.session.said.emit(f"Rule set written to {path}")
