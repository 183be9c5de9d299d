"""Commands of the view: what is shown alone, closed in on, or found by its name."""

from __future__ import annotations

import numpy as np

from ..session.session import Session
from ..session.state import DeskState
from ..view.view import View


class ViewDesk:
    """Says to the state what is shown and picked, and to the view where to look."""

    def __init__(self, session: Session, state: DeskState, view: View) -> None:
        self.session, self.state, self.view = session, state, view

    def take_me_there(self) -> None:
        """Close in on what is picked."""
        review, picked = self.state.review, self.state.picked
        if review is None or picked is None:
            return
        model = review.model
        if picked[0] == "member":
            line = model.line(model.members[picked[1]])
            self.view.take_me_there(line.mean(axis=0), max(model.length(model.members[picked[1]]), 2.0))
        elif picked[0] == "surface":
            outer = model.surfaces[picked[1]].outer
            self.view.take_me_there(outer.mean(axis=0), max(float(np.ptp(outer, axis=0).max()), 2.0))
        else:
            self.view.take_me_there(model.nodes[picked[1]].point)

    def isolate(self) -> None:
        """Show the picked part alone, with those it meets."""
        review, picked = self.state.review, self.state.picked
        if review is None or picked is None:
            return
        model, at = review.model, review.model.members_at()
        nodes, more = [picked[1]], set()
        if picked[0] == "member":
            m = model.members[picked[1]]
            nodes = [m.start, m.end, *(j.node for j in m.joints)]
            more = {s.id for s in model.surfaces.values() if any(j.other == m.id or j.node in nodes for j in s.joints)}
        elif picked[0] == "surface":
            s = model.surfaces[picked[1]]
            nodes = [j.node for j in s.joints if j.node]
            more = {s.id, *(j.other for j in s.joints)}
        self.state.isolate({i for n in nodes for i in at[n]} | more)

    def isolate_line(self, frame: bool) -> None:
        """Show the stack, beam line or wall of the picked part alone, or its frame."""
        review = self.state.review
        chosen = [*self.state.chosen("member"), *self.state.chosen("surface")]
        if review is None or not chosen:
            return
        found = [x for x in review.lines if chosen[0] in x.members and (x.kind == "frame") == frame]
        if not found:
            self.session.said.emit("It stands in no frame" if frame else "It belongs to no stack, line or wall")
            return
        self.state.isolate(set(found[0].members))
        self.session.said.emit(f"{found[0].name}: {len(found[0].members)} parts; Ctrl+Shift+I shows everything again")

    def isolate_chosen(self) -> None:
        """Show what is selected alone."""
        self.state.isolate({*self.state.chosen("member"), *self.state.chosen("surface")})

    def show_all(self) -> None:
        """Show all storeys and parts again."""
        self.state.show_storeys(set())
        self.state.isolate(set())

    def find(self, wanted: str) -> None:
        """Pick what has this name, number or id, exactly or in part; again for the next of several."""
        text = wanted.strip().lower()
        review = self.state.review
        if not text or review is None:
            return
        model = review.model
        names = [("member", m.id, [m.name, m.id, m.tag]) for m in model.members.values()]
        names += [("surface", s.id, [s.name, s.id, s.tag]) for s in model.surfaces.values()]
        names += [("node", n, [n]) for n in model.nodes]
        exact = [(k, i) for k, i, labels in names if text in (label.lower() for label in labels)]
        part = [(k, i) for k, i, labels in names if any(text in label.lower() for label in labels)]
        found = exact or part
        if not found:
            self.session.said.emit(f"No member, slab, wall or node is called {wanted.strip()}")
            return
        at = found.index(self.state.picked) + 1 if self.state.picked in found else 0
        self.state.pick(*found[at % len(found)])
        more = f", {len(found)} in all: Enter for the next" if len(found) > 1 else ""
        self.session.said.emit(f"{found[at % len(found)][0]} found{more}")
