"""Slow results, worked out in the background when something shows them: shapes, forces of slabs,
envelopes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...analysis.run import AnalysisError
from ...progress import Progress
from .session import Session
from .state import DeskState

Work = Callable[[Progress], Any]


class Background:
    """Listens to what is shown; what an overlay lacks is started, and the overlay drawn again when it is
    there. What the user cancels, or what cannot be made, is not started again until something else is
    shown."""

    def __init__(self, session: Session, state: DeskState) -> None:
        self.session, self.state = session, state
        self._started: tuple[object, ...] | None = None
        self._declined: tuple[object, ...] | None = None
        for signal in (state.overlay_changed, state.revision_changed, state.step_changed):
            signal.connect(self._shown)
        session.jobs.idle.connect(self._rested)

    def _shown(self) -> None:
        missing = self._missing()
        if missing is None or missing[0] != self._declined:
            self._declined = None
        self.prepare()

    def _rested(self, _text: str) -> None:
        if self._started is not None:
            missing = self._missing()
            if missing is not None and missing[0] == self._started:
                self._declined = self._started  # it ended, and what it was to make is not there
            self._started = None
        self.prepare()

    def prepare(self) -> None:
        """Start what the shown overlay needs, unless something else runs: then when that has ended."""
        missing = self._missing()
        if missing is None or missing[0] == self._declined or self.session.jobs.busy:
            return
        self._started = missing[0]
        self.session.work_out(
            "Working out what is shown", missing[1], lambda _v: self.state.overlay_changed.emit()
        )

    def _missing(self) -> tuple[tuple[object, ...], Work] | None:
        """Return what the shown overlay needs and is not there: its name, and what makes it."""
        state, review = self.state, self.state.review
        if review is None or (state.revision is not None and state.revision.stale):
            return None
        envelopes, case = review.envelopes, state.case
        if state.overlay == "envelope" and envelopes.waiting:
            return ("envelope", id(review)), lambda progress: envelopes.members("", progress)
        if state.overlay == "displaced" and review.shapes_waiting(case):
            return ("shapes", id(review), case), lambda _progress: review.shapes(case)
        if state.overlay == "plates" and review.fields_waiting:
            return ("fields", id(review)), lambda _progress: review.fields
        if (
            state.overlay != "plates"
            or not state.plate_over
            or envelopes.empty
            or review.results.plates is None
        ):
            return None
        name, averaged = state.plate, state.plate_averaged
        if envelopes.known_plates(name, averaged) is not None:
            return None

        def work(progress: Progress) -> None:
            if review.fields is None:
                return
            try:
                envelopes.plates(review.fields, name, averaged, progress)
            except ValueError as error:
                raise AnalysisError(f"{name}: {error}") from None

        return ("plates", id(review), name, averaged), work
