"""Commands of the undo stack: decisions, looks, corrections."""

from __future__ import annotations

from contextlib import AbstractContextManager
from typing import Any, Protocol

from PyQt6.QtGui import QUndoCommand

from ...compare.carrying.carry import CarriedOver
from ...model import Finding, Model
from ...model.edits import Edit, EditError, make_again
from ...review.titles import title_of
from .state import Revision


class Session(Protocol):
    """The interface that the undo stack needs of its session."""

    failed: Any
    said: Any

    def keep_decisions(self, revision: Revision, decisions: dict[str, tuple[str, str]]) -> None: ...

    def keep_look(self, revision: Revision, item: str, seen: bool) -> None: ...

    def changing(self, revision: Revision) -> AbstractContextManager[None]: ...

    def model_changed(self, revision: Revision) -> None: ...

    def keep_carried(self, revision: Revision) -> None: ...


class Decide(QUndoCommand):
    def __init__(
        self, session: Session, revision: Revision, finding: Finding, status: str, reason: str
    ) -> None:
        super().__init__(f"{status}: {title_of(finding)}")
        self.session, self.revision = session, revision
        self.now = {key: (status, reason) for key in finding.keys}
        self.before = {key: revision.decisions.get(key, ("open", "")) for key in finding.keys}

    def redo(self) -> None:
        self.session.keep_decisions(self.revision, self.now)

    def undo(self) -> None:
        self.session.keep_decisions(self.revision, self.before)


class Look(QUndoCommand):
    def __init__(self, session: Session, revision: Revision, item: str) -> None:
        super().__init__(f"look at {item}")
        self.session, self.revision, self.item = session, revision, item
        self.seen = item not in revision.looked

    def redo(self) -> None:
        self.session.keep_look(self.revision, self.item, self.seen)

    def undo(self) -> None:
        self.session.keep_look(self.revision, self.item, not self.seen)


class Correct(QUndoCommand):
    def __init__(self, session: Session, revision: Revision, edit: Edit) -> None:
        super().__init__(edit.text)
        self.session, self.revision, self.edit = session, revision, edit

    def redo(self) -> None:
        with self.session.changing(self.revision):
            try:
                self.edit.apply(self.revision.review.model)
            except EditError as error:
                self.setObsolete(True)
                self.session.failed.emit(self.edit.text, f"This cannot be done: {error}.")

    def undo(self) -> None:
        with self.session.changing(self.revision):
            self.edit.revert(self.revision.review.model)


class CorrectAll(QUndoCommand):
    """Several corrections in one step; when one cannot be made none is, or `partly` all the others."""

    def __init__(self, session: Session, revision: Revision, edits: list[Edit], partly: bool = False) -> None:
        super().__init__(edits[-1].text)
        self.session, self.revision, self.edits, self.partly = session, revision, edits, partly

    def redo(self) -> None:
        with self.session.changing(self.revision):
            self._make()

    def _make(self) -> None:
        made: list[Edit] = []
        missed: list[str] = []
        model = self.revision.review.model
        for edit in self.edits:
            try:
                edit.apply(model)
            except EditError as error:
                if self.partly:
                    missed.append(str(error))
                    continue
                for done in reversed(made):
                    done.revert(model)
                self.setObsolete(True)
                self.session.failed.emit(edit.text, f"This cannot be done: {error}.")
                return
            made.append(edit)
        self.edits = made
        if missed:
            self.session.failed.emit(self.text(), f"{len(missed)} cannot be done: {'; '.join(missed[:5])}.")
        if not made:
            self.setObsolete(True)

    def undo(self) -> None:
        with self.session.changing(self.revision):
            for edit in reversed(self.edits):
                edit.revert(self.revision.review.model)


class CorrectWithAll(QUndoCommand):
    """Corrections with all that follows from them: the model as it was, and as it is with the source taken in
    again."""

    def __init__(self, session: Session, revision: Revision, text: str, was: Model, now: Model) -> None:
        super().__init__(text)
        self.session, self.revision, self.was, self.now = session, revision, was, now

    def redo(self) -> None:
        with self.session.changing(self.revision):
            self.revision.review.model.become(self.now)

    def undo(self) -> None:
        with self.session.changing(self.revision):
            self.revision.review.model.become(self.was)


class CarriedIn(CorrectAll):
    """The corrections carried over from the reviewed revision: made already when it comes here, and taken
    back in one step."""

    def __init__(self, session: Session, revision: Revision, edits: list[Edit]) -> None:
        super().__init__(session, revision, edits, partly=True)
        self.setText(f"carry over {len(edits)} corrections")
        self.fresh, self.carried = True, revision.review.carried

    def redo(self) -> None:
        if self.fresh:
            self.fresh = False
            return
        self.revision.review.carried = self.carried
        self.session.keep_carried(self.revision)
        super().redo()

    def undo(self) -> None:
        self.revision.review.carried = None
        self.session.keep_carried(self.revision)
        super().undo()


class CarryOther(QUndoCommand):
    """Another choice of what is carried over: `now` was made already in place of `before`."""

    def __init__(self, session: Session, revision: Revision, before: CarriedOver, now: CarriedOver) -> None:
        super().__init__("choose what is carried over")
        self.session, self.revision, self.before, self.now = session, revision, before, now
        self.fresh = True

    def _put(self, out: CarriedOver, into: CarriedOver) -> None:
        model = self.revision.review.model
        with self.session.changing(self.revision):
            for edit in reversed(out.edits):
                edit.revert(model)
            for edit in into.edits:
                edit.apply(model)
            self.revision.review.carried = into
            self.session.keep_carried(self.revision)

    def redo(self) -> None:
        if self.fresh:  # the choice was tried on the model to learn what it does
            self.fresh = False
            self.revision.review.carried = self.now
            self.session.keep_carried(self.revision)
            self.session.model_changed(self.revision)
            return
        self._put(self.before, self.now)

    def undo(self) -> None:
        self._put(self.now, self.before)


class Again(QUndoCommand):
    """All corrections of before in one step of the undo."""

    def __init__(self, session: Session, revision: Revision, records: list[dict[str, Any]]) -> None:
        super().__init__(f"make {len(records)} corrections again")
        self.session, self.revision, self.records = session, revision, records
        self.made: list[Edit] = []

    def redo(self) -> None:
        with self.session.changing(self.revision):
            self.made, missed = make_again(self.revision.review.model, self.records)
        if missed:
            self.session.failed.emit(
                "Corrections again", f"{len(missed)} could not be made:\n" + "\n".join(missed[:12])
            )
        if not self.made:
            self.setObsolete(True)
            return
        self.session.said.emit(f"{len(self.made)} corrections made again")

    def undo(self) -> None:
        with self.session.changing(self.revision):
            for edit in reversed(self.made):
                edit.revert(self.revision.review.model)
