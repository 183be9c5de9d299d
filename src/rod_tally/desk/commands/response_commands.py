"""Commands that go where the answer of the building is most telling: what moves freely, what moves most."""

from __future__ import annotations

from typing import Any

from ...review.effects.effect import effect_words, of_finding
from ...review.expected.expected import expected
from ..forms.form import Field, Form
from ..pages.member_page import MemberPage

Window = Any  # the main window, which holds these commands


class ResponseDesk:
    """Shows and picks in the window."""

    def __init__(self, window: Window) -> None:
        self.window, self.state = window, window.state
        self.form: Form | None = None
        self.page: MemberPage | None = None

    def show_member(self) -> None:
        """The picked member's own page; it follows what is picked."""
        if self.page is None:
            self.page = MemberPage(self.window, self.state, lambda: self.window.view.units)
        self.page.show()
        self.page.fill()
        self.page.raise_()

    def ask_scale(self) -> None:
        """How many times displacements are drawn."""
        fields = [Field("times", "Drawn", self.state.times or 100.0, unit="times", low=0.001, high=1e7)]
        self.form = Form(
            self.window,
            "Scale of displacements",
            "A scale that suits the building (Ctrl+Alt+0) goes back.",
            fields,
            lambda v: self.state.set_view(times=float(v["times"]), scale=1.0),
        )
        self.form.open()

    def show_motion(self) -> None:
        """Show the motions without resistance; again for the next one."""
        again = self.state.overlay == "motions"
        self.state.set_view(mode=self.state.mode + 1 if again else 1)
        self.window.show_overlay("motions", "findings")

    def find_effects(self) -> None:
        """Try each guess, default and finding the other way, and show what that does."""
        tables = self.window.tables
        tables.show_table("effects")
        self.window.session.runs.effects(lambda: tables.renew({"effects", "findings"}))

    def find_expected(self) -> None:
        """Hold the results against simple formulas, in the background, and show the table."""
        session, tables, review = self.window.session, self.window.tables, self.state.review
        if review is None or review.why_old:
            session.failed.emit(
                "Expected values", review.why_old if review is not None else "Nothing is open"
            )
            return
        tables.show_table("expected")
        session.start("Expected values", lambda _: expected(review), lambda _: tables.renew({"expected"}))

    def accept_without_effect(self) -> None:
        """Accept every open finding that changes next to nothing when it is mended, with that as the
        reason."""
        session, revision = self.window.session, self.state.revision
        if revision is None:
            return
        review, small = revision.review, self.window.view.units.small
        found = [
            (f, e)
            for f in ([] if revision.stale else revision.open_findings())
            if (e := of_finding(review.effects, f.code, f.ids)) is not None and e.nothing
        ]
        if not found:
            session.said.emit("No open finding was found to be without effect (Run, Effects of guesses…)")
            return
        session.undo.beginMacro(f"Accept {len(found)} findings without effect")
        for f, e in found:
            session.decide(f, "accepted", f"mended, {effect_words(e, small)}")
        session.undo.endMacro()
        session.said.emit(f"{len(found)} findings accepted: mending them changes next to nothing")

    def show_centres(self) -> None:
        """The storeys' centres in the view and in their table."""
        self.window.show_overlay("centres", "storeys")
        self.window.tables.show_table("storeys", 2)

    def go_to_largest(self) -> None:
        """Pick what moves most in the shown case, a node, a member between its ends or a slab, and close in
        on the place."""
        review, case = self.state.review, self.state.case
        found = review.largest_displacement(case) if review is not None else None
        if found is None:
            self.window.session.said.emit(f"{case or 'No case'} was not computed")
            return
        self.state.show_overlay("displaced")
        self.state.pick(found.kind, found.ident)
        self.window.view.take_me_there(found.place)
