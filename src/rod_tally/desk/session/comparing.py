"""Comparisons of the current revision: the revision before it, a kept run of its own, results from
elsewhere."""

from __future__ import annotations

from pathlib import Path

from ...compare import Comparison, compare
from ...compare.elsewhere import Elsewhere
from ...intake.result_tables import Mapping
from ...progress import Progress
from ...review import Review
from ...review.ranking import ranked
from ...review.work import elsewhere_of, put_elsewhere, side_of
from .base import SessionBase
from .revisions import unchecked
from .state import Revision


class Comparing:
    """The comparisons of a session; each is made in the background."""

    def __init__(self, session: SessionBase) -> None:
        self.session = session

    def again(self, revision: Revision) -> None:
        """The comparison after a correction, or another pairing by hand, in the background."""
        session = self.session
        if revision.review.comparison is None or revision not in session.state.revisions:
            return
        baseline = session.state.baseline_of(revision)
        if baseline is None:
            return

        def work(progress: Progress) -> Comparison:
            progress("Comparing", 0.2)
            return self._compared(baseline.review, revision)

        session.start("Comparing", work, lambda c: self._put(revision, c), lambda: None, gives_way=True)

    def _compared(self, base: Review, revision: Revision) -> Comparison:
        loads = base.distribution, revision.review.distribution
        return compare(side_of(base), side_of(revision.review), loads, self.session.settings.compare)

    def _put(self, revision: Revision, value: Comparison | None) -> None:
        """Show another comparison in place of the one there was."""
        old = revision.review.comparison
        known = {id(f) for f in old.findings} if old is not None else set()
        kept = [f for f in revision.review.findings if id(f) not in known]
        more = [] if value is None else value.findings
        revision.review.comparison, revision.review.causes = value, []
        revision.review.findings = ranked([*kept, *more], self.session.settings)
        self.session.state.refresh()

    def with_run(self, ident: int) -> None:
        """Compare what is shown with a kept run of this revision: its model as it was then, and its
        results."""
        revision, project = self.session.state.revision, self.session.project
        if revision is None or project is None:
            return
        row = next(r for r in project.runs(revision.id) if r.id == ident)

        def work(progress: Progress) -> tuple[Review, Comparison]:
            progress(f"Opening {row.name}", 0.1)
            model, settings = project.model_of_run(ident)
            base = unchecked(model, settings, project.results(ident), project.dynamics(ident, settings))
            progress("Comparing", 0.6)
            return base, self._compared(base, revision)

        def done(value: tuple[Review, Comparison]) -> None:
            revision.against = Revision(0, f"{revision.name}, {row.name}", value[0], run_name=row.name)
            self._put(revision, value[1])
            self.session.said.emit(f"{revision.name} is compared with its {row.name}")

        self.session.start("Comparing", work, done)

    def with_revision(self, index: int) -> None:
        """Compare what is shown with any other revision of the project."""
        revision, base = self.session.state.revision, self.session.state.revisions[index]
        if revision is None or base is revision:
            return

        def done(value: Comparison) -> None:
            revision.against = base
            self._put(revision, value)
            self.session.said.emit(f"{revision.name} is compared with {base.name}")

        self.session.start("Comparing", lambda p: self._compared(base.review, revision), done)

    def with_the_one_before(self) -> None:
        """Compare with the revision before again, and no more with a kept run."""
        revision = self.session.state.revision
        if revision is None or revision.against is None:
            return
        revision.against = None
        self._put(revision, None)
        baseline = self.session.state.baseline_of(revision)
        if baseline is not None:
            self.session.start(
                "Comparing",
                lambda p: self._compared(baseline.review, revision),
                lambda c: self._put(revision, c),
            )

    def with_elsewhere(self, path: Path, mapping: Mapping) -> None:
        """Compare the run that is shown with results from elsewhere, and every later one of this revision."""
        revision = self.session.state.revision
        if revision is None:
            return
        review = revision.review

        def work(progress: Progress) -> Elsewhere:
            progress("Comparing with results from elsewhere", 0.3)
            return elsewhere_of(review, path, mapping)

        def done(found: Elsewhere) -> None:
            revision.elsewhere = path, mapping
            put_elsewhere(review, found)
            self.session.state.refresh()

        self.session.start("Comparing", work, done)
