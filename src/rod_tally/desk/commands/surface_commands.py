"""Commands for slabs and walls: their elements, what is shown of their forces, and in which range."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QWidget

from ...analysis.shells.fields import PLATE_COMPONENTS
from ...analysis.shells.quantities import unit_kind
from ...meshing.plates import element_size
from ...model.edits import SetDiaphragm, SetMeshSize
from ...model.settings import LimitSettings
from ...review.found.limits import NODES
from ...review.walls.panel_sheet import PanelSheet, panel_sheets
from ..forms.asking import selected
from ..forms.form import Field, Form
from ..printing.panel_page import KINDS, PanelPage
from ..quantities import UnitSet
from ..save_name import ask_save_name
from ..session.session import Session
from ..session.state import DeskState

ALL_KINDS, KEEP, DROP = "all", "keep", "remove"
AUTOMATIC, OWN = "from the largest value", "as below"


class PlateDesk:
    """Asks, and writes to the state or makes a correction."""

    def __init__(
        self, window: QWidget, session: Session, state: DeskState, units: Callable[[], UnitSet]
    ) -> None:
        self.window, self.session, self.state, self.units = window, session, state, units
        self.form: Form | None = None
        self.page: PanelPage | None = None

    def ask_size(self) -> None:
        """The element size of the selected surfaces."""
        surfaces = self.state.chosen("surface")
        review = self.state.review
        if not surfaces or review is None:
            return
        chosen = review.model.surfaces[surfaces[0]]
        usual = element_size(replace(chosen, mesh_size=None), review.settings.mesh.size)
        now = chosen.mesh_size
        ways = ["a size of its own", f"as the settings say ({usual:g} m)"]
        fields = [
            Field("way", "Elements", ways[0], ways),
            Field("size", "size", now or usual, unit="m", low=0.02, high=10.0),
        ]

        def made(v: dict[str, Any]) -> None:
            self.session.correct(SetMeshSize(surfaces, float(v["size"]) if v["way"] == ways[0] else None))

        self.form = Form(self.window, "Element size", f"{selected(surfaces, 'surface')}.", fields, made)
        self.form.open()

    def ask_floors(self) -> None:
        """Which storeys move in plan as one, whatever their slabs are; for the next run."""
        review = self.state.review
        if review is None or not review.model.storeys:
            self.session.said.emit("The model has no storeys")
            return
        rigid = self.session.settings.run.diaphragms
        names = [s.name for s in sorted(review.model.storeys, key=lambda s: s.elevation)]
        ways = ["as its slabs are", "rigid in plan"]
        fields = [Field(n, n, ways[n in rigid], ways) for n in names]

        def made(v: dict[str, Any]) -> None:
            chosen = [n for n in names if v[n] == ways[1]]
            other = [n for n in rigid if n not in names]  # of another revision
            self.session.change_settings(lambda s: setattr(s.run, "diaphragms", [*other, *chosen]))

        text = "A storey that is rigid in plan moves as one at its level. It counts from the next run."
        self.form = Form(self.window, "Rigid floors", text, fields, made)
        self.form.open()

    def stiffen(self, rigid: bool) -> None:
        """Let the selected slabs, which hand their loads on, stiffen their storey, or not."""
        slabs = self.state.chosen("surface")
        if slabs:
            self.session.correct(SetDiaphragm(slabs, rigid))

    def toggle_one_way(self) -> None:
        """Let parts that act in one way only do so in the next run, or not."""
        on = not self.session.settings.run.one_way
        self.session.change_settings(lambda s: setattr(s.run, "one_way", on))
        review = self.state.review
        m = review.model if review is not None else None
        count = 0 if m is None else len({*m.one_way, *m.lifting, *m.standing, *m.leaning})
        how = "each case by itself; cases are not added up" if on else "computed as acting both ways"
        self.session.said.emit(f"{count} one-way parts: {how}. It counts from the next run (F5)")

    def ask_range(self) -> None:
        """The range of the colours; what lies beyond it is drawn in ink."""
        state, units = self.state, self.units()
        members = state.overlay == "stress"
        kind = "stress" if members else unit_kind(state.plate)
        factor, unit = (1e-6, "N/mm²") if kind == "stress" else getattr(units, kind)
        unit = unit if kind == "stress" else f"{unit}/m"
        low, high = (state.stress_range if members else state.plate_range) or (0.0, 0.0)
        key = "stress_range" if members else "plate_range"
        fields = [
            Field("way", "Range", OWN, [OWN, AUTOMATIC]),
            Field("low", "from", low * factor, unit=unit, low=-1e9, high=1e9),
            Field("high", "to", high * factor, unit=unit, low=-1e9, high=1e9),
        ]

        def made(v: dict[str, Any]) -> None:
            if v["way"] == AUTOMATIC:
                state.set_view(**{key: None})
            elif v["high"] > v["low"]:
                state.set_view(**{key: (v["low"] / factor, v["high"] / factor)})
            else:
                self.session.said.emit(
                    f"The range from {v['low']:g} to {v['high']:g} is empty; nothing was changed"
                )

        text = f"Values of {state.stress + ' stress' if members else state.plate} beyond the range are drawn in ink, so that they stand out."
        self.form = Form(self.window, "Range of colours", text, fields, made)
        self.form.open()

    def toggle_averaged(self) -> None:
        """Values averaged over the lines of walls and beams, or each side of a line by itself."""
        self.state.set_view(plate_averaged=not self.state.plate_averaged)

    def show_over(self, which: str) -> None:
        """The highest or the lowest of all combinations in place of the case; the case again when it is shown
        already."""
        review = self.state.review
        if review is not None and review.envelopes.empty:
            self.session.said.emit("No combination was computed; give the cases a kind, or make combinations")
            return
        self.state.set_view(plate_over="" if self.state.plate_over == which else which)

    def toggle_crosses(self) -> None:
        """Principal directions as strokes."""
        self.state.set_view(plate_crosses=not self.state.plate_crosses)

    def show_sheets(self) -> None:
        """The sheet of each panel of the selected wall, made in the background."""
        review, walls = self.state.review, self.state.chosen("surface")
        if review is None or not walls:
            return
        ident = walls[0]

        def shown(found: tuple[list[PanelSheet], list[str]]) -> None:
            sheets, without = found
            if not sheets:
                self.session.said.emit("; ".join(without) or "It is no wall: it has no panel")
                return
            self.page = PanelPage(
                self.window, review, sheets, lambda p: self.session.exports.panels(p, ident)
            )
            self.page.open()

        self.session.start("Wall panels", lambda p: panel_sheets(review, ident), shown)

    def ask_save_sheets(self) -> None:
        """The sheets of all wall panels."""
        if path := ask_save_name(self.window, "Save the sheets of all walls", "walls.pdf", KINDS):
            self.session.exports.panels(path)

    def ask_limit(self) -> None:
        """A limit of a force, a displacement or a design result; the table says what is above it."""
        review, session = self.state.review, self.session
        if review is None:
            return
        units = self.units()
        design = review.design.names if review.design is not None else []
        quantities = [*PLATE_COMPONENTS, *NODES, *design]
        kinds = [ALL_KINDS, *dict.fromkeys(c.kind for c in review.computed_combinations if c.kind)]
        now = self.state.plate if self.state.plate in quantities else quantities[0]
        fields = [
            Field("quantity", "Quantity", now, quantities),
            Field("most", "Largest size", 10.0, low=1e-9, high=1e9),
            Field("kind", "Over combinations", ALL_KINDS, kinds),
            Field("others", "Other limits", KEEP, [KEEP, DROP]),
        ]
        small, force, moment = units.small[1], units.force[1], units.moment[1]

        def made(v: dict[str, Any]) -> None:
            q, most = str(v["quantity"]), float(v["most"])
            if q in NODES:
                most /= units.small[0]
            elif q in PLATE_COMPONENTS:
                most /= getattr(units, unit_kind(q))[0]
            kind = "" if v["kind"] == ALL_KINDS else str(v["kind"])
            own = LimitSettings(q, most, kind)
            before = session.settings.limits if v["others"] == KEEP else []
            session.limit([*(x for x in before if (x.quantity, x.kind) != (q, kind)), own])
            if q in PLATE_COMPONENTS:  # what is beyond the range is drawn in ink
                self.state.set_view(plate=q, plate_range=(-most, most))
            session.asked_table.emit("surface_forces", "above limits")

        text = (
            f"Sizes of forces a metre ({force}/m, {moment}/m), of displacements ({small}), or of design results as their table has them. "
            "What is above is listed and stands among the findings."
        )
        self.form = Form(self.window, "Values above a limit", text, fields, made)
        self.form.open()
