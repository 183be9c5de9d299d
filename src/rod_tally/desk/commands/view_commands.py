"""Commands of the view: what is shown alone, closed in on, or found by its name."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QWidget

from ...review.titles import title_of
from ..forms.form import Field, Form
from ..session.section import AXES, Section, axis_of, extent, places
from ..session.session import Session
from ..session.state import DeskState
from ..view.view import View

SHOWN, HIDDEN = "shown", "hidden"


class ViewDesk:
    """Says to the state what is shown and picked, and to the view where to look."""

    def __init__(self, window: QWidget, session: Session, state: DeskState, view: View) -> None:
        self.window, self.session, self.state, self.view = window, session, state, view
        self.form: Form | None = None
        # shows the commands with these words, if there are any
        self.commands: Callable[[str], bool] = lambda text: False

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
            more = {
                s.id
                for s in model.surfaces.values()
                if any(j.other == m.id or j.node in nodes for j in s.joints)
            }
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
            self.session.said.emit(
                "It stands in no frame" if frame else "It belongs to no stack, line or wall"
            )
            return
        self.state.isolate(set(found[0].members))
        self.session.said.emit(
            f"{found[0].name}: {len(found[0].members)} parts; Ctrl+Shift+I shows everything again"
        )

    def isolate_chosen(self) -> None:
        """Show what is selected alone."""
        self.state.isolate({*self.state.chosen("member"), *self.state.chosen("surface")})

    def show_all(self) -> None:
        """Show all storeys and parts again."""
        self.state.show_section(None)
        self.state.show_storeys(set())
        self.state.hide(set())
        self.state.isolate(set())

    def ask_classes(self) -> None:
        """Which classes of parts are shown."""
        review = self.state.review
        if review is None:
            return
        classes = sorted({p.cls for p in review.model.parts()})
        fields = [
            Field(c, f"{c.capitalize()}s", HIDDEN if c in self.state.hidden else SHOWN, [SHOWN, HIDDEN])
            for c in classes
        ]
        text = "Classes of parts in the view. View, Show all shows all of them again."
        self.form = Form(
            self.window,
            "Classes",
            text,
            fields,
            lambda v: self.state.hide({c for c in classes if v[c] == HIDDEN}),
        )
        self.form.open()

    def ask_section(self) -> None:
        """Square to which axis, where, and how deep a section is."""
        review = self.state.review
        if review is None:
            return
        model = review.model
        named = {f"{axis}: {name}": (axis, at) for axis in AXES for name, at in places(model, axis).items()}
        ends = {axis: extent(model, axis) for axis in AXES}
        reach = ", ".join(f"{axis} {low:.2f} to {high:.2f} m" for axis, (low, high) in ends.items())
        text = (
            "What lies between two planes is shown, cut where it reaches beyond them. At a grid line or a storey, or a number along the axis "
            f"chosen ({reach}). View, Show everything takes it away."
        )
        first = next(iter(named), f"{(ends['x'][0] + ends['x'][1]) / 2:.2f}")
        fields = [
            Field("axis", "Square to", "x", list(AXES)),
            Field("at", "At", first, list(named), free=True),
            Field("depth", "Depth", 2.0, low=0.01, high=1e4, unit="m"),
        ]
        self.form = Form(self.window, "Section", text, fields, lambda v: self.show_section(v, named))
        self.form.open()

    def show_section(self, values: dict[str, Any], named: dict[str, tuple[str, float]]) -> None:
        """Show the section of a form's values, seen along its axis, its middle where it was asked for."""
        review = self.state.review
        if review is None:
            return
        wanted = str(values["at"]).strip()
        axis, at = str(values["axis"]), 0.0
        if wanted in named:
            axis, at = named[wanted]
        else:
            try:
                at = float(wanted.replace(",", "."))
            except ValueError:
                self.session.failed.emit(
                    "Section", f"{wanted!r} is neither a grid line, nor a storey, nor a number of metres."
                )
                return
        half = float(values["depth"]) / 2
        x, y, z = (float(v) for v in axis_of(review.model, axis))
        section = Section((x, y, z), at - half, at + half)
        self.state.show_section(section)
        if not self.state.shown_members() and not self.state.shown_surfaces():
            self.state.show_section(None)
            self.session.failed.emit(
                "Section", f"Nothing of the model lies within {half:g} m of {at:g} m along {axis}."
            )
            return
        self.view.look_from({"x": "east", "y": "south", "z": "plan"}[axis])

    def find(self, wanted: str) -> None:
        """Pick what has this name, number or id, exactly or in part; again for the next of several. Else a
        load case, a node of the mesh, a finding by its words or code, or a command."""
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
            self._find_else(wanted.strip(), text)
            return
        at = found.index(self.state.picked) + 1 if self.state.picked in found else 0
        self.state.pick(*found[at % len(found)])
        more = f", {len(found)} in all: Enter for the next" if len(found) > 1 else ""
        self.session.said.emit(f"{found[at % len(found)][0]} found{more}")

    def _find_else(self, wanted: str, text: str) -> None:
        """Find what is no part and no node of the model."""
        review, revision, say = self.state.review, self.state.revision, self.session.said.emit
        assert review is not None and revision is not None
        cases = [n for n in self.state.cases() if n.lower() == text] or [
            n for n in self.state.cases() if text in n.lower()
        ]
        if cases:
            at = cases.index(self.state.case) + 1 if self.state.case in cases else 0
            self.state.set_view(case=cases[at % len(cases)])
            say(
                f"Case {cases[at % len(cases)]} is shown"
                + (f", {len(cases)} in all: Enter for the next" if len(cases) > 1 else "")
            )
            return
        if review.has_run and text.removeprefix("mesh ").isdigit():
            name = f"mesh {text.removeprefix('mesh ')}"
            if name in review.results.node_ids:
                self.view.take_me_there(review.results.xyz[review.results.node_ids.index(name)])
                say(f"Node {name} is in the middle of the picture")
                return
        words = text.split()
        findings = [
            f
            for f in review.findings
            if all(w in f"{title_of(f)} {f.code} {f.message}".lower() for w in words)
        ]
        if findings:
            at = next((k for k, f in enumerate(findings) if f is self.state.finding), -1) + 1
            finding = findings[at % len(findings)]
            self.state.pick_finding(finding)
            say(
                f"{title_of(finding)}"
                + (f": {len(findings)} findings, Enter for the next" if len(findings) > 1 else "")
            )
            return
        if self.commands(text):
            return
        say(f"No part, node, load case, finding or command has {wanted} in its name")
