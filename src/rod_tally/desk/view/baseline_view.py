"""The reviewed revision beside the shown one: the same overlay, case, storeys and scale, one camera, picked
in either."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from ...compare import Comparison
from ...compare.places import Places
from ...model import Model
from ..session.state import DeskState
from ..theme import SHEET
from .view import View

SAME = (
    "overlay",
    "label",
    "component",
    "plate",
    "plate_range",
    "stress",
    "stress_range",
    "plate_averaged",
    "plate_crosses",
    "plate_over",
    "cut",
    "scale",
    "times",
    "mode",
    "surfaces",
    "step",
)
CHANGES = "change"  # the overlay that draws both revisions by itself
PLAIN = "sections"


class BaselineView(QWidget):
    """Follows the window's state and camera as far as they mean something in the other revision, and is
    followed by them. `say` puts a line into the status bar."""

    def __init__(self, state: DeskState, main: View, say: Callable[[str], object]) -> None:
        super().__init__()
        self.main_state, self.main, self.say = state, main, say
        self.state = DeskState()
        self.view = View(self.state)
        self.view.nothing = ""
        self.title = QLabel()
        self.title.setContentsMargins(9, 4, 9, 4)
        self.title.setStyleSheet(f"background: {SHEET};")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.title)
        column.addWidget(self.view, 1)
        self._busy = False
        self._places: Places | None = None
        self._paired: Comparison | None = None  # whose pairs these are
        self._base_of: dict[str, str] = {}
        self._now_of: dict[str, str] = {}
        self._links: list[tuple[Any, int]] = []
        self.view.beside, main.beside = main.sizes, self.view.sizes
        for signal in (state.revision_changed, state.overlay_changed, state.shown_changed):
            signal.connect(self.follow)
        state.picked_changed.connect(self._picked_there)
        self.state.picked_changed.connect(self._picked_here)
        main.drawn.connect(self._drawn)
        self.view.drawn.connect(self._drawn)
        self._link_cameras()
        self.follow()

    def stop(self) -> None:
        """Let go of the other view, and give the picture back."""
        for camera, tag in self._links:
            camera.RemoveObserver(tag)
        self.main.beside = None
        self.main.legend.setMinimumHeight(0)
        state = self.main_state
        for signal in (state.revision_changed, state.overlay_changed, state.shown_changed):
            signal.disconnect(self.follow)
        state.picked_changed.disconnect(self._picked_there)
        self.main.drawn.disconnect(self._drawn)
        self.view.close_view()
        self.main.draw()

    # -- what is shown ---------------------------------------------------------------------------------------

    @property
    def comparison(self) -> Comparison | None:
        return self.main_state.comparison

    def follow(self) -> None:
        """Show of the other revision what is shown of this one."""
        base, now = self.main_state.baseline, self.main_state.revision
        if base is None or now is None or self.comparison is None:
            self.title.setText(
                "There is no revision before this one"
                if base is None
                else "Not compared with the revision before it yet"
            )
            if self.state.revisions:
                self.state.set_revisions([], -1)
            return
        same = self.state.revision is base
        s, other = self.main_state, self.state
        if not same:
            self._places = Places(base.review.model, now.review.model, self.comparison.transform)
            other.revisions, other.current = [base], 0
        for name in SAME:
            setattr(other, name, getattr(s, name))
        words = ""
        if s.overlay == CHANGES:
            other.overlay = PLAIN
        other.case = self._case(s.case)
        if s.case and other.case not in other.cases():
            words = f": it has no case {s.case}"
        known = {x.name for x in base.review.model.storeys}
        other.storeys = s.storeys & known
        if s.storeys and not other.storeys:
            words = ": it has none of the shown storeys"
        twins = {self.twin(i) for i in s.isolated}
        other.isolated = {i for i in twins if i} or ({""} if s.isolated else set())
        if s.isolated and other.isolated == {""}:
            words = ": it has none of the parts that are shown alone"
        other.section = None if s.section is None else self._section(s)
        self.title.setText(f"{base.name}, the reviewed one{words}")
        (other.overlay_changed if same else other.revision_changed).emit()

    def _section(self, s: DeskState) -> Any:
        section, places = s.section, self._places
        if section is None or places is None or places.transform is None:
            return section
        normal = np.array(section.normal)
        moved = places.turned_back(normal)
        step = float(places.back(np.zeros(3)) @ moved)
        x, y, z = (float(v) for v in moved)
        return replace(section, normal=(x, y, z), low=section.low + step, high=section.high + step)

    def _case(self, name: str) -> str:
        """The baseline's name of a case that was renamed."""
        rows = self.comparison.cases if self.comparison is not None else []
        return next(
            (r.baseline_name or name for r in rows if r.revised_name == name and r.status == "renamed"), name
        )

    def twin(self, ident: str, back: bool = True) -> str:
        """The baseline's part for one of the shown revision's (`back`), or the other way; "" for none."""
        if self._paired is not self.comparison:
            self._paired = self.comparison
            pairs = [
                (r.revised_id, r.baseline_id)
                for r in (self.comparison.parts if self.comparison is not None else ())
            ]
            both = [(n, o) for n, o in pairs if n and o]
            self._base_of = {n: o for n, o in reversed(both)}
            self._now_of = {o: n for n, o in reversed(both)}
        return (self._base_of if back else self._now_of).get(ident, "")

    def _node_twin(self, node: str, back: bool) -> str:
        pairs = self._places.node_of if self._places is not None else {}
        if back:
            return pairs.get(node, "")
        return next((n for n, b in pairs.items() if b == node), "")

    # -- picked in either ------------------------------------------------------------------------------------

    def _picked_there(self) -> None:
        """Something was picked in the shown revision."""
        if self._busy or self.state.revision is None:
            return
        self._busy = True
        picked = self.main_state.picked
        ident = "" if picked is None else self._other(*picked, back=True)
        self.state.pick(picked[0] if picked and ident else None, ident)
        self._busy = False

    def _picked_here(self) -> None:
        """Something was picked in the other revision: its twin is picked in the shown one."""
        if self._busy or self.state.picked is None:
            return
        self._busy = True
        kind, ident = self.state.picked
        twin = self._other(kind, ident, back=False)
        self.main_state.pick(kind if twin else None, twin)
        if not twin and self.main_state.revision is not None:
            part = self.state.review.model.part(ident) if self.state.review is not None else None
            name = (part.name if part is not None else "") or ident
            self.say(f"{kind.capitalize()} {name} is not in {self.main_state.revision.name}")
        self._busy = False

    def _other(self, kind: str, ident: str, back: bool) -> str:
        return self._node_twin(ident, back) if kind == "node" else self.twin(ident, back)

    # -- one camera, one scale -------------------------------------------------------------------------------

    def _drawn(self) -> None:
        """Draw the view again whose scale is no longer that of both; legends of one height, so that equal
        levels stand at equal heights."""
        legends = self.main.legend, self.view.legend
        high = max(x.heightForWidth(x.width()) for x in legends)
        for legend in legends:
            legend.setMinimumHeight(high)
        for view, other in ((self.main, self.view), (self.view, self.main)):
            if self.state.revision is not None and not view.sizes.holds(other.sizes):
                view.draw()
                return

    def _link_cameras(self) -> None:
        if self.view.plotter is None or self.main.plotter is None:
            return
        for here, there, forward in ((self.main, self.view, False), (self.view, self.main, True)):
            camera = here.plotter.camera
            tag = camera.AddObserver(
                "ModifiedEvent", lambda *_, a=here, b=there, f=forward: self._turn(a, b, f)
            )
            self._links.append((camera, tag))

    def _turn(self, here: View, there: View, forward: bool) -> None:
        """Look at one revision from where the other is looked at."""
        base, now = self.state.review, self.main_state.review
        if (
            self._busy
            or base is None
            or now is None
            or here.plotter is None
            or there.plotter is None
            or self._places is None
        ):
            return
        self._busy = True
        one, two = here.plotter.camera, there.plotter.camera
        models: tuple[Model, Model] = (base.model, now.model) if forward else (now.model, base.model)
        focus, position = (
            self._there(np.array(p), *models, forward) for p in (one.focal_point, one.position)
        )
        top = self._there(np.array(one.position) + np.array(one.up), *models, forward)
        two.focal_point, two.position, two.up = tuple(focus), tuple(position), tuple(top - position)
        two.parallel_scale = one.parallel_scale
        there.direction = here.direction
        there.follow_camera()
        self._busy = False

    def _there(self, point: Any, here: Model, there: Model, forward: bool) -> Any:
        assert self._places is not None
        seen = point + here.origin
        return (self._places.forward(seen) if forward else self._places.back(seen)) - there.origin
