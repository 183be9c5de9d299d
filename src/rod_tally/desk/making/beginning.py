"""A model from nothing but levels and a grid, or from a plan: a new project that parts are drawn in."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QFileDialog, QWidget

from ...model import Model, Storey
from ...model.entities.grid import GridLine
from ...project import Project, ProjectError
from ...project.open import SUFFIX
from ..forms.form import Field, Form
from ..save_name import ask_save_name
from ..session.session import Session

BEYOND = 1.0  # m that grid lines reach beyond the outermost crossing
FIRST = "Ground = 0, First = 3.6, Roof = 7.2"


class Beginning:
    """Asks for levels and grid lines, or for a plan, and where the project is to be; `then` is called with a
    plan when the project is open."""

    def __init__(self, window: QWidget, session: Session, then: Callable[[Path], object]) -> None:
        self.window, self.session, self.then = window, session, then
        self.form: Form | None = None
        self._plan: Path | None = None
        session.state.revision_changed.connect(self._opened)

    def ask_levels(self) -> None:
        """A new model of levels and grid lines."""
        fields = [
            Field("levels", "levels", FIRST, [FIRST], free=True),
            Field("x", "spacings in x, m", "6, 6, 6", ["6, 6, 6", "3 x 7.2", ""], free=True),
            Field("y", "spacings in y, m", "5, 5", ["5, 5", "2 x 6", ""], free=True),
        ]
        text = (
            "Levels by name and height in m; spacings of grid lines, A, B … across x and 1, 2 … across y, none where a field is empty. "
            "Then Model, Draw members… joins their crossings, and Import DXF plan… adds parts of a drawing."
        )
        self.form = Form(self.window, "New model from levels and grid", text, fields, self._levels)
        self.form.open()

    def _levels(self, v: dict[str, Any]) -> None:
        try:
            model = model_of(str(v["levels"]), str(v["x"]), str(v["y"]))
        except ValueError as error:
            self.session.failed.emit("New model", f"{error}.")
            return
        self._ask_where(model)

    def ask_plan(self) -> None:
        """A new model of what a drawing's layers stand for."""
        path, _ = QFileDialog.getOpenFileName(self.window, "A plan", "", "Drawings (*.dxf)")
        if path:
            self._ask_where(Model(name=Path(path).stem), Path(path))

    def _ask_where(self, model: Model, plan: Path | None = None) -> None:
        if path := ask_save_name(self.window, "Where the project is kept", "", {"Projects": SUFFIX}):
            self.make(model, path, plan)

    def make(self, model: Model, path: Path, plan: Path | None = None) -> None:
        """Write the project with the model as its first revision, and open it; then the plan."""
        project = self.session.project
        if project is not None and path.exists() and path.samefile(project.path):
            self.session.failed.emit("New model", f"{path} is the project that is open; choose another name.")
            return
        model.name = path.stem
        try:
            with TemporaryDirectory() as folder:
                made = Project.create(Path(folder) / path.name)
                try:
                    made.add_revision("A", model)
                    made = made.copy_to(path)  # whatever stands there stays until the new one is whole
                finally:
                    made.close()
        except (OSError, ProjectError) as error:
            self.session.failed.emit("New model", f"{path} cannot be written: {error}.")
            return
        self._plan = plan
        self.session.open(path)

    def _opened(self) -> None:
        plan, review = self._plan, self.session.state.review
        if plan is not None and review is not None:
            self._plan = None
            self.then(plan)


def levels_of(text: str) -> list[tuple[str, float]]:
    """Names and heights (m) of "First = 4.2, Second = 7.8"; a height alone is named by itself. Raises
    ValueError.

    >>> levels_of("Ground = 0, 3.6")
    [('Ground', 0.0), ('+3.600', 3.6)]
    """
    out: list[tuple[str, float]] = []
    for part in re.split(r"[,;\n]+", text):
        name, _, height = part.rpartition("=")
        if not part.strip():
            continue
        try:
            z = float(height.strip().removesuffix("m"))
        except ValueError:
            raise ValueError(f"{part.strip()!r} is no level; write a name = its height in m") from None
        out.append((name.strip() or f"{z:+.3f}", z))
    if not out:
        raise ValueError("there is no level in it; write a name = its height in m")
    names = [n for n, _ in out]
    if len(set(names)) < len(names):
        raise ValueError("two levels have one name")
    return out


def spacings_of(text: str) -> list[float]:
    """Spacings (m) of "6, 6, 5.4" or "3 x 7.2". Raises ValueError.

    >>> spacings_of("2 x 6, 5.4")
    [6.0, 6.0, 5.4]
    """
    out: list[float] = []
    for part in (p.strip() for p in re.split(r"[,;]+", text) if p.strip()):
        found = re.fullmatch(r"(?:(\d+)\s*[x×*]\s*)?(\d+(?:\.\d+)?)\s*m?", part)
        if found is None or float(found[2]) <= 0:
            raise ValueError(f"{part!r} is no spacing; write metres, as in 6, 6, 5.4 or 3 x 7.2")
        out += [float(found[2])] * int(found[1] or 1)
    return out


def letters(k: int) -> str:
    """A, B … Z, AA, AB … for 0, 1 …

    >>> [letters(k) for k in (0, 25, 26, 52)]
    ['A', 'Z', 'AA', 'BA']
    """
    return (letters(k // 26 - 1) if k >= 26 else "") + chr(65 + k % 26)


def model_of(levels: str, x: str, y: str) -> Model:
    """A model of levels and grid lines alone. Raises ValueError."""
    out = Model()
    out.storeys = sorted((Storey(n, z) for n, z in levels_of(levels)), key=lambda s: s.elevation)
    across, along = ([0.0, *np.cumsum(spacings_of(t))] for t in (x, y))
    for family, at, other in (("u", across, along), ("v", along, across)):
        if len(at) < 2:
            continue
        ends = min(other) - BEYOND, max(other) + BEYOND
        for k, c in enumerate(at):
            points = [(c, e) if family == "u" else (e, c) for e in ends]
            name = letters(k) if family == "u" else str(k + 1)
            out.grids.append(GridLine(name, np.array(points, float), family, "Grid"))
    return out
