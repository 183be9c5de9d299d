"""The rules of taking in: what comes along, joins with a preview, supports, releases. Plain fields, no hidden
ones."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from ...model import Settings
from ...model.settings import SettingsError
from ...model.source_file import source_of
from ...transfer.joining.preview import JoinPreview
from ..session.session import Session
from ..session.state import DeskState
from ..theme import MUTED, RUST

# key below [transfer], title, unit, factor to SI, what it means
NUMBERS = {
    "snap": ("Snap distance", "mm", 1e-3, "Ends whose bodies are no farther apart are joined"),
    "joins.ends": (
        "… of ends to ends",
        "mm",
        1e-3,
        "Ends that meet ends; only where it differs from the snap distance",
    ),
    "joins.members": ("… of ends to members", "mm", 1e-3, "Ends that meet a member along its length"),
    "joins.surfaces": ("… to slabs and walls", "mm", 1e-3, "Ends and edges that meet a surface"),
    "joins.crossings": ("Members that cross", "mm", 1e-3, "Joined when they pass no farther apart"),
    "joins.move_ends": (
        "Farthest move, ends to ends",
        "mm",
        1e-3,
        "Across its own line; beyond it a rigid link ties the end",
    ),
    "joins.move_members": ("Farthest move, ends to members", "mm", 1e-3, "Beyond it a rigid link"),
    "joins.move_surfaces": ("Farthest move, slabs and walls", "mm", 1e-3, "Beyond it a rigid link"),
    "joins.move_columns": (
        "Farthest move, columns",
        "mm",
        1e-3,
        "Off their own line; beyond it a rigid link keeps them upright",
    ),
    "joins.move_beams": ("Farthest move, beams", "mm", 1e-3, "Off their own line; beyond it a rigid link"),
    "joins.move_braces": ("Farthest move, braces", "mm", 1e-3, "Off their own line; beyond it a rigid link"),
    "joins.levels": ("To storey levels", "mm", 1e-3, "Nodes this near go to the level"),
    "joins.grids": ("To grid lines", "mm", 1e-3, "Nodes this near in plan go to the line"),
    "search": ("Search distance", "mm", 1e-3, "Wider gaps than the snap, up to here, are findings"),
    "report_move": ("Moves reported from", "mm", 1e-3, "Smaller ones are only in the log"),
    "short": ("Short pieces reported below", "mm", 1e-3, ""),
    "supports.subgrade": (
        "Subgrade reaction under rafts",
        "MN/m³",
        1e6,
        "The springs below foundation slabs",
    ),
    "off_element": (
        "Off its element from",
        "mm",
        1e-3,
        "An analytical member farther from its element is reported",
    ),
}
CHOICES = {
    "base_support": ("Column bases", ("fixed", "pinned", "roller", "spring")),
    "supports.walls": ("Feet of walls", ("pinned", "fixed", "none")),
    "releases.secondary": ("Steel beams on beams", ("fixed", "pinned")),
    "releases.braces": ("Braces", ("fixed", "pinned")),
    "side": ("A source with both kinds", ("analytical", "physical")),
}
JOINS = [k for k in NUMBERS if k in ("snap", "search", "report_move", "short") or k.startswith("joins")]
OPTIONAL = ("joins.ends", "joins.members", "joins.surfaces")
AT_ZERO = {key: "as the snap" for key in OPTIONAL} | {
    "joins.crossings": "never",
    "joins.levels": "never",
    "joins.grids": "never",
    "supports.subgrade": "no bedding",
}
COLUMNS = (
    "Join",
    "in place",
    "along its line",
    "moved across",
    "rigid link",
    "farthest move, mm",
    "longest link, mm",
    "the farthest",
)


class RulesPage(QDialog):
    """Edits a copy of the settings; Preview shows what they would do, Take in again makes a revision with
    them."""

    def __init__(self, parent: QWidget, session: Session, state: DeskState) -> None:
        super().__init__(parent)
        self.session, self.state = session, state
        self.setWindowTitle("Rules of taking in")
        self.resize(900, 640)
        self.fields: dict[str, QDoubleSpinBox | QComboBox] = {}
        self.lists: dict[str, QListWidget] = {}
        self.bearing = QCheckBox("Leave out what the source flags as not load-bearing")
        self.orient = QCheckBox("Turn members of one line the same way round")
        column = QVBoxLayout(self)
        pages = QTabWidget()
        pages.addTab(self._joins(), "Joins")
        pages.addTab(self._along(), "What comes along")
        pages.addTab(self._rest(), "Supports, releases, axes")
        column.addWidget(pages, 1)
        self.message = QLabel()
        self.message.setWordWrap(True)
        column.addWidget(self.message)
        row = QHBoxLayout()
        for title, call, tip in (
            ("Keep", self.keep, "For the next model taken in and the next check"),
            (
                "Take in again",
                self.take_again,
                "The same source with these rules, as a further revision, compared with this one",
            ),
            ("Close", self.close, ""),
        ):
            button = QPushButton(title)
            button.setToolTip(tip)
            button.clicked.connect(call)
            row.addWidget(button)
        row.insertStretch(0)
        column.addLayout(row)
        session.previewed.connect(self._show)

    def _number(self, key: str, grid: QGridLayout, line: int) -> None:
        title, unit, _, help_ = NUMBERS[key]
        box = QDoubleSpinBox()
        box.setRange(0.0, 1e5)
        box.setDecimals(1)
        box.setSuffix(f" {unit}")
        box.setSpecialValueText(AT_ZERO.get(key, ""))
        box.setFixedWidth(120)
        box.setAccessibleName(title)
        grid.addWidget(QLabel(title), line, 0)
        grid.addWidget(box, line, 1)
        note = QLabel(help_)
        note.setStyleSheet(f"color: {MUTED};")
        grid.addWidget(note, line, 2)
        self.fields[key] = box

    def _joins(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        grid = QGridLayout()
        grid.setColumnStretch(2, 1)
        grid.setVerticalSpacing(3)
        for line, key in enumerate(JOINS):
            self._number(key, grid, line)
        column.addLayout(grid)
        button = QPushButton("Preview")
        button.setToolTip(
            "How many ends these rules would move or tie, how far, and the farthest; nothing is changed"
        )
        button.clicked.connect(self.preview)
        line_ = QHBoxLayout()
        line_.addWidget(button)
        line_.addStretch()
        column.addLayout(line_)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setAccessibleName("What the rules would join")
        self.table.setHorizontalHeaderLabels(list(COLUMNS))
        self.table.resizeColumnsToContents()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        vertical = self.table.verticalHeader()
        assert vertical is not None
        vertical.hide()
        vertical.setDefaultSectionSize(22)
        self.table.setMinimumHeight(150)
        column.addWidget(self.table, 1)
        return page

    def _along(self) -> QWidget:
        page = QWidget()
        grid = QGridLayout(page)
        for k, (key, title) in enumerate(
            (("classes", "Classes"), ("storeys", "Storeys"), ("groups", "Groups"), ("materials", "Materials"))
        ):
            grid.addWidget(QLabel(f"{title} (none ticked: all)"), 0, k)
            self.lists[key] = QListWidget()
            self.lists[key].setAccessibleName(key.capitalize())
            grid.addWidget(self.lists[key], 1, k)
        grid.addWidget(self.bearing, 2, 0, 1, 4)
        note = QLabel("What is left out is in the tally and the spreadsheet with this reason.")
        note.setStyleSheet(f"color: {MUTED};")
        grid.addWidget(note, 3, 0, 1, 4)
        return page

    def _rest(self) -> QWidget:
        page = QWidget()
        grid = QGridLayout(page)
        grid.setColumnStretch(2, 1)
        line = 0
        for key, (title, names) in CHOICES.items():
            box = QComboBox()
            box.addItems(list(names))
            box.setFixedWidth(120)
            box.setAccessibleName(title)
            grid.addWidget(QLabel(title), line, 0)
            grid.addWidget(box, line, 1)
            self.fields[key] = box
            line += 1
        for key in NUMBERS:
            if key not in JOINS:
                self._number(key, grid, line)
                line += 1
        grid.addWidget(self.orient, line, 0, 1, 3)
        grid.setRowStretch(line + 1, 1)
        return page

    # -- values ----------------------------------------------------------------------------------------------

    def fill(self) -> None:
        """Show the session's settings, and what the current source offers to choose from."""
        transfer = self.session.settings.to_dict()["transfer"]
        for key, widget in self.fields.items():
            value = _get(transfer, key)
            if isinstance(widget, QComboBox):
                widget.setCurrentText(str(value))
            else:
                widget.setValue((value or 0.0) / NUMBERS[key][2])
        self.bearing.setChecked(transfer["choose"]["only_bearing"])
        self.orient.setChecked(transfer["orient"])
        review = self.state.review
        model = review.model if review else None
        offers: dict[str, list[str]] = {"classes": [], "storeys": [], "groups": [], "materials": []}
        if model is not None:
            offers["classes"] = sorted(
                {p.cls for p in model.parts()} | {s.cls for s in model.skipped if s.ifc_class}
            )
            offers["storeys"] = [s.name for s in model.storeys]
            offers["groups"] = sorted(model.groups)
            offers["materials"] = sorted(model.materials)
        for key, box in self.lists.items():
            box.clear()
            for name in dict.fromkeys([*offers[key], *transfer["choose"][key]]):
                item = QListWidgetItem(name)
                on = name in transfer["choose"][key]
                item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
                box.addItem(item)
        self.message.setText("")
        self.table.setRowCount(0)

    def settings(self) -> Settings:
        """The session's settings with what the page says. Raises SettingsError."""
        data = self.session.settings.to_dict()
        transfer = data["transfer"]
        for key, widget in self.fields.items():
            if isinstance(widget, QComboBox):
                _set(transfer, key, widget.currentText())
            elif key in OPTIONAL and widget.value() == 0:
                _set(transfer, key, None)
            else:
                _set(transfer, key, widget.value() * NUMBERS[key][2])
        for key, box in self.lists.items():
            items = [box.item(k) for k in range(box.count())]
            transfer["choose"][key] = [
                i.text() for i in items if i is not None and i.checkState() == Qt.CheckState.Checked
            ]
        transfer["choose"]["only_bearing"] = self.bearing.isChecked()
        transfer["orient"] = self.orient.isChecked()
        return Settings.from_dict(data, "the rules")

    def _taken(self) -> Settings | None:
        try:
            return self.settings()
        except SettingsError as error:
            self.message.setText(str(error))
            self.message.setStyleSheet(f"color: {RUST};")
            return None

    def preview(self) -> None:
        settings = self._taken()
        if settings is not None:
            self.message.setText("Working it out…")
            self.session.preview(settings)

    def keep(self) -> None:
        settings = self._taken()
        if settings is not None:
            self.session.settings = settings
            self.message.setText("Kept; it counts from the next model taken in")

    def take_again(self) -> None:
        review, settings = self.state.review, self._taken()
        if review is not None and settings is not None:
            self.session.settings = settings
            self.session.take_in(source_of(review.model))

    def _show(self, rows: list[JoinPreview]) -> None:
        self.message.setText("")
        self.table.setRowCount(len(rows))
        for n, r in enumerate(rows):
            names = "; ".join(f"{name} {far * 1000:.0f} mm" for far, name, _ in r.examples)
            values = (
                r.title,
                r.in_place,
                r.along,
                r.across,
                r.tied,
                f"{r.farthest * 1000:.0f}",
                f"{r.longest * 1000:.0f}",
                names,
            )
            for k, value in enumerate(values):
                self.table.setItem(n, k, QTableWidgetItem(str(value)))
        self.table.resizeColumnsToContents()


def _get(values: dict[str, Any], key: str) -> Any:
    for part in key.split("."):
        values = values.get(part, {}) if isinstance(values, dict) else {}
    return None if values == {} else values


def _set(values: dict[str, Any], key: str, value: Any) -> None:
    *path, last = key.split(".")
    for part in path:
        values = values[part]
    if value is None:
        values.pop(last, None)
    else:
        values[last] = value
