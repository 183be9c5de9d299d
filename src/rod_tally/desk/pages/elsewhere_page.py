"""Results from elsewhere: what their headings, cases, units and signs stand for, said once and remembered."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from ...intake import IntakeError
from ...intake.result_tables import NOT_READ, TABLES, Mapping, Raw, columns_of, mapping_beside, raw_tables
from ...model.units import UnitError, parse_unit
from ..session.session import Session
from ..session.state import DeskState
from ..theme import MUTED, RUST

LEFT, NO_CASE = "not read", "no such case"
UNITS = {
    "force": ("N", "kN", "MN", "lbf", "kip"),
    "moment": ("N m", "kN m", "MN m", "kN mm", "lbf ft", "kip ft", "kip in"),
    "length": ("m", "cm", "mm", "ft", "in"),
    "turn": ("rad", "mrad", "deg"),
}


class ElsewherePage(QDialog):
    """Shows what was understood of their tables; what is corrected here is remembered for tables with the
    same headings."""

    def __init__(self, parent: QWidget, session: Session, state: DeskState) -> None:
        super().__init__(parent)
        self.session, self.state = session, state
        self.setWindowTitle("Results from elsewhere")
        self.resize(820, 520)
        self.path = Path()
        self.raw: Raw = {}
        self.mapping = Mapping()
        column = QVBoxLayout(self)
        self.where = QLabel()
        self.where.setWordWrap(True)
        column.addWidget(self.where)
        self.headings = self._table(["Table", "Their heading", "Stands for", "Unit", "Sign"], "Headings")
        self.cases = self._table(["Their case", "Rows", "Stands for"], "Cases")
        for title, table, stretch in (
            ("Headings", self.headings, 3),
            ("Cases and combinations", self.cases, 2),
        ):
            head = QLabel(title)
            head.setStyleSheet("font-weight: bold;")
            column.addWidget(head)
            column.addWidget(table, stretch)
        self.message = QLabel()
        self.message.setWordWrap(True)
        column.addWidget(self.message)
        note = QLabel("Parts and nodes are found by their ids, else by place. Their files are only read.")
        note.setStyleSheet(f"color: {MUTED};")
        column.addWidget(note)
        row = QHBoxLayout()
        row.addStretch()
        self.compare = QPushButton("Compare")
        close = QPushButton("Close")
        self.compare.clicked.connect(self.accept)
        close.clicked.connect(self.reject)
        row.addWidget(self.compare)
        row.addWidget(close)
        column.addLayout(row)

    @staticmethod
    def _table(titles: list[str], name: str) -> QTableWidget:
        table = QTableWidget(0, len(titles))
        table.setHorizontalHeaderLabels(titles)
        table.setAccessibleName(name)
        header, side = table.horizontalHeader(), table.verticalHeader()
        assert header is not None and side is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        side.hide()
        table.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the fields in it take the keyboard
        table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        return table

    def open_tables(self, path: Path) -> None:
        """Read what is there and show what was understood. Raises IntakeError."""
        self.raw = raw_tables(path)
        self.path = path
        beside = mapping_beside(path)
        remembered = self.session.memory.mapping(self._heads())
        self.mapping = beside if remembered is None or beside != Mapping() else remembered
        self.where.setText(f"{path}: {', '.join(self.raw)}")
        self._fill_headings()
        self._fill_cases()
        self._say("")

    def _heads(self) -> list[str]:
        return [
            f"{name}:{cell}" for name, (_, rows) in self.raw.items() for cell in (rows[0] if rows else [])
        ]

    def _fill_headings(self) -> None:
        self.headings.setRowCount(0)
        for name, (_, rows) in self.raw.items():
            labels, quantities = TABLES[name]
            for c in columns_of(name, rows[0], self.mapping) if rows else []:
                if not c.heading:
                    continue
                k = self.headings.rowCount()
                self.headings.insertRow(k)
                for at, text in enumerate((name, c.heading)):
                    self.headings.setItem(k, at, _fixed(text))
                title = _choice([LEFT, *labels, *quantities], c.title or LEFT, f"{c.heading} stands for")
                self.headings.setCellWidget(k, 2, title)
                unit = _choice(["", *UNITS.get(_kind(name, c.title), ())], c.unit, f"Unit of {c.heading}")
                unit.setEditable(True)
                unit.setCurrentText(c.unit)
                self.headings.setCellWidget(k, 3, unit)
                sign = "turned" if self.mapping.sign(name, c.title) == -1 else "as it is"
                self.headings.setCellWidget(
                    k, 4, _choice(["as it is", "turned"], sign, f"Sign of {c.heading}")
                )

    def _fill_cases(self) -> None:
        self.cases.setRowCount(0)
        review = self.state.review
        if review is None:
            return
        own = [*review.results.cases, *(c.name for c in review.computed_combinations)]
        plain = {"".join(n.lower().split()): n for n in own}
        for case, count in self._their_cases().items():
            k = self.cases.rowCount()
            self.cases.insertRow(k)
            self.cases.setItem(k, 0, _fixed(case))
            self.cases.setItem(k, 1, _fixed(str(count)))
            said = self.mapping.cases.get(case, case)
            found = said if said in own else plain.get("".join(said.lower().split()), NO_CASE)
            self.cases.setCellWidget(k, 2, _choice([NO_CASE, *own], found, f"{case} stands for"))

    def _their_cases(self) -> dict[str, int]:
        out: dict[str, int] = {}
        for name, (_, rows) in self.raw.items():
            at = (
                next((c.number for c in columns_of(name, rows[0], self.mapping) if c.title == "case"), None)
                if rows
                else None
            )
            for row in rows[1:] if at is not None else []:
                if at is not None and at < len(row) and row[at].strip():
                    out[row[at].strip()] = out.get(row[at].strip(), 0) + 1
        return out

    def said(self) -> Mapping:
        """Return what the page says. Raises IntakeError for a unit that is not understood, or one quantity
        said in two ways."""
        out = Mapping(ids=dict(self.mapping.ids))
        for k in range(self.headings.rowCount()):
            heading = _text(self.headings, k, 1)
            title, unit, sign = (_chosen(self.headings, k, at) for at in (2, 3, 4))
            means = NOT_READ if title == LEFT else title
            if out.headings.setdefault(heading, means) != means:
                raise IntakeError(
                    f"{heading!r} stands for {out.headings[heading]} in one table and for {means} in another"
                )
            if means == NOT_READ:
                continue
            table = _text(self.headings, k, 0)
            # an empty field is SI, whatever the heading says
            unit = unit or UNITS.get(_kind(table, title), ("",))[0]
            if unit:
                try:
                    parse_unit(unit)
                except UnitError as error:
                    raise IntakeError(f"{heading!r}: {error}") from error
                out.units[f"{table}.{title}"] = unit
            if sign == "turned":
                out.signs[f"{table}.{title}"] = -1
        for k in range(self.cases.rowCount()):
            case, own = _text(self.cases, k, 0), _chosen(self.cases, k, 2)
            if own != NO_CASE and own != case:
                out.cases[case] = own
        return out

    def accept(self) -> None:
        """Compare with what is said; the page stays where something of it cannot be."""
        try:
            mapping = self.said()
        except IntakeError as error:
            self._say(str(error), wrong=True)
            return
        self.session.memory.keep_mapping(self._heads(), mapping)
        super().accept()
        self.session.comparing.with_elsewhere(self.path, mapping)

    def _say(self, text: str, wrong: bool = False) -> None:
        self.message.setText(text)
        self.message.setStyleSheet(f"color: {RUST};" if wrong else "")


def _kind(table: str, title: str) -> str:
    if title in ("x", "y", "z", "distance", "ux", "uy", "uz"):
        return "length"
    if title in ("rx", "ry", "rz"):
        return "turn"
    if title in TABLES[table][1]:
        return "moment" if title.startswith("m") else "force"
    return ""


def _fixed(text: str) -> QTableWidgetItem:
    item = QTableWidgetItem(text)
    item.setFlags(Qt.ItemFlag.ItemIsEnabled)
    return item


def _choice(values: list[str], value: str, name: str) -> QComboBox:
    box = QComboBox()
    box.addItems(values)
    box.setCurrentText(value)
    box.setAccessibleName(name)
    return box


def _chosen(table: QTableWidget, row: int, column: int) -> str:
    box = table.cellWidget(row, column)
    assert isinstance(box, QComboBox)
    return box.currentText().strip()


def _text(table: QTableWidget, row: int, column: int) -> str:
    item = table.item(row, column)
    return item.text() if item is not None else ""
