"""Commands of the comparison: which part of the baseline a part is, said by hand, and why a result
changed."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtWidgets import QWidget

from ...analysis.cost import expected_cost
from ...compare.causes import Causes
from ...compare.results import ResultChange
from ...model import Member, Surface
from ...model.edits import NEW, PairParts, UnpairByHand
from ...model.geometry.vectors import Array
from ...progress import Progress
from ...review import Review
from ...review.causes import causes_of, causes_of_again
from ..forms.form import Field, Form
from ..session.session import Session
from ..session.state import DeskState

NEAREST = 15  # candidates that are offered
MOST_RUNS = 14  # models in between: seven a way


class PairDesk:
    """Pairs the picked part of a revision with one of its baseline, or says that it has none."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        self.window, self.session, self.state = window, session, state

    def possible(self) -> bool:
        """Return whether a part of a compared revision is picked."""
        review, picked = self.state.review, self.state.picked
        return (
            review is not None
            and self.state.comparison is not None
            and self.state.baseline is not None
            and picked is not None
            and review.model.part(picked[1]) is not None
        )

    def candidates(self) -> list[tuple[str, str]]:
        """Parts of the baseline that the picked one may be, with words for each, the nearest first."""
        review, baseline, comparison = self.state.review, self.state.baseline, self.state.comparison
        if review is None or baseline is None or comparison is None or self.state.picked is None:
            return []
        model, base = review.model, baseline.review.model
        own = model.part(self.state.picked[1])
        if own is None:
            return []
        place = _middle(model, own) + model.origin
        if comparison.transform is not None:
            place = comparison.transform.undo(place[None])[0]
        twin = {
            m.baseline_id: m.revised_id
            for m in comparison.parts
            if m.baseline_id and m.revised_id and not m.piece
        }
        found = []
        for part in base.parts():
            if isinstance(part, Member) == isinstance(own, Member) and part.cls == own.cls:
                off = float(np.linalg.norm(_middle(base, part) + base.origin - place))
                taken = twin.get(part.id)
                other = model.part(taken) if taken and taken != own.id else None
                used = (
                    f", now {other.name or other.id}"
                    if other is not None
                    else ", now this one"
                    if taken
                    else ""
                )
                found.append(
                    (off, part.id, f"{part.name or part.id} · {part.storey} · {off:.2f} m off{used}")
                )
        return [(ident, words) for _, ident, words in sorted(found)[:NEAREST]]

    def ask(self) -> None:
        """Which part of the baseline it is."""
        found = self.candidates()
        picked = self.state.picked
        if not found or picked is None:
            self.session.said.emit("The baseline holds nothing of this kind")
            return
        by_words = {words: ident for ident, words in found}

        def done(values: dict[str, Any]) -> None:
            self.session.correct(PairParts({picked[1]: by_words[values["with"]]}))

        text = "Which part of the reviewed revision this is. It stays so for the next comparison; undo takes it back."
        Form(
            self.window,
            "Pair by hand",
            text,
            [Field("with", "Part of the baseline", found[0][1], list(by_words))],
            done,
        ).open()

    def call_new(self) -> None:
        """Say that the chosen parts are new."""
        chosen = [*self.state.chosen("member"), *self.state.chosen("surface")]
        if chosen:
            self.session.correct(PairParts({i: NEW for i in chosen}))

    def leave(self) -> None:
        """Leave the chosen parts to the comparison again."""
        chosen = [*self.state.chosen("member"), *self.state.chosen("surface")]
        if chosen:
            self.session.correct(UnpairByHand(chosen))


