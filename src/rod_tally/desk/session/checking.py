"""After a correction or its undo: the model is kept, old results are marked, and what the correction touches
is checked again."""

from __future__ import annotations

import logging
from pathlib import Path

from ...checks import Checked, Subject, checked
from ...loads import Distribution
from ...model import Finding, Model
from ...progress import Progress
from ...project import ProjectError
from ...review.ranking import ranked
from ...review.tallies.tally import TallyRow, tally
from .base import SessionBase
from .comparing import Comparing
from .runs import Runs
from .state import LOADS, Revision

log = logging.getLogger(__name__)

TITLE = "Checking"
MANY = 1500  # members and surfaces whose checks take longer than one would wait to see what was corrected
UNCHECKED = Finding(
    "check.cancelled",
    "warning",
    "The checks after the last correction were cancelled: these findings are from before it.",
)


class Checking:
    """The checks of a session in the background. A further correction takes the place of the checks of the
    one before: nobody waits for them."""

    def __init__(self, session: SessionBase, runs: Runs, comparing: Comparing) -> None:
        self.session, self.runs, self.comparing = session, runs, comparing
        self._unsaved: tuple[Revision, Model] | None = None

    @property
    def free(self) -> bool:
        """Return whether the model can be corrected now."""
        return self.session.jobs.free_for(TITLE)

    def again(self, revision: Revision) -> None:
        """After the model has changed."""
        session, review = self.session, revision.review
        # what the job works on stays as it is, whatever is corrected meanwhile
        model, before = review.model.snapshot(), review.checked
        review.model_changed()
        self._unsaved = revision, model
        revision.stale, revision.being_checked, revision.run_sum = True, True, None

        def work(progress: Progress) -> tuple[list[Finding], Checked, bool, list[TallyRow]]:
            # kept first, and before anything that can be cancelled: what was corrected is never in memory
            # alone
            self.save(revision, model)
            progress(TITLE, 0.0)
            stale = session.is_old(revision, model)
            loads = Distribution(model) if before is None else before.loads.after(before.model, model)
            subject = Subject(model, None, session.settings, loads)
            if not stale:
                subject = Subject(
                    model,
                    review.results,
                    session.settings,
                    loads,
                    review.modes,
                    review.storeys,
                    review.centres,
                )
            return *checked(subject, progress, before), stale, tally(model)

        def done(value: tuple[list[Finding], Checked, bool, list[TallyRow]]) -> None:
            findings, looked, revision.stale, review.tally = value
            review.checked, revision.being_checked = looked, False
            review.keep_distribution(looked.loads)
            review.findings = ranked([*findings, *review.other_findings], session.settings)
            if not revision.run_name:  # a correction before the first run stopped that
                self.runs.first(revision)
            else:
                self.comparing.again(revision)
            session.state.refresh()

        def cancelled() -> None:
            """The correction stays; that it has not been looked at is a finding of its own."""
            revision.being_checked = False
            kept = [f for f in review.findings if f.code != UNCHECKED.code]
            review.findings = ranked([UNCHECKED, *kept], session.settings)
            review.tally = tally(model)
            session.state.refresh()
            session.said.emit("The correction is kept; its checks were cancelled")

        session.start(TITLE, work, done, cancelled, replaces=True)
        # what was corrected is seen before it is checked, but for where its loads go: that takes as long
        if len(model.members) + len(model.surfaces) > MANY and session.state.overlay not in LOADS:
            session.state.refresh()

    def save(self, revision: Revision, model: Model) -> None:
        """Keep a corrected model in the project, and its corrections for the next time its source is taken
        in."""
        session = self.session
        if session.project is not None:
            session.project.save_model(revision.id, model, corrected=True)
        if model.source_file:
            session.memory.book().keep(Path(model.source_file), model.corrections)
        if self._unsaved is not None and self._unsaved[1] is model:
            self._unsaved = None

    def end(self) -> None:
        """Keep a correction whose job had no time to: the window is closing and no job runs any more."""
        if self._unsaved is None:
            return
        try:
            self.save(*self._unsaved)
        except (ProjectError, OSError) as error:
            log.exception("the last correction could not be kept")
            self.session.failed.emit("Saving", f"The last correction could not be kept: {error}.")
