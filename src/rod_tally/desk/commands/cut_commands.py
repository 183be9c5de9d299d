"""Commands for cuts: regular sets across floors, one through a wall, moved one by one, used on another
storey."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import tomli_w
from PyQt6.QtWidgets import QWidget

from ...analysis.results.cut_places import (
    CutError,
    across_floor,
    floor_surfaces,
    on_storey,
    regular_cuts,
    settings_of_cuts,
    wall_cut,
)
from ...model import Model
from ...model.edits import AddCuts, DeleteCuts, MoveCut
from ...output.write import OutputError, write_text, write_whole
from ..forms.asking import selected
from ..forms.form import Field, Form
from ..printing.cut_sheet import print_cuts
from ..quantities import UnitSet
from ..save_name import ask_save_name
from ..session.session import Session
from ..session.state import DeskState
from ..tables.table_page import TablePage

BOTH = "both ways"
SHOWN_CASE, EVERY_CASE = "the shown case", "every load case"


class CutDesk:
    """Asks for cuts and makes corrections of them."""

    def __init__(
        self,
        window: QWidget,
        session: Session,
        state: DeskState,
        units: Callable[[], UnitSet],
        tables_page: Callable[[str], TablePage | None] = lambda _: None,
    ) -> None:
        self.window, self.session, self.state, self.units = window, session, state, units
        self.tables_page = tables_page
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
        picked = self.picked_cut()
        fields = [
            Field("name", "Cut", picked if picked in names else names[0], names),
            Field("by", "sideways by", 0.0, unit="m"),
            Field("factor", "forces times", 1.0, low=-1000.0, high=1000.0),
        ]
        self._ask(
            "Move a cut",
            "To its left, as it runs.",
            fields,
            lambda v: self._show(MoveCut(v["name"], v["by"], v["factor"])),
        )

    def ask_change(self) -> None:
        """The ends of a level cut, the point that its moments are taken about, and its factor: of the cut in
        the picked row of the table, else of the first."""
        model = self.model
        level = [c for c in model.cuts if across_floor(model, c)] if model else []
        if model is None or not level:
            self.session.said.emit("There is no cut across a floor to change")
            return
        names = [c.name for c in level]
        cut = next((c for c in level if c.name == self.picked_cut()), level[0])
        line = cut.line + model.origin
        about = line.mean(axis=0) if cut.about is None else cut.about + model.origin
        fields = [
            Field("name", "Cut", cut.name, [cut.name]),
            *(
                Field(f"{axis}{k}", f"{word} {axis}", float(at[n]), unit="m", beside=axis == "y")
                for k, (word, at) in enumerate((("from", line[0]), ("to", line[1]), ("moments about", about)))
                for n, axis in enumerate("xy")
            ),
            Field("factor", "forces times", cut.factor, low=-1000.0, high=1000.0),
        ]
        own = model

        def made(v: dict[str, Any]) -> None:
            z = float(cut.line[0, 2])
            off = own.origin
            a, b, p = ([v[f"x{k}"] - off[0], v[f"y{k}"] - off[1], z] for k in range(3))
            middle = [(s + t) / 2 for s, t in zip(a, b)]
            still = cut.about is None and all(abs(s - t) < 5e-4 for s, t in zip(p, about - off))
            apart = not still and any(abs(s - t) > 1e-9 for s, t in zip(p, middle))
            surfaces = [s.id for s in floor_surfaces(own, cut.storey)]
            record: dict[str, Any] = {
                "name": cut.name,
                "line": [a, b],
                "surfaces": surfaces,
                "family": cut.family,
            }
            record |= {"storey": cut.storey, "factor": v["factor"], "about": p if apart else None}
            self._show(AddCuts([record]))

        text = f"In plan. The point for moments counts where it is not the cut's middle. {len(names)} cuts; the picked row of their table is changed."
        self._ask("Edit a cut", text, fields, made)

    def hide_set(self) -> None:
        """Leave the set of the picked cut out of the view."""
        model, picked = self.model, self.picked_cut()
        cut = next((c for c in model.cuts if c.name == picked), None) if model is not None else None
        if cut is None:
            self.session.said.emit("Pick a row of the table of cuts first")
            return
        self.state.hide_cuts(self.state.hidden_cuts | {cut.group})
        self.session.said.emit(f"{cut.group} is not drawn; Run, Show all cuts brings it back")

    def picked_cut(self) -> str:
        """Return the name in the picked row of the table of cuts; "" for none."""
        page = self.tables_page("cuts")
        row = page.first_row() if page is not None else None
        return str(row[0]) if row else ""

    def ask_save(self) -> None:
        """Write the cuts across floors as [[cuts]] of a settings file."""
        model = self.model
        if model is None or not model.cuts:
            self.session.said.emit("There is no cut yet")
            return
        if path := ask_save_name(self.window, "Cuts as settings", "cuts.toml", {"Settings": ".toml"}):
            self.save_to(path)

    def save_to(self, path: Path) -> None:
        """Write the cuts to a file that `--settings` and Load settings read."""
        model = self.model
        if model is None:
            return
        asked, left = settings_of_cuts(model)
        try:
            write_whole(path, lambda p: write_text(p, tomli_w.dumps({"cuts": [c.to_dict() for c in asked]})))
        except OSError as error:
            self.session.failed.emit(
                "Cuts as settings", f"{path} cannot be written: {error.strerror or error}"
            )
            return
        more = (
            f"; not written, as they are no straight cuts across a floor of one storey: {', '.join(left[:5])}"
            if left
            else ""
        )
        self.session.said.emit(f"{len(asked)} cuts written to {path}{more}")

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
        kinds = list(dict.fromkeys(c.kind for c in review.computed_combinations if c.kind))
        choices = [SHOWN_CASE, EVERY_CASE, *(f"{k} combinations" for k in kinds)]
        fields = [Field("what", "of", SHOWN_CASE, choices)]

        def made(v: dict[str, Any]) -> None:
            own = {SHOWN_CASE: [case], EVERY_CASE: list(review.results.cases)}.get(str(v["what"]))
            if own is None:
                kind = str(v["what"]).removesuffix(" combinations")
                own = [c.name for c in review.computed_combinations if c.kind == kind]
            start = f"cuts {v['what']}.pdf"
            if path := ask_save_name(self.window, "Cuts on paper", start, {"PDF": ".pdf"}):
                self.print_to(path, own)

        self._ask("Cuts on paper", "One sheet a set and case, in one file.", fields, made)

    def print_to(self, path: Path, cases: list[str] | None = None) -> None:
        """Write the sheets of these cases and combinations, of the shown one for None."""
        review = self.state.review
        if review is None:
            return
        try:
            pages = print_cuts(review, cases or [self.state.case], self.units(), path)
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
