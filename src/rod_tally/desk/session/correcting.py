"""Corrections as steps of a session's undo: on the model as it is, or with all that follows from them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from PyQt6.QtGui import QUndoStack

from ...model import Model
from ...model.edits import Edit, EditError, make_again
from ...model.source_file import source_of
from ...progress import Progress
from ...review.following import DecidedAgain, NotDecided, decided_again, joins_follow, source_again, tell
from . import undo_commands
from .state import Revision
from .undo_commands import Again, Correct, CorrectAll, CorrectWithAll

CORRECTIONS = Correct, CorrectAll, CorrectWithAll, Again


class Session(undo_commands.Session, Protocol):
    """The interface that corrections need of their session."""

    def start(self, title: str, call: Callable[[Progress], Any], done: Callable[[Any], None]) -> None: ...


class Correcting:
    """The corrections of a session: each call is one step of its undo."""

    def __init__(self, session: Session, undo: QUndoStack) -> None:
        self.session, self.undo = session, undo

    def all(self, revision: Revision, edits: list[Edit], partly: bool) -> None:
        """Make corrections; `partly`: those that can be made, the others are reported."""
        if any(edit.made_at for edit in edits):
            self._with_all(revision, edits, partly)
        else:
            self._as_it_is(revision, edits, partly)

    def again(self, revision: Revision, records: list[dict[str, Any]]) -> None:
        """Make corrections that were made before."""
        plain = revision.review.model.snapshot()
        missed = make_again(plain, records)[1]

        def as_it_is() -> None:
            self.undo.push(Again(self.session, revision, records))

        if missed:
            as_it_is()  # which says what cannot be made
        else:
            self._follow(revision, f"make {len(records)} corrections again", plain, as_it_is, as_it_is)

    def _as_it_is(self, revision: Revision, edits: list[Edit], partly: bool) -> None:
        """Make corrections on the model that there is, and decide nothing of it again."""
        single = len(edits) == 1
        self.undo.push(
            Correct(self.session, revision, edits[0])
            if single
            else CorrectAll(self.session, revision, edits, partly)
        )

    def _with_all(self, revision: Revision, edits: list[Edit], partly: bool) -> None:
        """Make corrections of what parts are made of; what follows from that is decided again."""
        plain = revision.review.model.snapshot()
        try:
            for edit in edits:
                edit.apply(plain)
        except EditError:
            self._as_it_is(revision, edits, partly)  # which says what cannot be done
            return
        self._follow(
            revision,
            edits[-1].text,
            plain,
            lambda: self._as_it_is(revision, edits, partly),
            lambda: self._with_all(revision, edits, partly),
        )

    def _follow(
        self,
        revision: Revision,
        text: str,
        plain: Model,
        as_it_is: Callable[[], None],
        again: Callable[[], None],
    ) -> None:
        """Where joins follow from what was corrected in `plain`, take the source in again with it in the
        background, as one step of the undo; else, and where that cannot be, correct the model `as_it_is`.
        `again` is called where the model was corrected meanwhile."""
        model = revision.review.model
        was = model.snapshot()
        if not joins_follow(was, plain):
            as_it_is()
            return

        def work(progress: Progress) -> DecidedAgain | str:
            try:
                source = source_again(source_of(was), progress)
                out = decided_again(source, was, plain.corrections, progress)
            except NotDecided as why:
                return str(why)
            tell(out, plain)
            return f"{out.missed[0]} (could not be made again then)" if out.missed else out

        def done(value: DecidedAgain | str) -> None:
            if model.corrections != was.corrections:
                again()
            elif isinstance(value, str):
                as_it_is()
                self.session.said.emit(f"Joins were not decided again: {value}")
            else:
                self.undo.push(CorrectWithAll(self.session, revision, text, was, value.model))
                words = "; ".join(value.words) or "no join, release or way of a slab changed with it"
                self.session.said.emit(f"{text}: {words}")

        self.session.start("Deciding joins again", work, done)
