"""What takes time to be shown is worked out in the background when something shows it: shapes, forces of slabs, envelopes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..review import Review
from .session import Session
from .state import DeskState

Progress = Callable[[str, float], None]


class Background:
    """Listens to what is shown; what an overlay lacks is started, and the overlay drawn again when it is there."""

    def __init__(self, session: Session, state: DeskState) -> None:
        self.session, self.state = session, state
        self._failed: tuple[Review, str, bool] | None = None
        for signal in (state.overlay_changed, state.revision_changed, state.step_changed):
            signal.connect(self.prepare)
        session.jobs.idle.connect(lambda _text: self.prepare())

    def prepare(self) -> None:
        """Start what the shown overlay needs, unless something else runs: then when that has ended."""
        call = self._missing()
        if call is None or self.session.jobs.busy:
            return
        self.session.in_background("Working out what is shown", call, lambda _v: self.state.overlay_changed.emit())

    def _missing(self) -> Callable[[Progress], Any] | None:
        state, review = self.state, self.state.review
        if review is None or (state.revision is not None and state.revision.stale):
            return None
        if state.overlay == "displaced" and review.shapes_waiting(state.case):
            case = state.case
            return lambda _progress: review.shapes(case)
        if state.overlay == "plates" and review.fields_waiting:
            return lambda _progress: review.fields
        envelopes = review.envelopes
        if state.overlay == "envelope" and envelopes.waiting:
            return envelopes.members
        if state.overlay != "plates" or not state.plate_over or envelopes.empty or review.results.plates is None:
            return None
        name, averaged = state.plate, state.plate_averaged
        if envelopes.known_plates(name, averaged) is not None or self._failed == (review, name, averaged):
            return None

        def work(progress: Progress) -> None:
            fields = review.fields
            if fields is not None:
                # what cannot be enveloped must not be tried for ever
                self._failed = review, name, averaged
                envelopes.plates(fields, name, averaged, progress)
                self._failed = None

        return work
