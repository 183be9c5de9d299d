"""Why a result changed since the reviewed revision: asked for a picked part, a node, or the whole building."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QWidget

from ...analysis.cost import expected_cost
from ...compare.causes import Causes
from ...compare.results import ResultChange
from ...progress import Progress
from ...review import Review
from ...review.causes import causes_of
from ..session.session import Session
from ..session.state import DeskState
from .forms import Field, Form

MOST_RUNS = 14  # models in between: seven a way


class WhyDesk:
    """Asks which value, has the models in between solved in the background, and shows the table of causes."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        self.window, self.session, self.state = window, session, state
        self.form: Form | None = None

    def possible(self) -> bool:
        """Whether the revision is compared with another, both with runs that are up to date."""
        review, baseline = self.state.review, self.state.baseline
        return (
            review is not None and baseline is not None and review.comparison is not None
            and not review.stale and not baseline.review.stale and bool(review.comparison.results)
        )  # fmt: skip

    def values(self) -> list[ResultChange]:
        """Results of what is picked; without a pick sums over all supports, and periods."""
        review = self.state.review
        if review is None or review.comparison is None:
            return []
        ident = self.state.picked[1] if self.state.picked else None
        own = [r for r in review.comparison.results if r.revised_id == ident and r.case != "modes"] if ident else []
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
        seconds = expected_cost(review.model, self.session.settings).seconds * self.session.memory.pace * MOST_RUNS

        def done(values: dict[str, Any]) -> None:
            row = by_name.get((str(values["quantity"]), str(values["case"])))
            if row is None:
                self.session.said.emit(f"{values['quantity']} was not computed in {values['case']} in both revisions")
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
                self.window.tables.show_table("again", 1)  # type: ignore[attr-defined]

        self.session.start("Why it changed", work, done)


def keep(review: Review, found: Causes) -> None:
    """Beside those of other values, the latest first."""
    own = found.of
    key = own.quantity, own.case, own.baseline_id
    rest = [c for c in review.causes if (c.of.quantity, c.of.case, c.of.baseline_id) != key]
    review.causes = [found, *rest]
