"""Small forms: a few named fields, and what happens with their values. None of them stops what runs
behind."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QCompleter,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ..quantities import METRIC
from ..theme import RUST
from .beside import show_beside
from .quantity import QuantityBox

LISTED = 14  # entries of a list that are seen at once
MANY = 16  # fields; more than that are scrolled


@dataclass(frozen=True, slots=True)
class Field:
    """`choices` make it a list to choose from (`free`: or to type into); else it is a number within `low` and
    `high`. `beside`: in the row of the field before it, without a title. `several`: any number of the
    choices, `value` those that are ticked at first; its value is a list of them."""

    name: str
    title: str
    value: Any = 0.0
    choices: Sequence[str] = ()
    free: bool = False
    low: float = -1e6
    high: float = 1e6
    unit: str = ""
    digits: int = 3
    beside: bool = False  # in the row of the field before it
    several: bool = False


def refused(parent: Any, call: Callable[[], object]) -> str:
    """Why what is called cannot be done, as the session of the window says it; "" where it is done."""
    session = getattr(parent, "session", None)
    if session is None:
        call()
        return ""
    said: list[str] = []

    def hear(_title: str, text: str) -> None:
        said.append(text)

    session.failed.connect(hear)
    session.said_in_form = True
    try:
        call()
    finally:
        session.said_in_form = False
        session.failed.disconnect(hear)
    return "; ".join(said)


class TickList(QListWidget):
    """A list of which any number of rows can be ticked."""

    def __init__(self, names: Sequence[str], ticked: Sequence[str]) -> None:
        super().__init__()
        for name in names:
            item = QListWidgetItem(name)
            item.setCheckState(Qt.CheckState.Checked if name in ticked else Qt.CheckState.Unchecked)
            self.addItem(item)
        self.setMinimumHeight(min(LISTED, len(names)) * 22 + 8)

    @property
    def chosen(self) -> list[str]:
        """The ticked names, in the order of the list."""
        items = [self.item(k) for k in range(self.count())]
        return [i.text() for i in items if i is not None and i.checkState() == Qt.CheckState.Checked]

    def choose(self, names: Sequence[str]) -> None:
        """Tick these names and no others."""
        for k in range(self.count()):
            item = self.item(k)
            if item is not None:
                on = item.text() in names
                item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)


Widget = QComboBox | QuantityBox | TickList


class Form(QDialog):
    """Shows fields and calls `done(values)` when it is accepted; what is refused stays, with the reason."""

    def __init__(
        self,
        parent: QWidget,
        title: str,
        text: str,
        fields: Sequence[Field],
        done: Callable[[dict[str, Any]], object],
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.done_call = done
        self.widgets: dict[str, Widget] = {}
        column = QVBoxLayout(self)
        label = QLabel(text)
        label.setWordWrap(True)
        column.addWidget(label)
        rows = QFormLayout()
        for k, f in enumerate(fields):
            if f.beside:
                continue
            own = self.widgets[f.name] = self._widget(f)
            following = fields[k + 1] if k + 1 < len(fields) else None
            if following is None or not following.beside:
                rows.addRow(f.title, own)
                continue
            self.widgets[following.name] = self._widget(following)
            row = QHBoxLayout()
            row.addWidget(own, 1)
            row.addWidget(self.widgets[following.name], 1)
            rows.addRow(f.title, row)
        if sum(not f.beside for f in fields) > MANY:
            body, area = QWidget(), QScrollArea()
            body.setLayout(rows)
            area.setWidget(body)
            area.setWidgetResizable(True)
            area.setMinimumHeight(340)
            area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            area.setMinimumWidth(body.sizeHint().width() + 24)
            column.addWidget(area)
        else:
            column.addLayout(rows)
        self.fault = QLabel()
        self.fault.setWordWrap(True)
        self.fault.setStyleSheet(f"color: {RUST};")
        self.fault.hide()
        column.addWidget(self.fault)
        buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        )
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.setMinimumWidth(340)

    def _widget(self, f: Field) -> Widget:
        if f.several:
            ticks = TickList(f.choices, f.value)
            ticks.setAccessibleName(f.title)
            return ticks
        if f.choices:
            box = QComboBox()
            box.addItems(list(f.choices))
            box.setEditable(f.free)
            box.setCurrentText(str(f.value))
            box.setMaxVisibleItems(LISTED)
            box.setStyleSheet("combobox-popup: 0;")  # a list that scrolls, not one as tall as the screen
            finder = box.completer()
            if finder is not None:  # typed letters narrow the list, wherever in a name they stand
                finder.setFilterMode(Qt.MatchFlag.MatchContains)
                finder.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
                finder.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
                finder.setMaxVisibleItems(LISTED)
            box.setAccessibleName(f.title)
            show_beside(box)
            return box
        number = QuantityBox(
            float(f.value), f.unit, f.low, f.high, f.digits, getattr(self.parent(), "units", METRIC)
        )
        number.setAccessibleName(f.title)
        return number

    def values(self) -> dict[str, Any]:
        """Texts of lists, what is ticked in them, and numbers in the units that the fields were made with."""

        def value(w: Widget) -> Any:
            if isinstance(w, TickList):
                return w.chosen
            return w.currentText() if isinstance(w, QComboBox) else w.given_value

        return {k: value(w) for k, w in self.widgets.items()}

    def accept(self) -> None:
        values = self.values()
        for name, box in self.widgets.items():
            if isinstance(box, QuantityBox) and box.refused:
                self.fault.setText(
                    f"{box.accessibleName() or name}: {box.refused!r} cannot stand there; it is {box.text()} again"
                )
                self.fault.show()
                box.refused = ""
                box.setFocus()
                return
        self.fault.hide()
        why = refused(self.parent(), lambda: self.done_call(values))
        if why:
            self.fault.setText(why)
            self.fault.show()
            return
        super().accept()