class WhyDesk:
    """Asks which value, has the models in between solved in the background, and shows the table of causes."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        self.window, self.session, self.state = window, session, state
        self.form: Form | None = None

    def possible(self) -> bool:
        """Return whether the revision is compared with another, both with runs that are up to date."""
        review, baseline = self.state.review, self.state.baseline
        return (
            review is not None
            and baseline is not None
            and review.comparison is not None
            and not review.stale
            and not baseline.review.stale
            and bool(review.comparison.results)
        )

    def values(self) -> list[ResultChange]:
        """Results of what is picked; without a pick sums over all supports, and periods."""
        review = self.state.review
        if review is None or review.comparison is None:
            return []
        ident = self.state.picked[1] if self.state.picked else None
        own = (
            [r for r in review.comparison.results if r.revised_id == ident and r.case != "modes"]
            if ident
            else []
        )
        if own:
            return own
        return [r for r in review.comparison.results if r.baseline_id is None or r.case == "modes"]

    def ask(self) -> None:
        """Which quantity in which case."""
        review, found = self.state.review, self.values()
        if review is None or review.comparison is None or not found:
            self.session.said.emit("Nothing of this was computed in both revisions")
            return
        ident = self.state.picked[1] if self.state.picked else None
        listed = next((x for x in review.comparison.again if x.revised_id == ident and x.quantity), None)
        by_name = {(self._called(r), r.case): r for r in found}
        quantities = list(dict.fromkeys(q for q, _ in by_name))
        cases = list(dict.fromkeys(c for _, c in by_name))
        first = listed.quantity if listed is not None and listed.quantity in quantities else quantities[0]
        case = listed.by if listed is not None and listed.by in cases else cases[0]
        seconds = (
            expected_cost(review.model, self.session.settings).seconds * self.session.memory.pace * MOST_RUNS
        )

        def done(values: dict[str, Any]) -> None:
            row = by_name.get((str(values["quantity"]), str(values["case"])))
            if row is None:
                self.session.said.emit(
                    f"{values['quantity']} was not computed in {values['case']} in both revisions"
                )
                return
            self.split(row)

        text = (
            "The change since the reviewed revision, split into geometry, sections, materials, releases, supports, loads, parts that are gone "
            f"and parts that are new. Up to {MOST_RUNS} models in between are solved, about {max(seconds, 1.0):.0f} s at most."
        )
        fields = [Field("quantity", "Value", first, quantities), Field("case", "Case", case, cases)]
        self.form = Form(self.window, "Why has it changed?", text, fields, done)
        self.form.open()

    def _called(self, row: ResultChange) -> str:
        if row.case == "modes":
            return f"period {row.revised_id}"
        return row.quantity if row.revised_id is not None else f"{row.quantity} of all supports"

    def split(self, row: ResultChange) -> None:
        """Solve the models in between, and show what came of it."""
        review, baseline = self.state.review, self.state.baseline
        if review is None or baseline is None:
            return

        def work(progress: Progress) -> Causes:
            return causes_of(baseline.review, review, row, progress)

        def done(found: Causes) -> None:
            keep(review, found)
            if self.state.review is review:
                self.state.refresh()
                self.window.tables.show_table("again", 2)  # type: ignore[attr-defined]

        self.session.start("Why it changed", work, done)

    def ask_other(self) -> None:
        """Ask which other revision the shown one is compared with."""
        state, shown = self.state, self.state.revision
        others = [r.name for r in state.revisions if r is not shown]
        if not others or shown is None:
            return
        names = [r.name for r in state.revisions]
        base = state.baseline.name if state.baseline is not None else ""

        def done(values: dict[str, Any]) -> None:
            self.session.comparing.with_revision(names.index(str(values["base"])))

        fields = [Field("base", "Revision", base if base in others else others[0], others)]
        text = f"{shown.name} is compared with the one that is chosen, until the project is opened again."
        self.form = Form(self.window, "Compare with another revision", text, fields, done)
        self.form.open()

    def split_all(self) -> None:
        """Find what adds most to the change of each part to look at again, and show them in groups."""
        review, baseline = self.state.review, self.state.baseline
        if review is None or baseline is None:
            return

        def done(count: int) -> None:
            if not count:
                self.session.said.emit("No part has a demand that rose, so there is no cause to find")
            elif self.state.review is review:
                self.state.refresh()
                self.window.tables.show_table("again", 1)  # type: ignore[attr-defined]

        self.session.start("Why they changed", lambda p: causes_of_again(baseline.review, review, p), done)


def keep(review: Review, found: Causes) -> None:
    """Beside those of other values, the latest first."""
    own = found.of
    key = own.quantity, own.case, own.baseline_id
    rest = [c for c in review.causes if (c.of.quantity, c.of.case, c.of.baseline_id) != key]
    review.causes = [found, *rest]


def _middle(model: Any, part: Member | Surface) -> Array:
    return np.asarray(model.line(part).mean(axis=0) if isinstance(part, Member) else part.outer.mean(axis=0))
