"""A list of all commands that is narrowed by typing: by title, by what they do, or by other words for it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QColor, QKeyEvent
from PyQt6.QtWidgets import QDialog, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from ..commands.command import NEEDS, Command
from ..theme import MUTED, PALE

# other words that an engineer may type
SYNONYMS = {
    "file.take_in": "import read take in ifc model project",
    "file.revision": "import read take in update compare model",
    "file.hand_back_results": "hand back export ifc results",
    "file.answers": "comments reply bcf issues",
    "file.picture": "screenshot capture png svg picture",
    "file.takeoff": "quantities bill weight",
    "file.model_tables": "csv spreadsheet",
    "file.export": "csv json results tables",
    "model.free": "restraint delete release free",
    "model.own_section": "own user defined",
    "model.own_material": "own user defined",
    "model.taper": "haunch variable section end",
    "model.hold_edges": "edge restraint",
    "model.bed": "subgrade bedding winkler soil raft",
    "model.lifting": "uplift lift off",
    "model.standing": "no tension precast gap",
    "model.leaning": "no tension precast gap",
    "model.tension": "cable rod brace one way",
    "model.compression": "strut one way",
    "model.limit": "yield maximum force one way plastic",
    "model.reverse": "flip turn end for end",
    "model.turn": "orientation beta angle",
    "model.drawing": "cad dxf plan",
    "model.elements": "mesh size refine",
    "run.one_way": "nonlinear cable slack",
    "run.slack": "flexible",
    "run.effects": "sensitivity assumptions what if default price",
    "run.motions": "instability unstable singular",
    "run.member": "bending moment shear force diagram",
    "run.range": "legend scale limits contour",
    "run.elements": "mesh",
    "loads.put": "point line area udl force",
    "loads.scale": "multiply factor",
    "loads.turn": "flip invert negative",
    "loads.span": "one-way two-way yield line distribution",
    "loads.again": "rule update remake wind seismic",
    "loads.patterns": "alternate spans live checkerboard",
    "compare.beside": "split two views",
    "compare.parity": "scatter",
    "view.surfaces": "plates floors",
    "view.fit": "fit all extents whole model",
    "view.isolate": "hide others filter",
    "model.support": "restraint boundary condition fixity",
    "model.hold": "restraint spring boundary condition",
    "model.release": "hinge pin joint",
    "model.pin_start": "hinge",
    "model.pin_end": "hinge",
    "model.section": "profile",
    "model.map": "profile",
    "model.delete": "remove erase",
    "model.add": "draw new beam column brace",
    "model.copy": "duplicate array repeat",
    "run.run": "analyse solve calculate compute",
    "run.animate": "deflection deformed movement",
    "run.envelope": "maximum minimum",
    "run.storeys": "shear",
    "run.floors": "diaphragm",
    "run.stiff": "diaphragm",
    "run.cuts": "section resultant diaphragm",
    "run.panel_sheet": "wall report page print",
    "run.panel_sheets": "wall report pages print pdf",
    "compare.change": "difference diff revision",
    "file.report": "print pdf html",
    "file.hand_back": "export save ifc",
    "file.corrected": "physical model back ifc write source",
    "file.workbook": "spreadsheet export",
    "edit.find": "search",
    "loads.combine": "load combination",
}
Item = tuple[Command, bool]


class CommandFinder(QDialog):
    """Type, choose with the arrow keys, Enter carries it out; what cannot be used now is grey."""

    def __init__(
        self, parent: QWidget, items: Callable[[], Sequence[Item]], do: Callable[[Command], None]
    ) -> None:
        super().__init__(parent)
        self.items, self.do = items, do
        self.setWindowTitle("Find a command")
        self.resize(560, 420)
        column = QVBoxLayout(self)
        self.text = QLineEdit()
        self.text.setPlaceholderText("What do you want to do?")
        self.text.textChanged.connect(self.fill)
        self.text.installEventFilter(self)
        column.addWidget(self.text)
        self.list = QListWidget()
        self.list.setAccessibleName("Commands")
        self.list.itemActivated.connect(lambda _: self._carry_out())
        column.addWidget(self.list, 1)
        self.note = QLabel()
        self.note.setStyleSheet(f"color: {MUTED};")
        column.addWidget(self.note)
        self.list.currentRowChanged.connect(self._tell)
        self.shown: list[Item] = []

    def ask(self, text: str = "") -> None:
        """Open with nothing typed, or with these words."""
        self.text.setText(text)
        self.fill()
        self.show()
        self.raise_()
        self.text.setFocus()

    def fill(self) -> None:
        """The commands that hold all words typed, titles first, usable ones before others."""
        words = self.text.text().lower().split()
        found: list[tuple[bool, bool, int, Command, bool]] = []
        for command, usable in self.items():
            title = command.title.lower()
            everything = f"{title} {command.menu} {command.help} {SYNONYMS.get(command.id, '')}".lower()
            if all(w in everything for w in words):
                found.append((not usable, not all(w in title for w in words), len(found), command, usable))
        self.shown = [(c, u) for *_, c, u in sorted(found, key=lambda f: f[:3])]
        self.list.clear()
        for command, usable in self.shown:
            keys = f"   {command.shortcut}" if command.shortcut else ""
            item = QListWidgetItem(f"{command.title}{keys}   ({command.menu})")
            if not usable:
                item.setForeground(QColor(PALE))
            self.list.addItem(item)
        self.list.setCurrentRow(0 if self.shown else -1)
        if not self.shown:
            self.note.setText("No command has these words")

    def _tell(self, row: int) -> None:
        if 0 <= row < len(self.shown):
            command, usable = self.shown[row]
            needed = NEEDS.get(command.when, "something else to be picked or open")
            why = "" if usable else f"Not now: it needs {needed}. "
            self.note.setText(why + (command.help or command.title))

    def _carry_out(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self.shown) and self.shown[row][1]:
            self.accept()
            self.do(self.shown[row][0])

    def eventFilter(self, of: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None and self.shown:
                self.list.setCurrentRow((self.list.currentRow() + step) % len(self.shown))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._carry_out()
                return True
        return super().eventFilter(of, event)
