"""Members, slabs and walls drawn by pointer: what is asked before, and what comes of the places that were
clicked."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QWidget

from ...model.catalogue.catalogue import catalogue
from ...model.catalogue.grades import grades
from ...model.edits import AddMembers
from ...model.geometry.vectors import Array
from ..forms.form import Field, Form
from ..session.session import Session
from ..session.state import DeskState
from ..view.view import View
from .surfaces_by_form import SurfaceDesk

NO_PICTURE = "Drawing needs the view, and this display has none; Add a member… takes numbers"


class DrawDesk:
    """Draws in a view; edits go to the session, outlines to the forms of `asking`."""

    def __init__(
        self, window: QWidget, session: Session, state: DeskState, view: View, asking: SurfaceDesk
    ) -> None:
        self.window, self.session, self.state, self.view, self.asking = window, session, state, view, asking
        self.form: Form | None = None
        self.last: dict[str, Any] = {}  # what was drawn last is proposed again

    def members(self) -> None:
        """Ask what they are made of, then take two places for each until Esc."""
        review = self.state.review
        if review is None:
            return
        model = review.model
        beside = next((model.members[i] for i in self.state.chosen("member")), None)
        sections = list(dict.fromkeys([*model.sections, *catalogue()]))
        materials = list(dict.fromkeys([*model.materials, *grades()]))
        section = (
            beside.section if beside else self.last.get("section", next(iter(model.sections), "IPE 300"))
        )
        material = (
            beside.material if beside else self.last.get("material", next(iter(model.materials), "S355"))
        )
        fields = [
            Field("section", "section", section, sections, free=True),
            Field("material", "material", material, materials),
            Field("ends", "ends", self.last.get("ends", "fixed"), ["fixed", "pinned"]),
        ]
        text = "Then click the two ends of each: nodes, corners, middles, crossings of grid lines, places along members."
        self.form = Form(self.window, "Draw members", text, fields, self._draw_members)
        self.form.open()

    def _draw_members(self, v: dict[str, Any]) -> None:
        self.last = v
        pinned = v["ends"] == "pinned"

        def made(points: list[Array]) -> None:
            part = {
                "start": points[0].tolist(),
                "end": points[1].tolist(),
                "section": v["section"],
                "material": v["material"],
            }
            self.session.correct(AddMembers([part | {"pinned_start": pinned, "pinned_end": pinned}]))

        if not self.view.pointing.start(
            2, f"Click the start, then the end of {v['section']}.", made, again=True
        ):
            self.session.said.emit(NO_PICTURE)

    def slab(self) -> None:
        """Take its corners, then ask for the rest."""
        text = "Click the corners one after the other; the first one again, or Enter, closes the outline."
        self._outline(0, text, lambda points: self.asking.ask_slab(points))

    def wall(self) -> None:
        """Take the two ends of its foot, then ask for the rest."""
        self._outline(2, "Click both ends of the wall's foot.", lambda points: self.asking.ask_wall(points))

    def _outline(self, count: int, text: str, ask: Any) -> None:
        review = self.state.review
        if review is None:
            return
        origin = review.model.origin
        if not self.view.pointing.start(count, text, lambda points: ask([p + origin for p in points])):
            self.session.said.emit(NO_PICTURE)
