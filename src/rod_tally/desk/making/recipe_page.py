"""A model from parameters: fields, what would come of them, and the picture; written as IFC with its recipe
beside it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ...make import Made, RecipeError, make
from ...model import Model
from ...model.geometry.vectors import Array, ring_sides
from ...output.ifc import write_ifc
from ...output.write import OutputError, write_text, write_whole
from ..save_name import ask_save_name
from ..theme import GRAPHITE, INK, MOSS, PALE, PAPER, RUST
from .recipe_text import (
    CHOICES,
    EMPTY,
    FIELDS,
    FIRST,
    WORDS,
    Texts,
    plain,
    read,
    recipe_of,
    texts_of,
    written,
)

OWN = ("sections", "materials")
KINDS = {"frame of bays and storeys": "frame", "façade of uprights and cross members": "facade"}
LARGE = 4000  # members whose picture is drawn without its slabs
LOOK = np.array([(0.86, -0.38), (0.51, 0.64), (0.0, 0.92)])  # x, y and z on the paper


class RecipePage(QDialog):
    """`take(path, revision)` takes the model in that was written: as a new project, or as a revision of the
    one that is open."""

    def __init__(
        self,
        parent: QWidget | None,
        take: Callable[[Path, bool], object],
        revision: bool,
        beside: Path | None,
    ) -> None:
        """`revision`: whether there is a project to take it in as a revision of; `beside`: where the model of
        that project is."""
        super().__init__(parent)
        self.take = take
        self.beside = beside
        self.own: dict[str, Any] = {}  # tables of sections and materials of a recipe that was opened
        self.made: Made | None = None
        self.setWindowTitle("A model from parameters")
        self.resize(980, 620)
        self.kind = QComboBox()
        self.kind.addItems(list(KINDS))
        self.kind.setAccessibleName("kind")
        self.form = QFormLayout()
        self.form.addRow("kind", self.kind)
        self.fields: dict[str, QLineEdit | QComboBox] = {}
        for key, title in WORDS.items():
            box: QLineEdit | QComboBox
            if key in CHOICES:
                box = QComboBox()
                box.addItems(list(CHOICES[key]))
                box.currentTextChanged.connect(lambda _: self._later.start())
            else:
                box = QLineEdit()
                box.setPlaceholderText(EMPTY.get(key, ""))
                box.textChanged.connect(lambda _: self._later.start())
            box.setAccessibleName(title)
            self.fields[key] = box
            self.form.addRow(title, box)
        self.plot = pg.PlotWidget(background=PAPER)
        self.plot.setAspectLocked(True)
        self.plot.hideButtons()
        self.plot.getPlotItem().setMenuEnabled(False)
        for side in ("left", "bottom"):
            self.plot.getPlotItem().hideAxis(side)
        row = QHBoxLayout()
        left = QVBoxLayout()
        left.addLayout(self.form)
        left.addStretch()
        row.addLayout(left, 2)
        row.addWidget(self.plot, 3)
        column = QVBoxLayout(self)
        column.addLayout(row, 1)
        self.message = QLabel()
        self.message.setWordWrap(True)
        column.addWidget(self.message)
        buttons = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        for name, call in (
            ("Open a recipe…", self.ask_open),
            ("Keep the recipe…", self.ask_keep),
            ("Make the model…", lambda: self.ask_make(False)),
            ("Take in as a revision…", lambda: self.ask_make(True)),
            ("Close", self.reject),
        ):
            button = QPushButton(name)
            button.clicked.connect(lambda _=False, c=call: c())
            button.setAutoDefault(False)
            self.buttons[name] = button
            if name == "Make the model…":
                buttons.addStretch()
            buttons.addWidget(button)
        self.buttons["Take in as a revision…"].setVisible(revision)
        column.addLayout(buttons)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(150)
        self._later.timeout.connect(self.look)
        self.kind.activated.connect(lambda _: self._of_kind(FIRST[KINDS[self.kind.currentText()]]))
        self._of_kind(FIRST["frame"])
        own = beside.with_suffix(".toml") if beside is not None else None
        if own is not None and own.is_file():
            self.open_recipe(own)

    def _of_kind(self, texts: Texts) -> None:
        """Show the fields of the chosen kind with these texts."""
        shown = FIELDS[KINDS[self.kind.currentText()]]
        for key, box in self.fields.items():
            self.form.setRowVisible(box, key in shown)
            text = texts.get(key, "")
            if isinstance(box, QComboBox):
                box.setCurrentText(text or CHOICES[key][0])
            else:
                box.setText(text)
        self.look()

    def texts(self) -> Texts:
        return {k: b.currentText() if isinstance(b, QComboBox) else b.text() for k, b in self.fields.items()}

    def data(self) -> dict[str, Any]:
        """The recipe's plain values. Raises RecipeError."""
        return plain(KINDS[self.kind.currentText()], self.texts(), self.own)

    def look(self) -> None:
        """Make the model, and show it or say why there is none."""
        self._later.stop()
        try:
            self.made = make(recipe_of(KINDS[self.kind.currentText()], self.texts(), self.own))
        except RecipeError as error:
            self.made = None
            self.message.setText(str(error))
            self.message.setStyleSheet(f"color: {RUST};")
        else:
            model = self.made.model
            counts = (
                f"{len(model.members)} members, {len(model.surfaces)} slabs, {len(model.cases)} load cases"
            )
            self.message.setText("; ".join([counts, *self.made.notes]))
            self.message.setStyleSheet(f"color: {RUST if self.made.notes else MOSS};")
            self._draw(model)
        for name in ("Keep the recipe…", "Make the model…", "Take in as a revision…"):
            self.buttons[name].setEnabled(self.made is not None)

    def _draw(self, model: Model) -> None:
        self.plot.clear()
        lines = model.lines()
        edges = [ring_sides(s.outer) for s in model.surfaces.values()]
        if edges and len(lines) < LARGE:
            self._strokes(np.concatenate(edges), PALE, 1.0)
        upright = np.abs(lines[:, 1, 2] - lines[:, 0, 2]) > np.linalg.norm(
            lines[:, 1, :2] - lines[:, 0, :2], axis=1
        )
        self._strokes(lines[~upright], GRAPHITE, 1.2)
        self._strokes(lines[upright], INK, 1.8)

    def _strokes(self, lines: Array, colour: str, width: float) -> None:
        if len(lines):
            flat = np.concatenate([lines @ LOOK, np.full((len(lines), 1, 2), np.nan)], axis=1).reshape(-1, 2)
            self.plot.plot(flat[:, 0], flat[:, 1], connect="finite", pen=pg.mkPen(colour, width=width))

    # -- files -----------------------------------------------------------------------------------------------

    def ask_open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "A recipe", self._folder(), "Recipes (*.toml)")
        if path:
            self.open_recipe(Path(path))

    def ask_keep(self) -> None:
        if path := ask_save_name(self, "Keep the recipe", self._folder(), {"Recipes": ".toml"}):
            self.keep(path)

    def ask_make(self, revision: bool) -> None:
        if path := ask_save_name(self, "Write the model", self._folder(), {"Models": ".ifc"}):
            self.write(path, revision)

    def _folder(self) -> str:
        return str(self.beside.parent if self.beside is not None else Path.home())

    def open_recipe(self, path: Path) -> None:
        """The fields of a recipe's file; one that cannot be used is said, and nothing changes."""
        try:
            data = read(path)
        except RecipeError as error:
            self._refuse(str(error))
            return
        self.own = {table: data[table] for table in OWN if table in data}
        self.kind.setCurrentText(next(words for words, kind in KINDS.items() if kind == data["kind"]))
        self._of_kind(texts_of(data))

    def _refuse(self, why: str) -> None:
        self.message.setText(why)
        self.message.setStyleSheet(f"color: {RUST};")

    def keep(self, path: Path) -> bool:
        """Write the recipe; False, and a message, where it cannot be written."""
        try:
            text = written(self.data())
            write_whole(path, lambda target: write_text(target, text))
        except (OutputError, RecipeError) as error:
            self._refuse(str(error))
            return False
        except OSError as error:
            self._refuse(f"{path}: cannot be written: {error.strerror or error}")
            return False
        return True

    def write(self, path: Path, revision: bool) -> None:
        """The model as IFC with its recipe beside it, and take it in. A file that is there is the reviewer's
        to replace, but not the source of the project that is open."""
        self.look()
        if self.made is None:
            return
        if self.beside is not None and path.exists() and self.beside.exists() and path.samefile(self.beside):
            self._refuse(f"{path}: is the source of the project that is open; choose another name")
            return
        try:
            write_ifc(self.made.model, path)
        except OutputError as error:
            self._refuse(str(error))
            return
        if self.keep(path.with_suffix(".toml")):
            super().accept()
            self.take(path, revision)
