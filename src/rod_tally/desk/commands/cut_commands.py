"""Commands for cuts: regular sets across floors, one through a wall, moved one by one, used on another
storey."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QWidget

from ...analysis.results.cut_places import CutError, on_storey, regular_cuts, wall_cut
from ...model import Model
from ...model.edits import AddCuts, DeleteCuts, MoveCut
from ...output.write import OutputError
from ..forms.asking import selected
from ..forms.form import Field, Form
from ..printing.cut_sheet import print_cuts
from ..quantities import UnitSet
from ..session.session import Session
from ..session.state import DeskState

BOTH = "both ways"


class CutDesk:
    """Asks for cuts and makes corrections of them."""

    def __init__(
        self, window: QWidget, session: Session, state: DeskState, units: Callable[[], UnitSet]
    ) -> None:
        self.window, self.session, self.state, self.units = window, session, state, units
        self.form: Form | None = None

    @property
    def model(self) -> Model | None:
        return self.state.review.model if self.state.review else None

    def _ask(
        self, title: str, text: str, fields: list[Field], made: Callable[[dict[str, Any]], None]
    ) -> None:
        def guarded(values: dict[str, Any]) -> None:
            try:
                made(values)
            except CutError as error:
                self.session.failed.emit(title, f"No cut was made: {error}.")

        self.form = Form(self.window, title, text, fields, guarded)
        self.form.open()

    def ask_floor(self) -> None:
        """Regular cuts across a floor."""
        model = self.model
        if model is None or not model.storeys:
            return
        storeys = [s.name for s in model.storeys]
        shown = next((s for s in storeys if s in self.state.storeys), storeys[-1])
        fields = [
            Field("storey", "Floor of storey", shown, storeys),
            Field("way", "Cuts follow each other along", "x", ["x", "y", BOTH]),
            Field("spacing", "every", 2.0, unit="m", low=0.05, high=1000.0),
            Field("first", "first one from the edge", 1.0, unit="m", low=0.0, high=1000.0),
            Field("factor", "forces times", 1.0, low=-1000.0, high=1000.0),
        ]

        def made(v: dict[str, Any]) -> None:
            ways = ["x", "y"] if v["way"] == BOTH else [v["way"]]
            records = [
                c
                for w in ways
                for c in regular_cuts(model, v["storey"], w, v["spacing"], v["first"], v["factor"])
            ]
            self._show(AddCuts(records))

        self._ask(
            "Cuts across a floor", "Each cut goes from edge to edge of the floor's slabs.", fields, made
        )

    def ask_wall(self) -> None:
        """A level cut through the selected walls."""
        model = self.model
        walls = [s for s in self.state.chosen("surface") if model is not None and model.surfaces[s].upright]
        if model is None or not walls:
            self.session.said.emit("Select a wall first")
            return
        fields = [
            Field("height", "above the wall's foot", 0.5, unit="m", low=0.0, high=1000.0),
            Field("factor", "forces times", 1.0, low=-1000.0, high=1000.0),
        ]

        def made(v: dict[str, Any]) -> None:
            self._show(AddCuts([wall_cut(model, w, v["height"], v["factor"]) for w in walls]))

        self._ask("Cut through a wall", f"{selected(walls, 'wall')}.", fields, made)

    def ask_move(self) -> None:
        """Move one cut, or give it another factor."""
        model = self.model
        if model is None or not model.cuts:
            self.session.said.emit("There is no cut to move")
            return
        names = [c.name for c in model.cuts]
        fields = [
            Field("name", "Cut", names[0], names),
            Field("by", "sideways by", 0.0, unit="m"),
            Field("factor", "forces times", 1.0, low=-1000.0, high=1000.0),
        ]
        self._ask(
            "Move a cut",
            "To its left, as it runs.",
            fields,
            lambda v: self._show(MoveCut(v["name"], v["by"], v["factor"])),
        )

    def ask_again(self) -> None:
        """A set of cuts on another storey's floor."""
        model = self.model
        families = list(dict.fromkeys(c.family for c in model.cuts if c.family)) if model is not None else []
        if model is None or not families:
            self.session.said.emit("There is no regular set of cuts yet")
            return
        fields = [
            Field("family", "The cuts of", families[0], families),
            Field(
                "storey", "on the floor of storey", model.storeys[-1].name, [s.name for s in model.storeys]
            ),
        ]

        def made(v: dict[str, Any]) -> None:
            chosen = [c for c in model.cuts if c.family == v["family"]]
            self._show(AddCuts(on_storey(model, chosen, v["storey"])))

        self._ask("Cuts on another storey", "The places in plan stay.", fields, made)

    def ask_print(self) -> None:
        """The sheets of all cuts in the shown case, as a PDF."""
        review, case = self.state.review, self.state.case
        if review is None or not review.model.cuts:
            self.session.said.emit("There is no cut yet")
            return
        name, _ = QFileDialog.getSaveFileName(self.window, "Cuts on paper", f"cuts {case}.pdf", "PDF (*.pdf)")
        if name:
            self.print_to(Path(name if name.lower().endswith(".pdf") else name + ".pdf"))

    def print_to(self, path: Path) -> None:
        review, case = self.state.review, self.state.case
        if review is None:
            return
        try:
            pages = print_cuts(review, case, self.units(), path)
        except (OutputError, ValueError) as error:
            self.session.failed.emit("Cuts on paper", f"Nothing was written: {error}.")
        else:
            self.session.said.emit(f"{pages} sheet{'s' if pages > 1 else ''} in {path}")

    def delete(self) -> None:
        """All cuts of the surfaces that are selected, or all cuts where none is."""
        model = self.model
        if model is None or not model.cuts:
            return
        chosen = set(self.state.chosen("surface"))
        names = [c.name for c in model.cuts if not chosen or chosen & set(c.surfaces)]
        if names:
            self.session.correct(DeleteCuts(names))

    def _show(self, edit: AddCuts | MoveCut) -> None:
        self.session.correct(edit)
        self.state.show_overlay("cuts")
