"""Parts from a drawing: what its layers stand for, on which level, looked at before they are added."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
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
from ...intake.drawing import UNITS, Drawing, Layer, read_drawing
from ...intake.plan_parts import READ_AS, Parts, Plan, guess, parts_of
from ...model import Model
from ...model.catalogue.catalogue import catalogue
from ...model.catalogue.grades import grades
from ...model.edits import AddGrids, AddMembers, AddStoreys, AddSurfaces, Edit
from ..forms.form import refused
from ..forms.quantity import QuantityBox
from ..quantities import METRIC
from ..theme import GRAPHITE, INK, MOSS, MUTED, OCHRE, PALE, PAPER, PINE, RUST

COLOURS = {"nothing": PALE, "grid lines": MUTED, "columns": INK, "beams": PINE, "slabs": MOSS, "walls": OCHRE}
LIKELY = {"concrete": "C30/37", "steel": "S355"}  # chosen where the model has none of the kind
AS_SAID = "as the drawing says"


class DrawingPage(QDialog):
    """Reads the layers of a plan as parts of the model; `take` gets the corrections that add them, as one
    step."""

    def __init__(self, parent: QWidget, model: Model, take: Callable[[list[Edit]], object]) -> None:
        super().__init__(parent)
        self.model, self.take = model, take
        self.drawing: Drawing | None = None
        self.path = Path()
        self.setWindowTitle("Parts from a drawing")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(980, 620)
        units = getattr(parent, "units", METRIC)
        row = QHBoxLayout()
        left = QVBoxLayout()
        self.note = QLabel()
        self.note.setWordWrap(True)
        left.addWidget(self.note)
        self.layers = QTableWidget(0, 4)
        self.layers.setAccessibleName("Layers of the drawing")
        self.layers.setHorizontalHeaderLabels(["Layer", "Lines", "Outlines, circles", "Read as"])
        self.layers.setAccessibleName("Layers")
        self.layers.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        vertical, header = self.layers.verticalHeader(), self.layers.horizontalHeader()
        assert vertical is not None and header is not None
        vertical.hide()
        self.layers.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.layers.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        left.addWidget(self.layers, 1)
        form = QFormLayout()
        self.unit = QComboBox()
        self.unit.addItems([AS_SAID, *(name for name, _ in UNITS.values())])
        levels = sorted(float(s.elevation + model.origin[2]) for s in model.storeys)
        foot = levels[0] if levels else 0.0
        level = levels[1] if len(levels) > 1 else foot + 3.0
        self.sizes = {
            "foot": QuantityBox(foot, "m", -1e4, 1e4, 3, units), "level": QuantityBox(level, "m", -1e4, 1e4, 3, units),
            "x": QuantityBox(0.0, "m", -1e7, 1e7, 3, units), "y": QuantityBox(0.0, "m", -1e7, 1e7, 3, units),
            "thickness": QuantityBox(200.0, "mm", 1.0, 1e4, 1, units),
        }  # fmt: skip
        self.section, self.material, self.of_beams = QComboBox(), QComboBox(), QComboBox()
        self.section.addItems(list(dict.fromkeys([*model.sections, *catalogue()])))
        self.section.setEditable(True)
        for box, kind in ((self.material, "concrete"), (self.of_beams, "steel")):
            box.addItems(list(dict.fromkeys([*model.materials, *grades()])))
            own = [n for n, m in model.materials.items() if m.kind == kind] + [LIKELY[kind]]
            box.setCurrentText(own[0])
        for title, widgets in (
            ("lengths are in", [self.unit]),
            ("foot of columns, walls", [self.sizes["foot"]]),
            ("level that is drawn", [self.sizes["level"]]),
            ("moved by x, y", [self.sizes["x"], self.sizes["y"]]),
            ("section of beams", [self.section]),
            ("material of beams", [self.of_beams]),
            ("of columns, slabs, walls", [self.material]),
            ("thickness of slabs, walls", [self.sizes["thickness"]]),
        ):
            line = QHBoxLayout()
            for w in widgets:
                w.setAccessibleName(title)
                line.addWidget(w, 1)
            form.addRow(title, line)
        left.addLayout(form)
        row.addLayout(left, 1)
        self.plot = pg.PlotWidget(background=PAPER)
        self.plot.setAspectLocked(True)
        self.plot.hideButtons()
        self.plot.getPlotItem().setMenuEnabled(False)
        row.addWidget(self.plot, 1)
        column = QVBoxLayout(self)
        column.addLayout(row, 1)
        self.message = QLabel()
        self.message.setWordWrap(True)
        column.addWidget(self.message)
        buttons = QHBoxLayout()
        buttons.addStretch()
        self.add, close = QPushButton("Add these parts"), QPushButton("Close")
        self.add.clicked.connect(self.accept)
        close.clicked.connect(self.reject)
        buttons.addWidget(self.add)
        buttons.addWidget(close)
        column.addLayout(buttons)
        self.unit.activated.connect(lambda _: self.open_drawing(self.path))
        self.section.currentTextChanged.connect(lambda _: self.look())
        for choice in (self.material, self.of_beams):
            choice.currentTextChanged.connect(lambda _: self.look())
        for size in self.sizes.values():
            size.valueChanged.connect(lambda _: self.look())

    def open_drawing(self, path: Path) -> None:
        """Read a drawing, keeping what its layers were said to stand for. Raises IntakeError for one that
        cannot be read."""
        chosen = "" if self.unit.currentText() == AS_SAID else self.unit.currentText()
        self.drawing = read_drawing(path, chosen)
        before = self.choices() if path == self.path else {}
        self.path = path
        d = self.drawing
        words = f"{path.name}: lengths in {d.unit}" + (
            ", which it does not say itself: taken by its size" if d.guessed else ""
        )
        unread = ", ".join(f"{n} {kind}" for kind, n in d.unread.items())
        self.note.setText(words + (f". Not read: {unread}." if unread else "."))
        self.note.setStyleSheet(f"color: {RUST if d.guessed or unread else INK};")
        self.layers.setRowCount(len(d.layers))
        for k, (name, layer) in enumerate(d.layers.items()):
            counts = (name, str(len(layer.lines)), str(len(layer.outlines) + len(layer.circles)))
            for c, text in enumerate(counts):
                self.layers.setItem(k, c, QTableWidgetItem(text))
            box = QComboBox()
            box.addItems(list(READ_AS))
            box.setAccessibleName(f"{name}, read as")
            box.setCurrentText(before.get(name, guess(name, layer)))
            box.activated.connect(lambda _: self.look())
            self.layers.setCellWidget(k, 3, box)
        self.layers.setColumnWidth(3, 110)
        self.look()

    def choices(self) -> dict[str, str]:
        """Return what each layer is read as."""
        out = {}
        for k in range(self.layers.rowCount()):
            item, box = self.layers.item(k, 0), self.layers.cellWidget(k, 3)
            if item is not None and isinstance(box, QComboBox):
                out[item.text()] = box.currentText()
        return out

    def parts(self) -> Parts:
        """Return what the layers stand for, in the model's axes."""
        assert self.drawing is not None
        origin = self.model.origin
        values = {k: b.given_value for k, b in self.sizes.items()}
        shift = np.array([values["x"], values["y"]]) - origin[:2]
        foot, level = values["foot"] - float(origin[2]), values["level"] - float(origin[2])
        plan = Plan(
            self.choices(),
            foot,
            level,
            self.material.currentText(),
            self.of_beams.currentText(),
            self.section.currentText().strip(),
            values["thickness"] / 1000,
            shift,
        )
        return parts_of(self.drawing, plan)

    def look(self) -> None:
        """Draw the layers by what they are read as, and say what would be added."""
        if self.drawing is None:
            return
        self.plot.clear()
        chosen = self.choices()
        for name, layer in self.drawing.layers.items():
            what = chosen.get(name, READ_AS[0])
            width = 2.5 if what == "columns" else 1.6 if what != READ_AS[0] else 1.0
            style = Qt.PenStyle.DashDotLine if what == "grid lines" else Qt.PenStyle.SolidLine
            x, y = strokes(layer)
            if len(x):
                self.plot.plot(x, y, connect="finite", pen=pg.mkPen(COLOURS[what], width=width, style=style))
            for place, text in layer.texts:
                label = pg.TextItem(text[:20], color=GRAPHITE, anchor=(0.5, 0.5))
                label.setPos(float(place[0]), float(place[1]))
                self.plot.addItem(label)
        parts = self.parts()
        walls = sum(s["class"] == "wall" for s in parts.surfaces)
        columns = sum(m["class"] == "column" for m in parts.members)
        counts = {
            "grid lines": len(parts.grids),
            "columns": columns,
            "beams": len(parts.members) - columns,
            "slabs": len(parts.surfaces) - walls,
            "walls": walls,
        }
        told = (
            ", ".join(f"{n} {w if n != 1 else w[:-1]}" for w, n in counts.items() if n)
            or "no parts yet: say what a layer is read as"
        )
        upright = columns + walls and self.sizes["level"].given_value <= self.sizes["foot"].given_value
        if upright:
            parts.told.insert(0, "the level that is drawn must lie above the foot of columns and walls")
        self.message.setText("; ".join([told, *parts.told]))
        self.message.setStyleSheet(
            f"color: {RUST if parts.told else MOSS if any(counts.values()) else MUTED};"
        )
        self.add.setEnabled(any(counts.values()) and not upright)

    def edits(self) -> list[Edit]:
        """The corrections that add the parts: columns before the beams that are joined to them, slabs and
        walls last."""
        parts = self.parts()
        columns = [m for m in parts.members if m["class"] == "column"]
        beams = [m for m in parts.members if m["class"] != "column"]
        out: list[Edit] = [AddStoreys(new)] if (new := self._new_storeys()) else []
        out += [AddGrids(parts.grids)] if parts.grids else []
        out += [AddMembers(group) for group in (columns, beams) if group]
        return out + ([AddSurfaces(parts.surfaces)] if parts.surfaces else [])

    def _new_storeys(self) -> list[dict[str, Any]]:
        """Foot and level as storeys of a model that has none."""
        if self.model.storeys:
            return []
        heights = sorted({self.sizes["foot"].given_value, self.sizes["level"].given_value})
        return [{"name": f"{z:+.3f}", "at": [0.0, 0.0, z - float(self.model.origin[2])]} for z in heights]

    def accept(self) -> None:
        edits = self.edits()
        why = refused(self.parent(), lambda: self.take(edits))
        if why:
            self.message.setText(why)
            self.message.setStyleSheet(f"color: {RUST};")
            return
        super().accept()


def strokes(layer: Layer) -> tuple[list[float], list[float]]:
    """All strokes of a layer in plan as one line, parted by NaN."""
    turn = np.linspace(0, 2 * np.pi, 33)
    paths = [line[:, :2] for line in layer.lines]
    paths += [np.vstack([o, o[:1]])[:, :2] for o in layer.outlines]
    paths += [c[:2] + r * np.column_stack([np.cos(turn), np.sin(turn)]) for c, r in layer.circles]
    if not paths:
        return [], []
    gap = np.full((1, 2), np.nan)
    flat = np.vstack([p for path in paths for p in (path, gap)])
    return flat[:, 0].tolist(), flat[:, 1].tolist()


def opened(
    parent: QWidget, model: Model, path: Path, take: Callable[[list[Edit]], object]
) -> DrawingPage | str:
    """The page for a drawing, or why it cannot be read."""
    page = DrawingPage(parent, model, take)
    try:
        page.open_drawing(path)
    except IntakeError as error:
        page.deleteLater()
        return str(error)
    page.open()
    return page
